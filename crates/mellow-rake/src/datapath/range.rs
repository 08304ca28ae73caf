//! The interval reading: which integers each node can hold, for any input and any state in range, and which
//! of their last bits are always zero.

use super::ports::words;
use super::walk::{Arithmetic, Machine, Place};
use super::{Datapath, Node, Operation, Sign, Term};
use crate::fixed::{Overflow, Rounding, WordFormat};
use std::collections::BTreeMap;

/// All integers from `low` to `high` that are multiples of 2^`zeros`, and for sums the total size of their
/// terms.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(super) struct Interval {
    pub(super) low: i128,
    pub(super) high: i128,
    /// Σ max |term|: no partial sum, in any order, is larger.
    pub(super) partial: i128,
    /// Bits at the right end that are zero in all of them; those of zero are as many as can be.
    pub(super) zeros: u32,
}

/// The zeros of a word that is always zero.
const ALL_ZERO: u32 = i128::BITS;

impl Interval {
    fn new(low: i128, high: i128) -> Self {
        let zeros = if low == high { low.trailing_zeros() } else { 0 };
        Interval { low, high, partial: low.saturating_abs().max(high.saturating_abs()), zeros }
    }

    fn with_zeros(self, zeros: u32) -> Self {
        Interval { zeros: zeros.min(ALL_ZERO), ..self }
    }

    pub(super) fn of(format: WordFormat) -> Self {
        Interval::new(format.minimum(), format.maximum())
    }

    fn union(self, other: Interval) -> Self {
        Interval {
            low: self.low.min(other.low),
            high: self.high.max(other.high),
            partial: self.partial.max(other.partial),
            zeros: self.zeros.min(other.zeros),
        }
    }
}

/// What the interval reading found out.
#[derive(Default)]
pub(super) struct Ranges {
    /// The integers of every node, over all passes.
    pub(super) nodes: BTreeMap<Node, Interval>,
    /// For sums: the exact sum before it is taken modulo 2^width.
    pub(super) sums: BTreeMap<Node, Interval>,
    /// The largest product inside a node.
    pub(super) products: BTreeMap<Node, i128>,
    /// The range that comes to every limit, over all passes.
    pub(super) limits: BTreeMap<Node, Interval>,
    /// Bits that a rounding drops although they are always zero.
    pub(super) idle: BTreeMap<Place, u32>,
    /// Zeros at the end of the words that the rows of all lines are given.
    stored: Vec<u32>,
    /// Whether a coefficient can be any of its format, whatever the table holds.
    any_coefficients: bool,
    /// Words less what a rounding makes of them: the range that the rounding leaves, whatever the word is.
    residues: BTreeMap<Node, (i128, i128)>,
}

/// Sums of a word less that word rounded. The two are not independent of each other: what is left is what was
/// dropped, and that the rounding says.
fn residues(datapath: &Datapath, fractions: &[i32]) -> BTreeMap<Node, (i128, i128)> {
    let mut roundings = BTreeMap::new();
    let mut found = BTreeMap::new();
    for (node, operation, _) in datapath.operations() {
        match operation {
            Operation::Round { word, fraction, rounding } => {
                let dropped = fractions[word.0 as usize] - fraction;
                roundings.insert(node, (*word, dropped, *rounding));
            }
            Operation::Accumulate { terms, format } => {
                let [
                    Term::Word { sign: Sign::Plus, word, binary_point_shift: 0 },
                    Term::Word { sign: Sign::Minus, word: rounded, binary_point_shift: 0 },
                ] = &terms[..]
                else {
                    continue;
                };
                // A sum of a finer fraction than the word has its zeros behind what is left.
                let appended = format.fraction() - fractions[word.0 as usize];
                if let Some((of, dropped @ 0..=100, rounding)) = roundings.get(rounded)
                    && of == word
                    && (0..=20).contains(&appended)
                {
                    let (low, high) = rounding.left_over(*dropped as u32);
                    found.insert(node, (low << appended, high << appended));
                }
            }
            _ => {}
        }
    }
    found
}

fn merge(map: &mut BTreeMap<Node, Interval>, at: Place, word: Interval) {
    map.entry(at.node).and_modify(|i| *i = i.union(word)).or_insert(word);
}

impl Arithmetic for Ranges {
    type Word = Interval;

