//! Units one behind the other: a cascade on several multipliers, each with sections of its own.

use super::assign::{Around, schedule_among};
use super::{
    ClockInput, ClockOutput, FlowWord, HardwareError, Machine, Resources, Scheduled, SignalFlow,
};
use crate::spec::Interface;

/// A flow cut where only one word goes on: each part is a unit with a multiplier, a memory and a sum of its
/// own, which hands what it gives to the next. A sample takes no longer than in the slowest of them.
///
/// ```
/// use mellow_rake::Wish;
/// use mellow_rake::hardware::{Resources, SignalFlow, Staged, schedule};
/// use mellow_rake::spec::{Fixed, Structure};
/// let words = Fixed::new(Structure::DirectForm1, "s16f15".parse()?);
/// let study = Wish::lowpass("1 kHz").cutoff("40 Hz").butterworth(8).words(words).study()?;
/// let flow = SignalFlow::of(&study.integers()?.checked)?;
/// let resources = Resources { multipliers: 4, ..Resources::default() };
/// // Four multipliers for one sum have five products at a time to share; for four sums, twenty.
/// let (one, four) = (schedule(&flow, resources)?, Staged::of(&flow, resources)?.unwrap());
/// assert_eq!((four.stages().len(), four.interval()), (4, 5));
/// assert!(one.interval() > 15);
/// # Ok::<(), Box<dyn std::error::Error>>(())
/// ```
#[derive(Debug, Clone, PartialEq)]
pub struct Staged {
    flow: SignalFlow,
    resources: Resources,
    stages: Vec<Scheduled>,
}

impl Staged {
    /// A flow in as many parts as there are multipliers, or as many as it can be cut into, so that the
    /// largest part is as small as can be. `None` where it cannot be cut: where results come back over all
    /// of it, as in a lattice, and where coefficients can be loaded, which is done by one bus.
    ///
    /// # Errors
    /// As of [`schedule`](super::schedule).
    pub fn of(flow: &SignalFlow, resources: Resources) -> Result<Option<Self>, HardwareError> {
        resources.check()?;
        let ends = parts(flow, resources.multipliers);
        if ends.len() < 2 || flow.load_map.is_some() {
            return Ok(None);
        }
        let starts = std::iter::once(0).chain(ends.iter().copied());
        let parts: Vec<(SignalFlow, Resources)> = starts
            .zip(&ends)
            .map(|(first, end)| {
                let is_last = *end == flow.tasks.len();
                let interface = match (is_last, resources.interface) {
                    (true, Interface::Valid) => Interface::Valid,
                    _ => Interface::ValidReady,
                };
                let own = Resources { multipliers: 1, interface, ..resources };
                (part(flow, first, *end), own)
            })
            .collect();
        // All take as long as the slowest: one that is faster would meet samples in clocks in which it is not
        // free, and lose more by that than it had won.
        let mut clocks = 1;
        let stages = loop {
            let stages: Vec<Scheduled> = parts
                .iter()
                .map(|(flow, own)| {
                    schedule_among(flow, *own, Around { clocks, ..Around::default() })
                })
                .collect::<Result<_, _>>()?;
            let slowest = stages.iter().map(Scheduled::interval).max().unwrap_or(1);
            if stages.iter().all(|stage| stage.interval() == slowest) {
                break stages;
            }
            clocks = slowest.max(clocks + 1);
        };
        let resources = Resources { multipliers: stages.len(), ..resources };
        Ok(Some(Staged { flow: flow.clone(), resources, stages }))
    }

    /// The same with room for the results of so many firings more behind each unit.
    pub(super) fn with_spare_results(mut self, firings: usize) -> Self {
        let spared = |stage: Scheduled| stage.with_spare_results(firings);
        self.stages = self.stages.into_iter().map(spared).collect();
        self.resources.spare_results = firings;
        self
    }

    /// The units, in the order that a sample goes through them.
    pub fn stages(&self) -> &[Scheduled] {
        &self.stages
    }

    /// The flow that they do together.
    pub fn flow(&self) -> &SignalFlow {
        &self.flow
    }

    /// What they use together.
    pub fn resources(&self) -> Resources {
        self.resources
    }

    /// Clocks from sample to sample, if they come without gaps: those of each unit.
    pub fn interval(&self) -> usize {
        self.stages.iter().map(Scheduled::interval).max().unwrap_or(1)
    }

    /// Clocks from the one in which a sample is taken to the first in which its output stands, if none is on
    /// its way before it.
    pub fn latency(&self) -> usize {
        self.stages.iter().map(Scheduled::latency).sum()
    }
}

