//! The table `[firmware]`.

use super::firmware::without_words;
use super::read::Keys;
use super::{CodeGoal, Firmware, SpecError, Tune};

const KNOWN: [&str; 3] = ["tune", "goal", "channels"];

/// What the C of a filter is to be like.
pub(super) fn firmware(top: &Keys<'_>, has_words: bool) -> Result<Firmware, SpecError> {
    let mut firmware = Firmware::default();
    let Some(found) = top.find("firmware") else { return Ok(firmware) };
    let Some(keys) = top.table("firmware", "firmware.", &KNOWN)? else { return Ok(firmware) };
    if !has_words {
        return Err(found.error(without_words()));
    }
    if let Some(found) = keys.find("tune") {
        firmware.tune = found.choice(&Tune::ALL.map(|(tune, name, _)| (name, tune)))?;
    }
    if let Some(found) = keys.find("goal") {
        firmware.goal = found.choice(&CodeGoal::ALL)?;
    }
    if let Some(found) = keys.find("channels") {
        firmware.channels = found.integer(1..Firmware::MOST_CHANNELS as i64 + 1)? as usize;
    }
    Ok(firmware)
}
