//! Second-order sections, and running them in f64.

use super::phase::polynomial_delay;
use super::{Landmark, LinearSystem, PhaseResponse, Transfer, ZerosPolesGain};
use num_complex::Complex64;

/// H(z) = (b\[0\] + b\[1\] z⁻¹ + b\[2\] z⁻²)/(1 + a\[0\] z⁻¹ + a\[1\] z⁻²).
#[derive(Debug, Clone, Copy, PartialEq)]
#[cfg_attr(feature = "serde", derive(serde::Serialize))]
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

    /// Σ|h| of its impulse response in f64, as far as that reaches: how much larger than any input its output
    /// can get.
    pub(crate) fn l1_norm(&self) -> f64 {
        let Section { b: [b0, b1, b2], a: [a1, a2] } = *self;
        let length = super::Form::from(Sections(vec![*self])).length();
        // Sample by sample, without keeping them: sections ring for millions.
        let mut sum = b0.abs();
        let (mut last, mut before) = (b0, 0.0);
        for n in 1..length {
            let input = match n {
                1 => b1,
                2 => b2,
                _ => 0.0,
            };
            let next = input - a1 * last - a2 * before;
            sum += next.abs();
            (last, before) = (next, last);
        }
        sum
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
#[derive(Debug, Clone, PartialEq)]
#[cfg_attr(feature = "serde", derive(serde::Serialize))]
#[cfg_attr(feature = "serde", serde(transparent))]
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
        ZerosPolesGain::from_sections(self).phase(omegas)
    }

    fn landmarks(&self) -> Vec<Landmark> {
        ZerosPolesGain::from_sections(self).landmarks()
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

    /// A whole signal, or the next block of one: the same numbers as sample by sample.
    pub fn run(&mut self, input: &[f64]) -> Vec<f64> {
        let mut signal = input.to_vec();
        self.run_in_place(&mut signal);
        signal
    }

    /// The next block of a signal, each sample replaced by the filter's answer to it.
    pub fn run_in_place(&mut self, signal: &mut [f64]) {
        let sections = self.sections.0.chunks(4);
        for (sections, state) in sections.zip(self.state.chunks_mut(16)) {
            match sections.len() {
                1 => Lanes::<1>::run(sections, state, signal),
                2 => Lanes::<2>::run(sections, state, signal),
                3 => Lanes::<3>::run(sections, state, signal),
                _ => Lanes::<4>::run(sections, state, signal),
            }
        }
    }
}

/// Sections at work at the same time, each on the sample that the one before it has just finished: none waits
/// for another, and the processor can take them side by side. Each does the same operations in the same order
/// as alone.
struct Lanes<const N: usize> {
    b: [[f64; N]; 3],
    a: [[f64; N]; 2],
    /// x[n−1], x[n−2], y[n−1], y[n−2].
    state: [[f64; N]; 4],
    /// What came out of each last.
    out: [f64; N],
}

impl<const N: usize> Lanes<N> {
    fn run(sections: &[Section], state: &mut [f64], signal: &mut [f64]) {
        let mut lanes = Lanes {
            b: std::array::from_fn(|i| std::array::from_fn(|k| sections[k].b[i])),
            a: std::array::from_fn(|i| std::array::from_fn(|k| sections[k].a[i])),
            state: std::array::from_fn(|i| std::array::from_fn(|k| state[4 * k + i])),
            out: [0.0; N],
        };
        let count = signal.len();
        // In step t section k has sample t − k; at both ends of the block some have none.
        let full = (N - 1).min(count)..count;
        for t in 0..full.start {
            lanes.step_some(signal, t);
        }
        for t in full.clone() {
            signal[t + 1 - N] = lanes.step(signal[t]);
        }
        for t in full.end..count + N - 1 {
            lanes.step_some(signal, t);
        }
        for (i, values) in lanes.state.iter().enumerate() {
            values.iter().enumerate().for_each(|(k, value)| state[4 * k + i] = *value);
        }
    }

    /// Every section on its sample.
    #[inline(always)]
    fn step(&mut self, input: f64) -> f64 {
        let mut x = [input; N];
        x[1..].copy_from_slice(&self.out[..N - 1]);
        let Lanes { b, a, state: [x1, x2, y1, y2], .. } = self;
        let y: [f64; N] = std::array::from_fn(|k| {
            b[0][k] * x[k] + b[1][k] * x1[k] + b[2][k] * x2[k] - a[0][k] * y1[k] - a[1][k] * y2[k]
        });
        self.state = [x, *x1, y, *y1];
        self.out = y;
        y[N - 1]
    }

    /// Only the sections that have a sample within the block.
    fn step_some(&mut self, signal: &mut [f64], t: usize) {
        let before = (self.state, self.out);
        let last = self.step(signal.get(t).copied().unwrap_or(0.0));
        for k in 0..N {
            if t < k || t - k >= signal.len() {
                (0..4).for_each(|i| self.state[i][k] = before.0[i][k]);
                self.out[k] = before.1[k];
            }
        }
        if let Some(at) = (t + 1).checked_sub(N) {
            signal[at] = last;
        }
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
