//! The format of what is remembered.

use super::ImplementError;
use super::prepared::Prepared;
use crate::filter::Section;
use crate::fixed::{Overflow, WordFormat};
use crate::spec::{Fixed, Tables};

/// The format of states.
#[derive(Debug, Clone, PartialEq)]
#[non_exhaustive]
pub struct ChosenState {
    /// The format.
    pub format: WordFormat,
    /// The largest value that a state can reach, by the l1 norms of the paths to them; roundings come on top.
    pub largest: f64,
    /// Whether it was chosen, or given.
    pub is_chosen: bool,
}

/// The format of the states of a structure that has some.
pub(super) fn choose(
    prepared: &Prepared,
    fixed: Fixed,
) -> Result<Option<ChosenState>, ImplementError> {
    let largest = match prepared {
        Prepared::Taps(_) => return Ok(None),
        _ if !fixed.structure.has_state() => return Ok(None),
        Prepared::Lattice { .. } | Prepared::AllPass(_) => by_bounds(prepared, fixed)?,
        Prepared::Sections(table) => {
            let poles = Prepared::sections_of(table);
            let poles = poles.0.iter().map(|s| Section { b: [1.0, 0.0, 0.0], a: s.a });
            by_norms(fixed, table.rows.len(), poles)
        }
        Prepared::StateSpace(table) => {
            let levels = Prepared::coupled_of(table);
            let levels = levels.iter().flat_map(|section| section.to_states());
            by_norms(fixed, table.rows.len(), levels)
        }
    };
    format(fixed, largest).map(Some)
}

/// The largest value of a state by the l1 norms of the paths to it, from the full scale of what comes to a
/// section.
fn by_norms(fixed: Fixed, sections: usize, paths: impl Iterator<Item = Section>) -> f64 {
    let incoming = if sections > 1 { fixed.carried() } else { fixed.input };
    let size = -incoming.minimum() as f64;
    let size = size.max(incoming.maximum() as f64) * incoming.step();
    size * paths.map(|path| path.l1_norm()).fold(0.0, f64::max)
}

/// The largest value that the bounds of the program give for its states, section by section where it has
/// such: how far a word can go depends on its format by roundings only, so a short word of the right fraction
/// shows it.
fn by_bounds(prepared: &Prepared, fixed: Fixed) -> Result<f64, ImplementError> {
    let fraction = fixed.carried().fraction() + 2;
    let structure = fixed.structure.as_str();
    let short = WordFormat::new(true, 2, fraction).map_err(|_| ImplementError::State {
        structure,
        largest: 0.0,
        needed: fraction + 2,
    })?;
    let alone = fixed.structure.facts().tables == Tables::SectionLattices;
    let count = if alone { prepared.tables().0.rows.len() } else { 1 };
    let mut largest = 0.0f64;
    for index in 0..count {
        let mut fixed = Fixed { overflow: Overflow::Saturate, ..fixed };
        let section = if alone { prepared.section(index) } else { None };
        if count > 1 {
            fixed.input = fixed.carried();
        }
        let checked =
            section.as_ref().unwrap_or(prepared).build(fixed, short)?.check_within(fixed.effort)?;
        let bounds = match (checked.facts().bounds(), fixed.state) {
            (Ok(bounds), _) => bounds,
            // A format that was given is taken, whatever may reach it.
            (Err(_), Some(_)) => return Ok(f64::INFINITY),
            (Err(why), None) => return Err(ImplementError::NoBound { structure, why: *why }),
        };
        let states = bounds.reaches.iter().filter(|reach| reach.format == short);
        largest = states.fold(largest, |size, reach| size.max(reach.high).max(-reach.low));
    }
    Ok(largest)
}

/// The format that was given for the states; or two fraction bits more than the output, whose rounding they
/// must not add to, and as many whole bits as the largest of them needs.
fn format(fixed: Fixed, largest: f64) -> Result<ChosenState, ImplementError> {
    if let Some(format) = fixed.state {
        return Ok(ChosenState { format, largest, is_chosen: false });
    }
    let fraction = fixed.carried().fraction() + 2;
    // A little more than the norm, for the roundings.
    let whole = libm::ceil(libm::log2((largest * 1.001).max(1e-300))) as i32;
    let needed = (1 + whole + fraction).max(2);
    let format = u32::try_from(needed).ok().filter(|width| *width <= 64);
    let format = format.and_then(|width| WordFormat::new(true, width, fraction).ok());
    let structure = fixed.structure.as_str();
    let format = format.ok_or(ImplementError::State { structure, largest, needed })?;
    Ok(ChosenState { format, largest, is_chosen: true })
}
