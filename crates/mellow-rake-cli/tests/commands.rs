//! The program as its users meet it: real files, real exit statuses, real compilers and simulators.

use crate::common::{finish, json, mrake, root, run};
use serde_json::Value;
use std::path::Path;

const SPEC: &str = "demo/mooring/pump_hum.toml";
const RECORDING: &str = "demo/mooring/mooring.csv";

#[test]
fn the_demo_goes_from_the_recording_to_the_proof() {
    let folder = tempfile::tempdir().unwrap();
    let at = folder.path().to_str().unwrap();
    let (status, out, err) = run(&["demo", "-o", at]);
    assert_eq!((status, err.as_str()), (0, ""), "{out}");
    for words in
        ["meets the spec", "16131 -27507 16131", "C, cc            equal", "Verilog, Icarus  equal"]
    {
        assert!(out.contains(words), "`{words}` is not in:\n{out}");
    }
    let result = std::fs::read_to_string(folder.path().join("result.json")).unwrap();
    let result: Value = serde_json::from_str(&result).unwrap();
    let hum = |key: &str| result["hum"][key].as_f64().unwrap();
    assert!(hum("before_dbfs") > -40.0 && hum("after_integer_dbfs") < -75.0);
    assert!(hum("after_float_dbfs") < hum("after_integer_dbfs"));
    assert_eq!(result["proof"]["held"], true);
    for file in result["files"].as_array().unwrap() {
        let path = folder.path().join(file.as_str().unwrap());
        let bytes = std::fs::read(&path).unwrap();
        assert!(!bytes.is_empty(), "{path:?}");
        if path.extension().is_some_and(|ending| ending == "png") {
            assert!(bytes.starts_with(b"\x89PNG") && bytes.len() > 20_000);
        }
    }
    // The same once more: the same bytes, figures and all.
    let again = tempfile::tempdir().unwrap();
    run(&["demo", "-o", again.path().to_str().unwrap()]);
    for file in ["pump_hum.c", "pump_hum.v", "response.png", "before_after.png"] {
        let read = |folder: &Path| std::fs::read(folder.join(file)).unwrap();
        assert!(read(folder.path()) == read(again.path()), "{file}");
    }
}

/// The low-pass of the breathing belt: two sections in a loop, proved never to overflow.
#[test]
fn the_breath_goes_the_same_way() {
    let folder = tempfile::tempdir().unwrap();
    let at = folder.path().to_str().unwrap();
    let (status, result) = json(&["demo", "breath", "-o", at, "--json"]);
    assert_eq!(status, 0, "{result}");
    assert_eq!((&result["proof"]["held"], &result["hum"]), (&Value::Bool(true), &Value::Null));
    let design = &result["design"];
    assert_eq!(
        (&design["order"], &design["asked"]["order_is_smallest"]),
        (&4.into(), &true.into())
    );
    let quantized = &design["quantized"];
    for reach in quantized["reach"].as_array().unwrap() {
        assert_eq!(reach["cannot_overflow"], true, "{reach}");
    }
    assert_eq!(quantized["cost"]["limits_per_sample"], 0);
    // The nearest integers would miss the template by a little; the search keeps it.
    assert_eq!(quantized["template_excess_db"], 0.0);
    let code = std::fs::read_to_string(folder.path().join("breath.c")).unwrap();
    assert!(code.contains("for (int pass = 0; pass < 2; pass++)"));
}

/// All families against one template: the elliptic filter needs the fewest poles, and what cannot keep the
/// template says what would.
#[test]
fn families_are_compared_against_one_template() {
    let (status, object) = json(&["design", "demo/breath/breath.toml", "--families", "--json"]);
    let rows = object["families"].as_array().unwrap();
    let order =
        |family: &str| rows.iter().find(|row| row["family"] == family).unwrap()["order"].as_u64();
    assert_eq!((status, rows.len(), order("elliptic"), order("bessel")), (0, 5, Some(4), None));
    assert!(order("butterworth") > order("chebyshev1") && order("chebyshev1") >= order("elliptic"));
    let (_, out, _) = run(&["design", "demo/breath/breath.toml", "--families"]);
    assert!(out.contains("All families") && out.contains("order 4 would do"), "{out}");
    for spec in [SPEC, "demo/modem/carrier_band.toml"] {
        assert_eq!(run(&["design", spec, "--families"]).0, 2);
    }
}

