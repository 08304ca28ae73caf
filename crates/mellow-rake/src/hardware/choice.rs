//! From what is wished for to a schedule: what is not stated is chosen, with the reason.

use super::assign::least_interval;
use super::staged::largest_part;
use super::{
    HardwareError, Parallel, Resources, Scheduled, SignalFlow, Staged, UnitProgram, UnitStages,
    schedule,
};
use crate::spec::{Architecture, Hardware};
use crate::units::SampleRate;

/// What is built.
#[derive(Debug, Clone, PartialEq)]
pub enum HardwareUnit {
    /// On shared multipliers, some clocks for a sample.
    Serial(Scheduled),
    /// The same for each of the parts that a flow can be cut into, one behind the other.
    Staged(Staged),
    /// Taps, a sample a clock, or several.
    Parallel(Parallel),
}

impl HardwareUnit {
    /// The same with room for the results of so many firings more, where they wait in a row.
    pub(super) fn with_spare_results(self, firings: usize) -> Self {
        match self {
            HardwareUnit::Serial(scheduled) => {
                HardwareUnit::Serial(scheduled.with_spare_results(firings))
            }
            HardwareUnit::Staged(staged) => {
                HardwareUnit::Staged(staged.with_spare_results(firings))
            }
            HardwareUnit::Parallel(chain) => HardwareUnit::Parallel(chain),
        }
    }

    /// What it does.
    pub fn flow(&self) -> &SignalFlow {
        match self {
            HardwareUnit::Serial(scheduled) => scheduled.flow(),
            HardwareUnit::Staged(staged) => staged.flow(),
            HardwareUnit::Parallel(chain) => chain.flow(),
        }
    }

    /// Clocks from sample to sample, or from several in one clock to the next, if they come without gaps.
    pub fn interval(&self) -> usize {
        match self {
            HardwareUnit::Serial(scheduled) => scheduled.interval(),
            HardwareUnit::Staged(staged) => staged.interval(),
            HardwareUnit::Parallel(_) => 1,
        }
    }

    /// Clocks from the one in which a sample is taken to the first in which its output stands.
    pub fn latency(&self) -> usize {
        match self {
            HardwareUnit::Serial(scheduled) => scheduled.latency(),
            HardwareUnit::Staged(staged) => staged.latency(),
            HardwareUnit::Parallel(chain) => chain.latency(),
        }
    }

    /// What it uses.
    pub fn resources(&self) -> Resources {
        match self {
            HardwareUnit::Serial(scheduled) => scheduled.resources(),
            HardwareUnit::Staged(staged) => staged.resources(),
            HardwareUnit::Parallel(chain) => chain.resources(),
        }
    }
}

/// A unit with what was chosen for it, and why.
#[derive(Debug, Clone, PartialEq)]
pub struct HardwareChoice {
    /// The unit.
    pub unit: HardwareUnit,
    /// What was not stated and so was chosen, with the reason, a sentence each.
    pub reasons: Vec<String>,
    /// The clock in hertz, if it was stated.
    pub clock: Option<f64>,
    /// Clocks between two samples of the unit, all channels together, or between several and the next, if the
    /// clock was stated.
    pub available: Option<u64>,
}

