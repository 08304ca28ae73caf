//! Durations, absolute or in samples.

use super::SampleRate;
use super::quantity::{QuantityError, split};
use std::str::FromStr;

const DURATION_FORMS: &str = "\"20 ms\", \"1.5 s\", \"250 us\", \"8 samples\"";

/// A duration as it was asked for: in seconds, or in samples.
///
/// ```
/// use mellow_rake::units::{Duration, SampleRate};
/// let rate: SampleRate = "1 kHz".parse()?;
/// assert_eq!("20 ms".parse::<Duration>()?.samples(rate), 20.0);
/// assert_eq!("8 samples".parse::<Duration>()?.samples(rate), 8.0);
/// # Ok::<(), mellow_rake::units::QuantityError>(())
/// ```
#[derive(Debug, Clone, Copy, PartialEq)]
pub enum Duration {
    /// Seconds.
    Seconds(f64),
    /// Sample periods.
    Samples(f64),
}

impl Duration {
    /// The duration in sample periods.
    pub fn samples(self, rate: SampleRate) -> f64 {
        match self {
            Duration::Seconds(seconds) => seconds * rate.hertz(),
            Duration::Samples(samples) => samples,
        }
    }
}

impl FromStr for Duration {
    type Err = QuantityError;

    fn from_str(text: &str) -> Result<Self, QuantityError> {
        let (number, unit) = split(text, DURATION_FORMS)?;
        Ok(match unit.as_str() {
            "s" => Duration::Seconds(number.value()?),
            "ms" => Duration::Seconds(number.times_ten_to(-3)?),
            "us" | "µs" => Duration::Seconds(number.times_ten_to(-6)?),
            "samples" | "sample" => Duration::Samples(number.value()?),
            _ => {
                return Err(QuantityError::UnknownUnit {
                    found: text.to_owned(),
                    unit,
                    accepted: DURATION_FORMS,
                });
            }
        })
    }
}
