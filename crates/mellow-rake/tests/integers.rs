//! Better integers than the nearest: neighbours, signed digits, sums of exactly 1.

use mellow_rake::design::{Design, design};
use mellow_rake::filter::{Form, Taps, Transfer};
use mellow_rake::fixed::signed_digits;
use mellow_rake::implementation::{Goal, ImplementError, Implementation, implement_toward};
use mellow_rake::spec::{IntegerWish, Spec};
use proptest::prelude::*;

fn spec(want: &str, words: &str) -> (Spec, Design) {
    let text = format!(
        "name = \"f\"\nsample_rate = \"1 kHz\"\n[want]\n{want}\n[fixed]\ninput = \"s16f15\"\n\
            output = \"s18f15\"\n{words}\n\
         rounding = \"half-even\"\noverflow = \"saturate\"\n"
    );
    let spec = Spec::parse(&text).unwrap_or_else(|error| panic!("{error}\n{text}"));
    let design = design(&spec).unwrap();
    (spec, design)
}

fn build((spec, design): &(Spec, Design), wish: IntegerWish) -> Implementation {
    let mut fixed = spec.fixed.unwrap();
    fixed.integers = wish;
    implement_toward(&design.form, fixed, &Goal::of(spec, design)).unwrap()
}

/// The share of the template that a response uses, on a plain dense grid: an account of its own.
fn use_of(form: &Form, pass: f64, stop: f64, ripple_db: f64, attenuation_db: f64) -> f64 {
    use_and_level(form, [pass, stop, ripple_db, attenuation_db]).0
}

/// The same, and the middle of the pass-band in decibels.
fn use_and_level(form: &Form, [pass, stop, ripple_db, attenuation_db]: [f64; 4]) -> (f64, f64) {
    const POINTS: u32 = 4000;
    let (mut low, mut high, mut over, mut between) = (f64::INFINITY, 0.0f64, 0.0f64, 0.0f64);
    for k in 0..=POINTS {
        let hertz = 500.0 * f64::from(k) / f64::from(POINTS);
        let gain = form.gain(std::f64::consts::TAU * hertz / 1000.0);
        if hertz <= pass {
            (low, high) = (low.min(gain), high.max(gain));
        } else if hertz >= stop {
            over = over.max(gain);
        } else {
            between = between.max(gain);
        }
    }
    let ripple = 20.0 * (high / low).log10() / ripple_db;
    let share = ripple.max(over / high * 10f64.powf(attenuation_db / 20.0));
    // A gain between the bands above that of the pass-band misses the template, too.
    let peak = 20.0 * (between / high).log10();
    let share = if peak > 1e-6 { share.max(1.0 + peak) } else { share };
    (share, 10.0 * (low * high).log10())
}

/// All integers within three of the nearest, tried one by one: the search finds the best of them, or better
/// ones further away.
#[test]
fn the_search_finds_what_brute_force_finds() {
    let (pass, stop, ripple, attenuation) = (60.0, 240.0, 1.0, 25.0);
    for taps in [6, 7] {
        for bits in [5, 6, 7] {
            let made = spec(
                &format!(
                    "kind = \"lowpass\"\npass_edge = \"{pass} Hz\"\nstop_edge = \"{stop} Hz\"\n\
                        ripple = \"{ripple} dB\"\nattenuation = \
                     \"{attenuation} dB\"\n[method]\ndesign = \"equiripple\"\ntaps = {taps}"
                ),
                &format!("coefficients = \"s{bits}\"\nstructure = \"fir-direct\""),
            );
            let nearest = build(&made, IntegerWish::default());
            let found = build(&made, IntegerWish { search: true, ..Default::default() });
            // What the level drifts counts a fiftieth.
            let template = [pass, stop, ripple, attenuation];
            let designed = use_and_level(&made.1.form, template).1;
            let score_of = |form: &Form| {
                let (score, level) = use_and_level(form, template);
                score + (level - designed).abs() / (50.0 * ripple)
            };
            let row = &nearest.table.rows[0];
            let format = nearest.table.format;
            let free = row.len().div_ceil(2);
            let mut best = f64::INFINITY;
            for code in 0..7usize.pow(free as u32) {
                let mut integers = row.clone();
                let mut rest = code;
                for k in 0..free {
                    let moved = row[k] + (rest % 7) as i64 - 3;
                    rest /= 7;
                    let mirror = integers.len() - 1 - k;
                    (integers[k], integers[mirror]) = (moved, moved);
                }
                if integers.iter().any(|i| !format.holds((*i).into())) {
                    continue;
                }
                let taps = integers.iter().map(|i| format.value(*i)).collect();
                best = best.min(score_of(&Taps(taps).into()));
            }
            let score = score_of(&found.rounded);
            assert!(score <= best * 1.02, "{taps} taps, {bits} bits: {score} against {best}");
            let choice = found.integers.unwrap();
            assert!((choice.found / score - 1.0).abs() < 0.02, "{choice:?} {score}");
        }
    }
}

