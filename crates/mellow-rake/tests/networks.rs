//! Programs one behind the other at several rates: integrators that wrap against sums that cannot, chains
//! against filtering at the highest rate and throwing away, and what is proved of levels and errors.

use mellow_rake::datapath::{
    BuildError, Checked, Simulator, SumWords, combs, fir_decimator, fir_direct, fir_interpolator,
    integrators,
};
use mellow_rake::fixed::{Overflow, RoundedTable, Rounding, WordFormat};
use mellow_rake::network::{Network, NetworkError, Step};
use mellow_rake::random::NoiseSource;

use crate::filters::any_word;
use crate::ideal::Ideal;

/// Integrators and combs as random as they can be.
struct Sums {
    order: usize,
    delay: usize,
    factor: usize,
    is_up: bool,
    input: WordFormat,
    output: WordFormat,
    rounding: Rounding,
    /// Bits that each sum has less than the first could need.
    dropped: Vec<u32>,
}

impl Sums {
    fn new(noise: &mut NoiseSource, drops: bool) -> Sums {
        let order = noise.integer(1, 5) as usize;
        let is_up = !drops && noise.integer(0, 1) == 0;
        let width = noise.integer(2, 12) as u32;
        let input = WordFormat::new(true, width, noise.integer(0, 12) as i32).unwrap();
        let mut dropped = vec![0u32; 2 * order];
        if drops {
            let mut all = noise.integer(0, 2) as u32;
            for own in &mut dropped {
                *own = all;
                all += noise.integer(0, 2) as u32;
            }
        }
        let wide = WordFormat::new(true, noise.integer(3, 16) as u32, 0).unwrap();
        Sums {
            order,
            delay: noise.integer(1, 2) as usize,
            factor: noise.integer(2, 25) as usize,
            is_up,
            input,
            output: WordFormat::new(true, wide.width(), wide.width() as i32 - 1).unwrap(),
            rounding: Rounding::ALL[noise.integer(0, 4) as usize],
            dropped,
        }
    }

    /// (R·M)^N, and up over R.
    fn gain(&self) -> u128 {
        let all = ((self.factor * self.delay) as u128).pow(self.order as u32);
        if self.is_up { all / self.factor as u128 } else { all }
    }

    fn growth(&self) -> i32 {
        (128 - (self.gain() - 1).leading_zeros()) as i32
    }

    /// With so many bits more than the sums need, or fewer.
    fn network(&self, more: i32) -> Result<Network, NetworkError> {
        let shift = self.growth();
        let width = self.input.width() as i32 + shift + more;
        let word = |k: usize| {
            let dropped = self.dropped[k] as i32;
            // More than there are make no word.
            let dropped = dropped.min(width - 1);
            let fraction = self.input.fraction() + shift - dropped;
            WordFormat::new(true, (width - dropped) as u32, fraction).unwrap()
        };
        let all: Vec<WordFormat> = (0..2 * self.order).map(word).collect();
        let (first, second) = all.split_at(self.order);
        let end = Some((self.output, self.rounding, Overflow::Saturate));
        let first = SumWords {
            input: self.input,
            binary_point_shift: shift,
            sums: first.to_vec(),
            output: None,
        };
        let second = SumWords {
            input: *first.sums.last().unwrap(),
            binary_point_shift: 0,
            sums: second.to_vec(),
            output: end,
        };
        let (first, change, second) = match self.is_up {
            false => (integrators(&first), Step::Keep(self.factor), combs(&second, self.delay)),
            true => (combs(&first, self.delay), Step::Fill(self.factor), integrators(&second)),
        };
        let checked = |program: Result<mellow_rake::datapath::Datapath, BuildError>| {
            Step::fire(program.unwrap().check().unwrap())
        };
        Network::new(vec![checked(first), change, checked(second)])
    }

