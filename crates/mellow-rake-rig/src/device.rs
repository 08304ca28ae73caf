//! One target, built and ready to be asked.

use crate::{Core, Emulated, HardwareModel, Program, RigError, ToolName};
use mellow_rake::fixed::WordFormat;
use mellow_rake::write::{GeneratedFile, Language};

/// Where generated text is made to run.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash)]
#[non_exhaustive]
pub enum Target {
    /// C, compiled by the machine's `cc`.
    HostC,
    /// C, compiled by clang.
    Clang,
    /// C, compiled for a core and emulated.
    Core(Core),
    /// Rust, compiled by rustc.
    Rust,
    /// Verilog, simulated by Icarus Verilog.
    Icarus,
    /// Verilog, compiled by Verilator.
    Verilator,
    /// VHDL, simulated by GHDL.
    Ghdl,
}

impl Target {
    /// All targets.
    pub const ALL: [Target; 14] = [
        Target::HostC,
        Target::Clang,
        Target::Core(Core::CortexM0),
        Target::Core(Core::CortexM3),
        Target::Core(Core::CortexM4),
        Target::Core(Core::CortexM7),
        Target::Core(Core::CortexM33),
        Target::Core(Core::Rv32),
        Target::Core(Core::Rv64),
        Target::Core(Core::Avr),
        Target::Rust,
        Target::Icarus,
        Target::Verilator,
        Target::Ghdl,
    ];

    /// The word for it on the command line.
    pub fn as_str(self) -> &'static str {
        match self {
            Target::HostC => "host",
            Target::Clang => "clang",
            Target::Core(core) => core.as_str(),
            Target::Rust => "rust",
            Target::Icarus => "icarus",
            Target::Verilator => "verilator",
            Target::Ghdl => "ghdl",
        }
    }

    /// The language that it runs.
    pub fn language(self) -> Language {
        match self {
            Target::HostC | Target::Clang | Target::Core(_) => Language::C,
            Target::Rust => Language::Rust,
            Target::Icarus | Target::Verilator => Language::Verilog,
            Target::Ghdl => Language::Vhdl,
        }
    }

    /// What it is, for a table.
    pub fn title(self) -> &'static str {
        match self {
            Target::HostC => "C, cc",
            Target::Clang => "C, clang",
            Target::Core(core) => core.title(),
            Target::Rust => "Rust, rustc",
            Target::Icarus => "Verilog, Icarus",
            Target::Verilator => "Verilog, Verilator",
            Target::Ghdl => "VHDL, GHDL",
        }
    }
}

enum Kind {
    Program(Program),
    Emulated(Emulated),
    Model(HardwareModel),
}

/// A generated filter on a target.
pub struct Device {
    kind: Kind,
}

/// What a device answered to one stimulus.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Answer {
    /// How it was asked.
    pub manner: &'static str,
    /// The words that came out.
    pub words: Vec<i64>,
    /// What the target's own check counted as mismatches, where it has one.
    pub own_mismatches: Option<usize>,
}

/// Samples per call when a filter is called in blocks.
const BLOCK: usize = 32;

impl Device {
    /// Compiles the generated files for a target.
    ///
    /// # Errors
    /// [`RigError`]; [`RigError::Missing`] means that nothing was run.
    pub fn build(
        target: Target,
        files: &[GeneratedFile],
        input: WordFormat,
        output: WordFormat,
    ) -> Result<Self, RigError> {
        let kind = match target {
            Target::HostC => Kind::Program(Program::c(ToolName::CC, files)?),
            Target::Clang => Kind::Program(Program::c(ToolName::CLANG, files)?),
            Target::Core(core) => Kind::Emulated(Emulated::c(core, files)?),
            Target::Rust => Kind::Program(Program::rust(files)?),
            Target::Icarus => Kind::Model(HardwareModel::icarus(files, input, output)?),
            Target::Verilator => Kind::Model(HardwareModel::verilator(files, input, output)?),
            Target::Ghdl => Kind::Model(HardwareModel::ghdl(files, input, output)?),
        };
        Ok(Device { kind })
    }

    /// Hardware that takes so many samples in a clock, which its test bench hands over as one word.
    #[must_use]
    pub fn samples_per_clock(self, samples: usize) -> Self {
        let kind = match self.kind {
            Kind::Model(model) => Kind::Model(model.samples_per_clock(samples)),
            kind => kind,
        };
        Device { kind }
    }

    /// The version of the tool behind it.
    pub fn version(&self) -> &str {
        match &self.kind {
            Kind::Program(program) => program.compiler().version(),
            Kind::Emulated(emulated) => emulated.version(),
            Kind::Model(model) => model.compiler().version(),
        }
    }

    /// Filters a stimulus from the zero state, in every manner that the target has. `expected` is given to
    /// targets that check by themselves.
    ///
    /// # Errors
    /// [`RigError`] when the target fails or does not answer.
    pub fn run(&self, input: &[i64], expected: &[i64]) -> Result<Vec<Answer>, RigError> {
        let answer = |manner, words, own_mismatches| Answer { manner, words, own_mismatches };
        Ok(match &self.kind {
            Kind::Program(program) => vec![
                answer("one sample a call", program.run(input, 0)?, None),
                answer("32 samples a call", program.run(input, BLOCK)?, None),
            ],
            Kind::Emulated(emulated) => vec![
                answer("one sample a call", emulated.run(input, 0)?, None),
                answer("32 samples a call", emulated.run(input, BLOCK)?, None),
            ],
            Kind::Model(model) => {
                let report = model.run(input, expected)?;
                vec![answer("test bench", report.observed, Some(report.mismatches))]
            }
        })
    }
}
