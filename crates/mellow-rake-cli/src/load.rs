//! From files to what the library takes.

use crate::failure::{Failure, SampleError};
use mellow_rake::design::{Design, design};
use mellow_rake::fixed::WordFormat;
use mellow_rake::implementation::{Implementation, implement};
use mellow_rake::spec::{Coefficients, DirectWish, Spec, Want};
use mellow_rake::units::SampleRate;
use mellow_rake_files::{
    CsvTable, Values, WavRecording, coefficients_from_csv, coefficients_from_json,
};
use std::path::{Path, PathBuf};

/// A spec with where it came from, and its design.
pub(crate) struct Loaded {
    pub(crate) path: PathBuf,
    pub(crate) spec: Spec,
    pub(crate) design: Design,
}

pub(crate) fn read(path: &Path) -> Result<Vec<u8>, Failure> {
    std::fs::read(path).map_err(|source| Failure::Read { path: path.to_owned(), source })
}

/// Coefficients from a .csv or .json file.
fn read_coefficients(path: &Path) -> Result<Coefficients, Failure> {
    let bytes = read(path)?;
    let ending = path.extension().and_then(std::ffi::OsStr::to_str);
    let found = match ending {
        Some("csv") => coefficients_from_csv(&bytes),
        Some("json") => coefficients_from_json(&bytes),
        _ => {
            let path = path.display();
            return Err(Failure::Call(format!(
                "{path}: a file of coefficients ends in .csv or .json"
            )));
        }
    };
    found.map_err(|error| Failure::Coefficients { path: path.to_owned(), error: Box::new(error) })
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
        let path = path.to_owned();
        let mut spec =
            Spec::parse(text).map_err(|error| Failure::Spec { path: path.clone(), error })?;
        if let Want::Direct(DirectWish::Given(coefficients)) = &mut spec.want
            && let Coefficients::File(name) = coefficients
        {
            let beside = path.parent().unwrap_or(Path::new("")).join(&*name);
            *coefficients = read_coefficients(&beside)?;
        }
        let design =
            design(&spec).map_err(|error| Failure::Design { path: path.clone(), error })?;
        Ok(Loaded { path, spec, design })
    }

    /// The integer filter, if the spec asks for one.
    pub(crate) fn implementation(&self) -> Result<Option<Implementation>, Failure> {
        let Some(fixed) = self.spec.fixed else {
            return Ok(None);
        };
        implement(&self.design.form, fixed)
            .map(Some)
            .map_err(|error| Failure::Implement { path: self.path.clone(), error: Box::new(error) })
    }

    /// The integer filter that a command cannot do without.
    pub(crate) fn need_implementation(
        &self,
        needs: &'static str,
    ) -> Result<Implementation, Failure> {
        self.implementation()?.ok_or(Failure::NoWords { path: self.path.clone(), needs })
    }
}

/// One column of a recording.
pub(crate) struct Recording {
    pub(crate) name: String,
    pub(crate) values: Values,
    pub(crate) rate: SampleRate,
    /// The largest size of a sample that the file's format holds, where that is known.
    pub(crate) full_scale: Option<f64>,
    path: PathBuf,
}

impl Recording {
    pub(crate) fn file(
        path: &Path,
        column: Option<&str>,
        rate: SampleRate,
    ) -> Result<Self, Failure> {
        Recording::bytes(path, &read(path)?, column, Some(rate))
    }

    /// A recording whose rate must be this one; or, without one, must say its own.
    pub(crate) fn bytes(
        path: &Path,
        bytes: &[u8],
        column: Option<&str>,
        rate: Option<SampleRate>,
    ) -> Result<Self, Failure> {
        let wrong = |error| Failure::Csv { path: path.to_owned(), error };
        let is_wav = path.extension().is_some_and(|ending| ending == "wav");
        let (table, own_rate, full_scale) = if is_wav {
            let wrong = |error| Failure::Wav { path: path.to_owned(), error };
            let sound = WavRecording::parse(bytes).map_err(wrong)?;
            if let Some(rate) = rate {
                sound.check_rate(rate.hertz()).map_err(wrong)?;
            }
            let own = SampleRate::from_hertz(f64::from(sound.rate_hz));
            // The table's own rules for choosing a column hold for channels too.
            (CsvTable { columns: sound.columns }, own, Some(sound.full_scale))
        } else {
            let table = CsvTable::parse(bytes).map_err(wrong)?;
            let own = match rate {
                Some(rate) => table.check_rate(rate).map(|()| None).map_err(wrong)?,
                None => table.rate().map_err(wrong)?,
            };
            (table, own, None)
        };
        let rate = rate.or(own_rate).ok_or_else(|| {
            Failure::Call(format!(
                "{}: no time column says the sample rate; --rate \"1 kHz\" would",
                path.display()
            ))
        })?;
        let column = table.choose(column).map_err(wrong)?;
        let (name, values) = (column.name.clone(), column.values.clone());
        Ok(Recording { name, values, rate, full_scale, path: path.to_owned() })
    }

    /// The samples as words of the input format: integers as they are, real numbers as values, rounded to the nearest
    /// word, ties to the even one.
    pub(crate) fn words(&self, format: WordFormat) -> Result<Vec<i64>, Failure> {
        let outside = |sample: usize, found: String, low: String, high: String, hint| {
            let path = self.path.clone();
            Failure::Sample(Box::new(SampleError { path, sample, found, format, low, high, hint }))
        };
        match &self.values {
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
}
