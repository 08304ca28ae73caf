//! Chains of programs at several rates in C, in Rust and in hardware: every integer, whatever the length of
//! the blocks, whatever the traffic.

use crate::filters::any_word;
use crate::random_chains::{any_chain, any_chain_words, rate};
use mellow_rake::filter::Taps;
use mellow_rake::hardware::{
    HardwareError, Load, NetworkHardware, NetworkHardwareError, NetworkPart,
};
use mellow_rake::implementation::implement_chain;
use mellow_rake::network::NetworkSimulator;
use mellow_rake::random::NoiseSource;
use mellow_rake::rates::{Carrier, CarrierWay, Chain, Stage};
use mellow_rake::spec::{ChainFixed, Firmware, Hardware, Interface, Name, OscillatorFixed, Tune};
use mellow_rake::write::{GeneratedFile, Symbols, c, rust, verilog, vhdl};
use mellow_rake_rig::{C_FLAGS, Core, Emulated, HardwareModel, Program, RigError, ToolName};
use std::path::Path;
use std::process::Command;

/// Random chains of taps, integrators and combs, up, down and both: two compilers, the one with checks for
/// whatever C leaves undefined, Rust with checks for overflow, and emulated cores in turn; blocks of one
/// word, of some, and of many.
#[test]
fn chains_in_c_and_rust_give_every_integer() {
    let mut noise = NoiseSource::new(2301);
    let symbols = Symbols::new(&Name::new("reef").unwrap());
    let checks = ["-fsanitize=undefined", "-fno-sanitize-recover=undefined"];
    let checked: Vec<&str> = C_FLAGS.iter().copied().chain(checks).collect();
    let (mut ran, mut emulations) = (0, 0);
    while ran < 24 {
        let chain = any_chain(&mut noise);
        let fixed = any_chain_words(&mut noise, &chain);
        let Ok(found) = implement_chain(&chain, &fixed) else { continue };
        let network = &found.network;
        // On a core as it is tuned to it, on the computer as it is tuned to any.
        let core = Core::ALL[ran / 2 % Core::ALL.len()];
        let of_core = Tune::ALL.iter().find(|(_, name, _)| ran % 2 == 0 && *name == core.as_str());
        let tune = of_core.unwrap_or(&Tune::ALL[ran % Tune::ALL.len()]).0;
        let firmware = Firmware { tune, ..Firmware::default() };
        let rate = Some(chain.input_rate());
        let files = c::write_network_for(network, &symbols, firmware, rate).unwrap();
        let words: Vec<i64> =
            (0..1_104).map(|_| any_word(&mut noise, fixed.input, false)).collect();
        let expected = network.start().run(&words);
        assert!(!expected.is_empty());
        let program = Program::c(ToolName::CLANG, &files).unwrap();
        for block in [0, noise.integer(2, 40) as usize, 256] {
            let given = program.run(&words, block).unwrap();
            assert_eq!(given, expected, "{chain:?} {fixed:?} {block}");
        }
        let program = Program::c_with(ToolName::GCC.find().unwrap(), &checked, &files).unwrap();
        assert_eq!(program.run(&words, 64).unwrap(), expected, "{chain:?} {fixed:?}");
        let module = rust::write_network(network, &symbols, None).unwrap();
        if ran % 2 == 1 {
            let program = Program::rust(&module).unwrap();
            for block in [0, noise.integer(2, 40) as usize, 256] {
                let given = program.run(&words, block).unwrap();
                assert_eq!(given, expected, "{}", module[0].text);
            }
        }
        if ran % 2 == 0 {
            match Emulated::c(core, &files) {
                // What comes out of a block is more than its board remembers.
                Err(RigError::Unfit { .. }) => {
                    assert!([Core::CortexM0, Core::Avr].contains(&core), "{core:?}");
                }
                Err(error) => panic!("{error}"),
                Ok(emulated) => {
                    for block in [0, 13, 64] {
                        let given = emulated.run(&words, block).unwrap();
                        assert_eq!(given, expected, "{core:?} {chain:?} {fixed:?} {block}");
                    }
                    emulations += 1;
                }
            }
        }
        ran += 1;
    }
    assert!(emulations > 8, "{emulations}");
}

