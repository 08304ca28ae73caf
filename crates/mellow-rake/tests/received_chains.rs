//! Symbols through chains: error vectors are what pass-band and roundings make of them.

use mellow_rake::signal::SignalPlan;
use mellow_rake::study::{ChainStudy, ErrorLimits, NotReceived, Passed};

const BURST: &str = include_str!("../../mellow-rake-cli/demo/modem/burst.toml");
const BURST_UP: &str = include_str!("../../mellow-rake-cli/demo/modem/burst_up.toml");

fn study(text: &str) -> ChainStudy {
    ChainStudy::of_text(text, |_| Err("no file".to_owned())).unwrap()
}

fn plan(text: &str) -> SignalPlan {
    SignalPlan::parse(text).unwrap()
}

/// Of 256 taps up by four, symbols of 4,096 samples: -80 dB in floating point, and behind words of 13 bits
/// what is predicted, for words of other lengths as well.
#[test]
fn a_burst_comes_out_as_predicted() {
    let burst = plan(BURST.split("[converter]").next().unwrap());
    let clean = burst.start().next_block(1 << 20);
    for output in ["s13f12", "s16f15", "s10f9"] {
        // Words that come in add next to nothing.
        let text = BURST_UP.replace("s16f15", "s24f23").replace("s13f12", output);
        let study = study(&text);
        let (found, _) = study.integers().unwrap();
        let step = found.network.input().step();
        let words: Vec<i64> = clean.iter().map(|x| (x / step).round() as i64).collect();
        let given = found.network.start().run(&words);
        let step = found.network.output().step();
        let given: Vec<f64> = given.iter().map(|word| *word as f64 * step).collect();
        let designed = study.chain().start().run(&clean);
        let passed = Passed {
            input: &clean,
            output: &given,
            designed: Some(&designed),
            behind: "integers",
            part: None,
        };
        let received = study.received(&burst, passed, ErrorLimits::default()).unwrap();
        assert_eq!(received.symbols, 3 * 1536);
        let float = received.designed.unwrap();
        assert!(float.rms_db <= -80.0, "{}", float.rms_db);
        let predicted = received.predicted_db.unwrap();
        println!("{output}: {:.2} dB, {predicted:.2} predicted", received.after.rms_db);
        assert!(
            (received.after.rms_db - predicted).abs() < 1.0,
            "{output}: {} {predicted}",
            received.after.rms_db
        );
        // The gain of each carrier is that of the pass-band there.
        for carrier in &received.errors[1].carriers {
            let gain = study.chain().direct_response(carrier.hertz).norm();
            assert!((carrier.gain_db - 20.0 * gain.log10()).abs() < 0.2, "{carrier:?} {gain}");
        }
    }
}

/// Down by eight, one carrier keyed: the error is that of the pass-band where the symbols lie.
#[test]
fn keyed_symbols_come_through_a_decimator() {
    let chain = study(
        "name = \"reef\"\nsample_rate = \"96 kHz\"\n[change]\ndown = 8\npass_edge = \"4 kHz\"\n\
         ripple = \"0.02 dB\"\nattenuation = \"80 dB\"\n",
    );
    let keyed = |carrier: &str| {
        plan(&format!(
            "name = \"pings\"\nsample_rate = \"96 kHz\"\nlength = \"40 ms\"\n[[part]]\nkind = \"keyed\"\n\
             keying = \"qpsk\"\ncarrier = \"{carrier}\"\nsymbol_rate = \"2 kHz\"\nrms = 0.2\n\
             start = \"7.3 ms\"\n"
        ))
    };
    let pings = keyed("2.5 kHz");
    let input = pings.start().next_block(1 << 16);
    let output = chain.chain().start().run(&input);
    let passed = Passed {
        input: &input,
        output: &output,
        designed: None,
        behind: "floating point",
        part: None,
    };
    let received = chain.received(&pings, passed, ErrorLimits::default()).unwrap();
    // What the pulses lose by being cut off is there before; the ripple adds less than itself.
    let ripple = 10f64.powf(0.02 / 20.0) - 1.0;
    let added = (received.after.rms.powi(2) - received.before.rms.powi(2)).max(0.0).sqrt();
    assert!(added < ripple && received.before.rms < 0.01, "{added} {ripple} {received:?}");
    assert!((received.delay_samples - chain.chain().delay_outputs().unwrap()).abs() < 0.1);
    // At other rates and beyond what comes out there is nothing to receive.
    let beyond = keyed("6 kHz");
    let error = chain.received(&beyond, passed, ErrorLimits::default()).unwrap_err();
    assert!(matches!(error, NotReceived::Beyond { .. }), "{error}");
    let many = plan(
        "name = \"many\"\nsample_rate = \"96 kHz\"\nlength = \"300 ms\"\n[[part]]\nkind = \"multicarrier\"\n\
         keying = \"qpsk\"\ncenter = \"2 kHz\"\nspacing = \"250 Hz\"\ncarriers = 4\nrms = 0.2\n",
    );
    let thirds = study(
        "name = \"reef\"\nsample_rate = \"96 kHz\"\n[change]\nup = 3\ndown = 7\npass_edge = \"4 kHz\"\n\
         ripple = \"0.2 dB\"\nattenuation = \"40 dB\"\n",
    );
    let error = thirds.received(&many, passed, ErrorLimits::default()).unwrap_err();
    assert!(matches!(error, NotReceived::Spacing { .. }), "{error}");
}

