//! How long a design takes.

use criterion::{Criterion, criterion_group, criterion_main};
use mellow_rake::design::iir::{IirWish, Points, design_iir};
use mellow_rake::filter::{BandKind, EdgeMeaning, Family, Sections};
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
}

criterion_group!(benches, bench);
criterion_main!(benches);