/// Sections, taps of any phase: what is found is never worse than the nearest, is the same each time, and
/// fits its format.
#[test]
fn neighbours_never_lose_and_often_save_the_template() {
    let filters = [
        "kind = \"lowpass\"\npass_edge = \"20 Hz\"\nstop_edge = \"45 Hz\"\nripple = \"0.5 dB\"\nattenuation \
            = \"40 dB\"\n[method]\ndesign = \"elliptic\"\norder = \"minimum\"",
        "kind = \"bandpass\"\npass_edges = [\"100 Hz\", \"180 Hz\"]\nstop_edges = [\"80 Hz\", \"210 \
            Hz\"]\nripple = \"0.5 dB\"\nattenuation = \"40 dB\"\n[method]\ndesign = \"elliptic\"\n\
            order = \"minimum\"",
        "kind = \"lowpass\"\npass_edge = \"100 Hz\"\nstop_edge = \"150 Hz\"\nripple = \"0.5 \
            dB\"\nattenuation = \"40 dB\"\n[method]\ndesign = \"equiripple\"\ntaps = \"minimum\"",
        "kind = \"notch\"\ncenter = \"87.5 Hz\"\nwidth = \"10 Hz\"",
    ];
    let mut saved = 0;
    for filter in filters {
        let structure = if filter.contains("equiripple") { "fir-folded" } else { "direct-form-1" };
        for bits in [11, 13, 15, 16] {
            let words = format!("coefficients = \"s{bits}\"\nstructure = \"{structure}\"");
            let made = spec(filter, &words);
            let wish = IntegerWish { search: true, ..Default::default() };
            let mut fixed = made.0.fixed.unwrap();
            fixed.integers = wish;
            let goal = Goal::of(&made.0, &made.1);
            // Few bits may leave no stable filter to start from.
            let found = match implement_toward(&made.1.form, fixed, &goal) {
                Ok(found) => found,
                Err(ImplementError::Unstable { .. }) => continue,
                Err(error) => panic!("{error}"),
            };
            let choice = found.integers.unwrap();
            assert!(choice.found <= choice.nearest, "{filter} {bits}: {choice:?}");
            saved += usize::from(choice.nearest > 1.0 && choice.found <= 1.0);
            assert_eq!(build(&made, wish).table, found.table);
        }
    }
    assert!(saved >= 3, "{saved}");
}

