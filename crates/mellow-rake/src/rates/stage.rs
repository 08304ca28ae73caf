//! One change of the sample rate.

use super::Comb;
use crate::filter::Taps;

/// Why there is no such stage, or no such chain.
#[derive(Debug, Clone, PartialEq, thiserror::Error)]
#[non_exhaustive]
pub enum RateError {
    /// A factor out of its range.
    #[error(
        "the rate goes {way} by {found}; a factor of 1 to {} is accepted, for more take several stages",
        Stage::LARGEST_FACTOR
    )]
    Factor {
        /// `up` or `down`.
        way: &'static str,
        /// The factor.
        found: usize,
    },
    /// A stage without taps.
    #[error("a stage has no taps; one tap of 1 lets everything through")]
    NoTaps,
    /// A tap that is no number.
    #[error("tap {place} is {found}; finite numbers are accepted")]
    Tap {
        /// Its number, h\[0\] is 0.
        place: usize,
        /// The tap.
        found: f64,
    },
    /// Integrators and combs that cannot be.
    #[error(
        "integrators and combs of order {order} with a delay of {delay}, up by {up} and down by {down}: \
         order 1 to {} and a delay of 1 to {} are accepted, where the rate goes one way",
        Comb::LARGEST_ORDER,
        Comb::LARGEST_DELAY
    )]
    Comb {
        /// The factor up.
        up: usize,
        /// The factor down.
        down: usize,
        /// How many integrators.
        order: usize,
        /// The delay of each comb.
        delay: usize,
    },
    /// A chain without stages.
    #[error("a chain has no stages; at least one is wanted")]
    NoStages,
    /// Samples per second beyond what a rate can be.
    #[error("stage {stage} works at {hertz} Hz; a rate of 1 nHz to 1 THz is accepted")]
    Rate {
        /// Its number, the first is 1.
        stage: usize,
        /// The rate at which it filters, in hertz.
        hertz: f64,
    },
    /// More bands that fall together than can be looked at one by one.
    #[error(
        "up to stage {stage} the rate goes {way} by {found} in all; {} at the most is accepted",
        super::Chain::LARGEST_FACTOR
    )]
    Chain {
        /// The number of the stage, the first is 1.
        stage: usize,
        /// `up` or `down`.
        way: &'static str,
        /// The product of the factors.
        found: usize,
    },
}

/// Taps between an expander and a decimator: `up` − 1 zeros behind each sample, H(z) at that rate, and of
/// every `down` samples the last.
///
/// Where the rate goes up the zeros take the level down by `up`: for a gain of 1 the taps then add up to
/// `up`.
///
/// ```
/// use mellow_rake::filter::Taps;
/// use mellow_rake::rates::Stage;
/// let line = Stage::interpolator(2, Taps(vec![0.5, 1.0, 0.5]))?;
/// assert_eq!(line.start().run(&[100.0, 200.0, 300.0]), [50.0, 100.0, 150.0, 200.0, 250.0, 300.0]);
/// # Ok::<(), mellow_rake::rates::RateError>(())
/// ```
#[derive(Debug, Clone, PartialEq)]
pub struct Stage {
    up: usize,
    down: usize,
    taps: Taps,
    /// The integrators and combs that it is, if it is one of those.
    comb: Option<Comb>,
}

impl Stage {
    /// The largest factor, up or down.
    pub const LARGEST_FACTOR: usize = 4096;

    /// A stage that takes `down` samples and gives `up`.
    ///
    /// # Errors
    /// [`RateError`] for a factor out of 1 to [`LARGEST_FACTOR`](Self::LARGEST_FACTOR), no taps, or taps that
    /// are no finite numbers.
    pub fn new(up: usize, down: usize, taps: Taps) -> Result<Self, RateError> {
        for (way, found) in [("up", up), ("down", down)] {
            if !(1..=Stage::LARGEST_FACTOR).contains(&found) {
                return Err(RateError::Factor { way, found });
            }
        }
        if taps.0.is_empty() {
            return Err(RateError::NoTaps);
        }
        match taps.0.iter().enumerate().find(|(_, tap)| !tap.is_finite()) {
            Some((place, found)) => Err(RateError::Tap { place, found: *found }),
            None => Ok(Stage { up, down, taps, comb: None }),
        }
    }

    /// A stage that gives one sample for each `factor`.
    ///
    /// # Errors
    /// As of [`new`](Self::new).
    pub fn decimator(factor: usize, taps: Taps) -> Result<Self, RateError> {
        Stage::new(1, factor, taps)
    }

    /// A stage that gives `factor` samples for each.
    ///
    /// # Errors
    /// As of [`new`](Self::new).
    pub fn interpolator(factor: usize, taps: Taps) -> Result<Self, RateError> {
        Stage::new(factor, 1, taps)
    }

    /// By how much it raises the rate before it filters.
    pub fn up(&self) -> usize {
        self.up
    }

    /// By how much it lowers the rate behind its filter.
    pub fn down(&self) -> usize {
        self.down
    }

    /// The filter at the rate in between.
    pub fn taps(&self) -> &Taps {
        &self.taps
    }

    /// The integrators and combs that its taps stand for; `None` of any other.
    pub fn as_sums(&self) -> Option<Comb> {
        self.comb
    }

    pub(super) fn with_comb(self, comb: Comb) -> Self {
        Stage { comb: Some(comb), ..self }
    }

    /// Words that it remembers: those that its longest branch of taps reaches; of integrators and combs one
    /// for each, and the delays.
    pub fn words(&self) -> usize {
        match self.comb {
            Some(comb) => comb.order * (1 + comb.delay),
            None => self.taps.0.len().div_ceil(self.up),
        }
    }

    /// Products for a sample that comes out, on average over the branches: taps that are zero are not
    /// counted, and symmetric taps are not folded. Integrators and combs have none.
    pub fn multiplies_per_output(&self) -> f64 {
        if self.comb.is_some() {
            return 0.0;
        }
        let nonzero = self.taps.0.iter().filter(|tap| **tap != 0.0).count();
        // Over `up` outputs each tap meets a sample `down` times at the rate in between, and a zero else.
        nonzero as f64 / self.up as f64
    }
}
