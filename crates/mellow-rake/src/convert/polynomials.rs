//! One fraction of two polynomials.

use super::loss::{ConvertError, Converted, LARGEST_SHIFT, Loss, accept, best_zeros, pole_shift};
use crate::filter::{
    Transfer, ZerosPolesGain, confluent_roots, polynomial_from_roots, polynomial_roots,
};
use num_complex::Complex64;

/// H(z) = (b0 + b1 z⁻¹ + …)/(1 + a1 z⁻¹ + …).
#[derive(Debug, Clone, PartialEq)]
#[cfg_attr(feature = "serde", derive(serde::Serialize))]
pub struct Polynomials {
    /// b0, b1, …
    pub b: Vec<f64>,
    /// 1, a1, …
    pub a: Vec<f64>,
}

impl Transfer for Polynomials {
    fn response(&self, omega: f64) -> Complex64 {
        let w = Complex64::new(libm::cos(omega), -libm::sin(omega));
        let value = |c: &[f64]| c.iter().rev().fold(Complex64::new(0.0, 0.0), |sum, c| sum * w + c);
        value(&self.b) / value(&self.a)
    }
}

/// The filter as one fraction.
///
/// # Errors
/// [`ConvertError::LosesPoles`] when rounding the coefficients alone can move a pole by more than a
/// thousandth of its distance from the unit circle.
///
/// ```
/// use mellow_rake::convert::to_polynomials;
/// use mellow_rake::filter::ZerosPolesGain;
/// use num_complex::Complex64;
/// let real = |re| Complex64::new(re, 0.0);
/// let filter = ZerosPolesGain { zeros: vec![real(-1.0)], poles: vec![real(0.5)], gain: 0.25 };
/// let polynomials = to_polynomials(&filter)?.form;
/// assert_eq!((polynomials.b, polynomials.a), (vec![0.25, 0.25], vec![1.0, -0.5]));
/// # Ok::<(), mellow_rake::convert::ConvertError>(())
/// ```
pub fn to_polynomials(filter: &ZerosPolesGain) -> Result<Converted<Polynomials>, ConvertError> {
    let a = polynomial_from_roots(&filter.poles);
    let shift = pole_shift(&filter.poles, &a);
    if shift.is_nan() || shift > LARGEST_SHIFT {
        return Err(ConvertError::LosesPoles { order: filter.poles.len(), shift });
    }
    let mut b = vec![0.0; filter.poles.len().saturating_sub(filter.zeros.len())];
    b.extend(polynomial_from_roots(&filter.zeros).iter().map(|b| b * filter.gain));
    let polynomials = Polynomials { b, a };
    let after = polynomials.clone();
    accept(polynomials, "fraction of two polynomials", filter, &after, shift)
}

/// The largest change of the response that is accepted when a fraction is read, over its peak: what was
/// printed within [`LARGEST_CHANGE`](super::loss::LARGEST_CHANGE) is off by several times that when its roots
/// are found again. What it was is told.
const LARGEST_READ: f64 = 1e-4;

/// Zeros, poles and gain of a fraction.
///
/// # Errors
/// [`ConvertError`] when the roots cannot be found, or when the coefficients do not fix the poles to a
/// thousandth of their distance from the unit circle.
pub fn from_polynomials(given: &Polynomials) -> Result<Converted<ZerosPolesGain>, ConvertError> {
    let a0 = given.a.first().copied().unwrap_or(0.0);
    let first = given.b.iter().position(|b| *b != 0.0);
    let (Some(first), true) = (first, a0 != 0.0 && a0.is_finite()) else {
        let why = "a0 and some b must be finite and other than 0";
        return Err(ConvertError::NotThere { form: "zeros and poles", why });
    };
    // In powers of z both polynomials have the same degree: the shorter one goes on with zeros.
    let length = given.a.len().max(given.b.len());
    let padded = |c: &[f64]| {
        let mut c = c.to_vec();
        c.resize(length, 0.0);
        c
    };
    let (a, b) = (padded(&given.a), padded(&given.b));
    let poles = polynomial_roots(&a)?;
    let monic: Vec<f64> = given.a.iter().map(|a| a / a0).collect();
    let poles_not_zero: Vec<Complex64> =
        poles.iter().copied().filter(|p| p.re != 0.0 || p.im != 0.0).collect();
    let shift = pole_shift(&poles_not_zero, &monic);
    if shift.is_nan() || shift > LARGEST_SHIFT {
        return Err(ConvertError::LosesPoles { order: given.a.len() - 1, shift });
    }
    let gain = given.b[first] / a0;
    let Some((filter, response)) = best_zeros(confluent_roots(&b)?, &poles, gain, given) else {
        let why = "its zeros were not found";
        return Err(ConvertError::NotThere { form: "zeros and poles", why });
    };
    let form = "set of zeros and poles";
    if response.is_nan() || response > LARGEST_READ {
        return Err(ConvertError::LosesResponse { form, change: response });
    }
    Ok(Converted { form: filter, loss: Loss { response, poles: shift } })
}
