//! The statements of the program.

use super::super::lower::{
    Addend, Addition, Coefficient, Exponent, Factor, Index, Limiting, Local, Lowered, Read,
    Statement, Step, Sum, Value,
};
use super::super::machine::{Arithmetic, SumTypes};
use super::types::{Helpers, Integer, bare, is_simple};
use super::{constant, field};
use crate::datapath::{Row, Sign};
use std::fmt::Write;
use std::ops::Range;

/// Lines of at most this many words move on by statements; longer ones at once.
const WRITTEN_OUT: usize = 4;

/// The body of the step method and the helpers that it calls.
pub(super) struct Body {
    pub(super) text: String,
    pub(super) helpers: Helpers,
}

impl Body {
    pub(super) fn new(lowered: &Lowered) -> Self {
        let (text, helpers) = (String::new(), Helpers::default());
        let mut statements = Statements { lowered, text, helpers, indent: 2 };
        let output = Integer::storing(lowered.output());
        let is_said = |statement: &&Statement| !matches!(statement, Statement::Deliver { .. });
        let body: Vec<Statement> = lowered.body.iter().filter(is_said).cloned().collect();
        match body.split_last() {
            // A word that is named only to be handed over needs no name.
            Some((Statement::Let { local, value }, before)) if *local == lowered.result => {
                statements.block(before);
                let value = statements.value(*local, value);
                let value = Integer::holding(*local).convert(&value, output);
                statements.line(bare(&value));
            }
            _ => {
                statements.block(&body);
                let result = word(lowered.result);
                let result = Integer::holding(lowered.result).convert(&result, output);
                statements.line(&result);
            }
        }
        Body { text: statements.text, helpers: statements.helpers }
    }
}

/// The name of a word.
fn word(local: Local) -> String {
    format!("n{}", local.node.0)
}

/// A word as a value of this type.
fn word_as(local: Local, wanted: Integer) -> String {
    Integer::holding(local).convert(&word(local), wanted)
}

/// A part of a row that a loop goes through, as an iterator.
fn part(row: &str, length: usize, index: Index, passes: &Range<usize>) -> String {
    let [first, last] = [passes.start, passes.end - 1].map(|k| index.at(k));
    let (low, high) = (first.min(last), first.max(last));
    let of_row = match (low, high + 1 == length as i64) {
        (0, true) => row.to_owned(),
        (low, true) => format!("{row}[{low}..]"),
        (0, false) => format!("{row}[..{}]", high + 1),
        (low, false) => format!("{row}[{low}..{}]", high + 1),
    };
    let backward = if index.step < 0 { ".rev()" } else { "" };
    match index.step.abs() {
        1 => format!("{of_row}.iter(){backward}"),
        step => format!("{of_row}.iter(){backward}.step_by({step})"),
    }
}

struct Statements<'a> {
    lowered: &'a Lowered,
    text: String,
    helpers: Helpers,
    indent: usize,
}

