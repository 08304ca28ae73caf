//! Looking at filters as engineers do: panels, comparisons, sensitivities, sketches, and a spec that is being
//! edited.

use crate::breath::nearest_breath;
use crate::common;
use crate::common::{finish, json, mrake, run};
use serde_json::Value;
use std::io::{BufRead, BufReader};
use std::path::Path;
use std::process::Stdio;

const BREATH: &str = "demo/breath/breath.toml";

fn number(value: &Value) -> f64 {
    value.as_f64().unwrap_or_else(|| panic!("{value}"))
}

/// A spec in a folder.
fn spec(folder: &Path, name: &str, rate: &str, rest: &str) -> String {
    let path = folder.join(format!("{name}.toml"));
    std::fs::write(&path, format!("name = \"{name}\"\nsample_rate = \"{rate}\"\n{rest}")).unwrap();
    path.to_str().unwrap().to_owned()
}

/// The hard cases: an exact null, order 24, 2,000 taps, an edge at 0.05 Hz of 1 kHz. Every panel is drawn,
/// with its axes.
#[test]
fn every_panel_of_hard_filters_is_drawn() {
    let folder = tempfile::tempdir().unwrap();
    let elliptic = "[want]\nkind = \"bandpass\"\npass_edges = [\"90 Hz\", \"140 Hz\"]\nripple = \"0.1 dB\"\n\
                    attenuation = \"80 dB\"\n[method]\ndesign = \"elliptic\"\norder = 24\n";
    let long = "[want]\nkind = \"lowpass\"\ncutoff = \"40 Hz\"\n[method]\ndesign = \"window\"\n\
        window = \"hann\"\ntaps = 2000\n";
    let slow = "[want]\nkind = \"highpass\"\ncutoff = \"0.05 Hz\"\n[method]\ndesign = \"butterworth\"\n\
        order = 4\n";
    let hard = [
        "demo/mooring/pump_hum.toml".to_owned(),
        spec(folder.path(), "band", "1 kHz", elliptic),
        spec(folder.path(), "long", "1 kHz", long),
        spec(folder.path(), "slow", "1 kHz", slow),
    ];
    let views = [
        "gain,ratio,edges,passband,stopband,phase,wrapped-phase,phase-error",
        "delay,phase-delay,impulse,step,roots,poles,difference",
    ];
    for spec in &hard {
        for (views, units) in views
            .into_iter()
            .zip([["gain in dB", "phase in degrees"], ["delay in samples", "time in"]])
        {
            let figure = folder.path().join("figure.svg");
            let path = figure.to_str().unwrap();
            let arguments = ["design", spec, "--figure", path, "--panels", views];
            let (status, _, err) = run(&arguments);
            assert_eq!(status, 0, "{spec} {views}: {err}");
            let text = std::fs::read_to_string(&figure).unwrap();
            assert!(units.iter().all(|unit| text.contains(unit)), "{spec}");
            assert!(!text.contains("NaN") && text.contains("designed"), "{spec}");
        }
    }
    // On a logarithmic axis the slow one can be seen, and the long one says why it has no zeros to show.
    let figure = folder.path().join("log.svg");
    let path = figure.to_str().unwrap();
    assert_eq!(run(&["design", &hard[3], "--figure", path, "--panels", "gain", "--log"]).0, 0);
    assert!(std::fs::read_to_string(&figure).unwrap().contains("10m"));
    assert_eq!(run(&["design", &hard[2], "--figure", path, "--panels", "roots"]).0, 0);
    assert!(std::fs::read_to_string(&figure).unwrap().contains("up to 512 taps"));
}

