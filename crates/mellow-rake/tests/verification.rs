//! What a proof is made of: comparisons counted by brute force, errors measured by a second reading of the
//! program, stimuli that reach where they say, and verdicts by a rule of their own.

// Independent of the library: the platform's own functions.

use mellow_rake::datapath::Simulator;
use mellow_rake::implementation::Implementation;
use mellow_rake::random::NoiseSource;
use mellow_rake::spec::Structure;
use mellow_rake::verify::{
    Comparison, ComparisonResult, Proof, Stimulus, TargetResult, compare, judge, stimuli,
};
use proptest::prelude::*;

use crate::filters::{any_filter, any_word};
use crate::ideal::Ideal;

proptest! {
    /// Words changed, left out or added at known places: so many differ, and the first of them is named.
    #[test]
    fn every_difference_is_counted(
        words in proptest::collection::vec(-200i64..200, 0..60),
        changed in proptest::collection::btree_set(0usize..60, 0..8),
        (longer, more) in (any::<bool>(), 0usize..5),
    ) {
        let changed: Vec<usize> = changed.into_iter().filter(|at| *at < words.len()).collect();
        let mut found = words.clone();
        for at in &changed {
            found[*at] += 1 + (*at as i64 % 3);
        }
        let kept = if longer { words.len() } else { words.len().saturating_sub(more) };
        if longer {
            found.extend(std::iter::repeat_n(7, more));
        }
        found.truncate(kept + if longer { more } else { 0 });
        let missing = if longer { more } else { words.len() - kept };
        let seen = changed.iter().filter(|at| **at < kept).count();
        let comparison = compare(&words, &found);
        prop_assert_eq!(comparison.differing, seen + missing);
        prop_assert_eq!(comparison.samples, words.len().max(found.len()));
        let first = changed.iter().copied().filter(|at| *at < kept).min();
        let first = first.or((missing > 0).then_some(kept));
        prop_assert_eq!(comparison.first.map(|first| first.sample), first);
        if let Some(first) = comparison.first {
            prop_assert_eq!(first.expected, words.get(first.sample).copied());
            prop_assert_eq!(first.found, found.get(first.sample).copied());
        }
        // Whichever way round.
        prop_assert_eq!(compare(&found, &words).differing, comparison.differing);
    }
}

fn some_filters(seed: u64, each: usize) -> Vec<Implementation> {
    let mut noise = NoiseSource::new(seed);
    let of = |structure| {
        let drawn: Vec<_> =
            (0..8 * each).filter_map(|_| any_filter(&mut noise, structure)).collect();
        drawn.into_iter().take(each).collect::<Vec<_>>()
    };
    Structure::ALL.into_iter().flat_map(of).collect()
}

/// Largest error, rms and ratio, by their definitions, of the program against itself in real numbers: the
/// rounded filter is what its program is a filter of.
#[test]
fn errors_are_what_a_second_reading_measures() {
    let mut noise = NoiseSource::new(72);
    let mut compared = 0;
    for filter in some_filters(71, 4) {
        let (input, output) = (filter.fixed.input, filter.fixed.output);
        let words: Vec<i64> = (0..700).map(|_| any_word(&mut noise, input, false) / 2).collect();
        let (integers, found) = judge(&filter, &filter.rounded, &words);
        assert_eq!(integers, Simulator::reference(&filter.checked).run(&words));
        let mut ideal = Ideal::new(filter.checked.datapath());
        let (mut largest, mut error, mut signal) = (0.0f64, 0.0, 0.0);
        for (word, y) in words.iter().zip(&integers) {
            let expected = ideal.step(input.value(*word));
            let apart = (output.value(*y) - expected) / output.step();
            largest = largest.max(apart.abs());
            error += apart * apart;
            signal += (expected / output.step()).powi(2);
        }
        let (error, signal) = (error / words.len() as f64, signal / words.len() as f64);
        // Both are in f64, with their own last bits.
        let slack = 1e-12 * signal.sqrt();
        let near = |one: f64, other: f64| (one - other).abs() <= slack + 1e-6 * (1.0 + other.abs());
        let what = format!("{:?} {found:?}", filter.fixed.structure);
        assert!(near(found.largest_lsb, largest), "{largest} {what}");
        assert!(near(found.rms_lsb, error.sqrt()), "{} {what}", error.sqrt());
        if let Some(ser) = found.ser_db.filter(|_| error > 1e-9 + 1e3 * slack * slack) {
            let expected = 10.0 * (signal / error).log10();
            assert!((ser - expected).abs() < 1e-3, "{expected} {what}");
            compared += 1;
        }
        if found.limited_samples == 0 && found.bound_lsb.is_some() {
            assert!(found.within_bound(), "{what}");
        } else {
            assert_eq!(found.bound_lsb, None, "{what}");
        }
    }
    assert!(compared > 25, "{compared}");
}

