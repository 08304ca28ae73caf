//! The simulator: each operation in the arithmetic of the format.

use super::{FloatFilter, FloatFormat, FloatOperation, SectionProgram};

/// A number of a format, with its arithmetic.
pub(super) trait Real: Copy {
    const ZERO: Self;
    fn of(value: f64) -> Self;
    fn value(self) -> f64;
    fn times(self, other: Self) -> Self;
    fn plus(self, other: Self) -> Self;
    fn minus(self, other: Self) -> Self;
}

macro_rules! real {
    ($($type:ty),*) => {$(
        impl Real for $type {
            const ZERO: Self = 0.0;
            fn of(value: f64) -> Self {
                value as $type
            }
            fn value(self) -> f64 {
                self.into()
            }
            fn times(self, other: Self) -> Self {
                self * other
            }
            fn plus(self, other: Self) -> Self {
                self + other
            }
            fn minus(self, other: Self) -> Self {
                self - other
            }
        }
    )*};
}

real!(f32, f64);

/// Sections or taps at work.
pub(super) enum Machine<T> {
    Sections {
        program: SectionProgram,
        rows: Vec<Vec<T>>,
        states: Vec<Vec<T>>,
        numbers: Vec<T>,
    },
    /// The newest input first; as many as there are taps.
    Taps {
        taps: Vec<T>,
        line: Vec<T>,
    },
}

impl<T: Real> Machine<T> {
    pub(super) fn new(filter: &FloatFilter) -> Self {
        let rounded = |row: &Vec<f64>| row.iter().map(|value| T::of(*value)).collect();
        let rows: Vec<Vec<T>> = filter.rows().iter().map(rounded).collect();
        match filter.structure().section() {
            Some(program) => Machine::Sections {
                states: vec![vec![T::ZERO; program.states.len()]; rows.len()],
                numbers: vec![T::ZERO; program.operations.len()],
                program,
                rows,
            },
            None => {
                let taps = rows.concat();
                Machine::Taps { line: vec![T::ZERO; taps.len()], taps }
            }
        }
    }

    pub(super) fn step(&mut self, input: T) -> T {
        match self {
            Machine::Sections { program, rows, states, numbers } => {
                let mut word = input;
                for (row, state) in rows.iter().zip(states) {
                    for (at, operation) in program.operations.iter().enumerate() {
                        numbers[at] = match *operation {
                            FloatOperation::Input => word,
                            FloatOperation::State(place) => state[place],
                            FloatOperation::Product { column, of } => {
                                row[column].times(numbers[of])
                            }
                            FloatOperation::Sum(one, other) => numbers[one].plus(numbers[other]),
                            FloatOperation::Difference(one, other) => {
                                numbers[one].minus(numbers[other])
                            }
                        };
                    }
                    for (place, from) in &program.states {
                        state[*place] = numbers[*from];
                    }
                    word = numbers[program.output];
                }
                word
            }
            Machine::Taps { taps, line } => {
                line.rotate_right(1);
                line[0] = input;
                let mut products = taps.iter().zip(line.iter()).map(|(h, x)| h.times(*x));
                let first = products.next().unwrap_or(T::ZERO);
                products.fold(first, Real::plus)
            }
        }
    }
}

enum Engine {
    Single(Machine<f32>),
    Double(Machine<f64>),
}

/// A filter in floating point at work: every operation gives the number that IEEE 754 says, on any machine.
///
/// ```
/// use mellow_rake::filter::{Form, Taps};
/// use mellow_rake::float::{FloatFilter, FloatFormat, FloatSimulator, FloatStructure};
/// let mean = Form::Taps(Taps(vec![0.1, 0.2]));
/// let single = FloatFilter::new(&mean, FloatFormat::Single, FloatStructure::FirDirect)?;
/// let found = FloatSimulator::new(&single).run(&[1.0, 1.0]);
/// assert_eq!(found, [f64::from(0.1f32), f64::from(0.1f32 + 0.2f32)]);
/// # Ok::<(), mellow_rake::float::FloatError>(())
/// ```
pub struct FloatSimulator {
    engine: Engine,
}

impl FloatSimulator {
    /// A simulator in the zero state.
    pub fn new(filter: &FloatFilter) -> Self {
        let engine = match filter.format() {
            FloatFormat::Single => Engine::Single(Machine::new(filter)),
            FloatFormat::Double => Engine::Double(Machine::new(filter)),
        };
        FloatSimulator { engine }
    }

    /// One sample. An input that is no number of the format is first brought to the nearest one.
    pub fn step(&mut self, input: f64) -> f64 {
        match &mut self.engine {
            Engine::Single(machine) => machine.step(Real::of(input)).value(),
            Engine::Double(machine) => machine.step(Real::of(input)).value(),
        }
    }

    /// A whole signal.
    pub fn run(&mut self, input: &[f64]) -> Vec<f64> {
        input.iter().map(|x| self.step(*x)).collect()
    }
}
