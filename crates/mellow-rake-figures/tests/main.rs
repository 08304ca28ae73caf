//! The tests of this crate, as one program: linked once, and run on all cores to its end.

mod any_data;
mod figures;
