//! The statements of the program.

use super::super::WriteError;
use super::super::number::c_integer;
use super::types::{Arithmetic, Helper, storage};
use crate::datapath::{
    Block, Checked, CommonExponent, Factors, Fold, LineIndex, Node, Operation, Row, Sign,
    TableIndex, Term,
};
use crate::fixed::{Overflow, Rounding, WordFormat};
use std::collections::{BTreeMap, BTreeSet};
use std::fmt::Write;
use std::ops::Range;

/// Dot products of at most this many terms are written out; longer ones are loops.
const WRITTEN_OUT: usize = 4;

/// The body of the step function and the helpers that it calls.
pub(super) struct Body {
    pub(super) text: String,
    pub(super) helpers: BTreeSet<Helper>,
}

impl Body {
    pub(super) fn new(checked: &Checked, name: &str) -> Result<Self, WriteError> {
        let mut statements = Statements {
            checked,
            name,
            text: String::new(),
            helpers: BTreeSet::new(),
            stored: BTreeMap::new(),
            sources: BTreeMap::new(),
            kinds: BTreeMap::new(),
            around: None,
            indent: 1,
        };
        let datapath = checked.datapath();
        statements.block(&datapath.body)?;
        let result = datapath.body.result;
        statements.line(&format!("return {};", statements.word(result)));
        Ok(Body { text: statements.text, helpers: statements.helpers })
    }
}

/// The types of a sum and of its products.
struct Types {
    sum: Arithmetic,
    product: Arithmetic,
    /// Of products before they are rounded.
    before: Arithmetic,
}

struct Statements<'a> {
    checked: &'a Checked,
    name: &'a str,
    text: String,
    helpers: BTreeSet<Helper>,
    /// The node that each row of a line was given in this sample.
    stored: BTreeMap<(usize, Row), Node>,
    /// For nodes that hand a word on without a variable of their own, the one that has it.
    sources: BTreeMap<Node, Node>,
    /// The type of the variable of each node so far.
    kinds: BTreeMap<Node, &'static str>,
    /// The loop that is being written; its variable carries the word from pass to pass.
    around: Option<Node>,
    indent: usize,
}

