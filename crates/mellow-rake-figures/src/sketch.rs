//! A quick look in letters.

use crate::FigureError;
use crate::sheet::{Panel, Shape};
use ratatui::buffer::Buffer;
use ratatui::layout::Rect;
use ratatui::symbols::Marker;
use ratatui::widgets::Widget;
use ratatui::widgets::canvas::{Canvas, Line};

/// The letters that a sketch is made of.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum SketchStyle {
    /// Braille patterns: eight dots to a letter.
    Braille,
    /// Half blocks: two squares to a letter.
    Blocks,
    /// Nothing beyond ASCII.
    Ascii,
}

/// The rows of letters between the axes.
const ROWS: u16 = 16;
/// The columns left of the panel: numbers and the axis.
const LEFT: usize = 10;

/// Draws the lines and stems of a panel in so many columns of letters, 40 to 400.
///
/// # Errors
/// [`FigureError`] for an axis without a range or points that are no numbers.
///
/// ```
/// use mellow_rake_figures::{Axis, Panel, Pen, Series, Shape, SketchStyle, sketch};
/// let points = (0..100).map(|k| (f64::from(k), -f64::from(k) / 5.0)).collect();
/// let slope = Series { name: String::new(), pen: Pen::Over, shape: Shape::Line(points) };
/// let axes = (Axis::linear("frequency", "Hz", (0.0, 99.0)), Axis::linear("gain", "dB", (-20.0, 0.0)));
/// let panel = Panel { series: vec![slope], ..Panel::new("a slope", axes.0, axes.1) };
/// let text = sketch(&panel, 60, SketchStyle::Ascii)?;
/// assert!(text.is_ascii() && text.contains("frequency in Hz"));
/// # Ok::<(), mellow_rake_figures::FigureError>(())
/// ```
pub fn sketch(panel: &Panel, columns: usize, style: SketchStyle) -> Result<String, FigureError> {
    panel.check()?;
    let width = columns.clamp(40, 400) - LEFT - 1;
    let (x, y) = (&panel.x, &panel.y);
    let (xs, ys) = (x.places(), y.places());
    let lines: Vec<((f64, f64), (f64, f64))> =
        panel.series.iter().flat_map(|series| strokes(&series.shape, y.range)).collect();
    let marker = match style {
        SketchStyle::Braille => Marker::Braille,
        SketchStyle::Blocks => Marker::HalfBlock,
        SketchStyle::Ascii => Marker::Dot,
    };
    let area = Rect::new(0, 0, width as u16, ROWS);
    let mut buffer = Buffer::empty(area);
    let canvas = Canvas::default()
        .marker(marker)
        .x_bounds([xs.start, xs.end])
        .y_bounds([ys.start, ys.end])
        .paint(|context| {
            for (from, to) in &lines {
                // Whole strokes outside are left to the clipping; a level far below is drawn to the foot only.
                let place = |at: (f64, f64)| {
                    (
                        x.place(at.0),
                        y.place(at.1).clamp(2.0 * ys.start - ys.end, 2.0 * ys.end - ys.start),
                    )
                };
                let ((x1, y1), (x2, y2)) = (place(*from), place(*to));
                context.draw(&Line { x1, y1, x2, y2, color: ratatui::style::Color::Reset });
            }
        });
    canvas.render(area, &mut buffer);
    let ticks = y.ticks(4);
    let row_of =
        |place: f64| ((ys.end - place) / (ys.end - ys.start) * f64::from(ROWS - 1)).round() as u16;
    let (bar, corner, dash, tick) = if style == SketchStyle::Ascii {
        ('|', '+', '-', '+')
    } else {
        ('│', '└', '─', '┼')
    };
    let mut text = format!("{:LEFT$}{}; {}\n", "", panel.title, y.title());
    for row in 0..ROWS {
        let label = ticks.iter().find(|(place, _)| row_of(*place) == row);
        let (label, edge) = label.map_or(("", bar), |(_, label)| (label.as_str(), tick));
        let mut line = format!("{label:>width$} {edge}", width = LEFT - 2);
        for column in 0..width as u16 {
            let symbol = buffer[(column, row)].symbol();
            // An empty pattern of braille is a blank.
            line.push_str(match (symbol, style) {
                ("\u{2800}", _) => " ",
                (" ", _) => " ",
                (_, SketchStyle::Ascii) => "*",
                (symbol, _) => symbol,
            });
        }
        text.push_str(line.trim_end());
        text.push('\n');
    }
    let mut axis: Vec<char> = vec![dash; width];
    let mut numbers: Vec<char> = vec![' '; width + LEFT];
    for (place, label) in x.ticks(width / 12) {
        let share = (place - xs.start) / (xs.end - xs.start);
        let column = (share * (width - 1) as f64).round() as usize;
        axis[column.min(width - 1)] = tick;
        let start = (LEFT + column).saturating_sub(label.chars().count() / 2);
        let start = start.min((width + LEFT).saturating_sub(label.chars().count()));
        for (k, letter) in label.chars().enumerate() {
            numbers[start + k] = letter;
        }
    }
    let axis: String = axis.into_iter().collect();
    let numbers: String = numbers.into_iter().collect();
    let name = x.title();
    let indent = LEFT + width.saturating_sub(name.len()) / 2;
    text.push_str(&format!(
        "{:edge$} {corner}{axis}\n{}\n{:indent$}{name}\n",
        "",
        numbers.trim_end(),
        "",
        edge = LEFT - 2
    ));
    // The micro sign of a prefix is the only letter of an axis beyond ASCII.
    Ok(if style == SketchStyle::Ascii { text.replace('µ', "u") } else { text })
}

/// The straight strokes of a shape, as pairs of points.
fn strokes(shape: &Shape, (low, high): (f64, f64)) -> Vec<((f64, f64), (f64, f64))> {
    match shape {
        Shape::Line(points) => points.windows(2).map(|pair| (pair[0], pair[1])).collect(),
        Shape::Stems(points) => {
            let foot = if low <= 0.0 && high >= 0.0 { 0.0 } else { low };
            points.iter().map(|&(x, y)| ((x, foot), (x, y))).collect()
        }
        Shape::Zeros(points) | Shape::Poles(points) => {
            points.iter().map(|&(x, y, _)| ((x, y), (x, y))).collect()
        }
        Shape::Band(points) => points.iter().map(|&(x, a, b)| ((x, a), (x, b))).collect(),
    }
}
