//! Oscillators on integers: a phase that wraps by design, and a table of sines that it reads.
//!
//! The phase is a word of N bits that grows by a constant step with every sample, modulo 2^N (J. Tierney,
//! C. M. Rader, B. Gold, "A digital frequency synthesizer", 1971). Its highest P bits are the address of a
//! sine that is stored for a quarter of a turn. The stored values stand for the middle of each address,
//! sin(2π (k + 1/2)/2^P), so that all four quarters are the same table read forward or backward, and no value
//! is missing at their ends.
//!
//! The bits of the phase below the address are cut off, which gives lines beside the wave. A dither adds a
//! random number of as many bits to the phase before they are cut (M. J. Flanagan, G. A. Zimmerman,
//! "Spur-reduced digital sinusoid synthesis", 1995): the lines become noise, and what is left of them is
//! twice as far down in decibels. The numbers are the highest bits of a word of 32 bits that goes on by three
//! shifts, x ^= x << 13, x ^= x >> 17, x ^= x << 5, through all 2^32 − 1 words that are not 0 (G. Marsaglia,
//! "Xorshift RNGs", 2003).

use super::{FormatError, WordFormat};
use num_complex::Complex64;
use rustfft::FftPlanner;
use std::f64::consts::{PI, TAU};

/// The words of an oscillator.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash)]
pub struct OscillatorWords {
    /// Bits of the phase, 4 to 32: the frequency is a multiple of the sample rate over 2 to this power.
    pub phase_bits: u32,
    /// Bits of the phase that the sine is read with, 4 to 16 and no more than the phase has.
    pub address_bits: u32,
    /// Bits of a stored value, 2 to 32, one of them its sign, none of the others before the binary point.
    pub width: u32,
    /// The seed of a dither of the phase, not 0; `None`: without.
    pub dither: Option<u32>,
}

impl Default for OscillatorWords {
    /// 32 bits of phase, 12 of address, values of 16 bits, no dither.
    fn default() -> Self {
        OscillatorWords { phase_bits: 32, address_bits: 12, width: 16, dither: None }
    }
}

/// Why there is no such oscillator.
#[derive(Debug, Clone, PartialEq, thiserror::Error)]
#[non_exhaustive]
pub enum OscillatorError {
    /// A number of bits out of its range.
    #[error("{what} of an oscillator has {found} bits; {lowest} to {highest} are accepted")]
    Bits {
        /// Which.
        what: &'static str,
        /// The bits.
        found: u32,
        /// The fewest accepted.
        lowest: u32,
        /// The most.
        highest: u32,
    },
    /// A seed that numbers do not go on from.
    #[error("the seed of a dither is 0; 1 to {} is accepted", u32::MAX)]
    Seed,
    /// A frequency that is none at this rate.
    #[error(
        "an oscillator turns by {found} of a turn from sample to sample; −1/2 to 1/2 is accepted"
    )]
    Turns {
        /// Turns per sample.
        found: f64,
    },
    /// A frequency that is zero in this phase.
    #[error(
        "{found} of a turn from sample to sample is nothing in a phase of {phase_bits} bits; {more} bits \
         more would do"
    )]
    Stands {
        /// Turns per sample.
        found: f64,
        /// Bits of the phase.
        phase_bits: u32,
        /// Bits missing.
        more: u32,
    },
    /// A format that cannot be.
    #[error(transparent)]
    Format(#[from] FormatError),
}

/// An oscillator: e^{jφ} with a phase φ that a step is added to with each sample.
///
/// ```
/// use mellow_rake::fixed::{Oscillator, OscillatorWords};
/// let words = OscillatorWords { phase_bits: 8, address_bits: 4, width: 8, dither: None };
/// let eighth = Oscillator::new(words, 0.125)?;
/// assert_eq!((eighth.step(), eighth.turns()), (32, 0.125));
/// // Cosine and sine in the middle of the first of 16 addresses, and an eighth of a turn further.
/// assert_eq!(eighth.wave(eighth.phase(0)), [125, 25]);
/// assert_eq!(eighth.wave(eighth.phase(1)), [71, 106]);
/// # Ok::<(), mellow_rake::fixed::OscillatorError>(())
/// ```
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Oscillator {
    words: OscillatorWords,
    step: u32,
    format: WordFormat,
    quarter: Vec<i64>,
}

