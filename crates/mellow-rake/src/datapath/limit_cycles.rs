//! Oscillations that go on by themselves: what a section does for ever without an input.

use super::bound::levels;
use super::ports::words;
use super::range::Start;
use super::run::Exact;
use super::walk::{Machine, Place};
use super::{Checked, Datapath, Node, Operation};
use crate::fixed::WordFormat;
use crate::random::NoiseSource;
use std::collections::HashSet;

/// An oscillation without input.
#[derive(Debug, Clone, PartialEq, Eq)]
#[non_exhaustive]
pub struct LimitCycle {
    /// The largest size of the output in it, in steps of the output word.
    pub amplitude: i64,
    /// Samples after which it comes round; 1 for a constant that never goes away.
    pub period: usize,
    /// Remembered words from which it starts: line by line, the youngest first.
    pub start: Vec<i64>,
}

/// How oscillations were looked for.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum CycleSearch {
    /// From every state that an oscillation can pass through: all there are were found.
    Exhaustive {
        /// The states.
        states: u64,
    },
    /// From random states: there may be others.
    Sampled {
        /// The states.
        starts: u64,
        /// From how many of them nothing came round in time.
        open: u64,
    },
}

/// What was found.
#[derive(Debug, Clone, PartialEq)]
#[non_exhaustive]
pub struct LimitCycles {
    /// How.
    pub search: CycleSearch,
    /// How many oscillations there are.
    pub count: usize,
    /// The largest of them, the largest first; at most 16.
    pub largest: Vec<LimitCycle>,
    /// No word of the output in any of them, found or not, can be larger than this many steps: proved.
    pub bound: f64,
}

/// States that are looked through one by one at most.
const MOST_STATES: u64 = 4_000_000;
/// States to start from where there are more.
const STARTS: u64 = 4_000;
/// Samples after which an orbit that has not come round is given up.
const MOST_STEPS: u64 = 200_000;
/// Operations of the program that may be run in all searches of a filter: a second or two.
const OPERATIONS: u64 = 120_000_000;
/// The share of them that one state may take.
const SHARE: u64 = 40;

/// The remembered words of an oscillation while no limit acts: within the [`levels`] that roundings alone can
/// bring about. `None` for programs with loops and where nothing is proved.
struct StateBox {
    ranges: Vec<(i64, i64)>,
    output: f64,
}

impl StateBox {
    fn new(checked: &Checked) -> Option<Self> {
        let (datapath, fractions) = (checked.datapath(), checked.fractions());
        let stored = stored(datapath)?;
        let places: Vec<Place> =
            stored.iter().flatten().flatten().map(|word| Place { node: *word, pass: 0 }).collect();
        let silence = vec![(0.0, 0.0); datapath.words_in()];
        let found =
            levels(datapath, fractions, &places, &silence, Start::Any, checked.facts().effort())
                .ok()?;
        let mut levels = found.places.iter();
        let mut ranges = Vec::new();
        for (line, rows) in datapath.lines.iter().zip(&stored) {
            for row in rows {
                // Each row remembers another word.
                let level = row.and_then(|_| levels.next());
                let range = level.map_or((0, 0), |level| integers(*level, line.format));
                ranges.extend(std::iter::repeat_n(range, line.depth));
            }
        }
        let steps = words(&datapath.outputs).map(WordFormat::step);
        let levels = found.outputs.iter().zip(steps);
        let output = levels.map(|((low, high), step)| high.max(-low) / step).fold(0.0, f64::max);
        Some(StateBox { ranges, output })
    }

    fn size(&self) -> u64 {
        let sizes = self.ranges.iter().map(|(low, high)| (high - low + 1) as u64);
        sizes.fold(1, u64::saturating_mul)
    }

    /// The number of a state within the box; `None` for one outside.
    fn index(&self, state: &[i64]) -> Option<usize> {
        let mut index = 0u64;
        for (word, (low, high)) in state.iter().zip(&self.ranges) {
            if !(low..=high).contains(&word) {
                return None;
            }
            index = index * (high - low + 1) as u64 + (word - low) as u64;
        }
        Some(index as usize)
    }