/// The poles of the notch lie at its centre, a hundredth and a half inside the circle, and ring for 64
/// samples.
#[test]
fn roots_are_listed_as_they_are_read() {
    let (status, out, _) = run(&["design", "demo/mooring/pump_hum.toml", "--roots"]);
    let line = out.lines().find(|line| line.contains("poles, a pair")).unwrap();
    let fields: Vec<f64> = line.split_whitespace().filter_map(|field| field.parse().ok()).collect();
    let [re, im, radius, hertz, degrees, constant] = fields[..] else { panic!("{line}") };
    assert!(status == 0 && (re.hypot(im) - radius).abs() < 1e-8);
    assert!((im.atan2(re) / std::f64::consts::TAU * 1000.0 - hertz).abs() < 1e-3);
    assert!((-1.0 / radius.ln() - constant).abs() < 1e-2 && (hertz - 87.5).abs() < 0.2);
    assert!((degrees - hertz * 0.36).abs() < 1e-3);
}

/// Axes are set as asked, with units; what makes no sense is refused.
#[test]
fn axes_can_be_set_and_wrong_ones_are_refused() {
    let folder = tempfile::tempdir().unwrap();
    let figure = folder.path().join("a.svg");
    let path = figure.to_str().unwrap();
    let modem = "demo/modem/carrier_band.toml";
    let draw = |more: &[&str]| {
        run(&[&["design", modem, "--figure", path, "--panels", "gain"], more].concat())
    };
    assert_eq!(draw(&["--span", "20 kHz..0.35 fs", "--levels", "-0.3 dB..0.3 dB"]).0, 0);
    let text = std::fs::read_to_string(&figure).unwrap();
    assert!(text.contains("frequency in kHz") && text.contains("-0.3"), "{text:.300}");
    for bad in [
        &["--span", "30 kHz..20 kHz"][..],
        &["--span", "60 kHz..70 kHz"],
        &["--span", "20..30"],
        &["--span", "20 kHz"],
        &["--levels", "3 dB..-3 dB"],
        &["--panels", "gain,gain,gain,gain,gain,gain,gain,gain,gain,gain"],
        &["--panels", "smell"],
    ] {
        let (status, out, err) = draw(bad);
        assert!(status == 2 && out.is_empty() && !err.is_empty(), "{bad:?}: {status} {err}");
    }
}

/// The table, the figures beside it and the verdict are one: of every demo and every kind that has a
/// template.
#[test]
fn the_table_agrees_with_what_was_achieved() {
    let folder = tempfile::tempdir().unwrap();
    let mut specs = ["mooring/pump_hum", "breath/breath", "modem/carrier_band"]
        .map(|name| format!("demo/{name}.toml"))
        .to_vec();
    for kind in ["highpass", "bandpass", "bandstop", "half-band", "peak", "multiband"] {
        let path = folder.path().join(format!("{kind}.toml"));
        let path = path.to_str().unwrap().to_owned();
        assert_eq!(run(&["new", kind, "-o", &path]).0, 0);
        specs.push(path);
    }
    for spec in specs {
        let (_, object) = json(&["design", &spec, "--json"]);
        let rows = object["quality"].as_array().unwrap();
        for (side, achieved) in
            [("designed", &object["achieved"]), ("rounded", &object["quantized"]["achieved"])]
        {
            let value =
                |key: &str| rows.iter().find(|row| row["key"] == key).map(|row| row[side].clone());
            for (key, field) in [
                ("ripple", "passband_ripple_db"),
                ("attenuation", "stopband_attenuation_db"),
                ("side_lobe", "side_lobe_db"),
                ("transition", "transition_width_hz"),
                ("peak_gain", "peak_gain_db"),
                ("edge_3db", "edges_3db_hz"),
            ] {
                let Some(found) = value(key) else { continue };
                let beside = if key == "edge_3db" { &achieved[field][0] } else { &achieved[field] };
                assert_eq!(&found, beside, "{spec} {side} {key}");
            }
        }
        // What meets its spec has no margin below zero, but for rounding; a cut-off of taps is kept as nearly
        // as they can tell frequencies apart.
        let missed =
            rows.iter().filter(|row| !row["asked"].is_string() && row["key"] != "edge_6db");
        let missed =
            missed.filter_map(|row| row["designed_margin"].as_f64()).any(|margin| margin < -1e-5);
        assert_eq!(
            object["meets_spec"] == true,
            !missed && !object["meets_spec"].is_null(),
            "{spec}"
        );
    }
}

