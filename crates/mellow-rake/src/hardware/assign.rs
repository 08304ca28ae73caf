//! From a flow to a schedule.

use super::{
    FlowWord, HardwareError, Issue, Resources, Schedule, Scheduled, SignalFlow, UnitStages,
};

/// A schedule of as few clocks as are found.
///
/// Tasks are issued one after the other, whichever can go on soonest; within a task the products whose words
/// are there go first, of these the oldest words first. A word of an earlier firing is there when its task
/// has ended in that firing, which depends on the interval: it is tried from the number of products upwards,
/// each time with what the attempt before says about when tasks end, from zero on (modulo scheduling: B. R.
/// Rau, "Iterative modulo scheduling", 1994).
///
/// ```
/// use mellow_rake::Wish;
/// use mellow_rake::spec::{Fixed, Structure};
/// use mellow_rake::hardware::{Resources, SignalFlow, schedule};
/// let words = Fixed::new(Structure::DirectForm1, "s16f15".parse()?);
/// let study = Wish::lowpass("1 kHz").cutoff("40 Hz").butterworth(8).words(words).study()?;
/// let flow = SignalFlow::of(&study.integers()?.checked)?;
/// let scheduled = schedule(&flow, Resources::default())?;
/// // Four sections, five clocks each.
/// assert_eq!(scheduled.interval(), 20);
/// # Ok::<(), Box<dyn std::error::Error>>(())
/// ```
///
/// # Errors
/// [`HardwareError::Range`] for resources that there cannot be.
pub fn schedule(flow: &SignalFlow, resources: Resources) -> Result<Scheduled, HardwareError> {
    schedule_among(flow, resources, Around::default())
}

/// What a filter has to expect of the unit that it is on.
#[derive(Debug, Clone, Copy, Default)]
pub(super) struct Around {
    /// Clocks that a sample takes at least.
    pub clocks: usize,
    /// Clocks that other filters have between two samples.
    pub others: usize,
    /// Registers on the way of a word that another filter needs, if it is not alone.
    pub stages: Option<UnitStages>,
}

/// The same on a unit that others use as well.
pub(super) fn schedule_among(
    flow: &SignalFlow,
    resources: Resources,
    around: Around,
) -> Result<Scheduled, HardwareError> {
    resources.check()?;
    if resources.samples_per_clock > 1 {
        return Err(HardwareError::Shared);
    }
    if resources.channels > 1 && flow.takes > 1 {
        let (takes, channels) = (flow.takes, resources.channels);
        return Err(HardwareError::Interleaved { takes, channels });
    }
    let flow = prepared(flow, resources);
    let mut schedule = Schedule::new(flow, resources, 0, Vec::new());
    schedule.others = around.others;
    schedule.stages = around.stages.unwrap_or(schedule.stages);
    let depth = schedule.depth();
    let tasks = &schedule.flow.tasks;
    let least = issue_clocks(&schedule.flow, resources).max(around.clocks);
    // One task after the other, each when the one before has been written, is always right.
    let most = least + (tasks.len() + 1) * (depth + 1);
    let mut ends = vec![0; tasks.len()];
    let mut interval = least;
    let mut best: Option<Scheduled> = None;
    while interval <= most {
        // From the bottom: what a shorter interval made late need not be late in this one.
        ends.fill(0);
        for _ in 0..ROUNDS {
            let (issues, found) = issue(&schedule, interval, &ends);
            let span = issues.last().map_or(1, |issue: &Issue| issue.clock + 1);
            let settled = found == ends;
            ends = found;
            // What takes longer than it was tried for is right as well, but a longer try may be shorter.
            let taken = interval.max(span);
            if best.as_ref().is_none_or(|best: &Scheduled| taken < best.interval()) {
                let candidate = Schedule { interval: taken, issues, ..schedule.clone() };
                best = candidate.check().ok().or(best);
            }
            if settled {
                break;
            }
        }
        interval += (interval / 64).max(1);
        if let Some(best) = best.take_if(|best| best.interval() <= interval) {
            return Ok(best);
        }
    }
    if let Some(best) = best {
        return Ok(best);
    }
    // With as much time between samples as all tasks take one after the other, nothing is early or late.
    (schedule.issues, _) = issue(&schedule, usize::MAX >> 32, &ends);
    schedule.interval = schedule.issues.last().map_or(1, |issue| issue.clock + 1) + depth + 1;
    Ok(schedule.check().expect("each task follows the one before it"))
}