/// A machine with a C compiler and nothing else: the simulation is not run, and said so; the rest stands.
/// Every kind: its commented spec designs, prints, and reads back as JSON; a figure can be drawn.
#[test]
fn every_kind_starts_from_its_own_spec() {
    let folder = tempfile::tempdir().unwrap();
    let (_, _, err) = run(&["new", "sieve"]);
    let known = err.trim().split("there is: ").nth(1).unwrap();
    let (kinds, chains) = known.split_once("; and for stages at several rates: ").unwrap();
    let kinds: Vec<&str> = kinds.split(", ").collect();
    assert_eq!((kinds.len(), chains), (23, "chain, cic, upconverter"));
    for kind in kinds {
        let path = folder.path().join(format!("{kind}.toml"));
        let spec = path.to_str().unwrap();
        assert_eq!(run(&["new", kind, "-o", spec]).0, 0, "{kind}");
        let figure = folder.path().join(format!("{kind}.svg"));
        let (status, out, err) = run(&["design", spec, "--figure", figure.to_str().unwrap()]);
        assert_eq!(status, 0, "{kind}: {err}");
        assert!(out.contains("measured on the response") && out.contains("On integers"), "{kind}");
        let table = out.split("  null: below").next().unwrap();
        assert!(table.lines().skip(1).all(|line| line.chars().count() <= 80), "{table}");
        assert!(std::fs::metadata(&figure).unwrap().len() > 5_000, "{kind}");
        let (status, object) = json(&["design", spec, "--json"]);
        assert_eq!((status, object["kind"].as_str()), (0, Some(kind)));
        assert_ne!(object["meets_spec"], false, "{kind}");
        // Sections or taps, one of the two, in floating point and on integers.
        for side in [&object, &object["quantized"]] {
            assert!(side["sections"].is_null() != side["taps"].is_null(), "{kind}");
        }
    }
}

/// What `design --json` prints can be given back as coefficients: the same filter, to the last bit.
#[test]
fn a_design_comes_back_from_its_file() {
    let folder = tempfile::tempdir().unwrap();
    let spec = folder.path().join("given.toml");
    let text = |file: &str| {
        format!(
            "name = \"given\"\nsample_rate = \"64 Hz\"\n[want]\nkind = \"coefficients\"\nfile = \"{file}\"\n"
        )
    };
    for source in ["demo/breath/breath.toml", "demo/modem/carrier_band.toml"] {
        let (_, first) = json(&["design", source, "--json"]);
        std::fs::write(folder.path().join("design.json"), first.to_string()).unwrap();
        std::fs::write(&spec, text("design.json")).unwrap();
        let (status, back) = json(&["design", spec.to_str().unwrap(), "--json"]);
        assert_eq!(status, 0);
        assert_eq!((&back["sections"], &back["taps"]), (&first["sections"], &first["taps"]));
    }
    std::fs::write(folder.path().join("s.csv"), "b0,b1,b2,a1,a2\n0.5,0.25,0,-0.5,0\n").unwrap();
    std::fs::write(&spec, text("s.csv")).unwrap();
    let (_, object) = json(&["design", spec.to_str().unwrap(), "--json"]);
    assert_eq!(object["sections"][0]["a"][1], -0.5);
    for (file, bytes, words) in [
        ("x.csv", "b0,b1\n1,2\n", "b0, b1, b2, a1, a2"),
        ("x.json", "{\"taps\": \"many\"}", "accepted: an object with sections"),
        ("x.txt", "1 2 3", ".csv or .json"),
    ] {
        std::fs::write(folder.path().join(file), bytes).unwrap();
        std::fs::write(&spec, text(file)).unwrap();
        let (status, out, err) = run(&["design", spec.to_str().unwrap()]);
        assert!(status == 2 && out.is_empty() && err.contains(words), "{err}");
    }
}

