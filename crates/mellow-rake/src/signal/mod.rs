//! Signals: made from seeds, and measured.

mod noise;
mod tone;

pub use noise::NoiseSource;
pub use tone::{tone_amplitude, tone_level_db};
