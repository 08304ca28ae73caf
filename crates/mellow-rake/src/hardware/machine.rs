//! The unit as registers, stepped clock by clock: what the written hardware does.

use super::program::{Instruction, Lane, UnitProgram};
use super::{HardwareError, Scheduled, TimeShared};
use crate::datapath::Sign;
use std::collections::VecDeque;

/// What stands on the input ports in a clock.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub struct ClockInput {
    /// Reset.
    pub rst: bool,
    /// Whether a sample is offered.
    pub in_valid: bool,
    /// The sample.
    pub in_data: i64,
    /// Whether a sample would be taken.
    pub out_ready: bool,
    /// What is written to the coefficients, or to the steps of oscillators, where they can be loaded.
    pub load: Option<Load>,
}

/// A write to a unit whose coefficients can be loaded: see [`LoadMap`](super::LoadMap). Of a chain to a step
/// of an oscillator: the address is its number.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Load {
    /// The address.
    pub address: usize,
    /// The word, an integer of the tables' format.
    pub data: i64,
}

/// What stands on the output ports in a clock.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub struct ClockOutput {
    /// Whether an offered sample is taken at the end of the clock.
    pub in_ready: bool,
    /// Whether a sample is there.
    pub out_valid: bool,
    /// The sample.
    pub out_data: i64,
    /// Whether the sets of coefficients will change places before the next sample.
    pub load_pending: bool,
}

/// What is on its way through the unit: the step that was issued, for whom.
#[derive(Debug, Clone)]
struct Flight {
    step: usize,
    head: usize,
    channel: usize,
    /// The set of coefficients.
    set: usize,
    /// For each multiplier its operand and its coefficient, from the clock after the memories were read.
    operands: Vec<(i128, i128)>,
}

/// The unit of a schedule, clock by clock.
///
/// ```
/// use mellow_rake::Wish;
/// use mellow_rake::spec::{Fixed, Structure};
/// use mellow_rake::hardware::{ClockInput, Machine, Resources, SignalFlow, schedule};
/// let words = Fixed::new(Structure::DirectForm1, "s16f15".parse()?);
/// let study = Wish::lowpass("1 kHz").cutoff("40 Hz").butterworth(4).words(words).study()?;
/// let flow = SignalFlow::of(&study.integers()?.checked)?;
/// let scheduled = schedule(&flow, Resources::default())?;
/// let mut machine = Machine::new(&scheduled)?;
/// let offered = ClockInput { in_valid: true, in_data: 1000, out_ready: true, ..Default::default() };
/// assert!(machine.clock(offered).in_ready);
/// let idle = ClockInput { out_ready: true, ..Default::default() };
/// let clocks = (1..).find(|_| machine.clock(idle).out_valid).unwrap();
/// assert_eq!(clocks, scheduled.latency());
/// # Ok::<(), Box<dyn std::error::Error>>(())
/// ```
#[derive(Debug)]
pub struct Machine {
    program: UnitProgram,
    /// Channel by channel.
    memory: Vec<i128>,
    /// The place in the memory that is cleared next, while it is.
    clearing: Option<usize>,
    /// Where the word that was taken last is written.
    head: usize,
    /// The same of the last word of the firing that goes on.
    base: usize,
    /// Words that were taken of the next firing.
    filled: usize,
    /// Whether a word was taken in the clock before.
    opens: bool,
    channel: usize,
    /// The clock of the program that is being issued.
    step: Option<usize>,
    /// The sample of it.
    sample: i128,
    /// Who is in which clock after its issue, the first in clock 1.
    flights: Vec<Option<Flight>>,
    sum: i128,
    /// The sum before it is limited, where there is a register for it.
    rounded: i128,
    result: i128,
    /// Results that wait, the oldest first.
    output: VecDeque<i128>,
    /// Samples that were taken and not yet given.
    owed: usize,
    /// Two sets of coefficients where they can be loaded, which of them is used, and whether they will change
    /// places.
    sets: [Vec<i128>; 2],
    active: usize,
    is_pending: bool,
}

impl Machine {
    /// At power-up: all memory zero.
    ///
    /// # Errors
    /// [`HardwareError::Width`] where a sum is wider than the unit is written for.
    pub fn new(scheduled: &Scheduled) -> Result<Self, HardwareError> {
        Ok(Machine::of(UnitProgram::of(scheduled)?))
    }

