//! All-passes that flatten the group delay of a recursive filter.

use super::{Choice, Design};
use crate::filter::complex::modulus;
use crate::filter::{EdgeMeaning, Form, PhaseResponse, Section, Sections, ZerosPolesGain};
use crate::response::Bands;
use crate::spec::EqualizerWish;
use crate::units::SampleRate;
use nalgebra::{DMatrix, DVector};
use num_complex::Complex64;

/// The all-passes that were fitted.
#[derive(Debug, Clone, PartialEq)]
#[cfg_attr(feature = "serde", derive(serde::Serialize))]
#[non_exhaustive]
pub struct EqualizerChoice {
    /// Second-order all-pass sections.
    pub sections: usize,
    /// The band in which the delay is flat, in hertz.
    pub band_hz: [f64; 2],
    /// The ripple of the delay that was asked for, in samples.
    pub asked_ripple: f64,
    /// The largest less the smallest delay before, in samples.
    pub ripple_before: f64,
    /// And after, in samples.
    pub ripple_after: f64,
}

/// Why the delay cannot be made flat.
#[derive(Debug, Clone, Copy, PartialEq, thiserror::Error)]
#[non_exhaustive]
pub enum EqualizerError {
    /// The filter has no single pass-band that is known.
    #[error(
        "a delay is flattened in the pass-band of a recursive low-pass, high-pass or band-pass filter"
    )]
    NoBand,
    /// So many all-passes are not enough.
    #[error(
        "{sections} all-pass sections bring the delay ripple from {before:.3} to {reached:.3} samples, not \
         to {asked}"
    )]
    OutOfReach {
        /// Sections tried.
        sections: usize,
        /// The ripple of the filter alone, in samples.
        before: f64,
        /// The smallest ripple reached, in samples.
        reached: f64,
        /// The ripple asked for, in samples.
        asked: f64,
    },
}

impl EqualizerError {
    /// The key of a spec that this is about.
    pub fn key(&self) -> &'static str {
        match self {
            EqualizerError::NoBand => "equalizer",
            EqualizerError::OutOfReach { .. } => "equalizer.delay_ripple",
        }
    }
}

/// The most all-pass sections.
const LARGEST: usize = 16;

/// A pole pair r·e^{±jθ} by two free numbers: r = 1/(1 + e^{−u}) stays inside the circle; θ is any angle.
#[derive(Debug, Clone, Copy)]
struct PolePair {
    u: f64,
    theta: f64,
}

impl PolePair {
    fn radius(self) -> f64 {
        1.0 / (1.0 + libm::exp(-self.u))
    }

    /// The group delay of the all-pass at ω, and its derivatives with respect to u and θ:
    /// Σ± (1 − r²)/(1 + r² − 2r·cos(ω ∓ θ)).
    fn delay(self, omega: f64) -> [f64; 3] {
        let r = self.radius();
        let slope = r * (1.0 - r);
        let mut all = [0.0; 3];
        for (x, sign) in [(omega - self.theta, -1.0), (omega + self.theta, 1.0)] {
            let (c, s) = (libm::cos(x), libm::sin(x));
            let below = 1.0 + r * r - 2.0 * r * c;
            let above = 1.0 - r * r;
            all[0] += above / below;
            all[1] += (-2.0 * r * below - above * (2.0 * r - 2.0 * c)) / (below * below) * slope;
            all[2] -= sign * above * 2.0 * r * s / (below * below);
        }
        all
    }
}

