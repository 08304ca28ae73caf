//! Filters that take turns on one unit: each gives what it gives alone, in the clocks that were told.

use mellow_rake::datapath::{Simulator, dump};
use mellow_rake::hardware::{
    ClockInput, Estimate, HardwareError, Machine, Resources, Scheduled, SignalFlow, TimeShared,
    UnitProgram, schedule,
};
use mellow_rake::implementation::Implementation;
use mellow_rake::random::NoiseSource;
use std::collections::VecDeque;

use crate::filters::{any_filter, any_filters_of_one_format, any_resources, any_word};

fn flows(filters: &[Implementation]) -> Vec<SignalFlow> {
    filters.iter().map(|one| SignalFlow::of(&one.checked).unwrap()).collect()
}

fn context(filters: &[Implementation], resources: Resources) -> String {
    let programs: Vec<String> = filters.iter().map(|one| dump(&one.checked)).collect();
    format!("{resources:?}\n{}", programs.join("\n"))
}

/// Words among gaps, pauses and resets: every one that comes out is what the simulator of its filter gives.
fn hold(
    filters: &[Implementation],
    shared: &TimeShared,
    of_eight: [i64; 2],
    noise: &mut NoiseSource,
) {
    let resources = shared.resources();
    let mut machine = Machine::of_time_shared(shared).unwrap();
    let fresh = || -> Vec<_> { filters.iter().map(|one| Simulator::new(&one.checked)).collect() };
    let (mut simulators, mut expected) = (fresh(), VecDeque::new());
    let (mut taken, mut given) = (0, 0);
    let clocks = 30 * shared.interval().max(20);
    for clock in 0..clocks {
        let chance = |of: i64, noise: &mut NoiseSource| noise.integer(0, 7) < of;
        let is_reset = resources.clears_memory && noise.integer(0, clocks as i64 / 2) == 0;
        let input = ClockInput {
            rst: is_reset,
            in_valid: chance(of_eight[0], noise),
            in_data: any_word(noise, filters[0].checked.input(), false),
            out_ready: !resources.interface.waits() || chance(of_eight[1], noise),
            load: None,
        };
        let seen = machine.clock(input);
        if seen.out_valid && input.out_ready {
            given += 1;
            let text = || format!("clock {clock}\n{}", context(filters, resources));
            assert_eq!(Some(seen.out_data), expected.pop_front(), "{}", text());
        }
        if is_reset {
            (simulators, taken) = (fresh(), 0);
            expected.clear();
        } else if input.in_valid && seen.in_ready {
            let turn = taken % filters.len();
            expected.push_back(simulators[turn].step(input.in_data));
            taken += 1;
        }
    }
    assert!(given > 10, "{given}\n{}", context(filters, resources));
}

/// The clocks between samples that are offered at once, and from the first to its output.
fn pace(shared: &TimeShared) -> (Vec<usize>, Vec<usize>) {
    let mut machine = Machine::of_time_shared(shared).unwrap();
    let input = ClockInput { in_valid: true, in_data: 1, out_ready: true, ..Default::default() };
    let (mut taken, mut given) = (Vec::new(), Vec::new());
    for clock in 0..4 * shared.interval() + 2 * shared.latency() {
        let seen = machine.clock(input);
        taken.extend(seen.in_ready.then_some(clock));
        given.extend(seen.out_valid.then_some(clock));
    }
    let apart = taken.windows(2).map(|pair| pair[1] - pair[0]).collect();
    (apart, given.iter().zip(&taken).map(|(given, taken)| given - taken).collect())
}

