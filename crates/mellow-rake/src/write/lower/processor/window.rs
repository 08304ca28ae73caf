//! Long lines lie still in a memory that is longer than they are, and the taps on one of them become one
//! loop over the words that lie side by side, without those taps that are zero.

use super::super::{
    Addend, Addition, Coefficient, Exponent, Factor, Index, Local, Lowered, Read, Statement, Step,
    Sum, Value, Window,
};
use super::{addition, change_every_statement, every_statement, read_by, stored};
use crate::datapath::{Coefficients, Row, Sign};
use crate::fixed::WordFormat;
use std::collections::BTreeMap;

/// Lines of at most this many words move on word by word.
const MOVED: usize = 4;

/// The most words of memory beyond those of a line: with these a line of 64 words costs a copied word a
/// sample.
const MOST_SLACK: usize = 64;

/// Taps of which every other one is zero are told from others from this length on.
const LEAST_HALF_BAND: usize = 9;

/// Whether every word of a program comes from one window of inputs: then outputs can be made in any order,
/// several at a time. Gives the line.
pub(in crate::write) fn is_feed_forward(lowered: &Lowered) -> Option<usize> {
    let mut lines = (0..lowered.lines.len()).filter(|line| lowered.lines[*line].depth > 0);
    let (line, None) = (lines.next()?, lines.next()) else { return None };
    let has_loops = lowered.body.iter().any(|one| matches!(one, Statement::Repeat { .. }));
    let is_one_to_one = [&lowered.inputs, &lowered.outputs].map(|ports| ports[0].count) == [1, 1];
    if has_loops || !is_one_to_one || lowered.lines[line].rows != 1 {
        return None;
    }
    lowered.windows[line]?;
    let [(_, word)] = stored(&lowered.body, line)[..] else { return None };
    let is_input = lowered.body.iter().any(
        |one| matches!(one, Statement::Let { local, value: Value::Input { .. } } if *local == word),
    );
    is_input.then_some(line)
}

pub(super) fn windows(lowered: &mut Lowered) {
    let is_long =
        |line: usize| lowered.lines[line].depth > MOVED && lowered.homes[line].line == line;
    let is_home = |line: usize| {
        let others = lowered.homes.iter().enumerate();
        others.filter(|(_, home)| home.line == line).count() == 1
    };
    let long: Vec<usize> =
        (0..lowered.lines.len()).filter(|line| is_long(*line) && is_home(*line)).collect();
    let words = |line: &usize| (lowered.lines[*line].depth + 1).next_multiple_of(4);
    let slack = long.iter().map(words).max().unwrap_or(0).min(MOST_SLACK);
    for line in &long {
        lowered.windows[*line] = Some(Window { slack, phases: 1 });
    }
    for table in 0..lowered.tables.len() {
        if let Some(groups) = groups(lowered, table) {
            straighten(lowered, table, &groups);
        }
    }
    for line in long {
        if reads_by_phases(lowered, line) {
            lowered.windows[line] = Some(Window { slack, phases: 2 });
        }
    }
}

/// The taps of one sum on one row of a line.
struct Group {
    sum: u32,
    line: usize,
    row: Row,
    table_row: Row,
    shift: u32,
    term: usize,
    /// For each row of the table that it reads, the taps by the index of their word, −1 the first.
    taps: BTreeMap<usize, BTreeMap<i64, i128>>,
}

/// The taps of all sums that read a table, if all that reads it can become a loop over a window each.
fn groups(lowered: &Lowered, table: usize) -> Option<Vec<Group>> {
    let mut groups: Vec<Group> = Vec::new();
    let mut is_fit = true;
    every_statement(&lowered.body, &mut |statement| match statement {
        Statement::Let { value: Value::Product { coefficient, .. }, .. } => {
            is_fit &= coefficient.table != table;
        }
        Statement::Sum(sum) => {
            for step in &sum.steps {
                let Some(addition) = addition(step) else { continue };
                let Addend::Product { coefficient, .. } = &addition.addend else { continue };
                if coefficient.table == table {
                    is_fit = is_fit && gather(lowered, sum, step, addition, &mut groups).is_some();
                }
            }
        }
        _ => {}
    });
    let is_long = |group: &Group| group.taps.values().all(|taps| taps.len() > MOVED);
    (is_fit && !groups.is_empty() && groups.iter().all(is_long)).then_some(groups)
}

