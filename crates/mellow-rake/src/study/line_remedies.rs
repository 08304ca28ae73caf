//! What would take a line out of a recording, tried on that recording.
//!
//! A notch or a comb is designed and run over the recording; what is said of it is what came out. The
//! narrowest of a ladder of widths that does is taken: a wider one takes more of what lies beside the line, a
//! narrower one rings longer.

use crate::design::design;
use crate::filter::{Form, Transfer};
use crate::response::bisect;
use crate::signal::lines::{LOBE, floor};
use crate::signal::{SpectralLine, Spectrum, SpectrumWish, spectrum};
use crate::spec::Spec;
use crate::units::SampleRate;

/// A filter that takes a line out of a recording, and what it did to that recording.
#[derive(Debug, Clone, PartialEq)]
#[cfg_attr(feature = "serde", derive(serde::Serialize))]
#[non_exhaustive]
pub struct LineRemedy {
    /// Index of the line.
    pub line: usize,
    /// `notch` or `comb`.
    pub kind: &'static str,
    /// The centre, or the fundamental of a comb, in hertz.
    pub center_hz: f64,
    /// Between the −3 dB points (of each notch), in hertz.
    pub width_hz: f64,
    /// Harmonics that a comb takes, the first included; 1 for a notch.
    pub harmonics: u32,
    /// The keys of `[want]`, as in a spec file.
    pub keys: Vec<String>,
    /// By how many decibels the power around the line fell, of a comb: around that of its lines that fell
    /// least.
    pub falls_by_db: f64,
    /// Whether what is left of it no longer stands out: no more than 3 dB over the floor.
    pub to_the_floor: bool,
    /// From where to where the filter takes more than 1 dB around the line (around the fundamental), in
    /// hertz.
    pub touched_hz: [f64; 2],
    /// After how many samples what the filter rings with has come down to 1 %.
    pub settling_samples: usize,
}

impl LineRemedy {
    /// A whole spec with this filter.
    ///
    /// ```
    /// use mellow_rake::study::line_remedies;
    /// use mellow_rake::signal::{SpectrumWish, spectral_lines, spectrum};
    /// use mellow_rake::spec::Spec;
    /// let rate = "1 kHz".parse()?;
    /// let tone = |n: usize| (0.6 * n as f64).sin() + 0.01 * ((n * n) as f64).sin();
    /// let signal: Vec<f64> = (0..20_000).map(tone).collect();
    /// let found = spectrum(&signal, rate, SpectrumWish::for_length(signal.len()))?;
    /// let lines = spectral_lines(&signal, rate, &found, 12.0, 12);
    /// let remedy = &line_remedies(&signal, rate, &found, &lines)[0];
    /// assert!(remedy.kind == "notch" && remedy.falls_by_db > 30.0);
    /// assert!(Spec::parse(&remedy.spec("hum", rate)).is_ok());
    /// # Ok::<(), Box<dyn std::error::Error>>(())
    /// ```
    pub fn spec(&self, name: &str, rate: SampleRate) -> String {
        text(name, rate, &self.keys)
    }
}

fn text(name: &str, rate: SampleRate, keys: &[String]) -> String {
    let keys = keys.join("\n");
    format!("name = \"{name}\"\nsample_rate = \"{} Hz\"\n[want]\n{keys}\n", rate.hertz())
}

/// A line that stands so far over the floor is worth a filter, in decibels.
const WORTH_DB: f64 = 20.0;
/// What a filter must take away at least, in decibels, unless less is left than can be seen.
const LEAST_FALL_DB: f64 = 20.0;
/// What is enough, in decibels.
const ENOUGH_DB: f64 = 40.0;
/// Left of a line no more than 3 dB over the floor.
const FLOOR_POWER: f64 = 2.0;
/// So many lines are given a remedy.
const MOST: usize = 4;
/// So much of a recording is filtered.
const MOST_SAMPLES: usize = 1 << 17;

