//! What is measured in time, on roots and on recordings, against a second way to the same number.

use mellow_rake::Wish;
use mellow_rake::filter::{Decay, Family, Form, LinearSystem, NotProved, Transfer};
use mellow_rake::random::NoiseSource;
use mellow_rake::response::{RootKind, measure_roots, measure_time, peak_gain_db, zeros_and_poles};
use mellow_rake::signal::{
    Averaging, Mask, SpectrumWish, measure_levels, spectrogram, spectrum, tone_phasor,
};
use mellow_rake::units::SampleRate;
use mellow_rake::window::Window;
use num_complex::Complex64;
use proptest::prelude::*;
use std::f64::consts::TAU;

fn rate(hertz: f64) -> SampleRate {
    SampleRate::from_hertz(hertz).unwrap()
}

/// A recursive filter of any family and kind.
fn filter(kind: usize, family: usize, order: usize, low: f64, apart: f64) -> Form {
    let wish = [Wish::lowpass, Wish::highpass, Wish::bandpass, Wish::bandstop][kind]("1 kHz");
    let wish = if kind > 1 { wish.cutoffs_hz(low, low + apart) } else { wish.cutoff_hz(low) };
    let order = if kind > 1 { 2 * order } else { order };
    let family = [Family::Butterworth, Family::Bessel][family];
    wish.recursive(family, Some(order)).filter().unwrap()
}

/// y of x by the difference equation of every section, a direct form I, in the order of the sections.
fn by_hand(form: &Form, signal: &[f64]) -> Vec<f64> {
    let mut signal = signal.to_vec();
    for section in &form.sections().unwrap().0 {
        let ([b0, b1, b2], [a1, a2]) = (section.b, section.a);
        let (mut x, mut y) = ([0.0; 2], [0.0; 2]);
        for sample in &mut signal {
            let next = b0 * *sample + b1 * x[0] + b2 * x[1] - a1 * y[0] - a2 * y[1];
            (x, y) = ([*sample, x[0]], [next, y[0]]);
            *sample = next;
        }
    }
    signal
}

