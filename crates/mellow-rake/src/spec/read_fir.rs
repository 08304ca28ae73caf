//! Reading `[want]` and `[method]` of a finite impulse response.

use super::read::{FREQUENCY_FORMS, Found, Keys, below_nyquist};
use super::read_recursive::{PAIR_FORMS, edge_keys, edges, levels};
use super::{FirEdges, FirMethod, FirShape, FirWish, LARGEST_TAPS, Phase, Problem, SpecError};
use crate::effort::Effort;
use crate::filter::BandKind;
use crate::units::{Frequency, Level, SampleRate};
use crate::window::{Window, beta_for_attenuation, beta_for_template};
use toml::de::{DeTable, DeValue};

/// The words for the methods.
pub(super) const METHODS: [&str; 4] =
    ["window", "equiripple", "least-squares", "frequency-sampling"];
const WINDOWS: [&str; 12] = [
    "rectangular",
    "bartlett",
    "hann",
    "hamming",
    "blackman",
    "blackman-harris",
    "nuttall",
    "flat-top",
    "gaussian",
    "tukey",
    "kaiser",
    "chebyshev",
];
/// Kinds with taps beside the four that let a band through.
pub(super) const KINDS: [&str; 10] = [
    "multiband",
    "points",
    "differentiator",
    "hilbert",
    "half-band",
    "mth-band",
    "raised-cosine",
    "root-raised-cosine",
    "smoother",
    "average",
];
const METHOD_KEYS: [&str; 13] = [
    "design",
    "taps",
    "window",
    "beta",
    "sigma",
    "taper",
    "sidelobes",
    "weights",
    "transition_samples",
    "phase",
    "gain",
    "degree",
    "derivative",
];

/// The table of a wish that is being read.
pub(super) struct Wanted<'a, 'b> {
    pub(super) top: &'b Keys<'a>,
    pub(super) table: &'a DeTable<'a>,
    pub(super) at: usize,
    pub(super) rate: SampleRate,
}

