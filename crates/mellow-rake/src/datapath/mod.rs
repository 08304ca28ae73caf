//! The datapath: a fixed-point filter as one small exact program on integers.
//!
//! A [`Datapath`] runs once per *firing*: each firing takes so many words from every input port and gives so
//! many to every output port, as its [`Port`]s say. A filter takes one sample and gives one; a decimator by M
//! takes M and gives one, an interpolator by L takes one and gives L. The datapath is the only statement of
//! what is computed: the simulator, the bounds, the cost and every writer read it, and no other place knows
//! how a rounding works. `docs/arithmetic.md` says the same in equations.
//!
//! # Meaning
//!
//! **Words.** Every value is an integer `i` in a [`WordFormat`]; it stands for `i · 2^(−fraction)`.
//! Signed words are two's complement. Arithmetic on integers is exact unless an operation named
//! below says otherwise.
//!
//! **Order.** The body, and the [`Block`] of a loop, is a list of operations. Each operation may use the
//! words of operations before it. There are no branches.
//!
//! **Ports.** The words of a port are numbered within a firing, the oldest first: word `at` of firing n is
//! word n · count + `at` of its signal. [`Operation::Input`] reads one, [`Operation::Deliver`] gives one;
//! each word of each output port is given exactly once per firing.
//!
//! **Tables** hold constant coefficients, in rows of equal length.
//!
//! **Delay lines** remember words. A line has rows (one for each pass of the loop that uses it, or
//! just one) and a depth. Each row is given exactly one word per firing, by [`Operation::Store`]. The word of
//! *age* 0 is the word stored in this very firing and may be read only after the store; the word of age
//! `k`, 1 ≤ `k` ≤ depth, is the one stored `k` firings before and may be read anywhere. Before the first
//! firing all stored words are zero. So it does not matter whether an implementation shifts a
//! line at the store or at the end of the firing. A line belongs to the block that stores in it; in a loop
//! each pass uses its own row. A loop may also read, not store, in fixed rows of the lines outside it.
//!
//! **Products** are exact; widths and fractions add up. One factor is always a coefficient, so without its
//! roundings and limits every datapath is a linear filter. A coefficient may have a fraction smaller than
//! that of its table: its integer counts 2 to the power of the difference, its *exponent*. A dot product may
//! name a rounding that each of its products goes through before it is added ([`RoundedProducts`]).
//!
//! **Sums** ([`Operation::Accumulate`]) are order-free. Every term is brought to the fraction of the
//! accumulator by an exact shift to the left (a term of larger fraction is an error), the terms
//! are added, and the sum is taken modulo 2^width of the accumulator. So any order, splitting, folding
//! or pipelining gives the same word, and a wrap half-way is harmless when the final sum fits. A
//! sum never saturates.
//!
//! **Rounding** ([`Operation::Round`]) changes the fraction: to fewer bits by a named [`Rounding`], to more
//! bits by an exact shift to the left. The result is as wide as its largest value needs.
//!
//! **Limiting** ([`Operation::Limit`]) brings a word into a format of the same fraction by a named
//! [`Overflow`]. These two, and the roundings of products that a dot product names, are all that loses
//! anything.
//!
//! **Loops** ([`Operation::Repeat`]) pass one word from pass to pass: pass 0 gets the word `first`,
//! pass `k` gets the result of pass `k − 1`, and the loop's word is the result of the last. Pass `k`
//! uses row `k` of tables and lines that are addressed by [`Row::Pass`].
//!
//! **Time.** The program itself has no latency: what firing n delivers depends on the input of firing n. A
//! writer that needs clock cycles declares them.
//!
//! A datapath becomes usable by [`Datapath::check`], which gives a [`Checked`]: the same
//! program with the facts proved about it. Writers and simulators accept nothing else.

mod any_coefficients;
mod bound;
mod build;
mod check;
mod cost;
mod describe;
mod dump;
mod entangled;
mod equations;
mod error;
mod factors;
mod limit_cycles;
mod linear;
mod machine_words;
mod movement;
mod narrow;
mod noise;
mod ports;
mod range;
mod residues;
mod run;
mod shared;
mod shifts;
mod structure;
mod walk;
mod widths;

