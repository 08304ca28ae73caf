//! From a filter in f64 to the integer program that stands for it, with what rounding its coefficients did.

use crate::convert::{CoupledSection, coupled};
use crate::datapath::{
    BuildError, Checked, Datapath, DatapathError, Drive, LinearDatapath, NoisePrediction,
    SectionWords, StateWords, direct_form_1, direct_form_1_shaped, direct_form_1_transposed,
    direct_form_2, direct_form_2_transposed, fir_direct, fir_transposed, state_space,
};
use crate::filter::{Decay, Difference, Form, NotProved, PeakGain, Section, Sections, Taps};
use crate::fixed::{QuantizeError, RoundedTable, WordFormat, round_coefficients};
use crate::spec::{Fixed, Structure};

/// A filter on integers, beside the one that was designed.
#[derive(Debug, Clone)]
pub struct Implementation {
    /// The words that were asked for.
    pub fixed: Fixed,
    /// The coefficients as integers: one row per section, b0, b1, b2, a1, a2, of the coupled form a11, a12, b1, a21, a22, b2, c1, c2, d; or
    /// one row of taps.
    pub table: RoundedTable,
    /// The format of what is remembered, and why it is that one, where the structure has states.
    pub state: Option<ChosenState>,
    /// The filter with these coefficients, in f64.
    pub rounded: Form,
    /// The integer program.
    pub checked: Checked,
    /// What is expected of its errors, or why nothing can be said about them.
    pub predictions: Result<Predictions, NotProved>,
}

/// The format of states.
#[derive(Debug, Clone, PartialEq)]
pub struct ChosenState {
    /// The format.
    pub format: WordFormat,
    /// The largest value that a state can reach, by the l1 norms of the paths to them; roundings come on top.
    pub largest: f64,
    /// Whether it was chosen, or given.
    pub is_chosen: bool,
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
    /// No word holds the states.
    #[error(
        "key `fixed.structure`: the states of \"{structure}\" reach {largest:.3e}, which with the output's fraction and two bits more needs \
         {needed} bits; direct-form-1 remembers nothing larger than its output"
    )]
    State {
        /// The structure.
        structure: &'static str,
        /// The largest value of a state.
        largest: f64,
        /// Bits that a state needs.
        needed: i32,
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
    let wrong_form = |for_what, form, would_do: Structure| ImplementError::Structure {
        found: structure.as_str(),
        for_what,
        form,
        would_do: would_do.as_str(),
    };
    let mut chosen = None;
    let (table, rounded, datapath) = match designed {
        Form::Taps(_) if !structure.is_for_taps() => {
            return Err(wrong_form("recursive sections", "taps", Structure::FirDirect));
        }
        Form::Sections(_) if structure.is_for_taps() => {
            let for_what = "finite impulse responses";
            return Err(wrong_form(for_what, "recursive sections", Structure::DirectForm1));
        }
        Form::Taps(taps) => {
            let table = round_coefficients(std::slice::from_ref(&taps.0), fixed.coefficients)?;
            let value = |tap: &i64| table.format.value(*tap);
            let rounded = Taps(table.rows[0].iter().map(value).collect());
            let datapath = match structure {
                Structure::FirTransposed if taps.0.len() > 1 => {
                    fir_transposed(&table, input, output, rounding, overflow)?
                }
                _ => fir_direct(&table, input, output, rounding, overflow)?,
            };
            (table, Form::Taps(rounded), datapath)
        }
        Form::Sections(sections) if structure == Structure::Coupled => {
            let rows: Vec<Vec<f64>> =
                sections.0.iter().map(|section| coupled(section).row().to_vec()).collect();
            let table = round_coefficients(&rows, fixed.coefficients)?;
            let values = |row: &Vec<i64>| -> CoupledSection {
                let value = |k: usize| table.format.value(row[k]);
                CoupledSection::from_row(std::array::from_fn(value))
            };
            let coupled: Vec<CoupledSection> = table.rows.iter().map(values).collect();
            let rounded = Sections(coupled.iter().map(CoupledSection::section).collect());
            check_stable(&rounded, table.format)?;
            let levels = coupled.iter().flat_map(CoupledSection::to_states);
            let state = state_format(fixed, sections.0.len(), levels)?;
            let datapath = build_sections(&table, fixed, state.format)?;
            chosen = Some(state);
            (table, Form::Sections(rounded), datapath)
        }
        Form::Sections(sections) => {
            let (table, rounded) = round_sections(sections, fixed)?;
            if structure.has_state() {
                let poles = rounded.0.iter().map(|s| Section { b: [1.0, 0.0, 0.0], a: s.a });
                chosen = Some(state_format(fixed, sections.0.len(), poles)?);
            }
            let state = chosen.as_ref().map_or(output, |state| state.format);
            let datapath = build_sections(&table, fixed, state)?;
            (table, Form::Sections(rounded), datapath)
        }
    };
    let checked = datapath.check()?;
    let predictions = predict(&checked, designed);
    Ok(Implementation { fixed, table, state: chosen, rounded, checked, predictions })
}

