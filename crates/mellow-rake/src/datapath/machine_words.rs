//! Difference equations at work in machine words, block by block.
//!
//! Every stream has a window of memory in which time runs upwards, so that a word of some samples ago stands
//! as many places lower and nothing is moved from sample to sample. Equations that wait for nothing of their
//! own are run over a whole block, one after the other; those that feed back are run sample by sample, two
//! second-order ones at a time. Which kernel an equation gets follows from its factors alone.

use super::equations::{Ending, Equation, Equations, Factor};
use crate::fixed::{Overflow, Rounding, WordFormat};

/// Samples of a block, at most.
const BLOCK: usize = 256;
/// Words of all blocks together, about: what stays near the processor.
const NEAR: usize = 1 << 16;
/// Outputs that are summed side by side.
const SIDE_BY_SIDE: usize = 16;
/// Fewer factors are not worth a conversion to f64.
const WORTH_REALS: usize = 6;

/// A factor whose word of sample i stands at `at + i`.
#[derive(Clone, Copy)]
struct Placed {
    coefficient: i64,
    at: usize,
}

/// An equation whose words have places.
struct Sum {
    factors: Vec<Placed>,
    ending: Ending,
    /// Where the word of sample i goes: `to + i`.
    to: usize,
    /// Where the words of the only stream begin and how many before the newest are used, if the sum may be
    /// taken in f64.
    reals: Option<(usize, usize)>,
}

/// y\[n\] = ending(b0·x\[n\] + b1·x\[n−1\] + b2·x\[n−2\] + c1·y\[n−1\] + c2·y\[n−2\])
#[derive(Clone)]
struct SecondOrder {
    b: [i64; 3],
    c: [i64; 2],
    from: usize,
    to: usize,
    ending: Ending,
}

/// A way to run some equations over a block.
enum Kernel {
    /// Nothing is fed back.
    Forward(Sum),
    /// One second-order section.
    Section(SecondOrder),
    /// Two with the same ending, the second on the first.
    Sections([SecondOrder; 2]),
    /// Equations that wait for each other, or for themselves.
    Group(Vec<Sum>),
}

/// A program at work.
pub(super) struct MachineWords {
    memory: Vec<i64>,
    /// For each stream, where its window begins and how many old words it keeps.
    windows: Vec<(usize, usize)>,
    kernels: Vec<Kernel>,
    /// The ends of the formats of what comes in: the first windows are theirs.
    inputs: Vec<(i64, i64)>,
    /// Where the words that go out stand.
    outputs: Vec<usize>,
    block: usize,
    /// Samples of the window that are done.
    at: usize,
    sums: Vec<i64>,
    reals: Vec<f64>,
    real_sums: Vec<f64>,
    limited: Vec<bool>,
}

/// What a second-order section takes from another stream, and what it feeds back.
#[derive(Clone, Copy)]
struct Recursion {
    from: usize,
    b: [i64; 3],
    c: [i64; 2],
}

/// An equation as a second-order section of one other stream, if it is one.
fn second_order(equation: &Equation, own: usize) -> Option<Recursion> {
    let (mut from, mut b, mut c) = (None, [0i64; 3], [0i64; 2]);
    for Factor { coefficient, stream, age } in &equation.factors {
        let place = if *stream == own {
            c.get_mut(age.checked_sub(1)?)?
        } else {
            if *from.get_or_insert(*stream) != *stream {
                return None;
            }
            b.get_mut(*age)?
        };
        *place = place.wrapping_add(*coefficient);
    }
    let from = from.filter(|from| *from < own)?;
    (c != [0, 0]).then_some(Recursion { from, b, c })
}

/// Equations that must be run together, each range in program order: those between a word and one computed
/// later that it waits for.
fn groups(all: &[Equation], inputs: usize) -> Vec<std::ops::Range<usize>> {
    let mut groups: Vec<std::ops::Range<usize>> = Vec::new();
    let mut end = 0;
    for (index, equation) in all.iter().enumerate() {
        if index >= end {
            groups.push(index..index + 1);
        }
        let waits = equation.factors.iter().map(|factor| factor.stream).max().unwrap_or(0);
        end = end.max((waits + 1).saturating_sub(inputs)).max(index + 1);
        if let Some(group) = groups.last_mut() {
            group.end = end;
        }
    }
    groups
}

