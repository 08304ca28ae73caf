//! The proof: targets on stimuli.

use crate::{Core, Device, Target, ToolName};
use mellow_rake::fixed::WordFormat;
use mellow_rake::float::FloatFilter;
use mellow_rake::implementation::Implementation;
use mellow_rake::network::Step;
use mellow_rake::study::{ChainStudy, ChainStudyError, SharedUnit, Study, StudyError};
use mellow_rake::verify::{ComparisonResult, Stimulus, TargetResult, compare};
use mellow_rake::write::GeneratedFile;
use rayon::prelude::*;

/// What a target must know of a filter.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct TargetWords {
    /// The format of what comes in.
    pub input: WordFormat,
    /// The format of what goes out.
    pub output: WordFormat,
    /// Products for each sample.
    pub products: usize,
    /// Of hardware with registers in between how it takes samples.
    pub unit: Option<UnitPace>,
    /// Words that come out for so many that go in: of a chain, which takes these together at the least.
    pub rates: [usize; 2],
}

/// How a unit of hardware takes samples.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct UnitPace {
    /// Clocks from sample to sample.
    pub clocks: usize,
    /// Channels that take turns.
    pub channels: usize,
    /// Samples that are taken in one clock.
    pub samples_per_clock: usize,
}

impl TargetWords {
    /// The integer filter of a study, in the hardware that its spec asks for.
    ///
    /// # Errors
    /// As of [`Study::integers`] and [`Study::hardware`].
    pub fn of(study: &Study) -> Result<Self, StudyError> {
        let unit = study.hardware()?.map(|choice| {
            let resources = choice.unit.resources();
            UnitPace {
                clocks: choice.unit.interval(),
                channels: resources.channels,
                samples_per_clock: resources.samples_per_clock,
            }
        });
        Ok(TargetWords { unit, ..TargetWords::from(study.integers()?) })
    }

    /// A chain of stages in the hardware that its spec asks for; `None` where it has no words.
    ///
    /// # Errors
    /// As of [`ChainStudy::hardware`].
    pub fn of_chain(study: &ChainStudy) -> Result<Option<Self>, ChainStudyError> {
        let (Some((found, _)), Some(hardware)) = (study.integers(), study.hardware()?) else {
            return Ok(None);
        };
        let steps = found.network.steps().iter().map(Step::words);
        let lanes = [found.network.lanes_out(), found.network.lanes_in()];
        let rates = steps.fold(lanes, |[out, into], (takes, gives)| [out * gives, into * takes]);
        // Of each part the clocks for a word that goes in; all parts are moved in each of them.
        let clocks = hardware.parts().iter().enumerate().map(|(index, part)| {
            let firings = hardware.firings_per_second(index) / hardware.rates()[0];
            (part.interval().max(part.words().1) as f64 * firings).ceil() as usize
        });
        let clocks = clocks.max().unwrap_or(1) * hardware.lanes().iter().sum::<usize>();
        Ok(Some(TargetWords {
            input: found.network.input(),
            output: found.network.output(),
            products: clocks,
            unit: Some(UnitPace { clocks, channels: 1, samples_per_clock: 1 }),
            rates,
        }))
    }

    /// Filters that share a unit; their stimuli are those of [`SharedUnit::in_turn`].
    pub fn of_shared(shared: &SharedUnit<'_>) -> Self {
        let unit = &shared.choice().unit;
        let products = |one: &&Implementation| one.checked.cost().multiplies_per_sample;
        // A sample of each is in the stimuli already, so that a clock's work is that of a turn.
        let clocks = unit.interval().div_ceil(unit.filters().len());
        let pace = UnitPace { clocks, channels: 1, samples_per_clock: 1 };
        TargetWords {
            products: shared.integers().iter().map(products).max().unwrap_or(0),
            unit: Some(pace),
            ..TargetWords::from(shared.integers()[0])
        }
    }
}

impl TargetWords {
    /// How many of so many samples go in, and how many come out of these, where no more than `most` are to go
    /// in. Of a chain they are whole rounds of its stages, one at the least.
    fn shortened(&self, (input, output): (usize, usize), most: usize) -> (usize, usize) {
        let [out, into] = self.rates;
        let rounds = (most / into).max(1);
        match rounds.checked_mul(into).filter(|kept| *kept < input) {
            Some(kept) => (kept, rounds * out),
            None => (input, output),
        }
    }
}

impl From<&Implementation> for TargetWords {
    fn from(implementation: &Implementation) -> Self {
        TargetWords {
            input: implementation.checked.input(),
            output: implementation.checked.output(),
            products: implementation.checked.cost().multiplies_per_sample,
            unit: None,
            rates: [1, 1],
        }
    }
}

/// A filter in floating point, whose words are the bits of numbers, 64 at most.
impl From<&FloatFilter> for TargetWords {
    fn from(filter: &FloatFilter) -> Self {
        let word = WordFormat::new(true, 64, 0).expect("64 bits are a word");
        TargetWords {
            input: word,
            output: word,
            products: filter.rows().concat().len(),
            unit: None,
            rates: [1, 1],
        }
    }
}

