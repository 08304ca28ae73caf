//! Every key of a spec is read, and every value that the docs name does something of its own: no key is taken
//! and forgotten.

use mellow_rake::datapath::{Simulator, dump};
use mellow_rake::hardware::HardwareRecord;
use mellow_rake::random::NoiseSource;
use mellow_rake::study::{InTurn, Study};
use mellow_rake::write::Language;
use std::collections::{BTreeMap, BTreeSet};

const LOW: &str = "name = \"a\"\nsample_rate = \"1 kHz\"\n[want]\nkind = \"lowpass\"\n";
const BAND: &str = "name = \"a\"\nsample_rate = \"1 kHz\"\n[want]\nkind = \"bandpass\"\n";

/// A spec of a kind with lines of its tables.
fn of_kind(kind: &str, lines: &str) -> String {
    format!("name = \"a\"\nsample_rate = \"1 kHz\"\n[want]\nkind = \"{kind}\"\n{lines}")
}

/// A low-pass of two sections on integers, with lines of `[fixed]` and what follows.
fn sections(lines: &str) -> String {
    let order = "cutoff = \"90 Hz\"\n[method]\ndesign = \"butterworth\"\norder = 4\n";
    format!("{LOW}{order}[fixed]\ninput = \"s12f11\"\n{lines}")
}

/// Taps on integers, with lines of `[fixed]` and what follows.
fn taps(lines: &str) -> String {
    let edges = "pass_edge = \"90 Hz\"\nstop_edge = \"140 Hz\"\nripple = \"1 dB\"\nattenuation = \"35 dB\"\n";
    let method = "[method]\ndesign = \"equiripple\"\ntaps = 33\n";
    format!("{LOW}{edges}{method}[fixed]\ninput = \"s12f11\"\n{lines}")
}

/// The text with a key of a table set to a value, or without it. A table `a.b` is the list of tables
/// `[[a.b]]`, of which the first is meant.
fn with(text: &str, table: &str, key: &str, value: Option<&str>) -> String {
    let header = if table.contains('.') { format!("[[{table}]]") } else { format!("[{table}]") };
    let mut lines: Vec<String> = text.lines().map(str::to_owned).collect();
    let start = match table {
        "" => 0,
        _ => lines.iter().position(|line| *line == header).map(|at| at + 1).unwrap_or_else(|| {
            lines.push(header);
            lines.len()
        }),
    };
    let of_table = |line: &&String| !line.starts_with('[');
    let end = start + lines[start..].iter().take_while(of_table).count();
    let is_key = |line: &String| line.split('=').next().unwrap_or("").trim() == key;
    if let Some(at) = lines[start..end].iter().position(is_key) {
        lines.remove(start + at);
    }
    if let Some(value) = value {
        lines.insert(start, format!("{key} = {value}"));
    }
    lines.join("\n") + "\n"
}

