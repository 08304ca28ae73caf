//! What all cascades of sections have in common: the loop, and the word that goes from section to section.

use super::{BuildError, Program, SectionWords};
use crate::datapath::{Block, Node, Operation, Row};
use crate::fixed::{RoundedTable, WordFormat};

/// The body of a section, being written.
pub(super) struct Section<'a> {
    pub(super) program: &'a mut Program,
    pub(super) operations: &'a mut Vec<(Node, Operation)>,
    /// Its row in tables and lines.
    pub(super) row: Row,
    /// The word that comes in.
    pub(super) word: Node,
}

impl Section<'_> {
    pub(super) fn push(&mut self, operation: Operation) -> Node {
        self.program.push(self.operations, operation)
    }

    /// A sum brought to a format: rounded to its fraction, then limited to its width.
    pub(super) fn deliver(&mut self, sum: Node, to: WordFormat, words: &SectionWords) -> Node {
        super::deliver(self.program, self.operations, sum, to, words.rounding, words.overflow)
    }
}

/// The number of sections of a table with so many coefficients in every row, and the format of the words that
/// come to a section: several carry theirs in the output format, which must hold the input.
pub(super) fn shape(
    structure: &'static str,
    needed: &'static str,
    table: &RoundedTable,
    columns: usize,
    words: &SectionWords,
) -> Result<(usize, WordFormat), BuildError> {
    let sections = table.rows.len();
    if sections == 0 || table.rows.iter().any(|row| row.len() != columns) {
        return Err(BuildError::Shape {
            structure,
            needed,
            rows: sections,
            columns: table.rows.first().map_or(0, Vec::len),
        });
    }
    let SectionWords { input, output, .. } = *words;
    let whole = |f: WordFormat| i64::from(f.width()) - i64::from(f.fraction());
    let holds_input = output.fraction() >= input.fraction()
        && (output.is_signed() || !input.is_signed())
        && whole(output) - i64::from(output.is_signed())
            >= whole(input) - i64::from(input.is_signed());
    if sections > 1 && !holds_input {
        return Err(BuildError::Carry { input, output });
    }
    Ok((sections, if sections > 1 { output } else { input }))
}

/// So many sections one after the other, each as `body` writes it; the word that it gives goes on.
pub(super) fn cascade(
    sections: usize,
    words: &SectionWords,
    body: impl FnOnce(&mut Section<'_>) -> Node,
) -> Block {
    let SectionWords { input, output, rounding, overflow } = *words;
    let mut program = Program::default();
    let (mut outer, mut inner) = (Vec::new(), Vec::new());
    let looped = sections > 1;
    let row = if looped { Row::Pass } else { Row::Fixed(0) };
    let first = program.push(&mut outer, Operation::INPUT);
    let arriving = if looped && input != output {
        let word = first;
        let aligned = program
            .push(&mut outer, Operation::Round { word, fraction: output.fraction(), rounding });
        program.push(&mut outer, Operation::Limit { word: aligned, format: output, overflow })
    } else {
        first
    };
    // The loop's own number stands before those of its body.
    let repeat = Node(program.next);
    if looped {
        program.next += 1;
    }
    let operations = if looped { &mut inner } else { &mut outer };
    let word = if looped { program.push(operations, Operation::Carried) } else { arriving };
    let result = body(&mut Section { program: &mut program, operations, row, word });
    if !looped {
        return Block { operations: outer, result };
    }
    let body = Block { operations: inner, result };
    outer.push((repeat, Operation::Repeat { passes: sections, first: arriving, body }));
    Block { operations: outer, result: repeat }
}