/// A sketch keeps to the width of the terminal, and to ASCII if asked.
#[test]
fn a_sketch_fits_the_terminal() {
    for (letters, columns) in [("--sketch=ascii", 60), ("--sketch=blocks", 100), ("--sketch", 45)] {
        let mut command = mrake();
        command.args(["design", BREATH, letters, "--panels", "gain,delay,step"]);
        let (status, out, _) = finish(command.env("COLUMNS", columns.to_string()));
        let sketch = out.split("gain; gain in dB").nth(1).unwrap();
        assert!(status == 0 && sketch.contains("time in s"), "{out}");
        assert!(sketch.lines().all(|line| line.chars().count() <= columns), "{sketch}");
        assert_eq!(sketch.is_ascii(), letters.ends_with("ascii"));
    }
}

/// One key varied: more poles attenuate more; words that are too short are named with the reason; a filter
/// differs from itself by nothing, and from a shifted copy of its own curve by the shift.
#[test]
fn designs_are_compared() {
    let folder = tempfile::tempdir().unwrap();
    let rest = "[want]\nkind = \"lowpass\"\ncutoff = \"40 Hz\"\nstop_edge = \"60 Hz\"\n[method]\n\
        design = \"butterworth\"\norder = 2\n";
    let rest = rest.replace("stop_edge = \"60 Hz\"\n", "");
    let low = spec(folder.path(), "low", "1 kHz", &rest);
    let (status, object) = json(&["compare", &low, "--vary", "method.order=2,4,8", "--json"]);
    let filters = object["filters"].as_array().unwrap();
    assert_eq!((status, filters.len()), (0, 3));
    let found = |filter: &Value, key: &str| {
        let rows = filter["quality"].as_array().unwrap();
        number(&rows.iter().find(|row| row["key"] == key).unwrap()["designed"])
    };
    for pair in filters.windows(2) {
        assert!(found(&pair[1], "edge_6db") < found(&pair[0], "edge_6db"), "steeper");
        assert!(found(&pair[1], "overshoot") > found(&pair[0], "overshoot"));
    }
    assert_eq!(number(&filters[2]["multiplies_times_least"]), 4.0);

    let folder = tempfile::tempdir().unwrap();
    let nearest = nearest_breath(folder.path());
    let vary = "fixed.coefficients=s8,s12,s22";
    let (status, object) = json(&["compare", &nearest, "--vary", vary, "--json"]);
    let labels: Vec<&str> = object["filters"]
        .as_array()
        .unwrap()
        .iter()
        .map(|f| f["label"].as_str().unwrap())
        .collect();
    assert_eq!((status, labels), (1, vec!["designed", "s12", "s22"]));
    let reason = object["refused"][0]["reason"].as_str().unwrap();
    assert!(
        reason.contains("with fixed.coefficients = s8") && reason.contains("unstable"),
        "{reason}"
    );
    let difference = |k: usize| number(&object["filters"][k]["passband_difference_db"]);
    assert!(difference(1).abs() > 1.0 && difference(2).abs() < 0.01);

    // |H|² = 1/(1 + (tan/tan)⁴), a quarter of a decibel too low.
    let level = |hz: f64| {
        let ratio =
            (std::f64::consts::PI * hz / 1000.0).tan() / (std::f64::consts::PI * 0.04).tan();
        -10.0 * (1.0 + ratio.powi(4)).log10() - 0.25
    };
    let lines: String = (1..200).map(|hz| format!("{hz},{:?}\n", level(f64::from(hz)))).collect();
    let curve = folder.path().join("curve.csv");
    std::fs::write(&curve, format!("frequency_hz,level_db\n{lines}")).unwrap();
    let figure = folder.path().join("both.svg");
    let arguments = [
        "compare",
        &low,
        &low,
        "--reference",
        curve.to_str().unwrap(),
        "--figure",
        figure.to_str().unwrap(),
        "--json",
    ];
    let (status, object) = json(&arguments);
    let second = &object["filters"][1];
    assert_eq!((status, number(&second["passband_difference_db"])), (0, 0.0));
    assert!((number(&second["reference"]["largest_db"]) - 0.25).abs() < 1e-9);
    assert!(number(&second["reference"]["without_offset_db"]).abs() < 1e-9);
    let drawn = std::fs::read_to_string(&figure).unwrap();
    assert!(drawn.contains("reference") && drawn.contains("difference in dB"));

    // Different kinds side by side, and the price of taps.
    let (status, out, _) = run(&["compare", BREATH, "demo/modem/carrier_band.toml", "--designed"]);
    assert!(status == 0 && out.contains("times the multiplications per second"), "{out}");
    std::fs::write(&curve, "a,b\n1,2\n").unwrap();
    for bad in [
        &["compare", &low, "--vary", "method.order"][..],
        &["compare", &low, "--vary", "method.colour=red"],
        &["compare", &low, "no/such.toml"],
        &["compare", &low, "--reference", curve.to_str().unwrap()],
    ] {
        let (status, out, err) = run(bad);
        assert!(status == 2 && out.is_empty() && !err.is_empty(), "{bad:?}: {err}");
    }
}

