//! A design with everything measured on it.

use crate::failure::Failure;
use crate::load::Loaded;
use mellow_rake::analysis::{Measures, TimeMeasures, measure_time, meets_spec, passband_delay};
use mellow_rake::implementation::Implementation;
use mellow_rake::units::Level;

/// A design, its integer filter, and what was measured on both.
pub(crate) struct Measured {
    pub(crate) loaded: Loaded,
    pub(crate) implementation: Option<Implementation>,
    pub(crate) designed: Measures,
    pub(crate) rounded: Option<Measures>,
    /// Smallest and largest group delay in the pass-band, in samples, where a pass-band is known.
    pub(crate) delay: Option<[f64; 2]>,
    /// What the designed filter does in time.
    pub(crate) time: TimeMeasures,
}

impl Measured {
    pub(crate) fn new(loaded: Loaded) -> Result<Self, Failure> {
        let implementation = loaded.implementation()?;
        let (rate, design) = (loaded.spec.sample_rate, &loaded.design);
        let designed = Measures::of(design.transfer(), &design.choice, rate);
        let rounded = implementation
            .as_ref()
            .map(|integers| Measures::of(&integers.rounded, &design.choice, rate));
        let delay = passband_delay(design, rate);
        let peak = Level::from_decibels(designed.peak_gain_db()).ratio();
        let time = measure_time(design, peak, rate);
        Ok(Measured { loaded, implementation, designed, rounded, delay, time })
    }

    /// The integer filter that a command cannot do without.
    pub(crate) fn need_implementation(
        &self,
        needs: &'static str,
    ) -> Result<&Implementation, Failure> {
        let missing = || Failure::NoWords { path: self.loaded.path.clone(), needs };
        self.implementation.as_ref().ok_or_else(missing)
    }

    /// Whether the design is what was asked; `None` where nothing was.
    pub(crate) fn meets_spec(&self) -> Option<bool> {
        meets_spec(&self.loaded.design, &self.designed, self.loaded.spec.sample_rate)
    }

    /// By how many decibels the filter with rounded coefficients exceeds the levels asked for.
    pub(crate) fn rounded_excess_db(&self) -> Option<f64> {
        self.rounded.as_ref()?.template_excess_db(&self.loaded.design.choice)
    }
}
