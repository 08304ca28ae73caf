//! The arrangement of least noise.
//!
//! What a section adds to the noise depends on which poles and zeros stand before it and which after it, not
//! on their order there. So the best way to every pair of sets follows from the best ways to the sets that
//! lack one: dynamic programming over pairs of sets looks at all (n!)² arrangements (S. Y. Hwang, "On
//! optimization of cascade fixed-point digital filters", 1974).

use super::grid::{Grid, Sets};

/// What was found.
pub(super) struct Found {
    /// The section of the design whose poles stand at each place.
    pub(super) poles: Vec<usize>,
    /// The section whose zeros stand there.
    pub(super) zeros: Vec<usize>,
    /// How many arrangements that decided.
    pub(super) looked_at: u64,
}

/// Sections up to which all arrangements are looked at.
const ALL: usize = 6;
/// Sections up to which all orders of given pairs are.
const ORDERS: usize = 12;
/// Sections up to which any order is looked for.
pub(super) const MOST: usize = 64;
/// An improvement must be more than rounding.
const LESS: f64 = 1.0 - 1e-9;

/// For 1 to [`MOST`] sections.
pub(super) fn quietest(grid: &Grid<'_>) -> Found {
    let count = grid.count();
    if count <= ALL {
        return by_sets(grid);
    }
    let mut zeros: Vec<usize> = (0..count).collect();
    let mut looked_at = 0;
    if count > ORDERS {
        let poles = by_exchange(grid, &mut looked_at);
        return Found { zeros: poles.clone(), poles, looked_at };
    }
    // Pairs as the design has them, in their best order; then zeros change places two by two as long as that
    // helps.
    let mut order = best_order(grid, &zeros, &mut looked_at);
    let mut least = noise_of(grid, &order, &zeros);
    loop {
        let mut better = None;
        for one in 0..count {
            for other in one + 1..count {
                zeros.swap(one, other);
                let noise = noise_of(grid, &order, &zeros);
                looked_at += 1;
                if noise < least * LESS {
                    (least, better) = (noise, Some((one, other)));
                }
                zeros.swap(one, other);
            }
        }
        let Some((one, other)) = better else { break };
        zeros.swap(one, other);
        let again = best_order(grid, &zeros, &mut looked_at);
        let noise = noise_of(grid, &again, &zeros);
        if noise < least {
            (least, order) = (noise, again);
        }
    }
    let zeros = order.iter().map(|pole| zeros[*pole]).collect();
    Found { poles: order, zeros, looked_at }
}

/// All poles and zeros that do not stand at the places so far.
fn rest(grid: &Grid<'_>, sets: Sets) -> Vec<f64> {
    let all = grid.all();
    grid.product(Sets { poles: all & !sets.poles, zeros: all & !sets.zeros })
}

fn by_sets(grid: &Grid<'_>) -> Found {
    let count = grid.count();
    let size = 1usize << count;
    // The least noise on the way to each pair of sets, and the last poles and zeros of that way.
    let mut best: Vec<Option<(f64, usize, usize)>> = vec![None; size * size];
    best[0] = Some((0.0, 0, 0));
    let masks = |members: u32| (1..size as u64).filter(move |mask| mask.count_ones() == members);
    for members in 1..=count as u32 {
        for poles in masks(members) {
            for zeros in masks(members) {
                let sets = Sets { poles, zeros };
                let (rest, factor) = (rest(grid, sets), grid.factor(sets));
                let mut least: Option<(f64, usize, usize)> = None;
                for p in (0..count).filter(|p| poles >> p & 1 == 1) {
                    for z in (0..count).filter(|z| zeros >> z & 1 == 1) {
                        let from =
                            (poles & !(1 << p)) as usize * size + (zeros & !(1 << z)) as usize;
                        let Some((before, ..)) = best[from] else { continue };
                        let noise = before + grid.noise(p, z, &rest, factor);
                        if least.is_none_or(|(least, ..)| noise < least * LESS) {
                            least = Some((noise, p, z));
                        }
                    }
                }
                best[poles as usize * size + zeros as usize] = least;
            }
        }
    }
    let (mut poles, mut zeros) = (Vec::new(), Vec::new());
    let (mut p_set, mut z_set) = (size - 1, size - 1);
    while let Some((_, p, z)) = best[p_set * size + z_set].filter(|_| p_set > 0) {
        (poles, zeros) = ([vec![p], poles].concat(), [vec![z], zeros].concat());
        (p_set, z_set) = (p_set & !(1 << p), z_set & !(1 << z));
    }
    let orders: u64 = (1..=count as u64).product();
    Found { poles, zeros, looked_at: orders * orders }
}

/// The best order of sections whose zeros are given, as the poles at each place.
fn best_order(grid: &Grid<'_>, zeros: &[usize], looked_at: &mut u64) -> Vec<usize> {
    let count = grid.count();
    let size = 1usize << count;
    let zeros_of = |poles: u64| {
        (0..count).filter(|k| poles >> k & 1 == 1).fold(0u64, |set, k| set | 1 << zeros[k])
    };
    let mut best: Vec<(f64, usize)> = vec![(f64::INFINITY, 0); size];
    best[0] = (0.0, 0);
    // Every set comes after those that lack one of its members.
    for poles in 1..size as u64 {
        let sets = Sets { poles, zeros: zeros_of(poles) };
        let (rest, factor) = (rest(grid, sets), grid.factor(sets));
        for p in (0..count).filter(|p| poles >> p & 1 == 1) {
            let before = best[(poles & !(1 << p)) as usize].0;
            let noise = before + grid.noise(p, zeros[p], &rest, factor);
            let least = &mut best[poles as usize];
            if least.0.is_infinite() || noise < least.0 * LESS {
                *least = (noise, p);
            }
        }
    }
    *looked_at += (1..=count as u64).product::<u64>();
    let (mut order, mut set) = (Vec::new(), size - 1);
    while set > 0 {
        let last = best[set].1;
        order.insert(0, last);
        set &= !(1 << last);
    }
    order
}

/// Long cascades with the pairs of the design: from its order neighbours change places as long as that helps.
/// What the others add stays the same then.
fn by_exchange(grid: &Grid<'_>, looked_at: &mut u64) -> Vec<usize> {
    let mut order: Vec<usize> = (0..grid.count()).collect();
    let both = |before: u64, first: usize, second: usize| {
        let noise = |set: u64, own: usize| {
            let sets = Sets { poles: set, zeros: set };
            grid.noise(own, own, &rest(grid, sets), grid.factor(sets))
        };
        let after = before | 1 << first;
        noise(after, first) + noise(after | 1 << second, second)
    };
    loop {
        let (mut better, mut before) = (false, 0u64);
        for place in 1..order.len() {
            let (first, second) = (order[place - 1], order[place]);
            *looked_at += 1;
            if both(before, second, first) < both(before, first, second) * LESS {
                order.swap(place - 1, place);
                better = true;
            }
            before |= 1 << order[place - 1];
        }
        if !better {
            return order;
        }
    }
}

/// The noise of one arrangement: the poles at each place, and the zeros that stand with each section's poles.
fn noise_of(grid: &Grid<'_>, order: &[usize], zeros: &[usize]) -> f64 {
    let mut sets = Sets { poles: 0, zeros: 0 };
    let mut noise = 0.0;
    for pole in order {
        let zero = zeros[*pole];
        sets = Sets { poles: sets.poles | 1 << pole, zeros: sets.zeros | 1 << zero };
        noise += grid.noise(*pole, zero, &rest(grid, sets), grid.factor(sets));
    }
    noise
}
