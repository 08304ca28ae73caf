//! Sums: parallel sections, and two all-passes.

use super::loss::{ConvertError, Converted, accept};
use crate::filter::complex::modulus;
use crate::filter::{Section, Transfer, ZerosPolesGain};
use num_complex::Complex64;
use serde::Serialize;

/// H(z) = constant + Σ sections, each (b0 + b1 z⁻¹)/(1 + a1 z⁻¹ + a2 z⁻²).
#[derive(Debug, Clone, PartialEq, Serialize)]
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
/// [`ConvertError`] for poles that coincide or stand at the origin, more zeros than poles, and where the residues
/// cancel so much that the response is lost (narrow filters of high order).
pub fn to_parallel(filter: &ZerosPolesGain) -> Result<Converted<Parallel>, ConvertError> {
    const FORM: &str = "sum of parallel sections";
    let ZerosPolesGain { zeros, poles, gain } = filter;
    let refused = |why| Err(ConvertError::NotThere { form: FORM, why });
    if zeros.len() > poles.len() {
        return refused("there are more zeros than poles; a cascade would do");
    }
    if poles.iter().any(|p| modulus(*p) < 1e-9) {
        return refused("a pole stands at the origin; a cascade would do");
    }
    let apart = |k: usize| {
        let others = poles.iter().enumerate().filter(|(other, _)| *other != k);
        others.map(|(_, p)| modulus(p - poles[k])).fold(f64::INFINITY, f64::min)
    };
    if (0..poles.len()).any(|k| apart(k) < 1e-9) {
        return refused("two poles coincide; a cascade would do");
    }
    // H(z) = Σ r_k/(1 − p_k z⁻¹) + constant. With H = gain·∏(z − zeros)/∏(z − poles) and as many zeros as poles:
    // H(∞) = gain = constant + Σ r_k, H(0) = constant.
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

/// H(z) = (A₁(z) ± A₂(z))/2 with two stable all-passes; the other sign gives the complement.
#[derive(Debug, Clone, PartialEq, Serialize)]
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

/// The filter as half the sum or difference of two all-passes (Vaidyanathan, Mitra & Neuvo, *A new approach to the
/// realization of low-sensitivity IIR digital filters*, 1986): there for Butterworth, Chebyshev and elliptic filters whose
/// prototype has odd order.
///
/// The poles of a low-pass or high-pass filter go to the branches in turn, by rising angle; those of band types, whose
/// prototype poles each became two, likewise from one edge to the other. What comes out is compared with the filter.
///
/// # Errors
/// [`ConvertError::NotThere`] where no split of the poles gives the filter.
pub fn to_all_pass_sum(filter: &ZerosPolesGain) -> Result<Converted<AllPassSum>, ConvertError> {
    const FORM: &str = "sum of two all-passes";
    let mut upper: Vec<Complex64> = filter.poles.iter().copied().filter(|p| p.im >= 0.0).collect();
    let angle = |p: &Complex64| libm::atan2(p.im, p.re);
    upper.sort_by(|a, b| angle(a).total_cmp(&angle(b)));
    // In turn from one end; and, for filters with two edges, in turn from both ends with the middle ones together.
    let half = upper.len().div_ceil(2);
    let in_turn = |k: usize| k.is_multiple_of(2);
    let mirrored = |k: usize| k.min(upper.len() - 1 - k).is_multiple_of(2);
    let crossed =
        |k: usize| if k < half { k.is_multiple_of(2) } else { (upper.len() - 1 - k) % 2 == 1 };
    let splits: [&dyn Fn(usize) -> bool; 3] = [&in_turn, &mirrored, &crossed];
    for split in splits {
        let pick = |wanted: bool| -> Vec<Complex64> {
            let own = upper.iter().enumerate().filter(|(k, _)| split(*k) == wanted);
            own.map(|(_, p)| *p).collect()
        };
        let (first, second) = (all_pass(&pick(true)), all_pass(&pick(false)));
        for (sign, factor) in [(1.0, 1.0), (-1.0, 1.0), (1.0, -1.0), (-1.0, -1.0)] {
            let sum = AllPassSum { first: first.clone(), second: second.clone(), sign, factor };
            let after = sum.clone();
            if let Ok(found) = accept(sum, FORM, filter, &after, 0.0) {
                return Ok(found);
            }
        }
    }
    let why = "it is there for Butterworth, Chebyshev and elliptic filters with a peak gain of 1 and an odd order \
               (band types: half their order odd)";
    Err(ConvertError::NotThere { form: FORM, why })
}
