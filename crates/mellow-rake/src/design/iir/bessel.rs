//! Roots of the reverse Bessel polynomials.

use crate::design::double_double::Complex;
use crate::filter::complex::modulus;
use num_complex::Complex64;

/// θ_n(s)/θ_n'(s), by the recurrence θ_n = (2n − 1)·θ_{n−1} + s²·θ_{n−2} (Thomson, *Delay networks having
/// maximally flat frequency characteristics*, 1949; θ_0 = 1, θ_1 = s + 1).
///
/// Next to a root the terms cancel, the more the higher the order: the polynomial itself is evaluated in
/// twice the precision, its derivative need not be. Powers of two keep both in range; their ratio does not
/// change.
fn newton_step(order: usize, s: Complex64) -> Complex64 {
    let one = Complex64::new(1.0, 0.0);
    let exact = Complex::new(s);
    let square = exact.multiply(exact);
    let (mut before, mut slope_before) = (Complex::new(one), Complex64::new(0.0, 0.0));
    let (mut now, mut slope) = (exact.add(before), one);
    for n in 2..=order {
        let factor = (2 * n - 1) as f64;
        let next = now.scaled(factor).add(square.multiply(before));
        let slope_next = slope * factor + s * before.rounded() * 2.0 + s * s * slope_before;
        let size = modulus(next.rounded()).max(modulus(slope_next));
        let scale = libm::scalbn(1.0, -libm::ilogb(size));
        (before, slope_before) = (now.scaled(scale), slope * scale);
        (now, slope) = (next.scaled(scale), slope_next * scale);
    }
    now.rounded() / slope
}

/// The roots of θ_n, or the residual at which the iteration stayed when it does not settle. The first of a
/// conjugate pair has the positive imaginary part.
///
/// All roots at once by the Ehrlich-Aberth iteration (Aberth, *Iteration methods for finding all zeros of a
/// polynomial simultaneously*, 1973), started on a circle of the mean radius of the roots.
pub(super) fn roots(order: usize) -> Result<Vec<Complex64>, f64> {
    let radius = 0.7 * order as f64 + 0.3;
    let mut roots: Vec<Complex64> = (0..order)
        .map(|k| {
            let angle = std::f64::consts::PI * (0.5 + (k as f64 + 0.5) / order as f64);
            Complex64::new(libm::cos(angle), libm::sin(angle)) * radius
        })
        .collect();
    let mut moved = f64::MAX;
    for _ in 0..200 {
        let before = moved;
        moved = 0.0;
        for k in 0..order {
            let step = newton_step(order, roots[k]);
            let others: Complex64 = (0..order)
                .filter(|other| *other != k)
                .map(|other| Complex64::new(1.0, 0.0) / (roots[k] - roots[other]))
                .sum();
            let correction = step / (Complex64::new(1.0, 0.0) - step * others);
            roots[k] -= correction;
            moved = moved.max(modulus(correction) / modulus(roots[k]));
        }
        if moved < 1e-15 || (moved < 1e-10 && moved >= before) {
            break;
        }
    }
    if moved.is_nan() || moved > 1e-10 {
        return Err(moved);
    }
    // Exact conjugates: the upper half, mirrored; an odd order has one real root.
    roots.retain(|root| root.im > 1e-9 * radius || root.im.abs() <= 1e-9 * radius);
    roots.sort_by(|a, b| b.im.total_cmp(&a.im));
    let mut all = Vec::with_capacity(order);
    for root in roots {
        if root.im.abs() <= 1e-9 * radius {
            all.push(Complex64::new(root.re, 0.0));
        } else {
            all.extend([root, root.conj()]);
        }
    }
    if all.len() == order { Ok(all) } else { Err(moved) }
}

#[cfg(test)]
mod tests {
    use super::*;

    /// Order 2 and 3 in closed form, and for all orders the sum of the roots −n(n+1)/2 and their product
    /// (2n)!/(2ⁿn!), the coefficients of the polynomial.
    #[test]
    fn roots_satisfy_the_coefficients() {
        let two = roots(2).unwrap();
        assert!(modulus(two[0] - Complex64::new(-1.5, 3f64.sqrt() / 2.0)) < 1e-15);
        for order in 1..=24usize {
            let roots = roots(order).unwrap();
            let sum: Complex64 = roots.iter().sum();
            let expected = -((order * (order + 1)) as f64) / 2.0;
            assert!(
                (sum.re / expected - 1.0).abs() < 1e-12 && sum.im.abs() < 1e-12,
                "{order}: {sum}"
            );
            let product: f64 = roots.iter().map(|root| libm::log(modulus(*root))).sum();
            let expected: f64 = (1..=order).map(|n| libm::log((2 * n - 1) as f64)).sum();
            assert!((product - expected).abs() < 1e-12 * (1.0 + expected), "{order}");
            assert!(roots.iter().all(|root| root.re < 0.0));
        }
    }
}
