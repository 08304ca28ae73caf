//! Responses that are fixed by their kind: smoothing by polynomials, half-band filters, samples of a
//! frequency response.

use super::amplitudes::from_amplitudes;
use super::bands::Band;
use super::exchange::{Equiripple, ExchangeError, equiripple};
use crate::filter::{BandKind, LinearPhase};

/// The value or a derivative, at the middle, of the polynomial of best fit to `count` samples: taps by age.
///
/// Savitzky & Golay, *Smoothing and differentiation of data by simplified least squares procedures*, 1964,
/// through orthonormal polynomials on the samples (Gram), whose recurrence needs no system of equations:
/// b_{k+1}·q_{k+1}(i) = i·q_k(i) − b_k·q_{k−1}(i), b_k² = k²(N² − k²)/(4(4k² − 1)).
pub(super) fn smoothing(count: usize, degree: usize, derivative: usize) -> Vec<f64> {
    let size = count as f64;
    let middle = (size - 1.0) / 2.0;
    let places: Vec<f64> = (0..count).map(|k| middle - k as f64).collect();
    let b = |k: usize| {
        let k = k as f64;
        libm::sqrt(k * k * (size * size - k * k) / (4.0 * (4.0 * k * k - 1.0)))
    };
    let first = 1.0 / libm::sqrt(size);
    let (mut before, mut now) = (vec![0.0; count], vec![first; count]);
    // q_k and its derivatives at the middle.
    let (mut slopes_before, mut slopes) = (vec![0.0; derivative + 1], vec![0.0; derivative + 1]);
    slopes[0] = first;
    let mut taps = vec![0.0; count];
    for k in 0..=degree {
        for (tap, q) in taps.iter_mut().zip(&now) {
            *tap += q * slopes[derivative];
        }
        if k == degree {
            break;
        }
        let (behind, ahead) = (if k == 0 { 0.0 } else { b(k) }, b(k + 1));
        let next = |i: usize| (places[i] * now[i] - behind * before[i]) / ahead;
        let next: Vec<f64> = (0..count).map(next).collect();
        let next_slopes: Vec<f64> = (0..=derivative)
            .map(|d| {
                let lower = if d == 0 { 0.0 } else { d as f64 * slopes[d - 1] };
                (lower - behind * slopes_before[d]) / ahead
            })
            .collect();
        (before, now) = (now, next);
        (slopes_before, slopes) = (slopes, next_slopes);
    }
    // The sums of both halves agree to rounding; the symmetry is exact.
    let sign = if derivative % 2 == 1 { -1.0 } else { 1.0 };
    (0..count).map(|k| (taps[k] + sign * taps[count - 1 - k]) / 2.0).collect()
}

/// An equiripple half-band filter of 4p − 1 taps with a pass-band up to `pass` (below a quarter of the sample
/// rate).
///
/// H(z) = (z^−(N−1)/2 + G(z²))/2 with a filter G of type II that has one band (Vaidyanathan & Nguyen, *A
/// trick for the design of FIR half-band filters*, 1987): every second tap is exactly zero and the middle one
/// exactly 1/2.
pub(super) fn half_band(pass: f64, taps: usize) -> Result<Equiripple, ExchangeError> {
    let band = [Band::flat(0.0, 2.0 * pass, 1.0, 1.0)];
    let inner = equiripple(&band, LinearPhase::TypeII, taps.div_ceil(2))?;
    let mut all = vec![0.0; taps];
    for (k, tap) in inner.taps.iter().enumerate() {
        all[2 * k] = tap / 2.0;
    }
    all[taps / 2] = 0.5;
    let half = |f: &f64| f / 2.0;
    Ok(Equiripple {
        taps: all,
        error: inner.error / 2.0,
        least_error: inner.least_error / 2.0,
        alternations: inner.alternations.iter().map(half).collect(),
        exchanges: inner.exchanges,
    })
}

/// Samples of a band's amplitude on the grid k/N: 1 in the pass-band (ends included), then the transition
/// samples outward, then 0. Type II has none at the Nyquist frequency.
pub(super) fn sampled_band(
    kind: BandKind,
    pass: &[f64],
    count: usize,
    transition: &[f64],
) -> Vec<f64> {
    let passes = |k: usize| {
        // An edge that stands on the grid belongs to the pass-band: what rounding does to it is no matter.
        let (f, slack) = (k as f64 / count as f64, 1e-9 / count as f64);
        match (kind, pass) {
            (BandKind::Lowpass, [edge, ..]) => f <= edge + slack,
            (BandKind::Highpass, [edge, ..]) => f >= edge - slack,
            (BandKind::Bandpass, [low, high, ..]) => f >= low - slack && f <= high + slack,
            (BandKind::Bandstop, [low, high, ..]) => f <= low + slack || f >= high - slack,
            _ => false,
        }
    };
    let last = count / 2;
    let inside: Vec<bool> = (0..=last).map(passes).collect();
    let amplitude = |k: usize| {
        if inside[k] {
            return 1.0;
        }
        let distance = (0..=last).filter(|&p| inside[p]).map(|p| p.abs_diff(k)).min();
        distance.and_then(|distance| transition.get(distance - 1)).copied().unwrap_or(0.0)
    };
    from_amplitudes(count, false, &amplitude)
}

