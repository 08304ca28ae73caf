//! How fast a linear system forgets, proved, and impulse responses whose every neglected part is bounded.
//!
//! Advice for those who change this file: nothing here may be *probably* true. A system is s' = A·s + B·u,
//! y = C·s + D·u, run in f64. Three quantities carry all proofs:
//!
//! - **L**, [`LinearSystem::gain`]: no row of |A|, |B|, |C|, |D| taken together sums to more. One computed
//!   step is off by at most γ·L·max(‖s‖, |u|), with γ = m·u/(1 − m·u) for m rounded operations (Higham,
//!   *Accuracy and Stability of Numerical Algorithms*, 2002, eq. 3.4 f.).
//! - **Γ** = Σ‖A^k‖∞: an error made once adds up to at most Γ times itself in all later states. The computed
//!   Γ̃ is off by at most γ·L·Γ·Γ̃, so Γ ≤ Γ̃/(1 − γ·L·Γ̃).
//! - **ρ** = ‖A^M‖∞ for some M: once ρ ≤ 1/4 is shown, everything behind a state s is at most
//!   Σ_{k<M} |C·A^k| · ‖s‖ / (1 − ρ). The computed A^M is off by at most
//!   γ·L·Γ·max‖A^k‖.
//!
//! So a bound is the sum of what was computed, of the rounding errors in computing it, and of the tail.

use crate::effort::Effort;
use std::cell::Cell;

/// A discrete-time linear system with one input at a time, run in f64 on real values.
pub trait LinearSystem {
    /// Number of state variables.
    fn states(&self) -> usize;
    /// Number of quantities observed at each step.
    fn observed(&self) -> usize;
    /// One step: replaces `state`, writes what is observed.
    fn step(&mut self, state: &mut [f64], drive: f64, seen: &mut [f64]);
    /// The same step with every coefficient replaced by its absolute value and every subtraction by an
    /// addition.
    fn step_absolute(&mut self, state: &mut [f64], drive: f64, seen: &mut [f64]);
    /// An upper bound on the number of rounded operations in one step.
    fn operations(&self) -> usize;
    /// If no state feeds back into itself: after how many steps without drive every state is exactly zero.
    fn finite(&self) -> Option<usize>;
}

/// Why no bound could be proved.
#[derive(Debug, Clone, Copy, PartialEq, Eq, thiserror::Error)]
#[non_exhaustive]
pub enum NotProved {
    /// The response to a unit state did not fall to a quarter within the steps allowed.
    #[error(
        "the linear model does not decay within {steps} samples: a pole lies on, outside, or too close \
         to the unit circle"
    )]
    NoDecay {
        /// Steps tried.
        steps: usize,
    },
    /// The rounding errors of f64 are too large for this system.
    #[error("the linear model is too badly conditioned for a bound in double precision")]
    Conditioning,
    /// Nothing is known of the coefficients but their format.
    #[error("the coefficients are not known, only their format")]
    AnyCoefficients,
}

/// The proof that a system forgets.
#[derive(Debug, Clone)]
pub struct Decay {
    matrices: Matrices,
    /// γ, the relative error of one computed step.
    gamma: f64,
    /// L.
    gain: f64,
    /// Γ, rounded outward.
    path: f64,
    /// ρ of M steps, rounded outward.
    contraction: f64,
    /// Σ_{k<M} Σ_i |C·A^k·e_i| for each observed quantity, rounded outward.
    behind: Vec<f64>,
    /// Steps after which a finite response is over.
    finite: Option<usize>,
    /// Steps that a response is followed at most.
    most_steps: usize,
    /// Multiplications that the proof took.
    proof: u64,
    /// Those that following responses may take, and what of them is left.
    allowed: u64,
    left: Cell<u64>,
    /// Whether a response was not followed to where its tail no longer counts.
    is_cut: Cell<bool>,
}

/// Work allowed in one proof, in states × steps.
const WORK: u64 = 1 << 22;
/// The same in multiplications, and as many again for all responses that are followed with it: some seconds.
const MULTIPLICATIONS: u64 = 4_000_000_000;
/// Up to so many states it is tried by squaring whether the system forgets at all.
const SQUARED: usize = 128;

