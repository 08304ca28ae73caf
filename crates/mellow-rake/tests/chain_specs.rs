//! Specs of chains: what they give, and what is wrong with them at its place.

use mellow_rake::rates::{ChainError, PlanError};
use mellow_rake::spec::{
    ChainFixed, ChainSpec, Coefficients, Comb, Hardware, Kept, Least, NotchWidth, Spec, Want,
    chain_kinds, template,
};
use mellow_rake::study::{ChainStudy, ChainStudyError};
use mellow_rake::units::Frequency;
use mellow_rake::verify::judge_chain;
use mellow_rake::{ChainWish, Effort};

fn no_file(name: &str) -> Result<Coefficients, String> {
    Err(format!("{name} is not here"))
}

fn spec(change: &str, stages: &str) -> String {
    format!("name = \"x\"\nsample_rate = \"96 kHz\"\n[change]\n{change}\n{stages}")
}

const LEVELS: &str = "ripple = \"0.2 dB\"\nattenuation = \"60 dB\"";

/// Every spec that one can start from keeps what it asks for, and so does the one in its comments.
#[test]
fn specs_to_start_from_keep_what_they_ask() {
    for kind in chain_kinds() {
        let text = template(kind).unwrap();
        assert!(ChainSpec::is_chain(text));
        assert_eq!(ChainStudy::of_text(text, no_file).unwrap().meets_spec(), Some(true), "{kind}");
        let error = Spec::parse(text).unwrap_err();
        assert!(error.to_string().contains("a chain of stages at several rates"), "{error}");
    }
    let whole = template("chain").unwrap();
    let (_, comments) = whole.split_once("designed as the change needs it:").unwrap();
    let (stages, filter) = comments.split_once("# or give each").unwrap();
    let (_, filter) = filter.split_once("kHz:").unwrap();
    let plain = |text: &str| text.replace("# ", "").replace('#', "");
    let given = format!("{}{}", whole.split_once("# The stages are").unwrap().0, plain(stages));
    let study = ChainStudy::of_text(&given, no_file).unwrap();
    assert_eq!((study.meets_spec(), study.chain().stages().len()), (Some(true), 2));
    let first = plain(stages).replacen("down = 4", &format!("down = 4\n{}", plain(filter)), 1);
    let second = "[stage.want]\nkind = \"lowpass\"\npass_edge = \"2.4 kHz\"\nstop_edge = \"3.6 kHz\"\n\
        ripple = \"0.04 dB\"\nattenuation = \"71 dB\"\n[stage.method]\ndesign = \"equiripple\"\n";
    let text = format!("{}{first}{second}", whole.split_once("# The stages are").unwrap().0);
    let study = ChainStudy::of_text(&text.replace("down = 16", ""), no_file).unwrap();
    assert_eq!(study.meets_spec(), Some(true));
    assert_eq!(study.record().stages[1].filter_rate_hz, 24_000.0);
}

