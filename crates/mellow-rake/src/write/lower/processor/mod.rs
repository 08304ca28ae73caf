//! The statements in the form that is good for a processor: the same integers with fewer instructions.
//!
//! A processor takes its time for moving words about, and has a few registers and a multiplier. So a signal
//! that two lines remember is stored once; all products are added; the half of a rounding is there before
//! the first product; a long line lies still while a window moves over it; products with zero are gone, and
//! the branches of a polyphase filter are written out where one of them is next to empty.
//! Each is a change of statements, not of the program, and the interpreter that holds the statements of
//! [`lower`] against the simulator holds these as well.

mod negate;
mod preload;
mod share;
mod unroll;
mod window;

pub(in crate::write) use window::{is_feed_forward, put_words};

use super::{Addend, Addition, Factor, Local, Lowered, Read, Statement, Step, Sum, Value, lower};
use crate::datapath::{Checked, Row};

/// A checked datapath as statements for a processor.
///
/// ```
/// use mellow_rake::datapath::fir_direct;
/// use mellow_rake::fixed::{Overflow, Rounding, round_coefficients};
/// use mellow_rake::write::lower::lower_for_processor;
/// let taps = round_coefficients(&[vec![0.125; 8]], "s8f7".parse()?)?;
/// let word = "s16f15".parse()?;
/// let average = fir_direct(&taps, word, word, Rounding::HalfUp, Overflow::Saturate)?.check()?;
/// let lowered = lower_for_processor(&average);
/// assert_eq!(lowered.windows[0].unwrap().slack, 8);
/// # Ok::<(), Box<dyn std::error::Error>>(())
/// ```
pub fn lower_for_processor(checked: &Checked) -> Lowered {
    let mut lowered = lower(checked);
    unroll::unroll(&mut lowered);
    formed(lowered)
}

/// The same with all loops over branches, of which only some passes may be wanted.
pub(in crate::write) fn lower_in_loops(checked: &Checked) -> Lowered {
    formed(lower(checked))
}

fn formed(mut lowered: Lowered) -> Lowered {
    share::share(&mut lowered);
    negate::negate(&mut lowered);
    window::windows(&mut lowered);
    preload::preload(&mut lowered);
    lowered
}

/// All statements, those within loops included.
pub(in crate::write) fn every_statement<'a>(
    body: &'a [Statement],
    f: &mut impl FnMut(&'a Statement),
) {
    for statement in body {
        f(statement);
        if let Statement::Repeat { body, .. } = statement {
            every_statement(body, f);
        }
    }
}

/// The same, to change them.
fn change_every_statement(body: &mut [Statement], f: &mut impl FnMut(&mut Statement)) {
    for statement in body {
        f(statement);
        if let Statement::Repeat { body, .. } = statement {
            change_every_statement(body, f);
        }
    }
}

/// What a step adds, but for doublings.
fn addition(step: &Step) -> Option<&Addition> {
    match step {
        Step::Add(addition) | Step::Loop { addition, .. } => Some(addition),
        Step::Double(_) => None,
    }
}

/// What a sum reads: its words by name and those of lines.
fn reads(sum: &Sum) -> Vec<Read> {
    let mut all = Vec::new();
    for addition in sum.steps.iter().filter_map(addition) {
        match &addition.addend {
            Addend::Word(local) => all.push(Read::Local(*local)),
            Addend::Product { factor: Factor::One(one), .. } => all.push(*one),
            Addend::Product { factor: Factor::Pair { first, second, .. }, .. } => {
                all.extend([*first, *second]);
            }
        }
    }
    all
}

/// What a statement reads, but for what stands within a loop.
pub(in crate::write) fn read_by(statement: &Statement) -> Vec<Read> {
    match statement {
        Statement::Let { value, .. } => match value {
            Value::Input { .. } => Vec::new(),
            Value::Read(read) => vec![*read],
            Value::Product { word, .. } | Value::Round { word, .. } | Value::Limit { word, .. } => {
                vec![Read::Local(*word)]
            }
        },
        Statement::Sum(sum) => reads(sum),
        Statement::Repeat { first, result, .. } => {
            vec![Read::Local(*first), Read::Local(*result)]
        }
        Statement::Deliver { word, .. } | Statement::Advance { word, .. } => {
            vec![Read::Local(*word)]
        }
    }
}

/// The word that each row of a line is given.
fn stored(body: &[Statement], line: usize) -> Vec<(Row, Local)> {
    let mut all = Vec::new();
    every_statement(body, &mut |statement| match statement {
        Statement::Advance { line: of, row, word } if *of == line => all.push((*row, *word)),
        _ => {}
    });
    all
}
