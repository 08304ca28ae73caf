//! Filters in single and double precision: what runs, operation by operation, and how far it is from the
//! filter in exact arithmetic.
//!
//! A [`FloatFilter`] is a filter whose coefficients were rounded to a floating-point format, with a stated
//! order of operations. Every operation is one of IEEE 754-2008: a product, a sum or a difference of two
//! numbers of the format, rounded to the nearest, ties to even. Nothing is contracted (no fused
//! multiply-add), reordered or evaluated in a wider format, and subnormal numbers are what the standard
//! says. So there is one right answer, bit for bit, on every machine that keeps to the standard:
//! [`FloatSimulator`] gives it, and C and Rust are written to give the same.
//!
//! # The order of operations
//!
//! Coefficients are those of sections, (b0 + b1 z⁻¹ + b2 z⁻²)/(1 + a1 z⁻¹ + a2 z⁻²), or taps h\[0\], h\[1\],
//! … Sums without parentheses are taken from the left.
//!
//! - `direct-form-1`: y = b0·x + b1·x₁ + b2·x₂ − a1·y₁ − a2·y₂, the indices for one and two samples before.
//! - `direct-form-2-transposed`: y = b0·x + s₁, then s₁ = (b1·x − a1·y) + s₂, s₂ = b2·x − a2·y.
//! - `fir-direct`: y = h\[0\]·x\[n\] + h\[1\]·x\[n−1\] + h\[2\]·x\[n−2\] + …
//!
//! Sections follow one another; the y of one is the x of the next.
//!
//! # What is not a number
//!
//! A sum or product beyond the largest number is an infinity, and the difference of two infinities is not a
//! number. Either stays in a feedback for ever: a filter that has met one must be put back to the zero state.
//! [`FloatBound::level`] says that this cannot happen for the inputs that the bound is for. Which bits a
//! result has that is not a number, the standard leaves open; all are taken for one.
//!
//! A processor mode that takes subnormal numbers for zero is another arithmetic: words differ from these
//! where some intermediate value is below the smallest normal number, which the silence behind every signal
//! brings about in a recursive filter.

mod bound;
mod filter;
mod program;
mod run;
mod wide;

pub use bound::FloatBound;
pub use filter::{FloatError, FloatFilter, FloatFormat};
pub use program::{FloatOperation, FloatStructure, SectionProgram};
pub use run::FloatSimulator;
pub(crate) use wide::run_wide;
