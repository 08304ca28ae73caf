//! Hardware of a network: a unit for each of its programs, one behind the other, all on one clock.

use super::parallel::ParallelMachine;
use super::staged::StagedMachine;
use super::{
    ClockInput, ClockOutput, HardwareChoice, HardwareError, HardwareUnit, Machine, SignalFlow,
    choose,
};
use crate::datapath::{Checked, Simulator};
use crate::fixed::WordFormat;
use crate::network::{Network, Step};
use crate::spec::{Architecture, Hardware, Interface};
use crate::units::SampleRate;

/// What one step of a network becomes.
#[derive(Debug, Clone)]
pub enum NetworkPart {
    /// A program on multipliers.
    Unit {
        /// Them, and why there are so many.
        choice: Box<HardwareChoice>,
        /// The program.
        program: Box<Checked>,
    },
    /// A program without products: all of it in the clock in which its word is taken.
    Sums(Box<Checked>),
    /// A counter: of every so many words the last goes on.
    Keep(usize),
    /// A counter: behind each word so many less one zeros.
    Fill(usize),
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
        for (step, one) in network.steps().iter().enumerate() {
            let (takes, gives) = one.words();
            let at = |error| NetworkHardwareError::Step { step, error };
            let part = part(one, &inside, hertz / takes as f64).map_err(at)?;
            hertz *= gives as f64 / takes as f64;
            if let Step::Fire(program) = one {
                format = program.output();
            }
            // A word a clock at the most goes from part to part.
            if wish.clock.is_some_and(|clock| clock * (1.0 + 1e-12) < hertz) {
                return Err(at(too_slow(hertz)));
            }
            parts.push(part);
            formats.push(format);
            rates.push(hertz);
        }
        Ok(NetworkHardware { parts, formats, rates, interface: wish.interface, clock: wish.clock })
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

    /// How words come and go.
    pub fn interface(&self) -> Interface {
        self.interface
    }

    /// The clock in hertz, if it was stated.
    pub fn clock(&self) -> Option<f64> {
        self.clock
    }

    /// Multipliers of all parts together.
    pub fn multipliers(&self) -> usize {
        self.parts.iter().map(NetworkPart::multipliers).sum()
    }

    /// Clocks behind which all that goes out has gone out, when nothing comes in any more and everything is
    /// taken at once: no less than that.
    pub fn drains_in(&self) -> usize {
        let (mut words, mut clocks) = (0_usize, self.parts.len());
        for part in &self.parts {
            let (takes, gives) = part.words();
            // What comes to it yet, what has come, and what it holds.
            let firings = words.div_ceil(takes) + 1 + part.places().div_ceil(gives);
            clocks += part.latency() + firings * part.interval().max(gives);
            words = firings * gives;
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

/// What a step becomes whose firings are so many a second.
fn part(step: &Step, wish: &Hardware, firings: f64) -> Result<NetworkPart, HardwareError> {
    let program = match step {
        Step::Fire(program) => program,
        Step::Keep(factor) => return Ok(NetworkPart::Keep(*factor)),
        Step::Fill(factor) => return Ok(NetworkPart::Fill(*factor)),
    };
    let is_single = program.datapath().is_per_sample();
    if is_single && program.cost().multiplies_per_sample == 0 {
        return match wish.clock {
            Some(clock) if clock * (1.0 + 1e-12) < firings => Err(too_slow(firings)),
            _ => Ok(NetworkPart::Sums(program.clone())),
        };
    }
    let flow = SignalFlow::of(program)?;
    // A firing of several words is on shared multipliers, whatever the others are.
    let architecture = if is_single { wish.architecture } else { Some(Architecture::Serial) };
    let rate = SampleRate::from_hertz(firings).ok_or_else(|| too_slow(firings))?;
    let choice = choose(&flow, &Hardware { architecture, ..*wish }, rate)?;
    Ok(NetworkPart::Unit { choice: Box::new(choice), program: program.clone() })
}

impl NetworkPart {
    /// Words that it takes at a time, and words that it gives for them.
    pub fn words(&self) -> (usize, usize) {
        match self {
            NetworkPart::Unit { program, .. } => {
                (program.datapath().words_in(), program.datapath().words_out())
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
            _ => 0,
        }
    }

    /// Clocks from firing to firing.
    pub fn interval(&self) -> usize {
        match self {
            NetworkPart::Unit { choice, .. } => choice.unit.interval(),
            _ => 1,
        }
    }

    /// Clocks from the last word of a firing that is taken to the last that is given.
    pub fn latency(&self) -> usize {
        match self {
            NetworkPart::Unit { choice, .. } => choice.unit.latency(),
            NetworkPart::Sums(_) => 1,
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
}

impl<'a> NetworkMachine<'a> {
    /// At power-up: all memory zero.
    ///
    /// # Errors
    /// [`HardwareError::Width`] where a sum is wider than a unit is written for.
    pub fn new(hardware: &'a NetworkHardware) -> Result<Self, HardwareError> {
        let running = |part: &'a NetworkPart| {
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
            })
        };
        let parts = hardware.parts.iter().map(running).collect::<Result<_, _>>()?;
        Ok(NetworkMachine { parts })
    }

    /// What the outputs are in this clock, and what the registers become at its end.
    pub fn clock(&mut self, input: ClockInput) -> ClockOutput {
        // Words stand whether they are taken or not; whether they are is told from the end on.
        let mut offered = vec![input.in_valid.then_some(input.in_data)];
        for part in &self.parts {
            let before = offered[offered.len() - 1];
            offered.push(part.offers(before));
        }
        let mut out_ready = input.out_ready;
        for (part, before) in self.parts.iter_mut().zip(&offered).rev() {
            let own = ClockInput {
                rst: input.rst,
                in_valid: before.is_some(),
                in_data: before.unwrap_or(0),
                out_ready,
                load: None,
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
        }
    }
}
