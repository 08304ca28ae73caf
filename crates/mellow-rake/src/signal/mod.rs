//! Signals: made from seeds, measured, and run through filters.

mod level;
mod lines;
mod noise;
mod spectrum;
mod tone;
mod transfer;
mod zero_phase;

pub use level::{Levels, measure_levels};
pub use lines::{SpectralLine, spectral_lines};
pub use noise::NoiseSource;
pub use spectrum::{Spectrum, SpectrumError, SpectrumWish, spectrum};
pub use tone::{tone_amplitude, tone_level_db, tone_phasor};
pub use transfer::{TransferDeviation, TransferEstimate, delay_between, measure_transfer};
pub use zero_phase::{ZeroPhase, zero_phase};
