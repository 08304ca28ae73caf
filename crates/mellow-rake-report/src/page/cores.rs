//! What generated C takes on processor cores.

use crate::Document;
use crate::units::frequencies;
use mellow_rake::spec::Tune;
use mellow_rake::units::SampleRate;
use mellow_rake::verify::{CoreCost, Counted};

/// The cores with what a filter takes on each, and those that were not run with the reason. With a clock in
/// hertz, how many samples a second that is, and the share of it that the sample rate takes. Of integers,
/// what they are tuned to.
pub fn cores(
    name: &str,
    rows: &[&CoreCost],
    not_run: &[(&str, &str)],
    rate: SampleRate,
    clock_hz: Option<f64>,
    tune: Option<Tune>,
) -> Document {
    let mut page = Document::of(&format!("{name} in C on processor cores"));
    let row = |row: &&CoreCost| {
        let mut cells = vec![
            row.title.trim_start_matches("C, ").to_owned(),
            row.level.to_owned(),
            format!("{:.1}", row.step_count),
            format!("{:.1}", row.block_count),
            row.code_bytes.to_string(),
            row.filter_bytes.to_string(),
            row.stack_bytes.to_string(),
        ];
        if let Some(clock) = clock_hz {
            let per_second = clock / row.block_count;
            cells.push(format!("{:.1}", per_second / 1e3));
            cells.push(format!("{:.3}", 100.0 * rate.hertz() / per_second));
        }
        cells
    };
    let mut header = vec!["core", "level", "step", "block", "code", "filter", "stack"];
    if clock_hz.is_some() {
        header.extend(["kHz", "load %"]);
    }
    if !rows.is_empty() {
        page.table(&header, &rows.iter().map(row).collect::<Vec<_>>());
        page.gap();
    }
    if let Some(CoreCost { block, .. }) = rows.first() {
        let counted = |what: Counted| rows.iter().any(|row| row.counted == what);
        let what = match (counted(Counted::Instructions), counted(Counted::Cycles)) {
            (true, true) => "instructions (clock cycles on the AVR)",
            (false, true) => "cycles of the clock",
            _ => "instructions",
        };
        let clocks = match counted(Counted::Instructions) {
            true => "; a core takes more than a clock for some instructions",
            false => "",
        };
        page.paragraph(
            &format!(
                "  step, block: {what} for a sample, one at a call and {block} at a call, with the call and \
                 the loop around it{clocks}"
            ),
            4,
        );
        let bytes = "  code, filter, stack: bytes of code and constants, of the words of a stream, of the \
                     stack of all its functions; without the functions that the compiler brings";
        page.paragraph(bytes, 4);
    }
    if let Some(tune) = tune {
        page.paragraph(&format!("  tuned to {}: {}", tune.as_str(), tune.reason()), 4);
    }
    if let Some(clock) = clock_hz {
        let if_each = match rows.iter().any(|row| row.counted == Counted::Instructions) {
            true => ", if every instruction took a clock",
            false => "",
        };
        let rates = format!(
            "  kHz, load: at {} and in blocks the highest sample rate, and the share that {} takes{if_each}",
            frequencies(&[clock], ""),
            frequencies(&[rate.hertz()], "")
        );
        page.paragraph(&rates, 4);
    }
    let mut tools: Vec<&str> = rows.iter().map(|row| row.tool.as_str()).collect();
    tools.dedup();
    for tool in tools {
        page.paragraph(&format!("  {tool}"), 4);
    }
    for (core, why) in not_run {
        page.paragraph(&format!("  {core}: not run: {why}"), 4);
    }
    page
}
