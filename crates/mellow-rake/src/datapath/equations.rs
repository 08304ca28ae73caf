//! A program read as difference equations: every word that is rounded, limited or remembered is a sum of
//! coefficients times older words, brought to its format.
//!
//! The reading asks only what operations do, not which structure they make. Loops are unrolled, taps of delay
//! lines become words of so many samples ago, and what is exact in between (products, alignments, sums that
//! are used once) is carried into the sum that takes it. Sums in machine words are taken modulo 2⁶⁴, which is
//! exact modulo the width of every accumulator.

use super::ports::{offsets, words};
use super::{Checked, Fold, Node, Operation, RoundedProducts, Row, Sign, TableIndex, Term};
use crate::fixed::{Overflow, Rounding, WordFormat};

/// A word of some time. The first streams are the words that come in, port by port; then come those of the
/// equations.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(super) struct Factor {
    pub(super) coefficient: i64,
    pub(super) stream: usize,
    pub(super) age: usize,
}

/// What is done to a sum, in this order.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub(super) struct Ending {
    pub(super) wrap: Option<WordFormat>,
    pub(super) round: Option<(u32, Rounding)>,
    pub(super) limit: Option<(Overflow, WordFormat)>,
}

impl Ending {
    /// The word, and whether the limit changed it.
    #[inline(always)]
    pub(super) fn apply(self, sum: i64) -> (i64, bool) {
        let word = self.wrap.map_or(sum, |format| format.wrap_narrow(sum));
        let word = self.round.map_or(word, |(bits, how)| how.shift_right_narrow(word, bits));
        self.limit.map_or((word, false), |(how, format)| {
            let limited = how.limit_narrow(word, format);
            (limited, limited != word)
        })
    }
}

/// One word of every sample.
#[derive(Debug, Clone)]
pub(super) struct Equation {
    pub(super) factors: Vec<Factor>,
    pub(super) ending: Ending,
    /// Whether every partial sum of the factors, in any order, is proved to be below 2⁵³ in size.
    pub(super) is_real: bool,
}

/// A whole program.
pub(super) struct Equations {
    /// The formats of the words that come in.
    pub(super) inputs: Vec<WordFormat>,
    pub(super) all: Vec<Equation>,
    /// The streams that go out.
    pub(super) outputs: Vec<usize>,
}

/// The largest size of a word that may be rounded in machine words: half a step is added before bits are
/// dropped.
const LARGEST: i128 = 1 << 61;

/// More factors than this are not unrolled.
const MOST_FACTORS: usize = 1 << 18;

/// Sizes below this are exact in f64.
const REAL: i128 = 1 << 53;

/// Where a word comes from while the program is read: rows of lines are given theirs later than some are
/// taken.
#[derive(Clone, Copy, PartialEq, Eq)]
enum Source {
    Stream(usize),
    Line(usize, usize),
}

/// A sum that no equation stands for yet.
#[derive(Clone, Default)]
struct Draft {
    factors: Vec<(i64, Source, usize)>,
    ending: Ending,
    /// As of [`Equation`].
    is_real: bool,
}

impl Draft {
    fn word(source: Source, age: usize) -> Self {
        Draft { factors: vec![(1, source, age)], ..Draft::default() }
    }

    /// Whether it is a sum and nothing more.
    fn is_sum(&self) -> bool {
        self.ending == Ending::default()
    }

    /// Whether it is one coefficient times one word, or nothing.
    fn is_product(&self) -> bool {
        self.is_sum() && self.factors.len() <= 1
    }

    /// The stream that it is, where it is one.
    fn stream(&self) -> Option<usize> {
        match self.factors[..] {
            [(1, Source::Stream(stream), 0)] if self.is_sum() => Some(stream),
            _ => None,
        }
    }
}

/// An integer times a power of two, modulo 2⁶⁴.
fn shifted(coefficient: i64, shift: u32) -> i64 {
    coefficient.checked_shl(shift).unwrap_or(0)
}

