//! Hardware on shared multipliers: told before it is built, and what came of it.

use crate::Document;
use crate::units::hertz;
use mellow_rake::hardware::{
    Built, FlowWord, HardwareChoice, HardwareRecord, HardwareUnit, LoadMap, Part, Scheduled,
};
use mellow_rake::spec::Architecture;
use mellow_rake::study::SharedUnit;
use mellow_rake::units::SampleRate;

/// Clocks of the schedule that are shown.
const MOST_CLOCKS: usize = 12;

/// The unit, its schedule, and what synthesizers made of it.
pub fn hardware(
    name: &str,
    rate: SampleRate,
    choice: &HardwareChoice,
    record: &HardwareRecord,
    built: &[Result<Built, (&'static str, String)>],
) -> Document {
    let mut page = told(name, rate, record);
    if let HardwareUnit::Serial(scheduled) = &choice.unit {
        page.gap();
        schedule(scheduled, &mut page);
    }
    if let HardwareUnit::Staged(staged) = &choice.unit {
        for (index, (stage, record)) in staged.stages().iter().zip(&record.stages).enumerate() {
            page.gap();
            page.lines(&format!(
                "unit {}: a sample every {}",
                index + 1,
                counted(record.estimate.interval, "clock")
            ));
            schedule(stage, &mut page);
        }
    }
    if let Some(map) = &record.load_map {
        page.gap();
        load_map(map, &mut page);
    }
    if !built.is_empty() {
        page.gap();
        builds(record.clock_hz, built, &mut page);
    }
    page
}

/// A unit that filters share, with the schedule of each, and what synthesizers made of it.
pub fn shared_unit(
    shared: &SharedUnit<'_>,
    record: &HardwareRecord,
    built: &[Result<Built, (&'static str, String)>],
) -> Document {
    let spec = &shared.studies()[0].spec;
    let mut page = told(spec.name.as_str(), spec.sample_rate, record);
    for (filter, turn) in shared.choice().unit.filters().iter().zip(&record.turns) {
        page.gap();
        page.lines(&format!(
            "{}: from clock {} of a round on, {}, output {} later",
            turn.name,
            turn.start,
            counted(turn.interval, "clock"),
            counted(turn.latency, "clock")
        ));
        schedule(filter, &mut page);
    }
    if !built.is_empty() {
        page.gap();
        builds(record.clock_hz, built, &mut page);
    }
    page
}

/// What is told of a unit before it is built.
fn told(name: &str, rate: SampleRate, record: &HardwareRecord) -> Document {
    let estimate = &record.estimate;
    let mut page = Document::of(&match record.architecture {
        Architecture::Serial if record.stages.len() > 1 => {
            format!("{name} on {} one behind the other", counted(record.stages.len(), "unit"))
        }
        Architecture::Serial if record.turns.len() > 1 => {
            let others = counted(record.turns.len() - 1, "filter");
            let shared = counted(estimate.multipliers, "multiplier");
            format!("{name} and {others} beside it on {shared}")
        }
        Architecture::Serial => {
            format!("{name} on {}", counted(estimate.multipliers, "shared multiplier"))
        }
        Architecture::Parallel if record.samples_per_clock > 1 => {
            format!("{name}, {} samples a clock", record.samples_per_clock)
        }
        Architecture::Parallel => format!("{name}, a sample a clock"),
    });
    let seconds = |clocks: usize| match record.clock_hz {
        Some(clock) => format!(", {}", seconds(clocks as f64 / clock)),
        None => String::new(),
    };
    let left =
        record.clocks_available.map(|available| format!(" of {available} that the clock leaves"));
    let samples = match record.samples_per_clock {
        1 if record.turns.len() > 1 => "a sample of each filter".to_owned(),
        1 => "a sample".to_owned(),
        samples => format!("{samples} samples"),
    };
    page.lines(&format!(
        "  {samples} every {}{}{}",
        counted(estimate.interval, "clock"),
        left.unwrap_or_default(),
        seconds(estimate.interval),
    ));
    // Filters that take turns have one interval for all of them.
    let channels = if record.turns.is_empty() { record.channels } else { 1 };
    if record.clock_hz.is_none() {
        let firings = rate.hertz() * channels as f64 / record.samples_per_clock as f64;
        let needed = firings * estimate.interval as f64;
        page.lines(&format!(
            "  a clock of {} Hz or more keeps up with the sample rate",
            hertz(needed)
        ));
    }
    page.lines(&format!(
        "  output {}{} later{}",
        if record.turns.len() > 1 { "at most " } else { "" },
        counted(estimate.latency, "clock"),
        seconds(estimate.latency)
    ));
    let [a, b] = estimate.multiplier_bits;
    page.lines(&format!(
        "  {} of {a} by {b} bits, in use {:.0} % of the time",
        counted(estimate.multipliers, "multiplier"),
        100.0 * estimate.use_of_multipliers,
    ));
    if channels > 1 {
        page.lines(&format!("  {} channels take turns", record.channels));
    }
    for reason in &record.chosen {
        page.paragraph(&format!("  chosen: {reason}"), 4);
    }
    page.gap();
    let rows = |parts: &[Part], what: &str| -> Vec<Vec<String>> {
        let row = |part: &Part| {
            vec![
                format!("{what}: {}", part.what),
                part.count.to_string(),
                part.bits.to_string(),
                part.all_bits().to_string(),
            ]
        };
        parts.iter().map(row).collect()
    };
    let all = [
        rows(&estimate.memories, "memory"),
        rows(&estimate.adders, "adder"),
        rows(&estimate.registers, "register"),
    ];
    page.table(&["before the build", "count", "bits", "bits in all"], &all.concat());
    page
}

/// The schedule: clock by clock what each multiplier does, and which results are written.
fn schedule(scheduled: &Scheduled, page: &mut Document) {
    let lanes = scheduled.resources().multipliers;
    let mut header = vec!["clock".to_owned()];
    header.extend((1..=lanes.min(3)).map(|lane| format!("multiplier {lane}")));
    if lanes > 3 {
        header.push("...".to_owned());
    }
    header.push("ends".to_owned());
    let row = |clock: usize| {
        let at = |lane: usize| {
            let issues = &scheduled.schedule().issues;
            let found = issues.iter().find(|one| one.clock == clock && one.multiplier == lane);
            found.map_or("-".to_owned(), |one| {
                scheduled.flow().tasks[one.task].products[one.product].to_string()
            })
        };
        let mut cells = vec![clock.to_string()];
        cells.extend((0..lanes.min(3)).map(at));
        if lanes > 3 {
            cells.push("...".to_owned());
        }
        let ends =
            (0..scheduled.flow().tasks.len()).filter(|task| scheduled.span(*task).1 == clock);
        let name = |task: usize| match scheduled.delivers(task) {
            true => "out".to_owned(),
            false => FlowWord { signal: task + 1, age: 0 }.to_string(),
        };
        cells.push(ends.map(name).collect::<Vec<_>>().join(" "));
        cells
    };
    let shown = scheduled.interval().min(MOST_CLOCKS);
    let rows: Vec<Vec<String>> = (0..shown).map(row).collect();
    page.table(&header.iter().map(String::as_str).collect::<Vec<_>>(), &rows);
    let left = scheduled.interval() - shown;
    if left > 0 {
        page.lines(&format!("  ... ({} more; all with --json)", counted(left, "clock")));
    }
}

/// Where coefficients are written, and what is there at power-up.
fn load_map(map: &LoadMap, page: &mut Document) {
    let formats = map.tables.iter().flat_map(|table| {
        std::iter::repeat_n(table.format.to_string(), table.rows.iter().map(Vec::len).sum())
    });
    let row = |(address, (value, format)): (usize, (i64, String))| {
        vec![address.to_string(), map.name(address), value.to_string(), format]
    };
    let all = map.values().zip(formats).enumerate().map(row);
    let mut rows: Vec<Vec<String>> = all.take(MOST_CLOCKS).collect();
    let left = map.words() - rows.len();
    if left > 0 {
        rows.push(vec!["...".to_owned(), format!("{left} more"), String::new(), String::new()]);
    }
    let switch = vec![map.switch_address.to_string(), "the two sets change places".to_owned()];
    rows.push([switch, vec![String::new(); 2]].concat());
    page.table(&["address", "coefficient", "at power-up", "format"], &rows);
}

/// What synthesizers made of it, beside what was told.
pub(super) fn builds(
    clock_hz: Option<f64>,
    built: &[Result<Built, (&'static str, String)>],
    page: &mut Document,
) {
    let mut rows = Vec::new();
    let mut notes = Vec::new();
    for one in built {
        match one {
            Ok(cells) => {
                let clock = cells.clock_hz.map(|clock| format!("{:.1}", clock / 1e6));
                rows.push(vec![
                    cells.title.to_owned(),
                    cells.luts.to_string(),
                    cells.registers.to_string(),
                    cells.multipliers.to_string(),
                    cells.rams.to_string(),
                    clock.unwrap_or("-".to_owned()),
                ]);
                notes.push((true, format!("{}: {}", cells.title, cells.tool)));
                if let Some(why) = &cells.not_placed {
                    notes.push((true, format!("{}: not placed: {why}", cells.title)));
                }
            }
            Err((title, why)) => notes.push((false, format!("{title}: not run: {why}"))),
        }
    }
    if !rows.is_empty() {
        let header = ["after the build", "LUTs", "registers", "multipliers", "RAMs", "MHz"];
        page.table(&header, &rows);
    }
    for (_, note) in &notes {
        page.paragraph(&format!("  {note}"), 4);
    }
    for cells in built.iter().flatten() {
        if let (Some(clock), Some(wish)) = (cells.clock_hz, clock_hz) {
            let held = clock >= wish;
            let words = if held { "runs at" } else { "MISSES" };
            let text = format!("{} {words} the clock of {:.3} MHz", cells.title, wish / 1e6);
            page.verdict(Some(held), text);
        }
    }
}

/// A unit of several.
pub struct UnitRow<'a> {
    /// The value that its spec has.
    pub value: String,
    /// The unit.
    pub record: &'a HardwareRecord,
    /// The clock that it is taken to run at.
    pub clock_hz: f64,
    /// What each family made of it; `None` where its tools were not run.
    pub built: Vec<Option<&'a Built>>,
}

/// Units with several values of a key, side by side; those that cannot be, with the reason.
pub fn units(key: &str, rows: &[UnitRow<'_>], refused: &[(&str, &str)]) -> Document {
    let mut page = Document::default();
    let mut header: Vec<String> =
        [key, "multipliers", "clocks", "latency", "in use", "kHz", "memory bits", "register bits"]
            .map(str::to_owned)
            .to_vec();
    for built in rows.first().iter().flat_map(|row| row.built.iter().flatten()) {
        header.push(format!("{}: LUTs", built.title));
        header.push("RAMs".to_owned());
        if built.clock_hz.is_some() {
            header.push("MHz".to_owned());
        }
    }
    let row = |row: &UnitRow<'_>| {
        let estimate = &row.record.estimate;
        let mut cells = vec![
            row.value.clone(),
            estimate.multipliers.to_string(),
            estimate.interval.to_string(),
            estimate.latency.to_string(),
            format!("{:.0} %", 100.0 * estimate.use_of_multipliers),
            format!("{:.3}", row.record.samples_per_second(row.clock_hz) / 1e3),
            estimate.memory_bits().to_string(),
            estimate.register_bits().to_string(),
        ];
        for built in row.built.iter().flatten() {
            cells.push(built.luts.to_string());
            cells.push(built.rams.to_string());
            cells.extend(built.clock_hz.map(|clock| format!("{:.1}", clock / 1e6)));
        }
        cells
    };
    let header: Vec<&str> = header.iter().map(String::as_str).collect();
    page.table(&header, &rows.iter().map(row).collect::<Vec<_>>());
    page.gap();
    let stated = rows.iter().any(|row| row.record.clock_hz.is_some());
    page.paragraph(
        match stated {
            true => "  kHz: samples that the unit can take in a second, all channels together",
            false => {
                "  kHz: samples that the unit can take in a second at 1 MHz; no clock is stated"
            }
        },
        4,
    );
    for (value, why) in refused {
        page.paragraph(&format!("  {value}: {why}"), 4);
    }
    page
}

pub(super) fn counted(count: usize, what: &str) -> String {
    format!("{count} {what}{}", if count == 1 { "" } else { "s" })
}

/// A time with three digits.
fn seconds(time: f64) -> String {
    let (value, unit) = match time {
        ..1e-6 => (time * 1e9, "ns"),
        ..1e-3 => (time * 1e6, "us"),
        ..1.0 => (time * 1e3, "ms"),
        _ => (time, "s"),
    };
    format!("{value:.3} {unit}")
}
