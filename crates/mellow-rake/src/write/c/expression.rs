//! The statements of the program.

use super::super::lower::processor::{put_words, read_by};
use super::super::lower::{
    Addend, Addition, Coefficient, Exponent, Factor, Index, Local, Lowered, Read, Statement, Step,
    Sum, Value, Window,
};
use super::super::machine::{Arithmetic, SumTypes};
use super::super::number::c_integer;
use super::bytes::bytewise;
use super::pairs::{Grouped, grouped, is_made_of_pairs, is_of_halves};
use super::types::{Helper, kept, name, shifted, storage};
use crate::datapath::{Node, Row, Sign};
use crate::spec::Tune;
use std::collections::{BTreeMap, BTreeSet};
use std::fmt::Write;

/// Lines of at most this many words move on by statements; longer ones by a loop.
const WRITTEN_OUT: usize = 4;

/// Loops of at most this many passes over sections are written out by compilers that do it when told.
const UNROLLED: usize = 16;

/// Loops over so many words are long: a pass that has one is not written out, for a compiler would hold the
/// words of all passes at once, more than there are registers.
const LONG: usize = 8;

/// Outputs that are made at once.
pub(super) const LANES: usize = 4;

/// Where the statements find the words of windows.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(super) enum Access {
    /// In the filter that `filter` points to; the window begins at `at`.
    Filter,
    /// Where `window` points to, and `other` where words with even and with odd number lie apart.
    Pointer,
}

/// In which form the statements are written.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(super) struct Form {
    pub(super) access: Access,
    /// With instructions that multiply two pairs of words.
    pub(super) is_dual: bool,
    /// How many outputs are made at once; `None` for one.
    pub(super) lanes: Option<usize>,
    /// Whether it is a firing, which takes words from an array and gives some into one.
    pub(super) firing: Option<Firing>,
}

/// How a firing gives its words.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(super) enum Firing {
    /// Each at its place.
    All,
    /// Of the passes of its loop those from `pass = first` on, so many apart, one behind the other.
    Every(usize),
}

/// The body of a function and the helpers that it calls.
pub(super) struct Body {
    pub(super) text: String,
    pub(super) helpers: BTreeSet<Helper>,
    /// Whether it has instructions for pairs.
    pub(super) has_pairs: bool,
}

impl Body {
    pub(super) fn new(
        lowered: &Lowered,
        name: &str,
        admitted: &Admitted,
        tune: Tune,
        form: Form,
    ) -> Self {
        let mut statements = Statements {
            lowered,
            name,
            admitted,
            form,
            tune,
            lane: None,
            put: put_words(lowered),
            text: String::new(),
            helpers: BTreeSet::new(),
            has_pairs: false,
            rounded: BTreeMap::new(),
            indent: 1,
        };
        statements.block(&lowered.body);
        let stride = match lowered.windows.iter().flatten().any(|window| window.phases == 2) {
            true => 2,
            false => 1,
        };
        match form.lanes {
            None if form.firing.is_some() => {
                if statements.has_windows() {
                    statements.line(&format!("{name}_advance(filter, 1);"));
                }
                if let Some(Firing::Every(_)) = form.firing {
                    statements.line("return output;");
                }
            }
            None if form.access == Access::Filter && statements.has_windows() => {
                statements.line(&format!("{name}_advance(filter, 1);"));
                statements.give();
            }
            None => statements.give(),
            Some(lanes) => {
                for lane in 0..lanes {
                    statements.lane = Some(lane);
                    let value = statements.result();
                    statements.line(&format!("output[{}] = {value};", stride * lane));
                }
            }
        }
        let Statements { text, helpers, has_pairs, .. } = statements;
        Body { text, helpers, has_pairs }
    }
}

/// Words with the least and the largest integer that each is proved to hold, which follows from more than the
/// ranges of what it is made of: a reader of the text alone cannot know them.
pub(super) type Admitted = BTreeMap<Node, [i128; 2]>;

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
fn place(rows: usize, row: Row, first_row: usize, index: &str) -> String {
    match row {
        Row::Pass if rows > 1 && first_row > 0 => format!("[pass + {first_row}][{index}]"),
        Row::Pass if rows > 1 => format!("[pass][{index}]"),
        Row::Fixed(row) if rows > 1 => format!("[{}][{index}]", row + first_row),
        _ => format!("[{index}]"),
    }
}

