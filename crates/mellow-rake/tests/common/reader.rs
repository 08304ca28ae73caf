//! A stranger's reader: written from `docs/arithmetic.md` and the JSON of a datapath alone, without a look at
//! the library's types. It shares no code with the simulator and none with any proof.

#![allow(dead_code)] // each test uses what it needs

use mellow_rake::datapath::{Checked, describe};
use serde_json::Value;
use std::collections::HashMap;

/// A checked program as a stranger reads it.
pub(crate) fn read(checked: &Checked) -> Reader {
    Reader::new(&serde_json::to_value(describe(checked)).unwrap())
}

/// A word format: signed, width, fraction.
#[derive(Debug, Clone, Copy)]
pub(crate) struct Format(bool, u32, i32);

impl Format {
    /// `s16f15`
    pub(crate) fn read(text: &Value) -> Format {
        let text = text.as_str().unwrap();
        let (width, fraction) = text[1..].split_once('f').unwrap();
        Format(text.starts_with('s'), width.parse().unwrap(), fraction.parse().unwrap())
    }

    pub(crate) fn ends(self) -> (i128, i128) {
        let all = 1i128 << self.1;
        if self.0 { (-all / 2, all / 2 - 1) } else { (0, all - 1) }
    }

    pub(crate) fn value(self, word: i128) -> f64 {
        word as f64 * (-f64::from(self.2)).exp2()
    }

    pub(crate) fn wrap(self, word: i128) -> i128 {
        let modulus = 1i128 << self.1;
        let low = word.rem_euclid(modulus);
        if self.0 && low >= modulus / 2 { low - modulus } else { low }
    }
}

pub(crate) fn rounded(word: i128, shift: i64, rounding: &str) -> i128 {
    if shift <= 0 {
        return word * (1 << -shift);
    }
    let step = 1i128 << shift;
    let (below, rest) = (word.div_euclid(step), word.rem_euclid(step));
    let tie = 2 * rest == step;
    let nearest = below + i128::from(2 * rest > step);
    match rounding {
        "floor" => below,
        "half-up" => nearest + i128::from(tie),
        "half-even" => nearest + i128::from(tie && below % 2 != 0),
        "half-away" => nearest + i128::from(tie && word >= 0),
        "toward-zero" => below + i128::from(rest != 0 && word < 0),
        other => panic!("unknown rounding {other}"),
    }
}

/// A row of a table or a line: its number, or that of the pass.
type Row = Option<usize>;

enum Step {
    /// The word at this place, when those of all ports stand one after the other.
    Input {
        first: usize,
        at: Row,
    },
    Deliver {
        first: usize,
        at: Row,
        word: usize,
    },
    Carried,
    Store {
        line: usize,
        row: Row,
        word: usize,
    },
    Tap {
        line: usize,
        row: Row,
        age: usize,
    },
    Product {
        table: usize,
        row: Row,
        column: usize,
        word: usize,
    },
    Sum(Vec<Term>),
    Round {
        word: usize,
        shift: i64,
        rounding: String,
    },
    Limit {
        word: usize,
        saturates: bool,
    },
    Repeat {
        passes: usize,
        first: usize,
        body: Vec<Numbered>,
        result: usize,
    },
}

struct Numbered {
    node: usize,
    format: Format,
    step: Step,
}

enum Term {
    Word { sign: i128, shift: u32, word: usize },
    Products(Products),
}

struct Products {
    sign: i128,
    shift: u32,
    table: usize,
    table_row: Row,
    column: usize,
    line: usize,
    line_row: Row,
    age: usize,
    count: usize,
    /// Of folded products: the age of the second word, the steps of both, the sign of the second.
    folded: Option<(usize, usize, i128)>,
    rounding: Option<(i64, String)>,
}

struct Line {
    depth: usize,
    format: Format,
    /// Row by row, the newest first.
    words: Vec<i128>,
    now: Vec<i128>,
}

