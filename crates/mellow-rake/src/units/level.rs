//! Levels: a ratio of amplitudes, written in decibels or as a plain ratio.

use super::quantity::{QuantityError, split};
use std::str::FromStr;

const LEVEL_FORMS: &str = "\"40 dB\", \"0.01 x\"";

/// A level, kept as a ratio of amplitudes above zero.
///
/// ```
/// use mellow_rake::units::Level;
/// assert!(("20 dB".parse::<Level>()?.ratio() - 10.0).abs() < 1e-14);
/// assert!(("0.01 x".parse::<Level>()?.decibels() + 40.0).abs() < 1e-13);
/// # Ok::<(), mellow_rake::units::QuantityError>(())
/// ```
#[derive(Debug, Clone, Copy, PartialEq, PartialOrd)]
pub struct Level {
    decibels: f64,
}

impl Level {
    /// A level in decibels.
    pub fn from_decibels(decibels: f64) -> Self {
        Level { decibels }
    }

    /// The level in decibels: 20·log10 of the ratio of amplitudes.
    pub fn decibels(self) -> f64 {
        self.decibels
    }

    /// The ratio of amplitudes.
    pub fn ratio(self) -> f64 {
        libm::exp10(self.decibels / 20.0)
    }
}

/// Decibels of a ratio of amplitudes; minus infinity for zero.
pub(crate) fn decibels(ratio: f64) -> f64 {
    20.0 * libm::log10(ratio)
}

impl FromStr for Level {
    type Err = QuantityError;

    fn from_str(text: &str) -> Result<Self, QuantityError> {
        let (number, unit) = split(text, LEVEL_FORMS)?;
        let number = number.value()?;
        match unit.as_str() {
            "dB" => Ok(Level { decibels: number }),
            "x" if number > 0.0 => Ok(Level { decibels: decibels(number) }),
            "x" => Err(QuantityError::OutOfRange {
                found: text.to_owned(),
                range: "a ratio lies above zero",
            }),
            _ => Err(QuantityError::UnknownUnit {
                found: text.to_owned(),
                unit,
                accepted: LEVEL_FORMS,
            }),
        }
    }
}
