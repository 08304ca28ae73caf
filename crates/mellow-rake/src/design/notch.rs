//! The second-order notch.

use super::DesignError;
use crate::filter::{Section, Sections, ZerosPolesGain};
use crate::units::SampleRate;
use num_complex::Complex64;

/// What a notch is to be.
#[derive(Debug, Clone, Copy, PartialEq)]
#[non_exhaustive]
pub struct NotchChoice {
    /// The frequency of the null, in hertz.
    pub center_hz: f64,
    /// The distance of the two −3 dB points, in hertz.
    pub width_hz: f64,
    /// Centre over width.
    pub q: f64,
    /// Where the −3 dB points fall, in hertz. They lie evenly on the warped scale of the bilinear
    /// transform, not evenly around the centre.
    pub edges_hz: [f64; 2],
}

/// A notch as designed.
#[derive(Debug, Clone, PartialEq)]
#[non_exhaustive]
pub struct NotchDesign {
    /// What it is to be.
    pub choice: NotchChoice,
    /// Zeros, poles and gain.
    pub zeros_poles: ZerosPolesGain,
    /// The same filter as one second-order section.
    pub sections: Sections,
}

/// A notch with an exact null at `center_hz` and half power at two points exactly `width_hz` apart.
///
/// H(z) = (1 + A(z))/2 with a second-order all-pass A whose phase passes −180° at the centre (Regalia, Mitra
/// & Vaidyanathan, *The digital all-pass filter: a versatile signal processing building block*, 1988,
/// section III-B). With β = tan(Δω/2) and c = cos ω₀:
///
/// H(z) = 1/(1+β) · (1 − 2c z⁻¹ + z⁻²)/(1 − 2c/(1+β) z⁻¹ + (1−β)/(1+β) z⁻²)
///
/// The gain is 1 at zero and at the Nyquist frequency. The zeros are e^{±jω₀}, the poles
/// (c ± √(β² − sin²ω₀))/(1+β), a conjugate pair unless the notch is very wide. The half-power points
/// ω₁, ω₂ satisfy ω₂ − ω₁ = Δω and cos((ω₁+ω₂)/2) = cos ω₀ · cos(Δω/2).
///
/// # Errors
/// [`DesignError`] unless both frequencies lie strictly between zero and the Nyquist frequency.
///
/// ```
/// use mellow_rake::{design::notch, filter::Transfer, units::SampleRate};
/// let rate: SampleRate = "1 kHz".parse()?;
/// let pump = notch(87.5, 5.0, rate)?;
/// let power = |hz| pump.zeros_poles.response(rate.radians(hz)).norm_sqr();
/// assert!(power(87.5) < 1e-30);
/// for edge in pump.choice.edges_hz {
///     assert!((power(edge) - 0.5).abs() < 1e-12);
/// }
/// # Ok::<(), Box<dyn std::error::Error>>(())
/// ```
pub fn notch(center_hz: f64, width_hz: f64, rate: SampleRate) -> Result<NotchDesign, DesignError> {
    let SecondOrder { beta, a1, a2, poles, edges_hz } = second_order(center_hz, width_hz, rate)?;
    let omega = rate.radians(center_hz);
    let zero = Complex64::new(libm::cos(omega), libm::sin(omega));
    let gain = 1.0 / (1.0 + beta);
    let zeros_poles = ZerosPolesGain { zeros: vec![zero, zero.conj()], poles, gain };
    let section = Section { b: [gain, a1, gain], a: [a1, a2] };
    let choice = NotchChoice { center_hz, width_hz, q: center_hz / width_hz, edges_hz };
    Ok(NotchDesign { choice, zeros_poles, sections: Sections(vec![section]) })
}

/// The denominator that notch, peak and all-pass share.
pub(super) struct SecondOrder {
    /// tan(Δω/2)
    pub(super) beta: f64,
    /// −2c/(1+β)
    pub(super) a1: f64,
    /// (1−β)/(1+β)
    pub(super) a2: f64,
    pub(super) poles: Vec<Complex64>,
    /// Where the all-pass is at −90° and −270°, in hertz.
    pub(super) edges_hz: [f64; 2],
}

