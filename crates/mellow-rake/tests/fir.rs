//! Finite impulse responses against 60-digit truth, against the theorems that mark an optimum, and against
//! their wishes.

// Independent of the library: the platform's own functions.

use mellow_rake::Effort;
use mellow_rake::design::fir::{
    Band, ExchangeError, FirChoice, design_fir, equiripple, least_squares,
};
use mellow_rake::filter::{BandKind, LinearPhase, PhaseResponse, Taps, Transfer};
use mellow_rake::response::{Bands, measure_bands};
use mellow_rake::spec::{FirEdges, FirMethod, FirShape, FirWish, Phase, WishedBand};
use mellow_rake::units::SampleRate;
use mellow_rake::window::{Window, window_values};
use proptest::prelude::*;
use std::collections::BTreeMap;
use std::f64::consts::{PI, TAU};

fn rate() -> SampleRate {
    SampleRate::from_hertz(1.0).unwrap()
}

fn wish(shape: FirShape, method: FirMethod, taps: usize) -> FirWish {
    FirWish {
        shape,
        method,
        taps: Some(taps),
        phase: Phase::Linear,
        unity_gain: false,
        effort: Effort::default(),
    }
}

fn made(shape: FirShape, method: FirMethod, taps: usize) -> Vec<f64> {
    design_fir(&wish(shape, method, taps), rate()).unwrap().1.0
}

fn band(kind: BandKind, edges: FirEdges) -> FirShape {
    FirShape::Band { kind, edges, ripple_db: None, attenuation_db: None }
}

/// The amplitude by its definition, h at distance m from the middle with cos ωm, or −sin ωm for antisymmetric
/// taps.
fn amplitude(taps: &[f64], antisymmetric: bool, frequency: f64) -> f64 {
    let middle = (taps.len() - 1) as f64 / 2.0;
    let term = |(k, tap): (usize, &f64)| {
        let turns = frequency * (k as f64 - middle);
        let angle = TAU * (turns - turns.round());
        tap * if antisymmetric { -angle.sin() } else { angle.cos() }
    };
    taps.iter().enumerate().map(term).sum()
}

