//! From a checked datapath to statements.

use super::{
    Addend, Addition, Coefficient, Exponent, Factor, Home, Index, Limiting, Local, Lowered, Need,
    Read, Statement, Step, Sum, Value,
};
use crate::datapath::{
    Checked, CommonExponent, Factors, Fold, LineIndex, Node, Operation, Row, Sign, TableIndex, Term,
};
use crate::fixed::{Overflow, Rounding, WordFormat};
use std::collections::{BTreeMap, BTreeSet};
use std::ops::Range;

/// Dot products of at most this many terms are written out; longer ones are loops.
const WRITTEN_OUT: usize = 4;

/// A checked datapath as statements.
pub fn lower(checked: &Checked) -> Lowered {
    let datapath = checked.datapath();
    let mut lowering = Lowering {
        checked,
        locals: BTreeMap::new(),
        stored: BTreeMap::new(),
        looks_up_exponents: vec![false; datapath.tables.len()],
        around: None,
    };
    let body = lowering.block(&datapath.body);
    let result = datapath.result().expect("the check finds every word delivered");
    let result = lowering.locals[&result];
    Lowered {
        inputs: datapath.inputs.clone(),
        outputs: datapath.outputs.clone(),
        tables: datapath.tables.clone(),
        looks_up_exponents: lowering.looks_up_exponents,
        notes: vec![None; datapath.tables.len()],
        lines: datapath.lines.clone(),
        homes: (0..datapath.lines.len()).map(|line| Home { line, first_row: 0 }).collect(),
        windows: vec![None; datapath.lines.len()],
        body,
        result,
    }
}

struct Lowering<'a> {
    checked: &'a Checked,
    /// The word that each operation gives, so far; what is stored is the word itself.
    locals: BTreeMap<Node, Local>,
    /// The word that each row of a line was given in this sample.
    stored: BTreeMap<(usize, Row), Local>,
    looks_up_exponents: Vec<bool>,
    /// The loop around.
    around: Option<Local>,
}

