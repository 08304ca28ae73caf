//! What came of running generated text on targets.

use super::{Comparison, ReferenceError, Stimulus, judge, stimuli};
use crate::filter::Form;
use crate::float::FloatFormat;
use crate::implementation::Implementation;
use crate::units::Level;

/// All that was found out.
#[derive(Debug, Clone, PartialEq)]
#[cfg_attr(feature = "serde", derive(serde::Serialize))]
#[non_exhaustive]
pub struct Proof {
    /// The simulator against floating point, stimulus by stimulus.
    pub stimuli: Vec<StimulusResult>,
    /// What runs against the simulator, target by target.
    pub targets: Vec<TargetResult>,
    /// The least signal-to-error ratio that the spec asks for, in decibels.
    pub min_ser_db: Option<f64>,
    /// The format, of a filter in floating point: words are the bits of numbers then, and a step is that of
    /// the format at 1.
    #[cfg_attr(feature = "serde", serde(skip_serializing_if = "Option::is_none"))]
    pub float: Option<FloatFormat>,
    /// Why no bound could be proved and no worst case made, if so.
    pub no_bound: Option<String>,
    /// Every check that was run held.
    pub held: bool,
    /// Every target could be run.
    pub complete: bool,
}

/// The simulator against floating point on one stimulus.
#[derive(Debug, Clone, PartialEq)]
#[cfg_attr(feature = "serde", derive(serde::Serialize))]
#[non_exhaustive]
pub struct StimulusResult {
    /// Which.
    pub name: &'static str,
    /// How long it is.
    pub samples: usize,
    /// The distance from floating point.
    #[cfg_attr(feature = "serde", serde(flatten))]
    pub error: ReferenceError,
    /// Whether that stays within what was proved.
    pub within_bound: bool,
    /// Whether `min_ser` applies here, and then whether it is reached.
    pub reaches_min_ser: Option<bool>,
}

impl StimulusResult {
    /// What was found on a stimulus, and whether that is enough.
    pub(super) fn of(stimulus: &Stimulus, error: ReferenceError, min_ser_db: Option<f64>) -> Self {
        StimulusResult {
            name: stimulus.name,
            samples: stimulus.samples.len(),
            within_bound: error.within_bound(),
            reaches_min_ser: min_ser_db
                .filter(|_| stimulus.is_signal)
                .map(|least| error.ser_db.is_none_or(|ser| ser >= least)),
            error,
        }
    }
}

/// One target.
#[derive(Debug, Clone, PartialEq)]
#[cfg_attr(feature = "serde", derive(serde::Serialize))]
pub struct TargetResult {
    /// The word for it.
    pub target: &'static str,
    /// What it is.
    pub title: &'static str,
    /// "equal", "different", "not run" or "failed".
    pub verdict: &'static str,
    /// The tool and its version.
    pub tool: Option<String>,
    /// Why it was not run or failed.
    pub reason: Option<String>,
    /// Samples run.
    pub samples: usize,
    /// Run by run.
    pub comparisons: Vec<ComparisonResult>,
}

/// One target on one stimulus, asked in one manner.
#[derive(Debug, Clone, PartialEq)]
#[cfg_attr(feature = "serde", derive(serde::Serialize))]
pub struct ComparisonResult {
    /// Which.
    pub stimulus: &'static str,
    /// How it was asked.
    pub manner: &'static str,
    /// Word against word.
    #[cfg_attr(feature = "serde", serde(flatten))]
    pub comparison: Comparison,
    /// What the target's own test bench counted.
    pub own_mismatches: Option<usize>,
    /// Samples at the end of the stimulus that were not run, to keep the simulation short.
    pub left_out: usize,
}

impl ComparisonResult {
    /// Whether every word is the one that the simulator gives, by the target's own count, too.
    pub fn equal(&self) -> bool {
        self.comparison.first.is_none() && self.own_mismatches.is_none_or(|count| count == 0)
    }
}

impl Proof {
    /// Whether it holds, and in words. Where nothing could be run nothing is proved; `all` says that every
    /// target has to be run.
    pub fn verdict(&self, all: bool) -> (bool, &'static str) {
        let is_tried = self.targets.iter().any(|target| target.verdict != "not run");
        match (self.held && is_tried && (self.complete || !all), self.complete) {
            (true, true) => (true, "proved on every target"),
            (true, false) => (true, "held where it was run"),
            (false, _) => (false, "not proved"),
        }
    }
}

/// What the targets are given, and the words that the simulator answers with.
pub type Expected = Vec<(Stimulus, Vec<i64>)>;

impl Proof {
    /// The simulator against floating point on all stimuli; the targets are yet to be run.
    pub fn begin(
        implementation: &Implementation,
        designed: &Form,
        recording: Option<&[i64]>,
        min_ser: Option<Level>,
    ) -> (Self, Expected) {
        let bounds = implementation.checked.facts().bounds();
        let gain = bounds.as_ref().ok().map(|bounds| bounds.gain());
        let min_ser_db = min_ser.map(|level| level.decibels());
        let (mut expected, mut results) = (Vec::new(), Vec::new());
        for stimulus in stimuli(&implementation.checked, gain, recording) {
            let (output, error) = judge(implementation, designed, &stimulus.samples);
            results.push(StimulusResult::of(&stimulus, error, min_ser_db));
            expected.push((stimulus, output));
        }
        let no_bound = bounds.as_ref().err().map(ToString::to_string);
        let proof = Proof {
            stimuli: results,
            targets: Vec::new(),
            min_ser_db,
            float: None,
            no_bound,
            held: false,
            complete: false,
        };
        (proof.with(Vec::new()), expected)
    }

    /// What was found on stimuli, without a target yet.
    pub(super) fn of_stimuli(stimuli: Vec<StimulusResult>, no_bound: Option<String>) -> Self {
        let proof = Proof {
            stimuli,
            targets: Vec::new(),
            min_ser_db: None,
            float: None,
            no_bound,
            held: false,
            complete: false,
        };
        proof.with(Vec::new())
    }

    /// With what came of the targets.
    pub fn with(self, targets: Vec<TargetResult>) -> Self {
        let figures = self
            .stimuli
            .iter()
            .all(|result| result.within_bound && result.reaches_min_ser != Some(false));
        let equal = targets.iter().all(|target| matches!(target.verdict, "equal" | "not run"));
        Proof {
            held: figures && equal,
            complete: targets.iter().all(|target| target.verdict != "not run"),
            targets,
            ..self
        }
    }
}
