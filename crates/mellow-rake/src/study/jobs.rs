//! Work in independent pieces, which a front end does on as many cores as it likes.

/// Independent pieces of work of one kind. Their results do not depend on the order in which, or the thread
/// on which, they are done.
///
/// ```
/// use mellow_rake::study::Jobs;
/// let jobs = Jobs::of([1, 2, 3], |number| number * number);
/// assert_eq!(jobs.len(), 3);
/// assert_eq!(jobs.into_iter().map(|job| job()).collect::<Vec<_>>(), [1, 4, 9]);
/// ```
pub struct Jobs<'a, T> {
    all: Vec<Job<'a, T>>,
}

/// One piece.
pub type Job<'a, T> = Box<dyn FnOnce() -> T + Send + 'a>;

impl<'a, T> Jobs<'a, T> {
    /// The same work on each of some things.
    pub fn of<I: Send + 'a>(
        things: impl IntoIterator<Item = I>,
        work: impl Fn(I) -> T + Send + Sync + Clone + 'a,
    ) -> Self {
        let job = |thing| {
            let work = work.clone();
            Box::new(move || work(thing)) as Job<'a, T>
        };
        Jobs { all: things.into_iter().map(job).collect() }
    }

    /// How many there are.
    pub fn len(&self) -> usize {
        self.all.len()
    }

    /// Whether there are none.
    pub fn is_empty(&self) -> bool {
        self.all.is_empty()
    }
}

impl<'a, T> IntoIterator for Jobs<'a, T> {
    type Item = Job<'a, T>;
    type IntoIter = std::vec::IntoIter<Job<'a, T>>;

    fn into_iter(self) -> Self::IntoIter {
        self.all.into_iter()
    }
}

/// Who does the work: a front end with its threads and its bar of progress.
pub trait Workers {
    /// Does all jobs and gives their results in the order of the jobs. `what` says in two or three words what
    /// is being done.
    fn all<T: Send>(&self, what: &'static str, jobs: Jobs<'_, T>) -> Vec<T>;
}

/// One job after the other, on the thread that asks.
#[derive(Debug, Clone, Copy, Default)]
pub struct InTurn;

impl Workers for InTurn {
    fn all<T: Send>(&self, _: &'static str, jobs: Jobs<'_, T>) -> Vec<T> {
        jobs.into_iter().map(|job| job()).collect()
    }
}
