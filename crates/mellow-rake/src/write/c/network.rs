//! Networks in C: one structure and one function that takes blocks, with a function for each program.

use super::super::capability::Capability;
use super::super::lower::{Lowered, Statement, lower, lower_for_processor, lower_in_loops};
use super::super::number::c_integer;
use super::super::parts::{Part, What, parts, samples_said};
use super::super::{GeneratedFile, Language, ORIGIN, Symbols, WriteError};
use super::expression::{Access, Admitted, Body, Firing, Form};
use super::source::{Function, helper_texts, tuned};
use super::types::{Helper, storage};
use super::{Writer, lanes, mixer, steps};
use crate::datapath::{Checked, Row, dump};
use crate::fixed::WordFormat;
use crate::network::Network;
use crate::spec::{Firmware, Tune};
use crate::units::SampleRate;
use std::collections::BTreeSet;
use std::fmt::Write;

/// The most words between two programs that lie on the stack during a block.
const AT_ONCE: usize = 64;

/// The text of a network in C: `NAME.h`, `NAME.c`, and `NAME_pipe.c`, a program that takes integers from its
/// standard input through it.
///
/// A block call takes any number of words and says how many came out. Words that no program can use yet are
/// kept. What a later step throws away is not computed where the passes of a program do not need each other.
///
/// # Errors
/// [`WriteError`] names what C cannot express and what would fit.
///
/// ```
/// use mellow_rake::implementation::implement_chain;
/// use mellow_rake::rates::{Chain, Comb, Stage};
/// use mellow_rake::spec::{ChainFixed, Name};
/// use mellow_rake::units::SampleRate;
/// use mellow_rake::write::{Symbols, c};
/// let mean = Stage::comb(1, 4, Comb { order: 2, delay: 1 })?;
/// let chain = Chain::new(SampleRate::from_hertz(1000.0).unwrap(), vec![mean])?;
/// let words = implement_chain(&chain, &ChainFixed::new("s16f15".parse()?))?;
/// let files = c::write_network(&words.network, &Symbols::new(&Name::new("mean")?), None)?;
/// assert_eq!(files[0].name, "mean.h");
/// assert!(files[0].text.contains("size_t mean_block(struct mean *chain, const int16_t *input"));
/// # Ok::<(), Box<dyn std::error::Error>>(())
/// ```
pub fn write_network(
    network: &Network,
    symbols: &Symbols,
    rate: Option<SampleRate>,
) -> Result<Vec<GeneratedFile>, WriteError> {
    write_network_for(network, symbols, Firmware::default(), rate)
}

/// The same as firmware is to be; channels are lanes of the network, whatever it says of them.
///
/// # Errors
/// As of [`write_network`].
///
/// ```
/// use mellow_rake::filter::Taps;
/// use mellow_rake::implementation::implement_chain;
/// use mellow_rake::rates::{Chain, Stage};
/// use mellow_rake::spec::{ChainFixed, Firmware, Name, Tune};
/// use mellow_rake::write::{Symbols, c};
/// let halve = Stage::decimator(2, Taps(vec![0.05; 20]))?;
/// let chain = Chain::new("96 kHz".parse()?, vec![halve])?;
/// let words = implement_chain(&chain, &ChainFixed::new("s16f15".parse()?))?;
/// let firmware = Firmware { tune: Tune::CortexM4, ..Firmware::default() };
/// let files = c::write_network_for(&words.network, &Symbols::new(&Name::new("wake")?), firmware, None)?;
/// assert!(files[1].text.contains("__smla"));
/// # Ok::<(), Box<dyn std::error::Error>>(())
/// ```
pub fn write_network_for(
    network: &Network,
    symbols: &Symbols,
    firmware: Firmware,
    rate: Option<SampleRate>,
) -> Result<Vec<GeneratedFile>, WriteError> {
    let firmware = Firmware { channels: 1, ..firmware };
    let admitted = Admitted::new();
    let parts = parts(network, "C")?;
    for checked in parts.iter().filter_map(Part::program) {
        Capability { target: "C", widest: 64 }.check(&lower(checked))?;
    }
    let own = (1..=parts.len()).map(|number| symbols.part(number)).collect();
    let text = Text { network, symbols, rate, parts, own, admitted, firmware };
    let file = |ending: &str, text: String| {
        let name = format!("{}{ending}", symbols.base());
        GeneratedFile { language: Language::C, name, text }
    };
    Ok(vec![file(".h", text.header()), file(".c", text.source()), file("_pipe.c", text.pipe())])
}

