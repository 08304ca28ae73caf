//! Generated C on the processors that it is for, emulated: compiled for the core, linked with start-up code
//! of our own and no library, run by QEMU, with its words in files that it reads and writes as Arm's
//! semihosting has it. The 8-bit core has the start-up code of its C library, and another emulator.

use crate::program::{C_FLAGS, lay_out};
use crate::simavr::Image;
use crate::{RigError, Tool, ToolName, at, run};
use mellow_rake::verify::Counted;
use mellow_rake::write::GeneratedFile;
use std::fmt::Write;
use std::path::Path;
use std::time::Duration;
use tempfile::TempDir;

const COMPILE_LIMIT: Duration = Duration::from_secs(120);
const RUN_LIMIT: Duration = Duration::from_secs(120);

/// Samples that the program takes at once.
const LONGEST_BLOCK: usize = 64;

/// The largest shift of QEMU's count of instructions.
const FINEST: u32 = 10;

const MAIN: &str = include_str!("targets/main.c");
const CORTEX_M: &str = include_str!("targets/cortex_m.c");
const RISC_V: &str = include_str!("targets/riscv.c");
const LAYOUT: &str = include_str!("targets/layout.ld");
const AVR: &str = include_str!("targets/avr.c");

/// A core on a board that an emulator has.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash)]
#[non_exhaustive]
pub enum Core {
    /// Arm Cortex-M0: no multiplication to 64 bits, no division; the board has 16 KiB of memory.
    CortexM0,
    /// Arm Cortex-M3.
    CortexM3,
    /// Arm Cortex-M4, with instructions for signals.
    CortexM4,
    /// Arm Cortex-M7.
    CortexM7,
    /// Arm Cortex-M33 with its instructions for signals, in the secure state that it starts in.
    CortexM33,
    /// RISC-V of 32 bits with multiplication and compressed instructions, RV32IMC.
    Rv32,
    /// RISC-V of 64 bits, RV64IMC.
    Rv64,
    /// AVR of 8 bits with multiplication: an ATmega328P, with 2 KiB of memory for words.
    Avr,
}

