//! One statement form for all languages: what every writer would have to decide is decided here, once.
//!
//! A datapath says *what* is computed; a language needs *statements*. Which products stand by themselves and
//! which in a loop, where the word of this sample ends a loop early, which places of a delay line a folded
//! product reads, by how many bits a term is shifted, how many bits a product drops, when a line moves on:
//! [`lower`] settles all of it, and a writer only says it in its language. What a language must hold is said
//! beside it: the [`Format`](WordFormat) of every word, and the [`Need`] of every sum.
//!
//! # Meaning
//!
//! Statements run in their order. A [`Local`] is assigned before it is read. Integers are exact; a
//! [`Sum`] is taken modulo 2^width of its word where [`Need::wraps`] says that it can leave it. Memory holds,
//! at index k of a row, the word stored k + 1 samples ago; it changes by [`Statement::Advance`] only, which
//! stands behind all that reads the row in this sample.
//!
//! ```
//! use mellow_rake::datapath::fir_direct;
//! use mellow_rake::fixed::{Overflow, Rounding, round_coefficients};
//! use mellow_rake::write::lower::{Statement, Step, lower};
//! let taps = round_coefficients(&[vec![0.125; 8]], "s8f7".parse()?)?;
//! let word = "s16f15".parse()?;
//! let average = fir_direct(&taps, word, word, Rounding::HalfUp, Overflow::Saturate)?.check()?;
//! let lowered = lower(&average);
//! let sum = lowered.body.iter().find_map(|statement| match statement {
//!     Statement::Sum(sum) => Some(sum),
//!     _ => None,
//! });
//! // The newest word by itself, the seven that are remembered in a loop.
//! assert!(matches!(sum.unwrap().steps[..], [Step::Add(_), Step::Loop { .. }]));
//! # Ok::<(), Box<dyn std::error::Error>>(())
//! ```

mod from_datapath;
pub(super) mod processor;

pub use from_datapath::lower;
pub use processor::lower_for_processor;
pub(super) use processor::lower_in_loops;

use crate::datapath::{Line, Node, Port, Row, Sign, Table};
use crate::fixed::{Rounding, WordFormat};
use std::ops::Range;

/// A datapath as statements.
#[derive(Debug, Clone)]
#[non_exhaustive]
pub struct Lowered {
    /// What comes in.
    pub inputs: Vec<Port>,
    /// What goes out.
    pub outputs: Vec<Port>,
    /// The constant coefficients; [`Coefficient::table`] counts them.
    pub tables: Vec<Table>,
    /// For each table, whether a statement looks up its exponents, so that they have to be there.
    pub looks_up_exponents: Vec<bool>,
    /// For each table, what else is to be said of its coefficients.
    pub notes: Vec<Option<&'static str>>,
    /// The delay lines; [`Read::Remembered`] counts them. Those of depth 0 remember nothing.
    pub lines: Vec<Line>,
    /// For each line, where its words lie.
    pub homes: Vec<Home>,
    /// For each line, whether its words lie in a window that moves through a longer memory.
    pub windows: Vec<Option<Window>>,
    /// One firing.
    pub body: Vec<Statement>,
    /// The word that is delivered last: of a program that gives one word, what goes out.
    pub result: Local,
}

impl Lowered {
    /// The format of the first input port.
    pub fn input(&self) -> WordFormat {
        self.inputs[0].format
    }

    /// The format of the first output port.
    pub fn output(&self) -> WordFormat {
        self.outputs[0].format
    }
}

/// Where the words of a line lie: in rows of its own, or of another line that holds the same words.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
#[non_exhaustive]
pub struct Home {
    /// The line whose rows they are.
    pub line: usize,
    /// The row of it that is row 0 of this one.
    pub first_row: usize,
}

/// How the words of a line lie in a memory that is longer than the line, oldest first, so that none of them
/// moves from sample to sample: the window moves instead, and only where the memory ends its words are
/// copied to the beginning. In such a line the word of this sample can be read at index −1 as soon as it has
/// its value.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
#[non_exhaustive]
pub struct Window {
    /// Words of memory beyond those of the line: so many samples pass between two copies.
    pub slack: usize,
    /// Words with even and with odd number lie apart where this is 2; side by side where it is 1.
    pub phases: usize,
}