/// Other forms say what they lose, and why they are refused.
#[test]
fn forms_are_shown_with_their_loss() {
    let all = "prototype,polynomials,state-space,all-pass-sum,parallel";
    let (status, object) = json(&["design", "demo/breath/breath.toml", "--form", all, "--json"]);
    assert_eq!(status, 0);
    let forms = object["forms"].as_array().unwrap();
    assert_eq!(forms.len(), 5);
    for form in forms {
        // An elliptic filter of even order is no sum of two all-passes.
        let is_sum = form["form"] == "all-pass-sum";
        assert_eq!(form["refused"].is_null(), !is_sum, "{form}");
        assert_eq!(form["value"].is_null(), is_sum, "{form}");
        if let Some(loss) = form["loss"]["response"].as_f64() {
            assert!((0.0..1e-6).contains(&loss));
        }
    }
    let (_, text, _) = run(&["design", "demo/modem/carrier_band.toml", "--form", "parallel"]);
    assert!(text.contains("refused: taps are all there is"));
}

/// The modem's band-pass on its WAV recording: compiled, equal, and above the wished ratio.
#[test]
fn the_modem_goes_the_same_way() {
    let spec = "demo/modem/carrier_band.toml";
    let (status, object) =
        json(&["verify", spec, "--on", "host", "--recording", "demo/modem/modem.wav", "--json"]);
    assert_eq!(status, 0, "{object}");
    let recording = &object["stimuli"][0];
    assert_eq!(
        (recording["name"].as_str(), recording["samples"].as_u64()),
        (Some("recording"), Some(48_000))
    );
    assert!(recording["ser_db"].as_f64().unwrap() > 70.0 && recording["reaches_min_ser"] == true);
    let (_, design) = json(&["design", spec, "--json"]);
    assert_eq!(
        (design["asked"]["taps"].as_u64(), design["meets_spec"].as_bool()),
        (Some(97), Some(true))
    );
    let folder = tempfile::tempdir().unwrap();
    let out = folder.path().join("quiet.csv");
    let (status, _, err) =
        run(&["run", spec, "demo/modem/modem.wav", "-o", out.to_str().unwrap(), "--bit-true"]);
    assert_eq!(status, 0, "{err}");
    assert_eq!(std::fs::read_to_string(&out).unwrap().lines().count(), 48_001);
    // A WAV file of another rate is refused.
    let (status, _, err) = run(&["run", SPEC, "demo/modem/modem.wav", "-o", out.to_str().unwrap()]);
    assert!(status == 2 && err.contains("96000 samples per second"), "{err}");
}

#[test]
fn a_missing_simulator_is_not_run_and_not_passed() {
    let folder = tempfile::tempdir().unwrap();
    let tools = tempfile::tempdir().unwrap();
    for tool in ["cc", "as", "ld"] {
        let real = ["/usr/bin", "/bin", "/usr/local/bin"].map(|at| Path::new(at).join(tool));
        let real = real.iter().find(|path| path.exists()).unwrap();
        std::os::unix::fs::symlink(real, tools.path().join(tool)).unwrap();
    }
    let at = folder.path().to_str().unwrap();
    let (status, out, _) = finish(mrake().args(["demo", "-o", at]).env("PATH", tools.path()));
    assert_eq!(status, 0, "{out}");
    assert!(out.contains("Verilog, Icarus  not run") && out.contains("package iverilog"), "{out}");
    assert!(out.contains("C, cc            equal"), "{out}");
    let verify = |on: &[&str]| {
        let (status, out, _) =
            finish(mrake().args(["verify", SPEC]).args(on).env("PATH", tools.path()));
        (status, out)
    };
    let (status, out) = verify(&[]);
    assert!(status == 0 && out.contains("Verdict: held where it was run"), "{out}");
    // Where no target at all can be run, nothing is proved.
    let nothing = tempfile::tempdir().unwrap();
    let (status, out, _) = finish(mrake().args(["demo", "-o", at]).env("PATH", nothing.path()));
    assert!(status == 1 && out.contains("Verdict: not proved"), "{out}");
    let (status, out, _) = finish(mrake().args(["verify", SPEC]).env("PATH", nothing.path()));
    assert!(status == 1 && out.contains("C, cc            not run"), "{out}");
    // A target that was asked for by name and could not be run is no proof.
    let (status, out) = verify(&["--on", "host,icarus"]);
    assert!(status == 1 && out.contains("Verdict: not proved"), "{out}");
}

