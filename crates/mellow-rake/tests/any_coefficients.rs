//! What is known of a program for any coefficients: tried with all of them.

use mellow_rake::datapath::{
    AnyCoefficientsError, Checked, Coefficients, Datapath, Operation, SectionWords, direct_form_1,
    direct_form_2_transposed, fir_direct, fir_folded,
};
use mellow_rake::fixed::{Overflow, RoundedTable, Rounding, WordFormat, round_coefficients};

/// The smallest and the largest sum of all coefficients and words of their formats: counted out, product by
/// product, since all are independent of each other.
fn counted_out(coefficients: WordFormat, words: &[(WordFormat, i128, bool)]) -> (i128, i128) {
    let all = |format: WordFormat| format.minimum()..=format.maximum();
    let (mut low, mut high) = (0, 0);
    for (format, scale, is_pair) in words {
        let mut products = Vec::new();
        for coefficient in all(coefficients) {
            for first in all(*format) {
                match is_pair {
                    false => products.push(coefficient * first * scale),
                    true => {
                        products.extend(all(*format).map(|other| coefficient * (first + other)));
                    }
                }
            }
        }
        low += products.iter().min().unwrap();
        high += products.iter().max().unwrap();
    }
    (low, high)
}

fn sums(checked: &Checked) -> Vec<(i128, i128, bool, u32)> {
    let operations = checked.datapath().operations();
    let of_sum = |(node, operation, _): (_, &Operation, usize)| match operation {
        Operation::Accumulate { format, .. } => {
            checked.facts().sum(node).map(|sum| (sum.low, sum.high, sum.wraps, format.width()))
        }
        _ => None,
    };
    operations.filter_map(of_sum).collect()
}

fn table(rows: &[Vec<f64>], format: &str) -> RoundedTable {
    round_coefficients(rows, format.parse().unwrap()).unwrap()
}

#[test]
fn sums_of_any_coefficients_are_as_large_as_some_make_them_and_no_larger() {
    for (taps, word) in [("s3f2", "s4f3"), ("s4f2", "s3f2"), ("s5f5", "u3f3"), ("u3f3", "s3f2")] {
        let input: WordFormat = word.parse().unwrap();
        let output: WordFormat = "s4f3".parse().unwrap();
        let (rounding, overflow) = (Rounding::HalfUp, Overflow::Saturate);
        let small = |count: usize| vec![vec![0.125; count]];
        for count in [1, 2, 3, 7] {
            let taps = table(&small(count), taps);
            let program = fir_direct(&taps, input, output, rounding, overflow).unwrap();
            let any = program.check().unwrap().for_any_coefficients().unwrap();
            let (low, high) = counted_out(taps.format, &vec![(input, 1, false); count]);
            let [(found_low, found_high, wraps, width)] = sums(&any)[..] else { panic!() };
            assert_eq!((found_low, found_high, wraps), (low, high, false), "{count} {word}");
            assert!(WordFormat::new(true, width, 0).unwrap().holds(low.min(-1)), "{width}");
            // The designed coefficients alone need less.
            let plain = any.datapath().clone().check().unwrap();
            assert!(sums(&plain)[0].1 <= high && sums(&plain)[0].0 >= low);
        }
    }
    // Pairs share a coefficient; the one in the middle has none beside it.
    let word: WordFormat = "s3f2".parse().unwrap();
    let taps = table(&[vec![0.25, 0.5, 0.25]], "s4f3");
    let folded = fir_folded(&taps, word, word, Rounding::HalfUp, Overflow::Wrap).unwrap();
    let any = folded.check().unwrap().for_any_coefficients().unwrap();
    let (low, high) = counted_out(taps.format, &[(word, 1, true), (word, 1, false)]);
    assert_eq!((sums(&any)[0].0, sums(&any)[0].1), (low, high));
}

