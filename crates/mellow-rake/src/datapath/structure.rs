//! The structure of a program: every name means something, every word has its fraction, every line is given
//! its words.

use super::{
    Block, Datapath, DatapathError, Fold, LineIndex, Node, Operation, RoundedProducts, Row,
    TableIndex, Term,
};

/// The walk that checks that every name means something, and finds the fraction of every node.
pub(super) struct Structure<'a> {
    datapath: &'a Datapath,
    /// The fraction of each node that gives a word, by number.
    fractions: Vec<Option<i32>>,
    last: Option<Node>,
    /// For each line and row, how many words it is given.
    stores: Vec<Vec<usize>>,
    /// For each line, the block that it belongs to: `Some(None)` the outermost, `Some(Some(n))` that of loop
    /// n.
    owners: Vec<Option<Option<Node>>>,
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
        let stores = datapath.lines.iter().map(|line| vec![0; line.rows]).collect();
        let fractions = vec![None; datapath.nodes()];
        let owners = vec![None; datapath.lines.len()];
        let mut structure = Structure { datapath, fractions, last: None, stores, owners };
        structure.block(&datapath.body, None)?;
        for (line, stores) in datapath.lines.iter().zip(&structure.stores) {
            if let Some(row) = stores.iter().position(|times| *times != 1) {
                return Err(DatapathError::Stores { line: line.name, row, times: stores[row] });
            }
        }
        Ok(structure.fractions.into_iter().map(|fraction| fraction.unwrap_or(0)).collect())
    }

    fn block(&mut self, block: &'a Block, inside: Option<Loop>) -> Result<(), DatapathError> {
        for (node, operation) in &block.operations {
            if self.last.is_some_and(|last| last >= *node) {
                return Err(DatapathError::OutOfOrder { node: *node });
            }
            self.last = Some(*node);
            let fraction = self.operation(*node, operation, inside)?;
            self.fractions[node.0 as usize] = Some(fraction);
        }
        let last = block.operations.last().map_or(Node(0), |(node, _)| *node);
        self.word(last, block.result)?;
        Ok(())
    }

    fn operation(
        &mut self,
        node: Node,
        operation: &'a Operation,
        inside: Option<Loop>,
    ) -> Result<i32, DatapathError> {
        Ok(match operation {
            Operation::Input => self.datapath.input.fraction(),
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
                for row in self.rows(node, *line, *row, inside)? {
                    self.stores[line.0][row] += 1;
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
                self.block(body, Some(Loop { node, passes: *passes, fraction }))?;
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
        let hidden =
            self.datapath.body.operations.iter().any(|(outer, operation)| match operation {
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
        // A line belongs to one block, and in a loop each pass to one row: then an implementation may move
        // the line on at the end of the block.
        let owner = inside.map(|around| around.node);
        let foreign = *self.owners[line.0].get_or_insert(owner) != owner;
        match (row, inside) {
            _ if foreign => Err(DatapathError::Misplaced { node, what: "a line of another block" }),
            (Row::Fixed(_), Some(_)) => {
                Err(DatapathError::Misplaced { node, what: "a fixed row of a line" })
            }
            (Row::Pass, _) => Ok((0..=last).collect()),
            (Row::Fixed(row), None) => Ok(vec![row]),
        }
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
