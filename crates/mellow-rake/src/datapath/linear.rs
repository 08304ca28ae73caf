//! The linear reading: the same program on real numbers, without its roundings and limits.
//!
//! What a rounding or a limit does to a word is then something *added* to it; so the distance between the
//! exact program and the linear one is the sum of these additions, each through its own path.

use super::factors::Factors;
use super::ports::offsets;
use super::range::{Idle, Start, idle_bits};
use super::walk::{Arithmetic, Machine, Place};
use super::{Checked, Datapath, Node, Operation, RoundedProducts, Sign, Term};
use crate::filter::LinearSystem;
use crate::fixed::{Overflow, Rounding, WordFormat};
use std::collections::BTreeMap;

/// Where a linear model is driven.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Drive {
    /// By a word that comes in.
    Input {
        /// The number of the port.
        port: usize,
        /// Which of its words of a firing.
        at: usize,
    },
    /// By something added to the word that an operation gives, in one pass of its loop.
    After {
        /// The operation.
        node: Node,
        /// The pass of the loop around it (0 outside).
        pass: usize,
    },
}

impl Drive {
    /// By the first word of the first port: of a filter, its input.
    pub const INPUT: Drive = Drive::Input { port: 0, at: 0 };

    /// Each word that a firing takes.
    pub(super) fn inputs(datapath: &Datapath) -> impl Iterator<Item = Drive> + '_ {
        let words = datapath.inputs.iter().enumerate();
        words.flat_map(|(port, found)| (0..found.count).map(move |at| Drive::Input { port, at }))
    }
}

/// A rounding operation as a source of error.
#[derive(Debug, Clone, Copy, PartialEq)]
#[non_exhaustive]
pub struct RoundingSource {
    /// The operation.
    pub node: Node,
    /// The pass of the loop around it (0 outside).
    pub pass: usize,
    /// How it rounds.
    pub rounding: Rounding,
    /// Bits dropped that are not always zero, at least 1: where all coefficients share a factor of two, so do
    /// their products.
    pub dropped: u32,
    /// The value of one step of its result.
    pub step: f64,
    /// How many such roundings go into the word of the operation: 1, or the number of products that are
    /// rounded alike before they are added.
    pub alike: usize,
    /// Minus for products that are taken away behind their rounding.
    pub sign: Sign,
}

struct Linear {
    /// What is added where; `None` when the input drives.
    added: Option<(Place, f64)>,
    /// The number of each place that is watched.
    watched: BTreeMap<Place, usize>,
    seen: Vec<f64>,
    absolute: bool,
}

impl Linear {
    /// Adds what an operation does to its word beyond the linear model.
    fn disturbed(&self, at: Place, word: f64) -> f64 {
        match self.added {
            Some((place, amount)) if place == at => word + amount,
            _ => word,
        }
    }
}

impl Arithmetic for Linear {
    type Word = f64;

    fn zero(&self) -> f64 {
        0.0
    }
    fn coefficient(&mut self, value: i64, format: WordFormat) -> f64 {
        let value = format.value(value);
        if self.absolute { value.abs() } else { value }
    }
    fn product(&mut self, _: Place, left: f64, right: f64) -> f64 {
        left * right
    }
    fn add(&mut self, sum: f64, sign: Sign, term: f64, _: u32) -> f64 {
        if sign == Sign::Plus || self.absolute { sum + term } else { sum - term }
    }
    fn shift_point(&mut self, word: f64, binary_point_shift: i32) -> f64 {
        libm::scalbn(word, -binary_point_shift)
    }
    fn close_sum(&mut self, at: Place, sum: f64, _: WordFormat) -> f64 {
        self.disturbed(at, sum)
    }
    fn round(&mut self, at: Place, word: f64, _: i32, _: Rounding) -> f64 {
        self.disturbed(at, word)
    }
    fn round_product(&mut self, _: Place, word: f64, _: i32, _: Rounding) -> f64 {
        word
    }
    fn limit(&mut self, at: Place, word: f64, _: WordFormat, _: Overflow) -> f64 {
        self.disturbed(at, word)
    }
    /// What is watched is the word that an operation gives, its own roundings included: those of the products
    /// of a sum come into it on their way, and a limit that does not act gives what it gets.
    fn seen(&mut self, at: Place, word: f64) {
        if let Some(index) = self.watched.get(&at) {
            self.seen[*index] = word;
        }
    }
}

