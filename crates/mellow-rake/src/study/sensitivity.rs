//! What becomes of a filter whose coefficients are a little off.

use super::Study;
use crate::filter::Form;
use crate::implementation::Implementation;
use crate::quality::{Change, Sensitivity, ToleranceBand, sensitivity, tolerance_band};

/// The share of a coefficient by which it is changed where there are no words.
pub const SHARE_OF_A_COEFFICIENT: f64 = 1e-3;
/// Of so many products of a response a tolerance band is looked at on the whole grid; of more, on a coarser
/// one.
const MOST_WORK: usize = 200_000_000;

/// A filter whose coefficients are changed: with rounded coefficients by one LSB, where there are words, else
/// by a share of themselves.
#[derive(Debug, Clone, Copy)]
pub struct CoefficientStudy<'a> {
    study: &'a Study,
    integers: Option<&'a Implementation>,
    /// By how much each is changed.
    pub change: Change,
}

impl Study {
    /// Its coefficients, to be changed by a share of themselves, or by one LSB where no share is given and
    /// there are words.
    pub fn coefficients(&self, share: Option<f64>) -> CoefficientStudy<'_> {
        let integers = self.implementation().ok().flatten();
        let change = match (share, integers) {
            (None, Some(words)) => Change::Step(words.table.format.step()),
            _ => Change::Fraction(share.unwrap_or(SHARE_OF_A_COEFFICIENT)),
        };
        CoefficientStudy { study: self, integers, change }
    }
}

impl<'a> CoefficientStudy<'a> {
    /// The filter whose coefficients are changed.
    pub fn form(&self) -> &'a Form {
        self.integers.map_or(&self.study.design.form, |words| &words.rounded)
    }

    /// "rounded" or "designed".
    pub fn which(&self) -> &'static str {
        if self.integers.is_some() { "rounded" } else { "designed" }
    }

    /// The change in words: "one LSB of s16f14", "0.001 of itself".
    pub fn how(&self) -> String {
        match (self.change, self.integers) {
            (Change::Step(_), Some(words)) => format!("one LSB of {}", words.table.format),
            (Change::Step(step), None) => format!("{step}"),
            (Change::Fraction(share), _) => format!("{share} of itself"),
        }
    }

    /// Each coefficient changed up and down, ranked by what that does at frequencies in hertz, which rise.
    pub fn ranked(&self, hertz: &[f64]) -> Sensitivity {
        let (choice, rate) = (&self.study.design.choice, self.study.spec.sample_rate);
        sensitivity(self.form(), choice, rate, hertz, self.change)
    }

    /// All coefficients changed at random, `trials` times from a seed, looked at on some of the frequencies;
    /// on all of those in `always`.
    pub fn scattered(
        &self,
        hertz: &[f64],
        always: &[f64],
        (trials, seed): (usize, u64),
    ) -> ToleranceBand {
        let products = match self.form() {
            Form::Sections(sections) => 5 * sections.0.len(),
            Form::Taps(taps) => taps.0.len(),
        };
        let every = (products * trials * hertz.len()).div_ceil(MOST_WORK).max(1);
        let kept = hertz.iter().enumerate();
        let kept: Vec<f64> = kept
            .filter(|(k, hz)| k % every == 0 || always.contains(hz))
            .map(|(_, hz)| *hz)
            .collect();
        let (choice, rate) = (&self.study.design.choice, self.study.spec.sample_rate);
        tolerance_band(self.form(), choice, rate, &kept, self.change, (trials, seed))
    }
}
