//! Test signals, and what lies on the bench: made, looked at, sent through devices and measured.

use crate::breath::nearest_breath;
use crate::common;
use crate::common::{json, run};
use serde_json::Value;
use std::path::Path;

const MODEM: &str = "demo/modem/carrier_band.toml";
const TELEMETRY: &str = "demo/modem/telemetry.toml";

fn number(value: &Value) -> f64 {
    value.as_f64().unwrap_or_else(|| panic!("{value}"))
}

fn write(folder: &Path, name: &str, text: &str) -> String {
    let path = folder.join(name);
    std::fs::write(&path, text).unwrap();
    path.to_str().unwrap().to_owned()
}

/// The device of the examples. Cargo builds it beside the tests, unless one of them is asked for by name.
fn device() -> String {
    let program = assert_cmd::cargo::cargo_bin!("mrake");
    let folder = program.parent().unwrap().join("examples");
    let found = folder.join(format!("bench_device{}", std::env::consts::EXE_SUFFIX));
    if !found.exists() {
        let mut cargo = std::process::Command::new(env!("CARGO"));
        cargo.args(["build", "--locked", "-p", "mellow-rake-cli", "--example", "bench_device"]);
        assert!(cargo.status().unwrap().success());
    }
    found.to_str().unwrap().to_owned()
}

/// What the device is on paper: 0.9·0.4/(1 − 0.6 z⁻¹).
fn board(folder: &Path) -> String {
    write(
        folder,
        "board.toml",
        "name = \"board\"\nsample_rate = \"1 kHz\"\n[want]\nkind = \"coefficients\"\nsections = [[0.36, 0, \
            0, 1, -0.6, 0]]\n\
         [fixed]\ninput = \"s16f15\"\noutput = \"s16f15\"\ncoefficients = \"s24\"\n\
         structure = \"direct-form-1\"\n\
         rounding = \"half-even\"\noverflow = \"saturate\"\n",
    )
}

