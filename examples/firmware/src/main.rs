//! Builds the firmware for a Cortex-M4, runs it there, emulated by QEMU, with the recordings of the buoy in
//! its converters, and once more in Rust on this machine; every integer is compared with the bit-true
//! simulator's.

mod runner;

use lantern_reef_firmware::{Board, CARRIER_BLOCK, Firmware};
use mellow_rake_rig::RigError;
use runner::{CLOCKS_IN_A_TICK, Channel, Failure, channels, on_the_board, told};
use std::path::Path;
use std::process::ExitCode;

/// A board of vectors.
struct Vectors<'a> {
    from: [std::slice::Iter<'a, i64>; 3],
    to: Vec<Vec<i64>>,
}

impl Board for Vectors<'_> {
    fn strain(&mut self) -> Option<i16> {
        Some(*self.from[0].next()? as i16)
    }

    fn belt(&mut self) -> Option<i16> {
        Some(*self.from[1].next()? as i16)
    }

    fn carrier(&mut self) -> Option<[i16; CARRIER_BLOCK]> {
        let mut words = [0; CARRIER_BLOCK];
        for word in &mut words {
            *word = *self.from[2].next()? as i16;
        }
        Some(words)
    }

    fn give_strain(&mut self, word: i16) {
        self.to[0].push(word.into());
    }

    fn give_belt(&mut self, word: i32) {
        self.to[1].push(word.into());
    }

    fn give_carrier(&mut self, words: &[i16]) {
        self.to[2].extend(words.iter().map(|word| i64::from(*word)));
    }
}

fn in_rust(channels: &[Channel; 3]) -> Vec<Vec<i64>> {
    let from = channels.each_ref().map(|channel| channel.input.iter());
    let mut board = Vectors { from, to: vec![Vec::new(); 3] };
    let mut firmware = Firmware::new();
    while firmware.tick(&mut board) {}
    board.to
}

fn firmware() -> Result<bool, Failure> {
    let project = Path::new(env!("CARGO_MANIFEST_DIR"));
    let channels = channels(project)?;
    println!("The buoy's filters against the bit-true simulator, integer for integer");
    let rust = told("Rust, this host", &channels, &in_rust(&channels));
    match on_the_board(project, Path::new(env!("OUT_DIR")), &channels) {
        Ok((found, clocks)) => {
            let c = told("C, Cortex-M4", &channels, &found);
            println!(
                "  In a tick of {CLOCKS_IN_A_TICK} clocks the filters take at most {clocks}, if an \
                 instruction takes 32 ns."
            );
            Ok(rust && c)
        }
        Err(error) => match error.downcast_ref::<RigError>() {
            Some(RigError::Missing { .. }) => {
                println!("  C, Cortex-M4     not run: {error}");
                Ok(false)
            }
            _ => Err(error),
        },
    }
}

fn main() -> ExitCode {
    match firmware() {
        Ok(true) => ExitCode::SUCCESS,
        Ok(false) => ExitCode::FAILURE,
        Err(error) => {
            eprintln!("{error}");
            ExitCode::from(2)
        }
    }
}