/// `truth/fir.csv` holds windows and taps computed by `truth/fir.py` in 40 to 60 digits.
#[test]
fn windows_and_taps_agree_with_sixty_digits() {
    let mut truth: BTreeMap<&str, Vec<f64>> = BTreeMap::new();
    for line in include_str!("truth/fir.csv").lines() {
        let mut fields = line.splitn(3, ',');
        let (name, index, value) =
            (fields.next().unwrap(), fields.next().unwrap(), fields.next().unwrap());
        let values = truth.entry(name).or_default();
        assert_eq!(values.len(), index.parse::<usize>().unwrap());
        values.push(value.parse().unwrap());
    }
    let level = |low: f64, high: f64, level: [f64; 2], weight: f64| Band {
        level,
        ..Band::flat(low, high, 0.0, weight)
    };
    let least = |bands: &[Band], kind, taps| least_squares(bands, kind, taps, None).unwrap().taps;
    let pulse = |root| FirShape::RaisedCosine { symbol_rate_hz: 0.125, rolloff: 0.25, root };
    let mut worst = [0.0f64; 2];
    for (name, expected) in &truth {
        let words: Vec<&str> = name.split(' ').collect();
        let count = expected.len();
        let is_least = name.starts_with("least");
        let found = match words[..] {
            ["window", window, parameter, _] => {
                let p: f64 = parameter.parse().unwrap();
                let window = match window {
                    "bartlett" => Window::Bartlett,
                    "hann" => Window::Hann,
                    "hamming" => Window::Hamming,
                    "blackman" => Window::Blackman,
                    "blackman-harris" => Window::BlackmanHarris,
                    "nuttall" => Window::Nuttall,
                    "flat-top" => Window::FlatTop,
                    "gaussian" => Window::Gaussian { sigma: p },
                    "tukey" => Window::Tukey { taper: p },
                    "kaiser" => Window::Kaiser { beta: p },
                    "chebyshev" => Window::Chebyshev { sidelobes_db: p },
                    other => panic!("{other}"),
                };
                window_values(window, count)
            }
            ["lowpass", ..] => made(
                band(BandKind::Lowpass, FirEdges::Cutoff(vec![0.11])),
                FirMethod::Window(Window::Hamming),
                count,
            ),
            ["bandstop", ..] => made(
                band(BandKind::Bandstop, FirEdges::Cutoff(vec![0.12, 0.3])),
                FirMethod::Window(Window::Kaiser { beta: 5.0 }),
                count,
            ),
            ["differentiator", ..] => made(
                FirShape::Differentiator { pass_hz: 0.4 },
                FirMethod::Window(Window::Hann),
                count,
            ),
            ["raised-cosine", _] => made(pulse(false), FirMethod::ClosedForm, count),
            ["root-raised-cosine", _] => made(pulse(true), FirMethod::ClosedForm, count),
            ["least", "squares", "I", "15"] => least(
                &[level(0.0, 0.1, [1.0; 2], 1.0), level(0.16, 0.5, [0.0; 2], 5.0)],
                LinearPhase::TypeI,
                count,
            ),
            ["least", "squares", "II", _] => least(
                &[level(0.05, 0.2, [0.5, 1.0], 1.0), level(0.27, 0.45, [0.0; 2], 3.0)],
                LinearPhase::TypeII,
                count,
            ),
            // The truth has H = −j·ΣA·sin where the library has +j.
            ["least", "squares", "III", _] => {
                least(&[level(0.02, 0.3, [1.0, 0.25], 1.0)], LinearPhase::TypeIII, count)
            }
            ["least", "squares", "IV", _] => least(
                &[level(0.0, 0.1, [0.0, 1.0], 2.0), level(0.2, 0.5, [1.0; 2], 1.0)],
                LinearPhase::TypeIV,
                count,
            ),
            ["least", "squares", "I", "wide", _] => least(
                &[level(0.0, 0.1, [1.0; 2], 1.0), level(0.3, 0.5, [0.0; 2], 1.0)],
                LinearPhase::TypeI,
                count,
            ),
            _ => panic!("{name}"),
        };
        assert_eq!(found.len(), count, "{name}");
        let tolerance = if is_least { 1e-9 } else { 1e-12 };
        for (k, (f, e)) in found.iter().zip(expected).enumerate() {
            let error = (f - e).abs();
            worst[usize::from(is_least)] = worst[usize::from(is_least)].max(error);
            assert!(error < tolerance, "{name} [{k}]: {f:e} for {e:e}");
        }
    }
    assert_eq!(truth.len(), 25);
    println!("worst: closed forms {:.1e}, least squares {:.1e}", worst[0], worst[1]);
}

/// What marks an optimum, judged without the library: the error takes its sign in turn at one more frequency
/// than there are free coefficients, nowhere in the bands is it larger than the smallest of these by more
/// than 1e-4 (de la Vallée Poussin).
fn assert_optimal(bands: &[Band], kind: LinearPhase, taps: usize) {
    let name = format!("{taps} taps of type {kind:?}, {bands:?}");
    let found = equiripple(bands, kind, taps).unwrap_or_else(|error| panic!("{name}: {error}"));
    let free = match kind {
        LinearPhase::TypeI => taps / 2 + 1,
        LinearPhase::TypeIII => (taps - 1) / 2,
        _ => taps / 2,
    };
    assert_eq!(found.alternations.len(), free + 1, "{name}");
    let antisymmetric = kind.is_antisymmetric();
    assert_eq!(Taps(found.taps.clone()).linear_phase(), Some(kind), "{name}");
    let error = |frequency: f64, band: &Band| {
        band.weight_at(frequency)
            * (band.desired(frequency) - amplitude(&found.taps, antisymmetric, frequency))
    };
    let inside = |frequency: f64| {
        let slack = 1e-9;
        bands.iter().find(|b| frequency >= b.low - slack && frequency <= b.high + slack).unwrap()
    };
    let at_reference: Vec<f64> = found.alternations.iter().map(|&f| error(f, inside(f))).collect();
    let signs = at_reference.windows(2).all(|pair| pair[0] * pair[1] < 0.0);
    assert!(signs, "{name}: {at_reference:?}");
    let least = at_reference.iter().map(|e| e.abs()).fold(f64::MAX, f64::min);
    for band in bands {
        let points = 200 + (12.0 * taps as f64 * (band.high - band.low)) as usize;
        for k in 0..=points {
            let frequency = band.low + (band.high - band.low) * k as f64 / points as f64;
            if frequency == 0.0 && band.relative {
                continue;
            }
            let e = error(frequency, band).abs();
            // What rounding the taps alone leaves.
            let rounding = 1e-14;
            assert!(
                e <= least * 1.0001 + rounding,
                "{name}: {e:e} at {frequency}, reference {least:e}"
            );
        }
    }
    let apart = found.error - least;
    assert!(apart <= 1e-4 * least + 1e-14 && apart >= -1e-9 * least - 1e-14, "{name}: {apart:e}");
}

