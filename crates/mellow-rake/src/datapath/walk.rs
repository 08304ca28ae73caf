//! One walk through a datapath, for every reading that runs it.
//!
//! The exact simulator, the interval analysis, the linear model and the search for loops all
//! execute the same operations in the same order; they differ only in what a word is and
//! what an operation does to it. That difference is an [`Arithmetic`].

use super::ports::offsets;
use super::{Datapath, Line, Node, Operation, RoundedProducts, Row, Sign, Term};
use crate::fixed::{Overflow, Rounding, WordFormat};

/// Where an operation is executed: its node, and the pass of the loop around it (0 outside).
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub(super) struct Place {
    pub(super) node: Node,
    pub(super) pass: usize,
}

/// What words are and what operations do to them.
pub(super) trait Arithmetic {
    type Word: Copy;

    fn zero(&self) -> Self::Word;
    fn coefficient(&mut self, value: i64, format: WordFormat) -> Self::Word;
    fn product(&mut self, at: Place, coefficient: Self::Word, word: Self::Word) -> Self::Word;
    /// `sum ± term · 2^shift`
    fn add(&mut self, sum: Self::Word, sign: Sign, term: Self::Word, shift: u32) -> Self::Word;
    fn close_sum(&mut self, at: Place, sum: Self::Word, format: WordFormat) -> Self::Word;
    /// A word whose binary point moves to the left by some places: the same integer.
    fn shift_point(&mut self, word: Self::Word, _places: i32) -> Self::Word {
        word
    }
    /// Drops `shift` bits, or appends `-shift` zeros.
    fn round(&mut self, at: Place, word: Self::Word, shift: i32, rounding: Rounding) -> Self::Word;
    /// The same to a product on its way into a sum.
    fn round_product(
        &mut self,
        at: Place,
        word: Self::Word,
        shift: i32,
        rounding: Rounding,
    ) -> Self::Word {
        self.round(at, word, shift, rounding)
    }
    fn limit(&mut self, at: Place, word: Self::Word, to: WordFormat, how: Overflow) -> Self::Word;
    /// Told of every word that an operation gives.
    fn seen(&mut self, _at: Place, _word: Self::Word) {}
}

/// The memory of one line.
struct Memory<W> {
    depth: usize,
    /// Row by row, ages 1 to depth.
    words: Vec<W>,
    /// The word of age 0 of each row.
    now: Vec<W>,
}

/// A datapath at work with one arithmetic.
pub(super) struct Machine<'a, A: Arithmetic> {
    datapath: &'a Datapath,
    pub(super) arithmetic: A,
    memory: Vec<Memory<A::Word>>,
    values: Vec<A::Word>,
    /// What came in, port by port, and where the words of each port begin.
    input: Vec<A::Word>,
    inputs: Vec<usize>,
    /// The same of what goes out.
    output: Vec<A::Word>,
    outputs: Vec<usize>,
    fractions: &'a [i32],
}

impl<'a, A: Arithmetic> Machine<'a, A> {
    /// A machine in the zero state. `fractions` holds the fraction of every node.
    pub(super) fn new(datapath: &'a Datapath, fractions: &'a [i32], arithmetic: A) -> Self {
        let zero = arithmetic.zero();
        let memory = datapath
            .lines
            .iter()
            .map(|line: &Line| Memory {
                depth: line.depth,
                words: vec![zero; line.rows * line.depth],
                now: vec![zero; line.rows],
            })
            .collect();
        let values = vec![zero; datapath.nodes()];
        let (input, output) = (vec![zero; datapath.words_in()], vec![zero; datapath.words_out()]);
        let (inputs, outputs) = (offsets(&datapath.inputs), offsets(&datapath.outputs));
        Machine { datapath, arithmetic, memory, values, input, inputs, output, outputs, fractions }
    }

