//! The format of a word: sign, width, and where the binary point sits.

use std::fmt;
use std::str::FromStr;

/// The format of a fixed-point word: signed or not, `width` bits in all, `fraction` of them
/// behind the binary point.
///
/// A word holding the integer `i` has the value `i · 2^(−fraction)`. The fraction may be negative or
/// larger than the width. Signed words are two's complement.
///
/// ```
/// use mellow_rake::fixed::WordFormat;
/// let q15: WordFormat = "Q15".parse()?;
/// assert_eq!(q15.to_string(), "s16f15");
/// assert_eq!((q15.minimum(), q15.maximum()), (-32768, 32767));
/// assert_eq!(q15.value(-32768), -1.0);
/// assert!("Q1.15".parse::<WordFormat>().is_err()); // two readings: refused
/// # Ok::<(), mellow_rake::fixed::FormatError>(())
/// ```
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash)]
pub struct WordFormat {
    signed: bool,
    width: u32,
    fraction: i32,
}

/// Why a text or a set of numbers is no word format.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
#[non_exhaustive]
pub enum FormatError {
    /// The text does not have the form of a format.
    #[error(
        "`{found}` is no word format; accepted: s16f15 (signed, 16 bits, 15 of them fraction), \
         u12f12, Q7, Q15, Q31"
    )]
    Form {
        /// The text as given.
        found: String,
    },
    /// `Qm.n` is written by two conventions that differ by the sign bit.
    #[error(
        "`{found}` has two readings: `{counted}` if the {whole} includes the sign bit, `{apart}` if the sign \
         bit comes on top; write the one you mean"
    )]
    TwoReadings {
        /// The text as given.
        found: String,
        /// m as given.
        whole: u32,
        /// The reading in which m includes the sign bit.
        counted: String,
        /// The reading in which the sign bit comes on top.
        apart: String,
    },
    /// The width lies outside 1 to 64 bits.
    #[error("a width of {width} bits is out of range: 1 to 64 bits")]
    Width {
        /// The width as given.
        width: u32,
    },
    /// The fraction lies outside −256 to 256 bits.
    #[error("a fraction of {fraction} bits is out of range: -256 to 256 bits")]
    Fraction {
        /// The fraction as given.
        fraction: i32,
    },
}

impl WordFormat {
    /// A format of `width` 1 to 64 bits and `fraction` −256 to 256 bits.
    ///
    /// # Errors
    /// [`FormatError::Width`] and [`FormatError::Fraction`] outside those ranges.
    pub fn new(signed: bool, width: u32, fraction: i32) -> Result<Self, FormatError> {
        if !(1..=64).contains(&width) {
            return Err(FormatError::Width { width });
        }
        if !(-256..=256).contains(&fraction) {
            return Err(FormatError::Fraction { fraction });
        }
        Ok(WordFormat { signed, width, fraction })
    }

    /// The narrowest format with this fraction that holds every integer from `low` to `high`,
    /// or `None` if that takes more than 64 bits.
    pub fn holding(low: i128, high: i128, fraction: i32) -> Option<Self> {
        let signed = low < 0;
        let bits = |v: i128| 128 - (if v < 0 { !v } else { v }).leading_zeros();
        let width = bits(low).max(bits(high)) + u32::from(signed);
        WordFormat::new(signed, width.max(1), fraction).ok()
    }

    /// Whether the word is two's complement.
    pub fn is_signed(self) -> bool {
        self.signed
    }

    /// All bits of the word.
    pub fn width(self) -> u32 {
        self.width
    }

    /// Bits behind the binary point.
    pub fn fraction(self) -> i32 {
        self.fraction
    }

    /// The smallest integer that the word holds.
    pub fn minimum(self) -> i128 {
        if self.signed { -(1 << (self.width - 1)) } else { 0 }
    }

    /// The largest integer that the word holds.
    pub fn maximum(self) -> i128 {
        (1 << (self.width - u32::from(self.signed))) - 1
    }

    /// Whether the word holds this integer.
    pub fn holds(self, integer: i128) -> bool {
        (self.minimum()..=self.maximum()).contains(&integer)
    }

    /// The value of one step of the last bit: 2^(−fraction).
    pub fn step(self) -> f64 {
        libm::scalbn(1.0, -self.fraction)
    }

    /// The value of a word holding `integer`.
    pub fn value(self, integer: i64) -> f64 {
        libm::scalbn(integer as f64, -self.fraction)
    }

    /// The same width with so many bits of fraction fewer; as few as a format may have.
    pub fn coarser(self, bits: u32) -> Self {
        let fraction = self.fraction.saturating_sub_unsigned(bits).max(-256);
        WordFormat { fraction, ..self }
    }

    /// `integer` modulo 2^width, read as a word of this format.
    pub fn wrap(self, integer: i128) -> i128 {
        let free = 128 - self.width;
        let bits = integer.wrapping_shl(free);
        if self.signed { bits >> free } else { ((bits as u128) >> free) as i128 }
    }