proptest! {
    #![proptest_config(ProptestConfig { cases: 150, failure_persistence: None, ..ProptestConfig::default() })]

    #[test]
    fn equiripple_designs_are_optimal(
        taps in 4usize..90, edges in (0.02f64..0.2, 0.03f64..0.15, 0.02f64..0.15, 0.03f64..0.1),
        weight in 0.05f64..50.0, bands in 1usize..4, antisymmetric in any::<bool>(), upper in any::<bool>(),
    ) {
        let (first, gap, width, second_gap) = edges;
        // Gaps wider than some nine ripples hide the error below what double precision shows.
        let gap = gap.min(9.0 / taps as f64);
        let second_gap = second_gap.min(9.0 / taps as f64);
        let (a, b) = (first + gap, first + gap + width);
        let level = |k: usize| if k.is_multiple_of(2) == upper { 1.0 } else { 0.0 };
        let kind = LinearPhase::of(antisymmetric, taps);
        let mut all = vec![
            Band::flat(if antisymmetric { 0.01 } else { 0.0 }, first, level(0), 1.0),
            Band::flat(a, b, level(1), weight),
            Band::flat(b + second_gap, 0.49, level(2), 1.0),
        ];
        all.truncate(bands);
        // A free stretch at the end would leave the response there unbounded.
        all[bands - 1].high = 0.49;
        prop_assume!(all[bands - 1].low < 0.47);
        // One band that asks for nothing has no error.
        prop_assume!(bands > 1 || upper);
        match equiripple(&all, kind, taps) {
            Err(ExchangeError::Precision { error, .. }) => prop_assert!(error < 1e-9, "{error:e}"),
            _ => assert_optimal(&all, kind, taps),
        }
    }
}

/// Bands and desired values symmetric about a quarter of the sample rate: every second tap vanishes, the
/// error is even there, and the optimum has more extremes than it needs.
#[test]
fn symmetry_about_a_quarter_of_the_rate_hides_no_optimum() {
    let kinds =
        [LinearPhase::TypeI, LinearPhase::TypeII, LinearPhase::TypeIII, LinearPhase::TypeIV];
    let (mut designed, mut beyond) = (0, 0);
    for (kind, taps) in kinds.into_iter().flat_map(|kind| (3..=48).map(move |taps| (kind, taps))) {
        if LinearPhase::of(kind.is_antisymmetric(), taps) != kind {
            continue;
        }
        for edge in [0.05, 0.1, 0.15, 0.2] {
            let flat = |low: f64, high: f64, level: f64| Band::flat(low, high, level, 1.0);
            let pair = |low, high| vec![flat(0.0, edge, low), flat(0.5 - edge, 0.5, high)];
            let three = |middle: f64| {
                let inner = flat(edge + 0.04, 0.46 - edge, middle);
                vec![flat(0.0, edge, 1.0 - middle), inner, flat(0.5 - edge, 0.5, 1.0 - middle)]
            };
            let mut all = vec![vec![flat(edge, 0.5 - edge, 1.0)], pair(1.0, 0.0), pair(1.0, -1.0)];
            all.extend([three(0.0), three(1.0)].into_iter().filter(|_| edge < 0.2));
            // Where a type has its zero nothing but zero can be wished for.
            let zero_low = kind.is_antisymmetric();
            let zero_high = matches!(kind, LinearPhase::TypeII | LinearPhase::TypeIII);
            all.retain(|bands| {
                let [first, last] = [bands[0], bands[bands.len() - 1]];
                let at_zero = zero_low && first.low == 0.0 && first.level[0] != 0.0;
                let at_nyquist = zero_high && last.high == 0.5 && last.level[1] != 0.0;
                !at_zero && !at_nyquist
            });
            for bands in all {
                match equiripple(&bands, kind, taps) {
                    Err(ExchangeError::Precision { error, .. }) => {
                        assert!(error < 1e-10, "{taps} taps, {kind:?}, {bands:?}: {error:e}");
                        beyond += 1;
                    }
                    Err(ExchangeError::Unbounded { .. }) => beyond += 1,
                    _ => {
                        assert_optimal(&bands, kind, taps);
                        designed += 1;
                    }
                }
            }
        }
    }
    println!("{designed} designed, {beyond} beyond double precision");
    assert!(designed > 700, "{designed}, {beyond}");
    // 1 − P(y)·sin ω with y = cos² ω and P of the second degree: four unknowns with the error, four extremes
    // of it.
    let hilbert = equiripple(&[Band::flat(0.1, 0.4, 1.0, 1.0)], LinearPhase::TypeIII, 11).unwrap();
    assert!((hilbert.error - 0.01119).abs() < 5e-6, "{}", hilbert.error);
    assert!(hilbert.taps.iter().skip(1).step_by(2).all(|tap| tap.abs() < 1e-15), "{hilbert:?}");
}

