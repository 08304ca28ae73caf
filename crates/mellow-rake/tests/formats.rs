//! Formats of every node: products, accumulators, words between sections, a fraction for each section.

use mellow_rake::datapath::{
    Checked, Datapath, SectionWords, Simulator, StateWords, direct_form_1, direct_form_1_shaped,
    direct_form_1_transposed, direct_form_2, direct_form_2_transposed,
};
use mellow_rake::design::design;
use mellow_rake::filter::Form;
use mellow_rake::fixed::{
    Overflow, RoundedTable, Rounding, WordFormat, round_coefficients, round_groups,
};
use mellow_rake::implementation::{ImplementError, Implementation, implement};
use mellow_rake::random::NoiseSource;
use mellow_rake::spec::{Fixed, Spec, Structure};
use mellow_rake::verify::measure_word_noise;

const BAND: &str = "kind = \"bandpass\"\npass_edges = [\"80 Hz\", \"120 Hz\"]\nripple = \"0.5 \
    dB\"\nattenuation = \"50 dB\"\n[method]\ndesign = \"elliptic\"\norder = 6";
const LOW: &str =
    "kind = \"lowpass\"\ncutoff = \"100 Hz\"\n[method]\ndesign = \"butterworth\"\norder = 5";
const TAPS: &str = "kind = \"lowpass\"\ncutoff = \"100 Hz\"\n[method]\ndesign = \"window\"\n\
    window = \"hamming\"\ntaps = 31";

/// A filter with keys of `[fixed]`.
fn with(want: &str, keys: &str) -> Result<Implementation, ImplementError> {
    let text = format!("name = \"f\"\nsample_rate = \"1 kHz\"\n[want]\n{want}\n[fixed]\n{keys}\n");
    let spec = Spec::parse(&text).unwrap_or_else(|error| panic!("{error}\n{text}"));
    implement(&design(&spec).unwrap().form, spec.fixed.unwrap())
}

fn noise(format: WordFormat, count: usize, seed: u64) -> Vec<i64> {
    let mut noise = NoiseSource::new(seed);
    let (low, high) = (format.minimum() as i64, format.maximum() as i64);
    (0..count).map(|_| noise.integer(low, high)).collect()
}

fn run(checked: &Checked, input: &[i64]) -> Vec<i64> {
    let output = Simulator::new(checked).run(input);
    assert_eq!(output, Simulator::reference(checked).run(input));
    output
}

/// Taps by a loop of this test, each product rounded by division; sections likewise.
#[test]
fn rounded_products_are_those_of_a_loop_by_hand() {
    for (rounding, word) in
        [(Rounding::Floor, "s24f18"), (Rounding::HalfUp, "s30f20"), (Rounding::HalfEven, "s22f16")]
    {
        let word: WordFormat = word.parse().unwrap();
        let keys = format!(
            "input = \"s16f15\"\nproducts = \"{word}\"\nrounding = \"{rounding}\"\nstructure = "
        );
        let divided = |product: i64, dropped: i32| -> i64 {
            let exact = product as f64 / (1i64 << dropped) as f64;
            match rounding {
                Rounding::Floor => exact.floor() as i64,
                Rounding::HalfUp => (exact + 0.5).floor() as i64,
                _ => exact.round_ties_even() as i64,
            }
        };
        let limited = |sum: i64| divided(sum, word.fraction() - 15).clamp(-32768, 32767);
        let filter = with(TAPS, &format!("{keys}\"fir-direct\"")).unwrap();
        let (taps, fraction) = (&filter.table.rows[0], filter.table.format.fraction());
        let input = noise(filter.fixed.input, 3000, 3);
        let dropped = fraction + 15 - word.fraction();
        let at = |n: usize| -> i64 {
            let product = |(k, tap): (usize, &i64)| {
                if n < k { 0 } else { divided(tap * input[n - k], dropped) }
            };
            limited(taps.iter().enumerate().map(product).sum())
        };
        let expected: Vec<i64> = (0..input.len()).map(at).collect();
        assert_eq!(run(&filter.checked, &input), expected, "{word}");
        // Folded, pairs are added before they are multiplied: fewer roundings.
        let folded = with(TAPS, &format!("{keys}\"fir-folded\"")).unwrap();
        let last = taps.len() - 1;
        let at = |n: usize| -> i64 {
            let x = |k: usize| if n < k { 0 } else { input[n - k] };
            let pair = |k: usize| divided(taps[k] * (x(k) + x(last - k)), dropped);
            limited(
                (0..last / 2).map(pair).sum::<i64>()
                    + divided(taps[last / 2] * x(last / 2), dropped),
            )
        };
        assert_eq!(
            run(&folded.checked, &input),
            (0..input.len()).map(at).collect::<Vec<_>>(),
            "{word}"
        );
        let noise = |filter: &Implementation| filter.predicted_noise().unwrap().variance;
        assert!(noise(&folded) < noise(&filter));

        let filter = with(LOW, &format!("{keys}\"direct-form-1\"")).unwrap();
        let dropped = filter.table.format.fraction() + 15 - word.fraction();
        let mut words = input.clone();
        for row in &filter.table.rows {
            let (mut x, mut y) = ([0i64; 3], [0i64; 3]);
            for word in &mut words {
                x = [*word, x[0], x[1]];
                let forward: i64 = (0..3).map(|k| divided(row[k] * x[k], dropped)).sum();
                let back: i64 = (0..2).map(|k| divided(row[3 + k] * y[k], dropped)).sum();
                *word = limited(forward - back);
                y = [*word, y[0], y[1]];
            }
        }
        assert_eq!(run(&filter.checked, &input), words, "{word}");
    }
}

