//! Carriers: what a chain moves its signal from, or to.

use super::Chain;
use crate::fixed::Oscillator;
use std::f64::consts::TAU;

/// Whether a chain takes its signal from a carrier or puts it on one.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum CarrierWay {
    /// Real samples are mixed down in front of all stages: x e^{−jωt}, complex ones come out.
    Down,
    /// Complex samples are mixed up behind all stages: the real part of z e^{jωt} comes out.
    Up,
}

/// The wave that samples are multiplied by.
#[derive(Debug, Clone, PartialEq)]
pub enum Wave {
    /// e^{jωt} of this many turns per sample, from phase 0 on.
    Turns(f64),
    /// What the values of an oscillator stand for.
    Meant(Oscillator),
    /// Its values, as they are.
    Values(Oscillator),
}

impl Wave {
    /// Cosine and sine at a sample, the first has number 0.
    fn at(&self, sample: u64) -> [f64; 2] {
        match self {
            Wave::Turns(turns) => {
                let turns = sample as f64 * turns;
                let angle = TAU * (turns - libm::floor(turns));
                [libm::cos(angle), libm::sin(angle)]
            }
            Wave::Meant(oscillator) => oscillator.ideal(sample),
            Wave::Values(oscillator) => {
                let format = oscillator.format();
                oscillator.wave(oscillator.phase(sample)).map(|value| format.value(value))
            }
        }
    }
}

/// A carrier with its wave, which turns backward where a signal is taken from it.
#[derive(Debug, Clone, PartialEq)]
pub struct Carrier {
    /// Down or up.
    pub way: CarrierWay,
    /// The wave.
    pub wave: Wave,
}

impl Carrier {
    /// Taking a signal from the carrier that turns by some part of a turn from sample to sample, or putting
    /// it there; at the rate of the real samples.
    pub fn new(way: CarrierWay, turns: f64) -> Self {
        let turns = if way == CarrierWay::Down { -turns } else { turns };
        Carrier { way, wave: Wave::Turns(turns) }
    }

    /// Words of a sample of one channel that goes in, and of one that comes out.
    pub(super) fn lanes(&self) -> [usize; 2] {
        match self.way {
            CarrierWay::Down => [1, 2],
            CarrierWay::Up => [2, 1],
        }
    }

    /// Real samples as complex ones, or complex ones as real ones, each of so many channels side by side; the
    /// first of them has a number.
    pub(super) fn mixed(&self, words: &[f64], channels: usize, first: u64) -> Vec<f64> {
        let wave = |place: usize| self.wave.at(first + place as u64);
        match self.way {
            CarrierWay::Down => {
                let mixed = |(place, all): (usize, &[f64])| {
                    let wave = wave(place);
                    all.iter().flat_map(|x| wave.map(|part| x * part)).collect::<Vec<_>>()
                };
                words.chunks_exact(channels).enumerate().flat_map(mixed).collect()
            }
            CarrierWay::Up => {
                let mixed = |(place, all): (usize, &[f64])| {
                    let [cosine, sine] = wave(place);
                    let real = |z: &[f64]| z[0] * cosine - z[1] * sine;
                    all.chunks_exact(2).map(real).collect::<Vec<_>>()
                };
                words.chunks_exact(2 * channels).enumerate().flat_map(mixed).collect()
            }
        }
    }

    /// What the real part of what comes out is of the real part of what goes in, and of the imaginary part,
    /// where the real samples have a number.
    pub(crate) fn factors(&self, sample: u64) -> [f64; 2] {
        let [cosine, sine] = self.wave.at(sample);
        match self.way {
            CarrierWay::Down => [cosine, 0.0],
            CarrierWay::Up => [cosine, -sine],
        }
    }
}

impl Chain {
    /// The chain around a carrier: what its stages see lies around it.
    ///
    /// ```
    /// use mellow_rake::filter::Taps;
    /// use mellow_rake::rates::{Carrier, CarrierWay, Chain, Stage};
    /// use mellow_rake::units::SampleRate;
    /// let mean = Stage::decimator(8, Taps(vec![0.125; 8]))?;
    /// let chain = Chain::new(SampleRate::from_hertz(8_000.0).unwrap(), vec![mean])?;
    /// let chain = chain.around(Carrier::new(CarrierWay::Down, 1.0 / 4.0));
    /// assert_eq!((chain.lanes_in(), chain.lanes_out()), (1, 2));
    /// // A cosine of 2 kHz: half of it comes out at 0 Hz, half beyond the band.
    /// let given = chain.start().run(&[1.0, 0.0, -1.0, 0.0, 1.0, 0.0, -1.0, 0.0]);
    /// assert!((given[0] - 0.5).abs() < 1e-12 && given[1].abs() < 1e-12);
    /// # Ok::<(), mellow_rake::rates::RateError>(())
    /// ```
    pub fn around(self, carrier: Carrier) -> Chain {
        Chain { carrier: Some(carrier), is_complex: true, ..self }
    }

    /// The chain of complex samples, each two words side by side.
    pub fn of_complex(self) -> Chain {
        Chain { is_complex: true, carrier: None, ..self }
    }

    /// The same of so many channels, whose samples stand side by side.
    pub fn of_channels(self, channels: usize) -> Chain {
        Chain { channels: channels.max(1), ..self }
    }

    /// Whether its stages see complex samples.
    pub fn is_complex(&self) -> bool {
        self.is_complex
    }

    /// How many channels there are.
    pub fn channels(&self) -> usize {
        self.channels
    }

    /// The carrier, if there is one.
    pub fn carrier(&self) -> Option<&Carrier> {
        self.carrier.as_ref()
    }

    /// Words side by side in a sample that goes in.
    pub fn lanes_in(&self) -> usize {
        self.lanes()[0]
    }

    /// Words side by side in a sample that comes out.
    pub fn lanes_out(&self) -> usize {
        self.lanes()[1]
    }

    fn lanes(&self) -> [usize; 2] {
        let of_channel = match &self.carrier {
            Some(carrier) => carrier.lanes(),
            None if self.is_complex => [2, 2],
            None => [1, 1],
        };
        of_channel.map(|words| words * self.channels)
    }

    /// The same with another wave on the same carrier.
    pub(crate) fn with_wave(&self, wave: Wave) -> Chain {
        let carrier = self.carrier.as_ref().map(|carrier| Carrier { way: carrier.way, wave });
        Chain { carrier, ..self.clone() }
    }
}
