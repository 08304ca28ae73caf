//! Chains around a carrier: the oscillator against a transform of its whole period, mixing against its
//! definition, what is proved behind a mixer against what comes out, and symbols received from complex
//! samples.

use mellow_rake::datapath::word_change;
use mellow_rake::filter::Taps;
use mellow_rake::fixed::{Oscillator, OscillatorError, OscillatorWords, Overflow, Rounding};
use mellow_rake::implementation::implement_chain;
use mellow_rake::network::{Mixer, MixerError, Mixing, Network, NetworkError, Step};
use mellow_rake::random::NoiseSource;
use mellow_rake::rates::{Carrier, CarrierWay, Chain, Stage};
use mellow_rake::signal::SignalPlan;
use mellow_rake::study::{ChainStudy, ErrorLimits, NotReceived, Passed};
use mellow_rake::verify::Proof;
use num_complex::Complex64;
use rustfft::FftPlanner;
use std::f64::consts::TAU;

use crate::random_chains::{any_chain, any_chain_words, rate};

fn any_oscillator(noise: &mut NoiseSource, most_phase_bits: i64) -> Oscillator {
    let phase_bits = noise.integer(4, most_phase_bits) as u32;
    let words = OscillatorWords {
        phase_bits,
        address_bits: noise.integer(4, i64::from(phase_bits.min(10))) as u32,
        width: noise.integer(3, 20) as u32,
        dither: None,
    };
    let whole = 1i64 << phase_bits;
    let step = match noise.integer(0, 2) {
        // Few addresses are met, or all.
        0 => (whole / 16).max(1) * noise.integer(1, 7),
        _ => noise.integer(1, whole / 2 - 1),
    };
    let turns = step as f64 / whole as f64;
    let turns = if noise.integer(0, 1) == 0 { -turns } else { turns };
    let found = Oscillator::new(words, turns).unwrap();
    assert_eq!(found.turns(), turns);
    found
}

/// The strongest line beside the carrier is that of a transform of the whole period of the phase; values
/// are as near to what they stand for as is said, and no nearer by much.
#[test]
fn oscillators_are_as_clean_as_they_say() {
    let mut noise = NoiseSource::new(2701);
    let (mut cut, mut endless) = (0, 0);
    for _ in 0..150 {
        let oscillator = any_oscillator(&mut noise, 14);
        let words = oscillator.words();
        let count = 1usize << words.phase_bits;
        let wave: Vec<[i64; 2]> =
            (0..count as u64).map(|n| oscillator.wave(oscillator.phase(n))).collect();
        let mut lines: Vec<Complex64> =
            wave.iter().map(|[c, s]| Complex64::new(*c as f64, *s as f64)).collect();
        FftPlanner::new().plan_fft_forward(count).process(&mut lines);
        let carrier = oscillator.step() as usize;
        let sizes = lines.iter().enumerate().filter(|(line, _)| *line != carrier);
        let worst = sizes.map(|(_, line)| line.norm()).fold(0.0, f64::max);
        let measured = 20.0 * (lines[carrier].norm() / worst).log10();
        let said = oscillator.spurious_free_db();
        if said.is_infinite() {
            assert!(measured > 200.0, "{measured} {words:?}");
            endless += 1;
        } else {
            assert!((measured - said).abs() < 1e-4, "{measured} {said} {words:?} {carrier}");
        }
        let step = oscillator.format().step();
        let off = |n: usize| {
            let ideal = oscillator.ideal(n as u64);
            (0..2).map(|k| (wave[n][k] as f64 * step - ideal[k]).abs()).fold(0.0, f64::max)
        };
        let largest = (0..count).map(off).fold(0.0, f64::max);
        let bound = oscillator.error_bound();
        assert!(largest <= bound, "{largest} {bound} {words:?}");
        if words.address_bits < words.phase_bits && oscillator.step() % 2 == 1 {
            assert!(2.0 * largest > bound, "{largest} {bound} {words:?}");
            cut += 1;
        }
    }
    assert!(cut > 30, "{cut} {endless}");
}

