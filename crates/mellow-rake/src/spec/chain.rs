//! What is asked of a chain of stages at several rates.

use super::{Firmware, Fixed, Hardware, Name, Structure, Want};
use crate::effort::Effort;
use crate::fixed::{CoefficientFormat, OscillatorWords, Overflow, Rounding, WordFormat};
use crate::units::SampleRate;

/// A chain that is wanted: how the sample rate changes, what must pass, and the stages if they are given.
///
/// ```
/// use mellow_rake::spec::ChainSpec;
/// let text = r#"
///     name = "reef_narrow"
///     sample_rate = "96 kHz"
///     [change]
///     down = 8
///     pass_edge = "5 kHz"
///     ripple = "0.1 dB"
///     attenuation = "70 dB"
/// "#;
/// assert!(ChainSpec::is_chain(text));
/// let spec = ChainSpec::parse(text)?;
/// assert_eq!((spec.change.up, spec.change.down), (1, 8));
/// let error = ChainSpec::parse(&text.replace("5 kHz", "7 kHz")).unwrap_err();
/// assert_eq!((error.line, error.key.as_str()), (6, "change.pass_edge"));
/// # Ok::<(), mellow_rake::spec::SpecError>(())
/// ```
#[derive(Debug, Clone, PartialEq)]
#[non_exhaustive]
pub struct ChainSpec {
    /// Names files and symbols.
    pub name: Name,
    /// Samples per second of what goes in.
    pub sample_rate: SampleRate,
    /// How the rate changes, and what must pass.
    pub change: RateChange,
    /// The stages in the order of the signal; of none, they are to be found.
    pub stages: Vec<StageWish>,
    /// The words that it runs on, if it is to run on integers.
    pub fixed: Option<ChainFixed>,
    /// What hardware of it is to be like; without it each program with products has one multiplier.
    pub hardware: Option<Hardware>,
    /// What C of it is to be like; its channels are those of the change.
    pub firmware: Firmware,
    /// How much work searches may do.
    pub effort: Effort,
}

/// The words that a chain runs on.
///
/// ```
/// use mellow_rake::spec::ChainFixed;
/// let fixed = ChainFixed::new("u12f12".parse()?);
/// assert_eq!(fixed.output.to_string(), "s13f12");
/// let wider = ChainFixed { between: Some("s18".parse()?), ..fixed };
/// # Ok::<(), Box<dyn std::error::Error>>(())
/// ```
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct ChainFixed {
    /// What comes in.
    pub input: WordFormat,
    /// What goes out.
    pub output: WordFormat,
    /// What goes from stage to stage; without a fraction that is chosen for the level.
    pub between: Option<CoefficientFormat>,
    /// The oscillator of the mixer, where there is a carrier.
    pub oscillator: OscillatorFixed,
    /// What all stages have that say nothing else.
    pub usual: StageFixed,
    /// What each stage has, in order, where stages are given.
    pub stages: Vec<StageFixed>,
    /// How much work proofs may do.
    pub effort: Effort,
}

/// The words of an oscillator.
///
/// ```
/// use mellow_rake::spec::OscillatorFixed;
/// // 9/32 of a turn: all phases are met with 5 bits.
/// assert_eq!(OscillatorFixed::default().words(9.0 / 32.0).address_bits, 5);
/// assert_eq!(OscillatorFixed::default().words(0.1).address_bits, 12);
/// ```
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct OscillatorFixed {
    /// Bits of the phase, 4 to 32.
    pub phase_bits: u32,
    /// Bits of it that the sine is read with, 4 to 16; without them as many as the frequency needs, and 12 at
    /// the most, or where steps can be set.
    pub address_bits: Option<u32>,
    /// Bits of a value, 2 to 32.
    pub value_bits: u32,
    /// The seed of a dither of the phase, not 0; `None`: without.
    pub dither: Option<u32>,
    /// Whether the steps of the phase can be set while it runs.
    pub loads_steps: bool,
}

impl Default for OscillatorFixed {
    fn default() -> Self {
        let (phase_bits, value_bits) = (32, 16);
        OscillatorFixed {
            phase_bits,
            address_bits: None,
            value_bits,
            dither: None,
            loads_steps: false,
        }
    }
}

impl OscillatorFixed {
    /// The words for so much of a turn from sample to sample.
    pub fn words(self, turns: f64) -> OscillatorWords {
        self.words_of(&[turns])
    }

