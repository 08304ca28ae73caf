//! Finite impulse responses, and running them in f64.

use super::phase::polynomial_delay;
use super::{LinearSystem, PhaseResponse, Transfer};
use num_complex::Complex64;
use std::f64::consts::PI;

/// H(z) = h\[0\] + h\[1\] z⁻¹ + … + h\[N−1\] z^−(N−1).
///
/// ```
/// use mellow_rake::filter::{LinearPhase, PhaseResponse, Taps, Transfer};
/// let smooth = Taps(vec![0.25, 0.5, 0.25]);
/// assert_eq!(smooth.linear_phase(), Some(LinearPhase::TypeI));
/// assert_eq!(smooth.group_delay(0.3), 1.0);
/// assert!(smooth.gain(std::f64::consts::PI) < 1e-15);
/// ```
#[derive(Debug, Clone, PartialEq)]
#[cfg_attr(feature = "serde", derive(serde::Serialize))]
#[cfg_attr(feature = "serde", serde(transparent))]
pub struct Taps(pub Vec<f64>);

/// The four kinds of exactly linear phase (Oppenheim & Schafer, *Discrete-Time Signal Processing*, 1989,
/// section 5.7.3).
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
#[cfg_attr(feature = "serde", derive(serde::Serialize))]
pub enum LinearPhase {
    /// Odd number of taps, symmetric.
    #[cfg_attr(feature = "serde", serde(rename = "I"))]
    TypeI,
    /// Even number of taps, symmetric: zero gain at the Nyquist frequency.
    #[cfg_attr(feature = "serde", serde(rename = "II"))]
    TypeII,
    /// Odd number of taps, antisymmetric: zero gain at 0 Hz and at the Nyquist frequency.
    #[cfg_attr(feature = "serde", serde(rename = "III"))]
    TypeIII,
    /// Even number of taps, antisymmetric: zero gain at 0 Hz.
    #[cfg_attr(feature = "serde", serde(rename = "IV"))]
    TypeIV,
}

impl LinearPhase {
    /// The type with this symmetry and number of taps.
    pub fn of(antisymmetric: bool, taps: usize) -> Self {
        match (antisymmetric, taps % 2) {
            (false, 1) => LinearPhase::TypeI,
            (false, _) => LinearPhase::TypeII,
            (true, 1) => LinearPhase::TypeIII,
            (true, _) => LinearPhase::TypeIV,
        }
    }

    /// Whether h\[k\] = −h\[N−1−k\].
    pub fn is_antisymmetric(self) -> bool {
        matches!(self, LinearPhase::TypeIII | LinearPhase::TypeIV)
    }

    /// The Roman numeral.
    pub fn as_str(self) -> &'static str {
        match self {
            LinearPhase::TypeI => "I",
            LinearPhase::TypeII => "II",
            LinearPhase::TypeIII => "III",
            LinearPhase::TypeIV => "IV",
        }
    }
}

impl Taps {
    /// The type of linear phase, if the taps are exactly symmetric or antisymmetric.
    pub fn linear_phase(&self) -> Option<LinearPhase> {
        let count = self.0.len();
        let pairs = || (0..count.div_ceil(2)).map(|k| (self.0[k], self.0[count - 1 - k]));
        if pairs().all(|(a, b)| a == b) {
            Some(LinearPhase::of(false, count))
        } else if pairs().all(|(a, b)| a == -b) {
            Some(LinearPhase::of(true, count))
        } else {
            None
        }
    }

    /// Half the length, in samples.
    fn delay(&self) -> f64 {
        self.0.len().saturating_sub(1) as f64 / 2.0
    }

    /// The real amplitude A(ω) of a filter of linear phase: H(e^{jω}) = A(ω)·e^{−jω(N−1)/2}, times j if
    /// antisymmetric.
    pub fn amplitude(&self, omega: f64) -> f64 {
        let half = self.delay();
        let turn = Complex64::new(libm::cos(omega * half), libm::sin(omega * half));
        let h = self.response(omega) * turn;
        match self.linear_phase() {
            Some(kind) if kind.is_antisymmetric() => h.im,
            _ => h.re,
        }
    }

    /// A filter in the zero state that runs these taps in f64.
    pub fn start(&self) -> RunningTaps {
        RunningTaps { taps: self.clone(), line: vec![0.0; self.0.len().max(1)], at: 0 }
    }

    /// Products per sample when equal taps on both sides share one.
    pub fn shared_multiplies(&self) -> usize {
        let nonzero = self.0.iter().filter(|tap| **tap != 0.0).count();
        if self.linear_phase().is_some() { nonzero.div_ceil(2) } else { nonzero }
    }
}

impl Transfer for Taps {
    fn response(&self, omega: f64) -> Complex64 {
        // Every eighth tap is a polynomial in w⁸ of its own: eight that do not wait for each other.
        const LANES: usize = 8;
        let turn = |times: usize| {
            let angle = times as f64 * omega;
            Complex64::new(libm::cos(angle), -libm::sin(angle))
        };
        let w = turn(LANES);
        let (mut re, mut im) = ([0.0; LANES], [0.0; LANES]);
        let (whole, last) = self.0.as_chunks::<LANES>();
        re[..last.len()].copy_from_slice(last);
        for taps in whole.iter().rev() {
            for lane in 0..LANES {
                let turned = re[lane] * w.re - im[lane] * w.im;
                im[lane] = re[lane] * w.im + im[lane] * w.re;
                re[lane] = turned + taps[lane];
            }
        }
        let lanes = re.iter().zip(&im).enumerate();
        lanes.map(|(lane, (re, im))| Complex64::new(*re, *im) * turn(lane)).sum()
    }

