//! The Verilog writer: IEEE 1364-2005, one clock, one sample per valid clock, one register behind the
//! arithmetic.
//!
//! Advice for those who change this file: every variable is a plain vector of exactly the width of its node,
//! and every operand is brought to the width of its expression by hand, with its sign repeated. So nothing
//! depends on the language's rules for widening and for signed expressions (5.4, 5.5), which few people
//! remember alike, and addition, subtraction and multiplication of the low bits are right whatever the sign.

mod bench;
mod compute;
mod design;
mod vector;

use super::capability::per_sample;
use super::lower::{Lowered, lower};
use super::number::verilog_integer;
use super::register_transfer::{
    Design, Traffic, chain_design, parallel_design, program_lines, programs_lines, staged_design,
    time_shared_design, unit_design,
};
use super::{GeneratedFile, Language, ORIGIN, Symbols, WriteError};
use crate::datapath::{Checked, Coefficients, Line, Table, dump};
use crate::fixed::WordFormat;
use crate::hardware::{HardwareError, NetworkHardware, Parallel, Scheduled, Staged, TimeShared};
use compute::Compute;
use std::fmt::Write;

/// Clock cycles from a valid input to the output that belongs to it.
pub const LATENCY_CLOCKS: u32 = 1;

/// The text of a datapath in Verilog: `NAME.v`, and `NAME_tb.v`, a test bench that reads stimulus and
/// expected output from hex files and checks every sample.
///
/// ```
/// use mellow_rake::datapath::fir_direct;
/// use mellow_rake::fixed::{Overflow, Rounding, round_coefficients};
/// use mellow_rake::write::{Symbols, verilog};
/// let taps = round_coefficients(&[vec![0.125; 8]], "s8f7".parse()?)?;
/// let word = "s16f15".parse()?;
/// let average = fir_direct(&taps, word, word, Rounding::HalfUp, Overflow::Saturate)?.check()?;
/// let files = verilog::write(&average, &Symbols::new(&mellow_rake::spec::Name::new("average")?))?;
/// assert_eq!(files[0].name, "average.v");
/// assert!(files[0].text.contains("input  wire [15:0] in_data"));
/// # Ok::<(), Box<dyn std::error::Error>>(())
/// ```
///
/// # Errors
/// [`WriteError::Firing`] for a program that takes or gives several words in a firing.
pub fn write(checked: &Checked, symbols: &Symbols) -> Result<Vec<GeneratedFile>, WriteError> {
    let file = |ending: &str, text: String| GeneratedFile {
        language: Language::Verilog,
        name: format!("{}{ending}", symbols.base()),
        text,
    };
    per_sample("Verilog", checked)?;
    let traffic = Traffic {
        interface: None,
        samples: 1,
        changes_rate: false,
        latency: LATENCY_CLOCKS as usize,
        patience: 1,
        load: None,
    };
    Ok(vec![
        file(".v", module(checked, symbols.base(), false)),
        file("_tb.v", bench::text(formats(checked), &traffic, symbols.base())),
    ])
}

/// The text of a scheduled filter in Verilog: `NAME.v`, and `NAME_tb.v`, a test bench that offers samples
/// with gaps, takes them with pauses where it may, and checks every one. `checked` is the datapath that the
/// schedule is of.
///
/// ```
/// use mellow_rake::Wish;
/// use mellow_rake::spec::{Fixed, Structure};
/// use mellow_rake::hardware::{Resources, SignalFlow, schedule};
/// use mellow_rake::write::{Symbols, verilog};
/// let words = Fixed::new(Structure::DirectForm1, "s16f15".parse()?);
/// let study = Wish::lowpass("1 kHz").cutoff("40 Hz").butterworth(8).words(words).study()?;
/// let checked = &study.integers()?.checked;
/// let scheduled = schedule(&SignalFlow::of(checked)?, Resources::default())?;
/// let symbols = Symbols::new(&mellow_rake::spec::Name::new("swell")?);
/// let files = verilog::write_scheduled(&scheduled, checked, &symbols)?;
/// // One product is written, and five of each of the four sections share it.
/// assert_eq!(files[0].text.matches("$signed").count(), 2);
/// # Ok::<(), Box<dyn std::error::Error>>(())
/// ```
///
/// # Errors
/// [`HardwareError::Width`] where a sum is wider than the unit is written for.
pub fn write_scheduled(
    scheduled: &Scheduled,
    checked: &Checked,
    symbols: &Symbols,
) -> Result<Vec<GeneratedFile>, HardwareError> {
    let design = unit_design(scheduled, program_lines(checked), symbols.base())?;
    Ok(files(&design, checked))
}

