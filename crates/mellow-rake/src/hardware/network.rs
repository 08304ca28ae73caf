//! Hardware of a network: a unit for each of its programs, one behind the other, all on one clock.

use super::mixer::{MIXER_PLACES, MixerMachine, mixer_latency, mixer_products};
use super::parallel::ParallelMachine;
use super::staged::StagedMachine;
use super::{
    ClockInput, ClockOutput, HardwareChoice, HardwareError, HardwareUnit, Load, Machine,
    SignalFlow, choose,
};
use crate::datapath::{Checked, Simulator};
use crate::fixed::WordFormat;
use crate::network::{Mixer, Network, Step};
use crate::spec::{Architecture, Hardware, Interface};
use crate::units::SampleRate;
use std::ops::Range;

/// What one step of a network becomes.
#[derive(Debug, Clone)]
pub enum NetworkPart {
    /// A program on multipliers.
    Unit {
        /// Them, and why there are so many.
        choice: Box<HardwareChoice>,
        /// The program.
        program: Box<Checked>,
        /// Words side by side that one unit works for: it takes and gives those of all of them.
        in_turn: usize,
    },
    /// A program without products: all of it in the clock in which its word is taken.
    Sums(Box<Checked>),
    /// A counter: of every so many words the last goes on.
    Keep(usize),
    /// A counter: behind each word so many less one zeros.
    Fill(usize),
    /// A mixer: one multiplier, and a table of a quarter of a turn of the sine.
    Mixer {
        /// What it computes.
        mixer: Box<Mixer>,
        /// Channels that share it, in turn.
        channels: usize,
    },
}

/// Why a network cannot be built as is wished for.
#[derive(Debug, Clone, PartialEq, thiserror::Error)]
#[non_exhaustive]
pub enum NetworkHardwareError {
    /// A step that cannot.
    #[error("step {step}: {error}")]
    Step {
        /// The number of the step, the first is 0.
        step: usize,
        /// Why.
        error: HardwareError,
    },
    /// A part that is wider than hardware is written for.
    #[error(transparent)]
    Written(HardwareError),
    /// Something that a network does not take.
    #[error("{key} = {found} in hardware of a chain; {accepted} is accepted")]
    Wish {
        /// The key of the table.
        key: &'static str,
        /// What it says.
        found: String,
        /// What it may say.
        accepted: &'static str,
    },
}

impl NetworkHardwareError {
    /// The key of a spec that says what cannot be, such as `hardware.clock`.
    pub fn key(&self) -> String {
        match self {
            NetworkHardwareError::Step { error, .. } | NetworkHardwareError::Written(error) => {
                error.key().to_owned()
            }
            NetworkHardwareError::Wish { key, .. } => format!("hardware.{key}"),
        }
    }
}

/// The hardware of a network: parts one behind the other, each of which hands its words to the next when
/// that is ready.
///
/// Programs with products are units whose multipliers are chosen for the clocks that a firing has, at the
/// rate of its place; sums without products are made in one clock. So a program at a tenth of the rate has
/// ten times as many clocks for each of its products.
///
/// The words of a sample come and go one behind the other. A unit works for all lanes, where there are clocks
/// for that; a mixer, and what rounds and limits behind it, take words as they come. Of other parts each lane
/// has its own, between which words are dealt out and gathered in turn.
///
/// ```
/// use mellow_rake::datapath::fir_decimator;
/// use mellow_rake::fixed::{Overflow, Rounding, round_coefficients};
/// use mellow_rake::hardware::{NetworkHardware, NetworkMachine};
/// use mellow_rake::network::{Network, Step};
/// use mellow_rake::spec::Hardware;
/// let word = "s16f15".parse()?;
/// let taps = round_coefficients(&[vec![0.125; 8]], "s16f15".parse()?)?;
/// let (rounding, overflow) = (Rounding::HalfUp, Overflow::Saturate);
/// let halve = fir_decimator(&taps, 2, word, word, rounding, overflow)?.check()?;
/// let network = Network::new(vec![Step::fire(halve.clone()), Step::fire(halve)])?;
/// let wish = Hardware { clock: Some(1e6), ..Hardware::default() };
/// let built = NetworkHardware::of(&network, &wish, "100 kHz".parse()?)?;
/// // Twenty clocks for a firing of the first, forty for one of the second; eight products each.
/// assert_eq!(built.multipliers(), 2);
/// # Ok::<(), Box<dyn std::error::Error>>(())
/// ```
#[derive(Debug, Clone)]
pub struct NetworkHardware {
    parts: Vec<NetworkPart>,
    /// How many there are of each, side by side.
    lanes: Vec<usize>,
    /// Words that a sample has in front of each, and behind the last.
    words: Vec<usize>,
    formats: Vec<WordFormat>,
    rates: Vec<f64>,
    interface: Interface,
    clock: Option<f64>,
}

