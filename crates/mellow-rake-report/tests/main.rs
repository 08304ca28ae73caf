//! The tests of this crate, as one program: linked once, and run on all cores to its end.

mod curves;
mod documents;
mod figures;
mod pages;
mod units;
