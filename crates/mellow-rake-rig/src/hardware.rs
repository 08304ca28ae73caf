//! Generated hardware, simulated through its own test bench: Verilog interpreted by Icarus Verilog, or
//! compiled by Verilator, which takes ten seconds to build and then simulates many times as fast; VHDL by
//! GHDL.

use crate::program::lay_out;
use crate::{RigError, Tool, ToolName, at, run};
use mellow_rake::fixed::WordFormat;
use mellow_rake::hardware::Load;
use mellow_rake::write::GeneratedFile;
use std::path::PathBuf;
use std::process::Command;
use std::time::Duration;
use tempfile::TempDir;

const BUILD_LIMIT: Duration = Duration::from_secs(300);
const LIMIT: Duration = Duration::from_secs(120);

/// What test benches in Verilog are told.
const FILES: [&str; 3] =
    ["+stimulus=stimulus.hex", "+expected=expected.hex", "+observed=observed.hex"];

/// Every warning of GHDL 2.0 that is about a design of 2008.
const GHDL_WARNINGS: [&str; 17] = [
    "-Wbinding",
    "-Wlibrary",
    "-Wdelayed-checks",
    "-Wbody",
    "-Wspecs",
    "-Wuniversal",
    "-Wport-bounds",
    "-Wruntime-error",
    "-Wdelta-cycle",
    "-Wshared",
    "-Whide",
    "-Wunused",
    "-Wothers",
    "-Wpure",
    "-Wattribute",
    "-Wuseless",
    "-Wstatic",
];

/// A generated design, compiled with its test bench.
#[derive(Debug)]
pub struct HardwareModel {
    folder: TempDir,
    compiler: Tool,
    /// What is started, and its first arguments.
    program: PathBuf,
    arguments: Vec<String>,
    input: WordFormat,
    output: WordFormat,
    /// Samples of a clock.
    samples: usize,
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
    /// The fewest clocks between two samples that were taken, where it says so.
    pub interval: Option<usize>,
}

impl HardwareModel {
    /// Compiles the files of a filter for Icarus Verilog, as IEEE 1364-2005 with all warnings; a warning is a
    /// failure.
    ///
    /// # Errors
    /// [`RigError`] when the simulator is missing or complains.
    pub fn icarus(
        files: &[GeneratedFile],
        input: WordFormat,
        output: WordFormat,
    ) -> Result<Self, RigError> {
        let (compiler, runtime) = (ToolName::IVERILOG.find()?, ToolName::VVP.find()?);
        let (folder, sources) = sources(files, ".v")?;
        let mut command = compiler.command(folder.path());
        command.args(["-g2005", "-Wall", "-o", "model.vvp"]).args(sources);
        without_a_word(&mut command, "iverilog")?;
        let arguments = ["-n", "model.vvp"].iter().chain(&FILES).map(|&text| text.to_owned());
        let (program, arguments) = (runtime.path().to_owned(), arguments.collect());
        Ok(HardwareModel { folder, compiler, program, arguments, input, output, samples: 1 })
    }

    /// Compiles the files of a filter by Verilator: the module as IEEE 1364-2005 with all warnings, of which
    /// one is a failure; then module and test bench to a program.
    ///
    /// # Errors
    /// [`RigError`] when Verilator or its C++ compiler is missing or complains.
    pub fn verilator(
        files: &[GeneratedFile],
        input: WordFormat,
        output: WordFormat,
    ) -> Result<Self, RigError> {
        // Test benches that wait are there from 5 on.
        let compiler = ToolName::VERILATOR.find_from(5)?;
        ToolName::GXX.find()?;
        let (folder, sources) = sources(files, ".v")?;
        let module = sources.iter().filter(|name| !name.ends_with("_tb.v"));
        let mut lint = compiler.command(folder.path());
        lint.args(["--lint-only", "-Wall", "--language", "1364-2005"]).args(module);
        without_a_word(&mut lint, "verilator")?;
        let bench = sources.iter().filter_map(|name| name.strip_suffix(".v"));
        let bench = bench.filter(|name| name.ends_with("_tb"));
        let mut command = compiler.command(folder.path());
        // A test bench waits and assigns at once, as no hardware does.
        command.args(["--binary", "--timing", "-Wno-fatal", "-O3", "-o", "model"]);
        command.args(bench.flat_map(|name| ["--top-module", name])).args(&sources);
        run(&mut command, b"", BUILD_LIMIT)?;
        let program = folder.path().join("obj_dir").join("model");
        let arguments = FILES.map(str::to_owned).into();
        Ok(HardwareModel { folder, compiler, program, arguments, input, output, samples: 1 })
    }