impl MachineWords {
    pub(super) fn new(equations: &Equations) -> Option<Self> {
        let Equations { inputs, all, outputs } = equations;
        let streams = all.len() + inputs.len();
        let block = (NEAR / streams).clamp(SIDE_BY_SIDE, BLOCK);
        let mut depths = vec![0; streams];
        let mut keep = |stream: usize, age: usize| depths[stream] = age.max(depths[stream]);
        let sections: Vec<_> =
            (all.iter().zip(inputs.len()..)).map(|(one, own)| second_order(one, own)).collect();
        for (own, (equation, section)) in (inputs.len()..).zip(all.iter().zip(&sections)) {
            for factor in &equation.factors {
                keep(factor.stream, factor.age);
            }
            if let Some(Recursion { from, .. }) = section {
                keep(*from, 2);
                keep(own, 2);
            }
        }
        let mut windows = Vec::with_capacity(streams);
        let mut total = 0;
        for depth in depths {
            windows.push((total, depth));
            total += depth + block;
        }
        let placed = Placer { all, windows: &windows, sections: &sections, inputs: inputs.len() };
        let kernels = placed.kernels();
        Some(MachineWords {
            memory: vec![0; total],
            kernels,
            inputs: inputs.iter().map(|format| ends(*format)).collect::<Option<_>>()?,
            outputs: outputs.iter().map(|stream| windows[*stream].0 + windows[*stream].1).collect(),
            reals: vec![0.0; windows.iter().map(|(_, depth)| depth + block).max()?],
            real_sums: vec![0.0; block],
            windows,
            block,
            at: 0,
            sums: vec![0; block],
            limited: vec![false; block],
        })
    }

    /// One firing, and whether a limit changed a word; nothing is allocated.
    pub(super) fn fire(&mut self, input: &[i64], output: &mut [i64]) -> bool {
        self.advance(input, 1);
        for (word, place) in output.iter_mut().zip(&self.outputs) {
            *word = self.memory[place + self.at - 1];
        }
        self.limited[0]
    }

    /// The words of whole firings, and in how many of these a limit changed a word.
    pub(super) fn run(&mut self, input: &[i64], output: &mut Vec<i64>) -> u64 {
        let mut limited = 0;
        for block in input.chunks(self.block * self.inputs.len()) {
            let count = block.len() / self.inputs.len();
            self.advance(block, count);
            if let [place] = self.outputs[..] {
                let end = place + self.at;
                output.extend_from_slice(&self.memory[end - count..end]);
            } else {
                for firing in self.at - count..self.at {
                    output.extend(self.outputs.iter().map(|place| self.memory[place + firing]));
                }
            }
            limited += self.limited[..count].iter().filter(|limited| **limited).count();
        }
        limited as u64
    }

