//! Finite impulse responses in words.

use super::bands::{Levels, band_rows};
use super::general::general_rows;
use mellow_rake::analysis::Measures;
use mellow_rake::design::fir::FirChoice;

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