fn norm(values: &[f64]) -> f64 {
    values.iter().fold(0.0, |largest, v| largest.max(v.abs()))
}

/// A and C by their nonzero entries.
#[derive(Debug, Clone, Default)]
struct Matrices {
    state: Vec<Vec<(usize, f64)>>,
    seen: Vec<Vec<(usize, f64)>>,
}

impl Matrices {
    /// Reads the entries off one step from each unit state.
    fn of<S: LinearSystem>(system: &mut S) -> Self {
        let states = system.states();
        let mut seen = vec![0.0; system.observed()];
        let mut matrices =
            Matrices { state: vec![Vec::new(); states], seen: vec![Vec::new(); seen.len()] };
        let mut state = vec![0.0; states];
        for column in 0..states {
            state.fill(0.0);
            state[column] = 1.0;
            system.step(&mut state, 0.0, &mut seen);
            let entries = |rows: &mut Vec<Vec<(usize, f64)>>, values: &[f64]| {
                for (row, value) in rows.iter_mut().zip(values).filter(|(_, value)| **value != 0.0)
                {
                    row.push((column, *value));
                }
            };
            entries(&mut matrices.state, &state);
            entries(&mut matrices.seen, &seen);
        }
        matrices
    }

    /// Multiplications of a step.
    fn entries(&self) -> u64 {
        self.state.iter().chain(&self.seen).map(Vec::len).sum::<usize>() as u64
    }

    /// One step without drive of many states at once, which stand side by side in each row; the same sums in
    /// the same order as of [`step`](Matrices::step). What is seen of each is added up by its size.
    fn step_all(&self, states: &mut Vec<f64>, next: &mut Vec<f64>, seen: &mut [f64]) {
        let count = self.state.len();
        // The last row of the scratch is for what is seen.
        next.resize(count * (count + 1), 0.0);
        let (next_states, sums) = next.split_at_mut(count * count);
        let product = |row: &Vec<(usize, f64)>, sums: &mut [f64]| {
            sums.fill(0.0);
            for (column, entry) in row {
                let from = &states[column * count..][..count];
                for (sum, value) in sums.iter_mut().zip(from) {
                    *sum += entry * value;
                }
            }
        };
        for (seen, row) in seen.iter_mut().zip(&self.seen) {
            product(row, sums);
            for value in sums.iter() {
                *seen += value.abs();
            }
        }
        for (row, into) in self.state.iter().zip(next_states.chunks_mut(count.max(1))) {
            product(row, into);
        }
        std::mem::swap(states, next);
    }

    /// One step without drive; `next` is scratch.
    fn step(&self, state: &mut Vec<f64>, next: &mut Vec<f64>, seen: &mut [f64]) {
        let product = |row: &Vec<(usize, f64)>| -> f64 {
            row.iter().map(|(column, entry)| entry * state[*column]).sum()
        };
        for (seen, row) in seen.iter_mut().zip(&self.seen) {
            *seen = product(row);
        }
        next.clear();
        next.extend(self.state.iter().map(product));
        std::mem::swap(state, next);
    }

    /// Which observed quantities a nonzero entry of this state can ever reach, by the entries alone.
    fn reached(&self, state: &[f64]) -> Vec<bool> {
        let mut marked: Vec<bool> = state.iter().map(|value| *value != 0.0).collect();
        let touches =
            |row: &Vec<(usize, f64)>, marked: &[bool]| row.iter().any(|(at, _)| marked[*at]);
        loop {
            let next: Vec<bool> = self
                .state
                .iter()
                .zip(&marked)
                .map(|(row, own)| *own || touches(row, &marked))
                .collect();
            if next == marked {
                return self.seen.iter().map(|row| touches(row, &marked)).collect();
            }
            marked = next;
        }
    }

