//! Breath: a low-pass at a hundredth of the rate, which coefficients of 16 bits cannot hold in direct form;
//! and what can.

use mellow_rake::Wish;
use mellow_rake::spec::{Fixed, Structure};
use mellow_rake::study::{InTurn, Study, StudyError};

/// The low-pass in some words.
fn lowpass(structure: Structure, coefficients: &str) -> Result<Study, Box<dyn std::error::Error>> {
    let mut words = Fixed::new(structure, "s16f15".parse()?);
    words.coefficients = coefficients.parse()?;
    Ok(Wish::lowpass("64 Hz")
        .cutoff("0.1 Hz")
        .butterworth(4)
        .name("breath")
        .words(words)
        .study()?)
}

fn main() -> Result<(), Box<dyn std::error::Error>> {
    let hopeless = lowpass(Structure::DirectForm1, "s14")?;
    match hopeless.integers() {
        Err(StudyError::Implement { error, advice, .. }) => {
            println!("direct-form-1 with coefficients of 14 bits: {error}");
            if let Some(advice) = advice {
                println!("tried, and possible: {}\n", advice.change);
            }
        }
        Err(other) => return Err(other.into()),
        Ok(_) => println!("direct-form-1 with coefficients of 14 bits can be built\n"),
    }

    // What the same words leave in every structure.
    println!(
        "{:<26}{:>12}{:>12}{:>10}",
        "structure, 16 bits", "noise, LSB", "bound, LSB", "memory"
    );
    let page = lowpass(Structure::DirectForm1, "s16")?;
    let rows = match page.impossible(&InTurn) {
        Some(found) => found.structures,
        None => page.quantization(&InTurn)?.structures,
    };
    for row in &rows {
        let figure = |value: Option<f64>| value.map_or("-".to_owned(), |v| format!("{v:.1}"));
        println!(
            "{:<26}{:>12}{:>12}{:>10}",
            row.structure,
            figure(row.noise_rms_lsb),
            figure(row.error_bound_lsb),
            row.state_bits.map_or("-".to_owned(), |bits| format!("{bits} bits"))
        );
    }
    let quiet = rows.iter().filter_map(|row| Some((row.noise_rms_lsb?, row.structure)));
    if let Some((noise, structure)) = quiet.min_by(|a, b| a.0.total_cmp(&b.0)) {
        println!("\nthe quietest: {structure}, {noise:.2} LSB rms");
    }
    Ok(())
}