/// What a spec leads to, its own words left out: the filter, the program, what it gives, the hardware, the
/// text that is written, what words do.
fn effect(text: &str) -> Result<BTreeMap<&'static str, String>, String> {
    let refused = |error: mellow_rake::study::StudyError| error.to_string();
    let study = Study::of_text(text, |_| Err("no file".to_owned())).map_err(refused)?;
    let mut effect = BTreeMap::new();
    effect.insert("filter", format!("{:?}", study.design.form));
    effect.insert("asked", format!("{:?}", study.designed()));
    if let Some(filter) = study.float().map_err(refused)? {
        let files = study.files(&[Language::C]).map_err(refused)?;
        effect.insert("float", format!("{filter:?}"));
        effect.insert("text", files.iter().map(|file| file.text.as_str()).collect());
    }
    if study.spec.fixed.is_none() {
        return Ok(effect);
    }
    let checked = &study.integers().map_err(refused)?.checked;
    effect.insert("program", dump(checked));
    let mut noise = NoiseSource::new(7);
    let input = checked.input();
    let mut word = || noise.integer(input.minimum() as i64, input.maximum() as i64);
    let words: Vec<i64> = (0..300).map(|_| word()).collect();
    effect.insert("words", format!("{:?}", Simulator::new(checked).run(&words)));
    if let Some(choice) = study.hardware().map_err(refused)? {
        let record = HardwareRecord::of(choice).map_err(|error| error.to_string())?;
        effect.insert("unit", serde_json::to_string(&record).unwrap());
        let files = study.files(&[Language::Verilog]).map_err(refused)?;
        effect.insert("text", files.iter().map(|file| file.text.as_str()).collect());
    }
    if text.contains("[firmware]") {
        let files = study.files(&[Language::C]).map_err(refused)?;
        effect.insert("in C", files.iter().map(|file| file.text.as_str()).collect());
    }
    if text.contains("[converter]") {
        let words = study.quantization(&InTurn).map_err(refused)?;
        effect.insert("noise", serde_json::to_string(&words).unwrap());
    }
    Ok(effect)
}

/// A key, where it stands, a spec to set it in, and values that differ in what they do; `-` stands for a spec
/// without the key.
type Case = (&'static str, &'static str, String, &'static [&'static str]);

