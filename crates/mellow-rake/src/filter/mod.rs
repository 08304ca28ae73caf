//! What a filter is: zeros, poles and gain, second-order sections, or taps; and, of any linear system, its
//! impulse response with proved norms.

mod band;
pub mod complex;
mod decay;
mod difference;
mod form;
mod overlap_save;
mod pairing;
mod phase;
mod polynomial;
mod sections;
mod taps;
mod zeros_poles;

pub use band::{BandKind, EdgeMeaning, Family, LARGEST_ORDER, Mapping};
pub use decay::{Decay, LinearSystem, NotProved, PeakGain};
pub use difference::Difference;
pub use form::{Form, Running, Stream};
pub use overlap_save::OverlapSave;
pub use phase::{Landmark, PhaseResponse};
pub use polynomial::{RootsError, polynomial_from_roots, polynomial_roots};
pub(crate) use polynomial::{confluent_roots, paired, roots_within};
pub use sections::{RunningSections, Section, Sections};
pub use taps::{LinearPhase, RunningTaps, Taps};
pub use zeros_poles::ZerosPolesGain;

use num_complex::Complex64;

/// Something with a transfer function.
pub trait Transfer {
    /// H(e^{jω}) at the angle ω in radians per sample.
    fn response(&self, omega: f64) -> Complex64;

    /// |H(e^{jω})|
    fn gain(&self, omega: f64) -> f64 {
        complex::modulus(self.response(omega))
    }

    /// Over how many samples the response is spread, where that is known: the more, the finer its ripples in
    /// frequency, and the finer the grids that it is looked at on.
    fn extent(&self) -> usize {
        0
    }
}