/// Fewer clocks than this for a sample cannot be: each task has the multipliers for itself.
pub(super) fn least_interval(flow: &SignalFlow, resources: Resources) -> usize {
    issue_clocks(&prepared(flow, resources), resources)
}

/// A flow as a unit of these resources does it: words added before their products, or not.
pub(super) fn prepared(flow: &SignalFlow, resources: Resources) -> SignalFlow {
    let mut flow = flow.clone();
    match resources.folds {
        true => flow.fold(),
        false => flow.unfold(),
    }
    flow
}

fn issue_clocks(flow: &SignalFlow, resources: Resources) -> usize {
    let clocks = |products: usize| products.div_ceil(resources.multipliers);
    flow.tasks.iter().map(|task| clocks(task.products.len())).sum::<usize>().max(1)
}

/// A task that may be issued: the clocks that it loses, its number, and the clock of each of its products.
type Next = (usize, usize, Vec<(usize, usize)>);

/// How often an interval is tried with what was found before.
const ROUNDS: usize = 4;

/// All products in order, with the clocks in which tasks issue their last; `ends` are those of the firings
/// before.
fn issue(schedule: &Schedule, interval: usize, ends: &[usize]) -> (Vec<Issue>, Vec<usize>) {
    let Schedule { flow, resources, others, .. } = schedule;
    let depth = schedule.depth();
    let period = (interval + others).saturating_mul(resources.channels);
    let mut found: Vec<Option<usize>> = vec![None; flow.tasks.len()];
    let mut issues = Vec::with_capacity(flow.products());
    let mut clock = 0;
    let ready = |word: FlowWord, found: &[Option<usize>]| -> Option<usize> {
        let Some(task) = word.signal.checked_sub(1) else { return Some(0) };
        let end = if word.age == 0 { found[task]? } else { ends[task] };
        Some((end + depth).saturating_sub(word.age.saturating_mul(period)))
    };
    for _ in 0..flow.tasks.len() {
        let mut best: Option<Next> = None;
        for (index, task) in flow.tasks.iter().enumerate() {
            // What goes out goes out in order.
            let waits = flow.delivery(index).is_some_and(|place| {
                place > 0 && found[flow.outputs[place - 1].signal - 1].is_none()
            });
            if found[index].is_some() || waits {
                continue;
            }
            // When each product may be issued; none while a word of this firing is not even on its way.
            let times: Option<Vec<_>> = (task.products.iter().enumerate())
                .map(|(number, product)| {
                    let first = ready(product.first, &found)?;
                    let second = product.second.map_or(Some(0), |(_, word)| ready(word, &found))?;
                    let age = product.first.age;
                    Some((first.max(second), std::cmp::Reverse(age), number))
                })
                .collect();
            let Some(mut times) = times else { continue };
            times.sort_unstable();
            let mut at = clock;
            let mut order: Vec<(usize, usize)> = Vec::with_capacity(times.len());
            for group in times.chunks(resources.multipliers) {
                let last = group.iter().map(|(ready, ..)| *ready).max().unwrap_or(0);
                at = at.max(last);
                order.extend(group.iter().map(|(.., number)| (at, *number)));
                at += 1;
            }
            let lost = at - clock - times.len().div_ceil(resources.multipliers);
            if best.as_ref().is_none_or(|(least, ..)| lost < *least) {
                best = Some((lost, index, order));
            }
            if best.as_ref().is_some_and(|(least, ..)| *least == 0) {
                break;
            }
        }
        let (_, task, order) = best.expect("a task whose words are there: they stand in order");
        let mut multiplier = 0;
        let mut before = None;
        for (at, product) in order {
            multiplier = if before == Some(at) { multiplier + 1 } else { 0 };
            before = Some(at);
            issues.push(Issue { clock: at, multiplier, task, product });
            found[task] = Some(at);
            clock = at + 1;
        }
    }
    (issues, found.into_iter().map(|end| end.unwrap_or(0)).collect())
}
