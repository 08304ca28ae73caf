//! What Rust calls the types of a processor, and conversions between them.

use super::super::lower::Local;
use super::super::machine::{Arithmetic, Storage};
use crate::fixed::{Rounding, WordFormat};
use std::collections::BTreeSet;

/// An integer type.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(super) struct Integer {
    is_signed: bool,
    bits: u32,
}

impl Integer {
    /// The type of a stored word.
    pub(super) fn storing(format: WordFormat) -> Self {
        let Storage { is_signed, bits } = Storage::of(format);
        Integer { is_signed, bits }
    }

    /// The type of the variable that holds a word.
    pub(super) fn holding(local: Local) -> Self {
        match local.is_computed {
            true => Integer::from(Arithmetic::of(local.format)),
            false => Integer::storing(local.format),
        }
    }

    pub(super) fn name(self) -> String {
        format!("{}{}", if self.is_signed { 'i' } else { 'u' }, self.bits)
    }

    /// A value of this type in another.
    pub(super) fn convert(self, value: &str, to: Integer) -> String {
        if self == to {
            return value.to_owned();
        }
        let is_wider = to.bits > self.bits && (to.is_signed || !self.is_signed);
        match is_wider {
            true => format!("{}::from({})", to.name(), bare(value)),
            false if is_simple(value) => format!("{value} as {}", to.name()),
            false => format!("({value}) as {}", to.name()),
        }
    }

    /// The low bits of a value of this type as a word of a format, in another type.
    pub(super) fn wrap(self, value: &str, format: WordFormat, to: Integer) -> String {
        let (width, is_signed) = (format.width(), format.is_signed());
        if !is_signed {
            if width >= self.bits {
                return self.convert(value, to);
            }
            let mask = (1u128 << width) - 1;
            return self.convert(&format!("({value} & {mask:#x})"), to);
        }
        // What is above is shifted out, and the sign is shifted in again.
        let signed = Integer { is_signed: true, ..self };
        let above = self.bits.saturating_sub(width);
        let shifted = match above {
            0 => value.to_owned(),
            above => format!("({value} << {above})"),
        };
        let shifted = self.convert(&shifted, signed);
        match above {
            0 => signed.convert(&shifted, to),
            above if self.is_signed => signed.convert(&format!("({shifted} >> {above})"), to),
            above => signed.convert(&format!("(({shifted}) >> {above})"), to),
        }
    }
}

impl From<Arithmetic> for Integer {
    fn from(arithmetic: Arithmetic) -> Self {
        let (is_signed, bits) = match arithmetic {
            Arithmetic::Narrow => (true, 32),
            Arithmetic::Wide => (true, 64),
            Arithmetic::Modular => (false, 64),
            Arithmetic::ModularNarrow => (false, 32),
        };
        Integer { is_signed, bits }
    }
}

/// Whether a value needs no parentheses in front of `as`: a place, a call, or something in parentheses.
pub(super) fn is_simple(value: &str) -> bool {
    let mut depth = 0;
    value.chars().all(|c| {
        match c {
            '(' | '[' => depth += 1,
            ')' | ']' => depth -= 1,
            _ => {}
        }
        depth > 0 || !c.is_whitespace()
    })
}

/// A value without parentheses around the whole of it.
pub(super) fn bare(value: &str) -> &str {
    let Some(inner) = value.strip_prefix('(').and_then(|rest| rest.strip_suffix(')')) else {
        return value;
    };
    let mut depth = 0;
    let is_whole = inner.chars().all(|c| {
        match c {
            '(' => depth += 1,
            ')' => depth -= 1,
            _ => {}
        }
        depth >= 0
    });
    if is_whole { inner } else { value }
}

/// The helper functions that a program calls, by their names.
#[derive(Debug, Default)]
pub(super) struct Helpers(BTreeSet<String>);

impl Helpers {
    /// A value without its lowest bits, at least one.
    pub(super) fn round(
        &mut self,
        value: &str,
        dropped: u32,
        rounding: Rounding,
        working: Integer,
    ) -> String {
        let name = match rounding {
            Rounding::Floor if is_simple(value) => return format!("({value} >> {dropped})"),
            Rounding::Floor => return format!("(({value}) >> {dropped})"),
            Rounding::HalfUp => "half_up",
            Rounding::HalfEven => "half_even",
            Rounding::HalfAway => "half_away",
            Rounding::TowardZero => "toward_zero",
        };
        let name = format!("{name}_{}", working.bits);
        let call = format!("{name}({}, {dropped})", bare(value));
        self.0.insert(name);
        call
    }

    /// Those of another function as well.
    pub(super) fn extend(&mut self, other: Helpers) {
        self.0.extend(other.0);
    }

    /// Their text.
    pub(super) fn text(&self) -> String {
        self.0.iter().map(|name| helper(name)).collect()
    }
}

/// The text of a helper function. A right shift of a signed number rounds down; the bits that it drops are
/// looked at by themselves.
fn helper(name: &str) -> String {
    let (kind, bits) = name.rsplit_once('_').unwrap_or((name, "32"));
    let rest = format!(
        "    let rest = word as u{bits} & ((1 << shift) - 1);\n    let half = 1 << (shift - 1);\n"
    );
    let (what, body) = match kind {
        "half_up" => {
            ("ties upward", "    (word >> shift) + ((word >> (shift - 1)) & 1)\n".to_owned())
        }
        "half_even" => (
            "ties to the even integer",
            format!(
                "{rest}    let down = word >> shift;\n    \
                 down + i{bits}::from(rest > half || (rest == half && down & 1 != 0))\n"
            ),
        ),
        "half_away" => (
            "ties away from zero",
            format!(
                "{rest}    (word >> shift) + i{bits}::from(rest > half || (rest == half && word >= 0))\n"
            ),
        ),
        _ => (
            "toward zero",
            format!(
                "    let rest = word as u{bits} & ((1 << shift) - 1);\n    \
                 (word >> shift) + i{bits}::from(word < 0 && rest != 0)\n"
            ),
        ),
    };
    let nearest = if kind == "toward_zero" { "rounded" } else { "to the nearest integer," };
    format!(
        "\n/// `word / 2^shift`, {nearest} {what}; `shift` is at least 1 and at most {}.\n\
         fn {name}(word: i{bits}, shift: u32) -> i{bits} {{\n{body}}}\n",
        if bits == "64" { 63 } else { 31 }
    )
}
