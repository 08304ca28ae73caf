//! Every structure on integers: noise as predicted, errors within their bounds, responses as designed.

use mellow_rake::convert::{
    coupled, from_lattice, lattice_to_section, section_to_lattice, to_lattice,
};
use mellow_rake::datapath::{
    AllPassWords, CycleSearch, Operation, SectionWords, Simulator, StateWords, all_pass_sum,
    direct_form_1, direct_form_2, fir_folded, fir_skip_zeros, zero_input_cycles,
};
use mellow_rake::design::design;
use mellow_rake::filter::{Form, Section, Sections, Transfer, ZerosPolesGain};
use mellow_rake::fixed::{Overflow, Rounding, round_coefficients};
use mellow_rake::implementation::{ImplementError, Implementation, implement};
use mellow_rake::random::NoiseSource;
use mellow_rake::spec::{Fixed, Spec, Structure};
use proptest::prelude::*;

/// Filters of every kind, in sections.
const FILTERS: [(&str, &str); 7] = [
    (
        "low-pass at 0.05",
        "kind = \"lowpass\"\ncutoff = \"50 Hz\"\n[method]\ndesign = \"butterworth\"\norder = 4",
    ),
    (
        "low-pass at 0.02",
        "kind = \"lowpass\"\npass_edge = \"20 Hz\"\nripple = \"0.5 dB\"\nattenuation = \"50 \
            dB\"\n[method]\ndesign = \"elliptic\"\norder = 3",
    ),
    (
        "high-pass at 0.3",
        "kind = \"highpass\"\ncutoff = \"300 Hz\"\n[method]\ndesign = \"butterworth\"\norder = 3",
    ),
    (
        "band-pass at 0.1",
        "kind = \"bandpass\"\npass_edges = [\"80 Hz\", \"120 Hz\"]\nripple = \"0.5 dB\"\n[method]\n\
            design = \"chebyshev1\"\norder = 6",
    ),
    (
        "band-stop at 0.2",
        "kind = \"bandstop\"\ncutoffs = [\"170 Hz\", \"230 Hz\"]\n[method]\ndesign = \"butterworth\"\norder \
            = 4",
    ),
    ("notch at 0.0875", "kind = \"notch\"\ncenter = \"87.5 Hz\"\nwidth = \"20 Hz\""),
    ("peak at 0.15", "kind = \"peak\"\ncenter = \"150 Hz\"\nwidth = \"30 Hz\""),
];

const WORDS: [(&str, &str, &str); 5] = [
    ("s12f11", "s16", "half-up"),
    ("s16f15", "s18", "half-even"),
    ("s16f15", "s20", "floor"),
    ("s20f19", "s24", "half-away"),
    ("s24f22", "s24", "half-up"),
];

fn form(filter: &str) -> Form {
    let text = format!("name = \"f\"\nsample_rate = \"1 kHz\"\n[want]\n{filter}\n");
    design(&Spec::parse(&text).unwrap_or_else(|error| panic!("{error}\n{text}"))).unwrap().form
}

fn fixed(structure: Structure, (data, coefficients, rounding): (&str, &str, &str)) -> Fixed {
    let rounding = Rounding::ALL.into_iter().find(|one| one.as_str() == rounding).unwrap();
    Fixed {
        output: data.parse().unwrap(),
        coefficients: coefficients.parse().unwrap(),
        rounding,
        ..Fixed::new(structure, data.parse().unwrap())
    }
}

/// Whether the filter is a sum of all-passes, where the structure needs that: of odd order (half of it, for
/// bands), its gain never above 1.
fn has_all_passes(name: &str, structure: Structure) -> bool {
    let even = ["low-pass at 0.05", "band-stop at 0.2"];
    structure != Structure::AllPassSum || !even.contains(&name)
}

/// Output and error against the filter with rounded coefficients, both as values, of noise at an eighth of
/// full scale.
fn run(filter: &Implementation, samples: usize) -> (Vec<f64>, Vec<f64>) {
    let mut noise = NoiseSource::new(9);
    let high = filter.fixed.input.maximum() as i64 / 8;
    let words: Vec<i64> = (0..samples).map(|_| noise.integer(-high, high)).collect();
    let mut simulator = Simulator::new(&filter.checked);
    let output = simulator.run(&words);
    assert_eq!(simulator.limited_samples(), 0);
    let values: Vec<f64> = words.iter().map(|w| *w as f64 * filter.fixed.input.step()).collect();
    let expected = filter.rounded.start().run(&values);
    let step = filter.fixed.output.step();
    let output: Vec<f64> = output.into_iter().map(|w| w as f64 * step).collect();
    let error = output.iter().zip(&expected).map(|(y, e)| y - e).collect();
    (output, error)
}

