//! Networks in Rust: one structure whose block calls say how many words came out, with a module for each
//! program.

use super::super::capability::Capability;
use super::super::lower::{lower, lower_for_processor};
use super::super::parts::{Part, What, counted, loadable, parts, samples_said};
use super::super::{GeneratedFile, Language, ORIGIN, Symbols, WriteError};
use super::functions::Functions;
use super::types::Integer;
use super::{camel_case, constants, exponents, mixer, storage};
use crate::datapath::{Checked, dump};
use crate::network::Network;
use crate::spec::Firmware;
use crate::units::SampleRate;
use std::fmt::Write;

/// The text of a network in Rust: `NAME.rs`, a module, and `NAME_pipe.rs`, a program that takes integers from
/// its standard input through it.
///
/// A block call takes any number of words and says how many came out. Words that no program can use yet are
/// kept.
///
/// # Errors
/// [`WriteError`] names what cannot be expressed in 64 bits and what would fit.
///
/// ```
/// use mellow_rake::implementation::implement_chain;
/// use mellow_rake::rates::{Chain, Comb, Stage};
/// use mellow_rake::spec::{ChainFixed, Name};
/// use mellow_rake::units::SampleRate;
/// use mellow_rake::write::{Symbols, rust};
/// let mean = Stage::comb(1, 4, Comb { order: 2, delay: 1 })?;
/// let chain = Chain::new(SampleRate::from_hertz(1000.0).unwrap(), vec![mean])?;
/// let words = implement_chain(&chain, &ChainFixed::new("s16f15".parse()?))?;
/// let files = rust::write_network(&words.network, &Symbols::new(&Name::new("mean")?), None)?;
/// assert_eq!(files[0].name, "mean.rs");
/// assert!(files[0].text.contains("pub fn block(&mut self, input: &[i16], output: &mut [i16]) -> usize"));
/// # Ok::<(), Box<dyn std::error::Error>>(())
/// ```
pub fn write_network(
    network: &Network,
    symbols: &Symbols,
    rate: Option<SampleRate>,
) -> Result<Vec<GeneratedFile>, WriteError> {
    const RUST: &str = "Rust";
    let parts = parts(network, RUST)?;
    for checked in parts.iter().filter_map(Part::program) {
        Capability { target: RUST, widest: 64 }.check(&lower(checked))?;
    }
    let name = camel_case(symbols.base());
    let text = Text { network, name, rate, parts };
    let file = |ending: &str, text: String| GeneratedFile {
        language: Language::Rust,
        name: format!("{}{ending}", symbols.base()),
        text,
    };
    Ok(vec![file(".rs", text.module()), file("_pipe.rs", text.pipe(symbols.base()))])
}

struct Text<'a> {
    network: &'a Network,
    name: String,
    rate: Option<SampleRate>,
    parts: Vec<Part<'a>>,
}

