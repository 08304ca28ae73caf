//! What all writers say in their languages means what the simulator computes, and stays within what is said
//! beside it.

use mellow_rake::datapath::{Checked, Port, Simulator, dump, fir_decimator, fir_interpolator};
use mellow_rake::fixed::{Overflow, Rounding, round_coefficients};
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

/// Branches that have next to no taps, as those of half-band and M-th band filters, lose their zeros and
/// nothing else.
#[test]
fn branches_without_taps_are_written_out() {
    let mut noise = NoiseSource::new(53);
    let mut apart = 0;
    for _ in 0..200 {
        let factor = noise.integer(2, 9) as usize;
        let count = factor * noise.integer(2, 14) as usize - noise.integer(0, 1) as usize;
        let is_full: Vec<bool> = (0..factor).map(|_| noise.integer(0, 1) == 0).collect();
        let tap = |k: usize, noise: &mut NoiseSource| {
            let is_lone = noise.integer(0, 20) == 0;
            if is_full[k % factor] || is_lone {
                noise.integer(-100, 100) as f64 / 128.0
            } else {
                0.0
            }
        };
        let mut taps: Vec<f64> = (0..count).map(|k| tap(k, &mut noise)).collect();
        taps[count - 1] = 0.25;
        let table = round_coefficients(&[taps], "s9f7".parse().unwrap()).unwrap();
        let words = ["s8f7", "u7f7", "s12f9"].map(|format| format.parse().unwrap());
        let (input, output) =
            (words[noise.integer(0, 2) as usize], words[noise.integer(0, 2) as usize]);
        let rounding = Rounding::ALL[noise.integer(0, 4) as usize];
        for build in [fir_decimator, fir_interpolator] {
            let program =
                build(&table, factor, input, output, rounding, Overflow::Saturate).unwrap();
            let checked = program.check().unwrap();
            hold(&checked, &mut noise);
            let lowered = lower_for_processor(&checked);
            let Some(lone) = lowered.tables.iter().find(|table| table.name == "lone_taps") else {
                continue;
            };
            apart += 1;
            assert!(!lone.rows[0].is_empty() && lone.rows[0].iter().all(|tap| *tap != 0));
            let has_loop = lowered.body.iter().any(|one| matches!(one, Statement::Repeat { .. }));
            assert!(!has_loop && lowered.tables[0].rows.len() < factor);
        }
    }
    assert!(apart > 100, "{apart}");
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
