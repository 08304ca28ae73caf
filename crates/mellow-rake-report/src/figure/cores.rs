//! The figure of what generated C takes on processor cores.

use crate::page::CoreRow;
use mellow_rake::verify::Counted;
use mellow_rake_figures::{Axis, Panel, Pen, Series, Shape, Sheet};

/// Code against the instructions or cycles for a sample in blocks: of one filter at all levels, of several
/// values of a key at `-O2`.
pub fn cores(title: &str, rows: &[CoreRow]) -> Sheet {
    let is_varied = rows.iter().any(|row| row.value.is_some());
    let rows: Vec<&CoreRow> =
        rows.iter().filter(|row| !is_varied || row.cost.level == "-O2").collect();
    let largest = rows.iter().map(|row| row.cost.code_bytes as f64).fold(1.0, f64::max);
    let y = Axis::linear("code and constants", "bytes", (0.0, 1.2 * largest));
    let points = points(&rows);
    let series = points.into_iter().enumerate().map(|(rank, (name, x, y))| Series {
        name,
        pen: Pen::Rank(rank),
        shape: Shape::Zeros(vec![(x, y, 1)]),
    });
    let series = series.collect();
    let heading = if is_varied { "what C takes on cores, at -O2" } else { "what C takes on cores" };
    let panel = Panel { series, ..Panel::new(heading, across(&rows), y) };
    Sheet { title: title.to_owned(), panels: vec![panel] }
}

/// What is counted, from nothing on, or, where it differs by much, with a scale that shows all.
fn across(rows: &[&CoreRow]) -> Axis {
    let counts = |what| rows.iter().any(|row| row.cost.counted == what);
    let unit = match (counts(Counted::Instructions), counts(Counted::Cycles)) {
        (true, true) => "instructions or cycles",
        (false, true) => "cycles",
        _ => "instructions",
    };
    let counts = rows.iter().map(|row| row.cost.block_count);
    let (low, high) = counts
        .fold((f64::INFINITY, 1.0f64), |(low, high), count| (low.min(count), high.max(count)));
    let name = "work for a sample, called in blocks,";
    match high < 8.0 * low {
        true => Axis::linear(name, unit, (0.0, 1.2 * high)),
        false => Axis::logarithmic(name, unit, (low.min(high) / 1.5, high * 1.5)),
    }
}

/// The points with their names; levels that give the same share one.
fn points(rows: &[&CoreRow]) -> Vec<(String, f64, f64)> {
    let mut points: Vec<(String, f64, f64)> = Vec::new();
    let mut last = None;
    for row in rows {
        let core = row.cost.title.trim_start_matches("C, ");
        let (x, y) = (row.cost.block_count, row.cost.code_bytes as f64);
        match (row.value, points.last_mut()) {
            (Some(value), _) => points.push((format!("{value}, {core}"), x, y)),
            (None, Some(point)) if last == Some(row.cost.core) && (point.1, point.2) == (x, y) => {
                point.0 += &format!(", {}", row.cost.level);
            }
            _ => points.push((format!("{core} {}", row.cost.level), x, y)),
        }
        last = Some(row.cost.core);
    }
    points
}