impl Text<'_> {
    /// A sample that goes in, and one that comes out.
    fn samples(&self) -> [String; 2] {
        let Text { network, .. } = self;
        [
            sample(&storage(network.input()), network.lanes_in()),
            sample(&storage(network.output()), network.lanes_out()),
        ]
    }

    /// The function that sets the step of an oscillator, where one can be set.
    fn set_step(&self) -> String {
        let (mut said, mut cases) = (String::new(), String::new());
        for (mixer, number, first) in loadable(&self.parts) {
            let (bits, count) = (mixer.oscillator().words().phase_bits, mixer.oscillators().len());
            let steps: Vec<String> =
                mixer.oscillators().iter().map(|own| own.step().to_string()).collect();
            let _ = write!(
                said,
                "    /// The phase of oscillator {} grows by `step`, modulo 2^{bits}, from the next\n    \
                 /// sample to the one behind it on: by `step` / 2^{bits} of a turn. At the beginning: {}.\n",
                counted(first, count),
                steps.join(", ")
            );
            for own in 0..count {
                let _ = writeln!(
                    cases,
                    "            {} => self.part{number}.set_step({own}, step),",
                    first + own
                );
            }
        }
        match cases.is_empty() {
            true => cases,
            false => format!(
                "\n{said}    pub fn set_step(&mut self, oscillator: usize, step: u32) {{\n        \
                 match oscillator {{\n{cases}            _ => {{}}\n        }}\n    }}\n"
            ),
        }
    }

    fn module(&self) -> String {
        let Text { network, name, rate, parts } = self;
        let (input, output) = (network.input(), network.output());
        let mut text = format!(
            "// {ORIGIN}\n//\n\
             // Nothing here can panic: each index and each slice lies within an array whose length the\n\
             // compiler knows, each shift is shorter than its type, and each sum is proved to fit its type\n\
             // or wraps on purpose. So overflow checks find nothing either.\n"
        );
        let often = rate.map_or(String::new(), |rate| {
            format!("\n/// Made for {} samples in a second going in.", rate.hertz())
        });
        let side = samples_said(network).map_or(String::new(), |[input, output]| {
            format!(
                "///\n/// A sample that goes in is {input}, one that comes out {output}; of complex\n\
                 /// samples the real part stands first.\n"
            )
        });
        let _ = write!(
            text,
            "\n/// One chain, {input} to {output}; as many as you like side by side.{often}\n///\n\
             /// A word holding the integer i has the value i / 2^f, with f the number after the letter f.\n\
             {side}#[derive(Debug, Clone, PartialEq, Eq)]\npub struct {name} {{\n"
        );
        let mut zeros = Vec::new();
        for (index, part) in parts.iter().enumerate() {
            let number = index + 1;
            let (kind, new) =
                (format!("part_{number}::Part"), format!("part_{number}::Part::new()"));
            let of_lanes = |one: &str| match part.program() {
                Some(_) if part.lanes > 1 => format!("[{}]", vec![one; part.lanes].join(", ")),
                _ => one.to_owned(),
            };
            let kind = match part.program() {
                Some(_) => sample(&kind, part.lanes),
                None => kind,
            };
            let _ = writeln!(text, "    part{number}: {kind},");
            zeros.push(format!("part{number}: {}", of_lanes(&new)));
            if part.takes() > 1 {
                let (kind, takes) = (storage(part.formats()[0]), part.takes());
                let _ = write!(
                    text,
                    "    /// Words until there are enough, and how many are there.\n    \
                     waiting{number}: {},\n    waits{number}: usize,\n",
                    sample(&format!("[{kind}; {takes}]"), part.lanes)
                );
                let zero = of_lanes(&format!("[0; {takes}]"));
                zeros.push(format!("waiting{number}: {zero}, waits{number}: 0"));
            }
            if part.keep > 1 {
                let _ = write!(
                    text,
                    "    /// So many words go before the next one that is kept.\n    \
                     until{number}: usize,\n"
                );
                zeros.push(format!("until{number}: {}", part.keep - 1));
            }
        }
        let most = parts.iter().fold("count".to_owned(), |text, part| most(part, text));
        let [input, output] = self.samples();
        let _ = write!(
            text,
            "}}\n\n// Not everyone calls all of them.\n#[allow(dead_code)]\n#[rustfmt::skip]\n\
             impl {name} {{\n    /// A chain in the zero state.\n    pub const fn new() -> Self {{\n        \
             Self {{ {} }}\n    }}\n\n    \
             /// At most so many words come out of `count`.\n    \
             pub const fn outputs(count: usize) -> usize {{\n        {most}\n    }}\n\n    \
             /// Words go in, and those that come out stand at the beginning of `output`; gives how\n    \
             /// many they are. What it has no room for is lost: [`outputs`](Self::outputs) are enough.\n    \
             pub fn block(&mut self, input: &[{input}], output: &mut [{output}]) -> usize {{\n        \
             let mut places = output.iter_mut();\n        let mut count = 0;\n        \
             let mut give = |word| {{\n            \
             if let Some(place) = places.next() {{\n                \
             *place = word;\n                count += 1;\n            }}\n        }};\n        \
             for word in input {{\n            self.step(*word, &mut give);\n        }}\n        \
             count\n    }}\n\n    \
             /// One word goes in; `give` gets those that come out, one by one.\n    \
             pub fn step(&mut self, word: {input}, give: &mut impl FnMut({output})) {{\n        \
             self.push1(word, give);\n    }}\n",
            zeros.join(", "),
        );
        text.push_str(&self.set_step());
        for index in 0..parts.len() {
            text.push_str(&self.push(index));
        }
        let _ = write!(
            text,
            "}}\n\nimpl Default for {name} {{\n    fn default() -> Self {{\n        Self::new()\n    }}\n}}\n"
        );
        for (index, part) in parts.iter().enumerate() {
            text.push_str(&match part.what {
                What::Program(checked) => program(part, checked, index + 1),
                What::Mixer(mixer) => mixer::module(mixer, part.channels(), index + 1),
            });
        }
        text
    }

    /// The function through which a word goes into a part.
    fn push(&self, index: usize) -> String {
        let (part, number) = (&self.parts[index], index + 1);
        let (takes, gives) = (part.takes(), part.gives());
        let input = sample(&storage(part.formats()[0]), part.lanes);
        let [_, output] = self.samples();
        let zero = match part.lanes {
            1 => "0".to_owned(),
            lanes => format!("[0; {lanes}]"),
        };
        let goes_on = match number < self.parts.len() {
            true => format!("self.push{}(word, give)", number + 1),
            false => "give(word)".to_owned(),
        };
        let mut text = String::new();
        let mut own = format!("push{number}");
        let head = |own: &str, text: &mut String| {
            let _ = write!(
                text,
                "\n    #[inline(always)]\n    \
                 fn {own}(&mut self, word: {input}, give: &mut impl FnMut({output})) {{\n"
            );
        };
        if part.fill > 1 {
            head(&own, &mut text);
            own = format!("enter{number}");
            let _ = write!(
                text,
                "        self.{own}(word, give);\n        for _ in 1..{} {{\n            \
                 self.{own}({zero}, give);\n        }}\n    }}\n",
                part.fill
            );
        }
        head(&own, &mut text);
        if part.program().is_none() {
            let _ = write!(
                text,
                "        let word = self.part{number}.mix(word);\n        {goes_on};\n    }}\n"
            );
            return text;
        }
        let from = match takes {
            1 => "&[word]".to_owned(),
            _ => {
                let put = match part.lanes {
                    1 => format!(
                        "        if let Some(place) = self.waiting{number}.get_mut(self.waits{number}) {{\n\
                         \x20           *place = word;\n        }}\n"
                    ),
                    _ => format!(
                        "        for (waiting, word) in self.waiting{number}.iter_mut().zip(word) {{\n\
                         \x20           if let Some(place) = waiting.get_mut(self.waits{number}) {{\n\
                         \x20               *place = word;\n            }}\n        }}\n"
                    ),
                };
                let _ = write!(
                    text,
                    "{put}        self.waits{number} += 1;\n        \
                     if self.waits{number} < {takes} {{\n            return;\n        }}\n        \
                     self.waits{number} = 0;\n"
                );
                format!("&self.waiting{number}")
            }
        };
        let _ = match part.lanes {
            1 => write!(
                text,
                "        let mut given = [0; {gives}];\n        \
                 self.part{number}.fire({from}, &mut given);\n        for word in given {{\n"
            ),
            lanes => {
                let (from, lane) = match takes {
                    1 => ("word".to_owned(), "&[from]"),
                    _ => (format!("&self.waiting{number}"), "from"),
                };
                write!(
                    text,
                    "        let mut given = [[0; {lanes}]; {gives}];\n        \
                     for (lane, (part, from)) in self.part{number}.iter_mut().zip({from}).enumerate() {{\n\
                     \x20           let mut own = [0; {gives}];\n            \
                     part.fire({lane}, &mut own);\n            \
                     for (given, own) in given.iter_mut().zip(own) {{\n                \
                     if let Some(place) = given.get_mut(lane) {{\n                    \
                     *place = own;\n                }}\n            }}\n        }}\n        \
                     for word in given {{\n"
                )
            }
        };
        if part.keep > 1 {
            let _ = write!(
                text,
                "            if self.until{number} > 0 {{\n                \
                 self.until{number} -= 1;\n                continue;\n            }}\n            \
                 self.until{number} = {};\n",
                part.keep - 1
            );
        }
        let _ = write!(text, "            {goes_on};\n        }}\n    }}\n");
        text
    }

    fn pipe(&self, base: &str) -> String {
        let input = self.network.input();
        let [lanes, given] = [self.network.lanes_in(), self.network.lanes_out()];
        let samples = match lanes {
            1 => "std::mem::take(held)".to_owned(),
            _ => format!(
                "held\n        .chunks_exact({lanes})\n        \
                 .map(|words| std::array::from_fn(|at| words[at]))\n        \
                 .collect::<Vec<[INPUT; {lanes}]>>()"
            ),
        };
        let (zero, words) = match given {
            1 => ("0".to_owned(), "[sample]"),
            _ => (format!("[0; {given}]"), "sample"),
        };
        include_str!("pipe_network.rs.txt")
            .replace("SAMPLES", &samples)
            .replace("ZERO", &zero)
            .replace("WORDS", words)
            .replace("LANES", &lanes.to_string())
            .replace("ORIGIN", ORIGIN)
            .replace("CHAIN", &self.name)
            .replace("INPUT", &storage(input))
            .replace("LOWEST", &input.minimum().to_string())
            .replace("HIGHEST", &input.maximum().to_string())
            // A name may hold any of the words above.
            .replace("FILE", base)
    }
}

