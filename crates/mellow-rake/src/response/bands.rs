//! The quality of a low-pass, high-pass, band-pass or band-stop filter as numbers.

use super::search::{bisect, extreme};
use crate::filter::{BandKind, Transfer};
use crate::units::SampleRate;
use crate::units::level::decibels;

/// Where the pass-band and the stop-band lie, as far as they are known, in hertz.
#[derive(Debug, Clone, PartialEq)]
pub struct Bands {
    /// What is let through.
    pub kind: BandKind,
    /// The ends of the pass-band: one edge, or two rising ones.
    pub pass_hz: Option<Vec<f64>>,
    /// The ends of the stop-band.
    pub stop_hz: Option<Vec<f64>>,
}

/// What a filter turned out to be.
#[derive(Debug, Clone, PartialEq)]
#[cfg_attr(feature = "serde", derive(serde::Serialize))]
#[non_exhaustive]
pub struct BandMeasures {
    /// Largest less smallest gain in the pass-band, in decibels.
    pub passband_ripple_db: Option<f64>,
    /// The peak of the pass-band above the largest gain in the stop-band, in decibels.
    pub stopband_attenuation_db: Option<f64>,
    /// Where in the stop-band the gain is largest, in hertz.
    pub worst_stop_hz: Option<f64>,
    /// The widest stretch from where the gain leaves the measured ripple of the pass-band to where it first
    /// reaches the measured attenuation of the stop-band, in hertz.
    pub transition_width_hz: Option<f64>,
    /// Where the gain is 1 dB below the peak, at each end, in hertz: the crossing that is farthest from the
    /// pass-band, whatever ripples there are within it.
    pub edges_1db_hz: Vec<Option<f64>>,
    /// The same at half power (−3.0103 dB).
    pub edges_3db_hz: Vec<Option<f64>>,
    /// The same at half amplitude (−6.0206 dB).
    pub edges_6db_hz: Vec<Option<f64>>,
    /// The largest gain beyond the first null or minimum outside the half-amplitude points (of a band-stop
    /// filter: between those within them), in decibels from the peak; `None` where the gain only falls.
    pub side_lobe_db: Option<f64>,
    /// What an attenuation that is asked for beside a cut-off is held against, in decibels from the peak: the
    /// largest side lobe, or, where the gain only falls, the least that it comes to on each side. Minus
    /// infinity for an exact zero; `None` without half-amplitude points.
    pub outside_db: Option<f64>,
    /// The middle of the stop-band of a band-stop filter, in hertz: between the half-power points, on the
    /// scale tan(πf/fs) on which the bilinear mapping makes its sides alike.
    pub stop_center_hz: Option<f64>,
    /// The gain there, in decibels from the peak; `None` for an exact zero.
    pub stop_center_db: Option<f64>,
    /// Gain at zero frequency, in decibels; `None` for an exact zero.
    pub dc_gain_db: Option<f64>,
    /// Gain at the Nyquist frequency, in decibels; `None` for an exact zero.
    pub nyquist_gain_db: Option<f64>,
    /// The largest gain at any frequency, in decibels.
    pub peak_gain_db: f64,
}

impl Bands {
    /// The stretches of frequency that edges of the pass-band (or, with `pass` false, of the stop-band)
    /// enclose.
    pub fn stretches(&self, edges: &[f64], pass: bool, nyquist: f64) -> Vec<(f64, f64)> {
        let low_side = vec![(0.0, edges[0])];
        let high_side = vec![(edges[0], nyquist)];
        match (self.kind, edges) {
            (BandKind::Lowpass, _) => {
                if pass {
                    low_side
                } else {
                    high_side
                }
            }
            (BandKind::Highpass, _) => {
                if pass {
                    high_side
                } else {
                    low_side
                }
            }
            (BandKind::Bandpass, [a, b, ..]) if pass => vec![(*a, *b)],
            (BandKind::Bandstop, [a, b, ..]) if !pass => vec![(*a, *b)],
            (_, [a, b, ..]) => vec![(0.0, *a), (*b, nyquist)],
            _ => Vec::new(),
        }
    }
}

