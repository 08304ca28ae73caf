//! Many keyed carriers side by side: a burst of orthogonal frequency division multiplexing.

use super::Keying;
use crate::units::SampleRate;
use num_complex::Complex64;
use rustfft::FftPlanner;
use std::f64::consts::{SQRT_2, TAU};

/// A burst of many carriers `spacing_hertz` apart, each keyed, in blocks of 1/spacing with a guard before
/// each that repeats its end (S. B. Weinstein & P. M. Ebert, "Data transmission by frequency-division
/// multiplexing using the discrete Fourier transform", 1971; A. Peled & A. Ruiz, "Frequency domain data
/// transmission using reduced computational complexity algorithms", 1980).
#[derive(Debug, Clone, PartialEq)]
pub struct Multicarrier {
    /// How the bits stand on each carrier.
    pub keying: Keying,
    /// The middle of the carriers; a multiple of half the spacing.
    pub center_hertz: f64,
    /// From carrier to carrier; the sample rate is a multiple of it.
    pub spacing_hertz: f64,
    /// How many carriers.
    pub carriers: u32,
    /// Samples of the guard before each block.
    pub guard: u64,
    /// The root of the mean square of the signal.
    pub rms: f64,
    /// Where the random bits begin.
    pub seed: u64,
}

impl Multicarrier {
    /// Samples of a block without its guard.
    pub fn block(&self, rate: SampleRate) -> u64 {
        libm::rint(rate.hertz() / self.spacing_hertz) as u64
    }

    /// The frequencies of the carriers, in hertz.
    pub fn hertz(&self) -> Vec<f64> {
        let middle = f64::from(self.carriers - 1) / 2.0;
        let place = |k: u32| self.center_hertz + (f64::from(k) - middle) * self.spacing_hertz;
        (0..self.carriers).map(place).collect()
    }

    /// How many blocks stand in so many samples.
    pub fn count(&self, samples: u64, rate: SampleRate) -> usize {
        (samples / (self.block(rate) + self.guard)) as usize
    }

    /// The symbols that stand in so many samples: carrier by carrier of the first block, then of the next.
    pub fn symbols(&self, samples: u64, rate: SampleRate) -> Vec<Complex64> {
        self.keying.symbols(self.count(samples, rate) * self.carriers as usize, self.seed)
    }

    /// e^{j2πf·n} for every carrier.
    fn carriers(&self, n: f64, rate: SampleRate) -> impl Iterator<Item = Complex64> {
        self.hertz().into_iter().map(move |hertz| {
            let turns = hertz * n / rate.hertz();
            let angle = TAU * (turns - libm::floor(turns));
            Complex64::new(libm::cos(angle), libm::sin(angle))
        })
    }

    fn scale(&self) -> f64 {
        SQRT_2 * self.rms / libm::sqrt(f64::from(self.carriers))
    }

    /// The sample at this place from the start.
    pub(crate) fn sample(&self, n: u64, symbols: &[Complex64], rate: SampleRate) -> f64 {
        let whole = self.block(rate) + self.guard;
        let (block, inside) = ((n / whole) as usize, (n % whole) as f64 - self.guard as f64);
        let carriers = self.carriers as usize;
        let Some(symbols) = symbols.get(block * carriers..(block + 1) * carriers) else {
            return 0.0;
        };
        let pairs = symbols.iter().zip(self.carriers(inside, rate));
        self.scale() * pairs.map(|(symbol, carrier)| (symbol * carrier).re).sum::<f64>()
    }

    /// What a receiver finds on every carrier of every block of a signal that is late by `delay` samples: the
    /// symbols themselves if the signal is this one. It looks from the middle of the guard on, so that what a
    /// filter spreads by up to half a guard to either side falls into it; the carriers' turn by that is taken
    /// back.
    ///
    /// The signal has the second rate, of which the spacing is a whole part as well; `delay` counts samples
    /// of that.
    pub fn receive(
        &self,
        signal: &[f64],
        count: usize,
        delay: f64,
        rates: [SampleRate; 2],
    ) -> Vec<Complex64> {
        self.receive_moved(signal, count, delay, (rates, 0.0))
    }

    /// The same of a signal, real or complex, that was moved down by so many hertz.
    pub(crate) fn receive_moved<S: Copy + Into<Complex64>>(
        &self,
        signal: &[S],
        count: usize,
        delay: f64,
        ([rate, given], moved_hertz): ([SampleRate; 2], f64),
    ) -> Vec<Complex64> {
        let (block, ratio) = (self.block(given) as usize, given.hertz() / rate.hertz());
        let whole = (self.block(rate) + self.guard) as f64 * ratio;
        let guard = self.guard as f64 * ratio;
        let back = libm::floor(guard / 2.0);
        let scale = 2.0 / (self.scale() * block as f64);
        let transform = FftPlanner::<f64>::new().plan_fft_forward(block);
        let turn = |turns: f64| {
            let angle = -TAU * (turns - libm::floor(turns));
            Complex64::new(libm::cos(angle), libm::sin(angle))
        };
        let first = (self.hertz()[0] - moved_hertz) / given.hertz();
        let mut all = Vec::new();
        for index in 0..count {
            let start = index as f64 * whole + guard;
            let from = libm::rint(start + delay - back).max(0.0) as usize;
            let offset = from as f64 - start - delay;
            // The first carrier at zero, each further one in a bin of its own.
            let mut words: Vec<Complex64> = (0..block)
                .map(|n| {
                    let x = signal.get(from + n).map_or(Complex64::default(), |x| (*x).into());
                    turn(first * (offset + n as f64)) * x
                })
                .collect();
            transform.process(&mut words);
            let carrier = |(k, sum): (usize, Complex64)| {
                // A receiver may look for more carriers than the block has bins.
                sum * turn((k % block) as f64 * offset / block as f64) * scale
            };
            let carriers = self.carriers as usize;
            all.extend(words.into_iter().cycle().take(carriers).enumerate().map(carrier));
        }
        all
    }
}
