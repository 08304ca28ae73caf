//! Reading a plan: TOML with the place of every key and value.

use super::{Converter, KeyedCarrier, Keying, Multicarrier, Part, SignalPlan, Sweep, Waveform};
use crate::spec::read::{
    FREQUENCY_FORMS, Found, Keys, Source, below_nyquist, converter as read_converter,
};
use crate::spec::{ConverterWish, Name, Problem, SpecError};
use crate::units::{Duration, Frequency, SampleRate};
use toml::de::{DeTable, DeValue};

const NUMBER: &str = "a plain number in the signal's unit";
const DURATION: &str = "a duration with its unit in quotes, as \"20 ms\", \"1.5 s\", \"8 samples\"";
/// Longer signals are refused: 2⁴⁰ samples.
const LONGEST: f64 = 1_099_511_627_776.0;

/// A kind of part, with the keys that it knows beside `kind`, `start` and `stop`.
type Kind = (&'static str, &'static [&'static str]);

const KINDS: [Kind; 15] = [
    ("constant", &["level"]),
    ("tone", &["frequency", "amplitude", "phase_degrees"]),
    ("chirp", &["from", "to", "sweep", "amplitude"]),
    ("square", &["frequency", "amplitude", "duty"]),
    ("triangle", &["frequency", "amplitude"]),
    ("pulse", &["at", "width", "every", "amplitude"]),
    ("step", &["at", "amplitude"]),
    ("impulse", &["at", "every", "amplitude"]),
    ("white-noise", &["rms"]),
    ("pink-noise", &["rms"]),
    ("band-noise", &["band", "rms"]),
    ("hum", &["frequency", "amplitude", "harmonics", "drift", "drift_period"]),
    ("spikes", &["per_second", "amplitude", "decay"]),
    ("keyed", &["keying", "carrier", "symbol_rate", "rolloff", "span", "rms", "seed"]),
    ("multicarrier", &["keying", "center", "spacing", "carriers", "guard", "rms", "seed"]),
];

pub(super) fn plan(text: &str) -> Result<SignalPlan, SpecError> {
    let source = Source::new(text);
    let table = DeTable::parse(text).map_err(|error| {
        let at = error.span().map_or(0, |span| span.start);
        source.error(at, "", Problem::Toml { message: error.message().to_owned() })
    })?;
    let known = ["name", "sample_rate", "length", "seed", "part", "converter"];
    let top = Keys::new(&source, table.get_ref(), "", 0, &known)?;
    let forms = "an identifier in quotes, as \"bench\"";
    let found = top.need("name", forms)?;
    let name = Name::new(found.text(forms)?).map_err(|problem| found.error(problem))?;
    let forms = "a sample rate with its unit in quotes, as \"1 kHz\"";
    let sample_rate: SampleRate = top.need("sample_rate", forms)?.parse(forms)?;
    let length = top.need("length", DURATION)?;
    let samples = whole(&length, sample_rate, 1.0)?;
    let seed = top.find("seed").map_or(Ok(1), |found| integer(&found, 0.0, 1e15))?;
    let mut reader = PartReader { rate: sample_rate, length: samples };
    let forms = "tables [[part]], as [[part]] with kind = \"tone\" below it";
    let found = top.need("part", forms)?;
    let mut parts = Vec::new();
    for (index, element) in found.array(forms)?.iter().enumerate() {
        let element = found.element(element);
        let DeValue::Table(table) = element.value else {
            return Err(element.wrong_type(forms));
        };
        parts.push(reader.part(&source, table, element.start(), seed + index as u64)?);
    }
    let converter = converter(&top, seed)?;
    Ok(SignalPlan { name, sample_rate, samples, seed, parts, converter })
}

fn range(found: &Found<'_>, said: String, accepted: impl Into<String>) -> SpecError {
    found.error(Problem::Range { found: said, accepted: accepted.into() })
}

/// A duration as whole samples, at least so many.
fn whole(found: &Found<'_>, rate: SampleRate, least: f64) -> Result<u64, SpecError> {
    let samples = found.parse::<Duration>(DURATION)?.samples(rate);
    let rounded = libm::rint(samples);
    if !(least..=LONGEST).contains(&rounded) {
        let said = format!("{samples} samples");
        return Err(range(found, said, format!("{least} to 2^40 samples")));
    }
    Ok(rounded as u64)
}

fn integer(found: &Found<'_>, low: f64, high: f64) -> Result<u64, SpecError> {
    let number = found.number("a whole number")?;
    if !(low..=high).contains(&number) || libm::rint(number) != number {
        return Err(range(
            found,
            number.to_string(),
            format!("a whole number from {low} to {high}"),
        ));
    }
    Ok(number as u64)
}

/// A finite number within limits.
fn number(
    found: &Found<'_>,
    low: f64,
    high: f64,
    accepted: &'static str,
) -> Result<f64, SpecError> {
    let number = found.number(accepted)?;
    if !(low..=high).contains(&number) {
        return Err(range(found, number.to_string(), accepted));
    }
    Ok(number)
}

/// An amplitude, a level: any finite number that squares to one as well.
fn level(found: &Found<'_>) -> Result<f64, SpecError> {
    number(found, -1e150, 1e150, NUMBER)
}

fn rms(keys: &Keys<'_>) -> Result<f64, SpecError> {
    number(&keys.need("rms", NUMBER)?, 0.0, 1e150, "a root mean square of 0 or more")
}

fn converter(top: &Keys<'_>, seed: u64) -> Result<Option<Converter>, SpecError> {
    let wish = read_converter(top, true)?;
    let seed = seed.wrapping_add(0x5eed_c0de);
    Ok(wish.map(|ConverterWish { bits, range, noise }| Converter { bits, range, noise, seed }))
}

struct PartReader {
    rate: SampleRate,
    length: u64,
}

impl PartReader {
    fn part<'a>(
        &mut self,
        source: &'a Source<'a>,
        table: &'a DeTable<'a>,
        at: usize,
        seed: u64,
    ) -> Result<Part, SpecError> {
        // The kind decides which keys are known; so it is read before the others are checked.
        let open = Keys::unchecked(source, table, "part.", at);
        let words: Vec<(&'static str, Kind)> = KINDS.iter().map(|kind| (kind.0, *kind)).collect();
        let (kind, own) = open
            .need("kind", "the kind of part, as \"tone\" or \"white-noise\"")?
            .choice(&words)?;
        let known = [own, &["kind", "start", "stop"]].concat();
        let keys = Keys::new(source, table, "part.", at, &known)?;
        let start = keys.find("start").map_or(Ok(0), |found| whole(&found, self.rate, 0.0))?;
        let stop = match keys.find("stop") {
            None => self.length,
            Some(found) => {
                let stop = whole(&found, self.rate, 0.0)?;
                if stop <= start || stop > self.length {
                    let (start, length) = (start, self.length);
                    return Err(range(
                        &found,
                        format!("sample {stop}"),
                        format!(
                            "behind the start, sample {start}, and up to the length, {length} samples"
                        ),
                    ));
                }
                stop
            }
        };
        if start >= self.length {
            let found = keys.need("start", DURATION)?;
            let accepted = format!("below the length, {} samples", self.length);
            return Err(range(&found, format!("sample {start}"), accepted));
        }
        let waveform = self.waveform(&keys, kind, stop - start, seed)?;
        Ok(Part { waveform, start, stop })
    }

    fn frequency(&self, keys: &Keys<'_>, key: &'static str) -> Result<f64, SpecError> {
        let found = keys.need(key, FREQUENCY_FORMS)?;
        let frequency: Frequency = found.parse(FREQUENCY_FORMS)?;
        below_nyquist(&found, frequency, self.rate)?;
        Ok(frequency.hertz(self.rate))
    }

    fn waveform(
        &self,
        keys: &Keys<'_>,
        kind: &'static str,
        length: u64,
        seed: u64,
    ) -> Result<Waveform, SpecError> {
        let rate = self.rate;
        let amplitude = || level(&keys.need("amplitude", NUMBER)?);
        let time = |key: &'static str, least: f64| match keys.find(key) {
            None => Ok(None),
            Some(found) => whole(&found, rate, least).map(Some),
        };
        let end = u64::MAX;
        Ok(match kind {
            "constant" => Waveform::Constant { level: level(&keys.need("level", NUMBER)?)? },
            "tone" => Waveform::Tone {
                hertz: self.frequency(keys, "frequency")?,
                amplitude: amplitude()?,
                phase_degrees: keys.find("phase_degrees").map_or(Ok(0.0), |found| {
                    number(&found, -1e6, 1e6, "degrees as a plain number")
                })?,
            },
            "chirp" => {
                let words = [("linear", Sweep::Linear), ("logarithmic", Sweep::Logarithmic)];
                let sweep = keys.find("sweep");
                let sweep = sweep.map_or(Ok(Sweep::Linear), |found| found.choice(&words))?;
                let from_hertz = self.frequency(keys, "from")?;
                let to_hertz = self.frequency(keys, "to")?;
                if from_hertz == to_hertz {
                    let found = keys.need("to", FREQUENCY_FORMS)?;
                    return Err(range(
                        &found,
                        format!("{to_hertz} Hz"),
                        "another frequency than `from`; a tone keeps its own",
                    ));
                }
                Waveform::Chirp { from_hertz, to_hertz, sweep, amplitude: amplitude()? }
            }
            "square" => Waveform::Square {
                hertz: self.frequency(keys, "frequency")?,
                amplitude: amplitude()?,
                duty: keys.find("duty").map_or(Ok(0.5), |found| {
                    number(
                        &found,
                        1e-6,
                        1.0 - 1e-6,
                        "the share of a period that it is high, above 0 and below 1",
                    )
                })?,
            },
            "triangle" => Waveform::Triangle {
                hertz: self.frequency(keys, "frequency")?,
                amplitude: amplitude()?,
            },
            "pulse" | "step" | "impulse" => {
                let width = match kind {
                    "pulse" => whole(&keys.need("width", DURATION)?, rate, 1.0)?,
                    "impulse" => 1,
                    _ => end,
                };
                let every = time("every", 1.0)?.unwrap_or(0);
                if every > 0 && every <= width {
                    let found = keys.need("every", DURATION)?;
                    return Err(range(
                        &found,
                        format!("{every} samples"),
                        format!("more than the width, {width} samples"),
                    ));
                }
                let at = time("at", 0.0)?.unwrap_or(0);
                Waveform::Pulse { at, width, every, amplitude: amplitude()? }
            }
            "white-noise" => Waveform::WhiteNoise { rms: rms(keys)? },
            "pink-noise" => Waveform::PinkNoise { rms: rms(keys)? },
            "band-noise" => Waveform::BandNoise { band_hertz: self.band(keys)?, rms: rms(keys)? },
            "hum" => self.hum(keys, amplitude()?)?,
            "spikes" => {
                let found = keys.need("per_second", "spikes a second in the mean, as 4")?;
                let most = "a number above 0 and up to half the sample rate";
                let decay = match keys.find("decay") {
                    None => 1.0,
                    Some(found) => found.parse::<Duration>(DURATION)?.samples(rate),
                };
                let decay = decay.clamp(1e-3, 1e9);
                let per_second = number(&found, 1e-9, rate.nyquist(), most)?;
                Waveform::Spikes { per_second, amplitude: amplitude()?, decay }
            }
            "keyed" => Waveform::Keyed(self.keyed(keys, length, seed)?),
            _ => Waveform::Multicarrier(self.multicarrier(keys, length, seed)?),
        })
    }

    fn band(&self, keys: &Keys<'_>) -> Result<[f64; 2], SpecError> {
        let forms = "two rising frequencies, as [\"5 Hz\", \"20 Hz\"]; the first may be \"0 Hz\"";
        let found = keys.need("band", forms)?;
        let [low, high] = found.array(forms)? else {
            return Err(found.wrong_type(forms));
        };
        let hertz =
            |element| Ok(found.element(element).parse::<Frequency>(forms)?.hertz(self.rate));
        let (low, high): (f64, f64) = (hertz(low)?, hertz(high)?);
        // What a filter of order 8 can be made for in double precision.
        let least = 1e-5 * self.rate.hertz();
        let is_fit = (low == 0.0 || low >= least)
            && high - low >= least
            && high <= self.rate.nyquist() - least;
        if !is_fit {
            let accepted = format!(
                "rising, below the Nyquist frequency, {} Hz; each edge, the width and the distance from \
                    there at least {least} Hz",
                self.rate.nyquist()
            );
            return Err(range(&found, format!("{low} Hz to {high} Hz"), accepted));
        }
        Ok([low, high])
    }

    fn hum(&self, keys: &Keys<'_>, amplitude: f64) -> Result<Waveform, SpecError> {
        let hertz = self.frequency(keys, "frequency")?;
        let forms = "amplitudes of the second, third, ... harmonic over the first, as [0.3, 0.1]";
        let mut harmonics = Vec::new();
        if let Some(found) = keys.find("harmonics") {
            for element in found.array(forms)? {
                harmonics.push(number(&found.element(element), -1e6, 1e6, forms)?);
            }
            let top = hertz * (harmonics.len() + 1) as f64;
            if top >= self.rate.nyquist() {
                let nyquist = self.rate.nyquist();
                return Err(range(
                    &found,
                    format!("a harmonic at {top} Hz"),
                    format!("harmonics below the Nyquist frequency, {nyquist} Hz"),
                ));
            }
        }
        let mut drift_hertz = 0.0;
        if let Some(found) = keys.find("drift") {
            drift_hertz = found.parse::<Frequency>(FREQUENCY_FORMS)?.hertz(self.rate);
            let top = (hertz + drift_hertz.abs()) * (harmonics.len() + 1) as f64;
            if !(drift_hertz.abs() < hertz && top < self.rate.nyquist()) {
                return Err(range(
                    &found,
                    format!("{drift_hertz} Hz"),
                    "less than the frequency, and nothing up to the Nyquist frequency",
                ));
            }
        }
        let period = match keys.find("drift_period") {
            None => 20.0,
            Some(found) => whole(&found, self.rate, 2.0)? as f64 / self.rate.hertz(),
        };
        Ok(Waveform::Hum { hertz, amplitude, harmonics, drift_hertz, drift_period_s: period })
    }

    fn keying(&self, keys: &Keys<'_>) -> Result<Keying, SpecError> {
        let words = Keying::ALL.map(|keying| (keying.as_str(), keying));
        keys.need("keying", "on-off, bpsk, qpsk, 16qam")?.choice(&words)
    }

    fn keyed(&self, keys: &Keys<'_>, length: u64, seed: u64) -> Result<KeyedCarrier, SpecError> {
        let carrier_hertz = self.frequency(keys, "carrier")?;
        let found = keys.need("symbol_rate", FREQUENCY_FORMS)?;
        let symbol_rate = found.parse::<Frequency>(FREQUENCY_FORMS)?.hertz(self.rate);
        let rolloff = keys.find("rolloff").map_or(Ok(0.25), |found| {
            number(&found, 0.01, 1.0, "the roll-off of the pulses, 0.01 to 1")
        })?;
        let half = symbol_rate * (1.0 + rolloff) / 2.0;
        if !(symbol_rate > 0.0
            && carrier_hertz > half
            && carrier_hertz + half < self.rate.nyquist())
        {
            let accepted = format!(
                "so many that the signal, {} Hz to {} Hz, lies between 0 Hz and the Nyquist frequency, {} Hz",
                carrier_hertz - half,
                carrier_hertz + half,
                self.rate.nyquist()
            );
            return Err(range(&found, format!("{symbol_rate} symbols a second"), accepted));
        }
        let span = keys.find("span").map_or(Ok(24), |found| integer(&found, 2.0, 256.0))? as u32;
        let keying = self.keying(keys)?;
        let seed = keys.find("seed").map_or(Ok(seed), |found| integer(&found, 0.0, 1e15))?;
        let rms = rms(keys)?;
        let keyed = KeyedCarrier { keying, carrier_hertz, symbol_rate, rolloff, span, rms, seed };
        let count = keyed.count(length, self.rate);
        if !(1..=1 << 26).contains(&count) {
            let accepted =
                format!("1 to 2^26 symbols between pulses of {span} symbols to either side");
            return Err(range(&found, format!("{count} symbols"), accepted));
        }
        Ok(keyed)
    }

    fn multicarrier(
        &self,
        keys: &Keys<'_>,
        length: u64,
        seed: u64,
    ) -> Result<Multicarrier, SpecError> {
        let center_hertz = self.frequency(keys, "center")?;
        let spacing = keys.need("spacing", FREQUENCY_FORMS)?;
        let spacing_hertz = spacing.parse::<Frequency>(FREQUENCY_FORMS)?.hertz(self.rate);
        let samples = self.rate.hertz() / spacing_hertz;
        let near = |x: f64| (x - libm::rint(x)).abs() < 1e-9 * x.abs();
        if !(near(samples) && (2.0..=65_536.0).contains(&samples)) {
            let accepted = "a whole part of the sample rate, down to a 65536th: carriers are told apart \
                over whole samples";
            return Err(range(
                &spacing,
                format!("{spacing_hertz} Hz, a {samples}th of the sample rate"),
                accepted,
            ));
        }
        let halves = 2.0 * center_hertz / spacing_hertz;
        if !near(halves) {
            let found = keys.need("center", FREQUENCY_FORMS)?;
            let accepted = format!("a multiple of half the spacing, {} Hz", spacing_hertz / 2.0);
            return Err(range(&found, format!("{center_hertz} Hz"), accepted));
        }
        let found = keys.need("carriers", "the number of carriers, as 16")?;
        let carriers = integer(&found, 1.0, 4096.0)? as u32;
        let half = f64::from(carriers) * spacing_hertz / 2.0;
        if !(center_hertz > half && center_hertz + half < self.rate.nyquist()) {
            let accepted = format!(
                "so many that they lie between 0 Hz and the Nyquist frequency, {} Hz, about {center_hertz} \
                    Hz",
                self.rate.nyquist()
            );
            return Err(range(&found, format!("{carriers}, {} Hz wide", 2.0 * half), accepted));
        }
        let guard = keys.find("guard").map_or(Ok(0), |found| whole(&found, self.rate, 0.0))?;
        let keying = self.keying(keys)?;
        let seed = keys.find("seed").map_or(Ok(seed), |found| integer(&found, 0.0, 1e15))?;
        let rms = rms(keys)?;
        let many = Multicarrier { keying, center_hertz, spacing_hertz, carriers, guard, rms, seed };
        if !(1..=1 << 20).contains(&many.count(length, self.rate)) {
            let accepted = format!(
                "blocks of {} samples, 1 to 2^20 of them within the part's {length}",
                samples + guard as f64
            );
            return Err(range(
                &spacing,
                format!("{} blocks", many.count(length, self.rate)),
                accepted,
            ));
        }
        Ok(many)
    }
}
