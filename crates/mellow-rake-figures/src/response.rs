//! The response of a filter: asked, designed and rounded.

use crate::FigureError;
use crate::canvas::{Area, Chart, Figure, Panel, failed, pieces, straightened};
use crate::style::{FIRST, SECOND, TEMPLATE};
use plotters::prelude::*;

/// Gain over frequency.
#[derive(Debug, Clone, PartialEq)]
pub struct Curve {
    /// Frequencies in hertz, rising.
    pub hertz: Vec<f64>,
    /// Gains in decibels.
    pub decibels: Vec<f64>,
}

/// A region that a curve was asked to stay out of. Ends may be infinite: then it reaches to the edge of the panel.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Region {
    /// From and to, in hertz.
    pub hertz: (f64, f64),
    /// From and to, in decibels.
    pub decibels: (f64, f64),
}

/// What a panel shows.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct View<'a> {
    /// Its title.
    pub title: &'a str,
    /// From and to, in hertz.
    pub hertz: (f64, f64),
    /// From and to, in decibels.
    pub decibels: (f64, f64),
}

/// A filter as asked, as designed and with rounded coefficients: the whole range above, two views below.
#[derive(Debug, Clone)]
pub struct ResponseFigure<'a> {
    /// As designed.
    pub designed: &'a Curve,
    /// With rounded coefficients; `None` before it is quantized.
    pub rounded: Option<&'a Curve>,
    /// Where the curves were asked not to be.
    pub forbidden: &'a [Region],
    /// The whole range, and two closer views.
    pub views: [View<'a>; 3],
}

impl Figure for ResponseFigure<'_> {
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
        for (area, view) in [&top, &left, &right].into_iter().zip(&self.views) {
            let panel = Panel {
                title: view.title,
                x_name: "frequency in Hz",
                y_name: "gain in dB",
                x: view.hertz.0..view.hertz.1,
                y: view.decibels.0..view.decibels.1,
            };
            self.draw_panel(area, &panel)?;
        }
        self.legend(&top)
    }
}

impl ResponseFigure<'_> {
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
            let scale = panel.pixels_per_unit(area);
            let parts = pieces(&points, &panel.y);
            for piece in parts.iter().flat_map(|piece| straightened(piece, scale)) {
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

    fn shade<B: DrawingBackend>(
        &self,
        chart: &mut Chart<'_, B>,
        panel: &Panel<'_>,
    ) -> Result<(), FigureError> {
        for Region { hertz, decibels } in self.forbidden {
            let inside = |x: f64, y: f64| {
                (x.clamp(panel.x.start, panel.x.end), y.clamp(panel.y.start, panel.y.end))
            };
            let corners = [inside(hertz.0, decibels.0), inside(hertz.1, decibels.1)];
            let area = Rectangle::new(corners, TEMPLATE.filled());
            chart.draw_series(std::iter::once(area)).map_err(failed)?;
        }
        Ok(())
    }

    /// In the line of the title, clear of all curves.
    fn legend<B: DrawingBackend>(&self, area: &Area<B>) -> Result<(), FigureError> {
        let x = area.width() - 470;
        if !self.forbidden.is_empty() {
            let swatch = [area.at(x, 7), area.at(x + 28, 19)];
            area.drawing.draw(&Rectangle::new(swatch, TEMPLATE.filled())).map_err(failed)?;
            let name = Text::new("not allowed", area.at(x + 36, 5), area.letters(16));
            area.drawing.draw(&name).map_err(failed)?;
        }
        area.entry((x + 155, 5), "designed", SECOND, 5)?;
        if self.rounded.is_some() {
            area.entry((x + 290, 5), "rounded", FIRST, 2)?;
        }
        Ok(())
    }
}
