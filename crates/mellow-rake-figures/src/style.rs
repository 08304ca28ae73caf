//! Colours, weights and letters.

use plotters::prelude::*;
use plotters::style::register_font;
use std::sync::Once;

/// The name under which the bundled font is known to the drawing library.
pub(crate) const FONT: &str = "bundled";

/// Ink for axes and letters.
pub(crate) const INK: RGBColor = RGBColor(38, 42, 46);
/// Grid lines.
pub(crate) const GRID: RGBColor = RGBColor(224, 226, 228);
/// What was asked for: the region that a curve must stay out of.
pub(crate) const TEMPLATE: RGBColor = RGBColor(231, 225, 213);
/// The first curve: dark, so that it stays dark in grey.
pub(crate) const FIRST: RGBColor = RGBColor(20, 52, 92);
/// The second curve: much lighter in grey, and apart from the first in every kind of colour vision.
pub(crate) const SECOND: RGBColor = RGBColor(232, 146, 44);

/// Makes the bundled font known, once.
pub(crate) fn load_font() {
    static ONCE: Once = Once::new();
    ONCE.call_once(|| {
        // A failure here would show as missing letters in the first figure, which the tests draw.
        let regular = include_bytes!("../fonts/NotoSans-Regular.ttf");
        let bold = include_bytes!("../fonts/NotoSans-Bold.ttf");
        let _ = register_font(FONT, FontStyle::Normal, regular);
        let _ = register_font(FONT, FontStyle::Bold, bold);
    });
}

/// A number for an axis: as many digits as its step needs.
pub(crate) fn tick(value: f64, step: f64) -> String {
    let digits = (-step.log10().floor()).clamp(0.0, 9.0) as usize;
    let text = format!("{value:.digits$}");
    // No "-0".
    if text.trim_start_matches(['-', '0', '.']).is_empty() { text.replace('-', "") } else { text }
}
