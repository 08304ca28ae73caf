//! Generated C on emulated processors: every integer is the simulator's, every float in every bit.

use mellow_rake::Wish;
use mellow_rake::datapath::{Simulator, dump, fir_direct};
use mellow_rake::fixed::{Overflow, Rounding, WordFormat, round_coefficients};
use mellow_rake::float::{FloatFormat, FloatSimulator};
use mellow_rake::random::NoiseSource;
use mellow_rake::spec::{Firmware, Fixed, Name, Structure, Tune};
use mellow_rake::write::{GeneratedFile, Language, Symbols, c};
use mellow_rake_rig::{Core, Emulated, RigError, ToolName, core_cost, run};
use std::time::{Duration, Instant};

use crate::filters::{any_filter, any_word};
use crate::floats::{any_float, any_numbers};

fn campaign() -> usize {
    std::env::var("MELLOW_RAKE_CAMPAIGN").map_or(1, |times| times.parse().unwrap())
}

fn symbols() -> Symbols {
    Symbols::new(&Name::new("swell").unwrap())
}

#[test]
fn integers_of_every_structure_are_the_simulators_on_every_core() {
    let mut noise = NoiseSource::new(871);
    let mut held = [0; Core::ALL.len()];
    for (number, structure) in Structure::ALL.into_iter().enumerate() {
        for turn in 0..2 * campaign() {
            let Some(filter) = any_filter(&mut noise, structure) else { continue };
            let checked = &filter.checked;
            // On cores that have pairs in the form that has them, and else in any.
            let tune = Tune::ALL[(number + turn) % Tune::ALL.len()].0;
            let index = (number + 3 * turn) % Core::ALL.len();
            let has_pairs =
                { matches!(Core::ALL[index], Core::CortexM4 | Core::CortexM7 | Core::CortexM33) };
            let tune = if has_pairs { Tune::CortexM4 } else { tune };
            let tune = if Core::ALL[index] == Core::Avr { Tune::Avr } else { tune };
            let firmware = Firmware { tune, ..Firmware::default() };
            let Ok(files) = c::write_for(checked, &symbols(), firmware, None) else { continue };
            let mut simulator = Simulator::new(checked);
            let (words, expected): (Vec<i64>, Vec<i64>) = (0..200)
                .map(|_| any_word(&mut noise, checked.input(), false))
                .map(|word| (word, simulator.step(word)))
                .unzip();
            let context = || format!("{:?}\n{}", Core::ALL[index], dump(checked));
            let program = match Emulated::c(Core::ALL[index], &files) {
                // Long filters of wide words, in two kibibytes.
                Err(RigError::Unfit { .. }) => continue,
                built => built.unwrap_or_else(|error| panic!("{error}\n{}", context())),
            };
            for block in [0, 1, 33, 64] {
                let found = program.run(&words, block);
                let found = found.unwrap_or_else(|error| panic!("{error}\n{}", context()));
                assert_eq!(found, expected, "blocks of {block}, {}", context());
            }
            held[index] += 1;
        }
    }
    println!("{held:?} on {:?}", Core::ALL);
    assert!(held.iter().all(|count| *count >= 2), "{held:?}");
}

