//! The words for finite impulse responses: what they are to do, and by which method.

use crate::effort::Effort;
use crate::filter::BandKind;
use crate::window::Window;

/// The most taps of a design.
pub const LARGEST_TAPS: usize = 10_000;

/// A finite impulse response that is wanted: `[want]` and `[method]` together. Frequencies are in hertz.
#[derive(Debug, Clone, PartialEq)]
pub struct FirWish {
    /// What it is to do.
    pub shape: FirShape,
    /// How it is made.
    pub method: FirMethod,
    /// Number of taps; `None` is the smallest number that keeps the template.
    pub taps: Option<usize>,
    /// Linear or minimum phase.
    pub phase: Phase,
    /// Windowed designs: scale the gain in the middle of the pass-band to exactly 1.
    pub unity_gain: bool,
    /// How much work a search for the fewest taps may do.
    pub effort: Effort,
}

/// What a finite impulse response is to do.
#[derive(Debug, Clone, PartialEq)]
#[non_exhaustive]
pub enum FirShape {
    /// Let a band through.
    Band {
        /// Which.
        kind: BandKind,
        /// By which edges.
        edges: FirEdges,
        /// Pass-band ripple, peak to peak, in decibels.
        ripple_db: Option<f64>,
        /// Stop-band attenuation in decibels.
        attenuation_db: Option<f64>,
    },
    /// Any number of bands, each with its level and weight.
    Multiband(Vec<WishedBand>),
    /// A magnitude through points (frequency in hertz, gain as a ratio), straight lines between them.
    Points(Vec<(f64, f64)>),
    /// The derivative with respect to the sample index, up to an edge.
    Differentiator {
        /// Up to where, in hertz.
        pass_hz: f64,
    },
    /// A shift by −90° between two edges.
    Hilbert {
        /// Between which frequencies, in hertz.
        pass_hz: [f64; 2],
    },
    /// A low-pass filter whose every `factor`-th tap from the middle is zero; 2 is a half-band filter.
    MthBand {
        /// Which tap of each is zero, counted from the middle.
        factor: usize,
        /// Where the pass-band ends, in hertz; the stop-band begins as far beyond fs/(2·factor).
        pass_hz: Option<f64>,
    },
    /// Pulse shaping: raised cosine or its square root.
    RaisedCosine {
        /// Symbols per second.
        symbol_rate_hz: f64,
        /// Excess bandwidth over the smallest, 0 to 1.
        rolloff: f64,
        /// Whether it is the square root, of which two in series make one.
        root: bool,
    },
    /// The local polynomial of best fit, or a derivative of it.
    Smoother {
        /// Degree of the polynomial.
        degree: usize,
        /// Which derivative with respect to the sample index; 0 is the value.
        derivative: usize,
    },
    /// The mean of the last samples.
    Average,
}

impl FirShape {
    /// The word for it in the spec file.
    pub fn kind(&self) -> &'static str {
        match self {
            FirShape::Band { kind, .. } => kind.as_str(),
            FirShape::Multiband(_) => "multiband",
            FirShape::Points(_) => "points",
            FirShape::Differentiator { .. } => "differentiator",
            FirShape::Hilbert { .. } => "hilbert",
            FirShape::MthBand { factor: 2, .. } => "half-band",
            FirShape::MthBand { .. } => "mth-band",
            FirShape::RaisedCosine { root: false, .. } => "raised-cosine",
            FirShape::RaisedCosine { root: true, .. } => "root-raised-cosine",
            FirShape::Smoother { .. } => "smoother",
            FirShape::Average => "average",
        }
    }
}

/// The edges of a band, in hertz: one or two rising ones.
#[derive(Debug, Clone, PartialEq)]
pub enum FirEdges {
    /// The edges of the ideal response, where the amplitude is one half (−6 dB).
    Cutoff(Vec<f64>),
    /// Where the pass-band ends; for frequency sampling.
    Pass(Vec<f64>),
    /// Where the pass-band ends and where the stop-band begins.
    Transition {
        /// Ends of the pass-band.
        pass: Vec<f64>,
        /// Beginnings of the stop-band.
        stop: Vec<f64>,
    },
}

/// A band of a multiband filter.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct WishedBand {
    /// From where to where, in hertz.
    pub edges_hz: [f64; 2],
    /// The gain at both ends, as a ratio; a straight line between them.
    pub level: [f64; 2],
    /// Factor on the error.
    pub weight: f64,
}

/// How a finite impulse response is made.
#[derive(Debug, Clone, PartialEq)]
pub enum FirMethod {
    /// The ideal impulse response times a window.
    Window(Window),
    /// Least largest weighted error.
    Equiripple {
        /// One factor on the error per band, in rising frequency; empty: from the levels asked for, or all 1.
        weights: Vec<f64>,
    },
    /// Least weighted square error.
    LeastSquares {
        /// As above, on the square of the error's root: the error is multiplied before it is squared.
        weights: Vec<f64>,
    },
    /// Given samples of the response on the grid of the inverse discrete Fourier transform.
    FrequencySampling {
        /// They replace the samples behind the last one of the pass-band.
        transition_samples: Vec<f64>,
    },
    /// What the kind itself fixes.
    ClosedForm,
}

impl FirMethod {
    /// The word for it in the spec file.
    pub fn as_str(&self) -> &'static str {
        match self {
            FirMethod::Window(_) => "window",
            FirMethod::Equiripple { .. } => "equiripple",
            FirMethod::LeastSquares { .. } => "least-squares",
            FirMethod::FrequencySampling { .. } => "frequency-sampling",
            FirMethod::ClosedForm => "closed-form",
        }
    }
}

/// The phase of a finite impulse response.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
#[cfg_attr(feature = "serde", derive(serde::Serialize))]
#[cfg_attr(feature = "serde", serde(rename_all = "lowercase"))]
pub enum Phase {
    /// Exactly linear: constant delay of half the length.
    Linear,
    /// The same gain with the least delay: every zero outside the unit circle mirrored into it.
    Minimum,
}
