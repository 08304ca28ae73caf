//! What a filter remembers, and its functions.

use super::super::lower::processor::is_feed_forward;
use super::super::lower::{Lowered, Window};
use super::statements::{Access, Body};
use super::types::{Helpers, Integer};
use super::{array, field};
use crate::spec::{CodeGoal, Firmware};
use std::fmt::Write;

/// Outputs that are made at once where several are.
const LANES: usize = 4;

/// Memory that has a name.
struct Memory {
    name: String,
    docs: String,
    kind: String,
    /// Rows and words of each.
    size: [usize; 2],
    /// Of what lies in a window: from this word on each row is copied to its beginning.
    slack: Option<usize>,
}

/// The words that windows move over.
struct Words {
    name: String,
    depth: usize,
    phases: usize,
    /// The place of the newest word behind the beginning of its window.
    ahead: usize,
}

impl Words {
    /// The place of the newest word of a window that begins there.
    fn newest(&self, at: &str) -> String {
        let Words { name, phases, ahead, .. } = self;
        match phases {
            1 => format!("self.{name}[{at} + {ahead}]"),
            _ => format!("self.{name}[{at} & 1][({at} >> 1) + {ahead}]"),
        }
    }

    /// The window that begins there.
    fn window(&self, at: &str) -> String {
        let Words { name, phases, .. } = self;
        match phases {
            1 => format!("&self.{name}[{at}..]"),
            _ => format!(
                "&self.{name}[{at} & 1][{at} >> 1..], &self.{name}[!{at} & 1][({at} + 1) >> 1..]"
            ),
        }
    }
}

/// The functions of a filter.
pub(super) struct Functions<'a> {
    lowered: &'a Lowered,
    firmware: Firmware,
    pub(super) helpers: Helpers,
    input: String,
    output: String,
}

impl<'a> Functions<'a> {
    pub(super) fn new(lowered: &'a Lowered, firmware: Firmware) -> Self {
        let [input, output] =
            [lowered.input(), lowered.output()].map(|format| Integer::storing(format).name());
        Functions { lowered, firmware, helpers: Helpers::default(), input, output }
    }

    fn window(&self) -> Option<Window> {
        self.lowered.windows.iter().flatten().next().copied()
    }

    fn memories(&self) -> Vec<Memory> {
        let Lowered { lines, homes, windows, .. } = self.lowered;
        let own =
            (0..lines.len()).filter(|line| lines[*line].depth > 0 && homes[*line].line == *line);
        own.map(|index| {
            let line = &lines[index];
            let (name, format, depth) = (field(line.name), line.format, line.depth);
            let kind = Integer::storing(format).name();
            let (docs, size, slack) = match windows[index] {
                None => {
                    let docs = format!("{format}: the word stored k + 1 samples ago at k.");
                    (docs, [line.rows, depth], None)
                }
                Some(Window { slack, phases: 1 }) => {
                    let docs = format!(
                        "{format}: the last {depth} words, the oldest first, in a window that begins at `at`."
                    );
                    (docs, [line.rows, depth + slack], Some(slack))
                }
                Some(Window { slack, .. }) => {
                    let docs = format!(
                        "{format}: the last {depth} words, the oldest first, in a window that begins at \
                         `at`;\n    /// those with odd number in the second row."
                    );
                    (docs, [2, (depth.next_multiple_of(2) + slack) / 2], Some(slack / 2))
                }
            };
            Memory { name, docs, kind, size, slack }
        })
        .collect()
    }

    /// The members of the structure.
    pub(super) fn members(&self) -> String {
        let mut text = String::new();
        for Memory { name, docs, kind, size: [rows, columns], .. } in self.memories() {
            let _ = writeln!(text, "    /// {docs}\n    {name}: {},", array(&kind, rows, columns));
        }
        if let Some(Window { slack, .. }) = self.window() {
            let _ = writeln!(
                text,
                "    /// Where the window begins; after {slack} samples it begins anew.\n    at: usize,"
            );
        }
        text
    }

