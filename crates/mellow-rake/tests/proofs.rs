//! What is proved is true: bounds against inputs made to break them, refusals, and predictions against
//! measurement.

// Independent of the library: the platform's own functions.

use mellow_rake::datapath::{
    Block, Datapath, DatapathError, LineIndex, Node, NotPredicted, Operation, Row, SectionWords,
    Sign, Simulator, TableIndex, Term, direct_form_1, fir_direct,
};
use mellow_rake::design::notch;
use mellow_rake::filter::{Decay, Difference, Sections};
use mellow_rake::fixed::{Overflow, Rounding, WordFormat, round_coefficients};
use mellow_rake::implementation::{ImplementError, implement};
use mellow_rake::random::NoiseSource;
use mellow_rake::spec::{Fixed, Structure};
use mellow_rake::units::SampleRate;
use mellow_rake::verify::judge;
use proptest::prelude::*;

fn rate() -> SampleRate {
    SampleRate::from_hertz(1.0).unwrap()
}

fn fixed(
    input: &str,
    output: &str,
    coefficients: &str,
    rounding: Rounding,
    overflow: Overflow,
) -> Fixed {
    Fixed {
        output: output.parse().unwrap(),
        coefficients: coefficients.parse().unwrap(),
        rounding,
        overflow,
        ..Fixed::new(Structure::DirectForm1, input.parse().unwrap())
    }
}

proptest! {
    #![proptest_config(ProptestConfig {
        cases: 60, max_global_rejects: 4, failure_persistence: None, ..ProptestConfig::default()
    })]

    /// The worst-case sequence comes within a thousandth of the bound on the level, and nothing exceeds it.
    #[test]
    fn the_bound_on_the_level_holds_and_is_attained(
        center in 0.02f64..0.48, share in 0.02f64..0.5, seed: u64,
    ) {
        let design = notch(center, share * center.min(0.5 - center), rate()).unwrap();
        // Four whole bits: the level is never limited, and can be watched.
        let words = fixed("s16f15", "s28f23", "s18", Rounding::HalfUp, Overflow::Forbid);
        let filter = implement(&design.sections.clone().into(), words).unwrap();
        let bounds = filter.checked.facts().bounds().as_ref().unwrap();
        let (low, high) = bounds.gain().reach(-1.0, 1.0 - 1.0 / 32768.0);
        let error = bounds.error.largest();
        let worst = filter.checked.worst_case_input(&bounds.gains[0], 1 << 16);
        let output = Simulator::new(&filter.checked).run(&worst.input);
        let reached = words.output.value(*output.last().unwrap());
        prop_assert!(reached <= high + error && reached >= 0.999 * high - error, "{} {}", reached, high);
        let mut noise = NoiseSource::new(seed);
        let mut simulator = Simulator::new(&filter.checked);
        for _ in 0..2000 {
            let y = words.output.value(simulator.step([-32768, 32767][noise.integer(0, 1) as usize]));
            prop_assert!((low - error..=high + error).contains(&y));
        }
        prop_assert_eq!(simulator.limited_samples(), 0);
    }

    /// On busy signals the measured noise is within 1 dB of the predicted; the error never exceeds its bound.
    #[test]
    fn noise_is_predicted_and_the_error_bound_holds(
        center in 0.03f64..0.47, share in 0.05f64..0.6, rounding in 0usize..5, seed: u64,
    ) {
        let design = notch(center, share * center.min(0.5 - center), rate()).unwrap();
        let rounding = Rounding::ALL[rounding];
        let words = fixed("s16f15", "s18f15", "s20", rounding, Overflow::Saturate);
        let filter = implement(&design.sections.clone().into(), words).unwrap();
        let mut noise = NoiseSource::new(seed);
        let input: Vec<i64> = (0..30_000).map(|_| noise.integer(-32768, 32767)).collect();
        let (_, error) = judge(&filter, &design.sections.clone().into(), &input);
        prop_assert!(error.within_bound(), "{:?}", error);
        prop_assert_eq!(error.limited_samples, 0);
        let predicted = filter.predicted_noise();
        // A notch at a quarter of the rate, but for a few steps of its coefficients.
        prop_assume!(!matches!(predicted, Err(NotPredicted::Uneven)));
        let off = 20.0 * (error.rms_lsb * filter.fixed.output.step() / predicted.unwrap().rms()).log10();
        prop_assert!(off.abs() < 1.0, "{rounding}: {off} dB, {:?}", error);
    }
}