/// A change as a whole, by its factors, and with nothing kept but the pass-band or all of the band.
#[test]
fn changes_are_read_as_they_are_meant() {
    let whole = ChainSpec::parse(&spec(
        &format!("up = 3\ndown = 8\npass_edge = \"0.1 fs\"\nkeep = \"whole-band\"\n{LEVELS}"),
        "",
    ))
    .unwrap();
    assert_eq!((whole.change.up, whole.change.down, whole.change.pass_hz), (3, 8, 9_600.0));
    assert_eq!((whole.change.kept, whole.lower_rate_hz()), (Kept::WholeBand, 36_000.0));
    let study = ChainStudy::of(whole).unwrap();
    assert_eq!((study.clean_hz(), study.meets_spec()), (18_000.0, Some(true)));
    // Frequencies of a stage in parts of the rate are those of the rate at which it filters.
    let stages = "[[stage]]\nup = 2\n[stage.want]\nkind = \"half-band\"\npass_edge = \"0.2 fs\"\n\
        [stage.method]\ndesign = \"equiripple\"\ntaps = 19\n";
    let chain = ChainStudy::of_text(&spec("pass_edge = \"30 kHz\"", stages), no_file).unwrap();
    assert_eq!(chain.meets_spec(), None);
    assert_eq!(chain.spec.stages[0].rate.hertz(), 192_000.0);
    // A half-band filter at the higher rate lets half of the level through, for zeros stand between.
    assert!(chain.pass_band().lowest_db.abs() < 0.2);
    // Integrators and combs stand beside stages that the change asks for, and beside some of their own.
    let sums = "[[stage]]\ndown = 8\n[stage.comb]\norder = 4\n";
    let by = format!("{sums}[[stage]]\ndown = 2\n");
    let levels = format!("pass_edge = \"1 kHz\"\n{LEVELS}");
    let mixed = ChainStudy::of_text(&spec(&levels, &by), no_file).unwrap();
    assert_eq!((mixed.meets_spec(), mixed.record().stages[0].growth_bits), (Some(true), Some(12)));
    let own = format!("{sums}{}", stages.replace("up", "down"));
    let mixed = ChainStudy::of_text(&spec("pass_edge = \"1 kHz\"", &own), no_file).unwrap();
    assert_eq!(mixed.record().stages.iter().filter(|stage| stage.comb.is_some()).count(), 1);
    // Found or forbidden.
    let wide = format!("down = 32\npass_edge = \"1 kHz\"\n{LEVELS}");
    for (key, count) in [("", 1), ("combs = true\n", 1), ("combs = false\n", 0)] {
        let found = ChainStudy::of_text(&spec(&format!("{key}{wide}"), ""), no_file).unwrap();
        let combs = found.record().stages.iter().filter(|stage| stage.comb.is_some()).count();
        assert_eq!(combs, count, "{key}");
    }
    // Coefficients are those that were given.
    let given = "[[stage]]\nup = 2\n[stage.want]\nkind = \"coefficients\"\nfile = \"line.csv\"\n";
    let file = |name: &str| match name {
        "line.csv" => Ok(Coefficients::Taps(vec![0.5, 1.0, 0.5])),
        _ => no_file(name),
    };
    let text = spec("pass_edge = \"1 kHz\"", given);
    let line = ChainStudy::of_text(&text, file).unwrap();
    assert_eq!(line.chain().start().run(&[8.0, 16.0]), [4.0, 8.0, 12.0, 16.0]);
    let error = ChainStudy::of_text(&text, no_file).unwrap_err();
    assert!(matches!(&error, ChainStudyError::Coefficients { place, .. } if place.line == 9));
    assert!(error.to_string().contains("key `stage.1.want.file`: line.csv is not here"), "{error}");
}

/// Sums that are found for a chain on integers have words for what they grow by; without words they may be
/// any.
#[test]
fn sums_that_are_found_fit_their_words() {
    let text = "name = \"x\"\nsample_rate = \"1 MHz\"\n[change]\ndown = 4000\npass_edge = \"100 Hz\"\n\
        ripple = \"0.1 dB\"\nattenuation = \"80 dB\"\n";
    let growth = |text: &str| {
        let study = ChainStudy::of_text(text, no_file).unwrap();
        assert_eq!(study.meets_spec(), Some(true));
        let record = study.record();
        let growth = record.stages.iter().filter_map(|stage| stage.growth_bits).max().unwrap();
        if let Some(fixed) = &record.fixed {
            let widths = fixed.stages.iter().flat_map(|stage| &stage.sums).map(|sum| sum.width());
            assert!(widths.max().unwrap() <= 64);
        }
        growth
    };
    assert!(growth(text) > 48);
    for (input, prune) in [("s16f15", false), ("s16f15", true), ("u24f24", true), ("s32f31", false)]
    {
        let fixed =
            format!("[fixed]\ninput = \"{input}\"\noutput = \"s24f23\"\ncoefficients = \"s24\"\n");
        assert!(growth(&format!("{text}{fixed}prune = {prune}\n")) <= 48);
    }
}

