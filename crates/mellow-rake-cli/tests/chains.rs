//! Chains of stages, from their spec to what comes out of a recording.

use crate::common::{json, root, run};
use serde_json::Value;
use std::f64::consts::TAU;
use std::path::Path;

const SWELL: &str = "demo/mooring/swell.toml";
const SHIPS: &str = "demo/modem/ships.toml";

fn number(value: &Value) -> f64 {
    value.as_f64().unwrap_or_else(|| panic!("{value}"))
}

/// A recording in text.
fn write(path: &Path, samples: impl Iterator<Item = f64>) {
    let lines: Vec<String> = samples.map(|sample| format!("{sample:?}\n")).collect();
    std::fs::write(path, format!("strain\n{}", lines.concat())).unwrap();
}

/// The times and the samples of a recording in text.
fn read(path: &Path) -> Vec<(f64, f64)> {
    let text = std::fs::read_to_string(path).unwrap();
    let pair = |line: &str| {
        let (time, sample) = line.split_once(',').unwrap();
        (time.parse().unwrap(), sample.parse().unwrap())
    };
    text.lines().skip(1).map(pair).collect()
}

/// The amplitude of the one frequency in samples.
fn amplitude(samples: &[(f64, f64)], hertz: f64) -> f64 {
    let sum = |turn: f64| -> f64 {
        samples.iter().map(|(time, y)| y * (TAU * (hertz * time + turn)).cos()).sum()
    };
    2.0 * sum(0.0).hypot(sum(0.25)) / samples.len() as f64
}

/// The strongest of every band that folds goes through the chain as a tone, and comes out where and as strong
/// as the table says; more of a recording than is worked on at a time.
#[test]
fn tones_fold_as_the_table_says() {
    let folder = tempfile::tempdir().unwrap();
    let at = |name: &str| folder.path().join(name);
    let (status, design) = json(&["design", SWELL, "--json"]);
    assert_eq!((status, &design["meets_spec"]), (0, &true.into()));
    let bands = design["folded"].as_array().unwrap();
    assert_eq!(bands.len(), 12);
    // At 0 Hz and at half of the rate two tones fall together.
    let is_inside = |band: &&Value| (0.5..9.5).contains(&number(&band["worst_output_hz"]));
    let inside: Vec<&Value> = bands.iter().filter(is_inside).take(3).collect();
    assert_eq!(inside.len(), 3);
    for band in inside {
        let hertz = number(&band["worst_input_hz"]);
        write(&at("tone.csv"), (0..80_000).map(|n| 1e6 * (TAU * hertz * f64::from(n) / 1e3).cos()));
        let [tone, out] = ["tone.csv", "out.csv"].map(|name| at(name).to_str().unwrap().to_owned());
        let (status, made) = json(&["run", SWELL, &tone, "-o", &out, "--json"]);
        assert_eq!((status, number(&made["output_samples"])), (0, 1600.0));
        let found = read(&at("out.csv"));
        let first = number(&made["start_up_samples"]) as usize;
        // A hundred seconds' worth of whole periods are not to be had: leakage is a few thousandths.
        let level = amplitude(&found[first..], number(&band["worst_output_hz"])) / 1e6;
        let off = 20.0 * level.log10() - number(&band["worst_db"]);
        assert!(off.abs() < 0.1, "{hertz} Hz: off by {off} dB");
    }
}

/// What comes out stands in step with what went in, once the delay is taken off; the last samples too.
#[test]
fn slow_signals_stand_in_step() {
    let folder = tempfile::tempdir().unwrap();
    let at = |name: &str| folder.path().join(name);
    let slow = |seconds: f64| 1000.0 * (TAU * 0.2 * seconds).sin();
    write(&at("slow.csv"), (0..20_000).map(|n| slow(f64::from(n) / 1e3)));
    let [path, out] = ["slow.csv", "out.csv"].map(|name| at(name).to_str().unwrap().to_owned());
    let call = ["run", SWELL, &path, "-o", &out, "--remove-delay", "--json"];
    let (status, made) = json(&call);
    assert_eq!(status, 0);
    let left = number(&made["delay_left_samples"]) / 20.0;
    let found = read(&at("out.csv"));
    assert_eq!(found.len(), 400);
    let first = number(&made["start_up_samples"]) as usize;
    // The ripple is 0.6 %; the last ones are made of the last sample held.
    for (time, sample) in &found[first..400 - 16] {
        assert!((sample - slow(time - left)).abs() < 6.0, "{time}: {sample}");
    }
    // The same as one channel of two in a WAV file, which keeps the rate of what comes out.
    let wav = at("two.wav").to_str().unwrap().to_owned();
    assert_eq!(run(&["run", SWELL, &path, "-o", &wav]).0, 0);
    let (_, seen) = json(&["inspect", &wav, "--json"]);
    assert_eq!((number(&seen["sample_rate_hz"]), number(&seen["samples"])), (20.0, 400.0));
}

