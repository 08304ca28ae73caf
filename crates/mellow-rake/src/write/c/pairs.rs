//! Products two at a time: cores with instructions for signals (the DSP extension of Armv7E-M and Armv8-M)
//! multiply the halves of two registers and add both products to a sum, of 32 or of 64 bits.
//!
//! The instructions are named as the Arm C Language Extensions (ACLE, chapter "32-bit SIMD intrinsics") have
//! them: `__smlad` adds to 32 bits, `__smlald` to 64. Both are exact modulo the width of the sum, which holds
//! every partial sum in any order; so which products go together is free.

use super::super::lower::{
    Addend, Addition, Exponent, Factor, Index, Local, Lowered, Read, Step, Sum,
};
use super::super::machine::{Arithmetic, SumTypes};
use super::expression::{LANES, Statements};
use super::types::Helper;
use crate::datapath::Sign;
use crate::fixed::WordFormat;

/// Taps in a pass of the loop that makes one output, and of the one that makes several.
const TAPS_IN_A_PASS: usize = 16;
const TAPS_IN_A_PASS_OF_LONG: usize = 32;
const TAPS_IN_A_PASS_OF_SEVERAL: usize = 8;

/// Steps of a sum as they are written.
pub(super) enum Grouped {
    /// Two products of coefficients and words that stand side by side.
    Pair([Addition; 2]),
    /// Products of many such.
    Run(Step),
    /// Anything else.
    One(Step),
}

/// Whether a half of a register holds every word of a format.
pub(super) fn is_half(format: WordFormat) -> bool {
    format.minimum() >= i16::MIN.into() && format.maximum() <= i16::MAX.into()
}

/// What a product that is added as it is has: its coefficient and where its word is.
fn plain<'a>(lowered: &Lowered, addition: &'a Addition) -> Option<(&'a Addition, Read)> {
    let Addend::Product { coefficient, factor: Factor::One(word), rounded: None } =
        &addition.addend
    else {
        return None;
    };
    let is_half_word = match word {
        Read::Local(local) => is_half(local.format),
        Read::Remembered { line, .. } => is_half(lowered.lines[*line].format),
    };
    let fits = is_half_word
        && is_half(lowered.tables[coefficient.table].format)
        && coefficient.exponent == Exponent::Constant(0)
        && addition.sign == Sign::Plus
        && addition.shift == 0;
    fits.then_some((addition, *word))
}

/// Whether an addition is that of a product of two halves of registers.
pub(super) fn is_of_halves(lowered: &Lowered, addition: &Addition) -> bool {
    plain(lowered, addition).is_some()
}

/// Where coefficient and word of a product stand that can be one of a pair.
fn places(lowered: &Lowered, step: &Step) -> Option<[(usize, crate::datapath::Row, Index); 2]> {
    let (Step::Add(addition) | Step::Loop { addition, .. }) = step else { return None };
    let (addition, word) = plain(lowered, addition)?;
    let Addend::Product { coefficient, .. } = &addition.addend else { return None };
    let Read::Remembered { line, row, index } = word else { return None };
    Some([(coefficient.table, coefficient.row, coefficient.column), (line, row, index)])
}

fn is_pair(lowered: &Lowered, first: &Step, second: &Step) -> bool {
    let (Step::Add(_), Step::Add(_)) = (first, second) else { return false };
    let (Some(first), Some(second)) = (places(lowered, first), places(lowered, second)) else {
        return false;
    };
    let is_still = lowered.windows[first[1].0].is_none();
    let are_neighbours = first
        .iter()
        .zip(&second)
        .all(|(one, next)| one.0 == next.0 && one.1 == next.1 && one.2.offset + 1 == next.2.offset);
    is_still && are_neighbours
}

pub(super) fn is_run(lowered: &Lowered, step: &Step) -> bool {
    let (Step::Loop { .. }, Some([(.., column), (line, _, index)])) = (step, places(lowered, step))
    else {
        return false;
    };
    let phases = lowered.windows[line].map(|window| window.phases as i64);
    column.step == 1 && phases == Some(-index.step)
}

/// Whether a sum is made by these instructions alone, which are exact modulo the width of the sum: then its
/// parts may be longer than its value.
pub(super) fn is_made_of_pairs(sum: &Sum, lowered: &Lowered) -> bool {
    sum.doubling().iter().all(|step| match step {
        Step::Add(addition) => is_of_halves(lowered, addition),
        step => is_run(lowered, step),
    })
}

/// The steps of a sum in groups.
pub(super) fn grouped(
    sum: &Sum,
    lowered: &Lowered,
    is_dual: bool,
    kind: Arithmetic,
) -> Vec<Grouped> {
    let steps = sum.doubling();
    let is_dual = is_dual && !kind.wraps();
    let mut groups = Vec::new();
    let mut at = 0;
    while at < steps.len() {
        let two = if is_dual { steps.get(at..at + 2) } else { None };
        match two {
            Some([first @ Step::Add(one), second @ Step::Add(other)])
                if is_pair(lowered, first, second) =>
            {
                groups.push(Grouped::Pair([*one, *other]));
                at += 1;
            }
            _ if is_dual && is_run(lowered, &steps[at]) => {
                groups.push(Grouped::Run(steps[at].clone()));
            }
            _ => groups.push(Grouped::One(steps[at].clone())),
        }
        at += 1;
    }
    groups
}

