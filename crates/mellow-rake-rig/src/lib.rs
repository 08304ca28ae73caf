//! Real tools, driven: C and Rust compilers and HDL simulators, found on the path, run with a time limit in a
//! temporary folder, and heard when they complain.
//!
//! ```no_run
//! use mellow_rake_rig::{Device, Target};
//! # fn files() -> Vec<mellow_rake::write::GeneratedFile> { Vec::new() }
//! # let (input, output) = ("s16f15".parse()?, "s16f15".parse()?);
//! let device = Device::build(Target::HostC, &files(), input, output)?;
//! let answers = device.run(&[0, 100, 200], &[0, 97, 190])?;
//! # Ok::<(), Box<dyn std::error::Error>>(())
//! ```

mod core_cost;
mod device;
mod emulator;
mod hardware;
mod process;
mod program;
mod proof;
mod simavr;
mod synthesis;
mod tool;

pub use core_cost::{CoreCostError, chain_cost, core_cost, study_cost};
pub use device::{Answer, Device, Target};
pub use emulator::{CallCost, Core, Emulated};
pub use hardware::{BenchReport, HardwareModel};
pub use process::{Finished, end_all, exchange, run};
pub use program::{C_FLAGS, Program, RUST_FLAGS};
pub use proof::{TargetWords, UnitPace, run_targets, verilog_simulator};
pub use synthesis::{Family, SEEDS, synthesize};
pub use tool::{Tool, ToolName};

use std::path::PathBuf;
use std::time::Duration;

/// What can go wrong with an outside tool.
#[derive(Debug, thiserror::Error)]
#[non_exhaustive]
pub enum RigError {
    /// The tool is not on the path. What needed it was not run.
    #[error("{program} is not on the path; Debian has it in the package {package}")]
    Missing {
        /// The program.
        program: &'static str,
        /// The Debian package that brings it.
        package: &'static str,
    },
    /// The tool is there, but cannot do yet what is needed. What needed it was not run.
    #[error("{version} is too old: {program} {least} or later is wanted")]
    Old {
        /// The program.
        program: &'static str,
        /// What it says about its version.
        version: String,
        /// The first version that would do.
        least: u32,
    },
    /// The core has too little memory for the filter, or no numbers of its kind. What needed it was not run.
    #[error("the filter does not fit {core}{}", said(.messages))]
    Unfit {
        /// What the core is.
        core: &'static str,
        /// What the compiler or the linker said.
        messages: String,
    },
    /// The tool did not end in time and was stopped.
    #[error("{program} did not end within {limit:?} and was stopped{}", said(.messages))]
    TimeOut {
        /// The program.
        program: String,
        /// The time that it had.
        limit: Duration,
        /// What it had printed on its standard error.
        messages: String,
    },
    /// The tool ended with a failure.
    #[error("{program} failed ({status}){}", said(.messages))]
    Failed {
        /// The program.
        program: String,
        /// How it ended.
        status: String,
        /// What it printed.
        messages: String,
    },
    /// The tool printed something that is no answer.
    #[error("{program} printed {found:?} where {expected} was expected")]
    Rubbish {
        /// The program.
        program: String,
        /// What it printed, cut to 200 characters.
        found: String,
        /// What would have been an answer.
        expected: &'static str,
    },
    /// The tool printed without end and was stopped.
    #[error("{program} printed more than a gibibyte and was stopped")]
    Flood {
        /// The program.
        program: String,
    },
    /// A file of the temporary folder could not be read or written, or a program could not be started.
    #[error("{path}: {source}")]
    Io {
        /// The file or program.
        path: PathBuf,
        /// What the system said.
        source: std::io::Error,
    },
}

impl RigError {
    /// Whether nothing was run for want of a tool, or of a core that could: neither is a fault of the filter.
    pub fn is_not_run(&self) -> bool {
        matches!(self, RigError::Missing { .. } | RigError::Old { .. } | RigError::Unfit { .. })
    }
}

fn said(messages: &str) -> String {
    let text: String = messages.trim().lines().take(20).collect::<Vec<_>>().join("\n  ");
    if text.is_empty() { String::new() } else { format!("; it said:\n  {text}") }
}

/// Attaches a path to an input or output error.
pub(crate) fn at(path: impl Into<PathBuf>) -> impl FnOnce(std::io::Error) -> RigError {
    let path = path.into();
    |source| RigError::Io { path, source }
}
