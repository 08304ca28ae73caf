//! The bit-true simulator: the exact reading of a datapath, and the definition of what it computes.

use super::fast::Fast;
use super::walk::{Arithmetic, Machine, Place};
use super::{Checked, Fold, Operation, RoundedProducts, Sign, Term};
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

/// Integers in machine words, for programs whose words are all proved to be such.
///
/// Sums are taken modulo 2^64, which is exact modulo the width of every accumulator. Whatever is rounded or
/// limited is a word of the program, or a product, whose proved range is well within a machine word.
#[derive(Default)]
pub(super) struct Narrow {
    limited: bool,
}

/// The largest size of a word that may be rounded in machine words: half a step is added before bits are
/// dropped.
const NARROW: i128 = 1 << 61;

impl Narrow {
    /// Whether every word of a program, and every product that is rounded by itself, is proved to stay
    /// within.
    fn holds(checked: &Checked) -> bool {
        let (datapath, facts) = (checked.datapath(), checked.facts());
        let is_near = |shift: i32| (-61..=61).contains(&shift);
        let product = |table: usize, line: usize, to: RoundedProducts| {
            let (table, line) = (&datapath.tables[table], &datapath.lines[line]);
            let rows = (0..table.rows.len()).flat_map(|row| {
                (0..table.rows[row].len()).map(move |column| table.coefficient(row, column))
            });
            let largest = rows.map(|value| i128::from(value).abs()).max().unwrap_or(0);
            // Pairs may be twice as large as a word.
            let size = largest << (line.format.width() + 1).min(64);
            let own = table.format.fraction() + line.format.fraction();
            size < NARROW && is_near(own - to.fraction)
        };
        let term = |term: &Term| match term {
            Term::Dot { table, line, products: Some(to), .. } => product(table.0, line.0, *to),
            Term::Folded(Fold { table, line, products: Some(to), .. }) => {
                product(table.0, line.0, *to)
            }
            _ => true,
        };
        datapath.operations().all(|(node, operation, _)| {
            let (low, high) = facts.range(node);
            let is_small = low > -NARROW && high < NARROW;
            is_small
                && match operation {
                    Operation::Accumulate { terms, .. } => terms.iter().all(term),
                    Operation::Round { word, fraction, .. } => {
                        is_near(checked.fractions()[word.0 as usize] - fraction)
                    }
                    _ => true,
                }
        })
    }
}

impl Arithmetic for Narrow {
    type Word = i64;

    fn zero(&self) -> i64 {
        0
    }
    fn coefficient(&mut self, value: i64, _: WordFormat) -> i64 {
        value
    }
    fn product(&mut self, _: Place, left: i64, right: i64) -> i64 {
        left.wrapping_mul(right)
    }
    fn add(&mut self, sum: i64, sign: Sign, term: i64, shift: u32) -> i64 {
        let term = if shift < 64 { term << shift } else { 0 };
        match sign {
            Sign::Plus => sum.wrapping_add(term),
            Sign::Minus => sum.wrapping_sub(term),
        }
    }
    fn close_sum(&mut self, _: Place, sum: i64, format: WordFormat) -> i64 {
        format.wrap_narrow(sum)
    }
    fn round(&mut self, _: Place, word: i64, shift: i32, rounding: Rounding) -> i64 {
        if shift >= 0 { rounding.shift_right_narrow(word, shift as u32) } else { word << -shift }
    }
    fn limit(&mut self, _: Place, word: i64, to: WordFormat, how: Overflow) -> i64 {
        let limited = how.limit_narrow(word, to);
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
    /// Operation by operation.
    Reference(Box<Machine<'a, Exact>>),
    /// The same in machine words, where the proved ranges allow it.
    Words(Box<Machine<'a, Narrow>>),
    /// A structure that was recognised, in machine words.
    Fast(Fast),
}

impl<'a> Simulator<'a> {
    /// A simulator in the zero state: by a fast path for direct form I and direct taps whose sums fit machine
    /// words, else operation by operation, in machine words where all are proved to be such. All give the
    /// same integers.
    pub fn new(checked: &'a Checked) -> Self {
        let engine = match Fast::new(checked) {
            Some(fast) => Engine::Fast(fast),
            None if Narrow::holds(checked) => {
                let (datapath, fractions) = (checked.datapath(), checked.fractions());
                Engine::Words(Box::new(Machine::new(datapath, fractions, Narrow::default())))
            }
            None => return Simulator::reference(checked),
        };
        Simulator { engine, checked, limited: 0 }
    }

    /// A simulator that runs the program operation by operation: slow, and the judge of the fast paths.
    pub fn reference(checked: &'a Checked) -> Self {
        let machine = Machine::new(checked.datapath(), checked.fractions(), Exact::default());
        Simulator { engine: Engine::Reference(Box::new(machine)), checked, limited: 0 }
    }

    /// Whether a fast path runs it.
    pub fn is_fast(&self) -> bool {
        matches!(self.engine, Engine::Fast(_))
    }

    /// One sample through the filter; nothing is allocated. An input beyond the input format is first brought
    /// to its nearest end, as a converter would.
    pub fn step(&mut self, input: i64) -> i64 {
        let format = self.checked.datapath().input;
        let (output, limited) = match &mut self.engine {
            Engine::Fast(fast) => fast.step(input),
            Engine::Words(machine) => {
                machine.arithmetic.limited = false;
                let y = machine.step(Overflow::Saturate.limit_narrow(input, format));
                (y, machine.arithmetic.limited)
            }
            Engine::Reference(machine) => {
                machine.arithmetic.limited = false;
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
        if let Engine::Fast(fast) = &mut self.engine {
            let (output, limited) = fast.run(input);
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
