//! The commands about signals.

use super::{FileReading, Scaling, Stretch};
use clap::builder::RangedU64ValueParser;
use clap::{Args, ValueEnum};
use mellow_rake::units::{Duration, Frequency, Level, SampleRate};
use mellow_rake_files::Encoding;
use std::path::PathBuf;
use std::str::FromStr;

/// Make a test signal: a sum of tones, chirps, square waves, pulses, noises, hum, spikes and keyed carriers,
/// through a converter if wanted.
///
/// A plan is a small TOML file: name, sample_rate, length, seed, a table `[[part]]` for each part, and
/// `[converter]` with bits, range and noise for integers (docs/signals.md lists all kinds with their keys).
/// The same can be said with options.
///
/// Examples: mrake signal demo/modem/telemetry.toml -o telemetry.wav --figure telemetry.png; mrake signal
/// --rate "1 kHz" --length "2 s" --part 'kind = "tone", frequency = "87.5 Hz", amplitude = 0.5' -o tone.csv
#[derive(Debug, Args)]
pub(crate) struct Signal {
    /// The plan file.
    pub(crate) plan: Option<PathBuf>,
    /// The sample rate, as "1 kHz".
    #[arg(long, conflicts_with = "plan")]
    pub(crate) rate: Option<SampleRate>,
    /// How long it is, as "2 s" or "4096 samples".
    #[arg(long, value_name = "DURATION", conflicts_with = "plan")]
    pub(crate) length: Option<String>,
    /// A part, in the words of a table `[[part]]` with commas between them; as often as there are parts.
    #[arg(long, value_name = "KEYS", conflicts_with = "plan")]
    pub(crate) part: Vec<String>,
    /// The converter, in the words of the table `[converter]`: 'bits = 16, range = 1'.
    #[arg(long, value_name = "KEYS", conflicts_with = "plan")]
    pub(crate) converter: Option<String>,
    /// The name of the column [default: signal].
    #[arg(long, value_name = "NAME", conflicts_with = "plan")]
    pub(crate) name: Option<String>,
    /// Where random numbers begin; the same seed gives the same signal [default: that of the plan, or 1].
    #[arg(long)]
    pub(crate) seed: Option<u64>,
    /// The file to write, in the format of its ending: .csv, .tsv, .wav, .npy, .json, .raw.
    #[arg(short, long, value_name = "FILE")]
    pub(crate) output: PathBuf,
    /// How numbers stand in it (.wav, .npy, .raw) [default: the smallest integers that hold the converter's
    /// counts, else floating point].
    #[arg(long, value_name = "ENCODING")]
    pub(crate) output_encoding: Option<Encoding>,
    /// Draw the signal, its spectrum and its spectrogram into this .png or .svg file.
    #[arg(long, value_name = "FILE")]
    pub(crate) figure: Option<PathBuf>,
    /// Print one JSON object on stdout (docs/json.md) and nothing else there.
    #[arg(long)]
    pub(crate) json: bool,
}

/// Look at a recording: levels, clipping, spectrum, the lines in it, and what could be done about them.
///
/// Exit status 1: the spectrum is above --mask somewhere.
///
/// Example: mrake inspect demo/mooring/mooring.csv --full-scale 32768 --figure look.png
#[derive(Debug, Args)]
pub(crate) struct Inspect {
    /// The recording: .csv, .tsv or .txt with or without a header, .wav, .npy, .json, .raw or .bin. A column
    /// of times, or the file's own rate, says the sample rate.
    pub(crate) file: PathBuf,
    /// The column of the recording, by name or by number from 1, if it has several (channels are called
    /// channel_1, channel_2, ...).
    #[arg(long, value_name = "NAME")]
    pub(crate) column: Option<String>,
    #[command(flatten)]
    pub(crate) reading: FileReading,
    #[command(flatten)]
    pub(crate) scaling: Scaling,
    /// The sample rate, as "1 kHz", where the recording does not say it; where it does, it must be this.
    #[arg(long)]
    pub(crate) rate: Option<SampleRate>,
    /// Samples of the pieces that the spectrum is averaged over: more for finer steps, fewer for less noise.
    #[arg(long, value_name = "COUNT")]
    pub(crate) piece: Option<usize>,
    /// Look at this stretch of it alone: "10 s..20 s".
    #[arg(long, value_name = "FROM..TO")]
    pub(crate) between: Option<Stretch<Duration>>,
    /// Show negative frequencies too, with half of the density on either side.
    #[arg(long)]
    pub(crate) two_sided: bool,
    /// Hold the spectrum against a mask: a CSV file with a column of frequencies in Hz (frequency_hz) and one
    /// of levels in dB of the largest density (level_db).
    #[arg(long, value_name = "FILE")]
    pub(crate) mask: Option<PathBuf>,
    /// Draw the record, its spectrum and its spectrogram into this .png or .svg file.
    #[arg(long, value_name = "FILE")]
    pub(crate) figure: Option<PathBuf>,
    /// Print one JSON object on stdout (docs/json.md) and nothing else there.
    #[arg(long)]
    pub(crate) json: bool,
}