/// A second signal beside the first has the level that it was made with, before a chain and behind it, and a
/// limit on it holds or not; what cannot be told is refused.
#[test]
fn a_neighbor_has_its_level() {
    let ratio_db = |second: f64| 20.0 * (second / 0.1).log10();
    let keyed = |carrier: &str, rms: f64| {
        format!(
            "[[part]]\nkind = \"keyed\"\nkeying = \"qpsk\"\ncarrier = \"{carrier}\"\n\
             symbol_rate = \"2 kHz\"\nrolloff = 0.25\nspan = 40\nrms = {rms}\n"
        )
    };
    let plan = |length: &str, rms: f64| {
        plan(&format!(
            "name = \"pings\"\nsample_rate = \"96 kHz\"\nlength = \"{length}\"\nseed = 5\n{}{}",
            keyed("27 kHz", 0.1),
            keyed("30 kHz", rms)
        ))
    };
    // The neighbor is in the pass-band, or 60 dB down in the stop-band; integers add next to nothing.
    let down = |filter: &str| {
        study(&format!(
            "name = \"reef\"\nsample_rate = \"96 kHz\"\n[change]\ncarrier = \"27 kHz\"\n{filter}\
             [fixed]\ninput = \"s24f22\"\noutput = \"s24f22\"\n[fixed.oscillator]\nvalue_bits = 20\n\
             address_bits = 14\n"
        ))
    };
    let wide = "down = 6\npass_edge = \"5 kHz\"\nripple = \"0.02 dB\"\nattenuation = \"60 dB\"\n";
    let narrow = "pass_edge = \"1.2 kHz\"\nripple = \"0.1 dB\"\nattenuation = \"60 dB\"\n[[stage]]\n\
        down = 6\n[stage.want]\nkind = \"lowpass\"\npass_edge = \"1.2 kHz\"\nstop_edge = \"1.75 kHz\"\n\
        ripple = \"0.1 dB\"\nattenuation = \"60 dB\"\n[stage.method]\ndesign = \"equiripple\"\n\
        [stage.fixed]\ncoefficients = \"s24\"\n";
    for (chain, rms, lost_db) in [(down(wide), 0.003, 0.0), (down(narrow), 0.1, 60.0)] {
        let pings = plan("250 ms", rms);
        let input = pings.start().next_block(1 << 16);
        let (found, _) = chain.integers().unwrap();
        let step = found.network.input().step();
        let words: Vec<i64> = input.iter().map(|x| (x / step).round() as i64).collect();
        let step = found.network.output().step();
        let output: Vec<f64> =
            found.network.start().run(&words).iter().map(|word| *word as f64 * step).collect();
        let designed = chain.chain().start().run(&input);
        let passed = Passed {
            input: &input,
            output: &output,
            designed: Some(&designed),
            behind: "integers",
            part: None,
        };
        let received = |spacing, limit| {
            let limits = ErrorLimits {
                spacing_hz: Some(spacing),
                adjacent_db: limit,
                ..ErrorLimits::default()
            };
            chain.received(&pings, passed, limits)
        };
        let told = received(3000.0, None).unwrap();
        assert_eq!(told.adjacent.width_hz, 2500.0);
        let above = told.adjacent.channels.iter().find(|one| one.offset_hz == 3000.0).unwrap();
        let (before, after) = (above.before_db.unwrap(), above.after_db.unwrap());
        assert!((before - ratio_db(rms)).abs() < 0.5, "{above:?}");
        assert!((after - above.designed_db.unwrap()).abs() < 0.1, "{above:?}");
        match lost_db {
            0.0 => assert!((after - before).abs() < 0.2, "{above:?}"),
            _ => assert!(after < before - lost_db + 1.0, "{above:?}"),
        }
        // Nothing was put below the first.
        let below = told.adjacent.channels.iter().find(|one| one.offset_hz == -3000.0).unwrap();
        assert!(below.after_db.unwrap() < before.min(-50.0), "{below:?}");
        assert!(received(3000.0, Some(after + 0.1)).unwrap().held);
        assert!(!received(3000.0, Some(after - 0.1)).unwrap().held);
        let error = received(9000.0, Some(0.0)).unwrap_err();
        assert!(matches!(error, NotReceived::NoneBeside { .. }), "{error}");
    }
}

