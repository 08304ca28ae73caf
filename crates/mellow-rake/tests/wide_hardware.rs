//! Several samples a clock: of taps the filter itself, of a recursion a refusal with a bound that holds.

use mellow_rake::datapath::{Simulator, dump};
use mellow_rake::hardware::{
    ClockInput, Estimate, HardwareError, Joint, Parallel, ParallelMachine, Resources, SignalFlow,
    schedule,
};
use mellow_rake::random::NoiseSource;
use mellow_rake::spec::Structure;
use mellow_rake::study::Study;
use std::collections::{BTreeSet, VecDeque};

use crate::filters::{any_filter, any_parallel_resources, any_resources, any_word, one_of};
use crate::programs::{Sizes, any_program};

const OF_TAPS: [Structure; 4] =
    [Structure::FirDirect, Structure::FirTransposed, Structure::FirFolded, Structure::FirSkipZeros];

/// What a level of joints makes of the words in front of it.
fn level(joints: &[Joint], front: &[i128]) -> Vec<i128> {
    let joint = |joint: &Joint| {
        let left = front[joint.left];
        let sum = match joint.right {
            None => left,
            Some(right) if joint.is_minus => left - front[right],
            Some(right) => left + front[right],
        };
        let half = 1i128 << (joint.bits - 1);
        assert!((-half..half).contains(&sum), "{sum} in {} bits", joint.bits);
        sum
    };
    joints.iter().map(joint).collect()
}

/// The sum of the products of every tap, through its joints, is the sum of its products.
fn joints_add_up(chain: &Parallel, samples: &[i128]) {
    for (index, taps) in chain.chains().iter().enumerate() {
        for (number, tap) in taps.iter().enumerate() {
            let (levels, is_minus) = chain.joints(index, number);
            assert_eq!(levels.len(), chain.levels());
            let product = |size: usize, sample: usize| chain.products()[size] * samples[sample];
            let products: Vec<i128> =
                tap.products.iter().map(|one| product(one.size, one.sample)).collect();
            let signed = |(one, product): (&mellow_rake::hardware::ChainProduct, &i128)| {
                if one.is_minus { -product } else { *product }
            };
            let expected: i128 = tap.products.iter().zip(&products).map(signed).sum();
            let last = levels.iter().fold(products, |front, joints| level(joints, &front));
            assert!(last.len() <= 1);
            let found = last.first().copied().unwrap_or(0);
            assert_eq!(if is_minus { -found } else { found }, expected);
        }
    }
}

#[test]
fn several_samples_a_clock_are_the_filter() {
    let mut noise = NoiseSource::new(381);
    let mut counts = [0; 17];
    while counts.iter().sum::<usize>() < 160 {
        let structure = one_of(&mut noise, &OF_TAPS);
        let Some(filter) = any_filter(&mut noise, structure) else { continue };
        let checked = &filter.checked;
        let flow = SignalFlow::of(checked).unwrap();
        let resources = any_parallel_resources(&mut noise);
        let samples = resources.samples_per_clock;
        let Ok(chain) = Parallel::of(&flow, resources) else { continue };
        if samples == 1 {
            continue;
        }
        counts[samples] += 1;
        let (low, high) = (checked.input().minimum(), checked.input().maximum());
        for ends in [[low, low], [high, high], [low, high], [high, low]] {
            joints_add_up(&chain, &ends.iter().copied().cycle().take(samples).collect::<Vec<_>>());
        }
        // With gaps, back pressure, and now and then a reset.
        let mut machine = ParallelMachine::new(&chain);
        let mut simulator = Simulator::new(checked);
        let mut expected: VecDeque<Vec<i64>> = VecDeque::new();
        let any_words = |noise: &mut NoiseSource| -> Vec<i64> {
            (0..samples).map(|_| any_word(noise, checked.input(), false)).collect()
        };
        let mut words = any_words(&mut noise);
        let (offered, taken) = (noise.integer(2, 8), noise.integer(2, 8));
        let (mut given, mut is_first) = (0, true);
        let mut since = 0;
        for clock in 0..250 {
            let chance = |of: i64, noise: &mut NoiseSource| noise.integer(0, 7) < of;
            let rst = noise.integer(0, 80) == 0;
            let in_valid = chance(offered, &mut noise);
            let out_ready = !resources.interface.waits() || chance(taken, &mut noise);
            let input = ClockInput { rst, in_valid, out_ready, ..Default::default() };
            let (seen, out) = machine.clock_with(input, &words);
            if seen.out_valid && is_first && !resources.interface.waits() {
                // Nothing has stopped it on its way.
                assert_eq!(clock - since, chain.latency(), "{resources:?}");
            }
            is_first &= !seen.out_valid;
            if seen.out_valid && out_ready {
                given += 1;
                assert_eq!(Some(out), expected.pop_front(), "{resources:?}\n{}", dump(checked));
            }
            if rst {
                (simulator, is_first) = (Simulator::new(checked), true);
                expected.clear();
            } else if in_valid && seen.in_ready {
                if is_first && expected.is_empty() {
                    since = clock;
                }
                expected.push_back(simulator.run(&words));
                words = any_words(&mut noise);
            }
        }
        assert!(given > 5, "{given} clocks, {resources:?}");
        // As many products as of one sample a clock, for each sample.
        let alone = Parallel::of(&flow, Resources { samples_per_clock: 1, ..resources }).unwrap();
        let told = Estimate::of_parallel(&chain);
        assert_eq!(told.multipliers, samples * Estimate::of_parallel(&alone).multipliers);
        let adds: usize = told.adders.iter().map(|part| part.count).sum();
        let alone: usize = Estimate::of_parallel(&alone).adders.iter().map(|part| part.count).sum();
        assert_eq!(adds, samples * alone, "every output is a sum of as many products");
    }
    assert!([2, 3, 4, 5, 8, 16].iter().all(|samples| counts[*samples] > 3), "{counts:?}");
}