/// On integers a recording comes out as the network gives it, word for word, within the bound of what
/// floating point gives; a sample that is no word is named.
#[test]
fn recordings_run_on_integers() {
    let folder = tempfile::tempdir().unwrap();
    let at = |name: &str| folder.path().join(name).to_str().unwrap().to_owned();
    let recording = "demo/mooring/mooring.csv";
    let (words, floats) = (at("words.csv"), at("floats.csv"));
    let (status, made) =
        json(&["run", SWELL, recording, "-o", &words, "--bit-true", "--remove-delay", "--json"]);
    assert_eq!(
        (status, &made["mode"], &made["limited_firings"]),
        (0, &"bit-true".into(), &0.into())
    );
    assert_eq!(run(&["run", SWELL, recording, "-o", &floats, "--remove-delay"]).0, 0);
    let (_, design) = json(&["design", SWELL, "--json"]);
    let fixed = &design["fixed"];
    let [found, wanted] = [&words, &floats].map(|path| read(Path::new(path)));
    assert_eq!(found.len(), wanted.len());
    assert!(found.len() > 100);
    // Words of 17 fraction bits beside counts of 15; rounded taps are a little off by themselves.
    let most = number(&fixed["error_bound_lsb"]) + 1.0;
    let first = number(&made["start_up_samples"]) as usize;
    let mut largest = 0.0f64;
    for ((time, word), (same, value)) in found.iter().zip(&wanted).skip(first) {
        assert_eq!((time, word.fract()), (same, 0.0));
        let off = word - 4.0 * value;
        assert!(off.abs() <= most + 1e-3 * word.abs(), "{off} {most}");
        largest = largest.max(off.abs());
    }
    assert!(largest > 0.1, "{largest}");
    let mut study = mellow_rake::study::ChainStudy::of_text(
        &std::fs::read_to_string(root().join(SWELL)).unwrap(),
        |_| Err(String::new()),
    );
    let network = &study.as_mut().unwrap().integers().unwrap().0.network;
    let samples = read(&root().join(recording));
    let input: Vec<i64> = samples.iter().map(|(_, sample)| *sample as i64).collect();
    let removed = number(&made["delay_removed_samples"]) as usize;
    let own = network.start().run(&input);
    for (word, (_, written)) in own.iter().skip(removed).zip(&found) {
        assert_eq!(*word as f64, *written);
    }
    std::fs::write(at("loud.csv"), "strain\n0\n7\n40000\n").unwrap();
    let (status, _, said) = run(&["run", SWELL, &at("loud.csv"), "-o", &words, "--bit-true"]);
    assert_eq!(status, 2);
    assert!(said.contains("sample 2") && said.contains("s16f15"), "{said}");
}

/// What is generated is compiled and equal in every word, on signals that drive it as far as it goes; a word
/// that was changed by hand is found.
#[test]
fn chains_are_proved_in_c() {
    let folder = tempfile::tempdir().unwrap();
    let firmware = folder.path().join("firmware").to_str().unwrap().to_owned();
    let (status, made) = json(&["generate", SWELL, "--to", "c", "-o", &firmware, "--json"]);
    assert_eq!((status, made["files"].as_array().unwrap().len()), (0, 3));
    let verify = ["verify", SWELL, "--on", "host", "--files", &firmware, "--json"];
    let (status, proof) = json(&verify);
    assert_eq!((status, &proof["verdict"]), (0, &"proved on every target".into()));
    let stimuli = proof["stimuli"].as_array().unwrap();
    for stimulus in stimuli {
        assert_eq!(stimulus["within_bound"], true);
        // A bound where no limit acted, and none where one did.
        let acted = stimulus["limited_samples"] != 0;
        assert_eq!(stimulus["bound_lsb"].is_null(), acted, "{stimulus}");
    }
    let of = |name: &str| stimuli.iter().find(|one| one["name"] == name).unwrap();
    assert!(of("worst-case signs")["limited_samples"].as_u64() > Some(0));
    let noise = of("white noise, half scale");
    assert!((number(&noise["ser_db"]) - number(&noise["predicted_ser_db"])).abs() < 1.5, "{noise}");
    let path = Path::new(&firmware).join("swell.c");
    let text = std::fs::read_to_string(&path).unwrap();
    let table = text.find("81528,").unwrap();
    let (head, rest) = text.split_at(text[table + 6..].find("81528,").unwrap() + table + 6);
    std::fs::write(&path, format!("{head}{}", rest.replacen("81528", "81529", 1))).unwrap();
    let (status, proof) = json(&verify);
    assert_eq!((status, &proof["verdict"]), (1, &"not proved".into()));
}

