//! Recordings written in blocks, whole or not at all.

use super::json::RATE;
use crate::csv_table::field;
use crate::encoding::{ByteOrder, NumberKind};
use crate::limits::free_beside;
use crate::whole::WholeFile;
use crate::{Encoding, RecordingError, Values};
use mellow_rake::units::SampleRate;
use npyz::WriterBuilder;
use std::cell::RefCell;
use std::collections::HashSet;
use std::io::{Seek, SeekFrom, Write};
use std::path::{Path, PathBuf};
use std::rc::Rc;

/// A format of recordings, by the ending of the file's name.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum FileFormat {
    /// Lines of numbers: .csv and .txt with commas, semicolons or tabs; .tsv with tabs.
    Text,
    /// .wav
    Wav,
    /// .npy
    Npy,
    /// .raw or .bin: numbers without a header.
    Raw,
    /// .json
    Json,
}

impl FileFormat {
    /// The format that the ending says.
    ///
    /// # Errors
    /// [`RecordingError::Ending`]
    ///
    /// ```
    /// use mellow_rake_files::FileFormat;
    /// assert_eq!(FileFormat::of("buoy.WAV".as_ref())?, FileFormat::Wav);
    /// # Ok::<(), mellow_rake_files::RecordingError>(())
    /// ```
    pub fn of(path: &Path) -> Result<Self, RecordingError> {
        let ending = path.extension().and_then(std::ffi::OsStr::to_str).unwrap_or("");
        match ending.to_ascii_lowercase().as_str() {
            "csv" | "tsv" | "txt" => Ok(FileFormat::Text),
            "wav" => Ok(FileFormat::Wav),
            "npy" => Ok(FileFormat::Npy),
            "raw" | "bin" => Ok(FileFormat::Raw),
            "json" => Ok(FileFormat::Json),
            _ => Err(RecordingError::Ending { path: path.to_owned() }),
        }
    }
}

impl FileFormat {
    /// Signed integers of so many bits as this format holds them: of 17 to 24 bits NPY has none and takes 32.
    ///
    /// ```
    /// use mellow_rake_files::FileFormat;
    /// assert_eq!(FileFormat::Npy.signed(18).to_string(), "int32-le");
    /// assert_eq!(FileFormat::Wav.signed(18).to_string(), "int24-le");
    /// ```
    pub fn signed(self, bits: u32) -> Encoding {
        match (self, bits) {
            (FileFormat::Npy, 17..=24) => Encoding::signed(32),
            _ => Encoding::signed(bits),
        }
    }
}

/// What is going to be written.
#[derive(Debug, Clone, PartialEq)]
pub struct RecordingPlan {
    /// Of each column or channel.
    pub names: Vec<String>,
    /// The rate. A text gets a column of times from it; WAV and JSON keep it; NPY and bytes cannot.
    pub rate: SampleRate,
    /// How many samples of each there will be.
    pub samples: u64,
    /// How the numbers stand in their bytes (WAV, NPY, bytes).
    pub encoding: Encoding,
}

/// The file while the WAV writer has it, which does not give it back at its end.
#[derive(Clone)]
struct Shared(Rc<RefCell<WholeFile>>);

impl Write for Shared {
    fn write(&mut self, bytes: &[u8]) -> std::io::Result<usize> {
        self.0.borrow_mut().write(bytes)
    }

    fn flush(&mut self) -> std::io::Result<()> {
        self.0.borrow_mut().flush()
    }
}

impl Seek for Shared {
    fn seek(&mut self, to: SeekFrom) -> std::io::Result<u64> {
        self.0.borrow_mut().seek(to)
    }
}

enum Sink {
    Text {
        delimiter: char,
    },
    Bytes,
    Wav(Box<hound::WavWriter<Shared>>),
    /// Columns by name; JSON is kept until the end.
    Json(Vec<Values>),
}

/// Writes a recording in blocks. Only what was finished is left.
///
/// ```
/// use mellow_rake_files::{Encoding, RecordingPlan, RecordingWriter, Values, ReadingChoice, RecordingReader};
/// let path = std::env::temp_dir().join("mellow_rake_doc.wav");
/// let names = vec!["left".to_owned(), "right".to_owned()];
/// let plan = RecordingPlan { names, rate: "8 kHz".parse()?, samples: 2, encoding: Encoding::signed(16) };
/// let mut writer = RecordingWriter::create(&path, plan)?;
/// writer.push(&[Values::Integers(vec![1, 2]), Values::Integers(vec![-32768, 32767])])?;
/// writer.finish()?;
/// let mut found = RecordingReader::open(&path, &ReadingChoice::default())?;
/// assert_eq!(found.rest(&[1])?, [Values::Integers(vec![-32768, 32767])]);
/// # std::fs::remove_file(&path)?;
/// # Ok::<(), Box<dyn std::error::Error>>(())
/// ```
pub struct RecordingWriter {
    plan: RecordingPlan,
    file: Shared,
    sink: Sink,
    path: PathBuf,
    written: u64,
    buffer: Vec<u8>,
}