    /// The zero state.
    pub(super) fn zeros(&self) -> String {
        let zero = |one: Memory| format!("{}: {}", one.name, array("0", one.size[0], one.size[1]));
        let mut all: Vec<String> = self.memories().into_iter().map(zero).collect();
        if self.window().is_some() {
            all.push("at: 0".to_owned());
        }
        if all.is_empty() { "{}".to_owned() } else { format!("{{ {} }}", all.join(", ")) }
    }

    /// The statements of a function.
    fn body(&mut self, access: Access, lanes: Option<usize>) -> String {
        let Body { text, helpers } = Body::new(self.lowered, access, lanes);
        self.helpers.extend(helpers);
        text
    }

    /// Whether several outputs of taps are made at once: where it is known that there are registers for them.
    fn makes_several(&self) -> bool {
        let Firmware { tune, goal, .. } = self.firmware;
        goal != CodeGoal::Size && tune.makes_several() == Some(true)
    }

    pub(super) fn text(&mut self) -> String {
        let mut text = match is_feed_forward(self.lowered) {
            Some(line) => self.of_window(line),
            None => self.of_samples(),
        };
        text.push_str(&self.of_channels());
        text
    }

    /// One firing of a program, from an array of so many words to another.
    pub(super) fn of_firings(
        &mut self,
        [input, output]: [String; 2],
        [takes, gives]: [usize; 2],
    ) -> String {
        let Body { text: mut body, helpers } = Body::of_firing(self.lowered);
        self.helpers.extend(helpers);
        let mut text = self.in_window(&mut body);
        let _ = write!(
            text,
            "    /// One firing.\n    #[inline(always)]\n    \
             pub fn fire(&mut self, input: &[{input}; {takes}], output: &mut [{output}; {gives}]) {{\n\
             {body}    }}\n"
        );
        text
    }

    /// Where there is a window, has statements begin with its place; gives the function that moves it.
    fn in_window(&self, body: &mut String) -> String {
        let Some(Window { slack, .. }) = self.window() else { return String::new() };
        body.insert_str(0, &begin(slack));
        self.advance()
    }

    /// A program that goes from sample to sample.
    fn of_samples(&mut self) -> String {
        let (input, output) = (self.input.clone(), self.output.clone());
        let mut body = self.body(Access::Filter, None);
        let mut text = self.in_window(&mut body);
        let _ = write!(
            text,
            "    /// One sample.\n    \
             pub fn step(&mut self, input: {input}) -> {output} {{\n{body}    }}\n\n"
        );
        text.push_str(&self.of_steps());
        text
    }

    /// Blocks that are made of steps.
    fn of_steps(&self) -> String {
        let (input, output) = (&self.input, &self.output);
        let mut text = format!(
            "    /// As many samples as the shorter of the two slices holds.\n    \
             pub fn block(&mut self, input: &[{input}], output: &mut [{output}]) {{\n        \
             for (input, output) in input.iter().zip(output) {{\n            \
             *output = self.step(*input);\n        }}\n    }}\n"
        );
        if input == output {
            let _ = write!(
                text,
                "\n    /// All samples of a slice, each replaced by what comes out for it.\n    \
                 pub fn block_in_place(&mut self, words: &mut [{input}]) {{\n        \
                 for word in words {{\n            *word = self.step(*word);\n        }}\n    }}\n"
            );
        }
        text
    }

    /// The function that moves the window, and where the memory ends copies its words to the beginning.
    fn advance(&self) -> String {
        let slack = self.window().map_or(0, |window| window.slack);
        let mut copies = String::new();
        for Memory { name, size: [rows, _], slack, .. } in self.memories() {
            let Some(slack) = slack else { continue };
            let _ = match rows {
                1 => writeln!(copies, "            self.{name}.copy_within({slack}.., 0);"),
                _ => writeln!(
                    copies,
                    "            for row in &mut self.{name} {{\n                \
                     row.copy_within({slack}.., 0);\n            }}"
                ),
            };
        }
        format!(
            "    /// Lets the window begin there.\n    #[inline]\n    \
             fn advance(&mut self, at: usize) {{\n        \
             self.at = at;\n        if at >= {slack} {{\n{copies}            self.at = 0;\n        }}\n    \
             }}\n\n"
        )
    }

