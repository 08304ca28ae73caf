//! A response that was measured on something that runs, beside the filter that is meant.

use super::{Study, StudyError};
use crate::filter::Transfer;
use crate::filter::complex::modulus;
use crate::response::{gain_db, measure_time};
use crate::signal::{
    TransferDeviation, TransferEstimate, stepped_transfer, tone_phasor, without_tone,
};
use num_complex::Complex64;
use std::ops::Range;

/// Where the input explains so much of the output a measured gain is worth comparing.
pub const GOOD_COHERENCE: f64 = 0.9;

/// What was measured, and how far it is from the filter that is meant.
#[derive(Debug, Clone)]
#[cfg_attr(feature = "serde", derive(serde::Serialize))]
#[non_exhaustive]
pub struct MeasuredResponse {
    /// The name of the spec.
    pub name: String,
    /// "rounded" or "designed": which coefficients the filter has that it is held against.
    pub coefficients: &'static str,
    /// What went in, where that was ours: "noise", "chirp" or "steps".
    pub excitation: Option<&'static str>,
    /// Samples measured.
    pub samples: usize,
    /// Pieces averaged, or tones.
    pub pieces: usize,
    /// From point to point, in hertz.
    pub step_hz: f64,
    /// By how many samples the output is late, in whole samples that were taken off.
    pub delay_samples: usize,
    /// Points of the measurement.
    pub points: usize,
    /// How far it is where the coherence is good; `None` where it is nowhere.
    pub deviation: Option<TransferDeviation>,
    /// What is allowed, in decibels.
    pub tolerance_db: Option<f64>,
    /// Whether the deviation lies within; without a tolerance it does.
    pub held: bool,
    /// Single tones.
    pub tones: Vec<MeasuredTone>,
    /// The points, in hertz; below zero where both sides were asked for.
    pub hertz: Vec<f64>,
    /// Measured gain; `None` for none.
    pub gain_db: Vec<Option<f64>>,
    /// Measured phase.
    pub phase_degrees: Vec<f64>,
    /// The share of the output that the input explains.
    pub coherence: Vec<f64>,
    /// Which points know something.
    #[cfg_attr(feature = "serde", serde(skip))]
    pub good: Vec<bool>,
    /// Expected error of the gain.
    pub error_db: Vec<f64>,
    /// Gain of the filter that is meant; `None` for none.
    pub designed_gain_db: Vec<Option<f64>>,
}

/// One tone through a program, after the start-up, beside what the filter does to it.
#[derive(Debug, Clone, PartialEq)]
#[cfg_attr(feature = "serde", derive(serde::Serialize))]
#[non_exhaustive]
pub struct MeasuredTone {
    /// Its frequency.
    pub hertz: f64,
    /// Its gain; `None` where nothing came out.
    pub gain_db: Option<f64>,
    /// That of the filter.
    pub filter_gain_db: Option<f64>,
    /// Its phase, within half a turn of that of the filter.
    pub phase_degrees: f64,
    /// That of the filter.
    pub filter_phase_degrees: f64,
    /// The amplitude that the filter leaves of the tone, in steps of the output.
    pub filter_output_lsb: f64,
    /// The rms of what is there beside the tone, in steps of the output.
    pub residual_lsb: f64,
    /// The least and the largest word that came out.
    pub output_lsb: [Option<f64>; 2],
}

impl MeasuredTone {
    /// Whether the filter leaves less of the tone than the output can show, half a step, or nothing came out.
    pub fn is_hidden(&self) -> bool {
        self.filter_output_lsb < 0.5 || self.gain_db.is_none()
    }
}

fn level(gain: f64) -> Option<f64> {
    (gain > 0.0).then(|| 20.0 * libm::log10(gain))
}

fn degrees(h: Complex64) -> f64 {
    libm::atan2(h.im, h.re).to_degrees()
}

impl Study {
    /// Samples after which nothing of a start-up is left: three times as long as the filter settles, as a
    /// null shows the rest.
    pub fn settled_samples(&self) -> usize {
        3 * measure_time(&self.design.form, 1.0, self.spec.sample_rate).settling_samples + 64
    }

    /// The filter that a measurement is held against: with rounded coefficients where there are words and it
    /// is not to be the designed one.
    fn meant(&self, designed: bool) -> (&dyn Transfer, &'static str) {
        match self.implementation().ok().flatten().filter(|_| !designed) {
            Some(words) => (&words.rounded, "rounded"),
            None => (self.design.transfer(), "designed"),
        }
    }

