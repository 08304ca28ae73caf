//! Random notches, recursive filters and taps of every kind, in random formats on random inputs: the
//! simulator against compiled C; a share of them against simulated Verilog. `scripts/campaign` tries many
//! times as many.

use crate::common;
use crate::common::{all_files, with_accumulator};
use crate::programs::{Sizes, any_program, pruned};
use mellow_rake::Effort;
use mellow_rake::datapath::{
    AllPassWords, BuildError, Checked, Datapath, DatapathError, LatticeTables, Operation,
    SectionWords, Sign, Simulator, StateWords, all_pass_sum, direct_form_1, direct_form_1_shaped,
    direct_form_1_transposed, direct_form_2, direct_form_2_transposed, fir_direct, fir_folded,
    fir_skip_zeros, fir_transposed, lattice_ladder, lattice_sections, state_space,
};
use mellow_rake::design::fir::{FirError, design_fir};
use mellow_rake::design::iir::{IirWish, Points};
use mellow_rake::filter::{BandKind, EdgeMeaning, Family};
use mellow_rake::fixed::{
    Overflow, RoundedTable, Rounding, WordFormat, round_coefficients, round_groups,
};
use mellow_rake::random::NoiseSource;
use mellow_rake::spec::{CodeGoal, FirEdges, FirMethod, FirShape, FirWish, Firmware, Phase, Tune};
use mellow_rake::units::SampleRate;
use mellow_rake::verify::compare;
use mellow_rake::window::Window;
use mellow_rake::write::{GeneratedFile, Language, c, rust};
use mellow_rake_rig::{Device, Program, Target, ToolName};
use std::fmt::Write;
use std::sync::atomic::{AtomicUsize, Ordering};

const NOTCHES: usize = 250;
const RECURSIVE: usize = 250;
const TAPS: usize = 250;
const PROGRAMS: usize = 250;
const BATCH: usize = 125;
const SAMPLES: usize = 96;

/// How many times as many filters are tried as by every test run.
fn campaign() -> usize {
    let times = std::env::var("MELLOW_RAKE_CAMPAIGN").ok();
    times.map_or(1, |times| times.parse().expect("MELLOW_RAKE_CAMPAIGN: a whole number is wanted"))
}

fn below(noise: &mut NoiseSource, count: usize) -> usize {
    noise.integer(0, count as i64 - 1) as usize
}

/// Draws the coefficients of some sections.
type Rows = fn(&mut NoiseSource) -> Vec<Vec<f64>>;

/// One to three notches.
fn notches(noise: &mut NoiseSource) -> Vec<Vec<f64>> {
    let sections = 1 + below(noise, 5) / 2;
    (0..sections)
        .map(|_| {
            let center = 0.001 + 0.498 * noise.uniform();
            let width = (0.001 + 0.3 * noise.uniform()) * center.min(0.5 - center);
            // Narrower ones ring for millions of samples: nothing new for the integers, and minutes for the
            // proofs.
            common::notch_row(center, width.max(5e-5))
        })
        .collect()
}

/// A filter of any family and kind, of up to six sections.
fn recursive(noise: &mut NoiseSource) -> Vec<Vec<f64>> {
    let family = Family::ALL[below(noise, 5)];
    let kind = [BandKind::Lowpass, BandKind::Highpass, BandKind::Bandpass, BandKind::Bandstop]
        [below(noise, 4)];
    let low = 0.02 + 0.4 * noise.uniform();
    let order = 1 + below(noise, 6);
    let (order, edges) = if kind.is_band() {
        (2 * order, vec![low, low + (0.2 + 0.6 * noise.uniform()) * (0.49 - low)])
    } else {
        (order, vec![low])
    };
    let points = Points::Recipe { meaning: EdgeMeaning::HalfPower, edges, order };
    common::recursive_rows(&IirWish {
        kind,
        family,
        points,
        ripple_db: Some(0.5),
        attenuation_db: Some(60.0),
    })
}

/// Sections of two states with any coefficients, some of them beyond 1.
fn states(noise: &mut NoiseSource) -> Vec<Vec<f64>> {
    let sections = 1 + below(noise, 3);
    (0..sections).map(|_| (0..9).map(|_| 1.2 * (2.0 * noise.uniform() - 1.0)).collect()).collect()
}

