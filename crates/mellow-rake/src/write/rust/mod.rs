//! The Rust writer: no library but `core`, no allocation, no `unsafe`, one structure per filter.
//!
//! Advice for those who change this file: what is written must pass `clippy` with all its default lints
//! denied, run with overflow checks on, and hold no way to panic once it is optimized. So sums that wrap by
//! design say so, loops go through slices of a length that the compiler knows, and conversions stand only
//! where a type changes.

mod float;
mod functions;
mod mixer;
mod network;
mod places;
mod statements;
mod types;

pub use float::write_float;
pub use network::write_network;

use super::capability::{Capability, per_sample};
use super::captions::caption;
use super::lower::{Lowered, lower, lower_for_processor};
use super::{GeneratedFile, Language, ORIGIN, Symbols, WriteError};
use crate::datapath::{Checked, Coefficients, Table, dump};
use crate::fixed::WordFormat;
use crate::spec::Firmware;
use functions::Functions;
use std::fmt::Write;
use types::Integer;

/// The text of a datapath in Rust: `NAME.rs`, a module, and `NAME_pipe.rs`, a program that filters integers
/// from its standard input to its standard output.
///
/// # Errors
/// [`WriteError`] names the node that cannot be expressed in 64 bits and what would fit.
///
/// ```
/// use mellow_rake::datapath::fir_direct;
/// use mellow_rake::fixed::{Overflow, Rounding, round_coefficients};
/// use mellow_rake::write::{Symbols, rust};
/// let taps = round_coefficients(&[vec![0.125; 8]], "s8f7".parse()?)?;
/// let word = "s16f15".parse()?;
/// let average = fir_direct(&taps, word, word, Rounding::HalfUp, Overflow::Saturate)?.check()?;
/// let files = rust::write(&average, &Symbols::new(&mellow_rake::spec::Name::new("average")?))?;
/// assert_eq!(files[0].name, "average.rs");
/// assert!(files[0].text.contains("pub fn step(&mut self, input: i16) -> i16 {"));
/// # Ok::<(), Box<dyn std::error::Error>>(())
/// ```
pub fn write(checked: &Checked, symbols: &Symbols) -> Result<Vec<GeneratedFile>, WriteError> {
    write_for(checked, symbols, Firmware::default())
}

/// The same as firmware is to be: several outputs of taps at once where the core has registers for them and
/// no instructions for vectors, a function for streams that come interleaved. All forms give the same
/// integers.
///
/// # Errors
/// As of [`write`](fn@write).
///
/// ```
/// use mellow_rake::datapath::fir_direct;
/// use mellow_rake::fixed::{Overflow, Rounding, round_coefficients};
/// use mellow_rake::spec::{Firmware, Tune};
/// use mellow_rake::write::{Symbols, rust};
/// let taps = round_coefficients(&[vec![0.125; 8]], "s8f7".parse()?)?;
/// let word = "s16f15".parse()?;
/// let average = fir_direct(&taps, word, word, Rounding::HalfUp, Overflow::Saturate)?.check()?;
/// let symbols = Symbols::new(&mellow_rake::spec::Name::new("average")?);
/// let firmware = Firmware { tune: Tune::Rv32, ..Firmware::default() };
/// let module = &rust::write_for(&average, &symbols, firmware)?[0];
/// assert!(module.text.contains("fn several(window: &[i16]) -> [i16; 4] {"));
/// # Ok::<(), Box<dyn std::error::Error>>(())
/// ```
pub fn write_for(
    checked: &Checked,
    symbols: &Symbols,
    firmware: Firmware,
) -> Result<Vec<GeneratedFile>, WriteError> {
    per_sample("Rust", checked)?;
    Capability { target: "Rust", widest: 64 }.check(&lower(checked))?;
    let lowered = lower_for_processor(checked);
    let file = |ending: &str, text: String| GeneratedFile {
        language: Language::Rust,
        name: format!("{}{ending}", symbols.base()),
        text,
    };
    let name = camel_case(symbols.base());
    Ok(vec![
        file(".rs", module(checked, &lowered, firmware, &name)),
        file("_pipe.rs", pipe(&lowered, symbols.base(), &name)),
    ])
}

/// Words that Rust keeps for itself (The Rust Reference, "Keywords", editions up to 2024), as far as they are
/// not those of C as well.
pub(super) const RESERVED: &str = "abstract as async await become box crate dyn fn gen impl in let loop \
    macro_rules match mod move mut priv pub ref self super trait type unsafe unsized use where yield";

/// The type that a word of a format is stored in.
pub(super) fn storage(format: WordFormat) -> String {
    Integer::storing(format).name()
}

/// The name of a structure: each word of the name with a capital.
pub(super) fn camel_case(name: &str) -> String {
    let capital = |word: &str| {
        let mut letters = word.chars();
        let first = letters.next().map(|letter| letter.to_ascii_uppercase());
        first
            .into_iter()
            .chain(letters.map(|letter| letter.to_ascii_lowercase()))
            .collect::<String>()
    };
    name.split('_').map(capital).collect()
}

/// The name of a line or of what goes through a table.
fn field(name: &str) -> String {
    let name = name.to_ascii_lowercase();
    let is_reserved = RESERVED.split_whitespace().any(|word| word == name);
    if is_reserved { format!("{name}_") } else { name }
}

/// The name of a table.
fn constant(name: &str) -> String {
    name.to_ascii_uppercase()
}

