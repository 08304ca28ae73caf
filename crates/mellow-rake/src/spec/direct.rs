//! The words for recursive filters in closed form, placed by hand, or given by their coefficients.

use num_complex::Complex64;

/// A filter that follows directly from a few numbers. Frequencies are in hertz.
#[derive(Debug, Clone, PartialEq)]
#[non_exhaustive]
pub enum DirectWish {
    /// The complement of a notch: gain 1 at the centre, 0 at 0 Hz and Nyquist.
    Peak {
        /// Where the gain is 1.
        center_hz: f64,
        /// Between the −3 dB points.
        width_hz: f64,
    },
    /// Notches at the first harmonics of a fundamental.
    Comb {
        /// The first.
        fundamental_hz: f64,
        /// The width of each, the first harmonic first.
        widths_hz: Vec<f64>,
    },
    /// First order, zero at 0 Hz, gain 1 at Nyquist.
    DcBlocker {
        /// The −3 dB point.
        cutoff_hz: f64,
    },
    /// Gain 1 everywhere, phase falling from 0 to −180°.
    AllPassFirst {
        /// Where the phase is −90°.
        center_hz: f64,
    },
    /// Gain 1 everywhere, phase falling from 0 to −360°.
    AllPassSecond {
        /// Where the phase is −180°.
        center_hz: f64,
        /// Between the points at −90° and −270°.
        width_hz: f64,
    },
    /// One pole, gain 1 at 0 Hz.
    LeakyIntegrator(Leak),
    /// Two poles, gain 1 at the centre, no zeros.
    Resonator {
        /// Where the gain is largest.
        center_hz: f64,
        /// Between the −3 dB points.
        width_hz: f64,
    },
    /// Zeros and poles placed by hand.
    Placed {
        /// Zeros; a conjugate stands beside each that is not real.
        zeros: Vec<Root>,
        /// Poles; likewise.
        poles: Vec<Root>,
        /// What the gain is calibrated to.
        calibration: Calibration,
    },
    /// Coefficients as given.
    Given(Coefficients),
}

/// How fast a leaky integrator forgets.
#[derive(Debug, Clone, Copy, PartialEq)]
pub enum Leak {
    /// By its −3 dB point in hertz.
    Cutoff(f64),
    /// By its time constant in samples: a step has reached 1 − 1/e after it.
    TimeConstant(f64),
}

/// A zero or pole.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Root {
    /// Its angle as a frequency in hertz, 0 to Nyquist, both included.
    pub frequency_hz: f64,
    /// Its distance from the origin: at least 0, and below 1 for poles.
    pub radius: f64,
}

/// What the gain of a placed filter is calibrated to.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Calibration {
    /// The gain, as a ratio.
    pub level: f64,
    /// Where, in hertz; `None`: at the largest gain.
    pub at_hz: Option<f64>,
}

/// Coefficients as given. Feedback is subtracted: y\[n\] = Σ b·x − Σ a·y.
#[derive(Debug, Clone, PartialEq)]
#[non_exhaustive]
pub enum Coefficients {
    /// b0, b1, … and a0, a1, … of one fraction.
    Polynomials {
        /// By rising power of z⁻¹.
        b: Vec<f64>,
        /// Likewise; a0 is divided out.
        a: Vec<f64>,
    },
    /// b0, b1, b2, a0, a1, a2 of each section.
    Sections(Vec<[f64; 6]>),
    /// Zeros and poles in the z-plane, conjugates included, and the factor in front.
    ZerosPoles {
        /// Zeros.
        zeros: Vec<Complex64>,
        /// Poles.
        poles: Vec<Complex64>,
        /// The factor in front.
        gain: f64,
    },
    /// A finite impulse response.
    Taps(Vec<f64>),
    /// To be read from a file; whoever has the file replaces this by what it holds.
    File(String),
}

impl DirectWish {
    /// The word for it in the spec file.
    pub fn kind(&self) -> &'static str {
        match self {
            DirectWish::Peak { .. } => "peak",
            DirectWish::Comb { .. } => "comb",
            DirectWish::DcBlocker { .. } => "dc-blocker",
            DirectWish::AllPassFirst { .. } | DirectWish::AllPassSecond { .. } => "all-pass",
            DirectWish::LeakyIntegrator(_) => "leaky-integrator",
            DirectWish::Resonator { .. } => "resonator",
            DirectWish::Placed { .. } => "placed",
            DirectWish::Given(_) => "coefficients",
        }
    }
}