impl RecordingWriter {
    /// Begins a file; the ending of its name says the format.
    ///
    /// # Errors
    /// [`RecordingError`] where the folder cannot be written to, or the format does not hold what is planned.
    pub fn create(path: &Path, plan: RecordingPlan) -> Result<Self, RecordingError> {
        let unfit = |message: String| RecordingError::Unfit { path: path.to_owned(), message };
        let format = FileFormat::of(path)?;
        let channels = plan.names.len();
        check_plan(path, format, &plan).map_err(unfit)?;
        let whole = WholeFile::create(path)
            .map_err(|error| RecordingError::System { path: error.path, source: error.source })?;
        let file = Shared(Rc::new(RefCell::new(whole)));
        let mut header = Vec::new();
        let sink = match format {
            FileFormat::Text => {
                let is_tabs =
                    path.extension().is_some_and(|ending| ending.eq_ignore_ascii_case("tsv"));
                let delimiter = if is_tabs { '\t' } else { ',' };
                header.extend(TIME.bytes());
                for name in &plan.names {
                    header.extend(format!("{delimiter}{}", field(name)).bytes());
                }
                header.push(b'\n');
                Sink::Text { delimiter }
            }
            FileFormat::Raw => Sink::Bytes,
            FileFormat::Npy => {
                header = npy_header(&plan)
                    .map_err(|source| RecordingError::System { path: path.to_owned(), source })?;
                Sink::Bytes
            }
            FileFormat::Wav => {
                let spec = wav_spec(&plan).map_err(unfit)?;
                let writer = hound::WavWriter::new(file.clone(), spec);
                Sink::Wav(Box::new(writer.map_err(|error| unfit(error.to_string()))?))
            }
            FileFormat::Json => Sink::Json(vec![Values::Integers(Vec::new()); channels]),
        };
        let mut writer =
            RecordingWriter { plan, file, sink, path: path.to_owned(), written: 0, buffer: header };
        writer.flush()?;
        Ok(writer)
    }

    fn unfit(&self, message: String) -> RecordingError {
        RecordingError::Unfit { path: self.path.clone(), message }
    }

    fn flush(&mut self) -> Result<(), RecordingError> {
        let result = self.file.write_all(&self.buffer);
        result.map_err(|source| RecordingError::System { path: self.path.clone(), source })?;
        self.buffer.clear();
        Ok(())
    }

    /// The next samples of every column, as many of each.
    ///
    /// # Errors
    /// [`RecordingError::Unfit`] for a number that the encoding does not hold, with its place.
    pub fn push(&mut self, block: &[Values]) -> Result<(), RecordingError> {
        let frames = block.first().map_or(0, Values::len);
        if block.len() != self.plan.names.len() || block.iter().any(|one| one.len() != frames) {
            return Err(self.unfit("the columns of a block differ in length".to_owned()));
        }
        let in_bytes = matches!(self.sink, Sink::Bytes | Sink::Wav(_));
        self.check_finite(block)?;
        if in_bytes {
            self.check(block)?;
        }
        let encoding = self.plan.encoding;
        match &mut self.sink {
            Sink::Text { delimiter } => {
                let rate = self.plan.rate.hertz();
                for row in 0..frames {
                    let time = (self.written + row as u64) as f64 / rate;
                    let text = &mut self.buffer;
                    // Writing to memory does not fail.
                    let _ = write!(text, "{time:?}");
                    for values in block {
                        let _ = match values {
                            Values::Integers(values) => write!(text, "{delimiter}{}", values[row]),
                            Values::Reals(values) => write!(text, "{delimiter}{:?}", values[row]),
                        };
                    }
                    text.push(b'\n');
                }
            }
            Sink::Bytes => {
                for row in 0..frames {
                    for values in block {
                        match values {
                            Values::Integers(values) => {
                                encoding.put_integer(values[row], &mut self.buffer);
                            }
                            Values::Reals(values) => {
                                encoding.put_real(values[row], &mut self.buffer);
                            }
                        }
                    }
                }
            }
            Sink::Wav(writer) => {
                let mut put = || -> hound::Result<()> {
                    for row in 0..frames {
                        for values in block {
                            match values {
                                Values::Integers(values) if encoding.is_integer() => {
                                    writer.write_sample(values[row] as i32)?;
                                }
                                Values::Integers(values) => {
                                    writer.write_sample(values[row] as f32)?;
                                }
                                Values::Reals(values) => writer.write_sample(values[row] as f32)?,
                            }
                        }
                    }
                    Ok(())
                };
                put().map_err(|error| RecordingError::Unfit {
                    path: self.path.clone(),
                    message: error.to_string(),
                })?;
            }
            Sink::Json(columns) => {
                let parts = columns.iter_mut().zip(block);
                parts.for_each(|(column, values)| {
                    // The first block says whether a column holds integers.
                    if column.is_empty() {
                        *column = values.clone();
                    } else {
                        column.append(values.clone());
                    }
                });
            }
        }
        self.written += frames as u64;
        self.flush()
    }

