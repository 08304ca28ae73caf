//! From what is wanted to a filter in f64.

mod notch;

pub use notch::{NotchChoice, notch};

use crate::filter::{Sections, ZerosPolesGain};
use crate::spec::{Spec, Want};

/// A filter as designed, with the choices that led to it.
#[derive(Debug, Clone, PartialEq)]
pub struct Design {
    /// What was decided before anything was computed.
    pub choice: NotchChoice,
    /// Zeros, poles and gain.
    pub zeros_poles: ZerosPolesGain,
    /// The same filter as second-order sections.
    pub sections: Sections,
}

/// Why a wish cannot be designed.
#[derive(Debug, Clone, PartialEq, thiserror::Error)]
#[non_exhaustive]
pub enum DesignError {
    /// The centre of a notch does not lie between zero and the Nyquist frequency.
    #[error(
        "the centre {center_hz} Hz does not lie between 0 Hz and the Nyquist frequency {nyquist_hz} Hz"
    )]
    Center {
        /// The centre asked for, in hertz.
        center_hz: f64,
        /// Half the sample rate, in hertz.
        nyquist_hz: f64,
    },
    /// The width of a notch does not lie between zero and the Nyquist frequency.
    #[error(
        "the width {width_hz} Hz does not lie between 0 Hz and the Nyquist frequency {nyquist_hz} Hz"
    )]
    Width {
        /// The width asked for, in hertz.
        width_hz: f64,
        /// Half the sample rate, in hertz.
        nyquist_hz: f64,
    },
    /// The width is so small that the poles fall on the unit circle in double precision.
    #[error(
        "a width of {width_hz} Hz puts the poles on the unit circle in double precision; \
         at this sample rate {least_hz:.3e} Hz is the least that can be told apart"
    )]
    TooNarrow {
        /// The width asked for, in hertz.
        width_hz: f64,
        /// The least width, in hertz.
        least_hz: f64,
    },
}

/// Designs what a spec asks for.
///
/// # Errors
/// [`DesignError`] when the wish has no filter.
pub fn design(spec: &Spec) -> Result<Design, DesignError> {
    let Want::Notch { center, width } = spec.want;
    let center_hz = center.hertz(spec.sample_rate);
    notch(
        center_hz,
        width.hertz(center_hz, spec.sample_rate),
        spec.sample_rate,
    )
}
