//! What follows from the number of a clock: a constant, the number itself up to an addend, the same in
//! stretches, or a table.

use super::logic::sum_of_products;
use super::value::{Kind, Signal, Value, constant, sum};
use super::{Item, Items};
use std::collections::BTreeMap;

/// A word for each clock of an interval; `None` where any would do.
pub(super) struct Field {
    pub(super) signal: Signal,
    pub(super) values: Vec<Option<u128>>,
}

impl Field {
    /// The one value that it has, if it has only one.
    pub(super) fn constant(&self) -> Option<u128> {
        let mut values = self.values.iter().flatten();
        let first = values.next().copied().unwrap_or(0);
        values.all(|value| *value == first).then_some(first)
    }

    /// A wire with the field's name that follows from the number of the clock.
    pub(super) fn declare(&self, step: &Signal, items: &mut Items) {
        let Field { signal, values } = self;
        let kind = signal.kind;
        if let Some(value) = self.constant() {
            items.wire(signal.name.clone(), constant(value as i128, kind));
            return;
        }
        let line = Line::through(values, kind);
        let differs =
            |(clock, value): &(usize, u128)| line.is_none_or(|line| line.at(*clock) != *value);
        let known = values.iter().enumerate().filter_map(|(clock, value)| Some((clock, (*value)?)));
        let exceptions: Vec<(usize, u128)> = known.clone().filter(differs).collect();
        let few = exceptions.len() <= 2 || exceptions.len() * 8 <= values.len();
        if let (Some(line), true) = (line, few) {
            let running = line.value(kind, step);
            if exceptions.is_empty() {
                items.0.push(Item::Wire {
                    signal: signal.clone(),
                    value: running,
                    remark: String::new(),
                });
            } else {
                self.cases(&exceptions, running, step, items);
            }
            return;
        }
        if step.width() <= LOGIC_BITS {
            return self.logic(step, items);
        }
        if let Some(stretches) = Stretches::through(values, kind) {
            return stretches.declare(signal, step, items);
        }
        // What most clocks have is the default.
        let mut counts: BTreeMap<u128, usize> = BTreeMap::new();
        for (_, value) in known.clone() {
            *counts.entry(value).or_default() += 1;
        }
        let usual = counts.iter().max_by_key(|(_, count)| **count).map_or(0, |(value, _)| *value);
        let others: Vec<(usize, u128)> = known.filter(|(_, value)| *value != usual).collect();
        self.cases(&others, constant(usual as i128, kind), step, items);
    }

    /// Each bit as a sum of products. A case statement would leave open to a synthesizer what the clocks have
    /// in which the word does not matter, and some make a memory of it.
    fn logic(&self, step: &Signal, items: &mut Items) {
        let bit = |place: u32| {
            let values = self.values.iter().map(|value| Some((*value)? >> place & 1 == 1));
            sum_of_products(&values.collect::<Vec<_>>(), step)
        };
        let bits = (0..self.signal.width()).map(bit).collect();
        items.0.push(Item::Bits { signal: self.signal.clone(), bits });
    }

    fn cases(&self, cases: &[(usize, u128)], otherwise: Value, step: &Signal, items: &mut Items) {
        // Clocks of the same word share a line.
        let mut clocks: BTreeMap<u128, Vec<usize>> = BTreeMap::new();
        for (clock, value) in cases {
            clocks.entry(*value).or_default().push(*clock);
        }
        let kind = self.signal.kind;
        let cases = clocks.into_iter().map(|(value, of)| (constant(value as i128, kind), of));
        items.0.push(Item::Cases {
            signal: self.signal.clone(),
            selector: step.clone(),
            cases: cases.collect(),
            otherwise,
        });
    }
}

/// first + slope · clock, modulo 2^width, with another first from some clocks on: as where a unit goes
/// through words of which every so many-th is its own.
struct Stretches {
    slope: i128,
    /// The clock behind each stretch, and its first.
    ends: Vec<(usize, i128)>,
}

impl Stretches {
    /// The most stretches that are told apart by comparisons.
    const MOST: usize = 24;

    /// Of so many clocks on average there is one stretch at the most.
    const CLOCKS: usize = 8;

