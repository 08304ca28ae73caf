//! From a figure to bytes.

use crate::FigureError;
use crate::style::{FONT, GRID, INK, load_font, tick};
use plotters::chart::{ChartBuilder, ChartContext};
use plotters::coord::Shift;
use plotters::coord::types::RangedCoordf64;
use plotters::prelude::*;
use std::ops::Range;

/// Width and height in pixels.
const SIZE: (u32, u32) = (1280, 800);

/// What a picture is encoded as.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Format {
    /// Portable network graphics, 1280 by 800 pixels.
    Png,
    /// Scalable vector graphics.
    Svg,
}

/// Pixels are drawn three times as fine in each direction and then averaged: smooth lines and even letters.
const FINE: u32 = 3;

/// The drawing area of any backend, and how many of its pixels are one of the picture.
pub struct Area<B: DrawingBackend> {
    pub(crate) drawing: DrawingArea<B, Shift>,
    fine: u32,
}

impl<B: DrawingBackend> Area<B> {
    /// A length in pixels of the picture.
    pub(crate) fn px(&self, length: u32) -> u32 {
        length * self.fine
    }

    /// A coordinate in pixels of the picture.
    pub(crate) fn at(&self, x: i32, y: i32) -> (i32, i32) {
        (x * self.fine as i32, y * self.fine as i32)
    }

    /// Width in pixels of the picture.
    pub(crate) fn width(&self) -> i32 {
        (self.drawing.dim_in_pixel().0 / self.fine) as i32
    }

    /// The parts above and below a height in pixels of the picture.
    pub(crate) fn split_below(&self, height: u32) -> [Self; 2] {
        let (upper, lower) = self.drawing.split_vertically(self.px(height));
        [upper, lower].map(|drawing| Area { drawing, fine: self.fine })
    }

    /// The parts left and right of a width in pixels of the picture.
    pub(crate) fn split_right_of(&self, width: u32) -> [Self; 2] {
        let (left, right) = self.drawing.split_horizontally(self.px(width));
        [left, right].map(|drawing| Area { drawing, fine: self.fine })
    }

    /// Letters of a height in pixels of the picture.
    pub(crate) fn letters(&self, height: u32) -> TextStyle<'static> {
        (FONT, self.px(height)).into_font().color(&INK)
    }

    /// An entry of a legend: a piece of line and a name, at a place in pixels of the picture.
    pub(crate) fn entry(
        &self,
        (x, y): (i32, i32),
        name: &str,
        color: RGBColor,
        weight: u32,
    ) -> Result<(), FigureError> {
        let line = vec![self.at(x, y + 8), self.at(x + 30, y + 8)];
        let line = PathElement::new(line, color.stroke_width(self.px(weight)));
        self.drawing.draw(&line).map_err(failed)?;
        let name = Text::new(name.to_owned(), self.at(x + 38, y), self.letters(16));
        self.drawing.draw(&name).map_err(failed)
    }
}

/// A chart with two linear axes.
pub(crate) type Chart<'a, B> = ChartContext<'a, B, Cartesian2d<RangedCoordf64, RangedCoordf64>>;

/// Something that can be drawn.
pub trait Figure {
    /// Draws on any backend.
    ///
    /// # Errors
    /// [`FigureError`] for data that cannot be drawn.
    #[doc(hidden)]
    fn paint<B: DrawingBackend>(&self, area: &Area<B>) -> Result<(), FigureError>;
}