    /// A measurement of so many samples beside the rounded or the designed filter, within a tolerance in
    /// decibels if there is one; its points on both sides of 0 Hz if that is wished.
    pub fn measured(
        &self,
        found: &TransferEstimate,
        samples: usize,
        designed: bool,
        tolerance_db: Option<f64>,
        two_sided: bool,
    ) -> MeasuredResponse {
        let rate = self.spec.sample_rate;
        let (filter, coefficients) = self.meant(designed);
        let deviation = found.deviation(filter, rate, GOOD_COHERENCE);
        let points = found.hertz.len();
        let both_sides = two_sided.then(|| found.two_sided());
        let found = both_sides.as_ref().unwrap_or(found);
        let meant =
            |hz: &f64| Some(gain_db(filter, rate, hz.abs())).filter(|gain| gain.is_finite());
        let held = match (tolerance_db, &deviation) {
            (Some(tolerance), Some(deviation)) => deviation.largest_db.abs() <= tolerance,
            (Some(_), None) => false,
            (None, _) => true,
        };
        MeasuredResponse {
            name: self.spec.name.to_string(),
            coefficients,
            excitation: None,
            samples,
            pieces: found.pieces,
            step_hz: found.step_hz,
            delay_samples: found.delay,
            points,
            deviation,
            tolerance_db,
            held,
            tones: Vec::new(),
            gain_db: found.response.iter().map(|h| level(modulus(*h))).collect(),
            phase_degrees: found.response.iter().map(|h| degrees(*h)).collect(),
            good: good(found),
            coherence: found.coherence.clone(),
            error_db: found.error_db(),
            designed_gain_db: found.hertz.iter().map(meant).collect(),
            hertz: found.hertz.clone(),
        }
    }

    /// One tone after the other of half the input's range, with what roundings are expected to add: see
    /// [`stepped_transfer`].
    ///
    /// # Errors
    /// [`StudyError`] where there are no integers.
    pub fn stepped(
        &self,
        (input, output): (&[f64], &[f64]),
        steps: &[(f64, Range<usize>)],
    ) -> Result<TransferEstimate, StudyError> {
        let (filter, rate) = (self.integers()?, self.spec.sample_rate);
        let mut found = stepped_transfer(input, output, rate, steps);
        let fixed = filter.fixed;
        let (step, half) = (fixed.output.step(), fixed.input.maximum() as f64 / 2.0);
        let density = filter.checked.noise_density(rate, &found.hertz);
        // Where no noise is predicted: a single rounding.
        let density = density
            .unwrap_or_else(|_| vec![step * step / 12.0 / rate.nyquist(); found.hertz.len()]);
        found.add_roundings(rate, half * fixed.input.step(), step, &density);
        Ok(found)
    }

    /// A tone of a frequency in hertz that went into something, and what came out of it, both from where it
    /// has settled on.
    ///
    /// # Errors
    /// [`StudyError`] where there are no integers.
    pub fn measured_tone(
        &self,
        (input, output): (&[f64], &[f64]),
        hertz: f64,
        designed: bool,
    ) -> Result<MeasuredTone, StudyError> {
        let rate = self.spec.sample_rate;
        let step = self.integers()?.fixed.output.step();
        let (before, after) = (tone_phasor(input, rate, hertz), tone_phasor(output, rate, hertz));
        let expected = self.meant(designed).0.response(rate.radians(hertz));
        let (found, steps) = (after / before, |value: f64| value / step);
        let ends = |pick: fn(f64, f64) -> f64| output.iter().copied().reduce(pick);
        let [phase, wanted] = [found, expected].map(degrees);
        Ok(MeasuredTone {
            hertz,
            gain_db: level(modulus(found)),
            filter_gain_db: level(modulus(expected)),
            // Within half a turn of the filter's.
            phase_degrees: phase - 360.0 * libm::round((phase - wanted) / 360.0),
            filter_phase_degrees: wanted,
            filter_output_lsb: steps(modulus(expected) * modulus(before)),
            residual_lsb: steps(without_tone(output, rate, hertz, after)),
            output_lsb: [ends(f64::min), ends(f64::max)].map(|end| end.map(steps)),
        })
    }
}

/// Which points know something, by their distance from 0 Hz: those that are spoiled lie there.
fn good(found: &TransferEstimate) -> Vec<bool> {
    let spoiled = found.spoiled as f64 * found.step_hz;
    let points = found.hertz.iter().zip(&found.coherence);
    points.map(|(hertz, share)| *share >= GOOD_COHERENCE && hertz.abs() >= spoiled - 1e-9).collect()
}