fn recursive() -> Vec<Case> {
    let levels = "ripple = \"1 dB\"\nattenuation = \"40 dB\"\n";
    let template = format!("pass_edge = \"90 Hz\"\nstop_edge = \"140 Hz\"\n{levels}");
    let minimum = "[method]\ndesign = \"elliptic\"\norder = \"minimum\"\n";
    let low = format!("{LOW}{template}{minimum}");
    let fourth = "[method]\ndesign = \"butterworth\"\norder = 4\n";
    let cut = format!("{LOW}cutoff = \"90 Hz\"\n{fourth}");
    let bands = format!(
        "{BAND}pass_edges = [\"90 Hz\", \"140 Hz\"]\nstop_edges = [\"60 Hz\", \"170 Hz\"]\n{levels}{minimum}"
    );
    let placed = of_kind(
        "placed",
        "zeros = [{ frequency = \"100 Hz\", radius = 1 }]\n\
         poles = [{ frequency = \"90 Hz\", radius = 0.9 }]\ngain = \"0 dB\"\ngain_at = \"0 Hz\"\n",
    );
    let given = of_kind("coefficients", "b = [0.2, 0.3]\na = [1, -0.5]\n");
    let roots = "zeros = [[-1, 0]]\npoles = [[0.5, 0]]\ngain = 0.25\n";
    let given_roots = of_kind("coefficients", roots);
    vec![
        ("", "sample_rate", low.clone(), &["\"1 kHz\"", "\"2 kHz\""]),
        ("want", "pass_edge", low.clone(), &["\"90 Hz\"", "\"95 Hz\"", "\"0.1 fs\""]),
        ("want", "stop_edge", low.clone(), &["\"140 Hz\"", "\"240 Hz\""]),
        ("want", "ripple", low.clone(), &["\"1 dB\"", "\"0.5 dB\""]),
        ("want", "attenuation", low.clone(), &["\"40 dB\"", "\"55 dB\"", "\"0.001 x\""]),
        ("want", "cutoff", cut.clone(), &["\"90 Hz\"", "\"91 Hz\""]),
        (
            "want",
            "cutoffs",
            format!("{BAND}{fourth}"),
            &["[\"90 Hz\", \"140 Hz\"]", "[\"90 Hz\", \"141 Hz\"]", "[\"91 Hz\", \"140 Hz\"]"],
        ),
        (
            "want",
            "pass_edges",
            bands.clone(),
            &["[\"90 Hz\", \"140 Hz\"]", "[\"90 Hz\", \"141 Hz\"]", "[\"91 Hz\", \"140 Hz\"]"],
        ),
        (
            "want",
            "stop_edges",
            bands,
            &["[\"60 Hz\", \"170 Hz\"]", "[\"60 Hz\", \"190 Hz\"]", "[\"85 Hz\", \"170 Hz\"]"],
        ),
        ("want", "kind", cut.clone(), &["\"lowpass\"", "\"highpass\""]),
        ("want", "center", of_kind("notch", "width = \"9 Hz\"\n"), &["\"50 Hz\"", "\"60 Hz\""]),
        ("want", "width", of_kind("peak", "center = \"60 Hz\"\n"), &["\"9 Hz\"", "\"10 Hz\""]),
        ("want", "q", of_kind("resonator", "center = \"60 Hz\"\n"), &["9", "10"]),
        (
            "want",
            "fundamental",
            of_kind("comb", "width = \"2 Hz\"\nharmonics = 3\n"),
            &["\"50 Hz\"", "\"60 Hz\""],
        ),
        (
            "want",
            "harmonics",
            of_kind("comb", "fundamental = \"60 Hz\"\nwidth = \"2 Hz\"\n"),
            &["1", "2", "3"],
        ),
        (
            "want",
            "widths",
            of_kind("comb", "fundamental = \"60 Hz\"\n"),
            &["[\"2 Hz\"]", "[\"2 Hz\", \"2 Hz\"]", "[\"2 Hz\", \"3 Hz\"]"],
        ),
        (
            "want",
            "time_constant",
            of_kind("leaky-integrator", ""),
            &["\"20 ms\"", "\"30 ms\"", "\"8 samples\""],
        ),
        (
            "want",
            "zeros",
            placed.clone(),
            &[
                "[{ frequency = \"100 Hz\", radius = 1 }]",
                "[{ frequency = \"110 Hz\", radius = 1 }]",
                "[{ frequency = \"100 Hz\", radius = 0.9 }]",
            ],
        ),
        (
            "want",
            "poles",
            placed.clone(),
            &[
                "[{ frequency = \"90 Hz\", radius = 0.9 }]",
                "[{ frequency = \"80 Hz\", radius = 0.9 }]",
                "[{ frequency = \"90 Hz\", radius = 0.8 }]",
            ],
        ),
        ("want", "gain", placed.clone(), &["\"0 dB\"", "\"-3 dB\"", "\"0.5 x\""]),
        ("want", "gain_at", placed, &["\"0 Hz\"", "\"90 Hz\"", "\"peak\""]),
        ("want", "b", given.clone(), &["[0.2, 0.3]", "[0.2, 0.4]", "[0.2]"]),
        ("want", "a", given.clone(), &["[1, -0.5]", "[1, -0.6]", "[2, -0.5]"]),
        ("want", "feedback", given, &["\"subtracted\"", "\"added\""]),
        (
            "want",
            "sections",
            of_kind("coefficients", ""),
            &["[[1, 0, 0, 1, -0.5, 0]]", "[[1, 0, 0, 1, -0.5, 0.1]]", "[[1, 0, 0, 2, -0.5, 0]]"],
        ),
        ("want", "zeros", given_roots.clone(), &["[[-1, 0]]", "[[-0.9, 0]]"]),
        ("want", "poles", given_roots.clone(), &["[[0.5, 0]]", "[[0.6, 0]]"]),
        ("want", "gain", given_roots, &["0.25", "0.5"]),
        (
            "method",
            "design",
            low,
            &["\"butterworth\"", "\"chebyshev1\"", "\"chebyshev2\"", "\"elliptic\""],
        ),
        ("method", "design", cut.clone(), &["\"butterworth\"", "\"bessel\""]),
        ("method", "order", cut.clone(), &["2", "3", "4"]),
        ("method", "mapping", cut, &["\"bilinear\"", "\"impulse-invariant\""]),
        (
            "equalizer",
            "delay_ripple",
            sections("").replace("[fixed]\ninput = \"s12f11\"\n", ""),
            &["\"2 ms\"", "\"0.2 ms\""],
        ),
    ]
}

