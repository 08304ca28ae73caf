//! A sheet of panels: curves, stems, roots and bands of any filters on common axes.

use crate::FigureError;
use crate::axis::{Axis, Scale};
use crate::canvas::{Area, Figure, failed};
use crate::lines::{between, pieces, straightened};
use crate::style::{GRID, INK, Pen, TEMPLATE, heat};
use plotters::chart::{ChartBuilder, ChartContext};
use plotters::prelude::*;

/// A region that a curve was asked to stay out of, in the units of the axes. Ends may be infinite: then it
/// reaches to the edge of the panel.
#[derive(Debug, Clone, Copy, PartialEq, serde::Serialize)]
pub struct Region {
    /// From and to, along x.
    pub x: (f64, f64),
    /// From and to, along y.
    pub y: (f64, f64),
}

/// What is drawn of a series of points.
#[derive(Debug, Clone, PartialEq, serde::Serialize)]
pub enum Shape {
    /// Straight lines between points with rising x.
    Line(Vec<(f64, f64)>),
    /// A stem from zero, or from the foot of the panel, to each point.
    Stems(Vec<(f64, f64)>),
    /// A circle at each point, with how often it is there.
    Zeros(Vec<(f64, f64, usize)>),
    /// A cross at each point, with how often it is there.
    Poles(Vec<(f64, f64, usize)>),
    /// The stretch between two levels at each x.
    Band(Vec<(f64, f64, f64)>),
    /// A dot at each point.
    Dots(Vec<(f64, f64)>),
    /// Cells side by side along x, each column of as many cells from low to high y, coloured by their values:
    /// the darker, the higher.
    Cells(Cells),
}

/// Values over a field of even cells.
#[derive(Debug, Clone, PartialEq, serde::Serialize)]
pub struct Cells {
    /// From where to where the columns reach together, along x.
    pub x: (f64, f64),
    /// From where to where the cells of a column reach together, along y.
    pub y: (f64, f64),
    /// Column by column, from low to high y; all columns are equally long.
    pub columns: Vec<Vec<f64>>,
    /// What is as light and as dark as can be.
    pub range: (f64, f64),
}

/// Something drawn in a panel.
#[derive(Debug, Clone, PartialEq, serde::Serialize)]
pub struct Series {
    /// Its name in the legend; empty for none. Series of one name in several panels share an entry.
    pub name: String,
    /// How it is drawn.
    pub pen: Pen,
    /// What is drawn.
    pub shape: Shape,
}

/// One panel.
#[derive(Debug, Clone, PartialEq, serde::Serialize)]
pub struct Panel {
    /// Its title.
    pub title: String,
    /// The axis to the right.
    pub x: Axis,
    /// The axis upward.
    pub y: Axis,
    /// Where the curves were asked not to be.
    pub forbidden: Vec<Region>,
    /// What is drawn, the later over the earlier.
    pub series: Vec<Series>,
    /// Whether a unit takes the same length along both axes, with a circle of radius 1.
    pub has_circle: bool,
    /// Words in the middle of the panel, as where there is nothing to draw.
    pub note: String,
}

impl Panel {
    /// A panel with nothing in it yet.
    pub fn new(title: &str, x: Axis, y: Axis) -> Self {
        Panel {
            title: title.to_owned(),
            x,
            y,
            forbidden: Vec::new(),
            series: Vec::new(),
            has_circle: false,
            note: String::new(),
        }
    }
}

