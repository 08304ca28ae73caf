//! How strong a recording is.

/// Levels of a recording, in its own unit.
#[derive(Debug, Clone, Copy, PartialEq)]
#[cfg_attr(feature = "serde", derive(serde::Serialize))]
#[non_exhaustive]
pub struct Levels {
    /// The lowest sample.
    pub lowest: f64,
    /// The highest sample.
    pub highest: f64,
    /// The mean.
    pub mean: f64,
    /// The root of the mean square about the mean.
    pub rms: f64,
    /// The largest distance from the mean over the rms; 0 for a constant.
    pub crest_factor: f64,
    /// Samples that stand at the lowest or the highest value, three or more in a row: where the recording was
    /// cut off. Two can be the top of a smooth wave.
    pub clipped: usize,
    /// The longest run of them.
    pub longest_clip: usize,
}

/// Measures the levels of a signal; `None` for an empty one.
///
/// ```
/// use mellow_rake::signal::measure_levels;
/// let cut = measure_levels(&[0.0, 1.0, 1.0, 1.0, 0.0, -0.5, 0.0]).unwrap();
/// assert_eq!((cut.highest, cut.clipped, cut.longest_clip), (1.0, 3, 3));
/// assert_eq!(measure_levels(&[]), None);
/// ```
pub fn measure_levels(signal: &[f64]) -> Option<Levels> {
    let lowest = signal.iter().copied().reduce(f64::min)?;
    let highest = signal.iter().copied().reduce(f64::max)?;
    let count = signal.len() as f64;
    let mean = signal.iter().sum::<f64>() / count;
    let square = signal.iter().map(|x| (x - mean) * (x - mean)).sum::<f64>() / count;
    let rms = libm::sqrt(square);
    let far = (highest - mean).max(mean - lowest);
    let (mut clipped, mut longest_clip, mut run) = (0, 0, 0);
    // A constant is not cut off.
    let is_end = |x: f64| highest > lowest && (x == lowest || x == highest);
    for (n, x) in signal.iter().enumerate() {
        run = if is_end(*x) && n > 0 && signal[n - 1] == *x {
            run + 1
        } else {
            usize::from(is_end(*x))
        };
        clipped += match run {
            0..3 => 0,
            3 => 3,
            _ => 1,
        };
        if run > 2 {
            longest_clip = longest_clip.max(run);
        }
    }
    let crest_factor = if rms > 0.0 { far / rms } else { 0.0 };
    Some(Levels { lowest, highest, mean, rms, crest_factor, clipped, longest_clip })
}
