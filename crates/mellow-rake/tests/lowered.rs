//! What all writers say in their languages means what the simulator computes, and stays within what is said
//! beside it.

use mellow_rake::datapath::{Checked, Port, Simulator, dump};
use mellow_rake::random::NoiseSource;
use mellow_rake::spec::Structure;
use mellow_rake::write::lower::{Lowered, Statement, lower, lower_for_processor};

use crate::filters::{any_filter, any_word};
use crate::interpreter::Interpreter;
use crate::programs::{Sizes, any_program};

fn hold(checked: &Checked, noise: &mut NoiseSource) {
    for lowered in [lower(checked), lower_for_processor(checked)] {
        hold_as(checked, &lowered, noise);
    }
}

fn hold_as(checked: &Checked, lowered: &Lowered, noise: &mut NoiseSource) {
    let mut interpreter = Interpreter::new(lowered);
    let mut simulator = Simulator::new(checked);
    for firing in 0..200 {
        let of_port = |port: &Port| vec![port.format; port.count];
        let formats = lowered.inputs.iter().flat_map(of_port);
        let words: Vec<i64> = formats.map(|format| any_word(noise, format, false)).collect();
        let found = match checked.datapath().is_per_sample() {
            true => vec![interpreter.step(words[0])],
            false => interpreter.fire(&words),
        };
        let expected = simulator.run(&words);
        assert_eq!(found, expected, "firing {firing}\n{}\n{lowered:#?}", dump(checked));
    }
}

#[test]
fn statements_of_any_program_mean_what_it_means() {
    let times: usize =
        std::env::var("MELLOW_RAKE_CAMPAIGN").map_or(1, |times| times.parse().unwrap());
    let mut noise = NoiseSource::new(51);
    let (mut held, mut of_shifts) = (0, 0);
    for index in 0..3_000 * times {
        let sizes = [Sizes::LARGE, Sizes::LARGE, Sizes::FIRINGS][index % 3];
        let Ok(checked) = any_program(&mut noise, sizes).check() else { continue };
        hold(&checked, &mut noise);
        held += 1;
        if let Ok(shifts) = checked.without_multiplier() {
            hold(&shifts.check().unwrap(), &mut noise);
            of_shifts += 1;
        }
    }
    println!("{held} programs, {of_shifts} of them without multiplier as well");
    assert!(held > 1_500 && of_shifts > 750, "{held} {of_shifts}");
}

#[test]
fn statements_of_every_structure_mean_what_it_means() {
    let mut noise = NoiseSource::new(52);
    let mut all = [0; 5];
    for structure in Structure::ALL {
        let mut held = 0;
        for _ in 0..60 {
            let Some(filter) = any_filter(&mut noise, structure) else { continue };
            hold(&filter.checked, &mut noise);
            let changes = changes(&lower_for_processor(&filter.checked));
            all = [0, 1, 2, 3, 4].map(|k| all[k] + usize::from(changes[k]));
            held += 1;
        }
        assert!(held > 10, "{structure:?}: {held}");
    }
    println!("shared, negated, in windows, in two phases, preloaded: {all:?}");
    assert!(all.iter().all(|count| *count > 10), "{all:?}");
}

/// Which changes for processors were made: signals stored once, signs turned, windows, those of two phases,
/// halves preloaded.
fn changes(lowered: &Lowered) -> [bool; 5] {
    fn has_half(body: &[Statement]) -> bool {
        body.iter().any(|statement| match statement {
            Statement::Sum(sum) => sum.first > 0,
            Statement::Repeat { body, .. } => has_half(body),
            _ => false,
        })
    }
    let windows = || lowered.windows.iter().flatten();
    [
        lowered.homes.iter().enumerate().any(|(line, home)| home.line != line),
        lowered.notes.iter().flatten().any(|note| note.contains("opposite sign")),
        windows().next().is_some(),
        windows().any(|window| window.phases == 2),
        has_half(&lowered.body),
    ]
}
