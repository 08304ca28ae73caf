//! The one thing that all targets do.

/// Runs a target of the library by its name.
pub fn run(name: &str, bytes: &[u8]) {
    let target = mellow_rake_fuzz::TARGETS.iter().find(|target| target.name == name);
    (target.expect("a target of that name").run)(bytes);
}
