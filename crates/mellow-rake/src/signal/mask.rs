//! How much a spectrum may hold.

use super::Spectrum;

/// A spectral mask: straight lines between points of frequency in hertz and of the density that is allowed,
/// in decibels of the largest. Two points at one frequency make a step.
///
/// ```
/// use mellow_rake::signal::Mask;
/// let mask = Mask::new(vec![(100.0, -40.0), (200.0, -40.0), (200.0, 0.0), (300.0, -10.0)]).unwrap();
/// assert_eq!(mask.level_db(150.0), Some(-40.0));
/// assert_eq!((mask.level_db(200.0), mask.level_db(250.0)), (Some(-40.0), Some(-5.0)));
/// assert_eq!(mask.level_db(99.0), None);
/// assert!(Mask::new(vec![(2.0, 0.0), (1.0, 0.0)]).is_none());
/// ```
#[derive(Debug, Clone, PartialEq)]
pub struct Mask {
    points: Vec<(f64, f64)>,
}

/// How far a spectrum stays below a mask.
#[derive(Debug, Clone, Copy, PartialEq)]
#[cfg_attr(feature = "serde", derive(serde::Serialize))]
#[non_exhaustive]
pub struct MaskMargin {
    /// The least distance below the mask, in decibels; negative where it is above.
    pub margin_db: f64,
    /// Where that is, in hertz.
    pub at_hz: f64,
    /// The density there, in decibels of the largest.
    pub level_db: f64,
    /// What the mask allows there.
    pub allowed_db: f64,
    /// Points of the spectrum within the mask's frequencies, and how many of them are above it.
    pub points: usize,
    /// How many of them are above it.
    pub above: usize,
}

impl Mask {
    /// A mask of two points or more; `None` unless the frequencies never fall and all is finite.
    pub fn new(points: Vec<(f64, f64)>) -> Option<Self> {
        let rises = points.windows(2).all(|pair| pair[0].0 <= pair[1].0);
        let is_finite = points.iter().all(|(hertz, level)| hertz.is_finite() && level.is_finite());
        (points.len() >= 2 && rises && is_finite).then_some(Mask { points })
    }

    /// The points.
    pub fn points(&self) -> &[(f64, f64)] {
        &self.points
    }

    /// What is allowed at a frequency; at a step the less. `None` outside of the mask.
    pub fn level_db(&self, hertz: f64) -> Option<f64> {
        let around = self.points.windows(2).filter(|pair| (pair[0].0..=pair[1].0).contains(&hertz));
        let level = around.map(|pair| {
            let [(from, low), (to, high)] = [pair[0], pair[1]];
            if from == to {
                low.min(high)
            } else {
                low + (high - low) * (hertz - from) / (to - from)
            }
        });
        level.reduce(f64::min)
    }

    /// Holds a spectrum against the mask; `None` where they have no frequency in common or the spectrum is
    /// empty.
    pub fn margin(&self, spectrum: &Spectrum) -> Option<MaskMargin> {
        let top = spectrum.density.iter().copied().fold(0.0, f64::max);
        let level = |density: f64| 10.0 * libm::log10((density / top).max(1e-40));
        let pairs = spectrum.hertz.iter().zip(&spectrum.density);
        let compared: Vec<(f64, f64, f64)> = pairs
            .filter(|_| top > 0.0)
            .filter_map(|(hertz, density)| Some((*hertz, level(*density), self.level_db(*hertz)?)))
            .collect();
        let margin = |(_, level, allowed): &(f64, f64, f64)| allowed - level;
        let worst = compared.iter().min_by(|a, b| margin(a).total_cmp(&margin(b)))?;
        Some(MaskMargin {
            margin_db: margin(worst),
            at_hz: worst.0,
            level_db: worst.1,
            allowed_db: worst.2,
            points: compared.len(),
            above: compared.iter().filter(|one| margin(one) < 0.0).count(),
        })
    }
}
