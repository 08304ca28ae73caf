//! The transposed direct forms: partial sums are remembered, exactly.

use super::cascade::{Section, cascade, shape};
use super::direct_form_1::{SECTION_ROWS, section_table};
use super::{BuildError, SectionWords, StateWords, SumSize, largest};
use crate::datapath::{Datapath, Line, LineIndex, Node, Operation, Sign, TableIndex, Term};
use crate::fixed::{RoundedTable, WordFormat};

/// The formats of two partial sums of a section, each from so many products with words of these formats and
/// the sum behind it.
struct Sums {
    first: WordFormat,
    second: WordFormat,
}

impl Sums {
    /// The second sum holds the products of the last columns, the first those of the columns before and the
    /// second sum.
    fn new(
        structure: &'static str,
        table: &RoundedTable,
        first: &[(usize, WordFormat)],
        second: &[(usize, WordFormat)],
    ) -> Result<Self, BuildError> {
        let data = first.iter().map(|(_, word)| *word).max_by_key(|word| word.width());
        let data = data.unwrap_or(table.format);
        let of = |terms: &[(usize, WordFormat)]| {
            let terms: Vec<_> =
                terms.iter().map(|(column, word)| (*column..column + 1, *word)).collect();
            SumSize::of(table, &terms)
        };
        let second = of(second).accumulator(structure, data, table.format)?;
        let first = of(first).and(&[largest(second)]).accumulator(structure, data, table.format)?;
        Ok(Sums { first, second })
    }
}

/// Adds a product, or takes it away.
fn product(section: &mut Section<'_>, sign: Sign, column: usize, word: Node) -> Term {
    let (table, row) = (TableIndex(0), section.row);
    let word = section.push(Operation::Product { table, row, column, word });
    Term::word(sign, word)
}

/// The two partial sums of this sample, for the next one.
fn remember(
    section: &mut Section<'_>,
    (one, two): (LineIndex, LineIndex),
    sums: &Sums,
    first: &[(Sign, usize, Node)],
    second: &[(Sign, usize, Node)],
) {
    let row = section.row;
    let old = section.push(Operation::Tap { line: two, row, age: 1 });
    let mut terms: Vec<Term> = Vec::new();
    for (sign, column, word) in first {
        terms.push(product(section, *sign, *column, *word));
    }
    terms.push(Term::word(Sign::Plus, old));
    let sum = section.push(Operation::Accumulate { terms, format: sums.first });
    section.push(Operation::Store { line: one, row, word: sum });
    let mut terms: Vec<Term> = Vec::new();
    for (sign, column, word) in second {
        terms.push(product(section, *sign, *column, *word));
    }
    let sum = section.push(Operation::Accumulate { terms, format: sums.second });
    section.push(Operation::Store { line: two, row, word: sum });
}

fn line(name: &'static str, format: WordFormat, rows: usize) -> Line {
    Line { name, format, rows, depth: 1 }
}

/// Second-order sections in transposed direct form II: two words of memory, one rounding.
///
/// y\[n\] = limit(round(b0·x\[n\] + s1\[n−1\])), s1\[n\] = b1·x\[n\] − a1·y\[n\] + s2\[n−1\], s2\[n\] =
/// b2·x\[n\] − a2·y\[n\]. The sums s1 and s2 are remembered exactly, so the integers are those of direct form
/// I.
///
/// # Errors
/// [`BuildError`] as of [`direct_form_1`](super::direct_form_1()).
///
/// ```
/// use mellow_rake::datapath::{SectionWords, Simulator, direct_form_1, direct_form_2_transposed};
/// use mellow_rake::fixed::{Overflow, Rounding, round_coefficients};
/// let table = round_coefficients(&[vec![0.5, 0.3, 0.1, -0.5, 0.2]], "s16f14".parse()?)?;
/// let word = "s16f15".parse()?;
/// let words = SectionWords { input: word, output: word, rounding: Rounding::HalfUp,
///     overflow: Overflow::Saturate };
/// let (one, other) = (direct_form_1(&table, words)?.check()?, direct_form_2_transposed(&table,
///     words)?.check()?);
/// let input = [800, -32768, 32767, 5, 0, 0, 0];
/// assert_eq!(Simulator::new(&one).run(&input), Simulator::new(&other).run(&input));
/// # Ok::<(), Box<dyn std::error::Error>>(())
/// ```
pub fn direct_form_2_transposed(
    table: &RoundedTable,
    words: SectionWords,
) -> Result<Datapath, BuildError> {
    const STRUCTURE: &str = "direct-form-2-transposed";
    let (sections, incoming) = shape(STRUCTURE, SECTION_ROWS, table, 5, &words)?;
    let output = words.output;
    let sums =
        Sums::new(STRUCTURE, table, &[(1, incoming), (3, output)], &[(2, incoming), (4, output)])?;
    let total = SumSize::of(table, &[(0..1, incoming)]).and(&[largest(sums.first)]);
    let total = total.accumulator(STRUCTURE, incoming, table.format)?;
    let (one, two) = (LineIndex(0), LineIndex(1));
    let body = cascade(sections, &words, |section| {
        let (row, x) = (section.row, section.word);
        let old = section.push(Operation::Tap { line: one, row, age: 1 });
        let terms = vec![product(section, Sign::Plus, 0, x), Term::word(Sign::Plus, old)];
        let sum = section.push(Operation::Accumulate { terms, format: total });
        let y = section.deliver(sum, output, &words);
        let first = [(Sign::Plus, 1, x), (Sign::Minus, 3, y)];
        let second = [(Sign::Plus, 2, x), (Sign::Minus, 4, y)];
        remember(section, (one, two), &sums, &first, &second);
        y
    });
    let lines = vec![line("s1", sums.first, sections), line("s2", sums.second, sections)];
    Ok(Datapath::per_sample([words.input, output], vec![section_table(table)], lines, body))
}

