//! Which coefficients matter.

use crate::Document;
use crate::numbers::number;
use crate::units::hertz;
use mellow_rake::quality::{CoefficientSensitivity, Sensitivity, ToleranceBand};
use mellow_rake::study::CoefficientStudy;

/// The coefficients by what a change of each does, the first `most` of them, and what random changes of all
/// do.
pub fn sensitivity(
    name: &str,
    study: &CoefficientStudy<'_>,
    found: &Sensitivity,
    band: Option<&ToleranceBand>,
    most: usize,
) -> Document {
    let mut text = Document::words(
        &format!(
            "{name}: every coefficient as {}, changed up and down by {}",
            study.which(),
            study.how()
        ),
        2,
    );
    text.gap();
    let row = |row: &CoefficientSensitivity| {
        vec![
            coefficient_name(row),
            format!("{:.6}", row.value),
            format!("{:.1}", 20.0 * row.response_change.log10()),
            hertz(row.at_hz),
            number(row.passband_change_db, 5),
            row.pole_move.map_or("-".to_owned(), |far| format!("{far:.2e}")),
            if row.is_unstable {
                "UNSTABLE".to_owned()
            } else {
                row.margin_change_db.map_or("-".to_owned(), |change| format!("{change:+.5}"))
            },
        ]
    };
    let rows: Vec<Vec<String>> = found.coefficients.iter().take(most).map(row).collect();
    let header = ["", "value", "|dH|, dB", "at, Hz", "pass-band, dB", "pole by", "margin, dB"];
    text.table(&header, &rows);
    let left = found.coefficients.len().saturating_sub(most);
    if left > 0 {
        text.lines(&format!("  ... ({left} more; all with --json)\n"));
    }
    text.gap();
    text.paragraph(
        "  |dH|: largest change of the response, from the largest gain; pass-band: largest change of gain \
         there; margin: what becomes of the distance to the template",
        4,
    );
    if let Some(margin) = found.margin_db {
        text.lines(&format!("  the distance to the template is {margin:+.5} dB\n"));
    }
    if let Some(band) = band {
        text.paragraph(&scattered(band, &study.how()), 4);
    }
    text
}

/// What the random filters did.
fn scattered(band: &ToleranceBand, how: &str) -> String {
    let ToleranceBand { trials, seed, unstable, kept, worst_margin_db, .. } = band;
    let mut line = format!(
        "  {trials} filters with all coefficients changed at random, evenly up to {} (seed {seed}), \
         looked at on {} frequencies: {unstable} unstable",
        how,
        band.hertz.len()
    );
    if let (Some(kept), Some(worst)) = (kept, worst_margin_db) {
        line.push_str(&format!(", {kept} keep the template; the worst is {worst:+.4} dB from it"));
    }
    line
}

/// The name with its place: of section 2, or the number of the tap.
fn coefficient_name(row: &CoefficientSensitivity) -> String {
    match row.name {
        "h" => format!("h[{}]", row.index),
        name => format!("{name} of section {}", row.index + 1),
    }
}
