//! Made signals against their closed forms, and what is measured of modulated ones against theory.

use mellow_rake::filter::{Form, Taps, Transfer};
use mellow_rake::random::NoiseSource;
use mellow_rake::signal::{
    Averaging, Keying, SignalPlan, SpectrumWish, Waveform, measure_levels, measure_transfer,
    measure_vector_error, spectral_lines, spectrum,
};
use mellow_rake::window::Window;
use proptest::prelude::*;
use std::f64::consts::{PI, TAU};

fn plan(rate: &str, length: &str, parts: &[&str]) -> SignalPlan {
    let text = format!(
        "name = \"made\"\nsample_rate = \"{rate}\"\nlength = \"{length}\"\npart = [{}]\n",
        parts.iter().map(|part| format!("{{ {part} }}")).collect::<Vec<_>>().join(", ")
    );
    SignalPlan::parse(&text).unwrap_or_else(|error| panic!("{error}\n{text}"))
}

fn made(rate: &str, length: &str, part: &str) -> Vec<f64> {
    plan(rate, length, &[part]).start().next_block(usize::MAX >> 16)
}

fn rms(signal: &[f64]) -> f64 {
    (signal.iter().map(|x| x * x).sum::<f64>() / signal.len() as f64).sqrt()
}

fn upward(signal: &[f64]) -> usize {
    signal.windows(2).filter(|pair| pair[0] < 0.0 && pair[1] >= 0.0).count()
}

#[test]
fn simple_waveforms_are_their_formulas() {
    let close = |signal: &[f64], expected: &dyn Fn(f64) -> f64| {
        for (n, x) in signal.iter().enumerate() {
            let e = expected(n as f64 / 1000.0);
            assert!((x - e).abs() < 1e-9, "{n}: {x} {e}");
        }
    };
    let tone = made(
        "1 kHz",
        "3 s",
        "kind = \"tone\", frequency = \"87.5 Hz\", amplitude = 2.5, phase_degrees = 90",
    );
    close(&tone, &|t| 2.5 * (TAU * 87.5 * t).cos());
    let triangle =
        made("1 kHz", "3 s", "kind = \"triangle\", frequency = \"3.7 Hz\", amplitude = 2");
    close(&triangle, &|t| 2.0 * 2.0 / PI * (TAU * 3.7 * t).sin().asin());
    let square =
        made("1 kHz", "4 s", "kind = \"square\", frequency = \"5 Hz\", amplitude = 3, duty = 0.25");
    assert!(square.iter().all(|x| x.abs() == 3.0));
    assert!((square.iter().sum::<f64>() / 4000.0 - 3.0 * (2.0 * 0.25 - 1.0)).abs() < 1e-12);
    let step = made("1 kHz", "1 s", "kind = \"step\", at = \"400 ms\", amplitude = -2");
    assert!(step[..400].iter().all(|x| *x == 0.0) && step[400..].iter().all(|x| *x == -2.0));
    let pulses = made(
        "1 kHz",
        "1 s",
        "kind = \"pulse\", at = \"10 samples\", width = \"3 samples\", every = \"100 ms\", amplitude = 1",
    );
    let on: Vec<usize> = (0..1000).filter(|n| pulses[*n] == 1.0).collect();
    assert_eq!((on.len(), &on[..4]), (30, &[10, 11, 12, 110][..]));
    let impulse = made("1 kHz", "1 s", "kind = \"impulse\", at = \"7 samples\", amplitude = 4");
    assert!(impulse[7] == 4.0 && impulse.iter().map(|x| x.abs()).sum::<f64>() == 4.0);
    // A part from 0.25 s to 0.5 s begins anew there, and adds to the rest.
    let both = plan(
        "1 kHz",
        "1 s",
        &[
            "kind = \"constant\", level = 1",
            "kind = \"tone\", frequency = \"10 Hz\", amplitude = 1, start = \"250 ms\", stop = \"0.5 s\"",
        ],
    );
    let both = both.start().next_block(1000);
    assert!(both[..=250].iter().chain(&both[500..]).all(|x| *x == 1.0));
    assert!((both[275] - 2.0).abs() < 1e-12);
}

