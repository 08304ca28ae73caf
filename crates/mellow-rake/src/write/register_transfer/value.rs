//! What a register or a wire is given: an expression of bits and words.

use crate::fixed::WordFormat;

/// How many bits there are and how they are read.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(in crate::write) enum Kind {
    /// One wire.
    Bit,
    /// A number without a sign.
    Unsigned(u32),
    /// A number in two's complement.
    Signed(u32),
    /// A port: so many bits, read as what they are assigned to.
    Port(u32),
}

impl Kind {
    /// The kind of the words of a format.
    pub(in crate::write) fn of(format: WordFormat) -> Self {
        match format.is_signed() {
            true => Kind::Signed(format.width()),
            false => Kind::Unsigned(format.width()),
        }
    }

    /// Bits.
    pub(in crate::write) fn width(self) -> u32 {
        match self {
            Kind::Bit => 1,
            Kind::Unsigned(width) | Kind::Signed(width) | Kind::Port(width) => width,
        }
    }
}

/// A named register, wire or port.
#[derive(Debug, Clone, PartialEq, Eq)]
pub(in crate::write) struct Signal {
    /// Its name.
    pub name: String,
    /// Its bits.
    pub kind: Kind,
}

/// An expression. Both sides of a sum and of a comparison have the same width, and so has what it is given
/// to: what is shorter or longer is brought to it before, by [`Signal::at`].
#[derive(Debug, Clone)]
pub(in crate::write) enum Value {
    /// A signal as it is.
    Whole(Signal),
    /// A constant.
    Constant { value: i128, kind: Kind },
    /// Some bits of a signal, without a sign of their own.
    Part { of: Signal, high: u32, low: u32 },
    /// One bit of it.
    BitOf { of: Signal, place: u32 },
    /// Whether any of some bits is set.
    Any { of: Signal, high: u32, low: u32 },
    /// Whether all of them are.
    All { of: Signal, high: u32, low: u32 },
    /// A signal in another width: extended as its own kind says, or its low bits.
    Resized { of: Signal, kind: Kind },
    /// A value with zeros behind it.
    Scaled { of: Box<Value>, zeros: u32 },
    /// One number behind the other, as a number without a sign.
    Joined(Vec<Value>),
    /// The other bit, or all other bits.
    Not(Box<Value>),
    /// Bits, all of which must be set.
    And(Vec<Value>),
    /// Bits, one of which must be.
    Or(Vec<Value>),
    /// Bit by bit, whether two numbers of the same width differ.
    Differing { left: Box<Value>, right: Box<Value> },
    /// Whether two values are the same, or are not.
    Compared { left: Box<Value>, right: Box<Value>, is_equal: bool },
    /// Whether a number without a sign is below a constant.
    Below { of: Signal, limit: i128 },
    /// Sum or difference, modulo 2^width.
    Sum { left: Box<Value>, right: Box<Value>, is_minus: bool },
    /// The same with a single bit.
    Stepped { from: Box<Value>, bit: Box<Value>, is_minus: bool },
    /// Less than nothing by so much.
    Negated(Box<Value>),
    /// The product of two numbers, each of its own width, in so many bits, which hold it.
    Product { left: Signal, right: Signal, width: u32 },
    /// The first whose condition holds; not a part of another expression.
    Chosen { choices: Vec<(Value, Value)>, otherwise: Box<Value> },
}

impl Signal {
    /// A signal.
    pub(in crate::write) fn new(name: impl Into<String>, kind: Kind) -> Self {
        Signal { name: name.into(), kind }
    }

    /// One wire.
    pub(in crate::write) fn bit(name: impl Into<String>) -> Self {
        Signal::new(name, Kind::Bit)
    }

    /// A number without a sign.
    pub(in crate::write) fn unsigned(name: impl Into<String>, width: u32) -> Self {
        Signal::new(name, Kind::Unsigned(width))
    }

    /// A number with one.
    pub(in crate::write) fn signed(name: impl Into<String>, width: u32) -> Self {
        Signal::new(name, Kind::Signed(width))
    }

    /// Its bits.
    pub(in crate::write) fn width(&self) -> u32 {
        self.kind.width()
    }

    /// As it is.
    pub(in crate::write) fn whole(&self) -> Value {
        Value::Whole(self.clone())
    }

    /// As a number with a sign in so many bits: extended as its own kind says, or its low bits.
    pub(in crate::write) fn at(&self, width: u32) -> Value {
        let kind = Kind::Signed(width);
        if self.kind == kind { self.whole() } else { Value::Resized { of: self.clone(), kind } }
    }

