//! A sample a clock, or several: taps in the transposed form, a register behind each product and each sum.

use super::program::{Ending, signed_bits};
use super::{HardwareError, Resources, SignalFlow};
use std::collections::{HashMap, VecDeque};

/// A product that is added to a sum of a chain.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct ChainProduct {
    /// Which sample of the clock is multiplied, the oldest 0.
    pub sample: usize,
    /// By which of [`Parallel::products`].
    pub size: usize,
    /// Whether it is subtracted instead.
    pub is_minus: bool,
}

/// One sum of a chain.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct ChainTap {
    /// The products that are added, none where the taps are zero; one at most where a clock has one sample.
    pub products: Vec<ChainProduct>,
    /// The smallest and largest integer that the sum behind them can be.
    pub range: (i128, i128),
}

/// A sum of two products, or of two such sums, before it comes to the chain.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Joint {
    /// What it is made of: a number of the level in front of it, of the products of the tap in the first.
    pub left: usize,
    /// What is added to that or subtracted from it; `None` where it only waits for the others.
    pub right: Option<usize>,
    /// Whether it is subtracted.
    pub is_minus: bool,
    /// Its bits.
    pub bits: u32,
}

/// Taps that take a sample every clock: y\[n\] = Σ h\[k\]·x\[n−k\] as a chain of sums, each
/// s\[k\]\[n\] = s\[k+1\]\[n−1\] + h\[k\]·x\[n\]. Taps of one size share a product.
///
/// Of L samples every clock, output p of clock m is y\[Lm+p\], with a chain of its own: unfolded (K. K.
/// Parhi, *VLSI Digital Signal Processing Systems*, 1999, chapter 5) it is s\[j\]\[m\] = s\[j+1\]\[m−1\] + Σ
/// h\[Lj+p−q\]·x\[Lm+q\], q from 0 to L−1. What comes to a sum is added up before, two at a time, with a
/// register behind each level.
///
/// The half that rounds goes in at the end of a chain, so it is in every sum; a reset leaves it there.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Parallel {
    flow: SignalFlow,
    resources: Resources,
    products: Vec<i128>,
    chains: Vec<Vec<ChainTap>>,
    ending: Ending,
}

