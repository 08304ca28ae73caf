//! From a datapath to a checked one: is it a program at all, and what is known about it?

use super::bound::{Bounds, bounds, input_ranges};
use super::range::{Interval, Ranges, any_ranges, ranges};
use super::structure::Structure;
use super::walk::Place;
use super::{Datapath, DatapathError, Node, Operation, Table};
use crate::effort::Effort;
use crate::filter::NotProved;
use crate::fixed::{Overflow, WordFormat};
use std::collections::BTreeMap;

/// What is known about the word of an accumulator.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
#[non_exhaustive]
pub struct SumFact {
    /// The largest size that any partial sum, in any order, can have.
    pub partial: i128,
    /// The smallest integer that the sum can be by its terms alone, before it wraps.
    pub low: i128,
    /// The largest.
    pub high: i128,
    /// The largest size of a single product.
    pub product: i128,
    /// Whether the final sum may leave the accumulator and wrap. `false` is proved.
    pub wraps: bool,
}

/// What is known about a limit.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
#[non_exhaustive]
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
    effort: Effort,
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

    /// How much work the proofs were allowed, and may be that read on.
    pub fn effort(&self) -> Effort {
        self.effort
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
        self.check_within(Effort::default())
    }

    /// The same with another effort for the proofs.
    ///
    /// # Errors
    /// As of [`check`](Datapath::check).
    pub fn check_within(self, effort: Effort) -> Result<Checked, DatapathError> {
        let facts = find_facts(&self, effort, false)?;
        Ok(Checked { datapath: self, facts })
    }

    /// The same with facts that hold for any coefficients of the tables' formats.
    pub(super) fn check_for_any(self, effort: Effort) -> Result<Checked, DatapathError> {
        let facts = find_facts(&self, effort, true)?;
        Ok(Checked { datapath: self, facts })
    }
}

fn find_facts(
    datapath: &Datapath,
    effort: Effort,
    any_coefficients: bool,
) -> Result<Facts, DatapathError> {
    check_tables(datapath)?;
    let fractions = Structure::check(datapath)?;
    let found = if any_coefficients { any_ranges } else { ranges };
    let Ranges { nodes, sums, products, limits, .. } = found(datapath, &fractions);

    let mut formats = BTreeMap::new();
    let mut watched = Vec::new();
    for (node, operation, passes) in datapath.operations() {
        let range = nodes[&node];
        let declared = match operation {
            Operation::Input { port, .. } => Some(datapath.inputs[*port].format),
            Operation::Accumulate { format, .. } | Operation::Limit { format, .. } => Some(*format),
            Operation::Tap { line, .. } => Some(datapath.lines[line.0].format),
            Operation::Carried
            | Operation::Repeat { .. }
            | Operation::Store { .. }
            | Operation::Deliver { .. } => Some(source_format(datapath, &formats, node, operation)),
            _ => WordFormat::holding(range.low, range.high, fractions[node.0 as usize]),
        };
        let needed = || 130 - range.partial.leading_zeros().min(129);
        let format = declared.ok_or_else(|| DatapathError::TooWide { node, needed: needed() })?;
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

    let bounds = match any_coefficients {
        true => Err(NotProved::AnyCoefficients),
        false => bounds(datapath, &fractions, &watched, &input_ranges(datapath), effort),
    };
    let open = |node: Node| {
        let inside = watched.iter().all(|(place, _)| place.node != node);
        !inside && bounds.as_ref().map_or(true, |bounds| !bounds.is_safe(node))
    };
    for (node, operation, _) in datapath.operations() {
        if matches!(operation, Operation::Limit { overflow: Overflow::Forbid, .. }) && open(node) {
            return Err(refuse(node, &bounds));
        }
    }
    let sums = sums
        .iter()
        .map(|(node, sum)| {
            let product = products.get(node).copied().unwrap_or(0);
            let Interval { low, high, partial, .. } = *sum;
            (*node, SumFact { partial, low, high, product, wraps: open(*node) })
        })
        .collect();
    let limits = limits
        .iter()
        .map(|(node, word)| {
            (*node, LimitFact { low: word.low, high: word.high, acts: open(*node) })
        })
        .collect();
    let ranges = nodes.iter().map(|(node, word)| (*node, (word.low, word.high))).collect();
    Ok(Facts { fractions, formats, ranges, sums, limits, bounds, effort })
}

/// Words travel as i64: unsigned words have at most 63 bits.
fn fits_i64(format: WordFormat) -> Option<()> {
    (format.is_signed() || format.width() < 64).then_some(())
}

fn refuse(node: Node, bounds: &Result<Bounds, NotProved>) -> DatapathError {
    let bounds = match bounds {
        Ok(bounds) => bounds,
        Err(why) => {
            return DatapathError::NoBound { node, why: why.to_string() };
        }
    };
    // The first word that is too large: what comes behind it is only disturbed by that.
    let is_beyond = |reach: &&super::Reach| {
        let step = reach.format.step();
        let (low, high) = (reach.format.minimum() as f64, reach.format.maximum() as f64);
        reach.low < low * step || reach.high > high * step
    };
    let own = |reach: &&super::Reach| reach.node == node;
    let Some(reach) =
        bounds.reaches.iter().find(is_beyond).or_else(|| bounds.reaches.iter().find(own))
    else {
        return DatapathError::NoBound { node, why: "its place was not reached".to_owned() };
    };
    let format = reach.format;
    let low = format.minimum() as f64 * format.step();
    let high = format.maximum() as f64 * format.step();
    let excess = (reach.high / high).max(if low < 0.0 { reach.low / low } else { 1.0 });
    DatapathError::CanOverflow {
        node: reach.node,
        pass: reach.pass,
        overflow: Overflow::Forbid,
        low: reach.low,
        high: reach.high,
        format,
        format_low: low,
        format_high: high,
        more: (libm::ceil(libm::log2(excess.max(1.0))) as u32).max(1),
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
        Operation::Store { word, .. } | Operation::Deliver { word, .. } => *word,
        Operation::Repeat { first, .. } => *first,
        // Carried: the loop around it, whose own node comes after `first` and before its body.
        _ => datapath
            .body
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
    for Table { name, format, exponents, rows, .. } in &datapath.tables {
        let columns = rows.first().map_or(0, Vec::len);
        let what = if columns == 0 {
            "it has no coefficients"
        } else if rows.iter().any(|row| row.len() != columns) {
            "its rows differ in length"
        } else if rows.iter().flatten().any(|value| !format.holds((*value).into())) {
            "a coefficient lies outside its format"
        } else if !exponents.is_empty()
            && (exponents.len() != rows.len() || exponents.iter().any(|row| row.len() != columns))
        {
            "it has more or fewer exponents than coefficients"
        } else if exponents.iter().flatten().any(|exponent| exponent + format.width() > 63) {
            "a coefficient with its exponent needs more than 63 bits"
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
            Err(DatapathError::Format { node, found, expected })
        }
    };
    for (node, operation, _) in datapath.operations() {
        match operation {
            Operation::Store { line, word, .. } => {
                agree(node, formats[word], datapath.lines[line.0].format)?;
            }
            Operation::Deliver { port, word, .. } => {
                agree(*word, formats[word], datapath.outputs[*port].format)?;
            }
            Operation::Repeat { first, body, .. } => {
                agree(body.result, formats[&body.result], formats[first])?;
            }
            _ => {}
        }
    }
    for line in &datapath.lines {
        if fits_i64(line.format).is_none() {
            return Err(DatapathError::LineTooWide { line: line.name });
        }
    }
    Ok(())
}