pub use any_coefficients::AnyCoefficientsError;
pub use bound::{Bounds, ErrorBound, Reach, WorstCase};
pub(crate) use build::shaping_numbers;
pub use build::{
    AllPassWords, BuildError, LatticeTables, SectionWords, StateWords, SumWords, all_pass_sum,
    combs, direct_form_1, direct_form_1_shaped, direct_form_1_transposed, direct_form_2,
    direct_form_2_transposed, fir_decimator, fir_direct, fir_folded, fir_interpolator,
    fir_skip_zeros, fir_transposed, integrators, lattice_ladder, lattice_sections, shaping,
    state_space, word_change,
};
pub use check::{Checked, Facts, LimitFact, SumFact};
pub use cost::Cost;
pub use describe::{Description, describe};
pub use dump::dump;
pub use error::DatapathError;
pub(crate) use factors::Factors;
pub use limit_cycles::{
    CycleSearch, LimitCycle, LimitCycles, OverflowSearch, overflow_oscillations,
    overflow_oscillations_among, zero_input_cycles, zero_input_cycles_among,
};
pub use linear::{Drive, LinearDatapath, RoundingSource};
pub(crate) use noise::half_scale;
pub use noise::{NoisePrediction, NotPredicted};
pub use ports::Port;
pub(crate) use residues::{Push, SumProgram};
pub use run::Simulator;
pub use widths::WidthError;

use crate::fixed::{Overflow, RoundedTable, Rounding, WordFormat};
use std::ops::Range;

/// The number of an operation and of the word that it gives; unique in a datapath, rising in the
/// order of the program.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub struct Node(pub u32);

/// The index of a table in [`Datapath::tables`].
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash)]
pub struct TableIndex(pub usize);

/// The index of a delay line in [`Datapath::lines`].
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash)]
pub struct LineIndex(pub usize);

/// Which row of a table or line, or which word of a port, is meant.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub enum Row {
    /// This row, in every pass.
    Fixed(usize),
    /// The row with the number of the loop's pass.
    Pass,
}

impl Row {
    /// The row in the given pass.
    pub fn at(self, pass: usize) -> usize {
        match self {
            Row::Fixed(row) => row,
            Row::Pass => pass,
        }
    }
}

/// What the rows of a table are.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Coefficients {
    /// One second-order section a row: b0, b1, b2, a1, a2.
    Sections,
    /// One row of taps, h\[0\] first.
    Taps,
    /// One tap a row, the last first.
    TapsBackward,
    /// One polyphase branch a row: every so many-th tap, the youngest word's first; zeros fill up the
    /// shorter.
    Phases,
    /// One row of taps, h\[0\] first, of which each stands for its mirror image too; zeros that are skipped
    /// are left out.
    TapsFolded,
    /// One section of two states a row: a11, a12, b1, a21, a22, b2, c1, c2, d.
    StateSpace,
    /// One all-pass a row: a1, a2, or a1 alone.
    AllPass,
    /// The factor 1/2.
    Half,
    /// Reflection coefficients of a lattice: k1, k2, …
    Reflection,
    /// Taps of the ladder of a lattice: v0, v1, …
    Ladder,
    /// Whole numbers by which remembered errors are multiplied: k1, k2.
    Shaping,
}

/// Constant coefficients in rows of equal length.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Table {
    /// A short identifier, unique among tables and lines.
    pub name: &'static str,
    /// What they are, for those who read the written text.
    pub holds: Coefficients,
    /// The format of every word; of those with the finest fraction where not all have the same.
    pub format: WordFormat,
    /// For each coefficient, by how many bits its fraction is smaller than that of the format; empty where
    /// none is.
    pub exponents: Vec<Vec<u32>>,
    /// The integers.
    pub rows: Vec<Vec<i64>>,
}

impl Table {
    /// Rounded coefficients as a table of a program.
    pub(crate) fn of(name: &'static str, holds: Coefficients, rounded: &RoundedTable) -> Table {
        let RoundedTable { format, exponents, rows } = rounded.clone();
        Table { name, holds, format, exponents, rows }
    }

    /// By how many bits the fraction of a coefficient is smaller than that of the format.
    pub fn exponent(&self, row: usize, column: usize) -> u32 {
        self.exponents.get(row).and_then(|row| row.get(column)).copied().unwrap_or(0)
    }

    /// What the exponents of some columns have in common, in the row that is meant or, of a pass, in all.
    pub(crate) fn common_exponent(&self, row: Row, columns: Range<usize>) -> CommonExponent {
        let rows = match row {
            Row::Fixed(row) => row..row + 1,
            Row::Pass => 0..self.rows.len(),
        };
        let first = |row: usize| self.exponent(row, columns.start);
        let is_even = |row: usize| columns.clone().all(|k| self.exponent(row, k) == first(row));
        let all = first(rows.start);
        if !rows.clone().all(is_even) {
            CommonExponent::None
        } else if rows.clone().all(|row| first(row) == all) {
            CommonExponent::All(all)
        } else {
            CommonExponent::OfRow
        }
    }

