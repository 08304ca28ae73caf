//! Which bands fall onto a band, or are images of it, and how strong they are at most.

use super::folding::{Choice, Path};
use super::{Chain, Stage};
use crate::filter::{Taps, complex};
use crate::response::golden;
use crate::units::SampleRate;
use crate::units::level::decibels;
use num_complex::Complex64;
use rustfft::FftPlanner;

/// A band that falls onto another.
#[derive(Debug, Clone, Copy, PartialEq)]
#[non_exhaustive]
pub struct FoldedBand {
    /// The lowest and highest frequency that goes in.
    pub input_hertz: [f64; 2],
    /// The lowest and highest frequency that comes out.
    pub output_hertz: [f64; 2],
    /// The highest level at which any of it comes out, in decibels of what went in.
    pub worst_db: f64,
    /// The frequency that goes in where it does.
    pub worst_input_hertz: f64,
    /// The frequency that comes out there.
    pub worst_output_hertz: f64,
}

/// The gain of the taps of a stage on a grid from 0 to half of the rate at which it filters: where to look
/// for what is strong, not how strong that is.
struct Grid {
    /// The gains, less what signals lose by the zeros between samples.
    gains: Vec<f64>,
    step_hz: f64,
}

impl Grid {
    /// Points for each tap.
    const DENSITY: usize = 16;

    fn new(stage: &Stage, rate: f64) -> Self {
        let points = (Grid::DENSITY * stage.fineness()).next_power_of_two().max(4096);
        let Some(Taps(taps)) = stage.taps() else {
            let radians = |k: usize| std::f64::consts::TAU * k as f64 / points as f64;
            let gain = |k: usize| complex::modulus(stage.response(radians(k))) / stage.up() as f64;
            let gains = (0..=points / 2).map(gain).collect();
            return Grid { gains, step_hz: rate / points as f64 };
        };
        let mut buffer = vec![Complex64::new(0.0, 0.0); points];
        buffer.iter_mut().zip(taps).for_each(|(slot, tap)| slot.re = *tap / stage.up() as f64);
        FftPlanner::new().plan_fft_forward(points).process(&mut buffer);
        let gains = buffer[..=points / 2].iter().map(|value| complex::modulus(*value)).collect();
        Grid { gains, step_hz: rate / points as f64 }
    }

    /// The gain at a frequency of minus half to half of the rate, between two points on a straight line.
    fn gain(&self, hertz: f64) -> f64 {
        let place = hertz.abs() / self.step_hz;
        let below = (place as usize).min(self.gains.len() - 2);
        let share = place - below as f64;
        self.gains[below] * (1.0 - share) + self.gains[below + 1] * share
    }
}

/// Steps that a top of the rough values is followed to one of the exact ones.
const CLIMBED: usize = 32;

/// So many of the highest places of a grid are looked at closely.
const LOOKED_AT: usize = 6;

/// Steps on a grid between two frequencies.
#[derive(Clone, Copy)]
struct Steps {
    band: [f64; 2],
    count: usize,
}

impl Steps {
    fn place(self, k: usize) -> f64 {
        self.band[0] + (self.band[1] - self.band[0]) * k as f64 / self.count as f64
    }

    /// The highest places by a rough value, the highest first, and that value.
    fn tops(self, rough: &dyn Fn(f64) -> f64) -> (Vec<usize>, f32) {
        // In single precision: the last bits of a transform are the machine's.
        let values: Vec<f32> = (0..=self.count).map(|k| rough(self.place(k)) as f32).collect();
        let is_top = |k: &usize| {
            let beside = [k.checked_sub(1), Some(k + 1).filter(|k| *k <= self.count)];
            beside.into_iter().flatten().all(|other| values[*k] >= values[other])
        };
        let mut tops: Vec<usize> = (0..=self.count).filter(is_top).collect();
        tops.sort_by(|a, b| values[*b].total_cmp(&values[*a]).then(a.cmp(b)));
        tops.truncate(LOOKED_AT);
        let height = tops.first().map_or(0.0, |top| values[*top]);
        (tops, height)
    }
}