/// On the small gate array of the demo: simulated in every word, each part within its clocks.
#[test]
fn chains_are_proved_in_hardware() {
    let folder = tempfile::tempdir().unwrap();
    let design = folder.path().join("design").to_str().unwrap().to_owned();
    let (status, made) =
        json(&["generate", SHIPS, "--to", "verilog,vhdl", "-o", &design, "--json"]);
    let names: Vec<&str> = made["files"]
        .as_array()
        .unwrap()
        .iter()
        .map(|file| file["name"].as_str().unwrap())
        .collect();
    let expected =
        ["_part_1.v", "_part_3.v", "_part_4.v", ".v", "_tb.v", "_part_1.vhd", "_part_3.vhd"];
    let expected: Vec<String> = expected
        .iter()
        .chain(&["_part_4.vhd", ".vhd", "_tb.vhd", ".sdc"])
        .map(|ending| format!("ships{ending}"))
        .collect();
    assert_eq!((status, names), (0, expected.iter().map(String::as_str).collect()));
    let verify = ["verify", SHIPS, "--on", "icarus,ghdl", "--files", &design, "--json"];
    let (status, proof) = json(&verify);
    assert_eq!((status, &proof["verdict"]), (0, &"proved on every target".into()));
    for target in proof["targets"].as_array().unwrap() {
        assert!(target["samples"].as_u64() > Some(20), "{target}");
    }
    let (status, cost) = json(&["cost", SHIPS, "--json"]);
    let hardware = &cost["hardware"];
    let mut rate = 96_000.0;
    for part in hardware["parts"].as_array().unwrap() {
        assert!((number(&part["rate_hz"]) - rate).abs() < 1e-6, "{part}");
        let [into, out] = ["words_in", "words_out"].map(|key| number(&part[key]));
        let clocks = 12e6 / rate * into;
        assert_eq!(number(&part["clocks_available"]), (clocks + 1e-6).floor());
        assert!(number(&part["interval"]) <= clocks, "{part}");
        rate *= out / into;
    }
    assert_eq!((status, rate, number(&hardware["multipliers"])), (0, 12_000.0, 1.0));
}

/// The buoy's way up: what was written is proved, the symbols come back as predicted, and one multiplier
/// works for all words of a stage.
#[test]
fn the_demo_goes_up_from_symbols() {
    let folder = tempfile::tempdir().unwrap();
    let at = folder.path().to_str().unwrap();
    let (status, result) = json(&["demo", "uplink", "-o", at, "--json"]);
    assert_eq!((status, &result["verdict"]), (0, &"proved on every target".into()), "{result}");
    for file in result["files"].as_array().unwrap() {
        assert!(folder.path().join(file.as_str().unwrap()).exists(), "{file}");
    }
    let chain = &result["chain"];
    let symbols = &chain["symbols"];
    let [found, predicted] =
        [number(&symbols["after"]["rms_db"]), number(&symbols["predicted_db"])];
    assert!((found - predicted).abs() < 0.5 && found < -55.0, "{found} {predicted}");
    let parts = chain["hardware"]["parts"].as_array().unwrap();
    let units: Vec<&serde_json::Value> = parts.iter().filter(|one| one["what"] == "unit").collect();
    assert_eq!(units.len(), 3);
    for part in units {
        assert_eq!((number(&part["in_turn"]), number(&part["multipliers"])), (4.0, 1.0));
        assert!(number(&part["interval"]) <= number(&part["clocks_available"]));
    }
}

