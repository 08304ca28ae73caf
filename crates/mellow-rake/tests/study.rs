//! The one entry: whoever asks, in whatever words, gets the same filter and the same integers.

use mellow_rake::Wish;
use mellow_rake::filter::Family;
use mellow_rake::random::NoiseSource;
use mellow_rake::spec::{FirMethod, Fixed, Spec, Structure, WishedBand, kinds, template};
use mellow_rake::study::{InTurn, Job, Jobs, Study, StudyError, SweepWish, Swept, Workers};
use proptest::prelude::*;

fn study(text: &str) -> Result<Study, StudyError> {
    Study::of_text(text, |name| Err(format!("{name} is not there")))
}

/// Threads that take the jobs from the last to the first.
struct Backward;

impl Workers for Backward {
    fn all<T: Send>(&self, _: &'static str, jobs: Jobs<'_, T>) -> Vec<T> {
        let mut jobs: Vec<Job<'_, T>> = jobs.into_iter().collect();
        let mut done: Vec<Vec<T>> = Vec::new();
        while !jobs.is_empty() {
            let some = jobs.split_off(jobs.len().saturating_sub(3));
            done.push(std::thread::scope(|scope| {
                let threads: Vec<_> = some.into_iter().map(|job| scope.spawn(job)).collect();
                threads.into_iter().map(|thread| thread.join().unwrap()).collect()
            }));
        }
        done.into_iter().rev().flatten().collect()
    }
}

proptest! {
    #![proptest_config(ProptestConfig { cases: 200, failure_persistence: None, ..ProptestConfig::default() })]

    /// A wish in Rust is the spec that a text gives, whatever is asked of a recursive filter.
    #[test]
    fn a_wish_is_the_spec_of_a_text(
        kind in 0usize..4, family in 0usize..5, order in 1usize..9, by_template: bool,
        low in 10.0f64..200.0, apart in 10.0f64..100.0, ripple in 0.1f64..3.0,
        attenuation in 20.0f64..80.0,
    ) {
        let name = ["lowpass", "highpass", "bandpass", "bandstop"][kind];
        let wish = [Wish::lowpass, Wish::highpass, Wish::bandpass, Wish::bandstop][kind]("1 kHz");
        let is_band = kind > 1;
        let high = low + apart;
        // The stop-band lies on the far side of each edge.
        let out = if kind % 2 == 0 { 5.0 } else { -2.0 };
        let family = Family::ALL[family];
        let key = |key: &str, hertz: [f64; 2]| match is_band {
            true => format!("{key}s = [\"{} Hz\", \"{} Hz\"]\n", hertz[0], hertz[1]),
            false => format!("{key} = \"{} Hz\"\n", hertz[0]),
        };
        let levels = format!("ripple = \"{ripple} dB\"\nattenuation = \"{attenuation} dB\"\n");
        let (edges, wish) = if by_template {
            let stop = if is_band { [low - out, high + out] } else { [low + out, 0.0] };
            let text = key("pass_edge", [low, high]) + &key("stop_edge", stop) + &levels;
            let wish = match is_band {
                true => wish.pass_edges_hz(low, high).stop_edges_hz(stop[0], stop[1]),
                false => wish.pass_edge_hz(low).stop_edge_hz(stop[0]),
            };
            (text, wish.ripple_db(ripple).attenuation_db(attenuation))
        } else {
            let wish = if is_band { wish.cutoffs_hz(low, high) } else { wish.cutoff_hz(low) };
            (key("cutoff", [low, high]), wish)
        };
        let order = if is_band { 2 * order } else { order };
        let asked = if by_template { "\"minimum\"".to_owned() } else { order.to_string() };
        let text = format!(
            "name = \"filter\"\nsample_rate = \"1 kHz\"\n[want]\nkind = \"{name}\"\n{edges}[method]\n\
             design = \"{family}\"\norder = {asked}\n"
        );
        let wish = wish.recursive(family, (!by_template).then_some(order));
        match Spec::parse(&text) {
            Ok(spec) => {
                prop_assert_eq!(&spec, &wish.clone().spec().unwrap(), "{}", text);
                let (said, read) = (wish.study(), study(&text));
                prop_assert_eq!(said.is_ok(), read.is_ok());
                if let (Err(said), Err(read)) = (said, read) {
                    prop_assert_eq!(said.keys(), read.keys());
                }
            }
            // A text with an order and a cut-off is refused where its family needs levels.
            Err(error) => prop_assert!(
                !by_template && !matches!(family, Family::Butterworth | Family::Bessel),
                "{}: {}", text, error
            ),
        }
    }

    /// Slices, iterators and blocks see one filter.
    #[test]
    fn a_filter_is_the_same_however_it_is_fed(
        seed: u64, order in 1usize..7, cutoff in 5.0f64..400.0, count in 1usize..300,
    ) {
        let filter = Wish::highpass("1 kHz").cutoff_hz(cutoff).butterworth(order).filter().unwrap();
        let mut noise = NoiseSource::new(seed);
        let signal: Vec<f64> = (0..count).map(|_| noise.normal()).collect();
        let mut applied = signal.clone();
        filter.apply(&mut applied);
        let streamed: Vec<f64> = filter.stream(signal.iter().copied()).collect();
        prop_assert_eq!(&applied, &streamed);
        prop_assert_eq!(filter.stream(signal.clone()).len(), count);
        let mut running = filter.start();
        let blocks: Vec<f64> = signal.chunks(1 + order).flat_map(|block| running.run(block)).collect();
        prop_assert_eq!(&applied, &blocks);
    }
}

