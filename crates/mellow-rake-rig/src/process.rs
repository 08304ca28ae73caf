//! Running a program with a limit on its time, on what it prints, and on what it leaves behind.

use crate::{RigError, at};
use std::fmt::Write as _;
use std::io::{Read, Seek, SeekFrom, Write};
use std::process::{Child, Command, ExitStatus, Stdio};
use std::sync::mpsc::{Receiver, RecvTimeoutError, Sender, channel};
use std::sync::{Mutex, PoisonError};
use std::time::{Duration, Instant};

/// A program that ended well.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Finished {
    /// Its standard output.
    pub output: Vec<u8>,
    /// Its standard error; of more than a mebibyte the beginning.
    pub messages: String,
}

impl Finished {
    /// Its standard output as text; what is no text is replaced.
    pub fn text(&self) -> String {
        String::from_utf8_lossy(&self.output).into_owned()
    }
}

/// More than this on the standard output is no answer: a program that prints without end is stopped.
const MOST_OUTPUT: usize = 1 << 30;
/// More than this on the standard error is read and dropped.
const MOST_MESSAGES: usize = 1 << 20;

/// Runs a program on the given standard input until it ends, at most for `limit`.
///
/// It runs in a process group of its own, and whatever of that group is still there when it has ended, or at
/// the limit, is ended as well. Its input is a temporary file, its output and errors are read while it runs:
/// a program that reads nothing or prints much cannot block, nor fill memory or disk.
///
/// # Errors
/// [`RigError`] when it cannot be started, does not end in time, prints more than a gibibyte, or ends with a
/// failure.
pub fn run(command: &mut Command, input: &[u8], limit: Duration) -> Result<Finished, RigError> {
    let program = command.get_program().to_string_lossy().into_owned();
    let io = |error| at(program.clone())(error);
    let mut stdin = tempfile::tempfile().map_err(io)?;
    stdin.write_all(input).and_then(|()| stdin.seek(SeekFrom::Start(0))).map_err(io)?;
    command.stdin(Stdio::from(stdin)).stdout(Stdio::piped()).stderr(Stdio::piped());
    let mut group = Group::spawn(command).map_err(io)?;
    let (sender, receiver) = channel();
    if let Some(stdout) = group.child.stdout.take() {
        read_on(stdout, MOST_OUTPUT, Stream::Output, &sender);
    }
    if let Some(stderr) = group.child.stderr.take() {
        read_on(stderr, MOST_MESSAGES, Stream::Messages, &sender);
    }
    drop(sender);
    let (status, printed) = attend(&mut group.child, &receiver, limit).map_err(io)?;
    drop(group);
    if printed.flooded {
        return Err(RigError::Flood { program });
    }
    let messages = String::from_utf8_lossy(&printed.messages).into_owned();
    match status {
        None => Err(RigError::TimeOut { program, limit, messages }),
        Some(status) if status.success() => Ok(Finished { output: printed.output, messages }),
        Some(status) => {
            // A binary answer is no message.
            let said = std::str::from_utf8(&printed.output).unwrap_or("");
            let messages = format!("{messages}{said}");
            Err(RigError::Failed { program, status: status.to_string(), messages })
        }
    }
}

#[derive(Clone, Copy, PartialEq, Eq)]
enum Stream {
    Output,
    Messages,
}

/// What a program has printed.
#[derive(Default)]
struct Printed {
    output: Vec<u8>,
    messages: Vec<u8>,
    flooded: bool,
}

/// Reads a stream in a thread of its own until it ends, and sends what was read as pieces, as far as the
/// limit goes. The thread of a stream that something outside of the group holds open is left behind; it holds
/// no more than a piece.
fn read_on(
    mut from: impl Read + Send + 'static,
    most: usize,
    stream: Stream,
    to: &Sender<(Stream, Vec<u8>, bool)>,
) {
    let to = to.clone();
    std::thread::spawn(move || {
        let mut piece = vec![0; 1 << 16];
        let mut left = most;
        while let Ok(count) = from.read(&mut piece) {
            let is_over = count > left;
            let kept = count.min(left);
            left -= kept;
            let is_told = kept > 0 || (is_over && stream == Stream::Output);
            if count == 0
                || (is_told && to.send((stream, piece[..kept].to_vec(), is_over)).is_err())
            {
                break;
            }
        }
    });
}