/// A first-order smoother has the impulse response 2^-(n+1): every norm in closed form.
#[test]
fn norms_of_a_geometric_response_are_exact() {
    let table =
        round_coefficients(&[vec![0.5, 0.0, 0.0, -0.5, 0.0]], "s16f14".parse().unwrap()).unwrap();
    let word: WordFormat = "s16f15".parse().unwrap();
    let words = SectionWords {
        input: word,
        output: word,
        rounding: Rounding::Floor,
        overflow: Overflow::Saturate,
    };
    let checked = direct_form_1(&table, words).unwrap().check().unwrap();
    let bounds = checked.facts().bounds().as_ref().unwrap();
    assert!((bounds.gain().l1() - 1.0).abs() < 1e-11 && bounds.gain().l1_bound() >= 1.0);
    assert!(bounds.gain().l1_bound() < 1.0 + 1e-9);
    assert!((bounds.gain().energy() - 1.0 / 3.0).abs() < 1e-12);
    // Of the 14 bits that are dropped all but one are always zero: floor errs by 0 or −1/2 LSB; fed back
    // through 1/(1 − z⁻¹/2) that is doubled.
    let expected = 2.0 * 0.5 / 32768.0;
    assert!((bounds.error.low + expected).abs() < 1e-12 && bounds.error.high.abs() < 1e-12);
    // Half of what comes in and half of what was there: the ranges alone show that nothing overflows.
    assert!(bounds.no_limit_acts() && bounds.reaches.is_empty());
}

/// Overflow is forbidden only where it can be proved away, and the refusal says what would do.
#[test]
fn forbid_needs_the_proof() {
    let design = notch(0.0875, 0.005, rate()).unwrap();
    let refused = implement(
        &design.sections.clone().into(),
        fixed("s16f15", "s16f15", "s16", Rounding::HalfUp, Overflow::Forbid),
    );
    let Err(ImplementError::Datapath(error @ DatapathError::CanOverflow { more: 2, .. })) = refused
    else {
        panic!("{refused:?}")
    };
    assert!(error.to_string().contains("2 more whole bits"), "{error}");
    let granted = implement(
        &design.sections.clone().into(),
        fixed("s16f15", "s18f15", "s16", Rounding::HalfUp, Overflow::Forbid),
    );
    let checked = granted.unwrap().checked;
    let limit = Node(4);
    assert!(!checked.facts().limit(limit).unwrap().acts);
    assert_eq!(checked.cost().limits_per_sample, 0);
    // A pole on the unit circle: nothing can be proved, and that is what is said.
    let table =
        round_coefficients(&[vec![1.0, 0.0, 0.0, 0.0, 1.0]], "s16f14".parse().unwrap()).unwrap();
    let words = SectionWords {
        input: "s16f15".parse().unwrap(),
        output: "s24f15".parse().unwrap(),
        rounding: Rounding::Floor,
        overflow: Overflow::Forbid,
    };
    let error = direct_form_1(&table, words).unwrap().check().unwrap_err();
    assert!(error.to_string().contains("does not decay"), "{error}");
    let rounded_away = implement(
        &notch(0.25, 1e-4, rate()).unwrap().sections.into(),
        fixed("s16f15", "s16f15", "s8", Rounding::HalfUp, Overflow::Saturate),
    );
    assert!(matches!(rounded_away, Err(ImplementError::Unstable { .. })), "{rounded_away:?}");
}