impl Parallel {
    /// The chain of a flow.
    ///
    /// ```
    /// use mellow_rake::datapath::fir_direct;
    /// use mellow_rake::fixed::{Overflow, Rounding, round_coefficients};
    /// use mellow_rake::hardware::{Parallel, Resources, SignalFlow};
    /// let taps = round_coefficients(&[vec![0.25, 0.5, 0.5, 0.25]], "s16f15".parse()?)?;
    /// let word = "s16f15".parse()?;
    /// let checked = fir_direct(&taps, word, word, Rounding::HalfUp, Overflow::Saturate)?.check()?;
    /// let chain = Parallel::of(&SignalFlow::of(&checked)?, Resources::default())?;
    /// // Two products for four taps; the output is there four clocks later.
    /// assert_eq!((chain.products().len(), chain.latency()), (2, 4));
    /// # Ok::<(), Box<dyn std::error::Error>>(())
    /// ```
    ///
    /// # Errors
    /// [`HardwareError::Recursion`] for a flow that is not one sum of products with the input,
    /// [`HardwareError::Rounded`] where products are rounded before they are added, and
    /// [`HardwareError::Loop`] where several samples a clock are asked of one that comes back into itself;
    /// [`HardwareError::Products`] where the taps of all samples of a clock are too many.
    pub fn of(flow: &SignalFlow, resources: Resources) -> Result<Self, HardwareError> {
        if flow.load_map.is_some() {
            return Err(HardwareError::Parallel);
        }
        resources.check()?;
        flow.of_single_words()?;
        let (coefficients, shift) = taps_of(flow, resources)?;
        let task = &flow.tasks[0];
        let samples = resources.samples_per_clock;
        let (found, most) = (coefficients.len() * samples, SignalFlow::MOST_PRODUCTS);
        if found > most {
            return Err(HardwareError::Products { found, most });
        }
        let (mut products, mut known) = (Vec::new(), HashMap::new());
        for value in coefficients.iter().filter(|value| **value != 0) {
            let size = value.abs() << shift;
            known.entry(size).or_insert_with(|| {
                products.push(size);
                products.len() - 1
            });
        }
        let ending = Ending::of(&task.ending, task.range);
        let input = (flow.input.minimum(), flow.input.maximum());
        // h[Lj+p-q] meets sample q.
        let tap = |chain: usize, at: usize, sample: usize| {
            let index = (samples * at + chain).checked_sub(sample)?;
            coefficients.get(index).copied().filter(|value| *value != 0)
        };
        let chain = |chain: usize| {
            let count = (coefficients.len() + samples - 1 - chain).div_ceil(samples);
            let mut range = (ending.preload, ending.preload);
            let mut taps: Vec<ChainTap> = Vec::new();
            for at in (0..count).rev() {
                let mut all = Vec::new();
                for sample in 0..samples {
                    let Some(value) = tap(chain, at, sample) else { continue };
                    let ends = [(value << shift) * input.0, (value << shift) * input.1];
                    range = (range.0 + ends[0].min(ends[1]), range.1 + ends[0].max(ends[1]));
                    let size = known[&(value.abs() << shift)];
                    all.push(ChainProduct { sample, size, is_minus: value < 0 });
                }
                taps.push(ChainTap { products: all, range });
            }
            taps.reverse();
            taps
        };
        let chains = (0..samples).map(chain).collect();
        let sum_bits = ending.sum_bits();
        let most = super::UnitProgram::MOST_BITS;
        if sum_bits > most {
            return Err(HardwareError::Width { needed: sum_bits, most });
        }
        Ok(Parallel { flow: flow.clone(), resources, products, chains, ending })
    }

    /// For each sample of a clock, the oldest first, the sums of its chain, the last of which gives the
    /// output first. Of one sample a clock they are the taps, h\[0\] first.
    pub fn chains(&self) -> &[Vec<ChainTap>] {
        &self.chains
    }

    /// Samples that are taken in a clock.
    pub fn samples(&self) -> usize {
        self.chains.len()
    }

    /// The sizes of the products, none of them zero; every sample of a clock has one of each.
    pub fn products(&self) -> &[i128] {
        &self.products
    }

    /// Multipliers: of each size one for every sample of a clock.
    pub fn multipliers(&self) -> usize {
        self.products.len() * self.samples()
    }

    /// Levels of sums of two between the products and the chains.
    pub fn levels(&self) -> usize {
        let most = self.chains.iter().flatten().map(|tap| tap.products.len()).max();
        most.unwrap_or(1).next_power_of_two().trailing_zeros() as usize
    }

    /// How the products of a tap are added, level by level, and whether their sum is subtracted from the
    /// chain at last.
    pub fn joints(&self, chain: usize, tap: usize) -> (Vec<Vec<Joint>>, bool) {
        let input = (self.flow.input.minimum(), self.flow.input.maximum());
        let products = self.chains[chain][tap].products.iter().map(|product| {
            let size = self.products[product.size];
            (product.is_minus, (size * input.0, size * input.1))
        });
        let mut front: Vec<Term> = products.collect();
        let mut levels = Vec::new();
        for _ in 0..self.levels() {
            let pairs = front.chunks(2).enumerate();
            let (joints, behind) = pairs.map(|(index, pair)| joint(2 * index, pair)).unzip();
            levels.push(joints);
            front = behind;
        }
        (levels, front.first().is_some_and(|(is_minus, _)| *is_minus))
    }

    /// How the sums end.
    pub fn ending(&self) -> &Ending {
        &self.ending
    }

    /// What it does.
    pub fn flow(&self) -> &SignalFlow {
        &self.flow
    }

    /// What it may use.
    pub fn resources(&self) -> Resources {
        self.resources
    }

