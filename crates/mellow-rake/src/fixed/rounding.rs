//! Dropping bits from the right of a word: the five named roundings.

use std::fmt;

/// How bits are dropped from the right of a word. With `v` the exact value after the division by
/// 2^s, the result is an integer next to `v`.
///
/// ```
/// use mellow_rake::fixed::Rounding;
/// // -5 / 2 = -2.5, a tie
/// assert_eq!(Rounding::Floor.shift_right(-5, 1), -3);
/// assert_eq!(Rounding::HalfUp.shift_right(-5, 1), -2);
/// assert_eq!(Rounding::HalfEven.shift_right(-5, 1), -2);
/// assert_eq!(Rounding::HalfAway.shift_right(-5, 1), -3);
/// assert_eq!(Rounding::TowardZero.shift_right(-5, 1), -2);
/// ```
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash)]
#[cfg_attr(feature = "serde", derive(serde::Serialize))]
#[cfg_attr(feature = "serde", serde(rename_all = "kebab-case"))]
pub enum Rounding {
    /// The largest integer not above `v`: the bits are simply cut off.
    Floor,
    /// The nearest integer, ties upward: add half, then floor. What cheap hardware does.
    HalfUp,
    /// The nearest integer, ties to the even one.
    HalfEven,
    /// The nearest integer, ties away from zero.
    HalfAway,
    /// The integer part: the nearest integer not farther from zero than `v`.
    TowardZero,
}

impl Rounding {
    /// All roundings.
    pub const ALL: [Rounding; 5] = [
        Rounding::Floor,
        Rounding::HalfUp,
        Rounding::HalfEven,
        Rounding::HalfAway,
        Rounding::TowardZero,
    ];

    /// The word for it in spec files.
    pub fn as_str(self) -> &'static str {
        match self {
            Rounding::Floor => "floor",
            Rounding::HalfUp => "half-up",
            Rounding::HalfEven => "half-even",
            Rounding::HalfAway => "half-away",
            Rounding::TowardZero => "toward-zero",
        }
    }

    /// `word / 2^shift`, rounded. Exact for every `word`; a shift of 127 or more acts as 127 on words
    /// that fit 126 bits.
    pub fn shift_right(self, word: i128, shift: u32) -> i128 {
        if shift == 0 {
            return word;
        }
        let shift = shift.min(126);
        let floor = word >> shift;
        let rest = word - (floor << shift);
        let half = 1i128 << (shift - 1);
        let up = match self {
            Rounding::Floor => false,
            Rounding::HalfUp => rest >= half,
            Rounding::HalfEven => rest > half || (rest == half && floor & 1 == 1),
            Rounding::HalfAway => rest > half || (rest == half && word >= 0),
            Rounding::TowardZero => rest != 0 && word < 0,
        };
        floor + i128::from(up)
    }

    /// The same in few operations, for words of up to 62 bits and shifts up to 62: something is added that
    /// carries into the bits that are kept exactly where the result is the next integer.
    #[inline(always)]
    pub(crate) fn shift_right_narrow(self, word: i64, shift: u32) -> i64 {
        if shift == 0 {
            return word;
        }
        let half = 1i64 << (shift - 1);
        let added = match self {
            Rounding::Floor => 0,
            Rounding::HalfUp => half,
            Rounding::HalfEven => half - 1 + ((word >> shift) & 1),
            Rounding::HalfAway => half + (word >> 63),
            Rounding::TowardZero => (word >> 63) & (2 * half - 1),
        };
        (word + added) >> shift
    }

    /// The smallest and largest rounding error, in steps of the result, when `shift` bits are dropped:
    /// result minus exact value, over all words.
    pub fn error_range(self, shift: u32) -> (f64, f64) {
        if shift == 0 {
            return (0.0, 0.0);
        }
        let grain = libm::scalbn(1.0, -(shift.min(1000) as i32));
        match self {
            Rounding::Floor => (-(1.0 - grain), 0.0),
            Rounding::HalfUp => (-(0.5 - grain), 0.5),
            Rounding::HalfEven | Rounding::HalfAway => (-0.5, 0.5),
            Rounding::TowardZero => (-(1.0 - grain), 1.0 - grain),
        }
    }

    /// The smallest and largest integer that a word can be above its rounded one, when `shift` bits are
    /// dropped: what is left over, in steps of the word.
    ///
    /// ```
    /// use mellow_rake::fixed::Rounding;
    /// assert_eq!(Rounding::Floor.left_over(3), (0, 7));
    /// assert_eq!(Rounding::HalfUp.left_over(3), (-4, 3));
    /// ```
    pub fn left_over(self, shift: u32) -> (i128, i128) {
        if shift == 0 {
            return (0, 0);
        }
        let whole = 1i128 << shift.min(126);
        match self {
            Rounding::Floor => (0, whole - 1),
            Rounding::HalfUp => (-whole / 2, whole / 2 - 1),
            Rounding::HalfEven | Rounding::HalfAway => (-whole / 2, whole / 2),
            Rounding::TowardZero => (1 - whole, whole - 1),
        }
    }

    /// Mean and variance of the rounding error, in steps (and steps squared) of the result, for dropped
    /// bits that take all values equally often and, where the sign of the word matters, both
    /// signs equally often.
    ///
    /// Follows the discrete uniform model: 2^shift equally likely errors one grain apart have the
    /// variance (1 − 2^(−2·shift))/12.
    pub fn error_moments(self, shift: u32) -> (f64, f64) {
        if shift == 0 {
            return (0.0, 0.0);
        }
        let grain = libm::scalbn(1.0, -(shift.min(1000) as i32));
        let uniform = (1.0 - grain * grain) / 12.0;
        // Ties (one word in 2^shift) err by half a step either way: the two symmetric roundings trade
        // the mean of grain/2 for as much variance.
        match self {
            Rounding::Floor => (-(1.0 - grain) / 2.0, uniform),
            Rounding::HalfUp => (grain / 2.0, uniform),
            Rounding::HalfEven | Rounding::HalfAway => (0.0, uniform + grain * grain / 4.0),
            Rounding::TowardZero => {
                let mean = (1.0 - grain) / 2.0;
                (0.0, uniform + mean * mean)
            }
        }
    }
}

