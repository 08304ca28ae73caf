//! Where statements find words and coefficients: in rows of tables, of lines, and of windows, and what loops
//! go through.

use super::super::lower::{
    Addend, Addition, Coefficient, Exponent, Factor, Index, Read, Statement, Step, Value,
};
use super::statements::{Access, Statements, shifted};
use super::types::Integer;
use super::{constant, field};
use crate::datapath::Row;
use std::ops::Range;

/// A part of a row as a slice: of so many elements those from `low` to before `high`.
fn slice(row: &str, length: usize, low: i64, high: i64) -> String {
    match (low, high == length as i64) {
        (0, true) => row.to_owned(),
        (low, true) => format!("{row}[{low}..]"),
        (0, false) => format!("{row}[..{high}]"),
        (low, false) => format!("{row}[{low}..{high}]"),
    }
}

/// The least place that a loop comes to, and the one behind the last.
fn reach(index: Index, passes: &Range<usize>) -> (i64, i64) {
    let [first, last] = [passes.start, passes.end - 1].map(|k| index.at(k));
    (first.min(last), first.max(last) + 1)
}

/// The elements of a slice in the order of a loop. Where several outputs are made at once, each with the
/// elements behind it that the others need.
fn elements(slice: &str, index: Index, lanes: Option<usize>) -> String {
    let each = lanes.map_or(".iter()".to_owned(), |lanes| format!(".windows({lanes})"));
    let backward = if index.step < 0 { ".rev()" } else { "" };
    match index.step.abs() {
        1 => format!("{slice}{each}{backward}"),
        step => format!("{slice}{each}{backward}.step_by({step})"),
    }
}

