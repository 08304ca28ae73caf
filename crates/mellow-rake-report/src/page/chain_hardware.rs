//! Hardware of a chain in words: its parts on one clock, and what came of it.

use super::hardware::{builds, counted};
use crate::Document;
use crate::units::frequencies;
use mellow_rake::hardware::Built;
use mellow_rake::study::{ChainHardwareRecord, ChainPartRecord, StepRegisterRecord};

const NOTES: &str = "  clocks: that a firing takes, of those that there are for one; latency: clocks from \
    the last word of a firing that is taken to the last that is given; bits: before the build";

/// The parts of a chain, and what synthesizers made of all of them together.
pub fn chain_hardware(
    name: &str,
    record: &ChainHardwareRecord,
    built: &[Result<Built, (&'static str, String)>],
) -> Document {
    let parts = counted(record.parts.len(), "part");
    let mut page = Document::of(&match record.clock_hz {
        Some(clock) => format!("{name}: {parts} on one clock of {}", frequencies(&[clock], "")),
        None => format!("{name}: {parts} on one clock"),
    });
    let row = |(index, part): (usize, &ChainPartRecord)| {
        vec![
            (index + 1).to_string(),
            match part.lanes {
                1 => what(part),
                lanes => format!("{lanes} x {}", what(part)),
            },
            frequencies(&[part.rate_hz], ""),
            part.input.to_string(),
            part.output.to_string(),
            (part.multipliers * part.lanes).to_string(),
            match part.clocks_available {
                Some(available) => format!("{} of {available}", part.interval),
                None => part.interval.to_string(),
            },
            part.latency.to_string(),
            (part.memory_bits * part.lanes as u64).to_string(),
            (part.register_bits * part.lanes as u64).to_string(),
        ]
    };
    let mut rows: Vec<Vec<String>> = record.parts.iter().enumerate().map(row).collect();
    let mut all = vec![String::new(); 10];
    all[0] = "all".to_owned();
    all[5] = record.multipliers.to_string();
    all[8] = record.memory_bits.to_string();
    all[9] = record.register_bits.to_string();
    rows.push(all);
    let header = [
        "part",
        "what",
        "rate in",
        "takes",
        "gives",
        "multipliers",
        "clocks",
        "latency",
        "memory bits",
        "register bits",
    ];
    page.table(&header, &rows);
    page.paragraph(NOTES, 4);
    if record.clock_hz.is_none() {
        let needed = record
            .parts
            .iter()
            .map(|part| {
                // A mixer takes a sample for each of its turns, whatever its words are.
                let words = match part.what {
                    "mixer" => 1,
                    _ => (part.words_in / part.in_turn).max(1),
                };
                part.rate_hz / words as f64 * part.interval as f64
            })
            .fold(0.0, f64::max);
        page.lines(&format!(
            "  a clock of {} or more keeps up with the sample rate",
            frequencies(&[needed], "")
        ));
    }
    let mut reasons: Vec<(usize, &String)> = Vec::new();
    for (index, part) in record.parts.iter().enumerate() {
        let chosen = part.unit.iter().flat_map(|unit| &unit.chosen);
        reasons.extend(chosen.map(|reason| (index + 1, reason)));
    }
    if !reasons.is_empty() {
        page.gap();
        page.lines("chosen");
        for (part, reason) in reasons {
            page.paragraph(&format!("  part {part}: {reason}"), 4);
        }
    }
    if !record.step_registers.is_empty() {
        page.gap();
        let row = |own: &StepRegisterRecord| {
            let what = format!("step of an oscillator of part {}", own.part);
            vec![own.address.to_string(), what, own.bits.to_string(), own.step.to_string()]
        };
        let rows: Vec<Vec<String>> = record.step_registers.iter().map(row).collect();
        page.table(&["address", "written while it runs", "bits", "behind a reset"], &rows);
    }
    if !built.is_empty() {
        page.gap();
        builds(record.clock_hz, built, &mut page);
    }
    page
}

/// A part in a few words.
fn what(part: &ChainPartRecord) -> String {
    // Of a unit that works for several lanes, the words of one.
    let lanes = if part.what == "unit" { part.in_turn } else { 1 };
    let [words_in, words_out] = [part.words_in, part.words_out].map(|words| words / lanes);
    let one = match (part.what, words_in, words_out) {
        ("unit", 1, 1) => "taps".to_owned(),
        ("unit", takes, 1) => format!("taps, {takes} in"),
        ("unit", 1, gives) => format!("taps, {gives} out"),
        ("unit", takes, gives) => format!("taps, {takes} in, {gives} out"),
        ("mixer", ..) => "mixer".to_owned(),
        ("keep", takes, _) => format!("1 of {takes} kept"),
        ("fill", _, gives) => format!("{} zeros filled in", gives - 1),
        (what, ..) => what.to_owned(),
    };
    if lanes > 1 { format!("{one}, for {lanes}") } else { one }
}
