//! Chains of programs at several rates in C: every integer, whatever the length of the blocks.

use crate::filters::any_word;
use crate::random_chains::{any_chain, any_chain_words};
use mellow_rake::implementation::implement_chain;
use mellow_rake::random::NoiseSource;
use mellow_rake::spec::Name;
use mellow_rake::write::{Symbols, c};
use mellow_rake_rig::{C_FLAGS, Core, Emulated, Program, RigError, ToolName};

/// Random chains of taps, integrators and combs, up, down and both: two compilers, the one with checks for
/// whatever C leaves undefined, and emulated cores in turn; blocks of one word, of some, and of many.
#[test]
fn chains_in_c_give_every_integer() {
    let mut noise = NoiseSource::new(2301);
    let symbols = Symbols::new(&Name::new("reef").unwrap());
    let checks = ["-fsanitize=undefined", "-fno-sanitize-recover=undefined"];
    let checked: Vec<&str> = C_FLAGS.iter().copied().chain(checks).collect();
    let (mut ran, mut emulations) = (0, 0);
    while ran < 24 {
        let (chain, fixed) = (any_chain(&mut noise), any_chain_words(&mut noise));
        let Ok(found) = implement_chain(&chain, &fixed) else { continue };
        let network = &found.network;
        let files = c::write_network(network, &symbols, Some(chain.input_rate())).unwrap();
        let words: Vec<i64> =
            (0..1_100).map(|_| any_word(&mut noise, fixed.input, false)).collect();
        let expected = network.start().run(&words);
        assert!(!expected.is_empty());
        let program = Program::c(ToolName::CLANG, &files).unwrap();
        for block in [0, noise.integer(2, 40) as usize, 256] {
            let given = program.run(&words, block).unwrap();
            assert_eq!(given, expected, "{chain:?} {fixed:?} {block}");
        }
        let program = Program::c_with(ToolName::GCC.find().unwrap(), &checked, &files).unwrap();
        assert_eq!(program.run(&words, 64).unwrap(), expected, "{chain:?} {fixed:?}");
        let cores: Vec<Core> = Core::ALL.into_iter().filter(|core| *core != Core::Avr).collect();
        if ran % 2 == 0 {
            let core = cores[ran / 2 % cores.len()];
            match Emulated::c(core, &files) {
                // What comes out of a block is more than its board remembers.
                Err(RigError::Unfit { .. }) => assert_eq!(core, Core::CortexM0),
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
