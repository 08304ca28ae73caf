//! Vectors of bits, brought to the width of an expression by hand.

use crate::fixed::WordFormat;

/// A variable with its width and sign.
pub(super) struct Vector {
    pub(super) name: String,
    pub(super) width: u32,
    pub(super) signed: bool,
}

impl Vector {
    pub(super) fn new(name: String, format: WordFormat) -> Self {
        Vector { name, width: format.width(), signed: format.is_signed() }
    }

    /// The vector in `width` bits: its sign repeated in front, or its low bits.
    pub(super) fn at(&self, width: u32) -> String {
        let Vector { name, width: own, signed } = self;
        if width == *own {
            name.clone()
        } else if width < *own {
            format!("{name}[{}:0]", width - 1)
        } else if *signed {
            format!("{{{{{}{{{name}[{}]}}}}, {name}}}", width - own, own - 1)
        } else {
            format!("{{{}'d0, {name}}}", width - own)
        }
    }

    /// The product of two vectors, each of its own width: so that a synthesizer finds one multiplier and not
    /// those of operands whose signs are repeated up to the width of the product. An operand without a sign
    /// beside one with a sign gets a zero in front; the product is extended to the width that it is assigned
    /// to (IEEE 1364-2005, 5.5).
    pub(super) fn times(&self, other: &Vector) -> String {
        let is_signed = self.signed || other.signed;
        let operand = |vector: &Vector| match (is_signed, vector.signed) {
            (false, _) => vector.name.clone(),
            (true, true) => format!("$signed({})", vector.name),
            (true, false) => format!("$signed({{1'b0, {}}})", vector.name),
        };
        format!("{} * {}", operand(self), operand(other))
    }

    /// The vector in `width` bits, `shift` zeros appended.
    pub(super) fn shifted(&self, shift: u32, width: u32) -> String {
        match shift {
            0 => self.at(width),
            _ if shift >= width => format!("{width}'d0"),
            _ => format!("{{{}, {shift}'d0}}", self.at(width - shift)),
        }
    }
}
