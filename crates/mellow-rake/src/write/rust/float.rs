//! A filter in floating point in Rust.

use super::{GeneratedFile, Language, ORIGIN, Symbols, array, camel_case, rows};
use crate::float::{FloatFilter, FloatFormat};
use crate::write::formula::{Names, formulas};
use std::fmt::Write;

/// The text of a filter in floating point in Rust: `NAME.rs`, and `NAME_pipe.rs`, a program that filters
/// numbers, each given as the integer of its bits, from its standard input to its standard output.
///
/// Rust neither contracts nor reorders operations, and rounds each as IEEE 754 says, on every target with
/// floating point of its own but for 32-bit x86 without SSE2.
///
/// ```
/// use mellow_rake::filter::{Form, Taps};
/// use mellow_rake::float::{FloatFilter, FloatFormat, FloatStructure};
/// use mellow_rake::write::{Symbols, rust};
/// let mean = Form::Taps(Taps(vec![0.5, 0.5]));
/// let filter = FloatFilter::new(&mean, FloatFormat::Single, FloatStructure::FirDirect)?;
/// let files = rust::write_float(&filter, &Symbols::new(&mellow_rake::spec::Name::new("mean")?));
/// assert!(files[0].text.contains("pub fn step(&mut self, input: f32) -> f32 {"));
/// # Ok::<(), Box<dyn std::error::Error>>(())
/// ```
pub fn write_float(filter: &FloatFilter, symbols: &Symbols) -> Vec<GeneratedFile> {
    let name = camel_case(symbols.base());
    let file = |ending: &str, text: String| GeneratedFile {
        language: Language::Rust,
        name: format!("{}{ending}", symbols.base()),
        text,
    };
    vec![file(".rs", module(filter, &name)), file("_pipe.rs", pipe(filter, symbols.base(), &name))]
}

/// A number in as few digits as tell it from its neighbours.
struct Number(FloatFormat, f64);

impl std::fmt::Display for Number {
    fn fmt(&self, formatter: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        match self.0 {
            FloatFormat::Single => write!(formatter, "{:?}", self.1 as f32),
            FloatFormat::Double => write!(formatter, "{:?}", self.1),
        }
    }
}

/// What is remembered: its name, its docs and its size; nothing of a single tap.
fn member(filter: &FloatFilter) -> Option<(&'static str, String, [usize; 2])> {
    let rows = filter.rows();
    match filter.structure().section() {
        Some(program) => {
            let docs = format!("Of each section {}.", program.holds);
            Some(("s", docs, [rows.len(), program.states.len()]))
        }
        None if rows[0].len() > 1 => {
            Some(("x", "The input k + 1 samples ago at k.".to_owned(), [1, rows[0].len() - 1]))
        }
        None => None,
    }
}

