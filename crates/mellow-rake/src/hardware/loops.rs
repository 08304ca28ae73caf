//! How soon a sample can follow another where results come back into what they are made of.

use super::{Resources, SignalFlow};

/// A loop of tasks, each of which uses what the one before it gave.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct SlowestLoop {
    /// Clocks once around: those of a task, from the issue of a product to the result, for each task of it.
    pub clocks: usize,
    /// How many samples later the word is that comes back.
    pub delay: usize,
}

/// Steps of the search in which it ends within a second; of flows that would take more nothing is said.
const MOST_STEPS: usize = 50_000_000;

impl SignalFlow {
    /// The loop that takes the most clocks for a sample with so many registers on the way, `None` where
    /// nothing comes back: no unit can take samples faster than by its clocks over its delay (the iteration
    /// bound; M. Renfors, Y. Neuvo, "The maximum sampling rate of digital filters under hardware speed
    /// constraints", 1981).
    ///
    /// ```
    /// use mellow_rake::Wish;
    /// use mellow_rake::hardware::{Resources, SignalFlow};
    /// use mellow_rake::spec::{Fixed, Structure};
    /// let words = Fixed::new(Structure::DirectForm1, "s16f15".parse()?);
    /// let study = Wish::lowpass("1 kHz").cutoff("40 Hz").butterworth(4).words(words).study()?;
    /// let flow = SignalFlow::of(&study.integers()?.checked)?;
    /// let found = flow.slowest_loop(Resources::default()).unwrap();
    /// // y[n] of a section needs y[n-1].
    /// assert_eq!((found.delay, found.clocks), (1, 5));
    /// # Ok::<(), Box<dyn std::error::Error>>(())
    /// ```
    pub fn slowest_loop(&self, resources: Resources) -> Option<SlowestLoop> {
        // Of all loops the one of the least delay for each task: begun with the delay of any, the search goes
        // on while there is one with less (E. L. Lawler, "Optimal cycles in doubly weighted directed linear
        // graphs", 1967).
        let mut edges = Vec::new();
        for (to, task) in self.tasks.iter().enumerate() {
            for product in &task.products {
                let words = [Some(product.first), product.second.map(|(_, word)| word)];
                let used = words.into_iter().flatten().filter(|word| word.signal > 0);
                edges.extend(used.map(|word| (word.signal - 1, to, word.age as i64)));
            }
        }
        if self.tasks.len() * edges.len() > MOST_STEPS {
            return None;
        }
        edges.sort_unstable();
        edges.dedup_by_key(|(from, to, _)| (*from, *to));
        let (mut tasks, mut delay) = (0, 0);
        while let Some((more, less)) = self.shorter_loop(&edges, tasks, delay) {
            (tasks, delay) = (more, less);
        }
        // Registers that depend on what there is to be done are not counted: a part of the flow may need
        // none.
        let clocks = 4 + resources.multiplier_stages;
        (tasks > 0)
            .then_some(SlowestLoop { clocks: tasks as usize * clocks, delay: delay as usize })
    }

    /// Tasks and delay of a loop with less delay for each task than that of `tasks` with `delay`; of any loop
    /// where `tasks` is 0.
    fn shorter_loop(
        &self,
        edges: &[(usize, usize, i64)],
        tasks: i64,
        delay: i64,
    ) -> Option<(i64, i64)> {
        // Weights are below zero around such a loop, and only there (Bellman and Ford).
        let weight = |age: i64| if tasks == 0 { -1 } else { age * tasks - delay };
        let count = self.tasks.len();
        let mut least = vec![0i64; count];
        let mut before = vec![None; count];
        let mut changed = None;
        for _ in 0..=count {
            changed = None;
            for (index, (from, to, age)) in edges.iter().enumerate() {
                let way = least[*from] + weight(*age);
                if way < least[*to] {
                    (least[*to], before[*to], changed) = (way, Some(index), Some(*to));
                }
            }
            changed?;
        }
        // Back from what still changes one comes into the loop, and then around it.
        let mut at = changed?;
        for _ in 0..count {
            at = edges[before[at]?].0;
        }
        let (start, mut found) = (at, (0, 0));
        loop {
            let (from, _, age) = edges[before[at]?];
            found = (found.0 + 1, found.1 + age);
            at = from;
            if at == start {
                return Some(found);
            }
        }
    }
}
