//! Data for the figures.

use crate::failure::Failure;
use crate::load::Loaded;
use mellow_rake::analysis::{gain_db, linear_grid};
use mellow_rake::filter::Transfer;
use mellow_rake::implementation::Implementation;
use mellow_rake_figures::{Curve, Format, NotchResponse, draw};
use mellow_rake_files::write_whole;
use std::path::Path;

/// The format that a file's ending asks for.
pub(crate) fn format(path: &Path) -> Result<Format, Failure> {
    match path.extension().and_then(std::ffi::OsStr::to_str) {
        Some("png") => Ok(Format::Png),
        Some("svg") => Ok(Format::Svg),
        _ => Err(Failure::Call(format!(
            "{}: a figure ends in .png or .svg",
            path.display()
        ))),
    }
}

/// Draws the response of a design into a file.
pub(crate) fn response(
    loaded: &Loaded,
    implementation: Option<&Implementation>,
    path: &Path,
) -> Result<(), Failure> {
    let format = format(path)?;
    let choice = &loaded.design.choice;
    let rate = loaded.spec.sample_rate;
    let curve = |filter: &dyn Transfer| {
        // Even steps for the whole range, and a dense stretch around the null that meets it exactly.
        let mut hertz = linear_grid(0.0, rate.nyquist(), 2400);
        let reach = 3.0 * choice.width_hz;
        let low = (choice.center_hz - reach).max(0.0);
        let high = (choice.center_hz + reach).min(rate.nyquist());
        hertz.extend(linear_grid(low, high, 1601));
        hertz.push(choice.center_hz);
        hertz.sort_by(f64::total_cmp);
        // A zero gain has no logarithm; the figure ends far above this.
        let decibels = hertz
            .iter()
            .map(|&f| gain_db(filter, rate, f).max(-400.0))
            .collect();
        Curve { hertz, decibels }
    };
    let designed = curve(&loaded.design.zeros_poles);
    let rounded = implementation.map(|implementation| curve(&implementation.rounded));
    let title = format!("{}: notch at {} Hz", loaded.spec.name, choice.center_hz);
    let figure = NotchResponse {
        title: &title,
        designed: &designed,
        rounded: rounded.as_ref(),
        edges_hz: choice.edges_hz,
        center_hz: choice.center_hz,
        nyquist_hz: rate.nyquist(),
    };
    write_whole(path, &draw(&figure, format)?)?;
    Ok(())
}
