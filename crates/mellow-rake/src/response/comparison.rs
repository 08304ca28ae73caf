//! Responses held against one another, and against a curve that was measured or published.

use super::adaptive_grid;
use super::gain_db;
use super::search::{extreme, golden};
use crate::filter::{PhaseResponse, Transfer};
use crate::units::SampleRate;

/// The gain of the first filter less that of the second, in decibels, at frequencies in hertz. Each has its
/// own sample rate.
///
/// Where the second has an exact zero the difference is +∞, where both have one it is 0.
pub fn gain_difference_db(
    [first, second]: [(&dyn Transfer, SampleRate); 2],
    hertz: &[f64],
) -> Vec<f64> {
    let difference = |hz: &f64| {
        let levels = [gain_db(first.0, first.1, *hz), gain_db(second.0, second.1, *hz)];
        if levels[0] == levels[1] { 0.0 } else { levels[0] - levels[1] }
    };
    hertz.iter().map(difference).collect()
}

/// The gain of the first filter less that of the second where it is largest in size within these stretches of
/// frequency in hertz, in decibels; `None` where the gain of either is zero everywhere. The extreme is
/// refined.
pub fn largest_gain_difference_db(
    both: [(&dyn Transfer, SampleRate); 2],
    stretches: &[(f64, f64)],
) -> Option<f64> {
    let difference = |hz: f64| gain_difference_db(both, &[hz])[0];
    // A null of one of them is no number to compare.
    let size = |hz: f64| {
        let size = difference(hz).abs();
        if size.is_finite() { size } else { 0.0 }
    };
    let nyquist = both[0].1.nyquist().min(both[1].1.nyquist());
    let extent = both[0].0.extent().max(both[1].0.extent());
    let at = |&(low, high): &(f64, f64)| {
        difference(extreme(low, high.min(nyquist), nyquist, extent, &|hz| -size(hz)))
    };
    let found = stretches.iter().map(at).filter(|difference| difference.is_finite());
    found.max_by(|a, b| a.abs().total_cmp(&b.abs()))
}

/// Where two responses differ most.
#[derive(Debug, Clone, Copy, PartialEq)]
#[cfg_attr(feature = "serde", derive(serde::Serialize))]
#[non_exhaustive]
pub struct ResponseDifference {
    /// The gain of the first less that of the second, as a ratio of the largest gain of the second that was
    /// seen.
    pub of_peak: f64,
    /// Where, in hertz.
    pub at_hz: f64,
}

/// Where the gain of one filter differs most from that of another, at all frequencies that both sample rates
/// have; `None` where the second lets nothing through. So a change of a coefficient in its third decimal is
/// seen as a number, and where it matters.
///
/// The frequencies are those on which either response can be drawn, and the largest difference is refined.
///
/// ```
/// use mellow_rake::{response::largest_response_difference, design::notch};
/// let rate = "1 kHz".parse()?;
/// let designed = notch(87.5, 5.0, rate)?.sections;
/// let mut changed = designed.clone();
/// changed.0[0].a[0] += 0.001;
/// let found = largest_response_difference([(&changed, rate), (&designed, rate)]).unwrap();
/// // A twentieth of the peak, beside the notch.
/// assert!((0.02..0.2).contains(&found.of_peak.abs()) && (found.at_hz - 87.5).abs() < 5.0);
/// # Ok::<(), Box<dyn std::error::Error>>(())
/// ```
pub fn largest_response_difference(
    both: [(&dyn PhaseResponse, SampleRate); 2],
) -> Option<ResponseDifference> {
    let nyquist = both[0].1.nyquist().min(both[1].1.nyquist());
    let gains = |hz: f64| both.map(|(filter, rate)| filter.gain(rate.radians(hz)));
    let difference = |hz: f64| {
        let [first, second] = gains(hz);
        first - second
    };
    let mut hertz: Vec<f64> = both
        .iter()
        .flat_map(|(filter, rate)| adaptive_grid(*filter, *rate, 0.0, nyquist, 0.5))
        .collect();
    hertz.sort_by(f64::total_cmp);
    let peak = hertz.iter().map(|hz| gains(*hz)[1]).fold(0.0, f64::max);
    let size = |hz: f64| -difference(hz).abs();
    let most = (0..hertz.len()).min_by(|a, b| size(hertz[*a]).total_cmp(&size(hertz[*b])))?;
    let (low, high) = (most.saturating_sub(1), (most + 1).min(hertz.len() - 1));
    let between = golden(hertz[low], hertz[high], &size);
    let at_hz = if size(between) < size(hertz[most]) { between } else { hertz[most] };
    (peak > 0.0).then(|| ResponseDifference { of_peak: difference(at_hz) / peak, at_hz })
}

/// How far a filter is from a reference curve.
#[derive(Debug, Clone, Copy, PartialEq)]
#[cfg_attr(feature = "serde", derive(serde::Serialize))]
#[non_exhaustive]
pub struct Deviation {
    /// The deviation of the filter from the curve with the largest size, in decibels: above zero where the
    /// filter lets more through.
    pub largest_db: f64,
    /// Where it is, in hertz.
    pub at_hz: f64,
    /// The root of the mean square over the points of the curve, in decibels.
    pub rms_db: f64,
    /// The constant that, added to the curve, makes the largest deviation least, in decibels: a measured
    /// curve often has another reference level.
    pub offset_db: f64,
    /// The largest deviation that then remains, in decibels.
    pub without_offset_db: f64,
}

/// Compares a filter with a curve of frequencies in hertz and levels in decibels, at the points of the curve;
/// `None` for an empty curve.
///
/// ```
/// use mellow_rake::{response::deviation, filter::Taps};
/// let half = Taps(vec![0.5]);
/// let found = deviation(&half, "1 kHz".parse()?, &[(10.0, -6.0), (20.0, -6.5)]).unwrap();
/// assert!((found.largest_db - 0.4794).abs() < 1e-4 && found.at_hz == 20.0);
/// assert!((found.without_offset_db - 0.25).abs() < 1e-9);
/// # Ok::<(), mellow_rake::units::QuantityError>(())
/// ```
pub fn deviation(
    filter: &dyn Transfer,
    rate: SampleRate,
    curve: &[(f64, f64)],
) -> Option<Deviation> {
    let differences: Vec<(f64, f64)> =
        curve.iter().map(|(hz, level)| (*hz, gain_db(filter, rate, *hz) - level)).collect();
    let larger = |a: (f64, f64), b: (f64, f64)| if b.1.abs() > a.1.abs() { b } else { a };
    let (at_hz, largest_db) = differences.iter().copied().reduce(larger)?;
    let square: f64 = differences.iter().map(|(_, d)| d * d).sum();
    let (low, high) =
        differences.iter().fold((f64::INFINITY, f64::NEG_INFINITY), |(low, high), (_, d)| {
            (low.min(*d), high.max(*d))
        });
    Some(Deviation {
        largest_db,
        at_hz,
        rms_db: libm::sqrt(square / differences.len() as f64),
        offset_db: f64::midpoint(low, high),
        without_offset_db: (high - low) / 2.0,
    })
}