/// With another compiler, which sees what is not used, and as C++; for cores with pairs and without.
#[test]
fn other_compilers_take_the_same_text() {
    let mut noise = NoiseSource::new(873);
    let mut taken = 0;
    for structure in Structure::ALL {
        let Some(filter) = any_filter(&mut noise, structure) else { continue };
        for tune in [Tune::Portable, Tune::CortexM4] {
            let firmware = Firmware { tune, channels: 2, ..Firmware::default() };
            let files = c::write_for(&filter.checked, &symbols(), firmware, None);
            let Ok(files) = files else { continue };
            let folder = tempfile::tempdir().unwrap();
            for file in &files {
                std::fs::write(folder.path().join(&file.name), &file.text).unwrap();
            }
            for (core, language) in [
                ("cortex-m4", ["-x", "c", "-std=c99"]),
                ("cortex-m4", ["-x", "c++", "-std=c++11"]),
                ("cortex-m0", ["-x", "c", "-std=c99"]),
                ("cortex-m33", ["-x", "c", "-std=c99"]),
            ] {
                let mut command = ToolName::CLANG.find().unwrap().command(folder.path());
                command.args(["--target=arm-none-eabi", "-mthumb", "-ffreestanding", "-O2"]);
                command.args(["-pedantic", "-Wall", "-Wextra", "-Wconversion", "-Wshadow"]);
                command.args(["-Werror", &format!("-mcpu={core}")]).args(language);
                command.args(["-c", "swell.c", "-o", "swell.o"]);
                let found = run(&mut command, b"", Duration::from_secs(60));
                found.unwrap_or_else(|error| panic!("{error}\n{}", dump(&filter.checked)));
                taken += 1;
            }
        }
    }
    assert!(taken > 50, "{taken}");
}

/// On cores that have no instructions for it floating point is done by the compiler's functions.
#[test]
fn floating_point_is_the_simulators_in_every_bit_on_every_core() {
    let mut noise = NoiseSource::new(872);
    for core in Core::ALL {
        for _ in 0..2 * campaign() {
            let (_, filter) = any_float(&mut noise);
            let format = filter.format();
            if core == Core::Avr && format == FloatFormat::Double {
                let error = Emulated::c(core, &c::write_float(&filter, &symbols())).unwrap_err();
                assert!(matches!(error, RigError::Unfit { .. }), "{error}");
                continue;
            }
            let mut input = any_numbers(&mut noise, format, 150, 1.0);
            input.extend(vec![0.0; 150]);
            input.extend(any_numbers(&mut noise, format, 20, format.largest() / 2.0));
            input.extend([f64::INFINITY, 1.0, f64::NAN, 0.0]);
            let output = FloatSimulator::new(&filter).run(&input);
            let [words, expected] = [input, output]
                .map(|numbers| numbers.iter().map(|one| format.bits(*one)).collect::<Vec<i64>>());
            let program = Emulated::c(core, &c::write_float(&filter, &symbols())).unwrap();
            for block in [0, 33] {
                let found = program.run(&words, block).unwrap();
                assert_eq!(found, expected, "{core:?} {filter:?}");
            }
        }
    }
}

/// Instructions that are put into the text are counted, every one.
#[test]
fn instructions_are_counted_exactly() {
    let words = Fixed::new(Structure::FirDirect, "s16f15".parse().unwrap());
    let study = Wish::taps("1 kHz", [0.5, 0.25, 0.125]).words(words).study().unwrap();
    let files = study.files(&[Language::C]).unwrap();
    let with = |count: usize| -> Vec<GeneratedFile> {
        let nothing = "__asm__ volatile(\"nop\");\n".repeat(count);
        let changed = |file: &GeneratedFile| {
            let is_text = file.name.ends_with(".c") && !file.name.ends_with("_pipe.c");
            let begins = file
                .text
                .find("_step(")
                .and_then(|at| Some(at + file.text[at..].find("\n{\n")? + 3));
            let text = match begins.filter(|_| is_text) {
                Some(at) => format!("{}{nothing}{}", &file.text[..at], &file.text[at..]),
                None => file.text.clone(),
            };
            GeneratedFile { text, ..file.clone() }
        };
        files.iter().map(changed).collect()
    };
    for core in Core::ALL {
        let input: Vec<i64> = (0..500).map(|k| k * 37 % 9_001 - 4_500).collect();
        let cost = |count: usize| Emulated::c(core, &with(count)).unwrap().cost(&input, 0).unwrap();
        let (none, some, more) = (cost(0), cost(7), cost(107));
        let added = [some, more].map(|one| one.count - none.count);
        println!("{core:?}: {none:?}, {added:?}");
        assert!(
            (added[0] - 7.0).abs() < 0.01 && (added[1] - 107.0).abs() < 0.01,
            "{core:?} {added:?}"
        );
        // Two words of 16 bits are remembered.
        assert!(none.bytes_of_a_filter >= 4 && none.bytes_of_a_filter <= 8, "{none:?}");
    }
}