/// The noise of rounded products is predicted, and no error leaves its bound.
#[test]
fn noise_of_rounded_products_is_as_predicted() {
    let mut louder = 0;
    for (want, structure) in [
        (LOW, "direct-form-1"),
        (BAND, "direct-form-2"),
        (TAPS, "fir-direct"),
        (TAPS, "fir-folded"),
    ] {
        for (word, rounding) in
            [("s40f18", "half-even"), ("s40f16", "half-up"), ("s40f15", "floor")]
        {
            let keys = |products: &str| {
                format!(
                    "input = \"s15f14\"\noutput = \"s20f15\"\ncoefficients = \"s18\"\n\
                        structure = \"{structure}\"\nrounding = \"{rounding}\"\n{products}"
                )
            };
            let filter = with(want, &keys(&format!("products = \"{word}\""))).unwrap();
            let own = noise(filter.fixed.input, 60_000, 5);
            let found = measure_word_noise(&filter, &filter.rounded, &own);
            let predicted = filter.predicted_noise().unwrap();
            let apart = 20.0 * (found.measured_rms_lsb / found.predicted_rms_lsb.unwrap()).log10();
            assert!(apart.abs() < 1.0, "{structure} {word} {rounding}: {apart} dB");
            let exact = with(want, &keys("")).unwrap();
            louder +=
                usize::from(predicted.variance > 1.5 * exact.predicted_noise().unwrap().variance);
            // The worst input, and a long run of noise: within the bound.
            let bounds = filter.checked.facts().bounds().as_ref().unwrap();
            let mut input = filter.checked.worst_case_input(&bounds.gains[0], 2000).input;
            input.extend(noise(filter.fixed.input, 20_000, 8));
            let values: Vec<f64> = input.iter().map(|x| filter.fixed.input.value(*x)).collect();
            let mut simulator = Simulator::new(&filter.checked);
            let output = simulator.run(&input);
            if simulator.limited_samples() == 0 {
                for (y, e) in output.iter().zip(filter.rounded.start().run(&values)) {
                    assert!(
                        (filter.fixed.output.value(*y) - e).abs()
                            <= bounds.error.largest() * (1.0 + 1e-9)
                    );
                }
            }
        }
    }
    assert!(louder >= 8, "{louder}");
}

