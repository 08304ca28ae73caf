//! Which types of a processor hold what: words of 8, 16, 32 and 64 bits, arithmetic in 32 and 64.

use super::lower::{Lowered, Sum};
use crate::fixed::{Rounding, WordFormat};

/// The type of a stored word: the smallest that holds it.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(super) struct Storage {
    pub(super) is_signed: bool,
    /// 8, 16, 32 or 64.
    pub(super) bits: u32,
}

impl Storage {
    pub(super) fn of(format: WordFormat) -> Self {
        let bits = format.width().next_power_of_two().max(8);
        Storage { is_signed: format.is_signed(), bits }
    }
}

/// The type that arithmetic is done in.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord)]
pub(super) enum Arithmetic {
    /// 32 bits, signed.
    Narrow,
    /// 64 bits, signed.
    Wide,
    /// 64 bits, unsigned, for sums that wrap.
    Modular,
    /// 32 bits, unsigned, for sums of at most 32 bits that wrap, or whose parts are wider than they are.
    ModularNarrow,
}

impl Arithmetic {
    /// The narrowest signed type that holds all integers up to this size; `None` beyond 64 bits.
    pub(super) fn holding(size: i128) -> Option<Self> {
        if size <= i32::MAX.into() {
            Some(Arithmetic::Narrow)
        } else if size <= i64::MAX.into() {
            Some(Arithmetic::Wide)
        } else {
            None
        }
    }

    /// The type for words of a format, whose smallest value may be one beyond the largest.
    pub(super) fn of(format: WordFormat) -> Self {
        let narrow = format.width() <= if format.is_signed() { 32 } else { 31 };
        if narrow { Arithmetic::Narrow } else { Arithmetic::Wide }
    }

    /// Whether sums in it are right modulo a power of two only.
    pub(super) fn wraps(self) -> bool {
        matches!(self, Arithmetic::Modular | Arithmetic::ModularNarrow)
    }

    /// The most bits that a word of this type is shifted by to the left. A shift that the type cannot hold
    /// only occurs where all that is shifted is zero, for the partial sum, shift included, is known to fit;
    /// or where nothing is left of it modulo the power of two.
    pub(super) fn longest_shift(self) -> u32 {
        match self {
            Arithmetic::Narrow => 30,
            Arithmetic::Wide => 62,
            Arithmetic::Modular => 63,
            Arithmetic::ModularNarrow => 31,
        }
    }

    /// The type in which so many bits are dropped: its width exceeds their number.
    pub(super) fn dropping(bits: u32) -> Self {
        if bits > 31 { Arithmetic::Wide } else { Arithmetic::Narrow }
    }
}

/// The types of a sum.
#[derive(Debug, Clone, Copy)]
pub(super) struct SumTypes {
    /// It is added up in this type.
    pub(super) sum: Arithmetic,
    /// The type of its word.
    pub(super) word: Arithmetic,
    /// Whether it never wraps, and is added up in the type of its word: then it is the word itself.
    pub(super) is_word: bool,
    /// Of products that are not rounded.
    product: Arithmetic,
    /// Of products before they are rounded.
    before: Arithmetic,
}

impl SumTypes {
    pub(super) fn of(sum: &Sum, lowered: &Lowered) -> Self {
        let Sum { local, need, .. } = sum;
        let word = Arithmetic::of(local.format);
        let widest = Arithmetic::holding(need.partial).unwrap_or(Arithmetic::Modular).max(word);
        let kind = match widest {
            Arithmetic::Narrow => widest,
            _ if local.format.width() <= 32 && exponents_are_short(lowered) => {
                Arithmetic::ModularNarrow
            }
            _ => widest,
        };
        // A product that is rounded may be wider before than the sum; one that is not fits what the sum fits.
        let before = Arithmetic::holding(need.product).unwrap_or(Arithmetic::Wide);
        SumTypes {
            sum: kind,
            word,
            is_word: kind == word && !need.wraps,
            product: if kind.wraps() { kind } else { before.min(kind) },
            before,
        }
    }

    /// The same in 32 bits, where instructions add that wrap: of a sum whose value is proved to fit, whatever
    /// its parts are; `None` where its value is longer, or may wrap itself.
    pub(super) fn in_a_register(self, sum: &Sum) -> Option<Self> {
        let fits = self.sum == Arithmetic::ModularNarrow
            && self.word == Arithmetic::Narrow
            && !sum.need.wraps
            && sum.local.format.is_signed();
        let kind = Arithmetic::Narrow;
        fits.then_some(SumTypes { sum: kind, product: kind, is_word: true, ..self })
    }

    /// The type that a product is made in.
    pub(super) fn product(&self, rounded: Option<(u32, Rounding)>) -> Arithmetic {
        if rounded.is_some() { self.before } else { self.product }
    }
}

/// Whether every exponent of a coefficient is one that a type of 32 bits can make.
fn exponents_are_short(lowered: &Lowered) -> bool {
    let tables = lowered.tables.iter();
    tables.flat_map(|table| table.exponents.iter().flatten()).all(|exponent| *exponent < 32)
}
