//! Showing that what runs is what was designed: stimuli, comparison bit by bit, and the distance from the
//! floating-point reference.

mod chain;
mod compare;
mod core_cost;
mod float;
mod noise;
mod proof;
mod reference;
mod stimulus;

pub use chain::judge_chain;
pub use compare::{Comparison, Mismatch, compare};
pub use core_cost::{CoreCost, Counted};
pub use noise::{
    ConverterNoise, WordNoise, constant_input_error, converter_noise, measure_word_noise,
};
pub use proof::{ComparisonResult, Expected, Proof, StimulusResult, TargetResult};
pub use reference::{ReferenceError, judge};
pub use stimulus::{LONGEST_MADE_UP, Stimulus, stimuli};
