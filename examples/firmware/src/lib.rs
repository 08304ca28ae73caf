//! The same firmware in Rust, without a library: what the board is, it is told.
#![no_std]

/// The notch of the mooring's strain.
pub mod pump_hum {
    include!(concat!(env!("OUT_DIR"), "/pump_hum.rs"));
}
/// The low-pass of the chest belt.
pub mod breath {
    include!(concat!(env!("OUT_DIR"), "/breath.rs"));
}
/// The band of the modem's carrier.
pub mod carrier_band {
    include!(concat!(env!("OUT_DIR"), "/carrier_band.rs"));
}

use breath::Breath;
use carrier_band::CarrierBand;
use pump_hum::PumpHum;

/// Words of the carrier in a tick.
pub const CARRIER_BLOCK: usize = 96;

/// The converters of the board and where results go.
pub trait Board {
    /// The next word of the mooring's strain; `None` when the recording has ended.
    fn strain(&mut self) -> Option<i16>;
    /// The next word of the chest belt.
    fn belt(&mut self) -> Option<i16>;
    /// The next words of the carrier.
    fn carrier(&mut self) -> Option<[i16; CARRIER_BLOCK]>;
    /// What the filters give.
    fn give_strain(&mut self, word: i16);
    /// The same.
    fn give_belt(&mut self, word: i32);
    /// The same.
    fn give_carrier(&mut self, words: &[i16]);
}

/// The filters, and where in its period the belt is.
pub struct Firmware {
    strain: PumpHum,
    belt: Breath,
    carrier: CarrierBand,
    phase: u32,
}

impl Default for Firmware {
    fn default() -> Self {
        Self::new()
    }
}

impl Firmware {
    /// With filters at rest.
    pub const fn new() -> Self {
        Firmware {
            strain: PumpHum::new(),
            belt: Breath::new(),
            carrier: CarrierBand::new(),
            phase: 0,
        }
    }

    /// What the system timer calls every millisecond; whether anything came.
    pub fn tick(&mut self, board: &mut impl Board) -> bool {
        let mut came = false;
        if let Some(word) = board.strain() {
            board.give_strain(self.strain.step(word));
            came = true;
        }
        if let Some(words) = board.carrier() {
            let mut output = [0; CARRIER_BLOCK];
            self.carrier.block(&words, &mut output);
            board.give_carrier(&output);
            came = true;
        }
        self.phase += 64;
        if self.phase < 1_000 {
            return true;
        }
        self.phase -= 1_000;
        if let Some(word) = board.belt() {
            board.give_belt(self.belt.step(word));
            came = true;
        }
        came
    }
}
