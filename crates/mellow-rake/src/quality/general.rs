//! The quality of a filter that is no plain low-pass, high-pass, band-pass or band-stop.

use crate::design::fir::WeightedBand;
use crate::design::{Asked, Mark};
use crate::filter::Transfer;
use crate::response::extreme;
use crate::units::SampleRate;
use crate::units::level::decibels;

/// What a filter turned out to be.
#[derive(Debug, Clone, PartialEq)]
#[cfg_attr(feature = "serde", derive(serde::Serialize))]
#[non_exhaustive]
pub struct GeneralMeasures {
    /// Points that the wish fixes, with what was found there.
    pub marks: Vec<MarkMeasure>,
    /// Bands with a desired amplitude, with the largest deviation from it.
    pub bands: Vec<BandDeviation>,
    /// Gain at zero frequency, in decibels; `None` for a zero.
    pub dc_gain_db: Option<f64>,
    /// Gain at the Nyquist frequency, in decibels; `None` for a zero.
    pub nyquist_gain_db: Option<f64>,
    /// The largest gain at any frequency, in decibels.
    pub peak_gain_db: f64,
    /// Where it is, in hertz.
    pub peak_hz: f64,
}

/// A point of the response as it was found.
#[derive(Debug, Clone, Copy, PartialEq)]
#[cfg_attr(feature = "serde", derive(serde::Serialize))]
#[non_exhaustive]
pub struct MarkMeasure {
    /// What was asked.
    #[cfg_attr(feature = "serde", serde(flatten))]
    pub mark: Mark,
    /// The gain in decibels, or the phase in degrees within half a turn of what was asked; `None` for no gain
    /// at all.
    pub found: Option<f64>,
}

/// How far the amplitude of a band is from what was desired.
#[derive(Debug, Clone, Copy, PartialEq)]
#[cfg_attr(feature = "serde", derive(serde::Serialize))]
#[non_exhaustive]
pub struct BandDeviation {
    /// The band.
    #[cfg_attr(feature = "serde", serde(flatten))]
    pub band: WeightedBand,
    /// The largest deviation of the gain from the level, as a ratio to 1; relative to the level where the
    /// band says so.
    pub largest: f64,
    /// Where it is, in hertz.
    pub at_hz: f64,
}

/// What counts as no gain: what f64 leaves of a zero on the unit circle.
const NOTHING: f64 = 1e-10;

/// Measures the marks and bands of a wish.
pub fn measure_general(
    filter: &dyn Transfer,
    rate: SampleRate,
    marks: &[Mark],
    bands: &[WeightedBand],
) -> GeneralMeasures {
    let gain = |hz: f64| filter.gain(rate.radians(hz));
    let level = |ratio: f64| (ratio > NOTHING).then(|| decibels(ratio));
    let mark = |mark: &Mark| {
        let found = match mark.asked {
            Asked::GainDb(_) | Asked::Null => level(gain(mark.hertz)),
            Asked::PhaseDegrees(asked) => {
                let h = filter.response(rate.radians(mark.hertz));
                let degrees = libm::atan2(h.im, h.re).to_degrees();
                Some(degrees - 360.0 * libm::rint((degrees - asked) / 360.0))
            }
        };
        MarkMeasure { mark: *mark, found }
    };
    let band = |band: &WeightedBand| {
        let [low, high] = band.edges_hz;
        let deviation = |hz: f64| {
            let desired =
                band.level[0] + (band.level[1] - band.level[0]) * ((hz - low) / (high - low));
            let error = (gain(hz) - desired.abs()).abs();
            match band.relative {
                true if desired == 0.0 => 0.0,
                true => error / desired.abs(),
                false => error,
            }
        };
        let at_hz = extreme(low, high, rate.nyquist(), filter.extent(), &|hz| -deviation(hz));
        BandDeviation { band: *band, largest: deviation(at_hz), at_hz }
    };
    let nyquist = rate.nyquist();
    let peak_hz = extreme(0.0, nyquist, nyquist, filter.extent(), &|hz| -gain(hz));
    let on_marks = marks.iter().map(|m| m.hertz).chain([peak_hz]);
    let peak_hz = on_marks.reduce(|a, b| if gain(b) > gain(a) { b } else { a }).unwrap_or(peak_hz);
    GeneralMeasures {
        marks: marks.iter().map(mark).collect(),
        bands: bands.iter().map(band).collect(),
        dc_gain_db: level(gain(0.0)),
        nyquist_gain_db: level(gain(nyquist)),
        peak_gain_db: decibels(gain(peak_hz)),
        peak_hz,
    }
}
