//! Recordings of any length, read and written in blocks.

mod bytes;
mod error;
mod json;
mod output;
mod text;
mod wav;
mod writer;

pub use error::{CsvError, RecordingError};
pub use output::OutputForm;
pub(crate) use text::TextReader;
pub use writer::{FileFormat, RecordingPlan, RecordingWriter};

use crate::limits::{MOST_BYTES_IN_MEMORY, all_of};
use crate::{Column, Encoding, Values};
use bytes::ByteReader;
use mellow_rake::units::SampleRate;
use std::io::{Cursor, Read, Seek};
use std::path::{Path, PathBuf};
use text::is_time;
use wav::WavSource;

/// Where bytes come from.
pub(crate) trait Input: Read + Seek + Send {}
impl<T: Read + Seek + Send> Input for T {}

/// Samples with the rate that their file says.
pub(crate) struct Layout<T> {
    pub(crate) source: T,
    pub(crate) rate: Option<SampleRate>,
}

/// What a file does not say by itself.
///
/// ```
/// use mellow_rake_files::ReadingChoice;
/// let raw = ReadingChoice { encoding: Some("int16-be".parse()?), channels: 2, ..ReadingChoice::default() };
/// assert!(raw.rate.is_none());
/// # Ok::<(), mellow_rake_files::EncodingError>(())
/// ```
#[derive(Debug, Clone, PartialEq)]
pub struct ReadingChoice {
    /// The sample rate; a file that says another is refused.
    pub rate: Option<SampleRate>,
    /// How the numbers of a file without a header stand in its bytes.
    pub encoding: Option<Encoding>,
    /// How many channels such a file has, 1 to 65,536.
    pub channels: usize,
    /// The column of times in a text: its name, or its number from 1. Without it a column called `t`, `time`
    /// or `time_…` is one.
    pub time: Option<String>,
}

impl Default for ReadingChoice {
    fn default() -> Self {
        ReadingChoice { rate: None, encoding: None, channels: 1, time: None }
    }
}

enum Source {
    Text(TextReader),
    Bytes(ByteReader),
    Wav(WavSource),
    /// JSON is read whole.
    Memory(Vec<Column>),
}

/// A recording that is read in blocks: of a file of any length no more than a block is in memory (of JSON all
/// is).
///
/// A text is read through once before, so that a fault in its last line is known before the first sample is
/// used.
///
/// ```
/// use mellow_rake_files::{ReadingChoice, RecordingReader, Values};
/// let text = "# bench\ntime_s;strain\n0.000;12\n0.001;-7\n";
/// let mut recording = RecordingReader::bytes("a.csv".as_ref(), text.as_bytes().to_vec(),
///     &ReadingChoice::default())?;
/// let strain = recording.choose(None)?;
/// assert_eq!((recording.names()[strain].as_str(), recording.rate().unwrap().hertz()), ("strain", 1000.0));
/// assert_eq!(recording.next_block(&[strain], 100)?, [Values::Integers(vec![12, -7])]);
/// assert!(recording.next_block(&[strain], 100)?[0].is_empty());
/// # Ok::<(), mellow_rake_files::RecordingError>(())
/// ```
pub struct RecordingReader {
    path: PathBuf,
    names: Vec<String>,
    time: Option<usize>,
    rate: Option<SampleRate>,
    frames: u64,
    full_scale: Option<f64>,
    encoding: Option<Encoding>,
    at: u64,
    source: Source,
}

/// `channel`, or `channel_1`, `channel_2`, … of several.
pub(crate) fn channel_name(k: usize, of: usize) -> String {
    if of == 1 { "channel".to_owned() } else { format!("channel_{}", k + 1) }
}

/// The place of a column: by its name, else by its number from 1.
pub(crate) fn place(names: &[String], wanted: &str) -> Result<usize, CsvError> {
    let number = || wanted.parse::<usize>().ok()?.checked_sub(1).filter(|k| *k < names.len());
    let found = names.iter().position(|name| name == wanted).or_else(number);
    found.ok_or_else(|| CsvError::NoColumn { name: wanted.to_owned(), known: names.to_vec() })
}

