//! Programs that change the rate: a decimator gives every so many-th word of the filter with the same taps,
//! an interpolator that of the samples with zeros between; and what is proved and predicted of them holds.

use mellow_rake::datapath::{
    BuildError, Checked, Simulator, describe, fir_decimator, fir_direct, fir_interpolator,
    fir_transposed,
};
use mellow_rake::fixed::{Overflow, RoundedTable, Rounding, WordFormat, round_coefficients};
use mellow_rake::random::NoiseSource;
use mellow_rake::spec::Name;
use mellow_rake::write::{Symbols, WriteError, c, rust, verilog, vhdl};

use crate::filters::any_word;
use crate::ideal::Ideal;
use crate::reader::read;

/// Taps, words and what is done to them, as random as they can be.
struct Drawn {
    table: RoundedTable,
    factor: usize,
    input: WordFormat,
    output: WordFormat,
    rounding: Rounding,
    overflow: Overflow,
}

impl Drawn {
    fn new(noise: &mut NoiseSource, bits: [i64; 2], most_taps: i64) -> Drawn {
        let taps = noise.integer(2, most_taps) as usize;
        let mut signed = |fraction: [i64; 2]| {
            let width = noise.integer(bits[0], bits[1]) as u32;
            let fraction = noise.integer(fraction[0], fraction[1]) as i32;
            WordFormat::new(true, width, fraction).unwrap()
        };
        let [input, output, coefficients] = [[0, 15], [0, 15], [4, 15]].map(&mut signed);
        let (low, high) = (coefficients.minimum() as i64, coefficients.maximum() as i64);
        let row = (0..taps).map(|_| noise.integer(low, high)).collect();
        let mut table = RoundedTable::new(coefficients, vec![row]);
        if noise.integer(0, 1) == 0 {
            table.exponents = vec![(0..taps).map(|_| noise.integer(0, 3) as u32).collect()];
        }
        Drawn {
            table,
            factor: noise.integer(2, taps.min(12) as i64) as usize,
            input,
            output,
            rounding: Rounding::ALL[noise.integer(0, 4) as usize],
            overflow: [Overflow::Saturate, Overflow::Wrap][noise.integer(0, 1) as usize],
        }
    }

    /// The filter at the higher rate, and both that change it.
    fn built(&self) -> Option<[Checked; 3]> {
        let Drawn { table, factor, input, output, rounding, overflow } = self;
        let (input, output, rounding, overflow) = (*input, *output, *rounding, *overflow);
        let all = [
            fir_direct(table, input, output, rounding, overflow),
            fir_decimator(table, *factor, input, output, rounding, overflow),
            fir_interpolator(table, *factor, input, output, rounding, overflow),
        ];
        let [Ok(direct), Ok(down), Ok(up)] = all else { return None };
        let [Ok(direct), Ok(down), Ok(up)] = [direct, down, up].map(|one| one.check()) else {
            return None;
        };
        Some([direct, down, up])
    }
}

/// With words of 2 to 24 bits, both ends among them, and 2 to 40 taps; a few with 2,000.
#[test]
fn a_change_of_the_rate_is_the_filter_without_what_is_thrown_away_or_zero() {
    let mut noise = NoiseSource::new(201);
    let mut held = 0;
    let sizes = std::iter::repeat_n((40, 300), 400).chain([(2000, 4100); 3]);
    for (most_taps, samples) in sizes {
        let drawn = Drawn::new(&mut noise, [2, 24], most_taps);
        let Some([direct, down, up]) = drawn.built() else { continue };
        let factor = drawn.factor;
        let words: Vec<i64> =
            (0..samples).map(|_| any_word(&mut noise, drawn.input, false)).collect();
        let filtered = Simulator::new(&direct).run(&words);
        let Drawn { table, input, output, rounding, overflow, .. } = &drawn;
        let transposed = fir_transposed(table, *input, *output, *rounding, *overflow).unwrap();
        assert_eq!(Simulator::new(&transposed.check().unwrap()).run(&words), filtered);
        let kept = filtered.iter().skip(factor - 1).step_by(factor);
        let kept: Vec<i64> = kept.copied().collect();
        assert_eq!(Simulator::new(&down).run(&words), kept, "by {factor}");
        let stuffed = words
            .iter()
            .flat_map(|word| std::iter::once(*word).chain(std::iter::repeat_n(0, factor - 1)));
        let filled = Simulator::new(&direct).run(&stuffed.collect::<Vec<_>>());
        assert_eq!(Simulator::new(&up).run(&words), filled, "by {factor}");
        // Fewer products than the filter makes for as many words.
        let products = |checked: &Checked| checked.cost().multiplies_per_sample;
        let taps = drawn.table.rows[0].len();
        assert!(products(&down) < taps + factor && products(&up) < taps + factor);
        assert_eq!(products(&direct), taps);
        held += 1;
    }
    assert!(held > 300, "{held}");
}

