//! The whole datapath as data, complete: whoever has it and `docs/arithmetic.md` can build the filter again,
//! bit for bit.

use super::{
    Checked, LineIndex, Node, Operation, Port, RoundedProducts, Row, Sign, TableIndex, Term,
};
use crate::fixed::{Overflow, Rounding, WordFormat};

/// A datapath as plain data. Field names are those of the JSON.
#[derive(Debug, Clone, PartialEq)]
#[cfg_attr(feature = "serde", derive(serde::Serialize))]
#[non_exhaustive]
pub struct Description {
    /// The format of the input word of a program that takes one word and gives one; others have `inputs` and
    /// `outputs`.
    #[cfg_attr(feature = "serde", serde(skip_serializing_if = "Option::is_none"))]
    pub input: Option<WordFormat>,
    /// The format of its output word.
    #[cfg_attr(feature = "serde", serde(skip_serializing_if = "Option::is_none"))]
    pub output: Option<WordFormat>,
    /// What other programs take in one firing.
    #[cfg_attr(feature = "serde", serde(skip_serializing_if = "Vec::is_empty"))]
    pub inputs: Vec<PortDescription>,
    /// What they give in one firing.
    #[cfg_attr(feature = "serde", serde(skip_serializing_if = "Vec::is_empty"))]
    pub outputs: Vec<PortDescription>,
    /// Samples between an input and the output that belongs to it: always 0 for the program itself.
    pub latency_samples: u32,
    /// The sign convention of the coefficients.
    pub transfer_function: &'static str,
    /// Constant coefficients.
    pub tables: Vec<TableDescription>,
    /// Memory, all zero before the first sample.
    pub lines: Vec<LineDescription>,
    /// The operations in order.
    pub program: Vec<Step>,
    /// The node whose word goes out; other programs deliver theirs by operations.
    #[cfg_attr(feature = "serde", serde(skip_serializing_if = "Option::is_none"))]
    pub result: Option<u32>,
}

/// Words that a program takes or gives.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
#[cfg_attr(feature = "serde", derive(serde::Serialize))]
#[non_exhaustive]
pub struct PortDescription {
    /// The format of every word.
    pub format: WordFormat,
    /// Words in one firing.
    pub words: usize,
}

/// The one line about signs that stands beside all coefficients.
pub(crate) const TRANSFER_FUNCTION: &str = "H(z) = (b0 + b1 z^-1 + ...)/(1 + a1 z^-1 + ...), so y[n] = sum \
     of b_k x[n-k] - sum over k >= 1 of a_k y[n-k]";

/// A table of coefficients.
#[derive(Debug, Clone, PartialEq)]
#[cfg_attr(feature = "serde", derive(serde::Serialize))]
#[non_exhaustive]
pub struct TableDescription {
    /// Its name.
    pub name: &'static str,
    /// The format of every word.
    pub format: WordFormat,
    /// For each coefficient, by how many bits its fraction is smaller than that of the format; left out where
    /// none is.
    #[cfg_attr(feature = "serde", serde(skip_serializing_if = "Vec::is_empty"))]
    pub exponents: Vec<Vec<u32>>,
    /// The integers.
    pub rows: Vec<Vec<i64>>,
}

/// A delay line.
#[derive(Debug, Clone, PartialEq)]
#[cfg_attr(feature = "serde", derive(serde::Serialize))]
#[non_exhaustive]
pub struct LineDescription {
    /// Its name.
    pub name: &'static str,
    /// The format of every word.
    pub format: WordFormat,
    /// Rows.
    pub rows: usize,
    /// Words remembered in each row: ages 1 to depth.
    pub depth: usize,
}

/// One operation.
#[derive(Debug, Clone, PartialEq)]
#[cfg_attr(feature = "serde", derive(serde::Serialize))]
#[non_exhaustive]
pub struct Step {
    /// Its number.
    pub node: u32,
    /// The format of its word.
    pub format: WordFormat,
    /// What it does.
    #[cfg_attr(feature = "serde", serde(flatten))]
    pub action: Action,
}