    fn state(&self, mut index: u64) -> Vec<i64> {
        let mut state = vec![0; self.ranges.len()];
        for (word, (low, high)) in state.iter_mut().zip(&self.ranges).rev() {
            let size = (high - low + 1) as u64;
            *word = low + (index % size) as i64;
            index /= size;
        }
        state
    }
}

/// The word that each row of each line is given; `None` for rows that are given the input, which is zero in
/// an oscillation. `None` as a whole for programs with loops.
fn stored(datapath: &Datapath) -> Option<Vec<Vec<Option<Node>>>> {
    let mut found: Vec<Vec<Option<Node>>> =
        datapath.lines.iter().map(|line| vec![None; line.rows]).collect();
    for (_, operation, _) in datapath.operations() {
        match operation {
            Operation::Repeat { .. } => return None,
            Operation::Store { line, row, word } => {
                let made = datapath.operations().find(|(node, ..)| node == word)?.1;
                if !matches!(made, Operation::Input { .. }) {
                    found[line.0][row.at(0)] = Some(*word);
                }
            }
            _ => {}
        }
    }
    Some(found)
}

/// The integers whose values lie in a range, which is rounded outward already.
fn integers((low, high): (f64, f64), format: WordFormat) -> (i64, i64) {
    let step = format.step();
    let end = |value: f64| value.clamp(format.minimum() as f64, format.maximum() as f64) as i64;
    let (low, high) = (end(libm::ceil(low / step)), end(libm::floor(high / step)));
    (low.min(0), high.max(0))
}

/// Runs the program without input from any state.
struct Free<'a> {
    machine: Machine<'a, Exact>,
    /// Operations of a step.
    cost: u64,
    /// Operations that are left.
    left: u64,
}

impl<'a> Free<'a> {
    fn new(datapath: &'a Datapath, fractions: &'a [i32]) -> Self {
        let cost = datapath.operations().count() as u64;
        let machine = Machine::new(datapath, fractions, Exact::default());
        Free { machine, cost, left: 0 }
    }

    /// The state after one firing, and the output: the largest of its words.
    fn step(&mut self, state: &mut [i64]) -> i64 {
        self.machine.set_state(|index, _| state[index].into());
        let output = self.machine.step(std::iter::empty()).iter().copied();
        let output = output.max_by_key(|word| word.unsigned_abs()).unwrap_or(0);
        // Remembered words have at most 64 bits.
        state.iter_mut().zip(self.machine.state()).for_each(|(slot, word)| *slot = word as i64);
        output as i64
    }

    /// Goes from a state to one that comes round, if so many samples lead there: two runners, one twice as
    /// fast (R. W. Floyd, after D. E. Knuth, "The Art of Computer Programming" 2, 3.1, exercise 6).
    fn settle(&mut self, slow: &mut Vec<i64>, steps: u64) -> bool {
        let mut fast = slow.clone();
        (0..steps).any(|_| {
            self.left = self.left.saturating_sub(3 * self.cost);
            self.step(slow);
            self.step(&mut fast);
            self.step(&mut fast);
            *slow == fast
        })
    }

    /// The oscillation through a state, and the least of its states, by which it is known again.
    fn cycle(&mut self, start: &[i64]) -> (LimitCycle, Vec<i64>) {
        let (mut state, mut least) = (start.to_vec(), start.to_vec());
        let (mut period, mut amplitude) = (0, 0);
        loop {
            amplitude = self.step(&mut state).unsigned_abs().max(amplitude);
            period += 1;
            if state < least {
                least.clone_from(&state);
            }
            if state == start {
                self.left = self.left.saturating_sub(period as u64 * self.cost);
                let amplitude = i64::try_from(amplitude).unwrap_or(i64::MAX);
                return (LimitCycle { amplitude, period, start: start.to_vec() }, least);
            }
        }
    }
}

