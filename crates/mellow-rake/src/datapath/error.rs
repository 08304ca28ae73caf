//! What can be wrong with a datapath.

use super::Node;
use crate::fixed::{Overflow, WordFormat};

/// Why a datapath is refused. `node` is the number of the operation, as the dump prints it.
#[derive(Debug, Clone, PartialEq, thiserror::Error)]
#[non_exhaustive]
pub enum DatapathError {
    /// A node uses another that does not come before it or gives no word.
    #[error("node n{} uses n{}, which gives no word before it", .node.0, .uses.0)]
    NoSuchWord {
        /// The user.
        node: Node,
        /// The node that it names.
        uses: Node,
    },
    /// Node numbers must rise in program order.
    #[error("node n{} is out of order: node numbers rise in program order", .node.0)]
    OutOfOrder {
        /// The node.
        node: Node,
    },
    /// An operation stands where it has no meaning: `Carried` or `Row::Pass` outside a loop, a loop in a
    /// loop.
    #[error("node n{}: {what} has no meaning here", .node.0)]
    Misplaced {
        /// The node.
        node: Node,
        /// The operation.
        what: &'static str,
    },
    /// A table or line that does not exist, or a row, column or age beyond its end.
    #[error("node n{}: {what} {index} of `{of}` does not exist; it has {limit}", .node.0)]
    OutOfBounds {
        /// The node.
        node: Node,
        /// "row", "column", "age", "table", "line", "port" or "word".
        what: &'static str,
        /// The index asked for.
        index: usize,
        /// The name of the table or line.
        of: &'static str,
        /// How many there are.
        limit: usize,
    },
    /// Table rows differ in length, are empty, or hold integers beyond the format.
    #[error("table `{table}`: {what}")]
    BadTable {
        /// The table.
        table: &'static str,
        /// What is wrong.
        what: &'static str,
    },
    /// Ports of one direction that do not make sense.
    #[error("{direction} ports: {what}")]
    BadPorts {
        /// "input" or "output".
        direction: &'static str,
        /// What is wrong.
        what: &'static str,
    },
    /// A word of an output port is not given exactly once per firing.
    #[error(
        "word {at} of output port {port} is given {times} times per firing; exactly one is needed"
    )]
    Deliveries {
        /// The port.
        port: usize,
        /// Its word.
        at: usize,
        /// How many times it is given.
        times: usize,
    },
    /// A row of a line is not given exactly one word per firing.
    #[error("row {row} of line `{line}` is given {times} words per firing; exactly one is needed")]
    Stores {
        /// The line.
        line: &'static str,
        /// Its row.
        row: usize,
        /// How many stores reach it.
        times: usize,
    },
    /// The word of age 0 is read before it is stored.
    #[error("node n{} reads age 0 of line `{line}` before the store of this firing", .node.0)]
    ReadBeforeStore {
        /// The node.
        node: Node,
        /// The line.
        line: &'static str,
    },
    /// Two formats that must agree do not.
    #[error("node n{}: the format is {found}, {expected} is needed", .node.0)]
    Format {
        /// The node.
        node: Node,
        /// What it has.
        found: WordFormat,
        /// What it must have.
        expected: WordFormat,
    },
    /// A term of a sum has more fraction than the accumulator, or a limit changes the fraction.
    #[error(
        "node n{}: a word with {found} fraction bits meets one with {expected}; the finer one must be \
         rounded first", .node.0
    )]
    Fraction {
        /// The node.
        node: Node,
        /// Fraction bits found.
        found: i32,
        /// Fraction bits that would fit.
        expected: i32,
    },
    /// A word would need more bits than there are.
    #[error("node n{} needs {needed} bits; a word has at most 64", .node.0)]
    TooWide {
        /// The node.
        node: Node,
        /// Bits needed.
        needed: u32,
    },
    /// The words of a delay line are too wide.
    #[error("line `{line}`: an unsigned word has at most 63 bits")]
    LineTooWide {
        /// The line.
        line: &'static str,
    },
    /// Overflow is forbidden, and no proof shows that it cannot happen.
    #[error(
        "node n{} of pass {pass}: overflow = \"{overflow}\", but the level can reach {low:.6} to {high:.6}, \
         beyond {format} ({format_low} to {format_high}), which takes {more} more whole bits", .node.0
    )]
    CanOverflow {
        /// The node.
        node: Node,
        /// The pass of the loop around it (0 outside).
        pass: usize,
        /// The overflow asked for.
        overflow: Overflow,
        /// The lowest level that it can reach.
        low: f64,
        /// The highest.
        high: f64,
        /// The format that is too small.
        format: WordFormat,
        /// Its lowest value.
        format_low: f64,
        /// Its highest value.
        format_high: f64,
        /// Whole bits that are missing, at least 1.
        more: u32,
    },
    /// Overflow is forbidden, and the level at the node could not be bounded.
    #[error("node n{}: overflow = \"forbid\" needs a bound on the level, and there is none: {why}", .node.0)]
    NoBound {
        /// The node.
        node: Node,
        /// Why not.
        why: String,
    },
}
