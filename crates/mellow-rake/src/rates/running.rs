//! Stages at work.

use super::{Carrier, CarrierWay, Chain, Stage};
use crate::filter::{Form, Running, Taps};

/// Samples that are worked on at once: what is kept of a stage lies in the fastest memory.
const AT_ONCE: usize = 4096;

/// Sums that are made side by side. Their order is fixed, so the numbers are the same on every machine.
const LANES: usize = 8;

/// A stage at work, from the zero state on: blocks of any length give the same numbers as the whole.
#[derive(Debug, Clone)]
pub struct RunningStage(Work);

#[derive(Debug, Clone)]
enum Work {
    Taps(Polyphase),
    /// A recursive filter makes all samples of the rate in between.
    Sections {
        running: Running,
        up: usize,
        down: usize,
        /// Samples of that rate before the next that is kept.
        next: usize,
    },
}

/// Taps, of which only those sums are made that are kept.
#[derive(Debug, Clone)]
struct Polyphase {
    up: usize,
    down: usize,
    /// For each place between two samples its taps, the one for the oldest word first.
    branches: Vec<Vec<f64>>,
    /// The words that are remembered, and behind them those that are worked on.
    line: Vec<f64>,
    /// Where the next output lies behind the first word that comes in, at the rate in between.
    next: usize,
}

impl Stage {
    /// The stage in the zero state.
    pub fn start(&self) -> RunningStage {
        let (up, down) = (self.up(), self.down());
        RunningStage(match self.form() {
            Form::Taps(taps) => Work::Taps(Polyphase::new(taps, up, down)),
            form => Work::Sections { running: form.start(), up, down, next: down - 1 },
        })
    }
}

impl Polyphase {
    fn new(Taps(taps): &Taps, up: usize, down: usize) -> Polyphase {
        let length = taps.len().div_ceil(up);
        let branch = |place: usize| -> Vec<f64> {
            let tap = |age: usize| taps.get(place + up * age).copied().unwrap_or(0.0);
            (0..length).rev().map(tap).collect()
        };
        Polyphase {
            up,
            down,
            branches: (0..up).map(branch).collect(),
            line: vec![0.0; length - 1],
            next: down - 1,
        }
    }

    fn run(&mut self, input: &[f64]) -> Vec<f64> {
        let mut output = Vec::with_capacity(input.len() * self.up / self.down + 1);
        let length = self.branches[0].len();
        // From output to output, without a division for each.
        let (words, places) = (self.down / self.up, self.down % self.up);
        for part in input.chunks(AT_ONCE) {
            self.line.extend_from_slice(part);
            let (mut word, mut place) = (self.next / self.up, self.next % self.up);
            while word < part.len() {
                output.push(product(&self.branches[place], &self.line[word..word + length]));
                word += words;
                place += places;
                if place >= self.up {
                    (word, place) = (word + 1, place - self.up);
                }
            }
            self.next = (word - part.len()) * self.up + place;
            self.line.drain(..part.len());
        }
        output
    }
}

impl RunningStage {
    /// The next samples; gives those that can be made of them and of what came before.
    pub fn run(&mut self, input: &[f64]) -> Vec<f64> {
        let (running, up, down, next) = match &mut self.0 {
            Work::Taps(taps) => return taps.run(input),
            Work::Sections { running, up, down, next } => (running, *up, *down, next),
        };
        let mut output = Vec::with_capacity(input.len() * up / down + 1);
        for part in input.chunks(AT_ONCE.div_ceil(up)) {
            let mut between = vec![0.0; part.len() * up];
            part.iter().zip(between.iter_mut().step_by(up)).for_each(|(word, to)| *to = *word);
            let words = running.run(&between);
            output.extend(words.iter().skip(*next).step_by(down));
            let kept = words.len().saturating_sub(*next).div_ceil(down);
            *next = *next + kept * down - words.len();
        }
        output
    }
}

/// Σ taps·words.
fn product(taps: &[f64], words: &[f64]) -> f64 {
    let (taps, last_taps) = taps.as_chunks::<LANES>();
    let (words, last_words) = words.as_chunks::<LANES>();
    let mut sums = [0.0; LANES];
    for (taps, words) in taps.iter().zip(words) {
        for lane in 0..LANES {
            sums[lane] += taps[lane] * words[lane];
        }
    }
    for (lane, (tap, word)) in last_taps.iter().zip(last_words).enumerate() {
        sums[lane] += tap * word;
    }
    let [a, b, c, d, e, f, g, h] = sums;
    ((a + b) + (c + d)) + ((e + f) + (g + h))
}

/// A chain at work, from the zero state on: blocks of any length give the same numbers as the whole.
#[derive(Debug, Clone)]
pub struct RunningChain {
    /// The stages of each lane.
    lanes: Vec<Vec<RunningStage>>,
    carrier: Option<Carrier>,
    /// The number of the next sample that is mixed.
    next: u64,
    channels: usize,
    /// Words of a sample that goes in, and those of one that is not whole yet.
    words: usize,
    begun: Vec<f64>,
}

impl Chain {
    /// The chain in the zero state.
    pub fn start(&self) -> RunningChain {
        let lanes = self.lanes_in().max(self.lanes_out());
        let stages = || self.stages().iter().map(Stage::start).collect();
        RunningChain {
            lanes: (0..lanes).map(|_| stages()).collect(),
            carrier: self.carrier().cloned(),
            next: 0,
            channels: self.channels(),
            words: self.lanes_in(),
            begun: Vec::new(),
        }
    }
}

impl RunningChain {
    /// The next samples, their words side by side; gives those that can be made of them and of what came
    /// before.
    pub fn run(&mut self, input: &[f64]) -> Vec<f64> {
        if self.lanes.len() == 1 {
            return along(&mut self.lanes[0], input);
        }
        let mut input = [&self.begun[..], input].concat();
        self.begun = input.split_off(input.len() - input.len() % self.words);
        let way = self.carrier.as_ref().map(|carrier| carrier.way);
        if way == Some(CarrierWay::Down) {
            input = self.mixed(&input);
        }
        let count = self.lanes.len();
        let through = |(lane, stages): (usize, &mut Vec<RunningStage>)| {
            let own: Vec<f64> = input.iter().skip(lane).step_by(count).copied().collect();
            along(stages, &own)
        };
        let all: Vec<Vec<f64>> = self.lanes.iter_mut().enumerate().map(through).collect();
        let output: Vec<f64> =
            (0..all[0].len()).flat_map(|at| all.iter().map(move |lane| lane[at])).collect();
        if way == Some(CarrierWay::Up) { self.mixed(&output) } else { output }
    }

    fn mixed(&mut self, words: &[f64]) -> Vec<f64> {
        let Some(carrier) = &self.carrier else { return words.to_vec() };
        let mixed = carrier.mixed(words, self.channels, self.next);
        self.next += (words.len() / self.channels / carrier.lanes()[0]) as u64;
        mixed
    }
}

/// Some samples of one lane through all stages.
fn along(stages: &mut [RunningStage], input: &[f64]) -> Vec<f64> {
    let mut output = Vec::new();
    for part in input.chunks(AT_ONCE) {
        let mut words = part.to_vec();
        for stage in stages.iter_mut() {
            words = stage.run(&words);
        }
        output.extend_from_slice(&words);
    }
    output
}
