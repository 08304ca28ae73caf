//! What the words of a filter would do to it as one fraction b/a instead of a cascade.

use super::PoleMove;
use super::pole_moves::pair_up;
use crate::filter::ZerosPolesGain;
use crate::filter::complex::modulus;
use crate::filter::{Form, polynomial_from_roots, polynomial_roots};
use crate::fixed::{CoefficientFormat, round_coefficients};

/// The poles of a filter whose denominator is one polynomial in words.
#[derive(Debug, Clone, PartialEq)]
#[non_exhaustive]
pub struct OnePolynomial {
    /// Its degree.
    pub order: usize,
    /// The largest coefficient in size.
    pub largest: f64,
    /// The fraction of the words that holds it.
    pub fraction: i32,
    /// Poles on or outside the unit circle: the filter would be unstable.
    pub outside: usize,
    /// The largest radius of a pole.
    pub radius: f64,
    /// The pole that moved the largest share of its distance from the circle.
    pub most_moved: Option<PoleMove>,
}

/// Multiplies the denominators of a cascade out and rounds the product to words of this width and sign, with
/// the fraction that holds all coefficients; `None` for taps, for a single section, and where the poles of
/// the rounded polynomial are not found.
///
/// A small change of a coefficient moves a root by that change over the product of its distances from all
/// others (J. F. Kaiser, "Some practical considerations in the realization of linear digital filters", 1965):
/// the more poles lie together, the more bits it takes.
///
/// ```
/// use mellow_rake::response::one_polynomial;
/// use mellow_rake::{design::design, spec::{Spec, template}};
/// let spec = Spec::parse(template("lowpass").unwrap())?;
/// let form = design(&spec)?.form;
/// // Five poles near 1: their polynomial needs more than the two whole bits of a section.
/// let found = one_polynomial(&form, "s16".parse()?).unwrap();
/// assert!(found.order == 5 && found.largest > 8.0 && found.fraction <= 12);
/// # Ok::<(), Box<dyn std::error::Error>>(())
/// ```
pub fn one_polynomial(designed: &Form, asked: CoefficientFormat) -> Option<OnePolynomial> {
    let sections = designed.sections().filter(|sections| sections.0.len() > 1)?;
    let poles = ZerosPolesGain::from_sections(sections).poles;
    let poles: Vec<_> = poles.into_iter().filter(|pole| modulus(*pole) > 0.0).collect();
    let a = polynomial_from_roots(&poles);
    let rounded =
        round_coefficients(std::slice::from_ref(&a), CoefficientFormat { fraction: None, ..asked });
    let rounded = rounded.ok()?;
    let used: Vec<f64> = rounded.values(0).collect();
    let degree = used.iter().rposition(|value| *value != 0.0)?;
    let found = polynomial_roots(&used[..=degree]).ok()?;
    let upper = |roots: &[num_complex::Complex64]| {
        roots.iter().copied().filter(|root| root.im >= 0.0).collect::<Vec<_>>()
    };
    let radii = found.iter().map(|root| modulus(*root));
    Some(OnePolynomial {
        order: poles.len(),
        largest: a.iter().fold(0.0, |most, value| most.max(value.abs())),
        fraction: rounded.format.fraction(),
        outside: radii.clone().filter(|radius| *radius >= 1.0).count(),
        radius: radii.fold(0.0, f64::max),
        most_moved: pair_up(upper(&poles), upper(&found)).first().copied(),
    })
}
