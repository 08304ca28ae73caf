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
pub(super) fn split(text: &str, accepted: &'static str) -> Result<(f64, String), QuantityError> {
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
    let found = || text.chars().take(60).collect::<String>();
    let number: f64 =
        trimmed[..end].parse().map_err(|_| QuantityError::NoNumber { found: found(), accepted })?;
    let unit = trimmed[end..].split_whitespace().collect::<Vec<_>>().join(" ");
    if unit.is_empty() {
        return Err(QuantityError::NoUnit { found: found(), accepted });
    }
    if !number.is_finite() {
        return Err(QuantityError::OutOfRange { found: found(), range: "a finite number" });
    }
    Ok((number, unit))
}
