//! Reading the spec of a chain: `[change]` and `[[stage]]`.

use super::chain_wish::{check_change, check_gain, out_of_rates};
use super::read::{FREQUENCY_FORMS, Keys, Source, effort, head, parsed, want};
use super::read_chain_fixed::{fixed, stage_fixed};
use super::read_firmware::firmware;
use super::read_hardware::hardware;
use super::{
    ChainSpec, Comb, Kept, Least, Problem, RateChange, SpecError, StageFixed, StageWish, Want,
};
use crate::units::{Frequency, Level, SampleRate};
use toml::de::{DeTable, DeValue};

const CHANGE: &str = "a table [change] with pass_edge, and with up or down unless stages are given";
const LEVEL: &str = "a level with its unit in quotes, as \"70 dB\"";

pub(super) fn is_chain(text: &str) -> bool {
    let has = |table: &DeTable<'_>| table.contains_key("change") || table.contains_key("stage");
    DeTable::parse(text).is_ok_and(|table| has(table.get_ref()))
}

pub(super) fn chain(text: &str) -> Result<ChainSpec, SpecError> {
    let source = Source::new(text);
    let table = parsed(&source, text)?;
    let known =
        ["name", "sample_rate", "change", "stage", "fixed", "hardware", "firmware", "effort"];
    let top = Keys::new(&source, table.get_ref(), "", 0, &known)?;
    let (name, sample_rate) = head(&top)?;
    let effort = effort(&top)?;
    let mut fixed = fixed(&top, effort)?;
    let usual = fixed.as_ref().map(|fixed| fixed.usual);
    let (mut stages, words) = stages(&top, sample_rate, usual)?;
    if let Some(fixed) = &mut fixed {
        fixed.stages = words;
    }
    for stage in &mut stages {
        if let Some(Want::Fir(wish)) = &mut stage.want {
            wish.effort = effort;
        }
    }
    let change = change(&top, sample_rate, &stages)?;
    let hardware = hardware(&top, sample_rate, fixed.is_some())?;
    let firmware = firmware(&top, fixed.is_some())?;
    if let Some(place) = top.find("firmware").filter(|_| firmware.channels > 1) {
        return Err(place.error(Problem::Range {
            found: format!("channels = {}", firmware.channels),
            accepted: "`channels` in [change]: streams of a chain come side by side".to_owned(),
        }));
    }
    Ok(ChainSpec { name, sample_rate, change, stages, fixed, hardware, firmware, effort })
}

fn factor(keys: &Keys<'_>, key: &'static str) -> Result<Option<usize>, SpecError> {
    let Some(found) = keys.find(key) else { return Ok(None) };
    found.integer(1..ChainSpec::LARGEST_FACTOR as i64 + 1).map(|factor| Some(factor as usize))
}