    /// The sum over the last R·M samples again and again, at the higher rate, in integers that do not wrap;
    /// of every R one, or R for every one.
    fn plain(&self, words: &[i64]) -> Vec<i128> {
        let mut signal: Vec<i128> = words.iter().map(|word| (*word).into()).collect();
        if self.is_up {
            let zeros = self.factor - 1;
            let filled = |word: i128| std::iter::once(word).chain(std::iter::repeat_n(0, zeros));
            signal = signal.into_iter().flat_map(filled).collect();
        }
        let length = self.factor * self.delay;
        for _ in 0..self.order {
            let sum = |n: usize| signal[(n + 1).saturating_sub(length)..=n].iter().sum();
            signal = (0..signal.len()).map(sum).collect();
        }
        match self.is_up {
            true => signal,
            false => signal.into_iter().skip(self.factor - 1).step_by(self.factor).collect(),
        }
    }

    /// Inputs that drive the sums to both ends and past them, and words of any kind.
    fn inputs(&self, noise: &mut NoiseSource) -> Vec<i64> {
        let count = 12 * self.order * self.delay * if self.is_up { 1 } else { self.factor } + 40;
        let [low, high] = [self.input.minimum() as i64, self.input.maximum() as i64];
        let mut words = vec![high; count];
        words.extend(vec![low; count]);
        words.extend(
            (0..count).map(|n| if (n / self.factor).is_multiple_of(2) { low } else { high }),
        );
        words.extend((0..count).map(|_| any_word(noise, self.input, false)));
        words
    }
}

/// A word as the last sum becomes it: by shifting, or by rounding with a plain definition.
fn ended(sums: &Sums, sum: i128, fraction: i32) -> i128 {
    let shift = fraction - sums.output.fraction();
    let word = if shift <= 0 { sum << -shift } else { rounded(sums.rounding, sum, shift as u32) };
    word.clamp(sums.output.minimum(), sums.output.maximum())
}

fn rounded(rounding: Rounding, word: i128, shift: u32) -> i128 {
    let one = 1i128 << shift;
    let (below, rest) = (word.div_euclid(one), word.rem_euclid(one));
    let up = match rounding {
        Rounding::Floor => false,
        Rounding::TowardZero => rest > 0 && word < 0,
        Rounding::HalfUp => 2 * rest >= one,
        Rounding::HalfEven => 2 * rest > one || (2 * rest == one && below.rem_euclid(2) == 1),
        Rounding::HalfAway => 2 * rest > one || (2 * rest == one && word > 0),
    };
    below + i128::from(up)
}

/// Integrators overflow all the time and the sums are right all the same, in words that have just the bits
/// that are proved to be enough; with one less they are refused, and wrong.
#[test]
fn integrators_may_wrap_where_the_last_sum_fits() {
    let mut noise = NoiseSource::new(2101);
    let (mut refused, mut wrapped) = (0, 0);
    for _ in 0..300 {
        let sums = Sums::new(&mut noise, false);
        let network = sums.network(0).unwrap();
        let words = sums.inputs(&mut noise);
        let fraction = sums.input.fraction() + sums.growth();
        let plain = sums.plain(&words);
        let expected: Vec<i128> = plain.iter().map(|sum| ended(&sums, *sum, fraction)).collect();
        let found: Vec<i128> = network.start().run(&words).into_iter().map(i128::from).collect();
        assert_eq!(found, expected, "order {} by {}", sums.order, sums.factor);
        // Block by block, of any length.
        let mut running = network.start();
        let mut parts = Vec::new();
        let mut rest = &words[..];
        while !rest.is_empty() {
            let (part, left) = rest.split_at(rest.len().min(noise.integer(0, 40) as usize));
            parts.extend(running.run(part).into_iter().map(i128::from));
            rest = left;
        }
        assert_eq!(parts, expected);
        let highest = sums.gain() * sums.input.minimum().unsigned_abs();
        let bits = 128 - (highest - 1).leading_zeros() + 1;
        for more in [-2, -1] {
            let width = sums.input.width() as i32 + sums.growth() + more;
            match sums.network(more) {
                Ok(_) => assert!(width >= bits as i32),
                Err(NetworkError::Sum { needed, more: missing, .. }) => {
                    assert_eq!((needed, missing as i32), (bits, bits as i32 - width));
                    refused += 1;
                }
                Err(error) => panic!("{error}"),
            }
        }
        wrapped += usize::from(sums.order > 1);
    }
    assert!(refused > 300 && wrapped > 150, "{refused} {wrapped}");
}

