//! Branches of polyphase filters that have next to no taps: of half-band and M-th band filters one branch is
//! a single tap, and the loop over the branches would multiply zeros all along it.

use super::super::{
    Addend, Addition, Coefficient, Factor, Index, Local, Lowered, Read, Statement, Step, Value,
};
use super::{addition, change_every_statement, every_statement, read_by};
use crate::datapath::{Node, Row, Table};
use std::collections::{BTreeMap, BTreeSet};

/// A branch of at least so many taps is looked at.
const LEAST: usize = 6;

/// It is next to empty with this many taps that are not zero, or fewer.
const FEW: usize = 2;

/// A loop over more branches than these stays a loop: each is written out.
const MOST: usize = 8;

/// Writes out the passes of a loop over the rows of a table where some row is next to empty, and takes the
/// taps of that row to a table of their own, one product for each.
pub(super) fn unroll(lowered: &mut Lowered) {
    for at in 0..lowered.body.len() {
        let Some(table) = table_of(lowered, at) else { continue };
        let lone: Vec<bool> = lowered.tables[table].rows.iter().map(|row| is_lone(row)).collect();
        if lone.contains(&true) && !lone.iter().all(|is| *is) {
            write_out(lowered, at, table, &lone);
            return;
        }
    }
}

fn is_lone(row: &[i64]) -> bool {
    row.len() >= LEAST && row.iter().filter(|tap| **tap != 0).count() <= FEW
}

/// The table whose rows are the passes of a loop, where nothing else reads it, and no word of it in a way
/// that single products could not.
fn table_of(lowered: &Lowered, at: usize) -> Option<usize> {
    let Statement::Repeat { passes, body, .. } = &lowered.body[at] else { return None };
    let mut found = None;
    let mut is_fit = *passes <= MOST;
    for statement in body {
        match statement {
            Statement::Repeat { .. } => is_fit = false,
            Statement::Let { value: Value::Product { .. }, .. } => is_fit = false,
            Statement::Sum(sum) => {
                for addition in sum.steps.iter().filter_map(addition) {
                    let Addend::Product { coefficient, factor, .. } = &addition.addend else {
                        continue;
                    };
                    let is_one = matches!(factor, Factor::One(_)) && coefficient.row == Row::Pass;
                    is_fit &= is_one && found.is_none_or(|table| table == coefficient.table);
                    found = Some(coefficient.table);
                }
            }
            _ => {}
        }
    }
    let table = found.filter(|_| is_fit)?;
    let is_plain = lowered.tables[table].exponents.is_empty() && !lowered.looks_up_exponents[table];
    let mut readers = 0;
    every_statement(&lowered.body, &mut |statement| readers += products_of(statement, table));
    let inside: usize = body.iter().map(|statement| products_of(statement, table)).sum();
    let is_of_passes = lowered.tables[table].rows.len() == *passes;
    (is_plain && readers == inside && is_of_passes).then_some(table)
}

fn products_of(statement: &Statement, table: usize) -> usize {
    let is_own = |coefficient: &Coefficient| coefficient.table == table;
    match statement {
        Statement::Let { value: Value::Product { coefficient, .. }, .. } => {
            usize::from(is_own(coefficient))
        }
        Statement::Sum(sum) => {
            let product = |addition: &Addition| match &addition.addend {
                Addend::Product { coefficient, .. } => is_own(coefficient),
                Addend::Word(_) => false,
            };
            sum.steps.iter().filter_map(addition).filter(|one| product(one)).count()
        }
        _ => 0,
    }
}

fn write_out(lowered: &mut Lowered, at: usize, table: usize, lone: &[bool]) {
    let Statement::Repeat { local, first, body, result, .. } = lowered.body[at].clone() else {
        return;
    };
    let mut next = 0;
    every_statement(&lowered.body, &mut |statement| {
        next = next.max(made_by(statement).map_or(0, |local| local.node.0) + 1);
    });
    let mut carried = first;
    let mut written = Vec::new();
    let mut apart = Vec::new();
    let kept: Vec<usize> = (0..lone.len()).filter(|row| !lone[*row]).collect();
    for (pass, is_lone) in lone.iter().enumerate() {
        let mut names: BTreeMap<Node, Local> = BTreeMap::from([(local.node, carried)]);
        for statement in &body {
            let mut statement = statement.clone();
            if let Some(own) = made_by(&statement) {
                names.insert(own.node, Local { node: Node(next), ..own });
                next += 1;
            }
            if let (Statement::Sum(sum), true) = (&mut statement, *is_lone) {
                let row = &lowered.tables[table].rows[pass];
                let steps = sum.steps.iter().flat_map(|step| single(step, row, table, &mut apart));
                sum.steps = steps.collect();
            }
            rename(&mut statement, &names, Some(pass));
            written.push(statement);
        }
        carried = *names.get(&result.node).unwrap_or(&result);
    }
    // Behind the loop its word is that of the last pass; and the rows that are left have other numbers.
    lowered.body.splice(at..=at, written);
    let last = BTreeMap::from([(local.node, carried)]);
    change_every_statement(&mut lowered.body, &mut |statement| {
        rename(statement, &last, None);
        if let Statement::Sum(sum) = statement {
            for coefficient in sum.steps.iter_mut().filter_map(coefficient_of) {
                if let (true, Row::Fixed(row)) = (coefficient.table == table, coefficient.row) {
                    let place = kept.iter().position(|one| *one == row);
                    coefficient.row = Row::Fixed(place.unwrap_or(0));
                } else if coefficient.table == usize::MAX {
                    (coefficient.table, coefficient.row) = (lowered.tables.len(), Row::Fixed(0));
                }
            }
        }
    });
    if lowered.result.node == local.node {
        lowered.result = carried;
    }
    without_idle_names(lowered);
    let old = &mut lowered.tables[table];
    let own = Table { name: "lone_taps", rows: vec![apart], ..old.clone() };
    old.rows = kept.iter().map(|row| old.rows[*row].clone()).collect();
    lowered.notes[table] = Some("a row for each branch, without those that have next to none");
    // Of branches of zeros alone nothing is left.
    if !own.rows[0].is_empty() {
        lowered.tables.push(own);
        lowered.looks_up_exponents.push(false);
        lowered.notes.push(Some("those that are not zero of branches that have next to none"));
    }
}

