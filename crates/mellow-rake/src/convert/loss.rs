//! What a conversion loses.

use crate::filter::complex::modulus;
use crate::filter::{Transfer, ZerosPolesGain};
use num_complex::Complex64;
use std::f64::consts::PI;

/// What a conversion lost.
#[derive(Debug, Clone, Copy, PartialEq)]
#[cfg_attr(feature = "serde", derive(serde::Serialize))]
#[non_exhaustive]
pub struct Loss {
    /// The largest change of the complex response, over its peak.
    pub response: f64,
    /// The largest shift of a pole over its distance from the unit circle, as the rounding of the new numbers
    /// can cause it; 0 where the form keeps the poles as they are.
    pub poles: f64,
}

/// A filter in another form, with what the way there lost.
#[derive(Debug, Clone, PartialEq)]
#[cfg_attr(feature = "serde", derive(serde::Serialize))]
#[non_exhaustive]
pub struct Converted<T> {
    /// The new form.
    pub form: T,
    /// What was lost.
    pub loss: Loss,
}

/// Angles that show what a filter does: an even grid, and the angle of every root and its surroundings.
pub(super) fn angles(roots: &[Complex64]) -> Vec<f64> {
    const GRID: u32 = 1024;
    let mut all: Vec<f64> = (0..=GRID).map(|k| PI * f64::from(k) / f64::from(GRID)).collect();
    for root in roots {
        let (angle, distance) = (libm::atan2(root.im, root.re).abs(), (1.0 - modulus(*root)).abs());
        all.extend([-1.0, -0.3, 0.0, 0.3, 1.0].map(|k| (angle + k * distance).clamp(0.0, PI)));
    }
    all
}

/// The largest difference of two responses over the peak of the first.
pub(super) fn response_change(
    before: &dyn Transfer,
    after: &dyn Transfer,
    poles: &[Complex64],
) -> f64 {
    let (mut peak, mut change) = (0.0f64, 0.0f64);
    for omega in angles(poles) {
        let (a, b) = (before.response(omega), after.response(omega));
        peak = peak.max(modulus(a));
        // A NaN must not pass for no change.
        let apart = modulus(a - b);
        change = if apart.is_nan() { f64::INFINITY } else { change.max(apart) };
    }
    change / peak
}

/// Of several sets of zeros the one with which a filter changes least, and how much that is; `None` where
/// there is none.
pub(super) fn best_zeros(
    sets: Vec<Vec<Complex64>>,
    poles: &[Complex64],
    gain: f64,
    before: &dyn Transfer,
) -> Option<(ZerosPolesGain, f64)> {
    let with = |zeros| {
        let filter = ZerosPolesGain { zeros, poles: poles.to_vec(), gain };
        let change = response_change(before, &filter, poles);
        (filter, change)
    };
    // A NaN comes last.
    sets.into_iter().map(with).min_by(|a, b| a.1.abs().total_cmp(&b.1.abs()))
}

/// The largest shift of a pole over its distance from the circle when every coefficient of the monic
/// polynomial with these roots (highest power first) is off by half a unit in the last place:
/// Σ|a_k|·|p|^{n−k}·u/|a'(p)|.
pub(super) fn pole_shift(poles: &[Complex64], polynomial: &[f64]) -> f64 {
    let mut worst = 0.0;
    for (k, pole) in poles.iter().enumerate() {
        let size = modulus(*pole);
        let spread = polynomial.iter().fold(0.0, |sum, a| sum * size + a.abs());
        let slope = poles.iter().enumerate().filter(|(other, _)| *other != k);
        let slope = slope.fold(1.0, |product, (_, other)| product * modulus(pole - other));
        let shift = f64::EPSILON / 2.0 * spread / slope;
        // Poles at the origin are exact: they are powers of z⁻¹.
        if size > 0.0 {
            worst = f64::max(worst, shift / (1.0 - size).abs());
        }
    }
    worst
}

/// Why a filter has no such form.
#[derive(Debug, Clone, PartialEq, thiserror::Error)]
#[non_exhaustive]
pub enum ConvertError {
    /// Rounding the coefficients of one long polynomial moves the poles too far.
    #[error(
        "one polynomial of order {order} loses the poles: rounded to double precision its coefficients can \
         move a pole by {shift:.1e} of its distance from the unit circle; second-order sections keep them"
    )]
    LosesPoles {
        /// The order.
        order: usize,
        /// The largest shift over the distance from the circle.
        shift: f64,
    },
    /// The response changed.
    #[error(
        "the {form} changes the response by {change:.1e} of its peak; second-order sections keep it"
    )]
    LosesResponse {
        /// The form.
        form: &'static str,
        /// The largest change over the peak.
        change: f64,
    },
    /// Roots were not found.
    #[error(transparent)]
    Roots(#[from] crate::filter::RootsError),
    /// The form is not there for this filter.
    #[error("no {form}: {why}")]
    NotThere {
        /// The form.
        form: &'static str,
        /// What is in the way, and what would do.
        why: &'static str,
    },
}

/// What may be lost of a response before a conversion refuses.
pub(super) const LARGEST_CHANGE: f64 = 1e-6;
/// How far poles may move, over their distance from the circle.
pub(super) const LARGEST_SHIFT: f64 = 1e-3;

/// The same filter, accepted only if its response is.
pub(super) fn accept<T>(
    form: T,
    name: &'static str,
    filter: &ZerosPolesGain,
    after: &dyn Transfer,
    poles: f64,
) -> Result<Converted<T>, ConvertError> {
    let response = response_change(filter, after, &filter.poles);
    if response.is_nan() || response > LARGEST_CHANGE {
        return Err(ConvertError::LosesResponse { form: name, change: response });
    }
    Ok(Converted { form, loss: Loss { response, poles } })
}
