//! The command line.

use crate::failure::Failure;
use crate::figures::{View, Wishes};
use clap::{Args, Parser, Subcommand, ValueEnum};
use mellow_rake::units::{Duration, Frequency, Level, SampleRate};
use mellow_rake_files::{Encoding, ReadingChoice, Values};
use serde::Serialize;
use std::path::PathBuf;
use std::str::FromStr;

/// Design digital filters, put them on fixed point, write them as C and Verilog, and prove that what runs is, bit for
/// bit, what was designed.
///
/// Start with `mrake demo`, then `mrake new notch > notch.toml` and `mrake design notch.toml`.
///
/// Exit status: 0 done and every check held; 1 a check failed; 2 the input or the call is wrong.
#[derive(Debug, Parser)]
#[command(name = "mrake", version, max_term_width = 100)]
pub(crate) struct Arguments {
    #[command(subcommand)]
    pub(crate) command: Command,
}

#[derive(Debug, Subcommand)]
pub(crate) enum Command {
    Demo(Demo),
    New(New),
    Design(Design),
    Compare(Compare),
    Sensitivity(Sensitivity),
    Quantize(Quantize),
    Signal(Signal),
    Inspect(Inspect),
    Measure(Measure),
    Generate(Generate),
    Verify(Verify),
    Run(Run),
}

/// The worked example, from a recording to the proof, with its figures.
///
/// The research buoy off Lantern Reef records the strain on its mooring line, and the bilge pump hums into it at
/// 87.5 Hz. This designs the notch, puts it on 16 bits, writes C and Verilog, compiles and simulates them, compares
/// every integer with the bit-true simulator and the simulator with floating point, and leaves everything in a folder.
#[derive(Debug, Args)]
pub(crate) struct Demo {
    /// Which example: mooring (a notch), breath (a low-pass) or modem (a band-pass with taps).
    #[arg(default_value = "mooring")]
    pub(crate) name: String,
    /// The folder for all that is written; made if it is not there [default: lantern-reef/NAME].
    #[arg(short, long, value_name = "DIR")]
    pub(crate) output: Option<PathBuf>,
    /// Print one JSON object on stdout (docs/json.md) and nothing else there.
    #[arg(long)]
    pub(crate) json: bool,
}

/// A commented spec to start from.
///
/// Example: mrake new notch > pump_hum.toml
#[derive(Debug, Args)]
pub(crate) struct New {
    /// The kind of filter: notch, lowpass, highpass, bandpass, bandstop, peak, comb, dcblocker, allpass, leaky, resonator,
    /// placed, coefficients; with taps: multiband, points, differentiator, hilbert, halfband, mthband, raised-cosine,
    /// root-raised-cosine, smoother, average.
    pub(crate) kind: String,
    /// Write it to this file instead of stdout; an existing file is kept.
    #[arg(short, long, value_name = "FILE")]
    pub(crate) output: Option<PathBuf>,
    /// Print one JSON object on stdout (docs/json.md) and nothing else there.
    #[arg(long)]
    pub(crate) json: bool,
}

/// Design the filter; what was asked beside what came out, in floating point and with rounded coefficients.
///
/// The measured columns are read off the finished response, not repeated from the spec. Exit status 1: the design
/// misses what was asked.
///
/// Examples: mrake design demo/mooring/pump_hum.toml --figure response.png;
/// mrake design demo/breath/breath.toml --panels gain,delay,step,roots --figure looks.svg --watch
#[derive(Debug, Args)]
pub(crate) struct Design {
    /// The spec file.
    pub(crate) spec: PathBuf,
    /// Compare all families of recursive filters against this template (order = "minimum").
    #[arg(long)]
    pub(crate) families: bool,
    /// Show the filter in other forms as well, with what each loses; with commas between them.
    #[arg(long = "form", value_enum, value_delimiter = ',', value_name = "FORM")]
    pub(crate) forms: Vec<OtherForm>,
    /// List zeros and poles with their frequency, radius and time constant.
    #[arg(long)]
    pub(crate) roots: bool,
    #[command(flatten)]
    pub(crate) drawing: Drawing,
    /// Stay, and do it all again whenever the spec file is saved; a mistake is shown and waited out. Ctrl-C ends it.
    #[arg(long, conflicts_with = "json")]
    pub(crate) watch: bool,
    /// Print one JSON object on stdout (docs/json.md) and nothing else there.
    #[arg(long)]
    pub(crate) json: bool,
}