impl Lowering<'_> {
    fn block(&mut self, operations: &[(Node, Operation)]) -> Vec<Statement> {
        let mut body = Vec::new();
        for (node, operation) in operations {
            body.extend(self.operation(*node, operation));
        }
        for (_, operation) in operations {
            let Operation::Store { line, row, word } = operation else { continue };
            if self.checked.datapath().lines[line.0].depth > 0 {
                body.push(Statement::Advance { line: line.0, row: *row, word: self.locals[word] });
            }
        }
        body
    }

    fn operation(&mut self, node: Node, operation: &Operation) -> Option<Statement> {
        let is_computed = matches!(
            operation,
            Operation::Round { .. } | Operation::Accumulate { .. } | Operation::Product { .. }
        );
        let local = Local { node, format: self.checked.facts().format(node), is_computed };
        let value = match operation {
            Operation::Input { port, at } => Value::Input { port: *port, at: *at },
            Operation::Carried => {
                let around = self.around.expect("checked: carried words stand in loops");
                Value::Read(Read::Local(around))
            }
            Operation::Tap { line, row, age } => Value::Read(self.tap(*line, *row, *age)),
            Operation::Product { table, row, column, word } => Value::Product {
                coefficient: self.coefficient(*table, *row, *column..*column + 1, 0),
                word: self.locals[word],
            },
            Operation::Accumulate { terms, format } => {
                let sum = self.sum(local, terms, *format);
                self.locals.insert(node, local);
                return Some(Statement::Sum(sum));
            }
            Operation::Round { word, fraction, rounding } => {
                let word = self.locals[word];
                let dropped = word.format.fraction() - fraction;
                Value::Round { word, dropped, rounding: *rounding }
            }
            Operation::Limit { word, format, overflow } => {
                Value::Limit { word: self.locals[word], how: self.limit(node, *format, *overflow) }
            }
            Operation::Store { line, row, word } => {
                let word = self.locals[word];
                self.stored.insert((line.0, *row), word);
                self.locals.insert(node, word);
                return None;
            }
            Operation::Deliver { port, at, word } => {
                let (port, at, word) = (*port, *at, self.locals[word]);
                self.locals.insert(node, word);
                return Some(Statement::Deliver { port, at, word });
            }
            Operation::Repeat { passes, first, body } => {
                let (first, outer) = (self.locals[first], self.around);
                self.locals.insert(node, local);
                self.around = Some(local);
                let inner = self.block(&body.operations);
                self.around = outer;
                let result = self.locals[&body.result];
                return Some(Statement::Repeat {
                    local,
                    passes: *passes,
                    first,
                    body: inner,
                    result,
                });
            }
        };
        self.locals.insert(node, local);
        Some(Statement::Let { local, value })
    }

    fn tap(&self, line: LineIndex, row: Row, age: usize) -> Read {
        match age.checked_sub(1) {
            None => Read::Local(self.stored[&(line.0, row)]),
            Some(index) => {
                let index = Index { offset: index as i64, step: 0 };
                Read::Remembered { line: line.0, row, index }
            }
        }
    }

    /// The coefficient at the first of these columns, or, with a step, those that a loop takes.
    fn coefficient(
        &mut self,
        table: TableIndex,
        row: Row,
        columns: Range<usize>,
        step: i64,
    ) -> Coefficient {
        let column = Index { offset: columns.start as i64, step };
        self.coefficients(table, row, columns, column)
    }

    fn coefficients(
        &mut self,
        table: TableIndex,
        row: Row,
        columns: Range<usize>,
        column: Index,
    ) -> Coefficient {
        let first = Index { offset: columns.start as i64, step: 0 };
        let exponent = match self.checked.datapath().tables[table.0].common_exponent(row, columns) {
            CommonExponent::All(bits) => Exponent::Constant(bits),
            CommonExponent::OfRow => Exponent::At(first),
            CommonExponent::None => Exponent::At(column),
        };
        self.looks_up_exponents[table.0] |= matches!(exponent, Exponent::At(_));
        Coefficient { table: table.0, row, column, exponent }
    }

    fn limit(&self, node: Node, format: WordFormat, overflow: Overflow) -> Limiting {
        let fact =
            self.checked.facts().limit(node).expect("the check finds a fact for every limit");
        match overflow {
            _ if !fact.acts => Limiting::Fits,
            Overflow::Saturate => Limiting::Saturate {
                below: fact.low < format.minimum(),
                above: fact.high > format.maximum(),
            },
            Overflow::Wrap | Overflow::Forbid => Limiting::Wrap,
        }
    }

    fn sum(&mut self, local: Local, terms: &[Term], format: WordFormat) -> Sum {
        let fact =
            self.checked.facts().sum(local.node).expect("the check finds a fact for every sum");
        // Words that are added before their product fit its type, too, even where the product is zero.
        let pair = self.largest_pair(terms);
        let need = Need {
            partial: fact.partial.max(pair),
            highest: fact.high,
            product: fact.product.max(pair),
            wraps: fact.wraps,
            rounds_products: terms.iter().any(|term| self.dropped(term).is_some()),
        };
        let mut steps = Vec::new();
        for (number, term) in terms.iter().enumerate() {
            self.term(number, term, format.fraction(), &mut steps);
        }
        Sum { local, need, first: 0, steps, is_of_digits: is_of_digits(terms) }
    }

    /// The largest size of two words that are added before a product.
    fn largest_pair(&self, terms: &[Term]) -> i128 {
        let lines = &self.checked.datapath().lines;
        let size = |term: &Term| match term {
            Term::Folded(fold) => {
                let format = lines[fold.line.0].format;
                2 * format.maximum().max(-format.minimum())
            }
            _ => 0,
        };
        terms.iter().map(size).max().unwrap_or(0)
    }

    /// Bits that each product of a term drops before it is added, and how.
    fn dropped(&self, term: &Term) -> Option<(u32, Rounding)> {
        Factors::of(term)?.dropped(self.checked.datapath())
    }

    /// Zeros behind products of a table and a line that bring them to the fraction of a sum.
    fn shift(&self, term: &Term, table: TableIndex, line: LineIndex, fraction: i32) -> u32 {
        let datapath = self.checked.datapath();
        let products = Factors::of(term).and_then(|factors| factors.products);
        let own = match products.filter(|_| self.dropped(term).is_some()) {
            Some(products) => products.fraction,
            None => {
                datapath.tables[table.0].format.fraction()
                    + datapath.lines[line.0].format.fraction()
            }
        };
        (fraction - own) as u32
    }

    fn term(&mut self, number: usize, term: &Term, fraction: i32, steps: &mut Vec<Step>) {
        match term {
            Term::Word { sign, word, binary_point_shift } => {
                let word = self.locals[word];
                let shift = (fraction - word.format.fraction() - binary_point_shift) as u32;
                let addend = Addend::Word(word);
                let addition = Addition { sign: *sign, addend, shift, term: number };
                steps.push(Step::Add(addition));
            }
            Term::Dot { sign, table, table_row, column, line, line_row, age, count, .. } => {
                let rounded = self.dropped(term);
                let shift = self.shift(term, *table, *line, fraction);
                let (mut column, mut age, mut count) = (*column, *age, *count);
                let mut one = |this: &mut Self, column: usize, age: usize| {
                    let coefficient = this.coefficient(*table, *table_row, column..column + 1, 0);
                    let factor = Factor::One(this.tap(*line, *line_row, age));
                    let addend = Addend::Product { coefficient, factor, rounded };
                    steps.push(Step::Add(Addition { sign: *sign, addend, shift, term: number }));
                };
                if age == 0 {
                    one(self, column, age);
                    (column, age, count) = (column + 1, 1, count - 1);
                }
                if count <= WRITTEN_OUT {
                    (0..count).for_each(|k| one(self, column + k, age + k));
                    return;
                }
                let coefficient = self.coefficient(*table, *table_row, column..column + count, 1);
                let index = Index { offset: age as i64 - 1, step: 1 };
                let word = Read::Remembered { line: line.0, row: *line_row, index };
                let addend = Addend::Product { coefficient, factor: Factor::One(word), rounded };
                let addition = Addition { sign: *sign, addend, shift, term: number };
                steps.push(Step::Loop { passes: 0..count, addition });
            }
            Term::Folded(fold) => {
                let shift = self.shift(term, fold.table, fold.line, fraction);
                self.fold(number, fold, (self.dropped(term), shift), steps);
            }
        }
    }

    /// A folded product: the first pair by itself where it has the word of this sample, the others in a loop.
    fn fold(
        &mut self,
        term: usize,
        fold: &Fold,
        (rounded, shift): (Option<(u32, Rounding)>, u32),
        steps: &mut Vec<Step>,
    ) {
        let Fold { second: sign, table, table_row, column, line, line_row, .. } = *fold;
        let Fold { age, mirror, stride, count, .. } = *fold;
        let addition = |coefficient: Coefficient, first: Read, second: Read| {
            let factor = Factor::Pair { first, sign, second };
            let addend = Addend::Product { coefficient, factor, rounded };
            Addition { sign: Sign::Plus, addend, shift, term }
        };
        let by_itself = if count <= WRITTEN_OUT { count } else { usize::from(age == 0) };
        for k in 0..by_itself {
            let coefficient = self.coefficient(table, table_row, column + k..column + k + 1, 0);
            let first = self.tap(line, line_row, age + stride * k);
            let second = self.tap(line, line_row, mirror - stride * k);
            steps.push(Step::Add(addition(coefficient, first, second)));
        }
        if by_itself == count {
            return;
        }
        let columns = column + by_itself..column + count;
        let moving = Index { offset: column as i64, step: 1 };
        let coefficient = self.coefficients(table, table_row, columns, moving);
        let read = |age: usize, step: i64| {
            let index = Index { offset: age as i64 - 1, step };
            Read::Remembered { line: line.0, row: line_row, index }
        };
        let step = stride as i64;
        let addition = addition(coefficient, read(age, step), read(mirror, -step));
        steps.push(Step::Loop { passes: by_itself..count, addition });
    }
}

/// Whether a sum has words only, and some of them more than once: digits of coefficients.
fn is_of_digits(terms: &[Term]) -> bool {
    let mut seen = BTreeSet::new();
    let mut again = false;
    for term in terms {
        let Term::Word { word, .. } = term else { return false };
        again |= !seen.insert(*word);
    }
    again
}
