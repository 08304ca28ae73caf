//! Programs that nobody wrote for anything: whatever passes the check means the same to the simulator in
//! machine words, to the one operation by operation, and to a stranger who has the JSON alone; and what the
//! check says is proved of them is so.

use mellow_rake::datapath::{Checked, Port, Reach, Simulator, dump};
use mellow_rake::fixed::WordFormat;
use mellow_rake::random::NoiseSource;
use proptest::prelude::*;
use std::collections::HashMap;
use std::sync::atomic::{AtomicUsize, Ordering};

use crate::every_state::hold_oscillations;
use crate::filters::any_word;
use crate::ideal::Ideal;
use crate::programs::{Sizes, any_program, damaged};
use crate::reader::{Reader, read};

/// How many times as many programs are tried as by every test run.
fn campaign() -> usize {
    std::env::var("MELLOW_RAKE_CAMPAIGN").map_or(1, |times| times.parse().unwrap())
}

/// How many were checked, ran in machine words, were proved to have bounds, never limit anything.
static SEEN: [AtomicUsize; 4] = [const { AtomicUsize::new(0) }; 4];

fn count(kind: usize, holds: bool) {
    SEEN[kind].fetch_add(usize::from(holds), Ordering::Relaxed);
}

/// Whatever a stranger meets on the way lies where the check says.
fn check_facts(checked: &Checked, stranger: &Reader, program: &str) {
    let facts = checked.facts();
    for met in &stranger.met {
        let node = mellow_rake::datapath::Node(met.node as u32);
        let (low, high, can_change) = match (facts.sum(node), facts.limit(node)) {
            (Some(sum), _) => (sum.low, sum.high, sum.wraps),
            (_, Some(limit)) => (limit.low, limit.high, limit.acts),
            _ => panic!("neither a sum nor a limit"),
        };
        assert!((low..=high).contains(&met.word), "{met:?} beyond {low} to {high}\n{program}");
        assert!(met.fits || can_change, "{met:?} does not fit\n{program}");
        // While nothing is limited, and where nothing that is has an influence, levels are proved.
        let Ok(bounds) = facts.bounds() else { continue };
        let is_here = |reach: &&Reach| reach.node == node && reach.pass == met.pass && reach.safe;
        if let Some(reach) = bounds.reaches.iter().find(is_here) {
            let value = met.format.value(met.word);
            assert!((reach.low..=reach.high).contains(&value), "{met:?} {reach:?}\n{program}");
        }
    }
}

fn check_program(seed: u64, sizes: Sizes) {
    let mut noise = NoiseSource::new(seed);
    let program = any_program(&mut noise, sizes);
    let Ok(checked) = program.check() else { return };
    count(0, true);
    let text = dump(&checked);
    let datapath = checked.datapath();
    let formats = [&datapath.inputs, &datapath.outputs].map(|ports| of_words(ports));
    let [inputs, outputs] = &formats;
    let mut words = Vec::new();
    for _ in 0..400 {
        words.extend(inputs.iter().map(|format| any_word(&mut noise, *format, false)));
    }
    let mut stranger = read(&checked);
    let mut expected = Vec::new();
    let mut is_linear = true;
    for firing in words.chunks(inputs.len()) {
        let firing: Vec<i128> = firing.iter().map(|word| (*word).into()).collect();
        expected.extend(stranger.fire(&firing).into_iter().map(|word| word as i64));
        check_facts(&checked, &stranger, &text);
        is_linear &= stranger.met.iter().all(|met| met.fits);
    }
    let mut simulator = Simulator::new(&checked);
    count(1, simulator.is_fast());
    assert_eq!(simulator.run(&words), expected, "\n{text}");
    // In pieces that end anywhere.
    let (begun, rest) = words.split_at(noise.integer(0, words.len() as i64) as usize);
    let mut reference = Simulator::reference(&checked);
    let pieces = [begun, rest].map(|piece| reference.run(piece)).concat();
    assert_eq!(pieces, expected, "\n{text}");
    let narrowed = checked.clone().narrowed();
    assert_eq!(Simulator::new(&narrowed).run(&words), expected, "narrowed\n{}", dump(&narrowed));
    if let Ok(shifts) = checked.without_multiplier() {
        let shifts = shifts.check().unwrap();
        assert_eq!(Simulator::new(&shifts).run(&words), expected, "shifts\n{}", dump(&shifts));
    }
    let Some(bounds) = facts_bounds(&checked) else { return };
    count(2, true);
    count(3, bounds.1);
    assert!(is_linear || !bounds.1, "a limit acted that never acts\n{text}");
    if is_linear {
        let mut ideal = Ideal::new(checked.datapath());
        let firings = words.chunks(inputs.len()).zip(expected.chunks(outputs.len()));
        for (n, (firing, found)) in firings.enumerate() {
            let pairs = firing.iter().zip(inputs);
            let values: Vec<f64> = pairs.map(|(word, format)| format.value(*word)).collect();
            for ((y, format), exact) in found.iter().zip(outputs).zip(ideal.fire(&values)) {
                let error = format.value(*y) - exact;
                // The test's own rounding is far below.
                let slack = 1e-9 * (1.0 + error.abs());
                let [low, high] = bounds.0;
                assert!(
                    low - slack <= error && error <= high + slack,
                    "{n}: {error}, {bounds:?}\n{text}"
                );
            }
        }
    }
}