/// A half-band filter of 3 to 63 taps of any size.
fn half_band(noise: &mut NoiseSource) -> Vec<f64> {
    let distinct: Vec<f64> = (0..1 + below(noise, 16)).map(|_| noise.uniform() - 0.5).collect();
    let middle = 2 * distinct.len() - 1;
    let mut taps = vec![0.0; 2 * middle + 1];
    taps[middle] = 0.5;
    for (k, tap) in distinct.iter().enumerate() {
        (taps[2 * k], taps[2 * middle - 2 * k]) = (*tap, *tap);
    }
    taps
}

/// Taps of a random kind and length, one row.
fn taps(noise: &mut NoiseSource) -> Vec<Vec<f64>> {
    let rate = SampleRate::from_hertz(1.0).unwrap();
    let count = 6 + below(noise, 60);
    let edge = 0.05 + 0.3 * noise.uniform();
    let windows = [Window::Hamming, Window::Kaiser { beta: 6.0 }, Window::Rectangular];
    let window = FirMethod::Window(windows[below(noise, 3)]);
    let band = |kind, edges| FirShape::Band {
        kind,
        edges: FirEdges::Cutoff(edges),
        ripple_db: None,
        attenuation_db: None,
    };
    let (shape, method) = match below(noise, 6) {
        0 => (band(BandKind::Lowpass, vec![edge]), window),
        1 => (band(BandKind::Bandpass, vec![edge, edge + 0.1]), window),
        2 => (FirShape::Hilbert { pass_hz: [0.05, 0.45] }, window),
        3 => (FirShape::Differentiator { pass_hz: 0.4 }, window),
        4 => (
            FirShape::Smoother { degree: 1 + below(noise, 4), derivative: 0 },
            FirMethod::ClosedForm,
        ),
        _ => (FirShape::Average, FirMethod::ClosedForm),
    };
    if below(noise, 6) == 0 {
        return vec![half_band(noise)];
    }
    let phase = if below(noise, 4) == 0 { Phase::Minimum } else { Phase::Linear };
    let wish = FirWish {
        shape,
        method,
        taps: Some(count),
        phase,
        unity_gain: false,
        effort: Effort::default(),
    };
    match design_fir(&wish, rate) {
        Ok((_, taps)) => vec![taps.0],
        // Zeros that lie too close together have no minimum-phase form; that is said.
        Err(FirError::MinimumPhase(_)) => taps(noise),
        Err(error) => panic!("{error}"),
    }
}

/// Reflection coefficients of any size up to 0.95, which are stable all-passes, too. Eight next to 1 would
/// ring for millions of samples.
fn reflections(noise: &mut NoiseSource) -> Vec<Vec<f64>> {
    let sections = 1 + below(noise, 4);
    (0..sections).map(|_| (0..2).map(|_| 1.9 * (noise.uniform() - 0.5)).collect()).collect()
}

/// A lattice of these reflection coefficients, whole or in sections, with a random ladder; or all-passes of
/// both orders in two branches.
fn lattice_or_all_passes(
    noise: &mut NoiseSource,
    table: &RoundedTable,
    words: StateWords,
    which: usize,
) -> Result<Datapath, BuildError> {
    let taps = |noise: &mut NoiseSource, count: usize| -> Vec<f64> {
        (0..count).map(|_| 3.0 * (noise.uniform() - 0.5)).collect()
    };
    let format = format!("s{}", noise.integer(8, 32)).parse().unwrap();
    let round = |noise: &mut NoiseSource, rows: usize, count: usize| {
        let rows: Vec<Vec<f64>> = (0..rows).map(|_| taps(noise, count)).collect();
        round_coefficients(&rows, format).unwrap()
    };
    match which {
        0..2 => {
            let row: Vec<i64> = table.rows.iter().flatten().copied().skip(which).collect();
            let ladder = round(noise, 1, row.len() + 1);
            let reflection = RoundedTable::new(table.format, vec![row]);
            lattice_ladder(LatticeTables { reflection: &reflection, ladder: &ladder }, words)
        }
        2..4 => {
            let ladder = round(noise, table.rows.len(), 3);
            lattice_sections(LatticeTables { reflection: table, ladder: &ladder }, words)
        }
        _ => {
            let mut rows = table.rows.clone();
            rows[0].truncate(1 + below(noise, 2));
            let mut second = rows.split_off(below(noise, rows.len() + 1));
            if second.len() == 1 && below(noise, 2) == 0 {
                second[0].truncate(1);
            }
            let signs = [0; 2].map(|_| [Sign::Plus, Sign::Minus][below(noise, 2)]);
            let branches = [rows, second];
            all_pass_sum(&AllPassWords { format: table.format, branches, signs }, words)
        }
    }
}

