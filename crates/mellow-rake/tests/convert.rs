//! Between the forms of a filter, equalized delays, sampled impulse responses, analogue prototypes.

// Independent of the library: the platform's own functions.

use mellow_rake::convert::{
    ConvertError, from_all_pass_sum, from_parallel, from_polynomials, from_state_space,
    to_all_pass_sum, to_parallel, to_polynomials, to_state_space,
};
use mellow_rake::design::iir::{
    IirWish, Points, analogue_of, design_iir, design_impulse_invariant,
};
use mellow_rake::design::{DesignError, EqualizerError, design};
use mellow_rake::filter::{BandKind, EdgeMeaning, Family, Sections, Transfer, ZerosPolesGain};
use mellow_rake::spec::Spec;
use mellow_rake::units::SampleRate;
use num_complex::Complex64;
use proptest::prelude::*;
use std::f64::consts::PI;

const KINDS: [BandKind; 4] =
    [BandKind::Lowpass, BandKind::Highpass, BandKind::Bandpass, BandKind::Bandstop];

fn rate() -> SampleRate {
    SampleRate::from_hertz(1.0).unwrap()
}

fn wish(kind: BandKind, family: Family, order: usize, edges: &[f64]) -> IirWish {
    let points = Points::Recipe { meaning: EdgeMeaning::HalfPower, edges: edges.to_vec(), order };
    IirWish { kind, family, points, ripple_db: Some(0.5), attenuation_db: Some(50.0) }
}

fn filter(kind: BandKind, family: Family, order: usize, edges: &[f64]) -> ZerosPolesGain {
    design_iir(&wish(kind, family, order, edges), rate()).unwrap().1
}

fn largest_difference(a: &dyn Transfer, b: &dyn Transfer) -> f64 {
    let at = |k: u32| PI * (f64::from(k) + 0.5) / 700.0;
    (0..700).map(|k| (a.response(at(k)) - b.response(at(k))).norm()).fold(0.0, f64::max)
}

proptest! {
    #![proptest_config(ProptestConfig { cases: 200, failure_persistence: None, ..ProptestConfig::default() })]

    /// Out and back: what is said to be lost is an upper bound on what is found lost, on another grid.
    #[test]
    fn forms_keep_the_filter_or_say_so(
        kind in 0usize..4, family in 0usize..5, order in 1usize..13, low in 0.02f64..0.3,
            share in 0.2f64..0.8,
    ) {
        let (kind, family) = (KINDS[kind], Family::ALL[family]);
        let edges = if kind.is_band() { vec![low, low + share * (0.48 - low)] } else { vec![low] };
        let order = if kind.is_band() { 2 * order.div_ceil(2) } else { order };
        let filter = filter(kind, family, order, &edges);
        let sections = Sections::from_zeros_poles(&filter);
        // The grid of the estimate has the poles on it; a factor covers what lies between.
        let covers = |loss: f64, found: f64| found <= 3.0 * loss + 1e-12;

        prop_assert!(largest_difference(&filter, &ZerosPolesGain::from_sections(&sections)) < 1e-7);
        match to_polynomials(&filter) {
            Ok(there) => {
                prop_assert!(covers(there.loss.response, largest_difference(&filter, &there.form)));
                if let Ok(back) = from_polynomials(&there.form) {
                    prop_assert_eq!(back.form.poles.len(), order);
                    prop_assert!(covers(back.loss.response + there.loss.response,
                        largest_difference(&filter, &back.form)));
                    for pole in &filter.poles {
                        let near = back.form.poles.iter().map(|p| (p - pole).norm()).fold(f64::MAX, f64::min);
                        // The estimate is of first order, for half a unit in the last place of each
                        // coefficient.
                        let bound = 100.0 * there.loss.poles * (1.0 - pole.norm()) + 1e-12;
                        prop_assert!(near <= bound, "{near:e} {bound:e}");
                    }
                }
            }
            Err(ConvertError::LosesPoles { shift, .. }) => prop_assert!(shift > 1e-3),
            Err(ConvertError::LosesResponse { change, .. }) => prop_assert!(change > 1e-6),
            Err(other) => prop_assert!(false, "{other}"),
        }
        let space = to_state_space(&filter, &sections).unwrap();
        prop_assert!(covers(space.loss.response, largest_difference(&filter, &space.form)));
        if let Ok(back) = from_state_space(&space.form) {
            prop_assert!(covers(back.loss.response + space.loss.response, largest_difference(&filter,
                &back.form)));
        }
        if let Ok(parallel) = to_parallel(&filter) {
            prop_assert!(covers(parallel.loss.response, largest_difference(&filter, &parallel.form)));
            match from_parallel(&parallel.form) {
                Ok(back) => {
                    let lost = back.loss.response + parallel.loss.response;
                    prop_assert!(covers(lost, largest_difference(&filter, &back.form)));
                    prop_assert_eq!(back.form.poles.len(), order);
                }
                // Short filters far from the circle always come back.
                Err(error) => prop_assert!(order > 4 || low < 0.05, "{error}"),
            }
        }
    }

    /// Two all-passes: each has gain 1, their sum is the filter, and the powers of the filter and its
    /// complement add up to 1.
    #[test]
    fn all_pass_sums_complement(
        kind in 0usize..4, family in 0usize..4, order in 0usize..5, low in 0.05f64..0.25,
            share in 0.3f64..0.8,
    ) {
        let (kind, family) = (KINDS[kind], Family::ALL[family]);
        let edges = if kind.is_band() { vec![low, low + share * (0.45 - low)] } else { vec![low] };
        let odd = 2 * order + 1;
        let order = if kind.is_band() { 2 * odd } else { odd };
        let filter = filter(kind, family, order, &edges);
        let sum = to_all_pass_sum(&filter).unwrap_or_else(|error| panic!("{kind:?} {family} {order}: \
            {error}"));
        prop_assert!(largest_difference(&filter, &sum.form) < 1e-6);
        if let Ok(back) = from_all_pass_sum(&sum.form) {
            prop_assert!(largest_difference(&filter, &back.form) < 1e-5);
        } else {
            prop_assert!(order > 5);
        }
        let other = sum.form.complement();
        for k in 0..=80 {
            let omega = PI * f64::from(k) / 80.0;
            let power = sum.form.response(omega).norm_sqr() + other.response(omega).norm_sqr();
            prop_assert!((power - 1.0).abs() < 1e-9, "{power}");
        }
    }
}