/// Runs these targets on these stimuli, and compares with the words that are expected: as many targets at a
/// time as the machine has cores, the results in the order of the targets. `done` is called after every run,
/// of which there is one for each target and stimulus.
pub fn run_targets(
    targets: &[Target],
    filter: TargetWords,
    files: &[GeneratedFile],
    inputs: &[(Stimulus, Vec<i64>)],
    done: &(dyn Fn() + Sync),
) -> Vec<TargetResult> {
    let one = |target: &Target| try_target(*target, filter, files, inputs, done);
    // Simulators of hardware take as long as all others: they begin first, the slowest, which is the last.
    let mut order: Vec<usize> = (0..targets.len()).rev().collect();
    order.sort_by_key(|index| !targets[*index].language().is_hardware());
    let indexed = |index: usize| (index, one(&targets[index]));
    let mut found: Vec<(usize, TargetResult)> =
        order.into_iter().par_bridge().map(indexed).collect();
    found.sort_by_key(|(index, _)| *index);
    found.into_iter().map(|(_, result)| result).collect()
}

/// How many samples of a stimulus a target is given: all of them, but for the emulator that counts clocks,
/// and for a simulator that interprets hardware, which takes some microseconds for each product (GHDL three
/// times as many, bit by bit), so many that a stimulus ends within half a minute.
fn longest(target: Target, filter: TargetWords) -> usize {
    const PRODUCTS: usize = 5_000_000;
    // Each part of a chain has a control of its own, which takes as long again.
    let most = if filter.rates == [1, 1] { PRODUCTS } else { PRODUCTS / 3 };
    let products = filter.products.max(1);
    // A clock of a unit moves some hundred registers, which takes as long as some ten products.
    let work = match filter.unit {
        Some(unit) if unit.clocks > 1 => 10 * unit.clocks * unit.channels,
        Some(unit) => products * unit.channels,
        None => products,
    };
    match target {
        Target::Icarus => (most / work).max(1),
        // Some sixty clocks for each.
        Target::Core(Core::Avr) => (PRODUCTS / products).max(1),
        Target::Ghdl => (most / 10 / products).max(1),
        _ => usize::MAX,
    }
}

/// The simulator of Verilog for stimuli of up to so many samples: Icarus Verilog, which begins at once, and
/// where that would leave some out Verilator, which takes half a minute to build and a hundredth of the time
/// to run, if it is there.
pub fn verilog_simulator(filter: TargetWords, samples: usize) -> Target {
    let is_enough = samples <= longest(Target::Icarus, filter);
    match is_enough || ToolName::VERILATOR.find().is_err() {
        true => Target::Icarus,
        false => Target::Verilator,
    }
}

/// Runs one target on all stimuli.
fn try_target(
    target: Target,
    filter: TargetWords,
    files: &[GeneratedFile],
    inputs: &[(Stimulus, Vec<i64>)],
    done: &(dyn Fn() + Sync),
) -> TargetResult {
    let mut result = TargetResult {
        target: target.as_str(),
        title: target.title(),
        verdict: "failed",
        tool: None,
        reason: None,
        samples: 0,
        comparisons: Vec::new(),
    };
    let device = match Device::build(target, files, filter.input, filter.output) {
        Ok(device) => device,
        Err(error) => {
            if error.is_not_run() {
                result.verdict = "not run";
            }
            result.reason = Some(error.to_string());
            return result;
        }
    };
    result.tool = Some(device.version().to_owned());
    let most = longest(target, filter);
    // Channels that take turns all get the same: each must give what it would give alone.
    let pace = filter.unit.filter(|_| target.language().is_hardware());
    let channels = pace.map_or(1, |pace| pace.channels);
    let per_clock = pace.map_or(1, |pace| pace.samples_per_clock);
    // A clock has all of its samples: zeros stand in front, which give zeros.
    let laid_out = |words: &[i64]| -> Vec<i64> {
        let missing = words.len().next_multiple_of(per_clock) - words.len();
        let in_channels = words.iter().flat_map(|word| std::iter::repeat_n(*word, channels));
        std::iter::repeat_n(0, missing).chain(in_channels).collect()
    };
    let device = device.samples_per_clock(per_clock);
    for (stimulus, expected) in inputs {
        let all = (stimulus.samples.len(), expected.len());
        let (kept, given) = filter.shortened(all, most);
        let (samples, expected) = (stimulus.samples[..kept].to_vec(), expected[..given].to_vec());
        let (samples, expected) = (laid_out(&samples), laid_out(&expected));
        let answers = match device.run(&samples, &expected) {
            Ok(answers) => answers,
            Err(error) => {
                result.reason = Some(format!("{}: {error}", stimulus.name));
                return result;
            }
        };
        done();
        for answer in answers {
            result.samples += answer.words.len();
            result.comparisons.push(ComparisonResult {
                stimulus: stimulus.name,
                manner: answer.manner,
                comparison: compare(&expected, &answer.words),
                own_mismatches: answer.own_mismatches,
                left_out: (stimulus.samples.len() - kept) * channels,
            });
        }
    }
    let equal = result.comparisons.iter().all(ComparisonResult::equal);
    result.verdict = if equal { "equal" } else { "different" };
    result
}