/// What a core is built and run with.
struct Board {
    compiler: ToolName,
    flags: &'static [&'static str],
    emulator: ToolName,
    machine: &'static [&'static str],
    start: &'static str,
    entry: &'static str,
    /// Beginning and length of what holds the program, and of what holds its words.
    memories: [(u64, &'static str); 2],
    /// The clock in hertz of a timer of 24 bits; without one the core counts instructions itself.
    timer_hz: Option<f64>,
}

impl Core {
    /// All of them.
    pub const ALL: [Core; 8] = [
        Core::CortexM0,
        Core::CortexM3,
        Core::CortexM4,
        Core::CortexM7,
        Core::CortexM33,
        Core::Rv32,
        Core::Rv64,
        Core::Avr,
    ];

    /// The word for it on the command line.
    pub fn as_str(self) -> &'static str {
        match self {
            Core::CortexM0 => "cortex-m0",
            Core::CortexM3 => "cortex-m3",
            Core::CortexM4 => "cortex-m4",
            Core::CortexM7 => "cortex-m7",
            Core::CortexM33 => "cortex-m33",
            Core::Rv32 => "rv32",
            Core::Rv64 => "rv64",
            Core::Avr => "avr",
        }
    }

    /// What it is, for a table.
    pub fn title(self) -> &'static str {
        match self {
            Core::CortexM0 => "C, Cortex-M0",
            Core::CortexM3 => "C, Cortex-M3",
            Core::CortexM4 => "C, Cortex-M4",
            Core::CortexM7 => "C, Cortex-M7",
            Core::CortexM33 => "C, Cortex-M33",
            Core::Rv32 => "C, RV32IMC",
            Core::Rv64 => "C, RV64IMC",
            Core::Avr => "C, ATmega328P",
        }
    }

    /// What it is, with the memory of its board.
    fn board_name(self) -> &'static str {
        match self {
            Core::CortexM0 => "a Cortex-M0 with 256 KiB of flash and 16 KiB of memory",
            Core::CortexM3 => "a Cortex-M3 with twice 4 MiB",
            Core::CortexM4 => "a Cortex-M4 with twice 4 MiB",
            Core::CortexM7 => "a Cortex-M7 with twice 4 MiB",
            Core::CortexM33 => "a Cortex-M33 with twice 4 MiB",
            Core::Rv32 => "an RV32IMC with twice 8 MiB",
            Core::Rv64 => "an RV64IMC with twice 8 MiB",
            Core::Avr => "an ATmega328P with 32 KiB of flash and 2 KiB of memory",
        }
    }

    /// What is counted of a run on it.
    pub fn counted(self) -> Counted {
        if self == Core::Avr { Counted::Cycles } else { Counted::Instructions }
    }

    /// The compiler for it, with its flags.
    pub(crate) fn compiler(self) -> Result<(Tool, &'static [&'static str]), RigError> {
        let board = self.board();
        Ok((board.compiler.find()?, board.flags))
    }

    /// What tells the sizes of its programs.
    pub(crate) fn size_tool(self) -> ToolName {
        match self {
            Core::Rv32 | Core::Rv64 => ToolName::RISCV_SIZE,
            Core::Avr => ToolName::AVR_SIZE,
            _ => ToolName::ARM_SIZE,
        }
    }

    fn board(self) -> Board {
        let arm = |flags, machine| Board {
            compiler: ToolName::ARM_GCC,
            flags,
            emulator: ToolName::QEMU_ARM,
            machine,
            start: CORTEX_M,
            entry: "reset",
            memories: [(0, "4M"), (0x2000_0000, "4M")],
            timer_hz: Some(25e6),
        };
        let risc_v = |flags, emulator| Board {
            compiler: ToolName::RISCV_GCC,
            flags,
            emulator,
            machine: &["-M", "virt", "-bios", "none"],
            start: RISC_V,
            entry: "_start",
            memories: [(0x8000_0000, "8M"), (0x8080_0000, "8M")],
            timer_hz: None,
        };
        match self {
            Core::CortexM0 => Board {
                memories: [(0, "256K"), (0x2000_0000, "16K")],
                timer_hz: Some(16e6),
                ..arm(&["-mcpu=cortex-m0", "-mthumb"], &["-M", "microbit"])
            },
            Core::CortexM3 => arm(&["-mcpu=cortex-m3", "-mthumb"], &["-M", "mps2-an385"]),
            Core::CortexM4 => arm(&["-mcpu=cortex-m4", "-mthumb"], &["-M", "mps2-an386"]),
            Core::CortexM7 => arm(&["-mcpu=cortex-m7", "-mthumb"], &["-M", "mps2-an500"]),
            // Addresses with this bit are those of the secure state.
            Core::CortexM33 => Board {
                memories: [(0x1000_0000, "4M"), (0x3800_0000, "4M")],
                timer_hz: Some(20e6),
                ..arm(&["-mcpu=cortex-m33", "-mthumb"], &["-M", "mps2-an505"])
            },
            Core::Rv32 => risc_v(
                &["-march=rv32imc", "-mabi=ilp32", "-mcmodel=medany"],
                ToolName::QEMU_RISCV32,
            ),
            Core::Rv64 => {
                risc_v(&["-march=rv64imc", "-mabi=lp64", "-mcmodel=medany"], ToolName::QEMU_RISCV64)
            }
            Core::Avr => Board {
                compiler: ToolName::AVR_GCC,
                flags: &["-mmcu=atmega328p"],
                emulator: ToolName::SIMAVR,
                machine: &[],
                start: "",
                entry: "",
                memories: [(0, "32K"), (0x80_0100, "2K")],
                timer_hz: None,
            },
        }
    }
}

/// Compiles and links, and tells a filter that does not fit from one that is wrong: by what the linker says,
/// and the declaration of the header that a compiler refuses.
fn build(core: Core, command: &mut std::process::Command) -> Result<(), RigError> {
    match run(command, b"", COMPILE_LIMIT) {
        Err(RigError::Failed { messages, .. })
            if ["overflowed", "is not within region", "_fits_this_processor"]
                .iter()
                .any(|words| messages.contains(words)) =>
        {
            Err(RigError::Unfit { core: core.board_name(), messages })
        }
        built => built.map(|_| ()),
    }
}

/// Where the linker puts what.
fn layout(board: &Board) -> String {
    let mut layout = String::from("MEMORY {\n");
    for (name, (origin, length)) in ["rom", "ram"].iter().zip(board.memories) {
        let _ = writeln!(layout, "    {name} (rwx) : ORIGIN = {origin:#x}, LENGTH = {length}");
    }
    format!("{layout}}}\n{}", LAYOUT.replace("ENTRY_POINT", board.entry))
}

