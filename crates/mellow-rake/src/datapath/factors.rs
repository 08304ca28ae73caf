//! What is multiplied in a term of a sum.

use super::{Datapath, LineIndex, RoundedProducts, Row, Sign, TableIndex, Term};
use crate::fixed::Rounding;
use std::ops::Range;

/// The factors of the products of a term.
pub(crate) struct Factors {
    /// Whether the products are added or subtracted.
    pub(crate) sign: Sign,
    pub(crate) table: TableIndex,
    pub(crate) row: Row,
    pub(crate) columns: Range<usize>,
    pub(crate) line: LineIndex,
    pub(crate) line_row: Row,
    /// Words that are added up before each product.
    pub(crate) words: usize,
    /// What is done to each product before it is added.
    pub(crate) products: Option<RoundedProducts>,
}

impl Factors {
    /// Those of a term; `None` for a word.
    pub(crate) fn of(term: &Term) -> Option<Factors> {
        Some(match term {
            Term::Word { .. } => return None,
            Term::Dot {
                sign, table, table_row, column, line, line_row, count, products, ..
            } => Factors {
                line_row: *line_row,
                sign: *sign,
                table: *table,
                row: *table_row,
                columns: *column..column + count,
                line: *line,
                words: 1,
                products: *products,
            },
            Term::Folded(fold) => Factors {
                line_row: fold.line_row,
                sign: Sign::Plus,
                table: fold.table,
                row: fold.table_row,
                columns: fold.column..fold.column + fold.count,
                line: fold.line,
                words: 2,
                products: fold.products,
            },
        })
    }

    /// The coefficients in a pass, at the finest fraction of their table.
    pub(crate) fn coefficients<'a>(
        &self,
        datapath: &'a Datapath,
        pass: usize,
    ) -> impl Iterator<Item = i64> + use<'a> {
        let (table, row) = (&datapath.tables[self.table.0], self.row.at(pass));
        self.columns.clone().map(move |column| table.coefficient(row, column))
    }

    /// The fraction of the exact products.
    pub(crate) fn fraction(&self, datapath: &Datapath) -> i32 {
        datapath.tables[self.table.0].format.fraction()
            + datapath.lines[self.line.0].format.fraction()
    }

    /// Bits that each product drops before it is added, and how; `None` where none is dropped.
    pub(crate) fn dropped(&self, datapath: &Datapath) -> Option<(u32, Rounding)> {
        let RoundedProducts { fraction, rounding } = self.products?;
        let bits = u32::try_from(self.fraction(datapath) - fraction).ok()?;
        (bits > 0).then_some((bits, rounding))
    }
}
