//! From a wish to a unit that several filters share: what is not stated is chosen, with the reason.

use super::choice::{DEEPER, MOST_IDLE};
use super::{HardwareError, Resources, SignalFlow, TimeShared, UnitProgram, UnitStages};
use crate::spec::{Architecture, Hardware};
use crate::units::SampleRate;

/// A unit that filters share, with what was chosen for it, and why.
#[derive(Debug, Clone, PartialEq)]
pub struct TimeSharedChoice {
    /// The unit.
    pub unit: TimeShared,
    /// What was not stated and so was chosen, with the reason, a sentence each.
    pub reasons: Vec<String>,
    /// The clock in hertz, if it was stated.
    pub clock: Option<f64>,
    /// Clocks between two samples of a filter, if the clock was stated.
    pub available: Option<u64>,
}

impl TimeSharedChoice {
    /// The unit of the fewest multipliers on which all filters keep up with the sample rate, which is that
    /// of each.
    ///
    /// # Errors
    /// [`HardwareError::Clock`] where the clock leaves too little time, with a clock that would do;
    /// [`HardwareError::NoTurns`] for a wish that no filters can share; and as of [`TimeShared::of`].
    pub fn of(
        flows: &[SignalFlow],
        wish: &Hardware,
        rate: SampleRate,
    ) -> Result<Self, HardwareError> {
        let no_turns = |key, accepted| Err(HardwareError::NoTurns { key, accepted });
        if wish.architecture == Some(Architecture::Parallel) {
            return no_turns("architecture", "\"serial\"");
        }
        if wish.samples_per_clock > 1 {
            return no_turns("samples_per_clock", "1");
        }
        // A sample rate that divides the clock does so up to the rounding of both.
        let available = wish.clock.map(|clock| (clock / rate.hertz() * (1.0 + 1e-12)) as u64);
        let multipliers: Vec<usize> = match (wish.multipliers, available) {
            (Some(stated), _) => vec![stated],
            (None, Some(_)) => (1..=Hardware::MOST_MULTIPLIERS).collect(),
            (None, None) => vec![1],
        };
        let adders = wish.pre_adder.map_or(vec![false, true], |stated| vec![stated]);
        let mut fastest: Option<TimeShared> = None;
        let mut idle = 0;
        for multipliers in multipliers {
            idle += 1;
            for folds in &adders {
                let resources = Resources { multipliers, folds: *folds, ..Resources::of(wish) };
                let unit = TimeShared::of(flows, resources)?;
                UnitProgram::of_time_shared(&unit)?;
                if available.is_none_or(|available| unit.interval() as u64 <= available) {
                    let mut reasons = reasons(wish, available, &unit);
                    let unit = match deeper(flows, &unit, wish, available)? {
                        Some(deeper) => {
                            reasons.push(DEEPER.to_owned());
                            deeper
                        }
                        None => unit,
                    };
                    return Ok(TimeSharedChoice { unit, reasons, clock: wish.clock, available });
                }
                if fastest.as_ref().is_none_or(|fastest| unit.interval() < fastest.interval()) {
                    (fastest, idle) = (Some(unit), 0);
                }
            }
            if idle == MOST_IDLE {
                break;
            }
        }
        let fastest = fastest.expect("one was tried at least");
        let needed = fastest.interval() as u64;
        Err(HardwareError::Clock {
            available: available.unwrap_or(0),
            needed,
            multipliers: fastest.resources().multipliers,
            remedy: format!("a clock of {} Hz would do", (needed as f64 * rate.hertz()).ceil()),
        })
    }
}

/// The same unit with another level of pipelining, where nothing is stated and there is time for it.
fn deeper(
    flows: &[SignalFlow],
    unit: &TimeShared,
    wish: &Hardware,
    available: Option<u64>,
) -> Result<Option<TimeShared>, HardwareError> {
    let has_nothing = UnitStages::of(flows, 2) == UnitStages::of(flows, 1);
    if wish.pipelining.is_some() || has_nothing {
        return Ok(None);
    }
    let resources = Resources { pipelining: 2, channels: 1, ..unit.resources() };
    let deeper = TimeShared::of(flows, resources)?;
    let most = available.unwrap_or(0).max(unit.interval() as u64);
    let is_deeper = deeper.latency() > unit.latency();
    Ok((is_deeper && deeper.interval() as u64 <= most).then_some(deeper))
}

fn reasons(wish: &Hardware, available: Option<u64>, unit: &TimeShared) -> Vec<String> {
    let mut reasons = Vec::new();
    let multipliers = unit.resources().multipliers;
    if wish.multipliers.is_none() {
        let number = if multipliers == 1 { "" } else { "s" };
        reasons.push(match available {
            None => "1 multiplier: no clock is stated, so as few cells as can be".to_owned(),
            Some(available) => format!(
                "{multipliers} multiplier{number}: the fewest on which all filters end within the \
                 {available} clocks between two samples"
            ),
        });
    }
    let has_pairs = unit.filters().iter().any(|filter| filter.flow().has_pairs());
    if wish.pre_adder.is_none() && has_pairs {
        let reason = "words that share a coefficient are added first: without that the clocks do not suffice";
        reasons.push(reason.to_owned());
    }
    reasons
}
