//! `mrake verify`

use crate::arguments::{On, Verify};
use crate::failure::{Failure, Outcome};
use crate::load::{Loaded, Recording, read};
use crate::print;
use crate::work::{prove, prove_float};
use mellow_rake::study::StudyError;
use mellow_rake::verify::{LONGEST_MADE_UP, Proof};
use mellow_rake::write::{GeneratedFile, Language};
use mellow_rake_report::page;
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
    let loaded = Loaded::file(&options.spec)?;
    let recording = match &options.recording {
        None => None,
        Some(path) => {
            let rate = loaded.study.spec.sample_rate;
            Some(Recording::file(path, &options.reading, options.column.as_deref(), Some(rate))?)
        }
    };
    let proof = match (loaded.float()?, loaded.study.spec.float) {
        (Some(filter), Some(wish)) => {
            let on = options.on.as_deref().unwrap_or(&[On::Host, On::Rust]);
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
    // A target that was named must be run; one that was only tried may be missing.
    let (held, verdict) = proof.verdict(options.on.is_some());
    if options.json {
        let name = loaded.study.spec.name.to_string();
        print::json(&VerifyObject { name, proof: &proof, verdict })?;
    } else {
        let mut text = page::proof(&proof);
        text.gap();
        text.lines(&format!("Verdict: {verdict}"));
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
    let mut files = loaded.files(&languages)?;
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
