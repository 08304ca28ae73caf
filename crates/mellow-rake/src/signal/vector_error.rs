//! How far received symbols are from those that were sent.

use super::{Part, Waveform};
use crate::filter::complex::modulus;
use crate::units::SampleRate;
use crate::units::level::decibels;
use num_complex::Complex64;

/// The error vectors of a modulated signal: received symbols less those that were sent, over the root of the
/// mean square of these.
#[derive(Debug, Clone, PartialEq)]
#[non_exhaustive]
pub struct VectorError {
    /// Symbols that were compared.
    pub symbols: usize,
    /// By how many samples the signal was late: where the error is least.
    pub delay_samples: f64,
    /// The root of the mean square of the error with one gain and phase for all, as a ratio.
    pub rms: f64,
    /// The largest error of a symbol, the same way.
    pub largest: f64,
    /// The root of the mean square with a gain and a phase for every carrier; of one carrier the same.
    pub equalized_rms: f64,
    /// Each carrier by itself.
    pub carriers: Vec<CarrierError>,
    /// The received symbols, each over the gain of its carrier.
    pub received: Vec<Complex64>,
    /// Those that were sent.
    pub sent: Vec<Complex64>,
}

/// One carrier.
#[derive(Debug, Clone, PartialEq)]
#[cfg_attr(feature = "serde", derive(serde::Serialize))]
#[non_exhaustive]
pub struct CarrierError {
    /// Its frequency in hertz.
    pub hertz: f64,
    /// The root of the mean square of its error with a gain and a phase of its own, as a ratio.
    pub rms: f64,
    /// That gain, in decibels of what was sent.
    pub gain_db: f64,
    /// That phase, in degrees, with the delay taken off.
    pub phase_degrees: f64,
}

/// Symbols that serve to look for the delay.
const SCOUTS: usize = 96;

/// The complex gain that brings what was sent nearest to what was received, and the mean square that is left,
/// over that of the gain.
fn fit(received: &[Complex64], sent: &[Complex64]) -> (Complex64, f64) {
    let power: f64 = sent.iter().map(Complex64::norm_sqr).sum();
    let product: Complex64 = received.iter().zip(sent).map(|(r, s)| r * s.conj()).sum();
    let gain = if power > 0.0 { product / power } else { Complex64::new(0.0, 0.0) };
    let size = gain.norm_sqr() * power;
    let left: f64 = received.iter().zip(sent).map(|(r, s)| (r - gain * s).norm_sqr()).sum();
    (gain, if size > 0.0 { left / size } else { f64::INFINITY })
}

/// Receives the symbols of a keyed part from a signal that is late by about `delay` samples, at the delay
/// near it where the error is least, and compares them with those that were sent. `None` for other parts and
/// where nothing was received.
///
/// ```
/// use mellow_rake::signal::{SignalPlan, measure_vector_error};
/// let plan = SignalPlan::parse(r#"
///     name = "telemetry"
///     sample_rate = "96 kHz"
///     length = "50 ms"
///     [[part]]
///     kind = "keyed"
///     keying = "qpsk"
///     carrier = "27 kHz"
///     symbol_rate = "3 kHz"
///     rms = 0.25
/// "#)?;
/// let signal = plan.start().next_block(5000);
/// let found = measure_vector_error(&plan.parts[0], &signal, 0, plan.sample_rate).unwrap();
/// assert!(found.symbols == 102 && found.rms < 0.01 && found.delay_samples.abs() < 0.01);
/// # Ok::<(), mellow_rake::spec::SpecError>(())
/// ```
pub fn measure_vector_error(
    part: &Part,
    signal: &[f64],
    delay: usize,
    rate: SampleRate,
) -> Option<VectorError> {
    measure_vector_error_at(part, signal, delay as f64, ([rate, rate], 0.0))
}

