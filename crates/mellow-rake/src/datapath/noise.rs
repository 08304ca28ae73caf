//! Rounding noise, predicted: every rounding as a white source through its path to the output.
//!
//! The model is Jackson's (1970): the errors of one rounding are uncorrelated with each other, with those of
//! the other roundings, and with the signal. It holds well for busy signals and fails for silence and for
//! slow constants; a measured figure far from it is worth a look. For `toward-zero`, whose error has the sign of the
//! signal and so its spectrum, the model is on the safe side where the filter stops what its feedback amplifies: by
//! up to 3 dB for a narrow notch.

use super::{RoundingSource, Sign};
use crate::filter::PeakGain;

/// The predicted rounding noise at the output.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct NoisePrediction {
    /// The mean of the error, as a value.
    pub mean: f64,
    /// The variance around it, as a value squared.
    pub variance: f64,
}

impl NoisePrediction {
    /// Root mean square of the error, as a value.
    pub fn rms(self) -> f64 {
        libm::sqrt(self.variance + self.mean * self.mean)
    }

    /// Adds one rounding, or several alike, whose errors reach the output by `path`.
    pub(super) fn add(&mut self, source: &RoundingSource, path: &PeakGain) {
        let (mean, variance) = source.error_moments();
        self.mean += mean * path.sum();
        self.variance += variance * path.energy();
    }
}

impl RoundingSource {
    /// Mean and variance of what is added to the word, as a value and as one squared.
    pub fn error_moments(&self) -> (f64, f64) {
        let (mean, variance) = self.rounding.error_moments(self.dropped);
        let alike = self.alike as f64;
        let mean = if self.sign == Sign::Minus { -mean } else { mean };
        (alike * mean * self.step, alike * variance * self.step * self.step)
    }

    /// The lowest and the highest value that can be added to the word.
    pub fn error_range(&self) -> (f64, f64) {
        let (low, high) = self.rounding.error_range(self.dropped);
        let size = self.alike as f64 * self.step;
        match self.sign {
            Sign::Plus => (low * size, high * size),
            Sign::Minus => (-high * size, -low * size),
        }
    }
}
