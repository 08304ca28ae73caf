//! Chains with stages of sections: their words, their errors in their own spectrum, what is refused.

use mellow_rake::design::design;
use mellow_rake::filter::{Form, Section, Sections, Taps};
use mellow_rake::fixed::Overflow;
use mellow_rake::implementation::{ChainImplementation, StageError, implement_chain};
use mellow_rake::random::NoiseSource;
use mellow_rake::rates::{Chain, RateError, Stage};
use mellow_rake::spec::{ChainFixed, Spec, StageFixed, Structure};
use mellow_rake::study::ChainStudy;

use crate::random_chains::{STRUCTURES, rate};

/// A low-pass filter of some kind, its edge so much of the rate.
fn lowpass(order: usize, edge: f64, design_of: &str) -> Form {
    let text = format!(
        "name = \"keel\"\nsample_rate = \"1 kHz\"\n[want]\nkind = \"lowpass\"\n[method]\norder = {order}\n\
         design = \"{design_of}\"\n"
    );
    let text = match design_of {
        "elliptic" => text
            .replace("[method]", &format!("pass_edge = \"{edge} fs\"\n[method]"))
            .replace("[want]", "[want]\nripple = \"0.5 dB\"\nattenuation = \"60 dB\""),
        _ => text.replace("[method]", &format!("cutoff = \"{edge} fs\"\n[method]")),
    };
    design(&Spec::parse(&text).unwrap()).unwrap().form
}

/// The error of the integers beside the rounded chain in f64 on white noise of half scale: its mean square in
/// squared steps, and the largest.
fn measured(found: &ChainImplementation, seed: u64, samples: usize) -> [f64; 2] {
    let mut noise = NoiseSource::new(seed);
    let input = found.network.input();
    let half = input.maximum() as i64 / 2;
    let words: Vec<i64> = (0..samples).map(|_| noise.integer(-half, half)).collect();
    let values: Vec<f64> = words.iter().map(|word| input.value(*word)).collect();
    let output = found.network.output();
    let given = found.network.start().run(&words);
    let exact = found.rounded.start().run(&values);
    let off =
        given.iter().zip(&exact).map(|(word, exact)| (output.value(*word) - exact) / output.step());
    let off: Vec<f64> = off.collect();
    let square = off.iter().map(|one| one * one).sum::<f64>() / off.len() as f64;
    [square, off.iter().fold(0.0, |most, one| most.max(one.abs()))]
}

/// Sections round within their poles, so what they add has the spectrum of these: what is behind them passes
/// or stops it. The prediction knows, for each structure, also of a filter that nearly rings, and the bound
/// holds.
#[test]
fn errors_of_sections_go_on_in_their_own_spectrum() {
    let high = Taps(vec![0.25, -0.5, 0.25]);
    let mean = Taps(vec![0.25; 4]);
    let mut apart = [0.0f64; 2];
    for (number, structure) in STRUCTURES.into_iter().enumerate() {
        for (form, next) in [
            (lowpass(2, 0.01, "butterworth"), &high),
            (lowpass(2, 0.01, "butterworth"), &mean),
            (lowpass(5, 0.1, "elliptic"), &mean),
        ] {
            let stages = vec![
                Stage::decimator(2, form).unwrap(),
                Stage::decimator(3, next.clone()).unwrap(),
            ];
            let chain = Chain::new(rate(), stages).unwrap();
            let mut fixed = ChainFixed::new("s16f15".parse().unwrap());
            fixed.output = "s24f21".parse().unwrap();
            fixed.between = Some("s18".parse().unwrap());
            let coefficients = "s24".parse().unwrap();
            let usual = StageFixed { coefficients, ..fixed.usual };
            fixed.stages = vec![StageFixed { structure: Some(structure), ..usual }, usual];
            let found = implement_chain(&chain, &fixed).unwrap();
            assert_eq!(found.stages[0].structure, Some(structure));
            assert!(found.network.no_limit_acts());
            let [square, largest] = measured(&found, 30 + number as u64, 240_000);
            let step = found.network.output().step();
            assert!(largest <= found.network.error().largest() / step, "{structure:?}");
            let predicted = found.network.noise().unwrap().rms() / step;
            let off = 20.0 * (square.sqrt() / predicted).log10();
            assert!(off.abs() < 1.0, "{structure:?}: {off} dB");
            apart = [apart[0].min(off), apart[1].max(off)];
        }
    }
    println!("predictions are off by {apart:?} dB");
}

