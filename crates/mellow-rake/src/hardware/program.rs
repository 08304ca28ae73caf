//! What the unit does in each clock, and how wide it is for that.

use super::{Alignment, FlowProduct, FlowWord, HardwareError, Issue, Load, Scheduled, Step};
use crate::datapath::Sign;
use crate::fixed::Rounding;

/// What one multiplier does in a clock.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Lane {
    /// The coefficient; 0 where there is nothing to do.
    pub coefficient: i128,
    /// The place of the word in the memory, as it is numbered in this firing.
    pub first: usize,
    /// The place of the word that is added to it or subtracted from it.
    pub second: Option<(Sign, usize)>,
    /// What is done to the product: an index of [`UnitProgram::alignments`].
    pub alignment: usize,
    /// Whether the word goes by the multiplier, which it is too wide for.
    pub is_wide: bool,
    /// Where coefficients can be loaded, the place of this one among [`UnitProgram::coefficients`].
    pub place: usize,
    /// Whether it is one that can be loaded.
    pub is_loaded: bool,
}

impl Lane {
    /// Whether there is something to do.
    pub fn is_used(&self) -> bool {
        self.coefficient != 0 || self.is_loaded
    }
}

/// A memory of coefficients that can be loaded.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct CoefficientWords {
    /// What it holds at power-up: the coefficients, then the constants that are none.
    pub words: Vec<i128>,
    /// How many can be loaded.
    pub loadable: usize,
}

impl CoefficientWords {
    /// The place of a constant, behind the coefficients.
    fn constant(&mut self, value: i128) -> usize {
        let constants = &self.words[self.loadable..];
        match constants.iter().position(|one| *one == value) {
            Some(place) => self.loadable + place,
            None => {
                self.words.push(value);
                self.words.len() - 1
            }
        }
    }

    /// Bits of a place.
    pub fn place_bits(&self) -> u32 {
        bits_to(self.words.len() - 1)
    }
}

/// What the unit does in a clock.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Instruction {
    /// Each multiplier.
    pub lanes: Vec<Lane>,
    /// Whether a sum begins.
    pub begins: bool,
    /// How the sum that is under way will end: an index of [`UnitProgram::endings`].
    pub ending: usize,
    /// Whether it ends.
    pub ends: bool,
    /// The place that the result is written to; `None` where nothing reads it later, or nothing ends.
    pub place: Option<usize>,
    /// Whether the result goes out.
    pub delivers: bool,
}

/// How a sum ends.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Ending {
    /// What the sum begins with: the half that rounds it.
    pub preload: i128,
    /// What is done to the sum.
    pub steps: Vec<Step>,
    /// The smallest and largest integer that the sum with its beginning can be.
    pub range: (i128, i128),
}

/// The clocks of an interval, and what they have in common.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct UnitProgram {
    /// For each clock of the interval what is done, `None` in those in which nothing is.
    pub instructions: Vec<Option<Instruction>>,
    /// What is done to products.
    pub alignments: Vec<Alignment>,
    /// How sums end.
    pub endings: Vec<Ending>,
    /// Bits of a word that meets a coefficient, with its sign; of the sum of two, where words are added
    /// first.
    pub operand_bits: u32,
    /// Bits of the widest coefficient, with its sign.
    pub coefficient_bits: u32,
    /// Bits of the widest word that goes by the multiplier; `None` where none does.
    pub wide_bits: Option<u32>,
    /// Bits of the sum.
    pub sum_bits: u32,
    /// Bits of the widest result, with its sign.
    pub result_bits: u32,
    /// Bits of a word of the memory: the widest that is remembered, with its sign.
    pub memory_bits: u32,
    /// The coefficients, where they can be loaded.
    pub coefficients: Option<CoefficientWords>,
}

/// Bits of the two's complement that holds a range.
pub(crate) fn signed_bits((low, high): (i128, i128)) -> u32 {
    let bits = |v: i128| 129 - (if v < 0 { !v } else { v }).leading_zeros();
    bits(low).max(bits(high))
}

/// Bits that hold the numbers 0 to `most`, at least 1.
pub(crate) fn bits_to(most: usize) -> u32 {
    (usize::BITS - most.leading_zeros()).max(1)
}

impl UnitProgram {
    /// The widest sum that is written.
    pub const MOST_BITS: u32 = 100;

