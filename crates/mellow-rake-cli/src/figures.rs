//! Figures into files, sketches into pages.

use crate::arguments::{Drawing, Letters};
use crate::failure::Failure;
use crate::print;
use mellow_rake_figures::{Format, Panel, Sheet, SketchStyle, draw};
use mellow_rake_files::write_whole;
use mellow_rake_report::Document;
use mellow_rake_report::figure::{Scene, View};
use std::path::Path;

/// The format that a file's ending asks for.
fn format(path: &Path) -> Result<Format, Failure> {
    match path.extension().and_then(std::ffi::OsStr::to_str) {
        Some("png") => Ok(Format::Png),
        Some("svg") => Ok(Format::Svg),
        _ => Err(Failure::Call(format!("{}: a figure ends in .png or .svg", path.display()))),
    }
}

/// Draws a sheet into a file, if one was named, and says so.
pub(crate) fn write(
    path: Option<&Path>,
    sheet: impl FnOnce() -> Result<Sheet, Failure>,
) -> Result<(), Failure> {
    let Some(path) = path else { return Ok(()) };
    let format = format(path)?;
    write_whole(path, &draw(&sheet()?, format)?)?;
    print::note(&format!("{} written", path.display()));
    Ok(())
}

/// Draws what was asked for; the sketches come back as a page.
pub(crate) fn draw_all(
    scene: &Scene<'_>,
    title: &str,
    drawing: &Drawing,
    otherwise: &[View],
) -> Result<Document, Failure> {
    write(drawing.figure.as_deref(), || Ok(scene.sheet(title, drawing.views(otherwise))))?;
    let views = drawing.views(&[View::Gain]);
    sketched(views.iter().map(|view| scene.panel(*view)), drawing)
}

/// Panels in letters, if that was asked for.
pub(crate) fn sketched(
    panels: impl IntoIterator<Item = Panel>,
    drawing: &Drawing,
) -> Result<Document, Failure> {
    let mut page = Document::default();
    let Some(letters) = drawing.sketch else {
        return Ok(page);
    };
    let style = match letters {
        Letters::Braille => SketchStyle::Braille,
        Letters::Blocks => SketchStyle::Blocks,
        Letters::Ascii => SketchStyle::Ascii,
    };
    for panel in panels {
        page.gap();
        page.figure(panel, columns(), style)?;
    }
    Ok(page)
}

/// The columns of the terminal; 80 where there is none.
fn columns() -> usize {
    let known = || std::env::var("COLUMNS").ok()?.parse().ok();
    terminal_size::terminal_size()
        .map_or_else(|| known().unwrap_or(80), |(width, _)| width.0.into())
}
