//! How many comparisons a look at the words of a spec is worth.

use crate::implementation::Implementation;
use std::cell::Cell;

/// Comparisons with other structures and words: as many as the effort of the spec allows, each as long as the
/// filter itself took.
pub(super) struct Budget {
    left: Cell<usize>,
    untried: Cell<usize>,
}

impl Budget {
    pub(super) fn new(filter: &Implementation) -> Self {
        Budget { left: Cell::new(filter.affordable()), untried: Cell::new(0) }
    }

    /// All of them, where the words of the spec make no filter that would say how long one takes.
    pub(super) fn free() -> Self {
        Budget { left: Cell::new(usize::MAX), untried: Cell::new(0) }
    }

    /// How many of so many may be made.
    pub(super) fn takes(&self, wanted: usize) -> usize {
        let some = wanted.min(self.left.get());
        self.left.set(self.left.get() - some);
        self.untried.set(self.untried.get() + wanted - some);
        some
    }

    /// How many were not made; `None` if all were.
    pub(super) fn untried(&self) -> Option<usize> {
        Some(self.untried.get()).filter(|untried| *untried > 0)
    }
}
