//! Spectra of recordings, by averaging over pieces.

use crate::units::SampleRate;
use crate::window::{Window, window_values};
use num_complex::Complex64;
use rustfft::{Fft, FftPlanner};
use std::sync::Arc;

/// How a spectrum is taken.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct SpectrumWish {
    /// The window on every piece, in its periodic form.
    pub window: Window,
    /// Samples of a piece, 8 to 2²⁴.
    pub piece: usize,
    /// The share of a piece that the next one has too, 0 to 0.95.
    pub overlap: f64,
    /// What each piece counts.
    pub averaging: Averaging,
}

/// What each piece counts in an average.
#[derive(Debug, Clone, Copy, PartialEq)]
pub enum Averaging {
    /// All alike.
    Even,
    /// A new piece this share, above 0 and up to 1, and all before it the rest: the past fades.
    Exponential(f64),
}

impl Averaging {
    /// The weights of the average so far and of the next piece, which has so many before it.
    pub(super) fn weights(self, before: usize) -> (f64, f64) {
        let new = match self {
            Averaging::Even => 1.0 / (before + 1) as f64,
            Averaging::Exponential(_) if before == 0 => 1.0,
            Averaging::Exponential(share) => share,
        };
        (1.0 - new, new)
    }

    /// As many independent pieces of equal weight would scatter as much as so many that overlap: 1 over the
    /// sum of the squares of the weights, and no more than stand end to end.
    pub(super) fn independent(self, pieces: usize, wish: &SpectrumWish, samples: usize) -> f64 {
        let mut square = 0.0;
        for before in 0..pieces {
            let (old, new) = self.weights(before);
            square = old * old * square + new * new;
        }
        let hop = wish.hop() as f64 / wish.piece as f64;
        match self {
            Averaging::Even => (samples / wish.piece).max(1) as f64,
            Averaging::Exponential(_) => (hop / square).max(1.0),
        }
    }
}

