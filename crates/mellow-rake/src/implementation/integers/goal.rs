//! What integers are chosen for.

use crate::design::Design;
use crate::filter::{Form, Transfer};
use crate::response::adaptive_grid;
use crate::spec::Spec;
use crate::units::SampleRate;
use num_complex::Complex64;
use std::ops::Range;

/// What integers are chosen for.
#[derive(Debug, Clone, PartialEq)]
pub enum Goal {
    /// The response that was designed, as near as can be, everywhere.
    Response,
    /// A pass-band and a stop-band, each with its level.
    Template {
        /// The sample rate.
        rate: SampleRate,
        /// The stretches where the gain may vary by `ripple_db` only, in hertz.
        pass: Vec<(f64, f64)>,
        /// The stretches where the gain is to be lower than the largest by `attenuation_db`, in hertz.
        stop: Vec<(f64, f64)>,
        /// Largest less smallest gain, in decibels.
        ripple_db: f64,
        /// In decibels.
        attenuation_db: f64,
    },
}

impl Goal {
    /// The template of a spec that names both bands and both levels; else the response of its design, which
    /// holds what is not named.
    pub fn of(spec: &Spec, design: &Design) -> Self {
        let nyquist = spec.sample_rate.nyquist();
        let template = || {
            let bands = design.choice.bands()?;
            let (ripple_db, attenuation_db) = design.choice.levels()?;
            Some(Goal::Template {
                rate: spec.sample_rate,
                pass: bands.stretches(bands.pass_hz.as_ref()?, true, nyquist),
                stop: bands.stretches(bands.stop_hz.as_ref()?, false, nyquist),
                ripple_db: ripple_db?,
                attenuation_db: attenuation_db?,
            })
        };
        template().unwrap_or(Goal::Response)
    }
}

/// A goal on a grid.
pub(super) struct Judge {
    /// e^{−jω} of every point.
    pub(super) w: Vec<Complex64>,
    goal: Marks,
}

/// The goal at the points of the grid.
enum Marks {
    Response {
        wanted: Vec<Complex64>,
        peak: f64,
    },
    Template {
        pass: Range<usize>,
        /// What was designed in the pass-band.
        wanted: Vec<Complex64>,
        stop: Range<usize>,
        /// What lies between the bands.
        between: Range<usize>,
        ripple_db: f64,
        /// The middle between the largest and the smallest gain that were designed: the level is to stay
        /// where it is.
        middle_db: f64,
        /// The square of the gain allowed in the stop-band.
        floor: f64,
        /// The square of the gain allowed between the bands, over that of the pass-band: 1, or what was
        /// designed.
        ceiling: f64,
    },
}

impl Judge {
    pub(super) fn new(goal: &Goal, designed: &Form) -> Self {
        let gain = |omega: f64| designed.gain(omega);
        // Points of some stretches, those first that use the most of the goal: what a worse set of integers
        // breaks is seen soon.
        let points = |rate: SampleRate,
                      stretches: &[(f64, f64)],
                      tolerance_db: f64,
                      use_of: &dyn Fn(f64) -> f64| {
            let mut all = Vec::new();
            for (low, high) in stretches {
                let hertz = adaptive_grid(designed, rate, *low, *high, tolerance_db);
                all.extend(hertz.into_iter().chain([*low, *high]).map(|hz| rate.radians(hz)));
            }
            all.sort_by(|a, b| use_of(*b).total_cmp(&use_of(*a)));
            all
        };
        let (omegas, goal): (Vec<f64>, Marks) = match goal {
            Goal::Response => {
                let all = points(SampleRate::ONE, &[(0.0, 0.5)], 0.25, &gain);
                let wanted: Vec<Complex64> =
                    all.iter().map(|omega| designed.response(*omega)).collect();
                let peak = wanted.iter().map(|h| h.norm_sqr()).fold(1e-300, f64::max);
                (all, Marks::Response { wanted, peak: libm::sqrt(peak) })
            }
            Goal::Template { rate, pass, stop, ripple_db, attenuation_db } => {
                let mut all = points(*rate, pass, ripple_db.min(1.0) / 100.0, &gain);
                let [high, low] =
                    [all.first(), all.last()].map(|omega| omega.map_or(1.0, |o| gain(*o)));
                let middle = f64::midpoint(high, low);
                let use_of = |omega: f64| (gain(omega) - middle).abs();
                all.sort_by(|a, b| use_of(*b).total_cmp(&use_of(*a)));
                let pass_end = all.len();
                all.extend(points(*rate, stop, 0.1, &gain));
                let stop_end = all.len();
                all.extend(points(*rate, &gaps(pass, stop), 0.25, &gain));
                let between = stop_end..all.len();
                let peak = all.get(stop_end).map_or(0.0, |omega| gain(*omega) / high);
                let marks = Marks::Template {
                    pass: 0..pass_end,
                    wanted: all[..pass_end].iter().map(|o| designed.response(*o)).collect(),
                    stop: pass_end..stop_end,
                    between,
                    ripple_db: *ripple_db,
                    middle_db: 10.0 * libm::log10(high * low),
                    floor: libm::exp10(-attenuation_db / 10.0),
                    ceiling: (peak * peak).max(1.0),
                };
                (all, marks)
            }
        };
        let at = |omega: &f64| Complex64::new(libm::cos(*omega), -libm::sin(*omega));
        Judge { w: omegas.iter().map(at).collect(), goal }
    }

