//! Where the gain of a filter is largest.

use super::search::extreme;
use crate::filter::Transfer;
use crate::filter::complex::modulus;
use crate::units::SampleRate;
use crate::units::level::decibels;
use num_complex::Complex64;
use std::f64::consts::PI;

/// Where a filter with these poles has its largest gain, in hertz: on a grid with the angle of every pole on
/// it, refined.
pub(crate) fn peak_frequency(filter: &dyn Transfer, poles: &[Complex64], rate: SampleRate) -> f64 {
    let nyquist = rate.nyquist();
    let gain = |hz: f64| filter.gain(rate.radians(hz));
    let mut best = extreme(0.0, nyquist, nyquist, filter.extent(), &|hz| -gain(hz));
    for pole in poles {
        let angle = libm::atan2(pole.im, pole.re).abs();
        let width = (1.0 - modulus(*pole)).abs() * 3.0;
        let hertz = |angle: f64| angle.clamp(0.0, PI) / PI * nyquist;
        let (low, high) = (hertz(angle - width), hertz(angle + width));
        let near = extreme(low, high, nyquist, 0, &|hz| -gain(hz));
        if gain(near) > gain(best) {
            best = near;
        }
    }
    best
}

/// The largest gain of a filter at any frequency, in decibels.
pub fn peak_gain_db(filter: &dyn Transfer, rate: SampleRate) -> f64 {
    let nyquist = rate.nyquist();
    let gain = |hz: f64| filter.gain(rate.radians(hz));
    decibels(gain(extreme(0.0, nyquist, nyquist, filter.extent(), &|hz| -gain(hz))))
}
