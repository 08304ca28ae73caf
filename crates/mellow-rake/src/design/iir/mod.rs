//! Recursive filters through an analogue prototype and the bilinear transform.

mod analogue;
mod bessel;
mod elliptic_functions;
mod impulse_invariance;
mod prototype;
mod transform;
mod wish;

pub use analogue::{Analogue, Roots};
pub use prototype::Prototype;
pub use transform::{Shape, digital};
pub use wish::{
    Edges, IirChoice, IirWish, Points, analogue_of, design_iir, design_impulse_invariant,
};
