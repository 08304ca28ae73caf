//! A signal that two lines remember is stored once: what one pass of a loop gives is what the next takes, so
//! the outputs that a section remembers are the inputs that the next one remembers.

use super::super::{Home, Local, Lowered, Read, Statement, Value};
use super::{every_statement, read_by};
use crate::datapath::Row;

/// Lets the line of outputs of each loop lie in that of its inputs, one row further.
///
/// In pass p the line of inputs is given the word that is handed on to p, and the line of outputs the word
/// that p hands on to p + 1; from the zero state on their rows p + 1 and p so hold the same words. The last
/// row of outputs is one more row of inputs. A pass reads the outputs that it remembers in a row that the
/// pass behind it moves on; the last one is moved on behind the loop.
pub(super) fn share(lowered: &mut Lowered) {
    let mut at = 0;
    while at < lowered.body.len() {
        if let Some([inputs, outputs]) = lines_of(lowered, at) {
            lay_together(lowered, at, inputs, outputs);
        }
        at += 1;
    }
}

/// The lines of inputs and of outputs of the loop that stands here, if they can lie together.
fn lines_of(lowered: &Lowered, at: usize) -> Option<[usize; 2]> {
    let Statement::Repeat { local, passes, body, result, .. } = &lowered.body[at] else {
        return None;
    };
    let is_carried = |word: Local| {
        body.iter().any(|statement| {
            matches!(statement, Statement::Let { local: to, value: Value::Read(Read::Local(from)) }
                if *to == word && from == local)
        })
    };
    let given = |is_it: &dyn Fn(Local) -> bool| {
        body.iter().find_map(|statement| match statement {
            Statement::Advance { line, row: Row::Pass, word } if is_it(*word) => Some(*line),
            _ => None,
        })
    };
    let (inputs, outputs) = (given(&is_carried)?, given(&|word| word == *result)?);
    let [x, y] = [&lowered.lines[inputs], &lowered.lines[outputs]];
    let are_alike = x.format == y.format && x.rows == *passes && y.rows == *passes;
    let is_alone = [inputs, outputs].iter().all(|line| lowered.homes[*line].line == *line);
    let mut uses = 0;
    every_statement(&lowered.body, &mut |statement| uses += mentions(statement, inputs, outputs));
    let mut inside = 0;
    every_statement(body, &mut |statement| inside += mentions(statement, inputs, outputs));
    let is_short = body.iter().all(|statement| !matches!(statement, Statement::Repeat { .. }));
    let fits = inputs != outputs && are_alike && is_alone && uses == inside && is_short;
    fits.then_some([inputs, outputs])
}

/// How often a statement reads or moves either line.
fn mentions(statement: &Statement, inputs: usize, outputs: usize) -> usize {
    let is_theirs = |line: usize| line == inputs || line == outputs;
    let read = |read: &Read| matches!(read, Read::Remembered { line, .. } if is_theirs(*line));
    let moved = matches!(statement, Statement::Advance { line, .. } if is_theirs(*line));
    read_by(statement).iter().filter(|one| read(one)).count() + usize::from(moved)
}

fn lay_together(lowered: &mut Lowered, at: usize, inputs: usize, outputs: usize) {
    let depth = lowered.lines[inputs].depth.max(lowered.lines[outputs].depth);
    let Statement::Repeat { local, passes, body, .. } = &mut lowered.body[at] else { return };
    let (word, last) = (*local, Row::Fixed(*passes - 1));
    body.retain(|one| !matches!(one, Statement::Advance { line, .. } if *line == outputs));
    lowered.lines[inputs].depth = depth;
    lowered.lines[inputs].rows += 1;
    lowered.lines[outputs].depth = depth;
    lowered.homes[outputs] = Home { line: inputs, first_row: 1 };
    lowered.body.insert(at + 1, Statement::Advance { line: outputs, row: last, word });
}
