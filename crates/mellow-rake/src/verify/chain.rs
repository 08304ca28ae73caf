//! Chains of stages: what they are tried on, and how far the integers are from the design.

use super::ReferenceError;
use super::proof::{Expected, Proof, StimulusResult};
use super::reference::{Foreseen, figures};
use super::stimulus::{RECORDING, Stimulus, shapes};
use crate::fixed::Oscillator;
use crate::implementation::ChainImplementation;
use crate::rates::{CarrierWay, Chain, Wave};

/// Samples that come out of a chain for which the weights of what goes in are held against each other.
const MOST_PHASES: usize = 4_096;

/// The longest worst case, in samples that go in.
const LONGEST: usize = 1 << 16;

/// Runs a chain on integers and the designed one on the same values, the words of a sample side by side.
/// Gives the integers and their distance from the design; the bound on it adds to that of the roundings what
/// the rounded taps can make of any input as large as this one. Where there is a carrier, the design has the
/// frequency that the oscillator has, and the bound what the values of that are off.
pub fn judge_chain(
    integers: &ChainImplementation,
    designed: &Chain,
    samples: &[i64],
) -> (Vec<i64>, ReferenceError) {
    judged(integers, designed, coefficient_gain(integers, designed), samples)
}

fn judged(
    found: &ChainImplementation,
    designed: &Chain,
    gain: Option<f64>,
    samples: &[i64],
) -> (Vec<i64>, ReferenceError) {
    let network = &found.network;
    let mut simulator = network.start();
    let integers = simulator.run(samples);
    let values: Vec<f64> = samples.iter().map(|x| network.input().value(*x)).collect();
    let reference = tuned(found, designed).start().run(&values);
    let mut rounded = found.rounded.start().run(&values);
    rounded.iter_mut().for_each(|value| *value *= found.left_gain);
    let peak = values.iter().fold(0.0, |peak: f64, x| peak.max(x.abs()));
    let bound = gain.map(|gain| network.error().largest() + gain * peak);
    let foreseen = Foreseen { bound, noise_rms: network.noise().ok().map(|noise| noise.rms()) };
    let limited = simulator.limited_firings();
    let figures = figures((&integers, network.output()), (&reference, &rounded), limited, foreseen);
    (integers, figures)
}

/// The largest that the difference of the taps can make of inputs of size 1: over every time of a frame the
/// sum of the sizes of its weights, rounded outward; `None` where a frame is too long.
fn coefficient_gain(found: &ChainImplementation, designed: &Chain) -> Option<f64> {
    let [apart, whole] = taps_gain(found, designed)?;
    let Some(words) = &found.mixer else { return Some(apart) };
    let mixer = &words.mixer;
    // Each word that comes out is a sum of so many products.
    let worst = mixer.oscillators().iter().map(Oscillator::error_bound).fold(0.0, f64::max);
    let off = mixer.words().0 as f64 * worst;
    Some((apart * mixer.largest_gain() + whole * off) * (1.0 + 1e-12))
}

/// The design with the frequencies and the phases that the oscillators have.
fn tuned(found: &ChainImplementation, designed: &Chain) -> Chain {
    match &found.mixer {
        Some(words) => {
            let meant = words.mixer.oscillators().iter().cloned().map(Wave::Meant);
            designed.with_waves(meant.collect())
        }
        None => designed.clone(),
    }
}

/// What the difference of the taps alone can make of inputs of size 1, and what the designed ones can.
fn taps_gain(found: &ChainImplementation, designed: &Chain) -> Option<[f64; 2]> {
    let phases = designed.output_phases();
    if phases > MOST_PHASES {
        return None;
    }
    let past = designed.start_up_outputs() + 1;
    let of_phase = |phase: usize| -> [f64; 2] {
        let output = past + phase as u64;
        let ((first, one), (other_first, other)) =
            (designed.weights_of(output), found.rounded.weights_of(output));
        // Taps that fill up a stage reach further back, and are zero there.
        let begin = first.min(other_first);
        let end = (first + one.len() as u64).max(other_first + other.len() as u64);
        let at = |first: u64, weights: &[f64], n: u64| -> f64 {
            n.checked_sub(first).and_then(|n| weights.get(n as usize)).copied().unwrap_or(0.0)
        };
        let apart = |n: u64| at(other_first, &other, n) * found.left_gain - at(first, &one, n);
        let sizes: f64 = one.iter().map(|weight| weight.abs()).sum();
        // Each weight is a sum over all ways through the stages.
        let slack = sizes * 1e-12;
        [(begin..end).map(|n| apart(n).abs()).sum::<f64>() + slack, sizes + slack]
    };
    let largest = |one: [f64; 2], other: [f64; 2]| [one[0].max(other[0]), one[1].max(other[1])];
    Some((0..phases).map(of_phase).fold([0.0; 2], largest))
}

