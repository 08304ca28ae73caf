//! Proved bounds: the level that each node can reach, and the largest error at the output.
//!
//! The worst-case peak gain of a path is the l1 norm of its impulse response (Jackson, *On the
//! interaction of roundoff noise and dynamic range in digital filters*, 1970, eq. 8 with p = ∞;
//! Volkova, Hilaire & Lauter, *Reliable evaluation of the worst-case peak gain matrix in multiple
//! precision*, 2015). With the two ends of a range taken apart, −1 and 1 − 2^(−15) are not alike and the
//! bound is the tighter for it.
//!
//! The linear model describes the program only while no limit acts. That is shown by induction over
//! operations and samples: if every limit is out of reach of the linear model, none acts first.

use super::linear::{Drive, LinearDatapath, rounding_sources};
use super::noise::{NoisePath, predict};
use super::ports::words;
use super::range::Start;
use super::walk::Place;
use super::{Checked, Datapath, Node, NoisePrediction, NotPredicted, RoundingSource};
use crate::effort::Effort;
use crate::filter::{Decay, NotProved, PeakGain};
use crate::fixed::WordFormat;
use crate::units::SampleRate;
use num_complex::Complex64;

/// The levels that a word can reach, for any input in range and any rounding errors.
#[derive(Debug, Clone, Copy, PartialEq)]
#[non_exhaustive]
pub struct Reach {
    /// The limit or sum whose incoming word is meant.
    pub node: Node,
    /// The pass of the loop around it (0 outside).
    pub pass: usize,
    /// The lowest value, rounded outward.
    pub low: f64,
    /// The highest value, rounded outward.
    pub high: f64,
    /// The format that the word goes to.
    pub format: WordFormat,
    /// Whether all values from `low` to `high` fit the format, and no limit that can act has an
    /// influence on the word: then nothing ever happens here.
    pub safe: bool,
}

/// The range of the output error caused by all roundings together.
#[derive(Debug, Clone, Copy, PartialEq)]
#[non_exhaustive]
pub struct ErrorBound {
    /// The lowest error as a value (fixed point minus the same filter without roundings).
    pub low: f64,
    /// The highest.
    pub high: f64,
}

impl ErrorBound {
    /// The largest size of the error, as a value.
    pub fn largest(self) -> f64 {
        self.low.abs().max(self.high.abs())
    }
}

/// What is proved about levels and errors.
#[derive(Debug, Clone, PartialEq)]
#[non_exhaustive]
pub struct Bounds {
    /// Every place where a word could be changed by an overflow.
    pub reaches: Vec<Reach>,
    /// The error of any word that goes out while no limit acts.
    pub error: ErrorBound,
    /// What the roundings are expected to add at the output on white noise of half scale, an estimate and no
    /// bound; or why nothing is.
    pub noise: Result<NoisePrediction, NotPredicted>,
    /// For each word that goes out, port by port, the path from each word that comes in.
    pub gains: Vec<Vec<PeakGain>>,
    /// Whether the effort ended before every response was followed until it no longer counts: the bounds
    /// hold, and are larger than they need be.
    pub is_cut: bool,
    /// Multiplications that this took, about: what another filter of this kind will take.
    pub work: u64,
}

impl Bounds {
    /// From the first word that comes in to the first that goes out: of a filter, from its input to its
    /// output.
    pub fn gain(&self) -> &PeakGain {
        &self.gains[0][0]
    }

    /// Whether no limit can ever act.
    pub fn no_limit_acts(&self) -> bool {
        self.reaches.iter().all(|reach| reach.safe)
    }

    /// Whether nothing happens at any pass of this node.
    pub fn is_safe(&self, node: Node) -> bool {
        self.reaches.iter().filter(|reach| reach.node == node).all(|reach| reach.safe)
    }
}

/// What an input range and all roundings together can bring about while no limit acts, and from where.
pub(super) struct Levels<'a> {
    /// The lowest and the highest value at each watched place, rounded outward.
    pub(super) places: Vec<(f64, f64)>,
    /// The same of each word that goes out.
    pub(super) outputs: Vec<(f64, f64)>,
    /// What the roundings alone do to those.
    error: ErrorBound,
    /// From each word that comes in to each that goes out.
    gains: Vec<Vec<PeakGain>>,
    /// Each rounding with what its paths to the words that go out make of it.
    paths: Vec<NoisePath>,
    decay: Decay,
    model: LinearDatapath<'a>,
}

