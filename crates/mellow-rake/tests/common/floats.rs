//! Random filters in floating point, and a reader that runs one from the order in the docs alone.

#![allow(dead_code)] // each test uses what it needs

use mellow_rake::filter::{Form, Section, Sections, Taps};
use mellow_rake::float::{FloatFilter, FloatFormat, FloatStructure};
use mellow_rake::random::NoiseSource;

/// Evenly from `low` to `high`.
pub(crate) fn between(noise: &mut NoiseSource, low: f64, high: f64) -> f64 {
    low + (high - low) * noise.integer(0, 1 << 40) as f64 / (1u64 << 40) as f64
}

/// A stable section: poles anywhere, some of them near the unit circle.
fn section(noise: &mut NoiseSource) -> Section {
    let radius = 1.0 - 10f64.powf(between(noise, -3.5, 0.0));
    let a = match noise.integer(0, 2) {
        0 => {
            let other = between(noise, -0.99, 0.99);
            [-(radius + other), radius * other]
        }
        _ => {
            let angle = between(noise, 0.0, std::f64::consts::PI);
            [-2.0 * radius * angle.cos(), radius * radius]
        }
    };
    let size = 10f64.powf(between(noise, -3.0, 0.5));
    let mut b = || match noise.integer(0, 5) {
        0 => 0.0,
        _ => size * between(noise, -1.0, 1.0),
    };
    Section { b: [b(), b(), b()], a }
}

/// A filter of any structure and format, and what it was before its coefficients were rounded.
pub(crate) fn any_float(noise: &mut NoiseSource) -> (Form, FloatFilter) {
    loop {
        let structure = FloatStructure::ALL[noise.integer(0, 2) as usize];
        let form = match structure {
            FloatStructure::FirDirect => {
                let count = noise.integer(1, 40);
                Form::Taps(Taps((0..count).map(|_| between(noise, -1.0, 1.0)).collect()))
            }
            _ => {
                let count = noise.integer(1, 5);
                Form::Sections(Sections((0..count).map(|_| section(noise)).collect()))
            }
        };
        let format = FloatFormat::ALL[noise.integer(0, 1) as usize];
        if let Ok(filter) = FloatFilter::new(&form, format, structure) {
            return (form, filter);
        }
    }
}

/// Numbers of all sorts up to a peak: noise, both zeros, ends, and now and then what is subnormal.
pub(crate) fn any_numbers(
    noise: &mut NoiseSource,
    format: FloatFormat,
    count: usize,
    peak: f64,
) -> Vec<f64> {
    let mut number = || match noise.integer(0, 9) {
        0 => peak,
        1 => -peak,
        2 => 0.0,
        3 => -0.0,
        4 => format.smallest() * noise.integer(-1 << 22, 1 << 22) as f64,
        _ => format.nearest(peak * between(noise, -1.0, 1.0)),
    };
    (0..count).map(|_| number()).collect()
}

/// A filter at work, as `docs/arithmetic.md` says it.
pub(crate) struct Stranger<T> {
    structure: String,
    rows: Vec<Vec<T>>,
    memory: Vec<Vec<T>>,
}

macro_rules! stranger {
    ($type:ty) => {
        impl Stranger<$type> {
            pub(crate) fn new(structure: &str, rows: &[Vec<f64>]) -> Self {
                let row = |row: &Vec<f64>| row.iter().map(|value| *value as $type).collect();
                let rows: Vec<Vec<$type>> = rows.iter().map(row).collect();
                let memory = rows.iter().map(|row| vec![0.0; row.len().max(4)]).collect();
                Stranger { structure: structure.to_owned(), rows, memory }
            }

            pub(crate) fn step(&mut self, input: $type) -> $type {
                let mut word = input;
                for (row, memory) in self.rows.iter().zip(&mut self.memory) {
                    word = match self.structure.as_str() {
                        "direct-form-1" => {
                            let [x1, x2, y1, y2] = [memory[0], memory[1], memory[2], memory[3]];
                            let forward = row[0] * word + row[1] * x1 + row[2] * x2;
                            let y = forward - row[3] * y1 - row[4] * y2;
                            (memory[0], memory[1], memory[2], memory[3]) = (word, x1, y, y1);
                            y
                        }
                        "direct-form-2-transposed" => {
                            let y = row[0] * word + memory[0];
                            let first = row[1] * word - row[3] * y;
                            memory[0] = first + memory[1];
                            memory[1] = row[2] * word - row[4] * y;
                            y
                        }
                        "fir-direct" => {
                            memory.insert(0, word);
                            let mut sum = row[0] * memory[0];
                            for k in 1..row.len() {
                                sum += row[k] * memory[k];
                            }
                            memory.pop();
                            sum
                        }
                        other => panic!("unknown structure {other}"),
                    };
                }
                word
            }
        }
    };
}

stranger!(f32);
stranger!(f64);
