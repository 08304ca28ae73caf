//! The table `[fixed]`.

use super::SpecError;
use super::Structure;
use super::error::Problem;
use super::fixed::{ArrangementWish, Fixed, Fractions, IntegerWish, Scaling};
use super::read::{Found, Keys, WORD_FORMS};
use crate::fixed::{Overflow, Rounding, WordFormat};

/// The keys of the table.
pub(super) const KNOWN: [&str; 18] = [
    "input",
    "output",
    "coefficients",
    "coefficient_fraction",
    "products",
    "accumulator",
    "between",
    "state",
    "structure",
    "multiplier",
    "rounding",
    "overflow",
    "scaling",
    "scaling_steps",
    "section_order",
    "coefficient_search",
    "signed_digits",
    "unit_sum",
];

/// The words of a filter that has taps, or sections; what is not given is chosen.
pub(super) fn fixed(top: &Keys<'_>, has_taps: bool) -> Result<Option<Fixed>, SpecError> {
    let Some(keys) = top.table("fixed", "fixed.", &KNOWN)? else {
        return Ok(None);
    };
    let coefficients = "a word in quotes, as \"s16\" (fraction chosen) or \"s18f17\"";
    let structures = Structure::ALL.map(|structure| (structure.as_str(), structure));
    let roundings = Rounding::ALL.map(|rounding| (rounding.as_str(), rounding));
    let overflows = Overflow::ALL.map(|overflow| (overflow.as_str(), overflow));
    let input: WordFormat = keys.need("input", WORD_FORMS)?.parse(WORD_FORMS)?;
    let found = keys.find("structure");
    let usual = if has_taps { Structure::FirDirect } else { Structure::DirectForm1 };
    let structure = found.as_ref().map_or(Ok(usual), |found| found.choice(&structures))?;
    let mut fixed = Fixed::new(structure, input);
    fixed.chosen.structure = found.is_none();
    if let Some(found) = keys.find("output") {
        (fixed.output, fixed.chosen.output) = (found.parse(WORD_FORMS)?, false);
    }
    if let Some(found) = keys.find("coefficients") {
        (fixed.coefficients, fixed.chosen.coefficients) = (found.parse(coefficients)?, false);
    }
    if let Some(found) = keys.find("rounding") {
        (fixed.rounding, fixed.chosen.rounding) = (found.choice(&roundings)?, false);
    }
    if let Some(found) = keys.find("overflow") {
        (fixed.overflow, fixed.chosen.overflow) = (found.choice(&overflows)?, false);
    }
    if let Some(found) = keys.find("state") {
        if !structure.has_state() {
            let accepted = "no such key: this structure remembers its inputs, outputs or whole sums; \
                direct-form-2, direct-form-1-transposed, coupled, all-pass-sum and the lattices have states";
            return Err(refuse(&found, structure, accepted));
        }
        fixed.state = Some(found.parse(WORD_FORMS)?);
    }
    fixed.fractions = fractions(&keys, structure)?;
    fixed.products =
        placed(&keys, "products", structure)?.map(|found| found.parse(WORD_FORMS)).transpose()?;
    let forms = "a word in quotes, as \"s40\" (fraction of the products) or \"s40f30\"";
    fixed.accumulator =
        placed(&keys, "accumulator", structure)?.map(|found| found.parse(forms)).transpose()?;
    fixed.between =
        placed(&keys, "between", structure)?.map(|found| found.parse(WORD_FORMS)).transpose()?;
    fixed.multiplier = keys.find("multiplier").map_or(Ok(true), |found| found.boolean())?;
    fixed.arrangement = arrangement(&keys, structure)?;
    fixed.integers = integers(&keys, structure)?;
    Ok(Some(fixed))
}

