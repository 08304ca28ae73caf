//! A filter in floating point in C.

use super::{GeneratedFile, Language, ORIGIN, Symbols, dimensions};
use crate::float::{FloatFilter, FloatFormat};
use crate::write::formula::{Names, formulas};
use std::fmt::Write;

/// The text of a filter in floating point in C: `NAME.h`, `NAME.c`, and `NAME_pipe.c`, a program that filters
/// numbers, each given as the integer of its bits, from its standard input to its standard output.
///
/// Operations are carried out in the order of [`FloatFilter`] and are not contracted: the text refuses to
/// be compiled where numbers are evaluated in a wider format or by the rules of fast arithmetic.
///
/// ```
/// use mellow_rake::filter::{Form, Taps};
/// use mellow_rake::float::{FloatFilter, FloatFormat, FloatStructure};
/// use mellow_rake::write::{Symbols, c};
/// let mean = Form::Taps(Taps(vec![0.5, 0.5]));
/// let filter = FloatFilter::new(&mean, FloatFormat::Single, FloatStructure::FirDirect)?;
/// let files = c::write_float(&filter, &Symbols::new(&mellow_rake::spec::Name::new("mean")?));
/// assert!(files[1].text.contains("float mean_step(struct mean *filter, float input)"));
/// # Ok::<(), Box<dyn std::error::Error>>(())
/// ```
pub fn write_float(filter: &FloatFilter, symbols: &Symbols) -> Vec<GeneratedFile> {
    let writer = Writer { filter, symbols };
    vec![
        writer.file(".h", writer.header()),
        writer.file(".c", writer.source()),
        writer.file("_pipe.c", writer.pipe()),
    ]
}

struct Writer<'a> {
    filter: &'a FloatFilter,
    symbols: &'a Symbols,
}

