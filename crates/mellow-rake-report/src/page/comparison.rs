//! Filters beside one another.

use super::quality::{found, label};
use crate::Document;
use crate::numbers::number;
use mellow_rake::quality::{Place, QualityRow, Reading};
use mellow_rake::response::ResponseDifference;
use mellow_rake::study::{Compared, Contender};
use mellow_rake::verify::{CoreCost, Counted};
use serde::Serialize;

/// A filter that could not be had.
#[derive(Debug, Clone, PartialEq, Serialize)]
pub struct Refused {
    /// How it would be called.
    pub label: String,
    /// Why it is not there.
    pub reason: String,
}

/// Columns of the terminal that the tables keep within.
const COLUMNS: usize = 80;

/// Filters beside one another, and those that could not be had.
/// `costs` is what the C of each takes, where that was counted.
pub fn comparison(
    contenders: &[Contender],
    objects: &[Compared],
    costs: &[Vec<CoreCost>],
    refused: &[Refused],
) -> Document {
    let mut rows = joined_rows(contenders);
    let mut more = |name: &str, cells: Vec<String>| {
        if cells.iter().any(|cell| cell != "-") {
            rows.push([vec![name.to_owned()], cells].concat());
        }
    };
    let cells = |pick: &dyn Fn(&Compared) -> String| objects.iter().map(pick).collect();
    let level = |level: Option<f64>| number(level, 4);
    if objects.iter().any(|o| o.multiplies_times_least > 1.0) {
        more("multiplies, times the least", cells(&|o| format!("{:.1}", o.multiplies_times_least)));
    }
    more("predicted rounding noise, dB of 1", cells(&|o| number(o.rounding_noise_db, 2)));
    more("from the first in its pass-band, dB", cells(&|o| level(o.passband_difference_db)));
    let share = |found: Option<ResponseDifference>| number(found.map(|d| 100.0 * d.of_peak), 4);
    more("from the first at most, % of peak", cells(&|o| share(o.response_difference)));
    more("  at, Hz", cells(&|o| level(o.response_difference.map(|d| d.at_hz))));
    more("from the reference, at most, dB", cells(&|o| level(o.reference.map(|d| d.largest_db))));
    more("  at, Hz", cells(&|o| level(o.reference.map(|d| d.at_hz))));
    more("  rms, dB", cells(&|o| level(o.reference.map(|d| d.rms_db))));
    more(
        "  the reference shifted to fit, dB",
        cells(&|o| level(o.reference.map(|d| d.without_offset_db))),
    );
    let kept = |keeps: Option<bool>| match keeps {
        Some(true) => "yes",
        Some(false) => "NO",
        None => "-",
    };
    more("smallest margin of the template, dB", cells(&|o| level(o.smallest_margin_db)));
    more("keeps what was asked", cells(&|o| kept(o.keeps_template).to_owned()));
    for (name, cells) in on_cores(costs) {
        more(&name, cells);
    }
    let mut text = Document::default();
    // So many columns side by side as there is room for.
    let width = |column: usize| {
        let cells = rows.iter().map(|row| row[column].chars().count());
        cells.max().unwrap_or(0)
    };
    let widths: Vec<usize> = contenders
        .iter()
        .enumerate()
        .map(|(k, one)| width(k + 1).max(one.label.chars().count()) + 2)
        .collect();
    let mut from = 0;
    while from < contenders.len() {
        let mut to = from + 1;
        let mut used = width(0) + 3 + widths[from];
        while to < contenders.len() && used + widths[to] <= COLUMNS {
            used += widths[to];
            to += 1;
        }
        let mut header = vec!["measured on the response"];
        header.extend(contenders[from..to].iter().map(|one| one.label.as_str()));
        let part: Vec<Vec<String>> =
            rows.iter().map(|row| [&row[..1], &row[from + 1..to + 1]].concat()).collect();
        text.table(&header, &part);
        text.gap();
        from = to;
    }
    let rounded = contenders.iter().filter(|one| one.is_rounded()).count();
    let what = match (rounded, contenders.len() - rounded) {
        (0, _) => "coefficients as designed",
        (_, 0) => "coefficients as rounded by [fixed]; --designed compares them unrounded",
        (_, 1) if contenders[0].label == "designed" => {
            "coefficients as rounded by [fixed], but for the first column"
        }
        _ => "coefficients as rounded where the spec has a table [fixed], else as designed",
    };
    text.paragraph(&format!("  {what}"), 4);
    for Refused { label, reason } in refused {
        text.paragraph(&format!("  {label}: none: {reason}"), 4);
    }
    text.append(work(contenders));
    text
}