fn finite() -> Vec<Case> {
    let window = "[method]\ndesign = \"window\"\nwindow = \"hann\"\ntaps = 31\n";
    let cut = format!("{LOW}cutoff = \"90 Hz\"\n{window}");
    let band = format!("{BAND}cutoffs = [\"90 Hz\", \"170 Hz\"]\n{window}");
    let edges = "pass_edge = \"90 Hz\"\nstop_edge = \"140 Hz\"\n";
    let optimal = format!("{LOW}{edges}[method]\ndesign = \"equiripple\"\ntaps = 31\n");
    let fewest = format!(
        "{LOW}{edges}ripple = \"1 dB\"\nattenuation = \"30 dB\"\n[method]\ndesign = \"equiripple\"\n\
         taps = \"minimum\"\n"
    );
    let bands = of_kind(
        "multiband",
        "[[want.bands]]\nedges = [\"0 Hz\", \"90 Hz\"]\nlevel = \"1 x\"\nweight = 1\n[[want.bands]]\n\
         edges = [\"140 Hz\", \"500 Hz\"]\nlevel = \"0 x\"\nweight = 1\n[method]\n\
         design = \"least-squares\"\ntaps = 31\n",
    );
    let sampled =
        format!("{LOW}cutoff = \"90 Hz\"\n[method]\ndesign = \"frequency-sampling\"\ntaps = 31\n");
    let points = of_kind("points", "[method]\ndesign = \"frequency-sampling\"\ntaps = 31\n");
    let third = "pass_edge = \"120 Hz\"\n[method]\ndesign = \"equiripple\"\ntaps = 31\n";
    let pulse = "symbol_rate = \"100 Hz\"\nrolloff = 0.3\n[method]\ntaps = 41\n";
    let smoother = of_kind("smoother", "[method]\ntaps = 21\ndegree = 4\nderivative = 0\n");
    let of_window = |window: &str| with(&cut, "method", "window", Some(window));
    vec![
        (
            "method",
            "window",
            cut.clone(),
            &[
                "\"rectangular\"",
                "\"bartlett\"",
                "\"hann\"",
                "\"hamming\"",
                "\"blackman\"",
                "\"blackman-harris\"",
                "\"nuttall\"",
                "\"flat-top\"",
            ],
        ),
        ("method", "sigma", of_window("\"gaussian\""), &["0.3", "0.4"]),
        ("method", "taper", of_window("\"tukey\""), &["0.3", "0.4"]),
        ("method", "beta", of_window("\"kaiser\""), &["3", "4"]),
        ("method", "sidelobes", of_window("\"chebyshev\""), &["\"50 dB\"", "\"60 dB\""]),
        ("want", "attenuation", of_window("\"kaiser\""), &["\"50 dB\"", "\"60 dB\""]),
        ("method", "gain", band, &["\"ideal\"", "\"unity\""]),
        ("method", "taps", cut, &["30", "31"]),
        ("want", "ripple", fewest.clone(), &["\"1 dB\"", "\"0.1 dB\""]),
        ("want", "stop_edge", fewest, &["\"140 Hz\"", "\"190 Hz\""]),
        ("method", "weights", optimal.clone(), &["[1, 1]", "[1, 5]"]),
        ("method", "phase", optimal.clone(), &["\"linear\"", "\"minimum\""]),
        ("method", "design", optimal, &["\"equiripple\"", "\"least-squares\""]),
        ("method", "transition_samples", sampled, &["-", "[0.4]", "[0.6, 0.1]"]),
        (
            "want",
            "points",
            points,
            &[
                "[[\"0 Hz\", \"0 dB\"], [\"500 Hz\", \"-6 dB\"]]",
                "[[\"0 Hz\", \"0 dB\"], [\"500 Hz\", \"-9 dB\"]]",
                "[[\"0 Hz\", \"0 dB\"], [\"200 Hz\", \"0 dB\"], [\"500 Hz\", \"-9 dB\"]]",
            ],
        ),
        ("want.bands", "edges", bands.clone(), &["[\"0 Hz\", \"90 Hz\"]", "[\"0 Hz\", \"80 Hz\"]"]),
        ("want.bands", "level", bands.clone(), &["\"1 x\"", "\"-1 dB\"", "[\"1 x\", \"0.5 x\"]"]),
        ("want.bands", "weight", bands, &["1", "10"]),
        ("want", "pass_edge", of_kind("half-band", third), &["\"120 Hz\"", "\"150 Hz\""]),
        (
            "want",
            "factor",
            of_kind("mth-band", &third.replace("equiripple", "least-squares")),
            &["3", "4"],
        ),
        ("want", "symbol_rate", of_kind("raised-cosine", pulse), &["\"100 Hz\"", "\"125 Hz\""]),
        ("want", "rolloff", of_kind("root-raised-cosine", pulse), &["0.3", "0.4"]),
        ("method", "degree", smoother.clone(), &["2", "4"]),
        ("method", "derivative", smoother, &["0", "1", "2"]),
        ("want", "taps", of_kind("coefficients", ""), &["[0.25, 0.5, 0.25]", "[0.25, 0.5, 0.2]"]),
    ]
}