/// A row with a fraction of its own is the row of longer integers with zeros at their end, in every
/// structure.
#[test]
fn a_row_with_exponents_is_a_longer_one() {
    let rows = vec![
        vec![0.01, 0.02, 0.01, -1.2, 0.5],
        vec![0.3, -0.1, 0.2, -0.3, 0.4],
        vec![0.04, 0.01, 0.02, 0.05, 0.06],
    ];
    let groups = [0..2, 2..5];
    let scaled = round_groups(&rows, "s12".parse().unwrap(), &groups, 15).unwrap();
    assert_eq!(scaled.exponents, [[0, 0, 6, 6, 6], [4; 5], [1; 5]]);
    let longer =
        |row: usize| (0..5).map(|k| scaled.rows[row][k] << scaled.exponent(row, k)).collect();
    let format = WordFormat::new(true, 12 + 6, scaled.format.fraction()).unwrap();
    let plain = RoundedTable::new(format, (0..3).map(longer).collect());
    let word: WordFormat = "s16f14".parse().unwrap();
    for overflow in [Overflow::Saturate, Overflow::Wrap] {
        let sections =
            SectionWords { input: word, output: word, rounding: Rounding::HalfEven, overflow };
        let states = StateWords { sections, state: "s24f18".parse().unwrap() };
        let all = |table: &RoundedTable| -> Vec<Datapath> {
            vec![
                direct_form_1(table, sections).unwrap(),
                direct_form_1_shaped(table, sections, 1).unwrap(),
                direct_form_1_shaped(table, sections, 2).unwrap(),
                direct_form_1_transposed(table, states).unwrap(),
                direct_form_2(table, states).unwrap(),
                direct_form_2_transposed(table, sections).unwrap(),
            ]
        };
        for (one, other) in all(&scaled).into_iter().zip(all(&plain)) {
            let (one, other) = (one.check().unwrap(), other.check().unwrap());
            let input = noise(word, 4000, 11);
            assert_eq!(run(&one, &input), run(&other, &input));
            assert_eq!(one.facts().bounds(), other.facts().bounds());
            assert_eq!(one.cost().shift_adds_per_sample, other.cost().shift_adds_per_sample);
        }
    }
    // The nearest integers of a finer fraction are never further away.
    let common = round_coefficients(&rows, "s12".parse().unwrap()).unwrap();
    for (row, values) in rows.iter().enumerate() {
        for (column, value) in values.iter().enumerate() {
            let apart = |table: &RoundedTable| (table.value(row, column) - value).abs();
            assert!(apart(&scaled) <= apart(&common));
        }
    }
}

/// A cascade with words of its own between the sections is its sections one after the other, and one more
/// rounding.
#[test]
fn words_between_sections_are_those_of_the_sections_alone() {
    for structure in Structure::ALL.into_iter().filter(|one| one.is_cascade()) {
        let keys = format!(
            "input = \"s16f15\"\noutput = \"s12f10\"\nbetween = \"s24f21\"\ncoefficients = \"s20\"\n\
                coefficient_fraction = \"per-section\"\nstructure = \"{}\"",
            structure.as_str()
        );
        let filter = with(BAND, &keys).unwrap();
        assert!(filter.between.is_some_and(|between| !between.is_chosen));
        let input = noise(filter.fixed.input, 3000, 4);
        let mut words: Vec<i64> = input.iter().map(|x| x << 6).collect();
        for index in 0..filter.table.rows.len() {
            words = run(&filter.section(index).unwrap(), &words);
        }
        let last = |word: &i64| ((word + (1 << 10)) >> 11).clamp(-2048, 2047);
        let expected: Vec<i64> = words.iter().map(last).collect();
        assert_eq!(run(&filter.checked, &input), expected, "{structure:?}");
        // The last rounding is most of the noise: an output of 12 bits.
        let noise = filter.predicted_noise().unwrap().rms() / filter.fixed.output.step();
        assert!((noise - 1.0 / 12f64.sqrt()).abs() < 0.05, "{structure:?}: {noise}");
    }
    // An output that cannot hold the input: the words between hold both, and that is said.
    let filter = with(BAND, "input = \"s16f15\"\noutput = \"s14f10\"").unwrap();
    let between = filter.between.unwrap();
    assert_eq!((between.format.to_string().as_str(), between.is_chosen), ("s19f15", true));
    // One section by itself: its feedback remembers the longer word.
    let notch = "kind = \"notch\"\ncenter = \"87.5 Hz\"\nwidth = \"5 Hz\"";
    let quiet = with(notch, "input = \"s16f15\"\nbetween = \"s22f20\"").unwrap();
    let plain = with(notch, "input = \"s16f15\"").unwrap();
    let rms = |filter: &Implementation| filter.predicted_noise().unwrap().rms();
    assert!(rms(&quiet) < rms(&plain) / 2.0);
}

