//! Equiripple filters: the least largest weighted error, by exchange.
//!
//! Advice for those who change this file. The problem: find P, a polynomial in x = cos ω with r coefficients,
//! so that max |W·(D − Q·P)| over the bands is least. The best P is marked by r + 1 frequencies at which the
//! error takes its largest size with alternating signs (the alternation theorem); the exchange looks for
//! them: (1) interpolate the P whose error alternates with one size δ on r + 1 reference frequencies, (2)
//! find all local extremes of its error, (3) keep r + 1 of them that alternate, the largest among them, as
//! the next reference. |δ| rises to the optimum. Two things make it work for thousands of taps: the
//! barycentric formula (no polynomial coefficients, no systems of equations), and a start that is already
//! right: the reference of a design of half the length, stretched (Filip, *A robust and scalable
//! implementation of the Parks-McClellan algorithm for designing FIR filters*, ACM Transactions on
//! Mathematical Software 43(1), 2016, sections 4.1 and 4.2).

use super::amplitudes::from_amplitudes;
use super::bands::{Band, BandError, check_bands, fixed_factor, freedom};
use super::barycentric::{Interpolant, weights};
use super::ideal::{cosine_of_turns, sine_of_turns};
use super::reference::{Point, alternating, evenly, exchange_one, stretched};
use crate::filter::{LinearPhase, Taps};
use std::cell::Cell;
use std::f64::consts::TAU;

/// Taps whose largest weighted error is least.
#[derive(Debug, Clone, PartialEq)]
#[non_exhaustive]
pub struct Equiripple {
    /// The taps.
    pub taps: Vec<f64>,
    /// The largest weighted error, as measured on the taps.
    pub error: f64,
    /// |δ| of the last reference: no filter of this length can have a smaller largest error (de la Vallée
    /// Poussin).
    pub least_error: f64,
    /// Frequencies at which the error alternates, as parts of the sample rate: one more than there are free
    /// coefficients.
    pub alternations: Vec<f64>,
    /// Exchanges made, those of the shorter designs before it included.
    pub exchanges: usize,
}

/// Why there is no equiripple design.
#[derive(Debug, Clone, PartialEq, thiserror::Error)]
#[non_exhaustive]
pub enum ExchangeError {
    /// The bands are no task.
    #[error(transparent)]
    Bands(#[from] BandError),
    /// There is no free coefficient.
    #[error("{taps} taps of type {} have no free coefficient", .kind.as_str())]
    TooShort {
        /// The taps asked for.
        taps: usize,
        /// Their type.
        kind: LinearPhase,
    },
    /// The exchange did not settle.
    #[error(
        "the exchange for {taps} taps did not settle after {exchanges} rounds: the largest error is \
         {error:.3e} and no filter of this length goes below {least_error:.3e}"
    )]
    NoConvergence {
        /// The taps asked for.
        taps: usize,
        /// Rounds.
        exchanges: usize,
        /// The largest weighted error.
        error: f64,
        /// |δ|
        least_error: f64,
    },
    /// Where no band asks for anything the response of the optimum grows beyond all use.
    #[error(
        "between or beside the bands the response of the best {taps} taps grows to {gain:.1e}: nothing is \
            asked of it there"
    )]
    Unbounded {
        /// The taps asked for.
        taps: usize,
        /// The largest gain.
        gain: f64,
    },
    /// The optimum lies below what double precision resolves.
    #[error(
        "the best {taps} taps err by {error:.3e} (weighted), below what double precision can show"
    )]
    Precision {
        /// The taps asked for.
        taps: usize,
        /// What the error would be.
        error: f64,
    },
}

/// The task: bands, type, and how many coefficients are free.
struct Task<'a> {
    bands: Vec<Band>,
    kind: LinearPhase,
    asked: &'a [Band],
    taps: usize,
    /// An exchange of so many points ends as soon as the optimum is known to lie beside these errors: below
    /// the first or above the second.
    between: Option<(usize, [f64; 2])>,
    /// Exchanges end when so many terms were added up.
    most_work: u64,
    /// Terms of the barycentric formula that were added up.
    work: Cell<u64>,
    /// The gain of what the taps stand behind, at a part of the rate.
    behind: Option<&'a dyn Fn(f64) -> f64>,
}

