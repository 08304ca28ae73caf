//! The smallest number of taps that does.

use super::task::Task;
use super::{ExchangeError, FirError, equiripple};
use crate::analysis::{Bands, measure_bands};
use crate::filter::{BandKind, Taps};
use crate::spec::{FirEdges, FirMethod, FirShape, LARGEST_TAPS};
use crate::window::{errors_allowed, taps_for_transition};

/// The smallest number of the parity of `start`, at least `least`, at most `most`, for which `keeps` holds, if it holds
/// from some number on; `None` if it does not hold up to `most`.
///
/// `start` is an estimate. The search brackets from there and bisects; below what it finds it looks at four more numbers,
/// for what a window does to a template is not quite monotone in its length.
pub(super) fn smallest<E>(
    start: usize,
    step: usize,
    (least, most): (usize, usize),
    keeps: &mut dyn FnMut(usize) -> Result<bool, E>,
) -> Result<Option<usize>, E> {
    let place = |index: usize| least + index * step;
    let last = (most - least) / step;
    let start = (start.clamp(least, most) - least) / step;
    // `high` keeps (or is beyond the end), `low` does not (or is before the beginning).
    let (mut low, mut high, mut stride) = (None, None, (start / 40).max(1));
    let mut at = start;
    while low.is_none() || high.is_none() {
        if keeps(place(at))? {
            high = Some(at);
            if at == 0 {
                return Ok(Some(place(0)));
            }
            if low.is_none() {
                at = at.saturating_sub(stride);
            }
        } else {
            low = Some(at);
            if at == last {
                return Ok(None);
            }
            if high.is_none() {
                at = (at + stride).min(last);
            }
        }
        stride *= 2;
    }
    let (mut low, mut high) = (low.unwrap_or(0), high.unwrap_or(last));
    while high - low > 1 {
        let middle = usize::midpoint(low, high);
        if keeps(place(middle))? { high = middle } else { low = middle }
    }
    let mut below = 0;
    while below < 4 && high > below {
        below += 1;
        // This one is known to fail.
        if high - below != low && keeps(place(high - below))? {
            high -= below;
            below = 0;
        }
    }
    Ok(Some(place(high)))
}

impl Task<'_> {
    /// The smallest number of taps that keeps the template.
    pub(super) fn smallest(&self) -> Result<usize, FirError> {
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
        if start > 1.3 * LARGEST_TAPS as f64 {
            return Err(self.out_of_reach(format!(": it needs about {start:.0}")));
        }
        let start = start as usize;
        let both_parities = matches!(kind, BandKind::Lowpass | BandKind::Bandpass);
        let range = (3, LARGEST_TAPS - 1);
        let bands = Bands { kind: *kind, pass_hz: Some(pass.clone()), stop_hz: Some(stop.clone()) };
        let middle = if kind.is_band() { libm::sqrt(pass[0] * pass[1]) } else { pass[0] };
        let keeps_measured = |filter: &Taps| {
            let found = measure_bands(filter, self.rate, &bands, middle);
            found.passband_ripple_db.is_some_and(|r| r <= ripple)
                && found.stopband_attenuation_db.is_none_or(|a| a >= attenuation)
        };
        let found = if is_equiripple {
            // Each type by itself is monotone in its length: odd lengths first, then the even ones below.
            let mut keeps = |taps: usize| self.equiripple_keeps(taps, errors[0], &keeps_measured);
            let odd = smallest(start | 1, 2, range, &mut keeps)?;
            match odd {
                Some(mut best) if both_parities => {
                    let mut even = best - 1;
                    while even >= 2 && keeps(even)? {
                        best = even;
                        even -= 2;
                    }
                    Some(best)
                }
                other => other,
            }
        } else {
            let mut keeps = |taps: usize| -> Result<bool, FirError> {
                Ok(keeps_measured(&Taps(self.make(taps)?.taps)))
            };
            // A window has a limit that no length moves; a number twice as large as a Kaiser window needs shows it.
            let most = (4 * start + 200).min(LARGEST_TAPS - 1) | 1;
            let step = if both_parities { 1 } else { 2 };
            smallest(start | 1, step, (range.0, most), &mut keeps)?
        };
        found.ok_or_else(|| self.out_of_reach(String::new()))
    }

    /// Whether the largest weighted error stays within what is allowed in the pass-band (which has weight 1), or, where it is
    /// a little larger, the template is kept all the same: the ripple need not reach both of its ends.
    pub(super) fn equiripple_keeps(
        &self,
        taps: usize,
        allowed: f64,
        keeps_measured: &dyn Fn(&Taps) -> bool,
    ) -> Result<bool, FirError> {
        match equiripple(&self.bands, self.linear_phase(taps)?, taps) {
            Ok(found) if found.error <= allowed * (1.0 + 1e-9) => Ok(true),
            Ok(found) => Ok(found.error < 2.0 * allowed && keeps_measured(&Taps(found.taps))),
            // Better than can be shown is good enough.
            Err(ExchangeError::Precision { .. }) => Ok(true),
            Err(error) => Err(error.into()),
        }
    }

    pub(super) fn out_of_reach(&self, reached: String) -> FirError {
        let method = match self.wish.method {
            FirMethod::Window(window) => format!("{window} window"),
            _ => self.wish.method.as_str().to_owned(),
        };
        FirError::OutOfReach { method, reached }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn the_smallest_is_found_from_any_start() {
        for wanted in [3usize, 4, 40, 999] {
            for start in [1usize, 5, 41, 700, 5000] {
                for step in [1, 2] {
                    let mut calls = 0;
                    let mut keeps = |n: usize| {
                        calls += 1;
                        Ok::<bool, ()>(n >= wanted)
                    };
                    let found = smallest(start, step, (3, 1000), &mut keeps).unwrap().unwrap();
                    assert!(found >= wanted && found < wanted + step && found % step == 3 % step);
                    assert!(calls < 40, "{calls}");
                }
            }
        }
        assert_eq!(smallest(10, 1, (1, 100), &mut |_| Ok::<bool, ()>(false)).unwrap(), None);
    }
}
