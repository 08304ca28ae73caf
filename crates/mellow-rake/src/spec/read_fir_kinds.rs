//! Reading `[want]` of the kinds that have taps whatever the method.

use super::read::{FREQUENCY_FORMS, Keys};
use super::read_fir::{Method, Wanted, method, number_in, ratio, whole};
use super::read_recursive::{PAIR_FORMS, levels};
use super::{FirMethod, FirShape, FirWish, Problem, SpecError, WishedBand};
use crate::units::{Frequency, Level};
use toml::de::DeValue;

/// What is asked for, the attenuation in decibels, and the method where none is named.
type Kind = (FirShape, Option<f64>, FirMethod);

fn equiripple() -> FirMethod {
    FirMethod::Equiripple { weights: Vec::new() }
}

/// The attenuation in decibels, where one is asked for.
fn attenuation(keys: &Keys<'_>) -> Result<Option<f64>, SpecError> {
    Ok(levels(keys)?.1.map(Level::decibels))
}

/// A kind that has taps whatever the method.
pub(super) fn fir_kind(wanted: &Wanted<'_, '_>, kind: &'static str) -> Result<FirWish, SpecError> {
    let method = method(wanted)?;
    let (shape, attenuation, default) = match kind {
        "multiband" => (multiband(wanted)?, None, equiripple()),
        "points" => points(wanted)?,
        "differentiator" => differentiator(wanted)?,
        "hilbert" => hilbert(wanted)?,
        "half-band" => mth_band(wanted, None, &method)?,
        "mth-band" => mth_band(wanted, Some("factor"), &method)?,
        "raised-cosine" => raised_cosine(wanted, false)?,
        "root-raised-cosine" => raised_cosine(wanted, true)?,
        "smoother" => smoother(wanted, &method)?,
        _ => {
            wanted.keys(&[])?;
            (FirShape::Average, None, FirMethod::ClosedForm)
        }
    };
    method.finish(wanted, shape, attenuation, default)
}

/// A response through points.
fn points(wanted: &Wanted<'_, '_>) -> Result<Kind, SpecError> {
    let keys = wanted.keys(&["points"])?;
    let forms = "pairs of a frequency and a gain, as [[\"0 Hz\", \"1 x\"], [\"10 Hz\", \"0.5 x\"]]";
    let found = keys.need("points", forms)?;
    let mut points: Vec<(f64, f64)> = Vec::new();
    for value in found.array(forms)? {
        let pair = found.element(value);
        let [frequency, gain] = pair.array(forms)? else {
            return Err(pair.wrong_type(forms));
        };
        let place = pair.element(frequency);
        let hertz = wanted.upto_nyquist(&place)?;
        if points.last().is_some_and(|(before, _)| *before >= hertz) {
            return Err(place.error(Problem::Range {
                found: format!("{hertz} Hz"),
                accepted: "rising frequencies".to_owned(),
            }));
        }
        points.push((hertz, ratio(&pair.element(gain))?));
    }
    if points.len() < 2 {
        let found_text = format!("{} points", points.len());
        return Err(
            found.error(Problem::Range { found: found_text, accepted: "2 or more".to_owned() })
        );
    }
    let default = FirMethod::FrequencySampling { transition_samples: Vec::new() };
    Ok((FirShape::Points(points), None, default))
}

/// A differentiator up to an edge.
fn differentiator(wanted: &Wanted<'_, '_>) -> Result<Kind, SpecError> {
    let keys = wanted.keys(&["pass_edge", "attenuation"])?;
    let found = keys.need("pass_edge", FREQUENCY_FORMS)?;
    let pass_hz = wanted.upto_nyquist(&found)?;
    if pass_hz == 0.0 {
        let accepted = "a frequency above 0 Hz".to_owned();
        return Err(found.error(Problem::Range { found: "0 Hz".to_owned(), accepted }));
    }
    Ok((FirShape::Differentiator { pass_hz }, attenuation(&keys)?, equiripple()))
}

/// A turn by a quarter in a band.
fn hilbert(wanted: &Wanted<'_, '_>) -> Result<Kind, SpecError> {
    let keys = wanted.keys(&["pass_edges", "attenuation"])?;
    let found = keys.need("pass_edges", PAIR_FORMS)?;
    let pass_hz = wanted.stretch(&found)?;
    if pass_hz[0] == 0.0 {
        return Err(found.error(Problem::Range {
            found: "0 Hz".to_owned(),
            accepted: "above 0 Hz: at 0 Hz there is nothing to turn".to_owned(),
        }));
    }
    Ok((FirShape::Hilbert { pass_hz }, attenuation(&keys)?, equiripple()))
}

