//! What the coefficients of a table are, for those who read the written text.

use crate::datapath::Coefficients;

/// In lines; those after the first explain it.
pub(super) fn caption(holds: Coefficients) -> &'static [&'static str] {
    match holds {
        Coefficients::Sections => &[
            "b0, b1, b2, a1, a2 of H(z) = (b0 + b1 z^-1 + b2 z^-2)/(1 + a1 z^-1 + a2 z^-2):",
            "y[n] = b0 x[n] + b1 x[n-1] + b2 x[n-2] - a1 y[n-1] - a2 y[n-2]",
        ],
        Coefficients::Taps => &["h[0] first: y[n] = h[0] x[n] + h[1] x[n-1] + ..."],
        Coefficients::TapsFolded => &[
            "each for the two taps at equal distance from the ends; the one in the middle, if any, last",
        ],
        Coefficients::TapsBackward => &["the last first: y[n] = h[0] x[n] + h[1] x[n-1] + ..."],
        Coefficients::Phases => {
            &["one polyphase branch a row: every so many-th tap, zeros at the end"]
        }
        Coefficients::StateSpace => &[
            "a11, a12, b1, a21, a22, b2, c1, c2, d: s1[n+1] = a11 s1[n] + a12 s2[n] + b1 x[n], s2 likewise,",
            "y[n] = c1 s1[n] + c2 s2[n] + d x[n]",
        ],
        Coefficients::AllPass => &["a1, a2 (or a1): an all-pass that multiplies differences"],
        Coefficients::Half => &["one half"],
        Coefficients::Reflection => &["k1, k2, ... of the lattice"],
        Coefficients::Ladder => &["v0, v1, ... of the ladder"],
        Coefficients::Shaping => &["k1, k2: how often remembered errors are added"],
    }
}
