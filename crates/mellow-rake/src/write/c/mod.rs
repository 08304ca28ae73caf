//! The C writer: C99, no library, no allocation, one instance structure per filter.
//!
//! Advice for those who change this file: the datapath's arithmetic is exact, C's is not. Before an
//! expression is written its type must be shown to hold it. Three facts decide: the range of a node, the size
//! of the largest product, and the size of any partial sum. Where a sum may leave 64 bits by design it is
//! computed in `uint64_t`, whose wrap the standard defines (6.2.5 paragraph 9). Words wider than a type never
//! arise: the writer refuses.

mod expression;
mod float;
mod load_map;
mod types;

pub use float::write_float;
pub use load_map::write_load_map;

use super::capability::{Capability, per_sample};
use super::captions::caption;
use super::lower::{Lowered, lower};
use super::number::c_integer;
use super::{GeneratedFile, Language, ORIGIN, Symbols, WriteError};
use crate::datapath::{Checked, Line, Operation, Table, dump};
use expression::{Admitted, Body};
use std::fmt::Write;
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
    with(checked, symbols, &Admitted::new())
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
/// use mellow_rake::write::{Symbols, c};
/// // The output has a bit more than the input, and never needs the limit that it has.
/// let words = SectionWords { input: "s16f15".parse()?, output: "s17f15".parse()?,
///     rounding: Rounding::HalfUp, overflow: Overflow::Saturate };
/// let table = round_coefficients(&[vec![0.1, 0.0, 0.0, -1.5, 0.75]], "s16".parse()?)?;
/// let filter = direct_form_1(&table, words)?.check()?;
/// let symbols = Symbols::new(&mellow_rake::spec::Name::new("swell")?);
/// let source = &c::write_annotated(&filter, &symbols)?[1];
/// assert_eq!(source.name, "swell.c");
/// assert!(source.text.contains("/*@ admit -65536 <= "));
/// # Ok::<(), Box<dyn std::error::Error>>(())
/// ```
pub fn write_annotated(
    checked: &Checked,
    symbols: &Symbols,
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
    with(checked, symbols, &admitted.collect())
}

fn with(
    checked: &Checked,
    symbols: &Symbols,
    admitted: &Admitted,
) -> Result<Vec<GeneratedFile>, WriteError> {
    per_sample("C", checked)?;
    let lowered = lower(checked);
    Capability { target: "C", widest: 64 }.check(&lowered)?;
    let body = Body::new(&lowered, symbols.base(), admitted);
    let writer = Writer { checked, lowered, symbols, body };
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
    body: Body,
}

/// The length of each dimension of a table or line: rows only where there are several.
fn dimensions(rows: usize, columns: usize) -> String {
    if rows > 1 { format!("[{rows}][{columns}]") } else { format!("[{columns}]") }
}

impl Writer<'_> {
    fn file(&self, ending: &str, text: String) -> GeneratedFile {
        let name = format!("{}{ending}", self.symbols.base());
        GeneratedFile { language: Language::C, name, text }
    }

    fn words(&self) -> (&'static str, &'static str) {
        (storage(self.lowered.input()), storage(self.lowered.output()))
    }

    fn header(&self) -> String {
        let (name, guard) = (self.symbols.base(), self.symbols.capitals());
        let (input, output) = self.words();
        let (input_format, output_format) = (self.lowered.input(), self.lowered.output());
        let mut members = String::new();
        for Line { name, format, rows, depth } in self.lowered.lines.iter().filter(|l| l.depth > 0)
        {
            let _ = writeln!(
                members,
                "    {} {name}{}; /* {format}: the word stored k + 1 samples ago at k */",
                storage(*format),
                dimensions(*rows, *depth),
            );
        }
        if members.is_empty() {
            members.push_str("    char nothing; /* this filter remembers nothing */\n");
        }
        format!(
            "/* {ORIGIN}\n\
             \n   Input {input_format}, output {output_format}: a word holding the integer i has the value \
             i / 2^f with f the\n   number after the letter f. The output belongs to the input of the same \
             call. */\n\
             #ifndef {guard}_H\n#define {guard}_H\n\n#include <stddef.h>\n#include <stdint.h>\n\n\
             #ifdef __cplusplus\nextern \"C\" {{\n#endif\n\n\
             /* One filter; as many as you like side by side. */\n\
             struct {name} {{\n{members}}};\n\n\
             /* The zero state; call before the first sample. */\n\
             void {name}_init(struct {name} *filter);\n\n\
             /* One sample. */\n\
             {output} {name}_step(struct {name} *filter, {input} input);\n\n\
             /* count samples; input and output may be the same array if their types are. */\n\
             void {name}_block(struct {name} *filter, const {input} *input, {output} *output, size_t \
             count);\n\n\
             #ifdef __cplusplus\n}}\n#endif\n\n#endif\n"
        )
    }

    fn source(&self) -> String {
        let name = self.symbols.base();
        let (input, output) = self.words();
        let mut text =
            format!("/* {ORIGIN}\n\n   The program, in the terms of the comments below:\n\n");
        for line in dump(self.checked).lines() {
            let _ = writeln!(text, "     {line}");
        }
        let _ = write!(text, "*/\n#include \"{name}.h\"\n\n");
        for helper in &self.body.helpers {
            text.push_str(helper.text());
        }
        for (index, table) in self.lowered.tables.iter().enumerate() {
            let caption = caption(table.holds).join("\n   ");
            let _ = writeln!(text, "/* {caption} */");
            text.push_str(&self.table(table));
            if self.lowered.looks_up_exponents[index] {
                text.push_str(&self.exponents(table));
            }
        }
        let _ = writeln!(text, "void {name}_init(struct {name} *filter)\n{{");
        text.push_str(&self.clear());
        let _ = writeln!(text, "}}\n");
        let _ = writeln!(text, "{output} {name}_step(struct {name} *filter, {input} input)\n{{");
        if self.lowered.lines.iter().all(|line| line.depth == 0) {
            text.push_str("    (void)filter;\n");
        }
        text.push_str(&self.body.text);
        let _ = write!(
            text,
            "}}\n\nvoid {name}_block(struct {name} *filter, const {input} *input, {output} *output, size_t \
                count)\n\
             {{\n    size_t i;\n    for (i = 0; i < count; i++) {{\n        \
             output[i] = {name}_step(filter, input[i]);\n    }}\n}}\n"
        );
        text
    }

    fn table(&self, table: &Table) -> String {
        let (rows, columns) = (table.rows.len(), table.rows[0].len());
        let mut text = format!(
            "static const {} {}_{}{} = {{ /* {} */\n",
            storage(table.format),
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

    /// Statements that set every remembered word to zero.
    fn clear(&self) -> String {
        let mut text = String::new();
        let lines: Vec<&Line> = self.lowered.lines.iter().filter(|line| line.depth > 0).collect();
        if lines.is_empty() {
            return "    filter->nothing = 0;\n".to_owned();
        }
        for Line { name, rows, depth, .. } in lines {
            let each = |at: &str| {
                format!("for (int k = 0; k < {depth}; k++) {{ filter->{name}{at}[k] = 0; }}")
            };
            let _ = if *rows > 1 {
                let each = each("[row]");
                writeln!(text, "    for (int row = 0; row < {rows}; row++) {{ {each} }}")
            } else {
                writeln!(text, "    {}", each(""))
            };
        }
        text
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
