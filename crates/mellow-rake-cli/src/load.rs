//! From files to what the library takes.

use crate::arguments::{FileReading, Stretch};
use crate::failure::{Failure, SampleError};
use mellow_rake::design::{Design, design};
use mellow_rake::fixed::WordFormat;
use mellow_rake::implementation::{Goal, Implementation, advice, implement_toward};
use mellow_rake::signal::{Mask, MaskMargin, Spectrum};
use mellow_rake::spec::{Coefficients, DirectWish, Spec, SpecPlace, Want};
use mellow_rake::units::{Duration, SampleRate};
use mellow_rake_files::{
    MOST_BYTES_OF_A_SPEC, ReadingChoice, RecordingReader, Values, coefficients_from_csv,
    coefficients_from_json, curve_from_csv, read_whole,
};
use std::path::{Path, PathBuf};

/// A spec with where it came from, and its design.
pub(crate) struct Loaded {
    pub(crate) path: PathBuf,
    pub(crate) spec: Spec,
    pub(crate) design: Design,
    /// The text that the user has before him.
    shown: String,
}

pub(crate) fn read(path: &Path) -> Result<Vec<u8>, Failure> {
    read_whole(path, MOST_BYTES_OF_A_SPEC)
        .map_err(|source| Failure::Read { path: path.to_owned(), source })
}

/// Coefficients from a .csv or .json file, or why there are none.
fn read_coefficients(path: &Path) -> Result<Coefficients, String> {
    let bytes = read_whole(path, MOST_BYTES_OF_A_SPEC).map_err(|error| error.to_string())?;
    let found = match path.extension().and_then(std::ffi::OsStr::to_str) {
        Some("csv") => coefficients_from_csv(&bytes),
        Some("json") => coefficients_from_json(&bytes),
        _ => return Err("a file of coefficients ends in .csv or .json".to_owned()),
    };
    found.map_err(|error| error.to_string())
}

impl Loaded {
    /// Reads and designs a spec file.
    pub(crate) fn file(path: &Path) -> Result<Self, Failure> {
        Loaded::text(path, &Loaded::read_text(path)?)
    }

    /// The text of a spec file.
    pub(crate) fn read_text(path: &Path) -> Result<String, Failure> {
        String::from_utf8(read(path)?)
            .map_err(|_| Failure::Call(format!("{}: not UTF-8 text", path.display())))
    }

    /// Reads and designs the text of a spec.
    pub(crate) fn text(path: &Path, text: &str) -> Result<Self, Failure> {
        Loaded::variant(path, text, (path, text))
    }

    /// Reads and designs a changed text of a spec; what is wrong in it is shown at its place in the file that was changed, beside which files of
    /// coefficients stand.
    pub(crate) fn variant(
        path: &Path,
        text: &str,
        (original, shown): (&Path, &str),
    ) -> Result<Self, Failure> {
        let path = path.to_owned();
        let mut spec = Spec::parse(text).map_err(|mut error| {
            if text != shown && !error.key.is_empty() {
                let place = SpecPlace::of(shown, &[&error.key]);
                (error.line, error.column) = (place.line, place.column);
            }
            Failure::Spec { path: path.clone(), error }
        })?;
        if let Want::Direct(DirectWish::Given(coefficients)) = &mut spec.want
            && let Coefficients::File(name) = coefficients
        {
            let file = original.parent().unwrap_or(Path::new("")).join(&*name);
            *coefficients = read_coefficients(&file).map_err(|what| {
                let place = SpecPlace::of(shown, &["want.file"]);
                Failure::Coefficients { path: path.clone(), place, file, what }
            })?;
        }
        let design = design(&spec).map_err(|error| {
            let would_do = mellow_rake::design::advice(&spec, &error)
                .map_or(String::new(), |found| format!("; {} would do", found.change));
            let place = SpecPlace::of(shown, &error.keys());
            Failure::Design { path: path.clone(), place, error: Box::new(error), would_do }
        })?;
        Ok(Loaded { path, spec, design, shown: shown.to_owned() })
    }

    /// What integers are chosen for.
    pub(crate) fn goal(&self) -> Goal {
        Goal::of(&self.spec, &self.design)
    }

    /// The integer filter, if the spec asks for one.
    pub(crate) fn implementation(&self) -> Result<Option<Implementation>, Failure> {
        let Some(fixed) = self.spec.fixed else {
            return Ok(None);
        };
        let (form, goal) = (&self.design.form, self.goal());
        implement_toward(form, fixed, &goal).map(Some).map_err(|error| {
            let would_do = advice(form, fixed, &goal, &error)
                .map_or(String::new(), |found| format!("; {} would do", found.change));
            let place = SpecPlace::of(&self.shown, &error.keys());
            Failure::Implement { path: self.path.clone(), place, error: Box::new(error), would_do }
        })
    }

    /// The integer filter that a command cannot do without.
    pub(crate) fn need_implementation(
        &self,
        needs: &'static str,
    ) -> Result<Implementation, Failure> {
        self.implementation()?.ok_or(Failure::NoWords { path: self.path.clone(), needs })
    }
}

/// A curve from a CSV file: frequencies in hertz and levels in decibels, in the order of the file.
pub(crate) fn read_curve(path: &Path) -> Result<Vec<(f64, f64)>, Failure> {
    curve_from_csv(&read(path)?).map_err(|error| Failure::Curve { path: path.to_owned(), error })
}

