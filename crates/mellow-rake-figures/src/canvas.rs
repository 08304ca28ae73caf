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

/// The drawing area of any backend.
pub(crate) type Area<B> = DrawingArea<B, Shift>;
/// A chart with two linear axes.
pub(crate) type Chart<'a, B> = ChartContext<'a, B, Cartesian2d<RangedCoordf64, RangedCoordf64>>;

/// Something that can be drawn.
pub trait Figure {
    /// Draws on any backend.
    ///
    /// # Errors
    /// [`FigureError`] for data that cannot be drawn.
    #[doc(hidden)]
    fn paint<B: DrawingBackend>(&self, area: &DrawingArea<B, Shift>) -> Result<(), FigureError>;
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
            figure.paint(&SVGBackend::with_string(&mut text, SIZE).into_drawing_area())?;
            Ok(text.into_bytes())
        }
        Format::Png => {
            let mut pixels = vec![255; 3 * (SIZE.0 * SIZE.1) as usize];
            figure.paint(&BitMapBackend::with_buffer(&mut pixels, SIZE).into_drawing_area())?;
            let mut bytes = Vec::new();
            let mut encoder = png::Encoder::new(&mut bytes, SIZE.0, SIZE.1);
            encoder.set_color(png::ColorType::Rgb);
            encoder.set_depth(png::BitDepth::Eight);
            let mut writer = encoder.write_header()?;
            writer.write_image_data(&pixels)?;
            writer.finish()?;
            Ok(bytes)
        }
    }
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
    /// The axes, without grid: what is shaded comes first.
    pub(crate) fn chart<'a, B: DrawingBackend>(
        &self,
        area: &'a Area<B>,
    ) -> Result<Chart<'a, B>, FigureError> {
        ChartBuilder::on(area)
            .caption(self.title, (FONT, 19).into_font().color(&INK))
            .margin(8)
            .margin_right(22)
            .x_label_area_size(46)
            .y_label_area_size(74)
            .build_cartesian_2d(self.x.clone(), self.y.clone())
            .map_err(failed)
    }

    /// Grid, ticks and names.
    pub(crate) fn mesh<B: DrawingBackend>(
        &self,
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
            .bold_line_style(GRID)
            .axis_style(INK)
            .label_style((FONT, 15).into_font().color(&INK))
            .axis_desc_style((FONT, 16).into_font().color(&INK))
            .draw()
            .map_err(failed)
    }
}
