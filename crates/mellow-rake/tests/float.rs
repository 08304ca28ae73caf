//! Filters in floating point: one right answer, bit for bit, and a bound that nothing breaks.

use mellow_rake::Wish;
use mellow_rake::filter::{Form, Section, Sections, Taps};
use mellow_rake::float::{FloatError, FloatFilter, FloatFormat, FloatSimulator, FloatStructure};
use mellow_rake::random::NoiseSource;
use mellow_rake::spec::{Float, Spec};
use mellow_rake::study::{Study, StudyError};
use mellow_rake::verify::Proof;
use mellow_rake::write::{Language, WriteError};

use crate::floats::{Stranger, any_float, any_numbers};

/// Numbers that are equal in every bit, or are none both.
fn alike(format: FloatFormat, one: f64, other: f64) -> bool {
    format.bits(one) == format.bits(other)
}

#[test]
fn the_simulator_is_the_order_of_the_docs() {
    let mut noise = NoiseSource::new(301);
    for _ in 0..400 {
        let (_, filter) = any_float(&mut noise);
        let format = filter.format();
        let mut input = any_numbers(&mut noise, format, 300, 1.0);
        // What overflows, and what is no number, at the end.
        input.extend([format.largest(), -format.largest(), f64::INFINITY, 1.0, f64::NAN, 1.0]);
        let found = FloatSimulator::new(&filter).run(&input);
        let (structure, rows) = (filter.structure().as_str(), filter.rows());
        let expected: Vec<f64> = match format {
            FloatFormat::Single => {
                let mut stranger = Stranger::<f32>::new(structure, rows);
                input.iter().map(|x| f64::from(stranger.step(*x as f32))).collect()
            }
            _ => {
                let mut stranger = Stranger::<f64>::new(structure, rows);
                input.iter().map(|x| stranger.step(*x)).collect()
            }
        };
        for (n, (y, e)) in found.iter().zip(&expected).enumerate() {
            assert!(alike(format, *y, *e), "sample {n}: {y:e} {e:e} {filter:?}");
        }
        assert!(found.iter().all(|y| y.is_nan() || format.nearest(*y) == *y));
    }
}

/// Against the same coefficients in double precision, on noise, on the input that is worst for the output and
/// on square waves of every length, which bring large numbers together.
#[test]
fn no_input_breaks_the_bound_of_single_precision() {
    let mut noise = NoiseSource::new(302);
    let (mut bounded, mut nearest) = (0, f64::MAX);
    for _ in 0..160 {
        let (_, filter) = any_float(&mut noise);
        if filter.format() != FloatFormat::Single {
            continue;
        }
        let peak = [1.0, 1000.0, 1e-30][noise.integer(0, 2) as usize];
        let Ok(Some(bound)) = filter.bound(peak, Default::default()) else { continue };
        let exact =
            FloatFilter::new(&filter.rounded(), FloatFormat::Double, filter.structure()).unwrap();
        let own = exact.bound(peak, Default::default()).unwrap().unwrap();
        let mut impulse = vec![0.0; 2000];
        impulse[0] = 1.0;
        let response = FloatSimulator::new(&exact).run(&impulse);
        let worst = response.iter().rev().map(|h| peak * h.signum()).collect();
        let half = noise.integer(1, 60) as usize;
        let square = |n: usize| if (n / half).is_multiple_of(2) { peak } else { -peak };
        let inputs: [Vec<f64>; 3] = [
            worst,
            (0..2000).map(square).collect(),
            any_numbers(&mut noise, FloatFormat::Single, 2000, peak),
        ];
        for input in inputs {
            // Numbers of the format.
            let input: Vec<f64> = input.iter().map(|x| FloatFormat::Single.nearest(*x)).collect();
            let found = FloatSimulator::new(&filter).run(&input);
            let expected = FloatSimulator::new(&exact).run(&input);
            for (y, e) in found.iter().zip(&expected) {
                let error = (y - e).abs();
                assert!(error <= bound.error + own.error, "{error:e} {bound:?} {filter:?}");
                assert!(y.abs() <= bound.level);
                nearest = nearest.min(bound.error / error.max(f64::MIN_POSITIVE));
            }
        }
        bounded += 1;
    }
    println!("{bounded} filters; the largest error is 1/{nearest:.1} of its bound");
    assert!(bounded > 50 && nearest < 10.0, "{bounded} {nearest}");
}