/// A notch at 0.05 Hz with 1 kHz samples, a thousandth of a hertz wide: too badly conditioned for a proof in
/// f64. It is said, nothing is made up, and the filter can still be written and run.
#[test]
fn what_cannot_be_proved_is_said() {
    let design = notch(0.05e-3, 1e-6, rate()).unwrap();
    let filter = implement(
        &design.sections.clone().into(),
        fixed("s16f15", "s16f15", "s40", Rounding::HalfEven, Overflow::Saturate),
    )
    .unwrap();
    assert!(filter.checked.facts().bounds().is_err() && filter.predictions.is_err());
    let (_, error) = judge(&filter, &design.sections.clone().into(), &[1000; 300]);
    assert_eq!((error.bound_lsb, error.predicted_rms_lsb), (None, None));
    let made = mellow_rake::verify::stimuli(&filter.checked, None, None);
    assert!(made.iter().all(|stimulus| stimulus.name != "worst-case signs") && made.len() == 6);
    let forbid = implement(
        &design.sections.clone().into(),
        fixed("s16f15", "s40f15", "s40", Rounding::HalfEven, Overflow::Forbid),
    );
    let Err(ImplementError::Build(_) | ImplementError::Datapath(DatapathError::NoBound { .. })) =
        forbid
    else {
        panic!("{forbid:?}")
    };
}

/// In a cascade the limit of the first section cannot be disturbed by the second, and is judged on its own.
#[test]
fn a_limit_upstream_is_proved_apart_from_one_downstream() {
    // First section: gain 1/2, never beyond its range. Second: gain 4, far beyond.
    let rows = [vec![0.5, 0.0, 0.0, -0.25, 0.0], vec![4.0, 0.0, 0.0, 0.0, 0.0]];
    let table = round_coefficients(&rows, "s16f12".parse().unwrap()).unwrap();
    let word: WordFormat = "s16f15".parse().unwrap();
    let words = SectionWords {
        input: word,
        output: word,
        rounding: Rounding::HalfUp,
        overflow: Overflow::Saturate,
    };
    let checked = direct_form_1(&table, words).unwrap().check().unwrap();
    let bounds = checked.facts().bounds().as_ref().unwrap();
    let safe: Vec<bool> = bounds.reaches.iter().map(|reach| reach.safe).collect();
    assert_eq!(safe, [true, false], "{:?}", bounds.reaches);
}

/// The distance of two filters bounds what any input can show of it.
#[test]
fn the_difference_of_two_filters_is_bounded() {
    let first = notch(0.1, 0.01, rate()).unwrap().sections;
    let mut second: Sections = first.clone();
    second.0[0].b[0] += 1e-4;
    let mut difference = Difference { first: first.clone(), second: second.clone() };
    let gain = Decay::prove(&mut difference).unwrap().impulse(&mut difference).pop().unwrap();
    let input: Vec<f64> = gain.response().iter().rev().map(|h| h.signum()).collect();
    let (a, b) = (first.start().run(&input), second.start().run(&input));
    let reached = a.last().unwrap() - b.last().unwrap();
    assert!(reached <= gain.l1_bound() && reached > 0.999 * gain.l1(), "{reached} {}", gain.l1());
}

fn deliver(port: usize, at: usize, word: u32) -> Operation {
    Operation::Deliver { port, at: Row::Fixed(at), word: Node(word) }
}

/// Programs that are none are refused with the node.
#[test]
fn broken_programs_are_refused() {
    let good = || {
        let taps = round_coefficients(&[vec![0.5, 0.5]], "s8f7".parse().unwrap()).unwrap();
        let word = "s8f7".parse().unwrap();
        fir_direct(&taps, word, word, Rounding::Floor, Overflow::Saturate).unwrap()
    };
    good().check().unwrap();
    type Break = fn(&mut Datapath);
    let breaks: [(Break, &str); 18] = [
        (|d| d.body[5].1 = deliver(0, 0, 99), "n99"),
        (|d| d.body.swap(0, 1), "n1 uses n0, which gives no word before it"),
        (|d| drop(d.body.remove(1)), "before the store"),
        (|d| drop(d.body.pop()), "word 0 of output port 0 is given 0 times"),
        (|d| d.body.push((Node(9), deliver(0, 0, 4))), "is given 2 times"),
        (|d| d.body[5].1 = deliver(1, 0, 4), "port 1 of `outputs`"),
        (|d| d.body[5].1 = deliver(0, 1, 4), "word 1 of `an output port`"),
        (|d| d.body[0].1 = Operation::Input { port: 2, at: Row::Fixed(0) }, "port 2 of `inputs`"),
        (|d| d.body[0].1 = Operation::Input { port: 0, at: Row::Pass }, "no meaning here"),
        (|d| d.inputs.clear(), "input ports: there is none"),
        (|d| d.outputs[0].count = 0, "output ports: one has no words"),
        (|d| d.inputs[0].count = usize::MAX, "more than 65536 words"),
        (|d| d.lines[0].depth = 0, "age 1 of `x`"),
        (|d| d.tables[0].rows[0][0] = 200, "outside its format"),
        (|d| d.inputs[0].format = "u64f7".parse().unwrap(), "at most 64"),
        (|d| d.outputs[0].format = "s9f7".parse().unwrap(), "s9f7 is needed"),
        (
            |d| {
                let Operation::Accumulate { terms, .. } = &mut d.body[2].1 else { panic!() };
                let Term::Dot { table, .. } = &mut terms[0] else { panic!() };
                *table = TableIndex(3);
            },
            "table 3",
        ),
        (
            |d| {
                let Operation::Store { row, line, .. } = &mut d.body[1].1 else { panic!() };
                (*row, *line) = (Row::Pass, LineIndex(0));
            },
            "no meaning here",
        ),
    ];
    for (change, expected) in breaks {
        let mut datapath = good();
        change(&mut datapath);
        let error = datapath.check().unwrap_err().to_string();
        assert!(error.contains(expected), "{error}");
    }
}

