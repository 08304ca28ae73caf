//! What a study says of many filters at once is what each says alone, found by another way: a spec of its
//! own, a grid of its own, a coefficient changed by hand.

use mellow_rake::Wish;
use mellow_rake::datapath::Bounds;
use mellow_rake::filter::{Family, Form, Transfer};
use mellow_rake::random::NoiseSource;
use mellow_rake::spec::{Fixed, Structure};
use mellow_rake::study::{FamilyRow, InTurn, Study, SweepWish, Swept};
use num_complex::Complex64;
use std::f64::consts::TAU;

fn study(text: &str) -> Study {
    Study::of_text(text, |_| unreachable!("it names no file")).unwrap()
}

/// A random low-pass or high-pass template at 1 kHz: kind, edges of the bands, levels.
fn template(noise: &mut NoiseSource) -> (&'static str, [f64; 2], [f64; 2]) {
    let inner = noise.integer(20, 300) as f64;
    let outer = inner * (1.0 + noise.integer(10, 60) as f64 / 100.0);
    let levels = [noise.integer(1, 20) as f64 / 10.0, noise.integer(30, 70) as f64];
    match noise.integer(0, 1) {
        0 => ("lowpass", [inner, outer.min(480.0)], levels),
        _ => ("highpass", [outer.min(480.0), inner], levels),
    }
}

fn text(
    kind: &str,
    [pass, stop]: [f64; 2],
    [ripple, attenuation]: [f64; 2],
    method: &str,
    fixed: &str,
) -> String {
    let want = format!("kind = \"{kind}\"\npass_edge = \"{pass} Hz\"\nstop_edge = \"{stop} Hz\"\n");
    let levels = format!("ripple = \"{ripple} dB\"\nattenuation = \"{attenuation} dB\"\n");
    format!(
        "name = \"swell\"\nsample_rate = \"1 kHz\"\n[want]\n{want}{levels}[method]\n{method}{fixed}"
    )
}

/// The largest and the smallest gain in a band, on a grid of its own.
fn gains(form: &Form, [low, high]: [f64; 2]) -> [f64; 2] {
    let count = 4000;
    let hertz = (0..=count).map(|k| low + (high - low) * f64::from(k) / f64::from(count));
    let gains = hertz.map(|hz| form.gain(TAU * hz / 1000.0));
    gains.fold([0.0, f64::MAX], |[most, least], gain| [gain.max(most), gain.min(least)])
}

/// Each family keeps the template on any grid, with the order that a spec of its own comes to; one order less
/// does not.
#[test]
fn families_keep_the_template_with_no_order_to_spare() {
    let mut noise = NoiseSource::new(401);
    let mut kept = [0; 5];
    for _ in 0..25 {
        let (kind, edges, levels) = template(&mut noise);
        let [pass, stop] = match kind {
            "lowpass" => [[0.0, edges[0]], [edges[1], 500.0]],
            _ => [[edges[0], 500.0], [0.0, edges[1]]],
        };
        let keeps = |form: &Form| {
            let ([peak, least], [most, _]) = (gains(form, pass), gains(form, stop));
            let decibels = |ratio: f64| 20.0 * ratio.log10();
            decibels(peak / least) <= levels[0] + 1e-6 && decibels(peak / most) >= levels[1] - 1e-6
        };
        let method = "design = \"elliptic\"\norder = \"minimum\"\n";
        let whole = study(&text(kind, edges, levels, method, ""));
        for row in whole.families().unwrap() {
            let FamilyRow::Keeps { design, figures } = row else { continue };
            let family = figures.family;
            assert!(keeps(&design.form), "{family} {kind} {edges:?} {levels:?}");
            let method = format!("design = \"{family}\"\norder = \"minimum\"\n");
            let alone = study(&text(kind, edges, levels, &method, ""));
            assert_eq!(alone.design.order(), figures.order, "{family}");
            assert_eq!(alone.design.form, design.form, "{family}");
            let sections = alone.design.form.sections().unwrap().0.iter();
            let products =
                sections.map(|section| match section.b[2] == 0.0 && section.a[1] == 0.0 {
                    true => 3,
                    false => 5,
                });
            assert_eq!(products.sum::<usize>(), figures.multiplies_per_sample, "{family}");
            // An order less is refused, or misses.
            if figures.order > 1 {
                let less = format!("design = \"{family}\"\norder = {}\n", figures.order - 1);
                let found =
                    Study::of_text(&text(kind, edges, levels, &less, ""), |_| unreachable!());
                let is_enough = found.is_ok_and(|found| keeps(&found.design.form));
                assert!(!is_enough, "{family} of order {} keeps it", figures.order - 1);
            }
            kept[Family::ALL.iter().position(|one| *one == family).unwrap()] += 1;
        }
    }
    assert!(kept.iter().filter(|count| **count > 5).count() >= 4, "{kept:?}");
}

fn bounds(study: &Study) -> &Bounds {
    study.integers().unwrap().checked.facts().bounds().as_ref().unwrap()
}