/// A stated accumulator does not change a bit; the narrowest that is proved is accepted, one bit less is not.
#[test]
fn stated_accumulators_are_held_against_the_proof() {
    for (want, structure) in [(BAND, "direct-form-1"), (LOW, "direct-form-2"), (TAPS, "fir-folded")]
    {
        let keys = |accumulator: &str| {
            format!(
                "input = \"s16f15\"\noutput = \"s18f15\"\nstructure = \"{structure}\"\n{accumulator}"
            )
        };
        let proved = with(want, &keys("")).unwrap();
        let bits = proved.checked.cost().accumulator_bits;
        let input = noise(proved.fixed.input, 2000, 6);
        for width in [bits, bits + 1, 64] {
            let stated = with(want, &keys(&format!("accumulator = \"s{width}\""))).unwrap();
            assert_eq!(stated.checked.cost().accumulator_bits, width);
            assert_eq!(run(&stated.checked, &input), run(&proved.checked, &input));
        }
        let short = with(want, &keys(&format!("accumulator = \"s{}\"", bits - 1))).unwrap_err();
        let needed = format!("needs s{bits}f");
        assert!(short.to_string().contains(&needed), "{short}");
        let fraction = with(want, &keys("accumulator = \"s40f10\"")).unwrap_err().to_string();
        assert!(fraction.contains("10 fraction bits"), "{fraction}");
    }
}

/// Coefficients and data of so many bits that their products could fill more than 64: accepted where the sum
/// is proved to be smaller, or where products are rounded; refused where neither holds.
#[test]
fn wide_words_are_refused_only_where_the_sum_needs_more_than_64_bits() {
    let keys = |more: &str| {
        format!("input = \"s31f30\"\noutput = \"s32f30\"\ncoefficients = \"s32\"\n{more}")
    };
    let filter = with(LOW, &keys("")).unwrap();
    assert!(filter.checked.cost().accumulator_bits <= 64);
    // Against the same filter in f64 with its rounded coefficients: nothing wraps.
    let input = noise(filter.fixed.input, 3000, 2);
    let values: Vec<f64> = input.iter().map(|x| filter.fixed.input.value(*x)).collect();
    let bound = filter.checked.facts().bounds().as_ref().unwrap().error.largest();
    for (y, e) in run(&filter.checked, &input).iter().zip(filter.rounded.start().run(&values)) {
        assert!((filter.fixed.output.value(*y) - e).abs() <= bound + 1e-12);
    }
    let wide = |more: &str| {
        with(
            LOW,
            &format!("input = \"s47f46\"\noutput = \"s48f46\"\ncoefficients = \"s48\"\n{more}"),
        )
    };
    let refused = wide("").unwrap_err().to_string();
    assert!(refused.contains("at most 64"), "{refused}");
    let rounded = wide("products = \"s59f56\"").unwrap();
    assert!(rounded.checked.cost().accumulator_bits <= 64);
    let input = noise(rounded.fixed.input, 500, 2);
    let form: &Form = &rounded.rounded;
    let values: Vec<f64> = input.iter().map(|x| rounded.fixed.input.value(*x)).collect();
    for (y, e) in run(&rounded.checked, &input).iter().zip(form.start().run(&values)) {
        assert!((rounded.fixed.output.value(*y) - e).abs() < 1e-12);
    }
    let short = wide("products = \"s40f44\"").unwrap_err().to_string();
    assert!(short.contains("s40f44 is too short"), "{short}");
}

