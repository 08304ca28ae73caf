//! Runs the statements that writers say in their languages, as their docs explain them, and holds against
//! every number what is said beside it: that it fits, that a sum stays within its need, that a limit does
//! only what it may.

use mellow_rake::datapath::{Port, Row, Sign};
use mellow_rake::fixed::{Rounding, WordFormat};
use mellow_rake::write::lower::{
    Addend, Addition, Coefficient, Exponent, Factor, Index, Limiting, Local, Lowered, Read,
    Statement, Step, Sum, Value,
};
use std::collections::HashMap;

pub(crate) struct Interpreter<'a> {
    lowered: &'a Lowered,
    words: HashMap<u32, i128>,
    /// Line by line, row by row, the newest first.
    memory: Vec<Vec<Vec<i128>>>,
    /// For each node the rows of windows where its word stands as soon as it has its value.
    windows: Vec<Vec<(usize, Row)>>,
    /// The words of this sample in windows, by line and row.
    put: HashMap<(usize, usize), i128>,
    input: Vec<i128>,
    output: Vec<Option<i128>>,
    pass: usize,
}

fn fits(word: i128, format: WordFormat) -> bool {
    (format.minimum()..=format.maximum()).contains(&word)
}

/// For each node the rows of windows that are given its word.
fn windows(lowered: &Lowered) -> Vec<Vec<(usize, Row)>> {
    fn gather(lowered: &Lowered, body: &[Statement], all: &mut Vec<Vec<(usize, Row)>>) {
        for statement in body {
            match statement {
                Statement::Repeat { body, .. } => gather(lowered, body, all),
                Statement::Advance { line, row, word } if lowered.windows[*line].is_some() => {
                    let node = word.node.0 as usize;
                    all.resize(all.len().max(node + 1), Vec::new());
                    all[node].push((*line, *row));
                }
                _ => {}
            }
        }
    }
    let mut all = vec![Vec::new(); 10_000];
    gather(lowered, &lowered.body, &mut all);
    all
}

/// Where a word of a port stands when those of all ports stand one after the other.
fn place(ports: &[Port], port: usize, at: usize) -> usize {
    ports[..port].iter().map(|port| port.count).sum::<usize>() + at
}

/// The low bits of a word.
fn wrapped(word: i128, format: WordFormat) -> i128 {
    let low = word.rem_euclid(1 << format.width());
    if low > format.maximum() { low - (1 << format.width()) } else { low }
}

fn rounded(word: i128, dropped: u32, rounding: Rounding) -> i128 {
    let step = 1i128 << dropped;
    let (below, rest) = (word.div_euclid(step), word.rem_euclid(step));
    let is_up = match rounding {
        Rounding::Floor => false,
        Rounding::HalfUp => 2 * rest >= step,
        Rounding::HalfEven => 2 * rest > step || (2 * rest == step && below % 2 != 0),
        Rounding::HalfAway => 2 * rest > step || (2 * rest == step && word >= 0),
        Rounding::TowardZero => rest > 0 && word < 0,
    };
    below + i128::from(is_up)
}

impl<'a> Interpreter<'a> {
    pub(crate) fn new(lowered: &'a Lowered) -> Self {
        let row = |line: &mellow_rake::datapath::Line| vec![vec![0; line.depth]; line.rows];
        let memory = lowered.lines.iter().map(row).collect();
        // A line that lies in another has no memory of its own, and fits the other's.
        for (line, home) in lowered.homes.iter().enumerate() {
            let (own, other) = (&lowered.lines[line], &lowered.lines[home.line]);
            assert!(own.depth == other.depth && own.format == other.format);
            assert!(home.first_row + own.rows <= other.rows);
            assert!(home.line == line || lowered.homes[home.line].line == home.line);
        }
        Interpreter {
            lowered,
            words: HashMap::new(),
            memory,
            windows: windows(lowered),
            put: HashMap::new(),
            input: Vec::new(),
            output: Vec::new(),
            pass: 0,
        }
    }

    /// One firing: the words of all ports stand one after the other.
    pub(crate) fn fire(&mut self, input: &[i64]) -> Vec<i64> {
        self.words.clear();
        self.input = input.iter().map(|word| (*word).into()).collect();
        self.output = vec![None; place(&self.lowered.outputs, self.lowered.outputs.len(), 0)];
        self.block(&self.lowered.body);
        self.output.iter().map(|word| word.unwrap() as i64).collect()
    }

    /// The same of a program that takes one word and gives one.
    pub(crate) fn step(&mut self, input: i64) -> i64 {
        let output = self.fire(&[input]);
        assert_eq!(self.lowered.result.format, self.lowered.output());
        assert_eq!(output, [self.word(self.lowered.result) as i64]);
        output[0]
    }

    /// Read before it is assigned is a panic.
    fn word(&self, local: Local) -> i128 {
        self.words[&local.node.0]
    }

    fn assign(&mut self, local: Local, word: i128) {
        assert!(fits(word, local.format), "{local:?} is given {word}");
        self.words.insert(local.node.0, word);
        for (line, row) in &self.windows[local.node.0 as usize] {
            self.put.insert((*line, row.at(self.pass)), word);
        }
    }

