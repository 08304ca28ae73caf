//! What the analysis reads off a filter, against closed forms, long arithmetic and a second way to the same
//! number.

use mellow_rake::design::{Choice, Design, design};
use mellow_rake::filter::{
    BandKind, Form, PhaseResponse, Section, Sections, Taps, Transfer, ZerosPolesGain,
    polynomial_from_roots,
};
use mellow_rake::quality::{Change, Wished, sensitivity, tolerance_band};
use mellow_rake::quality::{Measures, Report};
use mellow_rake::response::{
    Bands, RootKind, adaptive_grid, deviation, frequency_curves, gain_db, gain_difference_db,
    largest_gain_difference_db, linear_grid, measure_bands, one_polynomial,
};
use mellow_rake::signal::Twice;
use mellow_rake::spec::Spec;
use mellow_rake::units::SampleRate;
use num_complex::Complex64;
use proptest::prelude::*;
use std::f64::consts::{PI, TAU};

fn rate(hertz: f64) -> SampleRate {
    SampleRate::from_hertz(hertz).unwrap()
}

fn made(rate: &str, want: &str) -> Design {
    let text = format!("name = \"x\"\nsample_rate = \"{rate}\"\n[want]\n{want}\n");
    design(&Spec::parse(&text).unwrap()).unwrap()
}

/// The filter of a line of tests/truth/delay.csv.
fn given(form: &str, numbers: &[f64]) -> Box<dyn PhaseResponse> {
    match form {
        "roots" => {
            let zeros = numbers[0] as usize;
            let roots: Vec<Complex64> =
                numbers[3..].chunks(2).map(|z| Complex64::new(z[0], z[1])).collect();
            let (zeros, poles) = roots.split_at(zeros);
            let (zeros, poles) = (zeros.to_vec(), poles.to_vec());
            Box::new(ZerosPolesGain { zeros, poles, gain: numbers[2] })
        }
        "sections" => {
            let section = |c: &[f64]| Section { b: [c[0], c[1], c[2]], a: [c[3], c[4]] };
            Box::new(Sections(numbers.chunks(5).map(section).collect()))
        }
        _ => Box::new(Taps(numbers.to_vec())),
    }
}

/// Against the numeric derivative of the phase in arithmetic of 80 digits: in a band of order 24, at an edge
/// of 5e-5, next to zeros on the circle, and within 1e-9 of zero and of the Nyquist frequency.
#[test]
fn group_delay_and_phase_agree_with_long_arithmetic() {
    let table = include_str!("truth/delay.csv");
    let (mut worst, mut lines) = ([0.0f64; 2], 0);
    for line in table.lines().skip(1) {
        let fields: Vec<&str> = line.split(',').collect();
        let number = |k: usize| fields[k].parse::<f64>().unwrap();
        let numbers: Vec<f64> = fields[5].split(' ').map(|v| v.parse().unwrap()).collect();
        let filter = given(fields[1], &numbers);
        let (omega, delay, phase) = (number(2), number(3), number(4));
        let found = filter.group_delay(omega);
        // A delay of ten thousand samples makes 1e-12 of phase out of the rounding of the angle; the delay
        // itself has the digits that the distance of the poles from the circle, 1e-4, leaves it.
        let error = (found - delay).abs() / (1.0 + delay.abs());
        let turned = filter.phase(&[omega])[0] - phase;
        let turned = (turned - TAU * (turned / TAU).round()).abs();
        assert!(error < 1e-11, "{line:.60}: {found} {delay}");
        assert!(turned < 1e-9, "{line:.60}: phase off by {turned}");
        worst = [worst[0].max(error), worst[1].max(turned)];
        lines += 1;
    }
    println!("{lines} delays within {:.1e}, phases within {:.1e} rad", worst[0], worst[1]);
    assert!(lines > 80);
}