    /// The words of several oscillators with one table, for so much of a turn from sample to sample each.
    pub fn words_of(self, turns: &[f64]) -> OscillatorWords {
        let is_met = |bits: &u32| {
            let is_met = |one: &f64| libm::scalbn(*one, *bits as i32) % 1.0 == 0.0;
            // Of steps that can be set nothing is known.
            !self.loads_steps && turns.iter().all(is_met)
        };
        let chosen = || (4..12).find(is_met).unwrap_or(12).min(self.phase_bits);
        OscillatorWords {
            phase_bits: self.phase_bits,
            address_bits: self.address_bits.unwrap_or_else(chosen),
            width: self.value_bits,
            dither: self.dither,
        }
    }
}

/// The words of a stage.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct StageFixed {
    /// What it gives, where that is not what goes between all stages.
    pub output: Option<CoefficientFormat>,
    /// Its taps, or the coefficients of its sections.
    pub coefficients: CoefficientFormat,
    /// How its sections are arranged, where it has some; without it in direct form I.
    pub structure: Option<Structure>,
    /// How its sums are rounded.
    pub rounding: Rounding,
    /// What happens when what it gives does not fit.
    pub overflow: Overflow,
    /// Whether integrators and combs drop the bits that no more than double the error of the output.
    pub prune: bool,
}

impl ChainFixed {
    /// The usual words for what comes in.
    pub fn new(input: WordFormat) -> Self {
        let Fixed { output, coefficients, rounding, overflow, effort, .. } =
            Fixed::new(Structure::FirDirect, input);
        let usual = StageFixed {
            output: None,
            coefficients,
            structure: None,
            rounding,
            overflow,
            prune: false,
        };
        let oscillator = OscillatorFixed::default();
        ChainFixed { input, output, between: None, oscillator, usual, stages: Vec::new(), effort }
    }

    /// By how many bits sums may grow at the most, so that they have 64.
    pub(crate) fn most_growth_bits(&self) -> u32 {
        // Bits that are dropped on the way may need one for their errors, and what has no sign needs one for
        // it.
        let own = u32::from(self.usual.prune) + u32::from(!self.input.is_signed());
        64u32.saturating_sub(self.input.width() + own)
    }

    /// The words of a stage, the first has number 0.
    pub fn of_stage(&self, stage: usize) -> StageFixed {
        self.stages.get(stage).copied().unwrap_or(self.usual)
    }
}

/// A change of the sample rate, from what goes in to what comes out.
#[derive(Debug, Clone, PartialEq)]
#[non_exhaustive]
pub struct RateChange {
    /// By how much the rate goes up: of given stages, the product of theirs.
    pub up: usize,
    /// By how much it goes down: of given stages, the product of theirs.
    pub down: usize,
    /// Where the pass-band ends, in hertz; below half of the lower rate.
    pub pass_hz: f64,
    /// The ripple in it, peak to peak, in decibels.
    pub ripple_db: Option<f64>,
    /// What aliases and images are weakened by, in decibels.
    pub attenuation_db: Option<f64>,
    /// What they must not disturb.
    pub kept: Kept,
    /// Whether stages that are found may be integrators and combs.
    pub combs: bool,
    /// Of what stages that are found are to take the least.
    pub least: Least,
    /// The carriers in hertz that the signal is taken from, where the rate does not go up, or put on, where
    /// it does; all frequencies above are then distances from them. Each has a complex signal of its own.
    pub carriers_hz: Vec<f64>,
    /// Whether the samples are complex that go in and come out, without a carrier.
    pub is_complex: bool,
    /// Channels whose samples stand side by side.
    pub channels: usize,
}

/// Of what the stages of a change of the rate are to take the least.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
#[cfg_attr(feature = "serde", derive(serde::Serialize))]
#[cfg_attr(feature = "serde", serde(rename_all = "kebab-case"))]
#[non_exhaustive]
pub enum Least {
    /// Products in a second.
    #[default]
    Products,
    /// Words that are remembered.
    Memory,
    /// The delay in seconds.
    Delay,
}

