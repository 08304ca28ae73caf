//! Figures of filters and signals.
//!
//! A figure takes plain data and gives the bytes of a PNG or the text of an SVG, drawn with a bundled font, so that a
//! machine without fonts draws the same. Every axis has its unit. Curves differ in colour *and* in weight or
//! dash; the colours keep apart for colour-blind eyes and in grey print.
//!
//! ```
//! use mellow_rake_figures::{BeforeAfter, Format, SignalPair, draw};
//! let wave: Vec<f64> = (0..200).map(|n| (n as f64 * 0.1).sin()).collect();
//! let pair = SignalPair { start_s: 0.0, period_s: 1e-3, before: &wave, after: &wave };
//! let figure = BeforeAfter { title: "mooring", unit: "counts", whole: pair, zoom: (0.05, 0.15) };
//! let picture = draw(&figure, Format::Png)?;
//! assert!(picture.starts_with(b"\x89PNG"));
//! # Ok::<(), mellow_rake_figures::FigureError>(())
//! ```

mod axis;
mod canvas;
mod lines;
mod sheet;
mod signals;
mod sketch;
mod style;

pub use axis::Axis;
pub use canvas::{Figure, Format, draw};
pub use sheet::{MOST_PANELS, Panel, Region, Series, Shape, Sheet};
pub use signals::{BeforeAfter, SignalPair, record_line};
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