/// The linear reading of a datapath, with one drive.
pub struct LinearDatapath<'a> {
    machine: Machine<'a, Linear>,
    drive: Drive,
    /// For each place that is watched, its number among those that are seen: one may be watched twice.
    watched: Vec<usize>,
    /// Where the words of each input port begin.
    inputs: Vec<usize>,
    /// Words that go out.
    outputs: usize,
    states: usize,
    operations: usize,
    finite: Option<usize>,
}

impl<'a> LinearDatapath<'a> {
    /// The linear model of a checked datapath, observed at every word that it delivers, port by port.
    pub fn new(checked: &'a Checked, drive: Drive) -> Self {
        LinearDatapath::watching(checked.datapath(), checked.fractions(), &[], drive)
    }

    /// The model observed at `watched` places and, last, at every word that goes out.
    pub(super) fn watching(
        datapath: &'a Datapath,
        fractions: &'a [i32],
        watched: &[Place],
        drive: Drive,
    ) -> Self {
        let mut places = BTreeMap::new();
        let numbers = watched.iter().map(|place| {
            let next = places.len();
            *places.entry(*place).or_insert(next)
        });
        let numbers: Vec<usize> = numbers.collect();
        let seen = vec![0.0; places.len()];
        let linear = Linear { added: None, watched: places, seen, absolute: false };
        LinearDatapath {
            watched: numbers,
            machine: Machine::new(datapath, fractions, linear),
            drive,
            inputs: offsets(&datapath.inputs),
            outputs: datapath.words_out(),
            states: datapath.state_words(),
            operations: operations(datapath),
            finite: finite(datapath, fractions),
        }
    }

    /// Drives it from elsewhere.
    pub(super) fn driven_by(mut self, drive: Drive) -> Self {
        self.drive = drive;
        self
    }

    fn run(&mut self, state: &mut [f64], drive: f64, seen: &mut [f64]) {
        self.machine.set_state(|index, _| state[index]);
        let linear = &mut self.machine.arithmetic;
        let (driven, added) = match self.drive {
            // A word that is not there drives nothing.
            Drive::Input { port, at } => (self.inputs.get(port).map(|first| first + at), None),
            Drive::After { node, pass } => (None, Some((Place { node, pass }, drive))),
        };
        linear.added = added;
        let input = (0..).map(|word| if driven == Some(word) { drive } else { 0.0 });
        let (watched, outputs) = seen.split_at_mut(self.watched.len());
        outputs.copy_from_slice(self.machine.step(input));
        for (slot, word) in state.iter_mut().zip(self.machine.state()) {
            *slot = word;
        }
        for (slot, number) in watched.iter_mut().zip(&self.watched) {
            *slot = self.machine.arithmetic.seen[*number];
        }
    }
}

impl LinearSystem for LinearDatapath<'_> {
    fn states(&self) -> usize {
        self.states
    }
    fn observed(&self) -> usize {
        self.watched.len() + self.outputs
    }
    fn step(&mut self, state: &mut [f64], drive: f64, seen: &mut [f64]) {
        self.machine.arithmetic.absolute = false;
        self.run(state, drive, seen);
    }
    fn step_absolute(&mut self, state: &mut [f64], drive: f64, seen: &mut [f64]) {
        self.machine.arithmetic.absolute = true;
        self.run(state, drive, seen);
    }
    fn operations(&self) -> usize {
        self.operations
    }
    fn finite(&self) -> Option<usize> {
        self.finite
    }
}

