//! Printing: tables for people, one JSON object for programs.

use crate::failure::Failure;
use comfy_table::{CellAlignment, ContentArrangement, Table, presets};
use serde::Serialize;
use std::io::Write;

/// Prints text on stdout.
pub(crate) fn text(text: &str) -> Result<(), Failure> {
    let mut out = std::io::stdout().lock();
    out.write_all(text.as_bytes())?;
    out.flush()?;
    Ok(())
}

/// Prints one JSON object on stdout.
pub(crate) fn json(object: &impl Serialize) -> Result<(), Failure> {
    text(&format!("{}\n", serde_json::to_string_pretty(object)?))
}

/// A table with a header, its first column to the left and all others to the right.
pub(crate) fn table(header: &[&str], rows: &[Vec<String>]) -> String {
    let mut table = Table::new();
    table.load_style(presets::NOTHING).set_content_arrangement(ContentArrangement::Disabled);
    table.set_header(header.iter().map(|name| (*name).to_owned()));
    for row in rows {
        table.add_row(row.clone());
    }
    for (index, column) in table.column_iter_mut().enumerate() {
        column.set_padding((if index == 0 { 2 } else { 1 }, 1));
        if index > 0 {
            column.set_cell_alignment(CellAlignment::Right);
        }
    }
    table.lines().map(|line| format!("{}\n", line.trim_end())).collect()
}

/// A number with so many digits behind the point, or a dash.
pub(crate) fn number(value: Option<f64>, digits: usize) -> String {
    value.map_or_else(|| "-".to_owned(), |value| without_minus_zero(format!("{value:.digits$}")))
}

/// A number with as many digits behind the point as it needs, at most so many.
pub(crate) fn short(value: f64, digits: usize) -> String {
    let text = without_minus_zero(format!("{value:.digits$}"));
    match text.contains('.') {
        true => text.trim_end_matches('0').trim_end_matches('.').to_owned(),
        false => text,
    }
}

/// A printed number; zero without a sign.
pub(crate) fn without_minus_zero(text: String) -> String {
    let is_zero = text.trim_start_matches(['+', '-', '0', '.']).is_empty();
    if is_zero { text.replace(['+', '-'], "") } else { text }
}

/// Columns that lines of words are kept within.
const COLUMNS: usize = 96;

/// Words on lines, all but the first indented as far as the second argument says; the first is indented as it is.
pub(crate) fn wrapped(text: &str, indent: usize) -> String {
    let start = text.len() - text.trim_start().len();
    let mut lines = vec![" ".repeat(start)];
    for word in text.split_whitespace() {
        let line = lines.last().map_or(0, |line| line.chars().count());
        let is_new = lines.last().is_some_and(|line| line.trim().is_empty());
        if !is_new && line + 1 + word.chars().count() > COLUMNS {
            lines.push(format!("{}{word}", " ".repeat(indent)));
        } else if let Some(last) = lines.last_mut() {
            if !is_new {
                last.push(' ');
            }
            last.push_str(word);
        }
    }
    lines.join("\n") + "\n"
}

#[cfg(test)]
mod tests {
    use super::wrapped;

    #[test]
    fn words_stay_within_the_columns() {
        let text = format!("  a {}", "12345678 ".repeat(30));
        let lines: Vec<String> = wrapped(&text, 6).lines().map(str::to_owned).collect();
        assert!(lines.iter().all(|line| line.len() <= 96) && lines.len() == 3, "{lines:?}");
        assert!(lines[0].starts_with("  a 1") && lines[1].starts_with("      1"));
    }
}
