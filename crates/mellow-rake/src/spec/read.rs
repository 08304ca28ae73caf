//! Reading a spec: TOML with the place of every key and value.

use super::read_direct;
use super::read_fir::{self, Wanted, fir_band};
use super::read_fir_kinds::fir_kind;
use super::read_firmware::firmware;
use super::read_fixed::fixed;
use super::read_float::float;
use super::read_hardware::hardware;
use super::read_recursive::{design_word, recursive};
use super::{
    ConverterWish, EqualizerWish, Fixed, Name, NotchWidth, Problem, Spec, SpecError, Verify, Want,
};
use crate::effort::Effort;
use crate::filter::BandKind;
use crate::units::{Duration, Frequency, Level, SampleRate};
use std::ops::Range;
use std::str::FromStr;
use toml::Spanned;
use toml::de::{DeTable, DeValue};

pub(super) const WORD_FORMS: &str = "a word format in quotes, as \"s16f15\" or \"Q15\"";
pub(crate) const FREQUENCY_FORMS: &str = "a frequency with its unit in quotes, as \"87.5 Hz\", \"2 kHz\", \
     \"628 rad/s\", \"0.25 fs\" (a fraction of the sample rate), \"0.5 pi rad/sample\", \"90 deg\" (an \
     angle per sample)";
/// More characters than any quantity, word or path of a spec has: what is longer is refused before it is
/// read, so that no refusal repeats it.
const MOST_CHARACTERS: usize = 300;

/// The beginning of a text that comes from outside, as much as a message shows.
fn beginning(text: &str) -> String {
    text.chars().take(60).collect()
}

/// A text and the way from a byte offset to its line and column.
pub(crate) struct Source<'a> {
    text: &'a str,
}

impl<'a> Source<'a> {
    pub(crate) fn new(text: &'a str) -> Self {
        Source { text }
    }

    pub(crate) fn error(&self, at: usize, key: &str, problem: impl Into<Problem>) -> SpecError {
        let mut at = at.min(self.text.len());
        while !self.text.is_char_boundary(at) {
            at -= 1;
        }
        let before = &self.text[..at];
        let line = before.matches('\n').count() + 1;
        let column = before.rsplit('\n').next().unwrap_or("").chars().count() + 1;
        SpecError { line, column, key: key.to_owned(), problem: Box::new(problem.into()) }
    }
}

/// One table of the spec, with its known keys.
pub(crate) struct Keys<'a> {
    source: &'a Source<'a>,
    table: &'a DeTable<'a>,
    /// "" at the top, "want." inside `[want]`.
    prefix: &'static str,
    /// Where the table stands, for keys that are missing.
    at: usize,
}

/// A value and where it stands.
pub(crate) struct Found<'a> {
    source: &'a Source<'a>,
    pub(crate) key: String,
    pub(crate) value: &'a DeValue<'a>,
    span: Range<usize>,
}

/// A table before its keys are looked at, and where it stands.
pub(crate) struct Tabled<'a> {
    pub(crate) source: &'a Source<'a>,
    pub(crate) table: &'a DeTable<'a>,
    pub(crate) at: usize,
}