/// Line and key of what is wrong, and what would do.
#[test]
fn what_is_wrong_is_named_at_its_place() {
    let stages = "[[stage]]\ndown = 4\n[[stage]]\ndown = 2\n";
    let half = "[stage.want]\nkind = \"half-band\"\npass_edge = \"5 kHz\"\n[stage.method]\n\
        design = \"equiripple\"\ntaps = 11\n";
    let levels = |change: &str| format!("{change}\n{LEVELS}");
    let cases = [
        (
            levels("down = 8\npass_edge = \"6 kHz\""),
            String::new(),
            5,
            "change.pass_edge",
            "6000 Hz, half",
        ),
        (
            levels("down = 8\nup = 2\npass_edge = \"1 kHz\""),
            String::new(),
            5,
            "change.up",
            "down by 4",
        ),
        (
            levels("pass_edge = \"1 kHz\""),
            String::new(),
            4,
            "change.down",
            "as up = 3 and down = 2",
        ),
        (
            levels("pass_edge = \"1 kHz\""),
            "[[stage]]\ngain = \"200 dB\"\n".to_owned(),
            8,
            "stage.1.gain",
            "-120 dB to 120 dB",
        ),
        (
            levels("pass_edge = \"1 kHz\""),
            "[[stage]]\ndown = 4\ngain = \"2 x\"\ncomb = { order = 3 }\n".to_owned(),
            9,
            "stage.1.gain",
            "stage of its own",
        ),
        (
            levels("down = 4097\npass_edge = \"1 kHz\""),
            String::new(),
            4,
            "change.down",
            "1 to 4096",
        ),
        (
            levels("down = 9\npass_edge = \"1 kHz\""),
            stages.to_owned(),
            4,
            "change.down",
            "8, or no",
        ),
        (
            "down = 8\npass_edge = \"1 kHz\"".to_owned(),
            String::new(),
            4,
            "change.ripple",
            "missing",
        ),
        (
            levels("down = 8\npass_edge = \"1 Hz\"\nkeep = \"all\""),
            String::new(),
            6,
            "change.keep",
            "whole",
        ),
        (
            levels("pass_edge = \"1 kHz\""),
            "[[stage]]\ntwo = 1\n".to_owned(),
            8,
            "stage.1.two",
            "up, down",
        ),
        (
            levels("pass_edge = \"1 kHz\""),
            "[[stage]]\nup = 1\n".to_owned(),
            8,
            "stage.1.down",
            "down = 4",
        ),
        (
            levels("pass_edge = \"1 kHz\""),
            format!("{stages}{half}"),
            10,
            "stage.2",
            "found a [stage.want], and a stage before it has no",
        ),
        (
            "pass_edge = \"1 kHz\"".to_owned(),
            format!("{stages}{half}").replace("[[stage]]\ndown = 4\n", "").replace("11", "\"11\""),
            12,
            "stage.1.method.taps",
            "found the text",
        ),
        (
            "pass_edge = \"1 kHz\"".to_owned(),
            format!("[[stage]]\ndown = 2\n{half}").replace("taps = 11", "taps = 12"),
            12,
            "stage.1.method.taps",
            "stage 1: 12 taps",
        ),
        (
            levels("pass_edge = \"1 kHz\""),
            "[[stage]]\nup = 2\ndown = 3\ncomb = { order = 2 }\n".to_owned(),
            10,
            "stage.1.comb",
            "a change one way",
        ),
        (
            levels("pass_edge = \"1 kHz\""),
            "[[stage]]\ndown = 3\ncomb = { order = 9 }\n".to_owned(),
            9,
            "stage.1.comb.order",
            "1 to 8",
        ),
        (
            levels("pass_edge = \"1 kHz\""),
            "[[stage]]\ndown = 3\ncomb = { order = 3 }\n".to_owned(),
            7,
            "stage",
            "one of taps is wanted as well",
        ),
        (
            levels("pass_edge = \"5 kHz\""),
            "[[stage]]\ndown = 12\n[[stage]]\nup = 5\n".to_owned(),
            6,
            "stage.1",
            "behind stage 1 the rate is 8000 Hz; above 10000 Hz",
        ),
    ];
    for (change, stages, line, key, what) in cases {
        let error = ChainStudy::of_text(&spec(&change, &stages), no_file).unwrap_err();
        let said = error.to_string();
        let found = match &error {
            ChainStudyError::Spec(error) => (error.line, error.key.clone()),
            ChainStudyError::Design { place: Some(place), .. } => (place.line, place.key.clone()),
            _ => (0, String::new()),
        };
        assert_eq!(found.1, key, "{said}");
        assert!(said.contains(what), "{said}");
        assert!(found.0.abs_diff(line) <= 1, "{line}: {said}");
    }
    // Words that are none, or not enough.
    let fixed = "[fixed]\ninput = \"s16f15\"\n";
    let sums = "[[stage]]\ndown = 2048\n[stage.comb]\norder = 5\n[[stage]]\ndown = 1\n";
    let coarse = "[[stage]]\ndown = 2\n[stage.fixed]\ncoefficients = \"s16f15\"\n";
    let wide = levels("pass_edge = \"1 kHz\"");
    let change = levels("down = 8\npass_edge = \"1 kHz\"");
    let cases = [
        (change.clone(), "[fixed]\noutput = \"s16f15\"\n".to_owned(), "fixed.input", "missing"),
        (change.clone(), format!("{fixed}state = \"s16\"\n"), "fixed.state", "unknown key"),
        (change.clone(), format!("{fixed}between = \"16\"\n"), "fixed.between", "s18"),
        (change.clone(), format!("{fixed}prune = \"yes\"\n"), "fixed.prune", "true or false"),
        (wide.clone(), coarse.to_owned(), "stage.1.fixed", "no table [fixed]"),
        (
            wide.clone(),
            format!("{fixed}{}", coarse.replace("coefficients", "multiplier")),
            "stage.1.fixed.multiplier",
            "unknown key",
        ),
        (
            wide.clone(),
            format!("{fixed}overflow = \"forbid\"\n[[stage]]\ndown = 2\n"),
            "fixed",
            "can reach",
        ),
        (
            wide.clone(),
            format!("{fixed}coefficients = \"s8f9\"\n[[stage]]\ndown = 2\n"),
            "fixed.coefficients",
            "does not fit",
        ),
        (
            levels("pass_edge = \"1 Hz\""),
            format!("{fixed}{}", sums.replace("[[stage]]\ndown = 1\n", "[[stage]]\ndown = 2\n")),
            "stage.1.comb",
            "at most 64 are there",
        ),
    ];
    for (change, more, key, what) in cases {
        let error = ChainStudy::of_text(&spec(&change, &more), no_file).unwrap_err();
        let said = error.to_string();
        let found = match &error {
            ChainStudyError::Spec(error) => error.key.clone(),
            ChainStudyError::Words { place: Some(place), .. } => place.key.clone(),
            _ => String::new(),
        };
        assert_eq!(found, key, "{said}");
        assert!(said.contains(what), "{said}");
    }
    // Without a text the keys are known as well.
    let spec = ChainSpec::parse(&spec(&levels("down = 8\npass_edge = \"1 kHz\""), "")).unwrap();
    let mut bad = spec.clone();
    bad.change.down = 1;
    let error = ChainStudy::of(bad).unwrap_err();
    let ChainStudyError::Design { place: None, error } = error else { panic!("{error}") };
    assert!(matches!(*error, ChainError::Plan(PlanError::Factor { .. })));
    assert_eq!(error.keys()[0], "change.up");
}