/// Measures a filter. `middle_hz` is a frequency in the middle of the band: of the pass-band, or of the
/// stop-band for a band-stop filter.
///
/// Extremes are searched on a grid that is dense at the ends of each stretch, and refined; edges are
/// bracketed outward from the middle and bisected.
pub fn measure_bands(
    filter: &dyn Transfer,
    rate: SampleRate,
    bands: &Bands,
    middle_hz: f64,
) -> BandMeasures {
    let gain = |hz: f64| filter.gain(rate.radians(hz));
    let nyquist = rate.nyquist();
    let largest = |stretches: &[(f64, f64)]| {
        stretches
            .iter()
            .map(|&(low, high)| extreme(low, high, nyquist, filter.extent(), &|hz| -gain(hz)))
            .max_by(|&a, &b| gain(a).total_cmp(&gain(b)))
    };
    let smallest = |stretches: &[(f64, f64)]| {
        stretches
            .iter()
            .map(|&(low, high)| extreme(low, high, nyquist, filter.extent(), &gain))
            .min_by(|&a, &b| gain(a).total_cmp(&gain(b)))
    };
    let pass = bands.pass_hz.as_ref().map(|edges| bands.stretches(edges, true, nyquist));
    let stop = bands.stop_hz.as_ref().map(|edges| bands.stretches(edges, false, nyquist));
    let everywhere: Vec<(f64, f64)> = (0..16)
        .map(|k| (nyquist * f64::from(k) / 16.0, nyquist * f64::from(k + 1) / 16.0))
        .chain(pass.clone().unwrap_or_default())
        .collect();
    let peak = largest(&everywhere).map_or(0.0, gain);
    let worst_stop_hz = stop.as_deref().and_then(largest);
    let level = |ratio: f64| (ratio > 0.0).then(|| decibels(ratio));
    let outward: &[f64] = match bands.kind {
        BandKind::Lowpass => &[nyquist],
        BandKind::Highpass => &[0.0],
        _ => &[0.0, nyquist],
    };
    let start = match bands.kind {
        BandKind::Lowpass => 0.0,
        BandKind::Highpass => nyquist,
        _ => middle_hz,
    };
    let falls = bands.kind != BandKind::Bandstop;
    let walks: Vec<Walk<'_>> =
        outward.iter().map(|&end| Walk::new(start, end, falls, &gain)).collect();
    let first =
        |level: f64| -> Vec<Option<f64>> { walks.iter().map(|walk| walk.first(level)).collect() };
    // A band-stop filter is walked from within its stop-band: what comes first is the farthest from the
    // pass-band.
    let edges = |level: f64| -> Vec<Option<f64>> {
        let farthest = |walk: &Walk<'_>| if falls { walk.last(level) } else { walk.first(level) };
        walks.iter().map(farthest).collect()
    };
    let transition_width_hz = pass.as_deref().zip(worst_stop_hz).and_then(|(pass, worst)| {
        // A millionth beyond, so that rounding at the last ripple does not count as leaving.
        let leaves = first(gain(smallest(pass)?) * (1.0 - 1e-6));
        let arrives = first(gain(worst) * (1.0 + 1e-6));
        let width = |(a, b): (&Option<f64>, &Option<f64>)| Some(((*a)? - (*b)?).abs());
        leaves.iter().zip(&arrives).map(width).collect::<Option<Vec<f64>>>()
    });
    let transition_width_hz = transition_width_hz.and_then(|w| w.into_iter().reduce(f64::max));
    let half = edges(peak / 2.0);
    let minimum =
        |edge: f64, end: f64| first_minimum(edge, end, nyquist, filter.extent(), peak, &gain);
    let largest_between = |a: f64, b: f64| {
        let (low, high) = (a.min(b), a.max(b));
        gain(extreme(low, high, nyquist, filter.extent(), &|hz| -gain(hz))) / peak
    };
    // From where to where side lobes are looked for; of no width where the gain only falls.
    let beyond: Vec<(f64, f64)> = match (bands.kind, &half[..]) {
        (BandKind::Bandstop, [Some(low), Some(high)]) => {
            // One minimum is found from both sides within some steps.
            let one = |a: f64, b: f64| b - a <= 2e-3 * (high - low);
            let ends = minimum(*low, *high).zip(minimum(*high, *low));
            ends.map(|(a, b)| if one(a, b) { (b, b) } else { (a, b) }).into_iter().collect()
        }
        (BandKind::Bandstop, _) => Vec::new(),
        _ => half
            .iter()
            .zip(outward)
            .filter_map(|(edge, end)| Some((minimum((*edge)?, *end).unwrap_or(*end), *end)))
            .collect(),
    };
    let has_width = |(a, b): &&(f64, f64)| a != b;
    let lobe = |(a, b): &(f64, f64)| largest_between(*a, *b);
    let side_lobe = beyond.iter().filter(has_width).map(lobe).reduce(f64::max);
    let outside = beyond.iter().map(lobe).reduce(f64::max);
    let half_power = edges(peak * 0.5f64.sqrt());
    let stop_center_hz = match (bands.kind, &half_power[..]) {
        (BandKind::Bandstop, [Some(low), Some(high)]) => {
            let scale = |hz: f64| libm::tan(rate.radians(hz) / 2.0);
            let middle = 2.0 * libm::atan((scale(*low) * scale(*high)).sqrt());
            Some(middle / rate.radians(1.0))
        }
        _ => None,
    };
    BandMeasures {
        transition_width_hz,
        side_lobe_db: side_lobe.map(decibels),
        outside_db: outside.map(decibels),
        edges_1db_hz: edges(peak * libm::pow(10.0, -0.05)),
        passband_ripple_db: pass.as_deref().and_then(|pass| {
            let (high, low) = (gain(largest(pass)?), gain(smallest(pass)?));
            (low > 0.0).then(|| decibels(high) - decibels(low))
        }),
        stopband_attenuation_db: worst_stop_hz
            .filter(|&hz| gain(hz) > 0.0)
            .map(|hz| decibels(peak) - decibels(gain(hz))),
        worst_stop_hz,
        stop_center_hz,
        stop_center_db: stop_center_hz.and_then(|hz| level(gain(hz) / peak)),
        edges_3db_hz: half_power,
        edges_6db_hz: half,
        dc_gain_db: level(gain(0.0)),
        nyquist_gain_db: level(gain(nyquist)),
        peak_gain_db: decibels(peak),
    }
}

