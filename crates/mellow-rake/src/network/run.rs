//! Networks at work: the exact reading, and the definition of what they compute.

use super::{Network, Step};
use crate::datapath::Simulator;

/// Words that are worked on at once.
const AT_ONCE: usize = 4096;

/// A network at work, exactly, from the zero state on: blocks of any length give the same integers as the
/// whole.
pub struct NetworkSimulator<'a> {
    steps: Vec<Running<'a>>,
}

enum Running<'a> {
    Fire(Box<Simulator<'a>>),
    /// Words until one is kept.
    Keep {
        factor: usize,
        left: usize,
    },
    Fill(usize),
}

impl Network {
    /// The network in the zero state.
    pub fn start(&self) -> NetworkSimulator<'_> {
        let steps = self.steps().iter().map(|step| match step {
            Step::Fire(program) => Running::Fire(Box::new(Simulator::new(program))),
            Step::Keep(factor) => Running::Keep { factor: *factor, left: *factor },
            Step::Fill(factor) => Running::Fill(*factor),
        });
        NetworkSimulator { steps: steps.collect() }
    }
}

impl NetworkSimulator<'_> {
    /// The next words; gives those that can be made of them and of what came before. A word beyond the input
    /// format is first brought to its nearest end, as a converter would.
    pub fn run(&mut self, input: &[i64]) -> Vec<i64> {
        let mut output = Vec::new();
        for part in input.chunks(AT_ONCE) {
            let mut words = part.to_vec();
            for step in &mut self.steps {
                words = step.run(&words);
            }
            output.extend_from_slice(&words);
        }
        output
    }

    /// In how many firings so far some limit changed a word, of all programs together.
    pub fn limited_firings(&self) -> u64 {
        let of = |step: &Running| match step {
            Running::Fire(simulator) => simulator.limited_samples(),
            _ => 0,
        };
        self.steps.iter().map(of).sum()
    }
}

impl Running<'_> {
    fn run(&mut self, words: &[i64]) -> Vec<i64> {
        match self {
            Running::Fire(simulator) => simulator.run(words),
            Running::Keep { factor, left } => {
                let kept: Vec<i64> =
                    words.iter().skip(*left - 1).step_by(*factor).copied().collect();
                // Those of this block that no kept word has behind it count for the next one.
                let since = (words.len() + *factor - *left) % *factor;
                *left = *factor - since;
                kept
            }
            Running::Fill(factor) => {
                let zeros = *factor - 1;
                let filled =
                    |word: &i64| std::iter::once(*word).chain(std::iter::repeat_n(0, zeros));
                words.iter().flat_map(filled).collect()
            }
        }
    }
}