impl NetworkHardware {
    /// The hardware of a network whose words come in at a rate.
    ///
    /// # Errors
    /// [`NetworkHardwareError`] names the step, counted from 0, and what would do.
    pub fn of(
        network: &Network,
        wish: &Hardware,
        rate: SampleRate,
    ) -> Result<Self, NetworkHardwareError> {
        check(wish)?;
        let inside = Hardware { interface: Interface::ValidReady, ..*wish };
        let mut hertz = rate.hertz();
        let mut format = network.input();
        let (mut parts, mut formats, mut rates) = (Vec::new(), vec![format], vec![hertz]);
        let mut lanes = Vec::new();
        let in_front = hertz * network.lanes_in() as f64;
        if wish.clock.is_some_and(|clock| clock * (1.0 + 1e-12) < in_front) {
            return Err(NetworkHardwareError::Step { step: 0, error: too_slow(in_front) });
        }
        // A unit behind what fills in zeros is given words as fast as it takes them, and then none; units
        // that are as fast on average but no faster then make each other wait.
        let is_burst = |steps: &[Step]| match steps {
            [Step::Fill(_), Step::Fire(next)] => next.cost().multiplies_per_sample > 0,
            _ => false,
        };
        let has_bursts = network.steps().windows(2).any(is_burst);
        for (step, one) in network.steps().iter().enumerate() {
            let (takes, gives) = one.words();
            let at = |error| NetworkHardwareError::Step { step, error };
            let words = network.lanes()[step];
            let part = part(one, &inside, hertz / takes as f64, words, has_bursts).map_err(at)?;
            hertz *= gives as f64 / takes as f64;
            match one {
                Step::Fire(program) => format = program.output(),
                Step::Mix(mixer) => format = mixer.output(),
                Step::Keep(_) | Step::Fill(_) => {}
            }
            // A word a clock at the most goes from part to part.
            let behind = hertz * network.lanes()[step + 1] as f64;
            if wish.clock.is_some_and(|clock| clock * (1.0 + 1e-12) < behind) {
                return Err(at(too_slow(behind)));
            }
            lanes.push(if part.is_of_any_lane() { 1 } else { words });
            parts.push(part);
            formats.push(format);
            rates.push(hertz);
        }
        let (interface, clock, words) = (wish.interface, wish.clock, network.lanes().to_vec());
        Ok(NetworkHardware { parts, lanes, words, formats, rates, interface, clock })
    }

    /// How many there are of each part, side by side: one for each lane where it remembers something.
    pub fn lanes(&self) -> &[usize] {
        &self.lanes
    }

    /// Words that a sample has in front of each part, and behind the last.
    pub fn sample_words(&self) -> &[usize] {
        &self.words
    }

    /// The parts in groups: those of lanes side by side together, all others by themselves.
    pub(crate) fn groups(&self) -> Vec<(usize, Range<usize>)> {
        let mut groups: Vec<(usize, Range<usize>)> = Vec::new();
        for (index, lanes) in self.lanes.iter().enumerate() {
            match groups.last_mut() {
                Some((last, range)) if *lanes > 1 && last == lanes => range.end = index + 1,
                _ => groups.push((*lanes, index..index + 1)),
            }
        }
        groups
    }

    /// The parts, in the order that a word goes through them.
    pub fn parts(&self) -> &[NetworkPart] {
        &self.parts
    }

    /// The words in front of each part, and behind the last.
    pub fn formats(&self) -> &[WordFormat] {
        &self.formats
    }

    /// The words that come in and those that go out.
    pub fn ends(&self) -> [WordFormat; 2] {
        [self.formats[0], self.formats[self.formats.len() - 1]]
    }

