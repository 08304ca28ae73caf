//! The integer filter against the filter as designed, in f64.

use crate::datapath::Simulator;
use crate::filter::Form;
use crate::fixed::WordFormat;
use crate::implementation::Implementation;
use crate::units::level::decibels;

/// The distance of the integer filter from the designed one on one stimulus. Errors are in steps of the
/// output word (LSB).
#[derive(Debug, Clone, Copy, PartialEq)]
#[cfg_attr(feature = "serde", derive(serde::Serialize))]
#[non_exhaustive]
pub struct ReferenceError {
    /// Largest error.
    pub largest_lsb: f64,
    /// The proved bound on it; `None` if there is none, or if a limit acted, for then the two differ by
    /// design.
    pub bound_lsb: Option<f64>,
    /// Root mean square of the error.
    pub rms_lsb: f64,
    /// What the noise model and the coefficient error on this stimulus predict for it; `None` as above.
    pub predicted_rms_lsb: Option<f64>,
    /// Signal-to-error ratio in decibels; `None` where there is no error.
    pub ser_db: Option<f64>,
    /// The ratio that belongs to the predicted error.
    pub predicted_ser_db: Option<f64>,
    /// In how many samples a limit changed a word.
    pub limited_samples: u64,
}

impl ReferenceError {
    /// Whether the largest error keeps within its bound, if it has one. If it does not, a proof or a program
    /// is wrong.
    pub fn within_bound(&self) -> bool {
        self.bound_lsb.is_none_or(|bound| self.largest_lsb <= bound)
    }
}

pub(super) fn rms(values: impl Iterator<Item = f64>) -> f64 {
    let (count, sum) = values.fold((0u64, 0.0), |(count, sum), v| (count + 1, sum + v * v));
    if count == 0 { 0.0 } else { libm::sqrt(sum / count as f64) }
}

/// Runs an implementation on integers and the designed filter on the same values. Gives the integers and
/// their distance from the reference.
pub fn judge(
    implementation: &Implementation,
    designed: &Form,
    samples: &[i64],
) -> (Vec<i64>, ReferenceError) {
    let (input, output) = (implementation.checked.input(), implementation.checked.output());
    let mut simulator = Simulator::new(&implementation.checked);
    let integers = simulator.run(samples);
    let limited_samples = simulator.limited_samples();

    let values: Vec<f64> = samples.iter().map(|&x| input.value(x)).collect();
    let reference = designed.start().run(&values);
    let rounded = implementation.rounded.start().run(&values);
    let noise = implementation.predicted_noise().ok();
    let peak = values.iter().fold(0.0, |peak: f64, x| peak.max(x.abs()));
    let bounds = implementation.checked.facts().bounds().as_ref().ok();
    let predictions = implementation.predictions.as_ref().ok();
    let bound = bounds.zip(predictions).map(|(bounds, predictions)| {
        bounds.error.largest() + predictions.coefficient_error.l1_bound() * peak
    });
    let expected = Foreseen { bound, noise_rms: noise.map(|noise| noise.rms()) };
    let figures = figures((&integers, output), (&reference, &rounded), limited_samples, expected);
    (integers, figures)
}

/// What is known before the run, as values.
pub(super) struct Foreseen {
    /// No error is larger while no limit acts.
    pub(super) bound: Option<f64>,
    pub(super) noise_rms: Option<f64>,
}

/// The distance of integers from what was designed, and beside it what the rounded coefficients alone do.
pub(super) fn figures(
    (integers, output): (&[i64], WordFormat),
    (reference, rounded): (&[f64], &[f64]),
    limited_samples: u64,
    foreseen: Foreseen,
) -> ReferenceError {
    let lsb = output.step();
    let errors: Vec<f64> =
        integers.iter().zip(reference).map(|(&y, r)| (output.value(y) - r) / lsb).collect();
    let free = limited_samples == 0;
    let coefficient_rms = rms(rounded.iter().zip(reference).map(|(q, r)| (q - r) / lsb));
    let noise = foreseen.noise_rms.filter(|_| free);
    let predicted = noise.map(|noise| libm::hypot(noise / lsb, coefficient_rms));
    let signal_rms = rms(reference.iter().map(|r| r / lsb));
    let ratio =
        |error: f64| (error > 0.0 && signal_rms > 0.0).then(|| decibels(signal_rms / error));
    let rms_lsb = rms(errors.iter().copied());
    ReferenceError {
        largest_lsb: errors.iter().fold(0.0, |largest: f64, e| largest.max(e.abs())),
        bound_lsb: foreseen.bound.filter(|_| free).map(|bound| bound / lsb),
        rms_lsb,
        predicted_rms_lsb: predicted,
        ser_db: ratio(rms_lsb),
        predicted_ser_db: predicted.and_then(ratio),
        limited_samples,
    }
}