    /// How much of what the goal allows a response uses: below 1 it is kept. Without a template, the largest
    /// change of the response over the peak of the designed one. `None` as soon as it is seen to be `limit`
    /// or more.
    pub(super) fn score(&self, limit: f64, response: impl Fn(usize) -> Complex64) -> Option<f64> {
        let score = match &self.goal {
            Marks::Response { wanted, peak } => {
                let most = limit * peak * (limit * peak);
                let mut largest = 0.0f64;
                for (k, wanted) in wanted.iter().enumerate() {
                    largest = largest.max((response(k) - wanted).norm_sqr());
                    if largest >= most {
                        return None;
                    }
                }
                libm::sqrt(largest) / peak
            }
            Marks::Template {
                pass, stop, between, ripple_db, middle_db, floor, ceiling, ..
            } => {
                let (mut low, mut high) = (f64::INFINITY, 0.0f64);
                let most = libm::exp10(limit * ripple_db / 10.0);
                for k in pass.clone() {
                    let power = response(k).norm_sqr();
                    low = low.min(power);
                    high = high.max(power);
                    if high >= most * low {
                        return None;
                    }
                }
                let largest = |points: &Range<usize>, most: f64| {
                    let mut largest = 0.0f64;
                    for k in points.clone() {
                        largest = largest.max(response(k).norm_sqr());
                        if largest >= most {
                            return None;
                        }
                    }
                    Some(largest)
                };
                let over = largest(stop, limit * limit * floor * high)?;
                let most = high * ceiling * libm::exp10((limit - 1.0).max(1e-6) / 10.0);
                let between = largest(between, most)?;
                let ripple = 10.0 * libm::log10(high / low) / ripple_db;
                let share = libm::sqrt(over / high / floor);
                // A gain between the bands above that of the pass-band counts as the template missed, and by
                // so many decibels more.
                let peak = 10.0 * libm::log10(between / high / ceiling);
                let peak = if peak > 1e-6 { 1.0 + peak } else { 0.0 };
                // Of sets that are about as good the one that keeps the level: a fiftieth of its drift counts
                // as well.
                let drift = (5.0 * libm::log10(high * low) - middle_db).abs() / (50.0 * ripple_db);
                ripple.max(share).max(peak) + drift
            }
        };
        (score < limit).then_some(score)
    }
}

impl Judge {
    /// How far a response that keeps the goal lies from the one that was designed, at most over the pass-band
    /// and over the peak there. `None` where it does not keep it, or is seen to be `limit` or more away.
    pub(super) fn distance(
        &self,
        limit: f64,
        response: impl Fn(usize) -> Complex64,
    ) -> Option<f64> {
        let Marks::Template { wanted, .. } = &self.goal else { return self.score(limit, response) };
        let peak = wanted.iter().map(|h| h.norm_sqr()).fold(1e-300, f64::max);
        let most = limit * limit * peak;
        let mut largest = 0.0f64;
        for (k, wanted) in wanted.iter().enumerate() {
            largest = largest.max((response(k) - wanted).norm_sqr());
            if largest >= most {
                return None;
            }
        }
        self.score(1.0, response)?;
        Some(libm::sqrt(largest / peak))
    }
}

/// What lies between stretches that rise and do not overlap.
fn gaps(pass: &[(f64, f64)], stop: &[(f64, f64)]) -> Vec<(f64, f64)> {
    let mut all: Vec<(f64, f64)> = pass.iter().chain(stop).copied().collect();
    all.sort_by(|a, b| a.0.total_cmp(&b.0));
    let pairs = all.windows(2).map(|pair| (pair[0].1, pair[1].0));
    pairs.filter(|(low, high)| low < high).collect()
}