/// The products that the text for the 8-bit core makes of bytes, held against integers that are multiplied
/// here: of words at the ends of every byte, in sums of 32 and of 40 bits, exact and rounded.
#[test]
fn products_of_bytes_are_right_at_the_ends_of_bytes() {
    let mut noise = NoiseSource::new(874);
    let ends: Vec<i64> = [0, 127, 255, 256, 32_639, 32_767]
        .into_iter()
        .flat_map(|end| [end, -end, -end - 1, (end + 1).min(32_767)])
        .collect();
    let any = |noise: &mut NoiseSource| match noise.integer(0, 3) {
        0 => noise.integer(-32_768, 32_767),
        _ => ends[noise.integer(0, ends.len() as i64 - 1) as usize],
    };
    let mut forms = [0; 2];
    for (count, output) in
        [(1, "s32f30"), (1, "s16f15"), (3, "s40f30"), (30, "s40f30"), (5, "s16f15")]
    {
        let taps: Vec<i64> = (0..count).map(|_| any(&mut noise)).collect();
        let row = taps.iter().map(|tap| *tap as f64 / 32_768.0).collect();
        let table = round_coefficients(&[row], "s16f15".parse().unwrap()).unwrap();
        let (word, output) = ("s16f15".parse().unwrap(), output.parse::<WordFormat>().unwrap());
        let filter =
            fir_direct(&table, word, output, Rounding::HalfUp, Overflow::Saturate).unwrap();
        let firmware = Firmware { tune: Tune::Avr, ..Firmware::default() };
        let files = c::write_for(&filter.check().unwrap(), &symbols(), firmware, None).unwrap();
        forms[0] += usize::from(files[1].text.contains("= mellow_rake_add_32("));
        forms[1] += usize::from(files[1].text.contains("  mellow_rake_add_40("));
        let input: Vec<i64> = (0..1_500).map(|_| any(&mut noise)).collect();
        let drop = 30 - output.fraction();
        let expected = (0..input.len()).map(|n| {
            let products = taps.iter().zip(input[..=n].iter().rev()).map(|(tap, word)| tap * word);
            let sum: i64 = products.sum();
            let rounded = (sum + (1 << drop) / 2).div_euclid(1 << drop);
            rounded.clamp(output.minimum() as i64, output.maximum() as i64)
        });
        let found = Emulated::c_at(Core::Avr, &files, "-Os").unwrap().run(&input, 0).unwrap();
        assert_eq!(found, expected.collect::<Vec<_>>(), "{taps:?} to {output}");
    }
    assert!(forms.iter().all(|count| *count >= 2), "{forms:?}");
}

