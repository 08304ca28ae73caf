//! A change of the rate as it is wished, and why there may be none.

use super::{Comb, RateError, Stage};
use crate::Effort;
use crate::design::fir::FirError;
use crate::spec::{Kept, Least};
use crate::units::SampleRate;

/// A change of the rate as it is wished: by whole numbers, up, down, or both.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct RateWish {
    /// The rate of what goes in.
    pub input_rate: SampleRate,
    /// By how much the rate goes up, 1 to [`Stage::LARGEST_FACTOR`].
    pub up: usize,
    /// By how much it goes down, 1 to [`Stage::LARGEST_FACTOR`]; it has no factor in common with `up`.
    pub down: usize,
    /// Where the pass-band ends, in hertz; below half of the lower rate.
    pub pass_hz: f64,
    /// The ripple in it, peak to peak, in decibels.
    pub ripple_db: f64,
    /// What aliases and images are weakened by, in decibels.
    pub attenuation_db: f64,
    /// What they must not disturb.
    pub kept: Kept,
    /// Whether the stage at the highest rate may be one of integrators and combs, where the rate goes one
    /// way: its droop is made good by the stage at the lowest rate.
    pub combs: bool,
    /// By how many bits words may grow in those at the most: 64 less what comes in, where they are to run on
    /// integers.
    pub most_growth_bits: u32,
    /// Of what the stages are to take the least.
    pub least: Least,
    /// How much work the search for the fewest taps of a stage may do.
    pub effort: Effort,
}

/// A stage to be designed for a change of the rate.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct StageForm {
    /// By how much it raises the rate before its taps.
    pub up: usize,
    /// By how much it lowers the rate behind them.
    pub down: usize,
    /// Of integrators and combs, instead of taps.
    pub comb: Option<Comb>,
}

impl StageForm {
    /// A stage of taps.
    pub fn new(up: usize, down: usize) -> Self {
        StageForm { up, down, comb: None }
    }

    /// The same of integrators and combs.
    pub fn of_sums(self, comb: Comb) -> Self {
        StageForm { comb: Some(comb), ..self }
    }
}

/// Why there are no stages for a wish.
#[derive(Debug, Clone, PartialEq, thiserror::Error)]
#[non_exhaustive]
pub enum PlanError {
    /// Factors that are none.
    #[error(
        "the rate goes up by {up} and down by {down}; 1 to {} are accepted, not both 1",
        Stage::LARGEST_FACTOR
    )]
    Factor {
        /// The factor up.
        up: usize,
        /// The factor down.
        down: usize,
    },
    /// Factors that have one in common.
    #[error("up by {up} and down by {down} is up by {less_up} and down by {less_down}; write that")]
    Common {
        /// The factor up.
        up: usize,
        /// The factor down.
        down: usize,
        /// The same without what is common.
        less_up: usize,
        /// The same without what is common.
        less_down: usize,
    },
    /// Stages that do not make the change that is wished.
    #[error(
        "the stages go up by {found_up} and down by {found_down} together, and up by {up} and down by {down} \
         is wished; none may do nothing, and none may go up and down by factors that have one in common"
    )]
    Factors {
        /// What they make.
        found_up: usize,
        /// What they make.
        found_down: usize,
        /// What is wished.
        up: usize,
        /// What is wished.
        down: usize,
    },
    /// A rate between two stages that cannot carry what passes.
    #[error(
        "behind stage {stage} the rate is {found_hz} Hz; above {least_hz} Hz is accepted, or what passes to \
         {pass_hz} Hz is disturbed there already"
    )]
    Between {
        /// Its number, the first is 1.
        stage: usize,
        /// The rate.
        found_hz: f64,
        /// What it must be above.
        least_hz: f64,
        /// What passes.
        pass_hz: f64,
    },
    /// Nothing that could make good the droop of integrators and combs.
    #[error(
        "all stages are integrators and combs; one of taps is wanted as well, which makes good their droop"
    )]
    OnlyCombs,
    /// A pass-band that the lower rate cannot carry.
    #[error(
        "the pass-band ends at {pass_hz} Hz; above 0 and below {half_hz} Hz, half of the lower rate, is \
         accepted"
    )]
    PassBand {
        /// Where it ends.
        pass_hz: f64,
        /// Half of the lower rate.
        half_hz: f64,
    },
    /// Levels that make no filter.
    #[error("the {what} is {found} dB; {accepted} is accepted")]
    Level {
        /// Which.
        what: &'static str,
        /// How much.
        found: f64,
        /// What would do.
        accepted: &'static str,
    },
    /// A stage could not be designed.
    #[error("a stage up by {up} and down by {down}, with taps at {between_hz} Hz: {error}")]
    Stage {
        /// Its factor up.
        up: usize,
        /// Its factor down.
        down: usize,
        /// The rate at which it filters.
        between_hz: f64,
        /// What is in the way.
        error: FirError,
    },
    /// No stages keep what is asked.
    #[error(
        "no stages keep {attenuation_db} dB and {ripple_db} dB: the best have {found_attenuation_db:.2} dB \
         and {found_ripple_db:.4} dB"
    )]
    NotKept {
        /// What was asked.
        attenuation_db: f64,
        /// What was asked.
        ripple_db: f64,
        /// What was found.
        found_attenuation_db: f64,
        /// What was found.
        found_ripple_db: f64,
    },
    /// What is no chain.
    #[error(transparent)]
    Chain(#[from] RateError),
}

