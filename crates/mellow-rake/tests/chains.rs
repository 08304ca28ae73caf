//! Chains of stages at several rates, against their definition: zeros between, a convolution, and all but
//! every so many-th word thrown away; and single frequencies through them.

use mellow_rake::Effort;
use mellow_rake::datapath::{Simulator, fir_decimator, fir_interpolator};
use mellow_rake::filter::{Form, Section, Sections, Taps, Transfer};
use mellow_rake::fixed::{Overflow, RoundedTable, Rounding};
use mellow_rake::random::NoiseSource;
use mellow_rake::rates::{
    Chain, Comb, PlanError, RateError, RateWish, Stage, StageForm, plan, plan_by,
};
use mellow_rake::spec::{Kept, Least};
use mellow_rake::units::SampleRate;
use std::f64::consts::TAU;

use crate::random_chains::sections;

fn number(noise: &mut NoiseSource) -> f64 {
    noise.integer(-1_000_000, 1_000_000) as f64 / 1e6
}

fn any_stage(noise: &mut NoiseSource, most: i64) -> Stage {
    let [up, down] = [0; 2].map(|_| noise.integer(1, most) as usize);
    if noise.integer(0, 3) == 0 {
        return Stage::new(up, down, sections(noise, up)).unwrap();
    }
    let taps = (0..noise.integer(1, 40)).map(|_| number(noise)).collect();
    Stage::new(up, down, Taps(taps)).unwrap()
}

fn any_chain(noise: &mut NoiseSource, most: i64) -> Chain {
    let stages = (0..noise.integer(1, 3)).map(|_| any_stage(noise, most)).collect();
    Chain::new(SampleRate::from_hertz(noise.integer(1, 9000) as f64).unwrap(), stages).unwrap()
}

/// What a stage is said to do, word for word.
fn as_defined(stage: &Stage, input: &[f64]) -> Vec<f64> {
    let apart = |x: &f64| std::iter::once(*x).chain(std::iter::repeat_n(0.0, stage.up() - 1));
    let apart: Vec<f64> = input.iter().flat_map(apart).collect();
    let before = |words: &[f64], n: usize, k: usize| if k > n { 0.0 } else { words[n - k] };
    let filtered: Vec<f64> = match stage.form() {
        Form::Taps(Taps(taps)) => {
            let sum = |n: usize| (0..taps.len()).map(|k| taps[k] * before(&apart, n, k)).sum();
            (0..apart.len()).map(sum).collect()
        }
        Form::Sections(Sections(sections)) => sections.iter().fold(apart, |x, Section { b, a }| {
            let mut y: Vec<f64> = Vec::new();
            for n in 0..x.len() {
                let forward: f64 = (0..3).map(|k| b[k] * before(&x, n, k)).sum();
                let back: f64 = (1..=2.min(n)).map(|k| a[k - 1] * y[n - k]).sum();
                y.push(forward - back);
            }
            y
        }),
    };
    filtered.into_iter().skip(stage.down() - 1).step_by(stage.down()).collect()
}

#[test]
fn chains_in_blocks_of_any_length_are_their_definition() {
    let mut noise = NoiseSource::new(2001);
    for _ in 0..300 {
        let chain = any_chain(&mut noise, 7);
        let input: Vec<f64> = (0..noise.integer(0, 400)).map(|_| number(&mut noise)).collect();
        let expected =
            chain.stages().iter().fold(input.clone(), |words, stage| as_defined(stage, &words));
        let (mut running, mut found, mut at) = (chain.start(), Vec::new(), 0);
        while at < input.len() {
            let end = (at + noise.integer(1, 60) as usize).min(input.len());
            found.extend(running.run(&input[at..end]));
            at = end;
        }
        assert_eq!(chain.start().run(&input), found);
        assert_eq!(found.len(), expected.len());
        assert_eq!(found.len() as u64, chain.outputs_of(input.len() as u64));
        // 40 products of numbers below 1 in each of three stages, as often rounded.
        let close = |(a, b): (&f64, &f64)| (a - b).abs() < 1e-9;
        assert!(found.iter().zip(&expected).all(close));
    }
}