/// A product times a factor more.
fn scaled(mut product: Draft, by: i64) -> Draft {
    for (coefficient, ..) in &mut product.factors {
        *coefficient = coefficient.wrapping_mul(by);
    }
    product
}

struct Reader<'a> {
    checked: &'a Checked,
    /// Where the words of each port begin.
    inputs: Vec<usize>,
    outputs: Vec<usize>,
    /// The stream of each word that goes out.
    delivered: Vec<Option<usize>>,
    words_in: usize,
    drafts: Vec<Draft>,
    /// How often the word of each node is used.
    uses: Vec<usize>,
    /// For each line and row, the stream that it holds.
    rows: Vec<Vec<Option<usize>>>,
    found: Vec<Draft>,
    factors: usize,
}

impl Equations {
    /// The equations of a program whose words are all proved to be machine words; `None` for others, and
    /// where loops unroll to very much.
    pub(super) fn of(checked: &Checked) -> Option<Self> {
        let datapath = checked.datapath();
        if !are_machine_words(checked) {
            return None;
        }
        let mut reader = Reader {
            checked,
            inputs: offsets(&datapath.inputs),
            outputs: offsets(&datapath.outputs),
            delivered: vec![None; datapath.words_out()],
            words_in: datapath.words_in(),
            drafts: vec![Draft::default(); datapath.nodes()],
            uses: uses(checked),
            rows: datapath.lines.iter().map(|line| vec![None; line.rows]).collect(),
            found: Vec::new(),
            factors: 0,
        };
        reader.block(&datapath.body, &Draft::default(), 0)?;
        let Reader { rows, found, delivered, .. } = reader;
        let equation = |draft: Draft| {
            let factor = |(coefficient, source, age)| {
                let stream = match source {
                    Source::Stream(stream) => Some(stream),
                    Source::Line(line, row) => rows[line][row],
                };
                stream.map(|stream| Factor { coefficient, stream, age })
            };
            let factors = draft.factors.into_iter().map(factor).collect::<Option<_>>()?;
            Some(Equation { factors, ending: draft.ending, is_real: draft.is_real })
        };
        let all = found.into_iter().map(equation).collect::<Option<_>>()?;
        let outputs = delivered.into_iter().collect::<Option<_>>()?;
        Some(Equations { inputs: words(&datapath.inputs).collect(), all, outputs })
    }
}

/// How often the word of each node is used.
fn uses(checked: &Checked) -> Vec<usize> {
    let datapath = checked.datapath();
    let mut uses = vec![0; datapath.nodes()];
    let words = datapath.operations().flat_map(|(_, operation, _)| operation.words());
    for word in words {
        uses[word.0 as usize] += 1;
    }
    uses
}

/// Whether every word of a program, and every product that is rounded by itself, is proved to stay well
/// within a machine word.
fn are_machine_words(checked: &Checked) -> bool {
    let (datapath, facts) = (checked.datapath(), checked.facts());
    let is_near = |shift: i32| (-61..=61).contains(&shift);
    let product = |table: usize, line: usize, to: RoundedProducts| {
        let (table, line) = (&datapath.tables[table], &datapath.lines[line]);
        let rows = (0..table.rows.len()).flat_map(|row| {
            (0..table.rows[row].len()).map(move |column| table.coefficient(row, column))
        });
        let largest = rows.map(|value| i128::from(value).abs()).max().unwrap_or(0);
        // Pairs may be twice as large as a word.
        let size = largest << (line.format.width() + 1).min(64);
        let own = table.format.fraction() + line.format.fraction();
        size < LARGEST && is_near(own - to.fraction)
    };
    let term = |term: &Term| match term {
        Term::Dot { table, line, products: Some(to), .. } => product(table.0, line.0, *to),
        Term::Folded(Fold { table, line, products: Some(to), .. }) => product(table.0, line.0, *to),
        _ => true,
    };
    datapath.operations().all(|(node, operation, _)| {
        let (low, high) = facts.range(node);
        let is_small = low > -LARGEST && high < LARGEST;
        is_small
            && match operation {
                Operation::Accumulate { terms, .. } => terms.iter().all(term),
                Operation::Round { word, fraction, .. } => {
                    is_near(checked.fractions()[word.0 as usize] - fraction)
                }
                _ => true,
            }
    })
}

