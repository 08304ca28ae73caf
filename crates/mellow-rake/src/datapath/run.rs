//! The bit-true simulator: the exact reading of a datapath, and the definition of what it computes.

use super::equations::Equations;
use super::machine_words::MachineWords;
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

/// Runs a checked datapath sample by sample, exactly.
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
    checked: &'a Checked,
    limited: u64,
}

/// What runs the program.
enum Engine<'a> {
    /// Operation by operation, in words of any size.
    Reference(Box<Machine<'a, Exact>>),
    /// As difference equations in machine words.
    Words(Box<MachineWords>),
}

impl<'a> Simulator<'a> {
    /// A simulator in the zero state: in machine words where every word is proved to be one, else operation
    /// by operation. Both give the same integers.
    pub fn new(checked: &'a Checked) -> Self {
        let words = Equations::of(checked).and_then(|equations| MachineWords::new(&equations));
        match words {
            Some(words) => {
                Simulator { engine: Engine::Words(Box::new(words)), checked, limited: 0 }
            }
            None => Simulator::reference(checked),
        }
    }

    /// A simulator that runs the program operation by operation: slow, and the judge of the other.
    pub fn reference(checked: &'a Checked) -> Self {
        let machine = Machine::new(checked.datapath(), checked.fractions(), Exact::default());
        Simulator { engine: Engine::Reference(Box::new(machine)), checked, limited: 0 }
    }

    /// Whether it runs in machine words.
    pub fn is_fast(&self) -> bool {
        matches!(self.engine, Engine::Words(_))
    }

    /// One sample through the filter; nothing is allocated. An input beyond the input format is first brought
    /// to its nearest end, as a converter would.
    pub fn step(&mut self, input: i64) -> i64 {
        let (output, limited) = match &mut self.engine {
            Engine::Words(words) => words.step(input),
            Engine::Reference(machine) => {
                machine.arithmetic.limited = false;
                let format = self.checked.datapath().input;
                let y = machine.step(Overflow::Saturate.limit(input.into(), format));
                // The output format has at most 64 bits; the check refuses unsigned outputs of 64.
                (y as i64, machine.arithmetic.limited)
            }
        };
        self.limited += u64::from(limited);
        output
    }

    /// A whole signal through the filter.
    pub fn run(&mut self, input: &[i64]) -> Vec<i64> {
        if let Engine::Words(words) = &mut self.engine {
            let (output, limited) = words.run(input);
            self.limited += limited;
            return output;
        }
        input.iter().map(|x| self.step(*x)).collect()
    }

    /// In how many samples so far some limit changed a word.
    pub fn limited_samples(&self) -> u64 {
        self.limited
    }
}
