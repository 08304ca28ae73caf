//! Integer against integer.

/// The first sample at which two outputs differ.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
#[cfg_attr(feature = "serde", derive(serde::Serialize))]
#[non_exhaustive]
pub struct Mismatch {
    /// Its index, from 0.
    pub sample: usize,
    /// The integer that the simulator gives; `None` behind its end.
    pub expected: Option<i64>,
    /// The integer that was found; `None` behind its end.
    pub found: Option<i64>,
}

/// Two outputs compared.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
#[cfg_attr(feature = "serde", derive(serde::Serialize))]
#[non_exhaustive]
pub struct Comparison {
    /// Samples that were compared.
    pub samples: usize,
    /// Samples that differ, a missing or surplus sample counting as different.
    pub differing: usize,
    /// The first of them.
    pub first: Option<Mismatch>,
}

/// Compares what was found with what is expected, sample by sample.
///
/// ```
/// use mellow_rake::verify::compare;
/// assert_eq!(compare(&[1, 2, 3], &[1, 2, 3]).first, None);
/// let first = compare(&[1, 2, 3], &[1, 5]).first.unwrap();
/// assert_eq!((first.sample, first.expected, first.found), (1, Some(2), Some(5)));
/// ```
pub fn compare(expected: &[i64], found: &[i64]) -> Comparison {
    let samples = expected.len().max(found.len());
    let at = |sample: usize| Mismatch {
        sample,
        expected: expected.get(sample).copied(),
        found: found.get(sample).copied(),
    };
    let mut differing = (0..samples).map(at).filter(|pair| pair.expected != pair.found);
    let first = differing.next();
    Comparison { samples, differing: differing.count() + usize::from(first.is_some()), first }
}