/// What is drawn, and how.
#[derive(Debug, Args)]
pub(crate) struct Drawing {
    /// Draw into this .png or .svg file.
    #[arg(long, value_name = "FILE")]
    pub(crate) figure: Option<PathBuf>,
    /// What the panels show, up to nine, with commas between them [default: gain,edges,passband].
    #[arg(long, value_enum, value_delimiter = ',', value_name = "VIEW")]
    pub(crate) panels: Vec<View>,
    /// The frequencies of panels over the whole range: "20 kHz..30 kHz".
    #[arg(long, value_name = "FROM..TO", allow_hyphen_values = true)]
    pub(crate) span: Option<Stretch<Frequency>>,
    /// The levels of the gain panel: "-0.01 dB..0.01 dB".
    #[arg(long, value_name = "FROM..TO", allow_hyphen_values = true)]
    pub(crate) levels: Option<Stretch<Level>>,
    /// A logarithmic frequency axis for panels over the whole range.
    #[arg(long)]
    pub(crate) log: bool,
    /// Sketch the panels in the terminal as well [default panel: gain].
    #[arg(long, value_enum, value_name = "LETTERS", num_args = 0..=1, require_equals = true, default_missing_value = "braille")]
    pub(crate) sketch: Option<Letters>,
}

/// What a sketch is made of.
#[derive(Debug, Clone, Copy, PartialEq, Eq, ValueEnum)]
pub(crate) enum Letters {
    /// Patterns of eight dots.
    Braille,
    /// Half blocks.
    Blocks,
    /// Stars.
    Ascii,
}

/// From one quantity to another.
#[derive(Debug, Clone, Copy)]
pub(crate) struct Stretch<Q> {
    from: Q,
    to: Q,
}

impl Stretch<Duration> {
    /// The samples of a record of so many that lie in it.
    pub(crate) fn samples(
        self,
        rate: SampleRate,
        of: usize,
    ) -> Result<std::ops::Range<usize>, Failure> {
        let [from, to] = [self.from, self.to].map(|end| end.samples(rate).round());
        if !(from >= 0.0 && from < to && to <= of as f64) {
            return Err(Failure::Call(format!(
                "--between: sample {from} to {to} is no stretch of the {of} samples"
            )));
        }
        Ok(from as usize..to as usize)
    }
}

impl<Q: FromStr> FromStr for Stretch<Q>
where
    Q::Err: std::fmt::Display,
{
    type Err = String;

    fn from_str(text: &str) -> Result<Self, String> {
        let Some((from, to)) = text.split_once("..") else {
            return Err("two quantities with `..` between them are wanted".to_owned());
        };
        let read = |text: &str| text.parse::<Q>().map_err(|error| error.to_string());
        Ok(Stretch { from: read(from)?, to: read(to)? })
    }
}

impl Drawing {
    /// The axes as numbers. Every end must lie above its beginning, and frequencies not above the Nyquist frequency.
    pub(crate) fn wishes(&self, rate: SampleRate) -> Result<Wishes, String> {
        let span_hz = self.span.map(|span| (span.from.hertz(rate), span.to.hertz(rate)));
        let levels_db = self.levels.map(|levels| (levels.from.decibels(), levels.to.decibels()));
        if let Some((from, to)) = span_hz
            && !(from >= 0.0 && from < to && from < rate.nyquist())
        {
            let nyquist = rate.nyquist();
            return Err(format!(
                "--span: {from} Hz to {to} Hz is no stretch of frequencies between 0 Hz and the Nyquist frequency, {nyquist} Hz"
            ));
        }
        if let Some((from, to)) = levels_db
            && !(from < to && from.is_finite() && to.is_finite())
        {
            return Err(format!("--levels: {from} dB to {to} dB does not rise"));
        }
        let nyquist = rate.nyquist();
        let span_hz = span_hz.map(|(from, to)| (from, to.min(nyquist)));
        Ok(Wishes { span_hz, levels_db, is_logarithmic: self.log })
    }