    /// A program that makes its outputs of a window of inputs.
    fn of_window(&mut self, line: usize) -> String {
        let Some(Window { slack, phases }) = self.lowered.windows[line] else {
            return String::new();
        };
        let depth = self.lowered.lines[line].depth;
        let (x, input, output) =
            (field(self.lowered.lines[line].name), self.input.clone(), self.output.clone());
        let windows = match phases {
            1 => format!("window: &[{input}]"),
            _ => format!("window: &[{input}], other: &[{input}]"),
        };
        let words = Words {
            name: x,
            depth,
            phases,
            ahead: if phases == 2 { depth.div_ceil(2) } else { depth },
        };
        let one = self.body(Access::Window, None);
        let mut text = format!(
            "    /// What belongs to the newest word of a window.\n    \
             #[inline(always)]\n    fn one({windows}) -> {output} {{\n{one}    }}\n\n"
        );
        let is_small = self.firmware.goal == CodeGoal::Size;
        if self.makes_several() {
            let several = self.body(Access::Window, Some(LANES));
            let _ = write!(
                text,
                "    /// The same for {LANES} windows, each a word further than the one before.\n    \
                 #[inline(always)]\n    fn several({windows}) -> [{output}; {LANES}] {{\n{several}    }}\n\n"
            );
        }
        text.push_str(&self.advance());
        if !is_small {
            text.push_str(&self.put(slack, &words));
            text.push_str(&self.make(slack, &words));
        }
        let _ = write!(
            text,
            "    /// One sample.\n    \
             pub fn step(&mut self, input: {input}) -> {output} {{\n{}        {} = input;\n        \
             let output = Self::one({});\n        self.advance(at + 1);\n        output\n    }}\n\n",
            begin(slack),
            words.newest("at"),
            words.window("at")
        );
        match is_small {
            true => text.push_str(&self.of_steps()),
            false => text.push_str(&self.of_blocks(slack)),
        }
        text
    }

    /// The function that puts words into a window.
    fn put(&self, slack: usize, words: &Words) -> String {
        let input = &self.input;
        let each = match words.phases {
            1 => format!(
                "        for (place, word) in self.{}[at + {}..].iter_mut().zip(input) {{\n            \
                 *place = *word;\n        }}\n",
                words.name, words.ahead
            ),
            _ => format!(
                "        for (k, word) in input.iter().enumerate() {{\n            \
                 let p = (at + k).min({});\n            {} = *word;\n        }}\n",
                slack - 1,
                words.newest("p")
            ),
        };
        format!(
            "    /// Puts words where the window that begins there, and those behind it, find them.\n    \
             #[inline(always)]\n    fn put(&mut self, at: usize, input: &[{input}]) {{\n{each}    }}\n\n"
        )
    }