impl RecordingReader {
    /// Opens a file; the ending of its name says the format. What comes through a pipe is read whole, up to
    /// [`MOST_BYTES_IN_MEMORY`].
    ///
    /// # Errors
    /// [`RecordingError`]
    pub fn open(path: &Path, choice: &ReadingChoice) -> Result<Self, RecordingError> {
        let system = |source| RecordingError::System { path: path.to_owned(), source };
        // Whether the ending says a format is known before a pipe is waited for.
        FileFormat::of(path)?;
        let file = std::fs::File::open(path).map_err(system)?;
        if file.metadata().map_err(system)?.is_file() {
            return RecordingReader::new(path, Box::new(file), choice);
        }
        // What comes through a pipe is there once.
        let bytes = all_of(file, MOST_BYTES_IN_MEMORY).map_err(system)?;
        RecordingReader::bytes(path, bytes, choice)
    }

    /// A recording in memory; the ending of the name says the format.
    ///
    /// # Errors
    /// [`RecordingError`]
    pub fn bytes(
        path: &Path,
        bytes: Vec<u8>,
        choice: &ReadingChoice,
    ) -> Result<Self, RecordingError> {
        RecordingReader::new(path, Box::new(Cursor::new(bytes)), choice)
    }

    fn new(
        path: &Path,
        input: Box<dyn Input>,
        choice: &ReadingChoice,
    ) -> Result<Self, RecordingError> {
        let mut full_scale = None;
        let mut encoding = None;
        let mut time = None;
        let (source, names, frames, rate) = match FileFormat::of(path)? {
            FileFormat::Text => {
                let opened = TextReader::open(input, choice.rate, choice.time.as_deref());
                let wrong = |error| RecordingError::Text { path: path.to_owned(), error };
                let (text, rate) = opened.map_err(wrong)?;
                let (names, frames) = (text.names.clone(), text.frames);
                time = match &choice.time {
                    Some(name) => Some(place(&names, name).map_err(wrong)?),
                    None => names.iter().position(|name| is_time(name)),
                };
                (Source::Text(text), names, frames, rate)
            }
            FileFormat::Wav => {
                let wav = WavSource::open(input, path)?;
                (full_scale, encoding) = (Some(wav.full_scale), Some(wav.encoding));
                let count = wav.channels();
                let rate = SampleRate::from_hertz(f64::from(wav.rate_hz));
                let frames = wav.frames;
                (
                    Source::Wav(wav),
                    (0..count).map(|k| channel_name(k, count)).collect(),
                    frames,
                    rate,
                )
            }
            FileFormat::Npy | FileFormat::Raw => {
                let (reader, count) = if FileFormat::of(path)? == FileFormat::Npy {
                    ByteReader::npy(input, path)?
                } else {
                    let encoding = choice
                        .encoding
                        .ok_or_else(|| RecordingError::NoEncoding { path: path.to_owned() })?;
                    let channels = choice.channels.clamp(1, 65_536);
                    (ByteReader::raw(input, path, encoding, channels)?, channels)
                };
                full_scale = Some(reader.encoding().full_scale());
                encoding = Some(reader.encoding());
                let frames = reader.frames;
                let names = (0..count).map(|k| channel_name(k, count)).collect();
                (Source::Bytes(reader), names, frames, None)
            }
            FileFormat::Json => {
                let bytes = all_of(input, MOST_BYTES_IN_MEMORY)
                    .map_err(|source| RecordingError::System { path: path.to_owned(), source })?;
                let Layout { source, rate } = json::read(&bytes, path)?;
                let names = source.iter().map(|column| column.name.clone()).collect();
                let frames = source.first().map_or(0, |column| column.values.len()) as u64;
                (Source::Memory(source), names, frames, rate)
            }
        };
        if frames == 0 {
            return Err(RecordingError::Empty { path: path.to_owned() });
        }
        if let (Some(said), Some(found)) = (choice.rate, rate)
            && said.hertz() != found.hertz()
        {
            return Err(RecordingError::Rate { path: path.to_owned(), found, said });
        }
        let rate = choice.rate.or(rate);
        let path = path.to_owned();
        Ok(RecordingReader { path, names, time, rate, frames, full_scale, encoding, at: 0, source })
    }

