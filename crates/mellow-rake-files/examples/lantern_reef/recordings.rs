//! What the buoy would have heard, made up from seeds.

use mellow_rake::random::NoiseSource;
use std::f64::consts::{PI, TAU};
use std::fmt::Write;

/// A file below the demo folder, and what it holds.
pub(crate) type Made = (&'static str, Vec<u8>);

/// All recordings.
pub(crate) fn all() -> Result<Vec<Made>, hound::Error> {
    Ok(vec![
        ("mooring/mooring.csv", counts(&mooring(), 1000.0, 3, "strain")),
        ("breath/breath.csv", counts(&breath(), 64.0, 6, "belt")),
        ("modem/modem.wav", wav(&modem(), 96_000)?),
    ])
}

fn sine(hertz: f64, seconds: f64, phase: f64) -> f64 {
    libm::sin(TAU * hertz * seconds + phase)
}

/// To 16-bit counts, as a converter does: nearest, and never beyond the ends.
fn count(value: f64) -> i16 {
    libm::rint(value).clamp(-32768.0, 32767.0) as i16
}

/// Strain on the mooring line, 20 s at 1 kHz: pretension, two swells, four snap loads, the hum of the
/// bilge pump at 87.5 Hz from 1.5 s on, sensor noise.
fn mooring() -> Vec<i16> {
    let mut noise = NoiseSource::new(0x6d6f_6f72);
    let snaps = [(3.42, 7400.0), (8.13, 9800.0), (12.76, 5900.0), (17.31, 8600.0)];
    (0..20_000)
        .map(|n| {
            let t = f64::from(n) / 1000.0;
            let swell = 5200.0 * sine(0.11, t, 0.4) + 1900.0 * sine(0.23, t, 1.3);
            let snap: f64 = snaps
                .iter()
                .filter(|(start, _)| t >= *start)
                .map(|(start, load)| {
                    let since = t - start;
                    let pull = (1.0 - libm::exp(-since / 0.004)) * libm::exp(-since / 0.09);
                    let ring = 0.12 * sine(23.0, since, 0.0) * libm::exp(-since / 0.15);
                    load * (pull + ring)
                })
                .sum();
            let start = ((t - 1.5) / 0.3).clamp(0.0, 1.0);
            let hum = 720.0 * start * (1.0 + 0.06 * sine(0.31, t, 2.0)) * sine(87.5, t, 0.9);
            count(2600.0 + swell + snap + hum + 9.0 * noise.normal())
        })
        .collect()
}

/// A diver's chest belt, 120 s at 64 Hz: breathing between 0.2 and 0.4 Hz that slows down, heave, drift, and
/// the rustle of the strap.
fn breath() -> Vec<i16> {
    let mut noise = NoiseSource::new(0x6272_6561);
    let mut phase = 0.0;
    let mut rustle = 0.0;
    (0..7680)
        .map(|n| {
            let t = f64::from(n) / 64.0;
            phase += TAU * (0.36 - 0.0012 * t + 0.02 * sine(0.05, t, 0.0)) / 64.0;
            let chest = 6100.0 * libm::sin(phase) + 1300.0 * libm::sin(2.0 * phase + 0.7);
            let heave = 900.0 * sine(0.12, t, 2.2);
            let drift = 40.0 * t + 500.0 * sine(0.008, t, 0.0);
            rustle = 0.82 * rustle + 0.57 * noise.normal();
            let strap = (220.0 + 180.0 * sine(0.06, t, 1.0)) * rustle;
            count(chest + heave + drift + strap)
        })
        .collect()
}

/// Half a second of hydrophone at 96 kHz: phase-keyed bursts 4 kHz wide on 27 kHz, the clicks of snapping
/// shrimps, an echo sounder at 33 kHz, sea noise.
fn modem() -> Vec<i16> {
    const RATE: f64 = 96_000.0;
    const SYMBOL: usize = 32; // 3,000 symbols a second
    let mut noise = NoiseSource::new(0x6d6f_6465);
    let length = 48_000usize;
    let mut signal: Vec<f64> = (0..length).map(|_| 140.0 * noise.normal()).collect();
    // Each burst starts with a ramp and holds 240 symbols of four phases, shaped by a raised cosine.
    for start in [4_000usize, 17_500, 33_000] {
        for symbol in 0..240 {
            let angle = PI / 2.0 * noise.integer(0, 3) as f64 + PI / 4.0;
            for offset in 0..6 * SYMBOL {
                let n = start + symbol * SYMBOL + offset;
                let x = (offset as f64 - 3.0 * SYMBOL as f64) / SYMBOL as f64;
                let envelope = raised_cosine(x, 0.33);
                signal[n] +=
                    2600.0 * envelope * libm::cos(TAU * 27_000.0 / RATE * n as f64 + angle);
            }
        }
    }
    for _ in 0..60 {
        let start = noise.integer(0, length as i64 - 400) as usize;
        let size = 9_000.0 * (0.3 + noise.uniform());
        let tone = 9_000.0 + 22_000.0 * noise.uniform();
        for offset in 0..300 {
            let decay = libm::exp(-(offset as f64) / 28.0);
            signal[start + offset] += size * decay * libm::sin(TAU * tone / RATE * offset as f64);
        }
    }
    for start in [1_000usize, 25_000] {
        for offset in 0..1_900 {
            let n = start + offset;
            let window = libm::sin(PI * offset as f64 / 1_900.0);
            signal[n] += 7_000.0 * window * libm::sin(TAU * 33_000.0 / RATE * n as f64);
        }
    }
    signal.into_iter().map(count).collect()
}

/// The raised-cosine pulse of roll-off `r` at `x` symbols from its middle.
fn raised_cosine(x: f64, r: f64) -> f64 {
    let sinc = if x == 0.0 { 1.0 } else { libm::sin(PI * x) / (PI * x) };
    let below = 1.0 - (2.0 * r * x) * (2.0 * r * x);
    if below.abs() < 1e-9 { PI / 4.0 * sinc } else { sinc * libm::cos(PI * r * x) / below }
}

fn counts(samples: &[i16], rate: f64, digits: usize, name: &str) -> Vec<u8> {
    let mut text = format!("time_s,{name}\n");
    for (n, sample) in samples.iter().enumerate() {
        let _ = writeln!(text, "{:.digits$},{sample}", n as f64 / rate);
    }
    text.into_bytes()
}

fn wav(samples: &[i16], rate: u32) -> Result<Vec<u8>, hound::Error> {
    let spec = hound::WavSpec {
        channels: 1,
        sample_rate: rate,
        bits_per_sample: 16,
        sample_format: hound::SampleFormat::Int,
    };
    let mut bytes = std::io::Cursor::new(Vec::new());
    let mut writer = hound::WavWriter::new(&mut bytes, spec)?;
    for sample in samples {
        writer.write_sample(*sample)?;
    }
    writer.finalize()?;
    Ok(bytes.into_inner())
}
