//! The C writer: C99, no library, no allocation, one instance structure per filter.
//!
//! Advice for those who change this file: the datapath's arithmetic is exact, C's is not. Before an
//! expression is written its type must be shown to hold it. Three facts decide: the range of a node, the size
//! of the largest product, and the size of any partial sum. Where a sum may leave 64 bits by design it is
//! computed in `uint64_t`, whose wrap the standard defines (6.2.5 paragraph 9). Words wider than a type never
//! arise: the writer refuses.

mod bytes;
mod endings;
mod expression;
mod float;
mod lanes;
mod load_map;
mod mixer;
mod network;
mod pairs;
mod source;
mod steps;
mod types;

pub use float::write_float;
pub use load_map::write_load_map;
pub use network::{write_network, write_network_for};

use super::capability::{Capability, per_sample};
use super::lower::{Lowered, Window, lower, lower_for_processor};
use super::number::c_integer;
use super::{GeneratedFile, Language, ORIGIN, Symbols, WriteError};
use crate::datapath::{Checked, Line, Operation, Table};
use crate::fixed::WordFormat;
use crate::spec::Firmware;
use crate::units::SampleRate;
use expression::Admitted;
use std::fmt::Write;
use types::kept;
pub(super) use types::storage;

/// The text of a datapath in C: `NAME.h`, `NAME.c`, and `NAME_pipe.c`, a program that filters integers from
/// its standard input to its standard output.
///
/// # Errors
/// [`WriteError`] names the node that C cannot express and what would fit.
///
/// ```
/// use mellow_rake::datapath::fir_direct;
/// use mellow_rake::fixed::{Overflow, Rounding, round_coefficients};
/// use mellow_rake::write::{Symbols, c};
/// let taps = round_coefficients(&[vec![0.125; 8]], "s8f7".parse()?)?;
/// let word = "s16f15".parse()?;
/// let average = fir_direct(&taps, word, word, Rounding::HalfUp, Overflow::Saturate)?.check()?;
/// let files = c::write(&average, &Symbols::new(&mellow_rake::spec::Name::new("average")?))?;
/// assert_eq!(files[0].name, "average.h");
/// assert!(files[1].text.contains("int16_t average_step(struct average *filter, int16_t input)"));
/// # Ok::<(), Box<dyn std::error::Error>>(())
/// ```
pub fn write(checked: &Checked, symbols: &Symbols) -> Result<Vec<GeneratedFile>, WriteError> {
    with(checked, symbols, &Admitted::new(), (Firmware::default(), None))
}

/// The same as firmware is to be: for cores with instructions for signals a second form of the functions
/// stands in the file, which a compiler for such a core takes. All forms give the same integers. The header
/// says how often per second it is to be called, if that is known.
///
/// # Errors
/// As of [`write`](fn@write).
///
/// ```
/// use mellow_rake::datapath::fir_direct;
/// use mellow_rake::fixed::{Overflow, Rounding, round_coefficients};
/// use mellow_rake::spec::{Firmware, Tune};
/// use mellow_rake::write::{Symbols, c};
/// let taps = round_coefficients(&[vec![0.125; 8]], "s8f7".parse()?)?;
/// let word = "s16f15".parse()?;
/// let average = fir_direct(&taps, word, word, Rounding::HalfUp, Overflow::Saturate)?.check()?;
/// let symbols = Symbols::new(&mellow_rake::spec::Name::new("average")?);
/// let firmware = Firmware { tune: Tune::CortexM4, ..Firmware::default() };
/// let source = &c::write_for(&average, &symbols, firmware, None)?[1];
/// assert!(source.text.contains("__smlad("));
/// # Ok::<(), Box<dyn std::error::Error>>(())
/// ```
pub fn write_for(
    checked: &Checked,
    symbols: &Symbols,
    firmware: Firmware,
    rate: Option<SampleRate>,
) -> Result<Vec<GeneratedFile>, WriteError> {
    with(checked, symbols, &Admitted::new(), (firmware, rate))
}