/// A random datapath with such sections or taps; words and coefficients of 8 to 32 bits, any rounding,
/// saturation or wrap, now and then an accumulator that is too short on purpose.
fn random_datapath(noise: &mut NoiseSource, rows: Rows) -> Datapath {
    loop {
        let rows = rows(noise);
        let sections = rows.len();
        let bits = |noise: &mut NoiseSource| noise.integer(8, 32) as u32;
        let coefficient_bits = bits(noise);
        let format = format!("s{coefficient_bits}").parse().unwrap();
        let own_fractions = matches!(rows[0].len(), 5 | 9) && below(noise, 3) == 0;
        let table = if own_fractions {
            let columns = rows[0].len();
            let groups = [0..columns, 0..3, 3..columns];
            round_groups(
                &rows,
                format,
                if below(noise, 2) == 0 { &groups[..1] } else { &groups[1..] },
                15,
            )
        } else {
            round_coefficients(&rows, format)
        };
        let table = table.unwrap();
        let word = |noise: &mut NoiseSource| {
            let width = bits(noise);
            let fraction = width as i32 - 1 - noise.integer(-1, 3) as i32;
            WordFormat::new(true, width, fraction).unwrap()
        };
        let input = word(noise);
        let output = if sections > 1 || noise.uniform() < 0.5 { input } else { word(noise) };
        let rounding = Rounding::ALL[below(noise, 5)];
        let overflow = [Overflow::Saturate, Overflow::Wrap][below(noise, 2)];
        let words = SectionWords { input, output, rounding, overflow };
        let state = StateWords { sections: words, state: word(noise) };
        let built = match (rows[0].len(), below(noise, 8)) {
            (5, 0) => direct_form_1_shaped(&table, words, 1),
            (5, 1) => direct_form_1_shaped(&table, words, 2),
            (5, 2) => direct_form_2(&table, state),
            (5, 3) => direct_form_2_transposed(&table, words),
            (5, 4) => direct_form_1_transposed(&table, state),
            (5, _) => direct_form_1(&table, words),
            (9, _) => state_space(&table, state),
            (2, which) => lattice_or_all_passes(noise, &table, state, which),
            (_, 0..2) => fir_transposed(&table, input, output, rounding, overflow),
            (_, 2..4) => {
                // Readings of voltages from 0 on.
                let input = WordFormat::new(below(noise, 4) > 0, input.width(), input.fraction());
                fir_folded(&table, input.unwrap(), output, rounding, overflow)
            }
            (_, 4..6) => fir_skip_zeros(&table, input, output, rounding, overflow),
            _ => fir_direct(&table, input, output, rounding, overflow),
        };
        let built = built.map(|datapath| words_of_its_own(noise, datapath, rounding, overflow));
        match built {
            Ok(datapath) if noise.uniform() < 0.2 => {
                let cut = noise.integer(1, 12) as u32;
                let width = (input.width() + coefficient_bits).saturating_sub(cut);
                let short = with_accumulator(datapath.clone(), width);
                // Where sums are remembered, their memory would have to be cut as well.
                let fits = !matches!(short.clone().check(), Err(DatapathError::Format { .. }));
                return if fits { short } else { datapath };
            }
            Ok(datapath) => return datapath,
            // Coefficients and data of nearly 32 bits each leave no room for the error that is fed back:
            // said, and true.
            Err(BuildError::Accumulator { needed, .. }) => {
                assert!(needed > 64 && coefficient_bits + input.width() >= 55, "{needed}");
            }
            // Wide words and few bits of coefficients may leave nothing to drop.
            Err(BuildError::NothingDropped { .. }) => {}
            // Minimum phase, and taps that are not half-band.
            Err(BuildError::NotMirrored { .. } | BuildError::NotHalfBand { .. }) => {}
            Err(BuildError::Shape { structure: "fir-skip-zeros", columns, .. }) => {
                assert!(columns % 4 != 3);
            }
            Err(error) => panic!("{error}"),
        }
    }
}

