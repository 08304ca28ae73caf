//! Rounding noise, predicted: every rounding as a source of error through its path to the output, on white
//! noise of half scale.
//!
//! The model is Jackson's (1970): the errors of one rounding are uncorrelated with each other, with those of
//! the other roundings, and with the signal. It holds well for busy signals and fails for silence and for
//! slow constants; a measured figure far from it is worth a look.
//!
//! It is mended in two places.
//!
//! - Roundings that look at the sign of the word (`toward-zero`, and `half-away` where ties are frequent) err
//!   with that sign: e = u + m·sgn(v), with u white and m the mean over words above zero. So the signs are
//!   followed through the filter, too. A word that is a sum of many samples of white noise is nearly
//!   Gaussian, and the signs of two such words correlate by (2/π)·asin ρ where the words correlate by ρ (J.
//!   H. Van Vleck & D. Middleton, "The spectrum of clipped noise", 1966, eq. 17). In a feedback such an error
//!   is a change of the coefficient as well; where that is no longer small beside the signal nothing is
//!   predicted.
//! - Roundings that drop the same bits ([`twins`]) err alike. Of those that drop parts of the same bits it is
//!   known how much they can have in common at most ([`super::entangled`]); where that is seen nothing is
//!   predicted.
//!
//! Of programs that no builder makes a few in a hundred get a prediction that is more than 1 dB off: words
//! that hold the same in two fractions are taken for two.

use super::linear::{Drive, LinearDatapath};
use super::ports::words as words_of;
use super::shared::{Twins, twins, uneven_share};
use super::walk::Place;
use super::{Datapath, Operation, RoundingSource, Sign};
use crate::effort::Effort;
use crate::filter::{Decay, LinearSystem, NotProved, PeakGain};
use crate::fixed::{Rounding, WordFormat};
use num_complex::Complex64;
use rustfft::{Fft, FftPlanner};
use std::sync::Arc;

/// The predicted rounding noise at the output, over all words that a firing gives.
#[derive(Debug, Clone, Copy, PartialEq)]
#[non_exhaustive]
pub struct NoisePrediction {
    /// The mean of the error, as a value.
    pub mean: f64,
    /// The variance around it, as a value squared. Where the mean differs from word to word of a firing, that
    /// counts as variance, too.
    pub variance: f64,
}

impl NoisePrediction {
    /// Root mean square of the error, as a value.
    pub fn rms(self) -> f64 {
        libm::sqrt(self.variance + self.mean * self.mean)
    }
}

/// Why no rounding noise is predicted, although there may be a bound on it.
#[derive(Debug, Clone, Copy, PartialEq, thiserror::Error)]
#[non_exhaustive]
pub enum NotPredicted {
    /// Products that are cut off toward zero before they are added.
    #[error(
        "products cut off toward zero err with the sign of their words, each in its own way: another \
            rounding would have a prediction"
    )]
    SignedProducts,
    /// A spectrum of errors that follow signs.
    #[error("what is cut off toward zero has the spectrum of the signal, which is not predicted")]
    SignedSpectrum,
    /// Words too long in dying away for the signs to be followed.
    #[error(
        "what is cut off toward zero has the sign of the word, which would have to be followed through \
         {samples} samples and {places} roundings: another rounding would have a prediction"
    )]
    LongSigns {
        /// Samples until the responses are over.
        samples: usize,
        /// Roundings toward zero.
        places: usize,
    },
    /// The responses were not followed to their end.
    #[error(
        "the filter rings so long that its noise was not followed to the end: a larger `effort` would"
    )]
    Effort,
    /// Nothing is proved about the linear model.
    #[error(transparent)]
    Unproved(#[from] NotProved),
    /// Errors with the sign of the word that are no longer small beside it.
    #[error(
        "what is cut off toward zero damps the signal itself: by {share:.0} % of noise of half scale; more \
         fraction bits in the output, or another rounding, would have a prediction"
    )]
    Damping {
        /// The error in percent of the output.
        share: f64,
    },
    /// Noise that is no longer small beside the signal in a feedback.
    #[error(
        "rounding leaves {share:.0} % of noise of half scale at the output, and in a feedback errors of that \
         size are no longer independent of the signal: more fraction bits would have a prediction"
    )]
    Loud {
        /// The error in percent of the output.
        share: f64,
    },
    /// Errors that follow the signs of their words, with programs behind that pass them on.
    #[error(
        "errors of a word cut off toward zero follow its sign, so they are no noise for the programs behind \
         it: another rounding would have a prediction"
    )]
    Signs,
    /// What is dropped is not spread over all that it can be.
    #[error(
        "on noise of half scale what is dropped is not spread evenly, as the model of the errors needs: \
         words move by too few steps, products drop too few bits, coefficients lie near simple fractions as \
         1/3 or 1/5, or two roundings drop much the same"
    )]
    Uneven,
}

