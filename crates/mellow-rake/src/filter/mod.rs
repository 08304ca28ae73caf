//! What a filter is: zeros, poles and gain, or second-order sections; and, of any linear system, its
//! impulse response with proved norms.

mod band;
pub mod complex;
mod decay;
mod difference;
mod pairing;
mod sections;
mod zeros_poles;

pub use band::{BandKind, EdgeMeaning, Family, LARGEST_ORDER};
pub use decay::{Decay, LinearSystem, NotProved, PeakGain};
pub use difference::Difference;
pub use sections::{RunningSections, Section, Sections};
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
}
