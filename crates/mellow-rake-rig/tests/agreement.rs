//! Every reading of a datapath against every other, in real compilers and simulators.

use crate::common;
use crate::common::{Case, all_files, cases, mutated};
use mellow_rake::datapath::Simulator;
use mellow_rake::design::design;
use mellow_rake::implementation::implement;
use mellow_rake::random::NoiseSource;
use mellow_rake::spec::{Firmware, Fixed, Spec, Structure, kinds, template};
use mellow_rake::verify::{Mismatch, compare, judge, stimuli};
use mellow_rake::write::{GeneratedFile, Language, Symbols, c};
use mellow_rake_rig::{C_FLAGS, Core, Device, Program, Target, ToolName, run};
use std::time::Duration;

/// Notches, a cascade in a loop, a dot product over a delay line, and words that wrap: each through C and
/// Verilog and VHDL on every stimulus, from the first sample to the last; GHDL on the beginning.
#[test]
fn simulator_c_and_verilog_agree_in_every_integer() {
    for (index, Case { name, checked, files }) in cases().into_iter().enumerate() {
        let bounds = checked.facts().bounds().as_ref().unwrap();
        // Verilator takes its time to build, and emulators to run: each case is on one core, in turn.
        let turn = Core::ALL[index % Core::ALL.len()];
        let is_tried = |target: &Target| match target {
            Target::Verilator => index.is_multiple_of(8),
            Target::Ghdl => index.is_multiple_of(2),
            Target::Core(core) => *core == turn,
            _ => true,
        };
        for target in Target::ALL.into_iter().filter(is_tried) {
            let device = Device::build(target, &files, checked.input(), checked.output())
                .unwrap_or_else(|error| panic!("{name} on {target:?}: {error}"));
            for mut stimulus in stimuli(&checked, Some(bounds.gain()), None) {
                if target == Target::Ghdl {
                    // It adds bit by bit.
                    stimulus.samples.truncate(200);
                }
                let expected = Simulator::new(&checked).run(&stimulus.samples);
                for answer in device.run(&stimulus.samples, &expected).unwrap() {
                    let comparison = compare(&expected, &answer.words);
                    assert_eq!(
                        comparison.first, None,
                        "{name} on {target:?}, {}, {}",
                        stimulus.name, answer.manner
                    );
                    assert_eq!(answer.own_mismatches.unwrap_or(0), 0);
                }
            }
        }
    }
}

/// A spec designed, quantized, written, compiled and simulated: on noise of the whole range every integer is
/// the simulator's, and without limits acting the filter stays within its proved distance of the one that was
/// designed.
fn assert_spec_runs(name: &str, text: &str, samples: usize, targets: &[Target]) {
    let spec = Spec::parse(text).unwrap_or_else(|error| panic!("{name}: {error}"));
    let design = design(&spec).unwrap_or_else(|error| panic!("{name}: {error}"));
    let filter = implement(&design.form, spec.fixed.unwrap())
        .unwrap_or_else(|error| panic!("{name}: {error}"));
    let files = common::all_files(&filter.checked, spec.name.as_str());
    let (input, output) = (filter.fixed.input, filter.fixed.output);
    let mut noise = NoiseSource::new(0x6b69_6e64);
    let range = [input.minimum() as i64, input.maximum() as i64];
    let loud: Vec<i64> = (0..samples).map(|_| noise.integer(range[0], range[1])).collect();
    let quiet: Vec<i64> = loud.iter().map(|x| x / 8).collect();
    for stimulus in [&loud, &quiet] {
        let (expected, error) = judge(&filter, &design.form, stimulus);
        assert!(error.within_bound(), "{name}: {error:?}");
        for target in targets {
            let device = Device::build(*target, &files, input, output)
                .unwrap_or_else(|error| panic!("{name} on {target:?}: {error}"));
            for answer in device.run(stimulus, &expected).unwrap() {
                let first = compare(&expected, &answer.words).first;
                assert_eq!(first, None, "{name} on {target:?}, {}", answer.manner);
            }
        }
    }
}

/// The spec to start from of every kind, and the three of the buoy.
#[test]
fn every_kind_of_filter_runs_as_it_was_designed() {
    for kind in kinds() {
        assert_spec_runs(kind, template(kind).unwrap(), 300, &[Target::HostC, Target::Icarus]);
    }
    for (name, text) in [
        ("mooring", include_str!("../../../demo/mooring/pump_hum.toml")),
        ("breath", include_str!("../../../demo/breath/breath.toml")),
        ("modem", include_str!("../../../demo/modem/carrier_band.toml")),
    ] {
        assert_spec_runs(name, text, 1000, &[Target::HostC, Target::Clang, Target::Icarus]);
    }
}

