//! `mrake generate`

use crate::arguments::Generate;
use crate::failure::{Failure, Outcome};
use crate::load::Loaded;
use crate::print;
use mellow_rake::study::DesignRecord;
use mellow_rake::write::{GeneratedFile, Language};
use mellow_rake_files::write_whole;
use serde::Serialize;
use std::path::Path;

#[derive(Serialize)]
struct GenerateObject {
    folder: String,
    files: Vec<FileObject>,
    design: DesignRecord,
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

pub(crate) fn run(options: &Generate) -> Result<Outcome, Failure> {
    let loaded = Loaded::file(&options.spec)?;
    loaded.need_implementation("generate")?;
    let files = loaded.files(&options.to)?;
    write_files(&options.output, &files)?;
    let folder = options.output.display().to_string();
    if options.json {
        let object = |file: &GeneratedFile| FileObject {
            name: file.name.clone(),
            bytes: file.text.len(),
            language: file.language,
            latency_clocks: file.language.latency_clocks(),
        };
        let files = files.iter().map(object).collect();
        let design = loaded.study.record();
        print::json(&GenerateObject { folder, files, design })?;
    } else {
        for file in &files {
            let path = options.output.join(&file.name);
            print::text(&format!("{} ({} bytes)\n", path.display(), file.text.len()))?;
        }
        print::note(&format!("next: mrake verify {} --files {folder}", options.spec.display()));
    }
    Ok(Outcome::Held)
}