/// The place of the largest value, near one of some places of a grid.
fn largest(steps: Steps, tops: &[usize], exact: &dyn Fn(f64) -> f64) -> f64 {
    let (place, grid) = (|k: usize| steps.place(k), steps.count);
    let low = steps.band[0];
    let mut best = (f64::NEG_INFINITY, low);
    for &top in tops {
        // The rough top may stand a few steps beside the exact one.
        let (mut top, mut height) = (top, exact(place(top)));
        for _ in 0..CLIMBED {
            let beside = [top.saturating_sub(1), (top + 1).min(grid)].map(|k| (exact(place(k)), k));
            let higher = beside.into_iter().find(|(value, _)| *value > height);
            let Some((value, k)) = higher else { break };
            (height, top) = (value, k);
        }
        let found = if (1..grid).contains(&top) {
            refined([top - 1, top, top + 1].map(place), exact)
        } else {
            // At an end nothing says where between it and the next point the largest is.
            let [end, next] = [top, if top == 0 { 1 } else { grid - 1 }].map(place);
            let inside = golden(end.min(next), end.max(next), &|hertz| -exact(hertz));
            let [end, inside] = [end, inside].map(|hertz| (exact(hertz), hertz));
            if inside.0 > end.0 * (1.0 + 1e-11) { inside } else { end }
        };
        if found.0 > best.0 {
            best = found;
        }
    }
    best.1
}

/// The largest value and its place near the second of three places, which lie within a lobe: the vertex of
/// the parabola through three points, again and again.
fn refined(places: [f64; 3], exact: &dyn Fn(f64) -> f64) -> (f64, f64) {
    const TIMES: usize = 6;
    let [mut a, mut b, mut c] = places.map(|hertz| (exact(hertz), hertz));
    for _ in 0..TIMES {
        let (left, right) = (b.1 - a.1, c.1 - b.1);
        let (falls, rises) = ((b.0 - a.0) * right, (c.0 - b.0) * left);
        let bend = falls - rises;
        let vertex = b.1 + 0.5 * (falls * right + rises * left) / bend;
        if !(bend > 0.0 && vertex > a.1 && vertex < c.1 && vertex != b.1) {
            break;
        }
        let found = (exact(vertex), vertex);
        // Where the value is flat, the place on the grid is not left for rounding's sake.
        if found.0 <= b.0 * (1.0 + 1e-11) {
            break;
        }
        if vertex < b.1 {
            c = b;
        } else {
            a = b;
        }
        b = found;
    }
    [a, c].into_iter().fold(b, |best, one| if one.0 > best.0 { one } else { best })
}

impl Stage {
    /// The largest gain between two frequencies, at the rate at which it filters.
    pub(super) fn largest_gain(&self, rate: SampleRate, band: [f64; 2]) -> f64 {
        let grid = Grid::new(self, rate.hertz());
        let ripples = self.fineness() as f64 * (band[1] - band[0]) / rate.nyquist();
        let points = 500 + libm::ceil(6.0 * ripples) as usize;
        let exact =
            |hertz: f64| complex::modulus(self.response(rate.radians(hertz))) / self.up() as f64;
        let steps = Steps { band, count: points };
        let (tops, _) = steps.tops(&|hertz| grid.gain(hertz));
        exact(largest(steps, &tops, &exact))
    }
}

/// What the paths of a number do with a frequency.
struct Ways<'a> {
    /// The level, roughly.
    rough: &'a dyn Fn(&[Grid], f64, usize) -> f64,
    /// All of it.
    path: &'a dyn Fn(f64, usize) -> Path,
    /// What it is at the input and at the output, and whether it is itself; without its level.
    ends: &'a dyn Fn(f64, usize) -> ([f64; 2], bool),
    /// The pieces of a band on which the path does not jump.
    pieces: &'a dyn Fn(usize) -> Vec<([f64; 2], f64)>,
}

/// Of so many bands the strongest are refined, and of the others the level at the strongest place of the grid
/// is given.
const REFINED: usize = 256;