/// The levels of words that operations give. Every word of the program is the sum of what the inputs and the
/// roundings of all samples before do through their paths, so none is beyond what the l1 norms of these
/// allow: for an input that begins at some time as for an oscillation without one that has always been there
/// (J. L. Long & T. N. Trick, "An absolute bound on limit cycles due to roundoff errors in digital filters",
/// 1973). `inputs` are the ranges of the words that come in.
pub(super) fn levels<'a>(
    datapath: &'a Datapath,
    fractions: &'a [i32],
    places: &[Place],
    inputs: &[(f64, f64)],
    start: Start,
    effort: Effort,
) -> Result<Levels<'a>, NotProved> {
    let mut model = LinearDatapath::watching(datapath, fractions, places, Drive::INPUT);
    let decay = Decay::prove_within(&mut model, effort)?;
    let count = datapath.words_out();
    let mut levels = vec![(0.0, 0.0); places.len() + count];
    let add = |levels: &mut [(f64, f64)], gains: &[PeakGain], (low, high): (f64, f64)| {
        for (level, gain) in levels.iter_mut().zip(gains) {
            let (down, up) = gain.reach(low, high);
            *level = (level.0 + down, level.1 + up);
        }
    };
    let mut gains: Vec<Vec<PeakGain>> = vec![Vec::new(); count];
    for (drive, range) in Drive::inputs(datapath).zip(inputs) {
        model = model.driven_by(drive);
        let mut found = decay.impulse(&mut model);
        add(&mut levels, &found, *range);
        for (all, gain) in gains.iter_mut().zip(found.split_off(places.len())) {
            all.push(gain);
        }
    }
    let mut errors = vec![(0.0, 0.0); count];
    let mut paths = Vec::new();
    for source in rounding_sources(datapath, fractions, start) {
        model = model.driven_by(source.drive());
        let gains = decay.norms(&mut model);
        add(&mut levels, &gains, source.error_range());
        let outputs = &gains[places.len()..];
        add(&mut errors, outputs, source.error_range());
        paths.push(NoisePath::new(source, outputs));
    }
    let low = errors.iter().fold(0.0, |low: f64, error| low.min(error.0));
    let high = errors.iter().fold(0.0, |high: f64, error| high.max(error.1));
    let error = ErrorBound { low, high };
    let outputs = levels.split_off(places.len());
    Ok(Levels { places: levels, outputs, error, gains, paths, decay, model })
}

/// The ranges of the formats of all words that come in, as values.
pub(super) fn input_ranges(datapath: &Datapath) -> Vec<(f64, f64)> {
    words(&datapath.inputs).map(|format| (end(format, false), end(format, true))).collect()
}

/// Bounds for the words that `watched` operations give, on their way into the given formats. `inputs` are the
/// ranges of the words that come in.
pub(super) fn bounds(
    datapath: &Datapath,
    fractions: &[i32],
    watched: &[(Place, WordFormat)],
    inputs: &[(f64, f64)],
    effort: Effort,
) -> Result<Bounds, NotProved> {
    let places: Vec<Place> = watched.iter().map(|(place, _)| *place).collect();
    let Levels { places: levels, error, gains, paths, decay, mut model, .. } =
        levels(datapath, fractions, &places, inputs, Start::Zero, effort)?;
    let mut reaches: Vec<Reach> = watched
        .iter()
        .zip(&levels)
        .map(|((place, format), (low, high))| Reach {
            node: place.node,
            pass: place.pass,
            low: *low,
            high: *high,
            format: *format,
            safe: *low >= end(*format, false) && *high <= end(*format, true),
        })
        .collect();
    // A limit that may act disturbs others, which then may act too, and may disturb words that the first does
    // not reach: paths can cancel in the linear model that no longer cancel once a limit between them acts.
    let mut acting: Vec<usize> = (0..reaches.len()).filter(|&i| !reaches[i].safe).collect();
    while let Some(index) = acting.pop() {
        let place = places[index];
        model = model.driven_by(Drive::After { node: place.node, pass: place.pass });
        let gains = decay.norms(&mut model);
        for (other, (reach, gain)) in reaches.iter_mut().zip(&gains).enumerate() {
            if reach.safe && !gain.is_zero() {
                reach.safe = false;
                acting.push(other);
            }
        }
    }
    let is_cut = decay.is_cut();
    // Energies of responses that were left before their end are too small.
    let noise = match is_cut {
        true => Err(NotPredicted::Effort),
        false => predict(datapath, fractions, &paths, &gains, effort),
    };
    let work = decay.work();
    Ok(Bounds { reaches, error, noise, gains, is_cut, work })
}

