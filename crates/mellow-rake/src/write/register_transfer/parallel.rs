//! Taps that take a sample a clock, or several: the registers of
//! [`ParallelMachine`](crate::hardware::ParallelMachine), a line for each.

use super::endings::{ending_wires, limiting_wires, rounding_wires};
use super::interface::{Around, connect, handed_over, program_lines};
use super::value::{Kind, Signal, Value, any, constant, fixed_bit, sum};
use super::{Design, Item, Items, Statement, Traffic, when};
use crate::datapath::Checked;
use crate::hardware::{Joint, Parallel, signed_bits};

/// The registers of taps that take a sample a clock, or several. `checked` is the datapath that the chain is
/// of.
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
    let formats = [checked.input(), checked.output()];
    let around = Around { formats, interface, samples: chain.samples(), is_driven: false };
    let (ports, items) = connect(items, around, None);
    Design {
        name: name.to_owned(),
        parts: Vec::new(),
        about: [program_lines(checked), about(chain), handed_over(interface, chain.samples())]
            .concat(),
        ports,
        items,
        traffic: Traffic {
            interface: Some(interface),
            samples: chain.samples(),
            changes_rate: false,
            latency: chain.latency(),
            // Until outputs are taken.
            patience: 1_000,
            load: None,
        },
    }
}

