//! One row of the table of what was asked and found.

/// A quantity that was measured, beside what was asked for.
#[derive(Debug, Clone, PartialEq)]
#[cfg_attr(feature = "serde", derive(serde::Serialize))]
#[non_exhaustive]
pub struct QualityRow {
    /// A name for programs; rows of two sides (lower, upper) share one.
    pub key: &'static str,
    /// The name in words.
    pub words: &'static str,
    /// Which frequencies it is about.
    pub place: Place,
    /// Its unit; empty for plain counts and ratios.
    pub unit: &'static str,
    /// What was asked for.
    pub asked: Wished,
    /// What was found.
    pub found: Reading,
}

/// Which frequencies a quantity is about, in hertz.
#[derive(Debug, Clone, PartialEq)]
#[cfg_attr(feature = "serde", derive(serde::Serialize))]
#[cfg_attr(feature = "serde", serde(rename_all = "snake_case"))]
pub enum Place {
    /// None in particular.
    Everywhere,
    /// From the middle of the pass-band to these edges.
    To(Vec<f64>),
    /// From these edges on, away from the pass-band.
    From(Vec<f64>),
    /// This one.
    At(f64),
    /// A band.
    Between(f64, f64),
}

/// What was asked for.
#[derive(Debug, Clone, Copy, PartialEq)]
#[cfg_attr(feature = "serde", derive(serde::Serialize))]
#[cfg_attr(feature = "serde", serde(rename_all = "snake_case"))]
pub enum Wished {
    /// Nothing.
    Nothing,
    /// No more than this.
    AtMost(f64),
    /// No less than this.
    AtLeast(f64),
    /// This.
    Exactly(f64),
    /// An exact zero.
    Null,
    /// A gain as a ratio that changes evenly between two values; the quantity is the distance from it.
    Gain([f64; 2]),
}

/// What was found.
#[derive(Debug, Clone, Copy, PartialEq)]
#[cfg_attr(feature = "serde", derive(serde::Serialize))]
#[cfg_attr(feature = "serde", serde(rename_all = "snake_case"))]
pub enum Reading {
    /// There is no such thing here.
    Missing,
    /// No gain at all.
    Null,
    /// A number in the row's unit.
    Value(f64),
}

/// Below this many decibels a gain counts as none: what f64 leaves of a zero.
const NOTHING_DB: f64 = -200.0;

impl Reading {
    /// A gain in decibels; none at all below −200 dB.
    pub fn level(decibels: Option<f64>) -> Self {
        match decibels {
            Some(level) if level > NOTHING_DB => Reading::Value(level),
            _ => Reading::Null,
        }
    }

    /// The number, if there is one.
    pub fn value(self) -> Option<f64> {
        match self {
            Reading::Value(value) => Some(value),
            Reading::Missing | Reading::Null => None,
        }
    }
}

impl QualityRow {
    pub(super) fn plain(
        key: &'static str,
        words: &'static str,
        unit: &'static str,
        value: Option<f64>,
    ) -> Self {
        let found = value.map_or(Reading::Missing, Reading::Value);
        QualityRow { key, words, place: Place::Everywhere, unit, asked: Wished::Nothing, found }
    }

    pub(super) fn wished(self, asked: Wished) -> Self {
        QualityRow { asked, ..self }
    }

    pub(super) fn at(self, place: Place) -> Self {
        QualityRow { place, ..self }
    }

    pub(super) fn reading(self, found: Reading) -> Self {
        QualityRow { found, ..self }
    }

    /// How far what was found is on the good side of what was asked, in the row's unit: below zero where it
    /// is missed, and minus the distance where an exact value was asked for. `None` where nothing with a
    /// margin was asked.
    pub fn margin(&self) -> Option<f64> {
        match (self.asked, self.found) {
            (Wished::AtMost(limit), Reading::Value(found)) => Some(limit - found),
            (Wished::AtLeast(limit), Reading::Value(found)) => Some(found - limit),
            (Wished::Exactly(value), Reading::Value(found)) => Some(-(found - value).abs()),
            _ => None,
        }
    }
}
