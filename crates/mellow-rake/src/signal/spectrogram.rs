//! How a spectrum goes on in time.

use super::spectrum::Pieces;
use crate::units::SampleRate;
use crate::window::Window;

/// Spectra of pieces one after the other.
#[derive(Debug, Clone, PartialEq)]
#[non_exhaustive]
pub struct Spectrogram {
    /// The middle of each piece, in seconds from the first sample.
    pub seconds: Vec<f64>,
    /// Frequencies in hertz, from 0 to the Nyquist frequency.
    pub hertz: Vec<f64>,
    /// For each piece the power spectral density, one-sided, in the square of the signal's unit per hertz.
    pub density: Vec<Vec<f64>>,
    /// Samples of a piece.
    pub piece: usize,
}

/// The densities of at most `most` pieces under a Hann window, evenly over the whole signal, each of so many
/// samples that time and frequency come out about equally fine (64 to 4,096, unless the signal is shorter).
/// The mean is taken off first. Empty for fewer than eight samples.
///
/// ```
/// use mellow_rake::signal::spectrogram;
/// let chirp: Vec<f64> = (0..10_000).map(|n| (1e-4 * (n as f64) * (n as f64)).sin()).collect();
/// let found = spectrogram(&chirp, "1 kHz".parse()?, 100);
/// let loudest = |at: usize| {
///     let column = &found.density[at];
///     found.hertz[(0..column.len()).max_by(|a, b| column[*a].total_cmp(&column[*b])).unwrap()]
/// };
/// // sin(ct²) has the frequency ct/π: here 31.8 Hz for every second.
/// let slope = (loudest(80) - loudest(20)) / (found.seconds[80] - found.seconds[20]);
/// assert!((slope - 100.0 / std::f64::consts::PI).abs() < 1.5);
/// # Ok::<(), mellow_rake::units::QuantityError>(())
/// ```
pub fn spectrogram(signal: &[f64], rate: SampleRate, most: usize) -> Spectrogram {
    let samples = signal.len();
    let wished = libm::sqrt(2.0 * samples as f64).clamp(64.0, 4096.0) as usize;
    let piece = 1usize << wished.min(samples.max(1)).ilog2();
    let step_hz = rate.hertz() / piece as f64;
    let mut found = Spectrogram {
        seconds: Vec::new(),
        hertz: (0..=piece / 2).map(|k| k as f64 * step_hz).collect(),
        density: Vec::new(),
        piece,
    };
    if samples < 8 || most == 0 {
        return found;
    }
    let mean = signal.iter().sum::<f64>() / samples as f64;
    let pieces = Pieces::new(Window::Hann, piece);
    let scale = 1.0 / (rate.hertz() * pieces.square);
    let room = samples - piece;
    let count = most.min(4 * room / piece + 1);
    for index in 0..count {
        let start = if count > 1 { room * index / (count - 1) } else { 0 };
        let transformed = pieces.transform(&signal[start..], mean);
        let density = |(k, value): (usize, &num_complex::Complex64)| {
            let sides = if k == 0 || 2 * k == piece { 1.0 } else { 2.0 };
            sides * scale * value.norm_sqr()
        };
        let half = transformed.iter().take(piece / 2 + 1);
        found.density.push(half.enumerate().map(density).collect());
        found.seconds.push((start as f64 + piece as f64 / 2.0) / rate.hertz());
    }
    found
}
