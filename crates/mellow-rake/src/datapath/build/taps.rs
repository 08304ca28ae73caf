//! Finite impulse responses.

use super::{BuildError, Program, SumSize, deliver};
use crate::datapath::{
    Block, Coefficients, Datapath, Line, LineIndex, Node, Operation, Row, Sign, Table, TableIndex,
    Term,
};
use crate::fixed::{Overflow, RoundedTable, Rounding, WordFormat};

/// A finite impulse response in direct form: one dot product over a delay line.
///
/// `table` holds one row with the taps, h\[0\] first. All products are added in one
/// accumulator, wide enough for any input; one rounding, one limit:
/// y\[n\] = limit(round(Σ h\[k\]·x\[n−k\])).
///
/// # Errors
/// [`BuildError`] for a table of another shape or a sum that needs more than 64 bits.
pub fn fir_direct(
    table: &RoundedTable,
    input: WordFormat,
    output: WordFormat,
    rounding: Rounding,
    overflow: Overflow,
) -> Result<Datapath, BuildError> {
    const STRUCTURE: &str = "fir-direct";
    let count = one_row(STRUCTURE, table)?;
    let row = Row::Fixed(0);
    let terms = vec![Term::Dot {
        sign: Sign::Plus,
        table: TableIndex(0),
        table_row: row,
        column: 0,
        line: LineIndex(0),
        line_row: row,
        age: 0,
        count,
        products: None,
    }];
    let held = Held { holds: Coefficients::Taps, taps: (0..count).collect(), terms };
    over_line(STRUCTURE, table, held, TapWords { input, output, rounding, overflow })
}

/// The words of taps and what is done to them.
pub(super) struct TapWords {
    pub(super) input: WordFormat,
    pub(super) output: WordFormat,
    pub(super) rounding: Rounding,
    pub(super) overflow: Overflow,
}

/// What a program holds of its taps, and the sum that it makes with them.
pub(super) struct Held {
    pub(super) holds: Coefficients,
    /// By their numbers.
    pub(super) taps: Vec<usize>,
    /// Of the first table and the first line, which holds the inputs.
    pub(super) terms: Vec<Term>,
}

/// Some of the taps of a table in rows, each with its exponent; beyond the last there are zeros.
pub(super) fn picked(table: &RoundedTable, rows: &[Vec<usize>]) -> RoundedTable {
    let tap = |k: &usize| table.rows[0].get(*k).copied().unwrap_or(0);
    let exponents = |row: &Vec<usize>| row.iter().map(|k| table.exponent(0, *k)).collect();
    let has_exponents = !table.exponents.is_empty();
    RoundedTable {
        format: table.format,
        exponents: rows.iter().filter(|_| has_exponents).map(exponents).collect(),
        rows: rows.iter().map(|row| row.iter().map(tap).collect()).collect(),
    }
}

/// One sum over a delay line, rounded and limited once; its accumulator is wide enough for all taps in
/// `table`.
pub(super) fn over_line(
    structure: &'static str,
    table: &RoundedTable,
    held: Held,
    words: TapWords,
) -> Result<Datapath, BuildError> {
    let TapWords { input, output, rounding, overflow } = words;
    let taps = table.rows[0].len();
    let format =
        SumSize::of(table, &[(0..taps, input)]).accumulator(structure, input, table.format)?;
    let mut program = Program::default();
    let mut operations = Vec::new();
    let word = program.push(&mut operations, Operation::INPUT);
    let (line, row) = (LineIndex(0), Row::Fixed(0));
    program.push(&mut operations, Operation::Store { line, row, word });
    let terms = held.terms;
    let sum = program.push(&mut operations, Operation::Accumulate { terms, format });
    let result = deliver(&mut program, &mut operations, sum, output, rounding, overflow);
    Ok(Datapath::per_sample(
        [input, output],
        vec![Table::of("taps", held.holds, &picked(table, &[held.taps]))],
        vec![Line { name: "x", format: input, rows: 1, depth: taps - 1 }],
        Block { operations, result },
    ))
}

/// The number of taps of a table of one row.
pub(super) fn one_row(structure: &'static str, table: &RoundedTable) -> Result<usize, BuildError> {
    let taps = table.rows.first().map_or(0, Vec::len);
    if table.rows.len() == 1 && taps > 0 {
        return Ok(taps);
    }
    Err(BuildError::Shape {
        structure,
        needed: "one row with at least one tap",
        rows: table.rows.len(),
        columns: taps,
    })
}