/// Brute force on small words: whatever goes in, no word is beyond the level of its joint, and where it is
/// said that no limit acts the error is within its bound.
#[test]
fn no_input_is_beyond_the_levels() {
    let section = Section { b: [0.25, 0.5, 0.25], a: [-0.75, 0.5] };
    let stages = vec![
        Stage::decimator(2, Sections(vec![section])).unwrap(),
        Stage::interpolator(2, Sections(vec![Section { b: [1.0, 0.0, 0.0], a: [-0.5, 0.0] }]))
            .unwrap(),
    ];
    let chain = Chain::new(rate(), stages).unwrap();
    let mut fixed = ChainFixed::new("s2f1".parse().unwrap());
    fixed.output = "s9f5".parse().unwrap();
    let found = implement_chain(&chain, &fixed).unwrap();
    assert!(found.network.no_limit_acts());
    let joint = found.network.joints().last().unwrap();
    let (step, error) = (found.network.output().step(), found.network.error());
    let [mut low, mut high, mut off] = [0.0f64; 3];
    // All sequences of 9 words of 2 bits.
    for number in 0..1u32 << 18 {
        let words: Vec<i64> = (0..9).map(|k| i64::from((number >> (2 * k)) & 3) - 2).collect();
        let values: Vec<f64> = words.iter().map(|word| *word as f64 / 2.0).collect();
        let given = found.network.start().run(&words);
        let exact = found.rounded.start().run(&values);
        for (word, exact) in given.iter().zip(&exact) {
            let value = *word as f64 * step;
            assert!(value - exact >= error.low - 1e-12 && value - exact <= error.high + 1e-12);
            (low, high) = (low.min(value), high.max(value));
            off = off.max((value - exact).abs());
        }
    }
    assert!(low >= joint.low && high <= joint.high, "{low} {high} {joint:?}");
    // They are not far from what they say.
    assert!(
        low < 0.8 * joint.low && off > 0.4 * error.largest(),
        "{low} {off} {joint:?} {error:?}"
    );
}

/// A limit between sections acts on a level that the last word does not show.
#[test]
fn limits_between_sections_count() {
    let loud = Section { b: [1.0, 0.0, 0.0], a: [-0.9, 0.0] };
    let quiet = Section { b: [0.05, -0.045, 0.0], a: [0.0, 0.0] };
    let stage = Stage::decimator(2, Sections(vec![loud, quiet])).unwrap();
    let chain = Chain::new(rate(), vec![stage]).unwrap();
    let mut fixed = ChainFixed::new("s12f11".parse().unwrap());
    fixed.output = "s12f11".parse().unwrap();
    let found = implement_chain(&chain, &fixed).unwrap();
    let joint = found.network.joints().last().unwrap();
    assert!(joint.high < 0.2 && !joint.fits, "{joint:?}");
    let given = found.network.start().run(&[2047; 64]);
    assert_ne!(
        given,
        found
            .network
            .ideal(&[2047.0 / 2048.0; 64])
            .iter()
            .map(|x| (x * 2048.0).round() as i64)
            .collect::<Vec<_>>()
    );
    // Where none may act the words between sections are wider; where there are none it is refused.
    fixed.usual.overflow = Overflow::Forbid;
    assert!(implement_chain(&chain, &fixed).unwrap().network.no_limit_acts());
    let stage = Stage::decimator(2, Sections(vec![loud])).unwrap();
    let chain = Chain::new(rate(), vec![stage]).unwrap();
    let error = implement_chain(&chain, &fixed).unwrap_err();
    assert!(matches!(error.error, StageError::Sections(_)), "{error}");
    assert!(error.keys()[0].starts_with("stage.1.fixed"), "{:?}", error.keys());
    fixed.output = "s16f11".parse().unwrap();
    assert!(implement_chain(&chain, &fixed).unwrap().network.no_limit_acts());
}

#[test]
fn sections_that_cannot_be_are_refused() {
    let endless = Section { b: [1.0, 0.0, 0.0], a: [-1.0, 0.0] };
    let error = Stage::decimator(2, Sections(vec![endless])).unwrap_err();
    assert_eq!(error, RateError::Section { section: 1, radius: 1.0 });
    assert_eq!(Stage::decimator(2, Sections(Vec::new())).unwrap_err(), RateError::NoTaps);
    let stage = Stage::decimator(2, Taps(vec![0.5, 0.5])).unwrap();
    let chain = Chain::new(rate(), vec![stage]).unwrap();
    let mut fixed = ChainFixed::new("s16f15".parse().unwrap());
    fixed.stages = vec![StageFixed { structure: Some(Structure::DirectForm2), ..fixed.usual }];
    let error = implement_chain(&chain, &fixed).unwrap_err();
    assert_eq!(error.keys()[0], "stage.1.fixed.structure");
}

const LEE: &str = r#"
name = "lee"
sample_rate = "1 kHz"
[change]
pass_edge = "16 Hz"
attenuation = "60 dB"
ripple = "0.6 dB"
[[stage]]
down = 5
comb = { order = 4 }
[[stage]]
down = 4
[stage.want]
kind = "lowpass"
pass_edge = "16 Hz"
ripple = "0.2 dB"
attenuation = "60 dB"
[stage.method]
design = "elliptic"
order = 7
[stage.fixed]
structure = "direct-form-2-transposed"
output = "s18"
coefficients = "s24"
[fixed]
input = "s16f15"
output = "s16f15"
"#;

/// From a spec: the recursive stage is steeper than taps of as many products, and says what that costs.
#[test]
fn a_spec_has_recursive_stages() {
    let study = ChainStudy::of_text(LEE, |_| Err("no file".to_owned())).unwrap();
    let record = study.record();
    assert_eq!((record.stages[1].sections.len(), record.stages[1].taps.len()), (4, 0));
    assert_eq!((record.stages[1].delay_s, record.delay_s), (None, None));
    let words = study.words_record().unwrap();
    assert_eq!(words.stages[1].structure, Some("direct-form-2-transposed"));
    assert_eq!(words.stages[1].sections.len(), 4);
    // Products for every sample of 200 Hz: three sections of five and one of the first order.
    assert_eq!(record.stages[1].multiplies_per_second, 200.0 * 18.0);
}
