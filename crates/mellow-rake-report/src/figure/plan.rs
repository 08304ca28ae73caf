//! What of a filter's gain is worth a closer look.

use mellow_rake::design::fir::FirChoice;
use mellow_rake::design::iir::IirChoice;
use mellow_rake::design::{Choice, DirectChoice, NotchChoice};
use mellow_rake::filter::BandKind;
use mellow_rake::response::Bands;
use mellow_rake::spec::Phase;
use mellow_rake_figures::Region;

const PASS_BAND: &str = "pass-band at its own scale";
const EVERYWHERE: f64 = f64::INFINITY;
/// Half power in decibels.
const HALF_POWER_DB: f64 = -10.0 * std::f64::consts::LOG10_2;
/// Half the amplitude in decibels: what the cut-off of an ideal response comes to with a window.
const HALF_AMPLITUDE_DB: f64 = 2.0 * HALF_POWER_DB;

/// How a design is drawn.
pub struct Plan {
    /// Kind, family and order in a few words.
    pub title: String,
    /// Where the gain must not be.
    pub forbidden: Vec<Region>,
    /// The stretch around what matters, in hertz, and its depth in decibels.
    pub zoom: (&'static str, (f64, f64), f64),
    /// The pass-band, in hertz, and how far below the peak its panel goes, in decibels.
    pub pass: ((f64, f64), f64),
    /// What the third panel shows.
    pub pass_title: &'static str,
    /// Part of the stop-band that decides, in hertz.
    pub stop: Option<(f64, f64)>,
    /// The desired gain of bands that have one, as frequencies and decibels.
    pub desired: Vec<Vec<(f64, f64)>>,
    /// Frequencies that must not be missed, in hertz.
    pub points: Vec<f64>,
    /// The level that all panels are drawn from, in decibels: 0, or the largest gain where that is not meant
    /// to be 1.
    pub top_db: f64,
    /// How far below that the panel of the gain goes, in decibels.
    pub floor_db: f64,
}

impl Plan {
    /// For a design whose largest gain is known, in decibels.
    pub fn of(choice: &Choice, peak_db: f64, nyquist: f64) -> Plan {
        let top_db = if peak_db.abs() < 0.1 { 0.0 } else { peak_db };
        match choice {
            Choice::Notch(choice) => notch_plan(choice, nyquist),
            Choice::Recursive(choice) => iir_plan(choice, nyquist),
            Choice::Fir(choice) => {
                fir_plan(choice, nyquist).unwrap_or_else(|| banded_plan(choice, nyquist, top_db))
            }
            Choice::Direct(choice) => marks_plan(choice, nyquist, top_db),
        }
    }
}

impl Plan {
    /// Axes that show both; a template only where it is that of both.
    pub fn joined(self, other: Plan) -> Plan {
        let wide = |a: (f64, f64), b: (f64, f64)| (a.0.min(b.0), a.1.max(b.1));
        let same = self.forbidden == other.forbidden;
        Plan {
            forbidden: if same { self.forbidden } else { Vec::new() },
            zoom: (self.zoom.0, wide(self.zoom.1, other.zoom.1), self.zoom.2.min(other.zoom.2)),
            pass: (wide(self.pass.0, other.pass.0), self.pass.1.max(other.pass.1)),
            stop: self.stop.or(other.stop),
            points: [self.points, other.points].concat(),
            top_db: self.top_db.max(other.top_db),
            floor_db: self.floor_db.min(other.floor_db),
            ..self
        }
    }

    /// For no filter at all.
    pub fn empty() -> Plan {
        plain_plan(String::new(), Vec::new(), 1.0, 0.0)
    }
}

/// A finite response of which the desired gain of some bands is known.
fn banded_plan(choice: &FirChoice, nyquist: f64, top_db: f64) -> Plan {
    let title = format!("{}, {} taps", choice.kind, choice.taps);
    let edges = choice.bands.iter().flat_map(|band| band.edges_hz);
    let edges = edges.filter(|hz| *hz > 0.0 && *hz < nyquist).collect();
    let desired = choice.bands.iter().map(|band| {
        let ([low, high], [from, to]) = (band.edges_hz, band.level);
        let point = |k: u32| {
            let share = f64::from(k) / 64.0;
            let ratio: f64 = from + (to - from) * share;
            (low + (high - low) * share, 20.0 * ratio.abs().max(1e-30).log10())
        };
        (0..=64).map(point).collect()
    });
    Plan { desired: desired.collect(), ..plain_plan(title, edges, nyquist, top_db) }
}

fn notch_plan(choice: &NotchChoice, nyquist: f64) -> Plan {
    let NotchChoice { center_hz, width_hz, edges_hz: [low, high], .. } = *choice;
    let region = |hertz, decibels| Region { x: hertz, y: decibels };
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
        stop: None,
        desired: Vec::new(),
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
        edge_db: HALF_POWER_DB,
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
        edge_db: HALF_AMPLITUDE_DB,
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
    /// The level at an edge that ends no ripple.
    edge_db: f64,
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
        let decibels = (-EVERYWHERE, peak_db - ripple.unwrap_or(-shown.edge_db));
        forbidden.push(Region { x: hertz, y: decibels });
        // A window overshoots at its edges, and nobody asked it not to.
        if ripple.is_some() || shown.edge_db == HALF_POWER_DB {
            forbidden.push(Region { x: hertz, y: (*peak_db, EVERYWHERE) });
        }
    }
    let attenuation = shown.attenuation_db.unwrap_or(60.0);
    if let Some(stop) = &bands.stop_hz {
        points.extend(stop);
        if shown.attenuation_db.is_some() {
            for hertz in bands.stretches(stop, false, nyquist) {
                forbidden.push(Region { x: hertz, y: (peak_db - attenuation, EVERYWHERE) });
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
    // The foot of the stop-band: from its edge on, some widths of the transition or of the band farther out.
    let stop = bands.stop_hz.as_ref().map(|stop| {
        let all = bands.stretches(stop, false, nyquist);
        let (low, high) = all.iter().fold((nyquist, 0.0f64), |(a, b), s| (a.min(s.0), b.max(s.1)));
        let widths = if bands.kind.is_band() { 0.7 } else { 3.0 };
        let reach = widths * (most - least).max(0.02 * nyquist);
        ((least - reach).max(low), (most + reach).min(high))
    });
    let below = ripple.map_or(3.2, |ripple| 1.4 * ripple);
    let stretch = bands.stretches(edges, true, nyquist);
    let pass =
        stretch.iter().fold((nyquist, 0.0f64), |(a, b), &(low, high)| (a.min(low), b.max(high)));
    // What matters of a high-pass far below the Nyquist frequency is near its edge.
    let pass = match bands.kind {
        BandKind::Highpass => (pass.0, pass.1.min(12.0 * pass.0)),
        _ => pass,
    };
    let air = 0.1 * (pass.1 - pass.0);
    Plan {
        title: shown.title.clone(),
        forbidden,
        zoom: ("around the edges", zoom, -attenuation - 10.0),
        pass: (((pass.0 - air).max(0.0), (pass.1 + air).min(nyquist)), below),
        pass_title: PASS_BAND,
        stop,
        desired: Vec::new(),
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
        stop: None,
        desired: Vec::new(),
        points,
        top_db,
        floor_db: -90.0,
    }
}
