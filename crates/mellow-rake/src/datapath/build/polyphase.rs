//! Changes of the sample rate by whole factors, at the lower rate: polyphase decimators and interpolators.

use super::taps::{one_row, picked};
use super::{BuildError, Program, SumSize, deliver};
use crate::datapath::{
    Block, Coefficients, Datapath, Line, LineIndex, Node, Operation, Port, Row, Sign, Table,
    TableIndex, Term,
};
use crate::fixed::{Overflow, RoundedTable, Rounding, WordFormat};

const LINE: LineIndex = LineIndex(0);
const TABLE: TableIndex = TableIndex(0);

/// A low-pass of given taps and a decimator behind it, as M polyphase branches: of every M outputs of the
/// filter the last is kept, and the others are not computed.
///
/// A firing takes `factor` samples, the oldest first, and gives one: y\[m\] = limit(round(Σ h\[k\]·x\[M·m +
/// M − 1 − k\])). Branch i holds the words number i of all firings and every M-th tap, h\[M − 1 − i + M·a\]
/// for the word of age a (M. Bellanger, G. Bonnerot & M. Coudreuse, "Digital filtering by polyphase network",
/// 1976). All products are added in one accumulator, wide enough for any input.
///
/// `table` holds one row with the taps, h\[0\] first.
///
/// # Errors
/// [`BuildError`] for a table of another shape, a factor below 2 or beyond the number of taps, or a sum that
/// needs more than 64 bits.
///
/// ```
/// use mellow_rake::datapath::{Simulator, fir_decimator};
/// use mellow_rake::fixed::{Overflow, Rounding, round_coefficients};
/// let word = "s16f15".parse()?;
/// let taps = round_coefficients(&[vec![0.25, 0.5, 0.25]], "s16f15".parse()?)?;
/// let (rounding, overflow) = (Rounding::HalfUp, Overflow::Saturate);
/// let halve = fir_decimator(&taps, 2, word, word, rounding, overflow)?.check()?;
/// // One output for two inputs: 50 + 50, 25 + 100 + 75.
/// assert_eq!(Simulator::new(&halve).run(&[100, 200, 200, 300]), [100, 225]);
/// # Ok::<(), Box<dyn std::error::Error>>(())
/// ```
pub fn fir_decimator(
    table: &RoundedTable,
    factor: usize,
    input: WordFormat,
    output: WordFormat,
    rounding: Rounding,
    overflow: Overflow,
) -> Result<Datapath, BuildError> {
    const STRUCTURE: &str = "fir-decimator";
    let taps = check(STRUCTURE, table, factor)?;
    let phases = phases(table, factor, |phase| factor - 1 - phase);
    let sum = SumSize::of(table, &[(0..taps, input)]);
    let format = sum.accumulator(STRUCTURE, input, table.format)?;
    let mut program = Program::default();
    let (mut outer, mut inner) = (Vec::new(), Vec::new());
    let first = program.push(&mut outer, Operation::Accumulate { terms: Vec::new(), format });
    let repeat = Node(program.next);
    program.next += 1;
    let carried = program.push(&mut inner, Operation::Carried);
    let word = program.push(&mut inner, Operation::Input { port: 0, at: Row::Pass });
    program.push(&mut inner, Operation::Store { line: LINE, row: Row::Pass, word });
    let count = taps.div_ceil(factor);
    let terms = vec![Term::word(Sign::Plus, carried), branch(Row::Pass, Row::Pass, count)];
    let result = program.push(&mut inner, Operation::Accumulate { terms, format });
    let body = Block { operations: inner, result };
    outer.push((repeat, Operation::Repeat { passes: factor, first, body }));
    let word = deliver(&mut program, &mut outer, repeat, output, rounding, overflow);
    program.push(&mut outer, Operation::Deliver { port: 0, at: Row::Fixed(0), word });
    Ok(Datapath {
        inputs: vec![Port { format: input, count: factor }],
        outputs: vec![Port::one(output)],
        tables: vec![Table::of("taps", Coefficients::Phases, &phases)],
        lines: vec![Line { name: "x", format: input, rows: factor, depth: count - 1 }],
        body: outer,
    })
}

