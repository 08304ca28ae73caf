//! From a checked datapath to text in other languages.
//!
//! A writer takes a [`Checked`](crate::datapath::Checked) and nothing else: what it needs to know about
//! ranges and limits has been proved before. Names are settled by [`Symbols`] before a line is written; the
//! only user text that reaches the output is the filter's name, which is an identifier.

pub mod c;
mod capability;
mod captions;
mod constraint;
mod formula;
mod hardware;
mod lines;
pub mod lower;
mod machine;
mod names;
mod number;
pub(in crate::write) mod parts;
mod project;
mod register_transfer;
pub mod rust;
pub mod verilog;
pub mod vhdl;

pub use constraint::clock_constraint;
pub use names::Symbols;
pub use project::{TestProject, TestSignal, TestWords};

use crate::datapath::Node;

/// A language that is written.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash)]
#[cfg_attr(feature = "serde", derive(serde::Serialize))]
#[cfg_attr(feature = "serde", serde(rename_all = "lowercase"))]
#[non_exhaustive]
pub enum Language {
    /// C99: NAME.h, NAME.c, and NAME_pipe.c, a program that filters integers from stdin to stdout.
    C,
    /// Rust without its standard library: NAME.rs, and NAME_pipe.rs, a program that filters integers from
    /// stdin to stdout.
    Rust,
    /// Verilog, IEEE 1364-2005: NAME.v and its test bench NAME_tb.v.
    Verilog,
    /// VHDL, IEEE 1076-2008: NAME.vhd and its test bench NAME_tb.vhd.
    Vhdl,
}

impl Language {
    /// All of them, each with its name and what it gives.
    pub const ALL: [(Language, &'static str, &'static str); 4] = [
        (
            Language::C,
            "c",
            "C99: NAME.h, NAME.c, and NAME_pipe.c, a program that filters integers from stdin to stdout",
        ),
        (
            Language::Rust,
            "rust",
            "no_std: NAME.rs, and NAME_pipe.rs, a program that filters integers from stdin to stdout",
        ),
        (Language::Verilog, "verilog", "IEEE 1364-2005: NAME.v and its test bench NAME_tb.v"),
        (Language::Vhdl, "vhdl", "IEEE 1076-2008: NAME.vhd and its test bench NAME_tb.vhd"),
    ];

    /// Whether it is of hardware, which has a clock.
    pub fn is_hardware(self) -> bool {
        self.latency_clocks().is_some()
    }

    /// Clocks from a word that goes in to the word that comes out; `None` of programs, which have none.
    pub fn latency_clocks(self) -> Option<u32> {
        match self {
            Language::C | Language::Rust => None,
            Language::Verilog => Some(verilog::LATENCY_CLOCKS),
            Language::Vhdl => Some(vhdl::LATENCY_CLOCKS),
        }
    }
}

/// A file that was written.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct GeneratedFile {
    /// Its language.
    pub language: Language,
    /// Its name, without a folder.
    pub name: String,
    /// Its text, with Unix line ends.
    pub text: String,
}

/// Why a datapath cannot be written in a language.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
#[non_exhaustive]
pub enum WriteError {
    /// A filter in floating point in a language of hardware.
    #[error("a filter in floating point is written in C and Rust; {target} has integers only")]
    Float {
        /// The target.
        target: &'static str,
    },
    /// A program that changes the rate, or has several ports.
    #[error(
        "{target} is written for programs that take one word and give one; this one takes {takes} and gives \
         {gives} in a firing"
    )]
    Firing {
        /// The target.
        target: &'static str,
        /// Words that a firing takes.
        takes: usize,
        /// Words that it gives.
        gives: usize,
    },
    /// A network that begins with words that are thrown away, or ends with zeros.
    #[error(
        "{target} is written for networks whose words are kept behind a program, and whose zeros are \
         filled in front of one"
    )]
    Steps {
        /// The target.
        target: &'static str,
    },
    /// More bits are dropped at once than the target can shift by.
    #[error(
        "{target} cannot express node n{}: it drops {shift} bits and {target} shifts by at most {limit}; \
         {fits}", .node.0
    )]
    Shift {
        /// The target.
        target: &'static str,
        /// The node.
        node: Node,
        /// Bits dropped.
        shift: u32,
        /// The most that the target can drop.
        limit: u32,
        /// What would fit.
        fits: &'static str,
    },
    /// A product that is rounded before it is added is wider than the target's widest word.
    #[error(
        "{target} cannot express node n{}: its products need {needed} bits before they are rounded and \
            {target} has {limit}; {fits}", .node.0
    )]
    Product {
        /// The target.
        target: &'static str,
        /// The node.
        node: Node,
        /// Bits of the largest product.
        needed: u32,
        /// The widest word of the target.
        limit: u32,
        /// What would fit.
        fits: &'static str,
    },
}

/// The line that all generated files begin with, after the comment mark.
pub(crate) const ORIGIN: &str = concat!(
    "Written by Mellow Rake ",
    env!("CARGO_PKG_VERSION"),
    "; change the spec, not this file."
);
