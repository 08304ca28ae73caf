//! The same filter in other structures and in words of other widths.

use super::objects::{StructureRow, SweepObject, SweepRow};
use super::{behind, bound_lsb, excess_db, noise_lsb};
use crate::arguments::{Sweep, Swept};
use crate::measured::Measured;
use crate::stream::progress;
use mellow_rake::fixed::{CoefficientFormat, WordFormat};
use mellow_rake::implementation::{Implementation, implement_toward};
use mellow_rake::spec::{Fixed, Structure};
use rayon::prelude::*;

/// The filter in all structures that take it, with these words.
pub(super) fn structures(measured: &Measured, fixed: Fixed) -> Vec<StructureRow> {
    let form = &measured.loaded.design.form;
    let is_alike = |one: &Structure| one.is_for_taps() == fixed.structure.is_for_taps();
    let goal = measured.loaded.goal();
    let alike: Vec<Structure> = Structure::ALL.into_iter().filter(is_alike).collect();
    let row = |structure: &Structure| {
        let structure = *structure;
        let mut row = StructureRow {
            structure: structure.as_str(),
            noise_rms_lsb: None,
            error_bound_lsb: None,
            keeps_template: None,
            state_bits: None,
            multiplies: None,
            reason: None,
        };
        match implement_toward(form, fixed.in_structure(structure), &goal) {
            Err(error) => row.reason = Some(error.to_string()),
            Ok(filter) => {
                let cost = filter.checked.cost();
                row.noise_rms_lsb = noise_lsb(&filter);
                row.error_bound_lsb = bound_lsb(&filter);
                row.keeps_template = excess_db(measured, &filter).map(|excess| excess <= 0.0);
                row.state_bits = Some(cost.state_bits);
                row.multiplies = Some(cost.multiplies_per_sample);
            }
        }
        row
    };
    alike.par_iter().map(row).collect()
}

/// The same filter with other widths, on all cores.
pub(super) fn sweep(measured: &Measured, fixed: Fixed, wish: &Sweep) -> SweepObject {
    let form = &measured.loaded.design.form;
    let goal = measured.loaded.goal();
    let widths: Vec<u32> = (wish.from..=wish.to).collect();
    let bar = progress(widths.len() as u64, "sweeping");
    let words = |bits: u32| -> Option<Fixed> {
        // As many whole bits as before.
        let resized = |word: WordFormat| {
            let whole = i64::from(word.width()) - i64::from(word.fraction());
            let fraction = i32::try_from(i64::from(bits) - whole).ok()?;
            WordFormat::new(word.is_signed(), bits, fraction).ok()
        };
        Some(match wish.of {
            Swept::Coefficients => {
                let coefficients =
                    CoefficientFormat { width: bits, fraction: None, ..fixed.coefficients };
                Fixed { coefficients, ..fixed }
            }
            Swept::Data => {
                let (input, output) = (resized(fixed.input)?, resized(fixed.output)?);
                let (between, state) = (None, None);
                Fixed { input, output, between, state, ..fixed }
            }
            Swept::Between => {
                let word = measured.implementation.as_ref().map(Implementation::carried);
                Fixed { between: Some(resized(word?)?), state: None, ..fixed }
            }
            Swept::Products => {
                // Whole bits as the sum of the largest products needs them, at most; one for its sign.
                let word = fixed.products.or_else(|| largest_products(measured))?;
                Fixed { products: Some(resized(word)?), accumulator: None, ..fixed }
            }
        })
    };
    let row = |bits: &u32| {
        let mut row = SweepRow {
            bits: *bits,
            format: None,
            template_excess_db: None,
            keeps_template: None,
            noise_rms_lsb: None,
            noise_rms: None,
            error_bound_lsb: None,
            added_to_converter_db: None,
            reason: None,
        };
        match words(*bits).map(|words| implement_toward(form, words, &goal)) {
            None => row.reason = Some("no such word".to_owned()),
            Some(Err(error)) => row.reason = Some(error.to_string()),
            Some(Ok(filter)) => {
                row.format = Some(match wish.of {
                    Swept::Coefficients => filter.table.format,
                    Swept::Data => filter.fixed.output,
                    Swept::Between => filter.carried(),
                    Swept::Products => filter.fixed.products.unwrap_or(filter.fixed.output),
                });
                row.template_excess_db = excess_db(measured, &filter);
                row.keeps_template = row.template_excess_db.map(|excess| excess <= 0.0);
                row.noise_rms_lsb = noise_lsb(&filter);
                row.noise_rms = row.noise_rms_lsb.map(|rms| rms * filter.fixed.output.step());
                row.error_bound_lsb = bound_lsb(&filter);
                row.added_to_converter_db =
                    behind(measured, &filter).and_then(|found| found.raised_db);
            }
        }
        bar.inc(1);
        row
    };
    let rows: Vec<SweepRow> = widths.par_iter().map(row).collect();
    bar.finish_and_clear();
    let kept = |row: &SweepRow| row.keeps_template == Some(true);
    let quiet = |row: &SweepRow| row.added_to_converter_db.is_some_and(|added| added <= 1.0);
    let (fewest, fewest_for_converter) = (fewest(&rows, kept), fewest(&rows, quiet));
    SweepObject { of: wish.of.as_str(), rows, fewest, fewest_for_converter }
}

/// The word that holds every exact product of the filter with no fraction bits to spare: what shorter ones are cut from.
fn largest_products(measured: &Measured) -> Option<WordFormat> {
    let filter = measured.implementation.as_ref()?;
    let datapath = filter.checked.datapath();
    let table = datapath.tables.first()?;
    let line = datapath.lines.iter().max_by_key(|line| line.format.width())?;
    let largest = (0..table.rows.len())
        .flat_map(|row| (0..table.rows[row].len()).map(move |column| (row, column)))
        .map(|(row, column)| table.coefficient(row, column).unsigned_abs())
        .max()?;
    // Pairs of a folded filter may be twice as large as a word.
    let size = i128::from(largest) << (line.format.width() + 1).min(62);
    let fraction = table.format.fraction() + line.format.fraction();
    WordFormat::holding(-size, size, fraction)
}

/// The width from which on every one does what is asked.
fn fewest(rows: &[SweepRow], is_enough: impl Fn(&SweepRow) -> bool) -> Option<u32> {
    let broken = rows.iter().rposition(|row| !is_enough(row));
    let first = broken.map_or(0, |last| last + 1);
    rows.get(first).map(|row| row.bits)
}