/// What a step met on its way.
#[derive(Debug, Clone, Copy)]
pub(crate) struct Met {
    pub(crate) node: usize,
    pub(crate) pass: usize,
    /// What came to a limit, or the exact sum before it is brought to its word.
    pub(crate) word: i128,
    pub(crate) format: Format,
    /// Whether it fitted.
    pub(crate) fits: bool,
    pub(crate) is_limit: bool,
}

/// A filter made from the JSON of its datapath.
pub(crate) struct Reader {
    tables: Vec<Vec<Vec<i128>>>,
    lines: Vec<Line>,
    program: Vec<Numbered>,
    result: Option<usize>,
    words: Vec<i128>,
    words_in: usize,
    delivered: Vec<Option<i128>>,
    /// Limits and sums of the last sample.
    pub(crate) met: Vec<Met>,
}

struct Names {
    /// Words of each input port and each output port.
    ports: [Vec<usize>; 2],
    tables: HashMap<String, usize>,
    lines: HashMap<String, usize>,
}

impl Names {
    fn steps(&self, steps: &Value) -> Vec<Numbered> {
        steps.as_array().unwrap().iter().map(|step| self.step(step)).collect()
    }

    fn step(&self, step: &Value) -> Numbered {
        let text = |key: &str| step[key].as_str().unwrap();
        let number = |key: &str| step[key].as_u64().unwrap() as usize;
        let row = || step["row"].as_u64().map(|row| row as usize);
        let line = || self.lines[text("line")];
        // Without a port there is one word only.
        let at = || match &step["at"] {
            Value::Null => Some(0),
            at => at.as_u64().map(|at| at as usize),
        };
        let what = match text("operation") {
            "input" => Step::Input { first: self.first(0, step), at: at() },
            "deliver" => {
                Step::Deliver { first: self.first(1, step), at: at(), word: number("word") }
            }
            "carried" => Step::Carried,
            "store" => Step::Store { line: line(), row: row(), word: number("word") },
            "tap" => Step::Tap { line: line(), row: row(), age: number("age") },
            "product" => Step::Product {
                table: self.tables[text("table")],
                row: row(),
                column: number("column"),
                word: number("word"),
            },
            "accumulate" => {
                Step::Sum(step["terms"].as_array().unwrap().iter().map(|t| self.term(t)).collect())
            }
            "round" => Step::Round {
                word: number("word"),
                shift: step["shift_right"].as_i64().unwrap(),
                rounding: text("rounding").to_owned(),
            },
            "limit" => {
                Step::Limit { word: number("word"), saturates: text("overflow") == "saturate" }
            }
            "repeat" => Step::Repeat {
                passes: number("passes"),
                first: number("first"),
                body: self.steps(&step["body"]),
                result: number("result"),
            },
            other => panic!("unknown operation {other}"),
        };
        Numbered { node: number("node"), format: Format::read(&step["format"]), step: what }
    }

    /// Where the words of the port begin that a step names.
    fn first(&self, direction: usize, step: &Value) -> usize {
        let port = step["port"].as_u64().unwrap_or(0) as usize;
        self.ports[direction][..port].iter().sum()
    }

    fn term(&self, term: &Value) -> Term {
        let number = |key: &str| term[key].as_u64().unwrap() as usize;
        let row = |key: &str| term[key].as_u64().map(|row| row as usize);
        let plus = |key: &str| if term[key] == "-" { -1 } else { 1 };
        let shift = number("shift_left") as u32;
        if term["term"] == "word" {
            return Term::Word { sign: plus("sign"), shift, word: number("word") };
        }
        let folded = (term["term"] == "folded")
            .then(|| (number("mirror"), number("stride"), plus("second")));
        let rounding = term["product_shift_right"]
            .as_i64()
            .map(|shift| (shift, term["product_rounding"].as_str().unwrap().to_owned()));
        Term::Products(Products {
            sign: if folded.is_some() { 1 } else { plus("sign") },
            shift,
            table: self.tables[term["table"].as_str().unwrap()],
            table_row: row("table_row"),
            column: number("column"),
            line: self.lines[term["line"].as_str().unwrap()],
            line_row: row("line_row"),
            age: number("age"),
            count: number("count"),
            folded,
            rounding,
        })
    }
}

