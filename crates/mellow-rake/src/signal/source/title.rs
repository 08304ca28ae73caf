//! Parts of a signal in a few words.

use super::{Keying, Part, Waveform};
use crate::units::SampleRate;

impl Part {
    /// The symbols in it; `None` of a part that has none.
    pub fn symbols(&self, rate: SampleRate) -> Option<usize> {
        let length = self.stop - self.start;
        match &self.waveform {
            Waveform::Keyed(keyed) => Some(keyed.count(length, rate)),
            Waveform::Multicarrier(many) => Some(many.count(length, rate) * many.carriers as usize),
            _ => None,
        }
    }
}

impl Waveform {
    /// A part in a few words.
    pub fn title(&self, rate: SampleRate) -> String {
        let keying = Keying::as_str;
        match self {
            Waveform::Constant { level } => format!("constant {level}"),
            Waveform::Tone { hertz, amplitude, .. } => format!("tone, {hertz} Hz, {amplitude}"),
            Waveform::Chirp { from_hertz, to_hertz, amplitude, .. } => {
                format!("chirp, {from_hertz} Hz to {to_hertz} Hz, {amplitude}")
            }
            Waveform::Square { hertz, amplitude, duty } => {
                format!("square, {hertz} Hz, {amplitude}, {} % high", 100.0 * duty)
            }
            Waveform::Triangle { hertz, amplitude } => format!("triangle, {hertz} Hz, {amplitude}"),
            Waveform::Pulse { at, width: u64::MAX, amplitude, .. } => {
                format!("step at sample {at}, {amplitude}")
            }
            Waveform::Pulse { at, width, every, amplitude } => {
                let again = if *every > 0 { format!(", every {every}") } else { String::new() };
                format!("pulse of {width} at sample {at}{again}, {amplitude}")
            }
            Waveform::WhiteNoise { rms } => format!("white noise, {rms} rms"),
            Waveform::PinkNoise { rms } => format!("pink noise, {rms} rms"),
            Waveform::BandNoise { band_hertz: [low, high], rms } => {
                format!("noise, {low} Hz to {high} Hz, {rms} rms")
            }
            Waveform::Hum { hertz, amplitude, harmonics, drift_hertz, .. } => format!(
                "hum, {hertz} Hz ± {drift_hertz} Hz, {amplitude}, {} harmonics",
                harmonics.len()
            ),
            Waveform::Spikes { per_second, amplitude, .. } => {
                format!("spikes, {per_second} a second, up to {amplitude}")
            }
            Waveform::Keyed(keyed) => format!(
                "{}, {} Hz, {} symbols a second, {} rms",
                keying(keyed.keying),
                keyed.carrier_hertz,
                keyed.symbol_rate,
                keyed.rms
            ),
            Waveform::Multicarrier(many) => format!(
                "{} carriers of {} about {} Hz, {} Hz apart, blocks of {} + {} samples, {} rms",
                many.carriers,
                keying(many.keying),
                many.center_hertz,
                many.spacing_hertz,
                many.block(rate),
                many.guard,
                many.rms
            ),
        }
    }
}
