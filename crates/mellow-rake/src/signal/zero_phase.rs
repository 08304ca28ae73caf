//! Forward and backward through a filter: no phase at all, for recordings that are already there.

use crate::filter::{Form, Transfer};
use num_complex::Complex64;

/// A recording filtered forward and backward.
#[derive(Debug, Clone, PartialEq)]
#[non_exhaustive]
pub struct ZeroPhase {
    /// The samples, in step with the input.
    pub samples: Vec<f64>,
    /// So many samples at either end depend on what was assumed beyond the recording by more than a
    /// thousandth.
    pub affected: usize,
}

/// What a filter does that a signal passes forward and backward: the square of its gain, and no phase.
///
/// ```
/// use mellow_rake::{filter::{Taps, Transfer}, signal::Twice};
/// let mean = Taps(vec![0.5, 0.5]);
/// assert!((Twice(&mean).gain(1.0) - mean.gain(1.0) * mean.gain(1.0)).abs() < 1e-15);
/// ```
#[derive(Clone, Copy)]
pub struct Twice<'a>(pub &'a dyn Transfer);

impl Transfer for Twice<'_> {
    fn response(&self, omega: f64) -> Complex64 {
        let gain = self.0.gain(omega);
        Complex64::new(gain * gain, 0.0)
    }

    fn extent(&self) -> usize {
        2 * self.0.extent()
    }
}

impl Form {
    /// Filters a recording forward and backward: no phase at all. See [`zero_phase`].
    ///
    /// ```
    /// use mellow_rake::filter::{Form, Taps};
    /// let mean = Form::from(Taps(vec![0.5, 0.5]));
    /// assert_eq!(mean.zero_phase(&[0.0, 4.0, 0.0]).samples[1], 2.0);
    /// ```
    pub fn zero_phase(&self, signal: &[f64]) -> ZeroPhase {
        zero_phase(self, signal)
    }
}

/// Runs a signal through a filter forward, and the result through it backward: the gain is the square of the
/// filter's gain, attenuation in decibels doubles, and the phase is zero.
///
/// Beyond both ends the signal is taken to go on as its own image turned about its last sample (2x₀ −
/// x\[k\]), which keeps level and slope; as far as the filter's impulse response reaches, and no further than
/// the recording is long.
///
/// ```
/// use mellow_rake::{filter::{Form, Taps}, signal::zero_phase};
/// let mean = Form::Taps(Taps(vec![0.5, 0.5]));
/// let ramp: Vec<f64> = (0..10).map(f64::from).collect();
/// let found = zero_phase(&mean, &ramp);
/// // A straight line stays where it is, ends and all.
/// assert!(found.samples.iter().zip(&ramp).all(|(y, x)| (y - x).abs() < 1e-12));
/// ```
pub fn zero_phase(form: &Form, signal: &[f64]) -> ZeroPhase {
    let Some(last) = signal.len().checked_sub(1) else {
        return ZeroPhase { samples: Vec::new(), affected: 0 };
    };
    let impulse = form.impulse_response();
    let reach = reach(&impulse);
    let beyond = reach.min(last);
    let before = (1..=beyond).rev().map(|k| 2.0 * signal[0] - signal[k]);
    let after = (1..=beyond).map(|k| 2.0 * signal[last] - signal[last - k]);
    let extended: Vec<f64> = before.chain(signal.iter().copied()).chain(after).collect();
    let mut once = through(form, impulse.len(), &extended);
    once.reverse();
    let mut twice = through(form, impulse.len(), &once);
    twice.reverse();
    let samples = twice[beyond..=beyond + last].to_vec();
    ZeroPhase { samples, affected: reach.min(signal.len()) }
}

/// A signal through a filter whose past was the first sample for ever: no jump at the start.
fn through(form: &Form, settled: usize, signal: &[f64]) -> Vec<f64> {
    let mut running = form.start();
    let first = signal.first().copied().unwrap_or(0.0);
    for _ in 0..settled {
        running.step(first);
    }
    running.run(signal)
}

/// After so many samples the rest of the impulse response adds up to less than a thousandth of the whole.
fn reach(impulse: &[f64]) -> usize {
    let all: f64 = impulse.iter().map(|h| h.abs()).sum();
    let mut rest = 0.0;
    for (n, h) in impulse.iter().enumerate().rev() {
        rest += h.abs();
        if rest > 1e-3 * all {
            return n + 1;
        }
    }
    0
}
