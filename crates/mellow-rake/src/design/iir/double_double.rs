//! Numbers of twice the precision of f64, as the unevaluated sum of two: just enough to evaluate a polynomial next to
//! its roots.

use num_complex::Complex64;

/// high + low, |low| at most half a unit in the last place of high.
#[derive(Debug, Clone, Copy)]
struct Double {
    high: f64,
    low: f64,
}

impl Double {
    fn new(high: f64) -> Self {
        Double { high, low: 0.0 }
    }

    /// Dekker, *A floating-point technique for extending the available precision*, 1971, add2; the sums are
    /// Knuth's, which need no order of size.
    fn add(self, other: Double) -> Double {
        let (sum, error) = two_sum(self.high, other.high);
        let (high, low) = two_sum(sum, error + self.low + other.low);
        Double { high, low }
    }

    fn multiply(self, other: Double) -> Double {
        let product = self.high * other.high;
        let error = libm::fma(self.high, other.high, -product);
        let (high, low) = two_sum(product, error + self.high * other.low + self.low * other.high);
        Double { high, low }
    }

    fn negative(self) -> Double {
        Double { high: -self.high, low: -self.low }
    }
}

fn two_sum(a: f64, b: f64) -> (f64, f64) {
    let sum = a + b;
    let part = sum - a;
    (sum, (a - (sum - part)) + (b - part))
}

/// A complex number of twice the precision.
#[derive(Debug, Clone, Copy)]
pub(super) struct Complex {
    re: Double,
    im: Double,
}

impl Complex {
    pub(super) fn new(z: Complex64) -> Self {
        Complex { re: Double::new(z.re), im: Double::new(z.im) }
    }

    pub(super) fn add(self, other: Complex) -> Complex {
        Complex { re: self.re.add(other.re), im: self.im.add(other.im) }
    }

    pub(super) fn multiply(self, other: Complex) -> Complex {
        Complex {
            re: self.re.multiply(other.re).add(self.im.multiply(other.im).negative()),
            im: self.re.multiply(other.im).add(self.im.multiply(other.re)),
        }
    }

    pub(super) fn scaled(self, factor: f64) -> Complex {
        let factor = Double::new(factor);
        Complex { re: self.re.multiply(factor), im: self.im.multiply(factor) }
    }

    pub(super) fn rounded(self) -> Complex64 {
        Complex64::new(self.re.high + self.re.low, self.im.high + self.im.low)
    }
}