    /// The panels that were chosen, or these.
    pub(crate) fn views<'a>(&'a self, otherwise: &'a [View]) -> &'a [View] {
        if self.panels.is_empty() { otherwise } else { &self.panels }
    }
}

/// Hold several designs against one another: one table, one set of axes.
///
/// Give any number of specs, or one with a key varied. Of a spec with a table `fixed` the filter with rounded coefficients is
/// compared, as that is what runs. A reference curve is a CSV file with a column of frequencies in Hz (`frequency_hz`,
/// `frequency` or `hz`) and one of levels in dB (`level_db`, `level`, `gain_db` or `db`).
///
/// Exit status 1: a filter misses its template.
///
/// Examples: mrake compare a.toml b.toml --figure both.png; mrake compare a.toml --vary method.order=4,6,8
#[derive(Debug, Args)]
pub(crate) struct Compare {
    /// The spec files.
    #[arg(required = true)]
    pub(crate) specs: Vec<PathBuf>,
    /// A key of the spec and the values that it takes in turn: method.order=4,6,8 or fixed.coefficients=s12,s16,s24.
    #[arg(long, value_name = "KEY=VALUES", allow_hyphen_values = true)]
    pub(crate) vary: Option<String>,
    /// A curve that was measured or published: overlaid, with the largest deviation of every filter.
    #[arg(long, value_name = "FILE")]
    pub(crate) reference: Option<PathBuf>,
    /// Compare the filters as designed, with unrounded coefficients.
    #[arg(long)]
    pub(crate) designed: bool,
    #[command(flatten)]
    pub(crate) drawing: Drawing,
    /// Print one JSON object on stdout (docs/json.md) and nothing else there.
    #[arg(long)]
    pub(crate) json: bool,
}

/// How much each coefficient matters: what the filter does when one of them, or all, are a little off.
///
/// Every coefficient is changed, up and down, by one LSB of its format (without a table `fixed`: by a thousandth of itself),
/// and ranked by the change of the response. Then all of them are changed at random, by up to as much, many times over.
///
/// Example: mrake sensitivity demo/breath/breath.toml --figure sensitivity.png
#[derive(Debug, Args)]
pub(crate) struct Sensitivity {
    /// The spec file.
    pub(crate) spec: PathBuf,
    /// Change every coefficient by this share of itself, as 0.001, instead of one LSB.
    #[arg(long, value_name = "SHARE")]
    pub(crate) share: Option<f64>,
    /// How many filters with random coefficients to try; 0 for none.
    #[arg(long, default_value_t = 500, value_name = "COUNT")]
    pub(crate) trials: usize,
    /// Where the random numbers begin; the same seed gives the same filters.
    #[arg(long, default_value_t = 1)]
    pub(crate) seed: u64,
    /// How many coefficients the table lists.
    #[arg(long, default_value_t = 12, value_name = "COUNT")]
    pub(crate) rows: usize,
    /// Draw the tolerance band and the ranking into this .png or .svg file.
    #[arg(long, value_name = "FILE")]
    pub(crate) figure: Option<PathBuf>,
    /// Print one JSON object on stdout (docs/json.md) and nothing else there.
    #[arg(long)]
    pub(crate) json: bool,
}

/// What the words do to the filter, on one page: formats, levels and what is proved about them, response, noise predicted and measured,
/// oscillations without an input, and the same filter in other structures.
///
/// Exit status 1: the filter with rounded coefficients misses its template.
///
/// Examples: mrake quantize demo/breath/breath.toml --figure words.png; mrake quantize demo/breath/breath.toml --sweep
/// coefficients=8..24
#[derive(Debug, Args)]
pub(crate) struct Quantize {
    /// The spec file; it needs a table `[fixed]`.
    pub(crate) spec: PathBuf,
    /// Try all these widths as well: coefficients=8..24 or data=10..20.
    #[arg(long, value_name = "WORDS=FROM..TO")]
    pub(crate) sweep: Option<Sweep>,
    /// Draw the responses and the noise spectrum, predicted and measured, into this .png or .svg file.
    #[arg(long, value_name = "FILE")]
    pub(crate) figure: Option<PathBuf>,
    /// Print one JSON object on stdout (docs/json.md) and nothing else there.
    #[arg(long)]
    pub(crate) json: bool,
}

