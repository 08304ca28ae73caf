//! A filter in floating point against the filter as designed.

use super::reference::rms;
use super::stimulus::{RECORDING, shapes};
use super::{Expected, Proof, ReferenceError, Stimulus, StimulusResult};
use crate::effort::Effort;
use crate::filter::{Decay, Difference, Form, NotProved, PeakGain};
use crate::fixed::WordFormat;
use crate::float::{FloatBound, FloatError, FloatFilter, FloatFormat, FloatSimulator, run_wide};
use crate::spec::Float;
use crate::units::Level;
use crate::units::level::decibels;

/// Words of so many bits are the shapes of stimuli made of.
const SHAPE: &str = "s24f23";

/// A filter in floating point and what it is held against.
struct Judge {
    filter: FloatFilter,
    /// The same order of operations with the designed coefficients, run in twice double precision.
    reference: FloatFilter,
}

impl Judge {
    /// The output, and its distance from the reference in steps of the format at 1.
    fn judge(&self, samples: &[f64], bound: Option<f64>) -> (Vec<f64>, ReferenceError) {
        let output = FloatSimulator::new(&self.filter).run(samples);
        let reference = run_wide(&self.reference, samples);
        let step = 2.0 * self.filter.format().unit_roundoff();
        let error = |(y, [high, low]): (&f64, &[f64; 2])| ((y - high) - low) / step;
        let errors: Vec<f64> = output.iter().zip(&reference).map(error).collect();
        let error_rms = rms(errors.iter().copied());
        let signal = rms(reference.iter().map(|[high, _]| high / step));
        let ser_db = (error_rms > 0.0 && signal > 0.0).then(|| decibels(signal / error_rms));
        let error = ReferenceError {
            largest_lsb: errors.iter().fold(0.0, |largest: f64, error| largest.max(error.abs())),
            bound_lsb: bound.map(|bound| bound / step),
            rms_lsb: error_rms,
            predicted_rms_lsb: None,
            ser_db,
            predicted_ser_db: None,
            limited_samples: 0,
        };
        (output, error)
    }
}

/// The stimuli for a filter in floating point: those of an integer filter, up to `peak`, and one so small
/// that its numbers are subnormal.
fn stimuli(
    format: FloatFormat,
    gain: Option<&PeakGain>,
    peak: f64,
    recording: Option<&[f64]>,
) -> Vec<(Stimulus, Vec<f64>)> {
    let Ok(word) = SHAPE.parse::<WordFormat>() else { return Vec::new() };
    let scaled = |words: Vec<i64>, peak: f64| -> Vec<f64> {
        words.iter().map(|shape| format.nearest(word.value(*shape) * peak)).collect()
    };
    let all = shapes(word, gain);
    let faint = all.first().map(|shape| shape.samples.clone()).unwrap_or_default();
    let mut found: Vec<(&'static str, Vec<f64>, bool)> = Vec::new();
    if let Some(recording) = recording {
        let nearest = recording.iter().map(|value| format.nearest(*value));
        found.push((RECORDING, nearest.collect(), true));
    }
    for Stimulus { name, samples, is_signal } in all {
        found.push((name, scaled(samples, peak), is_signal));
    }
    found.push(("subnormal noise", scaled(faint, 1000.0 * format.smallest()), false));
    let named = |(name, values, is_signal): (&'static str, Vec<f64>, bool)| {
        let samples = values.iter().map(|value| format.bits(*value)).collect();
        (Stimulus { name, samples, is_signal }, values)
    };
    found.into_iter().map(named).collect()
}

impl Proof {
    /// A filter in floating point against the designed one on all stimuli, words being the integers of the
    /// bits of numbers; the targets are yet to be run. The step that errors are told in is that of the
    /// format at 1.
    ///
    /// # Errors
    /// [`FloatError::Structure`] for a designed filter that is none for the structure of this one.
    pub fn begin_float(
        filter: &FloatFilter,
        designed: &Form,
        wish: Float,
        recording: Option<&[f64]>,
        min_ser: Option<Level>,
        effort: Effort,
    ) -> Result<(Self, Expected), FloatError> {
        let loudest = recording.unwrap_or_default().iter().map(|value| value.abs());
        let loudest = loudest.filter(|value| value.is_finite()).fold(0.0, f64::max);
        let structure = filter.structure();
        let reference = FloatFilter::with_any_poles(designed, FloatFormat::Double, structure)?;
        let mut rounded = filter.rounded();
        let gain = Decay::prove_within(&mut rounded, effort)
            .map(|decay| decay.impulse(&mut rounded).pop().unwrap_or_default());
        let up_to = |peak| bound(filter, &reference, designed, peak, effort);
        let made_up = up_to(wish.peak);
        let recorded = if loudest > wish.peak { up_to(loudest) } else { made_up.clone() };
        let judge = Judge { filter: filter.clone(), reference: reference.clone() };
        let min_ser_db = min_ser.map(|level| level.decibels());
        let (mut expected, mut results) = (Vec::new(), Vec::new());
        for (stimulus, values) in stimuli(filter.format(), gain.as_ref().ok(), wish.peak, recording)
        {
            let bound = if stimulus.name == RECORDING { &recorded } else { &made_up };
            let (output, error) = judge.judge(&values, bound.as_ref().ok().copied());
            results.push(StimulusResult::of(&stimulus, error, min_ser_db));
            let bits = output.iter().map(|value| filter.format().bits(*value)).collect();
            expected.push((stimulus, bits));
        }
        let proof = Proof {
            stimuli: results,
            targets: Vec::new(),
            min_ser_db,
            float: Some(filter.format()),
            no_bound: made_up.err().or(recorded.err()),
            held: false,
            complete: false,
        };
        Ok((proof.with(Vec::new()), expected))
    }
}

/// The largest distance of a filter from its reference for inputs up to a peak: what the arithmetic of either
/// does, and the l1 norm of the difference that rounding the coefficients makes.
fn bound(
    filter: &FloatFilter,
    reference: &FloatFilter,
    designed: &Form,
    peak: f64,
    effort: Effort,
) -> Result<f64, String> {
    let error = |found: Result<Option<FloatBound>, NotProved>| match found {
        Ok(Some(bound)) => Ok(bound.error),
        Ok(None) => Err(format!(
            "the errors of {} may keep themselves up in this filter, or something may overflow",
            filter.format()
        )),
        Err(why) => Err(why.to_string()),
    };
    let mut difference = Difference { first: filter.rounded(), second: designed.clone() };
    let coefficients = match difference.first == difference.second {
        true => 0.0,
        false => {
            let decay = Decay::prove_within(&mut difference, effort);
            let decay = decay.map_err(|why| why.to_string())?;
            decay.impulse(&mut difference).pop().unwrap_or_default().l1_bound()
        }
    };
    let own = error(filter.bound(peak, effort))? + error(reference.bound_wide(peak, effort))?;
    Ok((own + coefficients * peak) * (1.0 + 1e-9))
}