/// Fits all-passes behind a filter so that its delay in the pass-band varies by no more than asked.
///
/// From one section on, each number of sections is fitted by damped least squares (Levenberg-Marquardt), with
/// weights that grow with the error so that the sum of squares turns into the largest deviation (Lawson's
/// idea, in the form of rising powers); the first that reaches the wish is taken.
///
/// # Errors
/// [`EqualizerError`]
pub fn equalize(
    design: Design,
    wish: EqualizerWish,
    rate: SampleRate,
) -> Result<Design, EqualizerError> {
    let Choice::Recursive(choice) = &design.choice else {
        return Err(EqualizerError::NoBand);
    };
    let half_power = (choice.meaning == EdgeMeaning::HalfPower).then_some(&choice.edges_hz);
    let edges = choice.pass_hz.as_ref().or(half_power).ok_or(EqualizerError::NoBand)?;
    let stretches = Bands::from(choice).stretches(edges, true, rate.nyquist());
    let ([(low_hz, high_hz)], Some(filter), Form::Sections(sections)) =
        (&stretches[..], &design.zeros_poles, &design.form)
    else {
        return Err(EqualizerError::NoBand);
    };
    let band = [rate.radians(*low_hz), rate.radians(*high_hz)];
    let grid = |count: usize| -> Vec<f64> {
        // Denser towards the ends, where the delay is steep.
        let place = |k: usize| {
            let x = k as f64 / (count - 1) as f64;
            let s = libm::sin(std::f64::consts::FRAC_PI_2 * x);
            f64::midpoint(x, s * s)
        };
        (0..count).map(|k| band[0] + (band[1] - band[0]) * place(k)).collect()
    };
    let fine = grid(4000);
    let own: Vec<f64> = fine.iter().map(|omega| filter.group_delay(*omega)).collect();
    let before = spread(own.iter().copied());
    let mut best: Option<(f64, Vec<PolePair>)> = None;
    let mut ripple = before;
    for count in 1..=LARGEST {
        if ripple <= wish.delay_ripple {
            break;
        }
        let coarse = grid(60 + 24 * count + 4 * filter.poles.len());
        let target: Vec<f64> = coarse.iter().map(|omega| filter.group_delay(*omega)).collect();
        // From evenly spread poles, and from the last fit stretched over one pole more, or with one more in
        // its middle.
        let mut starts = vec![evenly(count, band)];
        if let Some((_, pairs)) = &best {
            starts.push(stretched(pairs, count));
            let mut more = pairs.clone();
            more.push(PolePair { u: 0.0, theta: f64::midpoint(band[0], band[1]) });
            starts.push(more);
        }
        for start in starts {
            let pairs = fit(start, &coarse, &target);
            let found = spread(fine.iter().zip(&own).map(|(omega, own)| {
                own + pairs.iter().map(|pair| pair.delay(*omega)[0]).sum::<f64>()
            }));
            if best.as_ref().is_none_or(|(least, _)| found < *least) {
                best = Some((found, pairs));
            }
        }
        ripple = best.as_ref().map_or(ripple, |(found, _)| found.min(ripple));
    }
    if ripple > wish.delay_ripple {
        let asked = wish.delay_ripple;
        return Err(EqualizerError::OutOfReach {
            sections: LARGEST,
            before,
            reached: ripple,
            asked,
        });
    }
    let pairs = best.map_or(Vec::new(), |(_, pairs)| pairs);
    let mut whole: ZerosPolesGain = filter.clone();
    let mut cascade: Sections = sections.clone();
    for pair in &pairs {
        let r = pair.radius();
        let pole = Complex64::new(r * libm::cos(pair.theta), (r * libm::sin(pair.theta)).abs());
        let a = [-2.0 * pole.re, r * r];
        cascade.0.push(Section { b: [a[1], a[0], 1.0], a });
        let zero = pole / (modulus(pole) * modulus(pole));
        whole.poles.extend([pole, pole.conj()]);
        whole.zeros.extend([zero, zero.conj()]);
        whole.gain *= r * r;
    }
    let equalizer = EqualizerChoice {
        sections: pairs.len(),
        band_hz: [*low_hz, *high_hz],
        asked_ripple: wish.delay_ripple,
        ripple_before: before,
        ripple_after: ripple,
    };
    Ok(Design {
        zeros_poles: Some(whole),
        form: Form::Sections(cascade),
        equalizer: Some(equalizer),
        ..design
    })
}

fn spread(values: impl Iterator<Item = f64>) -> f64 {
    let (low, high) = values.fold((f64::MAX, f64::MIN), |(a, b), v| (a.min(v), b.max(v)));
    high - low
}

/// Poles spread over the band, as far from the circle as from each other.
fn evenly(count: usize, [low, high]: [f64; 2]) -> Vec<PolePair> {
    let step = (high - low) / count as f64;
    let radius = libm::exp(-0.9 * step).clamp(0.05, 0.999_999);
    let u = libm::log(radius / (1.0 - radius));
    (0..count).map(|k| PolePair { u, theta: low + step * (k as f64 + 0.5) }).collect()
}

