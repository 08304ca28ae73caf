//! What is wanted of a recursive filter, and the choice that follows from it.

use super::analogue::{Analogue, analogue, transform};
use super::impulse_invariance::impulse_invariant;
use super::{Prototype, Shape, digital};
use crate::design::DesignError;
use crate::filter::{BandKind, EdgeMeaning, Family, LARGEST_ORDER, Mapping, ZerosPolesGain};
use crate::response::Bands;
use crate::units::SampleRate;
use std::f64::consts::TAU;

/// Edges in hertz: one for low-pass and high-pass, two rising ones for the band types.
pub type Edges = Vec<f64>;

/// How a recursive filter is asked for.
#[derive(Debug, Clone, PartialEq)]
pub enum Points {
    /// A template.
    Template {
        /// The order that is to keep it, counting all poles of the digital filter; `None`: the smallest that
        /// does. A given order has its ripple up to the edges of the pass-band; what it leaves in the
        /// stop-band is not judged here.
        order: Option<usize>,
        /// Where the pass-band ends.
        pass: Edges,
        /// Where the stop-band begins.
        stop: Edges,
    },
    /// A recipe: `order` poles of the digital filter, and one kind of point.
    Recipe {
        /// Which points the edges are.
        meaning: EdgeMeaning,
        /// The edges.
        edges: Edges,
        /// All poles of the digital filter.
        order: usize,
    },
}

/// A recursive filter that is wanted.
#[derive(Debug, Clone, PartialEq)]
pub struct IirWish {
    /// What is let through.
    pub kind: BandKind,
    /// The family.
    pub family: Family,
    /// How it is asked for.
    pub points: Points,
    /// Pass-band ripple, peak to peak, in decibels: 1e-6 to 20.
    pub ripple_db: Option<f64>,
    /// Stop-band attenuation in decibels: above the ripple, up to 300.
    pub attenuation_db: Option<f64>,
}

/// What was decided: everything that the design then follows from.
#[derive(Debug, Clone, PartialEq)]
#[cfg_attr(feature = "serde", derive(serde::Serialize))]
#[non_exhaustive]
pub struct IirChoice {
    /// What is let through.
    pub kind: BandKind,
    /// The family.
    pub family: Family,
    /// How the analogue filter becomes a digital one.
    pub mapping: Mapping,
    /// All poles of the digital filter.
    pub order: usize,
    /// Whether the order was found as the smallest that keeps the template.
    pub order_is_smallest: bool,
    /// The edges that are met exactly, in hertz.
    pub edges_hz: Edges,
    /// Which points they are.
    pub meaning: EdgeMeaning,
    /// Pass-band ripple in decibels, where it counts.
    pub ripple_db: Option<f64>,
    /// Stop-band attenuation in decibels, where it counts.
    pub attenuation_db: Option<f64>,
    /// Where the pass-band was asked to end, in hertz, if it was.
    pub pass_hz: Option<Edges>,
    /// Where the stop-band was asked to begin, in hertz, if it was.
    pub stop_hz: Option<Edges>,
}

/// The edges as angles.
fn shape(kind: BandKind, edges: &[f64], rate: SampleRate) -> Shape {
    let angle = |index: usize| rate.radians(edges[index]);
    match kind {
        BandKind::Lowpass => Shape::Lowpass(angle(0)),
        BandKind::Highpass => Shape::Highpass(angle(0)),
        BandKind::Bandpass => Shape::Bandpass([angle(0), angle(1)]),
        BandKind::Bandstop => Shape::Bandstop([angle(0), angle(1)]),
    }
}

const HALF_POWER_DB: f64 = 3.010_299_956_639_812;

/// Designs a recursive filter.
///
/// # Errors
/// [`DesignError`] names what is out of range or missing, and what would do.
///
/// ```
/// use mellow_rake::design::iir::{IirWish, Points, design_iir};
/// use mellow_rake::filter::{BandKind, EdgeMeaning, Family, Transfer};
/// use mellow_rake::units::SampleRate;
/// let rate: SampleRate = "1 kHz".parse()?;
/// let wish = IirWish {
///     kind: BandKind::Lowpass,
///     family: Family::Butterworth,
///     points: Points::Recipe { meaning: EdgeMeaning::HalfPower, edges: vec![100.0], order: 5 },
///     ripple_db: None,
///     attenuation_db: None,
/// };
/// let (choice, filter) = design_iir(&wish, rate)?;
/// assert_eq!(choice.order, 5);
/// assert!((filter.gain(rate.radians(100.0)).powi(2) - 0.5).abs() < 1e-14);
/// # Ok::<(), Box<dyn std::error::Error>>(())
/// ```
pub fn design_iir(
    wish: &IirWish,
    rate: SampleRate,
) -> Result<(IirChoice, ZerosPolesGain), DesignError> {
    let (choice, prototype) = plan(wish, rate, Mapping::Bilinear)?;
    let filter = digital(&prototype, shape(wish.kind, &choice.edges_hz, rate));
    if filter.pole_radius() >= 1.0 {
        return Err(DesignError::OnTheCircle { edges_hz: choice.edges_hz });
    }
    Ok((choice, filter))
}

