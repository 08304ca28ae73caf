//! Recursive filters on integers: proofs and predictions hold for cascades as for single sections, and what
//! is measured is what a closed form says.

// Independent of the library: the platform's own functions.

use mellow_rake::datapath::{NotPredicted, Simulator, dump};
use mellow_rake::design::iir::{IirWish, Points, design_iir};
use mellow_rake::filter::{
    BandKind, EdgeMeaning, Family, PhaseResponse, Section, Sections, Transfer, ZerosPolesGain,
};
use mellow_rake::fixed::{Overflow, Rounding};
use mellow_rake::implementation::{Implementation, implement};
use mellow_rake::random::NoiseSource;
use mellow_rake::response::{Bands, measure_bands};
use mellow_rake::signal::tone_amplitude;
use mellow_rake::spec::{Fixed, Structure};
use mellow_rake::units::SampleRate;
use mellow_rake::verify::judge;
use proptest::prelude::*;

const KINDS: [BandKind; 4] =
    [BandKind::Lowpass, BandKind::Highpass, BandKind::Bandpass, BandKind::Bandstop];

fn rate() -> SampleRate {
    SampleRate::from_hertz(1.0).unwrap()
}

fn filter(kind: BandKind, family: Family, order: usize, edges: &[f64]) -> ZerosPolesGain {
    let wish = IirWish {
        kind,
        family,
        points: Points::Recipe { meaning: EdgeMeaning::HalfPower, edges: edges.to_vec(), order },
        ripple_db: Some(0.5),
        attenuation_db: Some(50.0),
    };
    design_iir(&wish, rate()).unwrap().1
}

fn fixed(rounding: Rounding) -> Fixed {
    Fixed {
        output: "s22f17".parse().unwrap(),
        coefficients: "s24".parse().unwrap(),
        rounding,
        overflow: Overflow::Saturate,
        ..Fixed::new(Structure::DirectForm1, "s16f15".parse().unwrap())
    }
}

/// An arbitrary recursive filter of one to four sections, not too narrow for 24-bit coefficients.
fn arbitrary() -> impl Strategy<Value = (String, Sections)> {
    (0usize..5, 0usize..4, 1usize..=4, 0.04f64..0.3, 0.3f64..0.8).prop_map(
        |(family, kind, order, low, share)| {
            let (family, kind) = (Family::ALL[family], KINDS[kind]);
            let (order, edges) = if kind.is_band() {
                (2 * order, vec![low, low + share * (0.46 - low)])
            } else {
                (order, vec![low])
            };
            let name = format!("{family} {} {order} {edges:?}", kind.as_str());
            (name, Sections::from_zeros_poles(&filter(kind, family, order, &edges)))
        },
    )
}

fn white(seed: u64, length: usize) -> Vec<i64> {
    let mut noise = NoiseSource::new(seed);
    (0..length).map(|_| noise.integer(-16384, 16383)).collect()
}

fn on_integers(sections: &Sections, rounding: Rounding) -> Implementation {
    implement(&sections.clone().into(), fixed(rounding)).unwrap()
}

proptest! {
    // Few of the filters may be refused a prediction: of 4,000 of them none was.
    #![proptest_config(ProptestConfig {
        cases: 80, max_global_rejects: 4, failure_persistence: None, ..ProptestConfig::default()
    })]

    /// Measured noise within 1 dB of the predicted on white input, and never an error beyond the bound: over
    /// families, kinds, orders and the roundings whose errors do not follow the signal.
    #[test]
    fn noise_and_bounds_hold_for_cascades(
        (name, sections) in arbitrary(), rounding in 0usize..4, seed: u64,
    ) {
        let integers = on_integers(&sections, Rounding::ALL[rounding]);
        let (_, error) = judge(&integers, &sections.clone().into(), &white(seed, 20_000));
        prop_assert_eq!(error.limited_samples, 0, "{}", &name);
        prop_assert!(error.within_bound(), "{name}: {error:?}");
        let predicted = integers.predicted_noise();
        // An edge within millionths of a quarter of the rate leaves a feedback of a few steps of its format.
        prop_assume!(!matches!(predicted, Err(NotPredicted::Uneven)));
        let predicted = predicted.unwrap().rms() / integers.fixed.output.step();
        let off = 20.0 * (error.rms_lsb / predicted).log10();
        prop_assert!(off.abs() < 1.0, "{name}: {off} dB, {error:?}");
    }
}

