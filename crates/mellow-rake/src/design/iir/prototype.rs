//! Analogue low-pass prototypes: zeros and poles in the s-plane, with the frequencies where they reach given
//! levels.

use super::bessel;
use super::elliptic_functions::Modulus;
use crate::filter::Family;
use crate::filter::complex::modulus;
use num_complex::Complex64;
use std::f64::consts::PI;

/// A low-pass prototype whose largest gain is 1.
#[derive(Debug, Clone, PartialEq)]
pub struct Prototype {
    /// Finite zeros, in conjugate pairs on the imaginary axis.
    pub zeros: Vec<Complex64>,
    /// Poles, in conjugate pairs and at most one real.
    pub poles: Vec<Complex64>,
    /// The gain at zero frequency: 1, or down by the ripple for even orders with ripple in the pass-band.
    pub dc_gain: f64,
    family: Family,
    ripple_db: f64,
    attenuation_db: f64,
    /// The end of the equal-ripple stop-band toward the pass-band, in rad/s, where there is one.
    stop_edge: Option<f64>,
}

/// √(10^(dB/10) − 1)
fn epsilon(decibels: f64) -> f64 {
    libm::sqrt(libm::expm1(decibels * std::f64::consts::LN_10 / 10.0))
}

/// The middle angles of n equal parts of the half circle, up to and including π/2: θ = π(2i − 1)/(2n).
fn angles(order: usize) -> impl Iterator<Item = (f64, f64)> {
    (0..order.div_ceil(2)).map(move |i| {
        // sine and cosine of the angle; the middle one of an odd order is exactly a right angle.
        if 2 * i + 1 == order {
            (1.0, 0.0)
        } else {
            let angle = PI * (2 * i + 1) as f64 / (2 * order) as f64;
            (libm::sin(angle), libm::cos(angle))
        }
    })
}

/// A pole and its conjugate, or a real pole alone.
fn push_pair(roots: &mut Vec<Complex64>, root: Complex64) {
    if root.im == 0.0 {
        roots.push(root);
    } else {
        roots.extend([root, root.conj()]);
    }
}

impl Prototype {
    /// A prototype of `order` 1 to 24. Butterworth: half power at 1 rad/s. Chebyshev type I and elliptic: the
    /// ripple ends at 1 rad/s. Chebyshev type II: the stop-band begins at 1 rad/s. Bessel: delay 1 s at zero.
    ///
    /// Poles and zeros from Orfanidis, *Lecture notes on elliptic filter design*, 2006, sections 2 to 5 (the
    /// Butterworth, Chebyshev and elliptic cases of one formula) and Thomson 1949. Ripple and attenuation, in
    /// decibels, count only where the family needs them.
    ///
    /// # Errors
    /// The relative residual at which the roots of the Bessel polynomial stayed, should they not settle.
    pub fn new(
        family: Family,
        order: usize,
        ripple_db: f64,
        attenuation_db: f64,
    ) -> Result<Self, f64> {
        let (mut zeros, mut poles) = (Vec::new(), Vec::new());
        let mut stop_edge = None;
        let mut dc_gain = 1.0;
        match family {
            Family::Butterworth => {
                for (sine, cosine) in angles(order) {
                    push_pair(&mut poles, Complex64::new(-sine, cosine));
                }
            }
            Family::Chebyshev1 => {
                let v = libm::asinh(1.0 / epsilon(ripple_db)) / order as f64;
                for (sine, cosine) in angles(order) {
                    push_pair(
                        &mut poles,
                        Complex64::new(-libm::sinh(v) * sine, libm::cosh(v) * cosine),
                    );
                }
            }
            Family::Chebyshev2 => {
                let v = libm::asinh(epsilon(attenuation_db)) / order as f64;
                for (sine, cosine) in angles(order) {
                    let inverse = Complex64::new(-libm::sinh(v) * sine, libm::cosh(v) * cosine);
                    push_pair(&mut poles, Complex64::new(1.0, 0.0) / inverse);
                    if cosine != 0.0 {
                        push_pair(&mut zeros, Complex64::new(0.0, 1.0 / cosine));
                    }
                }
                stop_edge = Some(1.0);
            }
            Family::Elliptic => {
                let (pass, stop) = (epsilon(ripple_db), epsilon(attenuation_db));
                let selectivity = Modulus::new(pass / stop);
                let modulus = selectivity.degree(order);
                let v = selectivity.inverse_sn_imaginary(1.0 / pass) / order as f64;
                for i in 0..order.div_ceil(2) {
                    if 2 * i + 1 == order {
                        // j·cd(1 − jv) = j·sn(jv): real
                        let pole = modulus.cd(Complex64::new(1.0, -v));
                        poles.push(Complex64::new(-pole.im.abs(), 0.0));
                        continue;
                    }
                    let u = (2 * i + 1) as f64 / order as f64;
                    let pole = modulus.cd(Complex64::new(u, -v));
                    push_pair(&mut poles, Complex64::new(-pole.im.abs(), pole.re));
                    let zero = modulus.cd(Complex64::new(u, 0.0)).re;
                    push_pair(&mut zeros, Complex64::new(0.0, 1.0 / (modulus.k * zero)));
                }
                stop_edge = Some(1.0 / modulus.k);
            }
            Family::Bessel => poles = bessel::roots(order)?,
        }
        if family.needs_ripple() && order.is_multiple_of(2) {
            dc_gain = libm::exp10(-ripple_db / 20.0);
        }
        Ok(Prototype { zeros, poles, dc_gain, family, ripple_db, attenuation_db, stop_edge })
    }

