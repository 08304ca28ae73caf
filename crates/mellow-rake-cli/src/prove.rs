//! The proof: every target on every stimulus.

use crate::load::Loaded;
use crate::print::{number, table};
use crate::stream::progress;
use indicatif::ProgressBar;
use mellow_rake::implementation::Implementation;
use mellow_rake::verify::{Comparison, ReferenceError, Stimulus, compare, judge, stimuli};
use mellow_rake::write::GeneratedFile;
use mellow_rake_rig::{Device, RigError, Target};
use serde::Serialize;

/// All that was found out.
#[derive(Serialize)]
pub(crate) struct Proof {
    pub(crate) stimuli: Vec<StimulusResult>,
    pub(crate) targets: Vec<TargetResult>,
    pub(crate) min_ser_db: Option<f64>,
    /// Why no bound could be proved and no worst case made, if so.
    pub(crate) no_bound: Option<String>,
    /// Every check that was run held.
    pub(crate) held: bool,
    /// Every target could be run.
    pub(crate) complete: bool,
}

/// The simulator against floating point on one stimulus.
#[derive(Serialize)]
pub(crate) struct StimulusResult {
    pub(crate) name: &'static str,
    pub(crate) samples: usize,
    #[serde(flatten)]
    pub(crate) error: ReferenceError,
    pub(crate) within_bound: bool,
    /// Whether `min_ser` applies here, and then whether it is reached.
    pub(crate) reaches_min_ser: Option<bool>,
}

/// One target.
#[derive(Serialize)]
pub(crate) struct TargetResult {
    pub(crate) target: &'static str,
    pub(crate) title: &'static str,
    /// "equal", "different", "not run" or "failed".
    pub(crate) verdict: &'static str,
    pub(crate) tool: Option<String>,
    /// Why it was not run or failed.
    pub(crate) reason: Option<String>,
    pub(crate) samples: usize,
    pub(crate) comparisons: Vec<ComparisonResult>,
}

/// One target on one stimulus, asked in one manner.
#[derive(Serialize)]
pub(crate) struct ComparisonResult {
    pub(crate) stimulus: &'static str,
    pub(crate) manner: &'static str,
    #[serde(flatten)]
    pub(crate) comparison: Comparison,
    /// What the target's own test bench counted.
    pub(crate) own_mismatches: Option<usize>,
    /// Samples at the end of the stimulus that were not run, to keep the simulation short.
    pub(crate) left_out: usize,
}

impl ComparisonResult {
    fn equal(&self) -> bool {
        self.comparison.first.is_none() && self.own_mismatches.is_none_or(|count| count == 0)
    }
}

impl Proof {
    /// Whether it holds, and in words. Where nothing could be run nothing is proved; `all` says that every target has to be run.
    pub(crate) fn verdict(&self, all: bool) -> (bool, &'static str) {
        let is_tried = self.targets.iter().any(|target| target.verdict != "not run");
        match (self.held && is_tried && (self.complete || !all), self.complete) {
            (true, true) => (true, "proved on every target"),
            (true, false) => (true, "held where it was run"),
            (false, _) => (false, "not proved"),
        }
    }
}

/// Runs all targets on all stimuli.
pub(crate) fn prove(
    loaded: &Loaded,
    implementation: &Implementation,
    recording: Option<&[i64]>,
    targets: &[Target],
    files: &[GeneratedFile],
) -> Proof {
    let bounds = implementation.checked.facts().bounds();
    let gain = bounds.as_ref().ok().map(|bounds| &bounds.gain);
    let min_ser_db = loaded.spec.verify.min_ser.map(|level| level.decibels());
    let mut inputs: Vec<(Stimulus, Vec<i64>)> = Vec::new();
    let mut results = Vec::new();
    for stimulus in stimuli(&implementation.checked, gain, recording) {
        let (output, error) = judge(implementation, &loaded.design.form, &stimulus.samples);
        results.push(StimulusResult {
            name: stimulus.name,
            samples: stimulus.samples.len(),
            within_bound: error.within_bound(),
            reaches_min_ser: min_ser_db
                .filter(|_| stimulus.is_signal)
                .map(|least| error.ser_db.is_none_or(|ser| ser >= least)),
            error,
        });
        inputs.push((stimulus, output));
    }
    let bar = progress((targets.len() * inputs.len()) as u64, "running");
    let targets: Vec<TargetResult> = targets
        .iter()
        .map(|target| try_target(*target, implementation, files, &inputs, &bar))
        .collect();
    bar.finish_and_clear();
    let figures_held =
        results.iter().all(|result| result.within_bound && result.reaches_min_ser != Some(false));
    let equal = targets.iter().all(|target| matches!(target.verdict, "equal" | "not run"));
    Proof {
        held: figures_held && equal,
        complete: targets.iter().all(|target| target.verdict != "not run"),
        stimuli: results,
        targets,
        min_ser_db,
        no_bound: bounds.as_ref().err().map(ToString::to_string),
    }
}

/// How many samples of a stimulus a target is given: all of them, but for a simulator of hardware, which takes some
/// microseconds for each product, so many that a stimulus ends within half a minute.
fn longest(target: Target, implementation: &Implementation) -> usize {
    const PRODUCTS: usize = 5_000_000;
    let products = implementation.checked.cost().multiplies_per_sample.max(1);
    match target {
        Target::Icarus => (PRODUCTS / products).max(1),
        _ => usize::MAX,
    }
}

