//! Taps that take a sample a clock: the registers of [`ParallelMachine`](crate::hardware::ParallelMachine),
//! a line for each.

use super::endings::ending_wires;
use super::interface::{about_program, connect};
use super::value::{Kind, Signal, Value, any, constant, fixed_bit, sum};
use super::{Design, Item, Items, Statement, Traffic, when};
use crate::datapath::Checked;
use crate::hardware::{Parallel, signed_bits};

/// The registers of taps that take a sample a clock. `checked` is the datapath that the chain is of.
pub(in crate::write) fn design(chain: &Parallel, checked: &Checked, name: &str) -> Design {
    let resources = chain.resources();
    let interface = resources.interface;
    let mut items = Items::default();
    let waits = interface.waits();
    let [valid, ready] = ["out_valid", "out_ready"].map(|name| Signal::bit(name).whole());
    let advances = if waits { any(vec![valid.not(), ready]) } else { fixed_bit(true) };
    items.comment("All registers move on together, unless an output waits.");
    let advances = items.wire("advances", advances).whole();
    items.0.push(Item::Output { signal: Signal::bit("in_ready"), value: advances });
    inputs(chain, checked, &mut items);
    products(chain, checked, &mut items);
    sums(chain, &mut items);
    output(chain, checked, &mut items);
    let (ports, items) = connect(items, checked, interface, None);
    Design {
        name: name.to_owned(),
        about: about_program(checked, &about(chain), interface),
        ports,
        items,
        traffic: Traffic {
            interface: Some(interface),
            latency: chain.latency(),
            // Until outputs are taken.
            patience: 1_000,
            load_bits: None,
        },
    }
}

fn about(chain: &Parallel) -> Vec<String> {
    let channels = chain.resources().channels;
    let mut about = vec![format!(
        "{} products for {} taps: a sample every clock, its output {} clocks later.",
        chain.products().len(),
        chain.taps().len(),
        chain.latency()
    )];
    if channels > 1 {
        about.push(format!("{channels} channels take turns, sample by sample."));
    }
    about.push("rst is synchronous and clears the memory.".to_owned());
    about
}

/// What happens where all moves on, and what a reset does.
fn moving(moves: Vec<Statement>, clears: Vec<Statement>) -> Vec<Statement> {
    let advances = Signal::bit("advances").whole();
    let mut clocked = vec![when(advances, moves)];
    if !clears.is_empty() {
        clocked.push(when(Signal::bit("rst").whole(), clears));
    }
    clocked
}

fn clear(signal: Signal) -> Statement {
    Statement::Take(signal, fixed_bit(false))
}

/// The sample on its way to the multipliers, and marks of where there is one.
fn inputs(chain: &Parallel, checked: &Checked, items: &mut Items) {
    let stages = chain.resources().multiplier_stages;
    let kind = Kind::of(checked.input());
    let has = |stage: usize| match stage {
        0 => Signal::bit("in_valid"),
        _ => Signal::bit(format!("has_{stage}")),
    };
    let sample = |stage: usize| match stage {
        0 => Signal::new("in_data", Kind::Port(kind.width())),
        _ => Signal::new(format!("sample_{stage}"), kind),
    };
    let (mut moves, mut clears) = (Vec::new(), Vec::new());
    for stage in 1..=stages {
        items.register(has(stage));
        items.register(sample(stage));
        moves.push(Statement::Take(has(stage), has(stage - 1).whole()));
        moves.push(Statement::Take(sample(stage), sample(stage - 1).whole()));
        clears.push(clear(has(stage)));
    }
    let [multiplied, summed] = ["is_multiplied", "is_summed"].map(Signal::bit);
    moves.push(Statement::Take(multiplied.clone(), has(stages).whole()));
    moves.push(Statement::Take(summed.clone(), multiplied.whole()));
    for mark in [multiplied, summed] {
        clears.push(clear(items.register(mark)));
    }
    items.clocked(moving(moves, clears));
}

