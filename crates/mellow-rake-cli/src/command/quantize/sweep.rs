//! The same filter in other structures and in words of other widths.

use super::budget::Budget;
use super::objects::{Enough, StructureRow, StructureSweep, SweepObject, SweepRow};
use super::{behind, bound_lsb, excess_db, noise_lsb};
use crate::arguments::{Sweep, Swept};
use crate::measured::Measured;
use crate::stream::progress;
use indicatif::ProgressBar;
use mellow_rake::fixed::{CoefficientFormat, WordFormat};
use mellow_rake::implementation::{Implementation, implement_toward};
use mellow_rake::spec::{Fixed, Structure};
use rayon::prelude::*;

/// The filter in all structures that take it, with these words.
pub(super) fn structures(measured: &Measured, fixed: Fixed, budget: &Budget) -> Vec<StructureRow> {
    let form = &measured.loaded.design.form;
    let goal = measured.loaded.goal();
    let alike: Vec<Structure> = alike(fixed.structure).collect();
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
    let some = budget.takes(alike.len());
    alike[..some].par_iter().map(row).collect()
}

/// The same filter with other widths, on all cores; in every structure that takes it, if that is wished.
pub(super) fn sweep(
    measured: &Measured,
    fixed: Fixed,
    wish: &Sweep,
    every_structure: bool,
) -> SweepObject {
    let count = wish.to - wish.from + 1;
    let others: Vec<Structure> = match every_structure {
        true => alike(fixed.structure).collect(),
        false => Vec::new(),
    };
    let bar = progress(u64::from(count) * (1 + others.len() as u64), "sweeping");
    let own = rows(measured, fixed, wish, &bar);
    let in_structure = |structure: &Structure| {
        let rows = rows(measured, fixed.in_structure(*structure), wish, &bar);
        StructureSweep {
            structure: structure.as_str(),
            for_template: enough(&rows, kept),
            for_converter: enough(&rows, quiet),
            rows,
        }
    };
    let structures = every_structure.then(|| others.par_iter().map(in_structure).collect());
    bar.finish_and_clear();
    SweepObject {
        of: wish.of.as_str(),
        for_template: enough(&own, kept),
        for_converter: enough(&own, quiet),
        rows: own,
        structures,
    }
}

fn kept(row: &SweepRow) -> bool {
    row.keeps_template == Some(true)
}

fn quiet(row: &SweepRow) -> bool {
    row.added_to_converter_db.is_some_and(|added| added <= 1.0)
}

/// A row for each width.
fn rows(measured: &Measured, fixed: Fixed, wish: &Sweep, bar: &ProgressBar) -> Vec<SweepRow> {
    let form = &measured.loaded.design.form;
    let goal = measured.loaded.goal();
    let row = |bits: u32| {
        let mut row = SweepRow {
            bits,
            format: None,
            template_excess_db: None,
            keeps_template: None,
            noise_rms_lsb: None,
            noise_rms: None,
            error_bound_lsb: None,
            added_to_converter_db: None,
            reason: None,
        };
        match resized(measured, fixed, wish.of, bits)
            .map(|words| implement_toward(form, words, &goal))
        {
            None => row.reason = Some("there are no such words in this structure".to_owned()),
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
    (wish.from..=wish.to).into_par_iter().map(row).collect()
}

/// The words of a spec with some of them as wide as that, and as many whole bits as before; `None` where there are none such.
fn resized(measured: &Measured, fixed: Fixed, of: Swept, bits: u32) -> Option<Fixed> {
    let resized = |word: WordFormat| {
        let whole = i64::from(word.width()) - i64::from(word.fraction());
        let fraction = i32::try_from(i64::from(bits) - whole).ok()?;
        WordFormat::new(word.is_signed(), bits, fraction).ok()
    };
    Some(match of {
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
            let word = measured.implementation.as_ref().map(Implementation::carried)?;
            fixed.structure.is_cascade().then_some(())?;
            Fixed { between: Some(resized(word)?), state: None, ..fixed }
        }
        Swept::Products => {
            fixed.structure.adds_whole_products().then_some(())?;
            let word = fixed.products.or_else(|| largest_products(measured))?;
            Fixed { products: Some(resized(word)?), accumulator: None, ..fixed }
        }
    })
}

/// The structures for the same kind of filter.
fn alike(structure: Structure) -> impl Iterator<Item = Structure> {
    let for_taps = structure.is_for_taps();
    Structure::ALL.into_iter().filter(move |one| one.is_for_taps() == for_taps)
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

/// The smallest width that does what is asked, and the one from which on all do.
fn enough(rows: &[SweepRow], is_enough: impl Fn(&SweepRow) -> bool) -> Enough {
    let broken = rows.iter().rposition(|row| !is_enough(row));
    let first = broken.map_or(0, |last| last + 1);
    Enough {
        fewest: rows.iter().find(|row| is_enough(row)).map(|row| row.bits),
        all_from: rows.get(first).map(|row| row.bits),
    }
}
