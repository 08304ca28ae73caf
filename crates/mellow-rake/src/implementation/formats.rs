//! Formats of the nodes between input and output: given, or chosen.

use super::prepared::Prepared;
use super::{ChosenState, ImplementError};
use crate::datapath::{BuildError, Checked, Datapath, DatapathError, Operation, WidthError};
use crate::fixed::{Overflow, WordFormat};
use crate::spec::Fixed;

/// The format of the words that go from section to section.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
#[non_exhaustive]
pub struct ChosenBetween {
    /// The format.
    pub format: WordFormat,
    /// Whether it was chosen, or given.
    pub is_chosen: bool,
    /// Whether it has more whole bits than the input and the output need, so that no limit acts.
    pub is_widened: bool,
}

/// What goes from section to section of a cascade: what was given; else the output, if that holds the input,
/// or what holds both.
pub(super) fn between(
    fixed: &Fixed,
    sections: usize,
) -> Result<Option<ChosenBetween>, ImplementError> {
    let Fixed { input, output, .. } = *fixed;
    if !fixed.structure.is_cascade() {
        return Ok(None);
    }
    if let Some(format) = fixed.between {
        if sections > 1 && !holds(format, input) {
            return Err(BuildError::Carry { input, output: format }.into());
        }
        return Ok(Some(ChosenBetween { format, is_chosen: false, is_widened: false }));
    }
    if sections < 2 {
        return Ok(None);
    }
    if holds(output, input) {
        return Ok(Some(ChosenBetween { format: output, is_chosen: true, is_widened: false }));
    }
    let is_signed = input.is_signed() || output.is_signed();
    let fraction = input.fraction().max(output.fraction());
    let width = whole(input).max(whole(output)) + i64::from(fraction) + i64::from(is_signed);
    let width = u32::try_from(width.max(1)).ok();
    let format = width.and_then(|width| WordFormat::new(is_signed, width, fraction).ok());
    let format = format.ok_or(BuildError::Carry { input, output })?;
    Ok(Some(ChosenBetween { format, is_chosen: true, is_widened: false }))
}

/// Chosen formats with as many whole bits as a proof needs that no limit acts, where overflow is forbidden:
/// as far as it is they that are too short.
pub(super) fn with_room(
    prepared: &Prepared,
    fixed: Fixed,
    between: &mut Option<ChosenBetween>,
    state: &mut Option<ChosenState>,
) -> Result<(), ImplementError> {
    /// A wider word lets more through to the next, so it takes some steps.
    const STEPS: usize = 8;
    if fixed.overflow != Overflow::Forbid {
        return Ok(());
    }
    for _ in 0..STEPS {
        let format = |between: &Option<ChosenBetween>| between.map(|between| between.format);
        let trial = Fixed { overflow: Overflow::Saturate, between: format(between), ..fixed };
        let own = state.as_ref().map_or(fixed.output, |state| state.format);
        let Ok(Ok(checked)) =
            prepared.build(trial, own).map(|built| built.check_within(fixed.effort))
        else {
            return Ok(());
        };
        let Ok(bounds) = checked.facts().bounds() else { return Ok(()) };
        // Limits only, each by what comes to it.
        let is_limit = |node| checked.facts().limit(node).is_some();
        let needed = |format: WordFormat| {
            let reaches = bounds.reaches.iter().filter(|reach| reach.format == format);
            let formats = reaches.filter(|reach| is_limit(reach.node)).map(|reach| {
                let (low, high) = (reach.low / format.step(), reach.high / format.step());
                WordFormat::holding(
                    libm::floor(low) as i128,
                    libm::ceil(high) as i128,
                    format.fraction(),
                )
            });
            formats.max_by_key(|found| found.map_or(u32::MAX, WordFormat::width)).flatten()
        };
        let mut is_wider = false;
        let mut widen = |format: &mut WordFormat| {
            if let Some(found) = needed(*format).filter(|found| found.width() > format.width()) {
                (*format, is_wider) = (found, true);
            }
        };
        if let Some(between) = between.as_mut().filter(|between| between.is_chosen) {
            let before = between.format;
            widen(&mut between.format);
            between.is_widened |= between.format != before;
        }
        if let Some(state) = state.as_mut().filter(|state| state.is_chosen) {
            widen(&mut state.format);
        }
        if !is_wider {
            return Ok(());
        }
    }
    Ok(())
}