/// Widths to try.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) struct Sweep {
    /// Of the coefficients; else of input and output.
    pub(crate) coefficients: bool,
    pub(crate) from: u32,
    pub(crate) to: u32,
}

impl FromStr for Sweep {
    type Err = String;

    fn from_str(text: &str) -> Result<Self, String> {
        let wanted = || {
            "coefficients=FROM..TO or data=FROM..TO is wanted, 4 to 48 bits, as coefficients=8..24"
                .to_owned()
        };
        let (what, widths) = text.split_once('=').ok_or_else(wanted)?;
        let coefficients = match what.trim() {
            "coefficients" => true,
            "data" => false,
            _ => return Err(wanted()),
        };
        let (from, to) = widths.split_once("..").ok_or_else(wanted)?;
        let width = |text: &str| text.trim().parse::<u32>().ok().filter(|w| (4..=48).contains(w));
        let (from, to) = width(from).zip(width(to)).ok_or_else(wanted)?;
        if from > to {
            return Err(wanted());
        }
        Ok(Sweep { coefficients, from, to })
    }
}

/// Make a test signal: a sum of tones, chirps, square waves, pulses, noises, hum, spikes and keyed carriers, through a converter if wanted.
///
/// A plan is a small TOML file: name, sample_rate, length, seed, a table `[[part]]` for each part, and `[converter]` with bits, range and
/// noise for integers (docs/signals.md lists all kinds with their keys). The same can be said with options.
///
/// Examples: mrake signal demo/modem/telemetry.toml -o telemetry.wav --figure telemetry.png;
/// mrake signal --rate "1 kHz" --length "2 s" --part 'kind = "tone", frequency = "87.5 Hz", amplitude = 0.5' -o tone.csv
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
    /// How numbers stand in it (.wav, .npy, .raw) [default: the smallest integers that hold the converter's counts, else floating
    /// point].
    #[arg(long, value_name = "ENCODING")]
    pub(crate) output_encoding: Option<Encoding>,
    /// Draw the signal, its spectrum and its spectrogram into this .png or .svg file.
    #[arg(long, value_name = "FILE")]
    pub(crate) figure: Option<PathBuf>,
    /// Print one JSON object on stdout (docs/json.md) and nothing else there.
    #[arg(long)]
    pub(crate) json: bool,
}

/// What a recording does not say by itself.
#[derive(Debug, Default, Args)]
pub(crate) struct FileReading {
    /// How numbers stand in a file without a header (.raw, .bin): int8, uint8, int16-le, int24-be, float32-le, ...
    #[arg(long, value_name = "ENCODING")]
    pub(crate) encoding: Option<Encoding>,
    /// How many channels such a file has, 1 to 65536.
    #[arg(long, default_value_t = 1, value_name = "COUNT", value_parser = clap::value_parser!(u32).range(1..=65_536))]
    pub(crate) channels: u32,
    /// The column of times in a text, by name or number [default: one called t, time or time_...].
    #[arg(long, value_name = "NAME")]
    pub(crate) time: Option<String>,
}

impl FileReading {
    /// The same for the library, with a rate.
    pub(crate) fn choice(&self, rate: Option<SampleRate>) -> ReadingChoice {
        ReadingChoice {
            rate,
            encoding: self.encoding,
            channels: self.channels as usize,
            time: self.time.clone(),
        }
    }
}

/// What samples stand for.
#[derive(Debug, Args)]
pub(crate) struct Scaling {
    /// The size of the largest sample that could stand in the recording [default: that of the file's format].
    #[arg(long, value_name = "NUMBER")]
    pub(crate) full_scale: Option<f64>,
    /// What a sample of that size stands for, with its unit, as "2.5 V"; samples are turned into it.
    #[arg(long, value_name = "QUANTITY")]
    pub(crate) range: Option<Physical>,
    /// What a sample of 0 stands for, in the same unit [default: 0].
    #[arg(long, value_name = "QUANTITY", requires = "range", allow_hyphen_values = true)]
    pub(crate) offset: Option<Physical>,
}

/// From samples to what they stand for.
#[derive(Debug, Clone)]
pub(crate) struct Scale {
    pub(crate) factor: f64,
    pub(crate) offset: f64,
    pub(crate) unit: String,
    /// The largest size of a scaled sample less the offset.
    pub(crate) range: f64,
}

