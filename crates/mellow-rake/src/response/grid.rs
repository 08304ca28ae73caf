//! Where to look: frequencies in even steps, in even ratios, or as a response asks for.

use super::gain_db;
use crate::filter::PhaseResponse;
use crate::units::SampleRate;

/// `count` frequencies in hertz from `low` to `high`, both included, evenly spaced.
pub fn linear_grid(low: f64, high: f64, count: usize) -> Vec<f64> {
    let last = count.max(2) - 1;
    (0..=last).map(|k| low + (high - low) * (k as f64 / last as f64)).collect()
}

/// `count` frequencies in hertz from `low` to `high`, both included, in even ratios. Both must be above zero.
///
/// ```
/// use mellow_rake::response::logarithmic_grid;
/// let decades = logarithmic_grid(1.0, 1000.0, 4);
/// assert!((decades[1] - 10.0).abs() < 1e-12 && decades[3] == 1000.0);
/// ```
pub fn logarithmic_grid(low: f64, high: f64, count: usize) -> Vec<f64> {
    let last = count.max(2) - 1;
    let ratio = libm::log(high / low);
    let place = |k: usize| low * libm::exp(ratio * (k as f64 / last as f64));
    (0..=last).map(|k| if k == last { high } else { place(k) }).collect()
}

/// So far below the largest gain a null is deep enough for any look, and what is left is not yet rounding.
const FLOOR_DB: f64 = -220.0;

/// So many halvings at most between two points.
const DEPTH: u32 = 24;

/// So many points at most: a response of pure rounding would ask for more and more.
const MOST_POINTS: usize = 400_000;

/// Frequencies in hertz from `low` to `high` on which straight lines follow the gain within `tolerance_db`,
/// and between which no ripple and no null is missed: every extreme is refined and stands in the grid itself.
///
/// The first points are as dense as the length of the response asks for and stand closer around every pole
/// and zero near the unit circle.
///
/// ```
/// use mellow_rake::{response::{adaptive_grid, gain_db}, design::notch};
/// let rate = "1 kHz".parse()?;
/// let filter = notch(87.5, 1e-4, rate)?.zeros_poles;
/// let grid = adaptive_grid(&filter, rate, 0.0, 500.0, 0.1);
/// // A null one ten-thousandth of a hertz wide.
/// assert!(grid.iter().any(|hz| gain_db(&filter, rate, *hz) < -200.0) && grid.len() < 3000);
/// # Ok::<(), Box<dyn std::error::Error>>(())
/// ```
pub fn adaptive_grid(
    filter: &dyn PhaseResponse,
    rate: SampleRate,
    low: f64,
    high: f64,
    tolerance_db: f64,
) -> Vec<f64> {
    let power = |hz: f64| {
        let gain = filter.gain(rate.radians(hz));
        gain * gain
    };
    let mut places = first_places(filter, rate, low, high);
    extremes(&mut places, &power);
    let largest = places.iter().map(|hz| gain_db(filter, rate, *hz)).fold(f64::MIN, f64::max);
    let level = |hz: f64| gain_db(filter, rate, hz).max(largest + FLOOR_DB);
    let points: Vec<(f64, f64)> = places.into_iter().map(|hz| (hz, level(hz))).collect();
    let mut grid = Vec::with_capacity(2 * points.len());
    for pair in points.windows(2) {
        grid.push(pair[0].0);
        halve(pair[0], pair[1], tolerance_db, DEPTH, &level, &mut grid);
    }
    grid.extend(points.last().map(|last| last.0));
    grid
}

fn first_places(filter: &dyn PhaseResponse, rate: SampleRate, low: f64, high: f64) -> Vec<f64> {
    let ripples = filter.extent() as f64 * (high - low) / rate.nyquist();
    let mut places = linear_grid(low, high, 257 + (6.0 * ripples) as usize);
    for mark in filter.landmarks() {
        let width = mark.distance.max(1e-14);
        for share in [0.0, 0.25, 1.0, 3.0, 10.0, 30.0] {
            for omega in [mark.omega - share * width, mark.omega + share * width] {
                places.push(omega / (2.0 * std::f64::consts::PI) * rate.hertz());
            }
        }
    }
    places.retain(|hz| (low..=high).contains(hz));
    places.sort_by(f64::total_cmp);
    places.dedup();
    places
}

/// Adds the extremes between the places: twice the vertex of the parabola through three values of the power,
/// which is smooth at a null too.
fn extremes(places: &mut Vec<f64>, power: &dyn Fn(f64) -> f64) {
    let values: Vec<f64> = places.iter().map(|hz| power(*hz)).collect();
    let mut found = Vec::new();
    for k in 1..places.len().saturating_sub(1) {
        let (before, here, after) = (values[k - 1], values[k], values[k + 1]);
        if (here - before) * (after - here) > 0.0 {
            continue;
        }
        let mut three = [(places[k - 1], before), (places[k], here), (places[k + 1], after)];
        for _ in 0..3 {
            let Some(hz) = vertex(three) else { break };
            found.push(hz);
            let value = power(hz);
            let (inner, outer) = if hz < three[1].0 {
                ([three[0], (hz, value), three[1]], [(hz, value), three[1], three[2]])
            } else {
                ([three[1], (hz, value), three[2]], [three[0], three[1], (hz, value)])
            };
            let is_top = three[1].1 >= three[0].1;
            let new_is_better = (value > three[1].1) == is_top;
            three = if new_is_better { inner } else { outer };
        }
    }
    places.extend(found);
    places.sort_by(f64::total_cmp);
    places.dedup();
}

/// Where the parabola through three points with rising places has its vertex, if that is a new place between
/// them.
fn vertex([a, b, c]: [(f64, f64); 3]) -> Option<f64> {
    let (left, right) = (b.0 - a.0, c.0 - b.0);
    let (rise, fall) = ((b.1 - a.1) / left, (c.1 - b.1) / right);
    let bend = (fall - rise) / (left + right);
    let hz = b.0 - (rise + (fall - rise) * left / (left + right)) / (2.0 * bend);
    (hz > a.0 && hz < c.0 && hz != b.0).then_some(hz)
}

/// Adds points between two until straight lines are near enough.
fn halve(
    from: (f64, f64),
    to: (f64, f64),
    tolerance: f64,
    depth: u32,
    level: &dyn Fn(f64) -> f64,
    grid: &mut Vec<f64>,
) {
    let hz = f64::midpoint(from.0, to.0);
    if depth == 0 || hz <= from.0 || hz >= to.0 || grid.len() >= MOST_POINTS {
        return;
    }
    let middle = (hz, level(hz));
    if (middle.1 - f64::midpoint(from.1, to.1)).abs() <= tolerance {
        return;
    }
    halve(from, middle, tolerance, depth - 1, level, grid);
    grid.push(hz);
    halve(middle, to, tolerance, depth - 1, level, grid);
}
