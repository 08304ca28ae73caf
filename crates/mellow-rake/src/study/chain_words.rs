//! What is known of a chain on integers, as objects for programs.

use super::ChainStudy;
use crate::fixed::{Overflow, Rounding, WordFormat};
use crate::implementation::ChainImplementation;
use crate::network::{Mixing, NetworkDescription, describe_network};
use crate::rates::PassBand;

/// A stage on integers, as an object for programs.
#[derive(Debug, Clone)]
#[cfg_attr(feature = "serde", derive(serde::Serialize))]
#[non_exhaustive]
pub struct StageWordsRecord {
    /// What comes in.
    pub input: WordFormat,
    /// What goes out.
    pub output: WordFormat,
    /// Whether the fraction of that was chosen for the level.
    pub output_is_chosen: bool,
    /// The format of the taps, or of the coefficients of sections.
    pub coefficients: Option<WordFormat>,
    /// The integers of the taps, at the rate at which they filter.
    pub taps: Vec<i64>,
    /// How a recursive filter is arranged.
    pub structure: Option<&'static str>,
    /// The integers of its sections, or what that structure has in the place of them, row by row.
    pub sections: Vec<Vec<i64>>,
    /// The words of integrators and combs, in the order of the signal.
    pub sums: Vec<WordFormat>,
    /// How sums are rounded to what goes out.
    pub rounding: Rounding,
    /// What happens when that does not fit.
    pub overflow: Overflow,
    /// The lowest value that can go out, before the limit.
    pub lowest: f64,
    /// The highest.
    pub highest: f64,
    /// Whether it is proved that the limit never acts.
    pub fits: bool,
    /// The largest error of all roundings up to here, in steps of what goes out.
    pub error_bound_lsb: f64,
}

/// A mixer on integers, as an object for programs.
#[derive(Debug, Clone)]
#[cfg_attr(feature = "serde", derive(serde::Serialize))]
#[non_exhaustive]
pub struct MixerRecord {
    /// What it takes and gives.
    pub mixing: Mixing,
    /// What comes in.
    pub input: WordFormat,
    /// Its exact products, or sums of them.
    pub products: WordFormat,
    /// What goes out.
    pub output: WordFormat,
    /// Whether the fraction of that was chosen for the level.
    pub output_is_chosen: bool,
    /// The values of an oscillator.
    pub values: WordFormat,
    /// Bits of its phase.
    pub phase_bits: u32,
    /// Whether the steps of the phase can be set while it runs.
    pub steps_are_loadable: bool,
    /// Bits of the phase that the sine is read with.
    pub address_bits: u32,
    /// The seed of a dither of the phase; `None` without.
    pub dither: Option<u32>,
    /// The oscillator of each carrier.
    pub oscillators: Vec<OscillatorRecord>,
    /// The lowest value that can go out, before the limit.
    pub lowest: f64,
    /// The highest.
    pub highest: f64,
    /// Whether it is proved that the limit never acts.
    pub fits: bool,
    /// The largest error of all roundings up to here, in steps of what goes out.
    pub error_bound_lsb: f64,
}

/// One oscillator of a mixer.
#[derive(Debug, Clone)]
#[cfg_attr(feature = "serde", derive(serde::Serialize))]
#[non_exhaustive]
pub struct OscillatorRecord {
    /// What its phase grows by with each sample.
    pub phase_step: u32,
    /// The frequency that it has, in hertz.
    pub frequency_hz: f64,
    /// By how much that is above the one asked for.
    pub frequency_error_hz: f64,
    /// By how much its wave is above the strongest line beside it, in decibels; `None` where there is none.
    /// With a dither, what is left of that line where its numbers are taken for random.
    pub spurious_free_db: Option<f64>,
    /// By how much its wave is above all of the noise of a dither, in decibels; `None` without one.
    pub dither_noise_db: Option<f64>,
    /// The largest that a value can be off.
    pub value_error: f64,
}

/// The noise that is expected at the output.
#[derive(Debug, Clone, Copy, PartialEq)]
#[cfg_attr(feature = "serde", derive(serde::Serialize))]
#[non_exhaustive]
pub struct ChainNoise {
    /// Root mean square in steps of the output.
    pub rms_lsb: f64,
    /// The mean in them.
    pub mean_lsb: f64,
    /// Its power under that of a sine of full scale, in decibels.
    pub below_full_scale_db: f64,
}

