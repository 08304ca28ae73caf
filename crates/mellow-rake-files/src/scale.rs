//! What samples stand for.

use crate::Values;

/// From samples to what they stand for.
#[derive(Debug, Clone)]
pub struct Scale {
    /// A sample is multiplied by this.
    pub factor: f64,
    /// This is added.
    pub offset: f64,
    /// The unit that it comes to.
    pub unit: String,
    /// The largest size of a scaled sample less the offset.
    pub range: f64,
}

impl Scale {
    /// Samples as what they stand for.
    pub fn apply(&self, values: &Values) -> Values {
        let scaled = values.reals().into_iter().map(|x| x * self.factor + self.offset);
        Values::Reals(scaled.collect())
    }
}
