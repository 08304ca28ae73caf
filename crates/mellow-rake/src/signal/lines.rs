//! The lines of a spectrum: hum, carriers, whatever stands above the floor.

use super::Spectrum;
use crate::units::SampleRate;
use std::f64::consts::TAU;

/// A line of a spectrum.
#[derive(Debug, Clone, PartialEq)]
#[cfg_attr(feature = "serde", derive(serde::Serialize))]
#[non_exhaustive]
pub struct SpectralLine {
    /// Its frequency in hertz, between the points of the grid.
    pub hertz: f64,
    /// The amplitude of a sine of the same mean square, in the signal's unit.
    pub amplitude: f64,
    /// How far its power density stands over the floor around it, in decibels.
    pub over_floor_db: f64,
    /// From where to where the density stays 6 dB over the floor, in hertz: the line with its skirts, and the
    /// window's.
    pub band_hz: [f64; 2],
    /// Of which other line of the list it is a multiple: index and factor.
    pub multiple_of: Option<(usize, u32)>,
}

/// The floor is the median of so many points on either side, without those next to the line.
const NEIGHBOURS: usize = 40;
/// The main lobe of the window reaches so many points to either side.
pub(crate) const LOBE: usize = 3;
/// The median of an exponentially distributed density is this much below its mean (ln 2).
const MEDIAN_OF_NOISE: f64 = std::f64::consts::LN_2;
/// So much of a signal is used to find a frequency between the points of the grid.
const MOST_SAMPLES: usize = 1 << 17;

/// The lines that stand at least `least_db` over the floor around them, the strongest first, at most `most`
/// of them.
///
/// The floor is the median of the density on both sides. The amplitude comes from the power in the main lobe,
/// less the floor; the frequency is where the windowed transform of the signal itself has its peak, within a
/// step of the grid.
///
/// ```
/// use mellow_rake::signal::{SpectrumWish, spectral_lines, spectrum};
/// let rate = "1 kHz".parse()?;
/// let hum: Vec<f64> =
///     (0..20_000).map(|n| 2.0 * (0.5503 * n as f64).sin() + ((n * n) as f64).sin()).collect();
/// let found = spectrum(&hum, rate, SpectrumWish::for_length(hum.len())).unwrap();
/// let lines = spectral_lines(&hum, rate, &found, 15.0, 5);
/// let expected = 0.5503 / std::f64::consts::TAU * 1000.0;
/// assert!((lines[0].hertz - expected).abs() < 1e-3 && (lines[0].amplitude - 2.0).abs() < 0.05);
/// # Ok::<(), mellow_rake::units::QuantityError>(())
/// ```
pub fn spectral_lines(
    signal: &[f64],
    rate: SampleRate,
    spectrum: &Spectrum,
    least_db: f64,
    most: usize,
) -> Vec<SpectralLine> {
    let density = &spectrum.density;
    let mut lines: Vec<SpectralLine> = Vec::new();
    let is_peak = |k: usize| {
        let around = k.saturating_sub(LOBE)..(k + LOBE + 1).min(density.len());
        density[around].iter().all(|other| *other <= density[k]) && density[k] > 0.0
    };
    for k in (1..density.len()).filter(|k| is_peak(*k)) {
        let floor = floor(density, k);
        let over_floor_db = 10.0 * libm::log10(density[k] / floor);
        if over_floor_db < least_db {
            continue;
        }
        let lobe = k.saturating_sub(LOBE)..(k + LOBE + 1).min(density.len());
        let power: f64 = density[lobe].iter().map(|d| (d - floor).max(0.0)).sum();
        lines.push(SpectralLine {
            hertz: spectrum.hertz[k],
            amplitude: libm::sqrt(2.0 * power * spectrum.step_hz),
            over_floor_db,
            band_hz: stretch(density, k, 4.0 * floor).map(|k| spectrum.hertz[k]),
            multiple_of: None,
        });
    }
    lines.sort_by(|a, b| b.amplitude.total_cmp(&a.amplitude));
    lines.truncate(most);
    let used = &signal[..signal.len().min(MOST_SAMPLES)];
    for line in &mut lines {
        line.hertz = peak_near(used, spectrum.mean, rate, line.hertz, spectrum.step_hz);
    }
    let series = Series { spectrum, resolution_hz: rate.hertz() / used.len() as f64 };
    for index in 0..lines.len() {
        lines[index].multiple_of = series.lowest(&lines, index);
    }
    lines
}

/// The first and the last point around this one up to which the density stays above a level.
fn stretch(density: &[f64], k: usize, level: f64) -> [usize; 2] {
    let below = density[..k].iter().rposition(|d| *d < level).map_or(0, |at| at + 1);
    let above = density[k..].iter().position(|d| *d < level).map_or(density.len(), |at| k + at);
    [below, above - 1]
}

/// The median density around a point, as the mean of noise that has this median.
pub(crate) fn floor(density: &[f64], k: usize) -> f64 {
    let below = k.saturating_sub(NEIGHBOURS + LOBE)..k.saturating_sub(LOBE);
    let above = (k + LOBE + 1).min(density.len())..(k + LOBE + 1 + NEIGHBOURS).min(density.len());
    let mut around: Vec<f64> = density[below].iter().chain(&density[above]).copied().collect();
    around.sort_by(f64::total_cmp);
    let median = around.get(around.len() / 2).copied().unwrap_or(0.0);
    (median / MEDIAN_OF_NOISE).max(f64::MIN_POSITIVE)
}