impl Scaling {
    /// The scale that was asked for, if one was.
    pub(crate) fn scale(&self, full_scale: Option<f64>) -> Result<Option<Scale>, Failure> {
        let full_scale = self.full_scale.or(full_scale);
        let wrong = |what: &str| Err(Failure::Call(what.to_owned()));
        if full_scale.is_some_and(|scale| !(scale > 0.0 && scale.is_finite())) {
            return wrong("--full-scale: a number above 0 is wanted");
        }
        let Some(Physical { number: range, unit }) = &self.range else {
            return Ok(None);
        };
        if *range <= 0.0 {
            return wrong("--range: a quantity above 0 is wanted, as \"2.5 V\"");
        }
        let Some(full_scale) = full_scale else {
            return wrong(
                "--range: the format does not say its largest sample; --full-scale 32768 would",
            );
        };
        let offset = match &self.offset {
            Some(offset) if offset.unit != *unit => {
                return wrong("--offset: the unit of --range is wanted");
            }
            Some(offset) => offset.number,
            None => 0.0,
        };
        let (factor, unit, range) = (range / full_scale, unit.clone(), *range);
        Ok(Some(Scale { factor, offset, unit, range }))
    }
}

impl Scale {
    pub(crate) fn apply(&self, values: &Values) -> Values {
        let scaled = values.reals().into_iter().map(|x| x * self.factor + self.offset);
        Values::Reals(scaled.collect())
    }
}

/// A number with any unit.
#[derive(Debug, Clone, PartialEq)]
pub(crate) struct Physical {
    pub(crate) number: f64,
    pub(crate) unit: String,
}

impl FromStr for Physical {
    type Err = String;

    fn from_str(text: &str) -> Result<Self, String> {
        let wanted = || "a number and a unit are wanted, as \"2.5 V\"".to_owned();
        let (number, unit) = text.trim().split_once(char::is_whitespace).ok_or_else(wanted)?;
        let number: f64 = number.parse().map_err(|_| wanted())?;
        let unit = unit.trim().to_owned();
        let is_short = unit.chars().count() <= 24 && !unit.chars().any(char::is_control);
        if !number.is_finite() || !is_short {
            return Err(wanted());
        }
        Ok(Physical { number, unit })
    }
}

