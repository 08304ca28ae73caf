//! Searching a response: extremes refined, crossings bisected.

/// The place of the smallest value between `low` and `high`, by golden section.
pub(crate) fn golden(mut low: f64, mut high: f64, value: &dyn Fn(f64) -> f64) -> f64 {
    const SHARE: f64 = 0.618_033_988_749_894_9;
    for _ in 0..90 {
        let (a, b) = (high - SHARE * (high - low), low + SHARE * (high - low));
        if value(a) < value(b) {
            high = b;
        } else {
            low = a;
        }
    }
    f64::midpoint(low, high)
}

/// The place of the smallest value between `low` and `high`: on a grid that is dense at both ends, then
/// refined.
///
/// `extent` is over how many samples the response is spread: there are 8 points for each of its ripples
/// between 0 and `nyquist`.
pub(crate) fn extreme(
    low: f64,
    high: f64,
    nyquist: f64,
    extent: usize,
    value: &dyn Fn(f64) -> f64,
) -> f64 {
    let ripples = extent as f64 * (high - low) / nyquist;
    let grid = 2000 + (6.0 * ripples) as u32;
    let place = |k: u32| {
        // sin² of a quarter turn per end: steps of (π/grid)²/2 of the stretch at the ends.
        let s = libm::sin(std::f64::consts::FRAC_PI_2 * f64::from(k) / f64::from(grid));
        low + (high - low) * s * s
    };
    let first = (value(place(0)), 0);
    let values = (1..=grid).map(|k| (value(place(k)), k));
    let (least, best) = values.fold(first, |a, b| if b.0 < a.0 { b } else { a });
    let found = golden(place(best.saturating_sub(1)), place((best + 1).min(grid)), value);
    // Where the value is flat, as at zero frequency, the place on the grid is not left for rounding's sake.
    if value(found) < least - 1e-11 * least.abs() { found } else { place(best) }
}

/// The place between `inside` (where `beyond` is false) and `outside` (where it is true) where it becomes
/// true.
pub(crate) fn bisect(mut inside: f64, mut outside: f64, beyond: &dyn Fn(f64) -> bool) -> f64 {
    for _ in 0..100 {
        let middle = f64::midpoint(inside, outside);
        if beyond(middle) {
            outside = middle;
        } else {
            inside = middle;
        }
    }
    f64::midpoint(inside, outside)
}
