//! The smallest number of taps that does.

use super::exchange::compare;
use super::reference::Point;
use super::task::Task;
use super::{ExchangeError, FirError, LARGEST_LEAST_SQUARES};
use crate::effort::Effort;
use crate::filter::{BandKind, Taps};
use crate::response::{Bands, ripple_and_attenuation};
use crate::spec::{FirEdges, FirMethod, FirShape, LARGEST_TAPS};
use crate::window::{errors_allowed, taps_for_transition};

/// The smallest number found, and what was left untried.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(super) struct Smallest {
    /// It keeps what is asked.
    pub(super) taps: usize,
    /// Numbers from the first to the last that may keep it, too, where the effort did not reach to try them
    /// all.
    pub(super) untried: Option<(usize, usize)>,
}

/// What came of a search.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(super) enum Searched {
    /// A number does.
    Found(Smallest),
    /// None does, up to the last.
    None,
    /// The effort ended with this number, none that does having been met.
    Stopped(usize),
}

/// The smallest number of the parity of `start`, at least `least`, at most `most`, for which `keeps` holds,
/// if it holds from some number on. `keeps` says `None` where no more may be tried.
///
/// `start` is an estimate. The search brackets from there and bisects; below what it finds it looks at four
/// more numbers, for what a window does to a template is not quite monotone in its length.
pub(super) fn smallest<E>(
    start: usize,
    step: usize,
    (least, most): (usize, usize),
    keeps: &mut dyn FnMut(usize) -> Result<Option<bool>, E>,
) -> Result<Searched, E> {
    let place = |index: usize| least + index * step;
    let last = (most - least) / step;
    let start = (start.clamp(least, most) - least) / step;
    // `high` keeps (or is beyond the end), `low` does not (or is before the beginning).
    let (mut low, mut high, mut stride) = (None, None, (start / 40).max(1));
    let mut at = start;
    let found = |high: usize, untried: Option<(usize, usize)>| {
        let untried = untried.map(|(first, last)| (place(first), place(last)));
        Ok(Searched::Found(Smallest { taps: place(high), untried }))
    };
    while low.is_none() || high.is_none() {
        match keeps(place(at))? {
            None => {
                return match high {
                    Some(high) => found(high, Some((0, high - 1))),
                    None => Ok(Searched::Stopped(place(at))),
                };
            }
            Some(true) => {
                high = Some(at);
                if at == 0 {
                    return found(0, None);
                }
                if low.is_none() {
                    at = at.saturating_sub(stride);
                }
            }
            Some(false) => {
                low = Some(at);
                if at == last {
                    return Ok(Searched::None);
                }
                if high.is_none() {
                    at = (at + stride).min(last);
                }
            }
        }
        stride *= 2;
    }
    let (mut low, mut high) = (low.unwrap_or(0), high.unwrap_or(last));
    while high - low > 1 {
        let middle = usize::midpoint(low, high);
        match keeps(place(middle))? {
            None => return found(high, Some((low + 1, high - 1))),
            Some(true) => high = middle,
            Some(false) => low = middle,
        }
    }
    let mut below = 0;
    while below < 4 && high > below {
        below += 1;
        // This one is known to fail.
        if high - below == low {
            continue;
        }
        match keeps(place(high - below))? {
            None => return found(high, Some((high.saturating_sub(4), high - below))),
            Some(true) => {
                high -= below;
                below = 0;
            }
            Some(false) => {}
        }
    }
    found(high, None)
}

/// What a search may do, in multiplications or what takes as long: some seconds.
const WORK: u64 = 2_000_000_000;

/// How more effort is asked for, behind what was left undone.
pub(super) fn more_of(effort: Effort) -> String {
    effort.more().map_or(String::new(), |more| format!("; effort = {} goes on", more.get()))
}