/// Without a multiplier every structure gives the same integers, proves the same and costs what was counted.
#[test]
fn sums_of_shifted_words_are_products() {
    for structure in Structure::ALL {
        let want = match structure {
            Structure::FirSkipZeros => {
                "kind = \"half-band\"\npass_edge = \"200 Hz\"\n[method]\ndesign = \"equiripple\"\ntaps = 31"
            }
            one if one.is_for_taps() => TAPS,
            Structure::AllPassSum => LOW,
            _ => BAND,
        };
        let places = ["", "products = \"s40f18\"\naccumulator = \"s46\"\n"];
        let places = if structure.adds_whole_products() { &places[..] } else { &places[..1] };
        for places in places {
            let keys = format!(
                "input = \"s14f13\"\noutput = \"s18f15\"\ncoefficients = \"s18\"\nstructure = \"{}\"\n\
                    {places}",
                structure.as_str()
            );
            let multiplied = with(want, &keys).unwrap();
            let shifted = with(want, &format!("{keys}multiplier = false")).unwrap();
            let [cost, own] = [&multiplied, &shifted].map(|filter| filter.checked.cost());
            assert_eq!(own.multiplies_per_sample, 0);
            assert!(cost.multiplies_per_sample > 0);
            assert_eq!(own.adds_per_sample, cost.shift_adds_per_sample, "{structure:?} {places}");
            let mut input = noise(multiplied.fixed.input, 2000, 9);
            input.extend([8191; 50]);
            input.extend([-8192; 50]);
            assert_eq!(run(&shifted.checked, &input), run(&multiplied.checked, &input));
            let error = |filter: &Implementation| {
                filter.checked.facts().bounds().as_ref().unwrap().error.largest()
            };
            let (one, other) = (error(&shifted), error(&multiplied));
            // What the proof adds for its own f64 grows with the number of operations.
            assert!((one / other - 1.0).abs() < 1e-4, "{structure:?} {places}: {one} {other}");
            // Of products as sums of their own less is known about how evenly each drops its bits.
            let rms = |filter: &Implementation| filter.predicted_noise().map(|noise| noise.rms());
            match (rms(&shifted), rms(&multiplied)) {
                (Ok(one), Ok(other)) => {
                    assert!((one / other - 1.0).abs() < 0.02, "{structure:?} {one} {other}");
                }
                (one, other) => assert!(!places.is_empty(), "{structure:?} {one:?} {other:?}"),
            }
        }
    }
}

/// What is not given is chosen, and the reason is there.
#[test]
fn what_is_not_given_is_chosen_with_a_reason() {
    let text = |want: &str, keys: &str| {
        format!("name = \"f\"\nsample_rate = \"1 kHz\"\n[want]\n{want}\n[fixed]\n{keys}\n")
    };
    let fixed = |want: &str, keys: &str| -> Fixed {
        Spec::parse(&text(want, keys)).unwrap().fixed.unwrap()
    };
    let all = fixed(LOW, "input = \"u12f12\"");
    let reasons: Vec<String> =
        all.reasons().into_iter().map(|(key, what, _)| format!("{key} {what}")).collect();
    let expected = [
        "output s13f12",
        "coefficients s12",
        "structure direct-form-1",
        "rounding half-up",
        "overflow saturate",
    ];
    assert_eq!(reasons, expected);
    assert_eq!(fixed(TAPS, "input = \"s16f15\"").structure, Structure::FirDirect);
    let some = fixed(TAPS, "input = \"s16f15\"\nrounding = \"floor\"\nstructure = \"fir-folded\"");
    let keys: Vec<&str> = some.reasons().into_iter().map(|(key, ..)| key).collect();
    assert_eq!(keys, ["output", "coefficients", "overflow"]);
    for key in ["products = \"s24f20\"", "accumulator = \"s40\"", "between = \"s24f20\""] {
        let keys = format!("input = \"s16f15\"\nstructure = \"all-pass-sum\"\n{key}");
        let error = Spec::parse(&text(LOW, &keys)).unwrap_err().to_string();
        assert!(error.contains("all-pass-sum") && error.contains("no such key"), "{error}");
    }
}

/// A low cut-off whose b are far below 1: with fractions of their own short coefficients keep what a common
/// fraction loses.
#[test]
fn fractions_of_their_own_keep_low_cut_offs() {
    let want = "kind = \"lowpass\"\ncutoff = \"5 Hz\"\nripple = \"0.5 dB\"\nattenuation = \"60 \
        dB\"\n[method]\ndesign = \"elliptic\"\norder = 4";
    let gain = |fractions: &str| {
        let keys = format!(
            "input = \"s16f15\"\ncoefficients = \"s18\"\ncoefficient_fraction = \"{fractions}\""
        );
        let filter = with(want, &keys).unwrap();
        filter.predictions.unwrap().coefficient_error.l1_bound()
    };
    let [common, sections, apart] = ["common", "per-section", "zeros-and-poles"].map(gain);
    assert!(apart < common / 3.0 && sections <= common, "{common} {sections} {apart}");
}
