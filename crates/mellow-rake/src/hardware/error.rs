//! What can be wrong with a wish for hardware, or with a schedule.

use crate::datapath::AnyCoefficientsError;
use crate::fixed::WordFormat;

/// A number of things in words.
fn counted(count: usize, what: &str) -> String {
    format!("{count} {what}{}", if count == 1 { "" } else { "s" })
}

/// Why there is no schedule for a datapath.
#[derive(Debug, Clone, PartialEq, thiserror::Error)]
#[non_exhaustive]
pub enum HardwareError {
    /// A program that changes the rate, where none is accepted.
    #[error(
        "units that take turns, take a sample a clock, or have coefficients to be loaded are made of filters \
         that take one word and give one; this one takes {takes} and gives {gives} in a firing"
    )]
    Firing {
        /// Words that a firing takes.
        takes: usize,
        /// Words that it gives.
        gives: usize,
    },
    /// A program with several streams.
    #[error(
        "hardware is made of programs with one stream in and one out; this one has {} in and {} out",
        .found[0], .found[1]
    )]
    Ports {
        /// Its streams in and out.
        found: [usize; 2],
    },
    /// A program that takes several words at a time and remembers sums.
    #[error(
        "a firing of {takes} words uses what sums gave in firings before, and hardware of such firings \
         remembers only what comes in; a filter that takes a word at a time would do"
    )]
    Later {
        /// Words that a firing takes.
        takes: usize,
    },
    /// Channels that take turns at a program that takes several words at a time.
    #[error(
        "{channels} channels take turns at firings of one word; here one takes {takes}, and a unit for each \
         channel would do"
    )]
    Interleaved {
        /// Words that a firing takes.
        takes: usize,
        /// The channels.
        channels: usize,
    },
    /// More products and sums than are scheduled.
    #[error("{found} products and sums in a firing; at most {most} are scheduled")]
    Products {
        /// How many there are.
        found: usize,
        /// How many may be.
        most: usize,
    },
    /// Nothing to do it with, or more than there can be.
    #[error("{found} {what}; 1 to {most} are accepted")]
    Range {
        /// Of what.
        what: &'static str,
        /// How many were asked for.
        found: usize,
        /// How many may be.
        most: usize,
    },
    /// Something that cannot be done in a clock for each sample with registers in between.
    #[error(
        "a sample a clock is for one sum of products with the input, and here a sum uses what sums gave; it \
         needs a clock of several times the sample rate, or, without the table [hardware], one that is slow \
         enough for all of it"
    )]
    Recursion {
        /// Tasks of its flow.
        tasks: usize,
    },
    /// Taps in parallel whose products are rounded before they are added.
    #[error(
        "taps in parallel add exact products, and here each is rounded before; architecture = \"serial\" \
         would do, or no `products` in [fixed]"
    )]
    Rounded,
    /// Several samples a clock of something that comes back into itself.
    #[error(
        "{samples} samples a clock are for sums of products with the input alone; here a loop of {} \
         takes {clocks} clocks, so that a sample takes {} at least; {remedy}",
        counted(*.delay, "sample"),
        .clocks.div_ceil(*.delay)
    )]
    Loop {
        /// Samples in a clock.
        samples: usize,
        /// Clocks from a word of the loop to the next that is made of it.
        clocks: usize,
        /// By how many samples that is later.
        delay: usize,
        /// What would do.
        remedy: String,
    },
    /// Several samples a clock, and channels that take turns.
    #[error(
        "several samples a clock and {channels} channels that take turns: one of the two; a unit for each \
         channel would do"
    )]
    Turns {
        /// The channels.
        channels: usize,
    },
    /// Filters that are to take turns on something that is no serial unit of constants for one channel.
    #[error(
        "filters that take turns share a serial unit of constants; {key} = {accepted} would do"
    )]
    NoTurns {
        /// The key of the table.
        key: &'static str,
        /// What it may say.
        accepted: &'static str,
    },
    /// Filters that take turns at different rates.
    #[error(
        "filters that take turns have one sample rate: filter {filter} has {found} Hz, the first {needed} Hz"
    )]
    Rates {
        /// Which, from 1 on.
        filter: usize,
        /// Its rate in hertz.
        found: f64,
        /// The rate of the first.
        needed: f64,
    },
    /// Filters that take turns, with words of different formats.
    #[error(
        "filters that take turns have words of one format: filter {filter} takes {} and gives {}, the first \
         takes {} and gives {}",
        .found[0], .found[1], .needed[0], .needed[1]
    )]
    Formats {
        /// Which, from 1 on.
        filter: usize,
        /// What it takes and gives.
        found: [WordFormat; 2],
        /// What the first takes and gives.
        needed: [WordFormat; 2],
    },
    /// Several samples a clock on multipliers that are shared.
    #[error(
        "several samples a clock have multipliers of their own; architecture = \"parallel\", or none stated, \
         would do"
    )]
    Shared,
    /// A sample a clock with fewer multipliers than there are sizes of taps.
    #[error(
        "in parallel it takes {needed} multipliers, one for each size of a tap and each sample of a clock; \
         {stated} are stated"
    )]
    Multipliers {
        /// How many are stated.
        stated: usize,
        /// How many it takes.
        needed: usize,
    },
    /// The clock leaves too few clocks for each sample.
    #[error(
        "{available} clocks are there for each sample and {needed} are needed with \
         {}; {remedy}",
        counted(*.multipliers, "multiplier")
    )]
    Clock {
        /// Clocks between two samples.
        available: u64,
        /// Clocks that a sample takes.
        needed: u64,
        /// With so many multipliers.
        multipliers: usize,
        /// What would do.
        remedy: String,
    },
    /// Coefficients that cannot be loaded, since what is built holds for those that were designed only.
    #[error("loadable coefficients: {0}")]
    Coefficients(AnyCoefficientsError),
    /// Coefficients that cannot be loaded, since each has a multiplier made for it.
    #[error(
        "loadable coefficients: taps in parallel have multipliers made for their taps; a serial unit has a \
         memory of coefficients"
    )]
    Parallel,
    /// An accumulator that is stated, which other coefficients may need wider.
    #[error(
        "loadable coefficients: accumulators are as wide as any coefficients need, so that none can be stated"
    )]
    Accumulator,
    /// Sums or words that are wider than the unit is written for.
    #[error("a sum or product needs {needed} bits; the unit has at most {most}")]
    Width {
        /// Bits needed.
        needed: u32,
        /// The most there are.
        most: u32,
    },
}