/// A word with a name.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
#[non_exhaustive]
pub struct Local {
    /// The operation that makes it; no two words have the same.
    pub node: Node,
    /// Its format: it holds every value that can occur.
    pub format: WordFormat,
    /// Whether it comes out of arithmetic, and not out of memory or a limit: a language with few types holds
    /// it in one that it computes in.
    pub is_computed: bool,
}

/// One statement.
#[derive(Debug, Clone, PartialEq, Eq)]
#[non_exhaustive]
pub enum Statement {
    /// Gives a word its value.
    Let {
        /// The word.
        local: Local,
        /// What it holds from now on.
        value: Value,
    },
    /// Gives a word the value of a sum.
    Sum(Sum),
    /// A loop that hands one word from pass to pass; [`Row::Pass`] is the number of the pass.
    Repeat {
        /// Holds the word on the way, and behind the loop the last one.
        local: Local,
        /// Number of passes, at least 1.
        passes: usize,
        /// What it holds before the first pass.
        first: Local,
        /// What each pass does.
        body: Vec<Statement>,
        /// What it holds after each pass.
        result: Local,
    },
    /// Gives an output port one of its words.
    Deliver {
        /// The number of the port.
        port: usize,
        /// Which of its words of this firing.
        at: Row,
        /// The word.
        word: Local,
    },
    /// Moves a row of a line on by one firing: index k gets the word of k − 1, index 0 the new word.
    Advance {
        /// The line; its depth is at least 1.
        line: usize,
        /// Its row.
        row: Row,
        /// The new word.
        word: Local,
    },
}

/// What a word is made of.
#[derive(Debug, Clone, PartialEq, Eq)]
#[non_exhaustive]
pub enum Value {
    /// A word that came in.
    Input {
        /// The number of the port.
        port: usize,
        /// Which of its words of this firing.
        at: Row,
    },
    /// A word from somewhere.
    Read(Read),
    /// An exact product of a coefficient and a word.
    Product {
        /// The coefficient.
        coefficient: Coefficient,
        /// The word.
        word: Local,
    },
    /// The word without its lowest bits, or with zeros appended.
    Round {
        /// The word.
        word: Local,
        /// Bits dropped; below zero, zeros appended.
        dropped: i32,
        /// How bits are dropped.
        rounding: Rounding,
    },
    /// The word in another width.
    Limit {
        /// The word.
        word: Local,
        /// What is done to it.
        how: Limiting,
    },
}

/// What a limit does.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
#[non_exhaustive]
pub enum Limiting {
    /// Nothing: every value that can occur fits.
    Fits,
    /// Takes the nearest value that fits.
    Saturate {
        /// Whether there can be a value below the lowest one.
        below: bool,
        /// Whether there can be a value above the highest one.
        above: bool,
    },
    /// Takes the lowest bits.
    Wrap,
}

/// Where a word is found.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
#[non_exhaustive]
pub enum Read {
    /// It has a name.
    Local(Local),
    /// In a delay line, at an index of 0 to its depth less 1.
    Remembered {
        /// The line.
        line: usize,
        /// Its row.
        row: Row,
        /// The index.
        index: Index,
    },
}

/// A place that moves with the counter k of the loop around it: offset + step · k.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
#[non_exhaustive]
pub struct Index {
    /// The place where k is 0; it may be −1 where a loop begins at 1.
    pub offset: i64,
    /// 0 outside of loops.
    pub step: i64,
}

impl Index {
    /// The place in the pass k of the loop.
    pub fn at(self, k: usize) -> i64 {
        self.offset + self.step * k as i64
    }
}

/// A constant coefficient.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
#[non_exhaustive]
pub struct Coefficient {
    /// The table.
    pub table: usize,
    /// Its row.
    pub row: Row,
    /// Its column.
    pub column: Index,
    /// It counts two to this power times.
    pub exponent: Exponent,
}