impl Statements<'_> {
    fn line(&mut self, text: &str) {
        let _ = writeln!(self.text, "{:1$}{text}", "", 4 * self.indent);
    }

    /// The row of something with so many rows: in a loop it has a name of its own.
    fn row(whole: &str, short: &str, rows: usize, row: Row) -> String {
        match row {
            Row::Pass if rows > 1 => format!("{short}_row"),
            Row::Fixed(row) if rows > 1 => format!("{whole}[{row}]"),
            _ => whole.to_owned(),
        }
    }

    fn table_row(&self, table: usize, row: Row) -> String {
        let table = &self.lowered.tables[table];
        Self::row(&constant(table.name), &field(table.name), table.rows.len(), row)
    }

    fn exponent_row(&self, table: usize, row: Row) -> String {
        let table = &self.lowered.tables[table];
        let (whole, short) = (constant(table.name), field(table.name));
        Self::row(&format!("{whole}_EXPONENT"), &format!("{short}_exponent"), table.rows.len(), row)
    }

    fn line_row(&self, line: usize, row: Row) -> String {
        let line = &self.lowered.lines[line];
        let name = field(line.name);
        Self::row(&format!("self.{name}"), &name, line.rows, row)
    }

    /// A coefficient in this type, brought to the fraction of its table. In a loop `c` is the coefficient
    /// and `e` its exponent.
    fn coefficient(&self, coefficient: &Coefficient, kind: Integer) -> String {
        let Coefficient { table, row, column, exponent } = *coefficient;
        let own = Integer::storing(self.lowered.tables[table].format);
        let at = |row: String, index: Index, name: &str| match index.step {
            0 => format!("{row}[{}]", index.offset),
            _ => format!("*{name}"),
        };
        let value = own.convert(&at(self.table_row(table, row), column, "c"), kind);
        match exponent {
            Exponent::Constant(0) => value,
            Exponent::Constant(bits) => format!("({})", shifted(&value, &bits.to_string())),
            Exponent::At(index) => {
                let bits = at(self.exponent_row(table, row), index, "e");
                format!("({})", shifted(&value, &bits))
            }
        }
    }

    /// A word in this type; in a loop it has this name.
    fn read(&self, read: &Read, name: &str, kind: Integer) -> String {
        match read {
            Read::Local(local) => word_as(*local, kind),
            Read::Remembered { line, row, index } => {
                let own = Integer::storing(self.lowered.lines[*line].format);
                match index.step {
                    0 => {
                        let row = self.line_row(*line, *row);
                        own.convert(&format!("{row}[{}]", index.offset), kind)
                    }
                    _ => own.convert(&format!("*{name}"), kind),
                }
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
                let (kind, format) = (Integer::holding(*local).name(), local.format);
                let value = self.value(*local, value);
                let value = bare(&value);
                self.line(&format!("let {}: {kind} = {value}; // {format}", word(*local)));
            }
            Statement::Sum(sum) => self.sum(sum),
            Statement::Repeat { local, passes, first, body, result } => {
                self.repeat(*local, *passes, *first, body, *result);
            }
            // The caller of the block hands over what goes out.
            Statement::Deliver { .. } => {}
            Statement::Advance { line, row, word } => self.advance(*line, *row, *word),
        }
    }

    fn repeat(
        &mut self,
        local: Local,
        passes: usize,
        first: Local,
        body: &[Statement],
        result: Local,
    ) {
        let (kind, format) = (Integer::holding(local), local.format);
        let first = word_as(first, kind);
        self.line(&format!("let mut {}: {} = {first}; // {format}", word(local), kind.name()));
        let rows = self.rows(body, passes);
        let mut names = String::new();
        let mut iterator = String::new();
        for (index, Rows { name, of, is_mutable }) in rows.iter().enumerate() {
            names = if index == 0 { name.clone() } else { format!("({names}, {name})") };
            iterator = match (index, is_mutable) {
                (0, true) => format!("{of}.iter_mut()"),
                (0, false) => format!("{of}.iter()"),
                (_, true) => format!("{iterator}.zip(&mut {of})"),
                (_, false) => format!("{iterator}.zip(&{of})"),
            };
        }
        match rows.is_empty() {
            true => self.line(&format!("for _ in 0..{passes} {{")),
            false => self.line(&format!("for {names} in {iterator} {{")),
        }
        self.indent += 1;
        self.block(body);
        self.line(&format!("{} = {};", word(local), word_as(result, kind)));
        self.indent -= 1;
        self.line("}");
    }

    /// The rows that a loop goes through, pass by pass.
    fn rows(&self, body: &[Statement], passes: usize) -> Vec<Rows> {
        let used = Used::of(body);
        let taken = |of: String, rows: usize| match rows > passes {
            true => format!("{of}[..{passes}]"),
            false => of,
        };
        let mut all = Vec::new();
        for (index, table) in self.lowered.tables.iter().enumerate() {
            let (whole, short, rows) = (constant(table.name), field(table.name), table.rows.len());
            if rows > 1 && used.tables.contains(&index) {
                let (name, of) = (format!("{short}_row"), taken(whole.clone(), rows));
                all.push(Rows { name, of, is_mutable: false });
            }
            if rows > 1 && used.exponents.contains(&index) {
                let of = taken(format!("{whole}_EXPONENT"), rows);
                all.push(Rows { name: format!("{short}_exponent_row"), of, is_mutable: false });
            }
        }
        for (index, line) in self.lowered.lines.iter().enumerate() {
            if line.rows > 1 && used.lines.contains(&index) {
                let name = field(line.name);
                let of = taken(format!("self.{name}"), line.rows);
                let is_mutable = used.advanced.contains(&index);
                all.push(Rows { name: format!("{name}_row"), of, is_mutable });
            }
        }
        all
    }

    /// Moves a line on by one sample.
    fn advance(&mut self, line: usize, row: Row, word: Local) {
        let depth = self.lowered.lines[line].depth;
        let place = self.line_row(line, row);
        if depth <= WRITTEN_OUT {
            for k in (1..depth).rev() {
                self.line(&format!("{place}[{k}] = {place}[{}];", k - 1));
            }
        } else {
            self.line(&format!("{place}.copy_within(..{}, 1);", depth - 1));
        }
        let word = word_as(word, Integer::storing(self.lowered.lines[line].format));
        self.line(&format!("{place}[0] = {word};"));
    }

    fn value(&mut self, local: Local, value: &Value) -> String {
        let kind = Integer::holding(local);
        match value {
            Value::Input { .. } => "input".to_owned(),
            Value::Read(read) => self.read(read, "w", kind),
            Value::Product { coefficient, word } => {
                format!("{} * {}", self.coefficient(coefficient, kind), word_as(*word, kind))
            }
            Value::Round { word: source, dropped, rounding } => {
                let Ok(bits) = u32::try_from(*dropped) else {
                    return shifted(&word_as(*source, kind), &(-dropped).to_string());
                };
                if bits == 0 {
                    return word_as(*source, kind);
                }
                // A type that holds the word before and after, and whose width exceeds the shift.
                let formats = Arithmetic::of(source.format).max(Arithmetic::of(local.format));
                let working = Integer::from(formats.max(Arithmetic::dropping(bits)));
                let source = word_as(*source, working);
                working.convert(&self.helpers.round(&source, bits, *rounding, working), kind)
            }
            Value::Limit { word: source, how } => {
                let (name, own) = (word(*source), Integer::holding(*source));
                let (low, high) = (local.format.minimum(), local.format.maximum());
                let limited = match how {
                    Limiting::Fits | Limiting::Saturate { below: false, above: false } => name,
                    Limiting::Saturate { below: true, above: true } => {
                        format!("{name}.clamp({low}, {high})")
                    }
                    Limiting::Saturate { below: true, above: false } => {
                        format!("{name}.max({low})")
                    }
                    Limiting::Saturate { below: false, above: true } => {
                        format!("{name}.min({high})")
                    }
                    Limiting::Wrap => return own.wrap(&name, local.format, kind),
                };
                // What was limited fits, so that a conversion changes nothing.
                own.convert(&limited, kind)
            }
        }
    }

    fn sum(&mut self, sum: &Sum) {
        let Sum { local, need, .. } = sum;
        let types = SumTypes::of(sum, self.lowered);
        let (name, format) = (word(*local), local.format);
        let variable = if types.is_word { name.clone() } else { format!("{name}_sum") };
        let kind = Integer::from(types.sum);
        let steps = sum.doubling();
        let is_zero = steps.iter().all(|step| is_nothing(step, types.sum));
        let how = if is_zero { "let" } else { "let mut" };
        self.line(&format!("{how} {variable}: {} = 0; // {format}", kind.name()));
        for step in steps {
            self.step(&variable, &step, &types);
        }
        if types.is_word {
            return;
        }
        let to = Integer::from(types.word);
        let value = match types.sum.wraps() || need.wraps {
            true => kind.wrap(&variable, format, to),
            false => kind.convert(&variable, to),
        };
        self.line(&format!("let {name}: {} = {};", to.name(), bare(&value)));
    }

    fn step(&mut self, sum: &str, step: &Step, types: &SumTypes) {
        match step {
            Step::Double(times) => match *times > types.sum.longest_shift() {
                true => self.line(&format!("{sum} = 0;")),
                false => self.line(&format!("{sum} <<= {times};")),
            },
            Step::Add(addition) => {
                let line = self.addition(sum, addition, types);
                self.line(&line);
            }
            Step::Loop { passes, addition } => {
                let (names, iterator) = self.iterator(addition, passes);
                let line = self.addition(sum, addition, types);
                self.line(&format!("for {names} in {iterator} {{"));
                self.line(&format!("    {line}"));
                self.line("}");
            }
        }
    }

    /// What a loop goes through: coefficients, their exponents where they differ, and words.
    fn iterator(&self, addition: &Addition, passes: &Range<usize>) -> (String, String) {
        let Addend::Product { coefficient, factor, .. } = &addition.addend else {
            return ("_".to_owned(), format!("{}..{}", passes.start, passes.end));
        };
        let Coefficient { table, row, column, exponent } = *coefficient;
        let length = self.lowered.tables[table].rows[0].len();
        let mut names = "c".to_owned();
        let mut all = part(&self.table_row(table, row), length, column, passes);
        let mut zip = |name: &str, other: String| {
            names = format!("({names}, {name})");
            // A part of a row that runs forward is an iterator by itself; a whole row of this pass is a
            // reference already.
            let is_place = |slice: &&str| !slice.ends_with("_row");
            match other.strip_suffix(".iter()").filter(is_place) {
                Some(slice) => all = format!("{all}.zip(&{slice})"),
                None => all = format!("{all}.zip({other})"),
            }
        };
        if let Exponent::At(index) = exponent
            && index.step != 0
        {
            zip("e", part(&self.exponent_row(table, row), length, index, passes));
        }
        let words = match factor {
            Factor::One(one) => vec![("w", one)],
            Factor::Pair { first, second, .. } => vec![("a", first), ("b", second)],
        };
        for (name, read) in words {
            if let Read::Remembered { line, row, index } = read {
                let depth = self.lowered.lines[*line].depth;
                zip(name, part(&self.line_row(*line, *row), depth, *index, passes));
            }
        }
        (names, all)
    }

    fn addition(&mut self, sum: &str, addition: &Addition, types: &SumTypes) -> String {
        let kind = Integer::from(types.sum);
        let value = match &addition.addend {
            Addend::Word(local) => word_as(*local, kind),
            Addend::Product { coefficient, factor, rounded } => {
                let product_type = types.product(*rounded);
                let own = Integer::from(product_type);
                let coefficient = self.coefficient(coefficient, own);
                let product = match (factor, product_type.wraps()) {
                    (Factor::One(one), false) => {
                        format!("{coefficient} * {}", self.read(one, "w", own))
                    }
                    (Factor::One(one), true) => {
                        let coefficient = in_front_of_call(coefficient);
                        format!("{coefficient}.wrapping_mul({})", self.read(one, "w", own))
                    }
                    (Factor::Pair { first, sign, second }, wraps) => {
                        let (first, second) =
                            (self.read(first, "a", own), self.read(second, "b", own));
                        match (wraps, sign) {
                            (false, Sign::Plus) => format!("{coefficient} * ({first} + {second})"),
                            (false, Sign::Minus) => format!("{coefficient} * ({first} - {second})"),
                            (true, sign) => {
                                let way = if *sign == Sign::Plus { "add" } else { "sub" };
                                format!(
                                    "{}.wrapping_mul({}.wrapping_{way}({second}))",
                                    in_front_of_call(coefficient),
                                    in_front_of_call(first)
                                )
                            }
                        }
                    }
                };
                match rounded {
                    None => own.convert(&product, kind),
                    Some((bits, rounding)) => {
                        let working = product_type.max(Arithmetic::dropping(*bits));
                        let working = Integer::from(working);
                        let product = own.convert(&product, working);
                        working
                            .convert(&self.helpers.round(&product, *bits, *rounding, working), kind)
                    }
                }
            }
        };
        let value = match addition.shift {
            0 => value,
            // Nothing is left of it.
            bits if bits > types.sum.longest_shift() => return format!("let _ = {value};"),
            bits => shifted(&value, &bits.to_string()),
        };
        let value = bare(&value);
        match (types.sum.wraps(), addition.sign) {
            (false, Sign::Plus) => format!("{sum} += {value};"),
            (false, Sign::Minus) => format!("{sum} -= {value};"),
            (true, Sign::Plus) => format!("{sum} = {sum}.wrapping_add({value});"),
            (true, Sign::Minus) => format!("{sum} = {sum}.wrapping_sub({value});"),
        }
    }
}

