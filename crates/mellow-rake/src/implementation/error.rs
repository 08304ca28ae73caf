//! Why a filter cannot be put on integers.

use crate::convert::ConvertError;
use crate::datapath::{BuildError, DatapathError, Node};
use crate::filter::NotProved;
use crate::fixed::{CoefficientFormat, QuantizeError, WordFormat};
use crate::spec::keyed;

/// Why a filter cannot run on the words that were asked for.
#[derive(Debug, Clone, PartialEq, thiserror::Error)]
#[non_exhaustive]
pub enum ImplementError {
    /// The coefficients do not fit.
    #[error("{0}")]
    Coefficients(#[from] QuantizeError),
    /// Rounding moved a pole out of the unit circle.
    #[error(
        "rounded to {format}, section {} has a pole at radius {radius:.9} and is unstable",
        .section + 1
    )]
    Unstable {
        /// The section, from 0.
        section: usize,
        /// The radius of its outer pole.
        radius: f64,
        /// The format of the coefficients.
        format: WordFormat,
    },
    /// Rounding left nothing of a numerator.
    #[error(
        "rounded to {format}, nothing is left of {place}: all its numerator, or all its taps, are 0"
    )]
    NothingLeft {
        /// The filter or the section, in words.
        place: String,
        /// The format of the coefficients.
        format: WordFormat,
    },
    /// The structure is for filters of another form.
    #[error("\"{found}\" is for {for_what}; this filter has {form}")]
    Structure {
        /// The structure asked for.
        found: &'static str,
        /// What it is for.
        for_what: &'static str,
        /// What the filter has.
        form: &'static str,
    },
    /// The filter has no such form.
    #[error("\"{structure}\": {why}")]
    NoForm {
        /// The structure.
        structure: &'static str,
        /// What is in the way.
        why: ConvertError,
    },
    /// The taps do not let a constant through unchanged.
    #[error(
        "the taps that were designed add up to {sum:.6}, not to 1 within the roundings of {format}: unit_sum \
         is for filters that leave constants as they are (gain = \"unity\" in [method] scales a band to \
         that), with a fraction that an integer 1 fits"
    )]
    UnitSum {
        /// The sum of the designed taps.
        sum: f64,
        /// The format of the coefficients.
        format: WordFormat,
    },
    /// A reflection coefficient was rounded to 1.
    #[error(
        "rounded to {format}, reflection coefficient k{index} of {place} is of size 1: no stable lattice"
    )]
    Reflection {
        /// Its index, from 1.
        index: usize,
        /// The section, in words.
        place: String,
        /// The format of the coefficients.
        format: WordFormat,
    },
    /// Nothing is proved about the states.
    #[error("no bound on the states of \"{structure}\" is proved ({why})")]
    NoBound {
        /// The structure.
        structure: &'static str,
        /// What is in the way.
        why: NotProved,
    },
    /// No word holds the states.
    #[error(
        "the states of \"{structure}\" reach {largest:.3}, which with the output's fraction and two bits \
         more needs {needed} bits, and a word has at most 64"
    )]
    State {
        /// The structure.
        structure: &'static str,
        /// The largest value of a state.
        largest: f64,
        /// Bits that a state needs.
        needed: i32,
    },
    /// A stated accumulator is narrower than what is proved to be needed.
    #[error(
        "{} needs {needed} by the proof; {found} is too narrow",
        .node.map_or("a sum of products".to_owned(), |node| format!("the sum at node n{}", node.0))
    )]
    Accumulator {
        /// The node, as the dump prints it; `None` where there is no multiplier and so no single one.
        node: Option<Node>,
        /// The accumulator that is needed.
        needed: String,
        /// The one that was asked for.
        found: CoefficientFormat,
    },
    /// The structure cannot be built.
    #[error("{0}")]
    Build(#[from] BuildError),
    /// The datapath was refused.
    #[error("{0}")]
    Datapath(#[from] DatapathError),
}

impl ImplementError {
    /// The key of a spec that this is about, as `fixed.coefficients`, or the table.
    pub fn key(&self) -> &'static str {
        match self {
            ImplementError::Coefficients(_)
            | ImplementError::Unstable { .. }
            | ImplementError::NothingLeft { .. }
            | ImplementError::Reflection { .. } => "fixed.coefficients",
            ImplementError::Structure { .. }
            | ImplementError::NoForm { .. }
            | ImplementError::NoBound { .. }
            | ImplementError::State { .. } => "fixed.structure",
            ImplementError::UnitSum { .. } => "fixed.unit_sum",
            ImplementError::Accumulator { .. } => "fixed.accumulator",
            ImplementError::Build(_) | ImplementError::Datapath(_) => "fixed",
        }
    }

    /// What is wrong, behind its key.
    pub fn keyed(&self) -> String {
        keyed(self.key(), self)
    }
}