/// One end of a format as a value, exact to the 53 bits of f64 and never outward.
fn end(format: WordFormat, high: bool) -> f64 {
    let integer = if high { format.maximum() } else { format.minimum() };
    let mut value = integer as f64;
    if high && value as i128 > integer {
        value = value.next_down();
    }
    value * format.step()
}

/// The worst input that there is: the sequence that drives a path to its bound.
#[derive(Debug, Clone, PartialEq)]
#[non_exhaustive]
pub struct WorstCase {
    /// The input, in integers of the input formats: the words of firing after firing, port by port.
    pub input: Vec<i64>,
    /// The level that it reaches in the linear model at the last sample, as a value.
    pub level: f64,
}

impl Checked {
    /// The input that drives a word of the linear model as high as any input of `length` firings can: in the
    /// last firing, every earlier one has worked in the same direction. `gains` holds the path from each word
    /// that comes in, as one of [`Bounds::gains`] does.
    pub fn worst_case_input(&self, gains: &[PeakGain], length: usize) -> WorstCase {
        let longest = gains.iter().map(|gain| gain.response().len()).max().unwrap_or(0);
        let (mut input, mut level) = (Vec::new(), 0.0);
        for age in (0..longest.min(length)).rev() {
            for (gain, format) in gains.iter().zip(words(&self.datapath().inputs)) {
                let h = gain.response().get(age).copied().unwrap_or(0.0);
                let word = if h >= 0.0 { format.maximum() } else { format.minimum() };
                level += h * format.value(word as i64);
                input.push(word as i64);
            }
        }
        WorstCase { input, level }
    }

    /// The input that drives the word of an operation in one pass of its loop as high as any input of
    /// `length` firings can.
    ///
    /// # Errors
    /// [`NotProved`] where the linear model does not decay.
    ///
    /// ```
    /// use mellow_rake::datapath::{SectionWords, direct_form_1};
    /// use mellow_rake::fixed::{Overflow, Rounding, round_coefficients};
    /// let word = "s16f15".parse()?;
    /// let words = SectionWords { input: word, output: word, rounding: Rounding::HalfUp,
    ///     overflow: Overflow::Saturate };
    /// let table = round_coefficients(&[vec![0.5, 0.0, 0.0, 0.5, 0.0]], "s16".parse()?)?;
    /// let filter = direct_form_1(&table, words)?.check()?;
    /// // Alternating signs: the limit is reached by 1/2 + 1/4 + 1/8 + …
    /// let limit = filter.datapath().result().unwrap();
    /// let worst = filter.worst_case_at(limit, 0, 4)?;
    /// assert_eq!(worst.input, [-32768, 32767, -32768, 32767]);
    /// # Ok::<(), Box<dyn std::error::Error>>(())
    /// ```
    pub fn worst_case_at(
        &self,
        node: Node,
        pass: usize,
        length: usize,
    ) -> Result<WorstCase, NotProved> {
        let places = [Place { node, pass }];
        let (datapath, fractions) = (self.datapath(), self.fractions());
        let mut model = LinearDatapath::watching(datapath, fractions, &places, Drive::INPUT);
        let decay = Decay::prove_within(&mut model, self.facts().effort())?;
        let mut gains = Vec::new();
        for drive in Drive::inputs(datapath) {
            model = model.driven_by(drive);
            gains.push(decay.impulse(&mut model).swap_remove(0));
        }
        Ok(self.worst_case_input(&gains, length))
    }

    /// Whether it is proved that no limit acts where every word that comes in is from a range, which has 0 in
    /// it.
    pub(crate) fn no_limit_acts_within(&self, range: (f64, f64)) -> bool {
        let Ok(known) = self.facts().bounds() else { return false };
        if known.no_limit_acts() {
            return true;
        }
        let place = |reach: &Reach| (Place { node: reach.node, pass: reach.pass }, reach.format);
        let watched: Vec<_> = known.reaches.iter().map(place).collect();
        let datapath = self.datapath();
        // No word is beyond its format.
        let within =
            |(low, high): (f64, f64)| (low.max(range.0).min(0.0), high.min(range.1).max(0.0));
        let inputs: Vec<_> = input_ranges(datapath).into_iter().map(within).collect();
        let found = bounds(datapath, self.fractions(), &watched, &inputs, self.facts().effort());
        found.is_ok_and(|found| found.no_limit_acts())
    }

