//! Networks: programs one behind the other, at several sample rates, on integers.
//!
//! A [`Network`] is a list of [`Step`]s. A program is fired as soon as the words of its firing are there;
//! between programs words are kept or zeros are filled in. So a cascade of integrators and combs is three
//! steps, and a change of the rate by 3/2 is an interpolator by 3 and what keeps every second word.
//!
//! A sample may be several words side by side, its *lanes*: of complex samples the real and the imaginary
//! part, of several channels one behind the other. Every program, and what keeps and fills, does the same to
//! each lane by itself; a [`Mixer`] makes complex samples of real ones and back.
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
mod mixer;
mod run;

pub use describe::{NetworkDescription, StepDescription, describe_network};
pub use facts::JointFact;
pub(crate) use mixer::MixedTerm;
pub use mixer::{Mixer, MixerError, Mixing};
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
    /// Each sample is multiplied by the wave of an oscillator.
    Mix(Box<Mixer>),
}

impl Step {
    /// A program that is fired.
    pub fn fire(program: Checked) -> Step {
        Step::Fire(Box::new(program))
    }

    /// A mixer.
    pub fn mix(mixer: Mixer) -> Step {
        Step::Mix(Box::new(mixer))
    }

    /// Words of a lane that it takes at a time, and words that it gives for them.
    pub fn words(&self) -> (usize, usize) {
        match self {
            Step::Mix(_) => (1, 1),
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
    /// Lanes that are not there, or too many.
    #[error(
        "{found} words stand side by side in a sample; 1 to {} are accepted",
        Network::MOST_LANES
    )]
    Lanes {
        /// Words of a sample.
        found: usize,
    },
    /// A mixer of complex samples where there are none.
    #[error(
        "step {step} mixes samples of {expected} words, or several such, and what comes has {found} side by \
         side"
    )]
    Mixing {
        /// The number of the step, the first is 0.
        step: usize,
        /// Words that it takes.
        expected: usize,
        /// Words that come.
        found: usize,
    },
    /// A mixer of words that are too wide.
    #[error("step {step} mixes words of {found} bits; {most} at the most are accepted")]
    Wide {
        /// The number of the step, the first is 0.
        step: usize,
        /// Bits that go in.
        found: u32,
        /// The most that this mixer takes.
        most: u32,
    },
    /// Rates that meet again only after very many words.
    #[error("the steps meet again after more than {} words", Network::LONGEST_FRAME)]
    Frame,
}

/// Steps one behind the other, with what is proved about them. Made by [`Network::new`] only.
#[derive(Debug, Clone)]
pub struct Network {
    steps: Vec<Step>,
    /// Lanes in front of each step and behind the last.
    lanes: Vec<usize>,
    blocks: Vec<Block>,
    joints: Vec<JointFact>,
    error: ErrorBound,
    noise: Result<NoisePrediction, NotPredicted>,
}

impl Network {
    /// The most words side by side in a sample.
    pub const MOST_LANES: usize = 64;

    /// The largest factor of a step that keeps or fills.
    pub const LARGEST_FACTOR: usize = 4096;

    /// The most words that may go in before all steps begin anew.
    pub const LONGEST_FRAME: usize = 1 << 20;

    /// Checks some steps and finds out what can be proved about them.
    ///
    /// # Errors
    /// [`NetworkError`] names the step, the first of which has number 0, what was found and what would do.
    pub fn new(steps: Vec<Step>) -> Result<Network, NetworkError> {
        Network::of_lanes(1, steps)
    }

    /// The same of samples that are so many words side by side: 2 of complex ones, or those of several
    /// channels.
    ///
    /// # Errors
    /// As of [`new`](Network::new).
    ///
    /// ```
    /// use mellow_rake::datapath::fir_decimator;
    /// use mellow_rake::fixed::{Overflow, Rounding, round_coefficients};
    /// use mellow_rake::network::{Network, Step};
    /// let word = "s16f15".parse()?;
    /// let taps = round_coefficients(&[vec![0.5, 0.5]], "s16f15".parse()?)?;
    /// let halve = fir_decimator(&taps, 2, word, word, Rounding::HalfUp, Overflow::Saturate)?.check()?;
    /// let stereo = Network::of_lanes(2, vec![Step::fire(halve)])?;
    /// assert_eq!(stereo.start().run(&[100, -10, 300, -30]), [200, -20]);
    /// # Ok::<(), Box<dyn std::error::Error>>(())
    /// ```
    pub fn of_lanes(lanes: usize, steps: Vec<Step>) -> Result<Network, NetworkError> {
        let lanes = check(lanes, &steps)?;
        let blocks = block::blocks(&steps)?;
        let found = facts::find(&blocks, input_of(&steps))?;
        let facts::Found { joints, error, noise } = found;
        Ok(Network { steps, lanes, blocks, joints, error, noise })
    }

