//! Signals that are made: what they are put together from, and how.

mod converter;
mod keyed;
mod multicarrier;
mod noises;
#[cfg(feature = "spec-file")]
mod read;
mod running;
mod symbols;
mod title;

pub use converter::{Converter, RunningConverter};
pub use keyed::KeyedCarrier;
pub use multicarrier::Multicarrier;
pub use running::RunningSignal;
pub use symbols::Keying;

use crate::spec::Name;
#[cfg(feature = "spec-file")]
use crate::spec::SpecError;
use crate::units::SampleRate;

/// A signal to make: a sum of parts, and a converter behind it if there is one.
///
/// ```
/// use mellow_rake::signal::SignalPlan;
/// let plan = SignalPlan::parse(r#"
///     name = "bench"
///     sample_rate = "1 kHz"
///     length = "2 s"
///     [[part]]
///     kind = "tone"
///     frequency = "87.5 Hz"
///     amplitude = 0.5
///     [[part]]
///     kind = "white-noise"
///     rms = 0.01
/// "#)?;
/// let samples = plan.start().next_block(2000);
/// assert_eq!((samples.len(), plan.samples), (2000, 2000));
/// // The same seed gives the same samples, in blocks of any size.
/// let mut again = plan.start();
/// assert_eq!([again.next_block(3), again.next_block(1997)].concat(), samples);
/// # Ok::<(), mellow_rake::spec::SpecError>(())
/// ```
#[derive(Debug, Clone, PartialEq)]
pub struct SignalPlan {
    /// Names the column.
    pub name: Name,
    /// Samples per second.
    pub sample_rate: SampleRate,
    /// How many samples.
    pub samples: u64,
    /// Where random numbers begin; every part has its own.
    pub seed: u64,
    /// What is added up, in this order.
    pub parts: Vec<Part>,
    /// From numbers to integers, if that is wanted.
    pub converter: Option<Converter>,
}

/// One part of a signal.
#[derive(Debug, Clone, PartialEq)]
pub struct Part {
    /// What it is.
    pub waveform: Waveform,
    /// Its first sample.
    pub start: u64,
    /// The first sample that it is not in any more.
    pub stop: u64,
}

impl Part {
    /// The highest frequency that its symbols take, in hertz; `None` of parts without symbols.
    pub fn highest_hertz(&self) -> Option<f64> {
        match &self.waveform {
            Waveform::Keyed(keyed) => {
                Some(keyed.carrier_hertz + 0.5 * keyed.symbol_rate * (1.0 + keyed.rolloff))
            }
            Waveform::Multicarrier(many) => {
                Some(many.center_hertz + 0.5 * f64::from(many.carriers) * many.spacing_hertz)
            }
            _ => None,
        }
    }

    /// How far its symbols reach from a frequency, in hertz.
    pub fn reach_hertz_from(&self, hertz: f64) -> Option<f64> {
        let (middle, highest) = (self.middle_hertz()?, self.highest_hertz()?);
        Some((middle - hertz).abs() + (highest - middle))
    }

    /// The frequency in the middle of its symbols, in hertz.
    pub fn middle_hertz(&self) -> Option<f64> {
        match &self.waveform {
            Waveform::Keyed(keyed) => Some(keyed.carrier_hertz),
            Waveform::Multicarrier(many) => Some(many.center_hertz),
            _ => None,
        }
    }

    /// How wide the band of its symbols is, in hertz.
    pub fn width_hertz(&self) -> Option<f64> {
        Some(2.0 * (self.highest_hertz()? - self.middle_hertz()?))
    }

    /// The bandwidth through which noise comes to a receiver of its symbols, in hertz: that of its matched
    /// filter, or of all carriers together.
    pub fn noise_bandwidth_hertz(&self) -> Option<f64> {
        match &self.waveform {
            Waveform::Keyed(keyed) => Some(keyed.symbol_rate),
            Waveform::Multicarrier(many) => Some(f64::from(many.carriers) * many.spacing_hertz),
            _ => None,
        }
    }

    /// The root of the mean square of its symbols' signal.
    pub fn symbols_rms(&self) -> Option<f64> {
        match &self.waveform {
            Waveform::Keyed(keyed) => Some(keyed.rms),
            Waveform::Multicarrier(many) => Some(many.rms),
            _ => None,
        }
    }

