//! The structure of a program: every name means something, every word has its fraction, every line and every
//! output port is given its words.

use super::{
    Datapath, DatapathError, Fold, LineIndex, Node, Operation, Port, RoundedProducts, Row,
    TableIndex, Term,
};

/// Words that all ports of one direction take or give in one firing at most.
const MOST_WORDS: usize = 1 << 16;

/// The walk that checks that every name means something, and finds the fraction of every node.
pub(super) struct Structure<'a> {
    datapath: &'a Datapath,
    /// The fraction of each node that gives a word, by number.
    fractions: Vec<Option<i32>>,
    last: Option<Node>,
    /// For each line and row, how many words it is given.
    stores: Vec<Vec<usize>>,
    /// For each word of each output port, how many times it is given.
    deliveries: Vec<Vec<usize>>,
    /// For each line, the loop that stores in it; `None` for the outermost block.
    owners: Vec<Option<Node>>,
}

/// The loop that a block belongs to.
#[derive(Clone, Copy)]
struct Loop {
    node: Node,
    passes: usize,
    fraction: i32,
}

impl<'a> Structure<'a> {
    pub(super) fn check(datapath: &'a Datapath) -> Result<Vec<i32>, DatapathError> {
        let count = datapath.operations().count() as u32;
        if let Some((node, ..)) = datapath.operations().find(|(node, ..)| node.0 >= 4 * count + 16)
        {
            return Err(DatapathError::OutOfOrder { node });
        }
        check_ports("input", &datapath.inputs)?;
        check_ports("output", &datapath.outputs)?;
        let stores = datapath.lines.iter().map(|line| vec![0; line.rows]).collect();
        let deliveries = datapath.outputs.iter().map(|port| vec![0; port.count]).collect();
        let fractions = vec![None; datapath.nodes()];
        let owners = owners(datapath);
        let last = None;
        let mut structure = Structure { datapath, fractions, last, stores, deliveries, owners };
        structure.block(&datapath.body, None)?;
        for (port, words) in structure.deliveries.iter().enumerate() {
            if let Some(at) = words.iter().position(|times| *times != 1) {
                return Err(DatapathError::Deliveries { port, at, times: words[at] });
            }
        }
        for (line, stores) in datapath.lines.iter().zip(&structure.stores) {
            if let Some(row) = stores.iter().position(|times| *times != 1) {
                return Err(DatapathError::Stores { line: line.name, row, times: stores[row] });
            }
        }
        Ok(structure.fractions.into_iter().map(|fraction| fraction.unwrap_or(0)).collect())
    }

    fn block(
        &mut self,
        operations: &'a [(Node, Operation)],
        inside: Option<Loop>,
    ) -> Result<(), DatapathError> {
        for (node, operation) in operations {
            if self.last.is_some_and(|last| last >= *node) {
                return Err(DatapathError::OutOfOrder { node: *node });
            }
            self.last = Some(*node);
            let fraction = self.operation(*node, operation, inside)?;
            self.fractions[node.0 as usize] = Some(fraction);
        }
        Ok(())
    }

    fn operation(
        &mut self,
        node: Node,
        operation: &'a Operation,
        inside: Option<Loop>,
    ) -> Result<i32, DatapathError> {
        Ok(match operation {
            Operation::Input { port, at } => {
                let found = port_word(node, &self.datapath.inputs, INPUTS, *port, *at, inside)?;
                found.format.fraction()
            }
            Operation::Carried => {
                inside.ok_or(DatapathError::Misplaced { node, what: "a carried word" })?.fraction
            }
            Operation::Tap { line, row, age } => self.taps(node, *line, *row, *age, 1, inside)?,
            Operation::Product { table, row, column, word } => {
                self.coefficients(node, *table, *row, *column, 1, inside)?
                    + self.word(node, *word)?
            }
            Operation::Accumulate { terms, format } => {
                for term in terms {
                    let found = self.term(node, term, inside)?;
                    let expected = format.fraction();
                    if found > expected || expected.saturating_sub(found) > 120 {
                        return Err(DatapathError::Fraction { node, found, expected });
                    }
                }
                format.fraction()
            }
            Operation::Round { word, fraction, .. } => {
                let found = self.word(node, *word)?;
                if !(-256..=256).contains(fraction) || fraction - found > 63 {
                    return Err(DatapathError::Fraction { node, found, expected: *fraction });
                }
                *fraction
            }
            Operation::Limit { word, format, .. } => {
                let (found, expected) = (self.word(node, *word)?, format.fraction());
                if found != expected {
                    return Err(DatapathError::Fraction { node, found, expected });
                }
                expected
            }
            Operation::Store { line, row, word } => {
                let fraction = self.word(node, *word)?;
                if matches!((row, inside), (Row::Fixed(_), Some(_))) {
                    let what = "a store in a fixed row";
                    return Err(DatapathError::Misplaced { node, what });
                }
                for row in self.rows(node, *line, *row, inside)? {
                    self.stores[line.0][row] += 1;
                }
                fraction
            }
            Operation::Deliver { port, at, word } => {
                let fraction = self.word(node, *word)?;
                port_word(node, &self.datapath.outputs, OUTPUTS, *port, *at, inside)?;
                for pass in 0..inside.map_or(1, |around| around.passes) {
                    self.deliveries[*port][at.at(pass)] += 1;
                }
                fraction
            }
            Operation::Repeat { passes, first, body } => {
                if inside.is_some() {
                    return Err(DatapathError::Misplaced { node, what: "a loop inside a loop" });
                }
                if *passes == 0 {
                    return Err(DatapathError::Misplaced { node, what: "a loop of no passes" });
                }
                let fraction = self.word(node, *first)?;
                self.block(&body.operations, Some(Loop { node, passes: *passes, fraction }))?;
                let result = self.word(node, body.result)?;
                if result != fraction {
                    return Err(DatapathError::Fraction {
                        node,
                        found: result,
                        expected: fraction,
                    });
                }
                fraction
            }
        })
    }

