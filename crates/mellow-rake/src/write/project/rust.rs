//! The test in Rust.

use super::{GeneratedFile, Language, TestProject, TestWords, elements};
use crate::float::FloatFormat;
use crate::write::ORIGIN;
use crate::write::rust::{camel_case, storage};
use std::fmt::Write;

pub(super) fn files(project: &TestProject, name: &str) -> Vec<GeneratedFile> {
    let types = types(project.words);
    let file = |name: String, text: String| GeneratedFile { language: Language::Rust, name, text };
    let mut runner = include_str!("test.rs.txt").to_owned();
    for (from, to) in [
        ("@ORIGIN@", ORIGIN.to_owned()),
        ("@STEP_OF_ERRORS@", format!("{:?}", project.words.step())),
        ("@IS_EXACT@", project.words.is_exact().to_string()),
        ("@VALUE_OF_ONE@", format!("{:?}", project.words.value_of_one())),
        ("@ZERO@", zero(project.words).to_owned()),
        ("@OUTPUT@", types[1].clone()),
        ("@FILTER@", camel_case(name)),
        ("@NAME@", name.to_owned()),
    ] {
        runner = runner.replace(from, &to);
    }
    let manifest =
        include_str!("Cargo.toml.txt").replace("@ORIGIN@", ORIGIN).replace("@NAME@", name);
    vec![
        file(format!("{name}_vectors.rs"), vectors(project, &types)),
        file(format!("{name}_test.rs"), runner),
        file("Cargo.toml".to_owned(), manifest),
    ]
}

fn types(words: TestWords) -> [String; 2] {
    match words {
        TestWords::Integers(formats) => formats.map(storage),
        TestWords::Numbers(format) => [format.as_str(), format.as_str()].map(str::to_owned),
    }
}

fn zero(words: TestWords) -> &'static str {
    if words.is_exact() { "0" } else { "0.0" }
}

/// A word, or a number in as few digits as tell it from its neighbours.
fn word(words: TestWords, word: i64) -> String {
    match words {
        TestWords::Integers(_) => word.to_string(),
        TestWords::Numbers(FloatFormat::Single) => {
            format!("{:?}", FloatFormat::Single.number(word) as f32)
        }
        TestWords::Numbers(format) => format!("{:?}", format.number(word)),
    }
}

fn vectors(project: &TestProject, [input, output]: &[String; 2]) -> String {
    let mut text = format!(
        "// {ORIGIN}\n\n\
         /// What goes in, what must come out, and what the filter in floating point makes of it, as
         /// values.\n\
         pub struct Signal {{\n    pub name: &'static str,\n    pub input: &'static [{input}],\n    \
         pub expected: &'static [{output}],\n    pub reference: &'static [f64],\n    \
         /// Where words need not be equal: the least signal-to-error ratio, in decibels.\n    \
         pub least_ratio: f64,\n}}\n\n\
         #[rustfmt::skip]\npub static SIGNALS: [Signal; {}] = [\n",
        project.signals.len()
    );
    for signal in &project.signals {
        let spell = |value: &i64| word(project.words, *value);
        let _ = write!(
            text,
            "Signal {{\n    name: \"{}\",\n    input: &[\n{}    ],\n    expected: &[\n{}    ],\n    \
             reference: &[\n{}    ],\n    least_ratio: {:?},\n}},\n",
            signal.name,
            elements(&signal.input, 8, spell),
            elements(&signal.expected, 8, spell),
            elements(&signal.reference, 4, |value| format!("{value:?}")),
            signal.least_ratio_db,
        );
    }
    text.push_str("];\n");
    text
}
