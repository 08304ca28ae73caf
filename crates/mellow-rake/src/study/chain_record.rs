//! What is known of a chain, as objects for programs.

use super::{ChainStudy, ChainWordsRecord};
use crate::filter::{Section, Sections};
use crate::rates::{Chain, Comb, FoldedBand, PassBand, Stage, Weighed};

/// Bands that a record names, the strongest first.
const MOST_BANDS: usize = 12;

/// A stage as an object for programs.
#[derive(Debug, Clone)]
#[cfg_attr(feature = "serde", derive(serde::Serialize))]
#[non_exhaustive]
pub struct StageRecord {
    /// By how much it raises the rate before its taps.
    pub up: usize,
    /// By how much it lowers the rate behind its taps.
    pub down: usize,
    /// The rate of what it takes, in hertz.
    pub input_rate_hz: f64,
    /// The rate at which it filters, in hertz.
    pub filter_rate_hz: f64,
    /// The rate of what it gives, in hertz.
    pub output_rate_hz: f64,
    /// The integrators and combs that its taps are equal to, if it is one of those.
    pub comb: Option<Comb>,
    /// The bits that words grow by in them.
    pub growth_bits: Option<u32>,
    /// Taps that are not zero.
    pub nonzero_taps: usize,
    /// Products in a second.
    pub multiplies_per_second: f64,
    /// Additions in a second.
    pub adds_per_second: f64,
    /// Words that it remembers.
    pub words: usize,
    /// Its delay in seconds; `None` where it is not the same at every frequency.
    pub delay_s: Option<f64>,
    /// The taps, at the rate at which it filters; none where it is recursive.
    pub taps: Vec<f64>,
    /// Of a recursive filter b0, b1, b2, a1, a2 of each section, at that rate.
    pub sections: Vec<[f64; 5]>,
}

/// A band that falls onto another, as an object for programs.
#[derive(Debug, Clone, Copy)]
#[cfg_attr(feature = "serde", derive(serde::Serialize))]
#[non_exhaustive]
pub struct BandRecord {
    /// From where to where it goes in, in hertz.
    pub input_hz: [f64; 2],
    /// From where to where it comes out, in hertz.
    pub output_hz: [f64; 2],
    /// The highest level at which any of it comes out, in decibels of what went in.
    pub worst_db: f64,
    /// The frequency that goes in where it does, in hertz.
    pub worst_input_hz: f64,
    /// The frequency that comes out there, in hertz.
    pub worst_output_hz: f64,
}

/// A way that was weighed, as an object for programs.
#[derive(Debug, Clone)]
#[cfg_attr(feature = "serde", derive(serde::Serialize))]
#[non_exhaustive]
pub struct WeighedRecord {
    /// The factors up and down of each stage.
    pub factors: Vec<[usize; 2]>,
    /// The integrators and combs of each stage that is one of those.
    pub combs: Vec<Option<Comb>>,
    /// The taps of each stage.
    pub taps: Vec<usize>,
    /// Products in a second.
    pub multiplies_per_second: f64,
    /// Words that are remembered.
    pub words: usize,
    /// The delay in seconds.
    pub delay_s: f64,
    /// Whether it was designed and counted; else it is an estimate.
    pub designed: bool,
}

/// What is known of a chain, as an object for programs.
#[derive(Debug, Clone)]
#[cfg_attr(feature = "serde", derive(serde::Serialize))]
#[non_exhaustive]
pub struct ChainRecord {
    /// Its name.
    pub name: String,
    /// By how much the rate goes up in all.
    pub up: usize,
    /// By how much the rate goes down in all.
    pub down: usize,
    /// The rate of what goes in, in hertz.
    pub input_rate_hz: f64,
    /// The rate of what comes out, in hertz.
    pub output_rate_hz: f64,
    /// The carriers that signals are taken from or put on, in hertz; all frequencies of bands are then
    /// distances from them.
    pub carriers_hz: Vec<f64>,
    /// Channels, whose samples stand side by side.
    pub channels: usize,
    /// Words side by side in a sample of all channels that goes in: for each 2 of complex ones.
    pub lanes_in: usize,
    /// Those in one that comes out.
    pub lanes_out: usize,
    /// The end of the pass-band, in hertz.
    pub pass_edge_hz: f64,
    /// Up to where nothing may be disturbed, in hertz.
    pub clean_edge_hz: f64,
    /// The gain that the stages ask for, in decibels; attenuations are below it.
    pub gain_db: f64,
    /// The ripple that was asked for, peak to peak, in decibels.
    pub asked_ripple_db: Option<f64>,
    /// The attenuation that was asked for, in decibels.
    pub asked_attenuation_db: Option<f64>,
    /// The ripple in the pass-band, peak to peak, in decibels.
    pub ripple_db: f64,
    /// The gain over the pass-band.
    pub pass_band: PassBand,
    /// By how much the strongest alias or image is weakened, in decibels.
    pub attenuation_db: Option<f64>,
    /// Whether all that was asked is kept; `None` where nothing was asked.
    pub meets_spec: Option<bool>,
    /// The delay in seconds; `None` where it is not the same at every frequency.
    pub delay_s: Option<f64>,
    /// The time of the first sample that comes out, after that of the first one that goes in.
    pub first_output_s: f64,
    /// Products in a second of the stages, for one of the words of a sample.
    pub multiplies_per_second: f64,
    /// Products in a second of the mixer for all channels, 0 where there is none.
    pub mixer_multiplies_per_second: f64,
    /// Additions in a second of the stages, for one of the words of a sample.
    pub adds_per_second: f64,
    /// Words that they remember for one of the words of a sample.
    pub words: usize,
    /// The stages, in the order of the signal.
    pub stages: Vec<StageRecord>,
    /// What falls onto the clean band, the strongest first, twelve at the most.
    pub folded: Vec<BandRecord>,
    /// The images of the clean band, the strongest first, twelve at the most.
    pub imaged: Vec<BandRecord>,
    /// How many ways to cut the change there are, where it was asked for as a whole.
    pub ways: Option<usize>,
    /// How many of them, the cheapest by estimate, were to be designed.
    pub tried: Option<usize>,
    /// What was weighed.
    pub weighed: Vec<WeighedRecord>,
    /// The chain on integers, if words were asked for.
    pub fixed: Option<ChainWordsRecord>,
}