    /// Compiles the files of a filter for GHDL, as IEEE 1076-2008 with the warnings that it has; a warning is
    /// a failure.
    ///
    /// # Errors
    /// [`RigError`] when the simulator is missing or complains.
    pub fn ghdl(
        files: &[GeneratedFile],
        input: WordFormat,
        output: WordFormat,
    ) -> Result<Self, RigError> {
        // VHDL of 2008 as it is written is there from 1 on.
        let compiler = ToolName::GHDL.find_from(1)?;
        let (folder, mut sources) = sources(files, ".vhd")?;
        // An entity before the test bench that uses it.
        sources.sort_by_key(|name| name.ends_with("_tb.vhd"));
        let mut command = compiler.command(folder.path());
        command.args(["-a", "--std=08"]).args(GHDL_WARNINGS).args(&sources);
        without_a_word(&mut command, "ghdl")?;
        let bench = sources.last().map_or("", |name| name.trim_end_matches(".vhd")).to_owned();
        let mut command = compiler.command(folder.path());
        command.args(["-e", "--std=08"]).args(GHDL_WARNINGS).arg(&bench);
        without_a_word(&mut command, "ghdl")?;
        // The generics of the test bench name the files as they are named here.
        let arguments = vec!["-r".to_owned(), "--std=08".to_owned(), bench];
        let program = compiler.path().to_owned();
        Ok(HardwareModel { folder, compiler, program, arguments, input, output, samples: 1 })
    }

    /// The same of a unit that takes so many samples in a clock.
    #[must_use]
    pub fn samples_per_clock(mut self, samples: usize) -> Self {
        self.samples = samples.max(1);
        self
    }

    /// The compiler that built it.
    pub fn compiler(&self) -> &Tool {
        &self.compiler
    }

    /// Runs the test bench on a stimulus and the output expected for it; of a unit that takes several
    /// samples in a clock both are as long as whole clocks.
    ///
    /// # Errors
    /// [`RigError`] when the simulation fails, does not end, or does not report.
    pub fn run(&self, input: &[i64], expected: &[i64]) -> Result<BenchReport, RigError> {
        self.run_with(&[], input, expected)
    }

    /// The same, with coefficients or steps that are written before the first sample, on a bus whose
    /// address and data have so many bits.
    ///
    /// # Errors
    /// As of [`run`](HardwareModel::run).
    pub fn run_loaded(
        &self,
        [address_bits, data_bits]: [u32; 2],
        writes: &[Load],
        input: &[i64],
        expected: &[i64],
    ) -> Result<BenchReport, RigError> {
        let digits = |bits: u32| bits.div_ceil(4) as usize;
        let mask = u64::MAX >> (64 - data_bits);
        let line = |Load { address, data }: &Load| {
            let (a, d) = (digits(address_bits), digits(data_bits));
            format!("{address:0a$x} {:0d$x}\n", (*data as u64) & mask)
        };
        let path = self.folder.path().join("load.hex");
        let text: String = writes.iter().map(line).collect();
        std::fs::write(&path, text).map_err(at(&path))?;
        let is_vhdl = self.arguments.iter().any(|argument| argument == "-r");
        let argument = if is_vhdl { "-gload=load.hex" } else { "+load=load.hex" };
        self.run_with(&[argument], input, expected)
    }

