//! Spectra, lines, levels and zero-phase runs against closed forms and direct calculation.

use mellow_rake::datapath::Simulator;
use mellow_rake::design::design;
use mellow_rake::filter::{Form, Section, Sections, Taps, Transfer};
use mellow_rake::implementation::implement;
use mellow_rake::random::NoiseSource;
use mellow_rake::signal::{
    Averaging, SpectrumError, SpectrumWish, complex_spectrum, delay_between, measure_levels,
    measure_transfer, spectral_lines, spectrum, stepped_transfer, stepped_words, zero_phase,
};
use mellow_rake::spec::Spec;
use mellow_rake::units::SampleRate;
use mellow_rake::window::Window;
use num_complex::Complex64;
use proptest::prelude::*;
use std::f64::consts::TAU;

fn rate(hertz: f64) -> SampleRate {
    SampleRate::from_hertz(hertz).unwrap()
}

fn wish(window: Window, piece: usize, overlap: f64) -> SpectrumWish {
    SpectrumWish { window, piece, overlap, averaging: Averaging::Even }
}

/// A tone on a point of the grid: all of its mean square there under a rectangular window; under a Hann
/// window a quarter of the density on either side, and an equivalent noise bandwidth of 1.5 steps (Harris
/// 1978, table I).
#[test]
fn a_tone_on_the_grid_has_its_closed_form() {
    let tone: Vec<f64> =
        (0..4096).map(|n| 2.0 * (TAU * 32.0 * f64::from(n) / 1024.0).cos() + 7.0).collect();
    let flat = spectrum(&tone, rate(1024.0), wish(Window::Rectangular, 1024, 0.0)).unwrap();
    assert!((flat.density[32] - 2.0).abs() < 1e-9 && (flat.mean - 7.0).abs() < 1e-9);
    assert!(flat.density.iter().enumerate().all(|(k, d)| k == 32 || *d < 1e-20));
    assert_eq!((flat.pieces, flat.step_hz, flat.noise_bandwidth_hz), (4, 1.0, 1.0));
    let hann = spectrum(&tone, rate(1024.0), wish(Window::Hann, 1024, 0.5)).unwrap();
    assert!((hann.noise_bandwidth_hz - 1.5).abs() < 1e-12 && hann.pieces == 7);
    assert!((hann.density[32] * 1.5 - 2.0).abs() < 1e-9);
    for side in [31, 33] {
        assert!((hann.density[side] / hann.density[32] - 0.25).abs() < 1e-9);
    }
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(40))]

    /// Parseval: without window and overlap the integral of the density is the mean square, whatever the
    /// signal and the length of a piece.
    #[test]
    fn the_integral_is_the_mean_square(seed in any::<u64>(), piece in 8usize..300) {
        let mut noise = NoiseSource::new(seed);
        let mut signal: Vec<f64> = (0..piece * 3).map(|_| noise.normal()).collect();
        let mean = signal.iter().sum::<f64>() / signal.len() as f64;
        signal.iter_mut().for_each(|x| *x -= mean);
        let found = spectrum(&signal, rate(100.0), wish(Window::Rectangular, piece, 0.0)).unwrap();
        let square = signal.iter().map(|x| x * x).sum::<f64>() / signal.len() as f64;
        let integral: f64 = found.density.iter().sum::<f64>() * found.step_hz;
        prop_assert!((integral - square).abs() < 1e-9 * square.max(1e-9));
    }

    /// A tone anywhere, in noise: its frequency within a thousandth of a step, its amplitude within the
    /// noise.
    #[test]
    fn lines_are_found_between_the_points(hz in 30.0f64..450.0, amplitude in 0.5f64..20.0,
        seed in any::<u64>()) {
        let mut noise = NoiseSource::new(seed);
        let signal: Vec<f64> = (0..30_000)
            .map(|n| amplitude * (TAU * hz / 1000.0 * f64::from(n) + 1.0).sin() + 0.1 * noise.normal() - 3.0)
            .collect();
        let found = spectrum(&signal, rate(1000.0), SpectrumWish::for_length(signal.len())).unwrap();
        let lines = spectral_lines(&signal, rate(1000.0), &found, 15.0, 3);
        // The bound of Rife and Boorstyn (1974) for these 30 s is below 1e-4 Hz; a step is 0.24 Hz.
        prop_assert!((lines[0].hertz - hz).abs() < 5e-4, "{:?} {hz}", lines[0]);
        prop_assert!((lines[0].amplitude / amplitude - 1.0).abs() < 0.02, "{:?} {amplitude}", lines[0]);
        prop_assert_eq!(lines.len(), 1);
    }

    /// The transfer function of random taps with noise behind them: within four expected errors nearly
    /// everywhere, delay found.
    #[test]
    fn a_measured_response_is_that_of_the_filter(taps in prop::collection::vec(-1.0f64..1.0, 1..6),
        late in 0usize..40, seed in any::<u64>()) {
        let mut noise = NoiseSource::new(seed);
        let mut line = vec![0.0; late];
        // The first tap stands out, so that the delay is no matter of taste.
        line.push(8.0);
        line.extend(&taps);
        let filter = Taps(line);
        let input: Vec<f64> = (0..40_000).map(|_| noise.normal()).collect();
        let mut running = filter.start();
        let output: Vec<f64> = input.iter().map(|x| running.step(*x) + 0.5 * noise.normal()).collect();
        prop_assert_eq!(delay_between(&input, &output), late);
        let found = measure_transfer(&input, &output, rate(1000.0), wish(Window::Hann, 512, 0.5),
            late).unwrap();
        let inner = 2..255;
        let far = inner.clone().filter(|&k| {
            let expected = filter.response(TAU * found.hertz[k] / 1000.0);
            let error = (found.response[k] - expected).norm();
            // Gain and phase err alike: the length of the error is that of two.
            error > 4.0 * found.relative_error[k] * expected.norm() * 2f64.sqrt() + 1e-6
        });
        prop_assert!(far.count() <= 3);
        prop_assert!(inner.into_iter().all(|k| (0.0..=1.0).contains(&found.coherence[k])));
    }

    /// Forward and backward by a direct calculation, up to the very ends: the signal turned about its ends as
    /// far as it goes, each output the sum over the impulse response convolved with its own image.
    #[test]
    fn a_zero_phase_run_is_a_symmetric_convolution(taps in prop::collection::vec(0.2f64..1.0, 1..9),
        signal in prop::collection::vec(-5.0f64..5.0, 20..60)) {
        let found = zero_phase(&Form::Taps(Taps(taps.clone())), &signal);
        let last = signal.len() as i64 - 1;
        let extended = |n: i64| -> f64 {
            let at = |k: i64| signal[k as usize];
            if n < 0 { 2.0 * at(0) - at(-n) } else if n > last { 2.0 * at(last) - at(2 * last - n) }
                else { at(n) }
        };
        for n in 0..=last {
            let mut sum = 0.0;
            for (i, a) in taps.iter().enumerate() {
                for (j, b) in taps.iter().enumerate() {
                    sum += a * b * extended(n + i as i64 - j as i64);
                }
            }
            prop_assert!((sum - found.samples[n as usize]).abs() < 1e-9);
        }
        prop_assert_eq!(found.samples.len(), signal.len());
    }
}

