//! What words do to a filter, as figures.

use crate::fixed::WordFormat;
use crate::verify::WordNoise;

/// What the words of a spec do to its filter.
#[derive(Debug, Clone)]
#[cfg_attr(feature = "serde", derive(serde::Serialize))]
#[non_exhaustive]
pub struct Quantization {
    /// The name of the spec.
    pub name: String,
    /// The structure.
    pub structure: &'static str,
    /// The format of the coefficients.
    pub coefficients: WordFormat,
    /// That of what goes from section to section.
    pub between: Option<WordFormat>,
    /// That of what is remembered.
    pub state: Option<WordFormat>,
    /// What is left of the template by the designed and by the rounded filter, in decibels; `None` without a
    /// template.
    pub template_margin_db: [Option<f64>; 2],
    /// Changes of the spec that were tried where rounding loses the template.
    pub remedies: Option<Vec<Remedy>>,
    /// The coefficient whose last bit changes the response most.
    pub most_sensitive: Option<Sensitive>,
    /// The pole that rounding moved by the largest share of its distance from the unit circle.
    pub most_moved_pole: Option<MovedPole>,
    /// What the coefficient words would do to the filter as one fraction.
    pub as_one_polynomial: Option<PolynomialFigures>,
    /// Noise at the output.
    pub noise: NoiseFigures,
    /// What each section does without an input; `None` for taps.
    pub oscillations: Option<Vec<SectionOscillations>>,
    /// The same words in other structures.
    pub structures: Vec<StructureFigures>,
    /// How many comparisons the effort of the spec did not reach to.
    pub untried: Option<usize>,
    /// The same filter in words of other widths.
    pub sweep: Option<Sweep>,
    /// Why the noise is far above what the last rounding leaves, and what does better; `None` where it is
    /// not.
    #[cfg_attr(feature = "serde", serde(skip))]
    pub quieter: Option<Quieter>,
}

/// A change of the spec that was tried, and what it leaves of the template; `None` where it is not possible.
#[derive(Debug, Clone, PartialEq)]
#[cfg_attr(feature = "serde", derive(serde::Serialize))]
#[non_exhaustive]
pub struct Remedy {
    /// Keys and their new values, as in a spec file.
    pub change: String,
    /// What is left of the template, in decibels; below zero where it is lost.
    pub margin_db: Option<f64>,
}

impl Remedy {
    /// Whether the template is kept with it.
    pub fn keeps(&self) -> bool {
        self.margin_db.is_some_and(|margin| margin >= 0.0)
    }
}

/// A coefficient and what one LSB of it does.
#[derive(Debug, Clone, PartialEq)]
#[cfg_attr(feature = "serde", derive(serde::Serialize))]
#[non_exhaustive]
pub struct Sensitive {
    /// "b0" to "a2", or "h" for a tap.
    pub name: &'static str,
    /// Its section or the number of the tap, from 0.
    pub index: usize,
    /// The largest change of the response over its peak.
    pub response_change: f64,
    /// Where that is, in hertz.
    pub at_hz: f64,
}

/// Noise on white noise of half scale, and what constant inputs leave.
#[derive(Debug, Clone)]
#[cfg_attr(feature = "serde", derive(serde::Serialize))]
#[non_exhaustive]
pub struct NoiseFigures {
    /// Predicted and measured.
    #[cfg_attr(feature = "serde", serde(flatten))]
    pub words: WordNoise,
    /// The largest error of 65 constant inputs up to half of full scale once settled, in LSB; `None` where
    /// that takes too long.
    pub constant_input_error_lsb: Option<f64>,
    /// Beside the noise of the converter before it, where the spec names one.
    pub converter: Option<ConverterFigures>,
}

/// What a converter leaves at the output, and what the filter adds to that.
#[derive(Debug, Clone, PartialEq)]
#[cfg_attr(feature = "serde", derive(serde::Serialize))]
#[non_exhaustive]
pub struct ConverterFigures {
    /// Bits of a reading.
    pub bits: u32,
    /// What its steps leave, rms in LSB of the output.
    pub rounding_rms_lsb: f64,
    /// What its own noise leaves.
    pub noise_rms_lsb: f64,
    /// By how many decibels the filter's roundings raise both.
    pub added_by_filter_db: Option<f64>,
}

