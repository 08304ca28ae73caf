//! The signal flow of a datapath: its loops unrolled, each signal named once, each sum a task.

use super::unroll::unroll;
use super::{HardwareError, LoadMap};
use crate::datapath::{Checked, Node, Sign};
use crate::fixed::{Overflow, Rounding, WordFormat};
use std::collections::BTreeMap;
use std::fmt;

/// A word of a signal: signal 0 is the input, signal t + 1 is what task t gives.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub struct FlowWord {
    /// The number of the signal.
    pub signal: usize,
    /// How many firings ago it was given; 0 is this firing. Of the input it is how many words ago, the last
    /// of this firing being 0. Before the first firing all words are zero.
    pub age: usize,
}

impl fmt::Display for FlowWord {
    /// x is the input, s1 what the first task gives; the age in brackets, if there is one.
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        match self.signal {
            0 => f.write_str("x")?,
            task => write!(f, "s{task}")?,
        }
        if self.age > 0 { write!(f, "[-{}]", self.age) } else { Ok(()) }
    }
}

/// What is done to a product before it is added.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Alignment {
    /// So many bits are dropped.
    pub dropped: u32,
    /// How, where some are.
    pub rounding: Rounding,
    /// Then so many zeros are appended.
    pub shift: u32,
    /// Then it is subtracted: a rounded product and its opposite are not rounded alike.
    pub subtracted: bool,
}

/// One product of a task: coefficient · (first ± second), aligned.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct FlowProduct {
    /// The coefficient with its sign; 1 or −1 of a word that is only added or subtracted.
    pub coefficient: i128,
    /// The word.
    pub first: FlowWord,
    /// What is added to it or subtracted from it before the product.
    pub second: Option<(Sign, FlowWord)>,
    /// What is done to the product.
    pub alignment: Alignment,
    /// Whether it is a word that meets no coefficient.
    pub is_word: bool,
    /// The address of the coefficient, where it can be loaded; `coefficient` is then what is there at
    /// power-up, or its opposite where [`LoadMap::is_negated`] says so. Other signs are in the alignment.
    pub address: Option<usize>,
}

impl fmt::Display for FlowProduct {
    /// Coefficient and words: 992 (x + x[-63]).
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        match self.second {
            None => write!(f, "{} {}", self.coefficient, self.first),
            Some((Sign::Plus, second)) => {
                write!(f, "{} ({} + {second})", self.coefficient, self.first)
            }
            Some((Sign::Minus, second)) => {
                write!(f, "{} ({} - {second})", self.coefficient, self.first)
            }
        }
    }
}

/// What is done to a sum.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Step {
    /// The sum is taken modulo 2^width, as a word of this width and sign.
    Wrap {
        /// Bits that are kept.
        width: u32,
        /// Whether the word has a sign.
        signed: bool,
    },
    /// Bits are dropped.
    Round {
        /// So many.
        dropped: u32,
        /// How.
        rounding: Rounding,
    },
    /// Zeros are appended.
    Append {
        /// So many.
        zeros: u32,
    },
    /// The word is brought to the nearest that fits.
    Saturate {
        /// Bits of the result.
        width: u32,
        /// Whether it has a sign.
        signed: bool,
    },
}

impl Step {
    /// What the step makes of an integer.
    ///
    /// ```
    /// use mellow_rake::hardware::Step;
    /// assert_eq!(Step::Wrap { width: 8, signed: true }.of(200), -56);
    /// assert_eq!(Step::Saturate { width: 8, signed: true }.of(200), 127);
    /// assert_eq!(Step::Append { zeros: 3 }.of(-5), -40);
    /// ```
    pub fn of(self, word: i128) -> i128 {
        let format =
            |width, signed| WordFormat::new(signed, width, 0).expect("of a checked datapath");
        match self {
            Step::Wrap { width, signed } => format(width, signed).wrap(word),
            Step::Round { dropped, rounding } => rounding.shift_right(word, dropped),
            Step::Append { zeros } => word << zeros,
            Step::Saturate { width, signed } => {
                Overflow::Saturate.limit(word, format(width, signed))
            }
        }
    }
}

