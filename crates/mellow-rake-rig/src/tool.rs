//! Finding a tool and asking its version.

use crate::{RigError, run};
use std::path::{Path, PathBuf};
use std::process::Command;
use std::time::Duration;

/// A program and where Debian has it.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct ToolName {
    /// The program on the path.
    pub program: &'static str,
    /// The Debian package that brings it.
    pub package: &'static str,
    /// The argument that makes it print its version.
    pub version_argument: &'static str,
}

impl ToolName {
    /// The machine's C compiler.
    pub const CC: ToolName =
        ToolName { program: "cc", package: "gcc", version_argument: "--version" };
    /// The GNU C compiler.
    pub const GCC: ToolName =
        ToolName { program: "gcc", package: "gcc", version_argument: "--version" };
    /// The GNU C++ compiler.
    pub const GXX: ToolName =
        ToolName { program: "g++", package: "g++", version_argument: "--version" };
    /// The LLVM C compiler.
    pub const CLANG: ToolName =
        ToolName { program: "clang", package: "clang", version_argument: "--version" };
    /// The GNU C compiler for Arm cores without an operating system.
    pub const ARM_GCC: ToolName = ToolName {
        program: "arm-none-eabi-gcc",
        package: "gcc-arm-none-eabi",
        version_argument: "--version",
    };
    /// The same for RISC-V, of 32 and of 64 bits.
    pub const RISCV_GCC: ToolName = ToolName {
        program: "riscv64-unknown-elf-gcc",
        package: "gcc-riscv64-unknown-elf",
        version_argument: "--version",
    };
    /// Sizes of what it compiles.
    pub const ARM_SIZE: ToolName = ToolName {
        program: "arm-none-eabi-size",
        package: "binutils-arm-none-eabi",
        version_argument: "--version",
    };
    /// The same for RISC-V.
    pub const RISCV_SIZE: ToolName = ToolName {
        program: "riscv64-unknown-elf-size",
        package: "binutils-riscv64-unknown-elf",
        version_argument: "--version",
    };
    /// The GNU C compiler for AVR. The library that it needs comes with a package of its own, avr-libc.
    pub const AVR_GCC: ToolName =
        ToolName { program: "avr-gcc", package: "gcc-avr", version_argument: "--version" };
    /// Sizes of what it compiles.
    pub const AVR_SIZE: ToolName =
        ToolName { program: "avr-size", package: "binutils-avr", version_argument: "--version" };
    /// Copies of what it links, in other forms.
    pub const AVR_OBJCOPY: ToolName =
        ToolName { program: "avr-objcopy", package: "binutils-avr", version_argument: "--version" };
    /// An emulator of AVR cores.
    pub const SIMAVR: ToolName =
        ToolName { program: "simavr", package: "simavr", version_argument: "--help" };
    /// QEMU, an emulator, of Arm cores.
    pub const QEMU_ARM: ToolName = ToolName {
        program: "qemu-system-arm",
        package: "qemu-system-arm",
        version_argument: "--version",
    };
    /// The same of RISC-V cores of 32 bits.
    pub const QEMU_RISCV32: ToolName = ToolName {
        program: "qemu-system-riscv32",
        package: "qemu-system-misc",
        version_argument: "--version",
    };
    /// The same of 64 bits.
    pub const QEMU_RISCV64: ToolName = ToolName {
        program: "qemu-system-riscv64",
        package: "qemu-system-misc",
        version_argument: "--version",
    };
    /// Frama-C, an analyser of C.
    pub const FRAMA_C: ToolName =
        ToolName { program: "frama-c", package: "frama-c-base", version_argument: "--version" };
    /// The Rust compiler.
    pub const RUSTC: ToolName =
        ToolName { program: "rustc", package: "rustc", version_argument: "--version" };
    /// The compiler of Icarus Verilog.
    pub const IVERILOG: ToolName =
        ToolName { program: "iverilog", package: "iverilog", version_argument: "-V" };
    /// The runtime of Icarus Verilog.
    pub const VVP: ToolName =
        ToolName { program: "vvp", package: "iverilog", version_argument: "-V" };
    /// GHDL, a simulator of VHDL.
    pub const GHDL: ToolName =
        ToolName { program: "ghdl", package: "ghdl", version_argument: "--version" };
    /// Verilator, a lint and a simulator that compiles.
    pub const VERILATOR: ToolName =
        ToolName { program: "verilator", package: "verilator", version_argument: "--version" };
    /// Yosys, a synthesizer: what a program takes in hardware.
    pub const YOSYS: ToolName =
        ToolName { program: "yosys", package: "yosys", version_argument: "-V" };

    /// nextpnr: places and routes for the iCE40.
    pub const NEXTPNR_ICE40: ToolName = ToolName {
        program: "nextpnr-ice40",
        package: "nextpnr-ice40",
        version_argument: "--version",
    };

    /// The same of a tool that has to be of a version from `least` on, by its first number.
    ///
    /// # Errors
    /// [`RigError::Old`] where it is older; a version that has no number is taken for new.
    pub fn find_from(self, least: u32) -> Result<Tool, RigError> {
        let tool = self.find()?;
        let numbers = tool.version.split(|c: char| !c.is_ascii_digit());
        let major = numbers.filter_map(|number| number.parse::<u32>().ok()).next();
        match major.is_some_and(|major| major < least) {
            true => {
                let (program, version) = (self.program, tool.version);
                Err(RigError::Old { program, version, least })
            }
            false => Ok(tool),
        }
    }

    /// Looks for the tool on the path and asks its version.
    ///
    /// # Errors
    /// [`RigError::Missing`] names the Debian package.
    pub fn find(self) -> Result<Tool, RigError> {
        let ToolName { program, package, version_argument } = self;
        let path = which::which(program).map_err(|_| RigError::Missing { program, package })?;
        let mut command = Command::new(&path);
        command.arg(version_argument);
        // Some tools print their version and end with a failure: the text is what counts.
        let version = match run(&mut command, b"", Duration::from_secs(20)) {
            Ok(finished) => finished.text(),
            Err(RigError::Failed { messages, .. }) => messages,
            Err(error) => return Err(error),
        };
        let version = version.lines().next().unwrap_or("unknown version");
        // What stands in brackets behind it is a nickname.
        let version = version.split(" [").next().unwrap_or(version).trim();
        // One that only says how it is called does not tell its version.
        let version = if version.starts_with("Usage:") { program } else { version }.to_owned();
        Ok(Tool { program, path, version })
    }
}

/// A tool that is there.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Tool {
    program: &'static str,
    path: PathBuf,
    version: String,
}

impl Tool {
    /// The name of the program.
    pub fn program(&self) -> &'static str {
        self.program
    }

    /// Where it is.
    pub fn path(&self) -> &Path {
        &self.path
    }

    /// The first line of what it says about its version.
    pub fn version(&self) -> &str {
        &self.version
    }

    /// A command that starts it in a folder.
    pub fn command(&self, folder: &Path) -> Command {
        let mut command = Command::new(&self.path);
        command.current_dir(folder);
        command
    }
}