pub(super) fn common_factor(mut a: usize, mut b: usize) -> usize {
    while b > 0 {
        (a, b) = (b, a % b);
    }
    a
}

impl RateWish {
    pub(super) fn check(&self) -> Result<(), PlanError> {
        let RateWish { up, down, .. } = *self;
        let accepted = 1..=Stage::LARGEST_FACTOR;
        if !accepted.contains(&up) || !accepted.contains(&down) || up.max(down) == 1 {
            return Err(PlanError::Factor { up, down });
        }
        let common = common_factor(up, down);
        if common > 1 {
            let (less_up, less_down) = (up / common, down / common);
            return Err(PlanError::Common { up, down, less_up, less_down });
        }
        let half_hz = self.lower_rate() / 2.0;
        if !(self.pass_hz > 0.0 && self.pass_hz < half_hz) {
            return Err(PlanError::PassBand { pass_hz: self.pass_hz, half_hz });
        }
        let level = |what, found: f64, range: [f64; 2], accepted| match found >= range[0]
            && found <= range[1]
        {
            true => Ok(()),
            false => Err(PlanError::Level { what, found, accepted }),
        };
        level("ripple", self.ripple_db, [1e-4, 6.0], "0.0001 dB to 6 dB")?;
        level("attenuation", self.attenuation_db, [6.0, 160.0], "6 dB to 160 dB")
    }

    /// The lower of the rates of what goes in and of what comes out.
    fn lower_rate(&self) -> f64 {
        let input = self.input_rate.hertz();
        input.min(input * self.up as f64 / self.down as f64)
    }

    /// Up to where nothing may be disturbed.
    pub(super) fn clean(&self) -> f64 {
        self.kept.ends_at(self.pass_hz, self.lower_rate())
    }

    /// Rates between stages must be above this, or what must stay clean has no room there.
    pub(super) fn least_rate(&self) -> f64 {
        (2.0 * self.clean()).max(self.clean() + self.pass_hz)
    }

    /// Whether a rate between two stages has that room.
    pub(super) fn has_room(&self, hertz: f64) -> bool {
        hertz >= 2.0 * self.clean() && hertz > self.clean() + self.pass_hz
    }

    /// The stages of these forms, in the order of the signal.
    pub(super) fn cuts(&self, forms: &[StageForm]) -> Vec<Cut> {
        // As fractions of the input's rate, so that whole rates stay whole.
        let (mut above, mut below) = (1u128, 1u128);
        let input = self.input_rate.hertz();
        let cut = |&StageForm { up, down, comb }: &StageForm| {
            let before = input * above as f64 / below as f64;
            above *= up as u128;
            let between = input * above as f64 / below as f64;
            below *= down as u128;
            let after = input * above as f64 / below as f64;
            let low = match (up, down) {
                (1, _) => after,
                (_, 1) => before,
                _ => before.min(after),
            };
            Cut { up, down, comb, between, after, low, clean: self.clean() }
        };
        forms.iter().map(cut).collect()
    }
}

/// A stage to be designed.
pub(super) struct Cut {
    pub(super) up: usize,
    pub(super) down: usize,
    pub(super) comb: Option<Comb>,
    /// The rate at which it filters.
    pub(super) between: f64,
    /// The rate behind it.
    pub(super) after: f64,
    /// The lower of the rates at which it has images or aliases.
    pub(super) low: f64,
    /// What must stay clean ends here.
    pub(super) clean: f64,
}

impl Cut {
    /// Where the first image of what must stay clean ends, and the first that falls onto it begins.
    pub(super) fn stop(&self) -> f64 {
        self.low - self.clean
    }

    /// Whether a filter does whose every other tap is zero: by 2, and what passes is as far below a quarter
    /// of the rate as what stops is above.
    pub(super) fn is_half_band(&self) -> bool {
        self.up * self.down == 2 && self.clean < self.between / 4.0 * 0.98
    }
}