/// Roots anywhere but within 0.001 of the circle, as conjugate pairs.
fn roots(most: usize) -> impl Strategy<Value = Vec<Complex64>> {
    let radius = prop_oneof![0.1f64..0.999, 1.001f64..3.0];
    let pair = (radius, 0.01f64..3.13).prop_map(|(r, t)| Complex64::new(r * t.cos(), r * t.sin()));
    prop::collection::vec(pair, 1..most)
        .prop_map(|half| half.iter().flat_map(|z| [*z, z.conj()]).collect())
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(60))]

    /// The phase of taps is followed from point to point, that of zeros summed in closed form: the same,
    /// whole turns included; and what it falls by is the integral of the delay.
    #[test]
    fn phase_is_unwrapped_alike_in_two_ways(zeros in roots(7)) {
        let taps = Taps(polynomial_from_roots(&zeros));
        let count = zeros.len();
        // H as a polynomial in z⁻¹: as many poles at the origin as zeros.
        let poles = vec![Complex64::new(0.0, 0.0); count];
        let exact = ZerosPolesGain { zeros, poles, gain: 1.0 };
        let omegas: Vec<f64> = (0..=50).map(|k| PI * f64::from(k) / 50.0).collect();
        let (one, two) = (taps.phase(&omegas), exact.phase(&omegas));
        for (a, b) in one.iter().zip(&two) {
            prop_assert!((a - b).abs() < 1e-6, "{a} {b}");
        }
        let outside = exact.zeros.iter().filter(|z| z.norm() > 1.0).count();
        prop_assert!((two[50] - two[0] + PI * outside as f64).abs() < 1e-9, "half a turn per zero outside");
    }

    /// The four types of linear phase: the angle of the response itself but for whole turns, and between the
    /// zeros a straight line that falls by half the length.
    #[test]
    fn linear_phase_is_a_straight_line(half in prop::collection::vec(-1.0f64..1.0, 1..30),
        type_of in 0usize..4, at in prop::collection::vec(0.01f64..3.1, 20)) {
        let sign = if type_of < 2 { 1.0 } else { -1.0 };
        let mut taps = half.clone();
        if type_of % 2 == 0 {
            taps.push(if sign > 0.0 { 0.7 } else { 0.0 });
        }
        taps.extend(half.iter().rev().map(|tap| sign * tap));
        let filter = Taps(taps.clone());
        let mut at = at;
        at.sort_by(f64::total_cmp);
        for (omega, phase) in at.iter().zip(filter.phase(&at)) {
            let h = filter.response(*omega);
            if h.norm() > 1e-9 {
                let off = phase - h.arg();
                prop_assert!((off - TAU * (off / TAU).round()).abs() < 1e-6);
            }
            let rest = phase + omega * (taps.len() - 1) as f64 / 2.0;
            let steps = if sign > 0.0 { [0.0, PI] } else { [PI / 2.0, -PI / 2.0] };
            prop_assert!(steps.iter().any(|step| (rest - step).abs() < 1e-9), "{rest}");
        }
    }

    /// Straight lines between the points of an adaptive grid follow the gain, at frequencies that the grid
    /// never saw.
    #[test]
    fn an_adaptive_grid_follows_every_bend(poles in roots(5), zeros in roots(5),
        at in prop::collection::vec(0.0f64..500.0, 40)) {
        // Poles inside; every other zero on the circle.
        let poles = poles.iter().map(|p| if p.norm() > 1.0 { 1.0 / p.conj() } else { *p }).collect();
        let on = |(k, z): (usize, &Complex64)| if k % 4 < 2 { *z / z.norm() } else { *z };
        let zeros: Vec<Complex64> = zeros.iter().enumerate().map(on).collect();
        let filter = ZerosPolesGain { zeros: zeros.clone(), poles, gain: 1.0 };
        let grid = adaptive_grid(&filter, rate(1000.0), 0.0, 500.0, 0.05);
        prop_assert!(grid.windows(2).all(|pair| pair[0] < pair[1]) && grid.len() < 40_000);
        // Nulls are followed down to 220 dB below the largest gain.
        let level = |hz: f64| gain_db(&filter, rate(1000.0), hz);
        let floor = grid.iter().map(|hz| level(*hz)).fold(f64::MIN, f64::max) - 220.0;
        for hz in at {
            let next = grid.partition_point(|g| *g < hz).clamp(1, grid.len() - 1);
            let (a, b) = (grid[next - 1], grid[next]);
            let [la, lb, l] = [a, b, hz].map(|f| level(f).max(floor));
            let straight = la + (lb - la) * (hz - a) / (b - a);
            // The middle was within 0.05 dB; elsewhere a smooth curve is not much further off. The last 1e-6
            // Hz beside a null may be one straight line.
            prop_assert!((l - straight).abs() < 0.25 || b - a < 1e-4, "{hz}: {l} {straight}");
        }
        for zero in zeros.iter().step_by(2).filter(|z| (z.norm() - 1.0).abs() < 1e-12) {
            let hz = zero.arg().abs() / TAU * 1000.0;
            prop_assert!(grid.iter().any(|g| (g - hz).abs() < 1e-9), "the null at {hz} is in the grid");
        }
    }
}

