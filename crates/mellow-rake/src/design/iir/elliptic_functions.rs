//! Jacobian elliptic functions by Landen transformations, and the degree equation by theta functions.
//!
//! A modulus k is carried together with its complement k' = √(1 − k²), so that neither loses its digits where
//! the other is nearly 1. Follows Orfanidis, *Lecture notes on elliptic filter design*, 2006: Landen
//! transformation (eq. 18 f.), cd (eq. 22), and its inverse (eq. 25); arguments count in quarter periods.

use num_complex::Complex64;
use std::f64::consts::PI;

/// A modulus and its complement.
#[derive(Debug, Clone, Copy, PartialEq)]
pub(super) struct Modulus {
    pub(super) k: f64,
    pub(super) complement: f64,
}

impl Modulus {
    /// From k, 0 < k < 1, for k not close to 1.
    pub(super) fn new(k: f64) -> Self {
        Modulus { k, complement: libm::sqrt((1.0 - k) * (1.0 + k)) }
    }

    /// K'/K, the ratio of the quarter periods, by arithmetic-geometric means (Gauss).
    fn period_ratio(self) -> f64 {
        mean(1.0, self.complement) / mean(1.0, self.k)
    }

    /// The moduli of the descending Landen transformation: k → (k/(1 + k'))², k' → 2√k'/(1 + k').
    fn descend(self) -> Vec<f64> {
        let mut moduli = Vec::new();
        let Modulus { mut k, mut complement } = self;
        while k > 1e-20 && moduli.len() < 20 {
            let next = k / (1.0 + complement);
            (k, complement) = (next * next, 2.0 * libm::sqrt(complement) / (1.0 + complement));
            moduli.push(k);
        }
        moduli
    }

    /// cd(u·K, k) for complex u in quarter periods.
    pub(super) fn cd(self, u: Complex64) -> Complex64 {
        let (a, b) = (u.re * PI / 2.0, u.im * PI / 2.0);
        let mut w = Complex64::new(libm::cos(a) * libm::cosh(b), -libm::sin(a) * libm::sinh(b));
        for k in self.descend().into_iter().rev() {
            w = w * (1.0 + k) / (w * w * k + 1.0);
        }
        w
    }

    /// The v, in quarter periods, with sn(j·v·K, k) = j·y.
    pub(super) fn inverse_sn_imaginary(self, y: f64) -> f64 {
        let (mut y, mut before) = (y, self.k);
        for k in self.descend() {
            y = 2.0 * y / ((1.0 + k) * (1.0 + libm::sqrt(1.0 + before * before * y * y)));
            before = k;
        }
        2.0 / PI * libm::asinh(y)
    }

    /// The modulus k with K'/K = (K1'/K1)/n of this modulus k1: the degree equation of an elliptic filter of
    /// order n, through the nome q = exp(−πK'/K) and k = (θ₂(q)/θ₃(q))², k' = (θ₄(q)/θ₃(q))² (Whittaker &
    /// Watson, *A Course of Modern Analysis*, 1927, 21.61 and 22.11). For q beyond exp(−π) the two change
    /// roles with q' = exp(−πK/K').
    pub(super) fn degree(self, order: usize) -> Modulus {
        let ratio = self.period_ratio() / order as f64;
        let (k, complement) = if ratio >= 1.0 {
            from_nome(libm::exp(-PI * ratio))
        } else {
            let (complement, k) = from_nome(libm::exp(-PI / ratio));
            (k, complement)
        };
        Modulus { k, complement }
    }
}

/// The modulus and its complement of a nome up to exp(−π), where the series take four terms.
fn from_nome(q: f64) -> (f64, f64) {
    let power = |exponent: i32| (0..exponent).fold(1.0, |product, _| product * q);
    let second = 2.0 * libm::sqrt(libm::sqrt(q)) * (1.0 + power(2) + power(6) + power(12));
    let third = 1.0 + 2.0 * (q + power(4) + power(9));
    let fourth = 1.0 - 2.0 * (q - power(4) + power(9));
    let (k, complement) = (second / third, fourth / third);
    (k * k, complement * complement)
}

/// The arithmetic-geometric mean.
fn mean(mut a: f64, mut b: f64) -> f64 {
    for _ in 0..60 {
        if (a - b).abs() <= 4.0 * f64::EPSILON * a {
            break;
        }
        (a, b) = ((a + b) / 2.0, libm::sqrt(a * b));
    }
    (a + b) / 2.0
}

#[cfg(test)]
mod tests {
    use super::*;

    /// K(k) of Abramowitz & Stegun, *Handbook of Mathematical Functions*, 1964, table 17.1 (m = k²), through
    /// the mean.
    #[test]
    fn quarter_periods_are_those_of_the_table() {
        for (m, period) in [(0.0, PI / 2.0), (0.5, 1.854074677301372), (0.9, 2.578092113348173)] {
            let complement = libm::sqrt(1.0 - m);
            assert!((PI / 2.0 / mean(1.0, complement) - period).abs() < 4e-15, "{m}");
        }
    }

    /// Identities: cd at 0 and 1, sn² + cn² = 1 through cd(u) and its half-way value, the inverse.
    #[test]
    fn cd_has_its_special_values() {
        for k in [1e-6, 0.1, 0.7, 0.99, 0.999_999] {
            let modulus = Modulus::new(k);
            let at = |re: f64, im: f64| modulus.cd(Complex64::new(re, im));
            assert!((at(0.0, 0.0).re - 1.0).abs() < 1e-15 && at(1.0, 0.0).re.abs() < 1e-15);
            // cd(K/2) = 1/√(1 + k')
            let half = 1.0 / libm::sqrt(1.0 + modulus.complement);
            assert!((at(0.5, 0.0).re - half).abs() < 4e-15, "{k}");
            // sn(jvK) = cd(K − jvK): there and back
            for y in [1e-3, 0.5, 30.0] {
                let v = modulus.inverse_sn_imaginary(y);
                let back = at(1.0, -v);
                assert!(
                    (back.im - y).abs() < 1e-12 * y.max(1.0) && back.re.abs() < 1e-12 * y.max(1.0)
                );
            }
        }
    }

    /// The degree equation for n = 1 gives the modulus back, on both sides of the nome; for n = 2 it is the
    /// Landen transformation.
    #[test]
    fn the_degree_equation_is_an_identity_and_a_landen_step() {
        for k in [1e-9, 1e-3, 0.3, 0.8, 0.999] {
            let modulus = Modulus::new(k);
            let same = modulus.degree(1);
            assert!((same.k / k - 1.0).abs() < 2e-13, "{k}: {same:?}");
            let up = modulus.degree(2);
            let down = up.k / (1.0 + up.complement);
            assert!((down * down / k - 1.0).abs() < 2e-13, "{k}: {up:?}");
        }
    }
}
