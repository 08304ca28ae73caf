//! Better integers than the nearest ones: neighbours that leave more of the template, few signed digits, sums
//! of exactly 1.

mod digits;
mod goal;
mod model;
mod search;
mod unit_sum;

pub use goal::Goal;

use super::ImplementError;
use crate::filter::Form;
use crate::fixed::RoundedTable;
use crate::spec::IntegerWish;
use goal::Judge;
use model::Model;

/// What came of choosing integers.
#[derive(Debug, Clone, Copy, PartialEq)]
#[non_exhaustive]
pub struct IntegerChoice {
    /// How much of what the goal allows the nearest integers (with as many digits) use: 1 is all of it.
    pub nearest: f64,
    /// How much the chosen integers use, on the grid of the search.
    pub found: f64,
    /// How many sets of integers were tried.
    pub tried: u64,
    /// How many coefficients differ from the nearest integers.
    pub changed: usize,
}

/// Chooses integers for rounded sections or taps.
pub(super) fn choose(
    table: &mut RoundedTable,
    designed: &Form,
    wish: IntegerWish,
    goal: &Goal,
) -> Result<Option<IntegerChoice>, ImplementError> {
    if wish == IntegerWish::default() {
        return Ok(None);
    }
    let nearest = table.rows.clone();
    if let Some(most) = wish.digits {
        for value in table.rows.iter_mut().flatten() {
            *value = digits::nearest(*value, most, table.format);
        }
    }
    if let (true, Form::Taps(taps)) = (wish.unit_sum, designed) {
        unit_sum::settle(table, &taps.0)?;
    }
    let judge = Judge::new(goal, designed);
    let mut model = Model::new(table, designed, &judge, wish);
    let start = model.score();
    let mut choice = IntegerChoice { nearest: start, found: start, tried: 1, changed: 0 };
    if wish.search {
        choice.tried += search::improve(&mut model);
        choice.found = model.score();
        table.rows = model.into_rows();
    }
    let pairs = table.rows.iter().flatten().zip(nearest.iter().flatten());
    choice.changed = pairs.filter(|(found, nearest)| found != nearest).count();
    Ok(Some(choice))
}