impl<'a> Wanted<'a, '_> {
    /// The keys of `[want]`, after refusing all others.
    pub(super) fn keys(&self, known: &[&'static str]) -> Result<Keys<'a>, SpecError> {
        let mut all = vec!["kind"];
        all.extend(known);
        Keys::new(self.top.source(), self.table, "want.", self.at, &all)
    }

    /// A frequency in hertz, strictly between zero and Nyquist.
    pub(super) fn within(&self, found: &Found<'_>) -> Result<f64, SpecError> {
        let frequency: Frequency = found.parse(FREQUENCY_FORMS)?;
        below_nyquist(found, frequency, self.rate)?;
        Ok(frequency.hertz(self.rate))
    }

    /// A frequency in hertz from zero to Nyquist, both included.
    pub(super) fn upto_nyquist(&self, found: &Found<'_>) -> Result<f64, SpecError> {
        let frequency: Frequency = found.parse(FREQUENCY_FORMS)?;
        let (hertz, nyquist) = (frequency.hertz(self.rate), self.rate.nyquist());
        if (0.0..=nyquist).contains(&hertz) {
            return Ok(hertz);
        }
        Err(found.error(Problem::Range {
            found: format!("{hertz} Hz"),
            accepted: format!("0 Hz to the Nyquist frequency, {nyquist} Hz (half the sample rate)"),
        }))
    }

    /// Two rising frequencies from zero to Nyquist, both included.
    pub(super) fn stretch(&self, found: &Found<'_>) -> Result<[f64; 2], SpecError> {
        let values = found.array(PAIR_FORMS)?;
        let [low, high] = values else {
            let found_text = format!("{} values", values.len());
            return Err(
                found.error(Problem::Range { found: found_text, accepted: PAIR_FORMS.to_owned() })
            );
        };
        let [low, high] =
            [self.upto_nyquist(&found.element(low))?, self.upto_nyquist(&found.element(high))?];
        if low >= high {
            return Err(found.error(Problem::Range {
                found: format!("{low} Hz before {high} Hz"),
                accepted: "the lower edge first".to_owned(),
            }));
        }
        Ok([low, high])
    }
}

/// A gain as a ratio: a level, or `"0 x"`.
pub(super) fn ratio(found: &Found<'_>) -> Result<f64, SpecError> {
    const FORMS: &str = "a gain with its unit in quotes, as \"1 x\", \"0 x\" or \"-3 dB\"";
    let text = found.text(FORMS)?;
    let mut words = text.split_whitespace();
    if words.next().is_some_and(|w| w.parse() == Ok(0.0)) && words.next() == Some("x") {
        return Ok(0.0);
    }
    let level: Level = found.parse(FORMS)?;
    Ok(level.ratio())
}

/// Numbers in an array, each within a range.
fn numbers(
    found: &Found<'_>,
    forms: &'static str,
    range: std::ops::RangeInclusive<f64>,
) -> Result<Vec<f64>, SpecError> {
    let values = found.array(forms)?.iter().map(|value| {
        let one = found.element(value);
        let number = one.number(forms)?;
        in_range(&one, number, &range)?;
        Ok(number)
    });
    values.collect()
}

fn in_range(
    found: &Found<'_>,
    number: f64,
    range: &std::ops::RangeInclusive<f64>,
) -> Result<(), SpecError> {
    if range.contains(&number) {
        return Ok(());
    }
    let accepted = format!("{} to {}", range.start(), range.end());
    Err(found.error(Problem::Range { found: number.to_string(), accepted }))
}

/// A number under a key, within a range.
pub(super) fn number_in(
    keys: &Keys<'_>,
    key: &'static str,
    forms: &'static str,
    range: &std::ops::RangeInclusive<f64>,
) -> Result<Option<f64>, SpecError> {
    let Some(found) = keys.find(key) else {
        return Ok(None);
    };
    let number = found.number(forms)?;
    in_range(&found, number, range)?;
    Ok(Some(number))
}

/// A whole number under a key, within a range.
pub(super) fn whole(
    keys: &Keys<'_>,
    key: &'static str,
    forms: &'static str,
    range: std::ops::RangeInclusive<usize>,
) -> Result<Option<usize>, SpecError> {
    let Some(found) = keys.find(key) else {
        return Ok(None);
    };
    let number = found.number(forms)?;
    let inside = number >= *range.start() as f64 && number <= *range.end() as f64;
    if number.fract() != 0.0 || !inside {
        let accepted = format!("a whole number, {} to {}", range.start(), range.end());
        return Err(found.error(Problem::Range { found: number.to_string(), accepted }));
    }
    Ok(Some(number as usize))
}

/// What `[method]` says.
pub(super) struct Method<'a> {
    pub(super) keys: Option<Keys<'a>>,
    pub(super) design: Option<&'static str>,
    taps: Option<usize>,
    phase: Phase,
    unity_gain: bool,
}

/// Reads it.
pub(super) fn method<'a>(wanted: &Wanted<'a, '_>) -> Result<Method<'a>, SpecError> {
    let keys = wanted.top.table("method", "method.", &METHOD_KEYS)?;
    let mut method =
        Method { keys: None, design: None, taps: None, phase: Phase::Linear, unity_gain: false };
    let Some(keys) = keys else {
        return Ok(method);
    };
    if let Some(found) = keys.find("design") {
        method.design = Some(found.choice(&METHODS.map(|word| (word, word)))?);
    }
    let minimum = keys
        .find("taps")
        .is_some_and(|found| matches!(found.value, DeValue::String(text) if &**text == "minimum"));
    if !minimum {
        method.taps = whole(&keys, "taps", "a whole number, or \"minimum\"", 1..=LARGEST_TAPS)?;
    }
    if let Some(found) = keys.find("phase") {
        method.phase = found.choice(&[("linear", Phase::Linear), ("minimum", Phase::Minimum)])?;
    }
    if let Some(found) = keys.find("gain") {
        method.unity_gain = found.choice(&[("ideal", false), ("unity", true)])?;
    }
    method.keys = Some(keys);
    Ok(method)
}

