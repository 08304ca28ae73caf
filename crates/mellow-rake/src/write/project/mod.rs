//! A project that tests generated code where it is to run: signals and what must come out as arrays, a
//! runner, and what builds it.

mod c;
mod rust;

use super::{GeneratedFile, Language, Symbols};
use crate::fixed::WordFormat;
use crate::float::FloatFormat;

/// A signal for a filter in the zero state.
#[derive(Debug, Clone, PartialEq)]
pub struct TestSignal {
    /// What it is: plain text without quotes or backslashes.
    pub name: &'static str,
    /// What goes in: words, or the bits of numbers.
    pub input: Vec<i64>,
    /// What comes out of the simulator.
    pub expected: Vec<i64>,
    /// What the filter in floating point makes of it, as values.
    pub reference: Vec<f64>,
    /// Of numbers: the least signal-to-error ratio against the reference, in decibels.
    pub least_ratio_db: f64,
}

/// What the words of a filter are.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum TestWords {
    /// Integers of these formats, in and out. The test is passed by equal words.
    Integers([WordFormat; 2]),
    /// Numbers. The test is passed by the signal-to-error ratio against the reference.
    Numbers(FloatFormat),
}

impl TestWords {
    /// What an error is told in: a step of the output word, or that of the format at 1.
    fn step(self) -> f64 {
        match self {
            TestWords::Integers([_, output]) => output.step(),
            TestWords::Numbers(format) => 2.0 * format.unit_roundoff(),
        }
    }

    /// What an output of 1 is worth.
    fn value_of_one(self) -> f64 {
        match self {
            TestWords::Integers([_, output]) => output.step(),
            TestWords::Numbers(_) => 1.0,
        }
    }

    /// Whether words must be equal.
    fn is_exact(self) -> bool {
        matches!(self, TestWords::Integers(_))
    }
}

/// A test of a filter: what is written beside it.
#[derive(Debug, Clone, PartialEq)]
pub struct TestProject {
    /// What its words are.
    pub words: TestWords,
    /// The signals, each of one sample or more.
    pub signals: Vec<TestSignal>,
}

impl TestProject {
    /// The files of the test in one of the languages of programs; none in others.
    ///
    /// In C: `NAME_test.h`, `NAME_vectors.c` with the signals, `NAME_test.c`, which uses no library and says
    /// what it finds through a function that it is given, `NAME_test_main.c`, which prints that, and a
    /// `Makefile`. In Rust: `NAME_vectors.rs`, `NAME_test.rs` and a `Cargo.toml`. Both take the number of
    /// samples per call as their argument (0: one at a time), print for each signal whether all words are
    /// equal, the first that is not, the signal-to-error ratio and the largest error, then PASS or FAIL, and
    /// end with status 0 or 1.
    pub fn files(&self, language: Language, symbols: &Symbols) -> Vec<GeneratedFile> {
        match language {
            Language::C => c::files(self, symbols.base(), &symbols.capitals()),
            Language::Rust => rust::files(self, symbols.base()),
            Language::Verilog | Language::Vhdl => Vec::new(),
        }
    }
}

/// Elements of an array, so many in a line.
fn elements<T>(all: &[T], in_line: usize, spell: impl Fn(&T) -> String) -> String {
    let lines = all.chunks(in_line).map(|chunk| {
        let words: Vec<String> = chunk.iter().map(&spell).collect();
        format!("    {},\n", words.join(", "))
    });
    lines.collect()
}
