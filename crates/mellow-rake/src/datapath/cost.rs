//! What one firing costs, counted on the program: of a filter, one sample.

use super::factors::Factors;
use super::{Checked, Node, Operation, Sign, Term};
use crate::fixed::signed_digits;

/// Operations and memory of a datapath, before any target makes something better of it. A program that
/// takes or gives several words in a firing has that for its sample.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
#[cfg_attr(feature = "serde", derive(serde::Serialize))]
#[non_exhaustive]
pub struct Cost {
    /// Products per sample.
    pub multiplies_per_sample: usize,
    /// Additions and subtractions per sample: terms of sums less one for each sum, and those inside of folded
    /// products.
    pub adds_per_sample: usize,
    /// Additions and subtractions per sample where every product is made of shifts and additions: words and
    /// signed digits of coefficients in each sum less one, and those inside of folded products that are not
    /// by zero.
    pub shift_adds_per_sample: usize,
    /// Roundings that drop bits, per sample.
    pub roundings_per_sample: usize,
    /// Limits that may act, per sample.
    pub limits_per_sample: usize,
    /// Words remembered between samples.
    pub state_words: usize,
    /// Bits remembered between samples.
    pub state_bits: u64,
    /// Coefficients.
    pub coefficient_words: usize,
    /// Width of the widest accumulator, in bits.
    pub accumulator_bits: u32,
}

impl Checked {
    /// Counts what one firing costs.
    pub fn cost(&self) -> Cost {
        let datapath = self.datapath();
        let mut cost = Cost {
            multiplies_per_sample: 0,
            adds_per_sample: 0,
            shift_adds_per_sample: 0,
            roundings_per_sample: 0,
            limits_per_sample: 0,
            state_words: datapath.state_words(),
            state_bits: datapath
                .lines
                .iter()
                .map(|line| (line.rows * line.depth) as u64 * u64::from(line.format.width()))
                .sum(),
            coefficient_words: datapath
                .tables
                .iter()
                .flat_map(|table| &table.rows)
                .map(Vec::len)
                .sum(),
            accumulator_bits: 0,
        };
        for (node, operation, passes) in datapath.operations() {
            match operation {
                Operation::Product { .. } => cost.multiplies_per_sample += passes,
                Operation::Accumulate { terms, format } => {
                    let products: usize = terms.iter().map(Term::products).sum();
                    let words = terms.iter().filter(|term| term.products() == 0).count();
                    cost.multiplies_per_sample += passes * products;
                    let pairs: usize = terms.iter().map(Term::pairs).sum();
                    cost.adds_per_sample += passes * ((products + words).saturating_sub(1) + pairs);
                    cost.accumulator_bits = cost.accumulator_bits.max(format.width());
                }
                Operation::Round { word, fraction, .. } => {
                    let drops = self.fractions()[word.0 as usize] > *fraction;
                    cost.roundings_per_sample += passes * usize::from(drops);
                }
                Operation::Limit { .. } => {
                    let acts = self.facts().limit(node).is_some_and(|limit| limit.acts);
                    cost.limits_per_sample += passes * usize::from(acts);
                }
                _ => {}
            }
        }
        cost.shift_adds_per_sample = self.shift_adds();
        cost
    }

    /// Additions without a multiplier.
    fn shift_adds(&self) -> usize {
        let datapath = self.datapath();
        let mut adds = 0;
        for (_, operation, passes) in datapath.operations() {
            for pass in 0..passes {
                // Words and digits that are added up, and pairs that are added before.
                let (mut added, mut pairs) = (0, 0);
                match operation {
                    Operation::Product { table, row, column, .. } => {
                        let value = datapath.tables[table.0].rows[row.at(pass)][*column];
                        added += signed_digits(value);
                    }
                    Operation::Accumulate { terms, .. } => {
                        for term in terms {
                            let Some(factors) = Factors::of(term) else {
                                added += 1;
                                continue;
                            };
                            for value in factors.coefficients(datapath, pass) {
                                added += signed_digits(value);
                                pairs += (factors.words - 1) * usize::from(value != 0);
                            }
                        }
                    }
                    _ => {}
                }
                adds += pairs + (added as usize).saturating_sub(1);
            }
        }
        adds
    }
}

impl Term {
    /// A word as it is.
    pub(super) fn word(sign: Sign, word: Node) -> Term {
        Term::Word { sign, word, binary_point_shift: 0 }
    }

    /// Number of products in the term.
    pub fn products(&self) -> usize {
        Factors::of(self).map_or(0, |factors| factors.columns.len())
    }

    /// Number of words that are added to another before a product.
    fn pairs(&self) -> usize {
        Factors::of(self).map_or(0, |factors| (factors.words - 1) * factors.columns.len())
    }
}
