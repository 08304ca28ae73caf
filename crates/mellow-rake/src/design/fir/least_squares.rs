//! Weighted least squares over bands, in closed form.

use super::bands::{Band, BandError, check_bands};
use super::exchange::without_traces;
use crate::design::double_double::Double;
use crate::filter::LinearPhase;
use nalgebra::{DMatrix, DVector};

/// The most taps: the normal equations grow with their square, the time to solve them with the cube.
pub(in crate::design) const LARGEST: usize = 3_001;

/// Why a least-squares design failed.
#[derive(Debug, Clone, Copy, PartialEq, thiserror::Error)]
#[non_exhaustive]
pub enum LeastSquaresError {
    /// The bands are no task.
    #[error(transparent)]
    Bands(#[from] BandError),
    /// Too many taps.
    #[error("least squares are there up to {LARGEST} taps; {taps} were asked for")]
    TooLong {
        /// The taps asked for.
        taps: usize,
    },
    /// There is no free coefficient, or the normal equations cannot be solved.
    #[error("the bands do not determine {taps} taps")]
    Undetermined {
        /// The taps asked for.
        taps: usize,
    },
}

/// A system of normal equations: entries from sums and differences of the frequencies of the basis.
struct Normal {
    /// Added to every entry of the diagonal.
    ridge: f64,
    /// (i, j) ↦ difference(i − j) ± sum(i + j), in halves of a step.
    cosines: Vec<Double>,
    /// Twice the frequency of each unknown.
    twice: Vec<usize>,
    sign: f64,
    right: Vec<Double>,
}

impl Normal {
    fn entry(&self, i: usize, j: usize) -> Double {
        let (a, b) = (self.twice[i], self.twice[j]);
        let sum = self.cosines[(a + b) / 2];
        let difference = self.cosines[a.abs_diff(b) / 2];
        let entry = if self.sign > 0.0 { difference.add(sum) } else { difference.subtract(sum) };
        if i == j { entry.add(Double::new(self.ridge)) } else { entry }
    }
}

/// Taps of least square error.
#[derive(Debug, Clone, PartialEq)]
#[non_exhaustive]
pub struct LeastSquares {
    /// The taps.
    pub taps: Vec<f64>,
    /// Whether the bands alone leave the taps undetermined within 32 digits, so that of equally good ones the
    /// smallest were taken.
    pub smallest_of_many: bool,
}

/// The taps of least ∫ (weight·(A − desired))² over the bands, of a type of linear phase.
///
/// With `every` = Some(M), taps that lie a multiple of M from the middle are zero and the middle one is 1/M:
/// an M-th band filter. The integrals of products of cosines or sines and of straight lines are closed
/// (Vaidyanathan & Nguyen, *Eigenfilters*, 1987, and any table); the normal equations are solved by
/// Cholesky's method in f64 with residuals in twice the precision until the correction vanishes, and, where
/// f64 cannot, wholly in twice the precision. Where wide gaps between the bands leave more freedom than 32
/// digits can tell apart, 1e-26 of the largest possible square error per squared tap is added: the responses
/// within the bands then agree to some 1e-13 all the same. `relative` weights are not taken: the error is
/// absolute.
///
/// # Errors
/// [`LeastSquaresError`] for bands that are no task, and where the bands do not determine the taps.
pub fn least_squares(
    bands: &[Band],
    kind: LinearPhase,
    taps: usize,
    every: Option<usize>,
) -> Result<LeastSquares, LeastSquaresError> {
    check_bands(bands)?;
    if taps > LARGEST {
        return Err(LeastSquaresError::TooLong { taps });
    }
    let odd = taps % 2 == 1;
    let antisymmetric = kind.is_antisymmetric();
    let middle_fits = every.is_none_or(|m| m > 0 && odd && !antisymmetric);
    if taps == 0 || LinearPhase::of(antisymmetric, taps) != kind || !middle_fits {
        return Err(LeastSquaresError::Undetermined { taps });
    }
    // Twice the frequency of the basis functions, by distance from the middle: 0, 2, 4, … or 1, 3, 5, …
    let all: Vec<usize> = (0..taps.div_ceil(2))
        .map(|k| if odd { 2 * k } else { 2 * k + 1 })
        .filter(|&k| !(antisymmetric && k == 0))
        .collect();
    let free = |twice: &usize| every.is_none_or(|m| !odd || !(twice / 2).is_multiple_of(m));
    let twice: Vec<usize> = all.iter().copied().filter(free).collect();
    let Some(&highest) = twice.last() else {
        return Err(LeastSquaresError::Undetermined { taps });
    };

    let (mut cosines, mut right) =
        (vec![Double::ZERO; highest + 1], vec![Double::ZERO; twice.len()]);
    let two_pi = Double::PI.multiply(Double::new(2.0));
    for band in bands {
        let power = Double::product(band.weight, band.weight);
        let ends = [band.low, band.high];
        let width = Double::new(band.high).subtract(Double::new(band.low));
        // ∫ cos 2πnf df, n whole
        for (n, slot) in cosines.iter_mut().enumerate() {
            let integral = if n == 0 {
                width
            } else {
                let [a, b] = ends.map(|f| Double::sine_cosine(Double::product(n as f64, f))[0]);
                b.subtract(a).divide(two_pi.multiply(Double::new(n as f64)))
            };
            *slot = slot.add(power.multiply(integral));
        }
        // ∫ desired·cos or sin 2π(k/2)f df, by parts
        let rise = Double::new(band.level[1]).subtract(Double::new(band.level[0]));
        let slope = rise.divide(width);
        // What the fixed middle tap gives already.
        let fixed = every.map_or(0.0, |m| 1.0 / m as f64);
        let level = band.level.map(|level| Double::new(level).subtract(Double::new(fixed)));
        for (slot, &k) in right.iter_mut().zip(&twice) {
            let integral = if k == 0 {
                level[0].add(level[1]).multiply(width).multiply(Double::new(0.5))
            } else {
                let rate = two_pi.multiply(Double::new(k as f64 / 2.0));
                let turns = |f: f64| Double::sine_cosine(Double::product(k as f64 / 2.0, f));
                let [[sa, ca], [sb, cb]] = ends.map(turns);
                let (edges, turn) = if antisymmetric {
                    (level[0].multiply(ca).subtract(level[1].multiply(cb)), sb.subtract(sa))
                } else {
                    (level[1].multiply(sb).subtract(level[0].multiply(sa)), cb.subtract(ca))
                };
                edges.divide(rate).add(slope.multiply(turn).divide(rate.multiply(rate)))
            };
            *slot = slot.add(power.multiply(integral).multiply(Double::new(2.0)));
        }
    }
    let sign = if antisymmetric { -1.0 } else { 1.0 };
    let ridge = 1e-26 * cosines[0].rounded();
    let mut normal = Normal { ridge: 0.0, cosines, twice, sign, right };
    let determined = refine(&normal).or_else(|| solve_in_double(&normal));
    let smallest_of_many = determined.is_none();
    let amplitudes = determined
        .or_else(|| {
            normal.ridge = ridge;
            solve_in_double(&normal)
        })
        .ok_or(LeastSquaresError::Undetermined { taps })?;

    let mut result = vec![0.0; taps];
    if let Some(m) = every {
        result[taps / 2] = 1.0 / m as f64;
    }
    for (&k, amplitude) in normal.twice.iter().zip(amplitudes) {
        let (low, high) = ((taps - 1 - k) / 2, (taps - 1 + k) / 2);
        let half = amplitude / 2.0;
        if k == 0 {
            result[low] = amplitude;
        } else if antisymmetric {
            // H = j·A: h before the middle is +A/2.
            (result[low], result[high]) = (half, -half);
        } else {
            (result[low], result[high]) = (half, half);
        }
    }
    without_traces(&mut result);
    Ok(LeastSquares { taps: result, smallest_of_many })
}

/// Cholesky in f64, corrected with residuals in twice the precision; `None` where that does not settle.
fn refine(normal: &Normal) -> Option<Vec<f64>> {
    let size = normal.right.len();
    let matrix = DMatrix::from_fn(size, size, |i, j| normal.entry(i, j).rounded());
    let factors = matrix.cholesky()?;
    let mut solution = vec![Double::ZERO; size];
    let mut before = f64::INFINITY;
    for _ in 0..12 {
        let residual = DVector::from_fn(size, |i, _| {
            let product =
                |sum: Double, j: usize| sum.subtract(normal.entry(i, j).multiply(solution[j]));
            (0..size).fold(normal.right[i], product).rounded()
        });
        let correction = factors.solve(&residual);
        for (x, c) in solution.iter_mut().zip(&correction) {
            *x = x.add(Double::new(*c));
        }
        let largest =
            |values: &mut dyn Iterator<Item = f64>| values.fold(0.0, |m: f64, v| m.max(v.abs()));
        let size = largest(&mut solution.iter().map(|x| x.rounded()));
        let moved = largest(&mut correction.iter().copied());
        if moved <= 1e-16 * size {
            return Some(solution.into_iter().map(Double::rounded).collect());
        }
        // Each step must gain a digit at least.
        if moved.is_nan() || moved > before / 10.0 {
            return None;
        }
        before = moved;
    }
    None
}

/// Cholesky in twice the precision; `None` where even that loses the positive definiteness.
fn solve_in_double(normal: &Normal) -> Option<Vec<f64>> {
    let size = normal.right.len();
    let mut factor: Vec<Vec<Double>> = Vec::with_capacity(size);
    for i in 0..size {
        let mut row: Vec<Double> = Vec::with_capacity(i + 1);
        let below = |row: &[Double], known: &[Double], j: usize| {
            let known = row.iter().zip(known).take(j);
            known.fold(normal.entry(i, j), |sum, (a, b)| sum.subtract(a.multiply(*b)))
        };
        for (j, known) in factor.iter().enumerate() {
            let entry = below(&row, known, j).divide(known[j]);
            row.push(entry);
        }
        let pivot = below(&row, &row, i);
        // Below this the pivot is rounding error.
        if pivot.rounded() <= 1e-29 * normal.entry(i, i).rounded() {
            return None;
        }
        row.push(pivot.square_root());
        factor.push(row);
    }
    let mut x = normal.right.clone();
    for i in 0..size {
        let sum = (0..i).fold(x[i], |sum, k| sum.subtract(factor[i][k].multiply(x[k])));
        x[i] = sum.divide(factor[i][i]);
    }
    for i in (0..size).rev() {
        let sum = (i + 1..size).fold(x[i], |sum, k| sum.subtract(factor[k][i].multiply(x[k])));
        x[i] = sum.divide(factor[i][i]);
    }
    Some(x.into_iter().map(Double::rounded).collect())
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::filter::Taps;

    const KINDS: [LinearPhase; 4] =
        [LinearPhase::TypeI, LinearPhase::TypeII, LinearPhase::TypeIII, LinearPhase::TypeIV];

    /// The least square error is orthogonal to every basis function: checked by an integral of another kind
    /// (Gauss-Legendre of 5 points on many panels), for all four types, wide gaps (f64 alone fails) and
    /// slopes.
    #[test]
    fn the_error_is_orthogonal_to_the_basis() {
        let nodes: [(f64, f64); 5] = [
            (0.0, 128.0 / 225.0),
            (0.538_469_310_105_683, 0.478_628_670_499_366_5),
            (-0.538_469_310_105_683, 0.478_628_670_499_366_5),
            (0.906_179_845_938_664, 0.236_926_885_056_189_1),
            (-0.906_179_845_938_664, 0.236_926_885_056_189_1),
        ];
        for kind in KINDS {
            for (taps, gap) in [(20usize, 0.05), (81, 0.02), (61, 0.2)] {
                let odd = matches!(kind, LinearPhase::TypeI | LinearPhase::TypeIII);
                let taps = if (taps % 2 == 1) == odd { taps } else { taps + 1 };
                let bands = [
                    Band { level: [0.5, 1.0], ..Band::flat(0.05, 0.15, 1.0, 1.0) },
                    Band::flat(0.15 + gap, 0.45, 0.0, 3.0),
                ];
                let found = Taps(least_squares(&bands, kind, taps, None).unwrap().taps);
                assert_eq!(found.linear_phase(), Some(kind));
                for k in [0usize, 1, 5, taps / 2 - 1] {
                    let mut inner = 0.0;
                    for band in &bands {
                        let panels = 400;
                        let step = (band.high - band.low) / f64::from(panels);
                        for panel in 0..panels {
                            for (node, weight) in nodes {
                                let f = band.low + step * (f64::from(panel) + 0.5 + node / 2.0);
                                let omega = std::f64::consts::TAU * f;
                                let place = k as f64 - (taps - 1) as f64 / 2.0;
                                let basis = if kind.is_antisymmetric() {
                                    (omega * place).sin()
                                } else {
                                    (omega * place).cos()
                                };
                                let error = found.amplitude(omega) - band.desired(f);
                                inner += weight * step / 2.0 * band.weight.powi(2) * error * basis;
                            }
                        }
                    }
                    assert!(inner.abs() < 1e-13, "{kind:?} {taps} {k}: {inner:e}");
                }
            }
        }
    }
}
