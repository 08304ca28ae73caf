//! What is done to a sum, as wires.

use super::text::{Text, range};
use super::vector::Vector;
use crate::fixed::{Rounding, WordFormat};
use crate::hardware::{Ending, Step};

/// Wires of an ending, with names of this number; the last is returned.
pub(super) fn ending_wires(ending: &Ending, index: usize, sum: &Vector, text: &mut Text) -> Vector {
    let width = ending.sum_bits();
    let name = format!("end_{index}");
    text.line(1, format!("wire {}{name} = {};", range(width), sum.at(width)));
    let mut word = Vector { name, width, signed: true };
    for (number, step) in ending.steps.iter().enumerate() {
        word = step_wires(*step, &word, &format!("end_{index}_{number}"), text);
    }
    word
}

/// One step of an ending.
fn step_wires(step: Step, word: &Vector, name: &str, text: &mut Text) -> Vector {
    let format = |width, signed| WordFormat::new(signed, width, 0).expect("of a checked datapath");
    let result = |width, signed| Vector { name: name.to_owned(), width, signed };
    let (wire, result) = match step {
        Step::Round { dropped, rounding } => return rounded(word, dropped, rounding, name, text),
        Step::Append { zeros } => {
            let width = word.width + zeros;
            (word.shifted(zeros, width), result(width, true))
        }
        Step::Wrap { width, signed } => (word.at(width), result(width, signed)),
        Step::Saturate { width, signed } if signed && word.width <= width => {
            (word.at(width), result(width, signed))
        }
        Step::Saturate { width, signed } => {
            // A bit above those of the format at least, to see what is beyond it.
            let long = word.width.max(width + 1);
            let source = Vector { name: format!("{name}_x"), width: long, signed: true };
            text.line(1, format!("wire {}{} = {};", range(long), source.name, word.at(long)));
            (source.saturated(format(width, signed), true, true), result(width, signed))
        }
    };
    text.line(1, format!("wire {}{name} = {wire};", range(result.width)));
    result
}

/// Wires that give a word without its lowest bits, at least one.
pub(super) fn rounded(
    word: &Vector,
    dropped: u32,
    rounding: Rounding,
    name: &str,
    text: &mut Text,
) -> Vector {
    // One bit of sign above the bits that are dropped, at least.
    let long = word.width.max(dropped + 1);
    let source = Vector { name: format!("{name}_x"), width: long, signed: true };
    text.line(1, format!("wire {}{} = {};", range(long), source.name, word.at(long)));
    let floor = Vector { name: format!("{name}_f"), width: long - dropped, signed: true };
    let kept = format!("{}[{}:{dropped}]", source.name, long - 1);
    text.line(1, format!("wire {}{} = {kept};", range(floor.width), floor.name));
    let Some(carry) = source.carry(dropped, rounding) else { return floor };
    let width = floor.width + 1;
    let sum = format!("{} + {{{}'d0, {carry}}}", floor.at(width), width - 1);
    text.line(1, format!("wire {}{name} = {sum};", range(width)));
    Vector { name: name.to_owned(), width, signed: true }
}
