//! What a filter is excited with when it is measured: words, the same on every machine.

use crate::random::NoiseSource;
use crate::units::SampleRate;
use std::f64::consts::{PI, TAU};
use std::ops::Range;

/// White noise, uniform between two words, both included.
pub fn noise_words(seed: u64, [low, high]: [i64; 2], count: usize) -> Vec<i64> {
    let mut noise = NoiseSource::new(seed);
    (0..count).map(|_| noise.integer(low, high)).collect()
}

/// A sine that goes from 0 Hz to the Nyquist frequency within every `piece` samples, from none: every piece
/// of an average as long holds every frequency once.
pub fn chirp_words(amplitude: f64, piece: usize, count: usize) -> Vec<i64> {
    let piece = piece.max(1);
    let word = |n: usize| {
        let place = (n % piece) as f64;
        libm::rint(amplitude * libm::sin(PI * place * place / (2.0 * piece as f64))) as i64
    };
    (0..count).map(word).collect()
}

/// A cosine in words.
///
/// ```
/// use mellow_rake::signal::tone_words;
/// assert_eq!(tone_words(100.0, "1 kHz".parse()?, 250.0, 5), [100, 0, -100, 0, 100]);
/// # Ok::<(), mellow_rake::units::QuantityError>(())
/// ```
pub fn tone_words(amplitude: f64, rate: SampleRate, hertz: f64, count: usize) -> Vec<i64> {
    let word = |n: usize| {
        let turns = hertz / rate.hertz() * n as f64;
        libm::rint(amplitude * libm::cos(TAU * (turns - libm::floor(turns)))) as i64
    };
    (0..count).map(word).collect()
}

/// Tones one after the other, each with a start of `skipped` samples before those to measure: the words, and
/// the frequency in hertz of each with those samples.
pub fn stepped_words(
    amplitude: f64,
    rate: SampleRate,
    steps: u32,
    skipped: usize,
) -> (Vec<i64>, Vec<(f64, Range<usize>)>) {
    let (mut words, mut tones) = (Vec::new(), Vec::new());
    for step in 0..steps {
        let hertz = stepped_frequency(rate, step, steps);
        let held = (40.0 * rate.hertz() / hertz).clamp(2048.0, 65_536.0) as usize;
        words.extend(tone_words(amplitude, rate, hertz, skipped + held));
        tones.push((hertz, words.len() - held..words.len()));
    }
    (words, tones)
}

/// The frequency of a step, near the middle of an even division of the range up to the Nyquist frequency.
///
/// In the very middle a tone would repeat after a few samples, and the roundings of what runs with it: they
/// would add up on the tone itself, where no measurement can tell them from it. The golden section is
/// farthest from such ratios.
fn stepped_frequency(rate: SampleRate, step: u32, steps: u32) -> f64 {
    /// (√5 − 1)/2
    const GOLDEN_SECTION: f64 = 0.618_033_988_749_894_9;
    rate.nyquist() * (f64::from(step) + GOLDEN_SECTION) / f64::from(steps)
}
