//! From a filter in f64 to the integer program that stands for it, with what rounding its coefficients did.

mod advice;
mod arrange;
mod chain;
mod error;
mod formats;
mod integers;
mod prepared;
mod prune;
mod state;

pub use advice::{Advice, advice};
pub use arrange::Arrangement;
pub use chain::{
    ChainImplementError, ChainImplementation, MixerWords, StageError, StageWords, implement_chain,
};
pub use error::ImplementError;
pub use formats::ChosenBetween;
pub use integers::{Goal, IntegerChoice};
pub use state::ChosenState;

use crate::datapath::{Checked, Drive, LinearDatapath, NoisePrediction, NotPredicted};
use crate::filter::{Decay, Difference, Form, NotProved, PeakGain};
use crate::fixed::{Overflow, RoundedTable, WordFormat};
use crate::spec::{ArrangementWish, Fixed, Tables};
use arrange::arrange;
use prepared::Prepared;

/// A filter on integers, beside the one that was designed.
#[derive(Debug, Clone)]
pub struct Implementation {
    /// The words that were asked for.
    pub fixed: Fixed,
    /// The coefficients as integers: one row per section, b0, b1, b2, a1, a2; of the coupled form a11, a12,
    /// b1, a21, a22, b2, c1, c2, d; of an all-pass a1, a2 or a1 alone, branch after branch; of a lattice k1,
    /// k2, …; or one row of taps.
    pub table: RoundedTable,
    /// The taps of the ladder of a lattice, in a format of their own.
    pub ladder: Option<RoundedTable>,
    /// How its sections were arranged, where that was asked for.
    pub arrangement: Option<Arrangement>,
    /// What came of a search for better integers, where that was asked for.
    pub integers: Option<IntegerChoice>,
    /// The format of what goes from section to section, where there are several or where it was given.
    pub between: Option<ChosenBetween>,
    /// The format of what is remembered, and why it is that one, where the structure has states.
    pub state: Option<ChosenState>,
    /// The filter with these coefficients, in f64.
    pub rounded: Form,
    /// The integer program.
    pub checked: Checked,
    /// What is expected of its errors, or why nothing can be said about them.
    pub predictions: Result<Predictions, NotProved>,
    prepared: Prepared,
}

/// What is expected of the errors of an implementation.
#[derive(Debug, Clone)]
#[non_exhaustive]
pub struct Predictions {
    /// What its roundings are expected to add on white noise of half scale, or why that is not predicted.
    pub noise: Result<NoisePrediction, NotPredicted>,
    /// Impulse response of the rounded less the designed filter.
    pub coefficient_error: PeakGain,
}

/// Puts a designed filter on integers. Where integers are searched, they are to keep the designed response.
///
/// # Errors
/// [`ImplementError`] names the key and what would fit.
pub fn implement(designed: &Form, fixed: Fixed) -> Result<Implementation, ImplementError> {
    implement_toward(designed, fixed, &Goal::Response)
}

/// Puts a designed filter on integers; where integers are searched, they are to leave as much of a goal as
/// can be.
///
/// # Errors
/// As of [`implement`].
///
/// ```
/// use mellow_rake::implementation::{Goal, implement_toward};
/// use mellow_rake::{design::design, spec::{Spec, template}};
/// let mut spec = Spec::parse(template("lowpass").unwrap())?;
/// let mut fixed = spec.fixed.unwrap();
/// fixed.integers.search = true;
/// let design = design(&spec)?;
/// let found = implement_toward(&design.form, fixed, &Goal::of(&spec, &design))?.integers.unwrap();
/// assert!(found.found <= found.nearest);
/// # Ok::<(), Box<dyn std::error::Error>>(())
/// ```
pub fn implement_toward(
    designed: &Form,
    fixed: Fixed,
    goal: &Goal,
) -> Result<Implementation, ImplementError> {
    let arranged = match designed {
        Form::Sections(sections) if fixed.arrangement != ArrangementWish::default() => {
            Some(arrange(sections, fixed.arrangement, fixed.structure))
        }
        _ => None,
    };
    let (form, arrangement) = match arranged {
        Some((sections, arrangement)) => (&Form::from(sections), Some(arrangement)),
        None => (designed, None),
    };
    let mut prepared = Prepared::new(form, fixed)?;
    let integers = match &mut prepared {
        Prepared::Sections(table) | Prepared::Taps(table) => {
            integers::choose(table, form, fixed.integers, goal)?
        }
        _ => None,
    };
    prepared.check_left(designed)?;
    let rounded = prepared.rounded(fixed)?;
    let mut between = formats::between(&fixed, prepared.tables().0.rows.len())?;
    let asked = fixed;
    let fixed = Fixed { between: between.map(|between| between.format), ..asked };
    let mut state = state::choose(&prepared, fixed)?;
    formats::with_room(&prepared, fixed, &mut between, &mut state)?;
    let fixed = Fixed { between: between.map(|between| between.format), ..asked };
    let format = state.as_ref().map_or(fixed.output, |state| state.format);
    let checked = formats::settle(prepared.build(fixed, format)?, &fixed)?;
    let predictions = predict(&checked, designed);
    let (table, ladder) = prepared.tables();
    Ok(Implementation {
        fixed: asked,
        table,
        ladder,
        arrangement,
        integers,
        between,
        state,
        rounded,
        checked,
        predictions,
        prepared,
    })
}