/// A schedule for a filter at a sample rate.
///
/// Where no number of multipliers is stated it is the least with which the clock leaves time enough, tried
/// from 1 upwards; an adder in front of them is taken where that takes fewer multipliers.
///
/// ```
/// use mellow_rake::Wish;
/// use mellow_rake::hardware::{SignalFlow, choose};
/// use mellow_rake::spec::{Fixed, Hardware, Structure};
/// let words = Fixed::new(Structure::DirectForm1, "s16f15".parse()?);
/// let study = Wish::lowpass("1 kHz").cutoff("40 Hz").butterworth(8).words(words).study()?;
/// let flow = SignalFlow::of(&study.integers()?.checked)?;
/// let rate = study.spec.sample_rate;
/// let wish =
///     |clock| Hardware { clock: Some(clock), multipliers: Some(1), ..Hardware::default() };
/// assert_eq!(choose(&flow, &wish(20e3), rate)?.available, Some(20));
/// let error = choose(&flow, &wish(10e3), rate).unwrap_err();
/// assert!(error.to_string().contains("20000 Hz would do"));
/// # Ok::<(), Box<dyn std::error::Error>>(())
/// ```
///
/// # Errors
/// [`HardwareError::Clock`] where the clock leaves too little time, with a clock that would do.
pub fn choose(
    flow: &SignalFlow,
    wish: &Hardware,
    rate: SampleRate,
) -> Result<HardwareChoice, HardwareError> {
    let per_second = rate.hertz() * wish.channels as f64 / wish.samples_per_clock as f64;
    // A sample rate that divides the clock does so up to the rounding of both.
    let available = wish.clock.map(|clock| (clock / per_second * (1.0 + 1e-12)) as u64);
    let made = |unit, reasons| HardwareChoice { unit, reasons, clock: wish.clock, available };
    let is_wide = wish.samples_per_clock > 1;
    if is_wide && wish.architecture == Some(Architecture::Serial) {
        return Err(HardwareError::Shared);
    }
    if is_wide || wish.architecture == Some(Architecture::Parallel) {
        let chain = parallel(flow, wish, available, per_second)
            .map_err(|error| with_remedy(error, flow, wish, rate))?;
        let reason = "parallel: several samples a clock have multipliers of their own".to_owned();
        let mut reasons = if wish.architecture.is_none() { vec![reason] } else { Vec::new() };
        let chain = deeper_chain(chain, wish, &mut reasons);
        return Ok(made(HardwareUnit::Parallel(chain), reasons));
    }
    let slow = match serial(flow, wish, available, per_second)? {
        Ok((unit, reasons)) => return Ok(made(unit, reasons)),
        Err(slow) => slow,
    };
    if wish.architecture.is_none()
        && let Ok(chain) = parallel(flow, wish, available, per_second)
    {
        let reason =
            "parallel: shared multipliers would need more clocks than there are".to_owned();
        let mut reasons = vec![reason];
        let chain = deeper_chain(chain, wish, &mut reasons);
        return Ok(made(HardwareUnit::Parallel(chain), reasons));
    }
    // More multipliers, if they were stated and more help: as tried.
    let HardwareError::Clock { available, needed, multipliers, mut remedy } = slow else {
        return Err(slow);
    };
    if wish.multipliers.is_some() {
        let more = Hardware { multipliers: None, ..*wish };
        if let Ok(HardwareChoice { unit, .. }) = choose(flow, &more, rate)
            && !matches!(unit, HardwareUnit::Parallel(_))
        {
            let number = unit.resources().multipliers;
            remedy = format!("{number} multipliers would do, or {remedy}");
        }
    }
    Err(HardwareError::Clock { available, needed, multipliers, remedy })
}

/// A refusal of several samples a clock with what was tried and does it a sample at a time.
fn with_remedy(
    error: HardwareError,
    flow: &SignalFlow,
    wish: &Hardware,
    rate: SampleRate,
) -> HardwareError {
    let HardwareError::Loop { samples, clocks, delay, .. } = error else { return error };
    let alone = Hardware { samples_per_clock: 1, clock: None, ..*wish };
    let alone = Hardware { architecture: None, ..alone };
    let remedy = match choose(flow, &alone, rate) {
        Ok(choice) => format!(
            "samples_per_clock = 1 with a clock of {} Hz would do",
            (choice.unit.interval() as f64 * rate.hertz()).ceil()
        ),
        Err(_) => "a filter of taps would do".to_owned(),
    };
    HardwareError::Loop { samples, clocks, delay, remedy }
}

/// A chain of taps, if the clock and the multipliers suffice.
fn parallel(
    flow: &SignalFlow,
    wish: &Hardware,
    available: Option<u64>,
    per_second: f64,
) -> Result<Parallel, HardwareError> {
    let chain = Parallel::of(flow, Resources::of(wish))?;
    let products = chain.multipliers();
    if available == Some(0) {
        let remedy = format!("a clock of {} Hz would do", per_second.ceil());
        let multipliers = products;
        return Err(HardwareError::Clock { available: 0, needed: 1, multipliers, remedy });
    }
    match wish.multipliers {
        Some(stated) if stated < products => {
            Err(HardwareError::Multipliers { stated, needed: products })
        }
        _ => Ok(chain),
    }
}

/// So many multipliers that make nothing faster are enough to see that more will not.
pub(super) const MOST_IDLE: usize = 4;

/// A unit with the reasons for it; inside, that the clock is too slow.
type Tried = Result<(HardwareUnit, Vec<String>), HardwareError>;

/// The unit, or the units one behind the other, of the fewest multipliers that are fast enough.
fn serial(
    flow: &SignalFlow,
    wish: &Hardware,
    available: Option<u64>,
    per_second: f64,
) -> Result<Tried, HardwareError> {
    let multipliers: Vec<usize> = match (wish.multipliers, available) {
        (Some(stated), _) => vec![stated],
        (None, Some(_)) => (1..=Hardware::MOST_MULTIPLIERS).collect(),
        (None, None) => vec![1],
    };
    let adders = wish.pre_adder.map_or(vec![false, true], |stated| vec![stated]);
    let mut fastest: Option<HardwareUnit> = None;
    // Multipliers that were added since one made it faster.
    let mut idle = 0;
    let last = multipliers.last().copied();
    for multipliers in multipliers {
        let mut is_faster = false;
        for folds in &adders {
            let resources = Resources { multipliers, folds: *folds, ..Resources::of(wish) };
            resources.check()?;
            // Not worth a try, unless it is the last that could tell what is needed.
            let least = least_interval(flow, resources).min(largest_part(flow, multipliers)) as u64;
            let is_hopeless = available.is_some_and(|available| least > available);
            if is_hopeless && Some(multipliers) != last {
                is_faster = true;
                continue;
            }
            let unit = faster(flow, resources, available)?;
            let interval = unit.interval();
            if available.is_none_or(|available| interval as u64 <= available) {
                let (unit, deeper) = deeper(flow, unit, wish, available)?;
                let mut reasons = reasons(wish, available, &unit);
                reasons.extend(deeper);
                return Ok(Ok((unit, reasons)));
            }
            if fastest.as_ref().is_none_or(|fastest| interval < fastest.interval()) {
                is_faster = true;
                fastest = Some(unit);
            }
        }
        idle = if is_faster { 0 } else { idle + 1 };
        if idle == MOST_IDLE {
            break;
        }
    }
    let fastest = fastest.expect("one was tried at least");
    let needed = fastest.interval() as u64;
    let clock = needed as f64 * per_second;
    let multipliers = fastest.resources().multipliers;
    let remedy = format!("a clock of {} Hz would do", clock.ceil());
    let available = available.unwrap_or(0);
    Ok(Err(HardwareError::Clock { available, needed, multipliers, remedy }))
}

