//! A design with everything measured on it.

use crate::failure::Failure;
use crate::load::Loaded;
use mellow_rake::implementation::Implementation;
use mellow_rake::quality::{QualityRow, Report, meets_spec};

/// A design, its integer filter, and what was measured on both.
pub(crate) struct Measured {
    pub(crate) loaded: Loaded,
    pub(crate) implementation: Option<Implementation>,
    pub(crate) designed: Report,
    pub(crate) rounded: Option<Report>,
}

impl Measured {
    pub(crate) fn new(loaded: Loaded) -> Result<Self, Failure> {
        let implementation = loaded.implementation()?;
        Ok(Measured::with(loaded, implementation))
    }

    /// A design with the integer filter that was made of it, if one was.
    pub(crate) fn with(loaded: Loaded, implementation: Option<Implementation>) -> Self {
        let (rate, design) = (loaded.spec.sample_rate, &loaded.design);
        let (form, choice) = (&design.form, &design.choice);
        let designed = Report::of(design.transfer(), form, choice, form.cost(), rate);
        let rounded = implementation.as_ref().map(|integers| {
            let cost = integers.checked.cost();
            let cost = [cost.multiplies_per_sample, cost.adds_per_sample, cost.state_words];
            Report::of(&integers.rounded, &integers.rounded, choice, cost, rate)
        });
        Measured { loaded, implementation, designed, rounded }
    }

    /// The integer filter that a command cannot do without.
    pub(crate) fn need_implementation(
        &self,
        needs: &'static str,
    ) -> Result<&Implementation, Failure> {
        let missing = || Failure::NoWords { path: self.loaded.path.clone(), needs };
        self.implementation.as_ref().ok_or_else(missing)
    }

    /// The tables of the designed and of the rounded filter.
    pub(crate) fn rows(&self) -> [Option<Vec<QualityRow>>; 2] {
        let choice = &self.loaded.design.choice;
        let rate = self.loaded.spec.sample_rate;
        [Some(&self.designed), self.rounded.as_ref()]
            .map(|report| report.map(|report| report.rows(choice, rate)))
    }

    /// Whether the design is what was asked; `None` where nothing was.
    pub(crate) fn meets_spec(&self) -> Option<bool> {
        let rate = self.loaded.spec.sample_rate;
        meets_spec(&self.loaded.design, &self.designed.measures, rate)
    }

    /// By how many decibels the filter with rounded coefficients exceeds the levels asked for.
    pub(crate) fn rounded_excess_db(&self) -> Option<f64> {
        self.rounded.as_ref()?.measures.template_excess_db(&self.loaded.design.choice)
    }
}
