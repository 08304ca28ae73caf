//! A chain of stages as text, and compiled.

use super::verify::{from_folder, told};
use crate::arguments::{On, Verify};
use crate::failure::{Failure, Outcome};
use crate::load::Recording;
use crate::work::prove_chain;
use mellow_rake::study::ChainStudy;
use mellow_rake::write::{GeneratedFile, Language};
use mellow_rake_rig::{Core, Target};
use std::path::Path;

/// Whether a target runs chains: compilers for this machine, and emulated cores that the code for all of them
/// fits.
fn runs_chains(target: &Target) -> bool {
    match target {
        Target::HostC | Target::Clang => true,
        Target::Core(core) => *core != Core::Avr,
        _ => false,
    }
}

/// The text of a chain on integers.
pub(super) fn files(
    path: &Path,
    study: &ChainStudy,
    languages: &[Language],
) -> Result<Vec<GeneratedFile>, Failure> {
    match study.files(languages) {
        Some(files) => Ok(files?),
        None => Err(no_words(path)),
    }
}

fn no_words(path: &Path) -> Failure {
    Failure::Call(format!(
        "{}: the spec has no table [fixed]; one with the words, as input = \"s16f15\", asks for integers",
        path.display()
    ))
}

/// A chain compiled and compared in every integer.
pub(super) fn verify(options: &Verify, study: &ChainStudy) -> Result<Outcome, Failure> {
    let call = |what: &str| Failure::Call(format!("{}: {what}", options.spec.display()));
    if options.tune.is_some() || !options.beside.is_empty() {
        return Err(call("--tune and --beside are for one filter, and this is a chain of stages"));
    }
    let (integers, _) = study.integers().ok_or_else(|| no_words(&options.spec))?;
    let on = options.on.as_deref().unwrap_or(&[On::Target(Target::HostC)]);
    let mut targets = On::targets(on);
    if on.contains(&On::All) {
        targets.retain(runs_chains);
    }
    if let Some(other) = targets.iter().find(|target| !runs_chains(target)) {
        let known: Vec<&str> = Target::ALL
            .iter()
            .filter(|target| runs_chains(target))
            .map(|one| one.as_str())
            .collect();
        let known = known.join(", ");
        return Err(call(&format!(
            "--on {}: a chain of stages runs on {known}; other targets are for one filter",
            other.as_str()
        )));
    }
    let input = integers.network.input();
    let recording = match &options.recording {
        None => None,
        Some(path) => {
            let (column, rate) = (options.column.as_deref(), Some(study.spec.sample_rate));
            Some(Recording::file(path, &options.reading, column, rate)?.words(input)?)
        }
    };
    let files = files(&options.spec, study, &[Language::C])?;
    let files = from_folder(options, &targets, files)?;
    let chain = (integers, study.chain());
    let proof = prove_chain(chain, recording.as_deref(), &targets, &files);
    told(options, study.spec.name.as_str(), &proof)
}
