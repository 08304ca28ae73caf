//! Chains of stages and the words that they run on, as random as they can be.

use mellow_rake::filter::{Section, Sections, Taps};
use mellow_rake::fixed::{CoefficientFormat, Overflow, Rounding, WordFormat};
use mellow_rake::random::NoiseSource;
use mellow_rake::rates::{Carrier, CarrierWay, Chain, Comb, Stage};
use mellow_rake::spec::{ChainFixed, OscillatorFixed, StageFixed, Structure};
use mellow_rake::units::SampleRate;

pub(crate) fn rate() -> SampleRate {
    SampleRate::from_hertz(48_000.0).unwrap()
}

/// Some taps; now and then such that every so many-th is zero, but for one, as of M-th band filters.
fn taps(noise: &mut NoiseSource, [up, down]: [usize; 2], count: usize) -> Taps {
    let mut raw: Vec<f64> = (0..count).map(|_| noise.integer(-60, 100) as f64).collect();
    if noise.integer(0, 2) == 0 {
        let every = up.max(down);
        raw.resize(8 * every, 30.0);
        let first = noise.integer(0, every as i64 - 1) as usize;
        raw.iter_mut().skip(first).step_by(every).for_each(|tap| *tap = 0.0);
        // One tap, or none at all.
        raw[first + 3 * every] = if first == 0 { 0.0 } else { 90.0 };
    }
    let sum: f64 = raw.iter().map(|tap| tap.abs()).sum::<f64>().max(1.0);
    Taps(raw.iter().map(|tap| tap / sum * 1.4 * up as f64).collect())
}

/// Up to two sections, some of the first order.
pub(crate) fn sections(noise: &mut NoiseSource, up: usize) -> Sections {
    let count = noise.integer(1, 2) as usize;
    let one = |index: usize, noise: &mut NoiseSource| {
        let radius = noise.integer(20, 90) as f64 / 100.0;
        let angle = noise.integer(0, 314) as f64 / 100.0;
        let level = (1.0 - radius) * if index == 0 { up as f64 } else { 1.0 };
        match noise.integer(0, 2) {
            0 => Section { b: [level, level, 0.0], a: [-radius, 0.0] },
            _ => Section {
                b: [level, noise.integer(-10, 10) as f64 / 10.0 * level, level],
                a: [-2.0 * radius * angle.cos(), radius * radius],
            },
        }
    };
    Sections((0..count).map(|index| one(index, noise)).collect())
}

/// Up to four stages of taps, of sections and of sums, of real samples, complex ones, or around a carrier.
pub(crate) fn any_chain(noise: &mut NoiseSource) -> Chain {
    let count = noise.integer(1, 4) as usize;
    let mut stages = Vec::new();
    for _ in 0..count {
        let comb =
            Comb { order: noise.integer(1, 4) as usize, delay: noise.integer(1, 2) as usize };
        let factor = noise.integer(2, 7) as usize;
        stages.push(match noise.integer(0, 5) {
            5 => {
                let (up, down) = [(1, factor), (factor, 1), (3, 2)][noise.integer(0, 2) as usize];
                Stage::new(up, down, sections(noise, up)).unwrap()
            }
            0 => Stage::comb(1, factor, comb).unwrap(),
            1 => Stage::comb(factor, 1, comb).unwrap(),
            kind => {
                let (up, down) = match kind {
                    2 => (1, factor),
                    3 => (factor, 1),
                    _ => (3, 2),
                };
                let length = noise.integer(1, 20) as usize;
                Stage::new(up, down, taps(noise, [up, down], length)).unwrap()
            }
        });
    }
    let chain = Chain::new(rate(), stages).unwrap();
    let carriers = if noise.integer(0, 1) == 0 { noise.integer(2, 3) } else { 1 };
    let turns: Vec<f64> = (0..carriers).map(|_| noise.integer(1, 4_999) as f64 / 1e4).collect();
    let channels = if noise.integer(0, 5) == 0 { noise.integer(2, 3) as usize } else { 1 };
    let chain = chain.of_channels(channels);
    match noise.integer(0, 7) {
        0 => chain.around(Carrier::several(CarrierWay::Down, &turns)),
        1 => chain.around(Carrier::several(CarrierWay::Up, &turns)),
        2 => chain.of_complex(),
        _ => chain,
    }
}

/// Structures that any sections can be in.
pub(crate) const STRUCTURES: [Structure; 6] = [
    Structure::DirectForm1,
    Structure::ErrorFeedback1,
    Structure::ErrorFeedback2,
    Structure::DirectForm1Transposed,
    Structure::DirectForm2,
    Structure::DirectForm2Transposed,
];

pub(crate) fn any_chain_words(noise: &mut NoiseSource, chain: &Chain) -> ChainFixed {
    let input = WordFormat::new(noise.integer(0, 3) > 0, noise.integer(6, 14) as u32, 10).unwrap();
    let width = noise.integer(10, 20) as u32;
    let usual = StageFixed {
        structure: None,
        output: None,
        coefficients: CoefficientFormat { signed: true, width: 14, fraction: None },
        rounding: Rounding::ALL[noise.integer(0, 4) as usize],
        overflow: [Overflow::Saturate, Overflow::Wrap][noise.integer(0, 1) as usize],
        prune: noise.integer(0, 1) == 0,
    };
    let of_stage = |stage: &Stage| {
        let found = STRUCTURES[noise.integer(0, 5) as usize];
        StageFixed { structure: stage.taps().is_none().then_some(found), ..usual }
    };
    let stages = chain.stages().iter().map(of_stage).collect();
    let phase_bits = noise.integer(4, 32) as u32;
    let oscillator = OscillatorFixed {
        // A frequency that is lost in the phase is refused.
        phase_bits: phase_bits.max(15),
        address_bits: (noise.integer(0, 1) == 0).then_some(phase_bits.min(9)),
        value_bits: noise.integer(2, 18) as u32,
        loads_steps: noise.integer(0, 2) == 0,
        dither: (noise.integer(0, 1) == 0).then(|| noise.integer(1, u32::MAX.into()) as u32),
    };
    ChainFixed {
        oscillator,
        output: WordFormat::new(true, width, width as i32 - 6).unwrap(),
        between: Some(CoefficientFormat { signed: true, width, fraction: None }),
        usual,
        stages,
        ..ChainFixed::new(input)
    }
}
