//! What comes from outside has a limit: programs that print without end, never end, or leave others behind.
#![cfg(unix)]

use mellow_rake_rig::{RigError, Target, TargetWords, ToolName, exchange, run, verilog_simulator};
use std::process::Command;
use std::time::{Duration, Instant};

fn shell(text: &str) -> Command {
    let mut command = Command::new("sh");
    command.args(["-c", text]);
    command
}

/// Whether a process of this number still runs.
fn is_alive(id: &str) -> bool {
    let state = std::fs::read_to_string(format!("/proc/{}/stat", id.trim())).unwrap_or_default();
    // A zombie waits for its parent only.
    !state.is_empty() && !state.contains(") Z ")
}

/// Errors without end fill no memory and hold nobody up: the limit is kept, and the beginning of them is
/// told.
#[test]
fn errors_without_end_are_cut() {
    let started = Instant::now();
    let error = run(&mut shell("yes broken >&2"), b"", Duration::from_secs(1)).unwrap_err();
    assert!(started.elapsed() < Duration::from_secs(4), "{:?}", started.elapsed());
    let RigError::TimeOut { messages, .. } = &error else { panic!("{error}") };
    assert!(messages.starts_with("broken\n") && messages.len() == 1 << 20, "{}", messages.len());
    // The whole message that a user sees is short.
    assert!(error.to_string().len() < 1000);
    // Much output beside much of it: both are read at once, and a failure is told as one.
    let both = "head -c 3000000 /dev/zero >&2; head -c 5000000 /dev/zero; exit 3";
    let error = run(&mut shell(both), b"", Duration::from_secs(20)).unwrap_err();
    assert!(
        matches!(&error, RigError::Failed { status, .. } if status.contains('3')),
        "{error:.200}"
    );
    let fine = run(&mut shell("head -c 5000000 /dev/zero"), b"", Duration::from_secs(20)).unwrap();
    assert_eq!(fine.output.len(), 5_000_000);
}

/// At the limit, and when the program itself has ended, what it started ends with it.
#[test]
fn nothing_of_a_program_outlives_it() {
    for (text, ends_itself) in [("sleep 300 & echo $!; wait", false), ("sleep 300 & echo $!", true)]
    {
        let folder = tempfile::tempdir().unwrap();
        let file = folder.path().join("id");
        let text = format!("({text}) | tee {}", file.display());
        let started = Instant::now();
        let found = run(&mut shell(&text), b"", Duration::from_secs(2));
        assert!(started.elapsed() < Duration::from_secs(5), "{:?}", started.elapsed());
        // The sleeper holds the pipe open: either way it is the limit that ends it.
        assert!(found.is_err() || ends_itself, "{found:?}");
        let id = std::fs::read_to_string(&file).unwrap();
        std::thread::sleep(Duration::from_millis(100));
        assert!(!id.trim().is_empty() && !is_alive(&id), "{id}");
    }
    // Input that nobody reads blocks nobody.
    let words = vec![12_345; 200_000];
    let found = exchange(&mut shell("echo 1"), &words, Duration::from_secs(20)).unwrap();
    assert_eq!(found, [1]);
}

/// Short stimuli and small filters are for Icarus Verilog, the others for Verilator, if it is there.
#[test]
fn a_simulator_is_chosen_by_the_number_of_products() {
    let word = "s16f15".parse().unwrap();
    let of =
        |products| TargetWords { input: word, output: word, products, unit: None, rates: [1, 1] };
    assert_eq!(verilog_simulator(of(5), 20_000), Target::Icarus);
    let is_there = ToolName::VERILATOR.find().is_ok();
    let expected = if is_there { Target::Verilator } else { Target::Icarus };
    assert_eq!(verilog_simulator(of(2_000), 20_000), expected);
    assert_eq!(verilog_simulator(of(5), 20_000_000), expected);
}