/// The same signal from a plan and from options, in every format, and seen again by `inspect` as what it was
/// meant to be.
#[test]
fn a_made_signal_is_what_inspect_finds() {
    let folder = tempfile::tempdir().unwrap();
    let path = |name: &str| folder.path().join(name).to_str().unwrap().to_owned();
    let plan = write(
        folder.path(),
        "plan.toml",
        "name = \"bench\"\nsample_rate = \"2 kHz\"\nlength = \"10 s\"\nseed = 4\n[[part]]\nkind = \"hum\"\n\
            frequency = \"87.5 Hz\"\n\
         amplitude = 0.5\nharmonics = [0.4]\n[[part]]\nkind = \"white-noise\"\nrms = \
         0.01\n[converter]\nbits = 12\nrange = 1\nnoise = 0.0002\n",
    );
    let wav = path("bench.wav");
    let (status, object) = json(&["signal", &plan, "-o", &wav, "--json"]);
    assert_eq!((status, object["encoding"].as_str()), (0, Some("int16-le")), "{object}");
    assert_eq!(object["converter"]["clipped_samples"], 0);
    let csv = path("bench.csv");
    let same = [
        "signal",
        "--rate",
        "2 kHz",
        "--length",
        "10 s",
        "--seed",
        "4",
        "--name",
        "bench",
        "--part",
        "kind = \"hum\", frequency = \"87.5 Hz\", amplitude = 0.5, harmonics = [0.4]",
        "--part",
        "kind = \"white-noise\", rms = 0.01",
        "--converter",
        "bits = 12, range = 1, noise = 0.0002",
        "-o",
        &csv,
    ];
    assert_eq!(run(&same).0, 0);
    let inspect = |file: &str| {
        let figure = path("look.svg");
        let arguments = [
            "inspect",
            file,
            "--full-scale",
            "2048",
            "--range",
            "1 V",
            "--json",
            "--figure",
            &figure,
        ];
        let (status, object) = json(&arguments);
        let drawn = std::fs::read_to_string(&figure).unwrap();
        assert!(status == 0 && drawn.contains("spectrogram") && drawn.contains(", V"));
        object
    };
    let (one, two) = (inspect(&wav), inspect(&csv));
    assert_eq!(one["spectrum"], two["spectrum"]);
    let lines = one["lines"].as_array().unwrap();
    assert!(
        (number(&lines[0]["hertz"]) - 87.5).abs() < 1e-3
            && (number(&lines[0]["amplitude"]) - 0.5).abs() < 2e-3
    );
    assert!((number(&lines[1]["amplitude"]) - 0.2).abs() < 2e-3 && lines[1]["multiple_of"][1] == 2);
    assert_eq!(one["unit"], "V");
    // Noise of 0.01 rms over 1 kHz: 1e-7 V²/Hz, and a little from the steps.
    let density = number(
        &one["spectrum"]["density"][one["spectrum"]["density"].as_array().unwrap().len() - 60],
    );
    assert!((density / 1e-7).log2().abs() < 2.0, "{density}");
    // Another seed, other noise; a converter that is too small is said to cut off.
    let (_, object) = json(&["signal", &plan, "-o", &csv, "--seed", "5", "--json"]);
    assert_eq!(object["seed"], 5);
    assert_ne!(inspect(&csv)["spectrum"], two["spectrum"]);
    let loud = [
        "signal",
        "--rate",
        "1 kHz",
        "--length",
        "1 s",
        "--part",
        "kind = \"constant\", level = 3",
        "-o",
        &csv,
    ];
    let (status, out, _) = run(&[&loud[..], &["--converter", "bits = 8, range = 1"]].concat());
    assert!(
        status == 0 && out.contains("1000 SAMPLES CUT OFF") && out.contains("from 127 to 127"),
        "{out}"
    );
    for (bad, words) in [
        (&["signal", "-o", "x.csv"][..], "--rate, --length and --part"),
        (
            &[
                "signal",
                "--rate",
                "1 kHz",
                "--length",
                "1 s",
                "--part",
                "kind = \"tone\" }, {",
                "-o",
                "x.csv",
            ],
            "line 6",
        ),
        (
            &[
                "signal",
                "--rate",
                "1 kHz",
                "--length",
                "1 s",
                "--part",
                "kind = \"step\", amplitude = 1",
                "-o",
                "x.wav",
                "--output-encoding",
                "int8",
            ],
            "[converter]",
        ),
        (&["signal", &plan, "--rate", "1 kHz", "-o", "x.csv"], "cannot be used with"),
    ] {
        let (status, _, err) = run(bad);
        assert!(status == 2 && err.contains(words), "{bad:?}: {err}");
    }
    assert!(!common::root().join("x.csv").exists() && !common::root().join("x.wav").exists());
}

/// A stretch of a recording, both sides of its spectrum, and a mask that it keeps or not.
#[test]
fn stretches_sides_and_masks() {
    let folder = tempfile::tempdir().unwrap();
    let wav = "demo/modem/modem.wav";
    let inside =
        write(folder.path(), "inside.csv", "frequency_hz,level_db\n34000,-20\n48000,-20\n");
    let arguments =
        ["inspect", wav, "--between", "40 ms..120 ms", "--two-sided", "--json", "--mask", &inside];
    let (status, object) = json(&arguments);
    assert_eq!((status, object["samples"].as_u64()), (0, Some(7680)));
    let hertz = object["spectrum"]["hertz"].as_array().unwrap();
    assert_eq!((number(&hertz[0]), number(&hertz[hertz.len() - 1])), (-48_000.0, 48_000.0));
    assert!(number(&object["mask"]["margin_db"]) > 5.0 && object["mask"]["above"] == 0);
    let tight = write(folder.path(), "tight.csv", "frequency_hz,level_db\n0,-30\n48000,-30\n");
    let (status, out, _) = run(&["inspect", wav, "--mask", &tight]);
    assert!(status == 1 && out.contains("ABOVE THE MASK"), "{out}");
    for (bad, words) in [
        (&["--between", "1 s..2 s"][..], "no stretch of the 48000 samples"),
        (&["--mask", "demo/mooring/mooring.csv"], "needs a column frequency_hz"),
        (&["--range", "1"], "2.5 V"),
    ] {
        let (status, _, err) = run(&[&["inspect", wav], bad].concat());
        assert!(status == 2 && err.contains(words), "{bad:?}: {err}");
    }
}

