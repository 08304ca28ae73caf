//! Bands with a desired amplitude and a weight: what the optimal methods work on.

use crate::filter::LinearPhase;

/// A stretch of frequency in which an amplitude is desired. Frequencies are parts of the sample rate, 0 to
/// 0.5.
#[derive(Debug, Clone, Copy, PartialEq)]
#[cfg_attr(feature = "serde", derive(serde::Serialize))]
pub struct Band {
    /// Where it begins.
    pub low: f64,
    /// Where it ends.
    pub high: f64,
    /// The amplitude at both ends, with a straight line between them.
    pub level: [f64; 2],
    /// Factor on the error.
    pub weight: f64,
    /// Whether the error counts relative to the desired amplitude.
    pub relative: bool,
}

impl Band {
    /// A band of one level.
    pub fn flat(low: f64, high: f64, level: f64, weight: f64) -> Self {
        Band { low, high, level: [level; 2], weight, relative: false }
    }

    /// The amplitude desired at `frequency`.
    pub fn desired(&self, frequency: f64) -> f64 {
        let [at_low, at_high] = self.level;
        if at_low == at_high {
            return at_low;
        }
        at_low + (at_high - at_low) * ((frequency - self.low) / (self.high - self.low))
    }

    /// The factor on the error at `frequency`.
    pub fn weight_at(&self, frequency: f64) -> f64 {
        if self.relative { self.weight / self.desired(frequency).abs() } else { self.weight }
    }
}

/// Why bands are no task for an optimal method.
#[derive(Debug, Clone, Copy, PartialEq, thiserror::Error)]
#[non_exhaustive]
pub enum BandError {
    /// Not between zero and one half, falling, or empty.
    #[error(
        "band {index}, {low} to {high} of the sample rate, is not a rising stretch between 0 and 0.5"
    )]
    Stretch {
        /// Which, from 1.
        index: usize,
        /// Where it begins.
        low: f64,
        /// Where it ends.
        high: f64,
    },
    /// Two bands meet or overlap, with different levels.
    #[error(
        "band {index} begins at {low} of the sample rate, within the band before it, which ends at {before}"
    )]
    Overlap {
        /// Which, from 1.
        index: usize,
        /// Where it begins.
        low: f64,
        /// Where the one before it ends.
        before: f64,
    },
    /// A weight or level that is no finite number of the right sign.
    #[error("band {index}: a {what} of {found} is not {accepted}")]
    Value {
        /// Which, from 1.
        index: usize,
        /// What.
        what: &'static str,
        /// The value.
        found: f64,
        /// What would be accepted.
        accepted: &'static str,
    },
    /// No band.
    #[error("no band was given")]
    None,
}

/// The largest level, gain and weight.
pub(super) const LARGEST: f64 = 1e12;

/// Checks that bands rise, keep apart, and have weights above zero.
pub(super) fn check_bands(bands: &[Band]) -> Result<(), BandError> {
    if bands.is_empty() {
        return Err(BandError::None);
    }
    let mut before: Option<&Band> = None;
    for (index, band) in (1..).zip(bands) {
        let Band { low, high, weight, level, .. } = *band;
        // Written so that a NaN is refused too.
        if !(low >= 0.0 && low < high && high <= 0.5) {
            return Err(BandError::Stretch { index, low, high });
        }
        if let Some(b) = before {
            let joined = low == b.high && level[0] == b.level[1];
            if low < b.high || (low == b.high && !joined) {
                return Err(BandError::Overlap { index, low, before: b.high });
            }
        }
        // What squares and products of them must not carry out of range.
        if !(1.0 / LARGEST..=LARGEST).contains(&weight) {
            let (what, found, accepted) = ("weight", weight, "between 1e-12 and 1e12");
            return Err(BandError::Value { index, what, found, accepted });
        }
        if let Some(found) = level.into_iter().find(|v| v.is_nan() || v.abs() > LARGEST) {
            let (what, accepted) = ("level", "at most 1e12 in size");
            return Err(BandError::Value { index, what, found, accepted });
        }
        before = Some(band);
    }
    Ok(())
}

/// The factor Q(ω) that a type of linear phase puts before a polynomial in cos ω: 1, cos(ω/2), sin ω,
/// sin(ω/2) (McClellan & Parks, *A unified approach to the design of optimum FIR linear-phase digital
/// filters*, 1973).
pub(super) fn fixed_factor(kind: LinearPhase, omega: f64) -> f64 {
    match kind {
        LinearPhase::TypeI => 1.0,
        LinearPhase::TypeII => libm::cos(omega / 2.0),
        LinearPhase::TypeIII => libm::sin(omega),
        LinearPhase::TypeIV => libm::sin(omega / 2.0),
    }
}

/// How many coefficients the polynomial has.
pub(super) fn freedom(kind: LinearPhase, taps: usize) -> usize {
    match kind {
        LinearPhase::TypeI => taps.div_ceil(2),
        LinearPhase::TypeII | LinearPhase::TypeIV => taps / 2,
        LinearPhase::TypeIII => (taps - 1) / 2,
    }
}

/// `count` places given out by shares, at least one each, by largest remainders.
pub(super) fn apportion(shares: &[f64], count: usize) -> Vec<usize> {
    let mut given: Vec<usize> =
        shares.iter().map(|share| ((share * count as f64) as usize).max(1)).collect();
    loop {
        let total: usize = given.iter().sum();
        let lack = |band: usize| shares[band] * count as f64 - given[band] as f64;
        let order = |a: &usize, b: &usize| lack(*a).total_cmp(&lack(*b));
        if total < count {
            let most = (0..shares.len()).max_by(order).unwrap_or(0);
            given[most] += 1;
        } else if total > count {
            // With fewer points than bands some band goes without.
            let least = (0..shares.len()).filter(|b| given[*b] > 1).min_by(order);
            let least = least.or_else(|| (0..shares.len()).find(|b| given[*b] > 0)).unwrap_or(0);
            given[least] -= 1;
        } else {
            return given;
        }
    }
}
