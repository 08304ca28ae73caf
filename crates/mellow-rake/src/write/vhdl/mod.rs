//! The VHDL writer: IEEE 1076-2008, `numeric_std` alone, the same ports and the same latency as in Verilog.
//!
//! Advice for those who change this file: every variable is as wide as its word and has its sign; what goes
//! into a sum is brought to the width of the sum first, and sums are taken modulo 2^width by `+` and `-` of
//! `numeric_std`, which give as many bits as their operands. `resize` makes nothing shorter here.

mod compute;
mod design;
mod vector;

use super::capability::per_sample;
use super::captions::caption;
use super::lower::{Lowered, lower};
use super::number::vhdl_integer;
use super::register_transfer::{
    Design, Traffic, byte_bits, chain_design, parallel_design, program_lines, programs_lines,
    staged_design, time_shared_design, unit_design,
};
use super::{GeneratedFile, Language, ORIGIN, Symbols, WriteError};
use crate::datapath::{Checked, Line, Table, dump};
use crate::fixed::WordFormat;
use crate::hardware::{HardwareError, NetworkHardware, Parallel, Scheduled, Staged, TimeShared};
use crate::spec::Interface;
use compute::{Compute, vector as result_of};
use std::fmt::Write;
use vector::kind;

/// Clock cycles from a valid input to the output that belongs to it.
pub const LATENCY_CLOCKS: u32 = 1;

/// The text of a datapath in VHDL: `NAME.vhd`, and `NAME_tb.vhd`, a test bench that reads stimulus and
/// expected output from hex files and checks every sample.
///
/// ```
/// use mellow_rake::datapath::fir_direct;
/// use mellow_rake::fixed::{Overflow, Rounding, round_coefficients};
/// use mellow_rake::write::{Symbols, vhdl};
/// let taps = round_coefficients(&[vec![0.125; 8]], "s8f7".parse()?)?;
/// let word = "s16f15".parse()?;
/// let average = fir_direct(&taps, word, word, Rounding::HalfUp, Overflow::Saturate)?.check()?;
/// let files = vhdl::write(&average, &Symbols::new(&mellow_rake::spec::Name::new("average")?))?;
/// assert_eq!(files[0].name, "average.vhd");
/// assert!(files[0].text.contains("in_data : in std_logic_vector(15 downto 0)"));
/// # Ok::<(), Box<dyn std::error::Error>>(())
/// ```
///
/// # Errors
/// [`WriteError::Firing`] for a program that takes or gives several words in a firing.
pub fn write(checked: &Checked, symbols: &Symbols) -> Result<Vec<GeneratedFile>, WriteError> {
    let file = |ending: &str, text: String| GeneratedFile {
        language: Language::Vhdl,
        name: format!("{}{ending}", symbols.base()),
        text,
    };
    per_sample("VHDL", checked)?;
    let lowered = lower(checked);
    let name = symbols.base();
    let traffic = Traffic {
        interface: None,
        samples: 1,
        changes_rate: false,
        latency: LATENCY_CLOCKS as usize,
        patience: 1,
        load: None,
    };
    Ok(vec![
        file(".vhd", design(checked, &lowered, name, false)),
        file("_tb.vhd", bench(formats(checked), &traffic, name)),
    ])
}

/// The text of a scheduled filter in VHDL: `NAME.vhd`, and `NAME_tb.vhd`, a test bench that offers samples
/// with gaps, takes them with pauses where it may, and checks every one. `checked` is the datapath that the
/// schedule is of. Registers, memories and clocks are those of
/// [`verilog::write_scheduled`](super::verilog::write_scheduled).
///
/// ```
/// use mellow_rake::Wish;
/// use mellow_rake::spec::{Fixed, Structure};
/// use mellow_rake::hardware::{Resources, SignalFlow, schedule};
/// use mellow_rake::write::{Symbols, vhdl};
/// let words = Fixed::new(Structure::DirectForm1, "s16f15".parse()?);
/// let study = Wish::lowpass("1 kHz").cutoff("40 Hz").butterworth(8).words(words).study()?;
/// let checked = &study.integers()?.checked;
/// let scheduled = schedule(&SignalFlow::of(checked)?, Resources::default())?;
/// let symbols = Symbols::new(&mellow_rake::spec::Name::new("swell")?);
/// let files = vhdl::write_scheduled(&scheduled, checked, &symbols)?;
/// assert_eq!(files[0].text.matches("exact_0 <= first_0 * coefficient_0;").count(), 1);
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

/// The text of filters that take turns on one unit: `NAME.vhd`, and `NAME_tb.vhd`, a test bench that
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

/// The text of taps that take a sample a clock, in VHDL: `NAME.vhd` and its test bench `NAME_tb.vhd`, as of
/// [`verilog::write_parallel`](super::verilog::write_parallel).
pub fn write_parallel(
    chain: &Parallel,
    checked: &Checked,
    symbols: &Symbols,
) -> Vec<GeneratedFile> {
    files(&parallel_design(chain, checked, symbols.base()), checked)
}

