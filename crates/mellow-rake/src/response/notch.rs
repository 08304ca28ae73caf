//! The quality of a notch as numbers.

use super::search::{bisect, golden};
use crate::filter::Transfer;
use crate::units::SampleRate;
use crate::units::level::decibels;

/// What a notch turned out to be.
#[derive(Debug, Clone, Copy, PartialEq)]
#[cfg_attr(feature = "serde", derive(serde::Serialize))]
#[non_exhaustive]
pub struct NotchMeasures {
    /// Gain at the centre that was asked for, in decibels; `None` for an exact zero.
    pub center_gain_db: Option<f64>,
    /// Where the gain is smallest, in hertz.
    pub null_hz: f64,
    /// The gain there, in decibels; `None` for an exact zero.
    pub null_gain_db: Option<f64>,
    /// The two points 1 dB below the peak, in hertz.
    pub edges_1db_hz: [Option<f64>; 2],
    /// The two points at half power (−3.0103 dB) below the peak, in hertz; `None` where there is none.
    pub edges_3db_hz: [Option<f64>; 2],
    /// The two points at half amplitude (−6.0206 dB) below the peak, in hertz.
    pub edges_6db_hz: [Option<f64>; 2],
    /// The distance of the −3 dB points, in hertz.
    pub width_hz: Option<f64>,
    /// Gain at zero frequency, in decibels.
    pub dc_gain_db: f64,
    /// Gain at the Nyquist frequency, in decibels.
    pub nyquist_gain_db: f64,
    /// The largest gain at any frequency, in decibels.
    pub peak_gain_db: f64,
}

const GRID: usize = 4096;

/// Measures a notch around the centre that was asked for, in hertz.
///
/// The null and the peak are searched on a grid and refined; the −3 dB and −6 dB points are found by
/// bisection outward from the null, each relative to the peak.
pub fn measure_notch(filter: &dyn Transfer, rate: SampleRate, center_hz: f64) -> NotchMeasures {
    let gain = |hz: f64| filter.gain(rate.radians(hz));
    let nyquist = rate.nyquist();
    // The grid leaves out nothing next to the null: it is dense around the asked centre.
    let span = center_hz.min(nyquist - center_hz);
    let mut grid: Vec<f64> = (0..=GRID).map(|k| nyquist * (k as f64 / GRID as f64)).collect();
    for k in -(GRID as i32)..=GRID as i32 {
        let x = f64::from(k) / GRID as f64;
        grid.push(center_hz + span * x * x * x);
    }
    grid.sort_by(f64::total_cmp);

    let around = |pick: &dyn Fn(f64, f64) -> bool| {
        let mut best = 0;
        for (index, hz) in grid.iter().enumerate() {
            if pick(gain(*hz), gain(grid[best])) {
                best = index;
            }
        }
        (grid[best.saturating_sub(1)], grid[(best + 1).min(grid.len() - 1)])
    };
    let (low, high) = around(&|new, old| new < old);
    let refined = golden(low, high, &gain);
    let null_hz = if gain(center_hz) <= gain(refined) { center_hz } else { refined };
    let (low, high) = around(&|new, old| new > old);
    let peak =
        [low, high, golden(low, high, &|hz| -gain(hz))].map(gain).into_iter().fold(0.0, f64::max);

    let edges = |level: f64| {
        [0.0, nyquist].map(|outside| {
            (gain(outside) > level).then(|| bisect(null_hz, outside, &|hz| gain(hz) >= level))
        })
    };
    let edges_3db_hz = edges(peak * 0.5f64.sqrt());
    let level = |ratio: f64| (ratio > 0.0).then(|| decibels(ratio));
    NotchMeasures {
        center_gain_db: level(gain(center_hz)),
        null_hz,
        null_gain_db: level(gain(null_hz)),
        edges_1db_hz: edges(peak * libm::pow(10.0, -0.05)),
        edges_3db_hz,
        edges_6db_hz: edges(peak / 2.0),
        width_hz: edges_3db_hz[0].zip(edges_3db_hz[1]).map(|(low, high)| high - low),
        dc_gain_db: decibels(gain(0.0)),
        nyquist_gain_db: decibels(gain(nyquist)),
        peak_gain_db: decibels(peak),
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::design::notch;

    /// Measured against the closed form of the edges, from wide to narrow.
    #[test]
    fn what_is_measured_is_what_the_closed_form_says() {
        let rate = SampleRate::from_hertz(1000.0).unwrap();
        for (center, width) in
            [(87.5, 5.0), (0.05, 0.01), (499.0, 0.5), (250.0, 100.0), (10.0, 40.0)]
        {
            let design = notch(center, width, rate).unwrap();
            let measured = measure_notch(&design.zeros_poles, rate, center);
            // an angle is known to about 1e-16 of the whole circle
            let tolerance = 1e-12 * 1000.0 * (1.0 / width).max(1.0);
            for (found, expected) in measured.edges_3db_hz.iter().zip(design.choice.edges_hz) {
                assert!(
                    (found.unwrap() - expected).abs() < tolerance,
                    "{center} {found:?} {expected}"
                );
            }
            assert_eq!(measured.null_hz, center);
            assert!(measured.null_gain_db.is_none_or(|gain| gain < -200.0), "{measured:?}");
            assert!(measured.peak_gain_db.abs() < 1e-9 && measured.dc_gain_db.abs() < 1e-9);
        }
    }
}