/// The instruction that adds two products.
fn instruction(types: &SumTypes) -> &'static str {
    if types.sum == Arithmetic::Narrow { "__smlad" } else { "__smlald" }
}

impl Statements<'_> {
    /// The addresses of coefficient and word of a product, at the beginning of its loop if it has one.
    pub(super) fn addresses(&self, addition: &Addition, first: usize) -> Option<[String; 2]> {
        let Addend::Product { coefficient, factor: Factor::One(word), .. } = &addition.addend
        else {
            return None;
        };
        let Read::Remembered { line, row, index } = word else { return None };
        let at = |index: Index| Index { offset: index.at(first), step: 0 };
        let mut coefficient = *coefficient;
        coefficient.column = at(coefficient.column);
        let coefficient = self.place_of(&coefficient);
        let word = self.remembered(*line, *row, at(*index), false);
        Some([format!("&{coefficient}"), format!("&{word}")])
    }

    /// Two products at once.
    pub(super) fn pair(
        &mut self,
        local: Local,
        ending: &str,
        pair: &[Addition; 2],
        types: &SumTypes,
    ) {
        self.helpers.insert(Helper::Pair);
        self.has_pairs = true;
        for lane in self.lanes() {
            self.lane = lane;
            let sum = format!("{}{ending}", self.word(local));
            let Some([coefficient, word]) = self.addresses(&pair[0], 0) else { continue };
            let add = instruction(types);
            self.line(&format!(
                "{sum} = {add}(mellow_rake_pair({coefficient}), mellow_rake_pair({word}), {sum});"
            ));
        }
        self.lane = None;
    }

    /// A loop over pairs.
    pub(super) fn run(&mut self, local: Local, ending: &str, step: &Step, types: &SumTypes) {
        let Step::Loop { passes, addition } = step else { return };
        let Some([coefficients, words]) = self.addresses(addition, passes.start) else { return };
        self.helpers.extend([Helper::Pair, Helper::Unroll]);
        self.has_pairs = true;
        let sums: Vec<String> = self
            .lanes()
            .into_iter()
            .map(|lane| {
                self.lane = lane;
                format!("{}{ending}", self.word(local))
            })
            .collect();
        self.lane = None;
        let taps = passes.len();
        let at_once = match sums.len() {
            LANES => TAPS_IN_A_PASS_OF_SEVERAL,
            _ if taps >= 2 * TAPS_IN_A_PASS_OF_LONG => TAPS_IN_A_PASS_OF_LONG,
            _ => TAPS_IN_A_PASS,
        };
        let in_passes = taps / at_once * at_once;
        let in_pairs = (taps - in_passes) / 2 * 2;
        self.line("{");
        self.indent += 1;
        self.line(&format!("const int16_t *c = {coefficients};"));
        self.line(&format!("const int16_t *w = {words};"));
        if sums.len() == LANES {
            self.line("int16x2_t even = mellow_rake_pair(w);");
            self.line("int16x2_t odd = mellow_rake_pair(w + 1);");
        }
        if in_passes > 0 {
            self.line(&format!("const int16_t *const end = c + {in_passes};"));
            self.line(&format!("for (; c != end; c += {at_once}, w += {at_once}) {{"));
            self.indent += 1;
            self.pairs(&sums, at_once, types);
            self.indent -= 1;
            self.line("}");
        }
        if in_pairs > 0 {
            self.pairs(&sums, in_pairs, types);
        }
        if in_passes + in_pairs < taps {
            for (lane, sum) in sums.iter().enumerate() {
                let product = match types.sum {
                    Arithmetic::Narrow => {
                        format!("{sum} = __smlabb(c[{in_pairs}], w[{}], {sum});", in_pairs + lane)
                    }
                    _ => format!("{sum} += (int32_t)c[{in_pairs}] * w[{}];", in_pairs + lane),
                };
                self.line(&product);
            }
        }
        self.indent -= 1;
        self.line("}");
    }

    /// So many taps, two at a time. Of several outputs each pair of words serves two: what the first takes
    /// now the third takes two taps later.
    fn pairs(&mut self, sums: &[String], taps: usize, types: &SumTypes) {
        let add = instruction(types);
        self.line("MELLOW_RAKE_UNROLL_ALL");
        self.line(&format!("for (int k = 0; k < {taps}; k += 2) {{"));
        let lines = match sums {
            [first, second, third, fourth] => vec![
                "const int16x2_t two = mellow_rake_pair(c + k);".to_owned(),
                format!("{first} = {add}(two, even, {first});"),
                "even = mellow_rake_pair(w + k + 2);".to_owned(),
                format!("{third} = {add}(two, even, {third});"),
                format!("{second} = {add}(two, odd, {second});"),
                "odd = mellow_rake_pair(w + k + 3);".to_owned(),
                format!("{fourth} = {add}(two, odd, {fourth});"),
            ],
            _ => sums
                .iter()
                .map(|sum| {
                    format!(
                        "{sum} = {add}(mellow_rake_pair(c + k), mellow_rake_pair(w + k), {sum});"
                    )
                })
                .collect(),
        };
        for line in lines {
            self.line(&format!("    {line}"));
        }
        self.line("}");
    }
}
