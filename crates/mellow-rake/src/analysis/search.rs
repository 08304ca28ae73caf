//! Searching a response: extremes refined, crossings bisected.

/// The place of the smallest value between `low` and `high`, by golden section.
pub(super) fn golden(mut low: f64, mut high: f64, value: &dyn Fn(f64) -> f64) -> f64 {
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

/// The place of the smallest value between `low` and `high`: on a grid that is dense at both ends, then refined.
pub(super) fn extreme(low: f64, high: f64, value: &dyn Fn(f64) -> f64) -> f64 {
    const GRID: u32 = 2000;
    let place = |k: u32| {
        // sin² of a quarter turn per end: steps of (π/GRID)²/2 of the stretch at the ends.
        let s = libm::sin(std::f64::consts::FRAC_PI_2 * f64::from(k) / f64::from(GRID));
        low + (high - low) * s * s
    };
    let best = (0..=GRID).min_by(|&a, &b| value(place(a)).total_cmp(&value(place(b)))).unwrap_or(0);
    let found = golden(place(best.saturating_sub(1)), place((best + 1).min(GRID)), value);
    if value(found) < value(place(best)) { found } else { place(best) }
}

/// The place between `inside` (where `beyond` is false) and `outside` (where it is true) where it becomes true.
pub(super) fn bisect(mut inside: f64, mut outside: f64, beyond: &dyn Fn(f64) -> bool) -> f64 {
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
