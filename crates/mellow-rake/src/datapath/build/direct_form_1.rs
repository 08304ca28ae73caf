//! Direct form I, as it is and with its rounding errors shaped.

use super::cascade::{cascade, shape};
use super::{BuildError, SectionWords, SumSize, largest};
use crate::datapath::{
    Coefficients, Datapath, Line, LineIndex, Operation, Row, Sign, Table, TableIndex, Term,
};
use crate::fixed::{RoundedTable, Rounding, WordFormat};

/// What a table of sections looks like.
pub(super) const SECTION_ROWS: &str = "one row of 5 (b0, b1, b2, a1, a2) for each section";

/// The table of the sections' coefficients.
pub(super) fn section_table(table: &RoundedTable) -> Table {
    Table::of("section", Coefficients::Sections, table)
}

/// Products of a row of the first table with the words of a line.
pub(super) fn dot(
    sign: Sign,
    table: TableIndex,
    column: usize,
    (line, row): (LineIndex, Row),
    age: usize,
    count: usize,
) -> Term {
    Term::Dot {
        sign,
        table,
        table_row: row,
        column,
        line,
        line_row: row,
        age,
        count,
        products: None,
    }
}

/// b0·x[n] + b1·x[n−1] + b2·x[n−2] − a1·y[n−1] − a2·y[n−2], from the first table.
fn difference_equation(x: LineIndex, y: LineIndex, row: Row) -> Vec<Term> {
    let coefficients = TableIndex(0);
    vec![
        dot(Sign::Plus, coefficients, 0, (x, row), 0, 3),
        dot(Sign::Minus, coefficients, 3, (y, row), 1, 2),
    ]
}

/// Second-order sections in direct form I, one after the other.
///
/// `table` holds one row per section: b0, b1, b2, a1, a2 of
/// H(z) = (b0 + b1 z⁻¹ + b2 z⁻²)/(1 + a1 z⁻¹ + a2 z⁻²). Each section adds five products in one
/// accumulator, wide enough for any input and any state, rounds once and limits once:
/// y\[n\] = limit(round(b0·x\[n\] + b1·x\[n−1\] + b2·x\[n−2\] − a1·y\[n−1\] − a2·y\[n−2\])).
///
/// # Errors
/// [`BuildError`] for a table of another shape, a sum that needs more than 64 bits, or a
/// cascade whose output format does not hold its input.
///
/// ```
/// use mellow_rake::datapath::{SectionWords, Simulator, direct_form_1};
/// use mellow_rake::fixed::{Overflow, Rounding, round_coefficients};
/// let table = round_coefficients(&[vec![0.5, 0.0, 0.0, -0.5, 0.0]], "s16f14".parse()?)?;
/// let word = "s16f15".parse()?;
/// let words = SectionWords {
///     input: word, output: word, rounding: Rounding::HalfUp, overflow: Overflow::Saturate,
/// };
/// let smoother = direct_form_1(&table, words)?.check()?;
/// let mut simulator = Simulator::new(&smoother);
/// assert_eq!([800, 0, 0, 0].map(|x| simulator.step(x)), [400, 200, 100, 50]);
/// # Ok::<(), Box<dyn std::error::Error>>(())
/// ```
pub fn direct_form_1(table: &RoundedTable, words: SectionWords) -> Result<Datapath, BuildError> {
    const STRUCTURE: &str = "direct-form-1";
    let (sections, incoming) = shape(STRUCTURE, SECTION_ROWS, table, 5, &words)?;
    let output = words.output;
    let size = SumSize::of(table, &[(0..3, incoming), (3..5, output)]);
    let wider = if incoming.width() > output.width() { incoming } else { output };
    let accumulator = size.accumulator(STRUCTURE, wider, table.format)?;
    let (x, y) = (LineIndex(0), LineIndex(1));
    let body = cascade(sections, &words, |section| {
        let (row, word) = (section.row, section.word);
        section.push(Operation::Store { line: x, row, word });
        let terms = difference_equation(x, y, row);
        let sum = section.push(Operation::Accumulate { terms, format: accumulator });
        let result = section.deliver(sum, output, &words);
        section.push(Operation::Store { line: y, row, word: result });
        result
    });
    Ok(Datapath::per_sample(
        [words.input, output],
        vec![section_table(table)],
        vec![
            Line { name: "x", format: incoming, rows: sections, depth: 2 },
            Line { name: "y", format: output, rows: sections, depth: 2 },
        ],
        body,
    ))
}

/// The whole numbers that shape the rounding errors of each section best: those nearest to the ones that
/// leave the least noise for a white error (W. E. Higgins & D. C. Munson, "Noise reduction strategies for
/// digital filters: error spectrum shaping versus the optimal linear state-space formulation", 1982, section
/// II): −a1/(1 + a2) for one, −a1 and −a2 for two.
///
/// ```
/// use mellow_rake::datapath::shaping;
/// use mellow_rake::fixed::round_coefficients;
/// // Poles at radius 0.99 near 0 Hz.
/// let slow = round_coefficients(&[vec![0.001, 0.0, 0.0, -1.97, 0.9801]], "s16f14".parse()?)?;
/// assert_eq!((shaping(&slow, 1), shaping(&slow, 2)), (vec![vec![1]], vec![vec![2, -1]]));
/// # Ok::<(), mellow_rake::fixed::QuantizeError>(())
/// ```
pub fn shaping(table: &RoundedTable, order: usize) -> Vec<Vec<i64>> {
    let row = |row: usize| {
        let mut poles = table.values(row).skip(3);
        shaping_numbers(std::array::from_fn(|_| poles.next().unwrap_or(0.0)), order)
    };
    (0..table.rows.len()).map(row).collect()
}