impl Task<'_> {
    /// The smallest number of taps that keeps the template.
    pub(super) fn smallest(&self) -> Result<Smallest, FirError> {
        let needs = "a template: both edges, ripple and attenuation";
        let FirShape::Band {
            kind,
            edges: FirEdges::Transition { pass, stop },
            ripple_db,
            attenuation_db,
        } = &self.wish.shape
        else {
            return Err(FirError::NoTemplate { needs });
        };
        let (Some(ripple), Some(attenuation)) = (*ripple_db, *attenuation_db) else {
            return Err(FirError::NoTemplate { needs });
        };
        if matches!(self.wish.method, FirMethod::FrequencySampling { .. }) {
            let needs = "\"equiripple\", \"window\" or \"least-squares\"";
            return Err(FirError::NoTemplate { needs });
        }
        let errors = errors_allowed(ripple, attenuation);
        let widths = pass.iter().zip(stop).map(|(a, b)| (a - b).abs() / self.rate.hertz());
        let transition = widths.fold(0.5, f64::min);
        let [p, s] = errors.map(|error| -20.0 * libm::log10(error));
        // Kaiser 1974 for equiripple filters: N − 1 = (−20·log √(δ₁δ₂) − 13)/(14.6·Δf).
        let equal = 1.0 + (f64::midpoint(p, s) - 13.0).max(1.0) / (14.6 * transition);
        let is_equiripple = matches!(self.wish.method, FirMethod::Equiripple { .. });
        let start = if is_equiripple { equal } else { taps_for_transition(p.max(s), transition) };
        let most = match self.wish.method {
            FirMethod::LeastSquares { .. } => LARGEST_LEAST_SQUARES,
            _ => LARGEST_TAPS - 1,
        };
        if start > 1.3 * most as f64 {
            return Err(self.out_of_reach(most, format!(": it needs about {start:.0}")));
        }
        let start = start as usize;
        // A window has a limit that no length moves; a number twice as large as a Kaiser window needs shows
        // it.
        let most = match is_equiripple {
            true => most,
            false => (4 * start + 200).min(most - 1) | 1,
        };
        let both_parities = matches!(kind, BandKind::Lowpass | BandKind::Bandpass);
        let bands = Bands { kind: *kind, pass_hz: Some(pass.clone()), stop_hz: Some(stop.clone()) };
        let keeps_measured = |filter: &Taps| {
            let [found_ripple, found] = ripple_and_attenuation(filter, self.rate, &bands);
            found_ripple.is_some_and(|r| r <= ripple) && found.is_none_or(|a| a >= attenuation)
        };
        let limit = self.wish.effort.times(WORK);
        let mut work = 0;
        let found = if is_equiripple {
            // Each type by itself is monotone in its length: odd lengths first, then the even ones below.
            let mut reference = None;
            let mut keeps = |taps: usize| -> Result<Option<bool>, FirError> {
                if work >= limit {
                    return Ok(None);
                }
                let near = (&mut reference, &mut work, limit);
                self.equiripple_keeps(taps, errors[0], near, &keeps_measured)
            };
            match smallest(start | 1, 2, (3, most), &mut keeps)? {
                Searched::Found(mut best) if both_parities && best.untried.is_none() => {
                    let mut even = best.taps - 1;
                    while even >= 2 {
                        match keeps(even)? {
                            None => {
                                best.untried = Some((even.saturating_sub(6).max(2), even));
                                break;
                            }
                            Some(false) => break,
                            Some(true) => best.taps = even,
                        }
                        even -= 2;
                    }
                    Searched::Found(best)
                }
                other => other,
            }
        } else {
            let mut keeps = |taps: usize| -> Result<Option<bool>, FirError> {
                if work >= limit {
                    return Ok(None);
                }
                work += self.work_of(taps);
                Ok(Some(keeps_measured(&Taps(self.make(taps)?.taps))))
            };
            let step = if both_parities { 1 } else { 2 };
            smallest(start | 1, step, (3, most), &mut keeps)?
        };
        match found {
            Searched::Found(found) => Ok(found),
            Searched::None => Err(self.out_of_reach(most, String::new())),
            Searched::Stopped(taps) => {
                let method = self.method();
                Err(FirError::Effort { method, taps, more: more_of(self.wish.effort) })
            }
        }
    }

    /// What a filter of so many taps takes, in multiplications: to be made, and to be measured.
    fn work_of(&self, taps: usize) -> u64 {
        let n = taps as u64;
        let measuring = 200 * n * u64::from(n.ilog2()) + 1_500 * n;
        match self.wish.method {
            // Cholesky's method on half as many unknowns in numbers of twice the precision, where it takes
            // that.
            FirMethod::LeastSquares { .. } => n * n * n / 12 + measuring,
            _ => measuring,
        }
    }

    /// Whether the largest weighted error stays within what is allowed in the pass-band (which has weight 1),
    /// or, where it is a little larger, the template is kept all the same: the ripple need not reach both of
    /// its ends. `near` is the reference of the last design, the work so far and what there is of it; `None`
    /// where that did not do.
    pub(super) fn equiripple_keeps(
        &self,
        taps: usize,
        allowed: f64,
        (reference, work, limit): (&mut Option<Vec<Point>>, &mut u64, u64),
        keeps_measured: &dyn Fn(&Taps) -> bool,
    ) -> Result<Option<bool>, FirError> {
        // The largest error of an exchange is that of points beside its extremes: off by parts of a
        // millionth.
        let between = [allowed * (1.0 - 1e-6), 2.0 * allowed];
        let kind = self.linear_phase(taps)?;
        match compare(&self.bands, kind, taps, between, reference, (work, limit)) {
            Ok(None) => Ok(None),
            Ok(Some(found)) if found.most <= allowed * (1.0 + 1e-9) => Ok(Some(true)),
            Ok(Some(found)) => Ok(Some(found.taps.is_some_and(|taps| keeps_measured(&Taps(taps))))),
            // Better than can be shown is good enough.
            Err(ExchangeError::Precision { .. }) => Ok(Some(true)),
            Err(error) => Err(error.into()),
        }
    }

    pub(super) fn out_of_reach(&self, most: usize, reached: String) -> FirError {
        FirError::OutOfReach { method: self.method(), most, reached }
    }

    fn method(&self) -> String {
        match self.wish.method {
            FirMethod::Window(window) => format!("{window} window"),
            _ => self.wish.method.as_str().to_owned(),
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn the_smallest_is_found_from_any_start() {
        for wanted in [3usize, 4, 40, 999] {
            for start in [1usize, 5, 41, 700, 5000] {
                for (step, most_calls) in [(1, 40), (2, 40), (1, 3), (2, 7)] {
                    let mut calls = 0;
                    let mut keeps = |n: usize| {
                        calls += 1;
                        Ok::<_, ()>((calls <= most_calls).then_some(n >= wanted))
                    };
                    let found = smallest(start, step, (3, 1000), &mut keeps).unwrap();
                    let first = wanted + (wanted + step * 3 - 3) % step;
                    match found {
                        Searched::Found(Smallest { taps, untried: None }) => {
                            assert_eq!(taps, first);
                            assert!(calls < 40, "{calls}");
                        }
                        // What was left untried holds the smallest, or that is it already.
                        Searched::Found(Smallest { taps, untried: Some((low, high)) }) => {
                            assert!(calls > most_calls && taps >= wanted && high < taps);
                            assert!((low..=high).contains(&first) || taps == first);
                        }
                        Searched::Stopped(taps) => assert!(calls > most_calls && taps <= 1000),
                        Searched::None => panic!("{wanted} {start} {step}"),
                    }
                }
            }
        }
        let none = smallest(10, 1, (1, 100), &mut |_| Ok::<_, ()>(Some(false)));
        assert_eq!(none.unwrap(), Searched::None);
    }
}