    fn through(values: &[Option<u128>], kind: Kind) -> Option<Self> {
        let Kind::Unsigned(width) = kind else { return None };
        let modulus = 1i128.checked_shl(width).filter(|modulus| *modulus > 1)?;
        let of_slope = |slope: i128| {
            let mut ends: Vec<(usize, i128)> = Vec::new();
            for (clock, value) in values.iter().enumerate() {
                let Some(value) = value else { continue };
                let first = (*value as i128 - slope * clock as i128).rem_euclid(modulus);
                match ends.last_mut() {
                    Some((end, last)) if *last == first => *end = clock + 1,
                    _ => ends.push((clock + 1, first)),
                }
            }
            Stretches { slope, ends }
        };
        let slopes = [0, 1, 2, 4, 8, 16].into_iter().flat_map(|slope| [slope, -slope]);
        let best = slopes.map(of_slope).min_by_key(|one| one.ends.len())?;
        let fits = best.ends.len() <= Self::MOST && best.ends.len() * Self::CLOCKS <= values.len();
        fits.then_some(best)
    }

    /// A wire for the first of each stretch, and what is made of it.
    fn declare(&self, signal: &Signal, step: &Signal, items: &mut Items) {
        let kind = signal.kind;
        let (last, before) = self.ends.split_last().expect("a field has values");
        let choice = |(end, first): &(usize, i128)| {
            let limit = *end as i128;
            (Value::Below { of: step.clone(), limit }, constant(*first, kind))
        };
        let otherwise = Box::new(constant(last.1, kind));
        let choices: Vec<(Value, Value)> = before.iter().map(choice).collect();
        let first = match choices.is_empty() {
            true => *otherwise,
            false => Value::Chosen { choices, otherwise },
        };
        let value = match self.slope {
            0 => first,
            slope => {
                let begins = items.wire(format!("{}_begins", signal.name), first);
                let zeros = slope.unsigned_abs().trailing_zeros();
                sum(begins.whole(), scaled(step, zeros, kind), slope < 0)
            }
        };
        items.0.push(Item::Wire { signal: signal.clone(), value, remark: String::new() });
    }
}

/// The number of a clock with zeros behind it, in the bits of a kind.
fn scaled(step: &Signal, zeros: u32, kind: Kind) -> Value {
    let width = kind.width();
    if zeros >= width {
        return constant(0, kind);
    }
    let number = Kind::Unsigned(width - zeros);
    let number = match step.kind == number {
        true => step.whole(),
        false => Value::Resized { of: step.clone(), kind: number },
    };
    if zeros == 0 { number } else { Value::Scaled { of: Box::new(number), zeros } }
}

/// Numbers of clocks of up to so many bits are made to words by logic; longer ones by a table.
const LOGIC_BITS: u32 = 8;

/// first + slope · clock, modulo 2^width.
#[derive(Debug, Clone, Copy)]
struct Line {
    first: i128,
    slope: i128,
    modulus: i128,
}

impl Line {
    /// The line through most values that lie one behind the other, of slope 1 or −1.
    fn through(values: &[Option<u128>], kind: Kind) -> Option<Self> {
        let Kind::Unsigned(width) = kind else { return None };
        let modulus = 1i128.checked_shl(width).filter(|modulus| *modulus > 1)?;
        let mut counts: BTreeMap<(i128, i128), usize> = BTreeMap::new();
        for (clock, value) in values.iter().enumerate() {
            let Some(value) = value else { continue };
            for slope in [1, -1] {
                let first = (*value as i128 - slope * clock as i128).rem_euclid(modulus);
                *counts.entry((slope, first)).or_default() += 1;
            }
        }
        let ((slope, first), count) = counts.into_iter().max_by_key(|(_, count)| *count)?;
        (count >= 3).then_some(Line { first, slope, modulus })
    }

    fn at(self, clock: usize) -> u128 {
        (self.first + self.slope * clock as i128).rem_euclid(self.modulus) as u128
    }

    fn value(self, kind: Kind, step: &Signal) -> Value {
        let number = match step.kind == kind {
            true => step.whole(),
            false => Value::Resized { of: step.clone(), kind },
        };
        let first = constant(self.first, kind);
        match (self.slope, self.first) {
            (1, 0) => number,
            (1, _) => sum(first, number, false),
            // All ones less a number is its complement.
            (_, first) if first == self.modulus - 1 => number.not(),
            _ => sum(first, number, true),
        }
    }
}
