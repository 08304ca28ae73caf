//! Jobs on all cores, with a bar of progress.

use indicatif::{ProgressBar, ProgressDrawTarget, ProgressStyle};
use mellow_rake::float::{FloatError, FloatFilter};
use mellow_rake::implementation::{ChainImplementation, Implementation};
use mellow_rake::rates::Chain;
use mellow_rake::spec::Float;
use mellow_rake::study::{Jobs, SharedUnit, Study, Workers};
use mellow_rake::verify::{Proof, Stimulus};
use mellow_rake::write::GeneratedFile;
use mellow_rake_rig::{Target, TargetWords, run_targets};
use rayon::prelude::*;

/// A bar on stderr, on a terminal only, and only if the work takes a while.
pub(crate) fn progress(steps: u64, what: &'static str) -> ProgressBar {
    let bar = ProgressBar::with_draw_target(Some(steps), ProgressDrawTarget::stderr_with_hz(5));
    // A template that does not parse would be seen at once.
    if let Ok(style) = ProgressStyle::with_template("{msg} {bar:40} {percent} %, {eta} left") {
        bar.set_style(style);
    }
    bar.set_message(what);
    bar
}

/// All cores of the machine.
pub(crate) struct AllCores;

impl Workers for AllCores {
    fn all<T: Send>(&self, what: &'static str, jobs: Jobs<'_, T>) -> Vec<T> {
        let bar = progress(jobs.len() as u64, what);
        let jobs: Vec<_> = jobs.into_iter().collect();
        let one = |job: mellow_rake::study::Job<'_, T>| {
            let done = job();
            bar.inc(1);
            done
        };
        let all = jobs.into_par_iter().map(one).collect();
        bar.finish_and_clear();
        all
    }
}

/// Runs all targets on all stimuli.
pub(crate) fn prove(
    study: &Study,
    implementation: &Implementation,
    recording: Option<&[i64]>,
    targets: &[Target],
    files: &[GeneratedFile],
) -> Proof {
    let (form, min_ser) = (&study.design.form, study.spec.verify.min_ser);
    let (proof, expected) = Proof::begin(implementation, form, recording, min_ser);
    let bar = progress((targets.len() * expected.len()) as u64, "running");
    // Hardware that cannot be was refused when its files were to be written.
    let words = TargetWords::of(study).unwrap_or_else(|_| implementation.into());
    let found = run_targets(targets, words, files, &expected, &|| bar.inc(1));
    bar.finish_and_clear();
    proof.with(found)
}

/// The same of a chain of stages.
pub(crate) fn prove_chain(
    chain: (&ChainImplementation, &Chain),
    words: TargetWords,
    recording: Option<&[i64]>,
    targets: &[Target],
    files: &[GeneratedFile],
) -> Proof {
    let (proof, expected) = Proof::begin_chain(chain.0, chain.1, recording);
    let bar = progress((targets.len() * expected.len()) as u64, "running");
    let found = run_targets(targets, words, files, &expected, &|| bar.inc(1));
    bar.finish_and_clear();
    proof.with(found)
}

/// The same of filters that share a unit: each against floating point, and of the first what came of the
/// targets, which run all of them.
pub(crate) fn prove_shared(
    shared: &SharedUnit<'_>,
    recording: Option<&[i64]>,
    targets: &[Target],
    files: &[GeneratedFile],
) -> Vec<Proof> {
    let each = shared.studies().iter().zip(shared.integers()).map(|(study, integers)| {
        let min_ser = study.spec.verify.min_ser;
        Proof::begin(integers, &study.design.form, recording, min_ser)
    });
    let (mut proofs, given): (Vec<Proof>, Vec<_>) = each.unzip();
    let stimuli: Vec<Vec<Stimulus>> =
        given.into_iter().map(|given| given.into_iter().map(|(one, _)| one).collect()).collect();
    let in_turn = shared.in_turn(&stimuli);
    let bar = progress((targets.len() * in_turn.len()) as u64, "running");
    let words = TargetWords::of_shared(shared);
    let found = run_targets(targets, words, files, &in_turn, &|| bar.inc(1));
    bar.finish_and_clear();
    let first = proofs.remove(0).with(found);
    proofs.insert(0, first);
    proofs
}

/// The same of a filter in floating point.
pub(crate) fn prove_float(
    study: &Study,
    (filter, wish): (&FloatFilter, Float),
    recording: Option<&[f64]>,
    targets: &[Target],
    files: &[GeneratedFile],
) -> Result<Proof, FloatError> {
    let (form, min_ser) = (&study.design.form, study.spec.verify.min_ser);
    let effort = study.spec.effort;
    let (proof, expected) = Proof::begin_float(filter, form, wish, recording, min_ser, effort)?;
    let bar = progress((targets.len() * expected.len()) as u64, "running");
    let found = run_targets(targets, filter.into(), files, &expected, &|| bar.inc(1));
    bar.finish_and_clear();
    Ok(proof.with(found))
}