#[test]
fn verify_names_the_first_differing_sample() {
    let folder = tempfile::tempdir().unwrap();
    let at = folder.path().to_str().unwrap();
    let (status, out, _) = run(&["generate", SPEC, "--to", "c,verilog", "-o", at]);
    assert_eq!(status, 0, "{out}");
    let recording = ["--recording", RECORDING];
    let verify =
        |on: &str| run(&[&["verify", SPEC, "--files", at, "--on", on], &recording[..]].concat());
    let (status, out, _) = verify("host,clang,icarus");
    assert!(status == 0 && out.contains("Verdict: proved on every target"), "{out}");

    let change = |file: &str, from: &str, to: &str| {
        let path = folder.path().join(file);
        let text = std::fs::read_to_string(&path).unwrap();
        let at = text.rfind(from).unwrap_or_else(|| panic!("{from} is not in {file}"));
        std::fs::write(&path, format!("{}{to}{}", &text[..at], &text[at + from.len()..])).unwrap();
    };
    change("pump_hum.c", "15877", "15876");
    change("pump_hum.v", "$signed(n2_w1)", "$signed({1'b0, n2_w1})");
    for on in ["host", "icarus"] {
        let (status, out, _) = verify(on);
        assert_eq!(status, 1, "{out}");
        assert!(out.contains("first at sample") && out.contains("expected"), "{out}");
        let (status, object) = json(&["verify", SPEC, "--files", at, "--on", on, "--json"]);
        let comparisons = object["targets"][0]["comparisons"].as_array().unwrap();
        let first = comparisons.iter().map(|c| &c["first"]).find(|first| !first.is_null()).unwrap();
        assert!(status == 1 && first["sample"].is_u64() && first["expected"] != first["found"]);
    }
    // A signal-to-error ratio that cannot be reached is a failed check, too.
    let strict = folder.path().join("strict.toml");
    let text = std::fs::read_to_string(root().join(SPEC)).unwrap().replace("60 dB", "90 dB");
    std::fs::write(&strict, text).unwrap();
    let (status, out, _) = run(&["verify", strict.to_str().unwrap(), "--on", "host"]);
    assert!(status == 1 && out.contains("BELOW min_ser"), "{out}");
    // A recording that drives the filter into saturation is held to the ratio as well.
    let loud = folder.path().join("loud.csv");
    let square = (0..2000).map(|n| if n / 6 % 2 == 0 { "32767\n" } else { "-32768\n" });
    std::fs::write(&loud, format!("strain\n{}", square.collect::<String>())).unwrap();
    let (status, out, _) =
        run(&["verify", SPEC, "--on", "host", "--recording", loud.to_str().unwrap()]);
    assert!(status == 1 && out.contains("BELOW min_ser limits"), "{out}");
}

