//! What generated C takes on a core: instructions, bytes of code, of a filter and of stack.

use crate::program::{C_FLAGS, lay_out};
use crate::{Core, Emulated, RigError, at, run};
use mellow_rake::verify::CoreCost;
use mellow_rake::write::GeneratedFile;
use std::time::Duration;

/// Levels of optimization that are tried: for size, for speed, and for more of that.
const LEVELS: [&str; 3] = ["-Os", "-O2", "-O3"];

/// Samples in a call of the function for blocks.
const BLOCK: usize = 32;

const LIMIT: Duration = Duration::from_secs(120);

/// Compiles the C of a filter for a core at several levels of optimization, and counts what it takes for
/// these samples.
///
/// # Errors
/// [`RigError`] when compiler or emulator are missing or complain.
pub fn core_cost(
    core: Core,
    files: &[GeneratedFile],
    input: &[i64],
) -> Result<Vec<CoreCost>, RigError> {
    let row = |level: &'static str| {
        let program = Emulated::c_at(core, files, level)?;
        let (step, block) = (program.cost(input, 0)?, program.cost(input, BLOCK)?);
        let (code_bytes, stack_bytes) = sizes(core, files, level)?;
        Ok(CoreCost {
            core: core.as_str(),
            title: core.title(),
            level,
            counted: core.counted(),
            step_count: step.count,
            block: BLOCK,
            block_count: block.count,
            code_bytes,
            filter_bytes: step.bytes_of_a_filter,
            stack_bytes,
            tool: program.version().to_owned(),
        })
    };
    LEVELS.into_iter().map(row).collect()
}

/// Bytes of code with its constants, and of stack.
fn sizes(core: Core, files: &[GeneratedFile], level: &str) -> Result<(u64, u64), RigError> {
    let (compiler, flags) = core.compiler()?;
    let size = core.size_tool().find()?;
    let folder = tempfile::tempdir().map_err(at("temporary folder"))?;
    lay_out(files, folder.path())?;
    let sources = files.iter().map(|file| &*file.name);
    let source = sources.filter(|name| name.ends_with(".c") && !name.ends_with("_pipe.c"));
    let mut command = compiler.command(folder.path());
    command.args(C_FLAGS).args(flags).args(["-ffreestanding", level, "-fstack-usage", "-c"]);
    command.args(source).args(["-o", "filter.o"]);
    run(&mut command, b"", LIMIT)?;
    let said = run(size.command(folder.path()).arg("filter.o"), b"", LIMIT)?.text();
    let rubbish = |program: &str, found: &str| RigError::Rubbish {
        program: program.to_owned(),
        found: found.chars().take(200).collect(),
        expected: "bytes in decimal",
    };
    // A line of headings, then text, data and the rest; constants are part of the text.
    let code = said.lines().nth(1).and_then(|line| line.split_whitespace().next()?.parse().ok());
    let code = code.ok_or_else(|| rubbish("size", &said))?;
    let path = folder.path().join("filter.su");
    let usage = std::fs::read_to_string(&path).map_err(at(&path))?;
    // For each function its place, bytes, and whether that is all.
    let bytes = usage.lines().map(|line| line.split('\t').nth(1)?.parse::<u64>().ok());
    let stack: Option<u64> = bytes.sum();
    Ok((code, stack.ok_or_else(|| rubbish("the compiler", &usage))?))
}