const DOWN: &str = include_str!("../../mellow-rake-cli/demo/modem/telemetry_down.toml");
const UP: &str = include_str!("../../mellow-rake-cli/demo/modem/telemetry_up.toml");

/// Two keyed carriers at once, 6 kHz apart.
fn two_carriers() -> SignalPlan {
    let part = |keying: &str, carrier: &str, rms: f64| {
        format!(
            "[[part]]\nkind = \"keyed\"\nkeying = \"{keying}\"\ncarrier = \"{carrier}\"\n\
             symbol_rate = \"3 kHz\"\nrolloff = 0.3\nspan = 24\nrms = {rms}\n"
        )
    };
    plan(&format!(
        "name = \"both\"\nsample_rate = \"96 kHz\"\nlength = \"400 ms\"\nseed = 3\n{}{}\
         [[part]]\nkind = \"white-noise\"\nrms = 1e-6\n",
        part("qpsk", "27 kHz", 0.1),
        part("16qam", "21 kHz", 0.05)
    ))
}

/// A signal that is split at two carriers gives the symbols of both, and symbols that are merged on two come
/// out on both: each with the error that is predicted, whatever the other does.
#[test]
fn carriers_are_split_and_merged() {
    let both = two_carriers();
    let list = "carrier = [\"21 kHz\", \"27 kHz\"]";
    let down = DOWN
        .replace("carrier = \"27 kHz\"", list)
        .replace("input = \"s16f15\"", "input = \"s24f23\"")
        .replace("output = \"s16f15\"", "output = \"s11f10\"")
        .replace("ripple = \"0.1 dB\"", "ripple = \"0.002 dB\"");
    let up = UP
        .replace("carrier = \"27 kHz\"", list)
        .replace("channels = 2", "")
        .replace("output = \"s16f14\"", "output = \"s11f9\"");
    for text in [down, up] {
        let study = study(&text);
        let (found, _) = study.integers().unwrap();
        let symbols = study.symbols_in(&both).unwrap();
        let input = symbols.unwrap_or_else(|| both.start().next_block(1 << 20));
        let step = found.network.input().step();
        let words: Vec<i64> = input.iter().map(|x| (x / step).round() as i64).collect();
        let step = found.network.output().step();
        let output: Vec<f64> =
            found.network.start().run(&words).iter().map(|word| *word as f64 * step).collect();
        let designed = study.chain().start().run(&input);
        for part in [1, 2] {
            let passed = Passed {
                input: &input,
                output: &output,
                designed: Some(&designed),
                behind: "integers",
                part: Some(part),
            };
            let received = study.received(&both, passed, ErrorLimits::default()).unwrap();
            let (after, predicted) = (received.after.rms_db, received.predicted_db.unwrap());
            println!("{}, part {part}: {after:.2} dB, {predicted:.2} predicted", study.spec.name);
            assert!((after - predicted).abs() < 1.0, "{part}: {after} {predicted}");
            let float = received.designed.unwrap().rms_db;
            assert!(float < -50.0 && float < after - 3.0, "{part}: {float} {after}");
        }
        let error = study.part_with_symbols(&both, Some(3)).unwrap_err();
        assert!(matches!(error, NotReceived::Part { number: 3, count: 3, .. }), "{error}");
    }
}
