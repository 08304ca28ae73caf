//! Integrators and combs with a change of the rate between them: finite as a whole.
//!
//! Both programs are read modulo 2^128, where their responses are exact. The response of the whole is finite:
//! once it has been zero for as many firings as there are words in the state, it is zero for ever, for by the
//! theorem of Cayley and Hamilton, which holds over any commutative ring, each further word is a combination
//! of so many before it. So the last sum is congruent to a finite sum, and the check that this sum never
//! leaves the word of the last one makes it equal to it.

use super::block::{Block, Source, follows_signs};
use super::{NetworkError, Step};
use crate::datapath::{Checked, Node, Push, SumProgram};

/// Firings of the slower program after which a response that is no sum is given up.
const MOST_FIRINGS: usize = 512;

/// The programs before and behind the change, and the change.
struct Pair<'a> {
    first: SumProgram<'a>,
    second: SumProgram<'a>,
    factor: usize,
    is_up: bool,
    unit: i32,
}

impl Pair<'_> {
    fn states(&self) -> usize {
        self.first.states() + self.second.states()
    }

    /// For each time of a firing of the whole, what a step that comes in there is in the last sums, from the
    /// first of that firing on; `None` where it does not end.
    fn phases(&self, program: usize, push: Push) -> Option<Vec<Vec<i128>>> {
        let mut firings = 2 * self.states() + 8;
        while firings <= MOST_FIRINGS {
            let found = self.phases_of(program, push, firings);
            let gives = if self.is_up { self.factor } else { 1 };
            let tail = firings.saturating_sub(self.states() + 1) * gives;
            let is_over = |words: &Vec<i128>| words.iter().skip(tail).all(|word| *word == 0);
            if found.iter().all(is_over) {
                let ended = |mut words: Vec<i128>| {
                    while words.last() == Some(&0) {
                        words.pop();
                    }
                    words
                };
                return Some(found.into_iter().map(ended).collect());
            }
            firings *= 2;
        }
        None
    }

    fn phases_of(&self, program: usize, push: Push, firings: usize) -> Vec<Vec<i128>> {
        let (factor, unit) = (self.factor, self.unit);
        let all = firings * factor;
        let sum = |terms: &mut dyn Iterator<Item = (i128, i128)>| {
            terms.fold(0i128, |sum, (one, other)| sum.wrapping_add(one.wrapping_mul(other)))
        };
        let behind = |count| self.second.response(Push::Unit, unit, count);
        match (program, self.is_up) {
            (0, false) => {
                let (own, behind) = (self.first.response(push, unit, all), behind(firings));
                let word = |place: usize, firing: usize| {
                    sum(&mut (0..=firing).map(|before| {
                        let at = factor * (firing - before) + factor - 1;
                        let word = at.checked_sub(place).map_or(0, |at| own[at]);
                        (behind[before], word)
                    }))
                };
                let phase = |place| (0..firings).map(|firing| word(place, firing)).collect();
                (0..factor).map(phase).collect()
            }
            (0, true) => {
                let (own, behind) = (self.first.response(push, unit, firings), behind(all));
                let word = |at: usize| {
                    let pair = |before: usize| (own[before], behind[at - factor * before]);
                    sum(&mut (0..=at / factor).map(pair))
                };
                vec![(0..all).map(word).collect()]
            }
            (_, false) => vec![self.second.response(push, unit, firings)],
            (_, true) => {
                let own = self.second.response(push, unit, all);
                let late = |place: usize| {
                    let mut words = vec![0; place];
                    words.extend_from_slice(&own[..all - place]);
                    words
                };
                (0..factor).map(late).collect()
            }
        }
    }
}