    /// The fraction of a word that `user` uses. The words of a loop's body are seen only inside it.
    fn word(&self, user: Node, word: Node) -> Result<i32, DatapathError> {
        let hidden = self.datapath.body.iter().any(|(outer, operation)| match operation {
            Operation::Repeat { body, .. } => {
                let within = |node| body.operations.iter().any(|(inner, _)| *inner == node);
                within(word) && !within(user) && user != *outer
            }
            _ => false,
        });
        if hidden {
            return Err(DatapathError::NoSuchWord { node: user, uses: word });
        }
        self.fractions
            .get(word.0 as usize)
            .copied()
            .flatten()
            .ok_or(DatapathError::NoSuchWord { node: user, uses: word })
    }

    fn term(
        &mut self,
        node: Node,
        term: &Term,
        inside: Option<Loop>,
    ) -> Result<i32, DatapathError> {
        match term {
            Term::Word { word, binary_point_shift, .. } => {
                let fraction = self.word(node, *word)?;
                let wide = (-128..=128).contains(binary_point_shift);
                let found = fraction.saturating_add(*binary_point_shift);
                let expected = fraction;
                if wide {
                    Ok(found)
                } else {
                    Err(DatapathError::Fraction { node, found, expected })
                }
            }
            Term::Dot {
                table, table_row, column, line, line_row, age, count, products, ..
            } => {
                let coefficients =
                    self.coefficients(node, *table, *table_row, *column, *count, inside)?;
                let own = coefficients + self.taps(node, *line, *line_row, *age, *count, inside)?;
                products_fraction(node, own, *products)
            }
            Term::Folded(fold) => {
                let Fold { table, table_row, column, line, line_row, age, mirror, .. } = *fold;
                let coefficients =
                    self.coefficients(node, table, table_row, column, fold.count, inside)?;
                // From both ends towards each other, never past each other: all ages lie between the first
                // two.
                let span = fold.stride.saturating_mul(fold.count.saturating_sub(1));
                let first = age.saturating_add(span);
                if mirror.checked_sub(span).is_none_or(|second| second <= first) {
                    let what = "a fold whose ends pass each other";
                    return Err(DatapathError::Misplaced { node, what });
                }
                let taps = self.taps(node, line, line_row, age, mirror - age + 1, inside)?;
                products_fraction(node, coefficients + taps, fold.products)
            }
        }
    }

    fn coefficients(
        &self,
        node: Node,
        table: TableIndex,
        row: Row,
        column: usize,
        count: usize,
        inside: Option<Loop>,
    ) -> Result<i32, DatapathError> {
        let beyond =
            |what, index, of, limit| DatapathError::OutOfBounds { node, what, index, of, limit };
        let Some(found) = self.datapath.tables.get(table.0) else {
            return Err(beyond("table", table.0, "tables", self.datapath.tables.len()));
        };
        let last = last_row(node, row, inside)?;
        if last >= found.rows.len() {
            return Err(beyond("row", last, found.name, found.rows.len()));
        }
        let columns = found.rows[0].len();
        match column.checked_add(count) {
            Some(end) if end <= columns && count > 0 => Ok(found.format.fraction()),
            _ => Err(beyond("column", column.saturating_add(count), found.name, columns)),
        }
    }