    /// Whether its carriers, if there are many, can be told apart in a signal of this rate: their spacing is
    /// a whole part of it.
    pub fn is_told_apart_at(&self, rate: SampleRate) -> bool {
        let Waveform::Multicarrier(many) = &self.waveform else { return true };
        let samples = rate.hertz() / many.spacing_hertz;
        (samples - libm::rint(samples)).abs() < 1e-9 * samples
    }
}

/// From a frequency to another.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Sweep {
    /// So many hertz in equal times.
    Linear,
    /// So many doublings in equal times.
    Logarithmic,
}

/// What a part is. Times are in samples from its start, frequencies in hertz, amplitudes in the signal's own
/// unit.
#[derive(Debug, Clone, PartialEq)]
#[non_exhaustive]
pub enum Waveform {
    /// The same level all along.
    Constant {
        /// The level.
        level: f64,
    },
    /// amplitude·sin(2πft + phase).
    Tone {
        /// Its frequency.
        hertz: f64,
        /// Its amplitude.
        amplitude: f64,
        /// Its phase at the start, in degrees.
        phase_degrees: f64,
    },
    /// A sine whose frequency goes from one to another over the whole part.
    Chirp {
        /// At the start.
        from_hertz: f64,
        /// At the end.
        to_hertz: f64,
        /// How it goes there.
        sweep: Sweep,
        /// Its amplitude.
        amplitude: f64,
    },
    /// Between plus and minus the amplitude: high for `duty` of every period. Sampled as it is, with what
    /// that folds down.
    Square {
        /// Its frequency.
        hertz: f64,
        /// Its amplitude.
        amplitude: f64,
        /// The share of a period that it is high, above 0 and below 1.
        duty: f64,
    },
    /// From minus the amplitude up to plus the amplitude and down again.
    Triangle {
        /// Its frequency.
        hertz: f64,
        /// Its amplitude.
        amplitude: f64,
    },
    /// The amplitude from `at` for `width` samples, and again after every `every` samples if that is not 0. A
    /// width of 1 is an impulse, one without end a step.
    Pulse {
        /// The first sample.
        at: u64,
        /// Samples.
        width: u64,
        /// From one to the next; 0 for a single one.
        every: u64,
        /// The level.
        amplitude: f64,
    },
    /// White noise with a normal distribution.
    WhiteNoise {
        /// The root of its mean square.
        rms: f64,
    },
    /// Noise whose density falls by 3 dB for every doubling, from 10⁻⁵ of the sample rate up.
    PinkNoise {
        /// The root of its mean square.
        rms: f64,
    },
    /// White noise through a Butterworth filter of order 8 with -3 dB at both ends; a low-pass if the first
    /// is 0.
    BandNoise {
        /// From and to.
        band_hertz: [f64; 2],
        /// The root of its mean square.
        rms: f64,
    },
    /// A hum with harmonics whose frequency wanders.
    Hum {
        /// Its frequency in the mean.
        hertz: f64,
        /// The amplitude of the fundamental.
        amplitude: f64,
        /// The amplitudes of the second, third, … harmonic over that of the fundamental.
        harmonics: Vec<f64>,
        /// The frequency goes up and down by so much, as a sine,
        drift_hertz: f64,
        /// over so many seconds.
        drift_period_s: f64,
    },
    /// Spikes at random times, of random sign, that jump up and die away.
    Spikes {
        /// How many a second in the mean.
        per_second: f64,
        /// The largest; sizes are uniform from a third of it.
        amplitude: f64,
        /// Samples in which a spike falls by a factor of e.
        decay: f64,
    },
    /// A carrier with keyed symbols.
    Keyed(KeyedCarrier),
    /// Many carriers side by side.
    Multicarrier(Multicarrier),
}

impl SignalPlan {
    /// Reads and checks a plan: TOML, every quantity with its unit.
    ///
    /// # Errors
    /// [`SpecError`] with line, column and key.
    #[cfg(feature = "spec-file")]
    pub fn parse(text: &str) -> Result<Self, SpecError> {
        read::plan(text)
    }

    /// The signal, from its first sample on.
    pub fn start(&self) -> RunningSignal {
        RunningSignal::new(self)
    }
}
