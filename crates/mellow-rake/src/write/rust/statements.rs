//! The statements of the program.

use super::super::lower::processor::{put_words, read_by};
use super::super::lower::{
    Addend, Addition, Factor, Index, Limiting, Local, Lowered, Read, Statement, Step, Sum, Value,
};
use super::super::machine::{Arithmetic, SumTypes};
use super::types::{Helpers, Integer, bare, is_simple};
use crate::datapath::{Row, Sign};
use std::fmt::Write;

/// Lines of at most this many words move on by statements; longer ones at once.
const WRITTEN_OUT: usize = 4;

/// Where the statements find the words of windows.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(super) enum Access {
    /// In the filter itself; the window begins at `at`.
    Filter,
    /// In the slice `window`, and in `other` where words with even and with odd number lie apart.
    Window,
}

/// The body of a function and the helpers that it calls.
pub(super) struct Body {
    pub(super) text: String,
    pub(super) helpers: Helpers,
}

impl Body {
    /// The statements for one output, or for so many at once.
    pub(super) fn new(lowered: &Lowered, access: Access, lanes: Option<usize>) -> Self {
        Body::made(lowered, access, lanes, false)
    }

    /// The statements of a firing, from the words of `input` to those of `output`.
    pub(super) fn of_firing(lowered: &Lowered) -> Self {
        Body::made(lowered, Access::Filter, None, true)
    }

    fn made(lowered: &Lowered, access: Access, lanes: Option<usize>, fires: bool) -> Self {
        let mut statements = Statements {
            lowered,
            access,
            fires,
            lanes,
            lane: None,
            put: put_words(lowered),
            text: String::new(),
            helpers: Helpers::default(),
            indent: 2,
        };
        if fires {
            statements.firing();
        } else {
            statements.function();
        }
        Body { text: statements.text, helpers: statements.helpers }
    }
}

pub(super) struct Statements<'a> {
    pub(super) lowered: &'a Lowered,
    pub(super) access: Access,
    /// Whether words come from an array and go to another.
    fires: bool,
    /// How many outputs are made at once; `None` for one.
    pub(super) lanes: Option<usize>,
    /// The output that is worked on, of those that are made at once.
    pub(super) lane: Option<usize>,
    /// Words that go into windows as soon as they have their values.
    put: Vec<(Local, usize, Row)>,
    text: String,
    helpers: Helpers,
    indent: usize,
}