    /// Every rounding as a source of error.
    pub fn rounding_sources(&self) -> Vec<RoundingSource> {
        rounding_sources(self.datapath(), self.fractions(), Start::Zero)
    }

    /// Every rounding that drops bits with its paths to the words that go out: the impulse responses of the
    /// linear model from there.
    ///
    /// # Errors
    /// [`NotProved`] where the model does not decay.
    pub fn rounding_paths(&self) -> Result<Vec<(RoundingSource, Vec<PeakGain>)>, NotProved> {
        let (datapath, fractions) = (self.datapath(), self.fractions());
        let mut model = LinearDatapath::new(self, Drive::INPUT);
        let decay = Decay::prove_within(&mut model, self.facts().effort())?;
        let mut paths = Vec::new();
        for source in rounding_sources(datapath, fractions, Start::Zero) {
            model = model.driven_by(source.drive());
            paths.push((source, decay.impulse(&mut model)));
        }
        Ok(paths)
    }

    /// The predicted power spectral density of the rounding noise at the first output port, one-sided, as a
    /// value squared per hertz of that port's rate; where it has several words, averaged over them. Each
    /// rounding is a white source through its path (L. B. Jackson, "On the interaction of roundoff noise and
    /// dynamic range in digital filters", 1970).
    ///
    /// # Errors
    /// [`NotPredicted`] where no noise is predicted, and where its errors follow the sign of the word and so
    /// have the spectrum of that.
    ///
    /// ```
    /// use mellow_rake::datapath::fir_direct;
    /// use mellow_rake::fixed::{Overflow, Rounding, round_coefficients};
    /// let taps = round_coefficients(&[vec![0.5, 0.5]], "s16f15".parse()?)?;
    /// let word = "s16f15".parse()?;
    /// let mean = fir_direct(&taps, word, word, Rounding::HalfEven, Overflow::Saturate)?.check()?;
    /// // One rounding at the output: flat, a twelfth of a squared step over half the rate (less what one
    /// // dropped bit lacks).
    /// let found = mean.noise_density("1 kHz".parse()?, &[0.0, 250.0, 400.0])?;
    /// assert!(found.iter().all(|density| (density - found[0]).abs() < 1e-20 && *density > 0.0));
    /// # Ok::<(), Box<dyn std::error::Error>>(())
    /// ```
    pub fn noise_density(&self, rate: SampleRate, hertz: &[f64]) -> Result<Vec<f64>, NotPredicted> {
        let bounds = self.facts().bounds().as_ref().map_err(|why| *why)?;
        bounds.noise.as_ref().map_err(|why| *why)?;
        if self.rounding_sources().iter().any(RoundingSource::follows_signs) {
            return Err(NotPredicted::SignedSpectrum);
        }
        let mut density = vec![0.0; hertz.len()];
        let words = self.datapath().outputs[0].count;
        for (source, paths) in self.rounding_paths()? {
            let (_, variance) = source.error_moments();
            // One error per firing: white at the rate of firings, so of the power 1/count at that of words.
            let power = variance / rate.nyquist() / words as f64;
            let response = interleaved(&paths[..words]);
            for (sum, hz) in density.iter_mut().zip(hertz) {
                let omega = rate.radians(*hz);
                let w = Complex64::new(libm::cos(omega), -libm::sin(omega));
                let zero = Complex64::new(0.0, 0.0);
                let h = response.iter().rev().fold(zero, |sum, h| sum * w + h);
                *sum += power * h.norm_sqr();
            }
        }
        Ok(density)
    }
}

/// What an impulse leaves in the words of a port, one after the other: word j of firing k is word k · count +
/// j of the signal.
fn interleaved(paths: &[PeakGain]) -> Vec<f64> {
    let longest = paths.iter().map(|path| path.response().len()).max().unwrap_or(0);
    let word = |k: usize| paths.iter().map(move |path| path.response().get(k).copied());
    (0..longest).flat_map(word).map(Option::unwrap_or_default).collect()
}