impl Reader<'_> {
    /// Reads a block. `None` where it is too much.
    fn block(
        &mut self,
        operations: &[(Node, Operation)],
        carried: &Draft,
        pass: usize,
    ) -> Option<()> {
        for (node, operation) in operations {
            let draft = self.operation(*node, operation, carried, pass)?;
            let index = node.0 as usize;
            // What several use is computed once.
            self.drafts[index] = if self.uses[index] > 1 && !draft.is_product() {
                self.computed(draft)?
            } else {
                draft
            };
        }
        Some(())
    }

    fn operation(
        &mut self,
        node: Node,
        operation: &Operation,
        carried: &Draft,
        pass: usize,
    ) -> Option<Draft> {
        let checked = self.checked;
        Some(match operation {
            Operation::Input { port, at } => {
                Draft::word(Source::Stream(self.inputs[*port] + at.at(pass)), 0)
            }
            Operation::Carried => carried.clone(),
            Operation::Tap { line, row, age } => {
                let (source, age) = self.tap(line.0, row.at(pass), *age)?;
                Draft::word(source, age)
            }
            Operation::Product { table, row, column, word } => {
                let word = self.product(*word)?;
                scaled(word, self.coefficient(*table, row.at(pass), *column))
            }
            Operation::Accumulate { terms, format } => {
                let fact = checked.facts().sum(node)?;
                let mut sum = Draft { is_real: fact.partial < REAL, ..Draft::default() };
                for term in terms {
                    self.add_term(&mut sum, term, format.fraction(), pass)?;
                }
                sum.factors.retain(|(coefficient, ..)| *coefficient != 0);
                self.factors += sum.factors.len();
                sum.ending.wrap = fact.wraps.then_some(*format);
                sum
            }
            Operation::Round { word, fraction, rounding } => {
                let dropped = checked.fractions()[word.0 as usize] - fraction;
                let mut word = self.draft(*word);
                if dropped < 0 {
                    if !word.is_product() {
                        word = self.computed(word)?;
                    }
                    return Some(scaled(word, shifted(1, dropped.unsigned_abs())));
                }
                if word.ending.round.is_some() || word.ending.limit.is_some() {
                    word = self.computed(word)?;
                }
                word.ending.round = (dropped > 0).then_some((dropped as u32, *rounding));
                word
            }
            Operation::Limit { word, format, overflow } => {
                let mut word = self.draft(*word);
                if word.ending.limit.is_some() {
                    word = self.computed(word)?;
                }
                word.ending.limit = Some((*overflow, *format));
                word
            }
            Operation::Store { line, row, word } => {
                let word = self.draft(*word);
                let word = self.computed(word)?;
                self.rows[line.0][row.at(pass)] = word.stream();
                word
            }
            Operation::Deliver { port, at, word } => {
                let word = self.computed(self.draft(*word))?;
                self.delivered[self.outputs[*port] + at.at(pass)] = word.stream();
                word
            }
            Operation::Repeat { passes, first, body } => {
                let mut carried = self.product(*first)?;
                for pass in 0..*passes {
                    self.block(&body.operations, &carried, pass)?;
                    carried = self.computed(self.draft(body.result))?;
                }
                carried
            }
        })
    }

    fn draft(&self, node: Node) -> Draft {
        self.drafts[node.0 as usize].clone()
    }

    /// The stream of a draft, which becomes an equation unless it is one already.
    fn stream(&mut self, draft: Draft) -> Option<usize> {
        if let Some(stream) = draft.stream() {
            return Some(stream);
        }
        self.found.push(draft);
        let stream = self.words_in + self.found.len() - 1;
        (self.factors + stream <= MOST_FACTORS).then_some(stream)
    }

    /// A word as one coefficient times one word.
    fn product(&mut self, node: Node) -> Option<Draft> {
        let draft = self.draft(node);
        if draft.is_product() { Some(draft) } else { self.computed(draft) }
    }

    /// A draft as the word of its stream.
    fn computed(&mut self, draft: Draft) -> Option<Draft> {
        Some(Draft::word(Source::Stream(self.stream(draft)?), 0))
    }

    fn coefficient(&self, table: TableIndex, row: usize, column: usize) -> i64 {
        self.checked.datapath().tables[table.0].coefficient(row, column)
    }

    fn tap(&self, line: usize, row: usize, age: usize) -> Option<(Source, usize)> {
        if age > 0 {
            return Some((Source::Line(line, row), age));
        }
        // Read behind the store only.
        self.rows[line][row].map(|stream| (Source::Stream(stream), 0))
    }

    fn add_term(&mut self, sum: &mut Draft, term: &Term, fraction: i32, pass: usize) -> Option<()> {
        let signed = |sign: Sign, value: i64| match sign {
            Sign::Plus => value,
            Sign::Minus => value.wrapping_neg(),
        };
        let one = signed(Sign::Plus, 1);
        match *term {
            Term::Word { sign, word, binary_point_shift } => {
                let own = self.checked.fractions()[word.0 as usize];
                let by = signed(sign, shifted(1, (fraction - own - binary_point_shift) as u32));
                let word = self.product(word)?;
                sum.factors.extend(scaled(word, by).factors);
            }
            Term::Dot { sign, table, table_row, column, line, line_row, age, count, products } => {
                for k in 0..count {
                    let value = self.coefficient(table, table_row.at(pass), column + k);
                    let (source, age) = self.tap(line.0, line_row.at(pass), age + k)?;
                    let words = vec![(value, source, age)];
                    let own = self.own_fraction(table, line.0);
                    self.add_product(sum, (signed(sign, one), words), own, products, fraction)?;
                }
            }
            Term::Folded(fold) => {
                let row = |row: Row| row.at(pass);
                let own = self.own_fraction(fold.table, fold.line.0);
                for k in 0..fold.count {
                    let value = self.coefficient(fold.table, row(fold.table_row), fold.column + k);
                    let tap = |age| self.tap(fold.line.0, row(fold.line_row), age);
                    let first = tap(fold.age + fold.stride * k)?;
                    let second = tap(fold.mirror - fold.stride * k)?;
                    let other = signed(fold.second, value);
                    let words = vec![(value, first.0, first.1), (other, second.0, second.1)];
                    self.add_product(sum, (one, words), own, fold.products, fraction)?;
                }
            }
        }
        Some(())
    }

    /// The fraction of the products of a table and a line.
    fn own_fraction(&self, table: TableIndex, line: usize) -> i32 {
        let datapath = self.checked.datapath();
        datapath.tables[table.0].format.fraction() + datapath.lines[line].format.fraction()
    }

    /// A product of the fraction `own`, or one that several words share, as it is added to a sum of another.
    fn add_product(
        &mut self,
        sum: &mut Draft,
        (sign, words): (i64, Vec<(i64, Source, usize)>),
        own: i32,
        products: Option<RoundedProducts>,
        fraction: i32,
    ) -> Option<()> {
        let Some(RoundedProducts { fraction: to, rounding }) = products else {
            let by = sign.wrapping_mul(shifted(1, (fraction - own) as u32));
            let scaled =
                words.into_iter().map(|(c, source, age)| (c.wrapping_mul(by), source, age));
            sum.factors.extend(scaled);
            return Some(());
        };
        let mut product = Draft { factors: words, ..Draft::default() };
        self.factors += product.factors.len();
        let mut by = sign.wrapping_mul(shifted(1, (fraction - to) as u32));
        match own - to {
            0 => {}
            dropped @ 1.. => product.ending.round = Some((dropped as u32, rounding)),
            appended => by = by.wrapping_mul(shifted(1, appended.unsigned_abs())),
        }
        let stream = self.stream(product)?;
        sum.factors.push((by, Source::Stream(stream), 0));
        Some(())
    }
}
