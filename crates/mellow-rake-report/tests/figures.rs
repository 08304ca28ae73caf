//! What a figure shades and what the verdict says are the same: a curve that meets the spec lies in no shaded
//! region, one that does not lies in one.

use mellow_rake::Wish;
use mellow_rake::filter::Family;
use mellow_rake::random::NoiseSource;
use mellow_rake::study::Study;
use mellow_rake_figures::{Panel, Region, Shape, SketchStyle};
use mellow_rake_report::figure::{Scene, View, Wishes};
use mellow_rake_report::{Block, Document};

/// How far a point lies within a region, along the axis of levels; below zero outside.
fn depth(region: &Region, (x, y): (f64, f64)) -> f64 {
    // An edge is of the band, not of the region beside it.
    if x < region.x.0 * (1.0 - 1e-9) || x > region.x.1 * (1.0 + 1e-9) {
        return f64::NEG_INFINITY;
    }
    (y - region.y.0).min(region.y.1 - y)
}

/// The deepest that any curve of a panel lies within what is shaded.
fn deepest(panel: &Panel) -> f64 {
    let mut deepest = f64::NEG_INFINITY;
    for series in &panel.series {
        let Shape::Line(points) = &series.shape else { continue };
        assert!(points.windows(2).all(|pair| pair[0].0 <= pair[1].0), "{}", series.name);
        for point in points {
            let within = panel.forbidden.iter().map(|region| depth(region, *point));
            deepest = within.fold(deepest, f64::max);
        }
    }
    deepest
}

/// A band with all four edges, and an order that may be too small for it, or too large.
fn any_band(noise: &mut NoiseSource) -> Option<Study> {
    let mut fraction = |from: f64, to: f64| from + (to - from) * noise.uniform();
    let mut edges: [f64; 4] = [0; 4].map(|_| fraction(20.0, 480.0));
    edges.sort_by(f64::total_cmp);
    let ([a, b, c, d], kind, ripple) = (edges, fraction(0.0, 4.0) as usize, fraction(0.2, 3.0));
    if edges.windows(2).any(|pair| pair[1] - pair[0] < 15.0) {
        return None;
    }
    let wish = match kind {
        0 => Wish::lowpass("1 kHz").pass_edge_hz(b).stop_edge_hz(c),
        1 => Wish::highpass("1 kHz").stop_edge_hz(b).pass_edge_hz(c),
        2 => Wish::bandpass("1 kHz").stop_edges_hz(a, d).pass_edges_hz(b, c),
        _ => Wish::bandstop("1 kHz").pass_edges_hz(a, d).stop_edges_hz(b, c),
    };
    let wish = wish.ripple_db(ripple).attenuation_db(fraction(20.0, 80.0));
    let families = [Family::Butterworth, Family::Chebyshev1, Family::Chebyshev2, Family::Elliptic];
    let family = families[fraction(0.0, 4.0) as usize];
    let order = 2 * fraction(1.0, 6.0) as usize;
    wish.recursive(family, Some(order)).study().ok()
}

#[test]
fn shaded_is_what_the_verdict_says() {
    let (mut met, mut missed) = (0, 0);
    for seed in 0..400 {
        let Some(study) = any_band(&mut NoiseSource::new(seed)) else { continue };
        let scene = Scene::of(&study, Wishes::default());
        let panel = scene.panel(View::Gain);
        assert!(!panel.forbidden.is_empty(), "{seed}");
        let deepest = deepest(&panel);
        match study.meets_spec() {
            Some(true) => {
                assert!(deepest < 1e-6, "{seed}: met, and {deepest} dB within");
                met += 1;
            }
            // What is left by less than a curve is drawn to is not seen.
            Some(false) => {
                assert!(deepest > -0.05, "{seed}: missed, and {deepest} dB outside");
                missed += 1;
            }
            None => panic!("{seed}: a template without a verdict"),
        }
        for view in [View::Gain, View::Edges, View::Passband] {
            let panel = scene.panel(view);
            for axis in [&panel.x, &panel.y] {
                assert!(!axis.unit.is_empty(), "{}: {}", panel.title, axis.name);
            }
        }
    }
    println!("{met} met, {missed} missed");
    assert!(met > 20 && missed > 20, "{met} met, {missed} missed");
}

/// A figure in a page is data for whoever draws it, and letters for who reads text.
#[test]
fn a_figure_is_a_block() {
    let wish = Wish::lowpass("1 kHz").cutoff("40 Hz").butterworth(4);
    let study = wish.study().unwrap();
    let panel = Scene::of(&study, Wishes::default()).panel(View::Gain);
    let mut page = Document::default();
    page.figure(panel.clone(), 60, SketchStyle::Ascii).unwrap();
    let [Block::Figure { panel: kept, letters }] = page.blocks() else { panic!("one block") };
    assert_eq!((**kept).clone(), panel);
    assert_eq!(&page.text(80), letters);
    assert!(letters.lines().all(|line| line.chars().count() <= 60), "{letters}");
    let data = serde_json::to_value(&page).unwrap();
    let series = &data["blocks"][0]["panel"]["series"];
    assert_eq!(series.as_array().unwrap().len(), panel.series.len());
}
