//! The same filter in other structures.

use super::budget::Budget;
use super::figures::StructureFigures;
use super::{bound_lsb, noise_lsb};
use crate::implementation::implement_toward;
use crate::spec::{Fixed, Structure};
use crate::study::{Jobs, Study, Workers};

impl Study {
    /// The filter in a structure with these words.
    pub(super) fn in_structure(&self, fixed: Fixed, structure: Structure) -> StructureFigures {
        let mut row = StructureFigures {
            structure: structure.as_str(),
            noise_rms_lsb: None,
            error_bound_lsb: None,
            keeps_template: None,
            state_bits: None,
            multiplies: None,
            reason: None,
        };
        match implement_toward(&self.design.form, fixed.in_structure(structure), &self.goal()) {
            Err(error) => row.reason = Some(error.keyed()),
            Ok(filter) => {
                let cost = filter.checked.cost();
                row.noise_rms_lsb = noise_lsb(&filter);
                row.error_bound_lsb = bound_lsb(&filter);
                row.keeps_template = self.excess_db(&filter).map(|excess| excess <= 0.0);
                row.state_bits = Some(cost.state_bits);
                row.multiplies = Some(cost.multiplies_per_sample);
            }
        }
        row
    }

    /// The filter in all structures that take it, as far as the budget reaches.
    pub(super) fn structures(
        &self,
        fixed: Fixed,
        budget: &Budget,
        workers: &impl Workers,
    ) -> Vec<StructureFigures> {
        let alike: Vec<Structure> = alike(fixed.structure).collect();
        let some = alike[..budget.takes(alike.len())].to_vec();
        workers.all("comparing", Jobs::of(some, |one| self.in_structure(fixed, one)))
    }
}

/// The structures for the same kind of filter.
pub(super) fn alike(structure: Structure) -> impl Iterator<Item = Structure> {
    let for_taps = structure.is_for_taps();
    Structure::ALL.into_iter().filter(move |one| one.is_for_taps() == for_taps)
}
