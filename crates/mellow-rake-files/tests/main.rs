//! The tests of this crate, as one program: linked once, and run on all cores to its end.

mod demo_recordings;
mod formats;
mod limits;
mod text_tables;

// What they share.
#[path = "../examples/lantern_reef/recordings.rs"]
mod recordings;
