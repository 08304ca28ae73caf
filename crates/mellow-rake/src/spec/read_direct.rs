//! Reading `[want]` of filters in closed form, placed by hand, or given by their coefficients.

use super::read::{FREQUENCY_FORMS, Found, Keys, read_center_and_width};
use super::read_fir::{Wanted, number_in, ratio, whole};
use super::{Calibration, Coefficients, DirectWish, Leak, Problem, Root, SpecError};
use crate::units::Duration;
use num_complex::Complex64;
use toml::de::DeValue;

/// The kinds that are read here.
pub(super) const KINDS: [&str; 8] = [
    "peak",
    "comb",
    "dc-blocker",
    "all-pass",
    "leaky-integrator",
    "resonator",
    "placed",
    "coefficients",
];

pub(super) fn direct(wanted: &Wanted<'_, '_>, kind: &'static str) -> Result<DirectWish, SpecError> {
    // Such a filter has no method; but a placed one may say so.
    let known: &[&str] = if kind == "placed" { &["design"] } else { &[] };
    if let Some(keys) = wanted.top.table("method", "method.", known)?
        && let Some(found) = keys.find("design")
    {
        found.choice(&[("placement", ())])?;
    }
    match kind {
        "peak" => {
            let (center_hz, width_hz) = center_and_width(wanted, &["center", "width", "q"])?;
            Ok(DirectWish::Peak { center_hz, width_hz })
        }
        "resonator" => {
            let (center_hz, width_hz) = center_and_width(wanted, &["center", "width", "q"])?;
            Ok(DirectWish::Resonator { center_hz, width_hz })
        }
        "all-pass" => {
            let known = ["center", "width", "q", "order"];
            let keys = wanted.keys(&known)?;
            let forms = "order = 1 (-90 degrees at the center) or order = 2 (-180 degrees)";
            match whole(&keys, "order", forms, 1..=2)? {
                Some(1) => {
                    if let Some(found) = keys.find("width").or_else(|| keys.find("q")) {
                        let accepted =
                            "kind, center, order: a first-order all-pass has no width".to_owned();
                        return Err(found.error(Problem::UnknownKey { nearest: None, accepted }));
                    }
                    let center_hz = wanted.within(&keys.need("center", FREQUENCY_FORMS)?)?;
                    Ok(DirectWish::AllPassFirst { center_hz })
                }
                _ => {
                    let (center_hz, width_hz) = center_and_width(wanted, &known)?;
                    Ok(DirectWish::AllPassSecond { center_hz, width_hz })
                }
            }
        }
        "comb" => comb(wanted),
        "dc-blocker" => {
            let keys = wanted.keys(&["cutoff"])?;
            let cutoff_hz = wanted.within(&keys.need("cutoff", FREQUENCY_FORMS)?)?;
            Ok(DirectWish::DcBlocker { cutoff_hz })
        }
        "leaky-integrator" => {
            let keys = wanted.keys(&["cutoff", "time_constant"])?;
            let leak = match (keys.find("cutoff"), keys.find("time_constant")) {
                (Some(_), Some(found)) => {
                    return Err(found.error(Problem::Both { other: "want.cutoff" }));
                }
                (Some(found), None) => Leak::Cutoff(wanted.within(&found)?),
                (None, Some(found)) => {
                    let forms = "a duration with its unit in quotes, as \"20 ms\" or \"8 samples\"";
                    let samples = found.parse::<Duration>(forms)?.samples(wanted.rate);
                    if !(samples > 1e-3 && samples < 1e12) {
                        let accepted = "0.001 to 1e12 samples".to_owned();
                        return Err(found.error(Problem::Range {
                            found: format!("{samples} samples"),
                            accepted,
                        }));
                    }
                    Leak::TimeConstant(samples)
                }
                (None, None) => {
                    return Err(
                        keys.missing("cutoff", "cutoff = \"2 Hz\", or time_constant = \"80 ms\"")
                    );
                }
            };
            Ok(DirectWish::LeakyIntegrator(leak))
        }
        "placed" => placed(wanted),
        _ => coefficients(wanted).map(DirectWish::Given),
    }
}

