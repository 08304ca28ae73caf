//! What is drawn is what the filter does: every curve of every panel against a second evaluation, at its
//! points and between them.

use mellow_rake::Wish;
use mellow_rake::filter::{Family, Form};
use mellow_rake::random::NoiseSource;
use mellow_rake::spec::{Fixed, Structure};
use mellow_rake::study::Study;
use mellow_rake::window::Window;
use mellow_rake_figures::{Panel, Series, Shape};
use mellow_rake_report::figure::{Scene, View, Wishes};
use num_complex::Complex64;
use std::f64::consts::TAU;

const RATE: f64 = 1000.0;

/// H at a frequency in hertz: sums of powers, no factors.
fn response(form: &Form, hertz: f64) -> Complex64 {
    let power = |k: usize| Complex64::from_polar(1.0, -TAU * hertz / RATE * k as f64);
    if let Some(taps) = form.taps() {
        return taps.0.iter().enumerate().map(|(k, tap)| power(k) * tap).sum();
    }
    let sections = &form.sections().unwrap().0;
    let one = |row: &[f64]| -> Complex64 {
        row.iter().enumerate().map(|(k, value)| power(k) * value).sum()
    };
    sections
        .iter()
        .map(|section| one(&section.b) / one(&[1.0, section.a[0], section.a[1]]))
        .product()
}

/// y of x by difference equations and sums of products.
fn run(form: &Form, signal: &[f64]) -> Vec<f64> {
    if let Some(taps) = form.taps() {
        let at = |n: usize| (0..=n.min(taps.0.len() - 1)).map(|k| taps.0[k] * signal[n - k]).sum();
        return (0..signal.len()).map(at).collect();
    }
    let mut signal = signal.to_vec();
    for section in &form.sections().unwrap().0 {
        let (mut x, mut y) = ([0.0; 3], [0.0; 2]);
        for sample in &mut signal {
            x = [*sample, x[0], x[1]];
            let ahead: f64 = section.b.iter().zip(x).map(|(b, x)| b * x).sum();
            let next = ahead - section.a[0] * y[0] - section.a[1] * y[1];
            (y, *sample) = ([next, y[0]], next);
        }
    }
    signal
}

fn any_study(seed: u64) -> Option<Study> {
    let mut noise = NoiseSource::new(seed);
    let mut between = |from: f64, to: f64| from + (to - from) * noise.uniform();
    let (low, apart) = (between(30.0, 250.0), between(40.0, 150.0));
    let kind = between(0.0, 4.0) as usize;
    let wish = [Wish::lowpass, Wish::highpass, Wish::bandpass, Wish::bandstop][kind]("1 kHz");
    let wish = if kind > 1 { wish.cutoffs_hz(low, low + apart) } else { wish.cutoff_hz(low) };
    let is_taps = between(0.0, 1.0) < 0.4;
    let wish = if is_taps {
        let taps = 2 * between(5.0, 40.0) as usize + 1;
        wish.window(Window::Hamming, Some(taps))
    } else {
        let family = [Family::Butterworth, Family::Bessel][between(0.0, 2.0) as usize];
        wish.recursive(family, Some(2 * between(1.0, 4.0) as usize))
    };
    let structure = if is_taps { Structure::FirDirect } else { Structure::DirectForm1 };
    wish.words(Fixed::new(structure, "s16f15".parse().unwrap())).study().ok()
}

fn lines<'a>(panel: &'a Panel) -> Vec<&'a Vec<(f64, f64)>> {
    let points = |series: &'a Series| match &series.shape {
        Shape::Line(points) | Shape::Stems(points) => Some(points),
        _ => None,
    };
    panel.series.iter().filter_map(points).collect()
}

/// A panel of something over frequency: at its points it is what it should be, and between them a straight
/// line is off by no more than a pixel or two of the panel, where it is within the panel.
fn holds(panel: &Panel, curve: usize, what: &str, exact: f64, of: &dyn Fn(f64) -> Option<f64>) {
    let lines = lines(panel);
    let points = lines[curve];
    let (bottom, top) = panel.y.range;
    let pixel = (top - bottom) / 250.0;
    for (hertz, y) in points {
        let Some(expected) = of(*hertz) else { continue };
        assert!((y - expected).abs() < exact, "{what}: {y} at {hertz} Hz, which is {expected}");
    }
    let is_seen = |y: f64| (bottom..=top).contains(&y);
    for ends in points.windows(2) {
        let middle = f64::midpoint(ends[0].0, ends[1].0);
        let drawn = f64::midpoint(ends[0].1, ends[1].1);
        let Some(expected) = of(middle) else { continue };
        if ends.iter().all(|(hertz, y)| is_seen(*y) && of(*hertz).is_some()) && is_seen(expected) {
            let off = (drawn - expected).abs();
            assert!(off < 2.0 * pixel, "{what}: off by {off} at {middle} Hz, a pixel is {pixel}");
        }
    }
}