    /// Of filters that take turns, at power-up.
    ///
    /// # Errors
    /// As of [`new`](Machine::new).
    pub fn of_time_shared(shared: &TimeShared) -> Result<Self, HardwareError> {
        Ok(Machine::of(UnitProgram::of_time_shared(shared)?))
    }

    fn of(program: UnitProgram) -> Self {
        let channels = program.resources.channels;
        let words = program.memory_words * channels.next_power_of_two();
        let set = program.coefficients.as_ref().map_or(Vec::new(), |one| one.words.clone());
        Machine {
            sets: [set.clone(), set],
            active: 0,
            is_pending: false,
            memory: vec![0; words],
            clearing: None,
            head: 0,
            base: 0,
            filled: 0,
            opens: false,
            channel: channels - 1,
            step: None,
            sample: 0,
            flights: vec![None; program.depth],
            sum: 0,
            rounded: 0,
            result: 0,
            output: VecDeque::new(),
            owed: 0,
            program,
        }
    }

    fn instruction(&self, step: usize) -> Option<&Instruction> {
        self.program.instructions[step].as_ref()
    }

    /// The instruction that is so many clocks after its issue, if it ends a sum.
    fn ending(&self, clocks: usize) -> Option<&Instruction> {
        let flight = self.flights[clocks - 1].as_ref()?;
        self.instruction(flight.step).filter(|instruction| instruction.ends)
    }

    /// What the outputs are in this clock: they follow from registers alone.
    pub fn outputs(&self) -> ClockOutput {
        let depth = self.flights.len();
        let is_free =
            self.step.is_none_or(|step| step + 1 == self.program.firing(self.channel).end);
        // A sample is written in its first clock; the memory has one port for that.
        let is_taken = self.ending(depth - 1).is_some_and(|last| last.place.is_some());
        let waits = self.program.resources.interface.waits();
        let [takes, gives] = self.program.firing_words;
        let is_full = waits && self.owed + gives > self.program.output_words;
        // All words of a firing but the last only have to be written.
        let may_go_on = (is_free && !is_full) || self.filled + 1 < takes;
        let in_ready = self.clearing.is_none() && may_go_on && !is_taken;
        ClockOutput {
            in_ready,
            out_valid: !self.output.is_empty(),
            out_data: self.output.front().map_or(0, |word| *word as i64),
            load_pending: self.is_pending,
        }
    }

    /// The same, and what the registers become at the end of the clock.
    pub fn clock(&mut self, input: ClockInput) -> ClockOutput {
        let seen = self.outputs();
        // Read before it is written.
        let used = self.flights[0].as_ref().map(|flight| self.coefficients(flight));
        let (takes, set) = (seen.in_ready && input.in_valid, self.active);
        self.load(input, takes && self.channel + 1 == self.program.resources.channels);
        if input.rst {
            self.reset();
        } else if let Some(place) = self.clearing {
            self.memory[place] = 0;
            self.clearing = (place > 0).then(|| place - 1);
        } else {
            self.edge(input, takes, (set, used));
        }
        seen
    }

    /// What a write does, and whether the sets change places: with a sample that is the first of a round.
    fn load(&mut self, input: ClockInput, takes_first: bool) {
        let Some(words) = &self.program.coefficients else { return };
        if let (Some(load), Some(map)) = (input.load, &self.program.load_map)
            && load.address < words.loadable
        {
            self.sets[1 - self.active][load.address] = map.held(load);
        }
        let changes = takes_first && self.is_pending && !input.rst;
        if changes {
            self.active = 1 - self.active;
        }
        let asks = input.load.is_some_and(|load| load.address == words.loadable);
        self.is_pending = !input.rst && (asks || (self.is_pending && !changes));
    }

    /// The coefficients of a clock.
    fn coefficients(&self, flight: &Flight) -> Vec<i128> {
        let instruction = self.instruction(flight.step).expect("only these are issued");
        let one = |lane: &Lane| match &self.program.coefficients {
            Some(_) => self.sets[flight.set][lane.place],
            None => lane.coefficient,
        };
        instruction.lanes.iter().map(one).collect()
    }

    fn reset(&mut self) {
        (self.step, self.owed) = (None, 0);
        (self.filled, self.opens) = (0, false);
        self.output.clear();
        self.flights.fill(None);
        self.channel = self.program.resources.channels - 1;
        if self.program.resources.clears_memory {
            self.clearing = Some(self.memory.len() - 1);
            self.head = 0;
        }
    }