/// Bits that are dropped on the way add errors within the bound, of the level that is predicted.
#[test]
fn dropped_bits_of_sums_err_as_bounded_and_predicted() {
    let mut noise = NoiseSource::new(2102);
    let (mut compared, mut nearest) = (0, 0.0f64);
    for _ in 0..150 {
        let mut sums = Sums::new(&mut noise, true);
        let whole = sums.input.width() as i32 - sums.input.fraction();
        sums.output = WordFormat::new(true, 48, 47 - whole).unwrap();
        // Room for the errors.
        let Ok(network) = sums.network(2) else { continue };
        let error = network.error();
        let words = sums.inputs(&mut noise);
        let scale = f64::from(sums.input.fraction() + sums.growth());
        let exact: Vec<f64> =
            sums.plain(&words).iter().map(|sum| *sum as f64 * (-scale).exp2()).collect();
        let values: Vec<f64> = words.iter().map(|word| sums.input.value(*word)).collect();
        for (ideal, exact) in network.ideal(&values).iter().zip(&exact) {
            assert!((ideal - exact).abs() < 1e-9 * (1.0 + exact.abs()));
        }
        let mut simulator = network.start();
        let mut square = (0.0, 0.0);
        for (word, exact) in simulator.run(&words).iter().zip(&exact) {
            let found = sums.output.value(*word) - exact;
            assert!((error.low..=error.high).contains(&found), "{found} {error:?}");
            nearest = nearest.max(found.abs() / error.largest());
        }
        let predicted = network.noise().unwrap();
        let (low, high) = (sums.input.minimum() as i64, sums.input.maximum() as i64);
        let words: Vec<i64> = (0..4_000 * sums.factor).map(|_| noise.integer(low, high)).collect();
        let plain = sums.plain(&words);
        for (word, sum) in network.start().run(&words).iter().zip(&plain).skip(20) {
            let found = sums.output.value(*word) - *sum as f64 * (-scale).exp2();
            square = (square.0 + found * found, square.1 + 1.0);
        }
        if predicted.rms() == 0.0 || sums.input.width() < 8 {
            continue;
        }
        let apart = 10.0 * (square.0 / square.1 / predicted.rms().powi(2)).log10();
        assert!(apart.abs() < 0.6, "{apart} dB, order {} by {}", sums.order, sums.factor);
        compared += 1;
    }
    assert!(compared > 30 && nearest > 0.2, "{compared} {nearest}");
}

/// A stage of taps: up, down, the integers, what it gives.
struct Taps {
    up: usize,
    down: usize,
    table: RoundedTable,
    words: [WordFormat; 2],
    rounding: Rounding,
}

impl Taps {
    fn new(noise: &mut NoiseSource, input: WordFormat) -> Taps {
        let factors = [(1, 1), (1, 2), (1, 3), (2, 1), (3, 1), (3, 2), (2, 3), (1, 7)];
        let (up, down) = factors[noise.integer(0, 7) as usize];
        let count = noise.integer(up.max(down) as i64, 24);
        let format = WordFormat::new(true, 10, 10).unwrap();
        let row = (0..count).map(|_| noise.integer(-300, 300)).collect();
        let width = noise.integer(8, 16) as u32;
        Taps {
            up,
            down,
            table: RoundedTable::new(format, vec![row]),
            words: [input, WordFormat::new(true, width, width as i32 - 4).unwrap()],
            rounding: Rounding::ALL[noise.integer(0, 4) as usize],
        }
    }

