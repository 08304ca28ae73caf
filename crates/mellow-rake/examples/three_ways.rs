//! Breath: one recording filtered three ways: causal as a device does it, without phase as one does it
//! afterwards, and bit for bit as the firmware will.

// A program of its own may use the platform's functions.
#![allow(clippy::disallowed_methods)]

use mellow_rake::Wish;
use mellow_rake::datapath::Simulator;
use mellow_rake::random::NoiseSource;
use mellow_rake::spec::{Fixed, Structure};
use std::f64::consts::TAU;

/// Where a signal is largest, in seconds.
fn peak(signal: &[f64]) -> f64 {
    let largest = (0..signal.len()).max_by(|a, b| signal[*a].total_cmp(&signal[*b]));
    largest.unwrap_or(0) as f64 / 64.0
}

fn main() -> Result<(), Box<dyn std::error::Error>> {
    // Half a minute of breath at 64 Hz: one breath every four seconds, the deepest at 14 s, and the noise of
    // the belt.
    let mut noise = NoiseSource::new(14);
    let breath = |n: usize| {
        let seconds = n as f64 / 64.0;
        let depth = 0.3 + 0.4 * (-(seconds - 14.0) * (seconds - 14.0) / 8.0).exp();
        depth * (TAU * (seconds - 14.0) / 4.0).cos() + 0.05 * noise.normal()
    };
    let recording: Vec<f64> = (0..30 * 64).map(breath).collect();

    let mut words = Fixed::new(Structure::ErrorFeedback2, "s16f15".parse()?);
    words.coefficients = "s20".parse()?;
    let study = Wish::lowpass("64 Hz").cutoff("1 Hz").butterworth(4).words(words).study()?;
    let lowpass = &study.design.form;

    let mut causal = recording.clone();
    lowpass.apply(&mut causal);
    let both_ways = lowpass.zero_phase(&recording).samples;

    let filter = study.integers()?;
    let [into, out] = [filter.fixed.input, filter.fixed.output].map(|format| format.step());
    let integers: Vec<i64> = recording.iter().map(|x| (x / into).round() as i64).collect();
    let answered = Simulator::new(&filter.checked).run(&integers);
    let on_integers: Vec<f64> = answered.iter().map(|y| *y as f64 * out).collect();

    println!("deepest breath at");
    for (name, signal) in [
        ("the recording", &recording),
        ("causal", &causal),
        ("forward and backward", &both_ways),
        ("on integers", &on_integers),
    ] {
        println!("  {name:<22} {:>7.3} s", peak(signal));
    }
    let apart = causal.iter().zip(&on_integers).map(|(a, b)| (a - b).abs()).fold(0.0, f64::max);
    let bound = filter.checked.facts().bounds().clone()?.error.largest() / out;
    println!("integers are at most {:.2} LSB from causal floating point", apart / out);
    println!("roundings alone can come to {bound:.2} LSB: proved");
    Ok(())
}