/// What an operation does.
#[derive(Debug, Clone, PartialEq)]
#[cfg_attr(feature = "serde", derive(serde::Serialize))]
#[cfg_attr(feature = "serde", serde(tag = "operation", rename_all = "kebab-case"))]
#[allow(missing_docs)] // the fields are those of `Operation`, in the words of docs/arithmetic.md
pub enum Action {
    Input {
        #[cfg_attr(feature = "serde", serde(skip_serializing_if = "Option::is_none"))]
        port: Option<usize>,
        #[cfg_attr(feature = "serde", serde(skip_serializing_if = "Option::is_none"))]
        at: Option<RowName>,
    },
    Deliver {
        port: usize,
        at: RowName,
        word: u32,
    },
    Carried,
    Tap {
        line: &'static str,
        row: RowName,
        age: usize,
    },
    Product {
        table: &'static str,
        row: RowName,
        column: usize,
        word: u32,
    },
    Accumulate {
        terms: Vec<TermDescription>,
    },
    Round {
        word: u32,
        shift_right: i32,
        rounding: Rounding,
    },
    Limit {
        word: u32,
        overflow: Overflow,
        can_act: bool,
    },
    Store {
        line: &'static str,
        row: RowName,
        word: u32,
    },
    Repeat {
        passes: usize,
        first: u32,
        body: Vec<Step>,
        result: u32,
    },
}

/// A row: its number, or "pass" for the row with the number of the loop's pass.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
#[cfg_attr(feature = "serde", derive(serde::Serialize))]
#[cfg_attr(feature = "serde", serde(untagged))]
pub enum RowName {
    /// Always this row.
    Fixed(usize),
    /// The word "pass".
    Pass(&'static str),
}

/// A term of a sum; `shift_left` zeros are appended to bring it to the fraction of the accumulator.
#[derive(Debug, Clone, PartialEq)]
#[cfg_attr(feature = "serde", derive(serde::Serialize))]
#[cfg_attr(feature = "serde", serde(tag = "term", rename_all = "kebab-case"))]
#[allow(missing_docs)] // the fields are those of `Term`
pub enum TermDescription {
    Word {
        sign: &'static str,
        word: u32,
        shift_left: i32,
    },
    Dot {
        sign: &'static str,
        table: &'static str,
        table_row: RowName,
        column: usize,
        line: &'static str,
        line_row: RowName,
        age: usize,
        count: usize,
        #[cfg_attr(feature = "serde", serde(flatten))]
        products: Option<ProductsDescription>,
        shift_left: i32,
    },
    Folded {
        second: &'static str,
        table: &'static str,
        table_row: RowName,
        column: usize,
        line: &'static str,
        line_row: RowName,
        age: usize,
        mirror: usize,
        stride: usize,
        count: usize,
        #[cfg_attr(feature = "serde", serde(flatten))]
        products: Option<ProductsDescription>,
        shift_left: i32,
    },
}

/// What is done to each product of a sum before it is added.
#[derive(Debug, Clone, Copy, PartialEq)]
#[cfg_attr(feature = "serde", derive(serde::Serialize))]
#[non_exhaustive]
pub struct ProductsDescription {
    /// Bits that each product drops; zeros that are appended, if negative.
    pub product_shift_right: i32,
    /// How.
    pub product_rounding: Rounding,
}

/// The whole datapath as data.
pub fn describe(checked: &Checked) -> Description {
    let datapath = checked.datapath();
    let writer = Describer { checked, is_per_sample: datapath.is_per_sample() };
    let per_sample = |format: WordFormat| writer.is_per_sample.then_some(format);
    let ports = |ports: &[Port]| match writer.is_per_sample {
        true => Vec::new(),
        false => {
            ports.iter().map(|p| PortDescription { format: p.format, words: p.count }).collect()
        }
    };
    Description {
        input: per_sample(checked.input()),
        output: per_sample(checked.output()),
        inputs: ports(&datapath.inputs),
        outputs: ports(&datapath.outputs),
        latency_samples: 0,
        transfer_function: TRANSFER_FUNCTION,
        tables: datapath
            .tables
            .iter()
            .map(|t| TableDescription {
                name: t.name,
                format: t.format,
                exponents: t.exponents.clone(),
                rows: t.rows.clone(),
            })
            .collect(),
        lines: datapath
            .lines
            .iter()
            .map(|l| LineDescription {
                name: l.name,
                format: l.format,
                rows: l.rows,
                depth: l.depth,
            })
            .collect(),
        program: writer.block(&datapath.body),
        result: datapath.result().filter(|_| writer.is_per_sample).map(|node| node.0),
    }
}

struct Describer<'a> {
    checked: &'a Checked,
    /// Then nothing is said about ports.
    is_per_sample: bool,
}