/// A product for each size of a tap.
fn products(chain: &Parallel, checked: &Checked, items: &mut Items) {
    let stages = chain.resources().multiplier_stages;
    let mut sample = Signal::new(format!("sample_{stages}"), Kind::of(checked.input()));
    items.gap();
    items.comment("A product for each size of a tap.");
    if let Kind::Unsigned(width) = sample.kind {
        // Beside a size, which has a sign, it gets a zero in front.
        sample = items.wire("positive", sample.at(width + 1));
    }
    let mut moves = Vec::new();
    for (index, size) in chain.products().iter().enumerate() {
        let kind = Kind::Signed(signed_bits((*size, 0)));
        let factor = Signal::new(format!("size_{index}"), kind);
        let value = constant(*size, kind);
        items.0.push(Item::Wire { signal: factor.clone(), value, remark: size.to_string() });
        let product = product(chain, index);
        let width = product.width();
        items.register(product.clone());
        let value = Value::Product { left: sample.clone(), right: factor, width };
        moves.push(Statement::Take(product, value));
    }
    items.clocked(moving(moves, Vec::new()));
}

fn product(chain: &Parallel, index: usize) -> Signal {
    Signal::signed(format!("product_{index}"), chain.product_bits(index))
}

/// The chain: each sum takes the one behind it, of the sample before.
fn sums(chain: &Parallel, items: &mut Items) {
    let channels = chain.resources().channels;
    items.gap();
    items.comment(
        "The chain of sums; the half that rounds stands at its end, and after a reset in all.",
    );
    let start = |tap: usize| constant(chain.ending().preload, Kind::Signed(chain.sum_bits(tap)));
    let delayed = |tap: usize, age: usize| match age {
        0 => Signal::signed(format!("sum_{tap}"), chain.sum_bits(tap)),
        _ => Signal::signed(format!("sum_{tap}_{age}"), chain.sum_bits(tap)),
    };
    let (mut moves, mut clears) = (Vec::new(), Vec::new());
    for (tap, one) in chain.taps().iter().enumerate() {
        let sum_bits = chain.sum_bits(tap);
        for age in 0..chain.delay(tap) {
            clears.push(Statement::Take(items.register(delayed(tap, age)), start(tap)));
        }
        let behind = match tap + 1 < chain.taps().len() {
            true => delayed(tap + 1, channels - 1).at(sum_bits),
            false => start(tap),
        };
        let total = match one.product {
            None => behind,
            Some((index, is_minus)) => sum(behind, product(chain, index).at(sum_bits), is_minus),
        };
        moves.push(Statement::Take(delayed(tap, 0), total));
        for age in 1..chain.delay(tap) {
            moves.push(Statement::Take(delayed(tap, age), delayed(tap, age - 1).whole()));
        }
    }
    let advances = [Signal::bit("advances").whole(), Signal::bit("is_multiplied").whole()];
    items.clocked(vec![
        when(Value::And(advances.to_vec()), moves),
        when(Signal::bit("rst").whole(), clears),
    ]);
}

fn output(chain: &Parallel, checked: &Checked, items: &mut Items) {
    let width = checked.output().width();
    items.gap();
    items.comment(
        "The output. Not all bits of all words are used: dropping them is what rounding is.",
    );
    items.unused(true);
    let sum = Signal::signed("sum_0", chain.sum_bits(0));
    let result = ending_wires(chain.ending(), 0, &sum, items);
    let given = items.wire("given", result.at(width));
    items.unused(false);
    let valid = Signal::bit("out_valid");
    let summed = Signal::bit("is_summed").whole();
    let moves = vec![
        Statement::Take(valid.clone(), summed),
        Statement::Take(Signal::new("out_data", Kind::Port(width)), given.whole()),
    ];
    items.clocked(moving(moves, vec![clear(valid)]));
}
