//! Impulse responses of ideal filters, in closed form.

use crate::filter::BandKind;
use std::f64::consts::PI;

/// sin(2πx) with the whole turns taken out first.
pub(super) fn sine_of_turns(x: f64) -> f64 {
    libm::sin(2.0 * PI * (x - libm::rint(x)))
}

/// cos(2πx) with the whole turns taken out first.
pub(super) fn cosine_of_turns(x: f64) -> f64 {
    libm::cos(2.0 * PI * (x - libm::rint(x)))
}

/// Taps h\[k\] = value(k − (N−1)/2), from the first half by symmetry.
pub(super) fn symmetric(count: usize, antisymmetric: bool, value: &dyn Fn(f64) -> f64) -> Vec<f64> {
    let middle = (count - 1) as f64 / 2.0;
    let mut taps = vec![0.0; count];
    for k in 0..count.div_ceil(2) {
        let v = value(k as f64 - middle);
        let mirror = count - 1 - k;
        taps[mirror] = if antisymmetric { -v } else { v };
        // The middle of an antisymmetric response is zero.
        taps[k] = if antisymmetric && mirror == k { 0.0 } else { v };
    }
    taps
}

/// The ideal low-pass response sin(2πfm)/(πm).
fn lowpass(edge: f64, m: f64) -> f64 {
    if m == 0.0 { 2.0 * edge } else { sine_of_turns(edge * m) / (PI * m) }
}

/// The ideal response of a band kind with `edges` as parts of the sample rate.
pub(super) fn band(kind: BandKind, edges: &[f64], m: f64) -> f64 {
    // The unit impulse, at the whole sample rate: an edge at one half.
    let all = || lowpass(0.5, m);
    match (kind, edges) {
        (BandKind::Lowpass, [edge, ..]) => lowpass(*edge, m),
        (BandKind::Highpass, [edge, ..]) => all() - lowpass(*edge, m),
        (BandKind::Bandpass, [low, high, ..]) => lowpass(*high, m) - lowpass(*low, m),
        (BandKind::Bandstop, [low, high, ..]) => all() - lowpass(*high, m) + lowpass(*low, m),
        _ => 0.0,
    }
}

/// The ideal differentiator up to `edge`: (1/2π)∫ jω·e^{jωm} dω = (ω_c·m·cos ω_c·m − sin ω_c·m)/(π·m²).
pub(super) fn differentiator(edge: f64, m: f64) -> f64 {
    if m == 0.0 {
        return 0.0;
    }
    let angle = 2.0 * PI * edge * m;
    (angle * cosine_of_turns(edge * m) - sine_of_turns(edge * m)) / (PI * m * m)
}

/// The ideal shift by −90° between two edges: (cos ω₁m − cos ω₂m)/(πm).
pub(super) fn hilbert([low, high]: [f64; 2], m: f64) -> f64 {
    if m == 0.0 {
        return 0.0;
    }
    (cosine_of_turns(low * m) - cosine_of_turns(high * m)) / (PI * m)
}

/// The low-pass response with an edge at 1/(2·factor), every factor-th value from the middle exactly zero.
pub(super) fn mth_band(factor: usize, m: f64) -> f64 {
    if m != 0.0 && m % factor as f64 == 0.0 {
        return 0.0;
    }
    lowpass(0.5 / factor as f64, m)
}

/// Raised cosine with a gain of 1 in the pass-band, at `t` symbols: (1/S)·sinc(t)·cos(πβt)/(1 − (2βt)²).
pub(super) fn raised_cosine(samples_per_symbol: f64, rolloff: f64, m: f64) -> f64 {
    let t = m / samples_per_symbol;
    let sinc = if t == 0.0 { 1.0 } else { sine_of_turns(t / 2.0) / (PI * t) };
    let u = 2.0 * rolloff * t.abs();
    // cos(πu/2)/(1 − u²) with d = u − 1: sin(πd/2)/(d·(d + 2)), which tends to π/4.
    let d = u - 1.0;
    let factor = if d == 0.0 { PI / 4.0 } else { sine_of_turns(d / 4.0) / (d * (u + 1.0)) };
    sinc * factor / samples_per_symbol
}