/// A sum of products with what is done to it: what a multiply-accumulate unit does in one go.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Task {
    /// The operation of the datapath that it ends with.
    pub node: Node,
    /// The pass of the loop around that.
    pub pass: usize,
    /// What is added.
    pub products: Vec<FlowProduct>,
    /// The smallest and largest integer that the sum can be.
    pub range: (i128, i128),
    /// What is done to the sum, in this order.
    pub ending: Vec<Step>,
    /// The format of the result.
    pub format: WordFormat,
}

/// A datapath as tasks on signals: one stream of words comes in, and one goes out.
///
/// A firing takes some words and gives some: one and one is a filter, several and one a decimator, one and
/// several an interpolator.
///
/// ```
/// use mellow_rake::hardware::SignalFlow;
/// use mellow_rake::Wish;
/// use mellow_rake::spec::{Fixed, Structure};
/// let words = Fixed::new(Structure::DirectForm1, "s16f15".parse()?);
/// let study = Wish::lowpass("1 kHz").cutoff("40 Hz").butterworth(4).words(words).study()?;
/// let flow = SignalFlow::of(&study.integers()?.checked)?;
/// // A task for each section, of five products each.
/// assert_eq!(flow.tasks.len(), 2);
/// assert!(flow.tasks.iter().all(|task| task.products.len() == 5));
/// # Ok::<(), Box<dyn std::error::Error>>(())
/// ```
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct SignalFlow {
    /// The format of the input.
    pub input: WordFormat,
    /// The tasks; each uses words of age 0 of the input and of tasks before it only.
    pub tasks: Vec<Task>,
    /// Words that a firing takes, at least 1.
    pub takes: usize,
    /// The words that a firing gives, each by a task of its own, in the order of those.
    pub outputs: Vec<FlowWord>,
    /// Where coefficients are written, where they can be loaded.
    pub load_map: Option<LoadMap>,
}

impl SignalFlow {
    /// The flow of a datapath.
    ///
    /// # Errors
    /// [`HardwareError::Ports`] for one with several streams, [`HardwareError::Later`] for one that takes
    /// several words and uses what sums gave in firings before, [`HardwareError::Products`] beyond
    /// [`SignalFlow::MOST_PRODUCTS`].
    pub fn of(checked: &Checked) -> Result<Self, HardwareError> {
        SignalFlow::of_lanes(checked, 1)
    }

    /// The flow of the same datapath for each of so many words side by side: a firing takes those of all
    /// lanes, and so one unit works for all.
    ///
    /// ```
    /// use mellow_rake::datapath::fir_direct;
    /// use mellow_rake::fixed::{Overflow, Rounding, round_coefficients};
    /// use mellow_rake::hardware::{FlowSimulator, SignalFlow};
    /// let taps = round_coefficients(&[vec![0.5, 0.25]], "s8f7".parse()?)?;
    /// let word = "s16f15".parse()?;
    /// let filter = fir_direct(&taps, word, word, Rounding::Floor, Overflow::Saturate)?.check()?;
    /// let both = SignalFlow::of_lanes(&filter, 2)?;
    /// let mut simulator = FlowSimulator::new(&both);
    /// assert_eq!(simulator.fire(&[400, -80]), [200, -40]);
    /// assert_eq!(simulator.fire(&[0, 0]), [100, -20]);
    /// # Ok::<(), Box<dyn std::error::Error>>(())
    /// ```
    ///
    /// # Errors
    /// As of [`SignalFlow::of`]; a recursion is in the way of several lanes as it is of several words.
    pub fn of_lanes(checked: &Checked, lanes: usize) -> Result<Self, HardwareError> {
        let datapath = checked.datapath();
        let ports = [datapath.inputs.len(), datapath.outputs.len()];
        if ports != [1, 1] {
            return Err(HardwareError::Ports { found: ports });
        }
        let cost = checked.cost();
        let products = (cost.multiplies_per_sample + cost.adds_per_sample).saturating_mul(lanes);
        if products > Self::MOST_PRODUCTS {
            return Err(HardwareError::Products { found: products, most: Self::MOST_PRODUCTS });
        }
        let mut flow = unroll(checked, None);
        if flow.takes * lanes > 1 {
            flow.join_sums();
            if flow.depths()[1..].iter().any(|depth| depth.is_some_and(|age| age > 0)) {
                return Err(HardwareError::Later { takes: flow.takes * lanes });
            }
        }
        flow.absorb_shifts();
        Ok(if lanes > 1 { flow.side_by_side(lanes) } else { flow })
    }

