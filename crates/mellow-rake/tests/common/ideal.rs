//! A program in real numbers.

use mellow_rake::datapath::{Datapath, Operation, Sign, Term};
use std::collections::HashMap;

/// The same program in real numbers, without roundings and limits: what it is a filter of.
pub(crate) struct Ideal<'a> {
    datapath: &'a Datapath,
    /// Line by line, row by row, the newest first; and the words of this sample.
    lines: Vec<Vec<Vec<f64>>>,
    now: Vec<Vec<f64>>,
    words: HashMap<u32, f64>,
    delivered: Vec<f64>,
}

impl<'a> Ideal<'a> {
    pub(crate) fn new(datapath: &'a Datapath) -> Self {
        let lines = &datapath.lines;
        Ideal {
            datapath,
            lines: lines.iter().map(|line| vec![vec![0.0; line.depth]; line.rows]).collect(),
            now: lines.iter().map(|line| vec![0.0; line.rows]).collect(),
            words: HashMap::new(),
            delivered: vec![0.0; datapath.words_out()],
        }
    }

    /// One firing: the words of all ports stand one after the other.
    pub(crate) fn fire(&mut self, input: &[f64]) -> Vec<f64> {
        let body = &self.datapath.body;
        self.block(body, input, 0.0, 0);
        for (rows, now) in self.lines.iter_mut().zip(&self.now) {
            for (row, word) in rows.iter_mut().zip(now).filter(|(row, _)| !row.is_empty()) {
                row.rotate_right(1);
                row[0] = *word;
            }
        }
        self.delivered.clone()
    }

    #[allow(dead_code)] // each test uses what it needs
    pub(crate) fn step(&mut self, input: f64) -> f64 {
        self.fire(&[input])[0]
    }

    fn tap(&self, line: usize, row: usize, age: usize) -> f64 {
        if age == 0 { self.now[line][row] } else { self.lines[line][row][age - 1] }
    }

    fn coefficient(&self, table: usize, row: usize, column: usize) -> f64 {
        let table = &self.datapath.tables[table];
        table.coefficient(row, column) as f64 * (-f64::from(table.format.fraction())).exp2()
    }

    fn block(
        &mut self,
        operations: &[(mellow_rake::datapath::Node, Operation)],
        input: &[f64],
        carried: f64,
        pass: usize,
    ) {
        for (node, operation) in operations {
            let word = match operation {
                Operation::Input { port, at } => {
                    let before = self.datapath.inputs[..*port].iter().map(|port| port.count);
                    input[before.sum::<usize>() + at.at(pass)]
                }
                Operation::Deliver { port, at, word } => {
                    let before = self.datapath.outputs[..*port].iter().map(|port| port.count);
                    let word = self.words[&word.0];
                    self.delivered[before.sum::<usize>() + at.at(pass)] = word;
                    word
                }
                Operation::Carried => carried,
                Operation::Tap { line, row, age } => self.tap(line.0, row.at(pass), *age),
                Operation::Product { table, row, column, word } => {
                    self.coefficient(table.0, row.at(pass), *column) * self.words[&word.0]
                }
                Operation::Accumulate { terms, .. } => {
                    terms.iter().map(|term| self.term(term, pass)).sum()
                }
                Operation::Round { word, .. } | Operation::Limit { word, .. } => {
                    self.words[&word.0]
                }
                Operation::Store { line, row, word } => {
                    let word = self.words[&word.0];
                    self.now[line.0][row.at(pass)] = word;
                    word
                }
                Operation::Repeat { passes, first, body } => {
                    let mut carried = self.words[&first.0];
                    for pass in 0..*passes {
                        self.block(&body.operations, input, carried, pass);
                        carried = self.words[&body.result.0];
                    }
                    carried
                }
            };
            self.words.insert(node.0, word);
        }
    }

    fn term(&self, term: &Term, pass: usize) -> f64 {
        let signed = |sign: &Sign, value: f64| if *sign == Sign::Plus { value } else { -value };
        match term {
            Term::Word { sign, word, binary_point_shift } => {
                signed(sign, self.words[&word.0] * (-f64::from(*binary_point_shift)).exp2())
            }
            Term::Dot { sign, table, table_row, column, line, line_row, age, count, .. } => {
                let product = |k: usize| {
                    self.coefficient(table.0, table_row.at(pass), column + k)
                        * self.tap(line.0, line_row.at(pass), age + k)
                };
                signed(sign, (0..*count).map(product).sum())
            }
            Term::Folded(fold) => {
                let tap = |age: usize| self.tap(fold.line.0, fold.line_row.at(pass), age);
                let product = |k: usize| {
                    let (one, other) =
                        (tap(fold.age + fold.stride * k), tap(fold.mirror - fold.stride * k));
                    self.coefficient(fold.table.0, fold.table_row.at(pass), fold.column + k)
                        * (one + signed(&fold.second, other))
                };
                (0..fold.count).map(product).sum()
            }
        }
    }
}
