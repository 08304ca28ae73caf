//! Mixers in C: a table for a quarter of a turn, and a function that takes samples through.

use super::super::number::in_rows;
use super::super::parts::{mixed_sums, mixed_words};
use super::network::block;
use super::types::storage;
use crate::network::Mixer;
use std::fmt::Write;

/// What it computes, as lines of a comment.
pub(super) fn said(mixer: &Mixer) -> String {
    let oscillator = mixer.oscillator();
    let words = oscillator.words();
    let mut text = format!(
        "     a mixer, {} to {}: the phase grows by {} modulo 2^{} with each sample, its\n     \
         highest {} bits are the address of sine and cosine\n",
        mixer.input(),
        mixer.output(),
        oscillator.step(),
        words.phase_bits,
        words.address_bits
    );
    for line in mixed_words(mixer) {
        let _ = writeln!(text, "     {line}");
    }
    text
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
    let phase = match oscillator.dropped_bits() {
        0 => "phase".to_owned(),
        dropped => format!("phase >> {dropped}"),
    };
    let next = match oscillator.words().phase_bits {
        32 => format!("phase += {}u;", oscillator.step()),
        bits => format!("phase = (phase + {}u) & {}u;", oscillator.step(), (1u64 << bits) - 1),
    };
    let mut lines = vec![
        format!("const uint32_t address = {phase};"),
        format!("const {output} cosine = {own}_sine(address + {length}u);"),
        format!("const {output} sine = {own}_sine(address);"),
    ];
    let product = |word: usize, is_sine: bool| {
        format!("({output})input[{word}] * {}", if is_sine { "sine" } else { "cosine" })
    };
    let sums = mixed_sums(mixer, product).into_iter().enumerate();
    let mut of_channel: Vec<String> =
        sums.map(|(word, sum)| format!("output[{word}] = ({output})({sum});")).collect();
    let (takes, gives) = mixer.mixing().words();
    of_channel.push(format!("input += {takes};"));
    of_channel.push(format!("output += {gives};"));
    if channels > 1 {
        lines.push("int channel;".to_owned());
        let head = format!("for (channel = 0; channel < {channels}; channel++) {{");
        of_channel = block(&head, of_channel);
    }
    lines.extend(of_channel);
    lines.push(next);
    let lines: Vec<String> = lines.iter().map(|line| format!("        {line}\n")).collect();
    let _ = write!(
        text,
        "static size_t {name}_run{number}(struct {name} *chain, const {input} *input, size_t count, \
         {output} *output)\n{{\n    uint32_t phase = chain->phase{number};\n    size_t i;\n    \
         for (i = 0; i < count; i++) {{\n{}    }}\n    chain->phase{number} = phase;\n    \
         return count;\n}}\n\n",
        lines.concat()
    );
    text
}
