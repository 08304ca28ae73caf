//! The response of a notch: asked, designed and rounded.

use crate::FigureError;
use crate::canvas::{Area, Chart, Figure, Panel, failed};
use crate::style::{FIRST, FONT, INK, MARK, SECOND, TEMPLATE};
use plotters::coord::Shift;
use plotters::prelude::*;
use std::ops::Range;

/// Gain over frequency.
#[derive(Debug, Clone, PartialEq)]
pub struct Curve {
    /// Frequencies in hertz, rising.
    pub hertz: Vec<f64>,
    /// Gains in decibels.
    pub decibels: Vec<f64>,
}

/// A notch as asked, as designed and with rounded coefficients.
#[derive(Debug, Clone)]
pub struct NotchResponse<'a> {
    /// What the filter is.
    pub title: &'a str,
    /// As designed.
    pub designed: &'a Curve,
    /// With rounded coefficients; `None` before it is quantized.
    pub rounded: Option<&'a Curve>,
    /// The −3 dB points asked for, in hertz.
    pub edges_hz: [f64; 2],
    /// The null asked for, in hertz.
    pub center_hz: f64,
    /// Half the sample rate, in hertz.
    pub nyquist_hz: f64,
}

/// How deep the figure goes, in decibels.
const FLOOR: f64 = -90.0;
/// Half power, in decibels.
const HALF_POWER: f64 = -3.010_299_956_639_812;

impl Figure for NotchResponse<'_> {
    fn paint<B: DrawingBackend>(&self, area: &DrawingArea<B, Shift>) -> Result<(), FigureError> {
        let curves = std::iter::once(self.designed).chain(self.rounded);
        for curve in curves {
            if curve.hertz.len() < 2 || curve.hertz.len() != curve.decibels.len() {
                return Err(FigureError::Data {
                    figure: "response",
                    what: "a curve has no points",
                });
            }
            if curve.hertz.iter().any(|v| !v.is_finite())
                || curve.decibels.iter().any(|v| v.is_nan())
            {
                return Err(FigureError::Data {
                    figure: "response",
                    what: "a point is not a number",
                });
            }
        }
        area.fill(&WHITE).map_err(failed)?;
        let (top, bottom) = area.split_vertically(420);
        let (left, right) = bottom.split_horizontally(640);
        let names = ("frequency in Hz", "gain in dB");
        let panel = |title, x: Range<f64>, y: Range<f64>| Panel {
            title,
            x_name: names.0,
            y_name: names.1,
            x,
            y,
        };
        self.draw_panel(
            &top,
            &panel(self.title, 0.0..self.nyquist_hz, FLOOR..6.0),
            true,
        )?;
        let reach = 2.2 * (self.edges_hz[1] - self.edges_hz[0]);
        let around =
            (self.center_hz - reach).max(0.0)..(self.center_hz + reach).min(self.nyquist_hz);
        self.draw_panel(&left, &panel("around the null", around, -40.0..3.0), false)?;
        let pass = panel(
            "pass-band at its own scale",
            0.0..self.nyquist_hz,
            -0.05..0.02,
        );
        self.draw_panel(&right, &pass, false)?;
        self.legend(&top)
    }
}

impl NotchResponse<'_> {
    fn draw_panel<B: DrawingBackend>(
        &self,
        area: &Area<B>,
        panel: &Panel<'_>,
        mark: bool,
    ) -> Result<(), FigureError> {
        let mut chart = panel.chart(area)?;
        self.shade(&mut chart, panel)?;
        panel.mesh(&mut chart)?;
        let clip = |curve: &Curve| -> Vec<(f64, f64)> {
            let air = panel.y.end - panel.y.start;
            curve
                .hertz
                .iter()
                .zip(&curve.decibels)
                .filter(|(hertz, _)| panel.x.contains(*hertz))
                .map(|(hertz, db)| (*hertz, db.clamp(panel.y.start - air, panel.y.end)))
                .collect()
        };
        let style = SECOND.stroke_width(5);
        chart
            .draw_series(LineSeries::new(clip(self.designed), style))
            .map_err(failed)?;
        if let Some(rounded) = self.rounded {
            let style = FIRST.stroke_width(2);
            chart
                .draw_series(LineSeries::new(clip(rounded), style))
                .map_err(failed)?;
        }
        if mark {
            let at = [
                (self.center_hz, panel.y.start),
                (self.center_hz, panel.y.end),
            ];
            let dashes = DashedLineSeries::new(at, 3, 5, MARK.stroke_width(1));
            chart.draw_series(dashes).map_err(failed)?;
        }
        Ok(())
    }

    /// The regions that the asked −3 dB points keep the curve out of: below them outside, above them between.
    fn shade<B: DrawingBackend>(
        &self,
        chart: &mut Chart<'_, B>,
        panel: &Panel<'_>,
    ) -> Result<(), FigureError> {
        let [low, high] = self.edges_hz;
        let boxes = [
            [(panel.x.start, panel.y.start), (low, HALF_POWER)],
            [(high, panel.y.start), (panel.x.end, HALF_POWER)],
            [(low, HALF_POWER), (high, panel.y.end)],
        ];
        for [from, to] in boxes {
            let inside = |(x, y): (f64, f64)| {
                (
                    x.clamp(panel.x.start, panel.x.end),
                    y.clamp(panel.y.start, panel.y.end),
                )
            };
            let area = Rectangle::new([inside(from), inside(to)], TEMPLATE.filled());
            chart.draw_series(std::iter::once(area)).map_err(failed)?;
        }
        Ok(())
    }

    /// In the line of the title, clear of all curves.
    fn legend<B: DrawingBackend>(&self, area: &Area<B>) -> Result<(), FigureError> {
        let style = (FONT, 16).into_font().color(&INK);
        let mut x = area.dim_in_pixel().0 as i32 - 470;
        area.draw(&Rectangle::new([(x, 15), (x + 28, 29)], TEMPLATE.filled()))
            .map_err(failed)?;
        area.draw(&Text::new("not allowed", (x + 36, 14), style.clone()))
            .map_err(failed)?;
        x += 155;
        area.draw(&PathElement::new(
            vec![(x, 22), (x + 30, 22)],
            SECOND.stroke_width(5),
        ))
        .map_err(failed)?;
        area.draw(&Text::new("designed", (x + 38, 14), style.clone()))
            .map_err(failed)?;
        if self.rounded.is_some() {
            x += 135;
            area.draw(&PathElement::new(
                vec![(x, 22), (x + 30, 22)],
                FIRST.stroke_width(2),
            ))
            .map_err(failed)?;
            area.draw(&Text::new("rounded", (x + 38, 14), style))
                .map_err(failed)?;
        }
        Ok(())
    }
}