impl Task<'_> {
    fn angle(frequency: f64) -> f64 {
        TAU * frequency
    }

    /// Desired value and weight of the amplitude: W·(D − G·A) is W·G·(D/G − A).
    fn wanted(&self, band: usize, frequency: f64) -> (f64, f64) {
        let band = &self.asked[band];
        let gain = self.behind.map_or(1.0, |gain| gain(frequency));
        (band.desired(frequency) / gain, band.weight_at(frequency) * gain)
    }

    /// Desired value and weight of the polynomial itself.
    fn target(&self, band: usize, frequency: f64) -> (f64, f64) {
        let factor = fixed_factor(self.kind, Task::angle(frequency));
        let (desired, weight) = self.wanted(band, frequency);
        (desired / factor, weight * factor)
    }
}

/// Designs `taps` taps of a type of linear phase over bands.
///
/// The amplitude of antisymmetric types is that of j·A (a differentiator has desired amplitude ω).
///
/// # Errors
/// [`ExchangeError`]; failing to converge is one.
///
/// ```
/// use mellow_rake::design::fir::{Band, equiripple};
/// use mellow_rake::filter::LinearPhase;
/// let bands = [Band::flat(0.0, 0.1, 1.0, 1.0), Band::flat(0.15, 0.5, 0.0, 10.0)];
/// let design = equiripple(&bands, LinearPhase::TypeI, 41)?;
/// // 21 free coefficients: 22 alternations, and an error that no other filter of this length goes below.
/// assert_eq!(design.alternations.len(), 22);
/// assert!(design.error <= design.least_error * 1.0001);
/// # Ok::<(), mellow_rake::design::fir::ExchangeError>(())
/// ```
pub fn equiripple(
    bands: &[Band],
    kind: LinearPhase,
    taps: usize,
) -> Result<Equiripple, ExchangeError> {
    equiripple_behind(bands, kind, taps, &|_| 1.0)
}

/// Designs taps that stand behind something of a known gain, so that both together have the amplitudes that
/// the bands ask for: taps that make good a droop.
///
/// `gain` is that gain at a part of the sample rate, above 0 in all bands.
///
/// # Errors
/// As of [`equiripple`].
///
/// ```
/// use mellow_rake::design::fir::{Band, equiripple_behind};
/// use mellow_rake::filter::{LinearPhase, Taps};
/// // A hold droops by 0.14 dB at a tenth of the rate of its samples.
/// let hold = |f: f64| if f == 0.0 { 1.0 } else { (f * 3.14159265).sin() / (f * 3.14159265) };
/// let bands = [Band::flat(0.0, 0.1, 1.0, 1.0), Band::flat(0.2, 0.5, 0.0, 1.0)];
/// let design = equiripple_behind(&bands, LinearPhase::TypeI, 41, &hold)?;
/// let both = Taps(design.taps).amplitude(0.6283185307) * hold(0.1);
/// assert!((both - 1.0).abs() <= design.error * 1.0001);
/// # Ok::<(), mellow_rake::design::fir::ExchangeError>(())
/// ```
pub fn equiripple_behind(
    bands: &[Band],
    kind: LinearPhase,
    taps: usize,
    gain: &dyn Fn(f64) -> f64,
) -> Result<Equiripple, ExchangeError> {
    let (task, free) = Task::new(bands, kind, taps)?;
    let task = Task { behind: Some(gain), ..task };
    let mut exchanges = 0;
    let solved = task.solve(free, &mut exchanges)?;
    task.finish(&solved, exchanges)
}

/// Where the least largest error of some taps lies.
pub(super) struct Compared {
    /// One is as good as this.
    pub(super) most: f64,
    /// It, where the optimum was followed to its end; `None` where it lies beyond both errors, or below both.
    pub(super) taps: Option<Vec<f64>>,
}

