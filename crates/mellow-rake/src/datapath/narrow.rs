//! Accumulators as narrow as the proof allows.

use super::bound::{input_ranges, levels};
use super::linear::{Drive, LinearDatapath};
use super::range::Start;
use super::walk::Place;
use super::{Checked, Datapath, Node, Operation};
use crate::filter::LinearSystem;
use crate::fixed::WordFormat;
use std::collections::BTreeMap;

impl Checked {
    /// The same program with every sum in the narrowest accumulator that is proved to hold it; remembered
    /// sums stay as they are.
    ///
    /// What a sum can be follows from the ranges of its terms, whatever the state. Where no limit ever acts,
    /// the l1 norms of the paths to it say more: terms that never are large together need no bits for that,
    /// and a sum that wraps on the way is right again at its end.
    ///
    /// ```
    /// use mellow_rake::datapath::{SectionWords, Simulator, direct_form_1};
    /// use mellow_rake::fixed::{Overflow, Rounding, round_coefficients};
    /// // 1.9·y[n−1] − 0.95·y[n−2] never add up to what their sizes would allow.
    /// let table = round_coefficients(&[vec![0.01, 0.0, 0.0, -1.9, 0.95]], "s16".parse()?)?;
    /// let words = SectionWords { input: "s16f15".parse()?, output: "s18f15".parse()?,
    ///     rounding: Rounding::HalfUp, overflow: Overflow::Saturate };
    /// let plain = direct_form_1(&table, words)?.check()?;
    /// let narrow = plain.clone().narrowed();
    /// assert!(narrow.cost().accumulator_bits < plain.cost().accumulator_bits);
    /// assert_eq!(Simulator::reference(&narrow).run(&[32767; 50]),
    ///     Simulator::reference(&plain).run(&[32767; 50]));
    /// # Ok::<(), Box<dyn std::error::Error>>(())
    /// ```
    pub fn narrowed(self) -> Checked {
        // A program that the check refuses is no better one.
        match narrow(&self).map(Datapath::check) {
            Some(Ok(checked)) => checked,
            _ => self,
        }
    }
}

impl Datapath {
    /// Words that go to a line, out, or around a loop as they are, so that their formats are not their own.
    pub(super) fn handed_on(&self) -> Vec<Node> {
        let mut words = Vec::new();
        for (_, operation, _) in self.operations() {
            match operation {
                Operation::Store { word, .. } | Operation::Deliver { word, .. } => {
                    words.push(*word);
                }
                Operation::Repeat { first, body, .. } => words.extend([*first, body.result]),
                _ => {}
            }
        }
        words
    }
}

/// `None` where nothing becomes narrower.
fn narrow(checked: &Checked) -> Option<Datapath> {
    let mut datapath = checked.datapath().clone();
    let kept = datapath.handed_on();
    let mut sums: Vec<(Node, WordFormat, usize)> = Vec::new();
    for (node, operation, passes) in datapath.operations() {
        match operation {
            Operation::Accumulate { format, .. } if !kept.contains(&node) => {
                sums.push((node, *format, passes));
            }
            _ => {}
        }
    }
    let reaches = reaches(checked, &sums);
    let mut formats = BTreeMap::new();
    for (node, format, _) in &sums {
        let Some(fact) = checked.facts().sum(*node) else { continue };
        let by_terms =
            (!fact.wraps).then(|| WordFormat::holding(fact.low, fact.high, format.fraction()));
        let by_paths = reaches.get(node).and_then(|(low, high)| {
            // Outward, by what f64 leaves of large sums.
            let end = |value: f64, out: f64| (value / format.step() * (1.0 + 1e-12) + out) as i128;
            let (low, high) = (end(*low, -1.0), end(*high, 1.0));
            WordFormat::holding(low.min(0), high.max(0), format.fraction())
        });
        let found = [by_terms.flatten(), by_paths].into_iter().flatten();
        // One sign for all: what is subtracted from a sum needs it.
        let signed = found.map(|found| match found.is_signed() {
            true => Some(found),
            false => WordFormat::new(true, found.width() + 1, found.fraction()).ok(),
        });
        if let Some(best) = signed.flatten().min_by_key(|format| format.width())
            && best.width() < format.width()
        {
            formats.insert(*node, best);
        }
    }
    if formats.is_empty() {
        return None;
    }
    let replace = |operations: &mut [(Node, Operation)]| {
        for (node, operation) in operations {
            if let (Operation::Accumulate { format, .. }, Some(narrow)) =
                (operation, formats.get(node))
            {
                *format = *narrow;
            }
        }
    };
    replace(&mut datapath.body);
    for (_, operation) in &mut datapath.body {
        if let Operation::Repeat { body, .. } = operation {
            replace(&mut body.operations);
        }
    }
    Some(datapath)
}

/// The lowest and highest value of each sum over all passes, where no limit ever acts.
fn reaches(checked: &Checked, sums: &[(Node, WordFormat, usize)]) -> BTreeMap<Node, (f64, f64)> {
    let mut found: BTreeMap<Node, (f64, f64)> = BTreeMap::new();
    if !checked.facts().bounds().as_ref().is_ok_and(|bounds| bounds.no_limit_acts()) {
        return found;
    }
    // Without feedback the terms are independent of each other: their ranges say all.
    if LinearDatapath::new(checked, Drive::INPUT).finite().is_some() {
        return found;
    }
    let places = sums
        .iter()
        .flat_map(|(node, _, passes)| (0..*passes).map(|pass| Place { node: *node, pass }));
    let places: Vec<Place> = places.collect();
    let (datapath, fractions) = (checked.datapath(), checked.fractions());
    if let Ok(levels) = levels(
        datapath,
        fractions,
        &places,
        &input_ranges(datapath),
        Start::Zero,
        checked.facts().effort(),
    ) {
        for (place, own) in places.iter().zip(&levels.places) {
            let (low, high) = found.entry(place.node).or_insert((0.0, 0.0));
            (*low, *high) = (low.min(own.0), high.max(own.1));
        }
    }
    found
}