    fn run_with(
        &self,
        arguments: &[&str],
        input: &[i64],
        expected: &[i64],
    ) -> Result<BenchReport, RigError> {
        let write = |name: &str, words: &[i64], format: WordFormat| {
            let path = self.folder.path().join(name);
            std::fs::write(&path, hex_lines(words, format, self.samples)).map_err(at(&path))
        };
        write("stimulus.hex", input, self.input)?;
        write("expected.hex", expected, self.output)?;
        let mut command = Command::new(&self.program);
        command.current_dir(self.folder.path()).args(&self.arguments).args(arguments);
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
        let (samples, mismatches): (usize, usize) =
            result.ok_or_else(|| rubbish(&output, "a RESULT line"))?;
        let interval = output.lines().find_map(|line| line.strip_prefix("INTERVAL ")?.parse().ok());
        let path = self.folder.path().join("observed.hex");
        let text = std::fs::read_to_string(&path).map_err(at(&path))?;
        let mut observed = Vec::new();
        for line in text.lines() {
            let words = words_of(line.trim(), self.output, self.samples);
            observed.extend(words.ok_or_else(|| rubbish(line, "a word in hex"))?);
        }
        // The test bench counts clocks.
        let samples = samples * self.samples;
        Ok(BenchReport { observed, samples, mismatches, interval })
    }
}

/// Writes generated files into a new folder; the names of those that end so.
pub(crate) fn sources<'a>(
    files: &'a [GeneratedFile],
    ending: &str,
) -> Result<(TempDir, Vec<&'a String>), RigError> {
    let folder = tempfile::tempdir().map_err(at("temporary folder"))?;
    lay_out(files, folder.path())?;
    let names = files.iter().map(|file| &file.name).filter(|name| name.ends_with(ending));
    Ok((folder, names.collect()))
}

/// Runs a compiler that must not complain.
fn without_a_word(command: &mut Command, program: &str) -> Result<(), RigError> {
    let messages = run(command, b"", LIMIT)?.messages;
    if messages.trim().is_empty() {
        return Ok(());
    }
    let (program, status) = (program.to_owned(), "warnings".to_owned());
    Err(RigError::Failed { program, status, messages })
}

/// Words as two's complement in hex, those of a clock in one line, the first lowest.
fn hex_lines(words: &[i64], format: WordFormat, samples: usize) -> String {
    let width = format.width() as usize;
    let digits = (width * samples).div_ceil(4);
    let mut text = String::with_capacity(words.len() / samples * (digits + 1));
    for clock in words.chunks(samples) {
        let bit = |place: usize| match clock.get(place / width) {
            Some(word) => (word >> (place % width) & 1) as u32,
            None => 0,
        };
        let digit = |digit: usize| (0..4).map(|k| bit(4 * digit + k) << k).sum::<u32>();
        text.extend((0..digits).rev().filter_map(|at| char::from_digit(digit(at), 16)));
        text.push('\n');
    }
    text
}

/// The words of a clock, the lowest first.
fn words_of(line: &str, format: WordFormat, samples: usize) -> Option<Vec<i64>> {
    let digits: Vec<u32> = line.chars().rev().map(|c| c.to_digit(16)).collect::<Option<_>>()?;
    let width = format.width() as usize;
    let bit = |place: usize| digits.get(place / 4).map_or(0, |digit| digit >> (place % 4) & 1);
    let word = |sample: usize| {
        let bits = (0..width).map(|k| i128::from(bit(sample * width + k)) << k);
        format.wrap(bits.sum()) as i64
    };
    (!digits.is_empty()).then(|| (0..samples).map(word).collect())
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn words_of_a_clock_stand_side_by_side() {
        let format: WordFormat = "s6f0".parse().unwrap();
        // -1 and 5 in six bits: 000101 111111.
        assert_eq!(hex_lines(&[-1, 5, 0, -32], format, 2), "17f\n800\n");
        assert_eq!(words_of("17f", format, 2), Some(vec![-1, 5]));
        assert_eq!(words_of("800", format, 2), Some(vec![0, -32]));
        assert_eq!(words_of("xx", format, 2), None);
        let word: WordFormat = "s64f0".parse().unwrap();
        assert_eq!(
            hex_lines(&[i64::MIN, -1], word, 1),
            format!("8{}\n{}\n", "0".repeat(15), "f".repeat(16))
        );
    }
}