/// White noise of variance 4 over 500 Hz: 8e-3 per hertz, within four standard deviations of an average over
/// all points.
#[test]
fn white_noise_is_flat_at_its_density() {
    let mut noise = NoiseSource::new(11);
    let signal: Vec<f64> = (0..200_000).map(|_| 2.0 * noise.normal()).collect();
    for window in [Window::Hann, Window::BlackmanHarris, Window::Rectangular] {
        let found = spectrum(&signal, rate(1000.0), wish(window, 512, 0.5)).unwrap();
        let inner = &found.density[2..255];
        let mean = inner.iter().sum::<f64>() / inner.len() as f64;
        assert!((mean / 8e-3 - 1.0).abs() < 0.02, "{window}: {mean}");
        // Nothing of it is a line.
        assert!(spectral_lines(&signal, rate(1000.0), &found, 10.0, 5).is_empty());
    }
}

/// A hum and its harmonics are told as such, the strongest first.
#[test]
fn harmonics_name_their_fundamental() {
    let signal: Vec<f64> = (0..40_000)
        .map(|n| {
            let turn = TAU * 87.53 / 1000.0 * f64::from(n);
            turn.sin()
                + 3.0 * (2.0 * turn).sin()
                + 0.5 * (3.0 * turn).sin()
                + 0.7 * (0.77 * turn).sin()
                + 1e-3 * f64::from(n % 7)
        })
        .collect();
    let found = spectrum(&signal, rate(1000.0), SpectrumWish::for_length(signal.len())).unwrap();
    let lines = spectral_lines(&signal, rate(1000.0), &found, 20.0, 4);
    let told: Vec<Option<(usize, u32)>> = lines.iter().map(|line| line.multiple_of).collect();
    assert_eq!(told, [Some((1, 2)), None, None, Some((1, 3))], "{lines:?}");
}

