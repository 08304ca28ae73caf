//! What is asked for: the spec file, read and checked. Nothing is computed here.
//!
//! A spec is TOML. Every quantity carries its unit, every key is known, and everything wrong is refused with
//! its line, column and key, with what was found and with what would be accepted.

mod chain;
mod chain_wish;
mod direct;
mod error;
mod fir;
mod firmware;
mod fixed;
mod float;
mod hardware;
mod name;
mod place;
#[cfg(feature = "spec-file")]
pub(crate) mod read;
#[cfg(feature = "spec-file")]
mod read_chain;
#[cfg(feature = "spec-file")]
mod read_chain_fixed;
#[cfg(feature = "spec-file")]
mod read_direct;
#[cfg(feature = "spec-file")]
mod read_fir;
#[cfg(feature = "spec-file")]
mod read_fir_kinds;
#[cfg(feature = "spec-file")]
mod read_firmware;
#[cfg(feature = "spec-file")]
mod read_fixed;
#[cfg(feature = "spec-file")]
mod read_float;
#[cfg(feature = "spec-file")]
mod read_hardware;
#[cfg(feature = "spec-file")]
mod read_recursive;
mod structure;
mod template;
mod wish;
mod wish_kinds;

pub use self::fir::{FirEdges, FirMethod, FirShape, FirWish, LARGEST_TAPS, Phase, WishedBand};
pub use self::firmware::{CodeGoal, Firmware, Tune};
pub use self::fixed::{ArrangementWish, ChosenWords, Fixed, Fractions, IntegerWish, Scaling};
pub use self::float::Float;
pub use self::hardware::{Architecture, Hardware, Interface};
pub use chain::{
    ChainFixed, ChainSpec, Comb, Kept, Least, OscillatorFixed, RateChange, StageFixed, StageWish,
};
pub use chain_wish::ChainWish;
pub use direct::{Calibration, Coefficients, DirectWish, Leak, Root};
pub use error::{Problem, SpecError};
pub use name::{Name, NameError};
pub use place::SpecPlace;
pub(crate) use place::keyed;
pub use structure::{Roundings, Structure, StructureFacts, Tables};
pub use template::{chain_kinds, kinds, template};
pub use wish::{BandWish, Stated, Wish};

use crate::effort::Effort;
use crate::filter::{BandKind, EdgeMeaning, Family, Mapping};
use crate::units::{Frequency, Level, SampleRate};

/// A spec: what is asked for.
///
/// ```
/// use mellow_rake::spec::Spec;
/// let spec = Spec::parse(r#"
///     name = "pump_hum"
///     sample_rate = "1 kHz"
///     [want]
///     kind = "notch"
///     center = "87.5 Hz"
///     width = "5 Hz"
/// "#)?;
/// assert_eq!(spec.name.as_str(), "pump_hum");
/// let error = Spec::parse("name = \"pump_hum\"\nsample_rate = 1000\n").unwrap_err();
/// assert_eq!((error.line, error.key.as_str()), (2, "sample_rate"));
/// # Ok::<(), mellow_rake::spec::SpecError>(())
/// ```
#[derive(Debug, Clone, PartialEq)]
pub struct Spec {
    /// Names files and symbols.
    pub name: Name,
    /// Samples per second.
    pub sample_rate: SampleRate,
    /// The filter that is wanted.
    pub want: Want,
    /// All-passes behind it that flatten its delay, if they are wanted.
    pub equalizer: Option<EqualizerWish>,
    /// The words that it runs on, if it is to be quantized.
    pub fixed: Option<Fixed>,
    /// Or its format, if it is to run in floating point.
    pub float: Option<Float>,
    /// What hardware is to be like, if it is to share multipliers; otherwise it takes a clock for a sample.
    pub hardware: Option<Hardware>,
    /// What its C is to be like.
    pub firmware: Firmware,
    /// The converter before the filter, if it is known.
    pub converter: Option<ConverterWish>,
    /// What the proof must show.
    pub verify: Verify,
    /// How much work searches and proofs may do; `want` and `fixed` hold the same.
    pub effort: Effort,
}

