//! From a figure to bytes.

use crate::FigureError;
use crate::style::{FONT, INK, load_font};
use plotters::coord::Shift;
use plotters::prelude::*;

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

    /// Height in pixels of the picture.
    pub(crate) fn height(&self) -> i32 {
        (self.drawing.dim_in_pixel().1 / self.fine) as i32
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

    /// Bold letters of a height in pixels of the picture.
    pub(crate) fn bold_letters(&self, height: u32) -> TextStyle<'static> {
        (FONT, self.px(height)).into_font().style(FontStyle::Bold).color(&INK)
    }

    /// The width of words in letters of this height, in pixels of the picture.
    pub(crate) fn width_of(&self, words: &str, height: u32) -> i32 {
        let size = self.drawing.estimate_text_size(words, &self.letters(height));
        size.map_or(9 * words.len() as i32, |(width, _)| (width / self.fine) as i32)
    }
}

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
