//! The same filter in words of other widths.

use super::figures::{StructureSweep, Sweep, SweepRow, Width};
use super::structures::alike;
use super::{bound_lsb, noise_lsb};
use crate::fixed::{CoefficientFormat, WordFormat};
use crate::implementation::{Implementation, implement_toward};
use crate::spec::{Fixed, Structure};
use crate::study::{Jobs, Study, StudyError, Workers};

/// Widths to try.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct SweepWish {
    /// Whose widths.
    pub of: Swept,
    /// The least, in bits.
    pub from: u32,
    /// The largest, in bits; not below the least.
    pub to: u32,
    /// In every structure that takes the filter, beside that of the spec.
    pub every_structure: bool,
}

/// Words whose widths are tried.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
#[non_exhaustive]
pub enum Swept {
    /// The coefficients.
    Coefficients,
    /// Input and output, and what follows from them.
    Data,
    /// What goes from section to section.
    Between,
    /// Each product before it is added.
    Products,
}

impl Swept {
    /// All of them.
    pub const ALL: [Swept; 4] = [Swept::Coefficients, Swept::Data, Swept::Between, Swept::Products];

    /// The word for it.
    pub fn as_str(self) -> &'static str {
        match self {
            Swept::Coefficients => "coefficients",
            Swept::Data => "data",
            Swept::Between => "between",
            Swept::Products => "products",
        }
    }
}

impl Study {
    /// The filter in words of other widths.
    ///
    /// # Errors
    /// [`StudyError`] where there are no words or they cannot carry the filter.
    pub fn sweep(&self, wish: SweepWish, workers: &impl Workers) -> Result<Sweep, StudyError> {
        let filter = self.integers()?;
        let fixed = filter.fixed;
        let others: Vec<Structure> = match wish.every_structure {
            true => alike(fixed.structure).collect(),
            false => Vec::new(),
        };
        let in_others = others.iter().map(|structure| fixed.in_structure(*structure));
        let all = [fixed].into_iter().chain(in_others);
        let pairs: Vec<(Fixed, u32)> =
            all.flat_map(|fixed| (wish.from..=wish.to).map(move |bits| (fixed, bits))).collect();
        let jobs = Jobs::of(pairs, |(fixed, bits)| self.sweep_row(filter, fixed, wish.of, bits));
        let mut rows = workers.all("sweeping", jobs).into_iter();
        let count = (wish.to + 1).saturating_sub(wish.from) as usize;
        let own: Vec<SweepRow> = rows.by_ref().take(count).collect();
        let mut of_structure = |structure: &Structure| {
            let rows: Vec<SweepRow> = rows.by_ref().take(count).collect();
            StructureSweep {
                structure: structure.as_str(),
                for_template: enough(&rows, kept),
                for_converter: enough(&rows, quiet),
                rows,
            }
        };
        Ok(Sweep {
            of: wish.of.as_str(),
            structures: wish
                .every_structure
                .then(|| others.iter().map(&mut of_structure).collect()),
            for_template: enough(&own, kept),
            for_converter: enough(&own, quiet),
            rows: own,
        })
    }

    fn sweep_row(&self, own: &Implementation, fixed: Fixed, of: Swept, bits: u32) -> SweepRow {
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
        let found = resized(own, fixed, of, bits)
            .map(|words| implement_toward(&self.design.form, words, &self.goal()));
        match found {
            None => row.reason = Some("there are no such words in this structure".to_owned()),
            Some(Err(error)) => row.reason = Some(error.keyed()),
            Some(Ok(filter)) => {
                row.format = Some(match of {
                    Swept::Coefficients => filter.table.format,
                    Swept::Data => filter.fixed.output,
                    Swept::Between => filter.carried(),
                    Swept::Products => filter.fixed.products.unwrap_or(filter.fixed.output),
                });
                row.template_excess_db = self.excess_db(&filter);
                row.keeps_template = row.template_excess_db.map(|excess| excess <= 0.0);
                row.noise_rms_lsb = noise_lsb(&filter);
                row.noise_rms = row.noise_rms_lsb.map(|rms| rms * filter.fixed.output.step());
                row.error_bound_lsb = bound_lsb(&filter);
                row.added_to_converter_db = self.behind(&filter).and_then(|found| found.raised_db);
            }
        }
        row
    }
}

fn kept(row: &SweepRow) -> bool {
    row.keeps_template == Some(true)
}

fn quiet(row: &SweepRow) -> bool {
    row.added_to_converter_db.is_some_and(|added| added <= 1.0)
}

/// The words of a spec with some of them as wide as that, and as many whole bits as before; `None` where
/// there are none such.
fn resized(own: &Implementation, fixed: Fixed, of: Swept, bits: u32) -> Option<Fixed> {
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
            fixed.structure.is_cascade().then_some(())?;
            Fixed { between: Some(resized(own.carried())?), state: None, ..fixed }
        }
        Swept::Products => {
            fixed.structure.adds_whole_products().then_some(())?;
            let word = fixed.products.or_else(|| largest_products(own))?;
            Fixed { products: Some(resized(word)?), accumulator: None, ..fixed }
        }
    })
}

/// The word that holds every exact product of a filter with no fraction bits to spare: what shorter ones are
/// cut from.
fn largest_products(filter: &Implementation) -> Option<WordFormat> {
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
fn enough(rows: &[SweepRow], is_enough: impl Fn(&SweepRow) -> bool) -> Width {
    let broken = rows.iter().rposition(|row| !is_enough(row));
    let first = broken.map_or(0, |last| last + 1);
    Width {
        fewest: rows.iter().find(|row| is_enough(row)).map(|row| row.bits),
        all_from: rows.get(first).map(|row| row.bits),
    }
}
