//! What a command can come to.

use mellow_rake::spec::SpecError;
use mellow_rake::study::{ChainStudyError, StudyError};
use mellow_rake::write::WriteError;
use mellow_rake_figures::FigureError;
use mellow_rake_files::{CurveError, RecordingError, SampleError, WriteFileError};
use mellow_rake_rig::RigError;
use std::path::PathBuf;

/// A command that did its work.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) enum Outcome {
    /// Every check held.
    Held,
    /// A check failed.
    Missed,
}

impl Outcome {
    pub(crate) fn of(held: bool) -> Self {
        if held { Outcome::Held } else { Outcome::Missed }
    }
}

/// Why a command could not do its work: the input or the call is wrong.
#[derive(Debug, thiserror::Error)]
pub(crate) enum Failure {
    #[error("{path}: {error}")]
    Spec { path: PathBuf, error: SpecError },
    #[error("{path}: {error}")]
    Study { path: PathBuf, error: Box<StudyError> },
    #[error("{path}: {error}")]
    Chain { path: PathBuf, error: Box<ChainStudyError> },
    #[error(
        "{path}: there is no table [fixed]{}; {needs} needs the words that the filter runs on (`mrake new \
            notch` shows one)", .or.unwrap_or("")
    )]
    NoWords { path: PathBuf, needs: &'static str, or: Option<&'static str> },
    #[error("{path}: {error}")]
    Curve { path: PathBuf, error: CurveError },
    #[error(transparent)]
    Recording(Box<RecordingError>),
    #[error(transparent)]
    Sample(#[from] Box<SampleError>),
    #[error(transparent)]
    Write(#[from] WriteError),
    #[error(transparent)]
    Rig(#[from] RigError),
    #[error(transparent)]
    Figure(#[from] FigureError),
    #[error(transparent)]
    WriteFile(#[from] WriteFileError),
    #[error("{path}: {source}")]
    Read { path: PathBuf, source: std::io::Error },
    #[error("{0}")]
    Call(String),
    #[error("standard output: {0}")]
    Output(#[from] std::io::Error),
    #[error("the JSON object could not be made: {0}")]
    Json(#[from] serde_json::Error),
}

impl From<RecordingError> for Failure {
    fn from(error: RecordingError) -> Self {
        Failure::Recording(Box::new(error))
    }
}