/// The least delay for each task of all loops without a task twice, every path tried; as tasks and delay.
fn slowest_by_hand(flow: &SignalFlow) -> Option<(usize, usize)> {
    let mut edges = BTreeSet::new();
    for (to, task) in flow.tasks.iter().enumerate() {
        for product in &task.products {
            let words = [Some(product.first), product.second.map(|(_, word)| word)];
            let used = words.into_iter().flatten().filter(|word| word.signal > 0);
            edges.extend(used.map(|word| (word.signal - 1, to, word.age)));
        }
    }
    fn walk(
        path: &mut Vec<usize>,
        delay: usize,
        edges: &BTreeSet<(usize, usize, usize)>,
        best: &mut Option<(usize, usize)>,
    ) {
        let (first, last) = (path[0], path[path.len() - 1]);
        for (_, to, age) in edges.iter().filter(|(from, ..)| *from == last) {
            if *to == first {
                let found = (path.len(), delay + age);
                let is_slower = |best: &(usize, usize)| found.0 * best.1 > best.0 * found.1;
                if best.as_ref().is_none_or(is_slower) {
                    *best = Some(found);
                }
            } else if *to > first && !path.contains(to) {
                path.push(*to);
                walk(path, delay + age, edges, best);
                path.pop();
            }
        }
    }
    let mut best = None;
    for first in 0..flow.tasks.len() {
        walk(&mut vec![first], 0, &edges, &mut best);
    }
    best
}

/// The slowest loop is that of all loops, and no schedule is faster than it.
#[test]
fn no_unit_is_faster_than_its_slowest_loop() {
    let mut noise = NoiseSource::new(382);
    let (mut loops, mut without, mut reached) = (0, 0, 0);
    for index in 0..400 {
        let flow = if index % 2 == 0 {
            let structure = one_of(&mut noise, &Structure::ALL);
            let Some(filter) = any_filter(&mut noise, structure) else { continue };
            SignalFlow::of(&filter.checked).unwrap()
        } else {
            let Ok(checked) = any_program(&mut noise, Sizes::LARGE).check() else { continue };
            SignalFlow::of(&checked).unwrap()
        };
        if flow.tasks.len() > 9 {
            continue;
        }
        let drawn = any_resources(&mut noise);
        let multipliers = if index % 3 == 0 { drawn.multipliers } else { 1 };
        let resources = Resources { channels: 1, multipliers, ..drawn };
        let found = flow.slowest_loop(resources);
        let Some((tasks, delay)) = slowest_by_hand(&flow) else {
            assert_eq!(found, None);
            without += 1;
            continue;
        };
        let found = found.unwrap();
        let around = 4 + resources.multiplier_stages;
        assert_eq!(found.clocks * delay, tasks * around * found.delay, "{flow:#?}");
        let interval = schedule(&flow, resources).unwrap().interval();
        assert!(interval * found.delay >= found.clocks, "{interval} {found:?} {flow:#?}");
        loops += 1;
        reached += usize::from(interval == found.clocks.div_ceil(found.delay));
    }
    println!("{loops} loops, {reached} of them reached, {without} flows without");
    assert!(loops > 60 && without > 20 && reached > 3, "{loops} {without} {reached}");
}

