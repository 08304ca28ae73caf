//! Why a finite impulse response cannot be designed.

use super::{ExchangeError, LeastSquaresError, MinimumPhaseError};
use crate::spec::LARGEST_TAPS;

/// Why a finite impulse response cannot be designed.
#[derive(Debug, Clone, PartialEq, thiserror::Error)]
#[non_exhaustive]
pub enum FirError {
    /// The exchange failed.
    #[error(transparent)]
    Exchange(#[from] ExchangeError),
    /// Least squares failed.
    #[error(transparent)]
    LeastSquares(#[from] LeastSquaresError),
    /// There is no minimum-phase form.
    #[error(transparent)]
    MinimumPhase(#[from] MinimumPhaseError),
    /// So many taps cannot have this response.
    #[error("{found} taps cannot make a {kind} filter: {why}")]
    Parity {
        /// The kind.
        kind: &'static str,
        /// The taps asked for.
        found: usize,
        /// What is in the way.
        why: &'static str,
    },
    /// The number of taps is out of range.
    #[error("{found} is out of range: {least} to {LARGEST_TAPS}")]
    Taps {
        /// The taps asked for.
        found: usize,
        /// The fewest.
        least: usize,
    },
    /// The kind or method needs a number of taps.
    #[error("\"minimum\" needs {needs}; otherwise give a number")]
    NoTemplate {
        /// What a smallest number of taps is found by.
        needs: &'static str,
    },
    /// The method is not there for this kind.
    #[error("\"{method}\" is not there for kind \"{kind}\"; there is: {there}")]
    Method {
        /// The method.
        method: &'static str,
        /// The kind.
        kind: &'static str,
        /// What is there.
        there: &'static str,
    },
    /// A method needs other edges.
    #[error("\"{method}\" needs {needs}")]
    Edges {
        /// The method.
        method: &'static str,
        /// What it needs.
        needs: &'static str,
    },
    /// There is a weight too many or too few.
    #[error("{found} weights for {bands} bands; give one for each, in rising frequency")]
    Weights {
        /// Weights given.
        found: usize,
        /// Bands.
        bands: usize,
    },
    /// A number is out of range.
    #[error("found {found}; accepted: {accepted}")]
    Range {
        /// The key.
        key: &'static str,
        /// What was found.
        found: f64,
        /// What would be accepted.
        accepted: String,
    },
    /// The effort ended before a number of taps was found that keeps the template.
    #[error(
        "the search for the fewest taps ({method}) ended before {taps} were tried; of those tried none \
            keeps the template{more}"
    )]
    Effort {
        /// The method.
        method: String,
        /// What would have been tried next.
        taps: usize,
        /// How more is asked for.
        more: String,
    },
    /// No number of taps up to the largest keeps the template.
    #[error("no {method} design up to {most} taps keeps this template{reached}")]
    OutOfReach {
        /// The method.
        method: String,
        /// The most taps of the search.
        most: usize,
        /// How far it got.
        reached: String,
    },
}

impl FirError {
    /// The key of a spec that this is about, where it is one.
    pub fn key(&self) -> Option<&'static str> {
        match self {
            FirError::Parity { .. } | FirError::Taps { .. } | FirError::NoTemplate { .. } => {
                Some("method.taps")
            }
            FirError::LeastSquares(LeastSquaresError::TooLong { .. }) => Some("method.taps"),
            FirError::Method { .. } => Some("method.design"),
            FirError::Edges { .. } => Some("want"),
            FirError::Weights { .. } => Some("method.weights"),
            FirError::Range { key, .. } => Some(key),
            _ => None,
        }
    }
}