    /// Whether every sample is a number, also in the encoding that it is written in.
    fn check_finite(&self, block: &[Values]) -> Result<(), RecordingError> {
        let encoding = self.plan.encoding;
        let in_bytes = matches!(self.sink, Sink::Bytes | Sink::Wav(_));
        let is_short = in_bytes && encoding.kind() == NumberKind::Float && encoding.bytes() == 4;
        let largest = if is_short { f64::from(f32::MAX) } else { f64::MAX };
        for (values, name) in block.iter().zip(&self.plan.names) {
            let Values::Reals(values) = values else { continue };
            // Written so that a NaN is found, too.
            if let Some(row) = values.iter().position(|x| !(-largest..=largest).contains(x)) {
                let (sample, found) = (self.written + row as u64, values[row]);
                let accepted = if is_short {
                    "float32 holds numbers up to 3.4e38"
                } else {
                    "a finite number is wanted"
                };
                return Err(self
                    .unfit(format!("sample {sample} of `{name}` becomes {found:?}; {accepted}")));
            }
        }
        Ok(())
    }

    /// Whether the encoding holds every sample.
    fn check(&self, block: &[Values]) -> Result<(), RecordingError> {
        let encoding = self.plan.encoding;
        let Some((low, high)) = encoding.limits() else {
            return Ok(());
        };
        for (values, name) in block.iter().zip(&self.plan.names) {
            let wrong = |row: usize, found: String| {
                let sample = self.written + row as u64;
                self.unfit(format!(
                    "sample {sample} of `{name}` is {found}; {encoding} holds integers from \
                    {low} to {high}"
                ))
            };
            match values {
                Values::Integers(values) => {
                    let beyond = values.iter().position(|x| !(low..=high).contains(x));
                    if let Some(row) = beyond {
                        return Err(wrong(row, values[row].to_string()));
                    }
                }
                Values::Reals(values) if values.is_empty() => {}
                Values::Reals(values) => return Err(wrong(0, format!("{:?}", values[0]))),
            }
        }
        Ok(())
    }

    /// Puts the file in its place.
    ///
    /// # Errors
    /// [`RecordingError`] where fewer or more samples came than were planned, or the system refuses.
    pub fn finish(mut self) -> Result<(), RecordingError> {
        if self.written != self.plan.samples {
            let (written, planned) = (self.written, self.plan.samples);
            return Err(self.unfit(format!("{written} samples came where {planned} were planned")));
        }
        match std::mem::replace(&mut self.sink, Sink::Bytes) {
            Sink::Wav(writer) => {
                writer.finalize().map_err(|error| self.unfit(error.to_string()))?;
            }
            Sink::Json(columns) => {
                let mut object = serde_json::Map::new();
                object.insert(RATE.to_owned(), self.plan.rate.hertz().into());
                for (name, values) in self.plan.names.iter().zip(columns) {
                    let array = match values {
                        Values::Integers(values) => serde_json::Value::from(values),
                        Values::Reals(values) => serde_json::Value::from(values),
                    };
                    object.insert(name.clone(), array);
                }
                self.buffer = serde_json::Value::Object(object).to_string().into_bytes();
                self.buffer.push(b'\n');
                self.flush()?;
            }
            Sink::Text { .. } | Sink::Bytes => {}
        }
        let RecordingWriter { path, file, .. } = self;
        // The WAV writer, which had the only other handle, is gone.
        let Ok(file) = Rc::try_unwrap(file.0) else {
            let message = "the file is still being written".to_owned();
            return Err(RecordingError::Unfit { path, message });
        };
        let refused = |error: crate::WriteFileError| RecordingError::System {
            path: error.path,
            source: error.source,
        };
        file.into_inner().finish().map_err(refused)
    }
}

/// The column of times that a text gets.
const TIME: &str = "time_s";