/// Where the transform of the signal under a Hann window has its peak, within a step on either side.
fn peak_near(signal: &[f64], mean: f64, rate: SampleRate, hertz: f64, step_hz: f64) -> f64 {
    let length = signal.len() as f64;
    let windowed: Vec<f64> = signal
        .iter()
        .enumerate()
        .map(|(n, x)| (x - mean) * (0.5 - 0.5 * libm::cos(TAU * (n as f64 + 0.5) / length)))
        .collect();
    let power = |hz: f64| {
        // Goertzel's recursion (1958); the angle is far from 0 and from a half turn for anything but the
        // ends.
        let omega = rate.radians(hz);
        let cosine = 2.0 * libm::cos(omega);
        let (mut one, mut two) = (0.0, 0.0);
        for x in &windowed {
            (one, two) = (x + cosine * one - two, one);
        }
        one * one + two * two - cosine * one * two
    };
    // The record may be much longer than a piece: its own peak is narrower than a step.
    let own = rate.hertz() / length;
    let count = (4.0 * step_hz / own).ceil().clamp(4.0, 400.0) as usize;
    let place = |k: usize| (hertz - step_hz + 2.0 * step_hz * k as f64 / count as f64).max(0.0);
    let best = (0..=count).map(|k| (k, power(place(k))));
    let best = best.fold((0, f64::MIN), |best, new| if new.1 > best.1 { new } else { best }).0;
    let [left, middle, right] = [best.saturating_sub(1), best, best + 1].map(place);
    // The Hann main lobe is near a parabola in decibels at its top.
    let [a, b, c] = [left, middle, right].map(|hz| libm::log(power(hz).max(f64::MIN_POSITIVE)));
    let bend = a - 2.0 * b + c;
    let shift = if bend < 0.0 { 0.5 * (a - c) / bend } else { 0.0 };
    let coarse = middle + shift.clamp(-1.0, 1.0) * (right - middle);
    // Once more, closer.
    let near = (right - middle) / 8.0;
    let [a, b, c] =
        [-near, 0.0, near].map(|off| libm::log(power(coarse + off).max(f64::MIN_POSITIVE)));
    let bend = a - 2.0 * b + c;
    let shift = if bend < 0.0 { 0.5 * (a - c) / bend } else { 0.0 };
    coarse + shift.clamp(-1.0, 1.0) * near
}

/// The harmonics of lines in a spectrum.
struct Series<'a> {
    spectrum: &'a Spectrum,
    /// One over the duration of the record that the frequencies were found in.
    resolution_hz: f64,
}

impl Series<'_> {
    /// The lowest line of which this one is a multiple, within what the record can tell apart, if it is no
    /// stronger than a harmonic can be.
    fn lowest(&self, lines: &[SpectralLine], index: usize) -> Option<(usize, u32)> {
        let own = &lines[index];
        let mut found: Option<(usize, u32)> = None;
        for (other, line) in lines.iter().enumerate() {
            let factor = libm::rint(own.hertz / line.hertz);
            // What the spectrum hardly tells from a drift has a multiple near everything.
            let may_be = other != index
                && (2.0..=50.0).contains(&factor)
                && line.hertz > 4.0 * self.spectrum.step_hz;
            if !may_be {
                continue;
            }
            let is_near =
                (own.hertz - factor * line.hertz).abs() < self.tolerance(own, line, factor);
            let is_lower = found.is_none_or(|(known, _)| line.hertz < lines[known].hertz);
            if is_near && is_lower && self.is_harmonic(own, line, factor) {
                found = Some((other, factor as u32));
            }
        }
        found
    }

    /// How far a harmonic may be found from the multiple of its fundamental: four standard deviations of the
    /// difference. Of a line in white noise the frequency scatters by about half the resolution over the
    /// ratio of their amplitudes (the Cramér-Rao bound: Rife & Boorstyn, *Single tone parameter estimation
    /// from discrete-time observations*, 1974); a thousandth of the resolution is what the search for the
    /// peak leaves.
    fn tolerance(&self, own: &SpectralLine, fundamental: &SpectralLine, factor: f64) -> f64 {
        let scatter = |line: &SpectralLine| {
            self.resolution_hz * (0.5 * libm::pow(10.0, -line.over_floor_db / 20.0) + 1e-3)
        };
        let few = (0.25 * self.spectrum.step_hz).min(0.01 * fundamental.hertz);
        (4.0 * (scatter(own) + factor * scatter(fundamental))).max(few)
    }

    /// Whether a line is no stronger than a harmonic of its number can be: harmonics fall smoothly with their
    /// number, even and odd ones each by themselves. From the fourth on one that is more than 10 dB over both
    /// its neighbours of the same series is a line of its own that happens to lie there.
    fn is_harmonic(&self, own: &SpectralLine, fundamental: &SpectralLine, factor: f64) -> bool {
        if factor < 4.0 {
            return true;
        }
        let neighbours = [-2.0, -1.0, 1.0, 2.0].map(|off| {
            if factor + off == 1.0 {
                return fundamental.amplitude;
            }
            self.amplitude_near((factor + off) * fundamental.hertz)
        });
        own.amplitude < 3.2 * neighbours.into_iter().fold(0.0, f64::max)
    }

    /// The amplitude of a sine of the power in the main lobe at a frequency.
    fn amplitude_near(&self, hertz: f64) -> f64 {
        let middle = libm::rint(hertz / self.spectrum.step_hz) as usize;
        let density = &self.spectrum.density;
        let lobe =
            middle.saturating_sub(LOBE).min(density.len())..(middle + LOBE + 1).min(density.len());
        libm::sqrt(2.0 * density[lobe].iter().sum::<f64>() * self.spectrum.step_hz)
    }
}