    /// |H(jΩ)|² relative to its value at zero times `dc_gain`²: each factor as (1 − Ω²/z²) or |1 − jΩ/p|².
    fn power(&self, frequency: f64) -> f64 {
        let mut power = self.dc_gain * self.dc_gain;
        let s = Complex64::new(0.0, frequency);
        let square = |root: &Complex64| {
            let ratio = modulus(s - root) / modulus(*root);
            ratio * ratio
        };
        for index in 0..self.poles.len() {
            power /= square(&self.poles[index]);
            if let Some(zero) = self.zeros.get(index) {
                power *= square(zero);
            }
        }
        power
    }

    /// The attenuation, in decibels, at a frequency in rad/s.
    pub fn attenuation_db(&self, frequency: f64) -> f64 {
        -10.0 * libm::log10(self.power(frequency))
    }

    /// The frequency, in rad/s, from which on the attenuation is at least this many decibels, counted from
    /// the pass-band: the ripple's end for the ripple, the −3 dB point for half power, the stop-band's begin
    /// for the stop-band attenuation. In closed form where there is one, else by bisection.
    pub fn reaches(&self, decibels: f64) -> f64 {
        let order = self.poles.len() as f64;
        let wanted = epsilon(decibels);
        match self.family {
            Family::Butterworth => libm::exp(libm::log(wanted) / order),
            Family::Chebyshev1 if decibels >= self.ripple_db => {
                libm::cosh(libm::acosh((wanted / epsilon(self.ripple_db)).max(1.0)) / order)
            }
            Family::Chebyshev2 if decibels <= self.attenuation_db => {
                1.0 / libm::cosh(
                    libm::acosh((epsilon(self.attenuation_db) / wanted).max(1.0)) / order,
                )
            }
            Family::Elliptic if decibels == self.ripple_db => 1.0,
            Family::Elliptic if decibels == self.attenuation_db => self.stop_edge.unwrap_or(1.0),
            _ => self.search(decibels),
        }
    }

    fn search(&self, decibels: f64) -> f64 {
        let level = libm::exp10(-decibels / 10.0);
        // The attenuation rises from the pass-band to the stop-band's begin, or for ever.
        let mut low = if self.family == Family::Elliptic { 1.0 } else { 0.0 };
        let mut high = self.stop_edge.unwrap_or(1.0);
        while self.stop_edge.is_none() && self.power(high) > level && high < 1e300 {
            high *= 2.0;
        }
        for _ in 0..200 {
            let middle = f64::midpoint(low, high);
            if self.power(middle) > level {
                low = middle;
            } else {
                high = middle;
            }
        }
        f64::midpoint(low, high)
    }

    /// The prototype with all frequencies divided by `frequency`: what was there is now at 1 rad/s.
    pub fn normalised_at(mut self, frequency: f64) -> Self {
        for root in self.zeros.iter_mut().chain(&mut self.poles) {
            *root /= frequency;
        }
        self
    }
}
