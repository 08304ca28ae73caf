//! A notch in words.

use super::rows::{gain, row, signed};
use crate::print::number;
use mellow_rake::analysis::{Measures, NotchMeasures};
use mellow_rake::design::NotchChoice;

pub(super) fn notch_rows(choice: &NotchChoice, reports: &[&Measures]) -> Vec<Vec<String>> {
    let reports: Vec<&NotchMeasures> = reports
        .iter()
        .filter_map(|report| match report {
            Measures::Notch(measures) => Some(measures),
            _ => None,
        })
        .collect();
    let hertz = |value: f64| format!("{value:.4}");
    let [low, high] = choice.edges_hz.map(hertz);
    let edge = |side: usize| move |m: &NotchMeasures| number(m.edges_3db_hz[side], 4);
    let half = |side: usize| move |m: &NotchMeasures| number(m.edges_6db_hz[side], 4);
    vec![
        row("deepest point, Hz", &hertz(choice.center_hz), &reports, |m| hertz(m.null_hz)),
        row("gain at the centre, dB", "null", &reports, |m| gain(m.center_gain_db)),
        row("lower -3 dB point, Hz", &low, &reports, edge(0)),
        row("upper -3 dB point, Hz", &high, &reports, edge(1)),
        row("width, Hz", &hertz(choice.width_hz), &reports, |m| number(m.width_hz, 4)),
        row("lower -6 dB point, Hz", "-", &reports, half(0)),
        row("upper -6 dB point, Hz", "-", &reports, half(1)),
        row("gain at 0 Hz, dB", "0", &reports, |m| signed(m.dc_gain_db)),
        row("gain at Nyquist, dB", "0", &reports, |m| signed(m.nyquist_gain_db)),
        row("largest gain, dB", "0", &reports, |m| signed(m.peak_gain_db)),
    ]
}
