//! Roundings of the same words that are not independent of each other, although none drops exactly what
//! another does.
//!
//! A rounding errs by a sawtooth of what it drops, e = Δ/π · Σ ±sin(2πn·r/Δ)/n. So the errors of two
//! correlate by ρ = 6/π² · Σ Σ ±Φ(2π(n₁r₁/Δ₁ ∓ n₂r₂/Δ₂))/(n₁n₂), with Φ the characteristic function of what
//! both drop, taken together (A. B. Sripad & D. L. Snyder, "A necessary and sufficient condition for
//! quantization errors to be uniform and white", 1977, theorem 2: independent where Φ is zero for all n₁,
//! n₂). The sum of the sizes bounds it.

use super::RoundingSource;
use super::movement::Movement;
use super::shared::{Dropped, Reading, Twins, characteristic};

/// Terms in each direction.
const ORDERS: i128 = 8;

/// Roundings that are compared with each other at most.
const MOST: usize = 200;

/// Words in what a rounding drops: of more of them, each with a coefficient of its own, nothing lines up.
const MOST_WORDS: usize = 8;

/// What one rounding drops, with its index among the sources.
struct One {
    source: usize,
    dropped: Dropped,
    bits: u32,
}

/// The most by which the noise can be off since roundings are not independent: Σ 2·|ρ|·√(P₁P₂), for the
/// errors of two roundings of the powers P₁ and P₂ at the output cannot have more in common there. Those that
/// drop the same bits are known by another way ([`Twins`]).
pub(super) fn in_common(
    reading: &Reading<'_>,
    movement: &Movement,
    sources: &[RoundingSource],
    powers: &[f64],
    twins: &[Twins],
) -> f64 {
    let of = |(source, found): (usize, &RoundingSource)| {
        let (dropped, _) = reading.dropped(found)?;
        let is_short = found.dropped <= 60 && dropped.len() <= MOST_WORDS;
        is_short.then_some(One { source, dropped, bits: found.dropped })
    };
    let all: Vec<One> = sources.iter().enumerate().filter_map(of).take(MOST).collect();
    let all_power: f64 = powers.iter().sum();
    let mut sum = 0.0;
    for (index, one) in all.iter().enumerate() {
        for other in &all[index + 1..] {
            let pair = [one.source, other.source];
            let power = 2.0 * libm::sqrt(powers[pair[0]] * powers[pair[1]]);
            let is_known = twins.iter().any(|twins| {
                pair == [twins.first, twins.second] || pair == [twins.second, twins.first]
            });
            let is_apart = !one.dropped.keys().any(|word| other.dropped.contains_key(word));
            if is_known || is_apart || power < 1e-3 * all_power {
                continue;
            }
            sum += power * correlation(reading, movement, one, other).min(1.0);
        }
    }
    sum
}

/// A bound on |ρ|.
fn correlation(reading: &Reading<'_>, movement: &Movement, one: &One, other: &One) -> f64 {
    let bits = one.bits.max(other.bits);
    let scaled =
        |one: &One, word| one.dropped.get(word).map_or(0, |value| value << (bits - one.bits));
    let mut words = one.dropped.clone();
    words.extend(other.dropped.iter().map(|(word, value)| (*word, *value)));
    let levels = reading.levels(&words, movement);
    let each: Vec<(f64, i128, i128)> = words
        .keys()
        .zip(levels)
        .map(|(word, (levels, _))| (levels, scaled(one, word), scaled(other, word)))
        .collect();
    let mut sum = 0.0;
    for first in 1..=ORDERS {
        for second in (-ORDERS..=ORDERS).filter(|order| *order != 0) {
            let both: Vec<(f64, i128)> =
                each.iter().map(|(levels, a, b)| (*levels, first * a + second * b)).collect();
            sum += characteristic(&both, 1, bits).abs() / (first * second.abs()) as f64;
        }
    }
    6.0 / (std::f64::consts::PI * std::f64::consts::PI) * sum
}
