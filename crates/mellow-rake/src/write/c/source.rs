//! The source file: tables, the zero state, and the functions that filter.

use super::super::ORIGIN;
use super::super::captions::caption;
use super::super::lower::Window;
use super::super::lower::processor::is_feed_forward;
use super::Writer;
use super::expression::{Access, Body, Form, LANES};
use super::types::Helper;
use crate::datapath::{Line, dump};
use crate::spec::{CodeGoal, Firmware, Tune};
use std::collections::BTreeSet;
use std::fmt::Write;

/// Filters of at most this many words are worked on in a copy during a block, which a compiler can hold in
/// registers.
const COPIED: usize = 64;

/// When the compiler has the instructions for pairs of words: the DSP extension, in the order of bytes that
/// the pairs are read in, and with the language of statements that they are written in.
const HAS_PAIRS: &str =
    "#if defined(__ARM_FEATURE_DSP) && defined(__GNUC__) && !defined(__ARM_BIG_ENDIAN)";

/// A function that is there in a form with instructions for pairs and in one without.
pub(super) struct Function {
    pub(super) head: String,
    /// Whether it makes several outputs at a time.
    pub(super) is_of_several: bool,
    pub(super) plain: Body,
    pub(super) paired: Option<Body>,
}

impl Writer<'_> {
    pub(super) fn source(&self) -> String {
        let name = self.symbols.base();
        let mut text =
            format!("/* {ORIGIN}\n\n   The program, in the terms of the comments below:\n\n");
        for line in dump(self.checked).lines() {
            let _ = writeln!(text, "     {line}");
        }
        if self.firmware.tune != Tune::Portable {
            text.push('\n');
            text.push_str(&tuned(self.firmware.tune));
        }
        let _ = write!(text, "*/\n#include \"{name}.h\"\n\n");
        let (several, mut functions) = (self.several(), self.functions());
        functions.retain(|function| several.is_some() || !function.is_of_several);
        let helpers: BTreeSet<Helper> = functions.iter().flat_map(Function::helpers).collect();
        text.push_str(&helper_texts(&helpers, self.firmware));
        self.tables(&mut text);
        let _ = writeln!(text, "void {name}_init(struct {name} *filter)\n{{");
        text.push_str(&self.clear());
        let _ = writeln!(text, "}}\n");
        if let Some(window) = self.window() {
            text.push_str(&self.advance(window));
        }
        for function in &functions {
            let condition = if function.is_of_several { several.as_deref() } else { None };
            text.push_str(&function.text(condition));
        }
        match is_feed_forward(&self.lowered) {
            Some(line) => text.push_str(&self.of_window(line, several.as_deref())),
            None => text.push_str(&self.of_samples(several.as_deref())),
        }
        if self.firmware.channels > 1 {
            text.push_str(&self.of_channels());
        }
        text
    }

    /// The condition for making several outputs at a time, or, of what goes from sample to sample, for
    /// working in a copy; empty where there is none, `None` where it is not to be.
    fn several(&self) -> Option<String> {
        let Firmware { tune, goal, .. } = self.firmware;
        if goal == CodeGoal::Size || tune.makes_several() == Some(false) {
            return None;
        }
        let mut conditions = Vec::new();
        if goal == CodeGoal::Automatic {
            conditions.push("!defined(__OPTIMIZE_SIZE__)");
        }
        if tune.makes_several().is_none() {
            // Few registers: AVR, and the cores of Arm with the short instructions only.
            conditions.push("!defined(__AVR__)");
            conditions.push("(!defined(__thumb__) || defined(__thumb2__))");
        }
        Some(conditions.join(" && "))
    }

    pub(super) fn tables(&self, text: &mut String) {
        for (index, table) in self.lowered.tables.iter().enumerate() {
            let caption = caption(table.holds).iter().copied().chain(self.lowered.notes[index]);
            let caption = caption.collect::<Vec<_>>().join("\n   ");
            let _ = writeln!(text, "/* {caption} */");
            text.push_str(&self.table(table));
            if self.lowered.looks_up_exponents[index] {
                text.push_str(&self.exponents(table));
            }
        }
    }

    /// The functions that hold the statements.
    fn functions(&self) -> Vec<Function> {
        let name = self.symbols.base();
        let (input, output) = self.words();
        let Some(line) = is_feed_forward(&self.lowered) else {
            let head = format!(
                "/* One sample. */\nstatic MELLOW_RAKE_INLINE {output} {name}_sample(struct {name} *filter, \
                 {input} input)"
            );
            return vec![self.function(head, Access::Filter, None)];
        };
        let word = self.kept(self.lowered.lines[line].format);
        let windows = match self.lowered.windows[line].map(|window| window.phases) {
            Some(2) => format!("const {word} *window, const {word} *other"),
            _ => format!("const {word} *window"),
        };
        let one = format!(
            "/* What belongs to the newest word of a window. */\n\
             static {output} {name}_one({windows})"
        );
        // Where there are few registers they are better told from those of the block around.
        let inlining = match self.firmware.tune {
            Tune::Host => "MELLOW_RAKE_INLINE",
            _ => "MELLOW_RAKE_APART",
        };
        let several = format!(
            "/* The same for {LANES} windows, each a word further than the one before. */\n\
             static {inlining} void {name}_several({windows}, {output} *output)"
        );
        vec![
            self.function(one, Access::Pointer, None),
            self.function(several, Access::Pointer, Some(LANES)),
        ]
    }

    fn function(&self, head: String, access: Access, lanes: Option<usize>) -> Function {
        let body = |is_dual: bool| {
            let form = Form { access, is_dual, lanes, firing: None };
            Body::new(&self.lowered, self.symbols.base(), self.admitted, self.firmware.tune, form)
        };
        let paired =
            self.firmware.tune.has_pairs().then(|| body(true)).filter(|body| body.has_pairs);
        let mut plain = body(false);
        plain.helpers.insert(Helper::Unroll);
        if self.lowered.lines.iter().all(|line| line.depth == 0) {
            plain.text.insert_str(0, "    (void)filter;\n");
        }
        if access == Access::Filter && self.window().is_some() {
            plain.text.insert_str(0, "    const int at = filter->at;\n");
        }
        let paired = paired.map(|mut body| {
            if access == Access::Filter && self.window().is_some() {
                body.text.insert_str(0, "    const int at = filter->at;\n");
            }
            body
        });
        Function { head, is_of_several: lanes.is_some(), plain, paired }
    }

    /// Statements that set every remembered word to zero.
    pub(super) fn clear(&self) -> String {
        let mut text = String::new();
        let lines: Vec<usize> = self.memories().collect();
        if lines.is_empty() {
            return "    filter->nothing = 0;\n".to_owned();
        }
        for line in lines {
            let Line { name, rows, depth, .. } = self.lowered.lines[line];
            let (rows, depth) = match self.lowered.windows[line] {
                None => (rows, depth),
                Some(window) => {
                    let long = super::window_words(depth, window).0;
                    (if window.phases == 2 { 2 } else { rows }, long)
                }
            };
            let each = |at: &str| {
                format!("for (int k = 0; k < {depth}; k++) {{ filter->{name}{at}[k] = 0; }}")
            };
            let _ = if rows > 1 {
                let each = each("[row]");
                writeln!(text, "    for (int row = 0; row < {rows}; row++) {{ {each} }}")
            } else {
                writeln!(text, "    {}", each(""))
            };
        }
        if self.window().is_some() {
            text.push_str("    filter->at = 0;\n");
        }
        text
    }

    /// The function that moves the window, and where the memory ends copies its words to the beginning.
    pub(super) fn advance(&self, window: Window) -> String {
        let name = self.symbols.base();
        let Window { slack, phases } = window;
        let mut copies = String::new();
        for line in self.memories().filter(|line| self.lowered.windows[*line].is_some()) {
            let Line { name, rows, depth, .. } = self.lowered.lines[line];
            let (rows, depth, slack) = match phases {
                2 => (2, depth.div_ceil(2), slack / 2),
                _ => (rows, depth, slack),
            };
            let each = |at: &str| {
                format!(
                    "for (int k = 0; k < {depth}; k++) {{ filter->{name}{at}[k] = filter->{name}{at}[k + \
                     {slack}]; }}"
                )
            };
            let _ = if rows > 1 {
                let each = each("[row]");
                writeln!(copies, "        for (int row = 0; row < {rows}; row++) {{ {each} }}")
            } else {
                writeln!(copies, "        {}", each(""))
            };
        }
        format!(
            "/* So many words further. */\n\
             static inline void {name}_advance(struct {name} *filter, int count)\n{{\n    \
             filter->at += count;\n    if (filter->at == {slack}) {{\n{copies}        \
             filter->at = 0;\n    }}\n}}\n\n"
        )
    }

    /// Words that a filter remembers, if it is worked on in a copy during a block.
    fn is_copied(&self) -> bool {
        let words = |line: usize| self.lowered.lines[line].rows * self.lowered.lines[line].depth;
        let words: usize = self.memories().map(words).sum();
        self.window().is_none() && (1..=COPIED).contains(&words)
    }

    /// Where the length of blocks can be fixed.
    fn fixed_length(&self) -> String {
        let guard = self.symbols.capitals();
        format!("#if defined({guard}_BLOCK)\n    count = {guard}_BLOCK;\n#endif\n")
    }

    /// The head of a function that takes a block, with what stands in front of it and its ending.
    fn block_head(&self, storage: &str, ending: &str) -> String {
        let name = self.symbols.base();
        let (input, output) = self.words();
        format!(
            "{storage}void {name}_{ending}(struct {name} *filter, const {input} *input, {output} *output, \
             size_t count)\n{{\n"
        )
    }

    /// Step and block of a program that goes from sample to sample.
    fn of_samples(&self, several: Option<&str>) -> String {
        let name = self.symbols.base();
        let (input, output) = self.words();
        let step = format!(
            "{output} {name}_step(struct {name} *filter, {input} input)\n{{\n    \
             return {name}_sample(filter, input);\n}}\n\n"
        );
        let (block, fixed) = (self.block_head("", "block"), self.fixed_length());
        let loop_over = |call: &str| {
            format!(
                "{fixed}    for (i = 0; i < count; i++) {{\n        output[i] = {call};\n    }}\n"
            )
        };
        let small =
            format!("    size_t i;\n{}", loop_over(&format!("{name}_step(filter, input[i])")));
        let copied = format!(
            "    /* In a copy that can lie in registers. */\n    \
             struct {name} state = *filter;\n    size_t i;\n{}    *filter = state;\n",
            loop_over(&format!("{name}_sample(&state, input[i])"))
        );
        match several.filter(|_| self.is_copied()) {
            None => format!("{step}{block}{small}}}\n"),
            Some("") => format!("{step}{block}{copied}}}\n"),
            Some(condition) => {
                format!("{step}{block}#if {condition}\n{copied}#else\n{small}#endif\n}}\n")
            }
        }
    }

    /// A block of streams that come interleaved.
    fn of_channels(&self) -> String {
        let (name, guard) = (self.symbols.base(), self.symbols.capitals());
        let (input, output) = self.words();
        let place = format!("[i * {guard}_CHANNELS + c]");
        let (block, fixed) = (self.block_head("", "block"), self.fixed_length());
        let is_of_window = is_feed_forward(&self.lowered).is_some();
        let block = match is_of_window {
            false => String::new(),
            true => {
                format!("\n{block}{fixed}    {name}_samples(filter, input, output, count);\n}}\n")
            }
        };
        let each = if self.is_copied() {
            format!(
                "        struct {name} state = filters[c];\n        size_t i;\n        \
                 for (i = 0; i < count; i++) {{\n            \
                 output{place} = {name}_sample(&state, input{place});\n        }}\n        \
                 filters[c] = state;\n"
            )
        } else if is_of_window {
            format!(
                "        size_t done = 0;\n        while (done < count) {{\n            \
                 {input} in[16];\n            {output} out[16];\n            \
                 const size_t now = count - done < 16 ? count - done : 16;\n            \
                 size_t k;\n            \
                 for (k = 0; k < now; k++) {{\n                \
                 in[k] = input[(done + k) * {guard}_CHANNELS + c];\n            }}\n            \
                 {name}_samples(&filters[c], in, out, now);\n            \
                 for (k = 0; k < now; k++) {{\n                \
                 output[(done + k) * {guard}_CHANNELS + c] = out[k];\n            }}\n            \
                 done += now;\n        }}\n"
            )
        } else {
            format!(
                "        size_t i;\n        for (i = 0; i < count; i++) {{\n            \
                 output{place} = {name}_step(&filters[c], input{place});\n        }}\n"
            )
        };
        format!(
            "{block}\nvoid {name}_channels(struct {name} *filters, const {input} *input, {output} *output, \
             size_t count)\n{{\n    \
             size_t c;\n    for (c = 0; c < {guard}_CHANNELS; c++) {{\n{each}    }}\n}}\n"
        )
    }

    /// Step and block of a program that makes its outputs of a window of inputs.
    fn of_window(&self, line: usize, several: Option<&str>) -> String {
        let name = self.symbols.base();
        let (input, output) = self.words();
        let Line { name: x, depth, .. } = self.lowered.lines[line];
        let Some(Window { slack, phases }) = self.lowered.windows[line] else {
            return String::new();
        };
        let ahead = if phases == 2 { depth.next_multiple_of(2) } else { depth };
        // The place of the newest word of a window, and the window.
        let word = |at: &str| match phases {
            2 => format!("filter->{x}[{at} & 1][({at} >> 1) + {}]", ahead / 2),
            _ => format!("filter->{x}[{at} + {ahead}]"),
        };
        let window = |at: &str| match phases {
            2 => format!(
                "&filter->{x}[{at} & 1][{at} >> 1], &filter->{x}[~{at} & 1][({at} + 1) >> 1]"
            ),
            _ => format!("&filter->{x}[{at}]"),
        };
        let kept = self.kept(self.lowered.lines[line].format);
        let cast = if kept == input { String::new() } else { format!("({kept})") };
        let at_once = phases * LANES;
        let one = format!("{name}_several({}, output + k", window("p"));
        let each = match phases {
            2 => format!(
                "            /* Those of even number, and those between. */\n            \
                 for (int q = 0; q < 2; q++) {{\n                \
                 const int p = at + k + q;\n                {one} + q);\n            }}\n"
            ),
            _ => format!("            const int p = at + k;\n            {one});\n"),
        };
        let step = format!(
            "{output} {name}_step(struct {name} *filter, {input} input)\n{{\n    \
             const int at = filter->at;\n    {output} result;\n    \
             {} = {cast}input;\n    result = {name}_one({});\n    \
             {name}_advance(filter, 1);\n    return result;\n}}\n\n",
            word("at"),
            window("at")
        );
        let (block, fixed) = match self.firmware.channels {
            1 => (self.block_head("", "block"), self.fixed_length()),
            // Blocks of fixed length are those of the caller, and not the pieces that channels are cut into.
            _ => (self.block_head("static ", "samples"), String::new()),
        };
        let small = format!(
            "    size_t i;\n{fixed}    for (i = 0; i < count; i++) {{\n        \
             output[i] = {name}_step(filter, input[i]);\n    }}\n"
        );
        let fast = format!(
            "{fixed}    while (count > 0) {{\n        \
             /* As many as there is memory for, all of them at first; then their outputs, {at_once} at once. \
             */\n        \
             const int at = filter->at;\n        \
             const int most = {slack} - at;\n        \
             const int now = count < (size_t)most ? (int)count : most;\n        \
             int k;\n        \
             for (k = 0; k < now; k++) {{\n            \
             const int p = at + k;\n            {} = {cast}input[k];\n        }}\n        \
             for (k = 0; k + {at_once} <= now; k += {at_once}) {{\n{each}        }}\n        \
             for (; k < now; k++) {{\n            const int p = at + k;\n            \
             output[k] = {name}_one({});\n        }}\n        \
             {name}_advance(filter, now);\n        \
             input += now;\n        output += now;\n        count -= (size_t)now;\n    }}\n",
            word("p"),
            window("p")
        );
        match several {
            None => format!("{step}{block}{small}}}\n"),
            Some("") => format!("{step}{block}{fast}}}\n"),
            Some(condition) => {
                format!("{step}{block}#if {condition}\n{fast}#else\n{small}#endif\n}}\n")
            }
        }
    }
}

