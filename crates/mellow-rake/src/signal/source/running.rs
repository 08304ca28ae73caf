//! A plan at work.

use super::noises::ShapedNoise;
use super::{Part, SignalPlan, Sweep, Waveform};
use crate::random::NoiseSource;
use crate::units::SampleRate;
use num_complex::Complex64;
use std::f64::consts::TAU;

/// A signal on its way: its next samples, in blocks of any size.
pub struct RunningSignal {
    rate: SampleRate,
    parts: Vec<RunningPart>,
    at: u64,
    left: u64,
}

struct RunningPart {
    part: Part,
    state: State,
}

/// What a part has to remember.
enum State {
    /// Nothing: every sample follows from its place.
    None,
    Noise(NoiseSource),
    Shaped(Box<ShapedNoise>),
    Spikes {
        noise: NoiseSource,
        level: f64,
    },
    Symbols(Vec<Complex64>),
}

/// A sine of so many turns.
fn sine(turns: f64) -> f64 {
    libm::sin(TAU * (turns - libm::floor(turns)))
}

impl RunningSignal {
    pub(super) fn new(plan: &SignalPlan) -> Self {
        let rate = plan.sample_rate;
        let parts = plan.parts.iter().enumerate().map(|(index, part)| {
            // Parts of one plan must not hum in step: each has a seed of its own.
            let seed = plan.seed.wrapping_mul(0x9E37_79B9_7F4A_7C15).wrapping_add(index as u64);
            RunningPart { part: part.clone(), state: State::new(part, seed, rate) }
        });
        RunningSignal { rate, parts: parts.collect(), at: 0, left: plan.samples }
    }

    /// The next samples: so many, or as many as are left.
    pub fn next_block(&mut self, samples: usize) -> Vec<f64> {
        let count = self.left.min(samples as u64);
        let mut sum = vec![0.0; count as usize];
        let (from, to) = (self.at, self.at + count);
        for RunningPart { part, state } in &mut self.parts {
            let (start, stop) = (part.start.clamp(from, to), part.stop.clamp(from, to));
            if start < stop {
                let place = (start - from) as usize..(stop - from) as usize;
                state.add(part, start - part.start, &mut sum[place], self.rate);
            }
        }
        self.at = to;
        self.left -= count;
        sum
    }
}

impl State {
    fn new(part: &Part, seed: u64, rate: SampleRate) -> Self {
        let length = part.stop - part.start;
        let shaped = |noise| State::Shaped(Box::new(noise));
        match &part.waveform {
            Waveform::WhiteNoise { .. } => State::Noise(NoiseSource::new(seed)),
            Waveform::PinkNoise { rms } => shaped(ShapedNoise::pink(*rms, seed)),
            // The band was checked when the plan was read; without one there is no noise.
            Waveform::BandNoise { band_hertz, rms } => {
                ShapedNoise::band(*band_hertz, *rms, seed, rate).map_or(State::None, shaped)
            }
            Waveform::Spikes { .. } => State::Spikes { noise: NoiseSource::new(seed), level: 0.0 },
            Waveform::Keyed(keyed) => State::Symbols(keyed.symbols(length, rate)),
            Waveform::Multicarrier(many) => State::Symbols(many.symbols(length, rate)),
            _ => State::None,
        }
    }

