//! Signals: made from seeds, measured, and run through filters.

mod adjacent;
mod excitation;
mod level;
pub(crate) mod lines;
mod mask;
mod source;
mod spectrogram;
mod spectrum;
mod stepped;
mod tone;
mod transfer;
mod vector_error;
mod zero_phase;

pub use adjacent::{AdjacentChannel, adjacent_channels};
pub use excitation::{chirp_words, noise_words, stepped_words, tone_words};
pub use level::{Levels, measure_levels};
pub use lines::{SpectralLine, spectral_lines};
pub use mask::{Mask, MaskMargin};
pub use source::{
    Converter, KeyedCarrier, Keying, Multicarrier, Part, RunningConverter, RunningSignal,
    SignalPlan, Sweep, Waveform,
};
pub use spectrogram::{Spectrogram, spectrogram};
pub use spectrum::{
    Averaging, Spectrum, SpectrumError, SpectrumWish, complex_spectrum, spectrum, spectrum_of_words,
};
pub use stepped::{stepped_transfer, without_tone};
pub use tone::{tone_amplitude, tone_level_db, tone_phasor};
pub use transfer::{TransferDeviation, TransferEstimate, delay_between, measure_transfer};
pub(crate) use vector_error::compared;
pub use vector_error::{CarrierError, VectorError, measure_vector_error, measure_vector_error_at};
pub use zero_phase::{Twice, ZeroPhase, zero_phase};