    /// Whether some power A^(2^j) up to the work allowed is smaller than a quarter, by squaring: a quick
    /// look before the long proof, and no part of it.
    fn seems_to_forget(&self, steps: usize) -> bool {
        let states = self.state.len();
        let mut power = vec![0.0; states * states];
        for (row, entries) in self.state.iter().enumerate() {
            for (column, entry) in entries {
                power[row * states + column] = *entry;
            }
        }
        for _ in 0..=steps.max(1).ilog2() + 1 {
            let largest = power.chunks(states).map(|row| row.iter().map(|v| v.abs()).sum::<f64>());
            let size = largest.fold(0.0, f64::max);
            if size <= 0.25 || !size.is_finite() {
                return size <= 0.25;
            }
            let mut square = vec![0.0; states * states];
            for row in 0..states {
                for middle in 0..states {
                    let factor = power[row * states + middle];
                    for column in 0..states {
                        square[row * states + column] += factor * power[middle * states + column];
                    }
                }
            }
            power = square;
        }
        false
    }
}

impl Decay {
    /// Proves that the system forgets, and how fast.
    ///
    /// # Errors
    /// [`NotProved`] when it does not, or not fast enough.
    pub fn prove<S: LinearSystem>(system: &mut S) -> Result<Decay, NotProved> {
        Decay::prove_within(system, Effort::default())
    }

    /// The same with more or less effort. Responses that are followed with the proof end when it is spent:
    /// their norms are bounds all the same, only larger than they need be, and [`is_cut`](Decay::is_cut) says
    /// so.
    ///
    /// # Errors
    /// As of [`prove`](Decay::prove).
    pub fn prove_within<S: LinearSystem>(
        system: &mut S,
        effort: Effort,
    ) -> Result<Decay, NotProved> {
        let (states, observed) = (system.states(), system.observed());
        let mut seen = vec![0.0; observed];
        let mut ones = vec![1.0; states];
        system.step_absolute(&mut ones, 1.0, &mut seen);
        let gain = norm(&ones).max(norm(&seen)).max(1.0);
        let matrices = Matrices::of(system);
        let longest = matrices.state.iter().chain(&matrices.seen).map(Vec::len).max().unwrap_or(0);
        // Rounded operations in reading an entry off a step, and then in multiplying with it.
        let m = (system.operations() + longest + 4) as f64 * f64::EPSILON;
        let gamma = m / (1.0 - m);
        let gain = gain * (1.0 + gamma);
        let finite = system.finite();
        let mut decay = Decay {
            matrices,
            gamma,
            gain,
            path: 1.0,
            contraction: 0.0,
            behind: vec![0.0; observed],
            finite,
            most_steps: effort.times(WORK) as usize,
            proof: 0,
            allowed: effort.times(MULTIPLICATIONS),
            left: Cell::new(effort.times(MULTIPLICATIONS)),
            is_cut: Cell::new(false),
        };
        match finite {
            Some(steps) => decay.prove_finite(steps),
            None => decay.prove_recursive(effort)?,
        }
        Ok(decay)
    }

    /// |A|^k·1 bounds the rows of |A^k|; its sum over all k bounds Γ. Nothing is left behind the end.
    fn prove_finite(&mut self, steps: usize) {
        let mut absolute = self.matrices.clone();
        for (_, entry) in absolute.state.iter_mut().flatten() {
            *entry = entry.abs();
        }
        let states = absolute.state.len();
        let (mut state, mut next) = (vec![1.0; states], Vec::new());
        for _ in 0..steps {
            absolute.step(&mut state, &mut next, &mut []);
            self.path += norm(&state);
        }
        self.path *= 1.0 + 2.0 * self.gamma * (steps + 1) as f64;
    }