/// What a program is given.
#[derive(Debug, Clone, Copy, PartialEq, Eq, ValueEnum)]
pub(crate) enum Excitation {
    /// Seeded white noise, uniform over half the input's range.
    Noise,
    /// A sine that goes from 0 Hz to the Nyquist frequency within every piece.
    Chirp,
    /// One tone after the other, each measured once the filter has settled.
    Steps,
}

impl Excitation {
    /// The word for it.
    pub(crate) fn as_str(self) -> &'static str {
        match self {
            Excitation::Noise => "noise",
            Excitation::Chirp => "chirp",
            Excitation::Steps => "steps",
        }
    }
}

/// Measure what runs, and hold it against the filter: its transfer function, single tones, or what it does to
/// a modulated signal.
///
/// Between two columns of a recording, or of a program that reads input words on stdin and prints as many
/// output words on stdout (NAME_pipe.c, which `mrake generate` writes, is one). With --modulated the error
/// vectors of a keyed carrier are measured; without a program or a recording, behind the filter of the spec
/// itself.
///
/// Exit status 1: the largest deviation where the coherence is good exceeds --within, or it is good nowhere;
/// the error vectors exceed --error-limit; the spectrum is above --mask.
///
/// Examples: mrake measure demo/mooring/pump_hum.toml --device ./pump_hum_pipe --within "0.5 dB";
/// mrake measure a.toml --recording bench.csv --input drive --output sensed;
/// mrake measure demo/modem/carrier_band.toml --modulated demo/modem/telemetry.toml --figure symbols.png
#[derive(Debug, Args)]
pub(crate) struct Measure {
    /// The spec file of the filter that should be there.
    pub(crate) spec: PathBuf,
    /// The program, with its arguments behind it, each after its own --device.
    #[arg(long, value_name = "PROGRAM", conflicts_with = "recording", allow_hyphen_values = true)]
    pub(crate) device: Option<Vec<String>>,
    /// How words pass to and from the program: text, one a line, or bytes, as int16-le.
    #[arg(long, value_name = "ENCODING", default_value = "text", requires = "device")]
    pub(crate) pipe: Pipe,
    /// A recording that holds input and output.
    #[arg(long, value_name = "FILE")]
    pub(crate) recording: Option<PathBuf>,
    #[command(flatten)]
    pub(crate) reading: FileReading,
    /// The column of the input, by name or by number from 1.
    #[arg(long, value_name = "NAME", requires = "recording")]
    pub(crate) input: Option<String>,
    /// The column of the output.
    #[arg(long, value_name = "NAME", requires = "recording")]
    pub(crate) output: Option<String>,
    /// What the program is given.
    #[arg(long, value_enum, default_value = "noise")]
    pub(crate) excitation: Excitation,
    /// How many tones of --excitation steps, one in each of as many equal parts of the range up to the
    /// Nyquist frequency.
    #[arg(long, default_value_t = 48, value_name = "COUNT",
        value_parser = clap::value_parser!(u32).range(1..=2000))]
    pub(crate) steps: u32,
    /// Give the program single tones as well, at these frequencies with commas between them, and compare gain
    /// and phase after the start-up: "10 Hz,87.5 Hz".
    #[arg(long, value_name = "FREQUENCIES", value_delimiter = ',', requires = "device")]
    pub(crate) tones: Vec<Frequency>,
    /// The plan of a signal (see `mrake signal`) with a keyed part: measure what becomes of its symbols.
    #[arg(long, value_name = "PLAN", conflicts_with_all = ["tones", "within"])]
    pub(crate) modulated: Option<PathBuf>,
    /// The largest error vector, root of the mean square, that is allowed behind the filter: "-30 dB" or
    /// "0.03 x".
    #[arg(long, value_name = "LEVEL", requires = "modulated", allow_hyphen_values = true)]
    pub(crate) error_limit: Option<Level>,
    /// The highest level that is allowed in the channels beside that of the symbols, over it: "-40 dB".
    #[arg(long, value_name = "LEVEL", requires = "modulated", allow_hyphen_values = true)]
    pub(crate) adjacent_limit: Option<Level>,
    /// The part of the plan whose symbols are received, the first is 1 [default: the first with symbols].
    #[arg(long, value_name = "NUMBER", requires = "modulated")]
    pub(crate) part: Option<usize>,
    /// How far the middles of channels are apart: "6 kHz" [default: as far as the symbols' band is wide].
    #[arg(long, value_name = "FREQUENCY", requires = "modulated")]
    pub(crate) spacing: Option<Frequency>,
    /// Hold the spectrum of the modulated signal behind the filter against a mask, as of `mrake inspect`.
    #[arg(long, value_name = "FILE", requires = "modulated")]
    pub(crate) mask: Option<PathBuf>,
    /// Samples for the program, 64 to 2^24.
    #[arg(long, default_value_t = 131_072, value_name = "COUNT",
        value_parser = RangedU64ValueParser::<usize>::new().range(64..=1 << 24))]
    pub(crate) samples: usize,
    /// Where the random numbers begin.
    #[arg(long, default_value_t = 1)]
    pub(crate) seed: u64,
    /// Seconds after which the program is stopped, 1 to 86400.
    #[arg(long, default_value_t = 60, value_name = "SECONDS",
        value_parser = RangedU64ValueParser::<u64>::new().range(1..=86_400))]
    pub(crate) limit: u64,
    /// Samples of the pieces that are averaged over: more for finer steps and longer filters, fewer for less
    /// noise.
    #[arg(long, value_name = "COUNT")]
    pub(crate) piece: Option<usize>,
    /// Average with this share for each new piece, so that the past fades, above 0 and up to 1 [default: all
    /// pieces alike].
    #[arg(long, value_name = "SHARE")]
    pub(crate) fading: Option<f64>,
    /// The largest deviation that is allowed.
    #[arg(long, value_name = "LEVEL")]
    pub(crate) within: Option<Level>,
    /// Hold it against the filter as designed, with unrounded coefficients.
    #[arg(long)]
    pub(crate) designed: bool,
    /// Show negative frequencies too.
    #[arg(long)]
    pub(crate) two_sided: bool,
    /// Draw measured and meant gain, the deviation and the coherence, or the symbols and the spectrum, into
    /// this .png or .svg file.
    #[arg(long, value_name = "FILE")]
    pub(crate) figure: Option<PathBuf>,
    /// Print one JSON object on stdout (docs/json.md) and nothing else there.
    #[arg(long)]
    pub(crate) json: bool,
}

