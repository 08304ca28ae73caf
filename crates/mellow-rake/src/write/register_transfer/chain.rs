//! Hardware of a network: an instance for each part, counters that keep and fill, and the wires between.

use super::interface::{Around, connect, handed_over, load_bus, program_lines};
use super::mixer::{STEP, design as mixer_design};
use super::value::{Kind, Signal, Value, all, any, choose, constant, fixed_bit};
use super::{
    Design, Item, Items, LoadBus, Statement, Traffic, parallel_design, staged_design, unit_design,
};
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
    let load = hardware.load_bits().map(|(address_bits, data_bits)| LoadBus {
        address_bits,
        data_bits,
        has_pending: false,
    });
    let registers = hardware.step_registers();
    for (index, part) in hardware.parts().iter().enumerate() {
        let own = format!("{name}_part_{}", index + 1);
        match part {
            NetworkPart::Unit { choice, program, .. } => parts.push(match &choice.unit {
                HardwareUnit::Serial(scheduled) => {
                    unit_design(scheduled, program_lines(program), &own)?
                }
                HardwareUnit::Staged(staged) => staged_design(staged, program, &own)?,
                HardwareUnit::Parallel(chain) => parallel_design(chain, program, &own),
            }),
            NetworkPart::Mixer { mixer, channels } => {
                let first = registers.iter().position(|(at, _)| *at == index);
                parts.push(mixer_design(mixer, *channels, first.zip(load), &own));
            }
            NetworkPart::Sums(program) => sums.push((own, &**program)),
            NetworkPart::Keep(_) | NetworkPart::Fill(_) => {}
        }
    }
    let mut items = Items::default();
    wires(hardware, &mut items);
    for (lanes, range) in hardware.groups() {
        if lanes == 1 {
            let index = range.start;
            let joints = [joint(hardware, index), joint(hardware, index + 1)];
            put(hardware, &joints, index, None, name, &mut items);
            continue;
        }
        let ends = [range.start, range.end];
        side_wires(hardware, range.clone(), lanes, &mut items);
        deal(&joint(hardware, ends[0]), &lanes_at(hardware, ends[0], lanes), &mut items);
        for lane in 0..lanes {
            for index in range.clone() {
                let joints = [index, index + 1].map(|at| side_joint(hardware, at, lane));
                put(hardware, &joints, index, Some(lane), name, &mut items);
            }
        }
        gather(&joint(hardware, ends[1]), &lanes_at(hardware, ends[1], lanes), &mut items);
    }
    let interface = hardware.interface();
    let around = Around { formats: hardware.ends(), interface, samples: 1, is_driven: true };
    let (mut ports, items) = connect(items, around, None);
    if let Some(bus) = load {
        ports.extend(load_bus(bus.address_bits, bus.data_bits, STEP));
    }
    let latency = hardware.drains_in();
    let traffic = Traffic {
        interface: Some(interface),
        samples: 1,
        changes_rate: true,
        latency,
        // What comes out is taken in more than one of four clocks.
        patience: 8 * latency + 1_000,
        load,
    };
    let mut handed = handed_over(interface, 1);
    if hardware.sample_words().iter().any(|words| *words > 1) {
        // Words of a sample are handed over one by one.
        handed.iter_mut().for_each(|line| *line = line.replace("A sample is", "A word is"));
    }
    let about = [about(hardware), handed].concat();
    let design = Design { name: name.to_owned(), parts, about, ports, items, traffic };
    Ok(ChainDesign { design, sums })
}

