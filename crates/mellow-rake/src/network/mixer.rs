//! Mixers: samples times the wave of an oscillator, exactly.

use crate::fixed::{Oscillator, WordFormat};

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

impl Mixing {
    /// Words of a sample that goes in, and of one that comes out.
    pub fn words(self) -> (usize, usize) {
        match self {
            Mixing::RealToComplex => (1, 2),
            Mixing::ComplexToReal => (2, 1),
            Mixing::Complex => (2, 2),
        }
    }

    /// Products for one sample.
    pub fn products(self) -> usize {
        match self {
            Mixing::Complex => 4,
            _ => 2,
        }
    }

    /// The products of the words that come out: for each the number of the word that goes in, whether it is
    /// multiplied by the sine (else the cosine), and whether that is taken away.
    pub(crate) fn terms(self) -> &'static [&'static [(usize, bool, bool)]] {
        match self {
            Mixing::RealToComplex => &[&[(0, false, false)], &[(0, true, false)]],
            Mixing::ComplexToReal => &[&[(0, false, false), (1, true, true)]],
            Mixing::Complex => {
                &[&[(0, false, false), (1, true, true)], &[(0, true, false), (1, false, false)]]
            }
        }
    }
}

/// A mixer: each sample times the wave of an oscillator, whose phase moves on with each. Its products and
/// sums are exact; a program behind it rounds them.
///
/// ```
/// use mellow_rake::fixed::{Oscillator, OscillatorWords};
/// use mellow_rake::network::{Mixer, Mixing};
/// let words = OscillatorWords { phase_bits: 8, address_bits: 4, width: 8 };
/// let down = Mixer::new(Oscillator::new(words, -0.125)?, Mixing::RealToComplex, "s8f7".parse()?);
/// assert_eq!(down.output().to_string(), "s15f14");
/// assert_eq!(down.mixed(&[100, -100], 1, 0), [12_500, 2_500, -10_600, 7_100]);
/// # Ok::<(), Box<dyn std::error::Error>>(())
/// ```
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Mixer {
    oscillator: Oscillator,
    mixing: Mixing,
    input: WordFormat,
    output: WordFormat,
}

impl Mixer {
    /// The widest word that goes in: its products with values of 31 bits and a sign, and the sums of these,
    /// have 64.
    pub const WIDEST: u32 = 31;

    /// A mixer of words of a format. A format wider than [`WIDEST`](Self::WIDEST) is one that no network
    /// takes.
    pub fn new(oscillator: Oscillator, mixing: Mixing, input: WordFormat) -> Self {
        let size = i128::from(largest(&oscillator, mixing));
        let end = input.maximum().max(-input.minimum());
        // Values have both signs, so both ends are met.
        let fraction = input.fraction() + oscillator.format().fraction();
        let output = WordFormat::holding(-size * end, size * end, fraction).unwrap_or(input);
        Mixer { oscillator, mixing, input, output }
    }

    /// Its oscillator.
    pub fn oscillator(&self) -> &Oscillator {
        &self.oscillator
    }

    /// What it takes and gives.
    pub fn mixing(&self) -> Mixing {
        self.mixing
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
        self.oscillator.format().value(largest(&self.oscillator, self.mixing))
    }

    /// By how much the mean power of a word grows, where the words of a sample have the same power and have
    /// nothing to do with each other.
    pub fn power_gain(&self) -> f64 {
        let squares = self.oscillator.quarter().iter().map(|value| {
            let value = self.oscillator.format().value(*value);
            value * value
        });
        // Sine and cosine alike.
        let mean = squares.sum::<f64>() / self.oscillator.quarter().len() as f64;
        mean * self.mixing.terms()[0].len() as f64
    }

    /// Samples as they come out, the first of which has a number. Of several channels their words stand side
    /// by side in a sample, `lanes` in all; they share the oscillator.
    ///
    /// # Panics
    /// Where `lanes` is no multiple of the words of a sample.
    pub fn mixed(&self, words: &[i64], lanes: usize, first: u64) -> Vec<i64> {
        let wave = |place: usize| self.oscillator.wave(self.oscillator.phase(first + place as u64));
        self.all(words, lanes, wave)
    }

    /// The same of values, from the first sample on.
    pub(crate) fn mixed_values(&self, values: &[f64], lanes: usize) -> Vec<f64> {
        let format = self.oscillator.format();
        let value = |value| format.value(value);
        let wave =
            |place: usize| self.oscillator.wave(self.oscillator.phase(place as u64)).map(value);
        self.all(values, lanes, wave)
    }

    fn all<T>(&self, words: &[T], lanes: usize, wave: impl Fn(usize) -> [T; 2]) -> Vec<T>
    where
        T: Copy + std::ops::Mul<Output = T> + std::ops::Neg<Output = T> + std::iter::Sum,
    {
        let takes = self.mixing.words().0;
        assert!(lanes > 0 && lanes.is_multiple_of(takes), "{lanes} words, {takes} of a sample");
        let mut output = Vec::new();
        for (place, sample) in words.chunks_exact(lanes).enumerate() {
            let wave = wave(place);
            for sample in sample.chunks_exact(takes) {
                for terms in self.mixing.terms() {
                    let product = |(word, is_sine, is_minus): &(usize, bool, bool)| {
                        let product = sample[*word] * wave[usize::from(*is_sine)];
                        if *is_minus { -product } else { product }
                    };
                    output.push(terms.iter().map(product).sum());
                }
            }
        }
        output
    }
}

/// The largest that words of size 1 can become, as an integer of the oscillator.
fn largest(oscillator: &Oscillator, mixing: Mixing) -> i64 {
    match mixing {
        Mixing::RealToComplex => oscillator.largest(),
        _ => oscillator.largest_pair(),
    }
}
