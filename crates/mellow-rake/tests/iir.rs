//! Recursive filters against 60-digit truth, against what defines them, and against what was wished.

// Independent of the library: the platform's own functions.

use mellow_rake::design::iir::{IirWish, Points, design_iir};
use mellow_rake::design::{Choice, DesignError, design};
use mellow_rake::filter::{
    BandKind, EdgeMeaning, Family, LARGEST_ORDER, Sections, Transfer, ZerosPolesGain,
};
use mellow_rake::quality::{Measures, meets_spec};
use mellow_rake::response::{Bands, measure_bands};
use mellow_rake::spec::Spec;
use mellow_rake::units::SampleRate;
use num_complex::Complex64;
use proptest::prelude::*;

const KINDS: [BandKind; 4] =
    [BandKind::Lowpass, BandKind::Highpass, BandKind::Bandpass, BandKind::Bandstop];

fn rate() -> SampleRate {
    SampleRate::from_hertz(1.0).unwrap()
}

fn recipe(
    kind: BandKind,
    family: Family,
    order: usize,
    edges: &[f64],
    meaning: EdgeMeaning,
) -> IirWish {
    IirWish {
        kind,
        family,
        points: Points::Recipe { meaning, edges: edges.to_vec(), order },
        ripple_db: Some(0.5),
        attenuation_db: Some(60.0),
    }
}

/// `truth/iir.csv` holds responses computed by `truth/iir.py` in 60 digits, by another way: the prototype's
/// own response at the transformed frequency, no digital pole in sight.
#[test]
fn responses_agree_with_sixty_digits() {
    let mut cases = 0;
    let mut worst: [(f64, String); 2] = [(0.0, String::new()), (0.0, String::new())];
    for line in include_str!("truth/iir.csv").lines().skip(1) {
        let fields: Vec<&str> = line.split(',').collect();
        let number = |index: usize| fields[index].parse::<f64>().unwrap();
        let family = Family::ALL.into_iter().find(|f| f.as_str() == fields[0]).unwrap();
        let kind = KINDS.into_iter().find(|k| k.as_str() == fields[1]).unwrap();
        let order: usize = fields[2].parse().unwrap();
        let mut edges = vec![number(5)];
        edges.extend(fields[6].parse::<f64>());
        let (_, filter) =
            design_iir(&recipe(kind, family, order, &edges, EdgeMeaning::HalfPower), rate())
                .unwrap();
        let truth = Complex64::new(number(8), number(9));
        let omega = rate().radians(number(7));
        let zpk = (filter.response(omega) - truth).norm();
        let sections = (Sections::from_zeros_poles(&filter).response(omega) - truth).norm();
        // 1e-11 of the peak up to order 12, 1e-9 beyond. An edge of 1e-4 of the sample rate puts poles so
        // near to z = 1 that rounding them to f64 alone moves the response by some 1e-16/1e-4 per pole, and
        // rounding the coefficients of a section by the square of that.
        let near = edges[0].min(0.5 - edges[edges.len() - 1]);
        let floor = 64.0 * f64::EPSILON * order as f64;
        let base = if order <= 12 { 1e-11 } else { 1e-9 };
        let name = format!("{line}: {zpk:e} {sections:e}");
        assert!(zpk <= f64::max(base, floor / near), "{name}");
        assert!(sections <= f64::max(base, floor / (near * near)), "{name}");
        for (slot, error) in worst.iter_mut().zip([zpk, sections]) {
            if error > slot.0 {
                *slot = (error, line.to_owned());
            }
        }
        cases += 1;
    }
    assert_eq!(cases, 440);
    println!("worst: {worst:#?}");
}