    /// A word's place among all: the slot as the head has turned it, of its channel.
    fn place(&self, slot: usize, head: usize, channel: usize) -> usize {
        let words = self.program.memory_words;
        channel * words + (slot + head) % words
    }

    fn edge(&mut self, input: ClockInput, takes: bool, (set, used): (usize, Option<Vec<i128>>)) {
        let depth = self.flights.len();
        let words = self.program.memory_words;
        // What is read is read before anything is written.
        let operands = self.flights[0].as_ref().map(|flight| self.operands(flight));
        let is_rounded_apart = self.program.stages.rounding;
        let at_sum = depth - 3 - usize::from(is_rounded_apart);
        let sum = self.flights[at_sum].as_ref().and_then(|flight| self.sum(flight));
        let ending = |clock: usize| Some(&self.program.endings[self.ending(clock)?.ending]);
        let rounded = ending(depth - 2).map(|one| one.rounded(self.sum));
        let result = ending(depth - 1).map(|one| match is_rounded_apart {
            false => one.result(self.sum),
            true => one.limited(self.rounded),
        });
        let gives = !self.program.resources.interface.waits() || input.out_ready;
        if gives && self.output.pop_front().is_some() {
            self.owed -= 1;
        }
        if let (Some(last), Some(flight)) = (self.ending(depth), &self.flights[depth - 1]) {
            let place = last.place.map(|slot| self.place(slot, flight.head, flight.channel));
            if last.delivers {
                self.output.push_back(self.result);
            }
            if let Some(place) = place {
                self.memory[place] = self.result;
            }
        }
        let firing = self.program.firing(self.channel);
        if self.opens {
            let place = self.place(0, self.head, self.channel);
            self.memory[place] = self.sample;
        }
        if let (Some(flight), Some(operands), Some(used)) =
            (self.flights[0].as_mut(), operands, used)
        {
            flight.operands = operands.into_iter().zip(used).collect();
        }
        self.sum = sum.unwrap_or(self.sum);
        self.rounded = rounded.unwrap_or(self.rounded);
        self.result = result.unwrap_or(self.result);
        let issued = self.step.filter(|step| self.instruction(*step).is_some());
        let flight = issued.map(|step| Flight {
            step,
            head: self.base,
            channel: self.channel,
            set,
            operands: Vec::new(),
        });
        self.flights.rotate_right(1);
        self.flights[0] = flight;
        self.step = self.step.map(|step| step + 1).filter(|step| *step < firing.end);
        self.opens = takes;
        if takes {
            self.sample = input.in_data.into();
            self.channel = (self.channel + 1) % self.program.resources.channels;
            if self.channel == 0 {
                self.head = (self.head + words - 1) % words;
            }
            self.filled += 1;
        }
        let [needed, gives] = self.program.firing_words;
        if takes && self.filled == needed {
            self.filled = 0;
            self.base = self.head;
            self.owed += gives;
            self.step = Some(self.program.firing(self.channel).start);
        }
    }

    /// The words that meet the coefficients, as they are in the memory in this clock.
    fn operands(&self, flight: &Flight) -> Vec<i128> {
        let word = |slot: usize| self.memory[self.place(slot, flight.head, flight.channel)];
        let instruction = self.instruction(flight.step).expect("only these are issued");
        let lanes = instruction.lanes.iter();
        let operand = lanes.map(|lane| match lane.second {
            None => word(lane.first),
            Some((Sign::Plus, second)) => word(lane.first) + word(second),
            Some((Sign::Minus, second)) => word(lane.first) - word(second),
        });
        operand.collect()
    }

    /// The sum with the products of a clock.
    fn sum(&self, flight: &Flight) -> Option<i128> {
        let instruction = self.instruction(flight.step)?;
        let begin = self.program.endings[instruction.ending].preload;
        let products = instruction.lanes.iter().zip(&flight.operands).map(|(lane, (word, by))| {
            // A word that goes by the multiplier keeps its own sign.
            let by = if lane.is_wide { lane.coefficient } else { *by };
            self.program.alignments[lane.alignment].of(by * word)
        });
        let sum = if instruction.begins { begin } else { self.sum } + products.sum::<i128>();
        let free = 128 - self.program.sum_bits;
        Some(sum << free >> free)
    }
}
