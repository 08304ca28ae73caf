//! Dropping bits from the left of a word: what happens when they matter.

use super::WordFormat;
use std::fmt;

/// What happens when an integer does not fit the word that it goes to.
///
/// ```
/// use mellow_rake::fixed::{Overflow, WordFormat};
/// let byte = WordFormat::new(true, 8, 7)?;
/// assert_eq!(Overflow::Saturate.limit(200, byte), 127);
/// assert_eq!(Overflow::Wrap.limit(200, byte), -56);
/// # Ok::<(), mellow_rake::fixed::FormatError>(())
/// ```
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash)]
#[cfg_attr(feature = "serde", derive(serde::Serialize))]
#[cfg_attr(feature = "serde", serde(rename_all = "kebab-case"))]
pub enum Overflow {
    /// The nearest integer that fits.
    Saturate,
    /// The integer modulo 2^width.
    Wrap,
    /// It never happens: accepted only with the proof of it.
    Forbid,
}

impl Overflow {
    /// All of them.
    pub const ALL: [Overflow; 3] = [Overflow::Saturate, Overflow::Wrap, Overflow::Forbid];

    /// The word for it in spec files.
    pub fn as_str(self) -> &'static str {
        match self {
            Overflow::Saturate => "saturate",
            Overflow::Wrap => "wrap",
            Overflow::Forbid => "forbid",
        }
    }

    /// The same in machine words, for a format whose integers are such.
    #[inline(always)]
    pub(crate) fn limit_narrow(self, integer: i64, format: WordFormat) -> i64 {
        match self {
            Overflow::Saturate => integer.clamp(format.minimum() as i64, format.maximum() as i64),
            Overflow::Wrap | Overflow::Forbid => format.wrap_narrow(integer),
        }
    }

    /// `integer` brought into `format`. `Forbid` acts as `Wrap` here; a checked datapath never gets there.
    pub fn limit(self, integer: i128, format: WordFormat) -> i128 {
        match self {
            Overflow::Saturate => integer.clamp(format.minimum(), format.maximum()),
            Overflow::Wrap | Overflow::Forbid => format.wrap(integer),
        }
    }
}

impl fmt::Display for Overflow {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str(self.as_str())
    }
}
