//! What would do instead of a wish that has no filter: found by designing it.

use super::fir::{ExchangeError, FirError, LARGEST_LEAST_SQUARES, LeastSquaresError};
use super::title::plain;
use super::{Choice, DesignError, EqualizerError, design};
use crate::filter::{Family, Mapping};
use crate::spec::{
    DirectWish, EqualizerWish, FirEdges, FirMethod, FirShape, FirWish, LARGEST_TAPS, Phase,
    Recursive, RecursiveEdges, Spec, Want,
};
use crate::units::{Frequency, Level, SampleRate};
use crate::window::{Window, beta_for_template};

/// A change of a spec with which there is a filter.
#[derive(Debug, Clone, PartialEq)]
#[non_exhaustive]
pub struct DesignAdvice {
    /// What changes: a key, or a whole table, with its new value as in a spec file.
    pub change: String,
    /// The spec after the change.
    pub spec: Spec,
}

/// The least change found with which a refused spec can be designed; `None` where nothing that was tried
/// does.
///
/// Tried are changes of what the refusal names, from the smallest on; each is designed before it is named.
///
/// ```
/// use mellow_rake::design::{advice, design};
/// use mellow_rake::spec::Spec;
/// let spec = Spec::parse(
///     r#"
///     name = "slope"
///     sample_rate = "1 kHz"
///     [want]
///     kind = "differentiator"
///     pass_edge = "500 Hz"
///     [method]
///     design = "equiripple"
///     taps = 21
///     "#,
/// )?;
/// // An odd number of antisymmetric taps has a zero at the Nyquist frequency.
/// let error = design(&spec).unwrap_err();
/// let found = advice(&spec, &error).unwrap();
/// assert_eq!(found.change, "method.taps = 22");
/// assert!(design(&found.spec).is_ok());
/// # Ok::<(), Box<dyn std::error::Error>>(())
/// ```
pub fn advice(spec: &Spec, error: &DesignError) -> Option<DesignAdvice> {
    let changed = |change: String, want: Want| (change, Spec { want, ..spec.clone() });
    let candidates: Vec<(String, Spec)> = match (error, &spec.want) {
        (DesignError::Fir(error), Want::Fir(wish)) => of_taps(wish, error, spec.sample_rate)
            .into_iter()
            .map(|(change, want)| changed(change, want))
            .collect(),
        (DesignError::NoImpulseInvariance { .. }, Want::Recursive(wish)) => {
            let wish = Recursive { mapping: Mapping::Bilinear, ..wish.clone() };
            vec![changed("method.mapping = \"bilinear\"".to_owned(), Want::Recursive(wish))]
        }
        (DesignError::OutOfReach { .. }, Want::Recursive(wish)) => {
            wider_transitions(wish, spec.sample_rate)
                .map(|(change, wish)| changed(change, Want::Recursive(wish)))
                .collect()
        }
        (DesignError::Equalizer(EqualizerError::OutOfReach { reached, .. }), _) => {
            flatter(spec, *reached)
        }
        (DesignError::Direct(super::DirectError::NoGain { .. }), Want::Direct(wish)) => {
            at_the_peak(wish)
                .map(|(change, wish)| changed(change, Want::Direct(wish)))
                .into_iter()
                .collect()
        }
        _ => Vec::new(),
    };
    candidates
        .into_iter()
        .find(|(_, spec)| design(spec).is_ok())
        .map(|(change, spec)| DesignAdvice { change, spec })
}

/// The smallest order that keeps the template of a recursive filter whose order was given; `None` where none
/// was, or none keeps it.
pub fn order_that_keeps(spec: &Spec) -> Option<usize> {
    let Want::Recursive(wish) = &spec.want else {
        return None;
    };
    let RecursiveEdges::Template { order: Some(_), pass, stop } = &wish.edges else {
        return None;
    };
    let edges = RecursiveEdges::Template { order: None, pass: pass.clone(), stop: stop.clone() };
    let want = Want::Recursive(Recursive { edges, ..wish.clone() });
    match design(&Spec { want, equalizer: None, ..spec.clone() }).ok()?.choice {
        Choice::Recursive(choice) => Some(choice.order),
        _ => None,
    }
}