/// Every tap moves the response by its LSB over the peak; the same seed gives the same filters.
#[test]
fn sensitivities_are_ranked_and_repeatable() {
    let sensitivity = |spec: &str, more: &[&str]| {
        let (status, object) = json(&[&["sensitivity", spec, "--json"], more].concat());
        assert_eq!(status, 0);
        object
    };
    let taps = sensitivity("demo/modem/carrier_band.toml", &["--trials", "3"]);
    let rows = taps["coefficients"].as_array().unwrap();
    assert_eq!(rows.len(), 97);
    // 2⁻¹⁹ over a peak of 0.2435 dB.
    let expected = 2f64.powi(-19) / 10f64.powf(0.2435 / 20.0);
    for row in rows {
        assert!((number(&row["response_change"]) / expected - 1.0).abs() < 1e-4, "{row}");
    }
    let one = sensitivity(BREATH, &["--trials", "50", "--seed", "3"]);
    assert_eq!(one, sensitivity(BREATH, &["--trials", "50", "--seed", "3"]));
    assert_ne!(
        one["tolerance_band"],
        sensitivity(BREATH, &["--trials", "50", "--seed", "4"])["tolerance_band"]
    );
    let band = &one["tolerance_band"];
    let levels = |key: &str| number(&band[key][40]);
    assert!(levels("lowest_db") <= levels("low_db") && levels("low_db") <= levels("high_db"));
    assert!(
        levels("high_db") <= levels("highest_db") && levels("lowest_db") < levels("highest_db")
    );
    let folder = tempfile::tempdir().unwrap();
    let figure = folder.path().join("s.png");
    let (status, out, _) =
        run(&["sensitivity", BREATH, "--figure", figure.to_str().unwrap(), "--rows", "2"]);
    assert!(status == 0 && out.contains("(8 more; all with --json)"), "{out}");
    assert!(std::fs::read(&figure).unwrap().starts_with(b"\x89PNG"));
    for bad in [
        &["--share", "2"][..],
        &["--share", "0"],
        &["--trials", "1000000000"],
        &["--figure", "x.bmp"],
    ] {
        assert_eq!(run(&[&["sensitivity", BREATH], bad].concat()).0, 2, "{bad:?}");
    }
}

