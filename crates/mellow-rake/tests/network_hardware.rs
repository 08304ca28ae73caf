//! Hardware of chains: clock by clock the integers of the network, whatever the traffic, and in time.

use mellow_rake::hardware::{
    ClockInput, HardwareError, Load, NetworkHardware, NetworkHardwareError, NetworkMachine,
    NetworkPart,
};
use mellow_rake::implementation::implement_chain;
use mellow_rake::network::Network;
use mellow_rake::random::NoiseSource;
use mellow_rake::spec::{Architecture, Hardware};

use crate::filters::any_word;
use crate::random_chains::{any_chain, any_chain_words, rate};

/// A network, and hardware of it with so many clocks for a word that comes in; `None` where that is too few.
fn any_hardware(noise: &mut NoiseSource) -> Option<(Network, NetworkHardware, usize)> {
    let chain = any_chain(noise);
    let fixed = any_chain_words(noise, &chain);
    let network = implement_chain(&chain, &fixed).ok()?.network;
    let clocks = [1, 4, 40, 400][noise.integer(0, 3) as usize];
    let wish = Hardware {
        clock: Some(rate().hertz() * clocks as f64),
        multiplier_stages: noise.integer(1, 3) as usize,
        pipelining: Some(noise.integer(1, 2) as usize),
        clears_memory: noise.integer(0, 1) == 0,
        architecture: (noise.integer(0, 5) == 0).then_some(Architecture::Parallel),
        ..Hardware::default()
    };
    match NetworkHardware::of(&network, &wish, rate()) {
        Ok(hardware) => Some((network, hardware, clocks)),
        Err(NetworkHardwareError::Step { error: HardwareError::Clock { .. }, .. }) => None,
        Err(error) => panic!("{error}"),
    }
}

/// The parts in short.
fn said(hardware: &NetworkHardware) -> String {
    let part = |(part, (rate, lanes)): (&NetworkPart, (&f64, &usize))| {
        let what = match part {
            NetworkPart::Unit { choice, in_turn, .. } => {
                format!("{:?}, {in_turn} in turn", choice.unit.resources())
            }
            NetworkPart::Sums(_) => "sums".to_owned(),
            other => format!("{other:?}").chars().take(20).collect(),
        };
        format!(
            "{lanes} at {rate} Hz: {:?} in {} clocks, {} late: {what}",
            part.words(),
            part.interval(),
            part.latency()
        )
    };
    let places = hardware.rates().iter().zip(hardware.lanes());
    hardware.parts().iter().zip(places).map(part).collect::<Vec<_>>().join("\n")
}

/// Words among gaps and back pressure, then at the pace that the clock was stated for: none waits.
#[test]
fn machines_of_chains_give_what_the_network_gives_and_in_time() {
    let mut noise = NoiseSource::new(2401);
    let (mut held, mut units, mut several, mut parallel) = (0, 0, 0, 0);
    while held < 150 {
        let Some((network, hardware, clocks)) = any_hardware(&mut noise) else { continue };
        let whole = 420 / network.lanes_in() * network.lanes_in();
        let words: Vec<i64> =
            (0..whole).map(|_| any_word(&mut noise, network.input(), false)).collect();
        let expected = network.start().run(&words);
        for is_paced in [false, true] {
            let mut machine = NetworkMachine::new(&hardware).unwrap();
            let (mut fed, mut given, mut idle, mut clock) = (0, Vec::new(), 0, 0);
            while fed < words.len() || idle < hardware.drains_in() {
                let chance = |of: i64, noise: &mut NoiseSource| noise.integer(0, 7) < of;
                let is_due = if is_paced {
                    clock * network.lanes_in() >= fed * clocks
                } else {
                    chance(5, &mut noise)
                };
                // In the end all is taken.
                let out_ready = is_paced || fed == words.len() || chance(3, &mut noise);
                let in_valid = is_due && fed < words.len();
                let in_data = if in_valid { words[fed] } else { -1 };
                let input = ClockInput { in_valid, in_data, out_ready, ..Default::default() };
                let seen = machine.clock(input);
                assert!(!is_paced || !in_valid || seen.in_ready, "word {fed}\n{}", said(&hardware));
                idle = if fed < words.len() { 0 } else { idle + 1 };
                fed += usize::from(in_valid && seen.in_ready);
                given.extend((seen.out_valid && out_ready).then_some(seen.out_data));
                clock += 1;
            }
            assert_eq!(given, expected, "{}", said(&hardware));
        }
        held += 1;
        for part in hardware.parts() {
            units += usize::from(part.multipliers() > 0);
            several += usize::from(part.multipliers() > 1);
            parallel += usize::from(part.interval() == 1 && part.multipliers() > 1);
        }
    }
    println!("{units} units, {several} of several multipliers, {parallel} in parallel");
    assert!(units > 100 && several > 12, "{units} {several} {parallel}");
}