/// `truth/iir_poles.csv` holds poles in 60 digits: an error counts against the distance of the pole from the
/// unit circle, which decides how far it moves the response.
#[test]
fn poles_agree_with_sixty_digits() {
    let mut found: Option<(String, ZerosPolesGain)> = None;
    let (mut worst, mut cases) = ((0.0, String::new()), 0);
    for line in include_str!("truth/iir_poles.csv").lines().skip(1) {
        let fields: Vec<&str> = line.split(',').collect();
        let name = fields[..5].join(",");
        if found.as_ref().is_none_or(|(last, _)| *last != name) {
            let family = Family::ALL.into_iter().find(|f| f.as_str() == fields[0]).unwrap();
            let kind = KINDS.into_iter().find(|k| k.as_str() == fields[1]).unwrap();
            let mut edges = vec![fields[3].parse().unwrap()];
            edges.extend(fields[4].parse::<f64>());
            let order = fields[2].parse().unwrap();
            let wish = recipe(kind, family, order, &edges, EdgeMeaning::HalfPower);
            found = Some((name.clone(), design_iir(&wish, rate()).unwrap().1));
        }
        let number = |index: usize| fields[index].parse::<f64>().unwrap();
        let (truth, margin) = (Complex64::new(number(5), number(6)), number(7));
        let poles = &found.as_ref().unwrap().1.poles;
        let error = poles.iter().map(|p| (p - truth).norm()).fold(f64::MAX, f64::min);
        // A pole cannot be nearer than the rounding of its own parts: a few units in the last place of
        // numbers near 1.
        assert!(error <= 2e-12 * margin + 4.0 * f64::EPSILON, "{line}: {error:e}");
        if error / margin > worst.0 {
            worst = (error / margin, name);
        }
        cases += 1;
    }
    assert_eq!(cases, 720);
    println!("worst pole error over the distance from the circle: {worst:?}");
}

fn gain(filter: &ZerosPolesGain, frequency: f64) -> f64 {
    filter.gain(rate().radians(frequency))
}

fn decibels(ratio: f64) -> f64 {
    20.0 * ratio.log10()
}

fn arbitrary_edges(kind: BandKind, low: f64, share: f64) -> Vec<f64> {
    if kind.is_band() { vec![low, low + share * (0.498 - low)] } else { vec![low] }
}

