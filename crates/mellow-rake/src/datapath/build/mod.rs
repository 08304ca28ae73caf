//! Builders: one per structure. A builder states the program of a structure and nothing else.

mod all_pass;
mod cascade;
mod comb;
mod direct_form_1;
mod direct_form_2;
mod folded;
mod lattice;
mod polyphase;
mod state_space;
mod taps;
mod transposed;
mod word_change;

pub use all_pass::{AllPassWords, all_pass_sum};
pub use comb::{SumWords, combs, integrators};
pub(crate) use direct_form_1::shaping_numbers;
pub use direct_form_1::{direct_form_1, direct_form_1_shaped, shaping};
pub use direct_form_2::direct_form_2;
pub use folded::{fir_folded, fir_skip_zeros};
pub use lattice::{LatticeTables, lattice_ladder, lattice_sections};
pub use polyphase::{fir_decimator, fir_interpolator};
pub use state_space::state_space;
pub use taps::{fir_direct, fir_transposed};
pub use transposed::{direct_form_1_transposed, direct_form_2_transposed};
pub use word_change::word_change;

use super::{Node, Operation};
use crate::fixed::{Overflow, RoundedTable, Rounding, WordFormat};

/// Why a structure cannot be built from these coefficients and formats.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
#[non_exhaustive]
pub enum BuildError {
    /// The table of coefficients has the wrong shape.
    #[error("{structure} needs {needed}; the table has {rows} rows of {columns} coefficients")]
    Shape {
        /// The structure.
        structure: &'static str,
        /// The shape that it needs.
        needed: &'static str,
        /// Rows found.
        rows: usize,
        /// Coefficients per row found.
        columns: usize,
    },
    /// Taps that should share a product do not.
    #[error(
        "{structure} adds words that share a tap, but taps {tap} and {other} are neither equal nor opposite \
            as the others are"
    )]
    NotMirrored {
        /// The structure.
        structure: &'static str,
        /// The first tap that differs.
        tap: usize,
        /// Its mirror image.
        other: usize,
    },
    /// A factor that no polyphase structure of these taps can have.
    #[error("{structure} of {taps} taps changes the rate by 2 to {taps}; {factor} was asked for")]
    Factor {
        /// The structure.
        structure: &'static str,
        /// The factor asked for.
        factor: usize,
        /// Taps.
        taps: usize,
    },
    /// A tap that is to be skipped is not zero.
    #[error("fir-skip-zeros skips every second tap from the middle, but tap {tap} is {found}")]
    NotHalfBand {
        /// The tap.
        tap: usize,
        /// The integer.
        found: i64,
    },
    /// The sum of products needs more bits than an accumulator may have.
    #[error(
        "the accumulator of {structure} needs {needed} bits for {data} data and {coefficients} coefficients; \
         at most 64 are there: {over} too many"
    )]
    Accumulator {
        /// The structure.
        structure: &'static str,
        /// Bits needed.
        needed: u32,
        /// The widest data format.
        data: WordFormat,
        /// The format of the coefficients.
        coefficients: WordFormat,
        /// Bits too many.
        over: u32,
    },
    /// A word for products that is too short.
    #[error("the products need {needed} at that fraction; {found} is too short")]
    Products {
        /// The word asked for.
        found: WordFormat,
        /// The word that holds all of them.
        needed: WordFormat,
    },
    /// An accumulator with less fraction than the products that it adds.
    #[error(
        "the accumulator has {found} fraction bits and the products that it adds have {needed}"
    )]
    Sums {
        /// Fraction bits asked for.
        found: i32,
        /// Fraction bits needed.
        needed: i32,
    },
    /// Integrators or combs that wrap at different levels, or of no or too many sums.
    #[error(
        "{structure} take 1 to 8 sums that wrap at the same level, and a delay of at least 1; {sums} sums \
         were given"
    )]
    Modulus {
        /// `integrators` or `combs`.
        structure: &'static str,
        /// Sums given.
        sums: usize,
    },
    /// Nothing is lost that could be fed back.
    #[error(
        "error feedback needs bits that are dropped: the sum has {sum} fraction bits, the output {output}"
    )]
    NothingDropped {
        /// Fraction bits of the sum.
        sum: i32,
        /// The output format.
        output: WordFormat,
    },
    /// A word that is carried from section to section must hold the input.
    #[error(
        "a cascade carries the input in the words between its sections: {output} cannot hold all of {input}; \
         give them at least as many whole and fraction bits as the input has"
    )]
    Carry {
        /// The input format.
        input: WordFormat,
        /// The format of the words between sections.
        output: WordFormat,
    },
}