    fn block(&mut self, body: &[Statement]) {
        for statement in body {
            match statement {
                Statement::Let { local, value } => {
                    let word = self.value(*local, value);
                    self.assign(*local, word);
                }
                Statement::Sum(sum) => self.sum(sum),
                Statement::Repeat { local, passes, first, body, result } => {
                    self.assign(*local, self.word(*first));
                    for pass in 0..*passes {
                        self.pass = pass;
                        self.block(body);
                        self.assign(*local, self.word(*result));
                    }
                    self.pass = 0;
                }
                Statement::Deliver { port, at, word } => {
                    let word = self.word(*word);
                    assert!(fits(word, self.lowered.outputs[*port].format));
                    let place = place(&self.lowered.outputs, *port, at.at(self.pass));
                    assert_eq!(self.output[place].replace(word), None, "given twice");
                }
                Statement::Advance { line, row, word } => {
                    let word = self.word(*word);
                    assert!(fits(word, self.lowered.lines[*line].format));
                    let home = self.lowered.homes[*line];
                    let row = home.first_row + row.at(self.pass);
                    let words = &mut self.memory[home.line][row];
                    words.rotate_right(1);
                    words[0] = word;
                    self.put.remove(&(home.line, row));
                }
                other => panic!("unknown to this reader: {other:?}"),
            }
        }
    }

    fn value(&self, local: Local, value: &Value) -> i128 {
        match value {
            Value::Input { port, at } => {
                self.input[place(&self.lowered.inputs, *port, at.at(self.pass))]
            }
            Value::Read(read) => self.read(read, 0),
            Value::Product { coefficient, word } => {
                self.coefficient(coefficient, 0) * self.word(*word)
            }
            Value::Round { word, dropped, rounding } => match u32::try_from(*dropped) {
                Ok(dropped) => rounded(self.word(*word), dropped, *rounding),
                Err(_) => self.word(*word) << -dropped,
            },
            Value::Limit { word, how } => {
                let (word, format) = (self.word(*word), local.format);
                match how {
                    Limiting::Fits => word,
                    Limiting::Saturate { below, above } => {
                        assert!(*below || word >= format.minimum());
                        assert!(*above || word <= format.maximum());
                        word.clamp(format.minimum(), format.maximum())
                    }
                    Limiting::Wrap => wrapped(word, format),
                    other => panic!("unknown to this reader: {other:?}"),
                }
            }
            other => panic!("unknown to this reader: {other:?}"),
        }
    }

    fn place(&self, index: Index, k: usize, length: usize) -> usize {
        let place = index.at(k);
        assert!((0..length as i64).contains(&place), "{index:?} at {k} of {length}");
        place as usize
    }

    fn read(&self, read: &Read, k: usize) -> i128 {
        match read {
            Read::Local(local) => self.word(*local),
            Read::Remembered { line, row, index } => {
                let row = match row {
                    Row::Pass => self.pass,
                    Row::Fixed(row) => *row,
                };
                let home = self.lowered.homes[*line];
                let row = home.first_row + row;
                if index.at(k) == -1 {
                    return self.put[&(*line, row)];
                }
                let words = &self.memory[home.line][row];
                words[self.place(*index, k, words.len())]
            }
            other => panic!("unknown to this reader: {other:?}"),
        }
    }

    fn coefficient(&self, coefficient: &Coefficient, k: usize) -> i128 {
        let table = &self.lowered.tables[coefficient.table];
        let row = coefficient.row.at(self.pass);
        let words = &table.rows[row];
        let column = self.place(coefficient.column, k, words.len());
        let exponent = match coefficient.exponent {
            Exponent::Constant(bits) => bits,
            Exponent::At(index) => {
                assert!(self.lowered.looks_up_exponents[coefficient.table]);
                table.exponents[row][self.place(index, k, words.len())]
            }
            other => panic!("unknown to this reader: {other:?}"),
        };
        if !table.exponents.is_empty() {
            assert_eq!(exponent, table.exponent(row, column));
        }
        i128::from(words[column]) << exponent
    }

    fn addition(&self, sum: &Sum, addition: &Addition, k: usize) -> i128 {
        let addend = match &addition.addend {
            Addend::Word(local) => self.word(*local),
            Addend::Product { coefficient, factor, rounded: bits } => {
                let factor = match factor {
                    Factor::One(one) => self.read(one, k),
                    Factor::Pair { first, sign, second } => {
                        let second = self.read(second, k);
                        let second = if *sign == Sign::Plus { second } else { -second };
                        let pair = self.read(first, k) + second;
                        assert!(pair.abs() <= sum.need.product && pair.abs() <= sum.need.partial);
                        pair
                    }
                    other => panic!("unknown to this reader: {other:?}"),
                };
                let product = self.coefficient(coefficient, k) * factor;
                assert!(product.abs() <= sum.need.product, "{product}: {sum:?}");
                assert!(bits.is_none() || sum.need.rounds_products);
                bits.map_or(product, |(bits, rounding)| rounded(product, bits, rounding))
            }
            other => panic!("unknown to this reader: {other:?}"),
        };
        let addend = addend << addition.shift;
        if addition.sign == Sign::Plus { addend } else { -addend }
    }

    fn sum(&mut self, sum: &Sum) {
        let format = sum.local.format;
        let added = |steps: &[Step]| {
            let mut word = sum.first;
            for step in steps {
                match step {
                    Step::Add(addition) => word += self.addition(sum, addition, 0),
                    Step::Loop { passes, addition } => {
                        for k in passes.clone() {
                            word += self.addition(sum, addition, k);
                            assert!(word.abs() <= sum.need.partial, "{word}: {sum:?}");
                        }
                    }
                    Step::Double(times) => word <<= times,
                    other => panic!("unknown to this reader: {other:?}"),
                }
                assert!(word.abs() <= sum.need.partial, "{word}: {sum:?}");
            }
            word
        };
        let word = added(&sum.steps);
        assert_eq!(added(&sum.doubling()), word, "{sum:?}");
        assert!(sum.need.wraps || fits(word, format), "{word}: {sum:?}");
        assert!(word <= sum.need.highest, "{word}: {sum:?}");
        self.assign(sum.local, wrapped(word, format));
    }
}