/// A block that is longer than what is worked on at once.
#[test]
fn long_blocks_are_their_definition() {
    let mut noise = NoiseSource::new(2002);
    let stage = Stage::new(3, 7, Taps((0..50).map(|_| number(&mut noise)).collect())).unwrap();
    let input: Vec<f64> = (0..10_001).map(|_| number(&mut noise)).collect();
    let (found, expected) = (stage.start().run(&input), as_defined(&stage, &input));
    assert_eq!(found.len(), expected.len());
    assert!(found.iter().zip(&expected).all(|(a, b)| (a - b).abs() < 1e-12));
}

/// The programs on integers take and give the same words, where nothing is rounded.
#[test]
fn stages_are_the_programs_on_integers() {
    let mut noise = NoiseSource::new(2003);
    let (word, wide) = ("s12f0".parse().unwrap(), "s40f0".parse().unwrap());
    for _ in 0..100 {
        let row: Vec<i64> = (0..noise.integer(8, 40)).map(|_| noise.integer(-99, 99)).collect();
        let taps = Taps(row.iter().map(|tap| *tap as f64).collect());
        let table = RoundedTable::new("s8f0".parse().unwrap(), vec![row]);
        let factor = noise.integer(2, 8) as usize;
        let words: Vec<i64> = (0..200).map(|_| noise.integer(-2048, 2047)).collect();
        let (rounding, overflow) = (Rounding::Floor, Overflow::Forbid);
        let pairs = [
            (
                Stage::decimator(factor, taps.clone()),
                fir_decimator(&table, factor, word, wide, rounding, overflow),
            ),
            (
                Stage::interpolator(factor, taps),
                fir_interpolator(&table, factor, word, wide, rounding, overflow),
            ),
        ];
        for (stage, program) in pairs {
            // A firing takes whole words.
            let whole = &words[..words.len() / factor * factor];
            let input: Vec<f64> = whole.iter().map(|word| *word as f64).collect();
            let found = stage.unwrap().start().run(&input);
            let expected = Simulator::new(&program.unwrap().check().unwrap()).run(whole);
            assert_eq!(found, expected.iter().map(|word| *word as f64).collect::<Vec<_>>());
        }
    }
}

/// A complex oscillation comes out as the sum of what its paths say, at every sample; and the paths that
/// arrive are those that leave.
#[test]
fn a_frequency_becomes_what_its_paths_say() {
    let mut noise = NoiseSource::new(2004);
    for _ in 0..200 {
        let chain = any_chain(&mut noise, 5);
        let rate = chain.input_rate().hertz();
        let hertz = rate * 0.5 * number(&mut noise);
        let paths = chain.leaving_from(hertz);
        let wave = |turn: f64| -> Vec<f64> {
            let x = (0..3000)
                .map(|n| (TAU * (hertz * f64::from(n) / rate + turn)).cos())
                .collect::<Vec<_>>();
            chain.start().run(&x)
        };
        let (re, im) = (wave(0.0), wave(-0.25));
        let scale: f64 = chain
            .stages()
            .iter()
            .map(|one| one.form().impulse_response().iter().map(|h| h.abs()).sum::<f64>())
            .product();
        // Behind the longest memory: 40 words at the lowest rate, and some.
        for m in re.len() / 2..re.len() {
            let seconds = chain.first_output_seconds() + m as f64 / chain.output_rate().hertz();
            let sum: num_complex::Complex64 = paths
                .iter()
                .map(|path| {
                    path.response * num_complex::Complex64::cis(TAU * path.output_hertz * seconds)
                })
                .sum();
            assert!((sum.re - re[m]).abs() < 1e-9 * scale.max(1.0), "{sum} {} at {m}", re[m]);
            assert!((sum.im - im[m]).abs() < 1e-9 * scale.max(1.0));
        }
        for path in &paths {
            let back = chain.arriving_at(path.output_hertz);
            let near =
                |one: &&mellow_rake::rates::Path| (one.input_hertz - hertz).abs() < 1e-6 * rate;
            let all: num_complex::Complex64 =
                back.iter().filter(near).map(|one| one.response).sum();
            let same = |one: &&mellow_rake::rates::Path| {
                (one.output_hertz - path.output_hertz).abs() < 1e-6 * rate
            };
            let left: num_complex::Complex64 =
                paths.iter().filter(same).map(|one| one.response).sum();
            assert!((all - left).norm() < 1e-9 * scale.max(1.0));
            if path.is_direct {
                assert!(
                    (path.response - chain.direct_response(hertz)).norm() < 1e-9 * scale.max(1.0)
                );
            }
        }
    }
}