impl fmt::Display for Rounding {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str(self.as_str())
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    /// Both ways of rounding, on words of few bits and on the longest.
    #[test]
    fn the_short_way_rounds_alike() {
        let ends = [1i64 << 61, (1 << 61) - 1, -(1 << 61), 0x1555_5555_5555_5555, -(1 << 40) - 1];
        for rounding in Rounding::ALL {
            for shift in 0..=62 {
                for word in (-300..300).chain(ends) {
                    let expected = rounding.shift_right(word.into(), shift);
                    let found = rounding.shift_right_narrow(word, shift);
                    assert_eq!(i128::from(found), expected, "{rounding} {word} {shift}");
                }
            }
        }
    }

    /// Every 9-bit word at every shift against the definition in real numbers (exact in f64).
    #[test]
    fn every_rounding_is_its_definition() {
        for shift in 0..=12u32 {
            for word in -256i128..=255 {
                let v = word as f64 / f64::from(1u32 << shift);
                let expected =
                    [v.floor(), (v + 0.5).floor(), v.round_ties_even(), v.round(), v.trunc()];
                for (rounding, expected) in Rounding::ALL.into_iter().zip(expected) {
                    let got = rounding.shift_right(word, shift);
                    assert_eq!(got as f64, expected, "{rounding} {word} >> {shift}");
                }
            }
        }
    }

    /// The stated range and moments are those of all 2^12 words of a full period.
    #[test]
    fn error_range_and_moments_are_those_of_all_words() {
        for rounding in Rounding::ALL {
            for shift in 1..=8u32 {
                let period = 1i128 << 12;
                let errors: Vec<f64> = (-period / 2..period / 2)
                    .map(|w| {
                        rounding.shift_right(w, shift) as f64 - w as f64 / f64::from(1u32 << shift)
                    })
                    .collect();
                let n = errors.len() as f64;
                let mean = errors.iter().sum::<f64>() / n;
                let variance = errors.iter().map(|e| (e - mean) * (e - mean)).sum::<f64>() / n;
                let low = errors.iter().copied().fold(f64::MAX, f64::min);
                let high = errors.iter().copied().fold(f64::MIN, f64::max);
                assert_eq!((low, high), rounding.error_range(shift), "{rounding} {shift}");
                let left = (-period / 2..period / 2)
                    .map(|w| w - (rounding.shift_right(w, shift) << shift));
                let ends = (left.clone().min().unwrap(), left.max().unwrap());
                assert_eq!(ends, rounding.left_over(shift), "{rounding} {shift}");
                let (expected_mean, expected_variance) = rounding.error_moments(shift);
                // toward-zero: zero counts as positive, so the mean is off by one exact word's share
                let slack = if rounding == Rounding::TowardZero { 1e-3 } else { 1e-12 };
                assert!((mean - expected_mean).abs() < slack, "{rounding} {shift}: {mean}");
                assert!(
                    (variance - expected_variance).abs() < slack,
                    "{rounding} {shift}: {variance} {expected_variance}"
                );
            }
        }
    }

    #[test]
    fn the_widest_words_do_not_overflow() {
        for rounding in Rounding::ALL {
            assert_eq!(rounding.shift_right(i128::from(i64::MIN), 63), -1);
            assert!(rounding.shift_right(i128::MAX, 200) <= 2);
        }
    }
}