/// Now and then products that are rounded before they are added, where they are added in dot products, and an
/// output that is not the word of the last section.
fn words_of_its_own(
    noise: &mut NoiseSource,
    datapath: Datapath,
    rounding: Rounding,
    overflow: Overflow,
) -> Datapath {
    let mut found = datapath;
    let table = &found.tables[0];
    let exponent = table.exponents.iter().flatten().copied().max().unwrap_or(0);
    let line = found.lines.iter().map(|line| line.format.width()).max().unwrap_or(0);
    let is_narrow = table.format.width() + exponent + line < 62;
    if is_narrow && below(noise, 3) == 0 {
        let fraction = found.outputs[0].format.fraction() + noise.integer(-1, 12) as i32;
        let format = WordFormat::new(true, 64, fraction).unwrap();
        let way = Rounding::ALL[below(noise, 5)];
        // Where sums are remembered, their memory has the fraction of the exact ones.
        if let Ok(rounded) = found.clone().with_products(format, way)
            && rounded.clone().check().is_ok()
            && rounded != found
        {
            ROUNDED.fetch_add(1, Ordering::Relaxed);
            found = rounded;
        }
    }
    if below(noise, 5) == 0 {
        let width = noise.integer(4, 40) as u32;
        let format = WordFormat::new(true, width, width as i32 - 2).unwrap();
        found = found.delivering(format, rounding, overflow);
    }
    found
}

/// Noise of random size, with both ends of the range and long runs of one of them mixed in.
fn random_input(noise: &mut NoiseSource, format: WordFormat) -> Vec<i64> {
    let (low, high) = (format.minimum() as i64, format.maximum() as i64);
    let mut held = 0;
    (0..SAMPLES)
        .map(|n| {
            if n % 16 == 0 {
                held = below(noise, 5);
            }
            match held {
                0 => high,
                1 => low,
                2 => [low, high][below(noise, 2)],
                3 => noise.integer(low / 16, high / 16),
                _ => noise.integer(low, high),
            }
        })
        .collect()
}

/// Draws a program that passes the check, and says whether all that it computes is used.
trait Draw: Fn(&mut NoiseSource) -> (Datapath, bool) + Copy + Send {}
impl<F: Fn(&mut NoiseSource) -> (Datapath, bool) + Copy + Send> Draw for F {}

/// Filters with coefficients of a kind.
fn filters(rows: Rows) -> impl Draw {
    move |noise: &mut NoiseSource| loop {
        let program = random_datapath(noise, rows);
        // Some thousandths need words of more than 64 bits, and are refused.
        if !matches!(program.clone().check(), Err(DatapathError::TooWide { .. })) {
            return (program, true);
        }
    }
}

/// The same on words and coefficients of at most 16 bits.
fn short_filters(rows: Rows) -> impl Draw {
    move |noise: &mut NoiseSource| loop {
        let (program, is_lean) = filters(rows)(noise);
        let is_short = |format: WordFormat| format.maximum() < 1 << 15;
        let lines = program.lines.iter().map(|line| line.format);
        if program.tables.iter().map(|table| table.format).chain(lines).all(is_short) {
            return (program, is_lean);
        }
    }
}

/// A program that no builder makes.
fn any(noise: &mut NoiseSource) -> (Datapath, bool) {
    loop {
        let program = pruned(any_program(noise, Sizes::LARGE));
        let takes_input = program
            .operations()
            .any(|(_, operation, _)| matches!(operation, Operation::Input { .. }));
        if takes_input && program.clone().check().is_ok() {
            return (program, false);
        }
    }
}

fn random_case(noise: &mut NoiseSource, draw: impl Draw) -> (Checked, Vec<i64>, Vec<i64>, bool) {
    let (program, is_lean) = draw(noise);
    let mut checked = program.check().unwrap();
    let input = random_input(noise, checked.input());
    let output = Simulator::new(&checked).run(&input);
    // Accumulators as narrow as the proof allows change nothing.
    if below(noise, 8) == 0 {
        let wide = checked.cost().accumulator_bits;
        checked = checked.narrowed();
        NARROWED.fetch_add(usize::from(checked.cost().accumulator_bits < wide), Ordering::Relaxed);
    }
    // Nor do sums of shifted words in place of products.
    if below(noise, 6) == 0 {
        let shifts = checked.without_multiplier().unwrap().check().unwrap();
        let cost = checked.cost().shift_adds_per_sample;
        let found = shifts.cost();
        assert_eq!(found.multiplies_per_sample, 0);
        // What is multiplied by zero need not be computed, nor what only other passes use.
        let least = if is_lean { cost } else { 0 };
        let adds = found.adds_per_sample;
        assert!((least..=cost).contains(&adds), "{adds} of {cost}");
        SHIFTED.fetch_add(1, Ordering::Relaxed);
        checked = shifts;
    }
    (checked, input, output, is_lean)
}

