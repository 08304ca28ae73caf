//! What falls into the channels beside that of some symbols, before and behind a filter.

use super::{ErrorLimits, NotReceived, Passed};
use crate::signal::{AdjacentChannel, Part, SpectrumWish, adjacent_channels, spectrum_of_words};
use crate::units::SampleRate;
use crate::window::Window;

/// Levels of the channels beside that of some symbols.
#[derive(Debug, Clone, PartialEq)]
#[cfg_attr(feature = "serde", derive(serde::Serialize))]
#[non_exhaustive]
pub struct Adjacent {
    /// How wide each channel is, in hertz: as wide as the band of the symbols.
    pub width_hz: f64,
    /// How far their middles are apart, in hertz.
    pub spacing_hz: f64,
    /// What is allowed of each behind the filter, in decibels.
    pub limit_db: Option<f64>,
    /// Those that lie in the band that comes out, the lowest first.
    pub channels: Vec<AdjacentLevels>,
}

/// The power in a channel over that in the channel of the symbols, in decibels; `None` where the band does
/// not reach so far, or nothing is there.
#[derive(Debug, Clone, Copy, PartialEq)]
#[cfg_attr(feature = "serde", derive(serde::Serialize))]
#[non_exhaustive]
pub struct AdjacentLevels {
    /// The middle of the channel, in hertz above that of the symbols.
    pub offset_hz: f64,
    /// Of what went in.
    pub before_db: Option<f64>,
    /// Of what came out in floating point, where `after` came out of integers.
    pub designed_db: Option<f64>,
    /// Of what came out.
    pub after_db: Option<f64>,
}

impl Adjacent {
    /// Whether what is allowed is kept.
    pub fn is_held(&self) -> bool {
        let is_above = |limit: f64| {
            self.channels.iter().any(|one| one.after_db.is_some_and(|level| level > limit))
        };
        self.limit_db.is_none_or(|limit| !is_above(limit))
    }
}

/// How words are read as samples.
#[derive(Debug, Clone, Copy)]
pub(super) struct Reading {
    /// Their rate.
    pub(super) rate: SampleRate,
    /// Words of a sample, of which the first, or the first two, are looked at.
    pub(super) words: usize,
    /// By how many hertz the symbols were moved down, where samples are complex.
    pub(super) moved: Option<f64>,
}

impl Reading {
    /// The channels beside the symbols of a part, whose own have a width.
    fn levels(&self, part: &Part, words: &[f64], width: f64, spacing: f64) -> Vec<AdjacentChannel> {
        // Side lobes at -98 dB: what falls beside is the signal's own.
        let wish = SpectrumWish::for_length(words.len() / self.words);
        let wish = SpectrumWish { window: Window::Nuttall, overlap: 0.75, ..wish };
        let found = spectrum_of_words(words, self.words, self.moved.is_some(), self.rate, wish);
        let (Ok(found), Some(middle)) = (found, part.middle_hertz()) else { return Vec::new() };
        adjacent_channels(&found, middle - self.moved.unwrap_or(0.0), width, spacing)
    }
}

/// The channels beside the symbols of a part. `before` is how what went in is read, where that is a signal
/// and not the symbols themselves.
pub(super) fn beside(
    part: &Part,
    passed: Passed<'_>,
    limits: ErrorLimits,
    before: Option<Reading>,
    after: Reading,
) -> Result<Adjacent, NotReceived> {
    let width_hz = part.width_hertz().unwrap_or(0.0);
    let spacing_hz = limits.spacing_hz.unwrap_or(width_hz);
    let of = |reading: Reading, words: &[f64]| reading.levels(part, words, width_hz, spacing_hz);
    let went_in = before.map_or_else(Vec::new, |before| of(before, passed.input));
    let designed = passed.designed.map_or_else(Vec::new, |words| of(after, words));
    let level = |all: &[AdjacentChannel], offset: f64| {
        let one = all.iter().find(|one| one.offset_hz == offset)?;
        Some(one.level_db).filter(|level| level.is_finite())
    };
    let levels = |one: &AdjacentChannel| AdjacentLevels {
        offset_hz: one.offset_hz,
        before_db: level(&went_in, one.offset_hz),
        designed_db: level(&designed, one.offset_hz),
        after_db: Some(one.level_db).filter(|level| level.is_finite()),
    };
    let channels: Vec<AdjacentLevels> = of(after, passed.output).iter().map(levels).collect();
    match limits.adjacent_db {
        Some(_) if channels.is_empty() => {
            Err(NotReceived::NoneBeside { width_hz, spacing_hz, nyquist_hz: after.rate.nyquist() })
        }
        limit_db => Ok(Adjacent { width_hz, spacing_hz, limit_db, channels }),
    }
}
