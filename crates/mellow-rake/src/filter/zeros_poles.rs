//! Zeros, poles and gain: the form in which filters are designed.

use super::complex::modulus;
use super::phase::{landmark, on_the_circle, root_phase};
use super::{Landmark, PhaseResponse, Section, Sections, Transfer};
use num_complex::Complex64;
use std::f64::consts::PI;

/// H(z) = gain · ∏(z − zeros\[k\]) / ∏(z − poles\[k\]).
#[derive(Debug, Clone, PartialEq)]
pub struct ZerosPolesGain {
    /// Zeros in the z-plane.
    pub zeros: Vec<Complex64>,
    /// Poles in the z-plane.
    pub poles: Vec<Complex64>,
    /// The factor in front.
    pub gain: f64,
}

impl ZerosPolesGain {
    /// Zeros and poles of sections: roots of quadratics, the larger from the formula, the smaller from the
    /// product.
    pub fn from_sections(sections: &Sections) -> ZerosPolesGain {
        let mut filter = ZerosPolesGain { zeros: Vec::new(), poles: Vec::new(), gain: 1.0 };
        for Section { b, a } in &sections.0 {
            let order = |c: &[f64]| c.iter().rposition(|c| *c != 0.0).unwrap_or(0);
            let length = order(b).max(order(&[1.0, a[0], a[1]]));
            filter.poles.extend(quadratic(1.0, a[0], a[1], length));
            match b.iter().position(|b| *b != 0.0) {
                None => filter.gain = 0.0,
                Some(first) => {
                    filter.gain *= b[first];
                    let rest: Vec<f64> = b[first..].to_vec();
                    let at = |k: usize| rest.get(k).copied().unwrap_or(0.0);
                    if length >= first {
                        filter.zeros.extend(quadratic(rest[0], at(1), at(2), length - first));
                    }
                }
            }
        }
        filter
    }

    /// The largest distance of a pole from the origin; the filter is stable below 1.
    pub fn pole_radius(&self) -> f64 {
        self.poles.iter().map(|pole| modulus(*pole)).fold(0.0, f64::max)
    }
}

/// The `count` roots of c0·z² + c1·z + c2 (or of the lower powers).
fn quadratic(c0: f64, c1: f64, c2: f64, count: usize) -> Vec<Complex64> {
    let real = |re: f64| Complex64::new(re, 0.0);
    match count {
        0 => Vec::new(),
        1 => vec![real(-c1 / c0)],
        _ => {
            let (half, product) = (-c1 / (2.0 * c0), c2 / c0);
            let discriminant = half * half - product;
            if discriminant < 0.0 {
                let z = Complex64::new(half, libm::sqrt(-discriminant));
                vec![z, z.conj()]
            } else {
                let far = half + libm::copysign(libm::sqrt(discriminant), half);
                let near = if far == 0.0 { 0.0 } else { product / far };
                vec![real(far), real(near)]
            }
        }
    }
}

impl Transfer for ZerosPolesGain {
    fn response(&self, omega: f64) -> Complex64 {
        let z = Complex64::new(libm::cos(omega), libm::sin(omega));
        // Zeros and poles in turn: the product stays in range.
        let mut h = Complex64::new(self.gain, 0.0);
        for k in 0..self.zeros.len().max(self.poles.len()) {
            if let Some(zero) = self.zeros.get(k) {
                h *= z - zero;
            }
            if let Some(pole) = self.poles.get(k) {
                h /= z - pole;
            }
        }
        h
    }
}

impl PhaseResponse for ZerosPolesGain {
    /// Each factor 1 − r·e^{jθ}z⁻¹ contributes (r² − r·cos(ω − θ))/(1 + r² − 2r·cos(ω − θ)), a zero with
    /// plus, a pole with minus. A zero on the unit circle contributes exactly 1/2.
    fn group_delay(&self, omega: f64) -> f64 {
        let factor = |root: &Complex64| {
            let (r, theta) = (modulus(*root), libm::atan2(root.im, root.re));
            if on_the_circle(r) {
                return 0.5;
            }
            // 1 + r² − 2r·cos x = (1 − r)² + 4r·sin²(x/2) keeps its digits near the circle.
            let half = libm::sin((omega - theta) / 2.0);
            let square = 4.0 * r * half * half;
            let distance = (1.0 - r) * (1.0 - r) + square;
            (r * (r - 1.0) + square / 2.0) / distance
        };
        let zeros: f64 = self.zeros.iter().map(factor).sum();
        let poles: f64 = self.poles.iter().map(factor).sum();
        zeros - poles + (self.poles.len() as f64 - self.zeros.len() as f64)
    }

    /// The sum of what each root contributes; none is followed from point to point, so none is lost between
    /// points.
    fn phase(&self, omegas: &[f64]) -> Vec<f64> {
        let sum = |roots: &[Complex64], omega: f64| -> f64 {
            roots.iter().map(|root| root_phase(*root, omega)).sum()
        };
        let sign = if self.gain < 0.0 { PI } else { 0.0 };
        let lead = self.zeros.len() as f64 - self.poles.len() as f64;
        let phase =
            |omega: f64| sign + lead * omega + sum(&self.zeros, omega) - sum(&self.poles, omega);
        // −π counts as π, whatever rounding made of it.
        let turns = libm::ceil((phase(0.0) - 1e-9) / (2.0 * PI) - 0.5);
        omegas.iter().map(|omega| phase(*omega) - 2.0 * PI * turns).collect()
    }

    fn landmarks(&self) -> Vec<Landmark> {
        self.zeros.iter().chain(&self.poles).filter_map(landmark).collect()
    }
}
