//! The tests of this crate, as one program: linked once, and run on all cores to its end.

#![allow(clippy::disallowed_methods)] // the platform's float functions are precise enough for a test

mod advice;
mod analysis;
mod any_coefficients;
mod architecture;
mod arrangements;
mod brute_force;
mod carriers;
mod cascades;
mod chain_specs;
mod chain_words;
mod chains;
mod comments;
mod convert;
mod direct;
mod effort;
mod examples;
mod fir;
mod float;
mod formats;
mod hardware;
mod hardware_record;
mod iir;
mod integers;
mod lowered;
mod measures;
mod network_hardware;
mod networks;
mod noise;
mod packaging;
mod proofs;
mod quantities;
mod random_programs;
mod rates;
mod received_chains;
mod recursive_chains;
mod refusals;
mod remedies;
mod running;
mod second_looks;
mod signals;
mod simulator;
mod sources;
mod spec_keys;
mod spec_order;
mod specs;
mod staged_hardware;
mod stranger;
mod structures;
mod study;
mod time_shared_hardware;
mod verification;
mod wide_hardware;
mod written_text;

// What they share.
#[path = "common/every_state.rs"]
mod every_state;
#[path = "common/filters.rs"]
mod filters;
#[path = "common/floats.rs"]
mod floats;
#[path = "common/ideal.rs"]
mod ideal;
#[path = "common/interpreter.rs"]
mod interpreter;
#[path = "common/programs.rs"]
mod programs;
#[path = "common/random_chains.rs"]
mod random_chains;
#[path = "common/reader.rs"]
mod reader;
