//! The taps of the stages of a plan, and what they keep together.

use super::wish::{Cut, StageForm};
use super::{Chain, Comb, PlanError, RateError, RateWish, Stage};
use crate::Effort;
use crate::design::fir::{Band, design_fir, equiripple_behind};
use crate::filter::{BandKind, LinearPhase, Taps, Transfer, complex};
use crate::response::extreme;
use crate::spec::{FirEdges, FirMethod, FirShape, FirWish, LARGEST_TAPS, Phase};
use crate::units::SampleRate;
use crate::units::level::decibels;

/// How often stages are designed again, each time with what was missing.
const AGAIN: usize = 4;

/// The ripples of a stage as ratios, in the pass-band and the stop-band.
#[derive(Clone, Copy)]
pub(super) struct Ripples {
    pass: f64,
    stop: f64,
}

impl RateWish {
    /// What each of so many stages may do: a share of the ripple, and all of the attenuation, for what one
    /// stage lets fold the others let through.
    pub(super) fn ripples(&self, stages: usize, more_db: f64) -> Ripples {
        let share = libm::pow(10.0, self.ripple_db / stages as f64 / 20.0);
        let attenuation = self.attenuation_db + self.ripple_db / 2.0 + more_db;
        Ripples { pass: (share - 1.0) / (share + 1.0), stop: libm::pow(10.0, -attenuation / 20.0) }
    }
}

/// Taps of an equiripple low-pass by estimate (J. F. Kaiser, "Nonrecursive digital filter design using the
/// I0-sinh window function", 1974, for the best filters of Parks and McClellan), and those of them that are
/// not zero.
pub(super) fn estimate(wish: &RateWish, cut: &Cut, ripples: Ripples) -> [usize; 2] {
    let width = std::f64::consts::TAU * (cut.stop() - wish.pass_hz) / cut.between;
    let taps = |pass: f64, stop: f64, width: f64| {
        let count = 1.0 + (-10.0 * libm::log10(pass * stop) - 13.0) / (2.324 * width);
        libm::ceil(count.clamp(1.0, 1e7)) as usize
    };
    if cut.is_half_band() {
        let ripple = ripples.pass.min(ripples.stop);
        let width = std::f64::consts::TAU * (cut.stop() - cut.clean) / cut.between;
        let count = taps(ripple, ripple, width);
        return [count, count.div_ceil(2) + 1];
    }
    let count = taps(ripples.pass, ripples.stop, width);
    [count, count]
}

fn fir(shape: FirShape, taps: Option<usize>, effort: Effort) -> FirWish {
    let method = FirMethod::Equiripple { weights: Vec::new() };
    FirWish { shape, method, taps, phase: Phase::Linear, unity_gain: false, effort }
}

/// What `make` gives for the smallest number from `first` to `most` for which it gives anything: found by
/// steps of a sixteenth, and between the last two by halves.
fn fewest<T, E>(
    first: usize,
    most: usize,
    make: &mut dyn FnMut(usize) -> Result<Option<T>, E>,
) -> Result<Option<T>, E> {
    let step = (first / 16).max(1);
    let mut number = first;
    let mut best = loop {
        if number > most {
            return Ok(None);
        }
        match make(number)? {
            Some(made) => break made,
            None => number += step,
        }
    };
    // The number does; the one a step below does not, or is below the first.
    let mut below = number.saturating_sub(step);
    let is_first = number == first;
    while !is_first && number - below > 1 {
        let middle = usize::midpoint(below, number);
        match make(middle)? {
            Some(made) => (best, number) = (made, middle),
            None => below = middle,
        }
    }
    Ok(Some(best))
}

