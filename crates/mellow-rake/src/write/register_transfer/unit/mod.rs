//! A scheduled filter: the registers of [`Machine`](crate::hardware::Machine), a line for each.
//!
//! Marks and places are made in the clock of issue and travel beside the data, one register a clock; the
//! ending of a name says how many clocks behind the issue it holds. Memories are written and read in one
//! clocked block each, the address in a register, so that they become block RAM; a product stands alone in
//! its register, so that it becomes one multiplier cell.

mod arithmetic;
mod control;
mod marks;
mod memory;
mod output;

use super::interface::{Around, connect, handed_over};
use super::value::{Kind, Signal};
use super::{Design, Items, LoadBus, Traffic};
use crate::fixed::WordFormat;
use crate::hardware::{HardwareError, Scheduled, TimeShared, UnitProgram, bits_to};

/// The registers of a scheduled filter; `heading` are the lines of comment that come first.
///
/// # Errors
/// [`HardwareError::Width`] where a sum is wider than the unit is written for.
pub(in crate::write) fn design(
    scheduled: &Scheduled,
    heading: Vec<String>,
    name: &str,
) -> Result<Design, HardwareError> {
    let program = UnitProgram::of(scheduled)?;
    Ok(of_program(&program, std::slice::from_ref(scheduled), heading, name))
}

/// The same of filters that take turns.
///
/// # Errors
/// As of [`design`].
pub(in crate::write) fn design_time_shared(
    shared: &TimeShared,
    heading: Vec<String>,
    name: &str,
) -> Result<Design, HardwareError> {
    let program = UnitProgram::of_time_shared(shared)?;
    Ok(of_program(&program, shared.filters(), heading, name))
}

fn of_program(
    program: &UnitProgram,
    filters: &[Scheduled],
    heading: Vec<String>,
    name: &str,
) -> Design {
    let unit = Unit::new(filters, program);
    let mut items = Items::default();
    unit.control(&mut items);
    unit.marks(&mut items);
    unit.memories(&mut items);
    unit.arithmetic(&mut items);
    // A sample waits for the one before, for the memory to be cleared, for outputs to be taken.
    let resources = program.resources;
    let words = program.memory_words * resources.channels.next_power_of_two();
    let interface = resources.interface;
    let map = program.load_map.as_ref();
    let around = Around { formats: unit.formats, interface, samples: 1, is_driven: false };
    let (ports, items) = connect(items, around, map);
    Design {
        name: name.to_owned(),
        parts: Vec::new(),
        about: [heading, unit.about(), handed_over(interface, 1)].concat(),
        ports,
        items,
        traffic: Traffic {
            interface: Some(interface),
            samples: 1,
            changes_rate: unit.takes() != program.firing_words[1],
            latency: program.latency,
            patience: program.instructions.len() + words + 1_000,
            load: map.map(|map| LoadBus {
                address_bits: map.address_bits,
                data_bits: map.data_bits,
                has_pending: true,
            }),
        },
    }
}

struct Unit<'a> {
    /// One, or those that take turns.
    filters: &'a [Scheduled],
    program: &'a UnitProgram,
    /// Of what comes in and of what goes out.
    formats: [WordFormat; 2],
    /// The number of the clock, and the head of the memory.
    step: Signal,
    head: Signal,
    /// Bits of the number of a channel, none for one channel.
    channel_bits: u32,
    /// Clocks from the issue of a product to the writing of its sum's result.
    depth: usize,
    has_pairs: bool,
    /// Whether there is a clock within a sum in which nothing is added.
    has_pauses: bool,
}

impl<'a> Unit<'a> {
    fn new(filters: &'a [Scheduled], program: &'a UnitProgram) -> Self {
        let channels = program.resources.channels;
        let pauses = |(filter, start): (&Scheduled, &usize)| {
            (0..filter.flow().tasks.len()).any(|task| {
                let (first, last) = filter.span(task);
                program.instructions[start + first..=start + last].iter().any(Option::is_none)
            })
        };
        let has_pauses = filters.iter().zip(&program.starts).any(pauses);
        Unit {
            filters,
            program,
            formats: program.formats,
            step: Signal::unsigned("step", bits_to(program.instructions.len() - 1)),
            head: Signal::unsigned("head", bits_to(program.memory_words - 1)),
            channel_bits: if channels > 1 { bits_to(channels - 1) } else { 0 },
            depth: program.depth,
            has_pairs: program.stages.pre_adder,
            has_pauses,
        }
    }

