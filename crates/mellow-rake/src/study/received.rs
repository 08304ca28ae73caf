//! What a filter does to the symbols of a modulated signal.

use super::Study;
use crate::signal::{
    CarrierError, MaskMargin, Part, SignalPlan, VectorError, Waveform, delay_between,
    measure_vector_error,
};
use num_complex::Complex64;

/// Error vectors before and behind a filter.
#[derive(Debug, Clone)]
#[cfg_attr(feature = "serde", derive(serde::Serialize))]
#[non_exhaustive]
pub struct Received {
    /// The name of the spec.
    pub name: String,
    /// That of the signal.
    pub signal: String,
    /// What it went through.
    pub behind: &'static str,
    /// Samples received.
    pub samples: usize,
    /// Symbols compared.
    pub symbols: usize,
    /// By how many samples the filter delays them.
    pub delay_samples: f64,
    /// The errors before the filter.
    pub before: ErrorRecord,
    /// Those behind it.
    pub after: ErrorRecord,
    /// Each carrier by itself.
    pub carriers: Vec<CarrierError>,
    /// What is allowed, in decibels.
    pub error_limit_db: Option<f64>,
    /// How the spectrum stands to a mask.
    pub mask: Option<MaskMargin>,
    /// Whether all that is allowed is kept.
    pub held: bool,
    /// The symbols received, each over the gain of its carrier.
    pub received: Vec<[f64; 2]>,
    /// Those that were sent.
    pub sent: Vec<[f64; 2]>,
    /// All that was measured before and behind the filter.
    #[cfg_attr(feature = "serde", serde(skip))]
    pub errors: [VectorError; 2],
}

/// Error vectors as figures.
#[derive(Debug, Clone, Copy, PartialEq)]
#[cfg_attr(feature = "serde", derive(serde::Serialize))]
#[non_exhaustive]
pub struct ErrorRecord {
    /// The root of the mean square, as a ratio.
    pub rms: f64,
    /// The same in decibels.
    pub rms_db: f64,
    /// The largest.
    pub largest: f64,
    /// With each carrier equalized by itself.
    pub equalized_rms: f64,
}

impl ErrorRecord {
    fn of(error: &VectorError) -> Self {
        let VectorError { rms, largest, equalized_rms, .. } = *error;
        ErrorRecord { rms, rms_db: 20.0 * libm::log10(rms), largest, equalized_rms }
    }
}

/// Why there are no symbols.
#[derive(Debug, Clone, Copy, PartialEq, thiserror::Error)]
#[non_exhaustive]
pub enum NotReceived {
    /// The signal has another rate than the filter.
    #[error("the plan has {plan_hz} samples per second, the spec {spec_hz}")]
    Rate {
        /// That of the plan, in hertz.
        plan_hz: f64,
        /// That of the spec.
        spec_hz: f64,
    },
    /// The signal has none.
    #[error("no part has symbols; kind = \"keyed\" and kind = \"multicarrier\" have")]
    NoSymbols,
    /// None arrived.
    #[error("no symbols were received")]
    Nothing,
}

impl Study {
    /// The part of a plan that has symbols.
    ///
    /// # Errors
    /// [`NotReceived`] where none has, or the plan has another sample rate than the spec.
    pub fn part_with_symbols<'a>(&self, plan: &'a SignalPlan) -> Result<&'a Part, NotReceived> {
        let (plan_hz, spec_hz) = (plan.sample_rate.hertz(), self.spec.sample_rate.hertz());
        if plan_hz != spec_hz {
            return Err(NotReceived::Rate { plan_hz, spec_hz });
        }
        let is_keyed =
            |part: &&Part| matches!(part.waveform, Waveform::Keyed(_) | Waveform::Multicarrier(_));
        plan.parts.iter().find(is_keyed).ok_or(NotReceived::NoSymbols)
    }

    /// The symbols of a signal before and behind a filter. `behind` says what it went through; the limit is
    /// in decibels.
    ///
    /// # Errors
    /// [`NotReceived`] where there are no symbols.
    pub fn received(
        &self,
        plan: &SignalPlan,
        (input, output): (&[f64], &[f64]),
        behind: &'static str,
        error_limit_db: Option<f64>,
        mask: Option<MaskMargin>,
    ) -> Result<Received, NotReceived> {
        let (part, rate) = (self.part_with_symbols(plan)?, self.spec.sample_rate);
        let delay = delay_between(input, output);
        let before = measure_vector_error(part, input, 0, rate).ok_or(NotReceived::Nothing)?;
        let after = measure_vector_error(part, output, delay, rate).ok_or(NotReceived::Nothing)?;
        let error = ErrorRecord::of(&after);
        let pairs = |all: &[Complex64]| all.iter().map(|z| [z.re, z.im]).collect();
        Ok(Received {
            name: self.spec.name.to_string(),
            signal: plan.name.to_string(),
            behind,
            samples: output.len(),
            symbols: after.symbols,
            delay_samples: after.delay_samples - before.delay_samples,
            before: ErrorRecord::of(&before),
            after: error,
            carriers: after.carriers.clone(),
            error_limit_db,
            mask,
            held: error_limit_db.is_none_or(|limit| error.rms_db <= limit)
                && mask.is_none_or(|margin| margin.above == 0),
            received: pairs(&after.received),
            sent: pairs(&after.sent),
            errors: [before, after],
        })
    }
}