    /// The tasks of each lane beside those of the others.
    fn side_by_side(&self, lanes: usize) -> SignalFlow {
        let word = |word: FlowWord, lane: usize| match word.signal {
            // Of the words of a firing the last lane's come last.
            0 => FlowWord { signal: 0, age: word.age * lanes + (lanes - 1 - lane) },
            task => FlowWord { signal: (task - 1) * lanes + lane + 1, age: word.age },
        };
        let mut tasks = Vec::new();
        for task in &self.tasks {
            for lane in 0..lanes {
                let mut own = task.clone();
                for product in &mut own.products {
                    product.first = word(product.first, lane);
                    product.second =
                        product.second.map(|(sign, second)| (sign, word(second, lane)));
                }
                tasks.push(own);
            }
        }
        let outputs = self.outputs.iter().flat_map(|out| (0..lanes).map(|lane| word(*out, lane)));
        SignalFlow { tasks, takes: self.takes * lanes, outputs: outputs.collect(), ..self.clone() }
    }

    /// The flow of a datapath whose coefficients can be loaded: nothing in it follows from what they are.
    /// None is left out as zero, and none is shared with another of the same size.
    ///
    /// ```
    /// use mellow_rake::hardware::SignalFlow;
    /// use mellow_rake::Wish;
    /// use mellow_rake::spec::{Fixed, Structure};
    /// let words = Fixed::new(Structure::DirectForm1, "s16f15".parse()?);
    /// let study = Wish::lowpass("1 kHz").cutoff("40 Hz").butterworth(4).words(words).study()?;
    /// let flow = SignalFlow::loadable(&study.integers()?.checked)?;
    /// assert_eq!(flow.load_map.unwrap().words(), 10);
    /// # Ok::<(), Box<dyn std::error::Error>>(())
    /// ```
    ///
    /// # Errors
    /// As of [`SignalFlow::of`], and [`HardwareError::Coefficients`] where the program holds for its own
    /// coefficients only.
    pub fn loadable(checked: &Checked) -> Result<Self, HardwareError> {
        Self::of(checked)?.of_single_words()?;
        let any = checked.for_any_coefficients().map_err(HardwareError::Coefficients)?;
        let mut flow = unroll(&any, Some(LoadMap::of(any.datapath())));
        flow.negate_loaded();
        Ok(flow)
    }

    /// The flow, if a firing takes one word and gives one.
    pub(super) fn of_single_words(&self) -> Result<&Self, HardwareError> {
        match (self.takes, self.outputs.len()) {
            (1, 1) => Ok(self),
            (takes, gives) => Err(HardwareError::Firing { takes, gives }),
        }
    }

    /// The format of what is given.
    pub fn output_format(&self) -> WordFormat {
        self.format(self.outputs[0].signal)
    }

    /// Whether a task gives a word that goes out, and which of them.
    pub(super) fn delivery(&self, task: usize) -> Option<usize> {
        self.outputs.iter().position(|word| word.signal == task + 1)
    }

