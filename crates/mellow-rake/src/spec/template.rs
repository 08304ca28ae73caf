//! Commented specs to start from.

/// The text of a kind, and the words that it runs on.
macro_rules! spec {
    ($kind:literal) => {
        include_str!(concat!("kinds/", $kind, ".toml"))
    };
    ($kind:literal, sections) => {
        concat!(spec!($kind), include_str!("kinds/tail_sections.toml"))
    };
    ($kind:literal, taps) => {
        concat!(spec!($kind), include_str!("kinds/tail_taps.toml"))
    };
}

const SPECS: [(&str, &str); 23] = [
    ("notch", spec!("notch")),
    ("lowpass", spec!("lowpass", sections)),
    ("highpass", spec!("highpass", sections)),
    ("bandpass", spec!("bandpass", sections)),
    ("bandstop", spec!("bandstop", sections)),
    ("peak", spec!("peak", sections)),
    ("comb", spec!("comb", sections)),
    ("dc-blocker", spec!("dc-blocker", sections)),
    ("all-pass", spec!("all-pass", sections)),
    ("leaky-integrator", spec!("leaky-integrator", sections)),
    ("resonator", spec!("resonator", sections)),
    ("placed", spec!("placed", sections)),
    ("coefficients", spec!("coefficients", sections)),
    ("multiband", spec!("multiband", taps)),
    ("points", spec!("points", taps)),
    ("differentiator", spec!("differentiator", taps)),
    ("hilbert", spec!("hilbert", taps)),
    ("half-band", spec!("half-band", taps)),
    ("mth-band", spec!("mth-band", taps)),
    ("raised-cosine", spec!("raised-cosine", taps)),
    ("root-raised-cosine", spec!("root-raised-cosine", taps)),
    ("smoother", spec!("smoother", taps)),
    ("average", spec!("average", taps)),
];

/// Chains of stages at several rates.
const CHAINS: [(&str, &str); 3] =
    [("chain", spec!("chain")), ("cic", spec!("cic")), ("upconverter", spec!("upconverter"))];

/// The kinds for which there is a spec to start from: all of them.
pub fn kinds() -> impl Iterator<Item = &'static str> {
    SPECS.iter().map(|(kind, _)| *kind)
}

/// The chains for which there is a spec to start from.
///
/// ```
/// use mellow_rake::spec::{ChainSpec, chain_kinds, template};
/// assert!(chain_kinds().all(|kind| ChainSpec::parse(template(kind).unwrap()).is_ok()));
/// ```
pub fn chain_kinds() -> impl Iterator<Item = &'static str> {
    CHAINS.iter().map(|(kind, _)| *kind)
}

/// A commented spec to start from, ready to design; `None` for what is neither in [`kinds`] nor in
/// [`chain_kinds`].
///
/// ```
/// use mellow_rake::spec::{Spec, template};
/// assert!(Spec::parse(template("notch").unwrap()).is_ok());
/// ```
pub fn template(kind: &str) -> Option<&'static str> {
    SPECS.iter().chain(&CHAINS).find(|(name, _)| *name == kind).map(|(_, text)| *text)
}