impl Statements<'_> {
    fn function(&mut self) {
        let lowered = self.lowered;
        let is_of_window = |line: &usize| lowered.windows[*line].is_some();
        let is_said = |statement: &&Statement| match statement {
            Statement::Deliver { .. } => false,
            Statement::Advance { line, .. } => !is_of_window(line),
            Statement::Let { local, .. } => !self.is_unread(*local),
            _ => true,
        };
        let body: Vec<Statement> = lowered.body.iter().filter(is_said).cloned().collect();
        let moves_on =
            self.access == Access::Filter && (0..lowered.lines.len()).any(|k| is_of_window(&k));
        let output = Integer::storing(lowered.output());
        match body.split_last() {
            // A word that is named only to be handed over needs no name.
            Some((Statement::Let { local, value }, before))
                if *local == lowered.result && self.lanes.is_none() && !moves_on =>
            {
                self.block(before);
                let value = self.value(*local, value);
                let value = Integer::holding(*local).convert(&value, output);
                self.line(bare(&value));
            }
            _ => {
                self.block(&body);
                if moves_on {
                    self.line("self.advance(at + 1);");
                }
                let mut results = Vec::new();
                for lane in self.lanes() {
                    self.lane = lane;
                    results.push(self.word_as(lowered.result, output));
                }
                match self.lanes {
                    None => self.line(&results.concat()),
                    Some(_) => self.line(&format!("[{}]", results.join(", "))),
                }
            }
        }
    }

    /// All statements, those that deliver among them.
    fn firing(&mut self) {
        let lowered = self.lowered;
        self.block(&lowered.body);
        if lowered.windows.iter().any(Option::is_some) {
            self.line("self.advance(at + 1);");
        }
    }

    fn line(&mut self, text: &str) {
        let _ = writeln!(self.text, "{:1$}{text}", "", 4 * self.indent);
    }

    /// The outputs that are worked on one after the other.
    fn lanes(&self) -> Vec<Option<usize>> {
        match self.lanes {
            None => vec![None],
            Some(lanes) => (0..lanes).map(Some).collect(),
        }
    }

    /// The name of a word.
    pub(super) fn word(&self, local: Local) -> String {
        match self.lane {
            None => format!("n{}", local.node.0),
            Some(lane) => format!("n{}_{lane}", local.node.0),
        }
    }

    /// A word as a value of this type.
    pub(super) fn word_as(&self, local: Local, wanted: Integer) -> String {
        Integer::holding(local).convert(&self.word(local), wanted)
    }

    /// Whether a word is read in its window only.
    fn is_unread(&self, local: Local) -> bool {
        let is_read = |statement: &Statement| {
            !matches!(statement, Statement::Advance { .. })
                && read_by(statement).contains(&Read::Local(local))
        };
        self.access == Access::Window && !self.lowered.body.iter().any(is_read)
    }

    /// Puts a word where windows find it. What is made of a slice has its words already.
    fn put(&mut self, local: Local) {
        if self.access == Access::Window {
            return;
        }
        let newest = Index { offset: -1, step: 0 };
        for (word, line, row) in self.put.clone() {
            if word == local {
                let to = self.remembered(line, row, newest);
                let word = self.word_as(local, Integer::storing(self.lowered.lines[line].format));
                self.line(&format!("{to} = {word};"));
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
                for lane in self.lanes() {
                    self.lane = lane;
                    let value = self.value(*local, value);
                    let (value, word) = (bare(&value), self.word(*local));
                    self.line(&format!("let {word}: {kind} = {value}; // {format}"));
                }
                self.lane = None;
                self.put(*local);
            }
            Statement::Sum(sum) => {
                self.sum(sum);
                self.put(sum.local);
            }
            Statement::Repeat { local, passes, first, body, result } => {
                self.repeat(*local, *passes, *first, body, *result);
            }
            Statement::Deliver { port, at, word } if self.fires => {
                let kind = Integer::storing(self.lowered.outputs[*port].format);
                let word = self.word_as(*word, kind);
                match at {
                    Row::Pass => self.line(&format!("*output = {};", bare(&word))),
                    Row::Fixed(place) => self.line(&format!("output[{place}] = {};", bare(&word))),
                }
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
        let (start, word) = (self.word_as(first, kind), self.word(local));
        // Passes that hand nothing on have no word to carry.
        let hands_on = |one: &Statement| {
            let own = Value::Read(Read::Local(local));
            matches!(one, Statement::Let { local: to, value } if *to == result && *value == own)
        };
        let reads = |statements: &[Statement], wanted: Local| {
            let others = statements.iter().filter(|one| !hands_on(one));
            others.flat_map(read_by).any(|read| read == Read::Local(wanted))
        };
        let is_idle = body.iter().any(hands_on) && !reads(body, local) && !reads(body, result);
        let is_read = !is_idle || reads(&self.lowered.body, local);
        if is_read {
            let how = if is_idle { "let" } else { "let mut" };
            self.line(&format!("{how} {word}: {} = {start}; // {format}", kind.name()));
        }
        let (names, rows) = self.rows(body, passes);
        self.line(&format!("for {names} in {rows} {{"));
        self.indent += 1;
        for statement in body.iter().filter(|one| !is_idle || !hands_on(one)) {
            self.statement(statement);
        }
        if !is_idle {
            let result = self.word_as(result, kind);
            self.line(&format!("{word} = {result};"));
        }
        self.indent -= 1;
        self.line("}");
        self.put(local);
    }

    /// Moves a line on by one sample.
    fn advance(&mut self, line: usize, row: Row, word: Local) {
        if self.lowered.windows[line].is_some() {
            return;
        }
        let depth = self.lowered.lines[line].depth;
        let place = self.line_row(line, row);
        if depth <= WRITTEN_OUT {
            for k in (1..depth).rev() {
                self.line(&format!("{place}[{k}] = {place}[{}];", k - 1));
            }
        } else {
            self.line(&format!("{place}.copy_within(..{}, 1);", depth - 1));
        }
        let word = self.word_as(word, Integer::storing(self.lowered.lines[line].format));
        self.line(&format!("{place}[0] = {word};"));
    }

    fn value(&mut self, local: Local, value: &Value) -> String {
        let kind = Integer::holding(local);
        match value {
            Value::Input { .. } if self.access == Access::Window => {
                let line = self.put.first().map_or(0, |(_, line, _)| *line);
                self.remembered(line, Row::Fixed(0), Index { offset: -1, step: 0 })
            }
            Value::Input { at: Row::Fixed(place), port } if self.fires => {
                let own = Integer::storing(self.lowered.inputs[*port].format);
                own.convert(&format!("input[{place}]"), kind)
            }
            Value::Input { port, .. } if self.fires => {
                let own = Integer::storing(self.lowered.inputs[*port].format);
                own.convert("*input", kind)
            }
            Value::Input { .. } => "input".to_owned(),
            Value::Read(read) => self.read(read, "w", kind),
            Value::Product { coefficient, word } => {
                format!("{} * {}", self.coefficient(coefficient, kind), self.word_as(*word, kind))
            }
            Value::Round { word: source, dropped, rounding } => {
                let Ok(bits) = u32::try_from(*dropped) else {
                    return shifted(&self.word_as(*source, kind), &(-dropped).to_string());
                };
                if bits == 0 {
                    return self.word_as(*source, kind);
                }
                // A type that holds the word before and after, and whose width exceeds the shift.
                let formats = Arithmetic::of(source.format).max(Arithmetic::of(local.format));
                let working = Integer::from(formats.max(Arithmetic::dropping(bits)));
                let source = self.word_as(*source, working);
                working.convert(&self.helpers.round(&source, bits, *rounding, working), kind)
            }
            Value::Limit { word: source, how } => {
                let (name, own) = (self.word(*source), Integer::holding(*source));
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
        let Sum { local, need, first, .. } = sum;
        let (local, format) = (*local, local.format);
        let types = SumTypes::of(sum, self.lowered);
        let ending = if types.is_word { "" } else { "_sum" };
        let kind = Integer::from(types.sum);
        let steps = sum.doubling();
        let is_zero = steps.iter().all(|step| is_nothing(step, types.sum));
        let how = if is_zero { "let" } else { "let mut" };
        for lane in self.lanes() {
            self.lane = lane;
            let word = self.word(local);
            self.line(&format!("{how} {word}{ending}: {} = {first}; // {format}", kind.name()));
        }
        for step in steps {
            self.step(local, ending, &step, &types);
        }
        if types.is_word {
            return;
        }
        let to = Integer::from(types.word);
        for lane in self.lanes() {
            self.lane = lane;
            let word = self.word(local);
            let variable = format!("{word}{ending}");
            let value = match types.sum.wraps() || need.wraps {
                true => kind.wrap(&variable, format, to),
                false => kind.convert(&variable, to),
            };
            self.line(&format!("let {word}: {} = {};", to.name(), bare(&value)));
        }
        self.lane = None;
    }

    fn step(&mut self, local: Local, ending: &str, step: &Step, types: &SumTypes) {
        let head = match step {
            Step::Loop { passes, addition } => {
                self.lane = None;
                let (names, iterator) = self.iterator(addition, passes);
                Some(format!("for {names} in {iterator} {{"))
            }
            _ => None,
        };
        if let Some(head) = &head {
            self.line(head);
            self.indent += 1;
        }
        for lane in self.lanes() {
            self.lane = lane;
            let sum = format!("{}{ending}", self.word(local));
            let line = match step {
                Step::Double(times) if *times > types.sum.longest_shift() => format!("{sum} = 0;"),
                Step::Double(times) => format!("{sum} <<= {times};"),
                Step::Add(addition) | Step::Loop { addition, .. } => {
                    self.addition(&sum, addition, types)
                }
            };
            self.line(&line);
        }
        self.lane = None;
        if head.is_some() {
            self.indent -= 1;
            self.line("}");
        }
    }

    fn addition(&mut self, sum: &str, addition: &Addition, types: &SumTypes) -> String {
        let kind = Integer::from(types.sum);
        let value = match &addition.addend {
            Addend::Word(local) => self.word_as(*local, kind),
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
pub(super) fn shifted(value: &str, bits: &str) -> String {
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
