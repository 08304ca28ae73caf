//! Half the sum or difference of two all-passes.

use super::cascade::Section;
use super::{BuildError, Program, StateWords, SumSize, largest};
use crate::datapath::{
    Block, Coefficients, Datapath, Line, LineIndex, Node, Operation, Row, Sign, Table, TableIndex,
    Term,
};
use crate::fixed::{RoundedTable, WordFormat};

/// The coefficients of two branches of all-passes.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct AllPassWords {
    /// The format of all coefficients.
    pub format: WordFormat,
    /// One row for each all-pass of a branch: a1, a2 of the second order, a1 alone of the first.
    pub branches: [Vec<Vec<i64>>; 2],
    /// Whether each branch is added or subtracted.
    pub signs: [Sign; 2],
}

/// The names of the tables and lines of a branch: those of its sections of second order and of its one of
/// first order.
const NAMES: [[[&str; 3]; 2]; 2] = [
    [["first", "first_x", "first_y"], ["first_single", "first_single_x", "first_single_y"]],
    [["second", "second_x", "second_y"], ["second_single", "second_single_x", "second_single_y"]],
];

/// What is being written.
struct Writer {
    program: Program,
    operations: Vec<(Node, Operation)>,
    tables: Vec<Table>,
    lines: Vec<Line>,
    format: WordFormat,
    words: StateWords,
}

/// y\[n\] = (±A₁ ± A₂)/2 of the input: two branches of all-passes side by side (P. P. Vaidyanathan, S. K.
/// Mitra & Y. Neuvo, "A new approach to the realization of low-sensitivity IIR digital filters", 1986).
///
/// Each all-pass multiplies differences, y = a2·(x − y\[n−2\]) + a1·(x\[n−1\] − y\[n−1\]) + x\[n−2\] or a1·(x
/// − y\[n−1\]) + x\[n−1\], and so stays an all-pass whatever the roundings of its coefficients: the pass-band
/// can never exceed 1, and hardly falls below it. All words of the branches are rounded and limited to the
/// format of the states, the sum to the output.
///
/// # Errors
/// [`BuildError`] for rows of another shape, more than one all-pass of first order in a branch, or a sum that
/// needs more than 64 bits.
///
/// ```
/// use mellow_rake::datapath::{AllPassWords, SectionWords, Sign, Simulator, StateWords, all_pass_sum};
/// use mellow_rake::fixed::{Overflow, Rounding};
/// let word = "s16f15".parse()?;
/// let sections = SectionWords { input: word, output: word, rounding: Rounding::HalfUp,
///     overflow: Overflow::Saturate };
/// let words = StateWords { sections, state: "s20f17".parse()? };
/// // (z⁻¹ + 1)/2: an all-pass with a pole at the origin beside nothing.
/// let branches = AllPassWords { format: "s8f6".parse()?, branches: [vec![vec![0]], vec![]],
///     signs: [Sign::Plus; 2] };
/// let mean = all_pass_sum(&branches, words)?.check()?;
/// assert_eq!(Simulator::new(&mean).run(&[800, 0, 200, 0]), [400, 400, 100, 100]);
/// # Ok::<(), Box<dyn std::error::Error>>(())
/// ```
pub fn all_pass_sum(words_of: &AllPassWords, words: StateWords) -> Result<Datapath, BuildError> {
    const STRUCTURE: &str = "all-pass-sum";
    let AllPassWords { format, branches, signs } = words_of;
    let mut writer = Writer {
        program: Program::default(),
        operations: Vec::new(),
        tables: Vec::new(),
        lines: Vec::new(),
        format: *format,
        words,
    };
    let StateWords { sections, state } = words;
    let input = writer.program.push(&mut writer.operations, Operation::INPUT);
    let first = writer.section(Row::Fixed(0), input).deliver(input, state, &sections);
    let mut ends = [first; 2];
    for ((rows, names), end) in branches.iter().zip(NAMES).zip(&mut ends) {
        let (pairs, single): (Vec<&Vec<i64>>, Vec<&Vec<i64>>) =
            rows.iter().partition(|row| row.len() == 2);
        if single.len() > 1 || single.iter().any(|row| row.len() != 1) {
            let needed = "rows of 2 (a1, a2) and at most one of 1 (a1) in each branch";
            let (rows, columns) = (rows.len(), single[0].len());
            return Err(BuildError::Shape { structure: STRUCTURE, needed, rows, columns });
        }
        for (rows, names) in [pairs, single].into_iter().zip(names) {
            if !rows.is_empty() {
                let rows = rows.into_iter().cloned().collect();
                let table = RoundedTable::new(*format, rows);
                *end = writer.sections(STRUCTURE, table, names, *end)?;
            }
        }
    }
    let terms = ends.iter().zip(signs).map(|(word, sign)| Term::word(*sign, *word));
    let both = SumSize { fraction: state.fraction(), size: 2 * largest(state).0 };
    let format = both.accumulator(STRUCTURE, state, words_of.format)?;
    let terms = terms.collect();
    // Half: the integer 1 with one fraction bit.
    let half = WordFormat::new(true, 2, 1).map_err(|_| BuildError::Shape {
        structure: STRUCTURE,
        needed: "a half",
        rows: 0,
        columns: 0,
    })?;
    let table = TableIndex(writer.tables.len());
    let rows = RoundedTable::new(half, vec![vec![1]]);
    writer.tables.push(Table::of("half", Coefficients::Half, &rows));
    let row = Row::Fixed(0);
    let mut section = writer.section(row, input);
    let word = section.push(Operation::Accumulate { terms, format });
    let word = section.push(Operation::Product { table, row, column: 0, word });
    let result = section.deliver(word, sections.output, &sections);
    let Writer { operations, tables, lines, .. } = writer;
    let body = Block { operations, result };
    Ok(Datapath::per_sample([sections.input, sections.output], tables, lines, body))
}

