//! Filters from their specs, written while a firmware project is built.
//!
//! A `build.rs` names the folder of the specs; what is written lies in `OUT_DIR`, is written anew when a spec
//! or a file of coefficients changes, and is always what the spec says. A spec that cannot be, a filter that
//! misses what its spec asks for, or a proof that its spec asks for and that there is none of, fails the
//! build with the line of the spec.
//!
//! ```no_run
//! // build.rs
//! use mellow_rake::spec::Tune;
//! use mellow_rake::write::Language;
//! fn main() -> Result<(), Box<dyn std::error::Error>> {
//!     mellow_rake_build::Generator::new("filters")
//!         .languages([Language::C, Language::Rust])
//!         .tune(Tune::CortexM4)
//!         .write()?;
//!     Ok(())
//! }
//! ```
//!
//! Rust takes the module in with
//!
//! ```text
//! mod pump_hum {
//!     include!(concat!(env!("OUT_DIR"), "/pump_hum.rs"));
//! }
//! ```
//!
//! and C is compiled by whatever the project compiles C with, from the folder that
//! [`write`](Generator::write) gives.

use mellow_rake::spec::Tune;
use mellow_rake::study::{Study, StudyError};
use mellow_rake::write::{GeneratedFile, Language};
use mellow_rake_files::{
    MOST_BYTES_OF_A_SPEC, WriteFileError, coefficients_beside, read_whole, write_whole,
};
use std::cell::RefCell;
use std::fmt::Write;
use std::path::{Path, PathBuf};

/// What cannot be built, and why.
#[derive(Debug, thiserror::Error)]
#[non_exhaustive]
pub enum BuildError {
    /// A folder or a spec that cannot be read.
    #[error("{}: {source}", path.display())]
    Read {
        /// Where.
        path: PathBuf,
        /// Why.
        source: std::io::Error,
    },
    /// A spec that is not text.
    #[error("{}: not UTF-8 text", path.display())]
    Text {
        /// Where.
        path: PathBuf,
    },
    /// A folder without specs.
    #[error("{}: there is no file ending in .toml", path.display())]
    Empty {
        /// Where.
        path: PathBuf,
    },
    /// A spec that gives no filter, no integers or no text; a proof that is missing is among this.
    #[error("{}: {error}", path.display())]
    Study {
        /// The spec.
        path: PathBuf,
        /// What is wrong, with the line and the key.
        error: Box<StudyError>,
    },
    /// A filter that is not what its spec asks for.
    #[error(
        "{}: line {line}: the {stage} filter misses what is asked for (`mrake {command} {}` shows where)",
        path.display(), path.display()
    )]
    Missed {
        /// The spec.
        path: PathBuf,
        /// The line of its wish.
        line: usize,
        /// Which filter misses it.
        stage: &'static str,
        /// The command that shows it.
        command: &'static str,
    },
    /// Two specs of one name, whose files would be the same.
    #[error(
        "{} and {}: both are named `{name}`, and so would be their files",
        first.display(), second.display()
    )]
    Twice {
        /// The name.
        name: String,
        /// One spec.
        first: PathBuf,
        /// The other.
        second: PathBuf,
    },
    /// A file that cannot be written.
    #[error(transparent)]
    Write(#[from] WriteFileError),
    /// There is no folder to write into.
    #[error("OUT_DIR is not set: this runs in a build script, or needs `into_folder`")]
    NoFolder,
}

/// Writes the filters of a folder of specs.
#[derive(Debug, Clone)]
pub struct Generator {
    specs: PathBuf,
    languages: Vec<Language>,
    tune: Option<Tune>,
    folder: Option<PathBuf>,
}

/// What was written.
#[derive(Debug, Clone, PartialEq, Eq)]
#[non_exhaustive]
pub struct Written {
    /// The folder.
    pub folder: PathBuf,
    /// The files in it, by name.
    pub files: Vec<PathBuf>,
    /// What the build has to be done again for.
    pub inputs: Vec<PathBuf>,
}

impl Generator {
    /// For all specs (`.toml`) of a folder, or for the spec of this name; as C until other languages are
    /// named.
    pub fn new(specs: impl Into<PathBuf>) -> Self {
        Generator { specs: specs.into(), languages: vec![Language::C], tune: None, folder: None }
    }

    /// In these languages.
    pub fn languages(self, languages: impl IntoIterator<Item = Language>) -> Self {
        Generator { languages: languages.into_iter().collect(), ..self }
    }

    /// With C tuned to a core, whatever the specs say. Filters in floating point have one form for all.
    pub fn tune(self, tune: Tune) -> Self {
        Generator { tune: Some(tune), ..self }
    }

    /// Into this folder, which is made if it is not there, and not into `OUT_DIR`.
    pub fn into_folder(self, folder: impl Into<PathBuf>) -> Self {
        Generator { folder: Some(folder.into()), ..self }
    }