    /// So many firings, at most a block.
    fn advance(&mut self, input: &[i64], count: usize) {
        if self.at + count > self.block {
            // What is still remembered goes to the front of each window.
            for (start, depth) in &self.windows {
                self.memory.copy_within(start + self.at..start + self.at + depth, *start);
            }
            self.at = 0;
        }
        let at = self.at;
        for (number, (low, high)) in self.inputs.iter().enumerate() {
            let now = self.windows[number].0 + self.windows[number].1 + at;
            let own = input[number..].iter().step_by(self.inputs.len());
            for (word, x) in self.memory[now..now + count].iter_mut().zip(own) {
                *word = (*x).clamp(*low, *high);
            }
        }
        self.limited[..count].fill(false);
        let memory = &mut self.memory[..];
        let limited = &mut self.limited[..count];
        for kernel in &self.kernels {
            match kernel {
                Kernel::Forward(sum) => {
                    let sums = &mut self.sums[..count];
                    match sum.reals {
                        Some(reals) if count >= SIDE_BY_SIDE => {
                            let real_sums = &mut self.real_sums[..count];
                            sum.add_reals(memory, at, reals, &mut self.reals, real_sums);
                            for (sum, real) in sums.iter_mut().zip(real_sums) {
                                *sum = *real as i64;
                            }
                        }
                        _ => sum.add(memory, at, sums),
                    }
                    let to = &mut memory[sum.to + at..sum.to + at + count];
                    finish(sum.ending, sums, to, limited);
                }
                Kernel::Section(section) => run_section(section, memory, at, limited),
                Kernel::Sections(two) => run_sections(two, memory, at, limited),
                Kernel::Group(sums) => {
                    for (i, limited) in (at..).zip(limited.iter_mut()) {
                        for sum in sums {
                            let (word, acted) = sum.ending.apply(sum.at(memory, i));
                            memory[sum.to + i] = word;
                            *limited |= acted;
                        }
                    }
                }
            }
        }
        self.at += count;
    }
}

/// The ends of a format.
fn ends(format: WordFormat) -> Option<(i64, i64)> {
    Some((i64::try_from(format.minimum()).ok()?, i64::try_from(format.maximum()).ok()?))
}

/// Gives equations their places and kernels.
struct Placer<'a> {
    all: &'a [Equation],
    windows: &'a [(usize, usize)],
    sections: &'a [Option<Recursion>],
    /// Words that come in: their streams are the first.
    inputs: usize,
}

impl Placer<'_> {
    /// Where the word of sample 0 stands.
    fn now(&self, stream: usize) -> usize {
        self.windows[stream].0 + self.windows[stream].1
    }

    fn sum(&self, index: usize) -> Sum {
        let Equation { factors, ending, is_real } = &self.all[index];
        let place = |factor: &Factor| Placed {
            coefficient: factor.coefficient,
            at: self.now(factor.stream) - factor.age,
        };
        let stream = factors.first().map(|factor| factor.stream);
        let is_one = factors.iter().all(|factor| Some(factor.stream) == stream);
        let oldest = factors.iter().map(|factor| factor.age).max().unwrap_or(0);
        let worth = *is_real && is_one && factors.len() >= WORTH_REALS;
        Sum {
            factors: factors.iter().map(place).collect(),
            ending: *ending,
            to: self.now(self.inputs + index),
            reals: stream.filter(|_| worth).map(|stream| (self.now(stream) - oldest, oldest)),
        }
    }

    fn kernels(&self) -> Vec<Kernel> {
        let mut kernels: Vec<Kernel> = Vec::new();
        for group in groups(self.all, self.inputs) {
            let index = group.start;
            if group.len() > 1 {
                kernels.push(Kernel::Group(group.map(|index| self.sum(index)).collect()));
                continue;
            }
            let ending = self.all[index].ending;
            if let Some(Recursion { from, b, c }) = self.sections[index] {
                let (from, to) = (self.now(from), self.now(self.inputs + index));
                let section = SecondOrder { b, c, from, to, ending };
                match kernels.last_mut() {
                    Some(last @ Kernel::Section(_)) => {
                        let Kernel::Section(before) = &*last else { continue };
                        if before.to == from && before.ending == ending {
                            *last = Kernel::Sections([before.clone(), section]);
                        } else {
                            kernels.push(Kernel::Section(section));
                        }
                    }
                    _ => kernels.push(Kernel::Section(section)),
                }
            } else if self.all[index]
                .factors
                .iter()
                .any(|factor| factor.stream >= self.inputs + index)
            {
                kernels.push(Kernel::Group(vec![self.sum(index)]));
            } else {
                kernels.push(Kernel::Forward(self.sum(index)));
            }
        }
        kernels
    }
}

impl Sum {
    /// The sum of one sample, modulo 2⁶⁴.
    fn at(&self, memory: &[i64], i: usize) -> i64 {
        let product = |f: &Placed| f.coefficient.wrapping_mul(memory[f.at + i]);
        self.factors.iter().map(product).fold(0, i64::wrapping_add)
    }