/// Adds the taps of one step to those of its sum; `None` where it has to stay as it is.
fn gather(
    lowered: &Lowered,
    sum: &Sum,
    step: &Step,
    addition: &Addition,
    groups: &mut Vec<Group>,
) -> Option<()> {
    let Addend::Product { coefficient, factor, rounded: None } = &addition.addend else {
        return None;
    };
    let passes = match step {
        Step::Loop { passes, .. } => passes.clone(),
        _ => 0..1,
    };
    let reads: Vec<(Read, Sign)> = match factor {
        Factor::One(one) => vec![(*one, Sign::Plus)],
        Factor::Pair { first, sign, second } => vec![(*first, Sign::Plus), (*second, *sign)],
    };
    let table = &lowered.tables[coefficient.table];
    let rows = match coefficient.row {
        Row::Fixed(row) => row..row + 1,
        Row::Pass => 0..table.rows.len(),
    };
    for (read, sign) in reads {
        let (line, row, index) = place(lowered, read)?;
        lowered.windows[line]?;
        let number = sum.local.node.0;
        let group = groups.iter_mut().find(|group| group.sum == number);
        let group = match group {
            Some(group) => group,
            None => {
                let taps = rows.clone().map(|row| (row, BTreeMap::new())).collect();
                let (shift, term) = (addition.shift, addition.term);
                let table_row = coefficient.row;
                groups.push(Group { sum: number, line, row, table_row, shift, term, taps });
                groups.last_mut()?
            }
        };
        let is_same = group.line == line && group.row == row && group.table_row == coefficient.row;
        if !is_same || group.shift != addition.shift {
            return None;
        }
        let is_added = (addition.sign == Sign::Plus) == (sign == Sign::Plus);
        for (table_row, taps) in &mut group.taps {
            for k in passes.clone() {
                let column = coefficient.column.at(k) as usize;
                let value = i128::from(table.coefficient(*table_row, column));
                *taps.entry(index.at(k)).or_default() += if is_added { value } else { -value };
            }
        }
    }
    Some(())
}

/// Where a word stands in a line: that of this sample at −1.
fn place(lowered: &Lowered, read: Read) -> Option<(usize, Row, Index)> {
    match read {
        Read::Remembered { line, row, index } => Some((line, row, index)),
        Read::Local(local) => (0..lowered.lines.len()).find_map(|line| {
            let of_line = stored(&lowered.body, line);
            let (row, _) = of_line.iter().find(|(_, word)| *word == local)?;
            Some((line, *row, Index { offset: -1, step: 0 }))
        }),
    }
}

/// What a group becomes: loops over columns of the new table.
struct Straight {
    /// For each loop the columns and, for the first of them, the index of its word; then how far from column
    /// to column.
    runs: Vec<(std::ops::Range<usize>, i64, i64)>,
    rows: BTreeMap<usize, Vec<i128>>,
}

/// Taps in a row, the oldest word's first; where every other one is zero, those that are not, and behind
/// them the one in the middle.
fn in_a_row(group: &Group) -> Option<Straight> {
    let is_tap =
        |index: &i64| group.taps.values().any(|taps| taps.get(index).is_some_and(|h| *h != 0));
    let indices: Vec<i64> = group.taps.values().flat_map(|taps| taps.keys().copied()).collect();
    let indices: Vec<i64> = indices.into_iter().filter(is_tap).collect();
    let (newest, oldest) = (*indices.iter().min()?, *indices.iter().max()?);
    let row = |taps: &BTreeMap<i64, i128>, indices: &[i64]| -> Vec<i128> {
        indices.iter().map(|index| taps.get(index).copied().unwrap_or(0)).collect()
    };
    let all = |indices: Vec<i64>| {
        group.taps.iter().map(|(number, taps)| (*number, row(taps, &indices))).collect()
    };
    let length = (oldest - newest + 1) as usize;
    let others: Vec<i64> =
        (newest..=oldest).filter(|index| (oldest - index) % 2 == 1).filter(is_tap).collect();
    if let ([middle], true) = (&others[..], length >= LEAST_HALF_BAND) {
        let every_other: Vec<i64> = (newest..=oldest).rev().step_by(2).collect();
        let count = every_other.len();
        let columns: Vec<i64> = every_other.into_iter().chain([*middle]).collect();
        let runs = vec![(count..count + 1, *middle, 0), (0..count, oldest, -2)];
        return Some(Straight { runs, rows: all(columns) });
    }
    let columns: Vec<i64> = (newest..=oldest).rev().collect();
    Some(Straight { runs: vec![(0..length, oldest, -1)], rows: all(columns) })
}