impl SpectrumWish {
    /// A Hann window with half overlap on pieces of the largest power of two of which the recording holds
    /// eight with their overlap, from 256 to 65,536 samples, and never more than the recording.
    pub fn for_length(samples: usize) -> Self {
        let most = (2 * samples / 9).clamp(256, 65_536).min(samples.max(8));
        let piece = 1 << most.ilog2();
        SpectrumWish { window: Window::Hann, piece, overlap: 0.5, averaging: Averaging::Even }
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
        if let Averaging::Exponential(share) = self.averaging
            && !(share > 0.0 && share <= 1.0)
        {
            return Err(SpectrumError::Share { share });
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
        "a piece of {piece} samples is out of range: 8 to 2^24, and no more than the {samples} samples of \
            the recording"
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
    /// The share of a new piece is out of range.
    #[error("a share of {share} for each new piece is out of range: above 0 and up to 1")]
    Share {
        /// The share asked for.
        share: f64,
    },
    /// A sample is not finite.
    #[error("sample {index} is not a finite number")]
    NotFinite {
        /// Its index, from 0.
        index: usize,
    },
}

/// A window and the transform of what stands under it.
pub(super) struct Pieces {
    window: Vec<f64>,
    /// The sum of the window's values, and of their squares.
    pub(super) sum: f64,
    pub(super) square: f64,
    transform: Arc<dyn Fft<f64>>,
}

impl Pieces {
    pub(super) fn new(window: Window, piece: usize) -> Self {
        let mut window = window_values(window, piece + 1);
        window.truncate(piece);
        Pieces {
            sum: window.iter().sum(),
            square: window.iter().map(|w| w * w).sum(),
            transform: FftPlanner::<f64>::new().plan_fft_forward(piece),
            window,
        }
    }

    /// The transform of the first samples, less the mean, under the window.
    pub(super) fn transform(&self, signal: &[f64], mean: f64) -> Vec<Complex64> {
        self.of_complex(signal.iter().map(|x| Complex64::new(x - mean, 0.0)))
    }

    fn of_complex(&self, signal: impl Iterator<Item = Complex64>) -> Vec<Complex64> {
        let mut buffer: Vec<Complex64> = signal.zip(&self.window).map(|(x, w)| x * w).collect();
        self.transform.process(&mut buffer);
        buffer
    }
}

/// The spectrum of a signal; of real samples one-sided: what lies at negative frequencies is counted with the
/// positive ones.
#[derive(Debug, Clone, PartialEq)]
#[cfg_attr(feature = "serde", derive(serde::Serialize))]
pub struct Spectrum {
    /// Frequencies in hertz, from 0 to the Nyquist frequency; of complex samples from minus that on.
    pub hertz: Vec<f64>,
    /// Power spectral density at each, in the square of the signal's unit per hertz: its integral over
    /// frequency is the mean square of the signal, without its mean.
    pub density: Vec<f64>,
    /// Frequencies are this far apart, in hertz.
    pub step_hz: f64,
    /// The equivalent noise bandwidth of the window, in hertz: density times this is the mean square of a
    /// line at a frequency of the grid.
    pub noise_bandwidth_hz: f64,
    /// Pieces averaged over.
    pub pieces: usize,
    /// Samples of each.
    pub piece: usize,
    /// What was taken off every sample before: the mean; 0 of complex samples, whose carrier it may be.
    pub mean: f64,
}

/// The averaged spectrum of overlapping, windowed pieces (P. D. Welch, "The use of fast Fourier transform for
/// the estimation of power spectra", 1967, eqs. 1 to 5). The mean of the whole signal is taken off first.
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
    let samples = signal.len();
    wish.check(samples)?;
    if let Some(index) = signal.iter().position(|x| !x.is_finite()) {
        return Err(SpectrumError::NotFinite { index });
    }
    let mean = signal.iter().sum::<f64>() / samples as f64;
    let places: Vec<i64> = (0..=wish.piece as i64 / 2).collect();
    let averaged = averaged(samples, rate, wish, &places, |pieces, start| {
        pieces.transform(&signal[start..], mean)
    });
    // 0 and the Nyquist frequency have no other side.
    let sides = |place: usize| if place == 0 || 2 * place == wish.piece { 1.0 } else { 2.0 };
    let density = averaged.density.iter().enumerate().map(|(k, one)| sides(k) * one).collect();
    Ok(Spectrum { density, mean, ..averaged })
}

/// The same of complex samples, in order from minus half to half of the rate.
///
/// # Errors
/// [`SpectrumError`]
///
/// ```
/// use mellow_rake::signal::{SpectrumWish, complex_spectrum};
/// use num_complex::Complex64;
/// let turn = |n: usize| Complex64::from_polar(2.0, -0.25 * std::f64::consts::PI * n as f64);
/// let tone: Vec<Complex64> = (0..8192).map(turn).collect();
/// let found = complex_spectrum(&tone, "1 kHz".parse()?, SpectrumWish::for_length(8192)).unwrap();
/// // -125 Hz, an amplitude of 2: a mean square of 4.
/// let at = ((500.0 - 125.0) / found.step_hz) as usize;
/// assert_eq!((found.hertz[0], found.hertz[at]), (-500.0, -125.0));
/// assert!((found.density[at] * found.noise_bandwidth_hz - 4.0).abs() < 1e-9);
/// # Ok::<(), mellow_rake::units::QuantityError>(())
/// ```
pub fn complex_spectrum(
    signal: &[Complex64],
    rate: SampleRate,
    wish: SpectrumWish,
) -> Result<Spectrum, SpectrumError> {
    wish.check(signal.len())?;
    if let Some(index) = signal.iter().position(|x| !(x.re.is_finite() && x.im.is_finite())) {
        return Err(SpectrumError::NotFinite { index });
    }
    let piece = wish.piece as i64;
    let places: Vec<i64> = (-(piece / 2)..(piece + 1) / 2).collect();
    Ok(averaged(signal.len(), rate, wish, &places, |pieces, start| {
        pieces.of_complex(signal[start..].iter().copied())
    }))
}

/// The spectrum of samples that are so many words side by side: of the first word of each, or of the first
/// two where they are the parts of complex samples.
///
/// # Errors
/// [`SpectrumError`]
///
/// ```
/// use mellow_rake::signal::{SpectrumWish, complex_spectrum, spectrum_of_words};
/// use num_complex::Complex64;
/// let (rate, wish) = ("1 kHz".parse()?, SpectrumWish::for_length(4));
/// let wish = SpectrumWish { piece: 8, ..wish };
/// // I and Q of two channels.
/// let words: Vec<f64> = (0..32).map(|n| (n * n % 11) as f64).collect();
/// let found = spectrum_of_words(&words, 4, true, rate, wish).unwrap();
/// let first: Vec<Complex64> = words.chunks(4).map(|one| Complex64::new(one[0], one[1])).collect();
/// assert_eq!(found.density, complex_spectrum(&first, rate, wish).unwrap().density);
/// # Ok::<(), mellow_rake::units::QuantityError>(())
/// ```
///
/// # Panics
/// Where a sample has no word, or a complex one less than two.
pub fn spectrum_of_words(
    words: &[f64],
    per_sample: usize,
    is_complex: bool,
    rate: SampleRate,
    wish: SpectrumWish,
) -> Result<Spectrum, SpectrumError> {
    let samples = words.chunks_exact(per_sample);
    if is_complex {
        let parts = |one: &[f64]| Complex64::new(one[0], one[1]);
        return complex_spectrum(&samples.map(parts).collect::<Vec<_>>(), rate, wish);
    }
    spectrum(&samples.map(|one| one[0]).collect::<Vec<_>>(), rate, wish)
}

/// Pieces averaged, at some places of the transform; of one side.
fn averaged(
    samples: usize,
    rate: SampleRate,
    wish: SpectrumWish,
    places: &[i64],
    transformed: impl Fn(&Pieces, usize) -> Vec<Complex64>,
) -> Spectrum {
    let piece = wish.piece;
    let pieces_of = Pieces::new(wish.window, piece);
    let mut power = vec![0.0; places.len()];
    let mut pieces = 0;
    for start in (0..=samples - piece).step_by(wish.hop()) {
        let (old, new) = wish.averaging.weights(pieces);
        let transformed = transformed(&pieces_of, start);
        for (sum, place) in power.iter_mut().zip(places) {
            let value = transformed[place.rem_euclid(piece as i64) as usize];
            *sum = old * *sum + new * (value.re * value.re + value.im * value.im);
        }
        pieces += 1;
    }
    let (sum, square) = (pieces_of.sum, pieces_of.square);
    let scale = 1.0 / (rate.hertz() * square);
    let step_hz = rate.hertz() / piece as f64;
    Spectrum {
        hertz: places.iter().map(|place| *place as f64 * step_hz).collect(),
        density: power.iter().map(|power| power * scale).collect(),
        step_hz,
        noise_bandwidth_hz: rate.hertz() * square / (sum * sum),
        pieces,
        piece,
        mean: 0.0,
    }
}

impl Spectrum {
    /// The same with negative frequencies: half of the density on either side of 0, which keeps its own.
    ///
    /// ```
    /// use mellow_rake::signal::{SpectrumWish, spectrum};
    /// let noise: Vec<f64> = (0..4096).map(|n| ((n * n) as f64).sin()).collect();
    /// let one = spectrum(&noise, "1 kHz".parse()?, SpectrumWish::for_length(4096)).unwrap();
    /// let two = one.two_sided();
    /// assert_eq!((two.hertz[0], two.hertz.len()), (-two.hertz[two.hertz.len() - 1],
    ///     2 * one.hertz.len() - 1));
    /// let power = |d: &[f64]| d.iter().sum::<f64>();
    /// assert!((power(&one.density) / power(&two.density) - 1.0).abs() < 1e-12);
    /// # Ok::<(), mellow_rake::units::QuantityError>(())
    /// ```
    pub fn two_sided(&self) -> Spectrum {
        let last = self.hertz.len() - 1;
        let half = |k: usize| {
            // The two ends of the axis are the Nyquist frequency, which is there once: each shows half of it.
            let sides = if k == 0 { 1.0 } else { 2.0 };
            self.density[k] / sides
        };
        let below = (1..=last).rev();
        Spectrum {
            hertz: below
                .clone()
                .map(|k| -self.hertz[k])
                .chain(self.hertz.iter().copied())
                .collect(),
            density: below.map(half).chain((0..=last).map(half)).collect(),
            ..self.clone()
        }
    }
}
