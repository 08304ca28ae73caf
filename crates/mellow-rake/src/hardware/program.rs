//! What the unit does in each clock, and how wide it is for that.

use super::stages::operand_bits;
use super::{
    Alignment, FlowProduct, FlowWord, HardwareError, Issue, Load, LoadMap, Resources, Scheduled,
    Step, Task, TimeShared, UnitStages,
};
use crate::datapath::Sign;
use crate::fixed::{Rounding, WordFormat};

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
    /// Bits of the widest sum before it is limited, with its sign.
    pub rounded_bits: u32,
    /// Bits of the widest result, with its sign.
    pub result_bits: u32,
    /// Bits of a word of the memory: the widest that is remembered, with its sign.
    pub memory_bits: u32,
    /// The coefficients, where they can be loaded.
    pub coefficients: Option<CoefficientWords>,
    /// What it uses; filters that take turns are channels.
    pub resources: Resources,
    /// The clocks in which a sample begins, one for each filter; a single 0 where all channels have the same.
    pub starts: Vec<usize>,
    /// Clocks from the issue of a task's last product to the clock in which its result is written.
    pub depth: usize,
    /// Levels of adders between the multipliers and the sum.
    pub adder_levels: usize,
    /// Registers on the way of a word that not every unit has.
    pub stages: UnitStages,
    /// Words of memory of each channel, a power of two.
    pub memory_words: usize,
    /// Words that a firing takes and words that it gives.
    pub firing_words: [usize; 2],
    /// Places for results that wait.
    pub output_words: usize,
    /// Clocks from a sample to its output, at most.
    pub latency: usize,
    /// The formats of what is taken and of what is given.
    pub formats: [WordFormat; 2],
    /// Where coefficients are written, where they can be loaded.
    pub load_map: Option<LoadMap>,
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
        let (output_words, latency) = (scheduled.output_words(), scheduled.latency());
        let resources = scheduled.resources();
        let program = Self::joined(std::slice::from_ref(scheduled), resources)?;
        Ok(UnitProgram { output_words, latency, ..program })
    }

    /// The program of filters that take turns, one behind the other.
    ///
    /// # Errors
    /// As of [`UnitProgram::of`].
    pub fn of_time_shared(shared: &TimeShared) -> Result<Self, HardwareError> {
        let (output_words, latency) = (shared.output_words(), shared.latency());
        let program = Self::joined(shared.filters(), shared.resources())?;
        Ok(UnitProgram { output_words, latency, ..program })
    }

    /// Of filters with the same words; where coefficients can be loaded, of one.
    fn joined(filters: &[Scheduled], resources: Resources) -> Result<Self, HardwareError> {
        let widths = Widths::of(filters);
        let first = &filters[0];
        let map = first.flow().load_map.as_ref();
        let mut program = UnitProgram {
            instructions: Vec::new(),
            alignments: Vec::new(),
            endings: Vec::new(),
            operand_bits: widths.operand,
            coefficient_bits: widths.coefficient,
            wide_bits: widths.wide,
            sum_bits: 1,
            rounded_bits: 1,
            result_bits: widths.result,
            memory_bits: widths.memory,
            coefficients: map.map(|map| {
                let at = |(address, data)| map.held(Load { address, data });
                let words: Vec<i128> = map.values().enumerate().map(at).collect();
                CoefficientWords { loadable: words.len(), words }
            }),
            resources,
            starts: Vec::new(),
            depth: first.schedule().depth(),
            adder_levels: first.schedule().adder_levels(),
            stages: first.schedule().stages(),
            memory_words: filters.iter().map(Scheduled::memory_words).max().unwrap_or(1),
            firing_words: [first.flow().takes, first.flow().outputs.len()],
            output_words: 1,
            latency: 0,
            formats: [first.flow().input, first.flow().output_format()],
            load_map: map.cloned(),
        };
        for filter in filters {
            program.starts.push(program.instructions.len());
            program.append(filter);
        }
        let shift = program.alignments.iter().map(|one| one.shift).max().unwrap_or(0);
        let operand_bits = program.operand_bits.max(program.wide_bits.unwrap_or(0));
        let product_bits = operand_bits + program.coefficient_bits + shift;
        // A product fits the integers that the machine is made of.
        if product_bits > 127 {
            return Err(HardwareError::Width { needed: product_bits, most: 127 });
        }
        program.sum_bits = program.endings.iter().map(Ending::sum_bits).max().unwrap_or(1);
        program.rounded_bits = program.endings.iter().map(Ending::rounded_bits).max().unwrap_or(1);
        if program.sum_bits > Self::MOST_BITS {
            return Err(HardwareError::Width { needed: program.sum_bits, most: Self::MOST_BITS });
        }
        Ok(program)
    }

    /// The clocks of a filter, behind those that are there.
    fn append(&mut self, filter: &Scheduled) {
        let flow = filter.flow();
        let endings: Vec<usize> = flow.tasks.iter().map(|task| self.ending(task)).collect();
        let start = self.instructions.len();
        self.instructions.resize(start + filter.interval(), None);
        let nothing = Lane {
            coefficient: 0,
            first: 0,
            second: None,
            alignment: 0,
            is_wide: false,
            // A multiplier with nothing to do gives zero.
            place: self.coefficients.as_mut().map_or(0, |words| words.constant(0)),
            is_loaded: false,
        };
        for Issue { clock, multiplier, task, product } in &filter.schedule().issues {
            let lane = self.lane(filter, flow.tasks[*task].products[*product]);
            let (begin, end) = filter.span(*task);
            let ends = *clock == end;
            let lanes = self.resources.multipliers;
            let instruction = self.instructions[start + clock].get_or_insert_with(|| Instruction {
                lanes: vec![nothing; lanes],
                begins: *clock == begin,
                ending: endings[*task],
                ends,
                place: if ends { filter.slot(task + 1) } else { None },
                delivers: ends && filter.delivers(*task),
            });
            instruction.lanes[*multiplier] = lane;
        }
    }

    /// The number of the ending of a task.
    fn ending(&mut self, task: &Task) -> usize {
        let ending = Ending::of(&task.ending, task.range);
        match self.endings.iter().position(|one| one.is_like(&ending)) {
            Some(index) => {
                self.endings[index].widen(&ending);
                index
            }
            None => {
                self.endings.push(ending);
                self.endings.len() - 1
            }
        }
    }

    /// What a multiplier does for a product.
    fn lane(&mut self, filter: &Scheduled, product: FlowProduct) -> Lane {
        let at = |word: FlowWord| {
            filter.slot(word.signal).expect("what is read is remembered") + word.age
        };
        let known = self.alignments.iter().position(|one| *one == product.alignment);
        let alignment = known.unwrap_or(self.alignments.len());
        if known.is_none() {
            self.alignments.push(product.alignment);
        }
        Lane {
            coefficient: product.coefficient,
            first: at(product.first),
            second: product.second.map(|(sign, word)| (sign, at(word))),
            alignment,
            is_wide: filter.flow().operand_bits(&product) > self.operand_bits,
            place: match (product.address, &mut self.coefficients) {
                (Some(address), _) => address,
                (None, Some(words)) => words.constant(product.coefficient),
                (None, None) => 0,
            },
            is_loaded: product.address.is_some(),
        }
    }

    /// Whether a multiplier ever meets the sum or difference of two words.
    pub fn has_pairs(&self, lane: usize) -> bool {
        let mut instructions = self.instructions.iter().flatten();
        instructions.any(|one| one.lanes[lane].second.is_some())
    }

    /// The clocks of each filter, in the order of their turns.
    pub fn firings(&self) -> impl Iterator<Item = std::ops::Range<usize>> {
        let ends = self.starts[1..].iter().copied().chain([self.instructions.len()]);
        self.starts.iter().zip(ends).map(|(start, end)| *start..end)
    }

    /// The clocks in which a sample of a channel is done.
    pub(super) fn firing(&self, channel: usize) -> std::ops::Range<usize> {
        let one = self.firings().nth(channel % self.starts.len());
        one.expect("a filter of that number")
    }
}

