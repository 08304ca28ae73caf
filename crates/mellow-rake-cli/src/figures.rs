//! Data for the figures.

use crate::failure::Failure;
use crate::measured::Measured;
use mellow_rake::analysis::{Bands, gain_db, linear_grid};
use mellow_rake::design::fir::FirChoice;
use mellow_rake::design::iir::IirChoice;
use mellow_rake::design::{Choice, DirectChoice, NotchChoice};
use mellow_rake::filter::Transfer;
use mellow_rake::spec::Phase;
use mellow_rake_figures::{Curve, Format, Region, ResponseFigure, View, draw};
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

const PASS_BAND: &str = "pass-band at its own scale";
const EVERYWHERE: f64 = f64::INFINITY;
/// Half power in decibels.
const HALF_POWER_DB: f64 = -10.0 * std::f64::consts::LOG10_2;

/// How a design is drawn.
struct Plan {
    title: String,
    forbidden: Vec<Region>,
    /// The stretch around what matters, in hertz, and its depth in decibels.
    zoom: (&'static str, (f64, f64), f64),
    /// The pass-band, in hertz, and how far below the peak its panel goes, in decibels.
    pass: ((f64, f64), f64),
    /// What the third panel shows.
    pass_title: &'static str,
    /// Frequencies that must not be missed, in hertz.
    points: Vec<f64>,
    /// The level that all panels are drawn from, in decibels: 0, or the largest gain where that is not meant to be 1.
    top_db: f64,
    floor_db: f64,
}

fn notch_plan(choice: &NotchChoice, nyquist: f64) -> Plan {
    let NotchChoice { center_hz, width_hz, edges_hz: [low, high], .. } = *choice;
    let region = |hertz, decibels| Region { hertz, decibels };
    let reach = 2.2 * width_hz;
    Plan {
        title: format!("notch at {center_hz} Hz"),
        forbidden: vec![
            region((0.0, low), (-EVERYWHERE, HALF_POWER_DB)),
            region((high, nyquist), (-EVERYWHERE, HALF_POWER_DB)),
            region((low, high), (HALF_POWER_DB, EVERYWHERE)),
        ],
        zoom: (
            "around the null",
            ((center_hz - reach).max(0.0), (center_hz + reach).min(nyquist)),
            -60.0,
        ),
        pass: ((0.0, nyquist), 0.05),
        pass_title: PASS_BAND,
        points: vec![center_hz, low, high],
        top_db: 0.0,
        floor_db: -90.0,
    }
}

fn iir_plan(choice: &IirChoice, nyquist: f64) -> Plan {
    let IirChoice { kind, family, order, .. } = choice;
    let shown = Shown {
        title: format!("{family} {} of order {order}", kind.as_str()),
        bands: Bands::from(choice),
        edges: &choice.edges_hz,
        ripple_db: choice.ripple_db,
        attenuation_db: choice.attenuation_db,
        peak_db: 0.0,
    };
    band_plan(&shown, nyquist)
}

/// A finite response that lets a band through; `None` if that is not known or where its edges are is not.
fn fir_plan(choice: &FirChoice, nyquist: f64) -> Option<Plan> {
    let edges = choice.pass_hz.as_ref().or(choice.cutoff_hz.as_ref())?;
    let FirChoice { kind, method, taps, .. } = choice;
    let how = choice.window.as_deref().unwrap_or(method);
    let peak = choice.ripple_db.filter(|_| choice.phase == Phase::Linear);
    let shown = Shown {
        // A window without its parameter: the legend stands in the same line.
        title: format!("{kind}, {taps} taps ({})", how.split(' ').next().unwrap_or("")),
        bands: Bands {
            kind: choice.band?,
            pass_hz: choice.pass_hz.clone(),
            stop_hz: choice.stop_hz.clone(),
        },
        edges,
        ripple_db: choice.ripple_db,
        attenuation_db: choice.attenuation_db,
        // The ripple lies on both sides of 1.
        peak_db: peak.map_or(0.0, |ripple| ripple / 2.0),
    };
    Some(band_plan(&shown, nyquist))
}

/// A filter that lets a band through, as far as its figure needs to know it.
struct Shown<'a> {
    title: String,
    bands: Bands,
    edges: &'a [f64],
    ripple_db: Option<f64>,
    attenuation_db: Option<f64>,
    /// The upper end of the ripple.
    peak_db: f64,
}

