//! Running a program with a time limit.

use crate::{RigError, at};
use std::fmt::Write as _;
use std::io::{Read, Seek, SeekFrom, Write};
use std::process::{Command, Stdio};
use std::time::{Duration, Instant};
use wait_timeout::ChildExt;

/// A program that ended well.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Finished {
    /// Its standard output.
    pub output: Vec<u8>,
    /// Its standard error.
    pub messages: String,
}

impl Finished {
    /// Its standard output as text; what is no text is replaced.
    pub fn text(&self) -> String {
        String::from_utf8_lossy(&self.output).into_owned()
    }
}

/// More than this is no answer: a program that prints without end is stopped.
const MOST_OUTPUT: u64 = 1 << 30;

/// Runs a program on the given standard input until it ends, at most for `limit`.
///
/// Input and output pass through temporary files, so that a program that reads nothing or prints much cannot
/// block.
///
/// # Errors
/// [`RigError`] when it cannot be started, does not end in time, prints more than a gibibyte, or ends with a failure.
pub fn run(command: &mut Command, input: &[u8], limit: Duration) -> Result<Finished, RigError> {
    let program = command.get_program().to_string_lossy().into_owned();
    let io = |error| at(program.clone())(error);
    let mut stdin = tempfile::tempfile().map_err(io)?;
    stdin.write_all(input).and_then(|()| stdin.seek(SeekFrom::Start(0))).map_err(io)?;
    let (stdout, stderr) = (tempfile::tempfile().map_err(io)?, tempfile::tempfile().map_err(io)?);
    let mut child = command
        .stdin(Stdio::from(stdin))
        .stdout(Stdio::from(stdout.try_clone().map_err(io)?))
        .stderr(Stdio::from(stderr.try_clone().map_err(io)?))
        .spawn()
        .map_err(io)?;
    let started = Instant::now();
    let mut flooded;
    let status = loop {
        let left = limit.saturating_sub(started.elapsed());
        let status = child.wait_timeout(left.min(Duration::from_millis(200))).map_err(io)?;
        flooded = stdout.metadata().map_err(io)?.len() > MOST_OUTPUT;
        if status.is_some() || flooded || left.is_zero() {
            break status;
        }
    };
    if status.is_none() {
        child.kill().and_then(|()| child.wait()).map_err(io)?;
    }
    if flooded {
        return Err(RigError::Flood { program });
    }
    let all = |mut file: std::fs::File| -> std::io::Result<Vec<u8>> {
        let mut bytes = Vec::new();
        file.seek(SeekFrom::Start(0))?;
        file.read_to_end(&mut bytes)?;
        Ok(bytes)
    };
    let (output, messages) = (all(stdout).map_err(io)?, all(stderr).map_err(io)?);
    let messages = String::from_utf8_lossy(&messages).into_owned();
    match status {
        None => Err(RigError::TimeOut { program, limit, messages }),
        Some(status) if status.success() => Ok(Finished { output, messages }),
        Some(status) => {
            // A binary answer is no message.
            let said = std::str::from_utf8(&output).unwrap_or("");
            let messages = format!("{messages}{said}");
            Err(RigError::Failed { program, status: status.to_string(), messages })
        }
    }
}

/// Gives a program integers on its standard input, one a line, and reads those that it prints, one a line.
///
/// # Errors
/// [`RigError`] when it cannot be started, does not end within `limit`, ends with a failure, or prints something else than
/// integers.
pub fn exchange(
    command: &mut Command,
    input: &[i64],
    limit: Duration,
) -> Result<Vec<i64>, RigError> {
    let program = command.get_program().to_string_lossy().into_owned();
    let mut text = String::with_capacity(8 * input.len());
    for word in input {
        let _ = writeln!(text, "{word}");
    }
    let finished = run(command, text.as_bytes(), limit)?;
    let word = |line: &str| {
        line.trim().parse().map_err(|_| RigError::Rubbish {
            program: program.clone(),
            found: line.chars().take(200).collect(),
            expected: "an integer a line",
        })
    };
    finished.text().lines().map(word).collect()
}
