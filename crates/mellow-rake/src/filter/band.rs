//! The words for recursive filters: what is let through, which family, which points its edges are.

use std::fmt;

/// What is let through.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
#[cfg_attr(feature = "serde", derive(serde::Serialize))]
#[cfg_attr(feature = "serde", serde(rename_all = "lowercase"))]
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

/// The most poles of a prototype; band types have twice as many.
pub const LARGEST_ORDER: usize = 24;

/// Which point of the response an edge is.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
#[cfg_attr(feature = "serde", derive(serde::Serialize))]
#[cfg_attr(feature = "serde", serde(rename_all = "kebab-case"))]
pub enum EdgeMeaning {
    /// Half power, −3.0103 dB below the peak.
    HalfPower,
    /// Where the pass-band ripple ends.
    RippleEnd,
    /// Where the stop-band begins.
    StopBegin,
}

/// How an analogue filter becomes a digital one.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
#[cfg_attr(feature = "serde", derive(serde::Serialize))]
#[cfg_attr(feature = "serde", serde(rename_all = "kebab-case"))]
pub enum Mapping {
    /// Bilinear, the edges prewarped: they are met exactly.
    Bilinear,
    /// The impulse response is sampled: the shape in time is kept, what lies above the Nyquist frequency
    /// folds back.
    ImpulseInvariant,
}

/// A family of filters.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
#[cfg_attr(feature = "serde", derive(serde::Serialize))]
#[cfg_attr(feature = "serde", serde(rename_all = "lowercase"))]
pub enum Family {
    /// Maximally flat at the middle of the pass-band.
    Butterworth,
    /// Equal ripple in the pass-band.
    Chebyshev1,
    /// Equal ripple in the stop-band.
    Chebyshev2,
    /// Equal ripple in both.
    Elliptic,
    /// Maximally flat delay (of the analogue prototype).
    Bessel,
}

impl Family {
    /// All families.
    pub const ALL: [Family; 5] = [
        Family::Butterworth,
        Family::Chebyshev1,
        Family::Chebyshev2,
        Family::Elliptic,
        Family::Bessel,
    ];

    /// The word for it in spec files.
    pub fn as_str(self) -> &'static str {
        match self {
            Family::Butterworth => "butterworth",
            Family::Chebyshev1 => "chebyshev1",
            Family::Chebyshev2 => "chebyshev2",
            Family::Elliptic => "elliptic",
            Family::Bessel => "bessel",
        }
    }

    /// Whether the pass-band ripple shapes the filter.
    pub fn needs_ripple(self) -> bool {
        matches!(self, Family::Chebyshev1 | Family::Elliptic)
    }

    /// Whether the stop-band attenuation shapes the filter.
    pub fn needs_attenuation(self) -> bool {
        matches!(self, Family::Chebyshev2 | Family::Elliptic)
    }
}

impl fmt::Display for Family {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str(self.as_str())
    }
}