/// What a text is tuned to, and what that means, within a comment.
pub(super) fn tuned(tune: Tune) -> String {
    let (tune, reason) = (tune.as_str(), tune.reason());
    let lines = wrapped(&format!("Tuned to {tune}: {reason}."), 100);
    lines.iter().map(|line| format!("   {line}\n")).collect()
}

impl Function {
    /// What either form calls.
    pub(super) fn helpers(&self) -> impl Iterator<Item = Helper> {
        let bodies = [Some(&self.plain), self.paired.as_ref()];
        bodies.into_iter().flatten().flat_map(|body| body.helpers.iter().copied())
    }

    /// Its text, behind the condition that there is for it.
    pub(super) fn text(&self, condition: Option<&str>) -> String {
        let whole = |body: &Body| format!("{}\n{{\n{}}}\n", self.head, body.text);
        let text = match &self.paired {
            None => whole(&self.plain),
            Some(paired) => format!(
                "{HAS_PAIRS}\n#pragma GCC diagnostic push\n\
                 #pragma GCC diagnostic ignored \"-Wsign-conversion\"\n{}\
                 #pragma GCC diagnostic pop\n#else\n{}#endif\n",
                whole(paired),
                whole(&self.plain)
            ),
        };
        match condition {
            Some(condition) if !condition.is_empty() => {
                format!("#if {condition}\n{text}#endif\n\n")
            }
            _ => format!("{text}\n"),
        }
    }
}