/// The same chains in Verilog and VHDL on one clock, in two simulators each by their own test benches, among
/// gaps and back pressure; for words that come every clock, every few, and seldom.
#[test]
fn chains_in_hardware_give_every_integer() {
    let mut noise = NoiseSource::new(2302);
    let symbols = Symbols::new(&Name::new("reef").unwrap());
    let interfaces = [Interface::Valid, Interface::ValidReady, Interface::AxiStream];
    let (mut ran, mut units, mut sums) = (0, 0, 0);
    while ran < 18 {
        let chain = any_chain(&mut noise);
        let fixed = any_chain_words(&mut noise, &chain);
        let Ok(found) = implement_chain(&chain, &fixed) else { continue };
        let network = &found.network;
        let clocks = [1.0, 5.0, 60.0][noise.integer(0, 2) as usize];
        let wish = Hardware {
            clock: Some(rate().hertz() * clocks),
            multiplier_stages: noise.integer(1, 3) as usize,
            clears_memory: noise.integer(0, 1) == 0,
            interface: interfaces[ran % 3],
            ..Hardware::default()
        };
        let hardware = match NetworkHardware::of(network, &wish, rate()) {
            Ok(hardware) => hardware,
            Err(NetworkHardwareError::Step { error: HardwareError::Clock { .. }, .. }) => continue,
            Err(error) => panic!("{error}"),
        };
        let words: Vec<i64> = (0..504).map(|_| any_word(&mut noise, fixed.input, false)).collect();
        let expected = network.start().run(&words);
        let verilog = verilog::write_network(&hardware, &symbols).unwrap();
        let vhdl = vhdl::write_network(&hardware, &symbols).unwrap();
        let [input, output] = hardware.ends();
        let hold = |model: Result<HardwareModel, RigError>, count: usize| {
            let texts =
                |files: &[GeneratedFile]| files.iter().map(|file| file.text.clone()).collect();
            let context = || -> String { texts(&verilog) };
            let model = model.unwrap_or_else(|error| panic!("{error}\n{}", context()));
            let expected = network.start().run(&words[..count]);
            let report = model.run(&words[..count], &expected);
            let report = report.unwrap_or_else(|error| panic!("{error}\n{hardware:?}"));
            assert_eq!(report.observed, expected, "{hardware:?}");
            assert_eq!((report.samples, report.mismatches), (expected.len(), 0));
        };
        assert!(!expected.is_empty());
        hold(HardwareModel::icarus(&verilog, input, output), words.len());
        if ran % 2 == 0 {
            hold(HardwareModel::ghdl(&vhdl, input, output), 204);
        }
        if ran % 9 == 0 {
            hold(HardwareModel::verilator(&verilog, input, output), words.len());
        }
        ran += 1;
        units += hardware.parts().iter().filter(|part| part.multipliers() > 0).count();
        let is_sum = |part: &&NetworkPart| matches!(part, NetworkPart::Sums(_));
        sums += hardware.parts().iter().filter(is_sum).count();
    }
    assert!(units > 10 && sums > 10, "{units} {sums}");
}

/// Integers as the elements of an array.
fn elements(words: &[i64]) -> String {
    words.iter().map(|word| format!("{word}, ")).collect()
}

/// What a program prints, one integer a line.
fn printed(program: &Path, compiler: &mut Command) -> Vec<i64> {
    let built = compiler.output().unwrap();
    assert!(built.status.success(), "{}", String::from_utf8_lossy(&built.stderr));
    let output = Command::new(program).output().unwrap();
    assert!(output.status.success());
    let text = String::from_utf8(output.stdout).unwrap();
    text.lines().map(|line| line.parse().unwrap()).collect()
}

