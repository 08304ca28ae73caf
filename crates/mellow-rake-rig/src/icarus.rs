//! Generated Verilog, simulated by Icarus Verilog through its own test bench.

use crate::c::lay_out;
use crate::{RigError, Tool, ToolName, at, run};
use mellow_rake::fixed::WordFormat;
use mellow_rake::write::GeneratedFile;
use std::fmt::Write;
use std::time::Duration;
use tempfile::TempDir;

const LIMIT: Duration = Duration::from_secs(120);

/// A generated module, compiled with its test bench.
#[derive(Debug)]
pub struct IcarusModel {
    folder: TempDir,
    compiler: Tool,
    runtime: Tool,
    input: WordFormat,
    output: WordFormat,
}

/// What the test bench reported, and the words that it saw.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct BenchReport {
    /// The words on the module's output.
    pub observed: Vec<i64>,
    /// Samples that the test bench counted.
    pub samples: usize,
    /// Mismatches that it counted.
    pub mismatches: usize,
}

impl IcarusModel {
    /// Compiles the files of a filter as IEEE 1364-2005 with all warnings; a warning is a failure.
    ///
    /// # Errors
    /// [`RigError`] when the simulator is missing or complains.
    pub fn build(
        files: &[GeneratedFile],
        input: WordFormat,
        output: WordFormat,
    ) -> Result<Self, RigError> {
        let (compiler, runtime) = (ToolName::IVERILOG.find()?, ToolName::VVP.find()?);
        let folder = tempfile::tempdir().map_err(at("temporary folder"))?;
        lay_out(files, folder.path())?;
        let sources = files.iter().filter(|file| file.name.ends_with(".v")).map(|file| &file.name);
        let mut command = compiler.command(folder.path());
        command.args(["-g2005", "-Wall", "-o", "model.vvp"]).args(sources);
        let finished = run(&mut command, b"", LIMIT)?;
        if !finished.messages.trim().is_empty() {
            return Err(RigError::Failed {
                program: "iverilog".to_owned(),
                status: "warnings".to_owned(),
                messages: finished.messages,
            });
        }
        Ok(IcarusModel { folder, compiler, runtime, input, output })
    }

    /// The compiler that built it.
    pub fn compiler(&self) -> &Tool {
        &self.compiler
    }

    /// Runs the test bench on a stimulus and the output expected for it.
    ///
    /// # Errors
    /// [`RigError`] when the simulation fails, does not end, or does not report.
    pub fn run(&self, input: &[i64], expected: &[i64]) -> Result<BenchReport, RigError> {
        let write = |name: &str, words: &[i64], format: WordFormat| {
            let path = self.folder.path().join(name);
            std::fs::write(&path, hex_lines(words, format)).map_err(at(&path))
        };
        write("stimulus.hex", input, self.input)?;
        write("expected.hex", expected, self.output)?;
        let mut command = self.runtime.command(self.folder.path());
        command.args(["-n", "model.vvp", "+stimulus=stimulus.hex", "+expected=expected.hex"]);
        command.arg("+observed=observed.hex");
        let finished = run(&mut command, b"", LIMIT)?;
        let rubbish = |found: &str, expected| RigError::Rubbish {
            program: "the test bench".to_owned(),
            found: found.chars().take(200).collect(),
            expected,
        };
        let output = finished.text();
        if let Some(line) = output.lines().find(|line| line.starts_with("ERROR")) {
            return Err(rubbish(line, "no error"));
        }
        let result = output.lines().rev().find_map(|line| {
            let (samples, rest) = line.strip_prefix("RESULT ")?.split_once(" samples, ")?;
            let mismatches = rest.strip_suffix(" mismatches")?;
            Some((samples.parse().ok()?, mismatches.parse().ok()?))
        });
        let (samples, mismatches) = result.ok_or_else(|| rubbish(&output, "a RESULT line"))?;
        let path = self.folder.path().join("observed.hex");
        let text = std::fs::read_to_string(&path).map_err(at(&path))?;
        let observed = text
            .lines()
            .map(|line| {
                let bits = u64::from_str_radix(line.trim(), 16);
                bits.map(|bits| self.output.wrap(bits.into()) as i64)
                    .map_err(|_| rubbish(line, "a word in hex"))
            })
            .collect::<Result<_, _>>()?;
        Ok(BenchReport { observed, samples, mismatches })
    }
}

/// Words as two's complement in hex, one a line.
fn hex_lines(words: &[i64], format: WordFormat) -> String {
    let digits = format.width().div_ceil(4) as usize;
    let mask = u64::MAX >> (64 - format.width());
    let mut text = String::with_capacity(words.len() * (digits + 1));
    for word in words {
        let _ = writeln!(text, "{:0digits$x}", (*word as u64) & mask);
    }
    text
}
