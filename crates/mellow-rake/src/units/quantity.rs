//! Splitting `"87.5 Hz"` into its number and its unit, and what can be wrong with it.

/// Why a text is not the quantity that was wanted.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
#[non_exhaustive]
pub enum QuantityError {
    /// A number stands there without its unit.
    #[error("`{found}` has no unit; accepted: {accepted}")]
    NoUnit {
        /// The text as given.
        found: String,
        /// The forms that are accepted.
        accepted: &'static str,
    },
    /// The unit is not one of this quantity.
    #[error("`{found}` has the unit `{unit}`; accepted: {accepted}")]
    UnknownUnit {
        /// The text as given.
        found: String,
        /// The unit read from it.
        unit: String,
        /// The forms that are accepted.
        accepted: &'static str,
    },
    /// No number stands at the front.
    #[error("`{found}` does not start with a number; accepted: {accepted}")]
    NoNumber {
        /// The text as given.
        found: String,
        /// The forms that are accepted.
        accepted: &'static str,
    },
    /// The number is infinite, not a number, or outside the range of the quantity.
    #[error("`{found}` is out of range: {range}")]
    OutOfRange {
        /// The text as given.
        found: String,
        /// The range that is accepted.
        range: &'static str,
    },
}

/// The number and the unit of `text`; inner runs of blanks in the unit become one blank.
pub(super) fn split<'a>(
    text: &'a str,
    accepted: &'static str,
) -> Result<(Number<'a>, String), QuantityError> {
    let trimmed = text.trim();
    let mut end = 0;
    for (at, c) in trimmed.char_indices() {
        let exponent = (c == 'e' || c == 'E')
            && trimmed[at + 1..].starts_with(|n: char| n.is_ascii_digit() || n == '-' || n == '+');
        if c.is_ascii_digit() || matches!(c, '.' | '-' | '+') || exponent {
            end = at + 1;
        } else {
            break;
        }
    }
    let number = Number { digits: &trimmed[..end], text };
    if number.digits.parse::<f64>().is_err() {
        return Err(QuantityError::NoNumber { found: number.found(), accepted });
    }
    let unit = trimmed[end..].split_whitespace().collect::<Vec<_>>().join(" ");
    if unit.is_empty() {
        return Err(QuantityError::NoUnit { found: number.found(), accepted });
    }
    Ok((number, unit))
}

/// A decimal number as it was written.
#[derive(Debug, Clone, Copy)]
pub(super) struct Number<'a> {
    digits: &'a str,
    text: &'a str,
}

impl Number<'_> {
    /// Its value in f64.
    pub(super) fn value(self) -> Result<f64, QuantityError> {
        self.times_ten_to(0)
    }

    /// The number times a power of ten, rounded once: 1.005 kHz is 1005 Hz in every bit, which the product of
    /// 1.005 and 1000 in f64 is not.
    pub(super) fn times_ten_to(self, power: i32) -> Result<f64, QuantityError> {
        let (digits, exponent) = self.digits.split_once(['e', 'E']).unwrap_or((self.digits, "0"));
        let value = match exponent.parse::<i32>() {
            Ok(exponent) => format!("{digits}e{}", i64::from(exponent) + i64::from(power)).parse(),
            // So large an exponent is infinite or zero, with or without the power.
            Err(_) => self.digits.parse::<f64>(),
        };
        value.ok().filter(|value| value.is_finite()).ok_or_else(|| QuantityError::OutOfRange {
            found: self.found(),
            range: "a finite number",
        })
    }

    fn found(self) -> String {
        self.text.chars().take(60).collect()
    }
}