/// 340 triples of filter, structure and format: rounding noise on white input within 1 dB of its prediction,
/// no error beyond its bound. With `--nocapture` the table of docs/arithmetic.md is printed.
#[test]
fn noise_is_as_predicted_in_every_structure() {
    let structures = Structure::ALL.into_iter().filter(|structure| !structure.is_for_taps());
    println!(
        "| structure | triples | furthest from the prediction, dB | noise of the low-pass at 0.02, LSB | \
            largest error over its bound |"
    );
    let mut count = 0;
    for structure in structures {
        let (mut furthest, mut share, mut own, mut narrow) = (0.0f64, 0.0f64, 0, 0.0);
        for (name, filter) in FILTERS {
            let form = form(filter);
            for words in WORDS {
                let found = implement(&form, fixed(structure, words));
                let filter = match found {
                    Ok(filter) => filter,
                    Err(ImplementError::NoForm { .. }) if !has_all_passes(name, structure) => {
                        continue;
                    }
                    Err(error) => panic!("{name} {structure:?} {words:?}: {error}"),
                };
                let predicted = filter.predicted_noise().unwrap().rms();
                let (_, error) = run(&filter, 40_000);
                let settled = &error[4000..];
                let rms =
                    (settled.iter().map(|e| e * e).sum::<f64>() / settled.len() as f64).sqrt();
                let apart = 20.0 * (rms / predicted).log10();
                let bound = filter.checked.facts().bounds().as_ref().unwrap().error.largest();
                let largest = error.iter().fold(0.0f64, |most, e| most.max(e.abs()));
                assert!(apart.abs() < 1.0, "{name} {structure:?} {words:?}: {apart} dB");
                assert!(largest <= bound, "{name} {structure:?} {words:?}: {largest} {bound}");
                if apart.abs() > furthest.abs() {
                    furthest = apart;
                }
                share = share.max(largest / bound);
                if name.ends_with("0.02") && words.2 == "half-even" {
                    narrow = predicted / filter.fixed.output.step();
                }
                own += 1;
            }
        }
        println!(
            "| `{}` | {own} | {furthest:+.2} | {narrow:.2} | {share:.2} |",
            structure.as_str()
        );
        count += own;
    }
    assert_eq!(count, 340);
}

/// The transposed forms with exact sums give the integers of their counterparts, sample for sample.
#[test]
fn transposed_forms_are_their_counterparts() {
    for (name, filter) in FILTERS {
        let form = form(filter);
        for words in WORDS {
            let output = |structure| {
                let mut fixed = fixed(structure, words);
                if structure != Structure::DirectForm1
                    && structure != Structure::DirectForm2Transposed
                {
                    fixed.state = Some("s36f28".parse().unwrap());
                }
                run(&implement(&form, fixed).unwrap(), 3000).0
            };
            assert_eq!(
                output(Structure::DirectForm1),
                output(Structure::DirectForm2Transposed),
                "{name}"
            );
            assert_eq!(
                output(Structure::DirectForm2),
                output(Structure::DirectForm1Transposed),
                "{name}"
            );
        }
    }
}

/// The worst input that there is, through every structure: the error stays within its bound, and what is
/// proved never to overflow does not.
#[test]
fn bounds_hold_on_the_worst_input() {
    for (name, filter) in FILTERS {
        let form = form(filter);
        let structures = Structure::ALL.into_iter().filter(|one| !one.is_for_taps());
        for structure in structures.filter(|structure| has_all_passes(name, *structure)) {
            // Words with room, so that no limit acts.
            let mut fixed = fixed(structure, ("s18f14", "s20", "half-up"));
            fixed.input = "s15f14".parse().unwrap();
            let filter = implement(&form, fixed).unwrap();
            let bounds = filter.checked.facts().bounds().as_ref().unwrap();
            assert!(bounds.no_limit_acts(), "{name} {structure:?}");
            let worst = filter.checked.worst_case_input(&bounds.gains[0], 4000);
            let mut simulator = Simulator::new(&filter.checked);
            let output = simulator.run(&worst.input);
            assert_eq!(simulator.limited_samples(), 0);
            let values: Vec<f64> =
                worst.input.iter().map(|w| *w as f64 * fixed.input.step()).collect();
            let expected = filter.rounded.start().run(&values);
            let last = output[output.len() - 1] as f64 * fixed.output.step();
            // The level that the bound promises is reached, but for the roundings.
            assert!((last - worst.level).abs() <= bounds.error.largest(), "{name} {structure:?}");
            for (y, e) in output.iter().zip(&expected) {
                assert!((*y as f64 * fixed.output.step() - e).abs() <= bounds.error.largest());
            }
        }
    }
}

