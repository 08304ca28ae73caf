//! Units one behind the other: cut where it can be, as evenly as it can be, and taken where that is faster.

use mellow_rake::datapath::{Simulator, dump};
use mellow_rake::hardware::{
    FlowSimulator, HardwareUnit, Resources, Scheduled, SignalFlow, Staged, choose, schedule,
};
use mellow_rake::random::NoiseSource;
use mellow_rake::spec::{Hardware, Structure};
use mellow_rake::units::SampleRate;

use crate::filters::{any_filter, any_resources, any_word, one_of};
use crate::programs::{Sizes, any_program};

/// Whether the tasks from one on read nothing that was given before the task in front of them, and those
/// before nothing that is given from it on: looked at word by word.
fn can_be_cut(flow: &SignalFlow, cut: usize) -> bool {
    flow.tasks.iter().enumerate().all(|(task, one)| {
        one.products.iter().all(|product| {
            let words = [Some(product.first), product.second.map(|(_, word)| word)];
            words.into_iter().flatten().all(|word| match (word.signal, task < cut) {
                (0, is_before) => is_before,
                (signal, true) => signal <= cut,
                (signal, false) => signal >= cut,
            })
        })
    })
}

/// The fewest products of the largest part with so many parts at most: all ways to cut are tried.
fn most_even(flow: &SignalFlow, parts: usize) -> usize {
    let count = flow.tasks.len();
    let cuts: Vec<usize> = (1..count).filter(|cut| can_be_cut(flow, *cut)).collect();
    let products = |first: usize, end: usize| -> usize {
        flow.tasks[first..end].iter().map(|task| task.products.len()).sum()
    };
    let all = (0..1u32 << cuts.len()).filter(|choice| choice.count_ones() < parts as u32);
    let largest = |choice: u32| {
        let chosen = cuts.iter().enumerate().filter(|(k, _)| choice >> k & 1 > 0);
        let mut ends: Vec<usize> = chosen.map(|(_, cut)| *cut).collect();
        ends.push(count);
        let mut first = 0;
        let sizes = ends.into_iter().map(|end| products(std::mem::replace(&mut first, end), end));
        sizes.max().unwrap_or(0)
    };
    all.map(largest).min().unwrap_or(0)
}

fn any_flow(index: usize, noise: &mut NoiseSource) -> Option<(SignalFlow, String, Vec<[i64; 2]>)> {
    let checked = if index.is_multiple_of(3) {
        any_program(noise, Sizes::LARGE).check().ok()?
    } else {
        let structure = one_of(noise, &Structure::ALL);
        any_filter(noise, structure)?.checked
    };
    let mut simulator = Simulator::new(&checked);
    let words = (0..60).map(|_| {
        let word = any_word(noise, checked.input(), false);
        [word, simulator.step(word)]
    });
    let words = words.collect();
    Some((SignalFlow::of(&checked).unwrap(), dump(&checked), words))
}

#[test]
fn parts_are_the_whole_cut_as_evenly_as_can_be() {
    let mut noise = NoiseSource::new(681);
    let (mut cut, mut whole) = (0, 0);
    for index in 0..700 {
        let Some((flow, text, words)) = any_flow(index, &mut noise) else { continue };
        if flow.tasks.len() > 16 {
            continue;
        }
        let multipliers = noise.integer(2, 6) as usize;
        let resources = Resources { multipliers, folds: false, ..any_resources(&mut noise) };
        let mut unfolded = flow.clone();
        unfolded.unfold();
        let Ok(found) = Staged::of(&unfolded, resources) else { continue };
        let is_last = unfolded.outputs[0].signal == unfolded.tasks.len();
        let cuts = (1..unfolded.tasks.len()).filter(|cut| can_be_cut(&unfolded, *cut)).count();
        let Some(staged) = found else {
            assert!(cuts == 0 || !is_last, "{cuts} cuts were not seen\n{text}");
            whole += 1;
            continue;
        };
        assert!(cuts > 0 && is_last && staged.stages().len() <= multipliers, "{text}");
        let products = |stage: &Scheduled| stage.flow().products();
        let largest = staged.stages().iter().map(products).max().unwrap();
        assert_eq!(largest, most_even(&unfolded, multipliers), "{text}");
        assert_eq!(staged.stages().iter().map(products).sum::<usize>(), unfolded.products());
        // One after the other they give what the whole gives.
        let mut parts: Vec<FlowSimulator> =
            staged.stages().iter().map(|stage| FlowSimulator::new(stage.flow())).collect();
        for [word, expected] in &words {
            let found = parts.iter_mut().fold(*word, |word, part| part.step(word));
            assert_eq!(found, *expected, "{text}");
        }
        // All are as fast as the slowest has to be, and its words fit those of the next.
        let formats = |stage: &Scheduled| {
            let flow = stage.flow();
            [flow.input, flow.output_format()]
        };
        for pair in staged.stages().windows(2) {
            assert_eq!(pair[0].interval(), pair[1].interval());
            assert_eq!(formats(&pair[0])[1], formats(&pair[1])[0]);
        }
        cut += 1;
    }
    println!("{cut} were cut, {whole} cannot be");
    assert!(cut > 100 && whole > 100, "{cut} {whole}");
}

/// What is chosen for a clock is fast enough; with one multiplier less nothing is.
#[test]
fn no_fewer_multipliers_would_do() {
    let mut noise = NoiseSource::new(682);
    let rate = SampleRate::from_hertz(1000.0).unwrap();
    let (mut staged, mut shared) = (0, 0);
    for index in 0..250 {
        let Some((flow, text, _)) = any_flow(index, &mut noise) else { continue };
        let clocks = noise.integer(1, 40);
        let wish = Hardware { clock: Some(1000.0 * clocks as f64), ..Hardware::default() };
        let Ok(choice) = choose(&flow, &wish, rate) else { continue };
        let interval = choice.unit.interval();
        assert!(interval as i64 <= clocks, "{interval} of {clocks}\n{text}");
        let multipliers = choice.unit.resources().multipliers;
        match &choice.unit {
            HardwareUnit::Parallel(_) => continue,
            HardwareUnit::Staged(_) => staged += 1,
            HardwareUnit::Serial(_) => shared += usize::from(multipliers > 1),
        }
        for fewer in 1..multipliers {
            for folds in [false, true] {
                let resources = Resources { multipliers: fewer, folds, ..Resources::of(&wish) };
                let one = schedule(&flow, resources).unwrap().interval();
                let several = Staged::of(&flow, resources).unwrap().map(|staged| staged.interval());
                let fastest = one.min(several.unwrap_or(one));
                assert!(fastest as i64 > clocks, "{fewer} would do for {clocks} clocks\n{text}");
            }
        }
    }
    println!("{staged} one behind the other, {shared} on one sum");
    assert!(staged > 5 && shared > 5, "{staged} {shared}");
}
