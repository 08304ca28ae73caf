//! Into how many stages a change of the rate is best cut, and by which factors.

use super::{Chain, RateError, Stage};
use crate::Effort;
use crate::design::fir::{FirError, design_fir};
use crate::filter::{BandKind, Taps, Transfer, complex};
use crate::response::extreme;
use crate::spec::{FirEdges, FirMethod, FirShape, FirWish, Phase};
use crate::units::SampleRate;
use crate::units::level::decibels;

/// The most stages that are looked at.
const MOST_STAGES: usize = 6;

/// So many of the cheapest by estimate are designed.
const DESIGNED: usize = 6;

/// How often stages are designed again, each time with what was missing.
const AGAIN: usize = 4;

/// What must not be disturbed by what folds onto it.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
#[non_exhaustive]
pub enum Kept {
    /// The pass-band: what falls between its end and half of the lower rate may be disturbed.
    #[default]
    PassBand,
    /// All of 0 to half of the lower rate.
    WholeBand,
}

/// A change of the rate as it is wished: by a whole factor, down or up.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct RateWish {
    /// The higher of the two rates.
    pub high_rate: SampleRate,
    /// By how much the lower one is lower, 2 to [`Stage::LARGEST_FACTOR`].
    pub factor: usize,
    /// Whether the rate goes up.
    pub is_up: bool,
    /// Where the pass-band ends, in hertz; below half of the lower rate.
    pub pass_hz: f64,
    /// The ripple in it, peak to peak, in decibels.
    pub ripple_db: f64,
    /// What aliases or images are weakened by, in decibels.
    pub attenuation_db: f64,
    /// What they must not disturb.
    pub kept: Kept,
    /// How much work the search for the fewest taps of a stage may do.
    pub effort: Effort,
}

