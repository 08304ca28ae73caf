//! The engines of the simulator: whichever runs a program, its integers and what its limits did are those of
//! the reference, sample by sample and in blocks.

use mellow_rake::datapath::Simulator;
use mellow_rake::random::NoiseSource;
use mellow_rake::spec::Structure;
use proptest::prelude::*;
use std::collections::BTreeSet;

use crate::filters::{any_filter, any_word, one_of};

proptest! {
    #![proptest_config(ProptestConfig { cases: 900, failure_persistence: None, ..ProptestConfig::default() })]

    #[test]
    fn every_engine_gives_the_integers_of_the_reference(seed: u64) {
        let mut noise = NoiseSource::new(seed);
        let structure = one_of(&mut noise, &Structure::ALL);
        let Some(filter) = any_filter(&mut noise, structure) else { return Ok(()) };
        let input = filter.checked.input();
        let words: Vec<i64> = (0..700).map(|_| any_word(&mut noise, input, true)).collect();
        let mut reference = Simulator::reference(&filter.checked);
        let expected = reference.run(&words);
        let (mut whole, mut single) =
            (Simulator::new(&filter.checked), Simulator::new(&filter.checked));
        // Blocks of one, short ones, and longer ones than any window of memory.
        let (mut blocks, mut rest) = (Vec::new(), &words[..]);
        while !rest.is_empty() {
            let length = one_of(&mut noise, &[1, 7, 40, 256, 300]).min(rest.len());
            let (block, others) = rest.split_at(length);
            blocks.extend(whole.run(block));
            rest = others;
        }
        let steps: Vec<i64> = words.iter().map(|x| single.step(*x)).collect();
        prop_assert_eq!(&expected, &blocks, "{}", structure.as_str());
        prop_assert_eq!(&expected, &steps, "{}", structure.as_str());
        prop_assert_eq!(reference.limited_samples(), whole.limited_samples());
        prop_assert_eq!(reference.limited_samples(), single.limited_samples());
    }
}

/// Every structure runs in machine words where its words are short: none is known to the simulator by name.
#[test]
fn short_words_run_in_machine_words() {
    let mut noise = NoiseSource::new(1);
    let mut fast = BTreeSet::new();
    for _ in 0..40 {
        for structure in Structure::ALL {
            let Some(filter) = any_filter(&mut noise, structure) else { continue };
            if Simulator::new(&filter.checked).is_fast() {
                fast.insert(structure.as_str());
            } else {
                let widest = filter.checked.input().width() + filter.fixed.coefficients.width;
                assert!(widest > 24, "{}: {:?}", structure.as_str(), filter.fixed);
            }
        }
    }
    let all = BTreeSet::from_iter(Structure::ALL.map(|structure| structure.as_str()));
    assert_eq!(fast, all);
}