/// Looks for oscillations without input of a program without a loop (one section): from every state that one
/// can pass through if these are four million or less, else from 4,000 random ones among them, or as many as
/// the effort of the check allows. `None` for cascades, and where no bound is proved.
///
/// Found are those on which no limit acts. That saturation starts no others is proved for second-order direct
/// forms without roundings (P. M. Ebert, J. E. Mazo & M. G. Taylor, "Overflow oscillations in digital
/// filters", 1969), not here; wrapping does.
///
/// ```
/// use mellow_rake::datapath::{CycleSearch, SectionWords, direct_form_1, zero_input_cycles};
/// use mellow_rake::fixed::{Overflow, Rounding, round_coefficients};
/// // y = round(-0.9·y): 5 and -5 for ever, as 4.5 rounds away from zero.
/// let table = round_coefficients(&[vec![1.0, 0.0, 0.0, 0.9, 0.0]], "s16".parse()?)?;
/// let word = "s8f0".parse()?;
/// let words = SectionWords { input: word, output: word, rounding: Rounding::HalfAway,
///     overflow: Overflow::Saturate };
/// let found = zero_input_cycles(&direct_form_1(&table, words)?.check()?).unwrap();
/// assert!(matches!(found.search, CycleSearch::Exhaustive { .. }));
/// assert_eq!((found.largest[0].amplitude, found.largest[0].period), (5, 2));
/// # Ok::<(), Box<dyn std::error::Error>>(())
/// ```
pub fn zero_input_cycles(checked: &Checked) -> Option<LimitCycles> {
    zero_input_cycles_among(checked, 1)
}

/// The same of one section of a filter, for which as much is done as for each of so many sections.
pub fn zero_input_cycles_among(checked: &Checked, sections: usize) -> Option<LimitCycles> {
    let all = checked.facts().effort().times(OPERATIONS) / sections.max(1) as u64;
    let field = StateBox::new(checked)?;
    let mut free = Free::new(checked.datapath(), checked.fractions());
    let size = field.size();
    let is_small = size <= MOST_STATES;
    let mut found: Vec<LimitCycle> = Vec::new();
    let mut count = 0;
    let mut keep = |cycle: LimitCycle| {
        count += 1;
        found.push(cycle);
        found.sort_by_key(|cycle| std::cmp::Reverse((cycle.amplitude, cycle.period)));
        found.truncate(16);
    };
    let search = if is_small {
        // Of each state the walk that came by first; 0 for none.
        let mut walks = vec![0u32; size as usize];
        for index in 0..size {
            let walk = index as u32 + 1;
            let mut state = field.state(index);
            // What leaves the box is on no oscillation; where it comes back others begin.
            while let Some(at) = field.index(&state) {
                if walks[at] != 0 {
                    let is_new = walks[at] == walk && state.iter().any(|word| *word != 0);
                    if is_new {
                        keep(free.cycle(&state).0);
                    }
                    break;
                }
                walks[at] = walk;
                free.step(&mut state);
            }
        }
        CycleSearch::Exhaustive { states: size }
    } else {
        let mut noise = NoiseSource::new(1);
        let mut known: HashSet<Vec<i64>> = HashSet::new();
        let effort = checked.facts().effort();
        free.left = all;
        let each = all / SHARE / (3 * free.cost.max(1));
        let steps = each.clamp(1, effort.times(MOST_STEPS));
        let (mut starts, mut open) = (0, 0);
        while starts < effort.times(STARTS) && free.left > 0 {
            starts += 1;
            let mut slow: Vec<i64> =
                field.ranges.iter().map(|(low, high)| noise.integer(*low, *high)).collect();
            if !free.settle(&mut slow, steps) {
                open += 1;
            } else if slow.iter().any(|word| *word != 0) {
                let (cycle, least) = free.cycle(&slow);
                if known.insert(least) {
                    keep(cycle);
                }
            }
        }
        CycleSearch::Sampled { starts, open }
    };
    Some(LimitCycles { search, count, largest: found, bound: field.output })
}