/// A rounding and what its paths to the words that go out make of its errors.
#[derive(Debug, Clone)]
pub(super) struct NoisePath {
    source: RoundingSource,
    /// Σh to each of the words.
    sums: Vec<f64>,
    /// Σh², the mean over the words.
    energy: f64,
}

impl NoisePath {
    pub(super) fn new(source: RoundingSource, outputs: &[PeakGain]) -> Self {
        let sums = outputs.iter().map(PeakGain::sum).collect();
        NoisePath { source, sums, energy: mean(outputs.iter().map(PeakGain::energy)) }
    }
}

/// The mean of some numbers; 0 of none.
fn mean(numbers: impl ExactSizeIterator<Item = f64>) -> f64 {
    let count = numbers.len().max(1);
    numbers.sum::<f64>() / count as f64
}

impl RoundingSource {
    /// Where it disturbs the linear model.
    pub fn drive(&self) -> Drive {
        Drive::After { node: self.node, pass: self.pass }
    }

    /// Mean and variance of what is added to the word, as a value and as one squared, for words of either
    /// sign equally often.
    pub fn error_moments(&self) -> (f64, f64) {
        let (mean, variance) = self.rounding.error_moments(self.dropped);
        let alike = self.alike as f64;
        let mean = if self.sign == Sign::Minus { -mean } else { mean };
        (alike * mean * self.step, alike * variance * self.step * self.step)
    }

    /// The lowest and the highest value that can be added to the word.
    pub fn error_range(&self) -> (f64, f64) {
        let (low, high) = self.rounding.error_range(self.dropped);
        let size = self.alike as f64 * self.step;
        match self.sign {
            Sign::Plus => (low * size, high * size),
            Sign::Minus => (-high * size, -low * size),
        }
    }

    /// The mean error of words above zero where that of words below is the opposite, as a value; 0 where it
    /// is too small to be seen.
    fn signed_mean(&self) -> f64 {
        match self.rounding {
            Rounding::TowardZero => Rounding::Floor.error_moments(self.dropped).0 * self.step,
            Rounding::HalfAway if self.dropped <= 16 => {
                Rounding::HalfUp.error_moments(self.dropped).0 * self.step
            }
            _ => 0.0,
        }
    }

    /// Whether its errors follow the sign of the word so far that it is seen.
    pub fn follows_signs(&self) -> bool {
        self.signed_mean() != 0.0
    }

    /// The covariance of its error with that of a rounding that drops the same bits, of the same word or of
    /// its negative; `factor` is what its variance is multiplied by. The part that follows signs is left out.
    fn covariance(&self, is_negated: bool, factor: f64) -> f64 {
        let (_, variance) = self.rounding.error_moments(self.dropped);
        let own = self.signed_mean() / self.step;
        let white = factor * variance - own * own;
        let grain = libm::scalbn(1.0, -(self.dropped.min(1000) as i32));
        let covariance = match (is_negated, self.rounding) {
            (false, _) => white,
            // From e(−v) = −1 − e(v), and 0 where nothing is dropped: Σ over all 2^d remainders. Of half-up
            // the same, by ties.
            (true, Rounding::Floor | Rounding::HalfUp) => grain * (1.0 - grain) / 2.0 - white,
            (true, _) => -white,
        };
        covariance * self.step * self.step
    }
}

/// What is expected of all roundings together.
pub(super) fn predict(
    datapath: &Datapath,
    fractions: &[i32],
    paths: &[NoisePath],
    gains: &[Vec<PeakGain>],
    effort: Effort,
) -> Result<NoisePrediction, NotPredicted> {
    let is_recursive =
        LinearDatapath::watching(datapath, fractions, &[], Drive::INPUT).finite().is_none();
    let mut means = vec![0.0; gains.len()];
    let mut noise = NoisePrediction { mean: 0.0, variance: 0.0 };
    let mut signed = Vec::new();
    let powers: Vec<f64> = paths
        .iter()
        .map(|NoisePath { source, energy, .. }| {
            let (mean, variance) = source.error_moments();
            (variance + mean * mean / source.alike as f64) * energy
        })
        .collect();
    let sources: Vec<RoundingSource> = paths.iter().map(|path| path.source).collect();
    let twins = twins(datapath, fractions, &sources);
    let (share, factors) = uneven_share(datapath, fractions, &sources, &powers, &twins);
    if share > MOST_UNEVEN_SHARE {
        return Err(NotPredicted::Uneven);
    }
    for (NoisePath { source, sums, energy }, factor) in paths.iter().zip(&factors) {
        let (mean, variance) = source.error_moments();
        for (own, sum) in means.iter_mut().zip(sums) {
            *own += mean * sum;
        }
        let own = source.signed_mean();
        noise.variance += (factor * variance - own * own * source.alike as f64) * energy;
        if own != 0.0 {
            signed.push(*source);
        }
    }
    noise.variance += shared(datapath, fractions, &sources, &twins, &factors, effort)?;
    if !signed.is_empty() {
        noise.variance += signs(datapath, fractions, &signed, effort)?;
    }
    // Errors that cancel leave nothing, or less than that by the last bits of f64.
    noise.variance = noise.variance.max(0.0);
    noise.mean = mean(means.iter().copied());
    noise.variance += mean(means.iter().map(|own| (own - noise.mean) * (own - noise.mean)));
    let share = noise.rms() / libm::sqrt(signal(datapath, gains));
    if share > LOUDEST && is_recursive {
        return Err(NotPredicted::Loud { share: 100.0 * share });
    }
    Ok(noise)
}

