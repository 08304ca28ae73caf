//! A filter whose coefficients are numbers of a floating-point format.

use super::FloatStructure;
use crate::filter::{Form, Section, Sections, Taps};

/// A binary format of IEEE 754-2008.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash)]
#[cfg_attr(feature = "serde", derive(serde::Serialize))]
#[non_exhaustive]
pub enum FloatFormat {
    /// binary32: 24 significant bits.
    #[cfg_attr(feature = "serde", serde(rename = "f32"))]
    Single,
    /// binary64: 53 significant bits.
    #[cfg_attr(feature = "serde", serde(rename = "f64"))]
    Double,
}

impl FloatFormat {
    /// All of them.
    pub const ALL: [FloatFormat; 2] = [FloatFormat::Single, FloatFormat::Double];

    /// `"f32"` or `"f64"`.
    pub fn as_str(self) -> &'static str {
        match self {
            FloatFormat::Single => "f32",
            FloatFormat::Double => "f64",
        }
    }

    /// Bits of a number that is not subnormal, the first among them, which is not stored.
    pub fn significant_bits(self) -> u32 {
        match self {
            FloatFormat::Single => f32::MANTISSA_DIGITS,
            FloatFormat::Double => f64::MANTISSA_DIGITS,
        }
    }

    /// Half the distance from 1 to the next number: by so much of itself a result is off at most that is
    /// neither subnormal nor an infinity.
    pub fn unit_roundoff(self) -> f64 {
        match self {
            FloatFormat::Single => f64::from(f32::EPSILON) / 2.0,
            FloatFormat::Double => f64::EPSILON / 2.0,
        }
    }

    /// The smallest number above zero.
    pub fn smallest(self) -> f64 {
        match self {
            FloatFormat::Single => f64::from(f32::from_bits(1)),
            FloatFormat::Double => f64::from_bits(1),
        }
    }

    /// The largest number.
    pub fn largest(self) -> f64 {
        match self {
            FloatFormat::Single => f64::from(f32::MAX),
            FloatFormat::Double => f64::MAX,
        }
    }

    /// The nearest number of the format, ties to even; infinite where there is none.
    pub fn nearest(self, value: f64) -> f64 {
        match self {
            FloatFormat::Single => f64::from(value as f32),
            FloatFormat::Double => value,
        }
    }

    /// The bits of a number of the format as an integer, those of all that is not a number alike.
    pub fn bits(self, value: f64) -> i64 {
        match self {
            FloatFormat::Single if value.is_nan() => 0x7fc0_0000,
            FloatFormat::Single => i64::from((value as f32).to_bits()),
            FloatFormat::Double if value.is_nan() => 0x7ff8_0000_0000_0000,
            FloatFormat::Double => value.to_bits() as i64,
        }
    }

    /// The number with these bits; of the single format the lower 32 count.
    pub fn number(self, bits: i64) -> f64 {
        match self {
            FloatFormat::Single => f64::from(f32::from_bits(bits as u32)),
            FloatFormat::Double => f64::from_bits(bits as u64),
        }
    }
}

impl std::fmt::Display for FloatFormat {
    fn fmt(&self, formatter: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        formatter.write_str(self.as_str())
    }
}

/// Why a filter cannot run in a floating-point format.
#[derive(Debug, Clone, Copy, PartialEq, thiserror::Error)]
#[non_exhaustive]
pub enum FloatError {
    /// Taps in a structure of sections, or the other way round.
    #[error("{} takes {needed}, and the filter has {found}", .structure.as_str())]
    Structure {
        /// The structure.
        structure: FloatStructure,
        /// What it takes.
        needed: &'static str,
        /// What the filter has.
        found: &'static str,
    },
    /// A coefficient beyond the largest number, or none at all.
    #[error("a coefficient is {value}, which is no number of {format}")]
    Coefficient {
        /// The coefficient.
        value: f64,
        /// The format.
        format: FloatFormat,
    },
    /// Rounding the coefficients moves a pole to the unit circle or beyond.
    #[error(
        "section {section}: with coefficients rounded to {format} its poles are at a radius of {radius}, not \
         inside the unit circle; a lower sample rate brings them away from it{}",
        .other.map_or(String::new(), |other| format!(", and {other} keeps them inside"))
    )]
    Unstable {
        /// The section, from 0.
        section: usize,
        /// The format.
        format: FloatFormat,
        /// The larger distance of its poles from the origin.
        radius: f64,
        /// A format in which they stay inside: this was tried.
        other: Option<FloatFormat>,
    },
}

