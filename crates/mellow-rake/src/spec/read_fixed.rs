//! The table `[fixed]`.

use super::SpecError;
use super::error::Problem;
use super::fixed::{ArrangementWish, Fixed, IntegerWish, Scaling, Structure};
use super::read::{Found, Keys, WORD_FORMS};
use crate::fixed::{Overflow, Rounding};

pub(super) fn fixed(top: &Keys<'_>) -> Result<Option<Fixed>, SpecError> {
    let known = [
        "input",
        "output",
        "coefficients",
        "state",
        "structure",
        "rounding",
        "overflow",
        "scaling",
        "scaling_steps",
        "section_order",
        "coefficient_search",
        "signed_digits",
        "unit_sum",
    ];
    let Some(keys) = top.table("fixed", "fixed.", &known)? else {
        return Ok(None);
    };
    let coefficients = "a word in quotes, as \"s16\" (fraction chosen) or \"s18f17\"";
    let structures = Structure::ALL.map(|structure| (structure.as_str(), structure));
    let roundings = Rounding::ALL.map(|rounding| (rounding.as_str(), rounding));
    let overflows = Overflow::ALL.map(|overflow| (overflow.as_str(), overflow));
    let structure = keys
        .need("structure", "\"direct-form-1\" for recursive filters, \"fir-direct\" for taps")?
        .choice(&structures)?;
    let state = match keys.find("state") {
        None => None,
        Some(found) if !structure.has_state() => {
            return Err(found.error(Problem::Range {
                found: format!("a state for \"{}\"", structure.as_str()),
                accepted: "no such key: this structure remembers its inputs, outputs or whole sums; direct-form-2, \
                           direct-form-1-transposed, coupled, all-pass-sum and the lattices have states"
                    .to_owned(),
            }));
        }
        Some(found) => Some(found.parse(WORD_FORMS)?),
    };
    Ok(Some(Fixed {
        input: keys.need("input", WORD_FORMS)?.parse(WORD_FORMS)?,
        output: keys.need("output", WORD_FORMS)?.parse(WORD_FORMS)?,
        coefficients: keys.need("coefficients", coefficients)?.parse(coefficients)?,
        state,
        structure,
        rounding: keys
            .need("rounding", "floor, half-up, half-even, half-away, toward-zero")?
            .choice(&roundings)?,
        overflow: keys.need("overflow", "saturate, wrap, forbid")?.choice(&overflows)?,
        arrangement: arrangement(&keys, structure)?,
        integers: integers(&keys, structure)?,
    }))
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
