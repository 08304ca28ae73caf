//! Integrators and combs: sums modulo a power of two, without a product.

use super::{BuildError, Program, deliver};
use crate::datapath::{Block, Datapath, Line, LineIndex, Node, Operation, Row, Sign, Term};
use crate::fixed::{Overflow, Rounding, WordFormat};

/// The words of integrators or combs one behind the other, and what is done to them.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct SumWords {
    /// What comes in.
    pub input: WordFormat,
    /// By how many places the binary point of what comes in moves to the left: what the sums make larger
    /// becomes fraction bits.
    pub binary_point_shift: i32,
    /// The word of each sum, all with as many whole bits. One of less fraction than what goes into it drops
    /// bits of that, toward minus infinity.
    pub sums: Vec<WordFormat>,
    /// What goes out, and how the last sum becomes that; `None` where it goes out as it is.
    pub output: Option<(WordFormat, Rounding, Overflow)>,
}

const INTEGRATORS: [&str; 8] = ["s1", "s2", "s3", "s4", "s5", "s6", "s7", "s8"];
const COMBS: [&str; 8] = ["x1", "x2", "x3", "x4", "x5", "x6", "x7", "x8"];

/// Sums over all that came in so far, one behind the other, each modulo 2^width of its word.
///
/// By itself it grows without end and wraps; with as many [`combs`] and a change of the rate between them it
/// is a finite sum (E. B. Hogenauer, "An economical class of digital filters for decimation and
/// interpolation", 1981).
///
/// # Errors
/// [`BuildError::Modulus`] for no sum or more than eight, or sums of different whole bits.
///
/// ```
/// use mellow_rake::datapath::{Simulator, SumWords, integrators};
/// let word = "s8f0".parse()?;
/// let words = SumWords { input: word, binary_point_shift: 0, sums: vec![word], output: None };
/// let sums = integrators(&words)?.check()?;
/// // 100 + 100 is 200, which is −56 in a word of 8 bits.
/// assert_eq!(Simulator::new(&sums).run(&[100, 100, 1]), [100, -56, -55]);
/// # Ok::<(), Box<dyn std::error::Error>>(())
/// ```
pub fn integrators(words: &SumWords) -> Result<Datapath, BuildError> {
    cascade(words, "integrators", |program, operations, _, index, (word, shift), format| {
        let line = LineIndex(index);
        let row = Row::Fixed(0);
        let before = program.push(operations, Operation::Tap { line, row, age: 1 });
        let terms = vec![moved(word, shift, Sign::Plus), Term::word(Sign::Plus, before)];
        let sum = program.push(operations, Operation::Accumulate { terms, format });
        program.push(operations, Operation::Store { line, row, word: sum });
        (sum, Line { name: INTEGRATORS[index], format, rows: 1, depth: 1 })
    })
}

/// Differences between what comes in and what came in `delay` words before, one behind the other, each modulo
/// 2^width of its word.
///
/// # Errors
/// As of [`integrators`]; a delay of 0 is refused, too.
///
/// ```
/// use mellow_rake::datapath::{Simulator, SumWords, combs};
/// let word = "s8f0".parse()?;
/// let words = SumWords { input: word, binary_point_shift: 0, sums: vec![word], output: None };
/// let differences = combs(&words, 1)?.check()?;
/// assert_eq!(Simulator::new(&differences).run(&[100, -56, -55]), [100, 100, 1]);
/// # Ok::<(), Box<dyn std::error::Error>>(())
/// ```
pub fn combs(words: &SumWords, delay: usize) -> Result<Datapath, BuildError> {
    if delay == 0 {
        return Err(refused("combs", words));
    }
    cascade(words, "combs", |program, operations, own, index, (word, shift), format| {
        let (line, row) = (LineIndex(index), Row::Fixed(0));
        program.push(operations, Operation::Store { line, row, word });
        let before = program.push(operations, Operation::Tap { line, row, age: delay });
        let terms = vec![moved(word, shift, Sign::Plus), moved(before, shift, Sign::Minus)];
        let difference = program.push(operations, Operation::Accumulate { terms, format });
        (difference, Line { name: COMBS[index], format: own, rows: 1, depth: delay })
    })
}

fn moved(word: Node, binary_point_shift: i32, sign: Sign) -> Term {
    Term::Word { sign, word, binary_point_shift }
}

fn refused(structure: &'static str, words: &SumWords) -> BuildError {
    BuildError::Modulus { structure, sums: words.sums.len() }
}

/// The sums one behind the other. `sum` makes one of a word, whose binary point moves first, in the format
/// that the word has, and says what it remembers.
fn cascade(
    words: &SumWords,
    structure: &'static str,
    sum: impl Fn(
        &mut Program,
        &mut Vec<(Node, Operation)>,
        WordFormat,
        usize,
        (Node, i32),
        WordFormat,
    ) -> (Node, Line),
) -> Result<Datapath, BuildError> {
    let whole = |format: &WordFormat| i64::from(format.width()) - i64::from(format.fraction());
    let are_alike = words.sums.windows(2).all(|pair| whole(&pair[0]) == whole(&pair[1]));
    if !(1..=COMBS.len()).contains(&words.sums.len()) || !are_alike {
        return Err(refused(structure, words));
    }
    let mut program = Program::default();
    let mut operations = Vec::new();
    let mut word = program.push(&mut operations, Operation::INPUT);
    let (mut format, mut shift) = (words.input, words.binary_point_shift);
    let mut lines = Vec::new();
    for (index, own) in words.sums.iter().enumerate() {
        let dropped = format.fraction() + shift - own.fraction();
        if dropped > 0 {
            let fraction = format.fraction() - dropped;
            let rounding = Rounding::Floor;
            word = program.push(&mut operations, Operation::Round { word, fraction, rounding });
            let width = format.width().saturating_sub(dropped as u32).max(1);
            format = WordFormat::new(format.is_signed(), width, fraction)
                .map_err(|_| refused(structure, words))?;
        }
        let (next, line) = sum(&mut program, &mut operations, format, index, (word, shift), *own);
        lines.push(line);
        (word, format, shift) = (next, *own, 0);
    }
    let mut output = format;
    if let Some((to, rounding, overflow)) = words.output {
        word = deliver(&mut program, &mut operations, word, to, rounding, overflow);
        output = to;
    }
    let block = Block { operations, result: word };
    Ok(Datapath::per_sample([words.input, output], Vec::new(), lines, block))
}
