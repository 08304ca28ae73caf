//! Rounding noise is within 1 dB of its prediction on white noise of half scale, or nothing is predicted and
//! it is said why, before measuring.

// Independent of the library: the platform's own functions.

use mellow_rake::datapath::{Checked, NotPredicted, Simulator, dump};
use mellow_rake::filter::{Form, Section, Sections, Taps};
use mellow_rake::fixed::{Rounding, WordFormat};
use mellow_rake::implementation::{Implementation, implement};
use mellow_rake::random::NoiseSource;
use mellow_rake::spec::{Fixed, Structure};

use crate::ideal::Ideal;
use crate::programs::{Sizes, any_program};
use crate::reader::read;

/// Taps, or one or two sections with poles at radii up to 0.97.
fn form(noise: &mut NoiseSource, structure: Structure) -> Form {
    let signed = |noise: &mut NoiseSource| 2.0 * noise.uniform() - 1.0;
    if structure == Structure::FirSkipZeros {
        let side = signed(noise);
        return Form::Taps(Taps(vec![side, 0.5, side]));
    }
    if structure.is_for_taps() {
        let count = noise.integer(1, 8) as usize;
        let mut taps: Vec<f64> = match noise.integer(0, 2) {
            0 => vec![1.0 / count as f64; count],
            1 => vec![0.5; 2],
            _ => (0..count).map(|_| signed(noise)).collect(),
        };
        if structure == Structure::FirFolded {
            let last = taps.len() - 1;
            for k in 0..=last / 2 {
                taps[last - k] = taps[k];
            }
        }
        return Form::Taps(Taps(taps));
    }
    let mut section = || {
        let radius = 0.3 + 0.67 * noise.uniform();
        let angle = std::f64::consts::PI * noise.uniform();
        let b = std::array::from_fn(|_| (1.0 - 0.9 * radius) * signed(noise));
        Section { b, a: [-2.0 * radius * angle.cos(), radius * radius] }
    };
    let first = section();
    let second = section();
    let count = noise.integer(1, 2) as usize;
    Form::from(Sections([first, second][..count].to_vec()))
}

fn words(noise: &mut NoiseSource, structure: Structure, fewest: i64) -> Fixed {
    let width = noise.integer(fewest, 16) as u32;
    let fraction = width as i32 - 1 - noise.integer(0, 2) as i32;
    let output = (width + 3 + noise.integer(0, 3) as u32, fraction - noise.integer(-1, 2) as i32);
    let word = |(width, fraction)| WordFormat::new(true, width, fraction).unwrap();
    let mut fixed = Fixed {
        output: word(output),
        coefficients: format!("s{}", noise.integer(4, 16)).parse().unwrap(),
        rounding: Rounding::ALL[noise.integer(0, 4) as usize],
        ..Fixed::new(structure, word((width, fraction)))
    };
    if structure.adds_whole_products() && noise.integer(0, 3) == 0 {
        let fraction = output.1 + noise.integer(0, 2) as i32;
        fixed.products = Some(word((output.0 + 8, fraction)));
    }
    fixed
}

/// Root mean square of the error that was measured on white noise of half scale; `None` where a limit acted.
fn measured(filter: &Implementation) -> Option<f64> {
    let (input, output) = (filter.fixed.input, filter.fixed.output);
    let mut noise = NoiseSource::new(5);
    let [low, high] = [input.minimum(), input.maximum()].map(|end| (end / 2) as i64);
    let words: Vec<i64> = (0..40_000).map(|_| noise.integer(low, high)).collect();
    let mut simulator = Simulator::new(&filter.checked);
    let found = simulator.run(&words);
    let values: Vec<f64> = words.iter().map(|word| input.value(*word)).collect();
    let expected = filter.rounded.start().run(&values);
    let pairs = found.iter().zip(&expected).skip(2000);
    let square: f64 = pairs.map(|(y, e)| (output.value(*y) - e).powi(2)).sum();
    (simulator.limited_samples() == 0).then(|| (square / (words.len() - 2000) as f64).sqrt())
}

