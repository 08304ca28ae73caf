//! Mixers in Rust: a module with a table for a quarter of a turn, and a function for one sample.

use super::super::number::in_rows;
use super::super::parts::{is_dithered, mixed_sums, mixed_words, numbered};
use super::network::sample;
use super::storage;
use crate::network::Mixer;

/// The module of a mixer.
pub(super) fn module(mixer: &Mixer, channels: usize, number: usize) -> String {
    let oscillator = mixer.oscillator();
    let value = storage(oscillator.format());
    let quarter = oscillator.quarter();
    let (length, last) = (quarter.len(), quarter.len() - 1);
    let said: String = mixed_words(mixer).iter().map(|line| format!("//   {line}\n")).collect();
    let (members, begins) = remembered(mixer);
    let inside = format!(
        "// Of each sample:\n{said}\n\
         /// A quarter of a turn of the sine, {}: at k its value in the middle of the address k.\n\
         static QUARTER: [{value}; {length}] = [\n{}];\n\n\
         fn sine(address: u32) -> {value} {{\n    \
         let turned = if address & {length} != 0 {{ !address }} else {{ address }};\n    \
         // Always within the table; what is behind it is never taken.\n    \
         let found = QUARTER.get((turned & {last}) as usize).copied().unwrap_or(0);\n    \
         if address & {} != 0 {{ -found }} else {{ found }}\n}}\n\n\
         /// What it remembers.\n#[derive(Debug, Clone, PartialEq, Eq)]\npub struct Part {{\n{members}}}\n\n\
         impl Part {{\n    /// At the beginning.\n    pub const fn new() -> Self {{\n        \
         Self {{ {begins} }}\n    }}\n\n{}{}}}\n",
        oscillator.format(),
        in_rows(quarter),
        2 * length,
        set_step(mixer),
        mix(mixer, channels),
    );
    let indented = |line: &str| match line.is_empty() {
        true => "\n".to_owned(),
        false => format!("    {line}\n"),
    };
    let inside: String = inside.lines().map(indented).collect();
    format!("\n/// Part {number}, a mixer.\n#[rustfmt::skip]\nmod part_{number} {{\n{inside}}}\n")
}

/// Its members, and what they are at the beginning.
fn remembered(mixer: &Mixer) -> (String, String) {
    let (mut members, mut begins) = (String::new(), Vec::new());
    for index in 0..mixer.oscillators().len() {
        let phase = numbered(mixer, "phase", index);
        members += &format!("    {phase}: u32,\n");
        begins.push(format!("{phase}: 0"));
    }
    if mixer.has_loadable_steps() {
        for (index, own) in mixer.oscillators().iter().enumerate() {
            let step = numbered(mixer, "step", index);
            members += &format!("    {step}: u32,\n");
            begins.push(format!("{step}: {}", own.step()));
        }
    }
    if let Some(seed) = mixer.oscillator().words().dither.filter(|_| is_dithered(mixer)) {
        members += "    dither: u32,\n";
        begins.push(format!("dither: {seed}"));
    }
    (members, begins.join(", "))
}

/// The function that sets the step of an oscillator, where it can be set.
fn set_step(mixer: &Mixer) -> String {
    if !mixer.has_loadable_steps() {
        return String::new();
    }
    let masked = match mixer.oscillator().words().phase_bits {
        32 => String::new(),
        bits => format!(" & {}", (1u64 << bits) - 1),
    };
    let case = |index: usize| {
        format!("            {index} => self.{} = step{masked},\n", numbered(mixer, "step", index))
    };
    let cases: String = (0..mixer.oscillators().len()).map(case).collect();
    format!(
        "    /// Another step of an oscillator.\n    \
         pub fn set_step(&mut self, oscillator: usize, step: u32) {{\n        \
         match oscillator {{\n{cases}            _ => {{}}\n        }}\n    }}\n\n"
    )
}

/// The function that takes a sample.
fn mix(mixer: &Mixer, channels: usize) -> String {
    let oscillator = mixer.oscillator();
    let [input, output, value] = [mixer.input(), mixer.output(), oscillator.format()].map(storage);
    let (takes, gives) = mixer.words();
    let (lanes, lanes_out) = (takes * channels, gives * channels);
    let list = |words: Vec<String>| match &words[..] {
        [one] => one.clone(),
        _ => format!("[{}]", words.join(", ")),
    };
    let pattern = list((0..lanes).map(|word| format!("word{word}")).collect());
    let of_channel = |channel: usize| {
        mixed_sums(mixer, move |word, wave| format!("word{} * {wave}", channel * takes + word))
    };
    let given = list((0..channels).flat_map(of_channel).collect());
    // A cast to the same type would be none.
    let widens = if value == output { String::new() } else { format!(" as {output}") };
    let mut lines = Vec::new();
    for index in 0..mixer.oscillators().len() {
        let name = |name: &str| numbered(mixer, name, index);
        let (address, phase, dropped) = (name("address"), name("phase"), oscillator.dropped_bits());
        lines.push(match dropped {
            0 => format!("let {address} = self.{phase};"),
            _ if is_dithered(mixer) => format!(
                "let {address} = self.{phase}.wrapping_add(self.dither >> {}) >> {dropped};",
                32 - dropped
            ),
            _ => format!("let {address} = self.{phase} >> {dropped};"),
        });
        let (cosine, sine) = (name("cosine"), name("sine"));
        let ahead = format!("{address}.wrapping_add({})", oscillator.quarter().len());
        lines.push(format!("let {cosine} = sine({ahead}){widens};"));
        lines.push(format!("let {sine} = sine({address}){widens};"));
    }
    if input != output {
        let widened = (0..lanes).map(|word| format!("let word{word} = word{word} as {output};"));
        lines.extend(widened);
    }
    for (index, own) in mixer.oscillators().iter().enumerate() {
        let phase = numbered(mixer, "phase", index);
        let step = match mixer.has_loadable_steps() {
            true => format!("self.{}", numbered(mixer, "step", index)),
            false => own.step().to_string(),
        };
        let masked = match oscillator.words().phase_bits {
            32 => String::new(),
            bits => format!(" & {}", (1u64 << bits) - 1),
        };
        lines.push(format!("self.{phase} = self.{phase}.wrapping_add({step}){masked};"));
    }
    if is_dithered(mixer) {
        let shifts = ["<< 13", ">> 17", "<< 5"];
        lines.extend(shifts.map(|shift| format!("self.dither ^= self.dither {shift};")));
    }
    lines.push(given);
    let lines: String = lines.iter().map(|line| format!("        {line}\n")).collect();
    format!(
        "    /// One sample.\n    #[inline(always)]\n    pub fn mix(&mut self, {pattern}: {}) -> {} {{\n\
         {lines}    }}\n",
        sample(&input, lanes),
        sample(&output, lanes_out),
    )
}