/// The ends of the phase of every kind of filter are multiples of a quarter turn that are known beforehand.
#[test]
fn phase_begins_and_ends_where_it_must() {
    let ends = |filter: &dyn PhaseResponse| {
        let phase = filter.phase(&[0.0, PI]);
        [phase[0].to_degrees(), phase[1].to_degrees()]
    };
    let close = |found: [f64; 2], expected: [f64; 2]| {
        let off = (found[0] - expected[0]).abs().max((found[1] - expected[1]).abs());
        assert!(off < 1e-6, "{found:?} {expected:?}");
    };
    // An all-pass falls by half a turn per pole.
    close(
        ends(made("1 kHz", "kind = \"all-pass\"\ncenter = \"40 Hz\"\nwidth = \"5 Hz\"").transfer()),
        [0.0, -360.0],
    );
    // A Butterworth of order 5: zeros at −1 lie on the circle and jump behind the last angle.
    let low = made(
        "1 kHz",
        "kind = \"lowpass\"\ncutoff = \"40 Hz\"\n[method]\ndesign = \"butterworth\"\norder = 5",
    );
    close(ends(low.transfer()), [0.0, -450.0]);
    let high = made(
        "1 kHz",
        "kind = \"highpass\"\ncutoff = \"0.05 Hz\"\n[method]\ndesign = \"butterworth\"\norder = 3",
    );
    close(ends(high.transfer()), [-90.0, -360.0]);
    // The same filter as sections is the same filter.
    close(ends(&high.form), [-90.0, -360.0]);
    // A null in the middle of the band: half a turn back.
    let notch = made("1 kHz", "kind = \"notch\"\ncenter = \"87.5 Hz\"\nwidth = \"5 Hz\"");
    close(ends(notch.transfer()), [0.0, 0.0]);
    let curves = frequency_curves(notch.transfer(), rate(1000.0), &[87.4999, 87.5001]);
    let jump = curves.phase_degrees[1] - curves.phase_degrees[0];
    assert!((jump - 180.0).abs() < 0.02, "{jump}");
    // A mean of 7 is three samples late, and nothing else once that is taken off.
    let mean = made("1 kHz", "kind = \"average\"\n[method]\ntaps = 7");
    let curves = frequency_curves(mean.transfer(), rate(1000.0), &linear_grid(0.0, 140.0, 57));
    let line = curves.linear_part(rate(1000.0), 0.0, 140.0).unwrap();
    assert!((line.delay_samples - 3.0).abs() < 1e-9 && line.constant_degrees.abs() < 1e-9);
    assert!(curves.phase_without(&line, rate(1000.0)).iter().all(|p| p.abs() < 1e-6));
    assert!(curves.phase_delay_samples.iter().all(|d| (d.unwrap() - 3.0).abs() < 1e-9));
}