/// The mean over all numbers that a dither can be has the lines that are said, and what is beside the mean
/// the power; both by brute force over every phase and every number.
#[test]
fn a_dither_makes_noise_of_lines() {
    let mut noise = NoiseSource::new(2704);
    let mut dithered = 0;
    for _ in 0..60 {
        let plain = any_oscillator(&mut noise, 13);
        let words = OscillatorWords { dither: Some(7), ..plain.words() };
        let oscillator = Oscillator::new(words, plain.turns()).unwrap();
        let (count, numbers) = (1u32 << words.phase_bits, 1u32 << oscillator.dropped_bits());
        let value = |phase: u32| {
            let [c, s] = oscillator.wave(phase % count);
            Complex64::new(c as f64, s as f64)
        };
        let (mut mean, mut power) = (Vec::new(), 0.0);
        for n in 0..count {
            let phase = oscillator.phase(n.into());
            let met: Vec<Complex64> = (0..numbers).map(|number| value(phase + number)).collect();
            let middle = met.iter().sum::<Complex64>() / f64::from(numbers);
            power +=
                met.iter().map(|one| (one - middle).norm_sqr()).sum::<f64>() / f64::from(numbers);
            mean.push(middle);
        }
        FftPlanner::new().plan_fft_forward(count as usize).process(&mut mean);
        let carrier = mean[oscillator.step() as usize].norm();
        let beside =
            mean.iter().enumerate().filter(|(line, _)| *line != oscillator.step() as usize);
        let worst = beside.map(|(_, line)| line.norm()).fold(0.0, f64::max);
        let said = oscillator.spurious_free_db();
        let measured = 20.0 * (carrier / worst).log10();
        assert!(
            measured > 200.0 && said.is_infinite() || (measured - said).abs() < 1e-3,
            "{words:?}"
        );
        let Some(said) = oscillator.dither_noise_db() else {
            assert!(power < 1e-6, "{power} {words:?}");
            continue;
        };
        let whole = f64::from(count);
        let measured = 10.0 * ((carrier / whole).powi(2) / (power / whole)).log10();
        assert!((measured - said).abs() < 1e-6, "{measured} {said} {words:?}");
        dithered += 1;
    }
    assert!(dithered > 15, "{dithered}");
}

/// The numbers of a dither are those of its definition from wherever it is begun, and random enough: what
/// they leave beside the carrier is white noise of the power that is said, no line among it, and no value
/// farther off than is said.
#[test]
fn the_numbers_of_a_dither_are_as_good_as_random() {
    let words = OscillatorWords { phase_bits: 32, address_bits: 8, width: 18, dither: Some(1) };
    let turns = f64::from(391_159_643) / 2f64.powi(32);
    let oscillator = Oscillator::new(words, turns).unwrap();
    const COUNT: usize = 1 << 17;
    let wave: Vec<[i64; 2]> = oscillator.waves(0).take(COUNT).collect();
    let mut number = 1u32;
    for (n, found) in wave.iter().enumerate() {
        let phase = oscillator.phase(n as u64).wrapping_add(number >> 8);
        assert_eq!(*found, oscillator.wave(phase), "{n}");
        number ^= number << 13;
        number ^= number >> 17;
        number ^= number << 5;
    }
    for first in [0, 1, 2, 1_000, 99_999, (1 << 32) - 1 + 17, 5 * ((1 << 32) - 1)] {
        let of_period = (first % ((1 << 32) - 1)) as usize;
        let moved = oscillator.phase(first).wrapping_sub(oscillator.phase(of_period as u64));
        // The phase goes on with another period than the numbers.
        if moved == 0 {
            assert_eq!(oscillator.waves(first).next(), Some(wave[of_period]), "{first}");
        }
        let one_on = oscillator.waves(first).nth(5);
        assert_eq!(oscillator.waves(first + 5).next(), one_on, "{first}");
    }
    let step = oscillator.format().step();
    let apart = |(n, wave): (usize, &[i64; 2])| {
        let ideal = oscillator.ideal(n as u64);
        Complex64::new(wave[0] as f64 * step - ideal[0], wave[1] as f64 * step - ideal[1])
    };
    let mut left: Vec<Complex64> = wave.iter().enumerate().map(apart).collect();
    let largest = left.iter().map(|off| off.re.abs().max(off.im.abs())).fold(0.0, f64::max);
    let bound = oscillator.error_bound();
    assert!(largest <= bound && largest > 0.7 * bound, "{largest} {bound}");
    let power = left.iter().map(Complex64::norm_sqr).sum::<f64>() / COUNT as f64;
    let found = -10.0 * power.log10();
    let said = oscillator.dither_noise_db().unwrap();
    assert!((found - said).abs() < 0.1, "{found} {said}");
    FftPlanner::new().plan_fft_forward(COUNT).process(&mut left);
    // Of white noise the largest of so many lines is about ln(COUNT) times their mean.
    let lines: Vec<f64> = left.iter().map(Complex64::norm_sqr).collect();
    let mean = lines.iter().sum::<f64>() / COUNT as f64;
    let most = lines.iter().copied().fold(0.0, f64::max);
    assert!(most < 2.0 * (COUNT as f64).ln() * mean, "{}", most / mean);
    // Without it a line is much above that.
    let plain = Oscillator::new(OscillatorWords { dither: None, ..words }, turns).unwrap();
    let line = 10f64.powf(-plain.spurious_free_db() / 10.0);
    assert!(line > 100.0 * most / (COUNT as f64).powi(2), "{line}");
}