fn words() -> Vec<Case> {
    let plain = sections("");
    let converter = sections("[converter]\nbits = 12\nrange = 1\nnoise = 0.001\n");
    // The second section is far larger than the first, and the first resonates.
    let unlike = of_kind(
        "coefficients",
        "sections = [[0.05, 0, 0, 1, -1.6, 0.81], [3, 1, 0, 1, -0.5, 0]]\n[fixed]\ninput = \"s12f11\"\n",
    );
    let half_band = "pass_edge = \"120 Hz\"\n[method]\ndesign = \"equiripple\"\ntaps = 31\n[fixed]\n\
                     input = \"s12f11\"\n";
    let half_band = of_kind("half-band", half_band);
    let scaled = with(&unlike, "fixed", "scaling", Some("\"peak\""));
    let lattice = sections("structure = \"lattice-ladder\"\n");
    vec![
        (
            "fixed",
            "input",
            plain.clone(),
            &["\"s12f11\"", "\"s12f10\"", "\"s13f11\"", "\"u12f11\""],
        ),
        ("fixed", "output", plain.clone(), &["\"s12f11\"", "\"s14f11\"", "\"s12f10\""]),
        ("fixed", "coefficients", plain.clone(), &["-", "\"s10\"", "\"s14\"", "\"s14f11\""]),
        (
            "fixed",
            "coefficient_fraction",
            unlike.clone(),
            &["\"common\"", "\"per-section\"", "\"zeros-and-poles\""],
        ),
        ("fixed", "between", plain.clone(), &["-", "\"s16f13\"", "\"s16f12\""]),
        ("fixed", "products", plain.clone(), &["-", "\"s18f15\"", "\"s18f14\""]),
        ("fixed", "accumulator", plain.clone(), &["-", "\"s40\"", "\"s40f30\""]),
        (
            "fixed",
            "structure",
            plain.clone(),
            &[
                "\"direct-form-1\"",
                "\"error-feedback-1\"",
                "\"error-feedback-2\"",
                "\"direct-form-2\"",
                "\"direct-form-1-transposed\"",
                "\"direct-form-2-transposed\"",
                "\"coupled\"",
                "\"lattice-ladder\"",
                "\"lattice-sections\"",
            ],
        ),
        (
            "fixed",
            "structure",
            taps(""),
            &["\"fir-direct\"", "\"fir-transposed\"", "\"fir-folded\""],
        ),
        ("fixed", "structure", half_band, &["\"fir-direct\"", "\"fir-skip-zeros\""]),
        ("fixed", "state", lattice, &["-", "\"s20f17\"", "\"s20f16\""]),
        ("fixed", "multiplier", plain.clone(), &["true", "false"]),
        (
            "fixed",
            "rounding",
            plain.clone(),
            &["\"floor\"", "\"half-up\"", "\"half-even\"", "\"half-away\"", "\"toward-zero\""],
        ),
        ("fixed", "overflow", plain.clone(), &["\"saturate\"", "\"wrap\""]),
        ("fixed", "overflow", sections("output = \"s16f11\"\n"), &["\"saturate\"", "\"forbid\""]),
        ("fixed", "scaling", unlike, &["-", "\"worst-case\"", "\"peak\"", "\"energy\""]),
        ("fixed", "scaling_steps", scaled, &["\"exact\"", "\"powers-of-two\""]),
        ("fixed", "section_order", plain.clone(), &["\"as-designed\"", "\"quietest\""]),
        (
            "fixed",
            "coefficient_search",
            taps("coefficients = \"s8\"\n"),
            &["\"nearest\"", "\"neighbours\""],
        ),
        ("fixed", "signed_digits", plain.clone(), &["-", "2", "3"]),
        ("fixed", "unit_sum", taps("coefficients = \"s8\"\n"), &["false", "true"]),
        (
            "float",
            "format",
            plain.replace("[fixed]\ninput = \"s12f11\"\n", "[float]\n"),
            &["\"f32\"", "\"f64\""],
        ),
        (
            "float",
            "structure",
            plain.replace("[fixed]\ninput = \"s12f11\"\n", "[float]\nformat = \"f32\"\n"),
            &["\"direct-form-1\"", "\"direct-form-2-transposed\""],
        ),
        ("converter", "bits", converter.clone(), &["12", "14"]),
        ("converter", "range", converter.clone(), &["1", "2"]),
        ("converter", "noise", converter, &["0", "0.001"]),
    ]
}