/// Edges of a first-order low-pass in closed form, the side lobe of a mean of 64 from the Dirichlet kernel,
/// and none for a response that only falls.
#[test]
fn edges_and_side_lobes_measure_as_their_closed_forms() {
    let low = made(
        "1 kHz",
        "kind = \"lowpass\"\ncutoff = \"40 Hz\"\n[method]\ndesign = \"butterworth\"\norder = 1",
    );
    let bands = Bands { kind: BandKind::Lowpass, pass_hz: None, stop_hz: None };
    let found = measure_bands(low.transfer(), rate(1000.0), &bands, 0.0);
    // |H|² = 1/(1 + (tan(πf/fs)/tan(πfc/fs))²)
    let edge = |db: f64| {
        let ratio = (10f64.powf(db / 10.0) - 1.0).sqrt();
        (ratio * (PI * 0.04).tan()).atan() / PI * 1000.0
    };
    let close = |found: Option<f64>, expected: f64| {
        assert!((found.unwrap() - expected).abs() < 1e-8, "{found:?} {expected}");
    };
    close(found.edges_1db_hz[0], edge(1.0));
    close(found.edges_6db_hz[0], edge(20.0 * 2f64.log10()));
    assert_eq!(found.side_lobe_db, None);
    let mean = Taps(vec![1.0 / 64.0; 64]);
    let found = measure_bands(&mean, rate(1000.0), &bands, 0.0);
    let kernel = |x: f64| ((64.0 * x).sin() / (64.0 * x.sin())).abs();
    // Beyond the first null, at x = π/64, by a fine scan.
    let lobe = (0..200_000)
        .map(|k| kernel(PI / 64.0 * (1.0 + f64::from(k) / 200_000.0)))
        .fold(0.0, f64::max);
    assert!((found.side_lobe_db.unwrap() - 20.0 * lobe.log10()).abs() < 1e-6, "{found:?}");
}

/// Ripples of 3 dB cross −1 dB again and again within the pass-band: the point is the outermost crossing, in
/// closed form where ε·T₇(Ω) = √(10^0.1 − 1), Ω = cos(acos(x)/7). A band-stop has its centre between its
/// half-power points.
#[test]
fn edges_are_the_outermost_crossings() {
    let levels =
        "pass_edge = \"100 Hz\"\nripple = \"3 dB\"\n[method]\ndesign = \"chebyshev1\"\norder = 7";
    let bands = Bands { kind: BandKind::Lowpass, pass_hz: Some(vec![100.0]), stop_hz: None };
    let filter = made("1 kHz", &format!("kind = \"lowpass\"\n{levels}"));
    let found = measure_bands(filter.transfer(), rate(1000.0), &bands, 0.0);
    let epsilon = (10f64.powf(0.3) - 1.0).sqrt();
    let place = (((10f64.powf(0.1) - 1.0).sqrt() / epsilon).acos() / 7.0).cos();
    let expected = (place * (0.1 * PI).tan()).atan() * 1000.0 / PI;
    let one = found.edges_1db_hz[0].unwrap();
    assert!((one - expected).abs() < 1e-6, "{one} {expected}");

    let text = "kind = \"bandstop\"\ncutoffs = [\"80 Hz\", \"240 Hz\"]\n[method]\ndesign = \"butterworth\"\n\
        order = 8";
    let bands = Bands { kind: BandKind::Bandstop, pass_hz: None, stop_hz: None };
    let filter = made("1 kHz", text);
    let found = measure_bands(filter.transfer(), rate(1000.0), &bands, (80.0f64 * 240.0).sqrt());
    let middle = ((0.08 * PI).tan() * (0.24 * PI).tan()).sqrt().atan() * 1000.0 / PI;
    assert!((found.stop_center_hz.unwrap() - middle).abs() < 1e-6, "{found:?}");
    assert!(found.stop_center_db.is_none_or(|level| level < -250.0), "{found:?}");
    // Four zeros at one place are one row, and no part of them is a trace of rounding.
    let roots = filter.roots(rate(1000.0)).unwrap();
    let zeros: Vec<_> = roots.iter().filter(|root| root.kind == RootKind::Zero).collect();
    assert!(zeros.len() == 1 && zeros[0].count == 4, "{zeros:?}");
    assert!((zeros[0].angle_degrees - middle * 0.36).abs() < 1e-6, "{zeros:?}");
}

