//! Reading `[want]` and `[method]` of a recursive low-pass, high-pass, band-pass or band-stop filter.

use super::read::{FREQUENCY_FORMS, Found, Keys, below_nyquist};
use super::{Problem, Recursive, RecursiveEdges, SpecError};
use crate::filter::{BandKind, EdgeMeaning, Family, LARGEST_ORDER, Mapping};
use crate::units::{Frequency, Level, SampleRate};
use toml::de::{DeTable, DeValue};

pub(super) const PAIR_FORMS: &str =
    "two rising frequencies with their units, as [\"5 Hz\", \"15 Hz\"]";
const LEVEL_FORMS: &str = "a level with its unit in quotes, as \"0.5 dB\" or \"0.01 x\"";

/// The keys of the three kinds of edges: one edge, or two.
pub(super) fn edge_keys(kind: BandKind) -> [&'static str; 3] {
    if kind.is_band() {
        ["cutoffs", "pass_edges", "stop_edges"]
    } else {
        ["cutoff", "pass_edge", "stop_edge"]
    }
}

/// `ripple` and `attenuation`, if they are there.
pub(super) fn levels(keys: &Keys<'_>) -> Result<(Option<Level>, Option<Level>), SpecError> {
    let level = |key: &'static str, least: f64, most: f64| match keys.find(key) {
        None => Ok(None),
        Some(found) => {
            let level: Level = found.parse(LEVEL_FORMS)?;
            // As a plain ratio an attenuation is a gain below 1 or what that is divided by, a ripple the
            // largest gain over the smallest or the other way round: textbooks give either.
            let decibels = level.decibels().abs();
            if !(least..=most).contains(&decibels) {
                return Err(found.error(Problem::Range {
                    found: format!("{decibels} dB"),
                    accepted: format!("{least} dB to {most} dB"),
                }));
            }
            Ok(Some(Level::from_decibels(decibels)))
        }
    };
    let ripple = level("ripple", 1e-6, 20.0)?;
    let attenuation = level("attenuation", 1e-6, 300.0)?;
    if let (Some(r), Some(a), Some(found)) = (ripple, attenuation, keys.find("attenuation"))
        && a <= r
    {
        return Err(found.error(Problem::Range {
            found: format!("{} dB", a.decibels()),
            accepted: format!("more than the ripple, {} dB", r.decibels()),
        }));
    }
    Ok((ripple, attenuation))
}

pub(super) fn recursive<'a>(
    top: &Keys<'a>,
    table: &'a DeTable<'a>,
    at: usize,
    kind: BandKind,
    rate: SampleRate,
) -> Result<Recursive, SpecError> {
    let [cutoff, pass, stop] = edge_keys(kind);
    let known = ["kind", cutoff, pass, stop, "ripple", "attenuation"];
    let keys = Keys::new(top.source(), table, "want.", at, &known)?;
    let (family, order, mapping) = method(top, kind)?;
    let (ripple, attenuation) = levels(&keys)?;
    if family.needs_ripple() && ripple.is_none() {
        return Err(keys.missing("ripple", "the pass-band ripple of this family, as \"0.5 dB\""));
    }
    if family.needs_attenuation() && attenuation.is_none() {
        return Err(
            keys.missing("attenuation", "the stop-band attenuation of this family, as \"60 dB\"")
        );
    }
    let given = |key: &'static str| -> Result<Option<Vec<Frequency>>, SpecError> {
        keys.find(key).map(|found| edges(&found, kind, rate)).transpose()
    };
    let found = [given(cutoff)?, given(pass)?, given(stop)?];
    let edges = match (order, found) {
        (order, [None, Some(pass), Some(stop)]) => {
            need(
                &keys,
                ripple,
                "ripple",
                "the ripple that ends at the pass-band edge, as \"0.5 dB\"",
            )?;
            need(
                &keys,
                attenuation,
                "attenuation",
                "the attenuation that the stop-band needs, as \"60 dB\"",
            )?;
            RecursiveEdges::Template { order, pass, stop }
        }
        (None, [_, _, None]) => {
            return Err(keys.missing(
                stop,
                "where the stop-band begins (order = \"minimum\" needs both edges)",
            ));
        }
        (None, [_, None, _]) => {
            return Err(keys
                .missing(pass, "where the pass-band ends (order = \"minimum\" needs both edges)"));
        }
        (Some(order), [Some(edges), None, None]) => {
            RecursiveEdges::Recipe { meaning: EdgeMeaning::HalfPower, edges, order }
        }
        (Some(order), [None, Some(edges), None]) => {
            need(
                &keys,
                ripple,
                "ripple",
                "the ripple that ends at the pass-band edge, as \"0.5 dB\"",
            )?;
            RecursiveEdges::Recipe { meaning: EdgeMeaning::RippleEnd, edges, order }
        }
        (Some(order), [None, None, Some(edges)]) => {
            need(
                &keys,
                attenuation,
                "attenuation",
                "the attenuation at the stop-band edge, as \"60 dB\"",
            )?;
            RecursiveEdges::Recipe { meaning: EdgeMeaning::StopBegin, edges, order }
        }
        (Some(_), [None, None, None]) => {
            return Err(keys.missing(cutoff, "the -3 dB point; or the pass-band or stop-band edge"));
        }
        (_, [Some(_), other, _]) => {
            let (key, other) = (
                keys.find(cutoff),
                if other.is_some() { "want.pass_edge" } else { "want.stop_edge" },
            );
            let found = key.ok_or_else(|| keys.missing(cutoff, FREQUENCY_FORMS))?;
            return Err(found.error(Problem::Both { other }));
        }
    };
    if let RecursiveEdges::Template { pass: inner, stop: outer, .. } = &edges {
        check_template(&keys, kind, stop, inner, outer, rate)?;
    }
    Ok(Recursive { kind, family, mapping, edges, ripple, attenuation })
}