    /// A sum that is only a term of another one becomes a part of it, if nothing is done to it before: sums
    /// are exact.
    fn join_sums(&mut self) {
        for task in 0..self.tasks.len() {
            let signal = task + 1;
            let is_it = |word: FlowWord| word.signal == signal;
            let uses = |product: &FlowProduct| {
                usize::from(is_it(product.first))
                    + usize::from(product.second.is_some_and(|(_, word)| is_it(word)))
            };
            let used: usize = self.tasks.iter().flat_map(|task| &task.products).map(uses).sum();
            let goes_out = self.outputs.iter().any(|word| is_it(*word));
            if used != 1 || goes_out || !self.tasks[task].ending.is_empty() {
                continue;
            }
            let is_term = |product: &FlowProduct| {
                let plain = Alignment::by(product.alignment.shift);
                let is_word = product.is_word && product.coefficient == 1;
                is_word
                    && product.alignment == plain
                    && product.first == FlowWord { signal, age: 0 }
            };
            let is_there = |(other, task): (usize, &Task)| {
                Some((other, task.products.iter().position(is_term)?))
            };
            let place = self.tasks.iter().enumerate().find_map(is_there);
            let Some((other, index)) = place else { continue };
            let shift = self.tasks[other].products.remove(index).alignment.shift;
            let mut own = std::mem::take(&mut self.tasks[task].products);
            own.iter_mut().for_each(|product| product.alignment.shift += shift);
            own.append(&mut self.tasks[other].products);
            self.tasks[other].products = own;
        }
        self.drop_empty();
    }

    /// Leaves out tasks of no products, and products that are zero beside others.
    fn drop_empty(&mut self) {
        let mut numbers = vec![0];
        for task in &self.tasks {
            numbers.push(numbers[numbers.len() - 1] + usize::from(!task.products.is_empty()));
        }
        self.tasks.retain(|task| !task.products.is_empty());
        let moved = |word: &mut FlowWord| word.signal = numbers[word.signal];
        for task in &mut self.tasks {
            let is_zero = |product: &FlowProduct| product.coefficient == 0;
            if !task.products.iter().all(is_zero) {
                task.products.retain(|product| !is_zero(product));
            }
            for product in &mut task.products {
                moved(&mut product.first);
                if let Some((_, second)) = &mut product.second {
                    moved(second);
                }
            }
        }
        self.outputs.iter_mut().for_each(moved);
    }

    /// Where a coefficient is only ever subtracted the unit remembers its opposite, so that nothing has to be
    /// subtracted. The opposite of the smallest integer is none of the format: where that is there at
    /// power-up the products are subtracted after all.
    fn negate_loaded(&mut self) {
        let Some(map) = &mut self.load_map else { return };
        let mut is_negated: Vec<bool> =
            map.values().zip(map.smallest()).map(|(v, s)| v != s).collect();
        if !map.is_signed() {
            is_negated.fill(false);
        }
        let loaded = |product: &&FlowProduct| product.address.is_some();
        for product in self.tasks.iter().flat_map(|task| &task.products).filter(loaded) {
            // A rounded product and its opposite are not rounded alike.
            let Alignment { dropped, subtracted, .. } = product.alignment;
            is_negated[product.address.unwrap_or(0)] &= subtracted && dropped == 0;
        }
        for product in self.tasks.iter_mut().flat_map(|task| &mut task.products) {
            if product.address.is_some_and(|address| is_negated[address]) {
                product.coefficient = -product.coefficient;
                product.alignment.subtracted = false;
            }
        }
        map.negated = is_negated;
    }

    /// The most products and sums for each firing that a flow is made of.
    pub const MOST_PRODUCTS: usize = 65_536;

    /// The format of a signal.
    pub fn format(&self, signal: usize) -> WordFormat {
        match signal {
            0 => self.input,
            task => self.tasks[task - 1].format,
        }
    }

    /// For each signal the oldest word that is read, `None` where none is: what must be remembered of it.
    pub fn depths(&self) -> Vec<Option<usize>> {
        let mut depths = vec![None; self.tasks.len() + 1];
        let mut need = |word: FlowWord| {
            let depth = &mut depths[word.signal];
            *depth = (*depth).max(Some(word.age));
        };
        for product in self.tasks.iter().flat_map(|task| &task.products) {
            need(product.first);
            if let Some((_, second)) = product.second {
                need(second);
            }
        }
        depths
    }

    /// Bits of a signal's words with their sign.
    pub(super) fn word_bits(&self, signal: usize) -> u32 {
        let format = self.format(signal);
        format.width() + u32::from(!format.is_signed())
    }

