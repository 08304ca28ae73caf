//! A schedule, and the check that makes a scheduled flow of it.

use super::{HardwareError, ScheduleError, SignalFlow, UnitStages};
use crate::spec::{Hardware, Interface};

/// What a schedule may use.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Resources {
    /// Multipliers, 1 to [`Hardware::MOST_MULTIPLIERS`]; all work on the same sum.
    pub multipliers: usize,
    /// Registers of each multiplier: one behind it, the others in front of it; 1 to
    /// [`Hardware::MOST_STAGES`].
    pub multiplier_stages: usize,
    /// Registers on the way of a word, 1 to [`Hardware::MOST_PIPELINING`]: see [`Hardware::pipelining`].
    pub pipelining: usize,
    /// Channels that take turns, 1 to [`Hardware::MOST_CHANNELS`].
    pub channels: usize,
    /// Samples that are taken in one clock, 1 to [`Hardware::MOST_SAMPLES`].
    pub samples_per_clock: usize,
    /// Whether words that share a coefficient are added before they meet it, in sums of eight products or
    /// more.
    pub folds: bool,
    /// How samples come and go.
    pub interface: Interface,
    /// Whether a reset clears the memory, a word a clock; otherwise it is zero at power-up only.
    pub clears_memory: bool,
    /// From how many bits on a memory is marked to become block RAM.
    pub block_ram_bits: u64,
    /// Firings whose results may wait beside those that can be on their way, so that a pause of what takes
    /// them is made up for.
    pub spare_results: usize,
}

impl Default for Resources {
    /// One multiplier of one stage for one channel.
    fn default() -> Self {
        Resources::of(&Hardware::default())
    }
}

impl Resources {
    /// What is wished for: one multiplier where none is stated, and no adder in front of it.
    pub fn of(wish: &Hardware) -> Self {
        Resources {
            multipliers: wish.multipliers.unwrap_or(1),
            multiplier_stages: wish.multiplier_stages,
            pipelining: wish.pipelining.unwrap_or(1),
            channels: wish.channels,
            samples_per_clock: wish.samples_per_clock,
            folds: wish.pre_adder.unwrap_or(false),
            interface: wish.interface,
            clears_memory: wish.clears_memory,
            block_ram_bits: wish.block_ram_bits,
            spare_results: 0,
        }
    }

    pub(super) fn check(&self) -> Result<(), HardwareError> {
        let range = |what, found: usize, most: usize| match (1..=most).contains(&found) {
            true => Ok(()),
            false => Err(HardwareError::Range { what, found, most }),
        };
        range("multipliers", self.multipliers, Hardware::MOST_MULTIPLIERS)?;
        range("stages of a multiplier", self.multiplier_stages, Hardware::MOST_STAGES)?;
        range("levels of pipelining", self.pipelining, Hardware::MOST_PIPELINING)?;
        range("channels", self.channels, Hardware::MOST_CHANNELS)?;
        range("samples per clock", self.samples_per_clock, Hardware::MOST_SAMPLES)?;
        match self.channels > 1 && self.samples_per_clock > 1 {
            true => Err(HardwareError::Turns { channels: self.channels }),
            false => Ok(()),
        }
    }
}

/// When a product begins its way through the unit.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Issue {
    /// The clock, from 0, of the firing's interval.
    pub clock: usize,
    /// The multiplier.
    pub multiplier: usize,
    /// The task.
    pub task: usize,
    /// Which of its products.
    pub product: usize,
}

/// A choice: every product of a flow on a multiplier in a clock. It may be wrong; [`Schedule::check`] tells.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Schedule {
    /// What is to be done.
    pub flow: SignalFlow,
    /// With what.
    pub resources: Resources,
    /// Clocks from sample to sample.
    pub interval: usize,
    /// Clocks that other filters have on the same unit between two samples of this one; 0 where it is alone.
    pub(super) others: usize,
    /// Registers on the way of a word.
    pub(super) stages: UnitStages,
    /// In rising order of clocks and multipliers.
    pub issues: Vec<Issue>,
}

/// A schedule that is right, with what follows from it. Made by [`Schedule::check`] only.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Scheduled {
    schedule: Schedule,
    /// For each task the clocks of its first and last products.
    spans: Vec<(usize, usize)>,
    /// For each signal its slot, `None` where it is not remembered.
    slots: Vec<Option<usize>>,
    words: usize,
}

impl Schedule {
    /// Of a filter that has its unit to itself.
    pub fn new(
        flow: SignalFlow,
        resources: Resources,
        interval: usize,
        issues: Vec<Issue>,
    ) -> Self {
        let stages = UnitStages::of([&flow], resources.pipelining);
        Schedule { flow, resources, interval, others: 0, stages, issues }
    }