/// Other numbers of taps, where the number is at fault; other methods, where no number does.
fn of_taps(wish: &FirWish, error: &FirError, rate: SampleRate) -> Vec<(String, Want)> {
    let with_taps = |taps: usize| {
        let wish = FirWish { taps: Some(taps), ..wish.clone() };
        (format!("method.taps = {taps}"), Want::Fir(wish))
    };
    let fewer = |taps: usize| {
        // The same parity, and so the same type of linear phase; each halved. Where there are many taps a
        // trial that fails takes long: fewer trials.
        let steps = match taps {
            0..=200 => vec![1, 2, 4, taps / 8, taps / 4, taps * 3 / 8, taps * 7 / 16],
            _ => vec![taps / 4, taps * 3 / 8, taps * 7 / 16, taps * 15 / 32, taps * 31 / 64],
        };
        let mut all: Vec<usize> =
            steps.iter().filter_map(|half| taps.checked_sub(2 * half)).collect();
        all.retain(|fewer| *fewer > 0 && *fewer < taps);
        all.dedup();
        all
    };
    match (error, wish.taps) {
        (FirError::Parity { found, .. }, _) => [found + 1, found + 2, found.saturating_sub(1)]
            .into_iter()
            .filter(|taps| (1..=LARGEST_TAPS).contains(taps))
            .map(with_taps)
            .collect(),
        (FirError::Exchange(ExchangeError::TooShort { .. }), Some(taps)) => {
            (taps + 1..taps + 4).map(with_taps).collect()
        }
        (FirError::LeastSquares(LeastSquaresError::TooLong { taps }), _) => {
            // The time grows with the cube of the number.
            vec![with_taps(LARGEST_LEAST_SQUARES / 2 / 2 * 2 + taps % 2)]
        }
        (FirError::Exchange(_), Some(taps)) => fewer(taps).into_iter().map(with_taps).collect(),
        (FirError::MinimumPhase(_), taps) => {
            let wish = FirWish { phase: Phase::Linear, ..wish.clone() };
            let linear = ("method.phase = \"linear\"".to_owned(), Want::Fir(wish));
            fewer(taps.unwrap_or(0)).into_iter().map(with_taps).chain([linear]).collect()
        }
        (FirError::LeastSquares(LeastSquaresError::Undetermined { .. }), Some(taps)) => {
            let mut all = fewer(taps);
            all.push(taps + 1);
            all.into_iter().map(with_taps).collect()
        }
        (FirError::OutOfReach { .. }, None) => other_methods(wish, rate),
        _ => Vec::new(),
    }
}

/// Other methods for a template that no number of taps keeps.
fn other_methods(wish: &FirWish, rate: SampleRate) -> Vec<(String, Want)> {
    let FirShape::Band {
        kind,
        edges: FirEdges::Transition { pass, stop },
        ripple_db: Some(ripple),
        attenuation_db: Some(attenuation),
    } = &wish.shape
    else {
        return Vec::new();
    };
    let mut all = Vec::new();
    if let FirMethod::Window(_) = wish.method {
        // Some more than Kaiser's rule gives, in three digits.
        let beta = libm::ceil(100.0 * (beta_for_template(*ripple, *attenuation) + 0.1)) / 100.0;
        let method = FirMethod::Window(Window::Kaiser { beta });
        let beta_text = plain(beta);
        let change = format!(
            "method = {{ design = \"window\", window = \"kaiser\", beta = {beta_text}, taps = \"minimum\" }}"
        );
        let (phase, unity_gain) = (Phase::Linear, false);
        let wish = FirWish { method, phase, unity_gain, ..wish.clone() };
        all.push((change, Want::Fir(wish)));
    }
    let hertz = |edges: &[f64]| edges.iter().map(|&hertz| Frequency::Hertz(hertz)).collect();
    let recursive = Recursive {
        kind: *kind,
        family: Family::Elliptic,
        mapping: Mapping::Bilinear,
        edges: RecursiveEdges::Template { order: None, pass: hertz(pass), stop: hertz(stop) },
        ripple: Some(Level::from_decibels(*ripple)),
        attenuation: Some(Level::from_decibels(*attenuation)),
    };
    let change = "method = { design = \"elliptic\", order = \"minimum\" }".to_owned();
    all.push((change, Want::Recursive(recursive.clone())));
    for (change, wider) in wider_transitions(&recursive, rate) {
        if let RecursiveEdges::Template { stop, .. } = wider.edges {
            let FirShape::Band { kind, ripple_db, attenuation_db, .. } = wish.shape.clone() else {
                continue;
            };
            let stop = stop.iter().map(|edge| edge.hertz(rate)).collect();
            let edges = FirEdges::Transition { pass: pass.clone(), stop };
            let shape = FirShape::Band { kind, edges, ripple_db, attenuation_db };
            all.push((change, Want::Fir(FirWish { shape, ..wish.clone() })));
        }
    }
    all
}

