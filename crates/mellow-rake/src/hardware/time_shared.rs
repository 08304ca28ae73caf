//! One unit for several filters, which take turns sample by sample.

use super::assign::{Around, prepared, schedule_among};
use super::{HardwareError, Resources, Scheduled, SignalFlow, UnitStages};
use crate::spec::Hardware;

/// Different filters on one unit: a sample of the first, one of the second, and so on, and again. Each has a
/// program and a part of the memory of its own; multipliers, sum and rounding are those of all.
///
/// A round takes as many clocks as all filters together. While one waits for what it has just computed the
/// next is at work, so that a filter of one section, which alone would take its latency for each sample,
/// takes no more than its products.
///
/// ```
/// use mellow_rake::Wish;
/// use mellow_rake::hardware::{Resources, SignalFlow, TimeShared};
/// use mellow_rake::spec::{Fixed, Structure};
/// let flow = |cutoff: &str, order| -> Result<_, Box<dyn std::error::Error>> {
///     let words = Fixed::new(Structure::DirectForm1, "s16f15".parse()?);
///     let study = Wish::lowpass("1 kHz").cutoff(cutoff).butterworth(order).words(words).study()?;
///     Ok(SignalFlow::of(&study.integers()?.checked)?)
/// };
/// // One section and three: 5 clocks and 15.
/// let shared = TimeShared::of(&[flow("40 Hz", 2)?, flow("100 Hz", 6)?], Resources::default())?;
/// assert_eq!(shared.interval(), 20);
/// # Ok::<(), Box<dyn std::error::Error>>(())
/// ```
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct TimeShared {
    /// In the order of their turns.
    filters: Vec<Scheduled>,
}

/// The fewest clocks of a turn: the next sample is looked for in one of them.
const LEAST_CLOCKS: usize = 2;

impl TimeShared {
    /// Some filters, in the order of their turns.
    ///
    /// # Errors
    /// [`HardwareError`] for none or too many of them, words of different formats, coefficients that can be
    /// loaded, channels beside the filters, and as of [`schedule`](super::schedule).
    pub fn of(flows: &[SignalFlow], resources: Resources) -> Result<Self, HardwareError> {
        resources.check()?;
        let found = flows.len();
        if !(1..=Hardware::MOST_CHANNELS).contains(&found) {
            let what = "filters that take turns";
            return Err(HardwareError::Range { what, found, most: Hardware::MOST_CHANNELS });
        }
        if resources.channels > 1 {
            return Err(HardwareError::NoTurns {
                key: "channels",
                accepted: "1, with a filter for each,",
            });
        }
        let words = |flow: &SignalFlow| [flow.input, flow.output_format()];
        for (index, flow) in flows.iter().enumerate() {
            if flow.load_map.is_some() {
                let (key, accepted) = ("coefficients", "\"constant\"");
                return Err(HardwareError::NoTurns { key, accepted });
            }
            flow.of_single_words()?;
            if words(flow) != words(&flows[0]) {
                let (found, needed) = (words(flow), words(&flows[0]));
                return Err(HardwareError::Formats { filter: index + 1, found, needed });
            }
        }
        let flows: Vec<SignalFlow> = flows.iter().map(|flow| prepared(flow, resources)).collect();
        let stages = Some(UnitStages::of(&flows, resources.pipelining));
        let least =
            |flow: &SignalFlow| super::assign::least_interval(flow, resources).max(LEAST_CLOCKS);
        let all: usize = flows.iter().map(least).sum();
        let one = |flow: &SignalFlow| {
            // The others take no fewer clocks than this.
            let others = all - least(flow);
            let around = Around { clocks: LEAST_CLOCKS, others, stages };
            schedule_among(flow, resources, around)
        };
        let filters: Vec<Scheduled> = flows.iter().map(one).collect::<Result<_, _>>()?;
        Ok(TimeShared { filters }.without_waiting())
    }

    /// The same with a clock more here and there, until no sample has to wait for the memory: a sample and a
    /// result cannot be written at once.
    fn without_waiting(self) -> Self {
        let mut tried = self.clone();
        for _ in 0..TRIES * self.filters.len() {
            let Some(filter) = tried.kept_waiting() else { return tried };
            // What comes before it takes a clock more. (The first in a round has the last before it; of one
            // filter alone the round is its own.)
            let before = (filter + tried.filters.len() - 1) % tried.filters.len();
            let clocks = tried.filters[before].interval() + 1;
            match tried.filters[before].longer(clocks) {
                Some(longer) => tried.filters[before] = longer,
                None => break,
            }
        }
        // Each waits until all of its own has been written.
        let apart = |filter: &Scheduled| {
            let last = filter.schedule().issues.iter().map(|issue| issue.clock).max().unwrap_or(0);
            let clocks = last + filter.schedule().depth() + 2;
            filter.longer(clocks).expect("nothing is in the way of what has been written")
        };
        TimeShared { filters: self.filters.iter().map(apart).collect() }
    }

    /// The first filter whose sample would be written when a result is.
    fn kept_waiting(&self) -> Option<usize> {
        let round = self.interval();
        let starts = self.starts();
        let is_written = |at: usize| {
            self.filters
                .iter()
                .zip(&starts)
                .any(|(filter, start)| filter.writes().any(|write| (start + write) % round == at))
        };
        starts.iter().position(|start| is_written(*start))
    }

    /// The filters, each with its schedule, in the order of their turns.
    pub fn filters(&self) -> &[Scheduled] {
        &self.filters
    }

    /// The clock of a round in which each filter begins.
    pub fn starts(&self) -> Vec<usize> {
        let before = self.filters.iter().scan(0, |next, filter| {
            let start = *next;
            *next += filter.interval();
            Some(start)
        });
        before.collect()
    }

    /// Clocks of a round, in which each filter takes a sample.
    pub fn interval(&self) -> usize {
        self.filters.iter().map(Scheduled::interval).sum()
    }

    /// Clocks from a sample to its output, of the filter that takes longest.
    pub fn latency(&self) -> usize {
        self.filters.iter().map(Scheduled::latency).max().unwrap_or(0)
    }

    /// What the unit has; the filters are its channels.
    pub fn resources(&self) -> Resources {
        Resources { channels: self.filters.len(), ..self.filters[0].resources() }
    }

    /// Places for results that wait to be taken: one for each sample that can be on its way.
    pub(super) fn output_words(&self) -> usize {
        let shortest = self.filters.iter().map(Scheduled::interval).min().unwrap_or(1);
        match self.resources().interface.waits() {
            false => 1,
            true => (self.latency() + 1).div_ceil(shortest),
        }
    }

    /// The share of clocks and multipliers that do something, 0 to 1.
    pub fn use_of_multipliers(&self) -> f64 {
        let products: usize =
            self.filters.iter().map(|filter| filter.schedule().issues.len()).sum();
        products as f64 / (self.interval() * self.resources().multipliers) as f64
    }
}

/// How often a clock more is tried, for each filter.
const TRIES: usize = 64;