/// Every rounding that drops bits, pass by pass.
pub(super) fn rounding_sources(
    datapath: &Datapath,
    fractions: &[i32],
    start: Start,
) -> Vec<RoundingSource> {
    let idle = idle_bits(datapath, fractions, start);
    let mut sources = Vec::new();
    for (node, operation, passes) in datapath.operations() {
        if let Operation::Round { word, fraction, rounding } = operation {
            let shift = fractions[word.0 as usize] - fraction;
            for pass in 0..passes {
                let idle = idle.dropped.get(&Place { node, pass }).copied().unwrap_or(0);
                let dropped = u32::try_from(shift).map_or(0, |shift| shift.saturating_sub(idle));
                if dropped > 0 {
                    sources.push(RoundingSource {
                        node,
                        pass,
                        rounding: *rounding,
                        dropped,
                        step: libm::scalbn(1.0, -fraction),
                        alike: 1,
                        sign: Sign::Plus,
                    });
                }
            }
        }
        if let Operation::Accumulate { terms, .. } = operation {
            for pass in 0..passes {
                sources.extend(product_sources(datapath, Place { node, pass }, terms, &idle));
            }
        }
    }
    sources
}

/// The roundings of products inside a sum. Zeros at the end of a coefficient or of its words leave as many of
/// the dropped bits zero.
fn product_sources(
    datapath: &Datapath,
    at: Place,
    terms: &[Term],
    idle: &Idle,
) -> Vec<RoundingSource> {
    let mut sources: Vec<RoundingSource> = Vec::new();
    for factors in terms.iter().filter_map(Factors::of) {
        let (Some((most, _)), Some(RoundedProducts { fraction, rounding })) =
            (factors.dropped(datapath), factors.products)
        else {
            continue;
        };
        let zeros = idle.rows[factors.line.0][factors.line_row.at(at.pass)];
        for value in factors.coefficients(datapath, at.pass).filter(|value| *value != 0) {
            let dropped = most.saturating_sub(value.trailing_zeros().saturating_add(zeros));
            if dropped == 0 {
                continue;
            }
            let one = RoundingSource {
                node: at.node,
                pass: at.pass,
                rounding,
                dropped,
                step: libm::scalbn(1.0, -fraction),
                alike: 1,
                sign: factors.sign,
            };
            let is_alike = |other: &&mut RoundingSource| {
                RoundingSource { alike: other.alike, ..one } == **other
            };
            match sources.iter_mut().find(is_alike) {
                Some(other) => other.alike += 1,
                None => sources.push(one),
            }
        }
    }
    sources
}

/// Products, additions and conversions of coefficients in one run of the program.
fn operations(datapath: &Datapath) -> usize {
    let mut count = 0;
    for (_, operation, passes) in datapath.operations() {
        count += passes
            * match operation {
                Operation::Accumulate { terms, .. } => terms
                    .iter()
                    .map(|term| match term {
                        Term::Word { .. } => 1,
                        Term::Dot { count, .. } => 3 * count,
                        Term::Folded(fold) => 4 * fold.count,
                    })
                    .sum(),
                _ => 1,
            };
    }
    count
}

/// Which remembered words can still be nonzero: with every state marked and no input, a filter
/// without feedback runs empty.
struct Marks;

impl Arithmetic for Marks {
    type Word = bool;

    fn zero(&self) -> bool {
        false
    }
    fn coefficient(&mut self, value: i64, _: WordFormat) -> bool {
        value != 0
    }
    fn product(&mut self, _: Place, left: bool, right: bool) -> bool {
        left && right
    }
    fn add(&mut self, sum: bool, _: Sign, term: bool, _: u32) -> bool {
        sum || term
    }
    fn close_sum(&mut self, _: Place, sum: bool, _: WordFormat) -> bool {
        sum
    }
    fn round(&mut self, _: Place, word: bool, _: i32, _: Rounding) -> bool {
        word
    }
    fn limit(&mut self, _: Place, word: bool, _: WordFormat, _: Overflow) -> bool {
        word
    }
}

fn finite(datapath: &Datapath, fractions: &[i32]) -> Option<usize> {
    let mut machine = Machine::new(datapath, fractions, Marks);
    machine.set_state(|_, _| true);
    let limit = datapath.state_words() + 1;
    (0..=limit).find(|_| {
        let empty = machine.state().all(|mark| !mark);
        machine.step(std::iter::empty());
        empty
    })
}
