//! Programs without products, for cores and fabrics without multipliers: each coefficient becomes its signed
//! digits, each product a sum of shifted words.

use super::{
    Checked, Datapath, DatapathError, Fold, LineIndex, Node, Operation, RoundedProducts, Row, Sign,
    TableIndex, Term,
};
use crate::fixed::{Rounding, WordFormat, signed_digit_powers};
use std::collections::BTreeMap;

impl Checked {
    /// The same program, equal in every integer, without a single product: loops are written out, for each
    /// pass has coefficients of its own, and each product becomes as many shifted words as its coefficient
    /// has signed digits. What it costs is what
    /// [`Cost::shift_adds_per_sample`](super::Cost::shift_adds_per_sample) counted before, or less where a
    /// word is used in products by zero alone.
    ///
    /// # Errors
    /// [`DatapathError::TooWide`] for a product that is rounded before it is added and needs more than 64
    /// bits.
    ///
    /// ```
    /// use mellow_rake::datapath::{Simulator, fir_direct};
    /// use mellow_rake::fixed::{Overflow, Rounding, round_coefficients};
    /// let word = "s16f15".parse()?;
    /// let taps = round_coefficients(&[vec![0.25, 0.375, -0.75]], "s8f7".parse()?)?;
    /// let filter = fir_direct(&taps, word, word, Rounding::HalfUp, Overflow::Saturate)?.check()?;
    /// let shifts = filter.without_multiplier()?.check()?;
    /// // 32, 48 = 64 − 16, −96 = 32 − 128: five digits.
    /// assert_eq!((shifts.cost().multiplies_per_sample, shifts.cost().adds_per_sample), (0, 4));
    /// let input = [100, -32768, 32767, 5];
    /// assert_eq!(Simulator::new(&shifts).run(&input), Simulator::new(&filter).run(&input));
    /// # Ok::<(), Box<dyn std::error::Error>>(())
    /// ```
    pub fn without_multiplier(&self) -> Result<Datapath, DatapathError> {
        let mut writing = Writing {
            checked: self,
            operations: Vec::new(),
            words: BTreeMap::new(),
            carried: None,
        };
        let Datapath { inputs, outputs, lines, body, .. } = self.datapath().clone();
        writing.block(&body, 0)?;
        let body = used(writing.operations);
        Ok(Datapath { inputs, outputs, tables: Vec::new(), lines, body })
    }
}

/// Operations without loops, without the words that nothing uses: those that were multiplied by zero.
fn used(all: Vec<(Node, Operation)>) -> Vec<(Node, Operation)> {
    let mut is_used = vec![false; all.len()];
    for (node, operation) in all.iter().rev() {
        is_used[node.0 as usize] |=
            matches!(operation, Operation::Store { .. } | Operation::Deliver { .. });
        if !is_used[node.0 as usize] {
            continue;
        }
        for word in operation.words() {
            is_used[word.0 as usize] = true;
        }
    }
    // The words that are left are numbered anew, without gaps.
    let mut numbers = vec![Node(0); all.len()];
    let mut operations = Vec::new();
    for (node, mut operation) in all {
        if !is_used[node.0 as usize] {
            continue;
        }
        operation.rename_words(|word| numbers[word.0 as usize]);
        let number = Node(operations.len() as u32);
        numbers[node.0 as usize] = number;
        operations.push((number, operation));
    }
    operations
}

/// The new program, as far as it is written.
struct Writing<'a> {
    checked: &'a Checked,
    operations: Vec<(Node, Operation)>,
    /// The new word of each old one; of words in loops that of the last pass.
    words: BTreeMap<Node, Node>,
    /// What is carried into the pass that is written.
    carried: Option<Node>,
}

/// What is multiplied: a coefficient by a word.
struct Product {
    coefficient: i64,
    /// The fraction of the coefficient.
    fraction: i32,
    word: Node,
    /// The format that holds the word.
    format: WordFormat,
}