    /// Of each column or channel.
    pub fn names(&self) -> &[String] {
        &self.names
    }

    /// The rate that was said or that the file says.
    pub fn rate(&self) -> Option<SampleRate> {
        self.rate
    }

    /// Samples of each column.
    pub fn samples(&self) -> u64 {
        self.frames
    }

    /// The size of a sample at the end of the range, where the format says it.
    pub fn full_scale(&self) -> Option<f64> {
        self.full_scale
    }

    /// How the numbers stand in their bytes, where they do.
    pub fn encoding(&self) -> Option<Encoding> {
        self.encoding
    }

    /// All columns but that of the times.
    pub fn signals(&self) -> Vec<usize> {
        (0..self.names.len()).filter(|k| Some(*k) != self.time).collect()
    }

    /// The column with that name or that number from 1; without one, the only one that is not a time.
    ///
    /// # Errors
    /// [`RecordingError::Text`] where there is none, [`RecordingError::Ambiguous`] where there are several.
    pub fn choose(&self, name: Option<&str>) -> Result<usize, RecordingError> {
        if let Some(name) = name {
            return place(&self.names, name)
                .map_err(|error| RecordingError::Text { path: self.path.clone(), error });
        }
        match (&self.signals()[..], self.names.len()) {
            (&[one], _) => Ok(one),
            ([], 1) => Ok(0),
            _ => Err(RecordingError::Ambiguous {
                path: self.path.clone(),
                known: self.names.clone(),
            }),
        }
    }

    /// The next samples of some columns, at most so many; none at the end. Of a file of many channels they
    /// are fewer: a block holds no more than a mebiword of the file, or one sample of each channel.
    ///
    /// # Errors
    /// [`RecordingError`], with the place, where the file is cut off or a sample is not finite.
    pub fn next_block(
        &mut self,
        columns: &[usize],
        samples: usize,
    ) -> Result<Vec<Values>, RecordingError> {
        /// Words of a file that are in memory at a time.
        const MOST_WORDS: usize = 1 << 20;
        let samples = samples.min((MOST_WORDS / self.names.len().max(1)).max(1));
        let path = || self.path.clone();
        let block = match &mut self.source {
            Source::Text(text) => text
                .next(columns, samples)
                .map_err(|error| RecordingError::Text { path: path(), error })?,
            Source::Bytes(bytes) => bytes
                .next(columns, samples)
                .map_err(|source| RecordingError::System { path: path(), source })?,
            Source::Wav(wav) => {
                wav.next(columns, samples).map_err(|(sample, what)| RecordingError::Form {
                    path: path(),
                    format: "WAV",
                    message: format!("sample {sample} of {} cannot be read: {what}", self.frames),
                })?
            }
            Source::Memory(all) => {
                let start = (self.at as usize).min(self.frames as usize);
                let end = (start + samples).min(self.frames as usize);
                columns.iter().map(|&column| all[column].values.part(start..end)).collect()
            }
        };
        for (values, column) in block.iter().zip(columns) {
            let Values::Reals(reals) = values else { continue };
            if let Some(k) = reals.iter().position(|x| !x.is_finite()) {
                let (sample, found) = (self.at + k as u64, reals[k]);
                let column = self.names[*column].clone();
                return Err(RecordingError::NotFinite { path: path(), sample, column, found });
            }
        }
        self.at += block.first().map_or(0, Values::len) as u64;
        Ok(block)
    }

    /// All that is left of some columns, in memory.
    ///
    /// # Errors
    /// As of [`next_block`](RecordingReader::next_block).
    pub fn rest(&mut self, columns: &[usize]) -> Result<Vec<Values>, RecordingError> {
        let mut all = self.next_block(columns, 1 << 16)?;
        loop {
            let block = self.next_block(columns, 1 << 16)?;
            if block.first().is_none_or(Values::is_empty) {
                return Ok(all);
            }
            all.iter_mut().zip(block).for_each(|(values, more)| values.append(more));
        }
    }
}