/// The turns of a chirp are the integral of its frequency: the mean of both ends times the time, or by the
/// logarithmic mean.
#[test]
fn chirps_turn_as_often_as_their_frequency_says() {
    let part = |sweep: &str| {
        format!(
            "kind = \"chirp\", from = \"5 Hz\", to = \"320 Hz\", amplitude = 1, sweep = \"{sweep}\""
        )
    };
    let linear = made("1 kHz", "20 s", &part("linear"));
    assert!((upward(&linear) as f64 - 162.5 * 20.0).abs() <= 1.0, "{}", upward(&linear));
    let log = made("1 kHz", "20 s", &part("logarithmic"));
    let expected = 315.0 / (320.0f64 / 5.0).ln() * 20.0;
    assert!((upward(&log) as f64 - expected).abs() <= 1.0, "{}", upward(&log));
    // Six doublings in 20 s: after 10 s three doublings are done, 40 Hz, in either half of a second about it
    // 20 turns.
    assert!((upward(&log[9750..10250]) as i32 - 20).abs() <= 1);
}

#[test]
fn noises_have_their_level_and_colour() {
    let wish = |piece| SpectrumWish {
        window: Window::Hann,
        piece,
        overlap: 0.5,
        averaging: Averaging::Even,
    };
    let white = made("1 kHz", "200 s", "kind = \"white-noise\", rms = 3");
    assert!((rms(&white) / 3.0 - 1.0).abs() < 0.01);
    let pink = made("1 kHz", "1000 s", "kind = \"pink-noise\", rms = 3");
    let found = spectrum(&pink, "1 kHz".parse().unwrap(), wish(8192)).unwrap();
    let doubling = |low: f64| {
        let inside =
            found.hertz.iter().zip(&found.density).filter(|(hz, _)| (low..2.0 * low).contains(*hz));
        10.0 * (inside.map(|(_, d)| d).sum::<f64>() * found.step_hz).log10()
    };
    // Every doubling holds as much power.
    let reference = doubling(50.0);
    for low in [0.6, 1.5, 3.0, 12.0, 100.0, 200.0, 240.0] {
        assert!((doubling(low) - reference).abs() < 0.6, "{low}: {} {reference}", doubling(low));
    }
    let band =
        made("1 kHz", "200 s", "kind = \"band-noise\", band = [\"100 Hz\", \"150 Hz\"], rms = 2");
    assert!((rms(&band) / 2.0 - 1.0).abs() < 0.05);
    let found = spectrum(&band, "1 kHz".parse().unwrap(), wish(2048)).unwrap();
    let at = |hz: f64| 10.0 * found.density[(hz / found.step_hz) as usize].log10();
    let level = 10.0 * (4.0f64 / 50.0).log10();
    assert!((at(125.0) - level).abs() < 1.0 && at(50.0) < level - 40.0 && at(250.0) < level - 40.0);
    let low = made("1 kHz", "20 s", "kind = \"band-noise\", band = [\"0 Hz\", \"20 Hz\"], rms = 1");
    assert!(upward(&low) < 20 * 20 && upward(&low) > 20 * 8);
    let spikes = made(
        "1 kHz",
        "500 s",
        "kind = \"spikes\", per_second = 4, amplitude = 9, decay = \"2 ms\"",
    );
    let jumps =
        spikes.windows(2).filter(|pair| (pair[1] - pair[0] * (-0.5f64).exp()).abs() > 1.0).count();
    // Poisson: 2000 with a deviation of 45.
    assert!(jumps > 1820 && jumps < 2180, "{jumps}");
}

#[test]
fn a_hum_has_its_harmonics_and_wanders() {
    let hum = "kind = \"hum\", frequency = \"50 Hz\", amplitude = 2, harmonics = [0.5, 0, 0.25]";
    let steady = made("2 kHz", "20 s", hum);
    let rate = "2 kHz".parse().unwrap();
    let found = spectrum(&steady, rate, SpectrumWish::for_length(steady.len())).unwrap();
    let lines = spectral_lines(&steady, rate, &found, 30.0, 8);
    let read: Vec<(f64, f64)> = lines
        .iter()
        .map(|line| (line.hertz.round(), (line.amplitude * 100.0).round() / 100.0))
        .collect();
    assert_eq!(read, [(50.0, 2.0), (100.0, 1.0), (200.0, 0.5)]);
    // 50 Hz + 2 Hz·sin(2πt/10 s): the highest after 2.5 s, 51.97 Hz in the mean of that second.
    let wandering = made(
        "2 kHz",
        "20 s",
        "kind = \"hum\", frequency = \"50 Hz\", amplitude = 2, drift = \"2 Hz\", drift_period = \"10 s\"",
    );
    assert!((upward(&wandering[4000..6000]) as i32 - 52).abs() <= 1);
    assert!((upward(&wandering[14_000..16_000]) as i32 - 48).abs() <= 1);
}