/// Complex samples are two columns: down from the carrier, and through a chain that takes them.
#[test]
fn complex_samples_go_through_files() {
    let folder = tempfile::tempdir().unwrap();
    let file = |name: &str| folder.path().join(name).to_str().unwrap().to_owned();
    let (down, modem) = ("demo/modem/telemetry_down.toml", "demo/modem/modem.wav");
    for (name, options) in [("iq.wav", &["--bit-true"][..]), ("iq.csv", &[]), ("iq.npy", &[])] {
        let path = file(name);
        let call = [&["run", down, modem, "-o", &path, "--json"], options].concat();
        let (status, result) = json(&call);
        assert_eq!((status, number(&result["output_samples"])), (0, 6_000.0), "{name} {result}");
    }
    let text = std::fs::read_to_string(file("iq.csv")).unwrap();
    assert!(text.starts_with("time_s,channel_i,channel_q\n"), "{}", &text[..60]);
    let complex = std::fs::read_to_string(root().join(down)).unwrap();
    let complex = complex
        .replace("96 kHz", "12 kHz")
        .replace("down = 8", "down = 2")
        .replace("carrier = \"27 kHz\"", "samples = \"complex\"");
    std::fs::write(file("complex.toml"), complex).unwrap();
    let [spec, iq, out] = ["complex.toml", "iq.wav", "out.wav"].map(file);
    let (status, result) = json(&["run", &spec, &iq, "-o", &out, "--bit-true", "--json"]);
    assert_eq!((status, number(&result["output_samples"])), (0, 3_000.0), "{result}");
    let (status, proof) = json(&["verify", &spec, "--recording", &iq, "--on", "host", "--json"]);
    assert_eq!((status, &proof["verdict"]), (0, &"proved on every target".into()));
    // One column is no complex sample.
    let (status, _, told) = run(&["run", &spec, &iq, "-o", &out, "--column", "channel_1"]);
    assert!(status == 2 && told.contains("2 columns side by side"), "{told}");
}

/// Instructions for a sample that goes in: more for two channels than for one, and not much more than twice
/// as many.
#[test]
fn chains_are_counted_on_a_core() {
    let folder = tempfile::tempdir().unwrap();
    let both = folder.path().join("both.toml").to_str().unwrap().to_owned();
    let text = std::fs::read_to_string(root().join(SHIPS)).unwrap();
    std::fs::write(&both, text.replace("[change]", "[change]\nchannels = 2")).unwrap();
    let counted_for = |spec: &str, tune: &str| -> Vec<[f64; 2]> {
        let (status, cost) = json(&["cost", spec, "--on", "cortex-m4", "--tune", tune, "--json"]);
        assert_eq!(status, 0, "{cost}");
        let rows = cost["cores"].as_array().unwrap();
        let counts = |row: &Value| ["step_count", "block_count"].map(|key| number(&row[key]));
        rows.iter().map(counts).collect()
    };
    let counted = |spec: &str| counted_for(spec, "portable");
    let (one, two) = (counted(SHIPS), counted(&both));
    // Products two at a time, of words of 16 bits.
    let taps = folder.path().join("taps.toml").to_str().unwrap().to_owned();
    let short = text.replace("\"s18\"", "\"s16\"");
    std::fs::write(&taps, short.replace("[change]", "[change]\ncombs = false")).unwrap();
    let tuned = counted_for(&taps, "cortex-m4");
    for ([_, plain], [_, tuned]) in counted(&taps).iter().zip(&tuned) {
        // Of half-band stages few products are left to be made so.
        assert!(*tuned < 0.92 * plain, "{plain} {tuned}");
    }
    assert_eq!((one.len(), two.len()), (3, 3));
    for ([_, one], [_, two]) in one.iter().zip(&two) {
        let ratio = two / one;
        assert!((1.5..3.5).contains(&ratio), "{one} {two}");
    }
    for [step, block] in one {
        assert!(block > 40.0 && step > block && step < 1_500.0, "{step} {block}");
    }
}

