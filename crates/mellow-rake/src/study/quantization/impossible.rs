//! Words that cannot carry the filter at all: why, and what can.

use super::budget::Budget;
use super::figures::{Impossible, LowerRate, least};
use super::noise_lsb;
use crate::datapath::BuildError;
use crate::fixed::CoefficientFormat;
use crate::implementation::{ImplementError, implement_toward};
use crate::spec::Fixed;
use crate::study::{Study, StudyError, Workers};

/// Whether other words or structures may do what these cannot; of other errors the advice beside them says
/// what would do.
fn is_of_words(error: &ImplementError) -> bool {
    use ImplementError::{Build, NoBound, NothingLeft, Reflection, State, Unstable};
    matches!(
        error,
        Unstable { .. }
            | Reflection { .. }
            | NothingLeft { .. }
            | State { .. }
            | NoBound { .. }
            | Build(BuildError::Accumulator { .. })
    )
}

impl Study {
    /// Where the words of the spec cannot carry its filter, but others may: why, and what can. `None` where
    /// they can, where there are none, or where no words could.
    pub fn impossible(&self, workers: &impl Workers) -> Option<Impossible> {
        let (Some(fixed), Err(StudyError::Implement { error, .. })) =
            (self.spec.fixed, self.implementation())
        else {
            return None;
        };
        if !is_of_words(&error) {
            return None;
        }
        let free = Budget::free();
        let structures = self.structures(fixed, &free, workers);
        let fewest = self.fewest_bits(fixed);
        let at_lower_rates: Vec<LowerRate> = self.at_lower_rates(fixed, &free).collect();
        let structure = fixed.structure.as_str();
        let with_as_many_bits = fewest.and_then(|(bits, _)| {
            let coefficients = of_width(fixed.coefficients, bits);
            let then = self.structures(Fixed { coefficients, ..fixed }, &free, workers);
            least(&then, |row| row.noise_rms_lsb).filter(|row| row.structure != structure).cloned()
        });
        let has_moved =
            matches!(*error, ImplementError::Unstable { .. } | ImplementError::Reflection { .. });
        Some(Impossible {
            name: self.spec.name.to_string(),
            structure,
            reason: error.keyed(),
            fewest_coefficient_bits: fewest.map(|(bits, _)| bits),
            noise_rms_lsb: fewest.and_then(|(_, noise)| noise),
            at_lower_rates,
            structures,
            with_as_many_bits,
            pole_radius: self.design.form.pole_radius().filter(|_| has_moved),
        })
    }

    /// The fewest bits of coefficients, more than were asked for, with which the structure is possible and
    /// keeps its template, and the noise that it leaves then.
    fn fewest_bits(&self, fixed: Fixed) -> Option<(u32, Option<f64>)> {
        let (form, goal) = (&self.design.form, self.goal());
        (fixed.coefficients.width + 1..=48).find_map(|bits| {
            let coefficients = of_width(fixed.coefficients, bits);
            let found = implement_toward(form, Fixed { coefficients, ..fixed }, &goal).ok()?;
            let keeps = self.excess_db(&found).is_none_or(|excess| excess <= 0.0);
            keeps.then(|| (bits, noise_lsb(&found)))
        })
    }
}

/// A format of so many bits, its fraction chosen anew.
fn of_width(format: CoefficientFormat, width: u32) -> CoefficientFormat {
    CoefficientFormat { width, fraction: None, ..format }
}
