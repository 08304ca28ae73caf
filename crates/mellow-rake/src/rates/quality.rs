//! What a chain does to its pass-band, and how far off that leaves a signal that fills it.

use super::Chain;
use crate::filter::complex;
use crate::response::extreme;
use crate::units::level::decibels;
use num_complex::Complex64;

/// Frequencies of the pass-band over which errors are averaged.
const GRID: usize = 4000;

/// The gain over a pass-band, from input to output.
#[derive(Debug, Clone, Copy, PartialEq)]
#[cfg_attr(feature = "serde", derive(serde::Serialize))]
#[non_exhaustive]
pub struct PassBand {
    /// The lowest gain in it, in decibels.
    pub lowest_db: f64,
    /// Where that is, in hertz.
    pub lowest_hz: f64,
    /// The highest gain in it, in decibels.
    pub highest_db: f64,
    /// Where that is, in hertz.
    pub highest_hz: f64,
    /// What its ripple, and a delay that is not the same everywhere, leave as error of a signal that fills it
    /// evenly, in decibels: the root of the mean of |H/c − 1|² behind the delay of the taps, with c the one
    /// complex gain that leaves the least.
    pub error_vector_db: f64,
}

impl PassBand {
    /// The ripple, peak to peak, in decibels.
    pub fn ripple_db(&self) -> f64 {
        self.highest_db - self.lowest_db
    }
}

impl Chain {
    /// Words that all stages remember.
    pub fn words(&self) -> usize {
        self.stages().iter().map(super::Stage::words).sum()
    }

    /// Samples of a rate over which the responses of all stages are spread, as far as that makes ripples.
    pub(super) fn extent(&self, rate: f64) -> usize {
        let spread =
            |stage: usize| self.stages()[stage].fineness() as f64 / self.rate_within(stage).hertz();
        let seconds: f64 = (0..self.stages().len()).map(spread).sum();
        libm::ceil(seconds * rate) as usize
    }

    /// What happens to 0 to `pass_hz`, which is below half of every rate.
    ///
    /// ```
    /// use mellow_rake::filter::Taps;
    /// use mellow_rake::rates::{Chain, Stage};
    /// use mellow_rake::units::SampleRate;
    /// let mean = Stage::decimator(4, Taps(vec![0.25; 4]))?;
    /// let chain = Chain::new(SampleRate::from_hertz(1000.0).unwrap(), vec![mean])?;
    /// // A mean of four droops as sin(4x)/(4 sin x), x = π·100/1000.
    /// let droop = 20.0 * (1.2566370614f64.sin() / (4.0 * 0.31415926536f64.sin())).log10();
    /// assert!((chain.pass_band(100.0).ripple_db() + droop).abs() < 1e-9);
    /// # Ok::<(), mellow_rake::rates::RateError>(())
    /// ```
    pub fn pass_band(&self, pass_hz: f64) -> PassBand {
        let gain = |hertz: f64| complex::modulus(self.direct_response(hertz));
        let half = self.input_rate().nyquist();
        let extent = self.extent(2.0 * half);
        let find = |sign: f64| extreme(0.0, pass_hz, half, extent, &|hertz| sign * gain(hertz));
        let (lowest_hz, highest_hz) = (find(1.0), find(-1.0));
        PassBand {
            lowest_db: decibels(gain(lowest_hz)),
            lowest_hz,
            highest_db: decibels(gain(highest_hz)),
            highest_hz,
            error_vector_db: self.error_vector_db(pass_hz),
        }
    }

    /// The error that the pass-band leaves of a signal that fills it evenly.
    ///
    /// Of gains H, the complex gain c that leaves the least of Σ|H/c − 1|² has 1/c = Σ H*/Σ|H|², and what it
    /// leaves is 1 − |ΣH|²/(n·Σ|H|²). The delay is that of the middle of the taps, or where those are not
    /// symmetric the slope of the phase at 0.
    fn error_vector_db(&self, pass_hz: f64) -> f64 {
        let delay = self.delay_seconds().unwrap_or_else(|| {
            let step = pass_hz * 1e-4;
            let gain = self.direct_response(step);
            -libm::atan2(gain.im, gain.re) / (std::f64::consts::TAU * step)
        });
        let at = |k: usize| {
            let hertz = pass_hz * (k as f64 + 0.5) / GRID as f64;
            let cycles = hertz * delay;
            let angle = std::f64::consts::TAU * (cycles - libm::round(cycles));
            self.direct_response(hertz) * Complex64::new(libm::cos(angle), libm::sin(angle))
        };
        let gains: Vec<Complex64> = (0..GRID).map(at).collect();
        let mean = gains.iter().sum::<Complex64>() / GRID as f64;
        let apart: f64 =
            gains.iter().map(|gain| (gain - mean).norm_sqr()).sum::<f64>() / GRID as f64;
        // Of the same: the part beside the mean, over all; no difference of two numbers near 1.
        let whole = apart + mean.norm_sqr();
        decibels(libm::sqrt(apart / whole))
    }
}