pub(super) struct Statements<'a> {
    pub(super) lowered: &'a Lowered,
    name: &'a str,
    admitted: &'a Admitted,
    pub(super) form: Form,
    tune: Tune,
    /// The output that is worked on, of those that are made at once.
    pub(super) lane: Option<usize>,
    /// Words that go into windows as soon as they have their values.
    put: Vec<(Local, usize, Row)>,
    text: String,
    pub(super) helpers: BTreeSet<Helper>,
    pub(super) has_pairs: bool,
    /// What is left of sums made by bytes when bits are dropped, where nothing else reads them.
    pub(super) rounded: BTreeMap<Node, String>,
    pub(super) indent: usize,
}

impl Statements<'_> {
    pub(super) fn line(&mut self, text: &str) {
        let _ = writeln!(self.text, "{:1$}{text}", "", 4 * self.indent);
    }

    /// The outputs that are worked on one after the other.
    pub(super) fn lanes(&self) -> Vec<Option<usize>> {
        match self.form.lanes {
            None => vec![None],
            Some(lanes) => (0..lanes).map(Some).collect(),
        }
    }

    fn has_windows(&self) -> bool {
        self.lowered.windows.iter().any(Option::is_some)
    }

    fn result(&self) -> String {
        self.word_as(self.lowered.result, storage(self.lowered.output()))
    }

    fn give(&mut self) {
        let result = self.result();
        self.line(&format!("return {result};"));
    }

    /// The name of a word.
    pub(super) fn word(&self, local: Local) -> String {
        match self.lane {
            None => format!("n{}", local.node.0),
            Some(lane) => format!("n{}_{lane}", local.node.0),
        }
    }

    /// The type of the variable that holds a word. Instructions for pairs take theirs from whole registers.
    pub(super) fn kind(&self, local: Local) -> &'static str {
        match local.is_computed || self.form.is_dual {
            true => name(Arithmetic::of(local.format)),
            false => storage(local.format),
        }
    }

    /// A word as a value of this type, which holds it.
    pub(super) fn word_as(&self, local: Local, wanted: &str) -> String {
        match self.kind(local) == wanted {
            true => self.word(local),
            false => format!("({wanted}){}", self.word(local)),
        }
    }

    /// A word converted to the type of a sum. A short one is promoted before it loses its sign: gcc takes
    /// the direct way, cast or not, for a change of sign that nobody asked for.
    fn cast(&self, local: Local, sum: Arithmetic) -> String {
        let is_short = matches!(self.kind(local), "int8_t" | "int16_t");
        match sum == Arithmetic::ModularNarrow && is_short {
            true => format!("({})({} + 0)", name(sum), self.word(local)),
            false => format!("({}){}", name(sum), self.word(local)),
        }
    }

    /// The place of a coefficient in its table.
    pub(super) fn place_of(&self, coefficient: &Coefficient) -> String {
        let table = &self.lowered.tables[coefficient.table];
        let column = index(coefficient.column, false);
        let place = place(table.rows.len(), coefficient.row, 0, &column);
        format!("{}_{}{place}", self.name, table.name)
    }

    /// A coefficient in this type, brought to the fraction of its table.
    fn coefficient(&self, coefficient: &Coefficient, kind: &str) -> String {
        let table = &self.lowered.tables[coefficient.table];
        let at = |column: Index| place(table.rows.len(), coefficient.row, 0, &index(column, false));
        let exponent = match coefficient.exponent {
            Exponent::Constant(0) => String::new(),
            Exponent::Constant(bits) => format!(" * (({kind})1 << {bits})"),
            Exponent::At(column) => {
                format!(" * (({kind})1 << {}_{}_exponent{})", self.name, table.name, at(column))
            }
        };
        format!("({kind}){}{exponent}", self.place_of(coefficient))
    }

    /// A word in a line, at an index that may move with the counter of a loop.
    pub(super) fn remembered(&self, line: usize, row: Row, at: Index, is_of_pair: bool) -> String {
        let Some(window) = self.lowered.windows[line] else {
            return self.stored(line, row, &index(at, is_of_pair));
        };
        let (part, at) = self.in_window(line, window, at);
        let place = index(at, false);
        match self.form.access {
            Access::Pointer => format!("{part}[{place}]"),
            Access::Filter => self.stored(line, row, &format!("at + {place}")),
        }
    }

    /// The name of the window, or of its other half, and the place in it: the oldest word is the first.
    fn in_window(&self, line: usize, window: Window, at: Index) -> (&'static str, Index) {
        let lane = self.lane.unwrap_or(0) as i64;
        let depth = self.lowered.lines[line].depth;
        if window.phases == 1 {
            let offset = depth as i64 - 1 - at.offset + lane;
            return ("window", Index { offset, step: -at.step });
        }
        // Words whose number is even as that of the newest is, and the others.
        let behind = depth.next_multiple_of(2) as i64 - 1 - at.offset;
        let name = if behind % 2 == 0 { "window" } else { "other" };
        (name, Index { offset: behind.div_euclid(2) + lane, step: -at.step / 2 })
    }

    /// A place of the memory of a line.
    fn stored(&self, line: usize, row: Row, index: &str) -> String {
        let home = self.lowered.homes[line];
        let line = &self.lowered.lines[home.line];
        format!("filter->{}{}", line.name, place(line.rows, row, home.first_row, index))
    }

    pub(super) fn read(&self, read: &Read, is_of_pair: bool) -> String {
        match read {
            Read::Local(local) => self.word(*local),
            Read::Remembered { line, row, index: at } => {
                self.remembered(*line, *row, *at, is_of_pair)
            }
        }
    }

    /// Whether a word is read in its window only.
    fn is_unread(&self, local: Local) -> bool {
        let is_read = |statement: &Statement| {
            !matches!(statement, Statement::Advance { .. })
                && read_by(statement).contains(&Read::Local(local))
        };
        self.form.access == Access::Pointer && !self.lowered.body.iter().any(is_read)
    }

    fn block(&mut self, body: &[Statement]) {
        for statement in body {
            self.statement(statement);
        }
    }

    fn statement(&mut self, statement: &Statement) {
        match statement {
            Statement::Let { local, .. } if self.is_unread(*local) => {}
            Statement::Let { local, value } => {
                for lane in self.lanes() {
                    self.lane = lane;
                    let (kind, format) = (self.kind(*local), local.format);
                    let value = self.value(*local, value);
                    let word = self.word(*local);
                    self.line(&format!("const {kind} {word} = {value}; /* {format} */"));
                }
                self.lane = None;
                self.admit(*local);
                self.put(*local);
            }
            Statement::Sum(sum) => {
                self.sum(sum);
                self.admit(sum.local);
                self.put(sum.local);
            }
            Statement::Repeat { local, passes, first, body, result } => {
                let (kind, format) = (self.kind(*local), local.format);
                let first = self.word_as(*first, kind);
                let word = self.word(*local);
                self.line(&format!("{kind} {word} = {first}; /* {format} */"));
                let is_whole = !matches!(self.form.firing, Some(Firing::Every(_)));
                let is_long = self.form.is_dual && has_long_loop(body);
                if *passes <= UNROLLED && is_whole && !is_long {
                    self.line("MELLOW_RAKE_UNROLL_ALL");
                    self.helpers.insert(Helper::Unroll);
                }
                match self.form.firing {
                    Some(Firing::Every(apart)) => {
                        self.line(&format!(
                            "for (int pass = first; pass < {passes}; pass += {apart}) {{"
                        ));
                    }
                    _ => self.line(&format!("for (int pass = 0; pass < {passes}; pass++) {{")),
                }
                self.indent += 1;
                self.block(body);
                let result = self.word_as(*result, kind);
                self.line(&format!("{word} = {result};"));
                self.indent -= 1;
                self.line("}");
                self.put(*local);
            }
            Statement::Deliver { at, word, .. } => self.deliver(*at, *word),
            Statement::Advance { line, row, word } => self.advance(*line, *row, *word),
        }
    }

    /// Hands a word over; of a program that gives one, the end of the block does.
    fn deliver(&mut self, at: Row, word: Local) {
        let value = self.word_as(word, storage(self.lowered.output()));
        match (self.form.firing, at) {
            (None, _) => {}
            (Some(Firing::Every(_)), _) => self.line(&format!("*output++ = {value};")),
            (Some(Firing::All), Row::Fixed(at)) => self.line(&format!("output[{at}] = {value};")),
            (Some(Firing::All), Row::Pass) => self.line(&format!("output[pass] = {value};")),
        }
    }

    /// What is proved of a word, for an analyser of C (ACSL: ANSI/ISO C Specification Language).
    fn admit(&mut self, local: Local) {
        if let Some([low, high]) = self.admitted.get(&local.node)
            && !self.rounded.contains_key(&local.node)
        {
            self.line(&format!("/*@ admit {low} <= {} <= {high}; */", self.word(local)));
        }
    }

    /// Puts a word where windows find it. What is made of a pointer to a window has its words already.
    fn put(&mut self, local: Local) {
        if self.form.access == Access::Pointer {
            return;
        }
        let newest = Index { offset: -1, step: 0 };
        for (word, line, row) in self.put.clone() {
            if word == local {
                let to = self.remembered(line, row, newest, false);
                let word = self.word_as(local, kept(self.lowered.lines[line].format, self.tune));
                self.line(&format!("{to} = {word};"));
            }
        }
    }

    /// Moves a line on by one sample.
    fn advance(&mut self, line: usize, row: Row, word: Local) {
        if self.lowered.windows[line].is_some() {
            return;
        }
        let (depth, format) = (self.lowered.lines[line].depth, self.lowered.lines[line].format);
        if self.form.is_dual && depth == 2 && kept(format, self.tune) == "int16_t" {
            let first = self.stored(line, row, "0");
            let word = self.word_as(word, "int32_t");
            self.helpers.insert(Helper::Push);
            self.line(&format!("mellow_rake_push(&{first}, {word});"));
            return;
        }
        if depth <= WRITTEN_OUT {
            for k in (1..depth).rev() {
                let to = self.stored(line, row, &k.to_string());
                let from = self.stored(line, row, &(k - 1).to_string());
                self.line(&format!("{to} = {from};"));
            }
        } else {
            let to = self.stored(line, row, "k");
            let from = self.stored(line, row, "k - 1");
            self.line(&format!("for (int k = {}; k > 0; k--) {{", depth - 1));
            self.line(&format!("    {to} = {from};"));
            self.line("}");
        }
        let newest = self.stored(line, row, "0");
        let word = self.word_as(word, kept(format, self.tune));
        self.line(&format!("{newest} = {word};"));
    }

    /// A word of a line in this type, which may be shorter than what it is remembered in.
    fn kept_word(&self, line: usize, word: String, kind: &str) -> String {
        let format = self.lowered.lines[line].format;
        match kept(format, self.tune) == storage(format) {
            true => word,
            false => format!("({kind}){word}"),
        }
    }

    fn value(&mut self, local: Local, value: &Value) -> String {
        let kind = self.kind(local);
        match value {
            Value::Input { .. } if self.form.access == Access::Pointer => {
                let newest = Index { offset: -1, step: 0 };
                let line = self.put.first().map_or(0, |(_, line, _)| *line);
                let word = self.remembered(line, Row::Fixed(0), newest, false);
                self.kept_word(line, word, kind)
            }
            Value::Input { at, .. } => match (self.form.firing, at) {
                (None, _) => "input".to_owned(),
                (Some(_), Row::Fixed(at)) => format!("input[{at}]"),
                (Some(_), Row::Pass) => "input[pass]".to_owned(),
            },
            Value::Read(read @ Read::Remembered { line, .. }) => {
                let word = self.read(read, false);
                self.kept_word(*line, word, kind)
            }
            Value::Read(read) => self.read(read, false),
            Value::Product { coefficient, word: factor } => {
                let factor = self.word(*factor);
                format!("{} * ({kind}){factor}", self.coefficient(coefficient, kind))
            }
            Value::Round { word, dropped, rounding } => {
                self.round(local, *word, *dropped, *rounding)
            }
            Value::Limit { word, how } => self.limit(local, *word, *how),
        }
    }

    fn sum(&mut self, sum: &Sum) {
        if self.tune == Tune::Avr
            && let Some(how) = bytewise(sum, self.lowered)
        {
            return self.sum_of_bytes(sum, how);
        }
        let Sum { local, need, .. } = sum;
        let format = local.format;
        let types = SumTypes::of(sum, self.lowered);
        let is_of_pairs = self.form.is_dual && is_made_of_pairs(sum, self.lowered);
        let in_a_register = if is_of_pairs { types.in_a_register(sum) } else { None };
        let types = in_a_register.unwrap_or(types);
        let ending = if types.is_word { "" } else { "_sum" };
        for lane in self.lanes() {
            self.lane = lane;
            let variable = format!("{}{ending}", self.word(*local));
            let first = c_integer(sum.first);
            self.line(&format!("{} {variable} = {first}; /* {format} */", name(types.sum)));
        }
        self.lane = None;
        for step in grouped(sum, self.lowered, self.form.is_dual, types.sum) {
            match step {
                Grouped::Pair(pair) => self.pair(*local, ending, &pair, &types),
                Grouped::Run(run) => self.run(*local, ending, &run, &types),
                Grouped::One(step) => self.step(*local, ending, &step, &types),
            }
        }
        for lane in self.lanes() {
            self.lane = lane;
            let word = self.word(*local);
            let variable = format!("{word}{ending}");
            if types.is_word {
                continue;
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
        self.lane = None;
    }

    fn step(&mut self, local: Local, ending: &str, step: &Step, types: &SumTypes) {
        let variable = |this: &Self| format!("{}{ending}", this.word(local));
        match step {
            Step::Double(times) => {
                for lane in self.lanes() {
                    self.lane = lane;
                    let sum = variable(self);
                    self.line(&format!("{sum} = {sum}{};", shifted(types.sum, *times)));
                }
            }
            Step::Add(addition) => {
                for lane in self.lanes() {
                    self.lane = lane;
                    let line = self.addition(&variable(self), addition, types);
                    self.line(&line);
                }
            }
            Step::Loop { passes, addition } => {
                let (first, end) = (passes.start, passes.end);
                if self.form.lanes.is_none() {
                    self.line("MELLOW_RAKE_UNROLL_SOME");
                    self.helpers.insert(Helper::Unroll);
                }
                self.line(&format!("for (int k = {first}; k < {end}; k++) {{"));
                for lane in self.lanes() {
                    self.lane = lane;
                    let line = self.addition(&variable(self), addition, types);
                    self.line(&format!("    {line}"));
                }
                self.line("}");
            }
        }
        self.lane = None;
    }

    fn addition(&mut self, sum: &str, addition: &Addition, types: &SumTypes) -> String {
        let (sign, zeros) = (mark(addition.sign), shifted(types.sum, addition.shift));
        let (coefficient, factor, rounded) = match &addition.addend {
            // A word is as wide as any sum that it is added to.
            Addend::Word(local) => {
                return format!("{sum} {sign} {}{zeros};", self.cast(*local, types.sum));
            }
            Addend::Product { coefficient, factor, rounded } => (coefficient, factor, *rounded),
        };
        if self.form.is_dual
            && types.sum == Arithmetic::Narrow
            && is_of_halves(self.lowered, addition)
        {
            self.helpers.insert(Helper::Pair);
            if let Factor::One(word) = factor {
                let (coefficient, word) = (self.place_of(coefficient), self.read(word, false));
                return format!("{sum} = __smlabb({coefficient}, {word}, {sum});");
            }
        }
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
}

/// Whether a pass has a long loop of its own.
fn has_long_loop(body: &[Statement]) -> bool {
    body.iter().any(|statement| match statement {
        Statement::Sum(sum) => sum
            .steps
            .iter()
            .any(|step| matches!(step, Step::Loop { passes, .. } if passes.len() >= LONG)),
        _ => false,
    })
}