    /// Every remembered word, line by line, row by row, age by age.
    pub(super) fn state(&self) -> impl Iterator<Item = A::Word> + '_ {
        self.memory.iter().flat_map(|memory| memory.words.iter().copied())
    }

    /// The words that the rows were given in the last firing, line by line.
    pub(super) fn stored(&self) -> impl Iterator<Item = A::Word> + '_ {
        self.memory.iter().flat_map(|memory| memory.now.iter().copied())
    }

    /// Sets every remembered word, from its index in the order of [`Machine::state`] and its line.
    pub(super) fn set_state(&mut self, mut word: impl FnMut(usize, &Line) -> A::Word) {
        let mut index = 0;
        for (memory, line) in self.memory.iter_mut().zip(&self.datapath.lines) {
            for slot in &mut memory.words {
                *slot = word(index, line);
                index += 1;
            }
        }
    }

    /// One firing: runs the program, then every line moves on by one. The words of all ports stand one after
    /// the other; those that are not given stay as they were, zero at first.
    pub(super) fn step(&mut self, input: impl IntoIterator<Item = A::Word>) -> &[A::Word] {
        let datapath = self.datapath;
        let zero = self.arithmetic.zero();
        for (slot, word) in self.input.iter_mut().zip(input) {
            *slot = word;
        }
        self.block(&datapath.body, zero, 0);
        for memory in &mut self.memory {
            let depth = memory.depth;
            if depth == 0 {
                continue;
            }
            for (row, now) in memory.now.iter().enumerate() {
                let words = &mut memory.words[row * depth..(row + 1) * depth];
                words.copy_within(0..depth - 1, 1);
                words[0] = *now;
            }
        }
        &self.output
    }

    fn block(&mut self, operations: &'a [(Node, Operation)], carried: A::Word, pass: usize) {
        for (node, operation) in operations {
            let at = Place { node: *node, pass };
            let word = match operation {
                Operation::Input { port, at } => self.input[self.inputs[*port] + at.at(pass)],
                Operation::Carried => carried,
                Operation::Tap { line, row, age } => self.tap(line.0, *row, *age, pass),
                Operation::Product { table, row, column, word } => {
                    let table = &self.datapath.tables[table.0];
                    let value = table.coefficient(row.at(pass), *column);
                    let coefficient = self.arithmetic.coefficient(value, table.format);
                    let word = self.value(*word);
                    self.arithmetic.product(at, coefficient, word)
                }
                Operation::Accumulate { terms, format } => {
                    let mut sum = self.arithmetic.zero();
                    for term in terms {
                        sum = self.add_term(at, sum, term, format.fraction());
                    }
                    self.arithmetic.close_sum(at, sum, *format)
                }
                Operation::Round { word, fraction, rounding } => {
                    let shift = self.fractions[word.0 as usize] - fraction;
                    let word = self.value(*word);
                    self.arithmetic.round(at, word, shift, *rounding)
                }
                Operation::Limit { word, format, overflow } => {
                    let word = self.value(*word);
                    self.arithmetic.limit(at, word, *format, *overflow)
                }
                Operation::Store { line, row, word } => {
                    let word = self.value(*word);
                    self.memory[line.0].now[row.at(pass)] = word;
                    word
                }
                Operation::Deliver { port, at, word } => {
                    let word = self.value(*word);
                    self.output[self.outputs[*port] + at.at(pass)] = word;
                    word
                }
                Operation::Repeat { passes, first, body } => {
                    let mut carried = self.value(*first);
                    for pass in 0..*passes {
                        self.block(&body.operations, carried, pass);
                        carried = self.value(body.result);
                    }
                    carried
                }
            };
            self.arithmetic.seen(at, word);
            self.values[node.0 as usize] = word;
        }
    }

    fn value(&self, node: Node) -> A::Word {
        self.values[node.0 as usize]
    }

    fn tap(&self, line: usize, row: Row, age: usize, pass: usize) -> A::Word {
        let memory = &self.memory[line];
        let row = row.at(pass);
        if age == 0 { memory.now[row] } else { memory.words[row * memory.depth + age - 1] }
    }

    fn add_term(&mut self, at: Place, sum: A::Word, term: &Term, fraction: i32) -> A::Word {
        match term {
            Term::Word { sign, word, binary_point_shift } => {
                let shift =
                    (fraction - self.fractions[word.0 as usize] - binary_point_shift) as u32;
                let word = self.value(*word);
                let word = self.arithmetic.shift_point(word, *binary_point_shift);
                self.arithmetic.add(sum, *sign, word, shift)
            }
            Term::Dot { sign, table, table_row, column, line, line_row, age, count, products } => {
                let table = &self.datapath.tables[table.0];
                let own = table.format.fraction() + self.datapath.lines[line.0].format.fraction();
                let mut sum = sum;
                for k in 0..*count {
                    let value = table.coefficient(table_row.at(at.pass), column + k);
                    let coefficient = self.arithmetic.coefficient(value, table.format);
                    let word = self.tap(line.0, *line_row, age + k, at.pass);
                    let product = self.arithmetic.product(at, coefficient, word);
                    let (product, shift) = self.rounded(at, product, own, *products, fraction);
                    sum = self.arithmetic.add(sum, *sign, product, shift);
                }
                sum
            }
            Term::Folded(fold) => {
                let table = &self.datapath.tables[fold.table.0];
                let line_fraction = self.datapath.lines[fold.line.0].format.fraction();
                let own = table.format.fraction() + line_fraction;
                let mut sum = sum;
                for k in 0..fold.count {
                    let value = table.coefficient(fold.table_row.at(at.pass), fold.column + k);
                    let coefficient = self.arithmetic.coefficient(value, table.format);
                    let word = |age| self.tap(fold.line.0, fold.line_row, age, at.pass);
                    let (one, other) =
                        (word(fold.age + fold.stride * k), word(fold.mirror - fold.stride * k));
                    let pair = self.arithmetic.add(one, fold.second, other, 0);
                    let product = self.arithmetic.product(at, coefficient, pair);
                    let (product, shift) = self.rounded(at, product, own, fold.products, fraction);
                    sum = self.arithmetic.add(sum, Sign::Plus, product, shift);
                }
                sum
            }
        }
    }

    /// A product of the fraction `own` as it is added to a sum of another, and the zeros that bring it there.
    fn rounded(
        &mut self,
        at: Place,
        product: A::Word,
        own: i32,
        products: Option<RoundedProducts>,
        fraction: i32,
    ) -> (A::Word, u32) {
        match products {
            None => (product, (fraction - own) as u32),
            Some(RoundedProducts { fraction: to, rounding }) => {
                let product = self.arithmetic.round_product(at, product, own - to, rounding);
                (product, (fraction - to) as u32)
            }
        }
    }
}