impl Oscillator {
    /// An oscillator that turns by some part of a turn from sample to sample, as near as its phase can:
    /// −1/2 to 1/2, backward where that is below zero.
    ///
    /// # Errors
    /// [`OscillatorError`] for bits out of their range, a frequency beyond half of the rate, or one that is
    /// lost in the phase.
    pub fn new(words: OscillatorWords, turns: f64) -> Result<Self, OscillatorError> {
        let OscillatorWords { phase_bits, address_bits, width, dither } = words;
        let all = [
            ("the phase", phase_bits, 4, 32),
            ("the address", address_bits, 4, 16.min(phase_bits)),
            ("a value", width, 2, 32),
        ];
        for (what, found, lowest, highest) in all {
            if !(lowest..=highest).contains(&found) {
                return Err(OscillatorError::Bits { what, found, lowest, highest });
            }
        }
        if dither == Some(0) {
            return Err(OscillatorError::Seed);
        }
        if turns.is_nan() || libm::fabs(turns) > 0.5 {
            return Err(OscillatorError::Turns { found: turns });
        }
        let steps = libm::round(libm::scalbn(turns, phase_bits as i32)) as i64;
        if steps == 0 && turns != 0.0 {
            let bits = libm::ceil(-libm::log2(2.0 * libm::fabs(turns)));
            let more = (bits.min(1e6) as u32).saturating_sub(phase_bits).max(1);
            return Err(OscillatorError::Stands { found: turns, phase_bits, more });
        }
        let format = WordFormat::new(true, width, width as i32 - 1)?;
        let peak = format.maximum() as f64;
        let angle = |k: usize| libm::scalbn(TAU * (k as f64 + 0.5), -(address_bits as i32));
        let value = |k: usize| libm::round(peak * libm::sin(angle(k))) as i64;
        let quarter = (0..1 << (address_bits - 2)).map(value).collect();
        let step = (steps as u32) & mask(phase_bits);
        Ok(Oscillator { words, step, format, quarter })
    }

    /// Its words.
    pub fn words(&self) -> OscillatorWords {
        self.words
    }

    /// What the phase grows by, modulo 2^(bits of the phase).
    pub fn step(&self) -> u32 {
        self.step
    }

    /// The format of its values.
    pub fn format(&self) -> WordFormat {
        self.format
    }

    /// A quarter of a turn of the sine, the values in the middle of each address.
    pub fn quarter(&self) -> &[i64] {
        &self.quarter
    }

    /// Bits of the phase below those of the address.
    pub fn dropped_bits(&self) -> u32 {
        self.words.phase_bits - self.words.address_bits
    }

    /// What it turns by from sample to sample, exactly, from −1/2 to below 1/2.
    pub fn turns(&self) -> f64 {
        let bits = self.words.phase_bits;
        let half = 1u64 << (bits - 1);
        let step = i64::from(self.step);
        let signed = if u64::from(self.step) >= half { step - (1i64 << bits) } else { step };
        libm::scalbn(signed as f64, -(bits as i32))
    }

    /// The phase at a sample, the first has number 0.
    pub fn phase(&self, sample: u64) -> u32 {
        (sample as u32).wrapping_mul(self.step) & mask(self.words.phase_bits)
    }

