//! What the words of a spec do to its filter.

mod budget;
mod figures;
mod impossible;
mod noise;
mod oscillations;
mod quieter;
mod remedies;
mod structures;
mod sweep;

pub use figures::{
    ConverterFigures, Impossible, LowerRate, MovedPole, NoiseFigures, OverflowOscillations,
    PolynomialFigures, Quantization, Quieter, Remedy, SectionOscillations, Sensitive,
    StructureFigures, StructureSweep, Sweep, SweepRow, Width,
};
pub use sweep::{SweepWish, Swept};

use super::{Study, StudyError, Workers};
use crate::implementation::Implementation;
use crate::quality::{Change, Measures, Report, sensitivity};
use crate::response::{PoleMove, adaptive_grid, one_polynomial, pole_moves};
use budget::Budget;

impl Study {
    /// What the words of the spec do to its filter: template, poles, noise, oscillations, other structures,
    /// and what would do better.
    ///
    /// # Errors
    /// [`StudyError`] where there are no words or they cannot carry the filter; of the latter
    /// [`impossible`](Study::impossible) says more.
    pub fn quantization(&self, workers: &impl Workers) -> Result<Quantization, StudyError> {
        let filter = self.integers()?;
        let noise = self.noise(filter, workers);
        let oscillations = (!filter.fixed.structure.is_for_taps())
            .then(|| workers.all("looking for oscillations", oscillations::jobs(filter)));
        let budget = Budget::new(filter);
        let structures = self.structures(filter.fixed, &budget, workers);
        let choice = &self.design.choice;
        let excess = |report: &Report| report.measures.template_excess_db(choice);
        let template_margin_db = [excess(self.designed()), self.rounded().and_then(excess)]
            .map(|excess| excess.map(|excess| 0.0 - excess));
        let remedies = self.remedies(filter.fixed, template_margin_db, &budget, workers);
        let mut found = Quantization {
            name: self.spec.name.to_string(),
            structure: filter.fixed.structure.as_str(),
            coefficients: filter.table.format,
            between: filter.between.map(|between| between.format),
            state: filter.state.as_ref().map(|state| state.format),
            template_margin_db,
            remedies,
            most_sensitive: self.most_sensitive(filter),
            most_moved_pole: self.most_moved_pole(filter),
            as_one_polynomial: self.as_one_polynomial(filter),
            noise,
            oscillations,
            structures,
            untried: None,
            sweep: None,
            quieter: None,
        };
        found.quieter = self.quieter(filter, &found, &budget);
        found.untried = budget.untried();
        Ok(found)
    }

    /// The pole that rounding moved by the largest share of its distance from the unit circle.
    fn most_moved_pole(&self, filter: &Implementation) -> Option<MovedPole> {
        pole_moves(&self.design.form, &filter.rounded).first().map(|first| self.moved_pole(first))
    }

    fn moved_pole(&self, moved: &PoleMove) -> MovedPole {
        let from = moved.from;
        MovedPole {
            hz: libm::atan2(from.im, from.re).abs() / std::f64::consts::TAU
                * self.spec.sample_rate.hertz(),
            radius: crate::filter::complex::modulus(from),
            moved: moved.distance(),
            share: moved.share(),
        }
    }

    fn as_one_polynomial(&self, filter: &Implementation) -> Option<PolynomialFigures> {
        let found = one_polynomial(&self.design.form, filter.fixed.coefficients)?;
        Some(PolynomialFigures {
            order: found.order,
            largest_coefficient: found.largest,
            fraction: found.fraction,
            poles_outside: found.outside,
            largest_radius: found.radius,
            most_moved_pole: found.most_moved.map(|moved| self.moved_pole(&moved)),
        })
    }

    /// By how much the filter with rounded coefficients exceeds its template; `None` without one.
    fn excess_db(&self, filter: &Implementation) -> Option<f64> {
        let choice = &self.design.choice;
        Measures::of(&filter.rounded, choice, self.spec.sample_rate).template_excess_db(choice)
    }

    /// The coefficient whose last bit changes the response most, where the coefficients are those of sections
    /// or taps.
    fn most_sensitive(&self, filter: &Implementation) -> Option<Sensitive> {
        if !filter.fixed.structure.has_plain_coefficients() {
            return None;
        }
        let (rate, choice) = (self.spec.sample_rate, &self.design.choice);
        let hertz = adaptive_grid(&filter.rounded, rate, 0.0, rate.nyquist(), 0.5);
        let change = Change::Step(filter.table.format.step());
        let found = sensitivity(&filter.rounded, choice, rate, &hertz, change);
        // The last bit of a coefficient whose fraction is smaller is the larger one.
        let column =
            |name: &str| ["b0", "b1", "b2", "a1", "a2"].iter().position(|one| *one == name);
        let exponent =
            |index: usize, name: &str| filter.table.exponent(index, column(name).unwrap_or(0));
        let all = found.coefficients.iter().map(|one| Sensitive {
            name: one.name,
            index: one.index,
            response_change: one.response_change
                * libm::exp2(f64::from(exponent(one.index, one.name))),
            at_hz: one.at_hz,
        });
        all.reduce(|most, one| if one.response_change > most.response_change { one } else { most })
    }
}

/// The noise that is predicted at the output, rms in LSB.
fn noise_lsb(filter: &Implementation) -> Option<f64> {
    let lsb = filter.fixed.output.step();
    filter.predicted_noise().ok().map(|noise| noise.rms() / lsb)
}

/// The proved bound of the error at the output, in LSB.
fn bound_lsb(filter: &Implementation) -> Option<f64> {
    let bounds = filter.checked.facts().bounds().as_ref().ok()?;
    Some(bounds.error.largest() / filter.fixed.output.step())
}
