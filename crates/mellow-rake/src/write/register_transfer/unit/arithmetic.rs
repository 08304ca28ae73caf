//! From the words of a clock to the result of a sum.

use super::super::endings::{ending_wires, limiting_wires, rounded, rounding_wires};
use super::super::value::{Kind, Signal, Value, choose, constant, sum};
use super::super::{Items, Statement, when};
use super::Unit;
use crate::datapath::Sign;
use crate::hardware::{Alignment, Ending, Lane};

impl Unit<'_> {
    pub(super) fn arithmetic(&self, items: &mut Items) {
        items.gap();
        items.comment(
            "The arithmetic. Not all bits of all words are used: dropping them is what rounding is.",
        );
        items.unused(true);
        let mut clocked = Vec::new();
        let mut addends: Vec<Signal> =
            (0..self.lanes()).map(|lane| self.lane(lane, items, &mut clocked)).collect();
        let width = self.program.sum_bits;
        for level in 1.. {
            if addends.len() == 1 {
                break;
            }
            let mut add = |(index, pair): (usize, &[Signal])| {
                let name = Signal::signed(format!("products_{level}_{index}"), width);
                let value = match pair {
                    [one] => one.whole(),
                    _ => sum(pair[0].whole(), pair[1].whole(), false),
                };
                clocked.push(Statement::Take(name.clone(), value));
                items.register(name)
            };
            addends = addends.chunks(2).enumerate().map(&mut add).collect();
        }
        let total = items.register(self.sum());
        let begin = self.beginning(items);
        let at = self.sum_clock();
        let from = match self.mark("", |one| one.begins).constant() {
            None => {
                let begins = self.mark_at("begins", at).whole();
                items.wire("from", choose(begins, begin, total.whole())).whole()
            }
            // A single product a task: each begins its sum.
            Some(_) => begin,
        };
        let adds = Statement::Take(total, sum(from, addends[0].whole(), false));
        clocked.push(match self.has_pauses {
            true => when(self.mark_at("adds", at).whole(), vec![adds]),
            false => adds,
        });
        let result = self.endings(items, &mut clocked);
        clocked.push(Statement::Take(items.register(self.result()), result));
        items.unused(false);
        items.clocked(clocked);
        self.output(self.result().at(self.formats[1].width()), items);
    }

    /// From the words of a lane to its aligned product.
    fn lane(&self, lane: usize, items: &mut Items, clocked: &mut Vec<Statement>) -> Signal {
        let program = self.program;
        let mut operand = self.operand(lane);
        let (wide, bits) = (operand.width(), program.coefficient_bits);
        let mut coefficient = Signal::signed(format!("coefficient_{lane}"), bits);
        if self.has_pairs {
            let pair = self.pair(lane, items);
            let to = items.register(Signal::signed(format!("pair_{lane}"), wide));
            clocked.push(Statement::Take(to, pair));
            let late = Signal::signed(format!("coefficient_{lane}_late"), bits);
            clocked.push(Statement::Take(late.clone(), coefficient.whole()));
            coefficient = items.register(late);
        }
        // Further stages are in front of the multiplier, where cells have registers for them.
        for stage in 1..self.program.resources.multiplier_stages {
            let later = Signal::signed(format!("operand_{lane}_{stage}"), wide);
            clocked.push(Statement::Take(later.clone(), operand.whole()));
            operand = items.register(later);
            let later = Signal::signed(format!("factor_{lane}_{stage}"), bits);
            clocked.push(Statement::Take(later.clone(), coefficient.whole()));
            coefficient = items.register(later);
        }
        let narrow = program.operand_bits.min(wide);
        let part = match narrow == wide {
            true => operand.clone(),
            false => items.wire(format!("narrow_{lane}"), operand.at(narrow)),
        };
        let width = narrow + bits;
        let mut product = items.register(Signal::signed(format!("product_{lane}"), width));
        // In front of the register, so that a simulator multiplies only where a factor has changed.
        let value = Value::Product { left: part, right: coefficient, width };
        let exact = items.wire(format!("exact_{lane}"), value);
        clocked.push(Statement::Take(product.clone(), exact.whole()));
        if program.wide_bits.is_some() {
            let passed = items.register(Signal::signed(format!("passed_{lane}"), wide));
            clocked.push(Statement::Take(passed.clone(), operand.whole()));
            product = self.chosen(lane, &product, &passed, items);
        }
        let aligned = self.align(lane, &product, items);
        if !self.program.stages.alignment {
            return aligned;
        }
        let late = Signal::signed(format!("aligned_{lane}_late"), aligned.width());
        clocked.push(Statement::Take(late.clone(), aligned.whole()));
        items.register(late)
    }

    /// Whether a mark of a lane differs from clock to clock.
    fn varies(&self, name: &str, lane: usize) -> bool {
        let name = format!("{name}_{lane}_0");
        self.lane_fields(lane).iter().any(|(field, _)| field.signal.name == name)
    }

    /// What a lane does in the clocks in which something is issued.
    fn of_lane(&self, lane: usize) -> impl Iterator<Item = &Lane> + Clone {
        self.program.instructions.iter().flatten().map(move |one| &one.lanes[lane])
    }

    /// The sum or difference of the two words of a lane.
    fn pair(&self, lane: usize, items: &mut Items) -> Value {
        let (width, wide) = (self.program.memory_bits, self.operand(lane).width());
        let word = |stem: &str| Signal::signed(format!("{stem}_{lane}"), width).at(wide);
        let (first, mut second) = (word("first"), word("second"));
        let Some((sign, _)) = self.of_lane(lane).find_map(|lane| lane.second) else {
            return first;
        };
        if self.varies("pairs", lane) {
            let pairs = self.mark_at(&format!("pairs_{lane}"), 2).whole();
            let nothing = constant(0, Kind::Signed(wide));
            second = items.wire(format!("paired_{lane}"), choose(pairs, second, nothing)).whole();
        }
        match self.varies("differs", lane) {
            true => {
                let differs = self.mark_at(&format!("differs_{lane}"), 2).whole();
                let difference = sum(first.clone(), second.clone(), true);
                choose(differs, difference, sum(first, second, false))
            }
            false => sum(first, second, sign == Sign::Minus),
        }
    }

    /// The product, or the word that passes the multiplier.
    fn chosen(&self, lane: usize, product: &Signal, passed: &Signal, items: &mut Items) -> Signal {
        let at = self.align_clock();
        let width = passed.width().max(product.width()) + 1;
        let (product, passed) = (product.at(width), passed.at(width));
        let wide = self.of_lane(lane).find(|lane| lane.is_wide);
        let negated = || Value::Negated(Box::new(passed.clone()));
        let word = match (self.varies("negates", lane), wide) {
            (true, _) => {
                let negates = self.mark_at(&format!("negates_{lane}"), at).whole();
                let word = choose(negates, negated(), passed);
                items.wire(format!("turned_{lane}"), word).whole()
            }
            (false, Some(Lane { coefficient: ..0, .. })) => negated(),
            (false, _) => passed,
        };
        let chosen = match (self.varies("passes", lane), wide) {
            (true, _) => choose(self.mark_at(&format!("passes_{lane}"), at).whole(), word, product),
            (false, Some(_)) => word,
            (false, None) => product,
        };
        items.wire(format!("chosen_{lane}"), chosen)
    }

    /// The product as it is added: one of the alignments.
    fn align(&self, lane: usize, product: &Signal, items: &mut Items) -> Signal {
        let (sum_bits, varies) = (self.program.sum_bits, self.varies("aligns", lane));
        let used = self.of_lane(lane).find(|lane| lane.is_used());
        let only = used.map(|lane| lane.alignment);
        let mut aligned = Vec::new();
        for (index, alignment) in self.program.alignments.iter().enumerate() {
            if !varies && Some(index) != only {
                aligned.push(constant(0, Kind::Signed(sum_bits)));
                continue;
            }
            let Alignment { dropped, rounding, shift, subtracted } = *alignment;
            let word = match dropped {
                0 => product.clone(),
                _ => {
                    let name = format!("rounded_{lane}_{index}");
                    rounded(product, dropped, rounding, &name, items)
                }
            };
            let word = word.scaled(shift, sum_bits);
            aligned.push(if subtracted { Value::Negated(Box::new(word)) } else { word });
        }
        let mark = Signal::new(format!("aligns_{lane}_{}", self.align_clock()), self.align_kind());
        let value = match varies {
            false => aligned.remove(only.unwrap_or(0)),
            true => by_number(&mark, aligned),
        };
        items.wire(format!("aligned_{lane}"), value)
    }

    /// What a sum begins with.
    fn beginning(&self, items: &mut Items) -> Value {
        let kind = Kind::Signed(self.program.sum_bits);
        let preload = |ending: &Ending| constant(ending.preload, kind);
        let endings = &self.program.endings;
        if endings.iter().all(|one| one.preload == endings[0].preload) {
            return preload(&endings[0]);
        }
        let preloads = endings.iter().map(preload).collect();
        items.wire("beginning", self.choose_ending(self.sum_clock(), preloads)).whole()
    }

    /// One of the words of the endings.
    fn choose_ending(&self, at: usize, words: Vec<Value>) -> Value {
        by_number(&Signal::new(format!("ending_{at}"), self.ending_kind()), words)
    }

    /// What the sums end as.
    fn endings(&self, items: &mut Items, clocked: &mut Vec<Statement>) -> Value {
        let endings = || self.program.endings.iter().enumerate();
        let sum = self.sum();
        let results: Vec<Value> = if !self.program.stages.rounding {
            let result = |(index, ending): (usize, &Ending)| {
                ending_wires(ending, index, &sum, items).at(self.program.result_bits)
            };
            endings().map(result).collect()
        } else {
            let bits = self.program.rounded_bits;
            let one = |(index, ending): (usize, &Ending)| {
                rounding_wires(ending, index, &sum, items).at(bits)
            };
            let all = endings().map(one).collect();
            let value = self.choose_ending(self.depth - 2, all);
            let rounded = items.register(Signal::signed("rounded", bits));
            clocked.push(Statement::Take(rounded.clone(), value));
            let result = |(index, ending): (usize, &Ending)| {
                limiting_wires(ending, index, &rounded, items).at(self.program.result_bits)
            };
            endings().map(result).collect()
        };
        self.choose_ending(self.depth - 1, results)
    }
}

/// One of some values, by its number; the last for all numbers beyond.
fn by_number(number: &Signal, mut values: Vec<Value>) -> Value {
    let last = values.pop().expect("a value at least");
    if values.is_empty() {
        return last;
    }
    let choice = |(index, value): (usize, Value)| (number.is(index as i128), value);
    let choices = values.into_iter().enumerate().map(choice).collect();
    Value::Chosen { choices, otherwise: Box::new(last) }
}