/// Up to nine panels with a title and one legend.
///
/// ```
/// use mellow_rake_figures::{Axis, Format, Panel, Pen, Series, Shape, Sheet, draw};
/// let points = (0..100).map(|k| (f64::from(k), -f64::from(k) / 5.0)).collect();
/// let gain = Series { name: "slope".to_owned(), pen: Pen::Rank(0), shape: Shape::Line(points) };
/// let axes = (Axis::linear("frequency", "Hz", (0.0, 99.0)), Axis::linear("gain", "dB", (-20.0, 0.0)));
/// let panel = Panel { series: vec![gain], ..Panel::new("a slope", axes.0, axes.1) };
/// let sheet = Sheet { title: "buoy".to_owned(), panels: vec![panel] };
/// assert!(draw(&sheet, Format::Svg)?.starts_with(b"<svg"));
/// # Ok::<(), mellow_rake_figures::FigureError>(())
/// ```
#[derive(Debug, Clone, PartialEq, serde::Serialize)]
pub struct Sheet {
    /// What it shows.
    pub title: String,
    /// The panels, row by row.
    pub panels: Vec<Panel>,
}

/// How many panels stand in each row.
fn rows(count: usize) -> &'static [usize] {
    match count {
        0 | 1 => &[1],
        2 => &[1, 1],
        3 => &[1, 2],
        4 => &[2, 2],
        5 => &[2, 3],
        6 => &[3, 3],
        7 => &[2, 2, 3],
        8 => &[2, 3, 3],
        _ => &[3, 3, 3],
    }
}

/// The most panels of a sheet.
pub const MOST_PANELS: usize = 9;
/// The height of a line of the head, in pixels.
const HEAD: u32 = 28;

type Chart<'a, B> = ChartContext<'a, B, Cartesian2d<Scale, Scale>>;

fn bad(what: &'static str) -> FigureError {
    FigureError::Data { figure: "sheet", what }
}

impl Figure for Sheet {
    fn paint<B: DrawingBackend>(&self, area: &Area<B>) -> Result<(), FigureError> {
        if self.panels.is_empty() || self.panels.len() > MOST_PANELS {
            return Err(bad("a sheet has one to nine panels"));
        }
        for panel in &self.panels {
            panel.check()?;
        }
        area.drawing.fill(&WHITE).map_err(failed)?;
        let head = self.head(area)?;
        let [_, rest] = area.split_below(head);
        let rows = rows(self.panels.len());
        let height = rest.height() as u32 / rows.len() as u32;
        let mut panels = self.panels.iter();
        let mut below = rest;
        for &columns in rows {
            let [row, next] = below.split_below(height);
            below = next;
            let width = row.width() as u32 / columns as u32;
            let mut right = row;
            for _ in 0..columns {
                let [cell, next] = right.split_right_of(width);
                right = next;
                if let Some(panel) = panels.next() {
                    panel.paint(&cell)?;
                }
            }
        }
        Ok(())
    }
}

impl Sheet {
    /// Title and legend; how high they are, in pixels.
    fn head<B: DrawingBackend>(&self, area: &Area<B>) -> Result<u32, FigureError> {
        let title = Text::new(self.title.clone(), area.at(12, 5), area.bold_letters(19));
        area.drawing.draw(&title).map_err(failed)?;
        let mut entries: Vec<(&str, Option<&Series>)> = Vec::new();
        for panel in &self.panels {
            if !panel.forbidden.is_empty() && !entries.iter().any(|entry| entry.1.is_none()) {
                entries.push(("not allowed", None));
            }
            for series in &panel.series {
                let known = |entry: &(&str, Option<&Series>)| entry.0 == series.name;
                if !series.name.is_empty() && !entries.iter().any(known) {
                    entries.push((&series.name, Some(series)));
                }
            }
        }
        let width = |name: &str| 38 + area.width_of(name, 16) + 22;
        // Beside the title if there is room, else on lines of their own.
        let all: i32 = entries.iter().map(|(name, _)| width(name)).sum();
        let free = area.width() - 24 - area.width_of(&self.title, 19) - 30;
        let (mut x, mut y) =
            if all <= free { (area.width() - all, 5) } else { (14, 5 + HEAD as i32) };
        for (name, series) in entries {
            if x + width(name) > area.width() && x > 14 {
                (x, y) = (14, y + HEAD as i32 - 4);
            }
            let swatch = [area.at(x, y + 2), area.at(x + 28, y + 14)];
            match series {
                None => area.drawing.draw(&Rectangle::new(swatch, TEMPLATE.filled())),
                Some(series) => series.sample(area, (x, y + 8)),
            }
            .map_err(failed)?;
            let name_at = Text::new(name.to_owned(), area.at(x + 36, y), area.letters(16));
            area.drawing.draw(&name_at).map_err(failed)?;
            x += width(name);
        }
        Ok((y + HEAD as i32 - 3) as u32)
    }
}

