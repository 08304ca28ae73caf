//! Quantities mean what their digits and their unit say, to the last bit, and nothing else is taken for one.

use mellow_rake::units::{Duration, Frequency, Level, SampleRate};
use proptest::prelude::*;

/// Whether a text is a decimal number: a reader of its own, by the places that digits have.
fn is_decimal(text: &str) -> bool {
    let unsigned = |text: &str| text.strip_prefix(['+', '-']).unwrap_or(text).to_owned();
    let digits = |text: &str| text.bytes().all(|byte| byte.is_ascii_digit());
    let (mantissa, exponent) = match unsigned(text).split_once(['e', 'E']) {
        Some((mantissa, exponent)) => (mantissa.to_owned(), Some(unsigned(exponent))),
        None => (unsigned(text), None),
    };
    let (whole, part) = mantissa.split_once('.').unwrap_or((&mantissa, ""));
    let has_exponent = exponent.is_none_or(|text| !text.is_empty() && digits(&text));
    digits(whole) && digits(part) && !(whole.is_empty() && part.is_empty()) && has_exponent
}

/// Digits with their point moved to the right, or to the left for a negative number of places.
fn moved(whole: &str, part: &str, places: i32) -> String {
    let zeros = "0".repeat(places.unsigned_abs() as usize);
    let (digits, point) = match places {
        0.. => (format!("{whole}{part}{zeros}"), whole.len() + places as usize),
        _ => (format!("{zeros}{whole}{part}"), whole.len()),
    };
    format!("{}.{}", &digits[..point], &digits[point..])
}

fn hertz(text: &str) -> Option<f64> {
    match text.parse() {
        Ok(Frequency::Hertz(hertz)) => Some(hertz),
        Ok(other) => panic!("{text}: {other:?}"),
        Err(_) => None,
    }
}

fn seconds(text: &str) -> Option<f64> {
    match text.parse() {
        Ok(Duration::Seconds(seconds)) => Some(seconds),
        Ok(other) => panic!("{text}: {other:?}"),
        Err(_) => None,
    }
}

proptest! {
    /// A unit moves the point, and what it gives is rounded once: 1.005 kHz is 1005 Hz.
    #[test]
    fn a_unit_moves_the_point(
        whole in "[1-9][0-9]{0,11}", part in "[0-9]{0,12}", exponent in -4i32..5, blanks in " {0,3}",
        sign in "[+-]?",
    ) {
        let said = format!("{sign}{whole}.{part}e{exponent}{blanks}");
        for (unit, places) in [("mHz", -3), ("Hz", 0), ("kHz", 3), ("MHz", 6), ("GHz", 9)] {
            let expected: f64 = format!("{sign}{}", moved(&whole, &part, places + exponent)).parse().unwrap();
            let text = format!("{said}{unit}");
            prop_assert_eq!(hertz(&text), Some(expected), "{}", &text);
            if places >= 0 {
                let rate = text.parse::<SampleRate>();
                let is_rate = (1e-9..=1e12).contains(&expected);
                prop_assert_eq!(rate.ok().map(SampleRate::hertz), is_rate.then_some(expected));
            }
        }
        for (unit, places) in [("s", 0), ("ms", -3), ("us", -6), ("µs", -6)] {
            let expected: f64 = format!("{sign}{}", moved(&whole, &part, places + exponent)).parse().unwrap();
            prop_assert_eq!(seconds(&format!("{said}{unit}")), Some(expected));
        }
    }

    /// A frequency of the sample rate is the same in every unit of angle, and a level the same as a ratio,
    /// but for the rounding of π and of the logarithm.
    #[test]
    fn one_quantity_has_several_units(share in 1e-6f64..0.5, decibels in -200.0f64..200.0) {
        let rate = SampleRate::from_hertz(1e6).unwrap();
        let near = |a: f64, b: f64| (a - b).abs() <= 4.0 * f64::EPSILON * b.abs();
        for (factor, unit) in [
            (1.0, "fs"), (2.0, "pi rad/sample"), (std::f64::consts::TAU, "rad/sample"), (360.0, "deg"),
            (1e6, "Hz"), (1e6 * std::f64::consts::TAU, "rad/s"),
        ] {
            let text = format!("{:?} {unit}", share * factor);
            prop_assert!(near(text.parse::<Frequency>().unwrap().hertz(rate), 1e6 * share), "{text}");
        }
        let level: Level = format!("{decibels:?} dB").parse().unwrap();
        let ratio: Level = format!("{:?} x", 10f64.powf(decibels / 20.0)).parse().unwrap();
        prop_assert!((level.decibels() - ratio.decibels()).abs() < 1e-11);
        let log = (level.ratio().ln() - decibels * std::f64::consts::LN_10 / 20.0).abs();
        prop_assert!(log < 1e-13);
    }
}

/// Every text of up to five letters: what is taken is a decimal number and a unit, nothing else.
#[test]
fn nothing_else_is_a_quantity() {
    const LETTERS: &[u8] = b"1.-+e Hzkdx";
    let mut taken = [0; 3];
    let mut text = String::new();
    for length in 0..=5u32 {
        for mut code in 0..LETTERS.len().pow(length) {
            text.clear();
            for _ in 0..length {
                text.push(LETTERS[code % LETTERS.len()] as char);
                code /= LETTERS.len();
            }
            let trimmed = text.trim();
            let with = |unit: &str| {
                let number = trimmed.strip_suffix(unit).map(str::trim_end);
                number.filter(|number| is_decimal(number))
            };
            let hertz = with("kHz").or(with("Hz").filter(|number| !number.ends_with('k')));
            taken[0] += usize::from(hertz.is_some());
            assert_eq!(text.parse::<Frequency>().is_ok(), hertz.is_some(), "{text:?}");
            let is_positive = |number: &&str| number.parse::<f64>().unwrap() > 0.0;
            let ratio = with("x").filter(is_positive);
            taken[1] += usize::from(ratio.is_some());
            assert_eq!(text.parse::<Level>().is_ok(), ratio.is_some(), "{text:?}");
            let rate = hertz.filter(is_positive);
            taken[2] += usize::from(rate.is_some());
            assert_eq!(text.parse::<SampleRate>().is_ok(), rate.is_some(), "{text:?}");
            assert!(text.parse::<Duration>().is_err(), "{text:?}");
        }
    }
    assert!(taken.iter().all(|count| *count > 10), "{taken:?}");
}

/// A number that its unit takes beyond all numbers is refused, as one is that was beyond them before.
#[test]
fn what_is_infinite_is_refused() {
    for text in ["1e308 kHz", "1e400 Hz", "1e99999999999 Hz", "1e309 mHz", "9e306 GHz"] {
        let found = text.parse::<Frequency>();
        let expected = (text == "1e309 mHz").then_some(1e306);
        assert_eq!(found.clone().ok(), expected.map(Frequency::Hertz), "{text}");
        if let Err(error) = found {
            assert!(error.to_string().contains("a finite number"), "{error}");
        }
    }
    assert_eq!("1e-99999999999 Hz".parse(), Ok(Frequency::Hertz(0.0)));
    assert_eq!("0e99999999999 s".parse(), Ok(Duration::Seconds(0.0)));
}