/// As one polynomial in few bits: the recursion of the rounded coefficients, run here, grows if and only if a
/// pole is said to lie outside, and dies away as fast as the largest radius says.
#[test]
fn one_polynomial_in_few_bits_rings_as_it_is_said_to() {
    let (mut unstable, mut stable) = (0, 0);
    for order in [4, 6, 8] {
        for (cutoff, width) in [(20, 12), (60, 10), (60, 14), (120, 16), (200, 8)] {
            let text = format!(
                "kind = \"lowpass\"\ncutoff = \"{cutoff} Hz\"\n[method]\ndesign = \"butterworth\"\norder = \
                    {order}"
            );
            let form = made("1 kHz", &text).form;
            let format = format!("s{width}").parse().unwrap();
            let found = one_polynomial(&form, format).unwrap();
            // The polynomial by convolution, rounded to the fraction that was named.
            let mut a = vec![1.0];
            for section in &form.sections().unwrap().0 {
                let factor = [1.0, section.a[0], section.a[1]];
                let mut product = vec![0.0; a.len() + 2];
                for (i, x) in a.iter().enumerate() {
                    for (j, y) in factor.iter().enumerate() {
                        product[i + j] += x * y;
                    }
                }
                a = product;
            }
            let unit = 2f64.powi(-found.fraction);
            let words: Vec<f64> = a.iter().map(|value| (value / unit).round_ties_even()).collect();
            let most = 2f64.powi(width - 1);
            assert!(words.iter().all(|word| *word < most && *word >= -most), "{words:?}");
            // With another bit behind the point the largest would not fit.
            assert!(words.iter().any(|word| 2.0 * word.abs() >= most - 1.0), "{words:?}");
            let mut state = vec![0.0; order];
            let mut level = |samples: usize| {
                let mut peak = 0.0f64;
                for n in 0..samples {
                    let input = if n == 0 { 1.0 } else { 0.0 };
                    let feedback: f64 =
                        state.iter().zip(&words[1..]).map(|(y, a)| y * a * unit).sum();
                    let output = input - feedback;
                    state.rotate_right(1);
                    state[0] = output;
                    if !output.is_finite() {
                        return f64::INFINITY;
                    }
                    if n >= samples - 400 {
                        peak = peak.max(output.abs());
                    }
                }
                peak
            };
            let peak = level(4000);
            if found.outside > 0 {
                assert!(peak > 1e-3, "{order} {cutoff} {width}: {found:?} {peak:e}");
                unstable += 1;
            } else {
                let allowed = 1e6 * found.radius.powi(3600) + 1e-200;
                assert!(
                    peak <= allowed,
                    "{order} {cutoff} {width}: {found:?} {peak:e} {allowed:e}"
                );
                stable += 1;
            }
        }
    }
    assert!(unstable > 3 && stable > 3, "{unstable} {stable}");
}

/// Forward and backward the gain counts twice: of a Butterworth filter of order n the −3 dB point moves to
/// Ω²ⁿ = √2 − 1.
#[test]
fn edges_move_where_a_signal_passes_twice() {
    let text =
        "kind = \"lowpass\"\ncutoff = \"120 Hz\"\n[method]\ndesign = \"butterworth\"\norder = 5";
    let design = made("1 kHz", text);
    let found =
        Measures::of(&Twice(design.transfer()), &design.choice, rate(1000.0)).half_power_hz();
    let place = (2f64.sqrt() - 1.0).powf(0.1) * (0.12 * PI).tan();
    assert!((found[0] - place.atan() * 1000.0 / PI).abs() < 1e-6, "{found:?}");
}