/// Designs a recursive filter whose impulse response is the sampled one of the analogue filter.
///
/// The edges are those of the analogue filter, without prewarping; what folds back moves them.
///
/// # Errors
/// [`DesignError`], among them that high-pass, band-stop and stop-band-ripple filters of even order have no
/// such form.
pub fn design_impulse_invariant(
    wish: &IirWish,
    rate: SampleRate,
) -> Result<(IirChoice, ZerosPolesGain), DesignError> {
    let (choice, prototype) = plan(wish, rate, Mapping::ImpulseInvariant)?;
    let edges: Vec<f64> = choice.edges_hz.iter().map(|hz| TAU * hz).collect();
    let filter = impulse_invariant(&transform(&prototype, wish.kind, &edges), 1.0 / rate.hertz())?;
    if filter.pole_radius() >= 1.0 {
        return Err(DesignError::OnTheCircle { edges_hz: choice.edges_hz });
    }
    Ok((choice, filter))
}

/// The analogue filter behind a choice: its prototype, its edges (prewarped for the bilinear mapping:
/// 2·fs·tan(πf/fs)), zeros, poles and polynomials.
///
/// # Errors
/// [`DesignError`], as in designing it.
pub fn analogue_of(choice: &IirChoice, rate: SampleRate) -> Result<Analogue, DesignError> {
    let per_pole = if choice.kind.is_band() { 2 } else { 1 };
    let IirChoice { kind, family, ripple_db, attenuation_db, .. } = *choice;
    let prototype = prototype(family, choice.order / per_pole, ripple_db, attenuation_db)?;
    let level = level(choice.meaning, ripple_db, attenuation_db, family)?;
    let at = prototype.reaches(level);
    let edge = |hz: &f64| match choice.mapping {
        Mapping::Bilinear => 2.0 * rate.hertz() * libm::tan(rate.radians(*hz) / 2.0),
        Mapping::ImpulseInvariant => TAU * hz,
    };
    let edges: Vec<f64> = choice.edges_hz.iter().map(edge).collect();
    Ok(analogue(&prototype.normalised_at(at), kind, &edges))
}

/// The level at the edges, in decibels below the peak.
fn level(
    meaning: EdgeMeaning,
    ripple_db: Option<f64>,
    attenuation_db: Option<f64>,
    family: Family,
) -> Result<f64, DesignError> {
    match meaning {
        EdgeMeaning::HalfPower => Ok(HALF_POWER_DB),
        EdgeMeaning::RippleEnd => need(ripple_db, "ripple", family),
        EdgeMeaning::StopBegin => need(attenuation_db, "attenuation", family),
    }
}

/// How far the prototype's frequency of the stop-band edge lies beyond that of the pass-band edges.
fn prototype_frequency(kind: BandKind, pass: &[f64], hz: f64) -> f64 {
    let (low, high) = (pass[0], pass[pass.len() - 1]);
    let band = ((hz * hz - low * high) / ((high - low) * hz)).abs();
    match kind {
        BandKind::Lowpass => hz / low,
        BandKind::Highpass => low / hz,
        BandKind::Bandpass => band,
        BandKind::Bandstop => 1.0 / band,
    }
}

