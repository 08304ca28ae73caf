//! What a wish must keep to, whoever made it: specs are checked when they are read, wishes of programs here.

use super::FirError;
use super::bands::LARGEST;
use crate::filter::BandKind;
use crate::spec::{FirEdges, FirMethod, FirShape, FirWish};
use crate::units::SampleRate;
use crate::window::Window;

fn range(key: &'static str, found: f64, accepted: impl Into<String>) -> FirError {
    FirError::Range { key, found, accepted: accepted.into() }
}

/// Refuses a wish whose numbers have no meaning.
pub(super) fn check_wish(wish: &FirWish, rate: SampleRate) -> Result<(), FirError> {
    let nyquist = rate.nyquist();
    // Written so that a NaN is refused too.
    let within = |key, hertz: f64, least: f64| {
        if hertz >= least && hertz <= nyquist {
            Ok(())
        } else {
            Err(range(key, hertz, format!("{least} Hz to {nyquist} Hz")))
        }
    };
    let rising = |key, edges: &[f64]| match edges.windows(2).find(|pair| pair[0] >= pair[1]) {
        Some(pair) => Err(range(key, pair[1], format!("above {} Hz", pair[0]))),
        None => Ok(()),
    };
    match &wish.shape {
        FirShape::Band { kind, edges, .. } => check_edges(*kind, edges, wish, nyquist)?,
        FirShape::Points(points) => {
            if points.len() < 2 {
                return Err(range("want.points", points.len() as f64, "2 points or more"));
            }
            for (hertz, gain) in points {
                within("want.points", *hertz, 0.0)?;
                if gain.is_nan() || gain.abs() > LARGEST {
                    return Err(range("want.points", *gain, "gains up to 1e12"));
                }
            }
            let places: Vec<f64> = points.iter().map(|(hertz, _)| *hertz).collect();
            rising("want.points", &places)?;
        }
        FirShape::Differentiator { pass_hz } => {
            within("want.pass_edge", *pass_hz, f64::MIN_POSITIVE)?;
        }
        FirShape::Hilbert { pass_hz } => {
            within("want.pass_edges", pass_hz[0], f64::MIN_POSITIVE)?;
            within("want.pass_edges", pass_hz[1], f64::MIN_POSITIVE)?;
            rising("want.pass_edges", pass_hz)?;
        }
        FirShape::MthBand { factor, .. } if !(2..=1000).contains(factor) => {
            return Err(range("want.factor", *factor as f64, "2 to 1000"));
        }
        FirShape::RaisedCosine { symbol_rate_hz, rolloff, .. } => {
            if !(0.0..=1.0).contains(rolloff) {
                return Err(range("want.rolloff", *rolloff, "0 to 1"));
            }
            if !(*symbol_rate_hz > 0.0 && symbol_rate_hz * (1.0 + rolloff) <= rate.hertz()) {
                let most = rate.hertz() / (1.0 + rolloff);
                return Err(range(
                    "want.symbol_rate",
                    *symbol_rate_hz,
                    format!("above 0 Hz, up to {most} Hz"),
                ));
            }
        }
        // The bands of the optimal methods are checked where they are worked on.
        FirShape::MthBand { .. }
        | FirShape::Multiband(_)
        | FirShape::Smoother { .. }
        | FirShape::Average => {}
    }
    let accepts = |key, found: f64, good: bool, accepted: &str| {
        if good { Ok(()) } else { Err(range(key, found, accepted)) }
    };
    match &wish.method {
        FirMethod::Window(Window::Gaussian { sigma: v }) => {
            accepts("method.sigma", *v, *v > 0.0 && v.is_finite(), "above 0")
        }
        FirMethod::Window(Window::Tukey { taper: v }) => {
            accepts("method.taper", *v, (0.0..=1.0).contains(v), "0 to 1")
        }
        FirMethod::Window(Window::Kaiser { beta: v }) => {
            accepts("method.beta", *v, (0.0..=200.0).contains(v), "0 to 200")
        }
        FirMethod::Window(Window::Chebyshev { sidelobes_db: v }) => {
            accepts("method.sidelobes", *v, (20.0..=300.0).contains(v), "20 dB to 300 dB")
        }
        FirMethod::FrequencySampling { transition_samples } => {
            let bad = transition_samples.iter().find(|v| v.is_nan() || v.abs() > LARGEST);
            accepts(
                "method.transition_samples",
                bad.copied().unwrap_or(0.0),
                bad.is_none(),
                "numbers up to 1e12 in size",
            )
        }
        _ => Ok(()),
    }
}

/// One edge or two rising ones of each sort, strictly between zero and Nyquist, the stop-band beyond the
/// pass-band; levels of the right size.
fn check_edges(
    kind: BandKind,
    edges: &FirEdges,
    wish: &FirWish,
    nyquist: f64,
) -> Result<(), FirError> {
    let count = if kind.is_band() { 2 } else { 1 };
    let one_sort = |key, edges: &[f64]| {
        if edges.len() != count {
            return Err(range(key, edges.len() as f64, format!("{count} edge(s)")));
        }
        if let Some(found) = edges.iter().find(|hz| !(**hz > 0.0 && **hz < nyquist)) {
            return Err(range(key, *found, format!("above 0 Hz and below {nyquist} Hz")));
        }
        match edges.windows(2).find(|pair| pair[0] >= pair[1]) {
            Some(pair) => Err(range(key, pair[1], format!("above {} Hz", pair[0]))),
            None => Ok(()),
        }
    };
    match edges {
        FirEdges::Cutoff(edges) => one_sort("want.cutoff", edges)?,
        FirEdges::Pass(edges) => one_sort("want.pass_edge", edges)?,
        FirEdges::Transition { pass, stop } => {
            one_sort("want.pass_edge", pass)?;
            one_sort("want.stop_edge", stop)?;
            // Outward on both sides; the signs say which way.
            let outward: &[f64] = match kind {
                BandKind::Lowpass => &[1.0],
                BandKind::Highpass => &[-1.0],
                BandKind::Bandpass => &[-1.0, 1.0],
                BandKind::Bandstop => &[1.0, -1.0],
            };
            let sides = pass.iter().zip(stop).zip(outward);
            for ((pass, stop), sign) in sides {
                if (stop - pass) * sign <= 0.0 {
                    let side = if *sign > 0.0 { "above" } else { "below" };
                    let accepted = format!("{side} the pass-band edge, {pass} Hz");
                    return Err(range("want.stop_edge", *stop, accepted));
                }
            }
        }
    }
    let FirShape::Band { ripple_db, attenuation_db, .. } = &wish.shape else {
        return Ok(());
    };
    for (key, level, most) in
        [("want.ripple", ripple_db, 20.0), ("want.attenuation", attenuation_db, 300.0)]
    {
        if let Some(found) = level.filter(|level| !(1e-6..=most).contains(level)) {
            return Err(range(key, found, format!("0.000001 dB to {most} dB")));
        }
    }
    Ok(())
}