/// Points of the grids of all bands together, below which none is thinned out.
const ALL_POINTS: usize = 4_000_000;

/// The pieces of a band between which a path jumps that is shifted and then wrapped to minus half to half of
/// a rate, again and again; each with what is added to its frequencies in all.
fn pieces(band: [f64; 2], shifts: &[[f64; 2]]) -> Vec<([f64; 2], f64)> {
    let mut all = vec![(band, 0.0)];
    for [shift, rate] in shifts {
        let mut wrapped = Vec::new();
        for ([mut from, to], mut added) in all {
            added += shift;
            loop {
                // What begins at half of a rate, but for rounding, is behind it.
                let turns = libm::floor((from + added) / rate + 0.5 + 1e-9);
                let border = (turns + 0.5) * rate - added;
                wrapped.push(([from, border.min(to)], added - turns * rate));
                if border >= to - 1e-9 * rate {
                    break;
                }
                from = border;
            }
        }
        all = wrapped;
    }
    all
}

fn is_whole(number: f64) -> bool {
    (number - libm::round(number)).abs() < 1e-9
}

/// The frequencies that a stretch of them lies at, of real signals: one end, and how wide it is.
fn folded_ends(first: f64, width: f64, rate: f64) -> [f64; 2] {
    let last = first + width;
    let fold = |hertz: f64| (hertz - rate * libm::round(hertz / rate)).abs();
    // Whether a multiple of the rate, or half of it more, lies between.
    let holds = |at: f64| libm::ceil((first - at) / rate) * rate + at <= last;
    let ends = [fold(first), fold(last)];
    [
        if holds(0.0) { 0.0 } else { ends[0].min(ends[1]) },
        if holds(rate / 2.0) { rate / 2.0 } else { ends[0].max(ends[1]) },
    ]
}

impl Chain {
    /// What falls onto a band of the output, the band of each alias by itself and the strongest first:
    /// frequencies of real signals, none of them below zero.
    ///
    /// `band` is of 0 to half of the output's rate, the lower end first. Levels are looked for on a grid of
    /// six points for each ripple that so many taps can make, at least 500 (60 where there are very many
    /// bands), and refined in the strongest 256 bands.
    pub fn folded(&self, band: [f64; 2]) -> Vec<FoldedBand> {
        let count: usize = self.stages().iter().map(Stage::down).product();
        let rough = |grids: &[Grid], hertz: f64, number: usize| {
            let mut gain = 1.0;
            self.way_back(hertz, number, &mut |stage, way| gain *= grids[stage].gain(way[1]));
            gain
        };
        let path = |hertz: f64, number: usize| self.arriving(hertz, number);
        let pieces = |number: usize| {
            let mut choice = Choice(number);
            let shift = |stage: usize| {
                let chosen = choice.of(self.stages()[stage].down());
                let after = self.rate_before(stage + 1).hertz();
                [chosen as f64 * after, self.rate_before(stage).hertz()]
            };
            pieces(band, &(0..self.stages().len()).rev().map(shift).collect::<Vec<_>>())
        };
        let ends = |hertz: f64, number: usize| {
            let (input, is_direct) = self.way_back(hertz, number, &mut |_, _| {});
            ([input, hertz], is_direct)
        };
        let rates = [self.output_rate(), self.input_rate()].map(SampleRate::hertz);
        let ways = Ways { rough: &rough, path: &path, ends: &ends, pieces: &pieces };
        self.bands(band, count, &ways, rates)
    }