/// Holds the optimum against two errors: ends as soon as it is known to be below the first or above the
/// second, for |δ| is below it and the largest error of every exchange above; above the first is enough where
/// the error goes to both sides many times in every band with a level. `reference` is that of a design of
/// about this length, if there is one, and becomes that of this; `work` is counted on; `None` where it went
/// past what there is.
pub(super) fn compare(
    bands: &[Band],
    kind: LinearPhase,
    taps: usize,
    between: [f64; 2],
    reference: &mut Option<Vec<Point>>,
    (work, most_work): (&mut u64, u64),
) -> Result<Option<Compared>, ExchangeError> {
    let (mut task, free) = Task::new(bands, kind, taps)?;
    task.between = Some((free + 1, between));
    task.most_work = most_work - most_work.min(*work);
    let mut exchanges = 0;
    let near = reference.as_ref().and_then(|near| {
        task.exchange(stretched(&task.bands, near, free + 1), &mut exchanges).ok()
    });
    let found = near.map_or_else(|| task.solve(free, &mut exchanges), Ok);
    *work += task.work.get();
    if found.is_err() && task.work.get() > task.most_work {
        return Ok(None);
    }
    let solved = found?;
    *reference = Some(solved.reference.clone());
    let most = solved.delta * (1.0 + solved.excess);
    if solved.interpolant.is_none() {
        return Ok(Some(Compared { most, taps: None }));
    }
    let found = task.finish(&solved, exchanges)?;
    *work += 8 * (taps * taps) as u64;
    Ok(Some(Compared { most: found.error, taps: Some(found.taps) }))
}

impl<'a> Task<'a> {
    /// The task and how many coefficients are free.
    fn new(
        bands: &'a [Band],
        kind: LinearPhase,
        taps: usize,
    ) -> Result<(Task<'a>, usize), ExchangeError> {
        check_bands(bands)?;
        // A type of the other parity has no coefficient either.
        let fits = taps > 0 && LinearPhase::of(kind.is_antisymmetric(), taps) == kind;
        let free = if fits { freedom(kind, taps) } else { 0 };
        if free == 0 {
            return Err(ExchangeError::TooShort { taps, kind });
        }
        // The fixed factor is zero at an end of the frequency axis for some types; there the error does not
        // depend on the taps, and an optimum never alternates. Bands stop a thousandth of a ripple short of
        // it.
        let margin = 0.5e-3 / free as f64;
        let (zero_low, zero_high) = match kind {
            LinearPhase::TypeI => (false, false),
            LinearPhase::TypeII => (false, true),
            LinearPhase::TypeIII => (true, true),
            LinearPhase::TypeIV => (true, false),
        };
        let inside = bands
            .iter()
            .map(|band| Band {
                // At most a quarter of a narrow band.
                low: if zero_low {
                    band.low.max(margin.min(band.low + (band.high - band.low) / 4.0))
                } else {
                    band.low
                },
                high: if zero_high {
                    band.high.min((0.5 - margin).max(band.high - (band.high - band.low) / 4.0))
                } else {
                    band.high
                },
                ..*band
            })
            .collect();
        let task = Task {
            bands: inside,
            kind,
            asked: bands,
            taps,
            between: None,
            most_work: u64::MAX,
            work: Cell::new(0),
            behind: None,
        };
        Ok((task, free))
    }
}

/// The result of an exchange.
struct Solved {
    reference: Vec<Point>,
    /// `None` where the exchange ended as soon as it was known on which side of an error the optimum lies.
    interpolant: Option<Interpolant>,
    delta: f64,
    /// How far the largest error is above |δ|, relative.
    excess: f64,
}

