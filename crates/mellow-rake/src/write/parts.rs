//! The programs of a network with what stands around each: zeros that are put in front of it, and what is
//! kept behind it.

use super::WriteError;
use crate::datapath::Checked;
use crate::network::{Network, Step};
use std::fmt::Write;

/// A program with the zeros that are put in front of it and what is kept behind it.
pub(super) struct Part<'a> {
    /// The program.
    pub(super) checked: &'a Checked,
    /// Behind each word that comes in so many less one zeros.
    pub(super) fill: usize,
    /// Of every so many words that it gives the last goes on.
    pub(super) keep: usize,
}

/// The programs of a network, in the order of the signal.
///
/// # Errors
/// [`WriteError::Steps`] where words are kept in front of all programs, or zeros put in behind them.
pub(super) fn parts<'a>(
    network: &'a Network,
    target: &'static str,
) -> Result<Vec<Part<'a>>, WriteError> {
    let mut parts: Vec<Part<'_>> = Vec::new();
    let mut fill = 1;
    for step in network.steps() {
        match step {
            Step::Fire(checked) => {
                parts.push(Part { checked, fill, keep: 1 });
                fill = 1;
            }
            Step::Fill(factor) => fill *= factor,
            Step::Keep(factor) => match parts.last_mut() {
                Some(part) if fill == 1 => part.keep *= factor,
                _ => return Err(WriteError::Steps { target }),
            },
        }
    }
    match fill {
        1 => Ok(parts),
        _ => Err(WriteError::Steps { target }),
    }
}

impl Part<'_> {
    /// Words of a firing that go in.
    pub(super) fn takes(&self) -> usize {
        self.checked.datapath().words_in()
    }

    /// Words of a firing that come out.
    pub(super) fn gives(&self) -> usize {
        self.checked.datapath().words_out()
    }

    /// The most words that come out of so many.
    pub(super) fn most(&self, words: usize) -> usize {
        (words * self.fill).div_ceil(self.takes()).saturating_mul(self.gives()).div_ceil(self.keep)
    }

    /// What stands around the program, in words.
    pub(super) fn said(&self) -> String {
        let mut text = String::new();
        if self.fill > 1 {
            let _ = write!(text, ", behind each word {} zeros", self.fill - 1);
        }
        if self.keep > 1 {
            let _ = write!(text, ", of every {} words that it gives the last is kept", self.keep);
        }
        text
    }
}