    /// Clocks from a sample that is taken to its output: input, product, sum, result, and registers in front
    /// of the multipliers and behind sums of products.
    pub fn latency(&self) -> usize {
        3 + self.resources.multiplier_stages + self.levels() + usize::from(self.is_rounded_apart())
    }

    /// Bits of a product of this size: no more than its range needs.
    pub fn product_bits(&self, product: usize) -> u32 {
        let size = self.products[product];
        signed_bits((size * self.flow.input.minimum(), size * self.flow.input.maximum()))
    }

    /// Bits of the sum behind a tap: no more than its range needs, and no more than the ending looks at.
    pub fn sum_bits(&self, chain: usize, tap: usize) -> u32 {
        signed_bits(self.chains[chain][tap].range).min(self.ending.sum_bits())
    }

    /// Whether there is a register between rounding and limit.
    pub(crate) fn is_rounded_apart(&self) -> bool {
        self.resources.pipelining > 1 && self.ending.adds()
    }

    /// Registers behind the sum of a tap: one for each channel, which comes to the next tap in its turn; the
    /// last sum goes out at once.
    pub fn delay(&self, tap: usize) -> usize {
        if tap == 0 { 1 } else { self.resources.channels }
    }
}

/// What is added: whether it counts as less than nothing, and its range without that.
type Term = (bool, (i128, i128));

/// One or two terms as a joint, the first of them number `left`, with what it is.
fn joint(left: usize, terms: &[Term]) -> (Joint, Term) {
    let [one, other] = terms else {
        let bits = signed_bits(terms[0].1);
        return (Joint { left, right: None, is_minus: false, bits }, terms[0]);
    };
    let (a, b) = (one.1, other.1);
    let is_minus = one.0 != other.0;
    // What is less than nothing is subtracted from the other.
    let (range, left, right) = match (is_minus, one.0) {
        (false, _) => ((a.0 + b.0, a.1 + b.1), left, left + 1),
        (true, false) => ((a.0 - b.1, a.1 - b.0), left, left + 1),
        (true, true) => ((b.0 - a.1, b.1 - a.0), left + 1, left),
    };
    let joint = Joint { left, right: Some(right), is_minus, bits: signed_bits(range) };
    (joint, (one.0 && other.0, range))
}

/// The taps of a flow that is one sum of products with the input, and how many zeros are behind each product.
fn taps_of(flow: &SignalFlow, resources: Resources) -> Result<(Vec<i128>, u32), HardwareError> {
    let mut flow = flow.clone();
    flow.unfold();
    let refused = || match flow.slowest_loop(resources) {
        Some(found) if resources.samples_per_clock > 1 => HardwareError::Loop {
            samples: resources.samples_per_clock,
            clocks: found.clocks,
            delay: found.delay,
            remedy: String::new(),
        },
        _ => HardwareError::Recursion { tasks: flow.tasks.len() },
    };
    let [task] = &flow.tasks[..] else { return Err(refused()) };
    let shift = task.products.first().map_or(0, |product| product.alignment.shift);
    let mut coefficients: Vec<i128> = Vec::new();
    for product in &task.products {
        let alignment = product.alignment;
        if product.first.signal != 0 || alignment.shift < shift {
            return Err(refused());
        }
        if alignment.dropped > 0 || product.second.is_some() {
            return Err(HardwareError::Rounded);
        }
        let age = product.first.age;
        if coefficients.len() <= age {
            coefficients.resize(age + 1, 0);
        }
        // What differs in shift is brought to one.
        coefficients[age] += product.coefficient << (alignment.shift - shift);
    }
    Ok((coefficients, shift))
}

/// The chains as registers, stepped clock by clock.
#[derive(Debug)]
pub struct ParallelMachine<'a> {
    chain: &'a Parallel,
    /// Samples on their way to the products, and what is made of them on its way to the sums; the last behind
    /// the input register.
    inputs: VecDeque<Option<Vec<i128>>>,
    /// For each sum of each chain its registers, of each channel one, the newest first.
    sums: Vec<Vec<VecDeque<i128>>>,
    is_summed: bool,
    /// Sums before they are limited, where there are registers for them.
    rounded: Option<Vec<i128>>,
    output: Option<Vec<i128>>,
}