    /// The sums of a block that begins at `at`, modulo 2⁶⁴.
    fn add(&self, memory: &[i64], at: usize, sums: &mut [i64]) {
        let mut start = at;
        let mut blocks = sums.chunks_exact_mut(SIDE_BY_SIDE);
        for block in &mut blocks {
            let mut side = [0i64; SIDE_BY_SIDE];
            for Placed { coefficient, at } in &self.factors {
                let words = &memory[at + start..at + start + SIDE_BY_SIDE];
                for (sum, word) in side.iter_mut().zip(words) {
                    *sum = sum.wrapping_add(coefficient.wrapping_mul(*word));
                }
            }
            block.copy_from_slice(&side);
            start += SIDE_BY_SIDE;
        }
        for (sum, i) in blocks.into_remainder().iter_mut().zip(start..) {
            *sum = self.at(memory, i);
        }
    }

    /// The same in f64, where all partial sums are exact and the processor takes products side by side.
    fn add_reals(
        &self,
        memory: &[i64],
        at: usize,
        (oldest, before): (usize, usize),
        reals: &mut [f64],
        sums: &mut [f64],
    ) {
        let words = &memory[oldest + at..oldest + at + before + sums.len()];
        for (real, word) in reals.iter_mut().zip(words) {
            *real = *word as f64;
        }
        let mut start = 0;
        let mut blocks = sums.chunks_exact_mut(SIDE_BY_SIDE);
        for block in &mut blocks {
            let mut side = [0.0; SIDE_BY_SIDE];
            for Placed { coefficient, at } in &self.factors {
                let coefficient = *coefficient as f64;
                let place = at - oldest + start;
                for (sum, word) in side.iter_mut().zip(&reals[place..place + SIDE_BY_SIDE]) {
                    *sum += coefficient * word;
                }
            }
            block.copy_from_slice(&side);
            start += SIDE_BY_SIDE;
        }
        for (sum, i) in blocks.into_remainder().iter_mut().zip(start..) {
            let product = |f: &Placed| f.coefficient as f64 * reals[f.at - oldest + i];
            *sum = self.factors.iter().map(product).sum();
        }
    }
}

/// Calls a function with an ending that the compiler knows, where it is a common one.
macro_rules! with_ending {
    ($ending:expr, $function:ident($($argument:expr),*)) => {{
        let ending: Ending = $ending;
        match ending {
            Ending { wrap: None, round: Some((bits, rounding)), limit: Some((overflow, format)) } => {
                let free = 64 - format.width();
                let (low, high) = (format.minimum() as i64, format.maximum() as i64);
                let clamp = move |word: i64| word.clamp(low, high);
                let wrap = move |word: i64| (word << free) >> free;
                macro_rules! rounded {
                    ($limit:expr) => {
                        match rounding {
                            Rounding::Floor => rounded!(Rounding::Floor, $limit),
                            Rounding::HalfUp => rounded!(Rounding::HalfUp, $limit),
                            Rounding::HalfEven => rounded!(Rounding::HalfEven, $limit),
                            Rounding::HalfAway => rounded!(Rounding::HalfAway, $limit),
                            Rounding::TowardZero => rounded!(Rounding::TowardZero, $limit),
                        }
                    };
                    ($rounding:expr, $limit:expr) => {
                        $function($($argument,)* move |sum: i64| {
                            let rounded = $rounding.shift_right_narrow(sum, bits);
                            let limited = $limit(rounded);
                            (limited, limited != rounded)
                        })
                    };
                }
                match (overflow, format.is_signed()) {
                    (Overflow::Saturate, _) if format.width() < 64 => rounded!(clamp),
                    (Overflow::Wrap | Overflow::Forbid, true) => rounded!(wrap),
                    _ => $function($($argument,)* move |sum: i64| ending.apply(sum)),
                }
            }
            _ => $function($($argument,)* move |sum: i64| ending.apply(sum)),
        }
    }};
}

