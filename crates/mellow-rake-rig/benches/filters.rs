//! Filters in f64 beside plain C loops, compiled with -O2, in the same run; and where transforms overtake
//! products.

use criterion::{BenchmarkId, Criterion, Throughput, criterion_group, criterion_main};
use mellow_rake::Effort;
use mellow_rake::filter::{Form, OverlapSave, Section, Sections, Taps};
use mellow_rake::random::NoiseSource;
use mellow_rake::rates::{RateWish, plan};
use mellow_rake::spec::{Kept, Least};
use mellow_rake::units::SampleRate;
use mellow_rake::write::{GeneratedFile, Language};
use mellow_rake_rig::{Program, ToolName};
use std::time::Duration;

const SAMPLES: usize = 4096;

fn bench(criterion: &mut Criterion) {
    let files = [GeneratedFile {
        language: Language::C,
        name: "plain.c".into(),
        text: include_str!("plain.c").into(),
    }];
    let compiler = ToolName::CC.find().expect("the bench needs a C compiler");
    let plain = Program::c_with(compiler, &["-std=c99", "-O2"], &files).unwrap();
    let mut noise = NoiseSource::new(1);
    let input: Vec<f64> = (0..SAMPLES).map(|_| noise.uniform() - 0.5).collect();
    let section = Section { b: [0.984, -1.6787, 0.984], a: [-1.6787, 0.969] };
    let taps = |count: i32| Taps((0..count).map(|k| 1.0 / f64::from(k + 3)).collect());
    let mut group = criterion.benchmark_group("f64");
    group.throughput(Throughput::Elements(SAMPLES as u64));
    group.measurement_time(Duration::from_secs(2)).warm_up_time(Duration::from_millis(500));
    for what in [1, 2, 4, 12, -31, -63, -127, -255, -511, -2001i32] {
        let form = match what {
            1.. => Form::from(Sections(vec![section; what as usize])),
            _ => Form::from(taps(-what)),
        };
        let name = if what > 0 { format!("{what} sections") } else { format!("{} taps", -what) };
        group.bench_function(BenchmarkId::new("filter", &name), |bencher| {
            let mut running = form.start();
            bencher.iter(|| running.run(&input));
        });
        group.bench_function(BenchmarkId::new("plain C at -O2", &name), |bencher| {
            bencher.iter_custom(|rounds| {
                let arguments = [what.to_string(), rounds.to_string()];
                let nanoseconds = plain.run_with(&[], &[&arguments[0], &arguments[1]]).unwrap()[0];
                Duration::from_nanos(nanoseconds as u64)
            });
        });
        if what < 0 {
            group.bench_function(BenchmarkId::new("overlap-save", &name), |bencher| {
                let mut fast = OverlapSave::new(&taps(-what));
                bencher.iter(|| fast.push(&input));
            });
        }
    }
    group.finish();
}

/// Chains of decimators beside plain loops that compute what is kept.
fn chains(criterion: &mut Criterion) {
    const SAMPLES: usize = 40_000;
    let files = [GeneratedFile {
        language: Language::C,
        name: "plain_chain.c".into(),
        text: include_str!("plain_chain.c").into(),
    }];
    let compiler = ToolName::CC.find().expect("the bench needs a C compiler");
    let plain = Program::c_with(compiler, &["-std=c99", "-O2"], &files).unwrap();
    let mut noise = NoiseSource::new(1);
    let input: Vec<f64> = (0..SAMPLES).map(|_| noise.uniform() - 0.5).collect();
    let mut group = criterion.benchmark_group("chains in f64");
    group.throughput(Throughput::Elements(SAMPLES as u64));
    group.measurement_time(Duration::from_secs(2)).warm_up_time(Duration::from_millis(500));
    for (down, attenuation_db) in [(100, 80.0), (8, 60.0), (1000, 100.0)] {
        let input_rate = SampleRate::from_hertz(1e6).unwrap();
        let wish = RateWish {
            input_rate,
            up: 1,
            down,
            pass_hz: 0.4e6 / down as f64,
            ripple_db: 0.1,
            attenuation_db,
            kept: Kept::PassBand,
            combs: false,
            most_growth_bits: u32::MAX,
            least: Least::Products,
            effort: Effort::default(),
        };
        let chain = plan(&wish).unwrap().chain;
        let name = format!("down by {down}, {attenuation_db} dB");
        group.bench_function(BenchmarkId::new("chain", &name), |bencher| {
            let mut running = chain.start();
            bencher.iter(|| running.run(&input));
        });
        group.bench_function(BenchmarkId::new("plain C at -O2", &name), |bencher| {
            bencher.iter_custom(|rounds| {
                let mut arguments = vec![SAMPLES.to_string(), rounds.to_string()];
                for stage in chain.stages() {
                    arguments.push(stage.down().to_string());
                    arguments.push(stage.taps().unwrap().0.len().to_string());
                }
                let arguments: Vec<&str> = arguments.iter().map(String::as_str).collect();
                let nanoseconds = plain.run_with(&[], &arguments).unwrap()[0];
                Duration::from_nanos(nanoseconds as u64)
            });
        });
    }
    group.finish();
}

criterion_group!(benches, bench, chains);
criterion_main!(benches);
