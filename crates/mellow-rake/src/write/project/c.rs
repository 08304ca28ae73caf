//! The test in C.

use super::{GeneratedFile, Language, TestProject, TestWords, elements};
use crate::float::FloatFormat;
use crate::write::ORIGIN;
use crate::write::c::storage;
use crate::write::number::c_integer;
use std::fmt::Write;

pub(super) fn files(project: &TestProject, name: &str, capitals: &str) -> Vec<GeneratedFile> {
    let types = types(project.words);
    let file = |name: String, text: String| GeneratedFile { language: Language::C, name, text };
    let fill = |text: &str| text.replace("@ORIGIN@", ORIGIN).replace("@NAME@", name);
    let header = include_str!("test.h").replace("@GUARD@", capitals);
    let header = header.replace("@INPUT@", types[0]).replace("@OUTPUT@", types[1]);
    let main = fill(include_str!("test_main.c"));
    let mut runner = include_str!("test.c").replace("@OUTPUT@", types[1]);
    for (from, to) in [
        ("@STEP_OF_ERRORS@", format!("{:?}", project.words.step())),
        ("@IS_EXACT@", i32::from(project.words.is_exact()).to_string()),
        ("@VALUE_OF_ONE@", format!("{:?}", project.words.value_of_one())),
    ] {
        runner = runner.replace(from, &to);
    }
    vec![
        file(format!("{name}_test.h"), fill(&header)),
        file(format!("{name}_vectors.c"), vectors(project, name, types)),
        file(format!("{name}_test.c"), fill(&runner)),
        file(format!("{name}_test_main.c"), main),
        file("Makefile".to_owned(), fill(include_str!("Makefile.txt"))),
    ]
}

/// The types of what comes in and goes out.
fn types(words: TestWords) -> [&'static str; 2] {
    match words {
        TestWords::Integers(formats) => formats.map(storage),
        TestWords::Numbers(FloatFormat::Single) => ["float"; 2],
        TestWords::Numbers(FloatFormat::Double) => ["double"; 2],
    }
}

/// A word, or a number as its digits in base 16, which are exact (6.4.4.2).
fn word(words: TestWords, word: i64) -> String {
    match words {
        TestWords::Integers(_) => c_integer(word.into()),
        TestWords::Numbers(format) => hexadecimal(format.number(word), format),
    }
}

/// A finite number in base 16: `-0x1.8p-3f`.
fn hexadecimal(value: f64, format: FloatFormat) -> String {
    let suffix = if format == FloatFormat::Single { "f" } else { "" };
    let sign = if value.is_sign_negative() { "-" } else { "" };
    let bits = value.to_bits();
    let (exponent, fraction) = ((bits >> 52) & 0x7ff, bits & ((1 << 52) - 1));
    let (whole, power) = match exponent {
        0 if fraction == 0 => return format!("{sign}0.0{suffix}"),
        0 => (0, -1022),
        _ => (1, exponent as i64 - 1023),
    };
    let digits = format!("{fraction:013x}");
    let digits = digits.trim_end_matches('0');
    let point = if digits.is_empty() { "" } else { "." };
    format!("{sign}0x{whole}{point}{digits}p{power}{suffix}")
}

fn vectors(project: &TestProject, name: &str, [input, output]: [&str; 2]) -> String {
    let mut text = format!("/* {ORIGIN} */\n#include \"{name}_test.h\"\n");
    for (index, signal) in project.signals.iter().enumerate() {
        let count = signal.input.len();
        let spell = |value: &i64| word(project.words, *value);
        let _ = write!(
            text,
            "\n/* {} */\nstatic const {input} input_{index}[{count}] = {{\n{}}};\n\
             static const {output} expected_{index}[{count}] = {{\n{}}};\n\
             static const double reference_{index}[{count}] = {{\n{}}};\n",
            signal.name,
            elements(&signal.input, 8, spell),
            elements(&signal.expected, 8, spell),
            elements(&signal.reference, 4, |value| hexadecimal(*value, FloatFormat::Double)),
        );
    }
    let _ = writeln!(
        text,
        "\nconst size_t {name}_signal_count = {};\nconst struct {name}_signal {name}_signals[] = {{",
        project.signals.len()
    );
    for (index, signal) in project.signals.iter().enumerate() {
        let _ = writeln!(
            text,
            "    {{ \"{}\", {}, input_{index}, expected_{index}, reference_{index}, {:?} }},",
            signal.name,
            signal.input.len(),
            signal.least_ratio_db
        );
    }
    text.push_str("};\n");
    text
}