/// The device is the filter on paper, seen by noise, chirps and steps, as text and as bytes, on one side and
/// two; and every way in which it can fail is told within the limit.
#[test]
fn a_device_on_a_pipe_is_measured_in_every_way() {
    let folder = tempfile::tempdir().unwrap();
    let (spec, device) = (board(folder.path()), device());
    let figure = folder.path().join("m.svg");
    let ways: [(&[&str], u64); 4] = [
        (&["--device", "text", "--excitation", "noise"], 5),
        (
            &[
                "--device",
                "raw",
                "--pipe",
                "int16-le",
                "--excitation",
                "chirp",
                "--samples",
                "65536",
            ],
            5,
        ),
        (&["--device", "raw", "--pipe", "int16-le", "--excitation", "steps", "--steps", "20"], 0),
        (&["--device", "text", "--fading", "0.3", "--piece", "2048", "--two-sided"], 5),
    ];
    for (way, delay) in ways {
        let call = [&["measure", &spec, "--device", &device][..], way].concat();
        let more = ["--within", "0.2 dB", "--json", "--figure", figure.to_str().unwrap()];
        let (status, object) = json(&[&call[..], &more].concat());
        assert_eq!(
            (status, object["delay_samples"].as_u64()),
            (0, Some(delay)),
            "{way:?} {object:.400}"
        );
        let deviation = &object["deviation"];
        assert!(number(&deviation["within_three_errors"]) > 0.98, "{way:?} {deviation}");
        assert!(number(&deviation["good_points"]) > 0.98 * number(&object["points"]), "{way:?}");
        let sides = if way.contains(&"--two-sided") {
            2 * 1025 - 1
        } else {
            object["points"].as_u64().unwrap()
        };
        assert_eq!(object["hertz"].as_array().unwrap().len() as u64, sides);
        // The phase of the filter and of five samples more.
        let at = |hz: f64| {
            let all = object["hertz"].as_array().unwrap().iter().map(number);
            all.map(|found| (found - hz).abs())
                .enumerate()
                .min_by(|a, b| a.1.total_cmp(&b.1))
                .unwrap()
                .0
        };
        let k = at(112.5);
        let omega = std::f64::consts::TAU * number(&object["hertz"][k]) / 1000.0;
        let expected = -(0.6 * omega.sin()).atan2(1.0 - 0.6 * omega.cos()) - 5.0 * omega;
        let apart = number(&object["phase_degrees"][k]) - expected.to_degrees();
        assert!((apart - 360.0 * (apart / 360.0).round()).abs() < 0.2, "{way:?}: {apart}");
    }
    for (manner, words) in [
        ("hang", "did not end within 1s"),
        ("die", "the fuse is blown"),
        ("rubbish", "printed \"ERR 7\" where an integer a line was expected"),
        ("short", "65536 samples for 131072"),
    ] {
        let started = std::time::Instant::now();
        let (status, out, err) =
            run(&["measure", &spec, "--device", &device, "--device", manner, "--limit", "1"]);
        assert!(status == 2 && out.is_empty(), "{manner}");
        assert!(err.contains(words), "{manner}: {err}");
        assert!(started.elapsed().as_secs() < 20, "{manner}");
    }
    for bad in
        [&["--pipe", "float32-le"][..], &["--pipe", "int8"], &["--fading", "2"], &["--steps", "0"]]
    {
        let (status, _, _) = run(&[&["measure", &spec, "--device", &device], bad].concat());
        assert_eq!(status, 2, "{bad:?}");
    }
}

