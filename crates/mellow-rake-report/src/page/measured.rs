//! What was measured on something that runs.

use crate::Document;
use crate::numbers::{engineering, number};
use crate::units::hertz;
use mellow_rake::signal::TransferDeviation;
use mellow_rake::study::{MeasuredResponse, MeasuredTone};

/// What came out instead of a tone that the output cannot show.
fn hidden(tone: &MeasuredTone) -> String {
    let whole = |end: Option<f64>| end.map_or("-".to_owned(), |lsb| format!("{lsb:.0}"));
    let [low, high] = tone.output_lsb;
    let found = match (low, high) {
        (Some(low), Some(high)) if low == high => format!("the output stays at {low:.0} LSB"),
        _ => format!(
            "the output goes on between {} and {} LSB, {:.2} LSB rms about its mean",
            whole(low),
            whole(high),
            tone.residual_lsb
        ),
    };
    let but = match tone.filter_output_lsb < 0.5 {
        true => ", less than the output can show",
        false => ", but nothing of it came out",
    };
    format!(
        "{} Hz: the filter leaves {} LSB of the tone{but}; {found}",
        hertz(tone.hertz),
        engineering(tone.filter_output_lsb)
    )
}

/// A measurement beside the filter that is meant.
pub fn measured(object: &MeasuredResponse) -> Document {
    let is_stepped = object.excitation == Some("steps");
    let late = match is_stepped {
        true => String::new(),
        false => format!(", the output {} samples late", object.delay_samples),
    };
    let mut text = Document::of(&format!("{}: {} samples{late}\n\n", object.name, object.samples));
    let row = |name: &str, value: String| vec![name.to_owned(), value];
    let deviation = object.deviation.as_ref();
    let good = deviation.map_or(0, |deviation| deviation.good_points);
    let of = |pick: fn(&TransferDeviation) -> f64| deviation.map(pick);
    let rows = [
        row(if is_stepped { "tones" } else { "pieces averaged" }, object.pieces.to_string()),
        row("steps of, Hz", if is_stepped { "-".to_owned() } else { hertz(object.step_hz) }),
        row("points with a coherence of 0.9 or more", format!("{good} of {}", object.points)),
        row("largest deviation there, dB", number(of(|d| d.largest_db), 4)),
        row("  at, Hz", of(|d| d.at_hz).map_or("-".to_owned(), hertz)),
        row("  error expected there by chance, dB", number(of(|d| d.expected_error_db), 4)),
        row("deviation, rms, dB", number(of(|d| d.rms_db), 4)),
        row("within three expected errors, %", number(of(|d| 100.0 * d.within_three_errors), 1)),
    ];
    let against = format!("against the {} coefficients", object.coefficients);
    text.table(&["measured", &against], &rows);
    text.gap();
    let how = match is_stepped {
        true => {
            "  each tone once the filter has settled; the coherence is the share of the output that the tone \
             explains, and what it does not is taken for noise"
        }
        false => {
            "  cross-spectrum over auto-spectrum of the input; of Gaussian errors 99.7 % lie within three, \
             and what leaks beyond the steps of the measurement adds to them"
        }
    };
    text.paragraph(how, 4);
    if !object.tones.is_empty() {
        let row = |tone: &MeasuredTone| {
            vec![
                hertz(tone.hertz),
                number(tone.gain_db.filter(|_| !tone.is_hidden()), 4),
                number(tone.filter_gain_db, 4),
                number(Some(tone.phase_degrees).filter(|_| !tone.is_hidden()), 3),
                number(Some(tone.filter_phase_degrees), 3),
            ]
        };
        let rows: Vec<Vec<String>> = object.tones.iter().map(row).collect();
        let header = ["tone, Hz", "gain, dB", "of the filter", "phase, degrees", "of the filter"];
        text.gap();
        text.table(&header, &rows);
        text.gap();
        for tone in object.tones.iter().filter(|tone| tone.is_hidden()) {
            text.paragraph(&format!("  {}", hidden(tone)), 4);
        }
    }
    if let Some(tolerance) = object.tolerance_db {
        let verdict = if object.held { "within" } else { "NOT within" };
        text.verdict(
            Some(object.held),
            format!("{verdict} {tolerance} dB wherever the coherence is good"),
        );
    }
    text
}