/// A filter, its integers and its page do not depend on who does the work.
#[test]
fn the_page_is_the_same_on_any_threads() {
    for kind in ["notch", "bandpass"] {
        let study = study(template(kind).unwrap()).unwrap();
        let json = |workers: &dyn Fn() -> mellow_rake::study::Quantization| {
            serde_json::to_string(&workers()).unwrap()
        };
        let one = json(&|| study.quantization(&InTurn).unwrap());
        assert_eq!(one, json(&|| study.quantization(&Backward).unwrap()), "{kind}");
        let wish = SweepWish { of: Swept::Coefficients, from: 10, to: 14, every_structure: true };
        let sweep = study.sweep(wish, &InTurn).unwrap();
        assert_eq!(sweep, study.sweep(wish, &Backward).unwrap(), "{kind}");
        // The row of the spec's own width is the spec.
        let own = study.integers().unwrap().fixed.coefficients.width;
        if let Some(row) = sweep.rows.iter().find(|row| row.bits == own) {
            assert_eq!(row.template_excess_db, study.rounded_excess_db(), "{kind}");
        }
        assert_eq!(sweep.rows.len(), 5);
        assert!(sweep.structures.unwrap().iter().all(|one| one.rows.len() == 5));
    }
}

/// Every kind has a study; what it has no words for is said with its key.
#[test]
fn every_kind_has_a_study() {
    for kind in kinds() {
        let text = template(kind).unwrap();
        let whole = study(text).unwrap_or_else(|error| panic!("{kind}: {error}"));
        assert!(whole.integers().is_ok(), "{kind}");
        let bare = &text[..text.find("[fixed]").unwrap()];
        let bare = study(bare).unwrap();
        assert!(matches!(bare.integers(), Err(StudyError::NoWords)), "{kind}");
        assert_eq!(bare.designed().measures, whole.designed().measures, "{kind}");
        assert!(bare.rounded().is_none() && whole.rounded().is_some(), "{kind}");
    }
    let hopeless = Fixed::new(Structure::FirFolded, "s16f15".parse().unwrap());
    let wish = Wish::lowpass("1 kHz").cutoff("40 Hz").butterworth(2).words(hopeless);
    let error = wish.study().unwrap().integers().map(|_| ()).unwrap_err();
    assert_eq!(error.keys(), ["fixed.structure"]);
    assert!(error.to_string().starts_with("key `fixed.structure`: "), "{error}");
    let error = Wish::notch("1 kHz", "87.5", "5 Hz").study().unwrap_err();
    assert_eq!(
        (error.keys().remove(0).as_str(), error.to_string().contains("no unit")),
        ("want.center", true)
    );
}

