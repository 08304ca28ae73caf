//! Mooring: the swell in the strain is over in seconds, and the strain is recorded a thousand times in one.
//! Down to 20 Hz in as few products as there can be, on 16 bits, as C for a Cortex-M4.

use mellow_rake::ChainWish;
use mellow_rake::spec::{ChainFixed, Firmware, Kept, Tune};
use mellow_rake::write::Language;

fn main() -> Result<(), Box<dyn std::error::Error>> {
    let swell = ChainWish::new("1 kHz")
        .name("swell")
        .down(50)
        .pass_edge("4 Hz")
        .ripple("0.05 dB")
        .attenuation("80 dB")
        // The pump at 87.5 Hz would come out at 7.5 Hz.
        .keep(Kept::WholeBand)
        .words(ChainFixed::new("s16f15".parse()?))
        .firmware(Firmware { tune: Tune::CortexM4, ..Firmware::default() })
        .study()?;

    let record = swell.record();
    for stage in &record.stages {
        let filter = match stage.comb {
            Some(comb) => format!("{} integrators and combs", comb.order),
            None => format!("{} taps", stage.taps.len()),
        };
        println!("down {:>2} to {:>4} Hz by {filter}", stage.down, stage.output_rate_hz);
    }
    println!("{} products a second", record.multiplies_per_second);
    let weakest = swell.attenuation_db().unwrap_or(f64::INFINITY);
    println!("what falls onto the band is {weakest:.1} dB down: {:?}", swell.meets_spec());

    // A strain that swells once in ten seconds, and the pump.
    let angle = |hertz: f64, n: u32| std::f64::consts::TAU * hertz * f64::from(n) / 1000.0;
    let turn = |hertz: f64, n: u32| libm::sin(angle(hertz, n));
    let strain = |n: u32| 0.4 * turn(0.1, n) + 0.1 * turn(87.5, n);
    let words: Vec<i64> = (0..20_000).map(|n| (strain(n) * 32_768.0) as i64).collect();
    let (integers, _) = swell.integers().ok_or("no words")?;
    let given = integers.network.start().run(&words);
    let largest = given.iter().skip(100).map(|word| word.abs()).max().unwrap_or(0);
    println!("{} words in, {} out; the largest is {largest}", words.len(), given.len());

    let files = swell.files(&[Language::C]).ok_or("no words")??;
    let block = files[0].text.lines().find(|line| line.contains("_block(")).unwrap_or("");
    println!("\nFrom {}:\n{block}", files[0].name);
    Ok(())
}