/// Takes away names of other words that nothing reads: branches of which none hands a word to the next.
fn without_idle_names(lowered: &mut Lowered) {
    loop {
        let mut read = BTreeSet::from([lowered.result.node]);
        every_statement(&lowered.body, &mut |statement| {
            read.extend(read_by(statement).iter().filter_map(|one| match one {
                Read::Local(local) => Some(local.node),
                Read::Remembered { .. } => None,
            }));
        });
        let count = lowered.body.len();
        lowered.body.retain(|statement| match statement {
            Statement::Let { local, value: Value::Read(Read::Local(_)) } => {
                read.contains(&local.node)
            }
            _ => true,
        });
        if lowered.body.len() == count {
            return;
        }
    }
}

/// The word that a statement makes.
fn made_by(statement: &Statement) -> Option<Local> {
    match statement {
        Statement::Let { local, .. } | Statement::Repeat { local, .. } => Some(*local),
        Statement::Sum(sum) => Some(sum.local),
        Statement::Deliver { .. } | Statement::Advance { .. } => None,
    }
}

fn coefficient_of(step: &mut Step) -> Option<&mut Coefficient> {
    let (Step::Add(addition) | Step::Loop { addition, .. }) = step else { return None };
    match &mut addition.addend {
        Addend::Product { coefficient, .. } => Some(coefficient),
        Addend::Word(_) => None,
    }
}

/// The products of a step whose tap is not zero, one by one; their taps are put into a table of their own,
/// which has no number yet.
fn single(step: &Step, row: &[i64], table: usize, apart: &mut Vec<i64>) -> Vec<Step> {
    let (Step::Add(addition) | Step::Loop { addition, .. }) = step else {
        return vec![step.clone()];
    };
    let Addend::Product { coefficient, factor: Factor::One(read), rounded } = addition.addend
    else {
        return vec![step.clone()];
    };
    if coefficient.table != table {
        return vec![step.clone()];
    }
    let passes = match step {
        Step::Loop { passes, .. } => passes.clone(),
        _ => 0..1,
    };
    let mut all = Vec::new();
    for k in passes {
        let tap = row[coefficient.column.at(k) as usize];
        if tap == 0 {
            continue;
        }
        let read = match read {
            Read::Local(local) => Read::Local(local),
            Read::Remembered { line, row, index } => {
                let index = Index { offset: index.at(k), step: 0 };
                Read::Remembered { line, row, index }
            }
        };
        let column = Index { offset: apart.len() as i64, step: 0 };
        apart.push(tap);
        let coefficient = Coefficient { table: usize::MAX, column, ..coefficient };
        let addend = Addend::Product { coefficient, factor: Factor::One(read), rounded };
        all.push(Step::Add(Addition { addend, ..*addition }));
    }
    all
}

/// Gives the words that a statement reads and makes other names, and its rows the number of a pass.
fn rename(statement: &mut Statement, names: &BTreeMap<Node, Local>, pass: Option<usize>) {
    let named = |local: &mut Local| *local = *names.get(&local.node).unwrap_or(local);
    let placed = |row: &mut Row| *row = pass.map_or(*row, |pass| Row::Fixed(row.at(pass)));
    let read = |read: &mut Read| match read {
        Read::Local(local) => named(local),
        Read::Remembered { row, .. } => placed(row),
    };
    match statement {
        Statement::Let { local, value } => {
            named(local);
            match value {
                Value::Input { at, .. } => placed(at),
                Value::Read(from) => read(from),
                Value::Product { coefficient, word } => {
                    placed(&mut coefficient.row);
                    named(word);
                }
                Value::Round { word, .. } | Value::Limit { word, .. } => named(word),
            }
        }
        Statement::Sum(sum) => {
            named(&mut sum.local);
            for step in &mut sum.steps {
                let (Step::Add(addition) | Step::Loop { addition, .. }) = step else { continue };
                match &mut addition.addend {
                    Addend::Word(local) => named(local),
                    Addend::Product { coefficient, factor, .. } => {
                        placed(&mut coefficient.row);
                        match factor {
                            Factor::One(one) => read(one),
                            Factor::Pair { first, second, .. } => {
                                read(first);
                                read(second);
                            }
                        }
                    }
                }
            }
        }
        Statement::Deliver { at, word, .. } => {
            placed(at);
            named(word);
        }
        Statement::Advance { row, word, .. } => {
            placed(row);
            named(word);
        }
        // Of another loop, only the word in front of it is known here.
        Statement::Repeat { first, .. } => named(first),
    }
}
