//! From a wish to taps, and the choice that was made on the way.

use super::smallest::more_of;
use super::task::Task;
use super::wish_check::check_wish;
use super::wished_bands::{bands, middles};
use super::{Band, FirError, minimum_phase};
use crate::filter::{BandKind, LinearPhase, Taps, Transfer};
use crate::spec::{FirEdges, FirMethod, FirShape, FirWish, LARGEST_TAPS, Phase};
use crate::units::SampleRate;

/// What was decided about a finite impulse response, and what the method found.
#[derive(Debug, Clone, PartialEq)]
#[cfg_attr(feature = "serde", derive(serde::Serialize))]
#[non_exhaustive]
pub struct FirChoice {
    /// The kind, as in the spec file.
    pub kind: &'static str,
    /// The method, as in the spec file.
    pub method: &'static str,
    /// What is let through, for the kinds that let a band through.
    pub band: Option<BandKind>,
    /// The window with its parameter.
    pub window: Option<String>,
    /// Number of taps.
    pub taps: usize,
    /// Whether that is the smallest number that keeps the template.
    pub taps_are_smallest: bool,
    /// Linear or minimum phase.
    pub phase: Phase,
    /// The type of linear phase.
    pub linear_phase: Option<LinearPhase>,
    /// Edges of the ideal response (half amplitude), in hertz.
    pub cutoff_hz: Option<Vec<f64>>,
    /// Ends of the pass-band, in hertz, if they were asked for.
    pub pass_hz: Option<Vec<f64>>,
    /// Beginnings of the stop-band, in hertz, if they were asked for.
    pub stop_hz: Option<Vec<f64>>,
    /// Pass-band ripple asked for, peak to peak, in decibels.
    pub ripple_db: Option<f64>,
    /// Stop-band attenuation asked for, in decibels.
    pub attenuation_db: Option<f64>,
    /// The bands with a desired amplitude: those that an optimal method works on.
    pub bands: Vec<WeightedBand>,
    /// The largest weighted error, for equiripple.
    pub largest_error: Option<f64>,
    /// What no filter of this length goes below, for equiripple.
    pub least_error: Option<f64>,
    /// How often the error alternates, for equiripple.
    pub alternations: Option<usize>,
    /// Assumptions that were made, one sentence each.
    pub assumptions: Vec<String>,
}

/// A band in hertz with its level and weight.
#[derive(Debug, Clone, Copy, PartialEq)]
#[cfg_attr(feature = "serde", derive(serde::Serialize))]
pub struct WeightedBand {
    /// From where to where, in hertz.
    pub edges_hz: [f64; 2],
    /// The amplitude desired at both ends, with a straight line between.
    pub level: [f64; 2],
    /// Factor on the error.
    pub weight: f64,
    /// Whether the error counts relative to the level.
    pub relative: bool,
}

