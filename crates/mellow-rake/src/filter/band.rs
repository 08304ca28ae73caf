//! What a filter lets through.

use serde::Serialize;

/// What is let through.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize)]
#[serde(rename_all = "lowercase")]
pub enum BandKind {
    /// Everything below an edge.
    Lowpass,
    /// Everything above an edge.
    Highpass,
    /// What lies between two edges.
    Bandpass,
    /// What does not lie between two edges.
    Bandstop,
}

impl BandKind {
    /// The word for it in spec files.
    pub fn as_str(self) -> &'static str {
        match self {
            BandKind::Lowpass => "lowpass",
            BandKind::Highpass => "highpass",
            BandKind::Bandpass => "bandpass",
            BandKind::Bandstop => "bandstop",
        }
    }

    /// Whether it has two edges.
    pub fn is_band(self) -> bool {
        matches!(self, BandKind::Bandpass | BandKind::Bandstop)
    }
}