/// The same with annotations for analysers of C (ACSL) wherever a word is proved to fit by more than the
/// ranges of the words that it is made of: by the l1 norms of its paths, from the zero state on. With them
/// abstract interpretation of one step from any words in the formats of the memory shows that nothing
/// undefined is done.
///
/// # Errors
/// As of [`write`](fn@write).
///
/// ```
/// use mellow_rake::datapath::{SectionWords, direct_form_1};
/// use mellow_rake::fixed::{Overflow, Rounding, round_coefficients};
/// use mellow_rake::spec::Firmware;
/// use mellow_rake::write::{Symbols, c};
/// // The output has a bit more than the input, and never needs the limit that it has.
/// let words = SectionWords { input: "s16f15".parse()?, output: "s17f15".parse()?,
///     rounding: Rounding::HalfUp, overflow: Overflow::Saturate };
/// let table = round_coefficients(&[vec![0.1, 0.0, 0.0, -1.5, 0.75]], "s16".parse()?)?;
/// let filter = direct_form_1(&table, words)?.check()?;
/// let symbols = Symbols::new(&mellow_rake::spec::Name::new("swell")?);
/// let source = &c::write_annotated(&filter, &symbols, Firmware::default(), None)?[1];
/// assert_eq!(source.name, "swell.c");
/// assert!(source.text.contains("/*@ admit -65536 <= "));
/// # Ok::<(), Box<dyn std::error::Error>>(())
/// ```
pub fn write_annotated(
    checked: &Checked,
    symbols: &Symbols,
    firmware: Firmware,
    rate: Option<SampleRate>,
) -> Result<Vec<GeneratedFile>, WriteError> {
    let facts = checked.facts();
    let admitted = checked.datapath().operations().filter_map(|(node, operation, _)| {
        let (low, high, is_open) = match operation {
            Operation::Accumulate { .. } => {
                facts.sum(node).map(|sum| (sum.low, sum.high, sum.wraps))?
            }
            Operation::Limit { .. } => {
                facts.limit(node).map(|limit| (limit.low, limit.high, limit.acts))?
            }
            _ => return None,
        };
        let format = facts.format(node);
        let is_plain = format.holds(low) && format.holds(high);
        (!is_open && !is_plain).then(|| (node, [format.minimum(), format.maximum()]))
    });
    with(checked, symbols, &admitted.collect(), (firmware, rate))
}

fn with(
    checked: &Checked,
    symbols: &Symbols,
    admitted: &Admitted,
    (firmware, rate): (Firmware, Option<SampleRate>),
) -> Result<Vec<GeneratedFile>, WriteError> {
    per_sample("C", checked)?;
    Capability { target: "C", widest: 64 }.check(&lower(checked))?;
    let lowered = lower_for_processor(checked);
    let writer = Writer { checked, lowered, symbols, admitted, firmware, rate };
    Ok(vec![
        writer.file(".h", writer.header()),
        writer.file(".c", writer.source()),
        writer.file("_pipe.c", writer.pipe()),
    ])
}

struct Writer<'a> {
    checked: &'a Checked,
    lowered: Lowered,
    symbols: &'a Symbols,
    admitted: &'a Admitted,
    firmware: Firmware,
    rate: Option<SampleRate>,
}

/// The length of each dimension of a table or line: rows only where there are several.
fn dimensions(rows: usize, columns: usize) -> String {
    if rows > 1 { format!("[{rows}][{columns}]") } else { format!("[{columns}]") }
}

/// The length of the memory of a line that lies in a window, and what it holds.
fn window_words(depth: usize, window: Window) -> (usize, String) {
    match window.phases {
        1 => (
            depth + window.slack,
            format!("the last {depth} words, the oldest first, in a window that begins at `at`"),
        ),
        _ => (
            (depth.next_multiple_of(2) + window.slack) / 2,
            format!(
                "the last {depth} words, the oldest first, in a window that begins at `at`; those with odd \
                 number in the second row"
            ),
        ),
    }
}