proptest! {
    #![proptest_config(ProptestConfig { cases: 300, failure_persistence: None, ..ProptestConfig::default() })]

    /// Whatever the edge is called, the response goes through that point; it never exceeds 1; it is positive
    /// and real where the prototype's zero frequency falls; and the sections are the same filter.
    #[test]
    fn edges_are_met(
        family in 0usize..5, kind in 0usize..4, order in 1usize..=LARGEST_ORDER,
        low in 0.005f64..0.45, share in 0.05f64..0.9, meaning in 0usize..3,
    ) {
        let (family, kind) = (Family::ALL[family], KINDS[kind]);
        let order = if kind.is_band() { 2 * order } else { order };
        let meaning = [EdgeMeaning::HalfPower, EdgeMeaning::RippleEnd, EdgeMeaning::StopBegin][meaning];
        let edges = arbitrary_edges(kind, low, share);
        let (choice, filter) = design_iir(&recipe(kind, family, order, &edges, meaning), rate()).unwrap();
        prop_assert_eq!((choice.order, filter.poles.len(), filter.zeros.len()), (order, order, order));
        prop_assert!(filter.pole_radius() < 1.0);
        let wanted = match meaning {
            EdgeMeaning::HalfPower => 10.0 * 0.5f64.log10(),
            EdgeMeaning::RippleEnd => -0.5,
            EdgeMeaning::StopBegin => -60.0,
        };
        for edge in &edges {
            let found = decibels(gain(&filter, *edge));
            prop_assert!((found - wanted).abs() < 1e-6, "{} dB at {edge}", found);
        }
        let sections = Sections::from_zeros_poles(&filter);
        prop_assert_eq!(sections.0.len(), order.div_ceil(2));
        let mut peak = 0.0f64;
        for k in 0..=400 {
            let omega = rate().radians(f64::from(k) / 800.0);
            let response = filter.response(omega);
            peak = peak.max(response.norm());
            prop_assert!((sections.response(omega) - response).norm() < 1e-7, "at {k}");
        }
        prop_assert!(peak < 1.0 + 1e-9, "{peak}");
    }

    /// A template is kept with the order that is found, and is not kept with any smaller one.
    #[test]
    fn templates_are_kept_with_the_smallest_order(
        family in 0usize..5, kind in 0usize..4, low in 0.02f64..0.3, share in 0.2f64..0.8,
        transition in 0.1f64..0.6, ripple in 0.01f64..3.0, attenuation in 20.0f64..100.0,
    ) {
        let (family, kind) = (Family::ALL[family], KINDS[kind]);
        let outer = arbitrary_edges(kind, low, share);
        let inner: Vec<f64> = match outer[..] {
            [edge] => vec![edge * (1.0 + transition)],
            [a, b] => vec![a + transition * (b - a) / 3.0, b - transition * (b - a) / 3.0],
            _ => unreachable!(),
        };
        let (pass, stop) = match kind {
            BandKind::Lowpass | BandKind::Bandstop => (outer, inner),
            BandKind::Highpass | BandKind::Bandpass => (inner, outer),
        };
        let wish = IirWish {
            kind, family, points: Points::Template { order: None, pass: pass.clone(), stop: stop.clone() },
            ripple_db: Some(ripple), attenuation_db: Some(attenuation),
        };
        let (choice, filter) = match design_iir(&wish, rate()) {
            Ok(found) => found,
            Err(DesignError::OutOfReach { would_do, .. }) => {
                prop_assert!(would_do.contains("would do") || would_do.contains("nor does another"));
                return Ok(());
            }
            Err(error) => return Err(TestCaseError::fail(error.to_string())),
        };
        // Inside the pass-band never below the ripple, inside the stop-band never above the attenuation.
        let [a, b] = [pass[0], *pass.last().unwrap()];
        let [c, d] = [stop[0], *stop.last().unwrap()];
        for k in 0..=600 {
            let f = 0.5 * f64::from(k) / 600.0;
            let (in_pass, in_stop) = match kind {
                BandKind::Lowpass => (f <= a, f >= c),
                BandKind::Highpass => (f >= a, f <= c),
                BandKind::Bandpass => ((a..=b).contains(&f), f <= c || f >= d),
                BandKind::Bandstop => (f <= a || f >= b, (c..=d).contains(&f)),
            };
            let level = decibels(gain(&filter, f));
            prop_assert!(!in_pass || (-ripple - 1e-6..1e-6).contains(&level), "{level} at {f} in the \
                pass-band");
            prop_assert!(!in_stop || level < -attenuation + 1e-6, "{level} at {f} in the stop-band");
        }
        // At least one edge is met exactly; where the middle is that of the stop-band, the other has room.
        for edge in &choice.edges_hz {
            prop_assert!((decibels(gain(&filter, *edge)) + ripple).abs() < 1e-6);
        }
        let is_met = |edge: &f64| choice.edges_hz.iter().any(|own| (own - edge).abs() < 1e-12);
        prop_assert!(pass.iter().any(is_met));
        let step = if kind.is_band() { 2 } else { 1 };
        if choice.order > step {
            let smaller = IirWish {
                points: Points::Recipe { meaning: EdgeMeaning::RippleEnd, edges: pass,
                    order: choice.order - step },
                ..wish
            };
            let (_, smaller) = design_iir(&smaller, rate()).unwrap();
            prop_assert!(stop.iter().any(|f| decibels(gain(&smaller, *f)) > -attenuation - 1e-6));
        }
    }

    /// Low-pass and high-pass with mirrored edges are mirror images (z → −z).
    #[test]
    fn highpass_is_the_mirror_of_lowpass(
        family in 0usize..5, order in 1usize..=12, edge in 0.02f64..0.48, at in 0.0f64..0.5,
    ) {
        let family = Family::ALL[family];
        let design = |kind, edge| {
            let wish = recipe(kind, family, order, &[edge], EdgeMeaning::HalfPower);
            design_iir(&wish, rate()).unwrap().1
        };
        let (low, high) = (design(BandKind::Lowpass, edge), design(BandKind::Highpass, 0.5 - edge));
        prop_assert!((gain(&low, at) - gain(&high, 0.5 - at)).abs() < 1e-10);
    }
}

/// Equal ripple: a Chebyshev or elliptic filter of order n touches the ripple's floor and the peak n + 1
/// times in all, edge included, each to the same height.
#[test]
fn ripples_are_equal_and_as_many_as_the_order_says() {
    for family in [Family::Chebyshev1, Family::Elliptic] {
        for order in [3usize, 6, 9] {
            let wish = recipe(BandKind::Lowpass, family, order, &[0.2], EdgeMeaning::RippleEnd);
            let (_, filter) = design_iir(&wish, rate()).unwrap();
            let levels: Vec<f64> = (0..=200_000)
                .map(|k| decibels(gain(&filter, 0.2 * f64::from(k) / 200_000.0)))
                .collect();
            let mut extremes = vec![levels[0]];
            extremes.extend(
                levels.windows(3).filter(|w| (w[1] - w[0]) * (w[2] - w[1]) < 0.0).map(|w| w[1]),
            );
            extremes.push(levels[200_000]);
            assert_eq!(extremes.len(), order + 1, "{family} {order}");
            for pair in extremes.windows(2) {
                let (low, high) = (pair[0].min(pair[1]), pair[0].max(pair[1]));
                assert!(
                    (low + 0.5).abs() < 1e-7 && high.abs() < 1e-7,
                    "{family} {order}: {pair:?}"
                );
            }
        }
    }
}

