//! One sentence where the words or the structure that were asked for cannot do it, and what can.

use super::budget::Budget;
use super::noise_lsb;
use super::objects::{QuantizeObject, StructureRow};
use crate::measured::Measured;
use mellow_rake::design::design;
use mellow_rake::fixed::WordFormat;
use mellow_rake::implementation::{Goal, Implementation, implement_toward};
use mellow_rake::quality::Measures;
use mellow_rake::spec::{Fixed, Spec};
use mellow_rake::units::SampleRate;

/// Where the noise is far above what the last rounding and the input leave: why, and what does better, with figures.
pub(super) fn advice(
    measured: &Measured,
    filter: &Implementation,
    object: &QuantizeObject<'_>,
    budget: &Budget,
) -> Option<String> {
    let own = object.noise.words.predicted_rms_lsb?;
    let input = object.noise.words.input_rounding_rms_lsb.unwrap_or(0.0);
    // The last rounding alone leaves 0.29 LSB; nothing can be better than that.
    let floor = input.max(0.2887);
    if own < 4.0 * floor {
        return None;
    }
    let structure = object.structure;
    let poles = filter.rounded.pole_radius();
    let why = poles.map_or(String::new(), |radius| {
        format!(
            ", for its poles, at a radius of {radius:.5}, amplify every rounding of the feedback"
        )
    });
    // Not one that loses a template which this one keeps.
    let keeps = object.template_margin_db[1].is_some_and(|margin| margin >= 0.0);
    let possible = object.structures.iter();
    let possible = possible.filter(|row| !(keeps && row.keeps_template == Some(false)));
    let quiet: Vec<(&StructureRow, f64)> = possible
        .filter_map(|row| Some((row, row.noise_rms_lsb?)))
        .filter(|(_, noise)| *noise <= own / 2.0)
        .collect();
    let least = quiet.iter().map(|(_, noise)| *noise).reduce(f64::min);
    // Of those that are about as quiet the one that remembers least.
    let near =
        quiet.into_iter().filter(|(_, noise)| Some(*noise) <= least.map(|least| 1.2 * least));
    let best = near.min_by_key(|(row, _)| row.state_bits.unwrap_or(u64::MAX));
    let mut ways = Vec::new();
    if let Some((row, noise)) = best {
        ways.push(format!(
            "{} in the same words leaves {noise:.2}, with {} multiplies a sample and {} bits of memory",
            row.structure,
            row.multiplies.unwrap_or(0),
            row.state_bits.unwrap_or(0)
        ));
    }
    if budget.takes(1) == 1 {
        ways.extend(wider(measured, filter, own));
    }
    ways.extend(slower(measured, filter.fixed, own, budget));
    let ways = if ways.is_empty() {
        "nothing that was tried does much better".to_owned()
    } else {
        ways.join("; ")
    };
    Some(format!("{structure} leaves {own:.1} LSB of noise{why}: {ways}."))
}

/// The same structure with eight bits more between its sections and in its memory.
fn wider(measured: &Measured, filter: &Implementation, own: f64) -> Option<String> {
    const MORE: u32 = 8;
    let fixed = filter.fixed;
    let output = filter.carried();
    let fraction = output.fraction() + MORE as i32;
    let wide = WordFormat::new(output.is_signed(), output.width() + MORE, fraction).ok()?;
    if !fixed.structure.is_cascade() {
        return None;
    }
    let words = Fixed { between: Some(wide), state: None, ..fixed };
    let form = &measured.loaded.design.form;
    let found = implement_toward(form, words, &measured.loaded.goal()).ok()?;
    let noise = noise_lsb(&found)?;
    (noise < own / 2.0).then(|| {
        format!(
            "{} with words of {} bits inside (between = \"{wide}\"), rounded at its end, leaves {noise:.2}",
            fixed.structure.as_str(),
            wide.width()
        )
    })
}

/// The same words after the rate was lowered, where everything that is asked for lies far below it: the lowest rate that leaves room for
/// the filter that must stand before shows what is gained.
fn slower(measured: &Measured, fixed: Fixed, own: f64, budget: &Budget) -> Option<String> {
    let rates = at_lower_rates(measured, fixed, budget);
    let lowest = rates.filter(|(_, noise)| *noise < own / 2.0).last();
    lowest.map(|(factor, noise)| {
        format!("after the rate was lowered {factor} times, the same words and structure leave {noise:.2}")
    })
}

/// By how many times the rate is lowered, and the noise in LSB that the same words and structure leave then, where they can do it and keep
/// the template: every factor of two for which the bands still lie below half the new band.
pub(super) fn at_lower_rates<'a>(
    measured: &'a Measured,
    fixed: Fixed,
    budget: &'a Budget,
) -> impl Iterator<Item = (u32, f64)> + 'a {
    let spec = &measured.loaded.spec;
    let highest = highest_edge(measured).unwrap_or(f64::INFINITY);
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
        Some((factor, noise_lsb(&found).filter(|_| keeps)?))
    })
}

/// The highest frequency that a low-pass or a band-pass asks something of, or twice its half-power point where it names no template; `None` for
/// filters that let the highest frequencies through.
fn highest_edge(measured: &Measured) -> Option<f64> {
    if !matches!(measured.loaded.spec.want.kind(), "lowpass" | "bandpass") {
        return None;
    }
    if let Goal::Template { pass, stop, .. } = measured.loaded.goal() {
        let nyquist = measured.loaded.spec.sample_rate.nyquist();
        let ends = pass.iter().map(|(_, high)| *high).chain(stop.iter().map(|(low, _)| *low));
        return ends.filter(|hz| *hz < nyquist).reduce(f64::max);
    }
    match &measured.designed.measures {
        Measures::Bands(found) => found.edges_3db_hz.last().copied().flatten().map(|hz| 2.0 * hz),
        _ => None,
    }
}
