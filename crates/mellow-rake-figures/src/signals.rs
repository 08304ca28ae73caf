//! A signal before and after a filter, in time.

use crate::FigureError;
use crate::canvas::{Area, Figure, Panel, failed};
use crate::style::{FIRST, FONT, INK, SECOND};
use plotters::coord::Shift;
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
    let (low, high) = values.fold((f64::MAX, f64::MIN), |(low, high), v| {
        (low.min(v), high.max(v))
    });
    let air = 0.06 * (high - low).max(1e-12);
    low - air..high + air
}

impl Figure for BeforeAfter<'_> {
    fn paint<B: DrawingBackend>(&self, area: &DrawingArea<B, Shift>) -> Result<(), FigureError> {
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
        area.fill(&WHITE).map_err(failed)?;
        let (top, bottom) = area.split_vertically(370);
        self.panel(&top, self.title, all)?;
        let (from, to) = self.zoom;
        let title = format!("the same, {from:.2} s to {to:.2} s");
        self.panel(&bottom, &title, zoomed)
    }
}

impl BeforeAfter<'_> {
    fn panel<B: DrawingBackend>(
        &self,
        area: &Area<B>,
        title: &str,
        samples: std::ops::Range<usize>,
    ) -> Result<(), FigureError> {
        let pair = &self.whole;
        let both = pair.before[samples.clone()]
            .iter()
            .chain(&pair.after[samples.clone()]);
        let panel = Panel {
            title,
            x_name: "time in s",
            y_name: &format!("level in {}", self.unit),
            x: pair.time(samples.start)..pair.time(samples.end - 1),
            y: span(both.copied()),
        };
        let mut chart = panel.chart(area)?;
        panel.mesh(&mut chart)?;
        let dense = samples.len() > 2000;
        let curves = [
            (pair.before, SECOND, "before", 1),
            (pair.after, FIRST, "after", if dense { 1 } else { 2 }),
        ];
        for (values, color, _, weight) in curves {
            let points = samples
                .clone()
                .map(|index| (pair.time(index), values[index]));
            chart
                .draw_series(LineSeries::new(points, color.stroke_width(weight)))
                .map_err(failed)?;
        }
        // The legend stands above the curves, in the line of the title.
        let width = area.dim_in_pixel().0 as i32;
        for (place, (_, color, name, weight)) in curves.into_iter().enumerate() {
            let x = width - 250 + 115 * place as i32;
            area.draw(&PathElement::new(
                vec![(x, 22), (x + 30, 22)],
                color.stroke_width(weight + 1),
            ))
            .map_err(failed)?;
            let style = (FONT, 16).into_font().color(&INK);
            area.draw(&Text::new(name, (x + 38, 14), style))
                .map_err(failed)?;
        }
        Ok(())
    }
}
