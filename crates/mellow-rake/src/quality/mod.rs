//! What was asked against what was achieved: measures in the terms of the wish, whether they keep it, and
//! what a filter costs beside others.

mod families;
mod general;
mod measures;
mod report;
mod row;
mod sensitivity;

pub use families::{FamilyFigures, Kept, compare_families};
pub use general::{BandDeviation, GeneralMeasures, MarkMeasure, measure_general};
pub use measures::{Measures, meets_spec, passband, passband_delay};
pub use report::Report;
pub use row::{Place, QualityRow, Reading, Wished};
pub use sensitivity::{
    Change, CoefficientSensitivity, Sensitivity, ToleranceBand, sensitivity, tolerance_band,
};