/// Why there are no stages for a wish.
#[derive(Debug, Clone, PartialEq, thiserror::Error)]
#[non_exhaustive]
pub enum PlanError {
    /// A factor that is none.
    #[error("the factor is {found}; 2 to {} are accepted", Stage::LARGEST_FACTOR)]
    Factor {
        /// The factor.
        found: usize,
    },
    /// Factors that do not make the one that is wished.
    #[error("the factors make {found} together, and {wanted} is wished; each is at least 2")]
    Factors {
        /// Their product.
        found: usize,
        /// What is wished.
        wanted: usize,
    },
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
    #[error("a stage by {factor} from {high_hz} Hz: {error}")]
    Stage {
        /// Its factor.
        factor: usize,
        /// The higher of its two rates.
        high_hz: f64,
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

/// A way to cut a change of the rate.
#[derive(Debug, Clone, PartialEq)]
#[non_exhaustive]
pub struct Weighed {
    /// The factors, in the order of the signal.
    pub factors: Vec<usize>,
    /// The number of taps of each stage: designed, or by estimate.
    pub taps: Vec<usize>,
    /// Products in a second.
    pub multiplies_per_second: f64,
    /// Words that are remembered.
    pub words: usize,
    /// Whether it was designed; else it is an estimate.
    pub is_designed: bool,
}

impl Weighed {
    fn of(chain: &Chain) -> Self {
        let taps = chain.stages().iter().map(|stage| stage.taps().0.len());
        let factor = |stage: &Stage| stage.up().max(stage.down());
        Weighed {
            factors: chain.stages().iter().map(factor).collect(),
            taps: taps.clone().collect(),
            multiplies_per_second: chain.multiplies_per_second(),
            words: taps.sum(),
            is_designed: true,
        }
    }
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
}

/// The stage between two rates.
struct Cut {
    factor: usize,
    /// The higher rate.
    high: f64,
    /// The lower rate.
    low: f64,
    /// What must stay clean ends here.
    clean: f64,
}

impl Cut {
    fn stop(&self) -> f64 {
        self.low - self.clean
    }

    /// Whether a filter does whose every other tap is zero: by 2, and what passes is as far below a quarter
    /// of the rate as what stops is above.
    fn is_half_band(&self) -> bool {
        self.factor == 2 && self.clean < self.high / 4.0 * 0.98
    }
}

/// The ripples of a stage as ratios, in the pass-band and the stop-band.
#[derive(Clone, Copy)]
struct Ripples {
    pass: f64,
    stop: f64,
}

impl RateWish {
    fn check(&self) -> Result<(), PlanError> {
        if !(2..=Stage::LARGEST_FACTOR).contains(&self.factor) {
            return Err(PlanError::Factor { found: self.factor });
        }
        let half_hz = self.high_rate.hertz() / self.factor as f64 / 2.0;
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

    /// Up to where nothing may be disturbed.
    fn clean(&self) -> f64 {
        match self.kept {
            Kept::PassBand => self.pass_hz,
            Kept::WholeBand => self.high_rate.hertz() / self.factor as f64 / 2.0,
        }
    }

    /// The stages of these factors, from the higher rate down.
    fn cuts(&self, factors: &[usize]) -> Vec<Cut> {
        let mut below = 1;
        let cut = |factor: &usize| {
            let high = self.high_rate.hertz() / below as f64;
            below *= factor;
            let low = self.high_rate.hertz() / below as f64;
            Cut { factor: *factor, high, low, clean: self.clean() }
        };
        factors.iter().map(cut).collect()
    }

    /// What each of so many stages may do: a share of the ripple, and all of the attenuation, for what one
    /// stage lets fold the others let through.
    fn ripples(&self, stages: usize, more_db: f64) -> Ripples {
        let share = libm::pow(10.0, self.ripple_db / stages as f64 / 20.0);
        let attenuation = self.attenuation_db + self.ripple_db / 2.0 + more_db;
        Ripples { pass: (share - 1.0) / (share + 1.0), stop: libm::pow(10.0, -attenuation / 20.0) }
    }
}

/// All ways to write a number as a product of factors above 1, in every order.
fn products(number: usize, most: usize, so_far: &mut Vec<usize>, all: &mut Vec<Vec<usize>>) {
    if number == 1 {
        all.push(so_far.clone());
        return;
    }
    if most == 0 {
        return;
    }
    for factor in (2..=number).filter(|factor| number.is_multiple_of(*factor)) {
        so_far.push(factor);
        products(number / factor, most - 1, so_far, all);
        so_far.pop();
    }
}

/// Taps of an equiripple low-pass by estimate (J. F. Kaiser, "Nonrecursive digital filter design using the
/// I0-sinh window function", 1974, for the best filters of Parks and McClellan), and those of them that are
/// not zero.
fn estimate(wish: &RateWish, cut: &Cut, ripples: Ripples) -> [usize; 2] {
    let width = std::f64::consts::TAU * (cut.stop() - wish.pass_hz) / cut.high;
    let taps = |pass: f64, stop: f64, width: f64| {
        let count = 1.0 + (-10.0 * libm::log10(pass * stop) - 13.0) / (2.324 * width);
        libm::ceil(count.clamp(1.0, 1e7)) as usize
    };
    if cut.is_half_band() {
        let ripple = ripples.pass.min(ripples.stop);
        let width = std::f64::consts::TAU * (cut.stop() - cut.clean) / cut.high;
        let count = taps(ripple, ripple, width);
        return [count, count.div_ceil(2) + 1];
    }
    let count = taps(ripples.pass, ripples.stop, width);
    [count, count]
}

fn weigh(wish: &RateWish, factors: &[usize]) -> Weighed {
    let (mut multiplies_per_second, mut words, mut taps) = (0.0, 0, Vec::new());
    let ripples = wish.ripples(factors.len(), 0.0);
    for cut in wish.cuts(factors) {
        let [count, nonzero] = estimate(wish, &cut, ripples);
        multiplies_per_second += nonzero as f64 * cut.low;
        words += count;
        taps.push(count);
    }
    let mut factors = factors.to_vec();
    if wish.is_up {
        factors.reverse();
        taps.reverse();
    }
    Weighed { factors, taps, multiplies_per_second, words, is_designed: false }
}

fn fir(shape: FirShape, taps: Option<usize>, effort: Effort) -> FirWish {
    let method = FirMethod::Equiripple { weights: Vec::new() };
    FirWish { shape, method, taps, phase: Phase::Linear, unity_gain: false, effort }
}

/// The taps of a stage, at its higher rate, with a gain of 1.
fn taps(wish: &RateWish, cut: &Cut, ripples: Ripples) -> Result<Taps, PlanError> {
    let no_stage = |error| PlanError::Stage { factor: cut.factor, high_hz: cut.high, error };
    let rate =
        SampleRate::from_hertz(cut.high).ok_or(RateError::Rate { stage: 1, hertz: cut.high })?;
    if cut.is_half_band() {
        let ripple = ripples.pass.min(ripples.stop);
        // Of 4k + 3 taps, for at other lengths the outermost are zero. From half of the estimate on; what is
        // beyond the digits of the numbers ends at twice of it.
        let estimated = estimate(wish, cut, ripples)[0];
        let first = (estimated / 8).saturating_sub(1) * 4 + 3;
        let (mut count, mut worst_gain) = (first, 1.0);
        while count <= 2 * estimated + 16 {
            let shape = FirShape::MthBand { factor: 2, pass_hz: Some(cut.clean) };
            let (_, taps) =
                design_fir(&fir(shape, Some(count), wish.effort), rate).map_err(no_stage)?;
            let gain = |hertz: f64| -taps.gain(rate.radians(hertz));
            let half = rate.nyquist();
            let worst = extreme(half - cut.clean, half, half, count, &gain);
            worst_gain = -gain(worst);
            if worst_gain <= ripple {
                return Ok(taps);
            }
            count += 4;
        }
        return Err(PlanError::NotKept {
            attenuation_db: wish.attenuation_db,
            ripple_db: wish.ripple_db,
            found_attenuation_db: -decibels(worst_gain),
            found_ripple_db: decibels((1.0 + worst_gain) / (1.0 - worst_gain)),
        });
    }
    let shape = FirShape::Band {
        kind: BandKind::Lowpass,
        edges: FirEdges::Transition { pass: vec![wish.pass_hz], stop: vec![cut.stop()] },
        ripple_db: Some(decibels((1.0 + ripples.pass) / (1.0 - ripples.pass))),
        attenuation_db: Some(-decibels(ripples.stop)),
    };
    design_fir(&fir(shape, None, wish.effort), rate).map(|(_, taps)| taps).map_err(no_stage)
}

/// What a chain does to the pass-band, and how far below what goes in anything lies that disturbs.
///
/// Each alias is one at some stage, and there beyond the beginning of its stop-band; all other stages let
/// through no more than their largest gain. The larger of these products, one for each stage, is above all
/// paths. An image is the same the other way round.
fn measured(wish: &RateWish, chain: &Chain, cuts: &[Cut]) -> [f64; 2] {
    let largest = |taps: &Taps, rate: SampleRate, [low, high]: [f64; 2]| {
        let below = |hertz: f64| -taps.gain(rate.radians(hertz));
        -below(extreme(low, high, rate.nyquist(), taps.0.len(), &below))
    };
    let (mut stopped, mut passed) = (Vec::new(), Vec::new());
    for (number, cut) in cuts.iter().enumerate() {
        let place = if wish.is_up { cuts.len() - 1 - number } else { number };
        let (stage, rate) = (&chain.stages()[place], chain.rate_within(place));
        let whole = |band: [f64; 2]| largest(stage.taps(), rate, band) / stage.up() as f64;
        stopped.push(whole([cut.stop(), rate.nyquist()]));
        passed.push(whole([0.0, rate.nyquist()]));
    }
    let all: f64 = passed.iter().product();
    let worst = stopped.iter().zip(&passed).map(|(stop, pass)| stop * (all / pass));
    let gain = |hertz: f64| complex::modulus(chain.direct_response(hertz));
    let spread = |cut: &Cut, stage: usize| {
        let place = if wish.is_up { cuts.len() - 1 - stage } else { stage };
        chain.stages()[place].taps().0.len() as f64 / cut.high
    };
    let seconds: f64 = cuts.iter().enumerate().map(|(stage, cut)| spread(cut, stage)).sum();
    let (half, rate) = (wish.high_rate.nyquist(), wish.high_rate.hertz());
    let extent = libm::ceil(seconds * rate) as usize;
    let find =
        |sign: f64| gain(extreme(0.0, wish.pass_hz, half, extent, &|hertz| sign * gain(hertz)));
    [decibels(find(-1.0) / find(1.0)), -decibels(worst.fold(0.0, f64::max))]
}

/// A chain of these factors, from the higher rate down, that keeps what is wished.
fn designed(wish: &RateWish, factors: &[usize]) -> Result<RatePlan, PlanError> {
    let mut more_db = 0.0;
    let mut last = [0.0; 2];
    for _ in 0..AGAIN {
        let ripples = wish.ripples(factors.len(), more_db);
        let mut stages = Vec::new();
        for cut in wish.cuts(factors) {
            let Taps(mut taps) = taps(wish, &cut, ripples)?;
            if wish.is_up {
                taps.iter_mut().for_each(|tap| *tap *= cut.factor as f64);
                stages.insert(0, Stage::interpolator(cut.factor, Taps(taps))?);
            } else {
                stages.push(Stage::decimator(cut.factor, Taps(taps))?);
            }
        }
        let high = wish.high_rate.hertz();
        let first = if wish.is_up { high / wish.factor as f64 } else { high };
        let rate =
            SampleRate::from_hertz(first).ok_or(RateError::Rate { stage: 1, hertz: first })?;
        let chain = Chain::new(rate, stages)?;
        let [ripple_db, attenuation_db] = measured(wish, &chain, &wish.cuts(factors));
        if ripple_db <= wish.ripple_db && attenuation_db >= wish.attenuation_db {
            let weighed = vec![Weighed::of(&chain)];
            return Ok(RatePlan { chain, ripple_db, attenuation_db, weighed, ways: 1 });
        }
        last = [ripple_db, attenuation_db];
        more_db += (wish.attenuation_db - attenuation_db).max(0.0) + 0.05;
    }
    Err(PlanError::NotKept {
        attenuation_db: wish.attenuation_db,
        ripple_db: wish.ripple_db,
        found_attenuation_db: last[1],
        found_ripple_db: last[0],
    })
}

/// The stages of a change of the rate that take the fewest products in a second: all ways to cut it into up
/// to six are weighed by an estimate of their taps, and the cheapest six designed, measured and counted.
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
/// use mellow_rake::rates::{Kept, RateWish, plan};
/// let wish = RateWish { high_rate: "96 kHz".parse()?, factor: 32, is_up: false, pass_hz: 1_000.0,
///     ripple_db: 0.2, attenuation_db: 70.0, kept: Kept::PassBand, effort: Effort::default() };
/// let plan = plan(&wish)?;
/// assert_eq!(plan.chain.output_rate().hertz(), 3_000.0);
/// assert!(plan.ripple_db <= 0.2 && plan.attenuation_db >= 70.0);
/// assert!(plan.chain.stages().len() > 2);
/// # Ok::<(), Box<dyn std::error::Error>>(())
/// ```
pub fn plan(wish: &RateWish) -> Result<RatePlan, PlanError> {
    wish.check()?;
    let mut all = Vec::new();
    products(wish.factor, MOST_STAGES, &mut Vec::new(), &mut all);
    let ways = all.len();
    let mut by_estimate: Vec<(Weighed, Vec<usize>)> =
        all.into_iter().map(|factors| (weigh(wish, &factors), factors)).collect();
    by_estimate.sort_by(|(a, _), (b, _)| {
        let cost = a.multiplies_per_second.total_cmp(&b.multiplies_per_second);
        cost.then(a.factors.len().cmp(&b.factors.len())).then(a.factors.cmp(&b.factors))
    });
    let (mut made, mut failed) = (Vec::new(), None);
    for (_, factors) in by_estimate.iter().take(DESIGNED) {
        match designed(wish, factors) {
            Ok(plan) => made.push(plan),
            Err(error) => failed = Some(error),
        }
    }
    let cost = |plan: &RatePlan| plan.weighed[0].multiplies_per_second;
    made.sort_by(|a, b| cost(a).total_cmp(&cost(b)));
    let designed = made.iter().flat_map(|plan| plan.weighed.clone());
    let rest = by_estimate.into_iter().skip(DESIGNED).take(DESIGNED);
    let weighed = designed.chain(rest.map(|(weighed, _)| weighed)).collect();
    match (made.into_iter().next(), failed) {
        (Some(best), _) => Ok(RatePlan { weighed, ways, ..best }),
        (None, Some(error)) => Err(error),
        (None, None) => Err(PlanError::Factor { found: wish.factor }),
    }
}

/// The stages of a change of the rate by these factors, in the order of the signal.
///
/// # Errors
/// [`PlanError`] as of [`plan`], and for factors that do not make the one that is wished.
///
/// ```
/// use mellow_rake::Effort;
/// use mellow_rake::rates::{Kept, RateWish, plan_by};
/// let wish = RateWish { high_rate: "96 kHz".parse()?, factor: 8, is_up: true, pass_hz: 4_000.0,
///     ripple_db: 0.2, attenuation_db: 60.0, kept: Kept::PassBand, effort: Effort::default() };
/// let plan = plan_by(&wish, &[2, 4])?;
/// assert_eq!(plan.chain.input_rate().hertz(), 12_000.0);
/// assert_eq!(plan.chain.stages()[1].up(), 4);
/// # Ok::<(), Box<dyn std::error::Error>>(())
/// ```
pub fn plan_by(wish: &RateWish, factors: &[usize]) -> Result<RatePlan, PlanError> {
    wish.check()?;
    let found = factors.iter().fold(1usize, |all, factor| all.saturating_mul(*factor));
    if found != wish.factor || factors.contains(&1) {
        return Err(PlanError::Factors { found, wanted: wish.factor });
    }
    let mut down = factors.to_vec();
    if wish.is_up {
        down.reverse();
    }
    designed(wish, &down)
}
