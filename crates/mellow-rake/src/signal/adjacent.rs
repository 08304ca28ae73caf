//! How much of a signal falls into the channels beside its own.

use super::Spectrum;

/// A channel beside that of a signal.
#[derive(Debug, Clone, Copy, PartialEq)]
#[cfg_attr(feature = "serde", derive(serde::Serialize))]
pub struct AdjacentChannel {
    /// Its middle, in hertz above that of the signal's own channel.
    pub offset_hz: f64,
    /// The power in it over that in the signal's own channel, in decibels; minus infinity where nothing is.
    pub level_db: f64,
}

/// The power in the two channels above a signal and in the two below it, over that in its own: the
/// adjacent-channel power ratio. All are `width` hertz wide, their middles `spacing` hertz apart, that of the
/// signal at `middle`.
///
/// Only channels that lie within the spectrum are given; none where the signal's own is empty, or a channel
/// has less than sixteen steps of the spectrum, for what the window smears over its edges would count. A step
/// at an edge counts by the part of it that lies in the channel.
///
/// ```
/// use mellow_rake::signal::{SpectrumWish, adjacent_channels, spectrum};
/// use std::f64::consts::TAU;
/// // A line of amplitude 1 at 200 Hz, one of amplitude 0.01 at 300 Hz.
/// let line = |n: usize, hertz: f64| (TAU * hertz * n as f64 / 1000.0).cos();
/// let signal: Vec<f64> = (0..65_536).map(|n| line(n, 200.0) + 0.01 * line(n, 300.0)).collect();
/// let found = spectrum(&signal, "1 kHz".parse()?, SpectrumWish::for_length(65_536)).unwrap();
/// let beside = adjacent_channels(&found, 200.0, 80.0, 100.0);
/// // The second channel below would have its middle at 0 Hz and half of it beyond.
/// let offsets: Vec<f64> = beside.iter().map(|one| one.offset_hz).collect();
/// assert_eq!(offsets, [-100.0, 100.0, 200.0]);
/// assert!((beside[1].level_db + 40.0).abs() < 1e-6 && beside[2].level_db < -120.0);
/// # Ok::<(), mellow_rake::units::QuantityError>(())
/// ```
pub fn adjacent_channels(
    found: &Spectrum,
    middle: f64,
    width: f64,
    spacing: f64,
) -> Vec<AdjacentChannel> {
    let (Some(lowest), Some(highest)) = (found.hertz.first(), found.hertz.last()) else {
        return Vec::new();
    };
    // Each value stands for the step around it.
    let half = found.step_hz / 2.0;
    let is_there =
        |at: f64| at - width / 2.0 >= lowest - half && at + width / 2.0 <= highest + half;
    let is_told = width >= 16.0 * found.step_hz && spacing > 0.0;
    if !is_told || !is_there(middle) {
        return Vec::new();
    }
    let power = |at: f64| -> f64 {
        let (from, to) = (at - width / 2.0, at + width / 2.0);
        let part = |hertz: f64| ((hertz + half).min(to) - (hertz - half).max(from)).max(0.0);
        found.hertz.iter().zip(&found.density).map(|(hertz, density)| part(*hertz) * density).sum()
    };
    let own = power(middle);
    if own <= 0.0 {
        return Vec::new();
    }
    let offsets = [-2.0, -1.0, 1.0, 2.0].map(|number| number * spacing);
    let level = |offset_hz: f64| AdjacentChannel {
        offset_hz,
        level_db: 10.0 * libm::log10(power(middle + offset_hz) / own),
    };
    offsets.into_iter().filter(|offset| is_there(middle + offset)).map(level).collect()
}
