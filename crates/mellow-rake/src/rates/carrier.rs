//! Carriers: what a chain moves its signals from, or to.

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
    /// Cosine and sine from a sample on, the first has number 0.
    fn from(&self, first: u64) -> Box<dyn Iterator<Item = [f64; 2]> + '_> {
        match self {
            Wave::Turns(turns) => Box::new((first..).map(move |sample| {
                let turns = sample as f64 * turns;
                let angle = TAU * (turns - libm::floor(turns));
                [libm::cos(angle), libm::sin(angle)]
            })),
            Wave::Meant(oscillator) => Box::new((first..).map(|sample| oscillator.ideal(sample))),
            Wave::Values(oscillator) => {
                let format = oscillator.format();
                let values = oscillator.waves(first);
                Box::new(values.map(move |wave| wave.map(|value| format.value(value))))
            }
        }
    }
}

/// Carriers with their waves, which turn backward where signals are taken from them: one, or several that a
/// real signal is split at or that complex ones are merged on.
#[derive(Debug, Clone, PartialEq)]
pub struct Carrier {
    /// Down or up.
    pub way: CarrierWay,
    /// The wave of each.
    pub waves: Vec<Wave>,
}

impl Carrier {
    /// Taking a signal from the carrier that turns by some part of a turn from sample to sample, or putting
    /// it there; at the rate of the real samples.
    pub fn new(way: CarrierWay, turns: f64) -> Self {
        Carrier::several(way, &[turns])
    }

    /// The same of several carriers at once: of a real sample come as many complex ones, or a real sample is
    /// the sum of as many complex ones on their carriers.
    pub fn several(way: CarrierWay, turns: &[f64]) -> Self {
        let sign = if way == CarrierWay::Down { -1.0 } else { 1.0 };
        Carrier { way, waves: turns.iter().map(|turns| Wave::Turns(sign * turns)).collect() }
    }

    /// Words of a sample of one channel that goes in, and of one that comes out.
    pub(super) fn lanes(&self) -> [usize; 2] {
        let complex = 2 * self.waves.len();
        match self.way {
            CarrierWay::Down => [1, complex],
            CarrierWay::Up => [complex, 1],
        }
    }

    /// Cosine and sine of each carrier, from a sample on.
    fn from(&self, first: u64) -> impl Iterator<Item = Vec<[f64; 2]>> + '_ {
        let mut waves: Vec<_> = self.waves.iter().map(|wave| wave.from(first)).collect();
        std::iter::repeat_with(move || waves.iter_mut().filter_map(Iterator::next).collect())
    }

    /// Real samples as complex ones, or complex ones as real ones, each of so many channels side by side; the
    /// first of them has a number.
    pub(super) fn mixed(&self, words: &[f64], channels: usize, first: u64) -> Vec<f64> {
        let takes = self.lanes()[0];
        let mixed = |(sample, waves): (&[f64], Vec<[f64; 2]>)| match self.way {
            CarrierWay::Down => {
                let each = |x: &f64| waves.iter().flatten().map(|part| x * part).collect();
                sample.iter().flat_map(|x| -> Vec<f64> { each(x) }).collect::<Vec<_>>()
            }
            CarrierWay::Up => {
                let real = |(z, wave): (&[f64], &[f64; 2])| z[0] * wave[0] - z[1] * wave[1];
                let sum = |own: &[f64]| own.chunks_exact(2).zip(&waves).map(real).sum();
                sample.chunks_exact(takes).map(sum).collect()
            }
        };
        words.chunks_exact(takes * channels).zip(self.from(first)).flat_map(mixed).collect()
    }

    /// What a word that comes out is of each word of a channel that goes in: of the real part on the first
    /// carrier where complex samples come out. From the real sample on that has a number.
    pub(crate) fn factors(&self, first: u64) -> impl Iterator<Item = Vec<f64>> + '_ {
        self.from(first).map(|waves| match self.way {
            CarrierWay::Down => waves.first().map(|wave| wave[0]).into_iter().collect(),
            CarrierWay::Up => waves.iter().flat_map(|[cosine, sine]| [*cosine, -sine]).collect(),
        })
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

    /// The same with other waves on the same carriers.
    pub(crate) fn with_waves(&self, waves: Vec<Wave>) -> Chain {
        let carrier = self.carrier.as_ref().map(|carrier| Carrier { way: carrier.way, waves });
        Chain { carrier, ..self.clone() }
    }
}