/// Zeros that all lie at −1, the everyday case, come back from a sum of two all-passes as they do from a
/// fraction.
#[test]
fn sums_of_all_passes_with_multiple_zeros_come_back() {
    for order in [3, 5, 7, 9] {
        let mut read = 0;
        for k in 1..=24 {
            let cutoff = 0.02 * f64::from(k) - 0.005;
            let filter = filter(BandKind::Lowpass, Family::Butterworth, order, &[cutoff]);
            let sum = to_all_pass_sum(&filter).unwrap();
            if let Ok(back) = from_all_pass_sum(&sum.form) {
                let lost = largest_difference(&filter, &back.form);
                assert!(lost < 1e-5, "{order} {cutoff}: {lost:e}");
                read += 1;
            }
        }
        println!("order {order}: {read} of 24");
        assert!(read >= if order < 9 { 23 } else { 20 }, "{order}: {read}");
    }
}

/// What is refused, and why.
#[test]
fn forms_that_would_lose_the_filter_are_refused() {
    let narrow = filter(BandKind::Bandpass, Family::Elliptic, 24, &[0.01, 0.011]);
    let error = to_polynomials(&narrow).unwrap_err();
    assert!(matches!(error, ConvertError::LosesPoles { order: 24, .. }), "{error}");
    let low = filter(BandKind::Lowpass, Family::Chebyshev1, 12, &[1e-3]);
    assert!(matches!(to_polynomials(&low), Err(ConvertError::LosesPoles { .. })));
    for (family, order) in [(Family::Butterworth, 4), (Family::Bessel, 5)] {
        let even = filter(BandKind::Lowpass, family, order, &[0.1]);
        assert!(matches!(to_all_pass_sum(&even), Err(ConvertError::NotThere { .. })));
    }
    let error = to_parallel(&ZerosPolesGain {
        zeros: vec![Complex64::new(0.0, 0.0); 2],
        poles: vec![Complex64::new(0.5, 0.0); 2],
        gain: 1.0,
    });
    assert!(error.unwrap_err().to_string().contains("two poles coincide"));
}

