//! How far a filter in floating point is from the same filter in exact arithmetic: a proved bound.
//!
//! The standard model of floating-point arithmetic (N. J. Higham, "Accuracy and Stability of Numerical
//! Algorithms", 2002, section 2.2 and, for results that are subnormal, eq. 2.8): the computed result of an
//! operation is the exact one of the same operands plus an error e, |e| ≤ u·|exact result| + η, with u the
//! unit roundoff and η half the smallest number for products, 0 for sums, which are exact where they are
//! subnormal (J. R. Hauser, "Handling floating-point exceptions in numeric programs", 1996, theorem 3.4.1).
//!
//! Sections. Without these errors the program is linear. So every number that is computed is that of the
//! linear program plus what the errors of all operations before have become on their way, and with the l1
//! norm L_i of the path from the input to the exact result of operation i and G_ij of that from the error of
//! operation j,
//!
//! ```text
//! |exact result i| ≤ L_i·peak + Σ_j G_ij·E_j,   E_i = u·(L_i·peak + Σ_j G_ij·E_j) + η_i
//! ```
//!
//! bounds every error by E, by induction over operations and samples: each error depends on earlier ones
//! only. E is found by iteration, made larger, and then the inequality E ≥ u·(L·peak + G·E) + η is checked;
//! only that counts. An operation whose result is used once, in a sum or difference of the same sample,
//! passes its error on as it is; so the errors of all operations that end in one sum have the paths of that
//! sum.
//!
//! Taps. |error| ≤ γ_N·Σ|h|·peak + N·η·(1 + γ_N) with γ_N = N·u/(1 − N·u) (Higham, eq. 3.5).

use super::wide::UNIT;
use super::{FloatFilter, FloatOperation, SectionProgram};
use crate::effort::Effort;
use crate::filter::{Decay, LinearSystem, NotProved, PeakGain};

/// What is proved for all inputs up to a peak.
#[derive(Debug, Clone, Copy, PartialEq)]
#[non_exhaustive]
pub struct FloatBound {
    /// The largest size of the error at the output, against the filter with the same coefficients in exact
    /// arithmetic.
    pub error: f64,
    /// The largest size of any number on the way: below the largest number of the format nothing overflows.
    pub level: f64,
}

impl FloatFilter {
    /// The largest error that its arithmetic can make at the output, for any input of at most this size, with
    /// numbers of the format. `None` where the errors might keep themselves up, or something might overflow.
    ///
    /// # Errors
    /// [`NotProved`] where the linear model does not decay.
    ///
    /// ```
    /// use mellow_rake::Wish;
    /// use mellow_rake::float::{FloatFilter, FloatFormat, FloatStructure};
    /// let lowpass = Wish::lowpass("1 kHz").cutoff("40 Hz").butterworth(4).filter()?;
    /// let structure = FloatStructure::DirectForm2Transposed;
    /// let single = FloatFilter::new(&lowpass, FloatFormat::Single, structure)?;
    /// let bound = single.bound(1.0, Default::default())?.unwrap();
    /// assert!(bound.error < 1e-4 && bound.level < 10.0);
    /// # Ok::<(), Box<dyn std::error::Error>>(())
    /// ```
    pub fn bound(&self, peak: f64, effort: Effort) -> Result<Option<FloatBound>, NotProved> {
        let (unit, tiny) = (self.format().unit_roundoff(), self.tiny());
        self.bound_in(peak, effort, unit, tiny)
    }

    /// The same of a run in twice double precision. A number below the smallest normal one loses no more in
    /// any part of it than double precision does in all.
    pub(crate) fn bound_wide(
        &self,
        peak: f64,
        effort: Effort,
    ) -> Result<Option<FloatBound>, NotProved> {
        self.bound_in(peak, effort, UNIT, 16.0 * self.tiny())
    }

    /// η, and more where double precision, in which it is added up, would lose it.
    fn tiny(&self) -> f64 {
        (self.format().smallest() / 2.0).max(1e-300)
    }

    fn bound_in(
        &self,
        peak: f64,
        effort: Effort,
        unit: f64,
        tiny: f64,
    ) -> Result<Option<FloatBound>, NotProved> {
        let found = match self.structure().section() {
            Some(program) => self.bound_of_sections(&program, peak, effort, (unit, tiny))?,
            None => self.bound_of_taps(peak, (unit, tiny)),
        };
        let is_number = |bound: &FloatBound| bound.level <= self.format().largest();
        Ok(found.filter(is_number))
    }

