//! What a filter does: its response on grids, in bands, at nulls and in time, measured on what came out and
//! not on the numbers that went in.

mod bands;
mod comparison;
mod curves;
mod grid;
mod notch;
mod one_polynomial;
mod peak;
mod pole_moves;
mod roots;
mod search;
mod template;
mod time;

pub use bands::{BandMeasures, Bands, measure_bands};
pub use comparison::{
    Deviation, ResponseDifference, deviation, gain_difference_db, largest_gain_difference_db,
    largest_response_difference,
};
pub use curves::{FrequencyCurves, LinearPart, frequency_curves};
pub use grid::{adaptive_grid, linear_grid, logarithmic_grid};
pub use notch::{NotchMeasures, measure_notch};
pub use one_polynomial::{OnePolynomial, one_polynomial};
pub(crate) use peak::peak_frequency;
pub use peak::peak_gain_db;
pub use pole_moves::{PoleMove, pole_moves};
pub use roots::{
    MOST_TAPS_WITH_ZEROS, NoRoots, RootKind, RootMeasures, measure_roots, zeros_and_poles,
};
#[cfg(feature = "spec-file")]
pub(crate) use search::bisect;
pub(crate) use search::{extreme, golden};
pub(crate) use template::ripple_and_attenuation;
pub(crate) use time::overshoot;
pub use time::{TimeMeasures, measure_time};

use crate::filter::Transfer;
use crate::units::SampleRate;
use crate::units::level::decibels;

/// The gain of a filter in decibels at a frequency in hertz.
pub fn gain_db(filter: &dyn Transfer, rate: SampleRate, hertz: f64) -> f64 {
    decibels(filter.gain(rate.radians(hertz)))
}
