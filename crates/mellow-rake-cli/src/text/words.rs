//! The fixed-point side of a design in words.

use mellow_rake::implementation::Implementation;
use mellow_rake::spec::Structure;
use std::fmt::Write;

/// The fixed-point side of a design.
pub(super) fn words(implementation: &Implementation) -> String {
    let Implementation { fixed, table, checked, predictions, .. } = implementation;
    let cost = checked.cost();
    let lsb = fixed.output.step();
    let mut text = format!(
        "\nOn integers: {}, input {}, output {}, {}, {}\n",
        fixed.structure.as_str(),
        fixed.input,
        fixed.output,
        fixed.rounding,
        fixed.overflow
    );
    for row in &table.rows {
        let _ = match (fixed.structure, &row[..]) {
            (Structure::DirectForm1, [b0, b1, b2, a1, a2]) => {
                writeln!(text, "  coefficients {}: b {b0} {b1} {b2}  a {a1} {a2}", table.format)
            }
            (_, taps) => {
                let largest = taps.iter().map(|tap| tap.unsigned_abs()).max().unwrap_or(0);
                let zeros = taps.iter().filter(|tap| **tap == 0).count();
                let count = taps.len();
                writeln!(
                    text,
                    "  {count} taps {}: the largest {largest}, {zeros} of them 0",
                    table.format
                )
            }
        };
    }
    let _ = writeln!(
        text,
        "  per sample {} multiplies, {} adds; accumulator {} bits; {} words of memory",
        cost.multiplies_per_sample, cost.adds_per_sample, cost.accumulator_bits, cost.state_words
    );
    match checked.facts().bounds() {
        Ok(bounds) => {
            let full = fixed.output.maximum() as f64 * lsb;
            let count = table.rows.len();
            for reach in &bounds.reaches {
                let act = if reach.safe { "cannot act: proved" } else { "can act" };
                let _ = writeln!(
                    text,
                    "  before the limit{} at worst {:.4} to {:.4}, {:.2} of full scale; {} {act}",
                    if count > 1 { format!(" {}", reach.pass + 1) } else { String::new() },
                    reach.low,
                    reach.high,
                    reach.high.max(-reach.low) / full,
                    fixed.overflow
                );
            }
            if bounds.reaches.is_empty() {
                let _ = writeln!(text, "  the output limit cannot act: proved");
            }
            let _ = writeln!(
                text,
                "  rounding error at the output: {:.1} LSB at most (proved while no limit acts)",
                bounds.error.largest() / lsb
            );
        }
        Err(why) => {
            let _ = writeln!(text, "  no bound proved: {why}");
        }
    }
    let _ = match predictions {
        Ok(predictions) => {
            writeln!(
                text,
                "  predicted rounding noise: {:.2} LSB rms",
                predictions.noise.rms() / lsb
            )
        }
        Err(why) => writeln!(text, "  no rounding noise predicted: {why}"),
    };
    text
}
