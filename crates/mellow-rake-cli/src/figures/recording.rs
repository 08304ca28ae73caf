//! Panels of recordings and their spectra.

use mellow_rake::signal::Spectrum;
use mellow_rake_figures::{Axis, Panel, Pen, Series, Shape, record_line};
use std::ops::Range;

/// A signal in a figure.
pub(crate) struct Trace<'a> {
    /// Its name in the legend; empty for none.
    pub(crate) name: &'a str,
    pub(crate) pen: Pen,
    pub(crate) samples: &'a [f64],
}

/// Part of some recordings over time; what a filter has not settled to yet is shaded.
pub(crate) fn time_panel(
    title: &str,
    level: &str,
    period_s: f64,
    traces: &[Trace<'_>],
    part: &Range<usize>,
    unsettled: usize,
) -> Panel {
    let parts = || traces.iter().map(|trace| (trace, &trace.samples[part.clone()]));
    let all = parts().flat_map(|(_, samples)| samples);
    let (low, high) = all.fold((f64::MAX, f64::MIN), |(a, b), v| (a.min(*v), b.max(*v)));
    let air = 0.06 * (high - low).max(1e-9 * high.abs()).max(1e-12);
    let time = |index: usize| index as f64 * period_s;
    let x = Axis::linear("time", "s", (time(part.start), time(part.end - 1)));
    let y = Axis::linear(level, "", (low - air, high + air));
    let mut series = Vec::new();
    if unsettled > part.start {
        let end = time(unsettled.min(part.end - 1));
        let ends = [time(part.start), end].map(|t| (t, low - air, high + air));
        let shape = Shape::Band(ends.to_vec());
        series.push(Series { name: "start-up".to_owned(), pen: Pen::Rank(4), shape });
    }
    series.extend(parts().map(|(trace, samples)| {
        let shape = Shape::Line(record_line(time(part.start), period_s, samples));
        Series { name: trace.name.to_owned(), pen: trace.pen, shape }
    }));
    Panel { series, ..Panel::new(title, x, y) }
}

/// So many samples where the signal changes most.
pub(crate) fn liveliest(samples: &[f64], shown: usize) -> Range<usize> {
    let shown = shown.min(samples.len());
    let change = |at: usize| -> f64 {
        samples[at..at + shown].windows(2).map(|pair| (pair[1] - pair[0]).abs()).sum()
    };
    let starts = (0..=samples.len() - shown).step_by((shown / 2).max(1));
    let best = starts.map(|at| (at, change(at)));
    let best = best.fold((0, f64::MIN), |best, new| if new.1 > best.1 { new } else { best }).0;
    best..best + shown
}

/// Power spectral densities, in decibels.
pub(crate) fn density_panel(spectra: &[(&str, Pen, &Spectrum)]) -> Panel {
    let level = |density: f64| 10.0 * density.max(1e-300).log10();
    let mut series = Vec::new();
    let mut levels = Vec::new();
    let mut end: f64 = 0.0;
    for (name, pen, spectrum) in spectra {
        let pairs = spectrum.hertz.iter().zip(&spectrum.density);
        let points: Vec<(f64, f64)> = pairs.map(|(hz, density)| (*hz, level(*density))).collect();
        levels.extend(points.iter().skip(1).map(|point| point.1));
        end = points.last().map_or(end, |point| end.max(point.0));
        series.push(Series { name: (*name).to_owned(), pen: *pen, shape: Shape::Line(points) });
    }
    levels.sort_by(f64::total_cmp);
    let high = levels.last().copied().unwrap_or(0.0);
    // The lowest percent may be next to nothing.
    let low = levels.get(levels.len() / 100).copied().unwrap_or(high).max(high - 160.0);
    let x = Axis::linear("frequency", "Hz", (0.0, end));
    let y = Axis::linear("density", "dB of 1 unit²/Hz", (low - 6.0, high + 6.0));
    Panel { series, ..Panel::new("power spectral density", x, y) }
}