/// How far rounding moved a pole.
#[derive(Debug, Clone, PartialEq)]
#[cfg_attr(feature = "serde", derive(serde::Serialize))]
#[non_exhaustive]
pub struct MovedPole {
    /// The angle of the designed pole as a frequency, in hertz.
    pub hz: f64,
    /// Its distance from the origin.
    pub radius: f64,
    /// How far it moved in the z-plane.
    pub moved: f64,
    /// That over its distance from the unit circle.
    pub share: f64,
}

/// What the coefficient words would do to a filter as one fraction.
#[derive(Debug, Clone, PartialEq)]
#[cfg_attr(feature = "serde", derive(serde::Serialize))]
#[non_exhaustive]
pub struct PolynomialFigures {
    /// Its order.
    pub order: usize,
    /// The largest coefficient.
    pub largest_coefficient: f64,
    /// The fraction bits that such coefficients leave.
    pub fraction: i32,
    /// Poles on or outside the unit circle after rounding.
    pub poles_outside: usize,
    /// The largest distance of a pole from the origin.
    pub largest_radius: f64,
    /// The pole that moved most.
    pub most_moved_pole: Option<MovedPole>,
}

/// What a section does without an input, while no limit acts; `None` where no bound is proved.
#[derive(Debug, Clone, PartialEq)]
#[cfg_attr(feature = "serde", derive(serde::Serialize))]
#[non_exhaustive]
pub struct SectionOscillations {
    /// From 1.
    pub section: usize,
    /// Whether every state within the bound was run, so that there are no others.
    pub exhaustive: Option<bool>,
    /// States run.
    pub states: Option<u64>,
    /// Of these, those that did not come round in time.
    pub open: Option<u64>,
    /// Oscillations found.
    pub count: Option<usize>,
    /// The proved bound of any, in LSB.
    pub bound_lsb: Option<f64>,
    /// The amplitude of the largest found, in LSB.
    pub amplitude_lsb: Option<i64>,
    /// Its period.
    pub period_samples: Option<usize>,
    /// A state that it passes through.
    pub start: Option<Vec<i64>>,
    /// What is kept up by limits; `None` where none can act.
    pub overflow: Option<OverflowOscillations>,
}

/// What a section does when it is left with words as large as they can be.
#[derive(Debug, Clone, PartialEq)]
#[cfg_attr(feature = "serde", derive(serde::Serialize))]
#[non_exhaustive]
pub struct OverflowOscillations {
    /// States run.
    pub starts: u64,
    /// Those that never come to rest.
    pub oscillating: u64,
    /// Those that did not come round in time.
    pub open: u64,
    /// The amplitude of the largest, in LSB.
    pub amplitude_lsb: Option<i64>,
    /// Its period.
    pub period_samples: Option<usize>,
    /// A state that leads to it.
    pub start: Option<Vec<i64>>,
}

/// The filter in another structure with the same words; no figures where it is not possible.
#[derive(Debug, Clone, PartialEq)]
#[cfg_attr(feature = "serde", derive(serde::Serialize))]
#[non_exhaustive]
pub struct StructureFigures {
    /// The structure.
    pub structure: &'static str,
    /// Predicted noise, rms in LSB.
    pub noise_rms_lsb: Option<f64>,
    /// Proved bound of the error, in LSB.
    pub error_bound_lsb: Option<f64>,
    /// Whether the template is kept; `None` without one.
    pub keeps_template: Option<bool>,
    /// Bits of memory.
    pub state_bits: Option<u64>,
    /// Multiplies per sample.
    pub multiplies: Option<usize>,
    /// Why it is not possible.
    pub reason: Option<String>,
}

/// Bits that are enough: the fewest, and those from which on every width is.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
#[cfg_attr(feature = "serde", derive(serde::Serialize))]
#[non_exhaustive]
pub struct Width {
    /// The fewest.
    pub fewest: Option<u32>,
    /// From so many on every width does.
    pub all_from: Option<u32>,
}

/// A filter in words of other widths.
#[derive(Debug, Clone, PartialEq)]
#[cfg_attr(feature = "serde", derive(serde::Serialize))]
#[non_exhaustive]
pub struct Sweep {
    /// Whose width is swept.
    pub of: &'static str,
    /// A row for each width.
    pub rows: Vec<SweepRow>,
    /// Enough for the template.
    pub for_template: Width,
    /// Enough to raise the converter's noise by no more than 1 dB.
    pub for_converter: Width,
    /// The same in every structure, where that was asked for.
    pub structures: Option<Vec<StructureSweep>>,
}