/// How the program of a batch filters: a few samples, then blocks of all kinds; of channels each has the same
/// samples, and each sample of the answer is taken from another.
const EXERCISE: &str = "    {
        static INPUT x[SAMPLES], wide[3 * SAMPLES];
        static OUTPUT y[SAMPLES], out[3 * SAMPLES];
        static struct NAME f, streams[3];
        int k, c, length = 1;
        for (k = 0; k < SAMPLES; k++) {
            long long word;
            if (scanf(\"%lld\", &word) != 1) { return 1; }
            x[k] = (INPUT)word;
        }
        NAME_init(&f);
        NAME_block(&f, x, y, 0);
        for (k = 0; k < SAMPLES; k += c) {
            c = length < SAMPLES - k ? length : SAMPLES - k;
            if (c == 1) { y[k] = NAME_step(&f, x[k]); } else { NAME_block(&f, x + k, y + k, (size_t)c); }
            length = length % 97 * 5 % 37 + k % 3 + 1;
        }
#if defined(GUARD_CHANNELS)
        for (c = 0; c < GUARD_CHANNELS; c++) {
            NAME_init(&streams[c]);
            for (k = 0; k < SAMPLES; k++) { wide[k * GUARD_CHANNELS + c] = x[k]; }
        }
        NAME_channels(streams, wide, out, 0);
        NAME_channels(streams, wide, out, 21);
        k = 21 * GUARD_CHANNELS;
        NAME_channels(streams, wide + k, out + k, SAMPLES - 21);
        for (k = 0; k < SAMPLES; k++) { y[k] = out[k * GUARD_CHANNELS + k % GUARD_CHANNELS]; }
#else
        (void)wide; (void)out; (void)streams;
#endif
        for (k = 0; k < SAMPLES; k++) { printf(\"%\" PRId64 \"\\n\", (int64_t)y[k]); }
    }
";

/// All filters of a batch in one translation unit; the program reads, for each in turn, its inputs. For cores
/// with instructions for pairs these are emulated.
fn batch_program(files: &[Vec<GeneratedFile>], is_lean: bool, has_pairs: bool) -> Program {
    let mut main = String::from("#include <stdio.h>\n#include <inttypes.h>\n");
    let mut calls = String::new();
    for set in files {
        let name = set[0].name.strip_suffix(".h").unwrap();
        let _ = writeln!(main, "#include \"{}\"", set[1].name.replace(".c", ".inc"));
        let (before, step) = set[0].text.split_once(&format!(" {name}_step(")).unwrap();
        let input = step.split(", ").nth(1).unwrap().split(' ').next().unwrap();
        let exercise = EXERCISE
            .replace("INPUT", input)
            .replace("OUTPUT", before.split_whitespace().last().unwrap())
            .replace("NAME", name)
            .replace("GUARD", &name.to_uppercase())
            .replace("SAMPLES", &SAMPLES.to_string());
        calls.push_str(&exercise);
    }
    let _ = write!(main, "int main(void)\n{{\n{calls}    return 0;\n}}\n");
    let mut all =
        vec![GeneratedFile { language: Language::C, name: "main.c".to_owned(), text: main }];
    for set in files {
        all.push(set[0].clone());
        let mut source = set[1].clone();
        source.name = source.name.replace(".c", ".inc");
        all.push(source);
    }
    let mut flags = vec![
        "-std=c99",
        "-pedantic",
        "-Wall",
        "-Wextra",
        "-Wconversion",
        "-Wshadow",
        "-Werror",
        "-O1",
    ];
    if !is_lean {
        flags.extend(["-Wno-unused-parameter", "-Wno-unused-but-set-variable"]);
    }
    if has_pairs {
        // And as a compiler has it whose shifts lose the sign.
        flags.extend([
            "-D__ARM_FEATURE_DSP=1",
            "-I.",
            "-DMELLOW_RAKE_SHIFTS_KEEP_THE_SIGN=0",
            "-O0",
        ]);
        let text = include_str!("common/arm_acle.h").to_owned();
        all.push(GeneratedFile { language: Language::C, name: "arm_acle.h".to_owned(), text });
    }
    Program::c_with(ToolName::CC.find().unwrap(), &flags, &all).unwrap()
}

/// For any core, in any way.
pub(crate) fn any_firmware(noise: &mut NoiseSource) -> Firmware {
    let tune = Tune::ALL.get(noise.integer(0, 2 * Tune::ALL.len() as i64 - 1) as usize);
    Firmware {
        tune: tune.map_or(Tune::CortexM4, |(tune, ..)| *tune),
        goal: CodeGoal::ALL[noise.integer(0, 2) as usize].1,
        channels: noise.integer(-2, 3).max(1) as usize,
    }
}

/// A filter in blocks of all lengths, one sample and none among them, some of them in place.
const EXERCISE_IN_RUST: &str = "
    fn run_MODULE(words: &[i64]) {
        let x: Vec<_> = words.iter().map(|word| *word as _).collect();
        let mut y = vec![0; SAMPLES];
        let mut f = FILTER::default();
        f.block(&x[..0], &mut y[..]);
        let (mut k, mut length) = (0, 1);
        while k < SAMPLES {
            let c = length.min(SAMPLES - k);
            let part = &mut y[k..k + c];
            match (c, k % 2) {
                (1, _) => part[0] = f.step(x[k]),
                (_, 0) => f.block(&x[k..k + c], part),
                _ => { IN_PLACE }
            }
            length = length % 97 * 5 % 37 + k % 3 + 1;
            k += c;
        }
        STREAMS
        for word in y { println!(\"{word}\"); }
    }
";

/// The same samples in each of several streams, and of each the outputs that fall to it.
const IN_RUST_STREAMS: &str = "
        let wide: Vec<_> = x.iter().flat_map(|word| [*word; CHANNELS]).collect();
        let mut out = vec![0; wide.len()];
        let mut streams: [FILTER; CHANNELS] = std::array::from_fn(|_| FILTER::new());
        let k = 21 * CHANNELS;
        // What is no whole sample of all streams is left.
        FILTER::channels(&mut streams, &wide[..k + CHANNELS - 1], &mut out);
        FILTER::channels(&mut streams, &wide[k..], &mut out[k..]);
        for (k, word) in y.iter_mut().enumerate() { *word = out[k * CHANNELS + k % CHANNELS]; }
";

/// The same in Rust, overflow checks on.
fn batch_in_rust(files: &[GeneratedFile], is_lean: bool) -> Program {
    let (mut modules, mut functions, mut calls) = (String::new(), String::new(), String::new());
    for file in files {
        let module = file.name.strip_suffix(".rs").unwrap();
        let name = file.text.split("pub struct ").nth(1).unwrap().split(' ').next().unwrap();
        let _ = writeln!(modules, "mod {module};");
        let _ = writeln!(calls, "    run_{module}(parts.next().unwrap());");
        let part = |head: &str| file.text.contains(head);
        let in_place = match part("fn block_in_place(") {
            true => "part.copy_from_slice(&x[k..k + c]); f.block_in_place(part)",
            false => "f.block(&x[k..k + c], part)",
        };
        let streams = match file.text.split("filters: &mut [Self; ").nth(1) {
            Some(rest) => IN_RUST_STREAMS.replace("CHANNELS", rest.split(']').next().unwrap()),
            None => String::new(),
        };
        let exercise = EXERCISE_IN_RUST.replace("IN_PLACE", in_place).replace("STREAMS", &streams);
        let exercise = exercise.replace("FILTER", &format!("{module}::{name}"));
        let exercise = exercise.replace("MODULE", module);
        functions.push_str(&exercise.replace("SAMPLES", &SAMPLES.to_string()));
    }
    let text = format!(
        "{modules}\n{functions}\nfn main() {{\n    \
         let words: Vec<i64> = std::io::stdin().lines().map(|line| line.unwrap().parse().unwrap())\
         .collect();\n    let mut parts = words.chunks({SAMPLES});\n{calls}}}\n"
    );
    let mut all =
        vec![GeneratedFile { language: Language::Rust, name: "main.rs".to_owned(), text }];
    all.extend(files.iter().cloned());
    // Of a program that nobody wrote not all is used.
    let mut flags = vec!["--edition", "2021", "-D", "warnings"];
    flags.extend(["-C", "opt-level=1", "-C", "overflow-checks=on"]);
    if !is_lean {
        flags.extend(["-A", "unused"]);
    }
    Program::rust_with(&flags, "main.rs", &all).unwrap()
}

/// Whether a filter of a batch is compiled as Rust as well: of each six one.
fn is_in_rust(seed: u64, index: usize) -> bool {
    (index as u64 + seed).is_multiple_of(6)
}

fn check_batch(seed: u64, draw: impl Draw) -> usize {
    let mut noise = NoiseSource::new(seed);
    let (mut files, mut in_rust, mut cases, mut inputs) = (vec![], vec![], vec![], vec![]);
    let mut all_lean = true;
    for index in 0..BATCH {
        let (checked, input, output, is_lean) = random_case(&mut noise, draw);
        all_lean &= is_lean;
        let symbols = mellow_rake::write::Symbols::new(
            &mellow_rake::spec::Name::new(&format!("r{index}")).unwrap(),
        );
        let firmware = any_firmware(&mut noise);
        files.push(c::write_for(&checked, &symbols, firmware, None).unwrap());
        in_rust.push(rust::write_for(&checked, &symbols, firmware).unwrap().swap_remove(0));
        inputs.extend(input.iter().copied());
        cases.push((checked, output));
    }
    let found = batch_program(&files, all_lean, false).run_with(&inputs, &[]).unwrap();
    // Those that are written in a second form as well.
    let is_paired = |index: &usize| files[*index][1].text.contains("__smla");
    let paired: Vec<usize> = (0..BATCH).filter(is_paired).collect();
    let of = |places: &[usize], words: &[i64]| -> Vec<i64> {
        let one = |index: &usize| words[index * SAMPLES..(index + 1) * SAMPLES].to_vec();
        places.iter().flat_map(one).collect()
    };
    let sets: Vec<_> = paired.iter().map(|index| files[*index].clone()).collect();
    let in_pairs =
        batch_program(&sets, all_lean, true).run_with(&of(&paired, &inputs), &[]).unwrap();
    assert_eq!(in_pairs, of(&paired, &found), "seed {seed}: with pairs of words");
    let text = |needle: &str| files.iter().filter(|set| set[1].text.contains(needle)).count();
    PAIRED.fetch_add(text("__smlad("), Ordering::Relaxed);
    PAIRED_LONG.fetch_add(text("__smlald("), Ordering::Relaxed);
    SEVERAL.fetch_add(text("_several("), Ordering::Relaxed);
    // The words of C are held against the simulator's below.
    let places: Vec<usize> = (0..BATCH).filter(|index| is_in_rust(seed, *index)).collect();
    let modules: Vec<_> = places.iter().map(|index| in_rust[*index].clone()).collect();
    let own = batch_in_rust(&modules, all_lean).run(&of(&places, &inputs), 0).unwrap();
    assert_eq!(own, of(&places, &found), "seed {seed}");
    IN_RUST.fetch_add(places.len(), Ordering::Relaxed);
    let mut limited = 0;
    for (index, ((checked, expected), found)) in cases.iter().zip(found.chunks(SAMPLES)).enumerate()
    {
        let comparison = compare(expected, found);
        assert_eq!(
            comparison.first,
            None,
            "seed {seed}, filter {index}:\n{}",
            mellow_rake::datapath::dump(checked)
        );
        // The fast path, whole and sample by sample, against the program run operation by operation.
        let own = &inputs[index * SAMPLES..(index + 1) * SAMPLES];
        let mut reference = Simulator::reference(checked);
        assert_eq!(&reference.run(own), expected, "seed {seed}, filter {index}");
        let mut simulator = Simulator::new(checked);
        let (half, rest) = own.split_at(SAMPLES / 2);
        let mut again = simulator.run(half);
        again.extend(rest.iter().map(|x| simulator.step(*x)));
        assert_eq!(&again, expected, "seed {seed}, filter {index}");
        assert_eq!(simulator.limited_samples(), reference.limited_samples());
        FAST.fetch_add(usize::from(simulator.is_fast()), Ordering::Relaxed);
        limited += usize::from(simulator.limited_samples() > 0);
    }
    assert_eq!(found.len(), inputs.len());
    limited
}

/// How many filters were given a narrower accumulator.
static NARROWED: AtomicUsize = AtomicUsize::new(0);

/// How many filters multiply pairs, for sums of 32 bits and of 64, and how many make several outputs at once.
static PAIRED: AtomicUsize = AtomicUsize::new(0);
static PAIRED_LONG: AtomicUsize = AtomicUsize::new(0);
static SEVERAL: AtomicUsize = AtomicUsize::new(0);

/// How many filters have no products.
static SHIFTED: AtomicUsize = AtomicUsize::new(0);

/// How many filters round their products.
static ROUNDED: AtomicUsize = AtomicUsize::new(0);

/// How many filters were compiled as Rust.
static IN_RUST: AtomicUsize = AtomicUsize::new(0);

/// How many filters ran in machine words.
static FAST: AtomicUsize = AtomicUsize::new(0);

/// Checks so many filters, or many times as many, in batches, on both cores; in how many of so many did a
/// limit act?
fn check_many(count: usize, draw: impl Draw) -> usize {
    let times = campaign();
    let seeds: Vec<u64> = (0..(times * count / BATCH) as u64).collect();
    let limited: usize = std::thread::scope(|scope| {
        let halves: Vec<_> = seeds
            .chunks(seeds.len().div_ceil(2))
            .map(|seeds| {
                scope
                    .spawn(move || seeds.iter().map(|&seed| check_batch(seed, draw)).sum::<usize>())
            })
            .collect();
        halves.into_iter().map(|half| half.join().unwrap()).sum()
    });
    assert!(IN_RUST.load(Ordering::Relaxed) > 0);
    limited / times
}

#[test]
fn simulator_and_c_agree_on_random_notches() {
    let limited = check_many(NOTCHES, filters(notches));
    // The words of most fit machine words.
    assert!(FAST.load(Ordering::Relaxed) > NOTCHES / 2, "{FAST:?}");
    assert!(NARROWED.load(Ordering::Relaxed) > 0, "{NARROWED:?}");
    // The inputs are violent enough that saturation and wrap are really exercised.
    assert!(limited > NOTCHES / 4, "limits acted in {limited} of {NOTCHES}");
}

#[test]
fn simulator_and_c_agree_on_random_recursive_filters() {
    let limited = check_many(RECURSIVE, filters(recursive));
    assert!(limited > RECURSIVE / 8, "limits acted in {limited} of {RECURSIVE}");
    assert!(SHIFTED.load(Ordering::Relaxed) > RECURSIVE / 10, "{SHIFTED:?}");
}

#[test]
fn simulator_and_c_agree_on_random_state_space_sections() {
    let limited = check_many(RECURSIVE, filters(states));
    assert!(limited > RECURSIVE / 4, "limits acted in {limited} of {RECURSIVE}");
}

#[test]
fn simulator_and_c_agree_on_random_taps() {
    let limited = check_many(TAPS, filters(taps));
    assert!(limited > TAPS / 8, "limits acted in {limited} of {TAPS}");
    assert!(ROUNDED.load(Ordering::Relaxed) > TAPS / 50, "{ROUNDED:?}");
}

#[test]
fn simulator_and_c_agree_on_random_filters_of_short_words() {
    check_many(BATCH, short_filters(taps));
    check_many(BATCH, short_filters(recursive));
    let written = [&PAIRED, &PAIRED_LONG, &SEVERAL].map(|count| count.load(Ordering::Relaxed));
    println!("{written:?}");
    let [short_sums, long_sums, several] = written;
    assert!(short_sums > BATCH / 4 && long_sums > 1 && several > BATCH / 4, "{written:?}");
}

#[test]
fn simulator_and_c_agree_on_random_lattices_and_all_passes() {
    let limited = check_many(TAPS / 2, filters(reflections));
    assert!(limited > TAPS / 8, "limits acted in {limited} of {TAPS}");
}

#[test]
fn simulator_and_c_agree_on_random_programs() {
    let limited = check_many(PROGRAMS, any);
    assert!(limited > PROGRAMS / 4, "limits acted in {limited} of {PROGRAMS}");
}

#[test]
fn simulator_verilog_and_vhdl_agree_on_random_filters() {
    let mut noise = NoiseSource::new(77);
    for index in 0..60 * campaign() {
        let kinds: [Rows; 5] = [notches, recursive, taps, states, reflections];
        let (checked, input, output, _) = match kinds.get(index % 6) {
            Some(rows) => random_case(&mut noise, filters(*rows)),
            None => random_case(&mut noise, any),
        };
        let files = all_files(&checked, "r");
        // Verilator takes some seconds to build each: that is for a campaign. Programs that no builder makes
        // hold things that they do not use, of which it complains.
        let is_built = campaign() > 1 && index < 240 && index % 6 < kinds.len();
        for target in [Target::Icarus, Target::Ghdl, Target::Verilator] {
            if target == Target::Verilator && !is_built {
                continue;
            }
            let program = mellow_rake::datapath::dump(&checked);
            let device = Device::build(target, &files, checked.input(), checked.output())
                .unwrap_or_else(|error| panic!("{index}: {error}\n{program}"));
            let answer = device.run(&input, &output).unwrap().remove(0);
            let comparison = compare(&output, &answer.words);
            assert_eq!(
                (comparison.first, answer.own_mismatches),
                (None, Some(0)),
                "{index} on {target:?}:\n{program}"
            );
        }
    }
}
