//! Networks: programs one behind the other, at several sample rates, on integers.
//!
//! A [`Network`] is a list of [`Step`]s. A program is fired as soon as the words of its firing are there;
//! between programs words are kept or zeros are filled in. So a cascade of integrators and combs is three
//! steps, and a change of the rate by 3/2 is an interpolator by 3 and what keeps every second word.
//!
//! [`Network::new`] proves what it can once for all: the level at every joint, the sums whose wraps do no
//! harm, and the error of all roundings together at the output.
//!
//! ```
//! use mellow_rake::datapath::{SumWords, combs, integrators};
//! use mellow_rake::fixed::{Overflow, Rounding};
//! use mellow_rake::network::{Network, Step};
//! // The sum over 4 samples of 8 bits, by two integrators and two combs: words grow by 4 bits.
//! let (word, sum) = ("s8f7".parse()?, "s12f11".parse()?);
//! let words = SumWords { input: word, binary_point_shift: 4, sums: vec![sum; 2], output: None };
//! let first = integrators(&words)?.check()?;
//! let words = SumWords {
//!     input: sum,
//!     binary_point_shift: 0,
//!     output: Some((word, Rounding::HalfUp, Overflow::Saturate)),
//!     ..words
//! };
//! let second = combs(&words, 1)?.check()?;
//! let mean = Network::new(vec![Step::fire(first), Step::Keep(4), Step::fire(second)])?;
//! assert!(mean.joints().iter().all(|joint| joint.fits));
//! assert_eq!(mean.start().run(&[127; 12]), [79, 127, 127]);
//! # Ok::<(), Box<dyn std::error::Error>>(())
//! ```

mod block;
mod describe;
mod facts;
mod group;
mod run;

pub use describe::{NetworkDescription, StepDescription, describe_network};
pub use facts::JointFact;
pub use run::NetworkSimulator;

use crate::datapath::{Checked, ErrorBound, NoisePrediction, NotPredicted};
use crate::fixed::WordFormat;
use block::Block;

/// One step of a network.
#[derive(Debug, Clone)]
pub enum Step {
    /// A program, fired whenever its words are there.
    Fire(Box<Checked>),
    /// Of every so many words the last goes on.
    Keep(usize),
    /// Behind each word so many less one zeros are put in.
    Fill(usize),
}

impl Step {
    /// A program that is fired.
    pub fn fire(program: Checked) -> Step {
        Step::Fire(Box::new(program))
    }

    /// Words that it takes at a time, and words that it gives for them.
    pub fn words(&self) -> (usize, usize) {
        match self {
            Step::Fire(program) => (program.datapath().words_in(), program.datapath().words_out()),
            Step::Keep(factor) => (*factor, 1),
            Step::Fill(factor) => (1, *factor),
        }
    }
}

/// Why some steps are no network.
#[derive(Debug, Clone, PartialEq, thiserror::Error)]
#[non_exhaustive]
pub enum NetworkError {
    /// There is no program in it.
    #[error("a network has no program; at least one that is fired is wanted")]
    NoProgram,
    /// A program with several ports.
    #[error(
        "step {step} has {found} ports; one for what comes in and one for what goes out is accepted"
    )]
    Ports {
        /// The number of the step, the first is 0.
        step: usize,
        /// Its ports.
        found: usize,
    },
    /// A factor out of its range.
    #[error("step {step} keeps or fills by {found}; 1 to {} is accepted", Network::LARGEST_FACTOR)]
    Factor {
        /// The number of the step, the first is 0.
        step: usize,
        /// The factor.
        found: usize,
    },
    /// Words of different formats that meet.
    #[error("step {step} takes {expected}, and what comes is {found}")]
    Format {
        /// The number of the step, the first is 0.
        step: usize,
        /// What it takes.
        expected: WordFormat,
        /// What the step before gives.
        found: WordFormat,
    },
    /// A program whose words grow without end, and nothing around it that makes it a finite sum.
    #[error(
        "step {step}: {why}; integrators are accepted in front of what keeps words and as many combs, or \
         behind combs and what fills in zeros"
    )]
    Unbounded {
        /// The number of the step, the first is 0.
        step: usize,
        /// What the proof says.
        why: String,
    },
    /// Integrators and combs whose last sum does not fit its word.
    #[error(
        "step {step}: the last sum takes {needed} bits and its word {format} wraps; {more} more would do"
    )]
    Sum {
        /// The number of the step, the first is 0.
        step: usize,
        /// Bits that it needs.
        needed: u32,
        /// Its word.
        format: WordFormat,
        /// Bits missing.
        more: u32,
    },
    /// Rates that meet again only after very many words.
    #[error("the steps meet again after more than {} words", Network::LONGEST_FRAME)]
    Frame,
}

