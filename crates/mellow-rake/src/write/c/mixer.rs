//! Mixers in C: a table for a quarter of a turn, and a function that takes samples through.

use super::super::number::in_rows;
use super::super::parts::{is_dithered, mixed_sums, mixed_words, numbered};
use super::network::block;
use super::types::storage;
use crate::network::Mixer;
use std::fmt::Write;

/// What it computes, as lines of a comment.
pub(super) fn said(mixer: &Mixer) -> String {
    let mut text = format!("     a mixer, {} to {}:\n", mixer.input(), mixer.output());
    for line in mixed_words(mixer) {
        let _ = writeln!(text, "     {line}");
    }
    text
}

/// What it remembers, as members of the structure of a chain.
pub(super) fn members(mixer: &Mixer, number: usize) -> Vec<String> {
    let count = mixer.oscillators().len();
    let mut members = vec![match count {
        1 => format!("phase{number}"),
        _ => format!("phase{number}[{count}]"),
    }];
    members.extend(is_dithered(mixer).then(|| format!("dither{number}")));
    members
}

/// What they are at the beginning, as statements.
pub(super) fn begins(mixer: &Mixer, number: usize) -> Vec<String> {
    let mut lines: Vec<String> = match mixer.oscillators().len() {
        1 => vec![format!("chain->phase{number} = 0u;")],
        count => (0..count).map(|at| format!("chain->phase{number}[{at}] = 0u;")).collect(),
    };
    let seed = mixer.oscillator().words().dither.filter(|_| is_dithered(mixer));
    lines.extend(seed.map(|seed| format!("chain->dither{number} = {seed}u;")));
    lines
}

/// The table, the sine, and what takes samples through.
pub(super) fn functions(
    mixer: &Mixer,
    channels: usize,
    own: &str,
    name: &str,
    number: usize,
) -> String {
    let oscillator = mixer.oscillator();
    let [input, output, value] = [mixer.input(), mixer.output(), oscillator.format()].map(storage);
    let quarter = oscillator.quarter();
    let length = quarter.len();
    let mut text = format!(
        "/* A quarter of a turn of the sine, {}: at k its value in the middle of the address k. */\n\
         static const {value} {own}_quarter[{length}] = {{\n{}}};\n\n",
        oscillator.format(),
        in_rows(quarter)
    );
    let _ = write!(
        text,
        "static MELLOW_RAKE_INLINE {value} {own}_sine(uint32_t address)\n{{\n    \
         const uint32_t place = (address & {length}u) != 0 ? ~address & {last}u : address & {last}u;\n    \
         const {value} found = {own}_quarter[place];\n    \
         return (address & {half}u) != 0 ? ({value})-found : found;\n}}\n\n",
        last = length - 1,
        half = 2 * length
    );
    let count = mixer.oscillators().len();
    let mut lines = Vec::new();
    for index in 0..count {
        let name = |name: &str| numbered(mixer, name, index);
        let (address, phase) = (name("address"), name("phase"));
        let dropped = oscillator.dropped_bits();
        let read = match dropped {
            0 => phase,
            _ if is_dithered(mixer) => {
                format!("(phase + (dither >> {})) >> {dropped}", 32 - dropped)
                    .replace("phase", &phase)
            }
            _ => format!("{phase} >> {dropped}"),
        };
        lines.push(format!("const uint32_t {address} = {read};"));
        lines.push(format!(
            "const {output} {} = {own}_sine({address} + {length}u);",
            name("cosine")
        ));
        lines.push(format!("const {output} {} = {own}_sine({address});", name("sine")));
    }
    let product = |word: usize, wave: &str| format!("({output})input[{word}] * {wave}");
    let sums = mixed_sums(mixer, product).into_iter().enumerate();
    let mut of_channel: Vec<String> =
        sums.map(|(word, sum)| format!("output[{word}] = ({output})({sum});")).collect();
    let (takes, gives) = mixer.words();
    of_channel.push(format!("input += {takes};"));
    of_channel.push(format!("output += {gives};"));
    if channels > 1 {
        lines.push("int channel;".to_owned());
        let head = format!("for (channel = 0; channel < {channels}; channel++) {{");
        of_channel = block(&head, of_channel);
    }
    lines.extend(of_channel);
    for (index, own) in mixer.oscillators().iter().enumerate() {
        let (phase, step) = (numbered(mixer, "phase", index), own.step());
        lines.push(match oscillator.words().phase_bits {
            32 => format!("{phase} += {step}u;"),
            bits => format!("{phase} = ({phase} + {step}u) & {}u;", (1u64 << bits) - 1),
        });
    }
    if is_dithered(mixer) {
        lines.extend(["<< 13", ">> 17", "<< 5"].map(|shift| format!("dither ^= dither {shift};")));
    }
    let mut kept: Vec<[String; 2]> = (0..count)
        .map(|index| {
            let place = if count == 1 { String::new() } else { format!("[{index}]") };
            [numbered(mixer, "phase", index), format!("chain->phase{number}{place}")]
        })
        .collect();
    if is_dithered(mixer) {
        kept.push(["dither".to_owned(), format!("chain->dither{number}")]);
    }
    let taken: String =
        kept.iter().map(|[own, place]| format!("    uint32_t {own} = {place};\n")).collect();
    let given: String = kept.iter().map(|[own, place]| format!("    {place} = {own};\n")).collect();
    let lines: Vec<String> = lines.iter().map(|line| format!("        {line}\n")).collect();
    let _ = write!(
        text,
        "static size_t {name}_run{number}(struct {name} *chain, const {input} *input, size_t count, \
         {output} *output)\n{{\n{taken}    size_t i;\n    for (i = 0; i < count; i++) {{\n{}    \
         }}\n{given}    return count;\n}}\n\n",
        lines.concat()
    );
    text
}