#[test]
fn levels_are_those_of_the_waveform() {
    let sine: Vec<f64> =
        (0..1000).map(|n| 5.0 + 2.0 * (TAU * (f64::from(n) + 0.5) / 100.0).sin()).collect();
    let found = measure_levels(&sine).unwrap();
    assert!((found.mean - 5.0).abs() < 1e-12 && (found.rms - 2f64.sqrt()).abs() < 1e-12);
    assert!((found.crest_factor - 2f64.sqrt()).abs() < 1e-3);
    let cut: Vec<f64> = sine.iter().map(|x| x.min(6.5)).collect();
    let found = measure_levels(&cut).unwrap();
    // Above 6.5: from asin(0.75) = 48.59 degrees to its supplement, at 3.6·(n + ½) degrees: n = 13 to 36 of
    // every turn.
    assert_eq!((found.clipped, found.longest_clip), (240, 24));
}

/// A filter that rings: no phase, twice the decibels, and a level that stays at the ends.
#[test]
fn a_recursive_filter_runs_without_phase() {
    let low = Form::Sections(Sections(vec![Section { b: [0.1, 0.0, 0.0], a: [-0.9, 0.0] }]));
    let flat = zero_phase(&low, &[3.0; 200]);
    assert!(flat.samples.iter().all(|y| (y - 3.0).abs() < 1e-9));
    let tone: Vec<f64> = (0..4000).map(|n| (TAU * 0.05 * f64::from(n)).sin()).collect();
    let found = zero_phase(&low, &tone);
    let gain = low.gain(TAU * 0.05);
    let inner = found.affected..4000 - found.affected;
    for (y, x) in found.samples[inner.clone()].iter().zip(&tone[inner]) {
        assert!((y - gain * gain * x).abs() < 2e-3 * gain, "{y} {x}");
    }
    assert!(found.affected > 40 && found.affected < 100, "{}", found.affected);
    assert!(
        zero_phase(&low, &[]).samples.is_empty() && zero_phase(&low, &[1.0]).samples.len() == 1
    );
}

/// What the three demo filters do to noise on integers, measured from outside: within three expected errors
/// of their rounded coefficients at 99 points of 100, from where the coherence is good.
#[test]
fn the_demo_filters_measure_as_designed() {
    for (spec, least) in [
        (include_str!("../../../demo/mooring/pump_hum.toml"), 0.95),
        (include_str!("../../../demo/breath/breath.toml"), 0.02),
        (include_str!("../../../demo/modem/carrier_band.toml"), 0.05),
    ] {
        let spec = Spec::parse(spec).unwrap();
        let form = design(&spec).unwrap().form;
        let filter = implement(&form, spec.fixed.unwrap()).unwrap();
        let mut noise = NoiseSource::new(8);
        let (low, high) =
            (filter.fixed.input.minimum() as i64, filter.fixed.input.maximum() as i64);
        let words: Vec<i64> = (0..400_000).map(|_| noise.integer(low / 2, high / 2)).collect();
        let output = Simulator::new(&filter.checked).run(&words);
        let values = |words: &[i64], step: f64| -> Vec<f64> {
            words.iter().map(|w| *w as f64 * step).collect()
        };
        let (input, output) = (
            values(&words, filter.fixed.input.step()),
            values(&output, filter.fixed.output.step()),
        );
        let delay = delay_between(&input, &output);
        let found = measure_transfer(
            &input,
            &output,
            spec.sample_rate,
            wish(Window::Hann, 16_384, 0.5),
            delay,
        )
        .unwrap();
        let away = found.deviation(&filter.rounded, spec.sample_rate, 0.9).unwrap();
        assert!(away.within_three_errors > 0.99, "{}: {away:?}", spec.name);
        assert!(
            away.good_points as f64 > least * found.hertz.len() as f64,
            "{}: {away:?}",
            spec.name
        );
    }
}

