//! Direct form II.

use super::cascade::{cascade, shape};
use super::direct_form_1::{SECTION_ROWS, dot, section_table};
use super::{BuildError, StateWords, SumSize, largest};
use crate::datapath::{Datapath, Line, LineIndex, Operation, Sign, TableIndex, Term};
use crate::fixed::RoundedTable;

/// Second-order sections in direct form II: poles first, two words of memory, two roundings.
///
/// w\[n\] = limit(round(x\[n\] − a1·w\[n−1\] − a2·w\[n−2\])) in the format of the state; y\[n\] =
/// limit(round(b0·w\[n\] + b1·w\[n−1\] + b2·w\[n−2\])). The poles amplify w: its format needs room for that.
///
/// # Errors
/// [`BuildError`] for a table of another shape, a sum that needs more than 64 bits, or a cascade whose output
/// format does not hold its input.
///
/// ```
/// use mellow_rake::datapath::{SectionWords, Simulator, StateWords, direct_form_2};
/// use mellow_rake::fixed::{Overflow, Rounding, round_coefficients};
/// let table = round_coefficients(&[vec![0.5, 0.0, 0.0, -0.5, 0.0]], "s16f14".parse()?)?;
/// let word = "s16f15".parse()?;
/// let sections = SectionWords { input: word, output: word, rounding: Rounding::HalfUp,
///     overflow: Overflow::Saturate };
/// let smoother = direct_form_2(&table, StateWords { sections, state: "s24f20".parse()? })?.check()?;
/// let mut simulator = Simulator::new(&smoother);
/// assert_eq!([800, 0, 0, 0].map(|x| simulator.step(x)), [400, 200, 100, 50]);
/// # Ok::<(), Box<dyn std::error::Error>>(())
/// ```
pub fn direct_form_2(table: &RoundedTable, words: StateWords) -> Result<Datapath, BuildError> {
    const STRUCTURE: &str = "direct-form-2";
    let StateWords { sections: words, state } = words;
    let (sections, incoming) = shape(STRUCTURE, SECTION_ROWS, table, 5, &words)?;
    let poles = SumSize::of(table, &[(3..5, state)]).and(&[largest(incoming)]);
    let poles = poles.accumulator(STRUCTURE, state, table.format)?;
    let zeros = SumSize::of(table, &[(0..3, state)]).accumulator(STRUCTURE, state, table.format)?;
    let (coefficients, w) = (TableIndex(0), LineIndex(0));
    let body = cascade(sections, &words, |section| {
        let row = section.row;
        let terms = vec![
            Term::word(Sign::Plus, section.word),
            dot(Sign::Minus, coefficients, 3, (w, row), 1, 2),
        ];
        let sum = section.push(Operation::Accumulate { terms, format: poles });
        let word = section.deliver(sum, state, &words);
        section.push(Operation::Store { line: w, row, word });
        let terms = vec![dot(Sign::Plus, coefficients, 0, (w, row), 0, 3)];
        let sum = section.push(Operation::Accumulate { terms, format: zeros });
        section.deliver(sum, words.output, &words)
    });
    Ok(Datapath::per_sample(
        [words.input, words.output],
        vec![section_table(table)],
        vec![Line { name: "w", format: state, rows: sections, depth: 2 }],
        body,
    ))
}