    /// Cosine and sine of the samples from one on, as integers; the first has number 0.
    ///
    /// ```
    /// use mellow_rake::fixed::{Oscillator, OscillatorWords};
    /// let words = OscillatorWords { phase_bits: 12, address_bits: 4, width: 8, dither: Some(1) };
    /// let slow = Oscillator::new(words, 1.0 / 4096.0)?;
    /// let all: Vec<[i64; 2]> = slow.waves(0).take(200).collect();
    /// // The second of 16 addresses is met now and then before the phase reaches it.
    /// assert!(all.contains(&[106, 71]) && all.contains(&[125, 25]));
    /// assert_eq!(slow.waves(100).next(), Some(all[100]));
    /// # Ok::<(), mellow_rake::fixed::OscillatorError>(())
    /// ```
    pub fn waves(&self, first: u64) -> Waves<'_> {
        let dither = self.words.dither.map_or(0, |seed| dither_at(seed, first));
        Waves { oscillator: self, step: self.step, phase: self.phase(first), dither }
    }

    /// Cosine and sine of a phase, as integers.
    pub fn wave(&self, phase: u32) -> [i64; 2] {
        let address = phase >> self.dropped_bits();
        [self.sine(address.wrapping_add(1 << (self.words.address_bits - 2))), self.sine(address)]
    }

    fn sine(&self, address: u32) -> i64 {
        let quarter = self.words.address_bits - 2;
        let (turn, place) = ((address >> quarter) & 3, address & mask(quarter));
        let place = if turn & 1 == 0 { place } else { mask(quarter) - place };
        let value = self.quarter[place as usize];
        if turn & 2 == 0 { value } else { -value }
    }

    /// The largest size of a value.
    pub fn largest(&self) -> i64 {
        self.quarter.iter().copied().max().unwrap_or(0)
    }

    /// The largest sum of the sizes of a cosine and a sine of one phase.
    pub fn largest_pair(&self) -> i64 {
        let both = self.quarter.iter().zip(self.quarter.iter().rev());
        both.map(|(sine, cosine)| sine + cosine).max().unwrap_or(0)
    }

    /// What all steps of the phase have in common: no lower bits of it ever change.
    fn common(&self) -> u64 {
        let bits = self.words.phase_bits;
        if self.step == 0 { 1 << bits } else { 1u64 << self.step.trailing_zeros().min(bits) }
    }

    /// The wave that its values stand for: cosine and sine at a sample, as values, of an amplitude that its
    /// format ends at, at the middle of the phases that meet at an address. With a dither at the mean of
    /// those that are met, half of an address on from the phase.
    pub fn ideal(&self, sample: u64) -> [f64; 2] {
        let address_step = 1u64 << self.dropped_bits();
        let middle = match self.words.dither {
            Some(_) => address_step,
            None => self.common().min(address_step),
        };
        let phase = f64::from(self.phase(sample)) + middle as f64 / 2.0;
        let angle = TAU * libm::scalbn(phase, -(self.words.phase_bits as i32));
        let peak = self.format.value(self.format.maximum() as i64);
        [peak * libm::cos(angle), peak * libm::sin(angle)]
    }

    /// How far a value can be from [`ideal`](Self::ideal), rounded outward: half of a step of it, and the
    /// phase that is dropped, for sine and cosine change no faster than their angle. A dither takes it to the
    /// address before or behind, which is up to twice as far.
    pub fn error_bound(&self) -> f64 {
        let address_step = 1u64 << self.dropped_bits();
        let dropped = (address_step - self.common().min(address_step)) as f64;
        let dropped = if self.words.dither.is_some() { dropped } else { dropped / 2.0 };
        let angle = TAU * libm::scalbn(dropped, -(self.words.phase_bits as i32));
        (self.format.step() / 2.0 + angle) * (1.0 + 1e-9) + 1e-15
    }

    /// By how many decibels the wave is above the strongest line beside it, over a whole period; infinite
    /// where there is none. Exact but for the rounding of f64. With a dither what is left of lines where its
    /// numbers are taken for random, and the noise that it makes is not counted
    /// ([`dither_noise_db`](Self::dither_noise_db)).
    ///
    /// All odd multiples of a step have the same lines in another order (H. T. Nicholas, H. Samueli, "An
    /// analysis of the output spectrum of direct digital frequency synthesizers in the presence of
    /// phase-accumulator truncation", 1987), so a step of the largest power of two in it is looked at. With
    /// it each value of the table stands for M samples, M = 2^(N − P) over that step: the lines are those of
    /// the table by itself, repeated, each times that of a pulse M samples long. A dither meets an address
    /// and the next one in parts that go from one to the other: its mean lies on straight lines between the
    /// values of the table, which is the pulse twice.
    pub fn spurious_free_db(&self) -> f64 {
        let Period { lines, hold } = self.period();
        let wanted = usize::from(lines.len() > 1);
        let own = |line: i64| self.pulse(line, lines.len() * hold, hold);
        let carrier = size_of(lines[wanted]) * own(wanted as i64);
        let mut worst = 0.0f64;
        for (line, found) in lines.iter().enumerate() {
            let (line, size) = (line as i64, size_of(*found));
            // The nearest repetitions are the strongest.
            let places = [line, line - lines.len() as i64];
            let beside = places.iter().filter(|place| **place != wanted as i64);
            let beside = beside.filter(|place| hold > 1 || **place == line);
            worst = beside.map(|place| size * own(*place)).fold(worst, f64::max);
        }
        // Below that the transform itself rounds.
        match worst > 1e-13 * carrier {
            true => 20.0 * libm::log10(carrier / worst),
            false => f64::INFINITY,
        }
    }

    /// By how many decibels the wave is above all of the noise that a dither makes; `None` where it makes
    /// none. Its numbers are taken for random, and then the noise is white.
    ///
    /// Between an address and the next, at the part f of the way, the next one is met with the probability f:
    /// the variance there is f(1 − f) times the square of the distance of the two values, and over a period
    /// f goes through the parts j/M, whose mean of f(1 − f) is (M² − 1)/(6 M²).
    pub fn dither_noise_db(&self) -> Option<f64> {
        let Period { lines, hold } = self.period();
        let (count, hold_squared) = (lines.len(), (hold * hold) as f64);
        self.words.dither.filter(|_| hold > 1)?;
        let wave = |k: usize| self.of_address(k % count);
        let apart = (0..count).map(|k| (wave(k + 1) - wave(k)).norm_sqr()).sum::<f64>();
        let noise = apart / count as f64 * (hold_squared - 1.0) / (6.0 * hold_squared);
        let carrier = size_of(lines[1]) * self.pulse(1, count * hold, hold) / count as f64;
        Some(20.0 * libm::log10(carrier) - 10.0 * libm::log10(noise))
    }

    /// The values of an address.
    fn of_address(&self, address: usize) -> Complex64 {
        let [cosine, sine] = self.wave((address as u32) << self.dropped_bits());
        Complex64::new(cosine as f64, sine as f64)
    }

    /// The lines of the addresses that are met, and how many samples each stands for.
    fn period(&self) -> Period {
        let size = 1usize << self.words.address_bits;
        let address_step = 1u64 << self.dropped_bits();
        let common = self.common();
        // Where the steps leave out addresses, only those that are met are a period.
        let skip = ((common / address_step).max(1) as usize).min(size);
        let hold = (address_step / common.min(address_step)) as usize;
        let count = size / skip;
        let mut lines: Vec<Complex64> = (0..count).map(|k| self.of_address(k * skip)).collect();
        FftPlanner::new().plan_fft_forward(count).process(&mut lines);
        Period { lines, hold }
    }

    /// The line of the pulse that a value stands for, of as many samples as it is held; twice with a dither.
    fn pulse(&self, line: i64, period: usize, hold: usize) -> f64 {
        let angle = PI * line as f64 / period as f64;
        let once = match line {
            0 => 1.0,
            _ => libm::fabs(libm::sin(hold as f64 * angle) / (hold as f64 * libm::sin(angle))),
        };
        if self.words.dither.is_some() { once * once } else { once }
    }
}