/// A chain on integers, as an object for programs.
#[derive(Debug, Clone)]
#[cfg_attr(feature = "serde", derive(serde::Serialize))]
#[non_exhaustive]
pub struct ChainWordsRecord {
    /// The stages, in the order of the signal.
    pub stages: Vec<StageWordsRecord>,
    /// The mixer, where there is a carrier.
    pub mixer: Option<MixerRecord>,
    /// The ripple of the rounded taps in the pass-band, peak to peak, in decibels.
    pub ripple_db: f64,
    /// The gain of the rounded taps over the pass-band.
    pub pass_band: PassBand,
    /// By how much the strongest alias or image is weakened with them, in decibels.
    pub attenuation_db: Option<f64>,
    /// Whether all that was asked is kept with them; `None` where nothing was asked.
    pub meets_spec: Option<bool>,
    /// What sums lack that no taps make good, in decibels.
    pub left_gain_db: f64,
    /// Whether it is proved that no limit ever acts.
    pub no_limit_acts: bool,
    /// The largest error of all roundings at the output while none does, in steps of it.
    pub error_bound_lsb: f64,
    /// What the roundings are expected to add on white noise of half scale.
    pub noise: Option<ChainNoise>,
    /// Why nothing is expected, where that is so.
    pub not_predicted: Option<String>,
    /// The programs, complete.
    pub network: NetworkDescription,
}

impl ChainStudy {
    /// The chain on integers, as an object for programs; `None` where the spec asks for no words.
    pub fn words_record(&self) -> Option<ChainWordsRecord> {
        let (found, measures) = self.integers()?;
        let network = &found.network;
        let step = network.output().step();
        let noise = network.noise().map(|noise| ChainNoise {
            rms_lsb: noise.rms() / step,
            mean_lsb: noise.mean / step,
            below_full_scale_db: full_scale_over(network.output(), noise.rms()),
        });
        Some(ChainWordsRecord {
            stages: (0..found.stages.len()).map(|stage| stage_words(found, stage)).collect(),
            mixer: self.mixer_record(found),
            ripple_db: measures.pass_band.ripple_db(),
            pass_band: measures.pass_band,
            attenuation_db: measures.attenuation_db(),
            meets_spec: measures.meets(&self.spec.change),
            left_gain_db: 20.0 * libm::log10(found.left_gain),
            no_limit_acts: network.no_limit_acts(),
            error_bound_lsb: network.error().largest() / step,
            noise: noise.ok(),
            not_predicted: noise.err().map(|why| why.to_string()),
            network: describe_network(network),
        })
    }

    fn mixer_record(&self, found: &ChainImplementation) -> Option<MixerRecord> {
        let (words, joint) = (found.mixer.as_ref()?, found.mixer_joint()?);
        let (mixer, oscillator) = (&words.mixer, words.mixer.oscillator());
        let carriers = mixer.oscillators().iter().zip(&self.spec.change.carriers_hz);
        let carriers = carriers.map(|(oscillator, asked)| {
            // Where the signal is taken from a carrier, the wave turns backward.
            let frequency_hz = libm::fabs(oscillator.turns()) * self.spec.carrier_rate_hz();
            let spurious_free_db = oscillator.spurious_free_db();
            OscillatorRecord {
                phase_step: oscillator.step(),
                frequency_hz,
                frequency_error_hz: frequency_hz - asked,
                spurious_free_db: spurious_free_db.is_finite().then_some(spurious_free_db),
                dither_noise_db: oscillator.dither_noise_db(),
                value_error: oscillator.error_bound(),
            }
        });
        Some(MixerRecord {
            mixing: mixer.mixing(),
            input: mixer.input(),
            products: mixer.output(),
            output: words.output,
            output_is_chosen: words.is_chosen,
            values: oscillator.format(),
            phase_bits: oscillator.words().phase_bits,
            steps_are_loadable: mixer.has_loadable_steps(),
            address_bits: oscillator.words().address_bits,
            dither: oscillator.words().dither,
            oscillators: carriers.collect(),
            lowest: joint.low,
            highest: joint.high,
            fits: joint.fits,
            error_bound_lsb: joint.error / joint.format.step(),
        })
    }
}

/// The power of a sine of full scale over that of noise, in decibels.
fn full_scale_over(format: WordFormat, rms: f64) -> f64 {
    let peak = format.maximum() as f64 * format.step();
    20.0 * libm::log10(peak / libm::sqrt(2.0) / rms)
}

fn stage_words(found: &ChainImplementation, number: usize) -> StageWordsRecord {
    let stage = &found.stages[number];
    let fixed = found.fixed.of_stage(number);
    let joint = found.joint(number);
    let is_recursive = stage.structure.is_some();
    let rows = stage.coefficients.as_ref().map_or(Vec::new(), |table| table.rows.clone());
    let of = |value: fn(&crate::network::JointFact) -> f64| joint.as_ref().map_or(0.0, value);
    StageWordsRecord {
        input: stage.input,
        output: stage.output,
        output_is_chosen: stage.is_chosen,
        coefficients: stage.coefficients.as_ref().map(|table| table.format),
        taps: if is_recursive { Vec::new() } else { rows.concat() },
        structure: stage.structure.map(|structure| structure.facts().name),
        sections: if is_recursive { rows } else { Vec::new() },
        sums: stage.sums.clone(),
        rounding: fixed.rounding,
        overflow: fixed.overflow,
        lowest: of(|joint| joint.low),
        highest: of(|joint| joint.high),
        fits: joint.is_some_and(|joint| joint.fits),
        error_bound_lsb: of(|joint| joint.error / joint.format.step()),
    }
}
