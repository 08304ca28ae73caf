//! Hardware of a network: an instance for each part, counters that keep and fill, and the wires between.

use super::interface::{Around, connect, handed_over, program_lines};
use super::value::{Kind, Signal, Value, all, any, choose, constant, fixed_bit};
use super::{Design, Item, Items, Statement, Traffic, parallel_design, staged_design, unit_design};
use crate::datapath::Checked;
use crate::hardware::{HardwareError, HardwareUnit, NetworkHardware, NetworkPart, bits_to};
use crate::write::ORIGIN;

/// What is written of a network.
pub(in crate::write) struct ChainDesign<'a> {
    /// What connects the parts, with those that are units.
    pub design: Design,
    /// The parts that are programs made in one clock, each with its name.
    pub sums: Vec<(String, &'a Checked)>,
}

/// The parts of a network and what connects them.
///
/// # Errors
/// [`HardwareError::Width`] where a sum is wider than a unit is written for.
pub(in crate::write) fn design<'a>(
    hardware: &'a NetworkHardware,
    name: &str,
) -> Result<ChainDesign<'a>, HardwareError> {
    let (mut parts, mut sums) = (Vec::new(), Vec::new());
    for (index, part) in hardware.parts().iter().enumerate() {
        let own = format!("{name}_part_{}", index + 1);
        match part {
            NetworkPart::Unit { choice, program } => parts.push(match &choice.unit {
                HardwareUnit::Serial(scheduled) => {
                    unit_design(scheduled, program_lines(program), &own)?
                }
                HardwareUnit::Staged(staged) => staged_design(staged, program, &own)?,
                HardwareUnit::Parallel(chain) => parallel_design(chain, program, &own),
            }),
            NetworkPart::Sums(program) => sums.push((own, &**program)),
            NetworkPart::Keep(_) | NetworkPart::Fill(_) => {}
        }
    }
    let mut items = Items::default();
    wires(hardware, &mut items);
    for (index, part) in hardware.parts().iter().enumerate() {
        items.gap();
        let joints = [joint(hardware, index), joint(hardware, index + 1)];
        match part {
            NetworkPart::Unit { .. } | NetworkPart::Sums(_) => {
                items.0.push(instance(&joints, index, format!("{name}_part_{}", index + 1)));
            }
            NetworkPart::Keep(factor) => keep(&joints, index, *factor, &mut items),
            NetworkPart::Fill(factor) => fill(&joints, index, *factor, &mut items),
        }
    }
    let interface = hardware.interface();
    let around = Around { formats: hardware.ends(), interface, samples: 1, is_driven: true };
    let (ports, items) = connect(items, around, None);
    let latency = hardware.drains_in();
    let traffic = Traffic {
        interface: Some(interface),
        samples: 1,
        changes_rate: true,
        latency,
        // What comes out is taken in more than one of four clocks.
        patience: 8 * latency + 1_000,
        load_bits: None,
    };
    let about = [about(hardware), handed_over(interface, 1)].concat();
    let design = Design { name: name.to_owned(), parts, about, ports, items, traffic };
    Ok(ChainDesign { design, sums })
}

/// What stands above it: its parts.
fn about(hardware: &NetworkHardware) -> Vec<String> {
    let mut lines = vec![ORIGIN.to_owned(), String::new()];
    lines.push(
        "Parts one behind the other, on one clock; each takes what the one before it gives:".into(),
    );
    for (index, part) in hardware.parts().iter().enumerate() {
        let (takes, gives) = part.words();
        let what = match part {
            NetworkPart::Unit { .. } => {
                let count = part.multipliers();
                let number = if count == 1 { "" } else { "s" };
                format!(
                    "{count} multiplier{number}, for {takes} in and {gives} out {} clocks",
                    part.interval()
                )
            }
            NetworkPart::Sums(_) => "sums without a product, a word a clock".to_owned(),
            NetworkPart::Keep(factor) => format!("of every {factor} words the last goes on"),
            NetworkPart::Fill(factor) => {
                let zeros = factor - 1;
                format!("behind each word {zeros} zero{}", if zeros == 1 { "" } else { "s" })
            }
        };
        lines.push(format!("  {}: {what}", index + 1));
    }
    lines.push(String::new());
    lines
}

/// Valid, ready and data in front of a part, or behind the last.
struct Joint {
    valid: Signal,
    ready: Signal,
    data: Signal,
}

