//! The figure of what words do to a filter.

use super::{Scene, View, Wishes};
use mellow_rake::implementation::Implementation;
use mellow_rake::signal::{SpectrumError, SpectrumWish, spectrum};
use mellow_rake::study::Study;
use mellow_rake_figures::{Axis, Panel, Pen, Series, Shape, Sheet};

/// The responses, and the noise spectrum as predicted and as measured.
///
/// # Errors
/// [`SpectrumError`] where there are too few samples of the error.
pub fn quantization(
    study: &Study,
    filter: &Implementation,
    error: &[f64],
) -> Result<Sheet, SpectrumError> {
    let rate = study.spec.sample_rate;
    let scene = Scene::of(study, Wishes::default());
    let mut panels: Vec<Panel> =
        [View::Gain, View::Passband, View::Difference].map(|view| scene.panel(view)).to_vec();
    let lsb = filter.fixed.output.step();
    let level = |density: f64| 10.0 * (density / (lsb * lsb)).max(1e-30).log10();
    let wish = SpectrumWish { piece: 2048, ..SpectrumWish::for_length(error.len()) };
    let found = spectrum(error, rate, wish)?;
    let pairs = found.hertz.iter().zip(&found.density).skip(1);
    let points: Vec<(f64, f64)> = pairs.map(|(hz, density)| (*hz, level(*density))).collect();
    let mut series = Vec::new();
    let mut levels: Vec<f64> = points.iter().map(|point| point.1).collect();
    series.push(Series {
        name: "measured noise".to_owned(),
        pen: Pen::Light,
        shape: Shape::Line(points),
    });
    if let Ok(predicted) = filter.checked.noise_density(rate, &found.hertz) {
        let pairs = found.hertz.iter().zip(&predicted).skip(1);
        let points: Vec<(f64, f64)> = pairs.map(|(hz, density)| (*hz, level(*density))).collect();
        levels.extend(points.iter().map(|point| point.1));
        let shape = Shape::Line(points);
        series.push(Series { name: "predicted noise".to_owned(), pen: Pen::Over, shape });
    }
    let high = levels.iter().copied().fold(f64::MIN, f64::max);
    let low = levels.iter().copied().fold(f64::MAX, f64::min).max(high - 140.0);
    let x = Axis::linear("frequency", "Hz", (0.0, rate.nyquist()));
    let y = Axis::linear("density", "dB of 1 LSB²/Hz", (low - 5.0, high + 5.0));
    panels.push(Panel { series, ..Panel::new("rounding noise at the output", x, y) });
    let title = format!("{} on integers: {}", study.spec.name, filter.fixed.structure.as_str());
    Ok(Sheet { title, panels })
}
