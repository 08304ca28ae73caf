//! Filters in floating point in C and Rust: equal to the simulator in every bit, whatever the compiler makes
//! of the text.

use mellow_rake::float::{FloatFilter, FloatFormat, FloatSimulator};
use mellow_rake::random::NoiseSource;
use mellow_rake::spec::Name;
use mellow_rake::write::{GeneratedFile, Symbols, c, rust};
use mellow_rake_rig::{C_FLAGS, Program, RigError, ToolName};

use crate::floats::{any_float, any_numbers};

fn campaign() -> usize {
    std::env::var("MELLOW_RAKE_CAMPAIGN").map_or(1, |times| times.parse().unwrap())
}

fn files(filter: &FloatFilter) -> [Vec<GeneratedFile>; 2] {
    let symbols = Symbols::new(&Name::new("strain").unwrap());
    [c::write_float(filter, &symbols), rust::write_float(filter, &symbols)]
}

/// What goes in, and what the simulator gives: both as bits.
fn case(noise: &mut NoiseSource, filter: &FloatFilter) -> [Vec<i64>; 2] {
    let format = filter.format();
    let mut input = any_numbers(noise, format, 400, 1.0);
    // Silence, in which a feedback goes down to subnormal numbers; then overflow, and what is no number.
    input.extend(vec![0.0; 400]);
    input.extend(any_numbers(noise, format, 50, format.largest() / 2.0));
    input.extend([f64::INFINITY, 1.0, f64::NAN, 0.0]);
    let output = FloatSimulator::new(filter).run(&input);
    [input, output].map(|numbers| numbers.iter().map(|number| format.bits(*number)).collect())
}

/// With every optimization, and with instructions that would fuse a product and a sum where that is allowed.
#[test]
fn c_and_rust_are_the_simulator_in_every_bit() {
    let mut noise = NoiseSource::new(311);
    let gnu = ["-std=gnu11", "-O3", "-mfma", "-Wall", "-Wextra", "-Werror"];
    for index in 0..10 * campaign() {
        let (_, filter) = any_float(&mut noise);
        let [in_c, in_rust] = files(&filter);
        let [input, output] = case(&mut noise, &filter);
        let mut programs = Vec::new();
        for compiler in [ToolName::CC, ToolName::CLANG] {
            for level in ["-O0", "-O2", "-O3"] {
                let flags: Vec<&str> = C_FLAGS.into_iter().chain([level]).collect();
                programs.push(Program::c_with(compiler.find().unwrap(), &flags, &in_c).unwrap());
            }
            programs.push(Program::c_with(compiler.find().unwrap(), &gnu, &in_c).unwrap());
        }
        for level in ["opt-level=0", "opt-level=3"] {
            let fused = ["-D", "warnings", "-C", level, "-C", "target-feature=+fma"];
            programs.push(Program::rust_with(&fused, "strain_pipe.rs", &in_rust).unwrap());
        }
        for (number, program) in programs.iter().enumerate() {
            for block in [0, 33] {
                let found = program.run(&input, block).unwrap();
                let first = found.iter().zip(&output).position(|(one, other)| one != other);
                assert_eq!(first, None, "filter {index}, program {number}, {filter:?}");
                assert_eq!(found.len(), output.len());
            }
        }
    }
}

/// Where the rules of arithmetic are loosened the text is not compiled.
#[test]
fn c_is_not_compiled_by_the_rules_of_fast_arithmetic() {
    let mut noise = NoiseSource::new(312);
    let (_, filter) = any_float(&mut noise);
    let [in_c, _] = files(&filter);
    for compiler in [ToolName::CC, ToolName::CLANG] {
        let error = Program::c_with(compiler.find().unwrap(), &["-ffast-math"], &in_c).unwrap_err();
        let RigError::Failed { messages, .. } = error else { panic!("{error}") };
        assert!(messages.contains("each operation is rounded as IEEE 754 says"), "{messages}");
    }
}

/// One coefficient, one sign, one place changed in the text: each is seen.
#[test]
fn a_change_in_the_text_is_seen() {
    let form = mellow_rake::Wish::lowpass("1 kHz").cutoff("40 Hz").butterworth(4).filter().unwrap();
    let structure = mellow_rake::float::FloatStructure::DirectForm2Transposed;
    let filter = FloatFilter::new(&form, FloatFormat::Single, structure).unwrap();
    let [in_c, in_rust] = files(&filter);
    let [input, output] = case(&mut NoiseSource::new(313), &filter);
    let changes = [
        ("c[1] * word - ", "c[1] * word + "),
        ("+ s[1]", "- s[1]"),
        ("s[1] = c[2]", "s[1] = c[1]"),
        ("c[4] * y", "c[3] * y"),
        ("word = y", "word = word"),
        ("c[1] * word - c[3] * y + s[1]", "c[1] * word - (c[3] * y - s[1])"),
    ];
    for (from, to) in changes {
        for files in [&in_c, &in_rust] {
            let mut files = files.clone();
            let text = files.iter_mut().find(|file| file.text.contains(from)).unwrap();
            text.text = text.text.replacen(from, to, 1);
            let program = match files[0].name.ends_with(".rs") {
                true => Program::rust_with(&[], "strain_pipe.rs", &files),
                false => Program::c(ToolName::CC, &files),
            };
            // A warning is as good.
            let Ok(program) = program else { continue };
            assert_ne!(program.run(&input, 0).unwrap(), output, "{from} as {to}");
        }
    }
}
