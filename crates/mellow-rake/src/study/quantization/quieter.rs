//! What leaves less noise than the words or the structure that were asked for.

use super::budget::Budget;
use super::figures::{LowerRate, Quantization, Quieter, StructureFigures};
use super::noise_lsb;
use crate::design::design;
use crate::fixed::WordFormat;
use crate::implementation::{Goal, Implementation, implement_toward};
use crate::quality::Measures;
use crate::spec::{Fixed, Spec};
use crate::study::Study;
use crate::units::SampleRate;

/// What the last rounding alone leaves, rms in LSB: nothing can be better.
const LAST_ROUNDING: f64 = 0.2887;

impl Study {
    /// Where the noise is far above what the last rounding and the input leave: what does better.
    pub(super) fn quieter(
        &self,
        filter: &Implementation,
        found: &Quantization,
        budget: &Budget,
    ) -> Option<Quieter> {
        let own = found.noise.words.predicted_rms_lsb?;
        let input = found.noise.words.input_rounding_rms_lsb.unwrap_or(0.0);
        if own < 4.0 * input.max(LAST_ROUNDING) {
            return None;
        }
        let structure = quieter_structure(found, own).cloned();
        let wider = if budget.takes(1) == 1 { self.wider(filter, own) } else { None };
        let rates = self.at_lower_rates(filter.fixed, budget);
        let at_lower_rate = rates.filter(|lower| lower.noise_rms_lsb < own / 2.0).last();
        Some(Quieter {
            noise_rms_lsb: own,
            pole_radius: filter.rounded.pole_radius(),
            structure,
            wider,
            at_lower_rate,
        })
    }

    /// The same structure with eight bits more between its sections and in its memory.
    fn wider(&self, filter: &Implementation, own: f64) -> Option<(WordFormat, f64)> {
        const MORE: u32 = 8;
        let fixed = filter.fixed;
        let output = filter.carried();
        let fraction = output.fraction() + MORE as i32;
        let wide = WordFormat::new(output.is_signed(), output.width() + MORE, fraction).ok()?;
        if !fixed.structure.is_cascade() {
            return None;
        }
        let words = Fixed { between: Some(wide), state: None, ..fixed };
        let found = implement_toward(&self.design.form, words, &self.goal()).ok()?;
        let noise = noise_lsb(&found)?;
        (noise < own / 2.0).then_some((wide, noise))
    }

    /// By how many times the rate is lowered, and the noise that the same words and structure leave then,
    /// where they can do it and keep the template: every factor of two for which the bands still lie below
    /// half the new band. The lowest rate that leaves room for the filter that must stand before shows what
    /// is gained.
    pub(super) fn at_lower_rates<'a>(
        &'a self,
        fixed: Fixed,
        budget: &'a Budget,
    ) -> impl Iterator<Item = LowerRate> + 'a {
        let spec = &self.spec;
        let highest = self.highest_edge().unwrap_or(f64::INFINITY);
        let factors = (1..=10).map(|power| 1u32 << power);
        let fits =
            move |factor: &u32| highest <= spec.sample_rate.nyquist() / (2.0 * f64::from(*factor));
        factors.take_while(fits).take_while(|_| budget.takes(1) == 1).filter_map(move |factor| {
            let rate = SampleRate::from_hertz(spec.sample_rate.hertz() / f64::from(factor))?;
            let slow = Spec { sample_rate: rate, ..spec.clone() };
            let design = design(&slow).ok()?;
            let found = implement_toward(&design.form, fixed, &Goal::of(&slow, &design)).ok()?;
            let (form, choice) = (&found.rounded, &design.choice);
            let measures = Measures::of(form, choice, rate);
            let keeps = measures.template_excess_db(choice).is_none_or(|excess| excess <= 0.0);
            let noise_rms_lsb = noise_lsb(&found).filter(|_| keeps)?;
            Some(LowerRate { factor, noise_rms_lsb })
        })
    }

    /// The highest frequency that a low-pass or a band-pass asks something of, or twice its half-power point
    /// where it names no template; `None` for filters that let the highest frequencies through.
    fn highest_edge(&self) -> Option<f64> {
        if !matches!(self.spec.want.kind(), "lowpass" | "bandpass") {
            return None;
        }
        if let Goal::Template { pass, stop, .. } = self.goal() {
            let nyquist = self.spec.sample_rate.nyquist();
            let ends = pass.iter().map(|(_, high)| *high).chain(stop.iter().map(|(low, _)| *low));
            return ends.filter(|hz| *hz < nyquist).reduce(f64::max);
        }
        match &self.designed().measures {
            Measures::Bands(found) => {
                found.edges_3db_hz.last().copied().flatten().map(|hz| 2.0 * hz)
            }
            _ => None,
        }
    }
}

/// Of the structures that leave half the noise or less, and about as little as the quietest, the one that
/// remembers least; none that loses a template which this one keeps.
fn quieter_structure(found: &Quantization, own: f64) -> Option<&StructureFigures> {
    let keeps = found.template_margin_db[1].is_some_and(|margin| margin >= 0.0);
    let possible = found.structures.iter();
    let quiet: Vec<(&StructureFigures, f64)> = possible
        .filter(|row| !(keeps && row.keeps_template == Some(false)))
        .filter_map(|row| Some((row, row.noise_rms_lsb?)))
        .filter(|(_, noise)| *noise <= own / 2.0)
        .collect();
    let least = quiet.iter().map(|(_, noise)| *noise).reduce(f64::min)?;
    let near = quiet.into_iter().filter(|(_, noise)| *noise <= 1.2 * least);
    near.map(|(row, _)| row).min_by_key(|row| row.state_bits.unwrap_or(u64::MAX))
}
