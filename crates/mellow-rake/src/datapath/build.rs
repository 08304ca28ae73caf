//! Builders: one per structure. A builder states the program of a structure and nothing else.

use super::{
    Block, Coefficients, Datapath, Line, LineIndex, Node, Operation, Row, Sign, Table, TableIndex,
    Term,
};
use crate::fixed::{Overflow, RoundedTable, Rounding, WordFormat};

/// Why a structure cannot be built from these coefficients and formats.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
#[non_exhaustive]
pub enum BuildError {
    /// The table of coefficients has the wrong shape.
    #[error("{structure} needs {needed}; the table has {rows} rows of {columns} coefficients")]
    Shape {
        /// The structure.
        structure: &'static str,
        /// The shape that it needs.
        needed: &'static str,
        /// Rows found.
        rows: usize,
        /// Coefficients per row found.
        columns: usize,
    },
    /// The sum of products needs more bits than an accumulator may have.
    #[error(
        "the accumulator of {structure} needs {needed} bits for {data} data and {coefficients} coefficients; \
         at most 64 are there, so {over} bits fewer, in coefficients or data, would fit"
    )]
    Accumulator {
        /// The structure.
        structure: &'static str,
        /// Bits needed.
        needed: u32,
        /// The widest data format.
        data: WordFormat,
        /// The format of the coefficients.
        coefficients: WordFormat,
        /// Bits too many.
        over: u32,
    },
    /// A word that is carried from section to section must hold the input.
    #[error(
        "in a cascade the input is carried in the output format: {output} cannot hold all of {input}; \
         give the output at least as many whole and fraction bits as the input"
    )]
    Carry {
        /// The input format.
        input: WordFormat,
        /// The output format.
        output: WordFormat,
    },
}

/// The words of a recursive structure and what is done to them.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct SectionWords {
    /// What comes in.
    pub input: WordFormat,
    /// What goes out, and what the feedback remembers.
    pub output: WordFormat,
    /// How products' sums are brought to the fraction of the output.
    pub rounding: Rounding,
    /// What happens when they do not fit the output.
    pub overflow: Overflow,
}

/// Operations with rising numbers.
#[derive(Default)]
struct Program {
    next: u32,
}

impl Program {
    fn push(&mut self, to: &mut Vec<(Node, Operation)>, operation: Operation) -> Node {
        let node = Node(self.next);
        self.next += 1;
        to.push((node, operation));
        node
    }
}

/// The largest size of any partial sum of products, in steps of the finest product.
struct SumSize {
    fraction: i32,
    size: i128,
}

impl SumSize {
    /// For terms given as (coefficients, format of the words that they meet).
    fn of(table: &RoundedTable, terms: &[(std::ops::Range<usize>, WordFormat)]) -> SumSize {
        let fraction = terms.iter().map(|(_, word)| word.fraction()).max().unwrap_or(0)
            + table.format.fraction();
        let row_size = |row: &Vec<i64>| {
            terms.iter().fold(0i128, |size, (columns, word)| {
                let shift = (fraction - table.format.fraction() - word.fraction()).min(126) as u32;
                let largest =
                    word.minimum().abs().max(word.maximum()).saturating_mul(1i128 << shift);
                row[columns.clone()].iter().fold(size, |size, c| {
                    size.saturating_add(i128::from(c.unsigned_abs()).saturating_mul(largest))
                })
            })
        };
        let size = table.rows.iter().map(row_size).max().unwrap_or(0);
        SumSize { fraction, size }
    }

    /// The accumulator that holds the sum by this proof.
    fn accumulator(
        &self,
        structure: &'static str,
        data: WordFormat,
        coefficients: WordFormat,
    ) -> Result<WordFormat, BuildError> {
        let needed = 129 - self.size.leading_zeros();
        WordFormat::holding(-self.size.max(1), self.size, self.fraction).ok_or(
            BuildError::Accumulator {
                structure,
                needed,
                data,
                coefficients,
                over: needed.saturating_sub(64),
            },
        )
    }
}

