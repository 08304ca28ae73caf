//! The command line.

mod reading;
mod signals;

pub(crate) use reading::{FileReading, Scaling};
pub(crate) use signals::{Excitation, Inspect, Measure, Pipe, Run, Signal};

use crate::failure::Failure;
use clap::builder::{PossibleValue, PossibleValuesParser, TypedValueParser};
use clap::{Args, Parser, Subcommand, ValueEnum};
use mellow_rake::spec::Tune;
use mellow_rake::study::{OtherForm, SweepWish, Swept};
use mellow_rake::units::{Duration, Frequency, Level, SampleRate};
use mellow_rake::write::Language;
use mellow_rake_report::figure::{View, Wishes};
use mellow_rake_rig::{Core, Family, Target};
use std::path::PathBuf;
use std::str::FromStr;
use std::sync::LazyLock;

/// Design digital filters, put them on fixed point, write them as C, Rust, Verilog and VHDL, and prove that
/// what runs is, bit for bit, what was designed.
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
    Cost(Cost),
    Generate(Generate),
    Verify(Verify),
    Run(Run),
}

/// The worked example, from a recording to the proof, with its figures.
///
/// The research buoy off Lantern Reef records the strain on its mooring line, and the bilge pump hums into it
/// at 87.5 Hz. This designs the notch, puts it on 16 bits, writes C, Rust, Verilog and VHDL, compiles and
/// simulates them, compares every integer with the bit-true simulator and the simulator with floating point,
/// and leaves everything in a folder.
#[derive(Debug, Args)]
pub(crate) struct Demo {
    /// Which example: mooring (a notch), breath (a low-pass), modem (a band-pass with taps, and down from the
    /// carrier) or uplink (symbols up to it).
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
    /// The kind of filter: notch, lowpass, highpass, bandpass, bandstop, peak, comb, dc-blocker, all-pass,
    /// leaky-integrator, resonator, placed, coefficients; with taps: multiband, points, differentiator,
    /// hilbert, half-band, mth-band, raised-cosine, root-raised-cosine, smoother, average.
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
/// The measured columns are read off the finished response, not repeated from the spec. Exit status 1: the
/// design misses what was asked.
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
    #[arg(long = "form", value_parser = named(&OtherForm::ALL), value_delimiter = ',', value_name = "FORM")]
    pub(crate) forms: Vec<OtherForm>,
    /// List zeros and poles with their frequency, radius and time constant.
    #[arg(long)]
    pub(crate) roots: bool,
    #[command(flatten)]
    pub(crate) drawing: Drawing,
    /// Stay, and do it all again whenever the spec file is saved; a mistake is shown and waited out. Ctrl-C
    /// ends it.
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
    #[arg(long, value_parser = named(&View::ALL), value_delimiter = ',', value_name = "VIEW")]
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
    #[arg(long, value_enum, value_name = "LETTERS", num_args = 0..=1, require_equals = true,
        default_missing_value = "braille")]
    pub(crate) sketch: Option<Letters>,
}