    fn lanes(&self) -> usize {
        self.program.resources.multipliers
    }

    fn waits(&self) -> bool {
        self.program.resources.interface.waits()
    }

    /// Words that a firing takes.
    fn takes(&self) -> usize {
        self.program.firing_words[0]
    }

    /// Words that were taken of the next firing, where it takes several.
    fn filled(&self) -> Signal {
        Signal::unsigned("filled", bits_to(self.takes() - 1))
    }

    /// What is high in the clock in which the last word of a firing is taken.
    fn completes(&self) -> Signal {
        Signal::bit(if self.takes() > 1 { "completes" } else { "takes" })
    }

    /// The head of the firing that goes on.
    fn base(&self) -> Signal {
        match self.takes() {
            1 => self.head.clone(),
            _ => Signal::new("base", self.head.kind),
        }
    }

    /// Samples on their way.
    fn owed(&self) -> Signal {
        Signal::unsigned("owed", bits_to(self.program.output_words))
    }

    /// The channel, where there are several.
    fn channel(&self) -> Option<Signal> {
        (self.channel_bits > 0).then(|| Signal::unsigned("channel", self.channel_bits))
    }

    /// A mark so many clocks behind the issue.
    fn mark_at(&self, name: &str, clock: usize) -> Signal {
        Signal::bit(format!("{name}_{clock}"))
    }

    /// Clocks behind the issue in which products are added.
    fn sum_clock(&self) -> usize {
        self.depth - 2 - usize::from(self.program.stages.rounding)
    }

    /// The sum, and its result in the widest of the words that are remembered or given.
    fn sum(&self) -> Signal {
        Signal::signed("sum", self.program.sum_bits)
    }

    fn result(&self) -> Signal {
        Signal::signed("result", self.program.result_bits)
    }

    /// Bits of what meets a coefficient, of the word that goes by it, and of the product.
    fn operand_bits(&self) -> u32 {
        let plain =
            if self.has_pairs { self.program.operand_bits } else { self.program.memory_bits };
        plain.max(self.program.wide_bits.unwrap_or(0))
    }

    /// The operand behind its register.
    fn operand(&self, lane: usize) -> Signal {
        let stem = if self.has_pairs { "pair" } else { "first" };
        Signal::signed(format!("{stem}_{lane}"), self.operand_bits())
    }

    /// What stands above the design.
    fn about(&self) -> Vec<String> {
        let resources = self.program.resources;
        let (interval, latency) = (self.program.instructions.len(), self.program.latency);
        let number = if resources.multipliers == 1 { "" } else { "s" };
        let on = format!("On {} multiplier{number}", resources.multipliers);
        let mut about = match (self.filters, self.program.firing_words) {
            ([_], [1, 1]) => vec![format!(
                "{on}: a sample every {interval} clocks, its output {latency} clocks later."
            )],
            ([_], [takes, gives]) => vec![format!(
                "{on}: for {takes} in and {gives} out {interval} clocks, the last out {latency} clocks \
                 behind the last in."
            )],
            (filters, _) => {
                let clocks: Vec<String> =
                    filters.iter().map(|filter| filter.interval().to_string()).collect();
                let (last, others) = clocks.split_last().expect("several");
                let clocks = format!("{} and {last}", others.join(", "));
                vec![
                    format!("{on}: {} filters take turns, sample by sample,", filters.len()),
                    format!("of {clocks} clocks; outputs stand up to {latency} clocks later."),
                ]
            }
        };
        if resources.channels > 1 && self.filters.len() == 1 {
            about.push(format!("{} channels take turns, sample by sample.", resources.channels));
        }
        if let Some(map) = &self.program.load_map {
            about.push(format!(
                "Coefficients are loaded by load_write: addresses 0 to {}, and {} has their two sets change",
                map.words() - 1,
                map.switch_address
            ));
            about.push("places with the next sample, until when load_pending is high.".to_owned());
        }
        about.push(match resources.clears_memory {
            true => {
                "rst is synchronous; behind it the memory is cleared, a word a clock.".to_owned()
            }
            false => "rst is synchronous and does not clear the memory, which is zero at power-up."
                .to_owned(),
        });
        about
    }

    /// Whether any result is remembered.
    fn stores(&self) -> bool {
        self.program.instructions.iter().flatten().any(|one| one.place.is_some())
    }

    /// The sample that is taken.
    fn sample(&self) -> Signal {
        Signal::new("sample", Kind::of(self.formats[0]))
    }
}
