//! Two systems side by side.

use super::LinearSystem;

/// The difference of two systems driven alike: the output of the first less that of the second.
///
/// Of each system the last observed quantity counts.
#[derive(Debug, Clone)]
pub struct Difference<A, B> {
    /// The one.
    pub first: A,
    /// What is taken away from it.
    pub second: B,
}

impl<A: LinearSystem, B: LinearSystem> LinearSystem for Difference<A, B> {
    fn states(&self) -> usize {
        self.first.states() + self.second.states()
    }
    fn observed(&self) -> usize {
        1
    }
    fn step(&mut self, state: &mut [f64], drive: f64, seen: &mut [f64]) {
        let (one, two) = state.split_at_mut(self.first.states());
        let mut from = [vec![0.0; self.first.observed()], vec![0.0; self.second.observed()]];
        self.first.step(one, drive, &mut from[0]);
        self.second.step(two, drive, &mut from[1]);
        seen[0] = from[0][from[0].len() - 1] - from[1][from[1].len() - 1];
    }
    fn step_absolute(&mut self, state: &mut [f64], drive: f64, seen: &mut [f64]) {
        let (one, two) = state.split_at_mut(self.first.states());
        let mut from = [vec![0.0; self.first.observed()], vec![0.0; self.second.observed()]];
        self.first.step_absolute(one, drive, &mut from[0]);
        self.second.step_absolute(two, drive, &mut from[1]);
        seen[0] = from[0][from[0].len() - 1] + from[1][from[1].len() - 1];
    }
    fn operations(&self) -> usize {
        self.first.operations().max(self.second.operations()) + 1
    }
    fn finite(&self) -> Option<usize> {
        Some(self.first.finite()?.max(self.second.finite()?))
    }
}
