//! How much work searches and proofs may do.

/// How much work searches and proofs may do, in units of the usual: 1, unless a spec says otherwise.
///
/// It counts operations, not seconds, so that one spec gives one result on any machine. What the usual allows
/// is some seconds on a desk machine of the year 2025. What ends at this limit says what it left untried.
///
/// ```
/// use mellow_rake::Effort;
/// assert_eq!(Effort::default(), Effort::new(1).unwrap());
/// assert_eq!(Effort::new(4).unwrap().times(250), 1000);
/// assert!(Effort::new(0).is_none() && Effort::new(Effort::LARGEST + 1).is_none());
/// ```
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord)]
pub struct Effort(u32);

impl Default for Effort {
    fn default() -> Self {
        Effort(1)
    }
}

impl Effort {
    /// The largest there is.
    pub const LARGEST: u32 = 1_000;

    /// From 1 to [`LARGEST`](Effort::LARGEST); `None` outside.
    pub fn new(times: u32) -> Option<Self> {
        (1..=Effort::LARGEST).contains(&times).then_some(Effort(times))
    }

    /// So many times the usual.
    pub fn get(self) -> u32 {
        self.0
    }

    /// A limit for the usual effort, for this one.
    pub fn times(self, usual: u64) -> u64 {
        usual.saturating_mul(self.0.into())
    }

    /// Four times as much, to be named where more would help; `None` at the largest.
    pub fn more(self) -> Option<Self> {
        (self.0 < Effort::LARGEST).then(|| Effort((self.0 * 4).min(Effort::LARGEST)))
    }
}
