//! What is advised against a line in a recording: it parses, and it does what it says.

// Independent of the library: the platform's own functions.

use mellow_rake::design::design;
use mellow_rake::signal::{SpectralLine, SpectrumWish, spectral_lines, spectrum};
use mellow_rake::spec::Spec;
use mellow_rake::study::{LineRemedy, line_remedies};
use mellow_rake::units::SampleRate;
use std::f64::consts::TAU;

/// Noise of rms 1, by the central limit of twelve, from a linear congruential generator.
struct Noise(u64);

impl Noise {
    fn uniform(&mut self) -> f64 {
        self.0 =
            self.0.wrapping_mul(6_364_136_223_846_793_005).wrapping_add(1_442_695_040_888_963_407);
        (self.0 >> 11) as f64 / (1u64 << 53) as f64
    }

    fn next(&mut self) -> f64 {
        (0..12).map(|_| self.uniform()).sum::<f64>() - 6.0
    }
}

fn looked_at(samples: &[f64], rate: SampleRate) -> (Vec<SpectralLine>, Vec<LineRemedy>) {
    let found = spectrum(samples, rate, SpectrumWish::for_length(samples.len())).unwrap();
    let lines = spectral_lines(samples, rate, &found, 12.0, 12);
    let remedies = line_remedies(samples, rate, &found, &lines);
    (lines, remedies)
}

/// The amplitude at a frequency under a Hann window, by its definition.
fn amplitude(signal: &[f64], turns: f64) -> f64 {
    let length = signal.len() as f64;
    let (mut re, mut im, mut sum) = (0.0, 0.0, 0.0);
    for (n, x) in signal.iter().enumerate() {
        let window = 0.5 - 0.5 * (TAU * (n as f64 + 0.5) / length).cos();
        let angle = TAU * (turns * n as f64).fract();
        re += window * x * angle.cos();
        im += window * x * angle.sin();
        sum += window;
    }
    2.0 * re.hypot(im) / sum
}

fn run(remedy: &LineRemedy, samples: &[f64], rate: SampleRate) -> Vec<f64> {
    let text = remedy.spec("line", rate);
    let spec = Spec::parse(&text).unwrap_or_else(|error| panic!("{error}\n{text}"));
    design(&spec).unwrap_or_else(|error| panic!("{error}\n{text}")).form.start().run(samples)
}

/// Four hundred recordings: one to five tones, steady or wandering, over white noise, read by converters of 8
/// to 24 bits. Every advice is a spec; the tone it is for is down by what was said, and a tone far beside it
/// is still there.
#[test]
fn every_advice_parses_and_does_what_it_says() {
    let mut noise = Noise(7);
    let (mut advised, mut tones_seen) = (0, 0);
    for round in 0..400 {
        let hertz = [50.0, 1000.0, 8000.0, 96_000.0][round % 4];
        let rate = SampleRate::from_hertz(hertz).unwrap();
        let samples = [6_000, 20_000, 40_000][round % 3];
        let count = 1 + round % 5;
        let tones: Vec<(f64, f64)> = (0..count)
            .map(|_| (0.01 + 0.47 * noise.uniform(), 10f64.powf(-2.0 * noise.uniform())))
            .collect();
        let wander = if round % 7 == 0 { 2e-4 } else { 0.0 };
        let floor = 10f64.powf(-1.0 - 3.0 * noise.uniform());
        let step = 2f64.powi(-[7, 11, 15, 23][round / 4 % 4]);
        let mut phases = vec![0.0; count];
        let signal: Vec<f64> = (0..samples)
            .map(|n| {
                let drift = 1.0 + wander * (TAU * 3.0 * f64::from(n) / f64::from(samples)).sin();
                let tone = |(phase, (turns, size)): (&mut f64, &(f64, f64))| {
                    *phase += turns * drift;
                    size * (TAU * phase.fract()).sin()
                };
                let sum: f64 = phases.iter_mut().zip(&tones).map(tone).sum();
                ((sum + floor * noise.next()) / step).round() * step
            })
            .collect();
        let (lines, remedies) = looked_at(&signal, rate);
        tones_seen += lines.iter().filter(|line| line.over_floor_db > 20.0).count();
        for remedy in &remedies {
            advised += 1;
            let (line, name) = (&lines[remedy.line], format!("round {round}: {remedy:?}"));
            assert!(remedy.falls_by_db >= 20.0 || remedy.to_the_floor, "{name}");
            let output = run(remedy, &signal, rate);
            let settled = remedy.settling_samples;
            let turns = line.hertz / hertz;
            let [was, is] = [&signal, &output].map(|all| amplitude(&all[settled..], turns));
            let fell = 20.0 * (was / is).log10();
            // The whole record resolves more finely than the pieces of a spectrum: a steady tone is seen to
            // fall farther.
            assert!(fell > remedy.falls_by_db.min(20.0) - 6.0, "{name}: {fell} dB");
            let [from, to] = remedy.touched_hz;
            assert!(from < line.hertz && line.hertz < to, "{name}");
            for (turns, size) in &tones {
                let far = turns * hertz > to * 1.02 || turns * hertz < from * 0.98;
                if remedy.kind == "notch" && far && *size > 30.0 * floor && wander == 0.0 {
                    let [was, is] =
                        [&signal, &output].map(|all| amplitude(&all[settled..], *turns));
                    assert!((20.0 * (was / is).log10()).abs() < 1.2, "{name}: {turns}");
                }
            }
        }
    }
    println!("{advised} advices for {tones_seen} lines");
    assert!(advised > 600 && 2 * advised > tones_seen, "{advised} of {tones_seen}");
}