    fn bound_of_taps(&self, peak: f64, (unit, tiny): (f64, f64)) -> Option<FloatBound> {
        let taps = self.rows().concat();
        let count = taps.len() as f64;
        let nu = count * unit;
        let gamma = nu / (1.0 - nu);
        // The sum in f64 is off by less than a part in 2^40 for any number of taps that there is.
        let size = taps.iter().map(|h| h.abs()).sum::<f64>() * peak * (1.0 + SLACK);
        let tiny = count * tiny;
        let error = (gamma * size + tiny * (1.0 + gamma)) * (1.0 + SLACK);
        Some(FloatBound { error, level: (size + error) * (1.0 + SLACK) })
            .filter(|bound| nu < 0.5 && bound.level.is_finite())
    }

    fn bound_of_sections(
        &self,
        program: &SectionProgram,
        peak: f64,
        effort: Effort,
        (unit, tiny): (f64, f64),
    ) -> Result<Option<FloatBound>, NotProved> {
        let mut model = Cascade::new(self, program);
        let decay = Decay::prove_within(&mut model, effort)?;
        let observed = model.observed();
        let levels: Vec<f64> =
            decay.norms(&mut model).iter().map(|gain| gain.l1_bound() * peak).collect();
        // From each sum in which errors end to every operation.
        let mut gains: Vec<Option<Vec<f64>>> = vec![None; observed];
        for at in model.ends.clone() {
            if gains[at].is_none() {
                model.driven = Some(at);
                let norms = decay.norms(&mut model);
                gains[at] = Some(norms.iter().map(PeakGain::l1_bound).collect());
            }
        }
        let results = |errors: &[f64]| {
            let mut all = levels.clone();
            for (error, end) in errors.iter().zip(&model.ends) {
                let to = gains[*end].as_deref().unwrap_or_default();
                for (level, gain) in all.iter_mut().zip(to) {
                    *level += error * gain;
                }
            }
            // On its way to its end an error meets other operations of the same sample.
            for (at, error) in errors.iter().enumerate() {
                let mut met = model.passed_on[at];
                while let Some(place) = met.filter(|place| *place != model.ends[at]) {
                    all[place] += error;
                    met = model.passed_on[place];
                }
            }
            all
        };
        let errors_of = |results: &[f64]| -> Vec<f64> {
            let each = model.operations.iter().zip(results);
            each.map(|(operation, size)| match operation {
                Flat::Product { .. } => unit * size + tiny,
                Flat::Sum(..) | Flat::Difference(..) => unit * size,
                Flat::Input | Flat::State(_) => 0.0,
            })
            .collect()
        };
        let mut errors = errors_of(&levels);
        for _ in 0..20 {
            errors = errors_of(&results(&errors));
        }
        for error in &mut errors {
            *error *= 1.0 + 1e-3;
        }
        let sizes = results(&errors);
        let holds = errors_of(&sizes)
            .iter()
            .zip(&errors)
            .all(|(needed, error)| needed * (1.0 + SLACK) <= *error);
        let level = sizes.iter().fold(peak, |largest: f64, size| largest.max(*size));
        let output = model.output;
        let to_output = errors
            .iter()
            .zip(&model.ends)
            .map(|(error, end)| gains[*end].as_ref().map_or(0.0, |gains| gains[output]) * error);
        let error = to_output.sum::<f64>() * (1.0 + SLACK);
        let level = level * (1.0 + SLACK);
        Ok(Some(FloatBound { error, level }).filter(|_| holds && level.is_finite()))
    }
}

/// What adding up some hundred numbers above zero in f64 can be off, relative to them, and far more.
const SLACK: f64 = 1e-9;

/// An operation of a cascade, others named by their places in the whole.
#[derive(Clone, Copy)]
enum Flat {
    Input,
    State(usize),
    Product { coefficient: f64, of: usize },
    Sum(usize, usize),
    Difference(usize, usize),
}

