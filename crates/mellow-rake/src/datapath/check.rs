//! From a datapath to a checked one: is it a program at all, and what is known about it?

use super::bound::{Bounds, bounds};
use super::range::{Ranges, ranges};
use super::walk::Place;
use super::{
    Block, Datapath, DatapathError, LineIndex, Node, Operation, Row, Table, TableIndex, Term,
};
use crate::filter::NotProved;
use crate::fixed::{Overflow, WordFormat};
use std::collections::BTreeMap;

/// What is known about the word of an accumulator.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct SumFact {
    /// The largest size that any partial sum, in any order, can have.
    pub partial: i128,
    /// The largest size of a single product.
    pub product: i128,
    /// Whether the final sum may leave the accumulator and wrap. `false` is proved.
    pub wraps: bool,
}

/// What is known about a limit.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct LimitFact {
    /// The smallest integer that the word before the limit can hold by its own arithmetic.
    pub low: i128,
    /// The largest.
    pub high: i128,
    /// Whether the limit may act. `false` is proved: by the ranges alone, or by the l1 bound from the zero
    /// state.
    pub acts: bool,
}

/// Everything that the check found out.
#[derive(Debug, Clone)]
pub struct Facts {
    fractions: Vec<i32>,
    formats: BTreeMap<Node, WordFormat>,
    ranges: BTreeMap<Node, (i128, i128)>,
    sums: BTreeMap<Node, SumFact>,
    limits: BTreeMap<Node, LimitFact>,
    bounds: Result<Bounds, NotProved>,
}

impl Facts {
    /// The format of a node's word: as declared, or the narrowest that holds its range.
    pub fn format(&self, node: Node) -> WordFormat {
        self.formats[&node]
    }

    /// The smallest and largest integer that a node's word can hold.
    pub fn range(&self, node: Node) -> (i128, i128) {
        self.ranges[&node]
    }

    /// What is known about an accumulator; `None` for other operations.
    pub fn sum(&self, node: Node) -> Option<SumFact> {
        self.sums.get(&node).copied()
    }

    /// What is known about a limit; `None` for other operations.
    pub fn limit(&self, node: Node) -> Option<LimitFact> {
        self.limits.get(&node).copied()
    }

    /// The proved bounds on levels and errors, or why there are none.
    pub fn bounds(&self) -> &Result<Bounds, NotProved> {
        &self.bounds
    }
}

/// A datapath that is known to be a program, with what is known about it. Made by [`Datapath::check`] only.
#[derive(Debug, Clone)]
pub struct Checked {
    datapath: Datapath,
    facts: Facts,
}

impl Checked {
    /// The program.
    pub fn datapath(&self) -> &Datapath {
        &self.datapath
    }

    /// What is known about it.
    pub fn facts(&self) -> &Facts {
        &self.facts
    }

    pub(super) fn fractions(&self) -> &[i32] {
        &self.facts.fractions
    }
}

impl Datapath {
    /// Checks the program and finds out what can be known about it.
    ///
    /// # Errors
    /// [`DatapathError`] names the node or line, what was found and what is needed. A limit with
    /// `overflow = "forbid"` is refused unless it is proved that it cannot act.
    pub fn check(self) -> Result<Checked, DatapathError> {
        let facts = find_facts(&self)?;
        Ok(Checked {
            datapath: self,
            facts,
        })
    }
}

