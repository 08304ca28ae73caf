//! The figure of symbols before and behind a filter.

use super::density_panel;
use super::recording::mask_series;
use mellow_rake::signal::{CarrierError, Mask, Spectrum, VectorError};
use mellow_rake::study::Received;
use mellow_rake_figures::{Axis, Panel, Pen, Series, Shape, Sheet};

/// Carriers whose errors are drawn as stems.
const MOST_STEMS: usize = 128;

/// The symbols before and after, each carrier, and the spectrum.
pub fn received(object: &Received, found: &Spectrum, mask: Option<&Mask>) -> Sheet {
    let [before, after] = &object.errors;
    let reach = |error: &VectorError| {
        let sizes = error.received.iter().map(|z| z.re.abs().max(z.im.abs()));
        sizes.fold(1.2, f64::max) * 1.1
    };
    let symbols = |title: &str, error: &VectorError| {
        let end = reach(error);
        let x = Axis::linear("in phase", "", (-end, end));
        let y = Axis::linear("in quadrature", "", (-end, end));
        let dots = error.received.iter().map(|z| (z.re, z.im)).collect();
        let mut ideal: Vec<(f64, f64, usize)> = Vec::new();
        for z in &error.sent {
            if !ideal.iter().any(|known| (known.0, known.1) == (z.re, z.im)) {
                ideal.push((z.re, z.im, 1));
            }
        }
        let series = |name: &str, pen, shape| Series { name: name.to_owned(), pen, shape };
        Panel {
            has_circle: true,
            series: vec![
                series("sent", Pen::Light, Shape::Poles(ideal)),
                series("received", Pen::Over, Shape::Dots(dots)),
            ],
            ..Panel::new(title, x, y)
        }
    };
    let title = |name: &str, error: &VectorError| {
        format!("{name}: error {:.3} %, {:.1} dB", 100.0 * error.rms, 20.0 * error.rms.log10())
    };
    let mut density = density_panel(&[("", Pen::Over, found)]);
    density.series.extend(mask.map(|mask| mask_series(mask, found)));
    let mut panels = vec![
        symbols(&title("before", before), before),
        symbols(&title("after", after), after),
        errors(before, after),
    ];
    if after.carriers.len() > 1 {
        let percent = |carrier: &CarrierError| (carrier.hertz, 100.0 * carrier.rms);
        let points: Vec<(f64, f64)> = after.carriers.iter().map(percent).collect();
        let most = points.iter().map(|point| point.1).fold(1e-6, f64::max);
        let ends = (points[0].0, points[points.len() - 1].0);
        let air = 0.03 * (ends.1 - ends.0);
        let x = Axis::linear("frequency", "Hz", (ends.0 - air, ends.1 + air));
        let y = Axis::linear("error vector, rms", "%", (0.0, 1.1 * most));
        // More stems than that are one surface.
        let shape =
            if points.len() > MOST_STEMS { Shape::Dots(points) } else { Shape::Stems(points) };
        let series = vec![Series { name: String::new(), pen: Pen::Over, shape }];
        panels.push(Panel { series, ..Panel::new("each carrier, equalized", x, y) });
    }
    panels.push(density);
    let title = format!("{} behind {}: {} symbols", object.signal, object.name, object.symbols);
    Sheet { title, panels }
}

/// What was received less what was sent, close enough to be seen.
fn errors(before: &VectorError, after: &VectorError) -> Panel {
    let cloud = |error: &VectorError| -> Vec<(f64, f64)> {
        let pairs = error.received.iter().zip(&error.sent);
        pairs.map(|(r, s)| (100.0 * (r.re - s.re), 100.0 * (r.im - s.im))).collect()
    };
    let (before, after) = (cloud(before), cloud(after));
    let sizes = before.iter().chain(&after).map(|(x, y)| x.abs().max(y.abs()));
    let end = sizes.fold(0.01, f64::max) * 1.1;
    let axis = |name: &str| Axis::linear(name, "%", (-end, end));
    let series =
        |name: &str, pen, points| Series { name: name.to_owned(), pen, shape: Shape::Dots(points) };
    // Errors well below it have it outside of the panel.
    let has_circle = end >= 1.0;
    let title = match has_circle {
        true => "error vectors, each carrier equalized; circle: 1 %",
        false => "error vectors, each carrier equalized",
    };
    Panel {
        has_circle,
        series: vec![series("received", Pen::Over, after), series("before", Pen::Light, before)],
        ..Panel::new(title, axis("in phase"), axis("in quadrature"))
    }
}
