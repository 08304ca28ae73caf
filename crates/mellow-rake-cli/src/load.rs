//! From files to what the library takes.

use crate::arguments::{FileReading, Stretch};
use crate::failure::Failure;
use mellow_rake::fixed::WordFormat;
use mellow_rake::float::FloatFilter;
use mellow_rake::implementation::Implementation;
use mellow_rake::signal::{Mask, MaskMargin, Spectrum};
use mellow_rake::spec::{ChainSpec, Tune};
use mellow_rake::study::{ChainStudy, SharedUnit, Study, StudyError};
use mellow_rake::units::{Duration, SampleRate};
use mellow_rake::write::{GeneratedFile, Language};
use mellow_rake_files::{
    MOST_BYTES_OF_A_SPEC, ReadingChoice, RecordingReader, Values, coefficients_beside,
    curve_from_csv, read_whole, words,
};
use std::path::{Path, PathBuf};

/// A spec with where it came from, and what is known of it.
pub(crate) struct Loaded {
    pub(crate) path: PathBuf,
    pub(crate) study: Study,
}

/// The spec of a filter, or of a chain of stages.
pub(crate) enum AnySpec {
    Filter(Box<Loaded>),
    Chain(Box<ChainStudy>),
}

impl AnySpec {
    /// Reads and designs a spec file.
    pub(crate) fn file(path: &Path) -> Result<Self, Failure> {
        let text = read_text(path)?;
        if !ChainSpec::is_chain(&text) {
            return Loaded::text(path, &text).map(|loaded| AnySpec::Filter(Box::new(loaded)));
        }
        let files = |name: &str| coefficients_beside(path, name);
        match ChainStudy::of_text(&text, files) {
            Ok(study) => Ok(AnySpec::Chain(Box::new(study))),
            Err(error) => Err(Failure::Chain { path: path.to_owned(), error: Box::new(error) }),
        }
    }

    /// The same with its C tuned to a core, if one is named.
    pub(crate) fn tuned(self, tune: Option<Tune>) -> Result<Self, Failure> {
        Ok(match (self, tune) {
            (AnySpec::Filter(loaded), tune) => AnySpec::Filter(Box::new(loaded.tuned(tune)?)),
            (AnySpec::Chain(study), Some(tune)) => AnySpec::Chain(Box::new(study.tuned_to(tune))),
            (chain, None) => chain,
        })
    }
}

/// The text of a spec file.
pub(crate) fn read_text(path: &Path) -> Result<String, Failure> {
    String::from_utf8(read(path)?)
        .map_err(|_| Failure::Call(format!("{}: not UTF-8 text", path.display())))
}

pub(crate) fn read(path: &Path) -> Result<Vec<u8>, Failure> {
    read_whole(path, MOST_BYTES_OF_A_SPEC)
        .map_err(|source| Failure::Read { path: path.to_owned(), source })
}

impl Loaded {
    /// Reads and designs a spec file.
    pub(crate) fn file(path: &Path) -> Result<Self, Failure> {
        Loaded::text(path, &read_text(path)?)
    }

    /// Reads and designs the text of a spec.
    pub(crate) fn text(path: &Path, text: &str) -> Result<Self, Failure> {
        Loaded::variant(path, text, (path, text))
    }

    /// Reads and designs a changed text of a spec; what is wrong in it is shown at its place in the file that
    /// was changed, beside which files of coefficients stand.
    pub(crate) fn variant(
        path: &Path,
        text: &str,
        (original, shown): (&Path, &str),
    ) -> Result<Self, Failure> {
        let path = path.to_owned();
        let files = |name: &str| coefficients_beside(original, name);
        match Study::of_changed_text(text, shown, files) {
            Ok(study) => Ok(Loaded { path, study }),
            Err(error) => Err(Failure::Study { path, error: Box::new(error) }),
        }
    }

    /// The same with its C tuned to a core, if one is named.
    pub(crate) fn tuned(self, tune: Option<Tune>) -> Result<Self, Failure> {
        let Some(tune) = tune else { return Ok(self) };
        self.need_implementation("--tune")?;
        let Loaded { path, study } = self;
        match study.tuned_to(tune) {
            Ok(study) => Ok(Loaded { path, study }),
            Err(error) => Err(Failure::Study { path, error: Box::new(error) }),
        }
    }

    /// Spec files, each with what is known of it.
    pub(crate) fn files_of(paths: &[PathBuf]) -> Result<Vec<Self>, Failure> {
        paths.iter().map(|path| Loaded::file(path)).collect()
    }

    /// One unit for it and others; `None` where there are no others.
    pub(crate) fn shared<'a>(
        &'a self,
        others: &'a [Loaded],
    ) -> Result<Option<SharedUnit<'a>>, Failure> {
        if others.is_empty() {
            return Ok(None);
        }
        for one in std::iter::once(self).chain(others) {
            one.need_implementation("--beside")?;
        }
        let studies: Vec<&Study> = others.iter().map(|one| &one.study).collect();
        SharedUnit::of(&self.study, &studies).map(Some).map_err(|error| self.failure(error))
    }

    /// Why something is not known of it.
    pub(crate) fn failure(&self, error: StudyError) -> Failure {
        Failure::Study { path: self.path.clone(), error: Box::new(error) }
    }

    /// The integer filter, if the spec asks for one.
    pub(crate) fn implementation(&self) -> Result<Option<&Implementation>, Failure> {
        self.study.implementation().map_err(|error| self.failure(error))
    }

    /// The filter in floating point, if the spec asks for one.
    pub(crate) fn float(&self) -> Result<Option<&FloatFilter>, Failure> {
        self.study.float().map_err(|error| self.failure(error))
    }

    /// The filter as text in some languages.
    pub(crate) fn files(&self, languages: &[Language]) -> Result<Vec<GeneratedFile>, Failure> {
        self.study.files(languages).map_err(|error| match error {
            // A limit of a language is nothing wrong in the spec.
            StudyError::Write(error) => Failure::Write(error),
            error => self.failure(error),
        })
    }

    /// The integer filter that a command cannot do without.
    pub(crate) fn need_implementation(
        &self,
        needs: &'static str,
    ) -> Result<&Implementation, Failure> {
        // What also runs in floating point.
        let takes_float = ["generate", "verify", "run --bit-true"].contains(&needs);
        let or = takes_float.then_some(", nor [float]");
        self.implementation()?.ok_or(Failure::NoWords { path: self.path.clone(), needs, or })
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
                "{}: {} samples; up to {MOST_SAMPLES} are held in memory at a time (inspect --between takes \
                    a stretch of them)",
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
        Ok(words(&self.path, &self.values, 0, format)?)
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
