//! Words that a filter cannot run on are refused, and what is advised instead was built.

// Independent of the library: the platform's own functions.

use mellow_rake::datapath::{DatapathError, Simulator, describe};
use mellow_rake::filter::{Form, Section, Sections, Taps};
use mellow_rake::fixed::{Overflow, Rounding};
use mellow_rake::implementation::{Goal, ImplementError, advice, implement};
use mellow_rake::random::NoiseSource;
use mellow_rake::spec::{Fixed, Structure};

fn pair(radius: f64, turn: f64, gain: f64) -> Section {
    let a = [-2.0 * radius * (std::f64::consts::TAU * turn).cos(), radius * radius];
    Section { b: [gain, 0.5 * gain, gain], a }
}

fn sections(all: &[Section]) -> Form {
    Form::Sections(Sections(all.to_vec()))
}

fn words(structure: Structure, input: &str, output: &str, coefficients: &str) -> Fixed {
    Fixed {
        output: output.parse().unwrap(),
        coefficients: coefficients.parse().unwrap(),
        ..Fixed::new(structure, input.parse().unwrap())
    }
}

/// Refusals of every kind: each says what was found, and what is advised can be built.
#[test]
fn what_is_advised_was_built() {
    let narrow = sections(&[pair(0.9999, 0.01, 1e-4)]);
    let faint = Form::Taps(Taps(vec![1e-4, 2e-4, 1e-4]));
    let loud = sections(&[pair(0.9, 0.1, 1.0), pair(0.8, 0.2, 1.0)]);
    let skew = Form::Taps(Taps(vec![0.1, 0.5, 0.2]));
    let usual = |structure| words(structure, "s16f15", "s16f15", "s16");
    let mut few_digits = words(Structure::DirectForm1, "s16f15", "s16f15", "s24");
    few_digits.integers.digits = Some(1);
    let forbid = |fixed: Fixed| Fixed { overflow: Overflow::Forbid, ..fixed };
    let stated = |key: fn(&mut Fixed)| {
        let mut fixed = usual(Structure::DirectForm1);
        key(&mut fixed);
        fixed
    };
    let cases: Vec<(&Form, Fixed, &str)> = vec![
        (&narrow, words(Structure::DirectForm1, "s16f15", "s16f15", "s8"), "coefficients = "),
        (&narrow, few_digits, "signed_digits = "),
        (&narrow, words(Structure::LatticeSections, "s16f15", "s16f15", "s8"), "coefficients = "),
        (&faint, words(Structure::FirDirect, "s16f15", "s16f15", "s8f7"), "coefficients = "),
        (&loud, words(Structure::DirectForm1, "s16f15", "s16f15", "s8f7"), "coefficients = "),
        (&loud, usual(Structure::FirDirect), "structure = \"direct-form-1\""),
        (&skew, usual(Structure::DirectForm2), "structure = \"fir-direct\""),
        (&skew, usual(Structure::FirFolded), "structure = \"fir-direct\""),
        (&skew, usual(Structure::FirSkipZeros), "structure = \"fir-direct\""),
        (&loud, usual(Structure::AllPassSum), "structure = \"direct-form-1\""),
        (&loud, forbid(usual(Structure::DirectForm1)), "output = "),
        (&loud, forbid(stated(|fixed| fixed.between = "s17f15".parse().ok())), "between = "),
        (
            &loud,
            Fixed {
                output: "s24f15".parse().unwrap(),
                ..forbid(stated(|fixed| fixed.between = "s17f15".parse().ok()))
            },
            "between = ",
        ),
        (&loud, stated(|fixed| fixed.between = "s8f7".parse().ok()), "no key between"),
        (&loud, stated(|fixed| fixed.products = "s4f15".parse().ok()), "products = "),
        (&loud, stated(|fixed| fixed.accumulator = "s20".parse().ok()), "accumulator = "),
        (&loud, stated(|fixed| fixed.accumulator = "s40f3".parse().ok()), "no key accumulator"),
        (&loud, words(Structure::DirectForm1, "s40f39", "s40f39", "s40"), "coefficients = "),
    ];
    for (form, fixed, expected) in cases {
        let error = implement(form, fixed).expect_err(expected);
        let found = advice(form, fixed, &Goal::Response, &error);
        let found = found.unwrap_or_else(|| panic!("{error}: {expected}"));
        assert!(found.change.starts_with(expected), "{error}: {} {expected}", found.change);
        let built = implement(form, found.fixed);
        assert!(built.is_ok(), "{error}: {} {built:?}", found.change);
    }
}

