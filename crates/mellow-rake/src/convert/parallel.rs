//! Sums: parallel sections, and two all-passes.

use super::loss::{ConvertError, Converted, accept, best_zeros};
use crate::filter::complex::modulus;
use crate::filter::{Section, Sections, Transfer, ZerosPolesGain, confluent_roots, roots_within};
use num_complex::Complex64;

/// H(z) = constant + Σ sections, each (b0 + b1 z⁻¹)/(1 + a1 z⁻¹ + a2 z⁻²).
#[derive(Debug, Clone, PartialEq)]
#[cfg_attr(feature = "serde", derive(serde::Serialize))]
#[non_exhaustive]
pub struct Parallel {
    /// The direct share.
    pub constant: f64,
    /// The sections, b2 = 0.
    pub sections: Vec<Section>,
}

impl Transfer for Parallel {
    fn response(&self, omega: f64) -> Complex64 {
        let w = Complex64::new(libm::cos(omega), -libm::sin(omega));
        self.sections.iter().fold(Complex64::new(self.constant, 0.0), |sum, Section { b, a }| {
            sum + (w * b[1] + b[0]) / ((w * a[1] + a[0]) * w + 1.0)
        })
    }
}

/// The filter as a sum of sections: partial fractions, residues from the differences of the roots.
///
/// # Errors
/// [`ConvertError`] for poles that coincide or stand at the origin, more zeros than poles, and where the
/// residues cancel so much that the response is lost (narrow filters of high order).
pub fn to_parallel(filter: &ZerosPolesGain) -> Result<Converted<Parallel>, ConvertError> {
    const FORM: &str = "sum of parallel sections";
    let ZerosPolesGain { zeros, poles, gain } = filter;
    let refused = |why| Err(ConvertError::NotThere { form: FORM, why });
    if zeros.len() > poles.len() {
        return refused("there are more zeros than poles");
    }
    if poles.iter().any(|p| modulus(*p) < 1e-9) {
        return refused("a pole stands at the origin");
    }
    let apart = |k: usize| {
        let others = poles.iter().enumerate().filter(|(other, _)| *other != k);
        others.map(|(_, p)| modulus(p - poles[k])).fold(f64::INFINITY, f64::min)
    };
    if (0..poles.len()).any(|k| apart(k) < 1e-9) {
        return refused("two poles coincide");
    }
    // H(z) = Σ r_k/(1 − p_k z⁻¹) + constant. With H = gain·∏(z − zeros)/∏(z − poles) and as many zeros as
    // poles: H(∞) = gain = constant + Σ r_k, H(0) = constant.
    let value_at_zero = zeros.iter().chain(poles).enumerate().fold(
        Complex64::new(*gain, 0.0),
        |product, (k, root)| {
            if k < zeros.len() { product * -root } else { product / -root }
        },
    );
    let residue = |k: usize| {
        let p = poles[k];
        let mut product = Complex64::new(*gain, 0.0) / p;
        let mut others = poles.iter().enumerate().filter(|(other, _)| *other != k);
        for index in 0..zeros.len().max(poles.len()) {
            if let Some(zero) = zeros.get(index) {
                product *= p - zero;
            }
            if let Some((_, other)) = others.next() {
                product /= p - other;
            }
        }
        product
    };
    let mut sections = Vec::new();
    for (k, pole) in poles.iter().enumerate() {
        let r = residue(k);
        if pole.im > 0.0 {
            // r/(1 − pw) + conj: (2·Re r − 2·Re(r·conj p)·w)/(1 − 2·Re p·w + |p|²·w²)
            let cross = r * pole.conj();
            let square = pole.re * pole.re + pole.im * pole.im;
            let b = [2.0 * r.re, -2.0 * cross.re, 0.0];
            sections.push(Section { b, a: [-2.0 * pole.re, square] });
        } else if pole.im == 0.0 {
            sections.push(Section { b: [r.re, 0.0, 0.0], a: [-pole.re, 0.0] });
        }
    }
    let parallel = Parallel { constant: value_at_zero.re, sections };
    let after = parallel.clone();
    accept(parallel, FORM, filter, &after, 0.0)
}

fn multiply(a: &[f64], b: &[f64]) -> Vec<f64> {
    let mut product = vec![0.0; a.len() + b.len() - 1];
    for (i, x) in a.iter().enumerate() {
        for (j, y) in b.iter().enumerate() {
            product[i + j] += x * y;
        }
    }
    product
}

/// 1, a1, a2 without zeros at the end.
fn denominator(section: &Section) -> Vec<f64> {
    let [a1, a2] = section.a;
    let all = [1.0, a1, a2];
    let length = if a2 != 0.0 {
        3
    } else if a1 != 0.0 {
        2
    } else {
        1
    };
    all[..length].to_vec()
}