/// An editor saves, half-typed and whole, in place and by putting a new file there: each time the table comes
/// anew, or the mistake with its place.
#[test]
fn a_watched_spec_is_followed() {
    let folder = tempfile::tempdir().unwrap();
    let text = std::fs::read_to_string(common::root().join(BREATH)).unwrap();
    let path = folder.path().join("breath.toml");
    let figure = folder.path().join("look.svg");
    std::fs::write(&path, &text).unwrap();
    let arguments =
        ["design", path.to_str().unwrap(), "--watch", "--figure", figure.to_str().unwrap()];
    let mut child =
        mrake().args(arguments).stdout(Stdio::piped()).stderr(Stdio::null()).spawn().unwrap();
    let mut lines = BufReader::new(child.stdout.take().unwrap()).lines();
    // All that is printed up to the line that says it is waiting.
    let mut turn = || {
        let mut seen = String::new();
        for line in lines.by_ref() {
            let line = line.unwrap();
            if line.contains("; watching ") {
                return seen + &line;
            }
            seen.push_str(&line);
            seen.push('\n');
        }
        panic!("it ended: {seen}");
    };
    // A file may be seen empty or half written on the way: what counts is what is shown in the end.
    let mut until = |words: [&str; 2]| {
        let mut seen = Vec::new();
        while seen.len() < 20 {
            let text = turn();
            if words.iter().all(|word| text.contains(word)) {
                return;
            }
            seen.push(text);
        }
        panic!("{words:?} in none of {seen:?}");
    };
    until(["order 4, the smallest", "done in"]);
    let drawn = std::fs::read(&figure).unwrap();
    std::fs::write(&path, &text[..text.find("ripple").unwrap() + 9]).unwrap();
    until(["mrake: ", "not done"]);
    assert_eq!(std::fs::read(&figure).unwrap(), drawn, "the last good figure stays");
    let new = folder.path().join("breath.toml~");
    std::fs::write(&new, text.replace("\"50 dB\"", "\"70 dB\"")).unwrap();
    std::fs::rename(&new, &path).unwrap();
    until([">= 70", "done in"]);
    assert_ne!(std::fs::read(&figure).unwrap(), drawn);
    child.kill().unwrap();
    child.wait().unwrap();
}

/// Of the mooring line the pump's hum is found, with what would take it out; that spec, made from the
/// suggestion, does.
#[test]
fn a_recording_is_inspected_and_the_suggestion_works() {
    let mooring = "demo/mooring/mooring.csv";
    let folder = tempfile::tempdir().unwrap();
    let figure = folder.path().join("look.svg");
    let arguments =
        ["inspect", mooring, "--full-scale", "32768", "--figure", figure.to_str().unwrap()];
    let (status, out, _) = run(&arguments);
    assert!(status == 0 && out.contains("not clipped") && out.contains("1000 Hz"), "{out}");
    assert!(std::fs::read_to_string(&figure).unwrap().contains("unit²/Hz"));
    let (_, object) = json(&["inspect", mooring, "--json"]);
    let hum = &object["lines"][1];
    // The amplitude grows while the pump starts, from 1.5 s on; 750 counts once it runs.
    assert!((number(&hum["hertz"]) - 87.5).abs() < 1e-3, "{hum}");
    assert!(number(&hum["amplitude"]) > 600.0 && number(&hum["amplitude"]) < 800.0, "{hum}");
    assert_eq!(
        (object["samples"].as_u64(), number(&object["sample_rate_hz"])),
        (Some(20_000), 1000.0)
    );
    let spectrum = &object["spectrum"];
    assert_eq!(spectrum["hertz"].as_array().unwrap().len(), 2049);
    let suggestion = &object["suggestions"][0];
    assert!(number(&suggestion["falls_by_db"]) > 20.0, "{suggestion}");
    let keys = suggestion["keys"].as_array().unwrap();
    let keys: Vec<&str> = keys.iter().map(|key| key.as_str().unwrap()).collect();
    let want = format!("[want]\n{}\n", keys.join("\n"));
    let notch = spec(folder.path(), "hum", "1 kHz", &want);
    let quiet = folder.path().join("quiet.csv");
    let quiet = quiet.to_str().unwrap();
    assert_eq!(run(&["run", &notch, mooring, "-o", quiet, "--zero-phase"]).0, 0);
    let (_, after) = json(&["inspect", quiet, "--column", "strain_filtered", "--json"]);
    let lines = after["lines"].as_array().unwrap();
    assert!(lines.iter().all(|line| (number(&line["hertz"]) - 87.5).abs() > 1.0), "{lines:?}");
    // A rate that nobody says, one that is not that of the file, a piece longer than the recording.
    let bare = folder.path().join("bare.csv");
    std::fs::write(&bare, "x\n1\n2\n3\n4\n1\n2\n3\n9\n4\n").unwrap();
    let bare = bare.to_str().unwrap();
    assert_eq!(run(&["inspect", bare, "--rate", "8 Hz"]).0, 0);
    for bad in [
        &["inspect", bare][..],
        &["inspect", mooring, "--rate", "2 kHz"],
        &["inspect", mooring, "--piece", "1000000"],
        &["inspect", mooring, "--full-scale", "0"],
        &["inspect", BREATH],
    ] {
        let (status, out, err) = run(bad);
        assert!(status == 2 && out.is_empty() && !err.is_empty(), "{bad:?}: {err}");
    }
}