proptest! {
    #![proptest_config(ProptestConfig { cases: 60, failure_persistence: None, ..ProptestConfig::default() })]

    /// The numbers read off impulse and step response are those of a run that is long enough.
    #[test]
    fn time_is_measured_on_a_run_by_hand(
        kind in 0usize..4, family in 0usize..2, order in 1usize..6, low in 30.0f64..200.0,
        apart in 30.0f64..150.0,
    ) {
        let form = filter(kind, family, order, low, apart);
        let top = 10f64.powf(peak_gain_db(&form, rate(1000.0)) / 20.0);
        let found = measure_time(&form, top, rate(1000.0));
        let radius = form.pole_radius().unwrap();
        let long = 200 + (40.0 / -radius.ln()) as usize;
        let mut impulse = vec![0.0; long];
        impulse[0] = 1.0;
        let impulse = by_hand(&form, &impulse);
        let step = by_hand(&form, &vec![1.0; long]);
        let near = |found: f64, expected: f64| (found - expected).abs() < 1e-6 * expected.abs().max(1.0);
        prop_assert!(near(found.largest_output, impulse.iter().map(|h| h.abs()).sum()));
        let square: f64 = impulse.iter().map(|h| h * h).sum();
        prop_assert!(near(found.noise_gain, square.sqrt()));
        prop_assert!(near(found.noise_bandwidth_hz, 500.0 * square / (top * top)));
        // Of poles at one place the response falls more slowly than the radius alone says: not held to it.
        let slowest = found.time_constant_samples.unwrap();
        prop_assert!(near(slowest, -1.0 / radius.ln()));
        let last = *step.last().unwrap();
        let largest = step.iter().fold(0.0, |most: f64, y| most.max(y.abs()));
        let settled = step.iter().rposition(|y| (y - last).abs() > 0.01 * largest).map_or(0, |at| at + 1);
        let slack = 1e-6 * largest;
        let at = |n: usize| (step[n] - last).abs() - 0.01 * largest;
        prop_assert!(
            found.settling_samples == settled || at(found.settling_samples.max(1) - 1).abs() < slack,
            "{} {}", found.settling_samples, settled
        );
        let expected = if last.abs() < 0.25 * largest {
            step.iter().fold(0.0, |most: f64, y| most.max(-y)) * 100.0
        } else {
            let beyond = step.iter().map(|y| (y - last) * last.signum()).fold(0.0, f64::max);
            100.0 * beyond / last.abs()
        };
        prop_assert!((found.step_overshoot_percent - expected).abs() < 1e-4, "{expected} {found:?}");
    }

    /// H(z) = g·Π(z − zero)/Π(z − pole) with the roots as they are listed: pairs with their conjugates, each
    /// as often as it says.
    #[test]
    fn listed_roots_make_the_response(
        kind in 0usize..4, family in 0usize..2, order in 1usize..6, low in 30.0f64..200.0,
        apart in 30.0f64..150.0, at in 0.001f64..0.499,
    ) {
        let form = filter(kind, family, order, low, apart);
        let roots = measure_roots(zeros_and_poles(&form).unwrap(), rate(1000.0));
        let product = |at: f64| {
            let z = Complex64::from_polar(1.0, TAU * at);
            roots.iter().fold(0.0, |sum, root| {
                let upper = Complex64::new(root.re, root.im);
                let mut size = (z - upper).norm().ln();
                if root.is_pair {
                    size += (z - upper.conj()).norm().ln();
                }
                let sign = if root.kind == RootKind::Zero { 1.0 } else { -1.0 };
                sum + sign * root.count as f64 * size
            })
        };
        let (zeros, poles): (Vec<_>, Vec<_>) = roots.iter().partition(|root| root.kind == RootKind::Zero);
        let count = |all: &[&mellow_rake::response::RootMeasures]| -> usize {
            all.iter().map(|root| root.count * if root.is_pair { 2 } else { 1 }).sum()
        };
        let order = if kind > 1 { 2 * order } else { order };
        prop_assert_eq!((count(&zeros), count(&poles)), (order, order));
        for root in roots.iter().filter(|root| root.radius > 0.0) {
            let angle = root.im.atan2(root.re);
            prop_assert!((root.frequency_hz - 1000.0 * angle / TAU).abs() < 1e-9);
            prop_assert!((root.angle_degrees - angle.to_degrees()).abs() < 1e-9);
        }
        let reference = 0.0937;
        let gain = |at: f64| form.gain(TAU * at).ln();
        let expected = gain(reference) - product(reference);
        // Where the response is next to nothing, a zero's last digits are all that is left of it.
        prop_assume!(gain(at) > -25.0);
        let found = gain(at) - product(at);
        prop_assert!((found - expected).abs() < 1e-5, "{found} {expected}");
    }

    /// Tones that fill the record a whole number of times, two steps apart: each is found as if it were
    /// alone, as the window has its zeros there.
    #[test]
    fn tones_are_told_apart(
        length in 64usize..400, at in prop::collection::btree_set(2usize..15, 1..5), seed: u64,
    ) {
        let mut noise = NoiseSource::new(seed);
        let tones: Vec<(f64, Complex64)> = at
            .iter()
            .map(|k| (2.0 * *k as f64, Complex64::new(noise.normal(), noise.normal())))
            .collect();
        let offset = noise.normal();
        let signal: Vec<f64> = (0..length)
            .map(|n| {
                let angle = TAU * n as f64 / length as f64;
                let turned = |k: f64| Complex64::from_polar(1.0, k * angle);
                let tone = |(k, phasor): &(f64, Complex64)| (phasor * turned(*k)).re;
                offset + tones.iter().map(tone).sum::<f64>()
            })
            .collect();
        for (k, phasor) in &tones {
            let found = tone_phasor(&signal, rate(length as f64), *k);
            prop_assert!((found - phasor).norm() < 1e-9, "{found} {phasor}");
        }
    }

    /// Runs of three or more at an end of the range are what is cut off; all else follows from the samples.
    #[test]
    fn levels_are_counted(signal in prop::collection::vec(-2i32..3, 1..60)) {
        let values: Vec<f64> = signal.iter().map(|x| f64::from(*x) / 4.0).collect();
        let found = measure_levels(&values).unwrap();
        let (low, high) = (signal.iter().min().unwrap(), signal.iter().max().unwrap());
        let runs = signal.chunk_by(|a, b| a == b).filter(|run| run.len() > 2 && low < high);
        let at_end = |run: &&[i32]| run[0] == *low || run[0] == *high;
        let cut: Vec<usize> = runs.filter(at_end).map(<[i32]>::len).collect();
        prop_assert_eq!(found.clipped, cut.iter().sum::<usize>());
        prop_assert_eq!(found.longest_clip, cut.iter().copied().max().unwrap_or(0));
        prop_assert_eq!((found.lowest, found.highest), (f64::from(*low) / 4.0, f64::from(*high) / 4.0));
        // The mean square of all differences of two samples is twice the variance.
        let pairs = values.iter().flat_map(|a| values.iter().map(move |b| (a - b) * (a - b)));
        let variance = pairs.sum::<f64>() / 2.0 / (values.len() * values.len()) as f64;
        prop_assert!((found.rms * found.rms - variance).abs() < 1e-12);
        let sum: i32 = signal.iter().sum();
        prop_assert!((found.mean - f64::from(sum) / 4.0 / values.len() as f64).abs() < 1e-12);
    }

    /// What a mask allows is the least of the lines that pass over a frequency; the margin is the least of
    /// all points of the spectrum.
    #[test]
    fn a_mask_is_held_against_every_point(
        steps in prop::collection::vec((0u32..30, -60i32..20), 2..7), start in 0u32..200, seed: u64,
    ) {
        let mut hertz = f64::from(start);
        let points: Vec<(f64, f64)> = steps
            .iter()
            .map(|(more, level)| {
                hertz += f64::from(*more);
                (hertz, f64::from(*level))
            })
            .collect();
        let mask = Mask::new(points.clone()).unwrap();
        let mut noise = NoiseSource::new(seed);
        let signal: Vec<f64> = (0..2000).map(|_| noise.normal()).collect();
        let wish = SpectrumWish {
            window: Window::Hann, piece: 200, overlap: 0.5, averaging: Averaging::Even,
        };
        let found = spectrum(&signal, rate(1000.0), wish).unwrap();
        let top = found.density.iter().copied().fold(0.0, f64::max);
        let mut least = f64::INFINITY;
        let mut counts = (0, 0);
        for (at, density) in found.hertz.iter().zip(&found.density) {
            let lines = points.windows(2).filter(|ends| ends[0].0 <= *at && *at <= ends[1].0);
            let allowed = lines.flat_map(|ends| {
                let share = (at - ends[0].0) / (ends[1].0 - ends[0].0);
                match share.is_nan() {
                    true => vec![ends[0].1, ends[1].1],
                    false => vec![ends[0].1 * (1.0 - share) + ends[1].1 * share],
                }
            });
            let allowed = allowed.reduce(f64::min);
            let said = mask.level_db(*at);
            prop_assert_eq!(said.is_some(), allowed.is_some());
            let Some(allowed) = allowed else { continue };
            prop_assert!((said.unwrap() - allowed).abs() < 1e-9);
            let margin = allowed - 10.0 * (density / top).log10();
            least = least.min(margin);
            counts = (counts.0 + 1, counts.1 + usize::from(margin < 0.0));
        }
        match mask.margin(&found) {
            Some(found) => {
                prop_assert!((found.margin_db - least).abs() < 1e-9);
                prop_assert_eq!((found.points, found.above), counts);
                prop_assert!((found.allowed_db - found.level_db - found.margin_db).abs() < 1e-9);
            }
            None => prop_assert_eq!(counts.0, 0),
        }
    }

    /// The densities of a piece, over all frequencies, are its mean square under the window (Parseval), and
    /// each is that of a sum of products.
    #[test]
    fn a_spectrogram_is_a_transform_of_every_piece(seed: u64, length in 64usize..900, most in 1usize..12) {
        let mut noise = NoiseSource::new(seed);
        let signal: Vec<f64> = (0..length).map(|_| noise.normal() + 3.0).collect();
        let found = spectrogram(&signal, rate(1000.0), most);
        let mean = signal.iter().sum::<f64>() / length as f64;
        prop_assert!(!found.density.is_empty() && found.density.len() <= most);
        let piece = found.piece;
        let window = |n: usize| 0.5 - 0.5 * (TAU * n as f64 / piece as f64).cos();
        let power: f64 = (0..piece).map(|n| window(n) * window(n)).sum();
        for (seconds, density) in found.seconds.iter().zip(&found.density) {
            let start = (seconds * 1000.0 - piece as f64 / 2.0).round() as usize;
            let windowed: Vec<f64> = (0..piece).map(|n| window(n) * (signal[start + n] - mean)).collect();
            let all: f64 = density.iter().sum::<f64>() * 1000.0 / piece as f64;
            let expected = windowed.iter().map(|x| x * x).sum::<f64>() / power;
            prop_assert!((all - expected).abs() < 1e-9 * expected, "{all} {expected}");
            for k in [0, 1, piece / 4, piece / 2] {
                let turn = |n: usize| Complex64::from_polar(1.0, -TAU * (k * n) as f64 / piece as f64);
                let value: Complex64 = windowed.iter().enumerate().map(|(n, x)| turn(n) * x).sum();
                let sides = if k == 0 || k == piece / 2 { 1.0 } else { 2.0 };
                let expected = sides * value.norm_sqr() / (1000.0 * power);
                prop_assert!((density[k] - expected).abs() < 1e-9 * (1.0 + expected));
            }
        }
    }
}