/// What the words of some filters need.
struct Widths {
    operand: u32,
    wide: Option<u32>,
    coefficient: u32,
    result: u32,
    memory: u32,
}

impl Widths {
    fn of(filters: &[Scheduled]) -> Self {
        let products: Vec<(&FlowProduct, u32)> = filters
            .iter()
            .flat_map(|filter| {
                let flow = filter.flow();
                let products = flow.tasks.iter().flat_map(|task| &task.products);
                products.map(|product| (product, flow.operand_bits(product)))
            })
            .collect();
        let operand = operand_bits(filters.iter().map(Scheduled::flow));
        let loaded = |filter: &Scheduled| {
            let map = filter.flow().load_map.as_ref();
            map.map_or(0, |map| map.data_bits + u32::from(!map.is_signed()))
        };
        let loaded = filters.iter().map(loaded).max().unwrap_or(0);
        let coefficient = |product: &FlowProduct| match product.address {
            Some(_) => loaded,
            None => signed_bits((product.coefficient, 0)),
        };
        let narrow = products.iter().filter(|(_, width)| *width <= operand);
        let signals = || {
            filters.iter().flat_map(|filter| {
                (0..=filter.flow().tasks.len()).map(move |signal| (filter, signal))
            })
        };
        let bits = |(filter, signal): (&Scheduled, usize)| filter.flow().word_bits(signal);
        let remembered = signals().filter(|(filter, signal)| filter.slot(*signal).is_some());
        Widths {
            operand,
            wide: products.iter().map(|(_, width)| *width).filter(|width| *width > operand).max(),
            coefficient: narrow.map(|(product, _)| coefficient(product)).max().unwrap_or(1),
            result: signals().filter(|(_, signal)| *signal > 0).map(bits).max().unwrap_or(1),
            memory: remembered.map(bits).max().unwrap_or(1),
        }
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
        self.limited(self.rounded(sum))
    }

    /// What is done before it is limited, and what is done from then on.
    pub fn parts(&self) -> (&[Step], &[Step]) {
        let is_limit = |step: &Step| matches!(step, Step::Saturate { .. });
        self.steps.split_at(self.steps.iter().position(is_limit).unwrap_or(self.steps.len()))
    }

    /// What a sum is before it is limited.
    pub fn rounded(&self, sum: i128) -> i128 {
        let free = 128 - self.sum_bits();
        self.parts().0.iter().fold(sum << free >> free, |word, step| step.of(word))
    }

    /// What becomes of that.
    pub fn limited(&self, rounded: i128) -> i128 {
        self.parts().1.iter().fold(rounded, |word, step| step.of(word))
    }

    /// Bits of the sum before it is limited, with a sign.
    pub fn rounded_bits(&self) -> u32 {
        self.parts().0.iter().fold(self.sum_bits(), |width, step| match *step {
            Step::Wrap { width, signed } => width + u32::from(!signed),
            Step::Append { zeros } => width + zeros,
            Step::Saturate { width, .. } => width + 1,
            Step::Round { dropped, rounding } => {
                let carry = u32::from(rounding != Rounding::Floor);
                width.max(dropped + 1) - dropped + carry
            }
        })
    }

    /// Whether a sum is rounded by more than wires: by what is added to it.
    pub(super) fn adds(&self) -> bool {
        let adds = |step: &Step| matches!(step, Step::Round { rounding, .. } if *rounding != Rounding::Floor);
        self.steps.iter().any(adds)
    }
}