/// What became of states of any size without an input.
#[derive(Debug, Clone, PartialEq)]
#[non_exhaustive]
pub struct OverflowSearch {
    /// Random states, as large as the formats allow, from which it was started.
    pub starts: u64,
    /// From how many of them an oscillation goes on that is larger than roundings alone can keep up.
    pub count: u64,
    /// From how many nothing came round in time.
    pub open: u64,
    /// The largest of these oscillations.
    pub largest: Option<LimitCycle>,
}

/// Starts a program without a loop (one section) from random states of full size, without input, and follows
/// each until it comes round: what is then larger than `bound` steps of the output, proved by
/// [`zero_input_cycles`] for roundings, is kept up by limits that act. `None` for programs with loops.
///
/// ```
/// use mellow_rake::datapath::{SectionWords, direct_form_1, overflow_oscillations, zero_input_cycles};
/// use mellow_rake::fixed::{Overflow, Rounding, round_coefficients};
/// // Poles at 0.95 near 0.13 of the sample rate: |a1| + |a2| is above 1, so a word that wraps can go on
/// // for ever.
/// let table = round_coefficients(&[vec![1.0, 0.0, 0.0, -1.3, 0.9]], "s16".parse()?)?;
/// let word = "s12f11".parse()?;
/// let found = |overflow| -> Result<_, Box<dyn std::error::Error>> {
///     let words = SectionWords { input: word, output: word, rounding: Rounding::HalfUp, overflow };
///     let section = direct_form_1(&table, words)?.check()?;
///     let bound = zero_input_cycles(&section).unwrap().bound;
///     Ok(overflow_oscillations(&section, bound).unwrap())
/// };
/// assert!(found(Overflow::Wrap)?.largest.unwrap().amplitude > 1000);
/// assert_eq!(found(Overflow::Saturate)?.count, 0);
/// # Ok::<(), Box<dyn std::error::Error>>(())
/// ```
pub fn overflow_oscillations(checked: &Checked, bound: f64) -> Option<OverflowSearch> {
    overflow_oscillations_among(checked, bound, 1)
}

/// The same of one section of a filter, for which as much is done as for each of so many sections.
pub fn overflow_oscillations_among(
    checked: &Checked,
    bound: f64,
    sections: usize,
) -> Option<OverflowSearch> {
    let all = checked.facts().effort().times(OPERATIONS) / sections.max(1) as u64;
    /// States and samples: a second for a section.
    const FEW_STARTS: u64 = 200;
    const STEPS: u64 = 20_000;
    let datapath = checked.datapath();
    let stored = stored(datapath)?;
    let mut free = Free::new(datapath, checked.fractions());
    let mut noise = NoiseSource::new(2);
    let mut found = OverflowSearch { starts: 0, count: 0, open: 0, largest: None };
    let effort = checked.facts().effort();
    free.left = all;
    let each = all / SHARE / (3 * free.cost.max(1));
    let steps = each.clamp(1, effort.times(STEPS));
    while found.starts < effort.times(FEW_STARTS) && free.left > 0 {
        found.starts += 1;
        let mut state = Vec::new();
        for (line, rows) in datapath.lines.iter().zip(&stored) {
            let whole = integers((f64::NEG_INFINITY, f64::INFINITY), line.format);
            for row in rows {
                let (low, high) = row.map_or((0, 0), |_| whole);
                state.extend((0..line.depth).map(|_| noise.integer(low, high)));
            }
        }
        if !free.settle(&mut state, steps) {
            found.open += 1;
            continue;
        }
        let (cycle, _) = free.cycle(&state);
        if cycle.amplitude as f64 <= bound {
            continue;
        }
        found.count += 1;
        if found.largest.as_ref().is_none_or(|largest| cycle.amplitude > largest.amplitude) {
            found.largest = Some(cycle);
        }
    }
    Some(found)
}
