//! Specs, good and bad, and anything at all.

// Independent of the library: the platform's own functions.

use mellow_rake::design::{advice, design};
use mellow_rake::implementation::implement;
use mellow_rake::spec::{Problem, Spec, SpecPlace, kinds, template};
use proptest::prelude::*;

const GOOD: &str = r#"name = "pump_hum"
sample_rate = "1 kHz"
[want]
kind = "notch"
center = "87.5 Hz"
width = "5 Hz"
[fixed]
input = "s16f15"
output = "s16f15"
coefficients = "s16"
structure = "direct-form-1"
rounding = "half-up"
overflow = "saturate"
[verify]
min_ser = "60 dB"
"#;

/// One line replaced, and what must be said about it: line, column, key, and words of the message.
type Mistake = (&'static str, &'static str, (usize, usize, &'static str), &'static [&'static str]);

const BAD: &[Mistake] = &[
    (
        "center = \"87.5 Hz\"",
        "center = 87.5",
        (5, 10, "want.center"),
        &["bare number 87.5", "0.25 fs"],
    ),
    ("center = \"87.5 Hz\"", "center = \"87.5\"", (5, 10, "want.center"), &["no unit"]),
    ("center = \"87.5 Hz\"", "center = \"87.5 hz\"", (5, 10, "want.center"), &["unit `hz`"]),
    ("center = \"87.5 Hz\"", "center = \"612 Hz\"", (5, 10, "want.center"), &["612 Hz", "500 Hz"]),
    (
        "center = \"87.5 Hz\"",
        "center = \"0.5 fs\"",
        (5, 10, "want.center"),
        &["500 Hz at this sample rate"],
    ),
    ("center = \"87.5 Hz\"", "center = \"0 Hz\"", (5, 10, "want.center"), &["above 0 Hz"]),
    ("center = \"87.5 Hz\"", "center = \"nan Hz\"", (5, 10, "want.center"), &["number"]),
    ("center = \"87.5 Hz\"", "center = \"1e999 Hz\"", (5, 10, "want.center"), &["finite"]),
    ("center = \"87.5 Hz\"", "", (3, 1, "want.center"), &["missing"]),
    ("width = \"5 Hz\"", "width = \"-5 Hz\"", (6, 9, "want.width"), &["-5 Hz", "above 0 Hz"]),
    ("width = \"5 Hz\"", "width = \"500 Hz\"", (6, 9, "want.width"), &["below the Nyquist"]),
    ("width = \"5 Hz\"", "", (3, 1, "want.width"), &["or q ="]),
    ("width = \"5 Hz\"", "q = 0.005", (6, 5, "want.q"), &["0.005", "above 0.175"]),
    ("width = \"5 Hz\"", "q = inf", (6, 5, "want.q"), &["inf"]),
    ("width = \"5 Hz\"", "width = \"5 Hz\"\nq = 3", (7, 5, "want.q"), &["want.width"]),
    ("width = \"5 Hz\"", "wdth = \"5 Hz\"", (6, 1, "want.wdth"), &["did you mean `width`"]),
    ("kind = \"notch\"", "kind = \"nocth\"", (4, 8, "want.kind"), &["did you mean `notch`"]),
    (
        "kind = \"notch\"",
        "kind = \"multiband\"",
        (5, 1, "want.center"),
        &["accepted here: kind, bands"],
    ),
    ("name = \"pump_hum\"", "name = \"pump hum\"", (1, 8, "name"), &["identifier"]),
    ("name = \"pump_hum\"", "name = \"../hum\"", (1, 8, "name"), &["identifier"]),
    ("name = \"pump_hum\"", "name = \"a; rm -rf\"", (1, 8, "name"), &["identifier"]),
    (
        "name = \"pump_hum\"",
        "name = \"a_name_of_twenty_five_ch\"\nx = 1",
        (2, 1, "x"),
        &["accepted here"],
    ),
    ("name = \"pump_hum\"", "name = \"a_name_of_twenty_five_chr\"", (1, 8, "name"), &["24"]),
    (
        "sample_rate = \"1 kHz\"",
        "sample_rate = 1000",
        (2, 15, "sample_rate"),
        &["bare number 1000"],
    ),
    ("sample_rate = \"1 kHz\"", "sample_rate = \"0 Hz\"", (2, 15, "sample_rate"), &["1 nHz"]),
    ("input = \"s16f15\"", "input = \"Q1.15\"", (8, 9, "fixed.input"), &["s16f15", "s17f15"]),
    ("input = \"s16f15\"", "input = \"s65f15\"", (8, 9, "fixed.input"), &["1 to 64"]),
    ("input = \"s16f15\"", "input = true", (8, 9, "fixed.input"), &["true"]),
    ("rounding = \"half-up\"", "rounding = \"up\"", (12, 12, "fixed.rounding"), &["half-even"]),
    ("min_ser = \"60 dB\"", "min_ser = \"60\"", (15, 11, "verify.min_ser"), &["dB"]),
    ("[verify]", "[method]\norder = 3\n[verify]", (15, 9, "method.order"), &["order = 2"]),
    ("[verify]", "[verify", (14, 8, ""), &["TOML"]),
    ("[want]", "want = 3\n[wanted]", (4, 2, "wanted"), &["did you mean `want`"]),
];

#[test]
fn every_mistake_is_named_with_its_place() {
    Spec::parse(GOOD).unwrap();
    for (from, to, (line, column, key), words) in BAD {
        assert!(GOOD.contains(from), "{from}");
        let error = Spec::parse(&GOOD.replacen(from, to, 1)).expect_err(to);
        let message = error.to_string();
        assert_eq!(
            (error.line, error.column, error.key.as_str()),
            (*line, *column, *key),
            "{message}"
        );
        for word in *words {
            assert!(message.contains(word), "`{word}` is not in: {message}");
        }
    }
}

const LOWPASS: &str = r#"name = "slow"
sample_rate = "1 kHz"
[want]
kind = "lowpass"
pass_edge = "40 Hz"
stop_edge = "60 Hz"
ripple = "0.5 dB"
attenuation = "50 dB"
[method]
design = "elliptic"
order = "minimum"
"#;

const BAD_RECURSIVE: &[Mistake] = &[
    ("pass_edge = \"40 Hz\"", "pass_edge = 40", (5, 13, "want.pass_edge"), &["bare number 40"]),
    (
        "stop_edge = \"60 Hz\"",
        "stop_edge = \"30 Hz\"",
        (6, 13, "want.stop_edge"),
        &["above the pass-band edge, 40 Hz"],
    ),
    ("stop_edge = \"60 Hz\"", "", (3, 1, "want.stop_edge"), &["order = \"minimum\" needs both"]),
    (
        "stop_edge",
        "cutoff = \"50 Hz\"\nstop_edge",
        (6, 10, "want.cutoff"),
        &["give one of the two"],
    ),
    ("pass_edge", "pass_edges", (5, 1, "want.pass_edges"), &["did you mean `pass_edge`"]),
    ("ripple = \"0.5 dB\"", "ripple = \"0 dB\"", (7, 10, "want.ripple"), &["0.000001 dB to 20 dB"]),
    ("ripple = \"0.5 dB\"", "", (3, 1, "want.ripple"), &["missing"]),
    ("\"50 dB\"", "\"0.1 dB\"", (8, 15, "want.attenuation"), &["more than the ripple"]),
    ("\"elliptic\"", "\"eliptic\"", (10, 10, "method.design"), &["did you mean `elliptic`"]),
    ("\"elliptic\"", "\"equiripple\"", (11, 1, "method.order"), &["taps"]),
    ("\"minimum\"", "0", (11, 9, "method.order"), &["1 to 24"]),
    ("\"minimum\"", "1000000000", (11, 9, "method.order"), &["1 to 24"]),
    ("\"minimum\"", "2.5", (11, 9, "method.order"), &["2.5"]),
    ("order = ", "taps = 5\norder = ", (11, 1, "method.taps"), &["design, order"]),
    ("[method]\ndesign = \"elliptic\"\norder = \"minimum\"", "", (1, 1, "method"), &["design = "]),
    (
        "kind = \"lowpass\"\npass_edge = \"40 Hz\"",
        "kind = \"bandpass\"\npass_edges = [\"60 Hz\", \"40 Hz\"]",
        (5, 14, "want.pass_edges"),
        &["the lower edge first"],
    ),
];

#[test]
fn mistakes_in_recursive_filters_are_named_with_their_place() {
    design(&Spec::parse(LOWPASS).unwrap()).unwrap();
    for (from, to, (line, column, key), words) in BAD_RECURSIVE {
        assert!(LOWPASS.contains(from), "{from}");
        let mut text = LOWPASS.replacen(from, to, 1);
        if to.contains("bandpass") {
            text = text.replace("stop_edge = \"60 Hz\"", "stop_edges = [\"20 Hz\", \"80 Hz\"]");
        }
        let error = Spec::parse(&text).expect_err(to);
        let message = error.to_string();
        assert_eq!(
            (error.line, error.column, error.key.as_str()),
            (*line, *column, *key),
            "{message}"
        );
        for word in *words {
            assert!(message.contains(word), "`{word}` is not in: {message}");
        }
    }
}

/// In a template of a kind one text is replaced; the error names the line where the new text stands (or the
/// table, where a key is missing), the key, and says these words.
const BAD_KINDS: &[(&str, &str, &str, &str, &[&str])] = &[
    ("peak", "\"87.5 Hz\"", "\"600 Hz\"", "want.center", &["500 Hz"]),
    ("peak", "width = \"5 Hz\"", "q = 0.005", "want.q", &["above 0.175"]),
    ("comb", "\"87.5 Hz\"", "\"260 Hz\"", "want.fundamental", &["780 Hz", "1 of them"]),
    ("comb", "widths = [\"5 Hz\", \"4 Hz\", \"3 Hz\"]", "widths = []", "want.widths", &["1 to 24"]),
    ("comb", "widths = [", "width = \"3 Hz\"\nwidths = [", "want.widths", &["give one of the two"]),
    ("dc-blocker", "\"0.05 Hz\"", "\"32 Hz\"", "want.cutoff", &["below the Nyquist"]),
    ("all-pass", "order = 2", "order = 3", "want.order", &["1 to 2"]),
    ("all-pass", "order = 2", "order = 1", "want.width", &["has no width"]),
    (
        "leaky-integrator",
        "\"80 ms\"",
        "\"80 mm\"",
        "want.time_constant",
        &["unit `mm`", "8 samples"],
    ),
    ("leaky-integrator", "\"80 ms\"", "\"0 s\"", "want.time_constant", &["0.001 to"]),
    ("resonator", "width = ", "breadth = ", "want.breadth", &["width"]),
    ("placed", "radius = 0.9", "radius = 1.0", "want.poles.radius", &["0 to 0.999"]),
    ("placed", "radius = 0.9", "radius = nan", "want.poles.radius", &["NaN"]),
    (
        "placed",
        "frequency = \"40 Hz\"",
        "frequency = \"501 Hz\"",
        "want.poles.frequency",
        &["500 Hz"],
    ),
    (
        "coefficients",
        "feedback = \"subtracted\"",
        "feedback = \"minus\"",
        "want.feedback",
        &["added"],
    ),
    (
        "coefficients",
        "0.6414]",
        "0.6414, 1.0]",
        "want.sections",
        &["7 numbers", "b0 b1 b2 a0 a1 a2"],
    ),
    ("coefficients", "feedback", "taps = [1]\nfeedback", "want.taps", &["`sections`"]),
    (
        "multiband",
        "[\"80 Hz\", \"200 Hz\"]",
        "[\"50 Hz\", \"200 Hz\"]",
        "want.bands.edges",
        &["above the end"],
    ),
    (
        "multiband",
        "[\"80 Hz\", \"200 Hz\"]",
        "[\"200 Hz\", \"80 Hz\"]",
        "want.bands.edges",
        &["lower edge first"],
    ),
    ("multiband", "weight = 10", "weight = 0", "want.bands.weight", &["0.000000000001 to"]),
    ("multiband", "level = \"0 x\"", "level = 0", "want.bands.level", &["bare number 0"]),
    ("multiband", "taps = 101", "taps = \"minimum\"", "method.taps", &["needs both edges"]),
    ("multiband", "taps = 101", "taps = 1000000000000", "method.taps", &["1 to 10000"]),
    ("multiband", "taps = 101", "taps = 2.5", "method.taps", &["whole number"]),
    ("multiband", "taps = 101", "taps = 101\norder = 7", "method.order", &["taps"]),
    ("points", "[\"0 Hz\", \"0 x\"]", "[\"9 kHz\", \"0 x\"]", "want.points", &["rising"]),
    (
        "points",
        "\"frequency-sampling\"",
        "\"window\"\nwindow = \"han\"",
        "method.window",
        &["mean `hann`"],
    ),
    ("differentiator", "\"400 Hz\"", "\"0 Hz\"", "want.pass_edge", &["above 0 Hz"]),
    ("differentiator", "\"equiripple\"", "\"equiripple\"\nbeta = 3", "method.beta", &["weights"]),
    (
        "hilbert",
        "[\"3 kHz\", \"45 kHz\"]",
        "[\"0 Hz\", \"45 kHz\"]",
        "want.pass_edges",
        &["nothing to turn"],
    ),
    ("half-band", "\"20 kHz\"", "\"25 kHz\"", "want.pass_edge", &["below fs/4, 24000 Hz"]),
    ("mth-band", "factor = 4", "factor = 1", "want.factor", &["2 to 1000"]),
    ("raised-cosine", "0.35", "1.35", "want.rolloff", &["0 to 1"]),
    ("raised-cosine", "\"3 kHz\"", "\"80 kHz\"", "want.symbol_rate", &["54000 Hz"]),
    ("smoother", "degree = 3", "degree = 3\nwindow = \"hann\"", "method.window", &["degree"]),
    ("smoother", "derivative = 0", "derivative = 4", "method.derivative", &["0 to 3"]),
    ("average", "taps = 16", "taps = 0", "method.taps", &["1 to 10000"]),
];

#[test]
fn mistakes_in_every_other_kind_are_named_with_their_line() {
    for (kind, from, to, key, words) in BAD_KINDS {
        let good = template(kind).unwrap();
        assert!(good.contains(from), "{kind}: {from}");
        let text = good.replacen(from, to, 1);
        let error = Spec::parse(&text).expect_err(to);
        let message = error.to_string();
        assert_eq!(error.key, *key, "{kind}: {message}");
        let last = key.rsplit('.').next().unwrap();
        let line = text.lines().nth(error.line - 1).unwrap();
        assert!(
            line.contains(last) || line.contains('"') || line.contains(to),
            "{kind}: {message}: {line}"
        );
        for word in *words {
            assert!(message.contains(word), "{kind}: `{word}` is not in: {message}");
        }
    }
}

/// A kind, what is replaced in its template, words of the message, and how the advice begins, if there is
/// any.
type OutOfReach =
    (&'static str, &'static [(&'static str, &'static str)], &'static [&'static str], &'static str);

/// The text of a spec with keys changed as they are written in an advice.
fn with_change(text: &str, change: &str) -> String {
    let (path, _) = change.split_once(" = ").unwrap();
    let mut lines: Vec<&str> = text.lines().collect();
    let header =
        |table: &str| lines.iter().position(|line| line.starts_with(&format!("[{table}]")));
    match path.split_once('.') {
        // One key of a table.
        Some((table, key)) => {
            let start = header(table).unwrap() + 1;
            let length = lines[start..].iter().take_while(|line| !line.starts_with('[')).count();
            let is_key = |line: &&str| line.starts_with(&format!("{key} ="));
            if let Some(old) = lines[start..start + length].iter().position(is_key) {
                lines.remove(start + old);
            }
            lines.insert(start, &change[table.len() + 1..]);
        }
        // The whole table.
        None => {
            let start = header(path).unwrap();
            let length =
                lines[start + 1..].iter().take_while(|line| !line.starts_with('[')).count();
            lines.drain(start..=start + length);
            lines.insert(0, change);
        }
    }
    lines.join("\n")
}

/// Wishes that can be read but not designed: what is wrong and what would do.
#[test]
fn wishes_out_of_reach_say_what_would_do() {
    let cases: &[OutOfReach] = &[
        ("differentiator", &[("\"400 Hz\"", "\"500 Hz\"")], &["method.taps"], "method.taps = 22"),
        (
            "points",
            &[("taps = 127", "taps = 126"), ("[\"48 kHz\", \"0 x\"]", "[\"48 kHz\", \"1 x\"]")],
            &["zero at the Nyquist frequency"],
            "method.taps = 127",
        ),
        ("half-band", &[("taps = 31", "taps = 33")], &["outermost taps"], "method.taps = 35"),
        ("half-band", &[("taps = 31", "taps = 30")], &["fall on a tap"], "method.taps = 31"),
        (
            "mth-band",
            &[("\"least-squares\"", "\"equiripple\"")],
            &["method.design", "least-squares"],
            "",
        ),
        (
            "multiband",
            &[("\"equiripple\"", "\"frequency-sampling\"")],
            &["method.design", "equiripple"],
            "",
        ),
        (
            "multiband",
            &[("\"equiripple\"", "\"equiripple\"\nweights = [1]")],
            &["1 weights for 3 bands"],
            "",
        ),
        (
            "multiband",
            &[("taps = 101", "taps = 4001")],
            &["below what double precision"],
            "method.taps = ",
        ),
        (
            "multiband",
            &[("\"equiripple\"", "\"least-squares\""), ("taps = 101", "taps = 9001")],
            &["method.taps", "up to 3001 taps"],
            "method.taps = 1501",
        ),
        ("smoother", &[("taps = 21", "taps = 3")], &["method.degree", "less than the 3 taps"], ""),
        ("coefficients", &[("-1.561, 0.6414", "1.561, -0.6414")], &["radius", "added"], ""),
        (
            "placed",
            &[("gain_at = \"20 Hz\"", "gain_at = \"87.5 Hz\"")],
            &["gain at 87.5 Hz is zero"],
            "want.gain_at = \"peak\"",
        ),
        ("resonator", &[("\"5 Hz\"", "\"400 Hz\"")], &["want.width", "below"], ""),
        (
            "lowpass",
            &[
                ("\"60 Hz\"", "\"40.01 Hz\""),
                ("\"elliptic\"", "\"equiripple\""),
                ("order = ", "taps = "),
            ],
            &["it needs about"],
            "method = { design = \"elliptic\", order = \"minimum\" }",
        ),
        (
            "lowpass",
            &[("\"elliptic\"", "\"window\"\nwindow = \"rectangular\""), ("order = ", "taps = ")],
            &["rectangular window"],
            "method = { design = \"window\", window = \"kaiser\", beta = ",
        ),
        (
            "highpass",
            &[("\"elliptic\"", "\"equiripple\""), ("order = \"minimum\"", "taps = 100")],
            &["zero at the Nyquist frequency"],
            "method.taps = 101",
        ),
        // A transition that no family keeps is made wider, and the response of a free stretch bounded by
        // fewer taps.
        (
            "lowpass",
            &[("\"60 Hz\"", "\"40.000001 Hz\""), ("\"50 dB\"", "\"250 dB\"")],
            &["nor does another family"],
            "want.stop_edge = ",
        ),
        (
            "highpass",
            &[("order = ", "mapping = \"impulse-invariant\"\norder = ")],
            &["method.mapping"],
            "method.mapping = \"bilinear\"",
        ),
    ];
    for (kind, changes, words, change) in cases {
        let mut text = template(kind).unwrap().to_owned();
        for (from, to) in *changes {
            assert!(text.contains(from), "{kind}: {from}");
            text = text.replacen(from, to, 1);
        }
        let spec = Spec::parse(&text).unwrap_or_else(|error| panic!("{kind}: {error}"));
        let error = design(&spec).expect_err(kind);
        let message = SpecPlace::of(&text, &error.keys()).refusal(&error);
        for word in *words {
            assert!(message.contains(word), "{kind}: `{word}` is not in: {message}");
        }
        // What is advised is a spec that is read, and it gives the filter that was tried.
        match advice(&spec, &error) {
            None => assert_eq!(*change, "", "{kind}: {message}"),
            Some(found) => {
                assert!(!change.is_empty() && found.change.starts_with(change), "{}", found.change);
                let read = Spec::parse(&with_change(&text, &found.change));
                let read = read.unwrap_or_else(|error| panic!("{kind}: {}: {error}", found.change));
                assert_eq!(design(&read).unwrap().form, design(&found.spec).unwrap().form);
            }
        }
    }
}

#[test]
fn widths_and_q_ask_for_the_same_notch() {
    let by_q = GOOD.replace("width = \"5 Hz\"", "q = 17.5");
    let (a, b) = (Spec::parse(GOOD).unwrap(), Spec::parse(&by_q).unwrap());
    assert_eq!(design(&a).unwrap(), design(&b).unwrap());
    let relative = GOOD.replace("\"87.5 Hz\"", "\"0.175 pi rad/sample\"");
    assert_eq!(design(&Spec::parse(&relative).unwrap()).unwrap(), design(&a).unwrap());
}

#[test]
fn every_template_can_be_designed_and_quantized() {
    for kind in kinds() {
        let spec = Spec::parse(template(kind).unwrap()).unwrap();
        assert_eq!(spec.want.kind(), kind);
        implement(&design(&spec).unwrap().form, spec.fixed.unwrap()).unwrap();
    }
    assert_eq!(template("no such kind"), None);
}

/// Mostly frequencies that can be meant, down to a millionth of the sample rate; now and then rubbish.
fn frequency() -> impl Strategy<Value = String> {
    prop_oneof![
        8 => (-3.0f64..2.7).prop_map(|exponent| format!("{} Hz", 10f64.powf(exponent))),
        1 => "[-+0-9.e]{0,6} ?(Hz|kHz|fs|rad/s|pi rad/sample|x|)",
    ]
}

proptest! {
    /// Anything at all is read or refused, never a panic; and what is read can be designed or is refused.
    #[test]
    fn no_text_makes_it_panic(text in "\\PC*") {
        let _ = Spec::parse(&text);
    }

    #[test]
    fn no_value_makes_it_panic(
        center in frequency(),
        width in frequency(),
        input in "[su][1-6]?[0-9]f-?[1-9]?[0-9]",
        output in "[su][1-6]?[0-9]f-?[1-9]?[0-9]",
        coefficients in "[su][1-6]?[0-9](f-?[0-9]{1,2})?",
        rounding in 0usize..5,
        overflow in 0usize..3,
    ) {
        let roundings = ["floor", "half-up", "half-even", "half-away", "toward-zero"];
        let overflows = ["saturate", "wrap", "forbid"];
        let text = GOOD
            .replace("87.5 Hz", &center)
            .replace("\"5 Hz\"", &format!("\"{width}\""))
            .replace("input = \"s16f15\"", &format!("input = \"{input}\""))
            .replace("output = \"s16f15\"", &format!("output = \"{output}\""))
            .replace("\"s16\"", &format!("\"{coefficients}\""))
            .replace("half-up", roundings[rounding])
            .replace("saturate", overflows[overflow]);
        match Spec::parse(&text) {
            Ok(spec) => {
                if let Ok(design) = design(&spec)
                    && let Ok(filter) = implement(&design.form, spec.fixed.unwrap())
                {
                    let symbols = mellow_rake::write::Symbols::new(&spec.name);
                    let _ = mellow_rake::write::c::write(&filter.checked, &symbols);
                    mellow_rake::write::verilog::write(&filter.checked, &symbols).unwrap();
                    mellow_rake::datapath::Simulator::new(&filter.checked).run(&[i64::MIN, 0, i64::MAX]);
                }
            }
            Err(error) => {
                let is_toml = matches!(*error.problem, Problem::Toml { .. });
                prop_assert!(error.line > 1 || is_toml);
            }
        }
    }

    /// Any template with any of its values replaced by another value is designed or refused, never a panic.
    #[test]
    fn no_kind_panics_on_a_strange_value(
        kind in 0usize..23, line in 0usize..40,
        value in prop_oneof![
            Just("0"), Just("-1"), Just("1e300"), Just("nan"), Just("inf"), Just("3"), Just("[]"),
                Just("\"0 Hz\""),
            Just("\"1e-9 Hz\""), Just("\"0.4999999 fs\""), Just("\"-3 Hz\""), Just("\"1e9 dB\""),
                Just("\"0 x\""),
            Just("[\"1 Hz\", \"2 Hz\"]"), Just("\"minimum\""), Just("\"window\""), Just("\"least-squares\""),
            Just("\"butterworth\""), Just("1000"), Just("{}"), Just("\"peak\""),
        ],
    ) {
        let kind = kinds().nth(kind).unwrap();
        let text = template(kind).unwrap();
        let keys: Vec<usize> =
            text.lines().enumerate().filter(|(_, l)| l.contains(" = ")).map(|(k, _)| k).collect();
        let target = keys[line % keys.len()];
        let change = |(k, l): (usize, &str)| {
            if k == target { format!("{} = {value}", l.split(" = ").next().unwrap()) } else { l.to_owned() }
        };
        let changed: Vec<String> = text.lines().enumerate().map(change).collect();
        if let Ok(spec) = Spec::parse(&changed.join("\n"))
            && let Ok(design) = design(&spec)
            && let Some(fixed) = spec.fixed
        {
            let _ = implement(&design.form, fixed);
        }
    }
}