const KEYED: &str = "kind = \"keyed\", carrier = \"27 kHz\", symbol_rate = \"3 kHz\", rolloff = 0.3, rms = \
    0.25, span = 40";
const MANY: &str = "kind = \"multicarrier\", center = \"27 kHz\", spacing = \"250 Hz\", carriers = 16, \
    guard = \"1 ms\", rms = 0.25";

/// Level, width and symbols come back; every keying, with white noise at a level whose error vector theory
/// gives: the matched filter takes noise of mean square s² to 2s²/(rms²·samples of a symbol), the block to
/// 2s²·carriers/(rms²·samples of a block).
#[test]
fn received_symbols_scatter_as_theory_says() {
    let rate = "96 kHz".parse().unwrap();
    for keying in Keying::ALL {
        for (part, per_symbol) in [(KEYED, 32.0), (MANY, 384.0 / 16.0)] {
            let made =
                plan("96 kHz", "1 s", &[&format!("{part}, keying = \"{}\"", keying.as_str())]);
            let clean = made.start().next_block(100_000);
            let name = (keying, per_symbol);
            let scale = if keying == Keying::OnOff { 0.05 } else { 0.02 };
            assert!((rms(&clean) / 0.25 - 1.0).abs() < scale, "{name:?} {}", rms(&clean));
            let found = measure_vector_error(&made.parts[0], &clean, 0, rate).unwrap();
            // Cut-off pulses leave a little; blocks are exactly orthogonal.
            let least = if per_symbol == 32.0 { 0.004 } else { 1e-9 };
            assert!(
                found.rms < least && found.delay_samples.abs() < 0.01,
                "{name:?} {}",
                found.rms
            );
            let mut noise = NoiseSource::new(5);
            let late = 13;
            let noisy: Vec<f64> = (0..clean.len() + late)
                .map(
                    |n| if n < late { 0.0 } else { -0.5 * clean[n - late] } + 0.01 * noise.normal(),
                )
                .collect();
            let found = measure_vector_error(&made.parts[0], &noisy, late - 1, rate).unwrap();
            let expected = f64::sqrt(2.0 * 1e-4 / (0.125 * 0.125 * per_symbol));
            assert!(
                (found.rms / expected - 1.0).abs() < 0.06,
                "{name:?}: {} {expected}",
                found.rms
            );
            assert!(
                (found.delay_samples - late as f64).abs() < 0.1,
                "{name:?} {}",
                found.delay_samples
            );
            let level =
                found.carriers.iter().map(|c| c.gain_db).sum::<f64>() / found.carriers.len() as f64;
            assert!((level + 6.0206).abs() < 0.05, "{name:?}");
        }
    }
    // All of it lies within the width of the pulses' spectrum, and nothing of it is a line.
    let keyed = made("96 kHz", "1 s", &format!("{KEYED}, keying = \"qpsk\""));
    let found = spectrum(&keyed, rate, SpectrumWish::for_length(keyed.len())).unwrap();
    let half = 1500.0 * 1.3;
    let outside = found
        .hertz
        .iter()
        .zip(&found.density)
        .filter(|(hz, _)| (*hz - 27_000.0).abs() > half + 50.0);
    let share = outside.map(|(_, d)| d).sum::<f64>() * found.step_hz / (0.25 * 0.25);
    assert!(share < 1e-4, "{share}");
}