    /// A coefficient as an integer of the finest fraction: the one that products are made with.
    pub fn coefficient(&self, row: usize, column: usize) -> i64 {
        self.rows[row][column] << self.exponent(row, column)
    }
}

/// What the exponents of some columns have in common.
pub(crate) enum CommonExponent {
    /// All are this.
    All(u32),
    /// Those of a row are alike.
    OfRow,
    /// Nothing.
    None,
}

/// Words remembered from firing to firing.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Line {
    /// A short identifier, unique among tables and lines.
    pub name: &'static str,
    /// The format of every word.
    pub format: WordFormat,
    /// Number of rows.
    pub rows: usize,
    /// Words remembered per row: ages 1 to `depth`.
    pub depth: usize,
}

/// Whether a term is added or subtracted.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash)]
pub enum Sign {
    /// Added.
    Plus,
    /// Subtracted.
    Minus,
}

/// One term of a sum.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Term {
    /// A word, times a power of two.
    Word {
        /// Added or subtracted.
        sign: Sign,
        /// The word.
        word: Node,
        /// By how many places the binary point moves to the left: the same integer counts as so many times
        /// halved, and no bit is lost. Below zero it moves to the right.
        binary_point_shift: i32,
    },
    /// Σ table\[table_row\]\[column + k\] · line\[line_row\]\[age + k\] for k = 0 … count − 1.
    Dot {
        /// Added or subtracted.
        sign: Sign,
        /// The table of coefficients.
        table: TableIndex,
        /// Its row.
        table_row: Row,
        /// The first column.
        column: usize,
        /// The delay line.
        line: LineIndex,
        /// Its row.
        line_row: Row,
        /// The age of the first word; 0 is the word stored in this firing.
        age: usize,
        /// Number of products.
        count: usize,
        /// What is done to each product before it is added; nothing, if it is not given.
        products: Option<RoundedProducts>,
    },
    /// Σ table\[table_row\]\[column + k\] · (line\[line_row\]\[age + stride·k\] ± line\[line_row\]\[mirror −
    /// stride·k\]) for k = 0 … count − 1: words that share a coefficient are added before they meet it.
    Folded(Fold),
}

/// A dot product whose words come in pairs from both ends of a delay line.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Fold {
    /// Whether the second word of a pair is added to the first or subtracted from it.
    pub second: Sign,
    /// The table of coefficients.
    pub table: TableIndex,
    /// Its row.
    pub table_row: Row,
    /// The first column.
    pub column: usize,
    /// The delay line.
    pub line: LineIndex,
    /// Its row.
    pub line_row: Row,
    /// The age of the first word of the first pair.
    pub age: usize,
    /// The age of the second word of the first pair.
    pub mirror: usize,
    /// From pair to pair the ages move towards each other by so many firings.
    pub stride: usize,
    /// Number of pairs, and of products.
    pub count: usize,
    /// What is done to each product before it is added; nothing, if it is not given.
    pub products: Option<RoundedProducts>,
}

/// Products that are brought to a fraction before they are added, each by itself.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct RoundedProducts {
    /// The fraction.
    pub fraction: i32,
    /// How bits are dropped.
    pub rounding: Rounding,
}

/// One step of the program.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Operation {
    /// A word that came in.
    Input {
        /// The number of the port.
        port: usize,
        /// Which of its words of this firing.
        at: Row,
    },
    /// The word carried into this pass of the loop.
    Carried,
    /// A word from a delay line.
    Tap {
        /// The line.
        line: LineIndex,
        /// Its row.
        row: Row,
        /// 0: stored in this firing; k: stored k firings before.
        age: usize,
    },
    /// An exact product of a coefficient and a word.
    Product {
        /// The table.
        table: TableIndex,
        /// Its row.
        row: Row,
        /// Its column.
        column: usize,
        /// The word.
        word: Node,
    },
    /// A sum modulo 2^width of its format.
    Accumulate {
        /// What is added.
        terms: Vec<Term>,
        /// The accumulator.
        format: WordFormat,
    },
    /// A change of the fraction.
    Round {
        /// The word.
        word: Node,
        /// The new fraction.
        fraction: i32,
        /// How bits are dropped.
        rounding: Rounding,
    },
    /// A change of the width.
    Limit {
        /// The word.
        word: Node,
        /// The new format; its fraction is that of the word.
        format: WordFormat,
        /// What happens when the word does not fit.
        overflow: Overflow,
    },
    /// Gives a row of a line its word of this firing.
    Store {
        /// The line.
        line: LineIndex,
        /// Its row.
        row: Row,
        /// The word, in the line's format.
        word: Node,
    },
    /// Gives an output port a word of this firing.
    Deliver {
        /// The number of the port.
        port: usize,
        /// Which of its words of this firing.
        at: Row,
        /// The word, in the port's format.
        word: Node,
    },
    /// A loop that carries one word.
    Repeat {
        /// Number of passes, at least 1.
        passes: usize,
        /// The word that pass 0 gets.
        first: Node,
        /// What each pass does; its result has the format of `first`.
        body: Block,
    },
}

