//! Polynomials with real coefficients, and their roots.

use super::complex::modulus;
use num_complex::Complex64;
use std::f64::consts::TAU;

/// Why roots could not be found.
#[derive(Debug, Clone, Copy, PartialEq, thiserror::Error)]
#[non_exhaustive]
pub enum RootsError {
    /// A coefficient is no finite number, or all are zero.
    #[error("the coefficients are not all finite with one above zero in size")]
    Coefficients,
    /// The iteration did not settle.
    #[error(
        "the roots of the polynomial of degree {degree} did not settle (last correction {moved:.1e})"
    )]
    NoConvergence {
        /// Its degree.
        degree: usize,
        /// The size of the last corrections, relative to the roots.
        moved: f64,
    },
}

/// p(z)/p'(z), or `None` where p(z) is zero to rounding. Outside the unit circle the reversed polynomial is
/// evaluated, so that no power overflows.
fn newton(coefficients: &[f64], z: Complex64) -> Option<Complex64> {
    let inside = modulus(z) <= 1.0;
    let degree = (coefficients.len() - 1) as f64;
    let x = if inside { z } else { z.inv() };
    let size = modulus(x);
    let (mut value, mut slope, mut bound) =
        (Complex64::new(0.0, 0.0), Complex64::new(0.0, 0.0), 0.0);
    let mut step = |c: f64| {
        slope = slope * x + value;
        value = value * x + c;
        bound = bound * size + modulus(value);
    };
    if inside {
        coefficients.iter().for_each(|c| step(*c));
    } else {
        coefficients.iter().rev().for_each(|c| step(*c));
    }
    // The running error bound of Horner's scheme (Higham 2002, algorithm 5.1).
    if modulus(value) <= 2.0 * f64::EPSILON * bound {
        return None;
    }
    let ratio = value / slope;
    // p(z) = z^n·q(1/z): p/p' = 1/(n/z − q'/(q·z²)).
    Some(if inside { ratio } else { (x * (Complex64::new(degree, 0.0) - x / ratio)).inv() })
}

/// First guesses: on circles whose radii come from the upper hull of log|c_k| over k (Bini, *Numerical
/// computation of polynomial zeros by means of Aberth's method*, 1996).
fn guesses(coefficients: &[f64]) -> Vec<Complex64> {
    let degree = coefficients.len() - 1;
    // By rising power.
    let height = |k: usize| libm::log(coefficients[degree - k].abs());
    let mut hull: Vec<usize> = Vec::new();
    for k in (0..=degree).filter(|&k| coefficients[degree - k] != 0.0) {
        while let [.., a, b] = hull[..] {
            let slope = |i: usize, j: usize| (height(j) - height(i)) / (j - i) as f64;
            if slope(a, b) > slope(b, k) {
                break;
            }
            hull.pop();
        }
        hull.push(k);
    }
    let mut all = Vec::with_capacity(degree);
    for pair in hull.windows(2) {
        let count = pair[1] - pair[0];
        let radius = libm::exp((height(pair[0]) - height(pair[1])) / count as f64);
        for k in 0..count {
            let angle = TAU * (k as f64 / count as f64 + pair[0] as f64 / degree as f64) + 0.7;
            all.push(Complex64::new(libm::cos(angle), libm::sin(angle)) * radius);
        }
    }
    all
}

/// The roots of c\[0\]·z^n + … + c\[n\], highest power first, in exact conjugate pairs.
///
/// All at once by the Ehrlich-Aberth iteration (Aberth, *Iteration methods for finding all zeros of a
/// polynomial simultaneously*, 1973), each until its value is within the rounding error of evaluating it.
/// Roots at zero are taken out first, and so are those at exactly 1 and −1; zero coefficients in front lower
/// the degree.
///
/// How far the roots can be trusted depends on the polynomial: clustered roots lose half or more of their
/// digits. The conversions that use them state what was lost.
///
/// # Errors
/// [`RootsError`]
///
/// ```
/// use mellow_rake::filter::polynomial_roots;
/// let roots = polynomial_roots(&[1.0, -3.0, 2.0])?;
/// assert!((roots[0].re - 2.0).abs() < 1e-14 && (roots[1].re - 1.0).abs() < 1e-14);
/// # Ok::<(), mellow_rake::filter::RootsError>(())
/// ```
pub fn polynomial_roots(coefficients: &[f64]) -> Result<Vec<Complex64>, RootsError> {
    roots_within(coefficients, 2.0 * f64::EPSILON)
}

