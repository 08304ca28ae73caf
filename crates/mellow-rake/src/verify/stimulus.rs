//! What a filter is tried on.

use crate::datapath::Checked;
use crate::filter::PeakGain;
use crate::fixed::WordFormat;
use crate::random::NoiseSource;

/// An input signal with a name, in integers of the input format.
#[derive(Debug, Clone, PartialEq, Eq)]
#[non_exhaustive]
pub struct Stimulus {
    /// What it is.
    pub name: &'static str,
    /// The samples.
    pub samples: Vec<i64>,
    /// Whether the wished signal-to-error ratio applies to it: signals that look like work, not the
    /// single impulses and the silence after them.
    pub is_signal: bool,
}

/// The longest stimulus that is made up, in samples: the signs of the worst case, up and down.
pub const LONGEST_MADE_UP: usize = 2 * LONGEST;

/// The longest of the others, in samples.
const LONGEST: usize = 16_384;
/// The shortest.
const SHORTEST: usize = 512;
/// The name of the stimulus that is not made up.
pub(crate) const RECORDING: &str = "recording";
const NOISE_SEED: u64 = 0x4d65_6c6c_6f77;

/// The stimuli for a datapath: the recording, if there is one, and those made up. Without the impulse
/// response `gain` there is no worst case.
///
/// Impulses and steps last until the impulse response `gain` has died away, within 512 to 16,384 samples. The
/// worst case is the sign sequence that drives the output to its l1 bound, once up and once down.
pub fn stimuli(
    checked: &Checked,
    gain: Option<&PeakGain>,
    recording: Option<&[i64]>,
) -> Vec<Stimulus> {
    let recording = recording.map(|recording| {
        let samples = recording.to_vec();
        Stimulus { name: RECORDING, samples, is_signal: true }
    });
    recording.into_iter().chain(shapes(checked.input(), gain)).collect()
}

/// The stimuli that are made up, in words of a format.
pub(super) fn shapes(format: WordFormat, gain: Option<&PeakGain>) -> Vec<Stimulus> {
    let (low, high) = (format.minimum() as i64, format.maximum() as i64);
    let length = gain.map_or(LONGEST, |gain| gain.response().len().clamp(SHORTEST, LONGEST));
    let signal = |name, samples| Stimulus { name, samples, is_signal: true };
    let pattern = |name, samples| Stimulus { name, samples, is_signal: false };
    let mut all = Vec::new();
    let mut noise = NoiseSource::new(NOISE_SEED);
    let quiet = (0..8192).map(|_| noise.integer(low / 2, high / 2)).collect();
    all.push(signal("white noise, half scale", quiet));
    all.push(pattern(
        "white noise, full scale",
        (0..8192).map(|_| noise.integer(low, high)).collect(),
    ));
    let mut impulse = vec![0; length];
    impulse[0] = high;
    all.push(pattern("impulse", impulse));
    all.push(pattern("step", vec![high; length]));
    let square = |n: usize| {
        if (n / 32).is_multiple_of(2) { high } else { low }
    };
    all.push(pattern("full-scale square", (0..length.max(2048)).map(square).collect()));
    all.push(pattern("all minimum", vec![low; length]));
    if let Some(gain) = gain {
        let response = &gain.response()[..gain.response().len().min(LONGEST)];
        let sign = |h: &f64| if *h >= 0.0 { high } else { low };
        let worst: Vec<i64> = response.iter().rev().map(sign).collect();
        let mirrored: Vec<i64> =
            worst.iter().map(|&x| if x == high { low } else { high }).collect();
        all.push(pattern("worst-case signs", worst.into_iter().chain(mirrored).collect()));
    }
    all
}
