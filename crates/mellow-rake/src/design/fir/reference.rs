//! References of an exchange: where the error is asked to alternate.

use super::bands::{Band, apportion};

/// A frequency in a band.
#[derive(Debug, Clone, Copy)]
pub(super) struct Point {
    pub(super) band: usize,
    pub(super) frequency: f64,
    pub(super) error: f64,
}

/// Points spread evenly over the bands, or densely at the ends of each; at least one in each band.
pub(super) fn evenly(bands: &[Band], count: usize, dense_ends: bool) -> Vec<Point> {
    let total: f64 = bands.iter().map(|band| band.high - band.low).sum();
    let shares: Vec<f64> = bands.iter().map(|band| (band.high - band.low) / total).collect();
    let mut points = Vec::with_capacity(count);
    for (band, own) in apportion(&shares, count).into_iter().enumerate() {
        let Band { low, high, .. } = bands[band];
        for k in 0..own {
            let even = place_in(bands, band, k, own);
            let dense = (1.0 - libm::cos(std::f64::consts::PI * even)) / 2.0;
            let place = if dense_ends { dense } else { even };
            points.push(Point { band, frequency: low + (high - low) * place, error: 0.0 });
        }
    }
    points
}

/// Where the k-th of `own` points of a band stands, from 0 to 1. A band that begins where the one before
/// ends keeps off that point: no two may fall together.
fn place_in(bands: &[Band], band: usize, k: usize, own: usize) -> f64 {
    let joined = band > 0 && bands[band].low <= bands[band - 1].high;
    if joined || own == 1 { (k as f64 + 0.5) / own as f64 } else { k as f64 / (own - 1) as f64 }
}

/// The reference of a shorter design with more points, spread as they are.
pub(super) fn stretched(bands: &[Band], reference: &[Point], count: usize) -> Vec<Point> {
    let members = |band: usize| -> Vec<f64> {
        reference.iter().filter(|p| p.band == band).map(|p| p.frequency).collect()
    };
    let all: Vec<Vec<f64>> = (0..bands.len()).map(members).collect();
    let shares: Vec<f64> =
        all.iter().map(|own| own.len() as f64 / reference.len() as f64).collect();
    let mut points = Vec::with_capacity(count);
    for (band, own) in apportion(&shares, count).into_iter().enumerate() {
        let Band { low, high, .. } = bands[band];
        // The old points with the ends of the band, so that there are always two; an end that a point all
        // but touches is that point, for no two may fall together.
        let mut old = all[band].clone();
        let near = 0.1 * (high - low) / (own + 1) as f64;
        match old.first_mut() {
            Some(first) if *first - low <= near => *first = low,
            _ => old.insert(0, low),
        }
        match old.last_mut() {
            Some(last) if high - *last <= near && *last > low => *last = high,
            _ => old.push(high),
        }
        for k in 0..own {
            let place = place_in(bands, band, k, own) * (old.len() - 1) as f64;
            let below = (place as usize).min(old.len() - 2);
            let rest = place - below as f64;
            let frequency = old[below] + (old[below + 1] - old[below]) * rest;
            points.push(Point { band, frequency, error: 0.0 });
        }
    }
    points
}

/// The reference with one point exchanged for that of the largest error, so that the signs go on alternating:
/// the exchange of a single point, after which |δ| is larger whatever the reference was.
///
/// Where the bands and what is desired are symmetric about a quarter of the sample rate and the reference is,
/// too, an even number of points gives δ = 0: the error is even there and cannot alternate. Its zeros are
/// then the reference itself, and between n of them lie n − 1 extremes only.
pub(super) fn exchange_one(reference: &[Point], delta: f64, largest: Point) -> Vec<Point> {
    let sign = |k: usize| if k.is_multiple_of(2) == (delta >= 0.0) { 1.0 } else { -1.0 };
    let mut next: Vec<Point> = (0..reference.len())
        .map(|k| Point { error: sign(k) * delta.abs(), ..reference[k] })
        .collect();
    let last = next.len() - 1;
    let agrees = |point: &Point| point.error.is_sign_negative() == largest.error.is_sign_negative();
    let above = next.partition_point(|point| point.frequency < largest.frequency);
    match above {
        0 if !agrees(&next[0]) => {
            next.pop();
            next.insert(0, largest);
        }
        0 => next[0] = largest,
        _ if above > last && !agrees(&next[last]) => {
            next.remove(0);
            next.push(largest);
        }
        _ if above > last || agrees(&next[above - 1]) => next[above - 1] = largest,
        _ => next[above] = largest,
    }
    next
}

/// `needed` points of alternating sign, the largest among them; `None` if there are not so many.
pub(super) fn alternating(candidates: Vec<Point>, needed: usize) -> Option<Vec<Point>> {
    let mut points: Vec<Point> = Vec::with_capacity(candidates.len());
    for point in candidates {
        match points.last_mut() {
            Some(last) if last.error.signum() == point.error.signum() => {
                if point.error.abs() > last.error.abs() {
                    *last = point;
                }
            }
            _ => points.push(point),
        }
    }
    while points.len() > needed {
        let size = |k: usize| points[k].error.abs();
        let last = points.len() - 1;
        if points.len() == needed + 1 {
            points.remove(if size(0) < size(last) { 0 } else { last });
            continue;
        }
        let least = (0..=last).min_by(|a, b| size(*a).total_cmp(&size(*b))).unwrap_or(0);
        if least == 0 || least == last {
            points.remove(least);
        } else {
            // A point within goes with its smaller neighbour, so that the signs go on alternating.
            let with = if size(least - 1) < size(least + 1) { least - 1 } else { least };
            points.drain(with..with + 2);
        }
    }
    (points.len() == needed).then_some(points)
}
