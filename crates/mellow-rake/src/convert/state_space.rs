//! State space.

use super::loss::{ConvertError, Converted, accept};
use crate::filter::complex::modulus;
use crate::filter::{Section, Sections, Transfer, ZerosPolesGain};
use nalgebra::{DMatrix, DVector};
use num_complex::Complex64;

/// s\[n+1\] = A·s\[n\] + B·x\[n\], y\[n\] = C·s\[n\] + D·x\[n\].
#[derive(Debug, Clone, PartialEq)]
#[cfg_attr(feature = "serde", derive(serde::Serialize))]
pub struct StateSpace {
    /// Row by row.
    pub a: Vec<Vec<f64>>,
    /// A column.
    pub b: Vec<f64>,
    /// A row.
    pub c: Vec<f64>,
    /// From input to output directly.
    pub d: f64,
}

impl StateSpace {
    fn matrix(&self) -> DMatrix<f64> {
        let size = self.b.len();
        DMatrix::from_fn(size, size, |i, j| self.a[i][j])
    }
}

impl Transfer for StateSpace {
    /// C·(zI − A)⁻¹·B + D
    fn response(&self, omega: f64) -> Complex64 {
        let z = Complex64::new(libm::cos(omega), libm::sin(omega));
        let size = self.b.len();
        let matrix = DMatrix::from_fn(size, size, |i, j| {
            let own = if i == j { z } else { Complex64::new(0.0, 0.0) };
            own - self.a[i][j]
        });
        let right = DVector::from_fn(size, |i, _| Complex64::new(self.b[i], 0.0));
        let nowhere = || DVector::from_element(size, Complex64::new(f64::NAN, 0.0));
        let states = matrix.lu().solve(&right).unwrap_or_else(nowhere);
        states.iter().zip(&self.c).fold(Complex64::new(self.d, 0.0), |sum, (s, c)| sum + s * *c)
    }
}

/// The filter in state space: its sections one after the other, two states each, one for first order
/// (transposed direct form II).
///
/// A is block triangular with the sections' own coefficients in it, so that its eigenvalues are the poles, as
/// they were.
///
/// # Errors
/// [`ConvertError::LosesResponse`]
pub fn to_state_space(
    filter: &ZerosPolesGain,
    sections: &Sections,
) -> Result<Converted<StateSpace>, ConvertError> {
    let is_first_order = |section: &Section| section.b[2] == 0.0 && section.a[1] == 0.0;
    let states = |section: &Section| if is_first_order(section) { 1 } else { 2 };
    let size = sections.0.iter().map(states).sum();
    let mut first = 0;
    let mut space = StateSpace {
        a: vec![vec![0.0; size]; size],
        b: vec![0.0; size],
        c: vec![0.0; size],
        d: 1.0,
    };
    // What enters a section, as a row over the states and a share of the input.
    for section in &sections.0 {
        let Section { b, a } = section;
        let (row, share) = (space.c.clone(), space.d);
        // y = b0·u + s1; s1' = b1·u − a1·y + s2; s2' = b2·u − a2·y
        let more = [b[1] - a[0] * b[0], b[2] - a[1] * b[0]];
        for (k, more) in more.into_iter().enumerate().take(states(section)) {
            for (entry, r) in space.a[first + k].iter_mut().zip(&row) {
                *entry += more * r;
            }
            space.b[first + k] += more * share;
            space.a[first + k][first] -= a[k];
        }
        if !is_first_order(section) {
            space.a[first][first + 1] += 1.0;
        }
        space.c.iter_mut().for_each(|c| *c *= b[0]);
        space.c[first] += 1.0;
        space.d *= b[0];
        first += states(section);
    }
    let after = space.clone();
    accept(space, "state space", filter, &after, 0.0)
}

/// Zeros, poles and gain of a state space: poles are the eigenvalues of A; zeros those of A − B·C/D.
///
/// # Errors
/// [`ConvertError`] when D is zero (the zeros are then no eigenvalues), when the eigenvalues do not settle,
/// or when the response is lost.
pub fn from_state_space(space: &StateSpace) -> Result<Converted<ZerosPolesGain>, ConvertError> {
    const FORM: &str = "set of zeros and poles";
    let size = space.b.len();
    if space.c.len() != size || space.a.len() != size || space.a.iter().any(|r| r.len() != size) {
        let why = "A must be square, with as many rows as B and C have entries";
        return Err(ConvertError::NotThere { form: FORM, why });
    }
    if space.d == 0.0 {
        let why = "D is zero; a filter that answers at once has zeros that are eigenvalues";
        return Err(ConvertError::NotThere { form: FORM, why });
    }
    let roots = |matrix: DMatrix<f64>| -> Result<Vec<Complex64>, ConvertError> {
        let why = "the eigenvalues did not settle";
        let schur = nalgebra::Schur::try_new(matrix, f64::EPSILON, 10_000)
            .ok_or(ConvertError::NotThere { form: FORM, why })?;
        let all: Vec<Complex64> = schur.complex_eigenvalues().iter().copied().collect();
        let exact = all.into_iter().map(|z| {
            let real = z.im.abs() <= 1e-14 * modulus(z);
            if real { Complex64::new(z.re, 0.0) } else { z }
        });
        crate::filter::paired(exact.collect()).ok_or(ConvertError::NotThere { form: FORM, why })
    };
    let poles = roots(space.matrix())?;
    let back =
        DMatrix::from_fn(size, size, |i, j| space.a[i][j] - space.b[i] * space.c[j] / space.d);
    let filter = ZerosPolesGain { zeros: roots(back)?, poles, gain: space.d };
    accept(filter.clone(), FORM, &filter, space, 0.0)
}

/// The same through sections: for filters that are there as sections only.
pub fn sections_to_state_space(sections: &Sections) -> Result<Converted<StateSpace>, ConvertError> {
    to_state_space(&ZerosPolesGain::from_sections(sections), sections)
}
