//! What is around a unit: the program in comments, and its ports.

use super::value::{Kind, Signal, Value};
use super::{Direction, Item, Items, Port};
use crate::datapath::{Checked, dump};
use crate::fixed::WordFormat;
use crate::hardware::LoadMap;
use crate::spec::Interface;
use crate::write::ORIGIN;

/// The program in comments, above everything that is made of it.
pub(in crate::write) fn program_lines(checked: &Checked) -> Vec<String> {
    let mut lines = vec![ORIGIN.to_owned(), String::new()];
    lines.push("The program, in the terms of the comments below:".to_owned());
    lines.push(String::new());
    lines.extend(dump(checked).lines().map(|line| format!("  {line}")));
    lines.push(String::new());
    lines
}

/// The same of filters that take turns.
pub(in crate::write) fn programs_lines(filters: &[&Checked]) -> Vec<String> {
    let mut lines = vec![ORIGIN.to_owned(), String::new()];
    for (index, checked) in filters.iter().enumerate() {
        let (number, count) = (index + 1, filters.len());
        lines.push(format!("Filter {number} of the {count} that take turns:"));
        lines.push(String::new());
        lines.extend(dump(checked).lines().map(|line| format!("  {line}")));
        lines.push(String::new());
    }
    lines
}

/// How samples are handed over.
pub(super) fn handed_over(interface: Interface, samples: usize) -> Vec<String> {
    let what = if samples == 1 { "A sample is" } else { "They are" };
    let lines = match interface {
        Interface::Valid => [
            format!(
                "{what} taken at each rising clock edge with in_valid and in_ready high, and given at each"
            ),
            "with out_valid high.".to_owned(),
        ],
        Interface::ValidReady => [
            format!(
                "{what} taken at each rising clock edge with in_valid and in_ready high, and given at each"
            ),
            "with out_valid and out_ready high.".to_owned(),
        ],
        Interface::AxiStream => {
            let place =
                if samples == 1 { "the lowest bits of TDATA" } else { "each in bytes of its own" };
            [
                format!(
                    "Samples come and go as AXI-Stream, {place}; aresetn is the inverse of rst, and"
                ),
                "is sampled at the clock.".to_owned(),
            ]
        }
    };
    lines.to_vec()
}

/// Bits of the whole bytes that hold a word.
pub(in crate::write) fn byte_bits(width: u32) -> u32 {
    width.div_ceil(8) * 8
}

/// What is around the registers of a unit.
#[derive(Clone, Copy)]
pub(super) struct Around {
    /// Of what comes in and of what goes out.
    pub formats: [WordFormat; 2],
    /// How samples come and go.
    pub interface: Interface,
    /// So many in a clock.
    pub samples: usize,
    /// Whether what goes out is driven by parts of the design, not by registers of its own.
    pub is_driven: bool,
}

/// The ports of a unit, and its items with what connects them to the ports.
pub(super) fn connect(
    items: Items,
    around: Around,
    map: Option<&LoadMap>,
) -> (Vec<Port>, Vec<Item>) {
    let sides = around.formats.map(|format| Side { format, samples: around.samples });
    let (mut ports, items) = match around.interface {
        Interface::Valid | Interface::ValidReady => {
            (ports(sides, around.interface, around.is_driven), items.0)
        }
        Interface::AxiStream => (stream_ports(sides), streamed(items, sides, around.is_driven)),
    };
    if let Some(map) = map {
        ports.extend(load_ports(map));
    }
    (ports, items)
}

/// The register bus of a unit whose coefficients can be loaded.
fn load_ports(map: &LoadMap) -> Vec<Port> {
    let mut formats: Vec<String> = map.tables.iter().map(|one| one.format.to_string()).collect();
    formats.dedup();
    let mut ports = load_bus(map.address_bits, map.data_bits, &formats.join(", "));
    ports.push(port(Signal::bit("load_pending"), Direction::OutputRegister));
    ports
}

/// Write, address and data of what can be loaded.
pub(super) fn load_bus(address_bits: u32, data_bits: u32, remark: &str) -> Vec<Port> {
    let load_data = port(data("load_data", data_bits), Direction::Input);
    vec![
        port(Signal::bit("load_write"), Direction::Input),
        port(data("load_address", address_bits), Direction::Input),
        Port { remark: remark.to_owned(), ..load_data },
    ]
}

fn port(signal: Signal, direction: Direction) -> Port {
    Port { signal, direction, remark: String::new(), is_partly_read: false }
}

fn data(name: &str, width: u32) -> Signal {
    Signal::new(name, Kind::Port(width))
}

/// What is handed over in a clock: words of a format side by side.
#[derive(Clone, Copy)]
struct Side {
    format: WordFormat,
    samples: usize,
}

impl Side {
    /// Bits of the words side by side.
    fn width(self) -> u32 {
        self.format.width() * self.samples as u32
    }