#[test]
fn sections_of_any_coefficients_are_wide_enough_for_the_worst() {
    let words = SectionWords {
        input: "s3f2".parse().unwrap(),
        output: "s4f3".parse().unwrap(),
        rounding: Rounding::HalfUp,
        overflow: Overflow::Saturate,
    };
    let rows = vec![vec![0.25, 0.0, 0.0, -0.5, 0.25]; 2];
    let table = table(&rows, "s4f2");
    let checked = direct_form_1(&table, words).unwrap().check().unwrap();
    let any = checked.for_any_coefficients().unwrap();
    // A y has one fraction bit more than an x, so that x counts twice in the sum; what is fed back is
    // subtracted.
    let (x, y) = ((words.input, 2, false), (words.output, -1, false));
    let first = counted_out(table.format, &[x, x, x, y, y]);
    // What comes in is brought to the format that goes from section to section.
    let sums = sums(&any);
    assert!(!sums.is_empty());
    for (low, high, wraps, width) in sums {
        assert_eq!((low, high, wraps), (first.0, first.1, false));
        let format = WordFormat::new(true, width, 0).unwrap();
        assert!(format.holds(low) && format.holds(high));
    }
    assert!(any.facts().bounds().is_err(), "nothing is proved of coefficients that are not known");
}

/// Limits that are proved idle for the designed coefficients may act for others.
#[test]
fn what_is_proved_of_the_design_is_not_believed_of_others() {
    let word: WordFormat = "s8f7".parse().unwrap();
    let taps = table(&[vec![0.25, 0.25]], "s8f7");
    let plain = fir_direct(&taps, word, word, Rounding::HalfUp, Overflow::Saturate).unwrap();
    let acts = |checked: &Checked| {
        let limits = checked
            .datapath()
            .operations()
            .filter(|(_, operation, _)| matches!(operation, Operation::Limit { .. }));
        let facts = checked.facts();
        limits.map(|(node, ..)| facts.limit(node).unwrap().acts).collect::<Vec<_>>()
    };
    let checked = plain.check().unwrap();
    assert_eq!(acts(&checked), [false]);
    assert_eq!(acts(&checked.for_any_coefficients().unwrap()), [true]);
}

#[test]
fn every_refusal_says_what_would_do() {
    let word: WordFormat = "s8f7".parse().unwrap();
    let (rounding, wrap) = (Rounding::HalfUp, Overflow::Wrap);
    let taps = || table(&[vec![0.25, 0.25]], "s8f7");
    let of = |program: Datapath| {
        program.check().unwrap().for_any_coefficients().err().map(|error| error.to_string())
    };
    let forbid = fir_direct(&taps(), word, word, rounding, Overflow::Forbid).unwrap();
    assert!(of(forbid).unwrap().contains("\"saturate\" or \"wrap\" would do"));

    let sections = table(&[vec![0.25, 0.0, 0.0, -0.5, 0.25]], "s8f6");
    let words = SectionWords { input: word, output: word, rounding, overflow: Overflow::Saturate };
    if let Ok(program) = direct_form_2_transposed(&sections, words) {
        // Either its states are limited to words of their own, or it is refused for what they are.
        if let Some(said) = of(program) {
            assert!(said.contains("direct-form-1"), "{said}");
        }
    }

    let mut mixed = fir_direct(&taps(), word, word, rounding, wrap).unwrap();
    mixed.tables[0].exponents = vec![vec![0, 1]];
    assert!(of(mixed).unwrap().contains("a format with a fraction for all of them"));
    let mut half = fir_direct(&taps(), word, word, rounding, wrap).unwrap();
    half.tables[0].holds = Coefficients::Half;
    let refused = half.check().unwrap().for_any_coefficients();
    assert!(matches!(refused, Err(AnyCoefficientsError::OfStructure { .. })));
    // 60-bit words and 60-bit coefficients of many taps are more than a sum can hold.
    let wide: WordFormat = "s30f29".parse().unwrap();
    let long = table(&[vec![1e-4; 100]], "s32f31");
    let program = fir_direct(&long, wide, wide, rounding, Overflow::Saturate).unwrap();
    let error = program.check().unwrap().for_any_coefficients().unwrap_err();
    assert!(matches!(error, AnyCoefficientsError::Program(_)), "{error}");
}
