//! Squared gains of all pairs of poles and zeros on one grid, dense around every pole: from them the levels
//! and the noise of any arrangement.

use super::factor;
use crate::datapath::shaping_numbers;
use crate::filter::{Form, Section, Sections};
use crate::spec::Roundings;
use crate::spec::Scaling;
use num_complex::Complex64;
use std::f64::consts::PI;

/// Angles that show sections: an even grid, and around each pole steps that grow with the distance from it.
pub(super) fn angles(sections: &[Section]) -> Vec<f64> {
    const EVEN: u32 = 384;
    const STEPS: [f64; 16] =
        [0.0, 0.15, 0.3, 0.5, 0.75, 1.0, 1.4, 2.0, 3.0, 4.0, 6.0, 8.0, 12.0, 20.0, 40.0, 80.0];
    let mut all: Vec<f64> = (0..=EVEN).map(|k| PI * f64::from(k) / f64::from(EVEN)).collect();
    for section in sections {
        let [a1, a2] = section.a;
        let distance = (1.0 - section.pole_radius()).max(1e-9);
        let square = a2 - a1 * a1 / 4.0;
        let angle = libm::atan2(libm::sqrt(square.max(0.0)), -a1 / 2.0);
        for step in STEPS {
            all.extend([angle - step * distance, angle + step * distance]);
        }
    }
    all.retain(|angle| (0.0..=PI).contains(angle));
    all.sort_by(f64::total_cmp);
    all.dedup();
    all
}

/// The shares of the sections in every level and noise.
pub(super) struct Grid<'a> {
    sections: &'a [Section],
    scaling: Scaling,
    powers_of_two: bool,
    model: Roundings,
    /// For the mean over all angles: they add up to 1.
    weights: Vec<f64>,
    /// |B|² of each section.
    zeros: Vec<Vec<f64>>,
    /// 1/|A|² of each section.
    poles: Vec<Vec<f64>>,
    /// The same, with the zeros that shape its noise.
    noisy: Vec<Vec<f64>>,
}

/// Which poles and zeros are meant: a bit for each section.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(super) struct Sets {
    pub(super) poles: u64,
    pub(super) zeros: u64,
}

fn members(set: u64, count: usize) -> impl Iterator<Item = usize> {
    (0..count).filter(move |k| set >> k & 1 == 1)
}

impl<'a> Grid<'a> {
    pub(super) fn new(
        sections: &'a Sections,
        scaling: Scaling,
        powers_of_two: bool,
        model: Roundings,
    ) -> Self {
        let angles = angles(&sections.0);
        let last = angles.len() - 1;
        let weight = |k: usize| {
            let (low, high) = (angles[k.saturating_sub(1)], angles[(k + 1).min(last)]);
            (high - low) / (2.0 * PI)
        };
        let weights = (0..=last).map(weight).collect();
        let at = |omega: &f64| Complex64::new(libm::cos(*omega), -libm::sin(*omega));
        let w: Vec<Complex64> = angles.iter().map(at).collect();
        let square = |c0: f64, c1: f64, c2: f64| -> Vec<f64> {
            w.iter().map(|w| ((w * c2 + c1) * w + c0).norm_sqr()).collect()
        };
        let of = |pick: &dyn Fn(&Section) -> Vec<f64>| -> Vec<Vec<f64>> {
            sections.0.iter().map(pick).collect()
        };
        let poles = of(&|s| square(1.0, s.a[0], s.a[1]).iter().map(|a| 1.0 / a).collect());
        let shape = |s: &Section| {
            let numbers = match model {
                Roundings::Shaped(order) => shaping_numbers(s.a, order),
                _ => Vec::new(),
            };
            let k = |index: usize| numbers.get(index).map_or(0.0, |k| *k as f64);
            square(1.0, -k(0), -k(1))
        };
        let noisy = sections.0.iter().zip(&poles);
        let noisy = noisy
            .map(|(s, pole)| shape(s).iter().zip(pole).map(|(shape, pole)| shape * pole).collect());
        Grid {
            noisy: noisy.collect(),
            zeros: of(&|s| square(s.b[0], s.b[1], s.b[2])),
            sections: &sections.0,
            scaling,
            powers_of_two,
            model,
            weights,
            poles,
        }
    }

    pub(super) fn count(&self) -> usize {
        self.sections.len()
    }

    /// The set of all sections.
    pub(super) fn all(&self) -> u64 {
        u64::MAX >> (64 - self.count())
    }

    /// The squared gain of these poles and zeros together.
    pub(super) fn product(&self, sets: Sets) -> Vec<f64> {
        let mut product = vec![1.0; self.weights.len()];
        let lists = [(&self.poles, sets.poles), (&self.zeros, sets.zeros)];
        for (list, set) in lists {
            for k in members(set, self.count()) {
                product.iter_mut().zip(&list[k]).for_each(|(product, own)| *product *= own);
            }
        }
        product
    }

    /// The factor that scales the words behind these sections; 1 behind all of them.
    pub(super) fn factor(&self, sets: Sets) -> f64 {
        /// Longer responses decide no order.
        const LONGEST: usize = 4096;
        let all = self.all();
        if sets.poles == all && sets.zeros == all {
            return 1.0;
        }
        let level = match self.scaling {
            Scaling::WorstCase => {
                let poles = members(sets.poles, self.count());
                let zeros = members(sets.zeros, self.count());
                let section = |(p, z): (usize, usize)| Section {
                    b: self.sections[z].b,
                    a: self.sections[p].a,
                };
                let form = Form::from(Sections(poles.zip(zeros).map(section).collect()));
                let mut input = vec![0.0; form.length().min(LONGEST)];
                input[0] = 1.0;
                form.start().run(&input).iter().map(|h| h.abs()).sum()
            }
            Scaling::Energy => {
                let product = self.product(sets);
                libm::sqrt(product.iter().zip(&self.weights).map(|(h, w)| h * w).sum::<f64>())
            }
            Scaling::Peak | Scaling::AsDesigned => {
                libm::sqrt(self.product(sets).into_iter().fold(0.0, f64::max))
            }
        };
        factor(level, self.powers_of_two)
    }

    /// The noise at the output, for a rounding of variance 1, of the section with these poles and zeros,
    /// whose words are multiplied by `factor`, before sections of the squared gain `rest`.
    pub(super) fn noise(&self, pole: usize, zero: usize, rest: &[f64], factor: f64) -> f64 {
        let through = |own: &dyn Fn(usize) -> f64| -> f64 {
            let parts = rest.iter().zip(&self.weights).enumerate();
            parts.map(|(k, (rest, weight))| rest * weight * own(k)).sum()
        };
        let power = match self.model {
            Roundings::BeforePoles | Roundings::Shaped(_) => {
                let own = &self.noisy[pole];
                through(&|k| own[k])
            }
            Roundings::Around => {
                let (p, z) = (&self.poles[pole], &self.zeros[zero]);
                through(&|k| 1.0 + p[k] * z[k] / 16.0)
            }
        };
        power / (factor * factor)
    }
}