fn find_facts(datapath: &Datapath) -> Result<Facts, DatapathError> {
    check_tables(datapath)?;
    let fractions = Structure::check(datapath)?;
    let Ranges {
        nodes,
        sums,
        products,
        limits,
    } = ranges(datapath, &fractions);

    let mut formats = BTreeMap::new();
    let mut watched = Vec::new();
    for (node, operation, passes) in datapath.operations() {
        let range = nodes[&node];
        let declared = match operation {
            Operation::Input => Some(datapath.input),
            Operation::Accumulate { format, .. } | Operation::Limit { format, .. } => Some(*format),
            Operation::Tap { line, .. } => Some(datapath.lines[line.0].format),
            Operation::Carried | Operation::Repeat { .. } | Operation::Store { .. } => {
                Some(source_format(datapath, &formats, node, operation))
            }
            _ => WordFormat::holding(range.low, range.high, fractions[node.0 as usize]),
        };
        let needed = || 130 - range.partial.leading_zeros().min(129);
        let format = declared.ok_or_else(|| DatapathError::TooWide {
            node,
            needed: needed(),
        })?;
        fits_i64(format).ok_or(DatapathError::TooWide { node, needed: 65 })?;
        formats.insert(node, format);
        let may_change = match operation {
            Operation::Accumulate { .. } => sums[&node],
            Operation::Limit { .. } => limits[&node],
            _ => continue,
        };
        if !(format.holds(may_change.low) && format.holds(may_change.high)) {
            watched.extend((0..passes).map(|pass| (Place { node, pass }, format)));
        }
    }
    check_formats(datapath, &formats)?;

    let bounds = bounds(datapath, &fractions, &watched);
    let open = |node: Node| {
        let inside = watched.iter().all(|(place, _)| place.node != node);
        !inside && bounds.as_ref().map_or(true, |bounds| !bounds.is_safe(node))
    };
    for (node, operation, _) in datapath.operations() {
        if matches!(
            operation,
            Operation::Limit {
                overflow: Overflow::Forbid,
                ..
            }
        ) && open(node)
        {
            return Err(refuse(node, &bounds));
        }
    }
    let sums = sums
        .iter()
        .map(|(node, sum)| {
            let product = products.get(node).copied().unwrap_or(0);
            (
                *node,
                SumFact {
                    partial: sum.partial,
                    product,
                    wraps: open(*node),
                },
            )
        })
        .collect();
    let limits = limits
        .iter()
        .map(|(node, word)| {
            (
                *node,
                LimitFact {
                    low: word.low,
                    high: word.high,
                    acts: open(*node),
                },
            )
        })
        .collect();
    let ranges = nodes
        .iter()
        .map(|(node, word)| (*node, (word.low, word.high)))
        .collect();
    Ok(Facts {
        fractions,
        formats,
        ranges,
        sums,
        limits,
        bounds,
    })
}

/// Words travel as i64: unsigned words have at most 63 bits.
fn fits_i64(format: WordFormat) -> Option<()> {
    (format.is_signed() || format.width() < 64).then_some(())
}

fn refuse(node: Node, bounds: &Result<Bounds, NotProved>) -> DatapathError {
    let bounds = match bounds {
        Ok(bounds) => bounds,
        Err(why) => {
            return DatapathError::NoBound {
                node,
                why: why.to_string(),
            };
        }
    };
    let worst = bounds
        .reaches
        .iter()
        .filter(|reach| reach.node == node && !reach.safe)
        .max_by(|a, b| {
            let size = |r: &super::Reach| r.low.abs().max(r.high.abs());
            size(a).total_cmp(&size(b))
        });
    let Some(reach) = worst else {
        return DatapathError::NoBound {
            node,
            why: "its place was not reached".to_owned(),
        };
    };
    let format = reach.format;
    let low = format.minimum() as f64 * format.step();
    let high = format.maximum() as f64 * format.step();
    let excess = (reach.high / high).max(if low < 0.0 { reach.low / low } else { 1.0 });
    DatapathError::CanOverflow {
        node,
        pass: reach.pass,
        overflow: Overflow::Forbid,
        low: reach.low,
        high: reach.high,
        format,
        format_low: low,
        format_high: high,
        more: libm::ceil(libm::log2(excess.max(1.0))) as u32,
    }
}

/// The format of an operation that hands a word on.
fn source_format(
    datapath: &Datapath,
    formats: &BTreeMap<Node, WordFormat>,
    node: Node,
    operation: &Operation,
) -> WordFormat {
    let source = match operation {
        Operation::Store { word, .. } => *word,
        Operation::Repeat { first, .. } => *first,
        // Carried: the loop around it, whose own node comes after `first` and before its body.
        _ => datapath
            .body
            .operations
            .iter()
            .find_map(|(_, outer)| match outer {
                Operation::Repeat { first, body, .. }
                    if body.operations.iter().any(|(inner, _)| *inner == node) =>
                {
                    Some(*first)
                }
                _ => None,
            })
            .expect("the structure check found the loop around a carried word"),
    };
    formats[&source]
}