/// Designs a finite impulse response.
///
/// # Errors
/// [`FirError`] says what would do.
///
/// ```
/// use mellow_rake::Effort;
/// use mellow_rake::design::fir::design_fir;
/// use mellow_rake::filter::BandKind;
/// use mellow_rake::spec::{FirEdges, FirMethod, FirShape, FirWish, Phase};
/// let wish = FirWish {
///     shape: FirShape::Band {
///         kind: BandKind::Lowpass,
///         edges: FirEdges::Transition { pass: vec![40.0], stop: vec![60.0] },
///         ripple_db: Some(0.5),
///         attenuation_db: Some(50.0),
///     },
///     method: FirMethod::Equiripple { weights: vec![] },
///     taps: None,
///     phase: Phase::Linear,
///     unity_gain: false,
///     effort: Effort::default(),
/// };
/// let (choice, taps) = design_fir(&wish, "1 kHz".parse()?)?;
/// assert_eq!((choice.taps, taps.0.len(), choice.taps_are_smallest), (102, 102, true));
/// # Ok::<(), Box<dyn std::error::Error>>(())
/// ```
pub fn design_fir(wish: &FirWish, rate: SampleRate) -> Result<(FirChoice, Taps), FirError> {
    let least = match wish.shape {
        FirShape::MthBand { .. } | FirShape::Hilbert { .. } | FirShape::Differentiator { .. } => 2,
        _ => 1,
    };
    if let Some(found) = wish.taps.filter(|taps| !(least..=LARGEST_TAPS).contains(taps)) {
        return Err(FirError::Taps { found, least });
    }
    check_wish(wish, rate)?;
    let task = Task { wish, rate, bands: bands(wish, rate)? };
    let (taps, smallest) = match wish.taps {
        Some(taps) => (taps, None),
        None => task.smallest().map(|found| (found.taps, Some(found)))?,
    };
    let mut made = task.make(taps)?;
    let mut assumptions: Vec<String> = made.assumption.into_iter().map(str::to_owned).collect();
    assumptions.extend(task.assumptions());
    let untried = smallest.and_then(|found| found.untried);
    assumptions.extend(untried.map(|range| left_untried(range, wish)));
    if wish.phase == Phase::Minimum {
        let (taps, loss) = minimum_phase::minimum_phase(&made.taps)?;
        made.taps = taps;
        assumptions.push(format!(
            "minimum phase by mirroring zeros: the gain changed by {loss:.1e} of its peak at most"
        ));
    }
    let result = Taps(made.taps);
    assumptions.extend(beside_the_bands(&result, &task.bands, rate));
    let (mut cutoff_hz, mut pass_hz, mut stop_hz) = (None, None, None);
    let (mut band, mut ripple_db, mut attenuation_db) = (None, None, None);
    match &wish.shape {
        FirShape::Band { kind, edges, ripple_db: ripple, attenuation_db: attenuation } => {
            (band, ripple_db, attenuation_db) = (Some(*kind), *ripple, *attenuation);
            match edges {
                FirEdges::Cutoff(edges) => cutoff_hz = Some(edges.clone()),
                FirEdges::Pass(edges) => pass_hz = Some(edges.clone()),
                FirEdges::Transition { pass, stop } => {
                    pass_hz = Some(pass.clone());
                    stop_hz = Some(stop.clone());
                    if matches!(wish.method, FirMethod::Window(_)) {
                        cutoff_hz = Some(middles(pass, stop));
                    }
                }
            }
        }
        FirShape::MthBand { factor, pass_hz: pass } => {
            band = Some(BandKind::Lowpass);
            let cutoff = rate.nyquist() / *factor as f64;
            cutoff_hz = Some(vec![cutoff]);
            pass_hz = pass.map(|pass| vec![pass]);
            stop_hz = pass.map(|pass| vec![2.0 * cutoff - pass]);
        }
        FirShape::RaisedCosine { symbol_rate_hz, rolloff, .. } => {
            band = Some(BandKind::Lowpass);
            cutoff_hz = Some(vec![symbol_rate_hz / 2.0]);
            let edge = |sign: f64| symbol_rate_hz / 2.0 * (1.0 + sign * rolloff);
            pass_hz = Some(vec![edge(-1.0)]).filter(|edges| edges[0] > 0.0);
            stop_hz = Some(vec![edge(1.0)]).filter(|edges| edges[0] < rate.nyquist());
        }
        FirShape::Smoother { derivative: 0, .. } | FirShape::Average => {
            band = Some(BandKind::Lowpass);
        }
        _ => {}
    }
    let choice = FirChoice {
        kind: wish.shape.kind(),
        method: wish.method.as_str(),
        band,
        window: match wish.method {
            FirMethod::Window(window) => Some(window.to_string()),
            _ => None,
        },
        taps,
        taps_are_smallest: smallest.is_some_and(|found| found.untried.is_none()),
        phase: wish.phase,
        linear_phase: result.linear_phase(),
        cutoff_hz,
        pass_hz,
        stop_hz,
        ripple_db,
        attenuation_db,
        bands: task.bands.iter().map(|band| in_hertz(band, rate)).collect(),
        largest_error: made.errors.map(|[largest, _]| largest),
        least_error: made.errors.map(|[_, least]| least),
        alternations: made.alternations,
        assumptions,
    };
    Ok((choice, result))
}

/// What a search for the fewest taps did not come to.
fn left_untried((first, last): (usize, usize), wish: &FirWish) -> String {
    let more = more_of(wish.effort);
    format!(
        "fewer taps, {first} to {last}, may keep the template, too: the search ended before they were \
            tried{more}"
    )
}

/// What the gain rises to where no band asks for anything, if that is beyond what any band asks for by 3 dB.
fn beside_the_bands(taps: &Taps, bands: &[Band], rate: SampleRate) -> Option<String> {
    let asked = bands.iter().flat_map(|band| band.level).map(f64::abs).fold(0.0, f64::max);
    if asked == 0.0 {
        return None;
    }
    let points = 8 * taps.0.len() + 64;
    let gain = |f: f64| taps.gain(std::f64::consts::TAU * f);
    let (peak, at) = (0..=points)
        .map(|k| 0.5 * k as f64 / points as f64)
        .filter(|f| !bands.iter().any(|band| (band.low..=band.high).contains(f)))
        .map(|f| (gain(f), f))
        .fold((0.0, 0.0), |a, b| if b.0 > a.0 { b } else { a });
    (peak > asked * std::f64::consts::SQRT_2).then(|| {
        format!(
            "beside the bands, where nothing is asked, the gain rises to {:.1} dB near {:.4} Hz",
            20.0 * libm::log10(peak),
            at * rate.hertz()
        )
    })
}

fn in_hertz(band: &Band, rate: SampleRate) -> WeightedBand {
    WeightedBand {
        edges_hz: [band.low, band.high].map(|f| f * rate.hertz()),
        level: band.level,
        weight: band.weight,
        relative: band.relative,
    }
}
