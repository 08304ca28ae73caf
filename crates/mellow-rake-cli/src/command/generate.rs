//! `mrake generate`

use crate::arguments::{Generate, With};
use crate::failure::{Failure, Outcome};
use crate::load::{AnySpec, Loaded, Recording};
use crate::print;
use mellow_rake::fixed::WordFormat;
use mellow_rake::study::{ChainStudy, TestWish};
use mellow_rake::write::{GeneratedFile, Language, Symbols, c};
use mellow_rake_files::{read_whole, write_whole};
use serde::Serialize;
use std::io::ErrorKind;
use std::path::{Path, PathBuf};

#[derive(Serialize)]
struct GenerateObject<T> {
    folder: String,
    files: Vec<FileObject>,
    design: T,
}

#[derive(Serialize)]
struct FileObject {
    name: String,
    bytes: usize,
    language: Language,
    latency_clocks: Option<u32>,
}

/// Writes files into a folder, which is made if it is not there.
pub(crate) fn write_files(folder: &Path, files: &[GeneratedFile]) -> Result<(), Failure> {
    std::fs::create_dir_all(folder)
        .map_err(|source| Failure::Read { path: folder.to_owned(), source })?;
    for file in files {
        write_whole(&folder.join(&file.name), file.text.as_bytes())?;
    }
    Ok(())
}

/// Refuses languages that have no unit which several filters share.
pub(crate) fn need_hardware(languages: impl Iterator<Item = Language>) -> Result<(), Failure> {
    let mut languages = languages;
    match languages.all(Language::is_hardware) {
        true => Ok(()),
        false => Err(Failure::Call(
            "--beside is for hardware: filters in other languages are written one by one"
                .to_owned(),
        )),
    }
}

/// Puts C with annotations in the place of C without.
fn annotate(loaded: &Loaded, files: &mut [GeneratedFile]) -> Result<(), Failure> {
    let Some(implementation) = loaded.implementation()? else {
        let what = "--with annotations is for integers: a spec with a table [fixed]";
        return Err(Failure::Call(what.to_owned()));
    };
    let symbols = Symbols::new(&loaded.study.spec.name);
    let (firmware, rate) = (loaded.study.spec.firmware, Some(loaded.study.spec.sample_rate));
    let annotated = c::write_annotated(&implementation.checked, &symbols, firmware, rate)?;
    let mut is_written = false;
    for file in annotated {
        if let Some(plain) = files.iter_mut().find(|plain| plain.name == file.name) {
            *plain = file;
            is_written = true;
        }
    }
    match is_written {
        true => Ok(()),
        false => Err(Failure::Call("--with annotations is for C: --to c".to_owned())),
    }
}

/// The test project in the languages that have one.
fn test(options: &Generate, loaded: &Loaded) -> Result<Vec<GeneratedFile>, Failure> {
    let rate = Some(loaded.study.spec.sample_rate);
    let read = |path: &Option<PathBuf>, column: Option<&str>| -> Result<_, Failure> {
        let path = path.as_ref();
        path.map(|path| Recording::file(path, &options.reading, column, rate)).transpose()
    };
    let recording = read(&options.recording, options.column.as_deref())?;
    let reference = read(&options.reference, None)?;
    // Of an integer filter both are in steps of its words, as everywhere.
    let words = loaded.implementation()?.map(|integers| integers.fixed);
    let values = |recording: Recording, format: Option<WordFormat>| -> Result<_, Failure> {
        let Some(format) = format else { return Ok(recording.values.reals()) };
        Ok(recording.words(format)?.iter().map(|word| format.value(*word)).collect::<Vec<f64>>())
    };
    let recording =
        recording.map(|recording| values(recording, words.map(|fixed| fixed.input))).transpose()?;
    let step = words.map_or(1.0, |fixed| fixed.output.step());
    let reference = reference.map(|reference| {
        reference.values.reals().iter().map(|value| value * step).collect::<Vec<f64>>()
    });
    let mut wish = TestWish::default().within(options.samples as usize);
    if let Some(recording) = &recording {
        wish = wish.of_recording(recording, reference.as_deref());
    }
    let project = loaded.study.test_project(wish).map_err(|error| loaded.failure(error))?;
    let symbols = Symbols::new(&loaded.study.spec.name);
    let files: Vec<GeneratedFile> =
        options.to.iter().flat_map(|language| project.files(*language, &symbols)).collect();
    match files.is_empty() {
        true => Err(Failure::Call(
            "--with test is for languages that a processor runs: --to c, rust".to_owned(),
        )),
        false => Ok(files),
    }
}

#[derive(Serialize)]
struct CheckObject {
    folder: String,
    files: Vec<CheckedObject>,
    held: bool,
}

#[derive(Serialize)]
struct CheckedObject {
    name: String,
    /// `as written`, `missing`, or `different` from a line on.
    found: &'static str,
    line: Option<usize>,
}

/// Longer than anything that is generated.
const MOST_BYTES: u64 = 1 << 28;