#[test]
fn each_of_several_filters_gives_what_it_gives_alone() {
    let times: usize =
        std::env::var("MELLOW_RAKE_CAMPAIGN").map_or(1, |times| times.parse().unwrap());
    let mut noise = NoiseSource::new(981);
    let (mut held, mut sooner) = (0, 0);
    while held < 160 * times {
        let filters = any_filters_of_one_format(&mut noise);
        let resources = Resources { channels: 1, ..any_resources(&mut noise) };
        let flows = flows(&filters);
        let shared = TimeShared::of(&flows, resources).unwrap();
        match UnitProgram::of_time_shared(&shared) {
            Ok(_) => {}
            Err(HardwareError::Width { .. }) => continue,
            Err(error) => panic!("{error}"),
        }
        for of_eight in [[8, 8], [3, 8], [6, 2]] {
            hold(&filters, &shared, of_eight, &mut noise);
        }
        // What was told of the pace: each filter its clocks, none kept waiting.
        let (apart, latencies) = pace(&shared);
        let own: Vec<usize> = shared.filters().iter().map(Scheduled::interval).collect();
        let told: Vec<usize> = own.iter().cycle().copied().take(apart.len()).collect();
        assert_eq!(apart, told, "{}", context(&filters, resources));
        let told: Vec<usize> = shared.filters().iter().map(Scheduled::latency).collect();
        let seen = latencies.iter().zip(told.iter().cycle());
        seen.for_each(|(seen, told)| assert_eq!(seen, told, "{}", context(&filters, resources)));
        assert_eq!(told.iter().copied().max(), Some(shared.latency()));
        // Alone each would take as long as it waits for itself.
        let alone = |flow: &SignalFlow| schedule(flow, resources).unwrap().interval();
        let alone: usize = flows.iter().map(alone).sum();
        sooner += usize::from(shared.interval() < alone);
        // An adder in front of the multipliers that one of them needs is a clock more for each sum of all
        // that another waits for, and a turn has two clocks at least.
        let most = alone * 4 / 3 + 2 * flows.len();
        assert!(shared.interval() <= most, "{alone} {own:?} {}", context(&filters, resources));
        let told = Estimate::of_time_shared(&shared).unwrap();
        assert_eq!((told.interval, told.multipliers), (shared.interval(), resources.multipliers));
        assert!(told.use_of_multipliers > 0.0 && told.use_of_multipliers <= 1.0, "{told:?}");
        held += 1;
    }
    println!("{held} groups, {sooner} sooner than one by one");
    assert!(sooner > held / 8, "{sooner} {held}");
}

/// The clocks of filters of sections are those of their products, in every order and of any depth.
#[test]
fn sections_that_take_turns_wait_for_nothing() {
    let mut noise = NoiseSource::new(982);
    for count in 3..=6 {
        let mut filters = Vec::new();
        while filters.len() < count {
            let structure = mellow_rake::spec::Structure::DirectForm1;
            let Some(filter) = any_filter(&mut noise, structure) else { continue };
            let first: &Implementation = filters.first().unwrap_or(&filter);
            let words = |one: &Implementation| [one.checked.input(), one.checked.output()];
            if words(first) == words(&filter) || filters.is_empty() {
                filters.push(filter.clone());
                // Of one section, and with the same words again.
                filters.resize(count, filter);
            }
        }
        let flows = flows(&filters);
        let shared = TimeShared::of(&flows, Resources::default()).unwrap();
        let products: usize = shared.filters().iter().map(|one| one.flow().products()).sum();
        // Up to a clock for each, where a sample and a result would be written at once.
        let spare = shared.interval() - products;
        assert!(spare <= count, "{spare} clocks more than {products}");
    }
}

#[test]
fn what_cannot_take_turns_is_refused() {
    let mut noise = NoiseSource::new(983);
    let filters = any_filters_of_one_format(&mut noise);
    let flows = flows(&filters);
    let refusal = |flows: &[SignalFlow], resources| match TimeShared::of(flows, resources) {
        Err(error) => error.to_string(),
        Ok(_) => "no refusal".to_owned(),
    };
    let plain = Resources::default();
    assert!(refusal(&[], plain).contains("0 filters that take turns; 1 to 256"));
    assert!(refusal(&vec![flows[0].clone(); 257], plain).contains("257 filters"));
    let channels = Resources { channels: 2, ..plain };
    assert!(refusal(&flows, channels).contains("channels = 1, with a filter for each, would do"));
    let mut other = flows[1].clone();
    other.input = "u3f1".parse().unwrap();
    let mixed = [flows[0].clone(), flows[0].clone(), other];
    assert!(refusal(&mixed, plain).contains("filter 3 takes u3f1"), "{}", refusal(&mixed, plain));
    let loadable = loop {
        let Some(filter) = any_filter(&mut noise, mellow_rake::spec::Structure::FirDirect) else {
            continue;
        };
        if let Ok(flow) = SignalFlow::loadable(&filter.checked) {
            break flow;
        }
    };
    assert!(refusal(&[loadable], plain).contains("coefficients = \"constant\" would do"));
}