/// A mask from a CSV file, if one is asked for, and how a spectrum stands to it.
pub(crate) fn read_mask(
    path: Option<&Path>,
    spectrum: &Spectrum,
) -> Result<Option<(Mask, MaskMargin)>, Failure> {
    let Some(path) = path else { return Ok(None) };
    let wrong = |what: &str| Failure::Call(format!("{}: {what}", path.display()));
    let mask = Mask::new(read_curve(path)?);
    let mask =
        mask.ok_or_else(|| wrong("a mask has two points or more, and its frequencies never fall"))?;
    let margin = mask.margin(spectrum);
    let margin =
        margin.ok_or_else(|| wrong("the mask has no frequency in common with the spectrum"))?;
    Ok(Some((mask, margin)))
}

/// One column of a recording, in memory.
pub(crate) struct Recording {
    pub(crate) name: String,
    pub(crate) values: Values,
    pub(crate) rate: SampleRate,
    /// The largest size of a sample that the file's format holds, where that is known.
    pub(crate) full_scale: Option<f64>,
    path: PathBuf,
}

/// The rate that was said or that the file says.
pub(crate) fn need_rate(path: &Path, reader: &RecordingReader) -> Result<SampleRate, Failure> {
    reader.rate().ok_or_else(|| {
        Failure::Call(format!(
            "{}: nothing in it says the sample rate; --rate \"1 kHz\" would",
            path.display()
        ))
    })
}

impl Recording {
    /// A column of a file whose rate must be this one; or, without one, must say its own.
    pub(crate) fn file(
        path: &Path,
        how: &FileReading,
        column: Option<&str>,
        rate: Option<SampleRate>,
    ) -> Result<Self, Failure> {
        Recording::of(path, RecordingReader::open(path, &how.choice(rate))?, column, None)
    }

    /// A column of a file in memory.
    pub(crate) fn bytes(path: &Path, bytes: &[u8], rate: SampleRate) -> Result<Self, Failure> {
        let choice = ReadingChoice { rate: Some(rate), ..ReadingChoice::default() };
        Recording::of(path, RecordingReader::bytes(path, bytes.to_vec(), &choice)?, None, None)
    }

    /// A stretch of a column, of which no more is held in memory.
    pub(crate) fn part(
        path: &Path,
        how: &FileReading,
        column: Option<&str>,
        rate: Option<SampleRate>,
        stretch: Option<Stretch<Duration>>,
    ) -> Result<Self, Failure> {
        Recording::of(path, RecordingReader::open(path, &how.choice(rate))?, column, stretch)
    }

    fn of(
        path: &Path,
        mut reader: RecordingReader,
        column: Option<&str>,
        stretch: Option<Stretch<Duration>>,
    ) -> Result<Self, Failure> {
        let rate = need_rate(path, &reader)?;
        let column = reader.choose(column)?;
        let all = usize::try_from(reader.samples()).unwrap_or(usize::MAX);
        let wanted = match stretch {
            Some(stretch) => stretch.samples(rate, all)?,
            None => 0..all,
        };
        if wanted.len() > MOST_SAMPLES {
            return Err(Failure::Call(format!(
                "{}: {} samples; up to {MOST_SAMPLES} are held in memory at a time (inspect --between takes a stretch of them)",
                path.display(),
                wanted.len()
            )));
        }
        let values = stretch_of(&mut reader, column, wanted)?;
        let (name, full_scale) = (reader.names()[column].clone(), reader.full_scale());
        Ok(Recording { name, values, rate, full_scale, path: path.to_owned() })
    }

    /// The samples as words of the input format.
    pub(crate) fn words(&self, format: WordFormat) -> Result<Vec<i64>, Failure> {
        words(&self.path, &self.values, 0, format)
    }
}

/// Samples that are held in memory at a time: half a gigabyte of numbers.
const MOST_SAMPLES: usize = 1 << 26;

/// Some samples of a column, block by block.
fn stretch_of(
    reader: &mut RecordingReader,
    column: usize,
    wanted: std::ops::Range<usize>,
) -> Result<Values, Failure> {
    const BLOCK: usize = 1 << 16;
    let (mut found, mut at) = (None, 0);
    while at < wanted.end {
        let mut block = reader.next_block(&[column], BLOCK.min(wanted.end - at))?.remove(0);
        if block.is_empty() {
            break;
        }
        let count = block.len();
        if at + count > wanted.start {
            block.take_front(wanted.start.saturating_sub(at));
            match &mut found {
                None => found = Some(block),
                Some(all) => all.append(block),
            }
        }
        at += count;
    }
    Ok(found.unwrap_or(Values::Reals(Vec::new())))
}

/// Samples as words of the input format: integers as they are, real numbers as values, rounded to the nearest
/// word, ties to the even one. `first` is the place of the first one in its file.
pub(crate) fn words(
    path: &Path,
    values: &Values,
    first: u64,
    format: WordFormat,
) -> Result<Vec<i64>, Failure> {
    let outside = |sample: usize, found: String, low: String, high: String, hint| {
        let (path, sample) = (path.to_owned(), first + sample as u64);
        Failure::Sample(Box::new(SampleError { path, sample, found, format, low, high, hint }))
    };
    match values {
        Values::Integers(values) => {
            let (low, high) = (format.minimum(), format.maximum());
            match values.iter().position(|&value| !format.holds(value.into())) {
                None => Ok(values.clone()),
                Some(sample) => Err(outside(
                    sample,
                    format!("the integer {}", values[sample]),
                    low.to_string(),
                    high.to_string(),
                    "",
                )),
            }
        }
        Values::Reals(values) => {
            let (low, high) = (format.minimum() as f64, format.maximum() as f64);
            let step = format.step();
            let word = |(sample, value): (usize, &f64)| {
                let word = (value / step).round_ties_even();
                if (low..=high).contains(&word) {
                    return Ok(word as i64);
                }
                let hint = "; a column with decimal points is read as values of the format";
                let (low, high) = (low * step, high * step);
                Err(outside(sample, value.to_string(), low.to_string(), high.to_string(), hint))
            };
            values.iter().enumerate().map(word).collect()
        }
    }
}