/// With long phases the worst line is what is known of phases that are cut off: 6.02 dB for each bit of the
/// address, and up to 3.92 dB less (H. T. Nicholas, H. Samueli, 1987).
#[test]
fn phases_that_are_cut_off_cost_what_is_known() {
    for address_bits in [6, 9, 12] {
        let words = OscillatorWords { phase_bits: 32, address_bits, width: 30, dither: None };
        let bits = 20.0 * 2f64.powi(address_bits as i32).log10();
        let odd = Oscillator::new(words, f64::from(1_159_641_171) / 2f64.powi(32)).unwrap();
        assert!((odd.spurious_free_db() - bits).abs() < 0.2, "{}", odd.spurious_free_db());
        // One bit is all that is cut off.
        let half = (2.0 * 77.0 + 1.0) / 2f64.powi(address_bits as i32 + 1);
        let half = if half > 0.5 { half - 1.0 } else { half };
        let half = Oscillator::new(words, half % 0.5).unwrap();
        assert!((half.spurious_free_db() - bits + 3.92).abs() < 0.2, "{address_bits}");
    }
}

/// A chain around a carrier is the same chain on what the definition makes of the signal; several channels
/// are each by itself, whatever the length of the blocks.
#[test]
fn mixing_is_its_definition() {
    let mut noise = NoiseSource::new(2702);
    for _ in 0..60 {
        let carriers = noise.integer(1, 3) as usize;
        let turns: Vec<f64> =
            (0..carriers).map(|_| noise.integer(1, 499) as f64 / 1000.0).collect();
        let taps = Taps((0..noise.integer(2, 9)).map(|_| noise.integer(-9, 9) as f64).collect());
        let way = [CarrierWay::Down, CarrierWay::Up][noise.integer(0, 1) as usize];
        let stage = match way {
            CarrierWay::Down => Stage::decimator(noise.integer(1, 4) as usize, taps).unwrap(),
            CarrierWay::Up => Stage::interpolator(noise.integer(1, 4) as usize, taps).unwrap(),
        };
        let channels = noise.integer(1, 3) as usize;
        let plain = Chain::new(rate(), vec![stage]).unwrap();
        let chain = plain.clone().around(Carrier::several(way, &turns)).of_channels(channels);
        let (words_in, words_out) = (chain.lanes_in(), chain.lanes_out());
        let input: Vec<f64> =
            (0..200 * words_in).map(|_| noise.integer(-100, 100) as f64).collect();
        let mut running = chain.start();
        let mut given = Vec::new();
        let mut rest = &input[..];
        while !rest.is_empty() {
            let (now, later) = rest.split_at((noise.integer(1, 50) as usize).min(rest.len()));
            given.extend(running.run(now));
            rest = later;
        }
        let wave = |carrier: usize, n: usize| {
            let angle = TAU * (n as f64 * turns[carrier]).fract();
            (angle.cos(), angle.sin())
        };
        for channel in 0..channels {
            let own = |all: &[f64], words: usize, lane: usize| -> Vec<f64> {
                all.iter().skip(channel * words + lane).step_by(words * channels).copied().collect()
            };
            let expected: Vec<Vec<f64>> = match way {
                CarrierWay::Down => {
                    let x = own(&input, 1, 0);
                    let part = |lane: usize| {
                        let mixed = x.iter().enumerate().map(|(n, x)| {
                            let (c, s) = wave(lane / 2, n);
                            if lane % 2 == 1 { -x * s } else { x * c }
                        });
                        plain.start().run(&mixed.collect::<Vec<_>>())
                    };
                    (0..2 * carriers).map(part).collect()
                }
                CarrierWay::Up => {
                    let part = |lane: usize| plain.start().run(&own(&input, 2 * carriers, lane));
                    let mut sum = vec![0.0; part(0).len()];
                    for carrier in 0..carriers {
                        let pairs = part(2 * carrier).into_iter().zip(part(2 * carrier + 1));
                        for (n, (re, im)) in pairs.enumerate() {
                            let (c, s) = wave(carrier, n);
                            sum[n] += re * c - im * s;
                        }
                    }
                    vec![sum]
                }
            };
            let words = words_out / channels;
            for (lane, expected) in expected.iter().enumerate() {
                let found = own(&given, words, lane);
                assert_eq!(found.len(), expected.len());
                for (one, other) in found.iter().zip(expected) {
                    assert!((one - other).abs() < 1e-7, "{one} {other}");
                }
            }
        }
    }
}