/// A finite impulse response in transposed form: the input is multiplied by all taps at once, and partial
/// sums move from register to register: s_k\[n\] = s_{k+1}\[n−1\] + h\[k\]·x\[n\], y\[n\] =
/// limit(round(s_0\[n\])).
///
/// The registers hold exact sums, as wide as the accumulator of the direct form: the output is the same,
/// integer for integer. Short chains of additions are what fabrics like. `table` holds one row with two taps
/// or more, h\[0\] first.
///
/// # Errors
/// [`BuildError`] for a table of another shape or a sum that needs more than 64 bits.
///
/// ```
/// use mellow_rake::datapath::{Simulator, fir_direct, fir_transposed};
/// use mellow_rake::fixed::{Overflow, Rounding, round_coefficients};
/// let taps = round_coefficients(&[vec![0.5, 0.25, -0.125]], "s16f15".parse()?)?;
/// let word = "s16f15".parse()?;
/// let (rounding, overflow) = (Rounding::HalfUp, Overflow::Saturate);
/// let one = fir_direct(&taps, word, word, rounding, overflow)?.check()?;
/// let other = fir_transposed(&taps, word, word, rounding, overflow)?.check()?;
/// let input = [100, -7, 32767, 3, 0, 0];
/// assert_eq!(Simulator::new(&one).run(&input), Simulator::new(&other).run(&input));
/// # Ok::<(), Box<dyn std::error::Error>>(())
/// ```
pub fn fir_transposed(
    table: &RoundedTable,
    input: WordFormat,
    output: WordFormat,
    rounding: Rounding,
    overflow: Overflow,
) -> Result<Datapath, BuildError> {
    const STRUCTURE: &str = "fir-transposed";
    let taps = one_row(STRUCTURE, table)?;
    if taps < 2 {
        return Err(BuildError::Shape {
            structure: STRUCTURE,
            needed: "two taps or more",
            rows: 1,
            columns: taps,
        });
    }
    let accumulator =
        SumSize::of(table, &[(0..taps, input)]).accumulator(STRUCTURE, input, table.format)?;
    // Pass j works on tap N − 1 − j, so the table runs backward; the first tap follows behind the loop.
    let rows: Vec<Vec<usize>> = (0..taps).rev().map(|tap| vec![tap]).collect();
    let (table_index, line) = (TableIndex(0), LineIndex(0));
    let mut program = Program::default();
    let (mut outer, mut inner) = (Vec::new(), Vec::new());
    let x = program.push(&mut outer, Operation::INPUT);
    let word = |word| Term::word(Sign::Plus, word);
    // Nothing comes before the last register.
    let zero =
        program.push(&mut outer, Operation::Accumulate { terms: Vec::new(), format: accumulator });
    let repeat = Node(program.next);
    program.next += 1;
    let carried = program.push(&mut inner, Operation::Carried);
    let product = Operation::Product { table: table_index, row: Row::Pass, column: 0, word: x };
    let product = program.push(&mut inner, product);
    let terms = vec![word(carried), word(product)];
    let sum = program.push(&mut inner, Operation::Accumulate { terms, format: accumulator });
    // What this register held goes on to the next one; what it holds now is kept for the next sample.
    let old = program.push(&mut inner, Operation::Tap { line, row: Row::Pass, age: 1 });
    program.push(&mut inner, Operation::Store { line, row: Row::Pass, word: sum });
    let body = Block { operations: inner, result: old };
    outer.push((repeat, Operation::Repeat { passes: taps - 1, first: zero, body }));
    let row = Row::Fixed(taps - 1);
    let product = Operation::Product { table: table_index, row, column: 0, word: x };
    let product = program.push(&mut outer, product);
    let terms = vec![word(repeat), word(product)];
    let sum = program.push(&mut outer, Operation::Accumulate { terms, format: accumulator });
    let result = deliver(&mut program, &mut outer, sum, output, rounding, overflow);
    Ok(Datapath::per_sample(
        [input, output],
        vec![Table::of("taps", Coefficients::TapsBackward, &picked(table, &rows))],
        vec![Line { name: "sums", format: accumulator, rows: taps - 1, depth: 1 }],
        Block { operations: outer, result },
    ))
}
