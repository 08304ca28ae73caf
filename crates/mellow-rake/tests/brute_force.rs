//! What is said to be proved, on words so short that everything can be tried: by a reader of the JSON that
//! shares no code with any proof.

// Independent of the library: the platform's own functions.

use mellow_rake::datapath::{
    AllPassWords, Checked, LatticeTables, SectionWords, Sign, StateWords, all_pass_sum,
    direct_form_1, direct_form_1_shaped, direct_form_1_transposed, direct_form_2,
    direct_form_2_transposed, lattice_ladder, lattice_sections, state_space, zero_input_cycles,
};
use mellow_rake::filter::{Form, Section, Sections, Taps};
use mellow_rake::fixed::{Overflow, RoundedTable, Rounding, WordFormat, round_coefficients};
use mellow_rake::implementation::{ImplementError, Implementation, implement};
use mellow_rake::random::NoiseSource;
use mellow_rake::spec::{Fixed, Scaling, Structure};
use std::collections::{BTreeMap, HashSet};

use crate::every_state::hold_oscillations;
use crate::reader::{Reader, read};

fn poles(noise: &mut NoiseSource) -> [f64; 2] {
    let a2 = 0.95 * noise.uniform();
    [(1.0 + a2) * 0.97 * (2.0 * noise.uniform() - 1.0), a2]
}

/// A section with short words of its own in every structure that has them.
fn section(noise: &mut NoiseSource, structure: Structure, words: SectionWords) -> Option<Checked> {
    let [a1, a2] = poles(noise);
    let round = |row: Vec<f64>, bits: u32| {
        round_coefficients(&[row], format!("s{bits}").parse().unwrap()).unwrap()
    };
    let bits = if words.output.width() == 4 { 4 } else { noise.integer(4, 7) as u32 };
    let b: Vec<f64> = (0..3).map(|_| noise.uniform() - 0.5).collect();
    let rows = round([b.clone(), vec![a1, a2]].concat(), bits);
    let state = WordFormat::new(true, 5, words.output.fraction() + 1).unwrap();
    let state = if words.output.width() == 4 { words.output } else { state };
    let states = StateWords { sections: words, state };
    let reflection = round(vec![0.97 * (2.0 * noise.uniform() - 1.0), 0.95 * noise.uniform()], 8);
    let is_one = |table: &RoundedTable| {
        table.rows[0].iter().any(|k| k.abs() >= 1 << table.format.fraction().max(0))
    };
    let tables = LatticeTables { reflection: &reflection, ladder: &round(b, 6) };
    let built = match structure {
        Structure::DirectForm1 => direct_form_1(&rows, words),
        Structure::ErrorFeedback1 => direct_form_1_shaped(&rows, words, 1),
        Structure::ErrorFeedback2 => direct_form_1_shaped(&rows, words, 2),
        Structure::DirectForm1Transposed => direct_form_1_transposed(&rows, states),
        Structure::DirectForm2 => direct_form_2(&rows, states),
        Structure::DirectForm2Transposed => direct_form_2_transposed(&rows, words),
        Structure::Coupled => {
            let radius = 0.95 * noise.uniform();
            let (re, im) = (radius * a1.cos(), radius * a1.sin());
            let row = vec![re, -im, 0.5, im, re, 0.0, 0.3, -0.4, 0.2];
            state_space(&round(row, bits), states)
        }
        Structure::LatticeLadder if !is_one(&reflection) => lattice_ladder(tables, states),
        Structure::LatticeSections if !is_one(&reflection) => lattice_sections(tables, states),
        Structure::AllPassSum => {
            let rows = round(if noise.integer(0, 3) > 0 { vec![a2] } else { vec![a1, a2] }, 7);
            let branches = [rows.rows.clone(), Vec::new()];
            let signs = [Sign::Plus, Sign::Plus];
            all_pass_sum(&AllPassWords { format: rows.format, branches, signs }, states)
        }
        _ => return None,
    };
    let mut datapath = built.ok()?;
    if structure.adds_whole_products() && noise.integer(0, 1) == 1 {
        let fraction = words.output.fraction() + noise.integer(0, 2) as i32;
        let products = WordFormat::new(true, 20, fraction).unwrap();
        datapath = datapath.with_products(products, words.rounding).ok()?;
    }
    datapath.check().ok()
}