impl Writer<'_> {
    fn file(&self, ending: &str, text: String) -> GeneratedFile {
        let name = format!("{}{ending}", self.symbols.base());
        GeneratedFile { language: Language::C, name, text }
    }

    fn kind(&self) -> &'static str {
        match self.filter.format() {
            FloatFormat::Single => "float",
            FloatFormat::Double => "double",
        }
    }

    /// The members of the structure.
    fn memory(&self) -> String {
        let (kind, rows) = (self.kind(), self.filter.rows());
        match self.filter.structure().section() {
            Some(program) => {
                let size = dimensions(rows.len(), program.states.len());
                format!("    {kind} s{size}; /* {} */\n", program.holds)
            }
            None if rows[0].len() > 1 => {
                let size = rows[0].len() - 1;
                format!("    {kind} x[{size}]; /* the input k + 1 samples ago at k */\n")
            }
            None => "    char nothing; /* this filter remembers nothing */\n".to_owned(),
        }
    }

    fn header(&self) -> String {
        let (name, guard, kind) = (self.symbols.base(), self.symbols.capitals(), self.kind());
        let members = self.memory();
        let (precision, bits) = if kind == "float" { ("single", 32) } else { ("double", 64) };
        let (bytes, largest) = (bits / 8, self.filter.rows()[0].len());
        format!(
            "/* {ORIGIN}\n\
             \n   A filter in {precision} precision, {}. Every operation is one of IEEE 754,\n   \
             rounded to nearest, in the order of the text; nothing is contracted. A processor that takes\n   \
             subnormal numbers for zero gives other bits. An infinity, or what is not a number, stays in\n   \
             a feedback until {name}_init is called. The output belongs to the input of the same call. */\n\
             #ifndef {guard}_H\n#define {guard}_H\n\n#include <limits.h>\n#include <stddef.h>\n\n\
             /* Numbers of {bits} bits, and an int that counts all that is remembered. */\n\
             typedef char {name}_fits_this_processor[CHAR_BIT == 8 && sizeof({kind}) == {bytes} && INT_MAX \
             >= {largest} ? 1 : -1];\n\n\
             #ifdef __cplusplus\nextern \"C\" {{\n#endif\n\n\
             /* One filter; as many as you like side by side. */\n\
             struct {name} {{\n{members}}};\n\n\
             /* The zero state; call before the first sample. */\n\
             void {name}_init(struct {name} *filter);\n\n\
             /* One sample. */\n\
             {kind} {name}_step(struct {name} *filter, {kind} input);\n\n\
             /* count samples; input and output may be the same array. */\n\
             void {name}_block(struct {name} *filter, const {kind} *input, {kind} *output, size_t \
             count);\n\n\
             #ifdef __cplusplus\n}}\n#endif\n\n#endif\n",
            self.filter.structure().as_str()
        )
    }

    fn source(&self) -> String {
        let (name, kind) = (self.symbols.base(), self.kind());
        // A wider evaluation than that of the type itself rounds twice.
        let widest = if kind == "float" { 0 } else { 1 };
        let mut text = format!(
            "/* {ORIGIN} */\n#include \"{name}.h\"\n\n#include <float.h>\n\n\
             #if defined(__FAST_MATH__) || FLT_EVAL_METHOD < 0 || FLT_EVAL_METHOD > {widest}\n\
             #error \"{name}: compile it so that each operation is rounded as IEEE 754 says\"\n#endif\n\
             #if defined(__GNUC__) && !defined(__clang__)\n\
             #pragma GCC optimize (\"fp-contract=off\")\n#else\n\
             #pragma STDC FP_CONTRACT OFF\n#endif\n\n"
        );
        text.push_str(&self.table());
        let (clear, step) = match self.filter.structure().section() {
            Some(_) => self.sections(),
            None => self.taps(),
        };
        let _ = write!(
            text,
            "void {name}_init(struct {name} *filter)\n{{\n{clear}}}\n\n\
             {kind} {name}_step(struct {name} *filter, {kind} input)\n{{\n{step}}}\n\n\
             void {name}_block(struct {name} *filter, const {kind} *input, {kind} *output, size_t count)\n\
             {{\n    size_t i;\n    for (i = 0; i < count; i++) {{\n        \
             output[i] = {name}_step(filter, input[i]);\n    }}\n}}\n"
        );
        text
    }

    /// A number in as few digits as tell it from its neighbours.
    fn number(&self, value: f64) -> String {
        match self.filter.format() {
            FloatFormat::Single => format!("{:?}f", value as f32),
            FloatFormat::Double => format!("{value:?}"),
        }
    }

    fn table(&self) -> String {
        let (rows, kind) = (self.filter.rows(), self.kind());
        let (what, caption) = match self.filter.structure().section() {
            Some(_) => (
                "sections",
                "b0, b1, b2, a1, a2 of H(z) = (b0 + b1 z^-1 + b2 z^-2)/(1 + a1 z^-1 + a2 z^-2)",
            ),
            None => ("taps", "h[0] first: y[n] = h[0] x[n] + h[1] x[n-1] + ..."),
        };
        let mut text = format!(
            "/* {caption} */\nstatic const {kind} {}_{what}{} = {{\n",
            self.symbols.base(),
            dimensions(rows.len(), rows[0].len())
        );
        for row in rows {
            let numbers: Vec<String> = row.iter().map(|value| self.number(*value)).collect();
            let lines: Vec<String> = numbers.chunks(5).map(|chunk| chunk.join(", ")).collect();
            let row = lines.join(",\n    ");
            let _ = match rows.len() {
                1 => writeln!(text, "    {row}"),
                _ => writeln!(text, "    {{ {row} }},"),
            };
        }
        text.push_str("};\n\n");
        text
    }

    /// What clears the memory, and the body of a step.
    fn sections(&self) -> (String, String) {
        let (name, kind, rows) = (self.symbols.base(), self.kind(), self.filter.rows().len());
        let Some(program) = self.filter.structure().section() else {
            return Default::default();
        };
        let names = Names { input: "word", output: "y", coefficients: "c", states: "s" };
        let (output, next) = formulas(&program, &names);
        let states = program.states.len();
        let (clear, head, indent) = match rows {
            1 => (
                format!("    for (int k = 0; k < {states}; k++) {{ filter->s[k] = 0; }}\n"),
                format!(
                    "    const {kind} *c = {name}_sections;\n    {kind} *s = filter->s;\n    \
                     const {kind} word = input;\n"
                ),
                "    ",
            ),
            _ => (
                format!(
                    "    for (int row = 0; row < {rows}; row++) {{\n        \
                     for (int k = 0; k < {states}; k++) {{ filter->s[row][k] = 0; }}\n    }}\n"
                ),
                format!(
                    "    {kind} word = input;\n    for (int row = 0; row < {rows}; row++) {{\n        \
                     const {kind} *c = {name}_sections[row];\n        {kind} *s = filter->s[row];\n"
                ),
                "        ",
            ),
        };
        let mut text = format!("{head}{indent}const {kind} y = {output};\n");
        for (place, formula) in next {
            let _ = writeln!(text, "{indent}s[{place}] = {formula};");
        }
        text.push_str(match rows {
            1 => "    return y;\n",
            _ => "        word = y;\n    }\n    return word;\n",
        });
        (clear, text)
    }

    fn taps(&self) -> (String, String) {
        let (name, kind, taps) = (self.symbols.base(), self.kind(), self.filter.rows()[0].len());
        let mut text = format!("    {kind} sum = {name}_taps[0] * input;\n");
        if taps == 1 {
            text = format!("    (void)filter;\n{text}    return sum;\n");
            return ("    filter->nothing = 0;\n".to_owned(), text);
        }
        let oldest = taps - 1;
        let _ = write!(
            text,
            "    for (int k = 0; k < {oldest}; k++) {{\n        \
             sum = sum + {name}_taps[k + 1] * filter->x[k];\n    }}\n    \
             for (int k = {}; k > 0; k--) {{\n        filter->x[k] = filter->x[k - 1];\n    }}\n    \
             filter->x[0] = input;\n    return sum;\n",
            oldest - 1
        );
        (format!("    for (int k = 0; k < {oldest}; k++) {{ filter->x[k] = 0; }}\n"), text)
    }

    fn pipe(&self) -> String {
        let (name, kind) = (self.symbols.base(), self.kind());
        let bits = if kind == "float" { 32 } else { 64 };
        format!(
            "/* {ORIGIN}\n\n   Filters numbers, one a line, each as the decimal integer of its {bits} bits, \
                from\n   standard input to standard output. The argument, if any, is the number of samples \
                per\n   call; 0 or none: one at a time. */\n\
             #define __STDC_FORMAT_MACROS\n#include \"{name}.h\"\n\n#include <stdint.h>\n\n\
             #define FILTER_NAME {name}\n#define FILTER_INIT {name}_init\n#define FILTER_STEP {name}_step\n\
             #define FILTER_BLOCK {name}_block\n#define FILTER_NUMBER {kind}\n\
             #define FILTER_BITS uint{bits}_t\n#define FILTER_SIGNED int{bits}_t\n\
             #define FILTER_NOT_A_NUMBER {}\n{}",
            match bits {
                32 => "0x7fc00000",
                _ => "0x7ff8000000000000",
            },
            include_str!("pipe_float.c"),
        )
    }
}