/// One of some values with their names, and what they are in the help.
fn named<T: Clone + Send + Sync>(
    all: &'static [(T, &'static str, &'static str)],
) -> impl TypedValueParser<Value = T> {
    let values = all.iter().map(|(_, name, what)| PossibleValue::new(*name).help(*what));
    PossibleValuesParser::new(values).try_map(|name| {
        let found = all.iter().find(|(_, known, _)| *known == name);
        found.map(|(value, ..)| value.clone()).ok_or("there is no such value")
    })
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
    /// The axes as numbers. Every end must lie above its beginning, and frequencies not above the Nyquist
    /// frequency.
    pub(crate) fn wishes(&self, rate: SampleRate) -> Result<Wishes, String> {
        let span_hz = self.span.map(|span| (span.from.hertz(rate), span.to.hertz(rate)));
        let levels_db = self.levels.map(|levels| (levels.from.decibels(), levels.to.decibels()));
        if let Some((from, to)) = span_hz
            && !(from >= 0.0 && from < to && from < rate.nyquist())
        {
            let nyquist = rate.nyquist();
            return Err(format!(
                "--span: {from} Hz to {to} Hz is no stretch of frequencies between 0 Hz and the Nyquist \
                    frequency, {nyquist} Hz"
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
/// Give any number of specs, or one with a key varied. Of a spec with a table `fixed` the filter with rounded
/// coefficients is compared, as that is what runs. A reference curve is a CSV file with a column of
/// frequencies in Hz (`frequency_hz`, `frequency` or `hz`) and one of levels in dB (`level_db`, `level`,
/// `gain_db` or `db`).
///
/// Exit status 1: a filter misses its template.
///
/// Examples: mrake compare a.toml b.toml --figure both.png; mrake compare a.toml --vary method.order=4,6,8
#[derive(Debug, Args)]
pub(crate) struct Compare {
    /// The spec files.
    #[arg(required = true)]
    pub(crate) specs: Vec<PathBuf>,
    /// A key of the spec and the values that it takes in turn: method.order=4,6,8 or
    /// fixed.coefficients=s12,s16,s24.
    #[arg(long, value_name = "KEY=VALUES", allow_hyphen_values = true)]
    pub(crate) vary: Option<String>,
    /// A curve that was measured or published: overlaid, with the largest deviation of every filter.
    #[arg(long, value_name = "FILE")]
    pub(crate) reference: Option<PathBuf>,
    /// Compare the filters as designed, with unrounded coefficients.
    #[arg(long)]
    pub(crate) designed: bool,
    /// Also compare what their C takes on these processor cores, at -O2 (on the AVR at -Os).
    #[arg(long, value_delimiter = ',', value_name = "CORES", value_parser = core)]
    pub(crate) cost: Vec<Core>,
    #[command(flatten)]
    pub(crate) drawing: Drawing,
    /// Print one JSON object on stdout (docs/json.md) and nothing else there.
    #[arg(long)]
    pub(crate) json: bool,
}

/// How much each coefficient matters: what the filter does when one of them, or all, are a little off.
///
/// Every coefficient is changed, up and down, by one LSB of its format (without a table `fixed`: by a
/// thousandth of itself), and ranked by the change of the response. Then all of them are changed at random,
/// by up to as much, many times over.
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

/// What the words do to the filter, on one page: formats, levels and what is proved about them, response,
/// noise predicted and measured, oscillations without an input, and the same filter in other structures.
///
/// Exit status 1: the filter with rounded coefficients misses its template.
///
/// Examples: mrake quantize demo/breath/breath.toml --figure words.png; mrake quantize
/// demo/breath/breath.toml --sweep coefficients=8..24
#[derive(Debug, Args)]
pub(crate) struct Quantize {
    /// The spec file; it needs a table `[fixed]`.
    pub(crate) spec: PathBuf,
    /// Try all these widths as well: coefficients=8..24; or of data, between (words between sections),
    /// products.
    #[arg(long, value_name = "WORDS=FROM..TO")]
    pub(crate) sweep: Option<Sweep>,
    /// Sweep in every structure that takes the filter, and set them side by side.
    #[arg(long, requires = "sweep")]
    pub(crate) every_structure: bool,
    /// Draw the responses and the noise spectrum, predicted and measured, into this .png or .svg file.
    #[arg(long, value_name = "FILE")]
    pub(crate) figure: Option<PathBuf>,
    /// Print one JSON object on stdout (docs/json.md) and nothing else there.
    #[arg(long)]
    pub(crate) json: bool,
}

/// Widths to try.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) struct Sweep(pub(crate) SweepWish);

impl FromStr for Sweep {
    type Err = String;

    fn from_str(text: &str) -> Result<Self, String> {
        let wanted = || {
            "coefficients=FROM..TO, or data, between or products, is wanted, 4 to 48 bits, as \
                coefficients=8..24"
                .to_owned()
        };
        let (what, widths) = text.split_once('=').ok_or_else(wanted)?;
        let of = Swept::ALL.into_iter().find(|of| of.as_str() == what.trim()).ok_or_else(wanted)?;
        let (from, to) = widths.split_once("..").ok_or_else(wanted)?;
        let width = |text: &str| text.trim().parse::<u32>().ok().filter(|w| (4..=48).contains(w));
        let (from, to) = width(from).zip(width(to)).ok_or_else(wanted)?;
        if from > to {
            return Err(wanted());
        }
        Ok(Sweep(SweepWish { of, from, to, every_structure: false }))
    }
}

/// What a filter takes: in hardware, told before it is built, and what a synthesizer makes of it; on a
/// processor.
///
/// The table `[hardware]` of the spec says what is wanted: a clock, multipliers, channels. This shows the
/// unit that follows, with its schedule: which multiplier does what in which clock. With --on Yosys builds
/// it, and for the iCE40 nextpnr places and routes it.
///
/// --on with a processor core compiles the C for it and has an emulator count for each sample, exactly, on
/// white noise at half scale: instructions, of which a core of silicon takes more than a clock for some, and
/// on the AVR clock cycles.
///
/// Exit status 1: something was not built or not run, or what was placed does not run at the clock.
///
/// Examples: mrake cost demo/modem/carrier_unit.toml --on ice40; mrake cost demo/mooring/pump_hum.toml --on
/// cortex-m4,rv32
#[derive(Debug, Args)]
pub(crate) struct Cost {
    /// The spec file; it needs tables `[fixed]` and `[hardware]`, or for processor cores `[fixed]` or
    /// `[float]`.
    pub(crate) spec: PathBuf,
    /// Filters that take turns with it on its unit of hardware, a sample of each after the other: their
    /// spec files, with commas between them. The table `[hardware]` of SPEC says what the unit is like.
    #[arg(long, value_name = "SPECS", value_delimiter = ',')]
    pub(crate) beside: Vec<PathBuf>,
    /// Build it for these families of gate arrays, or run its C on these processor cores.
    #[arg(long, value_enum, value_delimiter = ',', value_name = "PARTS")]
    pub(crate) on: Vec<OnPart>,
    /// Tune C and Rust to this core, whatever the table `[firmware]` says; the integers stay the same.
    #[arg(long, value_parser = named(&Tune::ALL), value_name = "CORE")]
    pub(crate) tune: Option<Tune>,
    /// The clock of processor cores, as "80 MHz": shows which sample rate that is enough for.
    #[arg(long, value_name = "FREQUENCY")]
    pub(crate) clock: Option<Frequency>,
    /// Try several values of a key, side by side: hardware.multipliers=1,2,4, or on processor cores
    /// fixed.structure=direct-form-1,direct-form-2.
    #[arg(long, value_name = "KEY=VALUES")]
    pub(crate) vary: Option<String>,
    /// Draw the schedule into this .png or .svg file; with --vary what each unit takes, against the samples
    /// per second that it can do; on processor cores bytes of code against instructions.
    #[arg(long, value_name = "FILE")]
    pub(crate) figure: Option<PathBuf>,
    /// Print JSON.
    #[arg(long)]
    pub(crate) json: bool,
}

/// A processor core by its name.
fn core(text: &str) -> Result<Core, String> {
    Core::ALL.into_iter().find(|core| core.as_str() == text).ok_or_else(|| {
        let names = Core::ALL.map(Core::as_str).join(", ");
        format!("no such core; there are {names}")
    })
}

/// What a filter is built for to see what it takes.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) enum OnPart {
    /// A family of gate arrays.
    Family(Family),
    /// A processor core.
    Core(Core),
}

impl ValueEnum for OnPart {
    fn value_variants<'a>() -> &'a [Self] {
        static ALL: LazyLock<Vec<OnPart>> = LazyLock::new(|| {
            let families = Family::ALL.into_iter().map(OnPart::Family);
            families.chain(Core::ALL.into_iter().map(OnPart::Core)).collect()
        });
        &ALL
    }

    fn to_possible_value(&self) -> Option<PossibleValue> {
        let (name, title) = match self {
            OnPart::Family(family) => (family.as_str(), family.title()),
            OnPart::Core(core) => (core.as_str(), core.title()),
        };
        Some(PossibleValue::new(name).help(title))
    }
}

impl OnPart {
    /// The family of gate arrays, if it is one.
    pub(crate) fn family(self) -> Option<Family> {
        if let OnPart::Family(family) = self { Some(family) } else { None }
    }

    /// The processor core, if it is one.
    pub(crate) fn core(self) -> Option<Core> {
        if let OnPart::Core(core) = self { Some(core) } else { None }
    }
}

/// Write the filter as C, Rust, Verilog or VHDL; one in floating point as C or Rust.
///
/// The text needs no library. NAME is the name in the spec. The same spec always gives the same bytes, so
/// that --check can say in a build whether the files in a folder are still those of their spec.
///
/// Exit status 1, with --check only: a file is missing, or is another.
///
/// Examples: mrake generate demo/mooring/pump_hum.toml --to c,rust -o firmware; mrake generate
/// demo/mooring/pump_hum.toml --to c --with test -o firmware
#[derive(Debug, Args)]
pub(crate) struct Generate {
    /// The spec file; it needs a table `[fixed]` or `[float]`.
    pub(crate) spec: PathBuf,
    /// The languages, with commas between them.
    #[arg(long, value_parser = named(&Language::ALL), value_delimiter = ',', required = true,
        value_name = "LANGUAGE")]
    pub(crate) to: Vec<Language>,
    /// The folder for the files; made if it is not there.
    #[arg(short, long, value_name = "DIR")]
    pub(crate) output: PathBuf,
    /// Tune C and Rust to this core, whatever the table `[firmware]` says; the integers stay the same.
    #[arg(long, value_parser = named(&Tune::ALL), value_name = "CORE")]
    pub(crate) tune: Option<Tune>,
    /// Filters that take turns with it on its unit of hardware, a sample of each after the other: their
    /// spec files, with commas between them. The table `[hardware]` of SPEC says what the unit is like.
    #[arg(long, value_name = "SPECS", value_delimiter = ',')]
    pub(crate) beside: Vec<PathBuf>,
    /// What is written with the filter, with commas between them.
    #[arg(long, value_enum, value_delimiter = ',', value_name = "WHAT")]
    pub(crate) with: Vec<With>,
    /// A recording for the test, besides the signals that are made up; of integers in steps of the input.
    #[arg(long, value_name = "FILE", requires = "with")]
    pub(crate) recording: Option<PathBuf>,
    /// The column of the recording, by name or by number from 1, if it has several.
    #[arg(long, value_name = "NAME", requires = "recording")]
    pub(crate) column: Option<String>,
    #[command(flatten)]
    pub(crate) reading: FileReading,
    /// What must come out for the recording, as a file of one column, instead of what the filter in floating
    /// point gives; of integers in steps of the output.
    #[arg(long, value_name = "FILE", requires = "recording")]
    pub(crate) reference: Option<PathBuf>,
    /// Samples of each signal of the test at most, 1 to 100000.
    #[arg(long, default_value_t = 1_000, value_name = "COUNT", requires = "with",
        value_parser = clap::value_parser!(u32).range(1..=100_000))]
    pub(crate) samples: u32,
    /// Write nothing: say of each file whether the folder has it as it would be written.
    #[arg(long)]
    pub(crate) check: bool,
    /// Print one JSON object on stdout (docs/json.md) and nothing else there.
    #[arg(long)]
    pub(crate) json: bool,
}