/// The window with its parameter; `attenuation` is what the wish asks for, in decibels.
fn window(
    keys: &Keys<'_>,
    attenuation: Option<f64>,
    beta: Option<f64>,
) -> Result<Window, SpecError> {
    let found = keys.need("window", "the name of a window, as \"kaiser\" or \"hann\"")?;
    let word = found.choice(&WINDOWS.map(|word| (word, word)))?;
    let parameter = |key: &'static str, range: std::ops::RangeInclusive<f64>| {
        number_in(keys, key, "a plain number", &range)
    };
    let window = match word {
        "rectangular" => Window::Rectangular,
        "bartlett" => Window::Bartlett,
        "hann" => Window::Hann,
        "hamming" => Window::Hamming,
        "blackman" => Window::Blackman,
        "blackman-harris" => Window::BlackmanHarris,
        "nuttall" => Window::Nuttall,
        "flat-top" => Window::FlatTop,
        "gaussian" => Window::Gaussian { sigma: parameter("sigma", 0.01..=10.0)?.unwrap_or(0.4) },
        "tukey" => Window::Tukey { taper: parameter("taper", 0.0..=1.0)?.unwrap_or(0.5) },
        "kaiser" => {
            let beta = match (parameter("beta", 0.0..=200.0)?, beta) {
                (Some(beta), _) | (None, Some(beta)) => beta,
                (None, None) => {
                    let forms =
                        "beta = 5.65, or want.attenuation = \"60 dB\", from which it follows";
                    return Err(keys.missing("beta", forms));
                }
            };
            Window::Kaiser { beta }
        }
        _ => {
            let forms = "how far the side lobes lie below the main lobe, as \"60 dB\"";
            let sidelobes_db = match (keys.find("sidelobes"), attenuation) {
                (Some(found), _) => {
                    let level: Level = found.parse(forms)?;
                    let decibels = level.decibels().abs();
                    in_range(&found, decibels, &(20.0..=300.0))?;
                    decibels
                }
                (None, Some(attenuation)) if attenuation >= 20.0 => attenuation,
                _ => return Err(keys.missing("sidelobes", forms)),
            };
            Window::Chebyshev { sidelobes_db }
        }
    };
    Ok(window)
}

impl Method<'_> {
    /// The method with its parameters.
    pub(super) fn finish(
        self,
        wanted: &Wanted<'_, '_>,
        shape: FirShape,
        attenuation: Option<f64>,
        default: FirMethod,
    ) -> Result<FirWish, SpecError> {
        let minimum_will_do = matches!(
            shape,
            FirShape::Band {
                edges: FirEdges::Transition { .. },
                ripple_db: Some(_),
                attenuation_db: Some(_),
                ..
            }
        );
        let beta =
            match &shape {
                FirShape::Band {
                    ripple_db: Some(ripple), attenuation_db: Some(needed), ..
                } if self.taps.is_none() => Some(beta_for_template(*ripple, *needed)),
                _ => attenuation.map(beta_for_attenuation),
            };
        let mut method = default;
        if let Some(keys) = &self.keys {
            let weights = || {
                let forms = "one number above 0 for each band, as [1, 10]";
                match keys.find("weights") {
                    Some(found) => numbers(&found, forms, 1e-12..=1e12),
                    None => Ok(Vec::new()),
                }
            };
            method = match self.design {
                Some("window") => FirMethod::Window(window(keys, attenuation, beta)?),
                Some("equiripple") => FirMethod::Equiripple { weights: weights()? },
                Some("least-squares") => FirMethod::LeastSquares { weights: weights()? },
                Some("frequency-sampling") => {
                    let forms = "numbers from the pass-band outward, as [0.38]";
                    let samples = keys.find("transition_samples");
                    let samples = samples.map(|found| numbers(&found, forms, -10.0..=10.0));
                    FirMethod::FrequencySampling {
                        transition_samples: samples.transpose()?.unwrap_or_default(),
                    }
                }
                _ => method,
            };
            // Keys that this method does not read.
            let own: &[&str] = match &method {
                FirMethod::Window(window) => match window {
                    Window::Gaussian { .. } => &["window", "sigma", "gain"],
                    Window::Tukey { .. } => &["window", "taper", "gain"],
                    Window::Kaiser { .. } => &["window", "beta", "gain"],
                    Window::Chebyshev { .. } => &["window", "sidelobes", "gain"],
                    _ => &["window", "gain"],
                },
                FirMethod::Equiripple { .. } | FirMethod::LeastSquares { .. } => {
                    &["weights", "gain"]
                }
                FirMethod::FrequencySampling { .. } => &["transition_samples", "gain"],
                FirMethod::ClosedForm => &["degree", "derivative"],
            };
            let always = ["design", "taps", "phase"];
            let stray = METHOD_KEYS.iter().find_map(|key| {
                if own.contains(key) || always.contains(key) { None } else { keys.find(key) }
            });
            if let Some(found) = stray {
                let accepted = always.iter().chain(own).copied().collect::<Vec<_>>().join(", ");
                return Err(found.error(Problem::UnknownKey { nearest: None, accepted }));
            }
        }
        if self.taps.is_none() && !minimum_will_do {
            let accepted = "a whole number of taps, as taps = 101 (\"minimum\" needs both edges, ripple and \
                attenuation)";
            let missing = match &self.keys {
                Some(keys) => match keys.find("taps") {
                    Some(found) => found.error(Problem::Range {
                        found: "\"minimum\"".to_owned(),
                        accepted: accepted.to_owned(),
                    }),
                    None => keys.missing("taps", accepted),
                },
                None => wanted.top.missing("method", "a table [method] with design and taps"),
            };
            return Err(missing);
        }
        let Method { taps, phase, unity_gain, .. } = self;
        // What the whole spec says comes in where all of it is known.
        let effort = Effort::default();
        Ok(FirWish { shape, method, taps, phase, unity_gain, effort })
    }
}