    fn prove_recursive(&mut self, effort: Effort) -> Result<(), NotProved> {
        let Decay { matrices, gamma, gain, .. } = &*self;
        let states = matrices.state.len();
        let many = states.max(1) as u64;
        let affordable = effort.times(MULTIPLICATIONS) / (many * matrices.entries().max(1));
        let limit = (effort.times(WORK) / many).min(affordable) as usize;
        if states <= SQUARED && !matrices.seems_to_forget(limit) {
            return Err(NotProved::NoDecay { steps: limit });
        }
        // A^k, row by row.
        let mut power = vec![0.0; states * (states + 1)];
        (0..states).for_each(|i| power[i * states + i] = 1.0);
        let mut next = Vec::new();
        let mut behind = vec![0.0; self.behind.len()];
        let (mut path, mut largest) = (0.0, 1.0f64);
        for step in 0..limit as u64 {
            let size = row_norm(&power[..states * states], states);
            if size <= 0.25 {
                let slip = gamma * gain * path;
                if slip >= 0.01 {
                    return Err(NotProved::Conditioning);
                }
                let true_path = path / (1.0 - slip);
                let contraction = size + gamma * gain * true_path * largest;
                if contraction >= 0.5 {
                    return Err(NotProved::Conditioning);
                }
                let error = gamma * gain * (1.0 + gain * true_path) * path * states as f64;
                self.behind = behind.iter().map(|sum| (sum + error) * (1.0 + 1e-9)).collect();
                // Γ over all k: blocks of M steps shrink by ρ.
                self.path = true_path / (1.0 - contraction);
                self.contraction = contraction;
                self.proof = step * many * self.matrices.entries();
                return Ok(());
            }
            if !size.is_finite() {
                break;
            }
            path += size;
            largest = largest.max(size);
            matrices.step_all(&mut power, &mut next, &mut behind);
        }
        Err(NotProved::NoDecay { steps: limit })
    }

    /// The response of every observed quantity to one unit of the system's drive at sample 0. The system is
    /// the one of the proof, driven from anywhere.
    pub fn impulse<S: LinearSystem>(&self, system: &mut S) -> Vec<PeakGain> {
        self.follow(system, true)
    }

    /// Whether a response was left before its tail fell below a part in 10¹² of its sum, as more was not to
    /// be done.
    pub fn is_cut(&self) -> bool {
        self.is_cut.get()
    }

    /// Multiplications that the proof and all that was followed with it took, about.
    pub fn work(&self) -> u64 {
        self.proof + (self.allowed - self.left.get())
    }

    /// The same without the samples of the responses: only what adds up from them, for systems that ring long
    /// and are looked at in many places.
    pub fn norms<S: LinearSystem>(&self, system: &mut S) -> Vec<PeakGain> {
        self.follow(system, false)
    }

    fn follow<S: LinearSystem>(&self, system: &mut S, keep: bool) -> Vec<PeakGain> {
        let mut state = vec![0.0; system.states()];
        let mut next = Vec::new();
        let mut seen = vec![0.0; system.observed()];
        let mut gains: Vec<PeakGain> = seen.iter().map(|_| PeakGain::default()).collect();
        let mut sizes = 1.0;
        system.step(&mut state, 1.0, &mut seen);
        let mut touched = self.matrices.reached(&state);
        for (touched, first) in touched.iter_mut().zip(&seen) {
            *touched |= *first != 0.0;
        }
        let cost = self.matrices.entries().max(1);
        let affordable = (self.left.get() / cost) as usize;
        let limit = self.finite.unwrap_or(self.most_steps.min(affordable));
        for step in 0..=limit {
            for (gain, value) in gains.iter_mut().zip(&seen) {
                gain.push(*value, keep);
            }
            if step % 16 == 0 && self.finite.is_none() {
                let size = norm(&state) / (1.0 - self.contraction);
                let over = |((gain, behind), touched): ((&PeakGain, &f64), &bool)| {
                    !touched || behind * size <= 1e-12 * gain.l1()
                };
                if gains.iter().zip(&self.behind).zip(&touched).all(over) {
                    break;
                }
                self.left.set(self.left.get().saturating_sub(16 * cost));
                if step + 16 > limit {
                    self.is_cut.set(true);
                }
            }
            if step == limit {
                // What this state brings is all in the tail.
                break;
            }
            sizes += norm(&state);
            self.matrices.step(&mut state, &mut next, &mut seen);
        }
        let states_off = self.gamma * self.gain * self.path * sizes;
        let computed_off = self.gain * states_off + self.gamma * self.gain * sizes;
        for ((gain, behind), touched) in gains.iter_mut().zip(&self.behind).zip(touched) {
            if !touched {
                continue;
            }
            let tail = behind * (norm(&state) + states_off) / (1.0 - self.contraction);
            // Adding up n terms is off by at most n units of the last place of the sum.
            let added = gain.samples as f64 * f64::EPSILON * gain.l1();
            gain.slack = (tail + computed_off + added) * (1.0 + 1e-9);
        }
        gains
    }
}