    /// Bits of them where each fills whole bytes.
    fn all_bytes(self) -> u32 {
        byte_bits(self.format.width()) * self.samples as u32
    }

    fn remark(self) -> String {
        match self.samples {
            1 => self.format.to_string(),
            samples => format!("{samples} x {}", self.format),
        }
    }

    /// Of each word the highest and lowest bit, where words are so many bits apart.
    fn places(self, apart: u32) -> Vec<(u32, u32)> {
        let place = |sample: u32| (sample * apart + self.format.width() - 1, sample * apart);
        (0..self.samples as u32).map(place).collect()
    }
}

fn ports([input, output]: [Side; 2], interface: Interface, is_driven: bool) -> Vec<Port> {
    let given = if is_driven { Direction::Output } else { Direction::OutputRegister };
    let in_data = port(data("in_data", input.width()), Direction::Input);
    let out_data = port(data("out_data", output.width()), given);
    let mut ports = vec![
        port(Signal::bit("clk"), Direction::Input),
        port(Signal::bit("rst"), Direction::Input),
        port(Signal::bit("in_valid"), Direction::Input),
        port(Signal::bit("in_ready"), Direction::Output),
        Port { remark: input.remark(), ..in_data },
        port(Signal::bit("out_valid"), given),
    ];
    if interface.waits() {
        ports.push(port(Signal::bit("out_ready"), Direction::Input));
    }
    ports.push(Port { remark: output.remark(), ..out_data });
    ports
}

fn stream_ports([input, output]: [Side; 2]) -> Vec<Port> {
    let in_data = port(data("in_tdata", input.all_bytes()), Direction::Input);
    let out_data = port(data("out_tdata", output.all_bytes()), Direction::Output);
    vec![
        port(Signal::bit("aclk"), Direction::Input),
        port(Signal::bit("aresetn"), Direction::Input),
        port(Signal::bit("in_tvalid"), Direction::Input),
        port(Signal::bit("in_tready"), Direction::Output),
        Port {
            remark: input.remark(),
            is_partly_read: in_data.signal.width() > input.width(),
            ..in_data
        },
        port(Signal::bit("out_tvalid"), Direction::Output),
        port(Signal::bit("out_tready"), Direction::Input),
        Port { remark: output.remark(), ..out_data },
    ]
}

/// The items with the signals of a stream around them: within, all have the names of the other interfaces.
fn streamed(items: Items, [input, output]: [Side; 2], is_driven: bool) -> Vec<Item> {
    let mut all = Items::default();
    all.comment("The signals of the stream.");
    all.unused(true);
    all.wire("rst", Signal::bit("aresetn").whole().not());
    all.wire("in_valid", Signal::bit("in_tvalid").whole());
    let bytes = data("in_tdata", input.all_bytes());
    let places = input.places(byte_bits(input.format.width()));
    let words = places.iter().rev().map(|(high, low)| bytes.part(*high, *low)).collect();
    let signal = data("in_data", input.width());
    let remark = String::new();
    all.0.push(Item::Wire { signal, value: side_by_side(words), remark });
    all.wire("out_ready", Signal::bit("out_tready").whole());
    all.unused(false);
    let mut given = |signal| if is_driven { all.net(signal) } else { all.register(signal) };
    let valid = given(Signal::bit("out_valid"));
    let word = given(data("out_data", output.width()));
    let give = |name: &str, kind, value| Item::Output { signal: Signal::new(name, kind), value };
    all.0.push(give("out_tvalid", Kind::Bit, valid.whole()));
    let filled = filled(&word, output, &mut all);
    all.0.push(give("out_tdata", Kind::Port(output.all_bytes()), filled));
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

/// The words that go out, each filled up to bytes as its format says.
fn filled(words: &Signal, side: Side, items: &mut Items) -> Value {
    let (width, bytes) = (side.format.width(), byte_bits(side.format.width()));
    if width == bytes {
        return words.whole();
    }
    let kind = |width| match side.format.is_signed() {
        true => Kind::Signed(width),
        false => Kind::Unsigned(width),
    };
    if side.samples == 1 {
        return Value::Resized { of: words.clone(), kind: kind(bytes) };
    }
    let mut parts = Vec::new();
    for (number, (high, low)) in side.places(width).into_iter().enumerate() {
        let (remark, value) = (String::new(), words.part(high, low));
        let word = Signal::new(format!("out_data_{number}"), kind(width));
        items.0.push(Item::Wire { signal: word.clone(), value, remark });
        let value = Value::Resized { of: word, kind: kind(bytes) };
        parts.push(items.wire(format!("out_bytes_{number}"), value).whole());
    }
    parts.reverse();
    side_by_side(parts)
}

/// One behind the other, the first highest.
fn side_by_side(mut words: Vec<Value>) -> Value {
    if words.len() == 1 { words.remove(0) } else { Value::Joined(words) }
}
