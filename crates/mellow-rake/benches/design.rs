//! How long a design takes.

use criterion::{Criterion, criterion_group, criterion_main};
use mellow_rake::design::fir::{Band, equiripple, least_squares};
use mellow_rake::design::iir::{IirWish, Points, design_iir};
use mellow_rake::filter::{BandKind, EdgeMeaning, Family, LinearPhase, Sections};
use mellow_rake::units::SampleRate;
use std::hint::black_box;

fn bench(criterion: &mut Criterion) {
    let rate = SampleRate::from_hertz(96_000.0).expect("a sample rate in range");
    let wish = IirWish {
        kind: BandKind::Bandpass,
        family: Family::Elliptic,
        points: Points::Recipe {
            meaning: EdgeMeaning::RippleEnd,
            edges: vec![24_800.0, 29_200.0],
            order: 12,
        },
        ripple_db: Some(0.5),
        attenuation_db: Some(60.0),
    };
    criterion.bench_function("elliptic band-pass of order 12, zeros and poles", |bencher| {
        bencher.iter(|| design_iir(black_box(&wish), rate));
    });
    let (_, filter) = design_iir(&wish, rate).expect("the wish is in reach");
    criterion.bench_function(
        "elliptic band-pass of order 12, paired and scaled sections",
        |bencher| {
            bencher.iter(|| Sections::from_zeros_poles(black_box(&filter)));
        },
    );
    let bands = |stop: f64| [Band::flat(0.0, 0.1, 1.0, 1.0), Band::flat(stop, 0.5, 0.0, 10.0)];
    let mut group = criterion.benchmark_group("taps");
    group.sample_size(10);
    for (taps, stop) in [(255, 0.12), (2001, 0.1035)] {
        group.bench_function(format!("equiripple low-pass of {taps} taps"), |bencher| {
            bencher.iter(|| equiripple(black_box(&bands(stop)), LinearPhase::TypeI, taps));
        });
    }
    group.bench_function("least-squares low-pass of 1001 taps", |bencher| {
        bencher.iter(|| least_squares(black_box(&bands(0.105)), LinearPhase::TypeI, 1001, None));
    });
    group.finish();
}

criterion_group!(benches, bench);
criterion_main!(benches);