/// The strongest that folds is found: no frequency of a dense grid is stronger.
#[test]
fn folded_bands_have_the_strongest_of_each() {
    let mut noise = NoiseSource::new(2005);
    for _ in 0..12 {
        let chain = any_chain(&mut noise, 4);
        let half = chain.output_rate().nyquist();
        let band = [0.1 * half, 0.6 * half];
        let folded = chain.folded(band);
        let down: usize = chain.stages().iter().map(Stage::down).product();
        // More than that where the rate also goes up on the way: bands come apart.
        assert!(folded.len() + 1 >= down);
        assert!(folded.windows(2).all(|two| two[0].worst_db >= two[1].worst_db));
        let worst = folded.first().map_or(f64::NEG_INFINITY, |band| band.worst_db);
        let mut strongest = f64::NEG_INFINITY;
        for k in 0..=20_000 {
            let hertz = band[0] + (band[1] - band[0]) * f64::from(k) / 20_000.0;
            for path in chain.arriving_at(hertz).iter().filter(|path| !path.is_direct) {
                strongest = strongest.max(20.0 * path.response.norm().log10());
            }
        }
        if down > 1 {
            assert!(worst >= strongest - 1e-9 && worst < strongest + 0.01, "{worst} {strongest}");
        }
    }
}

#[test]
fn what_is_no_chain_is_refused() {
    let one = || Taps(vec![1.0]);
    let said = |error: RateError| error.to_string();
    assert!(
        said(Stage::new(0, 1, one()).unwrap_err())
            .starts_with("the rate goes up by 0; a factor of 1 to 4096")
    );
    assert!(said(Stage::new(1, 4097, one()).unwrap_err()).contains("down by 4097"));
    assert_eq!(Stage::decimator(2, Taps(Vec::new())).unwrap_err(), RateError::NoTaps);
    assert!(
        said(Stage::decimator(2, Taps(vec![0.5, f64::NAN])).unwrap_err())
            .starts_with("tap 1 is NaN")
    );
    let rate = SampleRate::from_hertz(1e9).unwrap();
    assert_eq!(Chain::new(rate, Vec::new()).unwrap_err(), RateError::NoStages);
    let by = |up, down| Stage::new(up, down, one()).unwrap();
    let error = Chain::new(rate, vec![by(4, 1), by(1000, 1)]).unwrap_err();
    assert_eq!(error, RateError::Rate { stage: 2, hertz: 4e12 });
    let error = Chain::new(rate, vec![by(1, 4096), by(1, 17)]).unwrap_err();
    assert!(said(error).starts_with("up to stage 2 the rate goes down by 69632 in all; 65536"));
}

fn wish(factor: usize, pass_share: f64, kept: Kept) -> RateWish {
    let input_rate = SampleRate::from_hertz(48_000.0).unwrap();
    let pass_hz = 24_000.0 / factor as f64 * pass_share;
    RateWish {
        input_rate,
        up: 1,
        down: factor,
        pass_hz,
        ripple_db: 0.2,
        attenuation_db: 60.0,
        kept,
        combs: false,
        most_growth_bits: 48,
        least: Least::Products,
        effort: Effort::default(),
    }
}

/// Every way to cut a factor.
fn cuts(factor: usize) -> Vec<Vec<usize>> {
    let mut all = if factor == 1 { vec![vec![]] } else { vec![] };
    for first in (2..=factor).filter(|first| factor.is_multiple_of(*first)) {
        all.extend(cuts(factor / first).into_iter().map(|rest| [vec![first], rest].concat()));
    }
    all
}

