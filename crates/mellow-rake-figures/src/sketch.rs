//! A quick look in letters.

use crate::FigureError;
use crate::axis::Axis;
use crate::lines::{between, pieces};
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
    let lines: Vec<Stroke> =
        panel.series.iter().flat_map(|series| strokes(&series.shape, x, y)).collect();
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
            for &[(x1, y1), (x2, y2)] in &lines {
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
        let label: String = label.chars().take(LEFT - 2).collect();
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
        for (k, letter) in label.chars().take(width).enumerate() {
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
    let text: String = text
        .lines()
        .map(|line| line.chars().take(width + LEFT).collect::<String>() + "\n")
        .collect();
    // The micro sign of a prefix is the only letter of an axis beyond ASCII.
    Ok(if style == SketchStyle::Ascii { text.replace('µ', "u") } else { text })
}

/// From one place to another, both within the axes.
type Stroke = [(f64, f64); 2];

/// The straight strokes of a shape as far as they lie within the axes.
fn strokes(shape: &Shape, x: &Axis, y: &Axis) -> Vec<Stroke> {
    let (xs, ys) = (x.places(), y.places());
    let inside = |(px, py): (f64, f64)| (px.clamp(xs.start, xs.end), py.clamp(ys.start, ys.end));
    let placed = |&(px, py): &(f64, f64)| (x.place(px), y.place(py));
    let upright = |px: f64, from: f64, to: f64| {
        let at = x.place(px);
        let seen = (xs.start..=xs.end).contains(&at);
        seen.then(|| [inside((at, y.place(from))), inside((at, y.place(to)))])
    };
    match shape {
        Shape::Line(points) => {
            let points: Vec<(f64, f64)> = points.iter().map(placed).collect();
            let parts = pieces(&between(&points, &xs), &ys);
            let strokes = parts.iter().flat_map(|piece| piece.windows(2));
            strokes.map(|pair| [inside(pair[0]), inside(pair[1])]).collect()
        }
        Shape::Stems(points) => {
            let is_seen = y.range.0 <= 0.0 && y.range.1 >= 0.0;
            let foot = if is_seen { 0.0 } else { y.range.0 };
            points.iter().filter_map(|&(px, py)| upright(px, foot, py)).collect()
        }
        Shape::Zeros(points) | Shape::Poles(points) => {
            let seen = points.iter().filter(|(_, py, _)| (y.range.0..=y.range.1).contains(py));
            seen.filter_map(|&(px, py, _)| upright(px, py, py)).collect()
        }
        Shape::Dots(points) => {
            let seen = points.iter().filter(|(_, py)| (y.range.0..=y.range.1).contains(py));
            seen.filter_map(|&(px, py)| upright(px, py, py)).collect()
        }
        // Letters have no shades.
        Shape::Cells(_) => Vec::new(),
        Shape::Band(points) => points.iter().filter_map(|&(px, a, b)| upright(px, a, b)).collect(),
    }
}