/// The spectrum of complex samples has two sides, and so may a mask: what is 20 dB too tight on the lower one
/// is told there.
#[test]
fn complex_samples_are_held_against_a_mask() {
    let folder = tempfile::tempdir().unwrap();
    let file = |name: &str| folder.path().join(name).to_str().unwrap().to_owned();
    let [mask, tight, figure] = ["mask.csv", "tight.csv", "symbols.svg"].map(file);
    let points =
        "frequency_hz,level_db\n-6000,-30\n-2600,-30\n-2600,1\n2600,1\n2600,-30\n5999,-30\n";
    std::fs::write(&mask, points).unwrap();
    std::fs::write(&tight, points.replace("-2600", "-500")).unwrap();
    let call =
        ["measure", "demo/modem/telemetry_down.toml", "--modulated", "demo/modem/telemetry.toml"];
    let held =
        |mask: &str| json(&[&call[..], &["--mask", mask, "--figure", &figure, "--json"]].concat());
    let (status, object) = held(&mask);
    assert_eq!((status, &object["held"]), (0, &true.into()), "{object:.300}");
    assert!(std::fs::read_to_string(&figure).unwrap().contains("power spectral density"));
    let (status, object) = held(&tight);
    assert_eq!((status, &object["held"]), (1, &false.into()), "{object:.300}");
    assert!(number(&object["mask"]["at_hz"]) < -500.0, "{}", object["mask"]);
    // The channels beside it, 4 kHz away: a limit that one of them is above, and one that none is.
    let beside =
        |more: &[&str]| json(&[&call[..], &["--spacing", "4 kHz", "--json"], more].concat());
    let (_, object) = beside(&[]);
    let levels = object["adjacent"]["channels"].as_array().unwrap();
    let offsets: Vec<f64> = levels.iter().map(|one| number(&one["offset_hz"])).collect();
    assert_eq!(offsets, [-4000.0, 4000.0], "{:.300}", object["adjacent"]);
    let highest = levels.iter().map(|one| number(&one["after_db"])).fold(f64::MIN, f64::max);
    for (more, status) in [(0.1, 0), (-0.1, 1)] {
        let limit = format!("{} dB", highest + more);
        let (found, object) = beside(&["--adjacent-limit", &limit]);
        assert_eq!((found, &object["held"]), (status, &(status == 0).into()), "{object:.300}");
    }
    let too_far = ["--spacing", "6 kHz", "--adjacent-limit", "0 dB"];
    let (status, _, told) = run(&[&call[..], &too_far].concat());
    assert!(status == 2 && told.contains("6000 Hz that come out"), "{told}");
}

/// What is for one filter is refused of a chain, with what would do.
#[test]
fn what_a_chain_cannot_do_is_said() {
    let recording = "demo/mooring/mooring.csv";
    let folder = tempfile::tempdir().unwrap();
    let [out, plain] =
        ["out.csv", "plain.toml"].map(|name| folder.path().join(name).to_str().unwrap().to_owned());
    let text = std::fs::read_to_string(root().join(SWELL)).unwrap();
    std::fs::write(&plain, text.split("[fixed]").next().unwrap()).unwrap();
    let [fast, taken] = ["fast.toml", "taken.toml"]
        .map(|name| folder.path().join(name).to_str().unwrap().to_owned());
    let up = text.replace("down = 50", "up = 3").replace("prune = true", "prune = false");
    std::fs::write(&fast, format!("{up}[hardware]\nclock = \"1 kHz\"\n")).unwrap();
    let many = folder.path().join("many.toml").to_str().unwrap().to_owned();
    std::fs::write(&many, format!("{text}[firmware]\nchannels = 2\n")).unwrap();
    std::fs::write(&taken, format!("{text}[hardware]\nchannels = 2\n")).unwrap();
    for (call, what) in [
        (&["design", SWELL, "--families"][..], "--families is for one filter"),
        (&["design", SWELL, "--panels", "gain"], "--panels is for one filter"),
        (
            &["run", SWELL, recording, "-o", &out, "--zero-phase"],
            "--remove-delay takes the delay off",
        ),
        (&["run", &plain, recording, "-o", &out, "--bit-true"], "the spec has no table [fixed]"),
        (
            &["run", SWELL, recording, "-o", &out, "--figure", "a.png"],
            "`mrake inspect FILE --figure`",
        ),
        (&["run", SWELL, recording, "-o", recording], "the output is the recording itself"),
        (&["quantize", SWELL], "line 6, column 1, key `change`: makes this a chain of stages"),
        (&["generate", &fast, "--to", "vhdl", "-o", &out], "a clock of 3000 Hz would do"),
        (&["cost", &taken, "--on", "ice40"], "key `hardware.channels`: channels = 2 in hardware"),
        (&["cost", SHIPS, "--figure", "a.png"], "--figure is for one filter"),
        (&["cost", SHIPS, "--on", "rv32", "--vary", "change.down=4,8"], "--vary is for one filter"),
        (
            &["generate", SWELL, "--to", "c", "-o", &out, "--with", "test"],
            "--with is for one filter",
        ),
        (&["generate", &many, "--to", "c", "-o", &out], "`channels` in [change]"),
        (&["verify", &plain], "the spec has no table [fixed]"),
        (&["new", "chains"], "and for stages at several rates: chain, cic, upconverter"),
    ] {
        let (status, printed, said) = run(call);
        assert_eq!((status, printed.as_str()), (2, ""), "{call:?}");
        assert!(said.contains(what), "{said}");
        assert!(!Path::new(&out).exists());
    }
}
