//! Commented specs to start from.

/// The kinds for which there is a spec to start from.
pub const KINDS: [&str; 1] = ["notch"];

/// A commented spec to start from, ready to design; `None` for a kind that is not in [`KINDS`].
///
/// ```
/// use mellow_rake::spec::{Spec, template};
/// assert!(Spec::parse(template("notch").unwrap()).is_ok());
/// ```
pub fn template(kind: &str) -> Option<&'static str> {
    (kind == "notch").then_some(include_str!("notch.toml"))
}