    /// Where a band of the input comes out beside itself, the band of each image by itself and the strongest
    /// first: frequencies of real signals, none of them below zero.
    ///
    /// `band` is of 0 to half of the input's rate, the lower end first. Levels are looked for as by
    /// [`folded`](Self::folded).
    pub fn imaged(&self, band: [f64; 2]) -> Vec<FoldedBand> {
        let count: usize = self.stages().iter().map(Stage::up).product();
        let rough = |grids: &[Grid], hertz: f64, number: usize| {
            let mut gain = 1.0;
            self.way_on(hertz, number, &mut |stage, way| gain *= grids[stage].gain(way[1]));
            gain
        };
        let path = |hertz: f64, number: usize| self.leaving(hertz, number);
        let pieces = |number: usize| {
            let mut choice = Choice(number);
            let shift = |stage: usize| {
                let chosen = choice.of(self.stages()[stage].up());
                let before = self.rate_before(stage).hertz();
                [chosen as f64 * before, self.rate_before(stage + 1).hertz()]
            };
            pieces(band, &(0..self.stages().len()).map(shift).collect::<Vec<_>>())
        };
        let ends = |hertz: f64, number: usize| {
            let (output, is_direct) = self.way_on(hertz, number, &mut |_, _| {});
            ([hertz, output], is_direct)
        };
        let rates = [self.input_rate(), self.output_rate()].map(SampleRate::hertz);
        let ways = Ways { rough: &rough, path: &path, ends: &ends, pieces: &pieces };
        self.bands(band, count, &ways, rates)
    }

    fn bands(
        &self,
        [low, high]: [f64; 2],
        count: usize,
        ways: &Ways<'_>,
        [rate, last]: [f64; 2],
    ) -> Vec<FoldedBand> {
        // A path jumps where a rate on the way wraps: what lies between is a band. Where the last one wraps
        // only the sign of a frequency jumps, but what was direct may be so no longer.
        let mut all: Vec<(usize, [f64; 2])> = Vec::new();
        for number in 0..count {
            let mut before = None;
            for ([from, to], added) in (ways.pieces)(number) {
                let (_, is_direct) = (ways.ends)(f64::midpoint(from, to), number);
                let goes_on =
                    before.is_some_and(|own: f64| !is_direct && is_whole((own - added) / last));
                match all.last_mut() {
                    Some((_, piece)) if goes_on => piece[1] = to,
                    _ if is_direct => {}
                    _ => all.push((number, [from, to])),
                }
                before = (!is_direct).then_some(added);
            }
        }
        if all.is_empty() {
            return Vec::new();
        }
        let numbered = self.stages().iter().enumerate();
        let grids: Vec<Grid> = numbered
            .map(|(number, stage)| Grid::new(stage, self.rate_within(number).hertz()))
            .collect();
        let ripples = self.extent(rate) as f64 * (high - low) / (rate / 2.0);
        let least = (ALL_POINTS / all.len()).clamp(60, 500);
        let count = least + libm::ceil(6.0 * ripples) as usize;
        let mut rough: Vec<_> = all
            .into_iter()
            .map(|(number, band)| {
                let steps = Steps { band, count };
                let (tops, height) = steps.tops(&|hertz| (ways.rough)(&grids, hertz, number));
                (height, number, steps, tops)
            })
            .collect();
        rough.sort_by(|a, b| b.0.total_cmp(&a.0).then(a.1.cmp(&b.1)));
        let (input, output) = (self.input_rate().hertz(), self.output_rate().hertz());
        let band = |(rank, (_, number, steps, tops)): (usize, (f32, usize, Steps, Vec<usize>))| {
            let exact = |hertz: f64| complex::modulus((ways.path)(hertz, number).response);
            let worst = match (rank < REFINED, tops.first()) {
                (false, Some(top)) => steps.place(*top),
                _ => largest(steps, &tops, &exact),
            };
            let [from, to] = steps.band;
            // A little off the end, which may be half of a rate and so both of its signs.
            let inside = from + (to - from) * 1e-9;
            let ([first_in, first_out], _) = (ways.ends)(inside, number);
            let (found, width) = ((ways.path)(worst, number), to - from);
            FoldedBand {
                input_hertz: folded_ends(first_in - (inside - from), width, input),
                output_hertz: folded_ends(first_out - (inside - from), width, output),
                worst_db: decibels(complex::modulus(found.response)),
                worst_input_hertz: found.input_hertz.abs(),
                worst_output_hertz: found.output_hertz.abs(),
            }
        };
        let mut all: Vec<FoldedBand> = rough.into_iter().enumerate().map(band).collect();
        all.sort_by(|a, b| b.worst_db.total_cmp(&a.worst_db));
        all
    }
}
