//! Windows, and Kaiser's rules for choosing one.

use std::f64::consts::PI;
use std::fmt;

/// A window, symmetric, with N − 1 in the denominator and 1 in the middle.
#[derive(Debug, Clone, Copy, PartialEq)]
pub enum Window {
    /// All ones.
    Rectangular,
    /// A triangle with zeros at both ends.
    Bartlett,
    /// sin²
    Hann,
    /// 0.54 − 0.46·cos
    Hamming,
    /// 0.42 − 0.5·cos + 0.08·cos
    Blackman,
    /// Four terms, side lobes at −92 dB (Harris 1978).
    BlackmanHarris,
    /// Four terms, least side lobes, −98 dB (Nuttall 1981).
    Nuttall,
    /// Five terms, for reading amplitudes (D'Antona & Ferrero 2006).
    FlatTop,
    /// exp(−½(x/σ)²), x from −1 to 1.
    Gaussian {
        /// Standard deviation as a part of half the length, above 0.
        sigma: f64,
    },
    /// Flat with cosine ends (Tukey).
    Tukey {
        /// The part of the length that is tapered, both ends together, 0 to 1.
        taper: f64,
    },
    /// I₀(β√(1 − x²))/I₀(β) (Kaiser 1974).
    Kaiser {
        /// β, at least 0.
        beta: f64,
    },
    /// All side lobes equal (Dolph 1946).
    Chebyshev {
        /// How far the window's side lobes lie below its main lobe, in decibels.
        sidelobes_db: f64,
    },
}

impl Window {
    /// The word for it in the spec file.
    pub fn as_str(self) -> &'static str {
        match self {
            Window::Rectangular => "rectangular",
            Window::Bartlett => "bartlett",
            Window::Hann => "hann",
            Window::Hamming => "hamming",
            Window::Blackman => "blackman",
            Window::BlackmanHarris => "blackman-harris",
            Window::Nuttall => "nuttall",
            Window::FlatTop => "flat-top",
            Window::Gaussian { .. } => "gaussian",
            Window::Tukey { .. } => "tukey",
            Window::Kaiser { .. } => "kaiser",
            Window::Chebyshev { .. } => "chebyshev",
        }
    }
}

impl fmt::Display for Window {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str(self.as_str())?;
        match self {
            Window::Gaussian { sigma } => write!(f, " (sigma {sigma})"),
            Window::Tukey { taper } => write!(f, " (taper {taper})"),
            Window::Kaiser { beta } => write!(f, " (beta {beta:.4})"),
            Window::Chebyshev { sidelobes_db } => write!(f, " (side lobes -{sidelobes_db} dB)"),
            _ => Ok(()),
        }
    }
}