fn hardware() -> Vec<Case> {
    let serial = sections("[hardware]\n");
    let long = taps("[hardware]\n");
    let two = sections("[hardware]\nchannels = 16\n");
    vec![
        ("hardware", "clock", serial.clone(), &["-", "\"12 MHz\"", "\"9 fs\""]),
        ("hardware", "architecture", long.clone(), &["\"serial\"", "\"parallel\""]),
        ("hardware", "multipliers", long.clone(), &["1", "2", "4"]),
        ("hardware", "samples_per_clock", long.clone(), &["1", "2", "4"]),
        ("hardware", "pre_adder", long, &["false", "true"]),
        ("hardware", "multiplier_stages", serial.clone(), &["1", "2", "3"]),
        ("hardware", "pipelining", serial.clone(), &["1", "2"]),
        ("hardware", "channels", serial.clone(), &["1", "2", "3"]),
        (
            "hardware",
            "interface",
            serial.clone(),
            &["\"valid\"", "\"valid-ready\"", "\"axi-stream\""],
        ),
        ("hardware", "memory_reset", serial.clone(), &["\"clear\"", "\"keep\""]),
        ("hardware", "coefficients", serial, &["\"constant\"", "\"loadable\""]),
        ("hardware", "block_ram_bits", two, &["256", "100000"]),
    ]
}

fn firmware() -> Vec<Case> {
    let text = taps("[firmware]\n");
    let tunes = &[
        "\"portable\"",
        "\"cortex-m0\"",
        "\"cortex-m3\"",
        "\"cortex-m4\"",
        "\"cortex-m7\"",
        "\"cortex-m33\"",
        "\"rv32\"",
        "\"host\"",
    ];
    vec![
        ("firmware", "tune", text.clone(), tunes),
        ("firmware", "goal", text.clone(), &["\"automatic\"", "\"speed\"", "\"size\""]),
        ("firmware", "channels", text, &["1", "2", "3"]),
    ]
}

