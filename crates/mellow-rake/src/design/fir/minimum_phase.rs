//! Minimum phase from linear phase.

use crate::filter::complex::modulus;
use crate::filter::{RootsError, Taps, Transfer, polynomial_roots};
use num_complex::Complex64;
use std::f64::consts::PI;

/// The most taps of a minimum-phase design.
pub(super) const LARGEST: usize = 2_001;

/// Why a filter has no minimum-phase form here.
#[derive(Debug, Clone, Copy, PartialEq, thiserror::Error)]
#[non_exhaustive]
pub enum MinimumPhaseError {
    /// The zeros were not found.
    #[error("minimum phase: {0}")]
    Roots(#[from] RootsError),
    /// The gain changed by more than rounding.
    #[error(
        "minimum phase: mirroring the zeros changed the gain by {loss:.1e} of its peak (zeros that lie close \
         together or in pairs on the unit circle cannot be told apart)"
    )]
    Loss {
        /// The largest change of gain over the peak gain.
        loss: f64,
    },
    /// Too many taps.
    #[error("minimum phase is there up to {LARGEST} taps; {found} were asked for")]
    TooLong {
        /// The taps asked for.
        found: usize,
    },
}

/// The taps with the same gain and the least delay, and the largest change of gain over the peak gain.
///
/// Every zero outside the unit circle is mirrored into it. The taps come from the values of the product on
/// the roots of unity, never from multiplying polynomials out.
pub(super) fn minimum_phase(taps: &[f64]) -> Result<(Vec<f64>, f64), MinimumPhaseError> {
    const NEAR: f64 = 1e-9;
    /// What may be lost.
    const LARGEST_LOSS: f64 = 1e-9;
    if taps.len() > LARGEST {
        return Err(MinimumPhaseError::TooLong { found: taps.len() });
    }
    let zeros: Vec<Complex64> = polynomial_roots(taps)?
        .into_iter()
        .map(|z| if modulus(z) > 1.0 + NEAR { z.conj().inv() } else { z })
        .collect();
    let count = taps.len();
    // ∏(1 − z_k·w⁻¹) on the grid, mantissas and exponents apart.
    let grid: Vec<(Complex64, i32)> = (0..count)
        .map(|k| {
            let angle = 2.0 * PI * k as f64 / count as f64;
            let w = Complex64::new(libm::cos(angle), -libm::sin(angle));
            let (mut product, mut exponent) = (Complex64::new(1.0, 0.0), 0);
            for zero in &zeros {
                product *= Complex64::new(1.0, 0.0) - zero * w;
                let size = modulus(product);
                if size > 0.0 && !(1e-3..1e3).contains(&size) {
                    let shift = libm::ilogb(size);
                    product *= libm::scalbn(1.0, -shift);
                    exponent += shift;
                }
            }
            (product, exponent)
        })
        .collect();
    let highest = grid.iter().map(|(_, exponent)| *exponent).max().unwrap_or(0);
    let values: Vec<Complex64> = grid
        .iter()
        .map(|(value, exponent)| value * libm::scalbn(1.0, (exponent - highest).max(-2000)))
        .collect();
    let table: Vec<Complex64> = (0..count)
        .map(|j| {
            let angle = 2.0 * PI * j as f64 / count as f64;
            Complex64::new(libm::cos(angle), libm::sin(angle))
        })
        .collect();
    let unscaled: Vec<f64> = (0..count)
        .map(|n| {
            let terms = values.iter().enumerate().map(|(k, v)| (v * table[k * n % count]).re);
            terms.sum::<f64>()
        })
        .collect();
    let (before, unscaled) = (Taps(taps.to_vec()), Taps(unscaled));
    // The scale from where the gain is largest; then the comparison everywhere.
    let points = 8 * count;
    let gains: Vec<[f64; 2]> = (0..=points)
        .map(|k| PI * k as f64 / points as f64)
        .map(|omega| [before.gain(omega), unscaled.gain(omega)])
        .collect();
    let peak = gains.iter().copied().fold([0.0, 1.0], |a, b| if b[0] > a[0] { b } else { a });
    let scale = peak[0] / peak[1];
    let change = gains.iter().map(|[a, b]| (a - b * scale).abs()).fold(0.0, f64::max);
    let loss = change / peak[0];
    if loss.is_nan() || loss > LARGEST_LOSS {
        return Err(MinimumPhaseError::Loss { loss });
    }
    Ok((unscaled.0.into_iter().map(|tap| tap * scale).collect(), loss))
}

#[cfg(test)]
mod tests {
    use super::super::{Band, equiripple};
    use super::*;
    use crate::filter::LinearPhase;

    /// The same gain, and at every index at least as much energy up to there as with linear phase.
    #[test]
    fn the_energy_comes_first() {
        for (taps, gap) in [(41, 0.05), (255, 0.02), (801, 0.006)] {
            let bands = [Band::flat(0.0, 0.1, 1.0, 1.0), Band::flat(0.1 + gap, 0.5, 0.0, 10.0)];
            let linear = equiripple(&bands, LinearPhase::TypeI, taps).unwrap().taps;
            let (least, loss) = minimum_phase(&linear).unwrap();
            assert!(loss < 1e-10, "{taps}: {loss:e}");
            let (mut a, mut b) = (0.0, 0.0);
            for (x, y) in least.iter().zip(&linear) {
                a += x * x;
                b += y * y;
                assert!(a >= b * (1.0 - 1e-9));
            }
            assert!((a - b).abs() < 1e-9 * b);
        }
    }
}