/// Every level inside of a filter is reached by the input that is made for it, but for the share that
/// roundings have in its bound. With `--nocapture` the furthest that any stays below its bound is printed.
#[test]
fn levels_inside_are_attained() {
    let structures = Structure::ALL.into_iter().filter(|one| !one.is_for_taps());
    for structure in structures {
        let (mut places, mut furthest) = (0, 1.0f64);
        let mut fixed = fixed(structure, ("s22f16", "s20", "half-up"));
        fixed.input = "s17f16".parse().unwrap();
        // Each section by itself, and the whole where it is no loop.
        let sections = FILTERS.iter().flat_map(|(_, filter)| {
            let whole = form(filter);
            let sections = whole.sections().unwrap().0.clone();
            let alone = sections.into_iter().map(|section| Form::Sections(Sections(vec![section])));
            alone.chain([whole]).collect::<Vec<_>>()
        });
        for form in sections {
            // Sums of all-passes are not all of these.
            let filter = match implement(&form, fixed) {
                Ok(filter) => filter,
                Err(ImplementError::NoForm { .. }) => continue,
                Err(error) => panic!("{error}"),
            };
            let bounds = filter.checked.facts().bounds().as_ref().unwrap();
            let datapath = filter.checked.datapath();
            for reach in &bounds.reaches {
                let mut outside = datapath.body.iter().map(|(node, _)| *node);
                // Small levels are made of roundings mostly.
                if outside.all(|node| node != reach.node) || !reach.safe || reach.high < 0.05 {
                    continue;
                }
                // The same program with that word as its output.
                let mut probe = datapath.clone();
                probe.outputs[0].format = reach.format;
                let Some((_, Operation::Deliver { word, .. })) = probe.body.last_mut() else {
                    panic!("the output is delivered last")
                };
                *word = reach.node;
                let probe = probe.check().unwrap();
                let worst = filter.checked.worst_case_at(reach.node, reach.pass, 6000).unwrap();
                let output = Simulator::new(&probe).run(&worst.input);
                let last = reach.format.value(output[output.len() - 1]);
                let mut levels = output.iter().map(|word| reach.format.value(*word));
                let inside = levels.all(|level| (reach.low..=reach.high).contains(&level));
                assert!(inside, "{structure:?} {reach:?} {form:?}");
                furthest = furthest.min(last / reach.high);
                places += 1;
            }
        }
        println!("{}: {places} places, at least {furthest:.4} of the bound", structure.as_str());
        assert!(places > 10 && furthest > 0.95, "{structure:?} {places} {furthest}");
    }
}

#[test]
fn states_that_no_word_holds_are_refused() {
    let slow = form(
        "kind = \"highpass\"\ncutoff = \"0.05 Hz\"\n[method]\ndesign = \"butterworth\"\norder = 2",
    );
    let error =
        implement(&slow, fixed(Structure::DirectForm2, ("s48f47", "s40", "half-up"))).unwrap_err();
    assert!(matches!(error, ImplementError::State { needed, .. } if needed > 64), "{error}");
    // Chosen narrower by hand, it is built and says where it can overflow.
    let mut narrow = fixed(Structure::DirectForm2, ("s16f15", "s32", "half-up"));
    narrow.state = Some("s24f16".parse().unwrap());
    let filter = implement(&slow, narrow).unwrap();
    assert!(!filter.checked.facts().bounds().as_ref().unwrap().no_limit_acts());
    let taps = form(
        "kind = \"lowpass\"\ncutoff = \"50 Hz\"\n[method]\ndesign = \"window\"\nwindow = \"hann\"\ntaps = 21",
    );
    for structure in Structure::ALL {
        let built = implement(&taps, fixed(structure, WORDS[1]));
        let takes = structure.is_for_taps() && structure != Structure::FirSkipZeros;
        assert_eq!(built.is_ok(), takes, "{structure:?}");
    }
    let sections = "name = \"a\"\nsample_rate = \"1 kHz\"\n[want]\nkind = \"notch\"\ncenter = \"50 \
        Hz\"\nwidth = \"5 Hz\"\n[fixed]\n\
        input = \"s16f15\"\noutput = \"s16f15\"\ncoefficients = \"s16\"\nstate = \"s20f18\"\n\
        structure = \"direct-form-1\"\n\
        rounding = \"floor\"\noverflow = \"wrap\"\n";
    let error = Spec::parse(sections).unwrap_err().to_string();
    assert!(
        error.contains("line 11")
            && error.contains("fixed.state")
            && error.contains("direct-form-2"),
        "{error}"
    );
}