/// A period of the table.
struct Period {
    lines: Vec<Complex64>,
    /// How many samples each of its values stands for.
    hold: usize,
}

/// The values of an oscillator, sample by sample: [`Oscillator::waves`].
#[derive(Debug, Clone)]
pub struct Waves<'a> {
    oscillator: &'a Oscillator,
    step: u32,
    phase: u32,
    /// The word whose highest bits are the dither; 0 without.
    dither: u32,
}

impl Waves<'_> {
    /// Has the phase grow by another step, modulo 2^(bits of the phase), from the next sample to the one
    /// behind it on: another frequency, without a jump of the phase.
    ///
    /// ```
    /// use mellow_rake::fixed::{Oscillator, OscillatorWords};
    /// let oscillator = Oscillator::new(OscillatorWords::default(), 0.25)?;
    /// let mut waves = oscillator.waves(0);
    /// waves.set_step(1 << 31);
    /// let all: Vec<[i64; 2]> = waves.take(3).collect();
    /// assert_eq!(all[1], [-all[0][0], -all[0][1]]);
    /// assert_eq!(all[2], all[0]);
    /// # Ok::<(), mellow_rake::fixed::OscillatorError>(())
    /// ```
    pub fn set_step(&mut self, step: u32) {
        self.step = step & mask(self.oscillator.words.phase_bits);
    }

    /// Cosine and sine of the sample that it is at.
    pub(crate) fn now(&self) -> [i64; 2] {
        let added = u64::from(self.dither) >> (32 - self.oscillator.dropped_bits());
        self.oscillator.wave(self.phase.wrapping_add(added as u32))
    }

    /// On to the next sample.
    pub(crate) fn advance(&mut self) {
        let bits = self.oscillator.words.phase_bits;
        self.phase = self.phase.wrapping_add(self.step) & mask(bits);
        self.dither = dither_behind(self.dither);
    }
}

impl Iterator for Waves<'_> {
    type Item = [i64; 2];

    fn next(&mut self) -> Option<[i64; 2]> {
        let wave = self.now();
        self.advance();
        Some(wave)
    }
}

/// The word of a dither behind one; behind 0 it stays 0.
fn dither_behind(mut word: u32) -> u32 {
    word ^= word << 13;
    word ^= word >> 17;
    word ^ (word << 5)
}

/// The word of a dither so many samples behind its seed. Each step is linear in the bits, so that many are a
/// matrix, and twice as many its square.
fn dither_at(seed: u32, samples: u64) -> u32 {
    let through = |matrix: &[u32; 32], word: u32| {
        let columns = (0..32).filter(|bit| word >> bit & 1 == 1).map(|bit| matrix[bit as usize]);
        columns.fold(0, |sum, column| sum ^ column)
    };
    let mut matrix: [u32; 32] = std::array::from_fn(|bit| dither_behind(1 << bit));
    let (mut word, mut left) = (seed, samples % u64::from(u32::MAX));
    while left > 0 {
        if left & 1 == 1 {
            word = through(&matrix, word);
        }
        matrix = matrix.map(|column| through(&matrix, column));
        left >>= 1;
    }
    word
}

/// So many ones.
fn mask(bits: u32) -> u32 {
    1u32.checked_shl(bits).map_or(u32::MAX, |above| above - 1)
}

fn size_of(line: Complex64) -> f64 {
    libm::hypot(line.re, line.im)
}
