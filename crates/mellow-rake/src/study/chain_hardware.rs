//! What hardware of a chain is made of, as objects for programs.

use super::{ChainStudy, ChainStudyError};
use crate::datapath::Checked;
use crate::fixed::WordFormat;
use crate::hardware::{
    Estimate, HardwareError, HardwareRecord, NetworkHardware, NetworkHardwareError, NetworkPart,
};
use crate::network::Mixer;
use crate::spec::Interface;

/// A part of a chain in hardware, as an object for programs.
#[derive(Debug, Clone)]
#[cfg_attr(feature = "serde", derive(serde::Serialize))]
#[non_exhaustive]
pub struct ChainPartRecord {
    /// `unit` for a program on multipliers, `sums` for one without products, `keep` and `fill` for counters,
    /// `mixer` for a mixer.
    pub what: &'static str,
    /// How many of it there are side by side; the figures below are those of one.
    pub lanes: usize,
    /// Words side by side in a sample that one of it works for.
    pub in_turn: usize,
    /// Words that it takes at a time.
    pub words_in: usize,
    /// Words that it gives for them.
    pub words_out: usize,
    /// The rate in hertz of what comes in.
    pub rate_hz: f64,
    /// What comes in.
    pub input: WordFormat,
    /// What goes out.
    pub output: WordFormat,
    /// Its multipliers.
    pub multipliers: usize,
    /// Clocks from firing to firing.
    pub interval: usize,
    /// Clocks that there are for that, if the clock was stated.
    pub clocks_available: Option<u64>,
    /// Clocks from the last word of a firing that is taken to the last that is given.
    pub latency: usize,
    /// Bits that it remembers in memories.
    pub memory_bits: u64,
    /// Bits of its registers, but for marks.
    pub register_bits: u64,
    /// The unit, complete, where it is one.
    pub unit: Option<HardwareRecord>,
}

/// Hardware of a chain, as an object for programs.
#[derive(Debug, Clone)]
#[cfg_attr(feature = "serde", derive(serde::Serialize))]
#[non_exhaustive]
pub struct ChainHardwareRecord {
    /// The clock in hertz, if it was stated.
    pub clock_hz: Option<f64>,
    /// How words come and go.
    pub interface: Interface,
    /// Multipliers of all parts together.
    pub multipliers: usize,
    /// Bits of all memories.
    pub memory_bits: u64,
    /// Bits of all registers, but for marks.
    pub register_bits: u64,
    /// The parts, in the order of the signal.
    pub parts: Vec<ChainPartRecord>,
    /// The steps of oscillators that can be written while it runs, by their addresses from 0 on.
    pub step_registers: Vec<StepRegisterRecord>,
}

/// A step of an oscillator that can be written, as an object for programs.
#[derive(Debug, Clone)]
#[cfg_attr(feature = "serde", derive(serde::Serialize))]
#[non_exhaustive]
pub struct StepRegisterRecord {
    /// Its address.
    pub address: usize,
    /// The number of the part with the oscillator, the first is 1.
    pub part: usize,
    /// Its bits.
    pub bits: u32,
    /// What it is behind a reset.
    pub step: u32,
}

impl ChainStudy {
    /// What its hardware is made of; `None` where the spec asks for no words.
    ///
    /// ```
    /// use mellow_rake::study::ChainStudy;
    /// let text = "name = \"reef\"\nsample_rate = \"96 kHz\"\n[change]\ndown = 4\npass_edge = \"9 kHz\"\n\
    ///             ripple = \"0.2 dB\"\nattenuation = \"60 dB\"\n[fixed]\ninput = \"s16f15\"\n\
    ///             [hardware]\nclock = \"12 MHz\"\n";
    /// let study = ChainStudy::of_text(text, |_| Err("there is none".to_owned()))?;
    /// let record = study.hardware_record()?.expect("it has words");
    /// assert!(record.parts.iter().all(|part| part.clocks_available.unwrap() >= part.interval as u64));
    /// # Ok::<(), mellow_rake::study::ChainStudyError>(())
    /// ```
    ///
    /// # Errors
    /// As of [`hardware`](ChainStudy::hardware).
    pub fn hardware_record(&self) -> Result<Option<ChainHardwareRecord>, ChainStudyError> {
        let Some(hardware) = self.hardware()? else { return Ok(None) };
        let record = ChainHardwareRecord::of(hardware);
        record.map(Some).map_err(|error| ChainStudyError::Hardware {
            place: None,
            error: Box::new(NetworkHardwareError::Written(error)),
        })
    }
}