/// Taps give their delay back: the output stands in step with the input, in floating point and on integers; a
/// filter whose delay varies says so.
#[test]
fn delay_is_taken_off_where_it_is_known() {
    let folder = tempfile::tempdir().unwrap();
    let path = |name: &str| folder.path().join(name).to_str().unwrap().to_owned();
    let (spec, wav) = ("demo/modem/carrier_band.toml", "demo/modem/modem.wav");
    let column = |path: &str| -> Vec<f64> {
        let text = std::fs::read_to_string(path).unwrap();
        text.lines().skip(1).map(|line| line.split(',').nth(2).unwrap().parse().unwrap()).collect()
    };
    for more in [&[][..], &["--bit-true"]] {
        let (plain, shifted) = (path("plain.csv"), path("shifted.csv"));
        assert_eq!(run(&[&["run", spec, wav, "-o", &plain], more].concat()).0, 0);
        let arguments =
            [&["run", spec, wav, "-o", &shifted, "--remove-delay", "--json"], more].concat();
        let (status, object) = json(&arguments);
        assert_eq!((status, object["delay_removed_samples"].as_u64()), (0, Some(48)));
        assert_eq!(number(&object["delay_left_samples"]), 0.0);
        let (plain, shifted) = (column(&plain), column(&shifted));
        assert_eq!(plain.len(), shifted.len());
        // Transforms round a little differently when other samples stand beside; integers are integers.
        let pairs = plain[48..].iter().zip(&shifted);
        let most = pairs.map(|(a, b)| (a - b).abs()).fold(0.0, f64::max);
        assert!(most <= if more.is_empty() { 1e-9 } else { 0.0 }, "{most}");
    }
    let belt = "demo/breath/breath.csv";
    let (status, _, err) = run(&["run", BREATH, belt, "-o", &path("x.csv"), "--remove-delay"]);
    assert!(status == 2 && err.contains("not the same at every frequency"), "{err}");
    let figure = path("both.svg");
    let (status, out, _) = run(&["run", BREATH, belt, "-o", &path("x.csv"), "--figure", &figure]);
    assert!(
        status == 0 && out.contains("the first 364 samples are the filter's start-up"),
        "{out}"
    );
    let drawn = std::fs::read_to_string(&figure).unwrap();
    assert!(drawn.contains("start-up") && drawn.contains("power spectral density"));
    assert_eq!(
        run(&["run", BREATH, belt, "-o", &path("x.csv"), "--zero-phase", "--bit-true"]).0,
        2
    );
}

