//! The format of a filter in floating point, and its structure.

use crate::float::{FloatFormat, FloatStructure};

/// A filter that runs in floating point.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Float {
    /// The format of everything.
    pub format: FloatFormat,
    /// How the filter is arranged.
    pub structure: FloatStructure,
    /// Whether the structure was not given and so was chosen.
    pub is_chosen: bool,
    /// The largest input that is expected: stimuli go up to it, and what is proved holds up to it.
    pub peak: f64,
}

impl Float {
    /// In a format, for inputs up to 1: of sections direct form II transposed, of taps the direct form.
    ///
    /// ```
    /// use mellow_rake::float::{FloatFormat, FloatStructure};
    /// use mellow_rake::spec::Float;
    /// let float = Float::new(FloatFormat::Single, false);
    /// assert_eq!(float.structure, FloatStructure::DirectForm2Transposed);
    /// ```
    pub fn new(format: FloatFormat, has_taps: bool) -> Self {
        let structure = match has_taps {
            true => FloatStructure::FirDirect,
            false => FloatStructure::DirectForm2Transposed,
        };
        Float { format, structure, is_chosen: true, peak: 1.0 }
    }
}