proptest! {
    #![proptest_config(ProptestConfig { cases: 40, failure_persistence: None, ..ProptestConfig::default() })]

    /// The number found keeps the template; neither one nor two taps fewer do.
    #[test]
    fn the_fewest_taps_keep_the_template(
        kind in 0usize..4, low in 0.06f64..0.2, share in 0.3f64..0.8, transition in 0.02f64..0.05,
        ripple in 0.05f64..2.0, attenuation in 25.0f64..90.0, method in 0usize..3,
    ) {
        let kind = [BandKind::Lowpass, BandKind::Highpass, BandKind::Bandpass, BandKind::Bandstop][kind];
        let high = low + share * (0.45 - low) + 2.0 * transition;
        let (inner, outer) = match kind.is_band() {
            true => (vec![low + transition, high - transition], vec![low, high]),
            false => (vec![low], vec![low + transition]),
        };
        let (pass, stop) = match kind {
            BandKind::Lowpass => (inner, outer),
            BandKind::Highpass => (outer, inner),
            BandKind::Bandpass => (inner, outer),
            BandKind::Bandstop => (outer, inner),
        };
        let bands = Bands { kind, pass_hz: Some(pass.clone()), stop_hz: Some(stop.clone()) };
        let shape = FirShape::Band {
            kind,
            edges: FirEdges::Transition { pass: pass.clone(), stop },
            ripple_db: Some(ripple),
            attenuation_db: Some(attenuation),
        };
        let method = match method {
            0 => FirMethod::Window(Window::Kaiser { beta: mellow_rake::window::beta_for_template(ripple,
                attenuation) }),
            1 => FirMethod::LeastSquares { weights: Vec::new() },
            _ => FirMethod::Equiripple { weights: Vec::new() },
        };
        let smallest = FirWish { taps: None, ..wish(shape.clone(), method.clone(), 1) };
        let (choice, taps): (FirChoice, Taps) = design_fir(&smallest, rate()).unwrap();
        prop_assert!(choice.taps_are_smallest && choice.taps == taps.0.len());
        let keeps = |taps: &Taps| {
            let found = measure_bands(taps, rate(), &bands, (pass[0] * pass[pass.len() - 1]).sqrt());
            found.passband_ripple_db.unwrap() <= ripple + 1e-6
                && found.stopband_attenuation_db.unwrap() >= attenuation - 1e-6
        };
        prop_assert!(keeps(&taps), "{choice:?}");
        for fewer in 1..=2 {
            if let Ok((_, shorter)) = design_fir(&wish(shape.clone(), method.clone(), choice.taps - fewer),
                rate()) {
                prop_assert!(!keeps(&shorter), "{} fewer than {} keep it", fewer, choice.taps);
            }
        }
    }
}

