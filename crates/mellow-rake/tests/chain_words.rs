//! Chains on integers: whoever has the JSON alone gets every integer; words have room for the level and not
//! for twice of it; errors stay within the bound; bits that sums drop cost what they may.

use mellow_rake::fixed::{Overflow, WordFormat};
use mellow_rake::implementation::{
    ChainImplementError, ChainImplementation, StageError, implement_chain,
};
use mellow_rake::network::{Network, describe_network};
use mellow_rake::random::NoiseSource;
use mellow_rake::rates::{Chain, Comb, Stage};
use mellow_rake::spec::ChainFixed;
use serde_json::Value;

use crate::filters::any_word;
use crate::random_chains::{any_chain, any_chain_words, rate};
use crate::reader::{Format, Reader};

/// The JSON alone, run by a reader that shares nothing with the library.
fn stranger(network: &Network, words: &[i64]) -> Vec<i128> {
    let json = serde_json::to_value(describe_network(network)).unwrap();
    let mut signal: Vec<i128> = words.iter().map(|word| (*word).into()).collect();
    let mut lanes = json["lanes"].as_u64().unwrap() as usize;
    for step in json["steps"].as_array().unwrap() {
        let factor = || step["factor"].as_u64().unwrap() as usize;
        if step["step"] == "mix" {
            (lanes, signal) = mixed(step, lanes, &signal);
            continue;
        }
        let of_lane = |words: Vec<i128>| -> Vec<i128> {
            match step["step"].as_str().unwrap() {
                "fire" => {
                    let program: &Value = &step["program"];
                    let takes = program["inputs"][0]["words"].as_u64().unwrap_or(1) as usize;
                    let mut reader = Reader::new(program);
                    words.chunks_exact(takes).flat_map(|words| reader.fire(words)).collect()
                }
                "keep" => {
                    words.chunks_exact(factor()).map(|words| *words.last().unwrap()).collect()
                }
                "fill" => {
                    let zeros = factor() - 1;
                    let filled = |word| std::iter::once(word).chain(std::iter::repeat_n(0, zeros));
                    words.into_iter().flat_map(filled).collect()
                }
                other => panic!("{other}"),
            }
        };
        let own = |lane: usize| signal.iter().skip(lane).step_by(lanes).copied().collect();
        let all: Vec<Vec<i128>> = (0..lanes).map(|lane| of_lane(own(lane))).collect();
        signal = (0..all[0].len()).flat_map(|at| all.iter().map(move |lane| lane[at])).collect();
    }
    signal
}

/// A mixer, as `docs/arithmetic.md` says it.
fn mixed(step: &Value, lanes: usize, signal: &[i128]) -> (usize, Vec<i128>) {
    let number = |key: &str| step[key].as_u64().unwrap();
    let quarter: Vec<i128> =
        step["quarter"].as_array().unwrap().iter().map(|v| v.as_i64().unwrap().into()).collect();
    let (phase_bits, address_bits) = (number("phase_bits"), number("address_bits"));
    let turn = 1u64 << address_bits;
    let sine = |address: u64| -> i128 {
        let place = (address % (turn / 2)) as usize;
        let place = if place < quarter.len() { place } else { turn as usize / 2 - 1 - place };
        if address % turn < turn / 2 { quarter[place] } else { -quarter[place] }
    };
    let mut output = Vec::new();
    let steps: Vec<u64> =
        step["phase_steps"].as_array().unwrap().iter().map(|v| v.as_u64().unwrap()).collect();
    let is_split = match step["mixing"].as_str().unwrap() {
        "real-to-complex" => true,
        "complex-to-real" => false,
        other => panic!("{other}"),
    };
    let pairs = 2 * steps.len();
    let (takes, gives) = if is_split { (1, pairs) } else { (pairs, 1) };
    let dropped = phase_bits - address_bits;
    let mut dither = step["dither"].as_u64().unwrap_or(0);
    for (n, sample) in signal.chunks_exact(lanes).enumerate() {
        let added = dither >> (32 - dropped);
        let wave = |step: &u64| {
            let address = ((n as u64 * step + added) % (1 << phase_bits)) >> dropped;
            [sine(address + turn / 4), sine(address)]
        };
        let waves: Vec<[i128; 2]> = steps.iter().map(wave).collect();
        for sample in sample.chunks_exact(takes) {
            if is_split {
                output.extend(waves.iter().flatten().map(|wave| sample[0] * wave));
            } else {
                let real = |(z, [c, s]): (&[i128], &[i128; 2])| z[0] * c - z[1] * s;
                output.push(sample.chunks_exact(2).zip(&waves).map(real).sum());
            }
        }
        dither ^= (dither << 13) % (1 << 32);
        dither ^= dither >> 17;
        dither ^= (dither << 5) % (1 << 32);
    }
    let format = Format::read(&step["format"]);
    let (low, high) = format.ends();
    assert!(output.iter().all(|word| (low..=high).contains(word)));
    (lanes / takes * gives, output)
}

