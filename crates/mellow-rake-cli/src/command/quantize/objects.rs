//! What `mrake quantize` found, as its JSON has it.

use mellow_rake::fixed::WordFormat;
use mellow_rake::verify::WordNoise;
use serde::Serialize;

#[derive(Serialize)]
pub(super) struct QuantizeObject<'a> {
    pub(super) name: String,
    pub(super) structure: &'static str,
    pub(super) coefficients: WordFormat,
    pub(super) between: Option<WordFormat>,
    pub(super) state: Option<WordFormat>,
    pub(super) template_margin_db: [Option<f64>; 2],
    pub(super) remedies: Option<Vec<RemedyObject>>,
    pub(super) most_sensitive: Option<MattersObject>,
    pub(super) most_moved_pole: Option<PoleObject>,
    pub(super) as_one_polynomial: Option<PolynomialObject>,
    pub(super) noise: NoiseObject,
    pub(super) oscillations: Option<&'a [SectionCycles]>,
    pub(super) structures: &'a [StructureRow],
    pub(super) untried: Option<usize>,
    pub(super) sweep: Option<&'a SweepObject>,
}

/// A change of the spec that was tried, and what it leaves of the template; `None` where it is not possible.
#[derive(Serialize)]
pub(super) struct RemedyObject {
    pub(super) change: String,
    pub(super) margin_db: Option<f64>,
}

impl RemedyObject {
    pub(super) fn keeps(&self) -> bool {
        self.margin_db.is_some_and(|margin| margin >= 0.0)
    }
}

#[derive(Serialize)]
pub(super) struct MattersObject {
    pub(super) name: &'static str,
    pub(super) index: usize,
    pub(super) response_change: f64,
    pub(super) at_hz: f64,
}

/// Noise on white noise of half scale, and what constant inputs leave.
#[derive(Serialize)]
pub(super) struct NoiseObject {
    #[serde(flatten)]
    pub(super) words: WordNoise,
    pub(super) constant_input_error_lsb: Option<f64>,
    pub(super) converter: Option<ConverterObject>,
}

/// What a converter leaves at the output, and what the filter adds to that.
#[derive(Serialize)]
pub(super) struct ConverterObject {
    pub(super) bits: u32,
    pub(super) rounding_rms_lsb: f64,
    pub(super) noise_rms_lsb: f64,
    pub(super) added_by_filter_db: Option<f64>,
}

/// How far rounding moved the pole that it moved most.
#[derive(Serialize)]
pub(super) struct PoleObject {
    pub(super) hz: f64,
    pub(super) radius: f64,
    pub(super) moved: f64,
    pub(super) share: f64,
}

/// What the same words would do to the filter as one fraction.
#[derive(Serialize)]
pub(super) struct PolynomialObject {
    pub(super) order: usize,
    pub(super) largest_coefficient: f64,
    pub(super) fraction: i32,
    pub(super) poles_outside: usize,
    pub(super) largest_radius: f64,
    pub(super) most_moved_pole: Option<PoleObject>,
}

/// What a section does without an input.
#[derive(Serialize)]
pub(super) struct SectionCycles {
    pub(super) section: usize,
    pub(super) exhaustive: Option<bool>,
    pub(super) states: Option<u64>,
    pub(super) open: Option<u64>,
    pub(super) count: Option<usize>,
    pub(super) bound_lsb: Option<f64>,
    pub(super) amplitude_lsb: Option<i64>,
    pub(super) period_samples: Option<usize>,
    pub(super) start: Option<Vec<i64>>,
    pub(super) overflow: Option<OverflowObject>,
}

/// What a section does when it is left with words as large as they can be.
#[derive(Serialize)]
pub(super) struct OverflowObject {
    pub(super) starts: u64,
    pub(super) oscillating: u64,
    pub(super) open: u64,
    pub(super) amplitude_lsb: Option<i64>,
    pub(super) period_samples: Option<usize>,
    pub(super) start: Option<Vec<i64>>,
}

/// The filter in another structure with the same words.
#[derive(Serialize)]
pub(super) struct StructureRow {
    pub(super) structure: &'static str,
    pub(super) noise_rms_lsb: Option<f64>,
    pub(super) error_bound_lsb: Option<f64>,
    pub(super) keeps_template: Option<bool>,
    pub(super) state_bits: Option<u64>,
    pub(super) multiplies: Option<usize>,
    pub(super) reason: Option<String>,
}

/// Bits that are enough: the fewest, and those from which on every width is.
#[derive(Serialize, Clone, Copy)]
pub(super) struct Enough {
    pub(super) fewest: Option<u32>,
    pub(super) all_from: Option<u32>,
}

#[derive(Serialize)]
pub(super) struct SweepObject {
    pub(super) of: &'static str,
    pub(super) rows: Vec<SweepRow>,
    pub(super) for_template: Enough,
    pub(super) for_converter: Enough,
    /// The same in every structure, where that was asked for.
    pub(super) structures: Option<Vec<StructureSweep>>,
}

#[derive(Serialize)]
pub(super) struct StructureSweep {
    pub(super) structure: &'static str,
    pub(super) for_template: Enough,
    pub(super) for_converter: Enough,
    pub(super) rows: Vec<SweepRow>,
}

#[derive(Serialize)]
pub(super) struct SweepRow {
    pub(super) bits: u32,
    pub(super) format: Option<WordFormat>,
    pub(super) template_excess_db: Option<f64>,
    pub(super) keeps_template: Option<bool>,
    pub(super) noise_rms_lsb: Option<f64>,
    pub(super) noise_rms: Option<f64>,
    pub(super) error_bound_lsb: Option<f64>,
    pub(super) added_to_converter_db: Option<f64>,
    pub(super) reason: Option<String>,
}
