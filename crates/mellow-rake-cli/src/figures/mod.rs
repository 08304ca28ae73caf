//! Figures of filters: from designs to panels to files.

mod panels;
mod plan;
mod recording;
mod subject;

pub(crate) use panels::{Scene, View, Wishes};
pub(crate) use plan::Plan;
pub(crate) use recording::{
    Density, Excerpt, Trace, density_panel, liveliest, mask_series, record_sheet, record_sheet_of,
    time_panel,
};
pub(crate) use subject::Subject;

use crate::arguments::{Drawing, Letters};
use crate::failure::Failure;
use crate::measured::Measured;
use mellow_rake_figures::{Format, Pen, Sheet, SketchStyle, draw, sketch};
use mellow_rake_files::write_whole;
use std::path::Path;

/// The format that a file's ending asks for.
pub(crate) fn format(path: &Path) -> Result<Format, Failure> {
    match path.extension().and_then(std::ffi::OsStr::to_str) {
        Some("png") => Ok(Format::Png),
        Some("svg") => Ok(Format::Svg),
        _ => Err(Failure::Call(format!("{}: a figure ends in .png or .svg", path.display()))),
    }
}

/// The panels of a response that nobody chose.
pub(crate) const RESPONSE: [View; 3] = [View::Gain, View::Edges, View::Passband];

/// A design beside what rounding its coefficients made of it.
pub(crate) fn scene(measured: &Measured, wishes: Wishes) -> Scene<'_> {
    let Measured { loaded, implementation, designed, .. } = measured;
    let (design, rate) = (&loaded.design, loaded.spec.sample_rate);
    // Wide and light only where another curve lies on it.
    let pen = if implementation.is_some() { Pen::Under } else { Pen::Over };
    let mut subjects = vec![Subject::designed("designed", pen, design, rate)];
    subjects.extend(implementation.as_ref().map(|integers| {
        Subject::rounded("rounded", Pen::Over, &integers.rounded, &design.choice, rate)
    }));
    let plan = Plan::of(&design.choice, designed.measures.peak_gain_db(), rate.nyquist());
    Scene { subjects, plan, wishes, reference: &[] }
}

/// Draws panels of a scene into a file.
pub(crate) fn write(
    scene: &Scene<'_>,
    title: &str,
    views: &[View],
    path: &Path,
) -> Result<(), Failure> {
    let format = format(path)?;
    let panels = views.iter().map(|view| scene.panel(*view)).collect();
    let sheet = Sheet { title: title.to_owned(), panels };
    write_whole(path, &draw(&sheet, format)?)?;
    Ok(())
}

/// Draws a design into a file.
pub(crate) fn response(
    measured: &Measured,
    views: &[View],
    wishes: Wishes,
    path: &Path,
) -> Result<(), Failure> {
    let scene = scene(measured, wishes);
    let title = format!("{}: {}", measured.loaded.spec.name, scene.plan.title);
    write(&scene, &title, views, path)
}

/// Draws what was asked for; the sketches come back as text.
pub(crate) fn draw_all(
    scene: &Scene<'_>,
    title: &str,
    drawing: &Drawing,
    otherwise: &[View],
) -> Result<String, Failure> {
    if let Some(path) = &drawing.figure {
        write(scene, title, drawing.views(otherwise), path)?;
        crate::print::note(&format!("{} written", path.display()));
    }
    let Some(letters) = drawing.sketch else {
        return Ok(String::new());
    };
    let style = match letters {
        Letters::Braille => SketchStyle::Braille,
        Letters::Blocks => SketchStyle::Blocks,
        Letters::Ascii => SketchStyle::Ascii,
    };
    let mut text = String::new();
    for view in drawing.views(&[View::Gain]) {
        text.push('\n');
        text.push_str(&sketch(&scene.panel(*view), columns(), style)?);
    }
    Ok(text)
}

/// The columns of the terminal; 80 where there is none.
fn columns() -> usize {
    let known = || std::env::var("COLUMNS").ok()?.parse().ok();
    terminal_size::terminal_size()
        .map_or_else(|| known().unwrap_or(80), |(width, _)| width.0.into())
}