/// The poles of a fit spread over `count` poles: angle and distance go on as they did from pole to pole.
fn stretched(pairs: &[PolePair], count: usize) -> Vec<PolePair> {
    let mut sorted = pairs.to_vec();
    sorted.sort_by(|a, b| a.theta.total_cmp(&b.theta));
    let last = sorted.len() - 1;
    (0..count)
        .map(|k| {
            let place = k as f64 * last as f64 / (count - 1) as f64;
            let below = (place as usize).min(last.saturating_sub(1));
            let (a, b) = (sorted[below], sorted[(below + 1).min(last)]);
            let rest = place - below as f64;
            PolePair { u: a.u + (b.u - a.u) * rest, theta: a.theta + (b.theta - a.theta) * rest }
        })
        .collect()
}

/// Damped least squares with weights from rising powers of the error.
fn fit(mut pairs: Vec<PolePair>, grid: &[f64], target: &[f64]) -> Vec<PolePair> {
    let errors = |pairs: &[PolePair]| -> Vec<f64> {
        let total = |(omega, own): (&f64, &f64)| {
            own + pairs.iter().map(|pair| pair.delay(*omega)[0]).sum::<f64>()
        };
        let delays: Vec<f64> = grid.iter().zip(target).map(total).collect();
        let (low, high) =
            delays.iter().fold((f64::MAX, f64::MIN), |(a, b), v| (a.min(*v), b.max(*v)));
        let middle = f64::midpoint(low, high);
        delays.iter().map(|delay| delay - middle).collect()
    };
    let largest = |errors: &[f64]| errors.iter().fold(0.0, |m: f64, e| m.max(e.abs()));
    let mut best = (largest(&errors(&pairs)), pairs.clone());
    for power in [2.0, 4.0, 8.0, 16.0, 32.0, 64.0] {
        let mut damping = 1e-2;
        for _ in 0..40 {
            let error = errors(&pairs);
            let scale = largest(&error).max(1e-300);
            let norm = |errors: &[f64]| -> f64 {
                errors.iter().map(|e| libm::pow(e.abs() / scale, power)).sum()
            };
            let now = norm(&error);
            // Weighted so that the squares have the gradient of the power.
            let weight = |e: &f64| libm::pow((e.abs() / scale).max(1e-3), (power - 2.0) / 2.0);
            let unknowns = 2 * pairs.len() + 1;
            let mut matrix = DMatrix::<f64>::zeros(unknowns, unknowns);
            let mut right = DVector::<f64>::zeros(unknowns);
            for (omega, e) in grid.iter().zip(&error) {
                let w = weight(e);
                let mut row = vec![0.0; unknowns];
                for (k, pair) in pairs.iter().enumerate() {
                    let [_, du, dtheta] = pair.delay(*omega);
                    (row[2 * k], row[2 * k + 1]) = (du * w, dtheta * w);
                }
                row[unknowns - 1] = -w;
                for i in 0..unknowns {
                    right[i] -= row[i] * e * w;
                    for j in 0..=i {
                        matrix[(i, j)] += row[i] * row[j];
                    }
                }
            }
            for i in 0..unknowns {
                for j in 0..i {
                    matrix[(j, i)] = matrix[(i, j)];
                }
            }
            let mut improved = false;
            for _ in 0..8 {
                let mut damped = matrix.clone();
                for i in 0..unknowns {
                    damped[(i, i)] += damping * matrix[(i, i)] + 1e-30;
                }
                let Some(factors) = damped.cholesky() else {
                    damping *= 10.0;
                    continue;
                };
                let step = factors.solve(&right);
                let moved: Vec<PolePair> = pairs
                    .iter()
                    .enumerate()
                    .map(|(k, pair)| PolePair {
                        u: (pair.u + step[2 * k].clamp(-1.0, 1.0)).clamp(-6.0, 20.0),
                        theta: (pair.theta + step[2 * k + 1].clamp(-0.2, 0.2))
                            .clamp(0.0, std::f64::consts::PI),
                    })
                    .collect();
                let after = errors(&moved);
                if norm(&after) < now {
                    improved = norm(&after) < now * (1.0 - 1e-6);
                    pairs = moved;
                    damping = (damping / 5.0).max(1e-12);
                    let size = largest(&after);
                    if size < best.0 {
                        best = (size, pairs.clone());
                    }
                    break;
                }
                damping *= 6.0;
            }
            if !improved {
                break;
            }
        }
    }
    best.1
}