fn about(chain: &Parallel) -> Vec<String> {
    let channels = chain.resources().channels;
    let (products, latency) = (chain.multipliers(), chain.latency());
    let taps: usize = chain.chains().iter().map(Vec::len).max().unwrap_or(0);
    let mut about = match chain.samples() {
        1 => vec![format!(
            "{products} products for {taps} taps: a sample every clock, its output {latency} clocks later."
        )],
        samples => vec![
            format!(
                "{products} products: {samples} samples every clock, what they give {latency} clocks later."
            ),
            "Of the samples of a clock the oldest stands lowest.".to_owned(),
        ],
    };
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

/// The marks of where there is a sample, from the last register in front of the multipliers to the sums.
fn marks(chain: &Parallel) -> Vec<Signal> {
    let joined = (1..=chain.levels()).map(|level| Signal::bit(format!("is_joined_{level}")));
    let mut marks = vec![Signal::bit("is_multiplied")];
    marks.extend(joined);
    marks.push(Signal::bit("is_summed"));
    if chain.is_rounded_apart() {
        marks.push(Signal::bit("is_rounded"));
    }
    marks
}

/// The sample, or the samples side by side, on the way to the multipliers, and marks of where there is one.
fn inputs(chain: &Parallel, checked: &Checked, items: &mut Items) {
    let stages = chain.resources().multiplier_stages;
    let width = checked.input().width() * chain.samples() as u32;
    let has = |stage: usize| match stage {
        0 => Signal::bit("in_valid"),
        _ => Signal::bit(format!("has_{stage}")),
    };
    let sample = |stage: usize| match stage {
        0 => Signal::new("in_data", Kind::Port(width)),
        _ => Signal::new(format!("sample_{stage}"), sample_kind(chain, checked)),
    };
    let (mut moves, mut clears) = (Vec::new(), Vec::new());
    for stage in 1..=stages {
        items.register(has(stage));
        items.register(sample(stage));
        moves.push(Statement::Take(has(stage), has(stage - 1).whole()));
        moves.push(Statement::Take(sample(stage), sample(stage - 1).whole()));
        clears.push(clear(has(stage)));
    }
    let mut before = has(stages);
    for mark in marks(chain) {
        moves.push(Statement::Take(mark.clone(), before.whole()));
        clears.push(clear(items.register(mark.clone())));
        before = mark;
    }
    items.clocked(moving(moves, clears));
}

/// A sample is a number; several are bits side by side.
fn sample_kind(chain: &Parallel, checked: &Checked) -> Kind {
    match chain.samples() {
        1 => Kind::of(checked.input()),
        samples => Kind::Port(checked.input().width() * samples as u32),
    }
}

/// The samples that meet the multipliers, each as a number.
fn factors(chain: &Parallel, checked: &Checked, items: &mut Items) -> Vec<Signal> {
    let stages = chain.resources().multiplier_stages;
    let all = Signal::new(format!("sample_{stages}"), sample_kind(chain, checked));
    let (count, width) = (chain.samples() as u32, checked.input().width());
    let one = |sample: u32| {
        let (mut factor, number) = match count {
            1 => (all.clone(), String::new()),
            _ => {
                let kind = Kind::of(checked.input());
                let signal = Signal::new(format!("sample_{stages}_{sample}"), kind);
                let value = all.part((sample + 1) * width - 1, sample * width);
                let remark = String::new();
                items.0.push(Item::Wire { signal: signal.clone(), value, remark });
                (signal, format!("_{sample}"))
            }
        };
        if let Kind::Unsigned(width) = factor.kind {
            // Beside a size, which has a sign, it gets a zero in front.
            factor = items.wire(format!("positive{number}"), factor.at(width + 1));
        }
        factor
    };
    (0..count).map(one).collect()
}

/// A product for each size of a tap, of each sample.
fn products(chain: &Parallel, checked: &Checked, items: &mut Items) {
    items.gap();
    items.comment(match chain.samples() {
        1 => "A product for each size of a tap.",
        _ => "A product for each size of a tap, of each sample.",
    });
    let samples = factors(chain, checked, items);
    let mut moves = Vec::new();
    // Of words that wrap the sums may be shorter than what comes to them.
    let kept = chain.ending().sum_bits();
    let is_cut = (0..chain.products().len()).any(|index| chain.product_bits(index) > kept);
    if is_cut {
        items.unused(true);
    }
    for (index, size) in chain.products().iter().enumerate() {
        let kind = Kind::Signed(signed_bits((*size, 0)));
        let factor = Signal::new(format!("size_{index}"), kind);
        let value = constant(*size, kind);
        items.0.push(Item::Wire { signal: factor.clone(), value, remark: size.to_string() });
        for (number, sample) in samples.iter().enumerate() {
            let product = product(chain, number, index);
            let width = product.width();
            items.register(product.clone());
            let value = Value::Product { left: sample.clone(), right: factor.clone(), width };
            moves.push(Statement::Take(product, value));
        }
    }
    if is_cut {
        items.unused(false);
    }
    items.clocked(moving(moves, Vec::new()));
}

fn product(chain: &Parallel, sample: usize, index: usize) -> Signal {
    let name = match chain.samples() {
        1 => format!("product_{index}"),
        _ => format!("product_{sample}_{index}"),
    };
    Signal::signed(name, chain.product_bits(index))
}

/// What comes to a sum: its products, added two at a time; and whether that is subtracted. The moves are
/// those of the registers between.
fn joined(
    chain: &Parallel,
    number: usize,
    tap: usize,
    items: &mut Items,
    moves: &mut Vec<Statement>,
) -> Option<(Signal, bool)> {
    let (levels, is_minus) = chain.joints(number, tap);
    let products = chain.chains()[number][tap].products.iter();
    let mut front: Vec<Signal> = products.map(|one| product(chain, one.sample, one.size)).collect();
    for (level, joints) in levels.iter().enumerate() {
        let joint = |(index, joint): (usize, &Joint)| {
            let name = format!("part_{number}_{tap}_{level}_{index}");
            let signal = items.register(Signal::signed(name, joint.bits));
            let left = front[joint.left].at(joint.bits);
            let value = match joint.right {
                None => left,
                Some(right) => sum(left, front[right].at(joint.bits), joint.is_minus),
            };
            moves.push(Statement::Take(signal.clone(), value));
            signal
        };
        front = joints.iter().enumerate().map(joint).collect();
    }
    front.first().map(|signal| (signal.clone(), is_minus))
}

/// The chains: each sum takes the one behind it, of the clock before.
fn sums(chain: &Parallel, items: &mut Items) {
    let channels = chain.resources().channels;
    let count = chain.samples();
    let (mut moves, mut clears, mut parts) = (Vec::new(), Vec::new(), Vec::new());
    let mut tap_items = Items::default();
    for number in 0..count {
        let start = |tap: usize| {
            constant(chain.ending().preload, Kind::Signed(chain.sum_bits(number, tap)))
        };
        let delayed = |tap: usize, age: usize| {
            let name = if count > 1 { format!("sum_{number}_{tap}") } else { format!("sum_{tap}") };
            let name = if age > 0 { format!("{name}_{age}") } else { name };
            Signal::signed(name, chain.sum_bits(number, tap))
        };
        for tap in 0..chain.chains()[number].len() {
            let sum_bits = chain.sum_bits(number, tap);
            for age in 0..chain.delay(tap) {
                let register = tap_items.register(delayed(tap, age));
                clears.push(Statement::Take(register, start(tap)));
            }
            let behind = match tap + 1 < chain.chains()[number].len() {
                true => delayed(tap + 1, channels - 1).at(sum_bits),
                false => start(tap),
            };
            let (levels, _) = chain.joints(number, tap);
            let is_cut = levels.iter().flatten().any(|one| one.bits > chain.ending().sum_bits());
            if is_cut {
                tap_items.unused(true);
            }
            let came = joined(chain, number, tap, &mut tap_items, &mut parts);
            if is_cut {
                tap_items.unused(false);
            }
            let total = match came {
                None => behind,
                Some((part, is_minus)) => sum(behind, part.at(sum_bits), is_minus),
            };
            moves.push(Statement::Take(delayed(tap, 0), total));
            for age in 1..chain.delay(tap) {
                moves.push(Statement::Take(delayed(tap, age), delayed(tap, age - 1).whole()));
            }
        }
    }
    items.gap();
    if !parts.is_empty() {
        items.comment("What comes to a sum is added two at a time before.");
    }
    items.comment(match count {
        1 => "The chain of sums; the half that rounds stands at its end, and after a reset in all.",
        _ => "The chains of sums; the half that rounds stands at their ends, and after a reset in all.",
    });
    items.0.extend(tap_items.0);
    if !parts.is_empty() {
        items.clocked(moving(parts, Vec::new()));
    }
    // The mark in front of that of the sums.
    let marks = marks(chain);
    let arrived = marks[marks.len() - 2 - usize::from(chain.is_rounded_apart())].whole();
    let advances = vec![Signal::bit("advances").whole(), arrived];
    items
        .clocked(vec![when(Value::And(advances), moves), when(Signal::bit("rst").whole(), clears)]);
}

fn output(chain: &Parallel, checked: &Checked, items: &mut Items) {
    let width = checked.output().width();
    let count = chain.samples();
    items.gap();
    items.comment(
        "The output. Not all bits of all words are used: dropping them is what rounding is.",
    );
    items.unused(true);
    let (mut given, mut moves) = (Vec::new(), Vec::new());
    for number in 0..count {
        let (sum, name) = match count {
            1 => ("sum_0".to_owned(), "given".to_owned()),
            _ => (format!("sum_{number}_0"), format!("given_{number}")),
        };
        let sum = Signal::signed(sum, chain.sum_bits(number, 0));
        let result = match chain.is_rounded_apart() {
            false => ending_wires(chain.ending(), number, &sum, items),
            true => {
                let wires = rounding_wires(chain.ending(), number, &sum, items);
                let bits = chain.ending().rounded_bits();
                let rounded = items.register(Signal::signed(format!("rounded_{number}"), bits));
                moves.push(Statement::Take(rounded.clone(), wires.at(bits)));
                limiting_wires(chain.ending(), number, &rounded, items)
            }
        };
        given.push(items.wire(name, result.at(width)));
    }
    items.unused(false);
    let valid = Signal::bit("out_valid");
    let comes = marks(chain).pop().expect("a mark of the sums").whole();
    let words = match &given[..] {
        [one] => one.whole(),
        several => Value::Joined(several.iter().rev().map(Signal::whole).collect()),
    };
    moves.push(Statement::Take(valid.clone(), comes));
    let data = Signal::new("out_data", Kind::Port(width * count as u32));
    moves.push(Statement::Take(data, words));
    items.clocked(moving(moves, vec![clear(valid)]));
}