/// The choice, and the prototype with its edge at 1 rad/s.
fn plan(
    wish: &IirWish,
    rate: SampleRate,
    mapping: Mapping,
) -> Result<(IirChoice, Prototype), DesignError> {
    let IirWish { kind, family, ripple_db, attenuation_db, .. } = *wish;
    check_levels(wish)?;
    let both = |edges: &Edges| check_edges(kind, edges, rate);
    let per_pole = if kind.is_band() { 2 } else { 1 };
    let mut choice = IirChoice {
        kind,
        family,
        mapping,
        order: 0,
        order_is_smallest: false,
        edges_hz: Vec::new(),
        meaning: EdgeMeaning::RippleEnd,
        ripple_db,
        attenuation_db,
        pass_hz: None,
        stop_hz: None,
    };
    let (prototype, normalised_db) = match &wish.points {
        Points::Recipe { meaning, edges, order } => {
            both(edges)?;
            check_order(*order, per_pole)?;
            let level = level(*meaning, ripple_db, attenuation_db, family)?;
            choice.order = *order;
            choice.edges_hz.clone_from(edges);
            choice.meaning = *meaning;
            match meaning {
                EdgeMeaning::RippleEnd => choice.pass_hz = Some(edges.clone()),
                EdgeMeaning::StopBegin => choice.stop_hz = Some(edges.clone()),
                EdgeMeaning::HalfPower => {}
            }
            (prototype(family, order / per_pole, ripple_db, attenuation_db)?, level)
        }
        Points::Template { order, pass, stop } => {
            both(pass)?;
            both(stop)?;
            check_template(kind, pass, stop)?;
            let ripple = need(ripple_db, "ripple", family)?;
            let attenuation = need(attenuation_db, "attenuation", family)?;
            let selectivity = |edges: &Edges| {
                let passed = shape(kind, edges, rate);
                let frequencies = stop.iter().map(|&hz| match mapping {
                    Mapping::Bilinear => passed.prototype_frequency(rate.radians(hz)),
                    Mapping::ImpulseInvariant => prototype_frequency(kind, edges, hz),
                });
                frequencies.fold(f64::INFINITY, f64::min)
            };
            let mut placed = vec![pass.clone()];
            placed.extend(about_stop_edges(kind, pass, stop, rate, mapping));
            choice.pass_hz = Some(pass.clone());
            choice.stop_hz = Some(stop.clone());
            if let Some(order) = *order {
                check_order(order, per_pole)?;
                choice.order = order;
                // The wish's own edges, unless others leave the stop-band more room.
                let widest = placed.into_iter().reduce(|best, other| {
                    if selectivity(&other) > selectivity(&best) { other } else { best }
                });
                choice.edges_hz = widest.unwrap_or_else(|| pass.clone());
                let made = prototype(family, order / per_pole, ripple_db, attenuation_db)?;
                let at = made.reaches(ripple);
                return Ok((choice, made.normalised_at(at)));
            }
            // The wish's own edges, unless others take fewer poles.
            let fits = |family: Family| -> Result<Option<(usize, Prototype, Edges)>, DesignError> {
                let mut best: Option<(usize, Prototype, Edges)> = None;
                for edges in &placed {
                    if let Some((order, prototype)) =
                        smallest(family, ripple, attenuation, selectivity(edges))?
                        && best.as_ref().is_none_or(|(least, ..)| order < *least)
                    {
                        best = Some((order, prototype, edges.clone()));
                    }
                }
                Ok(best)
            };
            let (order, prototype, edges) =
                fits(family)?.ok_or_else(|| DesignError::OutOfReach {
                    family,
                    largest: LARGEST_ORDER * per_pole,
                    would_do: Family::ALL
                        .into_iter()
                        .filter_map(|other| Some((other, fits(other).ok().flatten()?.0 * per_pole)))
                        .min_by_key(|(_, order)| *order)
                        .map(|(other, order)| {
                            format!("; a filter of family {other} and order {order} would do")
                        })
                        .unwrap_or_else(|| ", nor does another family".to_owned()),
                })?;
            choice.order = order * per_pole;
            choice.order_is_smallest = true;
            choice.edges_hz = edges;
            (prototype, ripple)
        }
    };
    let at = prototype.reaches(normalised_db);
    Ok((choice, prototype.normalised_at(at)))
}

/// The edges of a band whose middle is that of the stop-band edges instead of that of the pass-band edges:
/// one of them an edge of the pass-band, the other as far out as that takes it. The transformation mirrors
/// one side of a band onto the other about its middle Ω₀, so a template whose sides are unlike is held on one
/// side by its pass-band, on the other by its stop-band; which middle leaves more is to be tried.
fn about_stop_edges(
    kind: BandKind,
    pass: &Edges,
    stop: &Edges,
    rate: SampleRate,
    mapping: Mapping,
) -> Option<Edges> {
    let ([low, high], [first, last]) = (pass[..].try_into().ok()?, stop[..].try_into().ok()?);
    let analogue = |hz: f64| match mapping {
        Mapping::Bilinear => libm::tan(rate.radians(hz) / 2.0),
        Mapping::ImpulseInvariant => hz,
    };
    let digital = |frequency: f64| match mapping {
        Mapping::Bilinear => libm::atan(frequency) / std::f64::consts::PI * rate.hertz(),
        Mapping::ImpulseInvariant => frequency,
    };
    let square: f64 = analogue(first) * analogue(last);
    let mirrored = |hz: f64| digital(square / analogue(hz));
    // The wider pass-band of a band-pass, the narrower stop-band of a band-stop: every asked frequency is
    // inside.
    let (with_low, with_high): (Edges, Edges) =
        (vec![low, mirrored(low)], vec![mirrored(high), high]);
    let holds = |edges: &Edges| match kind {
        BandKind::Bandpass => edges[0] <= low && high <= edges[1],
        _ => low <= edges[0] && edges[1] <= high,
    };
    [with_low, with_high]
        .into_iter()
        .find(|edges| holds(edges) && edges[0] < edges[1] && edges[1] < rate.nyquist())
}