    /// Registers on the way of a word that not every unit has.
    pub fn stages(&self) -> UnitStages {
        self.stages
    }

    /// Clocks from the issue of a task's last product to the clock in which its result is written.
    pub fn depth(&self) -> usize {
        4 + self.resources.multiplier_stages + self.adder_levels() + self.stages.count()
    }

    /// Levels of adders between the multipliers and the sum, each of two words.
    pub fn adder_levels(&self) -> usize {
        self.resources.multipliers.next_power_of_two().trailing_zeros() as usize
    }

    /// Checks that every product is issued once, that the sum serves one task at a time, that each word is
    /// written before it is read and before its slot passes on, that no two words are written at once, and
    /// that the words of a firing go out in order.
    ///
    /// A word of age a was given a firings of its channel before. Of one channel the firings begin at least
    /// (`interval` + `others`) · `channels` clocks apart, so what a task writes in clock w of a firing may be
    /// read in clock c, a firings later, if c + a · (interval + others) · channels ≥ w; gaps between samples
    /// only add to the left side.
    ///
    /// # Errors
    /// [`ScheduleError`] names the first clock at which something is wrong.
    pub fn check(self) -> Result<Scheduled, ScheduleError> {
        let spans = self.spans()?;
        self.check_sum(&spans)?;
        let depth = self.depth();
        let turn = self.interval + self.others;
        let period = turn * self.resources.channels;
        for Issue { clock, task, product, .. } in &self.issues {
            let product = self.flow.tasks[*task].products[*product];
            if product.second.is_some() && !self.stages.pre_adder {
                return Err(ScheduleError::PreAdder { clock: *clock, task: *task });
            }
            let words = [Some(product.first), product.second.map(|(_, word)| word)];
            for word in words.into_iter().flatten() {
                let Some(from) = word.signal.checked_sub(1) else { continue };
                let ready = (spans[from].1 + depth).saturating_sub(word.age * period);
                if *clock < ready {
                    return Err(ScheduleError::Early { clock: *clock, task: *task, ready });
                }
            }
        }
        let ends = self.flow.outputs.iter().map(|word| (spans[word.signal - 1].1, word.signal - 1));
        let ends: Vec<(usize, usize)> = ends.collect();
        if let Some(pair) = ends.windows(2).find(|pair| pair[0].0 >= pair[1].0) {
            return Err(ScheduleError::Order { one: pair[0].1, other: pair[1].1 });
        }
        let depths = self.flow.depths();
        let mut writes = vec![None; turn];
        // The input is written in the first clock; where a firing takes several words they wait until the
        // memory is free. Where others have turns the round is not known here: `TimeShared` looks for what is
        // written at once.
        if self.others == 0 && self.flow.takes == 1 {
            writes[0] = Some(usize::MAX);
        }
        for (task, (_, last)) in spans.iter().enumerate() {
            let Some(age) = depths[task + 1] else { continue };
            let write = last + depth;
            if let Some(one) = writes[write % turn].replace(task) {
                return Err(ScheduleError::Port { one, other: task });
            }
            // The slot is the neighbour's after age + 1 firings.
            if write >= (age + 1) * period {
                return Err(ScheduleError::Late { task });
            }
        }
        let mut words = 0;
        let slots = depths.iter().enumerate().map(|(signal, depth)| {
            // The input has the first slot even if nothing reads it.
            let depth = if signal == 0 { Some(depth.unwrap_or(0)) } else { *depth };
            let slot = words;
            words += depth? + 1;
            Some(slot)
        });
        let slots = slots.collect();
        Ok(Scheduled { schedule: self, spans, slots, words })
    }

    /// The clocks of the first and last products of each task, if each is issued once.
    fn spans(&self) -> Result<Vec<(usize, usize)>, ScheduleError> {
        let mut times: Vec<Vec<usize>> =
            self.flow.tasks.iter().map(|task| vec![0; task.products.len()]).collect();
        let mut spans = vec![(usize::MAX, 0); times.len()];
        for Issue { clock, multiplier, task, product } in &self.issues {
            let known = *clock < self.interval && *multiplier < self.resources.multipliers;
            let times = times.get_mut(*task).and_then(|times| times.get_mut(*product));
            let (Some(times), true) = (times, known) else {
                return Err(ScheduleError::Unknown { clock: *clock });
            };
            *times += 1;
            let (first, last) = &mut spans[*task];
            (*first, *last) = ((*first).min(*clock), (*last).max(*clock));
        }
        for (task, times) in times.iter().enumerate() {
            if let Some(product) = times.iter().position(|times| *times != 1) {
                return Err(ScheduleError::Times { task, product, times: times[product] });
            }
        }
        Ok(spans)
    }

