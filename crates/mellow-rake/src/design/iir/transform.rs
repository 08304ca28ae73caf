//! From the low-pass prototype to a digital filter: frequency transformation and bilinear mapping, pole by
//! pole.

use super::prototype::Prototype;
use crate::filter::ZerosPolesGain;
use crate::filter::complex::{modulus, square_root};
use num_complex::Complex64;

/// What is let through. Edges are angles in radians per sample, rising, strictly between 0 and π.
#[derive(Debug, Clone, Copy, PartialEq)]
#[cfg_attr(feature = "serde", derive(serde::Serialize))]
pub enum Shape {
    /// Everything below the edge.
    Lowpass(f64),
    /// Everything above the edge.
    Highpass(f64),
    /// What lies between the edges.
    Bandpass([f64; 2]),
    /// What does not lie between the edges.
    Bandstop([f64; 2]),
}

/// Prewarped analogue frequencies of a shape.
struct Warped {
    /// tan(ω/2) of the edge; for bands the geometric middle Ω₀.
    middle: f64,
    /// Ω₂ − Ω₁ of a band, from sin((ω₂ − ω₁)/2), which does not cancel.
    width: f64,
}

fn warp(shape: Shape) -> Warped {
    let tan = |angle: f64| libm::tan(angle / 2.0);
    match shape {
        Shape::Lowpass(edge) | Shape::Highpass(edge) => Warped { middle: tan(edge), width: 0.0 },
        Shape::Bandpass([low, high]) | Shape::Bandstop([low, high]) => Warped {
            middle: libm::sqrt(tan(low) * tan(high)),
            width: libm::sin((high - low) / 2.0) / (libm::cos(low / 2.0) * libm::cos(high / 2.0)),
        },
    }
}

impl Shape {
    /// The prototype's frequency, in rad/s, that a digital angle comes from: 1 at the edges.
    pub fn prototype_frequency(self, angle: f64) -> f64 {
        let frequency = libm::tan(angle / 2.0);
        let Warped { middle, width } = warp(self);
        let band = (frequency - middle) * (frequency + middle) / (width * frequency);
        match self {
            Shape::Lowpass(_) => frequency / middle,
            Shape::Highpass(_) => middle / frequency,
            Shape::Bandpass(_) => band.abs(),
            Shape::Bandstop(_) => 1.0 / band.abs(),
        }
    }
}

/// Both solutions of s² − 2hs + m² = 0: the larger from h ± √(h² − m²) without cancellation, the other from
/// their product m².
pub(super) fn split(half: Complex64, middle: f64) -> [Complex64; 2] {
    let root = square_root(half - middle) * square_root(half + middle);
    let sum = half + root;
    let difference = half - root;
    let large = if modulus(sum) >= modulus(difference) { sum } else { difference };
    [large, Complex64::new(middle * middle, 0.0) / large]
}

/// z = (1 + s)/(1 − s)
fn bilinear(s: Complex64) -> Complex64 {
    (s + 1.0) / (Complex64::new(1.0, 0.0) - s)
}

/// The digital filter whose prototype frequency 1 rad/s falls on the edges of `shape`.
///
/// Low-pass s → s/Ω₁; high-pass s → Ω₁/s; band-pass s → (s² + Ω₀²)/(s·B); band-stop its inverse; with Ω =
/// tan(ω/2) (Constantinides, *Spectral transformations for digital filters*, 1970, in their analogue form).
/// Every prototype root is transformed by itself. Zeros at infinity of the analogue filter become zeros at z
/// = −1. The gain is set where the prototype's zero frequency falls: at z = 1, z = −1, the middle of the
/// band, or z = 1.
pub fn digital(prototype: &Prototype, shape: Shape) -> ZerosPolesGain {
    let Warped { middle, width } = warp(shape);
    let one = Complex64::new(1.0, 0.0);
    let map = |root: &Complex64| -> Vec<Complex64> {
        match shape {
            Shape::Lowpass(_) => vec![bilinear(root * middle)],
            Shape::Highpass(_) => vec![bilinear(one * middle / root)],
            Shape::Bandpass(_) => split(root * (width / 2.0), middle).map(bilinear).to_vec(),
            Shape::Bandstop(_) => split(one * (width / 2.0) / root, middle).map(bilinear).to_vec(),
        }
    };
    let poles: Vec<Complex64> = prototype.poles.iter().flat_map(map).collect();
    let on_circle = |zero: Complex64| zero / modulus(zero);
    let mut zeros: Vec<Complex64> = prototype.zeros.iter().flat_map(map).map(on_circle).collect();
    // Zeros of the prototype at infinity.
    let missing = prototype.poles.len() - prototype.zeros.len();
    let real = |value: f64| Complex64::new(value, 0.0);
    let center = 2.0 * libm::atan(middle);
    let turn = Complex64::new(libm::cos(center), libm::sin(center));
    let reference = match shape {
        Shape::Lowpass(_) => {
            zeros.extend(vec![real(-1.0); missing]);
            real(1.0)
        }
        Shape::Highpass(_) => {
            zeros.extend(vec![real(1.0); missing]);
            real(-1.0)
        }
        Shape::Bandpass(_) => {
            for _ in 0..missing {
                zeros.extend([real(1.0), real(-1.0)]);
            }
            turn
        }
        Shape::Bandstop(_) => {
            for _ in 0..missing {
                zeros.extend([turn, turn.conj()]);
            }
            real(1.0)
        }
    };
    let poles = conjugates(poles);
    let zeros = conjugates(zeros);
    let unscaled = zeros.iter().zip(&poles).fold(1.0, |gain, (zero, pole)| {
        gain * modulus(reference - zero) / modulus(reference - pole)
    });
    // Positive in the pass-band: at the reference the transfer function is real, and its sign is that of
    // the product.
    let product = zeros
        .iter()
        .zip(&poles)
        .fold(one, |product, (zero, pole)| product * (reference - zero) / (reference - pole));
    let gain = libm::copysign(prototype.dc_gain / unscaled, product.re);
    ZerosPolesGain { zeros, poles, gain }
}

/// The same roots with exact conjugates: the upper half kept and mirrored, what is real to rounding made
/// real.
fn conjugates(roots: Vec<Complex64>) -> Vec<Complex64> {
    let is_real = |z: &Complex64| z.im.abs() <= 4.0 * f64::EPSILON * modulus(*z);
    let mut all: Vec<Complex64> =
        roots.iter().filter(|z| is_real(z)).map(|z| Complex64::new(z.re, 0.0)).collect();
    for root in roots.iter().filter(|z| !is_real(z) && z.im > 0.0) {
        all.extend([*root, root.conj()]);
    }
    all
}