/// Draws a figure.
///
/// # Errors
/// [`FigureError`] for empty data or numbers that are not finite.
pub fn draw<F: Figure>(figure: &F, format: Format) -> Result<Vec<u8>, FigureError> {
    load_font();
    match format {
        Format::Svg => {
            let mut text = String::new();
            let drawing = SVGBackend::with_string(&mut text, SIZE).into_drawing_area();
            figure.paint(&Area { drawing, fine: 1 })?;
            Ok(text.into_bytes())
        }
        Format::Png => {
            let size = (FINE * SIZE.0, FINE * SIZE.1);
            let mut pixels = vec![255; 3 * (size.0 * size.1) as usize];
            let drawing = BitMapBackend::with_buffer(&mut pixels, size).into_drawing_area();
            figure.paint(&Area { drawing, fine: FINE })?;
            let mut bytes = Vec::new();
            let mut encoder = png::Encoder::new(&mut bytes, SIZE.0, SIZE.1);
            encoder.set_color(png::ColorType::Rgb);
            encoder.set_depth(png::BitDepth::Eight);
            let mut writer = encoder.write_header()?;
            writer.write_image_data(&averaged(&pixels))?;
            writer.finish()?;
            Ok(bytes)
        }
    }
}

/// Every square of fine pixels as their mean.
fn averaged(pixels: &[u8]) -> Vec<u8> {
    let (width, height, fine) = (SIZE.0 as usize, SIZE.1 as usize, FINE as usize);
    let mut out = Vec::with_capacity(3 * width * height);
    for y in 0..height {
        for x in 0..width {
            for channel in 0..3 {
                let mut sum = 0u32;
                for row in y * fine..(y + 1) * fine {
                    for column in x * fine..(x + 1) * fine {
                        sum += u32::from(pixels[3 * (row * width * fine + column) + channel]);
                    }
                }
                out.push((sum / (FINE * FINE)) as u8);
            }
        }
    }
    out
}

/// Any failure of the drawing library.
pub(crate) fn failed<E: std::error::Error + Send + Sync>(
    error: DrawingAreaErrorKind<E>,
) -> FigureError {
    FigureError::Drawing(error.to_string())
}

/// One panel.
pub(crate) struct Panel<'a> {
    pub(crate) title: &'a str,
    pub(crate) x_name: &'a str,
    pub(crate) y_name: &'a str,
    pub(crate) x: Range<f64>,
    pub(crate) y: Range<f64>,
}

impl Panel<'_> {
    /// About how many pixels a unit of x and of y takes.
    pub(crate) fn pixels_per_unit<B: DrawingBackend>(&self, area: &Area<B>) -> (f64, f64) {
        let (width, height) = area.drawing.dim_in_pixel();
        let per_unit =
            |range: &Range<f64>, pixels: u32| f64::from(pixels) / (range.end - range.start);
        (per_unit(&self.x, width), per_unit(&self.y, height))
    }

    /// The axes, without grid: what is shaded comes first.
    pub(crate) fn chart<'a, B: DrawingBackend>(
        &self,
        area: &'a Area<B>,
    ) -> Result<Chart<'a, B>, FigureError> {
        ChartBuilder::on(&area.drawing)
            .caption(self.title, area.letters(19))
            .margin(area.px(8))
            .margin_right(area.px(22))
            .x_label_area_size(area.px(46))
            .y_label_area_size(area.px(74))
            .build_cartesian_2d(self.x.clone(), self.y.clone())
            .map_err(failed)
    }

    /// Grid, ticks and names.
    pub(crate) fn mesh<B: DrawingBackend>(
        &self,
        area: &Area<B>,
        chart: &mut Chart<'_, B>,
    ) -> Result<(), FigureError> {
        let step = |range: &Range<f64>| (range.end - range.start) / 12.0;
        let (x_step, y_step) = (step(&self.x), step(&self.y));
        chart
            .configure_mesh()
            .x_desc(self.x_name)
            .y_desc(self.y_name)
            .x_label_formatter(&|x| tick(*x, x_step))
            .y_label_formatter(&|y| tick(*y, y_step))
            .x_labels(10)
            .y_labels(8)
            .light_line_style(TRANSPARENT)
            .bold_line_style(GRID.stroke_width(area.px(1)))
            .axis_style(INK.stroke_width(area.px(1)))
            .set_all_tick_mark_size(area.px(5))
            .label_style(area.letters(15))
            .axis_desc_style(area.letters(16))
            .draw()
            .map_err(failed)
    }
}

