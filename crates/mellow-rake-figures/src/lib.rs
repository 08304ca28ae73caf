//! Figures of filters and signals.
//!
//! A figure takes plain data and gives the bytes of a PNG or the text of an SVG, drawn with a bundled font,
//! so that a machine without fonts draws the same. Every axis has its unit. Curves differ in colour *and* in
//! weight or dash; the colours keep apart for colour-blind eyes and in grey print.
//!
//! ```
//! use mellow_rake_figures::{Axis, Format, Panel, Pen, Series, Shape, Sheet, draw, record_line};
//! let wave: Vec<f64> = (0..200).map(|n| (n as f64 * 0.1).sin()).collect();
//! let shape = Shape::Line(record_line(0.0, 1e-3, &wave));
//! let axes = (Axis::linear("time", "s", (0.0, 0.199)), Axis::linear("strain", "", (-1.1, 1.1)));
//! let series = vec![Series { name: "before".to_owned(), pen: Pen::Over, shape }];
//! let panel = Panel { series, ..Panel::new("the record", axes.0, axes.1) };
//! let picture = draw(&Sheet { title: "mooring".to_owned(), panels: vec![panel] }, Format::Png)?;
//! assert!(picture.starts_with(b"\x89PNG"));
//! # Ok::<(), mellow_rake_figures::FigureError>(())
//! ```

mod axis;
mod canvas;
mod lines;
mod record;
mod sheet;
mod sketch;
mod style;

pub use axis::Axis;
pub use canvas::{Figure, Format, draw};
pub use record::record_line;
pub use sheet::{Cells, MOST_PANELS, Panel, Region, Series, Shape, Sheet};
pub use sketch::{SketchStyle, sketch};
pub use style::Pen;

/// Why a figure could not be drawn.
#[derive(Debug, thiserror::Error)]
#[non_exhaustive]
pub enum FigureError {
    /// The data are empty or hold something that is no finite number.
    #[error("figure `{figure}`: {what}")]
    Data {
        /// The figure.
        figure: &'static str,
        /// What is wrong.
        what: &'static str,
    },
    /// The drawing itself failed.
    #[error("drawing failed: {0}")]
    Drawing(String),
    /// The picture could not be encoded.
    #[error("the picture could not be encoded: {0}")]
    Encoding(#[from] png::EncodingError),
}
