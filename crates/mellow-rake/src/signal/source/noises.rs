//! Noise that is not white: white noise through sections.

use crate::design::design;
use crate::filter::{Form, Running, Section, Sections};
use crate::random::NoiseSource;
use crate::spec::Wish;
use crate::units::SampleRate;

/// Noise through a filter, with a stated mean square.
pub(super) struct ShapedNoise {
    noise: NoiseSource,
    filter: Running,
    scale: f64,
}

impl ShapedNoise {
    fn new(sections: Vec<Section>, rms: f64, seed: u64) -> Self {
        let form = Form::from(Sections(sections));
        // White noise of mean square 1 comes out with the sum of the squares of the impulse response.
        let power: f64 = form.impulse_response().iter().map(|h| h * h).sum();
        let scale = rms / libm::sqrt(power.max(f64::MIN_POSITIVE));
        let mut shaped = ShapedNoise { noise: NoiseSource::new(seed), filter: form.start(), scale };
        // Past the start of all but the slowest swings.
        shaped.next_block(4096);
        shaped
    }

    pub(super) fn next_block(&mut self, count: usize) -> Vec<f64> {
        let white: Vec<f64> = (0..count).map(|_| self.scale * self.noise.normal()).collect();
        self.filter.run(&white)
    }

    /// The density falls as 1/f from 10⁻⁵ of the sample rate on: poles a factor of 2 apart with a zero
    /// half-way between each (in the manner of M. S. Keshner, "1/f noise", Proc. IEEE, 1982, section VI), as
    /// zeros and poles on the real axis at e^{−ω}.
    pub(super) fn pink(rms: f64, seed: u64) -> Self {
        let lowest = 1e-5 * std::f64::consts::TAU;
        let place = |doublings: f64| libm::exp(-lowest * libm::exp2(doublings));
        // Up to beyond half the sample rate, where e^{-ω} goes to nothing.
        let one = |k: i32| {
            let doublings = f64::from(k);
            Section { b: [1.0, -place(doublings + 0.5), 0.0], a: [-place(doublings), 0.0] }
        };
        // The poles that would lie beyond are made up for by one more zero: within 0.4 dB of 1/f up to 0.49
        // of the sample rate.
        let last = Section { b: [1.0, 0.09, 0.0], a: [0.0, 0.0] };
        ShapedNoise::new((0..18).map(one).chain([last]).collect(), rms, seed)
    }

    /// Flat between two frequencies.
    pub(super) fn band(
        [low, high]: [f64; 2],
        rms: f64,
        seed: u64,
        rate: SampleRate,
    ) -> Option<Self> {
        let wish = match low > 0.0 {
            true => Wish::bandpass(rate).cutoffs_hz(low, high),
            false => Wish::lowpass(rate).cutoff_hz(high),
        };
        let design = design(&wish.butterworth(8).spec().ok()?).ok()?;
        let sections = design.form.sections()?.0.clone();
        Some(ShapedNoise::new(sections, rms, seed))
    }
}