/// What is written with a filter.
#[derive(Debug, Clone, Copy, PartialEq, Eq, ValueEnum)]
pub(crate) enum With {
    /// In C and Rust, a project that runs it on signals and compares what comes out; `make` or `cargo run
    /// --release` there builds and runs it.
    Test,
    /// In the C of a fixed-point filter, what is proved of words beyond their types, as ACSL, for analysers.
    Annotations,
}

/// Where to run what is written.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) enum On {
    /// A target.
    Target(Target),
    /// All of them.
    All,
}

impl ValueEnum for On {
    fn value_variants<'a>() -> &'a [Self] {
        static ALL: LazyLock<Vec<On>> =
            LazyLock::new(|| Target::ALL.into_iter().map(On::Target).chain([On::All]).collect());
        &ALL
    }

    fn to_possible_value(&self) -> Option<PossibleValue> {
        let (name, title) = match self {
            On::Target(target) => (target.as_str(), target.title()),
            On::All => ("all", "All of them"),
        };
        Some(PossibleValue::new(name).help(title))
    }
}

impl On {
    /// The targets that these words name, each once.
    pub(crate) fn targets(these: &[On]) -> Vec<Target> {
        let is_named =
            |target: &Target| these.contains(&On::All) || these.contains(&On::Target(*target));
        Target::ALL.into_iter().filter(is_named).collect()
    }
}