/// Every structure × products × rounding × overflow: existence, size and period of oscillations, from every
/// state.
#[test]
fn oscillations_hold_against_every_state() {
    let mut noise = NoiseSource::new(21);
    let mut tried: BTreeMap<&str, [usize; 2]> = BTreeMap::new();
    let structures: Vec<Structure> =
        Structure::ALL.into_iter().filter(|one| !one.is_for_taps()).collect();
    for index in 0..600 {
        let structure = structures[index % structures.len()];
        let rounding = Rounding::ALL[index / structures.len() % 5];
        let overflow = [Overflow::Saturate, Overflow::Wrap][index / 50 % 2];
        // Those that remember sums or errors have many more states.
        let is_wide = matches!(
            structure,
            Structure::ErrorFeedback2
                | Structure::DirectForm1Transposed
                | Structure::DirectForm2Transposed
        );
        let width = if is_wide { 4 } else { noise.integer(4, 6) as u32 };
        let output = WordFormat::new(true, width, width as i32 - 2).unwrap();
        let input = WordFormat::new(true, 4, 3).unwrap();
        let words = SectionWords { input, output, rounding, overflow };
        let Some(checked) = section(&mut noise, structure, words) else { continue };
        let name = format!("{index} {structure:?} {rounding} {overflow} {output}");
        if let Some(count) = hold_oscillations(&checked, &name) {
            let [one, some] = tried.entry(structure.as_str()).or_default();
            *one += 1;
            *some += usize::from(count > 0);
        }
    }
    println!("structure: sections, with oscillations {tried:?}");
    assert!(
        tried.len() == 10 && tried.values().all(|[one, some]| *one >= 5 && *some > 1),
        "{tried:?}"
    );
}

/// Two that were once told wrong: roundings of products forgotten, and one box for all rows of a lattice.
#[test]
fn oscillations_of_rounded_products_and_of_lattices_are_all_found() {
    let words = |output: &str| SectionWords {
        input: "s8f0".parse().unwrap(),
        output: output.parse().unwrap(),
        rounding: Rounding::Floor,
        overflow: Overflow::Saturate,
    };
    let rows = vec![vec![1.0, 0.0, 0.0, -1.6982421875, 0.7353515625]];
    let table = round_coefficients(&rows, "s12f10".parse().unwrap()).unwrap();
    let products = "s16f0".parse().unwrap();
    let section = direct_form_1(&table, words("s12f0")).unwrap();
    let section = section.with_products(products, Rounding::Floor).unwrap().check().unwrap();
    let found = zero_input_cycles(&section).unwrap();
    assert!(found.count >= 27 && found.largest[0].amplitude >= 53, "{found:?}");
    // The same in words so short that every state can be tried.
    let short = direct_form_1(&table, words("s8f0")).unwrap();
    let short = short.with_products(products, Rounding::Floor).unwrap().check().unwrap();
    assert!(hold_oscillations(&short, "short") > Some(20));
    // k1 and k2 of the section, and a state row for each.
    let form = Form::from(Sections(vec![Section { b: [0.5, 0.4, 0.2], a: [-1.6, 0.65] }]));
    let fixed = Fixed {
        coefficients: "s12".parse().unwrap(),
        rounding: Rounding::Floor,
        ..Fixed::new(Structure::LatticeLadder, "s16f13".parse().unwrap())
    };
    let filter = implement(&form, fixed).unwrap();
    let found = zero_input_cycles(&filter.section(0).unwrap()).unwrap();
    assert!(found.count >= 33 && found.largest[0].amplitude >= 10, "{found:?}");
}

/// Every state that a filter can come to from zero, by every input: the levels at its limits and sums.
fn explore(reader: &mut Reader, most: usize) -> Option<BTreeMap<(usize, usize), (i128, i128)>> {
    let (low, high) = reader.input().ends();
    let start = reader.state();
    let mut known = HashSet::from([start.clone()]);
    let mut open = vec![start];
    let mut levels = BTreeMap::new();
    while let Some(state) = open.pop() {
        for x in low..=high {
            reader.set_state(&state);
            reader.step(x);
            for met in &reader.met {
                let level = levels.entry((met.node, met.pass)).or_insert((met.word, met.word));
                *level = (level.0.min(met.word), level.1.max(met.word));
            }
            let next = reader.state();
            if known.insert(next.clone()) {
                open.push(next);
            }
        }
        if known.len() > most {
            return None;
        }
    }
    Some(levels)
}

/// Sections with little memory, or few taps, in any structure and with any words of few bits.
fn short_filter(noise: &mut NoiseSource, index: usize) -> Option<Implementation> {
    let structure = Structure::ALL[index % Structure::ALL.len()];
    let form = if structure == Structure::FirSkipZeros {
        Form::Taps(Taps(vec![0.3, 0.5, 0.3]))
    } else if structure.is_for_taps() {
        let side = noise.uniform() - 0.5;
        Form::Taps(Taps(vec![side, noise.uniform(), side]))
    } else {
        // One pole, or two near the origin: few states.
        let pole = 0.7 * (2.0 * noise.uniform() - 1.0);
        let a = if noise.integer(0, 2) > 0 { [-pole, 0.0] } else { [-pole, 0.2 * noise.uniform()] };
        Form::from(Sections(vec![Section { b: [0.2 + 0.5 * noise.uniform(), 0.0, 0.0], a }]))
    };
    let input = WordFormat::new(true, 3, 2).unwrap();
    let output =
        WordFormat::new(true, noise.integer(4, 6) as u32, noise.integer(2, 3) as i32).unwrap();
    let overflow = [Overflow::Saturate, Overflow::Wrap, Overflow::Forbid][index / 14 % 3];
    let mut fixed = Fixed {
        output,
        coefficients: format!("s{}", noise.integer(4, 6)).parse().unwrap(),
        rounding: Rounding::ALL[index / 42 % 5],
        overflow,
        ..Fixed::new(structure, input)
    };
    if structure.is_cascade() {
        fixed.arrangement.scaling = Scaling::ALL[noise.integer(0, 3) as usize];
    }
    if structure.adds_whole_products() && noise.integer(0, 1) == 1 {
        fixed.products =
            WordFormat::new(true, 20, output.fraction() + noise.integer(0, 1) as i32).ok();
    }
    implement(&form, fixed).ok()
}