/// The last samples of the pass-band, as parts of the sample rate, with which samples of a band come down to
/// half amplitude as near to the cut-offs as the grid k/N allows: within half of its step, if the response
/// ran straight from sample to sample.
pub(super) fn pass_edges(
    kind: BandKind,
    cutoffs: &[f64],
    count: usize,
    transition: &[f64],
) -> Vec<f64> {
    // From the last sample of the pass-band to the crossing, in steps of the grid.
    let samples: Vec<f64> = [1.0].iter().chain(transition).chain(&[0.0]).copied().collect();
    let crossing = samples.windows(2).position(|pair| pair[0] >= 0.5 && pair[1] < 0.5);
    let distance =
        crossing.map_or(0.5, |k| k as f64 + (samples[k] - 0.5) / (samples[k] - samples[k + 1]));
    let rises = |side: usize| match kind {
        BandKind::Lowpass => false,
        BandKind::Highpass => true,
        BandKind::Bandpass => side == 0,
        BandKind::Bandstop => side == 1,
    };
    let edge = |(side, cutoff): (usize, &f64)| {
        let inward = if rises(side) { distance } else { -distance };
        let step = libm::round(cutoff * count as f64 + inward);
        step.clamp(0.0, (count / 2) as f64) / count as f64
    };
    cutoffs.iter().enumerate().map(edge).collect()
}

/// Samples of straight lines through points (frequency as a part of the sample rate, gain), level beyond both
/// ends.
pub(super) fn sampled_points(points: &[(f64, f64)], count: usize) -> Vec<f64> {
    from_amplitudes(count, false, &|k| gain_between(points, k as f64 / count as f64))
}

/// The gain on straight lines through points, level beyond both ends.
pub(super) fn gain_between(points: &[(f64, f64)], frequency: f64) -> f64 {
    let after = points.partition_point(|(f, _)| *f <= frequency);
    match (after.checked_sub(1).map(|k| points[k]), points.get(after)) {
        (Some((f0, g0)), Some((f1, g1))) => g0 + (g1 - g0) * ((frequency - f0) / (f1 - f0)),
        (Some((_, g)), None) => g,
        (None, Some((_, g))) => *g,
        (None, None) => 0.0,
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    /// The published tables: quadratic smoothing of 5 points (−3, 12, 17, 12, −3)/35, of 7 points (−2, 3, 6,
    /// 7, 6, 3, −2)/21, first derivative of 5 points (2, 1, 0, −1, −2)/10 by age (Savitzky & Golay 1964,
    /// tables I and III).
    #[test]
    fn smoothing_agrees_with_the_published_tables() {
        let close = |found: Vec<f64>, expected: &[f64], norm: f64| {
            assert_eq!(found.len(), expected.len());
            for (f, e) in found.iter().zip(expected) {
                assert!((f - e / norm).abs() < 1e-15, "{f} {e}");
            }
        };
        for degree in [2, 3] {
            close(smoothing(5, degree, 0), &[-3.0, 12.0, 17.0, 12.0, -3.0], 35.0);
            close(smoothing(7, degree, 0), &[-2.0, 3.0, 6.0, 7.0, 6.0, 3.0, -2.0], 21.0);
        }
        close(smoothing(5, 2, 1), &[2.0, 1.0, 0.0, -1.0, -2.0], 10.0);
        close(smoothing(4, 0, 0), &[1.0; 4], 4.0);
        // A cubic goes through unchanged, and its second derivative comes out.
        let cubic = |x: f64| 2.0 - x + 0.5 * x * x + 0.25 * x * x * x;
        for (derivative, expected) in [(0, 2.0), (1, -1.0), (2, 1.0), (3, 1.5)] {
            let taps = smoothing(31, 5, derivative);
            let sum: f64 = taps.iter().enumerate().map(|(k, t)| t * cubic(15.0 - k as f64)).sum();
            assert!((sum - expected).abs() < 1e-11, "{derivative}: {sum}");
        }
    }

    /// The response takes the given samples on the grid.
    #[test]
    fn frequency_samples_are_met() {
        use crate::filter::Taps;
        for count in [32, 33] {
            let taps = Taps(sampled_band(BandKind::Bandpass, &[0.1, 0.2], count, &[0.38]));
            assert!(taps.linear_phase().is_some());
            for k in 0..=count / 2 {
                let f = k as f64 / count as f64;
                let near = |g: f64| (g - f).abs() < 1.0 / count as f64 + 1e-12;
                let expected = if (0.1..=0.2).contains(&f) {
                    1.0
                } else if near(0.1) || near(0.2) {
                    0.38
                } else {
                    0.0
                };
                let found = taps.amplitude(std::f64::consts::TAU * f);
                assert!((found - expected).abs() < 1e-13, "{count} {k}: {found} {expected}");
            }
        }
    }
}