/// The same for coefficients that are themselves off by `uncertainty` of the sum of their sizes: a root this
/// near to 1 or −1 is taken for one that lies there.
pub(crate) fn roots_within(
    coefficients: &[f64],
    uncertainty: f64,
) -> Result<Vec<Complex64>, RootsError> {
    let first = coefficients.iter().position(|c| *c != 0.0).ok_or(RootsError::Coefficients)?;
    let last = coefficients.iter().rposition(|c| *c != 0.0).ok_or(RootsError::Coefficients)?;
    if coefficients.iter().any(|c| !c.is_finite()) {
        return Err(RootsError::Coefficients);
    }
    let zeros = coefficients.len() - 1 - last;
    let (mut rest, at_one) = without_ones(&coefficients[first..=last], uncertainty);
    // What is left may end in rounding errors that are exactly zero: more roots there.
    let ends = rest.iter().rposition(|c| *c != 0.0).ok_or(RootsError::Coefficients)?;
    let zeros = zeros + rest.len() - 1 - ends;
    rest.truncate(ends + 1);
    let coefficients = &rest[..];
    let (roots, moved) = unpaired(coefficients)?;
    let degree = coefficients.len() - 1;
    let mut roots = paired(roots).ok_or(RootsError::NoConvergence { degree, moved })?;
    for root in roots.iter_mut().filter(|root| root.im == 0.0) {
        if let Some(step) = newton(coefficients, *root) {
            let better = *root - step;
            if newton(coefficients, better).is_none_or(|next| modulus(next) < modulus(step)) {
                *root = better;
            }
        }
    }
    roots.extend(at_one);
    roots.extend(vec![Complex64::new(0.0, 0.0); zeros]);
    Ok(roots)
}

/// Sets of roots that may be those of a polynomial whose roots occur several times over, as the zeros of
/// filters do. Rounding its coefficients spreads a root of multiplicity m over a circle of radius ε^(1/m),
/// but leaves the mean of that circle where it was (W. Kahan, "Conserving confluence curbs ill-condition",
/// 1972): in each set those that lie nearer to each other than some distance stand at their mean. Which set
/// is the best the caller finds out, by what it makes of the polynomial.
///
/// # Errors
/// [`RootsError`] for no polynomial, and where no set was found.
pub(crate) fn confluent_roots(coefficients: &[f64]) -> Result<Vec<Vec<Complex64>>, RootsError> {
    let first = coefficients.iter().position(|c| *c != 0.0).ok_or(RootsError::Coefficients)?;
    let last = coefficients.iter().rposition(|c| *c != 0.0).ok_or(RootsError::Coefficients)?;
    if coefficients.iter().any(|c| !c.is_finite()) {
        return Err(RootsError::Coefficients);
    }
    let zeros = vec![Complex64::new(0.0, 0.0); coefficients.len() - 1 - last];
    let mut sets: Vec<Vec<Complex64>> =
        roots_within(coefficients, 2.0 * f64::EPSILON).into_iter().collect();
    let (rest, at_one) = without_multiple_ones(&coefficients[first..=last]);
    let degree = rest.len() - 1;
    let (roots, moved) = unpaired(&rest)?;
    for distance in [0.0, 1e-6, 1e-5, 1e-4, 1e-3, 1e-2, 0.05] {
        if let Some(mut set) = paired(at_means(&rest, &roots, distance)) {
            set.extend(&at_one);
            set.extend(&zeros);
            sets.push(set);
        }
    }
    if sets.is_empty() { Err(RootsError::NoConvergence { degree, moved }) } else { Ok(sets) }
}

/// The derivative of a polynomial, highest power first.
fn derivative(coefficients: &[f64]) -> Vec<f64> {
    let degree = coefficients.len() - 1;
    coefficients[..degree].iter().enumerate().map(|(k, c)| c * (degree - k) as f64).collect()
}

/// Roots, those that lie nearer to each other than a distance, directly or over others, all at one place:
/// there the (m − 1)-th derivative has a root of its own, which is as sure as the coefficients are. Its
/// search starts at their mean.
fn at_means(coefficients: &[f64], roots: &[Complex64], distance: f64) -> Vec<Complex64> {
    let mut group: Vec<usize> = (0..roots.len()).collect();
    for one in 0..roots.len() {
        for other in 0..one {
            if modulus(roots[one] - roots[other]) < distance {
                let (from, to) = (group[one], group[other]);
                group.iter_mut().filter(|group| **group == from).for_each(|group| *group = to);
            }
        }
    }
    let place = |index: usize| {
        let own: Vec<usize> =
            (0..roots.len()).filter(|other| group[*other] == group[index]).collect();
        let sum: Complex64 = own.iter().map(|other| roots[*other]).sum();
        let mean = sum / own.len() as f64;
        if own.len() == 1 {
            return mean;
        }
        let mut flat = coefficients.to_vec();
        for _ in 1..own.len() {
            flat = derivative(&flat);
        }
        let mut z = mean;
        for _ in 0..20 {
            let Some(step) = newton(&flat, z) else { break };
            z -= step;
        }
        // What went somewhere else was no such place.
        if modulus(z - mean) < distance { z } else { mean }
    };
    (0..roots.len()).map(place).collect()
}