proptest! {
    /// The coupled form of any stable section is that section, and no state exceeds 1 for an input of 1.
    #[test]
    fn a_coupled_section_is_the_section(b in prop::array::uniform3(-2.0f64..2.0), a2 in -0.97f64..0.97,
        share in -0.98f64..0.98) {
        let section = Section { b, a: [share * (1.0 + a2), a2] };
        let found = coupled(&section);
        let back = found.section();
        let whole = Form::from(mellow_rake::filter::Sections(vec![section]));
        let again = Form::from(mellow_rake::filter::Sections(vec![back]));
        for k in 0..50 {
            let omega = 0.0628 * f64::from(k);
            let (x, y) = (whole.response(omega), again.response(omega));
            prop_assert!((x - y).norm() < 1e-8 * (1.0 + x.norm()), "{} {} {:?}", x, y, found);
        }
        for path in found.to_states() {
            let reach: f64 = Form::from(mellow_rake::filter::Sections(vec![path])).impulse_response().iter()
                .map(|h| h.abs()).sum();
            prop_assert!(reach <= 1.0 + 1e-9, "{}", reach);
        }
    }
}

proptest! {
    /// The lattice of any stable section is that section, its reflection coefficients are below 1; the
    /// lattice of a product of sections is that product.
    #[test]
    fn a_lattice_is_the_filter(
        drawn in prop::collection::vec((prop::array::uniform3(-2.0f64..2.0), -0.95f64..0.95,
            -0.97f64..0.97), 1..4),
    ) {
        let section = |(b, a2, share): &([f64; 3], f64, f64)| Section { b: *b, a: [share * (1.0 + a2), *a2] };
        let sections = Sections(drawn.iter().map(section).collect());
        for section in &sections.0 {
            let lattice = section_to_lattice(section);
            prop_assert!(lattice.reflection.iter().all(|k| k.abs() < 1.0));
            let back = lattice_to_section(&lattice);
            for (x, y) in section.b.iter().chain(&section.a).zip(back.b.iter().chain(&back.a)) {
                prop_assert!((x - y).abs() < 1e-12, "{:?} {:?}", section, back);
            }
        }
        // Poles that nearly coincide are not fixed by one polynomial: said, and left out here.
        let Ok(lattice) = to_lattice(&ZerosPolesGain::from_sections(&sections)) else { return Ok(()) };
        prop_assert!(lattice.form.reflection.iter().all(|k| k.abs() < 1.0));
        let Ok(back) = from_lattice(&lattice.form) else { return Ok(()) };
        let form = Form::from(sections);
        for k in 0..40 {
            let omega = 0.0785 * f64::from(k);
            let (x, y) = (form.response(omega), back.form.response(omega));
            prop_assert!((x - y).norm() < 1e-5 * (1.0 + x.norm()), "{} {}", x, y);
        }
    }
}

