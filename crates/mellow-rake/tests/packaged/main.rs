//! A firmware engineer's own program: the packaged core, without default features.

use mellow_rake::Wish;
use mellow_rake::datapath::Simulator;
use mellow_rake::spec::{Fixed, Structure};
use mellow_rake::write::Language;

fn main() -> Result<(), Box<dyn std::error::Error>> {
    // Designs and filters.
    let lowpass = Wish::lowpass("1 kHz").cutoff("40 Hz").butterworth(4).filter()?;
    let mut strain: Vec<f64> = (0..400).map(|n| f64::from(n % 2)).collect();
    lowpass.apply(&mut strain);
    assert!((strain[399] - 0.5).abs() < 1e-3);
    // Quantizes, runs and writes.
    let words = Fixed::new(Structure::DirectForm1, "s16f15".parse()?);
    let study = Wish::notch("1 kHz", "87.5 Hz", "5 Hz").name("pump_hum").words(words).study()?;
    let filter = study.integers()?;
    let output = Simulator::new(&filter.checked).run(&[0, 16_384, 0, 0]);
    println!("{:?} {output:?}", filter.table.rows);
    for file in study.files(&[Language::C])? {
        println!("{} {}", file.name, file.text.len());
    }
    Ok(())
}
