//! The transfer function of whatever lies between two recordings.

use super::spectrum::Pieces;
use super::{SpectrumError, SpectrumWish};
use crate::filter::Transfer;
use crate::filter::complex::modulus;
use crate::units::SampleRate;
use crate::units::level::decibels;
use num_complex::Complex64;
use rustfft::FftPlanner;

/// A measured transfer function.
#[derive(Debug, Clone, PartialEq)]
#[non_exhaustive]
pub struct TransferEstimate {
    /// Frequencies in hertz, from 0 to the Nyquist frequency.
    pub hertz: Vec<f64>,
    /// H at each, the delay that was taken off put back.
    pub response: Vec<Complex64>,
    /// The share of the output's power that the input explains, 0 to 1: below 1 there is noise, leakage, or
    /// something that is not linear.
    pub coherence: Vec<f64>,
    /// Standard deviation of |H| from chance alone, over |H|: √((1 − γ²)/(2·n·γ²)) with n independent pieces
    /// (J. S. Bendat & A. G. Piersol, "Random Data", 4th ed. 2010, eq. 9.90).
    pub relative_error: Vec<f64>,
    /// Pieces averaged over, overlapping.
    pub pieces: usize,
    /// Samples by which the output was moved back before.
    pub delay: usize,
    /// Frequencies are this far apart, in hertz; 0 for single tones.
    pub step_hz: f64,
    /// So many of the first points are spoiled by the mean that was taken off.
    pub spoiled: usize,
}

/// How far a measured transfer function is from a filter, where the measurement knows something.
#[derive(Debug, Clone, PartialEq)]
#[cfg_attr(feature = "serde", derive(serde::Serialize))]
#[non_exhaustive]
pub struct TransferDeviation {
    /// Points with a good coherence, but for the first two, which the mean that was taken off spoils.
    pub good_points: usize,
    /// The measured gain less that of the filter where it is largest in size, in decibels.
    pub largest_db: f64,
    /// Where that is, in hertz.
    pub at_hz: f64,
    /// The standard deviation expected there by chance, in decibels.
    pub expected_error_db: f64,
    /// The root of the mean square over the good points, in decibels.
    pub rms_db: f64,
    /// The share of them within three expected errors, and a thousandth of a decibel for the rounding of the
    /// estimate itself.
    pub within_three_errors: f64,
}

impl TransferEstimate {
    /// Whether a point has at least this coherence, and is none of the spoiled ones.
    pub fn is_good(&self, point: usize, coherence: f64) -> bool {
        point >= self.spoiled && self.coherence[point] >= coherence
    }

    /// The same with negative frequencies, where a real system answers with the conjugate.
    ///
    /// ```
    /// use mellow_rake::random::NoiseSource;
    /// use mellow_rake::signal::{SpectrumWish, measure_transfer};
    /// let mut noise = NoiseSource::new(1);
    /// let input: Vec<f64> = (0..5000).map(|_| noise.normal()).collect();
    /// let one = measure_transfer(&input, &input, "1 kHz".parse()?, SpectrumWish::for_length(5000),
    ///     0).unwrap();
    /// let two = one.two_sided();
    /// assert_eq!((two.hertz.len(), two.hertz[0]), (2 * one.hertz.len() - 1, -500.0));
    /// assert_eq!(two.response[3], two.response[two.hertz.len() - 4].conj());
    /// # Ok::<(), mellow_rake::units::QuantityError>(())
    /// ```
    pub fn two_sided(&self) -> TransferEstimate {
        // 0 Hz is there once.
        let first = usize::from(self.hertz.first() == Some(&0.0));
        fn mirrored<T: Copy>(values: &[T], first: usize, other: impl Fn(T) -> T) -> Vec<T> {
            let below = values[first.min(values.len())..].iter().rev().map(|value| other(*value));
            below.chain(values.iter().copied()).collect()
        }
        TransferEstimate {
            hertz: mirrored(&self.hertz, first, |hertz| -hertz),
            response: mirrored(&self.response, first, |h| h.conj()),
            coherence: mirrored(&self.coherence, first, |share| share),
            relative_error: mirrored(&self.relative_error, first, |error| error),
            ..self.clone()
        }
    }