impl ChainHardwareRecord {
    fn of(hardware: &NetworkHardware) -> Result<Self, HardwareError> {
        let parts: Vec<ChainPartRecord> = (0..hardware.parts().len())
            .map(|index| ChainPartRecord::of(hardware, index))
            .collect::<Result<_, _>>()?;
        Ok(ChainHardwareRecord {
            clock_hz: hardware.clock(),
            interface: hardware.interface(),
            multipliers: hardware.multipliers(),
            memory_bits: parts.iter().map(|part| part.memory_bits * part.lanes as u64).sum(),
            register_bits: parts.iter().map(|part| part.register_bits * part.lanes as u64).sum(),
            parts,
            step_registers: registers(hardware),
        })
    }
}

fn registers(hardware: &NetworkHardware) -> Vec<StepRegisterRecord> {
    let all = hardware.step_registers().into_iter().enumerate();
    let of = |(address, (part, own)): (usize, (usize, usize))| match &hardware.parts()[part] {
        NetworkPart::Mixer { mixer, .. } => {
            let oscillator = &mixer.oscillators()[own];
            let (bits, step) = (oscillator.words().phase_bits, oscillator.step());
            Some(StepRegisterRecord { address, part: part + 1, bits, step })
        }
        _ => None,
    };
    all.filter_map(of).collect()
}

impl ChainPartRecord {
    fn of(hardware: &NetworkHardware, index: usize) -> Result<Self, HardwareError> {
        let part = &hardware.parts()[index];
        let (words_in, words_out) = part.words();
        let rate_hz = hardware.rates()[index];
        let (input, output) = (hardware.formats()[index], hardware.formats()[index + 1]);
        let counter = |factor: usize| u64::from(usize::BITS - (factor - 1).leading_zeros());
        let (what, unit, [memory_bits, register_bits]) = match part {
            NetworkPart::Unit { choice, .. } => {
                let unit = HardwareRecord::of(choice)?;
                let bits = [Estimate::memory_bits, Estimate::register_bits];
                let bits = bits.map(|bits| bits(&unit.estimate));
                ("unit", Some(unit), bits)
            }
            NetworkPart::Sums(program) => {
                ("sums", None, [0, remembered(program) + u64::from(output.width()) + 1])
            }
            NetworkPart::Mixer { mixer, .. } => ("mixer", None, mixer_bits(mixer)),
            NetworkPart::Keep(factor) => ("keep", None, [0, counter(*factor)]),
            NetworkPart::Fill(factor) => ("fill", None, [0, counter(*factor)]),
        };
        let firings = hardware.firings_per_second(index);
        Ok(ChainPartRecord {
            what,
            lanes: hardware.lanes()[index],
            in_turn: hardware.sample_words()[index] / hardware.lanes()[index],
            words_in,
            words_out,
            rate_hz,
            input,
            output,
            multipliers: part.multipliers(),
            interval: part.interval(),
            clocks_available: hardware
                .clock()
                .map(|clock| (clock / firings * (1.0 + 1e-12)) as u64),
            latency: part.latency(),
            memory_bits,
            register_bits,
            unit,
        })
    }
}

/// Bits of the table of a mixer and of its registers.
fn mixer_bits(mixer: &Mixer) -> [u64; 2] {
    let oscillator = mixer.oscillator();
    let (value, words) = (u64::from(oscillator.format().width()), oscillator.words());
    let [input, output] = [mixer.input(), mixer.output()].map(|format| u64::from(format.width()));
    let sums = mixer.terms().iter().filter(|terms| terms.len() > 1).count() as u64;
    let dither = if words.dither.is_some() && oscillator.dropped_bits() > 0 { 32 } else { 0 };
    let own = if mixer.has_loadable_steps() { 2 } else { 1 };
    let phases = u64::from(own * words.phase_bits) * mixer.oscillators().len() as u64 + dither;
    let registers = phases
        + u64::from(words.address_bits - 2)
        + 3 * input
        + value
        + (input + value)
        + (1 + sums) * output;
    [oscillator.quarter().len() as u64 * value, registers]
}

/// Bits of the lines of a program.
fn remembered(program: &Checked) -> u64 {
    let lines = program.datapath().lines.iter();
    let bits = lines.map(|line| (line.rows * line.depth) as u64 * u64::from(line.format.width()));
    bits.sum()
}
