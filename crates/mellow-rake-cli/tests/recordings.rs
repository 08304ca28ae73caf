//! Recordings of every format, length and number of channels through the program.

use crate::common;
use crate::common::{finish, json, run};
use mellow_rake_files::{ReadingChoice, RecordingReader, Values};
use std::path::Path;
use std::process::Command;

const SPEC: &str = "demo/mooring/pump_hum.toml";
const MOORING: &str = "demo/mooring/mooring.csv";

/// All signals of a file.
fn read(path: &str, encoding: Option<&str>, channels: usize) -> Vec<Values> {
    let encoding = encoding.map(|text| text.parse().unwrap());
    let choice = ReadingChoice { encoding, channels, ..ReadingChoice::default() };
    let mut reader = RecordingReader::open(&common::root().join(path), &choice).unwrap();
    let all = reader.signals();
    reader.rest(&all).unwrap()
}

/// The integer filter gives the same words whatever format they come in and go out by.
#[test]
fn every_format_carries_the_same_words() {
    let folder = tempfile::tempdir().unwrap();
    let path = |name: &str| folder.path().join(name).to_str().unwrap().to_owned();
    let csv = path("quiet.csv");
    assert_eq!(run(&["run", SPEC, MOORING, "-o", &csv, "--bit-true"]).0, 0);
    let expected = read(&csv, None, 1).remove(1);
    assert!(matches!(&expected, Values::Integers(words) if words.len() == 20_000));
    for ending in ["tsv", "wav", "npy", "raw", "json"] {
        let out = path(&format!("quiet.{ending}"));
        let (status, object) = json(&["run", SPEC, MOORING, "-o", &out, "--bit-true", "--json"]);
        assert_eq!(status, 0);
        let is_text = ["tsv", "json"].contains(&ending);
        assert_eq!(object["encoding"].as_str(), (!is_text).then_some("int16-le"));
        let found = read(&out, (ending == "raw").then_some("int16-le"), 1).pop().unwrap();
        assert_eq!(found, expected, "{ending}");
        // In again: bytes need their encoding, NPY and bytes take the rate of the spec.
        let more: &[&str] = if ending == "raw" { &["--encoding", "int16-le"] } else { &[] };
        let column: &[&str] = if is_text { &["--column", "strain_filtered"] } else { &[] };
        let again = path("again.npy");
        let arguments = [&["run", SPEC, &out, "-o", &again, "--bit-true"], more, column].concat();
        assert_eq!(run(&arguments).0, 0, "{ending}");
    }
    let (status, _, err) = run(&["run", SPEC, &path("quiet.raw"), "-o", &path("x.csv")]);
    assert!(status == 2 && err.contains("encoding must be said, as int16-le"), "{err}");
    let (status, _, err) = run(&["run", SPEC, MOORING, "-o", &path("x.doc")]);
    assert!(status == 2 && err.contains(".npy"), "{err}");
}

/// Channels beside one another are filtered as each alone, and words become numbers and back by stated
/// factors.
#[test]
fn channels_go_through_side_by_side() {
    let folder = tempfile::tempdir().unwrap();
    let path = |name: &str| folder.path().join(name).to_str().unwrap().to_owned();
    let line = |n: i64| format!("{},{},{}\n", n * n % 1000, 700 - n * 7 % 400, n % 50);
    let both = path("three.csv");
    std::fs::write(&both, (0..3000).map(line).collect::<String>()).unwrap();
    let wav = path("three.wav");
    let (status, out, _) =
        run(&["run", SPEC, &both, "--all-columns", "-o", &wav, "--output-encoding", "int24-le"]);
    assert!(status == 0 && out.contains("`column_1`, `column_2`, `column_3`"), "{out}");
    let found = read(&wav, None, 3);
    for (k, together) in found.iter().enumerate() {
        let (alone, column) = (path("alone.csv"), (k + 1).to_string());
        assert_eq!(run(&["run", SPEC, &both, "--column", &column, "-o", &alone]).0, 0);
        let Values::Reals(alone) = read(&alone, None, 1).remove(1) else { panic!() };
        let rounded = alone.iter().map(|y| y.round_ties_even() as i64).collect();
        assert_eq!(*together, Values::Integers(rounded));
    }
    // Eight bits hold none of this but the smallest: what is cut off is said.
    let (status, object) = json(&[
        "run",
        SPEC,
        &both,
        "--column",
        "1,3",
        "-o",
        &path("small.npy"),
        "--output-encoding",
        "int8",
        "--json",
    ]);
    assert!(status == 0 && object["clipped_samples"].as_u64().unwrap() > 1000, "{object}");
    let (status, _, err) = run(&["run", SPEC, &both, "-o", &path("x.csv")]);
    assert!(status == 2 && err.contains("choose one of: column_1, column_2"), "{err}");
    // Counts of a converter of 16 bits over 2.5 V.
    let volts = path("volts.csv");
    let arguments =
        ["run", SPEC, MOORING, "-o", &volts, "--full-scale", "32768", "--range", "2.5 V"];
    assert_eq!(run(&[&arguments[..], &["--offset", "0.5 V"]].concat()).0, 0);
    let (Values::Reals(scaled), Values::Integers(counts)) =
        (read(&volts, None, 1).remove(0), read(MOORING, None, 1).remove(0))
    else {
        panic!()
    };
    let volts = |count: &i64| *count as f64 * (2.5 / 32768.0) + 0.5;
    assert!(scaled.iter().zip(&counts).all(|(v, count)| *v == volts(count)));
    for bad in [
        &["--range", "2.5"][..],
        &["--range", "2.5 V"],
        &["--full-scale", "0"],
        &["--full-scale", "1", "--range", "1 V", "--offset", "1 A"],
    ] {
        let out = path("x.csv");
        let arguments = [&["run", SPEC, MOORING, "-o", &out], bad].concat();
        assert_eq!(run(&arguments).0, 2, "{bad:?}");
    }
    assert!(!Path::new(&path("x.csv")).exists());
}

/// Forty million samples, 320 MB as numbers, in a process that may have 250 MB: only a block of them is ever
/// in memory.
#[cfg(unix)]
#[test]
fn long_recordings_need_little_memory() {
    let folder = tempfile::tempdir().unwrap();
    let long = folder.path().join("long.raw");
    std::fs::File::create(&long).unwrap().set_len(80_000_000).unwrap();
    let program = assert_cmd::cargo::cargo_bin!("mrake");
    let script = format!(
        "ulimit -v 250000; RAYON_NUM_THREADS=2 '{}' run {SPEC} '{}' --encoding int16-le -o '{}' \
            --output-encoding int8 {}",
        program.display(),
        long.display(),
        folder.path().join("out.raw").display(),
        "--json"
    );
    let (status, out, err) =
        finish(Command::new("sh").arg("-c").arg(script).current_dir(common::root()));
    assert!(status == 0 && out.contains("\"samples\": 40000000"), "{err}");
    assert_eq!(std::fs::metadata(folder.path().join("out.raw")).unwrap().len(), 40_000_000);
    // Cut in its last sample: refused before anything is written.
    std::fs::File::options().write(true).open(&long).unwrap().set_len(79_999_999).unwrap();
    let out = folder.path().join("none.raw");
    let (status, _, err) = run(&[
        "run",
        SPEC,
        long.to_str().unwrap(),
        "--encoding",
        "int16-le",
        "-o",
        out.to_str().unwrap(),
    ]);
    assert!(status == 2 && err.contains("cut off at byte 79999999, in sample 39999999"), "{err}");
    assert!(!out.exists() && std::fs::read_dir(folder.path()).unwrap().count() == 2);
}