    /// The standard deviation of the gain at every point by chance, in decibels: 20·log10(1 + ε) to first
    /// order.
    pub fn error_db(&self) -> Vec<f64> {
        let decibels = 20.0 / std::f64::consts::LN_10;
        self.relative_error.iter().map(|error| decibels * error).collect()
    }

    /// Holds the measurement against a filter wherever its coherence is at least `coherence`; `None` where
    /// that is nowhere.
    ///
    /// ```
    /// use mellow_rake::{filter::Taps, random::NoiseSource, signal::{ SpectrumWish, measure_transfer}};
    /// let (mut noise, rate) = (NoiseSource::new(1), "1 kHz".parse()?);
    /// let input: Vec<f64> = (0..20_000).map(|_| noise.normal()).collect();
    /// let half: Vec<f64> = input.iter().map(|x| 0.5 * x).collect();
    /// let found = measure_transfer(&input, &half, rate, SpectrumWish::for_length(20_000), 0).unwrap();
    /// let away = found.deviation(&Taps(vec![1.0]), rate, 0.9).unwrap();
    /// assert!((away.largest_db + 6.0206).abs() < 1e-3 && away.within_three_errors == 0.0);
    /// # Ok::<(), mellow_rake::units::QuantityError>(())
    /// ```
    pub fn deviation(
        &self,
        filter: &dyn Transfer,
        rate: SampleRate,
        coherence: f64,
    ) -> Option<TransferDeviation> {
        let errors = self.error_db();
        let good = (0..self.hertz.len()).filter(|point| self.is_good(*point, coherence));
        let apart = good.map(|point| {
            let gain = filter.gain(rate.radians(self.hertz[point]));
            (point, decibels(modulus(self.response[point])) - decibels(gain))
        });
        // A null of either is no number to compare.
        let apart: Vec<(usize, f64)> = apart.filter(|(_, d)| d.is_finite()).collect();
        let larger = |a: (usize, f64), b: (usize, f64)| if b.1.abs() > a.1.abs() { b } else { a };
        let (point, largest_db) = apart.iter().copied().reduce(larger)?;
        let count = apart.len() as f64;
        let near = apart.iter().filter(|(point, d)| d.abs() <= 3.0 * errors[*point] + 1e-3);
        Some(TransferDeviation {
            good_points: apart.len(),
            largest_db,
            at_hz: self.hertz[point],
            expected_error_db: errors[point],
            rms_db: libm::sqrt(apart.iter().map(|(_, d)| d * d).sum::<f64>() / count),
            within_three_errors: near.count() as f64 / count,
        })
    }
}

