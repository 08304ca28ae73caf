//! The bands of a wish, with their weights.

use super::{Band, FirError};
use crate::filter::BandKind;
use crate::spec::{FirEdges, FirMethod, FirShape, FirWish};
use crate::units::SampleRate;
use crate::window::errors_allowed;
use std::f64::consts::TAU;

/// Half-way between pass-band and stop-band.
pub(super) fn middles(pass: &[f64], stop: &[f64]) -> Vec<f64> {
    pass.iter().zip(stop).map(|(a, b)| f64::midpoint(*a, *b)).collect()
}

/// The bands of a wish as parts of the sample rate, with their weights.
pub(super) fn bands(wish: &FirWish, rate: SampleRate) -> Result<Vec<Band>, FirError> {
    let part = |hertz: f64| hertz / rate.hertz();
    let is_curve = matches!(
        wish.shape,
        FirShape::Points(_) | FirShape::Differentiator { .. } | FirShape::Hilbert { .. }
    );
    let given: &[f64] = match &wish.method {
        FirMethod::Equiripple { weights } | FirMethod::LeastSquares { weights } => weights,
        // What no method works on is measured all the same.
        _ if is_curve => &[],
        _ => return Ok(Vec::new()),
    };
    let flat =
        |low: f64, high: f64, level: f64, weight| Band::flat(part(low), part(high), level, weight);
    let relative = !matches!(wish.method, FirMethod::LeastSquares { .. });
    let nyquist = rate.nyquist();
    let mut bands = match &wish.shape {
        FirShape::Band { kind, edges, ripple_db, attenuation_db } => {
            let FirEdges::Transition { pass, stop } = edges else {
                return Err(FirError::Edges {
                    method: wish.method.as_str(),
                    needs: "both edges: where the pass-band ends and where the stop-band begins",
                });
            };
            // Errors as large as allowed in every band; the pass-band counts 1.
            let weight = match (ripple_db, attenuation_db) {
                (Some(ripple), Some(attenuation)) => {
                    let [p, s] = errors_allowed(*ripple, *attenuation);
                    p / s
                }
                _ => 1.0,
            };
            match (kind, &pass[..], &stop[..]) {
                (BandKind::Lowpass, [p], [s]) => {
                    vec![flat(0.0, *p, 1.0, 1.0), flat(*s, nyquist, 0.0, weight)]
                }
                (BandKind::Highpass, [p], [s]) => {
                    vec![flat(0.0, *s, 0.0, weight), flat(*p, nyquist, 1.0, 1.0)]
                }
                (BandKind::Bandpass, [a, b], [c, d]) => vec![
                    flat(0.0, *c, 0.0, weight),
                    flat(*a, *b, 1.0, 1.0),
                    flat(*d, nyquist, 0.0, weight),
                ],
                (BandKind::Bandstop, [a, b], [c, d]) => vec![
                    flat(0.0, *a, 1.0, 1.0),
                    flat(*c, *d, 0.0, weight),
                    flat(*b, nyquist, 1.0, 1.0),
                ],
                _ => {
                    return Err(FirError::Edges {
                        method: wish.method.as_str(),
                        needs: "one edge of each sort, or two for band-pass and band-stop",
                    });
                }
            }
        }
        FirShape::Multiband(wished) => wished
            .iter()
            .map(|b| Band { level: b.level, ..flat(b.edges_hz[0], b.edges_hz[1], 0.0, b.weight) })
            .collect(),
        FirShape::Points(points) => points
            .windows(2)
            .map(|p| Band { level: [p[0].1, p[1].1], ..flat(p[0].0, p[1].0, 0.0, 1.0) })
            .collect(),
        FirShape::Differentiator { pass_hz } => {
            let band = Band { level: [0.0, TAU * part(*pass_hz)], ..flat(0.0, *pass_hz, 0.0, 1.0) };
            vec![Band { relative, ..band }]
        }
        FirShape::Hilbert { pass_hz: [low, high] } => vec![flat(*low, *high, 1.0, 1.0)],
        FirShape::MthBand { factor, pass_hz } => {
            let cutoff = nyquist / *factor as f64;
            let Some(pass) = pass_hz.filter(|pass| *pass > 0.0 && *pass < cutoff) else {
                return Err(FirError::Range {
                    key: "want.pass_edge",
                    found: pass_hz.unwrap_or(0.0),
                    accepted: format!("above 0 Hz and below fs/(2·{factor}), {cutoff} Hz"),
                });
            };
            vec![flat(0.0, pass, 1.0, 1.0), flat(2.0 * cutoff - pass, nyquist, 0.0, 1.0)]
        }
        _ => Vec::new(),
    };
    if !given.is_empty() {
        // A half-band filter has one error for both bands.
        if given.len() != bands.len() {
            return Err(FirError::Weights { found: given.len(), bands: bands.len() });
        }
        for (band, weight) in bands.iter_mut().zip(given) {
            band.weight = *weight;
        }
    }
    Ok(bands)
}