fn check_tables(datapath: &Datapath) -> Result<(), DatapathError> {
    for Table {
        name, format, rows, ..
    } in &datapath.tables
    {
        let columns = rows.first().map_or(0, Vec::len);
        let what = if columns == 0 {
            "it has no coefficients"
        } else if rows.iter().any(|row| row.len() != columns) {
            "its rows differ in length"
        } else if rows
            .iter()
            .flatten()
            .any(|value| !format.holds((*value).into()))
        {
            "a coefficient lies outside its format"
        } else {
            continue;
        };
        return Err(DatapathError::BadTable { table: name, what });
    }
    Ok(())
}

fn check_formats(
    datapath: &Datapath,
    formats: &BTreeMap<Node, WordFormat>,
) -> Result<(), DatapathError> {
    let agree = |node: Node, found: WordFormat, expected: WordFormat| {
        if found == expected {
            Ok(())
        } else {
            Err(DatapathError::Format {
                node,
                found,
                expected,
            })
        }
    };
    for (node, operation, _) in datapath.operations() {
        match operation {
            Operation::Store { line, word, .. } => {
                agree(node, formats[word], datapath.lines[line.0].format)?;
            }
            Operation::Repeat { first, body, .. } => {
                agree(body.result, formats[&body.result], formats[first])?;
            }
            _ => {}
        }
    }
    for line in &datapath.lines {
        if fits_i64(line.format).is_none() {
            return Err(DatapathError::TooWide {
                node: Node(0),
                needed: 65,
            });
        }
    }
    agree(
        datapath.body.result,
        formats[&datapath.body.result],
        datapath.output,
    )
}

