//! A stranger's filter: written from `docs/arithmetic.md` and the JSON of a datapath alone, without a look at
//! the library's types, and equal to the simulator in every integer.

use mellow_rake::datapath::{
    Checked, SectionWords, Simulator, direct_form_1, fir_direct, fir_folded,
};
use mellow_rake::design::notch;
use mellow_rake::fixed::{Overflow, Rounding, WordFormat, round_coefficients, round_groups};
use mellow_rake::random::NoiseSource;
use mellow_rake::spec::Structure;
use mellow_rake::units::SampleRate;
use proptest::prelude::*;

use crate::filters::{any_filter, any_word, one_of};
use crate::reader::read;

fn assert_equal(checked: &Checked, name: &str) {
    let mut stranger = read(checked);
    let mut simulator = Simulator::new(checked);
    let mut noise = NoiseSource::new(5);
    let input = checked.input();
    for n in 0..600 {
        let x = match n / 100 {
            0 => i64::from(n == 0) * input.maximum() as i64,
            1 => input.minimum() as i64,
            _ => noise.integer(input.minimum() as i64, input.maximum() as i64),
        };
        assert_eq!(i128::from(simulator.step(x)), stranger.step(x.into()), "{name}, sample {n}");
    }
}

#[test]
fn a_stranger_builds_the_same_filter_from_the_json_alone() {
    let rate = SampleRate::from_hertz(1000.0).unwrap();
    let row = |center: f64| -> Vec<f64> {
        let section = notch(center, 12.0, rate).unwrap().sections.0[0];
        section.b.into_iter().chain(section.a).collect()
    };
    let words = |rounding, overflow, input: &str, output: &str| SectionWords {
        input: input.parse().unwrap(),
        output: output.parse().unwrap(),
        rounding,
        overflow,
    };
    for rounding in Rounding::ALL {
        for overflow in [Overflow::Saturate, Overflow::Wrap] {
            let name = format!("{rounding} {overflow}");
            for rows in [vec![row(87.5)], vec![row(87.5), row(175.0), row(262.5)]] {
                let table = round_coefficients(&rows, "s14".parse().unwrap()).unwrap();
                let words = words(rounding, overflow, "s12f11", "s14f12");
                assert_equal(&direct_form_1(&table, words).unwrap().check().unwrap(), &name);
                // A fraction for each section, products rounded, another word at the end.
                let table = round_groups(&rows, "s9".parse().unwrap(), &[0..3, 3..5], 12).unwrap();
                let own = direct_form_1(&table, words).unwrap();
                let own = own.with_products("s30f14".parse().unwrap(), rounding).unwrap();
                let own = own.delivering("s9f7".parse().unwrap(), rounding, overflow);
                let own = own.check().unwrap().narrowed();
                assert_equal(&own, &name);
                assert_equal(&own.without_multiplier().unwrap().check().unwrap(), &name);
            }
            let taps: Vec<f64> = (0..9).map(|k| f64::from(k) / 40.0 - 0.1).collect();
            let table = round_coefficients(&[taps], "s8f7".parse().unwrap()).unwrap();
            let [input, output]: [WordFormat; 2] = ["u10f10", "s6f5"].map(|f| f.parse().unwrap());
            let fir = fir_direct(&table, input, output, rounding, overflow).unwrap();
            assert_equal(&fir.check().unwrap(), &name);
            for sign in [1.0, -1.0] {
                let taps: Vec<f64> = vec![0.1, -0.2, 0.7, 0.7 * sign, -0.2 * sign, 0.1 * sign];
                let table = round_coefficients(&[taps], "s8f7".parse().unwrap()).unwrap();
                let fir = fir_folded(&table, input, output, rounding, overflow).unwrap();
                let short = fir.with_products("s20f8".parse().unwrap(), rounding).unwrap();
                assert_equal(&short.check().unwrap(), &name);
            }
        }
    }
}

proptest! {
    #![proptest_config(ProptestConfig { cases: 400, failure_persistence: None, ..ProptestConfig::default() })]

    /// Random filters of every structure, in random words.
    #[test]
    fn a_stranger_builds_any_filter(seed: u64) {
        let mut noise = NoiseSource::new(seed);
        let structure = one_of(&mut noise, &Structure::ALL);
        let Some(filter) = any_filter(&mut noise, structure) else { return Ok(()) };
        let mut stranger = read(&filter.checked);
        let input = filter.checked.input();
        let words: Vec<i64> = (0..300).map(|_| any_word(&mut noise, input, false)).collect();
        let found: Vec<i128> = words.iter().map(|x| stranger.step((*x).into())).collect();
        let expected = Simulator::new(&filter.checked).run(&words);
        prop_assert_eq!(expected.into_iter().map(i128::from).collect::<Vec<_>>(), found);
    }
}
