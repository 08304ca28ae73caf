//! How far rounding moved the poles.

use crate::filter::Form;
use crate::filter::ZerosPolesGain;
use crate::filter::complex::modulus;
use num_complex::Complex64;

/// A pole of a designed filter and the one that it became.
#[derive(Debug, Clone, Copy, PartialEq)]
#[non_exhaustive]
pub struct PoleMove {
    /// Where it was designed; of a pair the one above the real axis.
    pub from: Complex64,
    /// Where it is.
    pub to: Complex64,
}

impl PoleMove {
    /// The distance between the two.
    pub fn distance(&self) -> f64 {
        modulus(self.to - self.from)
    }

    /// The distance over that of the designed pole from the unit circle: at 1 a filter could be unstable.
    pub fn share(&self) -> f64 {
        self.distance() / (1.0 - modulus(self.from)).abs()
    }
}

/// The poles of a filter and what became of each: of all pairs of one of either the nearest first, until none
/// is left. Those that moved the largest share of their distance from the unit circle come first; empty for
/// taps.
///
/// ```
/// use mellow_rake::response::pole_moves;
/// use mellow_rake::filter::{Section, Sections};
/// let one = Sections(vec![Section { b: [1.0, 0.0, 0.0], a: [-1.8, 0.9] }]).into();
/// let other = Sections(vec![Section { b: [1.0, 0.0, 0.0], a: [-1.8, 0.91] }]).into();
/// let found = pole_moves(&one, &other);
/// // Both have the real part 0.9; the imaginary part goes from 0.3 to √0.1.
/// assert!(found.len() == 1 && (found[0].distance() - (0.1f64.sqrt() - 0.3)).abs() < 1e-12);
/// ```
pub fn pole_moves(designed: &Form, rounded: &Form) -> Vec<PoleMove> {
    let poles = |form: &Form| -> Vec<Complex64> {
        let all = form
            .sections()
            .map_or(Vec::new(), |sections| ZerosPolesGain::from_sections(sections).poles);
        all.into_iter().filter(|pole| pole.im >= 0.0 && modulus(*pole) > 0.0).collect()
    };
    pair_up(poles(designed), poles(rounded))
}

/// Poles before and after, paired and in order as in [`pole_moves`].
pub(super) fn pair_up(mut from: Vec<Complex64>, mut to: Vec<Complex64>) -> Vec<PoleMove> {
    let mut moves = Vec::new();
    loop {
        let pairs = (0..from.len()).flat_map(|a| (0..to.len()).map(move |b| (a, b)));
        let apart = |(a, b): &(usize, usize)| modulus(from[*a] - to[*b]);
        let Some((a, b)) = pairs.min_by(|one, other| apart(one).total_cmp(&apart(other))) else {
            break;
        };
        moves.push(PoleMove { from: from.swap_remove(a), to: to.swap_remove(b) });
    }
    moves.sort_by(|one, other| other.share().total_cmp(&one.share()));
    moves
}