/// The tables `[[stage]]`.
fn stages(
    top: &Keys<'_>,
    rate: SampleRate,
    usual: Option<StageFixed>,
) -> Result<(Vec<StageWish>, Vec<StageFixed>), SpecError> {
    let mut words = Vec::new();
    let Some(found) = top.find("stage") else { return Ok((Vec::new(), words)) };
    let tables = found.array("tables [[stage]], one for each stage in order")?;
    if !(1..=ChainSpec::MOST_STAGES).contains(&tables.len()) {
        return Err(found.error(Problem::Range {
            found: format!("{} stages", tables.len()),
            accepted: format!("1 to {} stages", ChainSpec::MOST_STAGES),
        }));
    }
    let mut stages: Vec<StageWish> = Vec::new();
    // Of the input's rate, so that whole rates stay whole.
    let (mut above, mut below) = (1u128, 1u128);
    for (index, table) in tables.iter().enumerate() {
        let number = index + 1;
        let read = || {
            let element = found.element(table);
            let DeValue::Table(own) = table.get_ref() else {
                return Err(element.wrong_type("a table [[stage]]"));
            };
            let known = ["up", "down", "gain", "comb", "want", "method", "fixed"];
            let keys = Keys::new(top.source(), own, "stage.", element.start(), &known)?;
            let (up, down) = (factor(&keys, "up")?, factor(&keys, "down")?);
            let wants = keys.find("want").is_some();
            let gain_db = gain(&keys)?;
            let is_still = up.unwrap_or(1) == 1 && down.unwrap_or(1) == 1 && !wants;
            if is_still && gain_db.is_none() {
                const FORMS: &str = "down = 4 or up = 4, a table [stage.want], or gain = \"6 dB\"";
                return Err(keys.missing("down", FORMS));
            }
            let (up, down) = (up.unwrap_or(1), down.unwrap_or(1));
            let between = rate.hertz() * (above * up as u128) as f64 / below as f64;
            let within = SampleRate::from_hertz(between);
            let within = within.ok_or_else(|| element.error(out_of_rates(between)))?;
            let comb = comb(&keys, [up, down], wants)?;
            let fixed = stage_fixed(&keys, usual)?;
            let want = if wants { Some(want(&keys, within)?) } else { None };
            if let (None, Some(method)) = (&want, keys.find("method")) {
                return Err(method.error(Problem::Range {
                    found: "a method without a [stage.want]".to_owned(),
                    accepted:
                        "both tables, or neither: then the stage is designed as [change] asks"
                            .to_owned(),
                }));
            }
            // Integrators and combs, and gains, are what they are, whatever the others are.
            let mut others = stages.iter().filter(|one| one.comb.is_none() && !one.is_gain());
            if let Some(first) = others.next().filter(|one| one.want.is_some() != wants)
                && comb.is_none()
                && !is_still
            {
                let word = |is: bool| if is { "a" } else { "no" };
                return Err(element.error(Problem::Range {
                    found: format!(
                        "{} [stage.want], and a stage before it has {}",
                        word(wants),
                        word(first.want.is_some())
                    ),
                    accepted:
                        "[stage.want] in all stages but those of combs and of gains, or in none"
                            .to_owned(),
                }));
            }
            Ok((StageWish { up, down, rate: within, want, comb, gain_db }, fixed))
        };
        let (stage, fixed) = read().map_err(|error| numbered(error, number))?;
        words.extend(fixed);
        (above, below) = (above * stage.up as u128, below * stage.down as u128);
        if above.max(below) > 1 << 16 {
            return Err(found.element(table).error(Problem::Range {
                found: format!("factors of {above} up and {below} down to stage {number}"),
                accepted: "65536 at the most in all, each way".to_owned(),
            }));
        }
        stages.push(stage);
    }
    Ok((stages, words))
}

/// What a stage multiplies by.
fn gain(keys: &Keys<'_>) -> Result<Option<f64>, SpecError> {
    let Some(found) = keys.find("gain") else { return Ok(None) };
    let gain_db = found.parse::<Level>(LEVEL)?.decibels();
    check_gain(gain_db, keys.find("comb").is_some()).map_err(|problem| found.error(problem))?;
    Ok(Some(gain_db))
}

/// Integrators and combs, in the place of a filter.
fn comb(
    keys: &Keys<'_>,
    [up, down]: [usize; 2],
    has_want: bool,
) -> Result<Option<Comb>, SpecError> {
    let Some(own) = keys.table("comb", "stage.comb.", &["order", "delay"])? else {
        return Ok(None);
    };
    let place = keys.need("comb", "a table [stage.comb]")?;
    if has_want {
        return Err(place.error(Problem::Both { other: "stage.want" }));
    }
    if up.min(down) > 1 || up.max(down) == 1 {
        return Err(place.error(Problem::Range {
            found: format!("integrators and combs that go up by {up} and down by {down}"),
            accepted: "a change one way: up or down".to_owned(),
        }));
    }
    let count = |key: &'static str, most: usize| {
        own.find(key).map(|found| found.integer(1..most as i64 + 1)).transpose()
    };
    let order = count("order", Comb::LARGEST_ORDER)?
        .ok_or_else(|| own.missing("order", "how many integrators and combs, as order = 4"))?;
    let delay = count("delay", Comb::LARGEST_DELAY)?.unwrap_or(1);
    Ok(Some(Comb { order: order as usize, delay: delay as usize }))
}

/// An error under the key of its stage.
fn numbered(mut error: SpecError, number: usize) -> SpecError {
    let own = error
        .key
        .strip_prefix("stage")
        .map_or(error.key.as_str(), |rest| rest.strip_prefix('.').unwrap_or(rest));
    error.key = match own {
        "" => format!("stage.{number}"),
        own => format!("stage.{number}.{own}"),
    };
    error
}