/// All stimuli are words of the input; together they hold both ends of the range; the worst case drives the
/// program, read in real numbers, to its proved level, once up and once down.
#[test]
fn stimuli_reach_what_they_are_made_for() {
    let mut reached = 0;
    for filter in some_filters(73, 3) {
        let checked = &filter.checked;
        let input = filter.fixed.input;
        let Ok(bounds) = checked.facts().bounds() else { continue };
        let recording = [input.maximum() as i64, 0, input.minimum() as i64];
        let all = stimuli(checked, Some(bounds.gain()), Some(&recording));
        let mut names: Vec<&str> = all.iter().map(|stimulus| stimulus.name).collect();
        names.sort_unstable();
        names.dedup();
        assert_eq!(names.len(), all.len());
        assert_eq!(all[0].samples, recording);
        for Stimulus { name, samples, .. } in &all {
            assert!(!samples.is_empty(), "{name}");
            assert!(samples.iter().all(|word| input.holds((*word).into())), "{name}");
        }
        let worst = all.iter().find(|stimulus| stimulus.name == "worst-case signs").unwrap();
        let mut ideal = Ideal::new(checked.datapath());
        let outputs: Vec<f64> =
            worst.samples.iter().map(|word| ideal.step(input.value(*word))).collect();
        let half = outputs.len() / 2;
        // Where the response is longer than the longest stimulus its end is missing.
        if bounds.gain().response().len() > half {
            continue;
        }
        let [least, most] = [input.minimum(), input.maximum()].map(|end| input.value(end as i64));
        let (up, down): (f64, f64) = bounds.gain().response().iter().fold((0.0, 0.0), |sum, h| {
            let (high, low) = if *h > 0.0 { (most, least) } else { (least, most) };
            (sum.0 + h * high, sum.1 + h * low)
        });
        let ends = [outputs[half - 1], outputs[outputs.len() - 1]];
        let size = up.abs().max(down.abs()).max(1e-9);
        let is_reached = ends.iter().any(|end| (end - up).abs() < 1e-6 * size)
            || outputs.iter().any(|end| (end - up).abs() < 1e-6 * size);
        assert!(is_reached, "{:?}: {ends:?} of {up} and {down}", filter.fixed.structure);
        reached += 1;
    }
    assert!(reached > 15, "{reached}");
}

/// Every combination of what came of two targets, of the figures, and of whether all had to be run.
#[test]
fn verdicts_follow_from_what_was_run() {
    let filter = some_filters(74, 1).remove(0);
    let verdicts = ["equal", "different", "not run", "failed"];
    let target = |verdict: &'static str| TargetResult {
        target: "host",
        title: "C, cc",
        verdict,
        tool: None,
        reason: None,
        samples: 0,
        comparisons: Vec::new(),
    };
    for good_figures in [true, false] {
        for first in verdicts {
            for second in verdicts {
                let (mut proof, _) = Proof::begin(&filter, &filter.rounded, None, None);
                assert!(proof.held, "no figure is wrong before anything was run");
                if !good_figures {
                    proof.stimuli[0].reaches_min_ser = Some(false);
                }
                let proof = proof.with(vec![target(first), target(second)]);
                let bad = [first, second].iter().any(|one| ["different", "failed"].contains(one));
                let missing = [first, second].iter().filter(|one| **one == "not run").count();
                for all in [true, false] {
                    let expected = match (good_figures && !bad, missing) {
                        (false, _) | (true, 2) => (false, "not proved"),
                        (true, 0) => (true, "proved on every target"),
                        (true, _) if all => (false, "not proved"),
                        (true, _) => (true, "held where it was run"),
                    };
                    assert_eq!(
                        proof.verdict(all),
                        expected,
                        "{first} {second} {good_figures} {all}"
                    );
                }
            }
        }
    }
}

/// A run is equal only if every word is, and the target's own count says so, too.
#[test]
fn a_count_of_its_own_counts() {
    let result = |comparison: Comparison, own_mismatches| ComparisonResult {
        stimulus: "step",
        manner: "test bench",
        comparison,
        own_mismatches,
        left_out: 0,
    };
    let (same, other) = (compare(&[1, 2], &[1, 2]), compare(&[1, 2], &[1, 3]));
    assert!(result(same, None).equal() && result(same, Some(0)).equal());
    assert!(!result(same, Some(1)).equal() && !result(other, None).equal());
    assert!(!result(other, Some(0)).equal());
}
