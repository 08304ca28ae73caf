//! From the spec of a chain to its stages.

use super::{
    Carrier, CarrierWay, Chain, PlanError, RateError, RatePlan, RateWish, Stage, StageForm, plan,
    plan_by,
};
use crate::design::{Choice, DesignError, design};
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
    let change = spec.change;
    if spec.stages.iter().all(|stage| stage.want.is_none()) {
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
        let forms: Vec<StageForm> = spec.stages.iter().map(form).collect();
        let found = if forms.is_empty() { plan(&wish)? } else { plan_by(&wish, &forms)? };
        let chain = around(found.chain.clone(), spec);
        return Ok(ChainDesign { chain, choices: Vec::new(), plan: Some(found) });
    }
    let (mut stages, mut choices) = (Vec::new(), Vec::new());
    for (index, StageWish { up, down, rate, want, comb }) in spec.stages.iter().enumerate() {
        if let Some(comb) = comb {
            stages.push(Stage::comb(*up, *down, *comb)?);
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
        stages.push(Stage::new(*up, *down, found.form)?.scaled(level));
        choices.push(found.choice);
    }
    Ok(ChainDesign {
        chain: around(Chain::new(spec.sample_rate, stages)?, spec),
        choices,
        plan: None,
    })
}

/// The chain around the carrier that is asked for, or of complex samples.
fn around(chain: Chain, spec: &ChainSpec) -> Chain {
    let chain = chain.of_channels(spec.change.channels);
    match (spec.change.carrier_hz, spec.change.is_complex) {
        (Some(hertz), _) => {
            let rate = spec.carrier_rate_hz();
            let way = match spec.mixes_down() {
                true => CarrierWay::Down,
                false => CarrierWay::Up,
            };
            chain.around(Carrier::new(way, hertz / rate))
        }
        (None, true) => chain.of_complex(),
        (None, false) => chain,
    }
}