proptest! {
    #![proptest_config(ProptestConfig { cases: 80, failure_persistence: None, ..ProptestConfig::default() })]

    /// The worst case comes within a thousandth of the proved level of the output, and no noise goes beyond
    /// it.
    #[test]
    fn levels_are_bounded_and_attained_in_cascades((name, sections) in arbitrary(), seed: u64) {
        let integers = on_integers(&sections, Rounding::HalfEven);
        let bounds = integers.checked.facts().bounds().as_ref().unwrap();
        let (low, high) = bounds.gain().reach(-1.0, 1.0 - 1.0 / 32768.0);
        let error = bounds.error.largest();
        let output = integers.fixed.output;
        let worst = integers.checked.worst_case_input(&bounds.gains[0], 1 << 16);
        let reached = output.value(*Simulator::new(&integers.checked).run(&worst.input).last().unwrap());
        prop_assert!(reached <= high + error && reached >= 0.999 * high - error, "{name}: {reached} {high}");
        let full_scale: Vec<i64> = white(seed,
            3000).iter().map(|x| if *x < 0 { -32768 } else { 32767 }).collect();
        for y in Simulator::new(&integers.checked).run(&full_scale) {
            prop_assert!((low - error..=high + error).contains(&output.value(y)), "{name}");
        }
    }

    /// A tone through the integer filter comes out with the gain of the response with rounded coefficients.
    #[test]
    fn tones_come_out_with_the_predicted_gain((name, sections) in arbitrary(), at in 0.02f64..0.48) {
        let integers = on_integers(&sections, Rounding::HalfEven);
        let predicted = integers.rounded.gain(rate().radians(at));
        prop_assume!(predicted > 0.02);
        let tone = |n: usize| 16000.0 * (std::f64::consts::TAU * at * n as f64).sin();
        let input: Vec<i64> = (0..6000).map(|n| tone(n).round() as i64).collect();
        let scale = integers.fixed.output.step() / integers.fixed.input.step();
        let output: Vec<f64> =
            Simulator::new(&integers.checked).run(&input).iter().map(|y| *y as f64 * scale).collect();
        // The last 4000 samples: what started has died away for filters this wide.
        let measured = tone_amplitude(&output[2000..], rate(), at) / 16000.0;
        let off = 20.0 * (measured / predicted).log10();
        prop_assert!(off.abs() < 0.05, "{name}: {off} dB at {at}");
    }

    /// Sections keep the filter: product, stability, and the peak of every partial cascade at 1.
    #[test]
    fn sections_are_scaled_and_ordered((name, sections) in arbitrary()) {
        prop_assert!(sections.is_stable(), "{name}");
        let mut radius = 0.0;
        for (index, section) in sections.0.iter().enumerate() {
            prop_assert!(section.pole_radius() >= radius, "{name}: from the least to the most resonant");
            radius = section.pole_radius();
            let partial = Sections(sections.0[..=index].to_vec());
            let peak = (0..=2000)
                .map(|k| partial.gain(rate().radians(f64::from(k) / 4000.0)))
                .fold(0.0, f64::max);
            prop_assert!(peak < 1.001, "{name}: {peak} after section {index}");
        }
    }
}