/// All ways designed and counted: none takes noticeably fewer products than the one that was planned. And
/// what was planned keeps what was asked, wherever it is looked at.
#[test]
fn no_other_stages_take_fewer_products() {
    for (factor, share, kept) in [
        (8, 0.8, Kept::PassBand),
        (12, 0.5, Kept::WholeBand),
        (18, 0.9, Kept::PassBand),
        (20, 0.7, Kept::WholeBand),
    ] {
        let wish = wish(factor, share, kept);
        let planned = plan(&wish).unwrap();
        let all = cuts(factor);
        assert_eq!(planned.ways, all.len());
        let cost = |factors: &Vec<usize>| {
            let factors: Vec<StageForm> =
                factors.iter().map(|down| StageForm::new(1, *down)).collect();
            plan_by(&wish, &factors)
                .map_or(f64::INFINITY, |plan| plan.chain.multiplies_per_second())
        };
        let least = all.iter().map(cost).fold(f64::INFINITY, f64::min);
        let found = planned.chain.multiplies_per_second();
        println!("{factor}: {:?}, {found} of at least {least}", planned.weighed[0].stages);
        assert!(found <= 1.05 * least, "{factor}: {found} and {least}");
        let clean = if kept == Kept::PassBand { wish.pass_hz } else { 24_000.0 / factor as f64 };
        let (mut lowest, mut highest, mut disturbs) = (f64::INFINITY, 0.0f64, 0.0f64);
        for k in 0..=4000 {
            let share = f64::from(k) / 4000.0;
            let gain = planned.chain.direct_response(wish.pass_hz * share).norm();
            (lowest, highest) = (lowest.min(gain), highest.max(gain));
            let paths = planned.chain.arriving_at(clean * share);
            let aliases = paths.iter().filter(|path| !path.is_direct);
            disturbs = aliases.map(|path| path.response.norm()).fold(disturbs, f64::max);
        }
        assert!(20.0 * (highest / lowest).log10() <= 0.2 && 20.0 * disturbs.log10() <= -60.0);
        // By memory and by delay nothing that is weighed takes less, nor the way of the fewest products.
        for least in [Least::Memory, Least::Delay] {
            let other = plan(&RateWish { least, ..wish }).unwrap();
            let cost = |chain: &Chain| match least {
                Least::Memory => chain.words() as f64,
                _ => chain.delay_seconds().unwrap(),
            };
            let all = all.iter().filter_map(|factors| {
                let forms: Vec<StageForm> =
                    factors.iter().map(|down| StageForm::new(1, *down)).collect();
                Some(cost(&plan_by(&wish, &forms).ok()?.chain))
            });
            let best = all.fold(f64::INFINITY, f64::min);
            let found = cost(&other.chain);
            println!("{factor}, {least:?}: {found} of at least {best}");
            assert!(found <= 1.05 * best + 1e-12, "{factor} {least:?}: {found} {best}");
        }
        // The way up is the same turned round.
        let input_rate = SampleRate::from_hertz(48_000.0 / factor as f64).unwrap();
        let up = plan(&RateWish { input_rate, up: factor, down: 1, ..wish }).unwrap();
        let ratio = up.chain.multiplies_per_second() / found;
        assert!((ratio - 1.0).abs() < 0.02, "{ratio}");
    }
}

#[test]
fn wishes_that_cannot_be_are_refused() {
    let good = wish(8, 0.5, Kept::PassBand);
    let said = |wish: RateWish| plan(&wish).unwrap_err().to_string();
    assert!(said(RateWish { down: 1, ..good }).contains("up by 1 and down by 1; 1 to 4096"));
    assert!(said(RateWish { up: 4097, ..good }).contains("up by 4097 and down by 8; 1 to 4096"));
    assert!(said(RateWish { up: 6, ..good }).ends_with("is up by 3 and down by 4; write that"));
    assert!(
        said(RateWish { pass_hz: 3000.0, ..good })
            .contains("below 3000 Hz, half of the lower rate")
    );
    assert!(said(RateWish { pass_hz: f64::NAN, ..good }).contains("ends at NaN Hz"));
    assert!(
        said(RateWish { ripple_db: 0.0, ..good })
            .starts_with("the ripple is 0 dB; 0.0001 dB to 6 dB")
    );
    assert!(
        said(RateWish { attenuation_db: 500.0, ..good }).starts_with("the attenuation is 500 dB")
    );
    let forms = |all: &[[usize; 2]]| -> Vec<StageForm> {
        all.iter().map(|[up, down]| StageForm::new(*up, *down)).collect()
    };
    let by = |factors: &[[usize; 2]]| plan_by(&good, &forms(factors)).unwrap_err();
    assert!(matches!(by(&[[1, 2], [1, 3]]), PlanError::Factors { found_down: 6, down: 8, .. }));
    assert!(matches!(by(&[[1, 1], [1, 8]]), PlanError::Factors { .. }));
    assert!(matches!(by(&[]), PlanError::Factors { found_down: 1, .. }));
    // Down to 2 kHz and up again: what passes to 1.5 kHz would be disturbed by itself.
    let both = RateWish { up: 3, down: 8, pass_hz: 1500.0, ..good };
    let error = plan_by(&both, &forms(&[[1, 24], [9, 1]])).unwrap_err();
    assert!(matches!(error, PlanError::Factors { .. }), "{error}");
    let error = plan_by(&both, &forms(&[[1, 8], [3, 1]])).unwrap();
    assert!(error.attenuation_db >= 60.0);
    let error =
        plan_by(&RateWish { pass_hz: 5000.0, ..both }, &forms(&[[1, 8], [3, 1]])).unwrap_err();
    assert!(error.to_string().starts_with("behind stage 1 the rate is 6000 Hz; above 10000 Hz"));
}

