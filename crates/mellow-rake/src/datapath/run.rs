//! The bit-true simulator: the exact reading of a datapath, and the definition of what it computes.

use super::equations::Equations;
use super::machine_words::MachineWords;
use super::ports::words;
use super::walk::{Arithmetic, Machine, Place};
use super::{Checked, Sign};
use crate::fixed::{Overflow, Rounding, WordFormat};

/// Integers in 128 bits. A product of two 64-bit words fits; sums wrap modulo 2^128, which leaves every
/// accumulator of up to 64 bits exact.
#[derive(Default)]
pub(super) struct Exact {
    limited: bool,
}

impl Arithmetic for Exact {
    type Word = i128;

    fn zero(&self) -> i128 {
        0
    }
    fn coefficient(&mut self, value: i64, _: WordFormat) -> i128 {
        value.into()
    }
    fn product(&mut self, _: Place, left: i128, right: i128) -> i128 {
        left.wrapping_mul(right)
    }
    fn add(&mut self, sum: i128, sign: Sign, term: i128, shift: u32) -> i128 {
        let term = if shift < 128 { term << shift } else { 0 };
        match sign {
            Sign::Plus => sum.wrapping_add(term),
            Sign::Minus => sum.wrapping_sub(term),
        }
    }
    fn close_sum(&mut self, _: Place, sum: i128, format: WordFormat) -> i128 {
        format.wrap(sum)
    }
    fn round(&mut self, _: Place, word: i128, shift: i32, rounding: Rounding) -> i128 {
        if shift >= 0 { rounding.shift_right(word, shift as u32) } else { word << -shift }
    }
    fn limit(&mut self, _: Place, word: i128, to: WordFormat, how: Overflow) -> i128 {
        let limited = how.limit(word, to);
        self.limited |= limited != word;
        limited
    }
}

/// Runs a checked datapath firing by firing, exactly.
///
/// ```
/// use mellow_rake::datapath::{Simulator, fir_direct};
/// use mellow_rake::fixed::{Overflow, Rounding, round_coefficients};
/// let word = "s16f15".parse()?;
/// let taps = round_coefficients(&[vec![0.5, 0.5]], "s16f14".parse()?)?;
/// let average = fir_direct(&taps, word, word, Rounding::HalfUp, Overflow::Saturate)?.check()?;
/// let mut simulator = Simulator::new(&average);
/// assert_eq!([100, 201, -7].map(|x| simulator.step(x)), [50, 151, 97]);
/// # Ok::<(), Box<dyn std::error::Error>>(())
/// ```
pub struct Simulator<'a> {
    engine: Engine<'a>,
    /// The words of the firing that is not complete yet.
    waiting: Vec<i64>,
    /// Words that a firing takes.
    needed: usize,
    /// What the last firing gave.
    given: Vec<i64>,
    limited: u64,
}

/// What runs the program.
enum Engine<'a> {
    /// Operation by operation, in words of any size.
    Reference { machine: Box<Machine<'a, Exact>>, inputs: Vec<WordFormat> },
    /// As difference equations in machine words.
    Words(Box<MachineWords>),
}

impl<'a> Simulator<'a> {
    /// A simulator in the zero state: in machine words where every word is proved to be one, else operation
    /// by operation. Both give the same integers.
    pub fn new(checked: &'a Checked) -> Self {
        let words = Equations::of(checked).and_then(|equations| MachineWords::new(&equations));
        match words {
            Some(words) => Simulator::with(checked, Engine::Words(Box::new(words))),
            None => Simulator::reference(checked),
        }
    }

    /// A simulator that runs the program operation by operation: slow, and the judge of the other.
    pub fn reference(checked: &'a Checked) -> Self {
        let datapath = checked.datapath();
        let machine = Box::new(Machine::new(datapath, checked.fractions(), Exact::default()));
        let inputs = words(&datapath.inputs).collect();
        Simulator::with(checked, Engine::Reference { machine, inputs })
    }

