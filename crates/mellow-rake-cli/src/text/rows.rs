//! Rows of the table of what was asked and achieved.

/// A row of the table: one figure of every report.
pub(super) fn row<M>(
    name: &str,
    asked: &str,
    reports: &[&M],
    pick: impl Fn(&M) -> String,
) -> Vec<String> {
    let mut row = vec![name.to_owned(), asked.to_owned()];
    row.extend(reports.iter().map(|report| pick(report)));
    row
}

/// A gain in decibels, or that there is none.
pub(super) fn gain(gain: Option<f64>) -> String {
    match gain {
        Some(gain) if gain > -200.0 => signed(gain),
        _ => "null".to_owned(),
    }
}

/// A gain with its sign, and zero without.
pub(super) fn signed(gain: f64) -> String {
    let text = format!("{gain:+.4}");
    if text.trim_start_matches(['+', '-', '0', '.']).is_empty() {
        "0.0000".to_owned()
    } else {
        text
    }
}
