//! What a scheduled unit is made of, told before it is built.

use super::program::{bits_to, signed_bits};
use super::{
    ChainTap, CoefficientWords, HardwareError, Joint, Parallel, Scheduled, Staged, TimeShared,
    UnitProgram,
};
use std::collections::BTreeMap;

/// Something that is built so many times at a width.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
#[cfg_attr(feature = "serde", derive(serde::Serialize))]
pub struct Part {
    /// What it is.
    pub what: &'static str,
    /// How many there are.
    pub count: usize,
    /// Bits of each.
    pub bits: u32,
}

impl Part {
    /// Bits of all of them.
    pub fn all_bits(&self) -> u64 {
        self.count as u64 * u64::from(self.bits)
    }
}

/// What a unit is made of, before a synthesizer makes something better of it: registers into multiplier
/// cells, adders into them, what is not used into nothing.
#[derive(Debug, Clone, PartialEq)]
#[cfg_attr(feature = "serde", derive(serde::Serialize))]
pub struct Estimate {
    /// Clocks from sample to sample.
    pub interval: usize,
    /// Clocks from a sample that is taken to its output.
    pub latency: usize,
    /// Multipliers.
    pub multipliers: usize,
    /// Bits of their two factors, with signs.
    pub multiplier_bits: [u32; 2],
    /// The share of multipliers and clocks that do something, 0 to 1.
    pub use_of_multipliers: f64,
    /// Memories: words and coefficients.
    pub memories: Vec<Part>,
    /// Adders and subtractors.
    pub adders: Vec<Part>,
    /// Registers.
    pub registers: Vec<Part>,
}

impl Estimate {
    /// Of a schedule.
    ///
    /// # Errors
    /// [`HardwareError::Width`] where a sum is wider than the unit is written for.
    pub fn of(scheduled: &Scheduled) -> Result<Self, HardwareError> {
        let program = UnitProgram::of(scheduled)?;
        Ok(Self::of_program(&program, scheduled.use_of_multipliers()))
    }

    /// Of filters that take turns: the interval is that of a round.
    ///
    /// # Errors
    /// As of [`Estimate::of`].
    pub fn of_time_shared(shared: &TimeShared) -> Result<Self, HardwareError> {
        let program = UnitProgram::of_time_shared(shared)?;
        Ok(Self::of_program(&program, shared.use_of_multipliers()))
    }

    fn of_program(program: &UnitProgram, use_of_multipliers: f64) -> Self {
        let resources = program.resources;
        let lanes = resources.multipliers;
        let has_pairs = program.stages.pre_adder;
        let copies = lanes + (0..lanes).filter(|lane| program.has_pairs(*lane)).count();
        let channels = resources.channels.next_power_of_two();
        let interval = program.instructions.len();
        let (steps, slots) = (bits_to(interval - 1), bits_to(program.memory_words - 1));
        let part = |what, count, bits| Part { what, count, bits };
        let words = program.memory_words * channels;
        let (memory, coefficient) = (program.memory_bits, program.coefficient_bits);
        let memories = vec![
            part("words, a copy for each read", copies * words, memory),
            match &program.coefficients {
                None => part("coefficients", lanes << steps, coefficient),
                Some(words) => {
                    let places = lanes << (words.place_bits() + 1);
                    part("two sets of coefficients", places, coefficient)
                }
            },
        ];
        let operand = match has_pairs {
            true => program.operand_bits.max(program.wide_bits.unwrap_or(0)),
            false => memory,
        };
        let stores = program.instructions.iter().flatten().any(|one| one.place.is_some());
        let ([input, output], outputs) = (program.formats, program.output_words);
        let mut adders = vec![
            part("sum", 1, program.sum_bits),
            part("sums of products", lanes - 1, program.sum_bits),
            part("pairs", if has_pairs { lanes } else { 0 }, operand),
            part("addresses", copies + usize::from(stores), slots),
            part("counters", 1, steps + slots),
        ];
        adders.retain(|part| part.count > 0);
        let loads = program.coefficients.as_ref().map(CoefficientWords::place_bits);
        let front = resources.multiplier_stages - 1;
        let aligned = usize::from(program.stages.alignment);
        let rounded = usize::from(program.stages.rounding);
        let product = program.operand_bits.min(operand) + coefficient;
        let mut registers = vec![
            part("input", 1, input.width()),
            // Of the step a copy goes to the memory of coefficients, unless places in it do.
            part("steps and head", 1, if loads.is_some() { steps } else { 2 * steps } + slots),
            part("places of coefficients", loads.map_or(0, |_| lanes), loads.unwrap_or(0)),
            part("addresses of words", copies, slots),
            part("addresses of results", if stores { program.depth } else { 0 }, slots),
            part("words", copies, memory),
            part("coefficients", lanes * if has_pairs { 2 } else { 1 }, coefficient),
            part("pairs", if has_pairs { lanes } else { 0 }, operand),
            part("in front of multipliers", lanes * front, operand + coefficient),
            part("products", lanes, product),
            part("words beside products", program.wide_bits.map_or(0, |_| lanes), operand),
            part("sums of products", lanes - 1, program.sum_bits),
            part("aligned products", lanes * aligned, program.sum_bits),
            part("sum", 1, program.sum_bits),
            part("rounded sum", rounded, program.rounded_bits),
            part("result", 1, program.result_bits),
            part("output", outputs, output.width() + 1),
        ];
        if resources.interface.waits() {
            registers.push(part("samples on their way", 1, bits_to(outputs)));
        }
        let takes = program.firing_words[0];
        if takes > 1 {
            registers.push(part("words of a firing", 1, bits_to(takes - 1)));
            registers.push(part("head of a firing", 1, slots));
        }
        registers.retain(|part| part.count > 0);
        Estimate {
            interval,
            latency: program.latency,
            multipliers: lanes,
            multiplier_bits: [program.operand_bits, coefficient],
            use_of_multipliers,
            memories,
            adders,
            registers,
        }
    }