/// The power of the output on white noise of half scale, the mean over all words that go out.
fn signal(datapath: &Datapath, gains: &[Vec<PeakGain>]) -> f64 {
    let power = |gains: &Vec<PeakGain>| -> f64 {
        let inputs = words_of(&datapath.inputs).map(half_scale);
        gains.iter().zip(inputs).map(|(gain, power)| gain.energy() * power).sum()
    };
    mean(gains.iter().map(power))
}

/// What roundings that drop the same bits add to the noise, or take from it, by that.
fn shared(
    datapath: &Datapath,
    fractions: &[i32],
    sources: &[RoundingSource],
    twins: &[Twins],
    factors: &[f64],
    effort: Effort,
) -> Result<f64, NotPredicted> {
    if twins.is_empty() {
        return Ok(0.0);
    }
    let mut model = LinearDatapath::watching(datapath, fractions, &[], Drive::INPUT);
    let decay = Decay::prove_within(&mut model, effort)?;
    let mut sum = 0.0;
    for Twins { first, second, lag, is_negated, is_opposed } in twins.iter().copied() {
        let paths = [first, second].map(|index| {
            let mut model =
                LinearDatapath::watching(datapath, fractions, &[], sources[index].drive());
            decay.impulse(&mut model)
        });
        let overlap = mean(paths[0].iter().zip(&paths[1]).map(|(one, other)| {
            let later = other.response().iter().skip(lag);
            one.response().iter().zip(later).map(|(a, b)| a * b).sum()
        }));
        let sign = if is_opposed { -1.0 } else { 1.0 };
        sum += 2.0 * sign * sources[first].covariance(is_negated, factors[first]) * overlap;
    }
    if decay.is_cut() { Err(NotPredicted::Effort) } else { Ok(sum) }
}

/// The variance of white noise of half scale, as a value squared.
pub(crate) fn half_scale(input: WordFormat) -> f64 {
    let levels = (input.maximum() / 2 - input.minimum() / 2 + 1) as f64;
    (levels * levels - 1.0) / 12.0 * input.step() * input.step()
}

/// The share of the noise that may come from roundings whose remainders are not spread evenly.
const MOST_UNEVEN_SHARE: f64 = 0.2;

/// The noise of a feedback, relative to the signal at the output, up to which it is taken for independent of
/// that.
const LOUDEST: f64 = 0.12;

/// The error that follows signs, relative to the signal at the output or at the rounding itself, up to which
/// it is added to the noise.
const MOST_DAMPING: f64 = 0.08;

/// Work allowed to follow signs: samples times roundings.
const MOST: usize = 1 << 22;