/// Symbols through the filter in floating point, on integers, and through a recording of it: the same errors
/// but for rounding; the delay is half of its taps; and a filter that cuts into the band is told by its
/// errors.
#[test]
fn symbols_are_measured_behind_filters() {
    let folder = tempfile::tempdir().unwrap();
    let path = |name: &str| folder.path().join(name).to_str().unwrap().to_owned();
    let mask = write(
        folder.path(),
        "mask.csv",
        "frequency_hz,level_db\n0,-40\n24000,-40\n24000,0\n30000,0\n30000,-40\n48000,-40\n",
    );
    let figure = path("symbols.svg");
    let (status, object) = json(&[
        "measure",
        MODEM,
        "--modulated",
        TELEMETRY,
        "--mask",
        &mask,
        "--error-limit",
        "-30 dB",
        "--figure",
        &figure,
        "--json",
    ]);
    assert_eq!((status, object["symbols"].as_u64()), (0, Some(1332)), "{object:.400}");
    assert!((number(&object["delay_samples"]) - 48.0).abs() < 0.05);
    assert!(number(&object["before"]["rms"]) < number(&object["after"]["rms"]));
    assert!(std::fs::read_to_string(&figure).unwrap().contains("circle: 1 %"));
    // The same by way of files.
    let (wav, both) = (path("telemetry.wav"), path("both.csv"));
    assert_eq!(run(&["signal", TELEMETRY, "-o", &wav]).0, 0);
    assert_eq!(run(&["run", MODEM, &wav, "-o", &both]).0, 0);
    let (status, recorded) = json(&[
        "measure",
        MODEM,
        "--modulated",
        TELEMETRY,
        "--recording",
        &both,
        "--input",
        "2",
        "--output",
        "channel_filtered",
        "--json",
    ]);
    let share = number(&recorded["after"]["rms"]) / number(&object["after"]["rms"]);
    assert!(status == 0 && (share - 1.0).abs() < 0.01, "{share}");
    let (status, out, _) =
        run(&["measure", MODEM, "--modulated", TELEMETRY, "--error-limit", "0.5e-2 x"]);
    assert!(status == 1 && out.contains("NOT within -46"), "{out}");
    // Half the band is gone.
    let narrow = write(
        folder.path(),
        "narrow.toml",
        "name = \"narrow\"\nsample_rate = \"96 kHz\"\n[want]\nkind = \"bandpass\"\n\
            cutoffs = [\"26 kHz\", \"28 kHz\"]\n\
         [method]\ndesign = \"butterworth\"\norder = 8\n",
    );
    let (status, object) = json(&["measure", &narrow, "--modulated", TELEMETRY, "--json"]);
    assert!(status == 0 && number(&object["after"]["rms"]) > 0.2, "{:.300}", object);
    // Blocks of many carriers: each carrier by itself has no error but the noise.
    let text = std::fs::read_to_string(common::root().join(TELEMETRY)).unwrap();
    let keyed = text.split("[[part]]").nth(1).unwrap();
    let many = text.replace(
        keyed,
        "\nkind = \"multicarrier\"\nkeying = \"16qam\"\ncenter = \"27 kHz\"\nspacing = \"250 Hz\"\ncarriers \
            = 12\nguard = \"2 ms\"\n\
         rms = 0.1\nstop = \"480 ms\"\n\n",
    );
    let many = write(folder.path(), "many.toml", &many);
    let (status, object) = json(&["measure", MODEM, "--modulated", &many, "--json"]);
    let carriers = object["carriers"].as_array().unwrap();
    assert_eq!((status, carriers.len()), (0, 12));
    assert!(carriers.iter().all(|carrier| number(&carrier["rms"]) < 0.01), "{carriers:?}");
    assert!(number(&object["after"]["equalized_rms"]) < 0.5 * number(&object["after"]["rms"]));
    for (bad, words) in [
        (
            ["measure", "demo/mooring/pump_hum.toml", "--modulated", TELEMETRY],
            "96000 samples per second",
        ),
        (["measure", MODEM, "--modulated", MODEM], "unknown key"),
    ] {
        let (status, _, err) = run(&bad);
        assert!(status == 2 && err.contains(words), "{err}");
    }
}

