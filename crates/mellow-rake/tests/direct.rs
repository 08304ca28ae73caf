//! Filters in closed form, placed by hand and given by coefficients, against what defines them.

// Independent of the library: the platform's own functions.

use mellow_rake::design::{Design, design};
use mellow_rake::filter::Transfer;
use mellow_rake::quality::{Measures, meets_spec};
use mellow_rake::spec::Spec;
use num_complex::Complex64;
use proptest::prelude::*;
use std::f64::consts::PI;

fn spec(want: &str) -> Spec {
    Spec::parse(&format!("name = \"x\"\nsample_rate = \"1 kHz\"\n[want]\n{want}\n"))
        .unwrap_or_else(|error| panic!("{want}: {error}"))
}

fn made(want: &str) -> Design {
    design(&spec(want)).unwrap_or_else(|error| panic!("{want}: {error}"))
}

fn response(design: &Design, hertz: f64) -> Complex64 {
    design.transfer().response(2.0 * PI * hertz / 1000.0)
}

/// The response as it runs agrees with zeros and poles, and every fixed point is where it was asked.
fn assert_made(want: &str) -> Design {
    let (spec, design) = (spec(want), made(want));
    let measures = Measures::of(design.transfer(), &design.choice, spec.sample_rate);
    assert_eq!(
        meets_spec(&design, &measures, spec.sample_rate),
        Some(true),
        "{want}: {measures:?}"
    );
    for k in 0..=100 {
        let omega = PI * f64::from(k) / 100.0;
        let apart = (design.transfer().response(omega) - design.form.response(omega)).norm();
        assert!(apart < 1e-9, "{want}: {apart:e} at {omega}");
    }
    design
}

proptest! {
    #![proptest_config(ProptestConfig { cases: 200, failure_persistence: None, ..ProptestConfig::default() })]

    /// A peak and the notch with its centre and width: their powers add up to 1, their amplitudes too; the
    /// all-pass is their difference and has gain 1 everywhere; a resonator and a peak have the same
    /// half-power points.
    #[test]
    fn second_order_filters_belong_together(center in 1.0f64..499.0, share in 0.01f64..0.9) {
        let width = share * center.min(500.0 - center);
        let place = format!("center = \"{center} Hz\"\nwidth = \"{width} Hz\"");
        let peak = assert_made(&format!("kind = \"peak\"\n{place}"));
        let notch = assert_made(&format!("kind = \"notch\"\n{place}"));
        let all_pass = assert_made(&format!("kind = \"all-pass\"\n{place}"));
        for k in 0..=60 {
            let hertz = 500.0 * f64::from(k) / 60.0;
            let [p, n, a] = [&peak, &notch, &all_pass].map(|design| response(design, hertz));
            prop_assert!((p.norm_sqr() + n.norm_sqr() - 1.0).abs() < 1e-9);
            prop_assert!((p + n - 1.0).norm() < 1e-9 && (n - p - a).norm() < 1e-9);
            prop_assert!((a.norm() - 1.0).abs() < 1e-11, "{}", a.norm());
        }
        // A resonator cannot be as wide at every centre.
        let text = format!("kind = \"resonator\"\ncenter = \"{center} Hz\"\nwidth = \"{} Hz\"", width / 4.0);
        let resonator = assert_made(&text);
        let largest = (1..1000).map(|k| response(&resonator, 0.5 * f64::from(k)).norm()).fold(0.0, f64::max);
        prop_assert!(largest <= 1.0 + 1e-12);
        assert_made(&format!("kind = \"all-pass\"\norder = 1\ncenter = \"{center} Hz\""));
        assert_made(&format!("kind = \"dc-blocker\"\ncutoff = \"{center} Hz\""));
        assert_made(&format!("kind = \"leaky-integrator\"\ncutoff = \"{center} Hz\""));
    }

    /// Roots placed anywhere: the gain is calibrated, at a frequency or at the peak, and zeros on the circle
    /// are nulls.
    #[test]
    fn placed_filters_are_calibrated(
        poles in proptest::collection::vec((0.0f64..500.0, 0.0f64..0.97), 1..5),
        zero in 1.0f64..499.0, level in -30.0f64..30.0, at in 0.0f64..500.0,
    ) {
        prop_assume!((at - zero).abs() > 1.0);
        let poles: Vec<String> =
            poles.iter().map(|(f, r)| format!("{{ frequency = \"{f} Hz\", radius = {r} }}")).collect();
        let roots = format!(
            "kind = \"placed\"\npoles = [{}]\nzeros = [{{ frequency = \"{zero} Hz\", radius = 1 }}]\n\
                gain = \"{level} dB\"",
            poles.join(", ")
        );
        let there = made(&format!("{roots}\ngain_at = \"{at} Hz\""));
        let decibels = |gain: f64| 20.0 * gain.log10();
        prop_assert!((decibels(response(&there, at).norm()) - level).abs() < 1e-9);
        prop_assert!(response(&there, zero).norm() < 1e-9 * response(&there, at).norm().max(1.0));
        let peak = made(&format!("{roots}\ngain_at = \"peak\""));
        let largest = (0..=20_000).map(|k| response(&peak, 0.025 * f64::from(k)).norm()).fold(0.0, f64::max);
        prop_assert!(decibels(largest) <= level + 1e-9 && decibels(largest) > level - 0.05, "{}",
            decibels(largest));
    }
}