/// A low-pass, high-pass, band-pass or band-stop filter with taps.
pub(super) fn fir_band(wanted: &Wanted<'_, '_>, kind: BandKind) -> Result<FirWish, SpecError> {
    let [cutoff, pass, stop] = edge_keys(kind);
    let keys = wanted.keys(&[cutoff, pass, stop, "ripple", "attenuation"])?;
    let (ripple, attenuation) = levels(&keys)?;
    let method = method(wanted)?;
    let given = |key: &'static str| -> Result<Option<Vec<f64>>, SpecError> {
        let Some(found) = keys.find(key) else {
            return Ok(None);
        };
        let edges = edges(&found, kind, wanted.rate)?;
        Ok(Some(edges.iter().map(|edge| edge.hertz(wanted.rate)).collect()))
    };
    let both = |other: &'static str, key: &'static str| match keys.find(key) {
        Some(found) => found.error(Problem::Both { other }),
        None => keys.missing(key, FREQUENCY_FORMS),
    };
    let edges = match (given(cutoff)?, given(pass)?, given(stop)?) {
        (Some(edges), None, None) => FirEdges::Cutoff(edges),
        (Some(_), Some(_), _) => return Err(both("want.pass_edge", cutoff)),
        (Some(_), None, Some(_)) => return Err(both("want.stop_edge", cutoff)),
        (None, Some(pass_hz), Some(stop_hz)) => {
            let frequencies =
                |edges: &[f64]| edges.iter().map(|hz| Frequency::Hertz(*hz)).collect::<Vec<_>>();
            let (inner, outer) = (frequencies(&pass_hz), frequencies(&stop_hz));
            super::read_recursive::check_template(&keys, kind, stop, &inner, &outer, wanted.rate)?;
            FirEdges::Transition { pass: pass_hz, stop: stop_hz }
        }
        (None, Some(edges), None) => {
            if method.design != Some("frequency-sampling") {
                let accepted = "where the stop-band begins (or a cutoff instead of both edges)";
                return Err(keys.missing(stop, accepted));
            }
            FirEdges::Pass(edges)
        }
        (None, None, _) => return Err(keys.missing(pass, "where the pass-band ends, or a cutoff")),
    };
    let takes_cutoff = matches!(method.design, Some("window" | "frequency-sampling"));
    if matches!(edges, FirEdges::Cutoff(_)) && !takes_cutoff {
        let accepted = "where the pass-band ends (this method needs pass-band and stop-band edges; windows \
            and frequency sampling take a cutoff)";
        return Err(keys.missing(pass, accepted));
    }
    let decibels = |level: Option<Level>| level.map(Level::decibels);
    let (ripple_db, attenuation_db) = (decibels(ripple), decibels(attenuation));
    let shape = FirShape::Band { kind, edges, ripple_db, attenuation_db };
    let default = FirMethod::Equiripple { weights: Vec::new() };
    method.finish(wanted, shape, attenuation_db, default)
}