impl<'a> Keys<'a> {
    /// The table, after refusing every key that is not known.
    pub(crate) fn new(
        source: &'a Source<'a>,
        table: &'a DeTable<'a>,
        prefix: &'static str,
        at: usize,
        known: &[&'static str],
    ) -> Result<Self, SpecError> {
        for key in table.keys() {
            let name: &str = key.get_ref();
            if !known.contains(&name) {
                let shown = beginning(name);
                let problem = Problem::UnknownKey {
                    nearest: nearest(name, known),
                    accepted: known.join(", "),
                };
                return Err(source.error(key.span().start, &format!("{prefix}{shown}"), problem));
            }
        }
        Ok(Keys { source, table, prefix, at })
    }

    /// The table before its keys are checked.
    pub(crate) fn unchecked(
        source: &'a Source<'a>,
        table: &'a DeTable<'a>,
        prefix: &'static str,
        at: usize,
    ) -> Self {
        Keys { source, table, prefix, at }
    }

    pub(crate) fn source(&self) -> &'a Source<'a> {
        self.source
    }

    pub(crate) fn find(&self, key: &'static str) -> Option<Found<'a>> {
        let value: &'a Spanned<DeValue<'a>> = self.table.get(key)?;
        let key = format!("{}{key}", self.prefix);
        Some(Found { source: self.source, key, value: value.get_ref(), span: value.span() })
    }

    pub(crate) fn need(
        &self,
        key: &'static str,
        accepted: &'static str,
    ) -> Result<Found<'a>, SpecError> {
        self.find(key).ok_or_else(|| self.missing(key, accepted))
    }

    pub(crate) fn missing(&self, key: &'static str, accepted: &'static str) -> SpecError {
        let key = format!("{}{key}", self.prefix);
        self.source.error(self.at, &key, Problem::Missing { accepted })
    }

    /// A table in this one.
    pub(crate) fn table(
        &self,
        key: &'static str,
        prefix: &'static str,
        known: &[&'static str],
    ) -> Result<Option<Keys<'a>>, SpecError> {
        let Some(found) = self.find(key) else {
            return Ok(None);
        };
        match found.value {
            DeValue::Table(table) => {
                Keys::new(self.source, table, prefix, found.span.start, known).map(Some)
            }
            _ => Err(found.wrong_type("a table, as [want]")),
        }
    }
}

impl<'a> Found<'a> {
    /// The table that it is.
    pub(crate) fn tabled(&self, accepted: &'static str) -> Result<Tabled<'a>, SpecError> {
        match self.value {
            DeValue::Table(table) => Ok(Tabled { source: self.source, table, at: self.span.start }),
            _ => Err(self.wrong_type(accepted)),
        }
    }

    /// An element of this array, under the same key.
    pub(crate) fn element(&self, value: &'a Spanned<DeValue<'a>>) -> Found<'a> {
        let key = self.key.clone();
        Found { source: self.source, key, value: value.get_ref(), span: value.span() }
    }

    /// Where the value begins, in bytes.
    pub(crate) fn start(&self) -> usize {
        self.span.start
    }

    /// The elements of an array.
    pub(crate) fn array(
        &self,
        accepted: &'static str,
    ) -> Result<&'a [Spanned<DeValue<'a>>], SpecError> {
        match self.value {
            DeValue::Array(values) => Ok(values),
            _ => Err(self.wrong_type(accepted)),
        }
    }

    pub(crate) fn error(&self, problem: impl Into<Problem>) -> SpecError {
        self.source.error(self.span.start, &self.key, problem)
    }

    pub(crate) fn wrong_type(&self, accepted: &'static str) -> SpecError {
        let found = match self.value {
            DeValue::String(text) => {
                let (count, shown) = (text.chars().count(), beginning(text));
                match count {
                    0..=60 => format!("the text \"{shown}\""),
                    _ => format!("a text of {count} characters, \"{shown} ...\""),
                }
            }
            DeValue::Integer(number) => format!("the bare number {}", beginning(number.as_str())),
            DeValue::Float(number) => format!("the bare number {}", beginning(number.as_str())),
            DeValue::Boolean(value) => format!("{value}"),
            DeValue::Datetime(_) => "a date".to_owned(),
            DeValue::Array(_) => "an array".to_owned(),
            DeValue::Table(_) => "a table".to_owned(),
        };
        self.error(Problem::Type { found, accepted })
    }