/// 2,001 taps beyond 100 dB.
#[test]
fn two_thousand_taps_run_as_they_were_designed() {
    let text = template("multiband").unwrap();
    let bands = &text[text.find("[[want.bands]]").unwrap()..text.find("[method]").unwrap()];
    let two = "[[want.bands]]\nedges = [\"0 Hz\", \"100 Hz\"]\nlevel = \"1 x\"\n\
               [[want.bands]]\nedges = [\"104 Hz\", \"500 Hz\"]\nlevel = \"0 x\"\n";
    let text = text.replace(bands, two).replace("taps = 101", "taps = 2001");
    let text = text.replace("coefficients = \"s16\"", "coefficients = \"s28\"");
    assert_spec_runs("long", &text, 2500, &[Target::HostC]);
}

/// The same text without a word of complaint from two C compilers, as C++, and from a Verilog lint.
#[test]
fn generated_text_is_clean() {
    let limit = Duration::from_secs(120);
    for Case { name, files, .. } in cases() {
        for compiler in [ToolName::GCC, ToolName::CLANG] {
            Program::c(compiler, &files).unwrap_or_else(|error| panic!("{name}: {error}"));
        }
        let gxx = ToolName::GXX.find().unwrap();
        let mut flags = vec!["-x", "c++", "-std=c++11"];
        flags.extend(&C_FLAGS[1..]);
        Program::c_with(gxx, &flags, &files).unwrap_or_else(|error| panic!("{name}: {error}"));

        let folder = tempfile::tempdir().unwrap();
        let module =
            files.iter().find(|f| f.name.ends_with(".v") && !f.name.ends_with("_tb.v")).unwrap();
        std::fs::write(folder.path().join(&module.name), &module.text).unwrap();
        let verilator = ToolName::VERILATOR.find().unwrap();
        let mut lint = verilator.command(folder.path());
        lint.args(["--lint-only", "-Wall", "--language", "1364-2005", &module.name]);
        let finished = run(&mut lint, b"", limit).unwrap_or_else(|error| panic!("{name}: {error}"));
        assert_eq!(finished.messages.trim(), "", "{name}");
    }
}

/// Every structure in signed and unsigned words, with products as wide as their factors and as a single bit:
/// no word from the lint.
#[test]
fn verilog_of_every_structure_is_clean() {
    let verilator = ToolName::VERILATOR.find().unwrap();
    let mut linted = 0;
    for (structure, want) in Structure::ALL.into_iter().flat_map(|structure| {
        ["lowpass", "notch", "half-band"].map(|kind| (structure, template(kind).unwrap()))
    }) {
        for input in ["s16f15", "u12f12"] {
            let spec = Spec::parse(want).unwrap();
            let mut words = Fixed::new(structure, input.parse().unwrap());
            words.output = "s18f15".parse().unwrap();
            let Ok(filter) = implement(&design(&spec).unwrap().form, words) else { continue };
            let folder = tempfile::tempdir().unwrap();
            let files = all_files(&filter.checked, "a");
            let module = files.iter().find(|file| file.name == "a.v").unwrap();
            std::fs::write(folder.path().join("a.v"), &module.text).unwrap();
            let mut lint = verilator.command(folder.path());
            lint.args(["--lint-only", "-Wall", "--language", "1364-2005", "a.v"]);
            let finished = run(&mut lint, b"", Duration::from_secs(120));
            let finished =
                finished.unwrap_or_else(|error| panic!("{structure:?} {input}: {error}"));
            assert_eq!(finished.messages.trim(), "", "{structure:?} {input}");
            linted += 1;
        }
    }
    println!("{linted} linted");
    assert!(linted > 25, "{linted}");
}