/// The most words that come out of so many.
fn most(part: &Part<'_>, mut text: String) -> String {
    if part.fill > 1 {
        text = format!("{text}.saturating_mul({})", part.fill);
    }
    if part.takes() > 1 {
        text = format!("{text}.div_ceil({})", part.takes());
    }
    if part.gives() > 1 {
        text = format!("{text}.saturating_mul({})", part.gives());
    }
    if part.keep > 1 {
        text = format!("{text}.div_ceil({})", part.keep);
    }
    text
}

/// A sample of so many words of a type.
pub(super) fn sample(kind: &str, lanes: usize) -> String {
    match lanes {
        1 => kind.to_owned(),
        _ => format!("[{kind}; {lanes}]"),
    }
}

/// The module of a program.
fn program(part: &Part<'_>, checked: &Checked, number: usize) -> String {
    let lowered = lower_for_processor(checked);
    let mut functions = Functions::new(&lowered, Firmware::default());
    let mut inside = String::from("// The program, in the terms of the comments below:\n//\n");
    for line in dump(checked).lines() {
        let _ = writeln!(inside, "//   {line}");
    }
    for (index, table) in lowered.tables.iter().enumerate() {
        inside.push_str(&constants(table, lowered.notes[index]));
        if lowered.looks_up_exponents[index] {
            inside.push_str(&exponents(table));
        }
    }
    let [input, output] = [lowered.inputs[0], lowered.outputs[0]]
        .map(|port| (Integer::storing(port.format), port.count));
    let _ = write!(
        inside,
        "\n/// What it remembers.\n#[derive(Debug, Clone, PartialEq, Eq)]\npub struct Part {{\n{}}}\n\n\
         impl Part {{\n    /// In the zero state.\n    pub const fn new() -> Self {{\n        \
         Self {}\n    }}\n\n{}}}\n",
        functions.members(),
        functions.zeros(),
        functions.of_firings([&input.0, &output.0].map(|kind| kind.name()), [input.1, output.1]),
    );
    inside.push_str(&functions.helpers.text());
    let indented = |line: &str| match line.is_empty() {
        true => "\n".to_owned(),
        false => format!("    {line}\n"),
    };
    let inside: String = inside.lines().map(indented).collect();
    format!(
        "\n/// Part {number}{}.\n#[rustfmt::skip]\nmod part_{number} {{\n{inside}}}\n",
        part.said()
    )
}