/// Gains in front of, in and behind filters multiply what comes out, and take nothing from the attenuation;
/// a chain may be nothing but a gain.
#[test]
fn gains_are_gains() {
    let change = format!("pass_edge = \"3 kHz\"\n{LEVELS}");
    let plain = "[[stage]]\ndown = 4\n[[stage]]\ndown = 2\n";
    let study = |stages: &str, fixed: &str| {
        ChainStudy::of_text(&spec(&change, &format!("{stages}{fixed}")), no_file).unwrap()
    };
    let usual = study(plain, "");
    let filters = [
        plain.to_owned(),
        "[[stage]]\ndown = 8\n[stage.want]\nkind = \"lowpass\"\npass_edge = \"3 kHz\"\nripple = \
         \"0.1 dB\"\nattenuation = \"62 dB\"\n[stage.method]\ndesign = \"elliptic\"\norder = 7\n"
            .to_owned(),
    ];
    for filters in &filters {
        let reference = study(filters, "");
        let inside = filters.replacen("down", "gain = \"-14 dB\"\ndown", 1);
        let ways = [
            (format!("[[stage]]\ngain = \"20 dB\"\n{filters}"), 20.0),
            (format!("{filters}[[stage]]\ngain = \"0.01 x\"\n"), -40.0),
            (format!("[[stage]]\ngain = \"30 dB\"\n{inside}"), 16.0),
        ];
        for (stages, gain_db) in ways {
            let found = study(&stages, "[fixed]\ninput = \"s16f15\"\noutput = \"s32f24\"\n");
            assert!((found.spec.gain_db() - gain_db).abs() < 1e-9);
            let gain = 10f64.powf(gain_db / 20.0);
            let input: Vec<f64> = (0..2000).map(|n| f64::from(n * n % 197) / 197.0 - 0.5).collect();
            let expected = reference.chain().start().run(&input);
            let given = found.chain().start().run(&input);
            assert_eq!(given.len(), expected.len());
            for (one, other) in given.iter().zip(expected) {
                assert!((one - gain * other).abs() < 1e-9 * gain, "{one} {other}");
            }
            let attenuations =
                [found.attenuation_db(), reference.attenuation_db()].map(Option::unwrap);
            assert!((attenuations[0] - attenuations[1]).abs() < 1e-6, "{attenuations:?}");
            let (integers, rounded) = found.integers().unwrap();
            assert!(rounded.meets(&found.spec.change).unwrap(), "{rounded:?}");
            let scale = integers.network.output().step();
            let step = integers.network.input().step();
            let words: Vec<i64> = input.iter().map(|x| (x / step).round() as i64).collect();
            let (given, error) = judge_chain(integers, found.chain(), &words);
            assert!(error.within_bound(), "{error:?}");
            assert!(given.iter().any(|word| (*word as f64 * scale).abs() > 0.2 * gain));
        }
    }
    let alone = study("[[stage]]\ngain = \"6 dB\"\n", "");
    assert!((alone.chain().start().run(&[1.0])[0] - 10f64.powf(0.3)).abs() < 1e-12);
    assert_eq!(usual.spec.gain_db(), 0.0);
}

