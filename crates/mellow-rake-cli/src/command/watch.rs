//! `mrake design --watch`

use super::design;
use crate::arguments::Design;
use crate::failure::{Failure, Outcome};
use crate::print;
use notify::{RecursiveMode, Watcher};
use std::io::IsTerminal;
use std::path::Path;
use std::sync::mpsc::{Receiver, channel};
use std::time::{Duration, Instant};

/// Editors write a file in several steps; what comes within this time belongs together.
const QUIET: Duration = Duration::from_millis(15);

/// Does it all again whenever the spec file, or another file of its folder that it names, is saved.
pub(crate) fn run(options: &Design) -> Result<Outcome, Failure> {
    let watched = |error: notify::Error| {
        Failure::Call(format!("{}: cannot be watched: {error}", options.spec.display()))
    };
    let (sender, saved) = channel();
    let name = options.spec.file_name().map(std::ffi::OsStr::to_owned);
    let mut watcher = notify::recommended_watcher(move |event: notify::Result<notify::Event>| {
        let Ok(event) = event else { return };
        let is_change = event.kind.is_modify() || event.kind.is_create();
        // The figures that are written stand in the same folder as often as not.
        let is_spec = event.paths.iter().any(|path| path.file_name() == name.as_deref());
        if is_change && is_spec {
            // Nobody listens any more once the program ends.
            let _ = sender.send(());
        }
    })
    .map_err(watched)?;
    // The folder and not the file: many editors put a new file in the place of the old one.
    let folder = options.spec.parent().filter(|folder| !folder.as_os_str().is_empty());
    watcher
        .watch(folder.unwrap_or(Path::new(".")), RecursiveMode::NonRecursive)
        .map_err(watched)?;
    loop {
        show(options)?;
        if !wait(&saved) {
            return Ok(Outcome::Held);
        }
    }
}

/// Until the file was saved; `false` if that can no longer happen.
fn wait(saved: &Receiver<()>) -> bool {
    if saved.recv().is_err() {
        return false;
    }
    while saved.recv_timeout(QUIET).is_ok() {}
    true
}

/// One turn: a mistake in the spec is shown in place of the table, and ends nothing.
fn show(options: &Design) -> Result<(), Failure> {
    if std::io::stdout().is_terminal() {
        // Home, and clear to the end (ECMA-48: CUP, ED).
        print::clear()?;
    }
    let start = Instant::now();
    let line = match design::run(options) {
        Ok(_) => "done".to_owned(),
        Err(Failure::Output(error)) => return Err(Failure::Output(error)),
        Err(failure) => format!("mrake: {failure}\n\nnot done"),
    };
    let took = start.elapsed().as_millis();
    print::text(&format!(
        "\n{line} in {took} ms; watching {} (Ctrl-C ends)\n",
        options.spec.display()
    ))
}
