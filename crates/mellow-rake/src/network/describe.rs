//! A whole network as data, complete: whoever has it and `docs/arithmetic.md` can build it again, bit for
//! bit.

use super::{JointFact, Mixing, Network, Step};
use crate::datapath::{Description, describe};
use crate::fixed::{Oscillator, WordFormat};

/// A network as plain data. Field names are those of the JSON.
#[derive(Debug, Clone, PartialEq)]
#[cfg_attr(feature = "serde", derive(serde::Serialize))]
#[non_exhaustive]
pub struct NetworkDescription {
    /// Words side by side in a sample that goes in.
    pub lanes: usize,
    /// The format of the words that go in.
    pub input: WordFormat,
    /// The format of the words that come out.
    pub output: WordFormat,
    /// What is done to them, in this order.
    pub steps: Vec<StepDescription>,
    /// The level of what each program gives.
    pub joints: Vec<JointFact>,
}

/// One step.
#[derive(Debug, Clone, PartialEq)]
#[cfg_attr(feature = "serde", derive(serde::Serialize))]
#[cfg_attr(feature = "serde", serde(tag = "step", rename_all = "kebab-case"))]
#[non_exhaustive]
pub enum StepDescription {
    /// A program, fired whenever the words of a firing are there.
    Fire {
        /// The program.
        program: Box<Description>,
    },
    /// Of every so many words the last goes on.
    Keep {
        /// How many.
        factor: usize,
    },
    /// Behind each word so many less one zeros are put in.
    Fill {
        /// How many.
        factor: usize,
    },
    /// Each sample is multiplied by the wave of an oscillator.
    Mix {
        /// What it takes and gives.
        mixing: Mixing,
        /// The format of what it gives.
        format: WordFormat,
        /// Bits of the phase.
        phase_bits: u32,
        /// What the phase grows by with each sample, for each oscillator.
        phase_steps: Vec<u32>,
        /// Whether these can be set while it runs.
        steps_are_loadable: bool,
        /// The seed of the dither of the phase; none without.
        dither: Option<u32>,
        /// Bits of the address.
        address_bits: u32,
        /// A quarter of a turn of the sine.
        quarter: Vec<i64>,
    },
}

/// The whole network as data.
pub fn describe_network(network: &Network) -> NetworkDescription {
    let step = |step: &Step| match step {
        Step::Fire(program) => StepDescription::Fire { program: Box::new(describe(program)) },
        Step::Keep(factor) => StepDescription::Keep { factor: *factor },
        Step::Fill(factor) => StepDescription::Fill { factor: *factor },
        Step::Mix(mixer) => StepDescription::Mix {
            mixing: mixer.mixing(),
            format: mixer.output(),
            phase_bits: mixer.oscillator().words().phase_bits,
            phase_steps: mixer.oscillators().iter().map(Oscillator::step).collect(),
            steps_are_loadable: mixer.has_loadable_steps(),
            dither: mixer.oscillator().words().dither,
            address_bits: mixer.oscillator().words().address_bits,
            quarter: mixer.oscillator().quarter().to_vec(),
        },
    };
    NetworkDescription {
        lanes: network.lanes_in(),
        input: network.input(),
        output: network.output(),
        steps: network.steps().iter().map(step).collect(),
        joints: network.joints().to_vec(),
    }
}