/// A converter before a filter; its range is the full scale of the filter's input.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct ConverterWish {
    /// Bits of a reading: 2 to 32.
    pub bits: u32,
    /// From minus this to this, in any unit.
    pub range: f64,
    /// The rms of its noise, in the unit of the range.
    pub noise: f64,
}

/// The filter that is wanted.
#[derive(Debug, Clone, PartialEq)]
#[non_exhaustive]
pub enum Want {
    /// A second-order notch.
    Notch {
        /// The frequency of the null.
        center: Frequency,
        /// How wide it is.
        width: NotchWidth,
    },
    /// A recursive low-pass, high-pass, band-pass or band-stop filter.
    Recursive(Recursive),
    /// A finite impulse response.
    Fir(FirWish),
    /// A recursive filter in closed form, placed by hand, or given by its coefficients.
    Direct(DirectWish),
}

/// A recursive filter: `[want]` and `[method]` together.
#[derive(Debug, Clone, PartialEq)]
pub struct Recursive {
    /// What is let through.
    pub kind: BandKind,
    /// The family.
    pub family: Family,
    /// How the analogue filter becomes a digital one.
    pub mapping: Mapping,
    /// Which edges are given.
    pub edges: RecursiveEdges,
    /// Pass-band ripple, peak to peak.
    pub ripple: Option<Level>,
    /// Stop-band attenuation.
    pub attenuation: Option<Level>,
}

/// How flat the delay in the pass-band of a recursive filter is to be.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct EqualizerWish {
    /// The largest less the smallest group delay, in samples.
    pub delay_ripple: f64,
}

/// The edges that a recursive filter is asked for by.
#[derive(Debug, Clone, PartialEq)]
pub enum RecursiveEdges {
    /// Pass-band and stop-band.
    Template {
        /// The order that is to keep them, counting all poles; `None`: the smallest that does.
        order: Option<usize>,
        /// `pass_edge` or `pass_edges`.
        pass: Vec<Frequency>,
        /// `stop_edge` or `stop_edges`.
        stop: Vec<Frequency>,
    },
    /// One kind of edge and an order.
    Recipe {
        /// Which points of the response they are.
        meaning: EdgeMeaning,
        /// The edges.
        edges: Vec<Frequency>,
        /// All poles of the digital filter.
        order: usize,
    },
}

impl Want {
    /// Whether it is a finite impulse response: one row of taps.
    pub fn has_taps(&self) -> bool {
        match self {
            Want::Fir(_) => true,
            Want::Direct(DirectWish::Given(found)) => matches!(found, Coefficients::Taps(_)),
            _ => false,
        }
    }

    /// The word for it in the spec file.
    pub fn kind(&self) -> &'static str {
        match self {
            Want::Notch { .. } => "notch",
            Want::Recursive(wish) => wish.kind.as_str(),
            Want::Fir(wish) => wish.shape.kind(),
            Want::Direct(wish) => wish.kind(),
        }
    }
}

/// The width of a notch.
#[derive(Debug, Clone, Copy, PartialEq)]
pub enum NotchWidth {
    /// The distance of the −3 dB points.
    Between(Frequency),
    /// Centre over width; 0.1 to 10⁶.
    Q(f64),
}

impl NotchWidth {
    /// The width in hertz.
    pub fn hertz(self, center_hz: f64, rate: SampleRate) -> f64 {
        match self {
            NotchWidth::Between(width) => width.hertz(rate),
            NotchWidth::Q(q) => center_hz / q,
        }
    }
}

/// What the proof must show.
#[derive(Debug, Clone, Copy, PartialEq, Default)]
pub struct Verify {
    /// The least signal-to-error ratio on the recording and on white noise.
    pub min_ser: Option<Level>,
}

impl Spec {
    /// Reads and checks a spec. Needs the feature `spec-file`.
    ///
    /// # Errors
    /// [`SpecError`] with the line, column and key of the first thing that is wrong.
    #[cfg(feature = "spec-file")]
    pub fn parse(text: &str) -> Result<Spec, SpecError> {
        read::spec(text)
    }
}