fn module(filter: &FloatFilter, name: &str) -> String {
    let kind = filter.format().as_str();
    let table: Vec<Vec<Number>> = filter
        .rows()
        .iter()
        .map(|row| row.iter().map(|value| Number(filter.format(), *value)).collect())
        .collect();
    let (what, caption) = match filter.structure().section() {
        Some(_) => (
            "SECTIONS",
            "b0, b1, b2, a1, a2 of H(z) = (b0 + b1 z^-1 + b2 z^-2)/(1 + a1 z^-1 + a2 z^-2).",
        ),
        None => ("TAPS", "h[0] first: y[n] = h[0] x[n] + h[1] x[n-1] + ..."),
    };
    let (members, zeros) = match member(filter) {
        None => (String::new(), "Self {}".to_owned()),
        Some((member, docs, [rows, columns])) => (
            format!("    /// {docs}\n    {member}: {},\n", array(kind, rows, columns)),
            format!("Self {{ {member}: {} }}", array("0.0", rows, columns)),
        ),
    };
    let step = match filter.structure().section() {
        Some(_) => sections(filter),
        None => taps(filter),
    };
    format!(
        "// {ORIGIN}\n//\n\
         // Nothing here can panic: each index lies within an array whose length the compiler knows.\n\n\
         /// {caption}\n#[rustfmt::skip]\nstatic {what}: {} = [\n{}];\n\n\
         /// One filter in {kind}, {}; as many as you like side by side.\n///\n\
         /// Every operation is one of IEEE 754, rounded to nearest, in the order of the text. A processor\n\
         /// that takes subnormal numbers for zero gives other bits. An infinity, or what is not a\n\
         /// number, stays in a feedback: begin anew with [`{name}::new`]. The output belongs to the input\n\
         /// of the same call.\n\
         #[derive(Debug, Clone, PartialEq)]\npub struct {name} {{\n{members}}}\n\n\
         // Not everyone calls all of them.\n#[allow(dead_code)]\n#[rustfmt::skip]\nimpl {name} {{\n    \
         /// A filter in the zero state.\n    \
         pub const fn new() -> Self {{\n        {zeros}\n    }}\n\n    /// One sample.\n    \
         pub fn step(&mut self, input: {kind}) -> {kind} {{\n{step}    }}\n\n    \
         /// As many samples as the shorter of the two slices holds.\n    \
         pub fn block(&mut self, input: &[{kind}], output: &mut [{kind}]) {{\n        \
         for (input, output) in input.iter().zip(output) {{\n            \
         *output = self.step(*input);\n        }}\n    }}\n}}\n\n\
         impl Default for {name} {{\n    fn default() -> Self {{\n        Self::new()\n    }}\n}}\n",
        array(kind, table.len(), table[0].len()),
        rows(&table),
        filter.structure().as_str(),
    )
}

fn sections(filter: &FloatFilter) -> String {
    let Some(program) = filter.structure().section() else { return String::new() };
    let names = Names { input: "word", output: "y", coefficients: "c", states: "s" };
    let (output, next) = formulas(&program, &names);
    let (head, indent, tail) = match filter.rows().len() {
        1 => (
            "        let (c, s, word) = (&SECTIONS, &mut self.s, input);\n",
            "        ",
            "        y\n",
        ),
        _ => (
            "        let mut word = input;\n        for (c, s) in SECTIONS.iter().zip(&mut self.s) {\n",
            "            ",
            "            word = y;\n        }\n        word\n",
        ),
    };
    let mut text = format!("{head}{indent}let y = {output};\n");
    for (place, formula) in next {
        let _ = writeln!(text, "{indent}s[{place}] = {formula};");
    }
    text.push_str(tail);
    text
}

fn taps(filter: &FloatFilter) -> String {
    let taps = filter.rows()[0].len();
    if taps == 1 {
        return "        TAPS[0] * input\n".to_owned();
    }
    let shift = match taps {
        2 => String::new(),
        _ => format!("        self.x.copy_within(..{}, 1);\n", taps - 2),
    };
    format!(
        "        let mut sum = TAPS[0] * input;\n        \
         for (h, x) in TAPS[1..].iter().zip(&self.x) {{\n            sum += h * x;\n        }}\n\
         {shift}        self.x[0] = input;\n        sum\n"
    )
}

fn pipe(filter: &FloatFilter, base: &str, name: &str) -> String {
    let (bits, signed, not_a_number) = match filter.format() {
        FloatFormat::Single => ("u32", "i32", "0x7fc0_0000"),
        FloatFormat::Double => ("u64", "i64", "0x7ff8_0000_0000_0000"),
    };
    include_str!("pipe_float.rs.txt")
        .replace("ORIGIN", ORIGIN)
        .replace("FILTER", name)
        .replace("NUMBER", filter.format().as_str())
        .replace("BITS", bits)
        .replace("SIGNED", signed)
        .replace("ALIKE", not_a_number)
        // A name may hold any of the words above.
        .replace("FILE", base)
}
