//! Generated C, compiled and run on this machine.

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

/// A generated filter as a program that reads and writes integers.
#[derive(Debug)]
pub struct CProgram {
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

impl CProgram {
    /// Compiles the files of a filter with one compiler and [`C_FLAGS`].
    ///
    /// # Errors
    /// [`RigError`] when the compiler is missing or complains.
    pub fn build(compiler: ToolName, files: &[GeneratedFile]) -> Result<Self, RigError> {
        CProgram::build_with(compiler.find()?, &C_FLAGS, files)
    }

    /// Compiles all `.c` files among `files` into one program.
    ///
    /// # Errors
    /// [`RigError`] when the compiler complains.
    pub fn build_with(
        compiler: Tool,
        flags: &[&str],
        files: &[GeneratedFile],
    ) -> Result<Self, RigError> {
        let folder = tempfile::tempdir().map_err(at("temporary folder"))?;
        lay_out(files, folder.path())?;
        let sources = files.iter().filter(|file| file.name.ends_with(".c")).map(|file| &file.name);
        let mut command = compiler.command(folder.path());
        command.args(flags).args(sources).args(["-o", "program"]);
        run(&mut command, b"", COMPILE_LIMIT)?;
        Ok(CProgram { folder, compiler })
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
    /// As [`CProgram::run`].
    pub fn run_with(&self, input: &[i64], arguments: &[&str]) -> Result<Vec<i64>, RigError> {
        let path = self.folder.path().join("program");
        let mut command = std::process::Command::new(&path);
        command.args(arguments);
        exchange(&mut command, input, RUN_LIMIT)
    }
}