/// Square root of the raised cosine, at `t` symbols:
/// (1/S)·(sin(πt(1−β)) + 4βt·cos(πt(1+β)))/(πt·(1 − (4βt)²))
/// (Proakis, *Digital Communications*, 2001, section 9.2). Two in series make a raised cosine.
///
/// With u = 4βt = 1 + d the numerator is d·cos(πt + πu/4) − 2·sin(πt + π/4)·sin(πd/4), in which d divides
/// out: no digits are lost at 4βt = 1.
pub(crate) fn root_raised_cosine(samples_per_symbol: f64, rolloff: f64, m: f64) -> f64 {
    let t = m.abs() / samples_per_symbol;
    if t == 0.0 {
        return (1.0 - rolloff + 4.0 * rolloff / PI) / samples_per_symbol;
    }
    let u = 4.0 * rolloff * t;
    let d = u - 1.0;
    let share = if d == 0.0 { PI / 4.0 } else { sine_of_turns(d / 8.0) / d };
    let numerator =
        2.0 * sine_of_turns(t / 2.0 + 0.125) * share - cosine_of_turns(t / 2.0 + u / 8.0);
    numerator / (PI * t * (u + 1.0)) / samples_per_symbol
}

#[cfg(test)]
mod tests {
    use super::*;

    /// Where the fractions become 0/0 the closed forms go through smoothly, and the direct formula agrees
    /// elsewhere.
    #[test]
    fn pulses_pass_through_their_singular_points() {
        let direct = |b: f64, t: f64| {
            ((PI * t * (1.0 - b)).sin() + 4.0 * b * t * (PI * t * (1.0 + b)).cos())
                / (PI * t * (1.0 - (4.0 * b * t).powi(2)))
        };
        for b in [0.2, 0.25, 0.5, 1.0] {
            let at = 1.0 / (4.0 * b);
            let limit = b / 2f64.sqrt()
                * ((1.0 + 2.0 / PI) * (PI / (4.0 * b)).sin()
                    + (1.0 - 2.0 / PI) * (PI / (4.0 * b)).cos());
            assert!((root_raised_cosine(1.0, b, at) - limit).abs() < 1e-15, "{b}");
            for t in [0.1, 0.7, 1.3, 2.9, at + 0.01] {
                assert!((root_raised_cosine(1.0, b, t) - direct(b, t)).abs() < 1e-13, "{b} {t}");
            }
            // The raised cosine at t = 1/(2β): (π/4)·sinc(1/(2β)).
            let t = 1.0 / (2.0 * b);
            let expected = PI / 4.0 * (PI * t).sin() / (PI * t);
            assert!((raised_cosine(1.0, b, t) - expected).abs() < 1e-15, "{b}");
            assert!(raised_cosine(4.0, b, 4.0).abs() < 1e-17 && raised_cosine(4.0, b, 0.0) == 0.25);
        }
    }

    /// The classic values: a half-band response 1/2, 1/π, 0, −1/(3π); a full-band shift by −90°: 2/(πm) at
    /// odd m; a full-band derivative (−1)^m/m.
    #[test]
    fn ideal_responses_take_their_classic_values() {
        let half: Vec<f64> = (0..4).map(|m| mth_band(2, f64::from(m))).collect();
        assert_eq!(half, [0.5, 1.0 / PI, 0.0, -1.0 / (3.0 * PI)]);
        for m in 1..20 {
            let m = f64::from(m);
            let odd = m % 2.0 == 1.0;
            let shift = if odd { 2.0 / (PI * m) } else { 0.0 };
            assert!((hilbert([0.0, 0.5], m) - shift).abs() < 1e-16);
            let slope = if odd { -1.0 / m } else { 1.0 / m };
            assert!((differentiator(0.5, m) - slope).abs() < 1e-15, "{m}");
            assert!((band(BandKind::Highpass, &[0.25], m) + lowpass(0.25, m)).abs() < 1e-16);
        }
    }
}
