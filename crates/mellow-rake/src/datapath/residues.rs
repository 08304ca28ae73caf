//! The reading modulo a power of two: a program of sums alone, whose words may wrap, as what its inputs and
//! roundings add up to in the end.
//!
//! Where every sum wraps at the same value 2^I, adding, subtracting and remembering are operations of the
//! ring of the multiples of 2^(−F) modulo 2^I, F the finest fraction; and dropping bits toward minus infinity
//! is adding an error to a residue, for ⌊(x + k·2^I)/s⌋·s = ⌊x/s⌋·s + k·2^I where s divides 2^I. So the last
//! sum is congruent to Σ h·x + Σ g·e, with any integers h and g that are congruent to the responses; and if
//! that is never beyond its word, it is equal to it, however often sums before it wrapped (E. B. Hogenauer,
//! "An economical class of digital filters for decimation and interpolation", 1981, section IV).

use super::walk::{Arithmetic, Machine, Place};
use super::{Checked, Node, Operation, Sign, Term};
use crate::fixed::{Overflow, Rounding, WordFormat};

/// Where a program of sums is driven by one step.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) enum Push {
    /// At its input.
    Input,
    /// At its input, by one step of the unit; no binary point moves there.
    Unit,
    /// Behind a rounding.
    Behind(Node),
}

/// A program of one word in and one out, of sums that all wrap at the same value.
pub(crate) struct SumProgram<'a> {
    checked: &'a Checked,
    /// The sum that is rounded, limited and given, or given as it is.
    exit: Node,
    /// Bits before the binary point of each sum.
    pub(crate) whole: i32,
    /// A fraction of which every word is a whole number of steps.
    pub(crate) finest: i32,
    /// The format of the last sum.
    pub(crate) last: WordFormat,
    /// Roundings before it.
    pub(crate) inner: Vec<Node>,
    /// Whether the binary point of a word moves on its way into a sum.
    pub(crate) moves_point: bool,
}

impl<'a> SumProgram<'a> {
    /// The reading of a program; `None` of one that does anything else than to add.
    pub(crate) fn of(checked: &'a Checked) -> Option<Self> {
        let datapath = checked.datapath();
        if !datapath.is_per_sample() || !datapath.tables.is_empty() {
            return None;
        }
        let operation = |wanted: Node| {
            datapath.body.iter().find(|(node, _)| *node == wanted).map(|(_, operation)| operation)
        };
        // What ends it: a rounding and a limit, in this order, each if it is there.
        let mut ending = Vec::new();
        let mut exit = datapath.result()?;
        if let Operation::Limit { word, .. } = operation(exit)? {
            ending.push(exit);
            exit = *word;
            if let Operation::Round { word, .. } = operation(exit)? {
                ending.push(exit);
                exit = *word;
            }
        }
        let Operation::Accumulate { format: last, .. } = operation(exit)? else { return None };
        let whole = last.width() as i32 - last.fraction();
        // What comes in, or came in, dropped bits or not: no residue, so its binary point may move.
        let came_in = |word: Node| match operation(word) {
            Some(Operation::Input { .. }) => true,
            Some(Operation::Round { word, .. }) => {
                matches!(operation(*word), Some(Operation::Input { .. }))
            }
            _ => false,
        };
        let is_input = |word: Node| match operation(word) {
            Some(Operation::Tap { line, .. }) => datapath.body.iter().all(|(_, operation)| {
                !matches!(operation, Operation::Store { line: own, word, .. }
                    if own == line && !came_in(*word))
            }),
            _ => came_in(word),
        };
        let (mut inner, mut finest, mut moves_point) = (Vec::new(), last.fraction(), false);
        for (node, operation) in &datapath.body {
            let adds = match operation {
                Operation::Input { .. }
                | Operation::Tap { .. }
                | Operation::Store { .. }
                | Operation::Deliver { .. } => true,
                Operation::Accumulate { terms, format } => {
                    let own = format.width() as i32 - format.fraction();
                    finest = finest.max(format.fraction());
                    let mut keeps = |term: &Term| match term {
                        Term::Word { word, binary_point_shift: places, .. } => {
                            finest = finest.max(checked.fractions()[word.0 as usize]);
                            if *places != 0 {
                                finest = finest.max(checked.input().fraction() + places);
                                moves_point = true;
                            }
                            *places == 0 || is_input(*word)
                        }
                        _ => false,
                    };
                    format.is_signed() && own == whole && terms.iter().all(&mut keeps)
                }
                Operation::Round { rounding, fraction, .. } if !ending.contains(node) => {
                    inner.push(*node);
                    *rounding == Rounding::Floor && (is_input(*node) || fraction + whole >= 0)
                }
                Operation::Round { .. } | Operation::Limit { .. } => ending.contains(node),
                _ => false,
            };
            if !adds {
                return None;
            }
        }
        finest = finest.max(checked.input().fraction());
        Some(SumProgram { checked, exit, whole, finest, last: *last, inner, moves_point })
    }