/// Words in lines of so many letters.
fn wrapped(text: &str, width: usize) -> Vec<String> {
    let mut lines = vec![String::new()];
    for word in text.split(' ') {
        let line = lines.last_mut().map_or(0, |line| line.len());
        if line + word.len() >= width {
            lines.push(String::new());
        }
        if let Some(line) = lines.last_mut() {
            if !line.is_empty() {
                line.push(' ');
            }
            line.push_str(word);
        }
    }
    lines
}

/// The helpers that some functions call.
pub(super) fn helper_texts(helpers: &BTreeSet<Helper>, firmware: Firmware) -> String {
    let mut text = String::new();
    for helper in helpers {
        match helper {
            Helper::Pair | Helper::Push => {
                let _ = write!(text, "{HAS_PAIRS}\n{}#endif\n\n", helper.text());
            }
            Helper::Unroll => {
                let is_fast = match firmware.goal {
                    // For this core everybody compiles for size, and a call takes longer than a product.
                    CodeGoal::Automatic if firmware.tune == Tune::Avr => {
                        "(defined(__AVR__) || !defined(__OPTIMIZE_SIZE__))"
                    }
                    CodeGoal::Automatic => "!defined(__OPTIMIZE_SIZE__)",
                    CodeGoal::Speed => "1",
                    CodeGoal::Size => "0",
                };
                text.push_str(&helper.text().replace("IS_FAST", is_fast));
            }
            _ => text.push_str(helper.text()),
        }
    }
    text
}
