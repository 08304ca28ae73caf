//! Taps from amplitudes on a grid.

use super::ideal::{cosine_of_turns, sine_of_turns};

/// The inverse discrete Fourier transform of real amplitudes on the grid 2πk/N, k = 0 … N/2.
pub(super) fn from_amplitudes(
    count: usize,
    antisymmetric: bool,
    amplitude: &dyn Fn(usize) -> f64,
) -> Vec<f64> {
    let last = count / 2;
    let even = count.is_multiple_of(2);
    let values: Vec<f64> = (0..=last).map(amplitude).collect();
    // Steps of half a grid angle: π·j/N.
    let table: Vec<f64> = (0..2 * count)
        .map(|j| {
            let turns = j as f64 / (2 * count) as f64;
            if antisymmetric { sine_of_turns(turns) } else { cosine_of_turns(turns) }
        })
        .collect();
    let mut taps = vec![0.0; count];
    for n in 0..count.div_ceil(2) {
        // 2πk·(n − (N−1)/2)/N; before the middle the offset is negative.
        let offset = count - 1 - 2 * n;
        let term = |k: usize| {
            let share = if k == 0 || (even && k == last) { 1.0 } else { 2.0 };
            share * values[k] * table[k * offset % (2 * count)]
        };
        // H = j·A: h = +ΣA·sin before the middle.
        let sum: f64 = (0..=last).map(term).sum::<f64>() / count as f64;
        let mirror = count - 1 - n;
        (taps[n], taps[mirror]) = if !antisymmetric {
            (sum, sum)
        } else if n == mirror {
            (0.0, 0.0)
        } else {
            (sum, -sum)
        };
    }
    taps
}