/// The text of a network in VHDL, as of [`verilog::write_network`](super::verilog::write_network).
///
/// # Errors
/// [`HardwareError::Width`] where a sum is wider than a unit is written for.
pub fn write_network(
    hardware: &NetworkHardware,
    symbols: &Symbols,
) -> Result<Vec<GeneratedFile>, HardwareError> {
    let chain = chain_design(hardware, symbols.base())?;
    let file = |(name, checked): &(String, &Checked)| GeneratedFile {
        language: Language::Vhdl,
        name: format!("{name}.vhd"),
        text: design(checked, &lower(checked), name, true),
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
        language: Language::Vhdl,
        name: format!("{name}{ending}"),
        text,
    };
    let parts = whole.with_parts();
    let mut files: Vec<GeneratedFile> =
        parts.iter().map(|one| file(&one.name, ".vhd", design::entity(one))).collect();
    files.push(file(&whole.name, "_tb.vhd", bench(formats, &whole.traffic, &whole.name)));
    files
}

/// Reserved words of VHDL (IEEE 1076-2008, 15.10), as far as they are not those of other languages as well,
/// and what the text uses of its packages.
pub(super) const RESERVED: &str = "abs access after alias all architecture array assert assume_guarantee \
    attribute block body buffer bus component configuration constant disconnect downto elsif entity exit \
    fairness file generic group guarded impure in inertial is label library linkage literal loop map mod \
    nand new next nor null of on open others out package parameter port postponed procedure process \
    protected pure \
    range record register reject rem report return rol ror select severity shared signal sla sll sra srl \
    subtype then to transport type unaffected units until use variable vmode vprop vunit wait when while \
    with xnor xor work ieee std standard textio numeric_std std_logic_1164 rtl std_logic \
    std_logic_vector resize shift_left rising_edge natural ram_style rom_style";

/// The name of a line; the language folds case, and constants have their own ending.
fn field(name: &str) -> String {
    let name = name.to_ascii_lowercase();
    let is_reserved = RESERVED.split_whitespace().any(|word| word == name);
    if is_reserved { format!("{name}_line") } else { name }
}

/// The name of a table.
fn constant(name: &str) -> String {
    format!("{}_TABLE", name.to_ascii_uppercase())
}

fn subtype(format: WordFormat) -> String {
    format!("{}({} downto 0)", kind(format.is_signed()), format.width() - 1)
}

/// A program in one clock. Where it waits, it takes a word when the one that it gave is taken.
fn design(checked: &Checked, lowered: &Lowered, name: &str, waits: bool) -> String {
    let compute = Compute::new(lowered);
    let (input, output) = (lowered.input(), lowered.output());
    let mut text =
        format!("-- {ORIGIN}\n--\n-- The program, in the terms of the comments below:\n--\n");
    for line in dump(checked).lines() {
        let _ = writeln!(text, "--   {line}");
    }
    let (with_ready, in_ready, out_ready, moves) = match waits {
        true => (
            " and in_ready",
            "        in_ready : out std_logic;\n",
            "        out_ready : in std_logic;\n",
            "elsif in_ready = '1' then",
        ),
        false => ("", "", "", "else"),
    };
    let _ = write!(
        text,
        "--\n-- A sample is taken at each rising clock edge with in_valid{with_ready} high; its output \
         stands on out_data, with\n-- out_valid high, {LATENCY_CLOCKS} clock later. rst is synchronous and \
         clears the memory.\n\nlibrary ieee;\nuse ieee.std_logic_1164.all;\nuse ieee.numeric_std.all;\n\n\
         entity {name} is\n    port (\n        clk : in std_logic;\n        rst : in std_logic;\n        \
         in_valid : in std_logic;\n{in_ready}        \
         in_data : in std_logic_vector({} downto 0); -- {input}\n        \
         out_valid : out std_logic;\n{out_ready}        \
         out_data : out std_logic_vector({} downto 0) -- {output}\n    \
         );\nend entity {name};\n\narchitecture rtl of {name} is\n",
        input.width() - 1,
        output.width() - 1,
    );
    for (table, looks_up) in lowered.tables.iter().zip(&lowered.looks_up_exponents) {
        text.push_str(&constants(table));
        if *looks_up {
            text.push_str(&exponents(table));
        }
    }
    let lines: Vec<&Line> = lowered.lines.iter().filter(|line| line.depth > 0).collect();
    for Line { name, format, rows, depth } in &lines {
        let name = field(name);
        let _ = write!(
            text,
            "\n    -- {rows} x {depth} words of {format}, row by row, the newest first\n    \
             type {name}_memory is array (0 to {}) of {};\n    signal {name} : {name}_memory;\n",
            rows * depth - 1,
            subtype(*format)
        );
    }
    text.push_str("begin\n");
    if waits {
        text.push_str("    in_ready <= (not out_valid) or out_ready;\n\n");
    }
    text.push_str("    process (clk)\n");
    for variable in &compute.variables {
        let _ = writeln!(text, "        variable {} : {};", variable.name, variable.subtype());
    }
    text.push_str("    begin\n        if rising_edge(clk) then\n            if rst = '1' then\n");
    text.push_str(
        "                out_valid <= '0';\n                out_data <= (others => '0');\n",
    );
    for line in &lines {
        let _ =
            writeln!(text, "                {} <= (others => (others => '0'));", field(line.name));
    }
    let _ = write!(text, "            {moves}\n                out_valid <= in_valid;\n");
    text.push_str("                if in_valid = '1' then\n");
    text.push_str(&compute.text);
    let result = result_of(lowered.result).name;
    let _ = write!(
        text,
        "                    out_data <= std_logic_vector({result});\n                end if;\n            \
         end if;\n        end if;\n    end process;\nend architecture rtl;\n"
    );
    text
}