/// How words pass through a pipe.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) enum Pipe {
    Text,
    Bytes(Encoding),
}

impl FromStr for Pipe {
    type Err = String;

    fn from_str(text: &str) -> Result<Self, String> {
        if text == "text" {
            return Ok(Pipe::Text);
        }
        let encoding: Encoding =
            text.parse().map_err(|error: mellow_rake_files::EncodingError| error.to_string())?;
        match encoding.is_integer() {
            true => Ok(Pipe::Bytes(encoding)),
            false => {
                Err("words are integers: text, or an encoding as int16-le, is wanted".to_owned())
            }
        }
    }
}

/// Filter a recording.
///
/// In floating point the samples keep their unit, or take that of --range. With --bit-true the recording goes
/// through the integer filter: a column of integers is taken as words of the input format, a column with
/// decimal points as values, rounded to the nearest word. Recordings of any length pass in blocks (of JSON,
/// and with --zero-phase, all is kept in memory).
///
/// Examples: mrake run demo/mooring/pump_hum.toml demo/mooring/mooring.csv -o quiet.csv;
/// mrake run demo/modem/carrier_band.toml demo/modem/modem.wav --bit-true -o band.wav
#[derive(Debug, Args)]
pub(crate) struct Run {
    /// The spec file.
    pub(crate) spec: PathBuf,
    /// The recording: .csv, .tsv or .txt with or without a header, .wav, .npy, .json, .raw or .bin. A column
    /// of times, or the file's own rate, must fit the spec's sample rate.
    pub(crate) input: PathBuf,
    /// The file to write, in the format of its ending: .csv, .tsv and .json hold time, the samples before and
    /// after; .wav, .npy and .raw those after.
    #[arg(short, long, value_name = "FILE")]
    pub(crate) output: PathBuf,
    /// The columns of the recording, by name or by number from 1, with commas between them, if it has
    /// several.
    #[arg(long, value_name = "NAMES", value_delimiter = ',')]
    pub(crate) column: Vec<String>,
    /// Filter all columns but that of the times.
    #[arg(long, conflicts_with = "column")]
    pub(crate) all_columns: bool,
    #[command(flatten)]
    pub(crate) reading: FileReading,
    #[command(flatten)]
    pub(crate) scaling: Scaling,
    /// How numbers stand in the file that is written (.wav, .npy, .raw) [default: floating point; with
    /// --bit-true the smallest integers that hold the output].
    #[arg(long, value_name = "ENCODING")]
    pub(crate) output_encoding: Option<Encoding>,
    /// Run the integer filter instead of the floating-point one; the spec needs a table `[fixed]`.
    #[arg(long)]
    pub(crate) bit_true: bool,
    /// Run forward and backward: no phase and no delay, twice the decibels; only for recordings, in floating
    /// point.
    #[arg(long, conflicts_with = "bit_true")]
    pub(crate) zero_phase: bool,
    /// Take the known delay off, so that the output stands in step with the input: for taps of linear phase.
    #[arg(long, conflicts_with = "zero_phase")]
    pub(crate) remove_delay: bool,
    /// Draw the record before and after, and both spectra, into this .png or .svg file.
    #[arg(long, value_name = "FILE")]
    pub(crate) figure: Option<PathBuf>,
    /// Print one JSON object on stdout (docs/json.md) and nothing else there.
    #[arg(long)]
    pub(crate) json: bool,
}