/// Compile and simulate what is written, and compare every output integer.
///
/// Each target gets the recording, if there is one, and made-up stimuli: white noise, impulse, step,
/// full-scale square, all minimum, and the sign sequence that drives the output to its proved bound. Its
/// output is compared with the bit-true simulator from the first sample on, and the simulator with the
/// designed filter in floating point, beside the predicted error and the proved bound.
///
/// Exit status 1: an integer differs, the error exceeds its bound, the signal-to-error ratio is below
/// verify.min_ser, a target named with --on could not be run, or none could. Without --on a target whose tool
/// is missing is shown as not run.
///
/// Example: mrake verify demo/mooring/pump_hum.toml --recording demo/mooring/mooring.csv
#[derive(Debug, Args)]
pub(crate) struct Verify {
    /// The spec file; it needs a table `[fixed]` or `[float]`.
    pub(crate) spec: PathBuf,
    /// The targets, with commas between them [default: host,icarus, or host,verilator where
    /// Icarus Verilog would take too long; in floating point host,rust].
    #[arg(long, value_enum, value_delimiter = ',')]
    pub(crate) on: Option<Vec<On>>,
    /// Tune C and Rust to this core, whatever the table `[firmware]` says; the integers stay the same.
    #[arg(long, value_parser = named(&Tune::ALL), value_name = "CORE")]
    pub(crate) tune: Option<Tune>,
    /// Filters that take turns with it on its unit of hardware, a sample of each after the other: their
    /// spec files, with commas between them. The table `[hardware]` of SPEC says what the unit is like.
    #[arg(long, value_name = "SPECS", value_delimiter = ',')]
    pub(crate) beside: Vec<PathBuf>,
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
