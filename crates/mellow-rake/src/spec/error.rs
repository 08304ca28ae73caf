//! What can be wrong with a spec, and where.

use super::NameError;
use crate::fixed::{FormatError, QuantizeError};
use crate::units::QuantityError;

/// Something wrong in a spec, with its place.
#[derive(Debug, Clone, PartialEq, thiserror::Error)]
#[error("{}: {problem}", place(*.line, *.column, .key))]
#[non_exhaustive]
pub struct SpecError {
    /// Line, from 1; 0 of a wish that was said without a text.
    pub line: usize,
    /// Column in characters, from 1.
    pub column: usize,
    /// The key with its tables, as `want.center`; empty where no key can be named.
    pub key: String,
    /// What is wrong.
    pub problem: Box<Problem>,
}

fn place(line: usize, column: usize, key: &str) -> String {
    match (line, key.is_empty()) {
        (0, _) => format!("key `{key}`"),
        (_, true) => format!("line {line}, column {column}"),
        (_, false) => format!("line {line}, column {column}, key `{key}`"),
    }
}

/// What is wrong.
#[derive(Debug, Clone, PartialEq, thiserror::Error)]
#[non_exhaustive]
pub enum Problem {
    /// The text is not TOML.
    #[error("not valid TOML: {message}")]
    Toml {
        /// What the TOML parser says.
        message: String,
    },
    /// The key means nothing here.
    #[error("unknown key{}; accepted here: {accepted}", hint(.nearest))]
    UnknownKey {
        /// The known key most like it.
        nearest: Option<&'static str>,
        /// All keys known here.
        accepted: String,
    },
    /// A key is missing.
    #[error("missing; accepted: {accepted}")]
    Missing {
        /// What would be accepted.
        accepted: &'static str,
    },
    /// The value is of another TOML type.
    #[error("found {found}; accepted: {accepted}")]
    Type {
        /// What was found.
        found: String,
        /// What would be accepted.
        accepted: &'static str,
    },
    /// A quantity could not be read.
    #[error(transparent)]
    Quantity(#[from] QuantityError),
    /// A word format could not be read.
    #[error(transparent)]
    Format(#[from] FormatError),
    /// A coefficient format could not be read.
    #[error(transparent)]
    Coefficients(#[from] QuantizeError),
    /// The name is no identifier.
    #[error(transparent)]
    Name(#[from] NameError),
    /// A word that is not one of a list.
    #[error("found \"{found}\"{}; accepted: {accepted}", hint(.nearest))]
    Choice {
        /// What was found.
        found: String,
        /// The accepted word most like it.
        nearest: Option<&'static str>,
        /// What would be accepted.
        accepted: String,
    },
    /// A value outside its range.
    #[error("found {found}; accepted: {accepted}")]
    Range {
        /// What was found.
        found: String,
        /// What would be accepted.
        accepted: String,
    },
    /// A chain of stages where one filter is wanted.
    #[error(
        "makes this a chain of stages at several rates, which is designed and run in floating point; here \
         the spec of one filter is wanted, with a table [want]"
    )]
    Chain,
    /// Two keys that exclude each other.
    #[error("stands beside `{other}`; give one of the two")]
    Both {
        /// The other key.
        other: &'static str,
    },
}

fn hint(nearest: &Option<&'static str>) -> String {
    nearest.map_or(String::new(), |key| format!(" (did you mean `{key}`?)"))
}
