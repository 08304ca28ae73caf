//! Taps whose integers add up to exactly 1.

use super::super::ImplementError;
use crate::fixed::RoundedTable;

/// Moves the taps whose roundings were the most doubtful by one until their sum is 1; mirror images move
/// together.
///
/// # Errors
/// [`ImplementError::UnitSum`] where the taps that were designed add up to something else.
pub(super) fn settle(table: &mut RoundedTable, designed: &[f64]) -> Result<(), ImplementError> {
    let format = table.format;
    let fraction = format.fraction();
    let sum: f64 = designed.iter().sum();
    let refused = |sum| ImplementError::UnitSum { sum, format };
    // Half a unit for every tap is what roundings can make up for.
    let reach = designed.len() as f64 * format.step();
    if !(0..=62).contains(&fraction) || (sum - 1.0).abs() > reach.max(1e-6) {
        return Err(refused(sum));
    }
    let row = &mut table.rows[0];
    let last = row.len() - 1;
    let symmetric = (0..row.len()).all(|k| row[k] == row[last - k]);
    let mut missing = (1i64 << fraction) - row.iter().sum::<i64>();
    // What each tap lacks of its design, in units.
    let lack = |k: usize, value: i64| designed[k] * libm::scalbn(1.0, fraction) - value as f64;
    let middle = (symmetric && last.is_multiple_of(2)).then_some(last / 2);
    if symmetric && missing % 2 != 0 {
        let middle = middle.ok_or_else(|| refused(sum))?;
        // At the end of its format it goes the other way, and the others the more.
        let ways = [missing.signum(), -missing.signum()];
        let holds = |way: &i64| format.holds((row[middle] + way).into());
        let way = ways.into_iter().find(holds).ok_or_else(|| refused(sum))?;
        row[middle] += way;
        missing -= way;
    }
    let pair = |k: usize| if symmetric { last - k } else { k };
    let free: Vec<usize> = (0..row.len()).filter(|k| !symmetric || *k < last - *k).collect();
    while missing != 0 {
        let step = missing.signum();
        let best = free.iter().copied().filter(|k| format.holds((row[*k] + step).into()));
        // Zeros of the design stay zeros as long as others can move.
        let doubt = |k: usize| {
            let zero = if designed[k] == 0.0 { 1e6 } else { 0.0 };
            lack(k, row[k]) * step as f64 - zero
        };
        let best = best.max_by(|a, b| doubt(*a).total_cmp(&doubt(*b)));
        let best = best.ok_or_else(|| refused(sum))?;
        row[best] += step;
        if symmetric {
            row[pair(best)] += step;
        }
        missing -= if symmetric { 2 * step } else { step };
    }
    Ok(())
}
