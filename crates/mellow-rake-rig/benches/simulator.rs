//! The bit-true simulator beside the generated C, compiled with -O2, in the same run.

use criterion::{BenchmarkId, Criterion, Throughput, criterion_group, criterion_main};
use mellow_rake::datapath::{Checked, SectionWords, Simulator, direct_form_1, fir_direct};
use mellow_rake::design::notch;
use mellow_rake::filter::{Form, Sections, Taps};
use mellow_rake::fixed::{Overflow, Rounding, round_coefficients};
use mellow_rake::implementation::implement;
use mellow_rake::random::NoiseSource;
use mellow_rake::spec::{Fixed, Name, Structure};
use mellow_rake::units::SampleRate;
use mellow_rake::write::{GeneratedFile, Language, Symbols, c};
use mellow_rake_rig::{Program, ToolName};
use std::time::Duration;

const SAMPLES: usize = 4096;

fn filters() -> Vec<(&'static str, Checked)> {
    let word = "s16f15".parse().unwrap();
    let (rounding, overflow) = (Rounding::HalfUp, Overflow::Saturate);
    let row = |center: f64| -> Vec<f64> {
        let rate = SampleRate::from_hertz(1000.0).unwrap();
        let section = notch(center, 5.0, rate).unwrap().sections.0[0];
        section.b.into_iter().chain(section.a).collect()
    };
    let cascade = |rows: &[Vec<f64>]| {
        let table = round_coefficients(rows, "s16".parse().unwrap()).unwrap();
        let words = SectionWords { input: word, output: word, rounding, overflow };
        direct_form_1(&table, words).unwrap().check().unwrap()
    };
    let direct = |count: u32| {
        let row = (0..count).map(|k| 0.5 / f64::from(k + 3)).collect();
        let taps = round_coefficients(&[row], "s16f15".parse().unwrap()).unwrap();
        fir_direct(&taps, word, word, rounding, overflow).unwrap().check().unwrap()
    };
    vec![
        ("notch", cascade(&[row(87.5)])),
        ("four notches", cascade(&[87.5, 175.0, 262.5, 350.0].map(row))),
        ("8 taps", direct(8)),
        ("255 taps", direct(255)),
    ]
}

/// Four notches in every other structure of sections, and 255 taps in every one of taps.
fn structures() -> Vec<(&'static str, Checked)> {
    let rate = SampleRate::from_hertz(1000.0).unwrap();
    let notches = [87.5, 175.0, 262.5, 350.0].map(|at| notch(at, 5.0, rate).unwrap().sections.0[0]);
    let half = (0..128).map(|k| 0.5 / f64::from(130 - k));
    let taps = half.clone().chain(half.rev().skip(1)).collect();
    let (sections, taps) = (Form::from(Sections(notches.to_vec())), Form::from(Taps(taps)));
    let built = |structure: Structure| {
        let form = if structure.is_for_taps() { &taps } else { &sections };
        let filter = implement(form, Fixed::new(structure, "s16f15".parse().unwrap())).ok()?;
        Some((structure.as_str(), filter.checked))
    };
    Structure::ALL.into_iter().filter_map(built).collect()
}

fn bench(criterion: &mut Criterion) {
    let mut noise = NoiseSource::new(1);
    let input: Vec<i64> = (0..SAMPLES).map(|_| noise.integer(-16384, 16383)).collect();
    let mut group = criterion.benchmark_group("samples");
    group.throughput(Throughput::Elements(SAMPLES as u64));
    group.measurement_time(Duration::from_secs(2)).warm_up_time(Duration::from_millis(500));
    for (name, checked) in structures() {
        let ids = ["simulator", "reference"].map(|kind| BenchmarkId::new(kind, name));
        let mut two = [Simulator::new(&checked), Simulator::reference(&checked)];
        for (id, simulator) in ids.into_iter().zip(&mut two) {
            group.bench_function(id, |bencher| bencher.iter(|| simulator.run(&input)));
        }
    }
    for (name, checked) in filters() {
        group.bench_function(BenchmarkId::new("simulator", name), |bencher| {
            let mut simulator = Simulator::new(&checked);
            bencher.iter(|| simulator.run(&input));
        });
        group.bench_function(BenchmarkId::new("reference", name), |bencher| {
            let mut simulator = Simulator::reference(&checked);
            bencher.iter(|| simulator.run(&input));
        });
        let mut files = c::write(&checked, &Symbols::new(&Name::new("bench").unwrap())).unwrap();
        files[2] = GeneratedFile {
            language: Language::C,
            name: "timed.c".into(),
            text: include_str!("timed.c").into(),
        };
        let compiler = ToolName::CC.find().expect("the bench needs a C compiler");
        let program = Program::c_with(compiler, &["-std=c99", "-O2"], &files).unwrap();
        group.bench_function(BenchmarkId::new("C at -O2", name), |bencher| {
            bencher.iter_custom(|rounds| {
                let nanoseconds = program.run_with(&[], &[&rounds.to_string()]).unwrap()[0];
                Duration::from_nanos(nanoseconds as u64)
            });
        });
    }
    group.finish();
}

criterion_group!(benches, bench);
criterion_main!(benches);