/// Remedies for the lines that stand at least 20 dB over the floor, are no multiples of others, and that the
/// spectrum tells from a drift; those that no filter tried lowers by 20 dB, or to the floor, have none.
///
/// A line with multiples is taken out by a comb. A multiple whose amplitude is below half a step of the
/// converter is made by its rounding and is none to take out.
pub fn line_remedies(
    samples: &[f64],
    rate: SampleRate,
    found: &Spectrum,
    lines: &[SpectralLine],
) -> Vec<LineRemedy> {
    let used = &samples[..samples.len().min(MOST_SAMPLES)];
    let step = converter_step(used);
    let is_rounding = |line: &SpectralLine| line.amplitude < step / 2.0;
    let is_image = |line: &SpectralLine| {
        let strongest = lines.iter().filter(|other| other.amplitude > 10.0 * line.amplitude);
        is_rounding(line)
            && strongest.into_iter().any(|of| folds_onto(of.hertz, line.hertz, rate, found.step_hz))
    };
    lines
        .iter()
        .enumerate()
        .filter(|(_, line)| line.over_floor_db >= WORTH_DB && line.multiple_of.is_none())
        .filter(|(_, line)| line.hertz > 6.0 * found.step_hz && !is_image(line))
        .take(MOST)
        .filter_map(|(index, line)| {
            let multiples: Vec<u32> = lines
                .iter()
                .filter(|other| !is_rounding(other))
                .filter_map(|other| other.multiple_of)
                .filter_map(|(of, factor)| (of == index).then_some(factor))
                .collect();
            let trial = Trial { samples: used, rate, index, line };
            trial.comb(&multiples).or_else(|| trial.notch())
        })
        .collect()
}

/// The step of the converter behind a recording: the smallest difference of its values, if values repeat;
/// else 0.
fn converter_step(samples: &[f64]) -> f64 {
    let mut values = samples.to_vec();
    values.sort_by(f64::total_cmp);
    values.dedup();
    if 2 * values.len() > samples.len() {
        return 0.0;
    }
    values.windows(2).map(|pair| pair[1] - pair[0]).fold(f64::INFINITY, f64::min)
}

/// Whether a multiple of one frequency, folded back at the sample rate, lies at another one.
fn folds_onto(of: f64, hertz: f64, rate: SampleRate, step_hz: f64) -> bool {
    (2..=400).any(|factor| {
        let turns = f64::from(factor) * of / rate.hertz();
        let folded = (turns - libm::rint(turns)).abs() * rate.hertz();
        (folded - hertz).abs() < step_hz
    })
}

/// A line, and the recording that filters are tried on.
struct Trial<'a> {
    samples: &'a [f64],
    rate: SampleRate,
    index: usize,
    line: &'a SpectralLine,
}