/// An order with all four edges: the pass-band kept exactly, the stop-band kept if and only if the order is
/// not below the smallest that keeps it.
#[test]
fn an_order_with_a_template_is_held_against_it() {
    let rate = SampleRate::from_hertz(1000.0).unwrap();
    let bands = [
        (BandKind::Lowpass, vec![40.0], vec![60.0]),
        (BandKind::Highpass, vec![60.0], vec![40.0]),
        (BandKind::Bandpass, vec![80.0, 120.0], vec![70.0, 150.0]),
        (BandKind::Bandstop, vec![100.0, 300.0], vec![130.0, 180.0]),
    ];
    for family in Family::ALL {
        for (kind, pass, stop) in &bands {
            let wish = |order| IirWish {
                kind: *kind,
                family,
                points: Points::Template { order, pass: pass.clone(), stop: stop.clone() },
                ripple_db: Some(0.5),
                attenuation_db: Some(40.0),
            };
            let Ok((smallest, _)) = design_iir(&wish(None), rate) else {
                assert_eq!(family, Family::Bessel);
                continue;
            };
            let step = if kind.is_band() { 2 } else { 1 };
            for order in [smallest.order - step, smallest.order, smallest.order + step] {
                if order == 0 || order > 24 * step {
                    continue;
                }
                let (choice, filter) = design_iir(&wish(Some(order)), rate).unwrap();
                assert_eq!((choice.order, choice.order_is_smallest), (order, false));
                let passed =
                    Bands { kind: *kind, pass_hz: Some(pass.clone()), stop_hz: Some(stop.clone()) };
                let middle = (pass[0] * pass[pass.len() - 1]).sqrt();
                let found = measure_bands(&filter, rate, &passed, middle);
                let ripple = found.passband_ripple_db.unwrap();
                assert!(ripple <= 0.5 + 1e-6, "{family} {kind:?} {order}: {ripple}");
                // Both sides of a band share an order: one of them may be kept by less.
                let keeps = found.stopband_attenuation_db.unwrap() >= 40.0 - 1e-6;
                assert_eq!(keeps, order >= smallest.order, "{family} {kind:?} {order}: {found:?}");
            }
        }
    }
}

/// Every unreasonable wish is refused at once, with what is wrong and what would do.
#[test]
fn unreasonable_wishes_are_refused() {
    let low = |order, edges: &[f64]| {
        recipe(BandKind::Lowpass, Family::Butterworth, order, edges, EdgeMeaning::HalfPower)
    };
    let band = |order, edges: &[f64]| {
        recipe(BandKind::Bandpass, Family::Butterworth, order, edges, EdgeMeaning::HalfPower)
    };
    let template = |family, pass: f64, stop: f64, attenuation| IirWish {
        kind: BandKind::Lowpass,
        family,
        points: Points::Template { order: None, pass: vec![pass], stop: vec![stop] },
        ripple_db: Some(0.1),
        attenuation_db: Some(attenuation),
    };
    let levels = |ripple, attenuation| IirWish {
        ripple_db: ripple,
        attenuation_db: attenuation,
        ..recipe(BandKind::Lowpass, Family::Elliptic, 4, &[0.1], EdgeMeaning::HalfPower)
    };
    let cases = [
        (low(0, &[0.1]), "1 to 24"),
        (low(1_000_000_000, &[0.1]), "1 to 24"),
        (low(4, &[0.0]), "between 0 Hz"),
        (low(4, &[0.5]), "0.5 Hz"),
        (low(4, &[f64::NAN]), "NaN"),
        (low(4, &[f64::INFINITY]), "inf"),
        (low(4, &[0.1, 0.2]), "1 edge"),
        (band(5, &[0.1, 0.2]), "even"),
        (band(50, &[0.1, 0.2]), "1 to 48"),
        (band(4, &[0.2, 0.1]), "the lower one first"),
        (band(4, &[0.1]), "2 edge"),
        (band(4, &[0.1, 0.1 + 1e-18]), "the lower one first"),
        (band(4, &[0.1, 0.1 + 2e-17]), "unit circle"),
        (levels(Some(0.0), Some(60.0)), "ripple: 0 dB"),
        (levels(Some(3.0), Some(2.0)), "more than the ripple"),
        (levels(None, Some(60.0)), "needs `ripple`"),
        (levels(Some(f64::NAN), None), "NaN"),
        (template(Family::Butterworth, 0.2, 0.1, 60.0), "no transition"),
        (template(Family::Butterworth, 0.1, 0.105, 60.0), "family elliptic and order 11 would do"),
        (template(Family::Elliptic, 0.1, 0.1 + 1e-12, 200.0), "nor does another family"),
    ];
    for (wish, words) in cases {
        let error = design_iir(&wish, rate()).expect_err(words).to_string();
        assert!(error.contains(words), "`{words}` is not in: {error}");
    }
}