impl<'a> ParallelMachine<'a> {
    /// Behind a reset.
    pub fn new(chain: &'a Parallel) -> Self {
        let registers = |tap| VecDeque::from(vec![chain.ending.preload; chain.delay(tap)]);
        let sums = |taps: &Vec<ChainTap>| (0..taps.len()).map(registers).collect();
        // The registers of the multipliers, that of the products, and those of the levels behind them.
        let way = chain.resources.multiplier_stages + 1 + chain.levels();
        ParallelMachine {
            chain,
            inputs: VecDeque::from(vec![None; way]),
            sums: chain.chains.iter().map(sums).collect(),
            is_summed: false,
            rounded: None,
            output: None,
        }
    }

    /// The word that stands at its output, the first of a clock.
    pub(super) fn standing(&self) -> Option<i64> {
        self.output.as_ref().map(|words| words[0] as i64)
    }

    /// What the outputs are in this clock, and what the registers become at its end; of several samples a
    /// clock those after the first are zero, and what they give is not told.
    pub fn clock(&mut self, input: super::ClockInput) -> super::ClockOutput {
        let mut words = vec![0; self.chain.samples()];
        words[0] = input.in_data;
        self.clock_with(input, &words).0
    }

    /// The same with all samples of the clock, the oldest first, in place of `in_data`, and with all that
    /// come out.
    pub fn clock_with(
        &mut self,
        input: super::ClockInput,
        words: &[i64],
    ) -> (super::ClockOutput, Vec<i64>) {
        let waits = self.chain.resources.interface.waits();
        let advances = !waits || self.output.is_none() || input.out_ready;
        let given = self.output.clone().unwrap_or_else(|| vec![0; self.chain.samples()]);
        let given: Vec<i64> = given.into_iter().map(|word| word as i64).collect();
        let seen = super::ClockOutput {
            in_ready: advances,
            out_valid: self.output.is_some(),
            out_data: given[0],
            load_pending: false,
        };
        if input.rst {
            *self = ParallelMachine::new(self.chain);
        } else if advances {
            let ending = &self.chain.ending;
            let rounded = |sums: &Vec<VecDeque<i128>>| ending.rounded(sums[0][0]);
            let summed = self.is_summed.then(|| self.sums.iter().map(rounded).collect());
            let rounded = match self.chain.is_rounded_apart() {
                false => summed,
                true => std::mem::replace(&mut self.rounded, summed),
            };
            let limited =
                |words: Vec<i128>| words.into_iter().map(|word| ending.limited(word)).collect();
            self.output = rounded.map(limited);
            let come = self.inputs.pop_back().flatten();
            self.is_summed = come.is_some();
            if let Some(samples) = come {
                for chain in 0..self.sums.len() {
                    self.add(chain, &samples);
                }
            }
            let taken = || words.iter().map(|word| i128::from(*word)).collect();
            self.inputs.push_front(input.in_valid.then(taken));
        }
        (seen, given)
    }

    /// One step of the sums of a chain.
    fn add(&mut self, chain: usize, samples: &[i128]) {
        let sums = &mut self.sums[chain];
        for tap in 0..sums.len() {
            let product = |one: &ChainProduct| {
                let product = self.chain.products[one.size] * samples[one.sample];
                if one.is_minus { -product } else { product }
            };
            let products: i128 = self.chain.chains[chain][tap].products.iter().map(product).sum();
            let next = sums.get(tap + 1).and_then(|sums| sums.back());
            let sum = next.copied().unwrap_or(self.chain.ending.preload) + products;
            let free = 128 - self.chain.sum_bits(chain, tap);
            sums[tap].push_front(sum << free >> free);
            // The sum in front of it has taken what was oldest.
            sums[tap].pop_back();
        }
    }
}