/// A filter shorter than the guard turns and scales every carrier by its own response, and spreads nothing
/// between them.
#[test]
fn carriers_see_the_response_of_a_filter() {
    let rate: mellow_rake::units::SampleRate = "96 kHz".parse().unwrap();
    let made = plan("96 kHz", "300 ms", &[&format!("{MANY}, keying = \"16qam\"")]);
    let clean = made.start().next_block(100_000);
    let taps = Taps(vec![0.2, -0.4, 1.0, 0.3, -0.1, 0.25, 0.1]);
    let out = Form::from(taps.clone()).start().run(&clean);
    let found = measure_vector_error(&made.parts[0], &out, 2, rate).unwrap();
    assert!(
        found.equalized_rms < 1e-9 && found.rms > 0.02,
        "{} {}",
        found.equalized_rms,
        found.rms
    );
    for carrier in &found.carriers {
        let expected = taps.response(rate.radians(carrier.hertz));
        assert!((carrier.gain_db - 20.0 * expected.norm().log10()).abs() < 1e-9, "{carrier:?}");
        let turn = TAU * carrier.hertz / 96_000.0 * found.delay_samples + expected.arg();
        let apart = (carrier.phase_degrees.to_radians() - turn) / TAU;
        assert!((apart - apart.round()).abs() < 1e-9, "{carrier:?}");
    }
}

/// Where the past fades, a system that changed half-way is measured as it is at the end; and the mean of both
/// otherwise.
#[test]
fn an_exponential_average_forgets() {
    let mut noise = NoiseSource::new(3);
    let input: Vec<f64> = (0..60_000).map(|_| noise.normal()).collect();
    let output: Vec<f64> =
        input.iter().enumerate().map(|(n, x)| if n < 30_000 { *x } else { 3.0 * x }).collect();
    let wish =
        |averaging| SpectrumWish { window: Window::Hann, piece: 256, overlap: 0.5, averaging };
    let gain = |averaging| {
        let found = measure_transfer(&input, &output, "1 kHz".parse().unwrap(), wish(averaging), 0)
            .unwrap();
        (
            found.response[3..100].iter().map(|h| h.norm()).sum::<f64>() / 97.0,
            found.relative_error[50],
        )
    };
    assert!((gain(Averaging::Even).0 - 2.0).abs() < 0.1);
    let (faded, error) = gain(Averaging::Exponential(0.05));
    assert!((faded - 3.0).abs() < 1e-3 && error < 0.05, "{faded} {error}");
    for bad in [0.0, 1.5, f64::NAN] {
        let refused = measure_transfer(
            &input,
            &output,
            "1 kHz".parse().unwrap(),
            wish(Averaging::Exponential(bad)),
            0,
        );
        assert!(refused.is_err());
    }
}