/// Cross-spectrum over auto-spectrum of the input, averaged over overlapping, windowed pieces (Bendat &
/// Piersol, 2010, eq. 6.37): noise that is added behind the input does not bias it.
///
/// The output is moved back by `delay` samples first, so that each piece of it belongs to the same piece of
/// the input; what a filter spreads beyond a piece is lost. Means are taken off.
///
/// # Errors
/// [`SpectrumError`] as for a spectrum, of the samples that both have after the delay.
///
/// ```
/// use mellow_rake::random::NoiseSource;
/// use mellow_rake::signal::{SpectrumWish, measure_transfer};
/// let mut noise = NoiseSource::new(1);
/// let input: Vec<f64> = (0..20_000).map(|_| noise.normal()).collect();
/// let output: Vec<f64> = (0..20_000).map(|n| if n < 3 { 0.0 } else { -2.0 * input[n - 3] }).collect();
/// let wish = SpectrumWish::for_length(20_000);
/// let found = measure_transfer(&input, &output, "1 kHz".parse()?, wish, 3).unwrap();
/// assert!(found.response[100].norm() - 2.0 < 1e-2 && found.coherence[100] > 0.999);
/// # Ok::<(), mellow_rake::units::QuantityError>(())
/// ```
pub fn measure_transfer(
    input: &[f64],
    output: &[f64],
    rate: SampleRate,
    wish: SpectrumWish,
    delay: usize,
) -> Result<TransferEstimate, SpectrumError> {
    let output = output.get(delay..).unwrap_or(&[]);
    let samples = input.len().min(output.len());
    wish.check(samples)?;
    let pair = [&input[..samples], &output[..samples]];
    for part in pair {
        if let Some(index) = part.iter().position(|x| !x.is_finite()) {
            return Err(SpectrumError::NotFinite { index });
        }
    }
    let means = pair.map(|part| part.iter().sum::<f64>() / samples as f64);
    let piece = wish.piece;
    let pieces_of = Pieces::new(wish.window, piece);
    let points = piece / 2 + 1;
    let mut auto = [vec![0.0; points], vec![0.0; points]];
    let mut cross = vec![Complex64::new(0.0, 0.0); points];
    let mut pieces = 0;
    for start in (0..=samples - piece).step_by(wish.hop()) {
        let [x, y] = [0, 1].map(|which| pieces_of.transform(&pair[which][start..], means[which]));
        let (old, new) = wish.averaging.weights(pieces);
        for k in 0..points {
            auto[0][k] = old * auto[0][k] + new * x[k].norm_sqr();
            auto[1][k] = old * auto[1][k] + new * y[k].norm_sqr();
            cross[k] = cross[k] * old + x[k].conj() * y[k] * new;
        }
        pieces += 1;
    }
    let independent = wish.averaging.independent(pieces, &wish, samples);
    let coherence: Vec<f64> = (0..points)
        .map(|k| {
            let both = auto[0][k] * auto[1][k];
            if both > 0.0 { (cross[k].norm_sqr() / both).min(1.0) } else { 0.0 }
        })
        .collect();
    let step_hz = rate.hertz() / piece as f64;
    let response = (0..points).map(|k| {
        let angle = rate.radians(k as f64 * step_hz) * delay as f64;
        let late = Complex64::new(libm::cos(angle), -libm::sin(angle));
        if auto[0][k] > 0.0 { cross[k] / auto[0][k] * late } else { Complex64::new(0.0, 0.0) }
    });
    let relative_error =
        coherence.iter().map(|c| libm::sqrt((1.0 - c) / (2.0 * independent * c.max(1e-12))));
    Ok(TransferEstimate {
        hertz: (0..points).map(|k| k as f64 * step_hz).collect(),
        response: response.collect(),
        relative_error: relative_error.collect(),
        coherence,
        pieces,
        delay,
        step_hz,
        spoiled: 2,
    })
}

/// By how many samples the second signal is late: where the circular correlation of the first 2¹⁸ samples is
/// largest in size, up to half of them.
///
/// ```
/// use mellow_rake::random::NoiseSource;
/// use mellow_rake::signal::{delay_between};
/// let mut noise = NoiseSource::new(1);
/// let input: Vec<f64> = (0..5000).map(|_| noise.normal()).collect();
/// let late: Vec<f64> = (0..5000).map(|n| if n < 17 { 0.0 } else { -input[n - 17] }).collect();
/// assert_eq!(delay_between(&input, &late), 17);
/// ```
pub fn delay_between(input: &[f64], output: &[f64]) -> usize {
    let samples = input.len().min(output.len()).min(1 << 18);
    if samples == 0 {
        return 0;
    }
    // As many zeros behind: nothing comes round.
    let length = (2 * samples).next_power_of_two();
    let mut planner = FftPlanner::<f64>::new();
    let forward = planner.plan_fft_forward(length);
    let [x, y] = [input, output].map(|signal| {
        let mean = signal[..samples].iter().sum::<f64>() / samples as f64;
        let mut buffer: Vec<Complex64> =
            signal[..samples].iter().map(|x| Complex64::new(x - mean, 0.0)).collect();
        buffer.resize(length, Complex64::new(0.0, 0.0));
        forward.process(&mut buffer);
        buffer
    });
    let mut correlation: Vec<Complex64> = x.iter().zip(&y).map(|(x, y)| x.conj() * y).collect();
    planner.plan_fft_inverse(length).process(&mut correlation);
    let sizes = correlation.iter().take(samples / 2 + 1).map(|c| modulus(*c)).enumerate();
    sizes.fold((0, -1.0), |best, new| if new.1 > best.1 { new } else { best }).0
}
