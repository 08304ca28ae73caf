//! What is proved about levels and errors along a network, and the noise that is expected.
//!
//! Every word is what the input and the errors of all roundings make of it through all steps between, so l1
//! norms of the composed responses bound it (Jackson, "On the interaction of roundoff noise and dynamic range
//! in digital filters", 1970). Rates make the responses depend on the time; they begin anew with each
//! *frame*, after which every step is at the start of a firing, and each time of a frame is followed by
//! itself. As within one program the linear reading holds while no limit acts; if every level fits, then by
//! induction over times and steps no limit is the first to act.
//!
//! A mixer is not the same at every time. What is behind it is read as a network of its own, whose input is
//! any signal as large as a word can be that comes out of the mixer, and whose input errs as much as words in
//! front of the mixer can, both times the largest value of its wave: no product is larger.

use super::Mixer;
use super::Network;
use super::NetworkError;
use super::block::{Block, Sized, Source};
use crate::datapath::{ErrorBound, NoisePrediction, NotPredicted, half_scale};
use crate::fixed::WordFormat;

/// The level of what a program gives.
#[derive(Debug, Clone, Copy, PartialEq)]
#[cfg_attr(feature = "serde", derive(serde::Serialize))]
#[non_exhaustive]
pub struct JointFact {
    /// The number of the step that gives it, the first is 0.
    pub step: usize,
    /// Its format.
    pub format: WordFormat,
    /// The lowest value before the limit for any input and any errors of roundings, rounded outward.
    pub low: f64,
    /// The highest.
    pub high: f64,
    /// The largest error of all roundings so far, as a value.
    pub error: f64,
    /// Whether all values from `low` to `high` fit the format: with that of all joints before, the limit
    /// never acts. Of a recursive program all of its limits count.
    pub fits: bool,
}

/// All that is found.
pub(super) struct Found {
    pub(super) joints: Vec<JointFact>,
    pub(super) error: ErrorBound,
    pub(super) noise: Result<NoisePrediction, NotPredicted>,
}

/// How far a word of each time of a frame can go at one place.
struct Level {
    times: Vec<[f64; 2]>,
}

impl Level {
    fn new(times: usize) -> Self {
        Level { times: vec![[0.0; 2]; times] }
    }

    /// A value from a range that comes in at some time, by what it is later; `share` of the sizes may be lost
    /// in sums.
    fn add(&mut self, begin: usize, words: &[Sized], [low, high]: [f64; 2], share: f64) {
        let count = self.times.len();
        for (place, [h, size]) in words.iter().enumerate() {
            let time = &mut self.times[(begin + place) % count];
            let slack = size * share * low.abs().max(high.abs());
            time[0] += (h * low).min(h * high) - slack;
            time[1] += (h * low).max(h * high) + slack;
        }
    }

    fn low(&self) -> f64 {
        self.times.iter().fold(0.0, |low, time| low.min(time[0]))
    }

    fn high(&self) -> f64 {
        self.times.iter().fold(0.0, |high, time| high.max(time[1]))
    }

    fn largest(&self) -> f64 {
        self.high().max(-self.low())
    }
}

/// The words of a frame before the first block and behind each; `None` where it is too long.
fn frame(blocks: &[Block]) -> Option<Vec<usize>> {
    let (mut first, mut words) = (1usize, 1usize);
    for block in blocks {
        let (mut one, mut other) = (words, block.takes);
        while other != 0 {
            (one, other) = (other, one % other);
        }
        let more = block.takes / one;
        first = first.checked_mul(more)?;
        words = words.checked_mul(more)? / block.takes * block.gives;
        if first.max(words) > Network::LONGEST_FRAME {
            return None;
        }
    }
    let mut all = vec![first];
    for block in blocks {
        let words = all[all.len() - 1] / block.takes * block.gives;
        all.push(words);
    }
    Some(all)
}

/// What goes into some steps: the levels and errors of any word.
struct Start {
    /// The lowest and the highest value.
    range: [f64; 2],
    /// The power on white noise of half scale.
    power: f64,
    /// The largest error that it has already.
    error: f64,
    /// The mean of its square.
    error_power: f64,
}

impl Start {
    /// Behind a mixer, of what is at the end of the steps before it.
    fn behind(mixer: &Mixer, end: &End) -> Start {
        let gain = mixer.largest_gain() * (1.0 + 1e-12);
        let format = ends(mixer.input()).map(f64::abs).into_iter().fold(0.0, f64::max);
        // While no limit acts a word is as its level says, and never beyond its format.
        let largest = gain * end.largest.min(format);
        Start {
            range: [-largest, largest],
            power: end.power * mixer.power_gain(),
            error: gain * end.error.largest(),
            error_power: (end.noise.variance + end.noise.mean * end.noise.mean)
                * mixer.power_gain(),
        }
    }
}