impl Writer {
    fn section(&mut self, row: Row, word: Node) -> Section<'_> {
        Section { program: &mut self.program, operations: &mut self.operations, row, word }
    }

    /// All-passes of the same order one after the other; several run in a loop.
    fn sections(
        &mut self,
        structure: &'static str,
        table: RoundedTable,
        [name, x, y]: [&'static str; 3],
        first: Node,
    ) -> Result<Node, BuildError> {
        let StateWords { sections: words, state } = self.words;
        let (passes, order) = (table.rows.len(), table.rows[0].len());
        // Differences have a bit more than what they are taken of.
        let pair = SumSize { fraction: state.fraction(), size: 2 * largest(state).0 };
        let pair = pair.accumulator(structure, state, self.format)?;
        let sum = SumSize::of(&table, &[(0..order, pair)]).and(&[largest(state)]);
        let sum = sum.accumulator(structure, state, self.format)?;
        let index = TableIndex(self.tables.len());
        let lines = [LineIndex(self.lines.len()), LineIndex(self.lines.len() + 1)];
        self.tables.push(Table::of(name, Coefficients::AllPass, &table));
        self.lines.extend([x, y].map(|name| Line {
            name,
            format: state,
            rows: passes,
            depth: order,
        }));
        let looped = passes > 1;
        let row = if looped { Row::Pass } else { Row::Fixed(0) };
        let repeat = Node(self.program.next);
        self.program.next += u32::from(looped);
        let mut inner = Vec::new();
        let operations = if looped { &mut inner } else { &mut self.operations };
        let mut section = Section { program: &mut self.program, operations, row, word: first };
        let word = if looped { section.push(Operation::Carried) } else { first };
        section.push(Operation::Store { line: lines[0], row, word });
        let tap = |section: &mut Section<'_>, which: usize, age: usize| {
            section.push(Operation::Tap { line: lines[which], row, age })
        };
        let oldest = tap(&mut section, 0, order);
        let mut terms = vec![Term::word(Sign::Plus, oldest)];
        // a_k meets x[n − (N − k)] − y[n − k].
        for age in 1..=order {
            let newer = tap(&mut section, 0, order - age);
            let fed_back = tap(&mut section, 1, age);
            let difference = vec![Term::word(Sign::Plus, newer), Term::word(Sign::Minus, fed_back)];
            let word = section.push(Operation::Accumulate { terms: difference, format: pair });
            let product = Operation::Product { table: index, row, column: age - 1, word };
            let word = section.push(product);
            terms.push(Term::word(Sign::Plus, word));
        }
        let total = section.push(Operation::Accumulate { terms, format: sum });
        let result = section.deliver(total, state, &words);
        section.push(Operation::Store { line: lines[1], row, word: result });
        if !looped {
            return Ok(result);
        }
        let body = Block { operations: inner, result };
        self.operations.push((repeat, Operation::Repeat { passes, first, body }));
        Ok(repeat)
    }
}