    /// Words that it remembers.
    pub(crate) fn states(&self) -> usize {
        self.checked.datapath().state_words()
    }

    /// The last sum of each of so many firings after one step at a place, in steps of the fraction `unit`,
    /// modulo 2^128.
    pub(crate) fn response(&self, push: Push, unit: i32, firings: usize) -> Vec<i128> {
        let datapath = self.checked.datapath();
        let fractions = self.checked.fractions();
        let step = |fraction: i32| 1i128 << (unit - fraction).clamp(0, 126);
        let first = match push {
            Push::Input => step(self.checked.input().fraction()),
            Push::Unit => 1,
            Push::Behind(node) => step(fractions[node.0 as usize]),
        };
        let residues = Residues { added: None, exit: self.exit, seen: 0 };
        let mut machine = Machine::new(datapath, fractions, residues);
        let firing = |firing: usize| {
            let drive = if firing == 0 { first } else { 0 };
            let (word, added) = match push {
                Push::Input | Push::Unit => (drive, None),
                Push::Behind(node) => (0, Some((node, drive))),
            };
            machine.arithmetic.added = added;
            machine.step([word]);
            machine.arithmetic.seen
        };
        (0..firings).map(firing).collect()
    }
}

/// Integers of one unit modulo 2^128.
struct Residues {
    added: Option<(Node, i128)>,
    exit: Node,
    seen: i128,
}

impl Arithmetic for Residues {
    type Word = i128;

    fn zero(&self) -> i128 {
        0
    }
    fn coefficient(&mut self, value: i64, _: WordFormat) -> i128 {
        value.into()
    }
    fn product(&mut self, _: Place, left: i128, right: i128) -> i128 {
        left.wrapping_mul(right)
    }
    /// All words have one unit, so nothing is shifted to meet another.
    fn add(&mut self, sum: i128, sign: Sign, term: i128, _: u32) -> i128 {
        match sign {
            Sign::Plus => sum.wrapping_add(term),
            Sign::Minus => sum.wrapping_sub(term),
        }
    }
    fn shift_point(&mut self, word: i128, places: i32) -> i128 {
        if places >= 0 { word >> places.min(127) } else { word << -places.max(-127) }
    }
    fn close_sum(&mut self, _: Place, sum: i128, _: WordFormat) -> i128 {
        sum
    }
    fn round(&mut self, at: Place, word: i128, _: i32, _: Rounding) -> i128 {
        match self.added {
            Some((node, amount)) if node == at.node => word.wrapping_add(amount),
            _ => word,
        }
    }
    fn limit(&mut self, _: Place, word: i128, _: WordFormat, _: Overflow) -> i128 {
        word
    }
    fn seen(&mut self, at: Place, word: i128) {
        if at.node == self.exit {
            self.seen = word;
        }
    }
}
