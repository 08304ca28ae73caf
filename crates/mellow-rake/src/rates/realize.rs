//! From the spec of a chain to its stages.

use super::{
    Carrier, CarrierWay, Chain, PlanError, RateError, RatePlan, RateWish, Stage, StageForm, plan,
    plan_by,
};
use crate::design::{Choice, DesignError, design};
use crate::filter::Taps;
use crate::spec::{ChainFixed, ChainSpec, DirectWish, Firmware, Spec, StageWish, Verify, Want};

/// A chain with how its stages came about.
#[derive(Debug, Clone)]
#[non_exhaustive]
pub struct ChainDesign {
    /// The stages.
    pub chain: Chain,
    /// Of each stage that was asked for by itself, what was decided.
    pub choices: Vec<Choice>,
    /// What was weighed where the change was asked for as a whole.
    pub plan: Option<RatePlan>,
}

/// Why a spec gives no chain.
#[derive(Debug, Clone, PartialEq, thiserror::Error)]
#[non_exhaustive]
pub enum ChainError {
    /// The change as a whole cannot be.
    #[error(transparent)]
    Plan(#[from] PlanError),
    /// A stage cannot be designed.
    #[error("stage {number}: {error}")]
    Stage {
        /// Its number, the first is 1.
        number: usize,
        /// What is in the way.
        error: Box<DesignError>,
    },
    /// What is no chain.
    #[error(transparent)]
    Rate(#[from] RateError),
}

impl ChainError {
    /// The keys of the spec that this may be about, the most likely first.
    pub fn keys(&self) -> Vec<String> {
        let of = |number: usize, key: &str| format!("stage.{number}.{key}");
        match self {
            ChainError::Stage { number, error } => {
                error.keys().iter().map(|key| of(*number, key)).collect()
            }
            ChainError::Plan(PlanError::Between { stage, .. })
            | ChainError::Rate(RateError::Rate { stage, .. } | RateError::Chain { stage, .. }) => {
                vec![format!("stage.{stage}")]
            }
            ChainError::Plan(PlanError::PassBand { .. }) => vec!["change.pass_edge".to_owned()],
            ChainError::Plan(PlanError::Factor { .. } | PlanError::Common { .. }) => {
                vec!["change.up".to_owned(), "change.down".to_owned(), "stage".to_owned()]
            }
            ChainError::Plan(PlanError::Factors { .. } | PlanError::OnlyCombs) => {
                vec!["stage".to_owned()]
            }
            _ => vec!["change.attenuation".to_owned(), "change".to_owned()],
        }
    }
}

/// The stages that a spec asks for: each as it is asked for by itself, or all as the change as a whole needs
/// them.
///
/// What is designed for a stage is multiplied by its `up`, so that it does not change the level; coefficients
/// that are given stay as they are.
///
/// # Errors
/// [`ChainError`] says which stage could not be designed and why.
///
/// ```
/// use mellow_rake::rates::realize;
/// use mellow_rake::spec::ChainSpec;
/// let spec = ChainSpec::parse(r#"
///     name = "reef_shaped"
///     sample_rate = "12 kHz"
///     [change]
///     pass_edge = "2 kHz"
///     [[stage]]
///     up = 4
///     [stage.want]
///     kind = "lowpass"
///     pass_edge = "2.5 kHz"
///     stop_edge = "9 kHz"
///     [stage.method]
///     design = "equiripple"
///     taps = 31
/// "#)?;
/// let chain = realize(&spec)?.chain;
/// assert_eq!(chain.output_rate().hertz(), 48_000.0);
/// assert!(chain.pass_band(2_000.0).highest_db.abs() < 0.1);
/// # Ok::<(), Box<dyn std::error::Error>>(())
/// ```
pub fn realize(spec: &ChainSpec) -> Result<ChainDesign, ChainError> {
    let change = &spec.change;
    let is_planned = spec.stages.is_empty() || !spec.stages.iter().all(StageWish::is_gain);
    if is_planned && spec.stages.iter().all(|stage| stage.want.is_none()) {
        let wish = RateWish {
            input_rate: spec.sample_rate,
            up: change.up,
            down: change.down,
            pass_hz: change.pass_hz,
            // Without stages of their own the reader asks for both.
            ripple_db: change.ripple_db.unwrap_or(f64::NAN),
            attenuation_db: change.attenuation_db.unwrap_or(f64::NAN),
            kept: change.kept,
            combs: change.combs,
            most_growth_bits: spec.fixed.as_ref().map_or(u32::MAX, ChainFixed::most_growth_bits),
            least: change.least,
            effort: spec.effort,
        };
        let form = |stage: &StageWish| StageForm {
            comb: stage.comb,
            ..StageForm::new(stage.up, stage.down)
        };
        let planned = spec.stages.iter().filter(|stage| !stage.is_gain());
        let forms: Vec<StageForm> = planned.map(form).collect();
        let found = if forms.is_empty() { plan(&wish)? } else { plan_by(&wish, &forms)? };
        let chain = around(with_gains(&found.chain, &spec.stages)?, spec);
        return Ok(ChainDesign { chain, choices: Vec::new(), plan: Some(found) });
    }
    let (mut stages, mut choices) = (Vec::new(), Vec::new());
    for (index, stage) in spec.stages.iter().enumerate() {
        let StageWish { up, down, rate, want, comb, gain_db } = stage;
        let gain = gain_db.map_or(1.0, ratio_of);
        if let Some(comb) = comb {
            stages.push(Stage::comb(*up, *down, *comb)?);
        } else if stage.is_gain() {
            stages.push(Stage::new(1, 1, Taps(vec![gain]))?);
        }
        let (number, Some(want)) = (index + 1, want) else { continue };
        let of_stage = Spec {
            name: spec.name.clone(),
            sample_rate: *rate,
            want: want.clone(),
            equalizer: None,
            fixed: None,
            float: None,
            hardware: None,
            firmware: Firmware::default(),
            converter: None,
            verify: Verify::default(),
            effort: spec.effort,
        };
        let found = design(&of_stage)
            .map_err(|error| ChainError::Stage { number, error: Box::new(error) })?;
        let is_given = matches!(want, Want::Direct(DirectWish::Given(_)));
        let level = if is_given { 1.0 } else { *up as f64 };
        stages.push(Stage::new(*up, *down, found.form)?.scaled(level * gain));
        choices.push(found.choice);
    }
    Ok(ChainDesign {
        chain: around(Chain::new(spec.sample_rate, stages)?, spec),
        choices,
        plan: None,
    })
}

/// Stages that were found, with the gains that are asked for in front of, between and behind them.
fn with_gains(found: &Chain, wishes: &[StageWish]) -> Result<Chain, RateError> {
    if wishes.iter().all(|wish| wish.gain_db.is_none()) {
        return Ok(found.clone());
    }
    let mut filters = found.stages().iter();
    let mut stages = Vec::new();
    for wish in wishes {
        let gain = wish.gain_db.map_or(1.0, ratio_of);
        if wish.is_gain() {
            stages.push(Stage::new(1, 1, Taps(vec![gain]))?);
        } else {
            stages.extend(filters.next().map(|stage| match wish.gain_db {
                Some(_) => stage.clone().scaled(gain),
                None => stage.clone(),
            }));
        }
    }
    Chain::new(found.input_rate(), stages)
}

/// A level as a ratio of amplitudes.
fn ratio_of(decibels: f64) -> f64 {
    libm::exp10(decibels / 20.0)
}

/// The chain around the carrier that is asked for, or of complex samples.
fn around(chain: Chain, spec: &ChainSpec) -> Chain {
    let chain = chain.of_channels(spec.change.channels);
    match (&spec.change.carriers_hz[..], spec.change.is_complex) {
        ([], true) => chain.of_complex(),
        ([], false) => chain,
        (carriers, _) => {
            let way = match spec.mixes_down() {
                true => CarrierWay::Down,
                false => CarrierWay::Up,
            };
            let rate = spec.carrier_rate_hz();
            let turns: Vec<f64> = carriers.iter().map(|hertz| hertz / rate).collect();
            chain.around(Carrier::several(way, &turns))
        }
    }
}