/// Nothing that rounding leaves of a filter is a refusal, whatever the structure.
#[test]
fn a_filter_of_which_nothing_is_left_is_refused() {
    let faint = sections(&[pair(0.5, 0.1, 1e-6), pair(0.6, 0.2, 1e-6)]);
    for structure in Structure::ALL.into_iter().filter(|one| !one.is_for_taps()) {
        let found = implement(&faint, words(structure, "s16f15", "s16f15", "s8f6"));
        let is_told = matches!(
            found,
            Err(ImplementError::NothingLeft { .. } | ImplementError::NoForm { .. })
        );
        // The coupled form scales its states: c is small, what goes to the states is not.
        assert!(is_told, "{structure:?} {found:?}");
    }
}

/// Where overflow is forbidden, words that are left open are chosen so that the proof succeeds, and the
/// filter is the one that saturates.
#[test]
fn forbid_is_granted_wherever_the_output_holds() {
    let mut noise = NoiseSource::new(31);
    let (mut granted, mut widened) = (0, 0);
    for index in 0..120 {
        let count = noise.integer(2, 4) as usize;
        let all: Vec<Section> = (0..count)
            .map(|_| {
                let gain = 0.3 * noise.uniform();
                pair(0.4 + 0.5 * noise.uniform(), 0.5 * noise.uniform(), gain)
            })
            .collect();
        let form = sections(&all);
        let rounding = Rounding::ALL[index % 5];
        let structure = [
            Structure::DirectForm1,
            Structure::ErrorFeedback1,
            Structure::ErrorFeedback2,
            Structure::DirectForm2,
            Structure::DirectForm2Transposed,
            Structure::Coupled,
        ][index / 5 % 6];
        let free = Fixed { rounding, ..words(structure, "s14f13", "s24f13", "s16") };
        let fixed = Fixed { overflow: Overflow::Forbid, ..free };
        let filter =
            implement(&form, fixed).unwrap_or_else(|error| panic!("{structure:?} {error}"));
        assert!(filter.no_limit_acts());
        granted += 1;
        // A short output is what is named, if anything is.
        let short = Fixed { output: "s14f13".parse().unwrap(), ..fixed };
        match implement(&form, short) {
            Ok(filter) => {
                assert!(filter.no_limit_acts());
                widened += usize::from(filter.between.is_some_and(|between| between.is_widened));
            }
            Err(ImplementError::Datapath(DatapathError::CanOverflow { format, .. })) => {
                assert_eq!(format, short.output, "{structure:?}");
            }
            Err(error) => panic!("{structure:?} {error}"),
        }
        let saturating = implement(&form, free).unwrap();
        if saturating.no_limit_acts() && saturating.between == filter.between {
            let input: Vec<i64> = (0..500).map(|_| noise.integer(-8192, 8191)).collect();
            let run = |checked| Simulator::reference(checked).run(&input);
            assert_eq!(run(&saturating.checked), run(&filter.checked));
            for section in 0..count {
                let [one, other] =
                    [&saturating, &filter].map(|filter| filter.section(section).unwrap());
                assert_eq!(one.datapath(), other.datapath());
            }
        }
    }
    println!("{granted} granted, {widened} of them in short words by wider ones between");
    assert!(granted == 120 && widened > 3, "{widened}");
}

/// Without a multiplier the node of a refusal is one that the program has.
#[test]
fn a_refusal_without_a_multiplier_names_a_node_that_is_there() {
    let loud = sections(&[pair(0.9, 0.1, 1.0), pair(0.8, 0.2, 1.0)]);
    let between = "s24f15".parse().ok();
    let fixed = words(Structure::DirectForm1, "s16f15", "s16f15", "s8");
    let free = Fixed { multiplier: false, between, ..fixed };
    let error = implement(&loud, Fixed { overflow: Overflow::Forbid, ..free }).unwrap_err();
    let ImplementError::Datapath(DatapathError::CanOverflow { node, .. }) = error else {
        panic!("{error}")
    };
    let shown = serde_json::to_value(describe(&implement(&loud, free).unwrap().checked)).unwrap();
    let steps = shown["program"].as_array().unwrap();
    let step = steps.iter().find(|step| step["node"] == node.0);
    let step = step.unwrap_or_else(|| panic!("{node:?} {steps:?}"));
    assert_eq!(step["operation"], "limit");
}
