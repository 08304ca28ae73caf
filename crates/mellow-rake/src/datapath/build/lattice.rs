//! The lattice and ladder of Gray and Markel.

use super::cascade::{Section, cascade, shape};
use super::{BuildError, Program, StateWords, SumSize, largest};
use crate::datapath::{
    Block, Coefficients, Datapath, Line, LineIndex, Node, Operation, Row, Sign, Table, TableIndex,
    Term,
};
use crate::fixed::{RoundedTable, WordFormat};

/// Both tables of a lattice and ladder.
#[derive(Debug, Clone, Copy)]
pub struct LatticeTables<'a> {
    /// Reflection coefficients k_1, k_2, …, each of size below 1.
    pub reflection: &'a RoundedTable,
    /// Taps of the ladder v_0, v_1, …: one more in every row.
    pub ladder: &'a RoundedTable,
}

/// The formats of the three kinds of sums.
struct Sums {
    lattice: WordFormat,
    ladder: WordFormat,
    words: StateWords,
}

impl Sums {
    fn new(
        structure: &'static str,
        tables: LatticeTables<'_>,
        words: StateWords,
        incoming: WordFormat,
    ) -> Result<Self, BuildError> {
        let LatticeTables { reflection, ladder } = tables;
        let scaled = |(row, integers): (usize, &Vec<i64>)| {
            let each = integers.iter().enumerate();
            each.map(|(k, value)| vec![value << reflection.exponent(row, k)]).collect::<Vec<_>>()
        };
        let rows = reflection.rows.iter().enumerate().flat_map(scaled).collect();
        let single = RoundedTable::new(reflection.format, rows);
        let state = words.state;
        let arriving = [largest(state), largest(incoming)];
        let finest = arriving[0].1.max(arriving[1].1);
        let widest = arriving.iter().map(|(size, own)| size << (finest - own).min(63)).max();
        let lattice = SumSize::of(&single, &[(0..1, state)]).and(&[(widest.unwrap_or(0), finest)]);
        let columns = ladder.rows.first().map_or(0, Vec::len);
        Ok(Sums {
            lattice: lattice.accumulator(structure, state, reflection.format)?,
            ladder: SumSize::of(ladder, &[(0..columns, state)]).accumulator(
                structure,
                state,
                ladder.format,
            )?,
            words,
        })
    }

    /// One stage: from f_m and the remembered g_{m−1} to f_{m−1} and g_m, each rounded and limited to the
    /// format of the states.
    fn stage(
        &self,
        section: &mut Section<'_>,
        f: Node,
        memory: (LineIndex, Row),
        column: usize,
    ) -> (Node, Node) {
        let (line, row) = memory;
        let remembered = section.push(Operation::Tap { line, row, age: 1 });
        let product = |section: &mut Section<'_>, word: Node| {
            let row = section.row;
            section.push(Operation::Product { table: TableIndex(0), row, column, word })
        };
        let sum = |section: &mut Section<'_>, whole: Node, sign: Sign, part: Node| {
            let terms = vec![Term::word(Sign::Plus, whole), Term::word(sign, part)];
            let sum = section.push(Operation::Accumulate { terms, format: self.lattice });
            section.deliver(sum, self.words.state, &self.words.sections)
        };
        let part = product(section, remembered);
        let f = sum(section, f, Sign::Minus, part);
        let part = product(section, f);
        let g = sum(section, remembered, Sign::Plus, part);
        (f, g)
    }

    /// Σ v_m·g_m, rounded and limited to the output.
    fn ladder(&self, section: &mut Section<'_>, words: &[Node]) -> Node {
        let mut terms = Vec::new();
        for (column, word) in words.iter().enumerate() {
            let (row, word) = (section.row, *word);
            let word = section.push(Operation::Product { table: TableIndex(1), row, column, word });
            terms.push(Term::word(Sign::Plus, word));
        }
        let sum = section.push(Operation::Accumulate { terms, format: self.ladder });
        section.deliver(sum, self.words.sections.output, &self.words.sections)
    }
}

fn datapath(
    tables: LatticeTables<'_>,
    words: StateWords,
    lines: Vec<Line>,
    body: Block,
) -> Datapath {
    Datapath::per_sample(
        [words.sections.input, words.sections.output],
        vec![
            Table::of("reflection", Coefficients::Reflection, tables.reflection),
            Table::of("ladder", Coefficients::Ladder, tables.ladder),
        ],
        lines,
        body,
    )
}