/// Whole numbers that no sum of them makes longer than 100 bits: the reference is exact then, and the error
/// of double precision is known from integers.
#[test]
fn the_reference_has_twice_the_digits() {
    let mut noise = NoiseSource::new(303);
    for _ in 0..50 {
        let whole = |noise: &mut NoiseSource| noise.integer(-1 << 45, 1 << 45);
        let taps: Vec<i64> = (0..noise.integer(1, 20)).map(|_| whole(&mut noise)).collect();
        let form = Form::Taps(Taps(taps.iter().map(|h| *h as f64).collect()));
        let filter =
            FloatFilter::new(&form, FloatFormat::Double, FloatStructure::FirDirect).unwrap();
        let recording: Vec<i64> = (0..100).map(|_| whole(&mut noise)).collect();
        let input: Vec<f64> = recording.iter().map(|x| *x as f64).collect();
        let wish = Float::new(FloatFormat::Double, true);
        let effort = Default::default();
        let (proof, expected) =
            Proof::begin_float(&filter, &form, wish, Some(&input), None, effort).unwrap();
        assert!(proof.no_bound.is_none() && proof.stimuli[0].name == "recording");
        let mut largest = 0.0f64;
        for (n, bits) in expected[0].1.iter().enumerate() {
            let terms = taps.iter().zip((0..=n).rev());
            let exact: i128 = terms.map(|(h, at)| i128::from(*h) * i128::from(recording[at])).sum();
            let found = FloatFormat::Double.number(*bits);
            largest = largest.max(((found as i128 - exact) as f64).abs());
        }
        let told = proof.stimuli[0].error.largest_lsb * f64::EPSILON;
        assert!((told - largest).abs() <= 1e-9 * largest, "{told} {largest}");
        assert!(proof.stimuli.iter().all(|stimulus| stimulus.within_bound));
    }
}

/// Noise, impulses, subnormal numbers: every error within its bound, in both formats.
#[test]
fn every_stimulus_keeps_within_its_bound() {
    let mut noise = NoiseSource::new(304);
    let mut held = [0; 2];
    for _ in 0..30 {
        let (form, filter) = any_float(&mut noise);
        let wish = Float::new(filter.format(), filter.structure().section().is_none());
        let wish = Float { structure: filter.structure(), peak: 2.0, ..wish };
        let effort = Default::default();
        let (proof, expected) =
            Proof::begin_float(&filter, &form, wish, None, None, effort).unwrap();
        // Against a filter of the other kind there is nothing to prove.
        let other = match form {
            Form::Taps(_) => Form::Sections(Sections(vec![Section { b: [1.0; 3], a: [0.0; 2] }])),
            Form::Sections(_) => Form::Taps(Taps(vec![1.0])),
        };
        let refused = Proof::begin_float(&filter, &other, wish, None, None, effort);
        assert!(matches!(refused, Err(FloatError::Structure { .. })));
        assert_eq!(proof.float, Some(filter.format()));
        assert_eq!(proof.stimuli.len(), expected.len());
        for stimulus in &proof.stimuli {
            let error = stimulus.error;
            assert!(stimulus.within_bound, "{}: {error:?} {filter:?}", stimulus.name);
            let has_bound = error.bound_lsb.is_some();
            assert_eq!(has_bound, proof.no_bound.is_none());
            held[usize::from(has_bound)] += 1;
        }
    }
    assert!(held[1] > 150, "{held:?}");
}

/// Poles a hair from the unit circle: single precision moves them out, and says that double does not.
#[test]
fn what_a_format_cannot_carry_is_refused() {
    let new = |form: &Form, format, structure| FloatFilter::new(form, format, structure);
    let mut refused = 0;
    for step in 1..40 {
        let slow = || {
            let hertz = f64::from(step) * 2e-4;
            Wish::lowpass("1 kHz").cutoff_hz(hertz).butterworth(2)
        };
        let form = slow().filter().unwrap();
        for structure in &FloatStructure::ALL[..2] {
            new(&form, FloatFormat::Double, *structure).unwrap();
            let Err(error) = new(&form, FloatFormat::Single, *structure) else { continue };
            assert!(matches!(error, FloatError::Unstable { section: 0, .. }), "{error}");
            let text = error.to_string();
            assert!(text.contains("f64 keeps them inside") && text.contains("f32"), "{text}");
            refused += 1;
        }
        if let Err(error) = slow().float(FloatFormat::Single).study().unwrap().float() {
            assert_eq!(error.keys(), ["float.format"]);
            assert!(matches!(error, StudyError::Float { .. }));
        }
    }
    assert!(refused > 10, "{refused}");

    let [one, taps] = [
        Form::Sections(Sections(vec![Section { b: [1e39, 0.0, 0.0], a: [0.0; 2] }])),
        Form::Taps(Taps(vec![1e39])),
    ];
    for (form, structure) in
        [(&one, FloatStructure::DirectForm1), (&taps, FloatStructure::FirDirect)]
    {
        let error = new(form, FloatFormat::Single, structure).unwrap_err();
        assert!(matches!(error, FloatError::Coefficient { .. }), "{error}");
    }
    let empty = [Form::Sections(Sections(Vec::new())), Form::Taps(Taps(Vec::new()))];
    for form in empty.iter().chain([&one, &taps]) {
        for structure in FloatStructure::ALL {
            let is_fitting = matches!(form, Form::Taps(taps) if !taps.0.is_empty())
                == structure.section().is_none();
            let found = new(form, FloatFormat::Double, structure);
            let is_structure = matches!(found, Err(FloatError::Structure { .. }));
            assert!(is_structure || is_fitting, "{form:?} {structure:?}");
        }
    }
}

