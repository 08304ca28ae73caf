//! What hardware is to be like.

use super::error::Problem;

/// Hardware of a filter that has no words.
pub(super) fn without_words() -> Problem {
    let accepted = "a table [fixed] beside it: hardware is made of integers".to_owned();
    Problem::Range { found: "no words".to_owned(), accepted }
}

/// How samples come and go.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash)]
#[cfg_attr(feature = "serde", derive(serde::Serialize))]
#[cfg_attr(feature = "serde", serde(rename_all = "kebab-case"))]
pub enum Interface {
    /// `in_valid` and `in_ready` in, `out_valid` out: what comes out must be taken in its clock.
    Valid,
    /// `out_ready` as well: what is not taken waits, and samples are taken only while there is a place for
    /// what they give. A serial unit has no path from `out_ready` to `in_ready` within a clock; taps in
    /// parallel wait all together, and have one.
    ValidReady,
    /// The same handshake in the signals of AXI-Stream (Arm IHI 0051): `aclk`, `aresetn`, and for each side
    /// TVALID, TREADY and TDATA, whose words fill whole bytes. What fills them up is not read, and is the
    /// sign, or zeros, in what comes out.
    AxiStream,
}

impl Interface {
    /// All of them.
    pub const ALL: [Interface; 3] = [Interface::Valid, Interface::ValidReady, Interface::AxiStream];

    /// Whether what comes out can be left standing.
    pub fn waits(self) -> bool {
        self != Interface::Valid
    }

    /// The name of the clock's port.
    pub fn clock_port(self) -> &'static str {
        if self == Interface::AxiStream { "aclk" } else { "clk" }
    }

    /// The word for it in spec files.
    pub fn as_str(self) -> &'static str {
        match self {
            Interface::Valid => "valid",
            Interface::ValidReady => "valid-ready",
            Interface::AxiStream => "axi-stream",
        }
    }
}

/// How the work is laid out.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash)]
#[cfg_attr(feature = "serde", derive(serde::Serialize))]
#[cfg_attr(feature = "serde", serde(rename_all = "kebab-case"))]
pub enum Architecture {
    /// Multipliers that are shared: some clocks for a sample, words and coefficients in memories.
    Serial,
    /// A multiplier for each size of a tap, a sample a clock, or several.
    Parallel,
}

impl Architecture {
    /// Both.
    pub const ALL: [Architecture; 2] = [Architecture::Serial, Architecture::Parallel];

    /// The word for it in spec files.
    pub fn as_str(self) -> &'static str {
        match self {
            Architecture::Serial => "serial",
            Architecture::Parallel => "parallel",
        }
    }
}

/// Hardware with registers in between. What is not stated is chosen.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Hardware {
    /// The clock in hertz.
    pub clock: Option<f64>,
    /// How the work is laid out; as the clock asks, if it is not stated.
    pub architecture: Option<Architecture>,
    /// Multipliers; as few as the clock allows, if they are not stated.
    pub multipliers: Option<usize>,
    /// Whether words that share a coefficient are added in front of the multiplier; if it is not stated,
    /// where that spares a multiplier.
    pub pre_adder: Option<bool>,
    /// Registers of each multiplier: 1 is behind it, further ones in front of it.
    pub multiplier_stages: usize,
    /// Registers on the way of a word: 1 has one each behind product, sum and result; 2 also one behind what
    /// brings a product to the sum's fraction, and one between rounding and limit. If it is not stated, 2
    /// where there is more than wires in these places and the clock leaves time for it.
    pub pipelining: Option<usize>,
    /// Channels that take turns.
    pub channels: usize,
    /// Samples that are taken in one clock; more than one of taps alone.
    pub samples_per_clock: usize,
    /// How samples come and go.
    pub interface: Interface,
    /// Whether a reset clears the memory.
    pub clears_memory: bool,
    /// From how many bits on a memory becomes block RAM.
    pub block_ram_bits: u64,
    /// Whether coefficients can be written while the filter runs.
    pub loads_coefficients: bool,
}

impl Default for Hardware {
    /// One channel, samples with valid and ready at the input and valid at the output.
    fn default() -> Self {
        Hardware {
            clock: None,
            architecture: None,
            multipliers: None,
            pre_adder: None,
            multiplier_stages: 1,
            pipelining: None,
            channels: 1,
            samples_per_clock: 1,
            interface: Interface::Valid,
            clears_memory: true,
            block_ram_bits: 256,
            loads_coefficients: false,
        }
    }
}

impl Hardware {
    /// The most multipliers.
    pub const MOST_MULTIPLIERS: usize = 64;
    /// The most registers of a multiplier.
    pub const MOST_STAGES: usize = 3;
    /// The most levels of pipelining.
    pub const MOST_PIPELINING: usize = 2;
    /// The most channels.
    pub const MOST_CHANNELS: usize = 256;
    /// The most samples in a clock.
    pub const MOST_SAMPLES: usize = 16;
}