impl Writing<'_> {
    fn push(&mut self, operation: Operation) -> Node {
        let node = Node(self.operations.len() as u32);
        self.operations.push((node, operation));
        node
    }

    fn block(
        &mut self,
        operations: &[(Node, Operation)],
        pass: usize,
    ) -> Result<(), DatapathError> {
        for (node, operation) in operations {
            let word = self.operation(*node, operation, pass)?;
            self.words.insert(*node, word);
        }
        Ok(())
    }

    fn operation(
        &mut self,
        node: Node,
        operation: &Operation,
        pass: usize,
    ) -> Result<Node, DatapathError> {
        let fixed = |row: Row| Row::Fixed(row.at(pass));
        Ok(match *operation {
            Operation::Input { port, at } => self.push(Operation::Input { port, at: fixed(at) }),
            Operation::Deliver { port, at, word } => {
                let word = self.words[&word];
                self.push(Operation::Deliver { port, at: fixed(at), word })
            }
            Operation::Carried => {
                self.carried.ok_or(DatapathError::Misplaced { node, what: "a carried word" })?
            }
            Operation::Tap { line, row, age } => {
                self.push(Operation::Tap { line, row: fixed(row), age })
            }
            Operation::Product { table, row, column, word } => {
                let (coefficient, fraction) = self.coefficient(table, row, column, pass);
                let format = self.checked.facts().format(word);
                let product = Product { coefficient, fraction, word: self.words[&word], format };
                let terms = product.terms(Sign::Plus).collect();
                self.push(Operation::Accumulate {
                    terms,
                    format: self.checked.facts().format(node),
                })
            }
            Operation::Accumulate { ref terms, format } => {
                let mut written = Vec::new();
                for term in terms {
                    self.term(node, term, pass, &mut written)?;
                }
                self.push(Operation::Accumulate { terms: written, format })
            }
            Operation::Round { word, fraction, rounding } => {
                let word = self.words[&word];
                self.push(Operation::Round { word, fraction, rounding })
            }
            Operation::Limit { word, format, overflow } => {
                let word = self.words[&word];
                self.push(Operation::Limit { word, format, overflow })
            }
            Operation::Store { line, row, word } => {
                let word = self.words[&word];
                self.push(Operation::Store { line, row: fixed(row), word })
            }
            Operation::Repeat { passes, first, ref body } => {
                let mut carried = self.words[&first];
                for pass in 0..passes {
                    self.carried = Some(carried);
                    self.block(&body.operations, pass)?;
                    carried = self.words[&body.result];
                }
                self.carried = None;
                carried
            }
        })
    }

    /// A coefficient at the finest fraction of its table, and that fraction.
    fn coefficient(&self, table: TableIndex, row: Row, column: usize, pass: usize) -> (i64, i32) {
        let table = &self.checked.datapath().tables[table.0];
        (table.coefficient(row.at(pass), column), table.format.fraction())
    }

    fn tap(&mut self, line: LineIndex, row: Row, age: usize, pass: usize) -> Node {
        self.push(Operation::Tap { line, row: Row::Fixed(row.at(pass)), age })
    }

    fn term(
        &mut self,
        node: Node,
        term: &Term,
        pass: usize,
        terms: &mut Vec<Term>,
    ) -> Result<(), DatapathError> {
        match *term {
            Term::Word { sign, word, binary_point_shift } => {
                terms.push(Term::Word { sign, word: self.words[&word], binary_point_shift });
            }
            Term::Dot { sign, table, table_row, column, line, line_row, age, count, products } => {
                let format = self.checked.datapath().lines[line.0].format;
                for k in 0..count {
                    let (coefficient, fraction) =
                        self.coefficient(table, table_row, column + k, pass);
                    if coefficient != 0 {
                        let word = self.tap(line, line_row, age + k, pass);
                        let product = Product { coefficient, fraction, word, format };
                        self.add(node, product, sign, products, terms)?;
                    }
                }
            }
            Term::Folded(Fold {
                table,
                table_row,
                column,
                line,
                line_row,
                second,
                age,
                mirror,
                stride,
                count,
                products,
            }) => {
                let format = self.checked.datapath().lines[line.0].format;
                let (low, high) = (format.minimum(), format.maximum());
                let pair = match second {
                    Sign::Plus => WordFormat::holding(2 * low, 2 * high, format.fraction()),
                    Sign::Minus => WordFormat::holding(low - high, high - low, format.fraction()),
                };
                let needed = format.width() + 1;
                let pair = pair.ok_or(DatapathError::TooWide { node, needed })?;
                for k in 0..count {
                    let (coefficient, fraction) =
                        self.coefficient(table, table_row, column + k, pass);
                    if coefficient == 0 {
                        continue;
                    }
                    let [one, other] = [age + stride * k, mirror - stride * k]
                        .map(|age| self.tap(line, line_row, age, pass));
                    let both = vec![Term::word(Sign::Plus, one), Term::word(second, other)];
                    let word = self.push(Operation::Accumulate { terms: both, format: pair });
                    let product = Product { coefficient, fraction, word, format: pair };
                    self.add(node, product, Sign::Plus, products, terms)?;
                }
            }
        }
        Ok(())
    }

    /// Adds a product to a sum: its digits, or what rounding leaves of them.
    fn add(
        &mut self,
        node: Node,
        product: Product,
        sign: Sign,
        products: Option<RoundedProducts>,
        terms: &mut Vec<Term>,
    ) -> Result<(), DatapathError> {
        match products {
            Some(RoundedProducts { fraction, rounding }) if product.finest() > fraction => {
                let rounded = self.rounded(node, &product, fraction, rounding)?;
                terms.push(Term::word(sign, rounded));
            }
            _ => terms.extend(product.terms(sign)),
        }
        Ok(())
    }

    /// A product by itself, rounded to a fraction.
    fn rounded(
        &mut self,
        node: Node,
        product: &Product,
        fraction: i32,
        rounding: Rounding,
    ) -> Result<Node, DatapathError> {
        let format = product.exact().ok_or(DatapathError::TooWide { node, needed: 65 })?;
        let terms = product.terms(Sign::Plus).collect();
        let word = self.push(Operation::Accumulate { terms, format });
        Ok(self.push(Operation::Round { word, fraction, rounding }))
    }
}

impl Product {
    /// The shifted words that add up to it.
    fn terms(&self, sign: Sign) -> impl Iterator<Item = Term> {
        let (word, fraction) = (self.word, self.fraction);
        signed_digit_powers(self.coefficient).into_iter().map(move |(power, is_minus)| {
            let sign = if is_minus == (sign == Sign::Minus) { Sign::Plus } else { Sign::Minus };
            Term::Word { sign, word, binary_point_shift: fraction - power as i32 }
        })
    }

    /// The fraction that it really has: a coefficient with zeros at its end needs less.
    fn finest(&self) -> i32 {
        let zeros = self.coefficient.trailing_zeros() as i32;
        self.format.fraction() + self.fraction - zeros
    }

    /// The format that holds it.
    fn exact(&self) -> Option<WordFormat> {
        let odd = i128::from(self.coefficient >> self.coefficient.trailing_zeros());
        let ends = [self.format.minimum(), self.format.maximum()].map(|end| end.checked_mul(odd));
        let [Some(one), Some(other)] = ends else { return None };
        WordFormat::holding(one.min(other), one.max(other), self.finest())
    }
}
