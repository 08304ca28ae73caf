//! Filters that let a band through, in words.

use super::rows::{gain, row, signed};
use crate::print::number;
use mellow_rake::analysis::{BandMeasures, Measures};
use mellow_rake::design::iir::IirChoice;
use mellow_rake::filter::{BandKind, EdgeMeaning};

/// "0.6 Hz", or "5 Hz and 15 Hz"
pub(super) fn edges(edges: &[f64]) -> String {
    edges.iter().map(|hz| format!("{hz} Hz")).collect::<Vec<_>>().join(" and ")
}

pub(super) fn iir_rows(choice: &IirChoice, reports: &[&Measures]) -> Vec<Vec<String>> {
    let half_power = choice.meaning == EdgeMeaning::HalfPower;
    let levels = Levels {
        kind: choice.kind,
        pass_hz: choice.pass_hz.as_deref(),
        stop_hz: choice.stop_hz.as_deref(),
        ripple_db: choice.ripple_db,
        attenuation_db: choice.attenuation_db,
        three_db_hz: Some(choice.edges_hz.as_slice()).filter(|_| half_power),
        six_db_hz: None,
        peak: "0",
    };
    band_rows(&levels, reports)
}

/// What was asked of a filter that lets a band through.
pub(super) struct Levels<'a> {
    pub(super) kind: BandKind,
    pub(super) pass_hz: Option<&'a [f64]>,
    pub(super) stop_hz: Option<&'a [f64]>,
    pub(super) ripple_db: Option<f64>,
    pub(super) attenuation_db: Option<f64>,
    pub(super) three_db_hz: Option<&'a [f64]>,
    pub(super) six_db_hz: Option<&'a [f64]>,
    pub(super) peak: &'static str,
}

pub(super) fn band_rows(levels: &Levels<'_>, reports: &[&Measures]) -> Vec<Vec<String>> {
    let reports: Vec<&BandMeasures> = reports
        .iter()
        .filter_map(|report| match report {
            Measures::Bands(measures) => Some(measures),
            _ => None,
        })
        .collect();
    let asked = |level: Option<f64>| level.map_or("-".to_owned(), |level| format!("{level}"));
    let mut rows = Vec::new();
    if let Some(pass) = levels.pass_hz {
        let name = format!("ripple to {}, dB", edges(pass));
        rows.push(row(&name, &asked(levels.ripple_db), &reports, |m| {
            number(m.passband_ripple_db, 4)
        }));
    }
    if let Some(stop) = levels.stop_hz {
        let name = format!("attenuation from {}, dB", edges(stop));
        let asked = asked(levels.attenuation_db);
        rows.push(row(&name, &asked, &reports, |m| number(m.stopband_attenuation_db, 2)));
        rows.push(row("  worst at, Hz", "-", &reports, |m| number(m.worst_stop_hz, 4)));
    }
    if levels.pass_hz.is_some() && levels.stop_hz.is_some() {
        let name = "widest transition, Hz";
        rows.push(row(name, "-", &reports, |m| number(m.transition_width_hz, 4)));
    }
    let sides: &[&str] = if levels.kind.is_band() { &["lower ", "upper "] } else { &[""] };
    let wished = |edges: Option<&[f64]>, side: usize| {
        edges.map_or("-".to_owned(), |edges| format!("{}", edges[side]))
    };
    for (side, name) in sides.iter().enumerate() {
        let three = format!("{name}-3 dB point, Hz");
        let asked = wished(levels.three_db_hz, side);
        rows.push(row(&three, &asked, &reports, |m| number(m.edges_3db_hz[side], 4)));
        let six = format!("{name}-6 dB point, Hz");
        let asked = wished(levels.six_db_hz, side);
        rows.push(row(&six, &asked, &reports, |m| number(m.edges_6db_hz[side], 4)));
    }
    rows.push(row("gain at 0 Hz, dB", "-", &reports, |m| gain(m.dc_gain_db)));
    rows.push(row("gain at Nyquist, dB", "-", &reports, |m| gain(m.nyquist_gain_db)));
    rows.push(row("largest gain, dB", levels.peak, &reports, |m| signed(m.peak_gain_db)));
    rows
}
