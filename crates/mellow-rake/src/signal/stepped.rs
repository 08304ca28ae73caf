//! A transfer function tone by tone.

use super::{TransferEstimate, tone_phasor};
use crate::units::SampleRate;
use num_complex::Complex64;
use std::f64::consts::TAU;
use std::ops::Range;

/// Gain and phase between two signals that hold one tone after the other: for each its frequency in hertz and the samples in which both
/// have settled to it. What the tone does not explain of the output counts as noise.
///
/// ```
/// use mellow_rake::signal::{NoiseSource, stepped_transfer};
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
        let mean = after.iter().sum::<f64>() / count;
        let tone = tone_phasor(after, rate, *hertz);
        let rest = after.iter().enumerate().map(|(n, y)| {
            let turns = hertz * n as f64 / rate.hertz();
            let angle = TAU * (turns - libm::floor(turns));
            let left = y - mean - (tone * Complex64::new(libm::cos(angle), libm::sin(angle))).re;
            left * left
        });
        let rest = rest.sum::<f64>() / count;
        let power = tone.norm_sqr() / 2.0;
        let share = if power + rest > 0.0 { power / (power + rest) } else { 0.0 };
        // The Hann window takes noise from one and a half times the band of a plain sum (Harris 1978, table I).
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
