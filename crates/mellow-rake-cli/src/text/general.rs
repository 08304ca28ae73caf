//! Filters that are asked for point by point or band by band, in words.

use super::rows::{gain, signed};
use mellow_rake::analysis::{BandDeviation, GeneralMeasures, MarkMeasure, Measures};
use mellow_rake::design::{Asked, Mark};

fn reports<'a>(reports: &[&'a Measures]) -> Vec<&'a GeneralMeasures> {
    reports
        .iter()
        .filter_map(|report| match report {
            Measures::General(measures) => Some(measures),
            _ => None,
        })
        .collect()
}

/// Rows of the points that the wish fixes, of its bands, and of the ends.
pub(super) fn general_rows(all: &[&Measures], nyquist: f64) -> Vec<Vec<String>> {
    let all = reports(all);
    let mut rows = Vec::new();
    let Some(first) = all.first() else {
        return rows;
    };
    for (index, point) in first.marks.iter().enumerate() {
        let hertz = rounded(point.mark.hertz);
        let (name, asked) = match point.mark.asked {
            Asked::GainDb(gain) => (format!("gain at {hertz} Hz, dB"), signed(gain)),
            Asked::Null => (format!("gain at {hertz} Hz, dB"), "null".to_owned()),
            Asked::PhaseDegrees(phase) => {
                (format!("phase at {hertz} Hz, degrees"), format!("{phase}"))
            }
        };
        let found = |report: &&GeneralMeasures| -> String {
            let MarkMeasure { mark, found } = report.marks[index];
            match mark.asked {
                Asked::PhaseDegrees(_) => {
                    found.map_or("-".to_owned(), |phase| format!("{phase:.4}"))
                }
                _ => gain(found),
            }
        };
        rows.push([name, asked].into_iter().chain(all.iter().map(found)).collect());
    }
    for (index, band) in first.bands.iter().enumerate() {
        let [low, high] = band.band.edges_hz.map(rounded);
        let relative = if band.band.relative { ", relative" } else { "" };
        let name = format!("{low} to {high} Hz: largest error{relative}");
        let [a, b] = band.band.level;
        let asked = if a == b { format!("gain {a}") } else { format!("gain {a:.4} to {b:.4}") };
        let found = |report: &&GeneralMeasures| {
            let BandDeviation { largest, .. } = report.bands[index];
            format!("{largest:.3e}")
        };
        rows.push([name, asked].into_iter().chain(all.iter().map(found)).collect());
    }
    let mut end = |name: &str, pick: &dyn Fn(&GeneralMeasures) -> String| {
        let start = [name.to_owned(), "-".to_owned()];
        rows.push(start.into_iter().chain(all.iter().map(|report| pick(report))).collect());
    };
    // Not twice, where the wish fixes an end.
    let fixed = |at: &dyn Fn(f64) -> bool| {
        let is_gain = |mark: &Mark| !matches!(mark.asked, Asked::PhaseDegrees(_));
        first.marks.iter().any(|point| is_gain(&point.mark) && at(point.mark.hertz))
    };
    if !fixed(&|hz| hz == 0.0) {
        end("gain at 0 Hz, dB", &|m| gain(m.dc_gain_db));
    }
    if !fixed(&|hz| hz == nyquist) {
        end("gain at Nyquist, dB", &|m| gain(m.nyquist_gain_db));
    }
    end("largest gain, dB", &|m| signed(m.peak_gain_db));
    end("  at, Hz", &|m| format!("{:.4}", m.peak_hz));
    rows
}

/// A frequency with at most four digits behind the point.
pub(super) fn rounded(hertz: f64) -> String {
    let text = format!("{hertz:.4}");
    text.trim_end_matches('0').trim_end_matches('.').to_owned()
}