/// The table `[change]`.
fn change(top: &Keys<'_>, rate: SampleRate, stages: &[StageWish]) -> Result<RateChange, SpecError> {
    let known = [
        "up",
        "down",
        "carrier",
        "samples",
        "channels",
        "pass_edge",
        "ripple",
        "attenuation",
        "keep",
        "combs",
        "least",
    ];
    let keys =
        top.table("change", "change.", &known)?.ok_or_else(|| top.missing("change", CHANGE))?;
    let asked = [factor(&keys, "up")?, factor(&keys, "down")?];
    let of_stages = |factor: &dyn Fn(&StageWish) -> usize| stages.iter().map(factor).product();
    let made: [usize; 2] = [of_stages(&|stage| stage.up), of_stages(&|stage| stage.down)];
    if stages.is_empty() && asked.iter().all(|factor| factor.unwrap_or(1) == 1) {
        return Err(keys.missing("down", "down = 8, up = 8, or both, as up = 3 and down = 2"));
    }
    for (key, asked, made) in [("up", asked[0], made[0]), ("down", asked[1], made[1])] {
        if let Some(found) = keys.find(key).filter(|_| !stages.is_empty() && asked != Some(made)) {
            return Err(found.error(Problem::Range {
                found: format!("{}, and the stages go {key} by {made}", asked.unwrap_or(1)),
                accepted: format!("{made}, or no `{key}`: the stages say it"),
            }));
        }
    }
    let [up, down] = if stages.is_empty() { asked.map(|factor| factor.unwrap_or(1)) } else { made };
    let found = keys.need("pass_edge", FREQUENCY_FORMS)?;
    let pass_hz = found.parse::<Frequency>(FREQUENCY_FORMS)?.hertz(rate);
    let are_given = stages.iter().any(|stage| stage.want.is_some());
    let ripple_db = level(&keys, "ripple", are_given)?;
    let attenuation_db = level(&keys, "attenuation", are_given)?;
    let kept = keys.find("keep").map(|found| found.choice(&Kept::ALL)).transpose()?;
    let kept = kept.unwrap_or_default();
    let combs = keys.find("combs").map(|found| {
        if stages.is_empty() {
            return found.boolean();
        }
        Err(found.error(Problem::Range {
            found: "stages that are given".to_owned(),
            accepted: "[stage.comb] where a stage is to be integrators and combs".to_owned(),
        }))
    });
    let combs = combs.transpose()?.unwrap_or(true);
    let least = keys.find("least").map(|found| {
        if stages.is_empty() {
            return found.choice(&Least::ALL);
        }
        Err(found.error(Problem::Range {
            found: "stages that are given".to_owned(),
            accepted: "no `least`: nothing is weighed".to_owned(),
        }))
    });
    let least = least.transpose()?.unwrap_or_default();
    let carriers_hz = carriers(&keys, rate)?;
    let samples =
        keys.find("samples").map(|found| found.choice(&[("real", false), ("complex", true)]));
    let is_complex = samples.transpose()?.unwrap_or(false);
    let most = ChainSpec::MOST_CHANNELS as i64;
    let channels = keys.find("channels").map(|found| found.integer(1..most + 1)).transpose()?;
    let channels = channels.unwrap_or(1) as usize;
    let change = RateChange {
        up,
        down,
        pass_hz,
        ripple_db,
        attenuation_db,
        kept,
        combs,
        least,
        carriers_hz,
        is_complex,
        channels,
    };
    check_change(&change, rate).map_err(|(key, problem)| {
        let key = key.rsplit('.').next().unwrap_or(key);
        match keys.find(key) {
            Some(found) => found.error(problem),
            None => keys.missing("pass_edge", FREQUENCY_FORMS),
        }
    })?;
    Ok(change)
}

/// One carrier, or a list of them.
fn carriers(keys: &Keys<'_>, rate: SampleRate) -> Result<Vec<f64>, SpecError> {
    const FORMS: &str = "a frequency with its unit in quotes, as \"27 kHz\", or a list of them";
    let Some(found) = keys.find("carrier") else { return Ok(Vec::new()) };
    let Ok(list) = found.array(FORMS) else {
        return Ok(vec![found.parse::<Frequency>(FORMS)?.hertz(rate)]);
    };
    if list.is_empty() {
        return Err(found.error(Problem::Range {
            found: "an empty list".to_owned(),
            accepted: "one carrier or more, or no `carrier`".to_owned(),
        }));
    }
    let one = |value| Ok(found.element(value).parse::<Frequency>(FORMS)?.hertz(rate));
    list.iter().map(one).collect()
}

/// A level; without it stages cannot be found.
fn level(
    keys: &Keys<'_>,
    key: &'static str,
    may_be_missing: bool,
) -> Result<Option<f64>, SpecError> {
    match keys.find(key) {
        Some(found) => Ok(Some(found.parse::<Level>(LEVEL)?.decibels())),
        None if may_be_missing => Ok(None),
        None => Err(keys.missing(key, LEVEL)),
    }
}