/// Levels, widths and errors of every structure × products × rounding × overflow × scaling, from zero by
/// every input there is.
#[test]
fn levels_and_widths_hold_against_every_input() {
    let mut noise = NoiseSource::new(22);
    let (mut tried, mut places, mut attained, mut narrower) = (BTreeMap::new(), 0, 0, 0);
    for index in 0..1400 {
        let Some(filter) = short_filter(&mut noise, index) else { continue };
        let name = format!("{index} {:?} {:?}", filter.fixed, filter.table.rows);
        let Ok(bounds) = filter.checked.facts().bounds() else { continue };
        let mut reader = read(&filter.checked);
        let Some(levels) = explore(&mut reader, 3000) else { continue };
        *tried.entry(filter.fixed.structure.as_str()).or_insert(0) += 1;
        let facts = filter.checked.facts();
        for (node, operation, _) in filter.checked.datapath().operations() {
            let (low, high) = levels
                .iter()
                .filter(|((at, _), _)| *at == node.0 as usize)
                .fold((0, 0), |(low, high), (_, level)| (level.0.min(low), level.1.max(high)));
            let format = facts.format(node);
            let fits = format.minimum() <= low && high <= format.maximum();
            let may = facts.limit(node).map(|fact| fact.acts);
            let may = may.or(facts.sum(node).map(|fact| fact.wraps));
            assert!(fits || may == Some(true), "{name}: n{} {operation:?} {low} {high}", node.0);
        }
        let free = bounds.no_limit_acts();
        for reach in bounds.reaches.iter().filter(|reach| free || reach.safe) {
            let (low, high) = levels[&(reach.node.0 as usize, reach.pass)];
            let step = reach.format.step();
            let (low, high) = (low as f64 * step, high as f64 * step);
            assert!(reach.low <= low && high <= reach.high, "{name}: {reach:?} {low} {high}");
            places += 1;
            // Roundings err by what the signal makes of them, not by the worst that they could.
            attained += usize::from(high > 0.8 * reach.high);
        }
        // An accumulator with one bit less than was proved is refused.
        if filter.fixed.structure.adds_whole_products()
            && let Some(width) = filter.checked.cost().accumulator_bits.checked_sub(1)
        {
            let accumulator = format!("s{width}").parse().ok();
            let short = Fixed { accumulator, ..filter.fixed };
            let form = filter.rounded.clone();
            if let Err(error) = implement(&form, short) {
                assert!(matches!(error, ImplementError::Accumulator { .. }), "{name}: {error}");
                narrower += 1;
            }
        }
    }
    println!(
        "filters {tried:?}; {places} places, {attained} attained to a fifth; {narrower} narrower refused"
    );
    // A sum of all-passes remembers more than can be tried.
    assert!(tried.len() == 13 && tried.values().all(|count| *count > 50), "{tried:?}");
    assert!(
        places > 50 && 2 * attained > places && narrower > 50,
        "{places} {attained} {narrower}"
    );
}

/// Rounded products of a sum count in its reach: by what they were once left out, an input of few samples
/// shows.
#[test]
fn the_roundings_of_its_own_products_are_in_the_reach_of_a_sum() {
    let form = Form::from(Sections(vec![Section { b: [1.0, 0.0, 0.0], a: [-0.125, 0.03125] }]));
    let word = |text: &str| text.parse::<WordFormat>().unwrap();
    let fixed = Fixed {
        output: word("s16f11"),
        coefficients: "s10f8".parse().unwrap(),
        products: Some(word("s18f13")),
        rounding: Rounding::HalfEven,
        ..Fixed::new(Structure::DirectForm1, word("s12f11"))
    };
    let filter = implement(&form, fixed).unwrap();
    let bounds = filter.checked.facts().bounds().as_ref().unwrap();
    let mut reader = read(&filter.checked);
    let mut noise = NoiseSource::new(23);
    for reach in &bounds.reaches {
        let worst = filter.checked.worst_case_at(reach.node, reach.pass, 40).unwrap();
        for _ in 0..3000 {
            // The worst input, and neighbours of it that turn the roundings.
            for x in &worst.input {
                let x = (*x + noise.integer(-6, 6)).clamp(-2048, 2047);
                reader.step(x.into());
                for met in reader.met.iter().filter(|met| met.node == reach.node.0 as usize) {
                    let value = met.format.value(met.word);
                    assert!((reach.low..=reach.high).contains(&value), "{reach:?} {value}");
                }
            }
        }
    }
}