/// ‖A^k‖∞ from A^k.
fn row_norm(power: &[f64], states: usize) -> f64 {
    power
        .chunks(states.max(1))
        .map(|row| row.iter().map(|entry| entry.abs()).sum::<f64>())
        .fold(0.0, f64::max)
}

/// An impulse response and its norms; `slack` bounds all that the computed samples leave out.
#[derive(Debug, Clone, Default, PartialEq)]
pub struct PeakGain {
    response: Vec<f64>,
    samples: usize,
    positive: f64,
    negative: f64,
    energy: f64,
    slack: f64,
}

impl PeakGain {
    fn push(&mut self, value: f64, keep: bool) {
        if keep {
            self.response.push(value);
        }
        self.samples += 1;
        self.energy += value * value;
        if value > 0.0 {
            self.positive += value;
        } else {
            self.negative -= value;
        }
    }

    /// The computed samples of the response; none of one that was followed for its norms.
    pub fn response(&self) -> &[f64] {
        &self.response
    }

    /// How many samples were computed.
    pub fn samples(&self) -> usize {
        self.samples
    }

    /// Σ|h| of the computed samples.
    pub fn l1(&self) -> f64 {
        self.positive + self.negative
    }

    /// A proved upper bound on Σ|h|.
    pub fn l1_bound(&self) -> f64 {
        (self.l1() + self.slack) * (1.0 + f64::EPSILON)
    }

    /// Σh², an estimate.
    pub fn energy(&self) -> f64 {
        self.energy
    }

    /// Σh, an estimate: the gain for a constant.
    pub fn sum(&self) -> f64 {
        self.positive - self.negative
    }

    /// The lowest and highest level that drives between `low` and `high` can bring about, rounded
    /// outward.
    pub fn reach(&self, low: f64, high: f64) -> (f64, f64) {
        let largest = low.abs().max(high.abs());
        let slack = self.slack * largest;
        let up = self.positive * high - self.negative * low;
        let down = self.positive * low - self.negative * high;
        let outward = 4.0 * f64::EPSILON * self.l1() * largest;
        (down - slack - outward, up + slack + outward)
    }

    /// Whether the quantity cannot be moved by this drive at all.
    pub fn is_zero(&self) -> bool {
        self.l1() == 0.0 && self.slack == 0.0
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::datapath::{Drive, LinearDatapath, SectionWords, direct_form_1};
    use crate::fixed::{Overflow, Rounding, round_coefficients};

    /// A response that is left early has a bound all the same, above its true norm: what is left out is in
    /// the tail.
    #[test]
    fn a_response_that_is_cut_is_still_bounded() {
        let word = "s16f15".parse().unwrap();
        let words = SectionWords {
            input: word,
            output: word,
            rounding: Rounding::HalfUp,
            overflow: Overflow::Saturate,
        };
        // Poles at 0.99 and −0.98; and a pair at a radius of 0.995.
        for row in [[0.5, 0.0, 0.0, -0.01, -0.9702], [0.1, 0.2, 0.1, -1.9, 0.990_025]] {
            let table = round_coefficients(&[row.to_vec()], "s24".parse().unwrap()).unwrap();
            let filter = direct_form_1(&table, words).unwrap().check().unwrap();
            let mut model = LinearDatapath::new(&filter, Drive::INPUT);
            let decay = Decay::prove(&mut model).unwrap();
            let whole = decay.norms(&mut model).pop().unwrap();
            assert!(!decay.is_cut() && whole.l1_bound() < whole.l1() * (1.0 + 1e-6));
            for steps in [0, 32, 64, 256, 1_024] {
                decay.left.set(steps * decay.matrices.entries());
                decay.is_cut.set(false);
                let found = decay.norms(&mut model).pop().unwrap();
                assert!(
                    decay.is_cut() && found.samples() as u64 <= steps + 1,
                    "{steps}: {}",
                    found.samples()
                );
                assert!(
                    found.l1() <= whole.l1() && found.l1_bound() >= whole.l1(),
                    "{steps} {:e} {:e} {:e} {row:?}",
                    found.l1(),
                    found.l1_bound(),
                    whole.l1()
                );
            }
        }
    }
}
