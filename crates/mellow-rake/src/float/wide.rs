//! The same order of operations in twice double precision: the reference that filters in floating point are
//! held against.
//!
//! A number is the unevaluated sum of two (M. Joldes, J.-M. Muller & V. Popescu, "Tight and rigorous error
//! bounds for basic building blocks of double-word arithmetic", 2017): sums by their algorithm 6, off by less
//! than 4 · 2^(−106) of themselves, products by algorithm 11, off by less than 5 · 2^(−106), where nothing is
//! subnormal.

use super::FloatFilter;
use super::run::{Machine, Real};

/// What a result is off at most, relative to itself: with some room.
pub(super) const UNIT: f64 = 1.0 / (1u128 << 100) as f64;

/// The sum of two, the first that of both rounded.
#[derive(Clone, Copy)]
struct Wide(f64, f64);

/// A sum and what rounding it has lost (D. E. Knuth, "The Art of Computer Programming" 2, 4.2.2, theorem B).
fn two_sum(a: f64, b: f64) -> Wide {
    let sum = a + b;
    let b_part = sum - a;
    let a_part = sum - b_part;
    Wide(sum, (a - a_part) + (b - b_part))
}

/// The same where the first is the larger (T. J. Dekker, 1971).
fn fast_two_sum(a: f64, b: f64) -> Wide {
    let sum = a + b;
    Wide(sum, b - (sum - a))
}

impl Real for Wide {
    const ZERO: Self = Wide(0.0, 0.0);
    fn of(value: f64) -> Self {
        Wide(value, 0.0)
    }
    fn value(self) -> f64 {
        self.0
    }
    fn times(self, other: Self) -> Self {
        let product = self.0 * other.0;
        let lost = libm::fma(self.0, other.0, -product);
        let cross = libm::fma(self.0, other.1, self.1 * other.0);
        fast_two_sum(product, lost + cross)
    }
    fn plus(self, other: Self) -> Self {
        let (high, low) = (two_sum(self.0, other.0), two_sum(self.1, other.1));
        let first = fast_two_sum(high.0, high.1 + low.0);
        fast_two_sum(first.0, low.1 + first.1)
    }
    fn minus(self, other: Self) -> Self {
        self.plus(Wide(-other.0, -other.1))
    }
}

/// What goes out, each as the sum of two.
pub(crate) fn run_wide(filter: &FloatFilter, input: &[f64]) -> Vec<[f64; 2]> {
    let mut machine: Machine<Wide> = Machine::new(filter);
    let step = |x: &f64| {
        let Wide(high, low) = machine.step(Real::of(*x));
        [high, low]
    };
    input.iter().map(step).collect()
}