/// Look at a recording: levels, clipping, spectrum, the lines in it, and what could be done about them.
///
/// Exit status 1: the spectrum is above --mask somewhere.
///
/// Example: mrake inspect demo/mooring/mooring.csv --full-scale 32768 --figure look.png
#[derive(Debug, Args)]
pub(crate) struct Inspect {
    /// The recording: .csv, .tsv or .txt with or without a header, .wav, .npy, .json, .raw or .bin. A column of times, or the file's own
    /// rate, says the sample rate.
    pub(crate) file: PathBuf,
    /// The column of the recording, by name or by number from 1, if it has several (channels are called channel_1, channel_2, ...).
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
    /// Hold the spectrum against a mask: a CSV file with a column of frequencies in Hz (frequency_hz) and one of levels in dB of the
    /// largest density (level_db).
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
#[derive(Debug, Clone, Copy, PartialEq, Eq, ValueEnum, Serialize)]
#[serde(rename_all = "kebab-case")]
pub(crate) enum Excitation {
    /// Seeded white noise, uniform over half the input's range.
    Noise,
    /// A sine that goes from 0 Hz to the Nyquist frequency within every piece.
    Chirp,
    /// One tone after the other, each measured once the filter has settled.
    Steps,
}

/// Measure what runs, and hold it against the filter: its transfer function, single tones, or what it does to a modulated signal.
///
/// Between two columns of a recording, or of a program that reads input words on stdin and prints as many output words on stdout
/// (NAME_pipe.c, which `mrake generate` writes, is one). With --modulated the error vectors of a keyed carrier are measured; without
/// a program or a recording, behind the filter of the spec itself.
///
/// Exit status 1: the largest deviation where the coherence is good exceeds --within, or it is good nowhere; the error vectors exceed
/// --error-limit; the spectrum is above --mask.
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
    /// How many tones of --excitation steps, evenly between 0 Hz and the Nyquist frequency.
    #[arg(long, default_value_t = 48, value_name = "COUNT", value_parser = clap::value_parser!(u32).range(1..=2000))]
    pub(crate) steps: u32,
    /// Give the program single tones as well, at these frequencies with commas between them, and compare gain and phase after the
    /// start-up: "10 Hz,87.5 Hz".
    #[arg(long, value_name = "FREQUENCIES", value_delimiter = ',', requires = "device")]
    pub(crate) tones: Vec<Frequency>,
    /// The plan of a signal (see `mrake signal`) with a keyed part: measure what becomes of its symbols.
    #[arg(long, value_name = "PLAN", conflicts_with_all = ["tones", "within"])]
    pub(crate) modulated: Option<PathBuf>,
    /// The largest error vector, root of the mean square, that is allowed behind the filter: "-30 dB" or "0.03 x".
    #[arg(long, value_name = "LEVEL", requires = "modulated", allow_hyphen_values = true)]
    pub(crate) error_limit: Option<Level>,
    /// Hold the spectrum of the modulated signal behind the filter against a mask, as of `mrake inspect`.
    #[arg(long, value_name = "FILE", requires = "modulated")]
    pub(crate) mask: Option<PathBuf>,
    /// Samples for the program, 64 to 2^24.
    #[arg(long, default_value_t = 131_072, value_name = "COUNT")]
    pub(crate) samples: usize,
    /// Where the random numbers begin.
    #[arg(long, default_value_t = 1)]
    pub(crate) seed: u64,
    /// Seconds after which the program is stopped.
    #[arg(long, default_value_t = 60, value_name = "SECONDS")]
    pub(crate) limit: u64,
    /// Samples of the pieces that are averaged over: more for finer steps and longer filters, fewer for less noise.
    #[arg(long, value_name = "COUNT")]
    pub(crate) piece: Option<usize>,
    /// Average with this share for each new piece, so that the past fades, above 0 and up to 1 [default: all pieces alike].
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
    /// Draw measured and meant gain, the deviation and the coherence, or the symbols and the spectrum, into this .png or .svg file.
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

/// Another form of a filter.
#[derive(Debug, Clone, Copy, PartialEq, Eq, ValueEnum, Serialize)]
#[serde(rename_all = "kebab-case")]
pub(crate) enum OtherForm {
    /// The analogue prototype: zeros, poles and polynomials in s, prewarped edges.
    Prototype,
    /// One fraction b/a.
    Polynomials,
    /// A, B, C, D.
    StateSpace,
    /// Half the sum or difference of two all-passes.
    AllPassSum,
    /// A sum of sections.
    Parallel,
}

impl OtherForm {
    pub(crate) fn title(self) -> &'static str {
        match self {
            OtherForm::Prototype => "analogue prototype",
            OtherForm::Polynomials => {
                "polynomials, H(z) = (b0 + b1 z^-1 + ...)/(1 + a1 z^-1 + ...)"
            }
            OtherForm::StateSpace => "state space",
            OtherForm::AllPassSum => "two all-passes",
            OtherForm::Parallel => "parallel sections",
        }
    }
}

/// A language to write.
#[derive(Debug, Clone, Copy, PartialEq, Eq, ValueEnum)]
pub(crate) enum Language {
    /// C99: NAME.h, NAME.c, and NAME_pipe.c, a program that filters integers from stdin to stdout.
    C,
    /// IEEE 1364-2005: NAME.v and its test bench NAME_tb.v.
    Verilog,
}

/// Write the fixed-point filter as C and Verilog.
///
/// The text needs no library. NAME is the name in the spec. The same spec always gives the same bytes.
///
/// Example: mrake generate demo/mooring/pump_hum.toml --to c,verilog -o firmware
#[derive(Debug, Args)]
pub(crate) struct Generate {
    /// The spec file; it needs a table `[fixed]`.
    pub(crate) spec: PathBuf,
    /// The languages, with commas between them.
    #[arg(long, value_enum, value_delimiter = ',', required = true)]
    pub(crate) to: Vec<Language>,
    /// The folder for the files; made if it is not there.
    #[arg(short, long, value_name = "DIR")]
    pub(crate) output: PathBuf,
    /// Print one JSON object on stdout (docs/json.md) and nothing else there.
    #[arg(long)]
    pub(crate) json: bool,
}

