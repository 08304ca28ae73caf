//! What can be wrong with a recording.

use mellow_rake::units::SampleRate;
use std::path::PathBuf;

/// What can be wrong with a text of numbers. Lines count from 1.
#[derive(Debug, thiserror::Error)]
#[non_exhaustive]
pub enum CsvError {
    /// The file is not CSV, or a line has another number of fields than the first.
    #[error("line {line}: {message}")]
    Form {
        /// The line.
        line: u64,
        /// What is wrong.
        message: String,
    },
    /// A field is no number.
    #[error(
        "line {line}, column `{column}`: found `{found}`; accepted: a number with a decimal point (not a \
            comma), as -12 or 3.5e-2"
    )]
    Field {
        /// The line.
        line: u64,
        /// The column.
        column: String,
        /// The field, cut to 40 characters.
        found: String,
    },
    /// A field is longer than any number or name.
    #[error(
        "line {line}, column `{column}`: {bytes} bytes; accepted: up to {}",
        crate::MOST_BYTES_OF_A_FIELD
    )]
    LongField {
        /// The line.
        line: u64,
        /// The column; of a long name its beginning.
        column: String,
        /// How long the field is.
        bytes: usize,
    },
    /// Two columns have one name.
    #[error("columns {} and {} are both called `{name}`; a name of its own for each is wanted", .columns[0],
        .columns[1])]
    SameName {
        /// The name.
        name: String,
        /// The columns, from 1.
        columns: [usize; 2],
    },
    /// There is no sample.
    #[error(
        "the file holds no samples; accepted: a header line with names or none, then one sample a line"
    )]
    Empty,
    /// The first line is neither a header nor samples.
    #[error(
        "line 1: found names and numbers; accepted: a header of names alone, as `time_s,strain`, or numbers \
            alone"
    )]
    MixedHeader,
    /// There is no such column.
    #[error("no column `{name}`; there are: {}; or their numbers from 1", crate::limits::listed(.known))]
    NoColumn {
        /// The name asked for.
        name: String,
        /// The columns that there are.
        known: Vec<String>,
    },
    /// The time column does not fit the sample rate.
    #[error(
        "line {line}, column `{column}`: time goes on by {found} s; at {rate_hz} Hz it goes on by \
            {expected} s a sample"
    )]
    Time {
        /// The line.
        line: u64,
        /// The time column.
        column: String,
        /// The step found, in seconds.
        found: f64,
        /// The step expected, in seconds.
        expected: f64,
        /// The sample rate, in hertz.
        rate_hz: f64,
    },
}

/// Why a recording cannot be read or written. Samples count from 0.
#[derive(Debug, thiserror::Error)]
#[non_exhaustive]
pub enum RecordingError {
    /// The system refuses.
    #[error("{}: {source}", .path.display())]
    System {
        /// The file.
        path: PathBuf,
        /// What the system said.
        source: std::io::Error,
    },
    /// The ending of the file's name says no format.
    #[error(
        "{}: the ending says no format; accepted: .csv or .txt (commas, semicolons or tabs), .tsv, .wav, \
            .npy, .json, .raw or .bin", .path.display()
    )]
    Ending {
        /// The file.
        path: PathBuf,
    },
    /// Bytes without a header, and nothing says what they are.
    #[error("{}: bytes without a header: their encoding must be said, as int16-le", .path.display())]
    NoEncoding {
        /// The file.
        path: PathBuf,
    },
    /// A text is wrong.
    #[error("{}: {error}", .path.display())]
    Text {
        /// The file.
        path: PathBuf,
        /// What is wrong.
        error: CsvError,
    },
    /// The file is not what its name says.
    #[error("{}: not a readable {format} file: {message}", .path.display())]
    Form {
        /// The file.
        path: PathBuf,
        /// The format.
        format: &'static str,
        /// What is wrong, and what is accepted.
        message: String,
    },
    /// The file ends before its samples do, or holds a part of one at its end.
    #[error("{}: cut off at byte {byte}, in sample {sample}; its header or encoding says {expected} bytes",
        .path.display())]
    Cut {
        /// The file.
        path: PathBuf,
        /// Where the file ends.
        byte: u64,
        /// The first sample that is not whole.
        sample: u64,
        /// How many bytes there should be.
        expected: u64,
    },
    /// The file goes on behind its samples.
    #[error("{}: {extra} bytes behind the last sample", .path.display())]
    Extra {
        /// The file.
        path: PathBuf,
        /// How many.
        extra: u64,
    },
    /// A sample is not a finite number.
    #[error("{}: sample {sample} of `{column}` is {found}; a finite number is wanted", .path.display())]
    NotFinite {
        /// The file.
        path: PathBuf,
        /// The sample.
        sample: u64,
        /// Its column or channel.
        column: String,
        /// What it is.
        found: f64,
    },
    /// There are no samples.
    #[error("{}: no samples", .path.display())]
    Empty {
        /// The file.
        path: PathBuf,
    },
    /// The rate is another than the one that was said.
    #[error("{}: the recording has {} samples per second; {} were said", .path.display(), .found.hertz(),
        .said.hertz())]
    Rate {
        /// The file.
        path: PathBuf,
        /// The file's rate.
        found: SampleRate,
        /// The rate that was said.
        said: SampleRate,
    },
    /// Several columns could be meant.
    #[error(
        "{}: several columns could be meant; choose one of: {}",
        .path.display(),
        crate::limits::listed(.known)
    )]
    Ambiguous {
        /// The file.
        path: PathBuf,
        /// The columns that there are.
        known: Vec<String>,
    },
    /// The format does not hold what is to be written.
    #[error("{}: {message}", .path.display())]
    Unfit {
        /// The file.
        path: PathBuf,
        /// What does not fit, and what would.
        message: String,
    },
}
