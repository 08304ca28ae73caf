//! From zeros, poles and gain to second-order sections.

use super::complex::modulus;
use super::{Section, Sections, Transfer, ZerosPolesGain};
use num_complex::Complex64;
use std::f64::consts::PI;

/// One or two roots that make a real polynomial: a conjugate pair, two real roots, or one.
#[derive(Clone, Copy)]
struct Group {
    first: Complex64,
    second: Option<Complex64>,
}

impl Group {
    /// 1 + c1 z⁻¹ + c2 z⁻²
    fn polynomial(self) -> [f64; 2] {
        match self.second {
            None => [-self.first.re, 0.0],
            // A conjugate pair: |z|² from its parts, which the product of the two would round the same way.
            Some(_) if self.first.im != 0.0 => {
                let Complex64 { re, im } = self.first;
                [-2.0 * re, re * re + im * im]
            }
            Some(second) => [-(self.first.re + second.re), self.first.re * second.re],
        }
    }

    fn count(self) -> usize {
        1 + usize::from(self.second.is_some())
    }

    fn radius(self) -> f64 {
        modulus(self.first).max(self.second.map_or(0.0, modulus))
    }
}

/// Conjugate pairs by their upper member, and the real roots.
fn sort_out(roots: &[Complex64]) -> (Vec<Complex64>, Vec<f64>) {
    let pairs = roots.iter().filter(|z| z.im > 0.0).copied().collect();
    let mut real: Vec<f64> = roots.iter().filter(|z| z.im == 0.0).map(|z| z.re).collect();
    real.sort_by(f64::total_cmp);
    (pairs, real)
}

/// Takes the element nearest to `target` out of a list.
fn take_nearest(list: &mut Vec<Complex64>, target: Complex64) -> Option<Complex64> {
    let distance = |z: &Complex64| modulus(z - target);
    let nearest =
        (0..list.len()).min_by(|&a, &b| distance(&list[a]).total_cmp(&distance(&list[b])))?;
    Some(list.remove(nearest))
}

impl Sections {
    /// The same filter as second-order sections, paired, ordered and scaled for fixed point.
    ///
    /// The pole pair nearest to the unit circle takes the zero pair nearest to it, and so on; the sections
    /// then run from the least to the most resonant (Jackson, *Roundoff-noise analysis for fixed-point
    /// digital filters realized in cascade or parallel form*, 1970, section V). Each section but the last is
    /// scaled so that no sine leaves the sections up to it larger than 1; the last brings the product to the
    /// filter's gain. Roots must come in exact conjugate pairs, with at most as many zeros as poles.
    pub fn from_zeros_poles(filter: &ZerosPolesGain) -> Sections {
        let (pole_pairs, mut real_poles) = sort_out(&filter.poles);
        let (mut zero_pairs, real_zeros) = sort_out(&filter.zeros);
        let mut real_zeros: Vec<Complex64> =
            real_zeros.into_iter().map(|re| Complex64::new(re, 0.0)).collect();
        let mut groups: Vec<Group> =
            pole_pairs.into_iter().map(|z| Group { first: z, second: Some(z.conj()) }).collect();
        while let Some(first) = real_poles.pop() {
            let second = real_poles.pop().map(|re| Complex64::new(re, 0.0));
            groups.push(Group { first: Complex64::new(first, 0.0), second });
        }
        // Single poles choose first: they can take a real zero only.
        groups.sort_by(|a, b| {
            let single = |group: &Group| group.second.is_some();
            single(a).cmp(&single(b)).then(b.radius().total_cmp(&a.radius()))
        });
        let mut sections: Vec<(f64, Section)> = groups
            .iter()
            .map(|group| {
                let zeros = match group.second {
                    None => take_nearest(&mut real_zeros, group.first)
                        .map(|first| Group { first, second: None }),
                    Some(_) => {
                        let pair = nearest_is_a_pair(&zero_pairs, &real_zeros, group.first);
                        if pair {
                            take_nearest(&mut zero_pairs, group.first)
                                .map(|z| Group { first: z, second: Some(z.conj()) })
                        } else {
                            take_nearest(&mut real_zeros, group.first).map(|first| {
                                // The other one from the far end: z = 1 beside z = −1 in a band-pass.
                                let second = take_nearest(&mut real_zeros, -first);
                                Group { first, second }
                            })
                        }
                    }
                };
                let [b1, mut b2] = zeros.map_or([0.0; 2], Group::polynomial);
                let taken = zeros.map_or(0, Group::count);
                // Zeros meant to lie on the unit circle lie there: the section is exactly symmetric.
                if (b2 - 1.0).abs() <= 8.0 * f64::EPSILON {
                    b2 = 1.0;
                }
                // Fewer zeros than poles are a delay.
                let mut b = [1.0, b1, b2];
                b.rotate_right(group.count() - taken);
                (group.radius(), Section { b, a: group.polynomial() })
            })
            .collect();
        sections.sort_by(|a, b| a.0.total_cmp(&b.0));
        let mut sections = Sections(sections.into_iter().map(|(_, section)| section).collect());
        sections.scale(filter);
        sections
    }

    /// Brings the peak of every partial cascade to 1 and the whole to the filter's gain.
    fn scale(&mut self, filter: &ZerosPolesGain) {
        const GRID: usize = 4096;
        let mut angles: Vec<f64> = (0..=GRID).map(|k| PI * k as f64 / GRID as f64).collect();
        angles.extend(filter.poles.iter().map(|pole| libm::atan2(pole.im, pole.re).abs()));
        let mut partial = vec![1.0; angles.len()];
        let mut before = 1.0;
        let mut rest = filter.gain;
        let count = self.0.len();
        for (index, section) in self.0.iter_mut().enumerate() {
            let alone = Sections(vec![*section]);
            for (level, angle) in partial.iter_mut().zip(&angles) {
                *level *= alone.gain(*angle);
            }
            let peak = partial.iter().copied().fold(0.0, f64::max);
            // A cascade of n peaks at `before` times its own; powers are left as they are, for they only
            // have to be about right: what counts is that the product is exact to rounding.
            let gain = if index + 1 == count { rest } else { before / peak };
            before = peak;
            rest /= gain;
            for b in &mut section.b {
                *b *= gain;
            }
        }
    }
}

/// Whether the zero nearest to `pole` is one of a pair; with fewer than two real zeros left it has to be.
fn nearest_is_a_pair(pairs: &[Complex64], real: &[Complex64], pole: Complex64) -> bool {
    let nearest =
        |list: &[Complex64]| list.iter().map(|z| modulus(z - pole)).fold(f64::INFINITY, f64::min);
    !pairs.is_empty() && (real.len() < 2 || nearest(pairs) <= nearest(real))
}
