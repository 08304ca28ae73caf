//! `mrake generate`

use crate::arguments::{Generate, Language};
use crate::failure::{Failure, Outcome};
use crate::load::Loaded;
use crate::print;
use mellow_rake::implementation::Implementation;
use mellow_rake::spec::Name;
use mellow_rake::study::DesignRecord;
use mellow_rake::write::{GeneratedFile, Symbols, c, verilog};
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
    language: &'static str,
    latency_clocks: Option<u32>,
}

/// The files of a filter in some languages.
pub(crate) fn files(
    name: &Name,
    implementation: &Implementation,
    languages: &[Language],
) -> Result<Vec<GeneratedFile>, Failure> {
    let symbols = Symbols::new(name);
    let mut files = Vec::new();
    if languages.contains(&Language::C) {
        files.extend(c::write(&implementation.checked, &symbols)?);
    }
    if languages.contains(&Language::Verilog) {
        files.extend(verilog::write(&implementation.checked, &symbols));
    }
    Ok(files)
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
    let implementation = loaded.need_implementation("generate")?;
    let files = files(&loaded.study.spec.name, implementation, &options.to)?;
    write_files(&options.output, &files)?;
    let folder = options.output.display().to_string();
    if options.json {
        let object = |file: &GeneratedFile| {
            let hardware = file.name.ends_with(".v");
            FileObject {
                name: file.name.clone(),
                bytes: file.text.len(),
                language: if hardware { "verilog" } else { "c" },
                latency_clocks: hardware.then_some(verilog::LATENCY_CLOCKS),
            }
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