#[test]
fn wrong_specs_and_calls_end_with_status_2_and_a_place() {
    let folder = tempfile::tempdir().unwrap();
    let text = std::fs::read_to_string(root().join(SPEC)).unwrap();
    let cases = [
        ("\"87.5 Hz\"", "87.5", "line 8, column 10, key `want.center`"),
        ("\"87.5 Hz\"", "\"612 Hz\"", "line 8, column 10, key `want.center`"),
        ("\"5 Hz\"", "\"-5 Hz\"", "line 9, column 9, key `want.width`"),
        ("\"pump_hum\"", "\"pump-hum\"", "line 3, column 8, key `name`"),
        ("\"s16\"", "\"s16f15\"", "key `fixed.coefficients`"),
        ("\"saturate\"", "\"forbid\"", "2 more whole bits"),
    ];
    for (from, to, place) in cases {
        let path = folder.path().join("bad.toml");
        std::fs::write(&path, text.replace(from, to)).unwrap();
        let spec = path.to_str().unwrap();
        for arguments in
            [&["design", spec, "--json"][..], &["generate", spec, "--to", "c", "-o", "x"]]
        {
            let (status, out, err) = run(arguments);
            assert_eq!((status, out.as_str()), (2, ""), "{err}");
            assert!(err.starts_with(&format!("mrake: {spec}: ")) && err.contains(place), "{err}");
        }
    }
    for arguments in [
        &["design", "no/such/file.toml"][..],
        &["design", RECORDING],
        &["demo", "lighthouse"],
        &["new", "sieve"],
        &["verify", SPEC, "--recording", SPEC],
        &["generate", SPEC, "--to", "cobol", "-o", "x"],
        &["design", SPEC, "--figure", "response.bmp"],
        &["run", SPEC, "demo/breath/breath.csv", "-o", "x.csv"],
        &[],
    ] {
        let (status, out, err) = run(arguments);
        assert!(
            status == 2 && out.is_empty() && !err.is_empty(),
            "{arguments:?}: {status} {out} {err}"
        );
    }
    assert!(!root().join("x.csv").exists() && !root().join("x").exists());
}

#[test]
fn a_recording_is_filtered_in_floating_point_and_bit_true() {
    let folder = tempfile::tempdir().unwrap();
    let path = |name: &str| folder.path().join(name).to_str().unwrap().to_owned();
    let (float, integer, again) = (path("float.csv"), path("integer.csv"), path("again.csv"));
    assert_eq!(run(&["run", SPEC, RECORDING, "-o", &float]).0, 0);
    let (status, object) = json(&["run", SPEC, RECORDING, "-o", &integer, "--bit-true", "--json"]);
    assert!(
        status == 0 && object["samples"] == 20_000 && object["limited_samples"] == 0,
        "{object}"
    );
    let column = |path: &str, index: usize| -> Vec<f64> {
        let text = std::fs::read_to_string(path).unwrap();
        text.lines()
            .skip(1)
            .map(|line| line.split(',').nth(index).unwrap().parse().unwrap())
            .collect()
    };
    let largest = column(&float, 2)
        .iter()
        .zip(column(&integer, 2))
        .fold(0.0f64, |largest, (a, b)| largest.max((a - b).abs()));
    // The largest error that `mrake verify` proves for this recording is 90.8 LSB; it shows 11.8.
    assert!(largest > 1.0 && largest < 20.0, "{largest}");
    // The output is a recording like any other: its own column can be filtered again.
    assert_eq!(run(&["run", SPEC, &integer, "--column", "strain_filtered", "-o", &again]).0, 0);
    let (status, _, err) = run(&["run", SPEC, &integer, "-o", &again]);
    assert!(status == 2 && err.contains("time_s, strain, strain_filtered"), "{err}");
}

#[test]
fn every_object_is_json_and_reads_back() {
    let folder = tempfile::tempdir().unwrap();
    let path = |name: &str| folder.path().join(name).to_str().unwrap().to_owned();
    let (status, design) = json(&["design", SPEC, "--json", "--figure", &path("a.svg")]);
    assert!(status == 0 && design["meets_spec"] == true && design["order"] == 2, "{design}");
    let svg = std::fs::read_to_string(path("a.svg")).unwrap();
    assert!(svg.starts_with("<svg") && svg.contains("frequency in Hz"));
    // The numbers are those of the filter, to the last bit: b1 = −2·cos(ω)·b0.
    let section = &design["sections"][0];
    let number = |value: &Value| value.as_f64().unwrap();
    let (b0, b1) = (number(&section["b"][0]), number(&section["b"][1]));
    let cosine = (2.0 * std::f64::consts::PI * 0.0875).cos();
    assert!((b1 + 2.0 * cosine * b0).abs() < 2.0 * f64::EPSILON);
    assert_eq!(section["a"][0], 1.0);
    let datapath = &design["quantized"]["datapath"];
    let rows = serde_json::json!([[16131, -27507, 16131, -27507, 15877]]);
    assert_eq!(datapath["tables"][0]["rows"], rows);
    for kind in ["lowpass", "highpass", "bandpass", "bandstop"] {
        let file = path(&format!("{kind}.toml"));
        assert_eq!(run(&["new", kind, "-o", &file]).0, 0);
        let (status, design) = json(&["design", &file, "--json", "--figure", &path("b.png")]);
        assert!(status == 0 && design["meets_spec"] == true && design["kind"] == kind, "{design}");
    }
    let (status, new) = json(&["new", "notch", "--json", "-o", &path("n.toml")]);
    assert!(status == 0 && new["spec"].as_str().unwrap().contains("kind = \"notch\""));
    assert_eq!(run(&["design", &path("n.toml")]).0, 0);
    assert_eq!(run(&["new", "notch", "-o", &path("n.toml")]).0, 2, "an existing file is kept");
    let (status, generated) = json(&["generate", SPEC, "--to", "c", "-o", &path("c"), "--json"]);
    assert!(status == 0 && generated["files"].as_array().unwrap().len() == 3);
    assert_eq!(generated["design"], design);
}

