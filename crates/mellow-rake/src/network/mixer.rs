//! Mixers: samples times the wave of an oscillator, exactly.

use crate::fixed::{Oscillator, OscillatorError, OscillatorWords, Waves, WordFormat};
use std::fmt;

/// What a mixer takes and gives. A complex sample is two words, the real part first.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
#[cfg_attr(feature = "serde", derive(serde::Serialize))]
#[cfg_attr(feature = "serde", serde(rename_all = "kebab-case"))]
#[non_exhaustive]
pub enum Mixing {
    /// x becomes (x cos φ, x sin φ).
    RealToComplex,
    /// (x, y) becomes x cos φ − y sin φ, the real part of (x + jy) e^{jφ}.
    ComplexToReal,
    /// (x, y) becomes (x cos φ − y sin φ, x sin φ + y cos φ), which is (x + jy) e^{jφ}.
    Complex,
}

impl fmt::Display for Mixing {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str(match self {
            Mixing::RealToComplex => "real to complex",
            Mixing::ComplexToReal => "complex to real",
            Mixing::Complex => "complex to complex",
        })
    }
}

/// One product of a word that comes out.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) struct MixedTerm {
    /// The number of the word that goes in.
    pub(crate) word: usize,
    /// The number of the oscillator.
    pub(crate) oscillator: usize,
    /// Whether it is multiplied by the sine, else by the cosine.
    pub(crate) is_sine: bool,
    /// Whether that is taken away.
    pub(crate) is_minus: bool,
}

/// Why there is no such mixer.
#[derive(Debug, Clone, PartialEq, thiserror::Error)]
#[non_exhaustive]
pub enum MixerError {
    /// More oscillators than a mixer can have, or none.
    #[error("a mixer of samples {mixing} has {found} oscillators; {accepted} accepted")]
    Oscillators {
        /// What it takes and gives.
        mixing: Mixing,
        /// How many it was to have.
        found: usize,
        /// How many it can have.
        accepted: &'static str,
    },
    /// An oscillator that cannot be.
    #[error(transparent)]
    Oscillator(#[from] OscillatorError),
}

/// A mixer: each sample times the wave of an oscillator, whose phase moves on with each. Its products and
/// sums are exact; a program behind it rounds them.
///
/// With several oscillators, which share their table and their dither, a real sample is split into as many
/// complex ones, each of its own frequency, and as many complex samples are merged into the sum of the real
/// ones that they become.
///
/// ```
/// use mellow_rake::fixed::{Oscillator, OscillatorWords};
/// use mellow_rake::network::{Mixer, Mixing};
/// let words = OscillatorWords { phase_bits: 8, address_bits: 4, width: 8, dither: None };
/// let down = Mixer::new(Oscillator::new(words, -0.125)?, Mixing::RealToComplex, "s8f7".parse()?);
/// assert_eq!(down.output().to_string(), "s15f14");
/// assert_eq!(down.mixed(&[100, -100], 1, 0), [12_500, 2_500, -10_600, 7_100]);
/// let both = Mixer::several(words, &[-0.125, 0.25], Mixing::RealToComplex, "s8f7".parse()?)?;
/// assert_eq!(both.words(), (1, 4));
/// assert_eq!(both.mixed(&[100], 1, 0), [12_500, 2_500, 12_500, 2_500]);
/// # Ok::<(), Box<dyn std::error::Error>>(())
/// ```
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Mixer {
    /// One at least, all of the same words.
    oscillators: Vec<Oscillator>,
    mixing: Mixing,
    input: WordFormat,
    output: WordFormat,
    has_loadable_steps: bool,
}

impl Mixer {
    /// The widest word that goes in: its products with values of 31 bits and a sign, and the sums of these,
    /// have 64.
    pub const WIDEST: u32 = 31;

    /// The most oscillators.
    pub const MOST_OSCILLATORS: usize = 16;

