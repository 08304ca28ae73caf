//! Generated C and Rust, compiled and run on this machine.

use crate::{RigError, Tool, ToolName, at, exchange, run};
use mellow_rake::write::GeneratedFile;
use std::path::Path;
use std::time::Duration;
use tempfile::TempDir;

const COMPILE_LIMIT: Duration = Duration::from_secs(120);
const RUN_LIMIT: Duration = Duration::from_secs(120);

/// The flags that generated C is compiled with, without a word of complaint.
pub const C_FLAGS: [&str; 8] =
    ["-std=c99", "-pedantic", "-Wall", "-Wextra", "-Wconversion", "-Wshadow", "-Werror", "-O2"];

/// The flags that generated Rust is compiled with: no warning, optimized, overflow checks on, so that a sum
/// that does not fit ends the program instead of giving a wrong word.
pub const RUST_FLAGS: [&str; 8] =
    ["--edition", "2021", "-D", "warnings", "-C", "opt-level=2", "-C", "overflow-checks=on"];

/// A generated filter as a program that reads and writes integers.
#[derive(Debug)]
pub struct Program {
    folder: TempDir,
    compiler: Tool,
}

/// Writes generated files into a folder.
pub(crate) fn lay_out(files: &[GeneratedFile], folder: &Path) -> Result<(), RigError> {
    for file in files {
        let path = folder.join(&file.name);
        std::fs::write(&path, &file.text).map_err(at(&path))?;
    }
    Ok(())
}

impl Program {
    /// Compiles the files of a filter with one compiler and [`C_FLAGS`].
    ///
    /// # Errors
    /// [`RigError`] when the compiler is missing or complains.
    pub fn c(compiler: ToolName, files: &[GeneratedFile]) -> Result<Self, RigError> {
        Program::c_with(compiler.find()?, &C_FLAGS, files)
    }

    /// Compiles all `.c` files among `files` into one program.
    ///
    /// # Errors
    /// [`RigError`] when the compiler complains.
    pub fn c_with(
        compiler: Tool,
        flags: &[&str],
        files: &[GeneratedFile],
    ) -> Result<Self, RigError> {
        let sources = files.iter().filter(|file| file.name.ends_with(".c")).map(|file| &*file.name);
        Program::compiled(compiler, flags, sources, files)
    }

    /// Compiles the files of a filter with the machine's rustc and [`RUST_FLAGS`].
    ///
    /// # Errors
    /// [`RigError`] when the compiler is missing or complains.
    pub fn rust(files: &[GeneratedFile]) -> Result<Self, RigError> {
        let main = files.iter().find(|file| file.name.ends_with("_pipe.rs"));
        let main = main.map_or("main.rs", |file| &file.name);
        Program::rust_with(&RUST_FLAGS, main, files)
    }

    /// Compiles one file, and the others that it names as its modules.
    ///
    /// # Errors
    /// [`RigError`] when the compiler is missing or complains.
    pub fn rust_with(
        flags: &[&str],
        main: &str,
        files: &[GeneratedFile],
    ) -> Result<Self, RigError> {
        Program::compiled(ToolName::RUSTC.find()?, flags, [main], files)
    }

    fn compiled<'a>(
        compiler: Tool,
        flags: &[&str],
        sources: impl IntoIterator<Item = &'a str>,
        files: &[GeneratedFile],
    ) -> Result<Self, RigError> {
        let folder = tempfile::tempdir().map_err(at("temporary folder"))?;
        lay_out(files, folder.path())?;
        let mut command = compiler.command(folder.path());
        command.args(flags).args(sources).args(["-o", "program"]);
        run(&mut command, b"", COMPILE_LIMIT)?;
        Ok(Program { folder, compiler })
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
        self.run_with(input, &[&block.to_string()])
    }

    /// Runs the program with other arguments.
    ///
    /// # Errors
    /// As [`Program::run`].
    pub fn run_with(&self, input: &[i64], arguments: &[&str]) -> Result<Vec<i64>, RigError> {
        let path = self.folder.path().join("program");
        let mut command = std::process::Command::new(&path);
        command.args(arguments);
        exchange(&mut command, input, RUN_LIMIT)
    }
}