/// The hard cases: 2,001 taps beyond 140 dB, a narrow band, five bands, a differentiator up to the Nyquist
/// frequency.
#[test]
fn the_longest_and_deepest_designs_are_optimal() {
    let lowpass =
        |pass, stop, weight| [Band::flat(0.0, pass, 1.0, 1.0), Band::flat(stop, 0.5, 0.0, weight)];
    let deep = lowpass(0.1, 0.1055, 1.0);
    assert_optimal(&deep, LinearPhase::TypeI, 2001);
    let found = equiripple(&deep, LinearPhase::TypeI, 2001).unwrap();
    assert!(20.0 * found.error.log10() < -140.0, "{:e}", found.error);
    assert_optimal(&lowpass(0.1, 0.104, 1.0), LinearPhase::TypeII, 2000);
    assert_optimal(&lowpass(0.001, 0.004, 100.0), LinearPhase::TypeI, 1501);
    assert_optimal(&lowpass(0.1, 0.1022, 1.0), LinearPhase::TypeI, 4001);
    let five = [
        Band::flat(0.0, 0.05, 0.0, 10.0),
        Band::flat(0.1, 0.15, 1.0, 1.0),
        Band::flat(0.18, 0.25, 0.0, 3.0),
        Band::flat(0.3, 0.36, 1.0, 1.0),
        Band::flat(0.41, 0.5, 0.0, 20.0),
    ];
    for taps in [55, 151, 201] {
        assert_optimal(&five, LinearPhase::TypeI, taps);
    }
    let slope = |edge: f64| {
        [Band { level: [0.0, TAU * edge], relative: true, ..Band::flat(0.0, edge, 0.0, 1.0) }]
    };
    assert_optimal(&slope(0.45), LinearPhase::TypeIII, 51);
    assert_optimal(&slope(0.5), LinearPhase::TypeIV, 50);
    assert_optimal(&[Band::flat(0.02, 0.48, 1.0, 1.0)], LinearPhase::TypeIII, 101);
    // Nothing asked beyond 0.02: the best response there is of no use, and that is said.
    let free = [Band::flat(0.0, 0.01, 1.0, 1.0), Band::flat(0.015, 0.02, 0.0, 1.0)];
    let error = equiripple(&free, LinearPhase::TypeI, 101).unwrap_err();
    assert!(matches!(error, ExchangeError::Unbounded { .. }), "{error}");
    // A band within a hair of where a type has its zero: no panic, whatever comes of it.
    for kind in [LinearPhase::TypeIII, LinearPhase::TypeIV] {
        let taps = if kind == LinearPhase::TypeIII { 31 } else { 32 };
        let _ = equiripple(&[Band::flat(1e-5, 2e-5, 1.0, 1.0)], kind, taps);
    }
    // Three taps by hand: A = a + b·cos ω errs alike at 0, 0.1 and 0.5 if that is the worst of the stop-band:
    // a + b = 1 + δ, a + b·cos 0.2π = 1 − δ, a − b = −δ give b(1 − cos 0.2π) = 2δ and 2b = 1 + 2δ.
    let b = 1.0 / (1.0 + (0.2 * PI).cos());
    let delta = b * (1.0 - (0.2 * PI).cos()) / 2.0;
    let three = equiripple(&lowpass(0.1, 0.4, 1.0), LinearPhase::TypeI, 3).unwrap();
    assert!((three.error - delta).abs() < 1e-14, "{} {delta}", three.error);
    assert!(
        (three.taps[0] - b / 2.0).abs() < 1e-14
            && (three.taps[1] - (1.0 + delta - b)).abs() < 1e-14
    );
}

