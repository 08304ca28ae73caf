//! A row of a table of quality, of the designed and of the rounded filter.

use crate::quality::{Place, QualityRow, Wished};

/// A row of the table: asked, found, and the margin of each.
#[derive(Debug, Clone, PartialEq)]
#[cfg_attr(feature = "serde", derive(serde::Serialize))]
#[non_exhaustive]
pub struct QualityRecord {
    /// The word for what is measured.
    pub key: &'static str,
    /// What it is.
    pub words: &'static str,
    /// Its unit.
    pub unit: &'static str,
    /// Where it is found.
    pub place: Place,
    /// What was asked.
    pub asked: Wished,
    /// Of the designed filter.
    pub designed: Option<f64>,
    /// How far that is from what was asked; below zero where it misses.
    pub designed_margin: Option<f64>,
    /// Of the rounded filter.
    pub rounded: Option<f64>,
    /// How far that is.
    pub rounded_margin: Option<f64>,
}

/// Rows of a designed filter and those of the rounded one, as data.
pub fn quality_records([designed, rounded]: [Option<Vec<QualityRow>>; 2]) -> Vec<QualityRecord> {
    let rounded = rounded.unwrap_or_default();
    let object = |(index, row): (usize, QualityRow)| {
        let other = rounded.get(index);
        QualityRecord {
            designed: row.found.value(),
            designed_margin: row.margin(),
            rounded: other.and_then(|row| row.found.value()),
            rounded_margin: other.and_then(QualityRow::margin),
            key: row.key,
            words: row.words.trim(),
            unit: row.unit,
            place: row.place,
            asked: row.asked,
        }
    };
    designed.unwrap_or_default().into_iter().enumerate().map(object).collect()
}