impl Part<'_> {
    pub(super) fn types(&self) -> (&'static str, &'static str) {
        let [input, output] = self.formats();
        (storage(input), storage(output))
    }

    /// The dimension of what each lane has, if there are several.
    fn each_lane(&self) -> String {
        if self.lanes > 1 { format!("[{}]", self.lanes) } else { String::new() }
    }

    /// The most words that come out of so many, in C.
    fn most_in_c(&self, words: &str) -> String {
        let mut text = words.to_owned();
        if self.fill > 1 {
            text = format!("({text} * {})", self.fill);
        }
        if self.takes() > 1 {
            text = format!("(({text} + {}) / {})", self.takes() - 1, self.takes());
        }
        if self.gives() > 1 {
            text = format!("({text} * {})", self.gives());
        }
        if self.keep > 1 {
            text = format!("(({text} + {}) / {})", self.keep - 1, self.keep);
        }
        text
    }

    /// Whether only those passes need be made whose words are kept: each is by itself.
    fn makes_kept_only(&self, lowered: &Lowered) -> bool {
        let loops = lowered.body.iter().filter_map(|statement| match statement {
            Statement::Repeat { body, first, result, passes, .. } => {
                Some((body, first, result, *passes))
            }
            _ => None,
        });
        let [(body, _, result, passes)] = loops.collect::<Vec<_>>()[..] else { return false };
        let is_carried = |statement: &Statement| match statement {
            Statement::Let { local, value } => {
                local == result && matches!(value, super::super::lower::Value::Read(_))
            }
            _ => false,
        };
        let delivers = |body: &[Statement], place: fn(&Row) -> bool| {
            let is = |one: &&Statement| matches!(one, Statement::Deliver { at, .. } if place(at));
            body.iter().filter(is).count()
        };
        let advances = body.iter().any(|one| matches!(one, Statement::Advance { .. }));
        self.keep > 1
            && passes == self.gives()
            && body.iter().any(is_carried)
            && !advances
            && delivers(body, |at| *at == Row::Pass) == 1
            && delivers(&lowered.body, |_| true) == 0
    }
}

struct Text<'a> {
    network: &'a Network,
    symbols: &'a Symbols,
    rate: Option<SampleRate>,
    parts: Vec<Part<'a>>,
    /// The names of each.
    own: Vec<Symbols>,
    admitted: Admitted,
    firmware: Firmware,
}