/// Samples of a response come down to half amplitude at the cut-offs, within a step of their grid, whatever
/// stands in the transition.
#[test]
fn frequency_samples_put_the_cut_offs_where_they_were_asked() {
    let transitions = [vec![], vec![0.39], vec![0.59, 0.11], vec![0.9, 0.5, 0.1]];
    for (taps, transition) in
        [64, 101, 255].into_iter().flat_map(|taps| transitions.iter().map(move |t| (taps, t)))
    {
        for kind in [BandKind::Lowpass, BandKind::Highpass, BandKind::Bandpass, BandKind::Bandstop]
        {
            let reaches_nyquist = matches!(kind, BandKind::Highpass | BandKind::Bandstop);
            if reaches_nyquist && taps % 2 == 0 {
                continue;
            }
            for low in [0.137, 0.15, 0.1713] {
                let edges = if kind.is_band() { vec![low, low + 0.17] } else { vec![low] };
                let method =
                    FirMethod::FrequencySampling { transition_samples: transition.clone() };
                let taps = Taps(made(band(kind, FirEdges::Cutoff(edges.clone())), method, taps));
                let count = taps.0.len();
                for edge in edges {
                    let at = |steps: f64| amplitude(&taps.0, false, edge + steps / count as f64);
                    let (before, after) = (at(-1.0) - 0.5, at(1.0) - 0.5);
                    assert!(
                        before * after < 0.0,
                        "{kind:?} {count} {transition:?} {edge}: {before} {after}"
                    );
                }
            }
        }
    }
}

/// Identities that each kind has whatever its method.
#[test]
fn every_kind_keeps_its_identity() {
    let equiripple = || FirMethod::Equiripple { weights: Vec::new() };
    let squares = || FirMethod::LeastSquares { weights: Vec::new() };
    let hann = || FirMethod::Window(Window::Hann);

    // M-th band: the copies of the response, shifted by fs/M, add up to 1; every M-th tap is exactly zero.
    for (factor, method, taps) in [
        (2, equiripple(), 31),
        (2, squares(), 33),
        (2, hann(), 25),
        (3, squares(), 47),
        (4, squares(), 63),
        (5, hann(), 41),
    ] {
        let shape = FirShape::MthBand { factor, pass_hz: Some(0.38 / factor as f64) };
        let found = made(shape, method, taps);
        let middle = taps / 2;
        assert_eq!(found[middle], 1.0 / factor as f64);
        for (k, tap) in found.iter().enumerate() {
            let exactly_zero = k != middle && k.abs_diff(middle).is_multiple_of(factor);
            assert!(!exactly_zero || *tap == 0.0, "{factor} {k}");
        }
        for k in 0..50 {
            let f = 0.01 * f64::from(k);
            let shifted = |m: usize| amplitude(&found, false, f + m as f64 / factor as f64);
            let sum: f64 = (0..factor).map(shifted).sum();
            assert!((sum - 1.0).abs() < 1e-12, "{factor} at {f}: {sum}");
        }
    }

    // A Hilbert transformer turns a cosine into a sine, a differentiator turns a sine into its slope.
    for (taps, method) in
        [(31usize, equiripple()), (32, squares()), (63, FirMethod::Window(Window::Hamming))]
    {
        let edge = if taps % 2 == 1 { 0.47 } else { 0.5 };
        let turned = made(FirShape::Hilbert { pass_hz: [0.03, edge] }, method.clone(), taps);
        let slope = made(FirShape::Differentiator { pass_hz: 0.44 }, method, taps);
        let middle = (taps - 1) as f64 / 2.0;
        let omega = TAU * 0.22;
        let through = |h: &[f64], x: &dyn Fn(f64) -> f64, n: f64| -> f64 {
            h.iter().enumerate().map(|(k, tap)| tap * x(n - k as f64)).sum()
        };
        for n in [100.0, 101.0, 107.0] {
            let sine = through(&turned, &|t| (omega * t).cos(), n);
            assert!((sine - (omega * (n - middle)).sin()).abs() < 0.05, "{taps}: {sine}");
            let rise = through(&slope, &|t| (omega * t).sin(), n);
            assert!((rise - omega * (omega * (n - middle)).cos()).abs() < 0.05, "{taps}: {rise}");
        }
    }

    // A raised cosine is zero at all other symbols; two square roots in series are one, but for the cut
    // tails.
    let pulse = |root, taps| {
        made(
            FirShape::RaisedCosine { symbol_rate_hz: 0.125, rolloff: 0.35, root },
            FirMethod::ClosedForm,
            taps,
        )
    };
    let whole = pulse(false, 161);
    for (k, tap) in whole.iter().enumerate() {
        if k != 80 && k.abs_diff(80).is_multiple_of(8) {
            assert!(tap.abs() < 1e-17, "{k}: {tap:e}");
        }
    }
    let half = pulse(true, 961);
    for m in 0..20usize {
        let sum: f64 = (0..961 - m).map(|k| half[k] * half[k + m]).sum();
        assert!((sum - whole[80 + m]).abs() < 1e-6, "{m}: {sum} {}", whole[80 + m]);
    }

    // A moving average has its closed form, sin(Nω/2)/(N·sin(ω/2)).
    let mean = Taps(made(FirShape::Average, FirMethod::ClosedForm, 16));
    for k in 1..40 {
        let omega = PI * f64::from(k) / 40.0;
        let expected = (8.0 * omega).sin() / (16.0 * (omega / 2.0).sin());
        assert!((mean.amplitude(omega) - expected).abs() < 1e-14);
    }

    // Points are met on the grid; a multiband filter has its levels; unity gain is exact where it is
    // promised.
    let points = vec![(0.0, 1.0), (0.1, 1.0), (0.2, 0.25), (0.5, 0.5)];
    let curve = made(
        FirShape::Points(points),
        FirMethod::FrequencySampling { transition_samples: Vec::new() },
        101,
    );
    for (k, expected) in [(0, 1.0), (10, 1.0), (15, 1.0 - 0.75 * (15.0 / 101.0 - 0.1) / 0.1)] {
        assert!((amplitude(&curve, false, f64::from(k) / 101.0) - expected).abs() < 1e-13, "{k}");
    }
    let wished =
        |low, high, level| WishedBand { edges_hz: [low, high], level: [level; 2], weight: 1.0 };
    let bands = vec![wished(0.0, 0.1, 1.0), wished(0.15, 0.25, 0.0), wished(0.3, 0.5, 0.5)];
    let multi = made(FirShape::Multiband(bands), equiripple(), 81);
    for (f, level) in [(0.05, 1.0), (0.2, 0.0), (0.4, 0.5)] {
        assert!((amplitude(&multi, false, f) - level).abs() < 0.01, "{f}");
    }
    for (kind, edges, at) in [
        (BandKind::Lowpass, vec![0.1], 0.0),
        (BandKind::Highpass, vec![0.2], 0.5),
        (BandKind::Bandpass, vec![0.1, 0.3], 0.2),
    ] {
        let shape = band(kind, FirEdges::Cutoff(edges.clone()));
        let unity = FirWish { unity_gain: true, ..wish(shape, hann(), 41) };
        let (_, taps) = design_fir(&unity, rate()).unwrap();
        assert!((taps.gain(TAU * at) - 1.0).abs() < 1e-14);
        // Half amplitude at the cut-off, as near as the window's own ripple lets it.
        assert!((taps.gain(TAU * edges[0]) - 0.5).abs() < 0.01, "{kind:?}");
    }
}

