//! The table `[hardware]`.

use super::SpecError;
use super::error::Problem;
use super::hardware::{Architecture, Hardware, Interface, without_words};
use super::read::Keys;
use crate::units::{Frequency, SampleRate};
use toml::de::DeValue;

const KNOWN: [&str; 12] = [
    "clock",
    "architecture",
    "multipliers",
    "pre_adder",
    "multiplier_stages",
    "pipelining",
    "channels",
    "samples_per_clock",
    "interface",
    "memory_reset",
    "block_ram_bits",
    "coefficients",
];

/// What hardware of a filter or a chain on integers is to be like; without words there is none.
pub(super) fn hardware(
    top: &Keys<'_>,
    rate: SampleRate,
    has_words: bool,
) -> Result<Option<Hardware>, SpecError> {
    let Some(found) = top.find("hardware") else { return Ok(None) };
    let Some(keys) = top.table("hardware", "hardware.", &KNOWN)? else { return Ok(None) };
    if !has_words {
        return Err(found.error(without_words()));
    }
    let mut hardware = Hardware::default();
    let count = |key: &'static str, most: usize| match keys.find(key) {
        Some(found) => found.integer(1..most as i64 + 1).map(|count| Some(count as usize)),
        None => Ok(None),
    };
    hardware.multipliers = count("multipliers", Hardware::MOST_MULTIPLIERS)?;
    if let Some(stages) = count("multiplier_stages", Hardware::MOST_STAGES)? {
        hardware.multiplier_stages = stages;
    }
    if let Some(found) = keys.find("pipelining") {
        hardware.pipelining = match found.value {
            DeValue::String(_) => found.choice(&[("automatic", None)])?,
            _ => Some(found.integer(1..Hardware::MOST_PIPELINING as i64 + 1)? as usize),
        };
    }
    if let Some(channels) = count("channels", Hardware::MOST_CHANNELS)? {
        hardware.channels = channels;
    }
    if let Some(samples) = count("samples_per_clock", Hardware::MOST_SAMPLES)? {
        hardware.samples_per_clock = samples;
    }
    if let Some(found) = keys.find("clock") {
        let forms = "a frequency with its unit in quotes, as \"12 MHz\" or \"64 fs\"";
        let clock = found.parse::<Frequency>(forms)?.hertz(rate);
        let (least, of) = match hardware.samples_per_clock {
            1 => (rate.hertz(), "the sample rate".to_owned()),
            samples => (rate.hertz() / samples as f64, format!("the sample rate over {samples}")),
        };
        if !(clock >= least && clock <= 1e12) {
            let accepted = format!("from {of}, {least} Hz, to 1 THz");
            return Err(found.error(Problem::Range { found: format!("{clock} Hz"), accepted }));
        }
        hardware.clock = Some(clock);
    }
    if let Some(found) = keys.find("architecture") {
        let choices = Architecture::ALL.map(|one| (one.as_str(), one));
        hardware.architecture = Some(found.choice(&choices)?);
    }
    if let Some(found) = keys.find("pre_adder") {
        hardware.pre_adder = Some(found.boolean()?);
    }
    if let Some(found) = keys.find("interface") {
        hardware.interface = found.choice(&Interface::ALL.map(|one| (one.as_str(), one)))?;
    }
    if let Some(found) = keys.find("memory_reset") {
        hardware.clears_memory = found.choice(&[("clear", true), ("keep", false)])?;
    }
    if let Some(found) = keys.find("block_ram_bits") {
        hardware.block_ram_bits = found.integer(1..1 << 32)? as u64;
    }
    if let Some(found) = keys.find("coefficients") {
        let choices = [("constant", false), ("loadable", true)];
        hardware.loads_coefficients = found.choice(&choices)?;
    }
    Ok(Some(hardware))
}