/// Stop-band edges from where transitions are 4, 16, 64, … times as wide, as long as there is room.
fn wider_transitions(
    wish: &Recursive,
    rate: SampleRate,
) -> impl Iterator<Item = (String, Recursive)> {
    let hertz = |edges: &[Frequency]| -> Vec<f64> { edges.iter().map(|e| e.hertz(rate)).collect() };
    let (pass, stop) = match &wish.edges {
        RecursiveEdges::Template { pass, stop, .. } => (hertz(pass), hertz(stop)),
        RecursiveEdges::Recipe { .. } => (Vec::new(), Vec::new()),
    };
    let wish = wish.clone();
    (1..=15).map_while(move |fours| {
        let wider: Vec<f64> = pass
            .iter()
            .zip(&stop)
            .map(|(pass, stop)| pass + (stop - pass) * f64::from(1 << (2 * fours)))
            .collect();
        let is_inside = wider.iter().all(|edge| *edge > 0.0 && *edge < rate.nyquist());
        let rises = wider.windows(2).all(|pair| pair[0] < pair[1]);
        if wider.is_empty() || !is_inside || !rises {
            return None;
        }
        let texts: Vec<String> =
            wider.iter().map(|edge| format!("\"{} Hz\"", plain(*edge))).collect();
        let change = match &texts[..] {
            [one] => format!("want.stop_edge = {one}"),
            all => format!("want.stop_edges = [{}]", all.join(", ")),
        };
        // What is designed is what is printed.
        let edges = texts.iter().filter_map(|text| text.trim_matches('"').parse().ok()).collect();
        let RecursiveEdges::Template { order, pass, .. } = &wish.edges else {
            return None;
        };
        let edges = RecursiveEdges::Template { order: *order, pass: pass.clone(), stop: edges };
        Some((change, Recursive { edges, ..wish.clone() }))
    })
}

/// The gain at the peak in the place of where it is zero.
fn at_the_peak(wish: &DirectWish) -> Option<(String, DirectWish)> {
    let mut wish = wish.clone();
    let DirectWish::Placed { calibration, .. } = &mut wish else {
        return None;
    };
    calibration.at_hz = None;
    Some(("want.gain_at = \"peak\"".to_owned(), wish))
}

/// The ripple of the delay that was reached, and somewhat more.
fn flatter(spec: &Spec, reached: f64) -> Vec<(String, Spec)> {
    let more = [1.0, 1.01, 1.1, 1.5];
    more.into_iter()
        .map(|factor| {
            // Three decimals, upwards.
            let delay_ripple = libm::ceil(1000.0 * reached * factor) / 1000.0;
            let equalizer = Some(EqualizerWish { delay_ripple });
            let change = format!("equalizer.delay_ripple = {}", plain(delay_ripple));
            (change, Spec { equalizer, ..spec.clone() })
        })
        .collect()
}
