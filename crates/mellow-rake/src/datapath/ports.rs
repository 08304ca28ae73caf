//! What goes in and out of a program in one firing.

use super::{Block, Checked, Datapath, Line, Node, Operation, Row, Table};
use crate::fixed::WordFormat;

/// A stream of words that a program takes or gives.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Port {
    /// The format of every word.
    pub format: WordFormat,
    /// Words per firing, at least 1.
    pub count: usize,
}

impl Port {
    /// A port of one word per firing.
    pub const fn one(format: WordFormat) -> Port {
        Port { format, count: 1 }
    }
}

/// Where each port's words begin when those of all ports stand one after the other.
pub(super) fn offsets(ports: &[Port]) -> Vec<usize> {
    let begin = |sum: &mut usize, port: &Port| {
        let here = *sum;
        *sum += port.count;
        Some(here)
    };
    ports.iter().scan(0, begin).collect()
}

/// The format of each word of a firing, port by port.
pub(super) fn words(ports: &[Port]) -> impl Iterator<Item = WordFormat> + '_ {
    ports.iter().flat_map(|port| std::iter::repeat_n(port.format, port.count))
}

impl Datapath {
    /// A program that takes one sample and gives one: the result of the block goes out.
    ///
    /// ```
    /// use mellow_rake::datapath::{Block, Datapath, Node, Operation, Row, Simulator};
    /// let word = "s8f7".parse()?;
    /// let operations = vec![(Node(0), Operation::INPUT)];
    /// let block = Block { operations, result: Node(0) };
    /// let wire = Datapath::per_sample([word, word], Vec::new(), Vec::new(), block).check()?;
    /// assert_eq!(Simulator::new(&wire).run(&[3, -5]), [3, -5]);
    /// # Ok::<(), Box<dyn std::error::Error>>(())
    /// ```
    pub fn per_sample(
        [input, output]: [WordFormat; 2],
        tables: Vec<Table>,
        lines: Vec<Line>,
        block: Block,
    ) -> Datapath {
        let (mut body, word) = (block.operations, block.result);
        let next = |(node, operation): &(Node, Operation)| match operation {
            Operation::Repeat { body, .. } => {
                body.operations.iter().map(|(node, _)| *node).fold(*node, Node::max).0 + 1
            }
            _ => node.0 + 1,
        };
        let number = body.iter().map(next).max().unwrap_or(0);
        body.push((Node(number), Operation::Deliver { port: 0, at: Row::Fixed(0), word }));
        let (inputs, outputs) = (vec![Port::one(input)], vec![Port::one(output)]);
        Datapath { inputs, outputs, tables, lines, body }
    }

    /// Whether it takes one word and gives one, outside of loops: a filter.
    pub fn is_per_sample(&self) -> bool {
        let is_one = |ports: &[Port]| matches!(ports, [Port { count: 1, .. }]);
        let delivers =
            |(_, operation): &(Node, Operation)| matches!(operation, Operation::Deliver { .. });
        is_one(&self.inputs) && is_one(&self.outputs) && self.body.iter().any(delivers)
    }

    /// The word that is delivered last in the program; of one that gives one word per firing, what goes out.
    pub fn result(&self) -> Option<Node> {
        let word = |(_, operation, _): (Node, &Operation, usize)| match operation {
            Operation::Deliver { word, .. } => Some(*word),
            _ => None,
        };
        self.operations().filter_map(word).last()
    }

    /// Words that one firing takes.
    pub fn words_in(&self) -> usize {
        self.inputs.iter().map(|port| port.count).sum()
    }

    /// Words that one firing gives.
    pub fn words_out(&self) -> usize {
        self.outputs.iter().map(|port| port.count).sum()
    }
}

impl Checked {
    /// The format of the first input port.
    pub fn input(&self) -> WordFormat {
        self.datapath().inputs[0].format
    }

    /// The format of the first output port.
    pub fn output(&self) -> WordFormat {
        self.datapath().outputs[0].format
    }
}
