//! Lattice and ladder: reflection coefficients and the taps that combine what the stages give.

use super::loss::{ConvertError, Converted, accept};
use super::{Polynomials, from_polynomials, to_polynomials};
use crate::filter::{Section, ZerosPolesGain};

/// Reflection coefficients k_1 … k_N and ladder taps v_0 … v_N.
#[derive(Debug, Clone, PartialEq)]
#[cfg_attr(feature = "serde", derive(serde::Serialize))]
pub struct LatticeLadder {
    /// k_1 … k_N; the filter is stable if and only if all are smaller than 1 in size.
    pub reflection: Vec<f64>,
    /// v_0 … v_N.
    pub ladder: Vec<f64>,
}

/// From a fraction of two polynomials (A. H. Gray & J. D. Markel, "Digital lattice and ladder filter
/// synthesis", 1973, section III).
///
/// Stage by stage the last coefficient of the denominator is the reflection coefficient, and the next lower
/// denominator follows from a' = (a − k·reversed a)/(1 − k²); the numerator loses its last tap times the
/// reversed denominator.
fn step_down(polynomials: &Polynomials) -> LatticeLadder {
    let Polynomials { a, b } = polynomials;
    let (mut a, mut b) = (a.clone(), b.clone());
    let length = a.len().max(b.len());
    a.resize(length, 0.0);
    b.resize(length, 0.0);
    let order = length - 1;
    let mut lattice = LatticeLadder { reflection: vec![0.0; order], ladder: vec![0.0; order + 1] };
    for m in (1..=order).rev() {
        let reversed: Vec<f64> = a.iter().rev().copied().collect();
        let (tap, k) = (b[m], a[m]);
        lattice.ladder[m] = tap;
        lattice.reflection[m - 1] = k;
        for (b, r) in b.iter_mut().zip(&reversed) {
            *b -= tap * r;
        }
        b.truncate(m);
        a = (0..m).map(|i| (a[i] - k * reversed[i]) / (1.0 - k * k)).collect();
    }
    lattice.ladder[0] = b[0];
    lattice
}

/// Back to polynomials, stage by stage upward.
fn step_up(lattice: &LatticeLadder) -> Polynomials {
    let mut a = vec![1.0];
    let mut b = vec![lattice.ladder[0]];
    for (k, tap) in lattice.reflection.iter().zip(&lattice.ladder[1..]) {
        let mut longer = a.clone();
        longer.push(0.0);
        let reversed: Vec<f64> = longer.iter().rev().copied().collect();
        a = longer.iter().zip(&reversed).map(|(a, r)| a + k * r).collect();
        b.push(0.0);
        for (b, a) in b.iter_mut().zip(a.iter().rev()) {
            *b += tap * a;
        }
    }
    Polynomials { a, b }
}

/// The filter as one lattice with its ladder.
///
/// # Errors
/// [`ConvertError`] where the polynomials that lie between lose the filter: [`section_to_lattice`] keeps it;
/// and for an unstable filter, which has none.
///
/// ```
/// use mellow_rake::convert::{from_lattice, to_lattice};
/// use mellow_rake::filter::ZerosPolesGain;
/// use num_complex::Complex64;
/// let real = |re| Complex64::new(re, 0.0);
/// let filter = ZerosPolesGain { zeros: vec![real(-1.0); 2], poles: vec![real(0.5), real(0.25)],
///     gain: 0.25 };
/// let lattice = to_lattice(&filter)?.form;
/// // The last coefficient is the product of the poles.
/// assert!((lattice.reflection[1] - 0.125).abs() < 1e-15);
/// assert!((from_lattice(&lattice)?.form.gain - 0.25).abs() < 1e-15);
/// # Ok::<(), mellow_rake::convert::ConvertError>(())
/// ```
pub fn to_lattice(filter: &ZerosPolesGain) -> Result<Converted<LatticeLadder>, ConvertError> {
    const FORM: &str = "lattice";
    let found = to_polynomials(filter)?;
    let lattice = step_down(&found.form);
    if !lattice.reflection.iter().all(|k| k.abs() < 1.0) {
        let why = "only a stable filter has reflection coefficients below 1";
        return Err(ConvertError::NotThere { form: FORM, why });
    }
    let after = step_up(&lattice);
    accept(lattice, FORM, filter, &after, found.loss.poles)
}

/// Zeros, poles and gain of a lattice with its ladder.
///
/// # Errors
/// [`ConvertError`] where the polynomials that lie between do not fix them.
pub fn from_lattice(lattice: &LatticeLadder) -> Result<Converted<ZerosPolesGain>, ConvertError> {
    if lattice.ladder.len() != lattice.reflection.len() + 1 {
        let why = "the ladder has one tap more than there are reflection coefficients";
        return Err(ConvertError::NotThere { form: "set of zeros and poles", why });
    }
    from_polynomials(&step_up(lattice))
}

/// A section as a lattice of two stages, exactly.
///
/// ```
/// use mellow_rake::convert::{lattice_to_section, section_to_lattice};
/// use mellow_rake::filter::Section;
/// let section = Section { b: [0.5, 0.25, 0.125], a: [-1.5, 0.75] };
/// let back = lattice_to_section(&section_to_lattice(&section));
/// assert!(back.b.iter().zip(section.b).all(|(x, y)| (x - y).abs() < 1e-15));
/// ```
pub fn section_to_lattice(section: &Section) -> LatticeLadder {
    let Section { b: [b0, b1, b2], a: [a1, a2] } = *section;
    let k1 = a1 / (1.0 + a2);
    let v1 = b1 - b2 * a1;
    LatticeLadder { reflection: vec![k1, a2], ladder: vec![b0 - b2 * a2 - v1 * k1, v1, b2] }
}

/// The section of a lattice of two stages; missing coefficients are zero.
pub fn lattice_to_section(lattice: &LatticeLadder) -> Section {
    let k = |m: usize| lattice.reflection.get(m).copied().unwrap_or(0.0);
    let v = |m: usize| lattice.ladder.get(m).copied().unwrap_or(0.0);
    let (a1, a2) = (k(0) * (1.0 + k(1)), k(1));
    let b1 = v(1) + v(2) * a1;
    Section { b: [v(0) + v(1) * k(0) + v(2) * a2, b1, v(2)], a: [a1, a2] }
}