impl Series {
    /// A piece of it for the legend.
    fn sample<B: DrawingBackend>(
        &self,
        area: &Area<B>,
        (x, y): (i32, i32),
    ) -> Result<(), DrawingAreaErrorKind<B::ErrorType>> {
        let (color, weight, dash) = self.pen.stroke();
        let middle = area.at(x + 15, y);
        let ends = vec![area.at(x, y), area.at(x + 30, y)];
        let style = color.stroke_width(area.px(weight));
        match (&self.shape, dash) {
            (Shape::Zeros(_), _) => {
                area.drawing.draw(&Circle::new(middle, area.px(5), color.stroke_width(area.px(2))))
            }
            (Shape::Poles(_), _) => {
                area.drawing.draw(&Cross::new(middle, area.px(5), color.stroke_width(area.px(2))))
            }
            (Shape::Dots(_), _) => {
                area.drawing.draw(&Circle::new(middle, area.px(3), color.filled()))
            }
            (Shape::Cells(_), _) => {
                for step in 0..14 {
                    let left = x + 2 * step;
                    let corners = [area.at(left, y - 6), area.at(left + 2, y + 6)];
                    let shade = heat(f64::from(step) / 13.0);
                    area.drawing.draw(&Rectangle::new(corners, shade.filled()))?;
                }
                Ok(())
            }
            (Shape::Band(_), _) => {
                let corners = [area.at(x, y - 6), area.at(x + 28, y + 6)];
                area.drawing.draw(&Rectangle::new(corners, lighter(color).filled()))
            }
            (_, Some((on, off))) => {
                let (on, off) = (area.px(on), area.px(off));
                area.drawing.draw(&plotters::element::DashedPathElement::new(ends, on, off, style))
            }
            (_, None) => area.drawing.draw(&PathElement::new(ends, style)),
        }
    }

    fn values(&self) -> Box<dyn Iterator<Item = f64> + '_> {
        match &self.shape {
            Shape::Line(points) | Shape::Stems(points) | Shape::Dots(points) => {
                Box::new(points.iter().flat_map(|(x, y)| [*x, *y]))
            }
            Shape::Cells(Cells { x, y, columns, range }) => {
                let ends = [x.0, x.1, y.0, y.1, range.0, range.1];
                Box::new(ends.into_iter().chain(columns.iter().flatten().copied()))
            }
            Shape::Zeros(points) | Shape::Poles(points) => {
                Box::new(points.iter().flat_map(|(x, y, _)| [*x, *y]))
            }
            Shape::Band(points) => Box::new(points.iter().flat_map(|(x, a, b)| [*x, *a, *b])),
        }
    }
}

/// Shades that cells are told apart by.
const SHADES: f64 = 24.0;

impl Cells {
    fn is_sound(&self) -> bool {
        let rows = self.columns.first().map_or(0, Vec::len);
        let rises = |(from, to): (f64, f64)| from < to && from.is_finite() && to.is_finite();
        rows > 0
            && self.columns.iter().all(|column| column.len() == rows)
            && [self.x, self.y, self.range].into_iter().all(rises)
    }