    /// A mixer of words of a format. A format wider than [`widest`](Self::widest) is one that no network
    /// takes.
    pub fn new(oscillator: Oscillator, mixing: Mixing, input: WordFormat) -> Self {
        Mixer::of(vec![oscillator], mixing, input)
    }

    /// A mixer with an oscillator for each of some parts of a turn from sample to sample.
    ///
    /// # Errors
    /// [`MixerError`] for oscillators that cannot be, none or more than
    /// [`MOST_OSCILLATORS`](Self::MOST_OSCILLATORS) of them, or several where complex samples stay complex.
    pub fn several(
        words: OscillatorWords,
        turns: &[f64],
        mixing: Mixing,
        input: WordFormat,
    ) -> Result<Self, MixerError> {
        let (most, accepted) = match mixing {
            Mixing::Complex => (1, "1 is"),
            _ => (Mixer::MOST_OSCILLATORS, "1 to 16 are"),
        };
        let found = turns.len();
        if !(1..=most).contains(&found) {
            return Err(MixerError::Oscillators { mixing, found, accepted });
        }
        let all = turns.iter().map(|turns| Oscillator::new(words, *turns));
        Ok(Mixer::of(all.collect::<Result<_, _>>()?, mixing, input))
    }

    fn of(oscillators: Vec<Oscillator>, mixing: Mixing, input: WordFormat) -> Self {
        let size = i128::from(largest(&oscillators, mixing));
        let end = input.maximum().max(-input.minimum());
        // Values have both signs, so both ends are met.
        let fraction = input.fraction() + oscillators[0].format().fraction();
        let output = WordFormat::holding(-size * end, size * end, fraction).unwrap_or(input);
        Mixer { oscillators, mixing, input, output, has_loadable_steps: false }
    }

    /// The same with steps that can be set while it runs: other frequencies of its oscillators. What is
    /// proved of levels holds for any.
    pub fn with_loadable_steps(self) -> Self {
        Mixer { has_loadable_steps: true, ..self }
    }

    /// Whether its steps can be set while it runs.
    pub fn has_loadable_steps(&self) -> bool {
        self.has_loadable_steps
    }

    /// The widest word that goes into this one, so that the sums of its products have 64 bits.
    pub fn widest(&self) -> u32 {
        match self.mixing {
            Mixing::ComplexToReal => {
                let doublings = self.oscillators.len().next_power_of_two().trailing_zeros();
                Mixer::WIDEST - doublings
            }
            _ => Mixer::WIDEST,
        }
    }

    /// Its oscillators, which have the same words and the same table.
    pub fn oscillators(&self) -> &[Oscillator] {
        &self.oscillators
    }

    /// The first of its oscillators, with the words and the table of all.
    pub fn oscillator(&self) -> &Oscillator {
        &self.oscillators[0]
    }

    /// What it takes and gives.
    pub fn mixing(&self) -> Mixing {
        self.mixing
    }

    /// Words of a sample that goes in, and of one that comes out.
    pub fn words(&self) -> (usize, usize) {
        let count = self.oscillators.len();
        match self.mixing {
            Mixing::RealToComplex => (1, 2 * count),
            Mixing::ComplexToReal => (2 * count, 1),
            Mixing::Complex => (2, 2),
        }
    }

    /// Products for one sample.
    pub fn products(&self) -> usize {
        match self.mixing {
            Mixing::Complex => 4,
            _ => 2 * self.oscillators.len(),
        }
    }

    /// The products of the words that come out.
    pub(crate) fn terms(&self) -> Vec<Vec<MixedTerm>> {
        let term =
            |word, oscillator, is_sine, is_minus| MixedTerm { word, oscillator, is_sine, is_minus };
        let each = 0..self.oscillators.len();
        match self.mixing {
            Mixing::RealToComplex => each
                .flat_map(|own| [false, true].map(|is_sine| vec![term(0, own, is_sine, false)]))
                .collect(),
            Mixing::ComplexToReal => {
                let pair =
                    |own| [term(2 * own, own, false, false), term(2 * own + 1, own, true, true)];
                vec![each.flat_map(pair).collect()]
            }
            Mixing::Complex => vec![
                vec![term(0, 0, false, false), term(1, 0, true, true)],
                vec![term(0, 0, true, false), term(1, 0, false, false)],
            ],
        }
    }