impl Text<'_> {
    fn writer<'b>(&'b self, index: usize, checked: &'b Checked) -> Writer<'b> {
        Writer {
            checked,
            // Of branches whose words are not all kept, only those are made that are.
            lowered: match self.parts[index].keep {
                1 => lower_for_processor(checked),
                _ => lower_in_loops(checked),
            },
            symbols: &self.own[index],
            admitted: &self.admitted,
            firmware: self.firmware,
            rate: None,
        }
    }

    fn words(&self) -> (&'static str, &'static str) {
        (storage(self.network.input()), storage(self.network.output()))
    }

    /// What is counted, and what is said of it.
    fn said_of_samples(&self) -> (&'static str, String) {
        match samples_said(self.network) {
            None => ("words", String::new()),
            Some([input, output]) => (
                "samples",
                format!(
                    "\n   A sample that goes in is {input}, one that comes out {output}; of complex\n   \
                     samples the real part stands first."
                ),
            ),
        }
    }

    fn header(&self) -> String {
        let (name, guard) = (self.symbols.base(), self.symbols.capitals());
        let (input, output) = self.words();
        let (input_format, output_format) = (self.network.input(), self.network.output());
        let (mut structures, mut members) = (String::new(), String::new());
        let mut largest = 0;
        for (index, part) in self.parts.iter().enumerate() {
            let number = index + 1;
            let own = self.own[index].base();
            let checked = match part.what {
                What::Program(checked) => checked,
                What::Mixer(mixer) => {
                    for member in mixer::members(mixer, number) {
                        let _ = writeln!(members, "    uint32_t {member};");
                    }
                    continue;
                }
            };
            let (writer, lanes) = (self.writer(index, checked), part.each_lane());
            let _ = write!(structures, "struct {own} {{\n{}}};\n\n", writer.members());
            let _ = writeln!(members, "    struct {own} part{number}{lanes};");
            if part.takes() > 1 {
                let (kind, takes) = (part.types().0, part.takes());
                let format = checked.input();
                let _ = writeln!(
                    members,
                    "    {kind} waiting{number}{lanes}[{takes}]; /* {format}: words until there are enough \
                     */\n    int waits{number}; /* so many are there */"
                );
            }
            if part.keep > 1 {
                let _ = writeln!(
                    members,
                    "    int until{number}; /* so many words go before the next one that is kept */"
                );
            }
            let of_writer = writer.memories().map(|line| writer.largest_index(line)).max();
            largest = largest.max(of_writer.unwrap_or(0)).max(part.takes()).max(part.keep);
        }
        let often = self.rate.map_or(String::new(), |rate| {
            format!("   Made for {} samples in a second going in.\n", rate.hertz())
        });
        let most = self.parts.iter().fold("(count)".to_owned(), |text, part| part.most_in_c(&text));
        let (words, side) = self.said_of_samples();
        let sets = steps::declaration(&self.parts, name);
        format!(
            "/* {ORIGIN}\n\
             \n   Input {input_format}, output {output_format}: a word holding the integer i has the value \
             i / 2^f with f the\n   number after the letter f.\n{often}   Each stream of samples needs a \
             chain \
             of its own, a structure that {name}_init has\n   cleared once.{side} */\n\
             #ifndef {guard}_H\n#define {guard}_H\n\n#include <limits.h>\n#include <stddef.h>\n\
             #include <stdint.h>\n\n\
             /* Words have whole bytes of 8 bits, and an int counts all that is remembered. */\n\
             typedef char {name}_fits_this_processor[CHAR_BIT == 8 && INT_MAX >= {largest} ? 1 : -1];\n\n\
             #ifdef __cplusplus\nextern \"C\" {{\n#endif\n\n{structures}\
             /* One chain; as many as you like side by side. */\n\
             struct {name} {{\n{members}}};\n\n\
             /* At most so many {words} come out of count. */\n\
             #define {guard}_OUTPUTS(count) {most}\n\n\
             /* The zero state; call before the first sample. */\n\
             void {name}_init(struct {name} *chain);\n\n\
             /* count {words} go in, as many as you like at a call; gives how many came out. The arrays must \
             not overlap. */\n\
             size_t {name}_block(struct {name} *chain, const {input} *input, size_t count, {output} \
             *output);\n\n{sets}\
             #ifdef __cplusplus\n}}\n#endif\n\n#endif\n"
        )
    }

    fn source(&self) -> String {
        let name = self.symbols.base();
        let mut text =
            format!("/* {ORIGIN}\n\n   The programs, in the terms of the comments below:\n");
        for (index, part) in self.parts.iter().enumerate() {
            let _ = writeln!(text, "\n   part {}{}", index + 1, part.said());
            match part.what {
                What::Program(checked) => {
                    for line in dump(checked).lines() {
                        let _ = writeln!(text, "     {line}");
                    }
                }
                What::Mixer(mixer) => text.push_str(&mixer::said(mixer)),
            }
        }
        if self.firmware.tune != Tune::Portable {
            text.push('\n');
            text.push_str(&tuned(self.firmware.tune));
        }
        let _ = write!(text, "*/\n#include \"{name}.h\"\n\n");
        let mut helpers: BTreeSet<Helper> = [Helper::Unroll].into();
        let mut functions = String::new();
        let mut clears = String::new();
        for (index, part) in self.parts.iter().enumerate() {
            let own = self.own[index].base();
            let checked = match part.what {
                What::Program(checked) => checked,
                What::Mixer(mixer) => {
                    let channels = part.channels();
                    let text = mixer::functions(mixer, channels, own, name, index + 1);
                    functions.push_str(&text);
                    for statement in mixer::begins(mixer, index + 1) {
                        let _ = writeln!(clears, "    {statement}");
                    }
                    continue;
                }
            };
            let writer = self.writer(index, checked);
            let kept_only = part.makes_kept_only(&writer.lowered);
            writer.tables(&mut functions);
            let _ = writeln!(functions, "static void {own}_init(struct {own} *filter)\n{{");
            functions.push_str(&writer.clear());
            functions.push_str("}\n\n");
            if let Some(window) = writer.window() {
                functions.push_str(&writer.advance(window));
            }
            let firing = if kept_only { Firing::Every(part.keep) } else { Firing::All };
            let function = fire(&writer, part, firing);
            helpers.extend(function.helpers());
            functions.push_str(&function.text(None));
            functions.push_str(&match part.lanes {
                1 => self.run(index, checked, kept_only),
                _ => lanes::run(part, own, name, index + 1, kept_only),
            });
            let number = index + 1;
            match part.lanes {
                1 => {
                    let _ = writeln!(clears, "    {own}_init(&chain->part{number});");
                }
                count => {
                    for lane in 0..count {
                        let _ = writeln!(clears, "    {own}_init(&chain->part{number}[{lane}]);");
                    }
                }
            }
            if part.takes() > 1 {
                let _ = writeln!(clears, "    chain->waits{number} = 0;");
            }
            if part.keep > 1 {
                let _ = writeln!(clears, "    chain->until{number} = {};", part.keep - 1);
            }
        }
        text.push_str(&helper_texts(&helpers, self.firmware));
        text.push_str(&functions);
        let _ = write!(text, "void {name}_init(struct {name} *chain)\n{{\n{clears}}}\n\n");
        text.push_str(&steps::function(&self.parts, self.symbols.base()));
        text.push_str(&self.block());
        text
    }

    /// The function that takes some words through one part.
    fn run(&self, index: usize, checked: &Checked, kept_only: bool) -> String {
        let (part, number, name) = (&self.parts[index], index + 1, self.symbols.base());
        let (own, (input, output)) = (self.own[index].base(), part.types());
        // A small state may lie in registers while the block lasts.
        let words = checked.datapath().state_words();
        let copied = (1..=AT_ONCE).contains(&words) && part.takes() == 1;
        let state = if copied { "&state".to_owned() } else { format!("&chain->part{number}") };
        let fire = Fire { part, own, number, state, kept_only };
        let mut each = fire.word("input + i");
        if part.fill > 1 {
            let mut zeros = vec![format!("static const {input} zero = 0;"), "int z;".to_owned()];
            let head = format!("for (z = 1; z < {}; z++) {{", part.fill);
            zeros.extend(block(&head, fire.word("&zero")));
            each.extend(block("{", zeros));
        }
        let mut body = vec![format!("{output} *const begin = output;"), "size_t i;".to_owned()];
        if copied {
            body.push(format!("struct {own} state = chain->part{number};"));
        }
        if part.keep > 1 {
            body.push(format!("int until = chain->until{number};"));
        }
        if part.takes() > 1 && part.fill == 1 {
            body.extend(block("for (i = 0; i < count;) {", fire.words()));
        } else {
            body.extend(block("for (i = 0; i < count; i++) {", each));
        }
        if copied {
            body.push(format!("chain->part{number} = state;"));
        }
        if part.keep > 1 {
            body.push(format!("chain->until{number} = until;"));
        }
        body.push("return (size_t)(output - begin);".to_owned());
        let head = format!(
            "static size_t {name}_run{number}(struct {name} *chain, const {input} *input, size_t count, \
             {output} *output)"
        );
        let lines: Vec<String> = body.iter().map(|line| format!("    {line}\n")).collect();
        format!("{head}\n{{\n{}}}\n\n", lines.concat())
    }

    /// The function that takes a block through all parts, some words at a time.
    fn block(&self) -> String {
        let name = self.symbols.base();
        let (input, output) = self.words();
        let [lanes_in, lanes_out] = [self.network.lanes_in(), self.network.lanes_out()];
        let came_out = match lanes_out {
            1 => "(size_t)(output - begin)".to_owned(),
            lanes => format!("(size_t)(output - begin) / {lanes}"),
        };
        let times = |lanes: usize| if lanes > 1 { format!(" * {lanes}") } else { String::new() };
        let between = |words: usize| -> Vec<usize> {
            let mut count = words;
            let most = |part: &Part<'_>| {
                count = part.most(count);
                count * part.lanes_out()
            };
            let (_, all) =
                self.parts.split_last().map_or((None, &[][..]), |(l, rest)| (Some(l), rest));
            all.iter().map(most).collect()
        };
        let is_small = |words: &usize| between(*words).iter().all(|most| *most <= AT_ONCE);
        let at_once = (1..=AT_ONCE).rev().find(is_small).unwrap_or(1);
        let mut text = format!(
            "size_t {name}_block(struct {name} *chain, const {input} *input, size_t count, {output} \
             *output)\n{{\n    {output} *const begin = output;\n"
        );
        let count = self.parts.len();
        if count == 1 {
            return format!(
                "{text}    output += {name}_run1(chain, input, count, output){};\n    \
                 return {came_out};\n}}\n",
                times(lanes_out)
            );
        }
        text.push_str("    while (count > 0) {\n");
        for (index, most) in between(at_once).iter().enumerate() {
            let kind = self.parts[index].types().1;
            let _ = writeln!(text, "        {kind} words{}[{most}];", index + 1);
        }
        let _ = write!(
            text,
            "        const size_t now = count < {at_once} ? count : {at_once};\n        \
             size_t many = {name}_run1(chain, input, now, words1);\n"
        );
        for number in 2..count {
            let _ = writeln!(
                text,
                "        many = {name}_run{number}(chain, words{}, many, words{number});",
                number - 1
            );
        }
        let _ = write!(
            text,
            "        output += {name}_run{count}(chain, words{}, many, output){};\n        \
             input += now{};\n        count -= now;\n    }}\n    return {came_out};\n}}\n",
            count - 1,
            times(lanes_out),
            times(lanes_in)
        );
        text
    }

    fn pipe(&self) -> String {
        let (name, guard) = (self.symbols.base(), self.symbols.capitals());
        let (input, output) = self.words();
        let format: WordFormat = self.network.input();
        format!(
            "/* {ORIGIN}\n\n   Takes decimal integers, one a line, from standard input to standard \
             output.\n   \
             The argument, if any, is the number of samples per call; 0 or none: one at a time. */\n\
             #define __STDC_FORMAT_MACROS\n#include \"{name}.h\"\n\n\
             #define CHAIN_NAME {name}\n#define CHAIN_INIT {name}_init\n#define CHAIN_BLOCK {name}_block\n\
             #define CHAIN_INPUT {input}\n#define CHAIN_OUTPUT {output}\n\
             #define CHAIN_OUTPUTS {guard}_OUTPUTS\n\
             #define CHAIN_WORDS_IN {}\n#define CHAIN_WORDS_OUT {}\n\
             #define CHAIN_LOWEST {}\n#define CHAIN_HIGHEST {}\n{}",
            self.network.lanes_in(),
            self.network.lanes_out(),
            c_integer(format.minimum()),
            c_integer(format.maximum()),
            include_str!("pipe_network.c"),
        )
    }
}