    /// Bits of what meets a coefficient, with its sign: a word, or the sum of two.
    pub(super) fn operand_bits(&self, product: &FlowProduct) -> u32 {
        let first = self.word_bits(product.first.signal);
        match product.second {
            None => first,
            Some((_, second)) => first.max(self.word_bits(second.signal)) + 1,
        }
    }

    /// Products of all tasks together.
    pub fn products(&self) -> usize {
        self.tasks.iter().map(|task| task.products.len()).sum()
    }

    /// Where two words of one signal meet the same coefficient, or opposite ones, in a task of eight products
    /// or more: the words are added first, and one product is left of two.
    ///
    /// Sums are exact, so nothing changes in the result: a·x + a·y = a·(x + y).
    pub fn fold(&mut self) {
        for task in &mut self.tasks {
            if task.products.len() < 8 {
                continue;
            }
            let mut waiting: BTreeMap<(usize, i128, u32), Vec<usize>> = BTreeMap::new();
            let mut folded: Vec<Option<FlowProduct>> = Vec::new();
            for product in &task.products {
                let is_exact = product.alignment.dropped == 0 && !product.alignment.subtracted;
                let is_alone = product.is_word || product.address.is_some();
                if product.second.is_some() || !is_exact || is_alone {
                    folded.push(Some(*product));
                    continue;
                }
                let size = product.coefficient.abs();
                let key = (product.first.signal, size, product.alignment.shift);
                let others = waiting.entry(key).or_default();
                match others.pop() {
                    Some(other) => {
                        let kept = folded[other].as_mut().expect("it waits");
                        let alike = kept.coefficient == product.coefficient;
                        let sign = if alike { Sign::Plus } else { Sign::Minus };
                        kept.second = Some((sign, product.first));
                        folded.push(None);
                    }
                    None => {
                        others.push(folded.len());
                        folded.push(Some(*product));
                    }
                }
            }
            task.products = folded.into_iter().flatten().collect();
        }
    }

    /// Whether words are added before they meet a coefficient.
    pub fn has_pairs(&self) -> bool {
        let mut products = self.tasks.iter().flat_map(|task| &task.products);
        products.any(|product| product.second.is_some())
    }

    /// The opposite: each word meets its coefficient by itself, a·(x + y) = a·x + a·y. Products that are
    /// rounded stay as they are.
    pub fn unfold(&mut self) {
        for task in &mut self.tasks {
            let apart = |product: &FlowProduct| match product.second {
                Some((sign, word)) if product.alignment.dropped == 0 => {
                    let first = FlowProduct { second: None, ..*product };
                    vec![first, FlowProduct { first: word, ..first.signed(sign) }]
                }
                _ => vec![*product],
            };
            task.products = task.products.iter().flat_map(apart).collect();
        }
    }

    /// Where most products of a task are shifted alike and one is shifted more, its coefficient takes the
    /// difference, if that makes it no wider than the widest: one alignment for all is only wires.
    fn absorb_shifts(&mut self) {
        let of_products = self.tasks.iter().flat_map(|task| &task.products);
        let size = |product: &FlowProduct| product.coefficient.abs();
        let largest = of_products.clone().filter(|product| !product.is_word).map(size).max();
        let widest = 128 - largest.unwrap_or(1).leading_zeros();
        let plain = of_products.filter(|p| !p.is_word && p.alignment.dropped == 0);
        let Some(common) = plain.map(|product| product.alignment.shift).min() else { return };
        let of_words = self.tasks.iter().flat_map(|task| &task.products);
        let multiplied = of_words.filter(|product| !product.is_word);
        let operand = multiplied.map(|product| self.operand_bits(product)).max().unwrap_or(0);
        let formats: Vec<u32> =
            (0..=self.tasks.len()).map(|signal| self.word_bits(signal)).collect();
        for product in self.tasks.iter_mut().flat_map(|task| &mut task.products) {
            let Alignment { dropped, shift, .. } = product.alignment;
            let more = shift.saturating_sub(common);
            let width = 128 - product.coefficient.abs().leading_zeros() + more;
            // A word that is too wide for the multiplier goes by it.
            let is_wide = formats[product.first.signal] > operand;
            if dropped == 0 && shift > common && width <= widest && !is_wide {
                product.coefficient <<= more;
                product.alignment.shift = common;
            }
        }
    }
}