/// A product is one multiplier of a gate array whose multipliers take words of 18 bits: as many as the
/// program has products, less those of zeros and of powers of two.
#[test]
fn one_product_is_one_multiplier() {
    for (text, products) in [
        (include_str!("../../../demo/mooring/pump_hum.toml"), 5..=5),
        // 97 taps, folded.
        (include_str!("../../../demo/modem/carrier_band.toml"), 45..=49),
    ] {
        let spec = Spec::parse(text).unwrap();
        let filter = implement(&design(&spec).unwrap().form, spec.fixed.unwrap()).unwrap();
        let name = spec.name.as_str();
        let files = all_files(&filter.checked, name);
        let folder = tempfile::tempdir().unwrap();
        for file in files.iter().filter(|file| file.name.ends_with(".v")) {
            std::fs::write(folder.path().join(&file.name), &file.text).unwrap();
        }
        let mut synthesize = ToolName::YOSYS.find().unwrap().command(folder.path());
        let script = format!(
            "read_verilog {name}.v; synth_ecp5 -top {name} -run begin:map_ram; tee -o cells.txt stat"
        );
        synthesize.args(["-q", "-p", &script]);
        run(&mut synthesize, b"", Duration::from_secs(240)).unwrap();
        let cells = std::fs::read_to_string(folder.path().join("cells.txt")).unwrap();
        let count = |cell: &str| -> usize {
            let line = cells.lines().find(|line| line.trim().starts_with(cell));
            line.map_or(0, |line| line.split_whitespace().nth(1).unwrap().parse().unwrap())
        };
        assert!(products.contains(&count("MULT18X18D")), "{name}: {cells}");
        // None was too wide to become one.
        assert_eq!(count("$mul"), 0, "{name}: {cells}");
    }
}

/// No undefined behaviour, as far as the sanitizer can see it, on the most violent stimuli.
#[test]
fn generated_c_does_nothing_undefined() {
    for Case { name, checked, files } in cases() {
        let flags = ["-std=c99", "-O1", "-fsanitize=undefined", "-fno-sanitize-recover=all"];
        let program = Program::c_with(ToolName::GCC.find().unwrap(), &flags, &files).unwrap();
        let bounds = checked.facts().bounds().as_ref().unwrap();
        for stimulus in stimuli(&checked, Some(bounds.gain()), None) {
            let found = program.run(&stimulus.samples, 7).unwrap_or_else(|e| panic!("{name}: {e}"));
            let expected = Simulator::new(&checked).run(&stimulus.samples);
            assert_eq!(compare(&expected, &found).first, None, "{name}, {}", stimulus.name);
        }
    }
}

/// One coefficient, one rounding, one shift changed in the text: each must be seen, and both integers named.
#[test]
fn a_change_in_the_generated_text_is_caught() {
    let Case { checked, files, .. } = cases().swap_remove(0);
    let bounds = checked.facts().bounds().as_ref().unwrap();
    let stimulus = &stimuli(&checked, Some(bounds.gain()), None)[0].samples;
    let expected = Simulator::new(&checked).run(stimulus);
    let changes = [
        (Target::HostC, ".c", "16131, -27507, 16131", "16131, -27508, 16131"),
        (Target::HostC, ".c", "int64_t n2 = 8192;", "int64_t n2 = 0;"),
        (Target::HostC, ".c", "(n2, 14)", "(n2, 13)"),
        (Target::HostC, ".c", "filter->y[1] = filter->y[0];", ""),
        (Target::Rust, ".rs", "let mut n2: i64 = 8192;", "let mut n2: i64 = 0;"),
        (Target::Rust, ".rs", "(n2 >> 14) as i32", "(n2 >> 13) as i32"),
        (Target::Rust, ".rs", "self.y[1] = self.y[0];", ""),
        (Target::Icarus, ".v", "16'h3e05, 16'h948d", "16'h3e05, 16'h948e"),
        (Target::Icarus, ".v", "n3_f + {18'd0, n2[13]}", "n3_f"),
        (Target::Icarus, ".v", "n3_f = n2[32:14]", "n3_f = n2[31:13]"),
    ];
    for (target, ending, from, to) in changes {
        let files = mutated(&files, ending, from, to);
        let device = match Device::build(target, &files, checked.input(), checked.output()) {
            Ok(device) => device,
            // A helper that is no longer called may be refused by the compiler: caught, too.
            Err(error) => {
                assert!(["unused", "never used"].iter().any(|why| error.to_string().contains(why)));
                continue;
            }
        };
        for answer in device.run(stimulus, &expected).unwrap() {
            let comparison = compare(&expected, &answer.words);
            let Mismatch { sample, expected: e, found, .. } = comparison.first.expect(from);
            assert!(e != found && e == Some(expected[sample]), "{from}");
            assert!(answer.own_mismatches.is_none_or(|count| count == comparison.differing));
        }
    }
}

