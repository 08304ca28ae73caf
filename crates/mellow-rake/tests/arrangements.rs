//! The order of sections, and the level of the words between them.

use mellow_rake::design::design;
use mellow_rake::filter::{Form, Section, Sections, Transfer};
use mellow_rake::implementation::{Implementation, implement};
use mellow_rake::spec::{ArrangementWish, Fixed, Scaling, Spec, Structure};

const SPECS: [&str; 3] = [
    "kind = \"bandpass\"\npass_edges = [\"80 Hz\", \"120 Hz\"]\nripple = \"0.5 dB\"\nattenuation = \"50 \
        dB\"\n[method]\ndesign = \"elliptic\"\norder = 6",
    "kind = \"lowpass\"\npass_edge = \"20 Hz\"\nripple = \"0.5 dB\"\nattenuation = \"60 \
        dB\"\n[method]\ndesign = \"elliptic\"\norder = 6",
    "kind = \"bandstop\"\ncutoffs = [\"170 Hz\", \"230 Hz\"]\n[method]\ndesign = \"butterworth\"\norder = 6",
];

fn sections(want: &str) -> Sections {
    let text = format!("name = \"f\"\nsample_rate = \"1 kHz\"\n[want]\n{want}\n");
    let Form::Sections(sections) = design(&Spec::parse(&text).unwrap()).unwrap().form else {
        panic!("{want}")
    };
    sections
}

/// Words so wide that only the roundings of the data count.
fn fixed(structure: Structure, arrangement: ArrangementWish) -> Fixed {
    Fixed {
        output: "s24f18".parse().unwrap(),
        coefficients: "s26".parse().unwrap(),
        rounding: mellow_rake::fixed::Rounding::HalfEven,
        overflow: mellow_rake::fixed::Overflow::Saturate,
        arrangement,
        ..Fixed::new(structure, "s16f15".parse().unwrap())
    }
}

fn noise(filter: &Implementation) -> f64 {
    filter.predicted_noise().unwrap().variance
}

fn permutations(of: &[usize]) -> Vec<Vec<usize>> {
    if of.is_empty() {
        return vec![Vec::new()];
    }
    let with = |k: usize| {
        let mut rest = of.to_vec();
        let first = rest.remove(k);
        permutations(&rest).into_iter().map(move |rest| [vec![first], rest].concat())
    };
    (0..of.len()).flat_map(with).collect()
}

/// All orders and all pairs of three sections, built one by one on integers: none is quieter than the one
/// that was found, but for the accuracy of the search's grid.
#[test]
fn no_arrangement_is_quieter_than_the_one_that_is_found() {
    for want in SPECS {
        let designed = sections(want);
        let orders = permutations(&[0, 1, 2]);
        for structure in [Structure::DirectForm1, Structure::ErrorFeedback1, Structure::DirectForm2]
        {
            for scaling in [Scaling::WorstCase, Scaling::Peak, Scaling::Energy] {
                let wish = ArrangementWish { scaling, powers_of_two: false, quietest: false };
                let mut least = f64::INFINITY;
                for poles in &orders {
                    for zeros in &orders {
                        let section = |(p, z): (&usize, &usize)| Section {
                            b: designed.0[*z].b,
                            a: designed.0[*p].a,
                        };
                        let tried = Sections(poles.iter().zip(zeros).map(section).collect());
                        let filter = implement(&tried.into(), fixed(structure, wish)).unwrap();
                        least = least.min(noise(&filter));
                    }
                }
                let wish = ArrangementWish { quietest: true, ..wish };
                let found = implement(&designed.clone().into(), fixed(structure, wish)).unwrap();
                let arrangement = found.arrangement.as_ref().unwrap();
                assert_eq!(arrangement.searched, Some(36));
                let over = noise(&found) / least;
                // Direct form II keeps its states a little finer or coarser by their size, which the search
                // does not know.
                let margin = if structure == Structure::DirectForm2 { 1.3 } else { 1.03 };
                assert!(over < margin, "{want} {structure:?} {scaling:?}: {over} {arrangement:?}");
            }
        }
    }
}

/// Whatever the arrangement, the filter stays what it was, and the levels are what was asked for.
#[test]
fn arranging_keeps_the_filter_and_sets_the_levels() {
    let long = "kind = \"bandpass\"\npass_edges = [\"100 Hz\", \"180 Hz\"]\nripple = \"0.5 \
        dB\"\nattenuation = \"60 dB\"\n[method]\ndesign = \"elliptic\"\norder = 16";
    for want in SPECS.into_iter().chain([long]) {
        let designed: Form = sections(want).into();
        for scaling in Scaling::ALL {
            for (powers_of_two, quietest) in
                [(false, false), (true, false), (false, true), (true, true)]
            {
                let wish = ArrangementWish { scaling, powers_of_two, quietest };
                let filter = implement(&designed, fixed(Structure::DirectForm1, wish)).unwrap();
                for k in 0..=200 {
                    let omega = 0.0157 * f64::from(k);
                    let (x, y) = (designed.response(omega), filter.rounded.response(omega));
                    assert!((x - y).norm() < 1e-4, "{want} {wish:?} {omega}: {x} {y}");
                }
                let Some(arrangement) = &filter.arrangement else {
                    assert_eq!(wish, ArrangementWish::default());
                    continue;
                };
                // Levels by the program itself: the proved bounds of the words behind each section.
                let bounds = filter.checked.facts().bounds().as_ref().unwrap();
                let (last, levels) = arrangement.levels.split_last().unwrap();
                if scaling == Scaling::WorstCase {
                    let low = if powers_of_two { 0.5 } else { 0.999 };
                    for (level, reach) in levels.iter().zip(&bounds.reaches) {
                        assert!((low..1.001).contains(level), "{want} {wish:?}: {level}");
                        assert!((reach.high / level - 1.0).abs() < 0.01, "{reach:?} {level}");
                    }
                    assert!((bounds.gain().l1() / last - 1.0).abs() < 1e-3);
                }
                if quietest {
                    let plain = ArrangementWish { quietest: false, ..wish };
                    if scaling != Scaling::AsDesigned {
                        let before =
                            implement(&designed, fixed(Structure::DirectForm1, plain)).unwrap();
                        assert!(noise(&filter) < 1.03 * noise(&before), "{want} {wish:?}");
                    }
                }
            }
        }
    }
}