    /// Writes them, and tells Cargo what to look at. A file that is there already as it would be written is
    /// left alone, so that nothing is compiled again for it. The programs for pipes are not among them.
    ///
    /// # Errors
    /// [`BuildError`] names the spec, and the line in it where that is what is wrong. Nothing is written
    /// then.
    pub fn write(self) -> Result<Written, BuildError> {
        let folder = match &self.folder {
            Some(folder) => folder.clone(),
            None => std::env::var_os("OUT_DIR").map(PathBuf::from).ok_or(BuildError::NoFolder)?,
        };
        let specs = specs(&self.specs)?;
        let mut inputs = vec![self.specs.clone()];
        let mut names: Vec<(String, PathBuf)> = Vec::new();
        let mut files = Vec::new();
        for path in specs {
            inputs.push(path.clone());
            let study = self.study(&path, &mut inputs)?;
            let name = study.spec.name.to_string();
            if let Some((_, first)) = names.iter().find(|(known, _)| *known == name) {
                return Err(BuildError::Twice { name, first: first.clone(), second: path });
            }
            names.push((name, path.clone()));
            let refused = |error| BuildError::Study { path: path.clone(), error: Box::new(error) };
            files.extend(study.files(&self.languages).map_err(refused)?);
        }
        inputs.dedup();
        print!("{}", directives(&inputs));
        let is_kept = |file: &GeneratedFile| {
            !file.name.ends_with("_pipe.c") && !file.name.ends_with("_pipe.rs")
        };
        let read = |source| BuildError::Read { path: folder.clone(), source };
        std::fs::create_dir_all(&folder).map_err(read)?;
        let mut written = Vec::new();
        for file in files.iter().filter(|file| is_kept(file)) {
            let path = folder.join(&file.name);
            if std::fs::read(&path).ok().as_deref() != Some(file.text.as_bytes()) {
                write_whole(&path, file.text.as_bytes())?;
            }
            written.push(path);
        }
        Ok(Written { folder, files: written, inputs })
    }

    /// The filter of a spec, if it is what the spec asks for.
    fn study(&self, path: &Path, inputs: &mut Vec<PathBuf>) -> Result<Study, BuildError> {
        let bytes = read_whole(path, MOST_BYTES_OF_A_SPEC)
            .map_err(|source| BuildError::Read { path: path.to_owned(), source })?;
        let text =
            String::from_utf8(bytes).map_err(|_| BuildError::Text { path: path.to_owned() })?;
        let named = RefCell::new(Vec::new());
        let coefficients = |name: &str| {
            named.borrow_mut().push(path.parent().unwrap_or(Path::new("")).join(name));
            coefficients_beside(path, name)
        };
        let refused = |error| BuildError::Study { path: path.to_owned(), error: Box::new(error) };
        let study = Study::of_text(&text, coefficients);
        inputs.append(&mut named.borrow_mut());
        let study = study.map_err(refused)?;
        let missed = |stage, command| {
            let line = text.lines().position(|line| line.trim_start().starts_with("[want"));
            let line = line.map_or(1, |line| line + 1);
            Err(BuildError::Missed { path: path.to_owned(), line, stage, command })
        };
        if study.meets_spec() == Some(false) {
            return missed("designed", "design");
        }
        let excess = |measures: &mellow_rake::quality::Measures| {
            measures.template_excess_db(&study.design.choice)
        };
        let is_beyond = |excess: Option<f64>| excess.is_some_and(|excess| excess > 0.0);
        // The rounding of floating point moves a response by less than anybody asks for.
        if study.implementation().map_err(refused)?.is_some()
            && let Some(rounded) = study.rounded()
            && is_beyond(excess(&rounded.measures))
        {
            return missed("rounded", "quantize");
        }
        match self.tune {
            Some(tune) if study.spec.fixed.is_some() => study.tuned_to(tune).map_err(refused),
            _ => Ok(study),
        }
    }
}

/// The specs of a folder by name, or the spec that is named.
fn specs(path: &Path) -> Result<Vec<PathBuf>, BuildError> {
    let read = |source| BuildError::Read { path: path.to_owned(), source };
    if path.is_file() {
        return Ok(vec![path.to_owned()]);
    }
    let mut all = Vec::new();
    for entry in std::fs::read_dir(path).map_err(read)? {
        let file = entry.map_err(read)?.path();
        if file.extension().is_some_and(|ending| ending == "toml") && file.is_file() {
            all.push(file);
        }
    }
    all.sort();
    match all.is_empty() {
        true => Err(BuildError::Empty { path: path.to_owned() }),
        false => Ok(all),
    }
}

/// What Cargo has to look at. It reads line by line, so that a path with the end of a line in it cannot be
/// told; then the build is done again each time.
fn directives(inputs: &[PathBuf]) -> String {
    let mut text = String::new();
    let paths: Vec<String> = inputs.iter().map(|path| path.display().to_string()).collect();
    if paths.iter().any(|path| path.contains('\n')) {
        return text;
    }
    for path in paths {
        let _ = writeln!(text, "cargo:rerun-if-changed={path}");
    }
    text
}