/// The words of a recursive structure and what is done to them.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct SectionWords {
    /// What comes in.
    pub input: WordFormat,
    /// What goes out, and what the feedback remembers.
    pub output: WordFormat,
    /// How products' sums are brought to the fraction of the output.
    pub rounding: Rounding,
    /// What happens when they do not fit the output.
    pub overflow: Overflow,
}

/// The words of a recursive structure that remembers something else than its inputs and outputs.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct StateWords {
    /// What comes in and goes out, and what is done to it.
    pub sections: SectionWords,
    /// What is remembered.
    pub state: WordFormat,
}

/// Operations with rising numbers.
#[derive(Default)]
struct Program {
    next: u32,
}

impl Program {
    fn push(&mut self, to: &mut Vec<(Node, Operation)>, operation: Operation) -> Node {
        let node = Node(self.next);
        self.next += 1;
        to.push((node, operation));
        node
    }
}

/// The largest size of any partial sum of products, in steps of the finest product.
struct SumSize {
    fraction: i32,
    size: i128,
}

impl SumSize {
    /// For terms given as (coefficients, format of the words that they meet).
    fn of(table: &RoundedTable, terms: &[(std::ops::Range<usize>, WordFormat)]) -> SumSize {
        let fraction = terms.iter().map(|(_, word)| word.fraction()).max().unwrap_or(0)
            + table.format.fraction();
        let row_size = |(index, row): (usize, &Vec<i64>)| {
            terms.iter().fold(0i128, |size, (columns, word)| {
                let shift = (fraction - table.format.fraction() - word.fraction()).min(126) as u32;
                let largest =
                    word.minimum().abs().max(word.maximum()).saturating_mul(1i128 << shift);
                columns.clone().fold(size, |size, column| {
                    let c = i128::from(row[column].unsigned_abs()) << table.exponent(index, column);
                    size.saturating_add(c.saturating_mul(largest))
                })
            })
        };
        let size = table.rows.iter().enumerate().map(row_size).max().unwrap_or(0);
        SumSize { fraction, size }
    }

    /// More terms: each the largest size of a word, and its fraction; the finest fraction of all becomes that
    /// of the sum.
    fn and(mut self, words: &[(i128, i32)]) -> SumSize {
        for (largest, fraction) in words {
            let finest = self.fraction.max(*fraction);
            let at = |size: i128, from: i32| size.saturating_mul(1i128 << (finest - from).min(126));
            self.size = at(self.size, self.fraction).saturating_add(at(*largest, *fraction));
            self.fraction = finest;
        }
        self
    }

    /// The accumulator that holds the sum by this proof, or the widest there is.
    fn accumulator(
        &self,
        structure: &'static str,
        data: WordFormat,
        coefficients: WordFormat,
    ) -> Result<WordFormat, BuildError> {
        // Beyond 64 bits it wraps, which is harmless where the sum itself is proved to be smaller.
        let widest = || WordFormat::new(true, 64, self.fraction).ok();
        WordFormat::holding(-self.size.max(1), self.size, self.fraction).or_else(widest).ok_or({
            let needed = 129 - self.size.leading_zeros();
            let over = needed.saturating_sub(64);
            BuildError::Accumulator { structure, needed, data, coefficients, over }
        })
    }
}

/// The largest size of a word.
fn largest(format: WordFormat) -> (i128, i32) {
    (format.minimum().abs().max(format.maximum()), format.fraction())
}

/// A sum brought to the output: rounded to its fraction, then limited to its width.
fn deliver(
    program: &mut Program,
    operations: &mut Vec<(Node, Operation)>,
    sum: Node,
    output: WordFormat,
    rounding: Rounding,
    overflow: Overflow,
) -> Node {
    let rounded = program
        .push(operations, Operation::Round { word: sum, fraction: output.fraction(), rounding });
    program.push(operations, Operation::Limit { word: rounded, format: output, overflow })
}
