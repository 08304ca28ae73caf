//! The few functions of complex numbers that are needed, from `libm` and exact operations: the same bits on
//! every machine.

use num_complex::Complex64;

/// |z|
pub fn modulus(z: Complex64) -> f64 {
    libm::hypot(z.re, z.im)
}

/// √z with a real part of at least zero.
///
/// The larger part comes from |z| + |re|, which does not cancel; the other from im/2 divided by it.
pub fn square_root(z: Complex64) -> Complex64 {
    if z.re == 0.0 && z.im == 0.0 {
        return Complex64::new(0.0, 0.0);
    }
    let large = libm::sqrt((modulus(z) + z.re.abs()) / 2.0);
    let small = z.im / (2.0 * large);
    if z.re >= 0.0 {
        Complex64::new(large, small)
    } else {
        Complex64::new(small.abs(), libm::copysign(large, z.im))
    }
}