fn prototype(
    family: Family,
    order: usize,
    ripple_db: Option<f64>,
    attenuation_db: Option<f64>,
) -> Result<Prototype, DesignError> {
    let ripple = if family.needs_ripple() { need(ripple_db, "ripple", family)? } else { 0.0 };
    let attenuation =
        if family.needs_attenuation() { need(attenuation_db, "attenuation", family)? } else { 0.0 };
    Prototype::new(family, order, ripple, attenuation)
        .map_err(|residual| DesignError::NoConvergence { family, order, residual })
}

/// The smallest order whose stop-band begins within `selectivity` times the pass-band's end.
fn smallest(
    family: Family,
    ripple: f64,
    attenuation: f64,
    selectivity: f64,
) -> Result<Option<(usize, Prototype)>, DesignError> {
    for order in 1..=LARGEST_ORDER {
        let prototype = prototype(family, order, Some(ripple), Some(attenuation))?;
        // A wish that an order meets exactly must not fail by a rounding error.
        let slack = 1.0 + 64.0 * f64::EPSILON;
        if prototype.reaches(attenuation) <= selectivity * prototype.reaches(ripple) * slack {
            return Ok(Some((order, prototype)));
        }
    }
    Ok(None)
}

fn need(level: Option<f64>, what: &'static str, family: Family) -> Result<f64, DesignError> {
    level.ok_or(DesignError::Missing { what, family })
}

fn check_levels(wish: &IirWish) -> Result<(), DesignError> {
    let ripple = wish.ripple_db;
    if let Some(found) = ripple.filter(|r| !(1e-6..=20.0).contains(r)) {
        return Err(DesignError::Level { what: "ripple", found, accepted: "1e-6 dB to 20 dB" });
    }
    let least = ripple.unwrap_or(1e-6);
    if let Some(found) = wish.attenuation_db.filter(|a| !(*a > least && *a <= 300.0)) {
        let accepted = "more than the ripple, up to 300 dB";
        return Err(DesignError::Level { what: "attenuation", found, accepted });
    }
    Ok(())
}

fn check_edges(kind: BandKind, edges: &Edges, rate: SampleRate) -> Result<(), DesignError> {
    let wanted = if kind.is_band() { 2 } else { 1 };
    if edges.len() != wanted {
        return Err(DesignError::EdgeCount { kind, found: edges.len(), wanted });
    }
    let nyquist_hz = rate.nyquist();
    if let Some(&found_hz) = edges.iter().find(|hz| !(**hz > 0.0 && **hz < nyquist_hz)) {
        return Err(DesignError::Edge { found_hz, nyquist_hz });
    }
    if edges.windows(2).any(|pair| pair[0] >= pair[1]) {
        return Err(DesignError::FallingEdges { low_hz: edges[0], high_hz: edges[1] });
    }
    Ok(())
}

fn check_order(order: usize, per_pole: usize) -> Result<(), DesignError> {
    let largest = LARGEST_ORDER * per_pole;
    if order == 0 || order > largest || !order.is_multiple_of(per_pole) {
        let step = if per_pole == 2 { "even, " } else { "" };
        return Err(DesignError::Order { found: order, largest, step });
    }
    Ok(())
}

/// The stop-band must lie beyond the pass-band on every side.
fn check_template(kind: BandKind, pass: &Edges, stop: &Edges) -> Result<(), DesignError> {
    let apart = match kind {
        BandKind::Lowpass => pass[0] < stop[0],
        BandKind::Highpass => stop[0] < pass[0],
        BandKind::Bandpass => stop[0] < pass[0] && pass[1] < stop[1],
        BandKind::Bandstop => pass[0] < stop[0] && stop[1] < pass[1],
    };
    if apart {
        return Ok(());
    }
    Err(DesignError::Overlap { kind, pass_hz: pass.clone(), stop_hz: stop.clone() })
}

impl From<&IirChoice> for Bands {
    /// The bands as far as they were asked for.
    fn from(choice: &IirChoice) -> Self {
        Bands {
            kind: choice.kind,
            pass_hz: choice.pass_hz.clone(),
            stop_hz: choice.stop_hz.clone(),
        }
    }
}