/// Mirror images that are none, zeros that are none, lattices with a pole on the circle, branches with two
/// poles by themselves: each is named.
#[test]
fn structures_say_what_they_cannot_take() {
    let word = "s16f15".parse().unwrap();
    let (rounding, overflow) = (Rounding::HalfUp, Overflow::Saturate);
    let row = |taps: &[f64]| round_coefficients(&[taps.to_vec()], "s16".parse().unwrap()).unwrap();
    let skewed = fir_folded(&row(&[0.1, 0.5, 0.2]), word, word, rounding, overflow).unwrap_err();
    assert!(
        skewed.to_string().contains("taps 0 and 2") || skewed.to_string().contains("taps 2 and 0"),
        "{skewed}"
    );
    let full =
        fir_skip_zeros(&row(&[0.1, 0.2, 0.3, 0.5, 0.3, 0.2, 0.1]), word, word, rounding, overflow);
    assert!(full.unwrap_err().to_string().contains("tap 1 is"));
    let sections = SectionWords { input: word, output: word, rounding, overflow };
    let words = StateWords { sections, state: "s20f17".parse().unwrap() };
    let twice = AllPassWords {
        format: "s16f14".parse().unwrap(),
        branches: [vec![vec![100], vec![200]], Vec::new()],
        signs: [mellow_rake::datapath::Sign::Plus; 2],
    };
    assert!(all_pass_sum(&twice, words).unwrap_err().to_string().contains("all-pass-sum"));
    // A pole so near to the circle that eight bits put it there.
    let narrow = form("kind = \"notch\"\ncenter = \"87.5 Hz\"\nwidth = \"0.1 Hz\"");
    for (structure, key) in [
        (Structure::LatticeSections, "k2"),
        (Structure::LatticeLadder, "k2"),
        (Structure::AllPassSum, "unstable"),
    ] {
        let error = implement(&narrow, fixed(structure, ("s16f15", "s8", "half-up"))).unwrap_err();
        assert!(error.to_string().contains(key), "{error}");
    }
    // Order 24 in one polynomial would lose its poles.
    let long = form(
        "kind = \"lowpass\"\ncutoff = \"2 Hz\"\n[method]\ndesign = \"butterworth\"\norder = 24",
    );
    let error = implement(&long, fixed(Structure::LatticeLadder, ("s24f22", "s32", "half-up")))
        .unwrap_err();
    assert!(matches!(error, ImplementError::NoForm { .. }), "{error}");
    let even = form(FILTERS[0].1);
    let error = implement(&even, fixed(Structure::AllPassSum, WORDS[1])).unwrap_err();
    assert!(error.to_string().contains("odd order"), "{error}");
}

/// On words of a few bits every state there is can be tried: the oscillations found in the box are all that
/// there are, and none is larger than the bound.
#[test]
fn oscillations_are_those_of_brute_force() {
    let mut noise = NoiseSource::new(12);
    let (mut some, mut none) = (0, 0);
    for index in 0..60 {
        let a2 = 0.97 * noise.uniform();
        let a1 = (1.0 + a2) * 0.97 * (2.0 * noise.uniform() - 1.0);
        let table =
            round_coefficients(&[vec![0.5, 0.0, 0.0, a1, a2]], "s12".parse().unwrap()).unwrap();
        let word = "s7f6".parse().unwrap();
        let rounding = Rounding::ALL[index % 5];
        let words =
            SectionWords { input: word, output: word, rounding, overflow: Overflow::Saturate };
        let built = match index % 2 {
            0 => direct_form_1(&table, words),
            _ => direct_form_2(
                &table,
                StateWords { sections: words, state: "s7f5".parse().unwrap() },
            ),
        };
        let checked = built.unwrap().check().unwrap();
        let Some(found) = zero_input_cycles(&checked) else { continue };
        let CycleSearch::Exhaustive { .. } = found.search else { panic!("{:?}", found.search) };
        // Every pair of feedback words, followed by hand with the difference equation alone.
        let format = table.format;
        let (a1, a2) = (i128::from(table.rows[0][3]), i128::from(table.rows[0][4]));
        let next = |y1: i64, y2: i64| -> i64 {
            let sum = -(a1 * i128::from(y1) + a2 * i128::from(y2));
            rounding.shift_right(sum, format.fraction() as u32).clamp(-64, 63) as i64
        };
        let mut all = std::collections::BTreeSet::new();
        for y1 in -64..64 {
            for y2 in -64..64 {
                let (mut a, mut b) = (y1, y2);
                for _ in 0..700 {
                    (a, b) = (next(a, b), a);
                }
                // On its oscillation now: its smallest state names it.
                let (start, mut name, mut size) = ((a, b), (a, b), 0);
                loop {
                    (a, b) = (next(a, b), a);
                    name = name.min((a, b));
                    size += 1;
                    if (a, b) == start || size > 5000 {
                        break;
                    }
                }
                if name != (0, 0) || size > 1 {
                    all.insert((name, size));
                }
            }
        }
        assert_eq!(found.count, all.len(), "{index} {rounding:?} {a1} {a2}: {found:?} {all:?}");
        for cycle in &found.largest {
            assert!(cycle.amplitude as f64 <= found.bound + 1e-9, "{index}: {found:?}");
            assert!(all.iter().any(|(_, size)| *size == cycle.period), "{index}: {cycle:?}");
        }
        if found.count > 0 { some += 1 } else { none += 1 }
    }
    assert!(some > 10 && none > 5, "{some} {none}");
}
