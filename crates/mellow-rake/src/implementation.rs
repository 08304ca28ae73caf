//! From a filter in f64 to the integer program that stands for it, with what rounding its coefficients did.

use crate::datapath::{
    BuildError, Checked, DatapathError, Drive, LinearDatapath, NoisePrediction, SectionWords,
    direct_form_1, fir_direct,
};
use crate::filter::{Decay, Difference, Form, NotProved, PeakGain, Section, Sections, Taps};
use crate::fixed::{QuantizeError, RoundedTable, round_coefficients};
use crate::spec::{Fixed, Structure};

/// A filter on integers, beside the one that was designed.
#[derive(Debug, Clone)]
pub struct Implementation {
    /// The words that were asked for.
    pub fixed: Fixed,
    /// The coefficients as integers: one row per section, b0, b1, b2, a1, a2; or one row of taps.
    pub table: RoundedTable,
    /// The filter with these coefficients, in f64.
    pub rounded: Form,
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
    /// The structure is for filters of another form.
    #[error(
        "key `fixed.structure`: \"{found}\" is for {for_what}; this filter has {form}: \"{would_do}\" would do"
    )]
    Structure {
        /// The structure asked for.
        found: &'static str,
        /// What it is for.
        for_what: &'static str,
        /// What the filter has.
        form: &'static str,
        /// What would do.
        would_do: &'static str,
    },
    /// The structure cannot be built.
    #[error("table `fixed`: {0}")]
    Build(#[from] BuildError),
    /// The datapath was refused.
    #[error("table `fixed`: {0}")]
    Datapath(#[from] DatapathError),
}

/// Puts a designed filter on integers.
///
/// # Errors
/// [`ImplementError`] names the key and what would fit.
pub fn implement(designed: &Form, fixed: Fixed) -> Result<Implementation, ImplementError> {
    let Fixed { input, output, rounding, overflow, structure, .. } = fixed;
    let (table, rounded, datapath) = match (designed, structure) {
        (Form::Sections(sections), Structure::DirectForm1) => {
            let (table, rounded) = round_sections(sections, fixed)?;
            let words = SectionWords { input, output, rounding, overflow };
            let datapath = direct_form_1(&table, words)?;
            (table, Form::Sections(rounded), datapath)
        }
        (Form::Taps(taps), Structure::FirDirect) => {
            let table = round_coefficients(std::slice::from_ref(&taps.0), fixed.coefficients)?;
            let value = |tap: &i64| table.format.value(*tap);
            let rounded = Taps(table.rows[0].iter().map(value).collect());
            let datapath = fir_direct(&table, input, output, rounding, overflow)?;
            (table, Form::Taps(rounded), datapath)
        }
        (Form::Sections(_), Structure::FirDirect) => {
            return Err(ImplementError::Structure {
                found: structure.as_str(),
                for_what: "finite impulse responses",
                form: "recursive sections",
                would_do: Structure::DirectForm1.as_str(),
            });
        }
        (Form::Taps(_), Structure::DirectForm1) => {
            return Err(ImplementError::Structure {
                found: structure.as_str(),
                for_what: "recursive sections",
                form: "taps",
                would_do: Structure::FirDirect.as_str(),
            });
        }
    };
    let checked = datapath.check()?;
    let predictions = predict(&checked, designed);
    Ok(Implementation { fixed, table, rounded, checked, predictions })
}

/// Sections with rounded coefficients, which must still be stable.
fn round_sections(
    sections: &Sections,
    fixed: Fixed,
) -> Result<(RoundedTable, Sections), ImplementError> {
    let rows: Vec<Vec<f64>> =
        sections.0.iter().map(|Section { b, a }| b.iter().chain(a).copied().collect()).collect();
    let table = round_coefficients(&rows, fixed.coefficients)?;
    let value = |row: &Vec<i64>, column: usize| table.format.value(row[column]);
    let section = |row: &Vec<i64>| Section {
        b: [value(row, 0), value(row, 1), value(row, 2)],
        a: [value(row, 3), value(row, 4)],
    };
    let rounded = Sections(table.rows.iter().map(section).collect());
    if let Some(section) = rounded.0.iter().position(|section| !section.is_stable()) {
        let radius = rounded.0[section].pole_radius();
        return Err(ImplementError::Unstable { section, radius, format: table.format });
    }
    Ok((table, rounded))
}

fn predict(checked: &Checked, designed: &Form) -> Result<Predictions, NotProved> {
    let noise = checked.facts().bounds().as_ref().map_err(|why| *why)?.noise;
    let first = LinearDatapath::new(checked, Drive::Input);
    let mut difference = Difference { first, second: designed.clone() };
    let decay = Decay::prove(&mut difference)?;
    let coefficient_error = decay.impulse(&mut difference).pop().unwrap_or_default();
    Ok(Predictions { noise, coefficient_error })
}