/// Every second tap is zero, or every M-th where a key says which.
fn mth_band(
    wanted: &Wanted<'_, '_>,
    factor_key: Option<&'static str>,
    method: &Method<'_>,
) -> Result<Kind, SpecError> {
    let mut known = vec!["pass_edge", "attenuation"];
    let mut factor = 2;
    known.extend(factor_key);
    let keys = wanted.keys(&known)?;
    if let Some(key) = factor_key {
        let forms = "which tap of each is zero, a whole number from 2 on";
        factor = whole(&keys, key, forms, 2..=1000)?.ok_or_else(|| keys.missing(key, forms))?;
    }
    let pass_hz = match keys.find("pass_edge") {
        None => None,
        Some(found) => {
            let pass = wanted.within(&found)?;
            let cutoff = wanted.rate.nyquist() / factor as f64;
            if pass >= cutoff {
                return Err(found.error(Problem::Range {
                    found: format!("{pass} Hz"),
                    accepted: format!("below fs/{}, {cutoff} Hz", 2 * factor),
                }));
            }
            Some(pass)
        }
    };
    let needs_edge = !matches!(method.design, Some("window"));
    if pass_hz.is_none() && needs_edge {
        return Err(keys.missing("pass_edge", FREQUENCY_FORMS));
    }
    Ok((FirShape::MthBand { factor, pass_hz }, attenuation(&keys)?, equiripple()))
}

/// A pulse of no intersymbol interference, or its root.
fn raised_cosine(wanted: &Wanted<'_, '_>, root: bool) -> Result<Kind, SpecError> {
    let keys = wanted.keys(&["symbol_rate", "rolloff"])?;
    let forms = "symbols per second as a frequency, as \"2 kHz\"";
    let found = keys.need("symbol_rate", forms)?;
    let symbol_rate_hz = found.parse::<Frequency>(forms)?.hertz(wanted.rate);
    let rolloff = number_in(&keys, "rolloff", "a plain number from 0 to 1", &(0.0..=1.0))?
        .ok_or_else(|| keys.missing("rolloff", "a plain number from 0 to 1, as rolloff = 0.25"))?;
    let widest = symbol_rate_hz * (1.0 + rolloff) / 2.0;
    if !(symbol_rate_hz > 0.0 && widest <= wanted.rate.nyquist()) {
        return Err(found.error(Problem::Range {
            found: format!("{symbol_rate_hz} Hz, a band up to {widest} Hz"),
            accepted: format!(
                "above 0 Hz, and up to {} Hz at this rolloff",
                wanted.rate.hertz() / (1.0 + rolloff)
            ),
        }));
    }
    Ok((FirShape::RaisedCosine { symbol_rate_hz, rolloff, root }, None, FirMethod::ClosedForm))
}

/// A polynomial fitted to the samples around.
fn smoother(wanted: &Wanted<'_, '_>, method: &Method<'_>) -> Result<Kind, SpecError> {
    wanted.keys(&[])?;
    let missing = || wanted.top.missing("method", "a table [method] with taps = 11 and degree = 3");
    let keys = method.keys.as_ref().ok_or_else(missing)?;
    let degree = whole(keys, "degree", "the degree of the polynomial", 0..=60)?
        .ok_or_else(|| keys.missing("degree", "the degree of the polynomial, as degree = 3"))?;
    let derivative =
        whole(keys, "derivative", "which derivative, 0 for the value", 0..=degree)?.unwrap_or(0);
    Ok((FirShape::Smoother { degree, derivative }, None, FirMethod::ClosedForm))
}

/// Bands one by one.
fn multiband(wanted: &Wanted<'_, '_>) -> Result<FirShape, SpecError> {
    let keys = wanted.keys(&["bands"])?;
    let forms =
        "tables [[want.bands]] with edges = [\"0 Hz\", \"8 Hz\"], level = \"1 x\" and weight = 1";
    let found = keys.need("bands", forms)?;
    let mut bands: Vec<WishedBand> = Vec::new();
    for value in found.array(forms)? {
        let one = found.element(value);
        let DeValue::Table(table) = one.value else {
            return Err(one.wrong_type(forms));
        };
        let known = ["edges", "level", "weight"];
        let keys = Keys::new(wanted.top.source(), table, "want.bands.", one.start(), &known)?;
        let edges = keys.need("edges", PAIR_FORMS)?;
        let edges_hz = wanted.stretch(&edges)?;
        if bands.last().is_some_and(|before| before.edges_hz[1] >= edges_hz[0]) {
            return Err(edges.error(Problem::Range {
                found: format!("{} Hz", edges_hz[0]),
                accepted: "a beginning above the end of the band before".to_owned(),
            }));
        }
        let found = keys.need("level", "a gain, as \"1 x\", or two for a sloping band")?;
        let level = match found.value {
            DeValue::Array(_) => {
                let [low, high] = found.array(forms)? else {
                    return Err(found.wrong_type("one gain, or two for a sloping band"));
                };
                [ratio(&found.element(low))?, ratio(&found.element(high))?]
            }
            _ => [ratio(&found)?; 2],
        };
        let weight =
            number_in(&keys, "weight", "a number above 0", &(1e-12..=1e12))?.unwrap_or(1.0);
        bands.push(WishedBand { edges_hz, level, weight });
    }
    if bands.is_empty() {
        return Err(keys.missing("bands", forms));
    }
    Ok(FirShape::Multiband(bands))
}