/// Products of the largest part, if a flow is cut into so many parts at most.
pub(super) fn largest_part(flow: &SignalFlow, most: usize) -> usize {
    let ends = parts(flow, most);
    let starts = std::iter::once(&0).chain(&ends);
    let products = |(first, end): (&usize, &usize)| -> usize {
        flow.tasks[*first..*end].iter().map(|task| task.products.len()).sum()
    };
    starts.zip(&ends).map(products).max().unwrap_or(0)
}

/// The tasks in front of which the flow can be cut: behind it only the last result before is used of all that
/// was given in front, and in front nothing of what is given behind.
fn cuts(flow: &SignalFlow) -> Vec<usize> {
    let count = flow.tasks.len();
    if flow.of_single_words().is_err() || flow.outputs[0].signal != count {
        return Vec::new();
    }
    let used = |task: usize| {
        let words = flow.tasks[task].products.iter();
        words.flat_map(|product| [Some(product.first), product.second.map(|(_, word)| word)])
    };
    let signals = |task: usize| used(task).flatten().map(|word: FlowWord| word.signal);
    // Of the tasks up to each the latest signal, of those from each on the earliest.
    let mut latest = vec![0; count + 1];
    for task in 0..count {
        latest[task + 1] = signals(task).fold(latest[task], usize::max);
    }
    let mut earliest = vec![usize::MAX; count + 1];
    for task in (0..count).rev() {
        earliest[task] = signals(task).fold(earliest[task + 1], usize::min);
    }
    (1..count).filter(|cut| latest[*cut] <= *cut && earliest[*cut] >= *cut).collect()
}

/// The end of each of so many parts at most, whose largest has as few products as can be.
fn parts(flow: &SignalFlow, most: usize) -> Vec<usize> {
    let mut ends = cuts(flow);
    ends.push(flow.tasks.len());
    let products: Vec<usize> = flow.tasks.iter().map(|task| task.products.len()).collect();
    let within = |limit: usize| -> Option<Vec<usize>> {
        let (mut chosen, mut first, mut before) = (Vec::new(), 0, 0);
        for end in &ends {
            let size = |first: usize| products[first..*end].iter().sum::<usize>();
            if size(first) > limit {
                // What was before it is a part of its own.
                if before == first || size(before) > limit {
                    return None;
                }
                chosen.push(before);
                first = before;
            }
            before = *end;
        }
        chosen.push(before);
        (chosen.len() <= most).then_some(chosen)
    };
    let (mut low, mut high) = (1, products.iter().sum::<usize>().max(1));
    while low < high {
        let middle = usize::midpoint(low, high);
        match within(middle) {
            Some(_) => high = middle,
            None => low = middle + 1,
        }
    }
    within(low).unwrap_or_default()
}

/// The tasks from one to before another as a flow whose input is what was given in front of them.
fn part(flow: &SignalFlow, first: usize, end: usize) -> SignalFlow {
    let moved = |word: FlowWord| FlowWord { signal: word.signal - first, ..word };
    let mut tasks = flow.tasks[first..end].to_vec();
    for product in tasks.iter_mut().flat_map(|task| &mut task.products) {
        product.first = moved(product.first);
        product.second = product.second.map(|(sign, word)| (sign, moved(word)));
    }
    let outputs = vec![FlowWord { signal: tasks.len(), age: 0 }];
    SignalFlow { input: flow.format(first), tasks, takes: 1, outputs, load_map: None }
}

/// The units as registers, stepped clock by clock.
#[derive(Debug)]
pub struct StagedMachine {
    machines: Vec<Machine>,
}

impl<'a> StagedMachine {
    /// At power-up: all memory zero.
    ///
    /// # Errors
    /// [`HardwareError::Width`] where a sum is wider than a unit is written for.
    pub fn new(staged: &'a Staged) -> Result<Self, HardwareError> {
        let machines = staged.stages.iter().map(Machine::new).collect::<Result<_, _>>()?;
        Ok(StagedMachine { machines })
    }

    /// What the outputs are in this clock, of the first unit that it is ready, of the last the word.
    pub(super) fn outputs(&self) -> ClockOutput {
        let [first, .., last] = &self.machines[..] else { return self.machines[0].outputs() };
        ClockOutput { in_ready: first.outputs().in_ready, ..last.outputs() }
    }

    /// What the outputs are in this clock, and what the registers become at its end.
    pub fn clock(&mut self, input: ClockInput) -> ClockOutput {
        let seen: Vec<ClockOutput> = self.machines.iter().map(Machine::outputs).collect();
        let last = seen.len() - 1;
        for (index, machine) in self.machines.iter_mut().enumerate() {
            let mut own = input;
            if index > 0 {
                own.in_valid = seen[index - 1].out_valid;
                own.in_data = seen[index - 1].out_data;
            }
            if index < last {
                own.out_ready = seen[index + 1].in_ready;
            }
            machine.clock(own);
        }
        ClockOutput { in_ready: seen[0].in_ready, ..seen[last] }
    }
}