/// What is proved of integers behind a mixer, of roundings, taps and the values of the oscillator together,
/// holds on every stimulus, the one that was made to drive it as far as it goes among them.
#[test]
fn integers_around_a_carrier_stay_within_their_bounds() {
    let mut noise = NoiseSource::new(2703);
    let (mut held, mut reached, mut cut) = (0, 0, 0);
    while held < 40 {
        let chain = any_chain(&mut noise);
        let fixed = any_chain_words(&mut noise, &chain);
        if chain.carrier().is_none() {
            continue;
        }
        let Ok(found) = implement_chain(&chain, &fixed) else { continue };
        let (proof, expected) = Proof::begin_chain(&found, &chain, None);
        let words = found.mixer.as_ref().unwrap().mixer.oscillator().words();
        cut += usize::from(words.address_bits < words.phase_bits);
        for stimulus in &proof.stimuli {
            assert!(stimulus.within_bound, "{stimulus:?}\n{chain:?}\n{fixed:?}");
        }
        held += 1;
        let Some(last) = found.network.joints().last().filter(|_| found.network.no_limit_acts())
        else {
            continue;
        };
        let (_, output) = expected.last().unwrap();
        let largest = output.iter().map(|word| word.abs()).max().unwrap_or(0) as f64;
        let level = last.high.max(-last.low) / last.format.step();
        assert!(largest <= level + 1.0);
        reached += usize::from(largest > 0.4 * level);
    }
    assert!(reached > 8 && cut > 10, "{reached} {cut}");
}

const DOWN: &str = include_str!("../../mellow-rake-cli/demo/modem/telemetry_down.toml");

fn study(text: &str) -> Result<ChainStudy, mellow_rake::study::ChainStudyError> {
    ChainStudy::of_text(text, |_| Err("no file".to_owned()))
}

