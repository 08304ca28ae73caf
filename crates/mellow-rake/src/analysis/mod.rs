//! What a filter does, measured on the response that came out and not on the numbers that went in.

mod band_measures;
mod families;
mod general_measures;
mod notch_measures;
mod quality;
mod search;
mod time_measures;

pub use band_measures::{BandMeasures, Bands, measure_bands};
pub use families::{FamilyFigures, compare_families};
pub(crate) use general_measures::peak_frequency;
pub use general_measures::{
    BandDeviation, GeneralMeasures, MarkMeasure, float_cost, measure_general,
};
pub use notch_measures::{NotchMeasures, measure_notch};
pub use quality::{Measures, meets_spec, passband_delay};

pub use time_measures::{TimeMeasures, impulse_response, measure_time, step_response};

use crate::filter::Transfer;
use crate::units::SampleRate;
use crate::units::level::decibels;

/// The gain of a filter in decibels at a frequency in hertz.
pub fn gain_db(filter: &dyn Transfer, rate: SampleRate, hertz: f64) -> f64 {
    decibels(filter.gain(rate.radians(hertz)))
}

/// `count` frequencies in hertz from `low` to `high`, both included, evenly spaced.
pub fn linear_grid(low: f64, high: f64, count: usize) -> Vec<f64> {
    let last = count.max(2) - 1;
    (0..=last).map(|k| low + (high - low) * (k as f64 / last as f64)).collect()
}
