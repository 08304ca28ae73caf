//! Vectors of bits with a sign or without, brought to the width of an expression by hand.

use crate::fixed::WordFormat;

/// A variable, of the type `signed` or `unsigned`.
#[derive(Clone)]
pub(super) struct Vector {
    pub(super) name: String,
    pub(super) width: u32,
    pub(super) signed: bool,
}

/// The name of the type.
pub(super) fn kind(signed: bool) -> &'static str {
    if signed { "signed" } else { "unsigned" }
}

impl Vector {
    pub(super) fn new(name: String, format: WordFormat) -> Self {
        Vector { name, width: format.width(), signed: format.is_signed() }
    }

    /// What it is declared as.
    pub(super) fn subtype(&self) -> String {
        format!("{}({} downto 0)", kind(self.signed), self.width - 1)
    }

    /// The vector in `width` bits as one with a sign or without: extended as its own type says, or its low
    /// bits. `resize` would keep the sign of what it makes shorter, and with it the wrong bits.
    pub(super) fn at(&self, width: u32, signed: bool) -> String {
        let Vector { name, width: own, .. } = self;
        let sized = if width == *own {
            name.clone()
        } else if width < *own {
            format!("{name}({} downto 0)", width - 1)
        } else {
            format!("resize({name}, {width})")
        };
        if self.signed == signed { sized } else { format!("{}({sized})", kind(signed)) }
    }

    /// The same with `shift` zeros appended.
    pub(super) fn shifted(&self, shift: u32, width: u32, signed: bool) -> String {
        match shift {
            0 => self.at(width, signed),
            _ => format!("shift_left({}, {shift})", self.at(width, signed)),
        }
    }

    /// The product of two vectors, each of its own width, and whether it has a sign: a vector without a sign
    /// beside one with a sign gets a zero in front, and the product then has one bit more than it needs.
    pub(super) fn times(&self, other: &Vector) -> String {
        let is_signed = self.signed || other.signed;
        let operand = |vector: &Vector| match (is_signed, vector.signed) {
            (true, false) => format!("signed('0' & {})", vector.name),
            _ => vector.name.clone(),
        };
        let product = format!("{} * {}", operand(self), operand(other));
        let width = self.width + other.width;
        match self.signed == other.signed {
            true => product,
            // It fits: this takes nothing but a second copy of the sign.
            false => format!("resize({product}, {width})"),
        }
    }
}
