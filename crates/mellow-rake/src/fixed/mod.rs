//! Fixed-point words: formats, rounding, overflow, and turning coefficients into integers.

mod coefficients;
mod digits;
mod oscillator;
mod overflow;
mod rounding;
mod word;

pub use coefficients::{
    CoefficientFormat, QuantizeError, RoundedTable, round_coefficients, round_groups,
};
pub use digits::{signed_digit_powers, signed_digits};
pub use oscillator::{Oscillator, OscillatorError, OscillatorWords, Waves};
pub use overflow::Overflow;
pub use rounding::Rounding;
pub use word::{FormatError, WordFormat};