impl Least {
    /// Each with its word in the spec file.
    pub const ALL: [(&'static str, Least); 3] =
        [("products", Least::Products), ("memory", Least::Memory), ("delay", Least::Delay)];
}

/// What must not be disturbed by what folds onto it, and what must not have images.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
#[cfg_attr(feature = "serde", derive(serde::Serialize))]
#[cfg_attr(feature = "serde", serde(rename_all = "kebab-case"))]
#[non_exhaustive]
pub enum Kept {
    /// The pass-band: what falls between its end and half of the lower rate may be disturbed.
    #[default]
    PassBand,
    /// All of 0 to half of the lower rate.
    WholeBand,
}

impl Kept {
    /// Each with its word in the spec file.
    pub const ALL: [(&'static str, Kept); 2] =
        [("pass-band", Kept::PassBand), ("whole-band", Kept::WholeBand)];

    /// Up to where nothing may be disturbed, in hertz.
    pub fn ends_at(self, pass_hz: f64, lower_rate_hz: f64) -> f64 {
        match self {
            Kept::PassBand => pass_hz,
            Kept::WholeBand => lower_rate_hz / 2.0,
        }
    }
}

/// A cascade of integrators at the higher rate and as many combs at the lower one (E. B. Hogenauer, "An
/// economical class of digital filters for decimation and interpolation", 1981): `order` times the sum over
/// the last R·`delay` samples at the higher rate, R the factor of the stage. It takes no products.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
#[cfg_attr(feature = "serde", derive(serde::Serialize))]
pub struct Comb {
    /// How many integrators there are, and how many combs.
    pub order: usize,
    /// The delay of each comb in samples of the lower rate.
    pub delay: usize,
}

impl Comb {
    /// The largest order.
    pub const LARGEST_ORDER: usize = 8;

    /// The largest delay of a comb.
    pub const LARGEST_DELAY: usize = 2;
}

/// One stage: a change of the rate and the filter in it.
#[derive(Debug, Clone, PartialEq)]
#[non_exhaustive]
pub struct StageWish {
    /// By how much the rate goes up before the filter.
    pub up: usize,
    /// By how much it goes down behind it.
    pub down: usize,
    /// The rate at which it filters: that of what it takes, times `up`.
    pub rate: SampleRate,
    /// The filter, at that rate; `None`: as the change as a whole asks.
    pub want: Option<Want>,
    /// Integrators and combs, in the place of a filter.
    pub comb: Option<Comb>,
    /// What it multiplies by beside that, in decibels.
    pub gain_db: Option<f64>,
}

impl StageWish {
    /// Whether it is a gain and nothing else: one product for each sample.
    pub fn is_gain(&self) -> bool {
        self.gain_db.is_some() && !self.has_filter()
    }

    /// Whether it changes the rate or has a filter.
    fn has_filter(&self) -> bool {
        self.up > 1 || self.down > 1 || self.want.is_some() || self.comb.is_some()
    }
}

impl ChainSpec {
    /// What all stages are to multiply by, in decibels.
    pub fn gain_db(&self) -> f64 {
        self.stages.iter().filter_map(|stage| stage.gain_db).sum()
    }

    /// The largest factor of a stage and of a change that stages are to be found for.
    pub const LARGEST_FACTOR: usize = 4096;

    /// The most channels.
    pub const MOST_CHANNELS: usize = 16;

    /// The most carriers, of all channels together.
    pub const MOST_CARRIERS: usize = 16;

    /// The largest gain of a stage, and the smallest is as far below 0, in decibels.
    pub const LARGEST_GAIN_DB: f64 = 120.0;

    /// The most stages that can be given.
    pub const MOST_STAGES: usize = 16;

    /// The lower of the rates of what goes in and what comes out, in hertz.
    pub fn lower_rate_hz(&self) -> f64 {
        let input = self.sample_rate.hertz();
        input.min(input * self.change.up as f64 / self.change.down as f64)
    }

    /// Whether a carrier is mixed down in front of all stages, and not up behind them.
    pub fn mixes_down(&self) -> bool {
        self.change.up <= self.change.down
    }

    /// The rate at which a carrier is mixed, in hertz: the higher of what goes in and what comes out.
    pub fn carrier_rate_hz(&self) -> f64 {
        let input = self.sample_rate.hertz();
        match self.mixes_down() {
            true => input,
            false => input * self.change.up as f64 / self.change.down as f64,
        }
    }

    /// Whether a text asks for a chain: whether it has a table `[change]` or `[[stage]]`.
    #[cfg(feature = "spec-file")]
    pub fn is_chain(text: &str) -> bool {
        super::read_chain::is_chain(text)
    }

    /// Reads and checks the spec of a chain. Needs the feature `spec-file`.
    ///
    /// # Errors
    /// [`SpecError`](super::SpecError) with the line, column and key of the first thing that is wrong.
    #[cfg(feature = "spec-file")]
    pub fn parse(text: &str) -> Result<ChainSpec, super::SpecError> {
        super::read_chain::chain(text)
    }
}