/// A sweep in one structure.
#[derive(Debug, Clone, PartialEq)]
#[cfg_attr(feature = "serde", derive(serde::Serialize))]
#[non_exhaustive]
pub struct StructureSweep {
    /// The structure.
    pub structure: &'static str,
    /// Enough for the template.
    pub for_template: Width,
    /// Enough beside the converter.
    pub for_converter: Width,
    /// A row for each width.
    pub rows: Vec<SweepRow>,
}

/// A filter in words of one width; no figures where it is not possible.
#[derive(Debug, Clone, PartialEq)]
#[cfg_attr(feature = "serde", derive(serde::Serialize))]
#[non_exhaustive]
pub struct SweepRow {
    /// The width.
    pub bits: u32,
    /// The format that it comes to.
    pub format: Option<WordFormat>,
    /// By how much the template is exceeded, in decibels.
    pub template_excess_db: Option<f64>,
    /// Whether it is kept.
    pub keeps_template: Option<bool>,
    /// Predicted noise, rms in LSB.
    pub noise_rms_lsb: Option<f64>,
    /// The same as a value.
    pub noise_rms: Option<f64>,
    /// Proved bound of the error, in LSB.
    pub error_bound_lsb: Option<f64>,
    /// By how many decibels the noise of the converter is raised.
    pub added_to_converter_db: Option<f64>,
    /// Why it is not possible.
    pub reason: Option<String>,
}

/// What leaves less noise than a filter whose poles amplify its roundings.
#[derive(Debug, Clone, PartialEq)]
#[non_exhaustive]
pub struct Quieter {
    /// Its noise, rms in LSB.
    pub noise_rms_lsb: f64,
    /// The largest radius of its poles; `None` where it has none.
    pub pole_radius: Option<f64>,
    /// Another structure in the same words.
    pub structure: Option<StructureFigures>,
    /// The same structure with more bits inside: the format, and the noise.
    pub wider: Option<(WordFormat, f64)>,
    /// The same words after the rate was lowered.
    pub at_lower_rate: Option<LowerRate>,
}

/// By how many times the rate is lowered, and the noise that the same words leave then.
#[derive(Debug, Clone, Copy, PartialEq)]
#[cfg_attr(feature = "serde", derive(serde::Serialize))]
#[non_exhaustive]
pub struct LowerRate {
    /// A power of two.
    pub factor: u32,
    /// Predicted noise, rms in LSB.
    pub noise_rms_lsb: f64,
}

/// Words that cannot carry a filter, and what can.
#[derive(Debug, Clone, PartialEq)]
#[cfg_attr(feature = "serde", derive(serde::Serialize))]
#[non_exhaustive]
pub struct Impossible {
    /// The name of the spec.
    pub name: String,
    /// The structure.
    pub structure: &'static str,
    /// Why they cannot.
    pub reason: String,
    /// The fewest bits of coefficients with which the structure is possible and keeps its template.
    pub fewest_coefficient_bits: Option<u32>,
    /// The noise that it leaves then, rms in LSB.
    pub noise_rms_lsb: Option<f64>,
    /// The same words after the rate was lowered.
    pub at_lower_rates: Vec<LowerRate>,
    /// The same words in other structures.
    pub structures: Vec<StructureFigures>,
    /// The quietest other structure with coefficients of those fewest bits.
    #[cfg_attr(feature = "serde", serde(skip))]
    pub with_as_many_bits: Option<StructureFigures>,
    /// The radius of the poles, where coefficients of so few bits cannot put them.
    #[cfg_attr(feature = "serde", serde(skip))]
    pub pole_radius: Option<f64>,
}

impl Impossible {
    /// The structure of least predicted noise among those that are possible and keep their template.
    pub fn quietest(&self) -> Option<&StructureFigures> {
        least(&self.structures, |row| row.noise_rms_lsb)
    }

    /// The structure of the smallest proved error among those that are possible and keep their template.
    pub fn surest(&self) -> Option<&StructureFigures> {
        least(&self.structures, |row| row.error_bound_lsb)
    }
}

/// The row that is least in something, among those that have it and keep the template.
pub(super) fn least(
    rows: &[StructureFigures],
    of: impl Fn(&StructureFigures) -> Option<f64>,
) -> Option<&StructureFigures> {
    let possible = rows.iter().filter(|row| row.keeps_template != Some(false));
    let possible = possible.filter_map(|row| Some((row, of(row)?)));
    possible.min_by(|a, b| a.1.total_cmp(&b.1)).map(|(row, _)| row)
}
