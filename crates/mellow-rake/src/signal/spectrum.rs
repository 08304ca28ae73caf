//! Spectra of recordings, by averaging over pieces.

use crate::units::SampleRate;
use crate::window::{Window, window_values};
use num_complex::Complex64;
use rustfft::FftPlanner;
use serde::Serialize;

/// How a spectrum is taken.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct SpectrumWish {
    /// The window on every piece, in its periodic form.
    pub window: Window,
    /// Samples of a piece, 8 to 2²⁴.
    pub piece: usize,
    /// The share of a piece that the next one has too, 0 to 0.95.
    pub overlap: f64,
}

impl SpectrumWish {
    /// A Hann window with half overlap on pieces of the largest power of two of which the recording holds eight with their
    /// overlap, from 256 to 65,536 samples, and never more than the recording.
    pub fn for_length(samples: usize) -> Self {
        let most = (2 * samples / 9).clamp(256, 65_536).min(samples.max(8));
        let piece = 1 << most.ilog2();
        SpectrumWish { window: Window::Hann, piece, overlap: 0.5 }
    }
}

impl SpectrumWish {
    /// Whether there are pieces of so many samples.
    pub(super) fn check(&self, samples: usize) -> Result<(), SpectrumError> {
        let SpectrumWish { piece, overlap, .. } = *self;
        if !(8..=1 << 24).contains(&piece) || piece > samples {
            return Err(SpectrumError::Piece { piece, samples });
        }
        if !(0.0..=0.95).contains(&overlap) {
            return Err(SpectrumError::Overlap { overlap });
        }
        Ok(())
    }

    /// From piece to piece.
    pub(super) fn hop(&self) -> usize {
        ((1.0 - self.overlap) * self.piece as f64).max(1.0) as usize
    }
}

/// Why a signal has no spectrum.
#[derive(Debug, Clone, Copy, PartialEq, thiserror::Error)]
#[non_exhaustive]
pub enum SpectrumError {
    /// The piece is out of range, or longer than the signal.
    #[error(
        "a piece of {piece} samples is out of range: 8 to 2^24, and no more than the {samples} samples of the recording"
    )]
    Piece {
        /// The samples of a piece asked for.
        piece: usize,
        /// The samples there are.
        samples: usize,
    },
    /// The overlap is out of range.
    #[error("an overlap of {overlap} is out of range: 0 to 0.95")]
    Overlap {
        /// The overlap asked for.
        overlap: f64,
    },
    /// A sample is not finite.
    #[error("sample {index} is not a finite number")]
    NotFinite {
        /// Its index, from 0.
        index: usize,
    },
}

/// The spectrum of a signal, one-sided: what lies at negative frequencies is counted with the positive ones.
#[derive(Debug, Clone, PartialEq, Serialize)]
pub struct Spectrum {
    /// Frequencies in hertz, from 0 to the Nyquist frequency.
    pub hertz: Vec<f64>,
    /// Power spectral density at each, in the square of the signal's unit per hertz: its integral over frequency is the
    /// mean square of the signal, without its mean.
    pub density: Vec<f64>,
    /// Frequencies are this far apart, in hertz.
    pub step_hz: f64,
    /// The equivalent noise bandwidth of the window, in hertz: density times this is the mean square of a line at a
    /// frequency of the grid.
    pub noise_bandwidth_hz: f64,
    /// Pieces averaged over.
    pub pieces: usize,
    /// Samples of each.
    pub piece: usize,
    /// What was taken off every sample before: the mean.
    pub mean: f64,
}

/// The averaged spectrum of overlapping, windowed pieces (P. D. Welch, "The use of fast Fourier transform for the
/// estimation of power spectra", 1967, eqs. 1 to 5). The mean of the whole signal is taken off first.
///
/// # Errors
/// [`SpectrumError`]
///
/// ```
/// use mellow_rake::signal::{SpectrumWish, spectrum};
/// let rate = "1 kHz".parse()?;
/// let tone: Vec<f64> = (0..8192).map(|n| 3.0 * (0.25 * n as f64 * std::f64::consts::PI).sin()).collect();
/// let found = spectrum(&tone, rate, SpectrumWish::for_length(tone.len())).unwrap();
/// // 125 Hz, on the grid: an amplitude of 3 has the mean square 4.5.
/// let at = (125.0 / found.step_hz) as usize;
/// assert!((found.density[at] * found.noise_bandwidth_hz - 4.5).abs() < 1e-9);
/// # Ok::<(), mellow_rake::units::QuantityError>(())
/// ```
pub fn spectrum(
    signal: &[f64],
    rate: SampleRate,
    wish: SpectrumWish,
) -> Result<Spectrum, SpectrumError> {
    let (piece, samples) = (wish.piece, signal.len());
    wish.check(samples)?;
    if let Some(index) = signal.iter().position(|x| !x.is_finite()) {
        return Err(SpectrumError::NotFinite { index });
    }
    let mean = signal.iter().sum::<f64>() / samples as f64;
    let mut window = window_values(wish.window, piece + 1);
    window.truncate(piece);
    let sum: f64 = window.iter().sum();
    let square: f64 = window.iter().map(|w| w * w).sum();
    let transform = FftPlanner::<f64>::new().plan_fft_forward(piece);
    let mut power = vec![0.0; piece / 2 + 1];
    let mut buffer = vec![Complex64::new(0.0, 0.0); piece];
    let mut pieces = 0;
    for start in (0..=samples - piece).step_by(wish.hop()) {
        for ((value, x), w) in buffer.iter_mut().zip(&signal[start..]).zip(&window) {
            *value = Complex64::new((x - mean) * w, 0.0);
        }
        transform.process(&mut buffer);
        for (sum, value) in power.iter_mut().zip(&buffer) {
            *sum += value.re * value.re + value.im * value.im;
        }
        pieces += 1;
    }
    let scale = 1.0 / (rate.hertz() * square * pieces as f64);
    let density = |(k, power): (usize, &f64)| {
        // 0 and the Nyquist frequency have no other side.
        let sides = if k == 0 || 2 * k == piece { 1.0 } else { 2.0 };
        sides * power * scale
    };
    let step_hz = rate.hertz() / piece as f64;
    Ok(Spectrum {
        hertz: (0..power.len()).map(|k| k as f64 * step_hz).collect(),
        density: power.iter().enumerate().map(density).collect(),
        step_hz,
        noise_bandwidth_hz: rate.hertz() * square / (sum * sum),
        pieces,
        piece,
        mean,
    })
}
