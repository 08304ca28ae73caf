//! Running the program.

#![allow(dead_code)] // each test uses what it needs

use serde_json::Value;
use std::path::{Path, PathBuf};
use std::process::{Command, Output};

/// The folder of the whole project.
pub(crate) fn root() -> PathBuf {
    Path::new(env!("CARGO_MANIFEST_DIR")).join("../..").canonicalize().unwrap()
}

/// The program, called from there.
pub(crate) fn mrake() -> Command {
    let mut command = Command::new(assert_cmd::cargo::cargo_bin!("mrake"));
    command.current_dir(root());
    command
}

/// Its exit status, stdout and stderr.
pub(crate) fn run(arguments: &[&str]) -> (i32, String, String) {
    finish(mrake().args(arguments))
}

/// The same of a command that was prepared.
pub(crate) fn finish(command: &mut Command) -> (i32, String, String) {
    let Output { status, stdout, stderr } = command.output().unwrap();
    let text = |bytes| String::from_utf8(bytes).unwrap();
    (status.code().unwrap(), text(stdout), text(stderr))
}

/// Its exit status and the object that it printed.
pub(crate) fn json(arguments: &[&str]) -> (i32, Value) {
    let (status, out, _) = run(arguments);
    (status, serde_json::from_str(&out).unwrap_or_else(|error| panic!("{error}: {out}")))
}
