//! The response of a notch: asked, designed and rounded.

use crate::FigureError;
use crate::canvas::{Area, Chart, Figure, Panel, failed, pieces};
use crate::style::{FIRST, SECOND, TEMPLATE};
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
    fn paint<B: DrawingBackend>(&self, area: &Area<B>) -> Result<(), FigureError> {
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
        area.drawing.fill(&WHITE).map_err(failed)?;
        let [top, bottom] = area.split_below(400);
        let [left, right] = bottom.split_right_of(640);
        let names = ("frequency in Hz", "gain in dB");
        let panel = |title, x: Range<f64>, y: Range<f64>| Panel {
            title,
            x_name: names.0,
            y_name: names.1,
            x,
            y,
        };
        self.draw_panel(&top, &panel(self.title, 0.0..self.nyquist_hz, FLOOR..6.0))?;
        let reach = 2.2 * (self.edges_hz[1] - self.edges_hz[0]);
        let around =
            (self.center_hz - reach).max(0.0)..(self.center_hz + reach).min(self.nyquist_hz);
        self.draw_panel(&left, &panel("around the null", around, -60.0..4.0))?;
        let pass = panel(
            "pass-band at its own scale",
            0.0..self.nyquist_hz,
            -0.05..0.02,
        );
        self.draw_panel(&right, &pass)?;
        self.legend(&top)
    }
}

impl NotchResponse<'_> {
    fn draw_panel<B: DrawingBackend>(
        &self,
        area: &Area<B>,
        panel: &Panel<'_>,
    ) -> Result<(), FigureError> {
        let mut chart = panel.chart(area)?;
        self.shade(&mut chart, panel)?;
        panel.mesh(area, &mut chart)?;
        let mut draw = |curve: &Curve, color: RGBColor, weight: u32| {
            let points: Vec<(f64, f64)> = curve
                .hertz
                .iter()
                .copied()
                .zip(curve.decibels.iter().copied())
                .filter(|(hertz, _)| (panel.x.start..=panel.x.end).contains(hertz))
                .collect();
            for piece in pieces(&points, &panel.y) {
                let line = LineSeries::new(piece, color.stroke_width(area.px(weight)));
                chart.draw_series(line).map_err(failed)?;
            }
            Ok::<(), FigureError>(())
        };
        draw(self.designed, SECOND, 5)?;
        if let Some(rounded) = self.rounded {
            draw(rounded, FIRST, 2)?;
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
        let x = area.width() - 470;
        let swatch = [area.at(x, 15), area.at(x + 28, 29)];
        area.drawing
            .draw(&Rectangle::new(swatch, TEMPLATE.filled()))
            .map_err(failed)?;
        let name = Text::new("not allowed", area.at(x + 36, 14), area.letters(16));
        area.drawing.draw(&name).map_err(failed)?;
        area.entry((x + 155, 14), "designed", SECOND, 5)?;
        if self.rounded.is_some() {
            area.entry((x + 290, 14), "rounded", FIRST, 2)?;
        }
        Ok(())
    }
}
