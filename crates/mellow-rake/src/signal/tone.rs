//! The level of one spectral line.

use crate::filter::complex::modulus;
use crate::units::SampleRate;
use crate::units::level::decibels;
use num_complex::Complex64;
use std::f64::consts::TAU;

/// The amplitude of the tone at `hertz` in a signal, in the signal's own unit.
///
/// The signal is weighted by a Hann window and correlated with the tone; a sine of amplitude A gives A when
/// the record holds many of its periods. Other lines are rejected by the window's side lobes (Harris, *On the
/// use of windows for harmonic analysis with the discrete Fourier transform*, 1978, table I).
///
/// ```
/// use mellow_rake::{signal::tone_amplitude, units::SampleRate};
/// let rate: SampleRate = "1 kHz".parse()?;
/// let hum: Vec<f64> = (0..4000).map(|n| 3.0 * (rate.radians(87.5) * n as f64).sin() + 50.0).collect();
/// assert!((tone_amplitude(&hum, rate, 87.5) - 3.0).abs() < 1e-6);
/// # Ok::<(), mellow_rake::units::QuantityError>(())
/// ```
pub fn tone_amplitude(signal: &[f64], rate: SampleRate, hertz: f64) -> f64 {
    modulus(tone_phasor(signal, rate, hertz))
}

/// Amplitude and phase of the tone at `hertz`: A·e^{jφ} for A·cos(ωn + φ), n counted from the first sample;
/// with the window of [`tone_amplitude`].
///
/// ```
/// use mellow_rake::{signal::tone_phasor, units::SampleRate};
/// let rate: SampleRate = "1 kHz".parse()?;
/// let tone: Vec<f64> = (0..4000).map(|n| 2.0 * (rate.radians(87.5) * n as f64 + 0.7).cos()).collect();
/// let found = tone_phasor(&tone, rate, 87.5);
/// assert!((found.re - 2.0 * 0.7f64.cos()).abs() < 1e-6 && (found.im - 2.0 * 0.7f64.sin()).abs() < 1e-6);
/// # Ok::<(), mellow_rake::units::QuantityError>(())
/// ```
pub fn tone_phasor(signal: &[f64], rate: SampleRate, hertz: f64) -> Complex64 {
    let length = signal.len() as f64;
    let omega = rate.radians(hertz);
    let (mut sum, mut weight) = (Complex64::new(0.0, 0.0), 0.0);
    for (n, x) in signal.iter().enumerate() {
        let window = 0.5 - 0.5 * libm::cos(TAU * (n as f64 + 0.5) / length);
        let angle = omega * n as f64;
        sum += Complex64::new(libm::cos(angle), -libm::sin(angle)) * (window * x);
        weight += window;
    }
    if weight > 0.0 { sum * (2.0 / weight) } else { sum }
}

/// The level of the tone at `hertz`, in decibels below a sine of amplitude `full_scale`.
pub fn tone_level_db(signal: &[f64], rate: SampleRate, hertz: f64, full_scale: f64) -> f64 {
    decibels(tone_amplitude(signal, rate, hertz) / full_scale)
}