/// The input that drives some sample that comes out as far as it goes, once up and once down.
fn worst_case(found: &ChainImplementation) -> Vec<i64> {
    let (chain, input) = (&found.rounded, found.network.input());
    let past = chain.start_up_outputs() + 1;
    let level = |weights: &[f64]| weights.iter().map(|weight| weight.abs()).sum::<f64>();
    let all = (past..past + chain.output_phases().min(MOST_PHASES) as u64)
        .map(|output| (output, chain.weights_of(output)));
    let loudest = |best: Option<(u64, (u64, Vec<f64>))>, one: (u64, (u64, Vec<f64>))| match best {
        Some(best) if level(&best.1.1) >= level(&one.1.1) => Some(best),
        _ => Some(one),
    };
    let Some((output, (first, weights))) = all.fold(None, loudest) else { return Vec::new() };
    let (low, high) = (input.minimum() as i64, input.maximum() as i64);
    let dropped = weights.len().saturating_sub(LONGEST);
    let newest = &weights[dropped..];
    let sign = |weight: &f64| if *weight >= 0.0 { high } else { low };
    if found.network.lanes_in().max(found.network.lanes_out()) > 1 {
        return mixed_worst_case(found, (first + dropped as u64, newest), output, sign);
    }
    let up: Vec<i64> = newest.iter().map(sign).collect();
    let down: Vec<i64> = up.iter().map(|x| if *x == high { low } else { high }).collect();
    up.into_iter().chain(down).collect()
}

/// The same where samples are mixed: each word has the sign that its weight has with the wave, from the first
/// sample of all on, so that the wave is where it was.
fn mixed_worst_case(
    found: &ChainImplementation,
    (first, weights): (u64, &[f64]),
    output: u64,
    sign: impl Fn(&f64) -> i64,
) -> Vec<i64> {
    let lanes = found.network.lanes_in();
    let carrier = found.rounded.carrier();
    let mut words = vec![0; (first as usize).min(LONGEST) * lanes];
    // All channels alike.
    let own = lanes / found.rounded.channels();
    let mut factors: Box<dyn Iterator<Item = Vec<f64>>> = match carrier {
        Some(carrier) if carrier.way == CarrierWay::Down => Box::new(carrier.factors(first)),
        // What comes out is mixed, at one time.
        Some(carrier) => {
            let at_output = carrier.factors(output).next().unwrap_or_default();
            Box::new(std::iter::repeat(at_output))
        }
        None => Box::new(std::iter::repeat(vec![1.0; own])),
    };
    for (weight, factors) in weights.iter().zip(&mut factors) {
        words.extend((0..lanes).map(|lane| sign(&(weight * factors[lane % own]))));
    }
    words
}

impl Proof {
    /// A chain on integers against the design on all stimuli; the targets are yet to be run.
    pub fn begin_chain(
        integers: &ChainImplementation,
        designed: &Chain,
        recording: Option<&[i64]>,
    ) -> (Self, Expected) {
        let recording = recording.map(|samples| Stimulus {
            name: RECORDING,
            samples: samples.to_vec(),
            is_signal: true,
        });
        let worst =
            Stimulus { name: "worst-case signs", samples: worst_case(integers), is_signal: false };
        let shapes = shapes(integers.network.input(), None);
        let gain = coefficient_gain(integers, designed);
        let (mut expected, mut results) = (Vec::new(), Vec::new());
        for stimulus in recording.into_iter().chain(shapes).chain([worst]) {
            let (output, error) = judged(integers, designed, gain, &stimulus.samples);
            results.push(StimulusResult::of(&stimulus, error, None));
            expected.push((stimulus, output));
        }
        let no_bound = gain.is_none().then(|| {
            format!("more than {MOST_PHASES} samples come out before everything begins anew")
        });
        (Proof::of_stimuli(results, no_bound), expected)
    }
}