/// One carrier and many, taken down to complex samples: the errors behind integers are those predicted.
#[test]
fn symbols_come_out_of_complex_samples_as_predicted() {
    let plans = [
        "kind = \"keyed\"\nkeying = \"qpsk\"\ncarrier = \"27 kHz\"\nsymbol_rate = \"3 kHz\"\nrolloff = 0.3\n\
         span = 40\n",
        "kind = \"multicarrier\"\nkeying = \"16qam\"\ncenter = \"27 kHz\"\nspacing = \"62.5 Hz\"\n\
         carriers = 60\nguard = \"128 samples\"\n",
    ];
    for part in plans {
        let text = format!(
            "name = \"pings\"\nsample_rate = \"96 kHz\"\nlength = \"400 ms\"\n[[part]]\n{part}rms = 0.2\n"
        );
        let pings = SignalPlan::parse(&text).unwrap();
        let clean = pings.start().next_block(1 << 20);
        for output in ["s16f15", "s10f9", "s8f7"] {
            let text = DOWN
                .replace("input = \"s16f15\"", "input = \"s24f23\"")
                .replace("output = \"s16f15\"", &format!("output = \"{output}\""))
                .replace("ripple = \"0.1 dB\"", "ripple = \"0.002 dB\"");
            let study = study(&text).unwrap();
            let (found, _) = study.integers().unwrap();
            let step = found.network.input().step();
            let words: Vec<i64> = clean.iter().map(|x| (x / step).round() as i64).collect();
            let step = found.network.output().step();
            let given: Vec<f64> =
                found.network.start().run(&words).iter().map(|word| *word as f64 * step).collect();
            let designed = study.chain().start().run(&clean);
            let passed = Passed {
                input: &clean,
                output: &given,
                designed: Some(&designed),
                behind: "integers",
                part: None,
            };
            let received = study.received(&pings, passed, ErrorLimits::default()).unwrap();
            let predicted = received.predicted_db.unwrap();
            let found = received.after.rms_db;
            assert!(received.designed.unwrap().rms_db < -50.0, "{:?}", received.designed);
            assert!((found - predicted).abs() < 1.0, "{output}: {found} {predicted}\n{part}");
        }
    }
    // What lies beyond the band that comes out, and chains that complex samples go into.
    let far = SignalPlan::parse(
        "name = \"far\"\nsample_rate = \"96 kHz\"\nlength = \"40 ms\"\n[[part]]\nkind = \"keyed\"\n\
         keying = \"qpsk\"\ncarrier = \"35 kHz\"\nsymbol_rate = \"3 kHz\"\nrms = 0.2\n",
    )
    .unwrap();
    let down = study(DOWN).unwrap();
    assert!(matches!(down.part_with_symbols(&far, None), Err(NotReceived::Beyond { .. })));
    let complex = study(&DOWN.replace("carrier = \"27 kHz\"", "samples = \"complex\"")).unwrap();
    assert_eq!(complex.chain().lanes_in(), 2);
    assert!(matches!(complex.part_with_symbols(&far, None), Err(NotReceived::Complex)));
}

