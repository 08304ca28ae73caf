//! Numbers of twice the precision of f64, as the unevaluated sum of two: enough to evaluate a polynomial next
//! to its roots and to solve normal equations that f64 cannot.

use num_complex::Complex64;

/// high + low, |low| at most half a unit in the last place of high.
#[derive(Debug, Clone, Copy)]
pub(super) struct Double {
    high: f64,
    low: f64,
}

impl Double {
    pub(super) const ZERO: Double = Double { high: 0.0, low: 0.0 };
    /// π to 106 bits: f64's π, and what it lacks.
    pub(super) const PI: Double =
        Double { high: std::f64::consts::PI, low: 1.224_646_799_147_353_2e-16 };

    pub(super) fn new(high: f64) -> Self {
        Double { high, low: 0.0 }
    }

    /// The nearest f64.
    pub(super) fn rounded(self) -> f64 {
        self.high + self.low
    }

    /// Dekker, *A floating-point technique for extending the available precision*, 1971, add2; the sums are
    /// Knuth's, which need no order of size.
    pub(super) fn add(self, other: Double) -> Double {
        let (sum, error) = two_sum(self.high, other.high);
        let (high, low) = quick_two_sum(sum, error + self.low + other.low);
        Double { high, low }
    }

    pub(super) fn subtract(self, other: Double) -> Double {
        self.add(other.negative())
    }

    /// Dekker 1971, mul2. Factors of 2^996 and more overflow.
    pub(super) fn multiply(self, other: Double) -> Double {
        let (product, error) = two_product(self.high, other.high);
        let (high, low) =
            quick_two_sum(product, error + (self.high * other.low + self.low * other.high));
        Double { high, low }
    }

    /// Two quotients: the second corrects what the first leaves.
    pub(super) fn divide(self, other: Double) -> Double {
        let first = self.high / other.high;
        let rest = self.subtract(other.multiply(Double::new(first)));
        let (high, low) = quick_two_sum(first, rest.high / other.high);
        Double { high, low }
    }

    /// One Newton step from the root of the high part.
    pub(super) fn square_root(self) -> Double {
        let near = libm::sqrt(self.high);
        if near == 0.0 {
            return Double::ZERO;
        }
        let rest = self.subtract(Double::new(near).multiply(Double::new(near)));
        let (high, low) = quick_two_sum(near, rest.high / (2.0 * near));
        Double { high, low }
    }

    pub(super) fn negative(self) -> Double {
        Double { high: -self.high, low: -self.low }
    }

    /// Sine and cosine of 2π·`turns`, by their power series after reduction to an eighth of a turn.
    pub(super) fn sine_cosine(turns: Double) -> [Double; 2] {
        // Quarter turns are taken out exactly.
        let quarters = libm::rint(turns.high * 4.0);
        let rest = turns.subtract(Double::new(quarters / 4.0));
        let x = rest.multiply(Double::PI).multiply(Double::new(2.0));
        let square = x.multiply(x).negative();
        let series = |first: Double, from: f64| {
            let (mut sum, mut term) = (first, first);
            for k in 0..16 {
                let n = from + 2.0 * f64::from(k);
                term = term.multiply(square).divide(Double::new((n + 1.0) * (n + 2.0)));
                sum = sum.add(term);
            }
            sum
        };
        let (sine, cosine) = (series(x, 1.0), series(Double::new(1.0), 0.0));
        match quarters.rem_euclid(4.0) as u8 {
            0 => [sine, cosine],
            1 => [cosine, sine.negative()],
            2 => [sine.negative(), cosine.negative()],
            _ => [cosine.negative(), sine],
        }
    }

    /// The exact product of two f64.
    pub(super) fn product(a: f64, b: f64) -> Double {
        let (high, low) = two_product(a, b);
        Double { high, low }
    }
}

/// Dekker 1971: the product and its rounding error, by splitting both factors in halves.
fn two_product(a: f64, b: f64) -> (f64, f64) {
    let product = a * b;
    let halves = |x: f64| {
        let scaled = 134_217_729.0 * x;
        let high = scaled - (scaled - x);
        (high, x - high)
    };
    let ((ah, al), (bh, bl)) = (halves(a), halves(b));
    (product, ((ah * bh - product) + ah * bl + al * bh) + al * bl)
}

/// The sum and its rounding error where |a| is at least |b|.
fn quick_two_sum(a: f64, b: f64) -> (f64, f64) {
    let sum = a + b;
    (sum, b - (sum - a))
}

fn two_sum(a: f64, b: f64) -> (f64, f64) {
    let sum = a + b;
    let part = sum - a;
    (sum, (a - (sum - part)) + (b - part))
}

/// A complex number of twice the precision.
#[derive(Debug, Clone, Copy)]
pub(in crate::design) struct Complex {
    re: Double,
    im: Double,
}

impl Complex {
    pub(in crate::design) fn new(z: Complex64) -> Self {
        Complex { re: Double::new(z.re), im: Double::new(z.im) }
    }

    pub(in crate::design) fn add(self, other: Complex) -> Complex {
        Complex { re: self.re.add(other.re), im: self.im.add(other.im) }
    }

    pub(in crate::design) fn multiply(self, other: Complex) -> Complex {
        Complex {
            re: self.re.multiply(other.re).add(self.im.multiply(other.im).negative()),
            im: self.re.multiply(other.im).add(self.im.multiply(other.re)),
        }
    }

    pub(in crate::design) fn scaled(self, factor: f64) -> Complex {
        let factor = Double::new(factor);
        Complex { re: self.re.multiply(factor), im: self.im.multiply(factor) }
    }

    pub(in crate::design) fn rounded(self) -> Complex64 {
        Complex64::new(self.re.high + self.re.low, self.im.high + self.im.low)
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    /// sin² + cos² = 1, sin(1/12 turn) = 1/2, and the square root of 2 squared, each to some 1e-31.
    #[test]
    fn identities_hold_in_twice_the_precision() {
        let one = Double::new(1.0);
        for k in -40..40 {
            let turns = Double::new(f64::from(k)).divide(Double::new(27.0));
            let [s, c] = Double::sine_cosine(turns);
            let rest = s.multiply(s).add(c.multiply(c)).subtract(one);
            assert!(rest.rounded().abs() < 1e-30, "{k}: {rest:?}");
        }
        let [half, _] = Double::sine_cosine(one.divide(Double::new(12.0)));
        assert!(half.subtract(Double::new(0.5)).rounded().abs() < 1e-31, "{half:?}");
        let root = Double::new(2.0).square_root();
        assert!(root.multiply(root).subtract(Double::new(2.0)).rounded().abs() < 1e-31);
    }
}