impl Writer<'_> {
    fn file(&self, ending: &str, text: String) -> GeneratedFile {
        let name = format!("{}{ending}", self.symbols.base());
        GeneratedFile { language: Language::C, name, text }
    }

    /// The lines that have memory of their own.
    fn memories(&self) -> impl Iterator<Item = usize> {
        let Lowered { lines, homes, .. } = &self.lowered;
        (0..lines.len()).filter(|line| lines[*line].depth > 0 && homes[*line].line == *line)
    }

    /// The window, if there is one: all of a filter move together.
    fn window(&self) -> Option<Window> {
        self.lowered.windows.iter().flatten().next().copied()
    }

    fn window_dimensions(&self, rows: usize, long: usize, window: Window) -> String {
        match window.phases {
            1 => dimensions(rows, long),
            phases => dimensions(phases, long),
        }
    }

    /// The type that remembered words and coefficients of a format have in memory.
    fn kept(&self, format: WordFormat) -> &'static str {
        kept(format, self.firmware.tune)
    }

    fn words(&self) -> (&'static str, &'static str) {
        (storage(self.lowered.input()), storage(self.lowered.output()))
    }

    /// What the structure of a filter holds.
    fn members(&self) -> String {
        let mut members = String::new();
        for line in self.memories() {
            let Line { name, format, rows, depth } = &self.lowered.lines[line];
            let (dimensions, holds) = match self.lowered.windows[line] {
                None => {
                    (dimensions(*rows, *depth), "the word stored k + 1 samples ago at k".to_owned())
                }
                Some(window) => {
                    let (long, holds) = window_words(*depth, window);
                    (self.window_dimensions(*rows, long, window), holds)
                }
            };
            let _ = writeln!(
                members,
                "    {} {name}{dimensions}; /* {format}: {holds} */",
                self.kept(*format)
            );
        }
        if let Some(window) = self.window() {
            let slack = window.slack;
            let _ = writeln!(
                members,
                "    int at; /* where the window begins; after {slack} samples it begins anew */"
            );
        }
        if members.is_empty() {
            members.push_str("    char nothing; /* this filter remembers nothing */\n");
        }
        members
    }

    fn header(&self) -> String {
        let (name, guard) = (self.symbols.base(), self.symbols.capitals());
        let (input, output) = self.words();
        let (input_format, output_format) = (self.lowered.input(), self.lowered.output());
        let members = self.members();
        let often = self.rate.map_or(String::new(), |rate| {
            format!(
                "   Made for {} samples in a second: so often a step is called.\n",
                rate.hertz()
            )
        });
        let largest = self.memories().map(|line| self.largest_index(line)).max().unwrap_or(0);
        let channels = match self.firmware.channels {
            1 => String::new(),
            channels => format!(
                "/* Streams that come interleaved. */\n#define {guard}_CHANNELS {channels}\n\n\
                 /* count samples of each of them, with a filter for each; the same array may be input and \
                 output. */\nvoid {name}_channels(struct {name} *filters, const {input} *input, {output} \
                 *output, size_t\n    count);\n\n"
            ),
        };
        format!(
            "/* {ORIGIN}\n\
             \n   Input {input_format}, output {output_format}: a word holding the integer i has the value \
             i / 2^f with f the\n   number after the letter f. The output belongs to the input of the same \
             call.\n{often}   Each stream of samples needs a filter of its own, a structure that {name}_init \
             has\n   cleared once. */\n\
             #ifndef {guard}_H\n#define {guard}_H\n\n#include <limits.h>\n#include <stddef.h>\n\
             #include <stdint.h>\n\n\
             /* Words have whole bytes of 8 bits, and an int counts all that is remembered. */\n\
             typedef char {name}_fits_this_processor[CHAR_BIT == 8 && INT_MAX >= {largest} ? 1 : -1];\n\n\
             #ifdef __cplusplus\nextern \"C\" {{\n#endif\n\n\
             /* One filter; as many as you like side by side. */\n\
             struct {name} {{\n{members}}};\n\n\
             /* The zero state; call before the first sample. */\n\
             void {name}_init(struct {name} *filter);\n\n\
             /* One sample. */\n\
             {output} {name}_step(struct {name} *filter, {input} input);\n\n\
             /* count samples; input and output may be the same array if their types are. Where the source \
             is compiled with\n   {guard}_BLOCK defined as a number, all blocks have so many, whatever count \
             says. */\n\
             void {name}_block(struct {name} *filter, const {input} *input, {output} *output, size_t \
             count);\n\n{channels}\
             #ifdef __cplusplus\n}}\n#endif\n\n#endif\n"
        )
    }

    /// The largest number that counts through the memory of a line.
    fn largest_index(&self, line: usize) -> usize {
        let depth = self.lowered.lines[line].depth;
        depth + self.lowered.windows[line].map_or(0, |window| window.slack)
    }

    fn table(&self, table: &Table) -> String {
        let (rows, columns) = (table.rows.len(), table.rows[0].len());
        let mut text = format!(
            "static const {} {}_{}{} = {{ /* {} */\n",
            self.kept(table.format),
            self.symbols.base(),
            table.name,
            dimensions(rows, columns),
            table.format
        );
        for row in &table.rows {
            let lines: Vec<String> = row
                .chunks(8)
                .map(|chunk| {
                    chunk.iter().map(|&v| c_integer(v.into())).collect::<Vec<_>>().join(", ")
                })
                .collect();
            let row = lines.join(",\n    ");
            let _ = if rows > 1 {
                writeln!(text, "    {{ {row} }},")
            } else {
                writeln!(text, "    {row}")
            };
        }
        text.push_str("};\n\n");
        text
    }

    /// Where coefficients have fractions of their own that a loop must look up: the table of how many bits
    /// each lacks.
    fn exponents(&self, table: &Table) -> String {
        let columns = table.rows[0].len();
        let name = format!("{}_{}_exponent", self.symbols.base(), table.name);
        let rows: Vec<String> = table
            .exponents
            .iter()
            .map(|row| row.iter().map(u32::to_string).collect::<Vec<_>>().join(", "))
            .map(|row| match table.rows.len() {
                1 => format!("    {row}\n"),
                _ => format!("    {{ {row} }},\n"),
            })
            .collect();
        format!(
            "/* so many bits the fraction of each coefficient is smaller than that of the table: it counts \
                2^exponent times */\n\
             static const uint8_t {name}{} = {{\n{}}};\n\n",
            dimensions(table.rows.len(), columns),
            rows.concat()
        )
    }

    fn pipe(&self) -> String {
        let name = self.symbols.base();
        let (input, output) = self.words();
        let format = self.lowered.input();
        format!(
            "/* {ORIGIN}\n\n   Filters decimal integers, one a line, from standard input to standard \
                output.\n   \
             The argument, if any, is the number of samples per call; 0 or none: one at a time. */\n\
             #define __STDC_FORMAT_MACROS\n#include \"{name}.h\"\n\n\
             #define FILTER_NAME {name}\n#define FILTER_INIT {name}_init\n#define FILTER_STEP {name}_step\n\
             #define FILTER_BLOCK {name}_block\n#define FILTER_INPUT {input}\n#define FILTER_OUTPUT \
             {output}\n\
             #define FILTER_LOWEST {}\n#define FILTER_HIGHEST {}\n{}",
            c_integer(format.minimum()),
            c_integer(format.maximum()),
            include_str!("pipe.c"),
        )
    }
}