/// Which coefficients share a fraction.
fn fractions(keys: &Keys<'_>, structure: Structure) -> Result<Fractions, SpecError> {
    let Some(found) = keys.find("coefficient_fraction") else { return Ok(Fractions::Common) };
    let fractions = found.choice(&Fractions::ALL.map(|one| (one.as_str(), one)))?;
    if !structure.is_cascade() {
        let accepted = "no such key: only the sections of a cascade have rows of their own";
        return Err(refuse(&found, structure, accepted));
    }
    if fractions == Fractions::ZerosAndPoles && !structure.has_plain_coefficients() {
        let accepted = "\"common\" or \"per-section\": the coefficients of this structure are not those of \
            zeros and poles";
        return Err(refuse(&found, structure, accepted));
    }
    Ok(fractions)
}

/// A word that only some structures have a place for.
fn placed<'a>(
    keys: &'a Keys<'_>,
    key: &'static str,
    structure: Structure,
) -> Result<Option<Found<'a>>, SpecError> {
    let Some(found) = keys.find(key) else { return Ok(None) };
    let (has_place, accepted) = match key {
        "between" => {
            let accepted = "no such key: only a cascade has words between its sections";
            (structure.is_cascade(), accepted)
        }
        _ => {
            let accepted = "no such key: it is for products that are added up in sums which are rounded at \
                once, in direct-form-1, direct-form-2, fir-direct, fir-folded and fir-skip-zeros";
            (structure.adds_whole_products(), accepted)
        }
    };
    if has_place { Ok(Some(found)) } else { Err(refuse(&found, structure, accepted)) }
}

/// A key that this structure has no use for.
fn refuse(found: &Found<'_>, structure: Structure, accepted: &str) -> SpecError {
    found.error(Problem::Range {
        found: format!("it with \"{}\"", structure.as_str()),
        accepted: accepted.to_owned(),
    })
}

fn arrangement(keys: &Keys<'_>, structure: Structure) -> Result<ArrangementWish, SpecError> {
    let mut wish = ArrangementWish::default();
    let given =
        ["scaling", "scaling_steps", "section_order"].into_iter().find_map(|key| keys.find(key));
    if let Some(found) = given.filter(|_| !structure.is_cascade()) {
        let accepted =
            "no such key: only a cascade of sections has an order and words between them";
        return Err(refuse(&found, structure, accepted));
    }
    if let Some(found) = keys.find("scaling") {
        wish.scaling = found.choice(&Scaling::ALL.map(|one| (one.as_str(), one)))?;
    }
    if let Some(found) = keys.find("scaling_steps") {
        wish.powers_of_two = found.choice(&[("exact", false), ("powers-of-two", true)])?;
        if wish.scaling == Scaling::AsDesigned {
            let accepted = "no such key without a scaling: worst-case, peak or energy".to_owned();
            return Err(found.error(Problem::Range { found: "it alone".to_owned(), accepted }));
        }
    }
    if let Some(found) = keys.find("section_order") {
        wish.quietest = found.choice(&[("as-designed", false), ("quietest", true)])?;
    }
    Ok(wish)
}

fn integers(keys: &Keys<'_>, structure: Structure) -> Result<IntegerWish, SpecError> {
    let mut wish = IntegerWish::default();
    if let Some(found) = keys.find("coefficient_search") {
        wish.search = found.choice(&[("nearest", false), ("neighbours", true)])?;
        if !structure.has_plain_coefficients() {
            let accepted =
                "no such key: neighbouring integers are searched for taps and for the direct forms";
            return Err(refuse(&found, structure, accepted));
        }
    }
    if let Some(found) = keys.find("signed_digits") {
        wish.digits = Some(found.integer(1..25)? as u32);
        if !structure.has_plain_coefficients() {
            let accepted = "no such key: signed digits are there for taps and for the direct forms";
            return Err(refuse(&found, structure, accepted));
        }
    }
    if let Some(found) = keys.find("unit_sum") {
        wish.unit_sum = found.boolean()?;
        if !structure.is_for_taps() {
            return Err(refuse(&found, structure, "no such key: the sum of taps is for taps"));
        }
        if wish.unit_sum && wish.digits.is_some() {
            let accepted = "one of the two: few signed digits leave no unit to move".to_owned();
            return Err(
                found.error(Problem::Range { found: "it with signed_digits".to_owned(), accepted })
            );
        }
    }
    Ok(wish)
}
