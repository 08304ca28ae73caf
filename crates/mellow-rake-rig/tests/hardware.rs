//! Scheduled filters, written and simulated by real tools among gaps and back pressure.

#[path = "../../mellow-rake/tests/common/filters.rs"]
mod filters;

use filters::{any_filter, any_word, one_of};
use mellow_rake::datapath::{Checked, Simulator, dump};
use mellow_rake::hardware::{Resources, Scheduled, SignalFlow, schedule};
use mellow_rake::random::NoiseSource;
use mellow_rake::spec::{Interface, Name, Structure};
use mellow_rake::write::{Symbols, verilog};
use mellow_rake_rig::HardwareModel;

fn any_resources(noise: &mut NoiseSource) -> Resources {
    Resources {
        multipliers: one_of(noise, &[1, 1, 1, 2, 3, 8]),
        multiplier_stages: one_of(noise, &[1, 1, 2, 3]),
        channels: one_of(noise, &[1, 1, 1, 2, 3, 5]),
        folds: noise.integer(0, 1) == 0,
        interface: one_of(noise, &Interface::ALL),
        clears_memory: noise.integer(0, 3) > 0,
        ..Resources::default()
    }
}

/// The samples of some channels in turn, and what comes out for them.
fn stimulus(
    checked: &Checked,
    scheduled: &Scheduled,
    noise: &mut NoiseSource,
) -> (Vec<i64>, Vec<i64>) {
    let channels = scheduled.resources().channels;
    let mut simulators: Vec<_> = (0..channels).map(|_| Simulator::new(checked)).collect();
    (0..80 * channels)
        .map(|index| {
            let word = any_word(noise, checked.input(), false);
            (word, simulators[index % channels].step(word))
        })
        .unzip()
}

#[test]
fn written_hardware_of_every_structure_gives_what_the_simulator_gives() {
    let times: usize =
        std::env::var("MELLOW_RAKE_CAMPAIGN").map_or(1, |times| times.parse().unwrap());
    let mut noise = NoiseSource::new(281);
    let symbols = Symbols::new(&Name::new("swell").unwrap());
    for (number, structure) in Structure::ALL.into_iter().enumerate() {
        let mut held = 0;
        for index in 0..8 * times {
            let Some(filter) = any_filter(&mut noise, structure) else { continue };
            let checked = &filter.checked;
            let flow = SignalFlow::of(checked).unwrap();
            let scheduled = schedule(&flow, any_resources(&mut noise)).unwrap();
            let files = verilog::write_scheduled(&scheduled, checked, &symbols).unwrap();
            let (input, output) = (checked.input(), checked.output());
            let (words, expected) = stimulus(checked, &scheduled, &mut noise);
            let context = || format!("{:?}\n{}", scheduled.resources(), dump(checked));
            let hold = |model: HardwareModel| {
                let report = model
                    .run(&words, &expected)
                    .unwrap_or_else(|error| panic!("{error}\n{}", context()));
                assert_eq!(report.observed, expected, "{}", context());
                assert_eq!((report.samples, report.mismatches), (words.len(), 0));
            };
            let model = HardwareModel::icarus(&files, input, output);
            hold(model.unwrap_or_else(|error| panic!("{error}\n{}\n{}", context(), files[0].text)));
            // Half a minute's work each.
            if held == 0 && number % 4 == 0 {
                let model = HardwareModel::verilator(&files, input, output);
                hold(
                    model.unwrap_or_else(|error| {
                        panic!("{error}\n{}\n{}", context(), files[0].text)
                    }),
                );
            }
            held += 1;
        }
        assert!(held > 0, "{structure:?}: {held}");
    }
}