    /// Of units one behind the other: parts of one kind and width together.
    ///
    /// # Errors
    /// As of [`Estimate::of`].
    pub fn of_staged(staged: &Staged) -> Result<Self, HardwareError> {
        let all: Vec<Estimate> =
            staged.stages().iter().map(Estimate::of).collect::<Result<_, _>>()?;
        let joined = |pick: &dyn Fn(&Estimate) -> &Vec<Part>| {
            let mut parts: Vec<Part> = Vec::new();
            for part in all.iter().flat_map(pick) {
                let same = |one: &&mut Part| (one.what, one.bits) == (part.what, part.bits);
                match parts.iter_mut().find(same) {
                    Some(known) => known.count += part.count,
                    None => parts.push(*part),
                }
            }
            parts
        };
        let widest = |factor: usize| all.iter().map(|one| one.multiplier_bits[factor]).max();
        let products: usize = staged.stages().iter().map(|stage| stage.flow().products()).sum();
        let clocks = staged.interval() * all.len();
        Ok(Estimate {
            interval: staged.interval(),
            latency: staged.latency(),
            multipliers: all.len(),
            multiplier_bits: [0, 1].map(|factor| widest(factor).unwrap_or(1)),
            use_of_multipliers: products as f64 / clocks as f64,
            memories: joined(&|one| &one.memories),
            adders: joined(&|one| &one.adders),
            registers: joined(&|one| &one.registers),
        })
    }

    /// Of taps that take a sample a clock, or several.
    pub fn of_parallel(chain: &Parallel) -> Self {
        let part = |what, count, bits| Part { what, count, bits };
        let (flow, resources) = (chain.flow(), chain.resources());
        let samples = chain.samples();
        let products: Vec<u32> =
            (0..chain.products().len()).map(|product| chain.product_bits(product)).collect();
        let operand = flow.word_bits(0);
        let sizes = chain.products().iter().map(|size| signed_bits((*size, 0)));
        let widest = sizes.max().unwrap_or(1);
        // Those of one width together.
        let each = |what, widths: &mut dyn Iterator<Item = u32>, times: usize| -> Vec<Part> {
            let mut counts = BTreeMap::new();
            widths.for_each(|bits| *counts.entry(bits).or_insert(0) += times);
            counts.into_iter().map(|(bits, count)| part(what, count, bits)).collect()
        };
        let all: Vec<(usize, usize, &ChainTap)> = (0..samples)
            .flat_map(|index| {
                let taps = chain.chains()[index].iter().enumerate();
                taps.map(move |(tap, one)| (index, tap, one))
            })
            .collect();
        let joints: Vec<Joint> =
            all.iter().flat_map(|(index, tap, _)| chain.joints(*index, *tap).0.concat()).collect();
        let added = all.iter().filter(|(.., one)| !one.products.is_empty());
        let mut adders =
            each("sums", &mut added.map(|(index, tap, _)| chain.sum_bits(*index, *tap)), 1);
        let mut pairs = joints.iter().filter(|one| one.right.is_some()).map(|one| one.bits);
        adders.extend(each("sums of products", &mut pairs, 1));
        let mut registers =
            vec![part("input", resources.multiplier_stages * samples, flow.input.width())];
        registers.extend(each("products", &mut products.iter().copied(), samples));
        registers.extend(each("sums of products", &mut joints.iter().map(|one| one.bits), 1));
        let mut sums = all
            .iter()
            .flat_map(|(index, tap, _)| vec![chain.sum_bits(*index, *tap); chain.delay(*tap)]);
        registers.extend(each("sums", &mut sums, 1));
        if chain.is_rounded_apart() {
            registers.push(part("rounded sums", samples, chain.ending().rounded_bits()));
        }
        let output = flow.output_format().width();
        match samples {
            1 => registers.push(part("output", 1, output + 1)),
            _ => registers.push(part("output", samples, output)),
        }
        Estimate {
            interval: 1,
            latency: chain.latency(),
            multipliers: chain.multipliers(),
            multiplier_bits: [operand, widest],
            use_of_multipliers: 1.0,
            memories: Vec::new(),
            adders,
            registers,
        }
    }

    /// Bits of all memories.
    pub fn memory_bits(&self) -> u64 {
        self.memories.iter().map(Part::all_bits).sum()
    }

    /// Bits of all registers, but for marks, of which there is one for most steps of the way.
    pub fn register_bits(&self) -> u64 {
        self.registers.iter().map(Part::all_bits).sum()
    }
}

/// What a synthesizer made of a unit.
#[derive(Debug, Clone, PartialEq)]
#[cfg_attr(feature = "serde", derive(serde::Serialize))]
pub struct Built {
    /// The family of parts, in one word.
    pub family: &'static str,
    /// The same for a table.
    pub title: &'static str,
    /// The synthesizer with its version.
    pub tool: String,
    /// Look-up tables, and cells that stand for some: carries and small memories.
    pub luts: usize,
    /// Registers outside of other cells.
    pub registers: usize,
    /// Multiplier cells.
    pub multipliers: usize,
    /// Block RAMs.
    pub rams: usize,
    /// The fastest clock in hertz that place and route found, of several beginnings the best.
    pub clock_hz: Option<f64>,
    /// Why there is no such clock, where there is none.
    pub not_placed: Option<String>,
}
