//! What sections do without an input.

use super::figures::{OverflowOscillations, SectionOscillations};
use crate::datapath::{
    CycleSearch, LimitCycle, overflow_oscillations_among, zero_input_cycles_among,
};
use crate::implementation::Implementation;
use crate::study::Jobs;

/// A job for each section.
pub(super) fn jobs(filter: &Implementation) -> Jobs<'_, SectionOscillations> {
    Jobs::of(0..filter.table.rows.len(), |index| of_section(filter, index))
}

fn of_section(filter: &Implementation, index: usize) -> SectionOscillations {
    let sections = filter.table.rows.len();
    let section = filter.section(index);
    let found = section.as_ref().and_then(|one| zero_input_cycles_among(one, sections));
    // Where no limit can ever act there is nothing that one could keep up.
    let may_limit = !filter.no_limit_acts();
    let overflow =
        section.as_ref().filter(|_| may_limit).zip(found.as_ref()).and_then(|(section, found)| {
            overflow_oscillations_among(section, found.bound, sections)
        });
    let largest = found.as_ref().and_then(|found| found.largest.first().cloned());
    let of = |pick: fn(&LimitCycle) -> i64| largest.as_ref().map(pick);
    let (exhaustive, states, open) = match found.as_ref().map(|found| found.search) {
        Some(CycleSearch::Exhaustive { states }) => (Some(true), Some(states), Some(0)),
        Some(CycleSearch::Sampled { starts, open }) => (Some(false), Some(starts), Some(open)),
        None => (None, None, None),
    };
    SectionOscillations {
        section: index + 1,
        exhaustive,
        states,
        open,
        count: found.as_ref().map(|found| found.count),
        bound_lsb: found.as_ref().map(|found| found.bound),
        amplitude_lsb: of(|cycle| cycle.amplitude),
        period_samples: largest.as_ref().map(|cycle| cycle.period),
        start: largest.map(|cycle| cycle.start),
        overflow: overflow.map(|found| OverflowOscillations {
            starts: found.starts,
            oscillating: found.count,
            open: found.open,
            amplitude_lsb: found.largest.as_ref().map(|cycle| cycle.amplitude),
            period_samples: found.largest.as_ref().map(|cycle| cycle.period),
            start: found.largest.map(|cycle| cycle.start),
        }),
    }
}
