//! Printing: tables for people, one JSON object for programs.

use crate::failure::Failure;
use comfy_table::{CellAlignment, ContentArrangement, Table, presets};
use serde::Serialize;
use std::borrow::Cow;
use std::io::Write;

/// Prints text on stdout. Whoever reads it may stop early, as `head` does: that changes no status.
pub(crate) fn text(text: &str) -> Result<(), Failure> {
    let mut out = std::io::stdout().lock();
    match out.write_all(visible(text).as_bytes()).and_then(|()| out.flush()) {
        Err(error) if error.kind() != std::io::ErrorKind::BrokenPipe => Err(error.into()),
        _ => Ok(()),
    }
}

/// Clears the terminal.
pub(crate) fn clear() -> Result<(), Failure> {
    let mut out = std::io::stdout().lock();
    out.write_all(b"\x1b[H\x1b[2J")?;
    Ok(out.flush()?)
}

/// Says on stderr what was done beside the result.
pub(crate) fn note(text: &str) {
    let _ = writeln!(std::io::stderr(), "{}", visible(text));
}

/// Prints one JSON object on stdout.
pub(crate) fn json(object: &impl Serialize) -> Result<(), Failure> {
    text(&format!("{}\n", serde_json::to_string_pretty(object)?))
}

/// Prints why a command could not do its work, on stderr: what comes from outside, as a name in a file, at most so long.
pub(crate) fn failure(failure: &Failure) {
    /// Characters that are shown.
    const MOST: usize = 4_000;
    let whole = failure.to_string();
    let shown: String = whole.chars().take(MOST).collect();
    let more = if shown.len() < whole.len() {
        format!(" ... ({} more bytes)", whole.len() - shown.len())
    } else {
        String::new()
    };
    // Where nobody hears it, the status still says it.
    let _ = writeln!(std::io::stderr(), "mrake: {}{more}", visible(&shown));
}

/// Text that a terminal shows as it is: control characters but the end of a line, and characters that turn the direction of
/// what follows or cannot be seen, are written as escapes. In JSON such an escape stands for the character.
pub(crate) fn visible(text: &str) -> Cow<'_, str> {
    let is_hidden = |c: char| {
        (c.is_control() && c != '\n')
            || matches!(c, '\u{61c}' | '\u{200b}'..='\u{200f}' | '\u{2028}'..='\u{202e}' | '\u{2060}'..='\u{2069}' | '\u{feff}')
    };
    if !text.contains(is_hidden) {
        return Cow::Borrowed(text);
    }
    let escaped =
        |c: char| if is_hidden(c) { format!("\\u{:04x}", u32::from(c)) } else { c.to_string() };
    Cow::Owned(text.chars().map(escaped).collect())
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

/// A number of five significant digits in engineering notation: its power of ten is a multiple of three, and left out from
/// 0.01 to below 100,000.
pub(crate) fn engineering(value: f64) -> String {
    const DIGITS: i32 = 5;
    if value == 0.0 || !value.is_finite() {
        return without_minus_zero(value.to_string());
    }
    // Rounded first: 0.99999999 is 1.
    let rounded: f64 = format!("{value:.4e}").parse().unwrap_or(value);
    let exponent = rounded.abs().log10().floor() as i32;
    let power = if (-2..DIGITS).contains(&exponent) { 0 } else { exponent.div_euclid(3) * 3 };
    let digits = (DIGITS - 1 - (exponent - power)).max(0) as u32;
    let text = short(rounded / 10f64.powi(power), digits as usize);
    if power == 0 { text } else { format!("{text}e{power}") }
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

    /// What is hidden is written out, and a reader of JSON finds it again.
    #[test]
    fn foreign_text_is_shown_as_it_is() {
        let foreign = "a\u{1b}[31mb\u{202e}c\u{7}d\u{200b}²\n";
        assert_eq!(super::visible(foreign), "a\\u001b[31mb\\u202ec\\u0007d\\u200b²\n");
        assert_eq!(super::visible("plain ²\n"), "plain ²\n");
        let json = serde_json::to_string(foreign).unwrap();
        assert_eq!(serde_json::from_str::<String>(&super::visible(&json)).unwrap(), foreign);
    }

    #[test]
    fn powers_of_ten_are_multiples_of_three() {
        for (value, expected) in [
            (0.0, "0"),
            (-0.0, "0"),
            (707.576_73, "707.58"),
            (99_999.6, "100e3"),
            (12_345.6, "12346"),
            (0.012_345_67, "0.012346"),
            (0.001_234_567, "1.2346e-3"),
            (-4.7e-9, "-4.7e-9"),
            (0.999_999_99, "1"),
            (2.5e7, "25e6"),
        ] {
            assert_eq!(super::engineering(value), expected);
        }
    }

    #[test]
    fn words_stay_within_the_columns() {
        let text = format!("  a {}", "12345678 ".repeat(30));
        let lines: Vec<String> = wrapped(&text, 6).lines().map(str::to_owned).collect();
        assert!(lines.iter().all(|line| line.len() <= 96) && lines.len() == 3, "{lines:?}");
        assert!(lines[0].starts_with("  a 1") && lines[1].starts_with("      1"));
    }
}