    /// The cells with their shade from 0 to 1; neighbours of one shade in a column as one.
    fn fields(&self) -> Vec<([(f64, f64); 2], f64)> {
        let (low, high) = self.range;
        let shade = |value: f64| ((value - low) / (high - low)).clamp(0.0, 1.0) * SHADES;
        let rows = self.columns.first().map_or(1, Vec::len);
        let place =
            |(from, to): (f64, f64), k: usize, of: usize| from + (to - from) * k as f64 / of as f64;
        let mut fields = Vec::new();
        for (index, column) in self.columns.iter().enumerate() {
            let (left, right) = (
                place(self.x, index, self.columns.len()),
                place(self.x, index + 1, self.columns.len()),
            );
            let shades: Vec<f64> = column.iter().map(|value| shade(*value).round()).collect();
            let mut row = 0;
            for run in shades.chunk_by(|a, b| a == b) {
                let (from, to) = (place(self.y, row, rows), place(self.y, row + run.len(), rows));
                fields.push(([(left, from), (right, to)], run[0] / SHADES));
                row += run.len();
            }
        }
        fields
    }
}

/// The colour of a band: whole, so that it looks the same over anything.
fn lighter(color: RGBColor) -> RGBColor {
    let light = |v: u8| 255 - ((255 - u16::from(v)) * 2 / 5) as u8;
    RGBColor(light(color.0), light(color.1), light(color.2))
}

impl Panel {
    pub(crate) fn check(&self) -> Result<(), FigureError> {
        if !self.x.is_sound() || !self.y.is_sound() {
            return Err(bad("an axis has no range"));
        }
        if self.series.iter().any(|series| series.values().any(f64::is_nan)) {
            return Err(bad("a point is not a number"));
        }
        let is_ragged =
            |series: &Series| matches!(&series.shape, Shape::Cells(cells) if !cells.is_sound());
        if self.series.iter().any(is_ragged) {
            return Err(bad(
                "a field of cells has no cells, columns of several lengths, or no extent",
            ));
        }
        let is_short = |series: &Series| matches!(&series.shape, Shape::Line(p) if p.len() < 2);
        if self.series.iter().any(is_short) {
            return Err(bad("a curve has no points"));
        }
        Ok(())
    }

    /// Both axes with a unit of the same length on both.
    fn with_equal_units(&self, (width, height): (f64, f64)) -> (Axis, Axis) {
        let (mut x, mut y) = (self.x.clone(), self.y.clone());
        let per_pixel = |range: (f64, f64), pixels: f64| (range.1 - range.0) / pixels;
        let most = per_pixel(x.range, width).max(per_pixel(y.range, height));
        for (axis, pixels) in [(&mut x, width), (&mut y, height)] {
            let (middle, half) = (f64::midpoint(axis.range.0, axis.range.1), most * pixels / 2.0);
            axis.range = (middle - half, middle + half);
        }
        (x, y)
    }