/// The linear reading of all sections, driven from the input or by an error behind one operation; every
/// operation is observed.
struct Cascade {
    operations: Vec<Flat>,
    output: usize,
    /// For each state the operation that it is given.
    states: Vec<usize>,
    /// For each operation the sum or difference that takes its number, where nothing else does.
    passed_on: Vec<Option<usize>>,
    /// For each operation the last that its error reaches that way.
    ends: Vec<usize>,
    driven: Option<usize>,
}

impl Cascade {
    fn new(filter: &FloatFilter, program: &SectionProgram) -> Self {
        // The first operation is the input of all; that of a later section is the output of the one before.
        let mut operations = vec![Flat::Input];
        let mut states = Vec::new();
        let mut input = 0;
        for row in filter.rows() {
            let before = states.len();
            // Where each operation of the section stands in the whole.
            let mut places: Vec<usize> = Vec::new();
            for operation in &program.operations {
                let flat = match *operation {
                    FloatOperation::Input => {
                        places.push(input);
                        continue;
                    }
                    FloatOperation::State(state) => Flat::State(before + state),
                    FloatOperation::Product { column, of } => {
                        Flat::Product { coefficient: row[column], of: places[of] }
                    }
                    FloatOperation::Sum(one, other) => Flat::Sum(places[one], places[other]),
                    FloatOperation::Difference(one, other) => {
                        Flat::Difference(places[one], places[other])
                    }
                };
                places.push(operations.len());
                operations.push(flat);
            }
            states.resize(before + program.states.len(), 0);
            for (state, from) in &program.states {
                states[before + state] = places[*from];
            }
            input = places[program.output];
        }
        let output = input;
        let passed_on = passed_on(&operations, &states, output);
        let mut ends: Vec<usize> = (0..operations.len()).collect();
        for at in (0..operations.len()).rev() {
            // Who takes a number stands behind it.
            ends[at] = passed_on[at].map_or(at, |user| ends[user]);
        }
        Cascade { operations, output, states, passed_on, ends, driven: None }
    }

    fn run(&self, state: &mut [f64], drive: f64, seen: &mut [f64], absolute: bool) {
        for (at, operation) in self.operations.iter().enumerate() {
            let exact = match *operation {
                Flat::Input if self.driven.is_none() => drive,
                Flat::Input => 0.0,
                Flat::State(place) => state[place],
                Flat::Product { coefficient, of } if absolute => coefficient.abs() * seen[of],
                Flat::Product { coefficient, of } => coefficient * seen[of],
                Flat::Difference(one, other) if !absolute => seen[one] - seen[other],
                Flat::Sum(one, other) | Flat::Difference(one, other) => seen[one] + seen[other],
            };
            seen[at] = if self.driven == Some(at) { exact + drive } else { exact };
        }
        for (slot, from) in state.iter_mut().zip(&self.states) {
            *slot = seen[*from];
        }
    }
}

/// For each operation the one that its error goes on to unchanged but for its sign, if there is no other way.
fn passed_on(operations: &[Flat], states: &[usize], output: usize) -> Vec<Option<usize>> {
    let mut users: Vec<Vec<Option<usize>>> = vec![Vec::new(); operations.len()];
    for (at, operation) in operations.iter().enumerate() {
        match *operation {
            Flat::Sum(one, other) | Flat::Difference(one, other) => {
                users[one].push(Some(at));
                users[other].push(Some(at));
            }
            // By a factor, or in the next sample: no longer the same error.
            Flat::Product { of, .. } => users[of].push(None),
            Flat::Input | Flat::State(_) => {}
        }
    }
    states.iter().chain([&output]).for_each(|from| users[*from].push(None));
    let only = |users: &Vec<Option<usize>>| match users[..] {
        [Some(user)] => Some(user),
        _ => None,
    };
    users.iter().map(only).collect()
}

impl LinearSystem for Cascade {
    fn states(&self) -> usize {
        self.states.len()
    }
    fn observed(&self) -> usize {
        self.operations.len()
    }
    fn step(&mut self, state: &mut [f64], drive: f64, seen: &mut [f64]) {
        self.run(state, drive, seen, false);
    }
    fn step_absolute(&mut self, state: &mut [f64], drive: f64, seen: &mut [f64]) {
        self.run(state, drive, seen, true);
    }
    fn operations(&self) -> usize {
        self.operations.len()
    }
    fn finite(&self) -> Option<usize> {
        None
    }
}
