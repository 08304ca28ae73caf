//! A design in registers, wires and memories, before it is text: one form for all hardware languages.
//!
//! What builds a design (the units, the parallel taps, loadable tables) knows no language, and what prints
//! one knows no filter. A name, its bits and its sign are in one place; both languages print the same
//! registers in the same clocks.

mod chain;
mod endings;
mod field;
mod interface;
mod logic;
mod mixer;
mod parallel;
mod staged;
mod unit;
mod value;

pub(super) use chain::design as chain_design;
pub(super) use interface::{byte_bits, program_lines, programs_lines};
pub(super) use parallel::design as parallel_design;
pub(super) use staged::design as staged_design;
pub(super) use unit::design as unit_design;
pub(super) use unit::design_time_shared as time_shared_design;
pub(super) use value::{Kind, Signal, Value};

/// A module, or an entity with its architecture.
pub(super) struct Design {
    /// Its name.
    pub name: String,
    /// Designs that it has instances of, written in front of it.
    pub parts: Vec<Design>,
    /// What stands above it, line by line, as comments.
    pub about: Vec<String>,
    /// Its ports, in order.
    pub ports: Vec<Port>,
    /// What it is made of, in order.
    pub items: Vec<Item>,
    /// How it meets what is around it, for its test bench.
    pub traffic: Traffic,
}

/// What a test bench must know of a design.
#[derive(Debug, Clone, Copy)]
pub(super) struct Traffic {
    /// How samples are handed over; `None` where one is taken in every clock.
    pub interface: Option<crate::spec::Interface>,
    /// Samples that are handed over in a clock, the oldest lowest.
    pub samples: usize,
    /// Whether fewer or more words come out than go in.
    pub changes_rate: bool,
    /// Clocks from a sample to its output, at most where it does not have to wait to be taken.
    pub latency: usize,
    /// The most clocks that a sample may have to wait.
    pub patience: usize,
    /// What can be loaded while it runs.
    pub load: Option<LoadBus>,
}

/// The bus of what can be loaded.
#[derive(Debug, Clone, Copy)]
pub(super) struct LoadBus {
    /// Bits of an address.
    pub address_bits: u32,
    /// Bits of a word.
    pub data_bits: u32,
    /// Whether a port says that what was loaded is yet to be taken.
    pub has_pending: bool,
}

impl Design {
    /// Its parts with theirs, each behind those that it is made of, and itself behind all.
    pub(super) fn with_parts(&self) -> Vec<&Design> {
        let parts = self.parts.iter().flat_map(Design::with_parts);
        parts.chain([self]).collect()
    }

    /// The name of its clock.
    pub(super) fn clock(&self) -> &'static str {
        self.traffic.interface.map_or("clk", crate::spec::Interface::clock_port)
    }
}

/// A port.
pub(super) struct Port {
    /// Its name and bits.
    pub signal: Signal,
    /// Where it comes from.
    pub direction: Direction,
    /// A remark behind it, or nothing.
    pub remark: String,
    /// Whether bits of it are not read, on purpose.
    pub is_partly_read: bool,
}

/// Where a port comes from.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(super) enum Direction {
    /// From outside.
    Input,
    /// A wire of the design.
    Output,
    /// A register of the design.
    OutputRegister,
}

/// A declaration, with what it is defined as.
pub(super) enum Item {
    /// An empty line.
    Gap,
    /// A line of comment.
    Comment(String),
    /// From here on bits may be left unused on purpose, until the same with `false`.
    Unused(bool),
    /// A register, and whether it must be zero at power-up.
    Register { signal: Signal, starts_at_zero: bool },
    /// A wire that an instance drives.
    Net(Signal),
    /// An instance of a part, with the name of its own, and what its ports are connected to.
    Instance { of: String, name: String, ports: Vec<(String, Value)> },
    /// A wire.
    Wire { signal: Signal, value: Value, remark: String },
    /// An output that is a wire.
    Output { signal: Signal, value: Value },
    /// A wire, each bit for itself, the lowest first.
    Bits { signal: Signal, bits: Vec<Value> },
    /// A wire with one value for some numbers of a selector and another for all others.
    Cases { signal: Signal, selector: Signal, cases: Vec<(Value, Vec<usize>)>, otherwise: Value },
    /// Words that are zero at power-up.
    Memory { words: Signal, count: usize, is_block: bool },
    /// Words that are there at power-up, each with a remark, and whether they are written later.
    Table { words: Signal, values: Vec<(i128, String)>, is_block: bool, is_written: bool },
    /// What happens at each rising edge of the clock.
    Clocked(Vec<Statement>),
}

/// What happens at a clock edge.
#[derive(Clone)]
pub(super) enum Statement {
    /// A register takes a value.
    Take(Signal, Value),
    /// A register takes a word of a memory.
    Read { to: Signal, words: Signal, place: Value },
    /// A word of a memory takes a value.
    Write { words: Signal, place: Signal, value: Value },
    /// The first of some branches whose condition holds.
    If(Vec<(Value, Vec<Statement>)>),
}

/// Items as they are put together.
#[derive(Default)]
pub(super) struct Items(pub(super) Vec<Item>);

impl Items {
    fn gap(&mut self) {
        self.0.push(Item::Gap);
    }

    fn comment(&mut self, comment: impl Into<String>) {
        self.0.push(Item::Comment(comment.into()));
    }

    fn unused(&mut self, begins: bool) {
        self.0.push(Item::Unused(begins));
    }

    /// A register of this name and kind.
    fn register(&mut self, signal: Signal) -> Signal {
        self.0.push(Item::Register { signal: signal.clone(), starts_at_zero: false });
        signal
    }

    /// A wire that an instance drives.
    fn net(&mut self, signal: Signal) -> Signal {
        self.0.push(Item::Net(signal.clone()));
        signal
    }

    /// A wire of this name, as wide as its value.
    fn wire(&mut self, name: impl Into<String>, value: Value) -> Signal {
        let signal = Signal::new(name, value.kind());
        self.0.push(Item::Wire { signal: signal.clone(), value, remark: String::new() });
        signal
    }

    fn clocked(&mut self, statements: Vec<Statement>) {
        self.0.push(Item::Clocked(statements));
    }
}

/// A branch alone.
fn when(condition: Value, statements: Vec<Statement>) -> Statement {
    Statement::If(vec![(condition, statements)])
}
