//! Rounding noise, predicted: every rounding as a white source through its path to the output.
//!
//! The model is Jackson's (1970): the errors of one rounding are uncorrelated with each other, with those of
//! the other roundings, and with the signal. It holds well for busy signals and fails for silence and for
//! slow constants; a measured figure far from it is worth a look. For `toward-zero`, whose error has the sign of the
//! signal and so its spectrum, the model is on the safe side where the filter stops what its feedback amplifies: by
//! up to 3 dB for a narrow notch.

use super::RoundingSource;
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

    /// Adds one rounding, whose errors reach the output by `path`.
    pub(super) fn add(&mut self, source: &RoundingSource, path: &PeakGain) {
        let (mean, variance) = source.rounding.error_moments(source.dropped);
        self.mean += mean * source.step * path.sum();
        self.variance += variance * source.step * source.step * path.energy();
    }
}