/// Takes 64 words, 32 at a time whatever the calls say, and then 40 of each of two streams.
const FIXED_BLOCKS: &str = "#include \"swell.h\"
#include <stdio.h>
int main(void)
{
    static int16_t x[64], y[64], wide[128], out[128];
    static struct swell f, streams[2];
    for (int k = 0; k < 64; k++) {
        int word;
        if (scanf(\"%d\", &word) != 1) { return 1; }
        x[k] = (int16_t)word;
        wide[2 * k] = x[k];
        wide[2 * (63 - k) + 1] = x[k];
    }
    swell_init(&f);
    swell_init(&streams[0]);
    swell_init(&streams[1]);
    swell_block(&f, x, y, 0);
    swell_block(&f, x + 32, y + 32, 5);
    swell_channels(streams, wide, out, 40);
    for (int k = 0; k < 64; k++) { printf(\"%d\\n\", y[k]); }
    for (int k = 0; k < 128; k++) { printf(\"%d\\n\", out[k]); }
    return 0;
}
";

/// A filter that goes from sample to sample, one with a window, and one with every other word apart.
#[test]
fn blocks_of_fixed_length_have_it_whatever_the_call_says() {
    let mut noise = NoiseSource::new(733);
    let words: Vec<i64> = (0..64).map(|_| noise.integer(-32768, 32767)).collect();
    let backward: Vec<i64> = words.iter().rev().copied().collect();
    let method = |want: &str, method: &str, structure: &str| {
        format!(
            "name = \"swell\"\nsample_rate = \"1 kHz\"\n[want]\n{want}\n[method]\n{method}\n[fixed]\n\
             input = \"s16f15\"\ncoefficients = \"s16\"\nstructure = \"{structure}\"\n"
        )
    };
    let low = "kind = \"lowpass\"\ncutoff = \"100 Hz\"";
    let half = "kind = \"half-band\"\npass_edge = \"220 Hz\"";
    for text in [
        method(low, "design = \"butterworth\"\norder = 6", "direct-form-1"),
        method(low, "design = \"window\"\nwindow = \"hamming\"\ntaps = 48", "fir-direct"),
        method(half, "design = \"equiripple\"\ntaps = 31", "fir-skip-zeros"),
    ] {
        let spec = Spec::parse(&text).unwrap();
        let design = design(&spec).unwrap();
        let checked = implement(&design.form, spec.fixed.unwrap()).unwrap().checked;
        let symbols = Symbols::new(&spec.name);
        let firmware = Firmware { channels: 2, ..Firmware::default() };
        let mut files = c::write_for(&checked, &symbols, firmware, None).unwrap();
        files.retain(|file| !file.name.ends_with("_pipe.c"));
        let (name, main) = ("main.c".to_owned(), FIXED_BLOCKS.to_owned());
        files.push(GeneratedFile { language: Language::C, name, text: main });
        for level in ["-Os", "-O2"] {
            let flags = [&C_FLAGS[..], &["-DSWELL_BLOCK=32", level]].concat();
            let program = Program::c_with(ToolName::CC.find().unwrap(), &flags, &files).unwrap();
            let found = program.run_with(&words, &[]).unwrap();
            assert_eq!(found[..64], Simulator::new(&checked).run(&words), "{text}");
            for (place, stream) in [&words, &backward].into_iter().enumerate() {
                let its: Vec<i64> = found[64..].iter().skip(place).step_by(2).copied().collect();
                assert_eq!(its[..40], Simulator::new(&checked).run(&stream[..40]), "{text}");
                assert!(its[40..].iter().all(|word| *word == 0));
            }
        }
    }
}

/// What a core without a multiplier runs: the calls and instructions that multiply, in the code of a compiler
/// for one.
fn multiplications(files: &[GeneratedFile]) -> usize {
    let folder = tempfile::tempdir().unwrap();
    for file in &files[..2] {
        std::fs::write(folder.path().join(&file.name), &file.text).unwrap();
    }
    // RISC-V without its extension M: the base has additions and shifts only.
    let flags = ["--target=riscv32-unknown-elf", "-march=rv32i", "-mabi=ilp32", "-ffreestanding"];
    let mut command = ToolName::CLANG.find().unwrap().command(folder.path());
    command.args(flags).args(["-O2", "-S", "-o", "-", &files[1].name]);
    let code = run(&mut command, b"", Duration::from_secs(60)).unwrap().text();
    let word = |line: &str| line.trim().split([' ', '\t']).any(|word| word.contains("mul"));
    code.lines().filter(|line| line.starts_with('\t') && word(line)).count()
}

/// Without a multiplier nothing multiplies, whatever the structure; the filter as it was needs calls for its
/// products.
#[test]
fn nothing_multiplies_without_a_multiplier() {
    let mut called = Vec::new();
    for Case { name, checked, files } in cases() {
        let Ok(shifts) = checked.without_multiplier().unwrap().check() else {
            panic!("{name}: no program");
        };
        assert_eq!(multiplications(&all_files(&shifts, name)), 0, "{name}");
        called.push(multiplications(&files));
    }
    // Powers of two need none either.
    assert!(called.iter().filter(|calls| **calls > 0).count() > called.len() / 2, "{called:?}");
}

/// Two instances side by side share nothing, `init` clears one of them in mid-stream, and blocks of any
/// length are the same as samples one by one.
#[test]
fn instances_share_nothing_and_init_clears() {
    const MAIN: &str = r#"
#include "cascade.h"
#include <inttypes.h>
#include <stdio.h>
int main(void)
{
    static struct cascade one, two, three;
    static int32_t block[1000];
    static int16_t all[1000];
    long long word;
    size_t count = 0, done = 0, length = 1;
    cascade_init(&one);
    cascade_init(&two);
    cascade_init(&three);
    while (scanf("%lld", &word) == 1 && count < 1000) {
        if (count == 500) {
            cascade_init(&two);
        }
        all[count] = (int16_t)word;
        printf("%" PRId32 "\n", cascade_step(&one, (int16_t)word));
        printf("%" PRId32 "\n", cascade_step(&two, (int16_t)word));
        count++;
    }
    while (done < count) {
        if (length > count - done) {
            length = count - done;
        }
        cascade_block(&three, all + done, block + done, length);
        done += length;
        length = length * 2 + 1;
    }
    for (done = 0; done < count; done++) {
        printf("%" PRId32 "\n", block[done]);
    }
    return 0;
}
"#;
    let case = cases().into_iter().find(|case| case.name == "cascade").unwrap();
    let mut files: Vec<GeneratedFile> = case.files[..2].to_vec();
    files.push(GeneratedFile {
        language: Language::C,
        name: "main.c".to_owned(),
        text: MAIN.to_owned(),
    });
    let program = Program::c(ToolName::CC, &files).unwrap();
    let mut noise = NoiseSource::new(3);
    let input: Vec<i64> = (0..1000).map(|_| noise.integer(-2048, 2047)).collect();
    let found = program.run_with(&input, &[]).unwrap();
    let whole = Simulator::new(&case.checked).run(&input);
    let restarted = [&whole[..500], &Simulator::new(&case.checked).run(&input[500..])].concat();
    let interleaved: Vec<i64> = whole.iter().zip(&restarted).flat_map(|(a, b)| [*a, *b]).collect();
    assert_eq!(compare(&interleaved, &found[..2000]).first, None);
    assert_eq!(compare(&whole, &found[2000..]).first, None);
}

/// Tools that are missing, hang or talk rubbish are errors with their name, in time.
#[test]
fn a_bad_tool_is_an_error_and_not_a_result() {
    let missing = ToolName {
        program: "no-such-compiler",
        package: "no-such-package",
        version_argument: "-V",
    };
    let error = missing.find().unwrap_err().to_string();
    assert!(error.contains("no-such-compiler") && error.contains("no-such-package"), "{error}");

    let mut sleeper = std::process::Command::new("sleep");
    let error = run(sleeper.arg("60"), b"", Duration::from_millis(200)).unwrap_err();
    assert!(error.to_string().contains("sleep did not end"), "{error}");

    let Case { files, .. } = cases().swap_remove(0);
    let error =
        Program::c(ToolName::CC, &mutated(&files, ".c", "int64_t n2", "int64 n2")).unwrap_err();
    assert!(error.to_string().contains("int64"), "the compiler's own words: {error}");
    let talker = mutated(&files, "_pipe.c", "PRId64 \"\\n\"", "PRId64 \" volts\\n\"");
    let error = Program::c(ToolName::CC, &talker).unwrap().run(&[1], 0).unwrap_err();
    assert!(error.to_string().contains("volts"), "{error}");
    let program = Program::c(ToolName::CC, &files).unwrap();
    let error = program.run(&[1, 40_000], 0).unwrap_err();
    assert!(error.to_string().contains("line 2"), "{error}");
}