/// `[[i16; 2]; 4]`, or `[i16; 2]` for a table or line of one row.
fn array(element: &str, rows: usize, columns: usize) -> String {
    if rows > 1 {
        format!("[[{element}; {columns}]; {rows}]")
    } else {
        format!("[{element}; {columns}]")
    }
}

fn module(checked: &Checked, lowered: &Lowered, firmware: Firmware, name: &str) -> String {
    let mut functions = Functions::new(lowered, firmware);
    let (input, output) = (lowered.input(), lowered.output());
    let mut text =
        format!("// {ORIGIN}\n//\n// The program, in the terms of the comments below:\n//\n");
    for line in dump(checked).lines() {
        let _ = writeln!(text, "//   {line}");
    }
    text.push_str(
        "//\n// Nothing here can panic: each index and each slice lies within an array whose length the\n\
         // compiler knows, each shift is shorter than its type, and each sum is proved to fit its type or\n\
         // wraps on purpose. So overflow checks find nothing either.\n",
    );
    for (index, table) in lowered.tables.iter().enumerate() {
        text.push_str(&constants(table, lowered.notes[index]));
        if lowered.looks_up_exponents[index] {
            text.push_str(&exponents(table));
        }
    }
    let _ = write!(
        text,
        "\n/// One filter, {input} to {output}; as many as you like side by side.\n///\n\
         /// A word holding the integer i has the value i / 2^f, with f the number after the letter f. The\n\
         /// output belongs to the input of the same call.\n{}\
         #[derive(Debug, Clone, PartialEq, Eq)]\npub struct {name} {{\n{}}}\n",
        transfer_function(lowered),
        functions.members()
    );
    let _ = write!(
        text,
        "\n// Not everyone calls all of them.\n#[allow(dead_code)]\n#[rustfmt::skip]\nimpl {name} {{\n    \
         /// A filter in the zero state.\n    \
         pub const fn new() -> Self {{\n        \
         Self {}\n    }}\n\n{}}}\n\n\
         impl Default for {name} {{\n    fn default() -> Self {{\n        Self::new()\n    }}\n}}\n",
        functions.zeros(),
        functions.text(),
    );
    text.push_str(&functions.helpers.text());
    text
}

/// What the coefficients make, for the docs.
fn transfer_function(lowered: &Lowered) -> &'static str {
    let holds = |kind: Coefficients| lowered.tables.iter().any(|table| table.holds == kind);
    if holds(Coefficients::Sections) {
        "///\n/// The coefficients are those of sections (b0 + b1 z^-1 + b2 z^-2)/(1 + a1 z^-1 + a2 \
         z^-2) of H(z).\n"
    } else if holds(Coefficients::Taps) || holds(Coefficients::TapsBackward) {
        "///\n/// The coefficients are those of H(z) = h[0] + h[1] z^-1 + h[2] z^-2 + ...\n"
    } else if holds(Coefficients::TapsFolded) {
        "///\n/// The coefficients are those of H(z) = h[0] + h[1] z^-1 + h[2] z^-2 + ..., mirrored \
         about its middle.\n"
    } else {
        ""
    }
}

/// Rows of numbers as the elements of an array, eight in a line.
fn rows<T: ToString>(rows: &[Vec<T>]) -> String {
    let mut text = String::new();
    for row in rows {
        let numbers: Vec<String> = row.iter().map(T::to_string).collect();
        let indent = if rows.len() > 1 { "        " } else { "    " };
        let lines: Vec<String> = numbers.chunks(8).map(|chunk| chunk.join(", ")).collect();
        let _ = match (rows.len() > 1, lines.len()) {
            (true, 1) => writeln!(text, "    [{}],", lines[0]),
            (true, _) => {
                writeln!(text, "    [\n{indent}{},\n    ],", lines.join(&format!(",\n{indent}")))
            }
            (false, _) => writeln!(text, "    {},", lines.join(&format!(",\n{indent}"))),
        };
    }
    text
}

fn constants(table: &Table, note: Option<&'static str>) -> String {
    let order = caption(table.holds).iter().copied().chain(note);
    let order = order.collect::<Vec<_>>().join("\n/// ");
    format!(
        "\n/// {}, {order}\n#[rustfmt::skip]\nstatic {}: {} = [\n{}];\n",
        table.format,
        constant(table.name),
        array(&Integer::storing(table.format).name(), table.rows.len(), table.rows[0].len()),
        rows(&table.rows)
    )
}

/// Where coefficients have fractions of their own that a loop must look up.
fn exponents(table: &Table) -> String {
    format!(
        "\n/// So many bits the fraction of each coefficient is smaller than that of the table: it counts\n\
         /// 2^exponent times.\n#[rustfmt::skip]\nstatic {}_EXPONENT: {} = [\n{}];\n",
        constant(table.name),
        array("u8", table.rows.len(), table.rows[0].len()),
        rows(&table.exponents)
    )
}

fn pipe(lowered: &Lowered, base: &str, name: &str) -> String {
    include_str!("pipe.rs.txt")
        .replace("ORIGIN", ORIGIN)
        .replace("FILTER", name)
        .replace("INPUT", &Integer::storing(lowered.input()).name())
        .replace("LOWEST", &lowered.input().minimum().to_string())
        .replace("HIGHEST", &lowered.input().maximum().to_string())
        // A name may hold any of the words above.
        .replace("FILE", base)
}