/// The program of sections.
fn build_sections(
    table: &RoundedTable,
    fixed: Fixed,
    state: WordFormat,
) -> Result<Datapath, BuildError> {
    let Fixed { input, output, rounding, overflow, .. } = fixed;
    let words = SectionWords { input, output, rounding, overflow };
    let state = StateWords { sections: words, state };
    match fixed.structure {
        Structure::ErrorFeedback1 => direct_form_1_shaped(table, words, 1),
        Structure::ErrorFeedback2 => direct_form_1_shaped(table, words, 2),
        Structure::DirectForm1Transposed => direct_form_1_transposed(table, state),
        Structure::DirectForm2 => direct_form_2(table, state),
        Structure::DirectForm2Transposed => direct_form_2_transposed(table, words),
        Structure::Coupled => state_space(table, state),
        _ => direct_form_1(table, words),
    }
}

impl Implementation {
    /// One section of a cascade by itself, with the words that it has there; `None` for taps and where there is no such section.
    pub fn section(&self, index: usize) -> Option<Checked> {
        if self.fixed.structure.is_for_taps() {
            return None;
        }
        let row = self.table.rows.get(index)?.clone();
        let table = RoundedTable { format: self.table.format, rows: vec![row] };
        let mut fixed = self.fixed;
        if self.table.rows.len() > 1 {
            fixed.input = fixed.output;
        }
        let state = self.state.as_ref().map_or(fixed.output, |state| state.format);
        build_sections(&table, fixed, state).ok()?.check().ok()
    }
}

/// The format that was given for the states; or two fraction bits more than the output, whose rounding they must not add to, and as many
/// whole bits as the largest of them needs.
fn state_format(
    fixed: Fixed,
    sections: usize,
    paths: impl Iterator<Item = Section>,
) -> Result<ChosenState, ImplementError> {
    let incoming = if sections > 1 { fixed.output } else { fixed.input };
    let size = -incoming.minimum() as f64;
    let size = size.max(incoming.maximum() as f64) * incoming.step();
    let largest = size * paths.map(|path| path.l1_norm()).fold(0.0, f64::max);
    if let Some(format) = fixed.state {
        return Ok(ChosenState { format, largest, is_chosen: false });
    }
    let fraction = fixed.output.fraction() + 2;
    // A little more than the norm, for the roundings.
    let whole = libm::ceil(libm::log2((largest * 1.001).max(1e-300))) as i32;
    let needed = (1 + whole + fraction).max(2);
    let format = u32::try_from(needed).ok().filter(|width| *width <= 48);
    let format = format.and_then(|width| WordFormat::new(true, width, fraction).ok());
    let structure = fixed.structure.as_str();
    let format = format.ok_or(ImplementError::State { structure, largest, needed })?;
    Ok(ChosenState { format, largest, is_chosen: true })
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
    check_stable(&rounded, table.format)?;
    Ok((table, rounded))
}

fn check_stable(rounded: &Sections, format: WordFormat) -> Result<(), ImplementError> {
    match rounded.0.iter().position(|section| !section.is_stable()) {
        None => Ok(()),
        Some(section) => {
            let radius = rounded.0[section].pole_radius();
            Err(ImplementError::Unstable { section, radius, format })
        }
    }
}

fn predict(checked: &Checked, designed: &Form) -> Result<Predictions, NotProved> {
    let noise = checked.facts().bounds().as_ref().map_err(|why| *why)?.noise;
    let first = LinearDatapath::new(checked, Drive::Input);
    let mut difference = Difference { first, second: designed.clone() };
    let decay = Decay::prove(&mut difference)?;
    let coefficient_error = decay.impulse(&mut difference).pop().unwrap_or_default();
    Ok(Predictions { noise, coefficient_error })
}