/// The text of units one behind the other: a file for each, `NAME_stage_1` and on, then
/// `NAME` and its test bench, as of
/// [`write_scheduled`].
///
/// # Errors
/// [`HardwareError::Width`] where a sum is wider than a unit is written for.
pub fn write_staged(
    staged: &Staged,
    checked: &Checked,
    symbols: &Symbols,
) -> Result<Vec<GeneratedFile>, HardwareError> {
    Ok(files(&staged_design(staged, checked, symbols.base())?, checked))
}

/// The text of filters that take turns on one unit: `NAME.v`, and `NAME_tb.v`, a test bench that
/// offers a sample to each in its turn, as of [`write_scheduled`]. `filters` are the datapaths of the
/// filters, in the order of their turns.
///
/// # Errors
/// [`HardwareError::Width`] where a sum is wider than a unit is written for.
///
/// # Panics
/// Where there are no `filters`.
pub fn write_time_shared(
    shared: &TimeShared,
    filters: &[&Checked],
    symbols: &Symbols,
) -> Result<Vec<GeneratedFile>, HardwareError> {
    let design = time_shared_design(shared, programs_lines(filters), symbols.base())?;
    Ok(files(&design, filters[0]))
}

/// The text of taps that take a sample a clock: `NAME.v`, and `NAME_tb.v`, a test bench that offers samples
/// with gaps, takes them with pauses where it may, and checks every one. `checked` is the datapath that the
/// chain is of.
pub fn write_parallel(
    chain: &Parallel,
    checked: &Checked,
    symbols: &Symbols,
) -> Vec<GeneratedFile> {
    files(&parallel_design(chain, checked, symbols.base()), checked)
}

/// The text of a network in Verilog: a file for each of its parts that is a program, `NAME_part_1` and on,
/// then `NAME`, which connects them, and its test bench, as of [`write_scheduled`].
///
/// ```
/// use mellow_rake::datapath::fir_decimator;
/// use mellow_rake::fixed::{Overflow, Rounding, round_coefficients};
/// use mellow_rake::hardware::NetworkHardware;
/// use mellow_rake::network::{Network, Step};
/// use mellow_rake::spec::{Hardware, Name};
/// use mellow_rake::write::{Symbols, verilog};
/// let word = "s16f15".parse()?;
/// let taps = round_coefficients(&[vec![0.125; 8]], "s16f15".parse()?)?;
/// let (rounding, overflow) = (Rounding::HalfUp, Overflow::Saturate);
/// let halve = fir_decimator(&taps, 2, word, word, rounding, overflow)?.check()?;
/// let network = Network::new(vec![Step::fire(halve)])?;
/// let wish = Hardware { clock: Some(1e6), ..Hardware::default() };
/// let built = NetworkHardware::of(&network, &wish, "100 kHz".parse()?)?;
/// let files = verilog::write_network(&built, &Symbols::new(&Name::new("reef")?))?;
/// let names: Vec<&str> = files.iter().map(|file| &file.name[..]).collect();
/// assert_eq!(names, ["reef_part_1.v", "reef.v", "reef_tb.v"]);
/// # Ok::<(), Box<dyn std::error::Error>>(())
/// ```
///
/// # Errors
/// [`HardwareError::Width`] where a sum is wider than a unit is written for.
pub fn write_network(
    hardware: &NetworkHardware,
    symbols: &Symbols,
) -> Result<Vec<GeneratedFile>, HardwareError> {
    let chain = chain_design(hardware, symbols.base())?;
    let file = |(name, checked): &(String, &Checked)| GeneratedFile {
        language: Language::Verilog,
        name: format!("{name}.v"),
        text: module(checked, name, true),
    };
    let mut all: Vec<GeneratedFile> = chain.sums.iter().map(file).collect();
    all.extend(design_files(&chain.design, hardware.ends()));
    Ok(all)
}

