//! The fixed-point side of a design in words.

use crate::Document;
use mellow_rake::datapath::{Bounds, Checked, Node, Operation, Reach};
use mellow_rake::implementation::{Arrangement, Implementation, IntegerChoice};
use mellow_rake::spec::{ArrangementWish, Scaling, Tables};
use std::fmt::Write;

/// The fixed-point side of a design.
pub(super) fn words(implementation: &Implementation) -> Document {
    let Implementation { fixed, checked, .. } = implementation;
    let mut page = Document::of(&format!(
        "\nOn integers: {}, input {}, output {}, {}, {}",
        fixed.structure.as_str(),
        fixed.input,
        fixed.output,
        fixed.rounding,
        fixed.overflow
    ));
    for (key, chosen, why) in fixed.reasons() {
        page.paragraph(&format!("  {key} {chosen}, chosen: {why}"), 4);
    }
    coefficients(&mut page, implementation);
    if let Some(choice) = &implementation.integers {
        page.append(chosen(choice, implementation));
    }
    if let Some(arrangement) = &implementation.arrangement {
        page.append(arranged(arrangement, fixed.arrangement));
    }
    formats(&mut page, implementation);
    let cost = checked.cost();
    let _ = writeln!(
        page,
        "  per sample {} multiplies, {} adds; accumulator {} bits ({}); {} words of memory",
        cost.multiplies_per_sample,
        cost.adds_per_sample,
        cost.accumulator_bits,
        if fixed.accumulator.is_some() { "as given" } else { "as proved" },
        cost.state_words
    );
    if !fixed.multiplier {
        page.lines("  no multiplier: each product is a sum of shifted words");
    }
    match checked.facts().bounds() {
        Ok(bounds) => {
            levels(&mut page, implementation, bounds);
            errors(&mut page, implementation, bounds);
        }
        Err(why) => page.lines(&format!("  no bound proved: {why}")),
    }
    match implementation.predicted_noise() {
        Ok(noise) => {
            let rms = noise.rms() / fixed.output.step();
            page.lines(&format!("  predicted rounding noise: {rms:.2} LSB rms"));
        }
        Err(why) => page.paragraph(&format!("  no rounding noise predicted: {why}"), 4),
    }
    page
}

/// Integers in a row.
fn list(row: &[i64]) -> String {
    row.iter().map(i64::to_string).collect::<Vec<_>>().join(" ")
}

/// The integers, each row with the format of its coefficients.
fn coefficients(page: &mut Document, implementation: &Implementation) {
    let Implementation { fixed, table, .. } = implementation;
    for (index, row) in table.rows.iter().enumerate() {
        let format = table.format_at(index, 0);
        let of_poles = match table.format_at(index, 3) {
            own if own != format && row.len() == 5 => format!("{own} "),
            _ => String::new(),
        };
        page.lines(&match (fixed.structure.facts().tables, &row[..]) {
            (Tables::Taps, taps) => {
                let largest = taps.iter().map(|tap| tap.unsigned_abs()).max().unwrap_or(0);
                let zeros = taps.iter().filter(|tap| **tap == 0).count();
                let count = taps.len();
                format!("  {count} taps {format}: the largest {largest}, {zeros} of them 0")
            }
            (_, [b0, b1, b2, a1, a2]) => {
                format!("  coefficients {format}: b {b0} {b1} {b2}  {of_poles}a {a1} {a2}")
            }
            (_, [a11, a12, b1, a21, a22, b2, c1, c2, d]) => format!(
                "  coefficients {format}: a {a11} {a12} {a21} {a22}  b {b1} {b2}  c {c1} {c2}  d {d}"
            ),
            (Tables::AllPasses, row) => format!("  all-pass {format}: a {}", list(row)),
            (_, row) => format!("  reflection {format}: k {}", list(row)),
        });
    }
}

/// The ladder of a lattice and the formats inside, and where they come from.
fn formats(page: &mut Document, implementation: &Implementation) {
    let fixed = implementation.fixed;
    if let Some(ladder) = &implementation.ladder {
        for (index, row) in ladder.rows.iter().enumerate() {
            let _ = writeln!(page, "  ladder {}: v {}", ladder.format_at(index, 0), list(row));
        }
    }
    if let Some(between) = &implementation.between {
        let how = match (between.is_chosen, between.format == fixed.output) {
            (false, _) => "as given",
            _ if between.is_widened => "chosen: wide enough that no limit acts",
            (_, true) => "chosen: the output, which holds the input",
            (_, false) => "chosen: what holds both input and output",
        };
        let _ = writeln!(page, "  words between sections {} ({how})", between.format);
    }
    if let Some(products) = fixed.products {
        let rounding = fixed.rounding;
        let _ =
            writeln!(page, "  each product brought to {products} before it is added, {rounding}");
    }
    if let Some(state) = &implementation.state {
        let how = if state.is_chosen {
            "chosen: whole bits for that, two fraction bits more than the output"
        } else {
            "as given"
        };
        let line = format!(
            "  states {}, which reach {:.4} before roundings ({how})",
            state.format, state.largest
        );
        page.paragraph(&line, 4);
    }
}