/// What stands above it: its parts.
fn about(hardware: &NetworkHardware) -> Vec<String> {
    let mut lines = vec![ORIGIN.to_owned(), String::new()];
    let words = hardware.sample_words();
    for (way, words) in [("goes in", words[0]), ("comes out", words[words.len() - 1])] {
        if words > 1 {
            lines.push(format!("A sample that {way} is {words} words, one behind the other."));
        }
    }
    lines.push(
        "Parts one behind the other, on one clock; each takes what the one before it gives:".into(),
    );
    for (index, part) in hardware.parts().iter().enumerate() {
        let (takes, gives) = part.words();
        let what = match part {
            NetworkPart::Mixer { .. } => {
                format!("a mixer with 1 multiplier, for a sample {} clocks", part.interval())
            }
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
        let many = match hardware.lanes()[index] {
            1 => String::new(),
            lanes => format!("{lanes} of them side by side, "),
        };
        lines.push(format!("  {}: {many}{what}", index + 1));
    }
    lines.push(String::new());
    let registers = hardware.step_registers();
    if !registers.is_empty() {
        lines.push(
            "A write to an address has the phase of an oscillator grow by another step:".to_owned(),
        );
        for (address, (part, own)) in registers.iter().enumerate() {
            if let NetworkPart::Mixer { mixer, .. } = &hardware.parts()[*part] {
                lines.push(format!(
                    "  {address}: oscillator {} of part {}, {} behind a reset",
                    own + 1,
                    part + 1,
                    mixer.oscillators()[*own].step()
                ));
            }
        }
        lines.push(String::new());
    }
    lines
}

/// Valid, ready and data in front of a part, or behind the last.
struct Joint {
    valid: Signal,
    ready: Signal,
    data: Signal,
}

fn joint(hardware: &NetworkHardware, index: usize) -> Joint {
    let kind = data_kind(hardware, index);
    let named = |name: &str, ready: &str| Joint {
        valid: Signal::bit(format!("{name}_valid")),
        ready: Signal::bit(ready),
        data: Signal::new(format!("{name}_data"), kind),
    };
    match index {
        0 => named("in", "ready_0"),
        _ if index == hardware.parts().len() => named("out", "out_ready"),
        _ => numbered(&index.to_string(), kind),
    }
}

fn numbered(number: &str, kind: Kind) -> Joint {
    Joint {
        valid: Signal::bit(format!("valid_{number}")),
        ready: Signal::bit(format!("ready_{number}")),
        data: Signal::new(format!("data_{number}"), kind),
    }
}

fn data_kind(hardware: &NetworkHardware, index: usize) -> Kind {
    Kind::Port(hardware.formats()[index].width())
}

/// The same of one lane of parts side by side.
fn side_joint(hardware: &NetworkHardware, index: usize, lane: usize) -> Joint {
    numbered(&format!("{index}_{lane}"), data_kind(hardware, index))
}

fn lanes_at(hardware: &NetworkHardware, index: usize, lanes: usize) -> Vec<Joint> {
    (0..lanes).map(|lane| side_joint(hardware, index, lane)).collect()
}

/// The wires of parts side by side.
fn side_wires(
    hardware: &NetworkHardware,
    range: std::ops::Range<usize>,
    lanes: usize,
    items: &mut Items,
) {
    items.gap();
    items.comment("The same of each lane, of parts side by side.");
    for index in range.start..=range.end {
        for Joint { valid, ready, data } in lanes_at(hardware, index, lanes) {
            items.net(valid);
            items.net(data);
            items.net(ready);
        }
    }
}

/// A counter of lanes, which moves on with each word that is handed over.
fn turn(joint: &Joint, name: String, lanes: usize, items: &mut Items) -> Signal {
    let turn = items.register(Signal::unsigned(name, bits_to(lanes - 1)));
    let zero = || constant(0, turn.kind);
    let next = choose(turn.is(lanes as i128 - 1), zero(), turn.stepped(false));
    let moves = all(vec![joint.valid.whole(), joint.ready.whole()]);
    items.clocked(vec![Statement::If(vec![
        (Signal::bit("rst").whole(), vec![Statement::Take(turn.clone(), zero())]),
        (moves, vec![Statement::Take(turn.clone(), next)]),
    ])]);
    turn
}

/// The words of a sample each to its lane.
fn deal(before: &Joint, lanes: &[Joint], items: &mut Items) {
    items.gap();
    items.comment("Each word goes to the next lane.");
    let turn = turn(before, format!("to_{}", lanes[0].valid.name), lanes.len(), items);
    let mut ready = Vec::new();
    for (lane, own) in lanes.iter().enumerate() {
        let is_next = || turn.is(lane as i128);
        give(&own.valid, all(vec![before.valid.whole(), is_next()]), items);
        give(&own.data, before.data.whole(), items);
        ready.push(all(vec![own.ready.whole(), is_next()]));
    }
    give(&before.ready, any(ready), items);
}

/// The words of all lanes one behind the other.
fn gather(behind: &Joint, lanes: &[Joint], items: &mut Items) {
    items.gap();
    items.comment("Each lane gives the next word in turn.");
    let turn = turn(behind, format!("from_{}", lanes[0].valid.name), lanes.len(), items);
    let mut valid = Vec::new();
    let mut choices = Vec::new();
    for (lane, own) in lanes.iter().enumerate() {
        let is_next = || turn.is(lane as i128);
        valid.push(all(vec![own.valid.whole(), is_next()]));
        choices.push((is_next(), own.data.whole()));
        give(&own.ready, all(vec![behind.ready.whole(), is_next()]), items);
    }
    let otherwise = choices.pop().map(|(_, data)| data);
    give(&behind.valid, any(valid), items);
    if let Some(otherwise) = otherwise {
        let otherwise = Box::new(otherwise);
        give(&behind.data, Value::Chosen { choices, otherwise }, items);
    }
}

/// A part between two joints.
fn put(
    hardware: &NetworkHardware,
    joints: &[Joint; 2],
    index: usize,
    lane: Option<usize>,
    name: &str,
    items: &mut Items,
) {
    items.gap();
    let number = match lane {
        None => (index + 1).to_string(),
        Some(lane) => format!("{}_{lane}", index + 1),
    };
    match &hardware.parts()[index] {
        NetworkPart::Unit { .. } | NetworkPart::Sums(_) | NetworkPart::Mixer { .. } => {
            let is_loaded = hardware.parts()[index].loadable_steps() > 0;
            let load = hardware.load_bits().filter(|_| is_loaded);
            let of = format!("{name}_part_{}", index + 1);
            items.0.push(instance(joints, &number, of, load));
        }
        NetworkPart::Keep(factor) => keep(joints, &number, *factor, items),
        NetworkPart::Fill(factor) => fill(joints, &number, *factor, items),
    }
}

/// The wires between parts.
fn wires(hardware: &NetworkHardware, items: &mut Items) {
    items.comment("What one part gives the next takes, when it is ready.");
    // Between parts side by side each lane has wires of its own.
    let begins = hardware.groups().into_iter().map(|(_, range)| range.start);
    for index in begins.filter(|index| *index > 0) {
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

fn instance(
    [before, behind]: &[Joint; 2],
    number: &str,
    of: String,
    load: Option<(u32, u32)>,
) -> Item {
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
    let loads = load.map(|(address, data)| {
        [
            ("load_write", Signal::bit("load_write")),
            ("load_address", Signal::new("load_address", Kind::Port(address))),
            ("load_data", Signal::new("load_data", Kind::Port(data))),
        ]
    });
    let ports: Vec<(String, Value)> = ports
        .into_iter()
        .chain(loads.into_iter().flatten())
        .map(|(port, signal)| (port.to_owned(), signal.whole()))
        .collect();
    Item::Instance { of, name: format!("part_{number}"), ports }
}

/// The counter of a part, which moves on with a word and begins anew behind the last.
fn counter(number: &str, factor: usize, moves: Value, items: &mut Items) -> Signal {
    let count = items.register(Signal::unsigned(format!("count_{number}"), bits_to(factor - 1)));
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
fn keep([before, behind]: &[Joint; 2], number: &str, factor: usize, items: &mut Items) {
    items.comment(format!("Of every {factor} words the last goes on."));
    if factor == 1 {
        return pass([before, behind], items);
    }
    let moves = all(vec![before.valid.whole(), before.ready.whole()]);
    let count = counter(number, factor, moves, items);
    let last = factor as i128 - 1;
    give(&behind.valid, all(vec![before.valid.whole(), count.is(last)]), items);
    give(&behind.data, before.data.whole(), items);
    give(&before.ready, any(vec![behind.ready.whole(), count.is_not(last)]), items);
}

/// Behind each word so many less one zeros.
fn fill([before, behind]: &[Joint; 2], number: &str, factor: usize, items: &mut Items) {
    items.comment(format!("Behind each word {} zeros.", factor - 1));
    if factor == 1 {
        return pass([before, behind], items);
    }
    let moves = all(vec![behind.valid.whole(), behind.ready.whole()]);
    let count = counter(number, factor, moves, items);
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
