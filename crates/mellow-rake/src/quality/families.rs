//! The families of recursive filters against one template.

use super::passband_delay;
use crate::design::iir::{IirChoice, IirWish, Points, design_iir};
use crate::design::{Choice, Design, DesignError};
use crate::filter::{Family, Form, Sections, Transfer, ZerosPolesGain};
use crate::response::overshoot;
use crate::units::SampleRate;

/// What one family costs and does for a template.
#[derive(Debug, Clone, PartialEq)]
#[cfg_attr(feature = "serde", derive(serde::Serialize))]
#[non_exhaustive]
pub struct FamilyFigures {
    /// The family.
    pub family: Family,
    /// The smallest order that keeps the template: all poles of the digital filter.
    pub order: usize,
    /// Products per sample in second-order sections of direct form I: 5 each, 3 for a first-order one.
    pub multiplies_per_sample: usize,
    /// The largest group delay in the pass-band, in samples; `None` where no pass-band is known.
    pub worst_delay_samples: Option<f64>,
    /// The largest less the smallest group delay in the pass-band, in samples.
    pub delay_variation_samples: Option<f64>,
    /// How far the step response goes beyond its final value, in percent of the final value's size; where
    /// that is below a quarter of the largest swing (high-pass and band-pass filters), the swing to the other
    /// side in percent of the step.
    pub step_overshoot_percent: f64,
}

/// A design of one family that keeps the template, with its figures.
pub type Kept = (Design, FamilyFigures);

/// Designs the same wish with every family: the design with its figures. A template is kept by the smallest
/// order of each, whatever order the wish gives. A family that cannot keep the template has its error.
///
/// ```
/// use mellow_rake::quality::compare_families;
/// use mellow_rake::design::iir::{IirWish, Points};
/// use mellow_rake::filter::{BandKind, Family};
/// let wish = IirWish {
///     kind: BandKind::Lowpass,
///     family: Family::Elliptic,
///     points: Points::Template { order: None, pass: vec![40.0], stop: vec![60.0] },
///     ripple_db: Some(0.5),
///     attenuation_db: Some(50.0),
/// };
/// let orders: Vec<Option<usize>> = compare_families(&wish, "1 kHz".parse()?)
///     .into_iter()
///     .map(|(_, found)| found.ok().map(|(_, figures)| figures.order))
///     .collect();
/// // Butterworth, Chebyshev I and II, elliptic; Bessel is out of reach.
/// assert_eq!(orders, [Some(17), Some(8), Some(8), Some(5), None]);
/// # Ok::<(), mellow_rake::units::QuantityError>(())
/// ```
pub fn compare_families(
    wish: &IirWish,
    rate: SampleRate,
) -> Vec<(Family, Result<Kept, DesignError>)> {
    Family::ALL
        .into_iter()
        .map(|family| {
            let mut wish = IirWish { family, ..wish.clone() };
            if let Points::Template { order, .. } = &mut wish.points {
                *order = None;
            }
            let figures =
                design_iir(&wish, rate).map(|(choice, filter)| figures(&choice, filter, rate));
            (family, figures)
        })
        .collect()
}

fn figures(
    choice: &IirChoice,
    filter: ZerosPolesGain,
    rate: SampleRate,
) -> (Design, FamilyFigures) {
    let sections = Sections::from_zeros_poles(&filter);
    let design = Design {
        choice: Choice::Recursive(choice.clone()),
        zeros_poles: Some(filter),
        form: Form::Sections(sections),
        equalizer: None,
    };
    let delay = passband_delay(design.transfer(), &design.choice, rate);
    let figures = FamilyFigures {
        family: choice.family,
        order: choice.order,
        multiplies_per_sample: design.form.cost()[0],
        worst_delay_samples: delay.map(|[_, most]| most),
        delay_variation_samples: delay.map(|[least, most]| most - least),
        step_overshoot_percent: overshoot(&design.form.step_response(), design.form.gain(0.0)),
    };
    (design, figures)
}
