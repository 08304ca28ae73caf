//! Into how many stages a change of the rate is best cut, and by which factors.

use super::cut::{designed, estimate, order_that_stops};
use super::wish::{Cut, common_factor};
use super::{Chain, PlanError, RateWish, Stage, StageForm};
use crate::spec::Least;
use std::cmp::Ordering;

/// The most stages that are looked at where the rate goes one way.
const MOST_STAGES: usize = 6;

/// And where it goes both ways: there are many more ways to share out the factors.
const MOST_BOTH_WAYS: usize = 4;

/// So many of the cheapest by estimate are designed.
const DESIGNED: usize = 6;

/// A way to cut a change of the rate.
#[derive(Debug, Clone, PartialEq)]
#[non_exhaustive]
pub struct Weighed {
    /// The stages, in the order of the signal.
    pub stages: Vec<StageForm>,
    /// The number of taps of each stage: designed, or by estimate; of integrators and combs those that they
    /// are equal to.
    pub taps: Vec<usize>,
    /// Products in a second.
    pub multiplies_per_second: f64,
    /// Words that are remembered.
    pub words: usize,
    /// The delay in seconds.
    pub delay_seconds: f64,
    /// Whether it was designed; else it is an estimate.
    pub is_designed: bool,
}

impl Weighed {
    fn of(chain: &Chain) -> Self {
        let stages = chain.stages();
        Weighed {
            stages: stages.iter().map(form).collect(),
            taps: stages.iter().map(Stage::length).collect(),
            multiplies_per_second: chain.multiplies_per_second(),
            words: chain.words(),
            // All that are designed are of linear phase.
            delay_seconds: chain.delay_seconds().unwrap_or(f64::INFINITY),
            is_designed: true,
        }
    }

    /// By estimate.
    fn estimated(wish: &RateWish, forms: &[StageForm]) -> Self {
        let (mut multiplies_per_second, mut words, mut taps) = (0.0, 0, Vec::new());
        let mut delay_seconds = 0.0;
        let half = |taps: usize, cut: &Cut| (taps - 1) as f64 / 2.0 / cut.between;
        let of_taps = forms.iter().filter(|form| form.comb.is_none()).count();
        let ripples = wish.ripples(of_taps, 0.0);
        for cut in wish.cuts(forms) {
            if let Some(comb) = cut.comb {
                words += comb.order * (1 + comb.delay);
                let count = comb.order * (cut.up.max(cut.down) * comb.delay - 1) + 1;
                delay_seconds += half(count, &cut);
                taps.push(count);
                continue;
            }
            let [count, nonzero] = estimate(wish, &cut, ripples);
            multiplies_per_second += nonzero as f64 / cut.up as f64 * cut.after;
            words += count.div_ceil(cut.up);
            delay_seconds += half(count, &cut);
            taps.push(count);
        }
        let stages = forms.to_vec();
        let is_designed = false;
        Weighed { stages, taps, multiplies_per_second, words, delay_seconds, is_designed }
    }

    /// What it takes of this; alike of two, the one of fewer products is before the other.
    fn cost(&self, least: Least) -> [f64; 2] {
        let first = match least {
            Least::Products => self.multiplies_per_second,
            Least::Memory => self.words as f64,
            Least::Delay => self.delay_seconds,
        };
        [first, self.multiplies_per_second]
    }

    fn compared(&self, other: &Weighed, least: Least) -> Ordering {
        let pairs = self.cost(least).into_iter().zip(other.cost(least));
        pairs.fold(Ordering::Equal, |order, (own, others)| order.then(own.total_cmp(&others)))
    }
}

/// All that divide a number, the smallest first.
fn divisors(number: usize) -> Vec<usize> {
    let small = (1..).take_while(|one| one * one <= number);
    let small: Vec<usize> = small.filter(|one| number.is_multiple_of(*one)).collect();
    let large = small.iter().rev().map(|one| number / one).filter(|one| one * one > number);
    small.iter().copied().chain(large).collect()
}

fn form(stage: &Stage) -> StageForm {
    StageForm { comb: stage.as_sums(), ..StageForm::new(stage.up(), stage.down()) }
}

