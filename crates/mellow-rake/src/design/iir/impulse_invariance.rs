//! Impulse invariance: samples of the analogue impulse response.

use super::analogue::Transformed;
use crate::design::DesignError;
use crate::filter::complex::modulus;
use crate::filter::{Transfer, ZerosPolesGain, paired};
use num_complex::Complex64;

/// H(z) = Σ r_k/(1 − p_k·z⁻¹) + constant
struct PartialFractions {
    poles: Vec<Complex64>,
    residues: Vec<Complex64>,
    constant: f64,
}

impl PartialFractions {
    fn value(&self, z: Complex64) -> Complex64 {
        let terms = self.residues.iter().zip(&self.poles);
        terms.fold(Complex64::new(self.constant, 0.0), |sum, (r, p)| sum + r * z / (z - p))
    }

    fn slope(&self, z: Complex64) -> Complex64 {
        let terms = self.residues.iter().zip(&self.poles);
        terms.fold(Complex64::new(0.0, 0.0), |sum, (r, p)| sum - r * p / ((z - p) * (z - p)))
    }

    /// The zeros other than those at the origin, by the Ehrlich-Aberth iteration on the fractions themselves:
    /// with G(z) = H(z)·∏(z − p)/z^m, G'/G = H'/H + Σ 1/(z − p) − m/z. No polynomial is ever formed.
    fn zeros(&self, count: usize, at_origin: usize) -> Option<Vec<Complex64>> {
        let one = Complex64::new(1.0, 0.0);
        let mut zeros: Vec<Complex64> = (0..count)
            .map(|k| {
                let angle = std::f64::consts::TAU * (k as f64 + 0.35) / count as f64;
                Complex64::new(libm::cos(angle), libm::sin(angle)) * 1.1
            })
            .collect();
        for _ in 0..500 {
            let mut moved: f64 = 0.0;
            for k in 0..count {
                let z = zeros[k];
                let value = self.value(z);
                if modulus(value) == 0.0 {
                    continue;
                }
                let poles: Complex64 = self.poles.iter().map(|p| one / (z - p)).sum();
                let ratio = self.slope(z) / value + poles - one * at_origin as f64 / z;
                let others: Complex64 = (0..count)
                    .filter(|&other| other != k)
                    .map(|other| one / (z - zeros[other]))
                    .sum();
                let step = one / (ratio - others);
                zeros[k] = z - step;
                moved = moved.max(modulus(step) / modulus(z));
            }
            if moved.is_nan() {
                return None;
            }
            if moved < 1e-13 {
                break;
            }
        }
        let exact = |z: Complex64| {
            if z.im.abs() <= 1e-9 * modulus(z) { Complex64::new(z.re, 0.0) } else { z }
        };
        paired(zeros.into_iter().map(exact).collect())
    }
}

/// The digital filter whose impulse response is the analogue one, sampled every `period` seconds and
/// multiplied with it.
///
/// An analogue filter with one pole more than zeros jumps at time zero; there the sample is the middle of the
/// jump (Jackson, *A correction to impulse invariance*, 2000). Everything above the Nyquist frequency folds
/// back.
///
/// # Errors
/// [`DesignError::NoImpulseInvariance`] for filters that pass infinite frequency, and where the sum of
/// residues has lost the filter.
pub(super) fn impulse_invariant(
    analogue: &Transformed,
    period: f64,
) -> Result<ZerosPolesGain, DesignError> {
    let refused = |why| Err(DesignError::NoImpulseInvariance { why });
    let Transformed { zeros, poles, gain } = analogue;
    if zeros.len() >= poles.len() {
        return refused(
            "it passes infinite frequency, so its impulse response holds an impulse that has no sample",
        );
    }
    let residue = |k: usize| {
        let p = poles[k];
        let mut product = Complex64::new(gain * period, 0.0);
        let mut others = poles.iter().enumerate().filter(|(other, _)| *other != k);
        for index in 0..poles.len() {
            if let Some(zero) = zeros.get(index) {
                product *= p - zero;
            }
            if let Some((_, other)) = others.next() {
                product /= p - other;
            }
        }
        product
    };
    let jumps = zeros.len() + 1 == poles.len();
    let residues: Vec<Complex64> = (0..poles.len()).map(residue).collect();
    let digital = |p: &Complex64| {
        let size = libm::exp(p.re * period);
        let angle = p.im * period;
        Complex64::new(libm::cos(angle), libm::sin(angle)) * size
    };
    let sum: f64 = residues.iter().map(|r| r.re).sum();
    let fractions = PartialFractions {
        poles: poles.iter().map(digital).collect(),
        constant: if jumps { -sum / 2.0 } else { 0.0 },
        residues,
    };
    let order = poles.len();
    // With a jump all zeros are free; without, the first sample is zero (one zero less than poles) and one
    // zero is at the origin.
    let (free, at_origin) = if jumps { (order, 0) } else { (order - 2, 1) };
    let lost = "its residues cancel beyond double precision";
    let Some(mut all) = fractions.zeros(free, at_origin) else {
        return refused(lost);
    };
    all.extend(vec![Complex64::new(0.0, 0.0); at_origin]);
    let mut filter = ZerosPolesGain { zeros: all, poles: fractions.poles.clone(), gain: 1.0 };
    // The gain from where the response is largest; then both are compared.
    let angles: Vec<f64> = (0..=1024)
        .map(|k| std::f64::consts::PI * f64::from(k) / 1024.0)
        .chain(filter.poles.iter().map(|p| libm::atan2(p.im, p.re).abs()))
        .collect();
    let turn = |omega: f64| Complex64::new(libm::cos(omega), libm::sin(omega));
    let largest = |a: &f64, b: &f64| {
        let size = |omega: f64| modulus(fractions.value(turn(omega)));
        size(*a).total_cmp(&size(*b))
    };
    let at = angles.iter().copied().max_by(largest).unwrap_or(0.0);
    let ratio = fractions.value(turn(at)) / filter.response(at);
    filter.gain = libm::copysign(modulus(ratio), ratio.re);
    let peak = modulus(fractions.value(turn(at)));
    let apart = |omega: &f64| modulus(fractions.value(turn(*omega)) - filter.response(*omega));
    let change = angles
        .iter()
        .map(apart)
        .fold(0.0, |m: f64, a| if a.is_nan() { f64::MAX } else { m.max(a) });
    if change > 1e-7 * peak {
        return refused(lost);
    }
    Ok(filter)
}