/// An attenuation beside a cut-off is judged even where so few taps have no side lobe: a gain that only
/// falls, and a dip with one minimum.
#[test]
fn an_attenuation_is_judged_where_there_is_no_side_lobe() {
    for (kind, edges, window, taps) in [
        ("lowpass", "cutoff = \"200 Hz\"", "hamming", 5),
        ("bandstop", "cutoffs = [\"170 Hz\", \"330 Hz\"]", "rectangular", 7),
    ] {
        let asked = |attenuation: f64| {
            let want = format!(
                "kind = \"{kind}\"\n{edges}\nattenuation = \"{attenuation} dB\"\n[method]\n\
                    design = \"window\"\n\
                 window = \"{window}\"\ntaps = {taps}\ngain = \"unity\""
            );
            let design = made("1 kHz", &want);
            let found = Measures::of(design.transfer(), &design.choice, rate(1000.0));
            let Measures::Bands(bands) = &found else { panic!("{found:?}") };
            let report = Report::of(
                design.transfer(),
                &design.form,
                &design.choice,
                design.form.cost(),
                rate(1000.0),
            );
            let rows = report.rows(&design.choice, rate(1000.0));
            let row = rows.iter().find(|row| row.key == "side_lobe").unwrap();
            let judged = row.margin().unwrap() >= 0.0;
            assert_eq!(row.found.value(), bands.outside_db, "{kind}: {row:?}");
            (judged, bands.outside_db.unwrap(), bands.side_lobe_db)
        };
        let (kept, level, lobe) = asked(1.0);
        assert!(
            kept && lobe.is_none() && level < -6.0 && level > -60.0,
            "{kind}: {level} {lobe:?}"
        );
        assert!(asked(-level - 0.5).0 && !asked(-level + 0.5).0, "{kind}: {level}");
    }
}

/// Roots as an engineer reads them, and the table that they end in.
#[test]
fn roots_and_rows_say_what_the_wish_says() {
    let leaky = made("1 kHz", "kind = \"leaky-integrator\"\ntime_constant = \"25 samples\"");
    let roots = leaky.roots(rate(1000.0)).unwrap();
    let pole = roots.iter().find(|root| root.kind == RootKind::Pole).unwrap();
    assert!((pole.time_constant_samples.unwrap() - 25.0).abs() < 1e-9 && !pole.is_pair);
    let notch = made("1 kHz", "kind = \"notch\"\ncenter = \"87.5 Hz\"\nwidth = \"5 Hz\"");
    let roots = notch.roots(rate(1000.0)).unwrap();
    assert!(roots.iter().all(|root| root.is_pair && (root.frequency_hz - 87.5).abs() < 0.2));
    // Of taps they are found: a mean of 8 has its zeros at the multiples of an eighth of the rate.
    let mean = made("1 kHz", "kind = \"average\"\n[method]\ntaps = 8");
    let zeros: Vec<f64> = mean
        .roots(rate(1000.0))
        .unwrap()
        .iter()
        .filter(|root| root.kind == RootKind::Zero)
        .map(|root| root.frequency_hz)
        .collect();
    assert_eq!(zeros.len(), 4);
    assert!(
        zeros
            .iter()
            .zip([125.0, 250.0, 375.0, 500.0])
            .all(|(found, asked)| (found - asked).abs() < 1e-6)
    );
    // The rows of a template: asked, found, and a margin that says whether it is kept.
    let want = "kind = \"lowpass\"\npass_edge = \"40 Hz\"\nstop_edge = \"60 Hz\"\nripple = \"0.5 \
        dB\"\nattenuation = \"50 dB\"\n[method]\ndesign = \"elliptic\"\norder = \"minimum\"";
    let low = made("1 kHz", want);
    let report = Report::of(low.transfer(), &low.form, &low.choice, low.form.cost(), rate(1000.0));
    let rows = report.rows(&low.choice, rate(1000.0));
    let row = |key: &str| rows.iter().find(|row| row.key == key).unwrap();
    assert_eq!(
        (row("ripple").asked, row("attenuation").asked),
        (Wished::AtMost(0.5), Wished::AtLeast(50.0))
    );
    for key in ["ripple", "attenuation", "peak_gain"] {
        assert!(row(key).margin().unwrap() > -1e-6, "{:?}", row(key));
    }
    assert_eq!(row("multiplies").found.value(), Some(13.0));
}