impl Describer<'_> {
    fn table(&self, index: TableIndex) -> &'static str {
        self.checked.datapath().tables[index.0].name
    }

    fn line(&self, index: LineIndex) -> &'static str {
        self.checked.datapath().lines[index.0].name
    }

    fn block(&self, operations: &[(Node, Operation)]) -> Vec<Step> {
        let is_said = |(_, operation): &&(Node, Operation)| {
            !(self.is_per_sample && matches!(operation, Operation::Deliver { .. }))
        };
        operations
            .iter()
            .filter(is_said)
            .map(|(node, operation)| Step {
                node: node.0,
                format: self.checked.facts().format(*node),
                action: self.action(*node, operation),
            })
            .collect()
    }

    fn action(&self, node: Node, operation: &Operation) -> Action {
        let fractions = self.checked.fractions();
        match operation {
            Operation::Input { .. } if self.is_per_sample => Action::Input { port: None, at: None },
            Operation::Input { port, at } => {
                Action::Input { port: Some(*port), at: Some(name(*at)) }
            }
            Operation::Deliver { port, at, word } => {
                Action::Deliver { port: *port, at: name(*at), word: word.0 }
            }
            Operation::Carried => Action::Carried,
            Operation::Tap { line, row, age } => {
                Action::Tap { line: self.line(*line), row: name(*row), age: *age }
            }
            Operation::Product { table, row, column, word } => Action::Product {
                table: self.table(*table),
                row: name(*row),
                column: *column,
                word: word.0,
            },
            Operation::Accumulate { terms, format } => Action::Accumulate {
                terms: terms.iter().map(|term| self.term(term, format.fraction())).collect(),
            },
            Operation::Round { word, fraction, rounding } => Action::Round {
                word: word.0,
                shift_right: fractions[word.0 as usize] - fraction,
                rounding: *rounding,
            },
            Operation::Limit { word, overflow, .. } => Action::Limit {
                word: word.0,
                overflow: *overflow,
                can_act: self.checked.facts().limit(node).is_none_or(|limit| limit.acts),
            },
            Operation::Store { line, row, word } => {
                Action::Store { line: self.line(*line), row: name(*row), word: word.0 }
            }
            Operation::Repeat { passes, first, body } => Action::Repeat {
                passes: *passes,
                first: first.0,
                body: self.block(&body.operations),
                result: body.result.0,
            },
        }
    }

    fn term(&self, term: &Term, fraction: i32) -> TermDescription {
        let datapath = self.checked.datapath();
        match term {
            Term::Word { sign, word, binary_point_shift } => TermDescription::Word {
                sign: mark(*sign),
                word: word.0,
                shift_left: fraction
                    - self.checked.fractions()[word.0 as usize]
                    - binary_point_shift,
            },
            Term::Dot { sign, table, table_row, column, line, line_row, age, count, products } => {
                let product = datapath.tables[table.0].format.fraction()
                    + datapath.lines[line.0].format.fraction();
                TermDescription::Dot {
                    sign: mark(*sign),
                    table: self.table(*table),
                    table_row: name(*table_row),
                    column: *column,
                    line: self.line(*line),
                    line_row: name(*line_row),
                    age: *age,
                    count: *count,
                    products: of_products(product, *products),
                    shift_left: fraction - products.map_or(product, |products| products.fraction),
                }
            }
            Term::Folded(fold) => {
                let product = datapath.tables[fold.table.0].format.fraction()
                    + datapath.lines[fold.line.0].format.fraction();
                TermDescription::Folded {
                    second: mark(fold.second),
                    table: self.table(fold.table),
                    table_row: name(fold.table_row),
                    column: fold.column,
                    line: self.line(fold.line),
                    line_row: name(fold.line_row),
                    age: fold.age,
                    mirror: fold.mirror,
                    stride: fold.stride,
                    count: fold.count,
                    products: of_products(product, fold.products),
                    shift_left: fraction
                        - fold.products.map_or(product, |products| products.fraction),
                }
            }
        }
    }
}

fn of_products(own: i32, products: Option<RoundedProducts>) -> Option<ProductsDescription> {
    products.map(|RoundedProducts { fraction, rounding }| ProductsDescription {
        product_shift_right: own - fraction,
        product_rounding: rounding,
    })
}

fn mark(sign: Sign) -> &'static str {
    match sign {
        Sign::Plus => "+",
        Sign::Minus => "-",
    }
}

fn name(row: Row) -> RowName {
    match row {
        Row::Fixed(row) => RowName::Fixed(row),
        Row::Pass => RowName::Pass("pass"),
    }
}
