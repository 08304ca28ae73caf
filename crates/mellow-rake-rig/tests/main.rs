//! The tests of this crate, as one program: linked once, and run on all cores to its end.

mod agreement;
mod chains;
mod emulated;
mod every_pattern;
mod float;
mod hardware;
mod limits;
mod mutations;
mod names;
mod project;
mod random_filters;
mod rust;
mod undefined;

// What they share.
mod common;
#[path = "../../mellow-rake/tests/common/filters.rs"]
mod filters;
#[path = "../../mellow-rake/tests/common/floats.rs"]
mod floats;
#[path = "../../mellow-rake/tests/common/programs.rs"]
mod programs;
#[path = "../../mellow-rake/tests/common/random_chains.rs"]
mod random_chains;