/// A version without what its packager says in brackets, which may be nested.
fn short(tool: &Tool) -> String {
    let mut depth = 0;
    let outside = |c: &char| {
        depth += i32::from(*c == '(');
        let is_outside = depth == 0;
        depth -= i32::from(*c == ')' && depth > 0);
        is_outside
    };
    let text: String = tool.version().chars().filter(outside).collect();
    text.split_whitespace().collect::<Vec<_>>().join(" ")
}

/// What the calls of a filter take.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct CallCost {
    /// [`Core::counted`] for each sample, the call and the loop around it included.
    pub count: f64,
    /// Bytes of a filter: its words, for each stream.
    pub bytes_of_a_filter: u64,
}

/// A generated filter as a program for a core.
#[derive(Debug)]
pub struct Emulated {
    folder: TempDir,
    core: Core,
    emulator: Tool,
    version: String,
    /// What the emulator of the 8-bit core gets.
    image: Option<Image>,
    /// Whether another number of words comes out than goes in.
    is_chain: bool,
}

impl Emulated {
    /// Compiles the files of a filter for a core, with [`C_FLAGS`].
    ///
    /// # Errors
    /// [`RigError`] when compiler or emulator are missing, or the compiler or linker complains;
    /// [`RigError::Unfit`] where the words of the filter do not fit the memory of the board, or its compiler
    /// has no such numbers.
    pub fn c(core: Core, files: &[GeneratedFile]) -> Result<Self, RigError> {
        Emulated::c_at(core, files, "-O2")
    }

    /// The same at another level of optimization.
    ///
    /// # Errors
    /// As of [`c`](Emulated::c).
    pub fn c_at(core: Core, files: &[GeneratedFile], level: &str) -> Result<Self, RigError> {
        let board = core.board();
        let (compiler, emulator) = (board.compiler.find()?, board.emulator.find()?);
        let folder = tempfile::tempdir().map_err(at("temporary folder"))?;
        lay_out(files, folder.path())?;
        // How the filter's names are called stands in front of the program for pipes.
        let pipe = files.iter().find(|file| file.name.ends_with("_pipe.c"));
        let names =
            pipe.map_or("", |file| file.text.split("#include <errno.h>").next().unwrap_or(""));
        let is_chain = names.contains("#define CHAIN_NAME ");
        let sources = files.iter().map(|file| &*file.name);
        let sources = sources.filter(|name| name.ends_with(".c") && !name.ends_with("_pipe.c"));
        let mut command = compiler.command(folder.path());
        command.args(C_FLAGS).args(board.flags).arg(level);
        // Names of our own cannot be those of a filter, which have no dot in front of their ending.
        let lay_out = |name: &str, text: &str| {
            let path = folder.path().join(name);
            std::fs::write(&path, text).map_err(at(&path))
        };
        let mut image = None;
        if core == Core::Avr {
            // The compiler gives back the name of a file that it does not find.
            let begin = "crtatmega328p.o";
            let mut ask = compiler.command(folder.path());
            ask.args(board.flags).arg(format!("-print-file-name={begin}"));
            if run(&mut ask, b"", COMPILE_LIMIT)?.text().trim() == begin {
                return Err(RigError::Missing { program: begin, package: "avr-libc" });
            }
            lay_out("target.main.c", &format!("{names}{AVR}"))?;
            // Of the memory for words the stack takes some.
            command.arg("-Wl,--defsym=__DATA_REGION_ORIGIN__=0x800100");
            command.arg("-Wl,--defsym=__DATA_REGION_LENGTH__=0x7c0");
            command.arg("-Wl,--defsym=__TEXT_REGION_LENGTH__=0x8000");
            command.args(sources).args(["target.main.c", "-o", "program.elf"]);
            build(core, &mut command)?;
            let mut copy = ToolName::AVR_OBJCOPY.find()?.command(folder.path());
            copy.args(["-O", "binary", "-R", ".eeprom", "program.elf", "program.bin"]);
            run(&mut copy, b"", COMPILE_LIMIT)?;
            image = Some(Image::read(&folder.path().join("program.bin"))?);
        } else {
            lay_out("target.main.c", &format!("{names}{MAIN}"))?;
            lay_out("target.start.c", board.start)?;
            lay_out("target.ld", &layout(&board))?;
            if board.compiler == ToolName::ARM_GCC {
                command.arg("-DCLOCK_GOES_DOWN");
            }
            command.args(["-ffreestanding", "-nostdlib", "-T", "target.ld", "-o", "program.elf"]);
            command.args(sources).args(["target.main.c", "target.start.c", "-lgcc"]);
            build(core, &mut command)?;
        }
        let version = format!("{}; {}", short(&compiler), short(&emulator));
        Ok(Emulated { folder, core, emulator, version, image, is_chain })
    }