/// The polynomial without its roots at −1 and 1, as often as its coefficients, each off by a rounding, can
/// have them there: the j-th coefficient of its expansion about the root is then no larger than Σ |c_k|·C(k,
/// j) times that rounding.
fn without_multiple_ones(coefficients: &[f64]) -> (Vec<f64>, Vec<Complex64>) {
    let mut rest = coefficients.to_vec();
    let mut roots = Vec::new();
    for root in [-1.0, 1.0] {
        // Of |c_k| the same expansion, about 1.
        let mut sizes: Vec<f64> = rest.iter().map(|c| c.abs()).collect();
        while rest.len() > 1 {
            let (mut quotient, mut bound) = (rest.clone(), sizes.clone());
            for k in 1..quotient.len() {
                quotient[k] += root * quotient[k - 1];
                bound[k] += bound[k - 1];
            }
            let (remainder, most) = (quotient.pop().unwrap_or(0.0), bound.pop().unwrap_or(0.0));
            if remainder.abs() > 2.0 * f64::EPSILON * most {
                break;
            }
            (rest, sizes) = (quotient, bound);
            roots.push(Complex64::new(root, 0.0));
        }
    }
    (rest, roots)
}

/// The roots as they were found, and by how much the last of them still moved.
fn unpaired(coefficients: &[f64]) -> Result<(Vec<Complex64>, f64), RootsError> {
    let degree = coefficients.len() - 1;
    let mut roots = guesses(coefficients);
    if roots.len() != degree || roots.iter().any(|z| !z.re.is_finite() || !z.im.is_finite()) {
        return Err(RootsError::NoConvergence { degree, moved: f64::INFINITY });
    }
    let mut settled = vec![false; degree];
    let mut moved = 0.0;
    for _ in 0..300 {
        moved = 0.0;
        for k in 0..degree {
            if settled[k] {
                continue;
            }
            let z = roots[k];
            let Some(step) = newton(coefficients, z) else {
                settled[k] = true;
                continue;
            };
            let others: Complex64 = roots
                .iter()
                .enumerate()
                .filter(|(other, root)| *other != k && **root != z)
                .map(|(_, root)| (z - root).inv())
                .sum();
            let correction = step / (Complex64::new(1.0, 0.0) - step * others);
            if !correction.re.is_finite() || !correction.im.is_finite() {
                roots[k] = z * Complex64::new(1.0, 1e-3);
                moved = 1.0;
                continue;
            }
            roots[k] = z - correction;
            let size = modulus(correction) / modulus(z);
            settled[k] = size <= 1e-16;
            moved = f64::max(moved, size);
        }
        if settled.iter().all(|done| *done) {
            break;
        }
    }
    if moved > 1e-9 {
        return Err(RootsError::NoConvergence { degree, moved });
    }
    Ok((roots, moved))
}

/// The polynomial without its roots at exactly 1 and −1, by synthetic division, and these roots. Filters have
/// them many times over, and a root that occurs m times is otherwise known to the m-th part of the digits
/// only.
fn without_ones(coefficients: &[f64], uncertainty: f64) -> (Vec<f64>, Vec<Complex64>) {
    let mut rest = coefficients.to_vec();
    let mut roots = Vec::new();
    for root in [-1.0, 1.0] {
        while rest.len() > 1 {
            let mut quotient = rest.clone();
            for k in 1..quotient.len() {
                quotient[k] += root * quotient[k - 1];
            }
            let remainder = quotient.pop().unwrap_or(0.0);
            let size: f64 = rest.iter().map(|c| c.abs()).sum();
            if remainder.abs() > uncertainty * size {
                break;
            }
            rest = quotient;
            roots.push(Complex64::new(root, 0.0));
        }
    }
    (rest, roots)
}

