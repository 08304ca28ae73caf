//! What is in a recording, and what could be done about it.

use super::{LineRemedy, line_remedies};
use crate::signal::{
    Levels, SpectralLine, Spectrum, SpectrumError, SpectrumWish, measure_levels, spectral_lines,
    spectrum,
};
use crate::units::SampleRate;

/// A line this many decibels over the floor is told.
pub const LEAST_LINE_DB: f64 = 12.0;
/// Lines that are told.
const MOST_LINES: usize = 12;

/// What is in a recording.
#[derive(Debug, Clone)]
#[non_exhaustive]
pub struct Inspection {
    /// Its sample rate.
    pub rate: SampleRate,
    /// How long it is.
    pub samples: usize,
    /// Its levels.
    pub levels: Levels,
    /// How its spectrum was estimated.
    pub wish: SpectrumWish,
    /// Its spectrum.
    pub spectrum: Spectrum,
    /// Lines of the spectrum, the strongest first.
    pub lines: Vec<SpectralLine>,
    /// What is rid of them, as tried on this recording.
    pub remedies: Vec<LineRemedy>,
}

/// Looks at a recording: its levels, its spectrum in pieces of so many samples if that is given, the lines in
/// it and what is rid of them.
///
/// # Errors
/// [`SpectrumError`] where there are too few samples for a spectrum.
///
/// ```
/// use mellow_rake::study::inspect;
/// // A hum of 87.5 Hz and a tenth of it at random.
/// let mut noise = mellow_rake::random::NoiseSource::new(1);
/// let hum = |n: usize| (n as f64 * 0.55).sin() + 0.1 * noise.normal();
/// let samples: Vec<f64> = (0..20_000).map(hum).collect();
/// let found = inspect(&samples, "1 kHz".parse()?, None)?;
/// assert!((found.lines[0].hertz - 87.535).abs() < 0.01);
/// # Ok::<(), Box<dyn std::error::Error>>(())
/// ```
pub fn inspect(
    samples: &[f64],
    rate: SampleRate,
    piece: Option<usize>,
) -> Result<Inspection, SpectrumError> {
    let mut wish = SpectrumWish::for_length(samples.len());
    wish.piece = piece.unwrap_or(wish.piece);
    let spectrum = spectrum(samples, rate, wish)?;
    let lines = spectral_lines(samples, rate, &spectrum, LEAST_LINE_DB, MOST_LINES);
    let remedies = line_remedies(samples, rate, &spectrum, &lines);
    let levels = measure_levels(samples)
        .ok_or(SpectrumError::Piece { piece: wish.piece, samples: samples.len() })?;
    Ok(Inspection { rate, samples: samples.len(), levels, wish, spectrum, lines, remedies })
}
