//! One carrier with keyed, shaped symbols.

use super::Keying;
use crate::design::root_raised_cosine;
use crate::units::SampleRate;
use num_complex::Complex64;
use std::f64::consts::{SQRT_2, TAU};

/// A keyed carrier: √2·amplitude·Re Σ dₖ·g(t/T − k)·e^{j2πft} with root-raised-cosine pulses g of energy 1,
/// cut off `span` symbols from their middle. The first symbol stands `span` symbols behind the start, the
/// last as many before the end.
#[derive(Debug, Clone, PartialEq)]
pub struct KeyedCarrier {
    /// How the bits stand on it.
    pub keying: Keying,
    /// The frequency of the carrier.
    pub carrier_hertz: f64,
    /// Symbols a second.
    pub symbol_rate: f64,
    /// The roll-off of the pulses, above 0 and up to 1: the signal is symbol_rate·(1 + rolloff) wide.
    pub rolloff: f64,
    /// How far a pulse reaches to either side, in symbols.
    pub span: u32,
    /// The root of the mean square of the signal.
    pub rms: f64,
    /// Where the random bits begin.
    pub seed: u64,
}

impl KeyedCarrier {
    /// How many symbols stand in so many samples.
    pub fn count(&self, samples: u64, rate: SampleRate) -> usize {
        let all = samples as f64 / rate.hertz() * self.symbol_rate;
        (libm::floor(all) - 2.0 * f64::from(self.span)).max(0.0) as usize
    }

    /// The symbols that stand in so many samples.
    pub fn symbols(&self, samples: u64, rate: SampleRate) -> Vec<Complex64> {
        self.keying.symbols(self.count(samples, rate), self.seed)
    }

    fn carrier(&self, time: f64) -> Complex64 {
        turned(self.carrier_hertz * time)
    }

    /// The sample at this place from the start.
    pub(crate) fn sample(&self, n: u64, symbols: &[Complex64], rate: SampleRate) -> f64 {
        let time = n as f64 / rate.hertz();
        let span = f64::from(self.span);
        // In symbols from the middle of the first.
        let place = time * self.symbol_rate - span;
        let first = libm::ceil(place - span).max(0.0) as usize;
        let last = (libm::floor(place + span) + 1.0).clamp(0.0, symbols.len() as f64) as usize;
        let mut sum = Complex64::new(0.0, 0.0);
        for (k, symbol) in symbols.iter().enumerate().take(last).skip(first) {
            sum += symbol * root_raised_cosine(1.0, self.rolloff, place - k as f64);
        }
        SQRT_2 * self.rms * (sum * self.carrier(time)).re
    }

    /// What a matched filter finds in a signal at the symbols, whose first sample is late by `delay` samples:
    /// the symbols themselves if the signal is this one, but for what the pulses lose by being cut off.
    pub fn receive(
        &self,
        signal: &[f64],
        count: usize,
        delay: f64,
        rate: SampleRate,
    ) -> Vec<Complex64> {
        self.receive_moved(signal, count, delay, (rate, 0.0))
    }

    /// The same in a signal, real or complex, that was moved down by so many hertz.
    pub(crate) fn receive_moved<S: Copy + Into<Complex64>>(
        &self,
        signal: &[S],
        count: usize,
        delay: f64,
        (rate, moved_hertz): (SampleRate, f64),
    ) -> Vec<Complex64> {
        let hertz = self.carrier_hertz - moved_hertz;
        let per_symbol = rate.hertz() / self.symbol_rate;
        let span = f64::from(self.span);
        let scale = SQRT_2 / (self.rms * per_symbol);
        let symbol = |k: usize| {
            let middle = delay + (k as f64 + span) * per_symbol;
            let from = libm::ceil(middle - span * per_symbol).max(0.0) as usize;
            let to = (libm::floor(middle + span * per_symbol) + 1.0).max(0.0) as usize;
            let to = to.min(signal.len());
            let mut sum = Complex64::new(0.0, 0.0);
            for (n, x) in signal.iter().enumerate().take(to).skip(from) {
                let x: Complex64 = (*x).into();
                let pulse = root_raised_cosine(1.0, self.rolloff, (n as f64 - middle) / per_symbol);
                sum += turned(hertz * (n as f64 - delay) / rate.hertz()).conj() * (x * pulse);
            }
            sum * scale
        };
        (0..count).map(symbol).collect()
    }
}

/// e^{j2πt} of so many turns.
fn turned(turns: f64) -> Complex64 {
    let angle = TAU * (turns - libm::floor(turns));
    Complex64::new(libm::cos(angle), libm::sin(angle))
}