/// By how many bits the fraction of a coefficient is smaller than that of its table.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
#[non_exhaustive]
pub enum Exponent {
    /// By so many, wherever the statement stands.
    Constant(u32),
    /// Looked up in the exponents of the table, in the row of the coefficient, at this column.
    At(Index),
}

/// A sum.
#[derive(Debug, Clone, PartialEq, Eq)]
#[non_exhaustive]
pub struct Sum {
    /// The word that it gives; its format is that of the accumulator.
    pub local: Local,
    /// What a language must hold on the way.
    pub need: Need,
    /// What it begins with.
    pub first: i128,
    /// What is added. Any order gives the same.
    pub steps: Vec<Step>,
    /// Whether its terms are words only, some of them more than once: the digits of coefficients.
    pub is_of_digits: bool,
}

/// What is proved of a sum on its way, in steps of its word.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
#[non_exhaustive]
pub struct Need {
    /// No partial sum in any order, and no pair of words that is added before its product, is larger.
    pub partial: i128,
    /// No value of the whole sum is larger, of those above zero.
    pub highest: i128,
    /// No product, and no such pair, is larger, each in its own steps.
    pub product: i128,
    /// Whether the whole sum can leave its format: then it is taken modulo 2^width.
    pub wraps: bool,
    /// Whether products are rounded before they are added.
    pub rounds_products: bool,
}

/// One step of a sum.
#[derive(Debug, Clone, PartialEq, Eq)]
#[non_exhaustive]
pub enum Step {
    /// Adds one term.
    Add(Addition),
    /// Adds one for each value of a counter k.
    Loop {
        /// The values of k, at least one.
        passes: Range<usize>,
        /// What is added.
        addition: Addition,
    },
    /// Doubles what is there so many times.
    Double(u32),
}

/// A term of a sum.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
#[non_exhaustive]
pub struct Addition {
    /// Added or subtracted.
    pub sign: Sign,
    /// What.
    pub addend: Addend,
    /// Zeros appended to it first.
    pub shift: u32,
    /// The number of the term of the datapath that it comes from: those of one term are alike in all but
    /// their places, so that hardware can name their parts once.
    pub term: usize,
}

/// What is added.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
#[non_exhaustive]
pub enum Addend {
    /// A word.
    Word(Local),
    /// A product.
    Product {
        /// The coefficient.
        coefficient: Coefficient,
        /// What it is multiplied by.
        factor: Factor,
        /// Bits that the product drops before it is added, and how.
        rounded: Option<(u32, Rounding)>,
    },
}

/// What a coefficient is multiplied by.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
#[non_exhaustive]
pub enum Factor {
    /// A word.
    One(Read),
    /// Two words of one line, added or subtracted.
    Pair {
        /// The first.
        first: Read,
        /// Whether the second is added or subtracted.
        sign: Sign,
        /// The second.
        second: Read,
    },
}

impl Sum {
    /// The same sum from the largest power of two downward: what is there is doubled between the words
    /// instead of each word being shifted. That takes as few shifts as there are powers, and keeps compilers
    /// from putting the digits of a coefficient together to a product again. Other sums stay as they are.
    pub fn doubling(&self) -> Vec<Step> {
        let word = |step: &Step| match step {
            Step::Add(addition) => Some(*addition),
            _ => None,
        };
        if !self.is_of_digits {
            return self.steps.clone();
        }
        let mut additions: Vec<Addition> = self.steps.iter().filter_map(word).collect();
        additions.sort_by_key(|addition| std::cmp::Reverse(addition.shift));
        let mut last = additions.first().map_or(0, |addition| addition.shift);
        let mut steps = Vec::new();
        for addition in additions {
            if addition.shift < last {
                steps.push(Step::Double(last - addition.shift));
                last = addition.shift;
            }
            steps.push(Step::Add(Addition { shift: 0, ..addition }));
        }
        if last > 0 {
            steps.push(Step::Double(last));
        }
        steps
    }
}