/// Every way to cut a change up and down into stages that each do something.
fn both_ways(up: usize, down: usize) -> Vec<Vec<StageForm>> {
    if up * down == 1 {
        return vec![vec![]];
    }
    let mut all = Vec::new();
    for own_up in (1..=up).filter(|own| up.is_multiple_of(*own)) {
        for own_down in (1..=down).filter(|own| down.is_multiple_of(*own)) {
            if own_up * own_down > 1 {
                let rest = both_ways(up / own_up, down / own_down);
                all.extend(
                    rest.into_iter()
                        .map(|rest| [vec![StageForm::new(own_up, own_down)], rest].concat()),
                );
            }
        }
    }
    all
}

/// A change up and down: no way of all takes noticeably fewer products, and what was planned keeps what was
/// asked of every alias and every image.
#[test]
fn changes_up_and_down_are_planned_as_well() {
    for (up, down, share, kept) in [
        (3, 2, 0.9, Kept::PassBand),
        (2, 3, 0.8, Kept::WholeBand),
        (4, 9, 0.7, Kept::PassBand),
        (5, 6, 0.85, Kept::PassBand),
    ] {
        let lower = 24_000.0 * (up as f64 / down as f64).min(1.0);
        let base = wish(down, 0.5, kept);
        let wish = RateWish { up, pass_hz: share * lower, ..base };
        let planned = plan(&wish).unwrap();
        let cost = |factors: &Vec<StageForm>| {
            plan_by(&wish, factors).map_or(f64::INFINITY, |plan| plan.chain.multiplies_per_second())
        };
        let least = both_ways(up, down).iter().map(cost).fold(f64::INFINITY, f64::min);
        let found = planned.chain.multiplies_per_second();
        println!("{up}/{down}: {:?}, {found} of at least {least}", planned.weighed[0].stages);
        assert!(found <= 1.05 * least, "{up}/{down}: {found} and {least}");
        let clean = if kept == Kept::PassBand { wish.pass_hz } else { lower };
        let mut disturbs = 0.0f64;
        for k in 0..=3000 {
            let hertz = clean * f64::from(k) / 3000.0;
            let arrive = planned.chain.arriving_at(hertz);
            let leave = planned.chain.leaving_from(hertz);
            let others = arrive.iter().chain(&leave).filter(|path| !path.is_direct);
            disturbs = others.map(|path| path.response.norm()).fold(disturbs, f64::max);
        }
        assert!(20.0 * disturbs.log10() <= -60.0, "{up}/{down}: {disturbs}");
        assert!(planned.chain.pass_band(wish.pass_hz).ripple_db() <= 0.2);
    }
}

/// A band that falls onto another is named as it is: every frequency of it, and no other.
#[test]
fn folded_bands_are_where_their_frequencies_are() {
    let mut noise = NoiseSource::new(2006);
    for _ in 0..60 {
        let chain = any_chain(&mut noise, 5);
        let half = chain.output_rate().nyquist();
        let low = half * 0.7 * number(&mut noise).abs();
        let high = low + (half - low) * (0.05 + 0.9 * number(&mut noise).abs());
        let folded = chain.folded([low, high]);
        // Where each path lies at each step, in pieces where it jumps.
        let step = (high - low) / 4000.0;
        let mut found: Vec<Vec<[f64; 2]>> = vec![Vec::new(); chain.arriving_at(low).len()];
        let mut last = vec![f64::NAN; found.len()];
        for k in 1..4000 {
            let paths = chain.arriving_at(low + step * f64::from(k));
            for ((pieces, last), path) in found.iter_mut().zip(&mut last).zip(&paths) {
                let moved = (path.input_hertz - *last - step) / chain.input_rate().hertz();
                *last = if path.is_direct { f64::NAN } else { path.input_hertz };
                let hertz = path.input_hertz.abs();
                match pieces.last_mut() {
                    _ if path.is_direct => {}
                    Some([least, most]) if (moved - moved.round()).abs() < 1e-6 => {
                        (*least, *most) = (least.min(hertz), most.max(hertz));
                    }
                    _ => pieces.push([hertz; 2]),
                }
            }
        }
        let found: Vec<[f64; 2]> = found.into_iter().flatten().collect();
        assert_eq!(found.len(), folded.len(), "{found:?}\n{folded:?}");
        for ends in &found {
            let is_named = folded.iter().any(|band| {
                (0..2).all(|end| (band.input_hertz[end] - ends[end]).abs() < 2.5 * step)
            });
            assert!(is_named, "{ends:?} of {folded:?}");
        }
    }
}