const WANT: &str = "name = \"strain\"\nsample_rate = \"1 kHz\"\n[want]\nkind = \"lowpass\"\ncutoff = \
    \"40 Hz\"\n[method]\ndesign = \"butterworth\"\norder = 4\n";

/// A text and a wish are the same; what is wrong is named with its line and key.
#[test]
fn a_spec_asks_for_floating_point() {
    let study = |rest: &str| Study::of_text(&format!("{WANT}{rest}"), |_| unreachable!());
    let found = study("[float]\nformat = \"f32\"\n").unwrap();
    let wish = Wish::lowpass("1 kHz").cutoff("40 Hz").butterworth(4).name("strain");
    let said = wish.clone().float(FloatFormat::Single).spec().unwrap();
    assert_eq!(found.spec, said);
    let filter = found.float().unwrap().unwrap();
    assert_eq!(filter.structure(), FloatStructure::DirectForm2Transposed);
    let files = found.files(&[Language::C, Language::Rust]).unwrap();
    assert_eq!(files.len(), 5);
    for language in [Language::Verilog, Language::Vhdl] {
        let error = found.files(&[language]).unwrap_err();
        assert!(matches!(error, StudyError::Write(WriteError::Float { .. })), "{error}");
    }
    assert!(matches!(found.integers(), Err(StudyError::NoWords)));

    let peak = "[float]\nformat = \"f64\"\nstructure = \"direct-form-1\"\npeak = 2.5\n";
    let spec = Spec::parse(&format!("{WANT}{peak}")).unwrap().float.unwrap();
    assert_eq!((spec.peak, spec.structure), (2.5, FloatStructure::DirectForm1));

    let refused = [
        ("[float]\n", "float.format", "missing"),
        ("[float]\nformat = \"f16\"\n", "float.format", "f32, f64"),
        ("[float]\nformat = 32\n", "float.format", "accepted"),
        ("[float]\nformat = \"f32\"\nrounding = \"floor\"\n", "float.rounding", "[fixed]"),
        ("[float]\nformat = \"f32\"\ncoefficients = \"s16\"\n", "float.coefficients", "[fixed]"),
        ("[float]\nformat = \"f32\"\nformt = 1\n", "float.formt", "did you mean `format`"),
        (
            "[float]\nformat = \"f32\"\nstructure = \"fir-direct\"\n",
            "float.structure",
            "direct-form-1",
        ),
        ("[float]\nformat = \"f32\"\npeak = 0\n", "float.peak", "above 0"),
        ("[float]\nformat = \"f32\"\npeak = nan\n", "float.peak", "above 0"),
        ("float = 3\n", "want", "table"),
        ("[fixed]\ninput = \"s16f15\"\n[float]\nformat = \"f32\"\n", "float", "beside `fixed`"),
    ];
    for (rest, key, what) in refused {
        // A key of the top stands before the tables.
        let text = match rest.starts_with('[') {
            true => format!("{WANT}{rest}"),
            false => format!("{rest}{WANT}"),
        };
        let error = Spec::parse(&text).unwrap_err();
        let is_key = error.key == key || (key == "want" && error.key == "float");
        assert!(is_key && error.to_string().contains(what), "{error}");
        assert!(error.line > 0);
    }
    let both = wish.float(FloatFormat::Single).words(mellow_rake::spec::Fixed::new(
        mellow_rake::spec::Structure::DirectForm1,
        "s16f15".parse().unwrap(),
    ));
    assert_eq!(both.spec().unwrap_err().key, "float");
}