    fn extent(&self) -> usize {
        self.0.len()
    }
}

impl PhaseResponse for Taps {
    /// Exactly half the length for linear phase.
    fn group_delay(&self, omega: f64) -> f64 {
        polynomial_delay(&self.0, omega)
    }

    /// Of linear phase the straight line, a quarter turn if antisymmetric, and half a turn where the
    /// amplitude is below zero: no jump is followed from point to point.
    fn phase(&self, omegas: &[f64]) -> Vec<f64> {
        let Some(kind) = self.linear_phase() else {
            return self.followed_phase(omegas);
        };
        let quarter = if kind.is_antisymmetric() { PI / 2.0 } else { 0.0 };
        let phase = |omega: &f64| {
            // At a zero the sign behind it counts; at the Nyquist frequency that before it.
            let aside = if *omega < PI / 2.0 { 1e-7 } else { -1e-7 };
            let is_end = *omega == 0.0 || *omega >= PI;
            let amplitude = self.amplitude(if is_end { omega + aside } else { *omega });
            let half = if amplitude < 0.0 { PI - 4.0 * quarter } else { 0.0 };
            quarter + half - omega * self.delay()
        };
        omegas.iter().map(phase).collect()
    }
}

/// Taps at work in f64: the floating-point reference. Products are added from h\[0\] on.
#[derive(Debug, Clone)]
pub struct RunningTaps {
    taps: Taps,
    /// The last inputs in a ring; `at` is where the next one goes.
    line: Vec<f64>,
    at: usize,
}

/// Outputs that are summed side by side.
const SIDE_BY_SIDE: usize = 16;

impl RunningTaps {
    /// One sample.
    pub fn step(&mut self, input: f64) -> f64 {
        self.line[self.at] = input;
        let (newer, older) = self.line.split_at(self.at + 1);
        let ages = newer.iter().rev().chain(older.iter().rev());
        let sum = self.taps.0.iter().zip(ages).fold(0.0, |sum, (tap, x)| sum + tap * x);
        self.at = (self.at + 1) % self.line.len();
        sum
    }

    /// A whole signal, or the next block of one: the same numbers as sample by sample.
    pub fn run(&mut self, input: &[f64]) -> Vec<f64> {
        let count = self.taps.0.len();
        // The past behind the oldest product, then the block.
        let mut all = Vec::with_capacity(count + input.len());
        all.extend_from_slice(&self.line[self.at..]);
        all.extend_from_slice(&self.line[..self.at]);
        let past = all.len() + 1 - count.max(1);
        all.drain(..past);
        all.extend_from_slice(input);
        let mut output = Vec::with_capacity(input.len());
        let whole = input.len() - input.len() % SIDE_BY_SIDE;
        for start in (0..whole).step_by(SIDE_BY_SIDE) {
            let reach = &all[start..start + count.max(1) - 1 + SIDE_BY_SIDE];
            let mut sums = [0.0; SIDE_BY_SIDE];
            for (tap, x) in self.taps.0.iter().zip(reach.windows(SIDE_BY_SIDE).rev()) {
                for (sum, x) in sums.iter_mut().zip(x) {
                    *sum += tap * x;
                }
            }
            output.extend_from_slice(&sums);
        }
        for end in whole..input.len() {
            let ages = all[..end + count.max(1)].iter().rev();
            output.push(self.taps.0.iter().zip(ages).fold(0.0, |sum, (tap, x)| sum + tap * x));
        }
        let kept = self.line.len().min(all.len());
        let length = self.line.len();
        self.line[length - kept..].copy_from_slice(&all[all.len() - kept..]);
        self.at = 0;
        output
    }
}

/// Taps as a linear system observed at their output, for proofs about them.
impl LinearSystem for Taps {
    fn states(&self) -> usize {
        self.0.len().saturating_sub(1)
    }
    fn observed(&self) -> usize {
        1
    }
    fn step(&mut self, state: &mut [f64], drive: f64, seen: &mut [f64]) {
        seen[0] = products(self.0.iter().copied(), state, drive);
        shift(state, drive);
    }
    fn step_absolute(&mut self, state: &mut [f64], drive: f64, seen: &mut [f64]) {
        seen[0] = products(self.0.iter().map(|tap| tap.abs()), state, drive);
        shift(state, drive);
    }
    fn operations(&self) -> usize {
        2 * self.0.len()
    }
    fn finite(&self) -> Option<usize> {
        Some(self.0.len())
    }
}

/// Taps times the newest sample and those before it.
fn products(taps: impl Iterator<Item = f64>, state: &[f64], newest: f64) -> f64 {
    let samples = std::iter::once(&newest).chain(state);
    taps.zip(samples).map(|(tap, x)| tap * x).sum()
}

/// Everything one place back, the newest in front.
fn shift(state: &mut [f64], newest: f64) {
    if let Some(last) = state.len().checked_sub(1) {
        state.copy_within(0..last, 1);
        state[0] = newest;
    }
}
