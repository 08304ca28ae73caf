//! Local search over neighbouring integers: one at a time, then two at a time, then again from a few steps
//! away; in longer strides where the integers are so long that single steps do not mend what is missed.

use super::model::{Model, Move};
use crate::random::NoiseSource;

/// Points of responses that are computed at most, over all that is tried: a second or some.
const EFFORT: u64 = 120_000_000;
/// How often it starts again from a few steps away.
const KICKS: i64 = 1000;
/// Integers of this many bits are never moved by more than one; of longer ones a last bit may be too small.
const SHORT: u32 = 10;
/// After so many attempts the strides may be twice as long.
const ATTEMPTS: i64 = 8;
/// An improvement must be more than rounding.
const LESS: f64 = 1.0 - 1e-9;

/// Improves the integers of a model; how many sets were tried.
pub(super) fn improve(model: &mut Model<'_>) -> u64 {
    let most = (EFFORT / model.points().max(1) as u64).clamp(200, 200_000);
    let mut tried = 0;
    let mut best = descend(model, &mut tried, most / 4);
    let longest = model.bits_beyond(SHORT);
    let mut rows = model.rows().to_vec();
    let mut noise = NoiseSource::new(1);
    let mut is_far = false;
    for attempt in 0..KICKS {
        // More of it for as long as long integers miss what they could keep.
        let effort = if best >= 1.0 && longest > 0 { 3 * most } else { most };
        if tried >= effort || model.variables() < 2 {
            break;
        }
        // No longer strides than are needed to keep the goal, for the filter is to stay near the one that was
        // designed.
        let reach = if best < 1.0 { 0 } else { (attempt / ATTEMPTS).min(longest.into()) };
        let strides = if reach > 0 { noise.integer(0, reach) as u32 } else { 0 };
        model.stride(1 << strides);
        kick(model, &mut noise);
        let found = settle(model, strides, &mut tried, most / 8);
        if found < best * LESS {
            best = found;
            is_far |= strides > 0;
            rows = model.rows().to_vec();
        } else {
            model.set(rows.clone());
        }
    }
    model.set(rows);
    model.stride(1);
    if is_far && best < 1.0 {
        return_towards_design(model, longest, &mut tried, most);
    }
    tried
}

/// Where long strides led away from what was designed: back towards it, as far as the goal stays kept.
fn return_towards_design(model: &mut Model<'_>, longest: u32, tried: &mut u64, most: u64) {
    model.come_near(true);
    let mut best = settle(model, longest, tried, most / 32);
    let mut rows = model.rows().to_vec();
    let mut noise = NoiseSource::new(2);
    let end = *tried + most / 4;
    while *tried < end {
        let strides = noise.integer(0, longest.into()) as u32;
        model.stride(1 << strides);
        kick(model, &mut noise);
        let found = settle(model, strides, tried, most / 64);
        if found < best * LESS {
            best = found;
            rows = model.rows().to_vec();
        } else {
            model.set(rows.clone());
        }
        // A kick away from the goal that finds no way back is an attempt, too.
        *tried += 1;
    }
    model.set(rows);
    model.stride(1);
    model.come_near(false);
}

/// Downward in strides of powers of two, from so many bits to single steps.
fn settle(model: &mut Model<'_>, strides: u32, tried: &mut u64, most: u64) -> f64 {
    let mut score = f64::INFINITY;
    for bits in (0..=strides).rev() {
        model.stride(1 << bits);
        score = descend(model, tried, most >> bits.min(2));
    }
    score
}

/// From here downward, as far as single steps and pairs of steps lead; the score there.
fn descend(model: &mut Model<'_>, tried: &mut u64, most: u64) -> f64 {
    let mut score = model.score();
    let end = *tried + most;
    loop {
        let mut better = false;
        for variable in 0..model.variables() {
            for up in [true, false] {
                let moves =
                    if model.keeps_sum() { Vec::new() } else { single(model, variable, up) };
                better |= take(model, &moves, &mut score, tried);
            }
        }
        if better {
            continue;
        }
        'pairs: for one in 0..model.variables() {
            for other in 0..one {
                for (up, too) in [(true, true), (true, false), (false, true), (false, false)] {
                    if *tried >= end {
                        break 'pairs;
                    }
                    let moves = pair(model, (one, up), (other, too));
                    if take(model, &moves, &mut score, tried) {
                        better = true;
                        if !model.keeps_sum() {
                            break 'pairs;
                        }
                    }
                }
            }
        }
        if !better || *tried >= end {
            return score;
        }
    }
}

fn single(model: &Model<'_>, variable: usize, up: bool) -> Vec<Move> {
    model.step(variable, up).map(|units| (variable, units)).into_iter().collect()
}

/// Two steps at a time; where the sum is kept, only such as leave it.
fn pair(model: &Model<'_>, one: (usize, bool), other: (usize, bool)) -> Vec<Move> {
    let steps = model.step(one.0, one.1).zip(model.step(other.0, other.1));
    let Some((mut a, mut b)) = steps else { return Vec::new() };
    if model.keeps_sum() {
        let weights = (model.weight(one.0), model.weight(other.0));
        // Two units of the tap in the middle for one of a pair of mirror images.
        if weights.0 * a + weights.1 * b != 0 {
            (a, b) = (a * weights.1.abs(), b * weights.0.abs());
        }
        if weights.0 * a + weights.1 * b != 0 {
            return Vec::new();
        }
    }
    vec![(one.0, a), (other.0, b)]
}

/// Takes moves that improve the score.
fn take(model: &mut Model<'_>, moves: &[Move], score: &mut f64, tried: &mut u64) -> bool {
    if moves.is_empty() {
        return false;
    }
    *tried += 1;
    let Some(found) = model.try_moves(moves, *score * LESS) else { return false };
    model.apply(moves);
    *score = found;
    true
}

/// A few random steps away.
fn kick(model: &mut Model<'_>, noise: &mut NoiseSource) {
    let count = model.variables() as i64;
    for _ in 0..3 {
        let variable = |noise: &mut NoiseSource| noise.integer(0, count - 1) as usize;
        let up = |noise: &mut NoiseSource| noise.integer(0, 1) == 1;
        let (one, other) = (variable(noise), variable(noise));
        let (first, second) = (up(noise), up(noise));
        let moves = match (model.keeps_sum(), one == other) {
            (false, _) => single(model, one, first),
            (true, true) => Vec::new(),
            (true, false) => pair(model, (one, first), (other, second)),
        };
        if !moves.is_empty() && model.try_moves(&moves, f64::INFINITY).is_some() {
            model.apply(&moves);
        }
    }
}
