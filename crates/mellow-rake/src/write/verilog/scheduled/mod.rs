//! A scheduled filter in Verilog: the registers of [`Machine`](crate::hardware::Machine), a line for each.
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

use super::super::{GeneratedFile, Language, Symbols};
use super::bench::{self, Traffic};
use super::opening::opening;
use super::vector::Vector;
use crate::datapath::Checked;
use crate::hardware::{HardwareError, Scheduled, UnitProgram, bits_to};
use crate::spec::Interface;

/// The text of a scheduled filter in Verilog: `NAME.v`, and `NAME_tb.v`, a test bench that offers samples
/// with gaps, takes them with pauses where it may, and checks every one. `checked` is the datapath that the
/// schedule is of.
///
/// ```
/// use mellow_rake::Wish;
/// use mellow_rake::spec::{Fixed, Structure};
/// use mellow_rake::hardware::{Resources, SignalFlow, schedule};
/// use mellow_rake::write::{Symbols, verilog};
/// let words = Fixed::new(Structure::DirectForm1, "s16f15".parse()?);
/// let study = Wish::lowpass("1 kHz").cutoff("40 Hz").butterworth(8).words(words).study()?;
/// let checked = &study.integers()?.checked;
/// let scheduled = schedule(&SignalFlow::of(checked)?, Resources::default())?;
/// let symbols = Symbols::new(&mellow_rake::spec::Name::new("swell")?);
/// let files = verilog::write_scheduled(&scheduled, checked, &symbols)?;
/// // One product is written, and five of each of the four sections share it.
/// assert_eq!(files[0].text.matches("$signed").count(), 2);
/// # Ok::<(), Box<dyn std::error::Error>>(())
/// ```
///
/// # Errors
/// [`HardwareError::Width`] where a sum is wider than the unit is written for.
pub fn write(
    scheduled: &Scheduled,
    checked: &Checked,
    symbols: &Symbols,
) -> Result<Vec<GeneratedFile>, HardwareError> {
    let program = UnitProgram::of(scheduled)?;
    let unit = Unit::new(scheduled, &program, checked);
    // A sample waits for the one before, for the memory to be cleared, for outputs to be taken.
    let words = scheduled.memory_words() * scheduled.resources().channels.next_power_of_two();
    let patience = scheduled.interval() + words + 1_000;
    let traffic = Traffic {
        interface: Some(scheduled.resources().interface),
        latency: scheduled.latency(),
        patience,
    };
    let file = |ending: &str, text: String| GeneratedFile {
        language: Language::Verilog,
        name: format!("{}{ending}", symbols.base()),
        text,
    };
    Ok(vec![
        file(".v", unit.module(symbols.base())),
        file("_tb.v", bench::text(checked, &traffic, symbols.base())),
    ])
}

struct Unit<'a> {
    scheduled: &'a Scheduled,
    program: &'a UnitProgram,
    checked: &'a Checked,
    /// Bits of the number of a clock, of a place of the memory, and of a channel, none for one channel.
    step_bits: u32,
    slot_bits: u32,
    channel_bits: u32,
    /// Clocks from the issue of a product to the writing of its sum's result.
    depth: usize,
    has_pairs: bool,
    /// Whether there is a clock within a sum in which nothing is added.
    has_pauses: bool,
}

/// A bit as a word of so many.
fn one_bit(name: &str, width: u32) -> String {
    if width == 1 { name.to_owned() } else { format!("{{{}'d0, {name}}}", width - 1) }
}

impl<'a> Unit<'a> {
    fn new(scheduled: &'a Scheduled, program: &'a UnitProgram, checked: &'a Checked) -> Self {
        let channels = scheduled.resources().channels;
        let spans = (0..scheduled.flow().tasks.len()).map(|task| scheduled.span(task));
        let has_pauses = spans
            .into_iter()
            .any(|(first, last)| program.instructions[first..=last].iter().any(Option::is_none));
        Unit {
            scheduled,
            program,
            checked,
            step_bits: bits_to(scheduled.interval() - 1),
            slot_bits: bits_to(scheduled.memory_words() - 1),
            channel_bits: if channels > 1 { bits_to(channels - 1) } else { 0 },
            depth: scheduled.schedule().depth(),
            has_pairs: scheduled.schedule().has_pairs(),
            has_pauses,
        }
    }

    fn lanes(&self) -> usize {
        self.scheduled.resources().multipliers
    }

    fn waits(&self) -> bool {
        self.scheduled.resources().interface == Interface::ValidReady
    }

    /// Bits that count the samples on their way.
    fn owed_bits(&self) -> u32 {
        bits_to(self.scheduled.output_words())
    }

    /// Clocks behind the issue in which products are added.
    fn sum_clock(&self) -> usize {
        self.depth - 2
    }

    /// Bits of what meets a coefficient, of the word that goes by it, and of the product.
    fn operand_bits(&self) -> u32 {
        let plain =
            if self.has_pairs { self.program.operand_bits } else { self.program.memory_bits };
        plain.max(self.program.wide_bits.unwrap_or(0))
    }

    /// The operand behind its register.
    fn operand(&self, lane: usize) -> Vector {
        let stem = if self.has_pairs { "pair" } else { "first" };
        Vector { name: format!("{stem}_{lane}"), width: self.operand_bits(), signed: true }
    }

    fn module(&self, name: &str) -> String {
        let mut text = self.opening(name);
        text.push_str(&self.control());
        text.push_str(&self.marks());
        text.push_str(&self.memories());
        text.push_str(&self.arithmetic());
        text.push_str("endmodule\n\n`default_nettype wire\n");
        text
    }

    fn opening(&self, name: &str) -> String {
        let resources = self.scheduled.resources();
        let (interval, latency) = (self.scheduled.interval(), self.scheduled.latency());
        let number = if resources.multipliers == 1 { "" } else { "s" };
        let mut about = vec![format!(
            "On {} multiplier{number}: a sample every {interval} clocks, its output {latency} clocks later.",
            resources.multipliers
        )];
        if resources.channels > 1 {
            about.push(format!("{} channels take turns, sample by sample.", resources.channels));
        }
        about.push(match resources.clears_memory {
            true => {
                "rst is synchronous; behind it the memory is cleared, a word a clock.".to_owned()
            }
            false => "rst is synchronous and does not clear the memory, which is zero at power-up."
                .to_owned(),
        });
        opening(self.checked, name, &about, self.waits())
    }

    /// Whether any result is remembered.
    fn stores(&self) -> bool {
        self.program.instructions.iter().flatten().any(|one| one.place.is_some())
    }
}
