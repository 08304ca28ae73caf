//! Error vectors before and behind a filter.

use super::mask;
use crate::Document;
use crate::numbers::number;
use crate::units::hertz;
use mellow_rake::signal::CarrierError;
use mellow_rake::study::{Adjacent, AdjacentLevels, ErrorRecord, Received};

/// Symbols before and behind a filter.
pub fn received(object: &Received) -> Document {
    let mut text = Document::of(&format!(
        "{}, {} symbols, before and behind {} ({}), {:.2} samples late\n\n",
        object.signal, object.symbols, object.name, object.behind, object.delay_samples
    ));
    let row = |name: &str, pick: fn(&ErrorRecord) -> f64, digits: usize| {
        let value = |error| number(Some(pick(error)), digits);
        let mut cells = vec![name.to_owned(), value(&object.before)];
        cells.extend(object.designed.as_ref().map(value));
        cells.push(value(&object.after));
        cells
    };
    let rows = [
        row("error vector, rms, %", |error| 100.0 * error.rms, 3),
        row("error vector, rms, dB", |error| error.rms_db, 2),
        row("largest, %", |error| 100.0 * error.largest, 3),
        row("rms with each carrier equalized, %", |error| 100.0 * error.equalized_rms, 3),
    ];
    let head = "one gain and phase for all";
    match object.designed {
        Some(_) => {
            let names = [head, "before", "after, in floating point", "after, on integers"];
            text.table(&names, &rows);
        }
        None => text.table(&[head, "before", "after"], &rows),
    }
    if let Some(predicted) = object.predicted_db {
        text.paragraph(
            &format!(
                "  predicted behind integers: {predicted:.2} dB, the error in floating point with the noise \
                 of the roundings, taken for white"
            ),
            4,
        );
    }
    let line = match object.before.rms < 1e-9 {
        true => "  before: the symbols as they went in, a complex sample for each",
        false => {
            "  before: what the pulses lose by being cut off, what noise and other parts of the signal \
             add, and the converter's steps"
        }
    };
    text.paragraph(line, 4);
    if object.carriers.len() > 1 {
        let mut worst: Vec<&CarrierError> = object.carriers.iter().collect();
        worst.sort_by(|a, b| b.rms.total_cmp(&a.rms));
        let row = |carrier: &&CarrierError| {
            vec![
                hertz(carrier.hertz),
                number(Some(100.0 * carrier.rms), 3),
                number(Some(carrier.gain_db), 3),
                number(Some(carrier.phase_degrees), 2),
            ]
        };
        let rows: Vec<Vec<String>> = worst.iter().take(6).map(row).collect();
        text.lines("\nThe carriers with the largest errors, each equalized by itself\n");
        text.table(&["carrier, Hz", "error, %", "gain, dB", "phase, degrees"], &rows);
    }
    adjacent(&mut text, object);
    if let Some(limit) = object.error_limit_db {
        let verdict = if object.after.rms_db <= limit { "within" } else { "NOT within" };
        text.verdict(Some(object.after.rms_db <= limit), format!("{verdict} {limit} dB"));
    }
    if let Some(limit) = object.adjacent.limit_db {
        let is_held = object.adjacent.is_held();
        let verdict = if is_held { "within" } else { "NOT within" };
        text.verdict(Some(is_held), format!("{verdict} {limit} dB in the channels beside it"));
    }
    if let Some(margin) = &object.mask {
        text.paragraph(&format!("  {}", mask(margin)), 4);
    }
    text
}

/// The channels beside that of the symbols.
fn adjacent(text: &mut Document, object: &Received) {
    let Adjacent { width_hz, spacing_hz, channels, .. } = &object.adjacent;
    if channels.is_empty() {
        return;
    }
    // Offsets are round as a rule, and a thousandth of a hertz is enough of others.
    let hertz = |value: f64| (value * 1e3).round() / 1e3;
    let (width, spacing) = (hertz(*width_hz), hertz(*spacing_hz));
    text.lines(&format!(
        "\nChannels beside it, {width} Hz wide, middles {spacing} Hz apart: power over that in its own\n"
    ));
    let row = |one: &AdjacentLevels| {
        let mut cells = vec![format!("{:+}", hertz(one.offset_hz))];
        cells.push(number(one.before_db, 2));
        cells.extend(object.designed.map(|_| number(one.designed_db, 2)));
        cells.push(number(one.after_db, 2));
        cells
    };
    let rows: Vec<Vec<String>> = channels.iter().map(row).collect();
    let head = "offset, Hz";
    match object.designed {
        Some(_) => {
            let names = ["before, dB", "after, in floating point, dB", "after, on integers, dB"];
            text.table(&[head, names[0], names[1], names[2]], &rows);
        }
        None => text.table(&[head, "before, dB", "after, dB"], &rows),
    }
}