/// The second-order all-pass at −180° at the centre, see [`notch`].
pub(super) fn second_order(
    center_hz: f64,
    width_hz: f64,
    rate: SampleRate,
) -> Result<SecondOrder, DesignError> {
    let nyquist_hz = rate.nyquist();
    // Written so that a NaN is refused too.
    if !(center_hz > 0.0 && center_hz < nyquist_hz) {
        return Err(DesignError::Center { center_hz, nyquist_hz });
    }
    if !(width_hz > 0.0 && width_hz < nyquist_hz) {
        return Err(DesignError::Width { width_hz, nyquist_hz });
    }
    let (omega, delta) = (rate.radians(center_hz), rate.radians(width_hz));
    let beta = libm::tan(delta / 2.0);
    let (c, s) = (libm::cos(omega), libm::sin(omega));
    let gain = 1.0 / (1.0 + beta);
    let a2 = (1.0 - beta) / (1.0 + beta);
    if a2 >= 1.0 || gain <= 0.0 {
        let least_hz = rate.hertz() * f64::EPSILON / std::f64::consts::PI;
        return Err(DesignError::TooNarrow { width_hz, least_hz });
    }

    let discriminant = (beta - s) * (beta + s);
    let root = libm::sqrt(discriminant.abs());
    let poles = if discriminant < 0.0 {
        let pole = Complex64::new(c, root) * gain;
        vec![pole, pole.conj()]
    } else {
        // The larger root first; the other from the product of the two, which loses no digits.
        let far = (c + libm::copysign(root, c)) * gain;
        let near = if far == 0.0 { 0.0 } else { a2 / far };
        vec![Complex64::new(far, 0.0), Complex64::new(near, 0.0)]
    };

    // sin²(m/2) of the middle m between the edges: cos m = cos ω₀ · cos(Δω/2) without cancellation.
    let (t, u) = (libm::sin(omega / 2.0), libm::sin(delta / 4.0));
    let middle = 2.0 * libm::asin(libm::sqrt(t * t + u * u - 2.0 * t * t * u * u).min(1.0));
    let hertz = |angle: f64| angle / std::f64::consts::TAU * rate.hertz();
    let edges_hz = [hertz(middle - delta / 2.0), hertz(middle + delta / 2.0)];
    Ok(SecondOrder { beta, a1: -2.0 * c * gain, a2, poles, edges_hz })
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::filter::{PhaseResponse, Transfer};
    use proptest::prelude::*;

    proptest! {
        /// Null, half-power points and unit gain at both ends, for any centre and width.
        #[test]
        fn the_notch_is_what_was_asked(
            place in 1e-4f64..0.4999, share in 1e-4f64..0.95, hertz in 1.0f64..1e6,
        ) {
            let rate = SampleRate::from_hertz(hertz).unwrap();
            let center = place * hertz;
            let width = share * center.min(rate.nyquist() - center);
            let design = notch(center, width, rate).unwrap();
            let [low, high] = design.choice.edges_hz;
            // An error of one unit in the last place of a coefficient moves a root by that over the distance
            // to its conjugate, and the response by the shift of the root over its distance to the circle.
            let margin = 1.0 - design.zeros_poles.pole_radius();
            let apart = libm::sin(rate.radians(center));
            let tolerance = 64.0 * f64::EPSILON / (margin * apart);
            prop_assert!(((high - low) - width).abs() <= 8.0 * f64::EPSILON * hertz);
            for filter in [&design.zeros_poles as &dyn Transfer, &design.sections] {
                let gain = |hz: f64| filter.response(rate.radians(hz)).norm();
                prop_assert!(gain(center) <= tolerance);
                prop_assert!((gain(low) - 0.5f64.sqrt()).abs() <= tolerance);
                prop_assert!((gain(high) - 0.5f64.sqrt()).abs() <= tolerance);
                prop_assert!((gain(rate.nyquist()) - 1.0).abs() <= tolerance);
                prop_assert!((gain(0.0) - 1.0).abs() <= tolerance);
            }
            prop_assert!(design.zeros_poles.pole_radius() < 1.0 && design.sections.is_stable());
        }

        /// The group delay is the derivative of the phase.
        #[test]
        fn group_delay_is_the_slope_of_the_phase(place in 0.05f64..0.45, at in 0.01f64..0.49) {
            prop_assume!((place - at).abs() > 1e-3);
            let rate = SampleRate::from_hertz(1.0).unwrap();
            let filter = notch(place, 0.02, rate).unwrap().zeros_poles;
            let (omega, step) = (rate.radians(at), 1e-4);
            let turn = filter.response(omega + step) / filter.response(omega - step);
            // central difference: error of the order step²·φ'''/6, φ''' below 2/margin³
            let slope = -turn.arg() / (2.0 * step);
            prop_assert!((slope - filter.group_delay(omega)).abs() < 1e-3);
        }
    }

    #[test]
    fn a_very_wide_notch_has_two_real_poles_and_still_fits() {
        let rate = SampleRate::from_hertz(1.0).unwrap();
        let design = notch(0.02, 0.3, rate).unwrap();
        assert!(design.zeros_poles.poles.iter().all(|pole| pole.im == 0.0));
        let gain = |hz: f64| design.zeros_poles.response(rate.radians(hz)).norm();
        for edge in design.choice.edges_hz {
            assert!((gain(edge) - 0.5f64.sqrt()).abs() < 1e-13);
        }
        // The edge of 0.05 Hz at 1 kHz: poles a few millionths from the circle.
        let rate = SampleRate::from_hertz(1000.0).unwrap();
        let narrow = notch(0.05, 0.002, rate).unwrap();
        assert!(narrow.zeros_poles.pole_radius() < 1.0);
        assert!(notch(0.05, 1e-14, rate).is_err());
    }
}
