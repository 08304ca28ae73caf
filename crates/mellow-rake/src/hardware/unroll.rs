//! From a datapath to its flow: loops unrolled, lines in the place of signals, roundings and limits behind
//! the sums that they end.

use super::LoadMap;
use super::flow::{Alignment, FlowProduct, FlowWord, INPUT, SignalFlow, Step, Task, signed};
use crate::datapath::{
    Block, Checked, Fold, LineIndex, Node, Operation, RoundedProducts, Row, Sign, TableIndex, Term,
};
use crate::fixed::{Overflow, WordFormat};
use std::collections::{BTreeMap, BTreeSet};

/// The flow of a datapath of one stream in and one out.
///
/// With a map of coefficients each product has the address of its own, and none is left out as zero.
pub(super) fn unroll(checked: &Checked, load_map: Option<LoadMap>) -> SignalFlow {
    let mut unroller = Unroller::new(checked, load_map);
    unroller.block(&checked.datapath().body, None, 0);
    unroller.finish()
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
    load_map: Option<LoadMap>,
    /// How often the word of each node is used, within one pass.
    uses: Vec<usize>,
    values: Vec<Option<Value>>,
    /// The tasks; none where a product has become a part of its sum.
    tasks: Vec<Option<Task>>,
    /// What each row of each line is given in this firing.
    stored: BTreeMap<(usize, usize), FlowWord>,
    /// Reads of lines whose word of this firing is not known yet: they get a signal beyond all tasks.
    awaited: Vec<(LineIndex, usize, usize)>,
    outputs: Vec<FlowWord>,
}

/// Where the signals begin that stand for reads of lines, until all stores are known.
const AWAITED: usize = usize::MAX / 2;

impl<'a> Unroller<'a> {
    fn new(checked: &'a Checked, load_map: Option<LoadMap>) -> Self {
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
            load_map,
            values: vec![None; uses.len()],
            uses,
            tasks: Vec::new(),
            stored: BTreeMap::new(),
            awaited: Vec::new(),
            outputs: vec![INPUT; datapath.words_out()],
        }
    }

    fn block(&mut self, operations: &[(Node, Operation)], carried: Option<Value>, pass: usize) {
        for (node, operation) in operations {
            let value = match operation {
                Operation::Input { at, .. } => {
                    // The last of the firing has the age 0.
                    let age = self.checked.datapath().words_in() - 1 - at.at(pass);
                    closed(FlowWord { signal: 0, age })
                }
                Operation::Carried => carried.expect("a checked datapath: inside a loop"),
                Operation::Tap { line, row, age } => closed(self.tap(*line, row.at(pass), *age)),
                Operation::Product { table, row, column, word } => {
                    let coefficient = self.coefficient(*table, row.at(pass), *column);
                    let first = self.value(*word).word;
                    let product = FlowProduct {
                        coefficient,
                        is_word: false,
                        address: self.address(*table, row.at(pass), *column),
                        ..FlowProduct::word(first)
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
                Operation::Deliver { word, at, .. } => {
                    let value = self.value(*word);
                    self.outputs[at.at(pass)] = value.word;
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

    fn address(&self, table: TableIndex, row: usize, column: usize) -> Option<usize> {
        self.load_map.as_ref().map(|map| map.address(table.0, row, column))
    }

    /// A product with the sign that its term has in the sum, at the address of its coefficient.
    fn placed(product: FlowProduct, sign: Sign, address: Option<usize>) -> FlowProduct {
        FlowProduct { address, ..product }.signed(sign)
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
                        let address = self.address(*table, table_row.at(pass), column + k);
                        if value == 0 && address.is_none() {
                            continue;
                        }
                        let first = self.tap(*line, line_row.at(pass), age + k);
                        let fractions = (own, fraction);
                        products.push(match address {
                            None => aligned((*sign, value), first, None, *how, fractions),
                            Some(_) => {
                                let plain = (Sign::Plus, value);
                                let product = aligned(plain, first, None, *how, fractions);
                                Self::placed(product, *sign, address)
                            }
                        });
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
            let address = self.address(fold.table, row(fold.table_row), fold.column + k);
            if value == 0 && address.is_none() {
                continue;
            }
            let mut tap = |age| self.tap(fold.line, row(fold.line_row), age);
            let (first, second) =
                (tap(fold.age + fold.stride * k), tap(fold.mirror - fold.stride * k));
            let second = Some((fold.second, second));
            let value = (Sign::Plus, value);
            let product = aligned(value, first, second, fold.products, (own, fraction));
            products.push(FlowProduct { address, ..product });
        }
    }

    /// A word as a term of a sum. A product that only this sum uses becomes a term itself.
    fn word(&mut self, sign: Sign, value: Value, shift: u32) -> FlowProduct {
        if let Some(open) = value.open
            && let Some(Task { products, ending, .. }) = &self.tasks[open]
            && let ([product], []) = (&products[..], &ending[..])
            && product.alignment == Alignment::by(0)
        {
            let product = FlowProduct { alignment: Alignment::by(shift), ..*product }.signed(sign);
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
        let takes = self.checked.datapath().words_in();
        let resolve = |mut word: FlowWord| {
            let mut firings = 0;
            // A line that is given nothing but its own words is zero for ever.
            for _ in 0..=self.awaited.len() {
                let Some(read) = word.signal.checked_sub(AWAITED) else {
                    let apart = if word.signal == 0 { takes } else { 1 };
                    let age = word.age + firings * apart;
                    return Some(FlowWord { signal: numbers[word.signal], age });
                };
                let (line, row, age) = self.awaited[read];
                word = self.stored[&(line.0, row)];
                firings += age;
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
                    FlowProduct { first: word, second: None, ..product.signed(sign) }
                }
                (None, _) => {
                    FlowProduct { coefficient: 0, second: None, ..FlowProduct::word(INPUT) }
                }
            };
        }
        let outputs: Vec<Option<FlowWord>> =
            self.outputs.iter().map(|word| resolve(*word)).collect();
        let input = self.checked.input();
        let load_map = self.load_map.take();
        let mut flow = SignalFlow { input, tasks, takes, outputs: Vec::new(), load_map };
        for output in outputs {
            let word = output.unwrap_or(INPUT);
            // Each goes out by a task of its own, behind that of the one before.
            let before = flow.outputs.last().map_or(0, |before| before.signal);
            if output.is_some() && word.age == 0 && word.signal > before {
                flow.outputs.push(word);
                continue;
            }
            // What goes out as it came in, or later, goes through the unit as well.
            let format = flow.format(word.signal);
            let coefficient = i128::from(output.is_some());
            let products = vec![FlowProduct { coefficient, ..FlowProduct::word(word) }];
            let range = (format.minimum(), format.maximum());
            let (node, pass, ending) = (Node(0), 0, Vec::new());
            flow.tasks.push(Task { node, pass, products, range, ending, format });
            flow.outputs.push(FlowWord { signal: flow.tasks.len(), age: 0 });
        }
        flow
    }
}

fn closed(word: FlowWord) -> Value {
    Value { word, open: None }
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
    FlowProduct { coefficient, first, second, alignment, is_word: false, address: None }
}