/// Names that can be told apart, from each other and from those that the format adds; and room for what is
/// planned.
fn check_plan(path: &Path, format: FileFormat, plan: &RecordingPlan) -> Result<(), String> {
    let own = match format {
        FileFormat::Text => Some(TIME),
        FileFormat::Json => Some(RATE),
        _ => None,
    };
    let has_names = own.is_some();
    let mut all: HashSet<&str> = own.into_iter().collect();
    if let Some(name) = plan.names.iter().find(|name| has_names && !all.insert(name)) {
        return Err(match own == Some(name) {
            true => format!(
                "a column `{name}` would stand beside the one of that name that the file gets by itself; \
                    another name is wanted"
            ),
            false => format!(
                "two columns would be called `{name}`; a name of its own for each is wanted"
            ),
        });
    }
    let words = plan.samples.saturating_mul(plan.names.len() as u64);
    if format == FileFormat::Json && words > MOST_WORDS_OF_JSON {
        return Err(format!(
            "{words} numbers; JSON, which is made in memory, takes up to {MOST_WORDS_OF_JSON}; .csv, .npy \
                and .raw any number"
        ));
    }
    // A line of a text has two digits or more of time and a digit of each column, with what stands between.
    let least = match format {
        FileFormat::Text => plan.samples.saturating_mul(4).saturating_add(words.saturating_mul(2)),
        FileFormat::Json => words.saturating_mul(2),
        _ => words.saturating_mul(plan.encoding.bytes() as u64),
    };
    let is_file = std::fs::metadata(path).map_or(true, |there| there.is_file());
    match free_beside(path).filter(|free| is_file && least > *free) {
        Some(free) => Err(format!(
            "{} samples take {least} bytes or more; {free} are free there",
            plan.samples
        )),
        None => Ok(()),
    }
}

/// Numbers in a JSON file at most: they stand in memory until it is written.
const MOST_WORDS_OF_JSON: u64 = 1 << 24;

fn npy_header(plan: &RecordingPlan) -> std::io::Result<Vec<u8>> {
    let encoding = plan.encoding;
    let kind = match encoding.kind() {
        NumberKind::Signed => 'i',
        NumberKind::Unsigned => 'u',
        NumberKind::Float => 'f',
    };
    let order = match (encoding.bytes(), encoding.order()) {
        (1, _) => '|',
        (_, ByteOrder::Little) => '<',
        (_, ByteOrder::Big) => '>',
    };
    let invalid = |what: String| std::io::Error::new(std::io::ErrorKind::InvalidInput, what);
    if encoding.bytes() == 3 {
        return Err(invalid("NPY has no numbers of 24 bits; int32-le holds them".to_owned()));
    }
    let text = format!("{order}{kind}{}", encoding.bytes());
    let plain = text.parse().map_err(|_| invalid(format!("no type `{text}`")))?;
    let channels = plan.names.len() as u64;
    let shape = if channels == 1 { vec![plan.samples] } else { vec![plan.samples, channels] };
    let mut header = Vec::new();
    npyz::WriteOptions::new_header_only()
        .dtype(npyz::DType::Plain(plain))
        .shape(&shape)
        .writer(&mut header)
        .write_header_only()?;
    Ok(header)
}

fn wav_spec(plan: &RecordingPlan) -> Result<hound::WavSpec, String> {
    let encoding = plan.encoding;
    let rate = plan.rate.hertz();
    let sample_rate = Some(rate as u32).filter(|whole| f64::from(*whole) == rate);
    let sample_rate = sample_rate.ok_or_else(|| {
        format!(
            "WAV holds whole numbers of samples per second, not {rate}; .csv and .json hold any"
        )
    })?;
    let is_float = encoding.kind() == NumberKind::Float;
    let fits = encoding.kind() != NumberKind::Unsigned
        && encoding.bytes() <= 4
        && encoding.order() == ByteOrder::Little;
    if !fits {
        return Err(format!(
            "WAV does not hold {encoding}; int8, int16-le, int24-le, int32-le and float32-le it does"
        ));
    }
    let channels = u16::try_from(plan.names.len()).ok().filter(|count| *count > 0);
    let channels = channels.ok_or_else(|| "WAV has 1 to 65535 channels".to_owned())?;
    let frame = encoding.bytes() as u64 * u64::from(channels);
    if plan.samples.saturating_mul(frame) > u64::from(u32::MAX) - 128 {
        return Err("WAV ends at 4 GiB; .npy and .raw hold more".to_owned());
    }
    Ok(hound::WavSpec {
        channels,
        sample_rate,
        bits_per_sample: 8 * encoding.bytes() as u16,
        sample_format: if is_float { hound::SampleFormat::Float } else { hound::SampleFormat::Int },
    })
}