    fn paint<B: DrawingBackend>(&self, area: &Area<B>) -> Result<(), FigureError> {
        // Title, margins and labels around the panel proper.
        let inner = (f64::from(area.width() - 104), f64::from(area.height() - 88));
        let (x, y) = if self.has_circle {
            self.with_equal_units(inner)
        } else {
            (self.x.clone(), self.y.clone())
        };
        let ticks = [x.ticks((inner.0 / 60.0) as usize), y.ticks((inner.1 / 32.0) as usize)];
        let scale = |axis: &Axis, ticks: &[(f64, String)]| Scale {
            range: axis.places(),
            ticks: ticks.iter().map(|(place, _)| *place).collect(),
        };
        let mut chart = ChartBuilder::on(&area.drawing)
            .caption(&self.title, area.letters(18))
            .margin(area.px(6))
            .margin_right(area.px(22))
            .x_label_area_size(area.px(44))
            .y_label_area_size(area.px(70))
            .build_cartesian_2d(scale(&x, &ticks[0]), scale(&y, &ticks[1]))
            .map_err(failed)?;
        for region in &self.forbidden {
            let inside = |x_at: f64, y_at: f64| {
                let clamp = |axis: &Axis, v: f64| axis.place(v.clamp(axis.range.0, axis.range.1));
                (clamp(&x, x_at), clamp(&y, y_at))
            };
            let corners = [inside(region.x.0, region.y.0), inside(region.x.1, region.y.1)];
            let shade = Rectangle::new(corners, TEMPLATE.filled());
            chart.draw_series(std::iter::once(shade)).map_err(failed)?;
        }
        let written = |ticks: &[(f64, String)], place: f64| {
            let found = ticks.iter().find(|(at, _)| *at == place);
            found.map_or(String::new(), |(_, text)| text.clone())
        };
        chart
            .configure_mesh()
            .x_desc(x.title())
            .y_desc(y.title())
            .x_label_formatter(&|at| written(&ticks[0], *at))
            .y_label_formatter(&|at| written(&ticks[1], *at))
            .x_labels(ticks[0].len().max(1))
            .y_labels(ticks[1].len().max(1))
            .light_line_style(TRANSPARENT)
            .bold_line_style(GRID.stroke_width(area.px(1)))
            .axis_style(INK.stroke_width(area.px(1)))
            .set_all_tick_mark_size(area.px(5))
            .label_style(area.letters(15))
            .axis_desc_style(area.letters(16))
            .draw()
            .map_err(failed)?;
        if self.has_circle {
            // The upper and the lower half, each with rising x, as fine as the panel is close.
            let (xs, ys) = (x.places(), y.places());
            let (left, right) = (xs.start.max(-1.0), xs.end.min(1.0));
            for sign in [1.0, -1.0] {
                // Even steps of angle between the ends.
                let (from, to) = (left.clamp(-1.0, 1.0).acos(), right.clamp(-1.0, 1.0).acos());
                let angle = |k: i32| from + (to - from) * f64::from(k) / 720.0;
                let half: Vec<(f64, f64)> =
                    (0..=720).map(|k| (angle(k).cos(), sign * angle(k).sin())).collect();
                for piece in pieces(&between(&half, &xs), &ys) {
                    let line = LineSeries::new(piece, INK.stroke_width(area.px(1)));
                    chart.draw_series(line).map_err(failed)?;
                }
            }
        }
        for series in &self.series {
            series.paint(area, &mut chart, (&x, &y))?;
        }
        if !self.note.is_empty() {
            let (xs, ys) = (x.places(), y.places());
            let middle = (f64::midpoint(xs.start, xs.end), f64::midpoint(ys.start, ys.end));
            let words = area.letters(16).pos(plotters::style::text_anchor::Pos::new(
                plotters::style::text_anchor::HPos::Center,
                plotters::style::text_anchor::VPos::Center,
            ));
            let note = Text::new(self.note.clone(), middle, words);
            chart.draw_series(std::iter::once(note)).map_err(failed)?;
        }
        Ok(())
    }
}

