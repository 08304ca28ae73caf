//! Finite impulse responses in words.

use super::bands::{Levels, band_rows};
use super::general::{general_rows, rounded};
use mellow_rake::analysis::Measures;
use mellow_rake::design::fir::FirChoice;
use mellow_rake::spec::Phase;

pub(super) fn fir_title(choice: &FirChoice) -> String {
    let FirChoice { kind, method, taps, window, .. } = choice;
    let smallest =
        if choice.taps_are_smallest { ", the fewest that keep the template" } else { "" };
    let how = match (window, *method) {
        (Some(window), _) => format!("window {window}, "),
        (None, "closed-form") => String::new(),
        (None, method) => format!("{method}, "),
    };
    let phase = match (choice.phase, choice.linear_phase) {
        (Phase::Minimum, _) => "minimum phase".to_owned(),
        (_, Some(kind)) => format!("linear phase of type {}", kind.as_str()),
        _ => "no exactly linear phase".to_owned(),
    };
    let mut title = format!("{kind} with {taps} taps{smallest};\n  {how}{phase}");
    if let (Some(error), Some(least), Some(count)) =
        (choice.largest_error, choice.least_error, choice.alternations)
    {
        title.push_str(&format!(
            "\n  weighted error {error:.4e}, alternating at {count} frequencies: with so many taps\n  none is below \
             {least:.4e}"
        ));
    }
    for band in choice.bands.iter().filter(|_| choice.bands.len() > 1) {
        let [low, high] = band.edges_hz.map(rounded);
        title.push_str(&format!("\n  {low} to {high} Hz: weight {:.4}", band.weight));
    }
    title
}

pub(super) fn fir_rows(
    choice: &FirChoice,
    reports: &[&Measures],
    nyquist: f64,
) -> Vec<Vec<String>> {
    let Some(kind) = choice.band else {
        return general_rows(reports, nyquist);
    };
    let levels = Levels {
        kind,
        pass_hz: choice.pass_hz.as_deref(),
        stop_hz: choice.stop_hz.as_deref(),
        ripple_db: choice.ripple_db,
        attenuation_db: choice.attenuation_db,
        three_db_hz: None,
        six_db_hz: choice.cutoff_hz.as_deref(),
        peak: "-",
    };
    band_rows(&levels, reports)
}