/// For every kind: half-power points, ripple and attenuation of a Butterworth filter against 1/(1 + w²ⁿ).
#[test]
fn every_kind_measures_as_its_closed_form() {
    let tan = |f: f64| (std::f64::consts::PI * f).tan();
    for kind in KINDS {
        let (order, edges) = if kind.is_band() { (6, vec![0.1, 0.2]) } else { (3, vec![0.15]) };
        let zpk = filter(kind, Family::Butterworth, order, &edges);
        let frequency = |f: f64| match kind {
            BandKind::Lowpass => tan(f) / tan(0.15),
            BandKind::Highpass => tan(0.15) / tan(f),
            BandKind::Bandpass => {
                ((tan(f) * tan(f) - tan(0.1) * tan(0.2)) / (tan(f) * (tan(0.2) - tan(0.1)))).abs()
            }
            BandKind::Bandstop => {
                ((tan(f) * (tan(0.2) - tan(0.1))) / (tan(f) * tan(f) - tan(0.1) * tan(0.2))).abs()
            }
        };
        let attenuation = |f: f64| 10.0 * (1.0 + frequency(f).powi(6)).log10();
        let (pass, stop) = match kind {
            BandKind::Lowpass => (vec![0.1], vec![0.25]),
            BandKind::Highpass => (vec![0.25], vec![0.1]),
            BandKind::Bandpass => (vec![0.12, 0.18], vec![0.05, 0.3]),
            BandKind::Bandstop => (vec![0.05, 0.3], vec![0.12, 0.17]),
        };
        let bands = Bands { kind, pass_hz: Some(pass.clone()), stop_hz: Some(stop.clone()) };
        let measured = measure_bands(&zpk, rate(), &bands, 0.145);
        let worst = |edges: &[f64], best: fn(f64, f64) -> f64| {
            edges.iter().map(|&f| attenuation(f)).reduce(best).unwrap()
        };
        let close = |found: Option<f64>, expected: f64| {
            assert!(
                (found.unwrap() - expected).abs() < 1e-7,
                "{}: {found:?} {expected}",
                kind.as_str()
            );
        };
        close(measured.passband_ripple_db, worst(&pass, f64::max));
        close(measured.stopband_attenuation_db, worst(&stop, f64::min));
        assert!(stop.iter().any(|f| (f - measured.worst_stop_hz.unwrap()).abs() < 1e-9));
        for (found, edge) in measured.edges_3db_hz.iter().zip(&edges) {
            close(*found, *edge);
        }
        assert_eq!(measured.edges_3db_hz.len(), edges.len());
    }
}

/// The group delay of a filter is minus the slope of its phase, and its mean over the whole circle is the
/// number of its poles (the phase of a minimum-phase denominator winds once per pole).
#[test]
fn group_delay_is_the_slope_of_the_phase_and_its_mean_the_order() {
    for (kind, family, order, edges) in [
        (BandKind::Lowpass, Family::Bessel, 5, vec![0.1]),
        (BandKind::Bandpass, Family::Chebyshev1, 8, vec![0.15, 0.25]),
        (BandKind::Highpass, Family::Butterworth, 4, vec![0.3]),
    ] {
        let zpk = filter(kind, family, order, &edges);
        for k in 1..40 {
            let (omega, step) = (rate().radians(f64::from(k) / 82.0), 1e-5);
            let turn = zpk.response(omega + step) / zpk.response(omega - step);
            let slope = -turn.im.atan2(turn.re) / (2.0 * step);
            assert!((slope - zpk.group_delay(omega)).abs() < 1e-4 * (1.0 + slope.abs()), "{k}");
        }
        // Poles and zeros alone: an all-pole filter with its zeros at the origin.
        let poles = ZerosPolesGain { zeros: Vec::new(), poles: zpk.poles.clone(), gain: 1.0 };
        let count = 20_000;
        let mean: f64 = (0..count)
            .map(|k| poles.group_delay(std::f64::consts::TAU * f64::from(k) / f64::from(count)))
            .sum::<f64>()
            / f64::from(count);
        assert!((mean - order as f64).abs() < 1e-9, "{family}: {mean}");
    }
}

/// First-order sections, double real poles and zeros at the origin go through the whole chain as well.
#[test]
fn odd_shapes_run_as_they_are() {
    let sections = Sections(vec![
        Section { b: [0.5, 0.0, 0.0], a: [-0.5, 0.0] },
        Section { b: [0.25, 0.5, 0.25], a: [0.0, 0.0] },
    ]);
    let integers = on_integers(&sections, Rounding::Floor);
    assert!(dump(&integers.checked).contains("repeat 2 passes"));
    let output = Simulator::new(&integers.checked).run(&[16384, 0, 0, 0, 0]);
    // Values ½·{1, ½, ¼, …} smoothed by {¼, ½, ¼}, in s22f17: an input of one half is 2^16 steps.
    assert_eq!(output, [8192, 20480, 18432, 9216, 4608]);
}
