//! Ten thousand random notches in random formats on random inputs: the simulator against compiled C; a
//! share of them against simulated Verilog.

mod common;

use common::{all_files, with_accumulator};
use mellow_rake::datapath::{
    BuildError, Checked, Datapath, SectionWords, Simulator, direct_form_1,
};
use mellow_rake::fixed::{Overflow, Rounding, WordFormat, round_coefficients};
use mellow_rake::signal::NoiseSource;
use mellow_rake::verify::compare;
use mellow_rake::write::GeneratedFile;
use mellow_rake_rig::{CProgram, Device, Target, ToolName};
use std::fmt::Write;

const NOTCHES: usize = 10_000;
const BATCH: usize = 250;
const SAMPLES: usize = 96;

fn below(noise: &mut NoiseSource, count: usize) -> usize {
    noise.integer(0, count as i64 - 1) as usize
}

/// A random datapath: one to three notches, words and coefficients of 8 to 32 bits, any rounding, saturation or
/// wrap, now and then an accumulator that is too short on purpose.
fn random_datapath(noise: &mut NoiseSource) -> Datapath {
    loop {
        let sections = 1 + below(noise, 5) / 2;
        let rows: Vec<Vec<f64>> = (0..sections)
            .map(|_| {
                let center = 0.001 + 0.498 * noise.uniform();
                let width = (0.001 + 0.3 * noise.uniform()) * center.min(0.5 - center);
                common::notch_row(center, width)
            })
            .collect();
        let bits = |noise: &mut NoiseSource| noise.integer(8, 32) as u32;
        let coefficient_bits = bits(noise);
        let table =
            round_coefficients(&rows, format!("s{coefficient_bits}").parse().unwrap()).unwrap();
        let word = |noise: &mut NoiseSource| {
            let width = bits(noise);
            let fraction = width as i32 - 1 - noise.integer(-1, 3) as i32;
            WordFormat::new(true, width, fraction).unwrap()
        };
        let input = word(noise);
        let output = if sections > 1 || noise.uniform() < 0.5 { input } else { word(noise) };
        let rounding = Rounding::ALL[below(noise, 5)];
        let overflow = [Overflow::Saturate, Overflow::Wrap][below(noise, 2)];
        match direct_form_1(&table, SectionWords { input, output, rounding, overflow }) {
            Ok(datapath) if noise.uniform() < 0.2 => {
                let cut = noise.integer(1, 12) as u32;
                return with_accumulator(
                    datapath,
                    (input.width() + coefficient_bits).saturating_sub(cut),
                );
            }
            Ok(datapath) => return datapath,
            // Coefficients and data of nearly 32 bits each leave no room for the sum: said, and true.
            Err(BuildError::Accumulator { needed, .. }) => {
                assert!(needed > 64 && coefficient_bits + input.width().max(output.width()) >= 60);
            }
            Err(error) => panic!("{error}"),
        }
    }
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

fn random_case(noise: &mut NoiseSource) -> (Checked, Vec<i64>, Vec<i64>) {
    let checked = random_datapath(noise).check().unwrap();
    let input = random_input(noise, checked.datapath().input);
    let output = Simulator::new(&checked).run(&input);
    (checked, input, output)
}

/// All filters of a batch in one translation unit; the program reads, for each in turn, its inputs.
fn batch_program(files: &[Vec<GeneratedFile>]) -> CProgram {
    let mut main = String::from("#include <stdio.h>\n#include <inttypes.h>\n");
    let mut calls = String::new();
    for set in files {
        let name = set[0].name.strip_suffix(".h").unwrap();
        let _ = writeln!(main, "#include \"{}\"", set[1].name.replace(".c", ".inc"));
        let _ = writeln!(
            calls,
            "    {{ static struct {name} f; int k; {name}_init(&f); for (k = 0; k < {SAMPLES}; k++) {{ long long x; \
             if (scanf(\"%lld\", &x) != 1) {{ return 1; }} \
             printf(\"%\" PRId64 \"\\n\", (int64_t){name}_step(&f, (INPUT_{name})x)); }} }}"
        );
        let step = set[0].text.split("_step(").nth(1).unwrap();
        let input = step.split(", ").nth(1).unwrap().split(' ').next().unwrap();
        let _ = writeln!(main, "#define INPUT_{name} {input}");
    }
    let _ = write!(main, "int main(void)\n{{\n{calls}    return 0;\n}}\n");
    let mut all = vec![GeneratedFile { name: "main.c".to_owned(), text: main }];
    for set in files {
        all.push(set[0].clone());
        let mut source = set[1].clone();
        source.name = source.name.replace(".c", ".inc");
        all.push(source);
    }
    let flags =
        ["-std=c99", "-pedantic", "-Wall", "-Wextra", "-Wconversion", "-Wshadow", "-Werror", "-O1"];
    CProgram::build_with(ToolName::CC.find().unwrap(), &flags, &all).unwrap()
}

fn check_batch(seed: u64) -> usize {
    let mut noise = NoiseSource::new(seed);
    let (mut files, mut cases, mut inputs) = (Vec::new(), Vec::new(), Vec::new());
    for index in 0..BATCH {
        let (checked, input, output) = random_case(&mut noise);
        let symbols = mellow_rake::write::Symbols::new(
            &mellow_rake::spec::Name::new(&format!("r{index}")).unwrap(),
        );
        files.push(mellow_rake::write::c::write(&checked, &symbols).unwrap());
        inputs.extend(input.iter().copied());
        cases.push((checked, output));
    }
    let found = batch_program(&files).run_with(&inputs, &[]).unwrap();
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
        let mut simulator = Simulator::new(checked);
        simulator.run(&inputs[index * SAMPLES..(index + 1) * SAMPLES]);
        limited += usize::from(simulator.limited_samples() > 0);
    }
    assert_eq!(found.len(), inputs.len());
    limited
}

#[test]
fn simulator_and_c_agree_on_ten_thousand_random_notches() {
    let seeds: Vec<u64> = (0..(NOTCHES / BATCH) as u64).collect();
    let limited: usize = std::thread::scope(|scope| {
        let halves: Vec<_> = seeds
            .chunks(seeds.len().div_ceil(2))
            .map(|seeds| scope.spawn(move || seeds.iter().map(|&s| check_batch(s)).sum::<usize>()))
            .collect();
        halves.into_iter().map(|half| half.join().unwrap()).sum()
    });
    // The inputs are violent enough that saturation and wrap are really exercised.
    assert!(limited > NOTCHES / 4, "limits acted in {limited} of {NOTCHES}");
}

#[test]
fn simulator_and_verilog_agree_on_random_notches() {
    let mut noise = NoiseSource::new(77);
    for index in 0..40 {
        let (checked, input, output) = random_case(&mut noise);
        let files = all_files(&checked, "r");
        let datapath = checked.datapath();
        let device =
            Device::build(Target::Icarus, &files, datapath.input, datapath.output).unwrap();
        let answer = device.run(&input, &output).unwrap().remove(0);
        let comparison = compare(&output, &answer.words);
        let program = mellow_rake::datapath::dump(&checked);
        assert_eq!(
            (comparison.first, answer.own_mismatches),
            (None, Some(0)),
            "{index}:\n{program}"
        );
    }
}