/// One pole: what a step of its coefficient does is known. Of taps, every step does the same. What the poles
/// of a pair near the circle do is dp = −da₂/(2j·Im p) and −p·da₁/(2j·Im p).
#[test]
fn sensitivities_are_the_known_derivatives() {
    let choice = Choice::Direct(
        match made("1 kHz", "kind = \"leaky-integrator\"\ntime_constant = \"25 samples\"").choice {
            Choice::Direct(choice) => choice,
            other => panic!("{other:?}"),
        },
    );
    let grid = linear_grid(0.0, 500.0, 2001);
    let step = 2f64.powi(-20);
    let of = |form: &Form| sensitivity(form, &choice, rate(1000.0), &grid, Change::Step(step));
    let taps = of(&Form::Taps(Taps(vec![0.25, 0.5, 0.25])));
    assert_eq!(taps.coefficients.len(), 3);
    for row in &taps.coefficients {
        assert!((row.response_change - step).abs() < 1e-15 && row.pole_move.is_none());
    }
    let (radius, angle) = (0.99f64, 0.7f64);
    let section = Section { b: [1.0, 0.0, 0.0], a: [-2.0 * radius * angle.cos(), radius * radius] };
    let found = of(&Form::Sections(Sections(vec![section])));
    let row = |name: &str| found.coefficients.iter().find(|row| row.name == name).unwrap();
    assert_eq!(found.coefficients.len(), 3, "coefficients that are zero have no LSB to lose");
    let along = 2.0 * radius * angle.sin();
    assert!((row("a2").pole_move.unwrap() / (step / along) - 1.0).abs() < 1e-3);
    assert!((row("a1").pole_move.unwrap() / (step * radius / along) - 1.0).abs() < 1e-3);
    // The gain is b0 times the rest: it changes by exactly its share.
    assert!((row("b0").response_change - step).abs() < 1e-12);
    // A pole within one step of the circle leaves it.
    let edge = Section { b: [1.0, 0.0, 0.0], a: [0.5 * step - 1.0, 0.0] };
    let found = of(&Form::Sections(Sections(vec![edge])));
    assert!(found.coefficients[0].is_unstable && found.coefficients[0].name == "a1");
}

/// The second way to a changed margin: the filter with that coefficient changed, measured like any other.
#[test]
fn a_changed_margin_is_that_of_the_changed_filter() {
    let want = "kind = \"lowpass\"\npass_edge = \"40 Hz\"\nstop_edge = \"60 Hz\"\nripple = \"0.5 \
        dB\"\nattenuation = \"50 dB\"\n[method]\ndesign = \"elliptic\"\norder = \"minimum\"";
    let low = made("1 kHz", want);
    let rate = rate(1000.0);
    let mut grid = adaptive_grid(low.transfer(), rate, 0.0, 500.0, 0.001);
    grid.extend([40.0, 60.0]);
    grid.sort_by(f64::total_cmp);
    let step = 2f64.powi(-16);
    let found = sensitivity(&low.form, &low.choice, rate, &grid, Change::Step(step));
    let margin = |form: &Form| {
        let report = Report::of(form, form, &low.choice, form.cost(), rate);
        let rows = report.rows(&low.choice, rate);
        let limits = rows.iter().filter(|row| row.key == "ripple" || row.key == "attenuation");
        limits.filter_map(|row| row.margin()).fold(f64::MAX, f64::min)
    };
    assert!((found.margin_db.unwrap() - margin(&low.form)).abs() < 1e-3);
    assert!(found.coefficients.len() > 12);
    for row in &found.coefficients {
        let changed = [step, -step].map(|step| {
            let mut sections = low.form.sections().unwrap().clone();
            let section = &mut sections.0[row.index];
            let place = row.name[1..].parse::<usize>().unwrap();
            match row.name.starts_with('b') {
                true => section.b[place] += step,
                false => section.a[place - 1] += step,
            }
            margin(&Form::Sections(sections)) - margin(&low.form)
        });
        let worse = changed[0].min(changed[1]);
        let given = row.margin_change_db.unwrap();
        // The grid holds the extremes of the filter as it was; those of the changed one lie a little beside
        // them.
        assert!((given - worse).abs() < 0.02 * worse.abs() + 1e-3, "{row:?} {worse}");
    }
}