/// The whole numbers for one pair of poles.
pub(crate) fn shaping_numbers([a1, a2]: [f64; 2], order: usize) -> Vec<i64> {
    let near = |x: f64| if x.is_finite() { libm::rint(x).clamp(-2.0, 2.0) as i64 } else { 0 };
    match order {
        1 => vec![near(-a1 / (1.0 + a2))],
        _ => vec![near(-a1), near(-a2)],
    }
}

/// Direct form I whose rounding error is remembered and added to the next sums, `order` 1 or 2 samples long:
/// the noise at the output gets zeros where the poles amplify it.
///
/// With the sum v and its rounding r = round(v) the error e\[n\] = v\[n\] − r\[n\] is exact, and v\[n\] =
/// b0·x\[n\] + b1·x\[n−1\] + b2·x\[n−2\] − a1·y\[n−1\] − a2·y\[n−2\] + k1·e\[n−1\] + k2·e\[n−2\] with the
/// whole numbers of [`shaping`]; y\[n\] = limit(r\[n\]). Multiplications by them are shifts, if anything.
///
/// # Errors
/// [`BuildError`] as of [`direct_form_1`], and where no bits are dropped that could be remembered.
///
/// ```
/// use mellow_rake::datapath::{SectionWords, Simulator, direct_form_1_shaped};
/// use mellow_rake::fixed::{Overflow, Rounding, round_coefficients};
/// // y = 0.01·x + 0.99·y: a plain truncating filter of 16 bits stops short of the value of a constant.
/// let table = round_coefficients(&[vec![0.01, 0.0, 0.0, -0.99, 0.0]], "s16f14".parse()?)?;
/// let word = "s16f15".parse()?;
/// let words = SectionWords { input: word, output: word, rounding: Rounding::Floor,
///     overflow: Overflow::Saturate };
/// let shaped = direct_form_1_shaped(&table, words, 1)?.check()?;
/// let mut simulator = Simulator::new(&shaped);
/// let last = simulator.run(&[1000; 3000]).pop().unwrap();
/// assert!((last - 1000).abs() <= 2, "{last}");
/// # Ok::<(), Box<dyn std::error::Error>>(())
/// ```
pub fn direct_form_1_shaped(
    table: &RoundedTable,
    words: SectionWords,
    order: usize,
) -> Result<Datapath, BuildError> {
    const STRUCTURE: &str = "direct form I with error feedback";
    let (sections, incoming) = shape(STRUCTURE, SECTION_ROWS, table, 5, &words)?;
    let SectionWords { output, rounding, .. } = words;
    let order = order.clamp(1, 2);
    let rows = shaping(table, order);
    let size = SumSize::of(table, &[(0..3, incoming), (3..5, output)]);
    let dropped = size.fraction - output.fraction();
    if dropped < 1 {
        return Err(BuildError::NothingDropped { sum: size.fraction, output });
    }
    let wider = if incoming.width() > output.width() { incoming } else { output };
    let too_wide = BuildError::Accumulator {
        structure: STRUCTURE,
        needed: 65,
        data: wider,
        coefficients: table.format,
        over: 1,
    };
    // Rounding to one side leaves up to a whole step, to the nearest half of one.
    let bits = match rounding {
        Rounding::Floor | Rounding::TowardZero => dropped as u32 + 1,
        Rounding::HalfUp | Rounding::HalfEven | Rounding::HalfAway => (dropped as u32).max(1) + 1,
    };
    let error = WordFormat::new(true, bits, size.fraction).map_err(|_| too_wide)?;
    let most = rows.iter().map(|row| row.iter().map(|k| i128::from(k.abs())).sum::<i128>()).max();
    let fed = (largest(error).0 * most.unwrap_or(0), size.fraction);
    let accumulator = size.and(&[fed]).accumulator(STRUCTURE, wider, table.format)?;
    let (x, y, e) = (LineIndex(0), LineIndex(1), LineIndex(2));
    let body = cascade(sections, &words, |section| {
        let (row, word) = (section.row, section.word);
        section.push(Operation::Store { line: x, row, word });
        let mut terms = difference_equation(x, y, row);
        terms.push(dot(Sign::Plus, TableIndex(1), 0, (e, row), 1, order));
        let sum = section.push(Operation::Accumulate { terms, format: accumulator });
        let rounded =
            section.push(Operation::Round { word: sum, fraction: output.fraction(), rounding });
        let format = output;
        let limit = Operation::Limit { word: rounded, format, overflow: words.overflow };
        let result = section.push(limit);
        let terms = vec![Term::word(Sign::Plus, sum), Term::word(Sign::Minus, rounded)];
        let left = section.push(Operation::Accumulate { terms, format: error });
        section.push(Operation::Store { line: e, row, word: left });
        section.push(Operation::Store { line: y, row, word: result });
        result
    });
    let integers =
        WordFormat::new(true, 4, 0).map_err(|_| BuildError::NothingDropped { sum: 0, output })?;
    Ok(Datapath::per_sample(
        [words.input, output],
        vec![
            section_table(table),
            Table::of("shape", Coefficients::Shaping, &RoundedTable::new(integers, rows)),
        ],
        vec![
            Line { name: "x", format: incoming, rows: sections, depth: 2 },
            Line { name: "y", format: output, rows: sections, depth: 2 },
            Line { name: "e", format: error, rows: sections, depth: order },
        ],
        body,
    ))
}