impl Reader {
    pub(crate) fn new(object: &Value) -> Self {
        let all = |key: &str| object[key].as_array().unwrap();
        let name = |value: &Value| value["name"].as_str().unwrap().to_owned();
        let numbered = |key: &str| all(key).iter().map(name).zip(0..).collect();
        let words = |key: &str| match object[key].as_array() {
            None => vec![1],
            Some(ports) => ports.iter().map(|p| p["words"].as_u64().unwrap() as usize).collect(),
        };
        let ports = [words("inputs"), words("outputs")];
        let (words_in, delivered) = (ports[0].iter().sum(), vec![None; ports[1].iter().sum()]);
        let names = Names { ports, tables: numbered("tables"), lines: numbered("lines") };
        let integer = |value: &Value| i128::from(value.as_i64().unwrap());
        let tables = all("tables").iter().map(|table| {
            let rows = table["rows"].as_array().unwrap().iter().enumerate().map(|(index, row)| {
                let exponent = |k: usize| table["exponents"][index][k].as_u64().unwrap_or(0);
                let columns = row.as_array().unwrap().iter().enumerate();
                columns.map(|(k, value)| integer(value) << exponent(k)).collect()
            });
            rows.collect()
        });
        let lines = all("lines").iter().map(|line| {
            let [rows, depth] = ["rows", "depth"].map(|key| line[key].as_u64().unwrap() as usize);
            let format = Format::read(&line["format"]);
            Line { depth, format, words: vec![0; rows * depth], now: vec![0; rows] }
        });
        let program = names.steps(&object["program"]);
        fn last(steps: &[Numbered]) -> usize {
            let inner = |step: &Numbered| match &step.step {
                Step::Repeat { body, .. } => step.node.max(last(body)),
                _ => step.node,
            };
            steps.iter().map(inner).max().unwrap_or(0)
        }
        Reader {
            tables: tables.collect(),
            lines: lines.collect(),
            words: vec![0; last(&program) + 1],
            program,
            result: object["result"].as_u64().map(|node| node as usize),
            words_in,
            delivered,
            met: Vec::new(),
        }
    }

    /// The remembered words: line by line, row by row, the newest first.
    pub(crate) fn state(&self) -> Vec<i128> {
        self.lines.iter().flat_map(|line| line.words.iter().copied()).collect()
    }

    pub(crate) fn set_state(&mut self, state: &[i128]) {
        let mut words = state.iter().copied();
        for slot in self.lines.iter_mut().flat_map(|line| &mut line.words) {
            *slot = words.next().unwrap();
        }
    }

    /// The formats of the remembered words.
    pub(crate) fn formats(&self) -> Vec<Format> {
        self.lines.iter().flat_map(|line| vec![line.format; line.words.len()]).collect()
    }

    /// For each remembered word, whether it is an input.
    pub(crate) fn inputs(&self) -> Vec<bool> {
        let is_input = |node: usize| {
            self.program
                .iter()
                .any(|step| step.node == node && matches!(step.step, Step::Input { .. }))
        };
        let mut found: Vec<Vec<bool>> =
            self.lines.iter().map(|line| vec![false; line.words.len()]).collect();
        for step in &self.program {
            if let Step::Store { line, row: Some(row), word } = &step.step
                && is_input(*word)
            {
                let depth = self.lines[*line].depth;
                found[*line][row * depth..(row + 1) * depth].fill(true);
            }
        }
        found.concat()
    }

    /// The input has these ends.
    pub(crate) fn input(&self) -> Format {
        let found = self.program.iter().find(|step| matches!(step.step, Step::Input { .. }));
        found.unwrap().format
    }

    pub(crate) fn step(&mut self, input: i128) -> i128 {
        self.fire(&[input])[0]
    }