/// A program of some operations, numbered as they stand, whose last word goes out.
fn program(input: WordFormat, output: WordFormat, operations: Vec<Operation>) -> Datapath {
    let result = Node(operations.len() as u32 - 1);
    let operations = (0..).map(Node).zip(operations).collect();
    let body = Block { operations, result };
    Datapath::per_sample([input, output], Vec::new(), Vec::new(), body)
}

fn word(sign: Sign, node: u32) -> Term {
    Term::Word { sign, word: Node(node), binary_point_shift: 0 }
}

/// Paths that cancel in the linear model do so no longer once a limit between them acts: y = (x − l) + l − x
/// is nothing, but where the first limit l acts, that of x − l acts, too, and what is left of it reaches y.
#[test]
fn a_limit_that_acts_makes_others_act() {
    let format = |text: &str| text.parse::<WordFormat>().unwrap();
    let limit = |node: u32, to: &str| Operation::Limit {
        word: Node(node),
        format: format(to),
        overflow: Overflow::Saturate,
    };
    let sum = |terms: Vec<Term>| Operation::Accumulate { terms, format: format("s16f0") };
    let operations = vec![
        Operation::INPUT,
        limit(0, "s4f0"),
        sum(vec![word(Sign::Plus, 0), word(Sign::Minus, 1)]),
        limit(2, "s4f0"),
        sum(vec![word(Sign::Plus, 3), word(Sign::Plus, 1), word(Sign::Minus, 0)]),
        limit(4, "s2f0"),
    ];
    let (input, output) = (format("s8f0"), format("s2f0"));
    let checked = program(input, output, operations).check().unwrap();
    for node in [1, 3, 5] {
        assert!(checked.facts().limit(Node(node)).unwrap().acts, "n{node}");
    }
    // And it does: 7 is left of 100, 7 of the 93 that are missing.
    assert_eq!(Simulator::new(&checked).run(&[7, 100]), [0, -2]);
}

/// What a rounding leaves over, in a sum of a finer fraction than the word: as many zeros stand behind it.
#[test]
fn what_a_rounding_leaves_is_told_in_steps_of_its_sum() {
    let format = |text: &str| text.parse::<WordFormat>().unwrap();
    for rounding in Rounding::ALL {
        for fraction in 8..12 {
            let sum = WordFormat::new(true, 24, fraction).unwrap();
            let terms = vec![word(Sign::Plus, 0), word(Sign::Minus, 1)];
            let operations = vec![
                Operation::INPUT,
                Operation::Round { word: Node(0), fraction: 5, rounding },
                Operation::Accumulate { terms, format: sum },
            ];
            let checked = program(format("s9f8"), sum, operations).check().unwrap();
            let fact = checked.facts().sum(Node(2)).unwrap();
            let inputs: Vec<i64> = (-256..256).collect();
            let found = Simulator::reference(&checked).run(&inputs);
            let ends =
                [found.iter().min(), found.iter().max()].map(|end| i128::from(*end.unwrap()));
            assert_eq!(ends, [fact.low, fact.high], "{rounding}, fraction {fraction}");
        }
    }
}