/// Whether nothing is left of what a step adds: it is shifted beyond the type.
fn is_nothing(step: &Step, sum: Arithmetic) -> bool {
    match step {
        Step::Add(addition) | Step::Loop { addition, .. } => addition.shift > sum.longest_shift(),
        Step::Double(_) => false,
    }
}

/// A value with zeros appended.
fn shifted(value: &str, bits: &str) -> String {
    match is_simple(value) {
        true => format!("{value} << {bits}"),
        false => format!("({value}) << {bits}"),
    }
}

/// A value that a method is called of.
fn in_front_of_call(value: String) -> String {
    match is_simple(&value) && !value.starts_with('*') {
        true => value,
        false => format!("({value})"),
    }
}

/// Rows that a loop goes through.
struct Rows {
    name: String,
    of: String,
    is_mutable: bool,
}

/// What the passes of a loop use a row of each.
#[derive(Default)]
struct Used {
    tables: Vec<usize>,
    exponents: Vec<usize>,
    lines: Vec<usize>,
    advanced: Vec<usize>,
}

impl Used {
    fn of(body: &[Statement]) -> Self {
        let mut used = Used::default();
        for statement in body {
            match statement {
                Statement::Let { value: Value::Read(read), .. } => used.read(read),
                Statement::Let { value: Value::Product { coefficient, .. }, .. } => {
                    used.coefficient(coefficient);
                }
                Statement::Sum(sum) => {
                    for step in &sum.steps {
                        if let Step::Add(addition) | Step::Loop { addition, .. } = step {
                            used.addition(addition);
                        }
                    }
                }
                Statement::Advance { line, row: Row::Pass, .. } => {
                    used.lines.push(*line);
                    used.advanced.push(*line);
                }
                _ => {}
            }
        }
        used
    }

    fn addition(&mut self, addition: &Addition) {
        let Addend::Product { coefficient, factor, .. } = &addition.addend else { return };
        self.coefficient(coefficient);
        match factor {
            Factor::One(one) => self.read(one),
            Factor::Pair { first, second, .. } => {
                self.read(first);
                self.read(second);
            }
        }
    }

    fn coefficient(&mut self, coefficient: &Coefficient) {
        if coefficient.row == Row::Pass {
            self.tables.push(coefficient.table);
            if matches!(coefficient.exponent, Exponent::At(_)) {
                self.exponents.push(coefficient.table);
            }
        }
    }

    fn read(&mut self, read: &Read) {
        if let Read::Remembered { line, row: Row::Pass, .. } = read {
            self.lines.push(*line);
        }
    }
}
