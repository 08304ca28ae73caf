//! The words that a filter runs on, and its structure.

use crate::fixed::{CoefficientFormat, Overflow, Rounding, WordFormat};

/// The words that a filter runs on.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Fixed {
    /// What comes in.
    pub input: WordFormat,
    /// What goes out.
    pub output: WordFormat,
    /// The coefficients.
    pub coefficients: CoefficientFormat,
    /// What is remembered, where the structure has words of its own for that; chosen if it is not given.
    pub state: Option<WordFormat>,
    /// How the filter is arranged.
    pub structure: Structure,
    /// How bits are dropped from the right.
    pub rounding: Rounding,
    /// What happens when a word does not fit.
    pub overflow: Overflow,
    /// In which order sections stand, and how large the words between them are.
    pub arrangement: ArrangementWish,
    /// How integers are chosen for the coefficients.
    pub integers: IntegerWish,
}

/// In which order sections stand, and how large the words between them are.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub struct ArrangementWish {
    /// What is brought to 1 at the output of each section but the last.
    pub scaling: Scaling,
    /// Whether the factors between sections are powers of two.
    pub powers_of_two: bool,
    /// Whether pairs of poles, pairs of zeros and the order of sections are searched for the least noise.
    pub quietest: bool,
}

/// What is brought to 1 at the output of each section but the last.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub enum Scaling {
    /// The sections are as the design made them.
    #[default]
    AsDesigned,
    /// The largest value that any input of size 1 can reach: the l1 norm.
    WorstCase,
    /// The largest value that a sine of size 1 can reach: the peak of the response.
    Peak,
    /// The rms value of white noise of rms 1: the l2 norm.
    Energy,
}

impl Scaling {
    /// All kinds.
    pub const ALL: [Scaling; 4] =
        [Scaling::AsDesigned, Scaling::WorstCase, Scaling::Peak, Scaling::Energy];

    /// The word for it in the spec file.
    pub fn as_str(self) -> &'static str {
        match self {
            Scaling::AsDesigned => "as-designed",
            Scaling::WorstCase => "worst-case",
            Scaling::Peak => "peak",
            Scaling::Energy => "energy",
        }
    }
}

/// How integers are chosen for the coefficients.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub struct IntegerWish {
    /// Whether integers next to the nearest are tried, too, for the most margin within the template.
    pub search: bool,
    /// The most nonzero signed digits (1, −1) that a coefficient may have; any if it is not given.
    pub digits: Option<u32>,
    /// Whether the integers of the taps add up to exactly 1.
    pub unit_sum: bool,
}

/// How a filter is arranged.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
#[non_exhaustive]
pub enum Structure {
    /// Direct form I: inputs and outputs remembered, one accumulator per section.
    DirectForm1,
    /// The same with its rounding errors remembered for one sample and fed back.
    ErrorFeedback1,
    /// The same with its rounding errors remembered for two samples and fed back.
    ErrorFeedback2,
    /// Direct form I transposed: the integers of direct form II, sums remembered.
    DirectForm1Transposed,
    /// Direct form II: two words of memory, behind the poles.
    DirectForm2,
    /// Direct form II transposed: the integers of direct form I, sums remembered.
    DirectForm2Transposed,
    /// Sections of two states: the coupled form.
    Coupled,
    /// A whole filter as a lattice of reflection coefficients with a ladder.
    LatticeLadder,
    /// Each section as a lattice of two stages with a ladder.
    LatticeSections,
    /// Half the sum or difference of two all-passes.
    AllPassSum,
    /// Finite impulse response: one dot product over a delay line.
    FirDirect,
    /// Finite impulse response: sums move from register to register.
    FirTransposed,
    /// Taps of linear phase: words that share a tap are added first.
    FirFolded,
    /// Half-band taps: folded, and the zeros skipped.
    FirSkipZeros,
}

impl Structure {
    /// All structures.
    pub const ALL: [Structure; 14] = [
        Structure::DirectForm1,
        Structure::ErrorFeedback1,
        Structure::ErrorFeedback2,
        Structure::DirectForm1Transposed,
        Structure::DirectForm2,
        Structure::DirectForm2Transposed,
        Structure::Coupled,
        Structure::LatticeLadder,
        Structure::LatticeSections,
        Structure::AllPassSum,
        Structure::FirDirect,
        Structure::FirTransposed,
        Structure::FirFolded,
        Structure::FirSkipZeros,
    ];

    /// The word for it in the spec file.
    pub fn as_str(self) -> &'static str {
        match self {
            Structure::DirectForm1 => "direct-form-1",
            Structure::ErrorFeedback1 => "error-feedback-1",
            Structure::ErrorFeedback2 => "error-feedback-2",
            Structure::DirectForm1Transposed => "direct-form-1-transposed",
            Structure::DirectForm2 => "direct-form-2",
            Structure::DirectForm2Transposed => "direct-form-2-transposed",
            Structure::Coupled => "coupled",
            Structure::LatticeLadder => "lattice-ladder",
            Structure::LatticeSections => "lattice-sections",
            Structure::AllPassSum => "all-pass-sum",
            Structure::FirDirect => "fir-direct",
            Structure::FirTransposed => "fir-transposed",
            Structure::FirFolded => "fir-folded",
            Structure::FirSkipZeros => "fir-skip-zeros",
        }
    }

    /// Whether it is for taps; the others are for sections.
    pub fn is_for_taps(self) -> bool {
        matches!(
            self,
            Structure::FirDirect
                | Structure::FirTransposed
                | Structure::FirFolded
                | Structure::FirSkipZeros
        )
    }

    /// Whether its coefficients are those of sections or taps themselves.
    pub fn has_plain_coefficients(self) -> bool {
        !self.has_own_coefficients()
    }

    /// Whether its coefficients are others than those of sections: of states, lattices or all-passes.
    fn has_own_coefficients(self) -> bool {
        matches!(
            self,
            Structure::Coupled
                | Structure::LatticeLadder
                | Structure::LatticeSections
                | Structure::AllPassSum
        )
    }

    /// Whether it is a cascade of sections.
    pub fn is_cascade(self) -> bool {
        !self.is_for_taps() && !matches!(self, Structure::LatticeLadder | Structure::AllPassSum)
    }

    /// Whether it remembers words of a format of their own.
    pub fn has_state(self) -> bool {
        matches!(
            self,
            Structure::DirectForm1Transposed
                | Structure::DirectForm2
                | Structure::Coupled
                | Structure::LatticeLadder
                | Structure::LatticeSections
                | Structure::AllPassSum
        )
    }
}
