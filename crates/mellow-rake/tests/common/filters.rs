//! Random filters in random words, of every structure.

#![allow(dead_code)] // each test uses what it needs

use mellow_rake::Wish;
use mellow_rake::filter::{Form, Section, Sections, Taps};
use mellow_rake::fixed::{Overflow, Rounding, WordFormat};
use mellow_rake::hardware::Resources;
use mellow_rake::implementation::{Implementation, implement};
use mellow_rake::random::NoiseSource;
use mellow_rake::spec::{Fixed, Interface, Structure};

pub(crate) fn one_of<T: Copy>(noise: &mut NoiseSource, all: &[T]) -> T {
    all[noise.integer(0, all.len() as i64 - 1) as usize]
}

/// A filter of some sections, or of taps that mirror.
fn form(noise: &mut NoiseSource, structure: Structure) -> Form {
    let number = |noise: &mut NoiseSource, reach: f64| reach * (2.0 * noise.uniform() - 1.0);
    if structure.is_for_taps() {
        let sign =
            if structure == Structure::FirFolded { one_of(noise, &[1.0, -1.0]) } else { 1.0 };
        let tap = |k: usize, noise: &mut NoiseSource| {
            if k.is_multiple_of(2) { number(noise, 0.4) } else { 0.0 }
        };
        let half: Vec<f64> = (0..one_of(noise, &[2, 5, 11])).map(|k| tap(k, noise)).collect();
        let middle = if sign > 0.0 { 0.5 } else { 0.0 };
        let mirrored = half.iter().rev().map(|tap| sign * tap);
        return Form::from(Taps(half.iter().copied().chain([middle]).chain(mirrored).collect()));
    }
    // The sum of two all-passes that this structure is made of.
    if structure == Structure::AllPassSum {
        let order = one_of(noise, &[3, 5, 7]);
        let cutoff = 0.1 + 0.3 * noise.uniform();
        let wish = Wish::lowpass("1 Hz").cutoff_hz(cutoff).butterworth(order);
        return wish.filter().expect("within reach");
    }
    let section = |noise: &mut NoiseSource| {
        let (radius, place) = (0.5 + number(noise, 0.45), number(noise, 0.95));
        let b = [0; 3].map(|_| number(noise, 0.5));
        Section { b, a: [-2.0 * radius * place, radius * radius] }
    };
    let count = one_of(noise, &[1, 2, 3, 5]);
    Form::from(Sections((0..count).map(|_| section(noise)).collect()))
}

/// A filter on integers, where the words that were drawn can hold it.
pub(crate) fn any_filter(noise: &mut NoiseSource, structure: Structure) -> Option<Implementation> {
    any_filter_on(noise, structure, None)
}

/// The same on words that are given: those of the input and of the output.
fn any_filter_on(
    noise: &mut NoiseSource,
    structure: Structure,
    words: Option<[WordFormat; 2]>,
) -> Option<Implementation> {
    let form = form(noise, structure);
    let width = noise.integer(4, 40) as u32;
    // Some words stand for more than 1, or for less.
    let fraction = width as i32 - 1 + one_of(noise, &[0, 0, 0, -3, 5]);
    let input = WordFormat::new(true, width, fraction).ok()?;
    let mut fixed = Fixed::new(structure, input);
    fixed.coefficients.width = noise.integer(6, 32) as u32;
    fixed.rounding = one_of(noise, &Rounding::ALL);
    fixed.overflow = one_of(noise, &[Overflow::Saturate, Overflow::Wrap]);
    fixed.multiplier = noise.integer(0, 5) > 0;
    if noise.integer(0, 3) == 0 {
        let wider = noise.integer(0, 6) as u32;
        fixed.output = WordFormat::new(true, width + wider, fraction + wider as i32 - 1).ok()?;
    }
    if structure.adds_whole_products() && noise.integer(0, 2) == 0 {
        fixed.products = WordFormat::new(true, width + 4, fraction + 1).ok();
    }
    if let Some([input, output]) = words {
        (fixed.input, fixed.output) = (input, output);
        fixed.products = None;
    }
    implement(&form, fixed).ok()
}

/// Some filters of any structures that take words of one format and give words of one.
pub(crate) fn any_filters_of_one_format(noise: &mut NoiseSource) -> Vec<Implementation> {
    let count = one_of(noise, &[2, 2, 3, 4, 5]);
    let mut found: Vec<Implementation> = Vec::new();
    while found.len() < count {
        let words = found.first().map(|one| [one.checked.input(), one.checked.output()]);
        let structure = one_of(noise, &Structure::ALL);
        found.extend(any_filter_on(noise, structure, words));
    }
    found
}

/// A word of a format, often one of its ends, sometimes beyond it.
pub(crate) fn any_word(noise: &mut NoiseSource, format: WordFormat, beyond: bool) -> i64 {
    let [low, high] = [format.minimum(), format.maximum()].map(|end| end as i64);
    match noise.integer(0, 9) {
        0 => low,
        1 => high,
        2 => 0,
        3 if beyond => high.saturating_mul(3),
        _ => noise.integer(low, high),
    }
}

/// The same for taps in parallel, sometimes several samples a clock.
pub(crate) fn any_parallel_resources(noise: &mut NoiseSource) -> Resources {
    let samples_per_clock = one_of(noise, &[1, 2, 2, 3, 4, 5, 8, 16]);
    let resources = any_resources(noise);
    let channels = if samples_per_clock > 1 { 1 } else { resources.channels };
    Resources { samples_per_clock, channels, ..resources }
}

/// What a unit of hardware may use.
pub(crate) fn any_resources(noise: &mut NoiseSource) -> Resources {
    Resources {
        multipliers: one_of(noise, &[1, 1, 1, 2, 3, 8]),
        multiplier_stages: one_of(noise, &[1, 1, 2, 3]),
        pipelining: one_of(noise, &[1, 1, 2]),
        channels: one_of(noise, &[1, 1, 1, 2, 3, 5]),
        folds: noise.integer(0, 1) == 0,
        interface: one_of(noise, &Interface::ALL),
        clears_memory: noise.integer(0, 3) > 0,
        ..Resources::default()
    }
}
