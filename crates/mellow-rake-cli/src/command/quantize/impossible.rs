//! Words that cannot carry the filter at all: why, and what can.

use super::advice::at_lower_rates;
use super::budget::Budget;
use super::objects::StructureRow;
use super::sweep::structures as structures_of;
use super::text::structures_text;
use super::{excess_db, noise_lsb};
use crate::failure::{Failure, Outcome};
use crate::measured::Measured;
use crate::print::{self, wrapped};
use mellow_rake::datapath::BuildError;
use mellow_rake::implementation::{ImplementError, implement_toward};
use mellow_rake::spec::Fixed;
use serde::Serialize;

#[derive(Serialize)]
struct ImpossibleObject<'a> {
    name: String,
    structure: &'static str,
    reason: String,
    fewest_coefficient_bits: Option<u32>,
    noise_rms_lsb: Option<f64>,
    at_lower_rates: &'a [LowerRate],
    structures: &'a [StructureRow],
}

/// By how many times the rate is lowered, and the noise that the words of the spec leave then.
#[derive(Serialize)]
struct LowerRate {
    factor: u32,
    noise_rms_lsb: f64,
}

/// Whether other words or structures may do what these cannot: for such errors there is a page, others say what would do.
pub(super) fn is_of_words(error: &ImplementError) -> bool {
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

/// The fewest bits of coefficients, more than were asked for, with which the structure is possible and keeps its template, and the
/// noise that it leaves then.
fn fewest_bits(measured: &Measured, fixed: Fixed) -> Option<(u32, Option<f64>)> {
    let form = &measured.loaded.design.form;
    let goal = measured.loaded.goal();
    (fixed.coefficients.width + 1..=48).find_map(|bits| {
        let mut coefficients = fixed.coefficients;
        (coefficients.width, coefficients.fraction) = (bits, None);
        let found = implement_toward(form, Fixed { coefficients, ..fixed }, &goal).ok()?;
        let keeps = excess_db(measured, &found).is_none_or(|excess| excess <= 0.0);
        keeps.then(|| (bits, noise_lsb(&found)))
    })
}

/// The structure of least noise among those that are possible and keep their template.
fn quietest(structures: &[StructureRow]) -> Option<(&StructureRow, f64)> {
    let possible = structures.iter().filter(|row| row.keeps_template != Some(false));
    let possible = possible.filter_map(|row| Some((row, row.noise_rms_lsb?)));
    possible.min_by(|a, b| a.1.total_cmp(&b.1))
}

/// The structure of the smallest proved error among those that are possible and keep their template.
fn surest(structures: &[StructureRow]) -> Option<(&StructureRow, f64)> {
    let possible = structures.iter().filter(|row| row.keeps_template != Some(false));
    let possible = possible.filter_map(|row| Some((row, row.error_bound_lsb?)));
    possible.min_by(|a, b| a.1.total_cmp(&b.1))
}

/// Says why the words of the spec cannot do it, and what does.
pub(super) fn explain(
    measured: &Measured,
    fixed: Fixed,
    error: &ImplementError,
    as_json: bool,
) -> Result<Outcome, Failure> {
    let budget = Budget::free();
    let structures = structures_of(measured, fixed, &budget);
    let fewest = fewest_bits(measured, fixed);
    let slower: Vec<LowerRate> = at_lower_rates(measured, fixed, &budget)
        .map(|(factor, noise_rms_lsb)| LowerRate { factor, noise_rms_lsb })
        .collect();
    let structure = fixed.structure.as_str();
    if as_json {
        print::json(&ImpossibleObject {
            name: measured.loaded.spec.name.to_string(),
            structure,
            reason: error.to_string(),
            fewest_coefficient_bits: fewest.map(|(bits, _)| bits),
            noise_rms_lsb: fewest.and_then(|(_, noise)| noise),
            at_lower_rates: &slower,
            structures: &structures,
        })?;
        return Ok(Outcome::of(false));
    }
    let mut text =
        format!("{} in the words of its spec: not possible\n\n", measured.loaded.spec.name);
    text.push_str(&wrapped(&format!("  {error}"), 4));
    text.push_str(&structures_text(&structures));
    let mut ways = Vec::new();
    if let Some((bits, noise)) = fewest {
        let noise =
            noise.map_or(String::new(), |noise| format!(" and leaves {noise:.2} LSB of noise"));
        let mut way = format!("{structure} needs coefficients of {bits} bits{noise}");
        let mut coefficients = fixed.coefficients;
        (coefficients.width, coefficients.fraction) = (bits, None);
        let then = structures_of(measured, Fixed { coefficients, ..fixed }, &Budget::free());
        if let Some((row, noise)) = quietest(&then).filter(|(row, _)| row.structure != structure) {
            way.push_str(&format!(", {} with as many {noise:.2}", row.structure));
        }
        ways.push(way);
    }
    let does = |row: &StructureRow, what: String| {
        format!(
            "{} does it in these words and {what}, with {} multiplies a sample and {} bits of memory",
            row.structure,
            row.multiplies.unwrap_or(0),
            row.state_bits.unwrap_or(0)
        )
    };
    if let Some((row, noise)) = quietest(&structures) {
        ways.push(does(row, format!("leaves {noise:.2} LSB")));
    } else if let Some((row, bound)) = surest(&structures) {
        ways.push(does(row, format!("errs by {bound:.0} LSB at most, noise not predicted")));
    }
    if let [first, rest @ ..] = &slower[..] {
        let LowerRate { factor, noise_rms_lsb } = first;
        let mut way = format!(
            "{structure} in these words does it after the rate was lowered {factor} times, and leaves {noise_rms_lsb:.2} LSB"
        );
        if let Some(LowerRate { factor, noise_rms_lsb }) = rest.last() {
            way.push_str(&format!(" ({factor} times: {noise_rms_lsb:.2})"));
        }
        ways.push(way);
    }
    let moved =
        matches!(error, ImplementError::Unstable { .. } | ImplementError::Reflection { .. });
    let near = measured.loaded.design.form.pole_radius().filter(|_| moved);
    let why = near.map_or(String::new(), |radius| {
        format!("The poles lie at a radius of {radius:.7}, where coefficients of few bits cannot put them: ")
    });
    let ways =
        if ways.is_empty() { "No width up to 48 bits does it".to_owned() } else { ways.join("; ") };
    text.push('\n');
    text.push_str(&wrapped(&format!("{why}{ways}."), 2));
    print::text(&text)?;
    Ok(Outcome::of(false))
}