    /// The same with `zeros` behind it, in `width` bits.
    pub(in crate::write) fn scaled(&self, zeros: u32, width: u32) -> Value {
        match zeros {
            0 => self.at(width),
            _ if zeros >= width => constant(0, Kind::Signed(width)),
            _ => Value::Scaled { of: Box::new(self.at(width - zeros)), zeros },
        }
    }

    /// One of its bits, the lowest 0.
    pub(in crate::write) fn bit_at(&self, place: u32) -> Value {
        Value::BitOf { of: self.clone(), place }
    }

    /// Some of them.
    pub(in crate::write) fn part(&self, high: u32, low: u32) -> Value {
        Value::Part { of: self.clone(), high, low }
    }

    /// Whether it is this number.
    pub(in crate::write) fn is(&self, value: i128) -> Value {
        self.compared(value, true)
    }

    /// Whether it is not.
    pub(in crate::write) fn is_not(&self, value: i128) -> Value {
        self.compared(value, false)
    }

    fn compared(&self, value: i128, is_equal: bool) -> Value {
        let kind = match self.kind {
            Kind::Port(width) => Kind::Unsigned(width),
            kind => kind,
        };
        let right = Box::new(constant(value, kind));
        Value::Compared { left: Box::new(self.whole()), right, is_equal }
    }

    /// The next number, or the one before.
    pub(in crate::write) fn stepped(&self, is_minus: bool) -> Value {
        sum(self.whole(), constant(1, self.kind), is_minus)
    }
}

impl Value {
    /// Its bits.
    pub(in crate::write) fn kind(&self) -> Kind {
        match self {
            Value::Whole(signal) => signal.kind,
            Value::Constant { kind, .. } | Value::Resized { kind, .. } => *kind,
            Value::Part { of, high, low } => match of.kind {
                Kind::Signed(_) => Kind::Signed(high - low + 1),
                Kind::Port(_) => Kind::Port(high - low + 1),
                _ => Kind::Unsigned(high - low + 1),
            },
            Value::BitOf { .. } | Value::Any { .. } | Value::All { .. } => Kind::Bit,
            Value::And(_) | Value::Or(_) | Value::Compared { .. } | Value::Below { .. } => {
                Kind::Bit
            }
            Value::Scaled { of, zeros } => match of.kind() {
                Kind::Signed(width) => Kind::Signed(width + zeros),
                kind => Kind::Unsigned(kind.width() + zeros),
            },
            Value::Joined(parts) => {
                Kind::Unsigned(parts.iter().map(|one| one.kind().width()).sum())
            }
            Value::Not(of) | Value::Negated(of) => of.kind(),
            Value::Sum { left, .. } | Value::Differing { left, .. } => left.kind(),
            Value::Stepped { from, .. } => from.kind(),
            Value::Product { width, .. } => Kind::Signed(*width),
            Value::Chosen { otherwise, .. } => otherwise.kind(),
        }
    }

    /// Not this bit, or none of these bits.
    pub(in crate::write) fn not(self) -> Value {
        Value::Not(Box::new(self))
    }
}

/// A constant.
pub(in crate::write) fn constant(value: i128, kind: Kind) -> Value {
    Value::Constant { value, kind }
}

/// A bit that is always set, or never.
pub(in crate::write) fn fixed_bit(is_set: bool) -> Value {
    constant(is_set.into(), Kind::Bit)
}

/// A sum or a difference.
pub(in crate::write) fn sum(left: Value, right: Value, is_minus: bool) -> Value {
    Value::Sum { left: Box::new(left), right: Box::new(right), is_minus }
}

/// Where the bits of two numbers differ.
pub(in crate::write) fn differing(left: Value, right: Value) -> Value {
    Value::Differing { left: Box::new(left), right: Box::new(right) }
}

/// One of two values.
pub(in crate::write) fn choose(condition: Value, yes: Value, no: Value) -> Value {
    Value::Chosen { choices: vec![(condition, yes)], otherwise: Box::new(no) }
}

/// All of some bits; a single one is itself, and what are all of some themselves are among them.
pub(in crate::write) fn all(bits: Vec<Value>) -> Value {
    let flat = |bit| if let Value::And(bits) = bit { bits } else { vec![bit] };
    let mut bits: Vec<Value> = bits.into_iter().flat_map(flat).collect();
    if bits.len() == 1 { bits.remove(0) } else { Value::And(bits) }
}

/// Any of some bits; a single one is itself, and what are any of some themselves are among them.
pub(in crate::write) fn any(bits: Vec<Value>) -> Value {
    let flat = |bit| if let Value::Or(bits) = bit { bits } else { vec![bit] };
    let mut bits: Vec<Value> = bits.into_iter().flat_map(flat).collect();
    if bits.len() == 1 { bits.remove(0) } else { Value::Or(bits) }
}