impl Operation {
    /// The first word of the first port: of a filter, its sample.
    pub const INPUT: Operation = Operation::Input { port: 0, at: Row::Fixed(0) };

    /// The words of other operations that it takes; of a loop the first and what its body gives, not what is
    /// taken inside.
    ///
    /// ```
    /// use mellow_rake::datapath::{LineIndex, Node, Operation, Row};
    /// let store = Operation::Store { line: LineIndex(0), row: Row::Fixed(0), word: Node(3) };
    /// assert_eq!(store.words(), [Node(3)]);
    /// ```
    pub fn words(&self) -> Vec<Node> {
        match self {
            Operation::Product { word, .. }
            | Operation::Round { word, .. }
            | Operation::Limit { word, .. }
            | Operation::Store { word, .. }
            | Operation::Deliver { word, .. } => vec![*word],
            Operation::Accumulate { terms, .. } => {
                let word = |term: &Term| match term {
                    Term::Word { word, .. } => Some(*word),
                    _ => None,
                };
                terms.iter().filter_map(word).collect()
            }
            Operation::Repeat { first, body, .. } => vec![*first, body.result],
            Operation::Input { .. } | Operation::Carried | Operation::Tap { .. } => Vec::new(),
        }
    }

    /// Puts others in their place.
    fn rename_words(&mut self, name: impl Fn(Node) -> Node) {
        match self {
            Operation::Product { word, .. }
            | Operation::Round { word, .. }
            | Operation::Limit { word, .. }
            | Operation::Store { word, .. }
            | Operation::Deliver { word, .. } => *word = name(*word),
            Operation::Accumulate { terms, .. } => {
                for term in terms {
                    if let Term::Word { word, .. } = term {
                        *word = name(*word);
                    }
                }
            }
            Operation::Repeat { first, body, .. } => {
                (*first, body.result) = (name(*first), name(body.result));
            }
            Operation::Input { .. } | Operation::Carried | Operation::Tap { .. } => {}
        }
    }
}

/// Operations in order, and the word that they give together.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Block {
    /// The operations, each with its number.
    pub operations: Vec<(Node, Operation)>,
    /// The word of the block.
    pub result: Node,
}

/// An exact program on integers that runs once per firing: see the [module](self) for what it means.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Datapath {
    /// What comes in, at least one port.
    pub inputs: Vec<Port>,
    /// What goes out, at least one port.
    pub outputs: Vec<Port>,
    /// Constant coefficients.
    pub tables: Vec<Table>,
    /// Memory.
    pub lines: Vec<Line>,
    /// The program: operations in order, each with its number.
    pub body: Vec<(Node, Operation)>,
}

impl Datapath {
    /// All operations in program order, each with the number of passes of the loop around it (1 outside).
    pub fn operations(&self) -> impl Iterator<Item = (Node, &Operation, usize)> {
        self.body.iter().flat_map(|(node, operation)| {
            let inner: &[(Node, Operation)] = match operation {
                Operation::Repeat { body, .. } => &body.operations,
                _ => &[],
            };
            let passes = match operation {
                Operation::Repeat { passes, .. } => *passes,
                _ => 1,
            };
            std::iter::once((*node, operation, 1))
                .chain(inner.iter().map(move |(node, operation)| (*node, operation, passes)))
        })
    }

    /// One more than the largest node number.
    pub(crate) fn nodes(&self) -> usize {
        self.operations().map(|(node, ..)| node.0 as usize + 1).max().unwrap_or(0)
    }

    /// Words of memory.
    pub fn state_words(&self) -> usize {
        self.lines.iter().map(|line| line.rows * line.depth).sum()
    }
}