/// A system with every state in every other: s ← A·s + b·u, seen: c·s + d·u.
#[derive(Clone)]
struct Dense {
    a: Vec<Vec<f64>>,
    b: Vec<f64>,
    c: Vec<f64>,
    d: f64,
}

impl Dense {
    fn go(&self, state: &mut [f64], drive: f64, seen: &mut [f64], of: impl Fn(f64) -> f64) {
        let row = |row: &[f64], state: &[f64]| {
            row.iter().zip(state).map(|(a, s)| of(*a) * s).sum::<f64>()
        };
        seen[0] = row(&self.c, state) + of(self.d) * drive;
        let next: Vec<f64> =
            self.a.iter().zip(&self.b).map(|(a, b)| row(a, state) + of(*b) * drive).collect();
        state.copy_from_slice(&next);
    }
}

impl LinearSystem for Dense {
    fn states(&self) -> usize {
        self.b.len()
    }
    fn observed(&self) -> usize {
        1
    }
    fn step(&mut self, state: &mut [f64], drive: f64, seen: &mut [f64]) {
        self.go(state, drive, seen, |a| a);
    }
    fn step_absolute(&mut self, state: &mut [f64], drive: f64, seen: &mut [f64]) {
        self.go(state, drive, seen, f64::abs);
    }
    fn operations(&self) -> usize {
        2 * (self.b.len() + 1) * (self.b.len() + 1)
    }
    fn finite(&self) -> Option<usize> {
        None
    }
}