/// An interpolator and a low-pass of given taps behind it, as L polyphase branches: the zeros that the
/// interpolator would put between the samples are not multiplied.
///
/// A firing takes one sample and gives `factor`: y\[L·n + j\] = limit(round(Σ h\[j + L·a\]·x\[n − a\])), one
/// branch for each j (M. Bellanger, G. Bonnerot & M. Coudreuse, "Digital filtering by polyphase network",
/// 1976). For a gain of 1 the taps add up to L. All branches read one delay line.
///
/// `table` holds one row with the taps, h\[0\] first.
///
/// # Errors
/// [`BuildError`] for a table of another shape, a factor below 2 or beyond the number of taps, or a sum that
/// needs more than 64 bits.
///
/// ```
/// use mellow_rake::datapath::{Simulator, fir_interpolator};
/// use mellow_rake::fixed::{Overflow, Rounding, round_coefficients};
/// let word = "s16f15".parse()?;
/// let taps = round_coefficients(&[vec![0.5, 1.0, 0.5]], "s18f16".parse()?)?;
/// let (rounding, overflow) = (Rounding::HalfUp, Overflow::Saturate);
/// let double = fir_interpolator(&taps, 2, word, word, rounding, overflow)?.check()?;
/// // Two outputs for each input: straight lines from sample to sample.
/// assert_eq!(Simulator::new(&double).run(&[100, 200, 300]), [50, 100, 150, 200, 250, 300]);
/// # Ok::<(), Box<dyn std::error::Error>>(())
/// ```
pub fn fir_interpolator(
    table: &RoundedTable,
    factor: usize,
    input: WordFormat,
    output: WordFormat,
    rounding: Rounding,
    overflow: Overflow,
) -> Result<Datapath, BuildError> {
    const STRUCTURE: &str = "fir-interpolator";
    let taps = check(STRUCTURE, table, factor)?;
    let phases = phases(table, factor, |phase| phase);
    let count = taps.div_ceil(factor);
    let sum = SumSize::of(&phases, &[(0..count, input)]);
    let format = sum.accumulator(STRUCTURE, input, table.format)?;
    let mut program = Program::default();
    let (mut outer, mut inner) = (Vec::new(), Vec::new());
    let word = program.push(&mut outer, Operation::INPUT);
    program.push(&mut outer, Operation::Store { line: LINE, row: Row::Fixed(0), word });
    let repeat = Node(program.next);
    program.next += 1;
    let terms = vec![branch(Row::Pass, Row::Fixed(0), count)];
    let sum = program.push(&mut inner, Operation::Accumulate { terms, format });
    let result = deliver(&mut program, &mut inner, sum, output, rounding, overflow);
    program.push(&mut inner, Operation::Deliver { port: 0, at: Row::Pass, word: result });
    // The branches hand nothing on.
    let carried = program.push(&mut inner, Operation::Carried);
    let body = Block { operations: inner, result: carried };
    outer.push((repeat, Operation::Repeat { passes: factor, first: word, body }));
    Ok(Datapath {
        inputs: vec![Port::one(input)],
        outputs: vec![Port { format: output, count: factor }],
        tables: vec![Table::of("taps", Coefficients::Phases, &phases)],
        lines: vec![Line { name: "x", format: input, rows: 1, depth: count - 1 }],
        body: outer,
    })
}

/// The number of taps, where there is at least one for each branch.
fn check(
    structure: &'static str,
    table: &RoundedTable,
    factor: usize,
) -> Result<usize, BuildError> {
    let taps = one_row(structure, table)?;
    match (2..=taps).contains(&factor) {
        true => Ok(taps),
        false => Err(BuildError::Factor { structure, factor, taps }),
    }
}

/// Σ table\[table_row\]\[a\] · line\[line_row\]\[a\].
fn branch(table_row: Row, line_row: Row, count: usize) -> Term {
    Term::Dot {
        sign: Sign::Plus,
        table: TABLE,
        table_row,
        column: 0,
        line: LINE,
        line_row,
        age: 0,
        count,
        products: None,
    }
}

/// Taps in branches: row i holds every so many-th, from the one that `first` names.
fn phases(table: &RoundedTable, factor: usize, first: impl Fn(usize) -> usize) -> RoundedTable {
    let count = table.rows[0].len().div_ceil(factor);
    let row = |i| (0..count).map(|age| first(i) + factor * age).collect();
    picked(table, &(0..factor).map(row).collect::<Vec<_>>())
}
