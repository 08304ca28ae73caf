//! Cascaded integrators and combs: sums over the last samples, again and again, without a product.

use super::{Comb, RateError, Stage};
use crate::filter::{Taps, Transfer};
use num_complex::Complex64;

impl Comb {
    /// The gain of its sums, (R·M)^N of order N, delay M and factor R: what words grow by on integers.
    pub fn growth(self, factor: usize) -> u128 {
        ((factor * self.delay) as u128).pow(self.order as u32)
    }

    /// The bits that words grow by: those of (R·M)^N − 1 (Hogenauer 1981, equation 11).
    ///
    /// ```
    /// use mellow_rake::rates::Comb;
    /// // Hogenauer's own example: order 4, factor 25, 16 bits in and 35 within.
    /// assert_eq!(Comb { order: 4, delay: 1 }.growth_bits(25), 19);
    /// assert_eq!(Comb { order: 3, delay: 1 }.growth_bits(8), 9);
    /// ```
    pub fn growth_bits(self, factor: usize) -> u32 {
        128 - (self.growth(factor) - 1).leading_zeros()
    }

    /// What sums make of a constant where the rate goes up and down by these, one of them 1: that, and over
    /// `up`, for zeros stand between the words.
    pub(crate) fn sums_gain(self, up: usize, down: usize) -> u128 {
        self.growth(up.max(down)) / up as u128
    }

    /// The bits that words grow by there.
    pub(crate) fn sums_growth_bits(self, up: usize, down: usize) -> u32 {
        128 - (self.sums_gain(up, down) - 1).leading_zeros()
    }

    /// The response of all sums together over their gain, at an angle per sample of the higher rate:
    /// (sin(ωL/2)/(L·sin(ω/2)))^N behind N·(L − 1)/2 samples, L = R·M (Hogenauer 1981, equation 6).
    pub(super) fn response(self, factor: usize, omega: f64) -> Complex64 {
        let length = (factor * self.delay) as f64;
        let half = omega / 2.0;
        let below = length * libm::sin(half);
        let one = if below == 0.0 { 1.0 } else { libm::sin(length * half) / below };
        let order = self.order as f64;
        let turn = -order * (length - 1.0) * half;
        let size = (0..self.order).fold(1.0, |product, _| product * one);
        Complex64::new(size * libm::cos(turn), size * libm::sin(turn))
    }

    /// The response of all sums, a sample at the higher rate, as whole numbers. They add up to
    /// [`growth`](Self::growth).
    pub(crate) fn sums(self, factor: usize) -> Vec<u128> {
        let length = factor * self.delay;
        let mut taps = vec![1u128];
        for _ in 0..self.order {
            let mut sum = 0;
            let count = taps.len() + length - 1;
            let added = |n: usize| {
                sum += taps.get(n).copied().unwrap_or(0);
                sum -= n.checked_sub(length).and_then(|n| taps.get(n)).copied().unwrap_or(0);
                sum
            };
            taps = (0..count).map(added).collect();
        }
        taps
    }
}

impl Stage {
    /// A stage of integrators and combs, of gain 1 at 0 Hz. In f64 it runs as the taps that it is equal to.
    ///
    /// ```
    /// use mellow_rake::rates::{Comb, Stage};
    /// let mean = Stage::comb(1, 4, Comb { order: 1, delay: 1 })?;
    /// assert_eq!(mean.taps().unwrap().0, [0.25; 4]);
    /// assert_eq!(mean.multiplies_per_output(), 0.0);
    /// let line = Stage::comb(2, 1, Comb { order: 2, delay: 1 })?;
    /// assert_eq!(line.taps().unwrap().0, [0.5, 1.0, 0.5]);
    /// # Ok::<(), mellow_rake::rates::RateError>(())
    /// ```
    ///
    /// # Errors
    /// [`RateError`] for factors out of range, a change that goes not one way, or an order or delay that is
    /// none.
    pub fn comb(up: usize, down: usize, comb: Comb) -> Result<Self, RateError> {
        for (way, found) in [("up", up), ("down", down)] {
            if !(1..=Stage::LARGEST_FACTOR).contains(&found) {
                return Err(RateError::Factor { way, found });
            }
        }
        let fits = (1..=Comb::LARGEST_ORDER).contains(&comb.order)
            && (1..=Comb::LARGEST_DELAY).contains(&comb.delay);
        if up.min(down) > 1 || up.max(down) == 1 || !fits {
            return Err(RateError::Comb { up, down, order: comb.order, delay: comb.delay });
        }
        let factor = up.max(down);
        let gain = up as f64 / comb.growth(factor) as f64;
        let taps = comb.sums(factor).iter().map(|tap| *tap as f64 * gain).collect();
        Stage::new(up, down, Taps(taps)).map(|stage| stage.with_comb(comb))
    }

    /// The response of its taps at an angle per sample of the rate at which it filters; of integrators and
    /// combs in closed form.
    pub fn response(&self, omega: f64) -> Complex64 {
        match self.as_sums() {
            Some(comb) => comb.response(self.up().max(self.down()), omega) * self.up() as f64,
            None => self.form().response(omega),
        }
    }

    /// Additions for a sample that comes out, on average: of taps one less than products; of integrators and
    /// combs one for each and every sample at its rate; of sections those of direct form I.
    pub fn adds_per_output(&self) -> f64 {
        match self.as_sums() {
            Some(comb) => {
                // Per sample out: at the higher rate `down` of them, at the lower 1/`up`.
                comb.order as f64 * (self.down() as f64 + 1.0 / self.up() as f64)
            }
            None if self.taps().is_none() => (self.form().cost()[1] * self.down()) as f64,
            None => (self.multiplies_per_output() - 1.0).max(0.0),
        }
    }
}
