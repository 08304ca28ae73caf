//! Error vectors before and behind a filter.

use super::mask;
use crate::Document;
use crate::numbers::number;
use crate::units::hertz;
use mellow_rake::signal::CarrierError;
use mellow_rake::study::{ErrorRecord, Received};

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
    if let Some(limit) = object.error_limit_db {
        let verdict = if object.after.rms_db <= limit { "within" } else { "NOT within" };
        text.verdict(Some(object.after.rms_db <= limit), format!("{verdict} {limit} dB"));
    }
    if let Some(margin) = &object.mask {
        text.paragraph(&format!("  {}", mask(margin)), 4);
    }
    text
}