/// One unit, where that is fast enough or as fast as several one behind the other.
fn faster(
    flow: &SignalFlow,
    resources: Resources,
    available: Option<u64>,
) -> Result<HardwareUnit, HardwareError> {
    let scheduled = schedule(flow, resources)?;
    UnitProgram::of(&scheduled)?;
    let is_enough = available.is_some_and(|available| scheduled.interval() as u64 <= available);
    if is_enough || resources.multipliers == 1 {
        return Ok(HardwareUnit::Serial(scheduled));
    }
    Ok(match Staged::of(flow, resources)? {
        Some(staged) if staged.interval() < scheduled.interval() => HardwareUnit::Staged(staged),
        _ => HardwareUnit::Serial(scheduled),
    })
}

/// Why there is another level of pipelining.
pub(super) const DEEPER: &str = "pipelining = 2: products are aligned, or sums rounded, by more than \
                                 wires, and there is time for a register behind that";

/// The same unit with another level of pipelining, where nothing is stated, there is something for it to
/// stand behind, and it leaves samples as often as before, or as the clock asks for; with the reason.
fn deeper(
    flow: &SignalFlow,
    unit: HardwareUnit,
    wish: &Hardware,
    available: Option<u64>,
) -> Result<(HardwareUnit, Option<String>), HardwareError> {
    let has_nothing = UnitStages::of([flow], 2) == UnitStages::of([flow], 1);
    if wish.pipelining.is_some() || matches!(unit, HardwareUnit::Parallel(_)) || has_nothing {
        return Ok((unit, None));
    }
    let resources = Resources { pipelining: 2, ..unit.resources() };
    let found = faster(flow, resources, available)?;
    let most = available.unwrap_or(0).max(unit.interval() as u64);
    match found.interval() as u64 <= most && found.latency() > unit.latency() {
        true => Ok((found, Some(DEEPER.to_owned()))),
        false => Ok((unit, None)),
    }
}

/// The same of a chain, which always has the time.
fn deeper_chain(chain: Parallel, wish: &Hardware, reasons: &mut Vec<String>) -> Parallel {
    if wish.pipelining.is_some() {
        return chain;
    }
    let resources = Resources { pipelining: 2, ..chain.resources() };
    match Parallel::of(chain.flow(), resources) {
        Ok(deeper) if deeper.latency() > chain.latency() => {
            reasons.push(DEEPER.to_owned());
            deeper
        }
        _ => chain,
    }
}

/// Why a schedule is as it is, where nothing was stated.
fn reasons(wish: &Hardware, available: Option<u64>, unit: &HardwareUnit) -> Vec<String> {
    let mut reasons = Vec::new();
    if wish.multipliers.is_none() {
        let multipliers = unit.resources().multipliers;
        let number = if multipliers == 1 { "" } else { "s" };
        reasons.push(match available {
            None => "1 multiplier: no clock is stated, so as few cells as can be".to_owned(),
            Some(available) => format!(
                "{multipliers} multiplier{number}: the fewest that end within the {available} clocks {}",
                if unit.flow().of_single_words().is_ok() {
                    "between two samples"
                } else {
                    "that a firing has"
                }
            ),
        });
    }
    let has_pairs = match unit {
        HardwareUnit::Serial(scheduled) => scheduled.flow().has_pairs(),
        HardwareUnit::Staged(staged) => {
            staged.stages().iter().any(|stage| stage.flow().has_pairs())
        }
        HardwareUnit::Parallel(_) => false,
    };
    if let HardwareUnit::Staged(staged) = unit {
        reasons.push(format!(
            "{} units one behind the other: sections that have a multiplier each wait for none",
            staged.stages().len()
        ));
    }
    if wish.pre_adder.is_none() && has_pairs {
        let reason = "words that share a coefficient are added first: without that the clocks do not suffice";
        reasons.push(reason.to_owned());
    }
    reasons
}