/// What does not fit, never ends or goes astray is an error that says so, in time.
#[test]
fn programs_that_cannot_run_say_why() {
    let words = Fixed::new(Structure::FirDirect, "s16f15".parse().unwrap());
    let taps: Vec<f64> = (0..9_000).map(|k| f64::from(k % 7 - 3) / 40_000.0).collect();
    let long = Wish::taps("1 kHz", taps).words(words).study().unwrap();
    let files = long.files(&[Language::C]).unwrap();
    let said = Emulated::c(Core::CortexM0, &files).unwrap_err().to_string();
    assert!(said.contains("ram") && said.contains("overflowed"), "{said}");
    let said = Emulated::c(Core::Avr, &files).unwrap_err().to_string();
    assert!(said.contains("does not fit an ATmega328P") && said.contains("region"), "{said}");
    let short = Wish::taps("1 kHz", [0.5, 0.25]).words(words).study().unwrap();
    let files = short.files(&[Language::C]).unwrap();
    let with = |statement: &str| -> Vec<GeneratedFile> {
        let changed = |file: &GeneratedFile| {
            // The first function of the file clears the memory.
            let text = file.text.clone();
            let at = text.find("\n{\n").map(|at| at + 3);
            let text = match (at, file.name.ends_with("_pipe.c") || !file.name.ends_with(".c")) {
                (Some(at), false) => format!("{}{statement}\n{}", &text[..at], &text[at..]),
                _ => text,
            };
            GeneratedFile { text, ..file.clone() }
        };
        files.iter().map(changed).collect()
    };
    for core in Core::ALL {
        let good = Emulated::c(core, &with("")).unwrap();
        assert_eq!(good.run(&[1000, 0, 0], 0).unwrap().len(), 3, "{core:?}");
        let endless = Emulated::c(core, &with("for (volatile int i = 0; i < 1; i *= 1) { }"));
        let started = Instant::now();
        let error = endless.unwrap().run_within(&[1], 0, Duration::from_secs(2)).unwrap_err();
        assert!(matches!(error, RigError::TimeOut { .. }), "{core:?}: {error}");
        assert!(started.elapsed() < Duration::from_secs(5));
        // Nothing is at this address; what has no such memory has a stack that takes too much.
        let (astray, expected) = match core {
            Core::Avr => (
                "volatile char many[1800]; for (int i = 0; i < 1800; i++) { many[i] = 1; (void)many[i]; }",
                "the stack met the variables",
            ),
            _ => ("*(volatile int *)(sizeof(void *) == 8 ? 0x7000000000u : 0xc0000000u) = 1;", "4"),
        };
        let astray = Emulated::c(core, &with(astray));
        let error = astray.unwrap().run_within(&[1], 0, Duration::from_secs(5)).unwrap_err();
        let said = error.to_string();
        let is_failed = matches!(error, RigError::Failed { .. });
        assert!(is_failed && said.contains(expected), "{core:?}: {said}");
    }
}

/// What a core is told to take follows the work: a tap more costs the same each time, words are those of the
/// structure, and size is what -Os is for.
#[test]
fn what_a_core_takes_follows_the_work() {
    let words = Fixed::new(Structure::FirDirect, "s16f15".parse().unwrap());
    let input: Vec<i64> = (0..256).map(|k| k * 7_919 % 30_011 - 15_005).collect();
    for core in [Core::CortexM4, Core::Rv32] {
        let cost = |count: usize| {
            let taps: Vec<f64> = (0..count).map(|k| 0.01 + 0.001 * k as f64).collect();
            let study = Wish::taps("1 kHz", taps).words(words).study().unwrap();
            core_cost(core, &study.files(&[Language::C]).unwrap(), &input).unwrap()
        };
        let (short, middle, long) = (cost(20), cost(30), cost(40));
        for ((short, middle), long) in short.iter().zip(&middle).zip(&long) {
            let more = [middle.step_count - short.step_count, long.step_count - middle.step_count];
            assert!(more[0] > 10.0 && (more[0] / more[1] - 1.0).abs() < 0.3, "{short:?} {more:?}");
            // The words themselves, and as many again that their window moves through.
            assert_eq!(long.filter_bytes - short.filter_bytes, 80, "{long:?} {short:?}");
            assert!(long.block_count < 1.2 * long.step_count, "{long:?}");
        }
        // Far beyond what a timer of 24 bits counts at its finest within a call.
        let step = |count: usize| {
            let taps: Vec<f64> = (0..count).map(|k| (k % 9) as f64 / 60_000.0 + 1e-5).collect();
            let study = Wish::taps("1 kHz", taps).words(words).study().unwrap();
            let program = Emulated::c(core, &study.files(&[Language::C]).unwrap()).unwrap();
            program.cost(&input[..128], 0).unwrap().count
        };
        let [thousand, two, four] = [1_000, 2_000, 4_000].map(step);
        println!("{core:?}: {thousand} {two} {four}");
        assert!(((four - two) / (two - thousand) - 2.0).abs() < 0.01, "{thousand} {two} {four}");
        let [small, fast, faster] = &long[..] else { panic!("three levels") };
        assert!(small.code_bytes <= fast.code_bytes && fast.code_bytes <= faster.code_bytes);
        assert!(small.tool.contains("QEMU") && small.stack_bytes < 1_000, "{small:?}");
    }
}
