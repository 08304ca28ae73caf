//! The table `[float]`.

use super::error::Problem;
use super::float::Float;
use super::read::{Keys, Tabled};
use super::read_fixed::KNOWN as OF_WORDS;
use super::{Fixed, SpecError};
use crate::float::{FloatFormat, FloatStructure};

const KNOWN: [&str; 3] = ["format", "structure", "peak"];

/// The format of a filter that has taps, or sections, in floating point; `fixed` are its words, which it then
/// has not.
pub(super) fn float(
    top: &Keys<'_>,
    has_taps: bool,
    fixed: Option<&Fixed>,
) -> Result<Option<Float>, SpecError> {
    let Some(found) = top.find("float") else { return Ok(None) };
    if fixed.is_some() {
        return Err(found.error(Problem::Both { other: "fixed" }));
    }
    let Tabled { source, table, at } = found.tabled("a table, as [float]")?;
    let all = Keys::unchecked(source, table, "float.", at);
    if let Some(other) = OF_WORDS.iter().find_map(|key| all.find(key))
        && !KNOWN.iter().any(|key| other.key.ends_with(key))
    {
        let found = "it in [float]".to_owned();
        let accepted =
            "no such key: it is for the words of [fixed]; [float] knows format, structure, peak";
        return Err(other.error(Problem::Range { found, accepted: accepted.to_owned() }));
    }
    let keys = Keys::new(source, table, "float.", at, &KNOWN)?;
    let formats = FloatFormat::ALL.map(|format| (format.as_str(), format));
    let format = keys.need("format", "\"f32\" or \"f64\"")?.choice(&formats)?;
    let mut float = Float::new(format, has_taps);
    if let Some(found) = keys.find("structure") {
        let fits = |structure: &FloatStructure| structure.section().is_none() == has_taps;
        let fitting = FloatStructure::ALL.into_iter().filter(fits);
        let choices: Vec<_> = fitting.map(|structure| (structure.as_str(), structure)).collect();
        (float.structure, float.is_chosen) = (found.choice(&choices)?, false);
    }
    if let Some(found) = keys.find("peak") {
        let accepted = "a number above 0, at most 1e30";
        float.peak = found.number(accepted)?;
        if !(float.peak > 0.0 && float.peak <= 1e30) {
            let found_text = float.peak.to_string();
            return Err(
                found.error(Problem::Range { found: found_text, accepted: accepted.to_owned() })
            );
        }
    }
    Ok(Some(float))
}