    /// The rate in hertz in front of each part, and behind the last.
    pub fn rates(&self) -> &[f64] {
        &self.rates
    }

    /// How often a part is fired in a second, each of those side by side; a mixer once for a sample of all
    /// channels.
    ///
    /// # Panics
    /// Where there is no such part.
    pub fn firings_per_second(&self, part: usize) -> f64 {
        let takes = match &self.parts[part] {
            NetworkPart::Mixer { .. } => 1,
            NetworkPart::Unit { in_turn, .. } => self.parts[part].words().0 / in_turn,
            other => other.words().0,
        };
        self.rates[part] / takes as f64
    }

    /// How words come and go.
    pub fn interface(&self) -> Interface {
        self.interface
    }

    /// The clock in hertz, if it was stated.
    pub fn clock(&self) -> Option<f64> {
        self.clock
    }

    /// The steps that can be written while it runs, in the order of their addresses: the part, and the number
    /// of the oscillator in it.
    pub fn step_registers(&self) -> Vec<(usize, usize)> {
        let of_part = |(index, part): (usize, &NetworkPart)| {
            (0..part.loadable_steps()).map(move |own| (index, own)).collect::<Vec<_>>()
        };
        self.parts.iter().enumerate().flat_map(of_part).collect()
    }

    /// Bits of the address of such a step, and of the widest of them; `None` where there is none.
    pub fn load_bits(&self) -> Option<(u32, u32)> {
        let last = self.step_registers().len().checked_sub(1)?;
        let widths = self.parts.iter().map(|part| match part {
            NetworkPart::Mixer { mixer, .. } => mixer.oscillator().words().phase_bits,
            _ => 0,
        });
        Some((super::bits_to(last), widths.max().unwrap_or(0)))
    }

    /// Multipliers of all parts together.
    pub fn multipliers(&self) -> usize {
        let parts = self.parts.iter().zip(&self.lanes);
        parts.map(|(part, lanes)| part.multipliers() * lanes).sum()
    }

    /// Clocks behind which all that goes out has gone out, when nothing comes in any more and everything is
    /// taken at once: no less than that.
    pub fn drains_in(&self) -> usize {
        let (mut words, mut clocks) = (0_usize, self.parts.len());
        for (part, lanes) in self.parts.iter().zip(&self.lanes) {
            let (takes, gives) = part.words();
            // What comes to it yet, what has come, and what it holds.
            let own = words.div_ceil(*lanes);
            let firings = own.div_ceil(takes) + 1 + part.places().div_ceil(gives);
            clocks += part.latency() + firings * part.interval().max(gives * lanes);
            words = firings * gives * lanes;
        }
        clocks
    }
}

fn check(wish: &Hardware) -> Result<(), NetworkHardwareError> {
    let refused = |key, found, accepted| Err(NetworkHardwareError::Wish { key, found, accepted });
    if wish.channels > 1 {
        return refused("channels", wish.channels.to_string(), "1, with a chain for each channel,");
    }
    if wish.samples_per_clock > 1 {
        return refused("samples_per_clock", wish.samples_per_clock.to_string(), "1");
    }
    if wish.loads_coefficients {
        return refused("coefficients", "\"loadable\"".to_owned(), "\"constant\"");
    }
    Ok(())
}

fn too_slow(hertz: f64) -> HardwareError {
    HardwareError::Clock {
        available: 0,
        needed: 1,
        multipliers: 0,
        remedy: format!("a clock of {} Hz would do", hertz.ceil()),
    }
}