    pub(crate) fn text(&self, accepted: &'static str) -> Result<&'a str, SpecError> {
        match self.value {
            DeValue::String(text) if text.chars().count() <= MOST_CHARACTERS => Ok(text),
            _ => Err(self.wrong_type(accepted)),
        }
    }

    pub(crate) fn number(&self, accepted: &'static str) -> Result<f64, SpecError> {
        let text = match self.value {
            DeValue::Integer(number) => number.as_str(),
            DeValue::Float(number) => number.as_str(),
            _ => return Err(self.wrong_type(accepted)),
        };
        text.parse().map_err(|_| self.wrong_type(accepted))
    }

    /// A whole number within a range.
    pub(crate) fn integer(&self, range: Range<i64>) -> Result<i64, SpecError> {
        let accepted = format!("a whole number from {} to {}", range.start, range.end - 1);
        let value = match self.value {
            DeValue::Integer(number) => number.as_str().parse::<i64>().ok(),
            _ => return Err(self.wrong_type("a whole number")),
        };
        let found = || value.map_or("a number".to_owned(), |value| value.to_string());
        value
            .filter(|value| range.contains(value))
            .ok_or_else(|| self.error(Problem::Range { found: found(), accepted }))
    }

    /// True or false.
    pub(crate) fn boolean(&self) -> Result<bool, SpecError> {
        match self.value {
            DeValue::Boolean(value) => Ok(*value),
            _ => Err(self.wrong_type("true or false")),
        }
    }

    /// A quantity or format in a string.
    pub(crate) fn parse<T: FromStr>(&self, accepted: &'static str) -> Result<T, SpecError>
    where
        Problem: From<T::Err>,
    {
        self.text(accepted)?.parse().map_err(|problem: T::Err| self.error(problem))
    }

    /// One of a list of words.
    pub(crate) fn choice<T: Copy>(&self, choices: &[(&'static str, T)]) -> Result<T, SpecError> {
        let text = self.text("one word of a list, in quotes")?;
        let words: Vec<&'static str> = choices.iter().map(|(word, _)| *word).collect();
        choices.iter().find(|(word, _)| *word == text).map(|(_, choice)| *choice).ok_or_else(|| {
            self.error(Problem::Choice {
                found: beginning(text),
                nearest: nearest(text, &words),
                accepted: words.join(", "),
            })
        })
    }
}

fn nearest(word: &str, known: &[&'static str]) -> Option<&'static str> {
    if word.len() > 60 {
        return None;
    }
    let distance = |key: &&&'static str| strsim::damerau_levenshtein(word, key);
    known.iter().min_by_key(distance).filter(|key| distance(key) <= 1 + key.len() / 3).copied()
}

pub(crate) fn spec(text: &str) -> Result<Spec, SpecError> {
    let source = Source { text };
    let table = parsed(&source, text)?;
    let known = [
        "name",
        "sample_rate",
        "want",
        "method",
        "equalizer",
        "fixed",
        "float",
        "hardware",
        "firmware",
        "converter",
        "verify",
        "effort",
    ];
    let all = Keys::unchecked(&source, table.get_ref(), "", 0);
    if let Some(found) = ["change", "stage"].iter().find_map(|key| all.find(key)) {
        return Err(found.error(Problem::Chain));
    }
    let top = Keys::new(&source, table.get_ref(), "", 0, &known)?;
    let (name, sample_rate) = head(&top)?;
    let effort = effort(&top)?;
    let mut want = want(&top, sample_rate)?;
    if let Want::Fir(wish) = &mut want {
        wish.effort = effort;
    }
    let equalizer = equalizer(&top, &want, sample_rate)?;
    let fixed = fixed(&top, want.has_taps())?.map(|fixed| Fixed { effort, ..fixed });
    let float = float(&top, want.has_taps(), fixed.as_ref())?;
    let hardware = hardware(&top, sample_rate, fixed.is_some())?;
    let firmware = firmware(&top, fixed.is_some())?;
    Ok(Spec {
        name,
        sample_rate,
        want,
        equalizer,
        fixed,
        float,
        hardware,
        firmware,
        converter: converter(&top, false)?,
        verify: verify(&top)?,
        effort,
    })
}

/// A text as TOML.
pub(super) fn parsed<'a>(
    source: &Source<'_>,
    text: &'a str,
) -> Result<Spanned<DeTable<'a>>, SpecError> {
    DeTable::parse(text).map_err(|error| {
        let at = error.span().map_or(0, |span| span.start);
        source.error(at, "", Problem::Toml { message: error.message().to_owned() })
    })
}

/// What every spec begins with: `name` and `sample_rate`.
pub(super) fn head(top: &Keys<'_>) -> Result<(Name, SampleRate), SpecError> {
    let forms = "an identifier in quotes, as \"pump_hum\"";
    let found = top.need("name", forms)?;
    let name = Name::new(found.text(forms)?).map_err(|problem| found.error(problem))?;
    let forms = "a sample rate with its unit in quotes, as \"1 kHz\"";
    Ok((name, top.need("sample_rate", forms)?.parse(forms)?))
}

/// `effort`, by itself at the top.
pub(super) fn effort(top: &Keys<'_>) -> Result<Effort, SpecError> {
    let Some(found) = top.find("effort") else {
        return Ok(Effort::default());
    };
    let times = found.integer(1..i64::from(Effort::LARGEST) + 1)?;
    Ok(Effort::new(times as u32).unwrap_or_default())
}

pub(super) fn want(top: &Keys<'_>, rate: SampleRate) -> Result<Want, SpecError> {
    let missing = "a table [want] with kind = \"notch\"";
    let found = top.need("want", missing)?;
    let DeValue::Table(table) = found.value else {
        return Err(found.wrong_type(missing));
    };
    // The kind decides which keys are known; so it is read before the others are checked.
    let kinds = Keys::unchecked(top.source, table, "want.", found.span.start);
    let kind = kinds.need("kind", "the kind of filter, as \"notch\" or \"lowpass\"")?;
    let bands = [BandKind::Lowpass, BandKind::Highpass, BandKind::Bandpass, BandKind::Bandstop];
    let words: Vec<(&'static str, &'static str)> = bands
        .iter()
        .map(|band| band.as_str())
        .chain(["notch"])
        .chain(read_direct::KINDS)
        .chain(read_fir::KINDS)
        .map(|word| (word, word))
        .collect();
    let choice = kind.choice(&words)?;
    let wanted = Wanted { top, table, at: found.span.start, rate };
    if let Some(band) = bands.into_iter().find(|band| band.as_str() == choice) {
        if read_fir::METHODS.contains(&design_word(top)?) {
            return fir_band(&wanted, band).map(Want::Fir);
        }
        return recursive(top, table, found.span.start, band, rate).map(Want::Recursive);
    }
    if read_fir::KINDS.contains(&choice) {
        return fir_kind(&wanted, choice).map(Want::Fir);
    }
    if choice != "notch" {
        return read_direct::direct(&wanted, choice).map(Want::Direct);
    }
    method(top)?;
    let known = ["kind", "center", "width", "q"];
    let keys = Keys::new(top.source, table, "want.", found.span.start, &known)?;
    let (center, width) = read_center_and_width(&keys, rate)?;
    Ok(Want::Notch { center, width })
}

/// `center`, with `width` or `q`.
pub(crate) fn read_center_and_width(
    keys: &Keys<'_>,
    rate: SampleRate,
) -> Result<(Frequency, NotchWidth), SpecError> {
    let found = keys.need("center", FREQUENCY_FORMS)?;
    let center: Frequency = found.parse(FREQUENCY_FORMS)?;
    below_nyquist(&found, center, rate)?;
    let width = match (keys.find("width"), keys.find("q")) {
        (Some(_), Some(q)) => {
            return Err(q.error(Problem::Both { other: "want.width" }));
        }
        (Some(found), None) => {
            let width: Frequency = found.parse(FREQUENCY_FORMS)?;
            below_nyquist(&found, width, rate)?;
            NotchWidth::Between(width)
        }
        (None, Some(found)) => {
            let forms = "a plain number, center over width, from 0.1 to 1e6, as q = 17.5";
            let q = found.number(forms)?;
            let width = center.hertz(rate) / q;
            if !(0.1..=1e6).contains(&q) || width >= rate.nyquist() {
                let least = (center.hertz(rate) / rate.nyquist()).max(0.1);
                return Err(found.error(Problem::Range {
                    found: format!("{q}, a width of {width} Hz"),
                    accepted: format!("q = center over width, above {least:.3} and up to 1e6"),
                }));
            }
            NotchWidth::Q(q)
        }
        (None, None) => {
            return Err(
                keys.missing("width", "width = \"5 Hz\" between the -3 dB points, or q = 17.5")
            );
        }
    };
    Ok((center, width))
}

/// Refuses frequencies that do not lie strictly between zero and the Nyquist frequency.
pub(crate) fn below_nyquist(
    found: &Found<'_>,
    frequency: Frequency,
    rate: SampleRate,
) -> Result<(), SpecError> {
    let (hertz, nyquist) = (frequency.hertz(rate), rate.nyquist());
    if hertz > 0.0 && hertz < nyquist {
        return Ok(());
    }
    let relative = matches!(frequency, Frequency::OfSampleRate(_));
    let said =
        if relative { format!("{hertz} Hz at this sample rate") } else { format!("{hertz} Hz") };
    Err(found.error(Problem::Range {
        found: said,
        accepted: format!(
            "above 0 Hz and below the Nyquist frequency, {nyquist} Hz (half the sample rate)"
        ),
    }))
}

/// A notch is a second-order section whatever the family; the table may say so.
fn method(top: &Keys<'_>) -> Result<(), SpecError> {
    let Some(keys) = top.table("method", "method.", &["design", "order"])? else {
        return Ok(());
    };
    if let Some(found) = keys.find("design") {
        found.choice(&[("butterworth", ())])?;
    }
    if let Some(found) = keys.find("order") {
        let order = found.number("order = 2")?;
        if order != 2.0 {
            return Err(found.error(Problem::Range {
                found: format!("{order}"),
                accepted: "order = 2 for a notch (order counts all poles of the digital filter)"
                    .to_owned(),
            }));
        }
    }
    Ok(())
}

fn equalizer(
    top: &Keys<'_>,
    want: &Want,
    rate: SampleRate,
) -> Result<Option<EqualizerWish>, SpecError> {
    let Some(keys) = top.table("equalizer", "equalizer.", &["delay_ripple"])? else {
        return Ok(None);
    };
    let forms = "the largest less the smallest delay, as \"2 samples\" or \"5 ms\"";
    let found = keys.need("delay_ripple", forms)?;
    let has_one_band = matches!(want, Want::Recursive(wish) if wish.kind != BandKind::Bandstop);
    if !has_one_band {
        return Err(found.error(Problem::Range {
            found: format!("an equalizer for kind \"{}\"", want.kind()),
            accepted: "a recursive low-pass, high-pass or band-pass filter".to_owned(),
        }));
    }
    let delay_ripple = found.parse::<Duration>(forms)?.samples(rate);
    if !(1e-3..=1e6).contains(&delay_ripple) {
        return Err(found.error(Problem::Range {
            found: format!("{delay_ripple} samples"),
            accepted: "0.001 to 1e6 samples".to_owned(),
        }));
    }
    Ok(Some(EqualizerWish { delay_ripple }))
}

/// `range_is_needed`: a spec goes without, where only the share of the full scale counts.
pub(crate) fn converter(
    top: &Keys<'_>,
    range_is_needed: bool,
) -> Result<Option<ConverterWish>, SpecError> {
    const RANGE: &str = "a number above 0: from minus this to this";
    let Some(keys) = top.table("converter", "converter.", &["bits", "range", "noise"])? else {
        return Ok(None);
    };
    let bits = keys.need("bits", "bits of a reading, as bits = 12")?.integer(2..33)? as u32;
    let number = |found: Found<'_>, low: f64, accepted: &'static str| {
        let value = found.number(accepted)?;
        if (low..=1e150).contains(&value) {
            return Ok(value);
        }
        let found_text = format!("{value}");
        Err(found.error(Problem::Range { found: found_text, accepted: accepted.to_owned() }))
    };
    let range = match keys.find("range") {
        Some(found) => number(found, 1e-150, RANGE)?,
        None if range_is_needed => return Err(keys.missing("range", RANGE)),
        None => 1.0,
    };
    let noise = match keys.find("noise") {
        Some(found) => number(found, 0.0, "an rms of 0 or more, in the unit of the range")?,
        None => 0.0,
    };
    Ok(Some(ConverterWish { bits, range, noise }))
}

fn verify(top: &Keys<'_>) -> Result<Verify, SpecError> {
    let Some(keys) = top.table("verify", "verify.", &["min_ser"])? else {
        return Ok(Verify::default());
    };
    let forms = "a level with its unit in quotes, as \"70 dB\"";
    let min_ser = match keys.find("min_ser") {
        None => None,
        Some(found) => {
            let level: Level = found.parse(forms)?;
            if !(0.0..=400.0).contains(&level.decibels()) {
                return Err(found.error(Problem::Range {
                    found: format!("{} dB", level.decibels()),
                    accepted: "0 dB to 400 dB".to_owned(),
                }));
            }
            Some(level)
        }
    };
    Ok(Verify { min_ser })
}