/// What a pass-band leaves of a signal that fills it: of many tones through the chain itself, each with a
/// phase of its own, one gain and the delay taken off.
#[test]
fn the_error_vector_of_a_pass_band_is_that_of_a_signal() {
    let mut noise = NoiseSource::new(2007);
    for factor in [4, 6] {
        let wish = RateWish { ripple_db: 0.5, ..wish(factor, 0.8, Kept::PassBand) };
        let chain = plan(&wish).unwrap().chain;
        let (rate, delay) = (chain.input_rate().hertz(), chain.delay_seconds().unwrap());
        let tones: Vec<(f64, f64)> = (0..200)
            .map(|k| (wish.pass_hz * (f64::from(k) + 0.5) / 200.0, TAU * number(&mut noise)))
            .collect();
        let at = |seconds: f64| -> f64 {
            tones.iter().map(|(hertz, phase)| (TAU * hertz * seconds + phase).cos()).sum()
        };
        let input: Vec<f64> = (0..12_000).map(|n| at(f64::from(n) / rate)).collect();
        let output = chain.start().run(&input);
        let time = |m: usize| {
            chain.first_output_seconds() + m as f64 / chain.output_rate().hertz() - delay
        };
        let start = chain.start_up_outputs() as usize;
        let pairs: Vec<(f64, f64)> =
            (start..output.len()).map(|m| (output[m], at(time(m)))).collect();
        let sum = |f: &dyn Fn(&(f64, f64)) -> f64| pairs.iter().map(f).sum::<f64>();
        // The gain 1/c that leaves the least of Σ(y/c − x)².
        let gain = sum(&|(y, x)| y * x) / sum(&|(y, _)| y * y);
        let error = sum(&|(y, x)| (gain * y - x).powi(2)) / sum(&|(_, x)| x * x);
        let (found, said) = (10.0 * error.log10(), chain.pass_band(wish.pass_hz).error_vector_db);
        assert!((found - said).abs() < 0.5, "{factor}: {found} and {said}");
    }
}

