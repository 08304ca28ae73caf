//! The tests of this crate, as one program: linked once, and run on all cores to its end.

mod bench;
mod chains;
mod commands;
mod cost;
mod float;
mod interruptions;
mod json_keys;
mod looks;
mod recordings;
mod refusals;
mod statuses;

// What they share.
#[path = "common/breath.rs"]
mod breath;
mod common;
