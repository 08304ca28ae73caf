//! Whether taps keep a template, as fast as it can be said of thousands of them.

use super::Bands;
use super::search::golden;
use crate::filter::{Taps, Transfer};
use crate::units::SampleRate;
use crate::units::level::decibels;
use num_complex::Complex64;
use rustfft::FftPlanner;

/// Largest less smallest gain in the pass-band and the peak above the largest gain in the stop-band, in
/// decibels, as [`measure_bands`](super::measure_bands) measures them; `None` where a gain is zero or a band
/// not known.
///
/// A transform gives the gain at 16 points or more for each tap: the extremes are looked for among them and
/// at the ends of the bands, and refined on the taps themselves.
pub(crate) fn ripple_and_attenuation(
    taps: &Taps,
    rate: SampleRate,
    bands: &Bands,
) -> [Option<f64>; 2] {
    let points = (16 * taps.0.len()).next_power_of_two().max(4_096);
    let mut buffer = vec![Complex64::new(0.0, 0.0); points];
    buffer.iter_mut().zip(&taps.0).for_each(|(slot, tap)| slot.re = *tap);
    FftPlanner::new().plan_fft_forward(points).process(&mut buffer);
    let squares: Vec<f64> = buffer[..=points / 2].iter().map(Complex64::norm_sqr).collect();
    let gain = |hertz: f64| taps.gain(rate.radians(hertz));
    let step = rate.hertz() / points as f64;
    let nyquist = rate.nyquist();
    // The extreme gain between two frequencies: the largest for a sign of 1, the smallest for −1.
    let extreme = |low: f64, high: f64, sign: f64| {
        let first = libm::ceil(low / step) as usize;
        let last = (libm::floor(high / step) as usize).min(points / 2);
        let inside = first..(last + 1).max(first);
        let ends = [gain(low), gain(high)].map(|gain| sign * gain);
        let end = ends[0].max(ends[1]);
        let best = inside.max_by(|a, b| (sign * squares[*a]).total_cmp(&(sign * squares[*b])));
        let refined = best.map(|at| {
            let around = [at as f64 - 1.0, at as f64 + 1.0].map(|k| (k * step).clamp(low, high));
            let value = |hertz: f64| -sign * gain(hertz);
            (sign * gain(golden(around[0], around[1], &value))).max(sign * gain(at as f64 * step))
        });
        sign * refined.map_or(end, |found| end.max(found))
    };
    let over = |edges: &Option<Vec<f64>>, pass: bool, sign: f64| -> Option<f64> {
        let stretches = bands.stretches(edges.as_ref()?, pass, nyquist).into_iter();
        let all = stretches.map(|(low, high)| sign * extreme(low, high, sign));
        all.reduce(f64::max).map(|found| sign * found)
    };
    let level = |ratio: f64| (ratio > 0.0).then(|| decibels(ratio));
    let ripple = over(&bands.pass_hz, true, 1.0)
        .zip(over(&bands.pass_hz, true, -1.0))
        .and_then(|(high, low)| Some(level(high)? - level(low)?));
    let peak = extreme(0.0, nyquist, 1.0);
    let attenuation =
        over(&bands.stop_hz, false, 1.0).and_then(|stop| Some(level(peak)? - level(stop)?));
    [ripple, attenuation]
}

#[cfg(test)]
mod tests {
    use super::super::measure_bands;
    use super::*;
    use crate::design::fir::design_fir;
    use crate::effort::Effort;
    use crate::filter::BandKind;
    use crate::spec::{FirEdges, FirMethod, FirShape, FirWish, Phase};
    use crate::window::Window;

    /// The fast way and the thorough one find the same, of every kind.
    #[test]
    fn a_transform_finds_what_a_search_finds() {
        let rate = "1 kHz".parse().unwrap();
        for (kind, pass, stop) in [
            (BandKind::Lowpass, vec![90.0], vec![110.0]),
            (BandKind::Highpass, vec![110.0], vec![90.0]),
            (BandKind::Bandpass, vec![110.0, 290.0], vec![90.0, 310.0]),
            (BandKind::Bandstop, vec![90.0, 310.0], vec![110.0, 290.0]),
        ] {
            for (count, window) in
                [(31, Window::Rectangular), (101, Window::Hamming), (175, Window::Blackman)]
            {
                let edges = FirEdges::Transition { pass: pass.clone(), stop: stop.clone() };
                let shape = FirShape::Band { kind, edges, ripple_db: None, attenuation_db: None };
                let wish = FirWish {
                    shape,
                    method: FirMethod::Window(window),
                    taps: Some(count),
                    phase: Phase::Linear,
                    unity_gain: false,
                    effort: Effort::default(),
                };
                let (_, taps) = design_fir(&wish, rate).unwrap();
                let bands =
                    Bands { kind, pass_hz: Some(pass.clone()), stop_hz: Some(stop.clone()) };
                let slow = measure_bands(&taps, rate, &bands, 180.0);
                let [ripple, attenuation] = ripple_and_attenuation(&taps, rate, &bands);
                let near = |a: Option<f64>, b: Option<f64>| (a.unwrap() - b.unwrap()).abs() < 1e-9;
                assert!(near(ripple, slow.passband_ripple_db), "{kind:?} {count}");
                assert!(near(attenuation, slow.stopband_attenuation_db), "{kind:?} {count}");
            }
        }
    }
}
