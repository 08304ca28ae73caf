//! Mooring: the pump of the buoy hums at 87.5 Hz in the strain signal. A notch takes it out, on 16 bits, as
//! C.

use mellow_rake::Wish;
use mellow_rake::spec::{Fixed, Structure};
use mellow_rake::write::Language;

fn main() -> Result<(), Box<dyn std::error::Error>> {
    let words = Fixed::new(Structure::DirectForm1, "s16f15".parse()?);
    let notch = Wish::notch("1 kHz", "87.5 Hz", "5 Hz").name("pump_hum").words(words).study()?;

    // Asked beside found, of the filter as designed.
    for row in notch.designed().rows(&notch.design.choice, notch.spec.sample_rate).iter().take(8) {
        let found = row.found.value().map_or("null".to_owned(), |value| format!("{value:.3}"));
        println!("{:<28} {found:>9} {}", row.words, row.unit);
    }

    let filter = notch.integers()?;
    println!("\nb0 b1 b2 a1 a2 in {}: {:?}", filter.table.format, filter.table.rows[0]);
    let lsb = filter.fixed.output.step();
    let bounds = filter.checked.facts().bounds().clone()?;
    println!(
        "never further from floating point than {:.2} LSB: proved",
        bounds.error.largest() / lsb
    );
    println!("expected round-off noise {:.2} LSB rms", filter.predicted_noise()?.rms() / lsb);

    let files = notch.files(&[Language::C])?;
    let step = files[1].text.split("\n\n").find(|part| part.contains("_step(")).unwrap_or("");
    println!("\nFrom {}:\n{step}", files[1].name);
    Ok(())
}
