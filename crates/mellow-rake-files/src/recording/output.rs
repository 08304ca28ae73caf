//! How filtered samples are written.

use super::FileFormat;
use crate::{Encoding, Values};
use mellow_rake::fixed::WordFormat;

/// How the output is written.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct OutputForm {
    /// How numbers stand in the file.
    pub encoding: Encoding,
    /// Samples are multiplied by this before.
    pub factor: f64,
    /// Whether the samples before stand beside those after.
    pub has_before: bool,
    /// Whether numbers are written as text.
    pub is_text: bool,
    /// Real numbers have to be rounded to integers.
    limits: Option<(i64, i64)>,
}

impl OutputForm {
    /// For a file format, the encoding that was wished, the format of the words if the samples are words, and
    /// the full scale of the recording that they came from.
    pub fn new(
        wished: Option<Encoding>,
        format: FileFormat,
        words: Option<WordFormat>,
        full_scale: Option<f64>,
    ) -> Self {
        let is_text = matches!(format, FileFormat::Text | FileFormat::Json);
        let own = match (words, format) {
            // An unsigned word needs a bit more as a signed one.
            (Some(word), _) => format.signed(word.width() + u32::from(!word.is_signed())),
            (None, FileFormat::Wav) => Encoding::float(false),
            (None, _) => Encoding::float(true),
        };
        let encoding = wished.unwrap_or(own);
        // In a WAV file the full scale of floating point is 1, of integers 2 to the bits less one; elsewhere
        // numbers are themselves.
        let factor = match (words, full_scale) {
            _ if is_text => 1.0,
            (Some(word), _) if !encoding.is_integer() => word.step(),
            (Some(_), _) => 1.0,
            (None, Some(full_scale)) if format == FileFormat::Wav && !encoding.is_integer() => {
                1.0 / full_scale
            }
            (None, Some(1.0)) if encoding.is_integer() => encoding.full_scale(),
            _ => 1.0,
        };
        let limits = encoding.limits().filter(|_| !is_text);
        OutputForm { encoding, factor, has_before: is_text, is_text, limits }
    }

    /// The samples as they are written; counts those that the encoding cuts off.
    pub fn values(&self, after: &Values, clipped: &mut u64) -> Values {
        let (Values::Reals(samples), Some((low, high))) = (after, self.limits) else {
            return match after {
                _ if self.factor == 1.0 => after.clone(),
                _ => Values::Reals(after.reals().into_iter().map(|y| y * self.factor).collect()),
            };
        };
        let mut word = |y: &f64| {
            let word = (y * self.factor).round_ties_even();
            *clipped += u64::from(word < low as f64 || word > high as f64);
            (word as i64).clamp(low, high)
        };
        Values::Integers(samples.iter().map(&mut word).collect())
    }
}