fn band_plan(shown: &Shown<'_>, nyquist: f64) -> Plan {
    let Shown { bands, peak_db, .. } = shown;
    let mut forbidden = Vec::new();
    let mut points = shown.edges.to_vec();
    let edges = bands.pass_hz.as_deref().unwrap_or(shown.edges);
    let ripple = shown.ripple_db.filter(|_| bands.pass_hz.is_some());
    for hertz in bands.stretches(edges, true, nyquist) {
        let decibels = (-EVERYWHERE, peak_db - ripple.unwrap_or(-HALF_POWER_DB));
        forbidden.push(Region { hertz, decibels });
        if ripple.is_some() || *peak_db == 0.0 {
            forbidden.push(Region { hertz, decibels: (*peak_db, EVERYWHERE) });
        }
    }
    let attenuation = shown.attenuation_db.unwrap_or(60.0);
    if let Some(stop) = &bands.stop_hz {
        points.extend(stop);
        if shown.attenuation_db.is_some() {
            for hertz in bands.stretches(stop, false, nyquist) {
                forbidden.push(Region { hertz, decibels: (peak_db - attenuation, EVERYWHERE) });
            }
        }
    }
    let (least, most) = points.iter().fold((f64::MAX, 0.0f64), |(a, b), &p| (a.min(p), b.max(p)));
    let zoom = if bands.kind.is_band() {
        let air = 0.6 * (most - least);
        ((least - air).max(0.0), (most + air).min(nyquist))
    } else {
        ((0.4 * least).min(nyquist), (most + 0.6 * least).min(nyquist))
    };
    let below = ripple.map_or(3.2, |ripple| 1.4 * ripple);
    let stretch = bands.stretches(edges, true, nyquist);
    let pass =
        stretch.iter().fold((nyquist, 0.0f64), |(a, b), &(low, high)| (a.min(low), b.max(high)));
    let air = 0.1 * (pass.1 - pass.0);
    Plan {
        title: shown.title.clone(),
        forbidden,
        zoom: ("around the edges", zoom, -attenuation - 10.0),
        pass: (((pass.0 - air).max(0.0), (pass.1 + air).min(nyquist)), below),
        pass_title: PASS_BAND,
        points,
        top_db: 0.0,
        floor_db: -attenuation - 40.0,
    }
}

/// A filter that is fixed by points, around them.
fn marks_plan(choice: &DirectChoice, nyquist: f64, top_db: f64) -> Plan {
    let inner = |hz: &f64| *hz > 0.0 && *hz < nyquist;
    let points: Vec<f64> = choice.marks.iter().map(|mark| mark.hertz).collect();
    plain_plan(
        choice.kind.to_owned(),
        points.iter().copied().filter(inner).collect(),
        nyquist,
        top_db,
    )
}

/// A filter of which nothing is known but some frequencies.
fn plain_plan(title: String, points: Vec<f64>, nyquist: f64, top_db: f64) -> Plan {
    let around = points.iter().fold(None, |range: Option<(f64, f64)>, &hz| {
        let (low, high) = range.unwrap_or((hz, hz));
        Some((low.min(hz), high.max(hz)))
    });
    let zoom = around.map_or((0.0, nyquist / 4.0), |(low, high)| {
        // A single point says nothing of its surroundings.
        let least = if low == high { 0.3 } else { 0.02 };
        let air = (1.5 * (high - low)).max(least * nyquist);
        ((low - air).max(0.0), (high + air).min(nyquist))
    });
    Plan {
        title,
        forbidden: Vec::new(),
        zoom: ("around the points that matter", zoom, -60.0),
        pass: ((0.0, nyquist), 14.0),
        pass_title: "the highest levels at their own scale",
        points,
        top_db,
        floor_db: -90.0,
    }
}

/// Draws the response of a design into a file.
pub(crate) fn response(measured: &Measured, path: &Path) -> Result<(), Failure> {
    let Measured { loaded, implementation, designed: measures, .. } = measured;
    let format = format(path)?;
    let rate = loaded.spec.sample_rate;
    let nyquist = rate.nyquist();
    let peak_db = measures.peak_gain_db();
    let top_db = if peak_db.abs() < 0.1 { 0.0 } else { peak_db };
    let plan = match &loaded.design.choice {
        Choice::Notch(choice) => notch_plan(choice, nyquist),
        Choice::Recursive(choice) => iir_plan(choice, nyquist),
        Choice::Fir(choice) => fir_plan(choice, nyquist).unwrap_or_else(|| {
            let title = format!("{}, {} taps", choice.kind, choice.taps);
            let edges = choice.bands.iter().flat_map(|band| band.edges_hz);
            plain_plan(
                title,
                edges.filter(|hz| *hz > 0.0 && *hz < nyquist).collect(),
                nyquist,
                top_db,
            )
        }),
        Choice::Direct(choice) => marks_plan(choice, nyquist, top_db),
    };
    let (zoom_title, zoom, zoom_floor) = plan.zoom;
    let curve = |filter: &dyn Transfer| {
        // Even steps for the whole range, and dense stretches for the closer views.
        let mut hertz = linear_grid(0.0, nyquist, 2400);
        hertz.extend(linear_grid(zoom.0, zoom.1, 2400));
        hertz.extend(linear_grid(plan.pass.0.0, plan.pass.0.1, 2400));
        hertz.extend(&plan.points);
        hertz.sort_by(f64::total_cmp);
        // A zero gain has no logarithm; the figure ends far above this.
        let decibels = hertz.iter().map(|&f| gain_db(filter, rate, f).max(-1000.0)).collect();
        Curve { hertz, decibels }
    };
    let designed = curve(loaded.design.transfer());
    let rounded = implementation.as_ref().map(|implementation| curve(&implementation.rounded));
    let title = format!("{}: {}", loaded.spec.name, plan.title);
    let view = |title, hertz, decibels| View { title, hertz, decibels };
    let ((pass, below), top_db) = (plan.pass, plan.top_db);
    let figure = ResponseFigure {
        designed: &designed,
        rounded: rounded.as_ref(),
        forbidden: &plan.forbidden,
        views: [
            view(&title, (0.0, nyquist), (top_db + plan.floor_db, top_db + 6.0)),
            view(zoom_title, zoom, (top_db + zoom_floor, top_db + 4.0)),
            view(plan.pass_title, pass, (top_db - below, top_db + 0.4 * below)),
        ],
    };
    write_whole(path, &draw(&figure, format)?)?;
    Ok(())
}