/// A sum brought to the output: rounded to its fraction, then limited to its width.
fn deliver(
    program: &mut Program,
    operations: &mut Vec<(Node, Operation)>,
    sum: Node,
    output: WordFormat,
    rounding: Rounding,
    overflow: Overflow,
) -> Node {
    let rounded = program
        .push(operations, Operation::Round { word: sum, fraction: output.fraction(), rounding });
    program.push(operations, Operation::Limit { word: rounded, format: output, overflow })
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
    let sections = table.rows.len();
    if sections == 0 || table.rows.iter().any(|row| row.len() != 5) {
        return Err(BuildError::Shape {
            structure: STRUCTURE,
            needed: "one row of 5 (b0, b1, b2, a1, a2) for each section",
            rows: sections,
            columns: table.rows.first().map_or(0, Vec::len),
        });
    }
    let SectionWords { input, output, rounding, overflow } = words;
    let whole = |f: WordFormat| i64::from(f.width()) - i64::from(f.fraction());
    let holds_input = output.fraction() >= input.fraction()
        && (output.is_signed() || !input.is_signed())
        && whole(output) - i64::from(output.is_signed())
            >= whole(input) - i64::from(input.is_signed());
    if sections > 1 && !holds_input {
        return Err(BuildError::Carry { input, output });
    }
    let incoming = if sections > 1 { output } else { input };
    let size = SumSize::of(table, &[(0..3, incoming), (3..5, output)]);
    let wider = if incoming.width() > output.width() { incoming } else { output };
    let accumulator = size.accumulator(STRUCTURE, wider, table.format)?;

    let mut program = Program::default();
    let mut outer = Vec::new();
    let mut inner = Vec::new();
    let (table_index, x, y) = (TableIndex(0), LineIndex(0), LineIndex(1));
    let row = if sections > 1 { Row::Pass } else { Row::Fixed(0) };

    let first = program.push(&mut outer, Operation::Input);
    let arriving = if sections > 1 && input != output {
        let word = first;
        let aligned = program
            .push(&mut outer, Operation::Round { word, fraction: output.fraction(), rounding });
        program.push(&mut outer, Operation::Limit { word: aligned, format: output, overflow })
    } else {
        first
    };
    let looped = sections > 1;
    // The loop's own number stands before those of its body.
    let repeat = Node(program.next);
    if looped {
        program.next += 1;
    }
    let operations = if looped { &mut inner } else { &mut outer };
    let word = if looped { program.push(operations, Operation::Carried) } else { arriving };
    program.push(operations, Operation::Store { line: x, row, word });
    let dot = |sign, column, line, age, count| Term::Dot {
        sign,
        table: table_index,
        table_row: row,
        column,
        line,
        line_row: row,
        age,
        count,
    };
    let terms = vec![dot(Sign::Plus, 0, x, 0, 3), dot(Sign::Minus, 3, y, 1, 2)];
    let sum = program.push(operations, Operation::Accumulate { terms, format: accumulator });
    let result = deliver(&mut program, operations, sum, output, rounding, overflow);
    program.push(operations, Operation::Store { line: y, row, word: result });
    let result = if looped {
        let body = Block { operations: inner, result };
        outer.push((repeat, Operation::Repeat { passes: sections, first: arriving, body }));
        repeat
    } else {
        result
    };

    let coefficients = Table {
        name: "section",
        holds: Coefficients::Sections,
        format: table.format,
        rows: table.rows.clone(),
    };
    Ok(Datapath {
        input,
        output,
        tables: vec![coefficients],
        lines: vec![
            Line { name: "x", format: incoming, rows: sections, depth: 2 },
            Line { name: "y", format: output, rows: sections, depth: 2 },
        ],
        body: Block { operations: outer, result },
    })
}

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
    let taps = table.rows.first().map_or(0, Vec::len);
    if table.rows.len() != 1 || taps == 0 {
        return Err(BuildError::Shape {
            structure: STRUCTURE,
            needed: "one row with at least one tap",
            rows: table.rows.len(),
            columns: taps,
        });
    }
    let size = SumSize::of(table, &[(0..taps, input)]);
    let accumulator = size.accumulator(STRUCTURE, input, table.format)?;
    let mut program = Program::default();
    let mut operations = Vec::new();
    let word = program.push(&mut operations, Operation::Input);
    let (line, row) = (LineIndex(0), Row::Fixed(0));
    program.push(&mut operations, Operation::Store { line, row, word });
    let terms = vec![Term::Dot {
        sign: Sign::Plus,
        table: TableIndex(0),
        table_row: row,
        column: 0,
        line,
        line_row: row,
        age: 0,
        count: taps,
    }];
    let sum = program.push(&mut operations, Operation::Accumulate { terms, format: accumulator });
    let result = deliver(&mut program, &mut operations, sum, output, rounding, overflow);
    Ok(Datapath {
        input,
        output,
        tables: vec![Table {
            name: "taps",
            holds: Coefficients::Taps,
            format: table.format,
            rows: table.rows.clone(),
        }],
        lines: vec![Line { name: "x", format: input, rows: 1, depth: taps - 1 }],
        body: Block { operations, result },
    })
}
