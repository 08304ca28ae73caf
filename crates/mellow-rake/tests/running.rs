//! Filters at work: in blocks as sample by sample, and by transforms as by products.

use mellow_rake::filter::{Form, OverlapSave, Section, Sections, Taps};
use mellow_rake::random::NoiseSource;
use proptest::prelude::*;

/// The signal cut into blocks whose sizes come round.
fn cut<'a>(signal: &'a [f64], sizes: &[usize]) -> Vec<&'a [f64]> {
    let (mut rest, mut blocks) = (signal, Vec::new());
    for size in sizes.iter().cycle() {
        let (block, left) = rest.split_at((*size).min(rest.len()));
        blocks.push(block);
        rest = left;
        if rest.is_empty() {
            return blocks;
        }
    }
    blocks
}

proptest! {
    /// Sections from none to nine, blocks down to none and one: every bit as sample by sample.
    #[test]
    fn blocks_of_any_size_give_the_same_numbers(
        count in 0usize..10, taps in 0usize..70, seed: u64, sizes in prop::collection::vec(0usize..50,
            1..6), samples in 1usize..300,
    ) {
        prop_assume!(sizes.iter().sum::<usize>() > 0);
        let mut noise = NoiseSource::new(seed);
        let mut number = || 2.0 * noise.uniform() - 1.0;
        let mut section = || {
            let a2 = 0.98 * number();
            Section { b: [number(), number(), number()], a: [(1.0 + a2) * 0.99 * number(), a2] }
        };
        let sections = Form::from(Sections((0..count).map(|_| section()).collect()));
        let taps = Form::from(Taps((0..taps).map(|_| number()).collect()));
        let signal: Vec<f64> = (0..samples).map(|_| number()).collect();
        for form in [sections, taps] {
            let mut one = form.start();
            let expected: Vec<u64> = signal.iter().map(|x| one.step(*x).to_bits()).collect();
            let mut many = form.start();
            let found: Vec<f64> = cut(&signal,
                &sizes).into_iter().flat_map(|block| many.run(block)).collect();
            prop_assert_eq!(found.iter().map(|y| y.to_bits()).collect::<Vec<_>>(), expected);
            // And on from there, one at a time.
            prop_assert_eq!(many.step(0.5).to_bits(), one.step(0.5).to_bits());
        }
    }

    /// Against the direct sum, within the rounding of the transforms; and the same bits however the input is
    /// cut up.
    #[test]
    fn transforms_agree_with_products(taps in 1usize..400, samples in 1usize..5000, seed: u64,
        sizes in prop::collection::vec(1usize..3000, 1..4)) {
        let mut noise = NoiseSource::new(seed);
        let taps = Taps((0..taps).map(|_| noise.normal()).collect());
        let signal: Vec<f64> = (0..samples).map(|_| noise.normal()).collect();
        let expected = Form::from(taps.clone()).start().run(&signal);
        let mut whole = OverlapSave::new(&taps);
        let mut found = whole.push(&signal);
        found.extend(whole.finish());
        let mut pieces = OverlapSave::new(&taps);
        let mut again: Vec<f64> = cut(&signal,
            &sizes).into_iter().flat_map(|block| pieces.push(block)).collect();
        again.extend(pieces.finish());
        prop_assert_eq!(found.len(), samples);
        prop_assert_eq!(&found, &again);
        let most = signal.iter().fold(0.0f64, |most, x| most.max(x.abs()));
        let bound = 1e-14 * most * taps.0.iter().map(|h| h.abs()).sum::<f64>();
        prop_assert!(found.iter().zip(&expected).all(|(y, e)| (y - e).abs() <= bound));
        // Used again from the zero state.
        let mut second = whole.push(&signal);
        second.extend(whole.finish());
        prop_assert_eq!(second, found);
    }
}
