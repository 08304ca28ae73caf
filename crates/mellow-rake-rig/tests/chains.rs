//! Chains of programs at several rates in C, in Rust and in hardware: every integer, whatever the length of
//! the blocks, whatever the traffic.

use crate::filters::any_word;
use crate::random_chains::{any_chain, any_chain_words, rate};
use mellow_rake::hardware::{HardwareError, NetworkHardware, NetworkHardwareError, NetworkPart};
use mellow_rake::implementation::implement_chain;
use mellow_rake::random::NoiseSource;
use mellow_rake::spec::{Firmware, Hardware, Interface, Name, Tune};
use mellow_rake::write::{GeneratedFile, Symbols, c, rust, verilog, vhdl};
use mellow_rake_rig::{C_FLAGS, Core, Emulated, HardwareModel, Program, RigError, ToolName};

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