/// Second-order sections in transposed direct form I: poles first, then zeros, four words of memory, two
/// roundings.
///
/// v\[n\] = limit(round(x\[n\] + r1\[n−1\])) in the format of the state, r1\[n\] = −a1·v\[n\] + r2\[n−1\],
/// r2\[n\] = −a2·v\[n\]; y\[n\] = limit(round(b0·v\[n\] + q1\[n−1\])), q1\[n\] = b1·v\[n\] + q2\[n−1\],
/// q2\[n\] = b2·v\[n\]. The sums are remembered exactly, so the integers are those of direct form II.
///
/// # Errors
/// [`BuildError`] as of [`direct_form_2`](super::direct_form_2()).
pub fn direct_form_1_transposed(
    table: &RoundedTable,
    words: StateWords,
) -> Result<Datapath, BuildError> {
    const STRUCTURE: &str = "direct-form-1-transposed";
    let StateWords { sections: words, state } = words;
    let (sections, incoming) = shape(STRUCTURE, SECTION_ROWS, table, 5, &words)?;
    let poles = Sums::new(STRUCTURE, table, &[(3, state)], &[(4, state)])?;
    let zeros = Sums::new(STRUCTURE, table, &[(1, state)], &[(2, state)])?;
    let inner = SumSize { fraction: incoming.fraction(), size: largest(incoming).0 };
    let inner = inner.and(&[largest(poles.first)]).accumulator(STRUCTURE, state, table.format)?;
    let total = SumSize::of(table, &[(0..1, state)]).and(&[largest(zeros.first)]);
    let total = total.accumulator(STRUCTURE, state, table.format)?;
    let [r1, r2, q1, q2] = [0, 1, 2, 3].map(LineIndex);
    let body = cascade(sections, &words, |section| {
        let (row, word) = (section.row, section.word);
        let plus = |word| Term::word(Sign::Plus, word);
        let old = section.push(Operation::Tap { line: r1, row, age: 1 });
        let terms = vec![plus(word), plus(old)];
        let sum = section.push(Operation::Accumulate { terms, format: inner });
        let v = section.deliver(sum, state, &words);
        remember(section, (r1, r2), &poles, &[(Sign::Minus, 3, v)], &[(Sign::Minus, 4, v)]);
        let old = section.push(Operation::Tap { line: q1, row, age: 1 });
        let terms = vec![product(section, Sign::Plus, 0, v), plus(old)];
        let sum = section.push(Operation::Accumulate { terms, format: total });
        let y = section.deliver(sum, words.output, &words);
        remember(section, (q1, q2), &zeros, &[(Sign::Plus, 1, v)], &[(Sign::Plus, 2, v)]);
        y
    });
    let lines = vec![
        line("r1", poles.first, sections),
        line("r2", poles.second, sections),
        line("q1", zeros.first, sections),
        line("q2", zeros.second, sections),
    ];
    let (input, output) = (words.input, words.output);
    Ok(Datapath::per_sample([input, output], vec![section_table(table)], lines, body))
}