/// Waits until a program has ended and all of its output is there, it prints too much, or its time is over.
fn attend(
    child: &mut Child,
    from: &Receiver<(Stream, Vec<u8>, bool)>,
    limit: Duration,
) -> std::io::Result<(Option<ExitStatus>, Printed)> {
    /// Whether the program has ended is looked at so often.
    const LOOK: Duration = Duration::from_millis(20);
    /// What a descendant that holds a stream open is waited for, once the program itself has ended.
    const LINGER: Duration = Duration::from_secs(1);
    let started = Instant::now();
    let mut printed = Printed::default();
    let (mut ended, mut is_read) = (None, false);
    loop {
        let left = limit.saturating_sub(started.elapsed());
        match from.recv_timeout(left.min(LOOK)) {
            Ok((stream, piece, is_over)) => {
                match stream {
                    Stream::Output => printed.output.extend(piece),
                    Stream::Messages => printed.messages.extend(piece),
                }
                printed.flooded |= is_over && stream == Stream::Output;
            }
            Err(RecvTimeoutError::Disconnected) => is_read = true,
            Err(RecvTimeoutError::Timeout) => {}
        }
        if ended.is_none() {
            ended = child.try_wait()?.map(|status| (status, Instant::now()));
            if is_read && ended.is_none() {
                std::thread::sleep(left.min(Duration::from_millis(1)));
            }
        }
        let lingered = ended.is_some_and(|(_, at)| at.elapsed() > LINGER);
        if printed.flooded || left.is_zero() || (ended.is_some() && (is_read || lingered)) {
            return Ok((ended.map(|(status, _)| status), printed));
        }
    }
}

/// The groups of programs that run now.
static RUNNING: Mutex<Vec<u32>> = Mutex::new(Vec::new());

/// Ends all programs that [`run`] has started and that still run, with what they have started: for a front
/// end that is interrupted, as they stand in process groups of their own.
pub fn end_all() {
    let running = RUNNING.lock().unwrap_or_else(PoisonError::into_inner);
    running.iter().copied().for_each(kill_group);
}

/// A program with a process group of its own; ended with it when dropped.
struct Group {
    child: Child,
}

impl Group {
    fn spawn(command: &mut Command) -> std::io::Result<Self> {
        #[cfg(unix)]
        std::os::unix::process::CommandExt::process_group(command, 0);
        let mut running = RUNNING.lock().unwrap_or_else(PoisonError::into_inner);
        let child = command.spawn()?;
        running.push(child.id());
        Ok(Group { child })
    }
}

impl Drop for Group {
    fn drop(&mut self) {
        kill_group(self.child.id());
        // Already gone, or gone now.
        let _ = self.child.kill();
        let _ = self.child.wait();
        let mut running = RUNNING.lock().unwrap_or_else(PoisonError::into_inner);
        running.retain(|id| *id != self.child.id());
    }
}
#[cfg(unix)]
fn kill_group(leader: u32) {
    use rustix::process::{Pid, Signal, kill_process_group};
    if let Some(pid) = i32::try_from(leader).ok().and_then(Pid::from_raw) {
        // A group that is gone is what was wanted.
        let _ = kill_process_group(pid, Signal::KILL);
    }
}

#[cfg(not(unix))]
fn kill_group(_: u32) {}

/// Gives a program integers on its standard input, one a line, and reads those that it prints, one a line.
///
/// # Errors
/// [`RigError`] when it cannot be started, does not end within `limit`, ends with a failure, or prints
/// something else than integers.
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