/// A filter that is bit-true measures as itself: of its stepped tones 99 in 100 lie within three expected
/// errors, whatever its words, for what its roundings do is in the expected error.
#[test]
fn stepped_tones_of_a_bit_true_filter_lie_within_their_errors() {
    let (mut within, mut tones) = (0.0, 0.0);
    for (structure, words, rounding) in [
        ("direct-form-1", "s16f15", "half-even"),
        ("direct-form-1", "s12f11", "floor"),
        ("direct-form-2-transposed", "s16f15", "half-up"),
        ("direct-form-1", "s8f7", "half-up"),
        ("coupled", "s14f13", "floor"),
    ] {
        for want in [
            "kind = \"lowpass\"\ncutoff = \"120 Hz\"\n[method]\ndesign = \"butterworth\"\norder = 4",
            "kind = \"notch\"\ncenter = \"87.5 Hz\"\nwidth = \"20 Hz\"",
        ] {
            let text = format!(
                "name = \"x\"\nsample_rate = \"1 kHz\"\n[want]\n{want}\n[fixed]\ninput = \"{words}\"\n\
                    output = \"{words}\"\n\
                 coefficients = \"s16\"\nstructure = \"{structure}\"\nrounding = \"{rounding}\"\n\
                 overflow = \"saturate\"\n"
            );
            let spec = Spec::parse(&text).unwrap();
            let made = implement(&design(&spec).unwrap().form, spec.fixed.unwrap()).unwrap();
            let half = made.fixed.input.maximum() as f64 / 2.0;
            let (input, steps) = stepped_words(half, spec.sample_rate, 50, 2000);
            let output = Simulator::new(&made.checked).run(&input);
            let reals = |words: &[i64]| words.iter().map(|word| *word as f64).collect::<Vec<f64>>();
            let (input, output) = (reals(&input), reals(&output));
            let mut found = stepped_transfer(&input, &output, spec.sample_rate, &steps);
            // The density of the noise in squared steps of the output.
            let step = made.fixed.output.step();
            let density = made.checked.noise_density(spec.sample_rate, &found.hertz).unwrap();
            let density: Vec<f64> = density.iter().map(|value| value / (step * step)).collect();
            found.add_roundings(spec.sample_rate, half, 1.0, &density);
            let away = found.deviation(&made.rounded, spec.sample_rate, 0.9).unwrap();
            println!("{structure} {words} {rounding}: {away:?}");
            within += away.within_three_errors * away.good_points as f64;
            tones += away.good_points as f64;
        }
    }
    assert!(tones > 350.0 && within >= 0.99 * tones, "{within} of {tones}");
}

#[test]
fn spectra_that_make_no_sense_are_refused() {
    let signal = vec![1.0; 100];
    for (piece, overlap) in [(4, 0.5), (101, 0.5), (64, 1.0), (64, -0.1), (64, f64::NAN)] {
        assert!(spectrum(&signal, rate(10.0), wish(Window::Hann, piece, overlap)).is_err());
    }
    let mut broken = signal.clone();
    broken[17] = f64::NAN;
    let error = spectrum(&broken, rate(10.0), wish(Window::Hann, 64, 0.5)).unwrap_err();
    assert!(error.to_string().contains("sample 17"));
}

/// Of complex samples: both sides of each part's own, a power that is the mean square, and a tone on its side
/// alone.
#[test]
fn complex_spectra_have_two_sides() {
    let mut noise = NoiseSource::new(77);
    let both: Vec<Complex64> =
        (0..5000).map(|_| Complex64::new(noise.normal(), 0.5 * noise.normal())).collect();
    for piece in [8, 63, 256, 1001] {
        let own = SpectrumWish { piece, ..SpectrumWish::for_length(both.len()) };
        let found = complex_spectrum(&both, rate(1000.0), own).unwrap();
        assert_eq!(found.hertz.len(), piece);
        assert!(found.hertz.windows(2).all(|pair| pair[1] > pair[0]));
        assert!(found.hertz[0] >= -500.0 && *found.hertz.last().unwrap() < 500.0);
        // Real samples with their mean taken off: half of what lies on one side.
        let real: Vec<f64> = both.iter().map(|z| z.re).collect();
        let mean = real.iter().sum::<f64>() / real.len() as f64;
        let centered: Vec<Complex64> = real.iter().map(|x| Complex64::new(x - mean, 0.0)).collect();
        let one = spectrum(&real, rate(1000.0), own).unwrap();
        let two = complex_spectrum(&centered, rate(1000.0), own).unwrap();
        for (hertz, density) in two.hertz.iter().zip(&two.density) {
            let place = (hertz.abs() / one.step_hz).round() as usize;
            let sides = if place == 0 || 2 * place == piece { 1.0 } else { 2.0 };
            let expected = one.density[place] / sides;
            assert!((density - expected).abs() < 1e-12 * (1.0 + expected), "{hertz} {piece}");
        }
    }
    // End to end and without a window all of the power is there.
    let own = SpectrumWish {
        window: Window::Rectangular,
        piece: 500,
        overlap: 0.0,
        ..SpectrumWish::for_length(5000)
    };
    let found = complex_spectrum(&both, rate(1000.0), own).unwrap();
    let power = found.density.iter().sum::<f64>() * found.step_hz;
    let expected = both.iter().map(Complex64::norm_sqr).sum::<f64>() / 5000.0;
    assert!((power / expected - 1.0).abs() < 1e-12, "{power} {expected}");
    let broken = [Complex64::new(0.0, f64::NAN); 64];
    let error = complex_spectrum(&broken, rate(1000.0), SpectrumWish::for_length(64)).unwrap_err();
    assert_eq!(error, SpectrumError::NotFinite { index: 0 });
}