/// `center` with `width` or `q`.
fn center_and_width(
    wanted: &Wanted<'_, '_>,
    known: &[&'static str],
) -> Result<(f64, f64), SpecError> {
    let keys = wanted.keys(known)?;
    let (center, width) = read_center_and_width(&keys, wanted.rate)?;
    let center_hz = center.hertz(wanted.rate);
    Ok((center_hz, width.hertz(center_hz, wanted.rate)))
}

fn comb(wanted: &Wanted<'_, '_>) -> Result<DirectWish, SpecError> {
    let keys = wanted.keys(&["fundamental", "harmonics", "width", "widths"])?;
    let found = keys.need("fundamental", FREQUENCY_FORMS)?;
    let fundamental_hz = wanted.within(&found)?;
    let forms = "how many harmonics, the fundamental counted, as harmonics = 4";
    let widths_hz = match (keys.find("width"), keys.find("widths")) {
        (Some(_), Some(other)) => return Err(other.error(Problem::Both { other: "want.width" })),
        (Some(one), None) => {
            let count = whole(&keys, "harmonics", forms, 1..=24)?
                .ok_or_else(|| keys.missing("harmonics", forms))?;
            vec![wanted.within(&one)?; count]
        }
        (None, Some(list)) => {
            if let Some(found) = keys.find("harmonics") {
                return Err(found.error(Problem::Both { other: "want.widths" }));
            }
            let values = list.array("one width for each harmonic, as [\"5 Hz\", \"3 Hz\"]")?;
            if values.is_empty() || values.len() > 24 {
                let accepted = "1 to 24 widths".to_owned();
                return Err(list.error(Problem::Range {
                    found: format!("{} widths", values.len()),
                    accepted,
                }));
            }
            let widths: Result<Vec<f64>, SpecError> =
                values.iter().map(|value| wanted.within(&list.element(value))).collect();
            widths?
        }
        (None, None) => {
            let forms = "width = \"3 Hz\" with harmonics = 4, or widths = [\"5 Hz\", \"3 Hz\"]";
            return Err(keys.missing("width", forms));
        }
    };
    let highest = fundamental_hz * widths_hz.len() as f64;
    if highest >= wanted.rate.nyquist() {
        let most = (wanted.rate.nyquist() / fundamental_hz).ceil() as usize - 1;
        return Err(found.error(Problem::Range {
            found: format!("a harmonic at {highest} Hz"),
            accepted: format!(
                "harmonics below the Nyquist frequency, {} Hz: {most} of them",
                wanted.rate.nyquist()
            ),
        }));
    }
    Ok(DirectWish::Comb { fundamental_hz, widths_hz })
}

fn placed(wanted: &Wanted<'_, '_>) -> Result<DirectWish, SpecError> {
    let keys = wanted.keys(&["zeros", "poles", "gain", "gain_at"])?;
    let roots = |key: &'static str, prefix: &'static str| -> Result<Vec<Root>, SpecError> {
        let forms =
            "tables with frequency and radius, as [{ frequency = \"50 Hz\", radius = 0.98 }]";
        let Some(found) = keys.find(key) else {
            return Ok(Vec::new());
        };
        let root = |one: Found<'_>| {
            let DeValue::Table(table) = one.value else {
                return Err(one.wrong_type(forms));
            };
            let known = ["frequency", "radius"];
            let keys = Keys::new(wanted.top.source(), table, prefix, one.start(), &known)?;
            let frequency_hz = wanted.upto_nyquist(&keys.need("frequency", FREQUENCY_FORMS)?)?;
            let forms = "the distance from the origin, a plain number from 0 on";
            let most = if key == "poles" { 0.999_999_999_999 } else { 1e6 };
            let radius = number_in(&keys, "radius", forms, &(0.0..=most))?
                .ok_or_else(|| keys.missing("radius", forms))?;
            Ok(Root { frequency_hz, radius })
        };
        found.array(forms)?.iter().map(|value| root(found.element(value))).collect()
    };
    let (zeros, poles) = (roots("zeros", "want.zeros.")?, roots("poles", "want.poles.")?);
    if zeros.is_empty() && poles.is_empty() {
        let forms = "poles or zeros, as poles = [{ frequency = \"50 Hz\", radius = 0.98 }]";
        return Err(keys.missing("poles", forms));
    }
    let level = keys.find("gain").map_or(Ok(1.0), |found| ratio(&found))?;
    let at_hz = match keys.find("gain_at") {
        None => None,
        Some(found) => match found.value {
            DeValue::String(text) if &**text == "peak" => None,
            _ => Some(wanted.upto_nyquist(&found)?),
        },
    };
    Ok(DirectWish::Placed { zeros, poles, calibration: Calibration { level, at_hz } })
}

