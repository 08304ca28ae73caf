//! The signal flow of a datapath: its loops unrolled, each signal named once, each sum a task.

use super::HardwareError;
use crate::datapath::{
    Block, Checked, Fold, LineIndex, Node, Operation, RoundedProducts, Row, Sign, TableIndex, Term,
};
use crate::fixed::{Overflow, Rounding, WordFormat};
use std::collections::{BTreeMap, BTreeSet};
use std::fmt;

/// A word of a signal: signal 0 is the input, signal t + 1 is what task t gives.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub struct FlowWord {
    /// The number of the signal.
    pub signal: usize,
    /// How many firings ago it was given; 0 is this firing. Before the first firing all words are zero.
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

/// A datapath that takes a word and gives one, as tasks on signals.
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
    /// The word that is given.
    pub output: FlowWord,
}

impl SignalFlow {
    /// The flow of a datapath.
    ///
    /// # Errors
    /// [`HardwareError::Firing`] for one that takes or gives several words, [`HardwareError::Products`]
    /// beyond [`SignalFlow::MOST_PRODUCTS`].
    pub fn of(checked: &Checked) -> Result<Self, HardwareError> {
        let datapath = checked.datapath();
        if !datapath.is_per_sample() {
            let (takes, gives) = (datapath.words_in(), datapath.words_out());
            return Err(HardwareError::Firing { takes, gives });
        }
        let products = checked.cost().multiplies_per_sample + checked.cost().adds_per_sample;
        if products > Self::MOST_PRODUCTS {
            return Err(HardwareError::Products { found: products, most: Self::MOST_PRODUCTS });
        }
        let mut unroller = Unroller::new(checked);
        unroller.block(&datapath.body, None, 0);
        let mut flow = unroller.finish();
        flow.absorb_shifts();
        Ok(flow)
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
                if product.second.is_some() || !is_exact || product.is_word {
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

    /// The opposite: each word meets its coefficient by itself, a·(x + y) = a·x + a·y. Products that are
    /// rounded stay as they are.
    pub fn unfold(&mut self) {
        for task in &mut self.tasks {
            let apart = |product: &FlowProduct| match product.second {
                Some((sign, word)) if product.alignment.dropped == 0 => {
                    let first = FlowProduct { second: None, ..*product };
                    let coefficient = signed(sign, product.coefficient);
                    vec![first, FlowProduct { coefficient, first: word, ..first }]
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
        let output = flow.output;
        let depth = |(signal, depth): (usize, Option<usize>)| {
            let read = depth.map_or(0, |depth| depth + 1);
            vec![0; read.max(if signal == output.signal { output.age + 1 } else { 1 })]
        };
        let words = flow.depths().into_iter().enumerate().map(depth).collect();
        FlowSimulator { flow, words }
    }

    /// One firing.
    pub fn step(&mut self, input: i64) -> i64 {
        for words in &mut self.words {
            words.rotate_right(1);
        }
        self.words[0][0] = input.into();
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
        let FlowWord { signal, age } = self.flow.output;
        self.words[signal][age] as i64
    }
}

impl Alignment {
    /// A shift alone.
    fn by(shift: u32) -> Self {
        Alignment { dropped: 0, rounding: Rounding::Floor, shift, subtracted: false }
    }

    /// What becomes of a product.
    pub fn of(self, product: i128) -> i128 {
        let aligned = self.rounding.shift_right(product, self.dropped) << self.shift;
        if self.subtracted { -aligned } else { aligned }
    }
}

/// What a node stands for while the program is unrolled.
#[derive(Debug, Clone, Copy)]
struct Value {
    word: FlowWord,
    /// The task whose word it is, if that may still be continued: nothing else will use it.
    open: Option<usize>,
}

struct Unroller<'a> {
    checked: &'a Checked,
    /// How often the word of each node is used, within one pass.
    uses: Vec<usize>,
    values: Vec<Option<Value>>,
    /// The tasks; none where a product has become a part of its sum.
    tasks: Vec<Option<Task>>,
    /// What each row of each line is given in this firing.
    stored: BTreeMap<(usize, usize), FlowWord>,
    /// Reads of lines whose word of this firing is not known yet: they get a signal beyond all tasks.
    awaited: Vec<(LineIndex, usize, usize)>,
    output: FlowWord,
}

/// Where the signals begin that stand for reads of lines, until all stores are known.
const AWAITED: usize = usize::MAX / 2;

impl<'a> Unroller<'a> {
    fn new(checked: &'a Checked) -> Self {
        let datapath = checked.datapath();
        let mut uses = vec![0; datapath.nodes()];
        let mut count = |operations: &[(Node, Operation)], is_loop: bool| {
            let inside: BTreeSet<Node> = operations.iter().map(|(node, _)| *node).collect();
            for word in operations.iter().flat_map(|(_, operation)| operation.words()) {
                // What a loop uses from outside it uses in every pass.
                uses[word.0 as usize] += if is_loop && !inside.contains(&word) { 2 } else { 1 };
            }
        };
        count(&datapath.body, false);
        for (_, operation) in &datapath.body {
            if let Operation::Repeat { body, .. } = operation {
                count(&body.operations, true);
            }
        }
        Unroller {
            checked,
            values: vec![None; uses.len()],
            uses,
            tasks: Vec::new(),
            stored: BTreeMap::new(),
            awaited: Vec::new(),
            output: FlowWord { signal: 0, age: 0 },
        }
    }

    fn block(&mut self, operations: &[(Node, Operation)], carried: Option<Value>, pass: usize) {
        for (node, operation) in operations {
            let value = match operation {
                Operation::Input { .. } => closed(FlowWord { signal: 0, age: 0 }),
                Operation::Carried => carried.expect("a checked datapath: inside a loop"),
                Operation::Tap { line, row, age } => closed(self.tap(*line, row.at(pass), *age)),
                Operation::Product { table, row, column, word } => {
                    let coefficient = self.coefficient(*table, row.at(pass), *column);
                    let first = self.value(*word).word;
                    let product = FlowProduct {
                        coefficient,
                        first,
                        second: None,
                        alignment: Alignment::by(0),
                        is_word: false,
                    };
                    self.task(*node, pass, vec![product], Vec::new())
                }
                Operation::Accumulate { terms, format } => self.sum(*node, pass, terms, *format),
                Operation::Round { word, fraction, rounding } => {
                    let own = self.fraction(*word);
                    let step = match own - fraction {
                        0 => None,
                        dropped @ 1.. => {
                            Some(Step::Round { dropped: dropped as u32, rounding: *rounding })
                        }
                        appended => Some(Step::Append { zeros: appended.unsigned_abs() }),
                    };
                    self.unary(*node, pass, *word, step)
                }
                Operation::Limit { word, format, overflow } => {
                    let acts = self.checked.facts().limit(*node).is_none_or(|fact| fact.acts);
                    let (width, signed) = (format.width(), format.is_signed());
                    // A limit that is proved idle keeps every word; only its bits are fewer.
                    let step = match overflow {
                        Overflow::Saturate if acts => Step::Saturate { width, signed },
                        _ => Step::Wrap { width, signed },
                    };
                    self.unary(*node, pass, *word, Some(step))
                }
                Operation::Store { line, row, word } => {
                    let value = self.value(*word);
                    self.stored.insert((line.0, row.at(pass)), value.word);
                    closed(value.word)
                }
                Operation::Deliver { word, .. } => {
                    let value = self.value(*word);
                    self.output = value.word;
                    closed(value.word)
                }
                Operation::Repeat { passes, first, body } => {
                    let Block { operations, result } = body;
                    let mut carried = closed(self.value(*first).word);
                    for pass in 0..*passes {
                        self.block(operations, Some(carried), pass);
                        carried = closed(self.value(*result).word);
                    }
                    carried
                }
            };
            self.values[node.0 as usize] = Some(value);
        }
    }

    fn value(&self, node: Node) -> Value {
        self.values[node.0 as usize].expect("a checked datapath: given before it is used")
    }

    fn fraction(&self, node: Node) -> i32 {
        self.checked.facts().format(node).fraction()
    }

    fn coefficient(&self, table: TableIndex, row: usize, column: usize) -> i128 {
        self.checked.datapath().tables[table.0].coefficient(row, column).into()
    }

    /// The word of a line: the signal that the row is given, so many firings ago.
    fn tap(&mut self, line: LineIndex, row: usize, age: usize) -> FlowWord {
        if age == 0 {
            return self.stored[&(line.0, row)];
        }
        self.awaited.push((line, row, age));
        FlowWord { signal: AWAITED + self.awaited.len() - 1, age: 0 }
    }

    /// A new task, with the word that it gives.
    fn task(
        &mut self,
        node: Node,
        pass: usize,
        products: Vec<FlowProduct>,
        ending: Vec<Step>,
    ) -> Value {
        let facts = self.checked.facts();
        let range = match facts.sum(node) {
            Some(sum) => (sum.low, sum.high),
            None => facts.range(node),
        };
        let format = facts.format(node);
        self.tasks.push(Some(Task { node, pass, products, range, ending, format }));
        let open = (self.uses[node.0 as usize] == 1).then_some(self.tasks.len() - 1);
        Value { word: FlowWord { signal: self.tasks.len(), age: 0 }, open }
    }

    /// A rounding or limit: the end of the task before, if only this uses it.
    fn unary(&mut self, node: Node, pass: usize, word: Node, step: Option<Step>) -> Value {
        let value = self.value(word);
        let format = self.checked.facts().format(node);
        let Some(open) = value.open else {
            let range = self.checked.facts().range(word);
            let product = FlowProduct::word(value.word);
            let task = self.task(node, pass, vec![product], Vec::from_iter(step));
            self.tasks.last_mut().and_then(Option::as_mut).expect("just made").range = range;
            return task;
        };
        let task = self.tasks[open].as_mut().expect("open: not yet a part of another");
        task.ending.extend(step);
        (task.node, task.pass, task.format) = (node, pass, format);
        let is_open = self.uses[node.0 as usize] == 1;
        Value { word: value.word, open: is_open.then_some(open) }
    }

    fn sum(&mut self, node: Node, pass: usize, terms: &[Term], format: WordFormat) -> Value {
        let fraction = format.fraction();
        let mut products = Vec::new();
        let datapath = self.checked.datapath();
        for term in terms {
            match term {
                Term::Word { sign, word, binary_point_shift } => {
                    let shift = (fraction - self.fraction(*word) - binary_point_shift) as u32;
                    products.push(self.word(*sign, self.value(*word), shift));
                }
                Term::Dot {
                    sign,
                    table,
                    table_row,
                    column,
                    line,
                    line_row,
                    age,
                    count,
                    products: how,
                } => {
                    let own = datapath.tables[table.0].format.fraction()
                        + datapath.lines[line.0].format.fraction();
                    for k in 0..*count {
                        let value = self.coefficient(*table, table_row.at(pass), column + k);
                        if value == 0 {
                            continue;
                        }
                        let first = self.tap(*line, line_row.at(pass), age + k);
                        products.push(aligned((*sign, value), first, None, *how, (own, fraction)));
                    }
                }
                Term::Folded(fold) => self.folded(fold, pass, fraction, &mut products),
            }
        }
        if products.is_empty() {
            // A sum of nothing is zero times something.
            products.push(FlowProduct { coefficient: 0, ..FlowProduct::word(INPUT) });
        }
        let wraps = self.checked.facts().sum(node).is_none_or(|sum| sum.wraps);
        let wrap = Step::Wrap { width: format.width(), signed: format.is_signed() };
        self.task(node, pass, products, Vec::from_iter(wraps.then_some(wrap)))
    }

    fn folded(&mut self, fold: &Fold, pass: usize, fraction: i32, products: &mut Vec<FlowProduct>) {
        let datapath = self.checked.datapath();
        let own = datapath.tables[fold.table.0].format.fraction()
            + datapath.lines[fold.line.0].format.fraction();
        let row = |row: Row| row.at(pass);
        for k in 0..fold.count {
            let value = self.coefficient(fold.table, row(fold.table_row), fold.column + k);
            if value == 0 {
                continue;
            }
            let mut tap = |age| self.tap(fold.line, row(fold.line_row), age);
            let (first, second) =
                (tap(fold.age + fold.stride * k), tap(fold.mirror - fold.stride * k));
            let second = Some((fold.second, second));
            let value = (Sign::Plus, value);
            products.push(aligned(value, first, second, fold.products, (own, fraction)));
        }
    }

    /// A word as a term of a sum. A product that only this sum uses becomes a term itself.
    fn word(&mut self, sign: Sign, value: Value, shift: u32) -> FlowProduct {
        if let Some(open) = value.open
            && let Some(Task { products, ending, .. }) = &self.tasks[open]
            && let ([product], []) = (&products[..], &ending[..])
            && product.alignment == Alignment::by(0)
        {
            let coefficient = signed(sign, product.coefficient);
            let product = FlowProduct { coefficient, alignment: Alignment::by(shift), ..*product };
            self.tasks[open] = None;
            return product;
        }
        let coefficient = signed(sign, 1);
        FlowProduct {
            coefficient,
            alignment: Alignment::by(shift),
            ..FlowProduct::word(value.word)
        }
    }

    /// Puts the signals in the place of lines: a line has the words of the signal that it is given, each a
    /// firing older than it was there.
    fn finish(mut self) -> SignalFlow {
        let mut numbers = vec![0];
        for task in &self.tasks {
            numbers.push(numbers[numbers.len() - 1] + usize::from(task.is_some()));
        }
        let resolve = |mut word: FlowWord| {
            // A line that is given nothing but its own words is zero for ever.
            for _ in 0..=self.awaited.len() {
                let Some(read) = word.signal.checked_sub(AWAITED) else {
                    return Some(FlowWord { signal: numbers[word.signal], age: word.age });
                };
                let (line, row, age) = self.awaited[read];
                let stored = self.stored[&(line.0, row)];
                word = FlowWord { signal: stored.signal, age: stored.age + age + word.age };
            }
            None
        };
        let mut tasks: Vec<Task> = std::mem::take(&mut self.tasks).into_iter().flatten().collect();
        for product in tasks.iter_mut().flat_map(|task| &mut task.products) {
            let second = product.second.map(|(sign, word)| (sign, resolve(word)));
            *product = match (resolve(product.first), second) {
                (Some(first), None) => FlowProduct { first, ..*product },
                (Some(first), Some((_, None))) => FlowProduct { first, second: None, ..*product },
                (Some(first), Some((sign, Some(word)))) => {
                    FlowProduct { first, second: Some((sign, word)), ..*product }
                }
                (None, Some((sign, Some(word)))) => {
                    let coefficient = signed(sign, product.coefficient);
                    FlowProduct { coefficient, first: word, second: None, ..*product }
                }
                (None, _) => {
                    FlowProduct { coefficient: 0, second: None, ..FlowProduct::word(INPUT) }
                }
            };
        }
        let output = resolve(self.output);
        let input = self.checked.input();
        let mut flow = SignalFlow { input, tasks, output: output.unwrap_or(INPUT) };
        if output.is_none() || flow.output.signal == 0 || flow.output.age > 0 {
            // What goes out as it came in, or later, goes through the unit as well.
            let format = flow.format(flow.output.signal);
            let coefficient = i128::from(output.is_some());
            let products = vec![FlowProduct { coefficient, ..FlowProduct::word(flow.output) }];
            let range = (format.minimum(), format.maximum());
            let (node, pass, ending) = (Node(0), 0, Vec::new());
            flow.tasks.push(Task { node, pass, products, range, ending, format });
            flow.output = FlowWord { signal: flow.tasks.len(), age: 0 };
        }
        flow
    }
}

/// The word that came in.
const INPUT: FlowWord = FlowWord { signal: 0, age: 0 };

impl FlowProduct {
    /// A word, added as it is.
    fn word(word: FlowWord) -> Self {
        let alignment = Alignment::by(0);
        FlowProduct { coefficient: 1, first: word, second: None, alignment, is_word: true }
    }
}

fn closed(word: FlowWord) -> Value {
    Value { word, open: None }
}

fn signed(sign: Sign, value: i128) -> i128 {
    match sign {
        Sign::Plus => value,
        Sign::Minus => -value,
    }
}

/// A product of the fraction `own` as it is added to a sum of another. Of one that is rounded the sign stays
/// behind the rounding.
fn aligned(
    (sign, coefficient): (Sign, i128),
    first: FlowWord,
    second: Option<(Sign, FlowWord)>,
    products: Option<RoundedProducts>,
    (own, fraction): (i32, i32),
) -> FlowProduct {
    let (coefficient, alignment) = match products {
        Some(RoundedProducts { fraction: to, rounding }) if own > to => {
            let (dropped, shift) = ((own - to) as u32, (fraction - to) as u32);
            let subtracted = sign == Sign::Minus;
            (coefficient, Alignment { dropped, rounding, shift, subtracted })
        }
        _ => (signed(sign, coefficient), Alignment::by((fraction - own) as u32)),
    };
    FlowProduct { coefficient, first, second, alignment, is_word: false }
}