/// A single tap off by up to a tenth: gains evenly between 0.9 and 1.1, the same for the same seed.
#[test]
fn a_tolerance_band_is_as_wide_as_what_makes_it() {
    let design = made("1 kHz", "kind = \"average\"\n[method]\ntaps = 1");
    let band = |seed| {
        let change = Change::Fraction(0.1);
        tolerance_band(
            &design.form,
            &design.choice,
            rate(1000.0),
            &[0.0, 100.0],
            change,
            (20_000, seed),
        )
    };
    let found = band(5);
    let ratio = |level: f64| 10f64.powf(level / 20.0);
    for (level, expected) in [
        (found.lowest_db[1], 0.9),
        (found.highest_db[1], 1.1),
        (found.low_db[1], 0.91),
        (found.high_db[1], 1.09),
    ] {
        // The quantiles of 20,000 draws stand within four standard deviations, 4·0.2·√(0.05·0.95/20000).
        assert!((ratio(level) - expected).abs() < 1.3e-3, "{level} {expected}");
    }
    assert_eq!((found.unstable, found.kept), (0, None));
    assert_eq!(found, band(5));
    assert_ne!(found, band(6));
    // A pole just inside the circle, moved by up to twice its distance: a quarter of the filters are
    // unstable.
    let edge = Form::Sections(Sections(vec![Section { b: [1e-3, 0.0, 0.0], a: [-0.999, 0.0] }]));
    let change = Change::Step(0.002);
    let found = tolerance_band(&edge, &design.choice, rate(1000.0), &[100.0], change, (20_000, 1));
    assert!((found.unstable as f64 / 20_000.0 - 0.25).abs() < 0.013, "{}", found.unstable);
}

/// Two filters apart by a factor differ by it everywhere; a curve with another reference level is told apart
/// from a wrong one.
#[test]
fn differences_are_what_was_put_in() {
    let low = made(
        "1 kHz",
        "kind = \"lowpass\"\ncutoff = \"40 Hz\"\n[method]\ndesign = \"butterworth\"\norder = 4",
    );
    let mut louder = low.zeros_poles.clone().unwrap();
    louder.gain *= 2.0;
    let both: [(&dyn Transfer, SampleRate); 2] =
        [(&louder, rate(1000.0)), (low.transfer(), rate(1000.0))];
    let apart = gain_difference_db(both, &linear_grid(0.0, 499.0, 500));
    assert!(apart.iter().all(|d| (d - 20.0 * 2f64.log10()).abs() < 1e-9));
    // The largest difference lies between any points of a grid: a tone of 1 + 0.1·w⁷ beside a gain of 1.
    let ripple = Taps(vec![1.0, 0.0, 0.0, 0.0, 0.0, 0.0, 0.0, 0.1]);
    let flat = Taps(vec![1.0]);
    let both: [(&dyn Transfer, SampleRate); 2] = [(&ripple, rate(1000.0)), (&flat, rate(1000.0))];
    let largest = largest_gain_difference_db(both, &[(40.0, 110.0)]).unwrap();
    assert!((largest - 20.0 * 0.9f64.log10()).abs() < 1e-12, "{largest}: at 1000/14 Hz");
    // −10·log10(1 + (tan/tan)⁸), 3 dB too high everywhere and 1 dB more at one place.
    let level =
        |hz: f64| -10.0 * (1.0 + ((PI * hz / 1000.0).tan() / (PI * 0.04).tan()).powi(8)).log10();
    let curve: Vec<(f64, f64)> = (1..100)
        .map(|k| (f64::from(k), level(f64::from(k)) + 3.0 + if k == 70 { 1.0 } else { 0.0 }))
        .collect();
    let found = deviation(low.transfer(), rate(1000.0), &curve).unwrap();
    assert!((found.largest_db + 4.0).abs() < 1e-6 && found.at_hz == 70.0, "{found:?}");
    assert!((found.offset_db + 3.5).abs() < 1e-6 && (found.without_offset_db - 0.5).abs() < 1e-6);
    assert_eq!(deviation(low.transfer(), rate(1000.0), &[]), None);
}