/// The walk that checks that every name means something, and finds the fraction of every node.
struct Structure<'a> {
    datapath: &'a Datapath,
    /// The fraction of each node that gives a word, by number.
    fractions: Vec<Option<i32>>,
    last: Option<Node>,
    /// For each line and row, how many words it is given.
    stores: Vec<Vec<usize>>,
    /// For each line, the block that it belongs to: `Some(None)` the outermost, `Some(Some(n))` that of loop n.
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
    fn check(datapath: &'a Datapath) -> Result<Vec<i32>, DatapathError> {
        let count = datapath.operations().count() as u32;
        if let Some((node, ..)) = datapath
            .operations()
            .find(|(node, ..)| node.0 >= 4 * count + 16)
        {
            return Err(DatapathError::OutOfOrder { node });
        }
        let stores = datapath
            .lines
            .iter()
            .map(|line| vec![0; line.rows])
            .collect();
        let fractions = vec![None; datapath.nodes()];
        let owners = vec![None; datapath.lines.len()];
        let mut structure = Structure {
            datapath,
            fractions,
            last: None,
            stores,
            owners,
        };
        structure.block(&datapath.body, None)?;
        for (line, stores) in datapath.lines.iter().zip(&structure.stores) {
            if let Some(row) = stores.iter().position(|times| *times != 1) {
                return Err(DatapathError::Stores {
                    line: line.name,
                    row,
                    times: stores[row],
                });
            }
        }
        Ok(structure
            .fractions
            .into_iter()
            .map(|fraction| fraction.unwrap_or(0))
            .collect())
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
                inside
                    .ok_or(DatapathError::Misplaced {
                        node,
                        what: "a carried word",
                    })?
                    .fraction
            }
            Operation::Tap { line, row, age } => self.taps(node, *line, *row, *age, 1, inside)?,
            Operation::Product {
                table,
                row,
                column,
                word,
            } => {
                self.coefficients(node, *table, *row, *column, 1, inside)?
                    + self.word(node, *word)?
            }
            Operation::Accumulate { terms, format } => {
                for term in terms {
                    let found = self.term(node, term, inside)?;
                    let expected = format.fraction();
                    if found > expected || expected - found > 120 {
                        return Err(DatapathError::Fraction {
                            node,
                            found,
                            expected,
                        });
                    }
                }
                format.fraction()
            }
            Operation::Round { word, fraction, .. } => {
                let found = self.word(node, *word)?;
                if fraction - found > 63 || !(-256..=256).contains(fraction) {
                    return Err(DatapathError::Fraction {
                        node,
                        found,
                        expected: *fraction,
                    });
                }
                *fraction
            }
            Operation::Limit { word, format, .. } => {
                let (found, expected) = (self.word(node, *word)?, format.fraction());
                if found != expected {
                    return Err(DatapathError::Fraction {
                        node,
                        found,
                        expected,
                    });
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
            Operation::Repeat {
                passes,
                first,
                body,
            } => {
                if inside.is_some() {
                    return Err(DatapathError::Misplaced {
                        node,
                        what: "a loop inside a loop",
                    });
                }
                if *passes == 0 {
                    return Err(DatapathError::Misplaced {
                        node,
                        what: "a loop of no passes",
                    });
                }
                let fraction = self.word(node, *first)?;
                self.block(
                    body,
                    Some(Loop {
                        node,
                        passes: *passes,
                        fraction,
                    }),
                )?;
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
            self.datapath
                .body
                .operations
                .iter()
                .any(|(outer, operation)| match operation {
                    Operation::Repeat { body, .. } => {
                        let within = |node| body.operations.iter().any(|(inner, _)| *inner == node);
                        within(word) && !within(user) && user != *outer
                    }
                    _ => false,
                });
        if hidden {
            return Err(DatapathError::NoSuchWord {
                node: user,
                uses: word,
            });
        }
        self.fractions
            .get(word.0 as usize)
            .copied()
            .flatten()
            .ok_or(DatapathError::NoSuchWord {
                node: user,
                uses: word,
            })
    }

    fn term(
        &mut self,
        node: Node,
        term: &Term,
        inside: Option<Loop>,
    ) -> Result<i32, DatapathError> {
        match term {
            Term::Word { word, .. } => self.word(node, *word),
            Term::Dot {
                table,
                table_row,
                column,
                line,
                line_row,
                age,
                count,
                ..
            } => {
                let coefficients =
                    self.coefficients(node, *table, *table_row, *column, *count, inside)?;
                Ok(coefficients + self.taps(node, *line, *line_row, *age, *count, inside)?)
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
        let beyond = |what, index, of, limit| DatapathError::OutOfBounds {
            node,
            what,
            index,
            of,
            limit,
        };
        let Some(found) = self.datapath.tables.get(table.0) else {
            return Err(beyond(
                "table",
                table.0,
                "tables",
                self.datapath.tables.len(),
            ));
        };
        let last = last_row(node, row, inside)?;
        if last >= found.rows.len() {
            return Err(beyond("row", last, found.name, found.rows.len()));
        }
        let columns = found.rows[0].len();
        match column.checked_add(count) {
            Some(end) if end <= columns && count > 0 => Ok(found.format.fraction()),
            _ => Err(beyond(
                "column",
                column.saturating_add(count),
                found.name,
                columns,
            )),
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
            return Err(DatapathError::OutOfBounds {
                node,
                what: "age",
                index: oldest,
                of,
                limit,
            });
        }
        if age == 0 && rows.into_iter().any(|row| self.stores[line.0][row] == 0) {
            return Err(DatapathError::ReadBeforeStore {
                node,
                line: found.name,
            });
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
        let beyond = |what, index, of, limit| DatapathError::OutOfBounds {
            node,
            what,
            index,
            of,
            limit,
        };
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
            _ if foreign => Err(DatapathError::Misplaced {
                node,
                what: "a line of another block",
            }),
            (Row::Fixed(_), Some(_)) => Err(DatapathError::Misplaced {
                node,
                what: "a fixed row of a line",
            }),
            (Row::Pass, _) => Ok((0..=last).collect()),
            (Row::Fixed(row), None) => Ok(vec![row]),
        }
    }
}

/// The largest row that is meant, over all passes.
fn last_row(node: Node, row: Row, inside: Option<Loop>) -> Result<usize, DatapathError> {
    match (row, inside) {
        (Row::Fixed(row), _) => Ok(row),
        (Row::Pass, Some(Loop { passes, .. })) => Ok(passes - 1),
        (Row::Pass, None) => Err(DatapathError::Misplaced {
            node,
            what: "the row of a pass",
        }),
    }
}