/// Numbers that a program might pass where a spec would have been refused.
fn strange() -> impl Strategy<Value = f64> {
    prop_oneof![
        Just(f64::NAN),
        Just(f64::INFINITY),
        Just(0.0),
        Just(-0.1),
        Just(0.5),
        Just(1e300),
        Just(0.25),
        0.001f64..0.6,
        -1.0f64..1e4,
    ]
}

proptest! {
    #![proptest_config(ProptestConfig { cases: 1500, failure_persistence: None,
        ..ProptestConfig::default() })]

    /// Whatever a program wishes, with whatever numbers: taps that are finite, or an error that names a key
    /// or a limit.
    #[test]
    fn no_wish_makes_it_panic(
        values in proptest::collection::vec(strange(), 4), lists in proptest::collection::vec(strange(),
            0..4),
        shape in 0usize..10, method in 0usize..6, taps in proptest::option::of(0usize..40), kind in 0usize..4,
        edges in 0usize..3, minimum in any::<bool>(), unity_gain in any::<bool>(),
    ) {
        let [a, b, c, d] = values[..] else { unreachable!() };
        let kind = [BandKind::Lowpass, BandKind::Highpass, BandKind::Bandpass, BandKind::Bandstop][kind];
        let edges = match edges {
            0 => FirEdges::Cutoff(lists.clone()),
            1 => FirEdges::Pass(lists.clone()),
            _ => FirEdges::Transition { pass: lists.clone(), stop: vec![a, b] },
        };
        let band = |level| WishedBand { edges_hz: [a, b], level: [level, d], weight: c };
        let shape = match shape {
            0 | 1 => FirShape::Band { kind, edges, ripple_db: Some(c), attenuation_db: Some(d) },
            2 => FirShape::Multiband(lists.iter().map(|level| band(*level)).collect()),
            3 => FirShape::Points(lists.iter().map(|f| (*f, a)).collect()),
            4 => FirShape::Differentiator { pass_hz: a },
            5 => FirShape::Hilbert { pass_hz: [a, b] },
            6 => FirShape::MthBand { factor: lists.len(), pass_hz: Some(a) },
            7 => FirShape::RaisedCosine { symbol_rate_hz: a, rolloff: b, root: minimum },
            8 => FirShape::Smoother { degree: lists.len(), derivative: kind as usize },
            _ => FirShape::Average,
        };
        let method = match method {
            0 => FirMethod::Window(Window::Kaiser { beta: c }),
            1 => FirMethod::Window(Window::Gaussian { sigma: d }),
            2 => FirMethod::Equiripple { weights: lists },
            3 => FirMethod::LeastSquares { weights: lists },
            4 => FirMethod::FrequencySampling { transition_samples: lists },
            _ => FirMethod::ClosedForm,
        };
        let phase = if minimum { Phase::Minimum } else { Phase::Linear };
        match design_fir(&FirWish { shape, method, taps, phase, unity_gain, effort: Effort::default() },
            rate()) {
            Ok((choice, taps)) => {
                prop_assert!(taps.0.len() == choice.taps && taps.0.iter().all(|tap| tap.is_finite()));
            }
            Err(error) => prop_assert!(!error.to_string().is_empty()),
        }
    }
}