    /// The program of a schedule.
    ///
    /// # Errors
    /// [`HardwareError::Width`] where a sum is wider than [`UnitProgram::MOST_BITS`].
    pub fn of(scheduled: &Scheduled) -> Result<Self, HardwareError> {
        let flow = scheduled.flow();
        let products = || flow.tasks.iter().flat_map(|task| &task.products);
        let width = |product: &FlowProduct| flow.operand_bits(product);
        let is_plain = |product: &&FlowProduct| product.is_word && product.coefficient.abs() == 1;
        let multiplied = products().filter(|product| !is_plain(product)).map(width).max();
        let words = products().map(width).max().unwrap_or(1);
        let operand_bits = multiplied.unwrap_or(words);
        let is_wide = |product: &FlowProduct| width(product) > operand_bits;
        let wide_bits = products().filter(|product| is_wide(product)).map(width).max();
        let map = flow.load_map.as_ref();
        let loaded_bits = map.map_or(0, |map| map.data_bits + u32::from(!map.is_signed()));
        let coefficient = |product: &FlowProduct| match product.address {
            Some(_) => loaded_bits,
            None => signed_bits((product.coefficient, 0)),
        };
        let mut coefficients = map.map(|map| {
            let at = |(address, data)| map.held(Load { address, data });
            let words: Vec<i128> = map.values().enumerate().map(at).collect();
            CoefficientWords { loadable: words.len(), words }
        });
        let coefficient_bits =
            products().filter(|product| !is_wide(product)).map(coefficient).max().unwrap_or(1);

        let mut alignments: Vec<Alignment> = Vec::new();
        let mut endings: Vec<Ending> = Vec::new();
        let mut ending_of = Vec::new();
        for task in &flow.tasks {
            let ending = Ending::of(&task.ending, task.range);
            let known = endings.iter().position(|one| one.is_like(&ending));
            let index = known.unwrap_or(endings.len());
            match known {
                Some(index) => endings[index].widen(&ending),
                None => endings.push(ending),
            }
            ending_of.push(index);
        }
        let mut instructions = vec![None; scheduled.interval()];
        let nothing = Lane {
            coefficient: 0,
            first: 0,
            second: None,
            alignment: 0,
            is_wide: false,
            // A multiplier with nothing to do gives zero.
            place: coefficients.as_mut().map_or(0, |words| words.constant(0)),
            is_loaded: false,
        };
        for Issue { clock, multiplier, task, product } in &scheduled.schedule().issues {
            let product = flow.tasks[*task].products[*product];
            let at = |word: FlowWord| {
                scheduled.slot(word.signal).expect("what is read is remembered") + word.age
            };
            let known = alignments.iter().position(|one| *one == product.alignment);
            let alignment = known.unwrap_or(alignments.len());
            if known.is_none() {
                alignments.push(product.alignment);
            }
            let lane = Lane {
                coefficient: product.coefficient,
                first: at(product.first),
                second: product.second.map(|(sign, word)| (sign, at(word))),
                alignment,
                is_wide: is_wide(&product),
                place: match (product.address, &mut coefficients) {
                    (Some(address), _) => address,
                    (None, Some(words)) => words.constant(product.coefficient),
                    (None, None) => 0,
                },
                is_loaded: product.address.is_some(),
            };
            let (begin, end) = scheduled.span(*task);
            let ends = *clock == end;
            let instruction = instructions[*clock].get_or_insert_with(|| Instruction {
                lanes: vec![nothing; scheduled.resources().multipliers],
                begins: *clock == begin,
                ending: ending_of[*task],
                ends,
                place: if ends { scheduled.slot(task + 1) } else { None },
                delivers: ends && *task == scheduled.output_task(),
            });
            instruction.lanes[*multiplier] = lane;
        }
        let shift = alignments.iter().map(|one| one.shift).max().unwrap_or(0);
        let product_bits = operand_bits.max(wide_bits.unwrap_or(0)) + coefficient_bits + shift;
        // A product fits the integers that the machine is made of.
        if product_bits > 127 {
            return Err(HardwareError::Width { needed: product_bits, most: 127 });
        }
        let sum_bits = endings.iter().map(Ending::sum_bits).max().unwrap_or(1);
        if sum_bits > Self::MOST_BITS {
            return Err(HardwareError::Width { needed: sum_bits, most: Self::MOST_BITS });
        }
        let bits_of = |signal: usize| flow.word_bits(signal);
        let signals = 0..=flow.tasks.len();
        let remembered = signals.clone().filter(|signal| scheduled.slot(*signal).is_some());
        Ok(UnitProgram {
            instructions,
            alignments,
            endings,
            operand_bits,
            coefficient_bits,
            wide_bits,
            sum_bits,
            result_bits: signals.skip(1).map(bits_of).max().unwrap_or(1),
            memory_bits: remembered.map(bits_of).max().unwrap_or(1),
            coefficients,
        })
    }
}

impl Ending {
    /// A first rounding half up becomes the beginning of the sum: ⌊(s + half)/2^d⌋ is s/2^d rounded half up.
    pub(super) fn of(steps: &[Step], (low, high): (i128, i128)) -> Self {
        match steps {
            [Step::Round { dropped, rounding: Rounding::HalfUp }, rest @ ..] => {
                let preload = 1 << (dropped - 1);
                let cut = Step::Round { dropped: *dropped, rounding: Rounding::Floor };
                let steps = std::iter::once(cut).chain(rest.iter().copied()).collect();
                Ending { preload, steps, range: (low + preload, high + preload) }
            }
            _ => Ending { preload: 0, steps: steps.to_vec(), range: (low, high) },
        }
    }

    fn is_like(&self, other: &Ending) -> bool {
        self.preload == other.preload && self.steps == other.steps
    }

    fn widen(&mut self, other: &Ending) {
        let ((low, high), (other_low, other_high)) = (self.range, other.range);
        self.range = (low.min(other_low), high.max(other_high));
    }

    /// Bits of the sum that matter: where it is taken modulo a power of two at once, no more than those.
    pub fn sum_bits(&self) -> u32 {
        match self.steps.first() {
            Some(Step::Wrap { width, .. }) => *width,
            _ => signed_bits(self.range),
        }
    }

    /// What a sum, known modulo 2^[`sum_bits`](Ending::sum_bits), ends as.
    pub fn result(&self, sum: i128) -> i128 {
        let free = 128 - self.sum_bits();
        self.steps.iter().fold(sum << free >> free, |word, step| step.of(word))
    }
}
