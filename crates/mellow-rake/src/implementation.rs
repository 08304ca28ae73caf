//! From a filter in f64 to the integer program that stands for it, with what rounding its coefficients did.

use crate::datapath::{
    BuildError, Checked, DatapathError, Drive, LinearDatapath, NoisePrediction, SectionWords,
    direct_form_1,
};
use crate::filter::{Decay, Difference, NotProved, PeakGain, Section, Sections};
use crate::fixed::{QuantizeError, RoundedTable, round_coefficients};
use crate::spec::{Fixed, Structure};

/// A filter on integers, beside the one that was designed.
#[derive(Debug, Clone)]
pub struct Implementation {
    /// The words that were asked for.
    pub fixed: Fixed,
    /// The coefficients as integers, one row per section: b0, b1, b2, a1, a2.
    pub table: RoundedTable,
    /// The filter with these coefficients, in f64.
    pub rounded: Sections,
    /// The integer program.
    pub checked: Checked,
    /// What is expected of its errors, or why nothing can be said about them.
    pub predictions: Result<Predictions, NotProved>,
}

/// What is expected of the errors of an implementation.
#[derive(Debug, Clone)]
pub struct Predictions {
    /// What its roundings are expected to add.
    pub noise: NoisePrediction,
    /// Impulse response of the rounded less the designed filter.
    pub coefficient_error: PeakGain,
}

/// Why a filter cannot run on the words that were asked for.
#[derive(Debug, Clone, PartialEq, thiserror::Error)]
#[non_exhaustive]
pub enum ImplementError {
    /// The coefficients do not fit.
    #[error("key `fixed.coefficients`: {0}")]
    Coefficients(#[from] QuantizeError),
    /// Rounding moved a pole out of the unit circle.
    #[error(
        "key `fixed.coefficients`: rounded to {format}, section {section} has a pole at radius {radius:.9} and is \
         unstable; more coefficient bits are needed"
    )]
    Unstable {
        /// The section, from 0.
        section: usize,
        /// The radius of its outer pole.
        radius: f64,
        /// The format of the coefficients.
        format: crate::fixed::WordFormat,
    },
    /// The structure cannot be built.
    #[error("table `fixed`: {0}")]
    Build(#[from] BuildError),
    /// The datapath was refused.
    #[error("table `fixed`: {0}")]
    Datapath(#[from] DatapathError),
}

/// Puts a designed filter, given as sections, on integers.
///
/// # Errors
/// [`ImplementError`] names the key and what would fit.
pub fn implement(sections: &Sections, fixed: Fixed) -> Result<Implementation, ImplementError> {
    let rows: Vec<Vec<f64>> =
        sections.0.iter().map(|Section { b, a }| b.iter().chain(a).copied().collect()).collect();
    let table = round_coefficients(&rows, fixed.coefficients)?;
    let value = |row: &Vec<i64>, column: usize| table.format.value(row[column]);
    let rounded = Sections(
        table
            .rows
            .iter()
            .map(|row| Section {
                b: [value(row, 0), value(row, 1), value(row, 2)],
                a: [value(row, 3), value(row, 4)],
            })
            .collect(),
    );
    if let Some(section) = rounded.0.iter().position(|section| !section.is_stable()) {
        let radius = rounded.0[section].pole_radius();
        return Err(ImplementError::Unstable { section, radius, format: table.format });
    }
    let Fixed { input, output, rounding, overflow, .. } = fixed;
    let words = SectionWords { input, output, rounding, overflow };
    let checked = match fixed.structure {
        Structure::DirectForm1 => direct_form_1(&table, words)?,
    }
    .check()?;
    let predictions = predict(&checked, sections);
    Ok(Implementation { fixed, table, rounded, checked, predictions })
}

fn predict(checked: &Checked, sections: &Sections) -> Result<Predictions, NotProved> {
    let noise = checked.facts().bounds().as_ref().map_err(|why| *why)?.noise;
    let first = LinearDatapath::new(checked, Drive::Input);
    let mut difference = Difference { first, second: sections.clone() };
    let decay = Decay::prove(&mut difference)?;
    let coefficient_error = decay.impulse(&mut difference).pop().unwrap_or_default();
    Ok(Predictions { noise, coefficient_error })
}