/// How words go into the program of a part, and out of it.
struct Fire<'a> {
    part: &'a Part<'a>,
    own: &'a str,
    number: usize,
    /// Where its memory lies.
    state: String,
    kept_only: bool,
}

impl Fire<'_> {
    /// One word goes in, and the program is fired where it has enough of them.
    fn word(&self, from: &str) -> Vec<String> {
        let (number, takes) = (self.number, self.part.takes());
        if takes == 1 {
            return self.firing(from);
        }
        let mut lines =
            vec![format!("chain->waiting{number}[chain->waits{number}++] = *({from});")];
        let mut full = vec![format!("chain->waits{number} = 0;")];
        full.extend(self.firing(&format!("chain->waiting{number}")));
        lines.extend(block(&format!("if (chain->waits{number} == {takes}) {{"), full));
        lines
    }

    /// The words of the next firing: from where they lie, or, where some were left from before or are missing
    /// yet, one that waits.
    fn words(&self) -> Vec<String> {
        let (number, takes, input) = (self.number, self.part.takes(), self.part.types().0);
        let waiting = vec![
            format!("chain->waiting{number}[chain->waits{number}++] = input[i++];"),
            format!("if (chain->waits{number} != {takes}) {{"),
            "    continue;".to_owned(),
            "}".to_owned(),
            format!("chain->waits{number} = 0;"),
            format!("from = chain->waiting{number};"),
        ];
        let mut lines = vec![format!("const {input} *from = input + i;")];
        let head = format!("if (chain->waits{number} != 0 || count - i < {takes}) {{");
        lines.extend(block(&head, waiting));
        lines.extend(block("else {", vec![format!("i += {takes};")]));
        lines.extend(self.firing("from"));
        lines
    }

    /// One firing, of which goes on what is kept.
    fn firing(&self, from: &str) -> Vec<String> {
        let Fire { part, own, state, kept_only, .. } = self;
        let output = part.types().1;
        let (gives, keep) = (part.gives(), part.keep);
        let call = |to: &str| format!("{own}_fire({state}, {from}, {to});");
        match (kept_only, keep, gives) {
            (true, ..) => block(
                "{",
                vec![
                    format!("{output} *const before = output;"),
                    format!("output = {own}_fire({state}, {from}, output, until);"),
                    format!("until += (int)(output - before) * {keep} - {gives};"),
                ],
            ),
            (false, 1, 1) => vec![call("output++")],
            (false, 1, _) => vec![call("output"), format!("output += {gives};")],
            (false, _, 1) => {
                let kept = vec!["*output++ = given;".to_owned(), format!("until = {keep};")];
                let mut lines = vec![format!("{output} given;"), call("&given")];
                lines.extend(block("if (until == 0) {", kept));
                lines.push("until--;".to_owned());
                block("{", lines)
            }
            (false, ..) => {
                let kept = vec!["*output++ = given[k];".to_owned(), format!("until = {keep};")];
                let mut each = block("if (until == 0) {", kept);
                each.push("until--;".to_owned());
                let mut lines =
                    vec![format!("{output} given[{gives}];"), "int k;".to_owned(), call("given")];
                lines.extend(block(&format!("for (k = 0; k < {gives}; k++) {{"), each));
                block("{", lines)
            }
        }
    }
}