/// The format of each word of a firing.
fn of_words(ports: &[Port]) -> Vec<WordFormat> {
    ports.iter().flat_map(|port| vec![port.format; port.count]).collect()
}

/// The bound of the error, and whether no limit ever acts.
fn facts_bounds(checked: &Checked) -> Option<([f64; 2], bool)> {
    let bounds = checked.facts().bounds().as_ref().ok()?;
    Some(([bounds.error.low, bounds.error.high], bounds.no_limit_acts()))
}

proptest! {
    #![proptest_config(ProptestConfig { cases: 900, failure_persistence: None, ..ProptestConfig::default() })]

    #[test]
    fn a_program_means_one_thing(seed: u64) {
        check_program(seed, Sizes::LARGE);
    }

    #[test]
    fn a_program_of_several_words_means_one_thing(seed: u64) {
        check_program(seed, Sizes::FIRINGS);
    }
}

/// The same on fixed seeds, or on many times as many, and that they are of all sorts.
#[test]
fn programs_are_of_all_sorts() {
    for sizes in [Sizes::LARGE, Sizes::FIRINGS] {
        (0..600 * campaign() as u64).for_each(|seed| check_program(seed, sizes));
    }
    let seen = SEEN.each_ref().map(|count| count.load(Ordering::Relaxed));
    println!(
        "{} checked, {} in machine words, {} bounded, {} without limits",
        seen[0], seen[1], seen[2], seen[3]
    );
    assert!(seen[0] > 500 && seen[1] > 250 && seen[2] > 100 && seen[3] > 10, "{seen:?}");
}

/// Programs of little memory, from every state: what is said of their oscillations is so.
#[test]
fn oscillations_of_programs_hold_against_every_state() {
    let mut noise = NoiseSource::new(31);
    let (mut held, mut oscillating) = (0, 0);
    for index in 0..6_500 {
        let sizes = [Sizes::SMALL, Sizes::SMALL_FIRINGS][index % 2];
        let Ok(checked) = any_program(&mut noise, sizes).check() else { continue };
        let name = format!("{index}\n{}", dump(&checked));
        if let Some(count) = hold_oscillations(&checked, &name) {
            held += 1;
            oscillating += usize::from(count > 0);
        }
    }
    println!("{held} programs, {oscillating} with oscillations");
    assert!(held > 300 && oscillating > 60, "{held} {oscillating}");
}

/// Damaged programs are refused with what is wrong, or are programs that mean one thing: nothing panics.
#[test]
fn damaged_programs_are_refused_or_mean_one_thing() {
    let mut noise = NoiseSource::new(41);
    let (mut refused, mut held) = (HashMap::new(), 0);
    for _ in 0..6_000 * campaign() {
        let sizes = [Sizes::LARGE, Sizes::FIRINGS][noise.integer(0, 1) as usize];
        let mut program = any_program(&mut noise, sizes);
        for _ in 0..noise.integer(1, 2) {
            program = damaged(program, &mut noise);
        }
        match program.check() {
            Ok(checked) => {
                let inputs = of_words(&checked.datapath().inputs);
                let mut stranger = read(&checked);
                let (mut words, mut expected) = (Vec::new(), Vec::new());
                for _ in 0..60 {
                    let firing = inputs.iter().map(|format| any_word(&mut noise, *format, false));
                    let firing: Vec<i64> = firing.collect();
                    let exact: Vec<i128> = firing.iter().map(|word| (*word).into()).collect();
                    expected.extend(stranger.fire(&exact).into_iter().map(|word| word as i64));
                    words.extend(firing);
                }
                assert_eq!(Simulator::new(&checked).run(&words), expected, "\n{}", dump(&checked));
                held += 1;
            }
            Err(error) => {
                let text = error.to_string();
                assert!(text.len() < 400, "{text}");
                *refused.entry(std::mem::discriminant(&error)).or_insert(0) += 1;
            }
        }
    }
    println!("{held} hold; {} kinds of refusals", refused.len());
    assert!(held > 200 && refused.len() > 9, "{held} {refused:?}");
}