    fn taps(
        &mut self,
        node: Node,
        line: LineIndex,
        row: Row,
        age: usize,
        count: usize,
        inside: Option<Loop>,
    ) -> Result<i32, DatapathError> {
        let rows = self.rows(node, line, row, inside)?;
        let found = &self.datapath.lines[line.0];
        let oldest = age.saturating_add(count).saturating_sub(1);
        if oldest > found.depth || count == 0 {
            let (of, limit) = (found.name, found.depth);
            return Err(DatapathError::OutOfBounds { node, what: "age", index: oldest, of, limit });
        }
        if age == 0 && rows.into_iter().any(|row| self.stores[line.0][row] == 0) {
            return Err(DatapathError::ReadBeforeStore { node, line: found.name });
        }
        Ok(found.format.fraction())
    }

    /// The rows of a line that an operation reaches over all passes.
    fn rows(
        &mut self,
        node: Node,
        line: LineIndex,
        row: Row,
        inside: Option<Loop>,
    ) -> Result<Vec<usize>, DatapathError> {
        let beyond =
            |what, index, of, limit| DatapathError::OutOfBounds { node, what, index, of, limit };
        let Some(found) = self.datapath.lines.get(line.0) else {
            return Err(beyond("line", line.0, "lines", self.datapath.lines.len()));
        };
        let last = last_row(node, row, inside)?;
        if last >= found.rows {
            return Err(beyond("row", last, found.name, found.rows));
        }
        // A line belongs to the block that stores in it, and in a loop each pass to one row: then an
        // implementation may move the line on at the end of that block. A loop inside the block ends before.
        let owner = inside.map(|around| around.node);
        let is_own = self.owners[line.0] == owner;
        match (row, inside) {
            (Row::Fixed(row), None) if is_own => Ok(vec![row]),
            (Row::Fixed(row), Some(_)) if self.owners[line.0].is_none() => Ok(vec![row]),
            (Row::Pass, _) if is_own => Ok((0..=last).collect()),
            (Row::Fixed(_), Some(_)) if is_own => {
                Err(DatapathError::Misplaced { node, what: "a fixed row of a line" })
            }
            _ => Err(DatapathError::Misplaced { node, what: "a line of another block" }),
        }
    }
}

/// The loop that stores in each line, or `None` where it is the outermost block, or nothing does. Stores in
/// two blocks are found by the walk.
fn owners(datapath: &Datapath) -> Vec<Option<Node>> {
    let mut owners = vec![None; datapath.lines.len()];
    for (outer, operation) in &datapath.body {
        let Operation::Repeat { body, .. } = operation else { continue };
        for (_, operation) in &body.operations {
            if let Operation::Store { line, .. } = operation
                && let Some(owner) = owners.get_mut(line.0)
            {
                *owner = Some(*outer);
            }
        }
    }
    owners
}

const INPUTS: [&str; 2] = ["inputs", "an input port"];
const OUTPUTS: [&str; 2] = ["outputs", "an output port"];

/// The port of a word that exists in every pass.
fn port_word(
    node: Node,
    ports: &[Port],
    [all, one]: [&'static str; 2],
    port: usize,
    at: Row,
    inside: Option<Loop>,
) -> Result<Port, DatapathError> {
    let beyond =
        |what, index, of, limit| DatapathError::OutOfBounds { node, what, index, of, limit };
    let Some(found) = ports.get(port) else {
        return Err(beyond("port", port, all, ports.len()));
    };
    let last = last_row(node, at, inside)?;
    if last >= found.count {
        return Err(beyond("word", last, one, found.count));
    }
    Ok(*found)
}

/// Whether ports are there, and take or give words, but not too many.
fn check_ports(direction: &'static str, ports: &[Port]) -> Result<(), DatapathError> {
    let bad = |what| Err(DatapathError::BadPorts { direction, what });
    let words = ports.iter().try_fold(0usize, |sum, port| sum.checked_add(port.count));
    match words {
        _ if ports.is_empty() => bad("there is none"),
        _ if ports.iter().any(|port| port.count == 0) => bad("one has no words"),
        Some(0..=MOST_WORDS) => Ok(()),
        _ => bad("together they have more than 65536 words in a firing"),
    }
}

/// The fraction of products as they are added.
fn products_fraction(
    node: Node,
    found: i32,
    products: Option<RoundedProducts>,
) -> Result<i32, DatapathError> {
    match products {
        None => Ok(found),
        Some(RoundedProducts { fraction, .. })
            if !(-256..=256).contains(&fraction) || !(-63..=126).contains(&(found - fraction)) =>
        {
            Err(DatapathError::Fraction { node, found, expected: fraction })
        }
        Some(RoundedProducts { fraction, .. }) => Ok(fraction),
    }
}

/// The largest row that is meant, over all passes.
fn last_row(node: Node, row: Row, inside: Option<Loop>) -> Result<usize, DatapathError> {
    match (row, inside) {
        (Row::Fixed(row), _) => Ok(row),
        (Row::Pass, Some(Loop { passes, .. })) => Ok(passes - 1),
        (Row::Pass, None) => Err(DatapathError::Misplaced { node, what: "the row of a pass" }),
    }
}
