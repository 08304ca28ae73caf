//! Zeros, poles and gain: the form in which filters are designed.

use super::Transfer;
use super::complex::modulus;
use num_complex::Complex64;

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
    /// The largest distance of a pole from the origin; the filter is stable below 1.
    pub fn pole_radius(&self) -> f64 {
        self.poles.iter().map(|pole| modulus(*pole)).fold(0.0, f64::max)
    }

    /// Group delay −dφ/dω in samples at the angle ω: each factor 1 − r·e^{jθ}z⁻¹ contributes
    /// (r² − r·cos(ω − θ))/(1 + r² − 2r·cos(ω − θ)), a zero with plus, a pole with minus. A zero on the unit
    /// circle contributes exactly 1/2.
    pub fn group_delay(&self, omega: f64) -> f64 {
        let factor = |root: &Complex64| {
            let (r, theta) = (modulus(*root), libm::atan2(root.im, root.re));
            if (r - 1.0).abs() < 4.0 * f64::EPSILON {
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
