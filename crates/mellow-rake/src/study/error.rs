//! Why there is no study.

use crate::design::{DesignAdvice, DesignError};
use crate::float::FloatError;
use crate::hardware::HardwareError;
use crate::implementation::{Advice, ImplementError};
use crate::spec::{SpecError, SpecPlace, keyed};
use crate::write::WriteError;
use std::fmt::{self, Display};

/// Why a spec gives no filter, or no integers.
#[derive(Debug, Clone, PartialEq)]
#[non_exhaustive]
pub enum StudyError {
    /// The text is no spec.
    Spec(Box<SpecError>),
    /// The file of coefficients that it names is none.
    Coefficients {
        /// Where it is named.
        place: SpecPlace,
        /// What is wrong.
        what: String,
    },
    /// Nothing can be designed.
    Design {
        /// Where the wish stands, if it stands in a text.
        place: Option<SpecPlace>,
        /// What is wrong.
        error: Box<DesignError>,
        /// What would do, as tried.
        advice: Option<Box<DesignAdvice>>,
    },
    /// The words cannot carry the filter.
    Implement {
        /// Where they stand, if they stand in a text.
        place: Option<SpecPlace>,
        /// What is wrong.
        error: Box<ImplementError>,
        /// What would do, as tried.
        advice: Option<Box<Advice>>,
    },
    /// The format cannot carry the filter.
    Float {
        /// Where it stands, if it stands in a text.
        place: Option<SpecPlace>,
        /// What is wrong.
        error: FloatError,
    },
    /// The hardware that is wished for cannot do it.
    Hardware {
        /// Where it stands, if it stands in a text.
        place: Option<SpecPlace>,
        /// What is wrong.
        error: HardwareError,
    },
    /// A reference for a recording that is shorter than it.
    Reference {
        /// Samples of the reference.
        found: usize,
        /// Samples that it must have.
        needed: usize,
    },
    /// The spec has no words, and integers are wanted.
    NoWords,
    /// A language cannot say it.
    Write(WriteError),
}

impl StudyError {
    /// The keys of the spec that this may be about, the most likely first.
    pub fn keys(&self) -> Vec<String> {
        match self {
            StudyError::Spec(error) => vec![error.key.clone()],
            StudyError::Coefficients { place, .. } => vec![place.key.clone()],
            StudyError::Design { error, .. } => error.keys(),
            StudyError::Implement { error, .. } => vec![error.key().to_owned()],
            StudyError::Float { .. } => vec!["float.format".to_owned()],
            StudyError::Hardware { error, .. } => vec![error.key().to_owned()],
            StudyError::Reference { .. } => Vec::new(),
            StudyError::NoWords | StudyError::Write(_) => vec!["fixed".to_owned()],
        }
    }
}

impl Display for StudyError {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        let keys = self.keys();
        let refused = |place: &Option<SpecPlace>, error: &dyn Display, change: Option<&str>| {
            let what = match (place, keys.first()) {
                (Some(place), _) => place.refusal(error),
                (None, Some(key)) => keyed(key, error),
                (None, None) => error.to_string(),
            };
            what + &change.map_or(String::new(), |change| format!("; {change} would do"))
        };
        match self {
            StudyError::Spec(error) => error.fmt(f),
            StudyError::Coefficients { place, what } => {
                write!(f, "{place}, key `{}`: {what}", place.key)
            }
            StudyError::Design { place, error, advice } => {
                let change = advice.as_ref().map(|advice| advice.change.as_str());
                f.write_str(&refused(place, error, change))
            }
            StudyError::Implement { place, error, advice } => {
                let change = advice.as_ref().map(|advice| advice.change.as_str());
                f.write_str(&refused(place, error, change))
            }
            StudyError::Float { place, error } => f.write_str(&refused(place, error, None)),
            StudyError::Hardware { place, error } => f.write_str(&refused(place, error, None)),
            StudyError::Write(error) => error.fmt(f),
            StudyError::Reference { found, needed } => write!(
                f,
                "the reference has {found} samples; {needed} are needed, one for each of the recording"
            ),
            StudyError::NoWords => f.write_str(
                "there is no table [fixed], which has the words that the filter runs on",
            ),
        }
    }
}

impl std::error::Error for StudyError {}