/// A filter in a floating-point format, with its order of operations.
///
/// ```
/// use mellow_rake::Wish;
/// use mellow_rake::float::{FloatFilter, FloatFormat, FloatSimulator, FloatStructure};
/// let lowpass = Wish::lowpass("1 kHz").cutoff("40 Hz").butterworth(4).filter()?;
/// let structure = FloatStructure::DirectForm2Transposed;
/// let single = FloatFilter::new(&lowpass, FloatFormat::Single, structure)?;
/// let step = FloatSimulator::new(&single).run(&[1.0; 300]);
/// assert!((step[299] - 1.0).abs() < 1e-5);
/// # Ok::<(), Box<dyn std::error::Error>>(())
/// ```
#[derive(Debug, Clone, PartialEq)]
pub struct FloatFilter {
    format: FloatFormat,
    structure: FloatStructure,
    rows: Vec<Vec<f64>>,
}

impl FloatFilter {
    /// Rounds the coefficients of a filter to a format.
    ///
    /// # Errors
    /// [`FloatError`] for a structure that is not for this filter, coefficients beyond the format, and poles
    /// that rounding moves out of the unit circle.
    pub fn new(
        form: &Form,
        format: FloatFormat,
        structure: FloatStructure,
    ) -> Result<Self, FloatError> {
        let filter = FloatFilter::with_any_poles(form, format, structure)?;
        if let Form::Sections(sections) = filter.rounded()
            && let Some(section) = sections.0.iter().position(|section| !section.is_stable())
        {
            let radius = sections.0[section].pole_radius();
            let other = FloatFormat::ALL.into_iter().find(|other| {
                other.unit_roundoff() < format.unit_roundoff()
                    && FloatFilter::new(form, *other, structure).is_ok()
            });
            return Err(FloatError::Unstable { section, format, radius, other });
        }
        Ok(filter)
    }

    /// The same wherever the poles are.
    pub(crate) fn with_any_poles(
        form: &Form,
        format: FloatFormat,
        structure: FloatStructure,
    ) -> Result<Self, FloatError> {
        let wrong = |needed, found| FloatError::Structure { structure, needed, found };
        let rows: Vec<Vec<f64>> = match (form, structure) {
            (Form::Taps(taps), FloatStructure::FirDirect) => vec![taps.0.clone()],
            (Form::Taps(_), _) => return Err(wrong("sections", "taps")),
            (Form::Sections(_), FloatStructure::FirDirect) => {
                return Err(wrong("taps", "sections"));
            }
            (Form::Sections(sections), _) => {
                let row = |Section { b, a }: &Section| [&b[..], &a[..]].concat();
                sections.0.iter().map(row).collect()
            }
        };
        if rows.concat().is_empty() {
            return Err(wrong("coefficients", "none"));
        }
        let rounded = |value: &f64| match format.nearest(*value) {
            nearest if nearest.is_finite() => Ok(nearest),
            _ => Err(FloatError::Coefficient { value: *value, format }),
        };
        let row = |row: &Vec<f64>| row.iter().map(rounded).collect();
        let rows = rows.iter().map(row).collect::<Result<_, _>>()?;
        Ok(FloatFilter { format, structure, rows })
    }

    /// The format of coefficients, inputs, outputs and all between.
    pub fn format(&self) -> FloatFormat {
        self.format
    }

    /// The structure.
    pub fn structure(&self) -> FloatStructure {
        self.structure
    }

    /// The coefficients: a row b0, b1, b2, a1, a2 for each section, or one row of taps.
    pub fn rows(&self) -> &[Vec<f64>] {
        &self.rows
    }

    /// The filter that the rounded coefficients make.
    pub fn rounded(&self) -> Form {
        match self.structure {
            FloatStructure::FirDirect => Form::Taps(Taps(self.rows.concat())),
            _ => Form::Sections(Sections(
                self.rows
                    .iter()
                    .map(|row| Section { b: [row[0], row[1], row[2]], a: [row[3], row[4]] })
                    .collect(),
            )),
        }
    }
}
