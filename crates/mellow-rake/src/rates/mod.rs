//! Signals at several sample rates, in f64: stages that raise the rate, filter and lower it, one behind the
//! other; how they run, what they let through, and what of other bands folds onto which.
//!
//! A [`Stage`] puts `up` − 1 zeros behind each sample, filters at that rate, and keeps of every `down`
//! samples the last; zeros and what is thrown away are never computed. A [`Chain`] has a sample rate and
//! stages. Times are those of the samples: what a stage gives belongs to the time of the word that it kept,
//! so no stage has a delay but that of its taps. A chain may lie around a [`Carrier`]: then its stages see
//! complex samples, of which each part goes through the same taps.
//!
//! ```
//! use mellow_rake::filter::Taps;
//! use mellow_rake::rates::{Chain, Stage};
//! use mellow_rake::units::SampleRate;
//! // From 96 kHz to 24 kHz, each time by a half-band filter.
//! let half = || Taps(vec![-0.03125, 0.0, 0.28125, 0.5, 0.28125, 0.0, -0.03125]);
//! let stages = vec![Stage::decimator(2, half())?, Stage::decimator(2, half())?];
//! let chain = Chain::new(SampleRate::from_hertz(96_000.0).unwrap(), stages)?;
//! assert_eq!(chain.output_rate().hertz(), 24_000.0);
//! assert_eq!(chain.start().run(&[1.0; 40])[9], 1.0);
//! // What lies from 23 kHz to 25 kHz comes out below 1 kHz, by at least 42 dB lower.
//! let folded = chain.folded([0.0, 1_000.0]);
//! let near = folded.iter().find(|band| band.input_hertz[0] < 24_000.0).unwrap();
//! assert!((near.input_hertz[0] - 23_000.0).abs() < 1e-6);
//! assert!(near.worst_db < -42.0);
//! # Ok::<(), mellow_rake::rates::RateError>(())
//! ```

mod bands;
mod carrier;
mod chain;
mod comb;
mod cut;
mod folding;
mod plan;
mod quality;
mod realize;
mod running;
mod stage;
mod weights;
mod wish;

pub use crate::spec::Comb;
pub use bands::FoldedBand;
pub use carrier::{Carrier, CarrierWay, Wave};
pub use chain::Chain;
pub use folding::Path;
pub use plan::{RatePlan, Weighed, plan, plan_by};
pub use quality::PassBand;
pub use realize::{ChainDesign, ChainError, realize};
pub use running::{RunningChain, RunningStage};
pub(crate) use stage::scaled;
pub use stage::{RateError, Stage};
pub use wish::{PlanError, RateWish, StageForm};
