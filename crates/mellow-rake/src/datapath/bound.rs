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
    /// The error at the output while no limit acts.
    pub error: ErrorBound,
    /// What the roundings are expected to add at the output on white noise of half scale, an estimate and no
    /// bound; or why nothing is.
    pub noise: Result<NoisePrediction, NotPredicted>,
    /// From the input to the output.
    pub gain: PeakGain,
    /// Whether the effort ended before every response was followed until it no longer counts: the bounds
    /// hold, and are larger than they need be.
    pub is_cut: bool,
    /// Multiplications that this took, about: what another filter of this kind will take.
    pub work: u64,
}

impl Bounds {
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
    /// The same at the output.
    pub(super) output: (f64, f64),
    /// What the roundings alone do to the output.
    error: ErrorBound,
    /// From the input to the watched places and, last, to the output.
    gains: Vec<PeakGain>,
    /// Each rounding with what its path to the output makes of it.
    paths: Vec<NoisePath>,
    decay: Decay,
    model: LinearDatapath<'a>,
}

/// The levels of words that operations give. Every word of the program is the sum of what the inputs and the
/// roundings of all samples before do through their paths, so none is beyond what the l1 norms of these
/// allow: for an input that begins at some time as for an oscillation without one that has always been there
/// (J. L. Long & T. N. Trick, "An absolute bound on limit cycles due to roundoff errors in digital filters",
/// 1973).
pub(super) fn levels<'a>(
    datapath: &'a Datapath,
    fractions: &'a [i32],
    places: &[Place],
    (low, high): (f64, f64),
    start: Start,
    effort: Effort,
) -> Result<Levels<'a>, NotProved> {
    let mut model = LinearDatapath::watching(datapath, fractions, places, Drive::Input);
    let decay = Decay::prove_within(&mut model, effort)?;
    let gains = decay.impulse(&mut model);
    let mut levels: Vec<(f64, f64)> = gains.iter().map(|gain| gain.reach(low, high)).collect();
    let mut error = ErrorBound { low: 0.0, high: 0.0 };
    let mut paths = Vec::new();
    for source in rounding_sources(datapath, fractions, start) {
        model = model.driven_by(source.drive());
        let gains = decay.norms(&mut model);
        let (low, high) = source.error_range();
        for (level, gain) in levels.iter_mut().zip(&gains) {
            let (down, up) = gain.reach(low, high);
            *level = (level.0 + down, level.1 + up);
        }
        let output = &gains[gains.len() - 1];
        let (down, up) = output.reach(low, high);
        error = ErrorBound { low: error.low + down, high: error.high + up };
        paths.push(NoisePath { source, sum: output.sum(), energy: output.energy() });
    }
    let output = levels.pop().unwrap_or((0.0, 0.0));
    Ok(Levels { places: levels, output, error, gains, paths, decay, model })
}

/// Bounds for the words that `watched` operations give, on their way into the given formats.
pub(super) fn bounds(
    datapath: &Datapath,
    fractions: &[i32],
    watched: &[(Place, WordFormat)],
    effort: Effort,
) -> Result<Bounds, NotProved> {
    let places: Vec<Place> = watched.iter().map(|(place, _)| *place).collect();
    let input = range(datapath.input);
    let Levels { places: levels, error, gains, paths, decay, mut model, .. } =
        levels(datapath, fractions, &places, input, Start::Zero, effort)?;
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
    let gain = gains.into_iter().next_back().unwrap_or_default();
    let is_cut = decay.is_cut();
    // Energies of responses that were left before their end are too small.
    let noise = match is_cut {
        true => Err(NotPredicted::Effort),
        false => predict(datapath, fractions, &paths, &gain, effort),
    };
    let work = decay.work();
    Ok(Bounds { reaches, error, noise, gain, is_cut, work })
}

/// Both ends of a format as values.
pub(super) fn range(format: WordFormat) -> (f64, f64) {
    (end(format, false), end(format, true))
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
    /// The input, in integers of the input format.
    pub input: Vec<i64>,
    /// The level that it reaches in the linear model at the last sample, as a value.
    pub level: f64,
}

impl Checked {
    /// The input that drives the output of the linear model as high as any input of `length` samples
    /// can: at the last sample, every earlier one has worked in the same direction.
    pub fn worst_case_input(&self, gain: &PeakGain, length: usize) -> WorstCase {
        let format = self.datapath().input;
        let (low, high) = (format.minimum() as i64, format.maximum() as i64);
        let response = &gain.response()[..gain.response().len().min(length)];
        let input: Vec<i64> =
            response.iter().rev().map(|h| if *h >= 0.0 { high } else { low }).collect();
        let level = response.iter().rev().zip(&input).map(|(h, x)| h * format.value(*x)).sum();
        WorstCase { input, level }
    }

    /// The input that drives the word of an operation in one pass of its loop as high as any input of
    /// `length` samples can.
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
    /// let limit = filter.datapath().body.result;
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
        let mut model = LinearDatapath::watching(datapath, fractions, &places, Drive::Input);
        let decay = Decay::prove_within(&mut model, self.facts().effort())?;
        let gain = decay.impulse(&mut model).swap_remove(0);
        Ok(self.worst_case_input(&gain, length))
    }

    /// Every rounding as a source of error.
    pub fn rounding_sources(&self) -> Vec<RoundingSource> {
        rounding_sources(self.datapath(), self.fractions(), Start::Zero)
    }

    /// Every rounding that drops bits with its path to the output: the impulse response of the linear model
    /// from there.
    ///
    /// # Errors
    /// [`NotProved`] where the model does not decay.
    pub fn rounding_paths(&self) -> Result<Vec<(RoundingSource, PeakGain)>, NotProved> {
        let (datapath, fractions) = (self.datapath(), self.fractions());
        let mut model = LinearDatapath::new(self, Drive::Input);
        let decay = Decay::prove_within(&mut model, self.facts().effort())?;
        let mut paths = Vec::new();
        for source in rounding_sources(datapath, fractions, Start::Zero) {
            model = model.driven_by(source.drive());
            paths.push((source, decay.impulse(&mut model).pop().unwrap_or_default()));
        }
        Ok(paths)
    }

    /// The predicted power spectral density of the rounding noise at the output, one-sided, as a value
    /// squared per hertz: each rounding as a white source through its path (L. B. Jackson, "On the
    /// interaction of roundoff noise and dynamic range in digital filters", 1970).
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
        for (source, path) in self.rounding_paths()? {
            let (_, variance) = source.error_moments();
            let power = variance / rate.nyquist();
            for (sum, hz) in density.iter_mut().zip(hertz) {
                let omega = rate.radians(*hz);
                let w = Complex64::new(libm::cos(omega), -libm::sin(omega));
                let zero = Complex64::new(0.0, 0.0);
                let h = path.response().iter().rev().fold(zero, |sum, h| sum * w + h);
                *sum += power * h.norm_sqr();
            }
        }
        Ok(density)
    }
}
