//! What words do to a signal, apart: the roundings of the filter, its coefficients, and the converter before
//! it.

use crate::datapath::Simulator;
use crate::filter::{Form, Transfer};
use crate::implementation::Implementation;
use crate::spec::ConverterWish;

/// The noise of an implementation at its output, in steps of the output word (LSB).
#[derive(Debug, Clone, PartialEq)]
#[cfg_attr(feature = "serde", derive(serde::Serialize))]
#[non_exhaustive]
pub struct WordNoise {
    /// Root mean square that its roundings are expected to add; `None` where nothing could be proved.
    pub predicted_rms_lsb: Option<f64>,
    /// Root mean square of the output less that of the filter with rounded coefficients in f64.
    pub measured_rms_lsb: f64,
    /// Root mean square of the filter with rounded coefficients less that of the designed one, both in f64.
    pub coefficient_rms_lsb: f64,
    /// What the last bit of the input becomes behind the filter: a twelfth of a squared step of the input
    /// through the filter's energy.
    pub input_rounding_rms_lsb: Option<f64>,
    /// In how many samples a limit acted; there the output differs by more than roundings.
    pub limited_samples: u64,
    /// The output less that of the filter with rounded coefficients, sample by sample, as values.
    #[cfg_attr(feature = "serde", serde(skip))]
    pub error: Vec<f64>,
}

fn rms(values: impl Iterator<Item = f64>) -> f64 {
    let (count, sum) = values.fold((0u64, 0.0), |(count, sum), v| (count + 1, sum + v * v));
    libm::sqrt(sum / count.max(1) as f64)
}

/// Runs an implementation on words, and the rounded and the designed filter on the same values.
///
/// ```
/// use mellow_rake::design::design;
/// use mellow_rake::implementation::implement;
/// use mellow_rake::random::NoiseSource;
/// use mellow_rake::spec::{Spec, template};
/// use mellow_rake::verify::measure_word_noise;
/// let spec = Spec::parse(template("notch").unwrap())?;
/// let form = design(&spec)?.form;
/// let filter = implement(&form, spec.fixed.unwrap())?;
/// let mut noise = NoiseSource::new(1);
/// let words: Vec<i64> = (0..20_000).map(|_| noise.integer(-8192, 8191)).collect();
/// let found = measure_word_noise(&filter, &form, &words);
/// assert!((found.measured_rms_lsb / found.predicted_rms_lsb.unwrap() - 1.0).abs() < 0.1);
/// # Ok::<(), Box<dyn std::error::Error>>(())
/// ```
pub fn measure_word_noise(
    implementation: &Implementation,
    designed: &Form,
    words: &[i64],
) -> WordNoise {
    let (input, output) = (implementation.fixed.input, implementation.fixed.output);
    let lsb = output.step();
    let mut simulator = Simulator::new(&implementation.checked);
    let integers = simulator.run(words);
    let values: Vec<f64> = words.iter().map(|word| input.value(*word)).collect();
    let rounded = implementation.rounded.start().run(&values);
    let reference = designed.start().run(&values);
    let error: Vec<f64> =
        integers.iter().zip(&rounded).map(|(y, r)| output.value(*y) - r).collect();
    let bounds = implementation.checked.facts().bounds().as_ref().ok();
    let converter = |energy: f64| libm::sqrt(energy / 12.0) * input.step() / lsb;
    WordNoise {
        predicted_rms_lsb: implementation.predicted_noise().ok().map(|noise| noise.rms() / lsb),
        measured_rms_lsb: rms(error.iter().copied()) / lsb,
        coefficient_rms_lsb: rms(rounded.iter().zip(&reference).map(|(q, r)| q - r)) / lsb,
        input_rounding_rms_lsb: bounds.map(|bounds| converter(bounds.gain().energy())),
        limited_samples: simulator.limited_samples(),
        error,
    }
}

