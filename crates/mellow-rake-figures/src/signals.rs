//! A signal before and after a filter, in time.

use crate::FigureError;
use crate::axis::Axis;
use crate::canvas::{Area, Figure};
use crate::sheet::{Panel, Series, Shape, Sheet};
use crate::style::Pen;
use plotters::prelude::DrawingBackend;
use std::ops::Range;

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
    fn between(&self, (from, to): (f64, f64)) -> Range<usize> {
        let index = |t: f64| ((t - self.start_s) / self.period_s).round().max(0.0) as usize;
        let length = self.before.len().min(self.after.len());
        index(from).min(length)..index(to).min(length)
    }
}

/// The range of all values with some air.
fn span(values: impl Iterator<Item = f64>) -> (f64, f64) {
    let (low, high) = values.fold((f64::MAX, f64::MIN), |(low, high), v| (low.min(v), high.max(v)));
    let air = 0.06 * (high - low).max(1e-6 * high.abs()).max(1e-12);
    (low - air, high + air)
}

impl Figure for BeforeAfter<'_> {
    fn paint<B: DrawingBackend>(&self, area: &Area<B>) -> Result<(), FigureError> {
        let pair = &self.whole;
        let all = 0..pair.before.len().min(pair.after.len());
        let zoomed = pair.between(self.zoom);
        let bad = |what| Err(FigureError::Data { figure: "before and after", what });
        if all.len() < 2 || zoomed.len() < 2 {
            return bad("no samples to draw");
        }
        if !pair.before.iter().chain(pair.after).all(|v| v.is_finite()) {
            return bad("a sample is not finite");
        }
        let (from, to) = self.zoom;
        // Three digits of the stretch that is shown.
        let digits = (2.0 - (to - from).log10().floor()).clamp(0.0, 9.0) as usize;
        let below = format!("from {from:.digits$} s to {to:.digits$} s");
        let panels = vec![self.panel("the whole record", all), self.panel(&below, zoomed)];
        Sheet { title: self.title.to_owned(), panels }.paint(area)
    }
}

/// Columns in which a record too dense for a line is drawn.
const COLUMNS: usize = 1180;

impl BeforeAfter<'_> {
    fn panel(&self, title: &str, samples: Range<usize>) -> Panel {
        let pair = &self.whole;
        let both = pair.before[samples.clone()].iter().chain(&pair.after[samples.clone()]);
        let level = Axis::linear("level", self.unit, span(both.copied()));
        let time = (pair.time(samples.start), pair.time(samples.end - 1));
        let line = |name: &str, pen: Pen, values: &[f64]| {
            let start = pair.time(samples.start);
            let shape = Shape::Line(record_line(start, pair.period_s, &values[samples.clone()]));
            Series { name: name.to_owned(), pen, shape }
        };
        let series =
            vec![line("before", Pen::Light, pair.before), line("after", Pen::Over, pair.after)];
        Panel { series, ..Panel::new(title, Axis::linear("time", "s", time), level) }
    }
}

/// Samples as points of a line, from a time and a period in seconds; of a record too dense for that, the lowest and the highest
/// of every column of a figure.
pub fn record_line(start_s: f64, period_s: f64, values: &[f64]) -> Vec<(f64, f64)> {
    let time = |index: usize| start_s + period_s * index as f64;
    if values.len() <= 2 * COLUMNS {
        return values.iter().enumerate().map(|(index, value)| (time(index), *value)).collect();
    }
    let last = values.len() - 1;
    let column = |k: usize| {
        let at = |k: usize| k * last / COLUMNS;
        // The first sample of the next column is part of this one: nothing comes apart.
        let part = &values[at(k)..=at(k + 1)];
        let low = part.iter().copied().fold(f64::MAX, f64::min);
        let high = part.iter().copied().fold(f64::MIN, f64::max);
        [(time(at(k)), low), (time(at(k)), high)]
    };
    (0..COLUMNS).flat_map(column).chain([(time(last), values[last])]).collect()
}
