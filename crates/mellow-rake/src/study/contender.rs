//! Filters beside one another.

use super::{QualityRecord, Study, quality_records};
use crate::filter::{PhaseResponse, Transfer};
use crate::quality::{QualityRow, Report, passband};
use crate::response::{
    Deviation, ResponseDifference, deviation, largest_gain_difference_db,
    largest_response_difference,
};
use crate::units::SampleRate;

/// A filter among others: as it was designed, or with rounded coefficients.
#[derive(Debug, Clone)]
pub struct Contender {
    /// How it is called beside the others.
    pub label: String,
    /// Its study.
    pub study: Study,
    is_rounded: bool,
}

/// What a filter is beside others.
#[derive(Debug, Clone)]
#[cfg_attr(feature = "serde", derive(serde::Serialize))]
#[non_exhaustive]
pub struct Compared {
    /// How it is called.
    pub label: String,
    /// The name of its spec.
    pub name: String,
    /// "rounded" or "designed".
    pub coefficients: &'static str,
    /// The kind of filter.
    pub kind: &'static str,
    /// Its order.
    pub order: usize,
    /// Whether what was asked is kept; `None` where nothing was.
    pub keeps_template: Option<bool>,
    /// The smallest margin of ripple and attenuation, in decibels.
    pub smallest_margin_db: Option<f64>,
    /// Its multiplications per sample over the fewest of all.
    pub multiplies_times_least: f64,
    /// The rounding noise that is predicted at the output, in decibels of an rms value of 1.
    pub rounding_noise_db: Option<f64>,
    /// The largest difference of gain from the first filter in the pass-band of that one, in decibels, of
    /// filters of one kind.
    pub passband_difference_db: Option<f64>,
    /// Where its gain differs most from that of the first.
    pub response_difference: Option<ResponseDifference>,
    /// How far it is from a reference curve.
    pub reference: Option<Deviation>,
    /// Its rows, asked beside found.
    pub quality: Vec<QualityRecord>,
}

impl Contender {
    /// With rounded coefficients, where the spec has words that carry the filter.
    pub fn rounded(label: String, study: Study) -> Self {
        let is_rounded = matches!(study.implementation(), Ok(Some(_)));
        Contender { label, study, is_rounded }
    }

    /// With coefficients as designed, whatever the words of the spec.
    pub fn designed(label: String, study: Study) -> Self {
        Contender { label, study, is_rounded: false }
    }

    /// Whether its coefficients are rounded ones.
    pub fn is_rounded(&self) -> bool {
        self.is_rounded
    }

    /// What was measured on it.
    pub fn report(&self) -> &Report {
        let rounded = self.study.rounded().filter(|_| self.is_rounded);
        rounded.unwrap_or_else(|| self.study.designed())
    }

    /// Asked beside found.
    pub fn rows(&self) -> Vec<QualityRow> {
        self.report().rows(&self.study.design.choice, self.rate())
    }

    /// Its sample rate.
    pub fn rate(&self) -> SampleRate {
        self.study.spec.sample_rate
    }

    /// Its response.
    pub fn filter(&self) -> &dyn PhaseResponse {
        match self.study.implementation() {
            Ok(Some(integers)) if self.is_rounded => &integers.rounded,
            _ => self.study.design.transfer(),
        }
    }

    /// Whether what was asked is kept; `None` where nothing was.
    pub fn keeps(&self) -> Option<bool> {
        if self.is_rounded {
            self.study.rounded_excess_db().map(|excess| excess == 0.0)
        } else {
            self.study.meets_spec()
        }
    }

    /// What it is beside the others; `reference` is a curve of rising frequencies in hertz and levels in
    /// decibels, which may be empty.
    pub fn compared(&self, all: &[Contender], reference: &[(f64, f64)]) -> Compared {
        let least = all.iter().map(|one| one.report().cost[0]).min().unwrap_or(1).max(1);
        let spec = &self.study.spec;
        let inside: Vec<(f64, f64)> =
            reference.iter().copied().filter(|(hz, _)| *hz <= self.rate().nyquist()).collect();
        let first = all.first().filter(|first| !std::ptr::eq(*first, self));
        // The distance of a notch from a low-pass says nothing.
        let alike = first.filter(|first| first.study.spec.want.kind() == spec.want.kind());
        let pair = |other: &Contender| {
            largest_response_difference([
                (self.filter(), self.rate()),
                (other.filter(), other.rate()),
            ])
        };
        let rows = self.study.rows();
        Compared {
            label: self.label.clone(),
            name: spec.name.to_string(),
            coefficients: if self.is_rounded { "rounded" } else { "designed" },
            kind: spec.want.kind(),
            order: self.study.design.order(),
            keeps_template: self.keeps(),
            smallest_margin_db: self.margin_db(),
            multiplies_times_least: self.report().cost[0] as f64 / least as f64,
            rounding_noise_db: self.noise_db(),
            passband_difference_db: alike.and_then(|first| self.difference_from(first)),
            response_difference: first.and_then(pair),
            reference: deviation(self.filter(), self.rate(), &inside),
            quality: quality_records(if self.is_rounded {
                rows
            } else {
                let [designed, _] = rows;
                [designed, None]
            }),
        }
    }

    /// The smallest margin of ripple and attenuation, in decibels.
    fn margin_db(&self) -> Option<f64> {
        let rows = self.rows();
        let limits = rows.iter().filter(|row| matches!(row.key, "ripple" | "attenuation"));
        limits.filter_map(QualityRow::margin).reduce(f64::min)
    }

    /// The rounding noise that is predicted at the output of the integer filter, in decibels of an rms value
    /// of 1.
    fn noise_db(&self) -> Option<f64> {
        let integers = self.study.implementation().ok()?.filter(|_| self.is_rounded)?;
        let rms = integers.predicted_noise().ok()?.rms();
        (rms > 0.0).then(|| 20.0 * libm::log10(rms))
    }

    /// The largest difference of gain from another filter in the pass-band of that one, in decibels.
    fn difference_from(&self, other: &Contender) -> Option<f64> {
        let nyquist = self.rate().nyquist().min(other.rate().nyquist());
        let stretches = passband(&other.study.design.choice, nyquist)?;
        let both: [(&dyn Transfer, SampleRate); 2] =
            [(self.filter(), self.rate()), (other.filter(), other.rate())];
        largest_gain_difference_db(both, &stretches)
    }
}