/// What is at the end of some steps.
struct End {
    largest: f64,
    power: f64,
    error: ErrorBound,
    noise: NoisePrediction,
}

pub(super) fn find(blocks: &[Block], input: WordFormat) -> Result<Found, NetworkError> {
    let mut start =
        Start { range: ends(input), power: half_scale(input), error: 0.0, error_power: 0.0 };
    let (mut joints, mut powers) = (Vec::new(), Vec::new());
    let mut rest = blocks;
    loop {
        let count = rest.iter().position(|block| block.mixer.is_some()).unwrap_or(rest.len());
        let (own, behind) = rest.split_at(count);
        let end = along(own, &start, &mut joints, &mut powers)?;
        let Some((first, others)) = behind.split_first() else {
            let why = not_predicted(blocks, &powers);
            return Ok(Found { joints, error: end.error, noise: why.map_or(Ok(end.noise), Err) });
        };
        if let Some(mixer) = &first.mixer {
            start = Start::behind(mixer, &end);
        }
        powers.push(start.power);
        rest = others;
    }
}

/// Steps without a mixer.
fn along(
    blocks: &[Block],
    start: &Start,
    joints: &mut Vec<JointFact>,
    powers: &mut Vec<f64>,
) -> Result<End, NetworkError> {
    let frame = frame(blocks).ok_or(NetworkError::Frame)?;
    let most = frame.iter().max().copied().unwrap_or(1);
    if most > Network::LONGEST_FRAME {
        return Err(NetworkError::Frame);
    }
    let operations: usize = blocks.iter().map(Block::operations).sum();
    // γ of Higham, Accuracy and Stability of Numerical Algorithms, 2002, equation 3.4, and as much again for
    // the sums of the levels themselves.
    let share = 2.0 * (operations + most) as f64 * f64::EPSILON;
    let reading = Reading { blocks, frame, share };
    let (levels, own_powers) = reading.levels(start);
    let (errors, noise) = reading.errors(start, &levels);
    let all = blocks.iter().zip(levels.iter().zip(&errors));
    // What comes to each block.
    let mut before = (start.range[0] - start.error, start.range[1] + start.error);
    for (block, (level, error)) in all {
        if block.limits {
            joints.push(joint(block, before, level, error));
        }
        before = (level.low() + error.low(), level.high() + error.high());
    }
    let at_input = start.range[1].max(-start.range[0]) + start.error;
    let largest = levels.last().zip(errors.last());
    let largest = largest.map_or(at_input, |(level, error)| level.largest() + error.largest());
    let error = match errors.last() {
        Some(error) => ErrorBound { low: error.low(), high: error.high() },
        None => ErrorBound { low: -start.error, high: start.error },
    };
    let power = own_powers.last().copied().unwrap_or(start.power);
    powers.extend(own_powers);
    Ok(End { largest, power, error, noise })
}

/// Blocks with the words of a frame before the first and behind each.
struct Reading<'a> {
    blocks: &'a [Block],
    frame: Vec<usize>,
    /// What of the sizes of all that is added up may be lost by f64.
    share: f64,
}