/// A design behind its parts, a file for each, and its test bench.
fn files(whole: &Design, checked: &Checked) -> Vec<GeneratedFile> {
    design_files(whole, formats(checked))
}

/// What a program takes and gives.
fn formats(checked: &Checked) -> [WordFormat; 2] {
    [checked.input(), checked.output()]
}

fn design_files(whole: &Design, formats: [WordFormat; 2]) -> Vec<GeneratedFile> {
    let file = |name: &str, ending: &str, text: String| GeneratedFile {
        language: Language::Verilog,
        name: format!("{name}{ending}"),
        text,
    };
    let parts = whole.with_parts();
    let mut files: Vec<GeneratedFile> =
        parts.iter().map(|one| file(&one.name, ".v", design::module(one))).collect();
    files.push(file(&whole.name, "_tb.v", bench::text(formats, &whole.traffic, &whole.name)));
    files
}

/// A program in one clock. Where it waits, it takes a word when the one that it gave is taken.
fn module(checked: &Checked, name: &str, waits: bool) -> String {
    let lowered = lower(checked);
    let Lowered { tables, lines, result, .. } = &lowered;
    let (input, output) = (lowered.input(), lowered.output());
    let compute = Compute::new(&lowered);
    let mut text =
        format!("// {ORIGIN}\n//\n// The program, in the terms of the comments below:\n//\n");
    for line in dump(checked).lines() {
        let _ = writeln!(text, "//   {line}");
    }
    let (with_ready, in_ready, out_ready) = match waits {
        true => (" and in_ready", "    output wire in_ready,\n", "    input  wire out_ready,\n"),
        false => ("", "", ""),
    };
    let _ = write!(
        text,
        "//\n// A sample is taken at each rising clock edge with in_valid{with_ready} high; its output \
         stands on out_data, with\n\
         // out_valid high, {LATENCY_CLOCKS} clock later. rst is synchronous and clears the memory.\n\
         `default_nettype none\n\n\
         module {name} (\n    input  wire clk,\n    input  wire rst,\n    input  wire in_valid,\n\
         {in_ready}    input  wire [{}:0] in_data,  // {input}\n    output reg  out_valid,\n{out_ready}    \
         output reg  [{}:0] out_data  // {output}\n);\n",
        input.width() - 1,
        output.width() - 1,
    );
    for (table, looks_up) in tables.iter().zip(&lowered.looks_up_exponents) {
        text.push_str(&constants(table));
        if *looks_up {
            text.push_str(&exponents(table));
        }
    }
    text.push_str("\n    // Memory: row by row, the newest word lowest.\n");
    for line in lines.iter().filter(|line| line.depth > 0) {
        let Line { name, format, rows, depth } = line;
        let high = bits(line) - 1;
        let _ = writeln!(text, "    reg [{high}:0] {name}; // {rows} x {depth} words of {format}");
        let _ = writeln!(text, "    reg [{high}:0] {name}_next;");
    }
    text.push_str(
        "\n    // The words of the program. Not all bits of all words are used: dropping them is what \
         rounding is.\n    // verilator lint_off UNUSED\n",
    );
    for (variable, width) in &compute.variables {
        let _ = writeln!(text, "    reg [{}:0] {variable};", width - 1);
    }
    for index in &compute.indices {
        let _ = writeln!(text, "    integer {index};");
    }
    text.push_str("    // verilator lint_on UNUSED\n\n    always @* begin\n");
    text.push_str(&compute.text);
    text.push_str("    end\n\n");
    if waits {
        text.push_str("    assign in_ready = !out_valid || out_ready;\n\n");
    }
    text.push_str("    always @(posedge clk) begin\n        if (rst) begin\n");
    text.push_str("            out_valid <= 1'b0;\n");
    let _ = writeln!(text, "            out_data <= {};", verilog_integer(0, output.width()));
    for line in lines.iter().filter(|line| line.depth > 0) {
        let _ = writeln!(text, "            {} <= {{{}{{1'b0}}}};", line.name, bits(line));
    }
    let moves = if waits { "if (in_ready) begin" } else { "begin" };
    let _ = write!(
        text,
        "        end else {moves}\n            out_valid <= in_valid;\n            if (in_valid) begin\n",
    );
    let _ = writeln!(text, "                out_data <= n{};", result.node.0);
    for line in lines.iter().filter(|line| line.depth > 0) {
        let _ = writeln!(text, "                {0} <= {0}_next;", line.name);
    }
    text.push_str("            end\n        end\n    end\nendmodule\n\n`default_nettype wire\n");
    text
}