fn try_target(
    target: Target,
    implementation: &Implementation,
    files: &[GeneratedFile],
    inputs: &[(Stimulus, Vec<i64>)],
    bar: &ProgressBar,
) -> TargetResult {
    let mut result = TargetResult {
        target: target.as_str(),
        title: target.title(),
        verdict: "failed",
        tool: None,
        reason: None,
        samples: 0,
        comparisons: Vec::new(),
    };
    let (input, output) = (implementation.fixed.input, implementation.fixed.output);
    let device = match Device::build(target, files, input, output) {
        Ok(device) => device,
        Err(error) => {
            if matches!(error, RigError::Missing { .. }) {
                result.verdict = "not run";
            }
            result.reason = Some(error.to_string());
            return result;
        }
    };
    result.tool = Some(device.version().to_owned());
    let most = longest(target, implementation);
    for (stimulus, expected) in inputs {
        let kept = expected.len().min(most);
        let (samples, expected) = (&stimulus.samples[..kept], &expected[..kept]);
        let answers = match device.run(samples, expected) {
            Ok(answers) => answers,
            Err(error) => {
                result.reason = Some(format!("{}: {error}", stimulus.name));
                return result;
            }
        };
        bar.inc(1);
        for answer in answers {
            result.samples += answer.words.len();
            result.comparisons.push(ComparisonResult {
                stimulus: stimulus.name,
                manner: answer.manner,
                comparison: compare(expected, &answer.words),
                own_mismatches: answer.own_mismatches,
                left_out: stimulus.samples.len() - kept,
            });
        }
    }
    let equal = result.comparisons.iter().all(ComparisonResult::equal);
    result.verdict = if equal { "equal" } else { "different" };
    result
}

impl Proof {
    /// The account for people.
    pub(crate) fn text(&self) -> String {
        let rows: Vec<Vec<String>> = self
            .stimuli
            .iter()
            .map(|result| {
                let error = &result.error;
                let limits = match error.limited_samples {
                    0 => String::new(),
                    count => format!("limits {count}"),
                };
                let verdict = match (result.within_bound, result.reaches_min_ser) {
                    (false, _) => format!("BEYOND BOUND {limits}"),
                    (true, Some(false)) => format!("BELOW min_ser {limits}"),
                    (true, _) if limits.is_empty() => "ok".to_owned(),
                    (true, _) => limits,
                };
                vec![
                    result.name.to_owned(),
                    result.samples.to_string(),
                    number(error.ser_db, 1),
                    number(error.predicted_ser_db, 1),
                    number(Some(error.rms_lsb), 2),
                    number(error.predicted_rms_lsb, 2),
                    number(Some(error.largest_lsb), 1),
                    number(error.bound_lsb, 1),
                    verdict,
                ]
            })
            .collect();
        let header = [
            "stimulus", "samples", "SER dB", "pred.", "rms LSB", "pred.", "max LSB", "bound",
            "note",
        ];
        let mut text =
            String::from("Integers against floating point (error in steps of the output word)\n");
        text.push_str(&table(&header, &rows));
        if self.stimuli.iter().any(|result| result.error.limited_samples > 0) {
            text.push_str("  limits N: saturation or wrap acted in N samples; there the two differ by design.\n");
        }
        let off = |result: &&StimulusResult| {
            let error = &result.error;
            let pair = error.ser_db.zip(error.predicted_ser_db);
            pair.is_some_and(|(measured, predicted)| (measured - predicted).abs() > 1.0)
        };
        let names: Vec<&str> = self.stimuli.iter().filter(off).map(|result| result.name).collect();
        if !names.is_empty() {
            text.push_str(&format!(
                "  More than 1 dB off the prediction: {}. The noise model takes rounding errors for white,\n  \
                 which single impulses and the silence after them do not give; the bound holds all the same.\n",
                names.join(", ")
            ));
        }
        if let Some(least) = self.min_ser_db {
            text.push_str(&format!(
                "  min_ser {least} dB applies to the recording and to half-scale noise.\n"
            ));
        }
        text.push_str("\nWhat runs against the bit-true simulator, integer for integer\n");
        for target in &self.targets {
            let tool = target.tool.as_deref().unwrap_or("");
            text.push_str(&format!("  {:<16} {}", target.title, target.verdict));
            match target.verdict {
                "equal" => {
                    let runs = target.comparisons.len();
                    text.push_str(&format!(
                        ": {} samples in {runs} runs ({tool})\n",
                        target.samples
                    ));
                    for cut in target.comparisons.iter().filter(|result| result.left_out > 0) {
                        let ComparisonResult { stimulus, comparison, left_out, .. } = cut;
                        text.push_str(&format!(
                            "    {stimulus}: the first {} samples; {left_out} more were not run, to keep it short\n",
                            comparison.samples
                        ));
                    }
                }
                "different" => {
                    text.push('\n');
                    for result in target.comparisons.iter().filter(|result| !result.equal()).take(3)
                    {
                        text.push_str(&difference(result));
                    }
                }
                _ => text.push_str(&format!(": {}\n", target.reason.as_deref().unwrap_or(""))),
            }
        }
        text
    }
}

/// The first differing sample of a run.
fn difference(result: &ComparisonResult) -> String {
    let word = |word: Option<i64>| word.map_or("nothing".to_owned(), |word| word.to_string());
    let ComparisonResult { stimulus, manner, comparison, own_mismatches, .. } = result;
    match comparison.first {
        Some(first) => format!(
            "    {stimulus}, {manner}: {} of {} samples differ; first at sample {}: expected {}, found {}\n",
            comparison.differing,
            comparison.samples,
            first.sample,
            word(first.expected),
            word(first.found)
        ),
        None => format!(
            "    {stimulus}, {manner}: the words are equal, but the test bench counted {} mismatches\n",
            own_mismatches.unwrap_or(0)
        ),
    }
}
