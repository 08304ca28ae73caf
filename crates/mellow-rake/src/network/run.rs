//! Networks at work: the exact reading, and the definition of what they compute.

use super::{Mixer, Network, Step, interleaved};
use crate::datapath::Simulator;
use crate::fixed::Waves;

/// Words that are worked on at once.
const AT_ONCE: usize = 4096;

/// A network at work, exactly, from the zero state on: blocks of any length give the same integers as the
/// whole.
pub struct NetworkSimulator<'a> {
    /// Each step with the lanes in front of it.
    steps: Vec<(usize, Running<'a>)>,
    /// The words of a sample that is not whole yet.
    begun: Vec<i64>,
    lanes: usize,
}

enum Running<'a> {
    /// One for each lane.
    Fire(Vec<Simulator<'a>>),
    /// Words of a lane until one is kept.
    Keep {
        factor: usize,
        left: usize,
    },
    Fill(usize),
    /// With the waves of the next sample.
    Mix {
        mixer: &'a Mixer,
        waves: Vec<Waves<'a>>,
    },
}

impl Network {
    /// The network in the zero state.
    pub fn start(&self) -> NetworkSimulator<'_> {
        let steps = self.steps().iter().zip(self.lanes()).map(|(step, lanes)| {
            let running = match step {
                Step::Fire(program) => {
                    Running::Fire((0..*lanes).map(|_| Simulator::new(program)).collect())
                }
                Step::Keep(factor) => Running::Keep { factor: *factor, left: *factor },
                Step::Fill(factor) => Running::Fill(*factor),
                Step::Mix(mixer) => {
                    let waves = mixer.oscillators().iter().map(|own| own.waves(0));
                    Running::Mix { mixer, waves: waves.collect() }
                }
            };
            (*lanes, running)
        });
        NetworkSimulator { steps: steps.collect(), begun: Vec::new(), lanes: self.lanes_in() }
    }
}

impl NetworkSimulator<'_> {
    /// The next words; gives those that can be made of them and of what came before. A word beyond the input
    /// format is first brought to its nearest end, as a converter would. The words of a sample stand side
    /// by side; those of one that is not whole wait for the others.
    pub fn run(&mut self, input: &[i64]) -> Vec<i64> {
        let mut output = Vec::new();
        let mut joined = std::mem::take(&mut self.begun);
        let input = match joined.is_empty() {
            true => input,
            false => {
                joined.extend_from_slice(input);
                &joined
            }
        };
        let (whole, begun) = input.split_at(input.len() - input.len() % self.lanes);
        self.begun = begun.to_vec();
        for part in whole.chunks(AT_ONCE * self.lanes) {
            let mut words = part.to_vec();
            for (lanes, step) in &mut self.steps {
                words = step.run(&words, *lanes);
            }
            output.extend_from_slice(&words);
        }
        output
    }

    /// Has an oscillator go on by another step from the next sample of its mixer on, where its steps can be
    /// set: they are numbered from 0 on through all of those mixers. Gives whether there is such an
    /// oscillator.
    pub fn set_step(&mut self, oscillator: usize, step: u32) -> bool {
        let loadable = self.steps.iter_mut().filter_map(|(_, step)| match step {
            Running::Mix { mixer, waves } if mixer.has_loadable_steps() => Some(waves),
            _ => None,
        });
        let found = loadable.flatten().nth(oscillator);
        found.map(|waves| waves.set_step(step)).is_some()
    }

    /// In how many firings so far some limit changed a word, of all programs together.
    pub fn limited_firings(&self) -> u64 {
        let of = |(_, step): &(usize, Running)| match step {
            Running::Fire(lanes) => lanes.iter().map(Simulator::limited_samples).sum(),
            _ => 0,
        };
        self.steps.iter().map(of).sum()
    }
}

impl Running<'_> {
    fn run(&mut self, words: &[i64], lanes: usize) -> Vec<i64> {
        match self {
            Running::Fire(all) => interleaved(words, lanes, |lane, words| all[lane].run(&words)),
            Running::Keep { factor, left } => {
                let count = words.len() / lanes;
                let of_lane = |words: Vec<i64>| {
                    words.into_iter().skip(*left - 1).step_by(*factor).collect::<Vec<_>>()
                };
                let kept = interleaved(words, lanes, |_, words| of_lane(words));
                // Those of this block that no kept word has behind it count for the next one.
                *left = *factor - (count + *factor - *left) % *factor;
                kept
            }
            Running::Fill(factor) => {
                let zeros = (*factor - 1) * lanes;
                let filled = |sample: &[i64]| {
                    sample.iter().copied().chain(std::iter::repeat_n(0, zeros)).collect::<Vec<_>>()
                };
                words.chunks(lanes).flat_map(filled).collect()
            }
            Running::Mix { mixer, waves } => {
                let input = mixer.input();
                let (low, high) = (input.minimum() as i64, input.maximum() as i64);
                let held: Vec<i64> = words.iter().map(|word| *word.max(&low).min(&high)).collect();
                mixer.mixed_on(&held, lanes, waves)
            }
        }
    }
}