/// Where to run what is written.
#[derive(Debug, Clone, Copy, PartialEq, Eq, ValueEnum)]
pub(crate) enum On {
    /// C, compiled by this machine's cc.
    Host,
    /// C, compiled by clang.
    Clang,
    /// Verilog, simulated by Icarus Verilog.
    Icarus,
}

/// Compile and simulate what is written, and compare every output integer.
///
/// Each target gets the recording, if there is one, and made-up stimuli: white noise, impulse, step, full-scale square,
/// all minimum, and the sign sequence that drives the output to its proved bound. Its output is compared with the
/// bit-true simulator from the first sample on, and the simulator with the designed filter in floating point, beside
/// the predicted error and the proved bound.
///
/// Exit status 1: an integer differs, the error exceeds its bound, the signal-to-error ratio is below verify.min_ser,
/// a target named with --on could not be run, or none could. Without --on a target whose tool is missing is shown as not
/// run.
///
/// Example: mrake verify demo/mooring/pump_hum.toml --recording demo/mooring/mooring.csv
#[derive(Debug, Args)]
pub(crate) struct Verify {
    /// The spec file; it needs a table `[fixed]`.
    pub(crate) spec: PathBuf,
    /// The targets, with commas between them [default: host,icarus].
    #[arg(long, value_enum, value_delimiter = ',')]
    pub(crate) on: Option<Vec<On>>,
    /// A recording to filter as well.
    #[arg(long, value_name = "FILE")]
    pub(crate) recording: Option<PathBuf>,
    /// The column of the recording, by name or by number from 1, if it has several.
    #[arg(long, value_name = "NAME", requires = "recording")]
    pub(crate) column: Option<String>,
    #[command(flatten)]
    pub(crate) reading: FileReading,
    /// Take the generated files from this folder, as they are, instead of writing them anew.
    #[arg(long, value_name = "DIR")]
    pub(crate) files: Option<PathBuf>,
    /// Print one JSON object on stdout (docs/json.md) and nothing else there.
    #[arg(long)]
    pub(crate) json: bool,
}

/// Filter a recording.
///
/// In floating point the samples keep their unit, or take that of --range. With --bit-true the recording goes through the integer
/// filter: a column of integers is taken as words of the input format, a column with decimal points as values, rounded to the
/// nearest word. Recordings of any length pass in blocks (of JSON, and with --zero-phase, all is kept in memory).
///
/// Examples: mrake run demo/mooring/pump_hum.toml demo/mooring/mooring.csv -o quiet.csv;
/// mrake run demo/modem/carrier_band.toml demo/modem/modem.wav --bit-true -o band.wav
#[derive(Debug, Args)]
pub(crate) struct Run {
    /// The spec file.
    pub(crate) spec: PathBuf,
    /// The recording: .csv, .tsv or .txt with or without a header, .wav, .npy, .json, .raw or .bin. A column of times, or the file's own
    /// rate, must fit the spec's sample rate.
    pub(crate) input: PathBuf,
    /// The file to write, in the format of its ending: .csv, .tsv and .json hold time, the samples before and after; .wav, .npy and
    /// .raw those after.
    #[arg(short, long, value_name = "FILE")]
    pub(crate) output: PathBuf,
    /// The columns of the recording, by name or by number from 1, with commas between them, if it has several.
    #[arg(long, value_name = "NAMES", value_delimiter = ',')]
    pub(crate) column: Vec<String>,
    /// Filter all columns but that of the times.
    #[arg(long, conflicts_with = "column")]
    pub(crate) all_columns: bool,
    #[command(flatten)]
    pub(crate) reading: FileReading,
    #[command(flatten)]
    pub(crate) scaling: Scaling,
    /// How numbers stand in the file that is written (.wav, .npy, .raw) [default: floating point; with --bit-true the smallest integers
    /// that hold the output].
    #[arg(long, value_name = "ENCODING")]
    pub(crate) output_encoding: Option<Encoding>,
    /// Run the integer filter instead of the floating-point one; the spec needs a table `[fixed]`.
    #[arg(long)]
    pub(crate) bit_true: bool,
    /// Run forward and backward: no phase and no delay, twice the decibels; only for recordings, in floating point.
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
