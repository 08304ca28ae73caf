//! The stories of the examples end as they should.

use std::path::{Path, PathBuf};
use std::process::Command;
use std::sync::Once;
use std::time::SystemTime;

/// When the newest source file of a folder was changed.
fn changed(at: &Path) -> SystemTime {
    let of = |entry: std::fs::DirEntry| match entry.path() {
        path if path.is_dir() => changed(&path),
        path => path.metadata().and_then(|found| found.modified()).unwrap(),
    };
    let all = std::fs::read_dir(at).unwrap().map(|entry| of(entry.unwrap()));
    all.max().unwrap_or(SystemTime::UNIX_EPOCH)
}

/// The program of an example. Cargo builds all of them beside all tests; where one test is asked for by name,
/// what is there may be older than its sources, and is built.
fn program(name: &str) -> PathBuf {
    static BUILT: Once = Once::new();
    let tests = std::env::current_exe().unwrap();
    let folder = tests.ancestors().nth(2).unwrap().join("examples");
    let program = folder.join(format!("{name}{}", std::env::consts::EXE_SUFFIX));
    let home = Path::new(env!("CARGO_MANIFEST_DIR"));
    let sources = ["src", "examples"].map(|folder| changed(&home.join(folder)));
    let built = program.metadata().and_then(|found| found.modified()).ok();
    if built.is_none_or(|built| sources.iter().any(|source| *source > built)) {
        BUILT.call_once(|| {
            let mut cargo = Command::new(env!("CARGO"));
            cargo.args(["build", "--locked", "--quiet", "-p", "mellow-rake", "--examples"]);
            assert!(cargo.status().unwrap().success());
        });
    }
    program
}

fn told(name: &str) -> String {
    let output = Command::new(program(name)).output().unwrap();
    assert!(output.status.success(), "{name}: {}", String::from_utf8_lossy(&output.stderr));
    String::from_utf8(output.stdout).unwrap()
}

/// The number behind some words.
fn number(text: &str, before: &str) -> f64 {
    let (_, rest) = text.split_once(before).unwrap_or_else(|| panic!("`{before}` in {text}"));
    let end = rest.trim_start().find(|c: char| !(c.is_ascii_digit() || "+-.".contains(c)));
    rest.trim_start()[..end.unwrap()].parse().unwrap()
}

#[test]
fn the_stories_end_as_they_should() {
    let notch = told("notch_to_c");
    // (1 + a2)/2, a1 and a2 of the notch by hand: tan(pi 5/1000) = 0.0157093; cos(2 pi 0.0875) = 0.8526402.
    let half = 1.0 / (1.0 + 0.015_709_3);
    let hand = [half, -2.0 * half * 0.852_640_2].map(|b: f64| (b * 16_384.0).round());
    assert!(notch.contains(&format!("[{}, {}, {0}, {1}, ", hand[0], hand[1])), "{notch}");
    assert!(notch.contains("int16_t pump_hum_step("), "{notch}");

    let rescue = told("rescue_in_16_bits");
    assert!(rescue.contains("nothing is left of section 1"), "{rescue}");
    assert!(number(&rescue, "error-feedback-1") > number(&rescue, "error-feedback-2"), "{rescue}");

    let taps = told("taps_from_a_template");
    let needed = number(&taps, "the template needs");
    assert!(number(&taps, "60 dB down from") > needed && taps.contains("Some(true)"), "{taps}");

    let own = told("own_structure");
    // 1 - (31/32)^n = 1 - 1/e at n = 31.5.
    assert!(number(&own, "63 % after") == 31.0 && own.contains("cannot act"), "{own}");

    let ways = told("three_ways");
    assert!(number(&ways, "are at most") <= number(&ways, "can come to"), "{ways}");
    let late = number(&ways, "causal") - number(&ways, "forward and backward");
    // A Butterworth filter of order 4 delays low frequencies by 2.613/(2 pi fc).
    assert!((late - 2.613 / std::f64::consts::TAU).abs() < 0.05, "{ways}");

    let device = told("measured_device");
    let (good, spoiled) = device.split_once("a1 lost").unwrap();
    assert!(good.contains("filter: yes") && spoiled.contains("filter: NO"), "{device}");

    let rates = told("down_the_rates");
    // 20,000 words by 50; the swell is there, 0.4 of 32768 within 0.05 dB, and nothing of the pump.
    assert!(number(&rates, "words in,") == 400.0 && rates.contains("Some(true)"), "{rates}");
    assert!((number(&rates, "the largest is") - 0.4 * 32_768.0).abs() < 76.0, "{rates}");
    assert!(rates.contains("size_t swell_block(struct swell *chain"), "{rates}");
}

#[test]
fn an_example_is_a_page() {
    let folder = Path::new(env!("CARGO_MANIFEST_DIR")).join("examples");
    for entry in std::fs::read_dir(folder).unwrap() {
        let text = std::fs::read_to_string(entry.unwrap().path()).unwrap();
        assert!(text.lines().count() < 80);
    }
}