/// Programs of sums with a change of the rate between them, as one.
pub(super) fn group(
    programs: [&Checked; 2],
    change: &Step,
    step: usize,
) -> Result<Block, NetworkError> {
    let [first, second] = programs;
    let endless = |at: usize| NetworkError::Unbounded {
        step: at,
        why: "its sums do not end with what is around it".to_owned(),
    };
    let read = |program, at| SumProgram::of(program).ok_or_else(|| endless(at));
    let (first_sums, second_sums) = (read(first, step - 2)?, read(second, step)?);
    let is_cut = first_sums.last != first.output()
        || first_sums.whole != second_sums.whole
        || second_sums.moves_point;
    let (Step::Keep(factor) | Step::Fill(factor)) = change else { return Err(endless(step - 1)) };
    if is_cut {
        return Err(endless(step - 2));
    }
    let pair = Pair {
        unit: first_sums.finest.max(second_sums.finest),
        first: first_sums,
        second: second_sums,
        factor: *factor,
        is_up: matches!(change, Step::Fill(_)),
    };
    let own = pair.phases(0, Push::Input).ok_or_else(|| endless(step - 2))?;
    let (takes, gives) = if pair.is_up { (1, *factor) } else { (*factor, 1) };
    let mut sums = Largest::default();
    let input = first.input();
    sums.add(&own, gives, [input.minimum(), input.maximum()]);
    let value = |words: &Vec<i128>, scale: i32| -> Vec<f64> {
        words.iter().map(|word| libm::scalbn(*word as f64, scale)).collect()
    };
    let mut sources = Vec::new();
    for (number, (checked, program)) in
        [(first, &pair.first), (second, &pair.second)].into_iter().enumerate()
    {
        for source in checked.rounding_sources() {
            let (low, high) = source.error_range();
            let (mean, variance) = source.error_moments();
            let phases = if program.inner.contains(&source.node) {
                let push = Push::Behind(source.node);
                let found =
                    pair.phases(number, push).ok_or_else(|| endless(step - 2 + 2 * number))?;
                // Less than one step, downward.
                sums.add(&found, gives, [-1, 0]);
                let size = fraction_of(checked, source.node) - pair.unit;
                found.iter().map(|words| value(words, size)).collect()
            } else {
                (0..gives).map(Source::at_output).collect()
            };
            sources.push(Source { phases, low, high, mean, variance });
        }
    }
    sums.check(pair.second.last, pair.unit, step)?;
    let scale = input.fraction() - pair.unit;
    let mut responses = vec![vec![Vec::new(); takes]; gives];
    for (at, words) in own.iter().enumerate() {
        for (place, value) in value(words, scale).into_iter().enumerate() {
            responses[place % gives][at].push(value);
        }
    }
    let sizes = responses.iter().flatten().flatten().map(|h| h.abs());
    Ok(Block {
        step,
        takes,
        gives,
        // Whole numbers of more than 53 bits were rounded once each.
        slack: sizes.sum::<f64>() * f64::EPSILON,
        responses,
        sources,
        not_predicted: None,
        follows_signs: follows_signs(second),
        output: second.output(),
        limits: true,
        inner: None,
        mixer: None,
    })
}

fn fraction_of(checked: &Checked, node: Node) -> i32 {
    checked.facts().format(node).fraction()
}

/// What the last sums can reach, in units, each word of a firing by itself.
#[derive(Default)]
struct Largest {
    words: Vec<[i128; 2]>,
}

impl Largest {
    /// What integers from a range do at every time.
    fn add(&mut self, phases: &[Vec<i128>], gives: usize, [low, high]: [i128; 2]) {
        self.words.resize(gives, [0; 2]);
        for words in phases {
            for (place, h) in words.iter().enumerate() {
                let ends = [h.saturating_mul(low), h.saturating_mul(high)];
                let word = &mut self.words[place % gives];
                word[0] = word[0].saturating_add(ends[0].min(ends[1]));
                word[1] = word[1].saturating_add(ends[0].max(ends[1]));
            }
        }
    }

    /// Whether none leaves the word of the last sum.
    fn check(
        &self,
        format: crate::fixed::WordFormat,
        unit: i32,
        step: usize,
    ) -> Result<(), NetworkError> {
        let scale = (unit - format.fraction()).clamp(0, 126) as u32;
        let low = self.words.iter().map(|word| word[0]).min().unwrap_or(0);
        let high = self.words.iter().map(|word| word[1]).max().unwrap_or(0);
        // Outward, so that the largest sums are in whole steps of the word.
        let (low, high) = (low >> scale, -((-high) >> scale));
        if format.holds(low) && format.holds(high) {
            return Ok(());
        }
        let bits = |value: i128| 129 - (if value < 0 { !value } else { value }).leading_zeros();
        let needed = bits(low).max(bits(high));
        Err(NetworkError::Sum { step, needed, format, more: needed - format.width() })
    }
}