    /// The function that makes the outputs of windows.
    fn make(&self, slack: usize, words: &Words) -> String {
        let Words { name: x, depth, phases, .. } = words;
        let output = &self.output;
        let head = format!(
            "    /// Makes the outputs of the window that begins there and of those behind it.\n    \
             #[inline(always)]\n    fn make(&self, at: usize, output: &mut [{output}]) {{\n"
        );
        let is_several = self.makes_several();
        let (skip, done) = if is_several { (".skip(done)", " + done") } else { ("", "") };
        let rest = match phases {
            1 => format!(
                "        for (window, output) in self.{x}[at..].windows({}){skip}.zip(output) {{\n\
                 \x20           *output = Self::one(window);\n        }}\n    }}\n\n",
                depth + 1
            ),
            _ => format!(
                "        for (k, output) in output.iter_mut().enumerate() {{\n            \
                 let p = (at{done} + k).min({});\n            *output = Self::one({});\n        }}\n    \
                 }}\n\n",
                slack - 1,
                words.window("p")
            ),
        };
        if !is_several {
            return format!("{head}{rest}");
        }
        let at_once = LANES * phases;
        let groups = match phases {
            1 => format!(
                "        let windows = self.{x}[at..].windows({}).step_by({LANES});\n        \
                 for (group, window) in groups.by_ref().zip(windows) {{\n            \
                 let words = Self::several(window);\n",
                depth + LANES
            ),
            _ => format!(
                "        for (k, group) in groups.by_ref().enumerate() {{\n            \
                 let p = (at + {at_once} * k).min({});\n            \
                 // Those of even number, and those between.\n            \
                 let even = Self::several({});\n            let q = p + 1;\n            \
                 let odd = Self::several({});\n            \
                 let words = even.iter().zip(&odd).flat_map(|(a, b)| [*a, *b]);\n",
                slack - at_once,
                words.window("p"),
                words.window("q")
            ),
        };
        format!(
            "{head}        let done = output.len() / {at_once} * {at_once};\n        \
             let mut groups = output.chunks_exact_mut({at_once});\n{groups}            \
             for (output, word) in group.iter_mut().zip(words) {{\n                \
             *output = word;\n            }}\n        }}\n        \
             let output = groups.into_remainder();\n{rest}"
        )
    }

    /// Blocks that go through windows.
    fn of_blocks(&self, slack: usize) -> String {
        let (input, output) = (&self.input, &self.output);
        let begin = format!("            let at = self.at.min({});\n", slack - 1);
        let mut text = format!(
            "    /// As many samples as the shorter of the two slices holds.\n    \
             pub fn block(&mut self, input: &[{input}], output: &mut [{output}]) {{\n        \
             let count = input.len().min(output.len());\n        \
             let (mut input, mut output) = (&input[..count], &mut output[..count]);\n        \
             while !input.is_empty() {{\n            \
             // As many inputs as there is memory for, then their outputs.\n\
             {begin}            \
             let (now, later) = input.split_at(input.len().min({slack} - at));\n            \
             let (made, rest) = output.split_at_mut(output.len().min({slack} - at));\n            \
             self.put(at, now);\n            self.make(at, made);\n            \
             self.advance(at + now.len());\n            \
             (input, output) = (later, rest);\n        }}\n    }}\n"
        );
        if input == output {
            let _ = write!(
                text,
                "\n    /// All samples of a slice, each replaced by what comes out for it.\n    \
                 pub fn block_in_place(&mut self, words: &mut [{input}]) {{\n        \
                 let mut words = words;\n        while !words.is_empty() {{\n\
                 {begin}            \
                 let (now, later) = words.split_at_mut(words.len().min({slack} - at));\n            \
                 self.put(at, now);\n            self.make(at, now);\n            \
                 self.advance(at + now.len());\n            words = later;\n        }}\n    }}\n"
            );
        }
        text
    }

    /// A block of streams that come interleaved.
    fn of_channels(&self) -> String {
        let (input, output) = (&self.input, &self.output);
        let channels = self.firmware.channels;
        if channels == 1 {
            return String::new();
        }
        format!(
            "\n    /// Streams that come interleaved, a filter for each; as many whole samples of all\n    \
             /// of them as the shorter of the two slices holds.\n    \
             pub fn channels(filters: &mut [Self; {channels}], input: &[{input}], \
             output: &mut [{output}]) {{\n        \
             let count = input.len().min(output.len()) / {channels};\n        \
             for (place, filter) in filters.iter_mut().enumerate() {{\n            \
             let input = input.iter().skip(place).step_by({channels});\n            \
             let output = output.iter_mut().skip(place).step_by({channels});\n            \
             for (input, output) in input.zip(output).take(count) {{\n                \
             *output = filter.step(*input);\n            }}\n        }}\n    }}\n"
        )
    }
}

/// Where the window begins.
fn begin(slack: usize) -> String {
    format!(
        "        // It is never larger; this tells the compiler so.\n        \
         let at = self.at.min({});\n",
        slack - 1
    )
}