    fn with(checked: &'a Checked, engine: Engine<'a>) -> Self {
        let (needed, given) = (checked.datapath().words_in(), checked.datapath().words_out());
        let waiting = Vec::with_capacity(needed);
        Simulator { engine, waiting, needed, given: vec![0; given], limited: 0 }
    }

    /// Whether it runs in machine words.
    pub fn is_fast(&self) -> bool {
        matches!(self.engine, Engine::Words(_))
    }

    /// One word in, and the last word that came out; nothing is allocated. Of a program that gives one word
    /// for each this is the next word of its output. Others wait until the words of a firing are complete,
    /// and give zero before the first: their whole output is what [`take`](Simulator::take) and
    /// [`run`](Simulator::run) give.
    ///
    /// An input beyond the input format is first brought to its nearest end, as a converter would.
    pub fn step(&mut self, input: i64) -> i64 {
        self.take(input);
        self.given.last().copied().unwrap_or(0)
    }

    /// One word in: what the firing gives that it completes, port by port, and nothing where more words are
    /// needed first. The words of a firing come port by port, too. Nothing is allocated.
    ///
    /// ```
    /// use mellow_rake::datapath::{Simulator, fir_decimator};
    /// use mellow_rake::fixed::{Overflow, Rounding, round_coefficients};
    /// let word = "s16f15".parse()?;
    /// let taps = round_coefficients(&[vec![0.5, 0.5]], "s16f15".parse()?)?;
    /// let (rounding, overflow) = (Rounding::HalfUp, Overflow::Saturate);
    /// let halve = fir_decimator(&taps, 2, word, word, rounding, overflow)?.check()?;
    /// let mut simulator = Simulator::new(&halve);
    /// assert_eq!(simulator.take(100), []);
    /// assert_eq!(simulator.take(200), [150]);
    /// # Ok::<(), Box<dyn std::error::Error>>(())
    /// ```
    pub fn take(&mut self, input: i64) -> &[i64] {
        self.waiting.push(input);
        if self.waiting.len() < self.needed {
            return &[];
        }
        let limited = match &mut self.engine {
            Engine::Words(words) => words.fire(&self.waiting, &mut self.given),
            Engine::Reference { machine, inputs } => {
                machine.arithmetic.limited = false;
                let pairs = self.waiting.iter().zip(inputs.iter());
                let clamped = pairs.map(|(x, to)| Overflow::Saturate.limit((*x).into(), *to));
                let output = machine.step(clamped);
                for (slot, word) in self.given.iter_mut().zip(output) {
                    // Output formats have at most 64 bits; the check refuses unsigned ones of 64.
                    *slot = *word as i64;
                }
                machine.arithmetic.limited
            }
        };
        self.waiting.clear();
        self.limited += u64::from(limited);
        &self.given
    }

    /// A whole signal through the program: the words of firing after firing, within a firing port by port.
    /// What does not complete a firing waits for the next call.
    pub fn run(&mut self, input: &[i64]) -> Vec<i64> {
        // What fills up a firing that has begun goes word by word.
        let first = (self.needed - self.waiting.len()) % self.needed;
        let (begun, rest) = input.split_at(first.min(input.len()));
        let (whole, left) = rest.split_at(rest.len() - rest.len() % self.needed);
        let firings = (self.waiting.len() + input.len()) / self.needed;
        let mut output = Vec::with_capacity(firings.saturating_mul(self.given.len()));
        begun.iter().for_each(|x| output.extend_from_slice(self.take(*x)));
        if let Engine::Words(words) = &mut self.engine {
            self.limited += words.run(whole, &mut output);
            if !whole.is_empty() {
                let last = output.len() - self.given.len();
                self.given.copy_from_slice(&output[last..]);
            }
        } else {
            whole.iter().for_each(|x| output.extend_from_slice(self.take(*x)));
        }
        left.iter().for_each(|x| output.extend_from_slice(self.take(*x)));
        output
    }

    /// In how many firings so far some limit changed a word.
    pub fn limited_samples(&self) -> u64 {
        self.limited
    }
}
