//! From one word to another, and nothing else.

use super::super::{Block, Datapath, Node, Operation};
use crate::fixed::{Overflow, Rounding, WordFormat};

/// A program that brings each word to another format.
///
/// ```
/// use mellow_rake::datapath::{Simulator, word_change};
/// use mellow_rake::fixed::{Overflow, Rounding};
/// let (wide, narrow) = ("s16f12".parse()?, "s8f7".parse()?);
/// let change = word_change(wide, narrow, Rounding::HalfUp, Overflow::Saturate).check()?;
/// assert_eq!(Simulator::new(&change).run(&[47, -48, 5_000]), [1, -1, 127]);
/// # Ok::<(), Box<dyn std::error::Error>>(())
/// ```
pub fn word_change(
    input: WordFormat,
    output: WordFormat,
    rounding: Rounding,
    overflow: Overflow,
) -> Datapath {
    let round = Operation::Round { word: Node(0), fraction: output.fraction(), rounding };
    let limit = Operation::Limit { word: Node(1), format: output, overflow };
    let operations = vec![(Node(0), Operation::INPUT), (Node(1), round), (Node(2), limit)];
    let block = Block { operations, result: Node(2) };
    Datapath::per_sample([input, output], Vec::new(), Vec::new(), block)
}