/// Steps one behind the other, with what is proved about them. Made by [`Network::new`] only.
#[derive(Debug, Clone)]
pub struct Network {
    steps: Vec<Step>,
    blocks: Vec<Block>,
    joints: Vec<JointFact>,
    error: ErrorBound,
    noise: Result<NoisePrediction, NotPredicted>,
}

impl Network {
    /// The largest factor of a step that keeps or fills.
    pub const LARGEST_FACTOR: usize = 4096;

    /// The most words that may go in before all steps begin anew.
    pub const LONGEST_FRAME: usize = 1 << 20;

    /// Checks some steps and finds out what can be proved about them.
    ///
    /// # Errors
    /// [`NetworkError`] names the step, the first of which has number 0, what was found and what would do.
    pub fn new(steps: Vec<Step>) -> Result<Network, NetworkError> {
        check(&steps)?;
        let blocks = block::blocks(&steps)?;
        let found = facts::find(&blocks, input_of(&steps))?;
        let facts::Found { joints, error, noise } = found;
        Ok(Network { steps, blocks, joints, error, noise })
    }

    /// Its steps.
    pub fn steps(&self) -> &[Step] {
        &self.steps
    }

    /// The format of the words that go in.
    pub fn input(&self) -> WordFormat {
        input_of(&self.steps)
    }

    /// The format of the words that come out.
    pub fn output(&self) -> WordFormat {
        self.blocks.last().map_or(self.input(), |block| block.output)
    }

    /// The level of what each program gives that rounds and limits, in the order of the signal.
    pub fn joints(&self) -> &[JointFact] {
        &self.joints
    }

    /// Whether no limit can ever act.
    pub fn no_limit_acts(&self) -> bool {
        self.joints.iter().all(|joint| joint.fits)
    }

    /// What all roundings together can add to a word that comes out, while no limit acts: fixed point less
    /// the same steps without roundings.
    pub fn error(&self) -> ErrorBound {
        self.error
    }

    /// What the roundings are expected to add on white noise of half scale at every program, an estimate and
    /// no bound; or why nothing is.
    ///
    /// # Errors
    /// As of the first program without a prediction.
    pub fn noise(&self) -> Result<NoisePrediction, NotPredicted> {
        self.noise
    }

    /// What a signal becomes without roundings and limits, from the zero state on, as values.
    ///
    /// It is the linear reading of the same steps: what comes out of it less what
    /// [`start`](Network::start) gives is the error that [`error`](Network::error) bounds.
    pub fn ideal(&self, input: &[f64]) -> Vec<f64> {
        let mut words = input.to_vec();
        for block in &self.blocks {
            words = block.run(&words);
        }
        words
    }
}

/// The format of what goes into the first program.
fn input_of(steps: &[Step]) -> WordFormat {
    let first = steps.iter().find_map(|step| match step {
        Step::Fire(program) => Some(program.input()),
        _ => None,
    });
    first.expect("the check found a program")
}

fn check(steps: &[Step]) -> Result<(), NetworkError> {
    let mut before: Option<WordFormat> = None;
    for (step, one) in steps.iter().enumerate() {
        match one {
            Step::Fire(program) => {
                let datapath = program.datapath();
                let found = datapath.inputs.len() + datapath.outputs.len();
                if found != 2 {
                    return Err(NetworkError::Ports { step, found });
                }
                let expected = program.input();
                if let Some(found) = before.filter(|found| *found != expected) {
                    return Err(NetworkError::Format { step, expected, found });
                }
                before = Some(program.output());
            }
            Step::Keep(found) | Step::Fill(found) => {
                if !(1..=Network::LARGEST_FACTOR).contains(found) {
                    return Err(NetworkError::Factor { step, found: *found });
                }
            }
        }
    }
    before.map(|_| ()).ok_or(NetworkError::NoProgram)
}