/// Every row of a sweep is the spec with that width.
#[test]
fn a_row_of_a_sweep_is_a_spec_of_its_own() {
    let mut noise = NoiseSource::new(402);
    let mut rows = 0;
    for index in 0..4 {
        let (kind, edges, levels) = template(&mut noise);
        let method = "design = \"chebyshev1\"\norder = \"minimum\"\n";
        let structure = ["direct-form-1", "direct-form-2-transposed"][index % 2];
        let spec = |coefficients: &str| {
            let fixed = format!(
                "[fixed]\ninput = \"s16f14\"\noutput = \"s18f14\"\nstructure = \"{structure}\"\n\
                 coefficients = \"{coefficients}\"\n"
            );
            text(kind, edges, levels, method, &fixed)
        };
        let whole = study(&spec("s16"));
        // Some levels are beyond such words.
        if whole.integers().is_err() {
            continue;
        }
        let wish =
            SweepWish { of: Swept::Coefficients, from: 10, to: 15, every_structure: index == 1 };
        let sweep = whole.sweep(wish, &InTurn).unwrap();
        for row in &sweep.rows {
            let alone = study(&spec(&format!("s{}", row.bits)));
            let Ok(integers) = alone.integers() else {
                assert!(row.reason.is_some(), "{} bits", row.bits);
                continue;
            };
            assert_eq!(row.format, Some(integers.table.format));
            assert_eq!(row.template_excess_db, alone.rounded_excess_db());
            let step = integers.fixed.output.step();
            assert_eq!(row.error_bound_lsb, Some(bounds(&alone).error.largest() / step));
            let noise = bounds(&alone).noise.as_ref().ok().map(|noise| noise.rms());
            assert_eq!(row.noise_rms, noise);
            rows += 1;
        }
        // Enough is what the rows say.
        let keeps = |row: &&mellow_rake::study::SweepRow| row.keeps_template == Some(true);
        let fewest = sweep.rows.iter().find(keeps).map(|row| row.bits);
        assert_eq!(sweep.for_template.fewest, fewest);
        if let Some(all_from) = sweep.for_template.all_from {
            assert!(sweep.rows.iter().filter(|row| row.bits >= all_from).all(|row| keeps(&row)));
        }
        // And so in every other structure: its words alone.
        for other in sweep.structures.unwrap_or_default() {
            let structure = Structure::ALL.iter().find(|one| one.as_str() == other.structure);
            let fixed = whole.spec.fixed.unwrap().in_structure(*structure.unwrap());
            let row = &other.rows[4];
            let fixed = Fixed { coefficients: format!("s{}", row.bits).parse().unwrap(), ..fixed };
            let spec = mellow_rake::spec::Spec { fixed: Some(fixed), ..whole.spec.clone() };
            let alone = Study::of(spec).unwrap();
            match alone.integers() {
                Ok(integers) => assert_eq!(row.format, Some(integers.table.format)),
                Err(_) => assert!(row.reason.is_some(), "{}", other.structure),
            }
        }
    }
    assert!(rows > 11, "{rows}");
}

/// The response at a frequency, from the coefficients alone.
fn response(form: &Form, hz: f64) -> Complex64 {
    let w = Complex64::from_polar(1.0, -TAU * hz / 1000.0);
    match form {
        Form::Taps(taps) => taps.0.iter().rev().fold(Complex64::default(), |sum, h| sum * w + h),
        Form::Sections(sections) => sections
            .0
            .iter()
            .map(|section| {
                let [b0, b1, b2] = section.b;
                let [a1, a2] = section.a;
                (b0 + w * (b1 + w * b2)) / (1.0 + w * (a1 + w * a2))
            })
            .product(),
    }
}

/// The same filter with one coefficient moved.
fn moved(form: &Form, name: &str, index: usize, change: f64) -> Form {
    let mut form = form.clone();
    match &mut form {
        Form::Taps(taps) => taps.0[index] += change,
        Form::Sections(sections) => {
            let section = &mut sections.0[index];
            let number = name[1..].parse::<usize>().unwrap();
            match name.as_bytes()[0] {
                b'b' => section.b[number] += change,
                _ => section.a[number - 1] += change,
            }
        }
    }
    form
}

/// Each coefficient moved by hand, up and down, and looked at on the same frequencies.
#[test]
fn a_sensitivity_is_a_difference_of_responses() {
    let mut noise = NoiseSource::new(403);
    let hertz: Vec<f64> = (1..200).map(|k| f64::from(k) * 2.5).collect();
    let mut compared = 0;
    for _ in 0..20 {
        let order = noise.integer(1, 7) as usize;
        let cutoff = noise.integer(10, 400) as f64;
        let wish = match noise.integer(0, 2) {
            0 => Wish::lowpass("1 kHz").cutoff_hz(cutoff).butterworth(order),
            1 => Wish::highpass("1 kHz").cutoff_hz(cutoff).butterworth(order),
            _ => Wish::average("1 kHz", order + 2),
        };
        let study = wish.study().unwrap();
        let form = &study.design.form;
        let share = 10f64.powi(-(noise.integer(2, 4) as i32));
        let peak = hertz.iter().map(|hz| response(form, *hz).norm()).fold(0.0, f64::max);
        let found = study.coefficients(Some(share)).ranked(&hertz);
        let mut last = f64::INFINITY;
        for one in &found.coefficients {
            assert!((one.change - share * one.value.abs()).abs() <= 1e-15 * one.value.abs());
            let mut largest = 0.0f64;
            let mut is_unstable = false;
            for change in [one.change, -one.change] {
                let other = moved(form, one.name, one.index, change);
                is_unstable |= other
                    .sections()
                    .is_some_and(|sections| sections.0.iter().any(|section| !section.is_stable()));
                let difference =
                    |hz: &f64| (response(&other, *hz) - response(form, *hz)).norm() / peak;
                largest = hertz.iter().map(difference).fold(largest, f64::max);
            }
            assert_eq!(one.is_unstable, is_unstable, "{} {}", one.name, one.index);
            // The peak is that of the filter, between the frequencies as well.
            let ratio = one.response_change / largest;
            assert!(largest == 0.0 || (0.9..=1.0 + 1e-9).contains(&ratio), "{ratio} {one:?}");
            if !is_unstable {
                assert!(one.response_change <= last * (1.0 + 1e-6), "they are ranked");
                last = one.response_change;
            }
            compared += 1;
        }
    }
    assert!(compared > 150, "{compared}");
}