    /// One firing without input: the size of the largest word that comes out.
    pub(crate) fn silent_step(&mut self) -> i128 {
        let silence = vec![0; self.words_in];
        self.fire(&silence).into_iter().map(i128::abs).max().unwrap_or(0)
    }

    /// One firing: the words of all ports stand one after the other.
    pub(crate) fn fire(&mut self, input: &[i128]) -> Vec<i128> {
        self.met.clear();
        self.delivered.fill(None);
        let program = std::mem::take(&mut self.program);
        self.block(&program, input, 0, 0);
        self.program = program;
        for line in &mut self.lines {
            for (row, now) in line.now.iter().enumerate().filter(|_| line.depth > 0) {
                let words = &mut line.words[row * line.depth..(row + 1) * line.depth];
                words.rotate_right(1);
                words[0] = *now;
            }
        }
        match self.result {
            Some(result) => vec![self.words[result]],
            None => self.delivered.iter().map(|word| word.unwrap()).collect(),
        }
    }

    fn word(&self, line: usize, row: usize, age: usize) -> i128 {
        let line = &self.lines[line];
        if age == 0 { line.now[row] } else { line.words[row * line.depth + age - 1] }
    }

    fn block(&mut self, steps: &[Numbered], input: &[i128], carried: i128, pass: usize) {
        for Numbered { node, format, step } in steps {
            let at = |row: &Row| row.unwrap_or(pass);
            let (low, high) = format.ends();
            let met = |word: i128, is_limit: bool| {
                let fits = (low..=high).contains(&word);
                Met { node: *node, pass, word, format: *format, fits, is_limit }
            };
            let word = match step {
                Step::Input { first, at: word } => input[first + at(word)],
                Step::Deliver { first, at: place, word } => {
                    let word = self.words[*word];
                    assert_eq!(self.delivered[first + at(place)].replace(word), None);
                    word
                }
                Step::Carried => carried,
                Step::Store { line, row, word } => {
                    let word = self.words[*word];
                    self.lines[*line].now[at(row)] = word;
                    word
                }
                Step::Tap { line, row, age } => self.word(*line, at(row), *age),
                Step::Product { table, row, column, word } => {
                    self.tables[*table][at(row)][*column] * self.words[*word]
                }
                Step::Sum(terms) => {
                    let sum = terms.iter().map(|term| self.term(term, pass)).sum();
                    self.met.push(met(sum, false));
                    format.wrap(sum)
                }
                Step::Round { word, shift, rounding } => {
                    rounded(self.words[*word], *shift, rounding)
                }
                Step::Limit { word, saturates } => {
                    let word = self.words[*word];
                    self.met.push(met(word, true));
                    if *saturates { word.clamp(low, high) } else { format.wrap(word) }
                }
                Step::Repeat { passes, first, body, result } => {
                    let mut carried = self.words[*first];
                    for pass in 0..*passes {
                        self.block(body, input, carried, pass);
                        carried = self.words[*result];
                    }
                    carried
                }
            };
            self.words[*node] = word;
        }
    }

    fn term(&self, term: &Term, pass: usize) -> i128 {
        let products = match term {
            Term::Word { sign, shift, word } => return sign * (self.words[*word] << shift),
            Term::Products(products) => products,
        };
        let line = |age: usize| self.word(products.line, products.line_row.unwrap_or(pass), age);
        let row = &self.tables[products.table][products.table_row.unwrap_or(pass)];
        let product = |k: usize| {
            let coefficient = row[products.column + k];
            let product = match products.folded {
                None => coefficient * line(products.age + k),
                Some((mirror, stride, second)) => {
                    let (one, other) = (products.age + stride * k, mirror - stride * k);
                    coefficient * (line(one) + second * line(other))
                }
            };
            match &products.rounding {
                Some((shift, rounding)) => rounded(product, *shift, rounding),
                None => product,
            }
        };
        products.sign * ((0..products.count).map(product).sum::<i128>() << products.shift)
    }
}