    fn steps(&self) -> Vec<Step> {
        let Taps { up, down, table, words: [input, output], rounding } = self;
        let (input, output, rounding) = (*input, *output, *rounding);
        let limit = Overflow::Saturate;
        let (program, keep) = match (up, down) {
            (1, 1) => (fir_direct(table, input, output, rounding, limit), None),
            (1, down) => (fir_decimator(table, *down, input, output, rounding, limit), None),
            (up, down) => {
                let keep = (*down > 1).then_some(Step::Keep(*down));
                (fir_interpolator(table, *up, input, output, rounding, limit), keep)
            }
        };
        let fire = Step::fire(program.unwrap().check().unwrap());
        std::iter::once(fire).chain(keep).collect()
    }

    /// At the rate in between, with a program of another structure; then of every `down` the last.
    fn plain(&self, words: &[i64]) -> Vec<i64> {
        let Taps { up, down, table, words: [input, output], rounding } = self;
        let filter = fir_direct(table, *input, *output, *rounding, Overflow::Saturate);
        let filter: Checked = filter.unwrap().check().unwrap();
        let zeros = up - 1;
        let filled = |word: &i64| std::iter::once(*word).chain(std::iter::repeat_n(0, zeros));
        let between: Vec<i64> = words.iter().flat_map(filled).collect();
        let all = Simulator::reference(&filter).run(&between);
        all.into_iter().skip(down - 1).step_by(*down).collect()
    }

    /// The same in real numbers.
    fn ideal(&self, values: &[f64]) -> Vec<f64> {
        let Taps { up, down, table, words: [input, output], rounding } = self;
        let filter = fir_direct(table, *input, *output, *rounding, Overflow::Saturate).unwrap();
        let mut ideal = Ideal::new(&filter);
        let zeros = up - 1;
        let filled = |value: &f64| std::iter::once(*value).chain(std::iter::repeat_n(0.0, zeros));
        let all: Vec<f64> = values.iter().flat_map(filled).map(|x| ideal.fire(&[x])[0]).collect();
        all.into_iter().skip(down - 1).step_by(*down).collect()
    }
}

/// Chains of up to four stages: every integer, every level and error within what is proved, and noise as
/// predicted.
#[test]
fn chains_of_taps_are_the_plain_definition_within_what_is_proved() {
    let mut noise = NoiseSource::new(2103);
    let (mut compared, mut reached, mut nearest) = (0, 0.0f64, 0.0f64);
    for round in 0..120 {
        let input = WordFormat::new(true, noise.integer(6, 14) as u32, 8).unwrap();
        let mut stages: Vec<Taps> = Vec::new();
        for _ in 0..=round % 4 {
            let before = stages.last().map_or(input, |stage| stage.words[1]);
            stages.push(Taps::new(&mut noise, before));
        }
        let network = Network::new(stages.iter().flat_map(Taps::steps).collect()).unwrap();
        let words: Vec<i64> = (0..900).map(|_| any_word(&mut noise, input, false)).collect();
        let plain = stages.iter().fold(words.clone(), |words, stage| stage.plain(&words));
        assert_eq!(network.start().run(&words), plain);
        // Small enough for no limit to act: then errors are bounded.
        let loudest = network.joints().iter().map(|joint| {
            let step = joint.format.step();
            joint.high.max(-joint.low) / (joint.format.maximum() as f64 * step)
        });
        let loudest = loudest.fold(1.0, f64::max);
        let [low, high] =
            [input.minimum(), input.maximum()].map(|end| (end as f64 / loudest / 2.0) as i64);
        let factor = |of: fn(&Taps) -> usize| stages.iter().map(of).product::<usize>();
        let count = (4_000 * factor(|stage| stage.down) / factor(|stage| stage.up)).max(4_000);
        let words: Vec<i64> = (0..count).map(|_| noise.integer(low, high)).collect();
        let values: Vec<f64> = words.iter().map(|word| input.value(*word)).collect();
        let ideal = stages.iter().fold(values.clone(), |values, stage| stage.ideal(&values));
        for (one, other) in network.ideal(&values).iter().zip(&ideal) {
            assert!((one - other).abs() < 1e-9 * (1.0 + other.abs()));
        }
        let mut simulator = network.start();
        let found = simulator.run(&words);
        assert_eq!((simulator.limited_firings(), found.len()), (0, ideal.len()));
        let error = network.error();
        let joint = network.joints().last().unwrap();
        let mut square = 0.0;
        for (word, exact) in found.iter().zip(&ideal) {
            let value = network.output().value(*word);
            assert!((error.low..=error.high).contains(&(value - exact)), "{error:?}");
            assert!((joint.low..=joint.high).contains(&value));
            square += (value - exact).powi(2);
            nearest = nearest.max((value - exact).abs() / error.largest());
        }
        // What drives the last word of a frame as far as it goes.
        reached = reached.max(driven(&network, &stages, input));
        let Ok(predicted) = network.noise() else { continue };
        // It is for half scale, and words that are divided by less have more than that.
        if loudest > 1.2 {
            continue;
        }
        let apart = 10.0 * (square / found.len() as f64 / predicted.rms().powi(2)).log10();
        assert!(apart.abs() < 0.8, "{apart} dB {round}");
        compared += 1;
    }
    assert!(compared > 20 && nearest > 0.5 && reached > 0.95, "{compared} {nearest} {reached}");
}