impl Trial<'_> {
    fn notch(&self) -> Option<LineRemedy> {
        let room = self.line.hertz.min(self.rate.nyquist() - self.line.hertz);
        self.narrowest(0.5 * room, &|center, width| {
            let keys = ["kind = \"notch\"".to_owned(), hertz_key("center", center)];
            ("notch", 1, [&keys[..], &[hertz_key("width", width)]].concat())
        })
    }

    fn comb(&self, multiples: &[u32]) -> Option<LineRemedy> {
        let highest = (self.rate.nyquist() / self.line.hertz * 0.999) as u32;
        let most = *multiples.iter().filter(|factor| **factor <= highest).max()?;
        // Not of two lines one of which is many times the other: a comb takes what lies between as well.
        if multiples.len() < 2 && most > 3 {
            return None;
        }
        self.narrowest(0.2 * self.line.hertz, &|center, width| {
            let keys = ["kind = \"comb\"".to_owned(), hertz_key("fundamental", center)];
            let more = [format!("harmonics = {most}"), hertz_key("width", width)];
            ("comb", most, [&keys[..], &more].concat())
        })
    }

    /// The narrowest filter that does, up to a width.
    fn narrowest(
        &self,
        widest: f64,
        keys: &dyn Fn(f64, f64) -> (&'static str, u32, Vec<String>),
    ) -> Option<LineRemedy> {
        let duration = self.samples.len() as f64 / self.rate.hertz();
        let mut best: Option<LineRemedy> = None;
        // Settled to 1 % after 1.5 over the width: within a quarter of the recording.
        let mut width = two_digits(6.0 / duration);
        while width <= widest {
            // A hundredth of the width off the line leaves 34 dB of notch, a four-hundredth 46 dB.
            let digit = libm::pow(10.0, libm::floor(libm::log10(width / 200.0)));
            let center = tidy(libm::rint(self.line.hertz / digit) * digit);
            let (kind, harmonics, keys) = keys(center, width);
            if let Some(remedy) = self.tried(kind, harmonics, center, width, keys) {
                let enough = remedy.falls_by_db >= ENOUGH_DB || remedy.to_the_floor;
                let falls = remedy.falls_by_db;
                if best.as_ref().is_none_or(|best| falls > best.falls_by_db + 1.0) {
                    best = Some(remedy);
                }
                if enough {
                    break;
                }
            }
            width = two_digits(1.6 * width);
        }
        best.filter(|best| best.to_the_floor || best.falls_by_db >= LEAST_FALL_DB)
    }

    /// Designs a filter and runs it over the recording.
    fn tried(
        &self,
        kind: &'static str,
        harmonics: u32,
        center_hz: f64,
        width_hz: f64,
        keys: Vec<String>,
    ) -> Option<LineRemedy> {
        let spec = Spec::parse(&text("line", self.rate, &keys)).ok()?;
        let form = design(&spec).ok()?.form;
        let settling_samples = settled(&form)?;
        let wish = SpectrumWish::for_length(self.samples.len());
        // At least two pieces of what has settled.
        if settling_samples + 2 * wish.piece > self.samples.len() {
            return None;
        }
        let output = form.start().run(self.samples);
        let of = |signal: &[f64]| spectrum(&signal[settling_samples..], self.rate, wish).ok();
        let (before, after) = (of(self.samples)?, of(&output)?);
        let (mut falls_by_db, mut to_the_floor) = (f64::INFINITY, true);
        for factor in 1..=harmonics {
            let middle = libm::rint(f64::from(factor) * self.line.hertz / before.step_hz) as usize;
            let lobe = middle.saturating_sub(LOBE)..(middle + LOBE + 1).min(before.density.len());
            let power = |spectrum: &Spectrum| spectrum.density[lobe.clone()].iter().sum::<f64>();
            let floor = floor(&before.density, middle) * lobe.len() as f64;
            let (was, is) = (power(&before), power(&after));
            // Harmonics that do not stand out have nothing to lose.
            if factor > 1 && was < 100.0 * floor {
                continue;
            }
            falls_by_db = falls_by_db.min(10.0 * libm::log10(was / is.max(f64::MIN_POSITIVE)));
            to_the_floor &= is <= FLOOR_POWER * floor;
        }
        let touched_hz = touched(&form, self.rate, center_hz)?;
        let line = self.index;
        Some(LineRemedy {
            line,
            kind,
            center_hz,
            width_hz,
            harmonics,
            keys,
            falls_by_db,
            to_the_floor,
            touched_hz,
            settling_samples,
        })
    }
}

/// After how many samples the response to a step of a carrier has come down to 1 %: by the slowest pole.
fn settled(form: &Form) -> Option<usize> {
    let radius = form.pole_radius()?;
    (radius < 1.0).then(|| libm::ceil(libm::log(0.01) / libm::log(radius)) as usize)
}

/// From where to where around a null the gain is more than 1 dB down.
fn touched(form: &Form, rate: SampleRate, center_hz: f64) -> Option<[f64; 2]> {
    let limit = libm::pow(10.0, -0.05);
    let gain = |hz: f64| form.gain(rate.radians(hz));
    let side = |sign: f64| {
        let room = if sign < 0.0 { center_hz } else { rate.nyquist() - center_hz };
        let place = |k: i32| center_hz + sign * room * f64::from(k) / 4000.0;
        let first = (1..=4000).find(|k| gain(place(*k)) >= limit);
        first.map(|k| bisect(place(k - 1), place(k), &|hz| gain(hz) >= limit))
    };
    // A comb may touch the stretch to the next of its notches, a notch low down that to 0 Hz.
    Some([side(-1.0).unwrap_or(0.0), side(1.0)?])
}

fn hertz_key(key: &str, hertz: f64) -> String {
    format!("{key} = \"{hertz} Hz\"")
}

/// Two significant digits, upwards.
fn two_digits(value: f64) -> f64 {
    let power = libm::floor(libm::log10(value)) - 1.0;
    let unit = libm::pow(10.0, power);
    tidy(libm::ceil(value / unit * (1.0 - 1e-9)) * unit)
}

/// A number of 14 significant digits, without what f64 makes of it on the way.
fn tidy(value: f64) -> f64 {
    format!("{value:.13e}").parse().unwrap_or(value)
}