    /// The format of a word that goes in.
    pub fn input(&self) -> WordFormat {
        self.input
    }

    /// The format of a word that comes out: it holds every sum of products.
    pub fn output(&self) -> WordFormat {
        self.output
    }

    /// By how much a word can be larger that comes out than those that go in, at the most, as a value.
    pub fn largest_gain(&self) -> f64 {
        self.oscillator().format().value(largest(&self.oscillators, self.mixing))
    }

    /// By how much the mean power of a word grows, where the words of a sample have the same power and have
    /// nothing to do with each other.
    pub fn power_gain(&self) -> f64 {
        let (format, quarter) = (self.oscillator().format(), self.oscillator().quarter());
        let squares = quarter.iter().map(|value| {
            let value = format.value(*value);
            value * value
        });
        // Sine and cosine alike.
        let mean = squares.sum::<f64>() / quarter.len() as f64;
        mean * self.terms()[0].len() as f64
    }

    /// Samples as they come out, the first of which has a number. Of several channels their words stand side
    /// by side in a sample, `lanes` in all; they share the oscillators.
    ///
    /// # Panics
    /// Where `lanes` is no multiple of the words of a sample.
    pub fn mixed(&self, words: &[i64], lanes: usize, first: u64) -> Vec<i64> {
        let mut waves: Vec<_> = self.oscillators.iter().map(|own| own.waves(first)).collect();
        self.all(words, lanes, &mut waves, |value| value)
    }

    /// The next samples, by waves that go on.
    pub(crate) fn mixed_on(
        &self,
        words: &[i64],
        lanes: usize,
        waves: &mut [Waves<'_>],
    ) -> Vec<i64> {
        self.all(words, lanes, waves, |value| value)
    }

    /// The same of values, from the first sample on.
    pub(crate) fn mixed_values(&self, values: &[f64], lanes: usize) -> Vec<f64> {
        let format = self.oscillator().format();
        let mut waves: Vec<_> = self.oscillators.iter().map(|own| own.waves(0)).collect();
        self.all(values, lanes, &mut waves, |value| format.value(value))
    }

    fn all<T>(
        &self,
        words: &[T],
        lanes: usize,
        waves: &mut [Waves<'_>],
        value: impl Fn(i64) -> T,
    ) -> Vec<T>
    where
        T: Copy + std::ops::Mul<Output = T> + std::ops::Neg<Output = T> + std::iter::Sum,
    {
        let takes = self.words().0;
        assert!(lanes > 0 && lanes.is_multiple_of(takes), "{lanes} words, {takes} of a sample");
        let mut output = Vec::new();
        let terms = self.terms();
        for sample in words.chunks_exact(lanes) {
            let now = waves.iter_mut().filter_map(Iterator::next);
            let now: Vec<[T; 2]> = now.map(|wave| wave.map(&value)).collect();
            for sample in sample.chunks_exact(takes) {
                for terms in &terms {
                    let product = |term: &MixedTerm| {
                        let wave = now[term.oscillator][usize::from(term.is_sine)];
                        let product = sample[term.word] * wave;
                        if term.is_minus { -product } else { product }
                    };
                    output.push(terms.iter().map(product).sum());
                }
            }
        }
        output
    }
}

/// The largest that words of size 1 can become, as an integer of the oscillators.
fn largest(oscillators: &[Oscillator], mixing: Mixing) -> i64 {
    match mixing {
        Mixing::RealToComplex => oscillators[0].largest(),
        _ => oscillators.iter().map(Oscillator::largest_pair).sum(),
    }
}
