//! The statements of the program.

use super::super::lower::{
    Addend, Addition, Coefficient, Exponent, Factor, Index, Limiting, Local, Lowered, Read,
    Statement, Step, Sum, Value,
};
use super::super::machine::{Arithmetic, SumTypes};
use super::super::number::c_integer;
use super::types::{Helper, name, shifted, storage};
use crate::datapath::{Node, Row, Sign};
use crate::fixed::Rounding;
use std::collections::{BTreeMap, BTreeSet};
use std::fmt::Write;

/// Lines of at most this many words move on by statements; longer ones by a loop.
const WRITTEN_OUT: usize = 4;

/// The body of the step function and the helpers that it calls.
pub(super) struct Body {
    pub(super) text: String,
    pub(super) helpers: BTreeSet<Helper>,
}

impl Body {
    pub(super) fn new(lowered: &Lowered, name: &str, admitted: &Admitted) -> Self {
        let (text, helpers) = (String::new(), BTreeSet::new());
        let mut statements = Statements { lowered, name, admitted, text, helpers, indent: 1 };
        statements.block(&lowered.body);
        statements.line(&format!("return {};", word(lowered.result)));
        Body { text: statements.text, helpers: statements.helpers }
    }
}

/// Words with the least and the largest integer that each is proved to hold, which follows from more than the
/// ranges of what it is made of: a reader of the text alone cannot know them.
pub(super) type Admitted = BTreeMap<Node, [i128; 2]>;

/// The name of a word.
fn word(local: Local) -> String {
    format!("n{}", local.node.0)
}

/// The type of the variable that holds a word.
fn kind(local: Local) -> &'static str {
    match local.is_computed {
        true => name(Arithmetic::of(local.format)),
        false => storage(local.format),
    }
}

/// A word as a value of this type, which holds it.
fn word_as(local: Local, wanted: &str) -> String {
    match kind(local) == wanted {
        true => word(local),
        false => format!("({wanted}){}", word(local)),
    }
}

/// A word converted to the type of a sum. A short one is promoted before it loses its sign: gcc takes the
/// direct way, cast or not, for a change of sign that nobody asked for.
fn cast(local: Local, sum: Arithmetic) -> String {
    let is_short = matches!(kind(local), "int8_t" | "int16_t");
    match sum == Arithmetic::ModularNarrow && is_short {
        true => format!("({})({} + 0)", name(sum), word(local)),
        false => format!("({}){}", name(sum), word(local)),
    }
}

fn mark(sign: Sign) -> &'static str {
    match sign {
        Sign::Plus => "+=",
        Sign::Minus => "-=",
    }
}

/// A place in a row: the counter first, or, of words that come in pairs, behind where it starts.
fn index(index: Index, is_of_pair: bool) -> String {
    let running = match index.step.abs() {
        0 => return index.offset.to_string(),
        1 => "k".to_owned(),
        step => format!("{step} * k"),
    };
    match (index.offset, index.step < 0) {
        (offset, true) => format!("{offset} - {running}"),
        (0, false) => running,
        (offset, false) if offset < 0 => format!("{running} - {}", -offset),
        (offset, false) if is_of_pair => format!("{offset} + {running}"),
        (offset, false) => format!("{running} + {offset}"),
    }
}

/// `[row][index]`, or `[index]` for a table or line of one row.
fn place(rows: usize, row: Row, index: &str) -> String {
    match row {
        Row::Pass if rows > 1 => format!("[pass][{index}]"),
        Row::Fixed(row) if rows > 1 => format!("[{row}][{index}]"),
        _ => format!("[{index}]"),
    }
}

struct Statements<'a> {
    lowered: &'a Lowered,
    name: &'a str,
    admitted: &'a Admitted,
    text: String,
    helpers: BTreeSet<Helper>,
    indent: usize,
}

