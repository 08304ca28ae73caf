//! The half of a rounding is what a sum begins with: then the rest of the rounding is to drop bits.

use super::super::{Lowered, Statement, Value};
use super::{change_every_statement, every_statement, read_by};
use crate::datapath::Node;
use crate::fixed::Rounding;
use crate::write::lower::Read;
use std::collections::BTreeMap;

/// floor((s + 2^(d−1))/2^d) is s/2^d to the nearest integer, ties upward. It is done where nothing else reads
/// the sum, and the half takes neither the sum out of its word nor its parts into a longer one.
pub(super) fn preload(lowered: &mut Lowered) {
    let mut readers: BTreeMap<Node, usize> = BTreeMap::new();
    let mut dropped: BTreeMap<Node, u32> = BTreeMap::new();
    every_statement(&lowered.body, &mut |statement| {
        for read in read_by(statement) {
            if let Read::Local(local) = read {
                *readers.entry(local.node).or_default() += 1;
            }
        }
        if let Statement::Let { value: Value::Round { word, dropped: bits, rounding }, .. } =
            statement
            && let (Rounding::HalfUp, 1..=62) = (rounding, *bits)
        {
            dropped.insert(word.node, *bits as u32);
        }
    });
    let mut halved = Vec::new();
    change_every_statement(&mut lowered.body, &mut |statement| {
        let Statement::Sum(sum) = statement else { return };
        let node = sum.local.node;
        let (Some(bits), Some(1)) = (dropped.get(&node), readers.get(&node)) else { return };
        let half = 1i128 << (bits - 1);
        let is_narrow = |size: i128| size <= i32::MAX.into();
        let partial = sum.need.partial + half;
        let keeps_its_type = is_narrow(partial) == is_narrow(sum.need.partial)
            && partial <= i64::MAX.into()
            && sum.local.format.holds(sum.need.highest + half);
        if keeps_its_type && !sum.need.wraps && !sum.is_of_digits && sum.first == 0 {
            sum.first = half;
            sum.need.partial = partial;
            sum.need.highest += half;
            halved.push(node);
        }
    });
    change_every_statement(&mut lowered.body, &mut |statement| {
        if let Statement::Let { value: Value::Round { word, rounding, .. }, .. } = statement
            && halved.contains(&word.node)
        {
            *rounding = Rounding::Floor;
        }
    });
}
