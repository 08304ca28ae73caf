//! From what is wished for to a schedule: what is not stated is chosen, with the reason.

use super::{HardwareError, Resources, Scheduled, SignalFlow, schedule};
use crate::spec::Hardware;
use crate::units::SampleRate;

/// A schedule with what was chosen for it, and why.
#[derive(Debug, Clone, PartialEq)]
pub struct HardwareChoice {
    /// The schedule.
    pub scheduled: Scheduled,
    /// What was not stated and so was chosen, with the reason, a sentence each.
    pub reasons: Vec<String>,
    /// The clock in hertz, if it was stated.
    pub clock: Option<f64>,
    /// Clocks between two samples of the unit, all channels together, if the clock was stated.
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
/// let wish = |clock| Hardware { clock: Some(clock), ..Hardware::default() };
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
    let mut reasons = Vec::new();
    let per_second = rate.hertz() * wish.channels as f64;
    // A sample rate that divides the clock does so up to the rounding of both.
    let available = wish.clock.map(|clock| (clock / per_second * (1.0 + 1e-12)) as u64);
    let multipliers: Vec<usize> = match (wish.multipliers, available) {
        (Some(stated), _) => vec![stated],
        (None, Some(_)) => (1..=Hardware::MOST_MULTIPLIERS).collect(),
        (None, None) => vec![1],
    };
    let adders = wish.pre_adder.map_or(vec![false, true], |stated| vec![stated]);
    let mut fastest: Option<Scheduled> = None;
    for multipliers in multipliers {
        for folds in &adders {
            let resources = Resources { multipliers, folds: *folds, ..Resources::of(wish) };
            let scheduled = schedule(flow, resources)?;
            let interval = scheduled.interval();
            if available.is_none_or(|available| interval as u64 <= available) {
                if wish.multipliers.is_none() {
                    let number = if multipliers == 1 { "" } else { "s" };
                    reasons.push(match available {
                        None => "1 multiplier: no clock is stated, so as few cells as can be".to_owned(),
                        Some(available) => format!(
                            "{multipliers} multiplier{number}: the fewest that end within the {available} \
                             clocks between two samples"
                        ),
                    });
                }
                if wish.pre_adder.is_none() && scheduled.schedule().has_pairs() {
                    let reason = "words that share a coefficient are added first: without that the clocks \
                                  do not suffice";
                    reasons.push(reason.to_owned());
                }
                let clock = wish.clock;
                return Ok(HardwareChoice { scheduled, reasons, clock, available });
            }
            if fastest.as_ref().is_none_or(|fastest| interval < fastest.interval()) {
                fastest = Some(scheduled);
            }
        }
    }
    let fastest = fastest.expect("one was tried at least");
    let needed = fastest.interval() as u64;
    let clock = needed as f64 * per_second;
    let multipliers = fastest.resources().multipliers;
    let mut remedy = format!("a clock of {} Hz would do", clock.ceil());
    // More multipliers, if they were stated and more help: as tried.
    if let Some(stated) = wish.multipliers {
        let more = Hardware { multipliers: None, ..*wish };
        if let Ok(more) = choose(flow, &more, rate) {
            let number = more.scheduled.resources().multipliers;
            if number > stated {
                remedy = format!("{number} multipliers would do, or {remedy}");
            }
        }
    }
    let available = available.unwrap_or(0);
    Err(HardwareError::Clock { available, needed, multipliers, remedy })
}