/// What a step becomes whose firings are so many a second for each of the words of a sample.
fn part(
    step: &Step,
    wish: &Hardware,
    firings: f64,
    words: usize,
    has_bursts: bool,
) -> Result<NetworkPart, HardwareError> {
    let program = match step {
        Step::Fire(program) => program,
        Step::Mix(mixer) => {
            let channels = words / mixer.words().0;
            let needed = mixer.products() * channels;
            let available = wish.clock.map(|clock| clock * (1.0 + 1e-12) / firings);
            return match available.filter(|available| *available < needed as f64) {
                Some(available) => Err(HardwareError::Clock {
                    available: available as u64,
                    needed: needed as u64,
                    multipliers: 1,
                    remedy: format!("a clock of {} Hz would do", (firings * needed as f64).ceil()),
                }),
                None => Ok(NetworkPart::Mixer { mixer: mixer.clone(), channels }),
            };
        }
        Step::Keep(factor) => return Ok(NetworkPart::Keep(*factor)),
        Step::Fill(factor) => return Ok(NetworkPart::Fill(*factor)),
    };
    let is_single = program.datapath().is_per_sample();
    if is_single && program.cost().multiplies_per_sample == 0 {
        let part = NetworkPart::Sums(program.clone());
        let firings = if part.is_of_any_lane() { firings * words as f64 } else { firings };
        return match wish.clock {
            Some(clock) if clock * (1.0 + 1e-12) < firings => Err(too_slow(firings)),
            _ => Ok(part),
        };
    }
    let rate = SampleRate::from_hertz(firings).ok_or_else(|| too_slow(firings))?;
    // A firing of several words is on shared multipliers, whatever the others are.
    let unit = |in_turn: usize, architecture: Option<Architecture>| {
        let flow = SignalFlow::of_lanes(program, in_turn)?;
        let mut choice = choose(&flow, &Hardware { architecture, ..*wish }, rate)?;
        choice.unit = choice.unit.with_spare_results(usize::from(has_bursts));
        Ok(NetworkPart::Unit { choice: Box::new(choice), program: program.clone(), in_turn })
    };
    // Where one unit cannot work for all lanes, each has its own. What is wished to be parallel is so where
    // it can be: a recursive program waits for its own results.
    let is_parallel = is_single && wish.architecture == Some(Architecture::Parallel);
    if is_parallel && let Ok(found) = unit(1, wish.architecture) {
        return Ok(found);
    }
    let serial = Some(Architecture::Serial);
    let architecture = if is_single && !is_parallel { wish.architecture } else { serial };
    if words == 1 {
        return unit(1, architecture);
    }
    unit(words, serial).or_else(|_| unit(1, architecture))
}

impl NetworkPart {
    /// Whether one of it takes the words of all lanes as they come: it remembers nothing of them, mixes them,
    /// or works for all.
    fn is_of_any_lane(&self) -> bool {
        match self {
            NetworkPart::Sums(program) => program.datapath().state_words() == 0,
            NetworkPart::Mixer { .. } => true,
            NetworkPart::Unit { in_turn, .. } => *in_turn > 1,
            _ => false,
        }
    }

    /// Steps of oscillators that can be written while it runs.
    pub fn loadable_steps(&self) -> usize {
        match self {
            NetworkPart::Mixer { mixer, .. } if mixer.has_loadable_steps() => {
                mixer.oscillators().len()
            }
            _ => 0,
        }
    }

    /// Words that it takes at a time, and words that it gives for them.
    pub fn words(&self) -> (usize, usize) {
        match self {
            NetworkPart::Mixer { mixer, .. } => mixer.words(),
            NetworkPart::Unit { program, in_turn, .. } => {
                let datapath = program.datapath();
                (datapath.words_in() * in_turn, datapath.words_out() * in_turn)
            }
            NetworkPart::Sums(_) => (1, 1),
            NetworkPart::Keep(factor) => (*factor, 1),
            NetworkPart::Fill(factor) => (1, *factor),
        }
    }

    /// Its multipliers.
    pub fn multipliers(&self) -> usize {
        match self {
            NetworkPart::Unit { choice, .. } => match &choice.unit {
                HardwareUnit::Parallel(chain) => chain.multipliers(),
                unit => unit.resources().multipliers,
            },
            NetworkPart::Mixer { .. } => 1,
            _ => 0,
        }
    }

    /// Clocks from firing to firing.
    pub fn interval(&self) -> usize {
        match self {
            NetworkPart::Unit { choice, .. } => choice.unit.interval(),
            NetworkPart::Mixer { mixer, channels } => mixer_products(mixer, *channels).len(),
            _ => 1,
        }
    }

    /// Clocks from the last word of a firing that is taken to the last that is given.
    pub fn latency(&self) -> usize {
        match self {
            NetworkPart::Unit { choice, .. } => choice.unit.latency(),
            NetworkPart::Sums(_) => 1,
            NetworkPart::Mixer { mixer, .. } => mixer_latency(mixer),
            NetworkPart::Keep(_) | NetworkPart::Fill(_) => 0,
        }
    }