/// Steps of oscillators that are set between two blocks, in C and Rust, and before the first sample in
/// Verilog and VHDL, count as they do in the network.
#[test]
fn steps_are_set_while_it_runs() {
    let symbols = Symbols::new(&Name::new("reef").unwrap());
    let mut noise = NoiseSource::new(2304);
    for (way, dither, phase_bits) in [
        (CarrierWay::Down, None, 32),
        (CarrierWay::Up, Some(7), 32),
        (CarrierWay::Down, Some(0x8000_0000), 20),
    ] {
        let stage = Stage::new(1, 2, Taps(vec![0.125; 8])).unwrap();
        let chain = Chain::new(rate(), vec![stage]).unwrap();
        let chain = chain.around(Carrier::several(way, &[0.2001, 0.0377]));
        let mut fixed = ChainFixed::new("s16f15".parse().unwrap());
        fixed.output = "s16f13".parse().unwrap();
        let usual = fixed.oscillator;
        fixed.oscillator = OscillatorFixed { phase_bits, dither, loads_steps: true, ..usual };
        let network = implement_chain(&chain, &fixed).unwrap().network;
        let lanes = [network.lanes_in(), network.lanes_out()];
        let words: Vec<i64> =
            (0..80 * lanes[0]).map(|_| any_word(&mut noise, fixed.input, false)).collect();
        let (first, second) = words.split_at(40 * lanes[0]);
        let steps = [noise.integer(1, 1 << 31), noise.integer(1, 1 << 31)].map(|step| step as u32);
        let set = |simulator: &mut NetworkSimulator<'_>| {
            for (oscillator, step) in steps.into_iter().enumerate() {
                assert!(simulator.set_step(oscillator, step));
            }
        };
        let mut simulator = network.start();
        let mut expected = simulator.run(first);
        set(&mut simulator);
        expected.extend(simulator.run(second));
        let plain = network.start().run(&words);
        assert_ne!(plain, expected);

        let folder = tempfile::tempdir().unwrap();
        let at = |name: &str| folder.path().join(name);
        let files = [
            c::write_network(&network, &symbols, None),
            rust::write_network(&network, &symbols, None),
        ];
        for file in files.into_iter().flat_map(Result::unwrap) {
            std::fs::write(at(&file.name), file.text).unwrap();
        }
        let [s0, s1] = steps;
        let (count, all) = (words.len(), words.len() / lanes[0]);
        let (half, part) = (all / 2, first.len());
        let out = lanes[1];
        let main = format!(
            "#include \"reef.h\"\n#include <stdio.h>\nint main(void)\n{{\n    struct reef chain;\n    \
             static const int16_t in[{count}] = {{ {} }};\n    \
             static int16_t out[REEF_OUTPUTS({all}) * {out}];\n    size_t given, i;\n    \
             reef_init(&chain);\n    given = reef_block(&chain, in, {half}, out);\n    \
             reef_set_step(&chain, 0, {s0}u);\n    reef_set_step(&chain, 1, {s1}u);\n    \
             reef_set_step(&chain, 2, 99u);\n    \
             given += reef_block(&chain, in + {part}, {half}, out + given * {out});\n    \
             for (i = 0; i < given * {out}; i++) {{\n        printf(\"%d\\n\", out[i]);\n    }}\n    \
             return 0;\n}}\n",
            elements(&words)
        );
        std::fs::write(at("main.c"), main).unwrap();
        let mut compiler = Command::new("cc");
        compiler.args(["-std=c99", "-O2", "-Wall", "-Wextra", "-Werror", "-pedantic", "-o"]);
        compiler.args([at("in_c"), at("main.c"), at("reef.c")]);
        assert_eq!(printed(&at("in_c"), &mut compiler), expected, "{way:?}");

        let sample = |lanes: usize| if lanes == 1 { "*s" } else { "s[..].try_into().unwrap()" };
        let main = format!(
            "mod reef;\nconst WORDS: [i16; {count}] = [{}];\nfn main() {{\n    \
             let mut chain = reef::Reef::new();\n    let mut given = Vec::new();\n    \
             for (n, s) in WORDS.{} {{\n        if n == {half} {{\n            \
             chain.set_step(0, {s0});\n            chain.set_step(1, {s1});\n            \
             chain.set_step(2, 99);\n        }}\n        \
             chain.step({}, &mut |word| given.push(word));\n    }}\n    \
             for word in given {{\n        {}\n    }}\n}}\n",
            elements(&words),
            if lanes[0] == 1 {
                "iter().enumerate()".to_owned()
            } else {
                format!("chunks({}).enumerate()", lanes[0])
            },
            sample(lanes[0]),
            if out == 1 {
                "println!(\"{word}\");"
            } else {
                "for part in word { println!(\"{part}\"); }"
            },
        );
        std::fs::write(at("main.rs"), main).unwrap();
        let mut compiler = Command::new("rustc");
        compiler.args(["--edition", "2021", "-O", "-o"]).args([at("in_rust"), at("main.rs")]);
        assert_eq!(printed(&at("in_rust"), &mut compiler), expected, "{way:?}");

        let wish = Hardware { clock: Some(rate().hertz() * 40.0), ..Hardware::default() };
        let hardware = NetworkHardware::of(&network, &wish, rate()).unwrap();
        let mut simulator = network.start();
        set(&mut simulator);
        let expected = simulator.run(&words);
        let writes: Vec<Load> = steps
            .iter()
            .enumerate()
            .map(|(address, step)| Load { address, data: (*step).into() })
            .collect();
        let (address_bits, data_bits) = hardware.load_bits().unwrap();
        let [input, output] = hardware.ends();
        let models = [
            HardwareModel::icarus(
                &verilog::write_network(&hardware, &symbols).unwrap(),
                input,
                output,
            ),
            HardwareModel::ghdl(&vhdl::write_network(&hardware, &symbols).unwrap(), input, output),
        ];
        for model in models {
            let model = model.unwrap();
            let report =
                model.run_loaded([address_bits, data_bits], &writes, &words, &expected).unwrap();
            assert_eq!(report.observed, expected, "{way:?}");
            let report = model.run(&words, &plain).unwrap();
            assert_eq!((report.samples, report.mismatches), (plain.len(), 0));
        }
    }
}