/// What the compiler made of the generated C is measured from outside: it is the filter, one changed
/// coefficient is not, and what hangs, dies or prints rubbish is told apart within its time limit.
#[test]
fn a_running_program_is_measured() {
    let folder = tempfile::tempdir().unwrap();
    let at = folder.path().to_str().unwrap();
    let spec = "demo/mooring/pump_hum.toml";
    assert_eq!(run(&["generate", spec, "--to", "c", "-o", at]).0, 0);
    let code = folder.path().join("pump_hum.c");
    let right = std::fs::read_to_string(&code).unwrap();
    let program = folder.path().join("device");
    let build = |text: &str| {
        std::fs::write(&code, text).unwrap();
        let sources = ["pump_hum.c", "pump_hum_pipe.c"];
        let mut cc = std::process::Command::new("cc");
        let status = cc.current_dir(folder.path()).args(sources).args(["-o", "device"]).status();
        assert!(status.unwrap().success());
    };
    build(&right);
    let device = program.to_str().unwrap();
    let figure = folder.path().join("m.svg");
    let arguments = ["measure", spec, "--device", device, "--within", "1 dB", "--json"];
    let (status, object) =
        json(&[&arguments[..], &["--figure", figure.to_str().unwrap()]].concat());
    assert_eq!((status, object["delay_samples"].as_u64()), (0, Some(0)), "{object:.300}");
    assert!(number(&object["deviation"]["within_three_errors"]) > 0.99);
    assert!(number(&object["deviation"]["good_points"]) > 0.99 * number(&object["points"]));
    assert!(std::fs::read_to_string(&figure).unwrap().contains("coherence"));
    // Single tones in the pass-band, at the edge and in the null, where rounding noise at -83 dB adds to -50
    // dB of tone.
    let (status, object) = json(&[
        "measure",
        spec,
        "--device",
        device,
        "--tones",
        "20 Hz,85 Hz,87.5 Hz,300 Hz",
        "--json",
    ]);
    let tones = object["tones"].as_array().unwrap();
    assert_eq!((status, tones.len()), (0, 4));
    for (tone, [gain, phase]) in
        tones.iter().zip([[1e-3, 0.01], [1e-3, 0.05], [0.5, 1.0], [1e-3, 0.01]])
    {
        let apart = |a: &str, b: &str| (number(&tone[a]) - number(&tone[b])).abs();
        assert!(apart("gain_db", "filter_gain_db") < gain, "{tone}");
        assert!(apart("phase_degrees", "filter_phase_degrees") < phase, "{tone}");
    }
    assert_eq!(run(&["measure", spec, "--device", device, "--tones", "600 Hz"]).0, 2);
    // a2 changed by a thirtieth: the notch is wider, by far more than chance.
    build(&right.replace("15877", "15400"));
    let (status, object) = json(&arguments);
    assert!(status == 1 && object["held"] == false, "{object:.300}");
    assert!(number(&object["deviation"]["within_three_errors"]) < 0.95);
    for (call, words) in [
        (&["--device", "sleep", "--device", "60", "--limit", "1"][..], "did not end within 1s"),
        (&["--device", "false"], "failed"),
        (&["--device", "echo", "--device", "hum"], "printed \"hum\""),
        (&["--device", "echo", "--device", "1"], "printed 1 samples for 131072"),
        (&["--device", "no-such-program-anywhere"], "No such file"),
        (&["--recording", "demo/mooring/mooring.csv"], "--input and --output"),
        (&[], "is wanted"),
    ] {
        let (status, out, err) = run(&[&["measure", spec], call].concat());
        assert!(status == 2 && out.is_empty() && err.contains(words), "{call:?}: {err}");
    }
}

/// Two columns of a recording: what `mrake run` wrote is the filter that it ran, delay and all.
#[test]
fn two_columns_are_measured_against_their_filter() {
    let folder = tempfile::tempdir().unwrap();
    let (spec, both) = ("demo/modem/carrier_band.toml", folder.path().join("both.csv"));
    let both = both.to_str().unwrap();
    assert_eq!(run(&["run", spec, "demo/modem/modem.wav", "-o", both]).0, 0);
    let arguments = [
        "measure",
        spec,
        "--recording",
        both,
        "--input",
        "channel",
        "--output",
        "channel_filtered",
        "--designed",
    ];
    let (status, object) = json(&[&arguments[..], &["--within", "3 dB", "--json"]].concat());
    assert_eq!((status, object["delay_samples"].as_u64()), (0, Some(48)), "{object:.300}");
    // In the pass-band, where bursts are strong, the phase falls by 48 samples.
    let at = (27_000.0 / number(&object["step_hz"])).round() as usize;
    let phase = number(&object["phase_degrees"][at])
        + 360.0 * 48.0 * number(&object["hertz"][at]) / 96_000.0;
    assert!((phase - 360.0 * (phase / 360.0).round()).abs() < 2.0, "{phase}");
    let (status, out, _) = run(&arguments);
    assert!(status == 0 && out.contains("48 samples late"), "{out}");
}