/// Lines in braces, the first of which ends the head.
pub(super) fn block(head: &str, lines: Vec<String>) -> Vec<String> {
    let inner = lines.into_iter().map(|line| format!("    {line}"));
    std::iter::once(head.to_owned()).chain(inner).chain(["}".to_owned()]).collect()
}

/// The function of one firing.
fn fire(writer: &Writer<'_>, part: &Part<'_>, firing: Firing) -> Function {
    let (own, (input, output)) = (writer.symbols.base(), part.types());
    let tune = writer.firmware.tune;
    let body = |is_dual: bool| {
        let form = Form { access: Access::Filter, is_dual, lanes: None, firing: Some(firing) };
        Body::new(&writer.lowered, own, writer.admitted, tune, form)
    };
    let (kind, first) = match firing {
        Firing::All => ("void", ""),
        Firing::Every(_) => (output, ", int first"),
    };
    let star = if kind == "void" { " " } else { " *" };
    let start = if writer.window().is_some() {
        "    const int at = filter->at;\n"
    } else if writer.lowered.lines.iter().all(|line| line.depth == 0) {
        "    (void)filter;\n"
    } else {
        ""
    };
    let begun = |mut body: Body| {
        body.text.insert_str(0, start);
        body
    };
    let head = format!(
        "/* One firing. */\nstatic MELLOW_RAKE_INLINE {kind}{star}{own}_fire(struct {own} *filter, const \
         {input} *input, {output} *output{first})"
    );
    let paired = tune.has_pairs().then(|| body(true)).filter(|body| body.has_pairs).map(begun);
    Function { head, is_of_several: false, plain: begun(body(false)), paired }
}
