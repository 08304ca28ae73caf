//! A schedule as data that is complete: with it and the datapath anyone can build the unit again.

use super::{
    Estimate, FlowWord, HardwareChoice, HardwareError, HardwareUnit, Issue, LoadMap, Scheduled,
    Task, TimeSharedChoice,
};
use crate::datapath::Sign;
use crate::fixed::Rounding;
use crate::spec::{Architecture, Interface};

/// A word that is read.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
#[cfg_attr(feature = "serde", derive(serde::Serialize))]
pub struct WordRecord {
    /// The signal: 0 is the input, t + 1 what task t gives.
    pub signal: usize,
    /// How many firings ago it was given.
    pub age: usize,
    /// Its slot in the memory.
    pub slot: usize,
    /// Whether it is subtracted from the word before it.
    pub subtracted: bool,
}

/// A product with its clock.
#[derive(Debug, Clone, PartialEq)]
#[cfg_attr(feature = "serde", derive(serde::Serialize))]
pub struct IssueRecord {
    /// The clock of the interval.
    pub clock: usize,
    /// The multiplier.
    pub multiplier: usize,
    /// The task.
    pub task: usize,
    /// The coefficient as an integer, with its sign; of one that can be loaded what is there at power-up.
    pub coefficient: i64,
    /// The address of the coefficient, where it can be loaded.
    pub address: Option<usize>,
    /// Whether the product is subtracted, once it has been brought to the sum's fraction.
    pub subtracted: bool,
    /// The word that it multiplies, or the two words that are added first.
    pub words: Vec<WordRecord>,
    /// Bits of the product that are dropped, and zeros that are appended then.
    pub dropped: u32,
    /// See `dropped`.
    pub shift: u32,
    /// How, where bits are dropped.
    pub rounding: Option<Rounding>,
}

/// A task: a sum with what is done to it, as the datapath says.
#[derive(Debug, Clone, PartialEq)]
#[cfg_attr(feature = "serde", derive(serde::Serialize))]
pub struct TaskRecord {
    /// The operation of the datapath that gives its result.
    pub node: u32,
    /// The pass of the loop around that.
    pub pass: usize,
    /// The clocks in which its first and its last product are issued.
    pub clocks: [usize; 2],
    /// The slot that its result is written to, `None` where it is not remembered.
    pub slot: Option<usize>,
}

/// Hardware of a filter on shared multipliers.
#[derive(Debug, Clone, PartialEq)]
#[cfg_attr(feature = "serde", derive(serde::Serialize))]
pub struct HardwareRecord {
    /// How the work is laid out.
    pub architecture: Architecture,
    /// The clock in hertz, if it was stated.
    pub clock_hz: Option<f64>,
    /// Clocks that it leaves for a sample, or for several that are taken in one clock.
    pub clocks_available: Option<u64>,
    /// Channels that take turns.
    pub channels: usize,
    /// Samples that are taken in one clock.
    pub samples_per_clock: usize,
    /// Registers of each multiplier.
    pub multiplier_stages: usize,
    /// Levels of pipelining.
    pub pipelining: usize,
    /// How samples come and go.
    pub interface: Interface,
    /// What was chosen, with the reasons.
    pub chosen: Vec<String>,
    /// What it is made of.
    pub estimate: Estimate,
    /// Words of memory of a channel that are used.
    pub words: usize,
    /// The tasks, where multipliers are shared; task t gives signal t + 1.
    pub tasks: Vec<TaskRecord>,
    /// Words that a firing takes.
    pub words_in: usize,
    /// The tasks that give the words that go out in a firing, where multipliers are shared.
    pub output_tasks: Vec<usize>,
    /// Each product with its clock, where multipliers are shared.
    pub schedule: Vec<IssueRecord>,
    /// Where coefficients are written, where they can be loaded.
    pub load_map: Option<LoadMap>,
    /// Units one behind the other, each of which is such a unit and takes what the one before it gives; none
    /// where there is one.
    pub stages: Vec<HardwareRecord>,
    /// Filters that take turns on the unit, in this order; none where there is one.
    pub turns: Vec<TurnRecord>,
}

/// One of the filters that take turns on a unit. Each has a part of the memory of its own.
#[derive(Debug, Clone, PartialEq)]
#[cfg_attr(feature = "serde", derive(serde::Serialize))]
pub struct TurnRecord {
    /// Its name.
    pub name: String,
    /// The clock of a round with which it begins.
    pub start: usize,
    /// Clocks of its turn.
    pub interval: usize,
    /// Clocks from a sample that is taken to its output.
    pub latency: usize,
    /// Words of memory that are used.
    pub words: usize,
    /// The tasks; task t gives signal t + 1.
    pub tasks: Vec<TaskRecord>,
    /// The task that gives what goes out, alone in its list.
    pub output_tasks: Vec<usize>,
    /// Each product with its clock, from the start of the turn on.
    pub schedule: Vec<IssueRecord>,
}