/// A template without any room, for an elliptic filter fills it exactly: the nearest integers miss it at most
/// widths, those that are found at none from 14 bits on, and with more bits they come nearer to what was
/// designed.
#[test]
fn long_integers_keep_a_template_without_room_and_stay_near() {
    let filter = "kind = \"lowpass\"\npass_edge = \"20 Hz\"\nstop_edge = \"60 Hz\"\nripple = \"0.5 \
        dB\"\nattenuation = \"50 dB\"\n[method]\ndesign = \"elliptic\"\norder = \"minimum\"";
    let (mut missed, mut distances) = (0, Vec::new());
    for bits in 14..=26 {
        let words = format!("coefficients = \"s{bits}\"\nstructure = \"direct-form-1\"");
        let made = spec(filter, &words);
        let used = |wish| {
            let filter = build(&made, wish);
            (use_of(&filter.rounded, 20.0, 60.0, 0.5, 50.0), filter)
        };
        missed += usize::from(used(IntegerWish::default()).0 > 1.0);
        let (found, filter) = used(IntegerWish { search: true, ..Default::default() });
        assert!(found <= 1.0 + 1e-6, "{bits} bits: {found}");
        let apart = |k: i32| {
            let omega = f64::from(k) * std::f64::consts::PI / 25.0 / 400.0;
            (filter.rounded.response(omega) - made.1.form.response(omega)).norm()
        };
        distances.push((0..=400).map(apart).fold(0.0, f64::max));
    }
    assert!(missed >= 7, "{missed}");
    let largest = |part: &[f64]| part.iter().copied().fold(0.0, f64::max);
    assert!(largest(&distances[8..]) < largest(&distances[..4]) / 20.0, "{distances:?}");
}

/// At most so many digits in every coefficient; searched together they use less of the template than each
/// nearest by itself.
#[test]
fn signed_digits_are_as_few_as_asked() {
    let made = spec(
        "kind = \"lowpass\"\npass_edge = \"80 Hz\"\nstop_edge = \"150 Hz\"\nripple = \"0.5 \
            dB\"\nattenuation = \"36 dB\"\n[method]\ndesign = \"equiripple\"\ntaps = \"minimum\"",
        "coefficients = \"s14\"\nstructure = \"fir-folded\"",
    );
    let mut adds = Vec::new();
    for digits in 1..=4 {
        let plain = IntegerWish { digits: Some(digits), ..Default::default() };
        let nearest = build(&made, plain);
        let found = build(&made, IntegerWish { search: true, ..plain });
        for filter in [&nearest, &found] {
            assert!(filter.table.rows[0].iter().all(|tap| signed_digits(*tap) <= digits));
        }
        let [one, other] = [&nearest, &found].map(|f| use_of(&f.rounded, 80.0, 150.0, 0.5, 36.0));
        assert!(other < one, "{digits}: {other} against {one}");
        // Each tap of a pair by hand: its digits less one; then pairs and the sum.
        let row = &found.table.rows[0];
        let taps = &row[..row.len().div_ceil(2)];
        let inside: u32 = taps.iter().map(|tap| signed_digits(*tap).saturating_sub(1)).sum();
        let zeros = taps.iter().filter(|tap| **tap == 0).count();
        let cost = found.checked.cost();
        assert_eq!(cost.shift_adds_per_sample, row.len() - 1 + inside as usize - zeros);
        adds.push(cost.shift_adds_per_sample);
    }
    assert!(adds.is_sorted(), "{adds:?}");
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(10))]

    /// Integers of a low-pass add up to exactly 1 when that is asked for, searched or not, and stay mirror
    /// images.
    #[test]
    fn sums_are_exactly_one(taps in 5usize..60, edge in 40.0f64..300.0, bits in 9u32..24,
        search in any::<bool>()) {
        let made = spec(
            &format!("kind = \"lowpass\"\ncutoff = \"{edge} Hz\"\n[method]\ndesign = \"window\"\n\
                window = \"hamming\"\ngain = \"unity\"\ntaps = {taps}"),
            &format!("coefficients = \"s{bits}\"\nstructure = \"fir-direct\""),
        );
        let filter = build(&made, IntegerWish { search, unit_sum: true, digits: None });
        let row = &filter.table.rows[0];
        prop_assert_eq!(row.iter().sum::<i64>(), 1i64 << filter.table.format.fraction());
        prop_assert!(row.iter().eq(row.iter().rev()));
        // A constant leaves as it came.
        let mut simulator = mellow_rake::datapath::Simulator::new(&filter.checked);
        let last = simulator.run(&vec![-12_345; taps + 3]).pop().unwrap();
        prop_assert_eq!(last, -12_345);
    }
}