/// A Butterworth low-pass of order 2 has the impulse response √2·ω·e^(−ωt/√2)·sin(ωt/√2); its samples times
/// the period are the digital impulse response. Order 1 jumps: ω·e^(−ωt), half of it at zero.
#[test]
fn impulse_responses_are_samples_of_the_analogue_one() {
    let omega = 2.0 * PI * 0.05;
    let sampled = |order| {
        let wish = wish(BandKind::Lowpass, Family::Butterworth, order, &[0.05]);
        let (_, filter) = design_impulse_invariant(&wish, rate()).unwrap();
        let mut running = Sections::from_zeros_poles(&filter).start();
        (0..60).map(|n| running.step(if n == 0 { 1.0 } else { 0.0 })).collect::<Vec<f64>>()
    };
    for (n, found) in sampled(2).iter().enumerate() {
        let x = omega * n as f64 / 2f64.sqrt();
        let expected = 2f64.sqrt() * omega * (-x).exp() * x.sin();
        assert!((found - expected).abs() < 1e-14, "{n}: {found} {expected}");
    }
    for (n, found) in sampled(1).iter().enumerate() {
        let expected = omega * (-omega * n as f64).exp() * if n == 0 { 0.5 } else { 1.0 };
        assert!((found - expected).abs() < 1e-15, "{n}: {found} {expected}");
    }
    // Higher orders against the analogue poles: h(t) = Σ r·e^(pt), residues from the polynomials' derivative.
    for (kind, family, order, edges) in [
        (BandKind::Lowpass, Family::Bessel, 7, vec![0.05]),
        (BandKind::Lowpass, Family::Elliptic, 5, vec![0.04]),
        (BandKind::Bandpass, Family::Chebyshev1, 10, vec![0.05, 0.09]),
    ] {
        let wish = wish(kind, family, order, &edges);
        let (choice, filter) = design_impulse_invariant(&wish, rate()).unwrap();
        let analogue = analogue_of(&choice, rate()).unwrap();
        let value =
            |c: &[f64], s: Complex64| c.iter().fold(Complex64::new(0.0, 0.0), |v, c| v * s + c);
        let degree = analogue.denominator.len() - 1;
        let slope: Vec<f64> = analogue.denominator[..degree]
            .iter()
            .enumerate()
            .map(|(k, c)| c * (degree - k) as f64)
            .collect();
        let mut running = Sections::from_zeros_poles(&filter).start();
        for n in 0..80 {
            let found = running.step(if n == 0 { 1.0 } else { 0.0 });
            let term = |p: &[f64; 2]| {
                let p = Complex64::new(p[0], p[1]);
                value(&analogue.numerator, p) / value(&slope, p) * (p * f64::from(n)).exp()
            };
            let expected: Complex64 = analogue.filter.poles.iter().map(term).sum();
            let expected = if n == 0 { expected.re / 2.0 } else { expected.re };
            assert!((found - expected).abs() < 1e-8, "{family} {n}: {found} {expected}");
        }
    }
    for (kind, family, order) in
        [(BandKind::Highpass, Family::Butterworth, 3), (BandKind::Lowpass, Family::Elliptic, 4)]
    {
        let error =
            design_impulse_invariant(&wish(kind, family, order, &[0.1]), rate()).unwrap_err();
        assert!(matches!(error, DesignError::NoImpulseInvariance { .. }), "{error}");
    }
}

/// The analogue prototype: prewarped edges 2·fs·tan(πf/fs); the polynomials of a Butterworth filter of order
/// 3 are s³ + 2ωs² + 2ω²s + ω³; the bilinear transform of the printed zeros and poles is the digital filter.
#[test]
fn prototypes_lead_to_the_filter() {
    let rate = SampleRate::from_hertz(8000.0).unwrap();
    let (choice, _) =
        design_iir(&wish(BandKind::Lowpass, Family::Butterworth, 3, &[1500.0]), rate).unwrap();
    let analogue = analogue_of(&choice, rate).unwrap();
    let omega = 16_000.0 * (PI * 1500.0 / 8000.0).tan();
    assert!((analogue.edges_rad_s[0] / omega - 1.0).abs() < 1e-15);
    let expected = [1.0, 2.0 * omega, 2.0 * omega * omega, omega.powi(3)];
    for (found, expected) in analogue.denominator.iter().zip(expected) {
        assert!((found / expected - 1.0).abs() < 1e-14, "{found} {expected}");
    }
    assert!((analogue.numerator[0] / omega.powi(3) - 1.0).abs() < 1e-14);
    for kind in KINDS {
        for family in Family::ALL {
            let edges: &[f64] = if kind.is_band() { &[900.0, 1700.0] } else { &[1200.0] };
            let (choice, filter) = design_iir(&wish(kind, family, 6, edges), rate).unwrap();
            let analogue = analogue_of(&choice, rate).unwrap();
            for k in 1..60 {
                let angle = PI * f64::from(k) / 60.0;
                let s = Complex64::new(0.0, 16_000.0 * (angle / 2.0).tan());
                let product = |roots: &[[f64; 2]]| {
                    roots.iter().fold(Complex64::new(1.0, 0.0), |p, r| {
                        p * (s - Complex64::new(r[0], r[1])) / 1e4
                    })
                };
                let scale = 1e4f64
                    .powi(analogue.filter.zeros.len() as i32 - analogue.filter.poles.len() as i32);
                let h = product(&analogue.filter.zeros) / product(&analogue.filter.poles)
                    * analogue.gain
                    * scale;
                let apart = (h.norm() - filter.response(angle).norm()).abs();
                assert!(apart < 1e-10, "{kind:?} {family} at {angle}: {apart:e}");
            }
        }
    }
}

