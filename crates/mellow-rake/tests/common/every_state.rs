//! Oscillations held against every state that there is.

use crate::reader::{Reader, read};
use mellow_rake::datapath::{Checked, CycleSearch, zero_input_cycles};

/// An oscillation that was found by trying every state.
#[derive(Debug)]
struct Cycle {
    largest: i128,
    period: usize,
    /// Whether nothing was limited and no sum wrapped.
    is_linear: bool,
}

/// Every state that the formats have, inputs being zero: numbered, followed by one sample each.
struct EveryState {
    ranges: Vec<(i128, i128)>,
    next: Vec<u32>,
}

impl EveryState {
    const MOST: u128 = 1 << 20;

    fn new(reader: &mut Reader) -> Option<Self> {
        let words = reader.formats().into_iter().zip(reader.inputs());
        let ranges: Vec<(i128, i128)> =
            words.map(|(format, is_input)| if is_input { (0, 0) } else { format.ends() }).collect();
        let sizes = ranges.iter().map(|(low, high)| (high - low + 1) as u128);
        let size = sizes.fold(1u128, u128::saturating_mul);
        if size > Self::MOST {
            return None;
        }
        let mut all = EveryState { ranges, next: Vec::new() };
        for index in 0..size as usize {
            reader.set_state(&all.state(index));
            reader.silent_step();
            let next = all.index(&reader.state());
            all.next.push(next as u32);
        }
        Some(all)
    }

    fn state(&self, mut index: usize) -> Vec<i128> {
        let digits = self.ranges.iter().map(|(low, high)| {
            let size = (high - low + 1) as usize;
            let word = low + (index % size) as i128;
            index /= size;
            word
        });
        digits.collect()
    }

    fn index(&self, state: &[i128]) -> usize {
        self.ranges.iter().zip(state).rev().fold(0, |index, ((low, high), word)| {
            assert!((low..=high).contains(&word));
            index * (high - low + 1) as usize + (word - low) as usize
        })
    }

    /// All oscillations but silence.
    fn cycles(&self, reader: &mut Reader) -> Vec<Cycle> {
        let mut walk = vec![0u32; self.next.len()];
        let mut found = Vec::new();
        for start in 0..self.next.len() {
            let mut at = start;
            while walk[at] == 0 {
                walk[at] = start as u32 + 1;
                at = self.next[at] as usize;
            }
            let state = self.state(at);
            if walk[at] != start as u32 + 1 || state.iter().all(|word| *word == 0) {
                continue;
            }
            reader.set_state(&state);
            let mut cycle = Cycle { largest: 0, period: 0, is_linear: true };
            loop {
                cycle.largest = cycle.largest.max(reader.silent_step());
                cycle.period += 1;
                cycle.is_linear &= reader.met.iter().all(|met| met.fits);
                if reader.state() == state {
                    break;
                }
            }
            found.push(cycle);
        }
        found
    }
}

/// Holds what is said about a section's oscillations against every state; tells how many there are.
pub(crate) fn hold_oscillations(checked: &Checked, name: &str) -> Option<usize> {
    let found = zero_input_cycles(checked)?;
    let mut reader = read(checked);
    let every = EveryState::new(&mut reader)?;
    let cycles = every.cycles(&mut reader);
    let linear: Vec<&Cycle> = cycles.iter().filter(|cycle| cycle.is_linear).collect();
    let largest = linear.iter().map(|cycle| cycle.largest).max().unwrap_or(0);
    assert!(largest as f64 <= found.bound, "{name}: {largest} {found:?}");
    let CycleSearch::Exhaustive { .. } = found.search else { panic!("{name} {found:?}") };
    // All without limits, perhaps some with.
    assert!(found.count >= linear.len(), "{name}: {linear:?} {found:?}");
    assert!(found.count <= cycles.len(), "{name}: {cycles:?} {found:?}");
    let told = found.largest.first().map_or(0, |cycle| i128::from(cycle.amplitude));
    assert!(told >= largest, "{name}: {linear:?} {found:?}");
    let mut longest: Vec<usize> = found.largest.iter().map(|cycle| cycle.period).collect();
    longest.sort();
    if found.count == found.largest.len() {
        for cycle in &linear {
            assert!(longest.contains(&cycle.period), "{name}: {cycle:?} {found:?}");
        }
    }
    // Each that is told is one.
    for cycle in &found.largest {
        let start: Vec<i128> = cycle.start.iter().map(|word| i128::from(*word)).collect();
        reader.set_state(&start);
        let output = (0..cycle.period).map(|n| {
            assert!(n == 0 || reader.state() != start, "{name} {cycle:?}");
            reader.silent_step()
        });
        let largest = output.max().unwrap();
        assert_eq!((largest, reader.state()), (cycle.amplitude.into(), start), "{name} {cycle:?}");
    }
    Some(cycles.len())
}
