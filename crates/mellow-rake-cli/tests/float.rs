//! Filters in floating point, and tests beside filters, as the tool's users meet them.

use crate::common::{json, root, run};
use std::path::Path;

/// The demo's notch in floating point, written into a folder.
fn spec(folder: &Path, table: &str) -> String {
    let text = std::fs::read_to_string(root().join("demo/mooring/pump_hum.toml")).unwrap();
    let (want, _) = text.split_once("[fixed]").unwrap();
    let path = folder.join("pump_hum.toml");
    std::fs::write(&path, format!("{want}{table}[verify]\nmin_ser = \"100 dB\"\n")).unwrap();
    path.to_str().unwrap().to_owned()
}

#[test]
fn a_filter_in_single_precision_goes_from_the_spec_to_the_proof() {
    let folder = tempfile::tempdir().unwrap();
    let at = folder.path().to_str().unwrap();
    let spec = spec(folder.path(), "[float]\nformat = \"f32\"\n\n");
    let (status, out, err) = run(&["design", &spec]);
    assert_eq!(status, 0, "{err}");
    let words =
        ["In f32, direct-form-2-transposed (chosen)", "off by at most", "nothing overflows"];
    assert!(words.iter().all(|words| out.contains(words)), "{out}");

    let (_, design) = json(&["design", &spec, "--json"]);
    let float = &design["float"];
    assert!(design["quantized"].is_null());
    assert_eq!(
        (float["format"].as_str(), float["rows"][0].as_array().unwrap().len()),
        (Some("f32"), 5)
    );
    // Numbers of the format, exactly.
    for value in float["rows"][0].as_array().unwrap() {
        let value = value.as_f64().unwrap();
        assert_eq!(f64::from(value as f32), value);
    }
    let bound = float["error_bound"].as_f64().unwrap();
    assert!(bound > 1e-6 && bound < 1e-3, "{bound}");

    let recording = "demo/mooring/mooring.csv";
    let (status, out, err) = run(&["verify", &spec, "--on", "all", "--recording", recording]);
    assert_eq!(status, 0, "{out}{err}");
    for words in ["recording", "C, clang         equal", "Rust, rustc      equal", "2^-23"] {
        assert!(out.contains(words), "{out}");
    }
    assert!(!out.contains("Icarus") && !out.contains("pred."), "{out}");
    let (status, _, err) = run(&["verify", &spec, "--on", "icarus"]);
    assert_eq!(status, 2);
    assert!(err.contains("C and Rust; verilog has integers only"), "{err}");

    // What runs is what the simulator gives, and near what was designed.
    let [exact, near] = ["exact.csv", "near.csv"].map(|name| format!("{at}/{name}"));
    let rms = |path: &str, more: &[&str]| {
        let call = [&["run", &spec, recording, "-o", path][..], more].concat();
        let (status, _, err) = run(&call);
        assert_eq!(status, 0, "{err}");
        std::fs::read_to_string(path).unwrap()
    };
    let (exact, near) = (rms(&exact, &["--bit-true"]), rms(&near, &[]));
    assert_ne!(exact, near);
    let last = |text: &str| -> f64 {
        text.lines().last().unwrap().rsplit(',').next().unwrap().parse().unwrap()
    };
    // Of counts up to 32,768.
    assert!((last(&exact) - last(&near)).abs() < 0.5);
    assert_eq!(f64::from(last(&exact) as f32), last(&exact));
}

#[test]
fn a_test_is_written_beside_a_filter() {
    let folder = tempfile::tempdir().unwrap();
    let spec = spec(folder.path(), "[fixed]\ninput = \"s16f15\"\n\n");
    let output = folder.path().join("firmware");
    let at = output.to_str().unwrap();
    let made = |more: &[&str]| run(&[&["generate", &spec, "-o", at][..], more].concat());
    let (status, out, err) = made(&["--to", "c,rust", "--with", "test", "--samples", "200"]);
    assert_eq!(status, 0, "{err}");
    for name in ["pump_hum_test.c", "pump_hum_vectors.rs", "Makefile", "Cargo.toml"] {
        assert!(out.contains(name) && output.join(name).exists(), "{out}");
    }
    assert!(err.contains("make -C") && err.contains("cargo run --release"), "{err}");
    let vectors = std::fs::read_to_string(output.join("pump_hum_vectors.c")).unwrap();
    assert!(vectors.contains("input_0[200]") && !vectors.contains("recording"));
    let recording = "demo/mooring/mooring.csv";
    let (status, _, err) = made(&["--to", "c", "--with", "test", "--recording", recording]);
    assert_eq!(status, 0, "{err}");
    let vectors = std::fs::read_to_string(output.join("pump_hum_vectors.c")).unwrap();
    assert!(vectors.contains("/* recording */") && vectors.contains("input_0[1000]"));
    // The first words are those of the file, and the test passes with them.
    let text = std::fs::read_to_string(root().join(recording)).unwrap();
    let first = text.lines().nth(1).unwrap().rsplit(',').next().unwrap();
    let numbers = vectors.split("] = {\n").nth(1).unwrap();
    assert_eq!(numbers.split(',').next().unwrap().trim(), first);
    let made_by = |reference: &str| {
        let call = ["--to", "c", "--with", "test", "--recording", recording];
        let (status, _, err) = made(&[&call[..], &["--reference", reference]].concat());
        assert_eq!(status, 0, "{err}");
        let mut make = std::process::Command::new("make");
        let output = make.args(["--silent", "-B"]).current_dir(&output).output().unwrap();
        assert!(output.status.success());
        let text = String::from_utf8(output.stdout).unwrap();
        text.lines().next().unwrap().to_owned()
    };
    // The reference may as well be what the tool itself filters: the same ratio.
    let filtered = folder.path().join("filtered.csv");
    let filtered = filtered.to_str().unwrap();
    let (status, _, err) = run(&["run", &spec, recording, "-o", filtered]);
    assert_eq!(status, 0, "{err}");
    let filtered = std::fs::read_to_string(filtered).unwrap();
    let column: Vec<&str> = filtered.lines().map(|line| line.rsplit(',').next().unwrap()).collect();
    let own = folder.path().join("own.csv");
    std::fs::write(&own, column.join("\n") + "\n").unwrap();
    let line = made_by(own.to_str().unwrap());
    let ratio = line.split("ratio ").nth(1).unwrap().split(' ').next().unwrap();
    assert!(line.contains("1000 samples equal") && ratio.parse::<f64>().unwrap() > 55.0, "{line}");

    // The words of the notch fit by their ranges alone: annotations are those of a program that needs them.
    let (status, _, err) = made(&["--to", "c", "--with", "test,annotations"]);
    assert_eq!(status, 0, "{err}");

    for (more, what) in [
        (&["--to", "vhdl", "--with", "test"][..], "languages that a processor runs"),
        (&["--to", "rust", "--with", "annotations"], "is for C: --to c"),
        (&["--to", "rust", "--with", "tests"], "possible values: test, annotations"),
        (&["--to", "c", "--samples", "7"], "--with"),
        (&["--to", "c", "--with", "test", "--samples", "0"], "1..=100000"),
        (&["--to", "c", "--with", "test", "--reference", recording], "--recording"),
    ] {
        let (status, _, err) = made(more);
        assert_eq!(status, 2, "{more:?}");
        assert!(err.contains(what), "{err}");
    }
}