impl Task<'_> {
    /// The optimum with `free` coefficients: from half as many, if that is still many.
    fn solve(&self, free: usize, exchanges: &mut usize) -> Result<Solved, ExchangeError> {
        const EASY: usize = 32;
        if free > EASY {
            // A shorter design that fails only costs the better start.
            if let Ok(half) = self.solve(free / 2, exchanges) {
                let start = stretched(&self.bands, &half.reference, free + 1);
                if let Ok(solved) = self.exchange(start, exchanges) {
                    return Ok(solved);
                }
            }
        }
        self.exchange(evenly(&self.bands, free + 1, false), exchanges)
            .or_else(|_| self.exchange(evenly(&self.bands, free + 1, true), exchanges))
    }

    fn exchange(
        &self,
        mut reference: Vec<Point>,
        exchanges: &mut usize,
    ) -> Result<Solved, ExchangeError> {
        const MOST: usize = 120;
        /// The largest error beyond |δ|, relative, at which the optimum counts as reached.
        const SETTLED: f64 = 1e-8;
        /// What is taken where rounding errors keep it from going further.
        const GOOD: f64 = 5e-5;
        /// An error of which rounding errors, some 2^-53 each, are more than `GOOD`.
        const UNSEEN: f64 = 1e-11;
        let needed = reference.len();
        let (mut error, mut delta) = (f64::INFINITY, 0.0);
        let mut best: Option<(f64, Solved)> = None;
        let (mut stale, mut hidden) = (0, 0);
        for _ in 0..MOST {
            if self.work.get() > self.most_work {
                break;
            }
            *exchanges += 1;
            let (interpolant, found) = self.interpolate(&reference);
            delta = found.abs();
            // |δ| rises in every round; what stays this small is made of rounding errors.
            hidden += usize::from(delta < UNSEEN);
            if hidden > 3 {
                break;
            }
            let candidates = self.extremes(&interpolant, &reference);
            let largest =
                candidates.iter().copied().max_by(|a, b| a.error.abs().total_cmp(&b.error.abs()));
            let next = match (alternating(candidates, needed), largest) {
                (Some(next), _) => next,
                // Too few extremes: rounding errors, or a reference whose own points have no error.
                (None, Some(largest)) if largest.error.abs() > delta.max(UNSEEN) => {
                    exchange_one(&reference, found, largest)
                }
                (None, _) => break,
            };
            error = next.iter().map(|point| point.error.abs()).fold(0.0, f64::max);
            let excess = error / delta - 1.0;
            if excess.is_nan() || !delta.is_finite() {
                break;
            }
            if best.as_ref().is_none_or(|(least, _)| excess < *least) {
                best = Some((
                    excess,
                    Solved {
                        reference: next.clone(),
                        interpolant: Some(interpolant),
                        delta,
                        excess,
                    },
                ));
                stale = 0;
            } else {
                stale += 1;
            }
            let settled = best.as_ref().is_some_and(|(least, _)| *least <= SETTLED);
            if let Some((_, [below, above])) = self.between.filter(|(points, _)| *points == needed)
                && delta > UNSEEN
                && (error <= below
                    || delta > above
                    || (delta > below * (1.0 + 3e-6) && self.swings(&next)))
            {
                return Ok(Solved { reference: next, interpolant: None, delta, excess });
            }
            let good = best.as_ref().is_some_and(|(least, _)| *least <= GOOD);
            if settled || (good && stale >= 3) {
                break;
            }
            reference = next;
        }
        match best {
            Some((excess, solved)) if excess <= GOOD => Ok(solved),
            // What is left of a difference of numbers around 1 far below their own rounding errors.
            _ if delta < UNSEEN => Err(ExchangeError::Precision { taps: self.taps, error: delta }),
            _ => Err(ExchangeError::NoConvergence {
                taps: self.taps,
                exchanges: *exchanges,
                error,
                least_error: delta,
            }),
        }
    }

    /// Whether the error goes to both sides many times in every band that lets something through, so that the
    /// ripple there is twice |δ|.
    fn swings(&self, reference: &[Point]) -> bool {
        let mut bands = (0..self.asked.len()).filter(|band| self.asked[*band].level != [0.0; 2]);
        bands.all(|band| reference.iter().filter(|point| point.band == band).count() >= 8)
    }

    /// The polynomial whose weighted error alternates with one size δ on the reference, and δ.
    fn interpolate(&self, reference: &[Point]) -> (Interpolant, f64) {
        let targets = reference.iter().map(|p| self.target(p.band, p.frequency)).collect();
        self.interpolate_targets(reference, targets)
    }

    /// The same for desired values and weights that are given.
    fn interpolate_targets(
        &self,
        reference: &[Point],
        targets: Vec<(f64, f64)>,
    ) -> (Interpolant, f64) {
        let nodes: Vec<f64> =
            reference.iter().map(|p| libm::cos(Task::angle(p.frequency))).collect();
        let weights = weights(&nodes);
        self.work.set(self.work.get() + (nodes.len() * nodes.len()) as u64);
        let (mut above, mut below, mut sign) = (0.0, 0.0, 1.0);
        for ((desired, weight), w) in targets.iter().zip(&weights) {
            above += w * desired;
            below += sign * w / weight;
            sign = -sign;
        }
        let delta = above / below;
        let mut sign = 1.0;
        let values = targets
            .iter()
            .map(|(desired, weight)| {
                let value = desired - sign * delta / weight;
                sign = -sign;
                value
            })
            .collect();
        (Interpolant::new(nodes, values, weights), delta)
    }

    fn error(&self, interpolant: &Interpolant, band: usize, frequency: f64) -> f64 {
        self.work.set(self.work.get() + interpolant.terms());
        let (desired, weight) = self.target(band, frequency);
        weight * (desired - interpolant.at(libm::cos(Task::angle(frequency))))
    }

    /// All local extremes of the error that point away from zero, the ends of the bands among them.
    fn extremes(&self, interpolant: &Interpolant, reference: &[Point]) -> Vec<Point> {
        /// Samples between two neighbouring reference points. Between them the error of the interpolating
        /// polynomial has a few extremes at most.
        const BETWEEN: u32 = 8;
        let mut found = Vec::new();
        for (band, stretch) in self.bands.iter().enumerate() {
            let mut marks = vec![stretch.low];
            marks.extend(reference.iter().filter(|p| p.band == band).map(|p| p.frequency));
            marks.push(stretch.high);
            marks.dedup_by(|a, b| *a <= *b);
            let mut places = Vec::with_capacity(marks.len() * BETWEEN as usize);
            for pair in marks.windows(2) {
                let step = (pair[1] - pair[0]) / f64::from(BETWEEN);
                places.extend((0..BETWEEN).map(|k| pair[0] + step * f64::from(k)));
            }
            places.push(stretch.high);
            let errors: Vec<f64> =
                places.iter().map(|f| self.error(interpolant, band, *f)).collect();
            for k in 0..places.len() {
                let size = errors[k].abs();
                let beyond = |other: Option<&f64>| {
                    other.is_none_or(|e| size >= e.abs() || e.signum() != errors[k].signum())
                };
                let before = k.checked_sub(1).and_then(|k| errors.get(k));
                if !(size > 0.0 && beyond(before) && beyond(errors.get(k + 1))) {
                    continue;
                }
                let mut point = Point { band, frequency: places[k], error: errors[k] };
                if k > 0 && k + 1 < places.len() {
                    let around = [k - 1, k + 1].map(|at| (places[at], errors[at]));
                    self.sharpen(interpolant, &mut point, around);
                } else if places.len() > 1 {
                    let neighbour = if k == 0 { 1 } else { k - 1 };
                    self.leave_the_end(interpolant, &mut point, places[neighbour]);
                }
                found.push(point);
            }
        }
        found
    }

    /// Moves an extreme off the end of its band if the error rises from there, before the next sample: by
    /// golden section.
    fn leave_the_end(&self, interpolant: &Interpolant, point: &mut Point, neighbour: f64) {
        const SHARE: f64 = 0.618_033_988_749_894_9;
        let (end, span) = (point.frequency, neighbour - point.frequency);
        let sign = point.error.signum();
        let at = |share: f64| sign * self.error(interpolant, point.band, end + span * share);
        if at(1e-4) <= point.error.abs() {
            return;
        }
        let (mut low, mut high) = (0.0, 1.0);
        for _ in 0..32 {
            let (a, b) = (high - SHARE * (high - low), low + SHARE * (high - low));
            if at(a) > at(b) {
                high = b;
            } else {
                low = a;
            }
        }
        let share = f64::midpoint(low, high);
        *point = Point { frequency: end + span * share, error: sign * at(share), ..*point };
    }

    /// Moves an extreme to the vertex of the parabola through three points that bracket it, again and again.
    fn sharpen(&self, interpolant: &Interpolant, point: &mut Point, around: [(f64, f64); 2]) {
        let [(mut low, before), (mut high, behind)] = around;
        let sign = point.error.signum();
        let at = |f: f64| sign * self.error(interpolant, point.band, f);
        let (mut best, mut peak) = (point.frequency, point.error.abs());
        let (mut at_low, mut at_high) = (sign * before, sign * behind);
        for _ in 0..6 {
            let (a, b) = (best - low, high - best);
            let (left, right) = (peak - at_low, peak - at_high);
            let vertex = best + (left * b * b - right * a * a) / (2.0 * (left * b + right * a));
            if !(vertex > low && vertex < high) || vertex == best {
                break;
            }
            let found = at(vertex);
            let gained = (found - peak).abs();
            if found > peak {
                if vertex > best {
                    (low, at_low) = (best, peak);
                } else {
                    (high, at_high) = (best, peak);
                }
                (best, peak) = (vertex, found);
            } else if vertex > best {
                (high, at_high) = (vertex, found);
            } else {
                (low, at_low) = (vertex, found);
            }
            if gained <= 1e-12 * peak {
                break;
            }
        }
        *point = Point { frequency: best, error: sign * peak, ..*point };
    }

    /// The taps of a polynomial.
    fn taps_of(&self, interpolant: &Interpolant) -> Vec<f64> {
        let count = self.taps;
        let amplitude = |k: usize| {
            // Q from whole steps of the grid.
            let factor = match self.kind {
                LinearPhase::TypeI => 1.0,
                LinearPhase::TypeII => cosine_of_turns(k as f64 / (2 * count) as f64),
                LinearPhase::TypeIII => sine_of_turns(k as f64 / count as f64),
                LinearPhase::TypeIV => sine_of_turns(k as f64 / (2 * count) as f64),
            };
            factor * interpolant.at(libm::cos(TAU * k as f64 / count as f64))
        };
        from_amplitudes(count, self.kind.is_antisymmetric(), &amplitude)
    }

    /// The taps, and their error as it is measured on them.
    ///
    /// Between the bands the polynomial is an extrapolation: rounding errors of the values grow there, the
    /// more the higher the attenuation, and would come back into the bands through the taps. So what the taps
    /// miss on the reference is interpolated in its turn and added, as in iterative refinement.
    fn finish(&self, solved: &Solved, exchanges: usize) -> Result<Equiripple, ExchangeError> {
        let count = self.taps;
        let Some(interpolant) = &solved.interpolant else {
            // Only a comparison ends early.
            return Err(ExchangeError::TooShort { taps: count, kind: self.kind });
        };
        let mut taps = Taps(self.taps_of(interpolant));
        for _ in 0..3 {
            let missed = solved.reference.iter().map(|p| {
                let omega = Task::angle(p.frequency);
                let (_, weight) = self.target(p.band, p.frequency);
                let rest = self.wanted(p.band, p.frequency).0 - taps.amplitude(omega);
                (rest / fixed_factor(self.kind, omega), weight)
            });
            let missed = missed.collect();
            let (correction, _) = self.interpolate_targets(&solved.reference, missed);
            for (tap, more) in taps.0.iter_mut().zip(self.taps_of(&correction)) {
                *tap += more;
            }
        }
        without_traces(&mut taps.0);
        let measured = |band: usize, frequency: f64| {
            let (desired, weight) = self.wanted(band, frequency);
            (weight * (desired - taps.amplitude(TAU * frequency))).abs()
        };
        let mut error: f64 = if taps.0.iter().all(|tap| tap.is_finite()) { 0.0 } else { f64::NAN };
        for pair in solved.reference.windows(2) {
            let [a, b] = [&pair[0], &pair[1]];
            error = larger(error, measured(a.band, a.frequency));
            error = larger(error, measured(b.band, b.frequency));
            if a.band == b.band {
                let middle = f64::midpoint(a.frequency, b.frequency);
                error = larger(error, measured(a.band, middle));
            }
        }
        if error.is_nan() || error > solved.delta * 1.0001 {
            let gain = taps.0.iter().fold(0.0, |sum, tap| sum + tap.abs());
            return Err(if gain.is_nan() || gain > 1e4 {
                ExchangeError::Unbounded { taps: count, gain }
            } else {
                ExchangeError::Precision { taps: count, error: solved.delta }
            });
        }
        Ok(Equiripple {
            taps: taps.0,
            error,
            least_error: solved.delta,
            alternations: solved.reference.iter().map(|point| point.frequency).collect(),
            exchanges,
        })
    }
}

/// Zeros in the place of taps that symmetry makes vanish and of which rounding errors are left.
pub(super) fn without_traces(taps: &mut [f64]) {
    let largest = taps.iter().fold(0.0, |most: f64, tap| most.max(tap.abs()));
    for tap in taps {
        if tap.abs() <= 1e-15 * largest {
            *tap = 0.0;
        }
    }
}

/// The larger of two, or NaN if one is.
fn larger(a: f64, b: f64) -> f64 {
    if a >= b || a.is_nan() { a } else { b }
}
