//! A response as curves: gain, phase and delay over frequency.

use crate::filter::PhaseResponse;
use crate::units::SampleRate;
use crate::units::level::decibels;

/// What a filter does over frequency. All vectors have the length of `hertz`.
#[derive(Debug, Clone, PartialEq)]
#[cfg_attr(feature = "serde", derive(serde::Serialize))]
#[non_exhaustive]
pub struct FrequencyCurves {
    /// Frequencies in hertz, rising.
    pub hertz: Vec<f64>,
    /// |H|, as a ratio.
    pub gain: Vec<f64>,
    /// |H| in decibels; −∞ for an exact zero.
    pub gain_db: Vec<f64>,
    /// The phase in degrees, within (−180, 180].
    pub wrapped_phase_degrees: Vec<f64>,
    /// The phase in degrees, continuous from 0 Hz on but for jumps by 180 at zeros on the unit circle.
    pub phase_degrees: Vec<f64>,
    /// −dφ/dω, in samples.
    pub group_delay_samples: Vec<f64>,
    /// −φ/ω, in samples; `None` at 0 Hz where the phase there is not zero.
    pub phase_delay_samples: Vec<Option<f64>>,
}

/// A filter's response at these frequencies, in hertz from 0 to the Nyquist frequency, rising.
///
/// ```
/// use mellow_rake::response::{frequency_curves, linear_grid};
/// use mellow_rake::filter::Taps;
/// let late = Taps(vec![0.0, 0.0, 1.0]);
/// let curves = frequency_curves(&late, "1 kHz".parse()?, &linear_grid(0.0, 500.0, 11));
/// assert!((curves.phase_degrees[10] + 360.0).abs() < 1e-9, "two samples late: unwrapped");
/// assert!(curves.wrapped_phase_degrees[10].abs() < 1e-9);
/// assert_eq!(curves.group_delay_samples[3], 2.0);
/// assert_eq!(curves.phase_delay_samples[0], Some(2.0));
/// # Ok::<(), mellow_rake::units::QuantityError>(())
/// ```
pub fn frequency_curves(
    filter: &dyn PhaseResponse,
    rate: SampleRate,
    hertz: &[f64],
) -> FrequencyCurves {
    let omegas: Vec<f64> = hertz.iter().map(|hz| rate.radians(*hz)).collect();
    let phase = filter.phase(&omegas);
    let gain: Vec<f64> = omegas.iter().map(|omega| filter.gain(*omega)).collect();
    let group_delay_samples: Vec<f64> =
        omegas.iter().map(|omega| filter.group_delay(*omega)).collect();
    let phase_delay_samples = (0..hertz.len())
        .map(|k| match omegas[k] {
            // The limit where the phase starts at zero.
            0.0 => (phase[k].abs() < 1e-9).then_some(group_delay_samples[k]),
            omega => Some(-phase[k] / omega),
        })
        .collect();
    FrequencyCurves {
        hertz: hertz.to_vec(),
        gain_db: gain.iter().map(|gain| decibels(*gain)).collect(),
        gain,
        wrapped_phase_degrees: phase.iter().map(|phase| wrapped(phase.to_degrees())).collect(),
        phase_degrees: phase.iter().map(|phase| phase.to_degrees()).collect(),
        group_delay_samples,
        phase_delay_samples,
    }
}

/// An angle in degrees within (−180, 180].
fn wrapped(degrees: f64) -> f64 {
    degrees - 360.0 * libm::ceil(degrees / 360.0 - 0.5)
}

/// The straight line nearest to a phase.
#[derive(Debug, Clone, Copy, PartialEq)]
#[cfg_attr(feature = "serde", derive(serde::Serialize))]
#[non_exhaustive]
pub struct LinearPart {
    /// Its slope as a delay, in samples.
    pub delay_samples: f64,
    /// Its value at 0 Hz, in degrees.
    pub constant_degrees: f64,
}

impl FrequencyCurves {
    /// The straight line with the least squared distance from the phase between two frequencies, weighted by
    /// the power that the filter lets through: the phase next to a null counts for nothing. `None` where
    /// nothing is let through.
    pub fn linear_part(&self, rate: SampleRate, low: f64, high: f64) -> Option<LinearPart> {
        let inside: Vec<usize> =
            (0..self.hertz.len()).filter(|k| (low..=high).contains(&self.hertz[*k])).collect();
        // Each point stands for half the distance between its neighbours.
        let weight = |at: usize| {
            let before = inside[at.saturating_sub(1)];
            let after = inside[(at + 1).min(inside.len() - 1)];
            let gain = self.gain[inside[at]];
            (self.hertz[after] - self.hertz[before]) * gain * gain
        };
        let weights: Vec<f64> = (0..inside.len()).map(weight).collect();
        let all: f64 = weights.iter().sum();
        if all <= 0.0 {
            return None;
        }
        let mean = |of: &dyn Fn(usize) -> f64| -> f64 {
            inside.iter().zip(&weights).map(|(k, weight)| weight * of(*k)).sum::<f64>() / all
        };
        let (x, y) = (mean(&|k| self.hertz[k]), mean(&|k| self.phase_degrees[k]));
        let square = mean(&|k| (self.hertz[k] - x) * (self.hertz[k] - x));
        let slope = mean(&|k| (self.hertz[k] - x) * (self.phase_degrees[k] - y)) / square;
        Some(LinearPart {
            delay_samples: -slope * rate.hertz() / 360.0,
            constant_degrees: y - slope * x,
        })
    }

    /// The phase in degrees without a linear part: what a pure delay would not explain, within (−180, 180].
    pub fn phase_without(&self, line: &LinearPart, rate: SampleRate) -> Vec<f64> {
        let straight =
            |hz: f64| line.constant_degrees - 360.0 * line.delay_samples * hz / rate.hertz();
        self.hertz
            .iter()
            .zip(&self.phase_degrees)
            .map(|(hz, p)| wrapped(p - straight(*hz)))
            .collect()
    }
}
