//! Whatever is wrong with a spec, it is refused at a place and by a key: when it is read, designed, or put on
//! integers.

use mellow_rake::design::design;
use mellow_rake::implementation::{Goal, implement_toward};
use mellow_rake::random::NoiseSource;
use mellow_rake::spec::{Spec, SpecPlace, kinds, template};

const WORDS: [&str; 23] = [
    "elliptic",
    "bessel",
    "equiripple",
    "window",
    "least-squares",
    "lowpass",
    "notch",
    "bandstop",
    "499 Hz",
    "0.001 Hz",
    "400 dB",
    "s4",
    "s40f39",
    "coupled",
    "lattice-ladder",
    "all-pass-sum",
    "forbid",
    "minimum",
    "fir-folded",
    "direct-form-1",
    "s3",
    "lattice-sections",
    "s16f15",
];
const NUMBERS: [&str; 10] = ["0", "1", "-1", "1e9", "0.001", "3", "13", "1000", "1e-9", "24"];

fn below(noise: &mut NoiseSource, count: usize) -> usize {
    noise.integer(0, count as i64 - 1) as usize
}

/// A line with another number or word in its value, or none.
fn changed(line: &str, noise: &mut NoiseSource) -> String {
    let Some((key, value)) = line.split_once('=') else { return line.to_owned() };
    match below(noise, 4) {
        0 => String::new(),
        1 => format!("{key}= {}", NUMBERS[below(noise, NUMBERS.len())]),
        2 => format!("{key}= \"{}\"", WORDS[below(noise, WORDS.len())]),
        _ => {
            // Another first number in what stands there.
            let start = value.find(|c: char| c.is_ascii_digit());
            let Some(start) = start else { return String::new() };
            let rest = &value[start..];
            let end = rest.find(|c: char| !c.is_ascii_digit() && c != '.').unwrap_or(rest.len());
            let number = NUMBERS[below(noise, NUMBERS.len())];
            format!("{key}={}{number}{}", &value[..start], &rest[end..])
        }
    }
}

/// The refusal of a spec with its place, from whichever step; `None` where nothing is wrong.
fn refusal(text: &str) -> Option<(usize, usize, String)> {
    let spec = match Spec::parse(text) {
        Ok(spec) => spec,
        Err(error) => return Some((error.line, error.column, error.to_string())),
    };
    let at = |keys: Vec<String>, error: &dyn std::fmt::Display| {
        let place = SpecPlace::of(text, &keys);
        Some((place.line, place.column, place.refusal(error)))
    };
    let found = match design(&spec) {
        Ok(found) => found,
        Err(error) => return at(error.keys(), &error),
    };
    let goal = Goal::of(&spec, &found);
    match implement_toward(&found.form, spec.fixed?, &goal) {
        Ok(_) => None,
        Err(error) => at(vec![error.key().to_owned()], &error),
    }
}

#[test]
fn every_refusal_has_a_place_and_a_key() {
    let mut noise = NoiseSource::new(15);
    let all: Vec<&str> = kinds().filter_map(template).collect();
    let (mut refused, mut by_step) = (0, [0; 3]);
    for round in 0..1_500 {
        let mut lines: Vec<String> = all[round % all.len()].lines().map(str::to_owned).collect();
        for _ in 0..=below(&mut noise, 2) {
            let at = below(&mut noise, lines.len());
            lines[at] = changed(&lines[at], &mut noise);
        }
        let text = lines.join("\n");
        let Some((line, column, said)) = refusal(&text) else { continue };
        refused += 1;
        let there = text.split('\n').nth(line - 1).unwrap_or_else(|| panic!("{said}\n{text}"));
        assert!((1..=there.chars().count() + 1).contains(&column), "{said}\n{text}");
        assert!(said.starts_with(&format!("line {line}, column {column}")), "{said}");
        let names_key = said.contains(", key `") || said.contains("not valid TOML");
        assert!(names_key, "{said}\n{text}");
        // The key that is named stands in that line, or is missing in the table that begins there.
        let key = said.split('`').nth(1).unwrap_or("").rsplit('.').next().unwrap_or("");
        let stands = there.contains(key) || there.trim_start().starts_with('[') || line == 1;
        assert!(stands || said.contains("not valid TOML"), "{said}\n{there}");
        let step = match Spec::parse(&text) {
            Err(_) => 0,
            Ok(spec) => 1 + usize::from(design(&spec).is_ok()),
        };
        by_step[step] += 1;
    }
    println!("{refused} refused: read, designed, on integers {by_step:?}");
    assert!(by_step.iter().all(|count| *count >= 4), "{by_step:?}");
}

#[test]
fn the_nearest_table_stands_in_for_a_key_that_is_missing() {
    let text = "name = \"é\"\n\n[want]\nkind = \"notch\"\n  [fixed]\ninput = \"s16f15\"\n";
    let place = |keys: &[&str]| {
        let found = SpecPlace::of(text, keys);
        (found.line, found.column, found.key)
    };
    assert_eq!(place(&["want.q", "want.kind"]), (4, 8, "want.kind".to_owned()));
    assert_eq!(place(&["fixed.accumulator"]).0, 5);
    assert_eq!(place(&["method.order"]), (1, 1, "method.order".to_owned()));
    // A text that is no TOML, and keys that are none.
    assert_eq!(SpecPlace::of("= [", &["want.kind.x..y"]).line, 1);
    assert_eq!(SpecPlace::of::<&str>(text, &[]).line, 1);
}