impl Series {
    fn paint<B: DrawingBackend>(
        &self,
        area: &Area<B>,
        chart: &mut Chart<'_, B>,
        (x, y): (&Axis, &Axis),
    ) -> Result<(), FigureError> {
        let (xs, ys) = (x.places(), y.places());
        let (color, weight, dash) = self.pen.stroke();
        let style = color.stroke_width(area.px(weight));
        let placed = |(px, py): &(f64, f64)| (x.place(*px), y.place(*py));
        let is_inside = |(px, py): &(f64, f64)| {
            (xs.start..=xs.end).contains(px) && (ys.start..=ys.end).contains(py)
        };
        match &self.shape {
            Shape::Line(points) => {
                let (width, height) = area.drawing.dim_in_pixel();
                let scale = (
                    f64::from(width) / (xs.end - xs.start),
                    f64::from(height) / (ys.end - ys.start),
                );
                let points: Vec<(f64, f64)> = points.iter().map(placed).collect();
                let points = between(&points, &xs);
                let parts = pieces(&points, &ys);
                for piece in parts.iter().flat_map(|piece| straightened(piece, scale)) {
                    match dash {
                        None => chart.draw_series(LineSeries::new(piece, style)).map_err(failed)?,
                        Some((on, off)) => {
                            let (on, off) = (area.px(on), area.px(off));
                            let line = DashedLineSeries::new(piece, on, off, style);
                            chart.draw_series(line).map_err(failed)?
                        }
                    };
                }
            }
            Shape::Stems(points) => {
                // From zero; where zero is not in sight, from the foot of the panel.
                let is_seen = !y.is_logarithmic && y.range.0 <= 0.0 && y.range.1 >= 0.0;
                let foot = if is_seen { 0.0 } else { ys.start };
                let shown = points.iter().map(placed).filter(|(px, _)| xs.contains(px));
                let shown: Vec<(f64, f64)> =
                    shown.map(|(px, py)| (px, py.clamp(ys.start, ys.end))).collect();
                let thin = color.stroke_width(area.px(weight.min(2)));
                let stems =
                    shown.iter().map(|&point| PathElement::new(vec![(point.0, foot), point], thin));
                chart.draw_series(stems).map_err(failed)?;
                let size = area.px(if weight > 3 { 5 } else { 3 });
                let heads = shown.iter().map(|&point| Circle::new(point, size, color.filled()));
                chart.draw_series(heads).map_err(failed)?;
            }
            Shape::Zeros(points) | Shape::Poles(points) => {
                let is_zero = matches!(self.shape, Shape::Zeros(_));
                let line = color.stroke_width(area.px(2));
                let size = area.px(if weight > 3 { 7 } else { 5 });
                let shown = points.iter().map(|(px, py, times)| (placed(&(*px, *py)), *times));
                for (point, times) in shown.filter(|(point, _)| is_inside(point)) {
                    if is_zero {
                        let mark = Circle::new(point, size, line);
                        chart.draw_series(std::iter::once(mark)).map_err(failed)?;
                    } else {
                        let mark = Cross::new(point, size, line);
                        chart.draw_series(std::iter::once(mark)).map_err(failed)?;
                    }
                    if times > 1 {
                        let beside = EmptyElement::at(point)
                            + Text::new(times.to_string(), area.at(8, -16), area.letters(14));
                        chart.draw_series(std::iter::once(beside)).map_err(failed)?;
                    }
                }
            }
            Shape::Dots(points) => {
                let shown = points.iter().map(placed).filter(is_inside);
                let dots = shown.map(|point| Circle::new(point, area.px(2), color.filled()));
                chart.draw_series(dots).map_err(failed)?;
            }
            Shape::Cells(cells) => {
                let inside =
                    |(px, py): (f64, f64)| (px.clamp(xs.start, xs.end), py.clamp(ys.start, ys.end));
                let fields = cells.fields().into_iter().map(|([from, to], shade)| {
                    let corners = [inside(placed(&from)), inside(placed(&to))];
                    Rectangle::new(corners, heat(shade).filled())
                });
                chart.draw_series(fields).map_err(failed)?;
            }
            Shape::Band(points) => {
                let clamp = |v: f64| y.place(v.clamp(y.range.0, y.range.1));
                let inside: Vec<(f64, f64, f64)> = points
                    .iter()
                    .map(|(px, low, high)| (x.place(*px), clamp(*low), clamp(*high)))
                    .filter(|(px, ..)| (xs.start..=xs.end).contains(px))
                    .collect();
                let there = inside.iter().map(|(px, low, _)| (*px, *low));
                let back = inside.iter().rev().map(|(px, _, high)| (*px, *high));
                let outline: Vec<(f64, f64)> = there.chain(back).collect();
                let band = Polygon::new(outline, lighter(color).filled());
                chart.draw_series(std::iter::once(band)).map_err(failed)?;
            }
        }
        Ok(())
    }
}