/// The same where the tap in the middle is rounded to the end of its format, and cannot take what is missing:
/// it goes the other way. Of many filters some are so, and none leaves its format.
#[test]
fn sums_are_one_at_the_end_of_a_format() {
    let mut at_end = 0;
    for number in 0..600 {
        let (taps, bits) = (5 + 2 * (number % 27), 8 + number % 5);
        let edge = 40.0 + f64::from(number) * 0.377;
        let method = "[method]\ndesign = \"window\"\nwindow = \"hamming\"\ngain = \"unity\"";
        let made = spec(
            &format!("kind = \"lowpass\"\ncutoff = \"{edge} Hz\"\n{method}\ntaps = {taps}"),
            &format!("coefficients = \"s{bits}\"\nstructure = \"fir-direct\""),
        );
        let nearest = build(&made, IntegerWish::default());
        let filter = build(&made, IntegerWish { search: false, unit_sum: true, digits: None });
        let (format, row) = (filter.table.format, &filter.table.rows[0]);
        assert_eq!(row.iter().sum::<i64>(), 1i64 << format.fraction(), "{number}");
        assert!(row.iter().eq(row.iter().rev()), "{number}");
        assert!(row.iter().all(|tap| format.holds((*tap).into())), "{number}");
        let (middle, row) = (row.len() / 2, &nearest.table.rows[0]);
        let missing = (1i64 << format.fraction()) - row.iter().sum::<i64>();
        let is_beyond = !format.holds((row[middle] + missing.signum()).into());
        at_end += usize::from(missing % 2 != 0 && is_beyond);
    }
    assert!(at_end > 3, "{at_end}");
}

#[test]
fn a_filter_that_stops_constants_has_no_unit_sum() {
    let made = spec(
        "kind = \"bandpass\"\ncutoffs = [\"100 Hz\", \"180 Hz\"]\n[method]\ndesign = \"window\"\n\
            window = \"hann\"\ntaps = 31",
        "coefficients = \"s16\"\nstructure = \"fir-direct\"\nunit_sum = true",
    );
    let goal = Goal::of(&made.0, &made.1);
    let error = implement_toward(&made.1.form, made.0.fixed.unwrap(), &goal).unwrap_err();
    assert_eq!(error.key(), "fixed.unit_sum", "{error}");
    for (line, key) in [
        ("unit_sum = true\nstructure = \"direct-form-1\"", "fixed.unit_sum"),
        (
            "coefficient_search = \"neighbours\"\nstructure = \"coupled\"",
            "fixed.coefficient_search",
        ),
        ("signed_digits = 0\nstructure = \"direct-form-1\"", "1 to 24"),
        ("signed_digits = 2\nunit_sum = true\nstructure = \"fir-direct\"", "fixed.unit_sum"),
        ("scaling = \"peak\"\nstructure = \"all-pass-sum\"", "fixed.scaling"),
        ("scaling_steps = \"exact\"\nstructure = \"direct-form-1\"", "fixed.scaling_steps"),
    ] {
        let text = format!(
            "name = \"f\"\nsample_rate = \"1 kHz\"\n[want]\nkind = \"notch\"\ncenter = \"50 Hz\"\n\
                width = \"5 Hz\"\n[fixed]\ninput = \"s16f15\"\n\
             output = \"s16f15\"\ncoefficients = \"s16\"\n{line}\nrounding = \"floor\"\noverflow = \"wrap\"\n"
        );
        let error = Spec::parse(&text).unwrap_err().to_string();
        assert!(error.contains(key), "{error}");
    }
}
