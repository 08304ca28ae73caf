//! The figure of a measured response.

use mellow_rake::study::MeasuredResponse;
use mellow_rake::units::SampleRate;
use mellow_rake_figures::{Axis, Panel, Pen, Series, Shape, Sheet};

/// The measured gain on that of the filter, the deviation with its expected error, and the coherence.
pub fn measured(object: &MeasuredResponse, rate: SampleRate) -> Sheet {
    let nyquist = rate.nyquist();
    let from = if object.hertz[0] < 0.0 { -nyquist } else { 0.0 };
    let x = || Axis::linear("frequency", "Hz", (from, nyquist));
    let points = |levels: &[Option<f64>]| -> Vec<(f64, f64)> {
        let pairs = object.hertz.iter().zip(levels);
        pairs.filter_map(|(hz, level)| Some((*hz, (*level)?))).collect()
    };
    let line = |name: &str, pen: Pen, points: Vec<(f64, f64)>| Series {
        name: name.to_owned(),
        pen,
        shape: Shape::Line(points),
    };
    let measured = points(&object.gain_db);
    let top = measured.iter().map(|point| point.1).fold(f64::MIN, f64::max);
    let low = measured.iter().skip(2).map(|point| point.1).fold(f64::MAX, f64::min);
    let levels = (low.max(top - 120.0) - 6.0, top + 6.0);
    let gain = vec![
        line("measured", Pen::Under, measured),
        line(object.coefficients, Pen::Over, points(&object.designed_gain_db)),
    ];
    let good = || (0..object.hertz.len()).filter(|k| object.good[*k]);
    let deviation = |k: usize| {
        let difference = object.gain_db[k]? - object.designed_gain_db[k]?;
        Some((object.hertz[k], difference))
    };
    let deviations: Vec<(f64, f64)> = good().filter_map(deviation).collect();
    let errors =
        good().map(|k| (object.hertz[k], -3.0 * object.error_db[k], 3.0 * object.error_db[k]));
    let errors: Vec<(f64, f64, f64)> = errors.collect();
    let most = deviations.iter().map(|p| p.1.abs()).chain(errors.iter().map(|e| e.2));
    let most = most.fold(1e-3, f64::max).min(20.0);
    let mut apart = Vec::new();
    if deviations.len() > 1 {
        let shape = Shape::Band(errors);
        apart.push(Series { name: "three expected errors".to_owned(), pen: Pen::Rank(4), shape });
        apart.push(line("measured less the filter", Pen::Over, deviations));
    }
    let coherence = object.hertz.iter().copied().zip(object.coherence.iter().copied());
    let coherence = vec![line("", Pen::Over, coherence.collect())];
    let panel = |title: &str, y: Axis, series| Panel { series, ..Panel::new(title, x(), y) };
    Sheet {
        title: format!("{}: measured, {} samples", object.name, object.samples),
        panels: vec![
            panel("gain", Axis::linear("gain", "dB", levels), gain),
            panel(
                "deviation where the coherence is good",
                Axis::linear("difference", "dB", (-1.1 * most, 1.1 * most)),
                apart,
            ),
            panel("coherence", Axis::linear("coherence", "", (0.0, 1.05)), coherence),
        ],
    }
}