/// How large words become before limits, and whether these can act.
fn levels(page: &mut Document, implementation: &Implementation, bounds: &Bounds) {
    let Implementation { fixed, table, checked, .. } = implementation;
    let told = || bounds.reaches.iter().filter(|reach| is_told(checked, reach.node));
    let is_state = |reach: &&Reach| place(checked, reach.node, implementation).0 == STATES;
    let (of_states, others): (Vec<&Reach>, Vec<&Reach>) = told().partition(is_state);
    let size = |reach: &Reach| reach.high.max(-reach.low);
    // Of many states the one that comes nearest to its end, and one that can act before all that cannot.
    let worst =
        of_states.into_iter().max_by(|a, b| b.safe.cmp(&a.safe).then(size(a).total_cmp(&size(b))));
    for reach in worst.into_iter().chain(others) {
        let (what, act) = place(checked, reach.node, implementation);
        let act = if reach.safe { format!("cannot {act}: proved") } else { format!("can {act}") };
        let is_sum = fixed.structure.facts().tables == Tables::AllPasses;
        let is_cascade = table.rows.len() > 1 && what == LIMIT && !is_sum;
        // Where loops are written out there are no passes to count.
        let section = match (fixed.multiplier, is_cascade) {
            (false, _) => format!(" at n{}", reach.node.0),
            (true, true) => format!(" {}", reach.pass + 1),
            (true, false) => String::new(),
        };
        let high = reach.format.maximum() as f64 * reach.format.step();
        let _ = writeln!(
            page,
            "  before the {what}{section} at worst {:.4} to {:.4}, {:.2} of its range; {act}",
            reach.low,
            reach.high,
            size(reach) / high,
        );
    }
    if told().next().is_none() {
        page.lines("  the output limit cannot act: proved");
    }
}

/// How far the output can be from floating point.
fn errors(page: &mut Document, implementation: &Implementation, bounds: &Bounds) {
    let _ = writeln!(
        page,
        "  rounding error at the output: {:.1} LSB at most (proved while no limit acts)",
        bounds.error.largest() / implementation.fixed.output.step()
    );
    if bounds.is_cut {
        let more = implementation.fixed.effort.more();
        let more =
            more.map_or(String::new(), |more| format!("; effort = {} tightens them", more.get()));
        page.lines(&format!("  these bounds hold, and are larger than they need be{more}"));
    }
}

/// What came of a search for better integers.
fn chosen(choice: &IntegerChoice, filter: &Implementation) -> Document {
    let IntegerChoice { nearest, found, tried, changed, .. } = *choice;
    let count: usize = filter.table.rows.iter().map(Vec::len).sum();
    let digits = filter.fixed.integers.digits;
    let few = digits.map_or(String::new(), |most| format!(" of at most {most} signed digits"));
    let mut text = format!(
        "  integers{few}: {changed} of {count} are not the nearest; worst use of the goal {found:.4} \
            (nearest{few}: {nearest:.4})"
    );
    if filter.fixed.integers.search {
        let _ = write!(text, "; {tried} sets tried");
    }
    if digits.is_some() && filter.fixed.multiplier {
        let adders = filter.checked.cost().shift_adds_per_sample;
        let _ = write!(text, "; made of shifts, a sample takes {adders} adds and no multiply");
    }
    Document::words(&text, 4)
}

/// Where the sections of the design stand now, and how large the words between them are.
fn arranged(found: &Arrangement, wish: ArrangementWish) -> Document {
    let places = |of: &[usize]| {
        of.iter().map(|section| (section + 1).to_string()).collect::<Vec<_>>().join(" ")
    };
    let mut text = Document::default();
    if let Some(count) = found.searched {
        let _ = writeln!(
            text,
            "  quietest of {count} arrangements: poles of the design's sections {}, zeros of {}",
            places(&found.poles),
            places(&found.zeros)
        );
    }
    if wish.quietest && found.searched.is_none() && found.poles.len() > 1 {
        text.lines(
            "  the order of more than 64 sections is not searched: it is that of the design\n",
        );
    }
    let steps = if wish.powers_of_two { ", by powers of two" } else { "" };
    let levels: Vec<String> = found.levels.iter().map(|level| format!("{level:.3}")).collect();
    let scaling = match wish.scaling {
        Scaling::AsDesigned => Scaling::Peak.as_str(),
        scaling => scaling.as_str(),
    };
    let _ =
        writeln!(text, "  scaled by {scaling}{steps}: {} behind the sections", levels.join(", "));
    text
}

/// The limit at the end of a section, or of the whole filter.
const LIMIT: &str = "limit";

/// The limits of what is remembered.
const STATES: &str = "limits of the states";

/// Whether a place is worth a line: limits, and sums that are remembered as they are. Others are as wide as
/// was proved.
fn is_told(checked: &Checked, node: Node) -> bool {
    checked.datapath().operations().any(|(other, operation, _)| match operation {
        Operation::Limit { .. } => other == node,
        Operation::Store { word, .. } => *word == node,
        _ => false,
    })
}

/// What stands at a node, and what it does to a word that is too large.
fn place(checked: &Checked, node: Node, filter: &Implementation) -> (&'static str, String) {
    let found = checked.datapath().operations().find(|(other, ..)| *other == node);
    let is_state = |format| filter.state.as_ref().is_some_and(|state| state.format == format);
    match found.map(|(_, operation, _)| operation) {
        Some(Operation::Limit { format, overflow, .. }) if is_state(*format) => {
            (STATES, overflow.to_string())
        }
        Some(Operation::Limit { overflow, .. }) => {
            let (body, result) = (&checked.datapath().body, checked.datapath().result());
            let in_loop =
                |(_, operation): &(Node, Operation)| matches!(operation, Operation::Repeat { .. });
            let outside = body.iter().any(|(other, _)| *other == node);
            let what = match (outside && body.iter().any(in_loop), Some(node) == result) {
                (true, true) => "output limit",
                (true, false) if filter.between.is_some() => "input limit",
                _ => LIMIT,
            };
            (what, overflow.to_string())
        }
        _ => ("remembered sum", "wrap".to_owned()),
    }
}