impl Statements<'_> {
    fn line(&mut self, text: &str) {
        let _ = writeln!(self.text, "{:1$}{text}", "", 4 * self.indent);
    }

    /// A coefficient in this type, brought to the fraction of its table.
    fn coefficient(&self, coefficient: &Coefficient, kind: &str) -> String {
        let table = &self.lowered.tables[coefficient.table];
        let at = |column: Index| place(table.rows.len(), coefficient.row, &index(column, false));
        let exponent = match coefficient.exponent {
            Exponent::Constant(0) => String::new(),
            Exponent::Constant(bits) => format!(" * (({kind})1 << {bits})"),
            Exponent::At(column) => {
                format!(" * (({kind})1 << {}_{}_exponent{})", self.name, table.name, at(column))
            }
        };
        format!("({kind}){}_{}{}{exponent}", self.name, table.name, at(coefficient.column))
    }

    fn remembered(&self, line: usize, row: Row, index: &str) -> String {
        let line = &self.lowered.lines[line];
        format!("filter->{}{}", line.name, place(line.rows, row, index))
    }

    fn read(&self, read: &Read, is_of_pair: bool) -> String {
        match read {
            Read::Local(local) => word(*local),
            Read::Remembered { line, row, index: at } => {
                self.remembered(*line, *row, &index(*at, is_of_pair))
            }
        }
    }

    fn block(&mut self, body: &[Statement]) {
        for statement in body {
            self.statement(statement);
        }
    }

    fn statement(&mut self, statement: &Statement) {
        match statement {
            Statement::Let { local, value } => {
                let (kind, format) = (kind(*local), local.format);
                let value = self.value(*local, value);
                self.line(&format!("const {kind} {} = {value}; /* {format} */", word(*local)));
                self.admit(*local);
            }
            Statement::Sum(sum) => {
                self.sum(sum);
                self.admit(sum.local);
            }
            Statement::Repeat { local, passes, first, body, result } => {
                let (kind, format) = (kind(*local), local.format);
                let first = word_as(*first, kind);
                self.line(&format!("{kind} {} = {first}; /* {format} */", word(*local)));
                self.line(&format!("for (int pass = 0; pass < {passes}; pass++) {{"));
                self.indent += 1;
                self.block(body);
                self.line(&format!("{} = {};", word(*local), word_as(*result, kind)));
                self.indent -= 1;
                self.line("}");
            }
            // The caller of the block hands over what goes out.
            Statement::Deliver { .. } => {}
            Statement::Advance { line, row, word } => self.advance(*line, *row, *word),
        }
    }

    /// What is proved of a word, for an analyser of C (ACSL: ANSI/ISO C Specification Language).
    fn admit(&mut self, local: Local) {
        if let Some([low, high]) = self.admitted.get(&local.node) {
            self.line(&format!("/*@ admit {low} <= {} <= {high}; */", word(local)));
        }
    }

    /// Moves a line on by one sample.
    fn advance(&mut self, line: usize, row: Row, word: Local) {
        let depth = self.lowered.lines[line].depth;
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
        let word = word_as(word, storage(self.lowered.lines[line].format));
        self.line(&format!("{newest} = {word};"));
    }

    fn value(&mut self, local: Local, value: &Value) -> String {
        let kind = kind(local);
        match value {
            Value::Input { .. } => "input".to_owned(),
            Value::Read(read) => self.read(read, false),
            Value::Product { coefficient, word: factor } => {
                format!("{} * ({kind}){}", self.coefficient(coefficient, kind), word(*factor))
            }
            Value::Round { word, dropped, rounding } => {
                self.round(local, *word, *dropped, *rounding)
            }
            Value::Limit { word, how } => self.limit(local, *word, *how),
        }
    }

    fn sum(&mut self, sum: &Sum) {
        let Sum { local, need, .. } = sum;
        let format = local.format;
        let types = SumTypes::of(sum, self.lowered);
        let word = word(*local);
        let variable = if types.is_word { word.clone() } else { format!("{word}_sum") };
        self.line(&format!("{} {variable} = 0; /* {format} */", name(types.sum)));
        for step in sum.doubling() {
            self.step(&variable, &step, &types);
        }
        if types.is_word {
            return;
        }
        let kind = name(types.word);
        if types.sum.wraps() || need.wraps {
            let helper = Helper::wrapping(format.is_signed(), types.sum);
            self.helpers.insert(helper);
            let (helper, width) = (helper.name(), format.width());
            let cast = if types.sum.wraps() { "" } else { "(uint64_t)" };
            self.line(&format!(
                "const {kind} {word} = ({kind}){helper}({cast}{variable}, {width});"
            ));
        } else {
            self.line(&format!("const {kind} {word} = ({kind}){variable};"));
        }
    }

    fn step(&mut self, sum: &str, step: &Step, types: &SumTypes) {
        match step {
            Step::Double(times) => {
                self.line(&format!("{sum} = {sum}{};", shifted(types.sum, *times)));
            }
            Step::Add(addition) => {
                let line = self.addition(sum, addition, types);
                self.line(&line);
            }
            Step::Loop { passes, addition } => {
                let (first, end) = (passes.start, passes.end);
                let line = self.addition(sum, addition, types);
                self.line(&format!("for (int k = {first}; k < {end}; k++) {{"));
                self.line(&format!("    {line}"));
                self.line("}");
            }
        }
    }

    fn addition(&mut self, sum: &str, addition: &Addition, types: &SumTypes) -> String {
        let (sign, zeros) = (mark(addition.sign), shifted(types.sum, addition.shift));
        let (coefficient, factor, rounded) = match &addition.addend {
            // A word is as wide as any sum that it is added to.
            Addend::Word(local) => {
                return format!("{sum} {sign} {}{zeros};", cast(*local, types.sum));
            }
            Addend::Product { coefficient, factor, rounded } => (coefficient, factor, *rounded),
        };
        let product_type = types.product(rounded);
        // Conversion to an unsigned type is modulo its size for every integer type (6.3.1.3).
        let kind = name(product_type);
        let coefficient = self.coefficient(coefficient, kind);
        let factor = match factor {
            Factor::One(one) => format!("({kind}){}", self.read(one, false)),
            Factor::Pair { first, sign, second } => {
                let sign = if *sign == Sign::Plus { "+" } else { "-" };
                let [first, second] = [first, second].map(|word| self.read(word, true));
                format!("(({kind}){first} {sign} ({kind}){second})")
            }
        };
        let product = format!("{coefficient} * {factor}");
        let product = match rounded {
            None => product,
            Some((bits, rounding)) => {
                let working = product_type.max(Arithmetic::dropping(bits));
                let helpers = Helper::rounding(rounding, working);
                self.helpers.extend(helpers);
                format!("({}){}({product}, {bits})", name(types.sum), helpers[0].name())
            }
        };
        format!("{sum} {sign} {product}{zeros};")
    }

    fn round(&mut self, local: Local, source: Local, dropped: i32, rounding: Rounding) -> String {
        // The helper works in a type that holds the word before and after, and whose width exceeds the shift.
        let long = Arithmetic::dropping(dropped.max(0) as u32);
        let working = Arithmetic::of(source.format).max(Arithmetic::of(local.format)).max(long);
        let (kind, source) = (name(Arithmetic::of(local.format)), word(source));
        if dropped > 0 {
            let helpers = Helper::rounding(rounding, working);
            self.helpers.extend(helpers);
            let cast = if kind == name(working) { String::new() } else { format!("({kind})") };
            format!("{cast}{}({source}, {dropped})", helpers[0].name())
        } else if dropped < 0 {
            format!("({kind}){source} * (({kind})1 << {})", -dropped)
        } else {
            format!("({kind}){source}")
        }
    }

    fn limit(&mut self, local: Local, source: Local, how: Limiting) -> String {
        let format = local.format;
        let (kind, word) = (storage(format), word(source));
        match how {
            Limiting::Fits => format!("({kind}){word}"),
            Limiting::Saturate { below, above } => {
                let (low, high) = (c_integer(format.minimum()), c_integer(format.maximum()));
                let upper =
                    if above { format!("{word} > {high} ? {high} : {word}") } else { word.clone() };
                match below {
                    true => format!("({kind})({word} < {low} ? {low} : {upper})"),
                    false => format!("({kind})({upper})"),
                }
            }
            Limiting::Wrap => {
                let helper =
                    if format.is_signed() { Helper::WrapSigned } else { Helper::WrapUnsigned };
                self.helpers.insert(helper);
                format!("({kind}){}((uint64_t){word}, {})", helper.name(), format.width())
            }
        }
    }
}
