//! The words of a chain: `[fixed]` and `[stage.fixed]`.

use super::read::{Keys, WORD_FORMS};
use super::{ChainFixed, OscillatorFixed, Problem, SpecError, StageFixed, Structure, Tables};
use crate::effort::Effort;
use crate::fixed::{Overflow, Rounding};

const WIDTH_FORMS: &str = "a word in quotes, as \"s18\" (fraction chosen) or \"s18f17\"";

/// The words that all stages have, and what goes in and comes out.
pub(super) fn fixed(top: &Keys<'_>, effort: Effort) -> Result<Option<ChainFixed>, SpecError> {
    let known = [
        "input",
        "output",
        "between",
        "coefficients",
        "rounding",
        "overflow",
        "prune",
        "oscillator",
    ];
    let Some(keys) = top.table("fixed", "fixed.", &known)? else { return Ok(None) };
    let input = keys.need("input", WORD_FORMS)?.parse(WORD_FORMS)?;
    let mut fixed = ChainFixed { effort, ..ChainFixed::new(input) };
    if let Some(found) = keys.find("output") {
        fixed.output = found.parse(WORD_FORMS)?;
    }
    fixed.between = keys.find("between").map(|found| found.parse(WIDTH_FORMS)).transpose()?;
    fixed.usual = stage(&keys, fixed.usual)?;
    fixed.oscillator = oscillator(&keys)?;
    Ok(Some(fixed))
}

const STEPS: [(&str, bool); 2] = [("constant", false), ("loadable", true)];

/// The words of an oscillator.
fn oscillator(keys: &Keys<'_>) -> Result<OscillatorFixed, SpecError> {
    let mut words = OscillatorFixed::default();
    let known = ["phase_bits", "address_bits", "value_bits", "dither", "steps"];
    let Some(own) = keys.table("oscillator", "fixed.oscillator.", &known)? else {
        return Ok(words);
    };
    let bits = |key: &'static str, range: [i64; 2]| {
        own.find(key).map(|found| found.integer(range[0]..range[1] + 1)).transpose()
    };
    if let Some(found) = bits("phase_bits", [4, 32])? {
        words.phase_bits = found as u32;
    }
    let most = i64::from(words.phase_bits.min(16));
    words.address_bits = bits("address_bits", [4, most])?.map(|found| found as u32);
    if let Some(found) = bits("value_bits", [2, 32])? {
        words.value_bits = found as u32;
    }
    let steps = own.find("steps").map(|found| found.choice(&STEPS)).transpose()?;
    words.loads_steps = steps.unwrap_or(false);
    words.dither = bits("dither", [1, u32::MAX.into()])?.map(|seed| seed as u32);
    Ok(words)
}

/// The words of a stage, where it has a table for them.
pub(super) fn stage_fixed(
    keys: &Keys<'_>,
    usual: Option<StageFixed>,
) -> Result<Option<StageFixed>, SpecError> {
    let known = ["output", "coefficients", "structure", "rounding", "overflow", "prune"];
    let Some(own) = keys.table("fixed", "stage.fixed.", &known)? else { return Ok(usual) };
    let Some(usual) = usual else {
        let place = keys.need("fixed", "a table [stage.fixed]")?;
        return Err(place.error(Problem::Range {
            found: "words of a stage, and no table [fixed]".to_owned(),
            accepted: "[fixed] with the input, as input = \"s16f15\", for all stages".to_owned(),
        }));
    };
    let mut fixed = stage(&own, usual)?;
    fixed.output = own.find("output").map(|found| found.parse(WIDTH_FORMS)).transpose()?;
    let recursive = Structure::ALL.iter().filter(|one| one.facts().tables != Tables::Taps);
    let structures: Vec<_> = recursive.map(|one| (one.facts().name, *one)).collect();
    fixed.structure = own.find("structure").map(|found| found.choice(&structures)).transpose()?;
    Ok(Some(fixed))
}

/// What both tables may hold.
fn stage(keys: &Keys<'_>, usual: StageFixed) -> Result<StageFixed, SpecError> {
    let roundings = Rounding::ALL.map(|rounding| (rounding.as_str(), rounding));
    let overflows = Overflow::ALL.map(|overflow| (overflow.as_str(), overflow));
    let mut fixed = usual;
    if let Some(found) = keys.find("coefficients") {
        fixed.coefficients = found.parse(WIDTH_FORMS)?;
    }
    if let Some(found) = keys.find("rounding") {
        fixed.rounding = found.choice(&roundings)?;
    }
    if let Some(found) = keys.find("overflow") {
        fixed.overflow = found.choice(&overflows)?;
    }
    if let Some(found) = keys.find("prune") {
        fixed.prune = found.boolean()?;
    }
    Ok(fixed)
}