/// How far the output stays from where a constant input should take it, in steps of the output word: the
/// largest distance over the last 256 of so many samples, from the zero state.
///
/// ```
/// use mellow_rake::filter::{Form, Section, Sections};
/// use mellow_rake::implementation::implement;
/// use mellow_rake::spec::{Spec, template};
/// use mellow_rake::verify::constant_input_error;
/// let text = template("notch").unwrap().replace("half-up", "floor");
/// // y = x/100 + 0.99·y, bits cut off: it comes to rest where a step less than 1 is missing a sample, up
/// // to 100 steps short.
/// let slow = Form::from(Sections(vec![Section { b: [0.01, 0.0, 0.0], a: [-0.99, 0.0] }]));
/// let filter = implement(&slow, Spec::parse(&text)?.fixed.unwrap())?;
/// let found = constant_input_error(&filter, 10_000, 5000);
/// assert!(found > 50.0 && found < 101.0, "{found}");
/// # Ok::<(), Box<dyn std::error::Error>>(())
/// ```
pub fn constant_input_error(implementation: &Implementation, level: i64, samples: usize) -> f64 {
    let (input, output) = (implementation.fixed.input, implementation.fixed.output);
    let expected = implementation.rounded.response(0.0).re * input.value(level);
    let found = Simulator::new(&implementation.checked).run(&vec![level; samples]);
    let settled = &found[samples.saturating_sub(256)..];
    let errors = settled.iter().map(|y| (output.value(*y) - expected).abs() / output.step());
    errors.fold(0.0, f64::max)
}

/// What a converter before a filter leaves at its output, as rms values.
#[derive(Debug, Clone, Copy, PartialEq)]
#[non_exhaustive]
pub struct ConverterNoise {
    /// Of the rounding of its readings: a twelfth of a squared step through the filter's energy.
    pub rounding_rms: f64,
    /// Of its own noise, taken for white.
    pub noise_rms: f64,
    /// By how many decibels the filter's roundings raise the two together; `None` where nothing is predicted
    /// of them.
    pub raised_db: Option<f64>,
}

/// The noise of a converter whose readings span the full scale of a filter's input; `None` where nothing
/// could be proved about the filter.
///
/// ```
/// use mellow_rake::design::design;
/// use mellow_rake::implementation::implement;
/// use mellow_rake::spec::{ConverterWish, Spec, template};
/// use mellow_rake::verify::converter_noise;
/// let spec = Spec::parse(template("notch").unwrap())?;
/// let filter = implement(&design(&spec)?.form, spec.fixed.unwrap())?;
/// let found = converter_noise(&filter, ConverterWish { bits: 12, range: 2.5, noise: 0.0 }).unwrap();
/// // A narrow notch lets white noise pass: about a twelfth of a squared step of 2⁻¹¹.
/// assert!((found.rounding_rms / (2f64.powi(-11) / 12f64.sqrt()) - 1.0).abs() < 0.02);
/// // Its own roundings of 16 bits are well below that.
/// assert!(found.raised_db.unwrap() < 1.0);
/// # Ok::<(), Box<dyn std::error::Error>>(())
/// ```
pub fn converter_noise(
    implementation: &Implementation,
    converter: ConverterWish,
) -> Option<ConverterNoise> {
    let ConverterWish { bits, range, noise } = converter;
    let energy = implementation.checked.facts().bounds().as_ref().ok()?.gain().energy();
    let input = implementation.fixed.input;
    let full_scale = input.maximum().max(-input.minimum()) as f64 * input.step();
    let scale = full_scale * libm::sqrt(energy);
    let rounding_rms = scale * libm::scalbn(1.0, 1 - bits as i32) / libm::sqrt(12.0);
    let noise_rms = scale * noise / range;
    let power = rounding_rms * rounding_rms + noise_rms * noise_rms;
    let own = implementation.predicted_noise().ok().map(|noise| noise.rms());
    let raised_db = own.map(|own| 10.0 * libm::log10(1.0 + own * own / power));
    Some(ConverterNoise { rounding_rms, noise_rms, raised_db })
}
