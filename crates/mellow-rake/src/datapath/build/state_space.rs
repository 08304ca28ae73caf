//! Sections in state space: the coupled (normal) form.

use super::cascade::{cascade, shape};
use super::direct_form_1::dot;
use super::{BuildError, StateWords, SumSize};
use crate::datapath::{
    Coefficients, Datapath, Line, LineIndex, Node, Operation, Sign, Table, TableIndex, Term,
};
use crate::fixed::RoundedTable;

/// Sections of two states each: s1\[n+1\] = limit(round(a11·s1 + a12·s2 + b1·x)), s2\[n+1\] likewise, and
/// y\[n\] = limit(round(c1·s1\[n\] + c2·s2\[n\] + d·x\[n\])).
///
/// `table` holds a row for each section: a11, a12, b1, a21, a22, b2, c1, c2, d. With a11 = a22 = σ and a12 =
/// −a21 = −ω, the real and imaginary part of a pair of poles, this is the coupled form (C. M. Rader & B.
/// Gold, "Effects of parameter quantization on the poles of a digital filter", 1967): poles on an even grid
/// however close to 1, little noise, and no oscillation by itself when rounding is toward zero.
///
/// # Errors
/// [`BuildError`] for a table of another shape, a sum that needs more than 64 bits, or a cascade whose output
/// format does not hold its input.
///
/// ```
/// use mellow_rake::datapath::{SectionWords, Simulator, StateWords, state_space};
/// use mellow_rake::fixed::{Overflow, Rounding, round_coefficients};
/// // One pole at 1/2: s' = s/2 + x/2, y = s/2 + x/2.
/// let rows = [vec![0.5, 0.0, 0.5, 0.0, 0.0, 0.0, 0.5, 0.0, 0.5]];
/// let table = round_coefficients(&rows, "s16f14".parse()?)?;
/// let word = "s16f15".parse()?;
/// let sections = SectionWords { input: word, output: word, rounding: Rounding::HalfUp,
///     overflow: Overflow::Saturate };
/// let smoother = state_space(&table, StateWords { sections, state: "s24f20".parse()? })?.check()?;
/// let mut simulator = Simulator::new(&smoother);
/// assert_eq!([800, 0, 0, 0].map(|x| simulator.step(x)), [400, 200, 100, 50]);
/// # Ok::<(), Box<dyn std::error::Error>>(())
/// ```
pub fn state_space(table: &RoundedTable, words: StateWords) -> Result<Datapath, BuildError> {
    const STRUCTURE: &str = "coupled";
    const NEEDED: &str = "one row of 9 (a11, a12, b1, a21, a22, b2, c1, c2, d) for each section";
    let StateWords { sections: words, state } = words;
    let (sections, incoming) = shape(STRUCTURE, NEEDED, table, 9, &words)?;
    let sum = |column: usize| {
        let terms = [(column..column + 2, state), (column + 2..column + 3, incoming)];
        SumSize::of(table, &terms).accumulator(STRUCTURE, state, table.format)
    };
    let sums = [sum(0)?, sum(3)?, sum(6)?];
    let coefficients = TableIndex(0);
    let lines = [LineIndex(0), LineIndex(1)];
    let body = cascade(sections, &words, |section| {
        let (row, x) = (section.row, section.word);
        let mut results: Vec<Node> = Vec::new();
        for (which, format) in sums.into_iter().enumerate() {
            let input =
                Operation::Product { table: coefficients, row, column: 3 * which + 2, word: x };
            let input = section.push(input);
            let mut terms: Vec<Term> = lines
                .iter()
                .enumerate()
                .map(|(k, line)| dot(Sign::Plus, coefficients, 3 * which + k, (*line, row), 1, 1))
                .collect();
            terms.push(Term::word(Sign::Plus, input));
            let sum = section.push(Operation::Accumulate { terms, format });
            let to = if which < 2 { state } else { words.output };
            results.push(section.deliver(sum, to, &words));
        }
        for (line, word) in lines.into_iter().zip(&results) {
            section.push(Operation::Store { line, row, word: *word });
        }
        results[2]
    });
    let remembered = |name| Line { name, format: state, rows: sections, depth: 1 };
    Ok(Datapath::per_sample(
        [words.input, words.output],
        vec![Table::of("section", Coefficients::StateSpace, table)],
        vec![remembered("s1"), remembered("s2")],
        body,
    ))
}