/// The pieces of a curve that lie within a range of levels, each cut off where it leaves it.
pub(crate) fn pieces(points: &[(f64, f64)], levels: &Range<f64>) -> Vec<Vec<(f64, f64)>> {
    let mut all = Vec::new();
    let mut piece: Vec<(f64, f64)> = Vec::new();
    let inside = |y: f64| (levels.start..=levels.end).contains(&y);
    for (index, &(x, y)) in points.iter().enumerate() {
        if let Some(&(x0, y0)) = index.checked_sub(1).map(|before| &points[before]) {
            // Where the step from the point before crosses the ends of the range, in its own order.
            let mut crossings: Vec<f64> = [levels.start, levels.end]
                .into_iter()
                .filter(|level| (y0 - level) * (y - level) < 0.0)
                .map(|level| (level - y0) / (y - y0))
                .collect();
            crossings.sort_by(f64::total_cmp);
            for share in crossings {
                let level = (y0 + share * (y - y0)).clamp(levels.start, levels.end);
                piece.push((x0 + share * (x - x0), level));
                if piece.len() > 1 {
                    all.push(std::mem::take(&mut piece));
                }
            }
        }
        if inside(y) {
            piece.push((x, y));
        } else if !piece.is_empty() && index > 0 && inside(points[index - 1].1) {
            piece.clear();
        }
    }
    if piece.len() > 1 {
        all.push(piece);
    }
    all
}

/// A piece in parts that have no sharp bends, measured in pixels per unit of x and y. The corner of a wide line at a sharp
/// bend, as at the bottom of a null, would be drawn far beyond the point itself.
pub(crate) fn straightened(piece: &[(f64, f64)], scale: (f64, f64)) -> Vec<Vec<(f64, f64)>> {
    let step = |a: (f64, f64), b: (f64, f64)| ((b.0 - a.0) * scale.0, (b.1 - a.1) * scale.1);
    // A point that stands twice would hide the bend between its two steps.
    let mut piece = piece.to_vec();
    piece.dedup();
    let mut all = vec![Vec::new()];
    for (index, &point) in piece.iter().enumerate() {
        let last = all.len() - 1;
        all[last].push(point);
        if index == 0 || index + 1 == piece.len() {
            continue;
        }
        let (a, b) = (step(piece[index - 1], point), step(point, piece[index + 1]));
        let along = a.0 * b.0 + a.1 * b.1;
        if along < 0.5 * a.0.hypot(a.1) * b.0.hypot(b.1) {
            all.push(vec![point]);
        }
    }
    all
}

#[cfg(test)]
mod tests {
    use super::{pieces, straightened};

    #[test]
    fn sharp_bends_part_a_piece() {
        let null = [(0.0, 0.0), (1.0, -9.0), (2.0, 0.0), (3.0, 0.1)];
        let parts = straightened(&null, (1.0, 1.0));
        assert_eq!(parts, [null[..2].to_vec(), null[1..3].to_vec(), null[2..].to_vec()]);
        assert_eq!(straightened(&null, (100.0, 1.0)), [null.to_vec()]);
        let twice = [null[0], null[1], null[1], null[2], null[3]];
        assert_eq!(straightened(&twice, (1.0, 1.0)), parts);
    }

    #[test]
    fn a_curve_is_cut_where_it_leaves_the_range_and_goes_on_where_it_comes_back() {
        let dip = [(0.0, 0.0), (1.0, 0.0), (2.0, -2.0), (3.0, 0.0), (4.0, 0.0)];
        let cut = pieces(&dip, &(-1.0..1.0));
        let expected = vec![
            vec![(0.0, 0.0), (1.0, 0.0), (1.5, -1.0)],
            vec![(2.5, -1.0), (3.0, 0.0), (4.0, 0.0)],
        ];
        assert_eq!(cut, expected);
        // Through the whole range in one step, and never inside.
        assert_eq!(pieces(&[(0.0, -2.0), (1.0, 2.0)], &(-1.0..1.0)), [[(0.25, -1.0), (0.75, 1.0)]]);
        assert!(pieces(&[(0.0, 5.0), (1.0, 6.0)], &(-1.0..1.0)).is_empty());
    }
}
