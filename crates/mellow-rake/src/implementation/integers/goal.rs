//! What integers are chosen for.

use crate::analysis::{Bands, adaptive_grid};
use crate::design::{Choice, Design};
use crate::filter::{Form, Transfer};
use crate::spec::Spec;
use crate::units::SampleRate;
use num_complex::Complex64;

/// What integers are chosen for.
#[derive(Debug, Clone, PartialEq)]
pub enum Goal {
    /// The response that was designed, as near as can be, everywhere.
    Response,
    /// Pass-bands and stop-bands with levels.
    Template {
        /// The sample rate.
        rate: SampleRate,
        /// The stretches where the gain may vary by `ripple_db` only, in hertz.
        pass: Vec<(f64, f64)>,
        /// The stretches where the gain is to be lower than the largest by `attenuation_db`, in hertz.
        stop: Vec<(f64, f64)>,
        /// Largest less smallest gain, in decibels.
        ripple_db: Option<f64>,
        /// In decibels.
        attenuation_db: Option<f64>,
    },
}

impl Goal {
    /// The template of a spec, or the response of its design where it has none.
    pub fn of(spec: &Spec, design: &Design) -> Self {
        let rate = spec.sample_rate;
        let (bands, [ripple_db, attenuation_db]) = match &design.choice {
            Choice::Recursive(choice) => {
                (Some(Bands::from(choice)), [choice.ripple_db, choice.attenuation_db])
            }
            Choice::Fir(choice) => {
                let bands = choice.band.map(|kind| Bands {
                    kind,
                    pass_hz: choice.pass_hz.clone(),
                    stop_hz: choice.stop_hz.clone(),
                });
                (bands, [choice.ripple_db, choice.attenuation_db])
            }
            Choice::Notch(_) | Choice::Direct(_) => (None, [None; 2]),
        };
        let Some(bands) = bands else { return Goal::Response };
        let stretches = |edges: &Option<Vec<f64>>, pass: bool| {
            edges.as_ref().map_or(Vec::new(), |edges| bands.stretches(edges, pass, rate.nyquist()))
        };
        let (pass, stop) = (stretches(&bands.pass_hz, true), stretches(&bands.stop_hz, false));
        // A level says something only where its band is known.
        let ripple_db = ripple_db.filter(|_| !pass.is_empty());
        let attenuation_db = attenuation_db.filter(|_| !stop.is_empty());
        if ripple_db.is_none() && attenuation_db.is_none() {
            return Goal::Response;
        }
        Goal::Template { rate, pass, stop, ripple_db, attenuation_db }
    }
}

/// A goal on a grid.
pub(super) struct Judge {
    /// e^{−jω} of every point.
    pub(super) w: Vec<Complex64>,
    goal: Marks,
}

enum Marks {
    Response {
        wanted: Vec<Complex64>,
        peak: f64,
    },
    Template {
        pass: Vec<usize>,
        stop: Vec<usize>,
        ripple_db: Option<f64>,
        /// The middle between the largest and the smallest gain that were designed: the level is to stay where it is.
        middle_db: f64,
        floor: Option<f64>,
    },
}

impl Judge {
    pub(super) fn new(goal: &Goal, designed: &Form) -> Self {
        // Points of all stretches, those first that use the most of the goal: what a worse set of integers breaks is seen soon.
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
        let gain = |omega: f64| designed.gain(omega);
        let (omegas, goal): (Vec<f64>, Marks) = match goal {
            Goal::Response => {
                let all = points(SampleRate::ONE, &[(0.0, 0.5)], 0.25, &gain);
                let wanted: Vec<Complex64> =
                    all.iter().map(|omega| designed.response(*omega)).collect();
                let peak = wanted.iter().map(|h| h.norm_sqr()).fold(1e-300, f64::max);
                (all, Marks::Response { wanted, peak: libm::sqrt(peak) })
            }
            Goal::Template { rate, pass, stop, ripple_db, attenuation_db } => {
                let fine = ripple_db.unwrap_or(1.0).min(1.0) / 100.0;
                let inside = points(*rate, pass, fine, &gain);
                let ends =
                    [inside.first(), inside.last()].map(|omega| omega.map_or(1.0, |o| gain(*o)));
                let middle = (ends[0] + ends[1]) / 2.0;
                let mut all = points(*rate, pass, fine, &|omega| (gain(omega) - middle).abs());
                let count = all.len();
                all.extend(points(*rate, stop, 0.1, &gain));
                let marks = Marks::Template {
                    pass: (0..count).collect(),
                    stop: (count..all.len()).collect(),
                    ripple_db: *ripple_db,
                    middle_db: 10.0 * libm::log10(ends[0] * ends[1]),
                    floor: attenuation_db.map(|db| libm::exp10(-db / 20.0)),
                };
                (all, marks)
            }
        };
        let at = |omega: &f64| Complex64::new(libm::cos(*omega), -libm::sin(*omega));
        Judge { w: omegas.iter().map(at).collect(), goal }
    }

    /// How much of what the goal allows a response uses: below 1 it is kept. Without a template, the largest change of the response over
    /// the peak of the designed one. `None` as soon as it is seen to be `limit` or more.
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
            Marks::Template { pass, stop, ripple_db, middle_db, floor } => {
                let (mut low, mut high) = (f64::INFINITY, 0.0f64);
                let most = ripple_db.map_or(f64::INFINITY, |db| libm::exp10(limit * db / 10.0));
                for k in pass {
                    let power = response(*k).norm_sqr();
                    low = low.min(power);
                    high = high.max(power);
                    if high >= most * low {
                        return None;
                    }
                }
                if pass.is_empty() {
                    // No pass-band is known: against 1.
                    (low, high) = (1.0, 1.0);
                }
                let mut over = 0.0f64;
                let most =
                    floor.map_or(f64::INFINITY, |floor| limit * floor * (limit * floor) * high);
                for k in stop {
                    over = over.max(response(*k).norm_sqr());
                    if over >= most {
                        return None;
                    }
                }
                let ripple = ripple_db.map_or(0.0, |db| 10.0 * libm::log10(high / low) / db);
                let share = floor.map_or(0.0, |floor| libm::sqrt(over / high) / floor);
                // Of sets that are about as good the one that keeps the level: a fiftieth of its drift counts as well.
                let drift = ripple_db.filter(|_| !pass.is_empty()).map_or(0.0, |db| {
                    (5.0 * libm::log10(high * low) - middle_db).abs() / (50.0 * db)
                });
                ripple.max(share) + drift
            }
        };
        (score < limit).then_some(score)
    }
}