/// A whole filter as the two-multiplier lattice with ladder (A. H. Gray & J. D. Markel, "Digital lattice and
/// ladder filter synthesis", 1973): from f_N = x down to f_0 = g_0, f_{m−1} = f_m − k_m·g_{m−1}\[n−1\] and
/// g_m = k_m·f_{m−1} + g_{m−1}\[n−1\]; y = Σ v_m·g_m.
///
/// Every f and g is rounded and limited to the format of the states. Stable whatever the roundings of its
/// coefficients, as long as each is smaller than 1. One row in each table: N and N + 1 coefficients.
///
/// # Errors
/// [`BuildError`] for tables of another shape or a sum that needs more than 64 bits.
///
/// ```
/// use mellow_rake::datapath::{LatticeTables, SectionWords, Simulator, StateWords, lattice_ladder};
/// use mellow_rake::fixed::{Overflow, Rounding, round_coefficients};
/// // y = x/2 + y[n−1]/2: k = −1/2, ladder 1/2 and 0.
/// let reflection = round_coefficients(&[vec![-0.5]], "s16f15".parse()?)?;
/// let ladder = round_coefficients(&[vec![0.5, 0.0]], "s16f15".parse()?)?;
/// let word = "s16f15".parse()?;
/// let sections = SectionWords { input: word, output: word, rounding: Rounding::HalfUp,
///     overflow: Overflow::Saturate };
/// let words = StateWords { sections, state: "s24f20".parse()? };
/// let tables = LatticeTables { reflection: &reflection, ladder: &ladder };
/// let smoother = lattice_ladder(tables, words)?.check()?;
/// assert_eq!(Simulator::new(&smoother).run(&[800, 0, 0, 0]), [400, 200, 100, 50]);
/// # Ok::<(), Box<dyn std::error::Error>>(())
/// ```
pub fn lattice_ladder(
    tables: LatticeTables<'_>,
    words: StateWords,
) -> Result<Datapath, BuildError> {
    const STRUCTURE: &str = "lattice-ladder";
    let LatticeTables { reflection, ladder } = tables;
    let order = reflection.rows.first().map_or(0, Vec::len);
    let fits =
        |table: &RoundedTable, columns| table.rows.len() == 1 && table.rows[0].len() == columns;
    if order == 0 || !fits(reflection, order) || !fits(ladder, order + 1) {
        return Err(BuildError::Shape {
            structure: STRUCTURE,
            needed: "one row of N reflection coefficients and one of N + 1 taps of the ladder",
            rows: reflection.rows.len(),
            columns: order,
        });
    }
    let sums = Sums::new(STRUCTURE, tables, words, words.sections.input)?;
    let (mut program, mut operations) = (Program::default(), Vec::new());
    let word = program.push(&mut operations, Operation::INPUT);
    let line = LineIndex(0);
    let row = Row::Fixed(0);
    let mut section = Section { program: &mut program, operations: &mut operations, row, word };
    let mut f = word;
    let mut g = vec![word; order + 1];
    for m in (1..=order).rev() {
        (f, g[m]) = sums.stage(&mut section, f, (line, Row::Fixed(m - 1)), m - 1);
    }
    g[0] = f;
    for (m, word) in g[..order].iter().enumerate() {
        section.push(Operation::Store { line, row: Row::Fixed(m), word: *word });
    }
    let result = sums.ladder(&mut section, &g);
    let memory = Line { name: "g", format: words.state, rows: order, depth: 1 };
    Ok(datapath(tables, words, vec![memory], Block { operations, result }))
}

/// Second-order sections, each as a lattice of two stages with its ladder, one after the other.
///
/// A row for each section: k1, k2 and v0, v1, v2. What each stage computes is that of [`lattice_ladder`].
///
/// # Errors
/// [`BuildError`] for tables of another shape, a sum that needs more than 64 bits, or a cascade whose output
/// format does not hold its input.
///
/// ```
/// use mellow_rake::datapath::{LatticeTables, SectionWords, Simulator, StateWords, lattice_sections};
/// use mellow_rake::fixed::{Overflow, Rounding, round_coefficients};
/// let reflection = round_coefficients(&[vec![-0.5, 0.0]], "s16f15".parse()?)?;
/// let ladder = round_coefficients(&[vec![0.5, 0.0, 0.0]], "s16f15".parse()?)?;
/// let word = "s16f15".parse()?;
/// let sections = SectionWords { input: word, output: word, rounding: Rounding::HalfUp,
///     overflow: Overflow::Saturate };
/// let words = StateWords { sections, state: "s24f20".parse()? };
/// let tables = LatticeTables { reflection: &reflection, ladder: &ladder };
/// let smoother = lattice_sections(tables, words)?.check()?;
/// assert_eq!(Simulator::new(&smoother).run(&[800, 0, 0, 0]), [400, 200, 100, 50]);
/// # Ok::<(), Box<dyn std::error::Error>>(())
/// ```
pub fn lattice_sections(
    tables: LatticeTables<'_>,
    words: StateWords,
) -> Result<Datapath, BuildError> {
    const STRUCTURE: &str = "lattice-sections";
    const NEEDED: &str = "rows of 2 (k1, k2) and of 3 (v0, v1, v2) for each section";
    let LatticeTables { reflection, ladder } = tables;
    let (sections, incoming) = shape(STRUCTURE, NEEDED, reflection, 2, &words.sections)?;
    if ladder.rows.len() != sections {
        let columns = ladder.rows.first().map_or(0, Vec::len);
        let rows = ladder.rows.len();
        return Err(BuildError::Shape { structure: STRUCTURE, needed: NEEDED, rows, columns });
    }
    shape(STRUCTURE, NEEDED, ladder, 3, &words.sections)?;
    let sums = Sums::new(STRUCTURE, tables, words, incoming)?;
    let lines = [LineIndex(0), LineIndex(1)];
    let body = cascade(sections, &words.sections, |section| {
        let (row, word) = (section.row, section.word);
        let (f, g2) = sums.stage(section, word, (lines[1], row), 1);
        let (g0, g1) = sums.stage(section, f, (lines[0], row), 0);
        for (line, word) in lines.into_iter().zip([g0, g1]) {
            section.push(Operation::Store { line, row, word });
        }
        sums.ladder(section, &[g0, g1, g2])
    });
    let memory = |name| Line { name, format: words.state, rows: sections, depth: 1 };
    Ok(datapath(tables, words, vec![memory("g0"), memory("g1")], body))
}
