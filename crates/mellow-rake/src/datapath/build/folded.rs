//! Finite impulse responses of linear phase: words that share a tap are added before they meet it.

use super::BuildError;
use super::taps::{Held, TapWords, one_row, over_line};
use crate::datapath::{Coefficients, Datapath, Fold, LineIndex, Row, Sign, TableIndex, Term};
use crate::fixed::{Overflow, RoundedTable, Rounding, WordFormat};

/// A finite impulse response of linear phase, folded: y\[n\] = limit(round(Σ h\[k\]·(x\[n−k\] ±
/// x\[n−(N−1−k)\]))), with the tap in the middle, if there is one, by itself.
///
/// Half the multiplications of the direct form and the same output, integer for integer. `table` holds one
/// row with two taps or more, h\[0\] first, symmetric (plus) or antisymmetric (minus) as integers.
///
/// # Errors
/// [`BuildError`] for a table of another shape, taps that are no mirror images, or a sum that needs more than
/// 64 bits.
///
/// ```
/// use mellow_rake::datapath::{Simulator, fir_direct, fir_folded};
/// use mellow_rake::fixed::{Overflow, Rounding, round_coefficients};
/// let taps = round_coefficients(&[vec![0.25, 0.5, 0.25]], "s16f15".parse()?)?;
/// let word = "s16f15".parse()?;
/// let (rounding, overflow) = (Rounding::HalfUp, Overflow::Saturate);
/// let one = fir_direct(&taps, word, word, rounding, overflow)?.check()?;
/// let other = fir_folded(&taps, word, word, rounding, overflow)?.check()?;
/// let input = [100, -7, 32767, 3, 0, 0];
/// assert_eq!(Simulator::new(&one).run(&input), Simulator::new(&other).run(&input));
/// assert_eq!((one.cost().multiplies_per_sample, other.cost().multiplies_per_sample), (3, 2));
/// # Ok::<(), Box<dyn std::error::Error>>(())
/// ```
pub fn fir_folded(
    table: &RoundedTable,
    input: WordFormat,
    output: WordFormat,
    rounding: Rounding,
    overflow: Overflow,
) -> Result<Datapath, BuildError> {
    const STRUCTURE: &str = "fir-folded";
    let taps = one_row(STRUCTURE, table)?;
    let second = mirror_sign(STRUCTURE, table)?;
    let mut distinct: Vec<usize> = (0..taps / 2).collect();
    let middle = (taps % 2 == 1).then_some(taps / 2);
    // Opposite halves leave nothing in the middle.
    let middle = middle.filter(|_| second == Sign::Plus);
    distinct.extend(middle);
    let pairs = Pairs { second, stride: 1, count: taps / 2, middle };
    let words = TapWords { input, output, rounding, overflow };
    folded(STRUCTURE, table, distinct, pairs, words)
}

/// A half-band filter folded, its zeros skipped: of 4m + 3 taps the m + 1 that differ and the one in the
/// middle are multiplied.
///
/// `table` holds one row of 4m + 3 taps, symmetric as integers, whose every second tap from the middle is
/// zero.
///
/// # Errors
/// [`BuildError`] for a table of another shape, taps that are no mirror images or not zero where they must
/// be, or a sum that needs more than 64 bits.
///
/// ```
/// use mellow_rake::datapath::fir_skip_zeros;
/// use mellow_rake::fixed::{Overflow, Rounding, round_coefficients};
/// let taps = [-0.03125, 0.0, 0.28125, 0.5, 0.28125, 0.0, -0.03125];
/// let table = round_coefficients(&[taps.to_vec()], "s16f15".parse()?)?;
/// let word = "s16f15".parse()?;
/// let half = fir_skip_zeros(&table, word, word, Rounding::HalfUp, Overflow::Saturate)?.check()?;
/// assert_eq!(half.cost().multiplies_per_sample, 3);
/// # Ok::<(), Box<dyn std::error::Error>>(())
/// ```
pub fn fir_skip_zeros(
    table: &RoundedTable,
    input: WordFormat,
    output: WordFormat,
    rounding: Rounding,
    overflow: Overflow,
) -> Result<Datapath, BuildError> {
    const STRUCTURE: &str = "fir-skip-zeros";
    let taps = one_row(STRUCTURE, table)?;
    if taps % 4 != 3 {
        let needed = "one row of 4m + 3 taps, so that the outermost are not zero";
        return Err(BuildError::Shape { structure: STRUCTURE, needed, rows: 1, columns: taps });
    }
    let row = &table.rows[0];
    if let Sign::Minus = mirror_sign(STRUCTURE, table)? {
        return Err(BuildError::NotMirrored { structure: STRUCTURE, tap: 0, other: taps - 1 });
    }
    let middle = taps / 2;
    // The middle is odd, so the zeros stand at the odd places besides it.
    if let Some(tap) = (1..taps).step_by(2).find(|tap| *tap != middle && row[*tap] != 0) {
        return Err(BuildError::NotHalfBand { tap, found: row[tap] });
    }
    let mut distinct: Vec<usize> = (0..middle).step_by(2).collect();
    let pairs =
        Pairs { second: Sign::Plus, stride: 2, count: distinct.len(), middle: Some(middle) };
    distinct.push(middle);
    folded(STRUCTURE, table, distinct, pairs, TapWords { input, output, rounding, overflow })
}

/// Whether each tap is its mirror image, or the opposite of it.
fn mirror_sign(structure: &'static str, table: &RoundedTable) -> Result<Sign, BuildError> {
    let last = table.rows[0].len() - 1;
    let value = |k: usize| i128::from(table.rows[0][k]) << table.exponent(0, k).min(63);
    let exponent = |k: usize| table.exponent(0, k);
    if last == 0 {
        let needed = "two taps or more";
        return Err(BuildError::Shape { structure, needed, rows: 1, columns: 1 });
    }
    // A pair shares one coefficient with its exponent.
    let differs = |sign: i128| {
        let is_other =
            |k: &usize| value(*k) != sign * value(last - k) || exponent(*k) != exponent(last - k);
        (0..=last).find(is_other)
    };
    match (differs(1), differs(-1)) {
        (None, _) => Ok(Sign::Plus),
        (_, None) => Ok(Sign::Minus),
        (Some(one), Some(other)) => {
            // The kind that holds longer is the one that was meant.
            let tap = one.max(other);
            Err(BuildError::NotMirrored { structure, tap, other: last - tap })
        }
    }
}

/// Which words share a tap.
struct Pairs {
    second: Sign,
    stride: usize,
    count: usize,
    /// The tap that stands by itself.
    middle: Option<usize>,
}

fn folded(
    structure: &'static str,
    table: &RoundedTable,
    distinct: Vec<usize>,
    pairs: Pairs,
    words: TapWords,
) -> Result<Datapath, BuildError> {
    let (index, line, row) = (TableIndex(0), LineIndex(0), Row::Fixed(0));
    let mut terms = vec![Term::Folded(Fold {
        second: pairs.second,
        table: index,
        table_row: row,
        column: 0,
        line,
        line_row: row,
        age: 0,
        mirror: table.rows[0].len() - 1,
        stride: pairs.stride,
        count: pairs.count,
        products: None,
    })];
    terms.extend(pairs.middle.map(|age| Term::Dot {
        sign: Sign::Plus,
        table: index,
        table_row: row,
        column: pairs.count,
        line,
        line_row: row,
        age,
        count: 1,
        products: None,
    }));
    let held = Held { holds: Coefficients::TapsFolded, taps: distinct, terms };
    over_line(structure, table, held, words)
}
