//! Generated Rust as a firmware engineer takes it: a module of a crate without `std`, under his lints.

use crate::filters;
use crate::floats;
use crate::random_chains::{any_chain, any_chain_words};
use crate::random_filters::any_firmware;
use mellow_rake::implementation::implement_chain;
use mellow_rake::random::NoiseSource;
use mellow_rake::spec::{Name, Structure};
use mellow_rake::write::{GeneratedFile, Symbols, rust};
use mellow_rake_rig::{ToolName, run};
use std::fmt::Write;
use std::path::Path;
use std::time::Duration;

const LIMIT: Duration = Duration::from_secs(120);

/// Random filters of every structure, whole and as sums of shifted words, such in floating point, and chains.
fn modules() -> Vec<GeneratedFile> {
    let times: usize =
        std::env::var("MELLOW_RAKE_CAMPAIGN").map_or(1, |times| times.parse().unwrap());
    let mut noise = NoiseSource::new(61);
    let mut files = Vec::new();
    for structure in Structure::ALL {
        for _ in 0..6 * times {
            let Some(filter) = filters::any_filter(&mut noise, structure) else { continue };
            // Sums of shifted words may need more bits than there are.
            let shifts = filter.checked.without_multiplier().ok();
            let shifts = shifts.and_then(|shifts| shifts.check().ok());
            for checked in std::iter::once(&filter.checked).chain(&shifts) {
                let name = Name::new(&format!("r{}_filter", files.len())).unwrap();
                // Products beyond 64 bits are refused.
                let firmware = any_firmware(&mut noise);
                let Ok(written) = rust::write_for(checked, &Symbols::new(&name), firmware) else {
                    continue;
                };
                files.extend(written.into_iter().next());
            }
        }
    }
    for _ in 0..30 * times {
        let (_, filter) = floats::any_float(&mut noise);
        let name = Name::new(&format!("r{}_filter", files.len())).unwrap();
        files.extend(rust::write_float(&filter, &Symbols::new(&name)).into_iter().next());
    }
    for _ in 0..16 * times {
        let chain = any_chain(&mut noise);
        let fixed = any_chain_words(&mut noise, &chain);
        let Ok(found) = implement_chain(&chain, &fixed) else { continue };
        let name = Name::new(&format!("r{}_chain", files.len())).unwrap();
        let written = rust::write_network(&found.network, &Symbols::new(&name), None).unwrap();
        files.extend(written.into_iter().next());
    }
    assert!(files.len() > 140, "{}", files.len());
    files
}

/// A crate without `std` that holds them all; one of them as text that it includes.
fn crate_of(files: &[GeneratedFile], folder: &Path) {
    let mut text = String::from(
        "//! Filters.\n#![no_std]\n#![forbid(unsafe_code)]\n#![warn(missing_docs, clippy::all)]\n",
    );
    for (index, file) in files.iter().enumerate() {
        std::fs::write(folder.join(&file.name), &file.text).unwrap();
        let module = file.name.strip_suffix(".rs").unwrap();
        let _ = match index {
            0 => {
                writeln!(text, "/// One.\npub mod {module} {{\n    include!(\"{module}.rs\");\n}}")
            }
            _ => writeln!(text, "/// One.\npub mod {module};"),
        };
        // Compiled here, and not only where someone calls it.
        let name = file.text.split("pub struct ").nth(1).unwrap().split(' ').next().unwrap();
        let words = file.text.split("pub fn block(&mut self, ").nth(1).unwrap();
        let (words, gives) = words.split_once(')').unwrap();
        let gives = gives.split(" {").next().unwrap();
        let _ = writeln!(
            text,
            "/// All of it.\n#[inline(never)]\n\
             pub fn run_{index}(f: &mut {module}::{name}, {words}){gives} {{\n    \
             f.block(input, output)\n}}"
        );
    }
    std::fs::write(folder.join("lib.rs"), text).unwrap();
}

#[test]
fn modules_pass_every_lint_without_std_and_hold_no_panic() {
    let files = modules();
    let folder = tempfile::tempdir().unwrap();
    crate_of(&files, folder.path());
    let rustc = ToolName::RUSTC.find().unwrap();
    let mut sysroot = rustc.command(folder.path());
    let sysroot = run(sysroot.args(["--print", "sysroot"]), b"", LIMIT).unwrap().text();

    let clippy = ToolName { program: "clippy-driver", package: "rust-clippy", ..ToolName::RUSTC };
    let mut lint = clippy.find().unwrap().command(folder.path());
    lint.args(["--edition", "2021", "--crate-type", "lib", "-D", "warnings", "lib.rs"]);
    lint.args(["--emit", "metadata", "-o", "lints.rmeta", "--sysroot", sysroot.trim()]);
    run(&mut lint, b"", LIMIT).unwrap();

    let mut format = std::process::Command::new("rustfmt");
    format.args(["--check", "--edition", "2021"]).current_dir(folder.path());
    format.args(files.iter().map(|file| &file.name));
    run(&mut format, b"", LIMIT).unwrap();

    // A way to panic that the compiler cannot rule out is a call in the text that it gives.
    let mut compile = rustc.command(folder.path());
    compile.args(["--edition", "2021", "--crate-type", "lib", "-C", "opt-level=3", "lib.rs"]);
    compile.args(["-C", "panic=abort", "--emit", "asm", "-o", "filters.s"]);
    run(&mut compile, b"", LIMIT).unwrap();
    let text = std::fs::read_to_string(folder.path().join("filters.s")).unwrap();
    let is_function = |line: &&str| line.contains(".type") && line.contains("run_");
    let blocks = text.lines().filter(is_function).count();
    assert!(blocks >= files.len(), "{blocks} of {}", files.len());
    let panics: Vec<&str> = text.lines().filter(|line| line.contains("panic")).take(9).collect();
    assert!(panics.is_empty(), "{panics:#?}");
}