impl Reading<'_> {
    fn nothing(&self) -> Vec<Level> {
        self.frame[1..].iter().map(|words| Level::new(*words)).collect()
    }

    /// Behind each block what the input can bring about, and the power of that on white noise of half scale.
    fn levels(&self, start: &Start) -> (Vec<Level>, Vec<f64>) {
        let mut levels = self.nothing();
        let mut powers = vec![0.0; self.blocks.len()];
        for time in 0..self.frame[0] {
            let mut way = (time, vec![[1.0, 1.0]]);
            for ((block, level), power) in self.blocks.iter().zip(&mut levels).zip(&mut powers) {
                way = block.through(way.0, &way.1);
                level.add(way.0, &way.1, start.range, self.share);
                let energy: f64 = way.1.iter().map(|[h, _]| h * h).sum();
                *power += energy * start.power / level.times.len() as f64;
            }
        }
        (levels, powers)
    }

    /// Behind each block what all errors before it can bring about, and the noise behind the last.
    fn errors(&self, start: &Start, levels: &[Level]) -> (Vec<Level>, NoisePrediction) {
        let mut errors = self.nothing();
        let last = self.frame[self.blocks.len()];
        let (mut variance, mut means) = (0.0, vec![0.0; last]);
        if start.error > 0.0 {
            let range = [-start.error, start.error];
            for time in 0..self.frame[0] {
                let mut way = (time, vec![[1.0, 1.0]]);
                for (block, level) in self.blocks.iter().zip(&mut errors) {
                    way = block.through(way.0, &way.1);
                    level.add(way.0, &way.1, range, self.share);
                }
                let energy: f64 = way.1.iter().map(|[h, _]| h * h).sum();
                variance += start.error_power * energy / last as f64;
            }
        }
        for (index, block) in self.blocks.iter().enumerate() {
            let before = match index.checked_sub(1) {
                None => start.range.map(f64::abs).into_iter().fold(0.0, f64::max) + start.error,
                Some(one) => levels[one].largest() + errors[one].largest(),
            };
            // What was cut from the responses is an error like others.
            let cut = block.slack * before;
            let phases = (0..block.gives).map(Source::at_output).collect();
            let slack = Source { phases, low: -cut, high: cut, mean: 0.0, variance: 0.0 };
            let firings = self.frame[index] / block.takes;
            for source in block.sources.iter().chain((cut > 0.0).then_some(&slack)) {
                let places = (0..firings).flat_map(|firing| {
                    source.phases.iter().map(move |words| (firing * block.gives, words))
                });
                for (begin, words) in places {
                    let way = self.follow(index, begin, words, source, &mut errors);
                    for (place, [h, _]) in way.1.iter().enumerate() {
                        variance += source.variance * h * h / last as f64;
                        means[(way.0 + place) % last] += source.mean * h;
                    }
                }
            }
        }
        let mean = means.iter().sum::<f64>() / last as f64;
        let spread = means.iter().map(|own| (own - mean) * (own - mean)).sum::<f64>();
        (errors, NoisePrediction { mean, variance: variance + spread / last as f64 })
    }

    /// Follows an error from behind a block to the end: what it is there.
    fn follow(
        &self,
        index: usize,
        begin: usize,
        words: &[f64],
        source: &Source,
        errors: &mut [Level],
    ) -> (usize, Vec<Sized>) {
        let range = [source.low, source.high];
        let mut way: (usize, Vec<Sized>) =
            (begin, words.iter().map(|word| [*word, word.abs()]).collect());
        errors[index].add(way.0, &way.1, range, self.share);
        for (block, level) in self.blocks.iter().zip(errors).skip(index + 1) {
            way = block.through(way.0, &way.1);
            level.add(way.0, &way.1, range, self.share);
        }
        way
    }
}

/// The values at the ends of a format.
fn ends(format: WordFormat) -> [f64; 2] {
    [format.minimum() as f64 * format.step(), format.maximum() as f64 * format.step()]
}

/// The level behind a block that rounds and limits what comes from a range.
fn joint(block: &Block, before: (f64, f64), level: &Level, error: &Level) -> JointFact {
    let format = block.output;
    // Each time by itself: what is highest need not meet the largest error.
    let times = level.times.iter().zip(&error.times);
    let (mut low, mut high) = (0.0f64, 0.0f64);
    for (level, error) in times {
        low = low.min(level[0] + error[0]);
        high = high.max(level[1] + error[1]);
    }
    let (low, high) = (low * (1.0 + f64::EPSILON), high * (1.0 + f64::EPSILON));
    let step = format.step();
    // The word is a whole number of steps, and so not beyond the last one below the level.
    let fits = block.inner.as_ref().is_none_or(|program| program.no_limit_acts_within(before))
        && libm::ceil(low / step) >= format.minimum() as f64
        && libm::floor(high / step) <= format.maximum() as f64;
    JointFact { step: block.step, format, low, high, error: error.largest(), fits }
}

/// The rms value in steps from which on errors are spread evenly and from time to time anew.
const FEWEST_STEPS: f64 = 4.0;

/// Why the noise is not predicted: of a program by itself, or because words behind it are too small or err
/// with their signs.
fn not_predicted(blocks: &[Block], powers: &[f64]) -> Option<NotPredicted> {
    let is_small = |(block, power): (&Block, &f64)| {
        block.limits && libm::sqrt(*power) < FEWEST_STEPS * block.output.step()
    };
    let of_one = blocks.iter().find_map(|block| block.not_predicted);
    let small = || blocks.iter().zip(powers).any(is_small).then_some(NotPredicted::Uneven);
    let last = blocks.iter().rposition(|block| block.limits).unwrap_or(0);
    let signs =
        || blocks[..last].iter().any(|block| block.follows_signs).then_some(NotPredicted::Signs);
    of_one.or_else(small).or_else(signs)
}
