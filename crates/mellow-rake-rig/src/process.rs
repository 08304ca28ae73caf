//! Running a program with a time limit.

use crate::{RigError, at};
use std::fmt::Write as _;
use std::io::{Read, Seek, SeekFrom, Write};
use std::process::{Command, Stdio};
use std::time::Duration;
use wait_timeout::ChildExt;

/// A program that ended well.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Finished {
    /// Its standard output.
    pub output: String,
    /// Its standard error.
    pub messages: String,
}

/// Runs a program on the given standard input until it ends, at most for `limit`.
///
/// Input and output pass through temporary files, so that a program that reads nothing or prints much cannot
/// block.
///
/// # Errors
/// [`RigError`] when it cannot be started, does not end in time, or ends with a failure.
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
    let status = child.wait_timeout(limit).map_err(io)?;
    if status.is_none() {
        child.kill().and_then(|()| child.wait()).map_err(io)?;
    }
    let text = |mut file: std::fs::File| -> std::io::Result<String> {
        let mut bytes = Vec::new();
        file.seek(SeekFrom::Start(0))?;
        file.read_to_end(&mut bytes)?;
        Ok(String::from_utf8_lossy(&bytes).into_owned())
    };
    let (output, messages) = (text(stdout).map_err(io)?, text(stderr).map_err(io)?);
    match status {
        None => Err(RigError::TimeOut { program, limit, messages }),
        Some(status) if status.success() => Ok(Finished { output, messages }),
        Some(status) => {
            let messages = format!("{messages}{output}");
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
    finished.output.lines().map(word).collect()
}