#[test]
fn every_curve_is_what_the_filter_does() {
    let mut drawn = 0;
    for seed in 0..150 {
        let Some(study) = any_study(seed) else { continue };
        drawn += 1;
        let form = &study.design.form;
        let scene = Scene::of(&study, Wishes::default());
        let gain = |hertz: f64| 20.0 * response(form, hertz).norm().log10();
        // Of what is next to nothing f64 leaves few digits.
        let seen_gain = |hertz: f64| Some(gain(hertz)).filter(|gain| *gain > -150.0);
        for view in [View::Gain, View::Edges, View::Passband] {
            let panel = scene.panel(view);
            holds(&panel, 0, "gain", 1e-4, &seen_gain);
            assert!(panel.series.len() > 1, "{seed}: the rounded filter is missing");
        }
        let rounded = &study.integers().unwrap().rounded;
        let level = |form: &Form, hertz: f64| 20.0 * response(form, hertz).norm().log10();
        let of_rounded = |hertz: f64| Some(level(rounded, hertz)).filter(|gain| *gain > -150.0);
        holds(&scene.panel(View::Gain), 1, "rounded gain", 1e-4, &of_rounded);
        let difference = |hertz: f64| Some(of_rounded(hertz)? - seen_gain(hertz)?);
        let panel = scene.panel(View::Difference);
        let exact = |hertz: f64| difference(hertz).filter(|_| gain(hertz) > -100.0);
        for (hertz, y) in lines(&panel)[0] {
            let Some(expected) = exact(*hertz) else { continue };
            assert!((y - expected).abs() < 1e-4, "{seed}: {y} dB apart at {hertz} Hz, {expected}");
        }
        holds(&scene.panel(View::Ratio), 0, "ratio", 1e-9, &|hertz| {
            Some(response(form, hertz).norm())
        });
        let is_firm = |hertz: f64| gain(hertz) > -100.0;
        let turn = |degrees: f64| degrees - 360.0 * (degrees / 360.0).round();
        for view in [View::Phase, View::WrappedPhase] {
            let panel = scene.panel(view);
            for (hertz, y) in lines(&panel)[0].iter().filter(|(hertz, _)| is_firm(*hertz)) {
                let off = turn(y - response(form, *hertz).arg().to_degrees());
                assert!(off.abs() < 1e-4, "{seed}: {y} degrees at {hertz} Hz, off by {off}");
                assert!(view == View::Phase || y.abs() <= 180.0 + 1e-9);
            }
        }
        // The slope of the phase over a thousandth of the way to the next null.
        let delay = |hertz: f64| {
            let step = 1e-3;
            let turned = response(form, hertz - step) / response(form, hertz + step);
            // At a null the phase jumps by half a turn, and has no slope.
            let is_smooth = [hertz - step, hertz, hertz + step].into_iter().all(is_firm);
            let angle = turned.arg();
            (is_smooth && angle.abs() < 1.0).then(|| angle / (2.0 * TAU * step / RATE))
        };
        let inside = |hertz: f64| (1.0..RATE / 2.0 - 1.0).contains(&hertz);
        let panel = scene.panel(View::Delay);
        for (hertz, y) in lines(&panel)[0].iter().filter(|(hertz, _)| inside(*hertz)) {
            let Some(expected) = delay(*hertz) else { continue };
            let close = 1e-3 * (1.0 + expected.abs());
            assert!((y - expected).abs() < close, "{seed}: {y} samples at {hertz} Hz, {expected}");
        }
        let panel = scene.panel(View::PhaseDelay);
        for (hertz, y) in lines(&panel)[0].iter().filter(|(hertz, _)| inside(*hertz)) {
            let turns = y * hertz / RATE;
            let off = turn(360.0 * turns + response(form, *hertz).arg().to_degrees());
            assert!(!is_firm(*hertz) || off.abs() < 1e-4, "{seed}: {y} samples at {hertz} Hz");
        }
        for (view, is_step) in [(View::Impulse, false), (View::Step, true)] {
            let panel = scene.panel(view);
            let points = lines(&panel)[0];
            let input: Vec<f64> =
                (0..points.len()).map(|n| if n == 0 || is_step { 1.0 } else { 0.0 }).collect();
            for (n, ((seconds, y), expected)) in points.iter().zip(run(form, &input)).enumerate() {
                assert!(
                    (seconds * RATE - n as f64).abs() < 1e-6 && (y - expected).abs() < 1e-9,
                    "{seed}"
                );
            }
        }
    }
    assert!(drawn > 120, "{drawn}");
}