/// Runs a flow, firing by firing: the reference that schedules are held against in tests.
#[derive(Debug)]
pub struct FlowSimulator<'a> {
    flow: &'a SignalFlow,
    /// For each signal its words, the newest first.
    words: Vec<Vec<i128>>,
}

impl<'a> FlowSimulator<'a> {
    /// In the zero state.
    pub fn new(flow: &'a SignalFlow) -> Self {
        let depth = |(signal, depth): (usize, Option<usize>)| {
            let given = flow.outputs.iter().filter(|output| output.signal == signal);
            let given = given.map(|output| output.age + 1).max().unwrap_or(1);
            let taken = if signal == 0 { flow.takes } else { 1 };
            vec![0; depth.map_or(0, |depth| depth + 1).max(given).max(taken)]
        };
        let words = flow.depths().into_iter().enumerate().map(depth).collect();
        FlowSimulator { flow, words }
    }

    /// Another flow of the same signals, with the words that this one remembers.
    pub fn with<'b>(&self, flow: &'b SignalFlow) -> FlowSimulator<'b> {
        FlowSimulator { flow, words: self.words.clone() }
    }

    /// One firing that takes one word and gives one.
    pub fn step(&mut self, input: i64) -> i64 {
        self.fire(&[input])[0]
    }

    /// One firing: as many words as it takes, the oldest first.
    pub fn fire(&mut self, input: &[i64]) -> Vec<i64> {
        self.words[1..].iter_mut().for_each(|words| words.rotate_right(1));
        for word in input {
            self.words[0].rotate_right(1);
            self.words[0][0] = (*word).into();
        }
        for (index, task) in self.flow.tasks.iter().enumerate() {
            let word = |word: FlowWord| self.words[word.signal][word.age];
            let product = |product: &FlowProduct| {
                let second = match product.second {
                    None => 0,
                    Some((Sign::Plus, second)) => word(second),
                    Some((Sign::Minus, second)) => -word(second),
                };
                product.alignment.of(product.coefficient * (word(product.first) + second))
            };
            let sum: i128 = task.products.iter().map(product).sum();
            let result = task.ending.iter().fold(sum, |word, step| step.of(word));
            self.words[index + 1][0] = result;
        }
        let given = |word: &FlowWord| self.words[word.signal][word.age] as i64;
        self.flow.outputs.iter().map(given).collect()
    }
}

impl Alignment {
    /// A shift alone.
    pub(super) fn by(shift: u32) -> Self {
        Alignment { dropped: 0, rounding: Rounding::Floor, shift, subtracted: false }
    }

    /// What becomes of a product.
    pub fn of(self, product: i128) -> i128 {
        let aligned = self.rounding.shift_right(product, self.dropped) << self.shift;
        if self.subtracted { -aligned } else { aligned }
    }
}

/// The word that came in.
pub(super) const INPUT: FlowWord = FlowWord { signal: 0, age: 0 };

impl FlowProduct {
    /// A word, added as it is.
    pub(super) fn word(word: FlowWord) -> Self {
        let alignment = Alignment::by(0);
        FlowProduct {
            coefficient: 1,
            first: word,
            second: None,
            alignment,
            is_word: true,
            address: None,
        }
    }

    /// The same, or its opposite; a coefficient that can be loaded has no sign of ours.
    pub(super) fn signed(self, sign: Sign) -> Self {
        let mut product = self;
        match (self.address, sign) {
            (_, Sign::Plus) => {}
            (None, Sign::Minus) => product.coefficient = -self.coefficient,
            (Some(_), Sign::Minus) => product.alignment.subtracted = !self.alignment.subtracted,
        }
        product
    }
}

pub(super) fn signed(sign: Sign, value: i128) -> i128 {
    match sign {
        Sign::Plus => value,
        Sign::Minus => -value,
    }
}
