//! Noise at the output of a filter on integers.

use super::figures::{ConverterFigures, NoiseFigures};
use crate::datapath::Simulator;
use crate::implementation::Implementation;
use crate::random::NoiseSource;
use crate::response::measure_time;
use crate::study::{Jobs, Study, Workers};
use crate::verify::{ConverterNoise, constant_input_error, converter_noise, measure_word_noise};

/// Samples of white noise that a filter is measured on.
const SAMPLES: usize = 65_536;

impl Study {
    /// Noise on white noise of half scale, beside the converter's, and what constant inputs leave.
    pub(super) fn noise(&self, filter: &Implementation, workers: &impl Workers) -> NoiseFigures {
        NoiseFigures {
            words: measure_word_noise(filter, &self.design.form, &white(filter)),
            constant_input_error_lsb: self.constant_error(filter, workers),
            converter: self.beside_converter(filter),
        }
    }

    /// The noise of the spec's converter behind a filter.
    pub(super) fn behind(&self, filter: &Implementation) -> Option<ConverterNoise> {
        converter_noise(filter, self.spec.converter?)
    }

    fn beside_converter(&self, filter: &Implementation) -> Option<ConverterFigures> {
        let lsb = filter.fixed.output.step();
        let found = self.behind(filter)?;
        Some(ConverterFigures {
            bits: self.spec.converter?.bits,
            rounding_rms_lsb: found.rounding_rms / lsb,
            noise_rms_lsb: found.noise_rms / lsb,
            added_by_filter_db: found.raised_db,
        })
    }

    /// The largest error of 65 constant inputs up to half of full scale, after four times as long as the
    /// filter settles; `None` where that is too long.
    fn constant_error(&self, filter: &Implementation, workers: &impl Workers) -> Option<f64> {
        const LEVELS: i128 = 64;
        /// Operations of the program: a few seconds of them.
        const MOST_OPERATIONS: u64 = 250_000_000;
        let rate = self.spec.sample_rate;
        let length = 4 * measure_time(&filter.rounded, 1.0, rate).settling_samples + 512;
        // Machine words are run some ten times as fast as numbers of any size.
        let program = &filter.checked;
        let operations = program.datapath().operations().count() as u64;
        let is_fast = Simulator::new(program).is_fast();
        let each = if is_fast { operations.div_ceil(10) } else { operations };
        let work = (LEVELS as u64 + 1) * length as u64 * each;
        if length > 1 << 17 || work > filter.fixed.effort.times(MOST_OPERATIONS) {
            return None;
        }
        let [low, high] = [filter.fixed.input.minimum(), filter.fixed.input.maximum()];
        let level = move |k: i128| ((low + (high - low) * k / LEVELS) / 2) as i64;
        let jobs = Jobs::of(0..=LEVELS, move |k| constant_input_error(filter, level(k), length));
        workers.all("trying constant inputs", jobs).into_iter().reduce(f64::max)
    }
}

/// White noise of half scale, as words.
fn white(filter: &Implementation) -> Vec<i64> {
    let mut noise = NoiseSource::new(1);
    let input = filter.fixed.input;
    let [low, high] = [input.minimum(), input.maximum()].map(|end| (end / 2) as i64);
    (0..SAMPLES).map(|_| noise.integer(low, high)).collect()
}
