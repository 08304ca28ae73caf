//! Quantities with their unit: frequencies, sample rates and levels.
//!
//! A bare number is never accepted where a quantity belongs. Half the trade
//! divides a frequency by the sample rate and half by the Nyquist frequency, and
//! a forgotten factor of two gives a good-looking wrong filter; so the text says
//! which is meant, and a [`Frequency`] keeps the form it was given in until it
//! meets a [`SampleRate`].

mod duration;
mod frequency;
pub(crate) mod level;
mod quantity;

pub use duration::Duration;
pub use frequency::{Frequency, SampleRate};
pub use level::Level;
pub use quantity::QuantityError;