fn need(
    keys: &Keys<'_>,
    level: Option<Level>,
    key: &'static str,
    accepted: &'static str,
) -> Result<(), SpecError> {
    level.map(drop).ok_or_else(|| keys.missing(key, accepted))
}

/// The stop-band must lie beyond the pass-band on every side.
pub(super) fn check_template(
    keys: &Keys<'_>,
    kind: BandKind,
    key: &'static str,
    pass: &[Frequency],
    stop: &[Frequency],
    rate: SampleRate,
) -> Result<(), SpecError> {
    let hertz = |edges: &[Frequency], index: usize| edges[index.min(edges.len() - 1)].hertz(rate);
    let (a, b, c, d) = (hertz(pass, 0), hertz(pass, 1), hertz(stop, 0), hertz(stop, 1));
    let (apart, accepted) = match kind {
        BandKind::Lowpass => (a < c, format!("above the pass-band edge, {a} Hz")),
        BandKind::Highpass => (c < a, format!("below the pass-band edge, {a} Hz")),
        BandKind::Bandpass => {
            (c < a && b < d, format!("below {a} Hz and above {b} Hz, outside the pass-band"))
        }
        BandKind::Bandstop => {
            (a < c && d < b, format!("above {a} Hz and below {b} Hz, between the pass-bands"))
        }
    };
    match keys.find(key) {
        Some(found) if !apart => {
            let given =
                if kind.is_band() { format!("{c} Hz and {d} Hz") } else { format!("{c} Hz") };
            Err(found.error(Problem::Range { found: given, accepted }))
        }
        _ => Ok(()),
    }
}

/// One frequency, or two rising ones, all between zero and Nyquist.
pub(super) fn edges(
    found: &Found<'_>,
    kind: BandKind,
    rate: SampleRate,
) -> Result<Vec<Frequency>, SpecError> {
    if !kind.is_band() {
        let edge: Frequency = found.parse(FREQUENCY_FORMS)?;
        below_nyquist(found, edge, rate)?;
        return Ok(vec![edge]);
    }
    let DeValue::Array(values) = found.value else {
        return Err(found.wrong_type(PAIR_FORMS));
    };
    if values.len() != 2 {
        let accepted = PAIR_FORMS.to_owned();
        return Err(
            found.error(Problem::Range { found: format!("{} values", values.len()), accepted })
        );
    }
    let mut edges = Vec::new();
    for value in values.iter() {
        let one = found.element(value);
        let edge: Frequency = one.parse(FREQUENCY_FORMS)?;
        below_nyquist(&one, edge, rate)?;
        edges.push(edge);
    }
    let (low, high) = (edges[0].hertz(rate), edges[1].hertz(rate));
    if low >= high {
        let given = format!("{low} Hz before {high} Hz");
        return Err(found
            .error(Problem::Range { found: given, accepted: "the lower edge first".to_owned() }));
    }
    Ok(edges)
}

/// The word under `method.design`: a family of recursive filters, or a method for taps.
pub(super) fn design_word(top: &Keys<'_>) -> Result<&'static str, SpecError> {
    // Which other keys are known depends on this one; they are checked later.
    let missing = "a table [method] with design = \"butterworth\", \"chebyshev1\", \"chebyshev2\", \
        \"elliptic\", \"bessel\", \"window\", \"equiripple\", \"least-squares\" or \"frequency-sampling\"";
    let Some(found) = top.find("method") else {
        return Err(top.missing("method", missing));
    };
    let DeValue::Table(table) = found.value else {
        return Err(found.wrong_type(missing));
    };
    let keys = Keys::unchecked(top.source(), table, "method.", found.start());
    let words: Vec<(&'static str, &'static str)> = Family::ALL
        .iter()
        .map(|family| family.as_str())
        .chain(super::read_fir::METHODS)
        .map(|word| (word, word))
        .collect();
    keys.need("design", missing)?.choice(&words)
}

/// The family and the order; no order is the smallest that will do.
fn method(top: &Keys<'_>, kind: BandKind) -> Result<(Family, Option<usize>, Mapping), SpecError> {
    let missing = "a table [method] with design = \"butterworth\", \"chebyshev1\", \"chebyshev2\", \
         \"elliptic\" or \"bessel\"";
    let Some(keys) = top.table("method", "method.", &["design", "order", "mapping"])? else {
        return Err(top.missing("method", missing));
    };
    let design = keys.need("design", missing)?;
    let family = design.choice(&Family::ALL.map(|family| (family.as_str(), family)))?;
    let mapping = match keys.find("mapping") {
        None => Mapping::Bilinear,
        Some(found) => found.choice(&[
            ("bilinear", Mapping::Bilinear),
            ("impulse-invariant", Mapping::ImpulseInvariant),
        ])?,
    };
    let Some(found) = keys.find("order") else {
        return Ok((family, None, mapping));
    };
    if let DeValue::String(text) = found.value
        && &**text == "minimum"
    {
        return Ok((family, None, mapping));
    }
    let step = if kind.is_band() { 2 } else { 1 };
    let most = LARGEST_ORDER * step;
    let order = found.number("a whole number, or \"minimum\"")?;
    let whole = order.fract() == 0.0 && order >= 1.0 && order <= most as f64;
    if !whole || !(order as usize).is_multiple_of(step) {
        let even = if step == 2 { ", even" } else { "" };
        return Err(found.error(Problem::Range {
            found: format!("{order}"),
            accepted: format!(
                "1 to {most}{even} (order counts all poles of the digital filter), or \"minimum\""
            ),
        }));
    }
    Ok((family, Some(order as usize), mapping))
}
