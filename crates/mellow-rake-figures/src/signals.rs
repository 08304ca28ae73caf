//! A signal before and after a filter, in time.

use crate::FigureError;
use crate::canvas::{Area, Figure, Panel, failed, straightened};
use crate::style::{FIRST, SECOND};
use plotters::prelude::*;

/// A signal before and after, on one time axis.
#[derive(Debug, Clone, Copy)]
pub struct SignalPair<'a> {
    /// The time of the first sample, in seconds.
    pub start_s: f64,
    /// The time from sample to sample, in seconds.
    pub period_s: f64,
    /// Before the filter.
    pub before: &'a [f64],
    /// After it.
    pub after: &'a [f64],
}

/// The whole record before and after, and below it a part of it at its own scale.
#[derive(Debug, Clone, Copy)]
pub struct BeforeAfter<'a> {
    /// What the signal is.
    pub title: &'a str,
    /// The unit of both signals.
    pub unit: &'a str,
    /// The record.
    pub whole: SignalPair<'a>,
    /// The part to zoom in on, from and to in seconds.
    pub zoom: (f64, f64),
}

impl SignalPair<'_> {
    fn time(&self, index: usize) -> f64 {
        self.start_s + self.period_s * index as f64
    }

    /// Indices of the samples between two times.
    fn between(&self, (from, to): (f64, f64)) -> std::ops::Range<usize> {
        let index = |t: f64| ((t - self.start_s) / self.period_s).round().max(0.0) as usize;
        let length = self.before.len().min(self.after.len());
        index(from).min(length)..index(to).min(length)
    }
}

/// The range of all values with some air.
fn span(values: impl Iterator<Item = f64>) -> std::ops::Range<f64> {
    let (low, high) = values.fold((f64::MAX, f64::MIN), |(low, high), v| (low.min(v), high.max(v)));
    let air = 0.06 * (high - low).max(1e-12);
    low - air..high + air
}

impl Figure for BeforeAfter<'_> {
    fn paint<B: DrawingBackend>(&self, area: &Area<B>) -> Result<(), FigureError> {
        let pair = &self.whole;
        let all = 0..pair.before.len().min(pair.after.len());
        let zoomed = pair.between(self.zoom);
        if all.is_empty() || zoomed.len() < 2 {
            return Err(FigureError::Data {
                figure: "before and after",
                what: "no samples to draw",
            });
        }
        if !pair.before.iter().chain(pair.after).all(|v| v.is_finite()) {
            return Err(FigureError::Data {
                figure: "before and after",
                what: "a sample is not finite",
            });
        }
        area.drawing.fill(&WHITE).map_err(failed)?;
        let [top, bottom] = area.split_below(370);
        self.panel(&top, self.title, all)?;
        let (from, to) = self.zoom;
        // Three digits of the stretch that is shown.
        let digits = (2.0 - (to - from).log10().floor()).clamp(0.0, 9.0) as usize;
        let title = format!("the same, {from:.digits$} s to {to:.digits$} s");
        self.panel(&bottom, &title, zoomed)
    }
}

/// Columns in which a record too dense for a line is drawn.
const COLUMNS: usize = 1180;

/// A stretch of samples and the levels that it covers.
struct Column {
    from: usize,
    to: usize,
    low: f64,
    high: f64,
}

/// Each stretch with its lowest and highest level, the first sample of the next one included so that nothing
/// comes apart.
fn envelope(values: &[f64], columns: usize) -> Vec<Column> {
    let last = values.len() - 1;
    (0..columns)
        .map(|column| {
            let (from, to) = (column * last / columns, ((column + 1) * last / columns).min(last));
            let part = &values[from..=to];
            Column {
                from,
                to,
                low: part.iter().copied().fold(f64::MAX, f64::min),
                high: part.iter().copied().fold(f64::MIN, f64::max),
            }
        })
        .collect()
}

impl BeforeAfter<'_> {
    fn panel<B: DrawingBackend>(
        &self,
        area: &Area<B>,
        title: &str,
        samples: std::ops::Range<usize>,
    ) -> Result<(), FigureError> {
        let pair = &self.whole;
        let both = pair.before[samples.clone()].iter().chain(&pair.after[samples.clone()]);
        let panel = Panel {
            title,
            x_name: "time in s",
            y_name: &format!("level in {}", self.unit),
            x: pair.time(samples.start)..pair.time(samples.end - 1),
            y: span(both.copied()),
        };
        let mut chart = panel.chart(area)?;
        panel.mesh(area, &mut chart)?;
        let dense = samples.len() > 2 * COLUMNS;
        let curves = [
            (pair.before, SECOND, "before", 1),
            (pair.after, FIRST, "after", if dense { 1 } else { 2 }),
        ];
        for (values, color, _, weight) in curves {
            if dense {
                // Never thinner than a line: about a pixel and a half of the 290 that the panel is high.
                let air = 0.75 * (panel.y.end - panel.y.start) / 290.0;
                let boxes = envelope(&values[samples.clone()], COLUMNS).into_iter().map(|column| {
                    let Column { from, to, low, high } = column;
                    let time = |index: usize| pair.time(samples.start + index);
                    Rectangle::new(
                        [(time(from), low - air), (time(to), high + air)],
                        color.filled(),
                    )
                });
                chart.draw_series(boxes).map_err(failed)?;
            } else {
                let point = |index: usize| (pair.time(index), values[index]);
                let points: Vec<(f64, f64)> = samples.clone().map(point).collect();
                let scale = panel.pixels_per_unit(area);
                for part in straightened(&points, scale) {
                    let line = LineSeries::new(part, color.stroke_width(area.px(weight)));
                    chart.draw_series(line).map_err(failed)?;
                }
            }
        }
        // The legend stands above the curves, in the line of the title.
        for (place, (_, color, name, weight)) in curves.into_iter().enumerate() {
            let x = area.width() - 250 + 115 * place as i32;
            area.entry((x, 5), name, color, weight + 1)?;
        }
        Ok(())
    }
}