/// Roots of a real polynomial in exact conjugate pairs: each root goes with the one nearest to its mirror
/// image, itself if it is real. `None` if they do not pair.
pub(crate) fn paired(mut roots: Vec<Complex64>) -> Option<Vec<Complex64>> {
    roots.sort_by(|a, b| b.im.total_cmp(&a.im).then(b.re.total_cmp(&a.re)));
    let mut all = Vec::with_capacity(roots.len());
    while !roots.is_empty() {
        let z = roots.remove(0);
        let mirror = |other: &Complex64| modulus(*other - z.conj());
        let nearest =
            (0..roots.len()).min_by(|&a, &b| mirror(&roots[a]).total_cmp(&mirror(&roots[b])));
        let own = 2.0 * z.im.abs();
        match nearest.filter(|&at| mirror(&roots[at]) < own) {
            Some(at) => {
                let other = roots.remove(at);
                let mean = (z + other.conj()) * 0.5;
                if modulus(z - other.conj()) > 1e-6 * modulus(z) {
                    return None;
                }
                all.extend([mean, mean.conj()]);
            }
            None if own <= 1e-6 * modulus(z) => all.push(Complex64::new(z.re, 0.0)),
            None => return None,
        }
    }
    Some(all)
}

/// The monic polynomial with these roots, highest power first. Roots must come in exact conjugate pairs.
pub fn polynomial_from_roots(roots: &[Complex64]) -> Vec<f64> {
    // Small roots first: partial products stay balanced.
    let mut factors: Vec<[f64; 3]> = Vec::new();
    for root in roots {
        if root.im == 0.0 {
            factors.push([1.0, -root.re, 0.0]);
        } else if root.im > 0.0 {
            factors.push([1.0, -2.0 * root.re, root.re * root.re + root.im * root.im]);
        }
    }
    factors.sort_by(|a, b| a[2].abs().total_cmp(&b[2].abs()));
    let mut product = vec![1.0];
    for [_, c1, c2] in factors {
        let length = if c2 == 0.0 { 2 } else { 3 };
        let mut next = vec![0.0; product.len() + length - 1];
        for (k, p) in product.iter().enumerate() {
            next[k] += p;
            next[k + 1] += p * c1;
            if length == 3 {
                next[k + 2] += p * c2;
            }
        }
        product = next;
    }
    product
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    proptest! {
        /// Roots spread over the plane come back, whatever their number.
        #[test]
        fn roots_come_back(
            pairs in proptest::collection::vec((0.2f64..3.0, 0.05f64..3.09), 1..9),
            real in proptest::collection::vec(-2.0f64..2.0, 0..3),
        ) {
            let mut roots: Vec<Complex64> = real.iter().map(|&re| Complex64::new(re, 0.0)).collect();
            for (r, angle) in pairs {
                let z = Complex64::from_polar(r, angle);
                roots.extend([z, z.conj()]);
            }
            let apart = |a: usize, b: usize| (roots[a] - roots[b]).norm() > 0.1;
            prop_assume!((0..roots.len()).all(|a| (0..a).all(|b| apart(a, b))));
            let polynomial = polynomial_from_roots(&roots);
            let found = polynomial_roots(&polynomial).unwrap();
            prop_assert_eq!(found.len(), roots.len());
            for root in &roots {
                let nearest = found.iter().map(|z| (z - root).norm()).fold(f64::MAX, f64::min);
                prop_assert!(nearest < 1e-4, "{root}: {nearest:e}");
            }
        }
    }

    /// z^n = 1 for large n, roots at zero, and leading zeros.
    #[test]
    fn roots_of_unity() {
        let mut polynomial = vec![0.0; 501];
        (polynomial[0], polynomial[500]) = (1.0, -1.0);
        let roots = polynomial_roots(&polynomial).unwrap();
        assert_eq!(roots.len(), 500);
        for root in &roots {
            let turns = root.im.atan2(root.re) / TAU * 500.0;
            assert!((root.norm() - 1.0).abs() < 1e-14 && (turns - turns.round()).abs() < 1e-11);
        }
        let roots = polynomial_roots(&[0.0, 2.0, -1.0, 0.0, 0.0]).unwrap();
        assert_eq!(roots.iter().map(|z| z.re).collect::<Vec<_>>(), [0.5, 0.0, 0.0]);
        // (z + 1)·z² with a last coefficient that only rounding keeps from zero.
        let roots = polynomial_roots(&[1.0, 1.0, 0.0, 1e-20]).unwrap();
        assert_eq!(roots.iter().map(|z| z.re).collect::<Vec<_>>(), [-1.0, 0.0, 0.0]);
        assert!(polynomial_roots(&[1e300, 1e-300, 1.0]).is_ok_and(|roots| roots.len() == 2));
        assert!(polynomial_roots(&[0.0]).is_err() && polynomial_roots(&[f64::NAN, 1.0]).is_err());
        assert_eq!(polynomial_roots(&[3.0]).unwrap(), []);
    }
}