/// Types, lengths and forms that do not belong together are refused; no taps at all are no reason to panic.
#[test]
fn what_does_not_fit_is_refused() {
    let bands = [Band::flat(0.0, 0.1, 1.0, 1.0), Band::flat(0.2, 0.5, 0.0, 1.0)];
    for (kind, taps) in [
        (LinearPhase::TypeI, 40),
        (LinearPhase::TypeII, 41),
        (LinearPhase::TypeIII, 40),
        (LinearPhase::TypeIV, 41),
        (LinearPhase::TypeI, 0),
    ] {
        assert!(matches!(equiripple(&bands, kind, taps), Err(ExchangeError::TooShort { .. })));
        assert!(least_squares(&bands, kind, taps, None).is_err());
    }
    assert!(least_squares(&bands, LinearPhase::TypeI, 41, Some(0)).is_err());
    let none = Taps(Vec::new());
    assert_eq!(
        (none.gain(0.3), none.start().step(1.0).abs(), none.group_delay(0.1)),
        (0.0, 0.0, 0.0)
    );
}

/// Minimum phase: the gain is kept, the delay is shorter, and a design that cannot be turned says so.
#[test]
fn minimum_phase_keeps_the_gain() {
    let shape = || FirShape::Band {
        kind: BandKind::Bandpass,
        edges: FirEdges::Transition { pass: vec![0.1, 0.2], stop: vec![0.06, 0.24] },
        ripple_db: Some(0.2),
        attenuation_db: Some(60.0),
    };
    let method = FirMethod::Equiripple { weights: Vec::new() };
    let linear = FirWish { taps: None, ..wish(shape(), method, 1) };
    let (choice, even) = design_fir(&linear, rate()).unwrap();
    let (_, least) =
        design_fir(&FirWish { phase: Phase::Minimum, ..linear.clone() }, rate()).unwrap();
    assert_eq!((least.0.len(), least.linear_phase()), (choice.taps, None));
    for k in 0..=400 {
        let omega = PI * f64::from(k) / 400.0;
        assert!((even.gain(omega) - least.gain(omega)).abs() < 1e-10);
    }
    let middle = even.group_delay(TAU * 0.15);
    assert!(least.group_delay(TAU * 0.15) < 0.7 * middle, "{}", least.group_delay(TAU * 0.15));
}
