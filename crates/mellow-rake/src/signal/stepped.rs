//! A transfer function tone by tone.

use super::{TransferEstimate, tone_phasor};
use crate::filter::complex::modulus;
use crate::units::SampleRate;
use num_complex::Complex64;
use std::f64::consts::TAU;
use std::ops::Range;

/// Gain and phase between two signals that hold one tone after the other: for each its frequency in hertz and
/// the samples in which both have settled to it. What the tone does not explain of the output counts as
/// noise.
///
/// ```
/// use mellow_rake::random::NoiseSource;
/// use mellow_rake::signal::{stepped_transfer};
/// let rate = "1 kHz".parse()?;
/// let wave = |n: usize, hertz: f64| (std::f64::consts::TAU * hertz * n as f64 / 1000.0).sin();
/// let input: Vec<f64> = (0..4000).map(|n| wave(n, if n < 2000 { 50.0 } else { 120.0 })).collect();
/// let output: Vec<f64> = input.iter().map(|x| -0.5 * x).collect();
/// let found = stepped_transfer(&input, &output, rate, &[(50.0, 0..2000), (120.0, 2000..4000)]);
/// assert!(found.response.iter().all(|h| (h.re + 0.5).abs() < 1e-9 && h.im.abs() < 1e-9));
/// assert!(found.coherence.iter().all(|share| *share > 0.999));
/// # Ok::<(), mellow_rake::units::QuantityError>(())
/// ```
pub fn stepped_transfer(
    input: &[f64],
    output: &[f64],
    rate: SampleRate,
    steps: &[(f64, Range<usize>)],
) -> TransferEstimate {
    let mut found = TransferEstimate {
        hertz: Vec::new(),
        response: Vec::new(),
        coherence: Vec::new(),
        relative_error: Vec::new(),
        pieces: steps.len(),
        delay: 0,
        step_hz: 0.0,
        spoiled: 0,
    };
    for (hertz, range) in steps {
        let (Some(before), Some(after)) = (input.get(range.clone()), output.get(range.clone()))
        else {
            continue;
        };
        let count = range.len() as f64;
        let tone = tone_phasor(after, rate, *hertz);
        let left = without_tone(after, rate, *hertz, tone);
        let rest = left * left;
        let power = tone.norm_sqr() / 2.0;
        let share = if power + rest > 0.0 { power / (power + rest) } else { 0.0 };
        // The Hann window takes noise from one and a half times the band of a plain sum (Harris 1978, table
        // I).
        let error = libm::sqrt(1.5 * rest / (count * power.max(f64::MIN_POSITIVE)));
        let drive = tone_phasor(before, rate, *hertz);
        let drive = if drive.norm_sqr() > 0.0 { drive } else { Complex64::new(f64::NAN, 0.0) };
        found.hertz.push(*hertz);
        found.response.push(tone / drive);
        found.coherence.push(share);
        found.relative_error.push(error.min(1e12));
    }
    found
}

impl TransferEstimate {
    /// Adds to the expected errors of stepped tones what rounding does at their own frequencies, where no
    /// average is rid of it.
    ///
    /// The rounding error of a word of x steps is the series Σ (−1)ᵏ·sin(2πkx)/(πk). For a tone of A steps it
    /// has the part Σ (−1)ᵏ·2·J₁(2πkA)/(πk) at the tone's own frequency (Jacobi and Anger's expansion), and
    /// as |J₁(z)| ≈ √(2/πz), that is 0.157/√A steps rms. A rounding inside a filter reaches the output as its
    /// noise does at that frequency.
    ///
    /// `amplitude` is that of the tones at the input, `step` that of the output's words, in one unit;
    /// `density` the power spectral density of the round-off noise at the output, at each frequency, in its
    /// square per hertz.
    pub fn add_roundings(&mut self, rate: SampleRate, amplitude: f64, step: f64, density: &[f64]) {
        // (2/π)·(1/π)/√2 · √(Σ 1/k³)
        const SHARE: f64 = 0.157;
        for ((error, response), density) in
            self.relative_error.iter_mut().zip(&self.response).zip(density)
        {
            let tone = amplitude * modulus(*response);
            if tone > 0.0 {
                // The step of a single rounding of the output that had this density.
                let own = libm::sqrt(12.0 * density * rate.nyquist());
                let rounded = SHARE * own / (libm::sqrt(tone / step) * tone);
                *error = libm::hypot(*error, rounded).min(1e12);
            }
        }
    }
}

/// The rms of what is left of a signal without its mean and a tone of this amplitude and phase.
pub fn without_tone(signal: &[f64], rate: SampleRate, hertz: f64, tone: Complex64) -> f64 {
    if signal.is_empty() {
        return 0.0;
    }
    let count = signal.len() as f64;
    let mean = signal.iter().sum::<f64>() / count;
    let square = |(n, y): (usize, &f64)| {
        let turns = hertz * n as f64 / rate.hertz();
        let angle = TAU * (turns - libm::floor(turns));
        let left = y - mean - (tone * Complex64::new(libm::cos(angle), libm::sin(angle))).re;
        left * left
    };
    libm::sqrt(signal.iter().enumerate().map(square).sum::<f64>() / count)
}