/// The bounds of levels and errors are those of the filter, and an input reaches them; a stranger who has the
/// JSON alone meets nothing beyond.
#[test]
fn levels_and_errors_of_a_change_of_the_rate_are_bounded() {
    let mut noise = NoiseSource::new(202);
    let mut reached = 0;
    for _ in 0..150 {
        let drawn = Drawn { overflow: Overflow::Saturate, ..Drawn::new(&mut noise, [3, 16], 20) };
        let Some([direct, down, up]) = drawn.built() else { continue };
        let whole = direct.facts().bounds().as_ref().unwrap();
        // Every tap counts with its exponent.
        let taps = drawn.table.rows[0].iter().enumerate();
        let size = |(k, tap): (usize, &i64)| (tap << drawn.table.exponent(0, k)).abs() as f64;
        let sum = taps.map(size).sum::<f64>() * drawn.table.format.step();
        assert!((sum - whole.gain().l1()).abs() <= 1e-12 * sum);
        for checked in [&down, &up] {
            let bounds = checked.facts().bounds().as_ref().unwrap();
            let datapath = checked.datapath();
            assert_eq!(bounds.gains.len(), datapath.words_out());
            // Taken together, all paths are the taps.
            let sum: f64 = bounds.gains.iter().flatten().map(|gain| gain.l1()).sum();
            assert!((sum - whole.gain().l1()).abs() <= 1e-12 * sum);
            let [low, high] = [bounds.error.low, bounds.error.high];
            // Some branches drop fewer bits that are not always zero.
            let slack = 1e-9 * whole.error.largest();
            assert!(low >= whole.error.low - slack && high <= whole.error.high + slack);
            for gains in &bounds.gains {
                let worst = checked.worst_case_input(gains, 100);
                let mut stranger = read(checked);
                let mut ideal = Ideal::new(datapath);
                let mut last = Vec::new();
                for firing in worst.input.chunks(datapath.words_in()) {
                    let exact: Vec<i128> = firing.iter().map(|word| (*word).into()).collect();
                    let values: Vec<f64> =
                        firing.iter().map(|word| drawn.input.value(*word)).collect();
                    let found = stranger.fire(&exact);
                    last = ideal.fire(&values);
                    if stranger.met.iter().any(|met| !met.fits) {
                        continue;
                    }
                    for (y, value) in found.iter().zip(&last) {
                        let error = drawn.output.value(*y as i64) - value;
                        assert!((low - 1e-12..=high + 1e-12).contains(&error), "{error}");
                    }
                }
                // At the end one of the words is as large as any can be.
                let nearest = last.iter().map(|value| (value - worst.level).abs());
                assert!(nearest.fold(f64::MAX, f64::min) < 1e-9 * (1.0 + worst.level.abs()));
                reached += 1;
            }
        }
    }
    assert!(reached > 300, "{reached}");
}

