//! The order of sections, which zeros stand with which poles, and how large the words between sections are.

mod grid;
mod search;

use crate::filter::{Form, Section, Sections, Transfer};
use crate::spec::{ArrangementWish, Scaling, Structure};
use grid::Grid;

/// How the sections of a cascade were arranged.
#[derive(Debug, Clone, PartialEq)]
#[non_exhaustive]
pub struct Arrangement {
    /// For each place in the cascade, the section of the design whose poles stand there, from 0.
    pub poles: Vec<usize>,
    /// For each place, the section of the design whose zeros stand there.
    pub zeros: Vec<usize>,
    /// The level, in the norm of the scaling, at the output of each section; the last is that of the filter.
    pub levels: Vec<f64>,
    /// How many arrangements were looked at, none of them left out up to 6 sections; `None` where none was
    /// searched: for one section, and for more than 64.
    pub searched: Option<u64>,
}

/// The sections as they are wished for: the same filter, to rounding.
pub(super) fn arrange(
    sections: &Sections,
    wish: ArrangementWish,
    structure: Structure,
) -> (Sections, Arrangement) {
    // Words between sections must have some level for their roundings to be compared; the design's is that of
    // the peak.
    let scaling = match wish.scaling {
        Scaling::AsDesigned => Scaling::Peak,
        given => given,
    };
    let count = sections.0.len();
    let (mut poles, mut zeros): (Vec<usize>, Vec<usize>) =
        ((0..count).collect(), (0..count).collect());
    let mut searched = None;
    if wish.quietest && (2..=search::MOST).contains(&count) {
        let model = structure.facts().roundings;
        let grid = Grid::new(sections, scaling, wish.powers_of_two, model);
        let found = search::quietest(&grid);
        (poles, zeros, searched) = (found.poles, found.zeros, Some(found.looked_at));
    }
    let mut arranged: Vec<Section> = poles
        .iter()
        .zip(&zeros)
        .map(|(p, z)| Section { b: sections.0[*z].b, a: sections.0[*p].a })
        .collect();
    let rescale = wish.scaling != Scaling::AsDesigned || wish.quietest;
    let levels: Vec<f64> = (0..count)
        .map(|place| norm(&Form::from(Sections(arranged[..=place].to_vec())), scaling))
        .collect();
    // What the words behind each place are multiplied by; the last leaves the filter as it is.
    let factors: Vec<f64> =
        levels
            .iter()
            .enumerate()
            .map(|(place, level)| {
                if !rescale || place + 1 == count {
                    1.0
                } else {
                    factor(*level, wish.powers_of_two)
                }
            })
            .collect();
    let mut before = 1.0;
    for (section, factor) in arranged.iter_mut().zip(&factors) {
        section.b.iter_mut().for_each(|b| *b *= factor / before);
        before = *factor;
    }
    let levels = levels.iter().zip(&factors).map(|(level, factor)| level * factor).collect();
    (Sections(arranged), Arrangement { poles, zeros, levels, searched })
}

/// What brings a level to 1, or to the largest power of two's multiple of it that is not above 1.
fn factor(level: f64, powers_of_two: bool) -> f64 {
    if level.is_nan() || level <= 0.0 {
        return 1.0;
    }
    if powers_of_two { libm::exp2(libm::floor(-libm::log2(level))) } else { 1.0 / level }
}

/// The level that a filter brings an input of 1 to, in the norm of a scaling.
fn norm(filter: &Form, scaling: Scaling) -> f64 {
    match scaling {
        Scaling::WorstCase => filter.impulse_response().iter().map(|h| h.abs()).sum(),
        Scaling::Energy => libm::sqrt(filter.impulse_response().iter().map(|h| h * h).sum::<f64>()),
        Scaling::Peak | Scaling::AsDesigned => {
            let sections = filter.sections().map_or(&[][..], |sections| &sections.0);
            grid::angles(sections).into_iter().map(|omega| filter.gain(omega)).fold(0.0, f64::max)
        }
    }
}