/// Some thousand filters of all structures and roundings, products rounded or not, words of 4 to 16 bits and
/// coefficients from 4 bits on.
#[test]
fn noise_is_within_a_decibel_of_its_prediction_or_not_predicted() {
    for (seed, fewest, most_refused) in [(77, 8, 0.15), (78, 4, 0.4)] {
        let mut noise = NoiseSource::new(seed);
        let (mut compared, mut refused, mut furthest) = (0, 0, 0.0f64);
        for _ in 0..1000 {
            let structure = Structure::ALL[noise.integer(0, 13) as usize];
            let form = form(&mut noise, structure);
            let fixed = words(&mut noise, structure, fewest);
            let Ok(filter) = implement(&form, fixed) else { continue };
            let predicted = match filter.predicted_noise() {
                Ok(predicted) => predicted.rms(),
                Err(why) => {
                    let is_known = matches!(
                        why,
                        NotPredicted::Uneven
                            | NotPredicted::SignedProducts
                            | NotPredicted::Damping { .. }
                            | NotPredicted::Loud { .. }
                    );
                    assert!(is_known, "{why}");
                    refused += 1;
                    continue;
                }
            };
            let Some(rms) = measured(&filter) else { continue };
            compared += 1;
            if predicted == 0.0 {
                // Nothing is ever dropped; f64 has its own last bits.
                assert!(rms < 1e-9 * fixed.output.step(), "{structure:?} {rms}");
                continue;
            }
            let apart = 20.0 * (rms / predicted).log10();
            assert!(
                apart.abs() < 1.0,
                "{apart:+.2} dB: {structure:?} {fixed:?} {:?}",
                filter.table.rows
            );
            furthest = furthest.max(apart.abs());
        }
        println!(
            "from {fewest} bits on: {compared} within {furthest:.2} dB, {refused} not predicted"
        );
        let share = f64::from(refused) / f64::from(refused + compared);
        assert!(compared > 600 && share < most_refused, "{compared} {refused}");
    }
}

/// A leaky integrator at 2 Hz: what is cut off toward zero has the sign of the word, and so its spectrum. The
/// white model alone is off by 16 dB.
#[test]
fn what_is_cut_off_toward_zero_follows_the_signal() {
    let leak = (-2.0 * std::f64::consts::PI * 2.0 / 1000.0f64).exp();
    let form = Form::from(Sections(vec![Section { b: [1.0 - leak, 0.0, 0.0], a: [-leak, 0.0] }]));
    for rounding in Rounding::ALL {
        let fixed =
            Fixed { rounding, ..Fixed::new(Structure::DirectForm1, "s16f15".parse().unwrap()) };
        let filter = implement(&form, fixed).unwrap();
        let predicted = filter.predicted_noise().unwrap().rms();
        let apart = 20.0 * (measured(&filter).unwrap() / predicted).log10();
        assert!(apart.abs() < 1.0, "{rounding}: {apart} dB");
    }
}

/// The same of a program against itself in real numbers.
fn measured_of_program(checked: &Checked) -> Option<f64> {
    let (input, output) = (checked.input(), checked.output());
    let mut noise = NoiseSource::new(5);
    let [low, high] = [input.minimum(), input.maximum()].map(|end| (end / 2) as i64);
    let mut stranger = read(checked);
    let mut ideal = Ideal::new(checked.datapath());
    let mut square = 0.0;
    const SAMPLES: usize = 12_000;
    for sample in 0..SAMPLES {
        let word = noise.integer(low, high);
        let error = output.value(stranger.step(word.into()) as i64) - ideal.step(input.value(word));
        if stranger.met.iter().any(|met| !met.fits) {
            return None;
        }
        square += if sample < 2000 { 0.0 } else { error * error };
    }
    Some((square / (SAMPLES - 2000) as f64).sqrt())
}

/// Programs that no builder makes. Their words are the same more often than those of a filter, which the
/// prediction does not always see.
#[test]
fn noise_of_most_programs_is_within_a_decibel_or_not_predicted() {
    let mut noise = NoiseSource::new(79);
    let (mut compared, mut far) = (0, Vec::new());
    for _ in 0..3_000 {
        let Ok(checked) = any_program(&mut noise, Sizes::LARGE).check() else { continue };
        let Ok(bounds) = checked.facts().bounds() else { continue };
        let Ok(predicted) = bounds.noise else { continue };
        let Some(found) = measured_of_program(&checked) else { continue };
        compared += 1;
        let step = checked.output().step();
        let apart = 20.0 * (found.max(1e-9 * step) / predicted.rms().max(1e-9 * step)).log10();
        if apart.abs() >= 1.0 {
            far.push(format!("{apart:+.2} dB\n{}", dump(&checked)));
        }
    }
    println!("{compared} compared, {} further than 1 dB", far.len());
    assert!(compared > 60 && 20 * far.len() <= compared, "of {compared}: {}", far.join("\n"));
}
