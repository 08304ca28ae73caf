//! Random numbers that are the same on every machine.

use rand_chacha::ChaCha8Rng;
use rand_chacha::rand_core::{Rng, SeedableRng};
use std::f64::consts::TAU;

/// A seeded source of random numbers: ChaCha with 8 rounds, whose output is fixed by its definition.
///
/// ```
/// use mellow_rake::random::NoiseSource;
/// let (mut a, mut b) = (NoiseSource::new(7), NoiseSource::new(7));
/// assert_eq!(a.uniform(), b.uniform());
/// let x = a.integer(-128, 127);
/// assert!((-128..=127).contains(&x));
/// ```
#[derive(Debug, Clone)]
pub struct NoiseSource {
    generator: ChaCha8Rng,
}

impl NoiseSource {
    /// A source that always gives the same numbers for the same seed.
    pub fn new(seed: u64) -> Self {
        NoiseSource { generator: ChaCha8Rng::seed_from_u64(seed) }
    }

    /// Uniform from 0 to 1, 1 excluded, in steps of 2^−53.
    pub fn uniform(&mut self) -> f64 {
        (self.generator.next_u64() >> 11) as f64 * libm::scalbn(1.0, -53)
    }

    /// Normal with mean 0 and variance 1 (Box & Muller, *A note on the generation of random normal deviates*,
    /// 1958, eq. 1).
    pub fn normal(&mut self) -> f64 {
        let radius = libm::sqrt(-2.0 * libm::log(1.0 - self.uniform()));
        radius * libm::cos(TAU * self.uniform())
    }

    /// Every integer from `low` to `high` equally often; `low` must not exceed `high`.
    pub fn integer(&mut self, low: i64, high: i64) -> i64 {
        let span = high.wrapping_sub(low) as u64;
        // The high half of a 64 by 64 bit product; the bias is below span/2^64.
        let share = (u128::from(self.generator.next_u64()) * (u128::from(span) + 1)) >> 64;
        low.wrapping_add(share as i64)
    }
}
