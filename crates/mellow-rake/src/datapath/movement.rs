//! How far words move on white noise.

use super::linear::{Drive, LinearDatapath};
use super::noise::half_scale;
use super::ports;
use super::shared::Reading;
use super::walk::Place;
use super::{Operation, RoundingSource};
use crate::filter::LinearSystem;
use std::collections::BTreeMap;

/// By how much words move on white noise.
pub(super) struct Movement {
    pub(super) is_recursive: bool,
    /// The rms value of each word, and the least of its sum with and difference from itself some samples
    /// before.
    words: BTreeMap<Place, [f64; 2]>,
}

impl Movement {
    /// From so many samples of the impulse responses: what rings longer moves more.
    const SAMPLES: usize = 1 << 14;
    const LAGS: usize = 8;

    pub(super) fn new(reading: &Reading<'_>, sources: &[RoundingSource]) -> Self {
        let Reading { datapath, fractions, .. } = *reading;
        // The words that are rounded, and those that sums are made of.
        let rounded = sources.iter().filter_map(|source| match reading.operation(source.node) {
            Some(Operation::Round { word, .. }) => Some(Place { node: *word, pass: source.pass }),
            _ => None,
        });
        let words = datapath.operations().flat_map(|(node, operation, passes)| {
            let node = match operation {
                Operation::Store { word, .. } => Some(*word),
                Operation::Input { .. }
                | Operation::Carried
                | Operation::Round { .. }
                | Operation::Limit { .. } => Some(node),
                _ => None,
            };
            node.into_iter().flat_map(move |node| (0..passes).map(move |pass| Place { node, pass }))
        });
        let mut places: Vec<Place> = rounded.chain(words).collect();
        places.sort();
        places.dedup();
        let mut model = LinearDatapath::watching(datapath, fractions, &places, Drive::INPUT);
        let mut seen = vec![0.0; model.observed()];
        let mut products = vec![[0.0; Self::LAGS + 1]; places.len()];
        for (drive, format) in Drive::inputs(datapath).zip(ports::words(&datapath.inputs)) {
            model = model.driven_by(drive);
            let power = half_scale(format);
            let mut state = vec![0.0; model.states()];
            let mut last = vec![[0.0; Self::LAGS]; places.len()];
            for sample in 0..Self::SAMPLES {
                model.step(&mut state, if sample == 0 { 1.0 } else { 0.0 }, &mut seen);
                for ((now, last), products) in seen.iter().zip(&mut last).zip(&mut products) {
                    products[0] += power * now * now;
                    for (product, before) in products[1..].iter_mut().zip(last.iter()) {
                        *product += power * now * before;
                    }
                    last.rotate_right(1);
                    last[0] = *now;
                }
                if state.iter().all(|word| word.abs() < 1e-9) {
                    break;
                }
            }
        }
        let least = |products: &[f64; Self::LAGS + 1]| {
            let apart = products[1..].iter().map(|product| 2.0 * (products[0] - product.abs()));
            let least = apart.fold(products[0], f64::min).max(0.0);
            [products[0], least].map(libm::sqrt)
        };
        Movement {
            is_recursive: model.finite().is_none(),
            words: places.iter().copied().zip(products.iter().map(least)).collect(),
        }
    }

    /// The least rms value of a word, and of its sum with and difference from itself some samples before.
    pub(super) fn least(&self, place: Place) -> Option<f64> {
        self.words.get(&place).map(|[_, least]| *least)
    }

    /// About how many steps a word takes, of a format with such steps; an input as many as noise of half
    /// scale has.
    pub(super) fn levels(&self, place: Option<Place>, step: f64) -> f64 {
        let rms = place.and_then(|place| self.words.get(&place)).map_or(0.0, |[rms, _]| *rms);
        (rms * libm::sqrt(12.0) / step).max(1.0)
    }
}