/// The cases that once were advised wrongly.
#[test]
fn advice_is_for_what_is_there() {
    let rate = SampleRate::from_hertz(1000.0).unwrap();
    let signal = |wave: &dyn Fn(f64) -> f64| -> Vec<f64> {
        (0..20_000).map(|n| wave(f64::from(n) / 1000.0)).collect()
    };
    let sine = |hertz: f64, t: f64| (TAU * hertz * t).sin();
    // A pure tone, in f64 and through a converter of 8 bits, whose rounding makes harmonics of its own.
    for step in [0.0, 1.0 / 128.0] {
        let rounded = |value: f64| if step == 0.0 { value } else { (value / step).round() * step };
        let (_, remedies) = looked_at(&signal(&|t| rounded(0.9 * sine(5.0, t))), rate);
        let [only] = &remedies[..] else { panic!("{remedies:?}") };
        assert!(only.kind == "notch" && only.width_hz < 1.0 && only.falls_by_db > 30.0, "{only:?}");
        assert!((only.center_hz - 5.0).abs() < 1e-3, "{only:?}");
    }
    // Five tones that are no series: a notch for each of the strongest four.
    let tones = [(7.0, 1.0), (31.0, 0.7), (63.3, 0.5), (117.0, 0.4), (211.0, 0.3)];
    let mixture = signal(&|t| tones.iter().map(|(hertz, size)| size * sine(*hertz, t)).sum());
    let (_, remedies) = looked_at(&mixture, rate);
    assert!(remedies.len() == 4 && remedies.iter().all(|one| one.kind == "notch"), "{remedies:?}");
    // Hum at the 25th multiple of a square wave.
    let square = |t: f64| if (2.0 * t).fract() < 0.5 { 1.0 } else { -1.0 };
    let (lines, remedies) = looked_at(&signal(&|t| square(t) + 0.5 * sine(50.0, t)), rate);
    let hum = remedies.iter().find(|one| (one.center_hz - 50.0).abs() < 0.01);
    assert!(hum.is_some_and(|one| one.kind == "notch"), "{lines:?} {remedies:?}");
    // Hum with its harmonics: one comb.
    let mut noise = Noise(3);
    let hum: Vec<f64> =
        signal(&|t| (1..=5).map(|k| sine(50.02 * f64::from(k), t) / f64::from(k)).sum::<f64>());
    let hum: Vec<f64> = hum.iter().map(|value| value + 0.02 * noise.next()).collect();
    let (_, remedies) = looked_at(&hum, rate);
    let [comb] = &remedies[..] else { panic!("{remedies:?}") };
    assert!(comb.kind == "comb" && comb.harmonics == 5 && comb.falls_by_db > 25.0, "{comb:?}");
    // Noise alone, silence, and less than a piece.
    assert!(looked_at(&hum.iter().map(|_| noise.next()).collect::<Vec<_>>(), rate).1.is_empty());
    assert!(looked_at(&[0.0; 4000], rate).1.is_empty());
    assert!(looked_at(&hum[..9], rate).1.is_empty());
}