/// Sums as the words that they become.
fn finish(ending: Ending, sums: &[i64], to: &mut [i64], limited: &mut [bool]) {
    if ending == Ending::default() {
        to.copy_from_slice(sums);
    } else {
        with_ending!(ending, finish_with(sums, to, limited));
    }
}

#[inline(always)]
fn finish_with(
    sums: &[i64],
    to: &mut [i64],
    limited: &mut [bool],
    end: impl Fn(i64) -> (i64, bool),
) {
    for ((sum, word), limited) in sums.iter().zip(to).zip(limited) {
        let (y, acted) = end(*sum);
        *word = y;
        *limited |= acted;
    }
}

/// The words x\[n−1\], x\[n−2\] before the one at a place.
fn before(memory: &[i64], at: usize) -> [i64; 2] {
    [memory[at - 1], memory[at - 2]]
}

fn run_section(section: &SecondOrder, memory: &mut [i64], at: usize, limited: &mut [bool]) {
    let (from, to) = (section.from + at, section.to + at);
    let (x, y) = (before(memory, from), before(memory, to));
    // Streams lie in memory as they are computed.
    let (older, newer) = memory.split_at_mut(to);
    let (words, out) = (&older[from..from + limited.len()], &mut newer[..limited.len()]);
    with_ending!(section.ending, section_with(section, [x, y], words, out, limited));
}

#[inline(always)]
fn section_with(
    section: &SecondOrder,
    [mut x, mut y]: [[i64; 2]; 2],
    words: &[i64],
    out: &mut [i64],
    limited: &mut [bool],
    end: impl Fn(i64) -> (i64, bool),
) {
    for ((word, out), limited) in words.iter().zip(out).zip(limited) {
        let acted = one_sample(section, *word, &mut x, &mut y, &end);
        *out = y[0];
        *limited |= acted;
    }
}

fn run_sections(
    [first, second]: &[SecondOrder; 2],
    memory: &mut [i64],
    at: usize,
    limited: &mut [bool],
) {
    let (from, between, to) = (first.from + at, first.to + at, second.to + at);
    let states = [from, between, to].map(|place| before(memory, place));
    let (older, newest) = memory.split_at_mut(to);
    let (older, newer) = older.split_at_mut(between);
    let count = limited.len();
    let words = (&older[from..from + count], &mut newer[..count], &mut newest[..count]);
    with_ending!(first.ending, sections_with([first, second], states, words, limited));
}

/// Two at a time: what they remember stays in registers, and the second works while the first waits for its
/// own output.
#[inline(always)]
fn sections_with(
    [first, second]: [&SecondOrder; 2],
    [mut x, mut between, mut y]: [[i64; 2]; 3],
    (words, middle, out): (&[i64], &mut [i64], &mut [i64]),
    limited: &mut [bool],
    end: impl Fn(i64) -> (i64, bool),
) {
    for (((word, middle), out), limited) in words.iter().zip(middle).zip(out).zip(limited) {
        let mut passed = between;
        let acted = one_sample(first, *word, &mut x, &mut passed, &end);
        let too = one_sample(second, passed[0], &mut between, &mut y, &end);
        *middle = passed[0];
        *out = y[0];
        *limited |= acted | too;
    }
}

/// One sample through one section, and whether its limit changed it.
#[inline(always)]
fn one_sample(
    SecondOrder { b: [b0, b1, b2], c: [c1, c2], .. }: &SecondOrder,
    word: i64,
    x: &mut [i64; 2],
    y: &mut [i64; 2],
    end: &impl Fn(i64) -> (i64, bool),
) -> bool {
    // What waits for the newest output comes last.
    let known = b0
        .wrapping_mul(word)
        .wrapping_add(b1.wrapping_mul(x[0]))
        .wrapping_add(b2.wrapping_mul(x[1]))
        .wrapping_add(c2.wrapping_mul(y[1]));
    let (out, acted) = end(known.wrapping_add(c1.wrapping_mul(y[0])));
    *x = [word, x[0]];
    *y = [out, y[0]];
    acted
}