    fn zero(&self) -> Interval {
        Interval::new(0, 0)
    }
    fn coefficient(&mut self, value: i64, format: WordFormat) -> Interval {
        match self.any_coefficients {
            true => Interval::of(format),
            false => Interval::new(value.into(), value.into()),
        }
    }
    fn product(&mut self, at: Place, left: Interval, right: Interval) -> Interval {
        let corners = [
            left.low.saturating_mul(right.low),
            left.low.saturating_mul(right.high),
            left.high.saturating_mul(right.low),
            left.high.saturating_mul(right.high),
        ];
        let low = corners.into_iter().min().unwrap_or(0);
        let high = corners.into_iter().max().unwrap_or(0);
        let zeros = left.zeros.saturating_add(right.zeros);
        let product = Interval::new(low, high).with_zeros(zeros);
        let largest = self.products.entry(at.node).or_insert(0);
        *largest = product.partial.max(*largest);
        product
    }
    fn add(&mut self, sum: Interval, sign: Sign, term: Interval, shift: u32) -> Interval {
        let scale = |v: i128| {
            if v == 0 { 0 } else { v.saturating_mul(1i128.checked_shl(shift).unwrap_or(i128::MAX)) }
        };
        let (low, high) = match sign {
            Sign::Plus => (scale(term.low), scale(term.high)),
            Sign::Minus => (scale(term.high).saturating_neg(), scale(term.low).saturating_neg()),
        };
        Interval {
            low: sum.low.saturating_add(low),
            high: sum.high.saturating_add(high),
            partial: sum.partial.saturating_add(low.saturating_abs().max(high.saturating_abs())),
            zeros: sum.zeros.min(term.zeros.saturating_add(shift)),
        }
    }
    fn close_sum(&mut self, at: Place, mut sum: Interval, format: WordFormat) -> Interval {
        if let Some((low, high)) = self.residues.get(&at.node) {
            (sum.low, sum.high) = (sum.low.max(*low), sum.high.min(*high));
        }
        merge(&mut self.sums, at, sum);
        if format.holds(sum.low) && format.holds(sum.high) {
            Interval::new(sum.low, sum.high).with_zeros(sum.zeros)
        } else {
            // Taken modulo a power of two, what is even stays even.
            Interval::of(format).with_zeros(if sum.zeros < format.width() {
                sum.zeros
            } else {
                ALL_ZERO
            })
        }
    }
    fn round_product(
        &mut self,
        _: Place,
        word: Interval,
        shift: i32,
        rounding: Rounding,
    ) -> Interval {
        rounded(word, shift, rounding)
    }
    fn round(&mut self, at: Place, word: Interval, shift: i32, rounding: Rounding) -> Interval {
        if let Ok(shift) = u32::try_from(shift) {
            self.idle.insert(at, word.zeros.min(shift));
        }
        rounded(word, shift, rounding)
    }
    fn limit(&mut self, at: Place, word: Interval, to: WordFormat, how: Overflow) -> Interval {
        merge(&mut self.limits, at, word);
        if to.holds(word.low) && to.holds(word.high) {
            word
        } else if word.zeros == ALL_ZERO {
            Interval::new(0, 0)
        } else if how == Overflow::Saturate {
            let clamp = |v: i128| v.clamp(to.minimum(), to.maximum());
            Interval::new(clamp(word.low), clamp(word.high))
        } else {
            Interval::of(to)
        }
    }
    fn seen(&mut self, at: Place, word: Interval) {
        merge(&mut self.nodes, at, word);
    }
}

/// A word without some of its last bits, or with zeros behind it.
fn rounded(word: Interval, shift: i32, rounding: Rounding) -> Interval {
    let scale = |v: i128| {
        if shift >= 0 {
            rounding.shift_right(v, shift as u32)
        } else {
            v.saturating_mul(1i128.checked_shl(-shift as u32).unwrap_or(i128::MAX))
        }
    };
    let zeros = match word.zeros {
        ALL_ZERO => ALL_ZERO,
        zeros => (i64::from(zeros) - i64::from(shift)).max(0) as u32,
    };
    Interval::new(scale(word.low), scale(word.high)).with_zeros(zeros)
}

/// The ranges of all nodes when the input and every remembered word take any value of their formats.
pub(super) fn ranges(datapath: &Datapath, fractions: &[i32]) -> Ranges {
    read(datapath, fractions, &unknown(datapath), false)
}

/// The same when every coefficient, too, takes any value of its format.
pub(super) fn any_ranges(datapath: &Datapath, fractions: &[i32]) -> Ranges {
    read(datapath, fractions, &unknown(datapath), true)
}

/// From which states a program is looked at.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(super) enum Start {
    /// From zero, with any input.
    Zero,
    /// From any state, as something that has always gone on may hold.
    Any,
}

/// Bits that are always zero.
pub(super) struct Idle {
    /// Of those that each rounding drops.
    pub(super) dropped: BTreeMap<Place, u32>,
    /// At the ends of the words of each row of each line.
    pub(super) rows: Vec<Vec<u32>>,
}

/// Which bits are always zero.
pub(super) fn idle_bits(datapath: &Datapath, fractions: &[i32], start: Start) -> Idle {
    if start == Start::Any {
        let dropped = ranges(datapath, fractions).idle;
        return Idle { dropped, rows: unknown(datapath) };
    }
    // A row holds as many zeros as all the words that it was ever given. It begins with zero, and what it is
    // given can only take zeros away.
    let mut zeros: Vec<Vec<u32>> =
        datapath.lines.iter().map(|line| vec![u32::MAX; line.rows]).collect();
    loop {
        let found = read(datapath, fractions, &zeros, false);
        let mut is_stable = true;
        for (row, stored) in zeros.iter_mut().flatten().zip(found.stored) {
            is_stable &= stored >= *row;
            *row = stored.min(*row);
        }
        if is_stable {
            return Idle { dropped: found.idle, rows: zeros };
        }
    }
}

/// No zeros at the ends of remembered words.
fn unknown(datapath: &Datapath) -> Vec<Vec<u32>> {
    datapath.lines.iter().map(|line| vec![0; line.rows]).collect()
}

/// One step from any state whose rows have so many zeros at the ends of their words.
fn read(
    datapath: &Datapath,
    fractions: &[i32],
    zeros: &[Vec<u32>],
    any_coefficients: bool,
) -> Ranges {
    let residues = residues(datapath, fractions);
    let reading = Ranges { residues, any_coefficients, ..Ranges::default() };
    let mut machine = Machine::new(datapath, fractions, reading);
    let of_row = datapath.lines.iter().zip(zeros).flat_map(|(line, rows)| {
        rows.iter().flat_map(|zeros| std::iter::repeat_n(*zeros, line.depth))
    });
    let of_row: Vec<u32> = of_row.collect();
    machine.set_state(|index, line| Interval::of(line.format).with_zeros(of_row[index]));
    machine.step(words(&datapath.inputs).map(Interval::of));
    let stored = machine.stored().map(|word| word.zeros).collect();
    Ranges { stored, ..machine.arithmetic }
}