/// What the signs of words that are cut off toward zero leave at the output, as a value squared.
fn signs(
    datapath: &Datapath,
    fractions: &[i32],
    sources: &[RoundingSource],
    effort: Effort,
) -> Result<f64, NotPredicted> {
    let mut places = Vec::new();
    for source in sources {
        let found = datapath.operations().find(|(node, ..)| *node == source.node);
        let Some((_, Operation::Round { word, .. }, _)) = found else {
            return Err(NotPredicted::SignedProducts);
        };
        places.push(Place { node: *word, pass: source.pass });
    }
    let mut model = LinearDatapath::watching(datapath, fractions, &places, Drive::INPUT);
    let decay = Decay::prove_within(&mut model, effort)?;
    let fits = |gains: &[PeakGain]| {
        let samples = gains.iter().map(PeakGain::samples).max().unwrap_or(0);
        let places = sources.len();
        match samples.saturating_mul(places * places) > MOST {
            true => Err(NotPredicted::LongSigns { samples, places }),
            false => Ok(()),
        }
    };
    // From each word that comes in to the words that are rounded, and its power there.
    let mut signal = 0.0;
    let mut words: Vec<Vec<PeakGain>> = vec![Vec::new(); sources.len()];
    let powers: Vec<f64> = words_of(&datapath.inputs).map(half_scale).collect();
    for (drive, power) in Drive::inputs(datapath).zip(&powers) {
        model = model.driven_by(drive);
        fits(&decay.norms(&mut model))?;
        if decay.is_cut() {
            return Err(NotPredicted::Effort);
        }
        let mut paths = decay.impulse(&mut model);
        let outputs = paths.split_off(sources.len());
        signal += mean(outputs.iter().map(PeakGain::energy)) * power;
        words.iter_mut().zip(paths).for_each(|(all, path)| all.push(path));
    }
    // From each rounding to the words that go out.
    let mut errors: Vec<Vec<PeakGain>> = Vec::new();
    let mut damping = 0.0f64;
    for (index, source) in sources.iter().enumerate() {
        model = model.driven_by(source.drive());
        let gains = decay.norms(&mut model);
        fits(&gains)?;
        // m·sgn(v) is √(2/π)·m/σ of v, and what is unlike it (J. J. Bussgang, 1952); in a feedback that is a
        // change of the coefficient.
        let energies = words[index].iter().zip(&powers).map(|(word, power)| word.energy() * power);
        let word = libm::sqrt(energies.sum());
        let share = libm::sqrt(std::f64::consts::FRAC_2_PI) * source.signed_mean().abs() / word;
        damping = damping.max(share * gains[index].l1());
        errors.push(decay.impulse(&mut model).split_off(sources.len()));
    }
    let spectra = Spectra::new(words.iter().chain(&errors).flatten());
    // Inputs of other levels count more or less, outputs are averaged over.
    let scales: Vec<f64> = powers.iter().map(|power| power / powers[0]).collect();
    let count = datapath.words_out() as f64;
    let words: Vec<Correlated> = words.iter().map(|paths| spectra.of(paths)).collect();
    let errors: Vec<Correlated> = errors.iter().map(|paths| spectra.of(paths)).collect();
    let powers: Vec<f64> =
        words.iter().map(|word| spectra.correlation(word, word, &scales)[0]).collect();
    let alike = vec![1.0 / count; datapath.words_out()];
    let mut sum = 0.0;
    for (i, one) in sources.iter().enumerate() {
        for (j, other) in sources.iter().enumerate().skip(i) {
            let scale = libm::sqrt(powers[i] * powers[j]);
            if scale == 0.0 {
                continue;
            }
            let of_words = spectra.correlation(&words[i], &words[j], &scales);
            // The later of two errors is the one that has less way behind it.
            let of_errors = spectra.correlation(&errors[j], &errors[i], &alike);
            let pairs = of_words.iter().zip(&of_errors);
            let both: f64 = pairs.map(|(w, e)| libm::asin((w / scale).clamp(-1.0, 1.0)) * e).sum();
            let twice = if i == j { 1.0 } else { 2.0 };
            sum += twice * one.signed_mean() * other.signed_mean() * both;
        }
    }
    let error = sum * std::f64::consts::FRAC_2_PI;
    let share = libm::sqrt(error.max(0.0) / signal).max(damping);
    if share > MOST_DAMPING {
        return Err(NotPredicted::Damping { share: 100.0 * share });
    }
    // A transform's last bits are the machine's: what is given has as many as all machines agree on.
    Ok(f64::from(error as f32))
}

/// The spectra of several responses.
type Correlated = Vec<Vec<Complex64>>;

/// Transforms of responses, long enough for their correlations not to overlap.
struct Spectra {
    size: usize,
    forward: Arc<dyn Fft<f64>>,
    back: Arc<dyn Fft<f64>>,
}

impl Spectra {
    fn new<'a>(all: impl Iterator<Item = &'a PeakGain>) -> Self {
        let longest = all.map(|path| path.response().len()).max().unwrap_or(0);
        let size = (2 * longest).next_power_of_two();
        let mut planner = FftPlanner::<f64>::new();
        let (forward, back) = (planner.plan_fft_forward(size), planner.plan_fft_inverse(size));
        Spectra { size, forward, back }
    }

    fn of(&self, paths: &[PeakGain]) -> Correlated {
        let spectrum = |path: &PeakGain| {
            let mut values: Vec<Complex64> = path.response().iter().map(|h| (*h).into()).collect();
            values.resize(self.size, Complex64::default());
            self.forward.process(&mut values);
            values
        };
        paths.iter().map(spectrum).collect()
    }

    /// The sum of the correlations of each pair, times its scale.
    fn correlation(&self, one: &Correlated, other: &Correlated, scales: &[f64]) -> Vec<f64> {
        let mut product = vec![Complex64::default(); self.size];
        for ((one, other), scale) in one.iter().zip(other).zip(scales) {
            for (sum, (a, b)) in product.iter_mut().zip(one.iter().zip(other)) {
                *sum += a.conj() * b * *scale;
            }
        }
        self.back.process(&mut product);
        product.into_iter().map(|value| value.re / self.size as f64).collect()
    }
}