/// A window with N − 1 in the denominator, exactly symmetric.
///
/// Cosine sums: Harris, *On the use of windows for harmonic analysis with the discrete Fourier transform*,
/// 1978; Nuttall, *Some windows with very good sidelobe behavior*, 1981, four terms, minimum side lobes; flat
/// top: D'Antona & Ferrero, *Digital Signal Processing for Measurement Systems*, 2006. Kaiser: *Nonrecursive
/// digital filter design using the I0-sinh window function*, 1974. Chebyshev: Dolph, *A current distribution
/// for broadside arrays which optimizes the relationship between beam width and side-lobe level*, 1946.
///
/// ```
/// use mellow_rake::window::{Window, window_values};
/// assert_eq!(window_values(Window::Bartlett, 5), [0.0, 0.5, 1.0, 0.5, 0.0]);
/// ```
pub fn window_values(window: Window, count: usize) -> Vec<f64> {
    if count <= 1 {
        return vec![1.0; count];
    }
    let last = (count - 1) as f64;
    let value = |k: usize| {
        let place = k as f64 / last;
        let cosines = |terms: &[f64]| -> f64 {
            let term = |(i, a): (usize, &f64)| {
                let sign = if i % 2 == 0 { 1.0 } else { -1.0 };
                sign * a * libm::cos(2.0 * PI * i as f64 * place)
            };
            terms.iter().enumerate().map(term).sum()
        };
        // From −1 at the first to 1 at the last.
        let x = 2.0 * place - 1.0;
        match window {
            Window::Rectangular => 1.0,
            Window::Bartlett => 2.0 * place,
            Window::Hann => libm::sin(PI * place) * libm::sin(PI * place),
            Window::Hamming => cosines(&[0.54, 0.46]),
            Window::Blackman => cosines(&[0.42, 0.5, 0.08]),
            Window::BlackmanHarris => cosines(&[0.35875, 0.48829, 0.14128, 0.01168]),
            Window::Nuttall => cosines(&[0.363_581_9, 0.489_177_5, 0.136_599_5, 0.010_641_1]),
            Window::FlatTop => {
                cosines(&[0.215_578_95, 0.416_631_58, 0.277_263_158, 0.083_578_947, 0.006_947_368])
            }
            Window::Gaussian { sigma } => libm::exp(-0.5 * (x / sigma) * (x / sigma)),
            Window::Tukey { taper } => {
                let end = taper / 2.0;
                if place >= end {
                    1.0
                } else {
                    let s = libm::sin(PI / 2.0 * place / end);
                    s * s
                }
            }
            // 1 − x² without cancellation
            Window::Kaiser { beta } => {
                bessel_i0(beta * 2.0 * libm::sqrt(place * (1.0 - place))) / bessel_i0(beta)
            }
            Window::Chebyshev { .. } => 0.0,
        }
    };
    let half = count.div_ceil(2);
    let first: Vec<f64> = match window {
        Window::Chebyshev { sidelobes_db } => chebyshev(count, sidelobes_db),
        _ => (0..half).map(value).collect(),
    };
    (0..count).map(|k| first[k.min(count - 1 - k)]).collect()
}

/// I₀ by its power series, whose terms are all positive: relative error of a few units in the last place.
fn bessel_i0(x: f64) -> f64 {
    let quarter = x * x / 4.0;
    let (mut sum, mut term, mut k) = (1.0, 1.0, 1.0);
    while term > sum * 1e-18 {
        term *= quarter / (k * k);
        sum += term;
        k += 1.0;
    }
    sum
}

/// The first half of a Dolph-Chebyshev window: the inverse discrete Fourier transform of
/// T_{N−1}(x₀·cos(πm/N)).
fn chebyshev(count: usize, sidelobes_db: f64) -> Vec<f64> {
    let degree = (count - 1) as f64;
    // x₀ = cosh a
    let a = libm::acosh(libm::exp10(sidelobes_db / 20.0)) / degree;
    let (cosh, sinh_half) = (libm::cosh(a), libm::sinh(a / 2.0));
    let spectrum: Vec<f64> = (0..=(count - 1) / 2)
        .map(|m| {
            // (1 − x)/2 for x = cosh a · cos(πm/N), as a product that keeps its digits where x is near 1.
            let s = libm::sin(PI * m as f64 / (2.0 * count as f64)) * libm::sqrt(cosh);
            let distance = (s - sinh_half) * (s + sinh_half);
            if distance >= 0.0 {
                libm::cos(degree * 2.0 * libm::asin(libm::sqrt(distance)))
            } else {
                libm::cosh(degree * 2.0 * libm::asinh(libm::sqrt(-distance)))
            }
        })
        .collect();
    let turns: Vec<f64> = (0..2 * count).map(|j| libm::cos(PI * j as f64 / count as f64)).collect();
    let values: Vec<f64> = (0..count.div_ceil(2))
        .map(|k| {
            // 2π·m·(k − (N−1)/2)/N in steps of π/N
            let step = count - 1 - 2 * k;
            let rest = spectrum.iter().enumerate().skip(1);
            spectrum[0] + 2.0 * rest.map(|(m, w)| w * turns[m * step % (2 * count)]).sum::<f64>()
        })
        .collect();
    let peak = values.iter().copied().fold(0.0, f64::max);
    values.into_iter().map(|value| value / peak).collect()
}

/// β for a ripple `attenuation_db` below the pass-band of a windowed filter (Kaiser 1974, eq. 7).
pub fn beta_for_attenuation(attenuation_db: f64) -> f64 {
    let over = attenuation_db - 21.0;
    if attenuation_db > 50.0 {
        0.1102 * (attenuation_db - 8.7)
    } else if over > 0.0 {
        0.5842 * libm::pow(over, 0.4) + 0.07886 * over
    } else {
        0.0
    }
}