    /// One task at a time in the sum, one product at a time on a multiplier.
    fn check_sum(&self, spans: &[(usize, usize)]) -> Result<(), ScheduleError> {
        let mut used = vec![None; self.interval];
        for (task, (first, last)) in spans.iter().enumerate() {
            for (clock, user) in used.iter_mut().enumerate().take(last + 1).skip(*first) {
                if let Some(one) = user.replace(task) {
                    return Err(ScheduleError::Clash { clock, one, other: task });
                }
            }
        }
        let mut taken = vec![None; self.interval * self.resources.multipliers];
        for Issue { clock, multiplier, task, .. } in &self.issues {
            let place = &mut taken[clock * self.resources.multipliers + multiplier];
            if let Some(one) = place.replace(*task) {
                return Err(ScheduleError::Clash { clock: *clock, one, other: *task });
            }
        }
        Ok(())
    }
}

impl Scheduled {
    /// The schedule.
    pub fn schedule(&self) -> &Schedule {
        &self.schedule
    }

    /// The flow that it does.
    pub fn flow(&self) -> &SignalFlow {
        &self.schedule.flow
    }

    /// What it uses.
    pub fn resources(&self) -> Resources {
        self.schedule.resources
    }

    /// The same with room for the results of so many firings more.
    pub(super) fn with_spare_results(mut self, firings: usize) -> Self {
        self.schedule.resources.spare_results = firings;
        self
    }

    /// Clocks from sample to sample, if they come without gaps, or from firing to firing.
    pub fn interval(&self) -> usize {
        self.schedule.interval
    }

    /// Clocks from the one in which a sample is taken to the first in which its output stands; of a firing of
    /// several words from the last that is taken to the last that is given.
    pub fn latency(&self) -> usize {
        let last = self.flow().outputs.iter().map(|word| self.spans[word.signal - 1].1).max();
        last.unwrap_or(0) + self.schedule.depth() + 2
    }

    /// Places for results that wait to be taken: as many as a firing gives for each that can be on its way,
    /// so that without back pressure none is kept waiting. 1 where results cannot wait.
    pub fn output_words(&self) -> usize {
        let firings = (self.latency() + 1).div_ceil(self.interval());
        let firings = firings + self.resources().spare_results;
        match self.resources().interface.waits() {
            false => 1,
            true => firings * self.flow().outputs.len(),
        }
    }

    /// The clocks in which the first and the last products of a task are issued.
    pub fn span(&self, task: usize) -> (usize, usize) {
        self.spans[task]
    }

    /// Whether the result of a task goes out.
    pub fn delivers(&self, task: usize) -> bool {
        self.flow().delivery(task).is_some()
    }

    /// The tasks whose results go out, in the order of these.
    pub fn output_tasks(&self) -> Vec<usize> {
        self.flow().outputs.iter().map(|word| word.signal - 1).collect()
    }

    /// The slot of a signal; `None` where it is not remembered.
    pub fn slot(&self, signal: usize) -> Option<usize> {
        self.slots[signal]
    }

    /// Words of memory for each channel: a power of two, at least 2.
    ///
    /// A firing of several words has all but the last of the next one written while it goes on: these must
    /// not take the place of a word that it reads.
    pub fn memory_words(&self) -> usize {
        (self.words + self.flow().takes - 1).next_power_of_two().max(2)
    }

    /// Words of memory that are used for each channel.
    pub fn used_words(&self) -> usize {
        self.words
    }

    /// The clocks behind the beginning of a firing in which results are written to memory.
    pub(super) fn writes(&self) -> impl Iterator<Item = usize> {
        let depth = self.schedule.depth();
        let remembered =
            self.spans.iter().enumerate().filter(|(task, _)| self.slots[task + 1].is_some());
        remembered.map(move |(_, (_, last))| last + depth)
    }

    /// The same with more clocks, in which nothing is done; `None` where that cannot be.
    pub(super) fn longer(&self, clocks: usize) -> Option<Scheduled> {
        Schedule { interval: clocks, ..self.schedule.clone() }.check().ok()
    }

    /// The share of clocks and multipliers that do something, 0 to 1.
    pub fn use_of_multipliers(&self) -> f64 {
        let places = self.schedule.interval * self.schedule.resources.multipliers;
        self.schedule.issues.len() as f64 / places as f64
    }
}