/// The taps of a stage, at the rate in between, with a gain of 1.
fn taps(wish: &RateWish, cut: &Cut, ripples: Ripples) -> Result<Taps, PlanError> {
    let Cut { up, down, between, .. } = *cut;
    let no_stage = |error| PlanError::Stage { up, down, between_hz: between, error };
    let rate =
        SampleRate::from_hertz(between).ok_or(RateError::Rate { stage: 1, hertz: between })?;
    if cut.is_half_band() {
        let ripple = ripples.pass.min(ripples.stop);
        // Of 4k + 3 taps, for at other lengths the outermost are zero. From half of the estimate on; what is
        // beyond the digits of the numbers ends at twice of it.
        let estimated = estimate(wish, cut, ripples)[0];
        let mut worst_gain = 1.0;
        let mut make = |quarter: usize| -> Result<Option<Taps>, PlanError> {
            let count = 4 * quarter + 3;
            let shape = FirShape::MthBand { factor: 2, pass_hz: Some(cut.clean) };
            let (_, taps) =
                design_fir(&fir(shape, Some(count), wish.effort), rate).map_err(no_stage)?;
            let gain = |hertz: f64| -taps.gain(rate.radians(hertz));
            let half = rate.nyquist();
            let worst = extreme(half - cut.clean, half, half, count, &gain);
            worst_gain = -gain(worst);
            Ok((worst_gain <= ripple).then_some(taps))
        };
        let first = (estimated / 8).saturating_sub(1);
        if let Some(taps) = fewest(first, estimated / 2 + 4, &mut make)? {
            return Ok(taps);
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

/// How far below what goes in anything lies that disturbs, in decibels.
///
/// What falls onto a frequency that must stay clean was beyond the beginning of the stop-band at some stage,
/// for behind it the frequency is below half of every rate, and so nothing but itself. All other stages let
/// through no more than their largest gain. The largest of these products, one for each stage, is above all
/// paths. Images of what must stay clean are the same the other way round.
fn attenuation_db(chain: &Chain, cuts: &[Cut]) -> f64 {
    let (mut stopped, mut passed) = (Vec::new(), Vec::new());
    for (place, cut) in cuts.iter().enumerate() {
        let rate = chain.rate_within(place);
        let largest = |band| chain.stages()[place].largest_gain(rate, band);
        // Of sums only what lies around the multiples of the lower rate falls onto what must stay clean, and
        // nothing is stronger there than around the first: |sin(πfRM/F)| is the same around all of them, and
        // sin(πf/F) below it grows to half of the rate.
        let to = match cut.comb {
            Some(_) => (cut.low + cut.clean).min(rate.nyquist()),
            None => rate.nyquist(),
        };
        stopped.push(largest([cut.stop(), to]));
        passed.push(largest([0.0, rate.nyquist()]));
    }
    let all: f64 = passed.iter().product();
    let worst = stopped.iter().zip(&passed).map(|(stop, pass)| stop * (all / pass));
    -decibels(worst.fold(0.0, f64::max))
}

/// The gain of integrators and combs at a frequency, as a share of the rate at which they filter.
fn sums_gain(comb: Comb, factor: usize, share: f64) -> f64 {
    complex::modulus(comb.response(factor, std::f64::consts::TAU * share))
}

/// The lowest order of integrators and combs that stop enough by themselves; `None` where none does, or where
/// they take more from the pass-band than is well made good.
pub(super) fn order_that_stops(wish: &RateWish, cut: &Cut) -> Option<Comb> {
    /// What is taken from the end of the pass-band at most, as a ratio.
    const DROOP: f64 = 0.5;
    let factor = cut.up.max(cut.down);
    let asked = libm::pow(10.0, -(wish.attenuation_db + wish.ripple_db) / 20.0);
    let fits = |comb: &Comb| comb.sums_growth_bits(cut.up, cut.down) <= wish.most_growth_bits;
    let does =
        |comb: &Comb| fits(comb) && sums_gain(*comb, factor, cut.stop() / cut.between) <= asked;
    let comb = (1..=Comb::LARGEST_ORDER).map(|order| Comb { order, delay: 1 }).find(does)?;
    (sums_gain(comb, factor, wish.pass_hz / cut.between) >= DROOP).then_some(comb)
}

/// The taps of a stage that makes good the droop of integrators and combs over the pass-band: equiripple,
/// relative to what is wanted, the fewest.
fn compensating(
    wish: &RateWish,
    cut: &Cut,
    ripples: Ripples,
    droop: &dyn Fn(f64) -> f64,
) -> Result<Taps, PlanError> {
    let bands = [
        Band::flat(0.0, wish.pass_hz / cut.between, 1.0, 1.0 / ripples.pass),
        Band::flat(cut.stop() / cut.between, 0.5, 0.0, 1.0 / ripples.stop),
    ];
    // In the stop-band the taps stop enough by themselves.
    let gain = |share: f64| {
        let hertz = share * cut.between;
        if hertz < cut.stop() { droop(hertz) } else { 1.0 }
    };
    let estimated = estimate(wish, cut, ripples)[0];
    let mut make = |count: usize| -> Result<Option<Taps>, PlanError> {
        // At some lengths the exchange ends without an answer; the next may have one.
        let found = equiripple_behind(&bands, LinearPhase::of(false, count), count, &gain);
        Ok(found.ok().filter(|found| found.error <= 1.0).map(|found| Taps(found.taps)))
    };
    let first = (estimated * 3 / 4).max(3);
    if estimated <= LARGEST_TAPS / 2
        && let Some(taps) = fewest(first, 2 * estimated + 16, &mut make)?
    {
        return Ok(taps);
    }
    Err(PlanError::NotKept {
        attenuation_db: wish.attenuation_db,
        ripple_db: wish.ripple_db,
        found_attenuation_db: 0.0,
        found_ripple_db: f64::INFINITY,
    })
}

/// A chain of stages of these forms, in the order of the signal, that keeps what is wished; with its ripple
/// and attenuation.
pub(super) fn designed(
    wish: &RateWish,
    forms: &[StageForm],
) -> Result<(Chain, [f64; 2]), PlanError> {
    let mut more_db = 0.0;
    let mut last = [0.0; 2];
    let cuts = wish.cuts(forms);
    let of_taps = || cuts.iter().enumerate().filter(|(_, cut)| cut.comb.is_none());
    let has_combs = cuts.iter().any(|cut| cut.comb.is_some());
    // What makes good their droop is at the lowest rate.
    let lowest = of_taps().min_by(|(_, a), (_, b)| a.between.total_cmp(&b.between));
    let Some((lowest, _)) = lowest else { return Err(PlanError::OnlyCombs) };
    let droop = |hertz: f64| -> f64 {
        let gain = |cut: &Cut| {
            let share = hertz / cut.between;
            cut.comb.map_or(1.0, |comb| sums_gain(comb, cut.up.max(cut.down), share))
        };
        cuts.iter().map(gain).product()
    };
    for _ in 0..AGAIN {
        let ripples = wish.ripples(of_taps().count(), more_db);
        let mut stages = Vec::new();
        for (place, cut) in cuts.iter().enumerate() {
            if let Some(comb) = cut.comb {
                stages.push(Stage::comb(cut.up, cut.down, comb)?);
                continue;
            }
            let Taps(mut taps) = match has_combs && place == lowest {
                true => compensating(wish, cut, ripples, &droop)?,
                false => taps(wish, cut, ripples)?,
            };
            taps.iter_mut().for_each(|tap| *tap *= cut.up as f64);
            stages.push(Stage::new(cut.up, cut.down, Taps(taps))?);
        }
        let chain = Chain::new(wish.input_rate, stages)?;
        last = [chain.pass_band(wish.pass_hz).ripple_db(), attenuation_db(&chain, &cuts)];
        if last[0] <= wish.ripple_db && last[1] >= wish.attenuation_db {
            return Ok((chain, last));
        }
        more_db += (wish.attenuation_db - last[1]).max(0.0) + 0.05;
    }
    Err(PlanError::NotKept {
        attenuation_db: wish.attenuation_db,
        ripple_db: wish.ripple_db,
        found_attenuation_db: last[1],
        found_ripple_db: last[0],
    })
}