/// The errors of amplitude around 1 and 0 that a ripple (peak to peak) and an attenuation (below the peak) in
/// decibels allow.
pub fn errors_allowed(ripple_db: f64, attenuation_db: f64) -> [f64; 2] {
    let ratio = libm::exp10(ripple_db / 20.0);
    let pass = (ratio - 1.0) / (ratio + 1.0);
    [pass, (1.0 + pass) * libm::exp10(-attenuation_db / 20.0)]
}

/// β for a template: a windowed filter errs alike in both bands, so the smaller error counts, and Kaiser's
/// rule is off by some tenths of a decibel, so one is added.
pub fn beta_for_template(ripple_db: f64, attenuation_db: f64) -> f64 {
    let [pass, stop] = errors_allowed(ripple_db, attenuation_db);
    beta_for_attenuation(1.0 - 20.0 * libm::log10(pass.min(stop)))
}

/// Taps of a Kaiser-windowed filter with this ripple and a transition of `transition` (a part of the sample
/// rate) (Kaiser 1974, eq. 8: N − 1 = (A − 7.95)/(2.285·Δω), and 0.9222 for 7.95 below 21 dB: the rectangular
/// window).
pub fn taps_for_transition(attenuation_db: f64, transition: f64) -> f64 {
    let d = if attenuation_db > 21.0 { (attenuation_db - 7.95) / 14.36 } else { 0.9222 };
    1.0 + d / transition
}

#[cfg(test)]
mod tests {
    use super::*;

    /// Values in closed form, and the side lobes that the sources promise.
    #[test]
    fn windows_are_those_of_their_sources() {
        // cos(π/3) = 1/2, cos(2π/3) = −1/2, cos π = −1: a window of 7 points at its second to fourth.
        let close = |found: f64, expected: f64| (found - expected).abs() < 1e-15;
        let seven = |window| window_values(window, 7);
        assert!(close(seven(Window::Hann)[1], 0.25) && close(seven(Window::Hann)[2], 0.75));
        assert!(close(seven(Window::Hamming)[0], 0.08) && close(seven(Window::Hamming)[1], 0.31));
        assert!(close(seven(Window::Blackman)[1], 0.13) && close(seven(Window::Blackman)[2], 0.63));
        assert!(close(seven(Window::Tukey { taper: 1.0 })[2], 0.75));
        assert!(close(seven(Window::Gaussian { sigma: 1.0 })[0], libm::exp(-0.5)));
        // I₀(1), I₀(10) to 16 digits: Abramowitz & Stegun, 1964, table 9.8 (e^x times the printed values),
        // and Σ (x/2)^{2k}/(k!)² in exact fractions.
        assert!(close(bessel_i0(1.0), 1.266_065_877_752_008_4));
        assert!((bessel_i0(10.0) / 2_815.716_628_466_254_5 - 1.0).abs() < 1e-15);
        let kaiser = window_values(Window::Kaiser { beta: 10.0 }, 5);
        assert!(close(kaiser[0], 1.0 / bessel_i0(10.0)) && close(kaiser[2], 1.0));

        for (window, promised) in [
            (Window::BlackmanHarris, 92.0),
            (Window::Nuttall, 98.1),
            (Window::Chebyshev { sidelobes_db: 60.0 }, 60.0),
            (Window::Chebyshev { sidelobes_db: 140.0 }, 140.0),
        ] {
            for count in [400, 801] {
                let values = window_values(window, count);
                assert_eq!(values.iter().rev().copied().collect::<Vec<_>>(), values);
                use crate::filter::Transfer;
                let taps = crate::filter::Taps(values);
                let level =
                    |k: usize| 20.0 * (taps.gain(PI * k as f64 / 8000.0) / taps.gain(0.0)).log10();
                // From the first minimum on, only side lobes.
                let start = (1..8000).find(|&k| level(k) < level(k + 1)).unwrap();
                let highest = (start..=8000).map(level).fold(f64::MIN, f64::max);
                assert!((highest + promised).abs() < 0.2, "{window} {count}: {highest}");
                if matches!(window, Window::Chebyshev { .. }) {
                    assert!((highest + promised).abs() < 1e-3, "{window} {count}: {highest}");
                }
            }
        }
    }
}
