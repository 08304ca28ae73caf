//! A chain of stages as text, and compiled.

use super::verify::{from_folder, told};
use crate::arguments::{On, Verify};
use crate::failure::{Failure, Outcome};
use crate::load::Recording;
use crate::work::prove_chain;
use mellow_rake::study::{ChainStudy, ChainStudyError};
use mellow_rake::verify::LONGEST_MADE_UP;
use mellow_rake::write::{GeneratedFile, Language};
use mellow_rake_files::{RecordingReader, Values, words};
use mellow_rake_rig::{Target, TargetWords, verilog_simulator};
use std::path::Path;

/// The text of a chain on integers.
pub(super) fn files(
    path: &Path,
    study: &ChainStudy,
    languages: &[Language],
) -> Result<Vec<GeneratedFile>, Failure> {
    match study.files(languages) {
        Some(files) => files.map_err(|error| failure(path, error)),
        None => Err(no_words(path)),
    }
}

pub(super) fn failure(path: &Path, error: ChainStudyError) -> Failure {
    match error {
        ChainStudyError::Write(error) => Failure::Write(error),
        error => Failure::Chain { path: path.to_owned(), error: Box::new(error) },
    }
}

pub(super) fn no_words(path: &Path) -> Failure {
    Failure::Call(format!(
        "{}: the spec has no table [fixed]; one with the words, as input = \"s16f15\", asks for integers",
        path.display()
    ))
}

/// The words of a recording whose columns are those of a sample.
fn side_by_side(
    options: &Verify,
    path: &Path,
    lanes: usize,
    study: &ChainStudy,
) -> Result<Vec<i64>, Failure> {
    let call = |what: String| Failure::Call(format!("{}: {what}", path.display()));
    let rate = Some(study.spec.sample_rate);
    let mut reader = RecordingReader::open(path, &options.reading.choice(rate))?;
    let columns = reader.signals();
    if columns.len() != lanes || options.column.is_some() {
        return Err(call(format!(
            "a sample of this chain is {lanes} columns side by side, of complex ones the real part first, \
             with no other beside them; here are {}",
            columns.len()
        )));
    }
    let values = Values::side_by_side(&reader.rest(&columns)?);
    let format = study.integers().ok_or_else(|| no_words(&options.spec))?.0.network.input();
    Ok(words(path, &values, 0, format)?)
}

/// A chain compiled and compared in every integer.
pub(super) fn verify(options: &Verify, study: &ChainStudy) -> Result<Outcome, Failure> {
    let call = |what: &str| Failure::Call(format!("{}: {what}", options.spec.display()));
    if !options.beside.is_empty() {
        return Err(call("--beside is for one filter, and this is a chain of stages"));
    }
    let (integers, _) = study.integers().ok_or_else(|| no_words(&options.spec))?;
    let words = TargetWords::of_chain(study).map_err(|error| failure(&options.spec, error))?;
    let words = words.ok_or_else(|| no_words(&options.spec))?;
    let mut usual = vec![On::Target(Target::HostC)];
    if study.spec.hardware.is_some() {
        usual.push(On::Target(verilog_simulator(words, LONGEST_MADE_UP)));
    }
    let on = options.on.as_deref().unwrap_or(&usual);
    let targets = On::targets(on);
    let input = integers.network.input();
    let recording = match &options.recording {
        None => None,
        Some(path) => {
            let (column, rate) = (options.column.as_deref(), Some(study.spec.sample_rate));
            Some(match integers.network.lanes_in() {
                1 => Recording::file(path, &options.reading, column, rate)?.words(input)?,
                lanes => side_by_side(options, path, lanes, study)?,
            })
        }
    };
    let languages: Vec<Language> = targets.iter().map(|target| target.language()).collect();
    let files = files(&options.spec, study, &languages)?;
    let files = from_folder(options, &targets, files)?;
    let chain = (integers, study.chain());
    let proof = prove_chain(chain, words, recording.as_deref(), &targets, &files);
    told(options, study.spec.name.as_str(), &proof)
}