    /// Adds the samples of a part from this place of it on.
    fn add(&mut self, part: &Part, first: u64, sum: &mut [f64], rate: SampleRate) {
        let length = part.stop - part.start;
        let mut each = |value: &mut dyn FnMut(u64) -> f64| {
            for (n, x) in (first..).zip(sum.iter_mut()) {
                *x += value(n);
            }
        };
        match (&part.waveform, self) {
            (Waveform::WhiteNoise { rms }, State::Noise(noise)) => {
                each(&mut |_| rms * noise.normal());
            }
            (_, State::Shaped(noise)) => {
                let samples = noise.next_block(sum.len());
                sum.iter_mut().zip(samples).for_each(|(x, more)| *x += more);
            }
            (Waveform::Spikes { per_second, amplitude, decay }, State::Spikes { noise, level }) => {
                let (chance, fall) = (per_second / rate.hertz(), libm::exp(-1.0 / decay));
                each(&mut |_| {
                    *level *= fall;
                    if noise.uniform() < chance {
                        let sign = if noise.uniform() < 0.5 { -1.0 } else { 1.0 };
                        *level += sign * amplitude * (1.0 + 2.0 * noise.uniform()) / 3.0;
                    }
                    *level
                });
            }
            (Waveform::Keyed(keyed), State::Symbols(symbols)) => {
                each(&mut |n| keyed.sample(n, symbols, rate));
            }
            (Waveform::Multicarrier(many), State::Symbols(symbols)) => {
                each(&mut |n| many.sample(n, symbols, rate));
            }
            (waveform, _) => each(&mut |n| waveform.at(n, length, rate)),
        }
    }
}

impl Waveform {
    /// The sample at this place of a part, of those that follow from their place alone.
    fn at(&self, n: u64, length: u64, rate: SampleRate) -> f64 {
        let time = n as f64 / rate.hertz();
        // Turns of a frequency: exact for as long as hertz times n is.
        let turns = |hertz: f64| hertz * n as f64 / rate.hertz();
        match self {
            Waveform::Constant { level } => *level,
            Waveform::Tone { hertz, amplitude, phase_degrees } => {
                amplitude * sine(turns(*hertz) + phase_degrees / 360.0)
            }
            Waveform::Chirp { from_hertz, to_hertz, sweep, amplitude } => {
                let whole = length as f64 / rate.hertz();
                let turns = match sweep {
                    Sweep::Linear => {
                        from_hertz * time + (to_hertz - from_hertz) * time * time / (2.0 * whole)
                    }
                    Sweep::Logarithmic => {
                        let growth = libm::log(to_hertz / from_hertz);
                        from_hertz * whole / growth * libm::expm1(growth * time / whole)
                    }
                };
                amplitude * sine(turns)
            }
            Waveform::Square { hertz, amplitude, duty } => {
                let turns = turns(*hertz);
                if turns - libm::floor(turns) < *duty { *amplitude } else { -amplitude }
            }
            Waveform::Triangle { hertz, amplitude } => {
                // From 0 up, as a sine.
                let turns = turns(*hertz) + 0.75;
                let phase = turns - libm::floor(turns);
                amplitude * (4.0 * (phase - 0.5).abs() - 1.0)
            }
            Waveform::Pulse { at, width, every, amplitude } => {
                let since = n.checked_sub(*at);
                let inside = match (since, *every) {
                    (Some(since), 0) => since < *width,
                    (Some(since), every) => since % every < *width,
                    (None, _) => false,
                };
                if inside { *amplitude } else { 0.0 }
            }
            Waveform::Hum { hertz, amplitude, harmonics, drift_hertz, drift_period_s } => {
                // The integral of the frequency, hertz + drift·sin(2πt/period).
                let drift = match *drift_period_s > 0.0 {
                    true => {
                        let angle = TAU * time / drift_period_s;
                        drift_hertz * drift_period_s / TAU * (1.0 - libm::cos(angle))
                    }
                    false => 0.0,
                };
                let turns = turns(*hertz) + drift;
                let over = harmonics.iter().zip(2..);
                let over = over.map(|(share, k)| share * sine(turns * f64::from(k)));
                amplitude * (sine(turns) + over.sum::<f64>())
            }
            // These have a state.
            Waveform::WhiteNoise { .. }
            | Waveform::PinkNoise { .. }
            | Waveform::BandNoise { .. }
            | Waveform::Spikes { .. }
            | Waveform::Keyed(_)
            | Waveform::Multicarrier(_) => 0.0,
        }
    }
}