/// One page about the words: what is predicted is measured, what is found is bounded, and the other
/// structures and widths stand beside.
#[test]
fn words_are_judged_on_one_page() {
    let folder = tempfile::tempdir().unwrap();
    let figure = folder.path().join("q.svg");
    let breath = &nearest_breath(folder.path())[..];
    let (_, object) = json(&[
        "quantize",
        breath,
        "--json",
        "--sweep",
        "coefficients=12..24",
        "--figure",
        figure.to_str().unwrap(),
    ]);
    let noise = &object["noise"];
    let apart =
        20.0 * (number(&noise["measured_rms_lsb"]) / number(&noise["predicted_rms_lsb"])).log10();
    assert!(apart.abs() < 1.0, "{apart}");
    // A constant input leaves it no further off than anything can.
    let constant = number(&noise["constant_input_error_lsb"]);
    let own = object["structures"]
        .as_array()
        .unwrap()
        .iter()
        .find(|row| row["structure"] == "direct-form-1");
    assert!(constant > 1.0 && constant <= number(&own.unwrap()["error_bound_lsb"]), "{constant}");
    for section in object["oscillations"].as_array().unwrap() {
        assert_eq!(section["exhaustive"], true);
        assert!(number(&section["amplitude_lsb"]) <= number(&section["bound_lsb"]), "{section}");
    }
    let structures = object["structures"].as_array().unwrap();
    let of = |name: &str| {
        let row = structures.iter().find(|row| row["structure"] == name).unwrap();
        number(&row["noise_rms_lsb"])
    };
    assert_eq!(structures.len(), 10);
    assert!(
        of("error-feedback-2") < 0.1 * of("direct-form-1") && of("direct-form-2") < of("coupled")
    );
    // Rounded to the nearest it misses its template; what would keep it is named, and one way does not.
    assert!(number(&object["template_margin_db"][1]) < 0.0);
    let remedies = object["remedies"].as_array().unwrap();
    let keeps = |remedy: &&Value| remedy["margin_db"].as_f64().is_some_and(|margin| margin >= 0.0);
    let changes: Vec<&str> =
        remedies.iter().filter(keeps).map(|remedy| remedy["change"].as_str().unwrap()).collect();
    assert!(changes.contains(&"coefficient_search = \"neighbours\""), "{changes:?}");
    assert!(changes.len() < remedies.len(), "{remedies:?}");
    let sweep = object["sweep"]["rows"].as_array().unwrap();
    let excess = |row: usize| number(&sweep[row]["template_excess_db"]);
    assert!(sweep.len() == 13 && excess(0) > 100.0 * excess(12));
    let drawn = std::fs::read_to_string(&figure).unwrap();
    assert!(drawn.contains("predicted noise") && drawn.contains("LSB²/Hz"));
    let (_, out, _) = run(&["quantize", breath]);
    assert!(
        out.contains("amplify every") && out.contains("direct-form-2 in the same words"),
        "{out}"
    );
    // Taps have no feedback and nothing to oscillate; a search among neighbours keeps their template.
    let (status, out, _) = run(&["quantize", MODEM, "--sweep", "data=10..14"]);
    assert!(
        status == 0 && out.contains("fir-transposed") && !out.contains("Oscillations"),
        "{out}"
    );
    let (status, out, _) = run(&["quantize", "demo/mooring/pump_hum.toml"]);
    assert!(status == 0 && out.contains("no template was asked for"), "{out}");
    // A high-pass at a twenty-thousandth of the rate: 16 bits put no pole there in direct form, others do.
    let folder = tempfile::tempdir().unwrap();
    let slow = folder.path().join("slow.toml");
    let text = "name = \"slow\"\nsample_rate = \"1 kHz\"\n[want]\nkind = \"highpass\"\ncutoff = \"0.05 \
        Hz\"\n[method]\n\
        design = \"butterworth\"\norder = 2\n[fixed]\ninput = \"s16f15\"\noutput = \"s16f15\"\ncoefficients \
        = \"s16\"\n\
        structure = \"direct-form-1\"\nrounding = \"half-up\"\noverflow = \"wrap\"\n[converter]\nbits = \
        12\nnoise = 1e-4\n";
    std::fs::write(&slow, text).unwrap();
    let slow = slow.to_str().unwrap();
    let (status, out, _) = run(&["quantize", slow]);
    assert!(status == 1 && out.contains("not possible") && out.contains("coupled does"), "{out}");
    let (_, object) = json(&["quantize", slow, "--json"]);
    assert!(
        object["fewest_coefficient_bits"].as_u64().unwrap() > 20 && object["reason"].is_string()
    );
    // A low-pass that 16 bits cannot do at this rate, but at a lower one.
    let text = "name = \"low\"\nsample_rate = \"1 kHz\"\n[want]\nkind = \"lowpass\"\ncutoff = \"0.5 \
        Hz\"\n[method]\n\
        design = \"butterworth\"\norder = 4\n[fixed]\ninput = \"s16f15\"\n";
    let low = folder.path().join("low.toml");
    std::fs::write(&low, text).unwrap();
    let (status, object) = json(&["quantize", low.to_str().unwrap(), "--json"]);
    let rates = object["at_lower_rates"].as_array().unwrap();
    let noise: Vec<f64> = rates.iter().map(|rate| number(&rate["noise_rms_lsb"])).collect();
    assert!(status == 1 && noise.len() > 3 && noise.is_sorted_by(|a, b| a > b), "{noise:?}");
    // The mooring line behind a converter of 12 bits: fewer data bits than its own would be heard.
    let text = std::fs::read_to_string(common::root().join("demo/mooring/pump_hum.toml")).unwrap();
    let line = folder.path().join("line.toml");
    std::fs::write(&line, text + "\n[converter]\nbits = 12\nrange = 2.5\nnoise = 4e-4\n").unwrap();
    let line = line.to_str().unwrap();
    let (_, swept) = json(&["quantize", line, "--sweep", "data=12..20", "--json"]);
    let own = number(&swept["noise"]["predicted_rms_lsb"]);
    let parts = ["rounding_rms_lsb", "noise_rms_lsb"];
    let power: f64 =
        parts.iter().map(|part| number(&swept["noise"]["converter"][part]).powi(2)).sum();
    let added = number(&swept["noise"]["converter"]["added_by_filter_db"]);
    assert!((added - 10.0 * (1.0 + own * own / power).log10()).abs() < 1e-9, "{added}");
    assert!(number(&swept["most_moved_pole"]["share"]) < 1.0);
    let fewest = swept["sweep"]["for_converter"]["fewest"].as_u64().unwrap();
    let added =
        |bits: u64| number(&swept["sweep"]["rows"][bits as usize - 12]["added_to_converter_db"]);
    assert!(fewest > 12 && added(fewest) <= 1.0 && added(fewest - 1) > 1.0, "{fewest}");
    // The same words in every structure; those of the spec's own are the sweep itself.
    let (_, all) =
        json(&["quantize", line, "--sweep", "data=12..15", "--every-structure", "--json"]);
    let all = &all["sweep"];
    let structures = all["structures"].as_array().unwrap();
    let own = structures.iter().find(|one| one["structure"] == "direct-form-1").unwrap();
    assert!(structures.len() == 10 && own["rows"] == all["rows"]);
    // Sums of two all-passes keep the notch with less noise than its own structure, in as many bits.
    let sum = structures.iter().find(|one| one["structure"] == "all-pass-sum").unwrap();
    for row in 0..4 {
        let noise = |one: &Value| number(&one["rows"][row]["noise_rms_lsb"]);
        assert!(noise(sum) < noise(own));
    }
    for bad in ["coefficients=3..8", "data=20..10", "state=8..9", "coefficients=8"] {
        assert_eq!(run(&["quantize", MODEM, "--sweep", bad]).0, 2, "{bad}");
    }
    // Random numbers of threads, the same page.
    let page = |threads: &str| {
        let mut command = common::mrake();
        command.env("RAYON_NUM_THREADS", threads).args([
            "quantize",
            breath,
            "--sweep",
            "data=12..20",
        ]);
        common::finish(&mut command).1
    };
    assert_eq!(page("1"), page("2"));
}
