//! `mrake verify`

use crate::arguments::{On, Verify};
use crate::command::generate::need_hardware;
use crate::failure::{Failure, Outcome};
use crate::load::{AnySpec, Loaded, Recording, read};
use crate::print;
use crate::work::{prove, prove_float, prove_shared};
use mellow_rake::study::{SharedUnit, StudyError};
use mellow_rake::verify::{LONGEST_MADE_UP, Proof, StimulusResult};
use mellow_rake::write::{GeneratedFile, Language};
use mellow_rake_report::{Document, page};
use mellow_rake_rig::{Target, TargetWords, verilog_simulator};
use serde::Serialize;

#[derive(Serialize)]
struct VerifyObject<'a> {
    name: String,
    #[serde(flatten)]
    proof: &'a Proof,
    verdict: &'static str,
}

pub(crate) fn run(options: &Verify) -> Result<Outcome, Failure> {
    let loaded = match AnySpec::file(&options.spec)?.tuned(options.tune)? {
        AnySpec::Filter(loaded) => loaded,
        AnySpec::Chain(study) => return super::chain::verify(options, &study),
    };
    let recording = match &options.recording {
        None => None,
        Some(path) => {
            let rate = loaded.study.spec.sample_rate;
            Some(Recording::file(path, &options.reading, options.column.as_deref(), Some(rate))?)
        }
    };
    let beside = Loaded::files_of(&options.beside)?;
    if let Some(shared) = loaded.shared(&beside)? {
        return run_shared(options, &loaded, &shared, recording);
    }
    let proof = match (loaded.float()?, loaded.study.spec.float) {
        (Some(filter), Some(wish)) => {
            let on = options
                .on
                .as_deref()
                .unwrap_or(&[On::Target(Target::HostC), On::Target(Target::Rust)]);
            let mut targets = On::targets(on);
            // All that can: it has no hardware.
            let is_program =
                |target: &Target| matches!(target.language(), Language::C | Language::Rust);
            targets.retain(|target| !on.contains(&On::All) || is_program(target));
            let files = files(options, &loaded, &targets)?;
            let recording = recording.map(|recording| recording.values.reals());
            let filter = (filter, wish);
            prove_float(&loaded.study, filter, recording.as_deref(), &targets, &files)
                .map_err(|error| loaded.failure(StudyError::Float { place: None, error }))?
        }
        _ => {
            let implementation = loaded.need_implementation("verify")?;
            let format = implementation.fixed.input;
            let recording = recording.map(|recording| recording.words(format)).transpose()?;
            let targets = match &options.on {
                Some(on) => On::targets(on),
                None => {
                    let samples = recording.as_ref().map_or(0, Vec::len).max(LONGEST_MADE_UP);
                    let words = TargetWords::of(&loaded.study);
                    let words = words.map_err(|error| loaded.failure(error))?;
                    vec![Target::HostC, verilog_simulator(words, samples)]
                }
            };
            let files = files(options, &loaded, &targets)?;
            prove(&loaded.study, implementation, recording.as_deref(), &targets, &files)
        }
    };
    told(options, &loaded.study.spec.name.to_string(), &proof)
}

/// Says what was proved.
pub(super) fn told(options: &Verify, name: &str, proof: &Proof) -> Result<Outcome, Failure> {
    // A target that was named must be run; one that was only tried may be missing.
    let (held, verdict) = proof.verdict(options.on.is_some());
    if options.json {
        print::json(&VerifyObject { name: name.to_owned(), proof, verdict })?;
    } else {
        let mut text = page::proof(proof);
        text.gap();
        text.lines(&format!("Verdict: {verdict}"));
        print::page(&text)?;
    }
    Ok(Outcome::of(held))
}

#[derive(Serialize)]
struct BesideObject<'a> {
    name: String,
    stimuli: &'a [StimulusResult],
    held: bool,
}

#[derive(Serialize)]
struct SharedObject<'a> {
    #[serde(flatten)]
    first: VerifyObject<'a>,
    beside: Vec<BesideObject<'a>>,
}

/// Filters that take turns on one unit: each against floating point, and the unit against all of them.
fn run_shared(
    options: &Verify,
    loaded: &Loaded,
    shared: &SharedUnit<'_>,
    recording: Option<Recording>,
) -> Result<Outcome, Failure> {
    let format = shared.integers()[0].fixed.input;
    let recording = recording.map(|recording| recording.words(format)).transpose()?;
    let targets = match &options.on {
        Some(on) => On::targets(on),
        None => vec![Target::Icarus],
    };
    // All that can: programs have no unit.
    let is_all = options.on.as_ref().is_some_and(|on| on.contains(&On::All));
    let targets: Vec<Target> = match is_all {
        true => targets.into_iter().filter(|one| one.language().is_hardware()).collect(),
        false => targets,
    };
    need_hardware(targets.iter().map(|target| target.language()))?;
    let languages: Vec<Language> = targets.iter().map(|target| target.language()).collect();
    let files = shared.files(&languages).map_err(|error| loaded.failure(error))?;
    let files = from_folder(options, &targets, files)?;
    let proofs = prove_shared(shared, recording.as_deref(), &targets, &files);
    let first = &proofs[0];
    let others_held = proofs[1..].iter().all(|proof| proof.held);
    let (held, verdict) = match first.verdict(options.on.is_some()) {
        (true, _) if !others_held => (false, "not proved"),
        found => found,
    };
    let names: Vec<String> =
        shared.studies().iter().map(|study| study.spec.name.to_string()).collect();
    if options.json {
        let beside = names.iter().zip(&proofs).skip(1).map(|(name, proof)| BesideObject {
            name: name.clone(),
            stimuli: &proof.stimuli,
            held: proof.held,
        });
        let beside = beside.collect();
        let first = VerifyObject { name: names[0].clone(), proof: first, verdict };
        print::json(&SharedObject { first, beside })?;
        return Ok(Outcome::of(held));
    }
    for (name, proof) in names.iter().zip(&proofs).skip(1).chain([(&names[0], first)]) {
        let mut text = Document::of(name);
        text.append(page::proof(proof));
        text.gap();
        if std::ptr::eq(proof, first) {
            text.lines(&format!("Verdict of all {}: {verdict}", names.len()));
        }
        print::page(&text)?;
    }
    Ok(Outcome::of(held))
}

/// What the targets run: written anew, or as it lies in a folder.
fn files(
    options: &Verify,
    loaded: &Loaded,
    targets: &[Target],
) -> Result<Vec<GeneratedFile>, Failure> {
    let languages: Vec<Language> = targets.iter().map(|target| target.language()).collect();
    from_folder(options, targets, loaded.files(&languages)?)
}

/// The same files as they lie in a folder, where one is named.
pub(super) fn from_folder(
    options: &Verify,
    targets: &[Target],
    mut files: Vec<GeneratedFile>,
) -> Result<Vec<GeneratedFile>, Failure> {
    if let Some(folder) = &options.files {
        let needed =
            |file: &GeneratedFile| targets.iter().any(|target| target.language() == file.language);
        files.retain(needed);
        for file in &mut files {
            let path = folder.join(&file.name);
            file.text = String::from_utf8(read(&path)?)
                .map_err(|_| Failure::Call(format!("{}: not UTF-8 text", path.display())))?;
        }
    }
    Ok(files)
}