/// How many stages of a chain gave their words room, each neither too little nor too much.
fn roomy(found: &ChainImplementation) -> usize {
    let chosen = (0..found.stages.len()).filter(|stage| found.stages[*stage].is_chosen);
    let of_stage = |stage: usize| {
        let joint = found.joint(stage).unwrap();
        let end = joint.format.maximum() as f64 * joint.format.step();
        let level = joint.high.max(-joint.low);
        assert!(level <= end + 2.0 * joint.format.step(), "{joint:?}");
        // Of sections the limits between them may need the room, or more than there is.
        let is_tight = joint.fits && 2.0 * level > end - 3.0 * joint.format.step();
        assert!(is_tight || found.stages[stage].structure.is_some(), "{joint:?}");
    };
    chosen.map(of_stage).count()
}

#[test]
fn a_stranger_runs_chains_from_their_json() {
    let mut noise = NoiseSource::new(2201);
    let (mut ran, mut chosen, mut mixed_chains) = (0, 0, 0);
    for _ in 0..200 {
        let chain = any_chain(&mut noise);
        let fixed = any_chain_words(&mut noise, &chain);
        let found = match implement_chain(&chain, &fixed) {
            Ok(found) => found,
            Err(ChainImplementError { error: StageError::NothingLeft { .. }, .. }) => continue,
            Err(error) => panic!("{error}"),
        };
        chosen += roomy(&found);
        let words: Vec<i64> = (0..720).map(|_| any_word(&mut noise, fixed.input, false)).collect();
        let given = found.network.start().run(&words);
        let samples = 720 / chain.lanes_in();
        let expected = chain.outputs_of(samples as u64) as usize * chain.lanes_out();
        assert_eq!(given.len(), expected);
        let given: Vec<i128> = given.into_iter().map(i128::from).collect();
        assert_eq!(given, stranger(&found.network, &words));
        // The rounded chain in f64 is the same without roundings, and not far from the design.
        if !found.network.no_limit_acts() {
            continue;
        }
        let error = found.network.error();
        let values: Vec<f64> = words.iter().map(|word| fixed.input.value(*word)).collect();
        let exact = found.rounded.start().run(&values);
        for (word, exact) in given.iter().zip(&exact) {
            let off = fixed.output.value(*word as i64) - exact * found.left_gain;
            let slack = 1e-9 * (1.0 + exact.abs());
            assert!(off >= error.low - slack && off <= error.high + slack, "{off} {error:?}");
        }
        if chain.carrier().is_some() {
            mixed_chains += 1;
            ran += 1;
            continue;
        }
        let designed = chain.start().run(&values);
        for (one, other) in exact.iter().zip(&designed) {
            assert!(
                (one - other).abs() < 0.1 * (1.0 + fixed.input.value(fixed.input.maximum() as i64))
            );
        }
        ran += 1;
    }
    assert!(ran > 60 && chosen > 100 && mixed_chains > 15, "{ran} {chosen} {mixed_chains}");
}

