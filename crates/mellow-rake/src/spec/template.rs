//! Commented specs to start from.

/// The kinds for which there is a spec to start from.
pub const KINDS: [&str; 5] = ["notch", "lowpass", "highpass", "bandpass", "bandstop"];

/// A commented spec to start from, ready to design; `None` for a kind that is not in [`KINDS`].
///
/// ```
/// use mellow_rake::spec::{Spec, template};
/// assert!(Spec::parse(template("notch").unwrap()).is_ok());
/// ```
pub fn template(kind: &str) -> Option<&'static str> {
    match kind {
        "notch" => Some(include_str!("notch.toml")),
        "lowpass" => Some(include_str!("lowpass.toml")),
        "highpass" => Some(include_str!("highpass.toml")),
        "bandpass" => Some(include_str!("bandpass.toml")),
        "bandstop" => Some(include_str!("bandstop.toml")),
        _ => None,
    }
}