/// Integrators that wrap and combs that wrap, sample by sample, on words that are just wide enough: what they
/// give is what the stage says, to the last bit of f64, down and up; and the closed form of the response is
/// that of the taps.
#[test]
fn sums_are_integrators_and_combs() {
    let mut noise = NoiseSource::new(2008);
    for _ in 0..200 {
        let comb =
            Comb { order: noise.integer(1, 5) as usize, delay: noise.integer(1, 2) as usize };
        let factor = noise.integer(2, 12) as usize;
        let growth = comb.growth(factor);
        // The bits of the largest sum of words of 12 bits, and no more.
        let bits = comb.growth_bits(factor) + 12;
        assert!(growth <= 1 << comb.growth_bits(factor) && growth > 1 << (bits - 13));
        let wrap = |sum: i64| (sum << (64 - bits)) >> (64 - bits);
        let words: Vec<i64> = (0..20 * factor).map(|_| noise.integer(-2048, 2047)).collect();
        let input: Vec<f64> = words.iter().map(|word| *word as f64).collect();
        // Down: integrators at the higher rate, every R-th word, combs.
        let mut integrators = vec![0i64; comb.order];
        let mut delays = vec![vec![0i64; comb.delay]; comb.order];
        let mut expected = Vec::new();
        for (n, word) in words.iter().enumerate() {
            let mut sum = *word;
            for integrator in &mut integrators {
                *integrator = wrap(*integrator + sum);
                sum = *integrator;
            }
            if (n + 1) % factor == 0 {
                for delay in &mut delays {
                    delay.push(sum);
                    sum = wrap(sum - delay.remove(0));
                }
                expected.push(sum as f64 / growth as f64);
            }
        }
        let close = |found: &[f64], expected: &[f64]| {
            assert_eq!(found.len(), expected.len());
            let off = |(a, b): (&f64, &f64)| (a - b).abs() < 1e-11 * 2048.0 * factor as f64;
            assert!(found.iter().zip(expected).all(off), "{comb:?} by {factor}");
        };
        let down = Stage::comb(1, factor, comb).unwrap();
        close(&down.start().run(&input), &expected);
        // Up: combs, zeros between, integrators.
        let mut integrators = vec![0i64; comb.order];
        let mut delays = vec![vec![0i64; comb.delay]; comb.order];
        let mut expected = Vec::new();
        for word in &words {
            let mut sum = *word;
            for delay in &mut delays {
                delay.push(sum);
                sum -= delay.remove(0);
            }
            for k in 0..factor {
                let mut sum = if k == 0 { sum } else { 0 };
                for integrator in &mut integrators {
                    *integrator = wrap(*integrator + sum);
                    sum = *integrator;
                }
                expected.push(sum as f64 * factor as f64 / growth as f64);
            }
        }
        let up = Stage::comb(factor, 1, comb).unwrap();
        close(&up.start().run(&input), &expected);
        for k in 0..=64 {
            let omega = TAU * f64::from(k) / 128.0;
            let apart = (up.response(omega) - up.form().response(omega)).norm();
            assert!(apart < 1e-12 * factor as f64, "{comb:?} by {factor} at {omega}: {apart}");
        }
    }
    let refused = |up, down, order, delay| Stage::comb(up, down, Comb { order, delay }).is_err();
    assert!(refused(2, 3, 1, 1) && refused(1, 1, 1, 1) && refused(1, 4, 0, 1));
    assert!(refused(1, 4, 9, 1) && refused(1, 4, 3, 3) && refused(1, 4097, 3, 1));
}

/// Integrators and combs are taken where they spare products, their droop is made good, and what falls is
/// stopped, wherever it is looked at.
#[test]
fn combs_are_planned_where_they_pay() {
    for (factor, share, kept) in
        [(8, 0.8, Kept::PassBand), (30, 0.6, Kept::WholeBand), (64, 0.85, Kept::PassBand)]
    {
        let plain = wish(factor, share, kept);
        let wish = RateWish { combs: true, ..plain };
        let input_rate = SampleRate::from_hertz(48_000.0 / factor as f64).unwrap();
        let up = RateWish { input_rate, up: factor, down: 1, ..wish };
        let without = plan(&plain).unwrap().chain.multiplies_per_second();
        for wish in [wish, up] {
            let chain = plan(&wish).unwrap().chain;
            let combs = chain.stages().iter().filter(|stage| stage.as_sums().is_some()).count();
            assert_eq!(combs, 1, "{factor}");
            assert!(chain.multiplies_per_second() < without);
            let clean =
                if kept == Kept::PassBand { wish.pass_hz } else { 24_000.0 / factor as f64 };
            let (mut lowest, mut highest, mut disturbs) = (f64::INFINITY, 0.0f64, 0.0f64);
            for k in 0..=1000 {
                let share = f64::from(k) / 1000.0;
                let gain = chain.direct_response(wish.pass_hz * share).norm();
                (lowest, highest) = (lowest.min(gain), highest.max(gain));
                let others = [chain.arriving_at(clean * share), chain.leaving_from(clean * share)];
                let others = others.iter().flatten().filter(|path| !path.is_direct);
                disturbs = others.map(|path| path.response.norm()).fold(disturbs, f64::max);
            }
            assert!(20.0 * (highest / lowest).log10() <= 0.2, "{factor}");
            assert!(20.0 * disturbs.log10() <= -60.0, "{factor}");
        }
    }
    let alone = StageForm::new(1, 8).of_sums(Comb { order: 3, delay: 1 });
    let only = plan_by(&wish(8, 0.5, Kept::PassBand), &[alone]).unwrap_err();
    assert_eq!(only, PlanError::OnlyCombs);
}
