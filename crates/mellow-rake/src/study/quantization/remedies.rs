//! Where rounding the coefficients loses the template: changes of the spec that keep it, with what they
//! leave.

use super::budget::Budget;
use super::figures::Remedy;
use crate::implementation::implement_toward;
use crate::spec::{Fixed, Fractions};
use crate::study::{Jobs, Study, Workers};

/// Up to so many signed digits more are tried.
const MORE_DIGITS: u32 = 4;
/// Up to so many bits more are tried.
const MORE: u32 = 16;

impl Study {
    /// Changes tried where the words of the spec lose a template, and what each leaves of it; `None` where
    /// there is nothing to mend, or the design itself misses it.
    pub(super) fn remedies(
        &self,
        fixed: Fixed,
        [designed, rounded]: [Option<f64>; 2],
        budget: &Budget,
        workers: &impl Workers,
    ) -> Option<Vec<Remedy>> {
        if designed? < 0.0 || rounded? >= 0.0 {
            return None;
        }
        let (form, goal) = (&self.design.form, self.goal());
        let try_one = |(change, words): (String, Fixed)| {
            let filter = implement_toward(form, words, &goal).ok();
            let excess = filter.and_then(|filter| self.excess_db(&filter));
            Remedy { change, margin_db: excess.map(|excess| 0.0 - excess) }
        };
        let mut changes = Vec::new();
        let apart = match fixed.structure {
            structure if !structure.is_cascade() => None,
            structure if structure.has_plain_coefficients() => Some(Fractions::ZerosAndPoles),
            _ => Some(Fractions::PerSection),
        };
        let apart = apart.filter(|_| fixed.coefficients.fraction.is_none());
        if let Some(fractions) = apart.filter(|fractions| *fractions != fixed.fractions) {
            let change = format!("coefficient_fraction = \"{}\"", fractions.as_str());
            changes.push((change, Fixed { fractions, ..fixed }));
        }
        if fixed.structure.has_plain_coefficients() && !fixed.integers.search {
            let search = "coefficient_search = \"neighbours\"";
            let searched = |mut words: Fixed| {
                words.integers.search = true;
                words
            };
            let both = changes
                .first()
                .map(|(change, words)| (format!("{change} and {search}"), searched(*words)));
            changes.push((search.to_owned(), searched(fixed)));
            changes.extend(both);
        }
        changes.truncate(budget.takes(changes.len()));
        let mut tried = workers.all("trying remedies", Jobs::of(changes, &try_one));
        // More digits, as far as they are few.
        if let Some(digits) = fixed.integers.digits {
            tried.extend(first_that_keeps(
                digits + 1..=(digits + MORE_DIGITS).min(24),
                budget,
                |digits| {
                    let mut words = fixed;
                    words.integers.digits = Some(digits);
                    try_one((format!("signed_digits = {digits}"), words))
                },
            ));
        }
        let width = fixed.coefficients.width;
        tried.extend(first_that_keeps(width + 1..=(width + MORE).min(48), budget, |width| {
            let mut words = fixed;
            (words.coefficients.width, words.coefficients.fraction) = (width, None);
            try_one((format!("coefficients = \"{}\"", words.coefficients), words))
        }));
        Some(tried)
    }
}

/// The first of some changes that keeps the template, or the last.
fn first_that_keeps(
    numbers: std::ops::RangeInclusive<u32>,
    budget: &Budget,
    mut try_one: impl FnMut(u32) -> Remedy,
) -> Option<Remedy> {
    let mut last = None;
    for number in numbers {
        if budget.takes(1) == 0 {
            break;
        }
        let one = try_one(number);
        if one.keeps() {
            return Some(one);
        }
        last = Some(one);
    }
    last
}
