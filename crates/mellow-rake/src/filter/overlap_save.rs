//! Long finite impulse responses through the fast Fourier transform.

use super::Taps;
use num_complex::Complex64;
use rustfft::{Fft, FftPlanner};
use std::sync::Arc;

/// Taps at work by overlap-save: blocks of the signal are transformed, multiplied and transformed back (A. V.
/// Oppenheim & R. W. Schafer, "Discrete-Time Signal Processing", 1989, section 8.7.3), two at a time as real
/// and imaginary part.
///
/// The output is that of [`RunningTaps`](super::RunningTaps) but for rounding: errors some 10⁻¹⁶ of the
/// largest samples of the block times the sum of the taps' sizes. It comes in blocks of a fixed grid: how the
/// input is cut up changes nothing.
///
/// ```
/// use mellow_rake::filter::{OverlapSave, Taps};
/// let taps = Taps(vec![0.25; 4]);
/// let mut fast = OverlapSave::new(&taps);
/// let mut output = fast.push(&[4.0; 6]);
/// output.extend(fast.push(&[0.0; 3]));
/// output.extend(fast.finish());
/// let expected = [1.0, 2.0, 3.0, 4.0, 4.0, 4.0, 3.0, 2.0, 1.0];
/// assert!(output.len() == 9 && output.iter().zip(expected).all(|(y, e)| (y - e).abs() < 1e-14));
/// ```
pub struct OverlapSave {
    forward: Arc<dyn Fft<f64>>,
    backward: Arc<dyn Fft<f64>>,
    /// The transform of the taps, over the length.
    response: Vec<Complex64>,
    taps: usize,
    /// Outputs of a block.
    hop: usize,
    /// The inputs that are still needed: taps − 1 of the past, then the new ones.
    line: Vec<f64>,
    /// Given to the transforms.
    scratch: Vec<Complex64>,
}

impl OverlapSave {
    /// From so many taps on this takes less time than products one by one: measured by `cargo bench -p
    /// mellow-rake-rig --bench filters`.
    pub const WORTH_TAPS: usize = 64;

    /// A filter in the zero state.
    pub fn new(taps: &Taps) -> Self {
        let count = taps.0.len().max(1);
        // Least work for an output: the transforms cost length·log(length) for length + 1 − taps outputs.
        let cost = |length: &usize| {
            let size = *length as f64;
            size * libm::log2(size) / (length + 1 - count) as f64
        };
        let first = (2 * count).next_power_of_two().max(64);
        let lengths = (0..6).map(|k| first << k);
        let length = lengths.min_by(|a, b| cost(a).total_cmp(&cost(b))).unwrap_or(first);
        let mut planner = FftPlanner::<f64>::new();
        let forward = planner.plan_fft_forward(length);
        let backward = planner.plan_fft_inverse(length);
        let mut response = vec![Complex64::new(0.0, 0.0); length];
        let scale = 1.0 / length as f64;
        for (value, tap) in response.iter_mut().zip(&taps.0) {
            value.re = tap * scale;
        }
        forward.process(&mut response);
        let scratch = forward.get_inplace_scratch_len().max(backward.get_inplace_scratch_len());
        OverlapSave {
            forward,
            backward,
            response,
            taps: count,
            hop: length + 1 - count,
            line: vec![0.0; count - 1],
            scratch: vec![Complex64::new(0.0, 0.0); scratch],
        }
    }

    /// The next samples; what comes out is late by up to two blocks, and complete after
    /// [`finish`](OverlapSave::finish).
    pub fn push(&mut self, input: &[f64]) -> Vec<f64> {
        self.line.extend_from_slice(input);
        let mut output = Vec::new();
        let past = self.taps - 1;
        let mut done = 0;
        let mut line = std::mem::take(&mut self.line);
        while line.len() - done >= past + 2 * self.hop {
            output.extend(self.pair(&line[done..done + past + 2 * self.hop]));
            done += 2 * self.hop;
        }
        line.drain(..done);
        self.line = line;
        output
    }

    /// The outputs that are left; the filter is in the zero state again.
    pub fn finish(&mut self) -> Vec<f64> {
        let past = self.taps - 1;
        let left = self.line.len() - past;
        let mut line = std::mem::replace(&mut self.line, vec![0.0; past]);
        line.resize(past + 2 * self.hop, 0.0);
        let mut output = self.pair(&line);
        output.truncate(left);
        output
    }

    /// Two blocks at once.
    fn pair(&mut self, line: &[f64]) -> Vec<f64> {
        let length = self.response.len();
        let (first, second) = (&line[..length], &line[self.hop..]);
        let pairs = first.iter().zip(second);
        let mut buffer: Vec<Complex64> = pairs.map(|(a, b)| Complex64::new(*a, *b)).collect();
        self.forward.process_with_scratch(&mut buffer, &mut self.scratch);
        for (value, h) in buffer.iter_mut().zip(&self.response) {
            *value *= h;
        }
        self.backward.process_with_scratch(&mut buffer, &mut self.scratch);
        // The first outputs of a block are wrapped round: saved from the block before.
        let good = &buffer[self.taps - 1..];
        good.iter().map(|y| y.re).chain(good.iter().map(|y| y.im)).collect()
    }
}