/// Where the gain has its first minimum from `edge` towards `end`; `None` if it only falls, or falls below
/// what f64 can tell from nothing.
fn first_minimum(
    edge: f64,
    end: f64,
    nyquist: f64,
    extent: usize,
    peak: f64,
    gain: &dyn Fn(f64) -> f64,
) -> Option<f64> {
    let ripples = extent as f64 * (end - edge).abs() / nyquist;
    let steps = 4000 + (16.0 * ripples) as u32;
    let mut lowest = (edge, gain(edge));
    for step in 1..=steps {
        let x = f64::from(step) / f64::from(steps);
        // Steps grow slowly: the null next to a steep edge is near it.
        let hz = edge + (end - edge) * x * x;
        let here = gain(hz);
        if here < lowest.1 {
            lowest = (hz, here);
        } else if here > 1e-13 * peak && here > 1.001 * lowest.1 {
            return Some(lowest.0);
        }
    }
    None
}

/// The gain at places from the middle of a band outward.
struct Walk<'a> {
    start: f64,
    end: f64,
    /// Whether the pass-band lies at the start.
    falls: bool,
    gains: Vec<f64>,
    gain: &'a dyn Fn(f64) -> f64,
}

impl<'a> Walk<'a> {
    const STEPS: u32 = 20_000;

    fn new(start: f64, end: f64, falls: bool, gain: &'a dyn Fn(f64) -> f64) -> Self {
        let mut walk = Walk { start, end, falls, gains: Vec::new(), gain };
        walk.gains = (0..=Self::STEPS).map(|step| gain(walk.place(step))).collect();
        walk
    }

    /// Steps grow from a billionth of the way to the whole of it: no edge is too near to the start.
    fn place(&self, step: u32) -> f64 {
        let x = f64::from(step) / f64::from(Self::STEPS);
        self.start + (self.end - self.start) * x * x * x
    }

    /// Where the gain first crosses `level`; `None` where it never does, or is beyond it from the start.
    fn first(&self, level: f64) -> Option<f64> {
        let step = self.gains.iter().position(|gain| (*gain < level) == self.falls)?;
        self.between(step, level)
    }

    /// Where it last does.
    fn last(&self, level: f64) -> Option<f64> {
        let step = self.gains.iter().rposition(|gain| (*gain < level) != self.falls)?;
        (step < self.gains.len() - 1).then(|| self.between(step + 1, level))?
    }

    /// The crossing between a place that is beyond the level and the one before it.
    fn between(&self, step: usize, level: f64) -> Option<f64> {
        let step = u32::try_from(step).ok().filter(|step| *step > 0)?;
        let beyond = |hz: f64| ((self.gain)(hz) < level) == self.falls;
        Some(bisect(self.place(step - 1), self.place(step), &beyond))
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::design::iir::{IirWish, Points, design_iir};
    use crate::filter::{EdgeMeaning, Family};

    /// A Butterworth band-pass has its closed form: half power at the edges, and −10·log10(1 + w^(2n))
    /// everywhere.
    #[test]
    fn a_butterworth_measures_as_its_closed_form() {
        let rate = SampleRate::from_hertz(1000.0).unwrap();
        let wish = IirWish {
            kind: BandKind::Bandpass,
            family: Family::Butterworth,
            points: Points::Recipe {
                meaning: EdgeMeaning::HalfPower,
                edges: vec![100.0, 140.0],
                order: 8,
            },
            ripple_db: None,
            attenuation_db: None,
        };
        let (_, filter) = design_iir(&wish, rate).unwrap();
        let bands = Bands {
            kind: BandKind::Bandpass,
            pass_hz: Some(vec![105.0, 135.0]),
            stop_hz: Some(vec![60.0, 200.0]),
        };
        let measured = measure_bands(&filter, rate, &bands, 118.0);
        let tan = |hz: f64| (std::f64::consts::PI * hz / 1000.0).tan();
        let (square, width) = (tan(100.0) * tan(140.0), tan(140.0) - tan(100.0));
        let attenuation = |hz: f64| {
            let w = (tan(hz) * tan(hz) - square) / (tan(hz) * width);
            10.0 * (1.0 + w.powi(8)).log10()
        };
        let close = |found: Option<f64>, expected: f64| (found.unwrap() - expected).abs() < 1e-8;
        assert!(close(measured.edges_3db_hz[0], 100.0) && close(measured.edges_3db_hz[1], 140.0));
        assert!(close(measured.passband_ripple_db, attenuation(105.0).max(attenuation(135.0))));
        assert!(close(measured.stopband_attenuation_db, attenuation(60.0).min(attenuation(200.0))));
        assert!(measured.peak_gain_db.abs() < 1e-9);
        assert!(measured.dc_gain_db.is_none());
        // sin π is not quite zero in f64
        assert!(measured.nyquist_gain_db.is_none_or(|gain| gain < -1000.0));
    }
}