    /// Words that can stand behind it and wait.
    fn places(&self) -> usize {
        match self {
            NetworkPart::Unit { choice, .. } => match &choice.unit {
                HardwareUnit::Serial(scheduled) => scheduled.output_words(),
                HardwareUnit::Staged(staged) => {
                    staged.stages().iter().map(super::Scheduled::output_words).sum()
                }
                HardwareUnit::Parallel(chain) => chain.latency() + 1,
            },
            NetworkPart::Sums(_) => 1,
            NetworkPart::Mixer { .. } => MIXER_PLACES,
            NetworkPart::Keep(_) | NetworkPart::Fill(_) => 0,
        }
    }
}

/// The hardware of a network as registers, stepped clock by clock: what the written hardware does.
pub struct NetworkMachine<'a> {
    parts: Vec<Running<'a>>,
}

enum Running<'a> {
    Serial(Box<Machine>),
    Staged(StagedMachine),
    Parallel(ParallelMachine<'a>),
    Sums {
        program: &'a Checked,
        simulator: Box<Simulator<'a>>,
        standing: Option<i64>,
    },
    /// Words since the last that went on.
    Keep {
        factor: usize,
        count: usize,
    },
    /// Words that were given for the one in front.
    Fill {
        factor: usize,
        count: usize,
    },
    /// With the address of its first step.
    Mixer(Box<MixerMachine<'a>>, usize),
    /// Parts side by side, with the lanes that the next word goes to and comes from.
    Lanes {
        lanes: Vec<Vec<Running<'a>>>,
        to: usize,
        from: usize,
    },
}

/// What stands in front of each of some parts, and behind the last.
fn offered(parts: &[Running<'_>], first: Option<i64>) -> Vec<Option<i64>> {
    let mut all = vec![first];
    for part in parts {
        let before = all[all.len() - 1];
        all.push(part.offers(before));
    }
    all
}

/// Some parts one behind the other at the end of a clock.
fn clock_all(parts: &mut [Running<'_>], input: ClockInput) -> ClockOutput {
    // Words stand whether they are taken or not; whether they are is told from the end on.
    let offered = offered(parts, input.in_valid.then_some(input.in_data));
    let mut out_ready = input.out_ready;
    for (part, before) in parts.iter_mut().zip(&offered).rev() {
        let own = ClockInput {
            rst: input.rst,
            in_valid: before.is_some(),
            in_data: before.unwrap_or(0),
            out_ready,
            load: input.load,
        };
        out_ready = part.clock(own);
    }
    let last = offered[offered.len() - 1];
    ClockOutput {
        in_ready: out_ready,
        out_valid: last.is_some(),
        out_data: last.unwrap_or(0),
        load_pending: false,
    }
}

impl<'a> NetworkMachine<'a> {
    /// At power-up: all memory zero.
    ///
    /// # Errors
    /// [`HardwareError::Width`] where a sum is wider than a unit is written for.
    pub fn new(hardware: &'a NetworkHardware) -> Result<Self, HardwareError> {
        let mut address = 0;
        let mut running = |part: &'a NetworkPart| {
            Ok(match part {
                NetworkPart::Unit { choice, .. } => match &choice.unit {
                    HardwareUnit::Serial(scheduled) => {
                        Running::Serial(Box::new(Machine::new(scheduled)?))
                    }
                    HardwareUnit::Staged(staged) => Running::Staged(StagedMachine::new(staged)?),
                    HardwareUnit::Parallel(chain) => Running::Parallel(ParallelMachine::new(chain)),
                },
                NetworkPart::Sums(program) => Running::Sums {
                    program,
                    simulator: Box::new(Simulator::new(program)),
                    standing: None,
                },
                NetworkPart::Keep(factor) => Running::Keep { factor: *factor, count: 0 },
                NetworkPart::Fill(factor) => Running::Fill { factor: *factor, count: 0 },
                NetworkPart::Mixer { mixer, channels } => {
                    let first = address;
                    address += part.loadable_steps();
                    Running::Mixer(Box::new(MixerMachine::new(mixer, *channels)), first)
                }
            })
        };
        let group = |(lanes, range): (usize, Range<usize>)| {
            let mut all = || hardware.parts[range.clone()].iter().map(&mut running).collect();
            if lanes == 1 {
                return all();
            }
            let lanes = (0..lanes).map(|_| all()).collect::<Result<_, HardwareError>>()?;
            Ok(vec![Running::Lanes { lanes, to: 0, from: 0 }])
        };
        let parts: Vec<Vec<Running<'_>>> =
            hardware.groups().into_iter().map(group).collect::<Result<_, HardwareError>>()?;
        Ok(NetworkMachine { parts: parts.into_iter().flatten().collect() })
    }

    /// What the outputs are in this clock, and what the registers become at its end.
    pub fn clock(&mut self, input: ClockInput) -> ClockOutput {
        clock_all(&mut self.parts, input)
    }
}

impl Running<'_> {
    /// The word that stands behind it, if there is one, where one or none stands in front of it.
    fn offers(&self, before: Option<i64>) -> Option<i64> {
        let standing = |seen: ClockOutput| seen.out_valid.then_some(seen.out_data);
        match self {
            Running::Serial(machine) => standing(machine.outputs()),
            Running::Staged(machine) => standing(machine.outputs()),
            Running::Parallel(machine) => machine.standing(),
            Running::Sums { standing, .. } => *standing,
            Running::Keep { factor, count } => before.filter(|_| count + 1 == *factor),
            Running::Fill { count: 0, .. } => before,
            Running::Fill { .. } => Some(0),
            Running::Mixer(machine, _) => machine.standing(),
            Running::Lanes { lanes, to, from } => {
                let before = before.filter(|_| to == from);
                offered(&lanes[*from], before).last().copied().flatten()
            }
        }
    }

    /// The registers at the end of the clock, and whether what stands in front of it is taken.
    fn clock(&mut self, input: ClockInput) -> bool {
        let ClockInput { rst, in_valid, in_data, out_ready, .. } = input;
        match self {
            Running::Serial(machine) => machine.clock(input).in_ready,
            Running::Staged(machine) => machine.clock(input).in_ready,
            Running::Parallel(machine) => machine.clock(input).in_ready,
            Running::Sums { program, simulator, standing } => {
                let is_free = standing.is_none() || out_ready;
                if rst {
                    (**simulator, *standing) = (Simulator::new(program), None);
                } else if is_free {
                    *standing = in_valid.then(|| simulator.step(in_data));
                }
                is_free
            }
            Running::Keep { factor, count } => {
                let is_last = *count + 1 == *factor;
                let is_free = !is_last || out_ready;
                if rst {
                    *count = 0;
                } else if in_valid && is_free {
                    *count = if is_last { 0 } else { *count + 1 };
                }
                is_free
            }
            Running::Fill { factor, count } => {
                let is_first = *count == 0;
                let gives = out_ready && (in_valid || !is_first);
                if rst {
                    *count = 0;
                } else if gives {
                    *count = if *count + 1 == *factor { 0 } else { *count + 1 };
                }
                is_first && out_ready
            }
            Running::Mixer(machine, first) => {
                let own =
                    |load: Load| load.address.checked_sub(*first).map(|address| (address, load));
                let load = input.load.and_then(own).map(|(address, load)| Load { address, ..load });
                machine.clock(ClockInput { load, ..input }).in_ready
            }
            Running::Lanes { lanes, to, from } => {
                let (next, given, lanes_of) = (*to, *from, lanes.len());
                let mut is_taken = false;
                for (lane, parts) in lanes.iter_mut().enumerate() {
                    let own = ClockInput {
                        in_valid: in_valid && lane == next,
                        out_ready: out_ready && lane == given,
                        ..input
                    };
                    let seen = clock_all(parts, own);
                    if lane == given && seen.out_valid && out_ready {
                        *from = (given + 1) % lanes_of;
                    }
                    if lane == next {
                        is_taken = seen.in_ready;
                    }
                }
                if rst {
                    (*to, *from) = (0, 0);
                } else if in_valid && is_taken {
                    *to = (next + 1) % lanes_of;
                }
                is_taken
            }
        }
    }
}
