//! The interval reading: which integers each node can hold, for any input and any state in range.

use super::walk::{Arithmetic, Machine, Place};
use super::{Datapath, Node, Sign};
use crate::fixed::{Overflow, Rounding, WordFormat};
use std::collections::BTreeMap;

/// All integers from `low` to `high`, and for sums the total size of their terms.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(super) struct Interval {
    pub(super) low: i128,
    pub(super) high: i128,
    /// Σ max |term|: no partial sum, in any order, is larger.
    pub(super) partial: i128,
}

impl Interval {
    fn new(low: i128, high: i128) -> Self {
        Interval { low, high, partial: low.saturating_abs().max(high.saturating_abs()) }
    }

    pub(super) fn of(format: WordFormat) -> Self {
        Interval::new(format.minimum(), format.maximum())
    }

    fn union(self, other: Interval) -> Self {
        Interval {
            low: self.low.min(other.low),
            high: self.high.max(other.high),
            partial: self.partial.max(other.partial),
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
}

fn merge(map: &mut BTreeMap<Node, Interval>, at: Place, word: Interval) {
    map.entry(at.node).and_modify(|i| *i = i.union(word)).or_insert(word);
}

impl Arithmetic for Ranges {
    type Word = Interval;

    fn zero(&self) -> Interval {
        Interval::new(0, 0)
    }
    fn coefficient(&mut self, value: i64, _: WordFormat) -> Interval {
        Interval::new(value.into(), value.into())
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
        let product = Interval::new(low, high);
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
        }
    }
    fn close_sum(&mut self, at: Place, sum: Interval, format: WordFormat) -> Interval {
        merge(&mut self.sums, at, sum);
        if format.holds(sum.low) && format.holds(sum.high) {
            Interval::new(sum.low, sum.high)
        } else {
            Interval::of(format)
        }
    }
    fn round(&mut self, _: Place, word: Interval, shift: i32, rounding: Rounding) -> Interval {
        let scale = |v: i128| {
            if shift >= 0 {
                rounding.shift_right(v, shift as u32)
            } else {
                v.saturating_mul(1i128.checked_shl(-shift as u32).unwrap_or(i128::MAX))
            }
        };
        Interval::new(scale(word.low), scale(word.high))
    }
    fn limit(&mut self, at: Place, word: Interval, to: WordFormat, how: Overflow) -> Interval {
        merge(&mut self.limits, at, word);
        if to.holds(word.low) && to.holds(word.high) {
            word
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

/// The ranges of all nodes when the input and every remembered word take any value of their formats.
pub(super) fn ranges(datapath: &Datapath, fractions: &[i32]) -> Ranges {
    let mut machine = Machine::new(datapath, fractions, Ranges::default());
    machine.set_state(|_, line| Interval::of(line.format));
    machine.step(Interval::of(datapath.input));
    machine.arithmetic
}