/// Words in lines of eight.
fn listed(words: &[String]) -> String {
    let lines: Vec<String> = words.chunks(8).map(|chunk| chunk.join(", ")).collect();
    match words {
        // A single element must be named, or it would be taken for an expression in parentheses.
        [one] => format!("        0 => {one}\n"),
        _ => format!("        {}\n", lines.join(",\n        ")),
    }
}

fn constants(table: &Table) -> String {
    let Table { format, rows, .. } = table;
    let words: Vec<String> =
        rows.iter().flatten().map(|&value| vhdl_integer(value.into(), format.width())).collect();
    let order = caption(table.holds).join("\n    -- ");
    let name = constant(table.name);
    let lower = name.to_ascii_lowercase();
    format!(
        "    -- {format}, {order}\n    type {lower}_words is array (0 to {}) of {};\n    \
         constant {name} : {lower}_words := (\n{}    );\n",
        words.len() - 1,
        subtype(*format),
        listed(&words)
    )
}

/// Where coefficients have fractions of their own: how many bits each lacks.
fn exponents(table: &Table) -> String {
    let words: Vec<String> = table.exponents.iter().flatten().map(u32::to_string).collect();
    let name = constant(table.name);
    let lower = name.to_ascii_lowercase();
    format!(
        "    -- so many bits the fraction of each is smaller than that of the table\n    \
         type {lower}_exponents is array (0 to {}) of natural range 0 to 63;\n    \
         constant {name}_EXPONENT : {lower}_exponents := (\n{}    );\n",
        words.len() - 1,
        listed(&words)
    )
}

/// A self-checking test bench: stimulus and expected output from hex files, gaps between samples, every
/// output compared, and all outputs written to a third file. Samples stay until they are taken; where they
/// can wait, outputs are left standing for some clocks.
fn bench(formats: [WordFormat; 2], traffic: &Traffic, name: &str) -> String {
    let has_ready = traffic.interface.is_some();
    let waits = traffic.interface.is_some_and(Interface::waits);
    let samples = traffic.samples as u32;
    let [input, output] = formats.map(WordFormat::width);
    let sign = format!("out_data((lane + 1) * {output} - 1)");
    let of_a_clock = match samples {
        1 => String::new(),
        _ => format!(": the {samples} samples of a clock as one word, the\n-- oldest lowest"),
    };
    let (address_bits, data_bits) =
        traffic.load.map_or((1, 1), |load| (load.address_bits, load.data_bits));
    let is_stream = traffic.interface == Some(Interface::AxiStream);
    // What is at the end of a line says where it is written.
    let conditions = [
        (" --PLAIN", !is_stream),
        (" --STREAM", is_stream),
        (" --READY", has_ready && !is_stream),
        (" --WAITS", waits),
        (" --PLAIN-WAITS", waits && !is_stream),
        (" --LOADS", traffic.load.is_some()),
        (" --PENDING", traffic.load.is_some_and(|load| load.has_pending)),
        (" --ONE-RATE", !traffic.changes_rate),
        (" --RATES", traffic.changes_rate),
    ];
    let kept =
        |line: &&str| conditions.iter().all(|(mark, is_kept)| *is_kept || !line.ends_with(mark));
    let line = |line: &str| {
        let mark = conditions.iter().find_map(|(mark, _)| line.strip_suffix(mark));
        format!("{}\n", mark.unwrap_or(line))
    };
    let text: String = include_str!("bench.vhd").lines().filter(kept).map(line).collect();
    text.replace("ORIGIN", ORIGIN)
        .replace("OF_A_CLOCK", &of_a_clock)
        .replace("INPUT_HIGH", &(input * samples - 1).to_string())
        .replace("OUTPUT_HIGH", &(output * samples - 1).to_string())
        .replace("ADDRESS_HIGH", &(address_bits - 1).to_string())
        .replace("COEFFICIENT_HIGH", &(data_bits - 1).to_string())
        .replace("INPUT_BYTES", &byte_bits(input).to_string())
        .replace("OUTPUT_BYTES", &byte_bits(output).to_string())
        .replace("INPUT_WORD", &input.to_string())
        .replace("OUTPUT_WORD", &output.to_string())
        .replace("SAMPLES", &samples.to_string())
        .replace("FILLED", if formats[1].is_signed() { &sign } else { "'0'" })
        .replace("LATENCY", &traffic.latency.to_string())
        .replace("PATIENCE", &traffic.patience.to_string())
        .replace("FILTER", name)
}