fn cases() -> Vec<Case> {
    [recursive(), finite(), words(), hardware(), firmware()].concat()
}

#[test]
fn every_value_does_something_of_its_own() {
    let mut wrong = String::new();
    for (table, key, text, values) in cases() {
        let mut seen: Vec<(&str, BTreeMap<_, _>)> = Vec::new();
        for value in values {
            let changed = with(&text, table, key, (*value != "-").then_some(value));
            let effect = match effect(&changed) {
                Ok(effect) => effect,
                Err(error) => {
                    wrong += &format!("{table}.{key}: {value}: {error}\n");
                    continue;
                }
            };
            for (other, _) in seen.iter().filter(|(_, before)| effect == *before) {
                wrong += &format!("{table}.{key}: {value} does what {other} does\n");
            }
            seen.push((value, effect));
        }
    }
    assert!(wrong.is_empty(), "{wrong}");
}

/// What stands for a key that is left out is what the docs say.
#[test]
fn a_key_that_is_left_out_means_what_the_docs_say() {
    let (plain, finite, serial) = (sections(""), taps(""), sections("[hardware]\n"));
    let firm = taps("[firmware]\n");
    let float = plain.replace("[fixed]\ninput = \"s12f11\"\n", "[float]\nformat = \"f32\"\n");
    for (table, key, text, value) in [
        ("fixed", "output", &plain, "\"s12f11\""),
        ("fixed", "coefficients", &plain, "\"s12\""),
        ("fixed", "structure", &plain, "\"direct-form-1\""),
        ("fixed", "structure", &finite, "\"fir-direct\""),
        ("fixed", "multiplier", &plain, "true"),
        ("fixed", "rounding", &plain, "\"half-up\""),
        ("fixed", "overflow", &plain, "\"saturate\""),
        ("float", "structure", &float, "\"direct-form-2-transposed\""),
        ("float", "peak", &float, "1"),
        ("hardware", "architecture", &serial, "\"serial\""),
        ("hardware", "multiplier_stages", &serial, "1"),
        ("hardware", "pipelining", &serial, "\"automatic\""),
        ("hardware", "channels", &serial, "1"),
        ("hardware", "samples_per_clock", &serial, "1"),
        ("hardware", "block_ram_bits", &serial, "256"),
        ("firmware", "tune", &firm, "\"portable\""),
        ("firmware", "goal", &firm, "\"automatic\""),
        ("firmware", "channels", &firm, "1"),
        ("", "effort", &plain, "1"),
    ] {
        let without = effect(&with(text, table, key, None)).unwrap();
        let stated = effect(&with(text, table, key, Some(value))).unwrap();
        assert!(without == stated, "{table}.{key} = {value} is not what is taken without it");
    }
}

/// The keys and words in the rows of a table of the docs.
fn documented(heading: &str) -> BTreeSet<String> {
    let path = std::path::Path::new(env!("CARGO_MANIFEST_DIR")).join("../../docs/spec.md");
    let text = std::fs::read_to_string(path).unwrap();
    let part = text.split("\n## ").find(|part| part.starts_with(heading)).unwrap();
    let rows = part.lines().filter(|line| line.starts_with("| `"));
    let keys = rows.flat_map(|row| row.split('|').nth(1).unwrap().split('`').skip(1).step_by(2));
    keys.map(str::to_owned).collect()
}

#[test]
fn every_documented_key_is_tried() {
    let tried: BTreeSet<String> = cases().iter().map(|case| case.1.to_owned()).collect();
    for heading in ["`[fixed]`", "`[float]`", "`[hardware]`", "`[firmware]`"] {
        let keys = documented(heading);
        assert!(!keys.is_empty(), "{heading}");
        for key in keys {
            // The largest expected input is what the bound of the error is of.
            assert!(tried.contains(&key) || key == "peak", "{heading}: `{key}` is not tried");
        }
    }
}