impl Statements<'_> {
    fn line(&mut self, text: &str) {
        let _ = writeln!(self.text, "{:1$}{text}", "", 4 * self.indent);
    }

    fn word(&self, node: Node) -> String {
        format!("n{}", self.source(node).0)
    }

    /// The node whose variable holds a word.
    fn source(&self, node: Node) -> Node {
        self.sources.get(&node).copied().unwrap_or(node)
    }

    /// A word as a value of this type, which holds it.
    fn word_as(&self, node: Node, kind: &'static str) -> String {
        let word = self.word(node);
        if self.kinds.get(&self.source(node)) == Some(&kind) {
            word
        } else {
            format!("({kind}){word}")
        }
    }

    /// A word converted to the type of a sum. A short one is promoted before it loses its sign: gcc takes the
    /// direct way, cast or not, for a change of sign that nobody asked for.
    fn cast(&self, node: Node, sum: Arithmetic) -> String {
        let is_short = matches!(self.kinds.get(&self.source(node)), Some(&("int8_t" | "int16_t")));
        match sum == Arithmetic::ModularNarrow && is_short {
            true => format!("({})({} + 0)", sum.name(), self.word(node)),
            false => format!("({}){}", sum.name(), self.word(node)),
        }
    }

    fn format(&self, node: Node) -> WordFormat {
        self.checked.facts().format(node)
    }

    /// The type of the variable that holds a node's word.
    fn variable(&self, node: Node, operation: &Operation) -> &'static str {
        match operation {
            Operation::Round { .. } | Operation::Accumulate { .. } | Operation::Product { .. } => {
                Arithmetic::of(self.format(node)).name()
            }
            _ => storage(self.format(node)),
        }
    }

    /// `[row][index]`, or `[index]` for a table or line of one row.
    fn place(&self, rows: usize, row: Row, index: &str) -> String {
        match row {
            Row::Pass if rows > 1 => format!("[pass][{index}]"),
            Row::Fixed(row) if rows > 1 => format!("[{row}][{index}]"),
            _ => format!("[{index}]"),
        }
    }

    fn coefficient(&self, table: TableIndex, row: Row, index: &str) -> String {
        let table = &self.checked.datapath().tables[table.0];
        format!("{}_{}{}", self.name, table.name, self.place(table.rows.len(), row, index))
    }

    /// The word of an age of at least 1; `index` is that age less 1.
    fn remembered(&self, line: LineIndex, row: Row, index: &str) -> String {
        let line = &self.checked.datapath().lines[line.0];
        format!("filter->{}{}", line.name, self.place(line.rows, row, index))
    }

    fn block(&mut self, block: &Block) -> Result<(), WriteError> {
        for (node, operation) in &block.operations {
            self.operation(*node, operation)?;
        }
        for (_, operation) in &block.operations {
            if let Operation::Store { line, row, word } = operation {
                self.advance(*line, *row, *word);
            }
        }
        if let Some(around) = self.around {
            let kind = storage(self.format(around));
            let (carried, result) = (self.word(around), self.word_as(block.result, kind));
            self.line(&format!("{carried} = {result};"));
        }
        Ok(())
    }

    /// Moves a line on by one sample.
    fn advance(&mut self, line: LineIndex, row: Row, word: Node) {
        let depth = self.checked.datapath().lines[line.0].depth;
        if depth == 0 {
            return;
        }
        if depth <= WRITTEN_OUT {
            for k in (1..depth).rev() {
                let to = self.remembered(line, row, &k.to_string());
                let from = self.remembered(line, row, &(k - 1).to_string());
                self.line(&format!("{to} = {from};"));
            }
        } else {
            let to = self.remembered(line, row, "k");
            let from = self.remembered(line, row, "k - 1");
            self.line(&format!("for (int k = {}; k > 0; k--) {{", depth - 1));
            self.line(&format!("    {to} = {from};"));
            self.line("}");
        }
        let newest = self.remembered(line, row, "0");
        let word = self.word_as(word, storage(self.checked.datapath().lines[line.0].format));
        self.line(&format!("{newest} = {word};"));
    }

    fn operation(&mut self, node: Node, operation: &Operation) -> Result<(), WriteError> {
        let name = self.word(node);
        let kind = self.variable(node, operation);
        let format = self.format(node);
        self.kinds.insert(node, kind);
        match operation {
            Operation::Input => self.line(&format!("const {kind} {name} = input; /* {format} */")),
            Operation::Carried => {
                let carried =
                    self.word(self.around.expect("checked: carried words stand in loops"));
                self.line(&format!("const {kind} {name} = {carried}; /* {format} */"));
            }
            Operation::Tap { line, row, age } => {
                let word = self.tap(*line, *row, *age);
                self.line(&format!("const {kind} {name} = {word}; /* {format} */"));
            }
            Operation::Product { table, row, column, word } => {
                let coefficient = self.coefficient(*table, *row, &column.to_string());
                let exponent = self.exponent(*table, *row, *column..*column + 1, "", kind);
                let word = self.word(*word);
                self.line(&format!(
                    "const {kind} {name} = ({kind}){coefficient}{exponent} * ({kind}){word}; /* {format} */"
                ));
            }
            Operation::Accumulate { terms, format } => self.accumulate(node, terms, *format)?,
            Operation::Round { word, fraction, rounding } => {
                self.round(node, *word, *fraction, *rounding)?;
            }
            Operation::Limit { word, format, overflow } => {
                self.limit(node, *word, *format, *overflow);
            }
            Operation::Store { line, row, word } => {
                self.stored.insert((line.0, *row), *word);
                self.sources.insert(node, self.source(*word));
            }
            Operation::Repeat { passes, first, body } => {
                let first = self.word_as(*first, kind);
                self.line(&format!("{kind} {name} = {first}; /* {format} */"));
                self.line(&format!("for (int pass = 0; pass < {passes}; pass++) {{"));
                self.indent += 1;
                self.around = Some(node);
                self.block(body)?;
                self.around = None;
                self.indent -= 1;
                self.line("}");
            }
        }
        Ok(())
    }

    fn tap(&self, line: LineIndex, row: Row, age: usize) -> String {
        if age == 0 {
            self.word(self.stored[&(line.0, row)])
        } else {
            self.remembered(line, row, &(age - 1).to_string())
        }
    }

    fn accumulate(
        &mut self,
        node: Node,
        terms: &[Term],
        format: WordFormat,
    ) -> Result<(), WriteError> {
        let fact = self.checked.facts().sum(node).expect("the check finds a fact for every sum");
        // Words that are added before their product fit its type, too, even where the product is zero.
        let pair = self.largest_pair(terms);
        let signed = Arithmetic::holding(fact.partial.max(pair));
        let sum_type = signed.unwrap_or(Arithmetic::Modular).max(Arithmetic::of(format));
        let sum_type = match sum_type {
            Arithmetic::Narrow => sum_type,
            _ if format.width() <= 32 && self.exponents_are_short() => Arithmetic::ModularNarrow,
            _ => sum_type,
        };
        let product = Arithmetic::holding(fact.product.max(pair));
        let are_rounded = terms.iter().any(|term| self.dropped(term).is_some());
        if are_rounded && product.is_none() {
            return Err(WriteError::Product {
                target: "C",
                node,
                needed: 129 - fact.product.leading_zeros(),
                limit: 64,
                fits: "take shorter coefficients or data",
            });
        }
        // A product that is rounded may be wider before than the sum; one that is not fits what the sum fits.
        let before = product.unwrap_or(Arithmetic::Wide);
        let types = Types { sum: sum_type, product: before.min(sum_type), before };
        let name = self.word(node);
        let word_type = Arithmetic::of(format);
        // A sum that never wraps, added up in the type of its word, is the word itself.
        let direct = sum_type == word_type && !fact.wraps;
        let sum = if direct { name.clone() } else { format!("{name}_sum") };
        let kind = sum_type.name();
        self.line(&format!("{kind} {sum} = 0; /* {format} */"));
        if is_of_digits(terms) {
            self.digits(&sum, terms, format.fraction(), sum_type);
        } else {
            for term in terms {
                self.term(node, &sum, term, format.fraction(), &types)?;
            }
        }
        if direct {
            return Ok(());
        }
        let kind = word_type.name();
        if sum_type.wraps() || fact.wraps {
            let helper = Helper::wrapping(format.is_signed(), sum_type);
            self.helpers.insert(helper);
            let (helper, width) = (helper.name(), format.width());
            let cast = if sum_type.wraps() { "" } else { "(uint64_t)" };
            self.line(&format!("const {kind} {name} = ({kind}){helper}({cast}{sum}, {width});"));
        } else {
            self.line(&format!("const {kind} {name} = ({kind}){sum};"));
        }
        Ok(())
    }

    /// Whether every exponent of a coefficient is one that a type of 32 bits can make.
    fn exponents_are_short(&self) -> bool {
        let tables = self.checked.datapath().tables.iter();
        tables.flat_map(|table| table.exponents.iter().flatten()).all(|exponent| *exponent < 32)
    }

    /// A sum of signed digits, from the largest power of two downward: the sum is doubled between them
    /// instead of each word, which takes as few shifts as there are powers, and keeps compilers from putting
    /// the digits of a coefficient together to a product again.
    fn digits(&mut self, sum: &str, terms: &[Term], fraction: i32, kind: Arithmetic) {
        let mut words: Vec<(i32, Sign, Node)> = terms
            .iter()
            .filter_map(|term| match term {
                Term::Word { sign, word, binary_point_shift } => Some((
                    fraction - self.format(*word).fraction() - binary_point_shift,
                    *sign,
                    *word,
                )),
                _ => None,
            })
            .collect();
        words.sort_by_key(|(bits, ..)| -bits);
        let mut last = words.first().map_or(0, |(bits, ..)| *bits);
        for (bits, sign, word) in words {
            if bits < last {
                self.line(&format!("{sum} = {sum}{};", kind.shifted(last - bits)));
                last = bits;
            }
            let word = self.cast(word, kind);
            self.line(&format!("{sum} {} {word};", mark(sign)));
        }
        if last > 0 {
            self.line(&format!("{sum} = {sum}{};", kind.shifted(last)));
        }
    }

    /// Bits that each product of a term drops before it is added, and how.
    fn dropped(&self, term: &Term) -> Option<(u32, Rounding)> {
        Factors::of(term)?.dropped(self.checked.datapath())
    }

    /// The factor that brings coefficients to the fraction of their table; where the columns of a loop
    /// differ, that of the one at `index`.
    fn exponent(
        &self,
        table: TableIndex,
        row: Row,
        columns: Range<usize>,
        index: &str,
        one: &str,
    ) -> String {
        let table = &self.checked.datapath().tables[table.0];
        let first = columns.start.to_string();
        let index = match table.common_exponent(row, columns) {
            CommonExponent::All(0) => return String::new(),
            CommonExponent::All(bits) => return format!(" * (({one})1 << {bits})"),
            CommonExponent::OfRow => &first,
            CommonExponent::None => index,
        };
        let place = self.place(table.rows.len(), row, index);
        format!(" * (({one})1 << {}_{}_exponent{place})", self.name, table.name)
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

    fn term(
        &mut self,
        node: Node,
        sum: &str,
        term: &Term,
        fraction: i32,
        types: &Types,
    ) -> Result<(), WriteError> {
        let dropped = self.dropped(term);
        let Types { sum: sum_type, product: product_type, before } = *types;
        let product_type = match (dropped, sum_type) {
            (Some(_), _) => before,
            (None, wrapping) if wrapping.wraps() => wrapping,
            (None, _) => product_type,
        };
        let shifted = |bits: i32| sum_type.shifted(bits);
        // Conversion to an unsigned type is modulo its size for every integer type (6.3.1.3).
        let cast = format!("({})", product_type.name());
        let rounder = match dropped {
            None => (String::new(), String::new()),
            Some((bits, rounding)) => {
                let (target, limit) = ("C", 63);
                let fits = "take fewer fraction bits in the coefficients or more in the products";
                if bits > limit {
                    return Err(WriteError::Shift { target, node, shift: bits, limit, fits });
                }
                let long = if bits > 31 { Arithmetic::Wide } else { Arithmetic::Narrow };
                let helpers = Helper::rounding(rounding, product_type.max(long));
                self.helpers.extend(helpers);
                (format!("({}){}(", sum_type.name(), helpers[0].name()), format!(", {bits})"))
            }
        };
        let (before, behind) = rounder;
        match term {
            Term::Word { sign, word, binary_point_shift } => {
                let bits = fraction - self.format(*word).fraction() - binary_point_shift;
                // A word is as wide as any sum that it is added to.
                let word = self.cast(*word, sum_type);
                self.line(&format!("{sum} {} {word}{};", mark(*sign), shifted(bits)));
            }
            Term::Dot { sign, table, table_row, column, line, line_row, age, count, products } => {
                let datapath = self.checked.datapath();
                let own = datapath.tables[table.0].format.fraction()
                    + datapath.lines[line.0].format.fraction();
                let own = products.filter(|_| dropped.is_some()).map_or(own, |p| p.fraction);
                let shift = format!("{behind}{}", shifted(fraction - own));
                let sign = mark(*sign);
                let (mut column, mut age, mut count) = (*column, *age, *count);
                let write_one = |this: &mut Self, column: usize, age: usize| {
                    let coefficient = this.coefficient(*table, *table_row, &column.to_string());
                    let word = this.tap(*line, *line_row, age);
                    let columns = column..column + 1;
                    let exponent =
                        this.exponent(*table, *table_row, columns, "", product_type.name());
                    this.line(&format!(
                        "{sum} {sign} {before}{cast}{coefficient}{exponent} * {cast}{word}{shift};"
                    ));
                };
                if age == 0 {
                    write_one(self, column, age);
                    (column, age, count) = (column + 1, 1, count - 1);
                }
                if count <= WRITTEN_OUT {
                    for k in 0..count {
                        write_one(self, column + k, age + k);
                    }
                    return Ok(());
                }
                let at = |offset: usize| {
                    if offset == 0 { "k".to_owned() } else { format!("k + {offset}") }
                };
                let coefficient = self.coefficient(*table, *table_row, &at(column));
                let word = self.remembered(*line, *line_row, &at(age - 1));
                let columns = column..column + count;
                let kind = product_type.name();
                let exponent = self.exponent(*table, *table_row, columns, &at(column), kind);
                self.line(&format!("for (int k = 0; k < {count}; k++) {{"));
                self.line(&format!(
                    "    {sum} {sign} {before}{cast}{coefficient}{exponent} * {cast}{word}{shift};"
                ));
                self.line("}");
            }
            Term::Folded(fold) => {
                let datapath = self.checked.datapath();
                let own = datapath.tables[fold.table.0].format.fraction()
                    + datapath.lines[fold.line.0].format.fraction();
                let own = fold.products.filter(|_| dropped.is_some()).map_or(own, |p| p.fraction);
                let shift = format!("{behind}{}", shifted(fraction - own));
                self.fold(sum, fold, (&before, product_type.name()), &shift);
            }
        }
        Ok(())
    }

    /// A folded product: the first pair by itself where it has the word of this sample, the others in a loop.
    fn fold(&mut self, sum: &str, fold: &Fold, (before, kind): (&str, &str), shift: &str) {
        let cast = format!("({kind})");
        let Fold { table, table_row, line, line_row, stride, .. } = *fold;
        let sign = if fold.second == Sign::Plus { "+" } else { "-" };
        let put = |this: &mut Self, columns: Range<usize>, column: &str, one: &str, other: &str| {
            let indent = if columns.len() > 1 { "    " } else { "" };
            let exponent = this.exponent(table, table_row, columns, column, kind);
            let coefficient = this.coefficient(table, table_row, column);
            this.line(&format!(
                "{indent}{sum} += {before}{cast}{coefficient}{exponent} * ({cast}{one} {sign} \
                    {cast}{other}){shift};"
            ));
        };
        let (age, mirror) = (fold.age, fold.mirror);
        let by_itself = if fold.count <= WRITTEN_OUT { fold.count } else { usize::from(age == 0) };
        for k in 0..by_itself {
            let one = self.tap(line, line_row, age + stride * k);
            let other = self.tap(line, line_row, mirror - stride * k);
            let column = fold.column + k;
            put(self, column..column + 1, &column.to_string(), &one, &other);
        }
        if by_itself == fold.count {
            return;
        }
        let step = if stride == 1 { "k".to_owned() } else { format!("{stride} * k") };
        let after = |offset: usize| match offset {
            0 => step.clone(),
            offset => format!("{offset} + {step}"),
        };
        let one = age.checked_sub(1).map_or_else(|| format!("{step} - 1"), after);
        let one = self.remembered(line, line_row, &one);
        let other = self.remembered(line, line_row, &format!("{} - {step}", mirror - 1));
        let column = if fold.column == 0 { "k".to_owned() } else { format!("k + {}", fold.column) };
        self.line(&format!("for (int k = {by_itself}; k < {}; k++) {{", fold.count));
        let columns = fold.column + by_itself..fold.column + fold.count;
        put(self, columns, &column, &one, &other);
        self.line("}");
    }

    fn round(
        &mut self,
        node: Node,
        word: Node,
        fraction: i32,
        rounding: Rounding,
    ) -> Result<(), WriteError> {
        let source = self.format(word);
        let format = self.format(node);
        let shift = source.fraction() - fraction;
        if shift > 63 {
            return Err(WriteError::Shift {
                target: "C",
                node,
                shift: shift as u32,
                limit: 63,
                fits: "take fewer fraction bits in the coefficients or more in the output",
            });
        }
        // The helper works in a type that holds the word before and after, and whose width exceeds the shift.
        let long = if shift > 31 { Arithmetic::Wide } else { Arithmetic::Narrow };
        let working = Arithmetic::of(source).max(Arithmetic::of(format)).max(long);
        let (kind, name) = (Arithmetic::of(format).name(), self.word(node));
        let word = self.word(word);
        let expression = if shift > 0 {
            let helpers = Helper::rounding(rounding, working);
            self.helpers.extend(helpers);
            let cast = if kind == working.name() { String::new() } else { format!("({kind})") };
            format!("{cast}{}({word}, {shift})", helpers[0].name())
        } else if shift < 0 {
            format!("({kind}){word} * (({kind})1 << {})", -shift)
        } else {
            format!("({kind}){word}")
        };
        self.line(&format!("const {kind} {name} = {expression}; /* {format} */"));
        Ok(())
    }

    fn limit(&mut self, node: Node, word: Node, format: WordFormat, overflow: Overflow) {
        let fact =
            self.checked.facts().limit(node).expect("the check finds a fact for every limit");
        let (kind, name, word) = (storage(format), self.word(node), self.word(word));
        let expression = match overflow {
            _ if !fact.acts => format!("({kind}){word}"),
            Overflow::Saturate => {
                let (low, high) = (c_integer(format.minimum()), c_integer(format.maximum()));
                let below = fact.low < format.minimum();
                let above = fact.high > format.maximum();
                let upper =
                    if above { format!("{word} > {high} ? {high} : {word}") } else { word.clone() };
                if below {
                    format!("({kind})({word} < {low} ? {low} : {upper})")
                } else {
                    format!("({kind})({upper})")
                }
            }
            Overflow::Wrap | Overflow::Forbid => {
                let helper =
                    if format.is_signed() { Helper::WrapSigned } else { Helper::WrapUnsigned };
                self.helpers.insert(helper);
                format!("({kind}){}((uint64_t){word}, {})", helper.name(), format.width())
            }
        };
        self.line(&format!("const {kind} {name} = {expression}; /* {format} */"));
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

fn mark(sign: Sign) -> &'static str {
    match sign {
        Sign::Plus => "+=",
        Sign::Minus => "-=",
    }
}