    /// Compiler and emulator, with their versions.
    pub fn version(&self) -> &str {
        &self.version
    }

    /// Filters integers from the zero state, `block` samples at a call, up to 64; 0 for one at a time.
    ///
    /// # Errors
    /// [`RigError`] when the program fails, does not end, or gives another number of words.
    pub fn run(&self, input: &[i64], block: usize) -> Result<Vec<i64>, RigError> {
        self.run_within(input, block, RUN_LIMIT)
    }

    /// The same within another time.
    ///
    /// # Errors
    /// As of [`run`](Emulated::run).
    pub fn run_within(
        &self,
        input: &[i64],
        block: usize,
        limit: Duration,
    ) -> Result<Vec<i64>, RigError> {
        Ok(self.execute(input, block, limit, &[])?.0)
    }

    /// Counts exactly what the calls for these samples take: instructions where QEMU emulates, which has each
    /// take the same time, and cycles on the 8-bit core.
    ///
    /// # Errors
    /// As of [`run`](Emulated::run).
    pub fn cost(&self, input: &[i64], block: usize) -> Result<CallCost, RigError> {
        let samples = input.len().max(1) as f64;
        // QEMU has an instruction take 2 to the shift nanoseconds.
        let count = |shift: u32, clocks: f64| -> Result<CallCost, RigError> {
            let options = ["-icount".to_owned(), format!("shift={shift}")];
            let (_, [counted, bytes]) = self.execute(input, block, RUN_LIMIT, &options)?;
            let count = counted as f64 / clocks / samples;
            Ok(CallCost { count, bytes_of_a_filter: bytes as u64 })
        };
        let Some(hertz) = self.core.board().timer_hz else { return count(0, 1.0) };
        let clocks = |shift: u32| hertz * 1e-9 * f64::from(1u32 << shift);
        // Roughly at first, and then as finely as a timer can that must not go around within a call.
        let rough = count(0, clocks(0))?;
        let at_once = if block == 0 { LONGEST_BLOCK } else { block };
        let called = (rough.count + 10.0) * at_once as f64;
        let fits = |shift: &u32| 1.2 * clocks(*shift) * called < f64::from(1u32 << 24);
        match (0..=FINEST).rev().find(fits) {
            Some(shift) => count(shift, clocks(shift)),
            None => Err(RigError::Rubbish {
                program: "the emulated program".to_owned(),
                found: format!("{called:.0} instructions in a call"),
                expected: "fewer than the timer of the core can count",
            }),
        }
    }

    /// The words that come out, the clocks of all calls, and the bytes of a filter.
    fn execute(
        &self,
        input: &[i64],
        block: usize,
        limit: Duration,
        options: &[String],
    ) -> Result<(Vec<i64>, [i64; 2]), RigError> {
        let folder: &Path = self.folder.path();
        if let Some(image) = &self.image {
            return image.execute(&self.emulator, folder, input, block, self.is_chain, limit);
        }
        let (from, to) = (folder.join("input.bin"), folder.join("output.bin"));
        let words = std::iter::once(block as i64).chain(input.iter().copied());
        let bytes: Vec<u8> = words.flat_map(i64::to_le_bytes).collect();
        std::fs::write(&from, bytes).map_err(at(&from))?;
        let mut command = self.emulator.command(folder);
        command.args(self.core.board().machine).args(["-kernel", "program.elf", "-nographic"]);
        command.args(["-monitor", "none", "-serial", "none", "-semihosting-config"]);
        command.arg("enable=on,target=native").args(options);
        run(&mut command, b"", limit)?;
        let bytes = std::fs::read(&to).map_err(at(&to))?;
        let mut words: Vec<i64> = bytes
            .chunks_exact(8)
            .map(|bytes| bytes.iter().rev().fold(0, |word, byte| word << 8 | i64::from(*byte)))
            .collect();
        let is_whole = match self.is_chain {
            true => bytes.len() >= 16 && bytes.len().is_multiple_of(8),
            false => bytes.len() == 8 * (input.len() + 2),
        };
        if !is_whole {
            return Err(RigError::Rubbish {
                program: "the emulated program".to_owned(),
                found: format!("{} bytes", bytes.len()),
                expected: "8 bytes for each sample, and 16",
            });
        }
        let counts = words.split_off(words.len() - 2);
        Ok((words, [counts[0], counts[1]]))
    }
}