#[test]
fn help_teaches() {
    let commands = [
        "demo",
        "new",
        "design",
        "compare",
        "sensitivity",
        "inspect",
        "measure",
        "cost",
        "generate",
        "verify",
        "run",
    ];
    for command in commands {
        let (status, out, _) = run(&[command, "--help"]);
        assert_eq!(status, 0);
        assert!(out.lines().count() > 12 && out.contains("--json"), "{out}");
    }
}

/// Every command in the README and the guide that stands with its output prints exactly that.
#[test]
fn the_documents_show_what_is_printed() {
    let documents =
        [("README.md", 1), ("docs/guide.md", 8), ("docs/hardware.md", 1), ("docs/rates.md", 1)];
    for (document, least) in documents {
        let text = std::fs::read_to_string(root().join(document)).unwrap();
        let mut shown = 0;
        for block in text.split("```console\n").skip(1) {
            let block = block.split("```").next().unwrap();
            let (first, expected) = block.split_once('\n').unwrap();
            if expected.starts_with("$ ") {
                continue; // a list of commands, without output
            }
            let arguments: Vec<&str> = first.strip_prefix("$ mrake ").unwrap().split(' ').collect();
            let (status, out, _) = finish(mrake().args(&arguments).env("COLUMNS", "80"));
            assert!(status < 2, "{first}");
            assert_eq!(out, expected, "{document}: {first}");
            shown += 1;
        }
        assert!(shown >= least, "{document}");
    }
}

/// Files of a folder are held against their spec: as they were written, changed in a line, gone.
#[test]
fn generated_files_are_checked_against_their_spec() {
    let folder = tempfile::tempdir().unwrap();
    let out = folder.path().join("firmware");
    let place = out.to_str().unwrap();
    let notch = "demo/mooring/pump_hum.toml";
    let write = ["generate", notch, "--to", "c,rust", "-o", place];
    let check = [&write[..], &["--check"]].concat();
    let (status, said, _) = run(&check);
    assert!(status == 1 && said.matches("missing").count() == 5, "{said}");
    assert!(!out.exists(), "nothing is written");
    assert_eq!(run(&write).0, 0);
    let (status, said, _) = run(&check);
    assert!(status == 0 && said.matches("as written").count() == 5, "{said}");
    // Someone mended a number by hand.
    let path = out.join("pump_hum.c");
    let good = std::fs::read_to_string(&path).unwrap();
    let at = good.find("27507").unwrap();
    let line = 1 + good[..at].matches('\n').count();
    std::fs::write(&path, good.replacen("27507", "27508", 1)).unwrap();
    let (status, object) = json(&[&check[..], &["--json"]].concat());
    let files = object["files"].as_array().unwrap();
    let of = |name: &str| files.iter().find(|file| file["name"] == name).unwrap();
    assert_eq!((status, &object["held"]), (1, &false.into()));
    assert_eq!(
        (&of("pump_hum.c")["found"], &of("pump_hum.c")["line"]),
        (&"different".into(), &line.into())
    );
    assert_eq!(of("pump_hum.h")["found"], "as written");
    assert_eq!(std::fs::read_to_string(&path).unwrap().matches("27508").count(), 1, "left alone");
}
