//! Bits that integrators and combs can do without.

use crate::rates::Comb;

/// How many bits each sum of a decimator may drop at its input, so that all of them together err no more than
/// the rounding of the output: B_j = ⌊B_T − log2 F_j − ½·log2(2N)⌋, F_j² the sum of the squares of the
/// response from the input of sum j to the output, B_T the bits that the output drops, 2N sums (E. B.
/// Hogenauer, "An economical class of digital filters for decimation and interpolation", 1981, equation 21).
///
/// No sum drops more than what leaves it two of `width` bits, and none has more bits than the one before it.
pub(super) fn dropped_bits(comb: Comb, factor: usize, at_output: i32, width: u32) -> Vec<u32> {
    let order = comb.order;
    let shares = libm::log2(2.0 * order as f64) / 2.0;
    let mut most = 0;
    let dropped = |sum: usize| {
        let gain = libm::log2(energy(comb, factor, sum)) / 2.0;
        let bits = libm::floor(f64::from(at_output) - gain - shares);
        most = (bits.max(0.0) as u32).min(width.saturating_sub(2)).max(most);
        most
    };
    (0..2 * order).map(dropped).collect()
}

/// Σh² from the input of a sum, the first has number 0, to the output.
fn energy(comb: Comb, factor: usize, sum: usize) -> f64 {
    let (order, length) = (comb.order, factor * comb.delay);
    // Integrators that are left, each with a comb of its own; and combs without one.
    let boxes = order.saturating_sub(sum);
    let differences = order.min(2 * order - sum) - boxes;
    // Behind the change of the rate only every so many-th word is there.
    let step = if sum < order { length } else { comb.delay };
    let sums = Comb { order: boxes, ..comb }.sums(factor);
    let mut response: Vec<f64> = sums.into_iter().map(|tap| tap as f64).collect();
    for _ in 0..differences {
        let mut next = response.clone();
        next.resize(response.len() + step, 0.0);
        for (n, word) in response.iter().enumerate() {
            next[n + step] -= word;
        }
        response = next;
    }
    response.iter().map(|h| h * h).sum()
}