/// An equalized filter has the same gain and the flatness that was asked, as seen on the phase of its
/// response.
#[test]
fn equalizers_flatten_the_delay() {
    let text = |design: &str, ripple: f64| {
        format!(
            "name = \"x\"\nsample_rate = \"1 kHz\"\n{design}\n[equalizer]\ndelay_ripple = \"{ripple} \
                samples\"\n"
        )
    };
    let lowpass = "[want]\nkind = \"lowpass\"\npass_edge = \"100 Hz\"\nstop_edge = \"130 Hz\"\n\
        ripple = \"0.5 dB\"\n\
                   attenuation = \"60 dB\"\n[method]\ndesign = \"elliptic\"\n";
    let bandpass = "[want]\nkind = \"bandpass\"\ncutoffs = [\"150 Hz\", \"220 Hz\"]\n[method]\n\
        design = \"butterworth\"\n\
                    order = 8\n";
    for (wanted, ripple) in [(lowpass, 3.0), (lowpass, 1.5), (bandpass, 1.0)] {
        let spec = Spec::parse(&text(wanted, ripple)).unwrap();
        let flat = design(&spec).unwrap();
        let alone = design(&Spec { equalizer: None, ..spec }).unwrap();
        let equalizer = flat.equalizer.clone().unwrap();
        assert!(equalizer.ripple_before > 4.0 * ripple && equalizer.ripple_after <= ripple);
        let slope = |omega: f64| {
            let step = 1e-5;
            let turn = flat.form.response(omega + step) / flat.form.response(omega - step);
            -turn.arg() / (2.0 * step)
        };
        let [low, high] = equalizer.band_hz.map(|hz| 2.0 * PI * hz / 1000.0);
        let delays: Vec<f64> =
            (0..=400).map(|k| slope(low + (high - low) * f64::from(k) / 400.0)).collect();
        let (least, most) =
            delays.iter().fold((f64::MAX, f64::MIN), |(a, b), d| (a.min(*d), b.max(*d)));
        assert!(most - least <= ripple + 1e-3, "{wanted}: {}", most - least);
        for k in 0..=100 {
            let omega = PI * f64::from(k) / 100.0;
            let [a, b] = [&flat, &alone].map(|d| d.transfer().response(omega).norm());
            assert!((a - b).abs() < 1e-11, "{a} {b}");
            assert!((flat.form.response(omega) - flat.transfer().response(omega)).norm() < 1e-9);
        }
    }
    let spec = Spec::parse(&text(lowpass, 0.001)).unwrap();
    let error = design(&spec).unwrap_err();
    assert!(matches!(error, DesignError::Equalizer(EqualizerError::OutOfReach { .. })), "{error}");
}

/// What the tool prints as polynomials it reads again: Butterworth orders 2 to 10 over 24 cut-offs, low-pass,
/// high-pass, band-pass and band-stop, wherever the form keeps the poles. Their zeros stand many times over
/// at −1, at 1, or at the middle of the stop-band.
#[test]
fn printed_polynomials_are_read_again() {
    use mellow_rake::convert::{from_polynomials, to_polynomials};
    use mellow_rake::design::design;
    use mellow_rake::spec::Spec;
    let (mut read, mut lost) = (0, 0);
    for order in 2..=10 {
        for step in 0..24 {
            let hz = 20.0 + 19.0 * f64::from(step);
            for kind in ["lowpass", "highpass", "bandpass", "bandstop"] {
                let wish = match kind {
                    "lowpass" | "highpass" => format!("cutoff = \"{hz} Hz\""),
                    _ => format!("cutoffs = [\"{hz} Hz\", \"{} Hz\"]", hz + 40.0),
                };
                if kind.starts_with("band") && order % 2 == 1 {
                    continue;
                }
                let text = format!(
                    "name = \"b\"\nsample_rate = \"1 kHz\"\n[want]\nkind = \"{kind}\"\n{wish}\n[method]\n\
                        design = \"butterworth\"\norder = {order}\n"
                );
                let Ok(spec) = Spec::parse(&text) else { continue };
                let Ok(found) = design(&spec) else { continue };
                let filter = found.zeros_poles.unwrap();
                // Refused where the form says itself that it loses the poles.
                let Ok(printed) = to_polynomials(&filter) else {
                    lost += 1;
                    continue;
                };
                let again = from_polynomials(&printed.form);
                let again = again.unwrap_or_else(|error| panic!("{kind} {order} {hz}: {error}"));
                for k in 0..=100 {
                    let omega = std::f64::consts::PI * f64::from(k) / 100.0;
                    let apart = (again.form.response(omega) - filter.response(omega)).norm();
                    assert!(apart < 2e-4, "{kind} {order} {hz} at {omega}: {apart:e}");
                }
                read += 1;
            }
        }
    }
    println!("{read} read, {lost} lose their poles in this form");
    assert!(read > 500, "{read} {lost}");
}
