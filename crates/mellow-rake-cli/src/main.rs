//! scratch
fn main() {}