/// Stages that keep what was wished, with what was weighed.
#[derive(Debug, Clone, PartialEq)]
#[non_exhaustive]
pub struct RatePlan {
    /// The stages.
    pub chain: Chain,
    /// The ripple from 0 to the end of the pass-band, peak to peak, in decibels: measured on the chain.
    pub ripple_db: f64,
    /// What disturbs is at least so many decibels below what goes in: measured on the stages.
    pub attenuation_db: f64,
    /// The ways that were designed, the one chosen first; then the estimates of the next.
    pub weighed: Vec<Weighed>,
    /// How many ways there are.
    pub ways: usize,
    /// How many of them were to be designed; those that could be are in `weighed`.
    pub tried: usize,
}

/// The ways that are worth a look, the cheapest by estimate first.
struct Ways<'a> {
    wish: &'a RateWish,
    most_stages: usize,
    best: Vec<Weighed>,
    count: usize,
}

impl Ways<'_> {
    /// All ways to go on from some stages by what is left of the factors.
    fn look(&mut self, [up, down]: [usize; 2], so_far: &mut Vec<StageForm>) {
        if up * down == 1 {
            self.weigh(so_far);
            self.weigh_with_comb(so_far);
            return;
        }
        if so_far.len() == self.most_stages {
            return;
        }
        let downs = divisors(down);
        for own_up in divisors(up) {
            for &own_down in &downs {
                let is_none = own_up * own_down == 1;
                if is_none || common_factor(own_up, own_down) > 1 {
                    continue;
                }
                so_far.push(StageForm::new(own_up, own_down));
                let after = self.wish.cuts(so_far).pop().map_or(0.0, |cut| cut.after);
                if self.wish.has_room(after) {
                    self.look([up / own_up, down / own_down], so_far);
                }
                so_far.pop();
            }
        }
    }

    /// The same with integrators and combs at the highest rate, where they stop enough.
    fn weigh_with_comb(&mut self, forms: &[StageForm]) {
        let goes_one_way = self.wish.up == 1 || self.wish.down == 1;
        if !self.wish.combs || !goes_one_way || forms.len() < 2 {
            return;
        }
        let place = if self.wish.up == 1 { 0 } else { forms.len() - 1 };
        let mut forms = forms.to_vec();
        let cut = &self.wish.cuts(&forms)[place];
        if let Some(comb) = order_that_stops(self.wish, cut) {
            forms[place].comb = Some(comb);
            self.weigh(&forms);
        }
    }

    fn weigh(&mut self, forms: &[StageForm]) {
        self.count += 1;
        let found = Weighed::estimated(self.wish, forms);
        let in_order = |forms: &[StageForm]| -> Vec<[usize; 2]> {
            forms.iter().map(|form| [form.up, form.down]).collect()
        };
        let is_before = |other: &Weighed| {
            let cost = other.compared(&found, self.wish.least);
            cost.then(other.stages.len().cmp(&forms.len()))
                .then_with(|| in_order(&other.stages).cmp(&in_order(forms)))
                .is_lt()
        };
        let place = self.best.partition_point(is_before);
        if place < 2 * DESIGNED {
            self.best.insert(place, found);
            self.best.truncate(2 * DESIGNED);
        }
    }
}