impl HardwareRecord {
    /// Of filters of these names that take turns.
    ///
    /// # Errors
    /// As of [`of`](HardwareRecord::of).
    pub fn of_time_shared(
        choice: &TimeSharedChoice,
        names: &[String],
    ) -> Result<Self, HardwareError> {
        let resources = choice.unit.resources();
        let turn = |((filter, start), name): ((&Scheduled, usize), &String)| TurnRecord {
            name: name.clone(),
            start,
            interval: filter.interval(),
            latency: filter.latency(),
            words: filter.used_words(),
            tasks: tasks(filter),
            output_tasks: filter.output_tasks(),
            schedule: issues(filter),
        };
        let filters = choice.unit.filters();
        Ok(HardwareRecord {
            architecture: Architecture::Serial,
            clock_hz: choice.clock,
            clocks_available: choice.available,
            channels: resources.channels,
            samples_per_clock: 1,
            multiplier_stages: resources.multiplier_stages,
            pipelining: resources.pipelining,
            interface: resources.interface,
            chosen: choice.reasons.clone(),
            estimate: Estimate::of_time_shared(&choice.unit)?,
            words: filters.iter().map(Scheduled::used_words).max().unwrap_or(0),
            tasks: Vec::new(),
            words_in: 1,
            output_tasks: Vec::new(),
            schedule: Vec::new(),
            load_map: None,
            stages: Vec::new(),
            turns: filters.iter().zip(choice.unit.starts()).zip(names).map(turn).collect(),
        })
    }

    /// Of what was chosen.
    ///
    /// # Errors
    /// [`HardwareError::Width`] where a sum is wider than the unit is written for.
    pub fn of(choice: &HardwareChoice) -> Result<Self, HardwareError> {
        let resources = choice.unit.resources();
        let (estimate, tasks, schedule, words) = match &choice.unit {
            HardwareUnit::Staged(staged) => {
                let words = staged.stages().iter().map(Scheduled::used_words).sum();
                (Estimate::of_staged(staged)?, Vec::new(), Vec::new(), words)
            }
            HardwareUnit::Serial(scheduled) => {
                let words = scheduled.used_words();
                (Estimate::of(scheduled)?, tasks(scheduled), issues(scheduled), words)
            }
            HardwareUnit::Parallel(chain) => {
                (Estimate::of_parallel(chain), Vec::new(), Vec::new(), 0)
            }
        };
        Ok(HardwareRecord {
            architecture: match &choice.unit {
                HardwareUnit::Serial(_) | HardwareUnit::Staged(_) => Architecture::Serial,
                HardwareUnit::Parallel(_) => Architecture::Parallel,
            },
            clock_hz: choice.clock,
            clocks_available: choice.available,
            channels: resources.channels,
            samples_per_clock: resources.samples_per_clock,
            multiplier_stages: resources.multiplier_stages,
            pipelining: resources.pipelining,
            interface: resources.interface,
            chosen: choice.reasons.clone(),
            estimate,
            words,
            tasks,
            words_in: choice.unit.flow().takes,
            output_tasks: match &choice.unit {
                HardwareUnit::Serial(scheduled) => scheduled.output_tasks(),
                HardwareUnit::Parallel(_) | HardwareUnit::Staged(_) => Vec::new(),
            },
            stages: match &choice.unit {
                HardwareUnit::Staged(staged) => staged
                    .stages()
                    .iter()
                    .map(|stage| HardwareRecord::of_stage(stage, choice))
                    .collect::<Result<_, _>>()?,
                _ => Vec::new(),
            },
            turns: Vec::new(),
            schedule,
            load_map: choice.unit.flow().load_map.clone(),
        })
    }
}

impl HardwareRecord {
    /// Samples that it can take in a second at a clock in hertz, all channels together.
    pub fn samples_per_second(&self, clock_hz: f64) -> f64 {
        clock_hz * self.samples_per_clock as f64 / self.estimate.interval as f64
    }

    /// One of several units, each by itself.
    fn of_stage(stage: &Scheduled, whole: &HardwareChoice) -> Result<Self, HardwareError> {
        HardwareRecord::of(&HardwareChoice {
            unit: HardwareUnit::Serial(stage.clone()),
            reasons: Vec::new(),
            ..*whole
        })
    }
}

fn tasks(scheduled: &Scheduled) -> Vec<TaskRecord> {
    let record = |(index, task): (usize, &Task)| {
        let (first, last) = scheduled.span(index);
        let slot = scheduled.slot(index + 1);
        TaskRecord { node: task.node.0, pass: task.pass, clocks: [first, last], slot }
    };
    scheduled.flow().tasks.iter().enumerate().map(record).collect()
}

/// Each product of a schedule with its clock.
fn issues(scheduled: &Scheduled) -> Vec<IssueRecord> {
    let record = |issue: &Issue| {
        let product = scheduled.flow().tasks[issue.task].products[issue.product];
        let word = |(sign, word): (Sign, FlowWord)| WordRecord {
            signal: word.signal,
            age: word.age,
            slot: scheduled.slot(word.signal).unwrap_or(0) + word.age,
            subtracted: sign == Sign::Minus,
        };
        IssueRecord {
            clock: issue.clock,
            multiplier: issue.multiplier,
            task: issue.task,
            coefficient: product.coefficient as i64,
            address: product.address,
            subtracted: product.alignment.subtracted,
            words: [Some((Sign::Plus, product.first)), product.second]
                .into_iter()
                .flatten()
                .map(word)
                .collect(),
            dropped: product.alignment.dropped,
            shift: product.alignment.shift,
            rounding: (product.alignment.dropped > 0).then_some(product.alignment.rounding),
        }
    };
    scheduled.schedule().issues.iter().map(record).collect()
}
