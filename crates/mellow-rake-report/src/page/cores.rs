//! What generated C takes on processor cores.

use crate::Document;
use crate::units::frequencies;
use mellow_rake::spec::Tune;
use mellow_rake::units::SampleRate;
use mellow_rake::verify::{CoreCost, Counted};

/// What a filter takes on a core at a level of optimization.
#[derive(Debug, Clone, Copy)]
pub struct CoreRow<'a> {
    /// The value that a key has in it, of several.
    pub value: Option<&'a str>,
    /// The sample rate that it is for.
    pub rate: SampleRate,
    /// Multiplications and additions of its datapath for a sample.
    pub work: Option<(usize, usize)>,
    /// What was counted.
    pub cost: &'a CoreCost,
}

/// What there is to be told.
#[derive(Debug, Clone, Copy)]
pub struct CoresPage<'a> {
    /// The name of the filter.
    pub name: &'a str,
    /// The key that has several values.
    pub key: Option<&'a str>,
    /// What was counted.
    pub rows: &'a [CoreRow<'a>],
    /// What was not run, each with the reason.
    pub not_run: &'a [(String, &'a str)],
    /// Values that there is no filter of, each with the reason.
    pub refused: &'a [(&'a str, &'a str)],
    /// A clock in hertz, which asks how many samples a second that is, and which share of it the sample rate
    /// takes.
    pub clock_hz: Option<f64>,
    /// Of integers, the core that they are tuned to.
    pub tune: Option<Tune>,
}

/// The cores with what filters take on each, and those that were not run with the reason.
pub fn cores(told: &CoresPage) -> Document {
    let CoresPage { name, key, rows, not_run, refused, clock_hz, tune } = *told;
    let mut page = Document::of(&format!("{name} in C on processor cores"));
    let mut header: Vec<&str> = key.into_iter().collect();
    header.extend(["core", "level", "step", "block", "code", "filter"]);
    // There is no room for all side by side.
    match key {
        Some(_) => header.extend(["mul", "add"]),
        None => header.push("stack"),
    }
    if clock_hz.is_some() {
        header.extend(["kHz", "load %"]);
    }
    if !rows.is_empty() {
        let cells = rows.iter().map(|row| cells(row, key.is_some(), clock_hz));
        page.table(&header, &cells.collect::<Vec<_>>());
        page.gap();
        for line in legend(rows, key.is_some()) {
            page.paragraph(&format!("  {line}"), 4);
        }
    }
    if let Some(tune) = tune {
        page.paragraph(&format!("  tuned to {}: {}", tune.as_str(), tune.reason()), 4);
    }
    if let Some(clock) = clock_hz {
        let if_each = match counts(rows, Counted::Instructions) {
            true => ", if every instruction took a clock",
            false => "",
        };
        let rate = match (key, rows.first()) {
            (None, Some(row)) => frequencies(&[row.rate.hertz()], ""),
            _ => "the sample rate".to_owned(),
        };
        let rates = format!(
            "  kHz, load: at {} and in blocks the highest sample rate, and the share that {rate} \
             takes{if_each}",
            frequencies(&[clock], ""),
        );
        page.paragraph(&rates, 4);
    }
    let mut tools: Vec<&str> = Vec::new();
    for row in rows {
        if !tools.contains(&row.cost.tool.as_str()) {
            tools.push(&row.cost.tool);
        }
    }
    for tool in tools {
        page.paragraph(&format!("  {tool}"), 4);
    }
    for (value, why) in refused {
        page.paragraph(&format!("  {value}: none: {why}"), 4);
    }
    for (core, why) in not_run {
        page.paragraph(&format!("  {core}: not run: {why}"), 4);
    }
    page
}

fn counts(rows: &[CoreRow], what: Counted) -> bool {
    rows.iter().any(|row| row.cost.counted == what)
}

fn cells(row: &CoreRow, is_varied: bool, clock_hz: Option<f64>) -> Vec<String> {
    let CoreRow { value, rate, work, cost } = row;
    let mut cells: Vec<String> = value.iter().map(|value| (*value).to_owned()).collect();
    cells.extend([
        cost.title.trim_start_matches("C, ").to_owned(),
        cost.level.to_owned(),
        format!("{:.1}", cost.step_count),
        format!("{:.1}", cost.block_count),
        cost.code_bytes.to_string(),
        cost.filter_bytes.to_string(),
    ]);
    let number = |number: Option<usize>| number.map_or("-".to_owned(), |n| n.to_string());
    match is_varied {
        true => cells.extend([number(work.map(|work| work.0)), number(work.map(|work| work.1))]),
        false => cells.push(cost.stack_bytes.to_string()),
    }
    if let Some(clock) = clock_hz {
        let per_second = clock / cost.block_count;
        cells.push(format!("{:.1}", per_second / 1e3));
        cells.push(format!("{:.3}", 100.0 * rate.hertz() / per_second));
    }
    cells
}

/// What the columns are.
fn legend(rows: &[CoreRow], is_varied: bool) -> Vec<String> {
    let Some(first) = rows.first() else { return Vec::new() };
    let what = match (counts(rows, Counted::Instructions), counts(rows, Counted::Cycles)) {
        (true, true) => "instructions (clock cycles on the AVR)",
        (false, true) => "clock cycles",
        _ => "instructions",
    };
    let clocks = match counts(rows, Counted::Instructions) {
        true => "; a core takes more than a clock for some instructions",
        false => "",
    };
    let mut lines = vec![
        format!(
            "step, block: {what} for a sample, one at a call and {} at a call, with the call and the loop \
             around it{clocks}",
            first.cost.block
        ),
        match is_varied {
            true => "code, filter: bytes of code and constants, and of the words of a stream",
            false => {
                "code, filter, stack: bytes of code and constants, of the words of a stream, of the stack of \
                 all its functions; without the functions that the compiler brings"
            }
        }
        .to_owned(),
    ];
    match (is_varied, first.work) {
        (true, _) => {
            lines.push(
                "mul, add: multiplications and additions of the datapath for a sample".to_owned(),
            );
        }
        (false, Some((multiplies, adds))) => lines.push(format!(
            "the datapath: {multiplies} multiplications and {adds} additions for a sample"
        )),
        (false, None) => {}
    }
    lines
}