/// A comb has a null at every harmonic, with the width of each as it was given where they stand apart.
#[test]
fn a_comb_has_its_nulls_and_widths() {
    let comb = assert_made(
        "kind = \"comb\"\nfundamental = \"87.5 Hz\"\nwidths = [\"0.5 Hz\", \"0.3 Hz\", \"0.2 Hz\", \"0.1 \
            Hz\", \"0.05 Hz\"]",
    );
    for (k, width) in (1..).zip([0.5, 0.3, 0.2, 0.1, 0.05]) {
        let center = 87.5 * f64::from(k);
        for side in [-1.0, 1.0] {
            let power = response(&comb, center + side * width / 2.0).norm_sqr();
            // The other notches take about their width over their distance, squared.
            assert!((power - 0.5).abs() < 2e-3, "{k}: {power}");
        }
    }
    let one = made("kind = \"leaky-integrator\"\ntime_constant = \"12 samples\"");
    let step: f64 = {
        let mut running = one.form.start();
        (0..12).map(|_| running.step(1.0)).last().unwrap()
    };
    assert!((step - (1.0 - (-1.0f64).exp())).abs() < 1e-12, "{step}");
}

/// One filter given in every form is one filter; the sign of the feedback is a matter of the spec, never of
/// luck.
#[test]
fn coefficients_mean_the_same_in_every_form() {
    let forms = [
        "b = [0.1, 0.2, 0.1]\na = [2.0, -2.4, 0.9]",
        "b = [0.1, 0.2, 0.1]\na = [2.0, 2.4, -0.9]\nfeedback = \"added\"",
        "sections = [[0.1, 0.2, 0.1, 2.0, -2.4, 0.9]]",
        "sections = [[0.05, 0.1, 0.05, 1.0, 1.2, -0.45]]\nfeedback = \"added\"",
        "zeros = [[-1, 0], [-1, 0]]\npoles = [[0.6, 0.3], [0.6, -0.3]]\ngain = 0.05",
    ];
    for form in forms {
        let filter = made(&format!("kind = \"coefficients\"\n{form}"));
        let mut running = filter.form.start();
        // y[n] = 0.05 x[n] + 0.1 x[n−1] + 0.05 x[n−2] + 1.2 y[n−1] − 0.45 y[n−2], by hand.
        let expected = [0.05, 0.16, 0.2195, 0.1914];
        for (n, e) in expected.into_iter().enumerate() {
            let y = running.step(if n == 0 { 1.0 } else { 0.0 });
            assert!((y - e).abs() < 1e-15, "{form}: y[{n}] = {y}");
        }
    }
    // Fewer zeros than poles are a delay, and stay one.
    let late = made("kind = \"coefficients\"\npoles = [[0.5, 0], [0.25, 0]]\ngain = 3.0");
    let mut running = late.form.start();
    let heard: Vec<f64> = (0..4).map(|n| running.step(if n == 0 { 1.0 } else { 0.0 })).collect();
    assert_eq!(heard[..2], [0.0, 0.0]);
    assert!((heard[2] - 3.0).abs() < 1e-14 && (heard[3] - 2.25).abs() < 1e-14, "{heard:?}");
    let taps = made("kind = \"coefficients\"\nb = [1, 2, 3]");
    assert_eq!(taps.form.taps().unwrap().0, [1.0, 2.0, 3.0]);
    // One polynomial of order 24 with poles near the circle cannot be read: that is said, not done.
    let order = 24;
    let times = |a: Vec<f64>| -> Vec<f64> {
        let shifted = std::iter::once(0.0).chain(a.iter().copied());
        a.iter().copied().chain([0.0]).zip(shifted).map(|(x, y)| x - 0.99 * y).collect()
    };
    let a = (0..order).fold(vec![1.0], |a, _| times(a));
    let text = format!("kind = \"coefficients\"\nb = [1e-9]\na = {a:?}");
    let error = design(&spec(&text)).unwrap_err().to_string();
    assert!(
        error.contains("second-order sections keep them") || error.contains("did not settle"),
        "{error}"
    );
}

/// A filter that gives nothing is none, in whatever form it is given.
#[test]
fn what_gives_nothing_is_refused() {
    use mellow_rake::study::Study;
    let given = |lines: &str| {
        let text = format!(
            "name = \"hush\"\nsample_rate = \"1 kHz\"\n[want]\nkind = \"coefficients\"\n{lines}\n"
        );
        Study::of_text(&text, |_| Err(String::new())).map(|_| ()).map_err(|error| error.to_string())
    };
    for lines in [
        "taps = [0, 0.0, -0.0]",
        "b = [0, 0]\na = [1, -0.5]",
        "b = [0]\na = [2]",
        "sections = [[1, 0, 0, 1, -0.5, 0], [0, 0, 0, 1, 0.5, 0]]",
    ] {
        let said = given(lines).unwrap_err();
        assert!(
            said.contains("key `want") && said.contains("nothing comes out"),
            "{lines}: {said}"
        );
    }
    let said = given("zeros = [[1, 0]]\npoles = [[0.5, 0]]\ngain = 0").unwrap_err();
    assert!(said.contains("gain other than 0"), "{said}");
    for lines in ["taps = [0, 1e-300]", "b = [0, 1]\na = [1, -0.5]"] {
        assert_eq!(given(lines), Ok(()), "{lines}");
    }
}