fn bits(line: &Line) -> usize {
    line.rows * line.depth * line.format.width() as usize
}

/// Bits in which an exponent is written: those of the largest there can be.
const EXPONENT_BITS: usize = 6;

/// Where coefficients have fractions of their own: how many bits each lacks.
fn exponents(table: &Table) -> String {
    let exponent = |exponent: &u32| verilog_integer((*exponent).into(), EXPONENT_BITS as u32);
    let words: Vec<String> = table.exponents.iter().flatten().rev().map(exponent).collect();
    let lines: Vec<String> = words.chunks(8).map(|chunk| chunk.join(", ")).collect();
    format!(
        "    // likewise: so many bits the fraction of each is smaller than that of the table\n    \
         wire [{}:0] {}_EXPONENT = {{\n        {}\n    }};\n",
        EXPONENT_BITS * words.len() - 1,
        constant_name(table),
        lines.join(",\n        ")
    )
}

/// The name of a table's constant.
fn constant_name(table: &Table) -> String {
    table.name.to_ascii_uppercase()
}

/// A table as one wide constant, the first coefficient of the first row lowest. It is a wire, not a
/// parameter: a simulator that copies a whole parameter at every index takes ten times as long.
fn constants(table: &Table) -> String {
    let Table { format, rows, .. } = table;
    let words: Vec<String> =
        rows.iter().flatten().rev().map(|&v| verilog_integer(v.into(), format.width())).collect();
    let lines: Vec<String> = words.chunks(8).map(|chunk| chunk.join(", ")).collect();
    let order = match table.holds {
        Coefficients::Sections => {
            "from the right, section by section: b0, b1, b2, a1, a2 of\n    // H(z) = (b0 + b1 z^-1 + b2 \
             z^-2)/(1 + a1 z^-1 + a2 z^-2)"
        }
        Coefficients::Taps => "from the right: h[0], h[1], ...",
        Coefficients::TapsFolded => {
            "from the right: each for the two taps at equal distance from the ends; the one in the middle, \
                if any, last"
        }
        Coefficients::TapsBackward => "from the left: h[0], h[1], ...",
        Coefficients::Phases => {
            "from the right, branch by branch: every so many-th tap, zeros at the end"
        }
        Coefficients::StateSpace => {
            "from the right, section by section: a11, a12, b1, a21, a22, b2, c1, c2, d"
        }
        Coefficients::AllPass => {
            "from the right, section by section: a1, a2 (or a1) of an all-pass that multiplies differences"
        }
        Coefficients::Half => "one half",
        Coefficients::Reflection => "from the right: k1, k2, ... of the lattice",
        Coefficients::Ladder => "from the right: v0, v1, ... of the ladder",
        Coefficients::Shaping => "from the right, section by section: k1, k2",
    };
    format!(
        "\n    // {format}, {order}\n    wire [{}:0] {} = {{\n        {}\n    }};\n",
        words.len() * format.width() as usize - 1,
        constant_name(table),
        lines.join(",\n        ")
    )
}