impl Implementation {
    /// What its roundings are expected to add to white noise of half scale.
    ///
    /// # Errors
    /// [`NotPredicted`] says why nothing can be said.
    pub fn predicted_noise(&self) -> Result<NoisePrediction, NotPredicted> {
        self.predictions.as_ref().map_err(|why| NotPredicted::from(*why))?.noise
    }

    /// How many more filters of this kind may be put on integers, to be compared with it, for some seconds of
    /// its spec's effort.
    pub fn affordable(&self) -> usize {
        /// Multiplications, some seconds of them.
        const WORK: u64 = 5_000_000_000;
        /// Proofs for one filter: of its states, as built, as narrowed, and of what its coefficients do.
        const PROOFS: u64 = 4;
        /// Searches through the response for what is measured on it, each over a grid that is as dense as
        /// ripples can be; a tap is some multiplications at each point.
        const SEARCHES: u64 = 32;
        let one = self.checked.facts().bounds().as_ref().map_or(0, |bounds| bounds.work);
        let measured = match &self.rounded {
            Form::Taps(taps) => {
                let count = taps.0.len() as u64;
                SEARCHES * count * (2_000 + 6 * count) / PROOFS
            }
            _ => 0,
        };
        let one = one + measured;
        (self.fixed.effort.times(WORK) / (PROOFS * one).max(1)).try_into().unwrap_or(usize::MAX)
    }

    /// Whether it is proved that no limit can ever act from the zero state.
    pub fn no_limit_acts(&self) -> bool {
        self.checked.facts().bounds().as_ref().is_ok_and(|bounds| bounds.no_limit_acts())
    }

    /// The words that go from section to section; the output of what is no cascade.
    pub fn carried(&self) -> WordFormat {
        self.between.map_or(self.fixed.output, |between| between.format)
    }

    /// One section of a cascade by itself, or one of the all-passes of a sum, with the words that it has
    /// there; the whole lattice for a filter that is one. `None` for taps and where there is no such section.
    pub fn section(&self, index: usize) -> Option<Checked> {
        let one = self.prepared.section(index)?;
        let mut fixed = self.fixed;
        // By itself a section may be given more than comes to it in the filter; where no limit can act there,
        // all overflows are one filter.
        if self.no_limit_acts() {
            fixed.overflow = Overflow::Saturate;
        }
        if fixed.structure.facts().tables != Tables::AllPasses {
            fixed.output = self.carried();
            fixed.between = None;
            if self.table.rows.len() > 1 {
                fixed.input = fixed.output;
            }
        }
        let state = self.state.as_ref().map_or(fixed.output, |state| state.format);
        let datapath = one.build(fixed, state).ok()?;
        let datapath = match fixed.products {
            Some(format) => datapath.with_products(format, fixed.rounding).ok()?,
            None => datapath,
        };
        datapath.check_within(fixed.effort).ok()
    }
}

fn predict(checked: &Checked, designed: &Form) -> Result<Predictions, NotProved> {
    let noise = checked.facts().bounds().as_ref().map_err(|why| *why)?.noise;
    let first = LinearDatapath::new(checked, Drive::INPUT);
    let mut difference = Difference { first, second: designed.clone() };
    let decay = Decay::prove_within(&mut difference, checked.facts().effort())?;
    let coefficient_error = decay.impulse(&mut difference).pop().unwrap_or_default();
    Ok(Predictions { noise, coefficient_error })
}