/// What cannot be is refused by its key; what is advised would do.
#[test]
fn carriers_that_cannot_be_are_refused() {
    let cases = [
        ("carrier = \"27 kHz\"", "carrier = \"2 kHz\"", "change.carrier", "above 2200 Hz"),
        ("carrier = \"27 kHz\"", "carrier = \"46 kHz\"", "change.carrier", "below 45800 Hz"),
        ("carrier =", "samples = \"complex\"\ncarrier =", "change.samples", "one of both"),
        ("carrier =", "samples = \"both\"\ncarrier =", "change.samples", "complex"),
        ("carrier =", "channels = 17\ncarrier =", "change.channels", "1 to 16"),
        ("[hardware]", "[fixed.oscillator]\nphase_bits = 33\n[hardware]", "phase_bits", "4 to 32"),
        (
            "[hardware]",
            "[fixed.oscillator]\nphase_bits = 8\naddress_bits = 9\n[hardware]",
            "address_bits",
            "4 to 8",
        ),
        ("[hardware]", "[fixed.oscillator]\ndithers = 1\n[hardware]", "dithers", "unknown"),
        ("[hardware]", "[fixed.oscillator]\nsteps = \"set\"\n[hardware]", "steps", "loadable"),
        ("[hardware]", "[fixed.oscillator]\ndither = 0\n[hardware]", "dither", "1 to 4294967295"),
        (
            "\"27 kHz\"",
            "[\"27 kHz\", \"30 kHz\", \"27000 Hz\"]",
            "change.carrier",
            "each carrier once",
        ),
        ("\"27 kHz\"", "[\"27 kHz\", \"46 kHz\"]", "change.carrier", "below 45800 Hz"),
        ("\"27 kHz\"", "[]", "change.carrier", "one carrier or more"),
        ("\"27 kHz\"", "[\"27 kHz\", 30]", "change.carrier", "frequency"),
        (
            "carrier = \"27 kHz\"",
            "channels = 9\ncarrier = [\"27 kHz\", \"30 kHz\"]",
            "change.carrier",
            "16 carriers of all channels",
        ),
        ("clock = \"12 MHz\"", "clock = \"150 kHz\"", "hardware.clock", "would do"),
    ];
    for (from, to, key, what) in cases {
        let text = DOWN.replacen(from, to, 1);
        let found = study(&text).and_then(|study| study.hardware().map(|_| ()));
        let error = found.unwrap_err().to_string();
        assert!(error.contains(key) && error.contains(what), "{key}: {error}");
    }
    // A frequency that is lost in the phase: with the bits that are advised it is not.
    let mut words = OscillatorWords { phase_bits: 6, address_bits: 4, width: 8, dither: None };
    let error = Oscillator::new(words, 1e-4).unwrap_err();
    let OscillatorError::Stands { more, .. } = error else { panic!("{error}") };
    words.phase_bits += more - 1;
    assert!(Oscillator::new(words, 1e-4).is_err());
    words.phase_bits += 1;
    assert!(Oscillator::new(words, 1e-4).is_ok());
    // Mixers in networks that have no such samples, or words that are too wide.
    let mixer = |mixing, format: &str| {
        Mixer::new(Oscillator::new(words, 0.1).unwrap(), mixing, format.parse().unwrap())
    };
    let behind = |mixer: Mixer| {
        let output = "s8f7".parse().unwrap();
        let change =
            word_change(mixer.output(), output, Rounding::HalfUp, Overflow::Saturate).check();
        vec![Step::mix(mixer), Step::fire(change.unwrap())]
    };
    let error = Network::new(behind(mixer(Mixing::ComplexToReal, "s8f7"))).unwrap_err();
    assert!(matches!(error, NetworkError::Mixing { step: 0, expected: 2, found: 1 }), "{error}");
    let error = Network::new(behind(mixer(Mixing::RealToComplex, "s32f31"))).unwrap_err();
    assert!(matches!(error, NetworkError::Wide { step: 0, found: 32, most: 31 }), "{error}");
    // Sums of more products leave less room for the words; what is advised is taken.
    let turns = [0.1, 0.2, 0.3];
    let merged = |format: &str| {
        Mixer::several(words, &turns, Mixing::ComplexToReal, format.parse().unwrap()).unwrap()
    };
    let error = Network::of_lanes(6, behind(merged("s30f29"))).unwrap_err();
    assert!(matches!(error, NetworkError::Wide { step: 0, found: 30, most: 29 }), "{error}");
    assert!(Network::of_lanes(6, behind(merged("s29f28"))).is_ok());
    for (turns, mixing) in
        [(&turns[..], Mixing::Complex), (&[], Mixing::Complex), (&[], Mixing::RealToComplex)]
    {
        let error = Mixer::several(words, turns, mixing, "s8f7".parse().unwrap()).unwrap_err();
        assert!(matches!(error, MixerError::Oscillators { .. }), "{error}");
    }
    let turned = Network::of_lanes(4, behind(mixer(Mixing::Complex, "s8f7"))).unwrap();
    assert_eq!((turned.lanes_in(), turned.lanes_out()), (4, 4));
    assert!(Network::of_lanes(0, behind(mixer(Mixing::RealToComplex, "s8f7"))).is_err());
    assert!(Network::of_lanes(60, behind(mixer(Mixing::RealToComplex, "s8f7"))).is_err());
}