/// The filter with these poles and this numerator, lowest power of z⁻¹ first, compared with what it came
/// from.
fn from_numerator(
    numerator: &[f64],
    poles: Vec<Complex64>,
    before: &dyn Transfer,
) -> Result<Converted<ZerosPolesGain>, ConvertError> {
    const FORM: &str = "set of zeros and poles";
    // What cancelled to rounding in front is no coefficient: its zeros would lie near infinity.
    let largest = numerator.iter().fold(0.0, |m: f64, b| m.max(b.abs()));
    let first = numerator.iter().position(|b| b.abs() > 64.0 * f64::EPSILON * largest).unwrap_or(0);
    let mut numerator = numerator[first..].to_vec();
    numerator.resize(poles.len() + 1 - first.min(poles.len()), 0.0);
    // Sums of products: off by more than their last digit. What that does is measured below.
    let mut sets: Vec<Vec<Complex64>> = roots_within(&numerator, 1e-12).into_iter().collect();
    match confluent_roots(&numerator) {
        Ok(more) => sets.extend(more),
        Err(error) if sets.is_empty() => return Err(error.into()),
        Err(_) => {}
    }
    let why = "its zeros were not found";
    let best = best_zeros(sets, &poles, numerator[0], before);
    let (filter, _) = best.ok_or(ConvertError::NotThere { form: FORM, why })?;
    accept(filter.clone(), FORM, &filter, before, 0.0)
}

/// Zeros, poles and gain of a sum of sections: the poles are those of the sections, the zeros the roots of
/// the common numerator.
///
/// # Errors
/// [`ConvertError`] when the roots cannot be found or the response is lost on the way.
pub fn from_parallel(parallel: &Parallel) -> Result<Converted<ZerosPolesGain>, ConvertError> {
    let below: Vec<Vec<f64>> = parallel.sections.iter().map(denominator).collect();
    let order: usize = below.iter().map(|d| d.len() - 1).sum();
    let mut numerator = vec![0.0; order + 1];
    let mut add = |start: Vec<f64>, skip: Option<usize>| {
        let others = below.iter().enumerate().filter(|(k, _)| Some(*k) != skip);
        let term = others.fold(start, |product, (_, d)| multiply(&product, d));
        for (sum, more) in numerator.iter_mut().zip(term) {
            *sum += more;
        }
    };
    add(vec![parallel.constant], None);
    for (k, Section { b, a }) in parallel.sections.iter().enumerate() {
        add(if a[1] == 0.0 { vec![b[0]] } else { vec![b[0], b[1]] }, Some(k));
    }
    let poles = ZerosPolesGain::from_sections(&Sections(parallel.sections.clone())).poles;
    from_numerator(&numerator, poles, parallel)
}

/// Zeros, poles and gain of half the sum or difference of two all-passes, in the same way.
///
/// # Errors
/// [`ConvertError`]
pub fn from_all_pass_sum(sum: &AllPassSum) -> Result<Converted<ZerosPolesGain>, ConvertError> {
    let below = |sections: &[Section]| {
        sections.iter().map(denominator).fold(vec![1.0], |product, d| multiply(&product, &d))
    };
    let [first, second] = [below(&sum.first), below(&sum.second)];
    let reversed = |d: &[f64]| d.iter().rev().copied().collect::<Vec<f64>>();
    let one = multiply(&reversed(&first), &second);
    let two = multiply(&reversed(&second), &first);
    let half = sum.factor / 2.0;
    let numerator: Vec<f64> =
        one.iter().zip(&two).map(|(a, b)| half * (a + sum.sign * b)).collect();
    let all: Vec<Section> = sum.first.iter().chain(&sum.second).copied().collect();
    from_numerator(&numerator, ZerosPolesGain::from_sections(&Sections(all)).poles, sum)
}

/// H(z) = (A₁(z) ± A₂(z))/2 with two stable all-passes; the other sign gives the complement.
#[derive(Debug, Clone, PartialEq)]
#[cfg_attr(feature = "serde", derive(serde::Serialize))]
#[non_exhaustive]
pub struct AllPassSum {
    /// The first branch.
    pub first: Vec<Section>,
    /// The second branch.
    pub second: Vec<Section>,
    /// +1 or −1 before the second branch.
    pub sign: f64,
    /// A factor in front, ±1.
    pub factor: f64,
}

fn branch(sections: &[Section], w: Complex64) -> Complex64 {
    sections.iter().fold(Complex64::new(1.0, 0.0), |h, Section { b, a }| {
        h * ((w * b[2] + b[1]) * w + b[0]) / ((w * a[1] + a[0]) * w + 1.0)
    })
}

impl AllPassSum {
    /// The filter with the other sign: where this one passes it stops, and the two powers add up to 1.
    pub fn complement(&self) -> AllPassSum {
        AllPassSum { sign: -self.sign, ..self.clone() }
    }
}

