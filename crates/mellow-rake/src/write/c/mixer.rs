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
    if mixer.has_loadable_steps() {
        members.push(match count {
            1 => format!("step{number}"),
            _ => format!("step{number}[{count}]"),
        });
    }
    members.extend(is_dithered(mixer).then(|| format!("dither{number}")));
    members
}

/// The place of a member of one oscillator.
fn place(mixer: &Mixer, member: &str, number: usize, index: usize) -> String {
    match mixer.oscillators().len() {
        1 => format!("chain->{member}{number}"),
        _ => format!("chain->{member}{number}[{index}]"),
    }
}

/// The cases of a function that sets the step of an oscillator, of which this mixer's are numbered from
/// `first` on.
pub(super) fn step_cases(mixer: &Mixer, number: usize, first: usize) -> String {
    let case = |index: usize| {
        let step = match mixer.oscillator().words().phase_bits {
            32 => "step".to_owned(),
            bits => format!("step & {}u", (1u64 << bits) - 1),
        };
        let place = place(mixer, "step", number, index);
        format!("    case {}:\n        {place} = {step};\n        break;\n", first + index)
    };
    (0..mixer.oscillators().len()).map(case).collect()
}

/// What they are at the beginning, as statements.
pub(super) fn begins(mixer: &Mixer, number: usize) -> Vec<String> {
    let mut lines = Vec::new();
    for (index, own) in mixer.oscillators().iter().enumerate() {
        lines.push(format!("{} = 0u;", place(mixer, "phase", number, index)));
        if mixer.has_loadable_steps() {
            lines.push(format!("{} = {}u;", place(mixer, "step", number, index), own.step()));
        }
    }
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
        let phase = numbered(mixer, "phase", index);
        let step = match mixer.has_loadable_steps() {
            true => numbered(mixer, "step", index),
            false => format!("{}u", own.step()),
        };
        lines.push(match oscillator.words().phase_bits {
            32 => format!("{phase} += {step};"),
            bits => format!("{phase} = ({phase} + {step}) & {}u;", (1u64 << bits) - 1),
        });
    }
    if is_dithered(mixer) {
        lines.extend(["<< 13", ">> 17", "<< 5"].map(|shift| format!("dither ^= dither {shift};")));
    }
    let own = |name: &str, index: usize| {
        [numbered(mixer, name, index), place(mixer, name, number, index)]
    };
    let mut kept: Vec<[String; 2]> = (0..count).map(|index| own("phase", index)).collect();
    if is_dithered(mixer) {
        kept.push(["dither".to_owned(), format!("chain->dither{number}")]);
    }
    let mut taken: String =
        kept.iter().map(|[own, place]| format!("    uint32_t {own} = {place};\n")).collect();
    if mixer.has_loadable_steps() {
        let steps = (0..count).map(|index| own("step", index));
        let steps = steps.map(|[own, place]| format!("    const uint32_t {own} = {place};\n"));
        taken.extend(steps);
    }
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
