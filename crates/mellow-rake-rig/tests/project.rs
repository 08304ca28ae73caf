//! The test that is written beside a filter: it builds where it lies, passes, and fails where the filter is
//! not the one that it was written for.

use mellow_rake::study::{Study, StudyError, TestWish};
use mellow_rake::write::{GeneratedFile, Language, Symbols, TestWords};
use std::path::Path;
use std::process::{Command, Output};

const DEMOS: [&str; 3] = [
    include_str!("../../../demo/mooring/pump_hum.toml"),
    include_str!("../../../demo/breath/breath.toml"),
    include_str!("../../../demo/modem/carrier_band.toml"),
];

/// The demo's spec in floating point.
fn in_float(text: &str, format: &str) -> String {
    let (before, after) = text.split_once("[fixed]").unwrap();
    let after = after.split_once("\n[").map_or("", |(_, after)| after);
    format!("{before}[float]\nformat = \"{format}\"\n\n[{after}")
}

fn study(text: &str) -> Study {
    Study::of_text(text, |_| unreachable!("it names no file")).unwrap()
}

/// The filter and its test in a language.
fn files(study: &Study, language: Language, wish: TestWish<'_>) -> Vec<GeneratedFile> {
    let mut files = study.files(&[language]).unwrap();
    let project = study.test_project(wish).unwrap();
    files.extend(project.files(language, &Symbols::new(&study.spec.name)));
    files
}

fn lay_out(files: &[GeneratedFile], folder: &Path) {
    for file in files {
        std::fs::write(folder.join(&file.name), &file.text).unwrap();
    }
}

/// Builds and runs the test as its users do, so many samples at a call.
fn tested(language: Language, folder: &Path, block: usize) -> Output {
    let mut command = match language {
        Language::Rust => Command::new("cargo"),
        _ => Command::new("make"),
    };
    match language {
        Language::Rust => {
            command.args(["run", "--release", "--offline", "--quiet", "--", &block.to_string()]);
            command.env("RUSTFLAGS", "-D warnings");
        }
        // Every warning that firmware is built with.
        _ => {
            let flags = "CFLAGS=-std=c99 -pedantic -Wall -Wextra -Wshadow -Werror -O2";
            command.args(["--silent", flags, &format!("BLOCK={block}")]);
        }
    }
    command.env_remove("CARGO_TARGET_DIR").current_dir(folder).output().unwrap()
}

fn printed(output: &Output) -> String {
    String::from_utf8_lossy(&output.stdout).into_owned() + &String::from_utf8_lossy(&output.stderr)
}

#[test]
fn the_test_of_every_demo_passes_and_sees_a_change() {
    let specs = DEMOS
        .iter()
        .flat_map(|demo| [(*demo).to_owned(), in_float(demo, "f32"), in_float(demo, "f64")]);
    for (index, text) in specs.enumerate() {
        let study = study(&text);
        for language in [Language::C, Language::Rust] {
            let folder = tempfile::tempdir().unwrap();
            let files = files(&study, language, TestWish::default().within(300));
            lay_out(&files, folder.path());
            for block in [0, 1, 32, 256] {
                let output = tested(language, folder.path(), block);
                let text = printed(&output);
                assert!(output.status.success(), "{index} {block}\n{text}");
                assert!(text.ends_with("PASS\n") && text.matches(" equal").count() == 4, "{text}");
            }
            // Each coefficient is told in its own way; the first of the table becomes another.
            let table = files[if language == Language::C { 1 } else { 0 }].clone();
            let start = table.text.find("] = {").or_else(|| table.text.find("] = [")).unwrap();
            let start = start + table.text[start..].find('\n').unwrap();
            let (before, numbers) = table.text.split_at(start);
            let digit = numbers.find(|c: char| ('1'..='8').contains(&c)).unwrap();
            let mut changed = numbers.to_owned();
            let other = (numbers.as_bytes()[digit] + 1) as char;
            changed.replace_range(digit..=digit, &other.to_string());
            let changed = GeneratedFile { text: format!("{before}{changed}"), ..table };
            lay_out(&[changed], folder.path());
            let output = tested(language, folder.path(), 32);
            let text = printed(&output);
            let is_failed = matches!(output.status.code(), Some(1 | 2)) && !output.status.success();
            assert!(is_failed && text.contains("FAIL"), "{index}\n{text}");
            assert!(text.contains("differ, the first at "), "{text}");
        }
    }
}

/// What a processor without a library needs is there: the runner calls the filter and nothing else but what
/// every compiler may put in, copies of memory and its own arithmetic.
#[test]
fn the_runner_needs_no_library() {
    for text in [DEMOS[0].to_owned(), in_float(DEMOS[0], "f32")] {
        let folder = tempfile::tempdir().unwrap();
        lay_out(&files(&study(&text), Language::C, TestWish::default()), folder.path());
        let mut compile = Command::new("cc");
        compile.args(["-std=c99", "-O2", "-ffreestanding", "-c", "pump_hum.c"]);
        compile.args(["pump_hum_test.c", "pump_hum_vectors.c"]).current_dir(folder.path());
        assert!(compile.status().unwrap().success());
        let mut names = Command::new("nm");
        names.args(["-u", "pump_hum.o", "pump_hum_test.o", "pump_hum_vectors.o"]);
        let output = names.current_dir(folder.path()).output().unwrap();
        let text = printed(&output);
        let undefined = text.lines().filter_map(|line| line.trim().strip_prefix("U "));
        for name in undefined {
            let is_known =
                name.starts_with("pump_hum") || ["memcpy", "memset", "memmove"].contains(&name);
            assert!(is_known || name.starts_with("_GLOBAL_OFFSET"), "{name}");
        }
    }
}

/// A recording with what must come out for it.
#[test]
fn a_reference_of_ones_own_counts() {
    let study = study(&in_float(DEMOS[0], "f64"));
    let recording: Vec<f64> = (0..200).map(|n| f64::from(n % 17) / 32.0 - 0.25).collect();
    let found = study.design.form.start().run(&recording);
    let wish = TestWish::default().of_recording(&recording, Some(&found));
    let project = study.test_project(wish).unwrap();
    assert_eq!(project.signals[0].name, "recording");
    assert!(matches!(project.words, TestWords::Numbers(_)));
    assert_eq!(project.signals[0].reference, found);
    let other: Vec<f64> = found.iter().map(|y| y + 1e-3).collect();
    for (reference, passes) in [(&found, true), (&other, false)] {
        // What the simulator has is not asked of a reference of one's own: it is what min_ser says.
        let wish = TestWish::default().of_recording(&recording, Some(reference));
        let folder = tempfile::tempdir().unwrap();
        lay_out(&files(&study, Language::C, wish), folder.path());
        let output = tested(Language::C, folder.path(), 0);
        assert_eq!(output.status.success(), passes, "{}", printed(&output));
    }
    let wish = TestWish::default().of_recording(&recording, Some(&found[..150]));
    let error = study.test_project(wish).unwrap_err();
    assert_eq!(error, StudyError::Reference { found: 150, needed: 200 });
    assert!(study.test_project(wish.within(150)).is_ok());
}