impl Transfer for AllPassSum {
    fn response(&self, omega: f64) -> Complex64 {
        let w = Complex64::new(libm::cos(omega), -libm::sin(omega));
        (branch(&self.first, w) + branch(&self.second, w) * self.sign) * (self.factor / 2.0)
    }
}

/// The all-pass with these poles: each section has its own denominator, reversed, as numerator.
fn all_pass(poles: &[Complex64]) -> Vec<Section> {
    let mut sections = Vec::new();
    for pole in poles {
        if pole.im > 0.0 {
            let (a1, a2) = (-2.0 * pole.re, pole.re * pole.re + pole.im * pole.im);
            sections.push(Section { b: [a2, a1, 1.0], a: [a1, a2] });
        } else if pole.im == 0.0 {
            sections.push(Section { b: [-pole.re, 1.0, 0.0], a: [-pole.re, 0.0] });
        }
    }
    sections
}

/// The filter as half the sum or difference of two all-passes (Vaidyanathan, Mitra & Neuvo, *A new approach
/// to the realization of low-sensitivity IIR digital filters*, 1986): there for Butterworth, Chebyshev and
/// elliptic filters whose prototype has odd order.
///
/// Which poles go to which branch is found by trying: with the phases φ of the all-passes of single pole
/// pairs at a few angles, |H| = |cos((Σ±φ)/2)| (or the sine) must hold with the right signs. What comes out
/// is compared with the filter.
///
/// # Errors
/// [`ConvertError::NotThere`] where no split of the poles gives the filter.
pub fn to_all_pass_sum(filter: &ZerosPolesGain) -> Result<Converted<AllPassSum>, ConvertError> {
    const FORM: &str = "sum of two all-passes";
    /// 2^19 signs are tried within some milliseconds.
    const MOST: usize = 20;
    let groups: Vec<Complex64> = filter.poles.iter().copied().filter(|p| p.im >= 0.0).collect();
    let refused = |why| Err(ConvertError::NotThere { form: FORM, why });
    if groups.is_empty() || groups.len() > MOST {
        return refused("it is there for filters of 1 to 20 pole pairs");
    }
    // Angles at which the filter neither passes nor stops: there the signs show.
    let mut angles: Vec<(f64, f64)> = (1..400)
        .map(|k| std::f64::consts::PI * f64::from(k) / 400.0)
        .map(|omega| (omega, modulus(filter.response(omega))))
        .collect();
    angles.sort_by(|a, b| (a.1 - 0.7).abs().total_cmp(&(b.1 - 0.7).abs()));
    angles.truncate(6);
    let phase = |pole: &Complex64, omega: f64| {
        let w = Complex64::new(libm::cos(omega), -libm::sin(omega));
        let h = branch(&all_pass(&[*pole]), w);
        libm::atan2(h.im, h.re)
    };
    let phases: Vec<Vec<f64>> = groups
        .iter()
        .map(|pole| angles.iter().map(|(omega, _)| phase(pole, *omega)).collect())
        .collect();
    let mut sums: Vec<f64> =
        (0..angles.len()).map(|at| phases.iter().map(|own| own[at]).sum()).collect();
    let mut in_second = vec![false; groups.len()];
    // All signs in the order of a Gray code: one changes at a time. The first pole stays in the first branch.
    for step in 0u32..1 << (groups.len() - 1) {
        if step > 0 {
            let flip = 1 + step.trailing_zeros() as usize;
            let sign = if in_second[flip] { 2.0 } else { -2.0 };
            in_second[flip] = !in_second[flip];
            for (sum, own) in sums.iter_mut().zip(&phases[flip]) {
                *sum += sign * own;
            }
        }
        let fits = |of: fn(f64) -> f64| {
            sums.iter()
                .zip(&angles)
                .all(|(sum, (_, gain))| (of(sum / 2.0).abs() - gain).abs() < 1e-5)
        };
        let sign = if fits(libm::cos) {
            1.0
        } else if fits(libm::sin) {
            -1.0
        } else {
            continue;
        };
        let pick = |second: bool| -> Vec<Complex64> {
            let own = groups.iter().zip(&in_second).filter(|(_, is)| **is == second);
            own.map(|(p, _)| *p).collect()
        };
        let (first, second) = (all_pass(&pick(false)), all_pass(&pick(true)));
        for factor in [1.0, -1.0] {
            let sum = AllPassSum { first: first.clone(), second: second.clone(), sign, factor };
            let after = sum.clone();
            if let Ok(found) = accept(sum, FORM, filter, &after, 0.0) {
                return Ok(found);
            }
        }
    }
    refused(
        "it is there for Butterworth, Chebyshev and elliptic filters with a peak gain of 1 and an odd order \
         (band types: half their order odd)",
    )
}
