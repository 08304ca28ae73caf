//! Recursive filters through an analogue prototype and the bilinear transform.

mod bessel;
mod elliptic_functions;
mod prototype;
mod transform;
mod wish;

pub use prototype::Prototype;
pub use transform::{Shape, digital};
pub use wish::{Edges, IirChoice, IirWish, Points, design_iir};