/// What the C of the filters takes, a core after the other, at the level that it is mostly compiled with.
fn on_cores(costs: &[Vec<CoreCost>]) -> Vec<(String, Vec<String>)> {
    let mut rows = Vec::new();
    let mut seen: Vec<&str> = Vec::new();
    for cost in costs.iter().flatten() {
        if seen.contains(&cost.core) {
            continue;
        }
        seen.push(cost.core);
        let level = if cost.counted == Counted::Cycles { "-Os" } else { "-O2" };
        let name = cost.title.trim_start_matches("C, ");
        let mut row = |title: String, pick: &dyn Fn(&CoreCost) -> String| {
            let cell = |costs: &Vec<CoreCost>| {
                let found = costs.iter().find(|one| one.core == cost.core && one.level == level);
                found.map_or("-".to_owned(), pick)
            };
            rows.push((title, costs.iter().map(cell).collect()));
        };
        let counted = cost.counted.as_str();
        row(format!("{name} {level}, {counted} in a step"), &|c| format!("{:.1}", c.step_count));
        row(format!("  in blocks of {}", cost.block), &|c| format!("{:.1}", c.block_count));
        row("  code, bytes".to_owned(), &|c| c.code_bytes.to_string());
        row("  words of a stream, bytes".to_owned(), &|c| c.filter_bytes.to_string());
    }
    rows
}

/// The rows of all filters: of each kind, and for the lower and the upper side, one.
fn joined_rows(contenders: &[Contender]) -> Vec<Vec<String>> {
    let all: Vec<Vec<(QualityRow, usize)>> =
        contenders.iter().map(|one| numbered(one.rows())).collect();
    let mut order: Vec<(QualityRow, usize)> = Vec::new();
    for rows in &all {
        for (row, number) in rows {
            if !order.iter().any(|(known, n)| known.key == row.key && n == number) {
                order.push((row.clone(), *number));
            }
        }
    }
    let line = |(row, number): (QualityRow, usize)| {
        let of = |rows: &Vec<(QualityRow, usize)>| {
            rows.iter().find(|(r, n)| r.key == row.key && *n == number).map(|(r, _)| r.clone())
        };
        let found_rows: Vec<Option<QualityRow>> = all.iter().map(of).collect();
        let is_there = |row: &Option<QualityRow>| {
            row.as_ref().is_some_and(|row| row.found != Reading::Missing)
        };
        if !found_rows.iter().any(is_there) {
            return None;
        }
        // Frequencies stand in the name only where all agree on them.
        let mut named = row.clone();
        if found_rows.iter().flatten().any(|other| other.place != row.place) {
            named.place = Place::Everywhere;
        }
        let cell = |row: &Option<QualityRow>| row.as_ref().map_or("-".to_owned(), found);
        Some([vec![label(&named)], found_rows.iter().map(cell).collect()].concat())
    };
    order.into_iter().filter_map(line).collect()
}

/// Rows with how many of the same key came before.
fn numbered(rows: Vec<QualityRow>) -> Vec<(QualityRow, usize)> {
    let keys: Vec<&'static str> = rows.iter().map(|row| row.key).collect();
    let before = |k: usize| keys[..k].iter().filter(|key| **key == keys[k]).count();
    rows.into_iter().enumerate().map(|(k, row)| (row, before(k))).collect()
}

/// What the most work buys against the least, in a sentence.
fn work(contenders: &[Contender]) -> Document {
    let cost = |one: &&Contender| one.report().cost[0];
    let pair = contenders.iter().min_by_key(cost).zip(contenders.iter().max_by_key(cost));
    let Some((least, most)) = pair.filter(|(least, most)| cost(most) > cost(least)) else {
        return Document::default();
    };
    let per_second = |one: &Contender| cost(&one) as f64 * one.rate().hertz();
    let name = |one: &Contender| {
        let design = &one.study.design;
        match design.form.taps() {
            Some(taps) => format!("{} ({} taps)", one.label, taps.0.len()),
            None => format!("{} (order {})", one.label, design.order()),
        }
    };
    let ratio = per_second(most) / per_second(least);
    let line = format!(
        "  {} against {}: {ratio:.1} times the multiplications per second ({} against {})",
        name(most),
        name(least),
        per_second(most),
        per_second(least),
    );
    Document::words(&line, 4)
}
