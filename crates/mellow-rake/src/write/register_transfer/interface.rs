//! What is around a unit: the program in comments, and its ports.

use super::value::{Kind, Signal, Value};
use super::{Direction, Item, Items, Port};
use crate::datapath::{Checked, dump};
use crate::hardware::LoadMap;
use crate::spec::Interface;
use crate::write::ORIGIN;

/// The lines above a unit; `about` says what it is.
pub(super) fn about_program(
    checked: &Checked,
    about: &[String],
    interface: Interface,
) -> Vec<String> {
    let mut lines = vec![ORIGIN.to_owned(), String::new()];
    lines.push("The program, in the terms of the comments below:".to_owned());
    lines.push(String::new());
    lines.extend(dump(checked).lines().map(|line| format!("  {line}")));
    lines.push(String::new());
    lines.extend_from_slice(about);
    let handed_over = match interface {
        Interface::Valid => [
            "A sample is taken at each rising clock edge with in_valid and in_ready high, and given at each",
            "with out_valid high.",
        ],
        Interface::ValidReady => [
            "A sample is taken at each rising clock edge with in_valid and in_ready high, and given at each",
            "with out_valid and out_ready high.",
        ],
        Interface::AxiStream => [
            "Samples come and go as AXI-Stream, the lowest bits of TDATA; aresetn is the inverse of rst, and",
            "is sampled at the clock.",
        ],
    };
    lines.extend(handed_over.map(str::to_owned));
    lines
}

/// Bits of the whole bytes that hold a word.
pub(in crate::write) fn byte_bits(width: u32) -> u32 {
    width.div_ceil(8) * 8
}

/// The ports of a unit, and its items with what connects them to the ports.
pub(super) fn connect(
    items: Items,
    checked: &Checked,
    interface: Interface,
    map: Option<&LoadMap>,
) -> (Vec<Port>, Vec<Item>) {
    let (mut ports, items) = match interface {
        Interface::Valid | Interface::ValidReady => (ports(checked, interface), items.0),
        Interface::AxiStream => (stream_ports(checked), streamed(items, checked)),
    };
    if let Some(map) = map {
        ports.extend(load_ports(map));
    }
    (ports, items)
}

/// The register bus of a unit whose coefficients can be loaded.
fn load_ports(map: &LoadMap) -> Vec<Port> {
    let load_data = port(data("load_data", map.data_bits), Direction::Input);
    let mut formats: Vec<String> = map.tables.iter().map(|one| one.format.to_string()).collect();
    formats.dedup();
    vec![
        port(Signal::bit("load_write"), Direction::Input),
        port(data("load_address", map.address_bits), Direction::Input),
        Port { remark: formats.join(", "), ..load_data },
        port(Signal::bit("load_pending"), Direction::OutputRegister),
    ]
}

fn port(signal: Signal, direction: Direction) -> Port {
    Port { signal, direction, remark: String::new(), is_partly_read: false }
}

fn data(name: &str, width: u32) -> Signal {
    Signal::new(name, Kind::Port(width))
}

fn ports(checked: &Checked, interface: Interface) -> Vec<Port> {
    let (input, output) = (checked.input(), checked.output());
    let in_data = port(data("in_data", input.width()), Direction::Input);
    let out_data = port(data("out_data", output.width()), Direction::OutputRegister);
    let mut ports = vec![
        port(Signal::bit("clk"), Direction::Input),
        port(Signal::bit("rst"), Direction::Input),
        port(Signal::bit("in_valid"), Direction::Input),
        port(Signal::bit("in_ready"), Direction::Output),
        Port { remark: input.to_string(), ..in_data },
        port(Signal::bit("out_valid"), Direction::OutputRegister),
    ];
    if interface.waits() {
        ports.push(port(Signal::bit("out_ready"), Direction::Input));
    }
    ports.push(Port { remark: output.to_string(), ..out_data });
    ports
}

fn stream_ports(checked: &Checked) -> Vec<Port> {
    let (input, output) = (checked.input(), checked.output());
    let in_data = port(data("in_tdata", byte_bits(input.width())), Direction::Input);
    let out_data = port(data("out_tdata", byte_bits(output.width())), Direction::Output);
    vec![
        port(Signal::bit("aclk"), Direction::Input),
        port(Signal::bit("aresetn"), Direction::Input),
        port(Signal::bit("in_tvalid"), Direction::Input),
        port(Signal::bit("in_tready"), Direction::Output),
        Port {
            remark: input.to_string(),
            is_partly_read: in_data.signal.width() > input.width(),
            ..in_data
        },
        port(Signal::bit("out_tvalid"), Direction::Output),
        port(Signal::bit("out_tready"), Direction::Input),
        Port { remark: output.to_string(), ..out_data },
    ]
}

/// The items with the signals of a stream around them: within, all have the names of the other interfaces.
fn streamed(items: Items, checked: &Checked) -> Vec<Item> {
    let (input, output) = (checked.input(), checked.output());
    let mut all = Items::default();
    all.comment("The signals of the stream.");
    all.unused(true);
    all.wire("rst", Signal::bit("aresetn").whole().not());
    all.wire("in_valid", Signal::bit("in_tvalid").whole());
    let bytes = data("in_tdata", byte_bits(input.width()));
    all.wire("in_data", bytes.part(input.width() - 1, 0));
    all.wire("out_ready", Signal::bit("out_tready").whole());
    all.unused(false);
    let valid = all.register(Signal::bit("out_valid"));
    let word = all.register(data("out_data", output.width()));
    let mut give = |name: &str, kind, value| {
        all.0.push(Item::Output { signal: Signal::new(name, kind), value });
    };
    give("out_tvalid", Kind::Bit, valid.whole());
    // Filled up as its format says.
    let kind = Kind::Port(byte_bits(output.width()));
    let filled = match word.width() == kind.width() {
        true => word.whole(),
        false => {
            let kind = match output.is_signed() {
                true => Kind::Signed(kind.width()),
                false => Kind::Unsigned(kind.width()),
            };
            Value::Resized { of: word, kind }
        }
    };
    give("out_tdata", kind, filled);
    all.gap();
    for item in items.0 {
        match item {
            Item::Output { signal, value } if signal.name == "in_ready" => {
                let ready = all.wire("in_ready", value);
                let signal = Signal::bit("in_tready");
                all.0.push(Item::Output { signal, value: ready.whole() });
            }
            other => all.0.push(other),
        }
    }
    all.0
}