/// How near the level of the last joint comes to its bound, by signs that follow the composed response.
fn driven(network: &Network, stages: &[Taps], input: WordFormat) -> f64 {
    let joint = network.joints().last().unwrap();
    let (low, high) = (input.value(input.minimum() as i64), input.value(input.maximum() as i64));
    let through =
        |values: Vec<f64>| stages.iter().fold(values, |values, stage| stage.ideal(&values));
    let length = 160;
    let responses: Vec<Vec<f64>> = (0..length)
        .map(|at| through((0..length).map(|n| if n == at { 1.0 } else { 0.0 }).collect()))
        .collect();
    let outputs = responses[0].len();
    let level = |out: usize| -> f64 {
        let each = responses.iter().map(|response| response[out]);
        each.map(|h| (h * high).max(h * low)).sum()
    };
    let levels = (outputs / 2..outputs).map(level);
    let found = levels.fold(0.0, f64::max);
    assert!(found <= joint.high, "{found} {joint:?}");
    found / joint.high
}

/// What is no network is refused, with the step.
#[test]
fn what_is_no_network_is_refused() {
    let word: WordFormat = "s12f11".parse().unwrap();
    let sums = SumWords { input: word, binary_point_shift: 0, sums: vec![word; 2], output: None };
    let alone = |program: Result<mellow_rake::datapath::Datapath, BuildError>| {
        Step::fire(program.unwrap().check().unwrap())
    };
    let (first, second) = (|| alone(integrators(&sums)), || alone(combs(&sums, 1)));
    assert_eq!(Network::new(Vec::new()).unwrap_err(), NetworkError::NoProgram);
    assert_eq!(Network::new(vec![Step::Keep(2)]).unwrap_err(), NetworkError::NoProgram);
    for steps in [
        vec![first()],
        vec![first(), second()],
        vec![first(), Step::Keep(4), first()],
        vec![second(), Step::Fill(4), second(), first()],
    ] {
        let error = Network::new(steps).unwrap_err();
        assert!(matches!(error, NetworkError::Unbounded { .. }), "{error}");
    }
    let error = Network::new(vec![first(), Step::Keep(0), second()]).unwrap_err();
    assert_eq!(error, NetworkError::Factor { step: 1, found: 0 });
    let error = Network::new(vec![first(), Step::Keep(4), second()]).unwrap_err();
    assert!(matches!(error, NetworkError::Sum { step: 2, needed: 16, more: 4, .. }), "{error}");
    let more = SumWords { sums: vec!["s13f12".parse().unwrap(), word], ..sums.clone() };
    assert!(combs(&more, 1).is_ok());
    let more = SumWords { sums: vec!["s13f11".parse().unwrap(), word], ..sums.clone() };
    for sums in [more, SumWords { sums: Vec::new(), ..sums.clone() }] {
        assert!(matches!(integrators(&sums), Err(BuildError::Modulus { .. })));
    }
    assert!(matches!(combs(&sums, 0), Err(BuildError::Modulus { .. })));
}