/// Noise measured against the same in real numbers, and its density against its power.
#[test]
fn noise_of_a_change_of_the_rate_is_as_predicted() {
    let mut noise = NoiseSource::new(203);
    let mut compared = 0;
    for _ in 0..120 {
        let drawn = Drawn { overflow: Overflow::Saturate, ..Drawn::new(&mut noise, [8, 16], 30) };
        let Some([_, down, up]) = drawn.built() else { continue };
        for checked in [&down, &up] {
            let bounds = checked.facts().bounds().as_ref().unwrap();
            let Ok(predicted) = bounds.noise else { continue };
            let datapath = checked.datapath();
            let mut simulator = Simulator::new(checked);
            let mut ideal = Ideal::new(datapath);
            let [low, high] =
                [drawn.input.minimum(), drawn.input.maximum()].map(|end| (end / 2) as i64);
            let (mut square, mut count) = (0.0, 0.0);
            for _ in 0..6_000 {
                let firing: Vec<i64> =
                    (0..datapath.words_in()).map(|_| noise.integer(low, high)).collect();
                let values: Vec<f64> = firing.iter().map(|word| drawn.input.value(*word)).collect();
                let found = simulator.run(&firing);
                for (y, exact) in found.iter().zip(ideal.fire(&values)) {
                    square += (drawn.output.value(*y) - exact).powi(2);
                    count += 1.0;
                }
            }
            if simulator.limited_samples() > 0 || predicted.rms() < 1e-3 * drawn.output.step() {
                continue;
            }
            let apart = 20.0 * ((square / count).sqrt() / predicted.rms()).log10();
            assert!(apart.abs() < 0.5, "{apart} dB");
            // Over all frequencies the density adds up to the variance.
            let hertz: Vec<f64> = (0..500).map(|k| (f64::from(k) + 0.5) * 0.5).collect();
            if let Ok(density) = checked.noise_density("500 Hz".parse().unwrap(), &hertz) {
                let power: f64 = density.iter().map(|density| density * 0.5).sum();
                let sources = checked.rounding_sources();
                let all: f64 = sources.iter().map(|source| source.error_moments().1).sum();
                let variance = all / datapath.words_out() as f64;
                assert!((power / variance - 1.0).abs() < 1e-9, "{power} {variance}");
            }
            compared += 1;
        }
    }
    assert!(compared > 60, "{compared}");
}

/// Built for what there is, or refused with the reason; no writer says what it cannot.
#[test]
fn what_cannot_be_is_refused() {
    let word: WordFormat = "s16f15".parse().unwrap();
    let taps = round_coefficients(&[vec![0.25, 0.5, 0.25]], "s16f15".parse().unwrap()).unwrap();
    let (rounding, overflow) = (Rounding::HalfUp, Overflow::Saturate);
    for build in [fir_decimator, fir_interpolator] {
        for factor in [0, 1, 4, usize::MAX] {
            let error = build(&taps, factor, word, word, rounding, overflow).unwrap_err();
            assert!(matches!(error, BuildError::Factor { taps: 3, .. }), "{error}");
        }
        let two = round_coefficients(&[vec![0.5], vec![0.5]], "s16f15".parse().unwrap()).unwrap();
        let error = build(&two, 2, word, word, rounding, overflow).unwrap_err();
        assert!(matches!(error, BuildError::Shape { rows: 2, .. }), "{error}");
        let filter = build(&taps, 2, word, word, rounding, overflow).unwrap().check().unwrap();
        let symbols = Symbols::new(&Name::new("rates").unwrap());
        let refused = [
            c::write(&filter, &symbols),
            rust::write(&filter, &symbols),
            verilog::write(&filter, &symbols),
            vhdl::write(&filter, &symbols),
        ];
        for refused in refused {
            let error = refused.unwrap_err();
            assert!(matches!(error, WriteError::Firing { .. }), "{error}");
        }
        // The words of its ports stand in the JSON, which has no single format then.
        let json = serde_json::to_value(describe(&filter)).unwrap();
        let words = |key: &str| json[key][0]["words"].as_u64().unwrap() as usize;
        let datapath = filter.datapath();
        assert_eq!(
            [words("inputs"), words("outputs")],
            [datapath.words_in(), datapath.words_out()]
        );
        assert!(json.get("input").is_none() && json.get("result").is_none());
    }
}
