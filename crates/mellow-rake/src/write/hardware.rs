//! What descriptions of hardware have in common: places in words that lie one behind the other, and the
//! widths of the parts of a product.

use super::lower::{Coefficient, Factor, Index, Lowered, Read};
use crate::datapath::{Row, Sign, Table};
use crate::fixed::WordFormat;

/// The number of a word among rows of this length, as an expression of the loop counters `pass` and `k`.
pub(super) fn place(row: Row, length: usize, index: Index) -> String {
    let (mut sum, first) = match row {
        Row::Pass if length == 1 => ("pass".to_owned(), 0),
        Row::Pass => (format!("{length} * pass"), 0),
        Row::Fixed(row) => (String::new(), (row * length) as i64),
    };
    let fixed = first + index.offset;
    let mut add = |part: &str, mark: &str| {
        sum = if sum.is_empty() { part.to_owned() } else { format!("{sum} {mark} {part}") };
    };
    let running = match index.step.abs() {
        0 => String::new(),
        1 => "k".to_owned(),
        step => format!("{step} * k"),
    };
    let number = fixed.abs().to_string();
    if index.step < 0 {
        add(&number, "+");
        add(&running, "-");
        return sum;
    }
    if !running.is_empty() {
        add(&running, "+");
    }
    match fixed {
        0 if running.is_empty() && row != Row::Pass => add("0", "+"),
        0 => {}
        fixed if fixed < 0 => add(&number, "-"),
        _ => add(&number, "+"),
    }
    sum
}

/// The format that holds the coefficients of all rows of a table at its finest fraction.
pub(super) fn scaled_format(table: &Table) -> WordFormat {
    let most = table.exponents.iter().flatten().copied().max().unwrap_or(0);
    let format = table.format;
    WordFormat::new(format.is_signed(), format.width() + most, format.fraction())
        .expect("checked: coefficients with their exponents have at most 63 bits")
}

impl Lowered {
    /// The format of a word in its place.
    pub(super) fn format(&self, read: &Read) -> WordFormat {
        match read {
            Read::Local(local) => local.format,
            Read::Remembered { line, .. } => self.lines[*line].format,
        }
    }

    /// Width and sign of the coefficient, of what it is multiplied by, and of their product.
    pub(super) fn parts(&self, coefficient: &Coefficient, factor: &Factor) -> [(u32, bool); 3] {
        let scaled = scaled_format(&self.tables[coefficient.table]);
        let (width, signed) = match factor {
            Factor::One(one) => {
                let own = self.format(one);
                (own.width(), own.is_signed())
            }
            Factor::Pair { first, sign, .. } => {
                let own = self.format(first);
                // A difference has a sign even if its words have none.
                (own.width() + 1, own.is_signed() || *sign == Sign::Minus)
            }
        };
        let product = (scaled.width() + width, scaled.is_signed() || signed);
        [(scaled.width(), scaled.is_signed()), (width, signed), product]
    }
}

/// Bits of a product of this width that is rounded: a carry may need one bit more than what is left.
pub(super) fn width_of_rounded(width: u32, dropped: u32) -> u32 {
    width.max(dropped + 1) - dropped + 1
}
