//! The analogue filter behind a digital one, in rad/s.

use super::prototype::Prototype;
use super::transform::split;
use crate::filter::complex::modulus;
use crate::filter::{BandKind, paired, polynomial_from_roots};
use num_complex::Complex64;

/// An analogue filter H(s) = gain·∏(s − zeros)/∏(s − poles), s in rad/s.
#[derive(Debug, Clone, PartialEq)]
#[cfg_attr(feature = "serde", derive(serde::Serialize))]
pub struct Analogue {
    /// The low-pass prototype that it comes from: zeros and poles as `[re, im]` in rad/s, its edge at 1
    /// rad/s.
    pub prototype: Roots,
    /// The gain of the prototype at zero frequency.
    pub prototype_dc_gain: f64,
    /// The edges that it is transformed to, in rad/s: prewarped for the bilinear mapping.
    pub edges_rad_s: Vec<f64>,
    /// Zeros and poles after the transformation.
    pub filter: Roots,
    /// The factor in front.
    pub gain: f64,
    /// b of H(s) = (b\[0\]·s^m + …)/(s^n + …), highest power first.
    pub numerator: Vec<f64>,
    /// 1, a1, … of the same.
    pub denominator: Vec<f64>,
}

/// Zeros and poles in the s-plane as `[re, im]`.
#[derive(Debug, Clone, PartialEq)]
#[cfg_attr(feature = "serde", derive(serde::Serialize))]
pub struct Roots {
    /// Finite zeros.
    pub zeros: Vec<[f64; 2]>,
    /// Poles.
    pub poles: Vec<[f64; 2]>,
}

fn pairs(roots: &[Complex64]) -> Vec<[f64; 2]> {
    roots.iter().map(|z| [z.re, z.im]).collect()
}

/// Zeros, poles and gain in the s-plane.
pub(super) struct Transformed {
    pub(super) zeros: Vec<Complex64>,
    pub(super) poles: Vec<Complex64>,
    pub(super) gain: f64,
}

/// The prototype with its edge at 1 rad/s, transformed to edges in rad/s: s → s/Ω, Ω/s, (s² + Ω₀²)/(Bs), and
/// its inverse.
pub(super) fn transform(prototype: &Prototype, kind: BandKind, edges: &[f64]) -> Transformed {
    let one = Complex64::new(1.0, 0.0);
    let (edge, high) = (edges[0], edges[edges.len() - 1]);
    let (middle, width) = (libm::sqrt(edge * high), high - edge);
    let map = |root: &Complex64| -> Vec<Complex64> {
        match kind {
            BandKind::Lowpass => vec![root * edge],
            BandKind::Highpass => vec![one * edge / root],
            BandKind::Bandpass => split(root * (width / 2.0), middle).to_vec(),
            BandKind::Bandstop => split(one * (width / 2.0) / root, middle).to_vec(),
        }
    };
    let poles: Vec<Complex64> = prototype.poles.iter().flat_map(map).collect();
    let mut zeros: Vec<Complex64> = prototype.zeros.iter().flat_map(map).collect();
    let missing = prototype.poles.len() - prototype.zeros.len();
    let on_axis = Complex64::new(0.0, middle);
    match kind {
        BandKind::Lowpass => {}
        BandKind::Highpass | BandKind::Bandpass => {
            zeros.extend(vec![Complex64::new(0.0, 0.0); missing]);
        }
        BandKind::Bandstop => {
            for _ in 0..missing {
                zeros.extend([on_axis, on_axis.conj()]);
            }
        }
    }
    let zeros = paired(zeros.clone()).unwrap_or(zeros);
    let poles = paired(poles.clone()).unwrap_or(poles);
    // The gain of the prototype at zero frequency is found at s = 0, infinity, or the middle of the band.
    let ratio = |s: Complex64| -> f64 {
        (0..zeros.len().max(poles.len())).fold(1.0, |product, k| {
            let zero = zeros.get(k).map_or(1.0, |z| modulus(s - z));
            product * zero / poles.get(k).map_or(1.0, |p| modulus(s - p))
        })
    };
    let at_reference = match kind {
        BandKind::Lowpass | BandKind::Bandstop => ratio(Complex64::new(0.0, 0.0)),
        BandKind::Highpass => 1.0,
        BandKind::Bandpass => ratio(on_axis),
    };
    Transformed { zeros, poles, gain: prototype.dc_gain / at_reference }
}

/// The analogue filter of a prototype and edges in rad/s, with its polynomials.
pub(super) fn analogue(prototype: &Prototype, kind: BandKind, edges: &[f64]) -> Analogue {
    let Transformed { zeros, poles, gain } = transform(prototype, kind, edges);
    let numerator = polynomial_from_roots(&zeros).iter().map(|b| b * gain).collect();
    Analogue {
        prototype: Roots { zeros: pairs(&prototype.zeros), poles: pairs(&prototype.poles) },
        prototype_dc_gain: prototype.dc_gain,
        edges_rad_s: edges.to_vec(),
        filter: Roots { zeros: pairs(&zeros), poles: pairs(&poles) },
        gain,
        numerator,
        denominator: polynomial_from_roots(&poles),
    }
}
