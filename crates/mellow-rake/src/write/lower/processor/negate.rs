//! Coefficients that are subtracted are stored with the opposite sign, so that all products are added: a
//! multiplier that adds is on every processor, one that subtracts on few.

use super::super::{Addend, Addition, Coefficient, Factor, Lowered, Statement, Step, Value};
use super::{addition, change_every_statement, every_statement};
use crate::datapath::Sign;
use std::collections::BTreeMap;

/// What the uses of a column of a table have in common.
#[derive(Clone, Copy, PartialEq, Eq)]
enum Use {
    /// All of them subtract.
    Subtracted,
    /// Not all of them do, or they need the sign.
    Other,
}

pub(super) fn negate(lowered: &mut Lowered) {
    let uses = uses(lowered);
    for table in 0..lowered.tables.len() {
        let of_table = uses.iter().filter(|((of, _), _)| *of == table);
        let format = lowered.tables[table].format;
        let columns: Vec<usize> =
            of_table.filter(|(_, one)| **one == Use::Subtracted).map(|((_, k), _)| *k).collect();
        // The lowest integer has no opposite.
        let has_opposites = lowered.tables[table]
            .rows
            .iter()
            .all(|row| columns.iter().all(|k| format.holds((-row[*k]).into())));
        if columns.is_empty() || !has_opposites {
            continue;
        }
        for row in &mut lowered.tables[table].rows {
            for k in &columns {
                row[*k] = -row[*k];
            }
        }
        lowered.notes[table] = Some(match columns[..] {
            [3, 4] if lowered.tables[table].rows[0].len() == 5 => {
                "a1 and a2 stand here with the opposite sign: all products are added"
            }
            _ => "what is subtracted stands here with the opposite sign: all products are added",
        });
        change_every_statement(&mut lowered.body, &mut |statement| {
            let Statement::Sum(sum) = statement else { return };
            for step in &mut sum.steps {
                let (Step::Add(addition) | Step::Loop { addition, .. }) = step else { continue };
                let is_of_table = matches!(&addition.addend, Addend::Product { coefficient, .. }
                    if coefficient.table == table && columns.contains(&first(coefficient)));
                if is_of_table {
                    addition.sign = Sign::Plus;
                }
            }
        });
    }
}

/// The column of a coefficient that stands by itself.
fn first(coefficient: &Coefficient) -> usize {
    coefficient.column.offset as usize
}

/// For each table and column whether all that it is used for is to subtract.
fn uses(lowered: &Lowered) -> BTreeMap<(usize, usize), Use> {
    let mut uses = BTreeMap::new();
    let mut add = |table: usize, column: usize, one: Use| {
        let all = uses.entry((table, column)).or_insert(one);
        if *all != one {
            *all = Use::Other;
        }
    };
    every_statement(&lowered.body, &mut |statement| match statement {
        Statement::Let { value: Value::Product { coefficient, .. }, .. } => {
            add(coefficient.table, first(coefficient), Use::Other);
        }
        Statement::Sum(sum) => {
            for step in &sum.steps {
                let Some(Addition {
                    sign,
                    addend: Addend::Product { coefficient, factor, rounded },
                    ..
                }) = addition(step)
                else {
                    continue;
                };
                let passes = match step {
                    Step::Loop { passes, .. } => passes.clone(),
                    _ => 0..1,
                };
                // A rounding knows the sign, and a column of a loop cannot be told from its neighbours.
                let is_plain = rounded.is_none()
                    && matches!(factor, Factor::One(_))
                    && coefficient.column.step == 0
                    && passes.len() == 1;
                let one = match (is_plain, sign) {
                    (true, Sign::Minus) => Use::Subtracted,
                    _ => Use::Other,
                };
                for k in passes {
                    add(coefficient.table, coefficient.column.at(k) as usize, one);
                }
            }
        }
        _ => {}
    });
    uses
}