/// Bits before the binary point, without the sign.
fn whole(format: WordFormat) -> i64 {
    i64::from(format.width()) - i64::from(format.fraction()) - i64::from(format.is_signed())
}

/// Whether every value of one format is one of another.
fn holds(format: WordFormat, other: WordFormat) -> bool {
    format.fraction() >= other.fraction()
        && (format.is_signed() || !other.is_signed())
        && whole(format) >= whole(other)
}

fn of_width(error: WidthError) -> ImplementError {
    match error {
        WidthError::Build(error) => ImplementError::Build(error),
        WidthError::Datapath(error) => ImplementError::Datapath(error),
    }
}

/// A program with products and accumulators as asked for, else with accumulators as narrow as is proved;
/// without products where there is no multiplier.
pub(super) fn settle(datapath: Datapath, fixed: &Fixed) -> Result<Checked, ImplementError> {
    let datapath = match fixed.products {
        Some(format) => datapath.with_products(format, fixed.rounding).map_err(of_width)?,
        None => datapath,
    };
    // What is wide are sums, or what becomes of them.
    let wide = |error| match error {
        DatapathError::TooWide { needed, .. } => too_wide(needed, &datapath, fixed).into(),
        other => ImplementError::Datapath(other),
    };
    // Where products are written as digits, nodes are named as they are there.
    let is_renamed = fixed.overflow == Overflow::Forbid && !fixed.multiplier;
    let checked = match datapath.clone().check_within(fixed.effort) {
        Err(DatapathError::CanOverflow { .. } | DatapathError::NoBound { .. }) if is_renamed => {
            let free = datapath
                .clone()
                .with_overflow(Overflow::Saturate)
                .check_within(fixed.effort)
                .map_err(wide)?;
            let shifted = free.narrowed().without_multiplier().map_err(wide)?;
            shifted.with_overflow(Overflow::Forbid).check_within(fixed.effort).map_err(wide)?
        }
        found => found.map_err(wide)?.narrowed(),
    };
    for (node, operation, _) in checked.datapath().operations() {
        let Operation::Accumulate { format, .. } = operation else { continue };
        if let Some(fact) = checked.facts().sum(node)
            && fact.wraps
            && format.width() == 64
        {
            let size = fact.low.saturating_abs().max(fact.high);
            return Err(too_wide(129 - size.leading_zeros(), &datapath, fixed).into());
        }
    }
    let checked = accumulate(checked, fixed)?;
    if fixed.multiplier {
        return Ok(checked);
    }
    checked.without_multiplier().and_then(|built| built.check_within(fixed.effort)).map_err(wide)
}

/// Accumulators as asked for, where they are no narrower than those of the proof.
fn accumulate(checked: Checked, fixed: &Fixed) -> Result<Checked, ImplementError> {
    let Some(asked) = fixed.accumulator else { return Ok(checked) };
    for (node, format) in checked.datapath().sums_of_products() {
        let more = asked.fraction.map_or(0, |fraction| fraction - format.fraction()).max(0);
        let needed = format.width() + more as u32 - u32::from(!asked.signed);
        let sign = !asked.signed && checked.facts().range(node).0 < 0;
        if needed > asked.width || sign {
            let needed = format!("s{}f{}", format.width() + more as u32, format.fraction() + more);
            // Without a multiplier the nodes are numbered anew, and a sum stands once for each section.
            let node = fixed.multiplier.then_some(node);
            return Err(ImplementError::Accumulator { node, needed, found: asked });
        }
    }
    let datapath = checked.datapath().clone().with_accumulators(asked).map_err(of_width)?;
    Ok(datapath.check_within(fixed.effort)?)
}

fn too_wide(needed: u32, datapath: &Datapath, fixed: &Fixed) -> BuildError {
    let widest = datapath.lines.iter().map(|line| line.format).max_by_key(|format| format.width());
    let coefficients = datapath.tables.first().map_or(fixed.output, |table| table.format);
    BuildError::Accumulator {
        structure: fixed.structure.as_str(),
        needed,
        data: widest.unwrap_or(fixed.output),
        coefficients,
        over: needed.saturating_sub(64),
    }
}