/// Holds the files of a folder against what would be written.
fn check(options: &Generate, files: &[GeneratedFile]) -> Result<Outcome, Failure> {
    let one = |file: &GeneratedFile| -> Result<CheckedObject, Failure> {
        let path = options.output.join(&file.name);
        let name = file.name.clone();
        Ok(match read_whole(&path, MOST_BYTES) {
            Err(error) if error.kind() == ErrorKind::NotFound => {
                CheckedObject { name, found: "missing", line: None }
            }
            Err(error) if error.kind() == ErrorKind::FileTooLarge => {
                CheckedObject { name, found: "different", line: None }
            }
            Err(source) => return Err(Failure::Read { path, source }),
            Ok(bytes) if bytes == file.text.as_bytes() => {
                CheckedObject { name, found: "as written", line: None }
            }
            Ok(bytes) => {
                let same = bytes.iter().zip(file.text.as_bytes()).take_while(|(a, b)| a == b);
                let line = 1 + same.filter(|(byte, _)| **byte == b'\n').count();
                CheckedObject { name, found: "different", line: Some(line) }
            }
        })
    };
    let files: Vec<CheckedObject> = files.iter().map(one).collect::<Result<_, _>>()?;
    let held = files.iter().all(|file| file.found == "as written");
    if options.json {
        let folder = options.output.display().to_string();
        print::json(&CheckObject { folder, files, held })?;
        return Ok(Outcome::of(held));
    }
    for CheckedObject { name, found, line } in &files {
        let path = options.output.join(name);
        let from = line.map_or(String::new(), |line| format!(" from line {line} on"));
        print::text(&format!("{}: {found}{from}\n", path.display()))?;
    }
    Ok(Outcome::of(held))
}

/// A chain of stages.
fn chain(options: &Generate, study: &ChainStudy) -> Result<Outcome, Failure> {
    let asked = [("--beside", !options.beside.is_empty()), ("--with", !options.with.is_empty())];
    if let Some((option, _)) = asked.iter().find(|(_, is_asked)| *is_asked) {
        return Err(Failure::Call(format!(
            "{}: {option} is for one filter, and this is a chain of stages",
            options.spec.display()
        )));
    }
    let files = super::chain::files(&options.spec, study, &options.to)?;
    if options.check {
        return check(options, &files);
    }
    write_files(&options.output, &files)?;
    if options.json {
        let folder = options.output.display().to_string();
        let object = |file: &GeneratedFile| FileObject {
            name: file.name.clone(),
            bytes: file.text.len(),
            language: file.language,
            latency_clocks: None,
        };
        let files = files.iter().map(object).collect();
        print::json(&GenerateObject { folder, files, design: study.record() })?;
    } else {
        written(options, &files)?;
        let (spec, folder) = (options.spec.display(), options.output.display());
        print::note(&format!("next: mrake verify {spec} --files {folder}"));
    }
    Ok(Outcome::Held)
}

/// Says what was written.
fn written(options: &Generate, files: &[GeneratedFile]) -> Result<(), Failure> {
    for file in files {
        let path = options.output.join(&file.name);
        print::text(&format!("{} ({} bytes)\n", path.display(), file.text.len()))?;
    }
    Ok(())
}

pub(crate) fn run(options: &Generate) -> Result<Outcome, Failure> {
    let loaded = match AnySpec::file(&options.spec)?.tuned(options.tune)? {
        AnySpec::Filter(loaded) => loaded,
        AnySpec::Chain(study) => return chain(options, &study),
    };
    if loaded.float()?.is_none() {
        loaded.need_implementation("generate")?;
    }
    let beside = Loaded::files_of(&options.beside)?;
    let shared = loaded.shared(&beside)?;
    let mut files = match &shared {
        None => loaded.files(&options.to)?,
        Some(shared) => {
            need_hardware(options.to.iter().copied())?;
            shared.files(&options.to).map_err(|error| loaded.failure(error))?
        }
    };
    if options.with.contains(&With::Annotations) {
        annotate(&loaded, &mut files)?;
    }
    if options.with.contains(&With::Test) {
        files.extend(test(options, &loaded)?);
    }
    if options.check {
        return check(options, &files);
    }
    write_files(&options.output, &files)?;
    let folder = options.output.display().to_string();
    if options.json {
        let object = |file: &GeneratedFile| FileObject {
            name: file.name.clone(),
            bytes: file.text.len(),
            language: file.language,
            latency_clocks: match &shared {
                None => loaded.study.latency_clocks(file.language),
                Some(shared) => u32::try_from(shared.choice().unit.latency()).ok(),
            },
        };
        let files = files.iter().map(object).collect();
        let design = loaded.study.record();
        print::json(&GenerateObject { folder, files, design })?;
    } else {
        written(options, &files)?;
        let beside: Vec<String> =
            options.beside.iter().map(|path| path.display().to_string()).collect();
        let beside = match beside.is_empty() {
            true => String::new(),
            false => format!(" --beside {}", beside.join(",")),
        };
        let spec = options.spec.display();
        print::note(&format!("next: mrake verify {spec}{beside} --files {folder}"));
        if options.with.contains(&With::Test) {
            let (c, rust) = (Language::C, Language::Rust);
            let how = [(c, "make -C FOLDER"), (rust, "cd FOLDER && cargo run --release")];
            for (_, how) in how.iter().filter(|(language, _)| options.to.contains(language)) {
                print::note(&format!("the test: {}", how.replace("FOLDER", &folder)));
            }
        }
    }
    Ok(Outcome::Held)
}