#[test]
fn what_cannot_take_several_samples_a_clock_says_why() {
    let text = |kind: &str, hardware: &str| {
        format!(
            "name = \"swell\"\nsample_rate = \"1 MHz\"\n[want]\nkind = \"lowpass\"\n\
             cutoff = \"90 kHz\"\n[method]\n{kind}[fixed]\ninput = \"s16f15\"\n[hardware]\n{hardware}\n"
        )
    };
    let recursion = "design = \"butterworth\"\norder = 4\n";
    let taps = "design = \"window\"\nwindow = \"hann\"\ntaps = 31\n";
    let hardware = |text: &str| -> Result<usize, String> {
        let study = Study::of_text(text, |_| Err(String::new())).map_err(|e| e.to_string())?;
        let chosen = study.hardware().map_err(|error| error.to_string())?;
        Ok(chosen.unwrap().unit.resources().samples_per_clock)
    };
    for (kind, wrong, key, accepted) in [
        (recursion, "samples_per_clock = 2", "hardware.samples_per_clock", "5 at least"),
        (taps, "samples_per_clock = 17", "hardware.samples_per_clock", "1 to 16"),
        (taps, "samples_per_clock = 0", "hardware.samples_per_clock", "1 to 16"),
        (
            taps,
            "samples_per_clock = 2\nchannels = 3",
            "hardware.samples_per_clock",
            "one of the two",
        ),
        (
            taps,
            "samples_per_clock = 2\narchitecture = \"serial\"",
            "hardware.architecture",
            "parallel",
        ),
        (taps, "samples_per_clock = 4\nmultipliers = 8", "hardware.multipliers", "of a clock"),
        (taps, "samples_per_clock = 4\nclock = \"200 kHz\"", "hardware.clock", "250000 Hz"),
    ] {
        let said = hardware(&text(kind, wrong)).unwrap_err();
        assert!(said.contains(key) && said.contains(accepted), "{wrong}: {said}");
    }
    // Products that are rounded one by one.
    let rounded = text(taps, "architecture = \"parallel\"");
    let rounded = rounded.replace("[hardware]", "products = \"s20f17\"\n[hardware]");
    let said = hardware(&rounded).unwrap_err();
    assert!(said.contains("hardware.architecture") && said.contains("serial"), "{said}");
    assert_eq!(hardware(&rounded.replace("parallel", "serial")), Ok(1));
    // Ten thousand taps for each of sixteen samples are no unit.
    let many = taps.replace("31", "10000");
    let said = hardware(&text(&many, "samples_per_clock = 16")).unwrap_err();
    assert!(said.contains("at most 65536"), "{said}");
    // What is advised does it.
    let said = hardware(&text(recursion, "samples_per_clock = 2")).unwrap_err();
    let clock = said.split("a clock of ").nth(1).unwrap().split(" Hz").next().unwrap();
    assert_eq!(hardware(&text(recursion, &format!("clock = \"{clock} Hz\""))), Ok(1));
    // A clock that is slower than the samples come.
    assert_eq!(hardware(&text(taps, "samples_per_clock = 4\nclock = \"250 kHz\"")), Ok(4));
    let flow = SignalFlow::of(
        &Study::of_text(&text(taps, ""), |_| Err(String::new()))
            .unwrap()
            .integers()
            .unwrap()
            .checked,
    )
    .unwrap();
    let wide = Resources { samples_per_clock: 2, ..Resources::default() };
    assert_eq!(schedule(&flow, wide).unwrap_err(), HardwareError::Shared);
}