/// A chain said in Rust is the one that a text says, and what is wrong in it has the key that it has there.
#[test]
fn a_chain_said_in_rust_is_that_of_a_text() {
    type Said = fn(ChainWish) -> ChainWish;
    let usual = "down = 8\npass_edge = \"2 kHz\"\nripple = \"0.1 dB\"\nattenuation = \"70 dB\"\n";
    let said: Said = |wish| wish.down(8).pass_edge("2 kHz").ripple("0.1 dB").attenuation("70 dB");
    let chains: [(&str, &str, Said); 7] = [
        ("", "", |wish| wish),
        ("keep = \"whole-band\"\ncombs = false\nleast = \"memory\"\nchannels = 3\n", "", |wish| {
            wish.keep(Kept::WholeBand).combs(false).least(Least::Memory).channels(3)
        }),
        ("carrier = [\"27 kHz\", \"33 kHz\"]\n", "", |wish| {
            wish.carrier("27 kHz").carrier("33 kHz")
        }),
        ("", "[[stage]]\ndown = 4\n[[stage]]\ngain = \"-6 dB\"\n[[stage]]\ndown = 2\n", |wish| {
            wish.stage(1, 4).gain_stage("-6 dB").stage(1, 2)
        }),
        ("carrier = \"27 kHz\"\n", "[fixed]\ninput = \"s12f11\"\n", |wish| {
            wish.carrier("27 kHz").words(ChainFixed::new("s12f11".parse().unwrap()))
        }),
        ("samples = \"complex\"\n", "[[stage]]\ndown = 4\n[[stage]]\ndown = 2\n", |wish| {
            wish.complex().stage(1, 4).stage(1, 2)
        }),
        (
            "",
            "effort = 3\n[[stage]]\ndown = 4\ncomb = { order = 3 }\n[[stage]]\ndown = 2\n[stage.want]\n\
             kind = \"notch\"\ncenter = \"50 Hz\"\nq = 5\n",
            |wish| {
                let notch =
                    Want::Notch { center: Frequency::Hertz(50.0), width: NotchWidth::Q(5.0) };
                let wish =
                    wish.comb_stage(1, 4, Comb { order: 3, delay: 1 }).filter_stage(1, 2, notch);
                wish.effort(Effort::new(3).unwrap())
            },
        ),
    ];
    for (change, others, more) in chains {
        let (top, rest) = match others.strip_prefix("effort = 3\n") {
            Some(rest) => ("effort = 3\n", rest),
            None => ("", others),
        };
        let head = format!("name = \"hull\"\nsample_rate = \"96 kHz\"\n{top}[change]\n");
        let text = format!("{head}{usual}{change}{rest}");
        let wish = more(said(ChainWish::new("96 kHz").name("hull")));
        let read = ChainSpec::parse(&text).unwrap();
        assert_eq!(wish.spec().unwrap(), read, "{text}");
        assert_eq!(read.stages.is_empty(), rest.is_empty() || rest.starts_with("[fixed]"));
    }
    let wrong: [(&str, Said); 15] = [
        ("sample_rate", |_| ChainWish::new("96")),
        ("name", |wish| wish.name("two words")),
        ("change.pass_edge", |wish| wish.pass_edge("6 kHz")),
        ("change.pass_edge", |wish| wish.pass_edge("6 apples")),
        ("change.ripple", |wish| wish.ripple("7 dB")),
        ("change.carrier", |wish| wish.carrier("47 kHz")),
        ("change.samples", |wish| wish.carrier("27 kHz").complex()),
        ("change.carrier", |wish| wish.carrier("27 kHz").carrier("27000 Hz")),
        ("stage.2.gain", |wish| wish.stage(1, 8).gain_stage("121 dB")),
        ("stage.1.gain", |wish| wish.gain_stage("6 apples")),
        ("change.channels", |wish| wish.channels(17)),
        ("change.down", |wish| wish.down(4097)),
        ("change.down", |wish| wish.stage(1, 4)),
        ("stage.1.down", |wish| wish.stage(1, 0)),
        ("hardware", |wish| wish.hardware(Hardware::default())),
    ];
    for (key, more) in wrong {
        let error = more(said(ChainWish::new("96 kHz"))).spec().unwrap_err();
        assert_eq!((error.key.as_str(), error.line), (key, 0), "{error}");
    }
    let bare = ChainWish::new("96 kHz").down(8);
    assert_eq!(bare.clone().spec().unwrap_err().key, "change.pass_edge");
    assert_eq!(bare.pass_edge("2 kHz").spec().unwrap_err().key, "change.ripple");
}