    /// The same in machine words: of an integer that is known modulo 2^64 only, as a format has no more bits.
    #[inline(always)]
    pub(crate) fn wrap_narrow(self, integer: i64) -> i64 {
        let free = 64 - self.width;
        let bits = integer << free;
        if self.signed { bits >> free } else { ((bits as u64) >> free) as i64 }
    }
}

impl fmt::Display for WordFormat {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        let sign = if self.signed { 's' } else { 'u' };
        write!(f, "{sign}{}f{}", self.width, self.fraction)
    }
}

#[cfg(feature = "serde")]
impl serde::Serialize for WordFormat {
    fn serialize<S: serde::Serializer>(&self, serializer: S) -> Result<S::Ok, S::Error> {
        serializer.collect_str(self)
    }
}

impl FromStr for WordFormat {
    type Err = FormatError;

    fn from_str(text: &str) -> Result<Self, FormatError> {
        let form = || FormatError::Form { found: text.chars().take(40).collect() };
        if let Some(rest) = text.strip_prefix('Q') {
            if let Some((m, n)) = rest.split_once('.') {
                let m: u32 = m.parse().map_err(|_| form())?;
                let n: u32 = n.parse().map_err(|_| form())?;
                if m.saturating_add(n) > 64 {
                    return Err(FormatError::Width { width: m.saturating_add(n) });
                }
                return Err(FormatError::TwoReadings {
                    found: text.to_owned(),
                    whole: m,
                    counted: format!("s{}f{n}", m + n),
                    apart: format!("s{}f{n}", m + n + 1),
                });
            }
            return match rest {
                "7" => WordFormat::new(true, 8, 7),
                "15" => WordFormat::new(true, 16, 15),
                "31" => WordFormat::new(true, 32, 31),
                _ => Err(form()),
            };
        }
        let (signed, width, fraction) = parts(text).ok_or_else(form)?;
        WordFormat::new(signed, width, fraction.ok_or_else(form)?)
    }
}

/// `s16f15` → (true, 16, Some(15)); `s16` → (true, 16, None).
pub(super) fn parts(text: &str) -> Option<(bool, u32, Option<i32>)> {
    let signed = match text.as_bytes().first()? {
        b's' => true,
        b'u' => false,
        _ => return None,
    };
    let number = |digits: &str| {
        let plain = digits.strip_prefix('-').unwrap_or(digits);
        (!plain.is_empty() && plain.len() < 8 && plain.bytes().all(|b| b.is_ascii_digit()))
            .then(|| digits.parse::<i32>().ok())
            .flatten()
    };
    let (width, fraction) = match text[1..].split_once('f') {
        Some((width, fraction)) => (width, Some(number(fraction)?)),
        None => (&text[1..], None),
    };
    Some((signed, u32::try_from(number(width)?).ok()?, fraction))
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    proptest! {
        #[test]
        fn text_and_format_are_one(signed: bool, width in 1u32..=64, fraction in -256i32..=256) {
            let format = WordFormat::new(signed, width, fraction).unwrap();
            prop_assert_eq!(format.to_string().parse::<WordFormat>().unwrap(), format);
        }

        /// Wrapping is the one integer in range that is congruent modulo 2^width.
        #[test]
        fn wrap_is_congruent_and_in_range(signed: bool, width in 1u32..=64, integer: i128) {
            let format = WordFormat::new(signed, width, 0).unwrap();
            let wrapped = format.wrap(integer);
            prop_assert!(format.holds(wrapped));
            prop_assert_eq!(wrapped.wrapping_sub(integer) & ((1i128 << width) - 1), 0);
        }

        /// Machine words limit as numbers of any size do.
        #[test]
        fn narrow_words_are_limited_alike(
            signed: bool, width in 1u32..=62, integer in -(1i64 << 62)..(1i64 << 62),
        ) {
            let format = WordFormat::new(signed, width, 0).unwrap();
            for overflow in crate::fixed::Overflow::ALL {
                let narrow = overflow.limit_narrow(integer, format);
                prop_assert_eq!(i128::from(narrow), overflow.limit(integer.into(), format));
            }
        }

        #[test]
        fn holding_is_the_narrowest(low in i64::MIN..=0, high in 0..=i64::MAX) {
            let format = WordFormat::holding(low.into(), high.into(), 3).unwrap();
            prop_assert!(format.holds(low.into()) && format.holds(high.into()));
            if let Ok(narrower) = WordFormat::new(format.is_signed(), format.width() - 1, 3) {
                prop_assert!(!(narrower.holds(low.into()) && narrower.holds(high.into())));
            }
        }
    }

    #[test]
    fn bad_texts_are_refused() {
        let both = "Q1.15".parse::<WordFormat>().unwrap_err().to_string();
        assert!(both.contains("s16f15") && both.contains("s17f15"), "{both}");
        for text in [
            "",
            "s",
            "s16",
            "sf15",
            "s0f0",
            "s65f0",
            "s16f",
            "s16f1000",
            "x16f15",
            "Q8",
            "s16f15f",
            "Q4294967295.9",
            "s99999999999f1",
            "é16f15",
        ] {
            assert!(text.parse::<WordFormat>().is_err(), "{text}");
        }
    }
}
