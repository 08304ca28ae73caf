//! Second-order sections, and running them in f64.

use super::phase::polynomial_delay;
use super::{Landmark, LinearSystem, PhaseResponse, Transfer};
use num_complex::Complex64;
use serde::Serialize;

/// H(z) = (b\[0\] + b\[1\] z⁻¹ + b\[2\] z⁻²)/(1 + a\[0\] z⁻¹ + a\[1\] z⁻²).
#[derive(Debug, Clone, Copy, PartialEq, Serialize)]
pub struct Section {
    /// b0, b1, b2.
    pub b: [f64; 3],
    /// a1, a2.
    pub a: [f64; 2],
}

impl Section {
    /// Whether both poles lie inside the unit circle (the stability triangle of a1 and a2).
    pub fn is_stable(&self) -> bool {
        let [a1, a2] = self.a;
        a2.abs() < 1.0 && a1.abs() < 1.0 + a2
    }

    /// H at w = e^{−jω}.
    pub fn response(&self, w: Complex64) -> Complex64 {
        let Section { b, a } = self;
        ((w * b[2] + b[1]) * w + b[0]) / ((w * a[1] + a[0]) * w + 1.0)
    }

    /// The larger of the two distances of the poles from the origin.
    pub fn pole_radius(&self) -> f64 {
        let [a1, a2] = self.a;
        let discriminant = a1 * a1 / 4.0 - a2;
        if discriminant < 0.0 {
            libm::sqrt(a2)
        } else {
            (a1 / 2.0).abs() + libm::sqrt(discriminant)
        }
    }
}

/// Sections one after the other; H is their product.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[serde(transparent)]
pub struct Sections(pub Vec<Section>);

impl Sections {
    /// Whether all poles lie inside the unit circle.
    pub fn is_stable(&self) -> bool {
        self.0.iter().all(Section::is_stable)
    }

    /// A filter in the zero state that runs these sections in f64.
    pub fn start(&self) -> RunningSections {
        RunningSections { sections: self.clone(), state: vec![0.0; 4 * self.0.len()] }
    }
}

impl Transfer for Sections {
    fn response(&self, omega: f64) -> Complex64 {
        let w = Complex64::new(libm::cos(omega), -libm::sin(omega));
        self.0.iter().fold(Complex64::new(1.0, 0.0), |h, section| h * section.response(w))
    }
}

impl PhaseResponse for Sections {
    fn group_delay(&self, omega: f64) -> f64 {
        let one = |Section { b, a: [a1, a2] }: &Section| {
            polynomial_delay(b, omega) - polynomial_delay(&[1.0, *a1, *a2], omega)
        };
        self.0.iter().map(one).sum()
    }

    fn phase(&self, omegas: &[f64]) -> Vec<f64> {
        crate::convert::from_sections(self).phase(omegas)
    }

    fn landmarks(&self) -> Vec<Landmark> {
        crate::convert::from_sections(self).landmarks()
    }
}

/// Sections at work in f64, direct form I: the floating-point reference.
///
/// ```
/// use mellow_rake::filter::{Section, Sections};
/// let mut filter = Sections(vec![Section { b: [0.5, 0.0, 0.0], a: [-0.5, 0.0] }]).start();
/// assert_eq!([1.0, 0.0, 0.0].map(|x| filter.step(x)), [0.5, 0.25, 0.125]);
/// ```
#[derive(Debug, Clone)]
pub struct RunningSections {
    sections: Sections,
    /// x[n−1], x[n−2], y[n−1], y[n−2] of each section.
    state: Vec<f64>,
}

fn advance(sections: &Sections, state: &mut [f64], input: f64) -> f64 {
    let mut x = input;
    for (Section { b, a }, s) in sections.0.iter().zip(state.chunks_exact_mut(4)) {
        let y = b[0] * x + b[1] * s[0] + b[2] * s[1] - a[0] * s[2] - a[1] * s[3];
        (s[0], s[1], s[2], s[3]) = (x, s[0], y, s[2]);
        x = y;
    }
    x
}

impl RunningSections {
    /// One sample.
    pub fn step(&mut self, input: f64) -> f64 {
        advance(&self.sections, &mut self.state, input)
    }

    /// A whole signal.
    pub fn run(&mut self, input: &[f64]) -> Vec<f64> {
        input.iter().map(|&x| self.step(x)).collect()
    }
}

/// Sections as a linear system observed at their output, for proofs about them.
impl LinearSystem for Sections {
    fn states(&self) -> usize {
        4 * self.0.len()
    }
    fn observed(&self) -> usize {
        1
    }
    fn step(&mut self, state: &mut [f64], drive: f64, seen: &mut [f64]) {
        seen[0] = advance(self, state, drive);
    }
    fn step_absolute(&mut self, state: &mut [f64], drive: f64, seen: &mut [f64]) {
        let absolute = Sections(
            self.0
                .iter()
                .map(|s| Section { b: s.b.map(f64::abs), a: s.a.map(|a| -a.abs()) })
                .collect(),
        );
        seen[0] = advance(&absolute, state, drive);
    }
    fn operations(&self) -> usize {
        10 * self.0.len()
    }
    fn finite(&self) -> Option<usize> {
        self.0.iter().all(|s| s.a == [0.0; 2]).then_some(4 * self.0.len())
    }
}