proptest! {
    #![proptest_config(ProptestConfig { cases: 400, failure_persistence: None, ..ProptestConfig::default() })]

    /// Of a system that is proved to forget, no drive within limits reaches beyond what is said, the worst
    /// one reaches it, and Σ|h| is that of a long run; none is said to forget that does not, and none
    /// refused that forgets soon.
    #[test]
    fn what_is_proved_to_forget_forgets(
        states in 1usize..6, entries in prop::collection::vec(-16i32..17, 48), shift in 2i32..6,
        low in -2.0f64..0.0, high in 0.0f64..2.0, seed: u64,
    ) {
        let entry = |k: usize| f64::from(entries[k]) * 2f64.powi(-shift);
        let row = |from: usize| (from..from + states).map(entry).collect::<Vec<f64>>();
        let mut system = Dense {
            a: (0..states).map(|k| row(5 * k)).collect(), b: row(25), c: row(30), d: entry(40),
        };
        let run = |drive: &dyn Fn(usize) -> f64, steps: usize| -> Vec<f64> {
            let (mut state, mut seen) = (vec![0.0; states], [0.0]);
            (0..steps).map(|n| {
                system.go(&mut state, drive(n), &mut seen, |a| a);
                seen[0]
            }).collect()
        };
        let steps = 3000;
        let impulse = run(&|n| if n == 0 { 1.0 } else { 0.0 }, steps);
        let size: f64 = impulse.iter().map(|h| h.abs()).sum();
        let tail: f64 = impulse[steps / 2..].iter().map(|h| h.abs()).sum();
        let mut noise = NoiseSource::new(seed);
        let drives: Vec<f64> = (0..steps).map(|_| low + (high - low) * noise.uniform()).collect();
        let driven = run(&|n| drives[n], steps);
        let worst = |up: bool| run(&|n| if (impulse[steps - 1 - n] > 0.0) == up { high } else { low }, steps);
        let (top, bottom) = (worst(true)[steps - 1], worst(false)[steps - 1]);
        match Decay::prove(&mut system.clone()) {
            Ok(decay) => {
                prop_assert!(size.is_finite());
                let found = decay.impulse(&mut system).remove(0);
                prop_assert!(found.l1_bound() >= size * (1.0 - 1e-12), "{} {size}", found.l1_bound());
                prop_assert!(tail > 1e-9 * size || found.l1_bound() <= size * (1.0 + 1e-6) + 1e-9);
                let reach = found.reach(low, high);
                let slack = 1e-9 * size * low.abs().max(high.abs()).max(1.0);
                for y in driven.iter().chain([&top, &bottom]) {
                    prop_assert!(*y <= reach.1 + slack && *y >= reach.0 - slack, "{y} {reach:?}");
                }
                if tail < 1e-12 * size {
                    let close = 1e-6 * size.max(1.0) * (1.0 + high - low);
                    let near = |a: f64, b: f64| (a - b).abs() <= close;
                    prop_assert!(near(top, reach.1) && near(bottom, reach.0), "{top} {bottom} {reach:?}");
                }
            }
            Err(error) => {
                // All states are looked at, seen or not: a long run from each of them has to be long.
                let forgets = (0..states).all(|k| {
                    let mut state = vec![0.0; states];
                    state[k] = 1.0;
                    let mut seen = [0.0];
                    (0..1000).for_each(|_| system.go(&mut state, 0.0, &mut seen, |a| a));
                    state.iter().all(|s| s.abs() < 1e-9)
                });
                prop_assert!(!forgets || error == NotProved::Conditioning, "{error}");
            }
        }
    }
}
