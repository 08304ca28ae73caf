//! Generated Rust, compiled and run on this machine.

use crate::c::lay_out;
use crate::{RigError, Tool, ToolName, at, exchange, run};
use mellow_rake::write::GeneratedFile;
use std::time::Duration;
use tempfile::TempDir;

const COMPILE_LIMIT: Duration = Duration::from_secs(120);
const RUN_LIMIT: Duration = Duration::from_secs(120);

/// The flags that generated Rust is compiled with: no warning, optimized, overflow checks on, so that a sum
/// that does not fit ends the program instead of giving a wrong word.
pub const RUST_FLAGS: [&str; 8] =
    ["--edition", "2021", "-D", "warnings", "-C", "opt-level=2", "-C", "overflow-checks=on"];

/// A generated filter as a program that reads and writes integers.
#[derive(Debug)]
pub struct RustProgram {
    folder: TempDir,
    compiler: Tool,
}

impl RustProgram {
    /// Compiles the files of a filter with the machine's rustc and [`RUST_FLAGS`].
    ///
    /// # Errors
    /// [`RigError`] when the compiler is missing or complains.
    pub fn build(files: &[GeneratedFile]) -> Result<Self, RigError> {
        let main = files.iter().find(|file| file.name.ends_with("_pipe.rs"));
        let main = main.map_or("main.rs", |file| &file.name);
        RustProgram::build_with(ToolName::RUSTC.find()?, &RUST_FLAGS, main, files)
    }

    /// Compiles one file, and the others that it names as its modules.
    ///
    /// # Errors
    /// [`RigError`] when the compiler complains.
    pub fn build_with(
        compiler: Tool,
        flags: &[&str],
        main: &str,
        files: &[GeneratedFile],
    ) -> Result<Self, RigError> {
        let folder = tempfile::tempdir().map_err(at("temporary folder"))?;
        lay_out(files, folder.path())?;
        let mut command = compiler.command(folder.path());
        command.args(flags).args([main, "-o", "program"]);
        run(&mut command, b"", COMPILE_LIMIT)?;
        Ok(RustProgram { folder, compiler })
    }

    /// The compiler that built it.
    pub fn compiler(&self) -> &Tool {
        &self.compiler
    }

    /// Filters integers from the zero state, `block` samples at a call; 0 for one at a time.
    ///
    /// # Errors
    /// [`RigError`] when the program fails, does not end, or prints something else than integers.
    pub fn run(&self, input: &[i64], block: usize) -> Result<Vec<i64>, RigError> {
        let mut command = std::process::Command::new(self.folder.path().join("program"));
        command.arg(block.to_string());
        exchange(&mut command, input, RUN_LIMIT)
    }
}
