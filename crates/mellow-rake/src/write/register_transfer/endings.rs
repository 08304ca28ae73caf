//! What is done to a sum, as wires.

use super::value::{Kind, Signal, Value, all, any, constant};
use super::{Item, Items};
use crate::fixed::{Rounding, WordFormat};
use crate::hardware::{Ending, Step};

/// Wires of an ending, with names of this number; the last is returned.
pub(super) fn ending_wires(
    ending: &Ending,
    index: usize,
    sum: &Signal,
    items: &mut Items,
) -> Signal {
    let mut word = rounding_wires(ending, index, sum, items);
    let (before, limits) = ending.parts();
    for (number, step) in limits.iter().enumerate() {
        let name = format!("end_{index}_{}", before.len() + number);
        word = step_wires(*step, &word, &name, items);
    }
    word
}

/// Those up to where the sum is limited.
pub(super) fn rounding_wires(
    ending: &Ending,
    index: usize,
    sum: &Signal,
    items: &mut Items,
) -> Signal {
    let mut word = items.wire(format!("end_{index}"), sum.at(ending.sum_bits()));
    for (number, step) in ending.parts().0.iter().enumerate() {
        word = step_wires(*step, &word, &format!("end_{index}_{number}"), items);
    }
    word
}

/// Those from there on, of a register that holds what was there.
pub(super) fn limiting_wires(
    ending: &Ending,
    index: usize,
    rounded: &Signal,
    items: &mut Items,
) -> Signal {
    let mut word = items.wire(format!("end_{index}_late"), rounded.at(ending.rounded_bits()));
    let (before, limits) = ending.parts();
    for (number, step) in limits.iter().enumerate() {
        let name = format!("end_{index}_{}", before.len() + number);
        word = step_wires(*step, &word, &name, items);
    }
    word
}

/// One step of an ending.
fn step_wires(step: Step, word: &Signal, name: &str, items: &mut Items) -> Signal {
    let format = |width, signed| WordFormat::new(signed, width, 0).expect("of a checked datapath");
    let (value, format) = match step {
        Step::Round { dropped, rounding } => return rounded(word, dropped, rounding, name, items),
        Step::Append { zeros } => {
            return items.wire(name, word.scaled(zeros, word.width() + zeros));
        }
        Step::Wrap { width, signed } => (word.at(width), format(width, signed)),
        Step::Saturate { width, signed } if signed && word.width() <= width => {
            (word.at(width), format(width, signed))
        }
        Step::Saturate { width, signed } => {
            // A bit above those of the format at least, to see what is beyond it.
            let long = word.width().max(width + 1);
            let source = items.wire(format!("{name}_x"), word.at(long));
            (saturated(&source, format(width, signed)), format(width, signed))
        }
    };
    let signal = Signal::new(name, Kind::of(format));
    items.0.push(Item::Wire { signal: signal.clone(), value, remark: String::new() });
    signal
}

/// Wires that give a word without its lowest bits, at least one.
pub(super) fn rounded(
    word: &Signal,
    dropped: u32,
    rounding: Rounding,
    name: &str,
    items: &mut Items,
) -> Signal {
    // One bit of sign above the bits that are dropped, at least.
    let own = word.width() + u32::from(!matches!(word.kind, Kind::Signed(_)));
    let long = own.max(dropped + 1);
    let source = items.wire(format!("{name}_x"), word.at(long));
    let floor = items.wire(format!("{name}_f"), source.part(long - 1, dropped));
    let Some(carry) = carry(&source, dropped, rounding) else { return floor };
    let from = Box::new(floor.at(floor.width() + 1));
    items.wire(name, Value::Stepped { from, bit: Box::new(carry), is_minus: false })
}

/// What is added to a number without its lowest `dropped` bits, at least one and fewer than all, so that it
/// is rounded: one bit, or nothing.
fn carry(source: &Signal, dropped: u32, rounding: Rounding) -> Option<Value> {
    let half = || source.bit_at(dropped - 1);
    let sign = || source.bit_at(source.width() - 1);
    let below = |count: u32| Value::Any { of: source.clone(), high: count - 1, low: 0 };
    // Half and more, but half alone only where this is set.
    let with = |exactly: Value| match dropped {
        1 => all(vec![half(), exactly]),
        _ => all(vec![half(), any(vec![below(dropped - 1), exactly])]),
    };
    match rounding {
        Rounding::Floor => None,
        Rounding::HalfUp => Some(half()),
        Rounding::HalfEven => Some(with(source.bit_at(dropped))),
        Rounding::HalfAway => Some(with(sign().not())),
        Rounding::TowardZero => Some(all(vec![sign(), below(dropped)])),
    }
}

/// A number brought to the nearest word of a format that is shorter than it.
fn saturated(source: &Signal, format: WordFormat) -> Value {
    // Above: not negative, and a bit set that the format has not. Below: negative, and such a bit clear.
    let (width, top) = (format.width(), source.width() - 1);
    let (high, low) = (top - 1, width - u32::from(format.is_signed()));
    let sign = source.bit_at(top);
    let kind = Kind::Signed(width);
    let mut choices = Vec::new();
    let beyond = |all: bool| match (high < low, all) {
        (true, all) => super::value::fixed_bit(all),
        (false, true) => Value::All { of: source.clone(), high, low },
        (false, false) => Value::Any { of: source.clone(), high, low },
    };
    let below = match format.is_signed() {
        true => all(vec![sign.clone(), beyond(true).not()]),
        false => sign.clone(),
    };
    choices.push((below, constant(format.minimum(), kind)));
    let above = all(vec![sign.not(), beyond(false)]);
    choices.push((above, constant(format.maximum(), kind)));
    Value::Chosen { choices, otherwise: Box::new(source.at(width)) }
}