/// Every kind is said in Rust in the words of its commented spec, and is the same wish.
#[test]
fn every_kind_has_its_words() {
    let band = |edges_hz, level: f64, weight| WishedBand { edges_hz, level: [level; 2], weight };
    let bands = [
        band([0.0, 60.0], 1.0, 1.0),
        band([80.0, 200.0], 0.0, 10.0),
        band([230.0, 500.0], 0.5, 1.0),
    ];
    let points = [
        ("0 Hz", 0.0),
        ("2 kHz", 1.0),
        ("12 kHz", 1.0),
        ("20 kHz", 0.6),
        ("40 kHz", 0.3),
        ("48 kHz", 0.0),
    ];
    let least_squares = FirMethod::LeastSquares { weights: Vec::new() };
    let said = [
        ("notch", Wish::notch("1 kHz", "87.5 Hz", "5 Hz")),
        ("peak", Wish::peak("1 kHz", "87.5 Hz", "5 Hz")),
        ("comb", Wish::comb("1 kHz", "87.5 Hz", ["5 Hz", "4 Hz", "3 Hz"])),
        ("dc-blocker", Wish::dc_blocker("64 Hz", "0.05 Hz")),
        ("all-pass", Wish::second_order_all_pass("1 kHz", "60 Hz", "30 Hz")),
        ("leaky-integrator", Wish::leaky_integrator_over("1 kHz", "80 ms")),
        ("resonator", Wish::resonator("1 kHz", "87.5 Hz", "5 Hz")),
        ("multiband", Wish::multiband("1 kHz", bands, 101)),
        ("points", Wish::points("96 kHz", points, 127)),
        ("differentiator", Wish::differentiator("1 kHz", "400 Hz", 21)),
        ("hilbert", Wish::hilbert("96 kHz", ["3 kHz", "45 kHz"], 31)),
        ("half-band", Wish::half_band("96 kHz", "20 kHz", 31)),
        ("mth-band", Wish::mth_band("96 kHz", 4, "10 kHz", 63).method(least_squares)),
        ("raised-cosine", Wish::raised_cosine("96 kHz", "3 kHz", 0.35, 193)),
        ("root-raised-cosine", Wish::root_raised_cosine("96 kHz", "3 kHz", 0.35, 257)),
        ("smoother", Wish::smoother("64 Hz", 3, 21)),
        ("average", Wish::average("1 kHz", 16)),
    ];
    for (kind, wish) in &said {
        let expected = Spec::parse(template(kind).unwrap()).unwrap();
        let found = wish.clone().spec().unwrap();
        assert_eq!(
            (found.sample_rate, found.want),
            (expected.sample_rate, expected.want),
            "{kind}"
        );
        assert!(wish.clone().filter().is_ok(), "{kind}");
    }
    // Bands are said by their own words, placed and given filters by theirs.
    let others = ["lowpass", "highpass", "bandpass", "bandstop", "placed", "coefficients"];
    for kind in kinds() {
        assert!(said.iter().any(|(name, _)| *name == kind) != others.contains(&kind), "{kind}");
    }
    // What cannot be is an error with its key, however it is said.
    let keys = |wish: Wish| wish.filter().unwrap_err().keys()[0].to_owned();
    assert_eq!(keys(Wish::peak("1 kHz", "600 Hz", "5 Hz")), "want.center");
    assert_eq!(keys(Wish::comb("1 kHz", "87.5 Hz", ["5 Hz", "wide"])), "want.widths");
    assert_eq!(keys(Wish::average("none", 16)), "sample_rate");
    assert_eq!(
        keys(Wish::notch("1 kHz", "87.5 Hz", "5 Hz").method(FirMethod::ClosedForm)),
        "method"
    );
    assert_eq!(keys(Wish::half_band("96 kHz", "30 kHz", 31)), "want.pass_edge");
    assert_eq!(keys(Wish::hilbert("96 kHz", ["3 kHz", "45"], 31)), "want.pass_edges");
    assert_eq!(keys(Wish::smoother("64 Hz", 30, 21)), "method.degree");
    assert_eq!(keys(Wish::raised_cosine("96 kHz", "3 kHz", 1.5, 193)), "want.rolloff");
}