/// Gives all groups of a table their loops, and the table its new columns.
fn straighten(lowered: &mut Lowered, table: usize, groups: &[Group]) {
    let Some(straight) = groups.iter().map(in_a_row).collect::<Option<Vec<Straight>>>() else {
        return;
    };
    let length = |one: &Straight| one.rows.values().map(Vec::len).max().unwrap_or(0);
    let columns = straight.iter().map(length).max().unwrap_or(0);
    let mut rows = vec![vec![0i128; columns]; lowered.tables[table].rows.len()];
    let mut is_taken = vec![false; rows.len()];
    for one in &straight {
        for (number, taps) in &one.rows {
            // Two sums on one row of a table are those of a program that nobody writes.
            if std::mem::replace(&mut is_taken[*number], true) {
                return;
            }
            rows[*number][..taps.len()].copy_from_slice(taps);
        }
    }
    let Some(format) = holding(lowered.tables[table].format, &rows) else { return };
    let new = &mut lowered.tables[table];
    new.format = format;
    new.rows = rows.iter().map(|row| row.iter().map(|tap| *tap as i64).collect()).collect();
    new.exponents = Vec::new();
    let is_split = straight.iter().any(|one| one.runs.len() > 1);
    new.holds = Coefficients::TapsBackward;
    lowered.looks_up_exponents[table] = false;
    lowered.notes[table] = is_split
        .then_some("every other one, for those between are zero, and then the one in the middle");
    for (group, one) in groups.iter().zip(&straight) {
        let size = format_size(lowered.lines[group.line].format);
        let taps = |taps: &Vec<i128>| taps.iter().map(|tap| tap.abs()).sum::<i128>() * size;
        let most = one.rows.values().map(taps).max().unwrap_or(0) << group.shift;
        let product = |taps: &Vec<i128>| taps.iter().map(|tap| tap.abs()).max().unwrap_or(0) * size;
        let product = one.rows.values().map(product).max().unwrap_or(0);
        change_every_statement(&mut lowered.body, &mut |statement| {
            let Statement::Sum(sum) = statement else { return };
            if sum.local.node.0 != group.sum {
                return;
            }
            let is_other = |step: &Step| !is_of_table(step, table);
            let others: Vec<Step> =
                sum.steps.iter().filter(|step| is_other(step)).cloned().collect();
            // Of words that are no longer added before their product nothing is left.
            sum.need.partial = match others.is_empty() {
                true => most.max(sum.need.highest),
                false => most + sum.need.partial,
            };
            sum.need.product =
                if others.is_empty() { product } else { product.max(sum.need.product) };
            sum.steps = one.runs.iter().map(|run| group.step(table, run)).chain(others).collect();
        });
    }
}

/// The format that holds all taps: that of the table, or one of 16 or 32 bits.
fn holding(format: WordFormat, rows: &[Vec<i128>]) -> Option<WordFormat> {
    let fits = |format: &WordFormat| rows.iter().flatten().all(|tap| format.holds(*tap));
    let longer = |bits: u32| WordFormat::new(true, bits, format.fraction()).ok();
    [Some(format), longer(16), longer(32)].into_iter().flatten().find(fits)
}

fn format_size(format: WordFormat) -> i128 {
    format.maximum().max(-format.minimum())
}

/// Whether a step has its coefficient from this table.
fn is_of_table(step: &Step, table: usize) -> bool {
    let product = addition(step).map(|addition| &addition.addend);
    matches!(product, Some(Addend::Product { coefficient, .. }) if coefficient.table == table)
}

impl Group {
    fn step(&self, table: usize, run: &(std::ops::Range<usize>, i64, i64)) -> Step {
        let (columns, index, step) = run;
        let is_loop = columns.len() > 1;
        let column = match is_loop {
            true => Index { offset: 0, step: 1 },
            false => Index { offset: columns.start as i64, step: 0 },
        };
        let index = match is_loop {
            true => Index { offset: *index, step: *step },
            false => Index { offset: *index, step: 0 },
        };
        let exponent = Exponent::Constant(0);
        let coefficient = Coefficient { table, row: self.table_row, column, exponent };
        let word = Read::Remembered { line: self.line, row: self.row, index };
        let addend = Addend::Product { coefficient, factor: Factor::One(word), rounded: None };
        let addition = Addition { sign: Sign::Plus, addend, shift: self.shift, term: self.term };
        match is_loop {
            true => Step::Loop { passes: columns.clone(), addition },
            false => Step::Add(addition),
        }
    }
}

/// Whether each loop over a line takes every other word, so that those with even and with odd number are
/// better apart; and the word of this sample is needed for nothing else.
fn reads_by_phases(lowered: &Lowered, line: usize) -> bool {
    let mut loops = 0;
    let mut is_even = is_feed_forward(lowered) == Some(line);
    every_statement(&lowered.body, &mut |statement| {
        for read in read_by(statement) {
            if let Read::Remembered { line: of, index, .. } = read
                && of == line
                && index.step != 0
            {
                loops += 1;
                is_even &= index.step % 2 == 0;
            }
        }
    });
    is_even && loops > 0
}

/// A word that stands in a window from the moment it has its value.
pub(in crate::write) fn put_words(lowered: &Lowered) -> Vec<(Local, usize, Row)> {
    let lines = 0..lowered.lines.len();
    let is_window = |line: &usize| lowered.windows[*line].is_some();
    lines
        .filter(is_window)
        .flat_map(|line| {
            stored(&lowered.body, line).into_iter().map(move |(row, word)| (word, line, row))
        })
        .collect()
}
