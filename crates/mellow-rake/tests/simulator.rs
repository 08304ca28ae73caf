//! The engines of the simulator: whichever runs a program, its integers and what its limits did are those of
//! the reference, sample by sample and in blocks.

use mellow_rake::datapath::Simulator;
use mellow_rake::filter::{Form, Section, Sections, Taps};
use mellow_rake::fixed::{Overflow, Rounding, WordFormat};
use mellow_rake::implementation::implement;
use mellow_rake::random::NoiseSource;
use mellow_rake::spec::{Fixed, Structure};
use proptest::prelude::*;

fn one_of<T: Copy>(noise: &mut NoiseSource, all: &[T]) -> T {
    all[noise.integer(0, all.len() as i64 - 1) as usize]
}

/// A filter of some sections, or of taps that mirror.
fn form(noise: &mut NoiseSource, structure: Structure) -> Form {
    let mut number = |reach: f64| reach * (2.0 * noise.uniform() - 1.0);
    if structure.is_for_taps() {
        let half: Vec<f64> = (0..5).map(|k| if k % 2 == 0 { number(0.4) } else { 0.0 }).collect();
        let mirrored = half.iter().copied().chain([0.5]).chain(half.iter().rev().copied());
        return Form::from(Taps(mirrored.collect()));
    }
    let mut section = || {
        let (radius, place) = (0.5 + number(0.45), number(0.95));
        let b = [number(0.5), number(0.5), number(0.5)];
        Section { b, a: [-2.0 * radius * place, radius * radius] }
    };
    Form::from(Sections((0..2).map(|_| section()).collect()))
}

proptest! {
    #![proptest_config(ProptestConfig { cases: 600, failure_persistence: None, ..ProptestConfig::default() })]

    #[test]
    fn every_engine_gives_the_integers_of_the_reference(seed: u64) {
        let mut noise = NoiseSource::new(seed);
        let structure = one_of(&mut noise, &Structure::ALL);
        let form = form(&mut noise, structure);
        let width = noise.integer(4, 40) as u32;
        let input = WordFormat::new(true, width, width as i32 - 1).unwrap();
        let mut fixed = Fixed::new(structure, input);
        fixed.coefficients.width = noise.integer(6, 32) as u32;
        fixed.rounding = one_of(&mut noise, &Rounding::ALL);
        fixed.overflow = one_of(&mut noise, &[Overflow::Saturate, Overflow::Wrap]);
        fixed.multiplier = noise.integer(0, 5) > 0;
        if structure.adds_whole_products() && noise.integer(0, 2) == 0 {
            let bits = width + 4;
            fixed.products = WordFormat::new(true, bits, width as i32).ok();
        }
        let Ok(filter) = implement(&form, fixed) else { return Ok(()) };
        let [low, high] = [input.minimum(), input.maximum()].map(|end| end as i64);
        let mut word = || match noise.integer(0, 9) {
            0 => low,
            1 => high,
            2 => 0,
            // Beyond the format: brought to its end.
            3 => high.saturating_mul(3),
            _ => noise.integer(low, high),
        };
        let words: Vec<i64> = (0..200).map(|_| word()).collect();
        let mut reference = Simulator::reference(&filter.checked);
        let expected = reference.run(&words);
        let (mut whole, mut single) =
            (Simulator::new(&filter.checked), Simulator::new(&filter.checked));
        let blocks: Vec<i64> = words.chunks(7).flat_map(|block| whole.run(block)).collect();
        let steps: Vec<i64> = words.iter().map(|x| single.step(*x)).collect();
        prop_assert_eq!(&expected, &blocks, "{}", structure.as_str());
        prop_assert_eq!(&expected, &steps, "{}", structure.as_str());
        prop_assert_eq!(reference.limited_samples(), whole.limited_samples());
        prop_assert_eq!(reference.limited_samples(), single.limited_samples());
    }
}
