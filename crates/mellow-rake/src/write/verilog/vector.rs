//! Vectors of bits, brought to the width of an expression by hand.

use super::super::number::verilog_integer;
use crate::fixed::{Rounding, WordFormat};

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

    /// What is added to the vector without its lowest `shift` bits, at least one and fewer than all, so that
    /// it is rounded: one bit, or nothing.
    pub(super) fn carry(&self, shift: u32, rounding: Rounding) -> Option<String> {
        let Vector { name, width, signed } = self;
        let half = format!("{name}[{}]", shift - 1);
        let below =
            if shift > 1 { format!("(|{name}[{}:0])", shift - 2) } else { "1'b0".to_owned() };
        let lowest = format!("{name}[{shift}]");
        let sign = if *signed { format!("{name}[{}]", width - 1) } else { "1'b0".to_owned() };
        match rounding {
            Rounding::Floor => None,
            Rounding::HalfUp => Some(half),
            Rounding::HalfEven => Some(format!("({half} & ({below} | {lowest}))")),
            Rounding::HalfAway => Some(format!("({half} & ({below} | ~{sign}))")),
            Rounding::TowardZero => Some(format!("({sign} & (|{name}[{}:0]))", shift - 1)),
        }
    }

    /// The vector brought to the nearest word of a format, where it may be below or above all of them.
    pub(super) fn saturated(&self, format: WordFormat, is_below: bool, is_above: bool) -> String {
        let Vector { name, width: own, signed } = self;
        let width = format.width();
        let mut text = self.at(width);
        // Above: not negative, and a bit set that the format has not. Below: negative, and such a bit clear.
        let value_bits = width - u32::from(format.is_signed());
        let top = own - u32::from(*signed);
        let sign = format!("{name}[{}]", own - 1);
        if is_above {
            let high = verilog_integer(format.maximum(), width);
            let beyond = format!("(|{name}[{}:{value_bits}])", top - 1);
            let above = if *signed { format!("!{sign} && {beyond}") } else { beyond };
            text = format!("({above}) ? {high} : {text}");
        }
        if is_below {
            let low = verilog_integer(format.minimum(), width);
            let below = match format.is_signed() {
                true => format!("{sign} && !(&{name}[{}:{value_bits}])", top - 1),
                false => sign,
            };
            text = format!("({below}) ? {low} : {text}");
        }
        text
    }
}