/// The smallest order of bands, over all middles that the transformation can have: an order of a Chebyshev
/// filter follows from the selectivity in closed form, acosh √((10^(A/10) − 1)/(10^(r/10) − 1))/acosh of it,
/// and the best middle from a scan.
#[test]
fn bands_take_no_more_poles_than_the_best_middle_needs() {
    let (ripple, attenuation) = (0.5f64, 60.0f64);
    let ratio = |db: f64| 10f64.powf(db / 10.0) - 1.0;
    let needed = (ratio(attenuation) / ratio(ripple)).sqrt().acosh();
    let mut fewer = 0;
    for kind in ["bandpass", "bandstop"] {
        for low in [60.0f64, 100.0, 180.0] {
            for (inner, width, outer) in
                [(30.0f64, 50.0, 120.0), (10.0, 90.0, 25.0), (50.0, 60.0, 20.0), (12.0, 80.0, 12.0)]
            {
                let edges = [low, low + inner, low + inner + width, low + inner + width + outer];
                let (pass, stop) = match kind {
                    "bandpass" => ([edges[1], edges[2]], [edges[0], edges[3]]),
                    _ => ([edges[0], edges[3]], [edges[1], edges[2]]),
                };
                let text = format!(
                    "name = \"b\"\nsample_rate = \"1 kHz\"\n[want]\nkind = \"{kind}\"\npass_edges = [\"{} \
                        Hz\", \"{} Hz\"]\n\
                     stop_edges = [\"{} Hz\", \"{} Hz\"]\nripple = \"{ripple} dB\"\n\
                     attenuation = \"{attenuation} dB\"\n\
                     [method]\ndesign = \"chebyshev1\"\norder = \"minimum\"\n",
                    pass[0], pass[1], stop[0], stop[1]
                );
                let warp = |hz: f64| (std::f64::consts::PI * hz / 1000.0).tan();
                let selectivity = |square: f64| {
                    let band = |hz: f64| ((warp(hz) * warp(hz) - square) / warp(hz)).abs();
                    let ends = |edges: [f64; 2]| edges.map(band);
                    let ([a, b], [c, d]) = (ends(pass), ends(stop));
                    if kind == "bandpass" { c.min(d) / a.max(b) } else { a.min(b) / c.max(d) }
                };
                let squares = [warp(pass[0]) * warp(pass[1]), warp(stop[0]) * warp(stop[1])];
                let best = (0..=4000).map(|k| {
                    let share = f64::from(k) / 4000.0;
                    selectivity(squares[0] * (1.0 - share) + squares[1] * share)
                });
                let best = best.fold(0.0, f64::max);
                let order = 2 * (needed / best.acosh() - 1e-9).ceil() as usize;
                let old = 2 * (needed / selectivity(squares[0]).acosh() - 1e-9).ceil() as usize;
                let spec = Spec::parse(&text).unwrap_or_else(|error| panic!("{error}\n{text}"));
                let found = design(&spec).unwrap();
                let Choice::Recursive(choice) = &found.choice else { panic!() };
                assert_eq!(choice.order, order, "{text}");
                fewer += usize::from(order < old);
                // And it keeps the template.
                let measures = Measures::of(found.transfer(), &found.choice, spec.sample_rate);
                assert_eq!(meets_spec(&found, &measures, spec.sample_rate), Some(true), "{text}");
            }
        }
    }
    println!("{fewer} of 24 with fewer poles than about the middle of their pass-bands");
    assert!(fewer > 3, "{fewer}");
}
