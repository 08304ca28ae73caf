//! What generated C takes on a core: instructions, bytes of code, of a filter and of stack.

use crate::program::{C_FLAGS, lay_out};
use crate::{Core, Emulated, RigError, at, run};
use mellow_rake::random::NoiseSource;
use mellow_rake::study::{ChainStudy, ChainStudyError, Study, StudyError};
use mellow_rake::verify::{CoreCost, stimuli};
use mellow_rake::write::{GeneratedFile, Language};
use std::time::Duration;

/// Levels of optimization that are tried: for size, for speed, and for more of that.
const LEVELS: [&str; 3] = ["-Os", "-O2", "-O3"];

/// Samples in a call of the function for blocks.
const BLOCK: usize = 32;

/// Samples that are counted for.
const COUNTED: usize = 512;

const LIMIT: Duration = Duration::from_secs(120);

/// Why nothing could be counted.
#[derive(Debug, thiserror::Error)]
#[non_exhaustive]
pub enum CoreCostError {
    /// There is no C of it.
    #[error(transparent)]
    Study(#[from] Box<StudyError>),
    /// There is no C of the chain.
    #[error(transparent)]
    Chain(#[from] Box<ChainStudyError>),
    /// It could not be compiled or run.
    #[error(transparent)]
    Rig(#[from] RigError),
}

/// What the C of a study takes on a core, counted on 512 samples of white noise: at half of the full scale of
/// its words, or of the peak that it expects in floating point.
///
/// # Errors
/// [`CoreCostError`]
///
/// ```no_run
/// use mellow_rake::Wish;
/// use mellow_rake::spec::{Fixed, Structure};
/// use mellow_rake_rig::{Core, study_cost};
/// let words = Fixed::new(Structure::DirectForm1, "s16f15".parse()?);
/// let study = Wish::lowpass("1 kHz").cutoff("40 Hz").butterworth(4).words(words).study()?;
/// for row in study_cost(&study, Core::CortexM4)? {
///     println!("{}: {} in a call, {} in a block", row.level, row.step_count, row.block_count);
/// }
/// # Ok::<(), Box<dyn std::error::Error>>(())
/// ```
pub fn study_cost(study: &Study, core: Core) -> Result<Vec<CoreCost>, CoreCostError> {
    let files = study.files(&[Language::C]).map_err(Box::new)?;
    let input = match (study.float().map_err(Box::new)?, study.spec.float) {
        (Some(filter), Some(wish)) => {
            let mut noise = NoiseSource::new(1);
            let peak = wish.peak / 2.0;
            let number = |_| filter.format().bits(peak * (2.0 * noise.uniform() - 1.0));
            (0..COUNTED).map(number).collect()
        }
        _ => {
            let checked = &study.integers().map_err(Box::new)?.checked;
            stimuli(checked, None, None).swap_remove(0).samples[..COUNTED].to_vec()
        }
    };
    Ok(core_cost(core, &files, &input)?)
}

/// What the C of a chain on integers takes on a core for a sample that goes in, counted on 512 samples of
/// white noise at half of full scale; `None` where its spec asks for no words.
///
/// # Errors
/// [`CoreCostError`]
pub fn chain_cost(study: &ChainStudy, core: Core) -> Result<Option<Vec<CoreCost>>, CoreCostError> {
    let (Some((found, _)), Some(files)) = (study.integers(), study.files(&[Language::C])) else {
        return Ok(None);
    };
    let files = files.map_err(Box::new)?;
    let lanes = found.network.lanes_in();
    let input = found.network.input();
    let (low, high) = (input.minimum() / 2, input.maximum() / 2);
    let mut noise = NoiseSource::new(1);
    let words: Vec<i64> =
        (0..COUNTED * lanes).map(|_| noise.integer(low as i64, high as i64)).collect();
    let mut rows = core_cost(core, &files, &words)?;
    for row in &mut rows {
        // What was counted is for a word.
        row.step_count *= lanes as f64;
        row.block_count *= lanes as f64;
    }
    Ok(Some(rows))
}

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