/// Steps that are written while it runs count as they do in the network; an address that none has changes
/// nothing.
#[test]
fn steps_that_are_written_turn_the_oscillators() {
    let mut noise = NoiseSource::new(2403);
    let mut held = 0;
    while held < 40 {
        let Some((network, hardware, _)) = any_hardware(&mut noise) else { continue };
        let count = hardware.step_registers().len();
        assert_eq!(count == 0, hardware.load_bits().is_none());
        if count == 0 {
            continue;
        }
        let mut simulator = network.start();
        let mut machine = NetworkMachine::new(&hardware).unwrap();
        assert!(!simulator.set_step(count, 1));
        for _ in 0..4 {
            let words: Vec<i64> = (0..20 * network.lanes_in())
                .map(|_| any_word(&mut noise, network.input(), false))
                .collect();
            let expected = simulator.run(&words);
            let (mut fed, mut given, mut idle) = (0, Vec::new(), 0);
            while fed < words.len() || idle < hardware.drains_in() {
                let (in_valid, out_ready) = (fed < words.len(), true);
                let in_data = if in_valid { words[fed] } else { -1 };
                let input = ClockInput { in_valid, in_data, out_ready, ..Default::default() };
                let seen = machine.clock(input);
                idle = if in_valid { 0 } else { idle + 1 };
                fed += usize::from(in_valid && seen.in_ready);
                given.extend(seen.out_valid.then_some(seen.out_data));
            }
            assert_eq!(given, expected, "{}", said(&hardware));
            for _ in 0..noise.integer(0, 3) {
                let (address, step) = (noise.integer(0, count as i64), noise.integer(0, 1 << 40));
                let load = Some(Load { address: address as usize, data: step });
                machine.clock(ClockInput { load, ..Default::default() });
                assert_eq!(
                    simulator.set_step(address as usize, step as u32),
                    address < count as i64
                );
            }
        }
        held += 1;
    }
}

/// What cannot be built says which step it is and what would do; what would do is tried.
#[test]
fn chains_that_cannot_be_built_say_why() {
    let mut noise = NoiseSource::new(2402);
    let mut slow = 0;
    while slow < 20 {
        let chain = any_chain(&mut noise);
        let fixed = any_chain_words(&mut noise, &chain);
        let Ok(found) = implement_chain(&chain, &fixed) else { continue };
        let mut wish = Hardware { clock: Some(rate().hertz()), ..Hardware::default() };
        // Each remedy mends one step at least.
        for _ in 0..found.network.steps().len() + 1 {
            match NetworkHardware::of(&found.network, &wish, rate()) {
                Ok(_) => break,
                Err(NetworkHardwareError::Step { step, error }) => {
                    assert!(step < found.network.steps().len());
                    let text = error.to_string();
                    let (_, rest) = text.rsplit_once("a clock of ").expect(&text);
                    let clock: f64 = rest.split(' ').next().unwrap().parse().unwrap();
                    assert!(wish.clock.is_some_and(|before| before < clock), "{text}");
                    wish.clock = Some(clock);
                    slow += 1;
                }
                Err(error) => panic!("{error}"),
            }
        }
        assert!(NetworkHardware::of(&found.network, &wish, rate()).is_ok());
        for wrong in [
            Hardware { channels: 2, ..wish },
            Hardware { samples_per_clock: 2, ..wish },
            Hardware { loads_coefficients: true, ..wish },
        ] {
            let error = NetworkHardware::of(&found.network, &wrong, rate()).unwrap_err();
            assert!(matches!(error, NetworkHardwareError::Wish { .. }), "{error}");
        }
    }
}