impl HardwareError {
    /// The key of a spec that this is about.
    pub fn key(&self) -> &'static str {
        match self {
            HardwareError::Clock { .. } => "hardware.clock",
            HardwareError::Multipliers { .. } => "hardware.multipliers",
            HardwareError::Recursion { .. } => "hardware.architecture",
            HardwareError::Range { what, .. } if what.starts_with("multipliers") => {
                "hardware.multipliers"
            }
            HardwareError::Range { what, .. } if what.starts_with("channels") => {
                "hardware.channels"
            }
            HardwareError::NoTurns { key: "architecture", .. } => "hardware.architecture",
            HardwareError::NoTurns { key: "samples_per_clock", .. } => "hardware.samples_per_clock",
            HardwareError::NoTurns { key: "channels", .. } => "hardware.channels",
            HardwareError::NoTurns { .. } => "hardware.coefficients",
            HardwareError::Rates { .. } => "sample_rate",
            HardwareError::Formats { .. } => "fixed.input",
            HardwareError::Range { what, .. } if what.starts_with("filters") => "hardware",
            HardwareError::Range { what, .. } if what.starts_with("levels") => {
                "hardware.pipelining"
            }
            HardwareError::Range { what, .. } if what.starts_with("samples") => {
                "hardware.samples_per_clock"
            }
            HardwareError::Loop { .. } | HardwareError::Turns { .. } => {
                "hardware.samples_per_clock"
            }
            HardwareError::Range { .. } => "hardware.multiplier_stages",
            HardwareError::Width { .. } | HardwareError::Accumulator => "fixed.accumulator",
            HardwareError::Coefficients(AnyCoefficientsError::Forbid { .. }) => "fixed.overflow",
            HardwareError::Coefficients(AnyCoefficientsError::Exponents { .. }) => {
                "fixed.coefficients"
            }
            HardwareError::Coefficients(_) => "hardware.coefficients",
            HardwareError::Parallel | HardwareError::Shared | HardwareError::Rounded => {
                "hardware.architecture"
            }
            HardwareError::Firing { .. }
            | HardwareError::Ports { .. }
            | HardwareError::Later { .. }
            | HardwareError::Interleaved { .. }
            | HardwareError::Products { .. } => "hardware",
        }
    }
}

/// Why a schedule is none.
#[derive(Debug, Clone, Copy, PartialEq, Eq, thiserror::Error)]
#[non_exhaustive]
pub enum ScheduleError {
    /// A product that is issued twice, or never.
    #[error("product {product} of task {task} is issued {times} times, and once is right")]
    Times {
        /// The task.
        task: usize,
        /// The product.
        product: usize,
        /// How often it is issued.
        times: usize,
    },
    /// Something that is not there: a task, a product, a multiplier, a clock of the interval.
    #[error("clock {clock}: no such task, product, multiplier or clock")]
    Unknown {
        /// When.
        clock: usize,
    },
    /// Two things at once on one multiplier, or in one sum.
    #[error("clock {clock}: tasks {one} and {other} use the sum at the same time")]
    Clash {
        /// When.
        clock: usize,
        /// A task.
        one: usize,
        /// Another.
        other: usize,
    },
    /// Words of a firing that would go out in another order.
    #[error("task {other} would end before task {one}, whose word goes out first")]
    Order {
        /// A task.
        one: usize,
        /// The one whose word is the next.
        other: usize,
    },
    /// A word that is read before it is written.
    #[error("clock {clock}: task {task} reads a word that is there from clock {ready} on")]
    Early {
        /// When it is read.
        clock: usize,
        /// By which task.
        task: usize,
        /// The first clock in which it may be read, of the same firing.
        ready: usize,
    },
    /// Two words that are written at once.
    #[error("tasks {one} and {other} write at the same time (the input counts as task {input})",
        input = usize::MAX)]
    Port {
        /// A task.
        one: usize,
        /// Another.
        other: usize,
    },
    /// Words that are added in front of a multiplier which has no adder there.
    #[error(
        "clock {clock}: task {task} adds words before their product, and there is no adder for that"
    )]
    PreAdder {
        /// When.
        clock: usize,
        /// The task.
        task: usize,
    },
    /// A word that would be written when its slot belongs to another.
    #[error("what task {task} gives is written after its slot has passed on")]
    Late {
        /// The task.
        task: usize,
    },
}
