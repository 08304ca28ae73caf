//! What the effort of a spec limits, and that it says what it left undone.

use mellow_rake::datapath::{CycleSearch, zero_input_cycles};
use mellow_rake::design::{Choice, DesignError, design};
use mellow_rake::filter::BandKind;
use mellow_rake::implementation::implement;
use mellow_rake::response::{Bands, measure_bands};
use mellow_rake::spec::Spec;

fn spec(rest: &str) -> Spec {
    let text = format!("name = \"x\"\nsample_rate = \"44.1 kHz\"\n{rest}");
    Spec::parse(&text).unwrap_or_else(|error| panic!("{error}\n{text}"))
}

/// Long least-squares designs: at the usual effort some numbers of taps stay untried and are named; with more
/// the least is found, it is among those, and whatever is given keeps the template.
#[test]
fn an_unfinished_search_names_what_it_left_untried() {
    let wish = |effort: u32| {
        let spec = spec(&format!(
            "effort = {effort}\n[want]\nkind = \"lowpass\"\npass_edge = \"1 kHz\"\nstop_edge = \"1.075 \
                kHz\"\nripple = \"0.5 dB\"\n\
             attenuation = \"60 dB\"\n[method]\ndesign = \"least-squares\"\ntaps = \"minimum\"\n"
        ));
        let found = design(&spec).unwrap();
        let bands = Bands {
            kind: BandKind::Lowpass,
            pass_hz: Some(vec![1000.0]),
            stop_hz: Some(vec![1075.0]),
        };
        let measured = measure_bands(found.transfer(), spec.sample_rate, &bands, 0.0);
        assert!(measured.passband_ripple_db.unwrap() <= 0.5);
        assert!(measured.stopband_attenuation_db.unwrap() >= 60.0);
        match found.choice {
            Choice::Fir(choice) => choice,
            other => panic!("{other:?}"),
        }
    };
    let (usual, more) = (wish(1), wish(8));
    assert!(!usual.taps_are_smallest && more.taps_are_smallest);
    assert!(more.taps < usual.taps, "{} {}", more.taps, usual.taps);
    let said = usual.assumptions.iter().find(|line| line.contains("effort = 4")).unwrap();
    let range: Vec<usize> = said
        .split([' ', ','])
        .filter_map(|word| word.trim_end_matches(',').parse().ok())
        .take(2)
        .collect();
    assert!((range[0]..=range[1]).contains(&more.taps), "{said}: {}", more.taps);
    assert!(!more.assumptions.iter().any(|line| line.contains("effort")));
}

/// Where nothing was found in time the refusal says so, and how to go on; it does not say that there is
/// nothing.
#[test]
fn a_search_that_ended_is_no_proof_that_there_is_nothing() {
    let long = spec(
        "[want]\nkind = \"highpass\"\npass_edge = \"1 kHz\"\nstop_edge = \"990 Hz\"\nripple = \"0.5 \
            dB\"\nattenuation = \"60 dB\"\n\
         [method]\ndesign = \"equiripple\"\ntaps = \"minimum\"\n",
    );
    match design(&long) {
        Err(DesignError::Fir(error)) => {
            let said = error.to_string();
            assert!(said.contains("effort = 4"), "{said}");
        }
        // On the way it may have met a number that does.
        Ok(found) => match found.choice {
            Choice::Fir(choice) => assert!(!choice.taps_are_smallest),
            other => panic!("{other:?}"),
        },
        Err(other) => panic!("{other}"),
    }
}

/// Two poles that remember each error for long: orbits of millions of samples, of which as many are followed
/// as the effort allows.
#[test]
fn a_search_for_oscillations_ends() {
    let wish = spec(
        "[want]\nkind = \"highpass\"\ncutoff = \"2.5578 kHz\"\n[method]\ndesign = \"bessel\"\norder = \
            2\n[fixed]\ninput = \"s22f21\"\n\
         output = \"s22f21\"\ncoefficients = \"s26\"\nstructure = \"error-feedback-2\"\n\
         rounding = \"half-up\"\noverflow = \"saturate\"\n",
    );
    let form = design(&wish).unwrap().form;
    let filter = implement(&form, wish.fixed.unwrap()).unwrap();
    let found = zero_input_cycles(&filter.section(0).unwrap()).unwrap();
    match found.search {
        CycleSearch::Sampled { starts, open } => {
            assert!((1..=4_000).contains(&starts) && open <= starts, "{starts} {open}");
            assert!(open > 0, "{starts}: the hard case of this test is none");
        }
        CycleSearch::Exhaustive { states } => panic!("{states}"),
    }
}

/// Effort is a number from 1 to 1000 at the top of a spec, and reaches all that it concerns.
#[test]
fn the_spec_says_the_effort() {
    let found = spec(
        "effort = 12\n[want]\nkind = \"notch\"\ncenter = \"1 kHz\"\nq = 3\n[fixed]\ninput = \"s16f15\"\n\
            output = \"s16f15\"\ncoefficients = \"s16\"\nstructure = \"direct-form-1\"\n\
            rounding = \"half-up\"\noverflow = \"saturate\"\n",
    );
    assert_eq!((found.effort.get(), found.fixed.unwrap().effort.get()), (12, 12));
    for wrong in ["0", "1001", "1.5", "\"much\""] {
        let text = format!(
            "name = \"x\"\nsample_rate = \"1 kHz\"\neffort = {wrong}\n[want]\nkind = \"notch\"\n"
        );
        let error = Spec::parse(&text).unwrap_err();
        assert_eq!((error.line, error.key.as_str()), (3, "effort"), "{error}");
    }
}

/// How many comparisons are worth it follows from what one takes, the measuring of its response included: of
/// some thousand taps a few, of a hundred all that could be wanted.
#[test]
fn comparisons_of_long_filters_are_few() {
    use mellow_rake::spec::{Fixed, Structure};
    let affordable = |count: usize, word: &str| {
        let mut words = Fixed::new(Structure::FirDirect, word.parse().unwrap());
        words.coefficients.width = 3;
        let taps: Vec<f64> = (0..count).map(|k| if k % 16 == 0 { 0.01 } else { 0.0 }).collect();
        let study = mellow_rake::Wish::taps("1 kHz", taps).words(words).study().unwrap();
        study.integers().unwrap().affordable()
    };
    for word in ["s3f0", "s16f15"] {
        assert!(affordable(4_000, word) <= 2, "{}", affordable(4_000, word));
        assert!(affordable(100, word) > 100, "{}", affordable(100, word));
    }
}