impl Statements<'_> {
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

    /// Whether another line has its words in the rows of this one.
    fn is_shared(&self, line: usize) -> bool {
        let homes = self.lowered.homes.iter();
        homes.filter(|home| home.line == self.lowered.homes[line].line).count() > 1
    }

    /// The row of the memory of a line.
    pub(super) fn line_row(&self, line: usize, row: Row) -> String {
        let home = self.lowered.homes[line];
        let memory = &self.lowered.lines[home.line];
        let name = field(memory.name);
        match row {
            Row::Pass if self.is_shared(line) => match home.first_row {
                0 => format!("self.{name}[pass]"),
                first_row => format!("self.{name}[pass + {first_row}]"),
            },
            Row::Fixed(row) if memory.rows > 1 => format!("self.{name}[{}]", row + home.first_row),
            _ => Self::row(&format!("self.{name}"), &name, memory.rows, row),
        }
    }

    /// The words in which those of a line lie, and where a word of it lies there; in a window the oldest
    /// word is the first.
    fn home(&self, line: usize, row: Row, index: Index) -> (String, Index) {
        let depth = self.lowered.lines[line].depth as i64;
        let Some(window) = self.lowered.windows[line] else {
            return (self.line_row(line, row), index);
        };
        if window.phases == 1 {
            let index = Index { offset: depth - 1 - index.offset, step: -index.step };
            return match self.access {
                Access::Window => ("window".to_owned(), index),
                Access::Filter => (self.line_row(line, row), index),
            };
        }
        // Words whose number is even as that of the newest is, and the others.
        let behind = depth + depth % 2 - 1 - index.offset;
        let name = if behind % 2 == 0 { "window" } else { "other" };
        (name.to_owned(), Index { offset: behind.div_euclid(2), step: -index.step / 2 })
    }

    /// Whether places of a line count from where the window begins.
    fn is_from_at(&self, line: usize) -> bool {
        self.access == Access::Filter && self.lowered.windows[line].is_some()
    }

    /// A word of a line, outside of loops.
    pub(super) fn remembered(&self, line: usize, row: Row, index: Index) -> String {
        let (words, Index { offset, .. }) = self.home(line, row, index);
        match (self.is_from_at(line), offset) {
            (true, 0) => format!("{words}[at]"),
            (true, offset) => format!("{words}[at + {offset}]"),
            (false, offset) => format!("{words}[{}]", offset + self.lane.unwrap_or(0) as i64),
        }
    }

    /// The words of a line that a loop goes through.
    fn words(&self, line: usize, row: Row, index: Index, passes: &Range<usize>) -> String {
        let (words, index) = self.home(line, row, index);
        let (low, high) = reach(index, passes);
        let slice = match (self.is_from_at(line), low) {
            (true, 0) => format!("{words}[at..at + {high}]"),
            (true, low) => format!("{words}[at + {low}..at + {high}]"),
            (false, low) => {
                let high = high + self.lanes.map_or(0, |lanes| lanes as i64 - 1);
                let length = match self.lowered.windows[line] {
                    None => self.lowered.lines[line].depth,
                    // There may be more of it.
                    Some(_) => usize::MAX,
                };
                slice(&words, length, low, high)
            }
        };
        elements(&slice, index, self.lanes)
    }

    /// A coefficient in this type, brought to the fraction of its table. In a loop `c` is the coefficient
    /// and `e` its exponent.
    pub(super) fn coefficient(&self, coefficient: &Coefficient, kind: Integer) -> String {
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
    pub(super) fn read(&self, read: &Read, name: &str, kind: Integer) -> String {
        match read {
            Read::Local(local) => self.word_as(*local, kind),
            Read::Remembered { line, row, index } => {
                let own = Integer::storing(self.lowered.lines[*line].format);
                match (index.step, self.lane) {
                    (0, _) => own.convert(&self.remembered(*line, *row, *index), kind),
                    (_, None) => own.convert(&format!("*{name}"), kind),
                    (_, Some(lane)) => own.convert(&format!("{name}[{lane}]"), kind),
                }
            }
        }
    }

    /// What a loop over terms goes through: coefficients, their exponents where they differ, and words.
    pub(super) fn iterator(&self, addition: &Addition, passes: &Range<usize>) -> (String, String) {
        let Addend::Product { coefficient, factor, .. } = &addition.addend else {
            return ("_".to_owned(), format!("{}..{}", passes.start, passes.end));
        };
        let Coefficient { table, row, column, exponent } = *coefficient;
        let length = self.lowered.tables[table].rows[0].len();
        let part = |row: String, index: Index| {
            let (low, high) = reach(index, passes);
            elements(&slice(&row, length, low, high), index, None)
        };
        let mut names = "c".to_owned();
        let mut all = part(self.table_row(table, row), column);
        let mut zip = |name: &str, other: String| {
            names = format!("({names}, {name})");
            // A part of a row that runs forward is an iterator by itself; a whole row of this pass, and a
            // slice that was handed over, is a reference already.
            let is_place =
                |slice: &&str| !slice.ends_with("_row") && !["window", "other"].contains(slice);
            match other.strip_suffix(".iter()").filter(is_place) {
                Some(slice) => all = format!("{all}.zip(&{slice})"),
                None => all = format!("{all}.zip({other})"),
            }
        };
        if let Exponent::At(index) = exponent
            && index.step != 0
        {
            zip("e", part(self.exponent_row(table, row), index));
        }
        let words = match factor {
            Factor::One(one) => vec![("w", one)],
            Factor::Pair { first, second, .. } => vec![("a", first), ("b", second)],
        };
        for (name, read) in words {
            if let Read::Remembered { line, row, index } = read {
                zip(name, self.words(*line, *row, *index, passes));
            }
        }
        (names, all)
    }

    /// The names of the rows that a loop over rows has, pass by pass, and what it goes through.
    pub(super) fn rows(&self, body: &[Statement], passes: usize) -> (String, String) {
        let used = Used::of(body);
        let all = self.rows_of(&used, passes);
        let has_shared = used.lines.iter().any(|line| self.is_shared(*line));
        let mut names = String::new();
        let mut iterator = String::new();
        for (index, Rows { name, of, is_mutable }) in all.iter().enumerate() {
            names = if index == 0 { name.clone() } else { format!("({names}, {name})") };
            iterator = match (index, is_mutable) {
                (0, true) => format!("{of}.iter_mut()"),
                (0, false) => format!("{of}.iter()"),
                (_, true) => format!("{iterator}.zip(&mut {of})"),
                (_, false) => format!("{iterator}.zip(&{of})"),
            };
        }
        match (all.is_empty(), has_shared) {
            (true, false) => ("_".to_owned(), format!("0..{passes}")),
            (true, true) => ("pass".to_owned(), format!("0..{passes}")),
            (false, false) => (names, iterator),
            (false, true) => (format!("(pass, {names})"), format!("{iterator}.enumerate()")),
        }
    }

    fn rows_of(&self, used: &Used, passes: usize) -> Vec<Rows> {
        let taken = |of: String, rows: usize| match rows > passes {
            true => format!("{of}[..{passes}]"),
            false => of,
        };
        let mut all = Vec::new();
        if used.takes {
            all.push(Rows {
                name: "input".to_owned(),
                of: "input[..]".to_owned(),
                is_mutable: false,
            });
        }
        if used.gives {
            all.push(Rows {
                name: "output".to_owned(),
                of: "output[..]".to_owned(),
                is_mutable: true,
            });
        }
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
            if line.rows > 1 && used.lines.contains(&index) && !self.is_shared(index) {
                let name = field(line.name);
                let of = taken(format!("self.{name}"), line.rows);
                let is_mutable = used.advanced.contains(&index);
                all.push(Rows { name: format!("{name}_row"), of, is_mutable });
            }
        }
        all
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
    /// Whether each pass takes a word of the firing, and whether it gives one.
    takes: bool,
    gives: bool,
}

impl Used {
    fn of(body: &[Statement]) -> Self {
        let mut used = Used::default();
        for statement in body {
            match statement {
                Statement::Let { value: Value::Input { at: Row::Pass, .. }, .. } => {
                    used.takes = true;
                }
                Statement::Deliver { at: Row::Pass, .. } => used.gives = true,
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
