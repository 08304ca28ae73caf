//! The table of what was asked and found.

use crate::Document;
use crate::numbers::without_minus_zero;
use crate::units::{hertz, place};
use mellow_rake::quality::{Place, QualityRow, Reading, Wished};

/// Asked beside found, of the designed filter and, if it is there, the rounded one; the margin is that of the
/// last.
pub(super) fn quality_table(
    page: &mut Document,
    designed: &[QualityRow],
    rounded: Option<&[QualityRow]>,
) {
    let mut header = vec!["measured on the response", "asked", "designed"];
    header.extend(rounded.map(|_| "rounded"));
    header.push("margin");
    let designed = of_weight(designed);
    let rounded = rounded.map(of_weight);
    let rows: Vec<Vec<String>> = designed
        .iter()
        .enumerate()
        .map(|(index, row)| (row, rounded.as_ref().and_then(|rows| rows.get(index))))
        // What nobody asked for and this filter does not have.
        .filter(|(row, other)| {
            let is_there = |row: &QualityRow| row.found != Reading::Missing;
            is_there(row) || other.is_some_and(is_there) || row.asked != Wished::Nothing
        })
        .map(|(row, other)| {
            let mut cells = vec![label(row), asked(row), found(row)];
            cells.extend(other.map(found));
            cells.push(margin(other.unwrap_or(row)));
            cells
        })
        .collect();
    page.table(&header, &rows);
}

/// The rows, but of many errors one row, for the largest: all are in the JSON.
fn of_weight(rows: &[QualityRow]) -> Vec<QualityRow> {
    /// A page shows as many bands.
    const MOST: usize = 8;
    let is_error = |row: &QualityRow| row.key == "band_error";
    let count = rows.iter().filter(|row| is_error(row)).count();
    if count <= MOST {
        return rows.to_vec();
    }
    let size = |row: &QualityRow| row.found.value().unwrap_or(0.0);
    let worst = rows.iter().filter(|row| is_error(row)).max_by(|a, b| size(a).total_cmp(&size(b)));
    let first = rows.iter().position(is_error).unwrap_or(0);
    let mut all: Vec<QualityRow> = rows.iter().filter(|row| !is_error(row)).cloned().collect();
    if let Some(worst) = worst {
        // The same row for the designed and the rounded filter, wherever each errs most.
        let mut worst = worst.clone();
        (worst.asked, worst.place) = (Wished::Nothing, Place::Everywhere);
        worst.words = "largest error of all bands";
        all.insert(first, worst);
    }
    all
}

/// "attenuation from 22.5 and 31.5 kHz, dB"
pub(super) fn label(row: &QualityRow) -> String {
    let unit = if row.unit.is_empty() { String::new() } else { format!(", {}", row.unit) };
    format!("{}{}{unit}", row.words, place(&row.place))
}

/// A number with the digits that its row is read with.
fn digits(row: &QualityRow, value: f64) -> String {
    match (row.key, row.unit) {
        ("band_error" | "stability_margin", _) => format!("{value:.2e}"),
        ("attenuation" | "side_lobe", _) => format!("{value:.2}"),
        (_, "dB") => signed(value, row.key != "ripple"),
        (_, "Hz") => hertz(value),
        ("settling" | "multiplies" | "adds" | "state", _) => format!("{value}"),
        (_, "%") => format!("{value:.2}"),
        (_, "samples") => format!("{value:.3}"),
        _ => format!("{value:.4}"),
    }
}

/// A level with its sign, if that is wanted, and zero without.
fn signed(level: f64, sign: bool) -> String {
    without_minus_zero(if sign { format!("{level:+.4}") } else { format!("{level:.4}") })
}

pub(super) fn found(row: &QualityRow) -> String {
    match row.found {
        Reading::Missing => "-".to_owned(),
        Reading::Null => "null".to_owned(),
        Reading::Value(value) => digits(row, value),
    }
}

fn asked(row: &QualityRow) -> String {
    match row.asked {
        Wished::Nothing => "-".to_owned(),
        Wished::AtMost(limit) => format!("<= {}", rounded(limit)),
        Wished::AtLeast(limit) => format!(">= {}", rounded(limit)),
        Wished::Exactly(value) => rounded(value),
        Wished::Null => "null".to_owned(),
        Wished::Gain([a, b]) if a == b => format!("gain {}", rounded(a)),
        Wished::Gain([a, b]) => format!("{} to {}", rounded(a), rounded(b)),
    }
}

/// A number with four digits behind the point and no zeros at the end.
fn rounded(value: f64) -> String {
    let text = format!("{value:.4}");
    text.trim_end_matches('0').trim_end_matches('.').to_owned()
}

fn margin(row: &QualityRow) -> String {
    match (row.asked, row.found, row.margin()) {
        (Wished::Exactly(_), _, Some(margin)) => {
            let off = format!("{:.4}", margin.abs());
            if off == "0.0000" { "kept".to_owned() } else { format!("off {off}") }
        }
        (_, _, Some(margin)) => signed(margin, true),
        (Wished::Null, Reading::Null, _) => "kept".to_owned(),
        (Wished::Null, Reading::Value(_), _) => "no null".to_owned(),
        _ => String::new(),
    }
}