/// The same of a signal, real or complex, that was made at the first rate, and has the second behind a chain
/// of stages, moved down by so many hertz: `delay` counts samples of the second. `None` also where carriers
/// cannot be told apart at that, because their spacing is no whole part of it, or reach half of it.
pub fn measure_vector_error_at<S: Copy + Into<Complex64>>(
    part: &Part,
    signal: &[S],
    delay: f64,
    ([rate, given], moved_hertz): ([SampleRate; 2], f64),
) -> Option<VectorError> {
    let length = part.stop - part.start;
    let begin = part.start as f64 * (given.hertz() / rate.hertz());
    let signal = signal.get(libm::floor(begin) as usize..)?;
    let inside = begin - libm::floor(begin);
    let delay = delay + inside;
    if part.reach_hertz_from(moved_hertz)? >= given.nyquist() || !part.is_told_apart_at(given) {
        return None;
    }
    // Near zero a carrier no longer says where it is; some samples do for what is left of the delay.
    let slowest = given.hertz() / if moved_hertz == 0.0 { f64::INFINITY } else { 4.0 };
    let period = |hertz: f64| given.hertz() / (hertz - moved_hertz).abs().max(slowest);
    // How many blocks of how many carriers, how far to look for the delay.
    let (sent, hertz, period) = match &part.waveform {
        Waveform::Keyed(keyed) => {
            let period = period(keyed.carrier_hertz);
            (keyed.symbols(length, rate), vec![keyed.carrier_hertz], period)
        }
        Waveform::Multicarrier(many) => {
            let period = period(many.center_hertz);
            (many.symbols(length, rate), many.hertz(), period)
        }
        _ => return None,
    };
    let per_block = hertz.len();
    let receive = |blocks: usize, delay: f64| match &part.waveform {
        Waveform::Keyed(keyed) => keyed.receive_moved(signal, blocks, delay, (given, moved_hertz)),
        Waveform::Multicarrier(many) => {
            many.receive_moved(signal, blocks, delay, ([rate, given], moved_hertz))
        }
        _ => Vec::new(),
    };
    let blocks = sent.len() / per_block;
    let scouts = blocks.min(SCOUTS.div_ceil(per_block));
    let error = |delay: f64| fit(&receive(scouts, delay), &sent[..scouts * per_block]).1;
    let delay = least(&error, delay, (2.0 * period).max(2.0));
    let received = receive(blocks, delay);
    compared(received, sent, &hertz, delay - inside)
}

/// Received symbols beside those that were sent, carrier by carrier of each block; `None` where none were.
pub(crate) fn compared(
    received: Vec<Complex64>,
    sent: Vec<Complex64>,
    hertz: &[f64],
    delay_samples: f64,
) -> Option<VectorError> {
    let per_block = hertz.len();
    let (gain, left) = fit(&received, &sent);
    if !left.is_finite() {
        return None;
    }
    let power: f64 = sent.iter().map(Complex64::norm_sqr).sum();
    let mean = modulus(gain) * libm::sqrt(power / sent.len() as f64);
    let distance = received.iter().zip(&sent).map(|(r, s)| modulus(r - gain * s) / mean);
    let largest = distance.fold(0.0, f64::max);
    let mut equalized = received.clone();
    let mut carriers = Vec::new();
    for (k, hertz) in hertz.iter().enumerate() {
        let own = |all: &[Complex64]| -> Vec<Complex64> {
            all.iter().skip(k).step_by(per_block).copied().collect()
        };
        let (gain, left) = fit(&own(&received), &own(&sent));
        for value in equalized.iter_mut().skip(k).step_by(per_block) {
            *value /= gain;
        }
        carriers.push(CarrierError {
            hertz: *hertz,
            rms: libm::sqrt(left),
            gain_db: decibels(modulus(gain)),
            phase_degrees: libm::atan2(gain.im, gain.re).to_degrees(),
        });
    }
    let rest: f64 = equalized.iter().zip(&sent).map(|(r, s)| (r - s).norm_sqr()).sum();
    Some(VectorError {
        symbols: sent.len(),
        delay_samples,
        rms: libm::sqrt(left),
        largest,
        equalized_rms: libm::sqrt(rest / power),
        carriers,
        received: equalized,
        sent,
    })
}

/// Where a function is least within so far to either side: in steps of half a sample first, then by golden
/// sections (J. Kiefer, "Sequential minimax search for a maximum", 1953).
fn least(function: &dyn Fn(f64) -> f64, about: f64, reach: f64) -> f64 {
    let steps = libm::ceil(2.0 * reach) as i32;
    let places = (-steps..=steps).map(|k| about + f64::from(k) / 2.0);
    let values = places.map(|place| (place, function(place)));
    let best = values.fold((about, f64::INFINITY), |a, b| if b.1 < a.1 { b } else { a }).0;
    let golden = (libm::sqrt(5.0) - 1.0) / 2.0;
    let (mut from, mut to) = (best - 0.5, best + 0.5);
    let place = |from: f64, to: f64| (to - golden * (to - from), from + golden * (to - from));
    let (mut left, mut right) = place(from, to);
    let (mut at_left, mut at_right) = (function(left), function(right));
    for _ in 0..24 {
        if at_left < at_right {
            (to, right, at_right) = (right, left, at_left);
            left = place(from, to).0;
            at_left = function(left);
        } else {
            (from, left, at_left) = (left, right, at_right);
            right = place(from, to).1;
            at_right = function(right);
        }
    }
    f64::midpoint(from, to)
}