/// Hogenauer's design example: order 4, by 25, 16 bits in and out. And the rule itself, for others: all that
/// sums drop is no louder than the rounding of the output, and one bit more in each would be.
#[test]
fn sums_drop_what_the_output_drops_anyway() {
    let dropped = |order: usize, factor: usize, width: u32| {
        let comb = Comb { order, delay: 1 };
        let chain = Chain::new(rate(), vec![Stage::comb(1, factor, comb).unwrap()]).unwrap();
        let word = WordFormat::new(true, width, width as i32 - 1).unwrap();
        let mut fixed = ChainFixed::new(word);
        let whole = implement_chain(&chain, &fixed).unwrap();
        fixed.usual.prune = true;
        let found = implement_chain(&chain, &fixed).unwrap();
        let last = whole.stages[0].sums[0].fraction();
        let bits: Vec<i32> = found.stages[0].sums.iter().map(|sum| last - sum.fraction()).collect();
        let power = |found: &ChainImplementation| {
            let noise = found.network.noise().unwrap();
            noise.variance / word.step().powi(2) * 12.0
        };
        (bits, power(&whole), power(&found))
    };
    let (bits, ..) = dropped(4, 25, 16);
    assert_eq!(bits, [1, 6, 9, 13, 14, 15, 16, 17]);
    for (order, factor, width) in [(4, 25, 16), (3, 8, 12), (5, 16, 18), (2, 100, 16), (6, 10, 10)]
    {
        let (bits, whole, pruned) = dropped(order, factor, width);
        assert!(bits.windows(2).all(|pair| pair[0] <= pair[1]) && *bits.last().unwrap() > 0);
        assert!((whole - 1.0).abs() < 0.02, "{whole}");
        // The rule shares out as much as the rounding of the output; whole bits leave at least a quarter.
        assert!(pruned > 1.25 && pruned <= 2.02, "{pruned} {bits:?}");
    }
}

/// What cannot be is refused, with the stage, the key and what would do.
#[test]
fn words_that_cannot_be_are_refused() {
    let comb = |order: usize, factor: usize| {
        let comb = Comb { order, delay: 1 };
        Chain::new(rate(), vec![Stage::comb(1, factor, comb).unwrap()]).unwrap()
    };
    let fixed = ChainFixed::new("s16f15".parse().unwrap());
    let error = implement_chain(&comb(5, 1024), &fixed).unwrap_err();
    assert!(matches!(error.error, StageError::Sums { needed: 66, growth: 50 }), "{error}");
    assert_eq!(error.keys()[0], "stage.1.comb");
    assert!(implement_chain(&comb(4, 4096), &fixed).is_ok());
    let loud = || {
        let stage = Stage::decimator(2, mellow_rake::filter::Taps(vec![0.9, 0.9, 0.9])).unwrap();
        Chain::new(rate(), vec![stage.clone(), stage]).unwrap()
    };
    let mut strict = fixed.clone();
    strict.usual.overflow = Overflow::Forbid;
    let error = implement_chain(&loud(), &strict).unwrap_err();
    assert!(matches!(error.error, StageError::CanOverflow { more: 3, .. }), "{error}");
    assert_eq!(error.number, 2);
    strict.output = "s19f15".parse().unwrap();
    assert!(implement_chain(&loud(), &strict).unwrap().network.no_limit_acts());
    let mut narrow = fixed.clone();
    narrow.usual.coefficients = "s8f7".parse().unwrap();
    let stage = Stage::interpolator(2, mellow_rake::filter::Taps(vec![1.5, 0.5])).unwrap();
    let chain = Chain::new(rate(), vec![stage]).unwrap();
    let error = implement_chain(&chain, &narrow).unwrap_err();
    assert!(matches!(error.error, StageError::Coefficients(_)), "{error}");
    narrow.usual.coefficients = "s4f-6".parse().unwrap();
    let error = implement_chain(&chain, &narrow).unwrap_err();
    assert!(matches!(error.error, StageError::NothingLeft { .. }), "{error}");
}
