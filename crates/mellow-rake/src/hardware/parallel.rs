//! A sample a clock: taps in the transposed form, a register behind each product and each sum.

use super::program::{Ending, signed_bits};
use super::{HardwareError, Resources, SignalFlow};
use std::collections::VecDeque;

/// One tap of the chain.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct ChainTap {
    /// The product that is added, and whether it is subtracted instead; `None` where the tap is zero.
    pub product: Option<(usize, bool)>,
    /// The smallest and largest integer that the sum behind it can be.
    pub range: (i128, i128),
}

/// Taps that take a sample every clock: y\[n\] = Σ h\[k\]·x\[n−k\] as a chain of sums, each
/// s\[k\]\[n\] = s\[k+1\]\[n−1\] + h\[k\]·x\[n\]. Taps of one size share a product.
///
/// The half that rounds goes in at the end of the chain, so it is in every sum; a reset leaves it there.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Parallel {
    flow: SignalFlow,
    resources: Resources,
    products: Vec<i128>,
    taps: Vec<ChainTap>,
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
    /// [`HardwareError::Recursion`] for a flow that is not one sum of products with the input.
    pub fn of(flow: &SignalFlow, resources: Resources) -> Result<Self, HardwareError> {
        if flow.load_map.is_some() {
            return Err(HardwareError::Parallel);
        }
        resources.check()?;
        let mut flow = flow.clone();
        flow.unfold();
        let refused = || HardwareError::Recursion { tasks: flow.tasks.len() };
        let [task] = &flow.tasks[..] else { return Err(refused()) };
        let shift = task.products.first().map_or(0, |product| product.alignment.shift);
        let mut coefficients: Vec<i128> = Vec::new();
        for product in &task.products {
            let alignment = product.alignment;
            let is_plain = alignment.dropped == 0 && product.second.is_none();
            if product.first.signal != 0 || !is_plain {
                return Err(refused());
            }
            let age = product.first.age;
            if coefficients.len() <= age {
                coefficients.resize(age + 1, 0);
            }
            // What differs in shift is brought to one.
            coefficients[age] += product.coefficient << (alignment.shift.saturating_sub(shift));
            if alignment.shift < shift {
                return Err(refused());
            }
        }
        let mut products: Vec<i128> = Vec::new();
        let scaled = |value: i128| value << shift;
        let ending = Ending::of(&task.ending, task.range);
        let input = (flow.input.minimum(), flow.input.maximum());
        let mut range = (ending.preload, ending.preload);
        let mut taps: Vec<ChainTap> = Vec::new();
        for value in coefficients.iter().rev() {
            let ends = [scaled(*value) * input.0, scaled(*value) * input.1];
            range = (range.0 + ends[0].min(ends[1]), range.1 + ends[0].max(ends[1]));
            let size = scaled(value.abs());
            let known = products.iter().position(|one| *one == size);
            let product = (*value != 0).then(|| {
                let index = known.unwrap_or_else(|| {
                    products.push(size);
                    products.len() - 1
                });
                (index, *value < 0)
            });
            taps.push(ChainTap { product, range });
        }
        taps.reverse();
        let sum_bits = ending.sum_bits();
        let most = super::UnitProgram::MOST_BITS;
        if sum_bits > most {
            return Err(HardwareError::Width { needed: sum_bits, most });
        }
        Ok(Parallel { flow, resources, products, taps, ending })
    }

    /// The taps, h\[0\] first.
    pub fn taps(&self) -> &[ChainTap] {
        &self.taps
    }

    /// The sizes of the products, none of them zero.
    pub fn products(&self) -> &[i128] {
        &self.products
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
    /// of the multipliers.
    pub fn latency(&self) -> usize {
        3 + self.resources.multiplier_stages
    }

    /// Bits of a product: those of a sample and of the size, with their signs.
    pub fn product_bits(&self, product: usize) -> u32 {
        self.flow.word_bits(0) + signed_bits((self.products[product], 0))
    }

    /// Bits of the sum behind a tap: no more than its range needs, and no more than the ending looks at.
    pub fn sum_bits(&self, tap: usize) -> u32 {
        signed_bits(self.taps[tap].range).min(self.ending.sum_bits())
    }

    /// Registers behind the sum of a tap: one for each channel, which comes to the next tap in its turn; the
    /// last sum goes out at once.
    pub fn delay(&self, tap: usize) -> usize {
        if tap == 0 { 1 } else { self.resources.channels }
    }
}

/// The chain as registers, stepped clock by clock.
#[derive(Debug)]
pub struct ParallelMachine<'a> {
    chain: &'a Parallel,
    /// Samples on their way to the products, the last behind the input register.
    inputs: VecDeque<Option<i128>>,
    /// The sample that the products are of.
    product: Option<i128>,
    /// For each tap its sums, of each channel one, the newest first.
    sums: Vec<VecDeque<i128>>,
    is_summed: bool,
    output: Option<i128>,
}

impl<'a> ParallelMachine<'a> {
    /// Behind a reset.
    pub fn new(chain: &'a Parallel) -> Self {
        let sums = |tap| VecDeque::from(vec![chain.ending.preload; chain.delay(tap)]);
        ParallelMachine {
            chain,
            inputs: VecDeque::from(vec![None; chain.resources.multiplier_stages]),
            product: None,
            sums: (0..chain.taps.len()).map(sums).collect(),
            is_summed: false,
            output: None,
        }
    }

    /// What the outputs are in this clock, and what the registers become at its end.
    pub fn clock(&mut self, input: super::ClockInput) -> super::ClockOutput {
        let waits = self.chain.resources.interface.waits();
        let advances = !waits || self.output.is_none() || input.out_ready;
        let seen = super::ClockOutput {
            in_ready: advances,
            out_valid: self.output.is_some(),
            out_data: self.output.unwrap_or(0) as i64,
            load_pending: false,
        };
        if input.rst {
            *self = ParallelMachine::new(self.chain);
        } else if advances {
            let newest = self.sums[0][0];
            self.output = self.is_summed.then(|| self.chain.ending.result(newest));
            self.is_summed = self.product.is_some();
            if let Some(sample) = self.product {
                for tap in 0..self.sums.len() {
                    let ChainTap { product, .. } = self.chain.taps[tap];
                    let product = product.map_or(0, |(index, is_minus)| {
                        let product = self.chain.products[index] * sample;
                        if is_minus { -product } else { product }
                    });
                    let next = self.sums.get(tap + 1).and_then(|sums| sums.back());
                    let sum = next.copied().unwrap_or(self.chain.ending.preload) + product;
                    let free = 128 - self.chain.sum_bits(tap);
                    self.sums[tap].push_front(sum << free >> free);
                    // The sum in front of it has taken what was oldest.
                    self.sums[tap].pop_back();
                }
            }
            self.product = self.inputs.pop_back().flatten();
            self.inputs.push_front(input.in_valid.then(|| input.in_data.into()));
        }
        seen
    }
}