/// The stages of a change of the rate that take the fewest products in a second, or the [`Least`] of what is
/// wished: all ways to cut it into up to six are weighed by an estimate of their taps, and the cheapest six
/// designed, measured and counted.
/// Where the rate goes up and down, each stage may do both, and up to four are looked at.
///
/// Where [`combs`](RateWish::combs) allows it, the stage at the highest rate may be one of integrators and
/// combs, of the lowest order that stops enough, without a product; the stage at the lowest rate makes good
/// its droop.
///
/// Each stage is an equiripple low-pass of the fewest taps, or where it changes the rate by 2 and is not the
/// last a half-band filter, whose zeros count nothing. A stage has to stop only what later falls onto what
/// must stay clean, so those at the higher rates have few taps (R. E. Crochiere & L. R. Rabiner, "Optimum FIR
/// digital filter implementations for decimation, interpolation, and narrow-band filtering", 1975; and
/// Multirate Digital Signal Processing, 1983, chapter 5).
///
/// # Errors
/// [`PlanError`] says what of the wish cannot be, or which stage could not be designed.
///
/// ```
/// use mellow_rake::Effort;
/// use mellow_rake::rates::{RateWish, plan};
/// use mellow_rake::spec::{Kept, Least};
/// let wish = RateWish { input_rate: "96 kHz".parse()?, up: 1, down: 32, pass_hz: 1_000.0,
///     ripple_db: 0.2, attenuation_db: 70.0, kept: Kept::PassBand, combs: false, most_growth_bits: 48,
///     least: Least::Products, effort: Effort::default() };
/// let plan = plan(&wish)?;
/// assert_eq!(plan.chain.output_rate().hertz(), 3_000.0);
/// assert!(plan.ripple_db <= 0.2 && plan.attenuation_db >= 70.0);
/// assert!(plan.chain.stages().len() > 2);
/// # Ok::<(), Box<dyn std::error::Error>>(())
/// ```
pub fn plan(wish: &RateWish) -> Result<RatePlan, PlanError> {
    wish.check()?;
    let is_both = wish.up > 1 && wish.down > 1;
    let most_stages = if is_both { MOST_BOTH_WAYS } else { MOST_STAGES };
    let mut ways = Ways { wish, most_stages, best: Vec::new(), count: 0 };
    ways.look([wish.up, wish.down], &mut Vec::new());
    let (mut made, mut failed) = (Vec::new(), None);
    for way in ways.best.iter().take(DESIGNED) {
        match plan_of(wish, &way.stages) {
            Ok(plan) => made.push(plan),
            Err(error) => failed = Some(error),
        }
    }
    made.sort_by(|a, b| a.weighed[0].compared(&b.weighed[0], wish.least));
    let tried = ways.best.len().min(DESIGNED);
    let designed = made.iter().flat_map(|plan| plan.weighed.clone());
    let weighed = designed.chain(ways.best.iter().skip(DESIGNED).cloned()).collect();
    match (made.into_iter().next(), failed) {
        (Some(best), _) => Ok(RatePlan { weighed, ways: ways.count, tried, ..best }),
        (None, Some(error)) => Err(error),
        // There is always the one stage.
        (None, None) => Err(PlanError::Factor { up: wish.up, down: wish.down }),
    }
}

fn plan_of(wish: &RateWish, forms: &[StageForm]) -> Result<RatePlan, PlanError> {
    let (chain, [ripple_db, attenuation_db]) = designed(wish, forms)?;
    let weighed = vec![Weighed::of(&chain)];
    Ok(RatePlan { chain, ripple_db, attenuation_db, weighed, ways: 1, tried: 1 })
}

/// The stages of a change of the rate of these forms, in the order of the signal.
///
/// # Errors
/// [`PlanError`] as of [`plan`], for factors that do not make the change that is wished, for a rate between
/// two stages that has no room for what must stay clean, and for integrators and combs alone.
///
/// ```
/// use mellow_rake::Effort;
/// use mellow_rake::rates::{RateWish, StageForm, plan_by};
/// use mellow_rake::spec::{Kept, Least};
/// let wish = RateWish { input_rate: "12 kHz".parse()?, up: 8, down: 1, pass_hz: 4_000.0,
///     ripple_db: 0.2, attenuation_db: 60.0, kept: Kept::PassBand, combs: false, most_growth_bits: 48,
///     least: Least::Products, effort: Effort::default() };
/// let plan = plan_by(&wish, &[StageForm::new(2, 1), StageForm::new(4, 1)])?;
/// assert_eq!(plan.chain.output_rate().hertz(), 96_000.0);
/// assert_eq!(plan.chain.stages()[1].up(), 4);
/// # Ok::<(), Box<dyn std::error::Error>>(())
/// ```
pub fn plan_by(wish: &RateWish, forms: &[StageForm]) -> Result<RatePlan, PlanError> {
    wish.check()?;
    let RateWish { up, down, .. } = *wish;
    let all = |factor: fn(&StageForm) -> usize| {
        forms.iter().fold(1usize, |all, one| all.saturating_mul(factor(one)))
    };
    let (found_up, found_down) = (all(|form| form.up), all(|form| form.down));
    let is_stage =
        |one: &StageForm| one.up.max(one.down) > 1 && common_factor(one.up, one.down) == 1;
    if (found_up, found_down) != (up, down) || !forms.iter().all(is_stage) {
        return Err(PlanError::Factors { found_up, found_down, up, down });
    }
    for (place, cut) in wish.cuts(forms).iter().enumerate() {
        if !wish.has_room(cut.after) {
            let (least_hz, pass_hz) = (wish.least_rate(), wish.pass_hz);
            return Err(PlanError::Between {
                stage: place + 1,
                found_hz: cut.after,
                least_hz,
                pass_hz,
            });
        }
    }
    plan_of(wish, forms)
}