    /// Words side by side in a sample that goes in.
    pub fn lanes_in(&self) -> usize {
        self.lanes[0]
    }

    /// Words side by side in a sample that comes out.
    pub fn lanes_out(&self) -> usize {
        self.lanes[self.steps.len()]
    }

    /// Words side by side in front of each step, and behind the last.
    pub fn lanes(&self) -> &[usize] {
        &self.lanes
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
            let lanes = self.lanes[block.step];
            words = match &block.mixer {
                Some(mixer) => mixer.mixed_values(&words, lanes),
                None => interleaved(&words, lanes, |_, words| block.run(&words)),
            };
        }
        words
    }
}

/// Words side by side, each lane by itself through something.
fn interleaved<T: Copy>(
    words: &[T],
    lanes: usize,
    mut through: impl FnMut(usize, Vec<T>) -> Vec<T>,
) -> Vec<T> {
    if lanes == 1 {
        return through(0, words.to_vec());
    }
    let of_lane = |lane: usize| words.iter().skip(lane).step_by(lanes).copied().collect();
    let all: Vec<Vec<T>> = (0..lanes).map(|lane| through(lane, of_lane(lane))).collect();
    let count = all.iter().map(Vec::len).min().unwrap_or(0);
    (0..count).flat_map(|at| all.iter().map(move |lane| lane[at])).collect()
}

/// The format of what goes into the first program or mixer.
fn input_of(steps: &[Step]) -> WordFormat {
    let first = steps.iter().find_map(|step| match step {
        Step::Fire(program) => Some(program.input()),
        Step::Mix(mixer) => Some(mixer.input()),
        _ => None,
    });
    first.expect("the check found a program")
}

/// Lanes in front of each step and behind the last.
fn check(lanes: usize, steps: &[Step]) -> Result<Vec<usize>, NetworkError> {
    if !(1..=Network::MOST_LANES).contains(&lanes) {
        return Err(NetworkError::Lanes { found: lanes });
    }
    let mut all = vec![lanes];
    let mut before: Option<WordFormat> = None;
    let mut has_program = false;
    for (step, one) in steps.iter().enumerate() {
        let mut lanes = all[step];
        let (expected, given) = match one {
            Step::Fire(program) => {
                let datapath = program.datapath();
                let found = datapath.inputs.len() + datapath.outputs.len();
                if found != 2 {
                    return Err(NetworkError::Ports { step, found });
                }
                has_program = true;
                (program.input(), program.output())
            }
            Step::Mix(mixer) => {
                let (expected, given) = mixer.words();
                if !lanes.is_multiple_of(expected) {
                    return Err(NetworkError::Mixing { step, expected, found: lanes });
                }
                lanes = lanes / expected * given;
                if lanes > Network::MOST_LANES {
                    return Err(NetworkError::Lanes { found: lanes });
                }
                let (found, most) = (mixer.input().width(), mixer.widest());
                if found > most {
                    return Err(NetworkError::Wide { step, found, most });
                }
                (mixer.input(), mixer.output())
            }
            Step::Keep(found) | Step::Fill(found) => {
                if !(1..=Network::LARGEST_FACTOR).contains(found) {
                    return Err(NetworkError::Factor { step, found: *found });
                }
                all.push(lanes);
                continue;
            }
        };
        if let Some(found) = before.filter(|found| *found != expected) {
            return Err(NetworkError::Format { step, expected, found });
        }
        before = Some(given);
        all.push(lanes);
    }
    if has_program { Ok(all) } else { Err(NetworkError::NoProgram) }
}
