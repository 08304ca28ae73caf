//! What generated C takes on a processor core.

/// What is counted of a run.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
#[cfg_attr(feature = "serde", derive(serde::Serialize))]
#[cfg_attr(feature = "serde", serde(rename_all = "kebab-case"))]
pub enum Counted {
    /// Instructions: the emulator has no timing, and in silicon some take more than a clock.
    Instructions,
    /// Cycles of the clock, as in silicon.
    Cycles,
}

impl Counted {
    /// The word for it.
    pub fn as_str(self) -> &'static str {
        match self {
            Counted::Instructions => "instructions",
            Counted::Cycles => "cycles",
        }
    }
}

/// What a filter takes on a core at a level of optimization: counted, not estimated.
#[derive(Debug, Clone, PartialEq)]
#[cfg_attr(feature = "serde", derive(serde::Serialize))]
pub struct CoreCost {
    /// The word for the core.
    pub core: &'static str,
    /// What it is.
    pub title: &'static str,
    /// The level.
    pub level: &'static str,
    /// What the next two count.
    pub counted: Counted,
    /// For a sample, one at a call, the call and the loop around it included.
    pub step_count: f64,
    /// Samples in a call of the function for blocks.
    pub block: usize,
    /// For a sample with so many at a call.
    pub block_count: f64,
    /// Bytes of code and of constants.
    pub code_bytes: u64,
    /// Bytes of a filter: its words, for each stream.
    pub filter_bytes: u64,
    /// Bytes of stack: those of all functions of the filter, as if each called the next, without those that
    /// the compiler brings.
    pub stack_bytes: u64,
    /// Compiler and emulator.
    pub tool: String,
}
