//! What a filter does, measured on the response that came out and not on the numbers that went in.

mod band_measures;
mod comparison;
mod curves;
mod families;
mod general_measures;
mod grid;
mod line_remedies;
mod notch_measures;
mod one_polynomial;
mod pole_moves;
mod quality;
mod quality_row;
mod report;
mod roots;
mod search;
mod sensitivity;
mod template;
mod time_measures;

pub use band_measures::{BandMeasures, Bands, measure_bands};
pub use comparison::{
    Deviation, ResponseDifference, deviation, gain_difference_db, largest_gain_difference_db,
    largest_response_difference,
};
pub use curves::{FrequencyCurves, LinearPart, frequency_curves};
pub use families::{FamilyFigures, Kept, compare_families};
pub(crate) use general_measures::peak_frequency;
pub use general_measures::{
    BandDeviation, GeneralMeasures, MarkMeasure, float_cost, measure_general, peak_gain_db,
};
pub use grid::{adaptive_grid, linear_grid, logarithmic_grid};
pub use line_remedies::{LineRemedy, line_remedies};
pub use notch_measures::{NotchMeasures, measure_notch};
pub use one_polynomial::{OnePolynomial, one_polynomial};
pub use pole_moves::{PoleMove, pole_moves};
pub use quality::{Measures, meets_spec, passband, passband_delay};
pub use quality_row::{Place, QualityRow, Reading, Wished};
pub use report::Report;
pub use roots::{
    MOST_TAPS_WITH_ZEROS, NoRoots, RootKind, RootMeasures, measure_roots, zeros_and_poles,
};
pub use sensitivity::{
    Change, CoefficientSensitivity, Sensitivity, ToleranceBand, sensitivity, tolerance_band,
};
pub(crate) use template::ripple_and_attenuation;
pub use time_measures::{TimeMeasures, measure_time};

use crate::filter::Transfer;
use crate::units::SampleRate;
use crate::units::level::decibels;

/// The gain of a filter in decibels at a frequency in hertz.
pub fn gain_db(filter: &dyn Transfer, rate: SampleRate, hertz: f64) -> f64 {
    decibels(filter.gain(rate.radians(hertz)))
}