#[test]
fn wrong_plans_are_refused_with_their_place() {
    let error = |part: &str| {
        let text =
            format!("name = \"a\"\nsample_rate = \"1 kHz\"\nlength = \"1 s\"\n[[part]]\n{part}\n");
        SignalPlan::parse(&text).unwrap_err().to_string()
    };
    for (part, wanted) in [
        ("kind = \"tome\"", "nearest"),
        ("kind = \"tone\"\nfrequency = \"600 Hz\"\namplitude = 1", "Nyquist frequency, 500 Hz"),
        ("kind = \"tone\"\nfrequency = 60\namplitude = 1", "key `part.frequency`"),
        ("kind = \"tone\"\nfrequency = \"60 Hz\"\nlevel = 1", "unknown key"),
        ("kind = \"constant\"\nlevel = 1\nstop = \"2 s\"", "up to the length, 1000 samples"),
        ("kind = \"constant\"\nlevel = 1\nstart = \"1 s\"", "below the length"),
        ("kind = \"chirp\"\nfrom = \"5 Hz\"\nto = \"5 Hz\"\namplitude = 1", "a tone keeps its own"),
        (
            "kind = \"hum\"\nfrequency = \"200 Hz\"\namplitude = 1\nharmonics = [1, 1]",
            "a harmonic at 600 Hz",
        ),
        ("kind = \"band-noise\"\nband = [\"20 Hz\", \"10 Hz\"]\nrms = 1", "20 Hz to 10 Hz"),
        (
            "kind = \"keyed\"\nkeying = \"qpsk\"\ncarrier = \"20 Hz\"\nsymbol_rate = \"50 Hz\"\nrms = 1",
            "lies between 0 Hz",
        ),
        (
            "kind = \"keyed\"\nkeying = \"qpsk\"\ncarrier = \"200 Hz\"\nsymbol_rate = \"5 Hz\"\nrms = 1",
            "0 symbols",
        ),
        (
            "kind = \"multicarrier\"\nkeying = \"qpsk\"\ncenter = \"203 Hz\"\nspacing = \"10 Hz\"\ncarriers \
                = 4\nrms = 1",
            "multiple of half the spacing, 5 Hz",
        ),
        (
            "kind = \"multicarrier\"\nkeying = \"qpsk\"\ncenter = \"200 Hz\"\nspacing = \"7 Hz\"\ncarriers \
                = 4\nrms = 1",
            "whole part of the sample rate",
        ),
        ("kind = \"white-noise\"\nrms = -1", "0 or more"),
    ] {
        let found = error(part);
        let expected = if wanted == "nearest" { "tone" } else { wanted };
        assert!(found.starts_with("line ") && found.contains(expected), "{part}: {found}");
    }
    let bad = "name = \"a\"\nsample_rate = \"1 kHz\"\nlength = \"1 s\"\npart = [{ kind = \"constant\", \
        level = 1 }]\n[converter]\nbits = 1\nrange = 1\n";
    assert!(SignalPlan::parse(bad).unwrap_err().to_string().contains("2 to 32"));
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(200))]

    /// Any plan is refused or gives finite samples, the same in blocks of any size.
    #[test]
    fn any_plan_is_refused_or_made(kind in 0usize..15, values in prop::collection::vec(-3.0f64..600.0, 12),
        seed in 0u32..1000, block in 1usize..700) {
        let kinds = ["constant", "tone", "chirp", "square", "triangle", "pulse", "step", "impulse",
            "white-noise", "pink-noise",
            "band-noise", "hum", "spikes", "keyed", "multicarrier"];
        let [a, b, c, d, e, f, g, h, ..] = values[..] else { return Ok(()) };
        let keys = match kinds[kind] {
            "constant" => format!("level = {a}"),
            "tone" | "square" | "triangle" => format!("frequency = \"{a} Hz\", amplitude = {b}"),
            "chirp" => format!(
                "from = \"{a} Hz\", to = \"{b} Hz\", amplitude = {c}, sweep = \"logarithmic\""),
            "pulse" => format!("at = \"{a} ms\", width = \"{b} ms\", every = \"{c} ms\", amplitude = {d}"),
            "step" | "impulse" => format!("at = \"{a} ms\", amplitude = {b}"),
            "white-noise" | "pink-noise" => format!("rms = {a}"),
            "band-noise" => format!("band = [\"{a} Hz\", \"{b} Hz\"], rms = {c}"),
            "hum" => format!(
                "frequency = \"{a} Hz\", amplitude = {b}, harmonics = [{c}, {d}], drift = \"{e} Hz\", \
                 drift_period = \"{f} ms\""),
            "spikes" => format!("per_second = {a}, amplitude = {b}, decay = \"{c} ms\""),
            "keyed" => format!("keying = \"16qam\", carrier = \"{a} Hz\", symbol_rate = \"{b} Hz\", rolloff \
                = {}, span = {}, rms = {d}", c / 300.0, (e / 20.0) as i32),
            _ => format!("keying = \"bpsk\", center = \"{} Hz\", spacing = \"{} Hz\", carriers = {}, guard \
                = \"{d} ms\", rms = {e}",
                a.round(), [5, 10, 20, 50][(b.abs() / 200.0) as usize % 4], (c / 20.0) as i32),
        };
        let text = format!("name = \"any\"\nsample_rate = \"1 kHz\"\nlength = \"{} ms\"\nseed = {seed}\npart \
            = [{{ kind = \"{}\", {keys}, start = \"{} ms\" }}]\n",
            f.abs() + 100.0, kinds[kind], (g + h).max(0.0) / 8.0);
        if let Ok(plan) = SignalPlan::parse(&text) {
            let whole = plan.start().next_block(1 << 20);
            prop_assert_eq!(whole.len() as u64, plan.samples);
            prop_assert!(whole.iter().all(|x| x.is_finite()), "{}", text);
            prop_assert!(measure_levels(&whole).is_some());
            let (mut running, mut again) = (plan.start(), Vec::new());
            while again.len() < whole.len() {
                again.extend(running.next_block(block));
            }
            prop_assert_eq!(again, whole);
            prop_assert!(!matches!(plan.parts[0].waveform,
                Waveform::Multicarrier(ref many) if many.carriers == 0));
        }
    }
}