fn joint(hardware: &NetworkHardware, index: usize) -> Joint {
    let kind = Kind::Port(hardware.formats()[index].width());
    let named = |name: &str, ready: &str| Joint {
        valid: Signal::bit(format!("{name}_valid")),
        ready: Signal::bit(ready),
        data: Signal::new(format!("{name}_data"), kind),
    };
    match index {
        0 => named("in", "ready_0"),
        _ if index == hardware.parts().len() => named("out", "out_ready"),
        _ => Joint {
            valid: Signal::bit(format!("valid_{index}")),
            ready: Signal::bit(format!("ready_{index}")),
            data: Signal::new(format!("data_{index}"), kind),
        },
    }
}

/// The wires between parts.
fn wires(hardware: &NetworkHardware, items: &mut Items) {
    items.comment("What one part gives the next takes, when it is ready.");
    for index in 1..hardware.parts().len() {
        let Joint { valid, ready, data } = joint(hardware, index);
        items.net(valid);
        items.net(data);
        items.net(ready);
    }
    let first = items.net(Signal::bit("ready_0"));
    items.0.push(Item::Output { signal: Signal::bit("in_ready"), value: first.whole() });
    if !hardware.interface().waits() {
        items.comment("What comes out is always taken.");
        items.wire("out_ready", fixed_bit(true));
    }
}

fn instance([before, behind]: &[Joint; 2], index: usize, of: String) -> Item {
    let ports = [
        ("clk", Signal::bit("clk")),
        ("rst", Signal::bit("rst")),
        ("in_valid", before.valid.clone()),
        ("in_ready", before.ready.clone()),
        ("in_data", before.data.clone()),
        ("out_valid", behind.valid.clone()),
        ("out_ready", behind.ready.clone()),
        ("out_data", behind.data.clone()),
    ];
    let ports: Vec<(String, Value)> =
        ports.into_iter().map(|(port, signal)| (port.to_owned(), signal.whole())).collect();
    Item::Instance { of, name: format!("part_{}", index + 1), ports }
}

/// The counter of a part, which moves on with a word and begins anew behind the last.
fn counter(index: usize, factor: usize, moves: Value, items: &mut Items) -> Signal {
    let count =
        items.register(Signal::unsigned(format!("count_{}", index + 1), bits_to(factor - 1)));
    let zero = || constant(0, count.kind);
    let next = choose(count.is(factor as i128 - 1), zero(), count.stepped(false));
    let branches = vec![
        (Signal::bit("rst").whole(), vec![Statement::Take(count.clone(), zero())]),
        (moves, vec![Statement::Take(count.clone(), next)]),
    ];
    items.clocked(vec![Statement::If(branches)]);
    count
}

fn give(signal: &Signal, value: Value, items: &mut Items) {
    items.0.push(Item::Output { signal: signal.clone(), value });
}

/// Of every so many words the last goes on; the others are taken at once.
fn keep([before, behind]: &[Joint; 2], index: usize, factor: usize, items: &mut Items) {
    items.comment(format!("Of every {factor} words the last goes on."));
    if factor == 1 {
        return pass([before, behind], items);
    }
    let moves = all(vec![before.valid.whole(), before.ready.whole()]);
    let count = counter(index, factor, moves, items);
    let last = factor as i128 - 1;
    give(&behind.valid, all(vec![before.valid.whole(), count.is(last)]), items);
    give(&behind.data, before.data.whole(), items);
    give(&before.ready, any(vec![behind.ready.whole(), count.is_not(last)]), items);
}

/// Behind each word so many less one zeros.
fn fill([before, behind]: &[Joint; 2], index: usize, factor: usize, items: &mut Items) {
    items.comment(format!("Behind each word {} zeros.", factor - 1));
    if factor == 1 {
        return pass([before, behind], items);
    }
    let moves = all(vec![behind.valid.whole(), behind.ready.whole()]);
    let count = counter(index, factor, moves, items);
    give(&behind.valid, any(vec![before.valid.whole(), count.is_not(0)]), items);
    let zero = constant(0, behind.data.kind);
    give(&behind.data, choose(count.is(0), before.data.whole(), zero), items);
    give(&before.ready, all(vec![behind.ready.whole(), count.is(0)]), items);
}

fn pass([before, behind]: [&Joint; 2], items: &mut Items) {
    give(&behind.valid, before.valid.whole(), items);
    give(&behind.data, before.data.whole(), items);
    give(&before.ready, behind.ready.whole(), items);
}