/// Rows of six numbers; the sign is that of the feedback.
fn sections(keys: &Keys<'_>, sign: f64) -> Result<Coefficients, SpecError> {
    let forms = "rows of six numbers b0 b1 b2 a0 a1 a2, as [[0.5, 0, 0, 1, -0.5, 0]]";
    let found = keys.need("sections", forms)?;
    let row = |value| {
        let one = found.element(value);
        let values: Result<Vec<f64>, SpecError> =
            one.array(forms)?.iter().map(|value| one.element(value).number(forms)).collect();
        let values = values?;
        let [b0, b1, b2, a0, a1, a2] = values[..] else {
            let found = format!("{} numbers", values.len());
            return Err(one.error(Problem::Range { found, accepted: forms.to_owned() }));
        };
        Ok([b0, b1, b2, a0, sign * a1, sign * a2])
    };
    found.array(forms)?.iter().map(row).collect::<Result<_, _>>().map(Coefficients::Sections)
}

/// Zeros and poles with the factor in front.
fn zeros_poles(keys: &Keys<'_>) -> Result<Coefficients, SpecError> {
    let forms = "pairs [real, imaginary] in the z-plane, conjugates included, as [[-1, 0]]";
    let roots = |key: &'static str| -> Result<Vec<Complex64>, SpecError> {
        let Some(found) = keys.find(key) else {
            return Ok(Vec::new());
        };
        let root = |value| {
            let one = found.element(value);
            let [re, im] = one.array(forms)? else {
                return Err(one.wrong_type(forms));
            };
            Ok(Complex64::new(one.element(re).number(forms)?, one.element(im).number(forms)?))
        };
        found.array(forms)?.iter().map(root).collect()
    };
    let (zeros, poles) = (roots("zeros")?, roots("poles")?);
    let gain = keys.find("gain").map_or(Ok(1.0), |found| found.number("the factor in front"))?;
    Ok(Coefficients::ZerosPoles { zeros, poles, gain })
}

fn coefficients(wanted: &Wanted<'_, '_>) -> Result<Coefficients, SpecError> {
    let known = ["b", "a", "sections", "zeros", "poles", "gain", "taps", "file", "feedback"];
    let keys = wanted.keys(&known)?;
    let forms = "one of: b and a; sections; zeros, poles and gain; taps; file";
    let added = match keys.find("feedback") {
        None => false,
        Some(found) => found.choice(&[("subtracted", false), ("added", true)])?,
    };
    let sign = if added { -1.0 } else { 1.0 };
    let list = |key: &'static str, forms: &'static str| -> Result<Option<Vec<f64>>, SpecError> {
        let Some(found) = keys.find(key) else {
            return Ok(None);
        };
        found
            .array(forms)?
            .iter()
            .map(|value| found.element(value).number(forms))
            .collect::<Result<_, _>>()
            .map(Some)
    };
    let ways: [&[&'static str]; 5] =
        [&["b", "a"], &["sections"], &["zeros", "poles", "gain"], &["taps"], &["file"]];
    let present = |way: &&[&'static str]| way.iter().any(|key| keys.find(key).is_some());
    let mut chosen = ways.iter().filter(|way| present(way));
    let Some(way) = chosen.next() else {
        return Err(keys.missing("b", forms));
    };
    if let Some(other) = chosen.next()
        && let Some(found) = other.iter().find_map(|key| keys.find(key))
    {
        return Err(found.error(Problem::Both { other: way[0] }));
    }
    let numbers = "numbers by rising delay, as [0.5, 0.5]";
    match way[0] {
        "b" => {
            let b = list("b", numbers)?.ok_or_else(|| keys.missing("b", numbers))?;
            let mut a = list("a", numbers)?.unwrap_or_else(|| vec![1.0]);
            a.iter_mut().skip(1).for_each(|a| *a *= sign);
            Ok(Coefficients::Polynomials { b, a })
        }
        "sections" => sections(&keys, sign),
        "zeros" => zeros_poles(&keys),
        "taps" => list("taps", numbers)?
            .map(Coefficients::Taps)
            .ok_or_else(|| keys.missing("taps", numbers)),
        _ => {
            let forms = "the path of a .csv or .json file, beside the spec";
            let found = keys.need("file", forms)?;
            if added {
                let accepted =
                    "kind, file: the file's own columns are b0 b1 b2 a0 a1 a2 with subtracted \
                    feedback"
                        .to_owned();
                let stray = keys.find("feedback").unwrap_or(found);
                return Err(stray.error(Problem::UnknownKey { nearest: None, accepted }));
            }
            Ok(Coefficients::File(found.text(forms)?.to_owned()))
        }
    }
}
