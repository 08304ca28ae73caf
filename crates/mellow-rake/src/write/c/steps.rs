//! Steps of oscillators in C that can be set while a chain runs.

use super::super::parts::{Part, counted, loadable};
use super::mixer;
use std::fmt::Write;

/// What declares the function that sets a step, where one can be set.
pub(super) fn declaration(parts: &[Part<'_>], name: &str) -> String {
    let mut text = String::new();
    for (mixer, _, first) in loadable(parts) {
        let bits = mixer.oscillator().words().phase_bits;
        let steps: Vec<String> =
            mixer.oscillators().iter().map(|own| own.step().to_string()).collect();
        let _ = write!(
            text,
            "/* The phase of oscillator {} grows by step, modulo 2^{bits}, from the next sample to the one \
             behind it\n   on: by step / 2^{bits} of a turn. {name}_init sets {}. */\n",
            counted(first, steps.len()),
            steps.join(", ")
        );
    }
    if !text.is_empty() {
        let _ = write!(
            text,
            "void {name}_set_step(struct {name} *chain, int oscillator, uint32_t step);\n\n"
        );
    }
    text
}

/// That function.
pub(super) fn function(parts: &[Part<'_>], name: &str) -> String {
    let cases: String = loadable(parts)
        .iter()
        .map(|(mixer, number, first)| mixer::step_cases(mixer, *number, *first))
        .collect();
    if cases.is_empty() {
        return cases;
    }
    format!(
        "void {name}_set_step(struct {name} *chain, int oscillator, uint32_t step)\n{{\n    \
         switch (oscillator) {{\n{cases}    default:\n        break;\n    }}\n}}\n\n"
    )
}