impl ChainStudy {
    /// What is known of it, as an object for programs.
    pub fn record(&self) -> ChainRecord {
        let (chain, change) = (self.chain(), &self.spec.change);
        let bands = |all: &[FoldedBand]| all.iter().take(MOST_BANDS).map(band).collect();
        let plan = self.design.plan.as_ref();
        ChainRecord {
            name: self.spec.name.to_string(),
            up: change.up,
            down: change.down,
            input_rate_hz: chain.input_rate().hertz(),
            output_rate_hz: chain.output_rate().hertz(),
            carriers_hz: change.carriers_hz.clone(),
            channels: chain.channels(),
            lanes_in: chain.lanes_in(),
            lanes_out: chain.lanes_out(),
            pass_edge_hz: change.pass_hz,
            clean_edge_hz: self.clean_hz(),
            gain_db: self.spec.gain_db(),
            asked_ripple_db: change.ripple_db,
            asked_attenuation_db: change.attenuation_db,
            ripple_db: self.pass_band().ripple_db(),
            pass_band: self.pass_band(),
            attenuation_db: self.attenuation_db(),
            meets_spec: self.meets_spec(),
            delay_s: chain.delay_seconds(),
            first_output_s: chain.first_output_seconds(),
            multiplies_per_second: chain.multiplies_per_second(),
            mixer_multiplies_per_second: {
                let carriers = change.carriers_hz.len() * chain.channels();
                2.0 * self.spec.carrier_rate_hz() * carriers as f64
            },
            adds_per_second: chain.adds_per_second(),
            words: chain.words(),
            stages: (0..chain.stages().len()).map(|number| stage(chain, number)).collect(),
            folded: bands(self.folded()),
            imaged: bands(self.imaged()),
            ways: plan.map(|plan| plan.ways),
            tried: plan.map(|plan| plan.tried),
            weighed: plan.map_or(Vec::new(), |plan| plan.weighed.iter().map(weighed).collect()),
            fixed: self.words_record(),
        }
    }
}

fn weighed(way: &Weighed) -> WeighedRecord {
    WeighedRecord {
        factors: way.stages.iter().map(|stage| [stage.up, stage.down]).collect(),
        combs: way.stages.iter().map(|stage| stage.comb).collect(),
        taps: way.taps.clone(),
        multiplies_per_second: way.multiplies_per_second,
        words: way.words,
        delay_s: way.delay_seconds,
        designed: way.is_designed,
    }
}

fn band(found: &FoldedBand) -> BandRecord {
    BandRecord {
        input_hz: found.input_hertz,
        output_hz: found.output_hertz,
        worst_db: found.worst_db,
        worst_input_hz: found.worst_input_hertz,
        worst_output_hz: found.worst_output_hertz,
    }
}

fn rows(sections: &Sections) -> Vec<[f64; 5]> {
    sections.0.iter().map(|Section { b, a }| [b[0], b[1], b[2], a[0], a[1]]).collect()
}

fn stage(chain: &Chain, number: usize) -> StageRecord {
    let stage: &Stage = &chain.stages()[number];
    let (filter_rate_hz, output_rate_hz) =
        (chain.rate_within(number).hertz(), chain.rate_before(number + 1).hertz());
    let taps = stage.taps().map_or(&[] as &[f64], |taps| &taps.0);
    StageRecord {
        up: stage.up(),
        down: stage.down(),
        input_rate_hz: chain.rate_before(number).hertz(),
        filter_rate_hz,
        output_rate_hz,
        comb: stage.as_sums(),
        growth_bits: stage.as_sums().map(|comb| comb.sums_growth_bits(stage.up(), stage.down())),
        nonzero_taps: taps.iter().filter(|tap| **tap != 0.0).count(),
        multiplies_per_second: stage.multiplies_per_output() * output_rate_hz,
        adds_per_second: stage.adds_per_output() * output_rate_hz,
        words: stage.words(),
        delay_s: stage.delay().map(|samples| samples / filter_rate_hz),
        taps: taps.to_vec(),
        sections: stage.form().sections().map(rows).unwrap_or_default(),
    }
}
